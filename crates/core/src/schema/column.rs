//! Columns.

use thin_vec::ThinVec;

use super::{Identifier, Scope, Scoped, Type, Value};
use crate::fit::fit_thin;

/// A column of a table. Keys, references and checks declared at a column stand with the table's.
///
/// There are many columns, and of most of these lists a column has nothing: such a list is one word.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// Its name.
    pub name: Identifier,
    /// Its portable type.
    pub ty: Type,
    /// Whether it may hold null.
    pub nullable: bool,
    /// Whether the database numbers the rows through it.
    pub identity: ThinVec<Scoped<Identity>>,
    /// The value of a row that gives none.
    pub default: ThinVec<Scoped<Value>>,
    /// The expression it is computed by.
    pub generated: ThinVec<Scoped<Generated>>,
    /// Set to the moment of every update.
    pub on_update_now: Option<Scope>,
    /// The collation, by the provider's own name.
    pub collate: ThinVec<Scoped<String>>,
    /// The provider's own type, in place of the portable one.
    pub native: ThinVec<Scoped<String>>,
    /// What else the provider keeps of it, in its own words.
    pub options: ThinVec<Scoped<String>>,
    /// The name it had before; it counts once, see [`crate::diff::Renames`].
    pub formerly: Option<Identifier>,
    /// A description.
    pub about: Option<String>,
    /// For which providers the column exists.
    pub scope: Scope,
}

impl Column {
    /// A required column of a type, with nothing else said.
    pub fn new(name: impl Into<Identifier>, ty: Type) -> Self {
        Self {
            name: name.into(),
            ty,
            nullable: false,
            identity: ThinVec::new(),
            default: ThinVec::new(),
            generated: ThinVec::new(),
            on_update_now: None,
            collate: ThinVec::new(),
            native: ThinVec::new(),
            options: ThinVec::new(),
            formerly: None,
            about: None,
            scope: Scope::All,
        }
    }

    /// Gives up room that its lists have to spare.
    pub(crate) fn fit(&mut self) {
        fit_thin(&mut self.identity);
        fit_thin(&mut self.default);
        fit_thin(&mut self.generated);
        fit_thin(&mut self.collate);
        fit_thin(&mut self.native);
        fit_thin(&mut self.options);
    }
}

/// How an identity column numbers.
#[derive(Clone, Debug, Default, PartialEq, Eq, serde::Serialize)]
pub struct Identity {
    /// Whether a value given by the insert is refused.
    pub always: bool,
    /// The first number, where it is not the provider's own.
    pub from: Option<i64>,
    /// The step, where it is not one.
    pub by: Option<i64>,
}

/// A generated column's expression.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Generated {
    /// The SQL expression, without its outer parentheses.
    pub expression: String,
    /// Whether the value is kept or computed when read.
    pub storage: Storage,
}

/// Where a generated column's value lives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Storage {
    /// Computed when the row is written, and kept.
    Stored,
    /// Computed when the row is read.
    Virtual,
}
