//! `do` blocks that make what is not there yet, or change what is there, as scripts do that may run twice.

use super::{PUBLIC, Reader, Reading, SYNTAX};
use crate::dialect::postgres::catalogue::OtherRow;
use crate::dialect::reading::{Read, Statements, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::Cursor;

/// The words with which statements about a schema begin.
const OF_SCHEMA: [&str; 6] = ["create", "alter", "drop", "comment", "grant", "revoke"];

impl Reader {
    /// Takes in what a block makes where nothing is, and changes where something is. Of a block that does anything else
    /// nothing is taken in.
    pub(super) fn block(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let start = cursor.at();
        cursor.skip();
        if cursor.eat("language") {
            cursor.name();
        }
        let body = cursor.text().unwrap_or_default();
        cursor.rest();
        let Some(Block { statements, takes_back }) = statements(&body) else { return Ok(Read::Unread) };
        let mut subjects = Vec::new();
        for guarded in &statements {
            subjects.push(match guarded.only {
                Only::IfThere(question) => match self
                    .change(guarded.sql)
                    .filter(|one| one.is_asked_by(question) && !self.is_apart(&one.subject))
                {
                    None => return Ok(Read::Unread),
                    change => change.map(|one| one.subject),
                },
                Only::IfMissing | Only::Always => None,
            });
        }
        let is_without_subject =
            |one: Change| !one.is_lenient && !self.has(&one.subject) && !self.is_apart(&one.subject);
        let is_refused = |one: &Guarded<'_>| {
            one.only == Only::Always
                && (self.is_there(&mut Cursor::new(one.sql, SYNTAX))
                    || self.change(one.sql).is_some_and(is_without_subject))
        };
        if takes_back && statements.iter().any(is_refused) {
            return Ok(Read::Done);
        }
        let mut is_of_server = !statements.is_empty();
        for (Guarded { sql, .. }, subject) in statements.into_iter().zip(subjects) {
            let mut inside = Cursor::new(sql, SYNTAX);
            let is_missing = |subject: &Subject| !self.has(subject);
            if subject.as_ref().is_some_and(is_missing) || self.is_there(&mut Cursor::new(sql, SYNTAX)) {
                continue;
            }
            match self.statement(&mut inside, sql) {
                Ok(read) => is_of_server &= matches!(read, Read::PassedOver),
                Err(stop) => {
                    // Its place is not known outside of the block.
                    cursor.go_to(start);
                    let why = match stop {
                        Stop::Because(why) => why,
                        Stop::Here => format!("`{}` is not understood", inside.peek()),
                    };
                    let head = sql.split_whitespace().take(4).collect::<Vec<_>>().join(" ");
                    return Err(Stop::Because(format!("in `{head} …` of this block: {why}")));
                }
            }
        }
        Ok(if is_of_server { Read::PassedOver } else { Read::Done })
    }

    /// Whether a statement would make what is there already, and so does nothing.
    fn is_there(&self, cursor: &mut Cursor<'_>) -> bool {
        if cursor.eat_all(&["create", "type"]) || cursor.eat_all(&["create", "domain"]) {
            return self.relation(cursor).is_ok_and(|name| self.is_type(&name));
        }
        if cursor.eat_all(&["create", "table"]) {
            return self.relation(cursor).is_ok_and(|name| self.oid(&name).is_some() || self.is_partition(&name));
        }
        if cursor.eat_all(&["create", "index"]) || cursor.eat_all(&["create", "unique", "index"]) {
            cursor.eat("concurrently");
            let named = cursor.name().filter(|_| cursor.expect("on").is_some());
            let table = self.relation(cursor).unwrap_or_default();
            return named.is_some_and(|name| self.index(&qualified::beside(&table, &qualified::part(&name))).is_some());
        }
        if !cursor.eat_all(&["alter", "table"]) {
            return false;
        }
        cursor.eat("only");
        let table = self.relation(cursor).ok().and_then(|name| self.oid(&name));
        if cursor.eat_all(&["add", "constraint"]) {
            return table.zip(cursor.name()).is_some_and(|(table, name)| self.has_constraint(table, &name));
        }
        let is_column = cursor.eat_all(&["add", "column"]) && !cursor.is("if");
        let named = is_column.then(|| cursor.name()).flatten();
        table.zip(named).is_some_and(|(table, name)| self.number(table, &name).is_some())
    }

    fn has_constraint(&self, table: u32, name: &str) -> bool {
        self.catalogue.constraints.iter().any(|row| row.table == table && row.name == name)
    }

    /// What a statement changes that has to be there.
    fn change(&self, sql: &str) -> Option<Change> {
        let cursor = &mut Cursor::new(sql, SYNTAX);
        if cursor.eat_all(&["alter", "table"]) {
            let mut is_lenient = Self::passed_if_exists(cursor);
            cursor.eat("only");
            let table = self.relation(cursor).ok()?;
            let is_constraint =
                ["drop", "rename", "validate", "alter"].iter().any(|word| cursor.eat_all(&[word, "constraint"]));
            if !is_constraint {
                cursor.is_one_of(&["drop", "rename", "alter"]).then(|| cursor.skip())?;
                cursor.eat("column");
            }
            is_lenient |= Self::passed_if_exists(cursor);
            let subject = match cursor.is("to") {
                true => Subject::Relation(table),
                false if is_constraint => Subject::Constraint(table, cursor.name()?),
                false => Subject::Column(table, cursor.name()?),
            };
            return Some(Change { subject, is_lenient });
        }
        let is_of = |words: &[&str], cursor: &mut Cursor<'_>| {
            words.iter().any(|word| ["drop", "alter"].iter().any(|first| cursor.eat_all(&[first, word])))
        };
        let subject: fn(String) -> Subject = match cursor.peek().to_ascii_lowercase().as_str() {
            "drop" if is_of(&["table", "view", "sequence"], cursor) => Subject::Relation,
            _ if is_of(&["type"], cursor) => Subject::Type,
            _ if is_of(&["index"], cursor) => Subject::Index,
            _ => return None,
        };
        cursor.eat("concurrently");
        let is_lenient = Self::passed_if_exists(cursor);
        Some(Change { subject: subject(self.relation(cursor).ok()?), is_lenient })
    }

    /// Whether something may be there that is not known piece by piece: what is of a partition, a foreign table or a view,
    /// and an index that may be of one.
    fn is_apart(&self, subject: &Subject) -> bool {
        let is_kept_whole = |name: &String| {
            self.oid(name).is_none()
                && (self.is_partition(name) || self.catalogue.others.iter().any(|row| row.name == *name))
        };
        match subject {
            Subject::Constraint(table, _) | Subject::Column(table, _) => is_kept_whole(table),
            Subject::Relation(name) | Subject::Type(name) => !self.has(subject) && is_kept_whole(name),
            Subject::Index(name) => {
                let of_view = |row: &OtherRow| row.kind == ObjectKind::ViewIndex && row.name == *name;
                self.index(name).is_none() && (!self.parts.is_empty() || self.catalogue.others.iter().any(of_view))
            }
        }
    }

    fn has(&self, subject: &Subject) -> bool {
        match subject {
            Subject::Constraint(table, name) => self.oid(table).is_some_and(|table| self.has_constraint(table, name)),
            Subject::Column(table, name) => self.oid(table).and_then(|table| self.number(table, name)).is_some(),
            Subject::Relation(name) => {
                self.is_relation(name) || self.catalogue.sequences.iter().any(|row| row.name == *name)
            }
            Subject::Type(name) => self.is_type(name),
            Subject::Index(name) => self.index(name).is_some(),
        }
    }
}

