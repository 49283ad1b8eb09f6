//! What a migration's steps would take along or break without saying so.

use std::collections::BTreeMap;

use hollow_oak_core::dialect::sqlite::catalogue::Definition;
use hollow_oak_core::physical::ObjectKind;
use hollow_oak_core::script::Script;
use hollow_oak_core::sql::{Lexer, Syntax, TokenKind, unquote};
use rusqlite::Connection;

use super::introspect::definitions;
use super::probe::{Probes, probe};
use crate::error::DatabaseError;
use crate::run::{Dependent, Preflight};

/// What becomes of a table that a script touches.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Fate {
    /// It is there afterwards: made anew, or without one of its columns.
    Changed,
    /// It is gone afterwards.
    Dropped,
}

/// Finds the views and triggers that mention a table which is made anew or loses a column: they are dropped first and
/// made again at the end. So are those that do not work as it is, or while these are away: SQLite renames nothing and drops
/// no column while there is one. A trigger of a table that goes for good goes with it.
pub(super) fn preflight(connection: &Connection, script: &Script) -> Result<Preflight, DatabaseError> {
    let mut preflight = Preflight { schema_state: schema_state(connection)?, ..Preflight::default() };
    let fates = fates(script);
    let alters = alters_in_place(script);
    if fates.is_empty() && !alters {
        return Ok(preflight);
    }
    let handled = dropped_by_name(script);
    let probes = if alters { probe(connection)? } else { Probes::new() };
    let mut left = Vec::new();
    for definition in definitions(connection)? {
        let kind = match definition.kind.as_str() {
            "view" => ObjectKind::View,
            "trigger" => ObjectKind::Trigger,
            _ => continue,
        };
        let broken = probes.get(&(definition.kind.clone(), definition.name.clone())).is_some_and(Option::is_some);
        left.extend(sort_in(&mut preflight, kind, definition, &fates, broken, &handled));
    }
    if alters {
        add_readers(&mut preflight, left, &handled);
    }
    // A trigger may be on a view, so views are made first.
    preflight.dependents.sort_by_key(|dependent| dependent.kind != ObjectKind::View);
    Ok(preflight)
}

/// Views and triggers that the script itself drops before anything else.
fn dropped_by_name(script: &Script) -> Vec<String> {
    let named = script.steps.iter().filter_map(|step| {
        let name = step.object.strip_prefix("drop-view ").or(step.object.strip_prefix("drop-trigger "))?;
        Some(name.to_owned())
    });
    named.collect()
}

/// Adds the views and triggers that read a view which is away meanwhile.
fn add_readers(preflight: &mut Preflight, mut left: Vec<Dependent>, handled: &[String]) {
    let mut away: Vec<String> = handled.iter().map(|name| name.to_ascii_lowercase()).collect();
    away.extend(preflight.dependents.iter().map(|one| one.name.to_ascii_lowercase()));
    loop {
        let reads = |one: &Dependent| names(&one.sql).iter().any(|name| away.contains(name));
        let (more, rest): (Vec<_>, Vec<_>) = left.into_iter().partition(reads);
        if more.is_empty() {
            return;
        }
        away.extend(more.iter().map(|one| one.name.to_ascii_lowercase()));
        preflight.dependents.extend(more);
        left = rest;
    }
}

/// Puts one where it belongs; what is not touched comes back.
fn sort_in(
    preflight: &mut Preflight,
    kind: ObjectKind,
    definition: Definition,
    fates: &BTreeMap<String, Fate>,
    broken: bool,
    handled: &[String],
) -> Option<Dependent> {
    let sql = definition.sql?;
    if handled.contains(&definition.name) {
        return None;
    }
    let own_table = definition.table.to_ascii_lowercase();
    let dependent =
        |table: &str| Dependent { kind, name: definition.name.clone(), table: table.to_owned(), sql: sql.clone() };
    if kind == ObjectKind::Trigger && fates.get(&own_table) == Some(&Fate::Dropped) {
        preflight.lost.push(dependent(&definition.table));
        return None;
    }
    let mentioned = names(&sql);
    let touched = fates.iter().find(|(name, fate)| **fate == Fate::Changed && mentioned.contains(name));
    // A trigger on a view goes with the view when that is dropped for a while.
    let on_view = kind == ObjectKind::Trigger
        && preflight
            .dependents
            .iter()
            .any(|view| view.kind == ObjectKind::View && view.name.eq_ignore_ascii_case(&definition.table));
    if let Some((table, _)) = touched {
        preflight.dependents.push(dependent(table));
    } else if on_view || broken {
        preflight.dependents.push(dependent(&definition.table));
    } else {
        return Some(dependent(&definition.table));
    }
    None
}

/// A number that changes whenever the schema does (SQLite, "PRAGMA schema_version").
pub(super) fn schema_state(connection: &Connection) -> Result<i64, DatabaseError> {
    let mut statement = connection.prepare_cached("pragma schema_version")?;
    Ok(statement.query_row([], |row| row.get(0))?)
}

/// Every name and word of a statement, folded.
fn names(sql: &str) -> Vec<String> {
    Lexer::new(sql, 0, Syntax::PLAIN)
        .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted | TokenKind::Text))
        .map(|token| unquote(token.span.text(sql)).to_ascii_lowercase())
        .collect()
}

/// Whether the script drops or renames a column or renames a table in place, so that SQLite reads every view and trigger.
fn alters_in_place(script: &Script) -> bool {
    script.steps.iter().flat_map(|step| &step.statements).any(|statement| {
        let words = names(&statement.sql);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        match words[..] {
            // A table made anew takes its name without that (SQLite, "PRAGMA legacy_alter_table").
            ["alter", "table", name, "rename", "to", ..] => !name.starts_with("oak_rebuild"),
            ["alter", "table", _, "drop", ..] | ["alter", "table", _, "rename", "column", ..] => true,
            _ => false,
        }
    })
}

/// What becomes of the tables that the script drops or takes columns from, by folded name.
fn fates(script: &Script) -> BTreeMap<String, Fate> {
    let mut fates = BTreeMap::new();
    let statements = script.steps.iter().flat_map(|step| &step.statements);
    for statement in statements {
        let words = names(&statement.sql);
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        match words[..] {
            ["drop", "table", "if", "exists", name, ..] | ["drop", "table", name, ..] => {
                fates.insert(name.to_owned(), Fate::Dropped);
            }
            ["alter", "table", _, "rename", "to", name] | ["create", "table", name, ..]
                if fates.get(name) == Some(&Fate::Dropped) =>
            {
                fates.insert(name.to_owned(), Fate::Changed);
            }
            ["alter", "table", name, "drop", ..] => {
                fates.entry(name.to_owned()).or_insert(Fate::Changed);
            }
            _ => {}
        }
    }
    fates
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fates_follow_from_the_statements() {
        let script = Script::read(
            hollow_oak_core::Dialect::Sqlite,
            "create table \"New\" (a);drop table \"Hive\"; alter table \"New\" rename to hive;\n\
             drop table if exists queen; alter table keeper drop column name; alter table keeper add column x;",
        )
        .expect("plain SQL is a script");
        let found = fates(&script);
        assert!(found.get("hive") == Some(&Fate::Changed));
        assert!(found.get("queen") == Some(&Fate::Dropped));
        assert!(found.get("keeper") == Some(&Fate::Changed));
        assert_eq!(found.len(), 3);
    }
}
