//! Values that another type of PostgreSQL does not hold as they are.

use super::quote::literal;
use super::types::{Family, family, split};
use crate::dialect::misfits::{Misfits, power_of_ten};
use crate::physical::TypeName;

/// What becomes of values of a column, by PostgreSQL's rules for a change of the type (PostgreSQL 17, "ALTER TABLE", SET
/// DATA TYPE; "Numeric Types", "Character Types", "Date/Time Types").
pub(in crate::dialect) fn misfits(from: &TypeName, to: &TypeName, column: &str) -> Misfits {
    let (old, new) = (Known::of(from), Known::of(to));
    match (&old, &new) {
        (_, Known::Text(None)) => Misfits::default(),
        // Spaces at the end are cut off, anything else is refused ("Character Types").
        (_, Known::Text(Some(length))) => {
            let beyond = format!("char_length(rtrim({column}::text, ' ')) > {length}");
            let trimmed = format!("char_length({column}::text) > {length} and not {beyond}");
            Misfits { trimmed: Some(trimmed), ..Misfits::refused(beyond) }
        }
        (Known::Number(old), Known::Number(new)) => numbers(*old, *new, column),
        (Known::Moment(_, old), Known::Moment(true, new)) if new < old => {
            Misfits::changed(format!("{column} <> {column}::{}", to.text()))
        }
        (Known::Moment(..), Known::Moment(true, _)) => Misfits::default(),
        (Known::Moment(..), Known::Moment(false, _)) => {
            Misfits::changed(format!("{column} <> {column}::{}", to.text()))
        }
        (Known::Text(_), Known::Number(new)) => read_numbers(*new, column),
        (Known::Text(_), Known::Truth) => {
            // PostgreSQL 17, "Boolean Type": any beginning that only one of the words has.
            let words = ["t", "tr", "tru", "true", "y", "ye", "yes", "on", "1", "f", "fa", "fal", "fals", "false", "n"];
            let words = words.into_iter().chain(["no", "of", "off", "0"]).map(literal).collect::<Vec<_>>();
            Misfits::refused(format!("lower(btrim({column}::text, E' \\t\\n\\r')) not in ({})", words.join(", ")))
        }
        (Known::Time(old), Known::Time(new)) => match new < old {
            true => Misfits::changed(format!("{column} <> {column}::{}", to.text())),
            false => Misfits::default(),
        },
        // PostgreSQL 16, "Data Validity Checking Functions"; a server before that has no answer.
        _ => Misfits::refused(format!("not pg_input_is_valid({column}::text, {})", literal(to.text()))),
    }
}

/// What a type can hold, as far as it matters here.
enum Known {
    /// Text of so many characters at most.
    Text(Option<u64>),
    Number(Number),
    /// Whether there is a time of day in it, and with how many fraction digits.
    Moment(bool, u32),
    Time(u32),
    Truth,
    Other,
}

#[derive(Clone, Copy, PartialEq)]
enum Number {
    /// Of so many bits.
    Integer(u32),
    /// Of so many bits.
    Float(u32),
    /// Of so many digits, and so many of them behind the point.
    Decimal(Option<(u32, u32)>),
}

impl Known {
    fn of(ty: &TypeName) -> Self {
        let (base, rest) = split(ty.canonical());
        if rest.ends_with(']') {
            return Self::Other;
        }
        let number = |text: &str| text.trim().parse::<u32>().ok();
        let arguments = rest.trim_matches(['(', ')']);
        let digits = if arguments.is_empty() { Some(6) } else { number(arguments) };
        match (base.as_str(), family(ty)) {
            (_, Family::Text) if arguments.is_empty() => Self::Text(None),
            (_, Family::Text) => arguments.parse().map_or(Self::Other, |length| Self::Text(Some(length))),
            ("SMALLINT", _) => Self::Number(Number::Integer(16)),
            ("INTEGER", _) => Self::Number(Number::Integer(32)),
            ("BIGINT", _) => Self::Number(Number::Integer(64)),
            ("REAL", _) => Self::Number(Number::Float(32)),
            ("DOUBLE PRECISION", _) => Self::Number(Number::Float(64)),
            ("NUMERIC", _) if arguments.is_empty() => Self::Number(Number::Decimal(None)),
            ("NUMERIC", _) => match arguments.split_once(',').map(|(all, behind)| (number(all), number(behind))) {
                Some((Some(all), Some(behind))) if behind <= all => Self::Number(Number::Decimal(Some((all, behind)))),
                _ => Self::Other,
            },
            ("BOOLEAN", _) => Self::Truth,
            ("DATE", _) => Self::Moment(false, 0),
            (_, Family::Moment) => digits.map_or(Self::Other, |digits| Self::Moment(true, digits)),
            ("TIME WITHOUT TIME ZONE" | "TIME WITH TIME ZONE", _) => digits.map_or(Self::Other, Self::Time),
            _ => Self::Other,
        }
    }
}

