//! What the rows of a target can be asked before a plan changes them.
//!
//! A plan is made with no database at hand, and can only say what might be. With one at hand, [`questions`] turns that into
//! numbers: how many rows would be refused, and how many values lost. They are asked of a database that is as the plan
//! expects it, so they name everything as it is called before the first step, and what the plan fills or converts is
//! passed over: it is another value by then.

use std::collections::BTreeMap;

use super::choices::{Choices, Kept, Values};
use super::renaming::{self, Renamed};
use super::rows;
use crate::Dialect;
use crate::dialect::Altering;
use crate::diff::{Change, Changes, ItemChange, Renames, RowChanges, TableAlteration, TableChange, diff, diff_rows};
use crate::physical::{
    Check, Column, EnumType, ForeignKey, Index, IndexKey, KeyColumn, Options, Program, Schema, Table,
};
use crate::schema::Action;
use crate::sql::Expression;

/// Longer lists of keys are not sent.
const KEYS: usize = 1000;

/// What is asked.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// The table, by its name before the plan.
    pub table: String,
    /// Which of its rows are counted.
    pub about: About,
    /// What it means that there are some.
    pub matter: Matter,
    /// Rows that do not count: the plan takes them out before it comes to the others.
    pub besides: Option<Keys>,
}

/// A column whose values are compared.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Compared {
    /// The column.
    pub name: String,
    /// By which collation, where it is not the one that it has now.
    pub collation: Option<String>,
    /// What rows without a value get before they are compared, in SQL in the names from before.
    pub fill: Option<String>,
}

/// Rows by their keys.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Keys {
    /// The columns of the key.
    pub columns: Vec<String>,
    /// The keys, each with its values in SQL.
    pub values: Vec<Vec<String>>,
}

/// What it means that rows are counted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Matter {
    /// The plan fails on them.
    Refuses,
    /// Values of theirs are not there afterwards, or are other ones.
    Loses,
    /// It is worth knowing.
    Tells,
}

/// Rows to be counted. Columns are named as before the plan.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum About {
    /// All of them.
    Rows,
    /// All of them: a required column comes, and nothing says what it holds.
    Required {
        /// The column, by its name afterwards.
        column: String,
    },
    /// Those with a value in a column.
    Values {
        /// The column.
        column: String,
        /// A value that does not count, in SQL: what rows get unasked.
        default: Option<String>,
    },
    /// Those without a value in a column.
    Missing {
        /// The column.
        column: String,
    },
    /// Those that are left without a value where one is required, by the expression that should give them one.
    Unfilled {
        /// The column, by its name afterwards.
        column: String,
        /// The same by its name before, where only rows without a value get one.
        missing: Option<String>,
        /// The expression, in the names from before.
        expression: String,
    },
    /// Those with a value that another type does not hold as it is.
    Misfit {
        /// The column.
        column: String,
        /// A condition in SQL that is true of them.
        condition: String,
        /// The other type, as it was declared.
        to: String,
    },
    /// Those with a value that loses the spaces at its end.
    Trimmed {
        /// The column.
        column: String,
        /// A condition in SQL that is true of them.
        condition: String,
        /// The other type, as it was declared.
        to: String,
    },
    /// Those that share the values of some columns with another row; nulls are never shared.
    Shared {
        /// The columns.
        columns: Vec<Compared>,
        /// A condition in SQL: other rows do not count.
        among: Option<String>,
    },
    /// Those that reference a row which is not there.
    Dangling {
        /// The columns.
        columns: Vec<String>,
        /// The table where it should be.
        referenced: String,
        /// Its columns.
        keys: Vec<Compared>,
    },
    /// Those for which a condition in SQL is false.
    Unmet {
        /// The condition, in the names from before.
        condition: String,
    },
    /// Those with one of some words.
    Words {
        /// The column.
        column: String,
        /// Whether it is an array of the enum.
        is_array: bool,
        /// The words.
        words: Vec<String>,
    },
    /// Those for which nothing was put aside in a table of the tool's own.
    Unkept {
        /// The column whose values were put aside, by its name afterwards.
        column: String,
        /// The tool's own table.
        kept: String,
        /// The columns of the key in the table, each with its name and its expression in the tool's own.
        key: Vec<(String, String)>,
    },
    /// Those with one of some keys.
    Keyed {
        /// The columns of the key.
        key: Vec<String>,
        /// The keys, each with its values in SQL.
        keys: Vec<Vec<String>>,
        /// Why they matter.
        why: Keyed,
    },
}

