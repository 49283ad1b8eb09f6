//! Reads the SQL of a schema into the rows that `pg_catalog` would have (PostgreSQL 17, "SQL Commands").

mod alter;
mod attached;
mod blocks;
pub(in crate::dialect) mod client;
mod constraints;
mod create;
mod descent;
mod domains;
mod dropping;
mod grants;
mod indexes;
mod labels;
mod names;
mod namespaces;
mod operators;
mod partitions;
mod renaming;
mod tables;

use std::collections::{BTreeMap, BTreeSet};

use super::SYNTAX;
use super::catalogue::{Catalogue, ColumnRow, ConstraintRow, IndexRow, OtherRow, description_of_namespace, introspect};
use super::quote::{literal, quote, quote_object};
use super::render::object_name;
use super::types::type_name;
use crate::dialect::places::Places;
use crate::dialect::reading::{Missing, OrStop, Read, Statements, Stop};
use crate::physical::{Introspected, ObjectKind, qualified};
use crate::sql::{Cursor, TokenKind};

pub(super) use tables::partitioned;

type Reading<T> = Result<T, Stop>;

/// The tablespace that things are in where nothing is said, unless the database has another.
pub(super) const USUAL_PLACE: &str = "pg_default";

/// The namespace that names without one are in.
const PUBLIC: &str = "public";

/// Words that begin a clause of a column, and so end its type and its default.
const CLAUSES: [&str; 16] = [
    "constraint",
    "primary",
    "not",
    "null",
    "unique",
    "check",
    "default",
    "collate",
    "references",
    "generated",
    "storage",
    "compression",
    "deferrable",
    "initially",
    "no",
    "enforced",
];

/// A reference whose columns on the other side are looked up at the end.
struct Pending {
    constraint: usize,
    table: String,
    columns: Vec<String>,
}

/// Statements that leave no trace in a schema.
const WITHOUT_TRACE: [&str; 25] = [
    "set",
    "begin",
    "commit",
    "end",
    "start",
    "reset",
    "analyze",
    "vacuum",
    "lock",
    "reindex",
    "refresh",
    "notify",
    "listen",
    "unlisten",
    "discard",
    "checkpoint",
    "show",
    "load",
    "savepoint",
    "release",
    "explain",
    "prepare",
    "deallocate",
    "values",
    "table",
];

/// What is the server's, and of no schema; `owned` is what a role has.
const OF_SERVER: [&str; 7] = ["role", "user", "group", "database", "tablespace", "system", "owned"];

/// What has been read so far.
#[derive(Default)]
pub(in crate::dialect) struct Reader {
    catalogue: Catalogue,
    /// Columns of tables, in order; the number of each is its position from 1.
    columns: BTreeMap<u32, Vec<String>>,
    pending: Vec<Pending>,
    enums: BTreeSet<String>,
    /// Domains, each with the type that it is of.
    domains: BTreeMap<String, String>,
    /// Owners of sequences by name.
    owners: BTreeMap<String, (String, String)>,
    /// Tables that became parts of others.
    parts: Vec<partitions::Part>,
    /// The tables that others inherit from, by the latter, in the order in which they are said.
    parents: BTreeMap<u32, Vec<u32>>,
    /// The namespace that names without one are in now, where it is not `public`.
    namespace: Option<String>,
    /// Namespaces other than `public` that extensions are in; what they bring is not known.
    extended: BTreeSet<String>,
    /// The statements that made the indexes, by table and name.
    index_statements: BTreeMap<(u32, String), String>,
    /// Indexes `on only` a table that no part of it has one for so far, each with the statement that makes it.
    alone: BTreeMap<String, String>,
    /// Indexes, and what became parts of them.
    attached: Vec<(String, String)>,
    /// Tables, views and sequences of the session that runs the file.
    temporary: BTreeSet<String>,
    /// Where tables stand, by number and by name, and the columns of each.
    places: Places<u32>,
    name_places: Places<String>,
    column_places: Places<u32>,
}

