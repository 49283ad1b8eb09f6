//! Plans for a provider that alters little in place, and makes a table anew for the rest.

use std::collections::{BTreeMap, BTreeSet};

use super::choices::{Choices, Values};
use super::order::{free_name, referenced_first};
use super::risk::is_constrained;
use super::rows;
use super::step::{Alteration, Copied, Rebuild, Step};
use crate::Dialect;
use crate::diff::{Change, Changes, ItemChange, RowChanges, TableAlteration, TableChange};
use crate::physical::{Column, Index, Schema, Table};

/// Indexes that go are dropped first and new ones made last, so that a name may move from one table to another; tables
/// go before others come, for the same reason. References may point to tables that are not there yet, or no longer: they
/// are checked at the end.
pub(super) fn steps(dialect: Dialect, from: &Schema, to: &Schema, changes: Changes, choices: &Choices) -> Vec<Step> {
    let mut phases = Phases { rows: rows::in_order(from, to), ..Phases::default() };
    let deleted: Vec<Step> = phases.rows.iter().rev().filter_map(|change| rows::deletion(from, change)).collect();
    let altered: BTreeSet<String> = changes.tables.iter().filter_map(TableChange::altered).map(Table::key).collect();
    let mut taken: BTreeSet<String> = from.tables().chain(to.tables()).map(Table::key).collect();
    for change in changes.tables {
        match change {
            TableChange::Add(table) => phases.create(table),
            TableChange::Drop(table) => phases.drop_tables.push(table),
            TableChange::Alter(alteration) => phases.alter(dialect, *alteration, &mut taken, choices),
        }
    }
    for ((table, column), values) in &choices.values {
        let (Some(_), Some(after)) = (from.table(table), to.table(table)) else { continue };
        if !altered.contains(&after.key()) && after.column(column).is_some() {
            let only_missing = matches!(values, Values::Fill(_));
            phases.alter_tables.push(Step::FillColumn {
                table: after.name.clone(),
                column: column.clone(),
                expression: values.expression().to_owned(),
                only_missing,
                untouched: Vec::new(),
                constrained: is_constrained(after, column),
                // Nobody else writes to the file meanwhile in any case.
                batch: None,
            });
        }
    }
    // What is filled from rows of tables that are new, or stay as they are, comes later.
    let (late, early): (Vec<_>, Vec<_>) =
        std::mem::take(&mut phases.rows).into_iter().partition(|change| altered.contains(&to.key(&change.table)));
    phases.early_rows = early.into_iter().flat_map(|change| rows::coming(to, change)).collect();
    let late = late.into_iter().flat_map(|change| rows::coming(to, change));
    deleted.into_iter().chain(phases.finish()).chain(late).collect()
}

#[derive(Default)]
struct Phases {
    drop_indexes: Vec<Step>,
    drop_tables: Vec<Table>,
    create_tables: Vec<Table>,
    early_rows: Vec<Step>,
    alter_tables: Vec<Step>,
    create_indexes: Vec<Step>,
    /// Reference rows that come or change.
    rows: Vec<RowChanges>,
}

impl Phases {
    fn create(&mut self, table: Table) {
        for index in &table.indexes {
            self.create_indexes.push(Step::CreateIndex { table: table.name.clone(), index: index.clone() });
        }
        self.create_tables.push(table);
    }

    fn alter(
        &mut self,
        dialect: Dialect,
        alteration: TableAlteration,
        taken: &mut BTreeSet<String>,
        choices: &Choices,
    ) {
        let changed = self.indexes(&alteration);
        let renames_table = alteration.from.name != alteration.to.name;
        let table = &alteration.to;
        let has_values = table.columns.iter().any(|column| choices.values_of(&table.name, &column.name).is_some());
        let way = if has_values { Alteration::Rebuild } else { dialect.alteration(&alteration) };
        match way {
            Alteration::InPlace(mut steps) => {
                if renames_table {
                    self.alter_tables.push(Step::RenameTable {
                        from: alteration.from.name.clone(),
                        to: alteration.to.name.clone(),
                        by_way_of: Some(free_name("oak_rename", &alteration.to, taken)),
                        numbering: Vec::new(),
                    });
                }
                self.alter_tables.append(&mut steps);
            }
            Alteration::Rebuild => {
                let updates = self.updates_on_the_way(dialect, &alteration);
                let kept = |index: &&Index| !changed.contains(&index.name);
                let copied = alteration.to.columns.iter().filter(|column| column.generated.is_none());
                let copied = copied.filter_map(|column| {
                    let old = alteration.from.column(&column.name).map(|old| old.name.clone());
                    let values = choices.values_of(&alteration.to.name, &column.name);
                    let source = match (old, values) {
                        (Some(old), Some(Values::Fill(expression))) => Copied::Filled(old, expression.clone()),
                        (_, Some(values)) => Copied::Expression(values.expression().to_owned()),
                        (Some(_), None) if updates.contains_key(&column.name) => {
                            Copied::Updated(updates[&column.name].clone())
                        }
                        (Some(old), None) => Copied::Column(old),
                        (None, None) => return None,
                    };
                    Some((column.name.clone(), source))
                });
                self.alter_tables.push(Step::RebuildTable(Box::new(Rebuild {
                    temporary: free_name("oak_rebuild", &alteration.to, taken),
                    copied: copied.collect(),
                    kept_indexes: alteration.to.indexes.iter().filter(kept).cloned().collect(),
                    alteration,
                })));
            }
        }
    }

