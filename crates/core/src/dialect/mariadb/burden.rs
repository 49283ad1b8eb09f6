//! What a step costs those who use its table meanwhile (MariaDB, "InnoDB Online DDL Overview" and "InnoDB Online DDL
//! Operations with the INSTANT / INPLACE Alter Algorithm"). A copy of a table can be read from until it is done; a change that
//! is instant or in place keeps nobody waiting.

use super::Flavor;
use super::types::is_text;
use crate::physical::{Column, Options, TypeName};
use crate::plan::{Blocks, Burden, Constraint, Step};

/// The burdens of a step.
pub(in crate::dialect) fn burdens(flavor: Flavor, step: &Step) -> Vec<Burden> {
    match step {
        Step::CreateIndex { table, index } => match index.method.as_deref() {
            Some("fulltext" | "spatial" | "vector") => {
                vec![Burden::blocking(table, Blocks::Writes, "the index is built")]
            }
            _ => Vec::new(),
        },
        Step::AddConstraint { table, constraint } => match constraint {
            Constraint::PrimaryKey(_) => vec![Burden::rewriting(table, Blocks::Nothing)],
            Constraint::Unique(_) => Vec::new(),
            // Where references are not looked at (MariaDB, "InnoDB Online DDL Operations with the INPLACE Alter Algorithm").
            Constraint::ForeignKey(key) if key.dangles.0 => Vec::new(),
            Constraint::ForeignKey(_) | Constraint::Check(_) => vec![Burden::rewriting(table, Blocks::Writes)],
        },
        Step::ChangePrimaryKey { table, .. } => vec![Burden::rewriting(table, Blocks::Nothing)],
        Step::DropConstraint { table, constraint: Constraint::PrimaryKey(_) } => {
            vec![Burden::rewriting(table, Blocks::Writes)]
        }
        Step::AddColumn { table, column, checks, foreign_keys, key } => {
            let is_stored = column.generated.as_ref().is_some_and(|one| one.storage == crate::schema::Storage::Stored);
            let copies = is_stored
                || column.identity.is_some()
                || !checks.is_empty()
                || !foreign_keys.is_empty()
                || key.is_some()
                || column.default.as_ref().is_some_and(|default| !default.is_literal() && column.generated.is_none());
            if copies { vec![Burden::rewriting(table, Blocks::Writes)] } else { Vec::new() }
        }
        Step::AlterColumn { table, from, to, .. } => altered(flavor, table, from, to),
        Step::SetOptions { table, from, to } => {
            let moves = |option: &&String| !option.starts_with("collate=") && !option.starts_with("comment");
            let told = |options: &Options| options.iter().filter(moves).cloned().collect::<Options>();
            match told(from) == told(to) {
                true => Vec::new(),
                false => vec![Burden::rewriting(table, Blocks::Writes)],
            }
        }
        _ => Vec::new(),
    }
}

fn altered(flavor: Flavor, table: &str, from: &Column, to: &Column) -> Vec<Burden> {
    let is_computed = from.generated != to.generated;
    if is_computed
        || !keeps_bytes(flavor, &from.ty, &to.ty)
        || from.collation != to.collation
        || from.identity != to.identity
    {
        return vec![Burden::rewriting(table, Blocks::Writes)];
    }
    if from.nullable != to.nullable {
        return vec![Burden::rewriting(table, Blocks::Nothing)];
    }
    Vec::new()
}

/// Whether the values of a column stay as they are stored.
fn keeps_bytes(flavor: Flavor, from: &TypeName, to: &TypeName) -> bool {
    if from == to {
        return true;
    }
    let (old, new) = (from.canonical(), to.canonical());
    // More words behind the others.
    if let (Some(old), Some(new)) = (old.strip_suffix(')'), new.strip_suffix(')'))
        && (old.starts_with("enum(") && new.starts_with("enum(") || old.starts_with("set(") && new.starts_with("set("))
    {
        return new.starts_with(&format!("{old},"));
    }
    let length = |name: &str| name.strip_prefix("VARCHAR(")?.strip_suffix(')')?.parse::<u64>().ok();
    // Only where the length begins to need a second byte, the values change: to more than 255 bytes, on MariaDB from 128 at
    // least. A character of utf8mb4 takes up to four.
    let least = if flavor == Flavor::Mariadb { 128 } else { 0 };
    let grows = |old: u64, new: u64| (least..=255).contains(&(old * 4)) && new * 4 > 255;
    match (length(old), length(new)) {
        (Some(old), Some(new)) => is_text(from) && new >= old && !grows(old, new),
        _ => false,
    }
}
