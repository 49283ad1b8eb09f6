//! Where SQL says what stands in the declarations that were read from it.

use std::collections::BTreeMap;

use super::Dialect;
use crate::Span;
use crate::sql::{Lexer, Syntax, TokenKind, split, unquote};

/// The statements of a script, by the names of what they are about.
pub struct Origins {
    /// Without what only the provider's client understands, rows of a dump among it.
    script: String,
    syntax: Syntax,
    /// The statements, and where each of them has the name, by names in small letters.
    by_name: BTreeMap<String, Vec<(Span, Span)>>,
}

impl Origins {
    /// Goes through a script once.
    pub fn new(dialect: Dialect, script: &str) -> Self {
        let (script, syntax) = (dialect.plain_sql(script), dialect.syntax());
        let mut by_name: BTreeMap<_, Vec<_>> = BTreeMap::new();
        for statement in split(&script, syntax, dialect.bodies()) {
            // What is behind the first parenthesis is not what the statement is about.
            let length = statement.span.text(&script).find('(').unwrap_or(statement.span.end - statement.span.start);
            let head = Span::new(statement.span.start, statement.span.start + length);
            for (name, at) in names(&script, head, syntax) {
                by_name.entry(name.to_lowercase()).or_default().push((statement.span, at));
            }
        }
        Self { script, syntax, by_name }
    }

    /// Where the script says what stands at `span` in the declarations that were made of it: the word itself in the
    /// statement that makes its table or other item, or in the first that changes it; else that item's name. `None` where
    /// nothing of that name is made there.
    pub fn of(&self, declarations: &str, span: Span) -> Option<Span> {
        let said = Said::at(declarations, span)?;
        let mut elsewhere = Vec::new();
        let mut made = None;
        for (statement, name) in self.by_name.get(&said.item.to_lowercase())? {
            let (before, behind): (Vec<_>, Vec<_>) =
                names(&self.script, *statement, self.syntax).into_iter().partition(|(_, at)| at.start <= name.start);
            let is_made = before.first().is_some_and(|(word, _)| word.eq_ignore_ascii_case("create"))
                && before.iter().any(|(word, at)| at != name && word.eq_ignore_ascii_case(&said.kind));
            match is_made && made.is_none() {
                true => made = Some((*name, behind)),
                false => elsewhere.extend(behind),
            }
        }
        let (name, inside) = made?;
        let places = |word: &String| {
            let said = |(other, _): &&(String, Span)| other.eq_ignore_ascii_case(word);
            inside.iter().find(said).or_else(|| elsewhere.iter().find(said)).map(|(_, at)| *at)
        };
        Some(said.words.iter().find_map(places).unwrap_or(name))
    }
}

/// What a place in declarations is about.
struct Said {
    /// The kind of the item around it: `table`, `view`.
    kind: String,
    /// The item's name, without its namespace.
    item: String,
    /// The words there, the nearest first; none where it is the item itself.
    words: Vec<String>,
}

impl Said {
    fn at(declarations: &str, span: Span) -> Option<Self> {
        let before = declarations.get(..span.start)?;
        let mut end = declarations[span.start..].find('\n').map_or(declarations.len(), |at| span.start + at);
        let start = |end: usize| declarations[..end].rfind('\n').map_or(0, |at| at + 1);
        let line = Span::new(before.rfind('\n').map_or(0, |at| at + 1), end);
        while !declarations[start(end)..end].starts_with(|first: char| first.is_ascii_lowercase()) {
            end = start(end).checked_sub(1)?;
        }
        let heading = Span::new(start(end), end);
        let mut heads = names(declarations, heading, Syntax::STANDARD).into_iter().map(|(name, at)| (name, at.end));
        let (mut kind, _) = heads.next()?;
        let (mut item, mut end) = heads.next()?;
        if kind == "materialized" {
            (kind, (item, end)) = (item, heads.next()?);
        }
        if declarations[end..].starts_with('.') {
            (item, _) = heads.next()?;
        }
        let all = [span, line].into_iter().filter(|_| heading != line);
        let words = all.flat_map(|span| names(declarations, span, Syntax::STANDARD)).map(|(word, _)| word);
        Some(Self { kind, item, words: words.collect() })
    }
}

/// The words and names of a stretch of text, unquoted, and where they stand.
fn names(text: &str, span: Span, syntax: Syntax) -> Vec<(String, Span)> {
    Lexer::new(text, span.start, syntax)
        .take_while(|token| token.span.start < span.end)
        .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted))
        .map(|token| (unquote(token.span.text(text)), token.span))
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::Flavor;

    const SCRIPT: &str = "-- table hive\ncreate table frame (hive int);\nCREATE TABLE if not exists `hive` (\n  `id` int,\n  name text\n);\n\
                          create view tall as select id from hive;\nalter table hive add frames int;\n";

    const DECLARED: &str = "table frame {\n    hive int?\n}\n\ntable hive {\n    id int?\n    name text?\n    frames int?\n}\n\n\
                            view tall `select id from hive`\n";

    fn found(of: &str, declared: &str) -> Option<(usize, &'static str)> {
        let start = DECLARED.find(of).expect("it is declared") + of.find(declared).expect("it is in there");
        let span = Span::new(start, start + declared.len());
        let dialect = Dialect::Mariadb(Flavor::Mariadb);
        Origins::new(dialect, SCRIPT)
            .of(DECLARED, span)
            .map(|at| (crate::span::line_of(SCRIPT, at.start), at.text(SCRIPT)))
    }

    #[test]
    fn a_place_is_found_in_the_statement_that_makes_it() {
        assert_eq!(found("table hive", "hive"), Some((3, "`hive`")));
        assert_eq!(found("    hive int?", "hive"), Some((2, "hive")));
        assert_eq!(found("    name text?", "text?"), Some((5, "text")));
        assert_eq!(found("view tall", "tall"), Some((7, "tall")));
    }

    #[test]
    fn what_was_added_later_is_found_where_it_was() {
        assert_eq!(found("    frames int?", "frames"), Some((8, "frames")));
    }

    #[test]
    fn what_the_script_does_not_make_has_no_place() {
        let declared = "table queen {\n    id int\n}\n";
        let origins = Origins::new(Dialect::Postgres, SCRIPT);
        assert_eq!(origins.of(declared, Span::new(6, 11)), None);
        assert_eq!(origins.of("", Span::new(0, 0)), None);
    }
}
