//! Columns that take their numbers from a sequence of their own.

use std::collections::BTreeSet;

use super::SYNTAX;
use super::catalogue::serial_sequence;
use super::quote::{literal, quote_object};
use super::render::sequence_name;
use crate::physical::{Column, Program, Schema, Table, qualified};
use crate::sql::Expression;

/// The schema with those sequences told by themselves that its `serial` columns imply and the other schema tells: on the
/// server they are one and the same, which must not be dropped and made again. Nothing where there are none.
pub(in crate::dialect) fn told_out(schema: &Schema, other: &Schema) -> Option<Schema> {
    let is_sequence = |program: &&Program| program.word.as_deref() == Some("sequence");
    let told: BTreeSet<&str> = other.programs().filter(is_sequence).map(|program| program.name.as_str()).collect();
    let name_of = |table: &Table, column: &Column| {
        qualified::beside(&table.name, &qualified::part(&sequence_name(&table.name, &column.name)))
    };
    let is_told = |table: &Table, column: &Column| {
        column.attributes.contains("serial") && told.contains(name_of(table, column).as_str())
    };
    if told.is_empty() || !schema.tables().any(|table| table.columns.iter().any(|column| is_told(table, column))) {
        return None;
    }
    let mut schema = schema.clone();
    let mut programs: Vec<Program> = schema.programs().cloned().collect();
    for table in schema.tables_mut() {
        let found: Vec<usize> = (0..table.columns.len()).filter(|at| is_told(table, &table.columns[*at])).collect();
        for at in found {
            let name = name_of(table, &table.columns[at]);
            let column = &mut table.columns[at];
            column.attributes.remove("serial");
            let default = format!("nextval({}::regclass)", literal(&quote_object(&name)));
            column.default = Some(Expression::read(&default, SYNTAX));
            programs.extend(serial_sequence(name, &column.ty, &table.name, &column.name));
        }
    }
    Some(schema.with_programs(programs))
}
