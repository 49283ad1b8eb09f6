//! The types of MariaDB and MySQL.

use std::borrow::Cow;

use super::Flavor;
use super::quote::literal;
use crate::physical::TypeName;
use crate::schema::{Schema, Type};
use crate::sql::{Lexer, TokenKind};

/// The type table; nothing for what has no portable type here.
pub(super) fn portable(ty: &Type, schema: &Schema) -> Option<String> {
    // MariaDB 10.11, "Microseconds in MariaDB": without a number there are none, and the language means 6.
    let fraction = |word: &str, digits: Option<u8>| match digits.unwrap_or(6) {
        0 => word.to_owned(),
        digits => format!("{word}({digits})"),
    };
    Some(match ty {
        Type::Bool => "tinyint(1)".into(),
        Type::Int(8) => "tinyint".into(),
        Type::Int(16) => "smallint".into(),
        Type::Int(32) => "int".into(),
        Type::Int(_) => "bigint".into(),
        Type::Float(32) => "float".into(),
        Type::Float(_) => "double".into(),
        Type::Decimal(Some((precision, scale))) => format!("decimal({precision},{scale})"),
        Type::Text(None) => "longtext".into(),
        Type::Text(Some(length)) => format!("varchar({length})"),
        Type::Char(length) => format!("char({length})"),
        Type::Bytes(None) => "longblob".into(),
        Type::Bytes(Some(length)) => format!("varbinary({length})"),
        Type::Date => "date".into(),
        Type::Time(digits) => fraction("time", *digits),
        Type::Datetime(digits) | Type::Instant(digits) => fraction("datetime", *digits),
        Type::Uuid => "char(36)".into(),
        Type::Json => "json".into(),
        Type::Enum(name) => {
            let words = schema.enumeration(name.as_str()).map(|owner| owner.words.as_slice()).unwrap_or_default();
            let words: Vec<_> = words.iter().map(|word| literal(word.as_str())).collect();
            format!("enum({})", words.join(","))
        }
        Type::Decimal(None) | Type::Interval | Type::Array(_) | Type::Native => return None,
    })
}

/// A type by any of its names; two names of one type are equal.
pub(super) fn type_name(text: &str) -> TypeName {
    let text = text.trim();
    let lower = text.to_ascii_lowercase();
    if lower.starts_with("enum(") || lower.starts_with("set(") {
        // Words keep their letter case, and white space between them says nothing.
        let head = if lower.starts_with("enum") { "enum" } else { "set" };
        return TypeName::exact(text, &format!("{head}{}", without_spaces(&text[head.len()..])));
    }
    let plain = TypeName::new(text);
    let canonical = canonical(plain.canonical());
    TypeName::exact(&canonical.to_ascii_lowercase(), &canonical)
}

/// The text without white space outside quotes.
fn without_spaces(text: &str) -> String {
    let mut quoted = false;
    text.chars()
        .filter(|character| {
            if *character == '\'' {
                quoted = !quoted;
            }
            quoted || !character.is_ascii_whitespace()
        })
        .collect()
}

