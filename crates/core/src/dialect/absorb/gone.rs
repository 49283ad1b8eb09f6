//! What goes along with what is not there any more.

use std::collections::BTreeSet;

use super::held::index_of;
use crate::dialect::Dialect;
use crate::diff::{Change, ItemChange, TableAlteration};
use crate::schema::{Identifier, KeyPart, Parts};
use crate::sql::Expression;

/// What is not there any more, whoever had it.
#[derive(Default)]
pub(super) struct Gone {
    tables: BTreeSet<Identifier>,
    columns: BTreeSet<(Identifier, Identifier)>,
}

impl Gone {
    /// Notes a table.
    pub(super) fn table(&mut self, name: Identifier) {
        self.tables.insert(name);
    }

    /// Notes the columns that a table lost.
    pub(super) fn lost(&mut self, table: &Identifier, alteration: &TableAlteration) {
        let dropped = alteration.items.iter().filter_map(|item| match item {
            ItemChange::Column(Change::Drop(column)) => Some(Identifier::new(&*column.name)),
            _ => None,
        });
        self.columns.extend(dropped.map(|column| (table.clone(), column)));
    }

    /// Takes out what other providers have over it: it is gone for them, too.
    pub(super) fn forget(&self, dialect: Dialect, parts: &mut Parts) {
        for table in &mut parts.tables {
            let is_gone =
                |table: &Identifier, column: &Identifier| self.columns.contains(&(table.clone(), column.clone()));
            let name = table.name.clone();
            let any = |columns: &[Identifier]| columns.iter().any(|column| is_gone(&name, column));
            let reads = |text: &str| {
                let expression = Expression::read(text, dialect.syntax());
                let mut columns = expression.columns().iter();
                columns.any(|one| is_gone(&name, &Identifier::new(&*one.name)))
            };
            table.primary_keys.retain(|key| !any(&key.columns));
            table.uniques.retain(|key| !any(&key.columns));
            let (kept, lost): (Vec<_>, Vec<_>) = std::mem::take(&mut table.foreign_keys).into_iter().partition(|key| {
                let is_lost = key.referenced_columns.iter().any(|column| is_gone(&key.referenced_table, column));
                !any(&key.columns) && !is_lost && !self.tables.contains(&key.referenced_table)
            });
            table.foreign_keys = kept;
            // An index is another thing.
            table.indexes.extend(lost.into_iter().filter(|key| key.indexed).map(index_of));
            table.checks.retain(|check| !reads(&check.expression));
            table.indexes.retain(|index| {
                let is_lost = |key: &KeyPart| match key {
                    KeyPart::Column(column) => is_gone(&name, column),
                    KeyPart::Expression(text) => reads(text),
                };
                let mut keys = index.parts.iter().map(|part| &part.key);
                !keys.any(is_lost) && !any(&index.including) && !index.predicate.as_deref().is_some_and(reads)
            });
        }
        parts.rows.retain(|rows| !self.tables.contains(&rows.table));
    }
}
