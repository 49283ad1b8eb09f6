//! Reference rows among the rest of a plan: what goes, what comes or changes, and when.

use std::collections::BTreeSet;

use super::choices::{Choices, Values};
use super::order::referenced_first;
use super::step::Step;
use crate::Dialect;
use crate::diff::{Changes, RowChanges, RowUpdate, TableChange, diff_rows};
use crate::physical::{Column, Schema, Table};
use crate::schema::Action;

/// A list of rows longer than this fills no column by a case for each.
pub(super) const CASES: usize = 1000;

/// Steps by when they run.
#[derive(Default)]
pub(super) struct RowSteps {
    /// Before everything else: rows that go.
    pub(super) first: Vec<Step>,
    /// Rows that go once the references to them are gone, which the same plan drops.
    pub(super) released: Vec<Step>,
    /// Values that have to be other ones before their column changes.
    pub(super) prepared: Vec<Step>,
    /// Rows of tables that are new, or stay as they are: what is filled from them comes later.
    pub(super) early: Vec<Step>,
    /// Rows of tables that change, once their columns have: new constraints look at them.
    pub(super) late: Vec<Step>,
}

/// Plans the rows where everything is altered in place: referenced ones come first and go last.
pub(super) fn in_stages(dialect: Dialect, from: &Schema, to: &Schema, changes: &Changes) -> RowSteps {
    let mut steps = RowSteps::default();
    let rows = in_order(from, to);
    for change in rows.iter().rev() {
        if let Some(step) = deletion(from, change) {
            match is_released(from, to, &change.table) {
                true => steps.released.push(step),
                false => steps.first.push(step),
            }
        }
    }
    let late = late(to, changes, &rows);
    for mut change in rows {
        let prepared = prepared(dialect, from, to, &mut change);
        if !prepared.is_empty() {
            let (table, key) = (change.table.clone(), change.key.clone());
            steps.prepared.push(Step::UpdateRows { table, key, rows: prepared });
        }
        let stage = match late.contains(&to.key(&change.table)) {
            true => &mut steps.late,
            false => &mut steps.early,
        };
        stage.extend(coming(to, change));
    }
    steps
}

/// The changes of rows, referenced ones first.
pub(super) fn in_order(from: &Schema, to: &Schema) -> Vec<RowChanges> {
    let mut changes = diff_rows(from, to);
    if changes.len() > 1 {
        let order: Vec<String> = referenced_first(to.tables().cloned().collect()).iter().map(Table::key).collect();
        changes.sort_by_key(|change| order.iter().position(|key| *key == to.key(&change.table)));
    }
    changes
}

/// The step that takes rows out.
pub(super) fn deletion(from: &Schema, change: &RowChanges) -> Option<Step> {
    if change.deleted.is_empty() {
        return None;
    }
    let cascades = from.tables().filter(|table| {
        table
            .foreign_keys
            .iter()
            .any(|key| from.key(&key.referenced_table) == from.key(&change.table) && key.on_delete == Action::Cascade)
    });
    Some(Step::DeleteRows {
        table: change.table.clone(),
        key: change.key.clone(),
        keys: change.deleted.clone(),
        cascades: cascades.map(|table| table.name.clone()).collect(),
    })
}

/// The steps that change rows and bring new ones.
pub(super) fn coming(to: &Schema, change: RowChanges) -> Vec<Step> {
    let mut steps = Vec::new();
    let table = to.table(&change.table);
    let numbering = table.and_then(|table| table.columns.iter().find(|column| column.numbers_rows()));
    let numbering = numbering.filter(|column| change.columns.contains(&column.name));
    if !change.updated.is_empty() {
        steps.push(Step::UpdateRows { table: change.table.clone(), key: change.key, rows: change.updated });
    }
    if !change.inserted.is_empty() {
        steps.push(Step::InsertRows {
            table: change.table,
            columns: change.columns,
            rows: change.inserted,
            overriding: numbering.and_then(|column| column.identity.as_ref()).is_some_and(|one| one.always),
            numbering: numbering.map(|column| column.name.clone()),
        });
    }
    steps
}

