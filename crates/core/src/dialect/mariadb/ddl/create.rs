//! `create …` in a file, but for tables and indexes, and `drop …`.

use std::collections::BTreeSet;

use super::events::event;
use super::indexes::free_name;
use super::{Fires, Kind, Made, Reader, Reading};
use crate::dialect::aliases::with_aliases;
use crate::dialect::mariadb::Flavor;
use crate::dialect::mariadb::SYNTAX;
use crate::dialect::mariadb::catalogue::{OtherRow, tells_all};
use crate::dialect::mariadb::quote::quote;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::ObjectKind;
use crate::sql::{Cursor, Lexer, TokenKind};

impl Reader {
    pub(super) fn create(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        let replaces = cursor.eat_all(&["or", "replace"]);
        if cursor.eat("temporary") {
            // A table or a sequence.
            cursor.skip();
            cursor.eat_all(&["if", "not", "exists"]);
            if let Ok(name) = Self::relation(cursor) {
                self.temporary.insert(name);
            }
            return Ok(Read::PassedOver);
        }
        self.create_thing(cursor, sql, replaces)
    }

    /// What stands behind `create`, with who made it before.
    pub(super) fn create_thing(&mut self, cursor: &mut Cursor<'_>, sql: &str, replaces: bool) -> Reading<Read> {
        let start = cursor.at();
        // Who made it is no part of it. How a view is looked through is, where that is not as usual.
        let mut clauses = String::new();
        while cursor.is_one_of(&["algorithm", "definer", "sql"]) {
            let is_algorithm = cursor.is("algorithm");
            let is_security = cursor.eat_all(&["sql", "security"]);
            if is_security && cursor.is("invoker") {
                clauses.push_str("sql security invoker ");
            }
            cursor.skip();
            if !is_security {
                cursor.expect("=").here()?;
                if is_algorithm && !cursor.is("undefined") {
                    clauses.push_str(&format!("algorithm = {} ", cursor.peek().to_ascii_lowercase()));
                }
                cursor.skip();
                // `user`@`host`
                if cursor.peek().starts_with('@') {
                    cursor.skip();
                    if matches!(cursor.kind(), TokenKind::Quoted | TokenKind::Text) {
                        cursor.skip();
                    }
                }
            }
        }
        let behind = cursor.at();
        let word = cursor.peek().to_ascii_lowercase();
        let whole = |cursor: &mut Cursor<'_>| {
            cursor.go_to(behind);
            let rest = cursor.rest();
            format!("create {rest}")
        };
        match word.as_str() {
            "table" => {
                cursor.skip();
                let start = cursor.at();
                cursor.eat_all(&["if", "not", "exists"]);
                let name = Self::relation(cursor)?;
                if replaces {
                    self.drop_table(&name);
                }
                if has_period(sql) || engine_in(sql).is_some_and(|engine| !tells_all(&engine)) {
                    let drop = format!("drop table {}", quote(&name));
                    self.other(ObjectKind::Table, name, None, without_counter(sql), drop);
                    return Ok(Read::Done);
                }
                cursor.go_to(start);
                self.create_table(cursor)
            }
            "unique" | "index" | "fulltext" | "spatial" | "vector" => self.create_index(cursor),
            "view" => {
                cursor.skip();
                let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
                let name = Self::relation(cursor)?;
                let is_it = |row: &OtherRow| row.kind == ObjectKind::View && row.name == name;
                if is_lenient && (self.has(&name) || self.catalogue.others.iter().any(is_it)) {
                    return Ok(Read::Nothing);
                }
                let drop = format!("drop view {}", quote(&name));
                // Names for its columns are kept as aliases in its query, but for MySQL, which keeps them as they are.
                let names = if cursor.is("(") { cursor.names().here()? } else { Vec::new() };
                cursor.expect("as").here()?;
                if let (Flavor::Mysql, false) = (self.flavor, names.is_empty()) {
                    let list: Vec<String> = names.iter().map(|name| quote(name)).collect();
                    let head = format!("create {clauses}view {} ({}) as", quote(&name), list.join(","));
                    self.other(ObjectKind::View, name, None, format!("{head}\n{}", cursor.rest()), drop);
                    return Ok(Read::Done);
                }
                let query = match &names[..] {
                    [] => Some(cursor.rest().to_owned()),
                    _ => with_aliases(cursor.rest(), &names, SYNTAX, quote),
                };
                let Some(query) = query else {
                    let make = whole(cursor).replacen("create ", &format!("create {clauses}"), 1);
                    self.other(ObjectKind::View, name, None, make, drop);
                    return Ok(Read::Done);
                };
                if !clauses.is_empty() {
                    let make = format!("create {clauses}view {} as\n{query}", quote(&name));
                    self.other(ObjectKind::View, name, None, make, drop);
                    return Ok(Read::Done);
                }
                self.other(ObjectKind::View, name, None, query, String::new());
                Ok(Read::Done)
            }
            "trigger" => {
                cursor.skip();
                cursor.eat_all(&["if", "not", "exists"]);
                let name = Self::relation(cursor)?;
                let moment = cursor.until(|cursor| cursor.is("on")).here()?.to_ascii_lowercase();
                cursor.expect("on").here()?;
                let table = Self::relation(cursor)?;
                cursor.eat_all(&["for", "each", "row"]).then_some(()).here()?;
                let beside = match cursor.is_one_of(&["follows", "precedes"]) {
                    true => {
                        let is_before = cursor.is("precedes");
                        cursor.skip();
                        Some((Self::relation(cursor)?, is_before))
                    }
                    false => None,
                };
                let moment = moment.split_whitespace().collect::<Vec<_>>().join(" ");
                let body = cursor.rest().to_owned();
                self.order_trigger(Fires { table: table.clone(), moment, name: name.clone(), body }, beside);
                self.other(ObjectKind::Trigger, name, Some(table), String::new(), String::new());
                Ok(Read::Done)
            }
            "procedure" | "function" | "event" | "aggregate" => {
                cursor.eat("aggregate");
                let word = cursor.peek().to_ascii_lowercase();
                cursor.skip();
                cursor.eat_all(&["if", "not", "exists"]);
                let name = Self::relation(cursor)?;
                let kind = if word == "event" { ObjectKind::Event } else { ObjectKind::Routine };
                let told = match kind {
                    ObjectKind::Event => event(&mut cursor.clone(), &name),
                    _ => None,
                };
                let whole = whole(cursor);
                let (make, drop) = (told.unwrap_or(whole), format!("drop {word} {}", quote(&name)));
                self.other(kind, name, None, make, drop);
                Ok(Read::Done)
            }
            "database" | "schema" => Ok(Read::Nothing),
            "user" | "role" | "server" | "tablespace" | "logfile" => Ok(Read::PassedOver),
            "sequence" => {
                cursor.skip();
                cursor.eat_all(&["if", "not", "exists"]);
                let name = Self::relation(cursor)?;
                let drop = format!("drop sequence {}", quote(&name));
                self.other(ObjectKind::Sequence, name, None, sql.to_owned(), drop);
                Ok(Read::Done)
            }
            _ => {
                cursor.go_to(start);
                Err(Stop::Here)
            }
        }
    }

    /// Puts a trigger where it fires among those of its table and moment.
    fn order_trigger(&mut self, new: Fires, beside: Option<(String, bool)>) {
        self.fires.retain(|one| one.name != new.name);
        let other = beside.and_then(|(name, is_before)| {
            let at = self.fires.iter().position(|one| one.name == name)?;
            Some(if is_before { at } else { at + 1 })
        });
        self.fires.insert(other.unwrap_or(self.fires.len()), new);
    }

    /// A dump names the database of a sequence that a default takes numbers from; it is the one that is read.
    pub(super) fn settle_sequences(&mut self) {
        let others = &self.catalogue.others;
        let is_sequence = |name: &str| others.iter().any(|row| row.kind == ObjectKind::Sequence && row.name == name);
        for default in self.catalogue.columns.iter_mut().filter_map(|column| column.default.as_mut()) {
            let mut cursor = Cursor::new(default, SYNTAX);
            let qualified = cursor.eat_all(&["nextval", "("]).then(|| cursor.name()).flatten();
            let name = qualified.filter(|_| cursor.eat(".")).and_then(|_| cursor.name());
            if let Some(name) = name.filter(|name| is_sequence(name)) {
                *default = format!("nextval({}{}", quote(&name), cursor.rest());
            }
        }
    }

    /// Says of each trigger behind which one it fires, as the catalogue is read.
    pub(super) fn settle_triggers(&mut self) {
        let triggers = |row: &&mut OtherRow| row.kind == ObjectKind::Trigger;
        let names: BTreeSet<String> =
            self.catalogue.others.iter_mut().filter(triggers).map(|row| row.name.clone()).collect();
        self.fires.retain(|one| names.contains(&one.name));
        for row in self.catalogue.others.iter_mut().filter(triggers) {
            let Some(at) = self.fires.iter().position(|one| one.name == row.name) else { continue };
            let one = &self.fires[at];
            let is_beside = |other: &&Fires| other.table == one.table && other.moment == one.moment;
            let former = self.fires[..at].iter().rfind(is_beside);
            let follows = former.map(|former| format!(" follows {}", quote(&former.name))).unwrap_or_default();
            let (name, table) = (quote(&one.name), quote(&one.table));
            row.sql = format!("create trigger {name} {} on {table} for each row{follows} {}", one.moment, one.body);
        }
    }

    /// Notes an object. One of its kind and name that is there already is replaced; a procedure and a function may be called
    /// the same.
    fn other(&mut self, kind: ObjectKind, name: String, table: Option<String>, sql: String, drop: String) {
        let is_another = |row: &OtherRow| kind == ObjectKind::Routine && row.drop != drop;
        self.catalogue
            .others
            .retain(|row| row.kind != kind || row.name != name || row.table != table || is_another(row));
        self.catalogue.others.push(OtherRow { kind, name, table, sql, drop, after: Vec::new(), comment: None });
    }

    /// `rename table A to B, C to D`.
    pub(super) fn rename_tables(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let _ = cursor.eat("table") || cursor.eat("tables");
        cursor.eat_all(&["if", "exists"]);
        loop {
            let table = self.table(cursor)?;
            cursor.is("to").then_some(()).here()?;
            self.rename_action(cursor, &table)?;
            if !cursor.eat(",") {
                break;
            }
        }
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    pub(super) fn drop(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let word = cursor.name().here()?.to_ascii_lowercase();
        if matches!(word.as_str(), "database" | "schema") {
            return Ok(Read::Nothing);
        }
        if matches!(word.as_str(), "user" | "role" | "server" | "tablespace" | "prepare") {
            return Ok(Read::PassedOver);
        }
        let is_temporary = word == "temporary";
        let word = if is_temporary { cursor.name().here()?.to_ascii_lowercase() } else { word };
        let is_lenient = cursor.eat_all(&["if", "exists"]) || is_temporary;
        loop {
            let start = cursor.at();
            if is_temporary {
                self.temporary.remove(&Self::relation(cursor)?);
            } else if !self.drop_one(cursor, &word)? && !is_lenient {
                cursor.go_to(start);
                return Err(Stop::Because(format!("there is no such {word} before this")));
            }
            if !cursor.eat(",") {
                break;
            }
        }
        // Either does nothing (MariaDB, "DROP TABLE").
        let _ = cursor.eat("cascade") || cursor.eat("restrict");
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    /// Drops a thing; whether it was there.
    fn drop_one(&mut self, cursor: &mut Cursor<'_>, word: &str) -> Reading<bool> {
        let name = Self::relation(cursor)?;
        match word {
            "table" | "sequence" if self.temporary.remove(&name) => Ok(true),
            "table" => {
                let is_there = self.has(&name);
                self.drop_table(&name);
                Ok(is_there)
            }
            "index" => {
                cursor.expect("on").here()?;
                let table = self.table(cursor)?;
                Ok(self.drop_index(&table, &name))
            }
            _ => {
                let kind = match word {
                    "view" => ObjectKind::View,
                    "trigger" => ObjectKind::Trigger,
                    "event" => ObjectKind::Event,
                    "sequence" => ObjectKind::Sequence,
                    "procedure" | "function" => ObjectKind::Routine,
                    _ => return Err(Stop::Because(format!("`drop {word}` is not read"))),
                };
                let before = self.catalogue.others.len();
                self.catalogue.others.retain(|row| row.kind != kind || !row.name.eq_ignore_ascii_case(&name));
                Ok(self.catalogue.others.len() < before)
            }
        }
    }

    fn drop_table(&mut self, name: &str) {
        let catalogue = &mut self.catalogue;
        catalogue.tables.retain(|row| row.name != name);
        catalogue.columns.retain(|row| row.table != name);
        catalogue.references.retain(|row| row.table != name);
        catalogue.checks.retain(|row| row.table != name);
        catalogue.others.retain(|row| row.table.as_deref() != Some(name));
        self.made.retain(|one| one.table != name);
    }

    pub(super) fn drop_index(&mut self, table: &str, name: &str) -> bool {
        self.name_plain(table);
        let before = self.made.len();
        let is_it =
            |one: &Made| one.table == table && one.name.as_ref().is_some_and(|own| own.eq_ignore_ascii_case(name));
        self.made.retain(|one| !is_it(one));
        self.made.len() < before
    }

    /// Gives the indexes of a table that have no name yet the one that the server gave them when they were made.
    pub(super) fn name_plain(&mut self, table: &str) {
        let mut taken: Vec<String> = self
            .made
            .iter()
            .filter(|one| one.table == table)
            .filter_map(|one| one.name.as_ref().map(|name| name.to_lowercase()))
            .collect();
        for index in self.made.iter_mut().filter(|one| one.table == table && one.kind != Kind::Primary) {
            if index.name.is_none() && !index.is_for_reference() {
                let name = free_name(index, &taken);
                taken.push(name.to_lowercase());
                index.name = Some(name);
            }
        }
    }
}

/// Whether a table has a period, which makes it an object as it is written.
fn has_period(sql: &str) -> bool {
    let text = sql.split_whitespace().collect::<Vec<_>>().join(" ").to_ascii_lowercase();
    text.contains(" period for ") || text.contains(" partition by system_time")
}

/// The engine that a table's statement says.
fn engine_in(sql: &str) -> Option<String> {
    let tokens: Vec<_> = Lexer::new(sql, 0, SYNTAX).filter(|token| !token.span.text(sql).trim().is_empty()).collect();
    let mut depth = 0;
    for (at, token) in tokens.iter().enumerate() {
        match token.span.text(sql) {
            "(" => depth += 1,
            ")" => depth -= 1,
            word if depth == 0 && at > 2 && token.kind == TokenKind::Word && word.eq_ignore_ascii_case("engine") => {
                let mut behind = tokens[at + 1..]
                    .iter()
                    .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted | TokenKind::Text));
                return behind.next().map(|token| token.span.text(sql).trim_matches(['`', '\'', '"']).to_owned());
            }
            _ => {}
        }
    }
    None
}

/// A table's statement without where its numbering stands.
fn without_counter(sql: &str) -> String {
    let Some((before, rest)) = sql.split_once(" AUTO_INCREMENT=") else { return sql.to_owned() };
    format!("{before}{}", rest.trim_start_matches(|digit: char| digit.is_ascii_digit()))
}
