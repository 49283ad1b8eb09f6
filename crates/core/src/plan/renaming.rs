//! New names first: the steps that give them, and the schema as it is once they are done.

use std::collections::{BTreeMap, BTreeSet};

use super::step::{Constraint, Step};
use crate::Dialect;
use crate::diff::Renames;
use crate::physical::{Check, Column, Index, IndexKey, Schema, Table, qualified};

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
    if !dialect.facts().readers_follow_names {
        other_letters(from, to, &mut renames);
    }
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
    let mut readers = Readers { from, released: Vec::new(), named: Vec::new() };
    let touched: Vec<String> = renames.columns.keys().cloned().collect();
    for old in touched {
        let (Some(table), Some(columns)) = (from.table(&old), renames.columns.get_mut(&old)) else { continue };
        let names = table.columns.iter().map(|column| column.name.as_str());
        let moves = self::moves(columns, names, |name| case.item_key(name), in_between);
        columns.extend(moves.aside);
        let owner = renames.new_table(&old).to_owned();
        if !dialect.facts().readers_follow_names {
            let renamed: Vec<&String> =
                moves.order.iter().map(|(old, _)| old).filter(|old| table.column(old).is_some()).collect();
            readers.prepare(dialect, table, &renamed);
            if let Some(after) = to.table(renames.new_table(&old)) {
                readers.name(table, after, &renames, |name| dialect.quote(name));
            }
        }
        let mut standing = table.clone();
        let mut numbering = table.columns.iter().find(|one| one.numbers_rows()).map(|one| one.name.clone());
        for (old, new) in moves.order {
            let numbers = numbering.as_ref() == Some(&old);
            if numbers {
                numbering = Some(new.clone());
            }
            // One that a parent has is renamed there.
            if table.column(&old).is_some_and(|column| dialect.comes_of_parent(column)) {
                continue;
            }
            let (table, from, to) = (owner.clone(), old.clone(), new.clone());
            let step = Step::RenameColumn { table, from, to, by_way_of: None, numbering: numbers };
            if dialect.facts().readers_follow_names {
                steps.push(step);
                continue;
            }
            let one = BTreeMap::from([(old, new)]);
            let mut after = standing.with_columns_renamed(&one, |name| dialect.quote(name));
            readers.give_names(&standing, &mut after);
            steps.push(readers.with_name(step, &standing, &after));
            standing = after;
        }
    }
    steps.extend(words(dialect, from, &mut renames.words));
    let mut schema = from.renamed(&renames, |name| dialect.quote(name));
    readers.settle(&mut schema, &renames);
    let way = if dialect.facts().namespaces { make_way(from, &mut schema, &renames) } else { Vec::new() };
    Renamed { steps: [way, readers.released, steps].concat(), schema, renames }
}

/// Adds columns of which only the letters change.
fn other_letters(from: &Schema, to: &Schema, renames: &mut Renames) {
    for table in from.tables() {
        let Some(after) = to.table(renames.new_table(&table.name)) else { continue };
        for column in &table.columns {
            // Nor is it this one where another column gets that name.
            let is_told = |new: &str| {
                let told = renames.columns_of(&table.name).into_iter().flatten();
                told.into_iter().any(|(old, to)| *old == column.name || to == new)
            };
            let spelled = after.column(&column.name).filter(|one| one.name != column.name && !is_told(&one.name));
            if let Some(new) = spelled {
                let columns = renames.columns.entry(table.name.clone()).or_default();
                columns.insert(column.name.clone(), new.name.clone());
            }
        }
    }
}

/// What reads columns and does not follow their new names by itself.
struct Readers<'a> {
    from: &'a Schema,
    /// What has to go before anything is renamed, and is not there afterwards: the rest of the plan makes it again.
    released: Vec<Step>,
    /// Checks that are said anew and get another name with that: the table before, the name, the new one.
    named: Vec<(String, String, String)>,
}