fn canonical(upper: &str) -> String {
    let has_other_name = upper.contains(" VARYING") || upper.starts_with("VARCHARACTER");
    // One of the national character set stays as it is: that is more than a type.
    let other_name = has_other_name.then(|| in_one_word(upper)).filter(|(_, is_national)| !is_national);
    let upper = other_name.map_or(Cow::Borrowed(upper), |(text, _)| text.to_ascii_uppercase().into());
    let (head, rest) = upper.split_at(upper.find(['(', ' ']).unwrap_or(upper.len()));
    let (arguments, behind) = match (rest.starts_with('('), rest.find(')')) {
        (true, Some(end)) => rest.split_at(end + 1),
        _ => ("", rest),
    };
    let behind = behind.trim();
    let behind = if head == "DOUBLE" { behind.strip_prefix("PRECISION").unwrap_or(behind).trim() } else { behind };
    // What is filled with zeros has no sign (MariaDB, "Numeric Data Type Overview", "ZEROFILL").
    let unsigned = format!("UNSIGNED {behind}");
    let behind = if behind == "ZEROFILL" { unsigned.as_str() } else { behind };
    let number = arguments.trim_matches(['(', ')']).parse::<u64>().ok();
    // What the server makes of these (MariaDB, "LONG and LONG VARCHAR", "CHAR BYTE", "BLOB", "FLOAT").
    let (head, arguments, behind) = match (head, number, behind) {
        ("LONG", _, "" | "VARCHAR" | "CHAR" | "CHAR VARYING" | "CHARACTER VARYING" | "VARCHARACTER") => {
            ("MEDIUMTEXT", "", "")
        }
        ("LONG", _, "VARBINARY") => ("MEDIUMBLOB", "", ""),
        ("CHAR" | "CHARACTER", _, "BYTE") => ("BINARY", arguments, ""),
        ("VARCHAR", _, "BYTE") => ("VARBINARY", arguments, ""),
        ("BLOB", Some(bytes), "") => return format!("{}BLOB", size_for(bytes).to_ascii_uppercase()),
        ("FLOAT", Some(0..=24), _) => ("FLOAT", "", behind),
        ("FLOAT", Some(_), _) => ("DOUBLE", "", behind),
        (_, _, "SIGNED") => (head, arguments, ""),
        other => (other.0, arguments, other.2),
    };
    // MariaDB, "Data Types": synonyms.
    let base = match head {
        "INTEGER" | "INT4" => "INT",
        "INT1" => "TINYINT",
        "INT2" => "SMALLINT",
        "INT3" | "MIDDLEINT" => "MEDIUMINT",
        "INT8" => "BIGINT",
        "BOOL" | "BOOLEAN" => return "TINYINT(1)".into(),
        "DEC" | "NUMERIC" | "FIXED" => "DECIMAL",
        "REAL" | "FLOAT8" => "DOUBLE",
        "FLOAT4" => "FLOAT",
        "CHARACTER" => "CHAR",
        // MySQL 8.4, "Spatial Data Types": the one that it stores under the other.
        "GEOMCOLLECTION" => "GEOMETRYCOLLECTION",
        other => other,
    };
    let is_integer = matches!(base, "TINYINT" | "SMALLINT" | "MEDIUMINT" | "INT" | "BIGINT");
    // The width of an integer only says how it is displayed (MariaDB, "INT"), but for what is taken for a truth value.
    let keeps_width = !is_integer || behind.contains("ZEROFILL") || (base == "TINYINT" && arguments == "(1)");
    let arguments = match (base, arguments) {
        ("DECIMAL", "") => "(10,0)".into(),
        ("DECIMAL", one) if !one.contains(',') => one.replace(')', ",0)"),
        ("CHAR" | "BINARY" | "BIT", "") => "(1)".into(),
        // MariaDB, "YEAR Data Type": with two digits it is another type; any other width is four.
        ("YEAR", two) if two != "(2)" => "(4)".into(),
        ("TIME" | "DATETIME" | "TIMESTAMP", "(0)") => String::new(),
        // MySQL 9.7, "The VECTOR Type".
        ("VECTOR", "") => "(2048)".into(),
        (_, "") if is_integer && keeps_width => format!("({})", usual_width(base)),
        (_, other) if keeps_width => other.to_owned(),
        _ => String::new(),
    };
    format!("{base}{arguments} {behind}").trim_end().to_owned()
}

/// How many digits an integer is filled up to with zeros where that is not said (seen on MariaDB 10.11 and MySQL 9.7).
fn usual_width(integer: &str) -> u8 {
    match integer {
        "TINYINT" => 3,
        "SMALLINT" => 5,
        "MEDIUMINT" => 8,
        "INT" => 10,
        _ => 20,
    }
}

/// A type's names of several words in one; whether it is of the national character set, which is `utf8mb3` (MariaDB,
/// "VARCHAR", "NATIONAL"; MySQL 8.4, "The National Character Set").
pub(super) fn in_one_word(text: &str) -> (String, bool) {
    let (head, rest) = text.split_at(text.find('(').unwrap_or(text.len()));
    let words: Vec<String> = head.split_whitespace().map(str::to_ascii_lowercase).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let (is_national, words) = match &words[..] {
        ["national", rest @ ..] => (true, rest.to_vec()),
        ["nchar", rest @ ..] => (true, [&["char"], rest].concat()),
        ["nvarchar", rest @ ..] => (true, [&["varchar"], rest].concat()),
        other => (false, other.to_vec()),
    };
    let name = match &words[..] {
        ["character" | "char", "varying"] | ["varcharacter"] => "varchar",
        ["character"] if is_national => "char",
        [one] if is_national => one,
        _ => return (text.to_owned(), false),
    };
    (format!("{name}{rest}"), is_national)
}

