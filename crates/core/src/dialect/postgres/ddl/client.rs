//! What only the `psql` client reads: its own commands, and rows behind `copy … from stdin`.

use crate::Span;
use crate::dialect::Dialect;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::quote;
use crate::dialect::reading::blanked;
use crate::sql::{Lexer, Token, TokenKind, unquote};

/// Commands that bring in what the file does not say (PostgreSQL 17, "psql", "Meta-Commands"); they stay, and are mistakes.
const BRINGING_IN: [&str; 5] = ["i", "ir", "include", "include_relative", "gexec"];

/// Commands that send what stands before them, as a semicolon does.
const SENDING: [&str; 7] = ["g", "gx", "gset", "gdesc", "gexec", "watch", "crosstabview"];

/// What belongs to the server and may be made by `\gexec` without a trace in the schema.
const OF_SERVER: [&str; 4] = ["'create database", "'create role", "'create user", "'drop database"];

/// The text without what only the client reads, every other byte in its place.
pub(in crate::dialect) fn plain(source: &str) -> String {
    let mut stretches = Vec::new();
    let mut ends = Vec::new();
    let (mut from, mut statement) = (0, 0);
    while let Some(stop) = next_stop(source, from) {
        let line_end = source[stop..].find('\n').map_or(source.len(), |at| stop + at + 1);
        let before = &source[statement..stop];
        if source[stop..].starts_with(';') {
            (from, statement) = (stop + 1, stop + 1);
            if takes_rows(before) {
                let end = end_of_rows(source, line_end);
                stretches.push(Span::new(line_end, end));
                (from, statement) = (end, end);
            }
            continue;
        }
        let behind = &source[stop + 1..line_end];
        let command = behind.split([' ', '\t', '\r', '\n', '\\', ';']).next().unwrap_or_default();
        if behind.starts_with(';') {
            stretches.push(Span::new(stop, stop + 1));
            (from, statement) = (stop + 2, stop + 2);
            continue;
        }
        let is_of_server = || {
            let text = before.to_ascii_lowercase();
            OF_SERVER.iter().any(|beginning| text.contains(beginning))
        };
        if SENDING.contains(&command) {
            ends.push(stop);
            statement = line_end;
        }
        match BRINGING_IN.contains(&command) && !(command == "gexec" && is_of_server()) {
            true if SENDING.contains(&command) => from = stop + 1,
            true => from = line_end,
            false => {
                stretches.push(Span::new(stop, line_end));
                from = line_end;
            }
        }
    }
    let mut text = blanked(source, &stretches);
    for at in ends {
        text.replace_range(at..=at, ";");
    }
    text
}

/// The next semicolon or backslash that is no part of a text, a name or a comment.
fn next_stop(source: &str, from: usize) -> Option<usize> {
    let mut tokens = Lexer::new(source, from, Dialect::Postgres.syntax());
    let is_stop = |text: &str| matches!(text.as_bytes().first(), Some(b';' | b'\\'));
    let found = tokens.find(|token| {
        !matches!(token.kind, TokenKind::Quoted | TokenKind::Comment) && is_stop(token.span.text(source))
    });
    found.map(|token| token.span.start)
}

/// Whether rows stand behind a statement (PostgreSQL 17, "COPY").
fn takes_rows(statement: &str) -> bool {
    let lower = statement.to_ascii_lowercase();
    let mut words = lower.split_ascii_whitespace();
    let copies = words.by_ref().any(|word| word == "copy");
    copies && words.any(|word| word == "from") && lower.contains("stdin")
}

/// Behind the line that ends rows, or the end of the text.
fn end_of_rows(source: &str, from: usize) -> usize {
    let mut at = from;
    for line in source[from..].split_inclusive('\n') {
        at += line.len();
        if line.trim_end() == "\\." {
            break;
        }
    }
    at
}

/// Types whose values are names in texts (PostgreSQL, "Object Identifier Types").
const NAMES_IN_TEXTS: [&str; 6] = ["regclass", "regconfig", "regdictionary", "regproc", "regprocedure", "regtype"];

