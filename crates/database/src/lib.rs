//! Live databases: connect, introspect, preflight, run, lock, journal.
//!
//! [`open`] is the only place that asks which provider a target is of; behind it everything is a [`Database`].
//!
//! Must not: compare schemas or plan steps (the core does), talk to a terminal, or read the project's files.

#![warn(clippy::print_stdout, clippy::print_stderr)]

mod database;
mod error;
mod hindrance;
pub mod hook;
mod kept;
mod mariadb;
mod postgres;
mod remembered;
mod run;
mod scratch;
mod server;
mod sqlite;
pub mod throwaway;
mod tls;
mod url;

pub use database::{Confirmed, Database, Events, Opening, Rows, Server};
pub use error::{Cause, DatabaseError, Failure, FailureKind};
pub use hindrance::Hindrance;
pub use kept::KeptTable;
pub use remembered::{Remembered, Sighting};
pub use run::{
    Dependent, JournalEntry, Migrating, Outcome, Preflight, Ran, Resume, Scripts, Undecided, Waiting, WaitingFor,
};
pub use scratch::{Refusal, read_through};
pub use url::{Host, ServerUrl, TargetUrl, Tls, UrlError};

use hollow_oak_core::Provider;

/// Opens the database of a target.
///
/// # Errors
///
/// Where it cannot be reached or is no database.
pub fn open(url: &TargetUrl, opening: Opening) -> Result<Box<dyn Database>, DatabaseError> {
    match url {
        TargetUrl::Sqlite { path } => Ok(Box::new(sqlite::Connection::open(path, opening)?)),
        TargetUrl::Server(server) => match server.provider {
            Provider::Postgres => Ok(Box::new(postgres::open(server, opening)?)),
            Provider::Mariadb | Provider::Mysql => Ok(Box::new(mariadb::open(server, opening)?)),
            Provider::Sqlite | Provider::Sqlserver => unreachable!("a server's URL is of a server"),
        },
    }
}
