//! The catalogue of a MariaDB or MySQL database as a physical schema.
//!
//! The rows are what the database crate's queries give; which column of `information_schema` each comes from is said
//! there.

use std::collections::{BTreeMap, BTreeSet};

pub use super::ddl::{in_own_literals, partitioning};
use super::lower::{as_unique, is_plain_unique, leave_out_usual, own_check, stated, table_collation};
use super::types::{is_binary, is_text, type_name};
use super::{FACTS, Flavor, SYNTAX};
use crate::dialect::Dialect;
pub use crate::dialect::others::OtherRow;
use crate::dialect::others::told_apart;
use crate::physical::{
    Check, Column, ForeignKey, Generated, Index, IndexKey, IndexPart, Introspected, KeyColumn, NameCase, Noted,
    ObjectKind, Options, PrimaryKey, Schema, Table, Unmanaged,
};
use crate::schema::{Action, Deferrable, Storage};
use crate::sql::{Expression, Lexer, TokenKind};

/// Engines whose tables are columns, keys and plain options. What a table of another one stands for (tables, files or
/// servers) only its statement tells (MariaDB, "Storage Engines"; MySQL 8.4, "Alternative Storage Engines").
const PLAIN_ENGINES: [&str; 12] = [
    "innodb",
    "myisam",
    "aria",
    "memory",
    "heap",
    "csv",
    "archive",
    "blackhole",
    "rocksdb",
    "columnstore",
    "ndb",
    "ndbcluster",
];

/// Whether the catalogue tells everything of a table with this engine.
pub fn tells_all(engine: &str) -> bool {
    PLAIN_ENGINES.iter().any(|one| engine.eq_ignore_ascii_case(one))
}

/// Rows of the catalogue, one list a kind of object.
#[derive(Clone, Debug, Default)]
pub struct Catalogue {
    /// Tables.
    pub tables: Vec<TableRow>,
    /// Their columns, in order.
    pub columns: Vec<ColumnRow>,
    /// Parts of their indexes, in order.
    pub parts: Vec<PartRow>,
    /// Columns of their references, in order.
    pub references: Vec<ReferenceRow>,
    /// Their checks.
    pub checks: Vec<CheckRow>,
    /// Everything else.
    pub others: Vec<OtherRow>,
    /// What can only be named.
    pub unreadable: Vec<Unmanaged>,
    /// How the server compares names; MariaDB's own way on most systems, unless it is told.
    pub name_case: Option<NameCase>,
    /// Whether it takes descending keys and makes them ascend, as MariaDB before 10.8 does.
    pub forgets_descent: bool,
}

/// A table.
#[derive(Clone, Debug, Default)]
pub struct TableRow {
    /// Its name.
    pub name: String,
    /// Its engine.
    pub engine: String,
    /// Its default collation.
    pub collation: String,
    /// Options of its making that are not as usual.
    pub options: Vec<String>,
    /// Its description; empty for none.
    pub comment: String,
}

/// A column.
#[derive(Clone, Debug, Default)]
pub struct ColumnRow {
    /// Its table.
    pub table: String,
    /// Its name.
    pub name: String,
    /// Its whole type.
    pub ty: String,
    /// Whether it may hold null.
    pub nullable: bool,
    /// Its default.
    pub default: Option<String>,
    /// `auto_increment`, `on update …`, `VIRTUAL GENERATED` and the like.
    pub extra: String,
    /// The expression that computes it.
    pub generated: Option<String>,
    /// Its collation.
    pub collation: Option<String>,
    /// Its description; empty for none.
    pub comment: String,
}

/// A part of an index.
#[derive(Clone, Debug, Default)]
pub struct PartRow {
    /// The table.
    pub table: String,
    /// The index.
    pub index: String,
    /// Whether two rows may not share a key.
    pub unique: bool,
    /// The column.
    pub column: Option<String>,
    /// The expression, where there is no column.
    pub expression: Option<String>,
    /// Whether the order is descending.
    pub descending: bool,
    /// The length of the prefix, where it is not the whole column.
    pub prefix: Option<u32>,
    /// `BTREE`, `HASH`, `FULLTEXT`, `SPATIAL`, `VECTOR`.
    pub method: String,
    /// What is not as usual about the index, in words.
    pub peculiarities: Vec<String>,
}

