//! A plan, and what the ways to one have in common.

use std::collections::{BTreeMap, BTreeSet};

use super::choices::Choices;
use super::renaming::{self, Renamed};
use super::risk::{Known, Risk, risks};
use super::step::{Constraint, Step};
use super::{deferred, online, programs, rebuilding, rows, staged, together};
use crate::Dialect;
use crate::dialect::Altering;
use crate::diff::diff;
use crate::physical::{Schema, Table};
use crate::schema::ProgramKind;

/// The steps from one schema to another.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Plan {
    /// The steps, in order.
    pub steps: Vec<PlannedStep>,
}

/// A step and its risks.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PlannedStep {
    /// The step.
    pub step: Step,
    /// Whether it is part of a transaction.
    pub placement: Placement,
    /// What it can do to rows.
    pub risks: Vec<Risk>,
}

/// Where a step runs. Steps in a row that are in a transaction are one segment; a step outside is one of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Placement {
    /// In a transaction with its neighbours.
    InTransaction,
    /// By itself.
    Outside,
}

impl Placement {
    /// The words in a step's header.
    pub fn words(self) -> &'static str {
        match self {
            Self::InTransaction => "in transaction",
            Self::Outside => "outside transaction",
        }
    }
}

/// Plans the way from `from` to `to`.
pub fn plan(dialect: Dialect, from: &Schema, to: &Schema, choices: &Choices) -> Plan {
    let Renamed { steps: renaming, schema: from, renames } = renaming::renamed(dialect, from, to, &choices.renames);
    let (from, to) = dialect.told_alike(from, to);
    let to = &*to;
    let changes = diff(&from, to);
    let choices = &rows::with_fills(dialect, &from, to, choices);
    let altering = dialect.facts().altering;
    let around = programs::around(dialect, &from, to, &changes, &renames, altering == Altering::InPlace);
    let steps = match altering {
        Altering::Rebuilding => rebuilding::steps(dialect, &from, to, changes, choices),
        Altering::InPlace => {
            let rows = rows::in_stages(dialect, &from, to, &changes);
            staged::steps(dialect, &from, to, changes, rows, choices)
        }
    };
    let aside = choices.kept.iter().flat_map(|kept| [Step::MakeKept(kept.clone()), Step::Keep(kept.clone())]).collect();
    let spent = choices.spent.iter().cloned().map(Step::DropKept).collect();
    let steps = with_rows(steps, to, choices);
    let steps = [renaming, steps].into_iter().flatten().collect();
    let steps = deferred::checked(dialect, &from, to, programs::placed(dialect, around, steps, to));
    let mut steps: Vec<Step> = [aside, steps, spent].into_iter().flatten().collect();
    programs::leave_bodies(dialect, &mut steps, choices.unchecked_bodies);
    if choices.online && dialect.facts().builds_online {
        steps = online::online(dialect, steps, &from, to);
    }
    planned(dialect, together::joined(dialect, steps), to, choices)
}

/// Adds the rows that come back, behind the tables that are made for them: they may reference each other.
fn with_rows(mut steps: Vec<Step>, to: &Schema, choices: &Choices) -> Vec<Step> {
    let last = steps.iter().rposition(|step| matches!(step, Step::CreateTable(_)));
    let Some(last) = last.filter(|_| !choices.restored.is_empty()) else { return steps };
    let made = steps.iter().filter_map(|step| match step {
        Step::CreateTable(table) => Some(table.name.clone()),
        _ => None,
    });
    let restored = made.filter_map(|name| choices.restored.iter().find(|kept| kept.table == name)).map(|kept| {
        let columns = to.table(&kept.table).map(|table| table.columns.as_slice()).unwrap_or_default();
        let numbering = columns.iter().find(|column| column.numbers_rows());
        let overriding = numbering.and_then(|column| column.identity.as_ref()).is_some_and(|one| one.always);
        Step::Restore { kept: kept.clone(), overriding, numbering: numbering.map(|column| column.name.clone()) }
    });
    let restored: Vec<Step> = restored.collect();
    let behind = steps.split_off(last + 1);
    steps.extend(restored);
    steps.extend(behind);
    steps
}

