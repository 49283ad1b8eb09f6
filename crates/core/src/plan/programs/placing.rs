//! Where programs stand among the other steps: before what needs them, and behind what needed them.

use std::collections::{BTreeMap, BTreeSet};

use super::Around;
use super::needs::Needs;
use crate::Dialect;
use crate::physical::{Column, Index, Program, Schema, mentions, qualified, said_name};
use crate::plan::step::Step;
use crate::schema::ProgramKind;
use crate::sql::{Expression, is_word, words};

/// Puts the programs where the other steps need them: one that a table is made with comes before the table, and one that
/// a dropped table had goes behind it; all others come before and behind the rest.
pub(in crate::plan) fn placed(dialect: Dialect, around: Around, steps: Vec<Step>, to: &Schema) -> Vec<Step> {
    let Around { before, mut behind } = around;
    behind.extend(described_again(dialect, &steps, &behind, to));
    if before.is_empty() && behind.is_empty() {
        return steps;
    }
    // What a step makes or takes away, as SQL that may name a program.
    let said: Vec<String> = steps
        .iter()
        .map(|step| match step {
            // Its indexes go with it.
            Step::DropTable(table) => {
                let index = |index: &Index| Step::CreateIndex { table: table.name.clone(), index: index.clone() };
                let made = std::iter::once(Step::CreateTable(table.clone())).chain(table.indexes.iter().map(index));
                made.flat_map(|step| dialect.render(&step)).collect::<Vec<_>>().join("\n")
            }
            Step::DropColumn { table, column } => format!("{table} {}", column_sql(column)),
            Step::DropConstraint { table, constraint } => {
                let (table, constraint) = (table.clone(), constraint.clone());
                dialect.render(&Step::AddConstraint { table, constraint }).join("\n")
            }
            Step::DropIndex { table, index } => {
                let (table, index) = (table.clone(), index.clone());
                dialect.render(&Step::CreateIndex { table, index }).join("\n")
            }
            Step::AlterColumn { from, to, .. } => format!("{} {}", column_sql(from), column_sql(to)),
            other => dialect.render(other).join("\n"),
        })
        .collect();
    let makes = |step: &Step| {
        matches!(
            step,
            Step::CreateTable(_)
                | Step::AddColumn { .. }
                | Step::AlterColumn { .. }
                | Step::AddConstraint { .. }
                | Step::CreateIndex { .. }
                | Step::SetOptions { .. }
        )
    };
    let takes = |step: &Step| {
        matches!(
            step,
            Step::DropTable(_)
                | Step::DropColumn { .. }
                | Step::AlterColumn { .. }
                | Step::DropConstraint { .. }
                | Step::DropIndex { .. }
        )
    };
    let said = Said::of(said, behind.iter().chain(&before));
    let tables_made = steps.iter().rposition(|step| matches!(step, Step::CreateTable(_))).map_or(0, |last| last + 1);
    let early = positions(&behind, &steps, Some(tables_made), |name| {
        said.naming(name).into_iter().find(|at| makes(&steps[*at]))
    });
    let mut reversed: Vec<Step> = before.clone();
    reversed.reverse();
    let late = positions(&reversed, &steps, None, |name| {
        // Counted from the end, so that the same rule holds the other way round.
        let last = said.naming(name).into_iter().rev().find(|at| takes(&steps[*at]));
        last.map(|at| steps.len() - 1 - at)
    });
    let mut placed: Vec<Step> = Vec::new();
    let late_at = |at: usize| {
        let found = reversed.iter().zip(&late).filter(move |(_, place)| **place == Some(at));
        let mut found: Vec<Step> = found.map(|(step, _)| step.clone()).collect();
        found.reverse();
        found
    };
    placed.extend(reversed.iter().zip(&late).rev().filter(|(_, place)| place.is_none()).map(|(step, _)| step.clone()));
    let count = steps.len();
    for (at, step) in steps.into_iter().enumerate() {
        let here = behind.iter().zip(&early).filter(|(_, place)| **place == Some(at));
        placed.extend(here.map(|(step, _)| step.clone()));
        placed.push(step);
        placed.extend(late_at(count - 1 - at));
    }
    placed.extend(behind.into_iter().zip(early).filter(|(_, place)| place.is_none()).map(|(step, _)| step));
    placed
}

