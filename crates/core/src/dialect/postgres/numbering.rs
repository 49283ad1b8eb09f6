//! Columns that take their numbers from a sequence of their own.

use std::collections::{BTreeMap, BTreeSet};

use super::SYNTAX;
use super::catalogue::serial_sequence;
use super::quote::{literal, quote_object};
use super::render::sequence_name;
use crate::physical::{Column, Program, Schema, Table, qualified};
use crate::sql::Expression;

/// The tables with a default that reads the sequence of another one's `serial` column, and those others, by their keys.
pub(in crate::dialect) fn numbered_by_another(tables: &[Table]) -> BTreeMap<String, BTreeSet<String>> {
    let reads = |column: &Column| {
        let text = column.default.as_ref()?.as_declared().strip_prefix("nextval(")?;
        let sequence = text.trim_end_matches(')');
        Some(sequence.strip_suffix("::regclass").unwrap_or(sequence).to_owned())
    };
    let mut reading = tables
        .iter()
        .flat_map(|table| table.columns.iter().filter_map(move |column| Some((reads(column)?, table.key()))))
        .peekable();
    let mut found: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    if reading.peek().is_none() {
        return found;
    }
    let owned = |table: &Table, column: &Column| {
        let sequence = own_sequence(table, column);
        literal(&quote_object(&sequence))
    };
    let of_columns: BTreeMap<String, String> = tables
        .iter()
        .flat_map(|table| {
            let columns = table.columns.iter().filter(|column| column.attributes.contains("serial"));
            columns.map(move |column| (owned(table, column), table.key()))
        })
        .collect();
    for (sequence, table) in reading {
        if let Some(owner) = of_columns.get(&sequence).filter(|owner| **owner != table) {
            found.entry(table).or_default().insert(owner.clone());
        }
    }
    found
}

/// The name of the sequence that a `serial` column makes.
fn own_sequence(table: &Table, column: &Column) -> String {
    qualified::beside(&table.name, &qualified::part(&sequence_name(&table.name, &column.name)))
}

/// The schema with those sequences told by themselves that its `serial` columns imply and the other schema tells: on the
/// server they are one and the same, which must not be dropped and made again. Nothing where there are none.
pub(in crate::dialect) fn told_out(schema: &Schema, other: &Schema) -> Option<Schema> {
    let is_sequence = |program: &&Program| program.word.as_deref() == Some("sequence");
    let told: BTreeSet<&str> = other.programs().filter(is_sequence).map(|program| program.name.as_str()).collect();
    let is_told = |table: &Table, column: &Column| {
        column.attributes.contains("serial") && told.contains(own_sequence(table, column).as_str())
    };
    if told.is_empty() || !schema.tables().any(|table| table.columns.iter().any(|column| is_told(table, column))) {
        return None;
    }
    let mut schema = schema.clone();
    let mut programs: Vec<Program> = schema.programs().cloned().collect();
    for table in schema.tables_mut() {
        let found: Vec<usize> = (0..table.columns.len()).filter(|at| is_told(table, &table.columns[*at])).collect();
        for at in found {
            let name = own_sequence(table, &table.columns[at]);
            let column = &mut table.columns[at];
            column.attributes.remove("serial");
            let default = format!("nextval({}::regclass)", literal(&quote_object(&name)));
            column.default = Some(Box::new(Expression::read(&default, SYNTAX)));
            programs.extend(serial_sequence(name, &column.ty, &table.name, &column.name));
        }
    }
    Some(schema.with_programs(programs))
}
