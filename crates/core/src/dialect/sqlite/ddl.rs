//! Reads the `create table` and `create index` statements that SQLite keeps in its catalogue.
//!
//! The statements are those SQLite itself accepted, so reading gives up (`None`) only where this reader does not know
//! the syntax; the object is then reported as unreadable, never taken for something else. The grammar is that of SQLite,
//! "CREATE TABLE" and "CREATE INDEX".

use std::ops::{Deref, DerefMut};

use super::lower::collation;
use super::{FACTS, has_whole_number_key, index_key};
use crate::fit::fit;
use crate::physical::{
    Check, Column, ForeignKey, Generated, Index, IndexKey, IndexPart, KeyColumn, Noted, Options, PrimaryKey, Table,
    TypeName, Unique,
};
use crate::schema::{Action, Deferrable, Storage};
use crate::sql::{Cursor, Expression, Syntax, TokenKind, unquote};

/// Reads a `create table` statement.
pub(super) fn table(sql: &str) -> Option<Table> {
    Reader::new(sql).table()
}

/// Reads a `create index` statement.
pub(super) fn index(sql: &str) -> Option<Index> {
    Reader::new(sql).index()
}

struct Reader<'a>(Cursor<'a>);

impl<'a> Deref for Reader<'a> {
    type Target = Cursor<'a>;

    fn deref(&self) -> &Self::Target {
        &self.0
    }
}

impl DerefMut for Reader<'_> {
    fn deref_mut(&mut self) -> &mut Self::Target {
        &mut self.0
    }
}

impl<'a> Reader<'a> {
    fn new(source: &'a str) -> Self {
        Self(Cursor::new(source, Syntax::PLAIN))
    }

    fn create(&mut self) -> Option<()> {
        self.expect("create")?;
        let _ = self.eat("temp") || self.eat("temporary");
        Some(())
    }

    fn qualified_name(&mut self) -> Option<String> {
        if self.eat("if") {
            self.expect("not")?;
            self.expect("exists")?;
        }
        let name = self.name()?;
        if self.eat(".") { self.name() } else { Some(name) }
    }

    // ---- tables -------------------------------------------------------------------------------------------------

    fn table(&mut self) -> Option<Table> {
        self.create()?;
        self.expect("table")?;
        let mut table = Table::new(self.qualified_name()?, FACTS.name_case);
        self.expect("(")?;
        table.columns.reserve_exact(self.count_parts());
        let mut key_behind = false;
        loop {
            if self.begins_table_constraint() {
                let had_key = table.primary_key.is_some();
                self.table_constraint(&mut table)?;
                key_behind |= !had_key && table.primary_key.is_some();
            } else {
                self.column(&mut table)?;
            }
            if self.eat(")") {
                break;
            }
            // Between table constraints the comma may be missing.
            if !self.eat(",") && !self.begins_table_constraint() {
                return None;
            }
        }
        loop {
            if self.eat("without") {
                self.expect("rowid")?;
                table.options.insert("without rowid".into());
            } else if self.eat("strict") {
                table.options.insert("strict".into());
            } else if !self.eat(",") {
                break;
            }
        }
        if !self.is_at_end() {
            return None;
        }
        // Behind the columns an order says nothing of a key that is the rowid (SQLite, "CREATE TABLE", "ROWIDs and the INTEGER
        // PRIMARY KEY").
        let is_rowid = key_behind && !table.has_option("without rowid") && has_whole_number_key(&table);
        if let Some(key) = table.primary_key.as_mut().filter(|_| is_rowid) {
            key.columns.iter_mut().for_each(|column| column.descending = false);
        }
        Some(table)
    }

    fn begins_table_constraint(&self) -> bool {
        let next = self.ahead(1);
        self.kind() == TokenKind::Word
            && match self.peek().to_ascii_lowercase().as_str() {
                "constraint" => true,
                "primary" | "foreign" => next.eq_ignore_ascii_case("key"),
                "unique" | "check" => next == "(",
                _ => false,
            }
    }

    fn table_constraint(&mut self, table: &mut Table) -> Option<()> {
        let name = if self.eat("constraint") { Some(self.name()?) } else { None };
        if self.eat("primary") {
            self.expect("key")?;
            let columns = self.key_columns(table)?;
            let attributes = self.conflict()?;
            table.primary_key = Some(PrimaryKey { name, columns, attributes });
        } else if self.eat("unique") {
            let columns = self.key_columns(table)?;
            let attributes = self.conflict()?;
            table.uniques.push(Unique { name, columns, attributes });
        } else if self.is("check") {
            self.check(table, name)?;
        } else if self.eat("foreign") {
            self.expect("key")?;
            let columns = self.names()?;
            self.reference(table, name, columns)?;
        }
        // A name without a constraint behind it is accepted and means nothing.
        Some(())
    }