/// A column of a reference.
#[derive(Clone, Debug, Default)]
pub struct ReferenceRow {
    /// The table.
    pub table: String,
    /// The reference.
    pub name: String,
    /// The column.
    pub column: String,
    /// The referenced table, with its database where it is another one.
    pub referenced_table: String,
    /// The referenced column.
    pub referenced_column: String,
    /// What follows from deleting the referenced row, in the server's words.
    pub on_delete: String,
    /// What follows from changing the referenced key, in the server's words.
    pub on_update: String,
}

/// A check.
#[derive(Clone, Debug, Default)]
pub struct CheckRow {
    /// The table.
    pub table: String,
    /// The check.
    pub name: String,
    /// Its condition.
    pub condition: String,
    /// Whether it stands with a column.
    pub of_column: bool,
    /// Whether it is in force.
    pub enforced: bool,
}

/// Puts the rows together.
pub fn introspect(flavor: Flavor, catalogue: Catalogue) -> Introspected {
    let mut tables: BTreeMap<String, Table> = BTreeMap::new();
    let name_case = catalogue.name_case.unwrap_or(FACTS.name_case);
    for row in catalogue.tables {
        let mut table = Table::new(row.name, name_case);
        table.options.insert(format!("collate={}", row.collation));
        if !row.engine.eq_ignore_ascii_case("innodb") {
            table.options.insert(format!("engine={}", row.engine.to_ascii_lowercase()));
        }
        let compared = |option: String| match option.split_once('=') {
            Some((name, value)) => stated(name, value),
            None => option,
        };
        table.options.extend(row.options.into_iter().map(compared));
        leave_out_usual(&mut table.options);
        table.comment = filled(row.comment);
        tables.insert(table.name.clone(), table);
    }
    // A JSON column is a long text with a check of its own on MariaDB (MariaDB, "JSON Data Type").
    let json: BTreeSet<(String, String)> =
        catalogue.checks.iter().filter_map(|check| Some((check.table.clone(), json_column(check)?))).collect();
    for row in catalogue.columns {
        let is_json = json.contains(&(row.table.clone(), row.name.clone()));
        if let Some(table) = tables.get_mut(&row.table) {
            let made = column(flavor, row, is_json, &table_collation(table));
            table.columns.push(made);
        }
    }
    tables.values_mut().for_each(|table| table.fit());
    indexes(flavor, catalogue.parts, &mut tables);
    let objects = catalogue.others.iter().filter(|one| one.kind == ObjectKind::Table);
    let objects: BTreeSet<String> = objects.map(|one| one.name.to_lowercase()).collect();
    references(catalogue.references, &objects, &mut tables);
    for row in catalogue.checks {
        let Some(table) = tables.get_mut(&row.table) else { continue };
        let validated = json_column(&row).and_then(|name| table.column(&name));
        if validated.is_some_and(|column| column.ty.canonical() == "JSON") {
            continue;
        }
        let expression = expression(flavor, &row.condition);
        // It is written with its column, has no name but that, and goes where the column is altered without it.
        if row.of_column {
            if let Some(column) = holder(table, &row.name, &expression) {
                column.attributes.insert(own_check(&row.condition));
            }
            continue;
        }
        let mut attributes = Options::new();
        if !row.enforced {
            attributes.insert("not enforced".to_owned());
        }
        table.checks.push(Check { name: Some(row.name), expression, attributes });
    }
    let (programs, mut unmanaged) = told_apart(Dialect::Mariadb(flavor), catalogue.others);
    unmanaged.extend(catalogue.unreadable);
    unmanaged.sort();
    let mut schema = Schema::new(name_case, tables.into_values()).with_programs(programs);
    if catalogue.forgets_descent {
        schema = schema.without_descent();
    }
    Introspected { schema, unmanaged }
}

/// The column that a check is written with. The check keeps its name when the column gets another, so that none may be
/// called so, or one that came later: then it is one that the check reads.
fn holder<'a>(table: &'a mut Table, name: &str, check: &Expression) -> Option<&'a mut Column> {
    let is_called = |column: &Column| column.name.eq_ignore_ascii_case(name);
    let is_read = |column: &Column| check.mentions(&column.name);
    let columns = &mut table.columns;
    let at = columns
        .iter()
        .position(|column| is_called(column) && is_read(column))
        .or_else(|| columns.iter().position(is_read))
        .or_else(|| columns.iter().position(is_called));
    columns.get_mut(at?)
}