/// What steps say, and which of them name a program: each is read once, however many programs there are.
struct Said {
    texts: Vec<String>,
    by_word: BTreeMap<String, Vec<usize>>,
}

impl Said {
    /// Reads the SQL of steps for the names of these programs.
    fn of<'a>(said: Vec<String>, programs: impl Iterator<Item = &'a Step>) -> Self {
        let mut by_word: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for step in programs {
            if let Step::CreateProgram(one) | Step::DropProgram(one) = step {
                by_word.extend(one.names().iter().map(|name| (said_name(name), Vec::new())));
            }
        }
        let texts: Vec<String> = said.iter().map(|text| text.to_lowercase()).collect();
        for (at, text) in texts.iter().enumerate() {
            for word in words(text) {
                if let Some(found) = by_word.get_mut(word)
                    && found.last() != Some(&at)
                {
                    found.push(at);
                }
            }
        }
        Self { texts, by_word }
    }

    /// The numbers of the steps that name this, ascending.
    fn naming(&self, name: &str) -> Vec<usize> {
        match self.by_word.get(&said_name(name)) {
            Some(found) if is_word(&said_name(name)) => found.clone(),
            _ => (0..self.texts.len()).filter(|at| mentions(&self.texts[*at], name)).collect(),
        }
    }
}

/// The descriptions of constraints and indexes that are made again: they went with what they describe.
fn described_again(dialect: Dialect, steps: &[Step], behind: &[Step], to: &Schema) -> Vec<Step> {
    let made: BTreeSet<String> = steps
        .iter()
        .filter_map(|step| match step {
            Step::AddConstraint { table, constraint } => {
                let name = dialect.quote(constraint.name()?);
                Some(format!("constraint {name} on {}", dialect.quote_object(table)))
            }
            Step::CreateIndex { table, index } => {
                let name = qualified::beside(table, &qualified::part(&index.name));
                Some(format!("index {}", dialect.quote_object(&name)))
            }
            _ => None,
        })
        .collect();
    let comments = to.programs().filter(|one| one.word.as_deref() == Some("comment") && made.contains(&one.name));
    let comes = |one: &Program| behind.iter().any(|step| matches!(step, Step::CreateProgram(other) if other == one));
    comments.filter(|one| !comes(one)).cloned().map(Step::CreateProgram).collect()
}

/// Sees to it that the server does not look into the bodies of routines: of all, where that was decided, and else of those
/// that name what comes behind them.
pub(in crate::plan) fn leave_bodies(dialect: Dialect, steps: &mut Vec<Step>, all: bool) {
    let is_routine = |step: &Step| match step {
        Step::CreateProgram(one) => one.kind == ProgramKind::Routine && !one.create.is_empty(),
        _ => false,
    };
    match steps.iter().position(is_routine) {
        Some(first) if all && dialect.facts().checks_bodies => steps.insert(first, Step::LeaveBodies),
        _ => mark_early(steps),
    }
}

/// Marks the routines whose bodies name what is made behind them, or what is only found by a search path: things of a
/// namespace without that.
fn mark_early(steps: &mut [Step]) {
    let lower = |name: &str| {
        let (namespace, base) = qualified::split(name);
        (namespace.map(str::to_owned), base.to_lowercase())
    };
    let made = steps.iter().filter_map(|step| match step {
        Step::CreateTable(table) => Some(lower(&table.name)),
        Step::CreateProgram(one) => Some(lower(one.base_name())),
        _ => None,
    });
    let hidden: BTreeSet<(Option<String>, String)> = made.filter(|(namespace, _)| namespace.is_some()).collect();
    let mut later: BTreeSet<String> = BTreeSet::new();
    for step in steps.iter_mut().rev() {
        match step {
            Step::CreateTable(table) => {
                later.insert(qualified::base(&table.name).to_lowercase());
            }
            Step::CreateProgram(one) => {
                if one.kind == ProgramKind::Routine {
                    let text = one.create.to_lowercase();
                    let (namespace, _) = lower(one.base_name());
                    let is_hidden = |word: &str| hidden.contains(&(namespace.clone(), word.to_owned()));
                    let mut bare = text.split(|one: char| !(one.is_alphanumeric() || one == '_' || one == '.'));
                    one.is_early = words(&text).any(|word| later.contains(word))
                        || namespace.is_some() && !text.contains("set search_path") && bare.any(is_hidden);
                }
                later.insert(qualified::base(one.base_name()).to_lowercase());
            }
            _ => {}
        }
    }
}

