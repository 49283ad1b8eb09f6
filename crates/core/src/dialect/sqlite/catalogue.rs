//! The catalogue of a SQLite database as a physical schema.

use std::collections::BTreeMap;

use super::lower;
use super::{FACTS, ddl, fold, rowid_alias};
use crate::physical::{Column, IndexKey, Introspected, ObjectKind, Program, Schema, Table, Unmanaged};
use crate::schema::ProgramKind;
use crate::sql::{Expression, Lexer, Syntax};

/// One row of the catalogue.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Definition {
    /// The kind, in the catalogue's word: `table`, `index`, `view`, `trigger`.
    pub kind: String,
    /// The object's name.
    pub name: String,
    /// The table it belongs to.
    pub table: String,
    /// Its SQL; nothing for an index that a constraint brings along.
    pub sql: Option<String>,
}

/// Reads a catalogue; table by table.
///
/// Nothing is passed over: a definition that cannot be read, and a table with an index that cannot, is unmanaged.
pub fn introspect(definitions: impl IntoIterator<Item = Definition>) -> Introspected {
    let mut tables: BTreeMap<String, Table> = BTreeMap::new();
    let mut unmanaged = Vec::new();
    let mut programs = Vec::new();
    let mut rest = Vec::new();
    for mut definition in definitions {
        let Some(sql) = definition.sql.take() else { continue };
        match definition.kind.as_str() {
            "table" if is_virtual(&sql) => programs.push(virtual_table(definition, sql)),
            "table" => match ddl::table(&sql) {
                Some(mut table) => {
                    table.fit();
                    tables.insert(fold(&definition.name), Table { name: definition.name, ..table });
                }
                None => unmanaged.push(object(ObjectKind::Unreadable, definition, sql)),
            },
            _ => rest.push((definition, sql)),
        }
    }
    for (definition, sql) in rest {
        match definition.kind.as_str() {
            "view" if names_columns(&sql) => programs.push(view_with_columns(definition, sql)),
            "view" => programs.push(program(ProgramKind::View, definition, sql)),
            "trigger" => programs.push(program(ProgramKind::Trigger, definition, sql)),
            "index" => match (tables.get_mut(&fold(&definition.table)), ddl::index(&sql)) {
                (Some(table), Some(index)) => {
                    table.indexes.reserve_exact(1);
                    table.indexes.push(index);
                }
                _ => unmanaged.push(object(ObjectKind::Unreadable, definition, sql)),
            },
            _ => unmanaged.push(object(ObjectKind::Unreadable, definition, sql)),
        }
    }
    complete(&mut tables);
    as_named(&mut programs, &tables);
    unmanaged.sort();
    let tables = tables.into_values();
    Introspected { schema: Schema::new(FACTS.name_case, tables).with_programs(programs), unmanaged }
}

/// A trigger stands on its table or view by whatever case somebody wrote its name in; here by the name that it has.
fn as_named(programs: &mut [Program], tables: &BTreeMap<String, Table>) {
    let views = programs.iter().filter(|program| program.table.is_none()).map(|program| program.name.clone());
    let views: BTreeMap<String, String> = views.map(|name| (fold(&name), name)).collect();
    for table in programs.iter_mut().filter_map(|program| program.table.as_mut()) {
        let key = fold(table);
        if let Some(name) = tables.get(&key).map(|table| &table.name).or_else(|| views.get(&key)) {
            table.clone_from(name);
        }
    }
}

/// A virtual table is what its statement says; the tables that it keeps its rows in come and go with it.
fn virtual_table(definition: Definition, sql: String) -> Program {
    let drop = format!("drop table {}", super::quote::quote(&definition.name));
    Program {
        drop,
        word: Some(ObjectKind::VirtualTable.word().to_owned()),
        ..program(ProgramKind::Object, definition, sql)
    }
}

/// SQLite keeps the statement as it was given, from its `create` on.
fn program(kind: ProgramKind, definition: Definition, sql: String) -> Program {
    let body = match kind {
        ProgramKind::View => query_of(&sql).unwrap_or(&sql).to_owned(),
        _ => sql.clone(),
    };
    Program {
        kind,
        word: None,
        after: Vec::new(),
        is_early: false,
        alters: false,
        drop: format!("drop {} {}", kind.word(), super::quote::quote(&definition.name)),
        table: Some(definition.table).filter(|_| kind == ProgramKind::Trigger),
        name: definition.name,
        body: Expression::read_whole(&body, Syntax::PLAIN),
        comment: None,
        create: sql,
    }
}

/// Whether a view's statement says how its columns are called.
fn names_columns(sql: &str) -> bool {
    let mut words = Lexer::new(sql, 0, Syntax::PLAIN).map(|token| token.span.text(sql));
    words.find(|word| *word == "(" || word.eq_ignore_ascii_case("as")).is_some_and(|word| word == "(")
}

/// Such a view is more than its query, and is what its statement says.
fn view_with_columns(definition: Definition, sql: String) -> Program {
    let word = Some(ObjectKind::View.word().to_owned());
    let drop = format!("drop view {}", super::quote::quote(&definition.name));
    Program { drop, word, ..program(ProgramKind::Object, definition, sql) }
}

