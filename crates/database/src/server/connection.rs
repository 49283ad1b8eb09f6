//! A server's database behind the common face.

use std::cell::RefCell;
use std::time::Duration;

use hollow_oak_core::Provider;
use hollow_oak_core::diff::{StoredForm, recognize};
use hollow_oak_core::history::KeptScripts;
use hollow_oak_core::physical::{Introspected, RowSet, Schema};
use hollow_oak_core::plan::{Count, Question};
use hollow_oak_core::script::Script;

use super::preflight;
use super::session::Session;
use super::{confirm, journal, rows, run};
use crate::database::{Confirmed, Database, Events, Rows, Server};
use crate::error::{DatabaseError, Failure};
use crate::hindrance::Hindrance;
use crate::kept::KeptTable;
use crate::remembered::{Remembered, Sighting};
use crate::run::{JournalEntry, Migrating, Preflight, Ran, Waiting};
use crate::url::ServerUrl;

/// How often something is read again that moved meanwhile, and the pause before each.
const AGAIN: usize = 8;
const PAUSE: Duration = Duration::from_millis(50);

/// What servers say where another session changed what was being read: a table made anew since the moment that is read
/// (MariaDB 10.11, "MariaDB Error Codes", ER_TABLE_DEF_CHANGED), one that has gone since it was listed (ER_NO_SUCH_TABLE,
/// ER_SP_DOES_NOT_EXIST; PostgreSQL 17, "PostgreSQL Error Codes", undefined_table, and internal_error for what the catalogue's
/// own functions look up), a lock that was waited for in vain (lock_not_available).
const MOVED: [&str; 6] = ["1412", "1146", "1305", "42P01", "XX000", "55P03"];

/// A connection, or nothing where the server has no such database yet.
pub(crate) struct Connection {
    session: Option<RefCell<Box<dyn Session>>>,
    url: ServerUrl,
    provider: Provider,
    lock_wait: Duration,
    /// Whether a run has left the lock with us.
    holds_lock: bool,
}

impl Connection {
    /// A connection over a session.
    pub(crate) fn new(session: Box<dyn Session>, url: &ServerUrl, lock_wait: Duration) -> Self {
        let provider = session.provider();
        Self { session: Some(RefCell::new(session)), url: url.clone(), provider, lock_wait, holds_lock: false }
    }

    /// What stands for a database that is not there yet: an empty one.
    pub(crate) fn missing(url: &ServerUrl, lock_wait: Duration) -> Self {
        Self { session: None, url: url.clone(), provider: url.provider, lock_wait, holds_lock: false }
    }

    /// The session; nothing where the server has no such database.
    pub(crate) fn into_session(self) -> Option<Box<dyn Session>> {
        self.session.map(RefCell::into_inner)
    }

    /// Has something read that belongs to one moment, again where it moved meanwhile.
    fn at_one_moment<T: Default>(
        &self,
        mut read: impl FnMut(&mut dyn Session) -> Result<T, DatabaseError>,
    ) -> Result<T, DatabaseError> {
        self.with(T::default(), |session| {
            let mut again = AGAIN;
            loop {
                session.begin_reading()?;
                let found = read(session);
                session.execute("commit")?;
                match found {
                    Err(error) if again > 0 && is_passing(&error) => again -= 1,
                    other => return other,
                }
                std::thread::sleep(PAUSE);
            }
        })
    }

    fn with<T>(
        &self,
        nothing: T,
        ask: impl FnOnce(&mut dyn Session) -> Result<T, DatabaseError>,
    ) -> Result<T, DatabaseError> {
        match &self.session {
            None => Ok(nothing),
            Some(session) => ask(&mut **session.borrow_mut()),
        }
    }
}

/// Whether it is because another session changed what was being read, so that reading it again may do.
fn is_passing(error: &DatabaseError) -> bool {
    matches!(error, DatabaseError::Server { code, .. } if MOVED.contains(&code.as_str()))
}

/// Reads the catalogue, with what is known of the server's words for our expressions.
fn introspect(session: &mut dyn Session) -> Result<Introspected, DatabaseError> {
    let mut found = session.introspect()?;
    let forms = journal::forms(session)?;
    recognize(&mut found.schema, &forms, session.dialect().wording());
    Ok(found)
}

impl Database for Connection {
    fn server(&self) -> Result<Server, DatabaseError> {
        let missing = Server { version: self.provider.title().into(), exists: false };
        self.with(missing, |session| Ok(Server { version: session.version().to_owned(), exists: true }))
    }

    fn hindrances(&self) -> Result<Vec<Hindrance>, DatabaseError> {
        self.with(Vec::new(), |session| Ok(session.hindrances()?))
    }

    fn session(&self) -> Result<Option<String>, DatabaseError> {
        self.with(None, |session| Ok(session.id()?))
    }

    fn introspect(&self) -> Result<Introspected, DatabaseError> {
        self.with(Introspected::default(), introspect)
    }

    fn survey(&self) -> Result<(Introspected, Option<String>), DatabaseError> {
        self.at_one_moment(|session| {
            let mark = session.settled_mark()?;
            Ok((introspect(session)?, mark))
        })
    }

    fn broken_views(&self) -> Result<Vec<String>, DatabaseError> {
        self.with(Vec::new(), |session| Ok(session.broken_views()?))
    }

    fn snapshot(&self) -> Result<(Events, Introspected), DatabaseError> {
        self.at_one_moment(|session| Ok((journal::read(session)?, introspect(session)?)))
    }

