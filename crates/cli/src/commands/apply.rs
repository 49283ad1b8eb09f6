//! `oak apply`: bring a target up.

use std::collections::BTreeSet;

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::describe;
use hollow_oak_core::history::{EventKind, History, Migration, Record, StepRecord};
use hollow_oak_core::physical::Table;
use hollow_oak_core::plan::{Placement, RiskKind};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{Direction, Script, ScriptStep};
use hollow_oak_database::{Database, FailureKind, JournalEntry, Migrating, Outcome, Preflight, Resume, Scripts};
use serde_json::json;

use super::diff::with_differences;
use super::running::{
    Broken, Doing, confirm, drift_refusal, history_refusals, label_of, made_by, obstacle_refusal, position_in_words,
    refuse_broken, settle, show_preflight, show_steps, waiting_text, with_override,
};
use crate::args::{ApplyArgs, Check, Global};
use crate::counting::{Counted, are_asked_about, of_migration};
use crate::exit::Exit;
use crate::failure::{Failure, Result, shown_path};
use crate::output::{Output, accent, dim, done, strong};
use crate::project::{Project, ScriptFile};
use crate::target::{self, State, Target, examine, newest_applied, script_sha};

/// Bytes of scripts that are kept in the target by one statement, where there are several: far below what servers take
/// (MariaDB, "max_allowed_packet": 16 MiB; MySQL, the same: 64 MiB).
const KEPT_AT_ONCE: usize = 512 << 10;

/// A migration that is about to be applied.
struct Pending<'h> {
    migration: &'h Migration,
    record: Record,
    up: ScriptFile,
    up_sha: String,
    down: ScriptFile,
    down_sha: String,
    script: Script,
}

impl Pending<'_> {
    fn scripts(&self) -> Scripts<'_> {
        Scripts { up: &self.up.text, up_sha: &self.up_sha, down: &self.down.text, down_sha: &self.down_sha }
    }

    /// What was written down of its generated steps.
    fn generated(&self, target: &Target) -> &[StepRecord] {
        self.record.steps.get(target.provider().word()).map_or(&[], |steps| &steps.up)
    }

    /// Whether a step that fails leaves the steps before it done.
    fn can_stop_half_way(&self) -> bool {
        self.script.steps.len() > 1 && self.script.steps.iter().any(|step| step.placement == Placement::Outside)
    }
}

/// Brings the target up.
pub fn run(args: &ApplyArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    let mut database = target.open()?;
    let decision = loop {
        let seen = newest_event(&*database)?;
        match decide(args, &project, &history, &target, &*database, output) {
            Ok(decision) => break decision,
            // It may be that another run was seen half way: then only what is there after it counts.
            Err(failure) => {
                let name = &project.settings.name;
                let waited = database.wait_for_others(name, &mut |waiting| {
                    output.say(waiting_text(&waiting, &target.name));
                });
                if !waited.unwrap_or(false) && newest_event(&*database)? == seen {
                    return Err(failure);
                }
            }
        }
    };
    let Decision { state, overrides, resume, pending } = decision;
    if pending.is_empty() {
        return nothing_to_do(&project, &history, &state, &target, global, output);
    }
    let preflights = database.preflight(&pending.iter().map(|one| &one.script).collect::<Vec<_>>())?;
    for (one, preflight) in pending.iter().zip(&preflights) {
        refuse_broken(preflight, &one.migration.folder, &target.name)?;
    }
    if args.dry_run {
        dry_run(&pending, &target, global, output);
        return Ok(Exit::Done);
    }
    let despite_rows = args.despite.contains(&Check::Rows);
    let counted = match resume {
        // What is there is in between.
        Some(_) => Counted::nothing(),
        None => counted(&project, &history, &pending[0], &target, &*database)?,
    };
    if !global.json {
        show(&project, &history, &pending, &preflights, &counted, &state, &target, output);
    }
    refuse_by_rows(&counted, &pending[0], despite_rows, &target)?;
    let overrides = with_override(overrides, despite_rows && !counted.refused().is_empty(), Check::Rows.word());
    let question = format!("apply {} to {}?", plural("migration", pending.len()), target.name);
    if !confirm(&question, global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    // The answer may have taken a while, and the file may have to be made.
    drop(database);
    let mut run = Run {
        project: &project,
        history: &history,
        target: &target,
        overrides,
        gone: state.expected().keys(),
        made: BTreeSet::new(),
        resume,
        drifted: drifted_names(&state),
        despite_rows,
    };
    let applied = run.all(&pending, &state, preflights.first().map(|one| one.schema_state), output)?;
    report(&applied, &pending, &counted, &target, global, output);
    Ok(Exit::Done)
}

/// What a run goes by.
struct Decision<'h> {
    state: State,
    /// Overrides that were needed, for the journal.
    overrides: String,
    /// How the first migration goes on, where it was interrupted.
    resume: Option<Resume>,
    pending: Vec<Pending<'h>>,
}

