//! Tables in a file, and their columns.

use std::collections::BTreeSet;

use super::stored::{
    BINARY, add_extra, as_stored, follow_collation, in_own_literals, in_parentheses_no_more, is_value, known_collation,
    plain_type, settle_type, stored_default,
};
use super::{CLAUSES, EXPRESSION, Kind, Made, Reader, Reading, TYPE_WORDS, partitions, text_of};
use crate::dialect::mariadb::catalogue::{CheckRow, ColumnRow, TableRow};
use crate::dialect::mariadb::lower::VERSIONED;
use crate::dialect::mariadb::types::in_one_word;
use crate::dialect::mariadb::{COLLATION, Flavor, SYNTAX};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::sql::{Cursor, Expression, TokenKind};

impl Reader {
    pub(super) fn create_table(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        let name = Self::relation(cursor)?;
        if self.has(&name) {
            return match is_lenient {
                true => Ok(Read::Nothing),
                false => Err(Stop::Because(format!("table `{name}` is made twice"))),
            };
        }
        let row = TableRow {
            name: name.clone(),
            engine: "InnoDB".into(),
            collation: COLLATION.into(),
            ..TableRow::default()
        };
        self.catalogue.tables.push(row);
        let first = self.catalogue.columns.len();
        let is_enclosed = cursor.is("(") && cursor.ahead(1).eq_ignore_ascii_case("like");
        if is_enclosed {
            cursor.skip();
        }
        if cursor.eat("like") {
            let other = self.table(cursor)?;
            self.copy_table(&other, &name);
            return if !is_enclosed || cursor.eat(")") { Ok(Read::Done) } else { Err(Stop::Here) };
        }
        if cursor.is_one_of(&["as", "select", "ignore", "replace"]) {
            return Err(Stop::Because(format!("what columns a query gives `{name}`, only a server can tell")));
        }
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            if !self.table_item(cursor, &name)? {
                self.column_definition(cursor, &name)?;
            }
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        while !cursor.is_at_end() {
            self.table_options(cursor, &name)?;
            cursor.eat(",");
        }
        self.name_plain(&name);
        // What the columns do not say follows from their table.
        let collation = self.table_row(&name).map(|row| row.collation.clone()).unwrap_or_default();
        for column in &mut self.catalogue.columns[first..] {
            follow_collation(column, &collation);
        }
        Ok(Read::Done)
    }

    /// What `create table … like` takes over: all but the references (MariaDB, "CREATE TABLE", "CREATE TABLE ... LIKE").
    fn copy_table(&mut self, from: &str, to: &str) {
        let catalogue = &mut self.catalogue;
        if let Some(row) = catalogue.tables.iter().find(|row| row.name == from).cloned() {
            catalogue.tables.retain(|row| row.name != to);
            catalogue.tables.push(TableRow { name: to.to_owned(), ..row });
        }
        let of_it = |table: &String| table == from;
        let columns: Vec<_> = catalogue.columns.iter().filter(|row| of_it(&row.table)).cloned().collect();
        catalogue.columns.extend(columns.into_iter().map(|row| ColumnRow { table: to.to_owned(), ..row }));
        let checks: Vec<_> = catalogue.checks.iter().filter(|row| of_it(&row.table)).cloned().collect();
        catalogue.checks.extend(checks.into_iter().map(|row| CheckRow { table: to.to_owned(), ..row }));
        let (of_references, mut made): (Vec<Made>, Vec<Made>) =
            self.made.iter().filter(|one| of_it(&one.table)).cloned().partition(Made::is_for_reference);
        for mut index in of_references {
            if !made.iter().any(|other| other.serves(&index)) {
                index.parts.iter_mut().for_each(|part| part.peculiarities.clear());
                made.push(index);
            }
        }
        self.made.extend(made.into_iter().map(|one| Made { table: to.to_owned(), ..one }));
        self.name_plain(to);
    }

    /// InnoDB keeps references, and so does MySQL's NDB; other engines read over them (MariaDB, "Foreign Keys"; MySQL 8.4,
    /// "FOREIGN KEY Constraints").
    pub(super) fn settle_references(&mut self) {
        let without =
            |engine: &str| !["", "innodb", "ndb", "ndbcluster"].iter().any(|one| engine.eq_ignore_ascii_case(one));
        let tables: BTreeSet<String> =
            self.catalogue.tables.iter().filter(|row| without(&row.engine)).map(|row| row.name.clone()).collect();
        self.catalogue.references.retain(|row| !tables.contains(&row.table));
    }

