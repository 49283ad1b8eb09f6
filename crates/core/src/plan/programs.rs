//! Views, triggers and routines around the rest of a plan: those that go or change are dropped before it, and new ones
//! made behind it. A view is made again whenever something that it reads changes its columns.

use std::collections::BTreeSet;

use super::step::Step;
use crate::diff::{Change, Changes, ItemChange, Renames, TableChange};
use crate::physical::{Program, Schema};
use crate::schema::ProgramKind;

/// Steps before and behind the rest.
#[derive(Default)]
pub(super) struct Around {
    /// Drops, what reads others first.
    pub(super) before: Vec<Step>,
    /// Makings, what is read first.
    pub(super) behind: Vec<Step>,
}

/// Plans the programs of both schemas around the other changes.
///
/// `from` has its new names already; what reads something that is renamed is made again as well.
pub(super) fn around(from: &Schema, to: &Schema, changes: &Changes, renames: &Renames, remakes_views: bool) -> Around {
    let mut dropped: Vec<Program> = Vec::new();
    let mut made: Vec<Program> = Vec::new();
    for change in &changes.programs {
        match change {
            Change::Add(one) => made.push(one.clone()),
            Change::Drop(one) => dropped.push(one.clone()),
            Change::Alter { from, to } | Change::Rename { from, to } => {
                if !replaces(to) {
                    dropped.push(from.clone());
                }
                made.push(to.clone());
            }
        }
    }
    let mut disturbed = renames.touched_tables();
    disturbed.extend(renames.words.keys().cloned());
    if remakes_views {
        let former = |name: String| renames.former_table(&name).map_or(name.clone(), str::to_owned);
        disturbed.extend(disturbed_names(changes).into_iter().map(former));
    }
    if remakes_views || !renames.is_empty() {
        disturbed.extend(dropped.iter().map(|one| one.name.clone()));
        remake_views(from, to, disturbed, &mut dropped, &mut made);
    }
    let gone: BTreeSet<String> = changes.tables.iter().filter_map(dropped_table).collect();
    // A trigger goes with its table.
    dropped.retain(|one| !one.table.as_ref().is_some_and(|table| gone.contains(&from.key(table))));
    let mut before = read_first(dropped);
    before.reverse();
    Around {
        before: before.into_iter().map(Step::DropProgram).collect(),
        behind: read_first(made).into_iter().map(Step::CreateProgram).collect(),
    }
}

fn dropped_table(change: &TableChange) -> Option<String> {
    match change {
        TableChange::Drop(table) => Some(table.key()),
        TableChange::Add(_) | TableChange::Alter(_) => None,
    }
}

/// Adds the views that read what changes, and the views on those.
fn remake_views(
    from: &Schema,
    to: &Schema,
    mut disturbed: BTreeSet<String>,
    dropped: &mut Vec<Program>,
    made: &mut Vec<Program>,
) {
    let same = |a: &Program, b: &Program| a.kind == b.kind && a.name == b.name;
    loop {
        let more: Vec<Program> = from
            .programs()
            .filter(|one| one.kind == ProgramKind::View && !dropped.iter().any(|other| same(one, other)))
            .filter(|one| disturbed.iter().any(|name| one.mentions(name)))
            .cloned()
            .collect();
        if more.is_empty() {
            return;
        }
        for view in more {
            if let Some(after) = to.program_like(&view)
                && !made.iter().any(|one| same(one, after))
            {
                made.push(after.clone());
            }
            disturbed.insert(view.name.clone());
            dropped.push(view);
        }
    }
}

/// Whether making it takes the place of what is there under the name.
fn replaces(program: &Program) -> bool {
    let words: Vec<String> = program.create.split_whitespace().take(3).map(str::to_ascii_lowercase).collect();
    program.kind == ProgramKind::Routine && words == ["create", "or", "replace"]
}

/// Tables and enum types that change in such a way that no view may look on.
fn disturbed_names(changes: &Changes) -> BTreeSet<String> {
    let mut names = BTreeSet::new();
    for change in &changes.tables {
        match change {
            TableChange::Add(_) => {}
            TableChange::Drop(table) => {
                names.insert(table.name.clone());
            }
            TableChange::Alter(alteration) => {
                let moves = |item: &ItemChange| match item {
                    ItemChange::Column(change) => !matches!(change, Change::Add(_)),
                    _ => false,
                };
                if alteration.items.iter().any(moves) || alteration.from.name != alteration.to.name {
                    names.insert(alteration.from.name.clone());
                }
            }
        }
    }
    for change in &changes.enums {
        if let Change::Alter { from, .. } = change {
            names.insert(from.name.clone());
        }
    }
    names
}

/// What others read before those; routines, views and triggers in this order where nothing else decides.
fn read_first(mut programs: Vec<Program>) -> Vec<Program> {
    programs.sort_by(|a, b| (a.kind, &a.name).cmp(&(b.kind, &b.name)));
    let mut ordered: Vec<Program> = Vec::new();
    while !programs.is_empty() {
        let reads_another = |one: &Program| programs.iter().any(|other| other != one && one.mentions(&other.name));
        let free = programs.iter().position(|one| !reads_another(one)).unwrap_or(0);
        ordered.push(programs.remove(free));
    }
    ordered
}
