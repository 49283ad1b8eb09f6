//! A statement, token by token.

use super::{Comments, Lexer, Syntax, TokenKind, unquote};
use crate::Span;

/// Where a reader stands in a statement. A method that does not find what it is for answers `None` or false.
#[derive(Clone, Debug)]
pub(crate) struct Cursor<'a> {
    source: &'a str,
    tokens: Vec<(TokenKind, Span)>,
    at: usize,
    syntax: Syntax,
}

impl<'a> Cursor<'a> {
    /// Begins at a statement's first token; comments and white space do not count.
    pub(crate) fn new(source: &'a str, syntax: Syntax) -> Self {
        // A token and the space before it have about four letters; a list that grows by and by is moved as often.
        let mut tokens = Vec::with_capacity(source.len() / 4 + 8);
        tokens.extend(
            Lexer::new(source, 0, syntax)
                .filter(|token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment))
                .map(|token| (token.kind, token.span)),
        );
        Self { source, tokens, at: 0, syntax }
    }

    /// The number of the token it stands at.
    pub(crate) fn at(&self) -> usize {
        self.at
    }

    /// How many parts the list has that begins behind the token it stands at, at most.
    pub(crate) fn count_parts(&self) -> usize {
        let mut depth = 0_usize;
        let mut parts = 1;
        for (kind, span) in self.tokens.get(self.at..).unwrap_or_default() {
            if *kind == TokenKind::Symbol {
                match span.text(self.source) {
                    "(" => depth += 1,
                    ")" if depth == 0 => break,
                    ")" => depth -= 1,
                    "," if depth == 0 => parts += 1,
                    _ => {}
                }
            }
        }
        parts
    }

    /// Goes to a token by its number.
    pub(crate) fn go_to(&mut self, at: usize) {
        self.at = at;
    }

    /// Whether all is read.
    pub(crate) fn is_at_end(&self) -> bool {
        self.at >= self.tokens.len() || self.is(";")
    }

    /// The text of the token some places ahead; empty behind the last.
    pub(crate) fn ahead(&self, places: usize) -> &'a str {
        self.tokens.get(self.at + places).map_or("", |(_, span)| span.text(self.source))
    }

    /// The text of the next token; empty at the end.
    pub(crate) fn peek(&self) -> &'a str {
        self.ahead(0)
    }

    /// The kind of the next token.
    pub(crate) fn kind(&self) -> TokenKind {
        self.tokens.get(self.at).map_or(TokenKind::Space, |(kind, _)| *kind)
    }

    /// Where the next token stands, or the end of the statement.
    pub(crate) fn place(&self) -> Span {
        let end = self.source.len();
        self.tokens.get(self.at).map_or(Span::new(end, end), |(_, span)| *span)
    }

    /// Whether the next token is this word.
    pub(crate) fn is(&self, word: &str) -> bool {
        self.peek().eq_ignore_ascii_case(word)
    }

    /// Whether the next tokens are these words.
    pub(crate) fn are(&self, words: &[&str]) -> bool {
        words.iter().enumerate().all(|(places, word)| self.ahead(places).eq_ignore_ascii_case(word))
    }

    /// Whether the next token is one of these words, and not a quoted name.
    pub(crate) fn is_one_of(&self, words: &[&str]) -> bool {
        self.kind() == TokenKind::Word && words.iter().any(|word| self.is(word))
    }

    /// Passes a word, if it is the next.
    pub(crate) fn eat(&mut self, word: &str) -> bool {
        let found = self.is(word);
        self.at += usize::from(found);
        found
    }

    /// Passes words, if all of them are next.
    pub(crate) fn eat_all(&mut self, words: &[&str]) -> bool {
        let found = self.are(words);
        self.at += if found { words.len() } else { 0 };
        found
    }

    /// Passes a word that has to be there.
    pub(crate) fn expect(&mut self, word: &str) -> Option<()> {
        self.eat(word).then_some(())
    }

    /// Passes one token, whatever it is.
    pub(crate) fn skip(&mut self) {
        self.at += 1;
    }

    /// A name, folded as the provider folds bare ones.
    pub(crate) fn name(&mut self) -> Option<String> {
        let (kind, span) = *self.tokens.get(self.at)?;
        let text = span.text(self.source);
        let name = match kind {
            TokenKind::Word if self.syntax.exact_names => within(text.to_lowercase(), self.syntax.name_bytes),
            TokenKind::Word => text.to_owned(),
            // A name may begin with a digit where the provider allows it (MariaDB, "Identifier Names").
            TokenKind::Number if self.syntax.comments == Comments::Spaced => {
                let (_, next) = self
                    .tokens
                    .get(self.at + 1)
                    .filter(|(next, place)| *next == TokenKind::Word && place.start == span.end)?;
                self.at += 1;
                format!("{text}{}", next.text(self.source))
            }
            TokenKind::Quoted | TokenKind::Text => within(unquote(text), self.syntax.name_bytes),
            _ => return None,
        };
        self.at += 1;
        Some(name)
    }

    /// Names in parentheses.
    pub(crate) fn names(&mut self) -> Option<Vec<String>> {
        self.expect("(")?;
        let mut names = vec![self.name()?];
        while self.eat(",") {
            names.push(self.name()?);
        }
        self.expect(")")?;
        Some(names)
    }

    /// A text literal's value. One on a line of its own goes on with the one before it (PostgreSQL 17, "String Constants";
    /// MariaDB, "String Literals", where the same line will do).
    pub(crate) fn text(&mut self) -> Option<String> {
        let has_escapes = self.peek().starts_with(['e', 'E']);
        let mut text = self.text_literal(has_escapes)?;
        while let Some((TokenKind::Text, next)) = self.tokens.get(self.at) {
            let between = &self.source[self.tokens[self.at - 1].1.end..next.start];
            let goes_on = self.syntax.comments == Comments::Spaced || between.contains(['\n', '\r']);
            if !goes_on || !next.text(self.source).starts_with(['\'', '"']) {
                break;
            }
            text.push_str(&self.text_literal(has_escapes)?);
        }
        Some(text)
    }

    fn text_literal(&mut self, has_escapes: bool) -> Option<String> {
        let (kind, span) = *self.tokens.get(self.at)?;
        if kind != TokenKind::Text {
            return None;
        }
        self.at += 1;
        let text = span.text(self.source);
        if let Some(end) = text.strip_prefix('$').and_then(|rest| rest.find('$')) {
            // `$tag$…$tag$`
            return text.get(end + 2..text.len().saturating_sub(end + 2)).map(str::to_owned);
        }
        if has_escapes {
            return with_escapes(&unquote(text.trim_start_matches(['e', 'E'])));
        }
        let plain = unquote(text);
        Some(if self.syntax.backslashes { without_backslashes(&plain) } else { plain })
    }

    /// A number, with its sign.
    pub(crate) fn number(&mut self) -> Option<i64> {
        let negative = self.eat("-");
        let number: i64 = self.peek().parse().ok()?;
        self.skip();
        Some(if negative { -number } else { number })
    }

    /// The text inside parentheses, which are passed.
    pub(crate) fn parenthesised(&mut self) -> Option<&'a str> {
        let open = self.tokens.get(self.at)?.1;
        self.is("(").then_some(())?;
        self.skip_nested()?;
        let close = self.tokens[self.at - 1].1;
        Some(&self.source[open.end..close.start])
    }

    /// Passes one token, or all from a parenthesis or square bracket to the one that closes it.
    pub(crate) fn skip_nested(&mut self) -> Option<()> {
        let mut depth = 0;
        loop {
            match self.peek() {
                "" => return None,
                "(" | "[" => depth += 1,
                ")" | "]" => depth -= 1,
                _ => {}
            }
            self.at += 1;
            if depth <= 0 {
                return Some(());
            }
        }
    }

    /// The text up to the first token outside parentheses and brackets that ends it; empty where that is the next.
    pub(crate) fn until(&mut self, ends: impl Fn(&Self) -> bool) -> Option<&'a str> {
        let start = self.at;
        while !self.is_at_end() && !ends(self) {
            self.skip_nested()?;
        }
        Some(self.between(start, self.at))
    }

    /// The text from one token to before another.
    pub(crate) fn between(&self, start: usize, end: usize) -> &'a str {
        match (self.tokens.get(start), end.checked_sub(1).and_then(|last| self.tokens.get(last))) {
            (Some((_, first)), Some((_, last))) if end > start => &self.source[first.start..last.end],
            _ => "",
        }
    }

    /// The text of all that is left.
    pub(crate) fn rest(&mut self) -> &'a str {
        let start = self.at;
        self.at = self.tokens.len();
        self.between(start, self.at).trim_end_matches(';').trim_end()
    }
}

