//! One migration on a server, segment by segment.
//!
//! A segment is the steps of one transaction, or one step that stands outside. Its progress is written in its own
//! transaction, or right behind it. Whoever finds a run that did not end goes on behind the last progress; the one step
//! in between is judged by what the catalogue holds.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::time::{Duration, Instant};

use hollow_oak_core::diff::{StoredForm, diff, overlook_comments, recognize, settle};
use hollow_oak_core::history::EventKind;
use hollow_oak_core::physical::{Introspected, Unmanaged, fingerprint};
use hollow_oak_core::plan::Placement;
use hollow_oak_core::script::{Effect, ScriptStep, effect, left_behind};

use super::confirm;
use super::error::{Refused, ServerError};
use super::journal::{self, Happening};
use super::session::{Again, Closing, Kept, Session, borne};
use crate::error::{Cause, DatabaseError, Failure, FailureKind};
use crate::hook;
use crate::remembered::{Remembered, Sighting};
use crate::run::{JournalEntry, Migrating, Outcome, Ran, Undecided, Waiting, WaitingFor};

/// How long to sleep between two tries for a lock.
const LOCK_POLL: Duration = Duration::from_millis(50);

/// Runs a migration; see [`crate::Database::run`]. `held` is whether the lock was taken by a run before this one; it is
/// kept where all went well, since another one may follow, and closing the session gives it back.
pub(super) fn run(
    session: &mut dyn Session,
    lock_wait: Duration,
    held: &mut bool,
    migrating: &Migrating<'_>,
    waiting: &mut dyn FnMut(Waiting),
) -> Result<Ran, Failure> {
    if !*held {
        lock(session, lock_wait, migrating.entry.project, waiting)?;
    }
    let mut run = Run {
        session,
        lock_wait,
        follows: *held,
        migrating,
        waiting,
        done: 0,
        began: Instant::now(),
        durable: 0,
        made: migrating.script.steps.iter().filter_map(|step| borne(&step.object, "create")).collect(),
        again: BTreeMap::new(),
        closing: Closing::default(),
        last_seq: migrating.last_seq,
    };
    let result = run.all();
    let remains = run.durable;
    *held = result.is_ok();
    result.map_err(|mut failure| {
        // Where even this fails, closing the session gives it back.
        let _ = session.unlock(migrating.entry.project);
        if remains > 0 {
            failure.remains = Some((remains, migrating.script.steps.len()));
        }
        failure
    })
}

/// Waits until no other run holds the lock; whether it had to.
pub(super) fn wait_for_others(
    session: &mut dyn Session,
    lock_wait: Duration,
    project: &str,
    waiting: &mut dyn FnMut(Waiting),
) -> Result<bool, Failure> {
    let mut waited = false;
    lock(session, lock_wait, project, &mut |cause| {
        waited = true;
        waiting(cause);
    })?;
    session.unlock(project).map_err(DatabaseError::from)?;
    Ok(waited)
}

fn lock(
    session: &mut dyn Session,
    lock_wait: Duration,
    project: &str,
    waiting: &mut dyn FnMut(Waiting),
) -> Result<(), Failure> {
    let began = Instant::now();
    let mut told = false;
    while !session.try_lock(project).map_err(DatabaseError::from)? {
        if began.elapsed() >= lock_wait {
            return Err(DatabaseError::Locked { waited: lock_wait }.into());
        }
        if !told {
            waiting(Waiting { at_most: lock_wait, cause: WaitingFor::Run });
            told = true;
        }
        std::thread::sleep(LOCK_POLL);
    }
    Ok(())
}

/// Notes an event without running anything; see [`crate::Database::mark`].
pub(super) fn mark(
    session: &mut dyn Session,
    lock_wait: Duration,
    entry: &JournalEntry<'_>,
    last_seq: i64,
    seen: Option<&Sighting>,
    forms: &[StoredForm],
) -> Result<(), Failure> {
    lock(session, lock_wait, entry.project, &mut |_| ())?;
    let noted = note(session, entry, last_seq, seen, forms);
    let unlocked = session.unlock(entry.project);
    noted?;
    unlocked.map_err(|error| DatabaseError::from(error).into())
}

