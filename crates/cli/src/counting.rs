//! What the rows of a target say to a migration before it runs.
//!
//! A plan only knows what might be in its way; here the target is asked how much of that there is.

use std::sync::mpsc;
use std::time::{Duration, Instant};

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::Renames;
use hollow_oak_core::history::{History, Migration, StepRecord};
use hollow_oak_core::plan::{Choices, Count, Matter, Question, RiskKind, questions};
use hollow_oak_core::script::Direction;
use hollow_oak_database::Database;
use serde_json::{Value, json};

use crate::args::Global;
use crate::failure::Result;
use crate::output::{Output, accent, danger, dim};
use crate::project::{Project, lower};
use crate::target::{self, Target, newest_applied};

/// How long counting may take, all questions together. Whoever runs a migration waits for it.
const LIMIT: Duration = Duration::from_secs(5);

/// How long a draft waits for a target to answer; it can do without.
const PATIENCE: Duration = Duration::from_secs(2);

/// Questions with what a target answered.
pub struct Counted {
    answers: Vec<(Question, Answer)>,
}

enum Answer {
    Rows(Count),
    /// Why there is none.
    Unknown(String),
}

impl Counted {
    /// Nothing was asked.
    pub fn nothing() -> Self {
        Self { answers: Vec::new() }
    }

    /// Asks the questions, as long as there is time.
    pub fn ask(questions: Vec<Question>, database: &dyn Database) -> Self {
        let began = Instant::now();
        let asked = questions.into_iter().map(|question| {
            let left = LIMIT.saturating_sub(began.elapsed());
            let too_long = || Answer::Unknown(format!("it takes longer than {LIMIT:?}"));
            let answer = match left.is_zero() {
                true => too_long(),
                false => match database.count(&question, left) {
                    Ok(Some(count)) => Answer::Rows(count),
                    Ok(None) => too_long(),
                    Err(error) => Answer::Unknown(error.to_string()),
                },
            };
            (question, answer)
        });
        Self { answers: asked.collect() }
    }

    /// What there is to say, each with what it means.
    fn sentences(&self) -> impl Iterator<Item = (Matter, String)> {
        self.answers.iter().filter_map(|(question, answer)| match answer {
            Answer::Rows(count) => Some((question.matter, question.answer(*count)?)),
            // What would be refused is refused by the server then; what would be lost is not.
            Answer::Unknown(why) if question.matter == Matter::Loses => {
                let table = &question.table;
                Some((Matter::Loses, format!("it is not known how many rows of {table} lose values: {why}")))
            }
            Answer::Unknown(_) => None,
        })
    }

    /// What the target would refuse.
    pub fn refused(&self) -> Vec<String> {
        self.of(Matter::Refuses)
    }

    /// What would be lost, or may be.
    pub fn lost(&self) -> Vec<String> {
        self.of(Matter::Loses)
    }

    fn of(&self, wanted: Matter) -> Vec<String> {
        self.sentences().filter(|(matter, _)| *matter == wanted).map(|(_, sentence)| sentence).collect()
    }

    /// Prints what was counted, if there is anything to say.
    pub fn show(&self, target: &str, output: &mut Output) {
        let mut first = true;
        for (matter, sentence) in self.sentences() {
            if std::mem::take(&mut first) {
                output.line(format_args!("\n  {}", dim(format_args!("counted on {target} now"))));
            }
            let word = match matter {
                Matter::Refuses => danger("would be refused:"),
                Matter::Loses => danger("would be lost:"),
                Matter::Tells => accent("look:"),
            };
            output.sentence(2, format_args!("{word} {sentence}"));
        }
    }

    /// The same for programs.
    pub fn as_json(&self) -> Value {
        let answers: Vec<Value> = self
            .answers
            .iter()
            .map(|(question, answer)| {
                let matter = match question.matter {
                    Matter::Refuses => "refused",
                    Matter::Loses => "lost",
                    Matter::Tells => "told",
                };
                match answer {
                    Answer::Rows(count) => json!({
                        "table": question.table, "matter": matter, "rows": count.found, "of": count.all,
                        "what": question.answer(*count),
                    }),
                    Answer::Unknown(why) => json!({
                        "table": question.table, "matter": matter, "rows": null, "of": null, "what": why,
                    }),
                }
            })
            .collect();
        Value::Array(answers)
    }
}