    fn check(&mut self, table: &mut Table, name: Option<String>) -> Option<()> {
        self.expect("check")?;
        let expression = Expression::new(self.parenthesised()?);
        let attributes = self.conflict()?;
        table.checks.push(Check { name, expression, attributes });
        Some(())
    }

    fn key_columns(&mut self, table: &mut Table) -> Option<Vec<KeyColumn>> {
        self.expect("(")?;
        let mut columns = Vec::new();
        loop {
            let mut column = KeyColumn::new(self.name()?);
            if self.eat("collate") {
                column.collation = Some(self.name()?.to_ascii_uppercase());
            }
            column.descending = self.direction();
            if self.eat("autoincrement") {
                table.options.insert("autoincrement".into());
            }
            columns.push(column);
            if !self.eat(",") {
                break;
            }
        }
        self.expect(")")?;
        Some(columns)
    }

    fn direction(&mut self) -> bool {
        let descending = self.eat("desc");
        if !descending {
            self.eat("asc");
        }
        descending
    }

    /// `on conflict …`; aborting is what happens without it.
    fn conflict(&mut self) -> Option<Options> {
        let mut attributes = Options::new();
        if self.eat_all(&["on", "conflict"]) {
            let way = self.name()?.to_ascii_lowercase();
            if way != "abort" {
                attributes.insert(format!("on conflict {way}"));
            }
        }
        Some(attributes)
    }

    // ---- columns ------------------------------------------------------------------------------------------------

    fn column(&mut self, table: &mut Table) -> Option<()> {
        let name = self.name()?;
        let ty = self.type_name()?;
        let mut column = Column { nullable: true, ..Column::new(name.as_str(), TypeName::new(&ty)) };
        loop {
            let named = if self.eat("constraint") { Some(self.name()?) } else { None };
            let word = self.peek().to_ascii_lowercase();
            match word.as_str() {
                "primary" => {
                    self.skip();
                    self.expect("key")?;
                    let descending = self.direction();
                    let attributes = self.conflict()?;
                    if self.eat("autoincrement") {
                        table.options.insert("autoincrement".into());
                    }
                    let columns = vec![KeyColumn { descending, ..KeyColumn::new(&*name) }];
                    table.primary_key = Some(PrimaryKey { name: named, columns, attributes });
                }
                "not" => {
                    self.skip();
                    self.expect("null")?;
                    column.nullable = false;
                    column.attributes.extend(self.conflict()?.into_iter().map(|way| format!("not null {way}")));
                    column.attributes.extend(named.map(|named| format!("not null named {named}")));
                }
                "null" => {
                    self.skip();
                    self.conflict()?;
                }
                "unique" => {
                    self.skip();
                    let attributes = self.conflict()?;
                    let columns = vec![KeyColumn::new(&*name)];
                    table.uniques.push(Unique { name: named, columns, attributes });
                }
                "check" => self.check(table, named)?,
                "default" => {
                    self.skip();
                    column.default = self.default()?.map(Box::new);
                }
                "collate" => {
                    self.skip();
                    column.collation = collation(&self.name()?);
                }
                "references" => self.reference(table, named, vec![name.clone()])?,
                "generated" | "as" => column.generated = Some(Box::new(self.generated()?)),
                "," | ")" => break,
                _ if named.is_some() => {}
                _ => return None,
            }
        }
        table.columns.push(column);
        Some(())
    }

    fn type_name(&mut self) -> Option<String> {
        const CLAUSES: [&str; 11] = [
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
            "as",
        ];
        let mut words: Vec<String> = Vec::new();
        while matches!(self.kind(), TokenKind::Word | TokenKind::Quoted | TokenKind::Text) && !self.is_one_of(&CLAUSES)
        {
            // `integer[]` is two of them, and the server keeps its quotes: it takes off those of the whole alone.
            match words.last_mut() {
                None => words.push(unquote(self.peek())),
                Some(last) if self.peek() == "[]" => last.push_str("[]"),
                Some(_) => words.push(self.peek().to_owned()),
            }
            self.skip();
        }
        let mut name = words.join(" ");
        if self.is("(") {
            name.push_str(&format!("({})", self.parenthesised()?));
        }
        Some(name)
    }

    fn default(&mut self) -> Option<Option<Expression>> {
        if self.is("(") {
            let expression = Expression::new(self.parenthesised()?);
            return Some(Some(expression).filter(|one| !one.text().eq_ignore_ascii_case("null")));
        }
        let sign = if matches!(self.peek(), "-" | "+") {
            let sign = self.peek();
            self.skip();
            sign
        } else {
            ""
        };
        let (kind, text) = (self.kind(), self.peek());
        if text.is_empty() {
            return None;
        }
        self.skip();
        // A name that is no keyword counts as a text (SQLite, "Quirks, Caveats, and Gotchas").
        let is_keyword = ["null", "true", "false", "current_timestamp", "current_date", "current_time"]
            .iter()
            .any(|word| word.eq_ignore_ascii_case(text));
        if kind == TokenKind::Quoted {
            // As it is kept; the text that it counts as says the same.
            let mut stored = Expression::new(text);
            stored.says_also(&Expression::new(&super::quote::literal(&unquote(text))));
            return Some(Some(stored));
        }
        let text = match kind {
            TokenKind::Word if !is_keyword => super::quote::literal(text),
            _ => format!("{sign}{text}"),
        };
        let mut stored = Expression::new(&text);
        if sign == "+" {
            stored.says_also(&Expression::new(&text[1..]));
        }
        Some(Some(stored).filter(|one| !one.text().eq_ignore_ascii_case("null")))
    }

