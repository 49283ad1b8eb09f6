//! What is made in a file besides tables and indexes.

use std::collections::BTreeMap;

use super::{OF_SERVER, PUBLIC, Reader, Reading, argument_types, identity_arguments, type_text};
use crate::dialect::aliases::{strip_tail, with_aliases};
use crate::dialect::lowering::has_check_option;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::catalogue::{OtherRow, SequenceRow, WordRow};
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::postgres::sequence::Limits;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::ObjectKind;
use crate::sql::Cursor;

/// What is made by words that are kept, so that a name in them means what it means when they run.
const KEPT_AS_WRITTEN: [&str; 8] =
    ["collation", "conversion", "server", "publication", "event", "foreign", "text", "cast"];

/// Those whose names are given the namespace that the search path says.
const GIVEN_NAMESPACES: [&str; 13] = [
    "view",
    "recursive",
    "materialized",
    "function",
    "procedure",
    "aggregate",
    "trigger",
    "constraint",
    "policy",
    "rule",
    "domain",
    "type",
    "statistics",
];

impl Reader {
    pub(super) fn create(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        cursor.eat_all(&["or", "replace"]);
        let _ = cursor.eat("local") || cursor.eat("global");
        if cursor.eat("temp") || cursor.eat("temporary") {
            let _ = cursor.eat("recursive");
            cursor.skip();
            cursor.eat_all(&["if", "not", "exists"]);
            self.temporary.insert(self.relation(cursor)?);
            return Ok(Read::PassedOver);
        }
        let unlogged = cursor.eat("unlogged");
        let word = cursor.peek().to_ascii_lowercase();
        if GIVEN_NAMESPACES.contains(&word.as_str())
            && let Some(namespace) = self.namespace.take()
        {
            let full = self.in_namespace(sql, &namespace);
            let read = self.create(&mut Cursor::new(&full, SYNTAX), &full);
            self.namespace = Some(namespace);
            cursor.rest();
            return read;
        }
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
            "sequence" => self.create_sequence(cursor, unlogged),
            "view" | "recursive" => self.create_view(cursor, sql),
            "materialized" => self.create_materialized_view(cursor, sql),
            "function" | "procedure" => self.create_routine(cursor, sql),
            "trigger" | "constraint" => self.create_trigger(cursor, sql),
            "schema" => self.create_namespace(cursor),
            "trusted" | "procedural" | "language" if !sql.to_ascii_lowercase().contains("handler") => {
                let _ = cursor.eat("trusted");
                let _ = cursor.eat("procedural");
                cursor.expect("language").here()?;
                // Which makes the extension of that name (PostgreSQL 17, "CREATE LANGUAGE").
                let name = cursor.name().here()?;
                if name != "plpgsql" {
                    let (make, drop) =
                        (format!("create extension {}", quote(&name)), format!("drop extension {}", quote(&name)));
                    self.other(ObjectKind::Extension, name, make, drop);
                }
                Ok(Read::Done)
            }
            "extension" => {
                cursor.skip();
                Self::passed_if_exists(cursor);
                let name = cursor.name().here()?;
                cursor.eat("with");
                let mut make = format!("create extension {}", quote(&name));
                let said = if cursor.eat("schema") { Some(cursor.name().here()?) } else { self.namespace.clone() };
                if let Some(namespace) = said.filter(|name| name != PUBLIC && name != "pg_catalog") {
                    make.push_str(&format!(" with schema {}", quote(&namespace)));
                    self.extended.insert(namespace);
                }
                if name != "plpgsql" {
                    let drop = format!("drop extension {}", quote(&name));
                    self.other(ObjectKind::Extension, name, make, drop);
                }
                Ok(Read::Done)
            }
            "domain" => self.create_domain(cursor),
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
            word if OF_SERVER.contains(&word) => Ok(Read::PassedOver),
            "aggregate" => self.create_aggregate(cursor, sql),
            _ => Err(Stop::Here),
        }
    }

    /// What is kept as it is written would mean other things where it is made without the search path.
    pub(super) fn refuse_search_path(&self) -> Reading<()> {
        let Some(namespace) = &self.namespace else { return Ok(()) };
        Err(Stop::Because(format!(
            "what is made of SQL is not read behind `set search_path = {namespace}`: set it to `public` before this, and say \
             the namespace with each name"
        )))
    }

    pub(super) fn create_namespace(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
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
        if name == PUBLIC || is_lenient && self.is_namespace(&name) {
            return Ok(Read::Nothing);
        }
        self.add_namespace(name);
        Ok(Read::Done)
    }

    /// Something that is made and dropped by its kind and name.
    pub(super) fn create_plain(
        &mut self,
        cursor: &mut Cursor<'_>,
        sql: &str,
        kind: ObjectKind,
        words: usize,
    ) -> Reading<Read> {
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
    pub(super) fn create_on_table(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
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

    /// Calls aggregates as the server does, when all that the file says of them is known.
    pub(super) fn name_aggregates(&mut self) {
        for row in self.catalogue.others.iter_mut().filter(|row| row.kind == ObjectKind::Aggregate) {
            let mut cursor = Cursor::new(&row.sql, SYNTAX);
            let (Some(_), Some(inside)) = (cursor.until(|cursor| cursor.is("(")), cursor.parenthesised()) else {
                continue;
            };
            let mut old = Cursor::new(inside, SYNTAX);
            let is_old = old.until(|cursor| cursor.is("basetype")).is_some() && !old.is_at_end();
            let mut inside = Cursor::new(inside, SYNTAX);
            let direct = inside.until(|cursor| cursor.are(&["order", "by"])).map(identity_arguments);
            let Some(mut arguments) = direct.filter(|_| !is_old) else { continue };
            if inside.eat_all(&["order", "by"]) {
                arguments =
                    format!("{arguments} ORDER BY {}", identity_arguments(inside.rest())).trim_start().to_owned();
            }
            // One over all rows is called with a star, and has no arguments.
            let name = row.name.split('(').next().unwrap_or_default().to_owned();
            row.drop = format!("drop aggregate {}({arguments})", quote_object(&name));
            row.name = format!("{name}({})", arguments.trim_matches('*'));
        }
    }

    pub(super) fn create_aggregate(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
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

    pub(super) fn create_type(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
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

    pub(super) fn create_sequence(&mut self, cursor: &mut Cursor<'_>, unlogged: bool) -> Reading<Read> {
        cursor.skip();
        Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        let row = SequenceRow { unlogged, ..SequenceRow::new(name, "bigint".into()) };
        let row = self.sequence_options(cursor, row)?;
        self.catalogue.sequences.push(row);
        Ok(Read::Done)
    }

    /// `alter sequence`, behind the name. A limit that is the type's own goes with the type (PostgreSQL 17, "ALTER
    /// SEQUENCE").
    pub(super) fn alter_sequence(&mut self, cursor: &mut Cursor<'_>, at: usize) -> Reading<Read> {
        let row = self.catalogue.sequences[at].clone();
        let limits = row.limits();
        let row = self.options_beyond(cursor, row, limits)?;
        self.catalogue.sequences[at] = row;
        Ok(Read::Done)
    }

    pub(super) fn sequence_options(&mut self, cursor: &mut Cursor<'_>, row: SequenceRow) -> Reading<SequenceRow> {
        self.options_beyond(cursor, row, Limits::default())
    }

    fn options_beyond(
        &mut self,
        cursor: &mut Cursor<'_>,
        mut row: SequenceRow,
        mut limits: Limits,
    ) -> Reading<SequenceRow> {
        while !cursor.is_at_end() && !cursor.is(")") {
            if row.option(cursor, &mut limits).here()? || cursor.eat("logged") || cursor.eat("unlogged") {
                // That an identity column's is unlogged goes with its table.
            } else if cursor.eat("restart") {
                // Where its numbers stand now.
                cursor.eat("with");
                cursor.number();
            } else if cursor.eat_all(&["sequence", "name"]) {
                row.name = self.relation(cursor)?;
            } else if cursor.eat_all(&["owned", "by"]) {
                self.owned_by(cursor, &row.name)?;
            } else {
                return Err(Stop::Here);
            }
        }
        row.limit(&limits);
        Ok(row)
    }

    pub(super) fn owned_by(&mut self, cursor: &mut Cursor<'_>, sequence: &str) -> Reading<()> {
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

    pub(super) fn create_view(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let is_recursive = cursor.eat("recursive");
        cursor.expect("view").here()?;
        let name = self.relation(cursor)?;
        // Names for its columns are kept as aliases in its query.
        let start = cursor.at();
        if !is_recursive && cursor.is("(") && !has_check_option(sql) {
            let names = cursor.names().here()?;
            if cursor.eat("as")
                && let Some(query) = with_aliases(cursor.rest(), &names, SYNTAX, quote)
            {
                self.view(name, query, String::new());
                return Ok(Read::Done);
            }
        }
        cursor.go_to(start);
        if is_recursive || !cursor.eat("as") || has_check_option(sql) {
            // Names for its columns or options stand beside the query: it is kept as it is written.
            let drop = format!("drop view {}", quote_object(&name));
            self.view(name, sql.to_owned(), drop);
            return Ok(Read::Done);
        }
        let query = cursor.rest().to_owned();
        self.view(name, query, String::new());
        Ok(Read::Done)
    }

    fn view(&mut self, name: String, sql: String, drop: String) {
        let comment = self.replaced(|row| row.kind == ObjectKind::View && row.name == name);
        self.described(ObjectKind::View, name, sql, drop, comment);
    }

    pub(super) fn create_materialized_view(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
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

    pub(super) fn create_routine(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        cursor.skip();
        let name = self.relation(cursor)?;
        let arguments = self.types_of_arguments(cursor.parenthesised().here()?);
        let base = |row: &OtherRow| row.name.split('(').next() == Some(name.as_str());
        let full = format!("{name}({arguments})");
        let drop = format!("drop {word} {}({arguments})", quote_object(&name));
        let comment = self.replaced(|row| row.kind == ObjectKind::Routine && row.drop == drop);
        // What tells routines of one name apart is the types of their arguments.
        let mut is_alone = true;
        for row in self.catalogue.others.iter_mut().filter(|row| row.kind == ObjectKind::Routine && base(row)) {
            is_alone = false;
            if let Some(at) = row.drop.find('(').filter(|_| !row.name.contains('(')) {
                let types = row.drop[at..].to_owned();
                row.name.push_str(&types);
            }
        }
        self.described(ObjectKind::Routine, if is_alone { name } else { full }, sql.to_owned(), drop, comment);
        Ok(Read::Done)
    }

    /// A routine whose namesakes are all gone is called by its name alone again.
    pub(super) fn settle_routines(&mut self) {
        let base = |row: &OtherRow| row.name.split('(').next().unwrap_or_default().to_owned();
        let mut named: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (at, row) in self.catalogue.others.iter().enumerate().filter(|(_, row)| row.kind == ObjectKind::Routine) {
            named.entry(base(row)).or_default().push(at);
        }
        for (name, rows) in named {
            let [at] = rows[..] else { continue };
            let old = std::mem::replace(&mut self.catalogue.others[at].name, name.clone());
            let after = self.catalogue.others.iter_mut().flat_map(|row| row.after.iter_mut());
            after.filter(|one| **one == old).for_each(|one| name.clone_into(one));
        }
    }

    pub(super) fn create_trigger(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
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
}