impl Statements for Reader {
    fn statement(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        match word.as_str() {
            "create" => self.create(cursor, sql),
            "alter" => self.alter(cursor, sql),
            "comment" => {
                let read = self.comment(cursor, sql)?;
                if cursor.is_at_end() { Ok(read) } else { Err(Stop::Here) }
            }
            "drop" => self.drop(cursor),
            "grant" => self.grant(cursor),
            "revoke" => self.revoke(cursor),
            "set" if self.search_path(cursor)? => Ok(Read::Nothing),
            "cluster" => self.cluster(cursor),
            word if WITHOUT_TRACE.contains(&word) => Ok(Read::Nothing),
            "select" if sql.contains("set_config") => Ok(Read::Nothing),
            "do" => self.block(cursor),
            "\\" => Err(Stop::Because(format!(
                "what `\\{}` brings in is not in this file, and is only known to a client that runs it",
                cursor.ahead(1)
            ))),
            "select" | "insert" | "update" | "delete" | "merge" | "copy" | "truncate" | "security" | "call"
            | "with" | "execute" | "reassign" => Ok(Read::PassedOver),
            _ => Err(Stop::Here),
        }
    }

    fn finish(mut self: Box<Self>) -> Result<Introspected, Missing> {
        self.settle_parts();
        self.settle_parents();
        self.settle_routines();
        for Pending { constraint, table, columns } in std::mem::take(&mut self.pending) {
            let of = self.table_name(self.catalogue.constraints[constraint].table);
            let Some(oid) = self.oid(&table) else {
                let message = format!("table `{of}` references `{table}`, which is not in this SQL");
                return Err(Missing { message, table: of, name: table });
            };
            let numbers = match columns.iter().find(|name| self.number(oid, name).is_none()) {
                Some(name) => {
                    let message = format!("table `{of}` references `{name}` of `{table}`, which it does not have");
                    return Err(Missing { message, table: of, name: name.clone() });
                }
                None if columns.is_empty() => self.key_of(oid),
                None => columns.iter().filter_map(|name| self.number(oid, name)).collect(),
            };
            let row = &mut self.catalogue.constraints[constraint];
            row.referenced = Some(table);
            row.referenced_oid = oid;
            row.referenced_columns = numbers;
        }
        for (sequence, (table, column)) in std::mem::take(&mut self.owners) {
            let owner = self.oid(&table).and_then(|oid| Some((oid, self.number(oid, &column)?)));
            if let Some(row) = self.catalogue.sequences.iter_mut().find(|row| row.name == sequence) {
                row.owner = owner;
                row.unlogged &= owner.is_none();
            }
        }
        self.indexes_alone();
        self.name_aggregates();
        self.settle_namespaces();
        Ok(introspect(self.catalogue))
    }
}

impl Reader {
    // ---- what is there ------------------------------------------------------------------------------------------

    /// Whether nothing has been made so far.
    fn is_new(&self) -> bool {
        let catalogue = &self.catalogue;
        let is_made = |row: &OtherRow| row.kind != ObjectKind::Namespace;
        catalogue.tables.is_empty()
            && catalogue.words.is_empty()
            && catalogue.sequences.is_empty()
            && !catalogue.others.iter().any(is_made)
    }

    fn oid(&self, table: &str) -> Option<u32> {
        let rows = &self.catalogue.tables;
        let at = self.name_places.find(rows, table, |row| row.name == table, |_| true)?;
        Some(rows[at].oid)
    }

    fn table_name(&self, oid: u32) -> String {
        self.table_at(oid).map(|at| self.catalogue.tables[at].name.clone()).unwrap_or_default()
    }

    fn table_at(&self, oid: u32) -> Option<usize> {
        self.places.find(&self.catalogue.tables, &oid, |row| row.oid == oid, |_| true)
    }

    fn number(&self, oid: u32, column: &str) -> Option<i16> {
        let at = self.columns.get(&oid)?.iter().position(|name| name == column)?;
        i16::try_from(at + 1).ok()
    }