fn note(
    session: &mut dyn Session,
    entry: &JournalEntry<'_>,
    last_seq: i64,
    seen: Option<&Sighting>,
    forms: &[StoredForm],
) -> Result<(), Failure> {
    if journal::last_seq(session, last_seq).map_err(DatabaseError::from)? != last_seq {
        return Err(FailureKind::JournalMoved.into());
    }
    let happening = Happening { event: entry.event, step: None, reason: entry.reason, observed: None, took_ms: None };
    let keep = journal::keep_scripts(session, &[entry.scripts]);
    let event = journal::event(session, entry, &happening);
    // Where DDL is part of a transaction, the journal is made in it, beside a catalogue that stands still.
    let in_it = session.transactional_ddl();
    let write = || {
        if in_it {
            session.begin_still()?;
        }
        let seen = match seen {
            Some(seen) if session.catalogue_mark()?.as_ref() == Some(&seen.mark) => Some(seen),
            _ => None,
        };
        let made = journal::create(session)?;
        if !in_it {
            session.execute("begin")?;
        }
        let mut closing = Closing { statements: keep.into_iter().collect(), event: Some(event) };
        if !forms.is_empty() {
            closing.statements.push(journal::keep_forms(session, forms));
        }
        if let Some(Sighting { mark, remembered }) = seen
            && let Some(mark) = session.mark_after(mark, made)?
        {
            let marks: Vec<String> = session.still_mark_after()?.into_iter().chain([mark]).collect();
            closing.statements.push(journal::keep_remembered(session, entry.project, &marks, remembered));
        }
        session.commit_with(&closing)
    };
    if let Err(error) = write() {
        // Where even this fails, closing the connection rolls back.
        let _ = session.execute("rollback");
        return Err(DatabaseError::from(error).into());
    }
    Ok(())
}

struct Run<'a, 'm> {
    session: &'a mut dyn Session,
    lock_wait: Duration,
    migrating: &'a Migrating<'m>,
    waiting: &'a mut dyn FnMut(Waiting),
    /// How many steps are done.
    done: usize,
    began: Instant,
    /// How many of them remain if the next one fails.
    durable: usize,
    /// What the script makes that other things may hang on, by its kind and name.
    made: BTreeSet<(&'static str, &'a str)>,
    /// What restores what a dropped thing had, by its kind and name.
    again: BTreeMap<(&'static str, String), Vec<Again>>,
    /// Whether another run of ours ended just before, so that nobody can have changed the journal.
    follows: bool,
    /// What is still to be written in the transaction that is open.
    closing: Closing,
    /// The place of the last event that was written.
    last_seq: i64,
}

impl Run<'_, '_> {
    fn all(&mut self) -> Result<Ran, Failure> {
        hook::boundary();
        let seen = self.migrating.last_seq;
        if !self.follows && self.database(|session| journal::last_seq(session, seen))? != seen {
            return Err(FailureKind::JournalMoved.into());
        }
        let resume = self.migrating.resume;
        self.done = resume.filter(|resume| !resume.undoes).map_or(0, |resume| resume.steps_done);
        self.durable = self.done;
        if resume.is_some_and(|resume| !resume.undoes) {
            self.judge_next()?;
        }
        let steps = &self.migrating.script.steps;
        let mut segments: Vec<&[ScriptStep]> = Vec::new();
        let mut at = self.done;
        for segment in steps[self.done.min(steps.len())..]
            .chunk_by(|a, b| a.placement == Placement::InTransaction && b.placement == Placement::InTransaction)
        {
            segments.push(&steps[at..at + segment.len()]);
            at += segment.len();
        }
        // One transaction with everything in it needs no notes on the way.
        let whole = self.session.transactional_ddl()
            && resume.is_none()
            && segments.iter().all(|segment| segment[0].placement == Placement::InTransaction);
        if !whole {
            self.announce()?;
        }
        if resume.is_some_and(|resume| resume.undoes) && self.session.transactional_ddl() {
            self.put_away()?;
        }
        for segment in &segments {
            match segment[0].placement {
                Placement::InTransaction => self.transaction(segment, !whole, segments.len() == 1 && whole)?,
                Placement::Outside => self.outside(&segment[0])?,
            }
        }
        if !whole || segments.is_empty() {
            self.finish(!whole)?;
        }
        hook::boundary();
        Ok(Ran { took: self.began.elapsed(), last_seq: self.last_seq })
    }

