//! What databases behind a server have in common: a pinned session, the journal in the target, segments and their
//! progress, and what a run does after an interruption.
//!
//! A provider gives a [`Session`]; everything here is written against it.

mod confirm;
mod connection;
mod error;
mod journal;
mod preflight;
mod rows;
mod run;
mod session;

pub(crate) use connection::Connection;
pub(crate) use error::{Refused, ServerError};
pub(crate) use journal::JournalSql;
pub(crate) use journal::insert_events;
pub(crate) use session::{Again, Asked, Closing, Kept, Session, Table, borne};
