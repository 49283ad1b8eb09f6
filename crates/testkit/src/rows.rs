//! Rows for random schemas, and what of them has to survive.

use std::collections::BTreeMap;

use fastrand::Rng;
use hollow_oak_core::physical::{Column, Schema, Table};
use rusqlite::Connection;

fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

/// Tries to put some rows into every table; what the constraints refuse is left out. Returns how many are there.
pub fn fill(rng: &mut Rng, connection: &Connection, schema: &Schema) -> rusqlite::Result<usize> {
    connection.execute_batch("pragma foreign_keys = on")?;
    let mut count = 0;
    for _ in 0..2 {
        for table in schema.tables() {
            for _ in 0..rng.usize(1..4) {
                count += usize::from(insert(rng, connection, table));
            }
        }
    }
    Ok(count)
}

fn insert(rng: &mut Rng, connection: &Connection, table: &Table) -> bool {
    let mut values: BTreeMap<String, String> = BTreeMap::new();
    for column in table.columns.iter().filter(|column| column.generated.is_none()) {
        values.insert(column.name.clone(), value(rng, table, column));
    }
    for key in &table.foreign_keys {
        let columns: Vec<_> = key.referenced_columns.iter().map(|name| format!("quote({})", quoted(name))).collect();
        let sql =
            format!("select {} from {} order by random() limit 1", columns.join(", "), quoted(&key.referenced_table));
        let found = connection.query_row(&sql, [], |row| {
            (0..columns.len()).map(|at| row.get::<_, String>(at)).collect::<Result<Vec<_>, _>>()
        });
        let found = found.unwrap_or_else(|_| vec!["null".into(); columns.len()]);
        values.extend(key.columns.iter().cloned().zip(found));
    }
    let names: Vec<_> = values.keys().map(|name| quoted(name)).collect();
    let list: Vec<_> = values.values().map(String::as_str).collect();
    let sql =
        format!("insert or ignore into {} ({}) values ({})", quoted(&table.name), names.join(", "), list.join(", "));
    connection.execute(&sql, []).is_ok_and(|count| count > 0)
}

fn value(rng: &mut Rng, table: &Table, column: &Column) -> String {
    if column.nullable && rng.u8(..4) == 0 {
        return "null".into();
    }
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
pub fn snapshot(connection: &Connection, table: &str, columns: &[String]) -> rusqlite::Result<Vec<String>> {
    let list: Vec<_> = columns.iter().map(|name| format!("quote({})", quoted(name))).collect();
    let list = if list.is_empty() { "'row'".to_owned() } else { list.join(" || ', ' || ") };
    let mut statement = connection.prepare(&format!("select {list} from {} order by 1", quoted(table)))?;
    let rows = statement.query_map([], |row| row.get(0))?;
    rows.collect()
}

/// Columns whose values have to be the same in both schemas: by table, the old name and the new one.
pub fn surviving(from: &Schema, to: &Schema) -> BTreeMap<(String, String), Vec<(String, String)>> {
    let mut tables = BTreeMap::new();
    for old in from.tables() {
        let Some(new) = to.table(&old.name) else { continue };
        let columns = old.columns.iter().filter_map(|column| {
            let other = new.column(&column.name)?;
            let same =
                column.ty == other.ty && column.generated == other.generated && column.collation == other.collation;
            let plain = column.generated.is_none();
            (same && plain).then(|| (column.name.clone(), other.name.clone()))
        });
        tables.insert((old.name.clone(), new.name.clone()), columns.collect());
    }
    tables
}

/// Removes every row.
pub fn clear(connection: &Connection, schema: &Schema) -> rusqlite::Result<()> {
    connection.execute_batch("pragma foreign_keys = off")?;
    for table in schema.tables() {
        connection.execute(&format!("delete from {}", quoted(&table.name)), [])?;
    }
    connection.execute_batch("pragma foreign_keys = on")
}