/// Whether a reference to the table goes, with its table or alone.
fn is_released(from: &Schema, to: &Schema, referenced: &str) -> bool {
    let referencing = from.tables().flat_map(|table| table.foreign_keys.iter().map(move |key| (table, key)));
    let mut referencing = referencing.filter(|(_, key)| from.key(&key.referenced_table) == from.key(referenced));
    referencing.any(|(table, key)| {
        let stays = to.table(&table.name).is_some_and(|after| {
            after.foreign_keys.iter().any(|other| {
                other.columns == key.columns && to.key(&other.referenced_table) == from.key(&key.referenced_table)
            })
        });
        !stays
    })
}

/// The tables whose rows wait until tables have changed: those that change, and those that reference such rows meanwhile.
fn late(to: &Schema, changes: &Changes, rows: &[RowChanges]) -> BTreeSet<String> {
    let mut altered = BTreeSet::new();
    let mut created = BTreeSet::new();
    for change in &changes.tables {
        match change {
            TableChange::Add(table) => created.insert(table.key()),
            TableChange::Alter(alteration) => altered.insert(alteration.to.key()),
            TableChange::Drop(_) => false,
        };
    }
    let mut late: BTreeSet<String> =
        rows.iter().map(|change| to.key(&change.table)).filter(|key| altered.contains(key)).collect();
    loop {
        let waits = |key: &String| {
            let Some(table) = to.tables().find(|table| table.key() == *key) else { return false };
            table.foreign_keys.iter().any(|reference| {
                let referenced = to.key(&reference.referenced_table);
                // A new table gets its references to a changed one at the end.
                late.contains(&referenced) && !(created.contains(key) && altered.contains(&referenced))
            })
        };
        let keys = rows.iter().map(|change| to.key(&change.table));
        let more: Vec<String> = keys.filter(|key| !late.contains(key)).filter(waits).collect();
        if more.is_empty() {
            return late;
        }
        late.extend(more);
    }
}

/// Takes out of the updates what has to happen before the columns change: a column becomes required, or loses words, and
/// the new value is one that it can have before.
fn prepared(dialect: Dialect, from: &Schema, to: &Schema, change: &mut RowChanges) -> Vec<RowUpdate> {
    let (Some(before), Some(after)) = (from.table(&change.table), to.table(&change.table)) else { return Vec::new() };
    let words = |schema: &Schema, column: &Column| dialect.enum_words(schema, &column.ty).unwrap_or_default();
    let can = |name: &String, value: &String| {
        let (Some(old), Some(new)) = (before.column(name), after.column(name)) else { return false };
        if value.eq_ignore_ascii_case("null") {
            return old.nullable && old.generated.is_none();
        }
        let words = words(from, old);
        let fits = match words.is_empty() {
            true => old.ty == new.ty,
            false => words.contains(value),
        };
        fits && old.generated.is_none()
    };
    let must = |name: &String| {
        let (Some(old), Some(new)) = (before.column(name), after.column(name)) else { return false };
        let stay = words(to, new);
        (old.nullable && !new.nullable) || words(from, old).iter().any(|word| !stay.contains(word))
    };
    if !change.updated.iter().flat_map(|row| &row.changes).any(|(name, ..)| must(name)) {
        return Vec::new();
    }
    let mut early = Vec::new();
    for row in &mut change.updated {
        let (now, later): (Vec<_>, Vec<_>) =
            std::mem::take(&mut row.changes).into_iter().partition(|(name, _, value)| can(name, value));
        row.changes = later;
        if !now.is_empty() {
            early.push(RowUpdate { key: row.key.clone(), changes: now });
        }
    }
    change.updated.retain(|row| !row.changes.is_empty());
    early
}

/// The condition that is true of the row with a key.
pub(super) fn found_by(dialect: Dialect, key: &[String], values: &[String]) -> String {
    let same: Vec<_> =
        key.iter().zip(values).map(|(name, value)| format!("{} = {value}", dialect.quote(name))).collect();
    same.join(" and ")
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
                let same = found_by(dialect, &set.key, &key);
                cases.push_str(&format!("\n    when {same} then {}", row[place].sql));
            }
            let key = (new.name.clone(), column.name.clone());
            choices.values.insert(key, Values::Fill(format!("case{cases}\nend")));
        }
    }
    choices
}
