//! Types that a provider keeps by a check beside the column, read back where columns were declared with them: enums and
//! JSON on SQLite.

use super::held::Naming;
use crate::dialect::Dialect;
use crate::dialect::lift::TypeByCheck;
use crate::physical;
use crate::schema::{Check, Column, Enum, Identifier, Parts, Schema, Scoped, Table, Type, Value};

/// What was lifted, with the types that such checks stand for. An enum whose check has other words is one of those words.
pub(super) fn typed(dialect: Dialect, declared: &Schema, stored: &physical::Schema, lifted: &Schema) -> Schema {
    let lifting = dialect.lifting();
    let mut parts = lifted.clone().into_parts();
    let Parts { tables, enums, .. } = &mut parts;
    for stored in stored.tables() {
        let name = lifting.object(&stored.name);
        let lifted = tables.iter_mut().find(|table| table.name == name);
        if let (Some(said), Some(table)) = (declared.table(name.as_str()), lifted) {
            let naming = Naming { dialect, table: name.base(), stored };
            said.columns.iter().for_each(|column| take_type(naming, column, table, enums));
        }
    }
    Schema::new(parts).map_or_else(|_| lifted.clone(), |(schema, _)| schema)
}

fn take_type(naming: Naming, said: &Column, table: &mut Table, enums: &mut Vec<Enum>) {
    let Naming { dialect, stored, .. } = naming;
    let Some(name) = naming.check_of_type(said) else { return };
    // In other letters it has another name.
    let check = stored.checks.iter().find(|one| one.name.as_ref() == Some(&name));
    let (Some(check), Some(column)) = (check, stored.column(said.name.as_str())) else { return };
    let is_own = Scoped::pick(&said.native, dialect.provider()).is_some();
    let Some(typed) = dialect.lifting().by_check(column, &check.expression).filter(|_| !is_own) else { return };
    let is_declared = |one: &Check| one.name.as_ref().is_some_and(|one| one.as_str() == name);
    let at = table.checks.iter().position(is_declared);
    let place = table.columns.iter_mut().find(|one| one.name == said.name);
    let (Some(at), Some(lifted)) = (at, place) else { return };
    lifted.ty = match (typed, &said.ty) {
        (TypeByCheck::Json, Type::Json) => Type::Json,
        (TypeByCheck::Words(words), Type::Enum(owner)) => {
            for default in &mut lifted.default {
                let Value::Text(text) = &default.value else { continue };
                let Some(word) = words.iter().find(|word| word.as_str() == text) else { return };
                default.value = Value::Word(word.clone());
            }
            Type::Enum(named(enums, owner, words))
        }
        _ => return,
    };
    lifted.native.clear();
    table.checks.remove(at);
}

/// The enum of these words, by the declared one's name where it is free.
fn named(enums: &mut Vec<Enum>, owner: &Identifier, words: Vec<Identifier>) -> Identifier {
    if let Some(same) = enums.iter().find(|one| one.words == words) {
        return same.name.clone();
    }
    let taken = enums.iter().map(|one| one.name.clone()).collect();
    let name = super::words::free(owner, &taken);
    enums.push(Enum { name: name.clone(), words, formerly: Default::default(), about: None });
    name
}
