//! Opening a file, and the session's settings.

use std::path::{Path, PathBuf};
use std::time::Duration;

use hollow_oak_core::diff::StoredForm;
use hollow_oak_core::history::KeptScripts;
use hollow_oak_core::physical::{Introspected, RowSet, Schema};
use hollow_oak_core::plan::{Count, Question};
use hollow_oak_core::script::Script;
use rusqlite::{ErrorCode, OpenFlags};

use super::{introspect, journal, preflight, rows, run};
use crate::database::{Confirmed, Database, Events, Opening, Rows, Server};
use crate::error::{DatabaseError, Failure, FailureKind};
use crate::hindrance::Hindrance;
use crate::kept::KeptTable;
use crate::remembered::{Remembered, Sighting};
use crate::run::{JournalEntry, Migrating, Preflight, Ran, Waiting};

/// A connection to a SQLite file, or to an empty database in memory that stands for a file that is not there yet.
pub(crate) struct Connection {
    inner: rusqlite::Connection,
    exists: bool,
    lock_wait: Duration,
    keeps_rollback_journal: bool,
}

impl Connection {
    /// Opens a file.
    pub(crate) fn open(path: &Path, opening: Opening) -> Result<Self, DatabaseError> {
        if path.is_dir() {
            return Err(DatabaseError::IsFolder { path: path.to_owned() });
        }
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        if let Some(folder) = folder
            && !folder.is_dir()
        {
            return Err(DatabaseError::NoFolder { folder: folder.to_owned() });
        }
        let exists = path.exists();
        let inner = if exists || opening.create {
            let flags =
                OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_CREATE | OpenFlags::SQLITE_OPEN_NO_MUTEX;
            rusqlite::Connection::open_with_flags(path, flags).map_err(|error| cannot_open(path, &error))?
        } else {
            rusqlite::Connection::open_in_memory()?
        };
        let connection = Self { inner, exists, lock_wait: opening.lock_wait, keeps_rollback_journal: false };
        connection.pin().map_err(|error| cannot_open(path, &error))?;
        Ok(connection)
    }

    /// The settings that every statement of ours relies on, whatever the library was built with.
    fn pin(&self) -> rusqlite::Result<()> {
        self.inner.busy_timeout(self.lock_wait)?;
        self.inner.pragma_update(None, "foreign_keys", true)?;
        self.inner.pragma_update(None, "legacy_alter_table", false)?;
        self.inner.pragma_update(None, "recursive_triggers", false)?;
        // The first read of the file: this is where something else than a database shows.
        self.inner.query_row("select count(*) from sqlite_schema", [], |_| Ok(()))
    }

    /// Has the rollback journal's file overwritten from one transaction to the next, where it would be made and deleted in
    /// each, which is most of what a small migration takes. It is as safe: a commit zeroes the file's header and syncs that
    /// (SQLite, "PRAGMA journal_mode", persist). The setting is this session's alone; a file in WAL mode keeps that.
    fn keep_rollback_journal(&mut self) -> rusqlite::Result<()> {
        if self.keeps_rollback_journal || self.rollback_journal_mode()? != "delete" {
            return Ok(());
        }
        self.inner.pragma_update(None, "journal_mode", "persist")?;
        self.keeps_rollback_journal = true;
        Ok(())
    }

    fn rollback_journal_mode(&self) -> rusqlite::Result<String> {
        self.inner.pragma_query_value(None, "journal_mode", |row| row.get(0))
    }
}

impl Drop for Connection {
    fn drop(&mut self) {
        if self.keeps_rollback_journal {
            // Deletes the file. Where somebody else is writing it stays, and theirs deletes it.
            let _ = self.inner.pragma_update(None, "journal_mode", "delete");
        }
    }
}

fn cannot_open(path: &Path, error: &rusqlite::Error) -> DatabaseError {
    let path: PathBuf = path.to_owned();
    match error.sqlite_error_code() {
        Some(ErrorCode::NotADatabase) => DatabaseError::NotADatabase { path },
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => DatabaseError::Locked { waited: Duration::ZERO },
        _ => DatabaseError::CannotOpen { path, message: error.to_string() },
    }
}

impl Database for Connection {
    fn server(&self) -> Result<Server, DatabaseError> {
        Ok(Server { version: format!("SQLite {}", rusqlite::version()), exists: self.exists })
    }

    fn hindrances(&self) -> Result<Vec<Hindrance>, DatabaseError> {
        Ok(if self.inner.is_readonly(rusqlite::MAIN_DB)? { vec![Hindrance::ReadOnly] } else { Vec::new() })
    }

    fn session(&self) -> Result<Option<String>, DatabaseError> {
        Ok(None)
    }

