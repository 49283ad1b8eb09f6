//! What SQLite stores, as declarations.

use super::lower::{self, NULL_IN_KEY};
use super::rowid_alias;
use crate::dialect::lift::{Lifting, TypeByCheck};
use crate::physical::{self, TypeName};
use crate::schema::{Column, Enum, Identifier, Provider, Scope, Scoped, Table, Type, Value};
use crate::sql::{Expression, Lexer, Syntax, TokenKind, unquote};

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

    fn by_check(&self, column: &physical::Column, check: &Expression) -> Option<TypeByCheck> {
        let is_kept_as = |ty: Type| lower::portable(&ty).is_some_and(|text| TypeName::new(&text) == column.ty);
        if is_kept_as(Type::Json) && *check == Expression::new(&lower::json_check(&column.name)) {
            return Some(TypeByCheck::Json);
        }
        let texts = Lexer::new(check.text(), 0, Syntax::PLAIN).filter(|token| token.kind == TokenKind::Text);
        let words: Vec<_> = texts.map(|token| Identifier::new(unquote(token.span.text(check.text())))).collect();
        let is_enum =
            is_kept_as(Type::Text(None)) && *check == Expression::new(&lower::enum_check(&column.name, &words));
        is_enum.then_some(TypeByCheck::Words(words))
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
