//! The comparison itself.

use std::collections::BTreeMap;

use super::changes::{Change, Changes, ItemChange, TableAlteration, TableChange};
use super::renames::Renames;
use super::rows::diff_rows;
use crate::physical::{Column, EnumType, NameCase, Named, Program, Schema, Table};

/// What has to change so that `left` becomes `right`.
///
/// Tables and columns are matched by the provider's rule for names, and a difference in spelling alone is a rename. A constraint or
/// index is matched by name, then by definition: the same definition under another name is a rename. The order of columns
/// is not a difference.
pub fn diff(left: &Schema, right: &Schema) -> Changes {
    let renames = table_renames(left, right);
    let mut tables = Vec::new();
    let mut old = left.tables().peekable();
    let mut new = right.tables().peekable();
    loop {
        let order = match (old.peek(), new.peek()) {
            (None, None) => break,
            (Some(_), None) => std::cmp::Ordering::Less,
            (None, Some(_)) => std::cmp::Ordering::Greater,
            (Some(from), Some(to)) => from.key().cmp(&to.key()),
        };
        match order {
            std::cmp::Ordering::Less => tables.extend(old.next().cloned().map(TableChange::Drop)),
            std::cmp::Ordering::Greater => tables.extend(new.next().cloned().map(TableChange::Add)),
            std::cmp::Ordering::Equal => {
                if let (Some(from), Some(to)) = (old.next(), new.next()) {
                    tables.extend(
                        alteration(from, to, left, right, &renames).map(|found| TableChange::Alter(Box::new(found))),
                    );
                }
            }
        }
    }
    Changes { tables, enums: enums(left, right), programs: programs(left, right), rows: Vec::new() }
}

/// What has to change so that `left` becomes `right`, where things were renamed as told; reference rows too.
///
/// Names are quoted by `quote` where an expression has to be written anew.
pub fn diff_renamed(left: &Schema, right: &Schema, renames: &Renames, quote: impl Fn(&str) -> String) -> Changes {
    let renames = renames.within(left, right);
    if renames.is_empty() {
        return Changes { rows: diff_rows(left, right), ..diff(left, right) };
    }
    // What stands under a name that something else gets is not renamed: it goes.
    let unnamed =
        |table: &Table| renames.former_table(&table.name).is_some() && !renames.tables.contains_key(&table.name);
    let (gone, stays): (Vec<Table>, Vec<Table>) = left.tables().cloned().partition(unnamed);
    let mut stays = Schema::new(left.case(), stays).with_enums(left.enums().cloned());
    for (table, columns) in &renames.columns {
        let Some(table) = stays.tables_mut().find(|one| one.name == *table) else { continue };
        let is_new = |name: &String| columns.values().any(|new| new == name) && !columns.contains_key(name);
        table.columns.retain(|column| !is_new(&column.name));
    }
    let stays = stays.with_programs(left.programs().cloned()).with_rows(left.row_sets().cloned());
    let stays = stays.renamed(&renames, quote);
    let mut changes = Changes { rows: diff_rows(&stays, right), ..diff(&stays, right) };
    for old in renames.touched_tables() {
        let (Some(from), Some(to)) = (left.table(&old), right.table(renames.new_table(&old))) else { continue };
        let found = changes.tables.iter_mut().find_map(|change| match change {
            TableChange::Alter(alteration) if alteration.to.name == to.name => Some(alteration),
            _ => None,
        });
        let alteration = match found {
            Some(alteration) => alteration,
            None => {
                let (from, to) = (from.clone(), to.clone());
                let new = TableAlteration { from, to, items: Vec::new() };
                changes.tables.push(TableChange::Alter(Box::new(new)));
                let Some(TableChange::Alter(new)) = changes.tables.last_mut() else { continue };
                new
            }
        };
        alteration.from = from.clone();
        let columns = renames.columns_of(&old).into_iter().flatten();
        let renamed = columns.filter_map(|(old, new)| {
            let from = from.column(old)?.clone();
            let to = Column { name: new.clone(), ..from.clone() };
            Some(ItemChange::Column(Change::Rename { from, to }))
        });
        let dropped = from.columns.iter().filter(|column| {
            let columns = renames.columns_of(&old);
            let is_new = columns.is_some_and(|columns| columns.values().any(|new| *new == column.name));
            is_new && !columns.is_some_and(|columns| columns.contains_key(&column.name))
        });
        let dropped = dropped.map(|column| ItemChange::Column(Change::Drop(column.clone())));
        alteration.items = renamed.chain(dropped).chain(std::mem::take(&mut alteration.items)).collect();
    }
    changes.tables.extend(gone.into_iter().map(TableChange::Drop));
    for change in &mut changes.enums {
        if let Change::Alter { from, to } = change
            && let Some(words) = renames.words.get(&to.name)
        {
            let old = |word: &String| words.iter().find(|(_, new)| *new == word).map(|(old, _)| old.clone());
            from.words = from.words.iter().map(|word| old(word).unwrap_or(word.clone())).collect();
        }
    }
    for owner in renames.words.keys() {
        let is_told =
            changes.enums.iter().any(|change| matches!(change, Change::Alter { to, .. } if to.name == *owner));
        if let (false, Some(from), Some(to)) = (is_told, left.enumeration(owner), right.enumeration(owner)) {
            changes.enums.push(Change::Alter { from: from.clone(), to: to.clone() });
        }
    }
    changes
}

