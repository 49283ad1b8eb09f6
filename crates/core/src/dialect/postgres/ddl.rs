//! Reads the SQL of a schema into the rows that `pg_catalog` would have (PostgreSQL 17, "SQL Commands").

mod grants;
mod partitions;

use std::collections::{BTreeMap, BTreeSet};

use super::SYNTAX;
use super::catalogue::{
    Catalogue, ColumnRow, ConstraintRow, IndexRow, OtherRow, SequenceRow, TableRow, WordRow, introspect,
};
use super::quote::{literal, quote, quote_object};
use super::render::{object_name, sequence_name};
use super::types::type_name;
use crate::Span;
use crate::dialect::reading::{OrStop, Read, Statements, Stop, blanked};
use crate::physical::{Introspected, ObjectKind, qualified};
use crate::sql::{Cursor, Expression, TokenKind};

type Reading<T> = Result<T, Stop>;

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

/// What is made by words that are kept, so that a name in them means what it means when they run.
const KEPT_AS_WRITTEN: [&str; 20] = [
    "view",
    "recursive",
    "materialized",
    "function",
    "procedure",
    "trigger",
    "constraint",
    "domain",
    "statistics",
    "policy",
    "rule",
    "aggregate",
    "collation",
    "conversion",
    "server",
    "publication",
    "event",
    "foreign",
    "text",
    "cast",
];

/// Operator classes that are the default of their type, for the usual methods (PostgreSQL 17, `pg_opclass.dat`).
const USUAL_CLASSES: [&str; 16] = [
    "text_ops",
    "int2_ops",
    "int4_ops",
    "int8_ops",
    "bpchar_ops",
    "bool_ops",
    "bytea_ops",
    "date_ops",
    "numeric_ops",
    "timestamp_ops",
    "timestamptz_ops",
    "uuid_ops",
    "jsonb_ops",
    "array_ops",
    "tsvector_ops",
    "float8_ops",
];

/// The text without what only the `psql` client reads: its own commands, and rows behind `copy … from stdin`.
pub(in crate::dialect) fn plain(source: &str) -> String {
    let mut stretches = Vec::new();
    let (mut at, mut rows_from) = (0, None);
    for line in source.split_inclusive('\n') {
        let text = line.trim_end();
        let end = at + line.len();
        match rows_from {
            Some(start) if text == "\\." => {
                stretches.push(Span::new(start, end));
                rows_from = None;
            }
            Some(_) => {}
            None if text.starts_with('\\') => stretches.push(Span::new(at, end)),
            None => {
                let lower = text.to_ascii_lowercase();
                if lower.starts_with("copy ") && lower.contains(" from stdin") && lower.ends_with(';') {
                    rows_from = Some(end);
                }
            }
        }
        at = end;
    }
    blanked(source, &stretches)
}

/// A reference whose columns on the other side are looked up at the end.
struct Pending {
    constraint: usize,
    table: String,
    columns: Vec<String>,
}

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
    /// The namespace that names without one are in now, where it is not `public`.
    namespace: Option<String>,
    /// Indexes `on only` a table that no part of it has one for so far, each with the statement that makes it.
    alone: BTreeMap<String, String>,
}

impl Statements for Reader {
    fn statement(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        match word.as_str() {
            "create" => self.create(cursor, sql),
            "alter" => self.alter(cursor, sql),
            "comment" => self.comment(cursor, sql),
            "drop" => self.drop(cursor),
            "grant" => self.grant(cursor),
            "revoke" => self.revoke(cursor),
            "set" if self.search_path(cursor)? => Ok(Read::Nothing),
            "set" | "begin" | "commit" | "end" | "start" | "reset" | "analyze" | "vacuum" | "lock" => Ok(Read::Nothing),
            "select" if sql.contains("set_config") => Ok(Read::Nothing),
            "select" | "insert" | "update" | "delete" | "copy" | "do" | "truncate" | "security" | "call" | "with" => {
                Ok(Read::PassedOver)
            }
            _ => Err(Stop::Here),
        }
    }

    fn finish(mut self: Box<Self>) -> Result<Introspected, String> {
        for Pending { constraint, table, columns } in std::mem::take(&mut self.pending) {
            let Some(oid) = self.oid(&table) else {
                let of = self.table_name(self.catalogue.constraints[constraint].table);
                return Err(format!("table `{of}` references `{table}`, which is not in this SQL"));
            };
            let numbers = match columns.is_empty() {
                true => self.key_of(oid),
                false => columns.iter().filter_map(|name| self.number(oid, name)).collect(),
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
            }
        }
        self.indexes_alone();
        Ok(introspect(self.catalogue))
    }
}

impl Reader {
    // ---- what is there ------------------------------------------------------------------------------------------

    fn oid(&self, table: &str) -> Option<u32> {
        self.catalogue.tables.iter().find(|row| row.name == table).map(|row| row.oid)
    }

