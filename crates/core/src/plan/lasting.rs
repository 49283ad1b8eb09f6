//! Keys and indexes that last while others of their table change: what stands on them need not be taken away meanwhile.

use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Index, IndexKey, IndexPart, KeyColumn, Table, Unique};

/// Whether one of the keys that these changes leave alone begins with a column.
pub(super) fn has_lasting_key(table: &Table, column: &str, changes: &[&ItemChange]) -> bool {
    let begins = |columns: &[KeyColumn]| columns.first().is_some_and(|first| first.name == column);
    let primary = table.primary_key.as_ref().is_some_and(|key| begins(&key.columns));
    primary && !changes.iter().any(|change| matches!(change, ItemChange::PrimaryKey(_)))
        || table.uniques.iter().any(|one| begins(&one.columns) && !changes.iter().any(|item| makes_unique(item, one)))
}

/// What holds a reference of a table while other keys and indexes of it go. InnoDB wants its columns to begin a key, in
/// their order (MariaDB 10.11, "Foreign Keys").
pub(super) enum Support<'a> {
    /// One that nothing happens to.
    Stays,
    /// An index or unique key of this name, which can be made before.
    Comes(&'a str),
}

/// Whether a key begins with these columns, in their order.
pub(super) fn begins(key: &[KeyColumn], columns: &[String]) -> bool {
    key.len() >= columns.len() && key.iter().zip(columns).all(|(part, column)| part.name == *column)
}

/// The key or index that begins with these columns and is there all the time, or can be. Of a primary key that changes,
/// the new one counts where it takes the place of the other at once.
pub(super) fn support<'a>(
    alteration: &'a TableAlteration,
    columns: &[String],
    changes_key: bool,
) -> Option<Support<'a>> {
    let (from, to, items) = (&alteration.from, &alteration.to, &alteration.items);
    let same = |a: &str, b: &str| to.case.same_item(a, b);
    let moves = |column: &str| {
        items.iter().any(|item| match item {
            ItemChange::Column(
                Change::Add(one) | Change::Drop(one) | Change::Alter { to: one, .. } | Change::Rename { to: one, .. },
            ) => same(column, &one.name),
            _ => false,
        })
    };
    if from.name != to.name || columns.iter().any(|column| moves(column)) {
        return None;
    }
    let holds = |names: Vec<&str>| names.len() >= columns.len() && names.iter().zip(columns).all(|(a, b)| same(a, b));
    let primary = to.primary_key.as_ref().is_some_and(|key| holds(names(&key.columns)))
        && (changes_key || !items.iter().any(|item| matches!(item, ItemChange::PrimaryKey(_))));
    let holds_unique = |unique: &Unique| holds(names(&unique.columns));
    let holds_index = |index: &Index| {
        // MySQL wants it in ascending order.
        let is_plain =
            |part: &IndexPart| part.prefix.is_none() && !part.descending && matches!(part.key, IndexKey::Column(_));
        index.method.is_none() && index.parts.iter().all(is_plain) && holds(column_parts(index))
    };
    if primary
        || to.uniques.iter().any(|one| holds_unique(one) && !items.iter().any(|item| makes_unique(item, one)))
        || to.indexes.iter().any(|one| holds_index(one) && !items.iter().any(|item| makes_index(item, one)))
    {
        return Some(Support::Stays);
    }
    let is_free = |name: &str| {
        let taken = from.uniques.iter().filter_map(|one| one.name.as_deref());
        !taken.chain(from.indexes.iter().map(|one| one.name.as_str())).any(|taken| same(taken, name))
    };
    items.iter().find_map(|item| match item {
        ItemChange::Index(Change::Add(one))
            if holds_index(one) && !column_parts(one).iter().any(|name| moves(name)) =>
        {
            Some(one.name.as_str()).filter(|name| is_free(name)).map(Support::Comes)
        }
        ItemChange::Unique(Change::Add(one))
            if holds_unique(one) && !one.columns.iter().any(|column| moves(&column.name)) =>
        {
            one.name.as_deref().filter(|name| is_free(name)).map(Support::Comes)
        }
        _ => None,
    })
}

fn names(key: &[KeyColumn]) -> Vec<&str> {
    key.iter().map(|one| one.name.as_str()).collect()
}

fn makes_unique(item: &ItemChange, unique: &Unique) -> bool {
    matches!(item, ItemChange::Unique(change) if change.made() == Some(unique))
}

fn makes_index(item: &ItemChange, index: &Index) -> bool {
    matches!(item, ItemChange::Index(change) if change.made() == Some(index))
}

/// The names of an index's parts that are columns.
pub(super) fn column_parts(index: &Index) -> Vec<&str> {
    let parts = index.parts.iter().filter_map(|part| match &part.key {
        IndexKey::Column(name) => Some(name.as_str()),
        IndexKey::Expression(_) => None,
    });
    parts.collect()
}