    /// Puts away what the interrupted migration had only made for a while.
    fn put_away(&mut self) -> Result<(), Failure> {
        let live = self.database(|session| session.introspect())?.schema;
        let dialect = self.session.dialect();
        for step in left_behind(self.migrating.script, &live) {
            for sql in dialect.render(&step) {
                self.database(|session| session.execute(&sql))?;
            }
        }
        Ok(())
    }

    fn database<T>(
        &mut self,
        ask: impl FnOnce(&mut dyn Session) -> Result<T, ServerError>,
    ) -> Result<T, DatabaseError> {
        ask(self.session).map_err(DatabaseError::from)
    }

    fn direction(&self) -> &'static str {
        match self.migrating.entry.event {
            EventKind::Reverted => "down",
            _ => "up",
        }
    }

    fn event(&self, event: EventKind, step: Option<usize>, reason: Option<&str>, observed: Option<&str>) -> String {
        let took_ms = (event == self.migrating.entry.event).then(|| self.began.elapsed().as_millis());
        journal::event(self.session, &self.migrating.entry, &Happening { event, step, reason, observed, took_ms })
    }

    /// Notes that the run begins or goes on, before anything of it can be seen.
    fn announce(&mut self) -> Result<(), Failure> {
        self.make_journal()?;
        let keep = journal::keep_scripts(self.session, self.migrating.keep);
        let kind = match self.migrating.resume {
            Some(resume) if !resume.undoes => EventKind::Resumed,
            _ => EventKind::Started,
        };
        let event = self.event(kind, Some(self.done), Some(self.direction()), None);
        match keep {
            None => self.last_seq = self.database(|session| session.insert_event(&event))?,
            Some(keep) => self.in_transaction(|run| {
                run.closing = Closing { statements: vec![keep], event: Some(event) };
                Ok(())
            })?,
        }
        hook::boundary();
        Ok(())
    }

    fn in_transaction<T>(&mut self, body: impl FnOnce(&mut Self) -> Result<T, Failure>) -> Result<T, Failure> {
        self.database(|session| session.execute("begin"))?;
        match body(self) {
            Ok(value) => {
                let closing = std::mem::take(&mut self.closing);
                let seq = match self.database(|session| session.commit_with(&closing)) {
                    Ok(seq) => seq,
                    Err(error) => {
                        let _ = self.session.execute("rollback");
                        return Err(error.into());
                    }
                };
                self.last_seq = seq.unwrap_or(self.last_seq);
                Ok(value)
            }
            Err(failure) => {
                self.closing = Closing::default();
                // Where even this fails, closing the connection rolls back.
                let _ = self.session.execute("rollback");
                Err(failure)
            }
        }
    }

    /// Runs the steps of one transaction, again where another session holds a lock.
    fn transaction(&mut self, segment: &[ScriptStep], noted: bool, whole: bool) -> Result<(), Failure> {
        let first = self.done;
        let began = Instant::now();
        let mut told = false;
        let undoes = self.migrating.resume.is_some_and(|resume| resume.undoes);
        loop {
            self.done = first;
            let result = self.in_transaction(|run| {
                for step in segment {
                    match undoes && run.is_done_already(step)? {
                        true => run.done += 1,
                        false => run.step(step)?,
                    }
                }
                if whole {
                    run.make_journal()?;
                    run.closing.statements.extend(journal::keep_scripts(run.session, run.migrating.keep));
                    run.settle_outcome()?;
                } else if noted {
                    run.closing.event = Some(run.event(EventKind::Step, Some(run.done), Some(run.direction()), None));
                }
                hook::boundary();
                Ok(())
            });
            match result {
                Err(failure) if is_lock(&failure) && self.may_wait(began, &mut told) => {}
                Err(failure) => {
                    self.done = first;
                    return Err(failure);
                }
                Ok(()) => {
                    self.durable = self.done;
                    hook::boundary();
                    return Ok(());
                }
            }
        }
    }

