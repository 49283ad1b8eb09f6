//! Steps that let others go on reading and writing meanwhile, for a provider that can: an index is built beside them, and a
//! constraint is there for new rows first and checked for the others afterwards.
//!
//! Such a step stands by itself: what is before it is committed, and stays if it is refused.

use std::collections::{BTreeMap, BTreeSet};

use super::step::{Constraint, Step};
use crate::Dialect;
use crate::physical::{Check, Column, Index, IndexKey, IndexPart, KeyColumn, Options, Schema};
use crate::schema::ProgramKind;
use crate::sql::Expression;

/// What a constraint says that holds for new rows only.
const UNCHECKED: &str = "not valid";

/// How the names of checks begin that only stand until their column is required. Each has its column's name behind it: the
/// statements of two columns differ, and each has its own risk.
pub(crate) const REQUIRED_CHECK: &str = "oak_required_";

/// How the name of an index begins until the old one of its name has gone.
pub(crate) const NEW_INDEX: &str = "oak_new_";

/// Puts such steps in the place of those that would keep others waiting for as long as a table takes, behind all the rest:
/// what goes and comes back does so in one transaction, and is never missing while a table is gone through.
pub(super) fn online(dialect: Dialect, steps: Vec<Step>, from: &Schema, to: &Schema) -> Vec<Step> {
    let made = steps.iter().filter_map(|step| match step {
        Step::CreateTable(table) => Some(table.name.clone()),
        _ => None,
    });
    let dropped = steps.iter().filter_map(|step| match step {
        Step::DropConstraint { table, constraint } => Some((table.clone(), name_of(constraint))),
        Step::DropIndex { table, index } => Some((table.clone(), index.name.clone())),
        _ => None,
    });
    let (made, dropped) = (made.collect(), dropped.collect());
    let mut planner = Planner { dialect, made, dropped, swapped: BTreeMap::new(), schemas: [from, to] };
    planner.swapped = planner.swapped(&steps);
    let (mut all, mut later) = (Vec::with_capacity(steps.len()), Vec::new());
    // Constraints that are there and not yet checked.
    let mut unchecked: Vec<Step> = Vec::new();
    for step in steps {
        let parts = planner.is_busy(step.table()).then(|| planner.parts(&step)).flatten();
        match parts {
            // It goes once the other one is built.
            None if planner.is_swapped(&step) => {}
            Some(Parts::CheckedLater(both)) => {
                let [now, check] = *both;
                later.push(now);
                unchecked.push(check);
            }
            Some(Parts::Steps(steps)) => {
                later.append(&mut unchecked);
                later.extend(steps);
            }
            None if needs_one(&step, later.iter().chain(&unchecked)) => {
                later.append(&mut unchecked);
                later.push(step);
            }
            None => all.push(step),
        }
    }
    all.append(&mut later);
    all.append(&mut unchecked);
    all
}

/// Whether a step is about something that only comes later: a reference to a key, or an object such as a description.
fn needs_one<'s>(step: &Step, mut later: impl Iterator<Item = &'s Step>) -> bool {
    if let Step::AddConstraint { constraint: Constraint::ForeignKey(key), .. } = step {
        let is_its_key = |one: &Step| matches!(one, Step::BuildIndex { table, index } if *table == key.referenced_table && index.unique);
        return later.any(is_its_key);
    }
    // No view names an index or constraint, and none is to be away for as long as a table takes.
    let Step::CreateProgram(program) = step else { return false };
    let is_named = |name: &str| program.kind == ProgramKind::Object && program.mentions(name);
    later.any(|step| match step {
        Step::BuildIndex { index, .. } => is_named(&index.name),
        Step::AddConstraint { constraint, .. } => constraint.name().is_some_and(is_named),
        _ => false,
    })
}

/// A key goes by what it is, since it may get another name.
fn name_of(constraint: &Constraint) -> String {
    match constraint {
        Constraint::PrimaryKey(_) => constraint.kind().to_owned(),
        other => other.name().unwrap_or_default().to_owned(),
    }
}

