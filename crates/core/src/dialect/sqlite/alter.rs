//! What SQLite can change of a table in place (SQLite, "ALTER TABLE").

use super::fold;
use crate::diff::{Change, ItemChange, TableAlteration};
use crate::physical::{Check, Column, ForeignKey, Table};
use crate::plan::{Alteration, Step};
use crate::schema::Storage;

/// How to make the differences; see [`crate::Dialect::alteration`].
pub(in crate::dialect) fn alteration(alteration: &TableAlteration) -> Alteration {
    in_place(alteration).map_or(Alteration::Rebuild, Alteration::InPlace)
}

#[derive(Default)]
struct Parts<'a> {
    added: Vec<&'a Column>,
    dropped: Vec<&'a Column>,
    renamed: Vec<(&'a Column, &'a Column)>,
    checks: Vec<&'a Check>,
    foreign_keys: Vec<&'a ForeignKey>,
}

fn in_place(alteration: &TableAlteration) -> Option<Vec<Step>> {
    let mut parts = Parts::default();
    for change in &alteration.items {
        match change {
            ItemChange::Column(Change::Add(column)) => parts.added.push(column),
            ItemChange::Column(Change::Drop(column)) => parts.dropped.push(column),
            ItemChange::Column(Change::Rename { from, to }) => parts.renamed.push((from, to)),
            ItemChange::Check(Change::Add(check)) => parts.checks.push(check),
            ItemChange::ForeignKey(Change::Add(key)) => parts.foreign_keys.push(key),
            ItemChange::Index(_) => {}
            ItemChange::Column(Change::Alter { .. })
            | ItemChange::PrimaryKey(_)
            | ItemChange::Unique(_)
            | ItemChange::ForeignKey(_)
            | ItemChange::Check(_)
            | ItemChange::Comment { .. }
            | ItemChange::Options { .. } => return None,
        }
    }
    let table = &alteration.to.name;
    let mut steps: Vec<Step> = parts
        .renamed
        .iter()
        .map(|(from, to)| Step::RenameColumn {
            table: table.clone(),
            from: from.name.clone(),
            to: to.name.clone(),
            by_way_of: Some(third_name(&to.name, alteration)),
            numbering: false,
        })
        .collect();
    steps.extend(additions(alteration, &parts)?);
    for column in &parts.dropped {
        if !may_drop(&alteration.from, column) {
            return None;
        }
        steps.push(Step::DropColumn { table: table.clone(), column: (*column).clone() });
    }
    Some(steps)
}

fn third_name(column: &str, alteration: &TableAlteration) -> String {
    let mut name = format!("oak_rename_{column}");
    while alteration.from.column(&name).is_some() || alteration.to.column(&name).is_some() {
        name.push('_');
    }
    name
}

fn additions(alteration: &TableAlteration, parts: &Parts<'_>) -> Option<Vec<Step>> {
    let mut added = parts.added.clone();
    // A generated column may only name columns that are there.
    added.sort_by_key(|column| column.generated.is_some());
    let among_added = |text: &crate::sql::Expression| -> Vec<&Column> {
        added.iter().copied().filter(|column| text.mentions(&column.name)).collect()
    };
    for column in &added {
        // SQLite tries the rows that are there, and where one does not fit it says so with a general error; a rebuild
        // names the constraint.
        let tries_rows = column.generated.is_some()
            && (alteration.to.has_option("strict")
                || parts.checks.iter().any(|check| check.expression.mentions(&column.name)));
        let waits_for_generated = column
            .generated
            .as_ref()
            .is_some_and(|generated| among_added(&generated.expression).iter().any(|other| other.generated.is_some()));
        if !may_add(&alteration.to, column) || waits_for_generated || tries_rows {
            return None;
        }
    }
    let mut checks: Vec<(&str, &Check)> = Vec::new();
    for check in &parts.checks {
        match among_added(&check.expression)[..] {
            [only] if check.expression.is_parsed() => checks.push((&only.name, check)),
            _ => return None,
        }
    }
    let mut foreign_keys: Vec<(&str, &ForeignKey)> = Vec::new();
    for key in &parts.foreign_keys {
        let only = match &key.columns[..] {
            [only] => added.iter().find(|column| column.name == *only)?,
            _ => return None,
        };
        // With foreign keys on, the rows that are there must get null.
        if only.default.is_some() || only.generated.is_some() {
            return None;
        }
        foreign_keys.push((&only.name, key));
    }
    let of = |column: &Column| Step::AddColumn {
        table: alteration.to.name.clone(),
        column: column.clone(),
        checks: checks.iter().filter(|(name, _)| *name == column.name).map(|(_, check)| (*check).clone()).collect(),
        foreign_keys: foreign_keys
            .iter()
            .filter(|(name, _)| *name == column.name)
            .map(|(_, key)| (*key).clone())
            .collect(),
        key: None,
    };
    Some(added.into_iter().map(of).collect())
}

/// SQLite, "ALTER TABLE ADD COLUMN".
fn may_add(table: &Table, column: &Column) -> bool {
    let in_key = table
        .primary_key
        .iter()
        .map(|key| &key.columns)
        .chain(table.uniques.iter().map(|unique| &unique.columns))
        .flatten()
        .any(|part| fold(&part.name) == fold(&column.name));
    let constant = column.default.as_deref().is_none_or(crate::sql::Expression::is_literal);
    let filled = column.nullable || column.default.is_some();
    match &column.generated {
        Some(generated) => !in_key && generated.storage == Storage::Virtual,
        None => !in_key && constant && filled,
    }
}

/// SQLite, "ALTER TABLE DROP COLUMN". A check of the column itself would go along if it stood with the column; where it
/// stands is not kept, so any constraint that names the column means a rebuild.
fn may_drop(table: &Table, column: &Column) -> bool {
    let name = fold(&column.name);
    let is_it = |other: &String| fold(other) == name;
    let keys = table.primary_key.iter().map(|key| &key.columns);
    let keys = keys.chain(table.uniques.iter().map(|unique| &unique.columns));
    !keys.flatten().any(|part| is_it(&part.name))
        && !table.foreign_keys.iter().any(|key| key.columns.iter().any(is_it))
        && !table.checks.iter().any(|check| check.expression.mentions(&column.name))
        && !table
            .columns
            .iter()
            .any(|other| other.generated.as_ref().is_some_and(|generated| generated.expression.mentions(&column.name)))
}
