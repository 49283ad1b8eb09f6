//! SQLite, by the bundled library.

mod connect;
mod introspect;
mod journal;
mod preflight;
mod probe;
mod rows;
mod run;

pub(crate) use connect::Connection;
pub(crate) use introspect::introspect;