    /// Whether to try again after a lock was refused; sleeps in between.
    fn may_wait(&mut self, began: Instant, told: &mut bool) -> bool {
        if began.elapsed() >= self.lock_wait {
            return false;
        }
        if !*told {
            (self.waiting)(Waiting { at_most: self.lock_wait, cause: WaitingFor::Session });
            *told = true;
        }
        std::thread::sleep(LOCK_POLL * 4);
        true
    }

    /// Runs a step that stands by itself.
    fn outside(&mut self, step: &ScriptStep) -> Result<(), Failure> {
        if self.migrating.resume.is_some_and(|resume| resume.undoes) && self.is_done_already(step)? {
            self.done += 1;
            self.durable = self.done;
            return Ok(());
        }
        let began = Instant::now();
        let mut told = false;
        while let Err(failure) = self.alone(step) {
            if !(is_lock(&failure) && self.may_wait(began, &mut told)) {
                let event = self.event(EventKind::Failed, Some(self.done), Some(self.direction()), None);
                // The failure itself is what is told; without this row the run is found unfinished all the same.
                let _ = self.session.insert_event(&event);
                return Err(failure);
            }
        }
        self.durable = self.done;
        hook::boundary();
        if self.done < self.migrating.script.steps.len() {
            let event = self.event(EventKind::Step, Some(self.done), Some(self.direction()), None);
            self.last_seq = self.database(|session| session.insert_event(&event))?;
            hook::boundary();
        }
        Ok(())
    }

    fn alone(&mut self, step: &ScriptStep) -> Result<(), Failure> {
        if !step.is_as_generated() {
            return self.step(step);
        }
        let wait = self.lock_wait;
        self.database(|session| session.before_alone(step, wait))?;
        let result = self.step(step);
        let settled = self.database(|session| session.after_alone(step, result.is_err()));
        // The failure itself is what is told.
        result.and(settled.map_err(Failure::from))
    }

    /// Runs a step's statements; every statement is a boundary.
    fn step(&mut self, step: &ScriptStep) -> Result<(), Failure> {
        let dropped = borne(&step.object, "drop");
        // Of what goes for good nothing has to be kept.
        let is_kept = step.is_as_generated() && dropped.is_none_or(|dropped| self.made.contains(&dropped));
        let kept = match is_kept {
            true => self.database(|session| session.kept(step))?,
            false => Kept::default(),
        };
        if let Some((kind, name)) = dropped {
            self.again.insert((kind, name.to_owned()), kept.afterwards);
        }
        let dialect = self.session.dialect();
        for statement in &step.statements {
            let sql = match kept.comments.is_empty() {
                true => Cow::Borrowed(&statement.sql),
                false => Cow::Owned(dialect.keeping_comments(&statement.sql, |name| kept.comments.get(name).cloned())),
            };
            let mut result = self.session.execute(&sql);
            if result.as_ref().is_err_and(|error| is_stale(step, &error.code)) {
                result = self.session.execute(&sql);
            }
            result.map_err(|error| match error.refused {
                Refused::ByLock => DatabaseError::Busy { waited: self.lock_wait }.into(),
                Refused::Gone => DatabaseError::from(error).into(),
                Refused::ByRows | Refused::ByRights | Refused::Otherwise => Failure::from(FailureKind::Statement {
                    step: self.done + 1,
                    title: step.title.clone(),
                    line: statement.line,
                    sql: statement.sql.clone(),
                    message: format!("{} ({})", error.message, error.code),
                    cause: cause(step, &error),
                    in_lots: step.object.starts_with("fill-in-batches ") && !step.is_by_hand(),
                }),
            })?;
            hook::boundary();
        }
        let made = borne(&step.object, "create").map(|(kind, name)| (kind, name.to_owned()));
        let again = made.and_then(|made| self.again.remove(&made));
        let steps = &self.migrating.script.steps;
        let is_declared = |object: &String| steps.iter().any(|step| step.object == *object);
        let describes = |sql: &str| sql.starts_with("comment on ");
        let is_described = step.statements.iter().any(|statement| describes(&statement.sql));
        for one in again.unwrap_or_default() {
            let is_told_anew = is_described && describes(&one.sql);
            if !is_told_anew && !one.declared_as.as_ref().is_some_and(is_declared) {
                self.database(|session| session.execute(&one.sql))?;
            }
        }
        self.done += 1;
        Ok(())
    }

