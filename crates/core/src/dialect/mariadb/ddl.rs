//! Reads the SQL of a schema into the rows that `information_schema` would have (MariaDB, "CREATE TABLE"; MySQL 8.4, the
//! same).

mod partitions;

use std::collections::BTreeSet;

use super::catalogue::{Catalogue, CheckRow, ColumnRow, OtherRow, PartRow, ReferenceRow, TableRow, introspect};
use super::lower::{VERSIONED, widest_character};
use super::quote::{literal, quote};
use super::types::{is_text, key_bytes, type_name};
use super::{COLLATION, Flavor, SYNTAX};
use crate::Span;
use crate::dialect::aliases::with_aliases;
use crate::dialect::reading::{OrStop, Read, Statements, Stop, blanked};
use crate::physical::{Introspected, ObjectKind};
use crate::sql::{Cursor, Expression, TokenKind, unquote};

type Reading<T> = Result<T, Stop>;

/// Words that a type can have behind its first.
const TYPE_WORDS: [&str; 11] = [
    "unsigned",
    "signed",
    "zerofill",
    "precision",
    "varying",
    "byte",
    "ascii",
    "unicode",
    "compressed",
    "varchar",
    "char",
];

/// Words that begin a clause of a column, and so end its type and its default.
const CLAUSES: [&str; 25] = [
    "without",
    "not",
    "null",
    "default",
    "auto_increment",
    "unique",
    "primary",
    "key",
    "comment",
    "references",
    "check",
    "constraint",
    "generated",
    "as",
    "on",
    "character",
    "charset",
    "collate",
    "invisible",
    "srid",
    "after",
    "first",
    "stored",
    "virtual",
    "binary",
];

/// By this a default is told from a value (MySQL 8.4, "The INFORMATION_SCHEMA COLUMNS Table", EXTRA).
const EXPRESSION: &str = "default_generated";

/// The text without what only the servers' dumper writes: comments that only some versions take for comments
/// (MariaDB, "Comment Syntax").
pub(in crate::dialect) fn plain(source: &str) -> String {
    let mut stretches = Vec::new();
    let mut at = 0;
    let opens = |text: &str| [text.find("/*!"), text.find("/*M!")].into_iter().flatten().min();
    while let Some(found) = opens(&source[at..]) {
        let start = at + found;
        let Some(length) = source[start..].find("*/") else { break };
        let end = start + length;
        at = end + 2;
        // What stands in `/*M! … */` is for MariaDB alone (MariaDB, "Comment Syntax").
        let inside = &source[start + 2..end];
        let told = inside.trim_start_matches('M').trim_start_matches('!');
        let digits = told.bytes().take_while(u8::is_ascii_digit).count();
        let is_of_no_version = told[..digits].parse::<u32>().is_ok_and(|version| version >= 999_999);
        if !is_of_no_version {
            stretches.push(Span::new(start, end - told.len() + digits));
            stretches.push(Span::new(end, end + 2));
        }
    }
    // At the end of a line a backslash means nothing to the servers' client.
    stretches.extend(source.match_indices("\\\n").map(|(at, _)| Span::new(at, at + 1)));
    blanked(source, &stretches)
}

/// What has been read so far.
pub(in crate::dialect) struct Reader {
    flavor: Flavor,
    catalogue: Catalogue,
    /// Character sets of columns and tables are looked up by it at the end.
    made: Vec<Made>,
    /// Triggers, those of one table and moment in the order in which they fire.
    fires: Vec<Fires>,
}

/// A trigger, and when it fires.
struct Fires {
    table: String,
    /// `before insert`
    moment: String,
    name: String,
    body: String,
}

/// An index of a table, before it is known which others there are.
#[derive(Clone)]
struct Made {
    table: String,
    name: Option<String>,
    kind: Kind,
    parts: Vec<PartRow>,
}

impl Made {
    /// Whether it is only there because a reference needs one.
    fn is_for_reference(&self) -> bool {
        self.parts.iter().any(|part| part.peculiarities == [FOR_REFERENCE])
    }

    /// Whether a reference that needs another index can do with this one.
    fn serves(&self, needed: &Self) -> bool {
        let begins_so = |(own, other): (&PartRow, &PartRow)| same(&own.column, &other.column) && own.prefix.is_none();
        self.table == needed.table
            && self.parts.len() >= needed.parts.len()
            && self.parts.iter().zip(&needed.parts).all(begins_so)
            && self.parts.iter().all(|part| matches!(part.method.as_str(), "BTREE" | ""))
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Primary,
    Unique,
    Plain,
}

impl Statements for Reader {
    fn statement(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        match word.as_str() {
            "create" => self.create(cursor, sql),
            "alter" => self.alter(cursor, sql),
            "set" | "use" | "begin" | "commit" | "start" | "lock" | "unlock" | "analyze" | "optimize" | "check"
            | "repair" | "checksum" | "show" | "describe" | "desc" | "explain" | "savepoint" | "release" | "reset"
            | "kill" => Ok(Read::Nothing),
            "insert" | "replace" | "update" | "delete" | "select" | "with" | "truncate" | "call" | "grant"
            | "revoke" | "flush" | "load" => Ok(Read::PassedOver),
            "drop" => self.drop(cursor),
            "rename" => self.rename_tables(cursor),
            // Where the numbers of a sequence stand.
            "do" if cursor.ahead(1).eq_ignore_ascii_case("setval") => Ok(Read::Nothing),
            "do" => Ok(Read::PassedOver),
            _ => Err(Stop::Here),
        }
    }

    fn finish(mut self: Box<Self>) -> Result<Introspected, String> {
        self.settle_nulls();
        self.settle_references();
        self.settle_methods();
        self.name_indexes();
        self.settle_triggers();
        self.settle_sequences();
        Ok(introspect(self.flavor, self.catalogue))
    }
}

impl Reader {
    /// A reader for one of the two.
    pub(in crate::dialect) fn new(flavor: Flavor) -> Self {
        Self { flavor, catalogue: Catalogue::default(), made: Vec::new(), fires: Vec::new() }
    }

