//! The physical schema: what one provider stores, by its own types and names.
//!
//! Two physical schemas of one provider are compared for equality, and nothing else ever is. An attribute that the model
//! has no field for is kept as text in `attributes`, so that it takes part in the comparison all the same.
//!
//! Must not: know where it came from ([`crate::dialect`] lowers and introspects) or how it is written as SQL.

mod fingerprint;
mod options;
mod program;
pub(crate) mod qualified;
mod rows;
mod schema;
mod unmanaged;

pub use fingerprint::{Fingerprint, RULES, fingerprint};
pub use options::Options;
pub use program::Program;
pub(crate) use program::{mentions, said_name};
pub use qualified::{qualified, split};
pub use rows::{Cell, RowSet};
pub(crate) use schema::Named;
pub use schema::{
    Check, Column, EnumType, ForeignKey, Generated, Index, IndexKey, IndexPart, KeyColumn, NameCase, Noted, PrimaryKey,
    Schema, Table, Thing, TypeName, Unique,
};
pub use unmanaged::{Introspected, ObjectKind, Unmanaged};
