//! What a thing of one schema is called in another.
//!
//! Two schemas alone do not tell a rename from one thing that went and another that came. `formerly` in the declarations
//! tells ([`Renames::between`]), or a choice made when a migration is drafted. A schema under its new names
//! ([`Schema::renamed`]) is then compared as if nothing had been renamed.

use std::collections::{BTreeMap, BTreeSet};

use crate::physical::{IndexKey, KeyColumn, RowSet, Schema, Table};
use crate::schema;
use crate::sql::Expression;

/// Old names and the new ones they became.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Renames {
    /// Tables, by their old names.
    pub tables: BTreeMap<String, String>,
    /// Columns, by the old names of their tables and their own.
    pub columns: BTreeMap<String, BTreeMap<String, String>>,
    /// Words, by the names of their enums and their own.
    pub words: BTreeMap<String, BTreeMap<String, String>>,
}

impl Renames {
    /// What `after` says was called otherwise in `before`.
    ///
    /// A `formerly` counts where `before` has the old name and does not say the same itself: then the rename was made
    /// before it. So it may stay in a file for ever. What only changes its letter case is the same without a word.
    pub fn between(before: &schema::Schema, after: &schema::Schema) -> Self {
        let mut renames = Self::default();
        for table in after.tables() {
            let same = before.table(table.name.as_str());
            let old = table.formerly.as_ref().filter(|old| {
                before.table(old.as_str()).is_some() && same.is_none_or(|same| same.formerly.as_ref() != Some(old))
            });
            let respelt = || {
                let mut gone = before.tables().filter(|one| after.table(one.name.as_str()).is_none());
                gone.find(|one| one.name.as_str().eq_ignore_ascii_case(table.name.as_str())).map(|one| &one.name)
            };
            if let Some(old) = old.or_else(|| same.is_none().then(respelt).flatten()) {
                renames.tables.insert(old.to_string(), table.name.to_string());
            }
        }
        for table in after.tables() {
            let old_name = renames.former_table(table.name.as_str()).unwrap_or(table.name.as_str()).to_owned();
            let Some(from) = before.table(&old_name).filter(|_| !renames.is_taken_over(&old_name, table)) else {
                continue;
            };
            for column in &table.columns {
                let same = from.column(&column.name);
                let old = column.formerly.as_ref().filter(|old| {
                    from.column(old).is_some() && same.is_none_or(|same| same.formerly.as_ref() != Some(old))
                });
                let respelt = || {
                    let mut gone = from.columns.iter().filter(|one| table.column(&one.name).is_none());
                    gone.find(|one| one.name.as_str().eq_ignore_ascii_case(column.name.as_str())).map(|one| &one.name)
                };
                if let Some(old) = old.or_else(|| same.is_none().then(respelt).flatten()) {
                    let columns = renames.columns.entry(old_name.clone()).or_default();
                    columns.insert(old.to_string(), column.name.to_string());
                }
            }
        }
        for owner in after.enums() {
            let Some(from) = before.enumeration(owner.name.as_str()) else { continue };
            for (word, old) in &owner.formerly {
                if from.words.contains(old) && from.formerly.get(word) != Some(old) {
                    let words = renames.words.entry(owner.name.to_string()).or_default();
                    words.insert(old.to_string(), word.to_string());
                }
            }
        }
        renames
    }

    /// What `after` says was called otherwise, seen from a database of which nobody knows what was declared: a
    /// `formerly` counts where the old name is there and the new one is not.
    pub fn by_presence(before: &Schema, after: &schema::Schema) -> Self {
        let mut renames = Self::default();
        for table in after.tables() {
            let new = before.table(table.name.as_str());
            let old = table.formerly.as_ref().filter(|_| new.is_none()).and_then(|old| before.table(old.as_str()));
            if let Some(old) = old {
                renames.tables.insert(old.name.clone(), table.name.to_string());
            }
            let Some(from) = old.or(new) else { continue };
            for column in &table.columns {
                let Some(old) = &column.formerly else { continue };
                if let (Some(old), None) = (from.column(old.as_str()), from.column(column.name.as_str())) {
                    let columns = renames.columns.entry(from.name.clone()).or_default();
                    columns.insert(old.name.clone(), column.name.to_string());
                }
            }
        }
        for owner in after.enums() {
            let Some(from) = before.enumeration(owner.name.as_str()) else { continue };
            let there = |word: &schema::Identifier| from.words.iter().any(|one| one == word.as_str());
            for (word, old) in owner.formerly.iter().filter(|(word, old)| there(old) && !there(word)) {
                let words = renames.words.entry(from.name.clone()).or_default();
                words.insert(old.to_string(), word.to_string());
            }
        }
        renames
    }

