//! Forms whose SQL follows from their words: `extension NAME`, `sequence NAME from 1 by 1`.
//!
//! They mean an `object` with the SQL that is made here, and an object with just that SQL is written as the short form.

use crate::schema::Identifier;

/// What makes and what drops an extension.
pub(super) fn extension(name: &Identifier) -> (String, String) {
    let name = name.declared();
    (format!("create extension {name}"), format!("drop extension {name}"))
}

/// What makes and what drops a namespace.
pub(super) fn namespace(name: &Identifier) -> (String, String) {
    let name = name.declared();
    (format!("create schema {name}"), format!("drop schema {name}"))
}

/// What makes and what drops a sequence.
pub(super) fn sequence(name: &Identifier, from: Option<i64>, by: Option<i64>) -> (String, String) {
    let mut sql = format!("create sequence {}", name.declared());
    if let Some(by) = by {
        sql.push_str(&format!(" increment by {by}"));
    }
    match from {
        // Where the numbers end follows from where they begin, beyond what is usual (PostgreSQL 17 and MariaDB 10.11,
        // "CREATE SEQUENCE"): up from 1, down from -1.
        Some(from) if by.unwrap_or(1) > 0 && from < 1 => sql.push_str(&format!(" minvalue {from}")),
        Some(from) if by.is_some_and(|by| by < 0) && from > -1 => sql.push_str(&format!(" maxvalue {from}")),
        Some(from) => sql.push_str(&format!(" start with {from}")),
        None => {}
    }
    (sql, format!("drop sequence {}", name.declared()))
}

/// What stands behind the name in the short form of an object, if it has one.
pub(super) fn shortened(word: &str, name: &Identifier, body: &str, drop: Option<&str>) -> Option<String> {
    match word {
        "extension" => {
            let (create, dropping) = extension(name);
            (body == create && drop == Some(&*dropping)).then(String::new)
        }
        "namespace" => {
            let (create, dropping) = namespace(name);
            (body == create && drop == Some(&*dropping)).then(String::new)
        }
        "sequence" => {
            let rest = body.strip_prefix(&format!("create sequence {}", name.declared()))?;
            let (by, rest) = number_behind(rest, " increment by ");
            let edge = [" start with ", " minvalue ", " maxvalue "].into_iter().find(|words| rest.starts_with(words));
            let (from, rest) = number_behind(rest, edge.unwrap_or_default());
            let (create, dropping) = sequence(name, from, by);
            if !rest.is_empty() || body != create || drop != Some(&*dropping) {
                return None;
            }
            let from = from.map(|from| format!(" from {from}")).unwrap_or_default();
            Some(from + &by.map(|by| format!(" by {by}")).unwrap_or_default())
        }
        _ => None,
    }
}

fn number_behind<'a>(text: &'a str, words: &str) -> (Option<i64>, &'a str) {
    let Some(rest) = text.strip_prefix(words) else { return (None, text) };
    let end = rest.find(' ').unwrap_or(rest.len());
    match rest[..end].parse() {
        Ok(number) => (Some(number), &rest[end..]),
        Err(_) => (None, text),
    }
}
