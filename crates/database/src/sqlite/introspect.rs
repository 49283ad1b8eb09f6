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
    let mut definitions = definitions(connection)?;
    let has_virtual = definitions.iter().any(|one| {
        let second = one.sql.as_deref().and_then(|sql| sql.split_ascii_whitespace().nth(1));
        second.is_some_and(|word| word.eq_ignore_ascii_case("virtual"))
    });
    if has_virtual {
        let shadows = shadows(connection)?;
        definitions.retain(|one| !shadows.contains(&one.table));
    }
    Ok(catalogue::introspect(definitions))
}

pub(super) fn definitions(connection: &Connection) -> Result<Vec<Definition>, DatabaseError> {
    let mut statement = connection.prepare("select type, name, tbl_name, sql from sqlite_schema order by rowid")?;
    let rows = statement.query_map([], |row| {
        Ok(Definition { kind: row.get(0)?, name: row.get(1)?, table: row.get(2)?, sql: row.get(3)? })
    })?;
    let mut definitions = rows.collect::<Result<Vec<_>, _>>()?;
    definitions.retain(|one| !is_internal(&one.name) && !is_own_table(&one.table));
    Ok(definitions)
}

/// SQLite, "The Schema Table": names that begin with `sqlite_` are SQLite's own.
fn is_internal(name: &str) -> bool {
    name.get(..7).is_some_and(|head| head.eq_ignore_ascii_case("sqlite_"))
}

/// A text that changes with whatever is in the catalogue: all statements, hashed. Reading them costs little beside
/// understanding them.
pub(super) fn catalogue_mark(connection: &Connection) -> Result<String, DatabaseError> {
    let mut whole = format!("{}\n", rusqlite::version());
    for one in definitions(connection)? {
        // Lengths keep the parts apart.
        for part in [Some(one.kind), Some(one.name), Some(one.table), one.sql] {
            let part = part.unwrap_or_default();
            let _ = writeln!(whole, "{} {part}", part.len());
        }
    }
    Ok(hash(&whole))
}

fn shadows(connection: &Connection) -> Result<BTreeSet<String>, DatabaseError> {
    let mut statement =
        connection.prepare("select name from pragma_table_list where schema = 'main' and type = 'shadow'")?;
    let names = statement.query_map([], |row| row.get(0))?;
    Ok(names.collect::<Result<_, _>>()?)
}
