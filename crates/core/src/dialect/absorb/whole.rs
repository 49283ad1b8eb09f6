//! Tables that are declared anew as a whole, where taking over what changed does not say what is there.

use std::collections::BTreeSet;

use super::Dialect;
use super::words::Words;
use crate::diff::{TableChange, diff};
use crate::physical;
use crate::schema::{Fault, Identifier, Item, Parts, Schema, Table};

/// Puts the parts together. A table that is at fault, or would be stored in another way than it is, is declared as what was
/// lifted says, since no other provider has a say in it: a reference, for one, wants the same type on both
/// sides, and says so in other tables than the one that changed.
///
/// # Errors
///
/// What stands against it, in words.
pub(super) fn settled(
    dialect: Dialect,
    mut parts: Parts,
    live: &physical::Schema,
    words: &Words,
) -> Result<Schema, String> {
    let mut anew: BTreeSet<(Identifier, Anew)> = BTreeSet::new();
    // Every round declares more of at least one table anew, so there is an end to it.
    loop {
        words.settle(&mut parts.enums, &parts.tables);
        let found = Schema::new(parts.clone()).and_then(|(schema, _)| {
            let lowered = dialect.lower(&schema)?;
            Ok((schema, lowered.schema))
        });
        let (names, outcome) = match found {
            Ok((schema, stored)) => (objects(dialect, differing(live, &stored)), Ok(schema)),
            Err(faults) => {
                let errors = faults.iter().filter(|fault| fault.is_error());
                let first = errors.clone().next().map(ToString::to_string).unwrap_or_default();
                (errors.flat_map(|fault| at_fault(&parts, fault)).collect(), Err(first))
            }
        };
        let mut changed = false;
        for name in names {
            let place = parts.tables.iter_mut().find(|table| table.name == name);
            let next = [Anew::ButColumns, Anew::All].into_iter().find(|what| anew.insert((name.clone(), *what)));
            if let (Some(table), Some(lifted), Some(what)) = (place, words.table(&name), next) {
                declare_anew(table, lifted, what);
                changed = true;
            }
        }
        if !changed {
            return outcome;
        }
    }
}

/// The tables that would be stored in another way than they are.
pub(super) fn differing(live: &physical::Schema, stored: &physical::Schema) -> Vec<String> {
    let changes = diff(live, stored).tables.into_iter().filter_map(|change| match change {
        TableChange::Alter(alteration) => Some(alteration.to.name),
        TableChange::Add(_) | TableChange::Drop(_) => None,
    });
    changes.collect()
}

fn objects(dialect: Dialect, names: Vec<String>) -> BTreeSet<Identifier> {
    let lifting = dialect.lifting();
    names.iter().map(|name| lifting.object(name)).collect()
}

/// The tables that have to do with a fault: its own, and the one that is referenced.
fn at_fault(parts: &Parts, fault: &Fault) -> Vec<Identifier> {
    let owner = fault.place.owner.clone();
    let table = parts.tables.iter().find(|table| table.name == owner);
    let referenced = match &fault.place.item {
        Item::ForeignKey(at) => table.and_then(|table| table.foreign_keys.get(*at)),
        _ => None,
    };
    referenced.map(|key| key.referenced_table.clone()).into_iter().chain([owner]).collect()
}

/// How much of a table is declared anew.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Anew {
    /// What is not a column that is there already.
    ButColumns,
    /// All of it.
    All,
}

/// What the lifted table says, and from where the rows of this one came.
pub(super) fn declare_anew(table: &mut Table, lifted: &Table, what: Anew) {
    let mut new = lifted.clone();
    new.formerly.clone_from(&table.formerly);
    for column in &mut new.columns {
        match (table.column(&column.name), what) {
            (Some(old), Anew::ButColumns) => column.clone_from(old),
            (Some(old), Anew::All) => column.formerly.clone_from(&old.formerly),
            (None, _) => {}
        }
    }
    *table = new;
}
