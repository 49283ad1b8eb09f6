//! Rows for random schemas, and what of them has to survive.

use std::collections::{BTreeMap, BTreeSet};

use fastrand::Rng;
use hollow_oak_core::Dialect;
use hollow_oak_core::physical::{Column, Schema, Table};
use hollow_oak_core::plan::Choices;

use crate::store::Store;

/// Tries to put some rows into every table; what the constraints refuse is left out. Returns how many are there.
///
/// # Errors
///
/// Where the database does not answer.
pub fn fill(rng: &mut Rng, store: &mut dyn Store, schema: &Schema) -> Result<usize, String> {
    if store.dialect() == Dialect::Sqlite {
        store.texts("pragma foreign_keys = on")?;
    }
    let mut count = 0;
    for _ in 0..2 {
        for table in schema.tables() {
            for _ in 0..rng.usize(1..4) {
                count += usize::from(insert(rng, store, schema, table));
            }
        }
    }
    Ok(count)
}

/// A column's value as an SQL literal.
fn as_literal(dialect: Dialect, name: &str) -> String {
    let name = dialect.quote(name);
    match dialect {
        Dialect::Sqlite => format!("quote({name})"),
        Dialect::Postgres => format!("quote_nullable({name}::text)"),
        Dialect::Mariadb(_) => format!("if({name} is null, 'NULL', concat('0x', hex(cast({name} as char))))"),
    }
}

fn insert(rng: &mut Rng, store: &mut dyn Store, schema: &Schema, table: &Table) -> bool {
    let dialect = store.dialect();
    let mut values: BTreeMap<String, String> = BTreeMap::new();
    let is_given = |column: &&Column| {
        column.generated.is_none() && !column.identity.as_ref().is_some_and(|identity| identity.always)
    };
    for column in table.columns.iter().filter(is_given) {
        values.insert(column.name.clone(), value(rng, dialect, schema, table, column));
    }
    for key in &table.foreign_keys {
        let columns: Vec<_> = key.referenced_columns.iter().map(|name| as_literal(dialect, name)).collect();
        let from = dialect.quote_object(&key.referenced_table);
        let random = if matches!(dialect, Dialect::Mariadb(_)) { "rand()" } else { "random()" };
        let found = store.texts(&format!("select {} from {from} order by {random} limit 1", columns.join(", ")));
        let row = found.ok().and_then(|rows| rows.into_iter().next());
        let row = row.unwrap_or_else(|| vec![None; columns.len()]);
        let literals = row.into_iter().map(|value| value.unwrap_or_else(|| "null".into()));
        values.extend(
            key.columns
                .iter()
                .cloned()
                .zip(literals)
                .filter(|(name, _)| table.column(name).is_some_and(|column| is_given(&column))),
        );
    }
    let names: Vec<_> = values.keys().map(|name| dialect.quote(name)).collect();
    let list: Vec<_> = values.values().map(String::as_str).collect();
    let (ignore, conflict) = match dialect {
        Dialect::Sqlite => ("or ignore ", ""),
        Dialect::Postgres => ("", " on conflict do nothing"),
        Dialect::Mariadb(_) => ("", ""),
    };
    let into = dialect.quote_object(&table.name);
    let sql = if names.is_empty() {
        match dialect {
            Dialect::Mariadb(_) => format!("insert into {into} () values ()"),
            Dialect::Sqlite | Dialect::Postgres => format!("insert into {into} default values"),
        }
    } else {
        format!("insert {ignore}into {into} ({}) values ({}){conflict}", names.join(", "), list.join(", "))
    };
    store.execute(&sql).is_ok_and(|count| count > 0)
}

