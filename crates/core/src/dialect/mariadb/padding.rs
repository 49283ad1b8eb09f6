//! Values that depend on whether a session pads texts of a fixed length: MariaDB stores and indexes none of them.

use super::SYNTAX;
use crate::sql::{Expression, Lexer, TokenKind, unquote};

const COMPARISONS: [&str; 9] = ["=", "<=>", "<>", "!=", "<", ">", "<=", ">=", "like"];
const ARITHMETIC: [&str; 11] = ["+", "-", "*", "/", "%", "||", "&", "|", "^", "div", "mod"];

/// Whether what an expression gives depends on the spaces behind a value of a `char` column. What compares or trims it does
/// not (seen on MariaDB 10.11; `Item_func::value_depends_on_sql_mode` of its source).
pub(super) fn depends_on_padding(expression: &Expression, column: &str) -> bool {
    let text = expression.text();
    let tokens: Vec<(TokenKind, &str)> = Lexer::new(text, 0, SYNTAX)
        .filter(|token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment))
        .map(|token| (token.kind, token.span.text(text)))
        .collect();
    let word = |at: Option<usize>| at.and_then(|at| tokens.get(at)).map_or("", |(_, text)| *text);
    let is = |at: Option<usize>, words: &[&str]| words.iter().any(|one| one.eq_ignore_ascii_case(word(at)));
    (0..tokens.len()).any(|at| {
        let (kind, text) = tokens[at];
        let is_name = matches!(kind, TokenKind::Word | TokenKind::Quoted);
        if !is_name || !unquote(text).eq_ignore_ascii_case(column) {
            return false;
        }
        let (before, behind) = (at.checked_sub(1), Some(at + 1));
        let is_compared = is(before, &COMPARISONS) && !is(behind, &ARITHMETIC)
            || is(behind, &COMPARISONS) && !is(before, &ARITHMETIC);
        let is_true = is(before, &["and", "or", "xor"]) || is(behind, &["and", "or", "xor"]);
        let is_unlike = is(behind, &["not"]) && is(Some(at + 2), &["like"]);
        let is_called = |names: &[&str]| is(before, &["("]) && is(at.checked_sub(2), names);
        // Of nothing, or of what they are told to, which is a space or null.
        let is_of_spaces = |one: Option<usize>| is(one, &["trailing", "both", "' '", "null"]);
        let is_trimmed = is(behind, &[")"])
            && (is_called(&["rtrim", "trim"]) || is(before, &["from"]) && is_of_spaces(at.checked_sub(2)));
        // To as many characters as it has, or more.
        let is_filled = is_called(&["rpad"])
            && (is(Some(at + 3), &[")"]) || is_of_spaces(Some(at + 4)) || is_of_spaces(Some(at + 2)));
        !(is_compared || is_true || is_unlike || is_trimmed || is_filled)
    })
}

/// Whether an expression is a column and nothing else.
pub(super) fn is_column(expression: &Expression, column: &str) -> bool {
    let text = expression.text().trim_matches(['(', ')', ' ']);
    unquote(text).eq_ignore_ascii_case(column)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_compares_or_trims_does_not_depend_on_it() {
        #[track_caller]
        fn case(text: &str, depends: bool) {
            assert_eq!(depends_on_padding(&Expression::read(text, SYNTAX), "c"), depends, "{text}");
        }
        // As the server takes and refuses them.
        case("c = 'x'", false);
        case("`c` <=> d", false);
        case("c like 'a%'", false);
        case("if(c='a',1,2)", false);
        case("length(rtrim(c))", false);
        case("trim(c)", false);
        case("char_length(trim(trailing from c))", false);
        case("trim(both ' ' from `c`)", false);
        case("trim(trailing NULL from `c`)", false);
        case("trim(both 'x' from `c`)", true);
        case("trim(leading from `c`)", true);
        case("rpad(`c`,5,' ')", false);
        case("rpad(`c`,5)", false);
        case("rpad(`c`,NULL,' ')", false);
        case("rpad(`c`,5,'x')", true);
        case("`c` not like '%'", false);
        case("c and d", false);
        case("concat(d, 'c')", false);
        case("length(c)", true);
        case("c in ('a', 'b')", true);
        case("c is null", true);
        case("c + 1 = 2", true);
        case("concat(c, 'x')", true);
        case("coalesce(C, 'x') = 'x'", true);
    }
}