    /// Finds out whether the step behind the last progress took effect before the interruption.
    fn judge_next(&mut self) -> Result<(), Failure> {
        let Some(step) = self.migrating.script.steps.get(self.done) else { return Ok(()) };
        if step.placement == Placement::Outside && self.is_done_already(step)? {
            self.done += 1;
            self.durable = self.done;
        }
        Ok(())
    }

    fn is_done_already(&mut self, step: &ScriptStep) -> Result<bool, Failure> {
        let live = self.database(|session| session.introspect())?.schema;
        match effect(step, &live) {
            Effect::Done => Ok(true),
            Effect::NotDone | Effect::Repeatable => Ok(false),
            Effect::Unknown if step.statements.is_empty() => Ok(true),
            // In a transaction it took effect as a whole or not at all.
            Effect::Unknown if step.placement == Placement::InTransaction => Ok(false),
            Effect::Unknown => match self.migrating.resume.and_then(|resume| resume.undecided) {
                Some(Undecided::Repeat) => Ok(false),
                Some(Undecided::Skip) => Ok(true),
                None => Err(FailureKind::Undecided { step: self.done + 1, title: step.title.clone() }.into()),
            },
        }
    }

    /// Checks the outcome and writes the last event, in a transaction of its own.
    fn finish(&mut self, announced: bool) -> Result<(), Failure> {
        if announced && self.migrating.outcome.is_none() {
            // One statement is a transaction of its own.
            let event = self.event(self.migrating.entry.event, None, self.migrating.entry.reason, None);
            // Whether own SQL took effect cannot always be seen: its end is not put off.
            let may_owe = self.migrating.is_followed && !self.migrating.script.has_own_sql();
            let seq = self.database(|session| match may_owe {
                true => session.owe_event(event),
                false => session.insert_event(&event).map(Some),
            })?;
            self.last_seq = seq.unwrap_or(self.last_seq);
            return Ok(());
        }
        self.make_journal()?;
        self.in_transaction(|run| {
            if !announced {
                run.closing.statements.extend(journal::keep_scripts(run.session, run.migrating.keep));
            }
            run.settle_outcome()
        })
    }

    /// Whoever has seen an event knows that the journal is there.
    fn make_journal(&mut self) -> Result<(), DatabaseError> {
        match self.migrating.last_seq {
            0 => self.database(|session| journal::create(session)).map(|_| ()),
            _ => Ok(()),
        }
    }

    /// Checks the outcome where that is asked for, and has the event written that the migration is done.
    fn settle_outcome(&mut self) -> Result<(), Failure> {
        let mut observed = None;
        if let Some(outcome) = self.migrating.outcome {
            let still = self.database(|session| session.still_mark_after())?;
            let (seen, mark) = self.check_marked(outcome)?;
            if let Some(mark) = mark {
                let marks: Vec<String> = still.into_iter().chain([mark]).collect();
                let keep = journal::keep_remembered(self.session, self.migrating.entry.project, &marks, &seen);
                self.closing.statements.push(keep);
            }
            observed = Some(seen.expected);
        }
        hook::boundary();
        let reason = self.migrating.entry.reason;
        self.closing.event = Some(self.event(self.migrating.entry.event, None, reason, observed.as_deref()));
        Ok(())
    }

    /// Compares what came out with what has to, and finds the mark under which that can be remembered.
    fn check_marked(&mut self, outcome: &Outcome) -> Result<(Remembered, Option<String>), Failure> {
        let mut mark = self.database(|session| session.settled_mark())?;
        let mut seen = self.check(outcome)?;
        if mark.is_none() || self.session.transactional_ddl() {
            return Ok((seen, mark));
        }
        // What was made aside to ask the server for its word counts as well. It is known now, and not asked for again.
        for _ in 0..2 {
            if mark == self.database(|session| session.catalogue_mark())? {
                return Ok((seen, mark));
            }
            mark = self.database(|session| session.settled_mark())?;
            seen = self.check(outcome)?;
        }
        Ok((seen, None))
    }

