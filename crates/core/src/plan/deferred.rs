//! Changes of rows whose references are checked at the end of the transaction, and changes of their tables in the same one.
//!
//! PostgreSQL refuses to alter a table while such a check waits ("has pending trigger events"), so it is made before.

use std::collections::BTreeSet;

use super::order::Placement;
use super::step::{Constraint, Step};
use crate::Dialect;
use crate::physical::{Options, Schema, Table};
use crate::schema::Deferrable;

/// Puts a step that checks what waits before each that could not run otherwise.
pub(super) fn checked(dialect: Dialect, from: &Schema, to: &Schema, steps: Vec<Step>) -> Vec<Step> {
    let waiting = Waiting { schemas: [from, to] };
    if !dialect.facts().waiting_checks_block || !waiting.any() {
        return steps;
    }
    let mut pending: BTreeSet<String> = BTreeSet::new();
    let mut all = Vec::with_capacity(steps.len());
    for step in steps {
        if dialect.placement(&step) == Placement::Outside {
            pending.clear();
        } else if changes_rows(&step) {
            pending.extend(waiting.after(step.table()));
        } else if let Some(table) = altered(&step).into_iter().find(|table| pending.contains(&to.key(table))) {
            all.push(Step::CheckDeferred { table: table.to_owned() });
            pending.clear();
        }
        all.push(step);
    }
    all
}

struct Waiting<'a> {
    schemas: [&'a Schema; 2],
}

impl Waiting<'_> {
    fn tables(&self) -> impl Iterator<Item = (&Schema, &Table)> {
        self.schemas.into_iter().flat_map(|schema| schema.tables().map(move |table| (schema, table)))
    }

    fn any(&self) -> bool {
        self.tables().any(|(_, table)| may_wait(table))
    }

    /// The tables for which checks may wait once rows of this one have changed: its own, and those that follow it.
    fn after(&self, changed: &str) -> BTreeSet<String> {
        let mut found = BTreeSet::new();
        for (schema, table) in self.tables() {
            let is_it = schema.key(changed) == table.key();
            let references = |deferrable: bool| {
                let mut keys = table.foreign_keys.iter();
                keys.any(|key| {
                    schema.key(&key.referenced_table) == schema.key(changed)
                        && (!deferrable || key.deferrable != Deferrable::No)
                })
            };
            if may_wait(table) && (is_it || references(false)) {
                found.insert(table.key());
            }
            if references(true) {
                found.insert(schema.key(changed));
            }
        }
        found
    }
}

fn may_wait(table: &Table) -> bool {
    let waits = |attributes: &Options| attributes.iter().any(|one| one.starts_with("deferrable"));
    table.foreign_keys.iter().any(|key| key.deferrable != Deferrable::No)
        || table.uniques.iter().any(|key| waits(&key.attributes))
        || table.primary_key.as_ref().is_some_and(|key| waits(&key.attributes))
}

fn changes_rows(step: &Step) -> bool {
    matches!(
        step,
        Step::FillColumn { .. }
            | Step::InsertRows { .. }
            | Step::UpdateRows { .. }
            | Step::DeleteRows { .. }
            | Step::Restore { .. }
    )
}

/// The tables that a step alters.
fn altered(step: &Step) -> Vec<&str> {
    match step {
        Step::MakeKept(_) | Step::Keep(_) | Step::DropKept(_) | Step::CreateProgram(_) | Step::DropProgram(_) => {
            Vec::new()
        }
        Step::RemakeEnum(swap) => swap.columns.iter().map(|column| column.table.as_str()).collect(),
        Step::AddConstraint { table, constraint: Constraint::ForeignKey(key) } => vec![table, &key.referenced_table],
        other => vec![other.table()],
    }
}
