//! One migration, whole or not at all: one transaction with its journal row in it.

use std::time::{Duration, Instant};

use hollow_oak_core::diff::diff;
use hollow_oak_core::history::EventKind;
use hollow_oak_core::physical::{Introspected, fingerprint};
use hollow_oak_core::script::Script;
use rusqlite::{Connection, ErrorCode};

use super::{introspect, journal, preflight, probe};
use crate::error::{Cause, DatabaseError, Failure, FailureKind};
use crate::hook;
use crate::remembered::Remembered;
use crate::run::{Migrating, Outcome, Preflight, Ran, Waiting, WaitingFor};

/// How long to sleep between two tries for the lock.
const LOCK_POLL: Duration = Duration::from_millis(20);

/// How many rows are named in an error.
const EXAMPLES: usize = 5;

/// Runs a migration; see [`crate::Database::run`].
pub(super) fn run(
    connection: &mut Connection,
    lock_wait: Duration,
    migrating: &Migrating<'_>,
    waiting: &mut dyn FnMut(Waiting),
) -> Result<Ran, Failure> {
    // Inside a transaction the pragma is without effect (SQLite, "PRAGMA foreign_keys").
    let off = migrating.script.foundation.foreign_keys_off;
    set_foreign_keys(connection, !off)?;
    let result = Locked::take(connection, lock_wait, waiting).and_then(|locked| in_transaction(locked, migrating));
    set_foreign_keys(connection, true)?;
    result.map_err(|mut failure| {
        if let FailureKind::BrokenReferences { before, .. } = &mut failure.kind {
            // Everything is rolled back: what is counted now was there before.
            *before = references(connection).map_or(0, |found| found.count);
        }
        failure
    })
}

fn set_foreign_keys(connection: &Connection, on: bool) -> Result<(), DatabaseError> {
    connection.pragma_update(None, "foreign_keys", on)?;
    let is_on: bool = connection.pragma_query_value(None, "foreign_keys", |row| row.get(0))?;
    if is_on == on {
        return Ok(());
    }
    let message = format!("foreign keys could not be switched {}", if on { "on" } else { "off" });
    Err(DatabaseError::Sqlite { message, code: 0 })
}

/// A transaction that holds the write lock; dropped without a commit, it rolls back.
struct Locked<'a>(&'a Connection);

impl<'a> Locked<'a> {
    /// Takes the lock, telling the caller once when it has to wait for it.
    fn take(
        connection: &'a mut Connection,
        lock_wait: Duration,
        waiting: &mut dyn FnMut(Waiting),
    ) -> Result<Self, Failure> {
        connection.busy_timeout(Duration::ZERO)?;
        let began = Instant::now();
        let mut told = false;
        loop {
            match connection.execute_batch("begin immediate") {
                Ok(()) => break,
                Err(error)
                    if matches!(
                        error.sqlite_error_code(),
                        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked)
                    ) =>
                {
                    if began.elapsed() >= lock_wait {
                        return Err(DatabaseError::Locked { waited: lock_wait }.into());
                    }
                    if !told {
                        waiting(Waiting { at_most: lock_wait, cause: WaitingFor::Run });
                        told = true;
                    }
                    std::thread::sleep(LOCK_POLL);
                }
                Err(error) => return Err(error.into()),
            }
        }
        connection.busy_timeout(lock_wait)?;
        Ok(Self(connection))
    }

    fn commit(self) -> Result<(), DatabaseError> {
        Ok(self.0.execute_batch("commit")?)
    }
}

impl Drop for Locked<'_> {
    fn drop(&mut self) {
        if !self.0.is_autocommit() {
            // Where even this fails, closing the connection rolls back.
            let _ = self.0.execute_batch("rollback");
        }
    }
}

