//! PostgreSQL's types.

use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::HashMap;

use crate::physical::TypeName;
use crate::schema::Type;

use super::lower::object;
use super::quote::quote_object;

/// PostgreSQL 17, "Character Types": the longest `varchar(n)`.
pub(super) const LONGEST_TEXT: u32 = 10_485_760;

/// The type table; nothing for what has no portable type here.
pub(super) fn portable(ty: &Type) -> Option<String> {
    let fraction = |word: &str, digits: Option<u8>| match digits {
        // PostgreSQL 17, "Date/Time Types": all 6 digits are kept without a precision, too, but the catalogue tells the two apart.
        None => word.to_owned(),
        Some(digits) => format!("{word}({digits})"),
    };
    Some(match ty {
        Type::Bool => "boolean".into(),
        Type::Int(8 | 16) => "smallint".into(),
        Type::Int(32) => "integer".into(),
        Type::Int(_) => "bigint".into(),
        Type::Float(32) => "real".into(),
        Type::Float(_) => "double precision".into(),
        Type::Decimal(None) => "numeric".into(),
        Type::Decimal(Some((precision, scale))) => format!("numeric({precision}, {scale})"),
        Type::Text(None) => "text".into(),
        Type::Text(Some(length)) => format!("varchar({length})"),
        Type::Char(length) => format!("char({length})"),
        Type::Bytes(_) => "bytea".into(),
        Type::Date => "date".into(),
        Type::Time(digits) => fraction("time", *digits),
        Type::Datetime(digits) => fraction("timestamp", *digits),
        Type::Instant(digits) => fraction("timestamptz", *digits),
        Type::Interval => "interval".into(),
        Type::Uuid => "uuid".into(),
        Type::Json => "jsonb".into(),
        Type::Enum(name) => quote_object(&object(name)),
        Type::Array(element) => format!("{}[]", portable(element)?),
        Type::Native => return None,
    })
}

thread_local! {
    /// Types by the names that they were asked for by: a large schema has few, in very many columns.
    static KNOWN: RefCell<HashMap<String, TypeName>> = RefCell::default();
}

/// A type by any of its names; two names of one type are equal.
pub(super) fn type_name(text: &str) -> TypeName {
    KNOWN.with_borrow_mut(|known| match known.get(text) {
        Some(ty) => ty.clone(),
        None => {
            let plain = TypeName::new(text);
            let canonical = canonical(plain.canonical());
            let ty = TypeName::aliased(&short(text, &canonical), &canonical);
            known.insert(text.to_owned(), ty.clone());
            ty
        }
    })
}

/// A type as the catalogue writes it (PostgreSQL, "Data Types", the aliases; `format_type`).
pub(super) fn full_name(text: &str) -> String {
    // One in quotes is none of the server's.
    match text.contains('"') {
        true => text.to_owned(),
        false => type_name(text).canonical().to_ascii_lowercase(),
    }
}

/// The type that the catalogue names in its long way, as people write it.
fn short(text: &str, canonical: &str) -> String {
    let (base, rest) = split(canonical);
    let brief = match base.as_str() {
        "CHARACTER VARYING" => "varchar",
        "CHARACTER" => "char",
        "TIMESTAMP WITHOUT TIME ZONE" => "timestamp",
        "TIMESTAMP WITH TIME ZONE" => "timestamptz",
        "TIME WITHOUT TIME ZONE" => "time",
        "TIME WITH TIME ZONE" => "timetz",
        _ => return text.to_owned(),
    };
    format!("{brief}{}", rest.to_ascii_lowercase())
}

/// The name without its arguments, and the arguments with array brackets: `TIME(3) WITH TIME ZONE[]` has the base
/// `TIME WITH TIME ZONE` and the rest `(3)[]`.
pub(super) fn split(canonical: &str) -> (String, String) {
    let (body, brackets) = match canonical.find('[') {
        Some(at) if !canonical.starts_with('"') => canonical.split_at(at),
        _ => (canonical, ""),
    };
    let Some((head, tail)) = body.split_once('(') else { return (body.trim().to_owned(), brackets.replace(' ', "")) };
    let (arguments, behind) = tail.split_once(')').unwrap_or((tail, ""));
    let base = format!("{} {}", head.trim(), behind.trim());
    (base.trim().to_owned(), format!("({}){}", arguments.trim(), brackets.replace(' ', "")))
}

