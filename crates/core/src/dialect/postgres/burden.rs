//! What a step costs those who use its table meanwhile (PostgreSQL 17, "ALTER TABLE", "CREATE INDEX", "Explicit Locking",
//! "Table-Level Locks").

use std::collections::BTreeSet;

use super::types::is_widening;
use crate::physical::{Column, ForeignKey, Options, TypeName};
use crate::plan::{Blocks, Burden, Constraint, Step};
use crate::schema::Storage;

/// Functions of the server that give another value for every row (PostgreSQL 17, "Function Volatility Categories").
const VOLATILE: [&str; 11] = [
    "random(",
    "random_normal(",
    "gen_random_uuid(",
    "uuidv4(",
    "uuidv7(",
    "uuid_generate",
    "clock_timestamp(",
    "timeofday(",
    "nextval(",
    "txid_current(",
    "pg_sleep(",
];

/// Words behind which a parenthesis opens, and which are stable or no function at all.
const STEADY: [&str; 22] = [
    "now",
    "current_timestamp",
    "localtimestamp",
    "statement_timestamp",
    "transaction_timestamp",
    "timezone",
    "date_trunc",
    "date_part",
    "extract",
    "lower",
    "upper",
    "concat",
    "coalesce",
    "nullif",
    "greatest",
    "least",
    "abs",
    "round",
    "length",
    "varchar",
    "char",
    "numeric",
];

/// The burdens of a step.
pub(in crate::dialect) fn burdens(step: &Step) -> Vec<Burden> {
    match step {
        Step::CreateIndex { table, .. } => vec![Burden::blocking(table, Blocks::Writes, "the index is built")],
        Step::AddConstraint { table, constraint } => added(table, constraint),
        Step::AddColumn { table, column, checks, key, .. } => {
            if is_computed_by_row(column) {
                vec![Burden::rewriting(table, Blocks::Everything)]
            } else if key.is_some() {
                vec![Burden::blocking(table, Blocks::Everything, "the index of its key is built")]
            } else if !checks.is_empty() {
                vec![Burden::blocking(table, Blocks::Everything, "its rows are checked")]
            } else {
                Vec::new()
            }
        }
        Step::AlterColumn { table, from, to, using } => {
            if using.is_some() || !keeps_bytes(&from.ty, &to.ty) || from.generated.is_none() && to.generated.is_some() {
                vec![Burden::rewriting(table, Blocks::Everything)]
            } else if from.collation != to.collation {
                vec![Burden::blocking(table, Blocks::Everything, "its indexes are built anew")]
            } else if from.nullable && !to.nullable {
                vec![Burden::blocking(table, Blocks::Everything, "its rows are checked")]
            } else {
                Vec::new()
            }
        }
        Step::RemakeEnum(swap) => {
            let tables: BTreeSet<&String> = swap.columns.iter().map(|column| &column.table).collect();
            tables.into_iter().map(|table| Burden::rewriting(table, Blocks::Everything)).collect()
        }
        Step::SetOptions { table, from, to } => {
            let moves = |option: &&String| {
                *option == "unlogged" || option.starts_with("tablespace ") || option.starts_with("using ")
            };
            let told = |options: &Options| options.iter().filter(moves).cloned().collect::<Options>();
            match told(from) == told(to) {
                true => Vec::new(),
                false => vec![Burden::rewriting(table, Blocks::Everything)],
            }
        }
        _ => Vec::new(),
    }
}

fn added(table: &str, constraint: &Constraint) -> Vec<Burden> {
    let is_unchecked = |attributes: &Options| attributes.contains("not valid") || attributes.contains("not enforced");
    match constraint {
        Constraint::PrimaryKey(_) | Constraint::Unique(_) => {
            vec![Burden::blocking(table, Blocks::Everything, "the index of its key is built")]
        }
        Constraint::ForeignKey(ForeignKey { attributes, .. }) if is_unchecked(attributes) => Vec::new(),
        Constraint::ForeignKey(key) => {
            let tables = BTreeSet::from([table, key.referenced_table.as_str()]);
            tables
                .into_iter()
                .map(|table| Burden::blocking(table, Blocks::Writes, "the reference is checked"))
                .collect()
        }
        Constraint::Check(check) if is_unchecked(&check.attributes) => Vec::new(),
        Constraint::Check(_) => vec![Burden::blocking(table, Blocks::Everything, "its rows are checked")],
    }
}

/// Whether a new column has a value of its own in every row; any other default is kept once for all.
fn is_computed_by_row(column: &Column) -> bool {
    if let Some(generated) = &column.generated {
        return generated.storage == Storage::Stored;
    }
    if column.numbers_rows() {
        return true;
    }
    let Some(default) = &column.default else { return false };
    if default.is_literal() {
        return false;
    }
    let text = default.text().to_lowercase();
    if VOLATILE.iter().any(|word| text.contains(word)) {
        return true;
    }
    // A function that is not known may be anything.
    text.match_indices('(').any(|(at, _)| {
        let head = text[..at].trim_end();
        let word = head.rsplit(|one: char| !one.is_alphanumeric() && one != '_').next().unwrap_or_default();
        !word.is_empty() && !STEADY.contains(&word)
    })
}

/// Whether the values of a column stay as they are stored (PostgreSQL 17, "ALTER TABLE", "Notes": binary coercible, or an
/// unconstrained domain over it).
fn keeps_bytes(from: &TypeName, to: &TypeName) -> bool {
    if from == to {
        return true;
    }
    let parts = |ty: &TypeName| {
        let canonical = ty.canonical().to_owned();
        let (head, rest) = canonical.split_once('(').unwrap_or((&canonical, ""));
        let arguments: Vec<u32> =
            rest.split(')').next().unwrap_or_default().split(',').filter_map(|one| one.trim().parse().ok()).collect();
        (head.trim().to_owned(), arguments, rest.ends_with(']') || head.ends_with(']'))
    };
    let ((old, old_arguments, old_list), (new, new_arguments, new_list)) = (parts(from), parts(to));
    if old_list || new_list {
        return false;
    }
    match (old.as_str(), new.as_str()) {
        ("CHARACTER VARYING", "TEXT") => true,
        ("TEXT", "CHARACTER VARYING") => new_arguments.is_empty(),
        ("CHARACTER VARYING", "CHARACTER VARYING") => is_widening(from, to),
        (old, new) if old == new && old.starts_with("TIME") => is_widening(from, to),
        ("NUMERIC", "NUMERIC") => match (&old_arguments[..], &new_arguments[..]) {
            (_, []) => true,
            ([old, scale], [new, same]) => new >= old && scale == same,
            _ => false,
        },
        _ => false,
    }
}
