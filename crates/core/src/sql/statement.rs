//! Where one statement of a script ends and the next begins.

use super::{Lexer, Syntax, TokenKind};
use crate::Span;

/// One statement of a script.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Statement {
    /// From its first to its last token, without the closing semicolon and without comments around it.
    pub span: Span,
}

/// Which statements hold others, with semicolons of their own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Bodies {
    /// `create trigger … begin … end`, which ends at the first `end` that follows a semicolon and is itself followed by
    /// one; so the `sqlite3` shell reads it (SQLite, "Determine If An SQL Statement Is Complete").
    Triggers,
    /// Routines, triggers and events with `begin`, `case` and their `end` in any depth. A line `delimiter //` changes
    /// what ends a statement, as in the servers' own client (MariaDB, "Delimiters").
    Compound,
    /// Routines with `begin atomic`; other bodies are texts in dollar quotes (PostgreSQL, "CREATE FUNCTION").
    Atomic,
}

/// Splits a script at its semicolons. An unclosed statement at the end counts as one.
pub fn split(source: &str, syntax: Syntax, bodies: Bodies) -> Vec<Statement> {
    let mut statements = Vec::new();
    let mut current: Option<Reading> = None;
    let mut delimiter = ";";
    let mut skip_to = 0;
    for token in Lexer::new(source, 0, syntax) {
        let text = token.span.text(source);
        // What would begin a comment may be what ends a statement: `delimiter #`.
        let is_comment = token.kind == TokenKind::Comment && (delimiter == ";" || !text.starts_with(delimiter));
        if token.span.start < skip_to || is_comment || token.kind == TokenKind::Space {
            continue;
        }
        if current.is_none() && bodies == Bodies::Compound && text.eq_ignore_ascii_case("delimiter") {
            let line = source[token.span.end..].lines().next().unwrap_or_default();
            delimiter = Some(line.trim()).filter(|one| !one.is_empty()).unwrap_or(";");
            skip_to = token.span.end + line.len();
            continue;
        }
        // `end$$` is one word by its letters.
        let glued = text.find(delimiter).filter(|at| *at > 0 && token.kind == TokenKind::Word && delimiter != ";");
        if let Some(at) = glued {
            let mut reading = current.take().unwrap_or_else(|| Reading::new(token.span.start, bodies));
            reading.word(&text[..at], token.span.start + at);
            statements.push(reading.statement());
            let (rest, from) = (&text[at + delimiter.len()..], token.span.start + at + delimiter.len());
            if !rest.is_empty() {
                current.get_or_insert_with(|| Reading::new(from, bodies)).word(rest, token.span.end);
            }
            continue;
        }
        let ends = match delimiter {
            ";" => text == ";",
            other => token.kind != TokenKind::Quoted && source[token.span.start..].starts_with(other),
        };
        // Behind another delimiter the server is sent several at once, and takes them one by one.
        let is_one_of_several = text == ";" && current.as_ref().is_some_and(|reading| reading.kind == Kind::Plain);
        if is_one_of_several && !ends {
            statements.extend(current.take().map(|reading| reading.statement()));
            continue;
        }
        if !ends {
            current.get_or_insert_with(|| Reading::new(token.span.start, bodies)).word(text, token.span.end);
            continue;
        }
        skip_to = token.span.start + delimiter.len();
        match &mut current {
            Some(reading) if delimiter == ";" && !reading.ends_here() => reading.semicolon(token.span.end),
            // A rule holds its statements in parentheses (PostgreSQL 17, "CREATE RULE").
            Some(reading) if delimiter == ";" && reading.parentheses > 0 => reading.semicolon(token.span.end),
            Some(reading) => {
                statements.push(reading.statement());
                current = None;
            }
            None => {}
        }
    }
    statements.extend(current.map(|reading| reading.statement()));
    statements
}

/// A statement while it is read.
struct Reading {
    start: usize,
    end: usize,
    words: usize,
    kind: Kind,
    bodies: Bodies,
    /// Whether the last two tokens were a semicolon and `end`.
    after_end: bool,
    after_semicolon: bool,
    /// How many `begin` and `case` are open.
    depth: usize,
    previous: String,
    /// How many parentheses are open.
    parentheses: usize,
}

#[derive(PartialEq, Eq)]
enum Kind {
    /// Nothing but `create` and its modifiers so far.
    Create,
    /// It may hold other statements.
    Holding,
    /// It begins as a block without a name does, or as a transaction.
    Block,
    Plain,
}

impl Reading {
    fn new(start: usize, bodies: Bodies) -> Self {
        Self {
            start,
            end: start,
            words: 0,
            kind: Kind::Create,
            bodies,
            after_end: false,
            after_semicolon: false,
            depth: 0,
            previous: String::new(),
            parentheses: 0,
        }
    }

    fn word(&mut self, text: &str, end: usize) {
        let lower = text.to_ascii_lowercase();
        if self.bodies == Bodies::Atomic {
            match text {
                "(" => self.parentheses += 1,
                ")" => self.parentheses = self.parentheses.saturating_sub(1),
                _ => {}
            }
        }
        if self.kind == Kind::Create {
            self.kind = self.kind_after(&lower);
        }
        if self.kind == Kind::Holding {
            self.nest(&lower);
        }
        self.after_end = self.after_semicolon && lower == "end";
        self.after_semicolon = false;
        self.words += 1;
        self.end = end;
        self.previous = lower;
    }

