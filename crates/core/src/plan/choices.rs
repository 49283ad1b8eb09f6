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

impl Choices {
    /// The decision about a column's values, by its names afterwards.
    pub fn values_of(&self, table: &str, column: &str) -> Option<&Values> {
        let found = self
            .values
            .iter()
            .find(|((owner, name), _)| owner.eq_ignore_ascii_case(table) && name.eq_ignore_ascii_case(column));
        found.map(|(_, values)| values)
    }
}