    fn introspect(&self) -> Result<Introspected, DatabaseError> {
        introspect::introspect(&self.inner)
    }

    // SQLite, "CREATE VIEW": what a view reads is looked for when it is read.
    fn broken_views(&self) -> Result<Vec<String>, DatabaseError> {
        Ok(Vec::new())
    }

    fn survey(&self) -> Result<(Introspected, Option<String>), DatabaseError> {
        let transaction = self.inner.unchecked_transaction()?;
        let found = (introspect::introspect(&transaction)?, Some(introspect::catalogue_mark(&transaction)?));
        transaction.commit()?;
        Ok(found)
    }

    fn snapshot(&self) -> Result<(Events, Introspected), DatabaseError> {
        let transaction = self.inner.unchecked_transaction()?;
        let found = (journal::read(&transaction)?, introspect::introspect(&transaction)?);
        transaction.commit()?;
        Ok(found)
    }

    fn glance(&self, project: &str) -> Result<(Events, Option<Remembered>), DatabaseError> {
        let transaction = self.inner.unchecked_transaction()?;
        let events = journal::read(&transaction)?;
        let seen = match events.is_empty() {
            true => None,
            false => journal::remembered(&transaction, project, &introspect::catalogue_mark(&transaction)?)?,
        };
        transaction.commit()?;
        Ok((events, seen))
    }

    // SQLite keeps the text that it was given.
    fn confirm(&self, _: &mut Schema, _: &Schema) -> Result<Confirmed, DatabaseError> {
        Ok(Confirmed::default())
    }

    fn journal(&self) -> Result<Events, DatabaseError> {
        journal::read(&self.inner)
    }

    fn kept_scripts(&self, up_sha: &str, down_sha: &str) -> Result<Option<KeptScripts>, DatabaseError> {
        journal::kept_scripts(&self.inner, up_sha, down_sha)
    }

    fn preflight(&self, scripts: &[&Script]) -> Result<Vec<Preflight>, DatabaseError> {
        scripts.iter().map(|script| preflight::preflight(&self.inner, script)).collect()
    }

    fn run(&mut self, migrating: &Migrating<'_>, waiting: &mut dyn FnMut(Waiting)) -> Result<Ran, Failure> {
        self.keep_rollback_journal().map_err(DatabaseError::from)?;
        run::run(&mut self.inner, self.lock_wait, migrating, waiting)
    }

    fn is_under_way(&self, _: &str) -> Result<bool, DatabaseError> {
        Ok(false)
    }

    // Nobody sees half of a run: it is one transaction.
    fn wait_for_others(&mut self, _: &str, _: &mut dyn FnMut(Waiting)) -> Result<bool, Failure> {
        Ok(false)
    }

    // It keeps every text as it was given.
    fn mark(
        &mut self,
        entry: &JournalEntry<'_>,
        last_seq: i64,
        seen: Option<&Sighting>,
        _: &[StoredForm],
    ) -> Result<(), Failure> {
        let failed = |error: rusqlite::Error| Failure::from(DatabaseError::from(error));
        let transaction =
            self.inner.transaction_with_behavior(rusqlite::TransactionBehavior::Immediate).map_err(failed)?;
        if journal::last_seq(&transaction, last_seq)? != last_seq {
            return Err(FailureKind::JournalMoved.into());
        }
        journal::create(&transaction)?;
        journal::keep_scripts(&transaction, &[entry.scripts])?;
        journal::write(&transaction, entry, None, None)?;
        // The tool's own tables are not in the mark.
        if let Some(Sighting { mark, remembered }) = seen
            && introspect::catalogue_mark(&transaction)? == *mark
        {
            journal::keep_remembered(&transaction, entry.project, mark, remembered)?;
        }
        transaction.commit().map_err(failed)
    }

    fn find_rows(&self, set: &RowSet) -> Result<RowSet, DatabaseError> {
        rows::find(&self.inner, set)
    }

    fn kept(&self) -> Result<Vec<KeptTable>, DatabaseError> {
        rows::kept(&self.inner)
    }

    fn drop_kept(&mut self, names: &[String]) -> Result<(), DatabaseError> {
        for name in names {
            self.inner
                .execute_batch(&format!("drop table if exists {}", hollow_oak_core::Dialect::Sqlite.quote(name)))?;
        }
        Ok(())
    }

    fn count(&self, question: &Question, limit: Duration) -> Result<Option<Count>, DatabaseError> {
        rows::count(&self.inner, question, limit)
    }

    fn rows(&self, table: &str, limit: u32) -> Result<Rows, DatabaseError> {
        rows::rows(&self.inner, table, limit)
    }
}
