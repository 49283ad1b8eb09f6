//! The syntax tree: what was written, with spans and comments, before anybody asks what it means.

use thin_vec::ThinVec;

use crate::Span;
use crate::schema::{
    Action, Deferrable, Exclusion, Form, Identifier, NullsOrder, ProgramKind, Scope, Storage, Type, Value,
};

/// One file.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct File {
    /// Its declarations, in written order.
    pub declarations: Vec<Declaration>,
    /// What stands after the last of them.
    pub tail: Vec<Trivia>,
}

/// What stands before an item without being part of it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Trivia {
    /// At least one empty line.
    Blank,
    /// A comment on a line of its own, with its hash.
    Comment(String),
}

/// A name or word and where it stands.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spanned<T> {
    /// The value.
    pub value: T,
    /// Its bytes.
    pub span: Span,
}

impl<T> Spanned<T> {
    /// A value without a place, for trees that nobody wrote.
    pub fn unplaced(value: T) -> Self {
        Self { value, span: Span::default() }
    }
}

/// A name.
pub type Name = Spanned<Identifier>;

/// A top-level declaration.
#[derive(Clone, Debug, PartialEq)]
pub struct Declaration {
    /// Comments and blank lines before it.
    pub leading: Vec<Trivia>,
    /// What it declares.
    pub kind: DeclarationKind,
    /// All of it.
    pub span: Span,
    /// A comment on its last line.
    pub comment: Option<String>,
}

/// The kinds of declarations.
#[derive(Clone, Debug, PartialEq)]
pub enum DeclarationKind {
    /// `table NAME { … }`
    Table(Table),
    /// `enum NAME { … }`
    Enum(Enum),
    /// `view NAME` with its query, or a trigger or routine with what makes and drops it.
    Program(Program),
    /// `rows T by (key) { … }`
    Rows(Rows),
}

/// `rows T by (key) { … }`
#[derive(Clone, Debug, PartialEq)]
pub struct Rows {
    /// The table.
    pub table: Name,
    /// The columns by which a row is found again.
    pub key: Vec<Name>,
    /// The columns of the head.
    pub columns: Vec<Name>,
    /// A comment behind the head.
    pub comment: Option<String>,
    /// The rows, in written order.
    pub rows: Vec<Row>,
    /// What stands before the closing brace.
    pub tail: Vec<Trivia>,
    /// For which providers.
    pub scope: Scope,
}

/// A row of reference rows.
#[derive(Clone, Debug, PartialEq)]
pub struct Row {
    /// Comments and blank lines before it.
    pub leading: Vec<Trivia>,
    /// Its values.
    pub values: Vec<Spanned<Value>>,
    /// A comment on its line.
    pub comment: Option<String>,
}

/// SQL of the user's own under a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Program {
    /// What it is.
    pub kind: ProgramKind,
    /// The provider's word for an object.
    pub word: Option<Spanned<String>>,
    /// Its name.
    pub name: Name,
    /// The table of a trigger.
    pub table: Option<Name>,
    /// A view's query, or what makes a trigger or routine.
    pub body: Spanned<String>,
    /// The clauses that its SQL follows from, in place of a body.
    pub form: Option<Box<Form>>,
    /// What drops it, where that was said.
    pub drop: Option<Spanned<String>>,
    /// `after A, B`
    pub after: Vec<Name>,
    /// A description.
    pub about: Option<String>,
    /// For which providers.
    pub scope: Scope,
}

/// `table NAME { … }`
#[derive(Clone, Debug, PartialEq)]
pub struct Table {
    /// Its name.
    pub name: Name,
    /// A comment behind the opening brace.
    pub comment: Option<String>,
    /// Its items, in written order.
    pub items: Vec<Item>,
    /// What stands before the closing brace.
    pub tail: Vec<Trivia>,
    /// For which providers.
    pub scope: Scope,
}

/// A line of a table. There are many, most of them short columns: what those seldom have is out of line.
#[derive(Clone, Debug, PartialEq)]
pub struct Item {
    /// Comments and blank lines before it.
    pub leading: ThinVec<Trivia>,
    /// What it declares.
    pub kind: ItemKind,
    /// `option "…" for P` behind a key, reference, check or index.
    pub options: ThinVec<(Spanned<String>, Scope)>,
    /// For which providers.
    pub scope: Scope,
    /// All of it.
    pub span: Span,
    /// A comment on its last line.
    pub comment: Option<String>,
}

/// The kinds of table items.
#[derive(Clone, Debug, PartialEq)]
pub enum ItemKind {
    /// `name: TYPE, clause…`
    Column(Column),
    /// `primary key [name] (cols)`
    PrimaryKey(Key),
    /// `unique [name] (cols)[, nulls equal]`
    Unique(Key),
    /// `[unique] index [name] (parts) …`
    Index(Box<Index>),
    /// `foreign key [name] (cols) references T (cols) …`
    ForeignKey(Box<ForeignKey>),
    /// `check [name] (expr)`
    Check(Check),
    /// `about "…"`
    About(Spanned<String>),
    /// `option "…" for P`
    Option(Spanned<String>),
    /// `formerly OLD`
    Formerly(Name),
    /// `partition by …`, in the provider's SQL.
    Partition(Spanned<String>),
    /// `exclude [name] using METHOD (…)`
    Exclude(Box<Exclusion>),
}