/// What a statement does to something that has to be there.
struct Change {
    subject: Subject,
    /// Whether it does nothing where that is not there.
    is_lenient: bool,
}

impl Change {
    /// Whether a question to the catalogue asks for nothing but what is changed: by its name, that of its table, those of
    /// namespaces, and kinds, which are of one letter.
    fn is_asked_by(&self, question: &str) -> bool {
        let (table, name) = match &self.subject {
            Subject::Constraint(table, name) | Subject::Column(table, name) => (Some(table), name),
            Subject::Relation(name) | Subject::Type(name) | Subject::Index(name) => (None, name),
        };
        let parts = |name: &str| {
            let (namespace, base) = qualified::split(name);
            [Some(base), namespace]
                .into_iter()
                .flatten()
                .map(|part| qualified::plain(part).into_owned())
                .collect::<Vec<_>>()
        };
        let own = match table {
            Some(_) => name.clone(),
            None => qualified::plain(qualified::base(name)).into_owned(),
        };
        let mut known = parts(table.unwrap_or(name));
        known.extend([own.clone(), PUBLIC.to_owned()]);
        let mut is_named = false;
        let mut cursor = Cursor::new(question, SYNTAX);
        while !cursor.is_at_end() {
            if cursor.is_one_of(&["not", "or", "like", "ilike", "join", "<>", "!=", "<", ">"]) {
                return false;
            }
            match cursor.text() {
                Some(text) if text == own => is_named = true,
                Some(text) if text.len() == 1 || parts(&text).iter().all(|part| known.contains(part)) => {}
                Some(_) => return false,
                None => cursor.skip(),
            }
        }
        is_named
    }
}

