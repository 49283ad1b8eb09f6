//! The journal and the store, in the target itself.

use std::sync::OnceLock;

use hollow_oak_core::history::{Event, EventKind, KeptScripts};
use hollow_oak_core::physical::RULES;
use rusqlite::{Connection, OptionalExtension, params};

use crate::error::DatabaseError;
use crate::remembered::{self, Remembered};
use crate::run::{JournalEntry, Scripts};

/// The version of the journal's layout.
const FORMAT: i64 = 1;

const CREATE: &str = "
create table if not exists hollow_oak_journal (
    seq INTEGER primary key,
    project TEXT not null,
    migration TEXT not null,
    title TEXT not null,
    event TEXT not null,
    step INTEGER,
    reason TEXT,
    overrides TEXT,
    up_sha TEXT,
    down_sha TEXT,
    expected TEXT,
    observed TEXT,
    rules TEXT not null,
    at TEXT not null,
    \"by\" TEXT not null,
    host TEXT not null,
    took_ms INTEGER,
    oak_version TEXT not null,
    format INTEGER not null
);
create table if not exists hollow_oak_store (
    kind TEXT not null,
    hash TEXT not null,
    content TEXT not null,
    primary key (kind, hash)
) without rowid;
";

const KEEP: &str = "insert or ignore into hollow_oak_store (kind, hash, content) values (?1, ?2, ?3)";
const KEPT: &str = "select content from hollow_oak_store where kind = ?1 and hash = ?2";

/// Whether the journal's tables are there.
fn exists(connection: &Connection) -> Result<bool, DatabaseError> {
    let mut statement = connection
        .prepare_cached("select 1 from sqlite_schema where type = 'table' and name = 'hollow_oak_journal'")?;
    Ok(statement.exists([])?)
}

/// Makes the journal's tables where they are missing.
pub(super) fn create(connection: &Connection) -> Result<(), DatabaseError> {
    if !exists(connection)? {
        connection.execute_batch(CREATE)?;
    }
    Ok(())
}

/// All events in order, each with its project.
pub(super) fn read(connection: &Connection) -> Result<Vec<(String, Event)>, DatabaseError> {
    if !exists(connection)? {
        return Ok(Vec::new());
    }
    let newest: Option<i64> =
        connection.query_row("select max(format) from hollow_oak_journal", [], |row| row.get(0))?;
    if let Some(format) = newest.filter(|format| *format > FORMAT) {
        return Err(DatabaseError::NewerJournal(format));
    }
    let mut statement = connection.prepare(
        "select seq, project, migration, title, event, step, reason, up_sha, down_sha, at, \"by\"
         from hollow_oak_journal order by seq",
    )?;
    let mut rows = statement.query([])?;
    let mut events = Vec::new();
    while let Some(row) = rows.next()? {
        let word: String = row.get(4)?;
        let kind = EventKind::from_word(&word).ok_or(DatabaseError::UnknownEvent(word))?;
        let event = Event {
            seq: row.get(0)?,
            migration: row.get(2)?,
            title: row.get(3)?,
            kind,
            step: row.get(5)?,
            reason: row.get(6)?,
            up_sha: row.get(7)?,
            down_sha: row.get(8)?,
            at: row.get(9)?,
            by: row.get(10)?,
        };
        events.push((row.get(1)?, event));
    }
    Ok(events)
}

/// The place of the last event, 0 where there is none. Whoever has seen one knows that the journal is there.
pub(super) fn last_seq(connection: &Connection, seen: i64) -> Result<i64, DatabaseError> {
    if seen == 0 && !exists(connection)? {
        return Ok(0);
    }
    let mut statement = connection.prepare_cached("select coalesce(max(seq), 0) from hollow_oak_journal")?;
    Ok(statement.query_row([], |row| row.get(0))?)
}

/// Keeps scripts.
pub(super) fn keep_scripts(connection: &Connection, scripts: &[Scripts<'_>]) -> Result<(), DatabaseError> {
    let mut keep = connection.prepare_cached(KEEP)?;
    for (kind, hash, content) in scripts.iter().flat_map(|one| one.kept()) {
        keep.execute([kind, hash, content])?;
    }
    Ok(())
}

/// Writes an event; returns its place.
pub(super) fn write(
    connection: &Connection,
    entry: &JournalEntry<'_>,
    observed: Option<&str>,
    took_ms: Option<i64>,
) -> Result<i64, DatabaseError> {
    let rules = format!("fingerprint {RULES}, SQLite {}", rusqlite::version());
    let overrides = Some(entry.overrides).filter(|text| !text.is_empty());
    let (user, host) = who();
    let mut insert = connection.prepare_cached(
        "insert into hollow_oak_journal (project, migration, title, event, overrides, up_sha, down_sha, expected, observed,
             rules, at, \"by\", host, took_ms, oak_version, format, reason)
         values (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), ?11, ?12, ?13, ?14, ?15, ?16)",
    )?;
    insert.execute(params![
        entry.project,
        entry.migration,
        entry.title,
        entry.event.word(),
        overrides,
        entry.scripts.up_sha,
        entry.scripts.down_sha,
        entry.expected,
        observed,
        rules,
        user,
        host,
        took_ms,
        entry.oak_version,
        FORMAT,
        entry.reason,
    ])?;
    Ok(connection.last_insert_rowid())
}

/// The names of user and host; asking the system for them is worth doing once.
fn who() -> &'static (String, String) {
    static WHO: OnceLock<(String, String)> = OnceLock::new();
    WHO.get_or_init(|| {
        let user = whoami::username().unwrap_or_else(|_| "unknown".into());
        let host = whoami::hostname().unwrap_or_else(|_| "unknown".into());
        (user, host)
    })
}

/// The scripts kept under these hashes.
pub(super) fn kept_scripts(
    connection: &Connection,
    up_sha: &str,
    down_sha: &str,
) -> Result<Option<KeptScripts>, DatabaseError> {
    if !exists(connection)? {
        return Ok(None);
    }
    let mut statement = connection.prepare_cached(KEPT)?;
    let mut kept = |kind: &str, hash: &str| statement.query_row([kind, hash], |row| row.get(0)).optional();
    let up: Option<String> = kept("up script", up_sha)?;
    let down: Option<String> = kept("down script", down_sha)?;
    Ok(up.zip(down).map(|(up, down)| KeptScripts { up, down }))
}

/// Keeps what was seen beside a mark of the catalogue.
pub(super) fn keep_remembered(
    connection: &Connection,
    project: &str,
    mark: &str,
    seen: &Remembered,
) -> Result<(), DatabaseError> {
    let mut keep = connection.prepare_cached(KEEP)?;
    keep.execute(params![remembered::KIND, Remembered::name(project, mark), seen.text()])?;
    Ok(())
}

/// What was seen when the catalogue had this mark.
pub(super) fn remembered(
    connection: &Connection,
    project: &str,
    mark: &str,
) -> Result<Option<Remembered>, DatabaseError> {
    let mut statement = connection.prepare(KEPT)?;
    let found = statement.query_row([remembered::KIND, &*Remembered::name(project, mark)], |row| row.get(0));
    let text: Option<String> = found.optional()?;
    Ok(text.and_then(|text| Remembered::read(&text)))
}
