//! The journal and the store, in the target itself.

use std::sync::OnceLock;

use hollow_oak_core::diff::StoredForm;
use hollow_oak_core::history::{Event, EventKind, KeptScripts};
use hollow_oak_core::physical::RULES;

use super::error::ServerError;
use super::session::Session;
use crate::error::DatabaseError;
use crate::remembered::{self, Remembered, hash};
use crate::run::{JournalEntry, Scripts};

/// The version of the journal's layout.
const FORMAT: i64 = 1;

/// What is written differently for each provider.
pub(crate) struct JournalSql {
    /// A query with a row where the journal is there.
    pub(crate) exists: &'static str,
    /// Makes both tables.
    pub(crate) create: [&'static str; 2],
    /// The moment, as a value for `at`.
    pub(crate) now: &'static str,
    /// `at` as text: UTC, to the millisecond.
    pub(crate) at: &'static str,
    /// The name `by`, quoted.
    pub(crate) by: &'static str,
    /// The database's user.
    pub(crate) user: &'static str,
    /// Between `insert` and `into`, and behind the values, so that a row that is there already is left alone.
    pub(crate) keep: (&'static str, &'static str),
}

pub(super) fn exists(session: &mut dyn Session) -> Result<bool, ServerError> {
    let sql = session.journal_sql().exists;
    Ok(session.value(sql)?.is_some())
}

/// Makes both tables where they are missing; returns how many statements that took.
pub(super) fn create(session: &mut dyn Session) -> Result<usize, ServerError> {
    if exists(session)? {
        return Ok(0);
    }
    // The journal comes last: where it is there, so is the store, whenever the process was killed.
    let statements = session.journal_sql().create;
    statements.into_iter().rev().try_for_each(|sql| session.execute(sql))?;
    Ok(statements.len())
}

fn number(text: Option<&String>) -> Option<i64> {
    text.and_then(|text| text.parse().ok())
}

/// Events in order, each with its project: all but the steps of migrations that have come to their end, of which a large
/// one has thousands.
pub(super) fn read(session: &mut dyn Session) -> Result<Vec<(String, Event)>, DatabaseError> {
    if !exists(session)? {
        return Ok(Vec::new());
    }
    let JournalSql { at, by, .. } = session.journal_sql();
    let found = session.ask(&format!(
        "select j.seq, j.project, migration, title, event, step, reason, up_sha, down_sha, {at}, {by}, format
         from hollow_oak_journal j
         left join (select project, max(seq) as seq from hollow_oak_journal
                    where event not in ('started', 'step', 'failed', 'resumed') group by project) ended
              on ended.project = j.project
         where event <> 'step' or j.seq > coalesce(ended.seq, 0) order by j.seq"
    ));
    let newest = match &found {
        Ok(found) => found.rows.iter().filter_map(|row| number(row.get(11)?.as_ref())).max(),
        // A newer one may have other columns.
        Err(_) => number(session.value("select max(format) from hollow_oak_journal").unwrap_or_default().as_ref()),
    };
    if let Some(format) = newest.filter(|format| *format > FORMAT) {
        return Err(DatabaseError::NewerJournal(format));
    }
    let found = found?;
    let mut events = Vec::with_capacity(found.rows.len());
    for row in found.rows {
        let text = |at: usize| row.get(at).cloned().flatten();
        let word = text(4).unwrap_or_default();
        let kind = EventKind::from_word(&word).ok_or(DatabaseError::UnknownEvent(word))?;
        let event = Event {
            seq: number(text(0).as_ref()).unwrap_or_default(),
            migration: text(2).unwrap_or_default(),
            title: text(3).unwrap_or_default(),
            kind,
            step: number(text(5).as_ref()),
            reason: text(6),
            up_sha: text(7),
            down_sha: text(8),
            at: text(9).unwrap_or_default(),
            by: text(10).unwrap_or_default(),
        };
        events.push((text(1).unwrap_or_default(), event));
    }
    Ok(events)
}

/// The place of the last event, 0 where there is none. Whoever has seen one knows that the journal is there.
pub(super) fn last_seq(session: &mut dyn Session, seen: i64) -> Result<i64, ServerError> {
    if seen == 0 && !exists(session)? {
        return Ok(0);
    }
    let last = session.value("select max(seq) from hollow_oak_journal")?;
    Ok(number(last.as_ref()).unwrap_or_default())
}

/// What an event says besides what its migration is.
pub(super) struct Happening<'a> {
    pub(super) event: EventKind,
    pub(super) step: Option<usize>,
    pub(super) reason: Option<&'a str>,
    pub(super) observed: Option<&'a str>,
    pub(super) took_ms: Option<u128>,
}

