//! New names first: the steps that give them, and the schema as it is once they are done.

use std::collections::{BTreeMap, BTreeSet};

use super::step::{Constraint, Step};
use crate::Dialect;
use crate::diff::Renames;
use crate::physical::{Schema, Table, qualified};

/// What a name in between begins with.
pub(super) const ASIDE: &str = "oak_rename_";

fn in_between(name: &str) -> String {
    format!("{ASIDE}{name}")
}

/// What has its new names, and how it got them.
pub(super) struct Renamed {
    /// The steps.
    pub(super) steps: Vec<Step>,
    /// The schema after them.
    pub(super) schema: Schema,
    /// The renames that were made, also those of things that only had to make way.
    pub(super) renames: Renames,
}

/// Plans the renames; those that mean nothing between the two schemas are passed over.
pub(super) fn renamed(dialect: Dialect, from: &Schema, to: &Schema, renames: &Renames) -> Renamed {
    let mut renames = renames.within(from, to);
    let mut steps = Vec::new();
    let case = from.case();
    let tables = from.tables().map(|table| table.name.as_str());
    let aside = |name: &str| match dialect.facts().namespaces {
        true => qualified::renamed(name, ASIDE),
        false => format!("{ASIDE}{name}"),
    };
    let moves = moves(&renames.tables, tables, |name| case.table_key(name), aside);
    // A table may move twice, and is the same one under the name in between.
    let mut now: BTreeMap<String, Vec<String>> = from
        .tables()
        .map(|table| {
            let numbering = table.columns.iter().filter(|column| column.numbers_rows());
            (table.name.clone(), numbering.map(|column| column.name.clone()).collect())
        })
        .collect();
    for (old, new) in moves.order {
        let numbering = now.remove(&old).unwrap_or_default();
        now.insert(new.clone(), numbering.clone());
        steps.push(Step::RenameTable { from: old, to: new, by_way_of: None, numbering });
    }
    renames.tables.extend(moves.aside);
    let touched: Vec<String> = renames.columns.keys().cloned().collect();
    for old in touched {
        let (Some(table), Some(columns)) = (from.table(&old), renames.columns.get_mut(&old)) else { continue };
        let names = table.columns.iter().map(|column| column.name.as_str());
        let moves = self::moves(columns, names, |name| case.item_key(name), in_between);
        columns.extend(moves.aside);
        let owner = renames.new_table(&old).to_owned();
        let mut numbering = table.columns.iter().find(|one| one.numbers_rows()).map(|one| one.name.clone());
        for (old, new) in moves.order {
            let numbers = numbering.as_ref() == Some(&old);
            if numbers {
                numbering = Some(new.clone());
            }
            // One that a parent has is renamed there.
            if table.column(&old).is_some_and(|column| dialect.is_inherited(column)) {
                continue;
            }
            let table = owner.clone();
            steps.push(Step::RenameColumn { table, from: old, to: new, by_way_of: None, numbering: numbers });
        }
    }
    steps.extend(words(dialect, from, &mut renames.words));
    let mut schema = from.renamed(&renames, |name| dialect.quote(name));
    let way = if dialect.facts().namespaces { make_way(from, &mut schema, &renames) } else { Vec::new() };
    Renamed { steps: [way, steps].concat(), schema, renames }
}

/// What a table's keys and indexes are called may be taken in the namespace that it goes to: they are put aside before,
/// and get their names once all have gone.
fn make_way(from: &Schema, renamed: &mut Schema, renames: &Renames) -> Vec<Step> {
    let namespace = |name: &str| qualified::split(name).0.map(str::to_owned);
    let goes = |old: &&Table| namespace(&old.name) != namespace(renames.new_table(&old.name));
    let mut taken: BTreeMap<(Option<String>, String), usize> = BTreeMap::new();
    for table in from.tables() {
        // Those that come count as well as those that are there.
        let there = BTreeSet::from([namespace(&table.name), namespace(renames.new_table(&table.name))]);
        for place in there {
            for name in index_names(table).chain([qualified::plain(qualified::base(&table.name)).into_owned()]) {
                *taken.entry((place.clone(), name)).or_default() += 1;
            }
        }
    }
    let mut steps = Vec::new();
    for old in from.tables().filter(goes) {
        let new = renames.new_table(&old.name);
        let place = namespace(new);
        for name in index_names(old) {
            if taken.get(&(place.clone(), name.clone())).is_none_or(|count| *count < 2) {
                continue;
            }
            let aside = format!("{ASIDE}{}", steps.len() + 1);
            let Some(table) = renamed.tables_mut().find(|table| table.name == new) else { continue };
            let step = put_aside(table, &name, &aside);
            steps.extend(step.map(|step| step.of_table(&old.name)));
        }
    }
    steps
}