    /// Options of a table, up to the next comma.
    pub(super) fn table_options(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let usual = self.usual;
        while !cursor.is_at_end() && !cursor.is(",") {
            if cursor.eat_all(&["partition", "by"]) {
                let engine = self.table_row(table).map(|row| row.engine.clone()).unwrap_or_default();
                let option = partitions::read(cursor, &engine, self.flavor)?;
                if let Some(row) = self.table_row(table) {
                    row.options.push(option);
                }
                continue;
            }
            if cursor.eat_all(&["with", "system", "versioning"]) {
                self.table_row(table).here()?.options.push(VERSIONED.to_owned());
                continue;
            }
            cursor.eat("default");
            let word = match cursor.eat_all(&["character", "set"]) {
                true => "charset".to_owned(),
                false => cursor.name().here()?.to_ascii_lowercase(),
            };
            cursor.eat("=");
            let text = cursor.peek().to_owned();
            let quoted = (cursor.kind() == TokenKind::Quoted).then(|| cursor.name()).flatten();
            let value = match quoted.or_else(|| cursor.text()) {
                Some(value) => value,
                None => {
                    cursor.skip();
                    text.clone()
                }
            };
            let Some(row) = self.table_row(table) else { continue };
            match word.as_str() {
                "engine" | "type" => row.engine = value,
                "charset" => row.collation = usual.of_set(&value),
                "collate" => row.collation = known_collation(&value),
                "comment" => row.comment = value,
                "auto_increment" => {}
                "row_format" | "pack_keys" if value.eq_ignore_ascii_case("default") => {}
                _ if text.is_empty() => return Err(Stop::Here),
                _ => row.options.push(format!("{word}={}", text.to_ascii_lowercase())),
            }
        }
        Ok(())
    }

