//! `oak mark`: correct the journal of a target without running anything.

use hollow_oak_core::diff::{StoredForm, describe, diff};
use hollow_oak_core::history::{EventKind, Migration};
use hollow_oak_core::script::Direction;
use hollow_oak_database::{Database, FailureKind, JournalEntry, Scripts, Sighting};
use serde_json::json;

use super::diff::{counted, show_unasked};
use super::running::confirm;
use crate::args::{Global, MarkArgs, MarkCommand};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, dim, done, strong};
use crate::project::Project;
use crate::target::{self, Target, managed_only, script_sha};

/// Notes in the journal that a migration counts as applied, or as pending.
pub fn run(command: &MarkCommand, global: &Global, output: &mut Output) -> Result<Exit> {
    let (args, event, word): (&MarkArgs, _, _) = match command {
        MarkCommand::Applied(args) => (args, EventKind::MarkedApplied, "applied"),
        MarkCommand::Pending(args) => (args, EventKind::MarkedPending, "pending"),
    };
    let project = Project::open(global)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    let migration = &history.migrations()[history.find(&args.migration)?];
    let mut database = target.open()?;
    let journal = target::journal(&project, &history, &*database)?;
    let is_applied = journal.get(migration.id()).is_some();
    if is_applied == (event == EventKind::MarkedApplied) {
        if global.json {
            output.json(&json!({ "target": target.name, "migration": migration.folder, "marked": null }));
        } else {
            output.line(format_args!("{} {} is {word} on {} already", done("done:"), migration.folder, target.name));
        }
        return Ok(Exit::Done);
    }
    let Some(reason) = args.because.as_deref().map(str::trim).filter(|reason| !reason.is_empty()) else {
        return Err(Failure::usage("the journal wants to know why")
            .help(format!("`oak mark {word} {} --because \"…\"`; nothing was changed", migration.number)));
    };
    let missing = migration.record.parents.iter().find(|parent| journal.get(parent).is_none());
    if let (true, Some(_)) = (event == EventKind::MarkedApplied, missing) {
        return Err(Failure::new(format!("what {} follows is not applied to {}", migration.folder, target.name))
            .help("apply or mark that one first; nothing was changed"));
    }
    let child = history.migrations().iter().find(|other| {
        let follows_this = other.record.parents.iter().any(|parent| parent == migration.id());
        follows_this && journal.get(other.id()).is_some()
    });
    if let (true, Some(child)) = (event == EventKind::MarkedPending, child) {
        return Err(Failure::new(format!(
            "{} follows {}, and is applied to {}",
            child.folder, migration.folder, target.name
        ))
        .help("revert or mark that one first; nothing was changed"));
    }
    if !global.json {
        output.line(format_args!(
            "{} will count as {word} on {}, and nothing runs  {}",
            strong(&migration.folder),
            target.name,
            dim(&target.url)
        ));
    }
    let forms = match event {
        EventKind::MarkedApplied => compared(&project, migration, &target, &*database, global, output)?,
        _ => Vec::new(),
    };
    if !confirm(&format!("mark it {word}?"), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    let reason = Some(reason);
    let marking = Marking { project: &project, migration, target: &target, event, reason, seen: None, forms: &forms };
    marking.write(&mut *database, journal.last_seq)?;
    if global.json {
        output.json(&json!({ "target": target.name, "migration": migration.folder, "marked": word }));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} {} as {word} on {}", done("marked"), migration.folder, target.name));
    output.next("oak status", "compares what is there with what that migration leaves");
    Ok(Exit::Done)
}

/// Compares what is there with what the migration leaves, and tells where it differs; returns the server's words for what
/// is declared.
fn compared(
    project: &Project,
    migration: &Migration,
    target: &Target,
    database: &dyn Database,
    global: &Global,
    output: &mut Output,
) -> Result<Vec<StoredForm>> {
    let expected = project.physical_after(Some(migration), target.dialect)?;
    let mut unmanaged = Vec::new();
    let mut live = managed_only(database.introspect()?.schema, &expected, &mut unmanaged);
    let confirmed = target::confirm(database, &mut live, &expected, &mut unmanaged)?;
    let changes = diff(&expected, &live);
    if !changes.is_empty() && !global.json {
        let counted = counted(&describe(&changes));
        output.line(format_args!("what is there is not what it leaves: {counted}"));
        show_unasked(confirmed.unasked.as_deref(), output);
    }
    Ok(confirmed.forms)
}

/// An event of a migration of which nothing is run.
pub(super) struct Marking<'a> {
    pub(super) project: &'a Project,
    pub(super) migration: &'a Migration,
    pub(super) target: &'a Target,
    pub(super) event: EventKind,
    pub(super) reason: Option<&'a str>,
    /// What is to be remembered of the database, where it was seen to be as the migration leaves it.
    pub(super) seen: Option<Sighting>,
    /// The server's words for what is declared, where they were found out.
    pub(super) forms: &'a [StoredForm],
}

impl Marking<'_> {
    /// Writes it, with the scripts as they are in the files.
    pub(super) fn write(&self, database: &mut dyn Database, last_seq: i64) -> Result<()> {
        let (project, migration, dialect) = (self.project, self.migration, self.target.dialect);
        let up = project.script(migration, dialect, Direction::Up)?;
        let down = project.script(migration, dialect, Direction::Down)?;
        let (up_sha, down_sha) = (script_sha(&up.text), script_sha(&down.text));
        let expected = migration.record.expected.get(self.target.provider().word());
        let entry = JournalEntry {
            project: &project.settings.name,
            migration: migration.id(),
            title: &migration.record.title,
            event: self.event,
            overrides: "",
            reason: self.reason,
            scripts: Scripts { up: &up.text, up_sha: &up_sha, down: &down.text, down_sha: &down_sha },
            expected: expected.map_or("", String::as_str),
            oak_version: env!("CARGO_PKG_VERSION"),
        };
        mark(database, &entry, last_seq, self.seen.as_ref(), self.forms)
    }
}

/// Writes the event.
pub(super) fn mark(
    database: &mut dyn Database,
    entry: &JournalEntry<'_>,
    last_seq: i64,
    seen: Option<&Sighting>,
    forms: &[StoredForm],
) -> Result<()> {
    database.mark(entry, last_seq, seen, forms).map_err(|failure| match failure.kind {
        FailureKind::Database(error) => Failure::new(error.to_string()).help(error.help()),
        _ => Failure::new("another run changed the journal meanwhile")
            .help("`oak status` shows what is there now; nothing was changed"),
    })
}