/// The text of a dump that puts quotes around every name (PostgreSQL 15, "pg_dump", `--quote-all-identifiers`) without those
/// that say nothing: types and functions are then told as everywhere. Places stay what they are, but for what stands in one
/// line behind such a name.
pub(in crate::dialect) fn without_needless_quotes(source: String) -> String {
    if !source.contains("\"public\".\"") {
        return source;
    }
    let tokens: Vec<Token> = Lexer::new(&source, 0, SYNTAX).collect();
    let mut plain = String::with_capacity(source.len());
    for (at, token) in tokens.iter().enumerate() {
        let text = token.span.text(&source);
        match token.kind {
            // What was left out so far is made up for at the end of a line, since the server's words for an expression have one
            // space each.
            TokenKind::Space if text.contains('\n') => {
                plain.push_str(&" ".repeat(token.span.start.saturating_sub(plain.len())));
            }
            TokenKind::Quoted => {
                plain.push_str(&plainly(text));
                continue;
            }
            TokenKind::Text if text.starts_with('\'') => {
                let type_of = |name: &Token| unquote(name.span.text(&source));
                let cast = tokens[at + 1..].get(..2).filter(|cast| cast[0].span.text(&source) == "::");
                if cast.is_some_and(|cast| NAMES_IN_TEXTS.contains(&type_of(&cast[1]).as_str())) {
                    let names = Lexer::new(text.trim_matches('\''), 0, SYNTAX);
                    let names: String = names.map(|one| plainly(one.span.text(text.trim_matches('\'')))).collect();
                    plain.push_str(&format!("'{names}'"));
                    continue;
                }
            }
            _ => {}
        }
        plain.push_str(text);
    }
    plain
}

/// A name without quotes, where they say nothing.
fn plainly(name: &str) -> String {
    let bare = unquote(name);
    if name.starts_with('"') && quote(&bare) == bare { bare } else { name.to_owned() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quotes_around_every_name_go_where_they_say_nothing() {
        let dump =
            r#"CREATE TABLE "public"."hive" ("id" "char", "Code" "text" DEFAULT '"a"'::"text", "order" "int4");"#;
        let plain = r#"CREATE TABLE public.hive (id "char", "Code" text DEFAULT '"a"'::text, "order" int4);"#;
        assert_eq!(without_needless_quotes(dump.into()), plain);
        let numbered = "create table \"public\".\"a\" (\n\"b\" int4 DEFAULT \"nextval\"('\"public\".\"s\"'::\"regclass\"),\nc \"public\".\"C\");";
        let plain =
            "create table public.a (    \nb int4 DEFAULT nextval('public.s'::regclass),          \nc public.\"C\");";
        assert_eq!(without_needless_quotes(numbered.into()), plain);
        let by_hand = r#"create table "hive" ("id" int)"#;
        assert_eq!(without_needless_quotes(by_hand.into()), by_hand);
    }

    #[test]
    fn what_is_the_clients_alone_goes() {
        #[track_caller]
        fn case(source: &str, expected: &str) {
            let squeezed = |text: &str| text.split_whitespace().collect::<Vec<_>>().join(" ");
            let found = plain(source);
            assert_eq!(found.len(), source.len());
            assert_eq!(squeezed(&found), expected);
        }
        case("\\set ON_ERROR_STOP on\nselect 1;\n", "select 1;");
        case("select 1 \\g\ncreate table a (b int);", "select 1 ; create table a (b int);");
        case("select 1 \\gset x_\nselect 2;", "select 1 ; select 2;");
        case(
            "select 'create database d' where true\\gexec\nselect 2;",
            "select 'create database d' where true; select 2;",
        );
        case("select 'drop table a'\\gexec\n", "select 'drop table a';gexec");
        case("\\i other.sql\n", "\\i other.sql");
        case("select 1\\; select 2;", "select 1 ; select 2;");
        case("select '\n\\d', $$\n\\w\n$$; -- \\d\n", "select ' \\d', $$ \\w $$; -- \\d");
        case("copy a (b) from stdin;\n1;\\d\n'\n\\.\nselect 1;", "copy a (b) from stdin; select 1;");
        case("copy a from stdin;\n1", "copy a from stdin;");
        case("copy a to stdout;\nselect 1;", "copy a to stdout; select 1;");
    }
}