/// The place of the journal's last event.
fn newest_event(database: &dyn Database) -> Result<i64> {
    Ok(database.journal()?.last().map_or(0, |(_, event)| event.seq))
}

/// Works out what is to run, or what stands in the way of it.
fn decide<'h>(
    args: &ApplyArgs,
    project: &Project,
    history: &'h History,
    target: &Target,
    database: &dyn Database,
    output: &mut Output,
) -> Result<Decision<'h>> {
    let state = examine(project, history, target, database)?;
    let last = last_position(args, history, &state, target)?;
    let mut refusals = history_refusals(history);
    refusals.extend(state.standing.obstacles.iter().map(|one| obstacle_refusal(one, history, &target.name)));
    refusals.extend(drift_refusal(&state, &target.name));
    refuse_interrupted_revert(history, &state, target)?;
    let overrides = settle(refusals, &args.despite, &project.migrations_found(history), output)?;
    let wanted: Vec<usize> =
        state.standing.pending.iter().copied().filter(|at| last.is_none_or(|last| *at <= last)).collect();
    if wanted.is_empty() {
        return Ok(Decision { state, overrides, resume: None, pending: Vec::new() });
    }
    if target.require_proof {
        return Err(Failure::new(format!(
            "target {} asks for rehearsed migrations, and rehearsing is not there yet in this version of oak",
            target.name
        ))
        .help("set `require_proof = false` for the target in hollow-oak.toml until it is"));
    }
    let resume = resume(project, history, &wanted, &state, target, database, args)?;
    if resume.is_none() {
        refuse_tables_in_the_way(project, history, &wanted, &state, target)?;
    }
    let pending = read_all(project, history, &wanted, target)?;
    refuse_to_rebuild_drifted(&pending, &state, target)?;
    refuse_unaccepted(&pending, target)?;
    Ok(Decision { state, overrides, resume, pending })
}

/// A revert that was interrupted has to be finished before anything else.
fn refuse_interrupted_revert(history: &History, state: &State, target: &Target) -> Result<()> {
    match &state.journal.unfinished {
        Some(unfinished) if unfinished.direction == Direction::Down => {
            let label = label_of(history, unfinished);
            let message = format!("reverting {label} on {} was interrupted", target.name);
            Err(Failure::new(message).help("`oak revert` finishes it; then `oak apply`"))
        }
        _ => Ok(()),
    }
}

