//! What apply and revert have in common: refusing, asking, running, and saying what became of it.

use std::collections::BTreeSet;

use hollow_oak_core::Provider;
use hollow_oak_core::history::{History, HistoryFault, Obstacle, StepRecord, Unfinished};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::Script;
use hollow_oak_database::{Cause, Database, Failure as RunFailure, FailureKind, Preflight, Waiting, WaitingFor};

use super::diff::with_differences;
use super::drafting::risk_text;
use crate::args::{Check, Global};
use crate::failure::{Failure, Result};
use crate::output::{Output, accent, danger, dim, strong};
use crate::project::Project;
use crate::target::{self, Condition};

/// A check that failed.
pub struct Refusal {
    /// Which; none where it cannot be overridden.
    pub check: Option<Check>,
    /// What was found and the way out.
    pub failure: Failure,
}

/// What the chain of migrations has against a run.
pub fn history_refusals(history: &History) -> Vec<Refusal> {
    history
        .faults()
        .iter()
        .map(|fault| {
            let check = match fault {
                HistoryFault::Fork { .. } => Some(Check::Fork),
                HistoryFault::MissingParent { .. } => Some(Check::Missing),
                HistoryFault::SameId { .. } | HistoryFault::Circle { .. } => None,
            };
            let word = if check == Some(Check::Fork) { "forked" } else { "broken" };
            Refusal { check, failure: Failure::new(format!("the history is {word}: {fault}")).help(fault.help()) }
        })
        .collect()
}

/// What the target has against a run.
pub fn obstacle_refusal(obstacle: &Obstacle, history: &History, target: &str) -> Refusal {
    let folder = |at: usize| history.migrations()[at].folder.as_str();
    match obstacle {
        Obstacle::Edited { migration, up, down } => {
            let which = match (up, down) {
                (true, true) => "both scripts were",
                (true, false) => "the up script was",
                _ => "the down script was",
            };
            let failure = Failure::new(format!("{}: {which} edited after it was applied to {target}", folder(*migration))).help(
                "bring the scripts back from version control and draft a new migration for the change; \
                 or go on with `--despite edited` (what ran stays as it is; revert uses the scripts kept in the target)",
            );
            Refusal { check: Some(Check::Edited), failure }
        }
        Obstacle::Unknown(applied) => {
            let failure = Failure::new(format!(
                "{target} has a migration that the folder does not: \"{}\" ({}), applied {} by {}",
                applied.title, applied.migration, applied.at, applied.by
            ))
            .help(
                "bring its folder back from version control (a colleague's branch?); or revert it with `oak revert --despite unknown`, \
                 which uses the script kept in the target; or go on with `--despite unknown`",
            );
            Refusal { check: Some(Check::Unknown), failure }
        }
        Obstacle::Overtaken { pending, applied } => {
            let failure = Failure::new(format!(
                "{} is applied to {target}, and {}, which it follows, is not",
                folder(*applied),
                folder(*pending)
            ))
            .help("revert the later one first (`oak revert`), or go on with `--despite missing`");
            Refusal { check: Some(Check::Missing), failure }
        }
    }
}

/// What drift has against a run.
pub fn drift_refusal(state: &Condition, target: &str) -> Option<Refusal> {
    if state.drift.is_empty() {
        return None;
    }
    let failure = with_differences(
        Failure::new(format!("{target} has drifted: it is not as its newest migration left it")),
        &state.drift,
    )
    .help(
        "`oak absorb` takes the change into the declarations, `oak absorb --undo` takes it back; \
         or go on with `--despite drift`",
    );
    Some(Refusal { check: Some(Check::Drift), failure })
}

/// Fails with the first refusal that is not overridden, saying which migrations were found; returns the overrides that were needed, for the journal.
pub fn settle(refusals: Vec<Refusal>, despite: &[Check], found: &str, output: &mut Output) -> Result<String> {
    let mut needed = BTreeSet::new();
    for refusal in refusals {
        match refusal.check.filter(|check| despite.contains(check)) {
            Some(check) => {
                output.complain(format_args!(
                    "{} {} (going on despite {})",
                    danger("warning:"),
                    refusal.failure.message,
                    check.word()
                ));
                needed.insert(check.word());
            }
            None => return Err(refusal.failure.detail(dim(found))),
        }
    }
    let words: Vec<_> = needed.into_iter().collect();
    Ok(words.join(","))
}

/// The overrides with one more, where it was needed.
pub fn with_override(overrides: String, needed: bool, word: &str) -> String {
    match (needed, overrides.is_empty()) {
        (false, _) => overrides,
        (true, true) => word.to_owned(),
        (true, false) => format!("{overrides},{word}"),
    }
}