/// The size of a text or blob for so many bytes, as a type's name begins with it (MariaDB, "TEXT", "BLOB").
pub(super) fn size_for(bytes: u64) -> &'static str {
    match bytes {
        0..256 => "tiny",
        256..65_536 => "",
        65_536..16_777_216 => "medium",
        _ => "long",
    }
}

/// What a native type says that the column has to say in another way, and how.
pub(super) fn no_type(flavor: Flavor, native: &str) -> Option<(String, String)> {
    let lower = native.to_ascii_lowercase();
    let words = Lexer::new(native, 0, super::SYNTAX).filter(|token| token.kind == TokenKind::Word);
    let words: Vec<String> = words.map(|word| word.span.text(native).to_ascii_lowercase()).collect();
    let (first, rest) = words.split_first()?;
    let is_set = |word: &String| matches!(word.as_str(), "character" | "charset" | "ascii" | "unicode" | "binary");
    if matches!(first.as_str(), "national" | "nchar" | "nvarchar") || first != "long" && rest.iter().any(is_set) {
        let instead = "say it by its collation: `native \"varchar(20)\" …, collate \"latin1_swedish_ci\" …`";
        return Some((format!("has no character set in the type of a column: {native}"), instead.to_owned()));
    }
    if first == "serial" {
        return Some(("has no type serial".to_owned(), "write `int64, identity`".to_owned()));
    }
    let of_mariadb = match first.as_str() {
        "uuid" => Some("`uuid` without `native`, or `bytes(16)`"),
        "inet4" => Some("`text(15)` or `bytes(4)`"),
        "inet6" => Some("`text(39)` or `bytes(16)`"),
        _ => None,
    };
    if let Some(instead) = of_mariadb.filter(|_| flavor == Flavor::Mysql) {
        return Some((format!("has no type {first}"), format!("write {instead}")));
    }
    if flavor == Flavor::Mysql && rest.first().is_some_and(|word| word == "srid") {
        let (ty, reference) = lower.split_once("srid")?;
        let (ty, reference) = (ty.trim(), reference.trim());
        let instead = format!("say it beside the type: `native \"{ty}\" …, option \"srid {reference}\" …`");
        return Some((format!("has no reference system in the type of a column: {native}"), instead));
    }
    (first == "text" && lower.contains('(')).then(|| {
        let instead = "say which one: `tinytext`, `text`, `mediumtext` or `longtext`";
        (format!("makes another type of {native}, by the character set"), instead.to_owned())
    })
}

/// Whether every value of the one type is the same value in the other.
pub(super) fn is_widening(from: &TypeName, to: &TypeName) -> bool {
    if from == to {
        return true;
    }
    let (old, new) = (from.canonical(), to.canonical());
    // More words behind the others.
    if let (Some(old), Some(new)) = (old.strip_suffix(')'), new.strip_suffix(')'))
        && (old.starts_with("enum(") || old.starts_with("set("))
        && new.starts_with(&format!("{old},"))
    {
        return true;
    }
    const GROWING: [&[&str]; 4] = [
        &["TINYINT", "SMALLINT", "MEDIUMINT", "INT", "BIGINT"],
        &["TINYINT UNSIGNED", "SMALLINT UNSIGNED", "MEDIUMINT UNSIGNED", "INT UNSIGNED", "BIGINT UNSIGNED"],
        &["TINYTEXT", "TEXT", "MEDIUMTEXT", "LONGTEXT"],
        &["TINYBLOB", "BLOB", "MEDIUMBLOB", "LONGBLOB"],
    ];
    let grows = |names: &&[&str]| {
        let rank = |name: &str| names.iter().position(|one| *one == name);
        rank(old).zip(rank(new)).is_some_and(|(old, new)| old < new)
    };
    let arguments = |name: &str, head: &str| -> Option<Vec<u64>> {
        let list = name.strip_prefix(head)?.strip_prefix('(')?.strip_suffix(')')?;
        list.split(',').map(|one| one.trim().parse().ok()).collect()
    };
    let lengthens = |head: &str| match (arguments(old, head).as_deref(), arguments(new, head).as_deref()) {
        (Some([old]), Some([new])) => old <= new,
        (Some([old, scale]), Some([new, same])) => old <= new && scale == same,
        _ => false,
    };
    GROWING.iter().any(grows)
        || ["VARCHAR", "CHAR", "VARBINARY", "DECIMAL"].into_iter().any(lengthens)
        || (arguments(old, "VARCHAR").is_some() && new == "LONGTEXT")
        || (old, new) == ("FLOAT", "DOUBLE")
}

