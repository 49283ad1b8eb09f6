//! What could be a rename, although nobody said so: a thing that goes and one of like shape that comes.

use super::Renames;
use crate::schema::{Column, Identifier, Schema, Table};

/// Something that may have been renamed.
#[derive(Clone, Debug, PartialEq)]
pub struct Candidate {
    /// The table it is in; for a table, nothing. By its name afterwards.
    pub table: Option<String>,
    /// What goes.
    pub old: String,
    /// What comes.
    pub new: String,
    /// Why it could be the same, in words.
    pub reason: String,
    /// How alike the two are; more is likelier. Between 0 and 1.
    pub likeness: f64,
}

impl Candidate {
    /// The old thing as it is written on the command line: `keeper.name`, or `keeper`.
    pub fn old_path(&self) -> String {
        self.table.as_ref().map_or(self.old.clone(), |table| format!("{table}.{}", self.old))
    }
}

/// The share of columns that two tables have to have in common to be of like shape.
const ALIKE: f64 = 0.5;

/// Everything that could be a rename besides what is known to be one; for each old thing the likeliest first.
pub fn candidates(before: &Schema, after: &Schema, renames: &Renames) -> Vec<Candidate> {
    let mut found = Vec::new();
    let gone = |table: &&Table| {
        !renames.tables.contains_key(table.name.as_str()) && after.table(table.name.as_str()).is_none()
    };
    let is_new = |table: &&Table| {
        renames.former_table(table.name.as_str()).is_none() && before.table(table.name.as_str()).is_none()
    };
    for old in before.tables().filter(gone) {
        found.extend(after.tables().filter(is_new).filter_map(|new| table_candidate(old, new)));
    }
    for table in after.tables() {
        let former = renames.former_table(table.name.as_str()).unwrap_or(table.name.as_str());
        let Some(from) = before.table(former) else { continue };
        found.extend(column_candidates(from, table, renames));
    }
    found.sort_by(|a, b| {
        let key = |one: &Candidate| (one.table.clone(), one.old.clone());
        key(a).cmp(&key(b)).then(b.likeness.total_cmp(&a.likeness)).then(a.new.cmp(&b.new))
    });
    found
}

fn table_candidate(old: &Table, new: &Table) -> Option<Candidate> {
    let same = old.columns.iter().filter(|column| new.column(&column.name).is_some_and(|other| other.ty == column.ty));
    let (same, most) = (same.count(), old.columns.len().max(new.columns.len()));
    let share = same as f64 / most as f64;
    (share >= ALIKE).then(|| Candidate {
        table: None,
        old: old.name.to_string(),
        new: new.name.to_string(),
        reason: match same == most {
            true => format!("the same {most} columns"),
            false => format!("{same} of {most} columns are the same"),
        },
        likeness: (share * 4.0 + strsim::normalized_levenshtein(old.name.as_str(), new.name.as_str())) / 5.0,
    })
}

fn column_candidates(from: &Table, to: &Table, renames: &Renames) -> Vec<Candidate> {
    let renamed = renames.columns_of(from.name.as_str());
    let gone = |column: &&Column| {
        to.column(&column.name).is_none() && !renamed.is_some_and(|names| names.contains_key(column.name.as_str()))
    };
    let is_new = |column: &&Column| {
        from.column(&column.name).is_none()
            && !renamed.is_some_and(|names| names.values().any(|new| *new == column.name.as_str()))
    };
    let mut found = Vec::new();
    for old in from.columns.iter().filter(gone) {
        for new in to.columns.iter().filter(is_new) {
            let computed = !old.generated.is_empty() || !new.generated.is_empty();
            if old.ty == new.ty && old.native == new.native && !computed {
                found.push(column_candidate(from, to, old, new));
            }
        }
    }
    found
}

fn column_candidate(from: &Table, to: &Table, old: &Column, new: &Column) -> Candidate {
    let (mut alike, mut points) = (vec!["same type".to_owned()], 1.0);
    if old.nullable == new.nullable && old.default == new.default {
        points += 1.0;
    }
    let (before, after) = (constraints(from, &old.name), constraints(to, &new.name));
    let shared = before.iter().filter(|one| after.contains(one)).count();
    if shared > 0 {
        alike.push(if shared == 1 { "same constraint".into() } else { format!("same {shared} constraints") });
        points += 1.0;
    }
    let place = |table: &Table, column: &Column| table.columns.iter().position(|one| one.name == column.name);
    if place(from, old) == place(to, new) {
        alike.push("same place".to_owned());
        points += 1.0;
    }
    let spelling = strsim::normalized_levenshtein(old.name.as_str(), new.name.as_str());
    Candidate {
        table: Some(to.name.to_string()),
        old: old.name.to_string(),
        new: new.name.to_string(),
        reason: alike.join(", "),
        likeness: (points + spelling) / 5.0,
    }
}

/// The kinds of what stands on a column alone, with what they say.
fn constraints(table: &Table, column: &Identifier) -> Vec<String> {
    let only = |columns: &[Identifier]| columns.len() == 1 && columns[0] == *column;
    let mut found = Vec::new();
    found.extend(table.primary_keys.iter().filter(|key| only(&key.columns)).map(|_| "primary key".to_owned()));
    found.extend(table.uniques.iter().filter(|key| only(&key.columns)).map(|_| "unique".to_owned()));
    let references = table.foreign_keys.iter().filter(|key| only(&key.columns));
    found.extend(references.map(|key| format!("references {}", key.referenced_table)));
    let checks =
        table.checks.iter().filter(|check| crate::sql::Expression::new(&check.expression).mentions(column.as_str()));
    found.extend(checks.map(|check| {
        let expression = crate::sql::Expression::new(&check.expression);
        expression.respelled(|one| (one.name == column.as_str()).then(|| "?".to_owned()), |_| None)
    }));
    found
}
