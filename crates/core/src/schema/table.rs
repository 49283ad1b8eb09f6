//! Tables, enums, and the whole.

use std::collections::BTreeMap;

use super::{
    Check, Column, Fault, ForeignKey, Identifier, Index, PrimaryKey, Program, Rows, Scope, Scoped, Unique, validate,
    validate_rows,
};
use crate::fit::fit;

/// A table with all that belongs to it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Table {
    /// Its name.
    pub name: Identifier,
    /// A description.
    pub about: Option<String>,
    /// The name it had before; it counts once, see [`crate::diff::Renames`].
    pub formerly: Option<Identifier>,
    /// Its columns, in declared order.
    pub columns: Vec<Column>,
    /// The primary key, more than one only where their scopes keep them apart.
    pub primary_keys: Vec<PrimaryKey>,
    /// Unique constraints, in declared order.
    pub uniques: Vec<Unique>,
    /// References, in declared order.
    pub foreign_keys: Vec<ForeignKey>,
    /// Checks, in declared order.
    pub checks: Vec<Check>,
    /// Indexes, in declared order.
    pub indexes: Vec<Index>,
    /// Storage options, by the provider's own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers the table exists.
    pub scope: Scope,
}

impl Table {
    /// A table without anything in it.
    pub fn new(name: impl Into<Identifier>) -> Self {
        Self {
            name: name.into(),
            about: None,
            formerly: None,
            columns: Vec::new(),
            primary_keys: Vec::new(),
            uniques: Vec::new(),
            foreign_keys: Vec::new(),
            checks: Vec::new(),
            indexes: Vec::new(),
            options: Vec::new(),
            scope: Scope::All,
        }
    }

    /// Gives up room that its lists have to spare.
    pub(crate) fn fit(&mut self) {
        fit(&mut self.columns);
        fit(&mut self.primary_keys);
        fit(&mut self.uniques);
        fit(&mut self.foreign_keys);
        fit(&mut self.checks);
        fit(&mut self.indexes);
        fit(&mut self.options);
    }

    /// The column of this name.
    pub fn column(&self, name: &Identifier) -> Option<&Column> {
        self.columns.iter().find(|column| column.name == *name)
    }
}

/// A closed list of words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Enum {
    /// Its name.
    pub name: Identifier,
    /// Its words, in order.
    pub words: Vec<Identifier>,
    /// The words that some of them were before, by the new word.
    pub formerly: BTreeMap<Identifier, Identifier>,
    /// A description.
    pub about: Option<String>,
}

/// Tables and enums that nobody has checked yet.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Parts {
    /// Tables, in any order.
    pub tables: Vec<Table>,
    /// Enums, in any order.
    pub enums: Vec<Enum>,
    /// Views, triggers and routines, in any order.
    pub programs: Vec<Program>,
    /// Reference rows, in any order.
    pub rows: Vec<Rows>,
}

/// A valid logical schema.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Schema {
    tables: BTreeMap<Identifier, Table>,
    enums: BTreeMap<Identifier, Enum>,
    programs: Vec<Program>,
    rows: Vec<Rows>,
}

impl Schema {
    /// Checks the parts and puts them together, with what is only worth a warning.
    ///
    /// # Errors
    ///
    /// Every fault of the parts, warnings among them, where at least one of them is an error.
    pub fn new(parts: Parts) -> Result<(Self, Vec<Fault>), Vec<Fault>> {
        let mut faults = validate::faults(&parts);
        faults.extend(validate_rows::faults(&parts));
        if faults.iter().any(Fault::is_error) {
            return Err(faults);
        }
        let tables = parts.tables.into_iter().map(|table| (table.name.clone(), table)).collect();
        let enums = parts.enums.into_iter().map(|words| (words.name.clone(), words)).collect();
        let mut programs = parts.programs;
        programs.sort_by(|a, b| (a.kind, &a.name, &a.table, &a.body).cmp(&(b.kind, &b.name, &b.table, &b.body)));
        let mut rows = parts.rows;
        rows.sort_by(|a, b| a.table.cmp(&b.table));
        Ok((Self { tables, enums, programs, rows }, faults))
    }

    /// The tables, by name.
    pub fn tables(&self) -> impl ExactSizeIterator<Item = &Table> {
        self.tables.values()
    }

    /// The table of this name.
    pub fn table(&self, name: &str) -> Option<&Table> {
        self.tables.get(name)
    }

    /// The enums, by name.
    pub fn enums(&self) -> impl ExactSizeIterator<Item = &Enum> {
        self.enums.values()
    }

    /// The enum of this name.
    pub fn enumeration(&self, name: &str) -> Option<&Enum> {
        self.enums.get(name)
    }

    /// Whether the two are the same but for the names that things had before.
    pub fn says_the_same(&self, other: &Self) -> bool {
        self == other || self.without_former_names() == other.without_former_names()
    }

    /// Whether anything in it says what it was called before.
    pub fn has_former_names(&self) -> bool {
        let in_table =
            |table: &Table| table.formerly.is_some() || table.columns.iter().any(|column| column.formerly.is_some());
        self.tables.values().any(in_table) || self.enums.values().any(|one| !one.formerly.is_empty())
    }

    fn without_former_names(&self) -> Self {
        let mut plain = self.clone();
        for table in plain.tables.values_mut() {
            table.formerly = None;
            table.columns.iter_mut().for_each(|column| column.formerly = None);
        }
        plain.enums.values_mut().for_each(|one| one.formerly.clear());
        plain
    }

    /// The views, triggers and routines, by kind and name.
    pub fn programs(&self) -> &[Program] {
        &self.programs
    }

    /// The reference rows, by table.
    pub fn rows(&self) -> &[Rows] {
        &self.rows
    }

    /// The parts again, to be changed and checked anew.
    pub fn into_parts(self) -> Parts {
        Parts {
            tables: self.tables.into_values().collect(),
            enums: self.enums.into_values().collect(),
            programs: self.programs,
            rows: self.rows,
        }
    }
}