/// How the first of the pending migrations goes on, where an earlier run of it was interrupted.
fn resume(
    project: &Project,
    history: &History,
    wanted: &[usize],
    state: &State,
    target: &Target,
    database: &dyn Database,
    args: &ApplyArgs,
) -> Result<Option<Resume>> {
    let Some(unfinished) = &state.journal.unfinished else { return Ok(None) };
    let label = label_of(history, unfinished);
    let interrupted =
        |what: &str| Failure::new(format!("applying {label} to {} was interrupted, and {what}", target.name));
    let migration = wanted.first().map(|at| &history.migrations()[*at]).filter(|one| one.id() == unfinished.migration);
    let Some(migration) = migration else {
        return Err(interrupted("it is not what is next now").help("`oak revert` undoes what of it was done"));
    };
    let script = project.script(migration, target.dialect, Direction::Up)?;
    let resume = Resume { steps_done: unfinished.steps_done, undoes: false, undecided: args.interrupted.undecided() };
    if unfinished.up_sha.as_deref() == Some(script_sha(&script.text).as_str()) {
        return Ok(Some(resume));
    }
    // The script was mended meanwhile: what ran of it must still be what ran.
    let shas = unfinished.up_sha.as_deref().zip(unfinished.down_sha.as_deref());
    let kept = shas.map(|(up, down)| database.kept_scripts(up, down)).transpose()?.flatten();
    let ran = kept.and_then(|kept| Script::read(target.dialect, &kept.up).ok());
    let now = script.parse(target.dialect)?;
    let done = unfinished.steps_done;
    let same = |ran: &Script| {
        let bodies = |script: &Script| -> Vec<String> {
            script.steps.iter().take(done).map(|step| step.body.trim().to_owned()).collect()
        };
        bodies(ran) == bodies(&now) && now.steps.len() >= done
    };
    match ran.is_some_and(|ran| same(&ran)) {
        true => Ok(Some(resume)),
        false => Err(interrupted("steps that had run were edited since")
            .help("bring the script back from version control; or `oak revert` undoes what was done")),
    }
}

/// The position to stop after, if one is named.
fn last_position(args: &ApplyArgs, history: &History, state: &State, target: &Target) -> Result<Option<usize>> {
    let Some(wanted) = &args.to else { return Ok(None) };
    let at = history.find(wanted)?;
    let beyond = state.standing.applied.last().is_some_and(|newest| *newest > at);
    if beyond {
        let folder = &history.migrations()[at].folder;
        return Err(Failure::new(format!("{} is already past {folder}", target.name))
            .help(format!("to go back to it: `oak revert --to {}`", history.migrations()[at].number)));
    }
    Ok(Some(at))
}

fn nothing_to_do(
    project: &Project,
    history: &History,
    state: &State,
    target: &Target,
    global: &Global,
    output: &mut Output,
) -> Result<Exit> {
    let newest = newest_applied(history, &state.standing).map(|one| one.folder.clone());
    if global.json {
        output.json(
            &json!({ "target": target.name, "applied": [], "at": newest, "migrations": history.migrations().len() }),
        );
        return Ok(Exit::Done);
    }
    let found = project.migrations_found(history);
    match newest {
        Some(folder) => {
            output.line(format_args!("{} {} is at {folder}  {}", done("up to date:"), target.name, dim(found)))
        }
        None => {
            output.line(format_args!("nothing to apply to {}: {found}", target.name));
            output.next("oak draft TITLE", "writes the first migration");
        }
    }
    Ok(Exit::Done)
}

/// A table that nobody declared so far, under a name that a migration is about to use.
fn refuse_tables_in_the_way(
    project: &Project,
    history: &History,
    wanted: &[usize],
    state: &State,
    target: &Target,
) -> Result<()> {
    let is_made = |table: &&Table| state.expected().table(&table.name).is_none();
    let is_there = |table: &Table| state.live.table(&table.name).is_some();
    let migration = |at: Option<&usize>| at.map(|at| &history.migrations()[*at]);
    let after = project.physical_after(migration(wanted.last()), target.dialect)?;
    let Some(table) = after.tables().filter(is_made).find(|table| is_there(table)) else { return Ok(()) };
    let failure = Failure::new(format!("{} already has a table {}, which no migration made", target.name, table.name));
    let first = migration(wanted.first());
    if let Some(first) = first
        && project.physical_after(Some(first), target.dialect)?.tables().filter(is_made).all(is_there)
    {
        return Err(failure.help(format!(
            "where {} has all of {} already, as after `oak sync`, `oak mark applied {} --because \"…\"` says so; else rename \
             or drop that table, or point the target's url at another database",
            target.name, first.folder, first.number
        )));
    }
    Err(failure.help(
        "rename or drop that table, or point the target's url at another database; `oak adopt`, in a folder of its own, takes a database in",
    ))
}

