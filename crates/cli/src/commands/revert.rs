//! `oak revert`: bring a target down again, by the scripts that were kept in it when they were applied.

use hollow_oak_core::history::{Applied, EventKind, History, KeptScripts, Migration, Obstacle, StepRecord};
use hollow_oak_core::plan::RiskKind;
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{Direction, Script};
use hollow_oak_database::{Database, JournalEntry, Migrating, Outcome, Resume, Scripts, Undecided};
use serde_json::json;

use super::running::{
    Broken, Doing, confirm, drift_refusal, made_by, obstacle_refusal, position, position_in_words, refuse_broken,
    settle, show_preflight, show_steps, waiting_text, with_override,
};
use crate::args::{Check, Global, RevertArgs};
use crate::counting::{Counted, of_revert};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, accent, dim, done, strong};
use crate::project::Project;
use crate::target::{self, State, Target, examine};

/// A migration that is about to be reverted.
struct Leaving<'h> {
    applied: Applied,
    /// Its folder, where it is still there.
    migration: Option<&'h Migration>,
    scripts: KeptScripts,
    script: Script,
}

impl Leaving<'_> {
    fn label(&self) -> String {
        self.migration.map_or_else(|| format!("\"{}\"", self.applied.title), |migration| migration.folder.clone())
    }

    fn records(&self, project: &Project, target: &Target) -> Result<Vec<StepRecord>> {
        self.migration.map_or(Ok(Vec::new()), |migration| Ok(project.steps(migration, target.dialect)?.down))
    }
}

