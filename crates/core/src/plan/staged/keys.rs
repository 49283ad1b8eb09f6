//! Keys, checks and indexes of a table.

use std::collections::BTreeSet;

use super::Planner;
use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Column, Index, IndexKey, KeyColumn, PrimaryKey, Table, Unique};
use crate::plan::step::{Constraint, Step};
use crate::sql::Expression;

impl Planner<'_> {
    pub(super) fn constraints(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let items = || alteration.iter().flat_map(|alteration| &alteration.items);
        let keys = items().filter_map(|item| match item {
            ItemChange::PrimaryKey(change) => Some(change.clone()),
            _ => None,
        });
        let uniques = items().filter_map(|item| match item {
            ItemChange::Unique(change) => Some(change.clone()),
            _ => None,
        });
        let checks = items().filter_map(|item| match item {
            ItemChange::Check(change) => Some(change.clone()),
            _ => None,
        });
        let (keys, uniques, checks): (Vec<_>, Vec<_>, Vec<_>) = (keys.collect(), uniques.collect(), checks.collect());
        let changed = alteration.and_then(|alteration| self.key_in_place(alteration));
        if changed.is_none() {
            let lists = (from.primary_key.as_slice(), to.primary_key.as_slice());
            self.constraint_list([from, to], lists, keys, Constraint::PrimaryKey, |this, key| {
                this.must_remake_key(from, to, &key.columns)
            });
        }
        let lists = (from.uniques.as_slice(), to.uniques.as_slice());
        self.constraint_list([from, to], lists, uniques, Constraint::Unique, |this, key| {
            this.must_remake_key(from, to, &key.columns)
        });
        // Behind a unique key that a column goes on to number rows by.
        if let Some((old, new)) = changed {
            let (table, from, to) = (to.name.clone(), old.clone(), new.clone());
            self.stages.add_constraints.push(Step::ChangePrimaryKey { table, from, to });
        }
        let lists = (from.checks.as_slice(), to.checks.as_slice());
        self.constraint_list([from, to], lists, checks, Constraint::Check, |this, check| {
            !this.dialect.is_of_parent(check) && this.check_is_in_the_way(from, to, &check.expression)
        });
    }

    /// Whether a check has to go while the columns that it reads change: rows may have other values on the way, or the check
    /// would become another one.
    fn check_is_in_the_way(&self, from: &Table, to: &Table, expression: &Expression) -> bool {
        let passes = |column: &Column| {
            let after = to.column(&column.name);
            after.is_none()
                || self.column_is_made_again(from, to, &column.name)
                || after.is_some_and(|after| self.choices.values_of(&to.name, &after.name).is_some())
                || after.is_some_and(|after| self.dialect.changes_checks(&column.ty, &after.ty))
        };
        self.reads(from, expression)
            && (!self.dialect.facts().checks_follow_types
                || from.columns.iter().any(|column| expression.mentions(&column.name) && passes(column)))
    }

    /// A primary key, and the one that takes its place in one statement once the columns are as they are to be: its own
    /// stay as they are until then.
    pub(super) fn key_in_place<'a>(&self, alteration: &'a TableAlteration) -> Option<(&'a PrimaryKey, &'a PrimaryKey)> {
        let (from, to) = (&alteration.from, &alteration.to);
        let (old, new) = alteration.items.iter().find_map(|item| match item {
            ItemChange::PrimaryKey(Change::Alter { from, to }) => Some((from, to)),
            _ => None,
        })?;
        let stays = |part: &KeyColumn| {
            from.column(&part.name) == to.column(&part.name) && self.choices.values_of(&to.name, &part.name).is_none()
        };
        // A column that numbers rows comes with its key.
        let numbers = |part: &KeyColumn| {
            from.column(&part.name).is_none() && to.column(&part.name).is_some_and(|new| new.identity.is_some())
        };
        let can = self.dialect.facts().changes_primary_keys
            && from.name == to.name
            && old.columns.iter().all(stays)
            && !new.columns.iter().any(|part| numbers(part) || self.column_is_made_again(from, to, &part.name))
            && !self.has_declared_rows(&from.key());
        can.then_some((old, new))
    }

    /// Whether a table has rows that are declared: they may want a key to go first, and another to come last.
    pub(super) fn has_declared_rows(&self, table: &str) -> bool {
        [self.from, self.to].iter().any(|schema| schema.row_sets().any(|set| schema.key(&set.table) == table))
    }

    /// Whether a key does not simply follow its columns: one of them is dropped and made again.
    fn must_remake_key(&self, from: &Table, to: &Table, columns: &[KeyColumn]) -> bool {
        columns.iter().any(|part| self.column_is_made_again(from, to, &part.name))
    }

    fn column_is_made_again(&self, from: &Table, to: &Table, name: &str) -> bool {
        let (Some(old), Some(new)) = (from.column(name), to.column(name)) else { return false };
        let renamed = Column { name: new.name.clone(), ..old.clone() };
        let reads_disturbed = old.generated.as_ref().is_some_and(|one| self.reads(from, &one.expression));
        self.is_remade(&renamed, new) || (reads_disturbed && new.generated.is_some())
    }

    /// Drops, adds and renames what differs, and makes again what is in the way.
    fn constraint_list<T: crate::physical::Named>(
        &mut self,
        [from, to]: [&Table; 2],
        (old, new): (&[T], &[T]),
        changes: Vec<Change<T>>,
        constraint: fn(T) -> Constraint,
        in_the_way: impl Fn(&Self, &T) -> bool,
    ) {
        let mut touched: Vec<T> = Vec::new();
        for change in changes {
            match change {
                Change::Add(one) => self.add_constraint(&to.name, constraint(one)),
                Change::Drop(one) => {
                    self.drop_constraint(&from.name, constraint(one.clone()));
                    touched.push(one);
                }
                Change::Alter { from: a, to: b } => {
                    self.drop_constraint(&from.name, constraint(a.clone()));
                    self.add_constraint(&to.name, constraint(b));
                    touched.push(a);
                }
                Change::Rename { from: a, to: b } => {
                    let facts = self.dialect.facts();
                    let by_index = facts.uniques_are_indexes.then(|| match constraint(a.clone()) {
                        Constraint::Unique(unique) => unique.name.zip(b.name().map(str::to_owned)),
                        _ => None,
                    });
                    if let Some((old, new)) = by_index.flatten()
                        && !in_the_way(self, &a)
                    {
                        let step = Step::RenameIndex { table: to.name.clone(), from: old, to: new };
                        self.stages.rename_constraints.push(step);
                        touched.push(a);
                        continue;
                    }
                    let remake = !facts.renames_constraints || in_the_way(self, &a);
                    if remake {
                        self.drop_constraint(&from.name, constraint(a.clone()));
                        self.add_constraint(&to.name, constraint(b));
                    } else {
                        self.rename(&to.name, constraint(a.clone()), b.name());
                    }
                    touched.push(a);
                }
            }
        }
        let is_touched = |one: &T| touched.iter().any(|other| other.name() == one.name());
        for one in old.iter().filter(|one| !is_touched(one)) {
            if !in_the_way(self, one) {
                continue;
            }
            let Some(same) = new.iter().find(|other| other.name() == one.name()) else { continue };
            self.drop_constraint(&from.name, constraint(one.clone()));
            self.add_constraint(&to.name, constraint(same.clone()));
        }
    }

    fn add_constraint(&mut self, table: &str, constraint: Constraint) {
        let comes_along = |step: &Step| match step {
            Step::AddColumn { table: owner, key: Some(key), .. } => owner == table && *key == constraint,
            _ => false,
        };
        if self.stages.add_columns.iter().any(comes_along) {
            return;
        }
        let is_early = match &constraint {
            Constraint::Unique(Unique { name: Some(name), .. }) => self.is_early(&self.to.key(table), name),
            _ => false,
        };
        let stage = if is_early { &mut self.stages.create_first } else { &mut self.stages.add_constraints };
        stage.push(Step::AddConstraint { table: table.to_owned(), constraint });
    }

    /// Whether a new index or unique key has to be there before old ones go.
    fn is_early(&self, table: &str, name: &str) -> bool {
        self.early.get(table).is_some_and(|names| names.contains(name))
    }

    fn drop_constraint(&mut self, table: &str, constraint: Constraint) {
        self.stages.drop_constraints.push(Step::DropConstraint { table: table.to_owned(), constraint });
    }

    pub(super) fn indexes(&mut self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) {
        let mut touched = BTreeSet::new();
        for change in alteration.iter().flat_map(|alteration| &alteration.items) {
            let ItemChange::Index(change) = change else { continue };
            match change {
                Change::Add(index) => self.create_index(to, index),
                Change::Drop(index) => {
                    touched.insert(index.name.clone());
                    self.drop_index(from, index);
                }
                Change::Alter { from: a, to: b } => {
                    touched.insert(a.name.clone());
                    self.drop_index(from, a);
                    self.create_index(to, b);
                }
                Change::Rename { from: a, to: b } => {
                    touched.insert(a.name.clone());
                    if self.index_is_in_the_way(from, to, a) || !self.dialect.facts().renames_indexes {
                        self.drop_index(from, a);
                        self.create_index(to, b);
                    } else {
                        let (old, new) = (a.name.clone(), b.name.clone());
                        let step = Step::RenameIndex { table: to.name.clone(), from: old, to: new };
                        self.stages.rename_constraints.push(step);
                    }
                }
            }
        }
        for index in from.indexes.iter().filter(|index| !touched.contains(&index.name)) {
            if self.index_is_in_the_way(from, to, index)
                && let Some(same) = to.indexes.iter().find(|other| to.case.same_item(&other.name, &index.name))
            {
                self.drop_index(from, index);
                self.create_index(to, same);
            }
        }
    }

    fn index_is_in_the_way(&self, from: &Table, to: &Table, index: &Index) -> bool {
        let part = |part: &crate::physical::IndexPart| match &part.key {
            IndexKey::Expression(expression) => self.reads(from, expression),
            IndexKey::Column(name) => {
                self.column_is_made_again(from, to, name) || (part.operators.is_some() && self.is_disturbed(from, name))
            }
        };
        index.parts.iter().any(part)
            || index.predicate.as_ref().is_some_and(|one| self.reads(from, one))
            || index.including.iter().any(|name| self.column_is_made_again(from, to, name))
    }

    fn create_index(&mut self, table: &Table, index: &Index) {
        let is_early = self.is_early(&table.key(), &index.name);
        let (table, index) = (table.name.clone(), index.clone());
        let stage = if is_early { &mut self.stages.create_first } else { &mut self.stages.create_indexes };
        stage.push(Step::CreateIndex { table, index });
    }

    fn drop_index(&mut self, table: &Table, index: &Index) {
        let (table, index) = (table.name.clone(), index.clone());
        self.stages.drop_indexes.push(Step::DropIndex { table, index });
    }
}
