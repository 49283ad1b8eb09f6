//! `oak rebuild`: drop, apply everything, load rows for development. Only where a target says that it is disposable.

use hollow_oak_core::history::EventKind;
use hollow_oak_core::physical::Schema;
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{Direction, Script, write};
use hollow_oak_database::{JournalEntry, Outcome, Scripts};

use super::apply;
use super::mark::mark;
use super::running::{Doing, confirm, made_by};
use super::sync::Run;
use crate::args::{ApplyArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result, read_file, shown_path};
use crate::output::{Output, danger, done, strong};
use crate::project::Project;
use crate::target::{self, is_ignored};

/// Makes the target anew, after asking.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    if !target.disposable {
        return Err(Failure::new(format!(
            "{} is not disposable, and a rebuild drops its tables with their rows",
            target.name
        ))
        .help("`disposable = true` under its [targets.…] in hollow-oak.toml allows it; nothing was changed"));
    }
    let rows = project.settings.dev_rows.iter().map(|path| project.folder.join(path));
    let rows = rows.map(|path| Ok((shown_path(&path), read_file(&path)?))).collect::<Result<Vec<_>>>()?;
    let database = target.open()?;
    let journal = target::journal(&project, &history, &*database)?;
    let known: Vec<Schema> = history
        .migrations()
        .iter()
        .filter(|migration| journal.get(migration.id()).is_some())
        .map(|migration| project.physical_after(Some(migration), target.dialect))
        .chain([project.physical_after(history.newest(), target.dialect)])
        .collect::<Result<_>>()?;
    let ignored = |name: &str| is_ignored(&project.settings.unmanaged_tables, name);
    let found = database.introspect()?.schema;
    let (managed, left) = found.parted(|thing| !ignored(thing.name()) && known.iter().any(|schema| schema.has(thing)));
    let steps = plan(target.dialect, &managed, &Schema::default(), &Choices::default());
    if !global.json {
        output.line(format_args!(
            "{} {} of {} with their rows, then applies {}",
            danger("drops"),
            strong(plural("table", managed.tables().len())),
            target.name,
            plural("migration", history.migrations().len())
        ));
        if !left.is_empty() {
            output.line(format_args!("  {} that no migration made stays", plural("thing", left.len())));
        }
    }
    if !confirm(&format!("rebuild {}?", target.name), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    drop(database);
    let mut last_seq = journal.last_seq;
    let mut database = target.create()?;
    if !steps.steps.is_empty() {
        let text = write(target.dialect, "rebuild", Direction::Up, &steps);
        let script = Script::read(target.dialect, &text)
            .map_err(|error| Failure::new(format!("the generated script cannot be read back: {error}")))?;
        let outcome = Outcome { gone: managed.keys(), schema: Schema::default(), made: made_by([&script]) };
        let (project, target, doing) = (&project, &target, Doing::Emptying);
        Run { project, target, text: &text, script: &script, outcome: &outcome, last_seq, doing, source: "" }
            .run(output)?;
        last_seq = target::journal(project, &history, &*database)?.last_seq;
    }
    for applied in journal.applied.iter().rev() {
        let entry = JournalEntry {
            project: &project.settings.name,
            migration: &applied.migration,
            title: &applied.title,
            event: EventKind::MarkedPending,
            overrides: "",
            reason: Some("rebuilt"),
            scripts: Scripts::default(),
            expected: "",
            oak_version: env!("CARGO_PKG_VERSION"),
        };
        mark(&mut *database, &entry, last_seq, None, &[])?;
        last_seq = target::journal(&project, &history, &*database)?.last_seq;
    }
    let kept: Vec<String> = database.kept()?.into_iter().map(|one| one.name).collect();
    database.drop_kept(&kept)?;
    drop(database);
    let answered = Global { yes: true, ..global.clone() };
    apply::run(&ApplyArgs::default(), &answered, output)?;
    for (name, text) in &rows {
        load(&project, &target, name, text, output)?;
    }
    Ok(Exit::Done)
}

/// Runs a file of SQL, which may change rows and nothing else.
fn load(project: &Project, target: &target::Target, name: &str, text: &str, output: &mut Output) -> Result<()> {
    let script = Script::read(target.dialect, text)
        .map_err(|error| Failure::new(format!("{name} cannot be run: {error}")).help("the migrations are applied"))?;
    let history = project.history()?;
    let outcome = Outcome { schema: project.physical_after(history.newest(), target.dialect)?, ..Outcome::default() };
    let last_seq = target::journal(project, &history, &*target.open()?)?.last_seq;
    let doing = Doing::Loading;
    Run { project, target, text, script: &script, outcome: &outcome, last_seq, doing, source: name }.run(output)?;
    output.say(format_args!("{} rows from {name}", done("loaded")));
    Ok(())
}