    fn numbers(&self, oid: u32, columns: &[String]) -> Reading<Vec<i16>> {
        let of = |name: &String| {
            let missing = || Stop::Because(format!("there is no column `{name}` in `{}`", self.table_name(oid)));
            self.number(oid, name).ok_or_else(missing)
        };
        columns.iter().map(of).collect()
    }

    fn key_of(&self, oid: u32) -> Vec<i16> {
        let keys = self.catalogue.constraints.iter();
        keys.filter(|row| row.table == oid && row.kind == 'p').flat_map(|row| row.columns.clone()).collect()
    }

    fn column(&mut self, oid: u32, name: &str) -> Reading<&mut ColumnRow> {
        let rows = &self.catalogue.columns;
        match self.column_places.find(rows, &oid, |row| row.table == oid, |row| row.name == name) {
            Some(at) => Ok(&mut self.catalogue.columns[at]),
            None => Err(Stop::Because(format!("there is no column `{name}` in `{}`", self.table_name(oid)))),
        }
    }

    fn is_taken(&self, oid: u32, name: &str) -> bool {
        let catalogue = &self.catalogue;
        let full = qualified::beside(&self.table_name(oid), &qualified::part(name));
        catalogue.tables.iter().any(|row| row.name == full)
            || catalogue.indexes.iter().any(|row| row.name == name && self.are_together(row.table, oid))
            || catalogue.sequences.iter().any(|row| row.name == full)
            || catalogue.constraints.iter().any(|row| {
                let takes_it = row.table == oid || matches!(row.kind, 'p' | 'u' | 'x');
                row.name == name && takes_it && self.are_together(row.table, oid)
            })
    }

    /// Whether two tables are in one namespace.
    fn are_together(&self, one: u32, other: u32) -> bool {
        one == other || qualified::split(&self.table_name(one)).0 == qualified::split(&self.table_name(other)).0
    }

    /// The index of a name, which may say its namespace.
    fn index(&self, name: &str) -> Option<usize> {
        let (namespace, base) = qualified::split(name);
        let base = qualified::plain(base);
        let is_it = |row: &IndexRow| row.name == base && qualified::split(&self.table_name(row.table)).0 == namespace;
        self.catalogue.indexes.iter().position(is_it)
    }

    /// Where the constraint stands that keeps an index of this name.
    fn constraint_with_index(&self, name: &str) -> Option<usize> {
        let (namespace, base) = qualified::split(name);
        let base = qualified::plain(base);
        let is_it = |row: &ConstraintRow| {
            matches!(row.kind, 'p' | 'u' | 'x')
                && row.name == base
                && qualified::split(&self.table_name(row.table)).0 == namespace
        };
        self.catalogue.constraints.iter().position(is_it)
    }

    /// The name that the server gives what has none (PostgreSQL 15, `indexcmds.c`, `ChooseRelationName`).
    fn choose(&self, oid: u32, columns: &str, label: &str) -> String {
        let table = self.table_name(oid);
        let table = qualified::plain(qualified::base(&table)).into_owned();
        let numbered = |pass: u32| match pass {
            0 => object_name(&table, columns, label),
            _ => object_name(&table, columns, &format!("{label}{pass}")),
        };
        (0..).map(numbered).find(|name| !self.is_taken(oid, name)).unwrap_or_default()
    }

    fn other(&mut self, kind: ObjectKind, name: String, sql: String, drop: String) {
        self.described(kind, name, sql, drop, None);
    }

    fn described(&mut self, kind: ObjectKind, name: String, sql: String, drop: String, comment: Option<String>) {
        self.catalogue.others.push(OtherRow { kind, name, table: None, sql, drop, after: Vec::new(), comment });
    }

    /// Takes out what `create or replace` puts something else in place of; that keeps the description, which is given back.
    fn replaced(&mut self, is_it: impl Fn(&OtherRow) -> bool) -> Option<String> {
        let at = self.catalogue.others.iter().position(is_it)?;
        self.catalogue.others.remove(at).comment
    }