pub(crate) fn value(rng: &mut Rng, dialect: Dialect, schema: &Schema, table: &Table, column: &Column) -> String {
    if column.nullable && rng.u8(..4) == 0 {
        return "null".into();
    }
    match dialect {
        Dialect::Sqlite => loose_value(rng, table, column),
        Dialect::Postgres => {
            let of_enum = schema.enums().find(|one| dialect.is_of_enum(&column.ty, &one.name));
            match of_enum {
                Some(_) if column.ty.text().ends_with("[]") => "'{}'".into(),
                Some(one) => dialect.literal(rng.choice(&one.words).map_or("", String::as_str)),
                None => typed_value(rng, column),
            }
        }
        Dialect::Mariadb(_) => match column.ty.canonical().strip_prefix("enum(") {
            Some(words) => {
                words.split("','").next().map(|word| format!("{}'", word.trim_end_matches("')"))).unwrap_or_default()
            }
            None => typed_value(rng, column),
        },
    }
}

/// A value that fits a column of a server, which minds.
fn typed_value(rng: &mut Rng, column: &Column) -> String {
    let number = rng.i32(1..9000);
    let ty = column.ty.canonical();
    let begins = |words: &[&str]| words.iter().any(|word| ty.starts_with(word));
    if ty.ends_with("[]") {
        "'{}'".into()
    } else if ty == "TINYINT(1)" {
        (number % 2).to_string()
    } else if begins(&["INTERVAL"]) {
        format!("'{number} seconds'")
    } else if begins(&["TSVECTOR"]) {
        format!("'hive{number}'")
    } else if begins(&["SMALLINT", "INT", "BIGINT", "TINYINT", "MEDIUMINT"]) {
        (number % 120).to_string()
    } else if begins(&["NUMERIC", "DECIMAL", "REAL", "DOUBLE", "FLOAT"]) {
        format!("{number}.25")
    } else if begins(&["BOOL"]) {
        rng.bool().to_string()
    } else if begins(&["DATE", "TIME"]) {
        format!("'2026-05-01 10:{:02}:{:02}'", number % 60, number / 60 % 60)
    } else if begins(&["UUID"]) {
        format!("'00000000-0000-4000-8000-00000000{number:04}'")
    } else if begins(&["JSON"]) {
        format!("'{{\"n\": {number}}}'")
    } else if begins(&["LONGBLOB", "VARBINARY"]) {
        format!("x'00{number:04}'")
    } else if ty == "CHAR(36)" {
        format!("'00000000-0000-4000-8000-00000000{number:04}'")
    } else if begins(&["BYTEA"]) {
        format!("'\\x00{number:04}'")
    } else if begins(&["INET"]) {
        format!("'10.0.{}.{}'", number / 256, number % 256)
    } else if begins(&["BIT"]) {
        format!("'{:05b}'", number % 32)
    } else if begins(&["CHARACTER(2)", "CHAR(2)"]) {
        format!("'{:02}'", number % 100)
    } else {
        format!("'''{number}'")
    }
}

fn loose_value(rng: &mut Rng, table: &Table, column: &Column) -> String {
    // The check that stands in for an enum begins with its words.
    let word = table.checks.iter().find_map(|check| {
        let text = check.expression.text();
        let list = text.strip_suffix(')')?.split_once(" in ('")?;
        let is_this = list.0.trim_matches('"').replace("\"\"", "\"") == column.name;
        is_this.then(|| list.1.split("', '").next().unwrap_or_default().trim_end_matches('\'').to_owned())
    });
    if let Some(word) = word {
        return format!("'{word}'");
    }
    let number = rng.i32(1..100_000);
    let ty = column.ty.canonical();
    if ty.starts_with("JSON") {
        format!("'{{\"n\": {number}}}'")
    } else if ty == "BLOB" {
        format!("x'00{:04x}'", number % 0x1_0000)
    } else if ["CHAR", "TEXT", "UUID", "ANY"].iter().any(|word| ty.contains(word)) {
        format!("'it''s {number}'")
    } else if ["DATE", "TIME"].iter().any(|word| ty.starts_with(word)) {
        format!("'2026-05-01 10:{:02}:{:02}'", number % 60, number / 60 % 60)
    } else if ["REAL", "DOUBLE", "DECIMAL"].iter().any(|word| ty.starts_with(word)) {
        format!("{number}.25")
    } else {
        number.to_string()
    }
}