/// Adds to each step where it runs and what it risks.
fn planned(dialect: Dialect, steps: Vec<Step>, to: &Schema, choices: &Choices) -> Plan {
    let mut known = Known::new(to, choices);
    known.returning = returning(dialect, &steps);
    for step in steps.iter().flat_map(Step::parts) {
        // A table that is made here has no rows, unless they come back.
        if let Step::CreateTable(table) = step
            && !choices.restored.iter().any(|kept| kept.table == table.name)
        {
            known.tables.insert(table.name.clone());
        }
        if let Step::FillColumn { only_missing: false, .. }
        | Step::InsertRows { .. }
        | Step::UpdateRows { .. }
        | Step::Restore { .. } = step
        {
            known.written.insert(step.table().to_owned());
        }
        if let Step::AlterColumn { table, to, using: Some(_), .. } = step {
            known.converted.insert((table.clone(), to.name.clone()));
        }
    }
    let steps = steps.into_iter().map(|step| {
        let risks = risks(dialect, &step, &known);
        match &step {
            Step::AddColumn { table, column, .. } => known.added.insert((table.clone(), column.name.clone())),
            // A conversion of no value gives none.
            Step::ValidateConstraint { table, requires: Some(column), .. } => {
                known.required.insert((table.clone(), column.clone()))
            }
            Step::FillColumn { table, column, expression, only_missing: true, .. } => {
                let surely = dialect.gives_a_value(expression);
                known.filled.insert((table.clone(), column.clone()), surely).is_none()
            }
            _ => false,
        };
        PlannedStep { risks, placement: dialect.placement(&step), step }
    });
    Plan { steps: steps.collect() }
}

/// Constraints that go and come back as they were while no row changes and nobody else can write.
fn returning(dialect: Dialect, steps: &[Step]) -> Vec<(String, Constraint)> {
    let keeps_rows = |step: &Step| match step {
        Step::AlterColumn { from, to, using, .. } => {
            using.is_none()
                && from.generated == to.generated
                && from.collation == to.collation
                && dialect.stores_alike(&from.ty, &to.ty)
        }
        Step::AddConstraint { .. }
        | Step::DropConstraint { .. }
        | Step::RenameConstraint { .. }
        | Step::CreateIndex { .. }
        | Step::DropIndex { .. }
        | Step::RenameIndex { .. }
        | Step::CreateTable(_)
        | Step::CreateEnum(_)
        | Step::SetComment { .. }
        | Step::DropProgram(_) => true,
        // The SQL of an object may do anything.
        Step::CreateProgram(one) => one.kind != ProgramKind::Object,
        _ => false,
    };
    let is_held = |step: &Step| dialect.placement(step) == Placement::InTransaction;
    if !steps.iter().flat_map(Step::parts).all(|step| keeps_rows(step) && is_held(step)) {
        return Vec::new();
    }
    let dropped = steps.iter().filter_map(|step| match step {
        Step::DropConstraint { table, constraint } => Some((table.clone(), constraint.clone())),
        _ => None,
    });
    dropped.collect()
}

/// A name that no table has.
pub(super) fn free_name(prefix: &str, table: &Table, taken: &mut BTreeSet<String>) -> String {
    let mut name = format!("{prefix}_{}", table.name);
    while !taken.insert(table.case.table_key(&name)) {
        name.push('_');
    }
    name
}

/// Referenced tables before those that reference them, as far as there are no cycles, and one whose sequence another reads
/// before that; otherwise by name.
pub(super) fn made_first(dialect: Dialect, tables: Vec<Table>) -> Vec<Table> {
    let numbering = dialect.numbered_by_another(&tables);
    ordered(tables, &numbering)
}

/// Referenced tables before those that reference them, as far as there are no cycles; otherwise by name.
pub(super) fn referenced_first(tables: Vec<Table>) -> Vec<Table> {
    ordered(tables, &BTreeMap::new())
}

/// `needed` are the tables without which another cannot be made, beside its parents, all by their keys.
fn ordered(tables: Vec<Table>, needed: &BTreeMap<String, BTreeSet<String>>) -> Vec<Table> {
    let names: BTreeSet<String> = tables.iter().map(Table::key).collect();
    let mut placed: BTreeSet<String> = BTreeSet::new();
    let mut waiting = tables;
    let mut ordered = Vec::with_capacity(waiting.len());
    while !waiting.is_empty() {
        let ready = |table: &Table| {
            let is_there = |name: &str| {
                let referenced = table.case.table_key(name);
                referenced == table.key() || !names.contains(&referenced) || placed.contains(&referenced)
            };
            table.foreign_keys.iter().all(|key| is_there(&key.referenced_table))
                && table.parents().iter().all(|name| is_there(name))
                && needed.get(&table.key()).is_none_or(|keys| keys.iter().all(|key| is_there(key)))
        };
        let (mut now, mut later): (Vec<_>, Vec<_>) = waiting.into_iter().partition(ready);
        if now.is_empty() {
            // Round in a circle: references can wait, parents cannot.
            let can_be_made = |table: &Table| {
                let waits = |name: &String| {
                    names.contains(&table.case.table_key(name)) && !placed.contains(&table.case.table_key(name))
                };
                let needed = needed.get(&table.key());
                !table.parents().iter().any(waits) && !needed.is_some_and(|keys| keys.iter().any(waits))
            };
            let first = later.iter().position(can_be_made).unwrap_or(0);
            now.push(later.remove(first));
        }
        placed.extend(now.iter().map(Table::key));
        ordered.append(&mut now);
        waiting = later;
    }
    ordered
}