    // ---- names --------------------------------------------------------------------------------------------------

    /// The name of a table, type or the like, with its namespace where it is in another than `public`.
    fn relation(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let mut parts = vec![cursor.name().here()?];
        while cursor.eat(".") {
            parts.push(cursor.name().here()?);
        }
        self.named(&parts)
    }

    /// The name of a collation; those of the server have no namespace.
    fn collation(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let mut parts = vec![cursor.name().here()?];
        while cursor.eat(".") {
            parts.push(cursor.name().here()?);
        }
        let named = self.named(&parts)?;
        let is_made = self.catalogue.others.iter().any(|row| row.kind == ObjectKind::Collation && row.name == named);
        Ok(match &parts[..] {
            [namespace, name] if namespace == "pg_catalog" => name.clone(),
            [name] if !is_made => name.clone(),
            _ => named,
        })
    }

    /// The name of a relation that has been made: of the search path's namespace, or else in `public`.
    fn made_relation(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let start = cursor.at();
        let name = self.relation(cursor)?;
        let is_bare = self.namespace.is_some() && cursor.at() == start + 1;
        let base = qualified::base(&name);
        Ok(if is_bare && !self.is_relation(&name) && self.is_relation(base) { base.to_owned() } else { name })
    }

    /// The name of an operator class; those of the server have no namespace.
    fn operator_class(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let start = cursor.at();
        let class = self.relation(cursor)?;
        let is_bare = cursor.at() == start + 1;
        let base = qualified::base(&class);
        Ok(if is_bare && indexes::is_built_in_class(base) { base.to_owned() } else { class })
    }

    /// Names as [`Self::relation`] has them, separated by commas in parentheses.
    fn relations(&self, cursor: &mut Cursor<'_>) -> Reading<Vec<String>> {
        cursor.expect("(").here()?;
        let mut names = vec![self.relation(cursor)?];
        while cursor.eat(",") {
            names.push(self.relation(cursor)?);
        }
        cursor.expect(")").here()?;
        Ok(names)
    }

    fn named(&self, parts: &[String]) -> Reading<String> {
        names::named(self.namespace.as_deref(), parts).here()
    }

    /// What a type's text names, if it is a type that this SQL makes; an array names its elements' type.
    fn type_made(&self, text: &str, is_made: impl Fn(&str) -> bool) -> Option<String> {
        let mut cursor = Cursor::new(text.trim_end_matches("[]"), SYNTAX);
        let name = self.relation(&mut cursor).ok().filter(|_| cursor.is_at_end())?;
        Some(name).filter(|name| is_made(name))
    }

    fn passed_if_exists(cursor: &mut Cursor<'_>) -> bool {
        cursor.eat_all(&["if", "not", "exists"]) || cursor.eat_all(&["if", "exists"])
    }

    /// A table that has been made.
    fn table(&self, cursor: &mut Cursor<'_>) -> Reading<u32> {
        let start = cursor.at();
        let name = self.made_relation(cursor)?;
        self.oid(&name).ok_or_else(|| {
            cursor.go_to(start);
            Stop::Because(format!("there is no table `{name}` before this"))
        })
    }

    /// Reads `set search_path`: names without a namespace are in the first one from here on.
    fn search_path(&mut self, cursor: &mut Cursor<'_>) -> Reading<bool> {
        let start = cursor.at();
        cursor.skip();
        let _ = cursor.eat("session") || cursor.eat("local");
        if !cursor.eat("search_path") {
            cursor.go_to(start);
            return Ok(false);
        }
        let _ = cursor.eat("to") || cursor.eat("=");
        let first = if cursor.kind() == TokenKind::Text { cursor.text().here()? } else { cursor.name().here()? };
        self.namespace = Some(first).filter(|name| !matches!(name.as_str(), "" | PUBLIC | "default" | "$user"));
        cursor.rest();
        Ok(true)
    }