    /// Whether the table of this name became another one, so that this is a new table under an old name.
    fn is_taken_over(&self, old_name: &str, table: &schema::Table) -> bool {
        self.tables.get(old_name).is_some_and(|new| *new != table.name.as_str())
    }

    /// Whether nothing is renamed.
    pub fn is_empty(&self) -> bool {
        self.tables.is_empty() && self.columns.is_empty() && self.words.is_empty()
    }

    /// The way back.
    pub fn inverse(&self) -> Self {
        let turned = |names: &BTreeMap<String, String>| -> BTreeMap<String, String> {
            names.iter().map(|(old, new)| (new.clone(), old.clone())).collect()
        };
        let columns = self.columns.iter().map(|(table, columns)| (self.new_table(table).to_owned(), turned(columns)));
        Self {
            tables: turned(&self.tables),
            columns: columns.collect(),
            words: self.words.iter().map(|(owner, words)| (owner.clone(), turned(words))).collect(),
        }
    }

    /// These and others, which count where both say something.
    pub fn and(mut self, others: Self) -> Self {
        self.tables.extend(others.tables);
        for (table, columns) in others.columns {
            self.columns.entry(table).or_default().extend(columns);
        }
        for (owner, words) in others.words {
            self.words.entry(owner).or_default().extend(words);
        }
        self
    }

    /// These, and others behind them: from the names before the first to those after the last.
    pub fn then(&self, next: &Self) -> Self {
        fn chained(first: &BTreeMap<String, String>, next: &BTreeMap<String, String>) -> BTreeMap<String, String> {
            let both = first.iter().map(|(old, new)| (old.clone(), next.get(new).unwrap_or(new).clone()));
            let mut all: BTreeMap<_, _> = both.collect();
            let is_new = |name: &String| !first.contains_key(name) && !first.values().any(|new| new == name);
            all.extend(next.iter().filter(|(old, _)| is_new(old)).map(|(old, new)| (old.clone(), new.clone())));
            all.retain(|old, new| old != new);
            all
        }
        let nothing = BTreeMap::new();
        let before = |new: &String| self.former_table(new).unwrap_or(new).to_owned();
        let tables: BTreeSet<String> = self.columns.keys().cloned().chain(next.columns.keys().map(before)).collect();
        let columns = tables.into_iter().map(|old| {
            let first = self.columns_of(&old).unwrap_or(&nothing);
            let behind = next.columns_of(self.new_table(&old)).unwrap_or(&nothing);
            let both = chained(first, behind);
            (old, both)
        });
        let owners: BTreeSet<&String> = self.words.keys().chain(next.words.keys()).collect();
        let words = owners.into_iter().map(|owner| {
            let of = |renames: &Self| renames.words.get(owner).cloned().unwrap_or_default();
            (owner.clone(), chained(&of(self), &of(next)))
        });
        Self {
            tables: chained(&self.tables, &next.tables),
            columns: columns.filter(|(_, names)| !names.is_empty()).collect(),
            words: words.filter(|(_, names)| !names.is_empty()).collect(),
        }
    }

    /// The renames of tables and columns that are there in `from`, under the exact names they have there, and whose
    /// new names are there in `to`. Case alone is no rename.
    pub fn within(&self, from: &Schema, to: &Schema) -> Self {
        let mut found = Self { words: self.words.clone(), ..Self::default() };
        for (old, new) in &self.tables {
            if let (Some(from), Some(to)) = (from.table(old), to.table(new))
                && from.key() != to.key()
            {
                found.tables.insert(from.name.clone(), to.name.clone());
            }
        }
        for (table, columns) in &self.columns {
            let (Some(from), Some(to)) = (from.table(table), to.table(self.new_table(table))) else { continue };
            let pairs = columns.iter().filter_map(|(old, new)| {
                let (old, new) = (from.column(old)?, to.column(new)?);
                (!from.case.same_item(&old.name, &new.name)).then(|| (old.name.clone(), new.name.clone()))
            });
            let pairs: BTreeMap<_, _> = pairs.collect();
            if !pairs.is_empty() {
                found.columns.insert(from.name.clone(), pairs);
            }
        }
        found
    }