/// Types whose arrays people write by the server's own name.
#[rustfmt::skip]
const ARRAYS: [&str; 33] = [
    "BIT", "BOOL", "BYTEA", "CIDR", "DATE", "DATERANGE", "FLOAT4", "FLOAT8", "INET", "INT2", "INT4", "INT4RANGE", "INT8",
    "INT8RANGE", "INTERVAL", "JSON", "JSONB", "MACADDR", "MONEY", "NAME", "NUMERIC", "NUMRANGE", "OID", "POINT", "TEXT", "TIME",
    "TIMESTAMP", "TIMESTAMPTZ", "TIMETZ", "TSTZRANGE", "UUID", "VARCHAR", "XML",
];

/// The one name of a type, as the catalogue's `format_type` gives it, in upper case.
fn canonical(upper: &str) -> String {
    if upper.starts_with('"') {
        return upper.to_owned();
    }
    let upper = upper.strip_prefix("PG_CATALOG.").unwrap_or(upper);
    let (base, rest) = split(&one_array(upper));
    if base == "FLOAT" && rest.starts_with('(') {
        // PostgreSQL 17, "Floating-Point Types": up to 24 binary digits are a real.
        let (digits, brackets) = rest[1..].split_once(')').unwrap_or_default();
        let is_short = digits.parse::<u32>().is_ok_and(|digits| digits <= 24);
        return format!("{}{brackets}", if is_short { "REAL" } else { "DOUBLE PRECISION" });
    }
    // An array by the server's own name (PostgreSQL 17, "CREATE TYPE", "Array Types").
    if let Some(element) = base.strip_prefix('_').filter(|element| ARRAYS.contains(element)) {
        return canonical(&format!("{element}{rest}[]"));
    }
    // PostgreSQL 17, "Data Types", table "Data Types", column "Aliases".
    let base = match base.as_str() {
        "INT2" => "SMALLINT",
        "INT" | "INT4" => "INTEGER",
        "INT8" => "BIGINT",
        "FLOAT4" => "REAL",
        "FLOAT" | "FLOAT8" => "DOUBLE PRECISION",
        "DECIMAL" | "DEC" => "NUMERIC",
        "BOOL" => "BOOLEAN",
        "VARCHAR" | "CHAR VARYING" => "CHARACTER VARYING",
        "NATIONAL CHARACTER VARYING" | "NATIONAL CHAR VARYING" | "NCHAR VARYING" => "CHARACTER VARYING",
        "CHAR" | "NATIONAL CHARACTER" | "NATIONAL CHAR" | "NCHAR" => "CHARACTER",
        "BPCHAR" if !rest.is_empty() => "CHARACTER",
        "TIMESTAMP" => "TIMESTAMP WITHOUT TIME ZONE",
        "TIMESTAMPTZ" => "TIMESTAMP WITH TIME ZONE",
        "TIME" => "TIME WITHOUT TIME ZONE",
        "TIMETZ" => "TIME WITH TIME ZONE",
        "VARBIT" => "BIT VARYING",
        other => other,
    };
    let (arguments, brackets) = match rest.find(')') {
        Some(end) => rest.split_at(end + 1),
        None => ("", rest.as_str()),
    };
    let arguments = match (base, arguments) {
        // PostgreSQL 17, "Arbitrary Precision Numbers": a scale that is not given is 0.
        ("NUMERIC", one) if !one.is_empty() && !one.contains(',') => one.replace(')', ",0)"),
        ("CHARACTER" | "BIT", "") => "(1)".into(),
        (_, other) => other.to_owned(),
    };
    format!("{base}{arguments}{brackets}")
}

