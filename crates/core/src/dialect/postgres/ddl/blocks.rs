//! `do` blocks that make what is not there yet, as scripts do that may run twice.

use super::{Reader, Reading, SYNTAX};
use crate::dialect::reading::{Read, Statements, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::Cursor;

/// The words with which statements about a schema begin.
const OF_SCHEMA: [&str; 6] = ["create", "alter", "drop", "comment", "grant", "revoke"];

impl Reader {
    /// Takes in what a block makes where nothing is. Of a block that does anything else nothing is.
    pub(super) fn block(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let start = cursor.at();
        cursor.skip();
        if cursor.eat("language") {
            cursor.name();
        }
        let body = cursor.text().unwrap_or_default();
        cursor.rest();
        let Some(statements) = statements(&body) else { return Ok(Read::Unread) };
        let mut is_of_server = !statements.is_empty();
        for sql in statements {
            let mut inside = Cursor::new(sql, SYNTAX);
            if self.is_there(&mut Cursor::new(sql, SYNTAX)) {
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
            let Ok(name) = self.relation(cursor) else { return false };
            let is_type = |kind: ObjectKind| matches!(kind, ObjectKind::Type | ObjectKind::Domain);
            return self.enums.contains(&name)
                || self.catalogue.others.iter().any(|row| is_type(row.kind) && row.name == name);
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
        let named = cursor.eat_all(&["add", "constraint"]).then(|| cursor.name()).flatten();
        let of_table = |(table, name): (u32, String)| {
            self.catalogue.constraints.iter().any(|row| row.table == table && row.name == name)
        };
        table.zip(named).is_some_and(of_table)
    }
}

/// The statements of a block that asks the catalogue at most whether something is there, or goes on where it is; nothing
/// for a block that does more.
fn statements(body: &str) -> Option<Vec<&str>> {
    let mut cursor = Cursor::new(body, SYNTAX);
    let mut found = Vec::new();
    let mut questions = 0_usize;
    cursor.expect("begin")?;
    loop {
        if cursor.eat_all(&["end", "if"]) {
            questions = questions.checked_sub(1)?;
            cursor.expect(";")?;
        } else if cursor.eat("end") {
            cursor.eat(";");
            return (cursor.is_at_end() && questions == 0).then_some(found);
        } else if cursor.eat_all(&["exception", "when"]) {
            // What is done where something is there already.
            return (questions == 0).then_some(found);
        } else if cursor.eat_all(&["if", "not", "exists"]) {
            let question = cursor.parenthesised()?.to_ascii_lowercase();
            (question.contains("pg_") || question.contains("information_schema")).then_some(())?;
            cursor.expect("then")?;
            questions += 1;
        } else if cursor.eat("null") {
            cursor.expect(";")?;
        } else if cursor.is_one_of(&OF_SCHEMA) {
            found.push(cursor.until(|cursor| cursor.is(";"))?);
            cursor.expect(";")?;
        } else {
            return None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::statements;

    #[test]
    fn only_what_makes_something_is_taken_out_of_a_block() {
        let made = |body| statements(body).map(|found| found.join(" | "));
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
    }
}