impl About {
    /// Whether the values of a column, as it was called before, decide which rows are counted.
    fn looks_at(&self, name: &str) -> bool {
        match self {
            Self::Rows | Self::Keyed { .. } => false,
            Self::Unfilled { missing, expression, .. } => missing.as_deref() == Some(name) || expression.contains(name),
            Self::Required { column }
            | Self::Values { column, .. }
            | Self::Missing { column }
            | Self::Misfit { column, .. }
            | Self::Trimmed { column, .. }
            | Self::Unkept { column, .. }
            | Self::Words { column, .. } => column == name,
            Self::Shared { columns, .. } => columns.iter().any(|one| one.name == name),
            Self::Dangling { columns, .. } => columns.iter().any(|one| one == name),
            Self::Unmet { condition } => condition.contains(name),
        }
    }
}

/// Why rows with certain keys matter.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Keyed {
    /// Rows with the same keys come.
    Come,
    /// The rows of the table that they reference go.
    Go {
        /// The table that they reference.
        referenced: String,
        /// Whether they are deleted with those.
        cascades: bool,
    },
}

/// Rows that were counted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Count {
    /// Those that were asked for.
    pub found: u64,
    /// All of the table.
    pub all: u64,
}

/// What can be asked before `plan` leads from one schema to the other with these choices.
pub fn questions(dialect: Dialect, from: &Schema, to: &Schema, choices: &Choices) -> Vec<Question> {
    let Renamed { schema: now, renames, .. } = renaming::renamed(dialect, from, to, &choices.renames);
    let changes = diff(&now, to);
    let choices = rows::with_fills(dialect, &now, to, choices);
    let row_changes = diff_rows(&now, to);
    let asking = Asking {
        dialect,
        from,
        now: &now,
        to,
        renames: &renames,
        choices: &choices,
        row_changes: &row_changes,
        found: Vec::new(),
    };
    asking.all(&changes)
}

struct Asking<'a> {
    dialect: Dialect,
    /// Under the old names.
    from: &'a Schema,
    /// The same under the new ones.
    now: &'a Schema,
    to: &'a Schema,
    renames: &'a Renames,
    choices: &'a Choices,
    row_changes: &'a [RowChanges],
    found: Vec<Question>,
}

