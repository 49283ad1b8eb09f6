//! What can be wrong with a schema, and what to do about it.

use super::{Identifier, Place, Provider, Type};

/// A fault of a schema, with the item it is about.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{kind}")]
pub struct Fault {
    /// What is wrong.
    pub kind: FaultKind,
    /// Where.
    pub place: Place,
    /// The other place, where two are at odds.
    pub other: Option<Place>,
}

/// How bad a fault is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Worth a look; nothing is refused.
    Warning,
    /// The declarations have no meaning until it is mended.
    Error,
}

impl Fault {
    /// A fault at one place.
    pub fn new(kind: FaultKind, place: Place) -> Self {
        Self { kind, place, other: None }
    }

    /// The same with a second place.
    pub fn with_other(mut self, other: Place) -> Self {
        self.other = Some(other);
        self
    }

    /// Whether anything is refused because of it.
    pub fn is_error(&self) -> bool {
        self.kind.severity() == Severity::Error
    }

    /// The least version of the provider that takes what is declared, where older ones do not; its first number.
    pub fn needs_version(&self) -> Option<u32> {
        match self.kind {
            FaultKind::NeedsVersion { version, .. } => Some(version),
            _ => None,
        }
    }

    /// The provider that refuses it, where it is none of the declarations themselves.
    pub fn refusing(&self) -> Option<Provider> {
        match &self.kind {
            FaultKind::NotExpressible { provider, .. }
            | FaultKind::NoNativeType { provider, .. }
            | FaultKind::NameTaken { provider, .. }
            | FaultKind::CalledAsColumn { provider, .. }
            | FaultKind::UnknownOption { provider, .. }
            | FaultKind::NameTooLong { provider, .. }
            | FaultKind::KeyTooLong { provider, .. }
            | FaultKind::UnboundedKey { provider, .. } => Some(*provider),
            FaultKind::IdentityNotWholeKey(_) => Some(Provider::Sqlite),
            _ => None,
        }
    }
}

