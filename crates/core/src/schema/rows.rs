//! Reference rows: rows that are part of the schema.

use super::{Identifier, Scope, Value};

/// The rows that the declarations name of one table. What else is in the table is the application's.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rows {
    /// The table.
    pub table: Identifier,
    /// The columns by which a row is found again; together a key of the table.
    pub key: Vec<Identifier>,
    /// The columns that have values here, in order.
    pub columns: Vec<Identifier>,
    /// The rows, in declared order, with a value for each column.
    pub rows: Vec<Vec<Value>>,
    /// For which providers.
    pub scope: Scope,
}

impl Rows {
    /// The values of a row's key, in the order of the key; short where a key column has no values here.
    pub fn key_of<'a>(&'a self, row: &'a [Value]) -> Vec<&'a Value> {
        let place = |name: &Identifier| self.columns.iter().position(|column| column == name);
        self.key.iter().filter_map(|name| row.get(place(name)?)).collect()
    }
}