/// A column.
#[derive(Clone, Debug, PartialEq)]
pub struct Column {
    /// Its name.
    pub name: Name,
    /// Its type, or nothing where `references` stands in its place.
    pub ty: Option<Spanned<Type>>,
    /// Its clauses, in written order.
    pub clauses: ThinVec<Clause>,
}

/// A clause of a column.
#[derive(Clone, Debug, PartialEq)]
pub struct Clause {
    /// What it says.
    pub kind: ClauseKind,
    /// For which providers, where the clause alone says so.
    pub scope: Scope,
    /// All of it.
    pub span: Span,
    /// A comment between it and the next clause.
    pub comment: Option<String>,
}

/// The kinds of column clauses.
#[derive(Clone, Debug, PartialEq)]
pub enum ClauseKind {
    /// `null`
    Null,
    /// `identity [always] [from N] [by N]`
    Identity {
        /// Refuses given values.
        always: bool,
        /// The first number.
        from: Option<i64>,
        /// The step.
        by: Option<i64>,
    },
    /// `primary key`
    PrimaryKey,
    /// `unique`
    Unique,
    /// `references T` or `references T(col)`
    References(Box<Reference>),
    /// `named NAME`
    Named(Name),
    /// `on delete ACTION`
    OnDelete(Action),
    /// `on update ACTION`
    OnUpdate(Action),
    /// `deferrable [initially deferred]`
    Deferrable(Deferrable),
    /// `indexed`
    Indexed,
    /// `default VALUE`
    Default(Spanned<Value>),
    /// `generated [virtual] (expr)`
    Generated {
        /// The expression.
        expression: Spanned<String>,
        /// Stored or virtual.
        storage: Storage,
    },
    /// `on update now`
    OnUpdateNow,
    /// `check (expr)`
    Check(Spanned<String>),
    /// `collate "name"`
    Collate(String),
    /// `native "type"`
    Native(String),
    /// `option "…"`
    Option(String),
    /// `formerly OLD`
    Formerly(Name),
    /// `about "…"`
    About(String),
}

/// What a column references.
#[derive(Clone, Debug, PartialEq)]
pub struct Reference {
    /// The table.
    pub table: Name,
    /// The column, where it is said.
    pub column: Option<Name>,
}

/// A key over columns.
#[derive(Clone, Debug, PartialEq)]
pub struct Key {
    /// Its declared name.
    pub name: Option<Name>,
    /// Its columns.
    pub columns: Vec<Name>,
    /// `nulls equal` (unique constraints only).
    pub nulls_equal: bool,
}

/// A check.
#[derive(Clone, Debug, PartialEq)]
pub struct Check {
    /// Its declared name.
    pub name: Option<Name>,
    /// Its condition.
    pub expression: Spanned<String>,
}

/// A reference over several columns.
#[derive(Clone, Debug, PartialEq)]
pub struct ForeignKey {
    /// Its declared name.
    pub name: Option<Name>,
    /// The referencing columns.
    pub columns: Vec<Name>,
    /// The referenced table.
    pub table: Name,
    /// The referenced columns; empty means the primary key.
    pub referenced: Vec<Name>,
    /// `on delete`
    pub on_delete: Option<Action>,
    /// `on update`
    pub on_update: Option<Action>,
    /// `deferrable`
    pub deferrable: Option<Deferrable>,
    /// `indexed`
    pub indexed: bool,
}

/// An index.
#[derive(Clone, Debug, PartialEq)]
pub struct Index {
    /// Its declared name.
    pub name: Option<Name>,
    /// Whether it is unique.
    pub unique: bool,
    /// What it is over.
    pub parts: Vec<IndexPart>,
    /// `where (expr)`
    pub predicate: Option<Spanned<String>>,
    /// `including (cols)`
    pub including: Vec<Name>,
    /// `using METHOD`
    pub method: Option<Name>,
}

/// A part of an index.
#[derive(Clone, Debug, PartialEq)]
pub struct IndexPart {
    /// A column's name, or an expression.
    pub key: PartKey,
    /// `prefix(n)`
    pub prefix: Option<u32>,
    /// `collate "c"`
    pub collate: Option<String>,
    /// `operators "class"`
    pub operators: Option<String>,
    /// `desc`
    pub descending: bool,
    /// `nulls first` or `nulls last`
    pub nulls: Option<NullsOrder>,
    /// All of it.
    pub span: Span,
}

/// What an index part is over.
#[derive(Clone, Debug, PartialEq)]
pub enum PartKey {
    /// A column.
    Column(Identifier),
    /// An expression.
    Expression(String),
}

/// `enum NAME { … }`
#[derive(Clone, Debug, PartialEq)]
pub struct Enum {
    /// Its name.
    pub name: Name,
    /// Its words.
    pub words: Vec<EnumWord>,
    /// `about "…"`, behind the closing brace.
    pub about: Option<String>,
    /// Comments before the closing brace.
    pub tail: Vec<String>,
}

/// A word of an enum.
#[derive(Clone, Debug, PartialEq)]
pub struct EnumWord {
    /// Comments on lines before it.
    pub leading: Vec<String>,
    /// The word.
    pub word: Name,
    /// A comment behind it.
    pub comment: Option<String>,
    /// `formerly OLD`
    pub formerly: Option<Name>,
}
