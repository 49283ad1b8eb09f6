//! Values that another type of MariaDB or MySQL does not hold as they are.

use super::Flavor;
use super::alter::words;
use crate::dialect::misfits::{Misfits, power_of_ten};
use crate::physical::TypeName;

/// What becomes of values of a column, in the strict mode that scripts run in (MariaDB, "SQL_MODE", STRICT_ALL_TABLES):
/// what is too long or out of range is refused, fractions are rounded or cut off with a note at most.
pub(in crate::dialect) fn misfits(flavor: Flavor, from: &TypeName, to: &TypeName, column: &str) -> Misfits {
    let (old, new) = (Known::of(from), Known::of(to));
    match (&old, &new) {
        (_, Known::Characters(length)) => match old {
            Known::Characters(was) if was <= *length => Misfits::default(),
            // Also spaces at the end, which an insert would cut off with a note.
            _ => Misfits::refused(format!("char_length({column}) > {length}")),
        },
        (_, Known::Bytes(length)) => match old {
            Known::Bytes(was) if was <= *length => Misfits::default(),
            _ => Misfits::refused(format!("length({column}) > {length}")),
        },
        (Known::Number(old), Known::Number(new)) => numbers(*old, *new, column),
        // MySQL rounds what is a number, as it does from any other type (seen on 9.7).
        (Known::Characters(_), Known::Number(Number::Integer(low, high))) if flavor == Flavor::Mariadb => {
            let number = r"'^[[:space:]]*[-+]?[0-9]+[[:space:]]*$'";
            let within = format!("cast({column} as decimal(65,0)) between {low} and {high}");
            Misfits::refused(format!("({column} not regexp {number} or not {within})"))
        }
        (Known::Characters(_), Known::Number(new)) => {
            let number = r"'^[[:space:]]*[-+]?([0-9]+([.][0-9]*)?|[.][0-9]+)([eE][-+]?[0-9]+)?[[:space:]]*$'";
            let value = format!("cast({column} as double)");
            let within = numbers(Number::Float(64), *new, &value);
            let refused = within.refused.map_or(String::new(), |refused| format!(" or {refused}"));
            Misfits::both(Some(format!("({column} not regexp {number}{refused})")), within.changed)
        }
        (Known::Characters(_), Known::Moment(with_time, _)) => {
            let ty = if *with_time { "datetime(6)" } else { "date" };
            let cut = format!("time(cast({column} as datetime)) <> time '00:00:00'");
            let refused = format!("({column} is not null and cast({column} as {ty}) is null)");
            Misfits::both(Some(refused), (!*with_time).then_some(cut))
        }
        (Known::Characters(_), Known::Uuid) => {
            Misfits::refused(format!("({column} is not null and cast({column} as uuid) is null)"))
        }
        (_, Known::Words) => words(to)
            .map_or_else(Misfits::default, |words| Misfits::refused(format!("{column} not in ({})", words.join(", ")))),
        (Known::Moment(true, _), Known::Moment(false, _)) => {
            Misfits::changed(format!("time({column}) <> time '00:00:00'"))
        }
        (Known::Moment(true, old), Known::Moment(true, new)) | (Known::Time(old), Known::Time(new)) if new < old => {
            Misfits::changed(format!("microsecond({column}) % {} <> 0", power_of_ten(6 - new)))
        }
        _ => Misfits::default(),
    }
}

/// What a type can hold, as far as it matters here.
enum Known {
    /// Text of so many characters at most.
    Characters(u64),
    /// Bytes, or text that is measured in them, so many at most.
    Bytes(u64),
    Number(Number),
    /// One of some words.
    Words,
    /// Whether there is a time of day in it, and with how many fraction digits.
    Moment(bool, u32),
    Time(u32),
    Uuid,
    Other,
}

#[derive(Clone, Copy)]
enum Number {
    /// The least and the greatest.
    Integer(i128, i128),
    /// Of so many bits.
    Float(u32),
    /// Of so many digits, and so many of them behind the point.
    Decimal(u32, u32),
}