    fn glance(&self, project: &str) -> Result<(Events, Option<Remembered>), DatabaseError> {
        self.at_one_moment(|session| {
            let events = journal::read(session)?;
            if events.is_empty() {
                return Ok((events, None));
            }
            let recall = |mark: Option<String>, session: &mut dyn Session| match mark {
                Some(mark) => journal::remembered(session, project, &mark),
                None => Ok(None),
            };
            let still = session.still_mark()?;
            let seen = match recall(still, session)? {
                Some(seen) => Some(seen),
                None => {
                    let mark = session.catalogue_mark()?;
                    recall(mark, session)?
                }
            };
            Ok((events, seen))
        })
    }

    fn journal(&self) -> Result<Events, DatabaseError> {
        self.with(Vec::new(), journal::read)
    }

    fn kept_scripts(&self, up_sha: &str, down_sha: &str) -> Result<Option<KeptScripts>, DatabaseError> {
        self.with(None, |session| Ok(journal::kept_scripts(session, up_sha, down_sha)?))
    }

    fn confirm(&self, live: &mut Schema, expected: &Schema) -> Result<Confirmed, DatabaseError> {
        self.with(Confirmed::default(), |session| {
            let mut confirmed = confirm::confirm(session, live, expected);
            match confirm::confirm_apart(&self.url, session.dialect(), live, expected) {
                Ok(forms) => confirmed.forms.extend(forms),
                Err(why) => confirmed.unasked = Some(why),
            }
            Ok(confirmed)
        })
    }

    // PostgreSQL knows what a view or trigger reads, follows a rename, and refuses a drop.
    fn preflight(&self, scripts: &[&Script]) -> Result<Vec<Preflight>, DatabaseError> {
        let takes_names = |object: &str| {
            ["rename-table ", "rename-column ", "drop-column "].iter().any(|kind| object.starts_with(kind))
        };
        let nothing = vec![Preflight::default(); scripts.len()];
        let mut steps = scripts.iter().flat_map(|script| &script.steps);
        if self.provider == Provider::Postgres || !steps.any(|step| takes_names(&step.object)) {
            return Ok(nothing);
        }
        self.with(nothing, |session| {
            let syntax = session.dialect().syntax();
            let live = introspect(session)?.schema;
            let broken = scripts.iter().map(|script| preflight::broken(script, &live, syntax));
            Ok(broken.map(|broken| Preflight { broken, ..Preflight::default() }).collect())
        })
    }

    fn run(&mut self, migrating: &Migrating<'_>, waiting: &mut dyn FnMut(Waiting)) -> Result<Ran, Failure> {
        match &mut self.session {
            Some(session) => {
                run::run(&mut **session.get_mut(), self.lock_wait, &mut self.holds_lock, migrating, waiting)
            }
            None => {
                let message = "the database is not there".to_owned();
                Err(DatabaseError::Server { provider: self.provider, message, code: String::new() }.into())
            }
        }
    }

    fn is_under_way(&self, project: &str) -> Result<bool, DatabaseError> {
        self.with(false, |session| {
            let is_free = session.try_lock(project)?;
            if is_free {
                session.unlock(project)?;
            }
            Ok(!is_free)
        })
    }

    fn wait_for_others(&mut self, project: &str, waiting: &mut dyn FnMut(Waiting)) -> Result<bool, Failure> {
        match &mut self.session {
            Some(session) => run::wait_for_others(&mut **session.get_mut(), self.lock_wait, project, waiting),
            None => Ok(false),
        }
    }

    fn mark(
        &mut self,
        entry: &JournalEntry<'_>,
        last_seq: i64,
        seen: Option<&Sighting>,
        forms: &[StoredForm],
    ) -> Result<(), Failure> {
        match &mut self.session {
            Some(session) => run::mark(&mut **session.get_mut(), self.lock_wait, entry, last_seq, seen, forms),
            None => Ok(()),
        }
    }

    fn find_rows(&self, set: &RowSet) -> Result<RowSet, DatabaseError> {
        self.with(RowSet { rows: Vec::new(), ..set.clone() }, |session| {
            let dialect = session.dialect();
            let mut answers = Vec::new();
            for query in dialect.row_queries(set) {
                answers.extend(session.ask(&query)?.rows);
            }
            Ok(set.found(&answers, |text| dialect.literal(text)))
        })
    }

    fn kept(&self) -> Result<Vec<KeptTable>, DatabaseError> {
        self.with(Vec::new(), |session| Ok(rows::kept(session)?))
    }

    fn drop_kept(&mut self, names: &[String]) -> Result<(), DatabaseError> {
        self.with((), |session| {
            for name in names {
                session.execute(&format!("drop table if exists {}", session.dialect().quote(name)))?;
            }
            Ok(())
        })
    }

    fn count(&self, question: &Question, limit: Duration) -> Result<Option<Count>, DatabaseError> {
        self.with(Some(Count::default()), |session| {
            let sql = session.dialect().count(question);
            Ok(session.ask_within(&sql, limit)?.and_then(|answer| rows::counted(&answer)))
        })
    }

    fn rows(&self, table: &str, limit: u32) -> Result<Rows, DatabaseError> {
        let missing = || DatabaseError::NoTable { table: table.to_owned(), nearest: None };
        match &self.session {
            None => Err(missing()),
            Some(session) => rows::rows(&mut **session.borrow_mut(), table, limit),
        }
    }
}