    /// `cluster TABLE using INDEX`, which is remembered; without an index it goes by the one that is.
    fn cluster(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        cursor.eat("verbose");
        if !cursor.is_at_end() {
            let table = self.table(cursor)?;
            if cursor.eat("using") {
                self.clustered(cursor, table)?;
            }
        }
        Ok(Read::Done)
    }

    // ---- the rest -----------------------------------------------------------------------------------------------

    fn comment(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.eat_all(&["comment", "on"]).then_some(()).here()?;
        let start = cursor.at();
        let word = cursor.peek().to_ascii_lowercase();
        cursor.skip();
        match word.as_str() {
            "schema" => {
                let name = cursor.name().here()?;
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                if name == PUBLIC {
                    let rows = &mut self.catalogue.others;
                    rows.retain(|row| row.kind != ObjectKind::Comment || row.name != format!("schema {PUBLIC}"));
                    rows.extend(description_of_namespace(PUBLIC, text.as_deref()));
                    return Ok(Read::Done);
                }
                let mut rows = self.catalogue.others.iter_mut();
                if let Some(row) = rows.find(|row| row.kind == ObjectKind::Namespace && row.name == name) {
                    row.comment = text;
                }
                return Ok(Read::Done);
            }
            "extension" | "database" => {
                cursor.rest();
                return Ok(Read::Nothing);
            }
            "table" | "column" | "type" | "view" | "materialized" | "sequence" | "domain" | "statistics" => {
                cursor.eat("view");
                let mut parts = vec![cursor.name().here()?];
                while cursor.eat(".") {
                    parts.push(cursor.name().here()?);
                }
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                if word == "column" {
                    let last = parts.pop().here()?;
                    let table = self.named(&parts)?;
                    if let Some(oid) = self.oid(&table) {
                        self.column(oid, &last)?.comment = text;
                    } else {
                        self.describe_otherwise(format!("column {}.{}", quote_object(&table), quote(&last)), text);
                    }
                    return Ok(Read::Done);
                }
                let name = self.named(&parts)?;
                if self.describe(&word, &name, text.clone()) {
                    return Ok(Read::Done);
                }
                // The one inside an identity column.
                if word == "sequence" {
                    self.describe_otherwise(format!("sequence {}", quote_object(&name)), text);
                    return Ok(Read::Done);
                }
            }
            "function" | "procedure" | "aggregate" => {
                let name = self.relation(cursor)?;
                let arguments =
                    cursor.is("(").then(|| cursor.parenthesised()).flatten().map(|text| self.argument_types(text));
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                // Whoever says no arguments means the only one of that name.
                let end = format!(" {}(", quote_object(&name)) + &arguments.map(|one| one + ")").unwrap_or_default();
                let head = format!("drop {word}");
                let is_it = |row: &&mut OtherRow| row.drop.starts_with(&head) && row.drop.contains(&end);
                let missing = || Stop::Because(format!("there is no such {word} before this"));
                self.catalogue.others.iter_mut().find(is_it).ok_or_else(missing)?.comment = text;
                return Ok(Read::Done);
            }
            "trigger" | "policy" | "rule" => {
                let name = cursor.name().here()?;
                cursor.expect("on").here()?;
                let table = self.relation(cursor)?;
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                if word != "trigger" {
                    self.describe_otherwise(format!("{word} {} on {}", quote(&name), quote_object(&table)), text);
                    return Ok(Read::Done);
                }
                let full = format!("{name} on {table}");
                let mut rows = self.catalogue.others.iter_mut();
                let is_it =
                    |row: &&mut OtherRow| row.name == full || row.name == name && row.table.as_ref() == Some(&table);
                rows.find(is_it).here()?.comment = text;
                return Ok(Read::Done);
            }
            "index" | "constraint" => {
                let name = match word.as_str() {
                    "index" => quote_object(&self.relation(cursor)?),
                    _ => quote(&cursor.name().here()?),
                };
                let mut on = String::new();
                if cursor.eat("on") {
                    // A table may be called so.
                    let of_domain = cursor.is("domain") && !cursor.ahead(1).eq_ignore_ascii_case("is");
                    let domain = if of_domain && cursor.eat("domain") { "domain " } else { "" };
                    on = format!(" on {domain}{}", quote_object(&self.relation(cursor)?));
                }
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                let what = format!("{word} {name}{on}");
                self.describe_otherwise(what, text);
                return Ok(Read::Done);
            }
            "collation" | "conversion" | "cast" | "operator" | "text" | "foreign" | "server" | "event"
            | "publication" => {
                let name = cursor.at();
                cursor.until(|cursor| cursor.is("is")).here()?;
                let name = cursor.between(name, cursor.at());
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                // Its kind may be more than one word.
                const MORE: [&str; 10] = [
                    "SEARCH",
                    "CONFIGURATION",
                    "DICTIONARY",
                    "DATA",
                    "WRAPPER",
                    "TABLE",
                    "TRIGGER",
                    "CLASS",
                    "FAMILY",
                    "USING",
                ];
                let lower = |part: &str| match MORE.contains(&part) {
                    true => part.to_ascii_lowercase(),
                    false => part.to_owned(),
                };
                let name = name.split_whitespace().map(lower).collect::<Vec<_>>().join(" ");
                let is_plain = name.starts_with("table ") || word == "operator" && name.ends_with(')');
                let name = if is_plain { without_public(&name) } else { name };
                self.describe_otherwise(format!("{word} {name}"), text);
                return Ok(Read::Done);
            }
            _ => {}
        }
        cursor.go_to(start);
        let what = cursor.until(|cursor| cursor.is("is")).here()?.to_owned();
        self.other(ObjectKind::Comment, what.clone(), sql.to_owned(), format!("comment on {what} is null"));
        Ok(Read::Done)
    }

