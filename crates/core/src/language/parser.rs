//! Text to syntax tree, with every mistake of the text.
//!
//! `parse_*` reads a construct and gives up with the mistake it met; the loops over declarations and items note the
//! mistake and go on with the next one.

mod columns;
mod declarations;
mod tables;
mod trivia;

use super::lexer::{Seen, Token, look_at};
use super::mistake::{Mistake, MistakeKind};
use super::syntax::{ClauseKind, Column, File, Item, Name, Spanned};
use crate::Span;
use crate::nearest::nearest;
use crate::schema::{Identifier, Provider, Providers, Scope, Value};
use crate::sql::matching_parenthesis;

/// Reads a file's text. The tree holds what could be understood; it is whole where there are no mistakes.
pub fn parse(source: &str) -> (File, Vec<Mistake>) {
    let mut parser =
        Parser { source, at: 0, ahead: None, inner: Vec::new(), gathered: Vec::new(), mistakes: Vec::new() };
    let file = parser.file();
    (file, parser.mistakes)
}

type Parsed<T> = Result<T, Mistake>;

struct Parser<'a> {
    source: &'a str,
    at: usize,
    ahead: Option<(usize, Seen, Span)>,
    /// Comments met inside an item's parentheses; they move before the item.
    inner: Vec<String>,
    /// Where a table's items are gathered before their number is known; kept from table to table.
    gathered: Vec<Item>,
    mistakes: Vec<Mistake>,
}

const DECLARATIONS: [&str; 13] = [
    "table",
    "enum",
    "view",
    "materialized",
    "rows",
    "trigger",
    "routine",
    "namespace",
    "sequence",
    "domain",
    "extension",
    "grant",
    "object",
];

const ITEMS: [&str; 10] =
    ["primary", "unique", "index", "foreign", "check", "about", "option", "exclude", "partition", "formerly"];

const CLAUSES: [&str; 19] = [
    "null",
    "default",
    "identity",
    "unique",
    "primary",
    "references",
    "named",
    "on",
    "deferrable",
    "indexed",
    "check",
    "generated",
    "collate",
    "native",
    "option",
    "about",
    "formerly",
    "for",
    "except",
];

/// A text without the lines around it that are empty, and without the white space that all its lines begin with.
pub(crate) fn dedented(text: &str) -> String {
    let text = text.replace('\r', "");
    let lines: Vec<&str> = text.split('\n').collect();
    let is_blank = |line: &&str| line.trim().is_empty();
    let first = lines.iter().position(|line| !is_blank(line)).unwrap_or(lines.len());
    let last = lines.iter().rposition(|line| !is_blank(line)).map_or(first, |at| at + 1);
    let lines = &lines[first..last];
    let margin = |line: &&str| line.len() - line.trim_start_matches([' ', '\t']).len();
    let least = lines.iter().filter(|line| !is_blank(line)).map(margin).min().unwrap_or(0);
    // White space at the end of a line may be part of a text.
    let lines: Vec<&str> = lines.iter().map(|line| line.get(least..).unwrap_or_default()).collect();
    lines.join("\n").trim_end().to_owned()
}

impl<'a> Parser<'a> {
    fn peek(&mut self) -> (Seen, Span) {
        match self.ahead {
            Some((at, seen, span)) if at == self.at => (seen, span),
            _ => {
                let (seen, span) = look_at(self.source, self.at);
                self.ahead = Some((self.at, seen, span));
                (seen, span)
            }
        }
    }

    /// The token after the next one.
    fn peek_second(&mut self) -> (Seen, Span) {
        let (_, span) = self.peek();
        look_at(self.source, span.end)
    }

    fn bump(&mut self) -> Span {
        let (_, span) = self.peek();
        self.at = span.end;
        span
    }

    fn sees(&mut self, token: Token) -> bool {
        self.peek().0 == Seen::Token(token)
    }

    fn eat(&mut self, token: Token) -> bool {
        let found = self.sees(token);
        if found {
            self.bump();
        }
        found
    }

