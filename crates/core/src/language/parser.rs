//! Text to syntax tree, with every mistake of the text.
//!
//! `parse_*` reads a construct and gives up with the mistake it met; the loops over declarations and items note the
//! mistake and go on with the next one.

use logos::Logos;

use super::lexer::Token;
use super::mistake::{Mistake, MistakeKind};
use super::sugar;
use super::syntax::{
    Check, Clause, ClauseKind, Column, Declaration, DeclarationKind, Enum, EnumWord, File, ForeignKey, Index,
    IndexPart, Item, ItemKind, Key, Name, PartKey, Program, Row, Rows, Spanned, Table, Trivia,
};
use crate::Span;
use crate::nearest::nearest;
use crate::schema::{
    Action, Deferrable, Domain, Exclusion, Form, Grant, Identifier, NullsOrder, ProgramKind, Provider, Scope, Storage,
    Type, Value,
};
use crate::sql::matching_parenthesis;

/// Reads a file's text. The tree holds what could be understood; it is whole where there are no mistakes.
pub fn parse(source: &str) -> (File, Vec<Mistake>) {
    let mut parser =
        Parser { source, at: 0, ahead: None, inner: Vec::new(), gathered: Vec::new(), mistakes: Vec::new() };
    let file = parser.file();
    (file, parser.mistakes)
}

type Parsed<T> = Result<T, Mistake>;

