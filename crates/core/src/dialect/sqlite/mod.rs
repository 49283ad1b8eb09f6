//! SQLite 3.35 and later, as bundled.

pub(super) mod affinity;
pub(super) mod alter;
pub(super) mod catalogue;
mod ddl;
pub(super) mod lower;
pub(super) mod quote;
pub(super) mod render;

use super::{Facts, IdentifierLimit};

/// The facts of SQLite.
pub(super) const FACTS: Facts = Facts {
    // SQLite, "Limits In SQLite": names count as text of the SQL, up to 1,000,000,000 bytes.
    identifier_limit: IdentifierLimit::None,
};

use crate::physical::{IndexKey, Table};
use crate::sql::Expression;

/// The column that is the table's rowid (SQLite, "CREATE TABLE", "ROWIDs and the INTEGER PRIMARY KEY").
fn rowid_alias(table: &Table) -> Option<&str> {
    let [only] = table.primary_key.as_ref()?.columns.as_slice() else { return None };
    let column = table.column(&only.name)?;
    let alias = column.ty.canonical() == "INTEGER" && !only.descending && !table.has_option("without rowid");
    alias.then_some(column.name.as_str())
}

/// What an index is over; a column in parentheses is that column.
fn index_key(text: &str) -> IndexKey {
    let expression = Expression::new(text);
    match expression.columns() {
        [only] if only.span.text(expression.text()) == expression.text() => IndexKey::Column(only.name.clone()),
        _ => IndexKey::Expression(expression),
    }
}
