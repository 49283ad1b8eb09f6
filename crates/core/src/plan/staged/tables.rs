//! One table after another, and tables that come or go as a whole.

use std::collections::{BTreeMap, BTreeSet};

use super::Planner;
use crate::Dialect;
use crate::diff::TableAlteration;
use crate::physical::{
    Check, Column, ForeignKey, KeyColumn, Options, Program, Schema, Table, mentions, qualified, said_name,
};
use crate::plan::order::made_first;
use crate::plan::step::{Commented, Constraint, Step};
use crate::schema::ProgramKind;
use crate::sql::words;

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
        let routines = routines(self.dialect, self.to);
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
            let late = take_checks_over_rows(&routines, &mut table);
            for check in late.into_iter().chain(self.take_unchecked(&mut table)) {
                let (table, constraint) = (table.name.clone(), Constraint::Check(check));
                self.stages.add_constraints.push(Step::AddConstraint { table, constraint });
            }
            let mut corrections = corrections(self.dialect, self.to, &table);
            if joins_later(self.dialect, self.to, &table) {
                let apart = table.options_with_parents(&[]);
                let joined = std::mem::replace(&mut table.options, apart.clone());
                self.stages.join_parents.push(Step::SetOptions { table: table.name.clone(), from: apart, to: joined });
                corrections.clear();
            } else {
                leave_to_parents(self.dialect, self.to, &mut table);
            }
            let stage = if is_heir { &mut self.stages.create_heirs } else { &mut self.stages.create_tables };
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
        let routines = routines(self.dialect, self.from);
        for mut table in ordered {
            for check in take_checks_over_rows(&routines, &mut table) {
                let (table, constraint) = (table.name.clone(), Constraint::Check(check));
                self.stages.drop_references.push(Step::DropConstraint { table, constraint });
            }
            self.stages.drop_tables.push(Step::DropTable(table));
        }
    }

    /// Takes those checks out of a table that are to hold for new rows alone in tables that inherit them, too: those that
    /// are made behind them would have them for all rows.
    fn take_unchecked(&self, table: &mut Table) -> Vec<Check> {
        let is_unchecked = |check: &Check| check.attributes.contains("not valid");
        if !table.checks.iter().any(is_unchecked) {
            return Vec::new();
        }
        let is_heir = |one: &&Table| one.parents().iter().any(|parent| table.case.table_key(parent) == table.key());
        let heirs: Vec<&Table> = self.to.tables().filter(is_heir).collect();
        let of_heirs = |check: &Check| {
            let mut theirs = heirs.iter().flat_map(|heir| &heir.checks);
            theirs.any(|one| one.name == check.name && is_unchecked(one) && self.dialect.is_of_parent(one))
        };
        let (taken, left) =
            std::mem::take(&mut table.checks).into_iter().partition(|check| is_unchecked(check) && of_heirs(check));
        table.checks = left;
        taken
    }
}

/// The routines of a schema by their names, where a check may call one that is about a table's rows.
fn routines(dialect: Dialect, schema: &Schema) -> BTreeMap<String, Vec<&Program>> {
    let mut found: BTreeMap<String, Vec<&Program>> = BTreeMap::new();
    let is_routine = |one: &&Program| dialect == Dialect::Postgres && one.kind == ProgramKind::Routine;
    for one in schema.programs().filter(is_routine) {
        found.entry(said_name(one.base_name())).or_default().push(one);
    }
    found
}

/// Takes those checks out of a table that call a routine which is itself about the table's rows: it needs the table to be
/// there, and they need it.
fn take_checks_over_rows(routines: &BTreeMap<String, Vec<&Program>>, table: &mut Table) -> Vec<Check> {
    let name = qualified::base(&table.name);
    let is_about = |one: &&Program| mentions(one.said_when_made(), name);
    let calls = |check: &Check| {
        let text = check.expression.text().to_lowercase();
        words(&text).any(|word| routines.get(word).is_some_and(|found| found.iter().any(is_about)))
    };
    let (taken, left) =
        std::mem::take(&mut table.checks).into_iter().partition(|check| !routines.is_empty() && calls(check));
    table.checks = left;
    taken
}

/// Whether a table has all that its parents have by itself, and its columns in another order than theirs: made with them, it
/// would begin with their columns (PostgreSQL 17, "CREATE TABLE", INHERITS).
fn joins_later(dialect: Dialect, to: &Schema, table: &Table) -> bool {
    let parents = table.parents();
    if dialect != Dialect::Postgres || parents.is_empty() || table.columns.iter().any(|one| dialect.is_inherited(one)) {
        return false;
    }
    if table.checks.iter().any(|check| dialect.is_of_parent(check)) {
        return false;
    }
    let mut first: Vec<&str> = Vec::new();
    for column in parents.iter().filter_map(|name| to.table(name)).flat_map(|parent| &parent.columns) {
        if !first.contains(&column.name.as_str()) {
            first.push(&column.name);
        }
    }
    !table.columns.iter().map(|column| column.name.as_str()).take(first.len()).eq(first)
}

/// Leaves out how columns are computed that a parent computes just so: PostgreSQL until 15 refuses to be told again
/// (PostgreSQL 15, "Generated Columns"). That a column only there by a parent needs values comes from there, too: said again,
/// it would be the table's own from PostgreSQL 18 on, and stay when the parent gives it up (PostgreSQL 18, "pg_constraint").
fn leave_to_parents(dialect: Dialect, to: &Schema, table: &mut Table) {
    let parents: Vec<&Table> = table.parents().iter().filter_map(|name| to.table(name)).collect();
    for column in table.columns.iter_mut().filter(|column| dialect.comes_of_parent(column)) {
        let above: Vec<&Column> = parents.iter().filter_map(|parent| parent.column(&column.name)).collect();
        if above.iter().any(|above| above.generated.is_some() && above.generated == column.generated) {
            column.generated = None;
        }
        if dialect.is_inherited(column) && above.iter().any(|above| !above.nullable) {
            column.nullable = true;
        }
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