fn numbers(old: Number, new: Number, column: &str) -> Misfits {
    let special = format!("{column}::text in ('NaN', 'Infinity', '-Infinity')");
    // Neither has a place for what is no number, and the order of an `and` is the server's to choose.
    let of_numbers = |condition: String| match old {
        Number::Float(_) => format!("case when {special} then false else {condition} end"),
        _ => condition,
    };
    match (old, new) {
        (Number::Integer(from), Number::Integer(to)) if from <= to => Misfits::default(),
        (_, Number::Integer(bits)) => {
            let least = -(1_i128 << (bits - 1));
            let most = (1_i128 << (bits - 1)) - 1;
            let (refused, changed) = match old {
                Number::Integer(_) => (format!("{column} not between {least} and {most}"), None),
                Number::Decimal(Some((_, 0))) => (format!("{column} not between {least} and {most}"), None),
                _ => (
                    format!("not ({column} > {least} - 0.5 and {column} < {most} + 0.5)"),
                    Some(of_numbers(format!("{column} <> trunc({column})"))),
                ),
            };
            Misfits::both(Some(refused), changed)
        }
        (_, Number::Decimal(None)) => Misfits::default(),
        (_, Number::Decimal(Some((all, behind)))) => {
            let (old_before, old_behind) = match old {
                Number::Integer(16) => (5, Some(0)),
                Number::Integer(32) => (10, Some(0)),
                Number::Integer(_) => (19, Some(0)),
                Number::Decimal(Some((all, behind))) => (all - behind, Some(behind)),
                Number::Decimal(None) | Number::Float(_) => (u32::MAX, None),
            };
            // The first digit may grow by rounding.
            let fits = old_before < all - behind
                || (old_before == all - behind && old_behind.is_some_and(|old| old <= behind));
            let limit = power_of_ten(all - behind);
            let rounded = format!("round({column}::numeric, {behind})");
            let refused = match old {
                Number::Float(_) => {
                    format!("case when {special} then {column}::text <> 'NaN' else abs({rounded}) >= {limit} end")
                }
                _ => format!("abs({rounded}) >= {limit}"),
            };
            let rounds = old_behind.is_none_or(|old| old > behind);
            let changed = of_numbers(format!("{column}::numeric <> {rounded}"));
            Misfits::both((!fits).then_some(refused), rounds.then_some(changed))
        }
        (Number::Float(from), Number::Float(to)) if from <= to => Misfits::default(),
        (Number::Float(_), Number::Float(_)) => {
            Misfits::changed(of_numbers(format!("{column}::text::real::double precision <> {column}")))
        }
        (Number::Integer(from), Number::Float(to)) if from < to && (from, to) != (32, 32) => Misfits::default(),
        (_, Number::Float(bits)) => {
            let ty = if bits == 32 { "real" } else { "double precision" };
            // By way of text: a cast of a float to numeric keeps few digits.
            Misfits::changed(format!("{column}::{ty}::text::numeric <> {column}::numeric"))
        }
    }
}

/// Texts that are read as numbers. One that could be a number in hexadecimal, octal or binary is not judged: a server before
/// PostgreSQL 16 does not know them.
fn read_numbers(new: Number, column: &str) -> Misfits {
    let text = format!("{column}::text");
    let (pattern, exact) = match new {
        Number::Integer(_) => (r"'^\s*[-+]?\d+\s*$'", format!("{text}::numeric")),
        Number::Decimal(_) => (r"'^\s*[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d{1,3})?\s*$'", format!("{text}::numeric")),
        Number::Float(_) => return Misfits::refused(format!("not pg_input_is_valid({text}, 'double precision')")),
    };
    let other = format!(r"{text} ~* '^\s*([-+]?0[xob]|[-+]?inf|nan)' or {text} ~ '\d_\d'");
    let old = match new {
        Number::Integer(_) => Number::Decimal(Some((1000, 0))),
        _ => Number::Decimal(None),
    };
    let within = numbers(old, new, &exact);
    // A cast must not come before the pattern.
    let refused = within.refused.unwrap_or("false".into());
    let refused = format!("case when {text} ~ {pattern} then {refused} else not ({other}) end");
    let changed = within.changed.map(|changed| format!("case when {text} ~ {pattern} then {changed} else false end"));
    Misfits::both(Some(refused), changed)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::postgres::types::type_name;

    #[track_caller]
    fn case(from: &str, to: &str, refused: Option<&str>, changed: Option<&str>) {
        let found = misfits(&type_name(from), &type_name(to), "c");
        assert_eq!((found.refused.as_deref(), found.changed.as_deref()), (refused, changed), "{from} to {to}");
    }

    #[test]
    fn what_fits_is_not_asked_for() {
        case("integer", "bigint", None, None);
        case("smallint", "numeric(6, 1)", None, None);
        case("numeric(6, 2)", "numeric(8, 2)", None, None);
        case("integer", "double precision", None, None);
        case("date", "timestamptz", None, None);
        case("bigint", "text", None, None);
    }

    #[test]
    fn what_does_not_is_refused_or_changed() {
        case("text", "varchar(8)", Some("char_length(rtrim(c::text, ' ')) > 8"), None);
        case("bigint", "integer", Some("c not between -2147483648 and 2147483647"), None);
        case("numeric(6, 2)", "numeric(6, 1)", None, Some("c::numeric <> round(c::numeric, 1)"));
        case("integer", "numeric(6, 2)", Some("abs(round(c::numeric, 2)) >= 10000"), None);
        case("timestamptz", "date", None, Some("c <> c::date"));
        case("timestamp", "timestamp(3)", None, Some("c <> c::timestamp(3)"));
        case("text", "uuid", Some("not pg_input_is_valid(c::text, 'uuid')"), None);
        case("numeric", "smallint", Some("not (c > -32768 - 0.5 and c < 32767 + 0.5)"), Some("c <> trunc(c)"));
    }
}
