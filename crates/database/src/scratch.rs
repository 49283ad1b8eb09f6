//! Databases that are made to try something, and dropped again.

use std::collections::hash_map::RandomState;
use std::hash::BuildHasher;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, SystemTime};

use hollow_oak_core::physical::{Introspected, Schema};
use hollow_oak_core::plan::{Choices, Step, plan};
use hollow_oak_core::script::write_plain;
use hollow_oak_core::sql::split;
use hollow_oak_core::{Dialect, Provider, Span};

use crate::database::Opening;
use crate::error::DatabaseError;
use crate::server::{ServerError, Session};
use crate::url::{ServerUrl, TargetUrl};
use crate::{mariadb, postgres, sqlite};

/// A statement that a scratch database refused, or a server that is not there.
#[derive(Debug)]
pub struct Refusal {
    /// The statement; nothing where it did not come to that.
    pub span: Option<Span>,
    /// What was said.
    pub error: DatabaseError,
}

impl From<DatabaseError> for Refusal {
    fn from(error: DatabaseError) -> Self {
        Self { span: None, error }
    }
}

impl From<ServerError> for Refusal {
    fn from(error: ServerError) -> Self {
        DatabaseError::from(error).into()
    }
}

/// What a database holds after SQL ran on it. The database is one of its own on the same server, or in memory; it is
/// dropped again, whatever happens.
///
/// # Errors
///
/// The first statement that is refused, or what kept it from being tried.
pub fn read_through(url: &TargetUrl, dialect: Dialect, sql: &str) -> Result<Introspected, Refusal> {
    let plain = dialect.plain_sql(sql);
    match url {
        TargetUrl::Sqlite { .. } => in_memory(&plain),
        TargetUrl::Server(url) => on_scratch(url, dialect, &plain),
    }
}

/// A schema as the server of this URL stores it, made in a scratch database. Bodies of routines are not looked at: they may
/// read what is not in it.
///
/// # Errors
///
/// As [`read_through`].
pub(crate) fn make_apart(url: &ServerUrl, dialect: Dialect, schema: &Schema) -> Result<Schema, Refusal> {
    let mut plan = plan(dialect, &Schema::new(schema.case(), []), schema, &Choices::default());
    for planned in &mut plan.steps {
        if let Step::CreateProgram(program) = &mut planned.step {
            program.is_early = true;
        }
    }
    let sql = write_plain(dialect, &plan);
    Ok(on_scratch(url, dialect, &dialect.plain_sql(&sql))?.schema)
}

/// What the names of scratch databases begin with.
const PREFIX: &str = "oak_scratch_";

/// What a run with a scratch database may take; one that is older belongs to none.
const LONGEST_RUN: Duration = Duration::from_secs(60 * 60);

/// A name that no other run has: process ids alone are the same in many containers. The moment comes first, in seconds
/// since 1970, so that what is left behind is known by it.
pub(crate) fn new_name(now: SystemTime) -> String {
    static NUMBER: AtomicU32 = AtomicU32::new(0);
    let number = NUMBER.fetch_add(1, Ordering::Relaxed);
    let random = RandomState::new().hash_one(number);
    let seconds = now.duration_since(SystemTime::UNIX_EPOCH).unwrap_or_default().as_secs();
    format!("{PREFIX}{seconds}_{}_{random:016x}", std::process::id())
}

/// Of a server's databases, those that were made to try something and not dropped, since their run was ended.
pub(crate) fn left_over(databases: Vec<String>, now: SystemTime) -> Vec<String> {
    let is_old = |name: &String| {
        let seconds = name.strip_prefix(PREFIX)?.split('_').next()?.parse().ok()?;
        let made = SystemTime::UNIX_EPOCH.checked_add(Duration::from_secs(seconds))?;
        Some(now.duration_since(made).ok()? > LONGEST_RUN)
    };
    databases.into_iter().filter(|name| is_old(name).unwrap_or(false)).collect()
}

fn on_scratch(url: &ServerUrl, dialect: Dialect, sql: &str) -> Result<Introspected, Refusal> {
    let scratch = ServerUrl { database: new_name(SystemTime::now()), ..url.clone() };
    let found = on_server(&scratch, dialect, sql);
    let dropped = drop_database(url, &scratch);
    let found = found?;
    dropped?;
    Ok(found)
}

fn in_memory(sql: &str) -> Result<Introspected, Refusal> {
    let dialect = Dialect::Sqlite;
    let connection = rusqlite::Connection::open_in_memory().map_err(DatabaseError::from)?;
    // A file may make and fill its tables in any order, as the shell lets it.
    connection.pragma_update(None, "foreign_keys", false).map_err(DatabaseError::from)?;
    for statement in split(sql, dialect.syntax(), dialect.bodies()) {
        connection
            .execute_batch(statement.span.text(sql))
            .map_err(|error| Refusal { span: Some(statement.span), error: error.into() })?;
    }
    Ok(sqlite::introspect(&connection)?)
}

fn session(url: &ServerUrl, create: bool) -> Result<Box<dyn Session>, DatabaseError> {
    let opening = Opening { create, lock_wait: std::time::Duration::from_secs(10) };
    let connection = match url.provider {
        Provider::Postgres => postgres::open(url, opening)?,
        _ => mariadb::open(url, opening)?,
    };
    connection.into_session().ok_or_else(|| DatabaseError::Server {
        provider: url.provider,
        message: format!("the database {} is not there", url.database),
        code: String::new(),
    })
}

/// Runs the statements, and reads the catalogue with a session that they did nothing to.
fn on_server(url: &ServerUrl, dialect: Dialect, sql: &str) -> Result<Introspected, Refusal> {
    let mut running = session(url, true)?;
    for statement in split(sql, dialect.syntax(), dialect.bodies()) {
        let text = statement.span.text(sql);
        // They would leave the scratch database for another one.
        let words: Vec<String> = text.split_whitespace().take(2).map(str::to_lowercase).collect();
        let leaves = matches!(words[..], [ref one, ..] if one == "use")
            || matches!(words[..], [ref one, ref two] if one == "create" && two == "database");
        if leaves {
            continue;
        }
        running
            .execute(text)
            .map_err(|error| Refusal { span: Some(statement.span), error: DatabaseError::from(error) })?;
    }
    drop(running);
    Ok(session(url, false)?.introspect()?)
}

fn drop_database(own: &ServerUrl, scratch: &ServerUrl) -> Result<(), DatabaseError> {
    let name = match own.provider {
        Provider::Postgres => Dialect::Postgres.quote(&scratch.database),
        _ => format!("`{}`", scratch.database),
    };
    let elsewhere = ServerUrl { database: elsewhere(own), ..own.clone() };
    session(&elsewhere, false)?.execute(&format!("drop database if exists {name}"))?;
    Ok(())
}

/// A database that is always there.
fn elsewhere(url: &ServerUrl) -> String {
    match url.provider {
        Provider::Postgres => "postgres".to_owned(),
        _ => "information_schema".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_older_than_a_run_is_left_over() {
        let now = SystemTime::now();
        let names = vec![
            new_name(now),
            new_name(now - LONGEST_RUN - Duration::from_secs(1)),
            new_name(now + LONGEST_RUN),
            "oak_scratch_of_mine".to_owned(),
            "oak_scratch_99999999999999999999_1_0".to_owned(),
            "shop".to_owned(),
        ];
        assert_eq!(left_over(names.clone(), now), names[1..2]);
        assert_ne!(new_name(now), new_name(now));
    }
}