    /// What a table is called afterwards.
    pub fn new_table<'a>(&'a self, old: &'a str) -> &'a str {
        self.tables.get(old).map_or(old, String::as_str)
    }

    /// What a table was called, if it is renamed.
    pub fn former_table(&self, new: &str) -> Option<&str> {
        self.tables.iter().find(|(_, name)| *name == new).map(|(old, _)| old.as_str())
    }

    /// The renamed columns of a table, by its old name.
    pub fn columns_of(&self, table: &str) -> Option<&BTreeMap<String, String>> {
        self.columns.get(table)
    }

    /// Rows by the names that their table and its columns had before.
    pub fn former_rows(&self, set: &RowSet) -> RowSet {
        let table = self.former_table(&set.table).unwrap_or(&set.table);
        let columns = self.columns_of(table);
        let former = |name: &String| {
            let renamed = columns.and_then(|columns| columns.iter().find(|(_, new)| *new == name));
            renamed.map_or(name, |(old, _)| old).clone()
        };
        RowSet {
            table: table.to_owned(),
            key: set.key.iter().map(former).collect(),
            columns: set.columns.iter().map(former).collect(),
            rows: set.rows.clone(),
        }
    }

    /// The old names of tables that are renamed, or in which something is.
    pub fn touched_tables(&self) -> BTreeSet<String> {
        self.tables.keys().chain(self.columns.keys()).cloned().collect()
    }
}

impl Schema {
    /// The schema under new names, wherever a name stands: in keys, references, indexes, checks and computed columns.
    /// Names of constraints and indexes stay, as they do on a server. SQL of the user's own is left as it is.
    pub fn renamed(&self, renames: &Renames, quote: impl Fn(&str) -> String) -> Self {
        if renames.is_empty() {
            return self.clone();
        }
        let tables: Vec<Table> = self.tables().map(|table| renamed_table(table, renames, &quote)).collect();
        let case = self.case();
        let programs = self.programs().cloned().map(|mut program| {
            program.table = program.table.map(|table| renames.new_table(&table).to_owned());
            program
        });
        let enums = self.enums().cloned().map(|mut one| {
            if let Some(words) = renames.words.get(&one.name) {
                rename_words(&mut one.words, words);
            }
            one
        });
        let rows = self.row_sets().cloned().map(|mut set| {
            if let Some(columns) = renames.columns_of(&set.table) {
                rename_list(&mut set.key, columns);
                rename_list(&mut set.columns, columns);
            }
            set.table = renames.new_table(&set.table).to_owned();
            set
        });
        Self::new(case, tables).with_enums(enums).with_programs(programs).with_rows(rows)
    }
}

impl Table {
    /// The table with columns under new names, wherever those stand; see [`Schema::renamed`].
    pub(crate) fn with_columns_renamed(
        &self,
        columns: &BTreeMap<String, String>,
        quote: impl Fn(&str) -> String,
    ) -> Self {
        let columns = BTreeMap::from([(self.name.clone(), columns.clone())]);
        renamed_table(self, &Renames { columns, ..Renames::default() }, &quote)
    }
}

fn rename_words(list: &mut [String], words: &BTreeMap<String, String>) {
    for word in list {
        if let Some(new) = words.get(word) {
            word.clone_from(new);
        }
    }
}