fn in_transaction(locked: Locked<'_>, migrating: &Migrating<'_>) -> Result<Ran, Failure> {
    let began = Instant::now();
    let transaction = locked.0;
    hook::boundary();
    if journal::last_seq(transaction, migrating.last_seq)? != migrating.last_seq {
        return Err(Failure::from(FailureKind::JournalMoved));
    }
    if let Some(state) = migrating.schema_state
        && preflight::schema_state(transaction)? != state
    {
        return Err(Failure::from(FailureKind::SchemaMoved));
    }
    let dependents = preflight::preflight(transaction, migrating.script)?;
    let before = probe::probe(transaction)?;
    steps(transaction, migrating.script, &dependents)?;
    if !before.is_empty() {
        let lost: Vec<_> = dependents.lost.iter().map(|one| one.name.as_str()).collect();
        let script = match migrating.entry.event {
            EventKind::Reverted => migrating.entry.scripts.down,
            _ => migrating.entry.scripts.up,
        };
        probe::compare(&before, &probe::probe(transaction)?, &lost, script)?;
    }
    if migrating.script.foundation.foreign_keys_off {
        let found = references(transaction)?;
        if found.count > 0 {
            let Dangling { count, examples } = found;
            return Err(Failure::from(FailureKind::BrokenReferences { count, examples, before: 0 }));
        }
    }
    let seen = migrating.outcome.map(|outcome| check_outcome(transaction, outcome)).transpose()?;
    if migrating.last_seq == 0 {
        journal::create(transaction)?;
    }
    if let Some(seen) = &seen {
        let mark = introspect::catalogue_mark(transaction)?;
        journal::keep_remembered(transaction, migrating.entry.project, &mark, seen)?;
    }
    let observed = seen.map(|seen| seen.expected);
    hook::boundary();
    let took_ms = i64::try_from(began.elapsed().as_millis()).unwrap_or(i64::MAX);
    journal::keep_scripts(transaction, migrating.keep)?;
    let last_seq = journal::write(transaction, &migrating.entry, observed.as_deref(), Some(took_ms))?;
    hook::boundary();
    locked.commit()?;
    hook::boundary();
    Ok(Ran { took: began.elapsed(), last_seq })
}

fn steps(connection: &Connection, script: &Script, dependents: &Preflight) -> Result<(), Failure> {
    for dependent in dependents.dependents.iter().rev() {
        let name = hollow_oak_core::Dialect::Sqlite.quote(&dependent.name);
        // A trigger on a view may have gone with it.
        connection.execute_batch(&format!("drop {} if exists {name}", dependent.kind))?;
        hook::boundary();
    }
    for (at, step) in script.steps.iter().enumerate() {
        for statement in &step.statements {
            connection.execute_batch(&statement.sql).map_err(|error| Failure {
                remains: None,
                kind: FailureKind::Statement {
                    step: at + 1,
                    title: step.title.clone(),
                    line: statement.line,
                    sql: statement.sql.clone(),
                    // A text in what becomes the rowid is a mismatch, not a violation.
                    cause: match error.sqlite_error_code() {
                        Some(ErrorCode::ConstraintViolation | ErrorCode::TypeMismatch) => Cause::Rows,
                        _ => Cause::Statement,
                    },
                    in_lots: false,
                    message: match DatabaseError::from(error) {
                        DatabaseError::Sqlite { message, .. } => message,
                        other => other.to_string(),
                    },
                },
            })?;
            hook::boundary();
        }
    }
    for dependent in &dependents.dependents {
        connection.execute_batch(&dependent.sql).map_err(|error| Failure {
            remains: None,
            kind: FailureKind::BreaksDependent {
                kind: dependent.kind.to_string(),
                name: dependent.name.clone(),
                message: error.to_string(),
            },
        })?;
        hook::boundary();
    }
    Ok(())
}

/// Rows that reference nothing.
struct Dangling {
    count: usize,
    /// A few of them, in words.
    examples: Vec<String>,
}

fn references(connection: &Connection) -> Result<Dangling, DatabaseError> {
    let mut statement = connection.prepare("select \"table\", rowid, parent from pragma_foreign_key_check")?;
    let mut rows = statement.query([])?;
    let mut found = Dangling { count: 0, examples: Vec::new() };
    while let Some(row) = rows.next()? {
        let (table, rowid, parent): (String, Option<i64>, String) = (row.get(0)?, row.get(1)?, row.get(2)?);
        found.count += 1;
        if found.examples.len() < EXAMPLES {
            let which = rowid.map(|rowid| format!("row {rowid} of ")).unwrap_or_default();
            found.examples.push(format!("{which}{table} references a row of {parent} that is not there"));
        }
    }
    Ok(found)
}

/// Compares what came out with what has to; returns what is to be remembered of it.
fn check_outcome(connection: &Connection, outcome: &Outcome) -> Result<Remembered, Failure> {
    let Introspected { schema, mut unmanaged } = introspect::introspect(connection)?;
    let (live, rest) = schema.parted(|thing| outcome.manages(thing));
    unmanaged.extend(rest);
    let changes = diff(&live, &outcome.schema);
    if changes.is_empty() {
        return Ok(Remembered { expected: fingerprint(&outcome.schema).0, unmanaged });
    }
    Err(Failure::from(FailureKind::Outcome { changes: Box::new(changes) }))
}
