//! Types that a provider keeps by a check beside the column, read back where columns were declared with them: enums and
//! JSON on SQLite.

use std::collections::BTreeMap;

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
    let stored: BTreeMap<Identifier, &physical::Table> =
        stored.tables().map(|table| (lifting.object(&table.name), table)).collect();
    for table in tables {
        let name = table.name.clone();
        if let (Some(said), Some(stored)) = (declared.table(name.as_str()), stored.get(&name)) {
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::diff;
    use crate::language::{Source, declare, print, resolve};
    use crate::physical::Introspected;
    use crate::sql::Expression;

    const DECLARED: &str = "enum temper { calm, watchful }\n\ntable hive {\n    id: int64, identity\n    temper: temper, default calm\n    readings: json, null\n    primary key (id)\n}\n";

    /// What is declared once the check of `temper` has become another one.
    fn absorbed(declared: &str, check: &str) -> String {
        let sources = [Source { name: "a".into(), text: declared.to_owned() }];
        let declared = resolve(&sources).schema.expect("it is well-formed");
        let expected = Dialect::Sqlite.lower(&declared).expect("it can be stored").schema;
        let mut live = expected.clone();
        let hive = live.tables_mut().find(|table| table.name == "hive").expect("it is there");
        let own = hive.checks.iter_mut().find(|one| one.name.as_deref() == Some("hive_temper_enum"));
        own.expect("the type is kept by it").expression = Expression::new(check);
        let found = Introspected { schema: live.clone(), unmanaged: Vec::new() };
        let lifted = crate::dialect::lift(Dialect::Sqlite, &found).expect("it can be declared").schema;
        let changes = diff(&expected, &live);
        let new = crate::dialect::absorbed(Dialect::Sqlite, &declared, &live, &lifted, &changes, &[]);
        print(&declare(&new.expect("it is taken in")))
    }

    #[test]
    fn other_words_are_those_of_the_enum() {
        insta::assert_snapshot!(absorbed(DECLARED, "temper in ('calm', 'watchful', 'easily upset')"), @r"
        enum temper { calm, watchful, 'easily upset' }

        table hive {
            id:        int64, identity
            temper:    temper, default calm
            readings:  json, null

            primary key (id)
        }
        ");
    }

    #[test]
    fn an_enum_that_other_columns_have_keeps_its_words() {
        let queen = "\ntable queen {\n    id: int64, identity\n    temper: temper\n    primary key (id)\n}\n";
        let declared = format!("{DECLARED}{queen}");
        insta::assert_snapshot!(absorbed(&declared, "temper in ('watchful', 'calm', 'easily upset')"), @r"
        enum temper { calm, watchful }

        enum temper_2 { watchful, calm, 'easily upset' }

        table hive {
            id:        int64, identity
            temper:    temper_2, default calm
            readings:  json, null

            primary key (id)
        }

        table queen {
            id:      int64, identity
            temper:  temper

            primary key (id)
        }
        ");
    }

    #[test]
    fn what_is_no_list_of_words_is_a_check() {
        insta::assert_snapshot!(absorbed(DECLARED, "length(temper) < 9"), @r"
        enum temper { calm, watchful }

        table hive {
            id:        int64, identity
            temper:    text, default 'calm'
            readings:  json, null

            primary key (id)
            check hive_temper_enum (length(temper) < 9)
        }
        ");
    }
}