    // ---- names --------------------------------------------------------------------------------------------------

    fn relation(cursor: &mut Cursor<'_>) -> Reading<String> {
        let name = cursor.name().here()?;
        if cursor.eat(".") {
            return Err(Stop::Because(format!("`{name}` is another database")));
        }
        Ok(name)
    }

    fn has(&self, table: &str) -> bool {
        self.catalogue.tables.iter().any(|row| row.name == table)
    }

    fn table(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let start = cursor.at();
        let name = Self::relation(cursor)?;
        match self.has(&name) {
            true => Ok(name),
            false => {
                cursor.go_to(start);
                Err(Stop::Because(format!("there is no table `{name}` before this")))
            }
        }
    }

    fn table_row(&mut self, table: &str) -> Option<&mut TableRow> {
        self.catalogue.tables.iter_mut().find(|row| row.name == table)
    }

    fn column(&mut self, table: &str, name: &str) -> Reading<&mut ColumnRow> {
        let missing = Stop::Because(format!("there is no column `{name}` in `{table}`"));
        let mut rows = self.catalogue.columns.iter_mut();
        rows.find(|row| row.table == table && row.name.eq_ignore_ascii_case(name)).ok_or(missing)
    }

    // ---- create -------------------------------------------------------------------------------------------------

    fn create(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        let replaces = cursor.eat_all(&["or", "replace"]);
        if cursor.eat("temporary") {
            return Ok(Read::PassedOver);
        }
        self.create_thing(cursor, sql, replaces)
    }