    fn generated(&mut self) -> Option<Generated> {
        if self.eat("generated") {
            self.expect("always")?;
        }
        self.expect("as")?;
        let expression = Expression::new(self.parenthesised()?);
        let storage = if self.eat("stored") {
            Storage::Stored
        } else {
            self.eat("virtual");
            Storage::Virtual
        };
        Some(Generated { expression, storage })
    }

    fn reference(&mut self, table: &mut Table, name: Option<String>, columns: Vec<String>) -> Option<()> {
        self.expect("references")?;
        let mut key = ForeignKey {
            name,
            columns,
            referenced_table: self.name()?,
            referenced_columns: if self.is("(") { self.names()? } else { Vec::new() },
            on_delete: Action::NoAction,
            on_update: Action::NoAction,
            deferrable: Deferrable::No,
            attributes: Options::new(),
            dangles: Noted(false),
        };
        loop {
            if self.eat("on") {
                let delete = self.is("delete");
                self.skip();
                let action = self.action()?;
                if delete {
                    key.on_delete = action;
                } else {
                    key.on_update = action;
                }
            } else if self.eat("match") {
                let way = self.name()?.to_ascii_lowercase();
                if way != "simple" {
                    key.attributes.insert(format!("match {way}"));
                }
            } else {
                break;
            }
        }
        self.deferrable(&mut key)?;
        table.foreign_keys.push(key);
        Some(())
    }

    fn deferrable(&mut self, key: &mut ForeignKey) -> Option<()> {
        let negated = self.are(&["not", "deferrable"]);
        if negated {
            self.skip();
        }
        if !self.eat("deferrable") {
            return Some(());
        }
        let mut deferred = false;
        if self.eat("initially") {
            deferred = self.is("deferred");
            self.skip();
        }
        key.deferrable = match (negated, deferred) {
            (true, _) => Deferrable::No,
            (false, true) => Deferrable::InitiallyDeferred,
            (false, false) => Deferrable::InitiallyImmediate,
        };
        Some(())
    }

    fn action(&mut self) -> Option<Action> {
        let word = self.name()?.to_ascii_lowercase();
        Some(match word.as_str() {
            "cascade" => Action::Cascade,
            "restrict" => Action::Restrict,
            "no" => {
                self.expect("action")?;
                Action::NoAction
            }
            "set" if self.eat("null") => Action::SetNull,
            "set" => {
                self.expect("default")?;
                Action::SetDefault
            }
            _ => return None,
        })
    }

    // ---- indexes ------------------------------------------------------------------------------------------------

    fn index(&mut self) -> Option<Index> {
        self.create()?;
        let unique = self.eat("unique");
        self.expect("index")?;
        let name = self.qualified_name()?;
        self.expect("on")?;
        self.name()?;
        self.expect("(")?;
        let mut parts = Vec::new();
        loop {
            parts.push(self.index_part()?);
            if !self.eat(",") {
                break;
            }
        }
        self.expect(")")?;
        fit(&mut parts);
        let predicate = if self.eat("where") { Some(Expression::new(self.rest())) } else { None };
        self.is_at_end().then_some(Index { predicate, ..Index::new(name, unique, parts) })
    }

    fn index_part(&mut self) -> Option<IndexPart> {
        let start = self.at();
        self.until(|cursor| matches!(cursor.peek(), "," | ")"))?;
        let behind = self.at();
        let mut end = behind;
        let word = |at: usize| self.between(at, at + 1).to_ascii_lowercase();
        let mut descending = false;
        if end > start + 1 && matches!(word(end - 1).as_str(), "asc" | "desc") {
            descending = word(end - 1) == "desc";
            end -= 1;
        }
        let mut collated = None;
        if end > start + 2 && word(end - 2) == "collate" {
            collated = Some(unquote(self.between(end - 1, end)).to_ascii_uppercase());
            end -= 2;
        }
        let text = self.between(start, end);
        self.go_to(start);
        let kind = self.kind();
        self.go_to(behind);
        let key = match kind {
            TokenKind::Quoted | TokenKind::Text if end == start + 1 => IndexKey::Column(unquote(text)),
            TokenKind::Word if end == start + 1 => IndexKey::Column(text.to_owned()),
            _ => index_key(text),
        };
        Some(IndexPart { collation: collated, descending, ..IndexPart::new(key) })
    }
}