fn programs(left: &Schema, right: &Schema) -> Vec<Change<Program>> {
    let dropped = left.programs().filter(|from| right.program_like(from).is_none());
    let dropped = dropped.map(|from| Change::Drop(from.clone()));
    let kept = right.programs().filter_map(|to| match left.program_like(to) {
        None => Some(Change::Add(to.clone())),
        Some(from) if from == to => None,
        Some(from) => Some(Change::Alter { from: from.clone(), to: to.clone() }),
    });
    dropped.chain(kept).collect()
}

fn enums(left: &Schema, right: &Schema) -> Vec<Change<EnumType>> {
    let dropped = left.enums().filter(|from| right.enumeration(&from.name).is_none());
    let dropped = dropped.map(|from| Change::Drop(from.clone()));
    let kept = right.enums().filter_map(|to| match left.enumeration(&to.name) {
        None => Some(Change::Add(to.clone())),
        Some(from) if from == to => None,
        Some(from) => Some(Change::Alter { from: from.clone(), to: to.clone() }),
    });
    dropped.chain(kept).collect()
}

/// Old names of tables whose names differ in letter case, to their new ones.
fn table_renames(left: &Schema, right: &Schema) -> BTreeMap<String, String> {
    left.tables()
        .filter_map(|from| {
            let to = right.table(&from.name)?;
            (from.name != to.name).then(|| (from.name.clone(), to.name.clone()))
        })
        .collect()
}

fn alteration(
    from: &Table,
    to: &Table,
    left: &Schema,
    right: &Schema,
    renames: &BTreeMap<String, String>,
) -> Option<TableAlteration> {
    if from == to {
        return None;
    }
    let mapped = with_new_names(from, to, left, right, renames);
    let mut items = Vec::new();
    let case = to.case;
    columns(from, to, &mut items);
    items.extend(single(mapped.primary_key.as_ref(), to.primary_key.as_ref()).map(ItemChange::PrimaryKey));
    items.extend(named(case, &mapped.uniques, &to.uniques).into_iter().map(ItemChange::Unique));
    items.extend(named(case, &mapped.foreign_keys, &to.foreign_keys).into_iter().map(ItemChange::ForeignKey));
    items.extend(named(case, &mapped.checks, &to.checks).into_iter().map(ItemChange::Check));
    items.extend(named(case, &mapped.indexes, &to.indexes).into_iter().map(ItemChange::Index));
    if from.options != to.options {
        items.push(ItemChange::Options { from: from.options.clone(), to: to.options.clone() });
    }
    if from.comment != to.comment {
        items.push(ItemChange::Comment { from: from.comment.clone(), to: to.comment.clone() });
    }
    let differs = !items.is_empty() || from.name != to.name;
    differs.then(|| TableAlteration { from: from.clone(), to: to.clone(), items })
}

