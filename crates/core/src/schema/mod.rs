//! The logical schema: what the declarations mean, for every provider at once.
//!
//! [`Parts`] is what a reader of declarations puts together; [`Schema::new`] checks it and gives a [`Schema`] that is
//! valid by construction: a reference points to a key that exists, a name is declared once, a default fits its column.
//! Nobody downstream checks again.
//!
//! Must not: know how a provider stores anything ([`crate::dialect`]), or where in a file an item stood
//! ([`crate::language`] keeps that, by [`Place`]).

mod column;
mod column_type;
mod constraint;
mod fault;
mod identifier;
mod place;
mod program;
mod provider;
mod rows;
mod table;
mod validate;
mod validate_rows;
mod value;

pub use column::{Column, Generated, Identity, Storage};
pub use column_type::Type;
pub use constraint::{
    Action, Check, DELETED_COLUMNS, Deferrable, ForeignKey, Index, IndexPart, KeyPart, NullsOrder, PrimaryKey,
    UNCHECKED, Unique,
};
pub use fault::{Fault, FaultKind, KeptAs, Severity};
pub use identifier::Identifier;
pub use place::{Item, Part, Place};
pub use program::{Domain, Exclusion, Form, Grant, Program, ProgramKind};
pub use provider::{Provider, Providers, Scope, Scoped};
pub use rows::Rows;
pub use table::{Enum, Parts, Schema, Table};
pub(crate) use validate::{fits, is_key};
pub use value::Value;