/// Neither how many dimensions an array has nor their sizes are kept (PostgreSQL 17, "Arrays", "Declaration of Array Types").
fn one_array(upper: &str) -> Cow<'_, str> {
    let (element, dimensions) = upper.split_at(upper.find('[').unwrap_or(upper.len()));
    let element = element.trim_end();
    match element.strip_suffix(" ARRAY") {
        Some(element) => format!("{}[]", element.trim_end()).into(),
        None if dimensions.is_empty() || dimensions == "[]" => upper.into(),
        None => format!("{element}[]").into(),
    }
}

/// What a native type says that the column has to say in another way, and how.
pub(super) fn no_type(native: &str) -> Option<(String, String)> {
    let lower = native.trim().to_ascii_lowercase();
    // PostgreSQL 17, "Serial Types": a notation, and no type.
    let portable = match lower.as_str() {
        "smallserial" | "serial2" => "int16",
        "serial" | "serial4" => "int32",
        "bigserial" | "serial8" => "int64",
        _ => return None,
    };
    Some((format!("has no type {lower}"), format!("write `{portable}, identity`")))
}

/// The kinds of types between which PostgreSQL casts by itself.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Family {
    Number,
    Text,
    Moment,
    Other,
}

/// The family of a type; an array is of none.
pub(super) fn family(ty: &TypeName) -> Family {
    let (base, rest) = split(ty.canonical());
    if rest.ends_with(']') {
        return Family::Other;
    }
    match base.as_str() {
        "SMALLINT" | "INTEGER" | "BIGINT" | "REAL" | "DOUBLE PRECISION" | "NUMERIC" => Family::Number,
        "TEXT" | "CHARACTER VARYING" | "CHARACTER" => Family::Text,
        "DATE" | "TIMESTAMP WITHOUT TIME ZONE" | "TIMESTAMP WITH TIME ZONE" => Family::Moment,
        _ => Family::Other,
    }
}

/// Whether a type is one of the server's own that have no collation (PostgreSQL 17, "Collation Support": those with a
/// `typcollation` of 0 in `pg_type`), or an array of one. An enum or a domain is not looked into.
pub(super) fn lacks_collation(ty: &TypeName) -> bool {
    const RANGES: [&str; 6] = ["DATE", "INT4", "INT8", "NUM", "TS", "TSTZ"];
    #[rustfmt::skip]
    const OTHERS: [&str; 33] = [
        "BIGINT", "BIT", "BIT VARYING", "BOOLEAN", "BOX", "BYTEA", "CIDR", "CIRCLE", "DATE", "DOUBLE PRECISION", "INET",
        "INTEGER", "INTERVAL", "JSON", "JSONB", "JSONPATH", "LINE", "LSEG", "MACADDR", "MACADDR8", "MONEY", "NUMERIC",
        "OID", "PATH", "PG_LSN", "POINT", "POLYGON", "REAL", "SMALLINT", "TSQUERY", "TSVECTOR", "UUID", "XML",
    ];
    let (base, _) = split(ty.canonical());
    let range = base.strip_suffix("RANGE").map(|of| of.strip_suffix("MULTI").unwrap_or(of));
    range.is_some_and(|of| RANGES.contains(&of)) || OTHERS.contains(&&*base) || base.starts_with("TIME")
}

/// Whether every value of the one type is the same value in the other.
pub(super) fn is_widening(from: &TypeName, to: &TypeName) -> bool {
    if from == to {
        return true;
    }
    let ((old, old_rest), (new, new_rest)) = (split(from.canonical()), split(to.canonical()));
    let length = |rest: &str| rest.trim_matches(['(', ')']).parse::<u64>().ok();
    let rank = |base: &str| ["SMALLINT", "INTEGER", "BIGINT", "NUMERIC"].iter().position(|one| *one == base);
    match (old.as_str(), new.as_str()) {
        ("CHARACTER VARYING", "TEXT") => new_rest.is_empty() && !old_rest.ends_with(']'),
        ("CHARACTER VARYING", "CHARACTER VARYING") => match (length(&old_rest), length(&new_rest)) {
            (Some(old), Some(new)) => new >= old,
            (_, None) => new_rest.is_empty(),
            (None, Some(_)) => false,
        },
        ("NUMERIC", "NUMERIC") => keeps_scale(&old_rest, &new_rest),
        // PostgreSQL 17, "Date/Time Types": six digits are what it has without a number.
        (old, new) if old == new && (old.starts_with("TIME") || old == "INTERVAL") => {
            let digits = |rest: &str| if rest.is_empty() { Some(6) } else { length(rest) };
            digits(&old_rest).zip(digits(&new_rest)).is_some_and(|(old, new)| old <= new)
        }
        ("REAL", "DOUBLE PRECISION") => old_rest.is_empty() && new_rest.is_empty(),
        (old, new) => {
            let plain = old_rest.is_empty() && new_rest.is_empty();
            plain && rank(old).zip(rank(new)).is_some_and(|(old, new)| old < new)
        }
    }
}

