//! The columns of a view's query under the names that stand in front of it.

use crate::sql::{Cursor, Lexer, Syntax, Token, TokenKind};

/// A query whose columns are called by these names; nothing where its list of columns is not plain.
pub(super) fn with_aliases(
    query: &str,
    names: &[String],
    syntax: Syntax,
    quote: impl Fn(&str) -> String,
) -> Option<String> {
    let mut cursor = Cursor::new(query, syntax);
    cursor.expect("select")?;
    let mut columns = Vec::new();
    loop {
        let text = cursor.until(|cursor| cursor.is(",") || cursor.is_one_of(&["from", "union", "where"]))?;
        columns.push(without_alias(text, syntax)?);
        if !cursor.eat(",") {
            break;
        }
    }
    let is_plain = columns.len() == names.len() && !cursor.is_one_of(&["distinct", "all"]);
    let aliased = columns.iter().zip(names).map(|(column, name)| format!("{column} as {}", quote(name)));
    is_plain.then(|| format!("select {} {}", aliased.collect::<Vec<_>>().join(", "), cursor.rest()))
}

/// A column of a query without what it is called; nothing where it stands for several.
fn without_alias(column: &str, syntax: Syntax) -> Option<&str> {
    let is_code = |token: &Token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment);
    let tokens = Lexer::new(column, 0, syntax).filter(is_code);
    let tokens: Vec<_> = tokens.map(|token| (token.kind, token.span.text(column))).collect();
    let last = tokens.len().checked_sub(1)?;
    let is_name = |at: usize| matches!(tokens[at].0, TokenKind::Word | TokenKind::Quoted);
    if tokens[last].1 == "*" || matches!(tokens[0].1.to_ascii_lowercase().as_str(), "distinct" | "all") {
        return None;
    }
    let before = last.checked_sub(1).map_or("", |at| tokens[at].1);
    let follows_value = before == ")" || last.checked_sub(1).is_some_and(is_name);
    let is_alias = is_name(last) && follows_value && !tokens[last].1.eq_ignore_ascii_case("end");
    let behind = if is_alias { tokens[last].1.len() } else { 0 };
    let bare = column[..column.trim_end().len() - behind].trim_end();
    Some(strip_tail(bare, " as").filter(|_| is_alias).unwrap_or(bare))
}

/// A text without its end, whatever case that is in.
pub(super) fn strip_tail<'t>(text: &'t str, tail: &str) -> Option<&'t str> {
    let at = text.len().checked_sub(tail.len())?;
    (text.is_char_boundary(at) && text[at..].eq_ignore_ascii_case(tail)).then(|| &text[..at])
}