/// How many bytes of a key a column of the type takes at most; nothing where it is unbounded.
///
/// InnoDB, "Limits"; MariaDB, "Data Type Storage Requirements". A character takes up to so many bytes.
pub(super) fn key_bytes(ty: &TypeName, per_character: u64) -> Option<u64> {
    let canonical = ty.canonical();
    let (head, rest) = canonical.split_once('(').unwrap_or((canonical, ""));
    let arguments: Vec<&str> = rest.split(')').next().unwrap_or_default().split(',').collect();
    let number = |at: usize| arguments.get(at).and_then(|digits| digits.trim().parse::<u64>().ok());
    // MariaDB, "DATETIME": two digits of a second's fraction take a byte.
    let fraction = number(0).unwrap_or_default().div_ceil(2);
    let words = u64::try_from(arguments.len()).unwrap_or(u64::MAX);
    Some(match head.split(' ').next().unwrap_or_default() {
        "VARCHAR" | "CHAR" => per_character * number(0)?,
        "VARBINARY" | "BINARY" => number(0)?,
        "LONGTEXT" | "MEDIUMTEXT" | "TEXT" | "TINYTEXT" | "LONGBLOB" | "MEDIUMBLOB" | "BLOB" | "TINYBLOB" | "JSON" => {
            return None;
        }
        "TINYINT" | "YEAR" => 1,
        "SMALLINT" => 2,
        "MEDIUMINT" | "DATE" => 3,
        "INT" | "FLOAT" | "INET4" => 4,
        "TIME" => 3 + fraction,
        "TIMESTAMP" => 4 + fraction,
        "DATETIME" => 5 + fraction,
        // MariaDB, "DECIMAL": nine digits take four bytes, on each side of the point.
        "DECIMAL" => {
            let digits = |count: u64| count / 9 * 4 + (count % 9).div_ceil(2);
            let scale = number(1).unwrap_or_default();
            digits(number(0)?.saturating_sub(scale)) + digits(scale)
        }
        "BIT" => number(0)?.div_ceil(8),
        "enum" => 1 + u64::from(words > 255),
        "set" => Some(words.div_ceil(8)).filter(|bytes| *bytes < 5).unwrap_or(8),
        "UUID" | "INET6" => 16,
        _ => 8,
    })
}

/// Whether it holds numbers.
pub(super) fn is_number(ty: &TypeName) -> bool {
    let head = ty.canonical().split([' ', '(']).next().unwrap_or_default();
    head.ends_with("INT") && head != "POINT" || matches!(head, "DECIMAL" | "FLOAT" | "DOUBLE")
}

/// Whether it holds characters, and so has a collation.
pub(super) fn is_text(ty: &TypeName) -> bool {
    let canonical = ty.canonical().to_ascii_uppercase();
    ["CHAR", "TEXT", "ENUM", "SET"]
        .iter()
        .any(|word| canonical.split([' ', '(']).next().is_some_and(|head| head.ends_with(word)))
}

/// Whether it holds shapes, which a key takes as bytes (MariaDB, "Geometry Types"; the first bytes of one as of a blob:
/// seen on MariaDB 10.11).
pub(super) fn is_spatial(ty: &TypeName) -> bool {
    let canonical = ty.canonical().to_ascii_lowercase();
    ["geometry", "point", "linestring", "polygon", "geometrycollection", "geomcollection"]
        .iter()
        .any(|word| canonical == *word || canonical.strip_prefix("multi") == Some(word))
}