    /// A description of what the model has no place for one with.
    fn describe_otherwise(&mut self, what: String, text: Option<String>) {
        self.catalogue.others.retain(|row| row.kind != ObjectKind::Comment || row.name != what);
        if let Some(text) = text {
            let make = format!("comment on {what} is {}", literal(&text));
            let drop = format!("comment on {what} is null");
            self.other(ObjectKind::Comment, what, make, drop);
        }
    }

    /// Gives a thing its description; false where it is not there.
    fn describe(&mut self, word: &str, name: &str, text: Option<String>) -> bool {
        let kind = match word {
            "table" => {
                let Some(oid) = self.oid(name) else { return false };
                self.table_row(oid).comment = text;
                return true;
            }
            "type" if self.enums.contains(name) => {
                let words = self.catalogue.words.iter_mut().filter(|row| row.name == name);
                words.for_each(|row| row.comment.clone_from(&text));
                return true;
            }
            "sequence" => {
                let found = self.catalogue.sequences.iter_mut().find(|row| row.name == name);
                return found.map(|row| row.comment = text).is_some();
            }
            "type" => ObjectKind::Type,
            "view" => ObjectKind::View,
            "materialized" => ObjectKind::MaterializedView,
            "statistics" => ObjectKind::Statistics,
            _ => ObjectKind::Domain,
        };
        let found = self.catalogue.others.iter_mut().find(|row| row.kind == kind && row.name == name);
        found.map(|row| row.comment = text).is_some()
    }
}

/// The elements of a list, each as it is written.
fn elements(list: &str) -> Reading<Vec<String>> {
    let mut cursor = Cursor::new(list, SYNTAX);
    let mut elements = Vec::new();
    while !cursor.is_at_end() {
        elements.push(cursor.until(|cursor| cursor.is(",")).here()?.to_owned());
        cursor.eat(",");
    }
    Ok(elements)
}

/// A type's text as the catalogue would give it.
pub(super) fn type_text(text: &str) -> String {
    let text = without_public(text).replace("pg_catalog.", "").replace("\"pg_catalog\".", "");
    // The lengths and the number of an array's dimensions say nothing (PostgreSQL 17, "Arrays").
    let bracket = text.find('[').filter(|_| !text.starts_with('"'));
    let element = text[..bracket.unwrap_or(text.len())].trim_end();
    let bare = element.to_ascii_lowercase().strip_suffix(" array").map(|bare| element[..bare.len()].trim_end());
    match bare.or(bracket.map(|_| element)) {
        Some(element) => format!("{element}[]"),
        None => text,
    }
}

