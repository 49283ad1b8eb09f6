//! Differences of reference rows, row by row, by their keys.

use std::collections::BTreeMap;

use crate::physical::{Cell, RowSet, Schema};

/// The differences of one table's rows. All values are SQL.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RowChanges {
    /// The table.
    pub table: String,
    /// The columns by which rows are found.
    pub key: Vec<String>,
    /// The columns of the rows that come.
    pub columns: Vec<String>,
    /// Rows that come.
    pub inserted: Vec<Vec<String>>,
    /// Rows that change.
    pub updated: Vec<RowUpdate>,
    /// The keys of rows that go.
    pub deleted: Vec<Vec<String>>,
}

/// A row that changes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RowUpdate {
    /// The values of its key.
    pub key: Vec<String>,
    /// The columns that change: the name, the value before where that is known, the value afterwards.
    pub changes: Vec<(String, Option<String>, String)>,
}

impl RowChanges {
    /// Whether nothing differs.
    pub fn is_empty(&self) -> bool {
        self.inserted.is_empty() && self.updated.is_empty() && self.deleted.is_empty()
    }
}

/// What has to change so that the rows of `left` become those of `right`. Rows of a table that comes or goes come and go
/// with it.
pub fn diff_rows(left: &Schema, right: &Schema) -> Vec<RowChanges> {
    let mut changes = Vec::new();
    for to in right.row_sets() {
        let from = left.rows_of(&to.table);
        changes.extend(Some(set(from, to)).filter(|one| !one.is_empty()));
    }
    for from in left.row_sets() {
        if right.rows_of(&from.table).is_none() && right.table(&from.table).is_some() {
            let deleted = from.rows.iter().filter_map(|row| from.key_of(row, &from.key)).collect();
            changes.push(RowChanges {
                table: from.table.clone(),
                key: from.key.clone(),
                deleted,
                ..RowChanges::default()
            });
        }
    }
    changes.retain(|one| !one.is_empty());
    changes
}

fn set(from: Option<&RowSet>, to: &RowSet) -> RowChanges {
    let mut changes = RowChanges {
        table: to.table.clone(),
        key: to.key.clone(),
        columns: to.columns.clone(),
        ..RowChanges::default()
    };
    let mut old: BTreeMap<Vec<String>, &Vec<Cell>> = BTreeMap::new();
    let mut order = Vec::new();
    if let Some(from) = from {
        // Rows of before that have no values for the new key are found by their own.
        for row in &from.rows {
            match from.key_of(row, &to.key) {
                Some(key) => {
                    old.insert(key.clone(), row);
                    order.push(key);
                }
                None => changes.deleted.extend(from.key_of(row, &from.key)),
            }
        }
        if !changes.deleted.is_empty() {
            changes.key.clone_from(&from.key);
        }
    }
    for row in &to.rows {
        let Some(key) = to.key_of(row, &to.key) else { continue };
        match (old.remove(&key), from) {
            (Some(before), Some(from)) => {
                let differing = to.columns.iter().zip(row).filter_map(|(name, cell)| {
                    let was = from.place(name).and_then(|at| before.get(at));
                    let same = was.is_some_and(|was| was.sql == cell.sql || !(was.fixed && cell.fixed));
                    let is_key = to.key.contains(name);
                    (!same && !is_key).then(|| (name.clone(), was.map(|was| was.sql.clone()), cell.sql.clone()))
                });
                let differing: Vec<_> = differing.collect();
                if !differing.is_empty() {
                    changes.updated.push(RowUpdate { key, changes: differing });
                }
            }
            _ => changes.inserted.push(row.iter().map(|cell| cell.sql.clone()).collect()),
        }
    }
    changes.deleted.extend(order.into_iter().filter(|key| old.contains_key(key)));
    changes
}
