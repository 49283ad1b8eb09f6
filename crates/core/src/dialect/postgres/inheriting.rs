//! Tables that inherit from others.

use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Column, Options, Table};

/// Whether a column comes from a parent.
pub(in crate::dialect) fn is_inherited(column: &Column) -> bool {
    column.attributes.contains("inherited")
}

/// A table that inherits, with what changes along with its parents changed already (PostgreSQL 17, "Inheritance"): columns
/// and checks that come from there cannot be altered by themselves. Nothing for any other table.
pub(in crate::dialect) fn as_parents_leave(
    from: &Table,
    to: &Table,
    alteration: Option<&TableAlteration>,
) -> Option<(Table, Option<TableAlteration>)> {
    let inherits = |table: &Table| table.options.iter().any(|option| option.starts_with("inherits ("));
    if !inherits(from) || !inherits(to) {
        return None;
    }
    let is_inherited = |attributes: &Options| attributes.contains("inherited");
    let mut left = from.clone();
    left.columns.retain(|column| !is_inherited(&column.attributes) || to.column(&column.name).is_some());
    for new in to.columns.iter().filter(|column| is_inherited(&column.attributes)) {
        match left.columns.iter_mut().find(|column| column.name == new.name) {
            Some(old) if is_inherited(&old.attributes) => {
                (old.ty, old.collation) = (new.ty.clone(), new.collation.clone());
                old.declared_type = new.declared_type.clone();
            }
            Some(_) => {}
            None => left.columns.push(new.clone()),
        }
    }
    let mut alteration = alteration.cloned();
    for items in alteration.iter_mut().map(|alteration| &mut alteration.items) {
        items.retain(|item| match item {
            ItemChange::Check(Change::Add(check) | Change::Drop(check)) => !is_inherited(&check.attributes),
            ItemChange::Check(Change::Alter { from, to } | Change::Rename { from, to }) => {
                !is_inherited(&from.attributes) || !is_inherited(&to.attributes)
            }
            _ => true,
        });
    }
    Some((left, alteration))
}
