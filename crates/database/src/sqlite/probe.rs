//! Whether views and triggers work, found out by preparing statements that use them.

use std::collections::BTreeMap;

use hollow_oak_core::Dialect;
use rusqlite::Connection;

use super::introspect::definitions;
use crate::error::{DatabaseError, Failure, FailureKind};

/// A view or trigger by kind and name, and SQLite's message where it does not work.
pub(super) type Probes = BTreeMap<(String, String), Option<String>>;

/// Tries every view and trigger.
pub(super) fn probe(connection: &Connection) -> Result<Probes, DatabaseError> {
    let mut probes = Probes::new();
    let mut any = connection.prepare_cached("select 1 from sqlite_schema where type in ('view', 'trigger')")?;
    if !any.exists([])? {
        return Ok(probes);
    }
    for definition in definitions(connection)? {
        let failed = match definition.kind.as_str() {
            "view" => prepares(connection, &format!("select * from {}", quoted(&definition.name))),
            "trigger" => fires(connection, &definition.table, definition.sql.as_deref().unwrap_or_default()),
            _ => continue,
        };
        probes.insert((definition.kind, definition.name), failed);
    }
    Ok(probes)
}

/// Fails where a view or trigger worked before and does not now, or is gone without being named in the script.
pub(super) fn compare(before: &Probes, after: &Probes, expected_lost: &[&str], script: &str) -> Result<(), Failure> {
    for ((kind, name), failed_before) in before {
        let failure = match after.get(&(kind.clone(), name.clone())) {
            Some(Some(message)) if failed_before.is_none() => {
                FailureKind::BreaksDependent { kind: kind.clone(), name: name.clone(), message: message.clone() }
            }
            Some(_) => continue,
            None => {
                let named =
                    expected_lost.contains(&name.as_str()) || script.to_lowercase().contains(&name.to_lowercase());
                if named {
                    continue;
                }
                FailureKind::LosesDependent { kind: kind.clone(), name: name.clone() }
            }
        };
        return Err(failure.into());
    }
    Ok(())
}

fn quoted(name: &str) -> String {
    Dialect::Sqlite.quote(name)
}

fn prepares(connection: &Connection, sql: &str) -> Option<String> {
    connection.prepare(sql).err().map(|error| match DatabaseError::from(error) {
        DatabaseError::Sqlite { message, .. } => message,
        other => other.to_string(),
    })
}

/// Preparing a statement that would fire a trigger compiles the trigger's body.
fn fires(connection: &Connection, table: &str, sql: &str) -> Option<String> {
    let name = quoted(table);
    let head = sql.to_ascii_lowercase();
    let before_body = head.split(" begin").next().unwrap_or_default();
    let statement = if before_body.contains("insert") {
        format!("explain insert into {name} default values")
    } else if before_body.contains("delete") {
        format!("explain delete from {name}")
    } else {
        match columns(connection, table) {
            Ok(columns) => {
                let assignments: Vec<_> = columns.iter().map(|column| format!("{0} = {0}", quoted(column))).collect();
                format!("explain update {name} set {}", assignments.join(", "))
            }
            Err(error) => return Some(error.to_string()),
        }
    };
    prepares(connection, &statement)
}

fn columns(connection: &Connection, table: &str) -> Result<Vec<String>, DatabaseError> {
    let mut statement = connection.prepare("select name from pragma_table_xinfo(?1) where hidden = 0")?;
    let names = statement.query_map([table], |row| row.get(0))?;
    Ok(names.collect::<Result<_, _>>()?)
}