/// What a statement changes.
enum Subject {
    /// A constraint, behind its table.
    Constraint(String, String),
    /// A column, behind its table.
    Column(String, String),
    /// A table, view or sequence.
    Relation(String),
    Type(String),
    Index(String),
}

/// What a block does.
struct Block<'b> {
    statements: Vec<Guarded<'b>>,
    /// Whether it goes on where a statement is refused, which takes back all that it did (PostgreSQL 17, "Trapping Errors").
    takes_back: bool,
}

/// A statement of a block.
struct Guarded<'b> {
    sql: &'b str,
    only: Only<'b>,
}

/// When a statement runs.
#[derive(Clone, Copy, PartialEq)]
enum Only<'b> {
    Always,
    IfMissing,
    /// Where this question to the catalogue has an answer.
    IfThere(&'b str),
}

/// The statements of a block that asks the catalogue at most whether something is there, or goes on where it is; nothing
/// for a block that does more.
fn statements(body: &str) -> Option<Block<'_>> {
    let mut cursor = Cursor::new(body, SYNTAX);
    let mut statements = Vec::new();
    let mut questions: Vec<Only<'_>> = Vec::new();
    cursor.expect("begin")?;
    loop {
        if cursor.eat_all(&["end", "if"]) {
            questions.pop()?;
            cursor.expect(";")?;
        } else if cursor.eat("end") {
            cursor.eat(";");
            let is_whole = cursor.is_at_end() && questions.is_empty();
            return is_whole.then_some(Block { statements, takes_back: false });
        } else if cursor.eat_all(&["exception", "when"]) {
            // What is done where something is there already.
            return questions.is_empty().then_some(Block { statements, takes_back: true });
        } else if cursor.eat("if") {
            let is_negated = cursor.eat("not");
            cursor.expect("exists")?;
            let question = cursor.parenthesised()?;
            let of_catalogue = ["pg_", "information_schema"];
            of_catalogue.iter().any(|word| question.to_ascii_lowercase().contains(word)).then_some(())?;
            cursor.expect("then")?;
            questions.push(if is_negated { Only::IfMissing } else { Only::IfThere(question) });
        } else if cursor.eat("null") {
            cursor.expect(";")?;
        } else if cursor.is_one_of(&OF_SCHEMA) {
            let sql = cursor.until(|cursor| cursor.is(";"))?;
            let only = match questions[..] {
                [] => Only::Always,
                [one] => one,
                _ if questions.iter().all(|one| *one == Only::IfMissing) => Only::IfMissing,
                _ => return None,
            };
            statements.push(Guarded { sql, only });
            cursor.expect(";")?;
        } else {
            return None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::reading::Statements;

    #[test]
    fn only_what_makes_something_is_taken_out_of_a_block() {
        let made = |body| {
            let told = |one: &Guarded<'_>| match one.only {
                Only::IfThere(question) => format!("{}: {}", question.trim(), one.sql),
                Only::IfMissing | Only::Always => one.sql.to_owned(),
            };
            statements(body).map(|found| found.statements.iter().map(told).collect::<Vec<_>>().join(" | "))
        };
        let says = |text: &str| Some(text.to_owned());
        assert_eq!(
            made("begin create type t as (a int); exception when duplicate_object then null; end"),
            says("create type t as (a int)")
        );
        assert_eq!(
            made(
                "BEGIN IF NOT EXISTS (select 1 from pg_type where typname = 't') THEN CREATE TYPE t AS ENUM ('a;b'); END IF; ALTER TABLE u ADD CONSTRAINT c CHECK (a > 0); END;"
            ),
            says("CREATE TYPE t AS ENUM ('a;b') | ALTER TABLE u ADD CONSTRAINT c CHECK (a > 0)")
        );
        assert_eq!(made("begin perform 1; create table t (a int); end"), None);
        assert_eq!(made("begin if not exists (select 1 from users) then create table t (a int); end if; end"), None);
        assert_eq!(made("declare x int; begin create table t (a int); end"), None);
        assert_eq!(made("begin if not exists (select 1 from pg_type) then create table t (a int); end"), None);
        assert_eq!(made("begin end"), says(""));
        assert_eq!(
            made(
                "begin if exists (select 1 from pg_class where relname = 't') then drop table t; end if; drop type k; end"
            ),
            says("select 1 from pg_class where relname = 't': drop table t | drop type k")
        );
        let nested = "begin if exists (select from pg_type) then if not exists (select from pg_class) then drop type k; end if; end if; end";
        assert_eq!(made(nested), None);
        assert_eq!(made("begin if exists (select from pg_type) then drop type k; else drop type l; end if; end"), None);
    }

    #[test]
    fn a_block_changes_what_is_there_and_nothing_else() {
        let begun = ["create table t (a int, b int, constraint c check (a > 0))", "create type k as enum ('x')"];
        let columns = |block: &str| {
            let mut reader = Reader::default();
            for sql in begun.into_iter().chain([block]) {
                let read = reader.statement(&mut Cursor::new(sql, SYNTAX), sql);
                if matches!(read, Ok(Read::Unread)) {
                    return "unread".to_owned();
                }
                assert!(read.is_ok(), "{sql}");
            }
            let names = reader.catalogue.columns.iter().map(|row| row.name.clone()).collect::<Vec<_>>().join(" ");
            let checks = reader.catalogue.constraints.iter().map(|row| row.name.clone()).collect::<Vec<_>>().join(" ");
            format!("{names}; {checks}")
        };
        let case = |question: &str, then: &str, expected: &str| {
            let block = format!("do $$ begin if exists ({question}) then {then}; end if; end $$");
            assert_eq!(columns(&block), expected, "{block}");
        };
        let column = |name: &str| format!("select 1 from information_schema.columns where column_name = '{name}'");
        case(&column("b"), "alter table t rename column b to d", "a d; c");
        case(&column("e"), "alter table t rename column e to d", "a b; c");
        case(&column("b"), "alter table only t drop b", "a; c");
        // The question is about something else.
        case(&column("a"), "alter table t drop column b", "unread");
        case(&column("a"), "alter table t add column d int", "unread");
        // Or about more.
        case(
            &format!("{} and data_type = 'text'", column("b")),
            "alter table t alter column b drop not null",
            "unread",
        );
        case(&format!("{} or true", column("b")), "alter table t drop column b", "unread");
        case(
            "select 1 from pg_constraint where conname = 'c' and conrelid = 'public.t'::regclass and contype = 'c'",
            "alter table t drop constraint if exists c",
            "a b; ",
        );
        let constraint = "select 1 from pg_constraint where conname = 'c'";
        case(constraint, "alter table t drop constraint c", "a b; ");
        case(constraint, "alter table t drop constraint c; alter table t add constraint d check (b > 0)", "unread");
        case("select 1 from pg_type where typname = 'gone'", "drop type gone", "a b; c");
        case("select 1 from pg_class where relname = 't'", "drop table t", "; ");
        case("select 1 from pg_class where relname = 'u'", "alter table u rename to v", "a b; c");
        assert_eq!(
            columns(
                "do $$ begin alter table t add column d int; alter table t add column a int; exception when duplicate_column then null; end $$"
            ),
            "a b; c"
        );
        // Of what is kept as a whole, nobody knows here what is in it.
        let mut reader = Reader::default();
        for sql in ["create materialized view v as select 1 as a", "create index v_a on v (a)"] {
            assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
        }
        let asked =
            "do $$ begin if exists (select from pg_class where relname = 'v_a') then drop index v_a; end if; end $$";
        assert!(matches!(reader.statement(&mut Cursor::new(asked, SYNTAX), asked), Ok(Read::Unread)));
        let either = |sql: &str| columns(&format!("do $$ begin {sql}; exception when others then null; end $$"));
        assert_eq!(either("alter table t drop column b; alter table t drop constraint gone"), "a b; c");
        assert_eq!(either("alter table t drop column b; alter table t drop constraint if exists gone"), "a; c");
    }
}
