//! Reference rows around the rest of a plan: what goes before it, what comes or changes behind it.

use super::choices::{Choices, Values};
use super::order::referenced_first;
use super::step::Step;
use crate::Dialect;
use crate::diff::{RowChanges, diff_rows};
use crate::physical::{Schema, Table};

/// A list of rows longer than this fills no column by a case for each.
const CASES: usize = 1000;

/// Steps before and behind the rest.
pub(super) struct Around {
    pub(super) before: Vec<Step>,
    pub(super) behind: Vec<Step>,
}

/// Plans the rows: referenced ones come first and go last.
pub(super) fn around(from: &Schema, to: &Schema) -> Around {
    let mut changes = diff_rows(from, to);
    if changes.is_empty() {
        return Around { before: Vec::new(), behind: Vec::new() };
    }
    let order: Vec<String> = referenced_first(to.tables().cloned().collect()).iter().map(Table::key).collect();
    let place = |change: &RowChanges| order.iter().position(|key| *key == to.key(&change.table));
    changes.sort_by_key(place);
    let mut around = Around { before: Vec::new(), behind: Vec::new() };
    for change in changes.iter().rev().filter(|change| !change.deleted.is_empty()) {
        let cascades = from.tables().filter(|table| {
            table.foreign_keys.iter().any(|key| {
                from.key(&key.referenced_table) == from.key(&change.table)
                    && key.on_delete == crate::schema::Action::Cascade
            })
        });
        around.before.push(Step::DeleteRows {
            table: change.table.clone(),
            key: change.key.clone(),
            keys: change.deleted.clone(),
            cascades: cascades.map(|table| table.name.clone()).collect(),
        });
    }
    for change in changes {
        let table = to.table(&change.table);
        let numbering = table.and_then(|table| table.columns.iter().find(|column| column.numbers_rows()));
        let numbering = numbering.filter(|column| change.columns.contains(&column.name));
        if !change.updated.is_empty() {
            let (table, rows) = (change.table.clone(), change.updated);
            around.behind.push(Step::UpdateRows { table, key: change.key, rows });
        }
        if !change.inserted.is_empty() {
            around.behind.push(Step::InsertRows {
                table: change.table,
                columns: change.columns,
                rows: change.inserted,
                overriding: numbering.and_then(|column| column.identity.as_ref()).is_some_and(|one| one.always),
                numbering: numbering.map(|column| column.name.clone()),
            });
        }
    }
    around
}

/// Adds what reference rows say of a required column that comes: without it, rows that are there would be in its way.
pub(super) fn with_fills(dialect: Dialect, from: &Schema, to: &Schema, choices: &Choices) -> Choices {
    let mut choices = choices.clone();
    for set in to.row_sets() {
        let (Some(old), Some(new)) = (from.table(&set.table), to.table(&set.table)) else { continue };
        let is_there = from.rows_of(&set.table).is_some_and(|rows| !rows.rows.is_empty());
        if !is_there || set.rows.len() > CASES {
            continue;
        }
        for column in &new.columns {
            let required = !column.nullable && column.default.is_none() && column.generated.is_none();
            let Some(place) = set.place(&column.name) else { continue };
            let is_decided = choices.values_of(&new.name, &column.name).is_some();
            if !required || is_decided || old.column(&column.name).is_some() || set.key.contains(&column.name) {
                continue;
            }
            let mut cases = String::new();
            for row in &set.rows {
                let Some(key) = set.key_of(row, &set.key) else { continue };
                let same: Vec<_> =
                    set.key.iter().zip(key).map(|(name, value)| format!("{} = {value}", dialect.quote(name))).collect();
                cases.push_str(&format!("\n    when {} then {}", same.join(" and "), row[place].sql));
            }
            let key = (new.name.clone(), column.name.clone());
            choices.values.insert(key, Values::Fill(format!("case{cases}\nend")));
        }
    }
    choices
}