/// A step that loses data needs somebody's word for it, in the migration's record.
fn refuse_unaccepted(pending: &[Pending<'_>], target: &Target) -> Result<()> {
    let provider = target.provider().word();
    for one in pending {
        let steps = one.generated(target);
        let mut open = Vec::new();
        for at in 0..one.script.steps.len() {
            let Some(step) = StepRecord::of(steps, &one.script, at) else { continue };
            let risk = step.risks.iter().find(|risk| risk.kind == RiskKind::LosesData);
            let word = RiskKind::LosesData.word();
            if let Some(risk) = risk
                && one.record.acceptance(provider, Direction::Up.word(), &step.hash, word).is_none()
            {
                open.push(format!("{:>2}  {}: {}", at + 1, step.step, risk.what));
            }
        }
        if open.is_empty() {
            continue;
        }
        let number = one.migration.number;
        let mut failure =
            Failure::new(format!("{} loses data, and nobody has accepted that yet", one.migration.folder));
        for line in open {
            failure = failure.detail(line);
        }
        return Err(failure.help(format!(
            "`oak review {number} --accept loses-data --because \"…\"` records that it is meant; \
             a draft with `--keep` puts the values aside instead; nothing was changed"
        )));
    }
    Ok(())
}

/// A drifted table may be left as it is, but not be made anew: what nobody declared would be lost with the old one.
fn refuse_to_rebuild_drifted(pending: &[Pending<'_>], state: &State, target: &Target) -> Result<()> {
    let drifted = drifted_names(state);
    let rebuilt = pending.iter().flat_map(|one| &one.script.steps).find_map(|step| {
        let table = step.object.strip_prefix("rebuild-table ")?;
        drifted.contains(&state.live.key(table)).then(|| table.to_owned())
    });
    match rebuilt {
        None => Ok(()),
        Some(table) => Err(with_differences(
            Failure::new(format!(
                "{table} on {} has drifted, and would be made anew without what was changed by hand",
                target.name
            )),
            &state.drift,
        )
        .help("undo the change by hand, or declare it; this cannot be overridden")),
    }
}

fn drifted_names(state: &State) -> BTreeSet<String> {
    let names = describe(&state.drift).into_iter().map(|report| state.live.key(&report.table));
    names.collect()
}

/// Reads migrations, the second half of them beside the first: the database waits meanwhile.
fn read_all<'h>(
    project: &Project,
    history: &'h History,
    wanted: &[usize],
    target: &Target,
) -> Result<Vec<Pending<'h>>> {
    let read = |at: &usize| read(project, &history.migrations()[*at], target);
    let (first, second) = wanted.split_at(wanted.len().div_ceil(2));
    let (first, second) = std::thread::scope(|scope| {
        let second = scope.spawn(|| second.iter().map(read).collect::<Result<Vec<_>>>());
        (first.iter().map(read).collect::<Result<Vec<_>>>(), second.join())
    });
    let mut all = first?;
    all.extend(second.map_err(|_| Failure::new("reading the migrations broke off"))??);
    Ok(all)
}

fn read<'h>(project: &Project, migration: &'h Migration, target: &Target) -> Result<Pending<'h>> {
    let record = project.record(migration)?;
    let up = project.script(migration, target.dialect, Direction::Up)?;
    let down = project.script(migration, target.dialect, Direction::Down)?;
    down.parse(target.dialect)?;
    let script = up.parse(target.dialect)?;
    let (up_sha, down_sha) = (script_sha(&up.text), script_sha(&down.text));
    Ok(Pending { migration, record, up, up_sha, down, down_sha, script })
}