    /// Compares what came out with what has to; returns what is to be remembered of it.
    fn check(&mut self, outcome: &Outcome) -> Result<Remembered, Failure> {
        let Introspected { schema: live, mut unmanaged } = self.database(|session| session.introspect())?;
        let (mut live, rest) = live.called_as_in(&outcome.schema).parted(|thing| outcome.manages(thing));
        unmanaged.extend(rest);
        let known = self.database(|session| journal::forms(session))?;
        let wording = self.session.dialect().wording();
        recognize(&mut live, &known, wording);
        let mut forms = settle(&mut live, &outcome.schema, wording, |maker| outcome.made.contains(maker));
        unmanaged
            .extend(overlook_comments(&mut live, &outcome.schema, |_, _| false).into_iter().map(Unmanaged::comment));
        if !diff(&live, &outcome.schema).is_empty() {
            forms.extend(confirm::confirm(self.session, &mut live, &outcome.schema).forms);
        }
        let changes = diff(&live, &outcome.schema);
        if !changes.is_empty() {
            return Err(FailureKind::Outcome { changes: Box::new(changes) }.into());
        }
        if !forms.is_empty() {
            self.closing.statements.push(journal::keep_forms(self.session, &forms));
        }
        Ok(Remembered { expected: fingerprint(&outcome.schema).0, unmanaged })
    }
}

/// Whether a generated statement was refused for what a value holds, in words that sound like a mistake in the statement:
/// a text that is to become a `tsvector`, or a `time` with what looks like a zone behind it (PostgreSQL 17, "PostgreSQL Error
/// Codes", 42601, 22023).
fn is_of_value(step: &ScriptStep, code: &str) -> bool {
    step.is_as_generated() && alters_type(step) && matches!(code, "42601" | "22023")
}

fn cause(step: &ScriptStep, error: &ServerError) -> Cause {
    // What is only made has no rows yet.
    let makes_table = step.object.starts_with("create-table ");
    match &*error.code {
        DEPENDENTS => Cause::Dependents,
        NOT_SUPPORTED if alters_type(step) => Cause::Dependents,
        OUT_OF_MEMORY if error.message.contains("max_locks_per_transaction") => Cause::TooManyLocks,
        code if makes_routine(step) && NAMES_NOTHING.contains(&code) => Cause::Body,
        code if !makes_table && (error.refused == Refused::ByRows || is_of_value(step, code)) => Cause::Rows,
        _ => Cause::Statement,
    }
}

/// PostgreSQL 17, "PostgreSQL Error Codes": out_of_memory, which it says of the table of locks, too.
const OUT_OF_MEMORY: &str = "53200";

/// PostgreSQL 17, "PostgreSQL Error Codes": dependent_objects_still_exist; feature_not_supported, which it says of a column
/// whose type cannot change under a view, rule, policy or trigger.
const DEPENDENTS: &str = "2BP01";
const NOT_SUPPORTED: &str = "0A000";

/// PostgreSQL 17, "PostgreSQL Error Codes": undefined_table, undefined_function, undefined_column, undefined_object,
/// invalid_schema_name, and invalid_parameter_value, which it says of a setting that a routine runs with.
const NAMES_NOTHING: [&str; 6] = ["42P01", "42883", "42703", "42704", "3F000", "22023"];

fn makes_routine(step: &ScriptStep) -> bool {
    step.objects().any(|object| object.starts_with("create-routine "))
}

fn alters_type(step: &ScriptStep) -> bool {
    step.objects().any(|object| object.starts_with("alter-column "))
}

/// Whether a rename was refused because of a computed column that names the column: seen on MariaDB 10.11 where the table
/// was open for a reference to it that had gone meanwhile ("Unknown column … in 'GENERATED ALWAYS AS'"). Nothing was
/// changed, the refusal closes the table, and the same statement goes through after it.
fn is_stale(step: &ScriptStep, code: &str) -> bool {
    step.is_as_generated() && step.object.starts_with("rename-column ") && code == "1054"
}

fn is_lock(failure: &Failure) -> bool {
    matches!(failure.kind, FailureKind::Database(DatabaseError::Busy { .. }))
}
