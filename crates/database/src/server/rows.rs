//! A few rows of a table, as text.

use hollow_oak_core::nearest::nearest;

use super::session::Session;
use crate::database::Rows;
use crate::error::DatabaseError;

/// The first rows of a table or view, in the order the server gives them.
pub(super) fn rows(session: &mut dyn Session, table: &str, limit: u32) -> Result<Rows, DatabaseError> {
    let names = session.relations()?;
    let exact = names.iter().find(|name| *name == table);
    let Some(name) = exact.or_else(|| names.iter().find(|name| name.eq_ignore_ascii_case(table))) else {
        let nearest = nearest(table, names.iter().map(String::as_str)).map(str::to_owned);
        return Err(DatabaseError::NoTable { table: table.to_owned(), nearest });
    };
    let name = session.dialect().quote(name);
    let total = session.value(&format!("select count(*) from {name}"))?;
    let found = session.ask(&format!("select * from {name} limit {limit}"))?;
    let total = total.and_then(|text| text.parse().ok()).unwrap_or_default();
    Ok(Rows { columns: found.columns, rows: found.rows, total })
}