/// The names that a table's keys and indexes have in its namespace.
fn index_names(table: &Table) -> impl Iterator<Item = String> {
    let key = table.primary_key.iter().filter_map(|one| one.name.clone());
    let uniques = table.uniques.iter().filter_map(|one| one.name.clone());
    key.chain(uniques).chain(table.indexes.iter().map(|one| one.name.clone()))
}

/// Gives a key or index another name in the model, and says by which step.
fn put_aside(table: &mut Table, name: &str, aside: &str) -> Option<Step> {
    let owner = table.name.clone();
    let is_it = |one: &Option<String>| one.as_deref() == Some(name);
    let constraint =
        |constraint: Constraint| Step::RenameConstraint { table: owner.clone(), constraint, to: aside.into() };
    if let Some(key) = table.primary_key.as_mut().filter(|key| is_it(&key.name)) {
        let step = constraint(Constraint::PrimaryKey(key.clone()));
        key.name = Some(aside.to_owned());
        return Some(step);
    }
    if let Some(unique) = table.uniques.iter_mut().find(|one| is_it(&one.name)) {
        let step = constraint(Constraint::Unique(unique.clone()));
        unique.name = Some(aside.to_owned());
        return Some(step);
    }
    let index = table.indexes.iter_mut().find(|one| one.name == name)?;
    aside.clone_into(&mut index.name);
    Some(Step::RenameIndex { table: owner.clone(), from: name.to_owned(), to: aside.to_owned() })
}

/// Words of enum types, where there are such types; a column with words of its own is converted instead.
fn words(dialect: Dialect, from: &Schema, words: &mut BTreeMap<String, BTreeMap<String, String>>) -> Vec<Step> {
    let mut steps = Vec::new();
    words.retain(|owner, _| dialect.facts().has_enum_types && from.enumeration(owner).is_some());
    for (owner, words) in words {
        let Some(one) = from.enumeration(owner) else { continue };
        let moves = moves(words, one.words.iter().map(String::as_str), str::to_owned, in_between);
        words.extend(moves.aside);
        steps.extend(moves.order.into_iter().map(|(from, to)| Step::RenameEnumWord { name: owner.clone(), from, to }));
    }
    steps
}

/// Puts renames of constraints and indexes in an order in which no name is given that another of them still has.
pub(super) fn in_turn(dialect: Dialect, steps: Vec<Step>) -> Vec<Step> {
    let mut spaces: BTreeMap<String, BTreeMap<String, (String, Step)>> = BTreeMap::new();
    for step in steps {
        let (space, from, to) = match &step {
            Step::RenameIndex { table, from, to } => (table, from.clone(), to.clone()),
            Step::RenameConstraint { table, constraint, to } => {
                (table, constraint.name().unwrap_or_default().to_owned(), to.clone())
            }
            _ => unreachable!("only renames are put in turn"),
        };
        let facts = dialect.facts();
        let shares = match &step {
            Step::RenameConstraint { constraint: Constraint::Check(_) | Constraint::ForeignKey(_), .. } => false,
            Step::RenameConstraint { .. } => facts.keys_share_names,
            _ => facts.indexes_share_names,
        };
        let space = match shares {
            true => format!("in {}", qualified::split(space).0.unwrap_or_default()),
            false => format!("of {space}"),
        };
        spaces.entry(space).or_default().insert(from, (to, step));
    }
    let mut ordered = Vec::new();
    for steps in spaces.into_values() {
        let renames = steps.iter().map(|(from, (to, _))| (from.clone(), to.clone())).collect();
        // Where letter case says nothing, a server that is given the same name in other letters may half believe it: on
        // MariaDB 10.11 the index counts as corrupted from then on.
        let key = |name: &str| dialect.facts().name_case.item_key(name);
        let moves = moves(&renames, steps.keys().map(String::as_str), key, in_between);
        let mut now: BTreeMap<String, Step> = steps.into_iter().map(|(from, (_, step))| (from, step)).collect();
        for (from, to) in moves.order {
            let Some(step) = now.remove(&from) else { continue };
            let (step, next) = step.renaming(&from, &to);
            ordered.push(step);
            now.insert(to, next);
        }
    }
    ordered
}

