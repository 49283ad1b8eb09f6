//! What a database holds besides the tables that the model describes.

use std::fmt;

use serde::{Deserialize, Serialize};

use super::Schema;

/// What introspection found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Introspected {
    /// The tables that the model describes.
    pub schema: Schema,
    /// Everything else, by kind and name.
    pub unmanaged: Vec<Unmanaged>,
}

/// An object that nobody declared: named, and left alone.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Unmanaged {
    /// Its kind.
    pub kind: ObjectKind,
    /// Its name.
    pub name: String,
    /// The table it belongs to, if it is not one itself.
    pub table: Option<String>,
    /// Its definition, as the catalogue has it.
    #[serde(skip)]
    pub sql: String,
}

impl Unmanaged {
    /// A description that nobody declared, of a table or the like, or of a column of it.
    pub fn comment((owner, column): (String, Option<String>)) -> Self {
        let name = column.unwrap_or_else(|| owner.clone());
        Self { kind: ObjectKind::Comment, name, table: Some(owner), sql: String::new() }
    }
}

/// The kinds of objects that stay unmanaged.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ObjectKind {
    /// A table that nobody declared.
    Table,
    /// A virtual table.
    VirtualTable,
    /// A table or index whose definition could not be read.
    Unreadable,
    /// A view.
    View,
    /// A trigger.
    Trigger,
    /// A view that keeps its rows.
    MaterializedView,
    /// A sequence of its own.
    Sequence,
    /// A function or procedure.
    Routine,
    /// An enum type that nobody declared.
    Enum,
    /// A domain.
    Domain,
    /// A composite or range type.
    Type,
    /// A table that lives elsewhere.
    ForeignTable,
    /// A partitioned table, or a part of one.
    Partition,
    /// A table that inherits from another.
    Inheritance,
    /// A constraint of a kind that the model does not describe.
    Constraint,
    /// A row-level security policy, or that such policies are in force.
    Policy,
    /// A rewrite rule.
    Rule,
    /// Extended statistics.
    Statistics,
    /// An extension.
    Extension,
    /// A description that nobody declared.
    Comment,
    /// A timed event.
    Event,
    /// An aggregate function.
    Aggregate,
    /// That row-level security is in force on a table.
    Security,
    /// That a sequence belongs to a column.
    OwnedSequence,
    /// An index of a materialized view.
    ViewIndex,
    /// A privilege that somebody was given.
    Grant,
    /// Another namespace with all that is in it.
    Namespace,
    /// An operator.
    Operator,
    /// What tells an index method how to treat a type.
    OperatorClass,
    /// Operator classes that belong together.
    OperatorFamily,
    /// A way to sort texts.
    Collation,
    /// A way from one encoding to another.
    Conversion,
    /// A way from one type to another.
    Cast,
    /// How texts are taken apart for searching.
    SearchConfiguration,
    /// What becomes of a word that is searched for.
    SearchDictionary,
    /// What dictionaries are made of.
    SearchTemplate,
    /// What takes texts apart.
    SearchParser,
    /// What speaks with foreign servers.
    Wrapper,
    /// A server whose tables are seen here.
    ForeignServer,
    /// As whom somebody works on a foreign server.
    UserMapping,
    /// A trigger of the database itself.
    EventTrigger,
    /// What is told to other servers.
    Publication,
    /// What another server tells.
    Subscription,
    /// Privileges on what is made later.
    DefaultPrivileges,
    /// That a trigger or rule does not fire as usual.
    Firing,
    /// What a column of a partition or view has of its own.
    ColumnSetting,
    /// A language for routines.
    Language,
    /// How a type is seen in such a language.
    Transform,
    /// A way to store tables or indexes.
    AccessMethod,
    /// A mark for a security module.
    SecurityLabel,
}

impl ObjectKind {
    const ALL: [Self; 50] = [
        Self::Table,
        Self::VirtualTable,
        Self::Unreadable,
        Self::View,
        Self::Trigger,
        Self::MaterializedView,
        Self::Sequence,
        Self::Routine,
        Self::Enum,
        Self::Domain,
        Self::Type,
        Self::ForeignTable,
        Self::Partition,
        Self::Inheritance,
        Self::Constraint,
        Self::Policy,
        Self::Rule,
        Self::Statistics,
        Self::Extension,
        Self::Comment,
        Self::Event,
        Self::Aggregate,
        Self::Security,
        Self::OwnedSequence,
        Self::ViewIndex,
        Self::Grant,
        Self::Namespace,
        Self::Operator,
        Self::OperatorClass,
        Self::OperatorFamily,
        Self::Collation,
        Self::Conversion,
        Self::Cast,
        Self::SearchConfiguration,
        Self::SearchDictionary,
        Self::SearchTemplate,
        Self::SearchParser,
        Self::Wrapper,
        Self::ForeignServer,
        Self::UserMapping,
        Self::EventTrigger,
        Self::Publication,
        Self::Subscription,
        Self::DefaultPrivileges,
        Self::Firing,
        Self::ColumnSetting,
        Self::Language,
        Self::Transform,
        Self::AccessMethod,
        Self::SecurityLabel,
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Table => "table",
            Self::VirtualTable => "virtual table",
            Self::Unreadable => "unreadable object",
            Self::View => "view",
            Self::Trigger => "trigger",
            Self::MaterializedView => "materialized view",
            Self::Sequence => "sequence",
            Self::Routine => "routine",
            Self::Enum => "enum",
            Self::Domain => "domain",
            Self::Type => "type",
            Self::ForeignTable => "foreign table",
            Self::Partition => "partition",
            Self::Inheritance => "inheriting table",
            Self::Constraint => "constraint",
            Self::Policy => "policy",
            Self::Rule => "rule",
            Self::Statistics => "statistics",
            Self::Extension => "extension",
            Self::Comment => "comment",
            Self::Event => "event",
            Self::Aggregate => "aggregate",
            Self::Security => "row level security",
            Self::OwnedSequence => "sequence owner",
            Self::ViewIndex => "index",
            Self::Grant => "grant",
            Self::Namespace => "namespace",
            Self::Operator => "operator",
            Self::OperatorClass => "operator class",
            Self::OperatorFamily => "operator family",
            Self::Collation => "collation",
            Self::Conversion => "conversion",
            Self::Cast => "cast",
            Self::SearchConfiguration => "text search configuration",
            Self::SearchDictionary => "text search dictionary",
            Self::SearchTemplate => "text search template",
            Self::SearchParser => "text search parser",
            Self::Wrapper => "foreign data wrapper",
            Self::ForeignServer => "foreign server",
            Self::UserMapping => "user mapping",
            Self::EventTrigger => "event trigger",
            Self::Publication => "publication",
            Self::Subscription => "subscription",
            Self::DefaultPrivileges => "default privileges",
            Self::Firing => "firing",
            Self::ColumnSetting => "column setting",
            Self::Language => "language",
            Self::Transform => "transform",
            Self::AccessMethod => "access method",
            Self::SecurityLabel => "security label",
        }
    }

    /// The kind of a word, if it is one.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }
}

impl fmt::Display for ObjectKind {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.word())
    }
}
