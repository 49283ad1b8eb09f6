//! Reference rows as SQL, which is the same everywhere.

use super::quoting::Quoting;
use crate::diff::RowUpdate;
use crate::physical::{Cell, RowSet};

/// Rows in one statement: long enough to be fast, short enough for any server and for reading.
const ROWS: usize = 200;

/// Puts rows in; `given` stands behind the columns.
pub(super) fn insert(
    table: &str,
    columns: &[String],
    rows: &[Vec<String>],
    quoting: Quoting,
    given: &str,
) -> Vec<String> {
    let names: Vec<_> = columns.iter().map(|name| quoting.item(name)).collect();
    let head = format!("insert into {} ({}){given} values", quoting.object(table), names.join(", "));
    let row = |row: &Vec<String>| format!("    ({})", row.join(", "));
    let statement = |rows: &[Vec<String>]| {
        let lines: Vec<_> = rows.iter().map(row).collect();
        format!("{head}\n{}", lines.join(",\n"))
    };
    rows.chunks(ROWS).map(statement).collect()
}

/// Changes rows, each in a statement of its own.
pub(super) fn update(table: &str, key: &[String], rows: &[RowUpdate], quoting: Quoting) -> Vec<String> {
    let statement = |row: &RowUpdate| {
        let changes: Vec<_> =
            row.changes.iter().map(|(name, _, new)| format!("{} = {new}", quoting.item(name))).collect();
        format!(
            "update {} set {} where {}",
            quoting.object(table),
            changes.join(", "),
            condition(key, &row.key, quoting)
        )
    };
    rows.iter().map(statement).collect()
}

/// Takes rows out.
pub(super) fn delete(table: &str, key: &[String], keys: &[Vec<String>], quoting: Quoting) -> Vec<String> {
    let statement = |keys: &[Vec<String>]| {
        let which = match key {
            [only] => {
                let values: Vec<_> = keys.iter().flatten().map(String::as_str).collect();
                format!("{} in ({})", quoting.item(only), values.join(", "))
            }
            _ => {
                let rows: Vec<_> = keys.iter().map(|values| format!("({})", condition(key, values, quoting))).collect();
                rows.join("\n    or ")
            }
        };
        format!("delete from {} where {which}", quoting.object(table))
    };
    keys.chunks(ROWS).map(statement).collect()
}

/// Finds rows; see [`crate::Dialect::row_queries`].
pub(super) fn find(set: &RowSet, quoting: Quoting, compared: impl Fn(&str, &str) -> String) -> Vec<String> {
    let query = |(number, row): (usize, &Vec<Cell>)| {
        let columns = set.columns.iter().zip(row).map(|(name, cell)| compared(&quoting.item(name), &cell.sql));
        let columns: Vec<_> = columns.collect();
        let key = set.key_of(row, &set.key)?;
        let which = condition(&set.key, &key, quoting);
        Some(format!("select {number}, {} from {} where {which}", columns.join(", "), quoting.object(&set.table)))
    };
    let queries: Vec<String> = set.rows.iter().enumerate().filter_map(query).collect();
    queries.chunks(ROWS).map(|queries| queries.join("\nunion all ")).collect()
}

fn condition(key: &[String], values: &[String], quoting: Quoting) -> String {
    let same: Vec<_> =
        key.iter().zip(values).map(|(name, value)| format!("{} = {value}", quoting.item(name))).collect();
    same.join(" and ")
}
