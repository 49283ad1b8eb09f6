//! What SQLite stores, as declarations.

use super::lower::{self, NULL_IN_KEY};
use super::rowid_alias;
use crate::dialect::lift::Lifting;
use crate::physical::{self, TypeName};
use crate::schema::{Column, Enum, Provider, Scope, Scoped, Table, Type, Value};
use crate::sql::Expression;

/// See [`Lifting`].
pub(in crate::dialect) struct Sqlite;

impl Lifting for Sqlite {
    fn portable(&self, ty: &Type, _: &[Enum]) -> Option<TypeName> {
        match ty {
            // Stored with a check of its own, which is declared as what it is.
            Type::Enum(_) | Type::Json => None,
            ty => Some(TypeName::new(&lower::portable(ty)?)),
        }
    }

    fn native(&self, text: &str) -> TypeName {
        TypeName::new(text)
    }

    fn default(&self, _: &Table, column: &Column, value: &Value) -> Option<Expression> {
        lower::default(value, &column.ty)
    }

    fn declared(&self, stored: &Expression) -> String {
        stored.text().to_owned()
    }

    fn numbers(&self, table: &physical::Table, column: &physical::Column) -> bool {
        rowid_alias(table) == Some(column.name.as_str()) && column.default.is_none() && column.generated.is_none()
    }

    fn finish(&self, stored: &physical::Table, table: &mut Table) {
        let scope = Scope::For(Provider::Sqlite.into());
        let key: Vec<_> = table.primary_keys.iter().flat_map(|key| key.columns.clone()).collect();
        for column in table.columns.iter_mut().filter(|column| key.contains(&column.name)) {
            if column.nullable {
                column.nullable = false;
                column.options.push(Scoped { value: NULL_IN_KEY.to_owned(), scope });
            }
            // A whole number that is the whole key is numbered by SQLite; one that is not goes by another name.
            let is_native = column.native.is_empty() && column.identity.is_empty() && key.len() == 1;
            if let (true, Some(own)) = (is_native, stored.column(column.name.as_str()))
                && own.ty.canonical() == "INTEGER"
            {
                column.native = [Scoped { value: own.ty.text().to_owned(), scope }].into();
            }
        }
    }
}