    /// Takes those changes of reference rows out of what comes behind that must not wait for it: the table's new rules look
    /// at the rows while they are copied. Returns the columns concerned, each with the expression for its values.
    fn updates_on_the_way(&mut self, dialect: Dialect, alteration: &TableAlteration) -> BTreeMap<String, String> {
        let TableAlteration { from, to, items } = alteration;
        let mut expressions = BTreeMap::new();
        let Some(change) = self.rows.iter_mut().find(|change| from.case.table_key(&change.table) == to.key()) else {
            return expressions;
        };
        if change.updated.len() > rows::CASES {
            return expressions;
        }
        let looked_at = |name: &str| {
            let in_key = |columns: &[crate::physical::KeyColumn]| columns.iter().any(|one| one.name == name);
            items.iter().any(|item| match item {
                ItemChange::Column(Change::Alter { to: column, .. }) => column.name == name,
                ItemChange::PrimaryKey(Change::Add(key) | Change::Alter { to: key, .. }) => in_key(&key.columns),
                ItemChange::Unique(Change::Add(key) | Change::Alter { to: key, .. }) => in_key(&key.columns),
                ItemChange::Check(Change::Add(check) | Change::Alter { to: check, .. }) => {
                    check.expression.mentions(name)
                }
                _ => false,
            })
        };
        let is_copied = |column: &&Column| from.column(&column.name).is_some_and(|old| old.generated.is_none());
        for column in to.columns.iter().filter(is_copied).filter(|column| looked_at(&column.name)) {
            let mut cases = String::new();
            for row in &mut change.updated {
                let Some(at) = row.changes.iter().position(|(name, ..)| *name == column.name) else { continue };
                let (.., value) = row.changes.remove(at);
                cases.push_str(&format!("\n    when {} then {value}", rows::found_by(dialect, &change.key, &row.key)));
            }
            if !cases.is_empty() {
                let name = dialect.quote(&column.name);
                expressions.insert(column.name.clone(), format!("case{cases}\n    else {name}\nend"));
            }
        }
        change.updated.retain(|row| !row.changes.is_empty());
        expressions
    }

    /// Plans the indexes that come or go; returns the names of those that are made at the end.
    fn indexes(&mut self, alteration: &TableAlteration) -> BTreeSet<String> {
        let table = &alteration.to.name;
        let mut made = BTreeSet::new();
        for change in &alteration.items {
            let ItemChange::Index(change) = change else { continue };
            let (old, new) = match change {
                Change::Add(index) => (None, Some(index)),
                Change::Drop(index) => (Some(index), None),
                Change::Alter { from, to } | Change::Rename { from, to } => (Some(from), Some(to)),
            };
            if let Some(index) = old {
                self.drop_indexes.push(Step::DropIndex { table: table.clone(), index: index.clone() });
            }
            if let Some(index) = new {
                made.insert(index.name.clone());
                self.create_indexes.push(Step::CreateIndex { table: table.clone(), index: index.clone() });
            }
        }
        made
    }

    fn finish(mut self) -> Vec<Step> {
        // A dropped table stands after those that reference it.
        self.drop_tables = referenced_first(self.drop_tables);
        self.drop_tables.reverse();
        self.create_tables = referenced_first(self.create_tables);
        let steps = self
            .drop_indexes
            .into_iter()
            .chain(self.drop_tables.into_iter().map(Step::DropTable))
            .chain(self.create_tables.into_iter().map(Step::CreateTable))
            .chain(self.early_rows)
            .chain(self.alter_tables)
            .chain(self.create_indexes);
        steps.collect()
    }
}