/// Whether a step with this risk is worth a question.
pub fn is_asked_about(kind: RiskKind) -> bool {
    matches!(kind, RiskKind::LosesData | RiskKind::MayRefuse | RiskKind::ConvertsValues)
}

/// Whether anything about these steps is worth a question.
pub fn are_asked_about(steps: &[StepRecord]) -> bool {
    steps.iter().flat_map(|step| &step.risks).any(|risk| is_asked_about(risk.kind))
}

/// What can be asked before a migration runs in a direction; nothing where its parent is not there.
pub fn of_migration(
    project: &Project,
    history: &History,
    migration: &Migration,
    dialect: Dialect,
    direction: Direction,
) -> Result<Vec<Question>> {
    let Some(way) = way(project, history, migration, dialect)? else { return Ok(Vec::new()) };
    Ok(match direction {
        Direction::Up => questions(dialect, &way.before, &way.after, &way.up),
        Direction::Down => questions(dialect, &way.after, &way.before, &way.down),
    })
}

/// What can be asked before migrations are reverted, the newest first: all about the first of them, and what is lost by
/// all of them together.
pub fn of_revert(
    project: &Project,
    history: &History,
    leaving: &[&Migration],
    dialect: Dialect,
) -> Result<Vec<Question>> {
    let Some((newest, earlier)) = leaving.split_first() else { return Ok(Vec::new()) };
    let mut asked = of_migration(project, history, newest, dialect, Direction::Down)?;
    let Some(first) = way(project, history, newest, dialect)?.filter(|_| !earlier.is_empty()) else {
        return Ok(asked);
    };
    let (from, mut to) = (first.after, first.before);
    let mut all = Choices { renames: first.down.renames, ..Choices::default() };
    for migration in earlier {
        let Some(way) = way(project, history, migration, dialect)? else { return Ok(asked) };
        all.renames = Renames::then(&all.renames, &way.down.renames);
        to = way.before;
    }
    let lost = questions(dialect, &from, &to, &all).into_iter().filter(|question| question.matter == Matter::Loses);
    asked.extend(lost.filter(|question| !asked.contains(question)).collect::<Vec<_>>());
    Ok(asked)
}

/// A migration's two ends, and what was decided about the way between them.
struct Way {
    before: hollow_oak_core::physical::Schema,
    after: hollow_oak_core::physical::Schema,
    up: Choices,
    down: Choices,
}

fn way(project: &Project, history: &History, migration: &Migration, dialect: Dialect) -> Result<Option<Way>> {
    let before = match migration.record.parents.first() {
        None => hollow_oak_core::Schema::default(),
        Some(id) => match history.position(id) {
            Some(at) => project.schema_after(&history.migrations()[at])?,
            None => return Ok(None),
        },
    };
    let after = project.schema_after(migration)?;
    let choices = &migration.record.choices;
    // A record that somebody changed by hand is no reason to refuse what its scripts do.
    let Ok((up, down)) = choices.choices(&before, &after, dialect, migration.id()) else { return Ok(None) };
    let before = lower(dialect, &before, "the migration before")?.schema;
    let after = lower(dialect, &after, &migration.folder)?.schema;
    Ok(Some(Way { before, after, up, down }))
}

/// What the default target says to a migration that was just drafted. It is only asked where it answers at once and stands
/// just before that migration.
pub fn beside_draft(
    project: &Project,
    history: &History,
    parent: Option<&Migration>,
    global: &Global,
    asked: impl FnOnce(Dialect) -> Vec<Question>,
) -> Option<(String, Counted)> {
    let target = target::choose(Some(project), global).ok()?;
    let questions = asked(target.dialect);
    if questions.is_empty() {
        return None;
    }
    let name = target.name.clone();
    let database = opened_at_once(target.clone())?;
    if !database.server().ok()?.exists {
        return None;
    }
    let condition = target::condition(project, history, &target, &*database).ok()?;
    let newest = newest_applied(history, &condition.standing);
    let is_before = newest.map(Migration::id) == parent.map(Migration::id)
        && condition.standing.obstacles.is_empty()
        && condition.journal.unfinished.is_none()
        && condition.drift.is_empty();
    is_before.then(|| (name, Counted::ask(questions, &*database)))
}

fn opened_at_once(target: Target) -> Option<Box<dyn Database>> {
    let (opened, waiting) = mpsc::channel();
    // One that does not answer is left to itself: the process ends without it.
    std::thread::spawn(move || opened.send(target.open().ok()));
    waiting.recv_timeout(PATIENCE).ok().flatten()
}
