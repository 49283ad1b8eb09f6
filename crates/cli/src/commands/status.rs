//! `oak status`: how a target stands to the history.

use hollow_oak_core::diff::describe;
use hollow_oak_core::history::{Applied, EventKind, History, Obstacle, Synced};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::Direction;
use serde_json::{Value, json};

use super::diff::{counted, show_unasked, show_unmanaged};
use super::reports::print_reports;
use super::running::{Refusal, drift_refusal, history_refusals, label_of, obstacle_refusal};
use crate::args::{Global, StatusArgs};
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::{Output, accent, danger, dim, done, strong};
use crate::project::Project;
use crate::target::{self, Condition, Target, condition, newest_applied};

/// Says how the target stands, in one line first.
pub fn run(args: &StatusArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    let database = target.open()?;
    let exists = database.server()?.exists;
    let state = condition(&project, &history, &target, &*database)?;
    if global.json {
        output.json(&as_json(&history, &state, &target, exists));
    } else {
        show(&project, &history, &state, &target, exists, output);
    }
    let to_report = !is_clean(&history, &state) || !state.standing.pending.is_empty();
    Ok(if args.exit_code && to_report { Exit::Report } else { Exit::Done })
}

/// Whether nothing stands in the way of a run.
fn is_clean(history: &History, state: &Condition) -> bool {
    history.faults().is_empty()
        && state.standing.obstacles.is_empty()
        && state.drift.is_empty()
        && state.journal.unfinished.is_none()
}

/// When a target was last synced that has no migrations: what is declared for it stands in no history yet.
pub fn is_synced<'s>(history: &History, state: &'s Condition) -> Option<&'s Synced> {
    state.journal.synced.as_ref().filter(|_| history.migrations().is_empty() && state.journal.applied.is_empty())
}

/// The one line that answers the question.
pub fn headline(history: &History, state: &Condition, target: &Target) -> String {
    let name = &target.name;
    let at = match newest_applied(history, &state.standing) {
        Some(migration) => format!("at {}", migration.folder),
        None => "before the first migration".to_owned(),
    };
    let mut amiss = Vec::new();
    if !history.faults().is_empty() {
        amiss.push("the history is forked or broken".to_owned());
    }
    let edited = state.standing.obstacles.iter().filter(|one| matches!(one, Obstacle::Edited { .. })).count();
    let unknown = state.standing.obstacles.iter().filter(|one| matches!(one, Obstacle::Unknown(_))).count();
    let overtaken = state.standing.obstacles.len() - edited - unknown;
    if edited > 0 {
        amiss.push(format!("{} edited after it was applied", plural("migration", edited)));
    }
    if unknown > 0 {
        amiss.push(format!("{} that the folder does not have", plural("migration", unknown)));
    }
    if overtaken > 0 {
        amiss.push(format!("{} passed over", plural("migration", overtaken)));
    }
    if let Some(unfinished) = &state.journal.unfinished {
        let (label, way) = (label_of(history, unfinished), unfinished.direction);
        amiss.push(match state.under_way {
            true => format!("{label} is on its way {way}, by a run that is under way"),
            false => format!("{label} was interrupted on its way {way}"),
        });
    }
    if !state.drift.is_empty() {
        amiss.push(format!("drifted ({})", counted(&describe(&state.drift))));
    }
    if !amiss.is_empty() {
        return format!("{} {name} is {at}: {}", danger("amiss:"), amiss.join("; "));
    }
    match state.standing.pending.len() {
        0 if let Some(synced) = is_synced(history, state) => {
            format!("no migrations; {name} was last synced {} by {}", minute(&synced.at), synced.by)
        }
        0 if history.migrations().is_empty() => format!("no migrations yet; {name} is {at}"),
        0 => format!("{} {name} is {at}", done("up to date:")),
        count => format!("{} to apply; {name} is {at}", strong(plural("migration", count))),
    }
}

fn show(project: &Project, history: &History, state: &Condition, target: &Target, exists: bool, output: &mut Output) {
    output.line(headline(history, state, target));
    let folders = history.migrations().iter().map(|one| one.folder.chars().count());
    let width = folders.max().unwrap_or(0);
    if !history.migrations().is_empty() || !state.standing.obstacles.is_empty() {
        output.line("");
    }
    for (at, migration) in history.migrations().iter().enumerate() {
        let applied = state.journal.get(migration.id());
        let edited = state
            .standing
            .obstacles
            .iter()
            .any(|one| matches!(one, Obstacle::Edited { migration, .. } if *migration == at));
        let word = match (applied, state.standing.applied.contains(&at)) {
            (_, false) => accent("pending "),
            (Some(_), _) if edited => danger("edited  "),
            _ => done("applied "),
        };
        let how = applied.map(how_applied).unwrap_or_default();
        match how.is_empty() {
            true => output.line(format_args!("  {word}  {}", migration.folder)),
            false => output.line(format_args!("  {word}  {:<width$}  {}", migration.folder, dim(how))),
        }
    }
    for obstacle in &state.standing.obstacles {
        if let Obstacle::Unknown(applied) = obstacle {
            output.line(format_args!("  {}  \"{}\"  {}", danger("unknown "), applied.title, dim(how_applied(applied))));
        }
    }
    explain(history, state, target, output);
    let synced = is_synced(history, state).is_some();
    if !state.unmanaged.is_empty() && !synced {
        output.line("");
        show_unmanaged(&state.unmanaged, output);
    }
    let missing = if exists { "" } else { "; the database is not there yet" };
    output.line(format_args!(
        "\n{}",
        dim(format_args!("{}{missing}; {}", target.described(), project.migrations_found(history)))
    ));
    if is_clean(history, state) && !state.standing.pending.is_empty() {
        output.next("oak apply", "brings it up");
    } else if synced {
        output.next("oak sync", "shows what differs from the declarations, and brings it in line");
    }
}