    fn kind_after(&self, word: &str) -> Kind {
        if self.words == 0 {
            return match word {
                "create" => Kind::Create,
                "begin" | "if" | "case" | "loop" | "while" | "repeat" | "for" | "declare" => Kind::Block,
                _ => Kind::Plain,
            };
        }
        match (self.bodies, word) {
            (Bodies::Triggers, "temp" | "temporary") => Kind::Create,
            (Bodies::Triggers, "trigger") => Kind::Holding,
            (Bodies::Triggers, _) => Kind::Plain,
            (_, "table" | "view" | "index" | "unique" | "database" | "schema" | "user" | "role" | "type") => {
                Kind::Plain
            }
            (Bodies::Compound, "trigger" | "procedure" | "function" | "event" | "package") => Kind::Holding,
            (Bodies::Atomic, "procedure" | "function") => Kind::Holding,
            // `or replace`, `definer = …`, `aggregate` and the like.
            _ => Kind::Create,
        }
    }

    fn nest(&mut self, word: &str) {
        match word {
            "begin" if self.bodies == Bodies::Compound => self.depth += 1,
            "atomic" if self.bodies == Bodies::Atomic && self.previous == "begin" => self.depth += 1,
            "case" if self.previous == "end" => {}
            "case" if self.depth > 0 => self.depth += 1,
            "end" => self.depth = self.depth.saturating_sub(1),
            // What was taken for the end of a block was that of one of these, which were not counted.
            "if" | "loop" | "while" | "repeat" | "for" if self.previous == "end" => self.depth += 1,
            _ => {}
        }
    }

    fn semicolon(&mut self, end: usize) {
        self.after_semicolon = true;
        self.after_end = false;
        self.end = end;
        self.previous.clear();
    }

    fn ends_here(&self) -> bool {
        match (&self.kind, self.bodies) {
            (Kind::Holding, Bodies::Triggers) => self.after_end,
            (Kind::Holding, _) => self.depth == 0,
            _ => true,
        }
    }

    fn statement(&self) -> Statement {
        Statement { span: Span::new(self.start, self.end) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn statements_end_at_their_own_semicolons() {
        #[track_caller]
        fn case(source: &str, expected: &[&str]) {
            let found: Vec<_> =
                split(source, Syntax::PLAIN, Bodies::Triggers).iter().map(|one| one.span.text(source)).collect();
            assert_eq!(found, expected);
        }
        case("", &[]);
        case(" ;; -- nothing\n", &[]);
        case("select 1; select ';' ;", &["select 1", "select ';'"]);
        case("select 1 -- ;\n + 1", &["select 1 -- ;\n + 1"]);
        case(
            "create temp trigger t after insert on a begin update b set c = case when 1 then 2 end; end; select 1;",
            &["create temp trigger t after insert on a begin update b set c = case when 1 then 2 end; end", "select 1"],
        );
        case("create table \"trigger\" (a); select 2", &["create table \"trigger\" (a)", "select 2"]);
    }

    #[test]
    fn compound_statements_and_delimiters_are_read_as_the_servers_client_does() {
        #[track_caller]
        fn case(source: &str, expected: &[&str]) {
            let syntax = Syntax {
                dollar_quotes: false,
                comments: crate::sql::Comments::Spaced,
                backslashes: true,
                ..Syntax::PLAIN
            };
            let found: Vec<_> =
                split(source, syntax, Bodies::Compound).iter().map(|one| one.span.text(source)).collect();
            assert_eq!(found, expected);
        }
        case(
            "create trigger t before insert on a for each row begin if new.b then set new.b = 1; end if; \
             set new.c = case when 1 then 2 end; end; select 1;",
            &[
                "create trigger t before insert on a for each row begin if new.b then set new.b = 1; end if; \
                 set new.c = case when 1 then 2 end; end",
                "select 1",
            ],
        );
        case(
            "delimiter //\ncreate procedure p() begin select ';'; end//\ndelimiter ;\nselect 2;",
            &["create procedure p() begin select ';'; end", "select 2"],
        );
        case(
            "delimiter #\ncreate procedure p() begin select ';'; end #\ndelimiter ;\nselect 2; # 3\n",
            &["create procedure p() begin select ';'; end", "select 2"],
        );
        case(
            "delimiter ;;\nset @a = 1 ;;\nset @b = 2;;\ndelimiter ;\nselect 1;",
            &["set @a = 1", "set @b = 2", "select 1"],
        );
        case(
            "delimiter $$\ndrop procedure if exists p; create procedure p() begin select 1; end;$$\nbegin not atomic select 1; end$$",
            &[
                "drop procedure if exists p",
                "create procedure p() begin select 1; end;",
                "begin not atomic select 1; end",
            ],
        );
        case(
            "delimiter $$\ncreate procedure p() begin select 1; end$$\nselect a$$select b$$\ndelimiter ;\nselect 2;",
            &["create procedure p() begin select 1; end", "select a", "select b", "select 2"],
        );
        case(
            "create table b (`begin` int); select 'it\\'s;'; # ;\nselect 3",
            &["create table b (`begin` int)", "select 'it\\'s;'", "select 3"],
        );
    }

    #[test]
    fn atomic_bodies_hold_their_semicolons() {
        let source = "create or replace function f() returns int language sql begin atomic select 1; \
                      select case when true then 2 end; end; select $$;$$;";
        let found: Vec<_> =
            split(source, Syntax::STANDARD, Bodies::Atomic).iter().map(|one| one.span.text(source)).collect();
        assert_eq!(found.len(), 2, "{found:?}");
        assert_eq!(found[1], "select $$;$$");
    }
}