fn renamed_table(table: &Table, renames: &Renames, quote: &impl Fn(&str) -> String) -> Table {
    let mut new = table.clone();
    new.name = renames.new_table(&table.name).to_owned();
    if table.parents().iter().any(|parent| renames.new_table(parent) != parent) {
        new.options = table.options_with_renamed_parents(|name| renames.new_table(name).to_owned(), quote);
    }
    for key in &mut new.foreign_keys {
        if let Some(columns) = renames.columns_of(&key.referenced_table) {
            rename_list(&mut key.referenced_columns, columns);
        }
        key.referenced_table = renames.new_table(&key.referenced_table).to_owned();
    }
    let Some(columns) = renames.columns_of(&table.name) else { return new };
    let in_expression = |expression: &mut Expression| {
        let is_renamed = |name: &str| columns.get(name).or_else(|| by_case(table, columns, name));
        if expression.columns().iter().any(|one| is_renamed(&one.name).is_some()) {
            *expression = expression.with_columns(|one| is_renamed(&one.name).map(|new| quote(new)));
        }
    };
    for column in &mut new.columns {
        if let Some(name) = columns.get(&column.name) {
            column.name.clone_from(name);
        }
        let generated = column.generated.as_mut().map(|generated| &mut generated.expression);
        generated.into_iter().chain(column.default.as_deref_mut()).for_each(in_expression);
        // A check that is written with the column.
        let checks = std::mem::take(&mut column.attributes).into_iter().map(|attribute| {
            let Some(condition) = attribute.strip_prefix("check ") else { return attribute };
            let mut condition = Expression::new(condition);
            in_expression(&mut condition);
            format!("check ({})", condition.as_declared())
        });
        column.attributes = checks.collect();
    }
    let keys = new.primary_key.iter_mut().map(|key| &mut key.columns);
    for key in keys.chain(new.uniques.iter_mut().map(|key| &mut key.columns)) {
        rename_keys(key, columns);
    }
    for key in &mut new.foreign_keys {
        rename_list(&mut key.columns, columns);
    }
    for check in &mut new.checks {
        in_expression(&mut check.expression);
    }
    for index in &mut new.indexes {
        for part in &mut index.parts {
            match &mut part.key {
                IndexKey::Column(name) => {
                    if let Some(new) = columns.get(name) {
                        name.clone_from(new);
                    }
                }
                IndexKey::Expression(expression) => in_expression(expression),
            }
        }
        rename_list(&mut index.including, columns);
        if let Some(predicate) = &mut index.predicate {
            in_expression(predicate);
        }
    }
    new
}

/// The new name of a column that an expression spells in another letter case.
fn by_case<'a>(table: &Table, columns: &'a BTreeMap<String, String>, name: &str) -> Option<&'a String> {
    columns.iter().find(|(old, _)| table.case.same_item(old, name)).map(|(_, new)| new)
}

fn rename_list(names: &mut [String], columns: &BTreeMap<String, String>) {
    for name in names {
        if let Some(new) = columns.get(name) {
            name.clone_from(new);
        }
    }
}

fn rename_keys(key: &mut [KeyColumn], columns: &BTreeMap<String, String>) {
    for column in key {
        if let Some(new) = columns.get(&column.name) {
            column.name.clone_from(new);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(pairs: &[(&str, &str)]) -> BTreeMap<String, String> {
        pairs.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned())).collect()
    }

    #[test]
    fn renames_in_a_row_are_renames() {
        let first = Renames {
            tables: names(&[("member", "keeper"), ("spot", "place")]),
            columns: BTreeMap::from([("member".to_owned(), names(&[("name", "full_name"), ("mail", "email")]))]),
            words: BTreeMap::new(),
        };
        let next = Renames {
            tables: names(&[("keeper", "beekeeper"), ("place", "spot"), ("hive", "colony")]),
            columns: BTreeMap::from([
                ("keeper".to_owned(), names(&[("full_name", "called"), ("phone", "telephone")])),
                ("hive".to_owned(), names(&[("code", "label")])),
            ]),
            words: BTreeMap::from([("temper".to_owned(), names(&[("calm", "mild")]))]),
        };
        let both = first.then(&next);
        assert_eq!(both.tables, names(&[("member", "beekeeper"), ("hive", "colony")]));
        let expected = names(&[("name", "called"), ("mail", "email"), ("phone", "telephone")]);
        assert_eq!(both.columns.get("member"), Some(&expected));
        assert_eq!(both.columns.get("hive"), Some(&names(&[("code", "label")])));
        assert_eq!(both.words.get("temper"), Some(&names(&[("calm", "mild")])));
        assert_eq!(first.then(&Renames::default()), first);
    }
}