/// Whether the arguments of a numeric leave room for all of another's, with as many digits behind the point.
fn keeps_scale(old: &str, new: &str) -> bool {
    let parts = |rest: &str| {
        let (all, behind) = rest.strip_prefix('(')?.strip_suffix(')')?.split_once(',')?;
        Some((all.trim().parse::<u32>().ok()?, behind.trim().parse::<i32>().ok()?))
    };
    match (parts(old), parts(new)) {
        (Some((old, scale)), Some((new, same))) => old <= new && scale == same,
        (Some(_), None) => new.is_empty(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_type_has_many_names() {
        #[track_caller]
        fn same(written: &str, stored: &str) {
            assert_eq!(type_name(written).canonical(), type_name(stored).canonical(), "{written}, {stored}");
        }
        same("int4", "integer");
        same("varchar(12)", "character varying(12)");
        same("numeric(6, 2)", "numeric(6,2)");
        same("decimal(6)", "numeric(6,0)");
        same("timestamptz(6)", "timestamp(6) with time zone");
        same("timestamptz(3)", "timestamp(3) with time zone");
        same("time(3)", "time(3) without time zone");
        same("char", "character(1)");
        same("int[]", "integer[]");
        same("_int4", "integer[]");
        same("timestamp(3)[]", "timestamp(3) without time zone[]");
        same("int[3]", "integer[]");
        same("text[][]", "text[]");
        same("numeric(5, 2) array", "numeric(5,2)[]");
        same("int array[4]", "integer[]");
        same("_date", "date[]");
        same("pg_catalog.int4", "integer");
        same("national character varying (5)", "varchar(5)");
        same("nchar(5)", "character(5)");
        same("\"Kind\"", "\"Kind\"");
    }

    #[test]
    fn types_are_shown_as_people_write_them() {
        #[track_caller]
        fn case(stored: &str, expected: &str) {
            assert_eq!(type_name(stored).text(), expected);
        }
        case("character varying(12)", "varchar(12)");
        case("timestamp(3) with time zone", "timestamptz(3)");
        case("timestamp without time zone", "timestamp");
        case("bigint", "bigint");
    }

    #[test]
    fn widenings_lose_nothing() {
        #[track_caller]
        fn case(from: &str, to: &str, expected: bool) {
            assert_eq!(is_widening(&type_name(from), &type_name(to)), expected, "{from} to {to}");
        }
        case("numeric(6, 2)", "numeric(8, 2)", true);
        case("numeric(6, 2)", "numeric", true);
        case("numeric(6, 2)", "numeric(8, 3)", false);
        case("numeric", "numeric(6, 2)", false);
        case("timestamp(3)", "timestamp", true);
        case("timestamptz", "timestamptz(6)", true);
        case("timestamp", "timestamp(3)", false);
        case("timestamp", "timestamptz", false);
        case("smallint", "bigint", true);
        case("bigint", "integer", false);
        case("integer", "numeric", true);
        case("integer", "numeric(3,0)", false);
        case("varchar(5)", "varchar(6)", true);
        case("varchar(6)", "varchar(5)", false);
        case("varchar(6)", "text", true);
        case("text", "varchar(6)", false);
        case("varchar", "varchar(6)", false);
    }
}