/// An order in which no name is given that something still has.
struct Moves {
    order: Vec<(String, String)>,
    /// What is there under a name that something else gets, and where it is put.
    aside: BTreeMap<String, String>,
}

fn moves<'a>(
    renames: &BTreeMap<String, String>,
    names: impl Iterator<Item = &'a str>,
    key: impl Fn(&str) -> String,
    in_between: impl Fn(&str) -> String,
) -> Moves {
    let mut taken: BTreeMap<String, String> = names.map(|name| (key(name), name.to_owned())).collect();
    let mut moves = Moves { order: Vec::new(), aside: BTreeMap::new() };
    let mut pending: Vec<(String, String)> = renames.iter().map(|(old, new)| (old.clone(), new.clone())).collect();
    let finals: BTreeSet<String> = renames.values().map(|new| key(new)).collect();
    let mut go = |taken: &mut BTreeMap<String, String>, old: &str, new: &str| {
        taken.remove(&key(old));
        taken.insert(key(new), new.to_owned());
        moves.order.push((old.to_owned(), new.to_owned()));
    };
    while !pending.is_empty() {
        if let Some(at) = pending.iter().position(|(_, new)| !taken.contains_key(&key(new))) {
            let (old, new) = pending.remove(at);
            go(&mut taken, &old, &new);
            continue;
        }
        let free = |name: &str, taken: &BTreeMap<String, String>| {
            let mut third = in_between(name);
            while taken.contains_key(&key(&third)) || finals.contains(&key(&third)) {
                third.push('_');
            }
            third
        };
        let is_pending = |name: &str| pending.iter().any(|(other, _)| key(other) == key(name));
        if let Some(new) = pending.iter().map(|(_, new)| new.clone()).find(|new| !is_pending(new)) {
            let third = free(&new, &taken);
            // It may be spelt in another letter case.
            let there = taken.get(&key(&new)).cloned().unwrap_or(new);
            go(&mut taken, &there, &third);
            moves.aside.insert(there, third);
        } else {
            // What is left goes round in circles.
            let old = pending[0].0.clone();
            let third = free(&old, &taken);
            go(&mut taken, &old, &third);
            pending[0].0 = third;
        }
    }
    moves
}

#[cfg(test)]
mod tests {
    use super::*;

    fn order(renames: &[(&str, &str)], names: &[&str]) -> Vec<String> {
        let renames = renames.iter().map(|(old, new)| ((*old).to_owned(), (*new).to_owned())).collect();
        let moves = moves(&renames, names.iter().copied(), str::to_lowercase, in_between);
        moves.order.iter().map(|(old, new)| format!("{old} {new}")).collect()
    }

    #[test]
    fn no_name_is_given_that_something_still_has() {
        assert_eq!(order(&[("a", "b")], &["a"]), ["a b"]);
        assert_eq!(order(&[("a", "b"), ("b", "c")], &["a", "b"]), ["b c", "a b"]);
        assert_eq!(order(&[("a", "b"), ("b", "a")], &["a", "b"]), ["a oak_rename_a", "b a", "oak_rename_a b"]);
        assert_eq!(order(&[("a", "b"), ("b", "c")], &["a", "b", "c"]), ["c oak_rename_c", "b c", "a b"]);
        assert_eq!(order(&[("a", "b")], &["a", "b"]), ["b oak_rename_b", "a b"]);
        assert_eq!(order(&[("a", "B")], &["a", "b", "oak_rename_B"]), ["b oak_rename_B_", "a B"]);
        assert_eq!(
            order(&[("a", "b"), ("b", "c"), ("c", "a")], &["a", "b", "c"]),
            ["a oak_rename_a", "c a", "b c", "oak_rename_a b"]
        );
    }
}