/// What takes the place of a step.
enum Parts {
    Steps(Vec<Step>),
    /// A constraint for new rows, and the check of the others.
    CheckedLater(Box<[Step; 2]>),
}

struct Planner<'a> {
    dialect: Dialect,
    /// Tables that the plan makes; they have no rows, and nobody uses them.
    made: BTreeSet<String>,
    /// What goes, by its table and name; where it comes back, it does so as ever.
    dropped: BTreeSet<(String, String)>,
    /// Indexes that are built under another name before the old ones go, those by their tables and names.
    swapped: BTreeMap<(String, String), Index>,
    schemas: [&'a Schema; 2],
}

impl Planner<'_> {
    /// Whether others may use a table meanwhile. One that is partitioned cannot be changed so (PostgreSQL 17, "CREATE
    /// INDEX", CONCURRENTLY; "ALTER TABLE", ADD table_constraint_using_index and NOT VALID).
    fn is_busy(&self, name: &str) -> bool {
        let is_parted = |schema: &&Schema| {
            let options = schema.table(name).map(|table| &table.options);
            options.is_some_and(|options| options.iter().any(|one| one.starts_with("partition by ")))
        };
        !self.made.contains(name) && !self.schemas.iter().any(is_parted)
    }

    fn parts(&self, step: &Step) -> Option<Parts> {
        let comes_back = |table: &str, name: String| self.dropped.contains(&(table.to_owned(), name));
        match step {
            Step::CreateIndex { table, index } if self.swapped.contains_key(&(table.clone(), index.name.clone())) => {
                Some(Parts::Steps(self.swapping(table, index)))
            }
            Step::CreateIndex { table, index } if comes_back(table, index.name.clone()) => None,
            Step::AddConstraint { table, constraint } if comes_back(table, name_of(constraint)) => None,
            Step::CreateIndex { table, index } if self.is_one_statement(step) => {
                let (table, index) = (table.clone(), index.clone());
                Some(Parts::Steps(vec![Step::BuildIndex { table, index }]))
            }
            Step::AddConstraint { table, constraint } => self.constraint(table, constraint, step),
            Step::AlterColumn { table, from, to, using: None } if requires(from, to) => {
                Some(Parts::Steps(self.requiring(table, to, step)))
            }
            _ => None,
        }
    }

    /// Indexes of which another one of the same name takes the place, both over columns that stay as they are.
    fn swapped(&self, steps: &[Step]) -> BTreeMap<(String, String), Index> {
        let [from, to] = self.schemas;
        let stays = |table: &str, index: &Index| {
            let column = |part: &IndexPart| match &part.key {
                IndexKey::Column(name) => {
                    let before = from.table(table).and_then(|table| table.column(name));
                    before.is_some() && before == to.table(table).and_then(|table| table.column(name))
                }
                IndexKey::Expression(_) => false,
            };
            index.predicate.is_none() && index.including.is_empty() && index.parts.iter().all(column)
        };
        let dropped = steps.iter().filter_map(|step| match step {
            Step::DropIndex { table, index } if self.is_busy(table) && stays(table, index) => Some((table, index)),
            _ => None,
        });
        let comes = |table: &String, name: &String| {
            steps.iter().any(|step| match step {
                Step::CreateIndex { table: owner, index } => {
                    owner == table && index.name == *name && stays(table, index) && self.is_one_statement(step)
                }
                _ => false,
            })
        };
        let swapped = dropped.filter(|(table, index)| comes(table, &index.name));
        swapped.map(|(table, index)| ((table.clone(), index.name.clone()), index.clone())).collect()
    }

    fn is_swapped(&self, step: &Step) -> bool {
        matches!(step, Step::DropIndex { table, index }
            if self.swapped.contains_key(&(table.clone(), index.name.clone())))
    }

    fn swapping(&self, table: &str, index: &Index) -> Vec<Step> {
        let aside = cut(format!("{NEW_INDEX}{}", index.name));
        let old = self.swapped.get(&(table.to_owned(), index.name.clone())).cloned();
        let (table, name) = (table.to_owned(), index.name.clone());
        let built = Step::BuildIndex { table: table.clone(), index: Index { name: aside.clone(), ..index.clone() } };
        let dropped = old.map(|index| Step::DropIndex { table: table.clone(), index });
        let renamed = Step::RenameIndex { table, from: aside, to: name };
        [Some(built), dropped, Some(renamed)].into_iter().flatten().collect()
    }

    fn is_one_statement(&self, step: &Step) -> bool {
        self.dialect.render(step).len() == 1
    }

    fn constraint(&self, table: &str, constraint: &Constraint, step: &Step) -> Option<Parts> {
        let (columns, name) = match constraint {
            Constraint::ForeignKey(key) if self.is_busy(&key.referenced_table) => {
                let mut unchecked = key.clone();
                unchecked.attributes.insert(UNCHECKED.into());
                return Some(checked_later(table, Constraint::ForeignKey(unchecked), constraint));
            }
            Constraint::Check(check) if check.attributes.is_empty() => {
                let mut unchecked = check.clone();
                unchecked.attributes.insert(UNCHECKED.into());
                return Some(checked_later(table, Constraint::Check(unchecked), constraint));
            }
            Constraint::PrimaryKey(key) if key.attributes.is_empty() => (&key.columns, &key.name),
            Constraint::Unique(key) if key.attributes.is_empty() => (&key.columns, &key.name),
            _ => return None,
        };
        let name = name.clone().filter(|_| self.is_one_statement(step))?;
        let part = |column: &KeyColumn| IndexPart::new(IndexKey::Column(column.name.clone()));
        let index = Index::new(name, true, columns.iter().map(part).collect());
        let table = table.to_owned();
        let built = Step::BuildIndex { table: table.clone(), index };
        Some(Parts::Steps(vec![built, Step::UseIndex { table, constraint: constraint.clone() }]))
    }

    /// The server takes a checked constraint for an answer, and does not look at every row (PostgreSQL 17, "ALTER TABLE",
    /// SET NOT NULL).
    fn requiring(&self, table: &str, column: &Column, step: &Step) -> Vec<Step> {
        let mut name = cut(format!("{REQUIRED_CHECK}{}", column.name));
        let is_taken = |name: &str| {
            let tables = self.schemas.iter().filter_map(|schema| schema.table(table));
            tables.flat_map(|table| &table.checks).any(|check| check.name.as_deref() == Some(name))
        };
        while is_taken(&name) {
            name.push('_');
        }
        let expression = Expression::new(&format!("{} is not null", self.dialect.quote(&column.name)));
        let check = |attributes: Options| {
            let (name, expression) = (Some(name.clone()), expression.clone());
            Constraint::Check(Check { name, expression, attributes })
        };
        let table = table.to_owned();
        let unchecked = check([UNCHECKED.to_owned()].into_iter().collect());
        vec![
            Step::AddConstraint { table: table.clone(), constraint: unchecked },
            Step::ValidateConstraint {
                table: table.clone(),
                constraint: check(Options::new()),
                requires: Some(column.name.clone()),
            },
            step.clone(),
            Step::DropConstraint { table, constraint: check(Options::new()) },
        ]
    }
}

/// A name that the server would not cut off, with some letters to spare (PostgreSQL 17, "Identifiers and Key Words").
fn cut(mut name: String) -> String {
    name.truncate(name.floor_char_boundary(60));
    name
}

fn checked_later(table: &str, unchecked: Constraint, constraint: &Constraint) -> Parts {
    let (table, constraint) = (table.to_owned(), constraint.clone());
    let now = Step::AddConstraint { table: table.clone(), constraint: unchecked };
    Parts::CheckedLater(Box::new([now, Step::ValidateConstraint { table, constraint, requires: None }]))
}

/// Whether all that takes long of a change is to look for rows without a value.
fn requires(from: &Column, to: &Column) -> bool {
    let same = from.ty == to.ty && from.collation == to.collation && from.generated == to.generated;
    same && from.nullable && !to.nullable && from.identity == to.identity
}