/// Whether it holds bytes of some number.
pub(super) fn is_binary(ty: &TypeName) -> bool {
    let head = ty.canonical().split([' ', '(']).next().unwrap_or_default();
    head.ends_with("BLOB") || head.ends_with("BINARY")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_type_has_many_names() {
        #[track_caller]
        fn same(written: &str, stored: &str) {
            assert_eq!(type_name(written), type_name(stored), "{written}, {stored}");
        }
        same("bigint", "bigint(20)");
        same("int unsigned", "int(10) unsigned");
        same("int(5) zerofill", "int(5) unsigned zerofill");
        same("int zerofill", "int(10) unsigned zerofill");
        same("mediumint unsigned zerofill", "mediumint(8) unsigned zerofill");
        same("double precision unsigned", "double unsigned");
        same("vector", "vector(2048)");
        same("geometrycollection", "geomcollection");
        same("double precision", "double");
        same("bool", "tinyint(1)");
        same("decimal(6, 2)", "decimal(6,2)");
        same("numeric", "decimal(10,0)");
        same("year", "year(4)");
        same("int signed", "int");
        same("varcharacter(5)", "varchar(5)");
        same("character varying (5)", "varchar(5)");
        same("char(5) byte", "binary(5)");
        same("long", "mediumtext");
        same("long varchar", "mediumtext");
        same("long varbinary", "mediumblob");
        same("float(24)", "float");
        same("float(25)", "double");
        same("float(7,3)", "float(7,3)");
        same("blob(255)", "tinyblob");
        same("blob(256)", "blob");
        same("blob(65536)", "mediumblob");
        assert_ne!(type_name("year"), type_name("year(2)"));
        same("enum('a', 'b')", "enum('a','b')");
        assert_ne!(type_name("enum('a')"), type_name("enum('A')"));
        assert_ne!(type_name("tinyint"), type_name("tinyint(1)"));
        assert_eq!(type_name("BIGINT(20)").text(), "bigint");
    }

    #[test]
    fn widenings_lose_nothing() {
        #[track_caller]
        fn case(from: &str, to: &str, expected: bool) {
            assert_eq!(is_widening(&type_name(from), &type_name(to)), expected, "{from} to {to}");
        }
        case("smallint", "bigint(20)", true);
        case("int unsigned", "bigint unsigned", true);
        case("int unsigned", "bigint", false);
        case("int", "int unsigned", false);
        case("varchar(5)", "varchar(6)", true);
        case("varchar(5)", "mediumtext", false);
        case("char(5)", "char(6)", true);
        case("text", "longtext", true);
        case("longblob", "blob", false);
        case("decimal(6,2)", "decimal(8,2)", true);
        case("decimal(6,2)", "decimal(8,3)", false);
        case("enum('a')", "enum('a','b')", true);
        case("set('a','b')", "set('a')", false);
        case("set('a')", "set('a','b')", true);
    }

    #[test]
    fn numbers_are_told_from_words() {
        for ty in ["bigint unsigned", "integer", "tinyint(1)", "bool", "numeric(8,2)", "real", "double precision"] {
            assert!(is_number(&type_name(ty)), "{ty}");
        }
        for ty in ["enum('0','1')", "set('1')", "point", "varchar(10)", "date", "bit(1)"] {
            assert!(!is_number(&type_name(ty)), "{ty}");
        }
    }

    #[test]
    fn keys_take_bytes() {
        #[track_caller]
        fn case(ty: &str, expected: Option<u64>) {
            assert_eq!(key_bytes(&type_name(ty), 4), expected, "{ty}");
        }
        case("varchar(200)", Some(800));
        case("varbinary(16)", Some(16));
        case("longtext", None);
        // As InnoDB of MariaDB 10.11 adds them up.
        case("bigint", Some(8));
        case("int unsigned", Some(4));
        case("tinyint(1)", Some(1));
        case("decimal(6,2)", Some(3));
        case("decimal(10,2)", Some(5));
        case("decimal(30,10)", Some(14));
        case("datetime", Some(5));
        case("datetime(6)", Some(8));
        case("time(3)", Some(5));
        case("bit(9)", Some(2));
        case("enum('a','b')", Some(1));
        case("set('a','b','c','d','e','f','g','h','i')", Some(2));
    }
}