    fn table_name(&self, oid: u32) -> String {
        self.catalogue.tables.iter().find(|row| row.oid == oid).map(|row| row.name.clone()).unwrap_or_default()
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
        let missing = Stop::Because(format!("there is no column `{name}` in `{}`", self.table_name(oid)));
        self.catalogue.columns.iter_mut().find(|row| row.table == oid && row.name == name).ok_or(missing)
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
        self.catalogue.others.push(OtherRow { kind, name, table: None, sql, drop, after: Vec::new(), comment: None });
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
        match parts {
            [name] => Ok(qualified(self.namespace.as_deref(), name)),
            [namespace, name] => Ok(qualified(Some(namespace.as_str()).filter(|one| *one != PUBLIC), name)),
            _ => Err(Stop::Here),
        }
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
        let name = self.relation(cursor)?;
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

    // ---- create -------------------------------------------------------------------------------------------------

    fn create(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        cursor.eat_all(&["or", "replace"]);
        if cursor.is_one_of(&["temp", "temporary", "local", "global"]) {
            return Ok(Read::PassedOver);
        }
        let unlogged = cursor.eat("unlogged");
        let word = cursor.peek().to_ascii_lowercase();
        if KEPT_AS_WRITTEN.contains(&word.as_str()) {
            self.refuse_search_path()?;
        }
        match word.as_str() {
            "table" => {
                cursor.skip();
                self.create_table(cursor, sql, if unlogged { 'u' } else { 'p' })
            }
            "unique" | "index" => self.create_index(cursor, sql),
            "type" => self.create_type(cursor, sql),
            "sequence" => self.create_sequence(cursor),
            "view" | "recursive" => self.create_view(cursor, sql),
            "materialized" => self.create_materialized_view(cursor, sql),
            "function" | "procedure" => self.create_routine(cursor, sql),
            "trigger" | "constraint" => self.create_trigger(cursor, sql),
            "schema" => self.create_namespace(cursor),
            "extension" => {
                cursor.skip();
                Self::passed_if_exists(cursor);
                let name = cursor.name().here()?;
                if name != "plpgsql" {
                    let quoted = quote(&name);
                    let (make, drop) = (format!("create extension {quoted}"), format!("drop extension {quoted}"));
                    self.other(ObjectKind::Extension, name, make, drop);
                }
                Ok(Read::Done)
            }
            "domain" => {
                let start = cursor.at();
                cursor.skip();
                let name = self.relation(cursor)?;
                cursor.eat("as");
                let base = cursor.until(|cursor| cursor.is_one_of(&CLAUSES)).here()?;
                self.domains.insert(name, type_name(&type_text(base)).canonical().to_ascii_lowercase());
                cursor.go_to(start);
                self.create_plain(cursor, sql, ObjectKind::Domain, 1)
            }
            "statistics" => self.create_plain(cursor, sql, ObjectKind::Statistics, 1),
            "collation" => self.create_plain(cursor, sql, ObjectKind::Collation, 1),
            "conversion" => self.create_plain(cursor, sql, ObjectKind::Conversion, 1),
            "server" => self.create_plain(cursor, sql, ObjectKind::ForeignServer, 1),
            "publication" => self.create_plain(cursor, sql, ObjectKind::Publication, 1),
            "event" => self.create_plain(cursor, sql, ObjectKind::EventTrigger, 2),
            "foreign" if cursor.ahead(1).eq_ignore_ascii_case("table") => {
                self.create_plain(cursor, sql, ObjectKind::ForeignTable, 2)
            }
            "foreign" => self.create_plain(cursor, sql, ObjectKind::Wrapper, 3),
            "text" if cursor.ahead(2).eq_ignore_ascii_case("configuration") => {
                self.create_plain(cursor, sql, ObjectKind::SearchConfiguration, 3)
            }
            "text" if cursor.ahead(2).eq_ignore_ascii_case("dictionary") => {
                self.create_plain(cursor, sql, ObjectKind::SearchDictionary, 3)
            }
            "operator" => self.create_operator(cursor, sql),
            "cast" => {
                cursor.skip();
                let mut types = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
                let from = type_text(types.until(|cursor| cursor.is("as")).here()?.trim());
                types.expect("as").here()?;
                let name = format!("{from} as {}", type_text(types.rest().trim()));
                let drop = format!("drop cast ({name})");
                self.other(ObjectKind::Cast, name, sql.to_owned(), drop);
                Ok(Read::Done)
            }
            "policy" | "rule" => self.create_on_table(cursor, sql),
            "aggregate" => self.create_aggregate(cursor, sql),
            _ => Err(Stop::Here),
        }
    }

    /// What is kept as it is written would mean other things where it is made without the search path.
    fn refuse_search_path(&self) -> Reading<()> {
        let Some(namespace) = &self.namespace else { return Ok(()) };
        Err(Stop::Because(format!(
            "what is made of SQL is not read behind `set search_path = {namespace}`: set it to `public` before this, and say \
             the namespace with each name"
        )))
    }

    fn create_namespace(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let is_lenient = Self::passed_if_exists(cursor);
        if cursor.is("authorization") {
            return Err(Stop::Because("a namespace without a name is not read".into()));
        }
        let name = cursor.name().here()?;
        if cursor.eat("authorization") {
            cursor.name().here()?;
        }
        if !cursor.is_at_end() {
            return Err(Stop::Because(
                "what is made with a namespace is not read: make it in statements of its own".into(),
            ));
        }
        let others = &self.catalogue.others;
        if name == PUBLIC
            || is_lenient && others.iter().any(|row| row.kind == ObjectKind::Namespace && row.name == name)
        {
            return Ok(Read::Nothing);
        }
        let quoted = quote(&name);
        self.other(ObjectKind::Namespace, name, format!("create schema {quoted}"), format!("drop schema {quoted}"));
        Ok(Read::Done)
    }

    /// Something that is made and dropped by its kind and name.
    fn create_plain(&mut self, cursor: &mut Cursor<'_>, sql: &str, kind: ObjectKind, words: usize) -> Reading<Read> {
        let start = cursor.at();
        cursor.go_to(start + words);
        let word = cursor.between(start, start + words).to_ascii_lowercase();
        Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        let drop = format!("drop {word} {}", quote_object(&name));
        self.other(kind, name, sql.to_owned(), drop);
        Ok(Read::Done)
    }

    /// A policy or a rule, whose name stands for itself on its table only.
    fn create_on_table(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let kind = if cursor.is("rule") { ObjectKind::Rule } else { ObjectKind::Policy };
        cursor.skip();
        let name = cursor.name().here()?;
        cursor.until(|cursor| cursor.is("on") || cursor.is("to")).here()?;
        if kind == ObjectKind::Rule {
            // `as on insert to t`
            cursor.until(|cursor| cursor.is("to")).here()?;
        }
        cursor.skip();
        let table = self.relation(cursor)?;
        let drop = format!("drop {} {} on {}", kind.word(), quote(&name), quote_object(&table));
        self.catalogue.others.push(OtherRow {
            kind,
            name: format!("{name} on {table}"),
            table: None,
            sql: sql.to_owned(),
            drop,
            after: vec![table],
            comment: None,
        });
        Ok(Read::Done)
    }

    /// An operator, or a class or family of them.
    fn create_operator(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        if cursor.is("class") || cursor.is("family") {
            let is_family = cursor.is("family");
            cursor.skip();
            let name = self.relation(cursor)?;
            cursor.until(|cursor| cursor.is("using")).here()?;
            cursor.expect("using").here()?;
            let label = format!("{name} using {}", cursor.name().here()?);
            let drop = |word: &str| {
                let (name, method) = label.rsplit_once(" using ").unwrap_or((&label, ""));
                format!("drop operator {word} {} using {method}", quote_object(name))
            };
            if is_family {
                let drop = drop("family");
                self.other(ObjectKind::OperatorFamily, label, sql.to_owned(), drop);
                return Ok(Read::Done);
            }
            // A family of its own name comes along with a class, and need not be told.
            let before = cursor.at();
            let family = if cursor.eat("family") { Some(self.relation(cursor)?) } else { None };
            let said = cursor.between(before, cursor.at()).to_owned();
            let brings_family = family.as_ref().is_none_or(|family| *family == name);
            let mut made = sql.to_owned();
            if family.is_some() && brings_family {
                made = made.replacen(&said, "", 1);
                let is_it = |row: &OtherRow| row.kind == ObjectKind::OperatorFamily && row.name == label;
                self.catalogue.others.retain(|row| !is_it(row));
            }
            let drop = drop(if brings_family { "family" } else { "class" });
            self.other(ObjectKind::OperatorClass, label, made, drop);
            return Ok(Read::Done);
        }
        let name = cursor.until(|cursor| cursor.is("(")).here()?.trim();
        let name = name.strip_prefix("public.").unwrap_or(name).to_owned();
        let mut inside = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
        let (mut left, mut right) = ("none".to_owned(), "none".to_owned());
        while !inside.is_at_end() {
            let word = inside.peek().to_ascii_lowercase();
            inside.skip();
            let value = inside.until(|cursor| cursor.is(",")).here()?.trim_start_matches('=').to_owned();
            match word.as_str() {
                "leftarg" => left = type_text(value.trim()),
                "rightarg" => right = type_text(value.trim()),
                _ => {}
            }
            inside.eat(",");
        }
        let label = format!("{name} ({left}, {right})");
        let drop = format!("drop operator {label}");
        self.other(ObjectKind::Operator, label, sql.to_owned(), drop);
        Ok(Read::Done)
    }

    fn create_aggregate(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        let name = self.relation(cursor)?;
        let inside = cursor.parenthesised().here()?;
        // The old way names the type among the rest (PostgreSQL 17, "CREATE AGGREGATE").
        let mut old = Cursor::new(inside, SYNTAX);
        old.until(|cursor| cursor.is("basetype")).here()?;
        let arguments = match old.eat_all(&["basetype", "="]) {
            true => argument_types(old.until(|cursor| cursor.is(",")).here()?),
            false => argument_types(inside),
        };
        let drop = format!("drop aggregate {}({arguments})", quote_object(&name));
        self.other(ObjectKind::Aggregate, format!("{name}({arguments})"), sql.to_owned(), drop);
        Ok(Read::Done)
    }

    fn create_type(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        let name = self.relation(cursor)?;
        if !cursor.eat_all(&["as", "enum"]) {
            self.refuse_search_path()?;
            let drop = format!("drop type {}", quote_object(&name));
            self.other(ObjectKind::Type, name, sql.to_owned(), drop);
            return Ok(Read::Done);
        }
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            let word = cursor.text().here()?;
            self.catalogue.words.push(WordRow { name: name.clone(), word, comment: None });
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        self.enums.insert(name);
        Ok(Read::Done)
    }

    fn create_sequence(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        let row = self.sequence_options(
            cursor,
            SequenceRow { name, ty: "bigint".into(), step: 1, cache: 1, ..SequenceRow::default() },
        )?;
        self.catalogue.sequences.push(row);
        Ok(Read::Done)
    }

    fn sequence_options(&mut self, cursor: &mut Cursor<'_>, mut row: SequenceRow) -> Reading<SequenceRow> {
        let (mut start, mut least, mut most) = (None, None, None);
        while !cursor.is_at_end() && !cursor.is(")") {
            if cursor.eat("as") {
                row.ty = type_text(cursor.name().here()?.as_str());
            } else if cursor.eat("increment") {
                cursor.eat("by");
                row.step = cursor.number().here()?;
            } else if cursor.eat("minvalue") {
                least = Some(cursor.number().here()?);
            } else if cursor.eat("maxvalue") {
                most = Some(cursor.number().here()?);
            } else if cursor.eat_all(&["no", "minvalue"])
                || cursor.eat_all(&["no", "maxvalue"])
                || cursor.eat_all(&["no", "cycle"])
            {
            } else if cursor.eat("start") {
                cursor.eat("with");
                start = Some(cursor.number().here()?);
            } else if cursor.eat("cache") {
                row.cache = cursor.number().here()?;
            } else if cursor.eat("cycle") {
                row.cycles = true;
            } else if cursor.eat_all(&["sequence", "name"]) {
                row.name = self.relation(cursor)?;
            } else if cursor.eat_all(&["owned", "by"]) {
                self.owned_by(cursor, &row.name)?;
            } else {
                return Err(Stop::Here);
            }
        }
        let usual = usual_range(&row);
        row.least = least.unwrap_or(usual.0);
        row.most = most.unwrap_or(usual.1);
        row.start = start.unwrap_or(if row.step < 0 { row.most } else { row.least });
        Ok(row)
    }

    fn owned_by(&mut self, cursor: &mut Cursor<'_>, sequence: &str) -> Reading<()> {
        if cursor.eat("none") {
            self.owners.remove(sequence);
            return Ok(());
        }
        let mut parts = vec![cursor.name().here()?];
        while cursor.eat(".") {
            parts.push(cursor.name().here()?);
        }
        let column = parts.pop().here()?;
        let table = self.named(&parts)?;
        self.owners.insert(sequence.to_owned(), (table, column));
        Ok(())
    }

    fn create_view(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let is_recursive = cursor.eat("recursive");
        cursor.expect("view").here()?;
        let name = self.relation(cursor)?;
        if is_recursive || !cursor.eat("as") {
            // Names for its columns or options stand before the query: it is kept as it is written.
            let drop = format!("drop view {}", quote_object(&name));
            self.other(ObjectKind::View, name, sql.to_owned(), drop);
            return Ok(Read::Done);
        }
        let query = cursor.rest().to_owned();
        self.other(ObjectKind::View, name, query, String::new());
        Ok(Read::Done)
    }

    fn create_materialized_view(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        cursor.expect("view").here()?;
        Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        if !cursor.is("as") {
            // What it is kept with stands before the query.
            let drop = format!("drop materialized view {}", quote_object(&name));
            self.other(ObjectKind::MaterializedView, name, sql.to_owned(), drop);
            return Ok(Read::Done);
        }
        cursor.expect("as").here()?;
        let query = cursor.rest();
        let bare = ["with no data", "with data"].iter().find_map(|tail| strip_tail(query, tail)).unwrap_or(query);
        self.other(ObjectKind::MaterializedView, name, bare.trim().to_owned(), String::new());
        Ok(Read::Done)
    }

    fn create_routine(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        cursor.skip();
        let name = self.relation(cursor)?;
        let arguments = argument_types(cursor.parenthesised().here()?);
        let others = &mut self.catalogue.others;
        let base = |row: &OtherRow| row.name.split('(').next() == Some(name.as_str());
        let full = format!("{name}({arguments})");
        let drop = format!("drop {word} {}({arguments})", quote_object(&name));
        others.retain(|row| row.kind != ObjectKind::Routine || row.drop != drop);
        // What tells routines of one name apart is the types of their arguments.
        let mut is_alone = true;
        for row in others.iter_mut().filter(|row| row.kind == ObjectKind::Routine && base(row)) {
            is_alone = false;
            if let Some(at) = row.drop.find('(').filter(|_| !row.name.contains('(')) {
                let types = row.drop[at..].to_owned();
                row.name.push_str(&types);
            }
        }
        self.other(ObjectKind::Routine, if is_alone { name } else { full }, sql.to_owned(), drop);
        Ok(Read::Done)
    }

    fn create_trigger(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.eat("constraint");
        cursor.expect("trigger").here()?;
        let name = cursor.name().here()?;
        cursor.until(|cursor| cursor.is("on")).here()?;
        cursor.expect("on").here()?;
        let table = self.relation(cursor)?;
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Trigger,
            name,
            table: Some(table),
            sql: sql.to_owned(),
            drop: String::new(),
            after: Vec::new(),
            comment: None,
        });
        Ok(Read::Done)
    }

    // ---- tables -------------------------------------------------------------------------------------------------

    fn create_table(&mut self, cursor: &mut Cursor<'_>, sql: &str, persistence: char) -> Reading<Read> {
        let is_lenient = Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        if self.oid(&name).is_some() {
            return match is_lenient {
                true => Ok(Read::Nothing),
                false => Err(Stop::Because(format!("table `{name}` is made twice"))),
            };
        }
        if cursor.eat_all(&["partition", "of"]) {
            let parent = self.relation(cursor)?;
            let drop = format!("drop table {}", quote_object(&name));
            self.other(ObjectKind::Partition, name, sql.to_owned(), drop);
            if let Some(row) = self.catalogue.others.last_mut() {
                row.after = vec![parent];
            }
            return Ok(Read::Done);
        }
        if cursor.eat("of") {
            return self.create_typed(cursor, &name, persistence);
        }
        // Columns of a dropped table stay in this list, so that no number comes twice.
        let oid = u32::try_from(self.columns.len()).unwrap_or_default() + 1;
        self.catalogue.tables.push(TableRow { oid, name, persistence, ..TableRow::default() });
        self.columns.insert(oid, Vec::new());
        // What it inherits comes first, and is said last.
        let start = cursor.at();
        cursor.skip_nested().here()?;
        if cursor.eat("inherits") {
            for parent in self.relations(cursor)? {
                self.inherit(&parent, oid)?;
            }
        }
        cursor.go_to(start);
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            if Self::begins_constraint(cursor) {
                self.table_constraint(cursor, oid)?;
            } else if cursor.eat("like") {
                self.like(cursor, oid)?;
            } else {
                self.column_definition(cursor, oid)?;
            }
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        self.table_options(cursor, oid)?;
        self.leave_out_doubled(oid);
        Ok(Read::Done)
    }

    /// `create table NAME of TYPE (…)`: its columns are the type's, each with what is said of it (PostgreSQL 17, "CREATE
    /// TABLE", `OF type_name`).
    fn create_typed(&mut self, cursor: &mut Cursor<'_>, name: &str, persistence: char) -> Reading<Read> {
        let ty = self.relation(cursor)?;
        let is_it = |row: &&OtherRow| row.kind == ObjectKind::Type && row.name == ty;
        let made = self.catalogue.others.iter().find(is_it).map(|row| row.sql.clone());
        let made = made.ok_or_else(|| Stop::Because(format!("there is no type `{ty}` before this")))?;
        let mut parts = Cursor::new(&made, SYNTAX);
        parts.until(|cursor| cursor.is("(")).here()?;
        let mut elements = elements(parts.parenthesised().here()?)?;
        if cursor.is("(") {
            let mut said = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
            while !said.is_at_end() {
                let begins_constraint = Self::begins_constraint(&said);
                let column = if begins_constraint { None } else { Some(said.name().here()?) };
                said.eat_all(&["with", "options"]);
                let clauses = said.until(|cursor| cursor.is(",")).here()?;
                let of = |element: &&mut String| column == Cursor::new(element, SYNTAX).name();
                match elements.iter_mut().find(of) {
                    // Its type says by what it is sorted.
                    Some(element) if column.is_some() => {
                        let mut clauses = Cursor::new(clauses, SYNTAX);
                        element.push_str(&format!(" {}", clauses.until(|cursor| cursor.is("collate")).here()?));
                        if clauses.eat("collate") {
                            self.relation(&mut clauses)?;
                            element.push_str(&format!(" {}", clauses.rest()));
                        }
                    }
                    _ => elements.push(clauses.to_owned()),
                }
                said.eat(",");
            }
        }
        let text = format!("{} ({}) {}", quote_object(name), elements.join(", "), cursor.rest());
        self.create_table(&mut Cursor::new(&text, SYNTAX), &text, persistence)?;
        if let Some(oid) = self.oid(name) {
            self.table_row(oid).peculiarities.push(format!("of {}", quote_object(&ty)));
        }
        Ok(Read::Done)
    }

    /// A unique constraint that says what the primary key or one before it says is not made (PostgreSQL 15,
    /// `parse_utilcmd.c`, `transformIndexConstraints`).
    fn leave_out_doubled(&mut self, oid: u32) {
        let mut at = 0;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let says_the_same = |other: &ConstraintRow| {
                other.table == oid
                    && other.columns == row.columns
                    && (other.deferrable, other.deferred) == (row.deferrable, row.deferred)
                    && other.peculiarities == row.peculiarities
            };
            let is_doubled = row.table == oid
                && row.kind == 'u'
                && (self.catalogue.constraints.iter().any(|other| other.kind == 'p' && says_the_same(other))
                    || self.catalogue.constraints[..at].iter().any(|other| other.kind == 'u' && says_the_same(other)));
            match is_doubled {
                true => self.remove_constraint(at),
                false => at += 1,
            }
        }
    }

    fn table_options(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        while !cursor.is_at_end() {
            let mut word = None;
            if cursor.eat("inherits") {
                let parents: Vec<_> = self.relations(cursor)?.iter().map(|name| quote_object(name)).collect();
                word = Some(format!("inherits ({})", parents.join(", ")));
            } else if cursor.eat_all(&["partition", "by"]) {
                let method = cursor.name().here()?;
                word = Some(format!("partition by {method} ({})", cursor.parenthesised().here()?));
            } else if cursor.eat("with") {
                let parameters = parameters(cursor.parenthesised().here()?);
                self.table_row(oid).parameters.extend(parameters);
            } else if cursor.eat_all(&["without", "oids"]) {
            } else if cursor.eat("tablespace") {
                word = Some(format!("tablespace {}", cursor.name().here()?));
            } else if cursor.eat("using") {
                word = Some(format!("using {}", cursor.name().here()?)).filter(|word| word != "using heap");
            } else {
                return Err(Stop::Here);
            }
            self.table_row(oid).peculiarities.extend(word);
        }
        Ok(())
    }

    /// The columns of another table, without what makes them more than that.
    fn like(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let other = self.table(cursor)?;
        if cursor.is("including") {
            return Err(Stop::Because("what is included of the other table is not read".into()));
        }
        self.copy_columns(other, oid, false);
        Ok(())
    }

    /// What a table has of one it inherits from: columns and checks.
    fn inherit(&mut self, parent: &str, oid: u32) -> Reading<()> {
        let missing = || Stop::Because(format!("there is no table `{parent}` before this"));
        let other = self.oid(parent).ok_or_else(missing)?;
        self.copy_columns(other, oid, true);
        let checks: Vec<ConstraintRow> = self
            .catalogue
            .constraints
            .iter()
            .filter(|row| {
                row.table == other && row.kind == 'c' && !row.peculiarities.contains(&"no inherit".to_owned())
            })
            .cloned()
            .collect();
        for mut row in checks {
            row.table = oid;
            row.peculiarities.push("inherited".into());
            self.catalogue.constraints.push(row);
        }
        Ok(())
    }

    fn copy_columns(&mut self, from: u32, to: u32, is_inherited: bool) {
        let rows: Vec<ColumnRow> = self.catalogue.columns.iter().filter(|row| row.table == from).cloned().collect();
        for row in rows {
            let names = self.columns.entry(to).or_default();
            names.push(row.name.clone());
            let number = i16::try_from(names.len()).unwrap_or(i16::MAX);
            // How values are stored is inherited, too (PostgreSQL 15, `MergeAttributes`).
            let storage = row.peculiarities.iter().filter(|word| is_inherited && !word.starts_with("statistics"));
            let peculiarities = storage.cloned().chain(is_inherited.then(|| "inherited".to_owned())).collect();
            self.catalogue.columns.push(ColumnRow {
                table: to,
                number,
                expression: row.expression.filter(|_| is_inherited),
                identity: None,
                numbering: None,
                comment: None,
                peculiarities,
                ..row
            });
        }
    }

    fn table_row(&mut self, oid: u32) -> &mut TableRow {
        let at = self.catalogue.tables.iter().position(|row| row.oid == oid).unwrap_or_default();
        &mut self.catalogue.tables[at]
    }

    fn begins_constraint(cursor: &Cursor<'_>) -> bool {
        let next = cursor.ahead(1);
        cursor.is_one_of(&["constraint"])
            || cursor.is_one_of(&["primary", "foreign"]) && next.eq_ignore_ascii_case("key")
            || cursor.is_one_of(&["unique", "check"]) && (next == "(" || next.eq_ignore_ascii_case("nulls"))
            || cursor.is_one_of(&["exclude"]) && (next == "(" || next.eq_ignore_ascii_case("using"))
    }

    fn column_definition(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let name = cursor.name().here()?;
        let start = cursor.at();
        let text = cursor
            .until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES))
            .filter(|text| !text.is_empty())
            .here()?;
        let end = cursor.at();
        cursor.go_to(start + 1);
        // Types of several words begin with one of these (PostgreSQL 17, "Data Types").
        let is_long = ["double", "character", "char", "national", "timestamp", "time", "bit", "interval"]
            .iter()
            .any(|word| cursor.between(start, start + 1).eq_ignore_ascii_case(word));
        while cursor.at() < end {
            if cursor.kind() == TokenKind::Word && !is_long && cursor.between(cursor.at() - 1, cursor.at()) != "." {
                return Err(Stop::Here);
            }
            cursor.skip_nested().here()?;
        }
        if let Some(number) = self.number(oid, &name) {
            // A column that is inherited, too.
            let is_inherited = |row: &ColumnRow| row.table == oid && row.number == number;
            self.catalogue.columns.retain(|row| !is_inherited(row));
        } else {
            self.columns.entry(oid).or_default().push(name.clone());
        }
        let number = self.number(oid, &name).unwrap_or(i16::MAX);
        let mut row = ColumnRow { table: oid, number, name: name.clone(), ..ColumnRow::default() };
        let serial = match text.to_ascii_lowercase().as_str() {
            "serial" | "serial4" => Some("integer"),
            "bigserial" | "serial8" => Some("bigint"),
            "smallserial" | "serial2" => Some("smallint"),
            _ => None,
        };
        row.ty = self.column_type(serial.unwrap_or(text));
        row.enumeration = self.enumeration(&row.ty);
        if let Some(ty) = serial {
            let table = self.table_name(oid);
            let sequence = qualified::beside(&table, &qualified::part(&sequence_name(&table, &name)));
            row.required = true;
            row.expression = Some(format!("nextval({}::regclass)", literal(&quote_object(&sequence))));
            let most = if ty == "smallint" {
                i64::from(i16::MAX)
            } else if ty == "integer" {
                i64::from(i32::MAX)
            } else {
                i64::MAX
            };
            self.catalogue.sequences.push(SequenceRow {
                name: sequence.clone(),
                ty: ty.into(),
                start: 1,
                step: 1,
                least: 1,
                most,
                cache: 1,
                cycles: false,
                owner: Some((oid, number)),
                comment: None,
            });
        }
        self.catalogue.columns.push(row);
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") {
            self.column_clause(cursor, oid, &name)?;
        }
        Ok(())
    }

    /// A column's type as the catalogue would give it: one that this SQL makes with its namespace.
    fn column_type(&self, text: &str) -> String {
        let text = type_text(text);
        let is_made = |name: &str| {
            let is_it = |row: &OtherRow| row.kind == ObjectKind::Type && row.name == name;
            self.enums.contains(name) || self.domains.contains_key(name) || self.catalogue.others.iter().any(is_it)
        };
        match self.type_made(&text, is_made) {
            Some(name) => format!("{}{}", quote_object(&name), "[]".repeat(text.matches("[]").count())),
            None => text,
        }
    }

    /// The enum type that a type is of, or an array of.
    fn enumeration(&self, ty: &str) -> Option<String> {
        self.type_made(ty, |name| self.enums.contains(name))
    }

    fn column_clause(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        let start = cursor.at();
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        let own = [column.to_owned()];
        if cursor.eat_all(&["not", "null"]) {
            self.column(oid, column)?.required = true;
        } else if cursor.eat("null") {
        } else if cursor.eat("default") {
            let ends = |cursor: &Cursor<'_>| {
                matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES) && cursor.at() > start + 1
            };
            let text = cursor.until(ends).here()?.to_owned();
            self.set_default(oid, column, &text)?;
        } else if cursor.eat("collate") {
            let name = cursor.name().here()?;
            let collation = if cursor.eat(".") { cursor.name().here()? } else { name };
            self.column(oid, column)?.collation = Some(collation).filter(|name| name != "default");
        } else if cursor.eat("storage") {
            let word = format!("storage {}", cursor.name().here()?);
            self.column(oid, column)?.peculiarities.push(word);
        } else if cursor.eat("compression") {
            let word = format!("compression {}", cursor.name().here()?);
            self.column(oid, column)?.peculiarities.push(word);
        } else if cursor.is("generated") {
            self.generated(cursor, oid, column)?;
        } else if Self::begins_column_constraint(cursor) {
            self.constraint(cursor, oid, named, Some(&own))?;
        } else {
            return Err(Stop::Here);
        }
        Ok(())
    }

    fn begins_column_constraint(cursor: &Cursor<'_>) -> bool {
        cursor.is_one_of(&["primary", "unique", "check", "references"])
    }

    fn set_default(&mut self, oid: u32, column: &str, text: &str) -> Reading<()> {
        let text = without_public(text);
        let ty = self.column(oid, column)?.ty.clone();
        let domain = self.type_made(&ty, |name| self.domains.contains_key(name));
        let domain = domain.and_then(|name| self.domains.get(&name).cloned());
        let is_cast = domain.is_some() || type_name(&ty).canonical().contains('(');
        let row = self.column(oid, column)?;
        row.expression = match text.eq_ignore_ascii_case("null") {
            false => Some(text),
            // A null is no default, unless it has to be cast to get its type: to a length, or to what a domain is of.
            true => {
                let canonical = domain.unwrap_or_else(|| type_name(&row.ty).canonical().to_ascii_lowercase());
                let (head, rest) = canonical.split_once('(').unwrap_or((&canonical, ""));
                let behind = rest.split_once(')').map(|(_, behind)| behind).unwrap_or_default();
                Some(format!("NULL::{head}{behind}")).filter(|_| is_cast)
            }
        };
        Ok(())
    }

    /// `generated always as (…) stored`, or an identity.
    fn generated(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        cursor.expect("generated").here()?;
        let always = cursor.eat("always");
        if !always {
            cursor.eat_all(&["by", "default"]).then_some(()).here()?;
        }
        cursor.expect("as").here()?;
        if cursor.eat("identity") {
            let table = self.table_name(oid);
            let own = qualified::beside(&table, &qualified::part(&sequence_name(&table, column)));
            let name = own.clone();
            let ty = type_name(&self.column(oid, column)?.ty).canonical().to_ascii_lowercase();
            let mut row = SequenceRow { name, ty, step: 1, cache: 1, ..SequenceRow::default() };
            let is_bounded = cursor.eat("(");
            if is_bounded {
                row = self.sequence_options(cursor, row)?;
                cursor.expect(")").here()?;
            } else {
                row.start = 1;
            }
            let found = self.column(oid, column)?;
            found.identity = Some(if always { 'a' } else { 'd' });
            found.required = true;
            found.numbering = Some((row.start, row.step));
            if row.cache != 1 {
                found.peculiarities.push(format!("identity cache {}", row.cache));
            }
            if row.cycles {
                found.peculiarities.push("identity cycle".into());
            }
            if is_bounded && (row.least, row.most) != usual_range(&row) {
                found.peculiarities.push(format!("identity from {} to {}", row.least, row.most));
            }
            if row.name != own {
                let name = qualified::plain(qualified::base(&row.name));
                found.peculiarities.push(format!("identity sequence {name}"));
            }
            return Ok(());
        }
        let expression = without_public(cursor.parenthesised().here()?);
        let kind = if cursor.eat("virtual") { 'v' } else { 's' };
        cursor.eat("stored");
        let found = self.column(oid, column)?;
        found.generated = Some(kind);
        found.expression = Some(expression);
        Ok(())
    }

    // ---- constraints --------------------------------------------------------------------------------------------

    fn table_constraint(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        self.constraint(cursor, oid, named, None)
    }

    /// A constraint of the table, or of one column.
    fn constraint(
        &mut self,
        cursor: &mut Cursor<'_>,
        oid: u32,
        named: Option<String>,
        own: Option<&[String]>,
    ) -> Reading<()> {
        let mut row = ConstraintRow { table: oid, on_delete: 'a', on_update: 'a', ..ConstraintRow::default() };
        if cursor.is("exclude") {
            return self.exclusion(cursor, oid, named);
        }
        if cursor.eat("check") {
            row.kind = 'c';
            row.expression = Some(without_public(cursor.parenthesised().here()?));
            let read = Expression::read(row.expression.as_deref().unwrap_or_default(), SYNTAX);
            let own = self.columns.get(&oid).cloned().unwrap_or_default();
            let mentioned: Vec<&String> = own.iter().filter(|name| read.mentions(name)).collect();
            let label = if let [one] = mentioned[..] { one.clone() } else { String::new() };
            row.name = named.unwrap_or_else(|| self.choose(oid, &label, "check"));
        } else {
            let is_primary = cursor.eat_all(&["primary", "key"]);
            let is_reference = !is_primary && (cursor.eat_all(&["foreign", "key"]) || cursor.is("references"));
            row.kind = if is_primary {
                'p'
            } else if is_reference {
                'f'
            } else {
                'u'
            };
            if row.kind == 'u' {
                cursor.expect("unique").here()?;
                if cursor.eat_all(&["nulls", "not", "distinct"]) {
                    row.peculiarities.push("nulls not distinct".into());
                }
                cursor.eat_all(&["nulls", "distinct"]);
            }
            let columns = match own {
                Some(own) => own.to_vec(),
                None => cursor.names().here()?,
            };
            row.columns = self.numbers(oid, &columns)?;
            let label = columns.join("_");
            row.name = named.unwrap_or_else(|| match row.kind {
                'p' => self.choose(oid, "", "pkey"),
                'u' => self.choose(oid, &label, "key"),
                _ => self.choose(oid, &label, "fkey"),
            });
            if is_primary {
                for column in &columns {
                    self.column(oid, column)?.required = true;
                }
            }
            if is_reference {
                cursor.expect("references").here()?;
                let table = self.relation(cursor)?;
                let columns = if cursor.is("(") { cursor.names().here()? } else { Vec::new() };
                self.pending.push(Pending { constraint: self.catalogue.constraints.len(), table, columns });
            }
        }
        self.constraint_options(cursor, &mut row, own.is_some())?;
        self.catalogue.constraints.push(row);
        Ok(())
    }

    fn constraint_options(&mut self, cursor: &mut Cursor<'_>, row: &mut ConstraintRow, of_column: bool) -> Reading<()> {
        loop {
            if cursor.eat("on") {
                let is_delete = cursor.is("delete");
                cursor.skip();
                let code = action(cursor).here()?;
                if is_delete {
                    row.on_delete = code;
                    if cursor.is("(") {
                        let columns = cursor.names().here()?;
                        let numbers = self.numbers(row.table, &columns)?;
                        let list: Vec<_> = numbers.iter().map(i16::to_string).collect();
                        row.peculiarities.push(format!("on delete sets only columns {}", list.join(",")));
                    }
                } else {
                    row.on_update = code;
                }
            } else if cursor.eat("match") {
                if cursor.name().here()? == "full" {
                    row.peculiarities.push("match full".into());
                }
            } else if cursor.eat_all(&["not", "valid"]) {
                row.peculiarities.push("not valid".into());
            } else if cursor.eat_all(&["no", "inherit"]) {
                row.peculiarities.push("no inherit".into());
            } else if cursor.eat_all(&["not", "enforced"]) {
                row.peculiarities.push("not enforced".into());
            } else if cursor.eat_all(&["not", "deferrable"])
                || cursor.eat_all(&["initially", "immediate"])
                || cursor.eat("enforced")
            {
            } else if cursor.eat("deferrable") {
                row.deferrable = true;
            } else if cursor.eat_all(&["initially", "deferred"]) {
                row.deferrable = true;
                row.deferred = true;
            } else if !of_column && cursor.eat("include") {
                let columns: Vec<_> = cursor.names().here()?.iter().map(|name| quote(name)).collect();
                row.peculiarities.push(format!("include ({})", columns.join(", ")));
            } else if cursor.is("with") && cursor.ahead(1) == "(" {
                cursor.skip();
                row.peculiarities.extend(parameters(cursor.parenthesised().here()?));
            } else if cursor.eat_all(&["using", "index", "tablespace"]) {
                row.peculiarities.push(format!("using index tablespace {}", cursor.name().here()?));
            } else {
                return Ok(());
            }
        }
    }

    fn exclusion(&mut self, cursor: &mut Cursor<'_>, oid: u32, named: Option<String>) -> Reading<()> {
        let table = self.table_name(oid);
        let definition = cursor.until(|cursor| matches!(cursor.peek(), "," | ")")).here()?;
        let name = named.unwrap_or_else(|| self.choose(oid, &excluded(definition), "excl"));
        let (alter, quoted) = (format!("alter table {}", quote_object(&table)), quote(&name));
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Constraint,
            sql: format!("{alter} add constraint {quoted} {definition}"),
            drop: format!("{alter} drop constraint {quoted}"),
            name: format!("{name} on {table}"),
            table: None,
            after: vec![table],
            comment: None,
        });
        Ok(())
    }

    // ---- indexes ------------------------------------------------------------------------------------------------

    fn create_index(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let unique = cursor.eat("unique");
        cursor.expect("index").here()?;
        cursor.eat("concurrently");
        let is_lenient = Self::passed_if_exists(cursor);
        let named = if cursor.is_one_of(&["on"]) { None } else { Some(cursor.name().here()?) };
        cursor.expect("on").here()?;
        let is_alone = cursor.eat("only");
        let start = cursor.at();
        let relation = self.relation(cursor)?;
        let views = |row: &OtherRow| {
            matches!(row.kind, ObjectKind::MaterializedView | ObjectKind::Partition) && row.name == relation
        };
        if self.catalogue.others.iter().any(views) {
            let name = qualified::beside(&relation, &qualified::part(&named.here()?));
            let drop = format!("drop index {}", quote_object(&name));
            self.other(ObjectKind::ViewIndex, name, sql.to_owned(), drop);
            if let Some(row) = self.catalogue.others.last_mut() {
                row.after = vec![relation];
            }
            return Ok(Read::Done);
        }
        cursor.go_to(start);
        let oid = self.table(cursor)?;
        if let Some(name) = &named
            && self.index(&qualified::beside(&self.table_name(oid), &qualified::part(name))).is_some()
        {
            return match is_lenient {
                true => Ok(Read::Nothing),
                false => Err(Stop::Because(format!("index `{name}` is made twice"))),
            };
        }
        let mut row = IndexRow { table: oid, unique, method: "btree".into(), ..IndexRow::default() };
        if cursor.eat("using") {
            row.method = cursor.name().here()?;
        }
        let mut labels = Vec::new();
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            labels.push(self.index_part(cursor, &mut row)?);
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        row.key_columns = i16::try_from(row.columns.len()).unwrap_or(i16::MAX);
        while !cursor.is_at_end() {
            if cursor.eat("include") {
                let columns = cursor.names().here()?;
                row.columns.extend(self.numbers(oid, &columns)?);
            } else if cursor.eat_all(&["nulls", "not", "distinct"]) {
                row.peculiarities.push("nulls not distinct".into());
            } else if cursor.eat_all(&["nulls", "distinct"]) {
            } else if cursor.eat("with") {
                row.peculiarities.extend(parameters(cursor.parenthesised().here()?));
            } else if cursor.eat("tablespace") {
                row.peculiarities.push(format!("tablespace {}", cursor.name().here()?));
            } else if cursor.eat("where") {
                row.predicate = Some(without_public(cursor.rest()));
            } else {
                return Err(Stop::Here);
            }
        }
        row.name = named.unwrap_or_else(|| self.choose(oid, &labels.join("_"), "idx"));
        if is_alone {
            self.alone.insert(qualified::beside(&relation, &qualified::part(&row.name)), sql.to_owned());
        }
        self.catalogue.indexes.push(row);
        Ok(Read::Done)
    }

    /// One part of an index; what it is called in a name that the server makes.
    fn index_part(&mut self, cursor: &mut Cursor<'_>, row: &mut IndexRow) -> Reading<String> {
        let mut label = "expr".to_owned();
        let is_call = cursor.ahead(1) == "(" || cursor.ahead(1) == "." && cursor.ahead(3) == "(";
        if cursor.is("(") {
            row.expressions.push(without_public(cursor.parenthesised().here()?));
            row.columns.push(0);
        } else if is_call {
            let start = cursor.at();
            let called = cursor.name().here()?;
            while !cursor.is("(") {
                cursor.skip();
            }
            cursor.skip_nested().here()?;
            row.expressions.push(without_public(cursor.between(start, cursor.at())));
            row.columns.push(0);
            label = called;
        } else {
            label = cursor.name().here()?;
            row.columns.extend(self.numbers(row.table, std::slice::from_ref(&label))?);
        }
        let mut collation = None;
        if cursor.eat("collate") {
            let name = cursor.name().here()?;
            collation = Some(if cursor.eat(".") { cursor.name().here()? } else { name });
        }
        let mut operators = None;
        if !cursor.is_one_of(&["asc", "desc", "nulls"]) && !matches!(cursor.peek(), "," | ")") {
            let class = self.relation(cursor)?;
            let is_usual =
                USUAL_CLASSES.contains(&class.as_str()) && matches!(row.method.as_str(), "btree" | "gin" | "hash");
            operators = Some(class).filter(|_| !is_usual);
            if cursor.is("(") {
                let given = cursor.parenthesised().here()?;
                return Err(Stop::Because(format!("parameters of an operator class ({given}) are not read")));
            }
        }
        let descending = cursor.eat("desc");
        cursor.eat("asc");
        let mut nulls_first = descending;
        if cursor.eat_all(&["nulls", "first"]) {
            nulls_first = true;
        } else if cursor.eat_all(&["nulls", "last"]) {
            nulls_first = false;
        }
        row.options.push(i16::from(descending) + 2 * i16::from(nulls_first));
        row.collations.push(collation);
        row.operators.push(operators);
        Ok(label)
    }

    // ---- alter --------------------------------------------------------------------------------------------------

    fn alter(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        // Whose a thing is no declaration says. A column may be called so, and be renamed.
        let start = cursor.at();
        cursor.until(|cursor| cursor.are(&["owner", "to"])).here()?;
        let before = cursor.between(cursor.at() - 1, cursor.at()).to_ascii_lowercase();
        if !cursor.is_at_end() && !matches!(before.as_str(), "rename" | "column") {
            return Ok(Read::Nothing);
        }
        cursor.go_to(start);
        if cursor.eat_all(&["default", "privileges"]) {
            return self.default_privileges(cursor);
        }
        if cursor.eat("table") {
            return self.alter_table(cursor, sql);
        }
        if cursor.eat("sequence") {
            Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["owned", "by"]) {
                self.owned_by(cursor, &name)?;
                return Ok(Read::Done);
            }
        } else if cursor.eat("type") {
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["add", "value"]) {
                Self::passed_if_exists(cursor);
                return self.add_word(cursor, name);
            }
        } else if cursor.eat("index") {
            Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["attach", "partition"]) {
                let part = self.relation(cursor)?;
                self.alone.remove(&name);
                self.attach_index(&part);
                return Ok(Read::Nothing);
            }
            if cursor.eat_all(&["alter", "column"]) {
                let part = cursor.peek().to_owned();
                cursor.skip();
                cursor.eat_all(&["set", "statistics"]).then_some(()).here()?;
                let target = cursor.rest().trim().to_owned();
                let at = self.index(&name).here()?;
                self.catalogue.indexes[at].peculiarities.push(format!("statistics {target} of part {part}"));
                return Ok(Read::Done);
            }
            if cursor.eat_all(&["rename", "to"]) {
                let new = cursor.name().here()?;
                let at = self.index(&name).here()?;
                self.catalogue.indexes[at].name = new;
                return Ok(Read::Done);
            }
        } else if cursor.eat_all(&["text", "search", "configuration"]) {
            return self.more_of(cursor, sql, ObjectKind::SearchConfiguration);
        } else if cursor.eat_all(&["foreign", "table"]) {
            cursor.eat("only");
            return self.more_of(cursor, sql, ObjectKind::ForeignTable);
        } else if cursor.eat_all(&["event", "trigger"]) {
            return self.more_of(cursor, sql, ObjectKind::EventTrigger);
        } else if cursor.eat("view") {
            Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            return self.alter_view(cursor, &name);
        } else if cursor.eat("publication") {
            return self.more_of(cursor, sql, ObjectKind::Publication);
        } else if cursor.eat("domain") {
            return self.more_of(cursor, sql, ObjectKind::Domain);
        } else if cursor.eat("statistics") {
            return self.more_of(cursor, sql, ObjectKind::Statistics);
        }
        Err(Stop::Here)
    }

    /// `alter [column] NAME set default …`: what a row gets that is inserted by way of a view.
    fn alter_view(&mut self, cursor: &mut Cursor<'_>, view: &str) -> Reading<Read> {
        cursor.expect("alter").here()?;
        cursor.eat("column");
        let column = cursor.name().here()?;
        cursor.eat_all(&["set", "default"]).then_some(()).here()?;
        let head = format!("alter view {} alter column {}", quote_object(view), quote(&column));
        let sql = format!("{head} set default {}", cursor.rest().trim());
        self.other(ObjectKind::ColumnSetting, format!("{view}.{column} default"), sql, format!("{head} drop default"));
        if let Some(row) = self.catalogue.others.last_mut() {
            row.after = vec![view.to_owned()];
        }
        Ok(Read::Done)
    }

    /// A change of an object that is kept as it is written: it goes behind what makes it.
    fn more_of(&mut self, cursor: &mut Cursor<'_>, sql: &str, kind: ObjectKind) -> Reading<Read> {
        let name = self.relation(cursor)?;
        if cursor.is("rename") || cursor.is("drop") || cursor.are(&["set", "schema"]) {
            return Err(Stop::Here);
        }
        let made = self.catalogue.others.iter_mut().find(|row| row.kind == kind && row.name == name);
        let made = made.ok_or(Stop::Here)?;
        made.sql = format!("{};\n{sql}", made.sql.trim_end().trim_end_matches(';'));
        Ok(Read::Done)
    }

    fn add_word(&mut self, cursor: &mut Cursor<'_>, name: String) -> Reading<Read> {
        let word = cursor.text().here()?;
        let words = &mut self.catalogue.words;
        let mut at = words.iter().rposition(|row| row.name == name).map_or(words.len(), |last| last + 1);
        let is_before = cursor.is("before");
        if cursor.eat("before") || cursor.eat("after") {
            let other = cursor.text().here()?;
            let found = words.iter().position(|row| row.name == name && row.word == other).here()?;
            at = if is_before { found } else { found + 1 };
        }
        words.insert(at, WordRow { name, word, comment: None });
        Ok(Read::Done)
    }

    fn alter_table(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        Self::passed_if_exists(cursor);
        cursor.eat("only");
        let start = cursor.at();
        let name = self.relation(cursor)?;
        if cursor.eat_all(&["attach", "partition"]) {
            return self.attach(cursor, &name).map(|()| Read::Done);
        }
        if self.is_partition(&name) {
            return self.alter_partition(cursor, &name, sql);
        }
        if self.catalogue.others.iter().any(|row| row.kind == ObjectKind::View && row.name == name) {
            return self.alter_view(cursor, &name);
        }
        cursor.go_to(start);
        let oid = self.table(cursor)?;
        loop {
            self.table_action(cursor, oid)?;
            if !cursor.eat(",") {
                break;
            }
        }
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    fn table_action(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let table = self.table_name(oid);
        if cursor.eat("add") {
            if Self::begins_constraint(cursor) {
                return self.table_constraint(cursor, oid);
            }
            cursor.eat("column");
            if Self::passed_if_exists(cursor) {
                let start = cursor.at();
                let name = cursor.name().here()?;
                if self.number(oid, &name).is_some() {
                    cursor.until(|cursor| cursor.is(",")).here()?;
                    return Ok(());
                }
                cursor.go_to(start);
            }
            return self.column_definition(cursor, oid);
        }
        if cursor.eat("alter") {
            cursor.eat("column");
            let column = cursor.name().here()?;
            return self.column_action(cursor, oid, &column);
        }
        for (word, reset, name) in
            [("enable", "disable", table.clone()), ("force", "no force", format!("{table} forced"))]
        {
            if cursor.eat_all(&[word, "row", "level", "security"]) {
                let statement = |word: &str| format!("alter table {} {word} row level security", quote_object(&table));
                self.other(ObjectKind::Security, name, statement(word), statement(reset));
                if let Some(row) = self.catalogue.others.last_mut() {
                    row.after = vec![table];
                }
                return Ok(());
            }
        }
        let start = cursor.at();
        if cursor.eat("enable") || cursor.eat("disable") {
            let _ = cursor.eat("always") || cursor.eat("replica");
            if cursor.is("trigger") || cursor.is("rule") {
                let how = cursor.between(start, cursor.at()).to_ascii_lowercase();
                let word = if cursor.eat("rule") { "rule" } else { "trigger" };
                cursor.eat("trigger");
                let name = cursor.name().here()?;
                let statement =
                    |how: &str| format!("alter table {} {how} {word} {}", quote_object(&table), quote(&name));
                let label = format!("{name} on {table}");
                self.catalogue.others.retain(|row| row.kind != ObjectKind::Firing || row.name != label);
                if how != "enable" {
                    self.other(ObjectKind::Firing, label, statement(&how), statement("enable"));
                    if let Some(row) = self.catalogue.others.last_mut() {
                        row.after = vec![name, table];
                    }
                }
                return Ok(());
            }
            cursor.go_to(start);
        }
        if cursor.eat_all(&["replica", "identity"]) && (cursor.is("full") || cursor.is("nothing")) {
            let word = format!("replica identity {}", cursor.name().here()?);
            self.table_row(oid).peculiarities.push(word);
            return Ok(());
        }
        if cursor.eat_all(&["set", "unlogged"]) || cursor.eat_all(&["set", "logged"]) {
            let word = cursor.between(cursor.at() - 1, cursor.at());
            self.table_row(oid).persistence = if word.eq_ignore_ascii_case("unlogged") { 'u' } else { 'p' };
            return Ok(());
        }
        if cursor.is("set") && cursor.ahead(1) == "(" {
            cursor.skip();
            let parameters = parameters(cursor.parenthesised().here()?);
            self.table_row(oid).parameters.extend(parameters);
            return Ok(());
        }
        if cursor.eat_all(&["cluster", "on"]) {
            let name = cursor.name().here()?;
            let indexes = self.catalogue.indexes.iter_mut().filter(|row| row.table == oid && row.name == name);
            indexes.for_each(|row| row.peculiarities.push("clustered".into()));
            let keys = self.catalogue.constraints.iter_mut().filter(|row| row.table == oid && row.name == name);
            keys.for_each(|row| row.peculiarities.push("clustered".into()));
            return Ok(());
        }
        if cursor.eat_all(&["drop", "constraint"]) {
            let is_lenient = Self::passed_if_exists(cursor);
            let name = cursor.name().here()?;
            cursor.eat("cascade");
            let rows = &self.catalogue.constraints;
            return match rows.iter().position(|row| row.table == oid && row.name == name) {
                Some(at) => {
                    self.remove_constraint(at);
                    Ok(())
                }
                None if is_lenient => Ok(()),
                None => Err(Stop::Because(format!("`{table}` has no constraint `{name}` before this"))),
            };
        }
        if cursor.eat("drop") {
            cursor.eat("column");
            let is_lenient = Self::passed_if_exists(cursor);
            let name = cursor.name().here()?;
            cursor.eat("cascade");
            if is_lenient && self.number(oid, &name).is_none() {
                return Ok(());
            }
            return self.drop_column(oid, &name);
        }
        if cursor.eat("rename") {
            return self.rename(cursor, oid);
        }
        if cursor.eat_all(&["set", "schema"]) {
            let namespace = cursor.name().here()?;
            self.move_table(oid, &namespace);
            return Ok(());
        }
        Err(Stop::Here)
    }

    fn rename_table(&mut self, oid: u32, old: &str, new: &str) {
        let is_old = |name: &String| name == old;
        self.pending.iter_mut().filter(|one| is_old(&one.table)).for_each(|one| one.table = new.to_owned());
        self.owners.values_mut().filter(|one| is_old(&one.0)).for_each(|one| one.0 = new.to_owned());
        let others = self.catalogue.others.iter_mut().filter(|row| row.table.as_ref().is_some_and(is_old));
        others.for_each(|row| row.table = Some(new.to_owned()));
        self.table_row(oid).name = new.to_owned();
    }

    /// A table goes to another namespace, and the sequences that are its own with it.
    fn move_table(&mut self, oid: u32, namespace: &str) {
        let old = self.table_name(oid);
        let moved = |name: &str| {
            let base = qualified::plain(qualified::base(name)).into_owned();
            qualified(Some(namespace).filter(|one| *one != PUBLIC), &base)
        };
        let owned: Vec<String> =
            self.owners.iter().filter(|(_, owner)| owner.0 == old).map(|(name, _)| name.clone()).collect();
        let of_table =
            |row: &SequenceRow| row.owner.is_some_and(|(table, _)| table == oid) || owned.contains(&row.name);
        let mut reads = Vec::new();
        for row in self.catalogue.sequences.iter_mut().filter(|row| of_table(row)) {
            let new = moved(&row.name);
            reads.push((literal(&quote_object(&row.name)), literal(&quote_object(&new))));
            row.name = new;
        }
        for row in self.catalogue.columns.iter_mut().filter(|row| row.table == oid) {
            for (old, new) in &reads {
                row.expression = row.expression.take().map(|text| text.replace(old, new));
            }
        }
        for name in &owned {
            let owner = self.owners.remove(name);
            self.owners.extend(owner.map(|owner| (moved(name), owner)));
        }
        self.rename_table(oid, &old, &moved(&old));
    }

    fn rename(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let old_table = self.table_name(oid);
        if cursor.eat("to") {
            let new = qualified::beside(&old_table, &qualified::part(&cursor.name().here()?));
            self.rename_table(oid, &old_table, &new);
            return Ok(());
        }
        if cursor.eat("constraint") {
            let old = cursor.name().here()?;
            cursor.expect("to").here()?;
            let new = cursor.name().here()?;
            let mut rows = self.catalogue.constraints.iter_mut();
            rows.find(|row| row.table == oid && row.name == old).here()?.name = new;
            return Ok(());
        }
        cursor.eat("column");
        let old = cursor.name().here()?;
        cursor.expect("to").here()?;
        let new = cursor.name().here()?;
        self.column(oid, &old)?.name.clone_from(&new);
        for place in self.columns.get_mut(&oid).into_iter().flatten().filter(|one| **one == old) {
            place.clone_from(&new);
        }
        let of_column = |one: &(String, String)| one.0 == old_table && one.1 == old;
        self.owners.values_mut().filter(|one| of_column(one)).for_each(|one| one.1.clone_from(&new));
        for one in self.pending.iter_mut().filter(|one| one.table == old_table) {
            one.columns.iter_mut().filter(|column| **column == old).for_each(|column| column.clone_from(&new));
        }
        let respelled = |text: &str| {
            Expression::read(text, SYNTAX)
                .with_columns(|found| (found.name == old).then(|| quote(&new)))
                .text()
                .to_owned()
        };
        let checks = self.catalogue.constraints.iter_mut().filter(|row| row.table == oid);
        checks.for_each(|row| row.expression = row.expression.as_deref().map(respelled));
        for row in self.catalogue.indexes.iter_mut().filter(|row| row.table == oid) {
            row.predicate = row.predicate.as_deref().map(respelled);
            row.expressions.iter_mut().for_each(|text| *text = respelled(text));
        }
        Ok(())
    }

    fn column_action(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        if cursor.eat_all(&["set", "default"]) {
            let text = cursor.until(|cursor| cursor.is(",")).here()?.to_owned();
            self.set_default(oid, column, &text)
        } else if cursor.eat_all(&["drop", "default"]) {
            self.column(oid, column)?.expression = None;
            Ok(())
        } else if cursor.eat_all(&["set", "not", "null"]) {
            self.column(oid, column)?.required = true;
            Ok(())
        } else if cursor.eat_all(&["drop", "not", "null"]) {
            self.column(oid, column)?.required = false;
            Ok(())
        } else if cursor.eat_all(&["set", "statistics"]) || cursor.eat_all(&["set", "storage"]) {
            let word = cursor.between(cursor.at() - 1, cursor.at()).to_ascii_lowercase();
            let value = cursor.peek().to_ascii_lowercase();
            cursor.skip();
            self.column(oid, column)?.peculiarities.push(format!("{word} {value}"));
            Ok(())
        } else if cursor.is("set") && cursor.ahead(1) == "(" {
            cursor.skip();
            let parameters = parameters(cursor.parenthesised().here()?);
            self.column(oid, column)?.peculiarities.extend(parameters);
            Ok(())
        } else if cursor.eat_all(&["set", "data", "type"]) || cursor.eat("type") {
            let text = cursor.until(|cursor| cursor.is(",") || cursor.is_one_of(&["using", "collate"])).here()?;
            let ty = self.column_type(text);
            let enumeration = self.enumeration(&ty);
            let row = self.column(oid, column)?;
            (row.ty, row.enumeration) = (ty, enumeration);
            if cursor.eat("using") {
                cursor.until(|cursor| cursor.is(",")).here()?;
            }
            Ok(())
        } else if cursor.eat("add") && cursor.is("generated") {
            self.generated(cursor, oid, column)
        } else {
            Err(Stop::Here)
        }
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
                let mut rows = self.catalogue.others.iter_mut();
                if let Some(row) = rows.find(|row| row.kind == ObjectKind::Namespace && row.name == name) {
                    row.comment = text;
                }
                return Ok(Read::Done);
            }
            "extension" | "database" => return Ok(Read::Nothing),
            "table" | "column" | "type" | "view" | "materialized" | "sequence" | "domain" => {
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
                if self.describe(&word, &name, text) {
                    return Ok(Read::Done);
                }
            }
            "function" | "procedure" | "aggregate" => {
                let name = self.relation(cursor)?;
                let arguments = cursor.is("(").then(|| cursor.parenthesised()).flatten().map(argument_types);
                cursor.expect("is").here()?;
                let text = if cursor.eat("null") { None } else { Some(cursor.text().here()?) };
                let end = format!(" {}({})", quote_object(&name), arguments.unwrap_or_default());
                let head = format!("drop {word}");
                let mut rows = self.catalogue.others.iter_mut();
                let is_it = |row: &&mut OtherRow| row.drop.starts_with(&head) && row.drop.ends_with(&end);
                rows.find(is_it).here()?.comment = text;
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
            _ => ObjectKind::Domain,
        };
        let found = self.catalogue.others.iter_mut().find(|row| row.kind == kind && row.name == name);
        found.map(|row| row.comment = text).is_some()
    }

    fn drop(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let word = cursor.name().here()?;
        let word = if word == "materialized" && cursor.eat("view") { "materialized view".to_owned() } else { word };
        cursor.eat("concurrently");
        let is_lenient = Self::passed_if_exists(cursor);
        loop {
            let start = cursor.at();
            if !self.drop_one(cursor, &word)? && !is_lenient {
                cursor.go_to(start);
                return Err(Stop::Because(format!("there is no such {word} before this")));
            }
            if !cursor.eat(",") {
                break;
            }
        }
        let _ = cursor.eat("cascade") || cursor.eat("restrict");
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    /// Drops a thing; whether it was there.
    fn drop_one(&mut self, cursor: &mut Cursor<'_>, word: &str) -> Reading<bool> {
        if matches!(word, "operator" | "cast") {
            // None of them is ever read.
            cursor.rest();
            return Ok(false);
        }
        let of_table = matches!(word, "trigger" | "policy" | "rule" | "schema" | "extension");
        let name = if of_table { cursor.name().here()? } else { self.relation(cursor)? };
        let catalogue = &mut self.catalogue;
        let before = catalogue.others.len();
        match word {
            "schema" => {
                let inside = |other: &str| qualified::split(other).0.is_some_and(|one| qualified::plain(one) == name);
                let is_used = catalogue.tables.iter().map(|row| &row.name).any(|one| inside(one))
                    || catalogue.sequences.iter().map(|row| &row.name).any(|one| inside(one))
                    || catalogue.words.iter().map(|row| &row.name).any(|one| inside(one))
                    || catalogue.others.iter().map(|row| &row.name).any(|one| inside(one));
                if is_used {
                    return Err(Stop::Because(format!(
                        "a namespace that goes with all that is in it is not read: `{name}`"
                    )));
                }
                catalogue.others.retain(|row| row.kind != ObjectKind::Namespace || row.name != name);
            }
            "table" => {
                let Some(oid) = self.oid(&name) else { return Ok(false) };
                self.drop_table(oid);
                return Ok(true);
            }
            "index" => {
                catalogue.others.retain(|row| row.kind != ObjectKind::ViewIndex || row.name != name);
                let is_gone = self.catalogue.others.len() < before;
                let found = self.index(&name);
                found.map(|at| self.catalogue.indexes.remove(at));
                return Ok(is_gone || found.is_some());
            }
            "sequence" => {
                let count = catalogue.sequences.len();
                catalogue.sequences.retain(|row| row.name != name);
                return Ok(catalogue.sequences.len() < count);
            }
            "type" if self.enums.remove(&name) => {
                catalogue.words.retain(|row| row.name != name);
                return Ok(true);
            }
            "trigger" | "policy" | "rule" => {
                cursor.expect("on").here()?;
                let table = self.relation(cursor)?;
                let full = format!("{name} on {table}");
                self.catalogue
                    .others
                    .retain(|row| row.name != full && (row.name != name || row.table.as_ref() != Some(&table)));
            }
            "function" | "procedure" | "routine" | "aggregate" => {
                let arguments =
                    if cursor.is("(") { argument_types(cursor.parenthesised().here()?) } else { String::new() };
                let full = format!("{name}({arguments})");
                let is_routine = |row: &OtherRow| matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
                catalogue.others.retain(|row| !is_routine(row) || row.name != name && row.name != full);
            }
            _ => catalogue.others.retain(|row| row.name != name || row.kind.word() != word),
        }
        Ok(self.catalogue.others.len() < before)
    }

    fn drop_table(&mut self, oid: u32) {
        let name = self.table_name(oid);
        let mut at = 0;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let points_here = self.pending.iter().any(|one| one.constraint == at && one.table == name);
            match row.table == oid || points_here {
                true => self.remove_constraint(at),
                false => at += 1,
            }
        }
        let catalogue = &mut self.catalogue;
        catalogue.tables.retain(|row| row.oid != oid);
        catalogue.columns.retain(|row| row.table != oid);
        catalogue.indexes.retain(|row| row.table != oid);
        catalogue.sequences.retain(|row| row.owner.is_none_or(|(table, _)| table != oid));
        let of_table = |row: &OtherRow| {
            row.table.as_ref() == Some(&name) || row.kind == ObjectKind::Policy && row.after.contains(&name)
        };
        catalogue.others.retain(|row| !of_table(row));
        let sequences: Vec<String> =
            self.owners.iter().filter(|(_, (table, _))| *table == name).map(|(sequence, _)| sequence.clone()).collect();
        for sequence in sequences {
            self.owners.remove(&sequence);
            self.catalogue.sequences.retain(|row| row.name != sequence);
        }
    }

    fn remove_constraint(&mut self, at: usize) {
        self.catalogue.constraints.remove(at);
        self.pending.retain(|one| one.constraint != at);
        self.pending.iter_mut().filter(|one| one.constraint > at).for_each(|one| one.constraint -= 1);
    }

    /// A column goes, with the keys and indexes over it. Its number stays taken, as on the server.
    fn drop_column(&mut self, oid: u32, name: &str) -> Reading<()> {
        let number = self.numbers(oid, &[name.to_owned()])?;
        let number = number.first().copied().unwrap_or_default();
        let mut at = 0;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let reads = row.expression.as_deref().is_some_and(|text| Expression::read(text, SYNTAX).mentions(name));
            match row.table == oid && (row.columns.contains(&number) || reads) {
                true => self.remove_constraint(at),
                false => at += 1,
            }
        }
        self.catalogue.indexes.retain(|row| row.table != oid || !row.columns.contains(&number));
        self.catalogue.columns.retain(|row| row.table != oid || row.number != number);
        self.catalogue.sequences.retain(|row| row.owner != Some((oid, number)));
        if let Some(names) = self.columns.get_mut(&oid)
            && let Some(place) = names.iter_mut().find(|one| *one == name)
        {
            place.clear();
        }
        Ok(())
    }
}

