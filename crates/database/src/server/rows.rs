//! A few rows of a table, as text.

use hollow_oak_core::history::KEPT_PREFIX;
use hollow_oak_core::nearest::nearest;
use hollow_oak_core::plan::Count;

use super::ServerError;
use super::session::{Session, Table};
use crate::database::Rows;
use crate::error::DatabaseError;
use crate::kept::KeptTable;

/// The first rows of a table or view, in the order the server gives them.
pub(super) fn rows(session: &mut dyn Session, table: &str, limit: u32) -> Result<Rows, DatabaseError> {
    let names = session.relations()?;
    let exact = names.iter().find(|name| *name == table);
    let Some(name) = exact.or_else(|| names.iter().find(|name| name.eq_ignore_ascii_case(table))) else {
        let nearest = nearest(table, names.iter().map(String::as_str)).map(str::to_owned);
        return Err(DatabaseError::NoTable { table: table.to_owned(), nearest });
    };
    let name = session.dialect().quote_object(name);
    let total = session.value(&format!("select count(*) from {name}"))?;
    let found = session.ask(&format!("select * from {name} limit {limit}"))?;
    let total = total.and_then(|text| text.parse().ok()).unwrap_or_default();
    Ok(Rows { columns: found.columns, rows: found.rows, total })
}

/// The tables with values that were put aside.
pub(super) fn kept(session: &mut dyn Session) -> Result<Vec<KeptTable>, ServerError> {
    let mut names = session.relations()?;
    names.retain(|name| name.starts_with(KEPT_PREFIX));
    names.sort();
    let mut found = Vec::new();
    for name in names {
        let rows = session.value(&format!("select count(*) from {}", session.dialect().quote(&name)))?;
        found.push(KeptTable { name, rows: rows.and_then(|text| text.parse().ok()).unwrap_or_default() });
    }
    Ok(found)
}

/// The two numbers of an answer.
pub(super) fn counted(answer: &Table) -> Option<Count> {
    let row = answer.rows.first()?;
    let number = |at: usize| row.get(at)?.as_deref()?.parse().ok();
    Some(Count { found: number(0)?, all: number(1)? })
}