impl Readers<'_> {
    /// Releases what stands in the way of new names for columns of references.
    ///
    /// MySQL renames them in place only (error 1846), and makes a copy of the table where something computes from the
    /// column or checks it; seen on 9.7, also where a check reads a moment or a word of an enum, whatever is renamed.
    fn prepare(&mut self, dialect: Dialect, table: &Table, renamed: &[&String]) {
        let mut is_referenced = false;
        for column in renamed {
            let references = self.references(table, column);
            is_referenced |= !references.is_empty();
            let mut computed = table.columns.iter().filter_map(|one| one.generated.as_ref());
            if computed.any(|one| one.expression.mentions(column)) {
                self.release(references);
            }
        }
        if !is_referenced {
            return;
        }
        let copies = |column: &&Column| dialect.copies_for_checks(&column.ty);
        let delicate: Vec<&Column> = table.columns.iter().filter(copies).collect();
        let is_in_the_way = |check: &&Check| {
            let reads = |name: &str| check.expression.mentions(name);
            renamed.iter().any(|name| reads(name)) || delicate.iter().any(|column| reads(&column.name))
        };
        let checks = table.checks.iter().filter(is_in_the_way);
        self.release(checks.map(|check| (table.name.clone(), Constraint::Check(check.clone()))).collect());
    }

    /// Finds out which checks have another name in the end, as those without a name of their own do.
    fn name(&mut self, table: &Table, after: &Table, renames: &Renames, quote: impl Fn(&str) -> String) {
        let Some(columns) = renames.columns_of(&table.name) else { return };
        let renamed = table.with_columns_renamed(columns, quote);
        let is_there = |table: &Table, name: &Option<String>| table.checks.iter().any(|check| check.name == *name);
        for (old, said) in table.checks.iter().zip(&renamed.checks) {
            if old == said || self.is_released(&table.name, old) || is_there(after, &old.name) {
                continue;
            }
            let is_it = |check: &&Check| check.expression == said.expression && !is_there(table, &check.name);
            let taken = |check: &&Check| self.named.iter().any(|(_, _, new)| Some(new) == check.name.as_ref());
            let new = after.checks.iter().filter(is_it).find(|check| !taken(check));
            if let (Some(old), Some(new)) = (&old.name, new.and_then(|new| new.name.clone())) {
                self.named.push((table.name.clone(), old.clone(), new));
            }
        }
    }

    /// Gives checks that a rename says anew their names.
    fn give_names(&self, before: &Table, after: &mut Table) {
        for (old, new) in before.checks.iter().zip(&mut after.checks).filter(|(old, new)| old != new) {
            let named =
                self.named.iter().find(|(table, name, _)| *table == before.name && Some(name) == old.name.as_ref());
            if let Some((_, _, name)) = named {
                new.name = Some(name.clone());
            }
        }
    }

    /// A column's new name, in one statement with all that reads the column, said by that name.
    fn with_name(&self, rename: Step, before: &Table, after: &Table) -> Step {
        let table = rename.table().to_owned();
        // First, since the name is what tells whether the statement took effect.
        let mut steps = vec![rename];
        let says_otherwise = |old: &Column, new: &Column| old.generated != new.generated || old.default != new.default;
        let columns = before.columns.iter().zip(&after.columns);
        let columns: Vec<_> = columns.filter(|(old, new)| says_otherwise(old, new)).collect();
        let checks: Vec<_> = before.checks.iter().zip(&after.checks).filter(|(old, new)| old != new).collect();
        for (old, new) in checks.into_iter().filter(|(old, _)| !self.is_released(&before.name, old)) {
            let constraint = Constraint::Check(old.clone());
            steps.push(Step::DropConstraint { table: table.clone(), constraint });
            let constraint = Constraint::Check(new.clone());
            steps.push(Step::AddConstraint { table: table.clone(), constraint });
        }
        for (old, new) in columns {
            let (from, to) = (Box::new(old.clone()), Box::new(new.clone()));
            steps.push(Step::AlterColumn { table: table.clone(), from, to, using: None });
        }
        let expressions = |index: &Index| {
            let parts = index.parts.iter().filter_map(|part| match &part.key {
                IndexKey::Expression(expression) => Some(expression.clone()),
                IndexKey::Column(_) => None,
            });
            parts.collect::<Vec<_>>()
        };
        let indexes = before.indexes.iter().zip(&after.indexes);
        for (old, new) in indexes.filter(|(old, new)| expressions(old) != expressions(new)) {
            steps.push(Step::DropIndex { table: table.clone(), index: old.clone() });
            steps.push(Step::CreateIndex { table: table.clone(), index: new.clone() });
        }
        match steps.len() {
            1 => steps.remove(0),
            _ => Step::AlterTable { table, steps },
        }
    }

    /// The references that a column is part of, at either end, each with its table.
    fn references(&self, table: &Table, column: &str) -> Vec<(String, Constraint)> {
        let (case, owner) = (table.case, self.from.key(&table.name));
        let among = |names: &[String]| names.iter().any(|name| case.same_item(name, column));
        let all = self.from.tables().flat_map(|other| other.foreign_keys.iter().map(move |key| (other, key)));
        let found = all.filter(|(other, key)| {
            other.key() == owner && among(&key.columns)
                || self.from.key(&key.referenced_table) == owner && among(&key.referenced_columns)
        });
        found.map(|(other, key)| (other.name.clone(), Constraint::ForeignKey(key.clone()))).collect()
    }

    fn is_released(&self, owner: &str, check: &Check) -> bool {
        self.released.iter().any(|step| match step {
            Step::DropConstraint { table, constraint: Constraint::Check(one) } => {
                table == owner && one.name == check.name
            }
            _ => false,
        })
    }

    fn release(&mut self, constraints: Vec<(String, Constraint)>) {
        for (table, constraint) in constraints {
            let step = Step::DropConstraint { table, constraint };
            let is_it = |other: &Step| other.object() == step.object() && other.header() == step.header();
            if !self.released.iter().any(is_it) {
                self.released.push(step);
            }
        }
    }

    /// Takes what was released out of the schema behind the renames, and gives checks the names that they have by then.
    fn settle(&self, schema: &mut Schema, renames: &Renames) {
        for (owner, old, new) in &self.named {
            let owner = renames.new_table(owner);
            let tables = schema.tables_mut().filter(|table| table.name == owner);
            for check in tables.flat_map(|table| &mut table.checks).filter(|check| check.name.as_ref() == Some(old)) {
                check.name = Some(new.clone());
            }
        }
        for step in &self.released {
            let Step::DropConstraint { table, constraint } = step else { continue };
            let (owner, name) = (renames.new_table(table), constraint.name());
            for table in schema.tables_mut().filter(|table| table.name == owner) {
                match constraint {
                    Constraint::Check(_) => table.checks.retain(|one| one.name.as_deref() != name),
                    _ => table.foreign_keys.retain(|one| one.name.as_deref() != name),
                }
            }
        }
    }
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