/// Prints a script's steps with their risks.
pub fn show_steps(script: &Script, records: &[StepRecord], output: &mut Output) {
    for (at, step) in script.steps.iter().enumerate() {
        let mark = match (step.is_by_hand(), step.statements.is_empty()) {
            (false, _) => String::new(),
            (true, true) => format!("  {}", dim("nothing in it")),
            (true, false) => format!("  {}", accent("by hand")),
        };
        output.line(format_args!("  {:>2}  {}{mark}", at + 1, step.title));
        let risks = StepRecord::of(records, script, at).map(|record| record.risks.as_slice()).unwrap_or_default();
        for risk in risks {
            output.sentence(6, risk_text(risk));
        }
    }
    if script.steps.is_empty() {
        output.line(format_args!("      {}", dim("nothing changes in the database")));
    }
}

/// Prints what the preflight adds to a migration.
pub fn show_preflight(preflight: &Preflight, output: &mut Output) {
    for dependent in &preflight.dependents {
        output.line(format_args!(
            "      {} {} {} is dropped first and made again as it was",
            dim("kept:"),
            dependent.kind,
            dependent.name
        ));
    }
    for dependent in &preflight.lost {
        output.line(format_args!(
            "      {} {} {} goes with table {}",
            danger("loses:"),
            dependent.kind,
            dependent.name,
            dependent.table
        ));
    }
}

/// Refuses where a view or trigger that the script does not make again would not work afterwards.
pub fn refuse_broken(preflight: &Preflight, label: &str, target: &str) -> Result<()> {
    let Some(first) = preflight.broken.first() else { return Ok(()) };
    let mut failure = Failure::new(format!(
        "{label} would leave {} {} on {target} without {}, which it names",
        first.kind, first.name, first.table
    ));
    for other in preflight.broken.iter().skip(1) {
        failure = failure.detail(format!("likewise {} {}, which names {}", other.kind, other.name, other.table));
    }
    Err(failure.help(
        "declare it, as it is to be afterwards, and draft again: then it is made again on the way; \
         or drop it by hand first; nothing was changed",
    ))
}

/// Asks whether to go on. Only a terminal is ever asked.
pub fn confirm(question: &str, global: &Global, output: &mut Output) -> Result<bool> {
    if global.yes {
        return Ok(true);
    }
    if !output.interactive {
        return Err(
            Failure::usage("there is no terminal to ask on").help("nothing was changed; `--yes` answers the question")
        );
    }
    output.ask(&format!("{question} [y/N] "));
    Ok(matches!(read_answer("`--yes` answers it")?.as_str(), "y" | "yes"))
}

/// Reads a line from the terminal, in lower case; the end of the input is an error.
pub fn read_answer(otherwise: &str) -> Result<String> {
    Ok(read_line(otherwise)?.to_lowercase())
}

/// Reads a line from the terminal; the end of the input is an error.
pub fn read_line(otherwise: &str) -> Result<String> {
    let mut answer = String::new();
    let failed = |why: String| {
        Failure::new(format!("the answer could not be read: {why}")).help(format!("nothing was changed; {otherwise}"))
    };
    match std::io::stdin().read_line(&mut answer) {
        Ok(0) => Err(failed("the input ended".into())),
        Ok(_) => Ok(answer.trim().to_owned()),
        Err(error) => Err(failed(error.to_string())),
    }
}

/// What was being done when it broke.
#[derive(Clone, Copy, PartialEq, Eq)]
pub enum Doing {
    /// `oak apply`
    Applying,
    /// `oak revert`
    Reverting,
    /// `oak sync`
    Syncing,
    /// `oak absorb --undo`
    Undoing,
    /// `oak rebuild`, before it applies
    Emptying,
    /// `oak rebuild`, a file of rows
    Loading,
}

impl Doing {
    /// The command to type again.
    fn command(self) -> &'static str {
        match self {
            Self::Applying => "oak apply",
            Self::Reverting => "oak revert",
            Self::Syncing => "oak sync",
            Self::Undoing => "oak absorb --undo",
            Self::Emptying | Self::Loading => "oak rebuild",
        }
    }

    /// Whether what runs is a migration's script.
    fn is_of_migration(self) -> bool {
        matches!(self, Self::Applying | Self::Reverting)
    }

    /// Whether what runs stands in a file, and was not drawn up for this run.
    fn is_of_file(self) -> bool {
        self.is_of_migration() || self == Self::Loading
    }
}