/// The table's keys and indexes under the new names of tables and columns, so that a rename is not told again for each
/// of them.
fn with_new_names(
    from: &Table,
    to: &Table,
    left: &Schema,
    right: &Schema,
    renames: &BTreeMap<String, String>,
) -> Table {
    let mut mapped = from.clone();
    let own = column_renames(from, to);
    let rename = |names: &BTreeMap<String, String>, name: &mut String| {
        if let Some(new) = names.get(name) {
            name.clone_from(new);
        }
    };
    for column in mapped.primary_key.iter_mut().flat_map(|key| &mut key.columns) {
        rename(&own, &mut column.name);
    }
    for column in mapped.uniques.iter_mut().flat_map(|key| &mut key.columns) {
        rename(&own, &mut column.name);
    }
    for part in mapped.indexes.iter_mut().flat_map(|index| &mut index.parts) {
        if let crate::physical::IndexKey::Column(name) = &mut part.key {
            rename(&own, name);
        }
    }
    for name in mapped.indexes.iter_mut().flat_map(|index| &mut index.including) {
        rename(&own, name);
    }
    for key in &mut mapped.foreign_keys {
        key.columns.iter_mut().for_each(|name| rename(&own, name));
        if let (Some(old), Some(new)) = (left.table(&key.referenced_table), right.table(&key.referenced_table)) {
            let theirs = column_renames(old, new);
            key.referenced_columns.iter_mut().for_each(|name| rename(&theirs, name));
        }
        rename(renames, &mut key.referenced_table);
    }
    mapped
}

fn column_renames(from: &Table, to: &Table) -> BTreeMap<String, String> {
    from.columns
        .iter()
        .filter_map(|column| {
            let new = to.column(&column.name)?;
            (new.name != column.name).then(|| (column.name.clone(), new.name.clone()))
        })
        .collect()
}

fn columns(from: &Table, to: &Table, items: &mut Vec<ItemChange>) {
    let dropped = from.columns.iter().filter(|column| to.column(&column.name).is_none());
    items.extend(dropped.map(|column| ItemChange::Column(Change::Drop(column.clone()))));
    for new in &to.columns {
        let Some(old) = from.column(&new.name) else {
            items.push(ItemChange::Column(Change::Add(new.clone())));
            continue;
        };
        let renamed = Column { name: new.name.clone(), ..old.clone() };
        if old.name != new.name {
            items.push(ItemChange::Column(Change::Rename { from: old.clone(), to: renamed.clone() }));
        }
        if renamed != *new {
            items.push(ItemChange::Column(Change::Alter { from: renamed, to: new.clone() }));
        }
    }
}

fn single<T: Named>(from: Option<&T>, to: Option<&T>) -> Option<Change<T>> {
    match (from, to) {
        (None, None) => None,
        (Some(from), None) => Some(Change::Drop(from.clone())),
        (None, Some(to)) => Some(Change::Add(to.clone())),
        (Some(from), Some(to)) if from == to => None,
        (Some(from), Some(to)) if same_definition(from, to) => {
            Some(Change::Rename { from: from.clone(), to: to.clone() })
        }
        (Some(from), Some(to)) => Some(Change::Alter { from: from.clone(), to: to.clone() }),
    }
}

fn same_definition<T: Named>(a: &T, b: &T) -> bool {
    a.renamed(None) == b.renamed(None)
}

fn same_name<T: Named>(case: NameCase, a: &T, b: &T) -> bool {
    match (a.name(), b.name()) {
        (Some(a), Some(b)) => case.same_item(a, b),
        _ => false,
    }
}

fn named<T: Named>(case: NameCase, from: &[T], to: &[T]) -> Vec<Change<T>> {
    let mut old: Vec<Option<&T>> = from.iter().map(Some).collect();
    let mut new: Vec<Option<&T>> = to.iter().map(Some).collect();
    let mut changes = Vec::new();
    let mut pair = |old: &mut Vec<Option<&T>>, alike: &dyn Fn(&T, &T) -> bool| {
        for wanted in &mut new {
            let Some(to) = *wanted else { continue };
            let Some(slot) = old.iter_mut().find(|slot| slot.is_some_and(|from| alike(from, to))) else { continue };
            if let Some(from) = slot.take() {
                changes.extend(single(Some(from), Some(to)));
                *wanted = None;
            }
        }
    };
    pair(&mut old, &|a, b| a == b);
    pair(&mut old, &|a, b| same_name(case, a, b));
    pair(&mut old, &same_definition);
    let dropped = old.into_iter().flatten().map(|from| Change::Drop(from.clone()));
    let added = new.into_iter().flatten().map(|to| Change::Add(to.clone()));
    dropped.chain(changes).chain(added).collect()
}