/// The kinds of faults.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[expect(missing_docs, reason = "each variant's message says what it is; its fields are the names in the message")]
pub enum FaultKind {
    #[error("table `{0}` is declared twice")]
    DuplicateTable(Identifier),
    #[error("enum `{0}` is declared twice")]
    DuplicateEnum(Identifier),
    #[error("enum `{0}` has no words")]
    EmptyEnum(Identifier),
    #[error("enum `{owner}` has the word `{word}` twice")]
    DuplicateWord { owner: Identifier, word: Identifier },
    #[error("table `{0}` has no columns")]
    NoColumns(Identifier),
    #[error("column `{column}` is declared twice in table `{table}`")]
    DuplicateColumn { table: Identifier, column: Identifier },
    #[error("table `{0}` has no primary key")]
    NoPrimaryKey(Identifier),
    #[error("table `{0}` has two primary keys")]
    TwoPrimaryKeys(Identifier),
    #[error("two constraints of table `{table}` are named `{name}`")]
    DuplicateConstraint { table: Identifier, name: Identifier },
    #[error("table `{table}` has no column `{column}`")]
    UnknownColumn { table: Identifier, column: Identifier, nearest: Option<Identifier> },
    #[error("column `{column}` stands twice in this list")]
    RepeatedColumn { column: Identifier },
    #[error("a name without a letter in it, which no declaration can hold")]
    EmptyName,
    #[error("a name has a line break, and no declaration can have one")]
    NameOfLines,
    #[error("there is no table `{table}`")]
    UnknownTable { table: Identifier, nearest: Option<Identifier> },
    #[error("there is no type or enum `{name}`")]
    UnknownEnum { name: Identifier, nearest: Option<String> },
    #[error("there is no namespace `{name}`")]
    UnknownNamespace { name: Identifier, nearest: Option<Identifier> },
    #[error("primary key column `{0}` may not be null")]
    NullableKey(Identifier),
    #[error("the reference names {columns} columns and points to {referenced}")]
    ReferenceCount { columns: usize, referenced: usize },
    #[error("`{table}` has no key over ({columns})")]
    NotAKey { table: Identifier, columns: String },
    #[error("`{column}` is {ty}, and `{referenced}`, which it references, is {referenced_ty}")]
    ReferenceType { column: Identifier, ty: Type, referenced: String, referenced_ty: Type },
    #[error("`on {event} set null` on column `{column}`, which may not be null")]
    SetNullOnRequired { column: Identifier, event: &'static str },
    #[error("an identity column is an integer, and `{column}` is {ty}")]
    IdentityType { column: Identifier, ty: Type },
    #[error("{from} is no first number for {ty}, which goes from {} to {most}", -most - 1)]
    FirstNumber { from: i64, ty: Type, most: i64 },
    #[error("table `{0}` has two identity columns")]
    TwoIdentities(Identifier),
    #[error("an identity column cannot also be {0}")]
    IdentityWith(&'static str),
    #[error("a generated column cannot also have {0}")]
    GeneratedWith(&'static str),
    #[error("generated column `{0}` is computed from itself")]
    GeneratedFromItself(Identifier),
    #[error("{value} does not fit {ty}")]
    DefaultDoesNotFit { value: String, ty: Type, wanted: String },
    #[error("`{word}` is not a word of enum `{owner}`")]
    UnknownWord { owner: Identifier, word: Identifier, nearest: Option<Identifier> },
    #[error("`default null` on column `{0}`, which may not be null")]
    DefaultNullOnRequired(Identifier),
    #[error("{kind} `{name}` is declared twice")]
    DuplicateProgram { kind: &'static str, name: Identifier },
    #[error("there is no SQL in it")]
    EmptyProgram,
    #[error("view `{0}` selects `*`, which means the columns that are there when it is made")]
    SelectsAll(Identifier),
    #[error("routine `{0}` does not say how it is dropped")]
    NoDrop(Identifier),
    #[error("the rows of `{0}` are declared twice")]
    RowsTwice(Identifier),
    #[error("the rows are found by `{column}`, and have no values for it")]
    RowsWithoutKey { column: Identifier, nearest: Option<Identifier> },
    #[error("the rows of `{table}` say nothing of `{column}`, which is required and has no default")]
    RowsSayNothing { table: Identifier, column: Identifier },
    #[error("`{0}` is computed, and a row gives it no value")]
    RowOfComputed(Identifier),
    #[error("`null` for column `{0}`, which may not be null")]
    RowNullOnRequired(Identifier),
    #[error("two rows have the key {key}")]
    RowTwice { key: String },
    #[error("{value} is not among the rows of `{table}` that are declared")]
    RowReferencesNone { table: Identifier, value: String },
    #[error("`{0}` is formerly itself")]
    FormerlyItself(Identifier),
    #[error("`{0}` can only have become one thing")]
    FormerlyTwice(Identifier),
    #[error("an index needs at least one column")]
    EmptyIndex,
    #[error("decimal({precision}, {scale}) has more places behind the point than digits")]
    DecimalScale { precision: u32, scale: u32 },
    #[error("{ty} has no length")]
    ZeroLength { ty: Type },
    #[error("fractions of a second have at most 9 digits")]
    FractionDigits,

    #[error("{provider} {what}", provider = provider.title())]
    NotExpressible { provider: Provider, what: String, instead: String },
    #[error("an identity column on SQLite must be the whole primary key, and `{0}` is not")]
    IdentityNotWholeKey(Identifier),
    #[error("SQLite keeps `{column}` as a floating-point number, and more than 15 digits are not exact")]
    InexactDecimal { column: Identifier },
    #[error("{provider} has {what} from version {version} on", provider = provider.title())]
    NeedsVersion { provider: Provider, what: &'static str, version: u32, instead: &'static str },
    #[error("column `{column}` has no type for {provider}", provider = provider.title())]
    NoNativeType { column: Identifier, provider: Provider },
    #[error("the name `{name}` is taken twice on {provider}", provider = provider.title())]
    NameTaken { provider: Provider, name: String },
    #[error("{provider} checks column `{column}` under that name itself, and takes no other check called so", provider = provider.title())]
    CalledAsColumn { provider: Provider, column: String },
    #[error("names that begin with `{prefix}` are kept for {keeper}")]
    ReservedName { prefix: &'static str, keeper: &'static str },
    #[error("{provider} has no table option `{option}`", provider = provider.title())]
    UnknownOption { provider: Provider, option: String, nearest: Option<&'static str>, known: &'static str },
    #[error("the name `{name}` is longer than {provider} keeps it", provider = provider.title())]
    NameTooLong { provider: Provider, name: String, most: String },
    #[error("the key of {what} is up to {length} bytes long, and {provider} allows {most}", provider = provider.title())]
    KeyTooLong { provider: Provider, what: String, length: u64, most: u64, longest: String, part: KeptAs },
    #[error("`{column}` is unbounded, and {provider} indexes only its beginning", provider = provider.title())]
    UnboundedKey { provider: Provider, column: String, holds: &'static str, part: KeptAs },
}

/// What a column that is too long is a part of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeptAs {
    /// An index.
    Index,
    /// A primary key or unique constraint.
    Key,
    /// A reference.
    Reference,
}

impl KeptAs {
    /// How only the beginning of a column is taken, where it can be.
    fn beginning(self, provider: Provider, column: &str) -> Option<String> {
        match self {
            Self::Index => Some(format!("index only the beginning: `{column} prefix(100)`")),
            Self::Key => Some(format!(
                "take only the beginning: `option \"prefix {column}(100)\" for {provider}` behind the key"
            )),
            Self::Reference => None,
        }
    }
}

impl FaultKind {
    /// How bad it is.
    pub fn severity(&self) -> Severity {
        match self {
            Self::NoPrimaryKey(_)
            | Self::InexactDecimal { .. }
            | Self::NeedsVersion { .. }
            | Self::SelectsAll(_)
            | Self::SetNullOnRequired { .. }
            | Self::RowReferencesNone { .. } => Severity::Warning,
            _ => Severity::Error,
        }
    }

    /// What stands under the caret.
    pub fn label(&self) -> String {
        match self {
            Self::DuplicateTable(_)
            | Self::DuplicateEnum(_)
            | Self::DuplicateColumn { .. }
            | Self::DuplicateWord { .. }
            | Self::DuplicateConstraint { .. }
            | Self::RepeatedColumn { .. }
            | Self::TwoPrimaryKeys(_)
            | Self::TwoIdentities(_)
            | Self::DuplicateProgram { .. }
            | Self::FormerlyTwice(_)
            | Self::RowsTwice(_)
            | Self::RowTwice { .. }
            | Self::NameTaken { .. } => "again here".into(),
            Self::EmptyEnum(_) | Self::NoColumns(_) | Self::EmptyIndex | Self::EmptyProgram => "nothing in it".into(),
            Self::NameOfLines => "a line break in it".into(),
            Self::EmptyName => "an empty name".into(),
            Self::SelectsAll(_) => "`*` in it".into(),
            Self::NoPrimaryKey(_) => "no primary key".into(),
            Self::UnknownColumn { .. } => "no such column".into(),
            Self::UnknownTable { .. } => "no such table".into(),
            Self::UnknownEnum { .. } => "no such type".into(),
            Self::UnknownNamespace { .. } => "no such namespace".into(),
            Self::UnknownWord { .. } => "no such word".into(),
            Self::UnknownOption { .. } => "no such option".into(),
            Self::NotAKey { .. } => "not a primary key and not unique".into(),
            Self::ReferenceType { referenced_ty, .. } => format!("{referenced_ty} is needed"),
            Self::FirstNumber { .. } => "beyond its type".into(),
            Self::IdentityType { .. } => "an integer is needed".into(),
            Self::NoNativeType { .. } => "no type".into(),
            Self::ReservedName { .. } => "reserved".into(),
            Self::CalledAsColumn { .. } => "called as the column is".into(),
            Self::InexactDecimal { .. } => "not exact".into(),
            Self::NeedsVersion { .. } => "not on every version".into(),
            Self::NameTooLong { .. } | Self::KeyTooLong { .. } => "too long".into(),
            Self::UnboundedKey { .. } => "no length".into(),
            Self::DefaultDoesNotFit { wanted, .. } => format!("expected {wanted}"),
            Self::NullableKey(_)
            | Self::ReferenceCount { .. }
            | Self::SetNullOnRequired { .. }
            | Self::IdentityWith(_)
            | Self::GeneratedWith(_)
            | Self::GeneratedFromItself(_)
            | Self::DefaultNullOnRequired(_)
            | Self::DecimalScale { .. }
            | Self::ZeroLength { .. }
            | Self::FractionDigits
            | Self::NotExpressible { .. }
            | Self::NoDrop(_)
            | Self::FormerlyItself(_)
            | Self::RowsWithoutKey { .. }
            | Self::RowsSayNothing { .. }
            | Self::RowOfComputed(_)
            | Self::RowNullOnRequired(_)
            | Self::RowReferencesNone { .. }
            | Self::IdentityNotWholeKey(_) => "here".into(),
        }
    }

    /// What stands under the caret of the second place.
    pub fn other_label(&self) -> &'static str {
        match self {
            Self::ReferenceType { .. } => "the referenced column",
            _ => "first here",
        }
    }

    /// What to type to mend it.
    pub fn help(&self) -> String {
        let meant = |nearest: &Option<Identifier>, otherwise: &str| match nearest {
            Some(nearest) => format!("did you mean `{nearest}`?"),
            None => otherwise.to_owned(),
        };
        match self {
            Self::DuplicateTable(_) | Self::DuplicateEnum(_) => {
                "keep one of them; the order of tables and files does not matter".into()
            }
            Self::EmptyEnum(name) => format!("write its words: `enum {name} {{ first, second }}`"),
            Self::DuplicateWord { .. } => "remove one of them".into(),
            Self::NoColumns(_) => "add a column, such as `id: int64, identity`".into(),
            Self::DuplicateColumn { .. } => "rename or remove one of them".into(),
            Self::NoPrimaryKey(_) => "add `primary key (…)`; rows without one cannot be told apart".into(),
            Self::TwoPrimaryKeys(_) => "keep one; a key over several columns is one item: `primary key (a, b)`".into(),
            Self::DuplicateConstraint { .. } => {
                "give one of them a name of its own, after its first word: `unique one_code (…)`".into()
            }
            Self::UnknownColumn { nearest, table, .. } => {
                meant(nearest, &format!("declare it in table `{table}`, or mend the name"))
            }
            Self::RepeatedColumn { .. } => "name it once".into(),
            Self::NameOfLines => "give it a name of one line in the database".into(),
            Self::EmptyName => "give it a name in the database".into(),
            Self::UnknownTable { nearest, .. } => {
                meant(nearest, "declare the table, or add its file to `declarations` in hollow-oak.toml")
            }
            Self::UnknownEnum { nearest, .. } => match nearest {
                Some(nearest) => format!("did you mean `{nearest}`?"),
                None => {
                    "portable types are bool, int64, text, decimal, date, instant, json and others (docs/types.md); \
                     a provider's own type is written `native \"…\" for sqlite`"
                        .into()
                }
            },
            Self::UnknownNamespace { name, nearest } => {
                meant(nearest, &format!("declare it: `namespace {}`", name.declared()))
            }
            Self::NullableKey(_) => "remove `null` from the column".into(),
            Self::ReferenceCount { .. } => "name as many columns on both sides".into(),
            Self::NotAKey { table, .. } => {
                format!("reference the primary key of `{table}`, or declare these columns `unique` there")
            }
            Self::ReferenceType { referenced_ty, .. } => {
                format!("make it {referenced_ty}, or leave the type out: `references` brings it along")
            }
            Self::SetNullOnRequired { .. } => "add `null` to the column, or choose another action".into(),
            Self::IdentityType { .. } => "write `int64, identity`".into(),
            Self::FirstNumber { .. } => "write a number within, or `int64`".into(),
            Self::TwoIdentities(_) => "keep one".into(),
            Self::IdentityWith(_) => "keep one of the two".into(),
            Self::GeneratedWith(_) => {
                "keep the expression alone, or say for whom each is: `generated (…) for P`, and `except P` behind the other".into()
            }
            Self::GeneratedFromItself(_) => {
                "compute it from other columns, which may be generated too, but not in a circle".into()
            }
            Self::DefaultDoesNotFit { value, .. } => match word_for(value) {
                Some(word) => format!("write `{word}`"),
                None => "mend the value, or write an SQL expression in parentheses: `(…)`".into(),
            },
            Self::UnknownWord { nearest, owner, .. } => {
                meant(nearest, &format!("add the word to enum `{owner}`, or mend it"))
            }
            Self::DefaultNullOnRequired(_) => "add `null` to the column, or remove the default".into(),
            Self::DuplicateProgram { .. } => {
                "keep one, or say for which provider each is: `for postgres` at the end of the one, `except postgres` of the other".into()
            }
            Self::EmptyProgram => "write the SQL between ``` and ```".into(),
            Self::SelectsAll(_) => "name the columns, so that the view says what it holds".into(),
            Self::NoDrop(name) => format!("add it behind the first: drop ``` drop function {name} ```"),
            Self::RowsTwice(_) => "put them together in one declaration".into(),
            Self::RowsWithoutKey { nearest, .. } => meant(nearest, "add the column to the head of the rows"),
            Self::RowsSayNothing { column, .. } => format!("add a column `{column}` to the rows, or give it a default"),
            Self::RowOfComputed(_) => "take the column out of the rows".into(),
            Self::RowNullOnRequired(_) => "write a value, or add `null` to the column".into(),
            Self::RowTwice { .. } => "remove one of them".into(),
            Self::RowReferencesNone { table, .. } => {
                format!("add the row to `rows {table}`; or leave it, where the application has it")
            }
            Self::FormerlyItself(_) => "name what it was called before, or remove the clause".into(),
            Self::FormerlyTwice(_) => "keep `formerly` where the rows went, and remove it from the other".into(),
            Self::EmptyIndex => "name a column: `index (code)`".into(),
            Self::DecimalScale { precision, .. } => {
                format!("decimal(digits in all, digits behind the point): at most decimal({precision}, {precision})")
            }
            Self::ZeroLength { .. } => "write at least 1, or leave the length out".into(),
            Self::FractionDigits => "write 6, or leave it out".into(),
            Self::NotExpressible { instead, .. } => instead.clone(),
            Self::IdentityNotWholeKey(column) => format!("write `primary key ({column})`, or drop `identity`"),
            Self::InexactDecimal { .. } => {
                "where exact values matter, keep them in a smaller unit as `int64`, or as `text`".into()
            }
            Self::NeedsVersion { provider, version, instead, .. } => format!(
                "say `{provider} = {{ min = \"{version}\" }}` in hollow-oak.toml, so that an older server is refused; or {instead}"
            ),
            Self::NoNativeType { provider, .. } => {
                format!("add `native \"…\" for {provider}`, or say `except {provider}` at the end of the column")
            }
            Self::NameTaken { .. } => {
                "give one of them another name; providers differ in whether letter case counts, and in what shares its names"
                    .into()
            }
            Self::CalledAsColumn { .. } => "give the check another name, or leave its name out".into(),
            Self::ReservedName { .. } => "choose another name".into(),
            Self::UnknownOption { provider, nearest, known, .. } => match nearest {
                Some(nearest) => format!("did you mean \"{nearest}\"?"),
                None => format!("{} has {known}", provider.title()),
            },
            Self::NameTooLong { most, .. } => format!("choose a name of at most {most}"),
            Self::KeyTooLong { provider, longest, part, .. } => {
                let way = part.beginning(*provider, longest).map(|way| format!("or {way}"));
                let way = way.unwrap_or_else(|| "and of the ones they reference the same".into());
                format!("shorten the columns, use fewer of them, {way}")
            }
            Self::UnboundedKey { provider, column, holds, part } => {
                let way = part.beginning(*provider, column).map(|way| format!("or {way}"));
                let way = way.unwrap_or_else(|| "and the one it references the same".into());
                format!("give the column a length, such as `{holds}(200)`, {way}")
            }
        }
    }
}

/// The word for a value that SQL says in another one.
fn word_for(value: &str) -> Option<&'static str> {
    let value = value.trim_matches('`');
    let word = match value.to_ascii_lowercase().as_str() {
        "null" => "null",
        "true" => "true",
        "false" => "false",
        "now" | "current_timestamp" | "localtimestamp" => "now",
        "today" | "current_date" => "today",
        _ => return None,
    };
    Some(word).filter(|word| *word != value)
}