/// A run that did not go through, with all that a person needs to go on.
pub struct Broken {
    /// The migration's folder, or its title where there is none.
    pub migration: String,
    /// The script's file, or where else it came from.
    pub script: String,
    /// What was being done.
    pub doing: Doing,
    /// The target's name.
    pub target: String,
    /// The target's provider.
    pub provider: Provider,
    /// How many migrations of this run went through before.
    pub before: usize,
    /// Where the target is now.
    pub at: String,
}

impl Broken {
    /// Puts the failure into words.
    pub fn explain(&self, failure: RunFailure) -> Failure {
        let doing = match self.doing {
            Doing::Applying => format!("applying {}", self.migration),
            Doing::Reverting => format!("reverting {}", self.migration),
            Doing::Syncing => format!("syncing {}", self.target),
            Doing::Undoing => format!("undoing what was changed by hand on {}", self.target),
            Doing::Emptying => format!("emptying {}", self.target),
            Doing::Loading => format!("loading {}", self.script),
        };
        let retry = self.doing.command();
        let mut filled_so_far = false;
        let told = match failure.kind {
            FailureKind::Database(error) => {
                Failure::new(format!("{doing}: {error}")).help(error.help())
            }
            FailureKind::JournalMoved => {
                Failure::new(format!("{doing}: another run changed the journal meanwhile"))
                    .help(format!("`oak status` shows what is there now; then `{retry}` again"))
            }
            FailureKind::SchemaMoved => Failure::new(format!(
                "{doing}: another program changed the schema between the check and the run"
            ))
            .help(format!("`oak status` shows what is there now; then `{retry}` again")),
            FailureKind::Statement { step, title, line, sql, message, cause, in_lots } => {
                let help = match cause {
                    Cause::Rows => format!(
                        "rows in the table do not meet the new rule: look at them with `oak show TABLE --rows 20`, mend them, then `{retry}` again"
                    ),
                    Cause::TooManyLocks => format!(
                        "everything that is made or dropped is locked until the migration ends: raise `max_locks_per_transaction` in the server's settings, which takes a restart, then `{retry}` again"
                    ),
                    Cause::Body if matches!(self.doing, Doing::Applying | Doing::Reverting) => {
                        let redraft = match self.doing {
                            Doing::Applying => "by `oak redraft --unchecked-bodies`, or ",
                            _ => "",
                        };
                        format!(
                            "the server looks into a body, and what this one names is not there: mend the routine or do without it, or take it as it stands, {redraft}by a step of your own before it in {}, `set local check_function_bodies = off;` (docs/own-sql.md); then `{retry}` again",
                            self.script
                        )
                    }
                    Cause::Dependents => {
                        let by = match self.doing {
                            Doing::Applying => format!("in steps of your own in {} (docs/own-sql.md), or by hand", self.script),
                            _ => "by hand".to_owned(),
                        };
                        format!("what depends on it is in the way, and no step drops it first: drop it before and make it again behind, {by}; then `{retry}` again")
                    }
                    Cause::Body | Cause::Statement => match self.doing {
                        Doing::Applying | Doing::Reverting => format!(
                            "mend the step in {}, or the declaration and draft again, then `{retry}`",
                            self.script
                        ),
                        Doing::Syncing => format!("mend the declaration, or what is in the way, then `{retry}` again"),
                        Doing::Undoing | Doing::Emptying => {
                            format!("mend by hand what is in the way, then `{retry}` again")
                        }
                        Doing::Loading => format!("mend the file, then `{retry}` again"),
                    },
                };
                filled_so_far = in_lots;
                let told = Failure::new(format!("{doing}: step {step} ({title}) failed"));
                let told = match self.doing.is_of_file() {
                    true => told.detail(format!("{}:{line}", self.script)),
                    false => told,
                };
                told.detail(format!("{} says: {message}", self.provider.title()))
                    .detail(dim(&sql))
                    .help(help)
            }
            FailureKind::BrokenReferences { count, examples, before } => {
                let rows = plural("row", count);
                let mut told = Failure::new(format!("{doing}: {rows} would reference nothing"));
                for example in examples {
                    told = told.detail(example);
                }
                if before > 0 {
                    told = told.detail(format!(
                        "{} did so already before the migration, with foreign keys off",
                        plural("row", before)
                    ));
                }
                told.help(format!("mend these rows, then `{retry}` again"))
            }
            FailureKind::BreaksDependent { kind, name, message } => {
                Failure::new(format!("{doing}: {kind} {name} would no longer work"))
                    .detail(format!("{} says: {message}", self.provider.title()))
                    .help(match self.doing {
                        Doing::Applying => format!(
                            "nobody declared it: drop or mend it in a step of your own in {} (docs/own-sql.md), then `{retry}`",
                            self.script
                        ),
                        _ => format!("nobody declared it: drop it by hand, then `{retry}`"),
                    })
            }
            FailureKind::LosesDependent { kind, name } => {
                Failure::new(format!("{doing}: {kind} {name} would be gone, and no step names it")).help(
                    match self.doing.is_of_migration() {
                        true => format!(
                            "make it again, or drop it by name, in a step of your own in {} (docs/own-sql.md)",
                            self.script
                        ),
                        false => format!("nobody declared it: drop it by hand, then `{retry}`"),
                    },
                )
            }
            FailureKind::Undecided { step, title } => Failure::new(format!(
                "{doing}: step {step} ({title}) was interrupted, and it cannot be found out whether it took effect"
            ))
            .help(format!(
                "look whether it did: then `{retry} --skip-step` goes on behind it, and `{retry} --repeat-step` runs it again"
            )),
            FailureKind::Outcome { changes } => {
                let wanted = match self.doing {
                    Doing::Applying | Doing::Reverting => "its schema.oak says",
                    Doing::Syncing => "the declarations say",
                    Doing::Undoing | Doing::Emptying | Doing::Loading => "its migrations say",
                };
                let failure = with_differences(Failure::new(format!("{doing}: the outcome is not what {wanted}")), &changes);
                match self.doing.is_of_migration() {
                    true => failure.help(format!(
                        "own SQL may not change declared tables in another way than the declarations do: declare the change, or mend {}",
                        self.script
                    )),
                    false => failure.help("`oak diff live declared` shows what is there now"),
                }
            }
        };
        let told = match filled_so_far {
            true => {
                told.detail(format!("the lots before this one are filled and stay so; `{retry}` goes on with the rest"))
            }
            false => told,
        };
        if let Some((done, all)) = failure.remains {
            let undo = match self.doing {
                Doing::Applying => ", and `oak revert` undoes it",
                Doing::Reverting => "",
                Doing::Syncing | Doing::Undoing | Doing::Emptying | Doing::Loading => {
                    let stays = if done == 1 { "is done and stays" } else { "are done and stay" };
                    return told.detail(format!(
                        "{done} of its {} {stays}; `{retry}` looks again and does the rest",
                        plural("step", all)
                    ));
                }
            };
            return told.detail(format!(
                "{} is in the middle of this migration: {done} of its {} done; `{retry}` goes on behind them{undo}",
                strong(&self.target),
                plural("step", all)
            ));
        }
        let so_far = match self.before {
            0 => String::new(),
            count => format!("; {} of this run went through", plural("migration", count)),
        };
        let remains = if filled_so_far { "nothing else" } else { "nothing" };
        let of_it = if self.doing.is_of_migration() { "this migration" } else { "it" };
        told.detail(format!("{} is {}; {remains} of {of_it} remains{so_far}", strong(&self.target), self.at))
    }
}