    /// What stands behind `create`, with who made it before.
    fn create_thing(&mut self, cursor: &mut Cursor<'_>, sql: &str, replaces: bool) -> Reading<Read> {
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
                if has_period(sql) {
                    let drop = format!("drop table {}", quote(&name));
                    self.other(ObjectKind::Table, name, None, without_counter(sql), drop);
                    return Ok(Read::Done);
                }
                cursor.go_to(start);
                self.create_table(cursor)
            }
            "unique" | "index" | "fulltext" | "spatial" => self.create_index(cursor),
            "view" => {
                cursor.skip();
                let name = Self::relation(cursor)?;
                let drop = format!("drop view {}", quote(&name));
                // Names for its columns are kept as aliases in its query.
                let names = if cursor.is("(") { cursor.names().here()? } else { Vec::new() };
                cursor.expect("as").here()?;
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
                let (make, drop) = (whole(cursor), format!("drop {word} {}", quote(&name)));
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
    fn settle_sequences(&mut self) {
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
    fn settle_triggers(&mut self) {
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
    fn rename_tables(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
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

    fn drop(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let word = cursor.name().here()?.to_ascii_lowercase();
        if matches!(word.as_str(), "database" | "schema") {
            return Ok(Read::Nothing);
        }
        if matches!(word.as_str(), "user" | "role" | "server" | "tablespace" | "prepare") {
            return Ok(Read::PassedOver);
        }
        let is_lenient = cursor.eat_all(&["if", "exists"]);
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
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    /// Drops a thing; whether it was there.
    fn drop_one(&mut self, cursor: &mut Cursor<'_>, word: &str) -> Reading<bool> {
        let name = Self::relation(cursor)?;
        match word {
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

    fn drop_index(&mut self, table: &str, name: &str) -> bool {
        self.name_plain(table);
        let before = self.made.len();
        let is_it =
            |one: &Made| one.table == table && one.name.as_ref().is_some_and(|own| own.eq_ignore_ascii_case(name));
        self.made.retain(|one| !is_it(one));
        self.made.len() < before
    }

    /// Gives the indexes of a table that have no name yet the one that the server gave them when they were made.
    fn name_plain(&mut self, table: &str) {
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

    // ---- tables -------------------------------------------------------------------------------------------------

    fn create_table(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
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

    /// Only InnoDB keeps references; other engines read over them (MariaDB, "Foreign Keys"; MySQL 8.4, "FOREIGN KEY
    /// Constraints").
    fn settle_references(&mut self) {
        let without = |engine: &str| !engine.is_empty() && !engine.eq_ignore_ascii_case("innodb");
        let tables: BTreeSet<String> =
            self.catalogue.tables.iter().filter(|row| without(&row.engine)).map(|row| row.name.clone()).collect();
        self.catalogue.references.retain(|row| !tables.contains(&row.table));
    }

    /// Options of a table, up to the next comma.
    fn table_options(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let flavor = self.flavor;
        while !cursor.is_at_end() && !cursor.is(",") {
            if cursor.eat_all(&["partition", "by"]) {
                let engine = self.table_row(table).map(|row| row.engine.clone()).unwrap_or_default();
                let option = partitions::read(cursor, &engine)?;
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
                "charset" => row.collation = usual_collation(flavor, &value),
                "collate" => row.collation = known_collation(&value),
                "comment" => row.comment = value,
                "auto_increment" => {}
                "row_format" if value.eq_ignore_ascii_case("dynamic") || value.eq_ignore_ascii_case("default") => {}
                "pack_keys" if value.eq_ignore_ascii_case("default") => {}
                _ if text.is_empty() => return Err(Stop::Here),
                _ => row.options.push(format!("{word}={}", text.to_ascii_lowercase())),
            }
        }
        Ok(())
    }

    fn column_definition(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
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
            collation: is_national.then(|| usual_collation(self.flavor, "utf8mb3")),
            ..ColumnRow::default()
        };
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
            self.check(table, Some(name.clone()), format!("json_valid(`{}`)", name.replace('`', "``")), true);
        }
        self.catalogue.columns.push(row);
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") && !cursor.is_one_of(&["first", "after"]) {
            self.column_clause(cursor, table, &name)?;
        }
        let of_table = self.table_row(table).map(|row| row.collation.clone()).unwrap_or_default();
        settle_type(self.column(table, &name)?, &of_table);
        Ok(())
    }

    fn set_default(&mut self, table: &str, name: &str, text: &str) -> Reading<()> {
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
        let flavor = self.flavor;
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        if cursor.eat_all(&["not", "null"]) {
            self.column(table, name)?.nullable = false;
        } else if cursor.eat("null") {
            self.column(table, name)?.nullable = true;
        } else if cursor.eat("default") {
            let text = cursor
                .until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES) && !cursor.is("null"))
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
            self.column(table, name)?.collation = Some(usual_collation(flavor, &set));
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
            let condition = cursor.parenthesised().here()?.to_owned();
            let is_named = named.is_some();
            // A check that stands with a column has its name (MariaDB, "CONSTRAINT").
            let of_column = flavor == Flavor::Mariadb && !is_named;
            let called = named.or_else(|| of_column.then(|| name.to_owned()));
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

    fn check(&mut self, table: &str, name: Option<String>, condition: String, of_column: bool) {
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
    fn enforce(&mut self, cursor: &mut Cursor<'_>) {
        let is_enforced = !cursor.eat_all(&["not", "enforced"]);
        cursor.eat("enforced");
        if let Some(row) = self.catalogue.checks.last_mut() {
            row.enforced = is_enforced;
        }
    }

    // ---- keys and indexes ---------------------------------------------------------------------------------------

    /// A key, index, reference or check of the table; whether one stood here.
    fn table_item(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<bool> {
        if cursor.kind() != TokenKind::Word {
            return Ok(false);
        }
        let has_name = cursor.is("constraint");
        let mut named = None;
        let is_named = cursor.eat("constraint");
        // MariaDB, "ALTER TABLE", IF NOT EXISTS.
        let mut is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        if is_named && !cursor.is_one_of(&["primary", "unique", "foreign", "check"]) {
            named = Some(cursor.name().here()?);
        }
        if cursor.eat_all(&["primary", "key"]) {
            self.index_parts(cursor, table, None, Kind::Primary, "")?;
        } else if cursor.eat("unique") {
            let _ = cursor.eat("key") || cursor.eat("index");
            self.index_parts(cursor, table, named, Kind::Unique, "")?;
        } else if cursor.eat_all(&["foreign", "key"]) {
            is_lenient |= cursor.eat_all(&["if", "not", "exists"]);
            if !cursor.is("(") {
                let index = cursor.name().here()?;
                named = named.or(Some(index));
            }
            let columns = cursor.names().here()?;
            let is_there = is_lenient && self.has_constraint(table, named.as_deref());
            let (references, made) = (self.catalogue.references.len(), self.made.len());
            self.reference(cursor, table, named, columns)?;
            if is_there {
                self.catalogue.references.truncate(references);
                self.made.truncate(made);
            }
        } else if cursor.is("check") && cursor.ahead(1) == "(" {
            cursor.skip();
            let condition = cursor.parenthesised().here()?.to_owned();
            if !is_lenient || !self.has_constraint(table, named.as_deref()) {
                self.check(table, named, condition, false);
                self.enforce(cursor);
            }
        } else if cursor.is_one_of(&["fulltext", "spatial"]) {
            let method = cursor.peek().to_ascii_uppercase();
            cursor.skip();
            let _ = cursor.eat("key") || cursor.eat("index");
            self.index_parts(cursor, table, None, Kind::Plain, &method)?;
        } else if cursor.is_one_of(&["key", "index"]) {
            cursor.skip();
            self.index_parts(cursor, table, None, Kind::Plain, "")?;
        } else if has_name {
            return Err(Stop::Here);
        } else {
            return Ok(false);
        }
        Ok(true)
    }

    /// What is in a primary key, or counts by itself, is required, whatever else was said of it since.
    fn settle_nulls(&mut self) {
        let made = std::mem::take(&mut self.made);
        made.iter().filter(|one| one.kind == Kind::Primary).for_each(|one| self.require(one));
        self.made = made;
        let counts = self.catalogue.columns.iter_mut().filter(|row| row.extra.contains("auto_increment"));
        counts.for_each(|row| row.nullable = false);
    }

    fn require(&mut self, key: &Made) {
        for name in key.parts.iter().filter_map(|part| part.column.as_deref()) {
            if let Ok(row) = self.column(&key.table, name) {
                row.nullable = false;
            }
        }
    }

    fn index_of(&mut self, table: &str, name: Option<String>, kind: Kind, column: &str) {
        let part = PartRow { column: Some(column.to_owned()), method: String::new(), ..PartRow::default() };
        self.add_index(Made { table: table.to_owned(), name, kind, parts: vec![part] });
    }

    fn add_index(&mut self, made: Made) {
        if made.kind == Kind::Primary {
            self.require(&made);
        }
        self.made.push(made);
    }

    fn index_parts(
        &mut self,
        cursor: &mut Cursor<'_>,
        table: &str,
        mut name: Option<String>,
        kind: Kind,
        method: &str,
    ) -> Reading<()> {
        let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        if !cursor.is("(") && !cursor.is("using") {
            let own = cursor.name().here()?;
            name = name.or(Some(own));
        }
        let mut method = method.to_owned();
        if cursor.eat("using") {
            method = cursor.name().here()?.to_ascii_uppercase();
        }
        let mut parts = Vec::new();
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            let mut part = PartRow::default();
            if cursor.is("(") {
                part.expression = Some(cursor.parenthesised().here()?.to_owned());
            } else {
                part.column = Some(cursor.name().here()?);
                if cursor.eat("(") {
                    part.prefix = u32::try_from(cursor.number().here()?).ok();
                    cursor.expect(")").here()?;
                }
            }
            part.descending = cursor.eat("desc");
            cursor.eat("asc");
            parts.push(part);
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        let mut peculiarities = Vec::new();
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") {
            if cursor.eat("using") {
                method = cursor.name().here()?.to_ascii_uppercase();
            } else if cursor.eat("comment") {
                peculiarities.push(format!("comment {}", literal(&text_of(cursor).here()?)));
            } else if cursor.is_one_of(&["ignored", "invisible"]) {
                peculiarities.push(cursor.name().here()?.to_ascii_lowercase());
            } else if cursor.eat("key_block_size") {
                cursor.eat("=");
                peculiarities.push(format!("key_block_size={}", cursor.number().here()?));
            } else {
                return Err(Stop::Here);
            }
        }
        for part in &mut parts {
            part.method.clone_from(&method);
            part.peculiarities.clone_from(&peculiarities);
        }
        let is_like = |one: &Made| {
            one.table == table
                && match kind {
                    Kind::Primary => one.kind == Kind::Primary,
                    _ => one.name.is_some() && same(&one.name, &name),
                }
        };
        if is_lenient && self.made.iter().any(is_like) {
            return Ok(());
        }
        self.add_index(Made { table: table.to_owned(), name, kind, parts });
        Ok(())
    }

    fn create_index(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let kind = if cursor.eat("unique") { Kind::Unique } else { Kind::Plain };
        let method = match cursor.is_one_of(&["fulltext", "spatial"]) {
            true => cursor.name().here()?.to_ascii_uppercase(),
            false => String::new(),
        };
        cursor.expect("index").here()?;
        let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        let name = cursor.name().here()?;
        let mut before = method;
        if cursor.eat("using") {
            before = cursor.name().here()?.to_ascii_uppercase();
        }
        cursor.expect("on").here()?;
        let table = self.table(cursor)?;
        let is_like = |one: &Made| one.table == table && same(&one.name, &Some(name.clone()));
        if is_lenient && self.made.iter().any(is_like) {
            return Ok(Read::Nothing);
        }
        self.index_parts(cursor, &table, Some(name), kind, &before)?;
        Ok(Read::Done)
    }

    fn reference(
        &mut self,
        cursor: &mut Cursor<'_>,
        table: &str,
        named: Option<String>,
        columns: Vec<String>,
    ) -> Reading<()> {
        cursor.expect("references").here()?;
        let referenced = Self::relation(cursor)?;
        let theirs = match cursor.is("(") {
            true => cursor.names().here()?,
            false => self.key_of(&referenced),
        };
        let (mut on_delete, mut on_update) = (String::new(), String::new());
        loop {
            if cursor.eat("on") {
                let is_delete = cursor.is("delete");
                cursor.skip();
                let words = if cursor.is("set") || cursor.is("no") { 2 } else { 1 };
                let start = cursor.at();
                cursor.go_to(start + words);
                let action = cursor.between(start, start + words).to_ascii_uppercase();
                *(if is_delete { &mut on_delete } else { &mut on_update }) = action;
            } else if cursor.eat("match") {
                cursor.skip();
            } else {
                break;
            }
        }
        let taken = |name: &str| self.catalogue.references.iter().any(|row| row.table == table && row.name == name);
        let numbered = || (1u32..).map(|number| format!("{table}_ibfk_{number}")).find(|name| !taken(name));
        let name = named.clone().or_else(numbered).unwrap_or_default();
        // The server makes an index for it where no other can serve; that is known when all indexes are.
        let parts = columns.iter().map(|column| PartRow {
            column: Some(column.clone()),
            method: String::new(),
            peculiarities: vec![FOR_REFERENCE.into()],
            ..PartRow::default()
        });
        self.made.push(Made { table: table.to_owned(), name: named, kind: Kind::Plain, parts: parts.collect() });
        for (column, referenced_column) in columns.iter().zip(theirs) {
            self.catalogue.references.push(ReferenceRow {
                table: table.to_owned(),
                name: name.clone(),
                column: column.clone(),
                referenced_table: referenced.clone(),
                referenced_column,
                on_delete: on_delete.clone(),
                on_update: on_update.clone(),
            });
        }
        Ok(())
    }

    fn has_constraint(&self, table: &str, name: Option<&str>) -> bool {
        let is_it = |own: &str| name.is_some_and(|name| own.eq_ignore_ascii_case(name));
        self.catalogue.references.iter().any(|row| row.table == table && is_it(&row.name))
            || self.catalogue.checks.iter().any(|row| row.table == table && is_it(&row.name))
    }

    fn key_of(&self, table: &str) -> Vec<String> {
        let keys = self.made.iter().filter(|one| one.table == table && one.kind == Kind::Primary);
        keys.flat_map(|one| one.parts.iter().filter_map(|part| part.column.clone())).collect()
    }

    /// What an index is made with where nothing is said, which prefixes are the whole column, and what becomes of a part that
    /// is too long for a key.
    fn settle_methods(&mut self) {
        let flavor = self.flavor;
        for one in &mut self.made {
            let mut is_long = false;
            let table = self.catalogue.tables.iter().find(|row| row.name == one.table);
            // In memory an index is one by hash unless it says otherwise (MariaDB, "Storage Engine Index Types").
            let is_in_memory = table.is_some_and(|row| row.engine.eq_ignore_ascii_case("memory"));
            for part in &mut one.parts {
                if part.method.is_empty() {
                    part.method = if is_in_memory { "HASH" } else { "BTREE" }.to_owned();
                }
                // Elsewhere an index by hash is made as an ordinary one.
                if part.method == "HASH" && !is_in_memory {
                    part.method = "BTREE".into();
                }
                let column = self.catalogue.columns.iter().find(|row| {
                    row.table == one.table
                        && part.column.as_ref().is_some_and(|name| name.eq_ignore_ascii_case(&row.name))
                });
                let length = column.and_then(|row| {
                    let lower = row.ty.to_ascii_lowercase();
                    let is_bounded =
                        ["varchar", "char", "varbinary", "binary"].iter().any(|word| lower.starts_with(word));
                    lower.split(['(', ')']).nth(1).filter(|_| is_bounded)?.trim().parse::<u32>().ok()
                });
                part.prefix = part.prefix.filter(|prefix| length.is_none_or(|length| *prefix < length));
                let whole =
                    column.filter(|_| part.prefix.is_none() && part.method == "BTREE" && flavor == Flavor::Mariadb);
                let longest = longest_part(table.map(|row| row.engine.as_str()).unwrap_or_default());
                let (Some(column), Some(longest)) = (whole, longest) else { continue };
                let widest = column.collation.as_deref().map_or(1, widest_character);
                let is_unbounded = key_bytes(&type_name(&column.ty)).is_none();
                if is_unbounded || u64::from(length.unwrap_or_default()) * widest > longest {
                    is_long = true;
                    part.prefix = Some(u32::try_from(longest / widest).unwrap_or(u32::MAX))
                        .filter(|_| one.kind == Kind::Plain && !is_unbounded);
                }
            }
            // Rows with one key are told apart by a hash of it then.
            if is_long && one.kind == Kind::Unique {
                one.parts.iter_mut().for_each(|part| part.method = "HASH".into());
            }
        }
    }

    /// Gives the indexes that have no name one, as the server does: that of their first column, with a number where it is
    /// taken. Of those that references need, only the ones stay that no other index can serve.
    fn name_indexes(&mut self) {
        let made = std::mem::take(&mut self.made);
        let (of_references, mut all): (Vec<Made>, Vec<Made>) = made.into_iter().partition(Made::is_for_reference);
        // Of two that are made for references, the longer stays, and else the later (MariaDB 10.11, `sql_table.cc`,
        // `mysql_prepare_create_table`).
        let takes_over = |(at, index): (usize, &Made), (other_at, other): (usize, &Made)| {
            at != other_at && other.serves(index) && (other_at > at || other.parts.len() > index.parts.len())
        };
        let stays = |(at, index): (usize, &Made)| {
            !all.iter().any(|other| other.serves(index))
                && !of_references.iter().enumerate().any(|other| takes_over((at, index), other))
        };
        let kept: Vec<bool> = of_references.iter().enumerate().map(stays).collect();
        for (mut index, _) in of_references.into_iter().zip(kept).filter(|(_, stays)| *stays) {
            index.parts.iter_mut().for_each(|part| part.peculiarities.clear());
            all.push(index);
        }
        let mut taken: Vec<(String, String)> =
            all.iter().filter_map(|one| Some((one.table.clone(), one.name.clone()?.to_lowercase()))).collect();
        for mut index in all {
            let name = match (&index.name, index.kind) {
                (_, Kind::Primary) => "PRIMARY".to_owned(),
                (Some(name), _) => name.clone(),
                (None, _) => {
                    let own = taken.iter().filter(|(table, _)| *table == index.table).map(|(_, name)| name.clone());
                    free_name(&index, &own.collect::<Vec<_>>())
                }
            };
            taken.push((index.table.clone(), name.to_lowercase()));
            for part in &mut index.parts {
                part.table.clone_from(&index.table);
                part.index.clone_from(&name);
                part.unique = index.kind != Kind::Plain;
            }
            self.catalogue.parts.append(&mut index.parts);
        }
    }

    // ---- alter --------------------------------------------------------------------------------------------------

    fn alter(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        // A view is made anew (MariaDB, "ALTER VIEW").
        if cursor.is_one_of(&["view", "algorithm", "definer", "sql"]) {
            return self.create_thing(cursor, sql, true);
        }
        if cursor.is("database") || cursor.is("schema") {
            return Ok(Read::Nothing);
        }
        if cursor.is_one_of(&["user", "role", "server", "tablespace", "logfile", "instance"]) {
            return Ok(Read::PassedOver);
        }
        cursor.eat("ignore");
        cursor.expect("table").here()?;
        let table = self.table(cursor)?;
        loop {
            self.table_action(cursor, &table)?;
            self.name_plain(&table);
            if !cursor.eat(",") {
                break;
            }
        }
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    fn table_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let before = cursor.at();
        if cursor.eat("add") {
            if self.table_item(cursor, table)? {
                return Ok(());
            }
            cursor.eat("column");
            let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
            if is_lenient && self.column(table, &unquote(cursor.peek())).is_ok() {
                cursor.until(|cursor| cursor.is(",")).here()?;
                return Ok(());
            }
            let many = cursor.eat("(");
            loop {
                self.column_definition(cursor, table)?;
                self.follow_table(table);
                if !many || !cursor.eat(",") {
                    break;
                }
            }
            if many {
                cursor.expect(")").here()?;
            }
            let made = self.catalogue.columns.last().map(|row| row.name.clone()).unwrap_or_default();
            self.place(cursor, table, &made)?;
            return Ok(());
        }
        if cursor.is_one_of(&["modify", "change"]) {
            let changes = cursor.eat("change");
            cursor.eat("modify");
            cursor.eat("column");
            let start = cursor.at();
            let old = cursor.name().here()?;
            if !changes {
                cursor.go_to(start);
            }
            return self.change_column(cursor, table, &old);
        }
        if cursor.eat("drop") {
            return self.drop_action(cursor, table);
        }
        if cursor.eat("rename") {
            return self.rename_action(cursor, table);
        }
        if cursor.eat("alter") {
            cursor.eat("column");
            let name = cursor.name().here()?;
            if cursor.eat_all(&["drop", "default"]) {
                self.column(table, &name)?.default = None;
                return Ok(());
            }
            cursor.eat_all(&["set", "default"]).then_some(()).here()?;
            let text = cursor.until(|cursor| cursor.is(",")).here()?;
            return self.set_default(table, &name, text);
        }
        if cursor.eat_all(&["convert", "to"]) {
            self.table_options(cursor, table)?;
            let collation = self.table_row(table).map(|row| row.collation.clone());
            let rows = self.catalogue.columns.iter_mut().filter(|row| row.table == table);
            for row in rows.filter(|row| is_text(&type_name(&row.ty))) {
                row.collation.clone_from(&collation);
            }
            return Ok(());
        }
        if cursor.eat("disable") || cursor.eat("enable") {
            cursor.expect("keys").here()?;
            return Ok(());
        }
        if cursor.is_one_of(&["engine", "default", "charset", "collate", "comment", "auto_increment", "character"])
            || cursor.ahead(1) == "="
        {
            return self.table_options(cursor, table);
        }
        cursor.go_to(before);
        Err(Stop::Here)
    }

    fn change_column(&mut self, cursor: &mut Cursor<'_>, table: &str, old: &str) -> Reading<()> {
        let rows = &self.catalogue.columns;
        let at = rows.iter().position(|row| row.table == table && row.name.eq_ignore_ascii_case(old)).here()?;
        self.catalogue.columns.remove(at);
        self.column_definition(cursor, table)?;
        self.follow_table(table);
        let new = self.catalogue.columns.pop().here()?;
        let name = new.name.clone();
        self.catalogue.columns.insert(at, new);
        if !name.eq_ignore_ascii_case(old) {
            self.follow_column(table, old, &name);
        }
        self.place(cursor, table, &name)
    }

    /// `first` or `after`: the order of columns is no difference, but that of a view which reads all of them.
    fn place(&mut self, cursor: &mut Cursor<'_>, table: &str, column: &str) -> Reading<()> {
        let is_first = cursor.eat("first");
        let after = if cursor.eat("after") { Some(cursor.name().here()?) } else { None };
        if !is_first && after.is_none() {
            return Ok(());
        }
        let rows = &mut self.catalogue.columns;
        let is = |row: &ColumnRow, name: &str| row.table == table && row.name.eq_ignore_ascii_case(name);
        let at = rows.iter().position(|row| is(row, column)).here()?;
        let row = rows.remove(at);
        let place = match &after {
            Some(name) => rows.iter().position(|row| is(row, name)).map(|at| at + 1),
            None => rows.iter().position(|row| row.table == table).or(Some(at)),
        };
        let missing = || Stop::Because(format!("there is no column `{}` in `{table}`", after.unwrap_or_default()));
        rows.insert(place.ok_or_else(missing)?, row);
        Ok(())
    }

    /// Keys, indexes and references follow a column's new name.
    fn follow_column(&mut self, table: &str, old: &str, new: &str) {
        let follow = |name: &mut String| {
            if name.eq_ignore_ascii_case(old) {
                new.clone_into(name);
            }
        };
        for one in self.made.iter_mut().filter(|one| one.table == table) {
            one.parts.iter_mut().filter_map(|part| part.column.as_mut()).for_each(follow);
        }
        for row in &mut self.catalogue.references {
            if row.table == table {
                follow(&mut row.column);
            }
            if row.referenced_table == table {
                follow(&mut row.referenced_column);
            }
        }
    }

    fn drop_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        if cursor.eat_all(&["primary", "key"]) {
            self.made.retain(|one| one.table != table || one.kind != Kind::Primary);
            return Ok(());
        }
        let is_reference = cursor.eat_all(&["foreign", "key"]);
        let is_constraint = !is_reference && cursor.eat("constraint");
        let is_index = !is_reference && !is_constraint && (cursor.eat("index") || cursor.eat("key"));
        if !is_reference && !is_constraint && !is_index {
            cursor.eat("column");
        }
        let is_lenient = cursor.eat_all(&["if", "exists"]);
        let name = cursor.name().here()?;
        let is_it = |own: &str| own.eq_ignore_ascii_case(&name);
        let mut found = false;
        if is_reference || is_constraint {
            let before = self.catalogue.references.len() + self.catalogue.checks.len();
            self.catalogue.references.retain(|row| row.table != table || !is_it(&row.name));
            self.catalogue.checks.retain(|row| is_reference || row.table != table || !is_it(&row.name));
            found = self.catalogue.references.len() + self.catalogue.checks.len() < before;
        }
        if is_index || is_constraint && !found {
            found = self.drop_index(table, &name);
        } else if !is_reference && !is_constraint {
            let before = self.catalogue.columns.len();
            self.catalogue.columns.retain(|row| row.table != table || !is_it(&row.name));
            found = self.catalogue.columns.len() < before;
            // An index loses the column, and goes with its last one (MariaDB, "ALTER TABLE", "DROP COLUMN").
            self.name_plain(table);
            for one in self.made.iter_mut().filter(|one| one.table == table) {
                one.parts.retain(|part| !part.column.as_deref().is_some_and(is_it));
            }
            self.made.retain(|one| !one.parts.is_empty());
        }
        if found || is_lenient { Ok(()) } else { Err(Stop::Because(format!("`{table}` has no `{name}` before this"))) }
    }

    fn rename_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let is_column = cursor.eat("column");
        if is_column || cursor.eat("index") || cursor.eat("key") {
            let old = cursor.name().here()?;
            cursor.expect("to").here()?;
            let new = cursor.name().here()?;
            if is_column {
                self.column(table, &old)?.name.clone_from(&new);
                self.follow_column(table, &old, &new);
                return Ok(());
            }
            self.name_plain(table);
            let mut made = self.made.iter_mut().filter(|one| one.table == table);
            made.find(|one| one.name.as_ref().is_some_and(|name| name.eq_ignore_ascii_case(&old))).here()?.name =
                Some(new);
            return Ok(());
        }
        let _ = cursor.eat("to") || cursor.eat("as");
        let new = cursor.name().here()?;
        let follow = |name: &mut String| {
            if name == table {
                new.clone_into(name);
            }
        };
        let catalogue = &mut self.catalogue;
        catalogue.tables.iter_mut().for_each(|row| follow(&mut row.name));
        catalogue.columns.iter_mut().for_each(|row| follow(&mut row.table));
        catalogue.checks.iter_mut().for_each(|row| follow(&mut row.table));
        catalogue.others.iter_mut().filter_map(|row| row.table.as_mut()).for_each(follow);
        for row in &mut catalogue.references {
            follow(&mut row.table);
            follow(&mut row.referenced_table);
        }
        self.made.iter_mut().for_each(|one| follow(&mut one.table));
        Ok(())
    }

    fn follow_table(&mut self, table: &str) {
        let collation = self.table_row(table).map(|row| row.collation.clone()).unwrap_or_default();
        if let Some(column) = self.catalogue.columns.last_mut() {
            follow_collation(column, &collation);
        }
    }
}

/// What ends the name of a character set's binary collation; alone, that of the table's character set.
const BINARY: &str = "_bin";

/// Gives a text column what it takes over from its table.
fn follow_collation(column: &mut ColumnRow, of_table: &str) {
    if column.collation.as_deref() == Some(BINARY) {
        let set = of_table.split('_').next().unwrap_or_default();
        column.collation = Some(format!("{set}{BINARY}"));
    } else if column.collation.is_none() && is_text(&type_name(&column.ty)) {
        column.collation = Some(of_table.to_owned());
    }
}

/// Marks an index that is only there because a reference needs one.
const FOR_REFERENCE: &str = "\u{0}for a reference";

/// The name that the server gives an index: that of its first column, with a number where it is taken.
fn free_name(index: &Made, taken: &[String]) -> String {
    let first = index.parts.first().and_then(|part| part.column.clone()).unwrap_or_default();
    let numbered = |number: u32| if number == 1 { first.clone() } else { format!("{first}_{number}") };
    (1..).map(numbered).find(|name| !taken.contains(&name.to_lowercase())).unwrap_or_default()
}

fn same(a: &Option<String>, b: &Option<String>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => a.eq_ignore_ascii_case(b),
        _ => false,
    }
}

/// Whether a table has a period, which makes it an object as it is written.
fn has_period(sql: &str) -> bool {
    let text = sql.split_whitespace().collect::<Vec<_>>().join(" ").to_ascii_lowercase();
    text.contains(" period for ") || text.contains(" partition by system_time")
}

/// How many bytes a part of a key has at most; a longer one is cut, or is a hash where it is unique (MariaDB 10.11, "InnoDB
/// Limitations", "MyISAM Storage Engine", "Aria Storage Engine", and "CREATE TABLE", "UNIQUE").
fn longest_part(engine: &str) -> Option<u64> {
    match engine.to_ascii_lowercase().as_str() {
        "" | "innodb" => Some(3072),
        "myisam" => Some(1000),
        "aria" => Some(2300),
        _ => None,
    }
}

/// A table's statement without where its numbering stands.
fn without_counter(sql: &str) -> String {
    let Some((before, rest)) = sql.split_once(" AUTO_INCREMENT=") else { return sql.to_owned() };
    format!("{before}{}", rest.trim_start_matches(|digit: char| digit.is_ascii_digit()))
}

/// A text literal's value. In double quotes it is one as well, as the server is set by itself (MariaDB, "SQL_MODE",
/// ANSI_QUOTES; MySQL, the same).
fn text_of(cursor: &mut Cursor<'_>) -> Option<String> {
    if cursor.peek().starts_with('"') { cursor.name() } else { cursor.text() }
}

/// A type's names of several words in one; whether it is of the national character set, which is `utf8mb3` (MariaDB,
/// "VARCHAR", "NATIONAL"; MySQL 8.4, "The National Character Set").
fn in_one_word(text: &str) -> (String, bool) {
    let (head, rest) = text.split_at(text.find('(').unwrap_or(text.len()));
    let words: Vec<String> = head.split_whitespace().map(str::to_ascii_lowercase).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    let (is_national, words) = match &words[..] {
        ["national", rest @ ..] => (true, rest.to_vec()),
        ["nchar", rest @ ..] => (true, [&["char"], rest].concat()),
        ["nvarchar", rest @ ..] => (true, [&["varchar"], rest].concat()),
        other => (false, other.to_vec()),
    };
    let name = match &words[..] {
        ["character" | "char", "varying"] | ["varcharacter"] => "varchar",
        ["character"] if is_national => "char",
        [one] if is_national => one,
        _ => return (text.to_owned(), false),
    };
    (format!("{name}{rest}"), is_national)
}

/// A type with its parenthesis behind its name, and without the spaces between enum words.
fn plain_type(text: &str) -> String {
    let Some((head, rest)) = text.split_once('(') else { return text.to_owned() };
    let head = head.trim_end();
    if !["enum", "set"].iter().any(|word| head.eq_ignore_ascii_case(word)) {
        return format!("{head}({rest}");
    }
    let mut cursor = Cursor::new(text, SYNTAX);
    cursor.skip();
    let mut words = Cursor::new(cursor.parenthesised().unwrap_or_default(), SYNTAX);
    let mut said = Vec::new();
    while !words.is_at_end() {
        said.extend(text_of(&mut words).map(|word| literal(&word)));
        if !words.eat(",") {
            break;
        }
    }
    // What is no list of words stays as it is written.
    if !words.is_at_end() {
        return text.to_owned();
    }
    format!("{head}({}){}", said.join(","), cursor.rest())
}

fn add_extra(extra: &mut String, word: &str) {
    if !extra.is_empty() {
        extra.push_str(", ");
    }
    extra.push_str(word);
}

/// The collation of a character set where none is said (MariaDB 10.11, "Supported Character Sets and Collations"; MySQL
/// 8.4, "Supported Character Sets and Collations").
fn usual_collation(flavor: Flavor, set: &str) -> String {
    match (set.to_ascii_lowercase().as_str(), flavor) {
        ("utf8mb4", Flavor::Mysql) => "utf8mb4_0900_ai_ci".into(),
        ("utf8" | "utf8mb3", _) => "utf8mb3_general_ci".into(),
        ("latin1", _) => "latin1_swedish_ci".into(),
        ("latin2", _) => "latin2_general_ci".into(),
        ("binary", _) => "binary".into(),
        (other, _) => format!("{other}_general_ci"),
    }
}

/// A collation by the name that the servers tell it by: `utf8` is `utf8mb3` to them (MariaDB 10.6, "Unicode").
fn known_collation(name: &str) -> String {
    let lower = name.to_ascii_lowercase();
    lower.strip_prefix("utf8_").map_or(lower.clone(), |rest| format!("utf8mb3_{rest}"))
}

/// An expression with its texts as the server writes them: `'a\_%'` has a backslash in it, and becomes `'a\\_%'`.
fn in_own_literals(expression: &str) -> String {
    let own = |text: &str| Cursor::new(text, SYNTAX).text().map(|value| literal(&value));
    Expression::read(expression, SYNTAX).respelled(|_| None, own)
}

/// Gives a column the type that the server makes of what is written (MariaDB, "Data Types", "TEXT", "BLOB", "National
/// Character Set"; MySQL 8.4, "The binary Collation").
fn settle_type(row: &mut ColumnRow, of_table: &str) {
    let lower = row.ty.to_ascii_lowercase();
    let (head, rest) = lower.split_at(lower.find(['(', ' ']).unwrap_or(lower.len()));
    if let Some(plain) = ["nchar", "nvarchar"].into_iter().find(|one| *one == head).map(|one| &one[1..]) {
        row.ty = format!("{plain}{rest}");
        row.collation = Some("utf8mb3_general_ci".into());
        return;
    }
    let is_bytes = row.collation.as_deref() == Some("binary") || rest.ends_with(" byte");
    let arguments = rest.trim_end_matches(" byte");
    match head {
        "char" | "varchar" if is_bytes => row.ty = format!("{}binary{arguments}", &head[..head.len() - 4]),
        "text" | "blob" if arguments.starts_with('(') => {
            let width = match head {
                "blob" => 1,
                _ => widest_character(row.collation.as_deref().unwrap_or(of_table)),
            };
            let length = arguments.trim_matches(['(', ')']).trim().parse::<u64>().unwrap_or_default() * width;
            let size = match length {
                0..256 => "tiny",
                256..65_536 => "",
                65_536..16_777_216 => "medium",
                _ => "long",
            };
            row.ty = format!("{size}{}", if is_bytes { "blob" } else { head });
        }
        "tinytext" | "text" | "mediumtext" | "longtext" if is_bytes => row.ty = head.replace("text", "blob"),
        _ => return,
    }
    row.collation.take_if(|_| is_bytes);
}

/// The words for the present moment, as the server keeps them.
fn as_stored(text: &str) -> String {
    let lower = text.trim().to_ascii_lowercase();
    let (head, arguments) = match lower.split_once('(') {
        Some((head, rest)) => (head.trim().to_owned(), rest.trim_end_matches(')').trim().to_owned()),
        None => (lower.clone(), String::new()),
    };
    let arguments = if arguments == "0" { String::new() } else { arguments };
    match head.as_str() {
        "current_timestamp" | "now" | "localtime" | "localtimestamp" => format!("current_timestamp({arguments})"),
        "current_date" | "curdate" => "curdate()".into(),
        _ => text.trim().to_owned(),
    }
}

/// The bytes of a literal in hexadecimal digits (MariaDB, "Hexadecimal Literals").
fn bytes_of(text: &str) -> Option<Vec<u8>> {
    let quoted = text.strip_prefix(['x', 'X']).and_then(|rest| rest.strip_prefix('\'')?.strip_suffix('\''));
    let digits = quoted.or_else(|| text.strip_prefix("0x"))?;
    let pairs = (0..digits.len()).step_by(2);
    pairs.map(|at| u8::from_str_radix(digits.get(at..at + 2)?, 16).ok()).collect()
}

/// Whether a default is a value, and no expression.
fn is_value(text: &str) -> bool {
    let text = text.trim();
    Expression::read(text, SYNTAX).is_literal() || text.starts_with('"') || bytes_of(text).is_some()
}

/// What stands in parentheses around all of it, or the text itself.
fn in_parentheses_no_more(text: &str) -> &str {
    let mut cursor = Cursor::new(text, SYNTAX);
    let within = if cursor.is("(") { cursor.parenthesised() } else { None };
    within.filter(|_| cursor.is_at_end()).map_or(text, str::trim)
}

/// A default as `information_schema` gives it.
fn stored_default(flavor: Flavor, text: &str, ty: &str) -> Option<String> {
    let text = text.trim();
    if text.eq_ignore_ascii_case("null") {
        return None;
    }
    let mut cursor = Cursor::new(text, SYNTAX);
    let begins = text.starts_with(['\'', '"']);
    let quoted = text_of(&mut cursor).filter(|_| begins && cursor.is_at_end());
    let is_number = !is_text(&type_name(ty)) && quoted.is_none()
        || ["int", "dec", "num", "float", "double", "real"].iter().any(|word| ty.to_ascii_lowercase().contains(word));
    if let Some(value) = quoted {
        return Some(match flavor {
            _ if is_number && value.parse::<f64>().is_ok() => value,
            Flavor::Mariadb => literal(&value),
            Flavor::Mysql => value,
        });
    }
    if let Some(bytes) = bytes_of(text).filter(|_| !is_number) {
        return Some(match (String::from_utf8(bytes), flavor) {
            (Ok(value), Flavor::Mariadb) => literal(&value),
            _ => text.to_ascii_lowercase(),
        });
    }
    if text.eq_ignore_ascii_case("true") || text.eq_ignore_ascii_case("false") {
        return Some(if text.eq_ignore_ascii_case("true") { "1" } else { "0" }.into());
    }
    Some(as_stored(text))
}