/// SQL without the namespace that names without one are in.
fn without_public(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find("public.") {
        let is_word =
            rest[..at].chars().next_back().is_some_and(|last| last.is_alphanumeric() || matches!(last, '_' | '.'));
        // The server has a function of that name, which comes first (PostgreSQL 17, "Schemas and the Search Path").
        let is_hidden = rest[at..].starts_with("public.gen_random_uuid(");
        plain.push_str(&rest[..at]);
        if is_word || is_hidden {
            plain.push_str("public.");
        }
        rest = &rest[at + "public.".len()..];
    }
    plain.push_str(rest);
    plain
}

/// `name=value` of each storage parameter, as the catalogue has them.
fn parameters(text: &str) -> Vec<String> {
    let list = text.split(',').map(|one| one.replace([' ', '\'', '\n'], "").to_ascii_lowercase());
    // Which only says what holds anyway (PostgreSQL 17, "CREATE TABLE", Storage Parameters).
    list.filter(|one| !one.is_empty() && one != "oids=false").collect()
}

/// The types of a routine's arguments, without their names, defaults and where they go.
fn argument_types(text: &str) -> String {
    arguments(text).into_iter().map(|one| one.ty).collect::<Vec<_>>().join(",")
}

/// The same with modes and names, as the server shows them to tell aggregates apart (PostgreSQL 17, "System Catalog
/// Information Functions", pg_get_function_identity_arguments).
fn identity_arguments(text: &str) -> String {
    let shown = arguments(text).into_iter().map(|one| {
        let mode = one.is_variadic.then(|| "VARIADIC".to_owned());
        mode.into_iter().chain(one.name).chain([one.ty]).collect::<Vec<_>>().join(" ")
    });
    shown.collect::<Vec<_>>().join(", ")
}

/// An argument of a routine that is passed to it.
struct Argument {
    is_variadic: bool,
    name: Option<String>,
    ty: String,
}

fn arguments(text: &str) -> Vec<Argument> {
    let mut arguments = Vec::new();
    let mut cursor = Cursor::new(text, SYNTAX);
    while !cursor.is_at_end() {
        if cursor.is("out") {
            cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        } else {
            let is_variadic = cursor.is("variadic");
            let _ = cursor.is_one_of(&["in", "inout", "variadic"]) && cursor.eat(cursor.peek());
            let start = cursor.at();
            cursor.until(|cursor| cursor.is(",") || cursor.is("default") || cursor.is("=")).unwrap_or_default();
            let end = cursor.at();
            cursor.go_to(start);
            let first = cursor.peek().to_ascii_lowercase();
            // Types of several words begin with one of these; another first word is the argument's name.
            let is_type = matches!(first.as_str(), "double" | "character" | "timestamp" | "time" | "bit" | "national")
                || cursor.kind() != TokenKind::Quoted && matches!(cursor.ahead(1), "" | "(" | "[" | "," | "." | "=");
            let from = if is_type || end <= start + 1 { start } else { start + 1 };
            let name = (from > start).then(|| cursor.between(start, from).to_owned());
            arguments.push(Argument { is_variadic, name, ty: routine_type(cursor.between(from, end)) });
            cursor.go_to(end);
            cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        }
        cursor.eat(",");
    }
    arguments
}

/// A type as the server tells routines apart by it: without lengths.
fn routine_type(text: &str) -> String {
    let canonical = type_name(&type_text(text)).canonical().to_owned();
    let (head, rest) = canonical.split_once('(').unwrap_or((&canonical, ""));
    let behind = rest.split_once(')').map(|(_, behind)| behind).unwrap_or_default();
    let plain = format!("{head}{behind}");
    if text.contains('"') { text.to_owned() } else { plain.to_ascii_lowercase() }
}