impl Known {
    fn of(ty: &TypeName) -> Self {
        let canonical = ty.canonical();
        if canonical.starts_with("enum(") {
            return Self::Words;
        }
        let (head, rest) = canonical.split_once(['(', ' ']).unwrap_or((canonical, ""));
        let arguments = rest.split(')').next().unwrap_or_default();
        let number = |text: &str| text.trim().parse::<u32>().ok();
        let length = || arguments.trim().parse::<u64>().ok();
        let integer = |bits: u32| match canonical.contains("UNSIGNED") {
            true => Self::Number(Number::Integer(0, (1 << bits) - 1)),
            false => Self::Number(Number::Integer(-(1 << (bits - 1)), (1 << (bits - 1)) - 1)),
        };
        let digits = || if arguments.is_empty() { Some(0) } else { number(arguments) };
        match head {
            "TINYINT" => integer(8),
            "SMALLINT" => integer(16),
            "MEDIUMINT" => integer(24),
            "INT" => integer(32),
            "BIGINT" => integer(64),
            "FLOAT" if arguments.is_empty() => Self::Number(Number::Float(32)),
            "DOUBLE" if arguments.is_empty() => Self::Number(Number::Float(64)),
            "DECIMAL" => match arguments.split_once(',').map(|(all, behind)| (number(all), number(behind))) {
                Some((Some(all), Some(behind))) if behind <= all => Self::Number(Number::Decimal(all, behind)),
                _ => Self::Other,
            },
            "VARCHAR" | "CHAR" => length().map_or(Self::Other, Self::Characters),
            "VARBINARY" => length().map_or(Self::Other, Self::Bytes),
            // MariaDB, "String Data Types": the lengths of these are in bytes.
            "TINYTEXT" | "TINYBLOB" => Self::Bytes(255),
            "TEXT" | "BLOB" => Self::Bytes(65_535),
            "MEDIUMTEXT" | "MEDIUMBLOB" => Self::Bytes(16_777_215),
            "LONGTEXT" | "LONGBLOB" | "JSON" => Self::Bytes(u64::from(u32::MAX)),
            "UUID" => Self::Uuid,
            "DATE" => Self::Moment(false, 0),
            "DATETIME" | "TIMESTAMP" => digits().map_or(Self::Other, |digits| Self::Moment(true, digits)),
            "TIME" => digits().map_or(Self::Other, Self::Time),
            _ => Self::Other,
        }
    }
}

fn numbers(old: Number, new: Number, column: &str) -> Misfits {
    match (old, new) {
        (Number::Integer(least, most), Number::Integer(low, high)) => match low <= least && most <= high {
            true => Misfits::default(),
            false => Misfits::refused(format!("{column} not between {low} and {high}")),
        },
        (_, Number::Integer(low, high)) => {
            let refused = format!("not ({column} > {low} - 0.5 and {column} < {high} + 0.5)");
            let rounds = !matches!(old, Number::Decimal(_, 0));
            Misfits::both(Some(refused), rounds.then(|| format!("{column} <> truncate({column}, 0)")))
        }
        (_, Number::Decimal(all, behind)) => {
            let (old_before, old_behind) = match old {
                Number::Integer(least, most) => (least.abs().max(most).to_string().len(), Some(0)),
                Number::Decimal(all, behind) => ((all - behind) as usize, Some(behind)),
                Number::Float(_) => (usize::MAX, None),
            };
            let before = (all - behind) as usize;
            // The first digit may grow by rounding.
            let fits = old_before < before || (old_before == before && old_behind.is_some_and(|old| old <= behind));
            let refused = format!("abs(round({column}, {behind})) >= {}", power_of_ten(all - behind));
            let rounds = old_behind.is_none_or(|old| old > behind);
            let changed = format!("{column} <> round({column}, {behind})");
            Misfits::both((!fits).then_some(refused), rounds.then_some(changed))
        }
        (Number::Float(64), Number::Float(32)) => Misfits::changed(format!("{column} <> cast({column} as float)")),
        (Number::Integer(_, most), Number::Float(32)) if most >= 1 << 24 => {
            Misfits::changed(format!("abs({column}) > {}", 1 << 24))
        }
        (Number::Integer(_, most), Number::Float(_)) if most >= 1 << 53 => {
            Misfits::changed(format!("abs({column}) > {}", 1_i64 << 53))
        }
        (Number::Decimal(all, _), Number::Float(bits)) if all > if bits == 32 { 6 } else { 15 } => {
            let ty = if bits == 32 { "float" } else { "double" };
            Misfits::changed(format!("cast(cast({column} as {ty}) as char) <> cast({column} as char)"))
        }
        _ => Misfits::default(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::mariadb::types::type_name;

    #[track_caller]
    fn case(from: &str, to: &str, refused: Option<&str>, changed: Option<&str>) {
        let found = misfits(Flavor::Mariadb, &type_name(from), &type_name(to), "c");
        assert_eq!((found.refused.as_deref(), found.changed.as_deref()), (refused, changed), "{from} to {to}");
    }

    #[test]
    fn what_fits_is_not_asked_for() {
        case("int", "bigint", None, None);
        case("int unsigned", "bigint", None, None);
        case("varchar(5)", "varchar(8)", None, None);
        case("decimal(6,2)", "decimal(8,2)", None, None);
        case("int", "decimal(10,0)", None, None);
        case("date", "datetime", None, None);
    }

    #[test]
    fn what_does_not_is_refused_or_changed() {
        case("longtext", "varchar(8)", Some("char_length(c) > 8"), None);
        case("bigint", "int unsigned", Some("c not between 0 and 4294967295"), None);
        case("decimal(6,2)", "decimal(6,1)", None, Some("c <> round(c, 1)"));
        case(
            "decimal(6,2)",
            "int",
            Some("not (c > -2147483648 - 0.5 and c < 2147483647 + 0.5)"),
            Some("c <> truncate(c, 0)"),
        );
        case("datetime(6)", "datetime(3)", None, Some("microsecond(c) % 1000 <> 0"));
        case("datetime(6)", "date", None, Some("time(c) <> time '00:00:00'"));
        case("varchar(9)", "enum('a','b')", Some("c not in ('a', 'b')"), None);
        case("longtext", "text", Some("length(c) > 65535"), None);
    }
}
