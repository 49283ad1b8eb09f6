//! Where one statement of a script ends and the next begins.

use super::{Brackets, Lexer, TokenKind};
use crate::Span;

/// One statement of a script.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Statement {
    /// From its first to its last token, without the closing semicolon and without comments around it.
    pub span: Span,
}

/// Splits a script at its semicolons.
///
/// The body of `create trigger … begin … end` belongs to its statement: it ends at the first `end` that follows a
/// semicolon and is itself followed by one, which is how the `sqlite3` shell reads it (SQLite, "Determine If An SQL
/// Statement Is Complete"). An unclosed statement at the end counts as one.
pub fn split(source: &str) -> Vec<Statement> {
    let mut statements = Vec::new();
    let mut current: Option<Reading> = None;
    for token in Lexer::new(source, 0, Brackets::Quote) {
        if matches!(token.kind, TokenKind::Space | TokenKind::Comment) {
            continue;
        }
        let text = token.span.text(source);
        if text != ";" {
            current.get_or_insert_with(|| Reading::new(token.span.start)).word(text, token.span.end);
            continue;
        }
        match &mut current {
            Some(reading) if !reading.ends_here() => reading.semicolon(token.span.end),
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
    /// Whether the last two tokens were a semicolon and `end`.
    after_end: bool,
    after_semicolon: bool,
}

#[derive(PartialEq, Eq)]
enum Kind {
    /// Nothing but `create` and its modifiers so far.
    Create,
    Trigger,
    Plain,
}

impl Reading {
    fn new(start: usize) -> Self {
        Self { start, end: start, words: 0, kind: Kind::Create, after_end: false, after_semicolon: false }
    }

    fn word(&mut self, text: &str, end: usize) {
        let lower = text.to_ascii_lowercase();
        if self.kind == Kind::Create {
            self.kind = match (self.words, lower.as_str()) {
                (0, "create") | (1.., "temp" | "temporary") => Kind::Create,
                (1.., "trigger") => Kind::Trigger,
                _ => Kind::Plain,
            };
        }
        self.after_end = self.after_semicolon && lower == "end";
        self.after_semicolon = false;
        self.words += 1;
        self.end = end;
    }

    fn semicolon(&mut self, end: usize) {
        self.after_semicolon = true;
        self.after_end = false;
        self.end = end;
    }

    fn ends_here(&self) -> bool {
        self.kind != Kind::Trigger || self.after_end
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
            let found: Vec<_> = split(source).iter().map(|one| one.span.text(source)).collect();
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
}