/// What the generated steps of scripts make, in the words of their headers.
pub fn made_by<'s>(scripts: impl IntoIterator<Item = &'s Script>) -> BTreeSet<String> {
    let steps = scripts.into_iter().flat_map(|script| &script.steps).filter(|step| step.is_as_generated());
    steps.flat_map(|step| step.objects()).map(str::to_owned).collect()
}

/// What a migration of the journal is called: its folder, or its title where there is none.
pub fn label_of(history: &History, unfinished: &Unfinished) -> String {
    match history.position(&unfinished.migration) {
        Some(at) => history.migrations()[at].folder.clone(),
        None => format!("\"{}\"", unfinished.title),
    }
}

/// That a run has to wait, and what for.
pub fn waiting_text(waiting: &Waiting, target: &str) -> String {
    match waiting.cause {
        WaitingFor::Run => format!("waiting for another run on {target} to finish, at most {:?}", waiting.at_most),
        WaitingFor::Session => {
            format!("waiting for a session on {target} that uses what has to change, at most {:?}", waiting.at_most)
        }
    }
}

/// Where a target is now, in words.
pub fn position_in_words(project: &Project, history: &History, database: &dyn Database) -> String {
    let at = position(project, history, database);
    at.map_or("before the first migration".into(), |at| format!("at {at}"))
}

/// The folder of the newest migration that a target has; its title in quotes where the folder is gone.
pub fn position(project: &Project, history: &History, database: &dyn Database) -> Option<String> {
    let journal = target::journal(project, history, database).unwrap_or_default();
    let applied = journal.applied.last()?;
    let folder = history.position(&applied.migration).map(|at| history.migrations()[at].folder.clone());
    Some(folder.unwrap_or_else(|| format!("\"{}\"", applied.title)))
}
