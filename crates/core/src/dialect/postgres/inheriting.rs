//! Tables that inherit from others.

use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Column, Options, Schema, Table};

/// What a table has only because a parent has it.
pub(super) const INHERITED: &str = "inherited";
/// What a parent of a table has, and the table by itself as well: it stays when the parent loses it.
pub(super) const ALSO_INHERITED: &str = "also inherited";

/// Whether a column comes from a parent, and is called, and of a type, as it is there.
pub(in crate::dialect) fn comes_of_parent(column: &Column) -> bool {
    follows(&column.attributes)
}

/// Whether that is only there because a parent has it.
pub(in crate::dialect) fn is_inherited(attributes: &Options) -> bool {
    attributes.contains(INHERITED)
}

fn follows(attributes: &Options) -> bool {
    is_inherited(attributes) || attributes.contains(ALSO_INHERITED)
}

/// The same without a word about where it comes from, which no statement says.
fn told(attributes: &Options) -> Options {
    attributes.iter().filter(|one| !is_place(one)).cloned().collect()
}

fn is_place(attribute: &str) -> bool {
    attribute == INHERITED || attribute == ALSO_INHERITED
}

/// A table that inherits, with what changes along with its parents changed already (PostgreSQL 17, "Inheritance"): types of
/// columns that come from there cannot be altered by themselves, and a new default there is one here. Parents that it had
/// or gets count for nothing: it leaves them before anything else is done, and joins them at the end. Nothing for any other
/// table.
pub(in crate::dialect) fn as_parents_leave(
    [before, after]: [&Schema; 2],
    [from, to]: [&Table; 2],
    alteration: Option<&TableAlteration>,
) -> Option<(Table, Option<TableAlteration>)> {
    if from.parents().is_empty() && to.parents().is_empty() {
        return None;
    }
    let kept = from.parents_kept(to);
    let in_parents = |schema: &Schema, column: &Column| {
        let mut parents = kept.iter().filter_map(|name| schema.table(name));
        parents.any(|parent| parent.column(&column.name).is_some())
    };
    let mut left = from.clone();
    left.columns.retain(|column| {
        !is_inherited(&column.attributes) || to.column(&column.name).is_some() || !in_parents(before, column)
    });
    for new in to.columns.iter().filter(|column| follows(&column.attributes) && in_parents(after, column)) {
        match left.columns.iter_mut().find(|column| column.name == new.name) {
            Some(old) if follows(&old.attributes) && in_parents(before, new) => {
                (old.ty, old.collation) = (new.ty.clone(), new.collation.clone());
                old.declared_type = new.declared_type.clone();
            }
            None if is_inherited(&new.attributes) => left.columns.push(new.clone()),
            _ => {}
        }
    }
    for old in &mut left.columns {
        let Some(new) = to.column(&old.name) else { continue };
        // No statement says this; it follows from what is done to the parents.
        let place = new.attributes.iter().filter(|one| is_place(one));
        old.attributes = told(&old.attributes).iter().chain(place).cloned().collect();
        for parent in &kept {
            let of = |schema: &Schema| schema.table(parent)?.column(&old.name).cloned();
            let (Some(was), Some(is)) = (of(before), of(after)) else { continue };
            if was.default != is.default && old.generated.is_none() {
                old.default.clone_from(&is.default);
            }
            // From PostgreSQL 18 on a table that says so itself goes on to need values; before, it was told along.
            let stays = is.nullable && new.attributes.contains(ALSO_INHERITED);
            if was.nullable != is.nullable && !stays {
                old.nullable = is.nullable;
            }
        }
    }
    let mut alteration = alteration.cloned();
    for items in alteration.iter_mut().map(|alteration| &mut alteration.items) {
        items.retain(|item| match item {
            ItemChange::Check(Change::Add(check) | Change::Drop(check)) => !is_inherited(&check.attributes),
            ItemChange::Check(Change::Alter { from, to }) => {
                let mut same = from.clone();
                same.attributes.clone_from(&to.attributes);
                let differs = same != *to || told(&from.attributes) != told(&to.attributes);
                differs && (!is_inherited(&from.attributes) || !is_inherited(&to.attributes))
            }
            ItemChange::Check(Change::Rename { from, to }) => !follows(&from.attributes) || !follows(&to.attributes),
            _ => true,
        });
    }
    Some((left, alteration))
}
