//! Columns of a table that come, go or change, and the values that rows get on the way.

use super::Planner;
use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Column, ForeignKey, KeyColumn, Program, Table};
use crate::plan::choices::Values;
use crate::plan::lasting::{begins, has_lasting_key};
use crate::plan::risk::{is_ruled, with_computed};
use crate::plan::step::{Batch, Constraint, Step};
use crate::sql::Expression;

impl Planner<'_> {
    /// Whether a column stops to number rows while the keys of its table change: it may not do so without a key.
    pub(super) fn releases_identity(&self, from: &Table, to: &Table, alteration: Option<&TableAlteration>) -> bool {
        let numbering = from.columns.iter().find(|column| column.identity.is_some());
        let Some(column) = numbering.filter(|_| self.dialect.facts().identity_needs_key) else { return false };
        let stays = to.column(&column.name).is_some_and(|after| after.identity.is_some());
        let items = alteration.iter().flat_map(|alteration| &alteration.items);
        let by_index = |item: &ItemChange| {
            matches!(item, ItemChange::Unique(Change::Rename { .. })) && self.dialect.facts().uniques_are_indexes
        };
        let is_key = |item: &ItemChange| matches!(item, ItemChange::PrimaryKey(_) | ItemChange::Unique(_));
        let keys: Vec<&ItemChange> = items.filter(|item| is_key(item) && !by_index(item)).collect();
        let changed = alteration.and_then(|alteration| self.key_in_place(alteration));
        let number = std::slice::from_ref(&column.name);
        let is_held = changed.is_some_and(|(old, new)| {
            let mut keys = std::iter::once(&new.columns).chain(to.uniques.iter().map(|one| &one.columns));
            begins(&old.columns, number) && keys.any(|key| begins(key, number))
        });
        !stays || !keys.is_empty() && !is_held && !has_lasting_key(to, &column.name, &keys)
    }

    pub(super) fn columns(&mut self, from: &Table, to: &Table, releases: bool) {
        let table = to.name.clone();
        let mut from = from.clone();
        if releases && let Some(numbering) = from.columns.iter_mut().find(|column| column.identity.is_some()) {
            let plain = Column { identity: None, ..numbering.clone() };
            let (old, new) = (Box::new(numbering.clone()), Box::new(plain.clone()));
            let step = Step::AlterColumn { table: from.name.clone(), from: old, to: new, using: None };
            self.stages.release_identities.push(step);
            *numbering = plain;
        }
        let from = &from;
        // Where everything that is there is made anew, something new has to be there before the rest goes.
        let stays = |old: &Column| match to.column(&old.name) {
            Some(new) => !self.is_remade(&Column { name: new.name.clone(), ..old.clone() }, new),
            None => old.generated.is_none(),
        };
        let is_emptied = self.dialect.facts().needs_a_column && !from.columns.iter().any(stays);
        let first =
            to.columns.iter().find(|new| is_emptied && new.generated.is_none() && from.column(&new.name).is_none());
        let following = self.dialect.following(from, to);
        for old in from.columns.iter().filter(|column| to.column(&column.name).is_none()) {
            let step = Step::DropColumn { table: table.clone(), column: old.clone() };
            // Before the columns it reads.
            match old.generated {
                Some(_) => self.drop_computed(from, old),
                None => self.stages.drop_columns.push(step),
            }
        }
        for new in &to.columns {
            let Some(old) = from.column(&new.name) else {
                let before = self.stages.add_columns.len();
                self.add_column(to, new);
                if first.is_some_and(|first| first.name == new.name) {
                    self.stages.add_first.extend(self.stages.add_columns.drain(before..));
                } else if self.dialect.comes_of_parent(new) {
                    // A parent that adds it finds it; the other way round there is one already.
                    self.stages.add_before_parents.extend(self.stages.add_columns.drain(before..));
                }
                continue;
            };
            let mut renamed = Column { name: new.name.clone(), ..old.clone() };
            let reads_disturbed = old.generated.as_ref().is_some_and(|one| self.reads(from, &one.expression));
            if old.generated.is_some() && new.generated.is_none() && self.dialect.keeps_computed(old, new) {
                // Before what it is computed from is touched.
                let plain = Column { generated: None, ..old.clone() };
                let (table, from) = (from.name.clone(), Box::new(old.clone()));
                let to = Box::new(plain);
                self.stages.stop_computing.push(Step::AlterColumn { table, from, to, using: None });
                renamed.generated = None;
            }
            if self.is_remade(&renamed, new) || (reads_disturbed && new.generated.is_some()) {
                self.drop_computed(from, old);
                self.add_column(to, new);
                continue;
            }
            if old.name != new.name {
                let (from, to) = (old.name.clone(), new.name.clone());
                self.stages.rename_columns.push(Step::RenameColumn {
                    table: table.clone(),
                    from,
                    to,
                    by_way_of: None,
                    numbering: false,
                });
            }
            if let Some(values) = self.choices.values_of(&table, &new.name) {
                self.alter_with_values(to, renamed, new, values);
            } else if renamed != *new {
                self.alter_column(&table, renamed, new);
            } else if let Some(as_it_was) = following.iter().find(|column| column.name == old.name) {
                self.alter_column(&table, as_it_was.clone(), new);
            }
        }
    }

    fn alter_column(&mut self, table: &str, from: Column, to: &Column) {
        let step = |from: Column, to: Column| Step::AlterColumn {
            table: table.to_owned(),
            from: Box::new(from),
            to: Box::new(to),
            using: None,
        };
        // Where it can only number rows once its key is there, that comes last.
        if self.dialect.facts().identity_needs_key && from.identity.is_none() && to.identity.is_some() {
            let plain = Column { identity: None, ..to.clone() };
            if from != plain {
                self.stages.alter_columns.push(step(from, plain.clone()));
            }
            self.stages.grant_identities.push(step(plain, to.clone()));
            return;
        }
        self.stages.alter_columns.push(step(from, to.clone()));
    }

    /// Changes a column whose rows get values on the way.
    fn alter_with_values(&mut self, table: &Table, from: Column, to: &Column, values: &Values) {
        let alter = |from: &Column, to: &Column, using: Option<&str>| Step::AlterColumn {
            table: table.name.clone(),
            from: Box::new(from.clone()),
            to: Box::new(to.clone()),
            using: using.map(str::to_owned),
        };
        let optional = Column { nullable: true, ..to.clone() };
        match values {
            Values::Fill(expression) if from.ty == to.ty => {
                self.stages.fill_columns.push(self.fill(table, &to.name, expression, true));
                if from != *to {
                    self.alter_column(&table.name, from, to);
                }
            }
            Values::Fill(expression) => {
                let filled = self.fill(table, &to.name, expression, true);
                self.stages.alter_columns.extend([alter(&from, &optional, None), filled]);
                self.alter_column(&table.name, optional, to);
            }
            Values::Convert(expression) if from.ty == to.ty => {
                self.stages.fill_columns.push(self.fill(table, &to.name, expression, false));
                if from != *to {
                    self.alter_column(&table.name, from, to);
                }
            }
            Values::Convert(expression) if self.dialect.facts().converts_in_place => {
                self.stages.alter_columns.push(alter(&from, to, Some(expression)));
            }
            Values::Convert(expression) if self.dialect.holding_both(&from.ty, &to.ty).is_some() => {
                let ty = self.dialect.holding_both(&from.ty, &to.ty).unwrap_or(to.ty.clone());
                let both = Column { ty, ..from.clone() };
                self.stages.alter_columns.extend([
                    alter(&from, &both, None),
                    self.fill(table, &to.name, expression, false),
                    alter(&both, to, Some(expression)),
                ]);
            }
            Values::Convert(expression) => {
                // The new values wait in a column of their own while this one is emptied and gets its new type: so keys
                // and indexes stay on it, and nothing depends on what the server makes of the old values.
                let aside = Column { default: None, comment: None, ..optional.clone() };
                let mut aside = Column { attributes: Default::default(), ..aside };
                aside.name = format!("oak_new_{}", to.name);
                while table.column(&aside.name).is_some() {
                    aside.name.push('_');
                }
                let emptied = Column { nullable: true, default: None, ..from.clone() };
                let retyped = Column { default: None, ..optional };
                let name = self.dialect.quote(&aside.name);
                let fills = [(&aside.name, expression.as_str()), (&to.name, "null"), (&to.name, &name)]
                    .map(|(column, value)| self.fill(table, column, value, false));
                let [into_aside, emptying, back] = fills;
                let steps = &mut self.stages.alter_columns;
                steps.push(Step::AddColumn {
                    table: table.name.clone(),
                    column: aside.clone(),
                    checks: Vec::new(),
                    foreign_keys: Vec::new(),
                    key: None,
                });
                steps.push(into_aside);
                if from != emptied {
                    steps.push(alter(&from, &emptied, None));
                }
                steps.push(emptying);
                steps.push(alter(&emptied, &retyped, Some(expression)));
                steps.push(back);
                if retyped != *to {
                    steps.push(alter(&retyped, to, None));
                }
                steps.push(Step::DropColumn { table: table.name.clone(), column: aside });
            }
        }
    }

    /// A step that gives rows of a table values.
    fn fill(&self, table: &Table, column: &str, expression: &str, only_missing: bool) -> Step {
        let moves = |other: &&Column| other.attributes.iter().any(|one| one.starts_with("on update"));
        let untouched = table.columns.iter().filter(|other| other.name != column).filter(moves);
        let key = table.primary_key.iter().flat_map(|key| &key.columns);
        let key: Vec<Column> = key.filter_map(|part| table.column(&part.name).cloned()).collect();
        let batch = self.choices.batch.filter(|_| only_missing && !key.is_empty());
        Step::FillColumn {
            table: table.name.clone(),
            column: column.to_owned(),
            expression: expression.to_owned(),
            only_missing,
            untouched: untouched.map(|other| other.name.clone()).collect(),
            constrained: self.is_ruled(table, column),
            batch: batch.map(|rows| Batch { rows, key }),
        }
    }

    /// Whether a key, reference, check or exclusion may look at a column while it gets values.
    fn is_ruled(&self, table: &Table, column: &str) -> bool {
        let refers = |key: &ForeignKey| {
            let is = |name: &String| table.case.same_item(name, column);
            self.to.key(&key.referenced_table) == table.key() && key.referenced_columns.iter().any(is)
        };
        let excludes = |one: &Program| {
            one.word.as_deref() == Some("constraint")
                && one.after.contains(&table.name)
                && with_computed(table, column).into_iter().any(|read| one.body.mentions(read))
        };
        is_ruled(table, column)
            || self.to.tables().flat_map(|other| &other.foreign_keys).any(refers)
            || self.to.programs().any(excludes)
    }

    /// Drops a column that is made anew, by the names from before; those that read it first.
    fn drop_computed(&mut self, table: &Table, column: &Column) {
        let step = Step::DropColumn { table: table.name.clone(), column: column.clone() };
        let reader = |other: &Step| match other {
            Step::DropColumn { table: owner, column: other } => {
                *owner == table.name
                    && other.generated.as_ref().is_some_and(|one| one.expression.mentions(&column.name))
            }
            _ => false,
        };
        let mentioned = |other: &Step| match (other, &column.generated) {
            (Step::DropColumn { table: owner, column: other }, Some(one)) => {
                *owner == table.name && one.expression.mentions(&other.name)
            }
            _ => false,
        };
        let drops = &mut self.stages.drop_computed;
        let after_readers = drops.iter().rposition(reader).map_or(0, |at| at + 1);
        let before_read = drops.iter().position(mentioned).unwrap_or(drops.len());
        drops.insert(before_read.max(after_readers).min(drops.len()), step);
    }

    fn add_column(&mut self, table: &Table, column: &Column) {
        let facts = self.dialect.facts();
        let key = self.key_of_identity(table, column);
        let mut step = Step::AddColumn {
            table: table.name.clone(),
            column: column.clone(),
            checks: Vec::new(),
            foreign_keys: Vec::new(),
            key,
        };
        let is_filled = column.nullable || column.default.is_some() || column.generated.is_some();
        let values = self.choices.values_of(&table.name, &column.name).filter(|_| column.generated.is_none());
        let apart = || column.default.as_deref().filter(|default| self.dialect.fills_apart(default));
        let filling = values.map(Values::expression).or_else(|| apart().map(Expression::text));
        if let Some(expression) = filling {
            // First without a default, which would fill old rows as well.
            let optional = Column { nullable: true, default: None, ..column.clone() };
            if let Step::AddColumn { column, .. } = &mut step {
                *column = optional.clone();
            }
            self.stages.fill_columns.push(self.fill(table, &column.name, expression, true));
            if optional != *column {
                self.alter_column(&table.name, optional, column);
            }
        } else if facts.fills_silently && !is_filled && column.identity.is_none() {
            // First without a value, then required: where rows are there, the second step is refused, instead of the
            // server making up values.
            let optional = Column { nullable: true, ..column.clone() };
            if let Step::AddColumn { column, .. } = &mut step {
                *column = optional.clone();
            }
            self.alter_column(&table.name, optional, column);
        }
        match &column.generated {
            None => self.stages.add_columns.push(step),
            Some(generated) => {
                // Behind the generated columns that it reads.
                let adds = &mut self.stages.add_computed;
                let reads_new = |other: &Step| match other {
                    Step::AddColumn { table: owner, column: new, .. } => {
                        *owner == table.name
                            && new.generated.as_ref().is_some_and(|one| one.expression.mentions(&column.name))
                    }
                    _ => false,
                };
                debug_assert!(!generated.expression.mentions(&column.name), "circles are refused");
                let at = adds.iter().position(reads_new).unwrap_or(adds.len());
                adds.insert(at, step);
            }
        }
    }

    /// The key that a new column which numbers rows has to come with.
    fn key_of_identity(&self, table: &Table, column: &Column) -> Option<Constraint> {
        if !self.dialect.facts().identity_needs_key || column.identity.is_none() {
            return None;
        }
        let begins = |columns: &[KeyColumn]| columns.first().is_some_and(|first| first.name == column.name);
        let primary = table.primary_key.as_ref().filter(|key| begins(&key.columns));
        let unique = table.uniques.iter().find(|key| begins(&key.columns));
        primary.map(|key| Constraint::PrimaryKey(key.clone())).or(unique.map(|key| Constraint::Unique(key.clone())))
    }
}
