//! Comments and blank lines, and what they stand before.

use super::{Parsed, Parser};
use crate::Span;
use crate::language::lexer::{Seen, Token, look_at};
use crate::language::syntax::Trivia;
use crate::sql::matching_parenthesis;

impl Parser<'_> {
    pub(super) fn comment_text(&self, span: Span) -> String {
        span.text(self.source).trim_end().to_owned()
    }

    /// Comments and blank lines up to the next item.
    pub(super) fn trivia(&mut self) -> Vec<Trivia> {
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
    pub(super) fn line_ends(&mut self) {
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
    pub(super) fn continues(&mut self) -> bool {
        let mut offset = self.at;
        loop {
            match look_at(self.source, offset) {
                (Seen::Token(Token::Newline | Token::Comment), span) => offset = span.end,
                (seen, _) => return seen == Seen::Token(Token::Comma),
            }
        }
    }

    /// A comment on the same line, then the line's end or a closing brace.
    pub(super) fn end_of_item(&mut self) -> Parsed<Option<String>> {
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
    pub(super) fn skip_item(&mut self, braces: bool) {
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
}
