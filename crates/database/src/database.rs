//! What every provider's connection can do.

use std::time::Duration;

use hollow_oak_core::diff::StoredForm;
use hollow_oak_core::history::{Event, KeptScripts};
use hollow_oak_core::physical::{Introspected, RowSet, Schema};
use hollow_oak_core::plan::{Count, Question};

use crate::error::{DatabaseError, Failure};
use crate::hindrance::Hindrance;
use crate::kept::KeptTable;
use crate::remembered::{Remembered, Sighting};
use crate::run::{JournalEntry, Migrating, Preflight, Ran, Waiting};

/// How a database is opened.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Opening {
    /// Whether a missing database is made. Otherwise it counts as an empty one, and nothing is made.
    pub create: bool,
    /// How long to wait for a lock.
    pub lock_wait: Duration,
}

/// What a database says of itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Server {
    /// Product and version.
    pub version: String,
    /// Whether the database is there already.
    pub exists: bool,
}

/// Rows as text, for showing.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Rows {
    /// Column names.
    pub columns: Vec<String>,
    /// Values; nothing for null.
    pub rows: Vec<Vec<Option<String>>>,
    /// How many rows the table holds in all.
    pub total: u64,
}

/// The events of a journal in order, each with the name of the project it is of.
pub type Events = Vec<(String, Event)>;

/// What a server was asked for its words for ours.
#[derive(Clone, Debug, Default)]
pub struct Confirmed {
    /// What was found out, for [`Database::mark`] to keep.
    pub forms: Vec<StoredForm>,
    /// Why it could not be asked about some.
    pub unasked: Option<String>,
}

/// A live database.
pub trait Database: Send {
    /// Product and version, and whether the database is there.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn server(&self) -> Result<Server, DatabaseError>;

    /// What would be in the way of a run.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn hindrances(&self) -> Result<Vec<Hindrance>, DatabaseError>;

    /// What tells this session from every other one, where the database is behind a server.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn session(&self) -> Result<Option<String>, DatabaseError>;

    /// Reads the catalogue. The tool's own tables are left out.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn introspect(&self) -> Result<Introspected, DatabaseError>;

    /// Reads the catalogue, with a mark by which it is told later that nobody has changed it since; none where the provider
    /// has no cheap way to tell, or somebody may be changing it now. The tool's own tables are left out.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn survey(&self) -> Result<(Introspected, Option<String>), DatabaseError>;

    /// The views that nobody can read, since something that they read is not there any more; they could not be made again.
    /// None where the provider keeps such views from being, or makes them all the same.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn broken_views(&self) -> Result<Vec<String>, DatabaseError>;

    /// The journal and the catalogue of one moment, so that another run in between does not look like drift.
    ///
    /// # Errors
    ///
    /// As for [`Self::journal`] and [`Self::introspect`].
    fn snapshot(&self) -> Result<(Events, Introspected), DatabaseError>;

    /// The journal, and what was remembered of the project for just this catalogue, both of one moment; nothing of it where
    /// the catalogue has changed since, or where the provider has no cheap way to tell.
    ///
    /// # Errors
    ///
    /// As for [`Self::journal`].
    fn glance(&self, project: &str) -> Result<(Events, Option<Remembered>), DatabaseError>;

    /// Finds out, for expressions of a live schema that read otherwise than what was declared, whether the server stores
    /// the one for the other, and tells the live schema. What cannot be found out stays different. Expressions and views are
    /// tried aside in a transaction that is rolled back, triggers, routines and other objects in a database of their own,
    /// which is dropped again.
    ///
    /// # Errors
    ///
    /// Where the database does not answer, or refuses.
    fn confirm(&self, live: &mut Schema, expected: &Schema) -> Result<Confirmed, DatabaseError>;

    /// The events of the journal in order, each with the name of the project it is of; none where there is no journal.
    ///
    /// # Errors
    ///
    /// Where the journal is of a later format, or the database does not answer.
    fn journal(&self) -> Result<Events, DatabaseError>;

    /// The scripts kept under these hashes.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn kept_scripts(&self, up_sha: &str, down_sha: &str) -> Result<Option<KeptScripts>, DatabaseError>;

    /// What has to be kept around the steps of each of some migrations, and the state of the schema that this is true of. The
    /// catalogue is read once for all.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn preflight(&self, scripts: &[&hollow_oak_core::script::Script]) -> Result<Vec<Preflight>, DatabaseError>;

    /// Whether a run of the project is under way now.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn is_under_way(&self, project: &str) -> Result<bool, DatabaseError>;

    /// Waits until no other run of the project is under way; whether one was. What was read before may have been half of
    /// what that run did.
    ///
    /// # Errors
    ///
    /// Where it takes longer than a run waits for another one.
    fn wait_for_others(&mut self, project: &str, waiting: &mut dyn FnMut(Waiting)) -> Result<bool, Failure>;

    /// Runs one migration in one direction: whole or not at all where DDL is part of a transaction, else step by step.
    ///
    /// # Errors
    ///
    /// Whatever kept it from going through; nothing of it remains then.
    fn run(&mut self, migrating: &Migrating<'_>, waiting: &mut dyn FnMut(Waiting)) -> Result<Ran, Failure>;

    /// Notes an event of a migration without running anything: that it describes what is there, or counts as applied or as
    /// pending. The journal is made where it is missing; nothing else changes. What was seen is remembered, unless the
    /// catalogue has changed since; then it is read when somebody asks how it stands. The server's words for ours are kept.
    ///
    /// # Errors
    ///
    /// Where another run is under way for longer than one waits, or the journal has changed since `last_seq`.
    fn mark(
        &mut self,
        entry: &JournalEntry<'_>,
        last_seq: i64,
        seen: Option<&Sighting>,
        forms: &[StoredForm],
    ) -> Result<(), Failure>;

    /// Which of these reference rows are there, and with what values.
    ///
    /// # Errors
    ///
    /// Where the table or a column is not there, or the database does not answer.
    fn find_rows(&self, set: &RowSet) -> Result<RowSet, DatabaseError>;

    /// The tables with values that were put aside, by name.
    ///
    /// # Errors
    ///
    /// Where the database does not answer.
    fn kept(&self) -> Result<Vec<KeptTable>, DatabaseError>;

    /// Drops tables with values that were put aside.
    ///
    /// # Errors
    ///
    /// Where the database does not answer, or refuses; what was dropped before stays dropped.
    fn drop_kept(&mut self, names: &[String]) -> Result<(), DatabaseError>;

    /// Counts rows; nothing where that takes longer than the limit.
    ///
    /// # Errors
    ///
    /// Where the database does not answer, or cannot be asked that.
    fn count(&self, question: &Question, limit: Duration) -> Result<Option<Count>, DatabaseError>;

    /// The first rows of a table.
    ///
    /// # Errors
    ///
    /// Where there is no such table, or the database does not answer.
    fn rows(&self, table: &str, limit: u32) -> Result<Rows, DatabaseError>;
}
