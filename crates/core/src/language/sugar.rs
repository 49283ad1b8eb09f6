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
    if let Some(from) = from {
        sql.push_str(&format!(" start with {from}"));
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
            let (from, rest) = number_behind(rest, " start with ");
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