fn dry_run(pending: &[Pending<'_>], target: &Target, global: &Global, output: &mut Output) {
    if global.json {
        let migrations: Vec<_> =
            pending.iter().map(|one| json!({ "migration": one.migration.folder, "sql": one.up.text })).collect();
        output.json(&json!({ "target": target.name, "dry_run": true, "migrations": migrations }));
        return;
    }
    output.say(format_args!("what `oak apply` would run on {}; nothing was changed", target.name));
    for one in pending {
        output.text(&one.up.text);
        output.line("");
    }
}

/// What the rows of a target say to a migration that is next.
fn counted(
    project: &Project,
    history: &History,
    one: &Pending<'_>,
    target: &Target,
    database: &dyn Database,
) -> Result<Counted> {
    if !are_asked_about(one.generated(target)) {
        return Ok(Counted::nothing());
    }
    let asked = of_migration(project, history, one.migration, target.dialect, Direction::Up)?;
    Ok(Counted::ask(asked, database))
}

/// Stops before the first change where rows are in the way. Own SQL may see to them before their step comes.
fn refuse_by_rows(counted: &Counted, one: &Pending<'_>, despite: bool, target: &Target) -> Result<()> {
    let refused = counted.refused();
    if refused.is_empty() || despite || one.script.has_own_sql() {
        return Ok(());
    }
    let message = format!("{} would be refused: rows on {} are in its way", one.migration.folder, target.name);
    let failure = refused.into_iter().fold(Failure::new(message), Failure::detail);
    Err(failure.help(
        "mend these rows, or draw the migration up anew with `oak redraft` and `--fill`, `--convert` or `--replace`, which \
         say what becomes of them; nothing was changed; `--despite rows` tries all the same",
    ))
}

#[expect(clippy::too_many_arguments, reason = "they are what there is to say, and nothing else groups them")]
fn show(
    project: &Project,
    history: &History,
    pending: &[Pending<'_>],
    preflights: &[Preflight],
    counted: &Counted,
    state: &State,
    target: &Target,
    output: &mut Output,
) {
    output.line(format_args!(
        "{} to apply to {}  {}",
        strong(plural("migration", pending.len())),
        target.name,
        dim(format_args!("{}; {}", target.url, project.migrations_found(history)))
    ));
    for (at, (one, preflight)) in pending.iter().zip(preflights).enumerate() {
        let done = state.journal.unfinished.as_ref().filter(|unfinished| unfinished.migration == one.migration.id());
        let goes_on = done.map(|unfinished| {
            let all = plural("step", one.script.steps.len());
            format!(
                "  {}",
                accent(format_args!("was interrupted; goes on behind {} of its {all}", unfinished.steps_done))
            )
        });
        output.line(format_args!("\n{}{}", strong(&one.migration.folder), goes_on.unwrap_or_default()));
        show_steps(&one.script, one.generated(target), output);
        show_preflight(preflight, output);
        if at == 0 {
            counted.show(&target.name, output);
        }
    }
    output.line("");
}

/// A run under way.
struct Run<'a> {
    project: &'a Project,
    history: &'a History,
    target: &'a Target,
    overrides: String,
    gone: BTreeSet<String>,
    /// Tables that had drifted before, by folded name; what becomes of them is not checked.
    drifted: BTreeSet<String>,
    /// Objects that generated steps of this run made, since the last check of the outcome.
    made: BTreeSet<String>,
    /// How the first one goes on, where it was interrupted.
    resume: Option<Resume>,
    /// Whether rows that would be refused are no reason to stop.
    despite_rows: bool,
}

impl Run<'_> {
    /// Applies one after the other; those that another run applied meanwhile are passed over.
    fn all(
        &mut self,
        pending: &[Pending<'_>],
        state: &State,
        mut schema_state: Option<i64>,
        output: &mut Output,
    ) -> Result<Vec<usize>> {
        let mut database = self.target.create()?;
        let mut last_seq = state.journal.last_seq;
        let mut applied = Vec::new();
        let mut resume = self.resume;
        let bar = progress(pending.len(), output);
        let scripts: Vec<_> = pending.iter().map(Pending::scripts).collect();
        // Up to which of them this run has kept the scripts.
        let mut kept = 0;
        let mut at = 0;
        while let Some(one) = pending.get(at) {
            if at > 0 && resume.is_none() && one.can_stop_half_way() {
                let counted = counted(self.project, self.history, one, self.target, &*database)?;
                if let Err(failure) = refuse_by_rows(&counted, one, self.despite_rows, self.target) {
                    bar.finish_and_clear();
                    let so_far = plural("migration", applied.len());
                    return Err(failure.detail(format!("{so_far} of this run went through, and nothing of this one")));
                }
            }
            let outcome = self.outcome(one, at + 1 == pending.len())?;
            let keep = if at < kept { &[] } else { kept_at_once(&scripts[at..]) };
            let migrating = Migrating {
                entry: self.entry(one, scripts[at]),
                keep,
                script: &one.script,
                last_seq,
                schema_state: schema_state.take(),
                outcome: outcome.as_ref(),
                is_followed: at + 1 < pending.len(),
                resume: resume.take(),
            };
            let name = &self.target.name;
            let ran = database.run(&migrating, &mut |waiting| {
                output.say(waiting_text(&waiting, name));
            });
            match ran {
                Ok(ran) => {
                    last_seq = ran.last_seq;
                    output.detail(format_args!("{} took {:?}", one.migration.folder, ran.took));
                    applied.push(at);
                    kept = kept.max(at + keep.len());
                    at += 1;
                    bar.inc(1);
                }
                Err(failure) if matches!(failure.kind, FailureKind::JournalMoved) => {
                    let journal = target::journal(self.project, self.history, &*database)?;
                    // What moved it is to be seen in it; where it is not, there would be no end to this.
                    if journal.last_seq == last_seq {
                        bar.finish_and_clear();
                        return Err(self.broken(one, applied.len(), &*database).explain(failure));
                    }
                    last_seq = journal.last_seq;
                    while pending.get(at).is_some_and(|one| journal.get(one.migration.id()).is_some()) {
                        output.say(format_args!("{}: another run applied it meanwhile", pending[at].migration.folder));
                        at += 1;
                    }
                    self.refuse_overtaking(&journal, pending.get(at))?;
                    // The other one may have been interrupted.
                    let next = pending.get(at).map(|one| one.migration.id());
                    let unfinished = journal.unfinished.as_ref().filter(|one| Some(one.migration.as_str()) == next);
                    resume =
                        unfinished.map(|one| Resume { steps_done: one.steps_done, undoes: false, undecided: None });
                }
                Err(failure) => {
                    bar.finish_and_clear();
                    return Err(self.broken(one, applied.len(), &*database).explain(failure));
                }
            }
        }
        bar.finish_and_clear();
        Ok(applied)
    }

    /// After another run did something else than we would have, only a fresh decision is safe.
    fn refuse_overtaking(
        &self,
        journal: &hollow_oak_core::history::JournalState,
        next: Option<&Pending<'_>>,
    ) -> Result<()> {
        let Some(next) = next else { return Ok(()) };
        let missing = next.migration.record.parents.iter().find(|parent| journal.get(parent).is_none());
        match missing {
            None => Ok(()),
            Some(_) if !self.overrides.is_empty() => Ok(()),
            Some(_) => Err(Failure::new(format!("another run changed {} meanwhile", self.target.name))
                .help("`oak status` shows what is there now; then `oak apply` again")),
        }
    }

    fn entry<'p>(&'p self, one: &'p Pending<'_>, scripts: Scripts<'p>) -> JournalEntry<'p> {
        let expected = one.migration.record.expected.get(self.target.provider().word());
        JournalEntry {
            project: &self.project.settings.name,
            migration: one.migration.id(),
            title: &one.migration.record.title,
            event: EventKind::Applied,
            overrides: &self.overrides,
            reason: None,
            scripts,
            expected: expected.map_or("", String::as_str),
            oak_version: env!("CARGO_PKG_VERSION"),
        }
    }

    /// What has to come out; checked after own SQL and at the end of the run.
    fn outcome(&mut self, one: &Pending<'_>, is_last: bool) -> Result<Option<Outcome>> {
        self.made.extend(made_by([&one.script]));
        // The server's word for a trigger or routine can only be noted when it was just made.
        let makes_program = |step: &ScriptStep| {
            step.object.starts_with("create-trigger ") || step.object.starts_with("create-routine ")
        };
        let is_of_server = self.target.dialect != Dialect::Sqlite;
        let must_note = is_of_server && one.script.steps.iter().any(makes_program);
        if !is_last && !one.script.has_own_sql() && !must_note {
            return Ok(None);
        }
        let schema = self.project.physical_after(Some(one.migration), self.target.dialect)?;
        let gone = self.gone.iter().filter(|name| !self.drifted.contains(*name)).cloned().collect();
        let schema = schema.filtered(|table| !self.drifted.contains(&table.key()));
        let outcome = Outcome { gone, schema, made: std::mem::take(&mut self.made) };
        self.gone.extend(outcome.schema.keys());
        Ok(Some(outcome))
    }

    fn broken(&self, one: &Pending<'_>, before: usize, database: &dyn Database) -> Broken {
        Broken {
            migration: one.migration.folder.clone(),
            script: shown_path(&one.up.path),
            doing: Doing::Applying,
            target: self.target.name.clone(),
            provider: self.target.provider(),
            before,
            at: position_in_words(self.project, self.history, database),
        }
    }
}

/// As many of the first ones as one statement may well carry, and at least one.
fn kept_at_once<'a, 's>(scripts: &'s [Scripts<'a>]) -> &'s [Scripts<'a>] {
    let mut bytes = 0;
    let fits = scripts.iter().take_while(|one| {
        bytes += one.up.len() + one.down.len();
        bytes <= KEPT_AT_ONCE
    });
    &scripts[..fits.count().max(1)]
}

