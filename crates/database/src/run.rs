//! What a run is given, and what it gives back.

use std::collections::BTreeSet;
use std::time::Duration;

use hollow_oak_core::history::EventKind;
use hollow_oak_core::physical::{ObjectKind, Schema, Thing};
use hollow_oak_core::script::Script;

/// A migration about to run in one direction.
#[derive(Debug)]
pub struct Migrating<'a> {
    /// What the journal will say.
    pub entry: JournalEntry<'a>,
    /// Scripts that are kept in the target along with it: its own, and, since many at once cost little more than one,
    /// those of migrations that are to follow; none where a run before this one did that.
    pub keep: &'a [Scripts<'a>],
    /// The script to run.
    pub script: &'a Script,
    /// The journal's last place that the decision was made on.
    pub last_seq: i64,
    /// The state of the schema that the preflight was made on; nothing where the run follows another one of ours.
    pub schema_state: Option<i64>,
    /// What the outcome has to be, where it is to be checked before the commit.
    pub outcome: Option<&'a Outcome>,
    /// Whether another run follows at once, so that a database where every statement is a transaction of its own may write
    /// the end of this one along with the beginning of that.
    pub is_followed: bool,
    /// An interrupted run of the same script that this one goes on with.
    pub resume: Option<Resume>,
}

/// How an interrupted run is gone on with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Resume {
    /// How many steps are known to be done.
    pub steps_done: usize,
    /// Whether the run undoes what an interrupted run the other way did: every step is judged before it runs.
    pub undoes: bool,
    /// What is to become of a step that cannot be judged.
    pub undecided: Option<Undecided>,
}

/// A person's word on a step that may have taken effect.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Undecided {
    /// It is run again.
    Repeat,
    /// It counts as done.
    Skip,
}

/// What a schema has to be after a run.
#[derive(Clone, Debug, Default)]
pub struct Outcome {
    /// The managed tables, as they have to be.
    pub schema: Schema,
    /// What was managed before and is not to be there any more, by the keys of [`Schema::keys`].
    pub gone: BTreeSet<String>,
    /// Objects that this run made by generated steps, in the words of the steps' headers: what the server stored for
    /// their expressions is its word for ours.
    pub made: BTreeSet<String>,
}

impl Outcome {
    /// Whether a thing is managed.
    pub fn manages(&self, thing: Thing<'_>) -> bool {
        self.schema.has(thing) || self.gone.contains(&self.schema.key_of(thing))
    }
}

/// What the journal will say of a run.
#[derive(Clone, Debug)]
pub struct JournalEntry<'a> {
    /// The project's name.
    pub project: &'a str,
    /// The migration's id.
    pub migration: &'a str,
    /// The migration's title.
    pub title: &'a str,
    /// What happens: applied or reverted.
    pub event: EventKind,
    /// Options that weakened a check.
    pub overrides: &'a str,
    /// Why, where somebody said so.
    pub reason: Option<&'a str>,
    /// Its scripts.
    pub scripts: Scripts<'a>,
    /// Fingerprint that the outcome has to have.
    pub expected: &'a str,
    /// The version of oak.
    pub oak_version: &'a str,
}

/// Both scripts of a migration.
#[derive(Clone, Copy, Debug, Default)]
pub struct Scripts<'a> {
    /// Text of the up script.
    pub up: &'a str,
    /// Hash of the up script.
    pub up_sha: &'a str,
    /// Text of the down script.
    pub down: &'a str,
    /// Hash of the down script.
    pub down_sha: &'a str,
}

impl<'a> Scripts<'a> {
    /// Each as the kind, hash and text under which it is kept.
    pub(crate) fn kept(self) -> [(&'static str, &'a str, &'a str); 2] {
        [("up script", self.up_sha, self.up), ("down script", self.down_sha, self.down)]
    }
}

/// A run that went through.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Ran {
    /// How long it took, waiting aside.
    pub took: Duration,
    /// The journal's last place now.
    pub last_seq: i64,
}

/// A run has to wait.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Waiting {
    /// How long it will wait at most.
    pub at_most: Duration,
    /// What for.
    pub cause: WaitingFor,
}

/// What a run waits for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WaitingFor {
    /// Another run of the tool.
    Run,
    /// A session that uses what has to change.
    Session,
}

/// What a migration's steps have to keep.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Preflight {
    /// Views and triggers that are dropped before and made again afterwards, in the order of their making.
    pub dependents: Vec<Dependent>,
    /// Triggers that go with their tables.
    pub lost: Vec<Dependent>,
    /// Views and triggers that would not work afterwards, each with the name that it would not find.
    pub broken: Vec<Dependent>,
    /// A number that changes with the schema.
    pub schema_state: i64,
}

/// A view or trigger that a step would touch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Dependent {
    /// View or trigger.
    pub kind: ObjectKind,
    /// Its name.
    pub name: String,
    /// The table that is in the way.
    pub table: String,
    /// How it is made.
    pub sql: String,
}
