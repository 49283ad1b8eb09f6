//! Types, defaults and collations in the words that the catalogue has for what a file says.

use super::text_of;
use crate::dialect::mariadb::catalogue::ColumnRow;
use crate::dialect::mariadb::lower::widest_character;
use crate::dialect::mariadb::quote::literal;
use crate::dialect::mariadb::types::{is_number, is_text, size_for, type_name};
use crate::dialect::mariadb::{Flavor, SYNTAX};
use crate::sql::{Cursor, Expression};

/// By which collation the texts of a character set are sorted where none is said.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum UsualCollations {
    /// MySQL 8.4, "Supported Character Sets and Collations".
    Mysql,
    /// MariaDB 10.11, "Supported Character Sets and Collations".
    General,
    /// MariaDB from 11.5 on: those of Unicode have another one (MariaDB, "Server System Variables",
    /// `character_set_collations`).
    Uca1400,
}

impl UsualCollations {
    /// Those of a server that is of this version at least.
    pub(super) fn of(flavor: Flavor, least: &[u32]) -> Self {
        match flavor {
            Flavor::Mysql => Self::Mysql,
            Flavor::Mariadb if least >= [11, 5].as_slice() => Self::Uca1400,
            Flavor::Mariadb => Self::General,
        }
    }

    /// The collation of a character set.
    pub(super) fn of_set(self, set: &str) -> String {
        let lower = set.to_ascii_lowercase();
        let set = if lower == "utf8" { "utf8mb3" } else { &lower };
        match (set, self) {
            ("utf8mb4", Self::Mysql) => "utf8mb4_0900_ai_ci".into(),
            ("utf8mb3" | "utf8mb4" | "ucs2" | "utf16" | "utf32", Self::Uca1400) => format!("{set}_uca1400_ai_ci"),
            ("latin1", _) => "latin1_swedish_ci".into(),
            ("binary", _) => "binary".into(),
            (other, _) => format!("{other}_general_ci"),
        }
    }
}

/// A collation by the name that the servers tell it by: `utf8` is `utf8mb3` to them (MariaDB 10.6, "Unicode").
pub(super) fn known_collation(name: &str) -> String {
    let lower = name.to_ascii_lowercase();
    lower.strip_prefix("utf8_").map_or(lower.clone(), |rest| format!("utf8mb3_{rest}"))
}

/// An expression with its texts as the server writes them: `'a\_%'` has a backslash in it, and becomes `'a\\_%'`.
pub fn in_own_literals(expression: &str) -> String {
    let own = |text: &str| Cursor::new(text, SYNTAX).text().map(|value| literal(&value));
    Expression::read(expression, SYNTAX).respelled(|_| None, own)
}

/// Gives a column the type that the server makes of what is written (MariaDB, "Data Types", "TEXT", "BLOB", "National
/// Character Set"; MySQL 8.4, "The binary Collation").
pub(super) fn settle_type(row: &mut ColumnRow, of_table: &str, usual: UsualCollations) {
    let lower = row.ty.to_ascii_lowercase();
    let (head, rest) = lower.split_at(lower.find(['(', ' ']).unwrap_or(lower.len()));
    if let Some(plain) = ["nchar", "nvarchar"].into_iter().find(|one| *one == head).map(|one| &one[1..]) {
        row.ty = format!("{plain}{rest}");
        row.collation = Some(usual.of_set("utf8mb3"));
        return;
    }
    // MariaDB, "Data Types", "CHAR": short words for two sets.
    for (word, set) in [(" ascii", "latin1"), (" unicode", "ucs2")] {
        if lower.ends_with(word) {
            row.ty.truncate(row.ty.len() - word.len());
            row.collation = Some(usual.of_set(set));
            return;
        }
    }
    let is_bytes = row.collation.as_deref() == Some("binary") || rest.ends_with(" byte");
    let arguments = rest.trim_end_matches(" byte");
    match head {
        "char" | "varchar" if is_bytes => row.ty = format!("{}binary{arguments}", &head[..head.len() - 4]),
        "text" | "blob" if arguments.starts_with('(') => {
            let width = match head {
                "blob" => 1,
                _ => widest_character(row.collation.as_deref().unwrap_or(of_table)),
            };
            let length = arguments.trim_matches(['(', ')']).trim().parse::<u64>().unwrap_or_default() * width;
            row.ty = format!("{}{}", size_for(length), if is_bytes { "blob" } else { head });
        }
        "tinytext" | "text" | "mediumtext" | "longtext" if is_bytes => row.ty = head.replace("text", "blob"),
        _ => return,
    }
    row.collation.take_if(|_| is_bytes);
}

