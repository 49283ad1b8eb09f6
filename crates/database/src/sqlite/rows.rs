//! A few rows of a table, as text.

use std::sync::mpsc;
use std::time::Duration;

use hollow_oak_core::Dialect;
use hollow_oak_core::history::KEPT_PREFIX;
use hollow_oak_core::nearest::nearest;
use hollow_oak_core::physical::RowSet;
use hollow_oak_core::plan::{Count, Question};
use rusqlite::Connection;
use rusqlite::types::ValueRef;

use crate::database::Rows;
use crate::error::DatabaseError;
use crate::kept::KeptTable;

/// The first rows of a table or view, in the order SQLite gives them.
pub(super) fn rows(connection: &Connection, table: &str, limit: u32) -> Result<Rows, DatabaseError> {
    let mut names = connection.prepare("select name from sqlite_schema where type in ('table', 'view')")?;
    let names: Vec<String> = names.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
    let Some(name) = names.iter().find(|name| name.eq_ignore_ascii_case(table)) else {
        let nearest = nearest(table, names.iter().map(String::as_str)).map(str::to_owned);
        return Err(DatabaseError::NoTable { table: table.to_owned(), nearest });
    };
    let name = Dialect::Sqlite.quote(name);
    let total: i64 = connection.query_row(&format!("select count(*) from {name}"), [], |row| row.get(0))?;
    let mut statement = connection.prepare(&format!("select * from {name} limit ?1"))?;
    let columns: Vec<String> = statement.column_names().map(str::to_owned).collect();
    let count = columns.len();
    let found = statement.query_map([limit], |row| (0..count).map(|at| row.get_ref(at).map(shown)).collect())?;
    Ok(Rows { columns, rows: found.collect::<Result<_, _>>()?, total: total.unsigned_abs() })
}

/// Which reference rows are there.
pub(super) fn find(connection: &Connection, set: &RowSet) -> Result<RowSet, DatabaseError> {
    let mut answers = Vec::new();
    for query in Dialect::Sqlite.row_queries(set) {
        let mut statement = connection.prepare(&query)?;
        let count = statement.column_count();
        let found = statement.query_map([], |row| (0..count).map(|at| row.get_ref(at).map(shown)).collect())?;
        answers.extend(found.collect::<Result<Vec<_>, _>>()?);
    }
    Ok(set.found(&answers, |text| Dialect::Sqlite.literal(text)))
}

/// Counts rows, for so long at most.
pub(super) fn count(
    connection: &Connection,
    question: &Question,
    limit: Duration,
) -> Result<Option<Count>, DatabaseError> {
    let sql = Dialect::Sqlite.count(question);
    let handle = connection.get_interrupt_handle();
    let (answered, waiting) = mpsc::channel::<()>();
    let counted = std::thread::scope(|scope| {
        scope.spawn(move || {
            if waiting.recv_timeout(limit) == Err(mpsc::RecvTimeoutError::Timeout) {
                handle.interrupt();
            }
        });
        let number = |row: &rusqlite::Row<'_>, at: usize| row.get(at).map(i64::unsigned_abs);
        let counted = connection.query_row(&sql, [], |row| Ok(Count { found: number(row, 0)?, all: number(row, 1)? }));
        drop(answered);
        counted
    });
    match counted {
        Ok(count) => Ok(Some(count)),
        Err(error) if error.sqlite_error_code() == Some(rusqlite::ErrorCode::OperationInterrupted) => Ok(None),
        Err(error) => Err(error.into()),
    }
}

/// The tables with values that were put aside.
pub(super) fn kept(connection: &Connection) -> Result<Vec<KeptTable>, DatabaseError> {
    let mut names =
        connection.prepare("select name from sqlite_schema where type = 'table' and name like ?1 order by name")?;
    let names: Vec<String> =
        names.query_map([format!("{KEPT_PREFIX}%")], |row| row.get(0))?.collect::<Result<_, _>>()?;
    let counted = names.into_iter().map(|name| {
        let sql = format!("select count(*) from {}", Dialect::Sqlite.quote(&name));
        let rows: i64 = connection.query_row(&sql, [], |row| row.get(0))?;
        Ok(KeptTable { name, rows: rows.unsigned_abs() })
    });
    counted.collect()
}

fn shown(value: ValueRef<'_>) -> Option<String> {
    match value {
        ValueRef::Null => None,
        ValueRef::Integer(number) => Some(number.to_string()),
        ValueRef::Real(number) => Some(format!("{number:?}")),
        ValueRef::Text(bytes) => Some(String::from_utf8_lossy(bytes).into_owned()),
        ValueRef::Blob(bytes) => {
            let digits: String = bytes.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
            let rest = if bytes.len() > 16 { format!("… ({} bytes)", bytes.len()) } else { String::new() };
            Some(format!("x'{digits}'{rest}"))
        }
    }
}
