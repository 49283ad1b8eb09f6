//! The pure core of Hollow Oak: from declared text to the SQL that changes a database, and nothing outside it.
//!
//! ```text
//!  .oak text ─▶ syntax tree ─▶ logical Schema ──lower──▶ physical Schema ─┐
//!                                                                         ├─diff─▶ Changes ─plan─▶ Steps ─script─▶ SQL text
//!  catalogue text ──────────────introspect─────────────▶ physical Schema ─┘
//! ```
//!
//! Must not: open a file, a socket or a database, read the environment or the clock, or print. What the core needs to
//! know of the world is an argument.

#![warn(clippy::print_stdout, clippy::print_stderr)]

pub mod dialect;
pub mod diff;
mod fit;
pub mod history;
pub mod language;
pub mod nearest;
pub mod physical;
pub mod plan;
pub mod plural;
pub mod schema;
pub mod script;
pub mod span;
pub mod sql;

pub use dialect::Dialect;
pub use schema::{Identifier, Provider, Schema};
pub use span::Span;
