//! The catalogue of a SQLite file.
//!
//! Everything is in the statements that `sqlite_schema` keeps; reading them is one query, and the core understands them.

use std::collections::BTreeSet;
use std::fmt::Write as _;

use hollow_oak_core::dialect::sqlite::catalogue::{self, Definition};
use hollow_oak_core::physical::Introspected;
use rusqlite::Connection;

use crate::error::DatabaseError;
use crate::kept::is_own_table;
use crate::remembered::hash;

/// Reads the catalogue, without SQLite's own tables, the shadows of virtual tables, and the tool's journal.
pub(crate) fn introspect(connection: &Connection) -> Result<Introspected, DatabaseError> {
    let shadows = shadows(connection)?;
    with_definitions(connection, |definitions| {
        catalogue::introspect(definitions.filter(|one| !shadows.contains(&one.table)))
    })
}

/// Has work done with the definitions, which come one by one: there may be many, and nobody needs all of them at once.
fn with_definitions<T>(
    connection: &Connection,
    work: impl FnOnce(&mut dyn Iterator<Item = Definition>) -> T,
) -> Result<T, DatabaseError> {
    let mut statement = connection.prepare("select type, name, tbl_name, sql from sqlite_schema order by rowid")?;
    let rows = statement.query_map([], |row| {
        Ok(Definition { kind: row.get(0)?, name: row.get(1)?, table: row.get(2)?, sql: row.get(3)? })
    })?;
    let mut broken = None;
    let mut definitions = rows
        .map_while(|row| row.map_err(|error| broken = Some(error)).ok())
        .filter(|one| !is_internal(&one.name) && !is_own_table(&one.table));
    let done = work(&mut definitions);
    drop(definitions);
    broken.map_or(Ok(done), |error| Err(error.into()))
}

pub(super) fn definitions(connection: &Connection) -> Result<Vec<Definition>, DatabaseError> {
    with_definitions(connection, |definitions| definitions.collect())
}

/// SQLite, "The Schema Table": names that begin with `sqlite_` are SQLite's own.
fn is_internal(name: &str) -> bool {
    name.get(..7).is_some_and(|head| head.eq_ignore_ascii_case("sqlite_"))
}

/// A text that changes with whatever is in the catalogue: all statements, hashed. Reading them costs little beside
/// understanding them.
pub(super) fn catalogue_mark(connection: &Connection) -> Result<String, DatabaseError> {
    let mut whole = format!("{}\n", rusqlite::version());
    with_definitions(connection, |definitions| {
        for one in definitions {
            // Lengths keep the parts apart.
            for part in [Some(one.kind), Some(one.name), Some(one.table), one.sql] {
                let part = part.unwrap_or_default();
                let _ = writeln!(whole, "{} {part}", part.len());
            }
        }
    })?;
    Ok(hash(&whole))
}

/// The tables that virtual tables keep their rows in. Looking through all tables is only worth it where there are any; SQLite
/// writes the words before their names itself.
fn shadows(connection: &Connection) -> Result<BTreeSet<String>, DatabaseError> {
    let has_virtual = "select exists (select 1 from sqlite_schema where sql like 'CREATE VIRTUAL TABLE %')";
    if !connection.query_row(has_virtual, [], |row| row.get(0))? {
        return Ok(BTreeSet::new());
    }
    let mut statement =
        connection.prepare("select name from pragma_table_list where schema = 'main' and type = 'shadow'")?;
    let names = statement.query_map([], |row| row.get(0))?;
    Ok(names.collect::<Result<_, _>>()?)
}