/// What stands behind the first `as` of a view's statement.
fn query_of(sql: &str) -> Option<&str> {
    let mut depth = 0;
    for token in Lexer::new(sql, 0, Syntax::PLAIN) {
        match token.span.text(sql) {
            "(" => depth += 1,
            ")" => depth -= 1,
            word if depth == 0 && word.eq_ignore_ascii_case("as") => return Some(&sql[token.span.end..]),
            _ => {}
        }
    }
    None
}

fn object(kind: ObjectKind, definition: Definition, sql: String) -> Unmanaged {
    let table = (definition.table != definition.name).then_some(definition.table);
    Unmanaged { kind, name: definition.name, table, sql }
}

fn is_virtual(sql: &str) -> bool {
    sql.split_ascii_whitespace().nth(1).is_some_and(|word| word.eq_ignore_ascii_case("virtual"))
}

/// Fills in what the statements leave to SQLite.
fn complete(tables: &mut BTreeMap<String, Table>) {
    let names: Vec<String> = tables.keys().cloned().collect();
    for name in names {
        // Away from the others meanwhile, which its references look at.
        let Some(place) = tables.get_mut(&name) else { continue };
        let mut table = std::mem::replace(place, Table::new(String::new(), FACTS.name_case));
        spell_keys(&mut table);
        leave_out_usual(&mut table);
        refer(&mut table, tables);
        let alias = rowid_alias(&table).map(str::to_owned);
        let without_rowid = table.has_option("without rowid");
        let key: Vec<_> =
            table.primary_key.iter().flat_map(|key| &key.columns).map(|column| fold(&column.name)).collect();
        // The rowid is never null, and a table without one does not take nulls in its key (SQLite, "The WITHOUT ROWID
        // Optimization").
        for column in &mut table.columns {
            let in_key = key.contains(&fold(&column.name));
            if Some(&column.name) == alias.as_ref() || (without_rowid && in_key) {
                column.nullable = false;
            }
        }
        tables.insert(name, table);
    }
}

/// Has the references of a table name the others, and itself, as they are called.
fn refer(table: &mut Table, others: &BTreeMap<String, Table>) {
    let Table { name, columns, primary_key, foreign_keys, .. } = table;
    let itself = fold(name);
    for reference in foreign_keys {
        let to = fold(&reference.referenced_table);
        let (name, columns, key) = match others.get(&to) {
            _ if to == itself => (&*name, &*columns, &*primary_key),
            Some(other) => (&other.name, &other.columns, &other.primary_key),
            None => continue,
        };
        reference.referenced_table.clone_from(name);
        // A reference without columns means the primary key (SQLite, "Foreign Key Support", "Required and Suggested
        // Database Indexes").
        if reference.referenced_columns.is_empty() {
            let key = key.iter().flat_map(|key| &key.columns);
            reference.referenced_columns = key.map(|column| column.name.clone()).collect();
        }
        reference.referenced_columns.iter_mut().for_each(|name| spell(name, columns));
    }
}

/// Whoever names a column may use other letter case, and means the same.
fn spell(name: &mut String, columns: &[Column]) {
    if let Some(column) = columns.iter().find(|column| column.name.eq_ignore_ascii_case(name)) {
        name.clone_from(&column.name);
    }
}

fn spell_keys(table: &mut Table) {
    let Table { columns, primary_key, uniques, foreign_keys, indexes, .. } = table;
    let keys = primary_key.iter_mut().map(|key| &mut key.columns);
    let keys = keys.chain(uniques.iter_mut().map(|unique| &mut unique.columns));
    keys.flatten().for_each(|column| spell(&mut column.name, columns));
    foreign_keys.iter_mut().flat_map(|key| &mut key.columns).for_each(|name| spell(name, columns));
    for part in indexes.iter_mut().flat_map(|index| &mut index.parts) {
        if let IndexKey::Column(name) = &mut part.key {
            spell(name, columns);
        }
    }
}

/// Takes out of keys and indexes the collation that holds anyway where nothing they read has another.
fn leave_out_usual(table: &mut Table) {
    let collated: Vec<String> =
        table.columns.iter().filter(|column| column.collation.is_some()).map(|one| one.name.clone()).collect();
    let has_own = |name: &str| collated.iter().any(|one| one.eq_ignore_ascii_case(name));
    let is_usual = |collation: &String| lower::collation(collation).is_none();
    let keys = table.primary_key.iter_mut().map(|key| &mut key.columns);
    let keys = keys.chain(table.uniques.iter_mut().map(|unique| &mut unique.columns));
    for column in keys.flatten().filter(|column| !has_own(&column.name)) {
        column.collation.take_if(|collation| is_usual(collation));
    }
    for part in table.indexes.iter_mut().flat_map(|index| &mut index.parts) {
        let has_own = match &part.key {
            IndexKey::Column(name) => has_own(name),
            IndexKey::Expression(expression) => expression.columns().iter().any(|one| has_own(&one.name)),
        };
        part.collation.take_if(|collation| !has_own && is_usual(collation));
    }
}
