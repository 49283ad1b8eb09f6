//! Views over the tables of a random schema.

use std::hash::{DefaultHasher, Hash, Hasher};

use hollow_oak_core::Dialect;
use hollow_oak_core::schema::{Column, Identifier, Program, ProgramKind, Schema, Scope, Table};

use crate::generate::valid;

/// The schema with views over some of its tables, and over some of these views.
///
/// Which tables and columns they read follows from the seed and from what these were called first, so that the views of a
/// schema and of one that came from it by edits are the same but for what the edits ask for.
pub fn with_views(schema: Schema, dialect: Dialect, seed: u64) -> Schema {
    let mut parts = schema.clone().into_parts();
    let views: Vec<Program> = parts.tables.iter().flat_map(|table| views(table, dialect, seed)).collect();
    parts.programs.extend(views);
    // A name may be too long for one more.
    valid(parts, dialect).map_or(schema, |(schema, _)| schema)
}

fn views(table: &Table, dialect: Dialect, seed: u64) -> Vec<Program> {
    let first = |name: &Identifier, formerly: Option<&Identifier>| formerly.unwrap_or(name).as_str().to_lowercase();
    let root = first(&table.name, table.formerly.as_ref());
    let chance = |of: &str| {
        let mut hasher = DefaultHasher::new();
        (seed, &root, of).hash(&mut hasher);
        hasher.finish()
    };
    if chance("view") % 3 == 0 {
        return Vec::new();
    }
    let is_read = |column: &&Column| chance(&first(&column.name, column.formerly.as_ref())) % 2 == 0;
    let columns: Vec<String> =
        table.columns.iter().filter(is_read).map(|column| dialect.quote(column.name.as_str())).collect();
    let Some(condition) = columns.first() else { return Vec::new() };
    let name = format!("seen {}", chance("name") % 1000);
    let source = [table.name.namespace(), Some(table.name.base())];
    let source: Vec<String> = source.into_iter().flatten().map(|part| dialect.quote(part)).collect();
    let body = format!("select {} from {} where {condition} is not null", columns.join(", "), source.join("."));
    let over = format!("select {condition} from {}", dialect.quote(&name));
    let mut views = vec![view(&name, body)];
    if chance("over") % 2 == 0 {
        views.push(view(&format!("{name} again"), over));
    }
    views
}

fn view(name: &str, body: String) -> Program {
    Program {
        kind: ProgramKind::View,
        word: None,
        name: name.into(),
        table: None,
        body,
        form: None,
        drop: None,
        after: Vec::new(),
        about: None,
        scope: Scope::All,
    }
}