    fn peek_word(&mut self) -> Option<&'a str> {
        match self.peek() {
            (Seen::Token(Token::Word), span) => Some(span.text(self.source)),
            _ => None,
        }
    }

    fn second_word(&mut self) -> Option<&'a str> {
        match self.peek_second() {
            (Seen::Token(Token::Word), span) => Some(span.text(self.source)),
            _ => None,
        }
    }

    fn eat_word(&mut self, word: &str) -> bool {
        let found = self.peek_word() == Some(word);
        if found {
            self.bump();
        }
        found
    }

    fn expect_word(&mut self, word: &str) -> Parsed<()> {
        if self.eat_word(word) { Ok(()) } else { Err(self.unexpected(&format!("`{word}`"))) }
    }

    fn expect(&mut self, token: Token, shown: &str) -> Parsed<Span> {
        if self.sees(token) { Ok(self.bump()) } else { Err(self.unexpected(shown)) }
    }

    /// The mistake of finding something else than what was wanted.
    fn unexpected(&mut self, wanted: &str) -> Mistake {
        let (seen, span) = self.peek();
        let found = match seen {
            Seen::End => "the end of the file".to_owned(),
            Seen::Token(Token::Newline) => "the end of the line".to_owned(),
            Seen::Token(Token::Comment) => "a comment".to_owned(),
            Seen::Token(_) => format!("`{}`", span.text(self.source)),
            Seen::Unreadable => return self.unreadable(span),
        };
        Mistake { kind: MistakeKind::Unexpected { wanted: wanted.to_owned(), found }, span }
    }

    fn unreadable(&self, span: Span) -> Mistake {
        let rest = &self.source[span.start..];
        let line = rest.find('\n').unwrap_or(rest.len());
        let to_line_end = Span::new(span.start, span.start + line);
        let unclosed = |what, close: &str| Mistake {
            kind: MistakeKind::Unclosed { what, close: close.to_owned() },
            span: to_line_end,
        };
        match rest.as_bytes()[0] {
            b'\'' => unclosed("the text", "`'`"),
            b'x' | b'X' => unclosed("the bytes", "`'` after pairs of digits 0-9 and a-f"),
            b'"' => unclosed("the quoted name", "`\"`"),
            b'`' if rest.starts_with("```") => unclosed("the fence", "line of as many backticks"),
            _ => {
                let end = span.start + rest.chars().next().map_or(1, char::len_utf8);
                let span = Span::new(span.start, end);
                let found = format!("`{}`", span.text(self.source));
                Mistake { kind: MistakeKind::Unexpected { wanted: "a name or a keyword".into(), found }, span }
            }
        }
    }

    // ---- small things -------------------------------------------------------------------------------------------

    fn parse_value(&mut self) -> Parsed<Spanned<Value>> {
        let (seen, span) = self.peek();
        let text = span.text(self.source);
        let value = match seen {
            Seen::Token(Token::Number) => Value::Number(text.trim_start_matches('+').to_owned()),
            Seen::Token(Token::Text) => Value::Text(crate::sql::unquote(text)),
            Seen::Token(Token::Bytes) => {
                let digits = &text[2..text.len() - 1];
                if digits.len() % 2 == 1 {
                    let kind = MistakeKind::Unexpected { wanted: "pairs of digits".into(), found: format!("`{text}`") };
                    return Err(Mistake { kind, span });
                }
                Value::Bytes(digits.to_ascii_lowercase())
            }
            Seen::Token(Token::Open) => {
                let expression = self.parse_expression()?;
                return Ok(Spanned { value: Value::Expression(expression.value), span: expression.span });
            }
            Seen::Token(Token::Word) => match text {
                "true" => Value::Bool(true),
                "false" => Value::Bool(false),
                "null" => Value::Null,
                "now" => Value::Now,
                "today" => Value::Today,
                "new" if self.second_word() == Some("uuid") => {
                    self.bump();
                    let end = self.bump().end;
                    return Ok(Spanned { value: Value::NewUuid, span: Span::new(span.start, end) });
                }
                _ => Value::Word(Identifier::new(text)),
            },
            _ => return Err(self.unexpected("a value")),
        };
        self.bump();
        Ok(Spanned { value, span })
    }

    /// A description in double quotes; one of several lines has them in parentheses, each in its own.
    fn parse_description(&mut self) -> Parsed<Spanned<String>> {
        const WANTED: &str = "a description in double quotes";
        let (seen, open) = self.peek();
        if seen != Seen::Token(Token::Open) {
            return self.parse_quoted(WANTED);
        }
        let lines = self.parse_list(WANTED, |parser| Ok(parser.parse_quoted(WANTED)?.value))?;
        Ok(Spanned { value: lines.join("\n"), span: Span::new(open.start, self.at) })
    }

    fn parse_expression(&mut self) -> Parsed<Spanned<String>> {
        let found = self.parse_parentheses()?;
        if found.value.is_empty() {
            let kind = MistakeKind::Unexpected { wanted: "an SQL expression".into(), found: "`()`".into() };
            return Err(Mistake { kind, span: found.span });
        }
        Ok(found)
    }

    /// SQL in parentheses, or nothing in them.
    fn parse_parentheses(&mut self) -> Parsed<Spanned<String>> {
        let (seen, open) = self.peek();
        if seen != Seen::Token(Token::Open) {
            return Err(self.unexpected("an SQL expression in parentheses"));
        }
        match matching_parenthesis(self.source, open.start) {
            Ok(close) => {
                self.at = close + 1;
                let value = self.source[open.end..close].trim().to_owned();
                Ok(Spanned { value, span: Span::new(open.start, close + 1) })
            }
            Err(gave_up) => {
                let (what, start) = match self.source[gave_up..].chars().next() {
                    Some('\'') => ("the text in the expression", gave_up),
                    Some('"' | '`') => ("the quoted name in the expression", gave_up),
                    Some('/') => ("the comment in the expression", gave_up),
                    Some('$') => ("the dollar quote in the expression", gave_up),
                    _ => ("the parenthesis", open.start),
                };
                let close = match what {
                    "the parenthesis" => "`)`".to_owned(),
                    _ => "its closing mark".to_owned(),
                };
                let span = Span::new(start, start + 1);
                Err(Mistake { kind: MistakeKind::Unclosed { what, close }, span })
            }
        }
    }

    fn parse_list<T>(&mut self, wanted: &str, mut element: impl FnMut(&mut Self) -> Parsed<T>) -> Parsed<Vec<T>> {
        self.expect(Token::Open, "`(`")?;
        let mut list = Vec::new();
        loop {
            self.line_ends();
            if self.sees(Token::Close) {
                if list.is_empty() {
                    return Err(self.unexpected(wanted));
                }
                break;
            }
            list.push(element(self)?);
            self.line_ends();
            if !self.eat(Token::Comma) {
                break;
            }
        }
        self.expect(Token::Close, "`,` or `)`")?;
        Ok(list)
    }

    fn parse_names(&mut self) -> Parsed<Vec<Name>> {
        self.parse_list("a column", |parser| parser.parse_name("a column"))
    }

    fn parse_optional_name(&mut self) -> Parsed<Option<Name>> {
        if self.sees(Token::Open) {
            return Ok(None);
        }
        self.parse_name("a name or `(`").map(Some)
    }

    fn parse_name(&mut self, wanted: &str) -> Parsed<Name> {
        let (seen, span) = self.peek();
        let text = span.text(self.source);
        let value = match seen {
            Seen::Token(Token::Word) => {
                if text.bytes().any(|byte| byte.is_ascii_uppercase()) {
                    let kind = MistakeKind::UpperCase { word: text.to_owned() };
                    self.mistakes.push(Mistake { kind, span });
                }
                Identifier::new(text)
            }
            Seen::Token(Token::Quoted) if text == "\"\"" => {
                return Err(Mistake { kind: MistakeKind::EmptyName, span });
            }
            Seen::Token(Token::Quoted) => Identifier::new(crate::sql::unquote(text)),
            _ => return Err(self.unexpected(wanted)),
        };
        self.bump();
        Ok(Spanned { value, span })
    }

    /// The name of a table, enum, view or the like, with its namespace where it is in one.
    fn parse_object_name(&mut self, wanted: &str) -> Parsed<Name> {
        let first = self.parse_name(wanted)?;
        self.parse_behind_point(first)
    }

    fn parse_behind_point(&mut self, first: Name) -> Parsed<Name> {
        if !self.eat(Token::Dot) {
            return Ok(first);
        }
        let second = self.parse_name("the name in the namespace")?;
        let value = Identifier::within(first.value.as_str(), second.value.as_str());
        Ok(Spanned { value, span: first.span.to(second.span) })
    }

    fn parse_table_name(&mut self) -> Parsed<Name> {
        self.parse_object_name("a table")
    }

    fn parse_quoted(&mut self, wanted: &str) -> Parsed<Spanned<String>> {
        match self.peek() {
            (Seen::Token(Token::Quoted), span) => {
                self.bump();
                Ok(Spanned { value: crate::sql::unquote(span.text(self.source)), span })
            }
            _ => Err(self.unexpected(wanted)),
        }
    }

    fn parse_number<N: std::str::FromStr>(&mut self, wanted: &str) -> Parsed<N> {
        let span = self.expect(Token::Number, wanted)?;
        let text = span.text(self.source);
        text.parse().map_err(|_| Mistake { kind: MistakeKind::BadNumber { word: text.to_owned() }, span })
    }

    /// From one number of a sequence to the next.
    fn parse_step(&mut self) -> Parsed<i64> {
        let (_, span) = self.peek();
        match self.parse_number("the step")? {
            0 => Err(Mistake { kind: MistakeKind::NoStep, span }),
            by => Ok(by),
        }
    }

    fn parse_scope(&mut self) -> Parsed<Scope> {
        let only = self.peek_word() == Some("for");
        self.bump();
        let mut providers = Providers::from(self.parse_provider()?);
        loop {
            let next_is_provider = matches!(self.second_word(), Some(word) if Provider::from_word(word).is_some());
            if !(self.sees(Token::Comma) && next_is_provider) {
                break;
            }
            self.bump();
            providers.insert(self.parse_provider()?);
        }
        Ok(if only { Scope::For(providers) } else { Scope::Except(providers) })
    }

    fn parse_provider(&mut self) -> Parsed<Provider> {
        let Some(word) = self.peek_word() else { return Err(self.unexpected("a provider")) };
        let span = self.bump();
        Provider::from_word(word).ok_or_else(|| {
            let nearest = nearest(word, Provider::ALL.map(Provider::word));
            Mistake { kind: MistakeKind::UnknownProvider { word: word.to_owned(), nearest }, span }
        })
    }
}

fn type_arguments(type_name: &'static str, takes: &'static str, span: Span) -> Mistake {
    Mistake { kind: MistakeKind::TypeArguments { type_name, takes }, span }
}

/// Words that may follow a reference without a comma, as in a `foreign key` item.
fn follows_reference(column: &Column, word: &str) -> bool {
    let after_reference = column.clauses.iter().any(|clause| matches!(clause.kind, ClauseKind::References(_)));
    after_reference && matches!(word, "named" | "on" | "deferrable" | "indexed")
}