/// The column that a check is the JSON type of. The check keeps its name when the column gets another.
fn json_column(check: &CheckRow) -> Option<String> {
    let name = check.condition.strip_prefix("json_valid(`")?.strip_suffix("`)")?;
    check.of_column.then(|| name.replace("``", "`"))
}

fn filled(text: String) -> Option<String> {
    Some(text).filter(|text| !text.is_empty())
}

fn column(flavor: Flavor, row: ColumnRow, is_json: bool, table_collation: &str) -> Column {
    // MariaDB, "Storage-Engine Independent Column Compression": other clients are to pass over the word.
    let row = ColumnRow { ty: row.ty.replace("/*M!100301 COMPRESSED*/", "compressed"), ..row };
    let is_json = is_json && row.ty.eq_ignore_ascii_case("longtext") && row.collation.as_deref() == Some("utf8mb4_bin");
    let ty = if is_json { type_name("json") } else { type_name(&row.ty) };
    let mut column = Column::new(row.name, ty);
    column.nullable = row.nullable;
    let extra = row.extra.to_ascii_lowercase();
    if let Some(text) = filled(row.generated.unwrap_or_default()) {
        let storage =
            if extra.contains("stored") || extra.contains("persistent") { Storage::Stored } else { Storage::Virtual };
        column.generated = Some(Box::new(Generated { expression: expression(flavor, &text), storage }));
        // MariaDB, "Generated (Virtual and Persistent/Stored) Columns": it may hold null, whatever it is computed from.
        column.nullable |= flavor == Flavor::Mariadb;
    } else {
        column.default = row.default.and_then(|text| default(flavor, &text, &extra, &column)).map(Box::new);
    }
    if is_text(&column.ty) {
        column.collation = row.collation.filter(|name| name != table_collation);
    }
    for word in extra.split(',').flat_map(|part| part.split("default_generated")).map(str::trim) {
        match word {
            "" => {}
            "auto_increment" => column.identity = Some(Box::default()),
            other if other.contains("generated") => {
                if other.contains("invisible") {
                    column.attributes.insert("invisible".into());
                }
            }
            // MySQL leaves out the parentheses that MariaDB writes.
            "on update current_timestamp" => {
                column.attributes.insert("on update current_timestamp()".into());
            }
            other => {
                column.attributes.insert(other.to_owned());
            }
        }
    }
    column.comment = filled(row.comment);
    column
}

/// An expression that is stored. MySQL puts the character set of the session that said a text before it; it is that of the
/// sessions that read it here.
fn expression(flavor: Flavor, text: &str) -> Expression {
    if flavor == Flavor::Mariadb || !text.contains('\'') {
        return Expression::read(text, SYNTAX);
    }
    let mut plain = String::with_capacity(text.len());
    let mut tokens = Lexer::new(text, 0, SYNTAX).peekable();
    while let Some(token) = tokens.next() {
        let is_before_text = tokens.peek().is_some_and(|next| next.kind == TokenKind::Text);
        if !(is_before_text && token.span.text(text) == INTRODUCER) {
            plain.push_str(token.span.text(text));
        }
    }
    Expression::read(&in_own_literals(&plain), SYNTAX)
}

/// What stands before a text of the character set that sessions of ours have.
const INTRODUCER: &str = "_utf8mb4";

fn default(flavor: Flavor, text: &str, extra: &str, column: &Column) -> Option<Expression> {
    match flavor {
        // MariaDB 10.2.7, "Information Schema COLUMNS Table": literals are quoted, and no default is the word NULL.
        Flavor::Mariadb if text == "NULL" => None,
        Flavor::Mariadb => Some(Expression::read(text, SYNTAX)),
        // MySQL 8.4, "The INFORMATION_SCHEMA COLUMNS Table": the value itself, and expressions are marked.
        Flavor::Mysql if extra.contains("default_generated") => Some(expression(flavor, text)),
        // Seen on MySQL 9.7: bits and bytes as literals of theirs.
        Flavor::Mysql if column.ty.canonical().starts_with("BIT") && text.starts_with("b'") => {
            Some(Expression::read(text, SYNTAX))
        }
        Flavor::Mysql if is_binary(&column.ty) && text.starts_with("0x") => {
            let bytes = (2..text.len()).step_by(2).map(|at| u8::from_str_radix(text.get(at..at + 2)?, 16).ok());
            let said = bytes.collect::<Option<Vec<u8>>>().and_then(|bytes| String::from_utf8(bytes).ok());
            let literal =
                said.map_or(format!("x'{}'", &text[2..].to_ascii_lowercase()), |said| super::quote::literal(&said));
            Some(Expression::read(&literal, SYNTAX))
        }
        Flavor::Mysql => {
            let is_number = text.parse::<f64>().is_ok() && !is_text(&column.ty);
            let text = if is_number { text.to_owned() } else { super::quote::literal(text) };
            Some(Expression::read(&text, SYNTAX))
        }
    }
}