/// A name cut off behind so many bytes, as the server does.
fn within(mut name: String, bytes: usize) -> String {
    name.truncate(name.floor_char_boundary(bytes));
    name
}

/// The value of `E'…'`; nothing where an escape gives no character (PostgreSQL 17, "String Constants with C-Style Escapes").
fn with_escapes(text: &str) -> Option<String> {
    let mut plain = String::with_capacity(text.len());
    let mut rest = text.chars();
    while let Some(character) = rest.next() {
        if character != '\\' {
            plain.push(character);
            continue;
        }
        let escape = rest.next()?;
        let mut coded = |radix: u32, length: usize, first: &str| {
            let mut digits = first.to_owned();
            while digits.len() < length
                && let Some(digit) = rest.clone().next().filter(|digit| digit.is_digit(radix))
            {
                digits.push(digit);
                rest.next();
            }
            u32::from_str_radix(&digits, radix).ok().and_then(char::from_u32)
        };
        plain.push(match escape {
            'b' => '\u{8}',
            'f' => '\u{c}',
            'n' => '\n',
            'r' => '\r',
            't' => '\t',
            '0'..='7' => coded(8, 3, &escape.to_string()).filter(char::is_ascii)?,
            'x' => coded(16, 2, "").filter(char::is_ascii)?,
            'u' => coded(16, 4, "")?,
            'U' => coded(16, 8, "")?,
            other => other,
        });
    }
    Some(plain)
}

/// A text with what its backslashes stand for (MariaDB, "String Literals", "Escape Sequences").
fn without_backslashes(text: &str) -> String {
    let mut plain = String::with_capacity(text.len());
    let mut characters = text.chars();
    while let Some(character) = characters.next() {
        if character != '\\' {
            plain.push(character);
            continue;
        }
        match characters.next() {
            Some('n') => plain.push('\n'),
            Some('t') => plain.push('\t'),
            Some('r') => plain.push('\r'),
            Some('0') => plain.push('\0'),
            // For patterns they stay what they are.
            Some(pattern @ ('%' | '_')) => plain.extend(['\\', pattern]),
            Some(other) => plain.push(other),
            None => {}
        }
    }
    plain
}
