//! Tables as one provider stores them.

use std::collections::{BTreeMap, BTreeSet};

use serde::Serialize;

use crate::schema::{Action, Deferrable, Storage};
use crate::sql::Expression;

/// All tables of a database, by folded name.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Schema {
    tables: BTreeMap<String, Table>,
}

impl Schema {
    /// Puts tables together.
    pub fn new(tables: impl IntoIterator<Item = Table>) -> Self {
        Self { tables: tables.into_iter().map(|table| (fold(&table.name), table)).collect() }
    }

    /// The tables, by folded name.
    pub fn tables(&self) -> impl ExactSizeIterator<Item = &Table> {
        self.tables.values()
    }

    /// The table of a name, letter case aside.
    pub fn table(&self, name: &str) -> Option<&Table> {
        self.tables.get(&fold(name))
    }

    /// The tables alone.
    pub fn into_tables(self) -> impl Iterator<Item = Table> {
        self.tables.into_values()
    }

    /// The schema without the tables that are not wanted.
    pub fn filtered(mut self, mut wanted: impl FnMut(&Table) -> bool) -> Self {
        self.tables.retain(|_, table| wanted(table));
        self
    }
}

/// A name as SQLite compares it: ASCII letter case aside (SQLite, "SQL Keywords"; `sqlite3_stricmp`).
pub(crate) fn fold(name: &str) -> String {
    name.to_ascii_lowercase()
}

/// A table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Table {
    /// Its name, as stored.
    pub name: String,
    /// Its columns, in stored order.
    pub columns: Vec<Column>,
    /// Its primary key.
    pub primary_key: Option<PrimaryKey>,
    /// Its unique constraints.
    pub uniques: Vec<Unique>,
    /// Its references.
    pub foreign_keys: Vec<ForeignKey>,
    /// Its checks.
    pub checks: Vec<Check>,
    /// Its indexes, without those that constraints bring along.
    pub indexes: Vec<Index>,
    /// Storage options, in the provider's words.
    pub options: BTreeSet<String>,
}

impl Table {
    /// A table without anything in it.
    pub fn new(name: impl Into<String>) -> Self {
        Self {
            name: name.into(),
            columns: Vec::new(),
            primary_key: None,
            uniques: Vec::new(),
            foreign_keys: Vec::new(),
            checks: Vec::new(),
            indexes: Vec::new(),
            options: BTreeSet::new(),
        }
    }

    /// The column of a name, letter case aside.
    pub fn column(&self, name: &str) -> Option<&Column> {
        self.columns.iter().find(|column| column.name.eq_ignore_ascii_case(name))
    }

    /// Whether the table has this storage option.
    pub fn has_option(&self, option: &str) -> bool {
        self.options.contains(option)
    }
}

/// What the declarations call a thing: for display only, so any two are equal.
#[derive(Clone, Debug, Default)]
pub struct Origin(pub Option<String>);

impl PartialEq for Origin {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl Eq for Origin {}

/// A provider's type by its name; letter case and white space make no difference.
#[derive(Clone, Debug)]
pub struct TypeName {
    text: String,
    canonical: String,
}

impl TypeName {
    /// The type of this name, which is kept as written.
    pub fn new(text: &str) -> Self {
        let mut canonical = String::new();
        let mut space = false;
        for character in text.trim().chars() {
            if character.is_ascii_whitespace() {
                space = true;
                continue;
            }
            let joined = matches!(character, '(' | ')' | ',') || canonical.ends_with(['(', ',']);
            if space && !joined {
                canonical.push(' ');
            }
            space = false;
            canonical.push(character.to_ascii_uppercase());
        }
        Self { text: text.trim().to_owned(), canonical }
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// In upper case, with one space between words.
    pub fn canonical(&self) -> &str {
        &self.canonical
    }
}

impl PartialEq for TypeName {
    fn eq(&self, other: &Self) -> bool {
        self.canonical == other.canonical
    }
}

impl Eq for TypeName {}

impl Serialize for TypeName {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.canonical)
    }
}

/// A column.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Column {
    /// Its name, as stored.
    pub name: String,
    /// Its type.
    pub ty: TypeName,
    /// The portable type it was declared with.
    #[serde(skip)]
    pub declared_type: Origin,
    /// Whether it may hold null.
    pub nullable: bool,
    /// Its default.
    pub default: Option<Expression>,
    /// The expression that computes it.
    pub generated: Option<Generated>,
    /// Its collation, where it is not the provider's default.
    pub collation: Option<String>,
    /// Whatever else the provider stores for it.
    pub attributes: BTreeSet<String>,
}

/// How a generated column is computed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Generated {
    /// The expression.
    pub expression: Expression,
    /// Stored or virtual.
    pub storage: Storage,
}

/// A column of a key, with what the key says of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct KeyColumn {
    /// The column's name.
    pub name: String,
    /// Whether the key's order is descending.
    pub descending: bool,
    /// The key's own collation.
    pub collation: Option<String>,
}

impl KeyColumn {
    /// An ascending key column.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into(), descending: false, collation: None }
    }
}

/// A primary key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PrimaryKey {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its columns, in order.
    pub columns: Vec<KeyColumn>,
    /// Whatever else the provider stores for it.
    pub attributes: BTreeSet<String>,
}

/// A unique constraint.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Unique {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its columns, in order.
    pub columns: Vec<KeyColumn>,
    /// Whatever else the provider stores for it.
    pub attributes: BTreeSet<String>,
}

/// A reference.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ForeignKey {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// The referencing columns.
    pub columns: Vec<String>,
    /// The referenced table.
    pub referenced_table: String,
    /// The referenced columns.
    pub referenced_columns: Vec<String>,
    /// What follows from deleting the referenced row.
    pub on_delete: Action,
    /// What follows from changing the referenced key.
    pub on_update: Action,
    /// When it is checked.
    pub deferrable: Deferrable,
    /// Whatever else the provider stores for it.
    pub attributes: BTreeSet<String>,
}

/// A check.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Check {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its condition.
    pub expression: Expression,
    /// Whatever else the provider stores for it.
    pub attributes: BTreeSet<String>,
}

/// An index.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Index {
    /// Its name.
    pub name: String,
    /// Whether two rows may not share a key.
    pub unique: bool,
    /// What it is over.
    pub parts: Vec<IndexPart>,
    /// The condition of a partial index.
    pub predicate: Option<Expression>,
}

/// One part of an index's key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct IndexPart {
    /// What is indexed.
    pub key: IndexKey,
    /// Its collation, where it is not the column's.
    pub collation: Option<String>,
    /// Whether the order is descending.
    pub descending: bool,
}

/// What an index part is over.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum IndexKey {
    /// A column.
    Column(String),
    /// An expression.
    Expression(Expression),
}

/// A thing that is told from others by a name.
pub(crate) trait Named: Clone + Eq {
    /// The name, if there is one.
    fn name(&self) -> Option<&str>;
    /// The same thing under another name.
    fn renamed(&self, name: Option<&str>) -> Self;
}

macro_rules! named {
    ($($ty:ty),*) => {$(
        impl Named for $ty {
            fn name(&self) -> Option<&str> {
                self.name.as_deref()
            }
            fn renamed(&self, name: Option<&str>) -> Self {
                Self { name: name.map(str::to_owned), ..self.clone() }
            }
        }
    )*};
}

named!(PrimaryKey, Unique, ForeignKey, Check);

impl Named for Index {
    fn name(&self) -> Option<&str> {
        Some(&self.name)
    }

    fn renamed(&self, name: Option<&str>) -> Self {
        Self { name: name.unwrap_or_default().to_owned(), ..self.clone() }
    }
}