    pub(super) fn column_definition(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let name = cursor.name().here()?;
        let start = cursor.at();
        let text = cursor
            .until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.at() > start && cursor.is_one_of(&CLAUSES))
            .filter(|text| !text.is_empty())
            .here()?;
        let end = cursor.at();
        cursor.go_to(start + 1);
        while cursor.at() < end {
            if cursor.kind() == TokenKind::Word && !cursor.is_one_of(&TYPE_WORDS) {
                return Err(Stop::Here);
            }
            cursor.skip_nested().here()?;
        }
        let (text, is_national) = in_one_word(text);
        let text = &plain_type(&text);
        let lower = text.to_ascii_lowercase();
        let mut row = ColumnRow {
            table: table.to_owned(),
            name: name.clone(),
            nullable: true,
            ty: text.to_owned(),
            collation: is_national.then(|| self.usual.of_set("utf8mb3")),
            ..ColumnRow::default()
        };
        let before = self.made.len();
        if lower == "serial" {
            row.ty = "bigint unsigned".into();
            row.extra = "auto_increment".into();
            row.nullable = false;
            self.index_of(table, None, Kind::Unique, &name);
        }
        if lower == "json" && self.flavor == Flavor::Mariadb {
            // A JSON column is a long text with a check of its own on MariaDB (MariaDB, "JSON Data Type").
            row.ty = "longtext".into();
            row.collation = Some("utf8mb4_bin".into());
            self.check(table, Some(name.clone()), is_json(&name), true);
        }
        self.catalogue.columns.push(row);
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") && !cursor.is_one_of(&["first", "after"]) {
            self.column_clause(cursor, table, &name)?;
        }
        self.keep_one_key(before);
        if self.made.len() > before {
            self.one_primary_key(table)?;
        }
        let of_table = self.table_row(table).map(|row| row.collation.clone()).unwrap_or_default();
        let usual = self.usual;
        settle_type(self.column(table, &name)?, &of_table, usual);
        Ok(())
    }

    pub(super) fn set_default(&mut self, table: &str, name: &str, text: &str) -> Reading<()> {
        let flavor = self.flavor;
        let row = self.column(table, name)?;
        row.default = stored_default(flavor, text, &row.ty);
        row.extra = row.extra.replace(EXPRESSION, "");
        if flavor == Flavor::Mysql && row.default.is_some() && !is_value(text) {
            let spelled = |text: String| match text.strip_prefix("current_timestamp") {
                Some(precision) => format!("current_timestamp{}", precision.trim_end_matches("()")),
                None => in_parentheses_no_more(&text).to_owned(),
            };
            row.default = row.default.take().map(spelled);
            add_extra(&mut row.extra, EXPRESSION);
        }
        Ok(())
    }

    fn column_clause(&mut self, cursor: &mut Cursor<'_>, table: &str, name: &str) -> Reading<()> {
        let (flavor, usual) = (self.flavor, self.usual);
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        if cursor.eat_all(&["not", "null"]) {
            self.column(table, name)?.nullable = false;
        } else if cursor.eat("null") {
            self.column(table, name)?.nullable = true;
        } else if cursor.eat("default") {
            // `null`, or a function called like one of these, is a default where it is the first word.
            let start = cursor.at();
            let is_first = |cursor: &Cursor<'_>| cursor.at() == start;
            let text = cursor
                .until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES) && !is_first(cursor))
                .here()?;
            self.set_default(table, name, text)?;
        } else if cursor.eat("auto_increment") {
            add_extra(&mut self.column(table, name)?.extra, "auto_increment");
        } else if cursor.eat_all(&["on", "update"]) {
            let text =
                cursor.until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES)).here()?;
            let text = format!("on update {}", as_stored(text));
            add_extra(&mut self.column(table, name)?.extra, &text);
        } else if cursor.eat_all(&["primary", "key"]) {
            self.index_of(table, None, Kind::Primary, name);
        } else if cursor.eat("unique") {
            cursor.eat("key");
            self.index_of(table, None, Kind::Unique, name);
        } else if cursor.eat("key") {
            self.index_of(table, None, Kind::Primary, name);
        } else if cursor.eat("comment") {
            self.column(table, name)?.comment = text_of(cursor).here()?;
        } else if cursor.eat_all(&["character", "set"]) || cursor.eat("charset") {
            let set = cursor.name().here()?;
            self.column(table, name)?.collation = Some(usual.of_set(&set));
        } else if cursor.eat("binary") {
            // The binary collation of its character set (MariaDB, "CHAR").
            let row = self.column(table, name)?;
            let set = row.collation.as_deref().and_then(|collation| collation.split('_').next()).unwrap_or_default();
            row.collation = Some(format!("{set}{BINARY}"));
        } else if cursor.eat("collate") {
            cursor.eat("=");
            self.column(table, name)?.collation = Some(known_collation(&cursor.name().here()?));
        } else if cursor.eat_all(&["without", "system", "versioning"]) {
            add_extra(&mut self.column(table, name)?.extra, "without system versioning");
        } else if cursor.eat("srid") {
            let number = cursor.number().here()?;
            add_extra(&mut self.column(table, name)?.extra, &format!("srid {number}"));
        } else if cursor.eat("invisible") {
            add_extra(&mut self.column(table, name)?.extra, "invisible");
        } else if cursor.is("check") {
            cursor.skip();
            let mut condition = cursor.parenthesised().here()?.to_owned();
            if Expression::read(&condition, SYNTAX) == Expression::read(&is_json(name), SYNTAX) {
                condition = is_json(name);
            }
            let is_named = named.is_some();
            // A check that stands with a column has its name (MariaDB, "CONSTRAINT").
            let of_column = flavor == Flavor::Mariadb && !is_named;
            let called = named.or_else(|| of_column.then(|| name.to_owned()));
            if of_column {
                // One of its own takes the place of the one that a JSON column brings (seen on MariaDB 10.11 and 11.8).
                self.catalogue.checks.retain(|row| !(row.of_column && row.table == table && row.name == name));
            }
            self.check(table, called, condition, of_column);
            self.enforce(cursor);
        } else if cursor.is("references") {
            self.reference(cursor, table, named, vec![name.to_owned()])?;
        } else if cursor.is("generated") || cursor.is("as") {
            cursor.eat_all(&["generated", "always"]);
            cursor.expect("as").here()?;
            let expression = cursor.parenthesised().here()?.to_owned();
            let is_stored = cursor.eat("stored") || cursor.eat("persistent");
            cursor.eat("virtual");
            let row = self.column(table, name)?;
            row.generated = Some(in_own_literals(&expression));
            add_extra(&mut row.extra, if is_stored { "stored generated" } else { "virtual generated" });
        } else {
            return Err(Stop::Here);
        }
        Ok(())
    }

    pub(super) fn check(&mut self, table: &str, name: Option<String>, condition: String, of_column: bool) {
        let taken = |name: &str| self.catalogue.checks.iter().any(|row| row.table == table && row.name == name);
        let numbered = || {
            let called = |number: u32| match self.flavor {
                Flavor::Mariadb => format!("CONSTRAINT_{number}"),
                Flavor::Mysql => format!("{table}_chk_{number}"),
            };
            (1..).map(called).find(|name| !taken(name)).unwrap_or_default()
        };
        let name = name.unwrap_or_else(numbered);
        let condition = in_own_literals(&condition);
        self.catalogue.checks.push(CheckRow { table: table.to_owned(), name, condition, of_column, enforced: true });
    }

    /// What may stand behind a check (MySQL 8.4, "CHECK Constraints").
    pub(super) fn enforce(&mut self, cursor: &mut Cursor<'_>) {
        let is_enforced = !cursor.eat_all(&["not", "enforced"]);
        cursor.eat("enforced");
        if let Some(row) = self.catalogue.checks.last_mut() {
            row.enforced = is_enforced;
        }
    }
}

/// The check that a JSON column brings along on MariaDB, in the server's words.
fn is_json(column: &str) -> String {
    format!("json_valid(`{}`)", column.replace('`', "``"))
}
