//! What a person decided about a plan: two schemas alone do not tell it.

use std::collections::BTreeMap;

use crate::diff::Renames;

/// Decisions for one direction of a migration, in one provider's SQL.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Choices {
    /// What is renamed.
    pub renames: Renames,
    /// Values that rows get on the way, by the table's and the column's names afterwards.
    pub values: BTreeMap<(String, String), Values>,
    /// What is put aside before it is dropped, by its names before.
    pub kept: Vec<Kept>,
    /// Rows that come back into tables which are made again, by their names afterwards.
    pub restored: Vec<Kept>,
    /// Values that come back into a column which is made again, by their names afterwards.
    pub returning: Vec<Kept>,
    /// Words of enums that go, by the enum, each with the one that rows get in its place.
    pub replaced: BTreeMap<String, BTreeMap<String, String>>,
    /// Tables of the tool's own that nobody needs any more afterwards.
    pub spent: Vec<String>,
    /// Whether others are to go on reading and writing, where the provider can do it so.
    pub online: bool,
    /// Whether the bodies of routines are taken as they stand, where the provider looks into them.
    pub unchecked_bodies: bool,
    /// How many rows are filled at a time, each lot committed by itself; nothing for all at once.
    pub batch: Option<u32>,
}

/// Values put aside in a table of the tool's own.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Kept {
    /// The tool's own table.
    pub name: String,
    /// The table whose values they are.
    pub table: String,
    /// The column, where it is not the whole table.
    pub column: Option<String>,
    /// What is kept: the key and the column, or all columns; each with the SQL expression that reads it.
    pub columns: Vec<(String, String)>,
}

/// Where the values of a column come from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Values {
    /// Rows without a value get that of this SQL expression; it may name the other columns, and tables by sub-select.
    Fill(String),
    /// Every row gets the value of this SQL expression, which may name the column itself as it was.
    Convert(String),
}

impl Values {
    /// The SQL expression.
    pub fn expression(&self) -> &str {
        match self {
            Self::Fill(expression) | Self::Convert(expression) => expression,
        }
    }
}

impl Kept {
    /// What is kept, in words.
    pub fn what(&self) -> String {
        match &self.column {
            Some(column) => format!("{}.{column}", self.table),
            None => format!("the rows of {}", self.table),
        }
    }
}

impl Choices {
    /// Whether a column is put aside before it goes, or its table.
    pub fn keeps(&self, table: &str, column: Option<&str>) -> Option<&Kept> {
        self.kept.iter().find(|kept| kept.table == table && kept.column.as_deref() == column)
    }

    /// The decision about a column's values, by its names afterwards.
    pub fn values_of(&self, table: &str, column: &str) -> Option<&Values> {
        let found = self
            .values
            .iter()
            .find(|((owner, name), _)| owner.eq_ignore_ascii_case(table) && name.eq_ignore_ascii_case(column));
        found.map(|(_, values)| values)
    }
}
