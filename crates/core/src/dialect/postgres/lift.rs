//! What PostgreSQL stores, as declarations.

use super::lower;
use super::sequence::implied_range;
use super::types::{portable, type_name};
use crate::dialect::lift::Lifting;
use crate::dialect::lowering::Storing;
use crate::physical::{self, TypeName, qualified};
use crate::schema::{Column, Enum, Identifier, Table, Type, Value};
use crate::sql::Expression;

/// See [`Lifting`].
pub(in crate::dialect) struct Postgres;

impl Lifting for Postgres {
    fn portable(&self, ty: &Type, _: &[Enum]) -> Option<TypeName> {
        Some(type_name(&portable(ty)?))
    }

    fn native(&self, text: &str) -> TypeName {
        type_name(text)
    }

    fn default(&self, table: &Table, column: &Column, value: &Value) -> Option<Expression> {
        lower::Postgres.default(table, column, value)
    }

    fn follows(&self, stored: &physical::Column, attribute: &str) -> bool {
        implied_range(stored).is_some_and(|range| range == attribute)
    }

    fn object(&self, name: &str) -> Identifier {
        let (namespace, base) = qualified::split(name);
        match namespace {
            Some(namespace) => Identifier::within(&qualified::plain(namespace), &qualified::plain(base)),
            None => Identifier::new(qualified::plain(base)),
        }
    }

    fn declared(&self, stored: &Expression) -> String {
        stored.as_declared().to_owned()
    }
}
