//! Whether a step took effect, found out from what the catalogue holds.

use super::read::ScriptStep;
use crate::physical::{Named, Schema, Table};

/// What the catalogue says about a step that may have run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    /// It took effect.
    Done,
    /// It did not.
    NotDone,
    /// That does not show, and to run it again does no harm.
    Repeatable,
    /// It cannot be known.
    Unknown,
}

/// Judges a generated step by what is there. What somebody wrote cannot be judged.
pub fn effect(step: &ScriptStep, live: &Schema) -> Effect {
    if step.is_by_hand() {
        return Effect::Unknown;
    }
    let (kind, object) = step.object.split_once(' ').unwrap_or((&step.object, ""));
    let is_there = |found: bool| if found { Effect::Done } else { Effect::NotDone };
    let is_gone = |found: bool| if found { Effect::NotDone } else { Effect::Done };
    let (table, item) = parts(object, live);
    let case = table.map(|table| table.case).unwrap_or_default();
    let named = |names: &[Option<&str>]| names.iter().flatten().any(|name| case.same_item(name, item));
    let column = table.is_some_and(|table| table.column(item).is_some());
    let uniques = || table.is_some_and(|table| named(&names(&table.uniques)));
    let checks = || table.is_some_and(|table| named(&names(&table.checks)));
    let references = || table.is_some_and(|table| named(&names(&table.foreign_keys)));
    let indexes = || table.is_some_and(|table| named(&names(&table.indexes)));
    let key = || live.table(object).or(table).is_some_and(|table| table.primary_key.is_some());
    match kind {
        "create-table" | "rename-table" => is_there(live.table(object).is_some()),
        "drop-table" => is_gone(live.table(object).is_some()),
        "add-column" | "rename-column" => is_there(column),
        "drop-column" => is_gone(column),
        "add-primary-key" => is_there(key()),
        "drop-primary-key" => is_gone(key()),
        "add-unique" => is_there(uniques()),
        "drop-unique" => is_gone(uniques()),
        "add-check" => is_there(checks()),
        "drop-check" => is_gone(checks()),
        "add-foreign-key" => is_there(references()),
        "drop-foreign-key" => is_gone(references()),
        "create-index" => is_there(indexes()),
        "drop-index" => is_gone(indexes()),
        "rename-index" => is_there(indexes() || uniques()),
        "rename-constraint" => is_there(uniques() || checks() || references()),
        "create-enum" => is_there(live.enumeration(object).is_some()),
        "drop-enum" => is_gone(live.enumeration(object).is_some()),
        "create-view" | "create-materialized-view" | "create-trigger" | "create-routine" | "create-object" => {
            is_there(program(live, kind, object))
        }
        "drop-view" | "drop-materialized-view" | "drop-trigger" | "drop-routine" | "drop-object" => {
            is_gone(program(live, kind, object))
        }
        "make-kept" | "drop-kept" | "alter-column" | "set-options" | "set-comment" | "add-enum-word"
        | "fill-in-batches" => Effect::Repeatable,
        _ => Effect::Unknown,
    }
}

fn program(live: &Schema, kind: &str, name: &str) -> bool {
    let word = kind.split_once('-').map_or("", |(_, word)| word).replace('-', " ");
    live.programs().any(|one| one.kind.word() == word && one.label() == name)
}

fn names<T: Named>(list: &[T]) -> Vec<Option<&str>> {
    list.iter().map(Named::name).collect()
}

/// The table and the name in it; a point may stand in either of them.
fn parts<'a, 'o>(object: &'o str, live: &'a Schema) -> (Option<&'a Table>, &'o str) {
    let mut points = object.match_indices('.').rev().map(|(at, _)| at);
    let known = points.find_map(|at| Some((live.table(&object[..at])?, &object[at + 1..])));
    match known {
        Some((table, item)) => (Some(table), item),
        None => (None, object.split_once('.').map_or(object, |(_, item)| item)),
    }
}