/// Each thing that is amiss with its way out.
fn explain(history: &History, state: &Condition, target: &Target, output: &mut Output) {
    let mut refusals = history_refusals(history);
    refusals.extend(state.standing.obstacles.iter().map(|one| obstacle_refusal(one, history, &target.name)));
    for refusal in refusals {
        amiss(&refusal, output);
    }
    if let Some(unfinished) = state.journal.unfinished.as_ref().filter(|_| !state.under_way) {
        let (label, done) = (label_of(history, unfinished), plural("step", unfinished.steps_done));
        let help = match unfinished.direction {
            Direction::Up => "`oak apply` goes on behind them; `oak revert` undoes them",
            Direction::Down => "`oak revert` goes on behind them",
        };
        let way = unfinished.direction;
        output.line(format_args!(
            "\n{} {label} was interrupted on its way {way}, with {done} done\n {} {help}",
            danger("amiss:"),
            accent("help:")
        ));
    }
    if let Some(refusal) = drift_refusal(state, &target.name) {
        output.line(format_args!("\n{} {}; what it left → what is there:", danger("amiss:"), refusal.failure.message));
        print_reports(&describe(&state.drift), output);
        show_unasked(state.unasked.as_deref(), output);
        help(&refusal, output);
    }
}

fn amiss(refusal: &Refusal, output: &mut Output) {
    output.line(format_args!("\n{} {}", danger("amiss:"), refusal.failure.message));
    help(refusal, output);
}

fn help(refusal: &Refusal, output: &mut Output) {
    if let Some(help) = &refusal.failure.help {
        output.line(format_args!(" {} {help}", accent("help:")));
    }
}

fn how_applied(applied: &Applied) -> String {
    let how = match applied.kind {
        EventKind::Applied => "",
        EventKind::Adopted => "adopted ",
        _ => "marked ",
    };
    format!("{how}{} by {}", minute(&applied.at), applied.by)
}

/// A moment of the journal, to the minute.
fn minute(at: &str) -> String {
    let moment = at.replace('T', " ");
    format!("{} UTC", moment.get(..16).unwrap_or(&moment))
}

fn as_json(history: &History, state: &Condition, target: &Target, exists: bool) -> Value {
    let migrations: Vec<_> = history
        .migrations()
        .iter()
        .enumerate()
        .map(|(at, migration)| {
            let entry = state.journal.get(migration.id());
            let edited = state.standing.obstacles.iter().any(|one| matches!(one, Obstacle::Edited { migration, .. } if *migration == at));
            json!({
                "migration": migration.folder,
                "id": migration.id(),
                "state": if !state.standing.applied.contains(&at) { "pending" } else if edited { "edited" } else { "applied" },
                "at": entry.map(|one| &one.at),
                "by": entry.map(|one| &one.by),
            })
        })
        .collect();
    let unknown: Vec<_> = state
        .standing
        .obstacles
        .iter()
        .filter_map(|one| match one {
            Obstacle::Unknown(applied) => {
                Some(json!({ "id": applied.migration, "title": applied.title, "at": applied.at, "by": applied.by }))
            }
            _ => None,
        })
        .collect();
    json!({
        "target": target.name,
        "url": target.url.to_string(),
        "exists": exists,
        "at": newest_applied(history, &state.standing).map(|one| &one.folder),
        "pending": state.standing.pending.len(),
        "migrations": migrations,
        "unknown": unknown,
        "interrupted": state.journal.unfinished.as_ref().map(|one| {
            json!({ "migration": label_of(history, one), "direction": one.direction.word(), "steps_done": one.steps_done })
        }),
        "synced": is_synced(history, state).map(|one| json!({ "at": one.at, "by": one.by })),
        "history": history.faults().iter().map(ToString::to_string).collect::<Vec<_>>(),
        "drift": describe(&state.drift),
        "unasked": state.unasked,
        "unmanaged": state.unmanaged,
    })
}