fn column_sql(column: &Column) -> String {
    let default = column.default.as_deref().map(Expression::text).unwrap_or_default();
    let generated = column.generated.as_ref().map(|one| one.expression.text()).unwrap_or_default();
    format!("{} {default} {generated}", column.ty.text())
}

/// For each program, in the order in which they are made, the first step that needs it, or needs what needs it.
///
/// A step from `runs_from` on runs the routines that it needs, so that it needs what their bodies name, too: an index over
/// an expression does, be it over no rows.
fn positions(
    programs: &[Step],
    steps: &[Step],
    runs_from: Option<usize>,
    needed_at: impl Fn(&str) -> Option<usize>,
) -> Vec<Option<usize>> {
    let any_step = (!steps.is_empty()).then_some(0);
    let of = |step: &Step| match step {
        Step::CreateProgram(one) | Step::DropProgram(one) => Some(one.clone()),
        _ => None,
    };
    let programs: Vec<Option<Program>> = programs.iter().map(of).collect();
    // What acts on a table that is there already is never needed by one.
    let can_be_needed = |one: &Program| match one.kind {
        ProgramKind::Routine => true,
        ProgramKind::Object => {
            matches!(
                one.word.as_deref(),
                Some(
                    "sequence"
                        | "domain"
                        | "type"
                        | "extension"
                        | "aggregate"
                        | "namespace"
                        | "collation"
                        | "operator"
                        | "operator class"
                        | "text search configuration"
                        | "text search dictionary"
                )
            )
        }
        ProgramKind::View | ProgramKind::MaterializedView | ProgramKind::Trigger => false,
    };
    let mut places: Vec<Option<usize>> = programs
        .iter()
        .map(|one| {
            let one = one.as_ref().filter(|one| can_be_needed(one))?;
            match one.word.as_deref() {
                // Its types and functions have names of their own, which nobody knows here.
                Some("extension" | "namespace") => any_step,
                _ => one.names().iter().filter_map(|name| needed_at(name)).min(),
            }
        })
        .collect();
    let known: Vec<&Program> = programs.iter().flatten().collect();
    if known.len() < programs.len() {
        return places;
    }
    let needs = Needs::of(&known);
    let called: Vec<BTreeSet<usize>> = match runs_from {
        Some(_) => called(&known),
        None => vec![BTreeSet::new(); known.len()],
    };
    loop {
        let mut changed = false;
        for at in 0..known.len() {
            let Some(place) = places[at] else { continue };
            let runs = runs_from.filter(|from| place >= *from).map(|_| &called[at]);
            for other in needs.stated[at].iter().chain(&needs.named[at]).chain(runs.into_iter().flatten()) {
                if places[*other].is_none_or(|there| there > place) {
                    places[*other] = Some(place);
                    changed = true;
                }
            }
        }
        if !changed {
            return places;
        }
    }
}

/// For each program, the numbers of the routines that its body may call.
fn called(programs: &[&Program]) -> Vec<BTreeSet<usize>> {
    let is_routine = |one: &Program| one.kind == ProgramKind::Routine;
    let mut routines: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, one) in programs.iter().enumerate().filter(|(_, one)| is_routine(one)) {
        routines.entry(qualified::base(one.base_name()).to_lowercase()).or_default().push(at);
    }
    let of = |at: usize, one: &Program| {
        let text = one.create.to_lowercase();
        let found = words(&text).filter_map(|word| routines.get(word)).flatten().copied();
        found.filter(|other| *other != at).collect()
    };
    let called = programs.iter().enumerate();
    called.map(|(at, one)| if is_routine(one) { of(at, one) } else { BTreeSet::new() }).collect()
}
