//! Keys, references, checks and indexes.

use std::fmt;

use serde::Serialize;

use super::{Identifier, Provider, Scope, Scoped};

/// A table's primary key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PrimaryKey {
    /// The declared name; derived where there is none.
    pub name: Option<Identifier>,
    /// Its columns, in order.
    pub columns: Vec<Identifier>,
    /// What else the provider keeps of it, in its own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers.
    pub scope: Scope,
}

/// A unique constraint.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unique {
    /// The declared name; derived where there is none.
    pub name: Option<Identifier>,
    /// Its columns, in order.
    pub columns: Vec<Identifier>,
    /// Whether two nulls count as equal.
    pub nulls_equal: bool,
    /// What else the provider keeps of it, in its own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers.
    pub scope: Scope,
}

/// A check constraint.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Check {
    /// The declared name; derived where there is none.
    pub name: Option<Identifier>,
    /// The SQL condition, without its outer parentheses.
    pub expression: String,
    /// What else the provider keeps of it, in its own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers.
    pub scope: Scope,
}

/// A reference to another table's key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ForeignKey {
    /// The declared name; derived where there is none.
    pub name: Option<Identifier>,
    /// The referencing columns.
    pub columns: Vec<Identifier>,
    /// The referenced table.
    pub referenced_table: Identifier,
    /// The referenced columns, one for each referencing one.
    pub referenced_columns: Vec<Identifier>,
    /// What becomes of the row when the referenced row is deleted.
    pub on_delete: Action,
    /// What becomes of the row when the referenced key changes.
    pub on_update: Action,
    /// When the reference is checked.
    pub deferrable: Deferrable,
    /// Whether an index over the referencing columns comes with it.
    pub indexed: bool,
    /// What else the provider keeps of it, in its own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers.
    pub scope: Scope,
}

/// What begins the option of a reference that says which of its columns `on delete set null` and `set default` set, where
/// not all of them (PostgreSQL 15, "CREATE TABLE", REFERENCES).
pub const DELETED_COLUMNS: &str = "on delete of columns ";

/// The option of a reference whose table or key need not be there: some providers keep such references.
pub const UNCHECKED: &str = "unchecked";

impl ForeignKey {
    /// Whether a column is set where the referenced row is deleted.
    pub fn sets_on_delete(&self, column: &Identifier) -> bool {
        let mut lists = self.options.iter().filter_map(|option| option.value.strip_prefix(DELETED_COLUMNS)).peekable();
        lists.peek().is_none()
            || lists.any(|list| {
                let mut names = list.trim_matches(['(', ')']).split(',').map(|name| name.trim().trim_matches('"'));
                names.any(|name| *column == Identifier::new(name))
            })
    }

    /// Whether what it points to need not be there on a provider.
    pub fn is_unchecked(&self, provider: Provider) -> bool {
        self.options.iter().any(|option| option.value == UNCHECKED && option.scope.holds(provider))
    }
}

/// A referential action.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Action {
    /// Refused, when the check is due.
    #[default]
    NoAction,
    /// Refused at once.
    Restrict,
    /// The row follows.
    Cascade,
    /// The referencing columns become null.
    SetNull,
    /// The referencing columns get their default.
    SetDefault,
}

impl Action {
    /// Every action.
    pub const ALL: [Self; 5] = [Self::NoAction, Self::Restrict, Self::Cascade, Self::SetNull, Self::SetDefault];
}

impl fmt::Display for Action {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            Self::NoAction => "no action",
            Self::Restrict => "restrict",
            Self::Cascade => "cascade",
            Self::SetNull => "set null",
            Self::SetDefault => "set default",
        })
    }
}

/// When a reference is checked.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum Deferrable {
    /// With each statement, always.
    #[default]
    No,
    /// With each statement, unless the transaction says otherwise.
    InitiallyImmediate,
    /// At the commit, unless the transaction says otherwise.
    InitiallyDeferred,
}

impl fmt::Display for Deferrable {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(match self {
            Self::No => "not deferrable",
            Self::InitiallyImmediate => "deferrable",
            Self::InitiallyDeferred => "deferrable initially deferred",
        })
    }
}

/// An index.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Index {
    /// The declared name; derived where there is none.
    pub name: Option<Identifier>,
    /// Whether two rows may not share a key.
    pub unique: bool,
    /// What it is over.
    pub parts: Vec<IndexPart>,
    /// Only rows that meet this SQL condition are in it.
    pub predicate: Option<String>,
    /// Columns carried along without being part of the key.
    pub including: Vec<Identifier>,
    /// The access method.
    pub method: Option<String>,
    /// What else the provider keeps of it, in its own words.
    pub options: Vec<Scoped<String>>,
    /// For which providers.
    pub scope: Scope,
}

/// One part of an index's key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct IndexPart {
    /// What is indexed.
    pub key: KeyPart,
    /// Only this many leading characters or bytes.
    pub prefix: Option<u32>,
    /// The collation, by the provider's own name.
    pub collate: Option<String>,
    /// The operator class.
    pub operators: Option<String>,
    /// Whether the order is descending.
    pub descending: bool,
    /// Where nulls stand, if that was said.
    pub nulls: Option<NullsOrder>,
}

impl IndexPart {
    /// An ascending part over one column.
    pub fn column(name: impl Into<Identifier>) -> Self {
        Self::new(KeyPart::Column(name.into()))
    }

    /// An ascending part with nothing else said.
    pub fn new(key: KeyPart) -> Self {
        Self { key, prefix: None, collate: None, operators: None, descending: false, nulls: None }
    }
}

/// What a part of an index is over.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum KeyPart {
    /// A column.
    Column(Identifier),
    /// An SQL expression, without its outer parentheses.
    Expression(String),
}

impl KeyPart {
    /// The column, where it is one.
    pub fn column(&self) -> Option<&Identifier> {
        match self {
            Self::Column(name) => Some(name),
            Self::Expression(_) => None,
        }
    }
}

/// Where nulls stand in an index.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum NullsOrder {
    /// Before every value.
    First,
    /// After every value.
    Last,
}