/// Brings the target down.
pub fn run(args: &RevertArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    let mut database = target.open()?;
    let state = examine(&project, &history, &target, &*database)?;
    let count = how_many(args, &history, &state, &target)?;
    let mut chosen: Vec<Applied> = state.journal.applied.iter().rev().take(count).cloned().collect();
    if let Some(unfinished) = state.journal.unfinished.as_ref().filter(|one| one.direction == Direction::Up) {
        chosen.insert(0, unfinished.as_applied());
    }
    if chosen.is_empty() {
        return nothing_to_do(args, &state, &target, global, output);
    }
    refuse_below_adopted(&chosen, &history, &target)?;
    let overrides = refuse(args, &history, &state, &chosen, &target, &project.migrations_found(&history), output)?;
    let leaving =
        chosen.into_iter().map(|applied| read(&history, applied, &*database, &target)).collect::<Result<Vec<_>>>()?;
    refuse_half_changed_values(&leaving, &state, &target)?;
    refuse_purged(&leaving, &state, &*database, &target)?;
    let preflights = database.preflight(&leaving.iter().map(|one| &one.script).collect::<Vec<_>>())?;
    for (one, preflight) in leaving.iter().zip(&preflights) {
        refuse_broken(preflight, &one.label(), &target.name)?;
    }
    if args.dry_run {
        dry_run(&leaving, &target, global, output);
        return Ok(Exit::Done);
    }
    let counted = counted(&project, &history, &leaving, &state, &*database, &target)?;
    if !global.json {
        output.line(format_args!(
            "{} to revert on {}  {}",
            strong(plural("migration", leaving.len())),
            target.name,
            dim(format_args!("{}; {}", target.url, project.migrations_found(&history)))
        ));
        for (at, (one, preflight)) in leaving.iter().zip(&preflights).enumerate() {
            let unfinished = state.journal.unfinished.as_ref().filter(|one_| one_.migration == one.applied.migration);
            let interrupted = match unfinished.map(|unfinished| unfinished.direction) {
                Some(Direction::Up) => "  was interrupted on its way up; what of it was done is undone",
                Some(Direction::Down) => "  was interrupted on its way down, and goes on",
                None => "",
            };
            output.line(format_args!("\n{}{}", strong(one.label()), accent(interrupted)));
            show_steps(&one.script, &one.records(&project, &target)?, output);
            show_preflight(preflight, output);
            if at + 1 == leaving.len() {
                counted.show(&target.name, output);
            }
        }
        if let Some(why) = why_not_counted(&leaving, &state) {
            output.line(format_args!("\n  {} what is lost, since {why}", accent("not counted:")));
        }
        output.line("");
    }
    let refused = counted.refused();
    let despite_rows = args.despite.contains(&Check::Rows);
    refuse_by_rows(args, &refused, &leaving, &target)?;
    let overrides = with_override(overrides, despite_rows && !refused.is_empty(), Check::Rows.word());
    let lost = counted.lost();
    let reason = accepted(args, &lost, &leaving, &target, global, output)?;
    let overrides = with_override(overrides, reason.is_some(), RiskKind::LosesData.word());
    let losing = if lost.is_empty() { "" } else { " What is counted above is lost." };
    let question = format!("revert {} on {}?{losing}", plural("migration", leaving.len()), target.name);
    if !confirm(&question, global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    run_all(
        &project,
        &history,
        &leaving,
        &state,
        &target,
        (&overrides, reason.as_deref()),
        (preflights.first().map(|one| one.schema_state), args.interrupted.undecided()),
        &mut *database,
        output,
    )?;
    let labels: Vec<_> = leaving.iter().map(Leaving::label).collect();
    if global.json {
        let at = position(&project, &history, &*database);
        output.json(&json!({
            "target": target.name, "reverted": labels, "at": at, "counted": counted.as_json(),
        }));
    } else {
        let at = position_in_words(&project, &history, &*database);
        output.line(format_args!(
            "{} {}; {} is {at}",
            done("reverted"),
            plural("migration", labels.len()),
            target.name
        ));
    }
    Ok(Exit::Done)
}

/// Why the rows cannot be asked, or not for all of the way.
fn why_not_counted(leaving: &[Leaving<'_>], state: &State) -> Option<&'static str> {
    if state.journal.unfinished.is_some() {
        return Some("a migration was interrupted half way");
    }
    leaving.iter().any(|one| one.migration.is_none()).then_some("the folder of a migration is gone")
}

/// What the rows of the target say to the way back.
fn counted(
    project: &Project,
    history: &History,
    leaving: &[Leaving<'_>],
    state: &State,
    database: &dyn Database,
    target: &Target,
) -> Result<Counted> {
    let known: Vec<&Migration> = leaving.iter().map_while(|one| one.migration).collect();
    if state.journal.unfinished.is_some() || known.is_empty() {
        return Ok(Counted::nothing());
    }
    Ok(Counted::ask(of_revert(project, history, &known, target.dialect)?, database))
}

/// Stops before the first change where rows are in the way. Own SQL may see to them before their step comes.
fn refuse_by_rows(args: &RevertArgs, refused: &[String], leaving: &[Leaving<'_>], target: &Target) -> Result<()> {
    let Some(first) = leaving.first().filter(|one| !one.script.has_own_sql()) else { return Ok(()) };
    if refused.is_empty() || args.despite.contains(&Check::Rows) {
        return Ok(());
    }
    let message = format!("reverting {} would be refused: rows on {} are in its way", first.label(), target.name);
    let failure = refused.iter().fold(Failure::new(message), Failure::detail);
    Err(failure
        .help("mend these rows, then `oak revert` again; nothing was changed; `--despite rows` tries all the same"))
}

/// The reason why what is lost may be lost; nothing where nothing is, or nobody has to be asked.
fn accepted(
    args: &RevertArgs,
    lost: &[String],
    leaving: &[Leaving<'_>],
    target: &Target,
    global: &Global,
    output: &Output,
) -> Result<Option<String>> {
    if lost.is_empty() || target.disposable {
        return Ok(None);
    }
    if let Some(because) = &args.because {
        if because.trim().is_empty() {
            return Err(Failure::usage("the reason is empty").help("say why: `--because \"nobody reads the notes\"`"));
        }
        return Ok(Some(because.trim().to_owned()));
    }
    if output.interactive && !global.yes {
        return Ok(Some("answered at a terminal".to_owned()));
    }
    let what = match leaving {
        [only] => only.label(),
        many => plural("migration", many.len()),
    };
    let failure = Failure::new(format!("reverting {what} on {} loses data, and nobody has accepted that", target.name));
    let failure = lost.iter().fold(failure, Failure::detail);
    Err(failure.help(
        "`oak revert --accept loses-data --because \"…\"` does it all the same, and the journal keeps the reason; \
         on a target that is `disposable` nobody is asked; nothing was changed",
    ))
}

/// What was there before the tool came is not the tool's to drop.
fn refuse_below_adopted(chosen: &[Applied], history: &History, target: &Target) -> Result<()> {
    let Some(adopted) = chosen.iter().find(|one| one.kind == EventKind::Adopted) else { return Ok(()) };
    let at = history.position(&adopted.migration);
    let label = at.map_or(adopted.title.clone(), |at| history.migrations()[at].folder.clone());
    Err(Failure::new(format!("{label} was adopted: {} held all of it before", target.name))
        .help("revert goes down to it, and not below; nothing was changed"))
}

/// How many of the applied migrations go, counted from the newest.
fn how_many(args: &RevertArgs, history: &History, state: &State, target: &Target) -> Result<usize> {
    let applied = &state.journal.applied;
    // A migration that was interrupted goes first, and counts.
    let interrupted = state.journal.unfinished.as_ref().is_some_and(|one| one.direction == Direction::Up);
    if let Some(steps) = args.steps {
        let steps = steps.saturating_sub(usize::from(interrupted));
        if steps > applied.len() {
            return Err(Failure::usage(format!(
                "{} has {}, fewer than {steps}",
                target.name,
                plural("applied migration", applied.len())
            ))
            .help("`oak revert --to empty` reverts all of them"));
        }
        return Ok(steps);
    }
    match args.to.as_deref() {
        None if interrupted => Ok(0),
        None => Ok(1),
        Some("empty") => Ok(applied.len()),
        Some(wanted) => {
            let migration = &history.migrations()[history.find(wanted)?];
            let at = applied.iter().position(|one| one.migration == migration.id()).ok_or_else(|| {
                Failure::new(format!("{} is not applied to {}", migration.folder, target.name))
                    .help("`oak status` lists what is")
            })?;
            Ok(applied.len() - at - 1)
        }
    }
}

fn nothing_to_do(
    args: &RevertArgs,
    state: &State,
    target: &Target,
    global: &Global,
    output: &mut Output,
) -> Result<Exit> {
    if global.json {
        output.json(&json!({ "target": target.name, "reverted": [] }));
    } else if state.journal.applied.is_empty() {
        output.line(format_args!("nothing to revert: {} has no migration applied", target.name));
    } else {
        let to = args.to.as_deref().unwrap_or_default();
        output.line(format_args!("nothing to revert: {} is at {to} already", target.name));
    }
    Ok(Exit::Done)
}

fn refuse(
    args: &RevertArgs,
    history: &History,
    state: &State,
    chosen: &[Applied],
    target: &Target,
    found: &str,
    output: &mut Output,
) -> Result<String> {
    let concerns = |obstacle: &&Obstacle| match obstacle {
        // An edited up script changes nothing about the way back.
        Obstacle::Edited { migration, down, .. } => {
            *down && chosen.iter().any(|one| one.migration == history.migrations()[*migration].id())
        }
        Obstacle::Unknown(applied) => chosen.iter().any(|one| one.migration == applied.migration),
        Obstacle::Overtaken { .. } => false,
    };
    let obstacles: Vec<_> = state.standing.obstacles.iter().filter(concerns).collect();
    let knows_schema = !state.standing.obstacles.iter().any(|one| matches!(one, Obstacle::Unknown(_)));
    let mut refusals: Vec<_> = obstacles.iter().map(|one| obstacle_refusal(one, history, &target.name)).collect();
    if knows_schema {
        refusals.extend(drift_refusal(state, &target.name));
    }
    settle(refusals, &args.despite, found, output)
}

fn read<'h>(history: &'h History, applied: Applied, database: &dyn Database, target: &Target) -> Result<Leaving<'h>> {
    let migration = history.position(&applied.migration).map(|at| &history.migrations()[at]);
    let shas = applied.up_sha.as_deref().zip(applied.down_sha.as_deref());
    let kept = match shas {
        Some((up, down)) => database.kept_scripts(up, down)?,
        None => None,
    };
    let scripts = kept.ok_or_else(|| {
        Failure::new(format!("the scripts of \"{}\" are not kept in {}", applied.title, target.name))
            .help("its table hollow_oak_store has lost rows; restore it from a backup")
    })?;
    let script = Script::read(target.dialect, &scripts.down).map_err(|error| {
        Failure::new(format!(
            "the down script of \"{}\", kept in {}, cannot be read: {error}",
            applied.title, target.name
        ))
    })?;
    Ok(Leaving { applied, migration, scripts, script })
}

/// What was put aside has to be there still. A revert that was interrupted may have dropped it as its last step.
fn refuse_purged(leaving: &[Leaving<'_>], state: &State, database: &dyn Database, target: &Target) -> Result<()> {
    let goes_on = |one: &&Leaving<'_>| {
        let unfinished = state.journal.unfinished.as_ref();
        unfinished.is_some_and(|begun| begun.direction == Direction::Down && begun.migration == one.applied.migration)
    };
    let needed = leaving.iter().filter(|one| !goes_on(one)).flat_map(|one| {
        let names = one.script.steps.iter().filter_map(|step| step.object.strip_prefix("drop-kept "));
        names.map(move |name| (one, name))
    });
    let needed: Vec<_> = needed.collect();
    if needed.is_empty() {
        return Ok(());
    }
    let there = database.kept()?;
    let missing = needed.into_iter().find(|(_, name)| !there.iter().any(|kept| kept.name == *name));
    match missing {
        None => Ok(()),
        Some((one, name)) => Err(Failure::new(format!(
            "{} brings back what was kept in {name} on {}, and that is not there any more",
            one.label(),
            target.name
        ))
        .help("bring the table back from a backup; without it the values are gone")),
    }
}

/// What was interrupted on its way up is undone by steps whose effect shows in the catalogue. Values that were converted,
/// and names that went round in a circle, do not show there.
fn refuse_half_changed_values(leaving: &[Leaving<'_>], state: &State, target: &Target) -> Result<()> {
    let Some(unfinished) = state.journal.unfinished.as_ref().filter(|one| one.direction == Direction::Up) else {
        return Ok(());
    };
    let Some(first) = leaving.first().filter(|one| one.applied.migration == unfinished.migration) else {
        return Ok(());
    };
    let has = |script: &Script, test: &dyn Fn(&str) -> bool| {
        script.steps.iter().any(|step| !step.is_by_hand() && test(&step.object))
    };
    let moves = |object: &str| object.contains("oak_rename_");
    let changes_values =
        |object: &str| ["fill-column ", "restore ", "insert-rows "].iter().any(|kind| object.starts_with(kind));
    let up_moves = Script::read(target.dialect, &first.scripts.up).is_ok_and(|up| has(&up, &moves));
    if !up_moves && !has(&first.script, &|object| moves(object) || changes_values(object)) {
        return Ok(());
    }
    Err(Failure::new(format!(
        "{} was interrupted on its way up to {}, and changes values on the way: from half of them there is no safe way back",
        first.label(),
        target.name
    ))
    .help("`oak apply` finishes it; then `oak revert` brings everything back"))
}

fn dry_run(leaving: &[Leaving<'_>], target: &Target, global: &Global, output: &mut Output) {
    if global.json {
        let migrations: Vec<_> =
            leaving.iter().map(|one| json!({ "migration": one.label(), "sql": one.scripts.down })).collect();
        output.json(&json!({ "target": target.name, "dry_run": true, "migrations": migrations }));
        return;
    }
    output.say(format_args!("what `oak revert` would run on {}; nothing was changed", target.name));
    for one in leaving {
        output.text(&one.scripts.down);
        output.line("");
    }
}

#[expect(clippy::too_many_arguments, reason = "they are what a run consists of, and nothing else groups them")]
fn run_all(
    project: &Project,
    history: &History,
    leaving: &[Leaving<'_>],
    state: &State,
    target: &Target,
    (overrides, reason): (&str, Option<&str>),
    (mut schema_state, undecided): (Option<i64>, Option<Undecided>),
    database: &mut dyn Database,
    output: &mut Output,
) -> Result<()> {
    let mut last_seq = state.journal.last_seq;
    let mut managed = state.expected().clone();
    for (at, one) in leaving.iter().enumerate() {
        let outcome = outcome(project, history, one, &managed, target)?;
        let scripts = Scripts {
            up: &one.scripts.up,
            up_sha: one.applied.up_sha.as_deref().unwrap_or_default(),
            down: &one.scripts.down,
            down_sha: one.applied.down_sha.as_deref().unwrap_or_default(),
        };
        let entry = JournalEntry {
            project: &project.settings.name,
            migration: &one.applied.migration,
            title: &one.applied.title,
            event: EventKind::Reverted,
            overrides,
            reason,
            scripts,
            expected: "",
            oak_version: env!("CARGO_PKG_VERSION"),
        };
        let unfinished = state.journal.unfinished.as_ref().filter(|_| at == 0);
        let resume = unfinished.map(|unfinished| Resume {
            steps_done: if unfinished.direction == Direction::Down { unfinished.steps_done } else { 0 },
            undoes: unfinished.direction == Direction::Up,
            undecided,
        });
        let migrating = Migrating {
            entry,
            keep: &[scripts],
            script: &one.script,
            last_seq,
            schema_state: schema_state.take(),
            outcome: outcome.as_ref(),
            is_followed: at + 1 < leaving.len(),
            resume,
        };
        let ran = database.run(&migrating, &mut |waiting| {
            output.say(waiting_text(&waiting, &target.name));
        });
        match ran {
            Ok(ran) => last_seq = ran.last_seq,
            Err(failure) => {
                let broken = Broken {
                    migration: one.label(),
                    script: "the down script kept in the target".into(),
                    doing: Doing::Reverting,
                    target: target.name.clone(),
                    provider: target.provider(),
                    before: at,
                    at: position_in_words(project, history, database),
                };
                return Err(broken.explain(failure));
            }
        }
        managed = outcome.map_or(managed, |outcome| outcome.schema);
    }
    Ok(())
}

/// What the target has to be afterwards: the schema of the migration's parent. Unknown where its folder is gone.
fn outcome(
    project: &Project,
    history: &History,
    one: &Leaving<'_>,
    managed: &hollow_oak_core::physical::Schema,
    target: &Target,
) -> Result<Option<Outcome>> {
    let Some(migration) = one.migration else { return Ok(None) };
    let parent = match migration.record.parents.first() {
        None => None,
        Some(id) => match history.position(id) {
            Some(at) => Some(&history.migrations()[at]),
            None => return Ok(None),
        },
    };
    let schema = project.physical_after(parent, target.dialect)?;
    let made = made_by([&one.script]);
    Ok(Some(Outcome { schema, gone: managed.keys(), made }))
}