/// Between which numbers a sequence of such a type and step goes where nothing else is said (PostgreSQL 17, "CREATE
/// SEQUENCE").
fn usual_range(row: &SequenceRow) -> (i64, i64) {
    let highest = match row.ty.as_str() {
        "smallint" => i64::from(i16::MAX),
        "integer" => i64::from(i32::MAX),
        _ => i64::MAX,
    };
    if row.step < 0 { (-highest - 1, -1) } else { (1, highest) }
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

/// What the elements of an exclusion are called in a name that the server makes.
fn excluded(definition: &str) -> String {
    let Some(at) = definition.find('(') else { return String::new() };
    let mut cursor = Cursor::new(&definition[at..], SYNTAX);
    let mut labels = Vec::new();
    let elements = cursor.parenthesised().unwrap_or_default();
    let mut cursor = Cursor::new(elements, SYNTAX);
    while !cursor.is_at_end() {
        labels.push(cursor.name().unwrap_or_else(|| "expr".to_owned()));
        cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        cursor.eat(",");
    }
    labels.join("_")
}

/// A type's text as the catalogue would give it.
fn type_text(text: &str) -> String {
    let text = without_public(text).replace("pg_catalog.", "");
    // The lengths of arrays say nothing (PostgreSQL 17, "Arrays").
    match text.find('[').filter(|_| !text.starts_with('"')) {
        Some(at) => format!("{}{}", text[..at].trim_end(), "[]".repeat(text[at..].matches('[').count())),
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
        plain.push_str(&rest[..at]);
        if is_word {
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
    list.filter(|one| !one.is_empty()).collect()
}

/// The types of a routine's arguments, without their names, defaults and where they go.
fn argument_types(text: &str) -> String {
    let mut types = Vec::new();
    let mut cursor = Cursor::new(text, SYNTAX);
    while !cursor.is_at_end() {
        if cursor.is("out") {
            cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        } else {
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
            types.push(routine_type(cursor.between(from, end)));
            cursor.go_to(end);
            cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        }
        cursor.eat(",");
    }
    types.join(",")
}

/// A type as the server tells routines apart by it: without lengths.
fn routine_type(text: &str) -> String {
    let canonical = type_name(&type_text(text)).canonical().to_owned();
    let (head, rest) = canonical.split_once('(').unwrap_or((&canonical, ""));
    let behind = rest.split_once(')').map(|(_, behind)| behind).unwrap_or_default();
    let plain = format!("{head}{behind}");
    if text.contains('"') { text.to_owned() } else { plain.to_ascii_lowercase() }
}

fn action(cursor: &mut Cursor<'_>) -> Option<char> {
    let word = cursor.name()?;
    Some(match word.as_str() {
        "cascade" => 'c',
        "restrict" => 'r',
        "no" => {
            cursor.expect("action")?;
            'a'
        }
        "set" if cursor.eat("null") => 'n',
        "set" => {
            cursor.expect("default")?;
            'd'
        }
        _ => return None,
    })
}

fn strip_tail<'t>(text: &'t str, tail: &str) -> Option<&'t str> {
    let at = text.len().checked_sub(tail.len())?;
    (text.is_char_boundary(at) && text[at..].eq_ignore_ascii_case(tail)).then(|| &text[..at])
}
