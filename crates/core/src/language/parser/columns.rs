//! Columns: types and clauses.

use thin_vec::ThinVec;

use super::{CLAUSES, Parsed, Parser, Seen, follows_reference, type_arguments};
use crate::Span;
use crate::language::lexer::Token;
use crate::language::mistake::{Mistake, MistakeKind};
use crate::language::syntax::{Clause, ClauseKind, Column, Reference, Spanned};
use crate::nearest::nearest;
use crate::schema::{Action, Deferrable, Identifier, Provider, Scope, Storage, Type};

impl Parser<'_> {
    pub(super) fn parse_column(&mut self, scope: &mut Scope) -> Parsed<Column> {
        let name = self.parse_name("the column's name")?;
        self.expect(Token::Colon, "`:`")?;
        let ty = self.parse_column_type()?;
        let mut column = Column { name, ty, clauses: ThinVec::new() };
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
            if column.clauses.is_empty() {
                // Few columns have more, and there are many columns.
                column.clauses.reserve_exact(1);
            }
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

    pub(super) fn parse_type(&mut self) -> Parsed<Spanned<Type>> {
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
                Ok(ClauseKind::References(Box::new(Reference { table, column })))
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
                by = Some(self.parse_step()?);
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

    pub(super) fn parse_action(&mut self) -> Parsed<Action> {
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

    pub(super) fn parse_deferrable(&mut self) -> Parsed<Deferrable> {
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
}
