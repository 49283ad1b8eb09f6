//! Reference rows in one provider's SQL.

use serde::Serialize;

/// The declared rows of one table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct RowSet {
    /// The table, as stored.
    pub table: String,
    /// The columns by which a row is found again.
    pub key: Vec<String>,
    /// The columns that have values here.
    pub columns: Vec<String>,
    /// The rows, in declared order, with a cell for each column.
    pub rows: Vec<Vec<Cell>>,
}

/// A value of a row.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Cell {
    /// As an SQL literal or expression.
    pub sql: String,
    /// Whether it always means the same: `now` is given to a new row, and not compared afterwards.
    pub fixed: bool,
}

impl RowSet {
    /// The cells of a row's key as SQL, by the columns of a key; nothing where one of them has no values here.
    pub fn key_of(&self, row: &[Cell], key: &[String]) -> Option<Vec<String>> {
        key.iter().map(|name| Some(row.get(self.place(name)?)?.sql.clone())).collect()
    }

    /// The rows that were found of these, by the answers to [`crate::Dialect::row_queries`]; a value that is another one is
    /// written by `literal`.
    pub fn found(&self, answers: &[Vec<Option<String>>], literal: impl Fn(&str) -> String) -> Self {
        let row = |answer: &Vec<Option<String>>| {
            let number: usize = answer.first()?.as_ref()?.parse().ok()?;
            let declared = self.rows.get(number)?;
            let cells = declared.iter().enumerate().map(|(at, cell)| {
                let same = answer.get(1 + 2 * at).is_some_and(|same| same.as_deref() == Some("1"));
                let value = answer.get(2 + 2 * at).cloned().flatten();
                match same || !cell.fixed {
                    true => cell.clone(),
                    false => Cell { sql: value.map_or("null".to_owned(), |text| literal(&text)), fixed: true },
                }
            });
            Some(cells.collect())
        };
        Self { rows: answers.iter().filter_map(row).collect(), ..self.clone() }
    }

    /// Where a column stands among the columns.
    pub fn place(&self, column: &str) -> Option<usize> {
        self.columns.iter().position(|name| name == column)
    }
}