/// An event as the row of the journal's insert.
pub(super) fn event(session: &dyn Session, entry: &JournalEntry<'_>, happening: &Happening<'_>) -> String {
    let dialect = session.dialect();
    let text = |text: &str| dialect.literal(text);
    let optional = |value: Option<&str>| value.map_or("null".to_owned(), text);
    let filled = |value: &str| optional(Some(value).filter(|value| !value.is_empty()));
    let JournalSql { now, user, .. } = session.journal_sql();
    let rules = format!("fingerprint {RULES}, {}", session.version());
    let values = [
        text(entry.project),
        text(entry.migration),
        text(entry.title),
        text(happening.event.word()),
        happening.step.map_or("null".into(), |step| step.to_string()),
        optional(happening.reason),
        filled(entry.overrides),
        filled(entry.scripts.up_sha),
        filled(entry.scripts.down_sha),
        filled(entry.expected),
        optional(happening.observed),
        text(&rules),
        (*now).to_owned(),
        (*user).to_owned(),
        text(host()),
        happening.took_ms.map_or("null".into(), |took| took.to_string()),
        text(entry.oak_version),
        FORMAT.to_string(),
    ];
    format!("({})", values.join(", "))
}

/// The statement that writes events; see [`event`].
pub(crate) fn insert_events(JournalSql { by, .. }: &JournalSql, rows: &[&str]) -> String {
    format!(
        "insert into hollow_oak_journal (project, migration, title, event, step, reason, overrides, up_sha, down_sha, \
         expected, observed, rules, at, {by}, host, took_ms, oak_version, format) values {}",
        rows.join(", ")
    )
}

/// The statement that keeps scripts; none where there are none to keep.
pub(super) fn keep_scripts(session: &dyn Session, scripts: &[Scripts<'_>]) -> Option<String> {
    (!scripts.is_empty()).then(|| keep(session, scripts.iter().flat_map(|one| one.kept())))
}

/// The statement that keeps what the server stored for our expressions.
pub(super) fn keep_forms(session: &dyn Session, forms: &[StoredForm]) -> String {
    let rows: Vec<_> = forms
        .iter()
        .map(|form| {
            let content = serde_json::to_string(form).expect("two texts are always JSON");
            ("expression", hash(&content), content)
        })
        .collect();
    keep(session, rows.iter().map(|(kind, hash, content)| (*kind, hash.as_str(), content.as_str())))
}

/// The statement that keeps what was seen beside marks of the catalogue.
pub(super) fn keep_remembered(session: &dyn Session, project: &str, marks: &[String], seen: &Remembered) -> String {
    let names: Vec<String> = marks.iter().map(|mark| Remembered::name(project, mark)).collect();
    let text = seen.text();
    keep(session, names.iter().map(|name| (remembered::KIND, &**name, &*text)))
}

/// What was seen when the catalogue had this mark.
pub(super) fn remembered(
    session: &mut dyn Session,
    project: &str,
    mark: &str,
) -> Result<Option<Remembered>, ServerError> {
    let dialect = session.dialect();
    let (kind, name) = (dialect.literal(remembered::KIND), dialect.literal(&Remembered::name(project, mark)));
    let sql = format!("select content from hollow_oak_store where kind = {kind} and hash = {name}");
    Ok(session.value(&sql)?.and_then(|text| Remembered::read(&text)))
}

fn keep<'r>(session: &dyn Session, rows: impl IntoIterator<Item = (&'r str, &'r str, &'r str)>) -> String {
    let dialect = session.dialect();
    let rows: Vec<_> = rows
        .into_iter()
        .map(|(kind, hash, content)| {
            format!("({}, {}, {})", dialect.literal(kind), dialect.literal(hash), dialect.literal(content))
        })
        .collect();
    let (ignore, conflict) = session.journal_sql().keep;
    format!("insert {ignore} into hollow_oak_store (kind, hash, content) values {} {conflict}", rows.join(", "))
}

/// What the server is known to store for our expressions.
pub(super) fn forms(session: &mut dyn Session) -> Result<Vec<StoredForm>, ServerError> {
    if !exists(session)? {
        return Ok(Vec::new());
    }
    let found = session.ask("select content from hollow_oak_store where kind = 'expression'")?;
    let texts = found.rows.into_iter().filter_map(|row| row.into_iter().next().flatten());
    // What cannot be read is as good as not there: the two are compared by their own words then.
    Ok(texts.filter_map(|text| serde_json::from_str(&text).ok()).collect())
}

/// The scripts kept under these hashes.
pub(super) fn kept_scripts(
    session: &mut dyn Session,
    up_sha: &str,
    down_sha: &str,
) -> Result<Option<KeptScripts>, ServerError> {
    if !exists(session)? {
        return Ok(None);
    }
    let mut kept = |kind: &str, hash: &str| {
        let dialect = session.dialect();
        let (kind, hash) = (dialect.literal(kind), dialect.literal(hash));
        session.value(&format!("select content from hollow_oak_store where kind = {kind} and hash = {hash}"))
    };
    let (up, down) = (kept("up script", up_sha)?, kept("down script", down_sha)?);
    Ok(up.zip(down).map(|(up, down)| KeptScripts { up, down }))
}

/// The name of this host; asking the system for it is worth doing once.
fn host() -> &'static str {
    static HOST: OnceLock<String> = OnceLock::new();
    HOST.get_or_init(|| whoami::hostname().unwrap_or_else(|_| "unknown".into()))
}