/// The words for the present moment, as the server keeps them.
pub(super) fn as_stored(text: &str) -> String {
    let lower = text.trim().to_ascii_lowercase();
    let (head, arguments) = match lower.split_once('(') {
        Some((head, rest)) => (head.trim().to_owned(), rest.trim_end_matches(')').trim().to_owned()),
        None => (lower.clone(), String::new()),
    };
    let arguments = if arguments == "0" { String::new() } else { arguments };
    match head.as_str() {
        "current_timestamp" | "now" | "localtime" | "localtimestamp" => format!("current_timestamp({arguments})"),
        "current_date" | "curdate" => "curdate()".into(),
        _ => text.trim().to_owned(),
    }
}

/// The bytes of a literal in hexadecimal digits (MariaDB, "Hexadecimal Literals").
fn bytes_of(text: &str) -> Option<Vec<u8>> {
    let quoted = text.strip_prefix(['x', 'X']).and_then(|rest| rest.strip_prefix('\'')?.strip_suffix('\''));
    let digits = quoted.or_else(|| text.strip_prefix("0x"))?;
    let pairs = (0..digits.len()).step_by(2);
    pairs.map(|at| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok()).collect()
}

/// Whether a default is a value, and no expression, which a value in parentheses is (MySQL 8.4, "Data Type Default Values").
pub(super) fn is_value(text: &str) -> bool {
    let text = text.trim();
    let is_one = Expression::read(text, SYNTAX).is_literal() || text.starts_with('"') || bytes_of(text).is_some();
    is_one && !text.starts_with('(')
}

/// What stands in parentheses around all of it, or the text itself.
pub(super) fn in_parentheses_no_more(text: &str) -> &str {
    let mut cursor = Cursor::new(text, SYNTAX);
    let within = if cursor.is("(") { cursor.parenthesised() } else { None };
    within.filter(|_| cursor.is_at_end()).map_or(text, str::trim)
}

/// A default as `information_schema` gives it.
pub(super) fn stored_default(flavor: Flavor, text: &str, ty: &str) -> Option<String> {
    let text = text.trim();
    if text.eq_ignore_ascii_case("null") {
        return None;
    }
    let mut cursor = Cursor::new(text, SYNTAX);
    let begins = text.starts_with(['\'', '"']);
    let quoted = text_of(&mut cursor).filter(|_| begins && cursor.is_at_end());
    let named = type_name(ty);
    let is_number = !is_text(&named) && quoted.is_none() || is_number(&named);
    if let Some(value) = quoted {
        return Some(match flavor {
            _ if is_number && value.parse::<f64>().is_ok() => value,
            Flavor::Mariadb => literal(&value),
            Flavor::Mysql => value,
        });
    }
    if let Some(bytes) = bytes_of(text).filter(|_| !is_number) {
        return Some(match (String::from_utf8(bytes), flavor) {
            (Ok(value), Flavor::Mariadb) => literal(&value),
            _ => text.to_ascii_lowercase(),
        });
    }
    if text.eq_ignore_ascii_case("true") || text.eq_ignore_ascii_case("false") {
        return Some(if text.eq_ignore_ascii_case("true") { "1" } else { "0" }.into());
    }
    // What a text is to begin with is computed first.
    let is_whole = flavor == Flavor::Mysql && !is_number && text.bytes().all(|one| one.is_ascii_digit());
    match text.trim_start_matches('0') {
        "" if is_whole => Some("0".into()),
        digits if is_whole => Some(digits.to_owned()),
        _ => Some(as_stored(text)),
    }
}

/// What ends the name of a character set's binary collation; alone, that of the table's character set.
pub(super) const BINARY: &str = "_bin";

/// Gives a text column what it takes over from its table.
pub(super) fn follow_collation(column: &mut ColumnRow, of_table: &str) {
    if column.collation.as_deref() == Some(BINARY) {
        let set = of_table.split('_').next().unwrap_or_default();
        column.collation = Some(format!("{set}{BINARY}"));
    } else if column.collation.is_none() && is_text(&type_name(&column.ty)) {
        column.collation = Some(of_table.to_owned());
    }
}

/// A type with its parenthesis behind its name, and without the spaces between enum words.
pub(super) fn plain_type(text: &str) -> String {
    let Some((head, rest)) = text.split_once('(') else { return text.to_owned() };
    let head = head.trim_end();
    if !["enum", "set"].iter().any(|word| head.eq_ignore_ascii_case(word)) {
        return format!("{head}({rest}");
    }
    let mut cursor = Cursor::new(text, SYNTAX);
    cursor.skip();
    let mut words = Cursor::new(cursor.parenthesised().unwrap_or_default(), SYNTAX);
    let mut said = Vec::new();
    while !words.is_at_end() {
        said.extend(text_of(&mut words).map(|word| literal(&word)));
        if !words.eat(",") {
            break;
        }
    }
    // What is no list of words stays as it is written.
    if !words.is_at_end() {
        return text.to_owned();
    }
    format!("{head}({}){}", said.join(","), cursor.rest())
}

pub(super) fn add_extra(extra: &mut String, word: &str) {
    if !extra.is_empty() {
        extra.push_str(", ");
    }
    extra.push_str(word);
}
