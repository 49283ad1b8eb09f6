//! What MariaDB and MySQL store, as declarations.

use super::Flavor;
use super::lower;
use super::types::{portable, type_name};
use crate::dialect::lift::Lifting;
use crate::dialect::lowering::Storing;
use crate::physical::TypeName;
use crate::schema::{Column, Enum, Identifier, Parts, Schema, Table, Type, Value};
use crate::sql::{Expression, Lexer, Syntax, TokenKind, standard_text};

/// See [`Lifting`].
pub(in crate::dialect) struct Mariadb(pub(in crate::dialect) Flavor);

impl Lifting for Mariadb {
    fn portable(&self, ty: &Type, enums: &[Enum]) -> Option<TypeName> {
        let schema = match ty {
            Type::Enum(name) => {
                let one = enums.iter().find(|one| one.name == *name)?.clone();
                Schema::new(Parts { enums: vec![one], ..Parts::default() }).ok()?.0
            }
            // Stored as a text of 36 characters, which may be anything.
            Type::Uuid => return None,
            _ => Schema::default(),
        };
        Some(type_name(&portable(ty, &schema)?))
    }

    fn native(&self, text: &str) -> TypeName {
        type_name(text)
    }

    fn default(&self, table: &Table, column: &Column, value: &Value) -> Option<Expression> {
        lower::Mariadb(self.0).default(table, column, value)
    }

    /// Declared expressions are standard SQL: names in double quotes, and a backslash is a backslash.
    fn declared(&self, stored: &Expression) -> String {
        let name = |reference: &crate::sql::ColumnReference| {
            reference.quoted.then(|| {
                let name = Identifier::new(&*reference.name);
                let plain = name.is_bare() && super::quote::quote(&reference.name) == reference.name;
                if plain { reference.name.clone() } else { format!("\"{}\"", reference.name.replace('"', "\"\"")) }
            })
        };
        stored.respelled(name, |text| Some(standard_text(text)))
    }

    fn declared_default(&self, stored: &Expression) -> String {
        self.declared(stored)
    }

    fn words(&self, ty: &TypeName) -> Option<Vec<String>> {
        let list = ty.text().get(4..).filter(|_| ty.canonical().starts_with("enum("))?;
        let texts = Lexer::new(list, 0, Syntax::STANDARD).filter(|token| token.kind == TokenKind::Text);
        Some(texts.map(|token| crate::sql::unquote(token.span.text(list))).collect())
    }
}
