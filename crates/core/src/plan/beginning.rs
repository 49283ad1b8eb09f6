//! What rows that are there begin with in a column that is new to their table.

use crate::physical::{Check, Column};
use crate::sql::{Lexer, Syntax};

/// What every row has there at first.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Beginning<'a> {
    /// No value.
    Empty,
    /// This one, as SQL.
    Literal(&'a str),
    /// Whatever an expression gives it, or nothing that it can be.
    Unknown,
}

impl<'a> Beginning<'a> {
    /// What a column gives to the rows by itself.
    pub(super) fn of(column: &'a Column) -> Self {
        if column.generated.is_some() || column.numbers_rows() {
            return Self::Unknown;
        }
        match &column.default {
            None if column.nullable => Self::Empty,
            Some(default) if default.is_literal() && default.text().eq_ignore_ascii_case("null") => Self::Empty,
            Some(default) if default.is_literal() => Self::Literal(default.text()),
            _ => Self::Unknown,
        }
    }

    /// Whether a check lets it through for sure, when it says which values the column may have.
    pub(super) fn meets(self, check: &Check) -> bool {
        let text = check.expression.text();
        let words = Lexer::new(text, 0, Syntax::PLAIN).map(|token| token.span.text(text));
        let words: Vec<&str> = words.filter(|word| !word.trim().is_empty()).collect();
        let [_, among, "(", values @ .., ")"] = &words[..] else { return false };
        let is_list = values.iter().enumerate().all(|(at, word)| (at % 2 == 1) == (*word == ","));
        if !among.eq_ignore_ascii_case("in") || !is_list || check.expression.columns().len() != 1 {
            return false;
        }
        match self {
            // What is null is in no list, and not outside of it either: a check only refuses what is false.
            Self::Empty => true,
            Self::Literal(value) => values.contains(&value),
            Self::Unknown => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::physical::{Options, TypeName};
    use crate::sql::Expression;

    #[test]
    fn a_list_lets_through_what_is_in_it_and_null() {
        #[track_caller]
        fn case(default: Option<&str>, nullable: bool, check: &str, expected: bool) {
            let column = Column {
                default: default.map(|text| Box::new(Expression::read(text, Syntax::PLAIN))),
                nullable,
                ..Column::new("temper", TypeName::new("text"))
            };
            let expression = Expression::read(check, Syntax::PLAIN);
            let check = Check { name: None, expression, attributes: Options::new() };
            assert_eq!(Beginning::of(&column).meets(&check), expected, "{default:?} {}", check.expression.text());
        }
        case(Some("'calm'"), false, "temper in ('calm', 'wild')", true);
        case(Some("'calm'"), false, "\"temper\" IN ('wild', 'calm')", true);
        case(Some("3"), false, "temper in (1, 2, 3)", true);
        case(None, true, "temper in ('calm', 'wild')", true);
        case(Some("null"), true, "temper in ('calm', 'wild')", true);

        case(Some("'mild'"), false, "temper in ('calm', 'wild')", false);
        case(Some("'Calm'"), false, "temper in ('calm', 'wild')", false);
        case(None, false, "temper in ('calm', 'wild')", false);
        case(Some("lower('calm')"), false, "temper in ('calm', 'wild')", false);
        case(Some("'calm'"), false, "temper not in ('calm', 'wild')", false);
        case(Some("'calm'"), false, "temper in ('calm', 'wild') and number > 3", false);
        case(Some("'calm'"), false, "temper in ('calm', other)", false);
        case(None, true, "temper is not null", false);
    }
}