/// What stands at an offset.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Seen {
    Token(Token),
    Unreadable,
    End,
}

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
fn dedented(text: &str) -> String {
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
    fn look_at(&self, offset: usize) -> (Seen, Span) {
        let mut lexer = Token::lexer(&self.source[offset..]);
        let token = lexer.next();
        let span = Span::new(offset + lexer.span().start, offset + lexer.span().end);
        match token {
            Some(Ok(token)) => (Seen::Token(token), span),
            Some(Err(())) => (Seen::Unreadable, span),
            None => (Seen::End, Span::new(self.source.len(), self.source.len())),
        }
    }

    fn peek(&mut self) -> (Seen, Span) {
        match self.ahead {
            Some((at, seen, span)) if at == self.at => (seen, span),
            _ => {
                let (seen, span) = self.look_at(self.at);
                self.ahead = Some((self.at, seen, span));
                (seen, span)
            }
        }
    }

    /// The token after the next one.
    fn peek_second(&mut self) -> (Seen, Span) {
        let (_, span) = self.peek();
        self.look_at(span.end)
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

    // ---- trivia -------------------------------------------------------------------------------------------------

    fn comment_text(&self, span: Span) -> String {
        span.text(self.source).trim_end().to_owned()
    }

    /// Comments and blank lines up to the next item.
    fn trivia(&mut self) -> Vec<Trivia> {
        let mut trivia = Vec::new();
        let mut newlines = 0;
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) => {
                    newlines += 1;
                    if newlines == 2 {
                        trivia.push(Trivia::Blank);
                    }
                    self.bump();
                }
                (Seen::Token(Token::Comment), span) => {
                    newlines = 0;
                    trivia.push(Trivia::Comment(self.comment_text(span)));
                    self.bump();
                }
                _ => return trivia,
            }
        }
    }

    /// Skips line ends inside parentheses, putting comments aside.
    fn line_ends(&mut self) {
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) => {}
                (Seen::Token(Token::Comment), span) => {
                    let text = self.comment_text(span);
                    self.inner.push(text);
                }
                _ => return,
            }
            self.bump();
        }
    }

    /// Whether the item goes on in a later line, which then begins with a comma.
    fn continues(&mut self) -> bool {
        let mut offset = self.at;
        loop {
            match self.look_at(offset) {
                (Seen::Token(Token::Newline | Token::Comment), span) => offset = span.end,
                (seen, _) => return seen == Seen::Token(Token::Comma),
            }
        }
    }

    /// A comment on the same line, then the line's end or a closing brace.
    fn end_of_item(&mut self) -> Parsed<Option<String>> {
        self.eat(Token::Comma);
        match self.peek() {
            (Seen::Token(Token::Comment), span) => {
                self.bump();
                Ok(Some(self.comment_text(span)))
            }
            (Seen::Token(Token::Newline | Token::CloseBrace) | Seen::End, _) => Ok(None),
            _ => Err(self.unexpected("the end of the line")),
        }
    }

    /// After a mistake: to the end of the item, or of the declaration when `braces` are skipped whole.
    fn skip_item(&mut self, braces: bool) {
        let mut depth = 0usize;
        loop {
            match self.peek() {
                (Seen::End, _) => return,
                (Seen::Token(Token::Open), span) => {
                    let line = self.source[span.start..].find('\n').map(|at| span.start + at);
                    self.at = match matching_parenthesis(self.source, span.start) {
                        Ok(close) => close + 1,
                        Err(_) => line.unwrap_or(self.source.len()),
                    };
                }
                (Seen::Token(Token::OpenBrace), _) if braces => {
                    depth += 1;
                    self.bump();
                }
                (Seen::Token(Token::CloseBrace), _) if depth > 0 => {
                    depth -= 1;
                    self.bump();
                }
                (Seen::Token(Token::CloseBrace), _) if !braces => return,
                (Seen::Token(Token::Newline), _) if depth == 0 => {
                    if !self.continues() {
                        return;
                    }
                    self.bump();
                }
                (Seen::Unreadable, span) => {
                    let rest = &self.source[span.start..];
                    self.at = match rest.as_bytes()[0] {
                        b'\'' | b'"' => span.start + rest.find('\n').unwrap_or(rest.len()),
                        _ => span.start + rest.chars().next().map_or(1, char::len_utf8),
                    };
                }
                _ => {
                    self.bump();
                }
            }
        }
    }

    // ---- declarations -------------------------------------------------------------------------------------------

    fn file(&mut self) -> File {
        let mut declarations = Vec::new();
        loop {
            let mut leading = self.trivia();
            if self.peek().0 == Seen::End {
                return File { declarations, tail: leading };
            }
            let start = self.peek().1.start;
            self.inner.clear();
            let parsed = self.parse_declaration().and_then(|kind| {
                let span = Span::new(start, self.at);
                let comment = self.end_of_item()?;
                Ok((kind, span, comment))
            });
            match parsed {
                Ok((kind, span, comment)) => {
                    leading.extend(self.inner.drain(..).map(Trivia::Comment));
                    declarations.push(Declaration { leading, kind, span, comment });
                    if self.sees(Token::CloseBrace) {
                        let mistake = self.unexpected("a declaration");
                        self.mistakes.push(mistake);
                        self.bump();
                    }
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start {
                        self.step_over();
                    }
                    self.skip_item(true);
                }
            }
        }
    }

    /// Makes sure that recovery moves on.
    fn step_over(&mut self) {
        if let (Seen::Token(Token::Word | Token::CloseBrace), _) = self.peek() {
            self.bump();
        }
    }

    fn parse_declaration(&mut self) -> Parsed<DeclarationKind> {
        let Some(word) = self.peek_word() else {
            return Err(self.unexpected("a declaration such as `table`"));
        };
        match word {
            "table" => self.parse_table().map(DeclarationKind::Table),
            "enum" => self.parse_enum().map(DeclarationKind::Enum),
            "view" => self.parse_program(ProgramKind::View).map(DeclarationKind::Program),
            "trigger" => self.parse_program(ProgramKind::Trigger).map(DeclarationKind::Program),
            "routine" => self.parse_program(ProgramKind::Routine).map(DeclarationKind::Program),
            "materialized" => {
                self.bump();
                self.parse_program(ProgramKind::MaterializedView).map(DeclarationKind::Program)
            }
            "object" => self.parse_program(ProgramKind::Object).map(DeclarationKind::Program),
            "extension" => self.parse_extension().map(DeclarationKind::Program),
            "sequence" => self.parse_sequence().map(DeclarationKind::Program),
            "namespace" => self.parse_namespace().map(DeclarationKind::Program),
            "rows" => self.parse_rows().map(DeclarationKind::Rows),
            "domain" => self.parse_domain().map(DeclarationKind::Program),
            "grant" => self.parse_grant().map(DeclarationKind::Program),
            _ => {
                let kind =
                    MistakeKind::UnknownDeclaration { word: word.to_owned(), nearest: nearest(word, DECLARATIONS) };
                Err(Mistake { kind, span: self.peek().1 })
            }
        }
    }

    /// `extension NAME`, which says what an object of that kind would.
    fn parse_extension(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_name("the extension's name")?;
        let sugar = sugar::extension(&name.value);
        self.parse_rest_of_sugar("extension", name, Some(sugar))
    }

    /// `namespace NAME`, which says what an object of that kind would.
    fn parse_namespace(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_name("the namespace's name")?;
        let sugar = sugar::namespace(&name.value);
        self.parse_rest_of_sugar("namespace", name, Some(sugar))
    }

    /// `sequence NAME from 1 by 1`, which says what an object of that kind would.
    fn parse_sequence(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_object_name("the sequence's name")?;
        let (mut from, mut by): (Option<i64>, Option<i64>) = (None, None);
        loop {
            if self.eat_word("from") {
                from = Some(self.parse_number("the first number")?);
            } else if self.eat_word("by") {
                by = Some(self.parse_number("the step")?);
            } else {
                break;
            }
        }
        let sugar = sugar::sequence(&name.value, from, by);
        self.parse_rest_of_sugar("sequence", name, Some(sugar))
    }

    /// The end of a form whose SQL follows from its words.
    fn parse_rest_of_sugar(&mut self, word: &str, name: Name, sugar: Option<(String, String)>) -> Parsed<Program> {
        let mut about = None;
        let mut scope = Scope::All;
        let span = name.span;
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("about") if about.is_none() => {
                    self.bump();
                    about = Some(self.parse_description()?.value);
                }
                Some("for" | "except") if scope == Scope::All => scope = self.parse_scope()?,
                _ => break,
            }
        }
        let (body, drop) = sugar.map_or((String::new(), None), |(body, drop)| (body, Some(drop)));
        Ok(Program {
            kind: ProgramKind::Object,
            word: Some(Spanned { value: word.to_owned(), span }),
            name,
            table: None,
            body: Spanned { value: body, span },
            drop: drop.map(|value| Spanned { value, span }),
            form: None,
            after: Vec::new(),
            about,
            scope,
        })
    }

    /// `view NAME` and a fence; `trigger NAME on T`, `routine NAME` or `object "KIND" NAME`, a fence, and `drop` with
    /// another.
    fn parse_program(&mut self, kind: ProgramKind) -> Parsed<Program> {
        self.bump();
        let word = match kind {
            ProgramKind::Object => Some(self.parse_quoted("the object's kind in double quotes, such as \"policy\"")?),
            _ => None,
        };
        let name = match kind {
            ProgramKind::Object => self.parse_object_name("the object's name"),
            ProgramKind::MaterializedView | ProgramKind::View => self.parse_object_name("the view's name"),
            ProgramKind::Trigger => self.parse_name("the trigger's name"),
            ProgramKind::Routine => self.parse_object_name("the routine's name"),
        }?;
        let table = match kind {
            ProgramKind::Trigger => {
                self.expect_word("on")?;
                Some(self.parse_object_name("the trigger's table")?)
            }
            _ => None,
        };
        let (mut body, mut drop, mut about, mut scope) = (None, None, None, Scope::All);
        let mut after = Vec::new();
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) if self.program_goes_on() => {
                    self.bump();
                }
                (Seen::Token(Token::Comma), _) => {
                    self.bump();
                }
                (Seen::Token(Token::Fence), _) if body.is_none() => body = Some(self.parse_fence()?),
                (Seen::Token(Token::Word), _) => match self.peek_word() {
                    Some("after") if after.is_empty() => {
                        self.bump();
                        after.push(self.parse_object_name("the name of what comes before it")?);
                        while self.sees(Token::Comma)
                            && matches!(self.peek_second().0, Seen::Token(Token::Word | Token::Quoted))
                            && !matches!(self.second_word(), Some("about" | "for" | "except" | "drop"))
                        {
                            self.bump();
                            after.push(self.parse_object_name("the name of what comes before it")?);
                        }
                    }
                    Some("drop") if drop.is_none() && !kind.is_view() => {
                        self.bump();
                        drop = Some(self.parse_fence()?);
                    }
                    Some("about") if about.is_none() => {
                        self.bump();
                        about = Some(self.parse_description()?.value);
                    }
                    Some("for" | "except") if scope == Scope::All => scope = self.parse_scope()?,
                    _ => break,
                },
                _ => break,
            }
        }
        match body {
            Some(body) => Ok(Program { kind, word, name, table, body, form: None, drop, after, about, scope }),
            None => Err(self.unexpected("its SQL between ``` and ```")),
        }
    }

    /// `rows T by (key) {`, a line with the columns, and a line for each row, with bars between them.
    fn parse_rows(&mut self) -> Parsed<Rows> {
        self.bump();
        let table = self.parse_table_name()?;
        self.expect_word("by")?;
        let key = self.parse_names()?;
        let open = self.expect(Token::OpenBrace, "`{`")?;
        let mut rows = Rows {
            table,
            key,
            columns: Vec::new(),
            comment: None,
            rows: Vec::new(),
            tail: Vec::new(),
            scope: Scope::All,
        };
        let mut leading = self.trivia();
        if self.peek().0 != Seen::Token(Token::CloseBrace) {
            rows.columns.push(self.parse_name("a column")?);
            while self.eat(Token::Bar) {
                rows.columns.push(self.parse_name("a column")?);
            }
            rows.comment = self.end_of_row()?;
            // Comments before the head stand before the first row.
            leading.extend(self.trivia());
        }
        loop {
            match self.peek().0 {
                Seen::Token(Token::CloseBrace) => break,
                Seen::End => {
                    let kind = MistakeKind::Unclosed { what: "the list of rows", close: "`}`".into() };
                    return Err(Mistake { kind, span: open });
                }
                _ => {}
            }
            let start = self.peek().1.start;
            match self.parse_row(rows.columns.len()) {
                Ok((values, comment)) => {
                    rows.rows.push(Row { leading: std::mem::take(&mut leading), values, comment });
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start {
                        self.bump();
                    }
                    self.skip_row();
                }
            }
            leading.extend(self.trivia());
        }
        self.bump();
        rows.tail = leading;
        self.eat(Token::Comma);
        if self.peek_word().is_some_and(|word| matches!(word, "for" | "except")) {
            rows.scope = self.parse_scope()?;
        }
        Ok(rows)
    }

    fn parse_row(&mut self, columns: usize) -> Parsed<(Vec<Spanned<Value>>, Option<String>)> {
        let mut values = vec![self.parse_value()?];
        while self.eat(Token::Bar) {
            values.push(self.parse_value()?);
        }
        let (first, last) = (values.first().map(|one| one.span), values.last().map(|one| one.span));
        let comment = self.end_of_row()?;
        if let (true, Some(first), Some(last)) = (values.len() != columns, first, last) {
            let wanted = crate::plural::plural("value", columns);
            let kind = MistakeKind::Unexpected { wanted, found: values.len().to_string() };
            return Err(Mistake { kind, span: Span::new(first.start, last.end) });
        }
        Ok((values, comment))
    }

    /// The end of a line of rows, with the comment that stands there.
    fn end_of_row(&mut self) -> Parsed<Option<String>> {
        match self.peek() {
            (Seen::Token(Token::Comment), span) => {
                self.bump();
                Ok(Some(self.comment_text(span)))
            }
            (Seen::Token(Token::Newline | Token::CloseBrace) | Seen::End, _) => Ok(None),
            _ => Err(self.unexpected("`|` or the end of the line")),
        }
    }

    /// Goes on behind the end of the line.
    fn skip_row(&mut self) {
        while !matches!(self.peek().0, Seen::Token(Token::Newline | Token::CloseBrace) | Seen::End) {
            if self.peek().0 == Seen::Unreadable {
                self.at += self.source[self.at..].chars().next().map_or(1, char::len_utf8);
            } else {
                self.bump();
            }
        }
    }

    /// SQL between backticks, without the white space that all its lines begin with.
    fn parse_fence(&mut self) -> Parsed<Spanned<String>> {
        let (seen, span) = self.peek();
        if seen != Seen::Token(Token::Fence) {
            return Err(self.unexpected("SQL between ``` and ```"));
        }
        self.bump();
        let inner = span.text(self.source).trim_matches('`');
        Ok(Spanned { value: dedented(inner), span })
    }

    /// Whether a declaration goes on in a later line: with a comma, a fence, or one of the words that only follow one.
    fn program_goes_on(&mut self) -> bool {
        let mut offset = self.at;
        loop {
            match self.look_at(offset) {
                (Seen::Token(Token::Newline | Token::Comment), span) => offset = span.end,
                (Seen::Token(Token::Comma | Token::Fence), _) => return true,
                (Seen::Token(Token::Word), span) => {
                    let next = self.look_at(span.end).0;
                    return match span.text(self.source) {
                        "drop" | "create" => next == Seen::Token(Token::Fence),
                        "after" => matches!(next, Seen::Token(Token::Word | Token::Quoted)),
                        "for" | "except" => next == Seen::Token(Token::Word),
                        _ => false,
                    };
                }
                _ => return false,
            }
        }
    }

    /// `partition by …`: SQL to the end of the line, or to the word that says for which provider.
    fn parse_partition(&mut self) -> Parsed<Spanned<String>> {
        self.bump();
        self.expect_word("by")?;
        let start = self.peek().1.start;
        let mut end = start;
        loop {
            match self.peek() {
                (Seen::End | Seen::Token(Token::Comment | Token::CloseBrace | Token::Newline | Token::Comma), _) => {
                    break;
                }
                // `key ()` is by the primary key.
                (Seen::Token(Token::Open), _) => {
                    self.parse_parentheses()?;
                }
                (Seen::Unreadable, span) => return Err(self.unreadable(span)),
                _ if matches!(self.peek_word(), Some("for" | "except")) => break,
                _ => {
                    self.bump();
                }
            }
            end = self.at;
        }
        let span = Span::new(start, end);
        if span.start == span.end {
            return Err(self.unexpected("how it is partitioned, such as `range (taken_on)`"));
        }
        // Over several lines it means the same; on one, a text may hold more than one space.
        let text = span.text(self.source).trim();
        let value = match text.contains('\n') {
            true => text.split_whitespace().collect::<Vec<_>>().join(" "),
            false => text.to_owned(),
        };
        Ok(Spanned { value, span })
    }

    /// `exclude [name] using METHOD (…) where (…)`; which table it is of, the resolver says.
    fn parse_exclusion(&mut self) -> Parsed<Exclusion> {
        self.bump();
        let name = match self.peek_word() {
            Some("using") => None,
            _ => Some(self.parse_name("a name or `using`")?.value),
        };
        self.expect_word("using")?;
        let method = self.parse_name("an access method")?.value;
        let parts = self.parse_expression()?.value;
        let predicate = if self.eat_word("where") { Some(self.parse_expression()?.value) } else { None };
        Ok(Exclusion { table: Identifier::new(""), name, method, parts, predicate })
    }

    /// `domain NAME TYPE, check [name] (expr)`
    fn parse_domain(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_object_name("the domain's name")?;
        let (ty, native) = match self.eat_word("native") {
            true => (Type::Native, Some(self.parse_quoted("the provider's type in double quotes")?.value)),
            false => (self.parse_type()?.value, None),
        };
        let mut checks = Vec::new();
        loop {
            self.item_comma();
            if !self.eat_word("check") {
                break;
            }
            let named = self.parse_optional_name()?;
            checks.push((named.map(|name| name.value), self.parse_expression()?.value));
        }
        let program = self.parse_rest_of_sugar("domain", name, None)?;
        Ok(Program { form: Some(Box::new(Form::Domain(Domain { ty, native, checks }))), ..program })
    }

    /// `grant select, insert on T to ROLE`
    fn parse_grant(&mut self) -> Parsed<Program> {
        let start = self.bump();
        let mut privileges = Vec::new();
        loop {
            privileges.push(self.parse_name("a privilege, such as `select`")?.value.to_string());
            if !self.eat(Token::Comma) {
                break;
            }
        }
        self.expect_word("on")?;
        let on_sequence = self.peek_word() == Some("sequence")
            && matches!(self.peek_second().0, Seen::Token(Token::Word | Token::Quoted))
            && self.peek_second().1.text(self.source) != "to";
        if on_sequence {
            self.bump();
        }
        let target = self.parse_object_name("a table, view or sequence")?;
        self.expect_word("to")?;
        let role = self.parse_name("a role")?;
        let with_option = self.eat_word("with");
        if with_option {
            self.expect_word("grant")?;
            self.expect_word("option")?;
        }
        privileges.sort();
        privileges.dedup();
        let grant = Grant { privileges, on_sequence, target: target.value, role: role.value, with_option };
        let name = Spanned { value: grant.name(), span: start.to(role.span) };
        let program = self.parse_rest_of_sugar("grant", name, None)?;
        Ok(Program { form: Some(Box::new(Form::Grant(grant))), ..program })
    }

    fn parse_enum(&mut self) -> Parsed<Enum> {
        self.bump();
        let name = self.parse_object_name("the enum's name")?;
        let open = self.expect(Token::OpenBrace, "`{`")?;
        let mut words: Vec<EnumWord> = Vec::new();
        let tail = loop {
            let mut leading = self.word_comments(&mut words);
            while self.eat(Token::Comma) {
                leading.extend(self.word_comments(&mut words));
            }
            match self.peek() {
                (Seen::Token(Token::CloseBrace), _) => break leading,
                (Seen::End, _) => {
                    let kind = MistakeKind::Unclosed { what: "the enum", close: "`}`".into() };
                    return Err(Mistake { kind, span: open });
                }
                _ => {}
            }
            let word = self.parse_enum_word()?;
            let formerly = if self.eat_word("formerly") { Some(self.parse_enum_word()?) } else { None };
            words.push(EnumWord { leading, word, comment: None, formerly });
            if !matches!(self.peek().0, Seen::Token(Token::Comma | Token::CloseBrace | Token::Newline | Token::Comment))
            {
                return Err(self.unexpected("`,` or `}`"));
            }
        };
        self.bump();
        let about = if self.eat(Token::Comma) || self.peek_word() == Some("about") {
            self.expect_word("about")?;
            Some(self.parse_description()?.value)
        } else {
            None
        };
        Ok(Enum { name, words, about, tail })
    }

    /// Comments between enum words: on the line of the last word they belong to it, else to the next.
    fn word_comments(&mut self, words: &mut [EnumWord]) -> Vec<String> {
        let mut leading = Vec::new();
        let mut same_line = true;
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) => same_line = false,
                (Seen::Token(Token::Comment), span) => {
                    let text = self.comment_text(span);
                    match words.last_mut() {
                        Some(last) if same_line && last.comment.is_none() => last.comment = Some(text),
                        _ => leading.push(text),
                    }
                }
                _ => return leading,
            }
            self.bump();
        }
    }

    fn parse_enum_word(&mut self) -> Parsed<Name> {
        if let (Seen::Token(Token::Text), span) = self.peek() {
            self.bump();
            let value = crate::sql::unquote(span.text(self.source));
            if value.is_empty() {
                return Err(Mistake { kind: MistakeKind::EmptyName, span });
            }
            return Ok(Spanned { value: Identifier::new(value), span });
        }
        self.parse_name("a word")
    }

    // ---- tables -------------------------------------------------------------------------------------------------

    fn parse_table(&mut self) -> Parsed<Table> {
        self.bump();
        let name = self.parse_object_name("the table's name")?;
        self.expect(Token::OpenBrace, "`{`")?;
        let comment = match self.peek() {
            (Seen::Token(Token::Comment), span) => {
                self.bump();
                Some(self.comment_text(span))
            }
            _ => None,
        };
        let mut table = Table { name, comment, items: Vec::new(), tail: Vec::new(), scope: Scope::All };
        self.table_items(&mut table);
        if self.peek_word().is_some_and(|word| matches!(word, "for" | "except")) || self.eat(Token::Comma) {
            table.scope = self.parse_scope()?;
        }
        Ok(table)
    }

    fn table_items(&mut self, table: &mut Table) {
        let mut items = std::mem::take(&mut self.gathered);
        self.gather_items(table, &mut items);
        table.items.append(&mut items);
        self.gathered = items;
    }

    fn gather_items(&mut self, table: &mut Table, items: &mut Vec<Item>) {
        loop {
            let mut leading = self.trivia();
            if self.eat(Token::CloseBrace) {
                table.tail = leading;
                return;
            }
            if self.peek().0 == Seen::End || self.begins_declaration() {
                let kind = MistakeKind::UnclosedTable { table: table.name.value.to_string() };
                self.mistakes.push(Mistake { kind, span: table.name.span });
                return;
            }
            let start = self.peek().1.start;
            self.inner.clear();
            match self.parse_item(start) {
                Ok(mut item) => {
                    leading.extend(self.inner.drain(..).map(Trivia::Comment));
                    item.leading = leading;
                    items.push(item);
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start && self.peek_word().is_some() {
                        self.bump();
                    }
                    self.skip_item(false);
                }
            }
        }
    }

    /// Whether a new table or enum begins here, so that the one being read was not closed.
    fn begins_declaration(&mut self) -> bool {
        if !matches!(self.peek_word(), Some("table" | "enum")) {
            return false;
        }
        let (seen, span) = self.peek_second();
        matches!(seen, Seen::Token(Token::Word | Token::Quoted))
            && self.look_at(span.end).0 == Seen::Token(Token::OpenBrace)
    }

    fn parse_item(&mut self, start: usize) -> Parsed<Item> {
        let mut scope = Scope::All;
        let mut options = Vec::new();
        let kind = if self.peek_second().0 == Seen::Token(Token::Colon) {
            ItemKind::Column(self.parse_column(&mut scope)?)
        } else {
            let kind = self.parse_table_item(&mut scope)?;
            options = self.item_options()?;
            self.item_scope(&mut scope)?;
            kind
        };
        let span = Span::new(start, self.at);
        let comment = self.end_of_item()?;
        Ok(Item { leading: Vec::new(), kind, options, scope, span, comment })
    }

    /// `, option "…" for P` behind an item, any number of times.
    fn item_options(&mut self) -> Parsed<Vec<(Spanned<String>, Scope)>> {
        let mut options = Vec::new();
        loop {
            self.item_comma();
            if self.peek_word() != Some("option") {
                return Ok(options);
            }
            self.bump();
            let option = self.parse_quoted("an option in double quotes")?;
            let scope = match self.peek_word() {
                Some("for" | "except") => self.parse_scope()?,
                _ => Scope::All,
            };
            options.push((option, scope));
        }
    }

    /// `[,] for …` at the end of an item.
    fn item_scope(&mut self, scope: &mut Scope) -> Parsed<()> {
        self.item_comma();
        if matches!(self.peek_word(), Some("for" | "except")) {
            *scope = self.parse_scope()?;
        }
        Ok(())
    }

    /// A comma before another word of the item, on this line or at the beginning of a later one.
    fn item_comma(&mut self) -> bool {
        if matches!(self.peek().0, Seen::Token(Token::Newline | Token::Comment)) && self.continues() {
            self.line_ends();
        }
        let next_is_word = matches!(self.peek_second().0, Seen::Token(Token::Word));
        if self.sees(Token::Comma) && next_is_word {
            self.bump();
            return true;
        }
        false
    }

    fn parse_table_item(&mut self, scope: &mut Scope) -> Parsed<ItemKind> {
        let Some(word) = self.peek_word() else {
            return Err(self.unexpected("a column or another table item"));
        };
        match word {
            "primary" => {
                self.bump();
                self.expect_word("key")?;
                Ok(ItemKind::PrimaryKey(self.parse_key()?))
            }
            "unique" if self.second_word() == Some("index") => {
                self.bump();
                self.bump();
                Ok(ItemKind::Index(self.parse_index(true)?))
            }
            "index" => {
                self.bump();
                Ok(ItemKind::Index(self.parse_index(false)?))
            }
            "unique" => {
                self.bump();
                let mut key = self.parse_key()?;
                self.item_comma();
                if self.eat_word("nulls") {
                    self.expect_word("equal")?;
                    key.nulls_equal = true;
                }
                Ok(ItemKind::Unique(key))
            }
            "foreign" => {
                self.bump();
                self.expect_word("key")?;
                Ok(ItemKind::ForeignKey(self.parse_foreign_key()?))
            }
            "check" => {
                self.bump();
                let name = self.parse_optional_name()?;
                let expression = self.parse_expression()?;
                Ok(ItemKind::Check(Check { name, expression }))
            }
            "about" => {
                self.bump();
                Ok(ItemKind::About(self.parse_description()?))
            }
            "option" => {
                self.bump();
                let option = self.parse_quoted("a storage option in double quotes")?;
                if matches!(self.peek_word(), Some("for" | "except")) {
                    *scope = self.parse_scope()?;
                }
                Ok(ItemKind::Option(option))
            }
            "exclude" => self.parse_exclusion().map(ItemKind::Exclude),
            "partition" => {
                let how = self.parse_partition()?;
                if matches!(self.peek_word(), Some("for" | "except")) {
                    *scope = self.parse_scope()?;
                }
                Ok(ItemKind::Partition(how))
            }
            "formerly" => {
                self.bump();
                Ok(ItemKind::Formerly(self.parse_object_name("the former name")?))
            }
            _ => {
                let kind = MistakeKind::UnknownItem { word: word.to_owned(), nearest: nearest(word, ITEMS) };
                Err(Mistake { kind, span: self.peek().1 })
            }
        }
    }

    fn parse_key(&mut self) -> Parsed<Key> {
        let name = self.parse_optional_name()?;
        let columns = self.parse_names()?;
        Ok(Key { name, columns, nulls_equal: false })
    }

    fn parse_foreign_key(&mut self) -> Parsed<ForeignKey> {
        let name = self.parse_optional_name()?;
        let columns = self.parse_names()?;
        self.item_comma();
        self.expect_word("references")?;
        let table = self.parse_table_name()?;
        let referenced = if self.sees(Token::Open) { self.parse_names()? } else { Vec::new() };
        let mut key = ForeignKey {
            name,
            columns,
            table,
            referenced,
            on_delete: None,
            on_update: None,
            deferrable: None,
            indexed: false,
        };
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("on") => {
                    self.bump();
                    if self.eat_word("delete") {
                        key.on_delete = Some(self.parse_action()?);
                    } else if self.eat_word("update") {
                        key.on_update = Some(self.parse_action()?);
                    } else {
                        return Err(self.unexpected("`delete` or `update`"));
                    }
                }
                Some("deferrable") => key.deferrable = Some(self.parse_deferrable()?),
                Some("indexed") => {
                    self.bump();
                    key.indexed = true;
                }
                _ => return Ok(key),
            }
        }
    }

    fn parse_index(&mut self, unique: bool) -> Parsed<Index> {
        let name = self.parse_optional_name()?;
        let parts = self.parse_list("a column or an expression", Self::parse_index_part)?;
        let mut index = Index { name, unique, parts, predicate: None, including: Vec::new(), method: None };
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("where") => {
                    self.bump();
                    index.predicate = Some(self.parse_expression()?);
                }
                Some("including") => {
                    self.bump();
                    index.including = self.parse_names()?;
                }
                Some("using") => {
                    self.bump();
                    index.method = Some(self.parse_name("an access method")?);
                }
                _ => return Ok(index),
            }
        }
    }

    fn parse_index_part(&mut self) -> Parsed<IndexPart> {
        let start = self.peek().1.start;
        let key = if self.sees(Token::Open) {
            PartKey::Expression(self.parse_expression()?.value)
        } else {
            PartKey::Column(self.parse_name("a column or an expression in parentheses")?.value)
        };
        let mut part = IndexPart {
            key,
            prefix: None,
            collate: None,
            operators: None,
            descending: false,
            nulls: None,
            span: Span::new(start, self.at),
        };
        loop {
            match self.peek_word() {
                Some("prefix") => {
                    self.bump();
                    self.expect(Token::Open, "`(`")?;
                    part.prefix = Some(self.parse_number("a length")?);
                    self.expect(Token::Close, "`)`")?;
                }
                Some("collate") => {
                    self.bump();
                    part.collate = Some(self.parse_quoted("a collation in double quotes")?.value);
                }
                Some("operators") => {
                    self.bump();
                    part.operators = Some(self.parse_quoted("an operator class in double quotes")?.value);
                }
                Some("asc") => {
                    self.bump();
                    part.descending = false;
                }
                Some("desc") => {
                    self.bump();
                    part.descending = true;
                }
                Some("nulls") => {
                    self.bump();
                    part.nulls = Some(if self.eat_word("first") {
                        NullsOrder::First
                    } else if self.eat_word("last") {
                        NullsOrder::Last
                    } else {
                        return Err(self.unexpected("`first` or `last`"));
                    });
                }
                _ => {
                    part.span.end = self.at;
                    return Ok(part);
                }
            }
        }
    }

    // ---- columns ------------------------------------------------------------------------------------------------

    fn parse_column(&mut self, scope: &mut Scope) -> Parsed<Column> {
        let name = self.parse_name("the column's name")?;
        self.expect(Token::Colon, "`:`")?;
        let ty = self.parse_column_type()?;
        let mut column = Column { name, ty, clauses: Vec::new() };
        let mut may_follow = column.ty.is_none() || matches!(&column.ty, Some(ty) if ty.value == Type::Native);
        loop {
            let mut after_comma = false;
            if matches!(self.peek().0, Seen::Token(Token::Newline | Token::Comment)) {
                if !self.continues() {
                    break;
                }
                let earlier = std::mem::take(&mut self.inner);
                self.line_ends();
                let comments = std::mem::replace(&mut self.inner, earlier).join("\n");
                match column.clauses.last_mut() {
                    Some(last) if !comments.is_empty() => last.comment = Some(comments),
                    _ if !comments.is_empty() => self.inner.push(comments),
                    _ => {}
                }
            }
            if self.sees(Token::Comma) {
                let (second, _) = self.peek_second();
                if !matches!(second, Seen::Token(Token::Word)) {
                    if matches!(second, Seen::Token(Token::Newline | Token::Comment | Token::CloseBrace) | Seen::End) {
                        self.bump();
                        continue;
                    }
                    self.bump();
                    return Err(self.unexpected("a clause"));
                }
                self.bump();
                after_comma = true;
            }
            let Some(word) = self.peek_word() else { break };
            if matches!(word, "for" | "except") {
                let found = self.parse_scope()?;
                match column.clauses.last_mut() {
                    Some(last) if !after_comma => {
                        last.scope = found;
                        last.span.end = self.at;
                    }
                    _ => *scope = found,
                }
                continue;
            }
            if !after_comma && !may_follow && !follows_reference(&column, word) {
                return Err(self.unexpected("`,` or the end of the line"));
            }
            may_follow = false;
            let start = self.peek().1.start;
            let kind = self.parse_clause()?;
            let span = Span::new(start, self.at);
            column.clauses.push(Clause { kind, scope: Scope::All, span, comment: None });
        }
        Ok(column)
    }

    /// The type, or nothing where `references` stands in its place.
    fn parse_column_type(&mut self) -> Parsed<Option<Spanned<Type>>> {
        match self.peek() {
            (Seen::Token(Token::Word), span) => match span.text(self.source) {
                "references" => Ok(None),
                "native" => Ok(Some(Spanned { value: Type::Native, span })),
                _ => self.parse_type().map(Some),
            },
            (Seen::Token(Token::Quoted), _) => self.parse_type().map(Some),
            _ => Err(self.unexpected("a type")),
        }
    }

    fn parse_type(&mut self) -> Parsed<Spanned<Type>> {
        let start = self.peek().1.start;
        let mut value = self.parse_simple_type()?;
        while self.eat(Token::OpenBracket) {
            self.expect(Token::CloseBracket, "`]`")?;
            value = Type::Array(Box::new(value));
        }
        Ok(Spanned { value, span: Span::new(start, self.at) })
    }

    fn parse_simple_type(&mut self) -> Parsed<Type> {
        let (seen, span) = self.peek();
        let word = span.text(self.source);
        if seen == Seen::Token(Token::Quoted) {
            return Ok(Type::Enum(self.parse_object_name("a type")?.value));
        }
        let simple = match word {
            "bool" => Type::Bool,
            "int8" => Type::Int(8),
            "int16" => Type::Int(16),
            "int32" => Type::Int(32),
            "int64" => Type::Int(64),
            "float32" => Type::Float(32),
            "float64" => Type::Float(64),
            "date" => Type::Date,
            "interval" => Type::Interval,
            "uuid" => Type::Uuid,
            "json" => Type::Json,
            "decimal" => {
                self.bump();
                let arguments = self.parse_type_arguments()?;
                return match arguments[..] {
                    [] => Ok(Type::Decimal(None)),
                    [precision, scale] => Ok(Type::Decimal(Some((precision, scale)))),
                    _ => Err(type_arguments("decimal", "two numbers or none", span)),
                };
            }
            "text" => return self.parse_length("text", span).map(Type::Text),
            "bytes" => return self.parse_length("bytes", span).map(Type::Bytes),
            "char" => {
                return match self.parse_length("char", span)? {
                    Some(length) => Ok(Type::Char(length)),
                    None => Err(type_arguments("char", "one number", span)),
                };
            }
            "time" => return self.parse_fraction("time", span).map(Type::Time),
            "datetime" => return self.parse_fraction("datetime", span).map(Type::Datetime),
            "instant" => return self.parse_fraction("instant", span).map(Type::Instant),
            _ => {
                let value = self.parse_type_name(word, span)?;
                let name = self.parse_behind_point(Spanned { value, span })?.value;
                if self.sees(Token::Open) {
                    let kind =
                        MistakeKind::Unexpected { wanted: "a portable type".into(), found: format!("`{word}(…)`") };
                    return Err(Mistake { kind, span });
                }
                return Ok(Type::Enum(name));
            }
        };
        self.bump();
        Ok(simple)
    }

    /// An enum's name; a portable type in the wrong letters is named as the mistake it is.
    fn parse_type_name(&mut self, word: &str, span: Span) -> Parsed<Identifier> {
        if word.bytes().any(|byte| byte.is_ascii_uppercase()) {
            return Err(Mistake { kind: MistakeKind::UpperCase { word: word.to_owned() }, span });
        }
        self.bump();
        Ok(Identifier::new(word))
    }

    fn parse_type_arguments(&mut self) -> Parsed<Vec<u32>> {
        if !self.eat(Token::Open) {
            return Ok(Vec::new());
        }
        let mut arguments = Vec::new();
        loop {
            self.line_ends();
            arguments.push(self.parse_number("a number")?);
            self.line_ends();
            if !self.eat(Token::Comma) {
                break;
            }
        }
        self.expect(Token::Close, "`)`")?;
        Ok(arguments)
    }

    fn parse_length(&mut self, type_name: &'static str, span: Span) -> Parsed<Option<u32>> {
        self.bump();
        match self.parse_type_arguments()?[..] {
            [] => Ok(None),
            [length] => Ok(Some(length)),
            _ => Err(type_arguments(type_name, "one number or none", span)),
        }
    }

    fn parse_fraction(&mut self, type_name: &'static str, span: Span) -> Parsed<Option<u8>> {
        let length = self.parse_length(type_name, span)?;
        Ok(length.map(|digits| u8::try_from(digits).unwrap_or(u8::MAX)))
    }

    fn parse_clause(&mut self) -> Parsed<ClauseKind> {
        let Some(word) = self.peek_word() else { return Err(self.unexpected("a clause")) };
        let span = self.peek().1;
        match word {
            "null" => {
                self.bump();
                Ok(ClauseKind::Null)
            }
            "identity" => self.parse_identity(),
            "primary" => {
                self.bump();
                self.expect_word("key")?;
                Ok(ClauseKind::PrimaryKey)
            }
            "unique" => {
                self.bump();
                Ok(ClauseKind::Unique)
            }
            "references" => {
                self.bump();
                let table = self.parse_table_name()?;
                let column = if self.eat(Token::Open) {
                    let column = self.parse_name("the referenced column")?;
                    self.expect(Token::Close, "`)`")?;
                    Some(column)
                } else {
                    None
                };
                Ok(ClauseKind::References { table, column })
            }
            "named" => {
                self.bump();
                Ok(ClauseKind::Named(self.parse_name("the constraint's name")?))
            }
            "on" => self.parse_on(),
            "deferrable" => self.parse_deferrable().map(ClauseKind::Deferrable),
            "indexed" => {
                self.bump();
                Ok(ClauseKind::Indexed)
            }
            "default" => {
                self.bump();
                self.parse_value().map(ClauseKind::Default)
            }
            "generated" => {
                self.bump();
                let storage = if self.eat_word("virtual") {
                    Storage::Virtual
                } else {
                    self.eat_word("stored");
                    Storage::Stored
                };
                let expression = self.parse_expression()?;
                Ok(ClauseKind::Generated { expression, storage })
            }
            "check" => {
                self.bump();
                self.parse_expression().map(ClauseKind::Check)
            }
            "collate" => {
                self.bump();
                Ok(ClauseKind::Collate(self.parse_quoted("a collation in double quotes")?.value))
            }
            "native" => {
                self.bump();
                Ok(ClauseKind::Native(self.parse_quoted("a type of the provider in double quotes")?.value))
            }
            "option" => {
                self.bump();
                Ok(ClauseKind::Option(self.parse_quoted("an option in double quotes")?.value))
            }
            "about" => {
                self.bump();
                Ok(ClauseKind::About(self.parse_description()?.value))
            }
            "formerly" => {
                self.bump();
                Ok(ClauseKind::Formerly(self.parse_name("the former name")?))
            }
            _ => {
                let near = nearest(word, CLAUSES);
                let provider = nearest(word, Provider::ALL.map(Provider::word));
                let kind = match (near, provider) {
                    (None, Some(nearest)) => {
                        MistakeKind::UnknownProvider { word: word.to_owned(), nearest: Some(nearest) }
                    }
                    (nearest, _) => MistakeKind::UnknownClause { word: word.to_owned(), nearest },
                };
                Err(Mistake { kind, span })
            }
        }
    }

    fn parse_identity(&mut self) -> Parsed<ClauseKind> {
        self.bump();
        let always = self.eat_word("always");
        let mut from = None;
        let mut by = None;
        loop {
            if self.eat_word("from") {
                from = Some(self.parse_number("the first number")?);
            } else if self.eat_word("by") {
                by = Some(self.parse_number("the step")?);
            } else {
                return Ok(ClauseKind::Identity { always, from, by });
            }
        }
    }

    fn parse_on(&mut self) -> Parsed<ClauseKind> {
        self.bump();
        if self.eat_word("delete") {
            return self.parse_action().map(ClauseKind::OnDelete);
        }
        if self.eat_word("update") {
            if self.eat_word("now") {
                return Ok(ClauseKind::OnUpdateNow);
            }
            return self.parse_action().map(ClauseKind::OnUpdate);
        }
        Err(self.unexpected("`delete` or `update`"))
    }

    fn parse_action(&mut self) -> Parsed<Action> {
        const WANTED: &str = "`cascade`, `restrict`, `no action`, `set null` or `set default`";
        let Some(word) = self.peek_word() else { return Err(self.unexpected(WANTED)) };
        match word {
            "cascade" => {
                self.bump();
                Ok(Action::Cascade)
            }
            "restrict" => {
                self.bump();
                Ok(Action::Restrict)
            }
            "no" => {
                self.bump();
                self.expect_word("action")?;
                Ok(Action::NoAction)
            }
            "set" => {
                self.bump();
                if self.eat_word("null") {
                    Ok(Action::SetNull)
                } else if self.eat_word("default") {
                    Ok(Action::SetDefault)
                } else {
                    Err(self.unexpected("`null` or `default`"))
                }
            }
            _ => Err(self.unexpected(WANTED)),
        }
    }

    fn parse_deferrable(&mut self) -> Parsed<Deferrable> {
        self.bump();
        if !self.eat_word("initially") {
            return Ok(Deferrable::InitiallyImmediate);
        }
        if self.eat_word("deferred") {
            Ok(Deferrable::InitiallyDeferred)
        } else if self.eat_word("immediate") {
            Ok(Deferrable::InitiallyImmediate)
        } else {
            Err(self.unexpected("`deferred` or `immediate`"))
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

    fn parse_scope(&mut self) -> Parsed<Scope> {
        let only = self.peek_word() == Some("for");
        self.bump();
        let mut providers = std::collections::BTreeSet::from([self.parse_provider()?]);
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
    let after_reference = column.clauses.iter().any(|clause| matches!(clause.kind, ClauseKind::References { .. }));
    after_reference && matches!(word, "named" | "on" | "deferrable" | "indexed")
}
