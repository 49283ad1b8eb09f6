//! One table after another, and tables that come or go as a whole.

use std::collections::BTreeSet;

use super::Planner;
use crate::Dialect;
use crate::diff::TableAlteration;
use crate::physical::{Column, ForeignKey, KeyColumn, Options, Schema, Table};
use crate::plan::order::made_first;
use crate::plan::step::{Commented, Constraint, Step};

impl Planner<'_> {
    pub(super) fn table(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let has_values = to.columns.iter().any(|column| self.choices.values_of(&to.name, &column.name).is_some());
        if alteration.is_none() && !has_values && !self.disturbed.contains_key(&from.key()) {
            return;
        }
        if from.name != to.name {
            let (from, to) = (from.name.clone(), to.name.clone());
            self.stages.rename_tables.push(Step::RenameTable { from, to, by_way_of: None, numbering: Vec::new() });
        }
        // It leaves parents while everything is as it was, and joins others once it has all that they have.
        let kept = from.parents_kept(to);
        let (left, joining) = (from.options_with_parents(&kept), to.options_with_parents(&kept));
        let set = |table: &Table, old: &Options, new: &Options| {
            let (table, from, to) = (table.name.clone(), old.clone(), new.clone());
            (from != to).then_some(Step::SetOptions { table, from, to })
        };
        self.stages.leave_parents.extend(set(from, &from.options, &left));
        self.stages.set_options.extend(set(to, &left, &joining));
        self.stages.join_parents.extend(set(to, &joining, &to.options));
        let followed = self.dialect.as_parents_leave([self.from, self.to], [from, to], alteration);
        let (from, alteration) = match &followed {
            Some((from, alteration)) => (from, alteration.as_ref()),
            None => (from, alteration),
        };
        let releases = self.releases_identity(from, to, alteration);
        self.columns(from, to, releases);
        self.constraints(from, to, alteration);
        self.indexes(from, to, alteration);
        if from.comment != to.comment {
            let on = Commented::Table(to.name.clone());
            self.stages.describe.push(Step::SetComment { on, text: to.comment.clone() });
        }
    }

    /// References to tables that come later, or to keys that are only made in this plan, are added at the end.
    pub(super) fn create(&mut self, tables: Vec<Table>) {
        let mut made: BTreeSet<String> = BTreeSet::new();
        let mut heirs: BTreeSet<String> = BTreeSet::new();
        for mut table in made_first(self.dialect, tables) {
            // One that inherits from a table that is there has its columns as they are to be.
            let is_heir = table
                .parents()
                .iter()
                .any(|name| self.from.table(name).is_some() || heirs.contains(&table.case.table_key(name)));
            let set = if is_heir { &mut heirs } else { &mut made };
            set.insert(table.key());
            let (now, later): (Vec<_>, Vec<_>) = std::mem::take(&mut table.foreign_keys).into_iter().partition(|key| {
                let referenced = self.to.key(&key.referenced_table);
                // Rows that come back may reference each other, and some servers look at them one by one.
                let restored = self.choices.restored.iter().any(|kept| kept.table == table.name);
                !restored && (made.contains(&referenced) || self.is_untouched(&referenced))
            });
            for key in later {
                let constraint = Constraint::ForeignKey(key);
                self.stages.add_references.push(Step::AddConstraint { table: table.name.clone(), constraint });
            }
            if !self.dialect.facts().tables_hold_indexes {
                for index in std::mem::take(&mut table.indexes) {
                    let table = table.name.clone();
                    self.stages.create_indexes.push(Step::CreateIndex { table, index });
                }
                // A key made by an index is not there yet when the table is.
                let by_index = |key: &ForeignKey| !self.is_plain_key(key);
                let (late, now): (Vec<_>, Vec<_>) = now.into_iter().partition(by_index);
                table.foreign_keys = now;
                for key in late {
                    let constraint = Constraint::ForeignKey(key);
                    self.stages.add_references.push(Step::AddConstraint { table: table.name.clone(), constraint });
                }
            } else {
                table.foreign_keys = now;
            }
            let stage = if is_heir { &mut self.stages.create_heirs } else { &mut self.stages.create_tables };
            let corrections = corrections(self.dialect, self.to, &table);
            stage.push(Step::CreateTable(table));
            stage.extend(corrections);
        }
    }

    fn is_untouched(&self, key: &str) -> bool {
        let same = self.from.tables().find(|table| table.key() == key);
        same.is_some_and(|table| self.to.table(&table.name) == Some(table) && !self.disturbed.contains_key(key))
    }

    /// Whether a reference points to a primary key or unique constraint, and not to a unique index.
    fn is_plain_key(&self, key: &ForeignKey) -> bool {
        let Some(table) = self.to.table(&key.referenced_table) else { return false };
        let same = |columns: &[KeyColumn]| {
            columns.len() == key.referenced_columns.len()
                && columns.iter().all(|column| key.referenced_columns.contains(&column.name))
        };
        table.primary_key.as_ref().is_some_and(|one| same(&one.columns))
            || table.uniques.iter().any(|one| same(&one.columns))
    }

    pub(super) fn drop(&mut self, tables: Vec<Table>) {
        let mut ordered = made_first(self.dialect, tables);
        ordered.reverse();
        self.stages.drop_tables.extend(ordered.into_iter().map(Step::DropTable));
    }
}

/// What a table that was made has of its parents and is not to have: their defaults, and that there have to be values.
fn corrections(dialect: Dialect, to: &Schema, table: &Table) -> Vec<Step> {
    let parents = table.parents();
    let corrected = |column: &Column| {
        let mut made = column.clone();
        for above in parents.iter().filter_map(|name| to.table(name)?.column(&column.name)) {
            made.default = made.default.take().or_else(|| above.default.clone());
            made.nullable &= above.nullable;
        }
        let (from, to) = (Box::new(made), Box::new(column.clone()));
        (from != to).then(|| Step::AlterColumn { table: table.name.clone(), from, to, using: None })
    };
    let of_parents =
        table.columns.iter().filter(|column| dialect.comes_of_parent(column) && column.generated.is_none());
    of_parents.filter_map(corrected).collect()
}