impl Asking<'_> {
    fn all(mut self, changes: &Changes) -> Vec<Question> {
        for change in &changes.programs {
            if let Change::Drop(one) | Change::Alter { from: one, .. } = change {
                self.taken_along(one, &changes.tables);
            }
        }
        for change in &changes.tables {
            match change {
                TableChange::Add(_) => {}
                TableChange::Drop(table) => self.dropped(table),
                TableChange::Alter(alteration) => self.altered(alteration),
            }
        }
        for table in self.to.tables().filter(|table| self.choices.values.keys().any(|(owner, _)| *owner == table.name))
        {
            let is_altered = |change: &TableChange| change.altered().is_some_and(|altered| altered.name == table.name);
            if let Some(before) = self.now.table(&table.name).filter(|_| !changes.tables.iter().any(is_altered)) {
                self.compared_anew(before, table);
            }
        }
        for change in &changes.enums {
            if let Change::Alter { from, to } | Change::Rename { from, to } = change {
                self.words(from, to);
            }
        }
        for change in self.row_changes {
            self.rows(change);
        }
        for kept in &self.choices.returning {
            self.returning(kept);
        }
        self.found.sort_by_key(|question| question.matter);
        self.found
    }

    // ---- names ----------------------------------------------------------------------------------------------------

    /// What a table was called; nothing where it was not there.
    fn table(&self, new: &str) -> Option<&Table> {
        self.now.table(new)?;
        self.from.table(self.renames.former_table(new).unwrap_or(new))
    }

    /// What a column was called; nothing where it was not there.
    fn column(&self, table: &str, new: &str) -> Option<String> {
        let was = self.table(table)?;
        self.now.table(table)?.column(new)?;
        let names = self.renames.columns_of(&was.name);
        let old = names.and_then(|names| names.iter().find(|(_, name)| was.case.same_item(name, new)));
        let old = old.map_or(new, |(old, _)| old.as_str());
        Some(was.column(old)?.name.clone())
    }

    /// The same of a column whose values are those of before when the plan comes to them.
    fn untouched(&self, table: &str, new: &str) -> Option<String> {
        let before = self.now.table(table)?.column(new)?;
        let stays = self.to.table(table)?.column(new)?;
        let is_decided = self.choices.values_of(table, new).is_some();
        (!is_decided && before.ty == stays.ty && before.generated == stays.generated)
            .then(|| self.column(table, new))
            .flatten()
    }

    fn all_untouched<'n>(&self, table: &str, names: impl IntoIterator<Item = &'n str>) -> Option<Vec<String>> {
        names.into_iter().map(|name| self.untouched(table, name)).collect()
    }

    /// A column that is compared as it will be: its values are those of before, its collation may be another one. `with`
    /// is the one that it is compared with, in another table.
    fn compared(&self, table: &str, new: &str, with: Option<(&str, &str)>) -> Option<Compared> {
        let name = self.untouched(table, new)?;
        let collation = |schema: &Schema, table: &str, column: &str| {
            let table = schema.table(table)?;
            self.dialect.collation(table, table.column(column)?)
        };
        let later = collation(self.to, table, new);
        let is_same = |other: Option<String>| other.is_none() || other == later;
        let now = is_same(collation(self.now, table, new));
        let there = with.is_none_or(|(table, column)| is_same(collation(self.now, table, column)));
        Some(Compared { name, collation: later.filter(|_| !(now && there)), fill: None })
    }

    /// A column of a key, which rows without a value may be filled in.
    fn keyed(&self, table: &str, new: &str) -> Option<Compared> {
        let Some(Values::Fill(expression)) = self.choices.values_of(table, new) else {
            return self.compared(table, new, None);
        };
        let (before, after) = (self.now.table(table)?.column(new)?, self.to.table(table)?.column(new)?);
        let is_same = before.ty == after.ty && before.collation == after.collation && before.generated.is_none();
        let name = self.column(table, new).filter(|_| is_same && after.generated.is_none())?;
        Some(Compared { name, collation: None, fill: Some(self.giving(table, new, expression)?) })
    }

    /// An expression in the names from before; nothing where that is not certain.
    fn expression(&self, table: &str, expression: &Expression) -> Option<String> {
        if !expression.is_parsed() || expression.columns().is_empty() {
            return None;
        }
        let mut old = BTreeMap::new();
        for reference in expression.columns() {
            old.insert(reference.name.clone(), self.untouched(table, &reference.name)?);
        }
        let quoted = |name: &String| self.dialect.quote(name);
        Some(expression.respelled(|reference| old.get(&reference.name).map(quoted), |_| None))
    }

    fn ask(&mut self, table: &str, about: About, matter: Matter) {
        let besides = self.given(table, &about);
        self.ask_besides(table, about, matter, besides);
    }

    /// The reference rows that go before the plan comes to a question, and those that get other values for what it looks
    /// at.
    fn given(&self, table: &str, about: &About) -> Option<Keys> {
        let is_it = |change: &&RowChanges| self.now.key(&change.table) == self.now.key(table);
        let change = self.row_changes.iter().find(is_it)?;
        let columns = change.key.iter().map(|name| self.column(table, name)).collect::<Option<Vec<_>>>()?;
        let mut values = change.deleted.clone();
        let changes = change.updated.iter().filter(|row| {
            row.changes.iter().any(|(name, ..)| self.column(table, name).is_some_and(|name| about.looks_at(&name)))
        });
        values.extend(changes.map(|row| row.key.clone()));
        (1..=KEYS).contains(&values.len()).then_some(Keys { columns, values })
    }

    fn ask_besides(&mut self, table: &str, about: About, matter: Matter, besides: Option<Keys>) {
        let Some(table) = self.table(table).map(|table| table.name.clone()) else { return };
        let question = Question { table, about, matter, besides };
        if !self.found.contains(&question) {
            self.found.push(question);
        }
    }

    // ---- what goes ------------------------------------------------------------------------------------------------

    fn dropped(&mut self, table: &Table) {
        let Some(was) = self.table(&table.name).map(|was| was.name.clone()) else { return };
        if self.choices.keeps(&was, None).is_some() {
            return;
        }
        let declared = self.declared(&was, None);
        self.ask_besides(&table.name, About::Rows, Matter::Loses, declared);
    }

    /// The rows of something that is an object, unless it goes with its table.
    fn taken_along(&mut self, one: &Program, tables: &[TableChange]) {
        let goes = |change: &TableChange| matches!(change, TableChange::Drop(table) if one.after.contains(&table.name));
        if one.holds_rows() && !tables.iter().any(goes) {
            let (table, about, matter) = (one.name.clone(), About::Rows, Matter::Loses);
            self.found.push(Question { table, about, matter, besides: None });
        }
    }

    /// The rows that the declaration names, in all or in a column: what it says is not lost.
    fn declared(&self, was: &str, column: Option<&str>) -> Option<Keys> {
        let set = self.from.rows_of(was).filter(|set| (1..=KEYS).contains(&set.rows.len()))?;
        let tells = column.is_none_or(|column| set.place(column).is_some());
        tells.then(|| Keys {
            columns: set.key.clone(),
            values: set.rows.iter().filter_map(|row| set.key_of(row, &set.key)).collect(),
        })
    }

    fn dropped_column(&mut self, table: &Table, column: &Column) {
        if column.generated.is_some() {
            return;
        }
        let Some(was) = self.table(&table.name).map(|was| was.name.clone()) else { return };
        let Some(old) = self.column(&table.name, &column.name) else { return };
        if self.choices.keeps(&was, Some(&old)).is_some() {
            return;
        }
        let default = column.default.as_ref().filter(|default| default.is_literal());
        let default = default.map(|default| default.text().to_owned());
        let default = default.filter(|text| !text.eq_ignore_ascii_case("null"));
        let besides = self.declared(&was, Some(&old));
        let about = About::Values { column: old, default };
        let besides = besides.or_else(|| self.given(&table.name, &about));
        self.ask_besides(&table.name, about, Matter::Loses, besides);
    }

    // ---- what changes ---------------------------------------------------------------------------------------------

    fn altered(&mut self, alteration: &TableAlteration) {
        let TableAlteration { from, to, items } = alteration;
        for change in items {
            match change {
                ItemChange::Column(Change::Drop(column)) => self.dropped_column(from, column),
                ItemChange::Column(Change::Add(column)) => self.added_column(to, column),
                ItemChange::Column(Change::Alter { from: old, to: new }) => self.altered_column(from, to, old, new),
                ItemChange::PrimaryKey(Change::Add(key) | Change::Alter { to: key, .. }) => {
                    self.shared(to, &key.columns, &key.attributes);
                }
                ItemChange::Unique(Change::Add(key) | Change::Alter { to: key, .. }) => {
                    self.shared(to, &key.columns, &key.attributes);
                }
                ItemChange::Index(Change::Add(index) | Change::Alter { to: index, .. }) => self.index(to, index),
                ItemChange::ForeignKey(Change::Add(key)) => self.reference(to, key),
                ItemChange::ForeignKey(Change::Alter { from: old, to: key }) => {
                    let same = old.columns == key.columns
                        && old.referenced_table == key.referenced_table
                        && old.referenced_columns == key.referenced_columns;
                    if !same {
                        self.reference(to, key);
                    }
                }
                ItemChange::Check(Change::Add(check)) => self.check(to, check),
                ItemChange::Check(Change::Alter { from: old, to: check }) if old.expression != check.expression => {
                    self.check(to, check);
                }
                _ => {}
            }
        }
        self.compared_anew(from, to);
    }

    /// The keys that may see as equal what they did not, since a collation changes under them, or rows without a value get
    /// one.
    fn compared_anew(&mut self, from: &Table, to: &Table) {
        let (dialect, choices) = (self.dialect, self.choices);
        let collation = |table: &Table, name: &str| dialect.collation(table, table.column(name)?);
        let changes = |name: &str| match (collation(from, name), collation(to, name)) {
            (Some(before), Some(after)) if before != after => true,
            _ => matches!(choices.values_of(&to.name, name), Some(Values::Fill(_))),
        };
        let keys = to.primary_key.iter().map(|key| (&key.columns, &key.attributes));
        for (columns, attributes) in keys.chain(to.uniques.iter().map(|key| (&key.columns, &key.attributes))) {
            if columns.iter().any(|part| changes(&part.name)) {
                self.shared(to, columns, attributes);
            }
        }
        let is_compared = |index: &&Index| {
            index.parts.iter().any(|part| matches!(&part.key, IndexKey::Column(name) if changes(name)))
        };
        for index in to.indexes.iter().filter(is_compared) {
            self.index(to, index);
        }
    }

    /// Rows that are left without a value, though an expression was to give them one.
    fn unfilled(&mut self, table: &Table, column: &Column, missing: Option<String>, expression: &str) {
        if column.nullable || column.generated.is_some() || self.dialect.gives_a_value(expression) {
            return;
        }
        if let Some(expression) = self.giving(&table.name, &column.name, expression) {
            let about = About::Unfilled { column: column.name.clone(), missing, expression };
            self.ask(&table.name, about, Matter::Refuses);
        }
    }

    /// What gives a column its values, in the names from before; nothing where it reads what is not there yet, or is
    /// another value by then.
    fn giving(&self, table: &str, column: &str, text: &str) -> Option<String> {
        let expression = Expression::read(text, self.dialect.syntax());
        let before = |table: &str, name: &str| match self.to.table(table).and_then(|after| after.column(name)) {
            Some(after) if after.name != column => self.untouched(table, name),
            _ => self.column(table, name),
        };
        if expression.is_parsed() {
            let mut old = BTreeMap::new();
            for reference in expression.columns() {
                old.insert(reference.name.clone(), self.dialect.quote(&before(table, &reference.name)?));
            }
            return Some(expression.respelled(|reference| old.get(&reference.name).cloned(), |_| None));
        }
        // Of a sub-select only the words are known: each has to mean what it will mean then.
        let as_before = |word: &str| {
            let known = |schema: &Schema| schema.table(word).is_some();
            let has = |table: &&Table| table.column(word).is_some();
            known(self.now) == known(self.to)
                && self.to.tables().filter(has).all(|one| before(&one.name, word).is_some())
        };
        let is_plain = self.renames.is_empty() && expression.columns().iter().all(|word| as_before(&word.name));
        is_plain.then(|| expression.text().to_owned())
    }

    fn added_column(&mut self, table: &Table, column: &Column) {
        let is_given = column.nullable
            || column.default.is_some()
            || column.generated.is_some()
            || column.numbers_rows()
            || self.dialect.numbers_unasked(table) == Some(column.name.as_str());
        if let Some(values) = self.choices.values_of(&table.name, &column.name) {
            let expression = values.expression().to_owned();
            self.unfilled(table, column, None, &expression);
        } else if !is_given {
            self.ask(&table.name, About::Required { column: column.name.clone() }, Matter::Refuses);
        }
    }

    fn altered_column(&mut self, before: &Table, after: &Table, old: &Column, new: &Column) {
        let in_place = self.dialect.facts().altering == Altering::InPlace;
        if in_place && old.generated.is_some() && !self.dialect.keeps_computed(old, new) {
            // It is dropped, and another one comes; what is made anew takes the values along.
            self.added_column(after, new);
            return;
        }
        let decided = self.choices.values_of(&after.name, &new.name).cloned();
        let is_decided = decided.is_some();
        let Some(name) = self.column(&before.name, &old.name) else { return };
        match decided {
            Some(Values::Convert(expression)) => return self.unfilled(after, new, None, &expression),
            Some(Values::Fill(expression)) if old.nullable => {
                self.unfilled(after, new, Some(name.clone()), &expression);
            }
            _ => {}
        }
        if old.nullable && !new.nullable && !is_decided && new.generated.is_none() {
            self.ask(&after.name, About::Missing { column: name.clone() }, Matter::Refuses);
        }
        if old.generated.is_none() && new.generated.is_some() {
            self.ask(&after.name, About::Values { column: name.clone(), default: None }, Matter::Loses);
        }
        if old.ty == new.ty || old.generated.is_some() || new.generated.is_some() {
            return;
        }
        let misfits = self.dialect.misfits(&old.ty, &new.ty, &self.dialect.quote(&name));
        let to = new.declared_type.0.clone().unwrap_or_else(|| new.ty.text().to_owned());
        let mut ask = |condition: Option<String>, matter| {
            if let Some(condition) = condition {
                let about = About::Misfit { column: name.clone(), condition, to: to.clone() };
                self.ask(&after.name, about, matter);
            }
        };
        ask(misfits.refused, Matter::Refuses);
        ask(misfits.changed, Matter::Loses);
        ask(misfits.kept, Matter::Tells);
        if let Some(condition) = misfits.trimmed {
            self.ask(&after.name, About::Trimmed { column: name, condition, to }, Matter::Tells);
        }
    }

    fn shared(&mut self, table: &Table, key: &[KeyColumn], attributes: &Options) {
        // What the key sees as equal, the columns may not.
        if key.iter().any(|column| column.collation.is_some()) || !attributes.is_empty() {
            return;
        }
        let columns = key.iter().map(|column| self.keyed(&table.name, &column.name));
        if let Some(columns) = columns.collect() {
            self.ask(&table.name, About::Shared { columns, among: None }, Matter::Refuses);
        }
    }

    fn index(&mut self, table: &Table, index: &Index) {
        if !index.unique || !index.attributes.is_empty() {
            return;
        }
        let plain = index.parts.iter().map(|part| match &part.key {
            IndexKey::Column(name) if part.collation.is_none() && part.prefix.is_none() && part.operators.is_none() => {
                self.keyed(&table.name, name)
            }
            _ => None,
        });
        let Some(columns) = plain.collect::<Option<Vec<_>>>() else { return };
        let among = match &index.predicate {
            None => None,
            Some(predicate) => match self.expression(&table.name, predicate) {
                None => return,
                found => found,
            },
        };
        self.ask(&table.name, About::Shared { columns, among }, Matter::Refuses);
    }

    fn reference(&mut self, table: &Table, key: &ForeignKey) {
        let overlooks = |one: &str| key.attributes.contains(one);
        if overlooks("not valid") || overlooks("not enforced") {
            return;
        }
        let Some(columns) = self.all_untouched(&table.name, key.columns.iter().map(String::as_str)) else { return };
        let pairs = key.referenced_columns.iter().zip(&key.columns);
        let keys = pairs.map(|(name, column)| self.compared(&key.referenced_table, name, Some((&table.name, column))));
        let keys = keys.collect::<Option<Vec<_>>>();
        let (Some(keys), Some(referenced)) = (keys, self.table(&key.referenced_table).map(|one| one.name.clone()))
        else {
            return;
        };
        let comes = |change: &RowChanges| {
            self.now.key(&change.table) == self.now.key(&key.referenced_table) && !change.inserted.is_empty()
        };
        // What it needs may be among the rows that come.
        if self.row_changes.iter().any(comes) {
            return;
        }
        self.ask(&table.name, About::Dangling { columns, referenced, keys }, Matter::Refuses);
    }

    fn check(&mut self, table: &Table, check: &Check) {
        let overlooks = |one: &str| check.attributes.contains(one);
        if overlooks("not valid") || overlooks("not enforced") {
            return;
        }
        if let Some(condition) = self.expression(&table.name, &check.expression) {
            self.ask(&table.name, About::Unmet { condition }, Matter::Refuses);
        }
    }

    fn words(&mut self, from: &EnumType, to: &EnumType) {
        let replaced = self.choices.replaced.get(&to.name);
        let gone = from.words.iter().filter(|word| !to.words.contains(word));
        let gone = gone.filter(|word| !replaced.is_some_and(|replaced| replaced.contains_key(*word)));
        // One that made way for another still has its name.
        let renamed = self.renames.words.get(&to.name);
        let old = |word: &String| {
            let found = renamed.and_then(|words| words.iter().find(|(_, new)| *new == word));
            found.map_or(word.clone(), |(old, _)| old.clone())
        };
        let words: Vec<String> = gone.map(old).collect();
        if words.is_empty() {
            return;
        }
        for table in self.now.tables() {
            for column in &table.columns {
                let stays = self.to.table(&table.name).and_then(|after| after.column(&column.name));
                let is_of = |column: &Column| self.dialect.is_of_enum(&column.ty, &to.name);
                if !is_of(column) || column.generated.is_some() || !stays.is_some_and(is_of) {
                    continue;
                }
                if let Some(name) = self.untouched(&table.name, &column.name) {
                    let is_array = column.ty.text().ends_with("[]");
                    let about = About::Words { column: name, is_array, words: words.clone() };
                    self.ask(&table.name, about, Matter::Refuses);
                }
            }
        }
    }

    // ---- rows -----------------------------------------------------------------------------------------------------

    fn rows(&mut self, change: &RowChanges) {
        let key = |names: &[String]| -> Option<Vec<String>> {
            names.iter().map(|name| self.column(&change.table, name)).collect()
        };
        if let Some(key) = key(&change.key).filter(|_| !change.inserted.is_empty()) {
            let places: Option<Vec<usize>> =
                change.key.iter().map(|name| change.columns.iter().position(|one| one == name)).collect();
            let keys = places.map(|places| {
                let of = |row: &Vec<String>| places.iter().filter_map(|at| row.get(*at).cloned()).collect();
                change.inserted.iter().map(of).collect::<Vec<Vec<String>>>()
            });
            if let Some(keys) = keys.filter(|keys| keys.len() <= KEYS) {
                let about = About::Keyed { key, keys, why: Keyed::Come };
                self.ask(&change.table, about, Matter::Refuses);
            }
        }
        if change.deleted.is_empty() || change.deleted.len() > KEYS {
            return;
        }
        for table in self.now.tables() {
            for reference in &table.foreign_keys {
                let is_it = self.now.key(&reference.referenced_table) == self.now.key(&change.table)
                    && reference.referenced_columns == change.key;
                let stays = |after: &Table| after.foreign_keys.iter().any(|other| other.columns == reference.columns);
                if !self.to.table(&table.name).is_some_and(stays) {
                    continue;
                }
                let columns: Option<Vec<String>> =
                    reference.columns.iter().map(|name| self.column(&table.name, name)).collect();
                let (true, Some(columns)) = (is_it, columns) else { continue };
                let (cascades, matter) = match reference.on_delete {
                    Action::Cascade => (true, Matter::Loses),
                    Action::SetNull | Action::SetDefault => (false, Matter::Loses),
                    _ => (false, Matter::Refuses),
                };
                let why = Keyed::Go { referenced: change.table.clone(), cascades };
                let about = About::Keyed { key: columns, keys: change.deleted.clone(), why };
                self.ask(&table.name, about, matter);
            }
        }
    }

    /// Rows that came since, or got another key, are not in what was put aside.
    fn returning(&mut self, kept: &Kept) {
        let Some(column) = &kept.column else { return };
        let Some(after) = self.to.table(&kept.table).and_then(|table| table.column(column)) else { return };
        let key: Option<Vec<(String, String)>> = kept
            .columns
            .iter()
            .filter(|(name, _)| name != column)
            .map(|(name, _)| Some((self.untouched(&kept.table, name)?, name.clone())))
            .collect();
        let Some(key) = key.filter(|key| !key.is_empty()) else { return };
        let matter = match after.nullable || after.default.is_some() {
            true => Matter::Tells,
            false => Matter::Refuses,
        };
        let about = About::Unkept { column: column.clone(), kept: kept.name.clone(), key };
        self.ask(&kept.table, about, matter);
    }
}