/// The values of some columns of a table, by rows, sorted; every value as an SQL literal.
///
/// # Errors
///
/// The database's message.
pub fn snapshot(store: &mut dyn Store, table: &str, columns: &[String]) -> Result<Vec<String>, String> {
    let dialect = store.dialect();
    let list: Vec<_> = columns.iter().map(|name| as_literal(dialect, name)).collect();
    let list = if list.is_empty() { "'row'".to_owned() } else { list.join(", ") };
    let rows = store.texts(&format!("select {list} from {}", dialect.quote_object(table)))?;
    let mut rows: Vec<String> = rows
        .into_iter()
        .map(|row| row.into_iter().map(|value| value.unwrap_or_else(|| "NULL".into())).collect::<Vec<_>>().join(", "))
        .collect();
    rows.sort();
    Ok(rows)
}

/// Columns whose values have to be the same in both schemas: by table, the old name and the new one. Those that are
/// converted are not among them.
pub fn surviving(from: &Schema, to: &Schema, choices: &Choices) -> BTreeMap<(String, String), Vec<(String, String)>> {
    let renames = choices.renames.within(from, to);
    let case = from.case();
    let is_new = |names: Option<&BTreeMap<String, String>>, name: &str| {
        names.is_some_and(|names| names.values().any(|new| case.table_key(new) == case.table_key(name)))
    };
    let mut tables = BTreeMap::new();
    for old in from.tables() {
        if !renames.tables.contains_key(&old.name) && is_new(Some(&renames.tables), &old.name) {
            continue;
        }
        let Some(new) = to.table(renames.new_table(&old.name)) else { continue };
        let names = renames.columns_of(&old.name);
        let columns = old.columns.iter().filter_map(|column| {
            let renamed = names.and_then(|names| names.get(&column.name));
            if renamed.is_none() && is_new(names, &column.name) {
                return None;
            }
            let other = new.column(renamed.unwrap_or(&column.name))?;
            let has_words = renames.words.keys().any(|owner| is_of(column, owner));
            if has_words || choices.values_of(&new.name, &other.name).is_some() {
                return None;
            }
            let same = column.ty == other.ty && column.collation == other.collation;
            let plain = column.generated.is_none() && other.generated.is_none();
            (same && plain).then(|| (column.name.clone(), other.name.clone()))
        });
        tables.insert((old.name.clone(), new.name.clone()), columns.collect());
    }
    tables
}

/// Whether a column is of an enum type of this name, or of an array of it.
fn is_of(column: &Column, owner: &str) -> bool {
    Dialect::Postgres.is_of_enum(&column.ty, owner)
}

/// Removes every row of the tables of both schemas, as far as they are there.
///
/// # Errors
///
/// The database's message.
pub fn clear(store: &mut dyn Store, schemas: [&Schema; 2]) -> Result<(), String> {
    let dialect = store.dialect();
    let names: BTreeSet<_> =
        schemas.iter().flat_map(|one| one.tables()).map(|table| dialect.quote_object(&table.name)).collect();
    match dialect {
        // A run that was refused half way may have dropped some of them.
        Dialect::Postgres => {
            for name in names {
                match store.execute(&format!("truncate {name} cascade")) {
                    Err(message) if message.contains("does not exist") => {}
                    other => other.map(|_| ())?,
                }
            }
            Ok(())
        }
        Dialect::Mariadb(_) => {
            store.execute("set foreign_key_checks = 0")?;
            for name in names {
                match store.execute(&format!("delete from {name}")) {
                    Err(message) if message.contains("doesn't exist") => {}
                    other => other.map(|_| ())?,
                }
            }
            store.execute("set foreign_key_checks = 1").map(|_| ())
        }
        Dialect::Sqlite => {
            store.texts("pragma foreign_keys = off")?;
            for name in names {
                match store.execute(&format!("delete from {name}")) {
                    Err(message) if message.contains("no such table") => {}
                    other => other.map(|_| ())?,
                }
            }
            store.texts("pragma foreign_keys = on")?;
            Ok(())
        }
    }
}
