//! Plans for a provider that alters everything in place, one thing after the other.
//!
//! What a step would trip over is out of the way before it, and is there again afterwards: references before the keys
//! they need, checks, expressions and generated columns before the columns they read.

mod columns;
mod in_the_way;
mod keys;
mod tables;

use std::collections::{BTreeMap, BTreeSet};

use super::choices::Choices;
use super::renaming;
use super::rows::RowSteps;
use super::step::Step;
use crate::Dialect;
use crate::diff::{Changes, TableChange};
use crate::physical::{Schema, Table};

/// Tables that inherit from each other over more generations than this are none.
const MOST_GENERATIONS: usize = 16;

/// Plans by stages; see [`Stages`] for their order.
pub(super) fn steps(
    dialect: Dialect,
    from: &Schema,
    to: &Schema,
    changes: Changes,
    rows: RowSteps,
    choices: &Choices,
) -> Vec<Step> {
    let stages = Stages { rows, ..Stages::default() };
    let mut planner = Planner {
        dialect,
        from,
        to,
        choices,
        stages,
        disturbed: BTreeMap::new(),
        renumbered: Vec::new(),
        early: BTreeMap::new(),
    };
    let mut created = Vec::new();
    let mut dropped = Vec::new();
    let mut altered = Vec::new();
    for change in changes.tables {
        match change {
            TableChange::Add(table) => created.push(table),
            TableChange::Drop(table) => dropped.push(table),
            TableChange::Alter(alteration) => altered.push(*alteration),
        }
    }
    planner.enums(&changes.enums, &dropped);
    for alteration in &altered {
        planner.disturb(alteration);
    }
    planner.spread_disturbance();
    for alteration in &altered {
        let columns = planner.renumbered(alteration);
        planner.renumbered.extend(columns.into_iter().map(|column| (alteration.from.key(), column)));
    }
    planner.references_in_the_way(&altered, &dropped);
    for table in parents_first(from) {
        let Some(after) = to.table(&table.name) else { continue };
        let alteration = altered.iter().find(|one| one.from.key() == table.key());
        planner.table(table, after, alteration);
    }
    planner.create(created);
    planner.drop(dropped);
    planner.stages.in_order(dialect)
}

/// The tables of a schema, by name, those that inherit behind those that they inherit from: these have changed by then.
fn parents_first(schema: &Schema) -> Vec<&Table> {
    fn depth(schema: &Schema, table: &Table, most: usize) -> usize {
        let parents = table.parents();
        // A circle has no end.
        let parents = parents.iter().filter_map(|name| schema.table(name)).filter(|_| most > 0);
        parents.map(|parent| depth(schema, parent, most - 1) + 1).max().unwrap_or_default()
    }
    let mut tables: Vec<&Table> = schema.tables().collect();
    if tables.iter().any(|table| !table.parents().is_empty()) {
        tables.sort_by_key(|table| depth(schema, table, MOST_GENERATIONS));
    }
    tables
}

/// Steps by the stage in which they run.
#[derive(Default)]
struct Stages {
    rows: RowSteps,
    drop_references: Vec<Step>,
    leave_parents: Vec<Step>,
    release_identities: Vec<Step>,
    drop_tables: Vec<Step>,
    create_first: Vec<Step>,
    drop_indexes: Vec<Step>,
    drop_constraints: Vec<Step>,
    stop_computing: Vec<Step>,
    add_first: Vec<Step>,
    drop_computed: Vec<Step>,
    make_enums: Vec<Step>,
    rename_tables: Vec<Step>,
    rename_columns: Vec<Step>,
    rename_constraints: Vec<Step>,
    set_options: Vec<Step>,
    create_tables: Vec<Step>,
    add_before_parents: Vec<Step>,
    add_columns: Vec<Step>,
    fill_columns: Vec<Step>,
    alter_columns: Vec<Step>,
    add_computed: Vec<Step>,
    drop_columns: Vec<Step>,
    drop_enums: Vec<Step>,
    create_heirs: Vec<Step>,
    add_constraints: Vec<Step>,
    join_parents: Vec<Step>,
    create_indexes: Vec<Step>,
    grant_identities: Vec<Step>,
    add_references: Vec<Step>,
    describe: Vec<Step>,
}

impl Stages {
    fn in_order(self, dialect: Dialect) -> Vec<Step> {
        [
            self.rows.first,
            self.drop_references,
            self.leave_parents,
            self.release_identities,
            self.drop_tables,
            self.rows.released,
            // For references that stand on what goes.
            self.create_first,
            self.drop_indexes,
            self.drop_constraints,
            self.stop_computing,
            self.add_first,
            self.drop_computed,
            self.rows.prepared,
            self.make_enums,
            self.rename_tables,
            self.rename_columns,
            renaming::in_turn(dialect, self.rename_constraints),
            // Before the columns, which may follow what their table says.
            self.set_options,
            self.create_tables,
            self.rows.early,
            self.add_before_parents,
            self.add_columns,
            self.fill_columns,
            self.alter_columns,
            self.add_computed,
            self.drop_columns,
            self.drop_enums,
            self.create_heirs,
            self.rows.late,
            self.add_constraints,
            self.join_parents,
            self.create_indexes,
            self.grant_identities,
            self.add_references,
            self.describe,
        ]
        .into_iter()
        .flatten()
        .collect()
    }
}

struct Planner<'a> {
    dialect: Dialect,
    from: &'a Schema,
    to: &'a Schema,
    choices: &'a Choices,
    stages: Stages,
    /// By table, the columns that change in such a way that nothing may look at them meanwhile.
    disturbed: BTreeMap<String, BTreeSet<String>>,
    /// Tables with the columns that begin or stop to number their rows.
    renumbered: Vec<(String, String)>,
    /// By table, the new indexes and unique keys that have to be there before old ones go.
    early: BTreeMap<String, BTreeSet<String>>,
}