/// A bar on standard error where there is something to wait for.
fn progress(count: usize, output: &Output) -> indicatif::ProgressBar {
    if !output.progress || count < 5 {
        return indicatif::ProgressBar::hidden();
    }
    let bar = indicatif::ProgressBar::new(count as u64);
    let style = indicatif::ProgressStyle::with_template("applying {bar:40.cyan} {pos} of {len}");
    if let Ok(style) = style {
        bar.set_style(style);
    }
    bar
}

fn report(
    applied: &[usize],
    pending: &[Pending<'_>],
    counted: &Counted,
    target: &Target,
    global: &Global,
    output: &mut Output,
) {
    let folders: Vec<_> = applied.iter().map(|at| pending[*at].migration.folder.as_str()).collect();
    let newest = pending.last().map(|one| one.migration.folder.as_str());
    if global.json {
        output.json(&json!({
            "target": target.name, "applied": folders, "at": newest, "counted": counted.as_json(),
        }));
        return;
    }
    let newest = newest.unwrap_or_default();
    if folders.is_empty() {
        output.line(format_args!(
            "{} {} is at {newest}; another run applied everything",
            done("up to date:"),
            target.name
        ));
    } else {
        output.line(format_args!(
            "{} {}; {} is at {newest}",
            done("applied"),
            plural("migration", folders.len()),
            target.name
        ));
    }
}