fn indexes(flavor: Flavor, parts: Vec<PartRow>, tables: &mut BTreeMap<String, Table>) {
    for rows in parts.chunk_by(|a, b| a.table == b.table && a.index == b.index) {
        let first = &rows[0];
        let Some(table) = tables.get_mut(&first.table) else { continue };
        if first.index == "PRIMARY" {
            let columns = rows.iter().filter_map(|row| {
                let name = row.column.clone()?;
                Some(KeyColumn { descending: row.descending, ..KeyColumn::new(name) })
            });
            let prefixes = rows.iter().filter_map(|row| Some(prefix_option(row.column.as_deref()?, row.prefix?)));
            let mut attributes: Options = prefixes.collect();
            attributes.extend(first.peculiarities.iter().filter(|one| one.starts_with("comment ")).cloned());
            if table.has_option("engine=memory") && first.method.eq_ignore_ascii_case("btree") {
                attributes.insert("using btree".into());
            }
            table.primary_key = Some(PrimaryKey { name: None, columns: columns.collect(), attributes });
            continue;
        }
        let made = rows.iter().map(|row| {
            let key = match (&row.column, &row.expression) {
                (Some(name), _) => IndexKey::Column(name.clone()),
                (None, text) => IndexKey::Expression(expression(flavor, text.as_deref().unwrap_or_default())),
            };
            IndexPart { descending: row.descending, prefix: row.prefix, ..IndexPart::new(key) }
        });
        let method = first.method.to_ascii_lowercase();
        let mut index = Index::new(first.index.clone(), first.unique, made.collect());
        index.attributes = first.peculiarities.iter().cloned().collect();
        index.method = Some(method.clone()).filter(|method| method != "btree");
        // In memory an index is one by hash unless it says otherwise (MariaDB, "Storage Engine Index Types").
        if table.has_option("engine=memory") {
            match method.as_str() {
                "btree" => index.attributes.extend(["using btree".to_owned()]),
                "hash" => index.method = None,
                _ => {}
            }
        }
        if matches!(index.method.as_deref(), Some("fulltext" | "spatial" | "vector")) {
            index.parts.iter_mut().for_each(|part| part.prefix = None);
        }
        match is_plain_unique(&index) {
            true => table.uniques.push(as_unique(index)),
            false => table.indexes.push(index),
        }
    }
}

/// The option of a primary key that holds only the beginning of a column.
pub(super) fn prefix_option(column: &str, length: u32) -> String {
    format!("prefix {column}({length})")
}

fn references(rows: Vec<ReferenceRow>, objects: &BTreeSet<String>, tables: &mut BTreeMap<String, Table>) {
    let names: BTreeSet<String> = tables.keys().map(|name| name.to_lowercase()).collect();
    // What is in another database is not known here.
    let is_there = |name: &str| {
        let small = name.to_lowercase();
        names.contains(&small) || objects.contains(&small) || name.contains('.')
    };
    for rows in rows.chunk_by(|a, b| a.table == b.table && a.name == b.name) {
        let first = &rows[0];
        let Some(table) = tables.get_mut(&first.table) else { continue };
        table.foreign_keys.push(ForeignKey {
            name: Some(first.name.clone()),
            columns: rows.iter().map(|row| row.column.clone()).collect(),
            referenced_table: first.referenced_table.clone(),
            referenced_columns: rows.iter().map(|row| row.referenced_column.clone()).collect(),
            on_delete: action(&first.on_delete),
            on_update: action(&first.on_update),
            deferrable: Deferrable::No,
            attributes: Options::new(),
            dangles: Noted(!is_there(&first.referenced_table)),
        });
    }
}

/// InnoDB takes RESTRICT and NO ACTION for the same (MariaDB, "Foreign Keys").
fn action(words: &str) -> Action {
    match words.to_ascii_uppercase().as_str() {
        "CASCADE" => Action::Cascade,
        "SET NULL" => Action::SetNull,
        "SET DEFAULT" => Action::SetDefault,
        _ => Action::NoAction,
    }
}
