//! The tokens of SQL text, as far as every provider agrees on them.

use crate::Span;

/// What `[` means.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Brackets {
    /// It opens a delimited identifier (SQLite, SQL Server).
    Quote,
    /// It is a symbol (PostgreSQL's arrays).
    Symbol,
}

/// Where comments begin and end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Comments {
    /// `--` to the end of the line, `/*` to the first `*/` (SQLite, "SQL Comment Syntax").
    Plain,
    /// A lone carriage return ends a line as well, and a block may hold others (PostgreSQL 17, "Comments").
    Nesting,
    /// `--` only before white space, so that `5--1` is six, and `#` too (MariaDB, "Comment Syntax"); at the beginning of a
    /// line it needs none, which is how the client of MariaDB and MySQL has it.
    Spaced,
}

/// The lexical facts in which providers differ.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Syntax {
    /// What `[` means.
    pub brackets: Brackets,
    /// Whether a backslash in a text literal escapes the character behind it.
    pub backslashes: bool,
    /// Where comments begin and end.
    pub comments: Comments,
    /// Whether `$$…$$` is a text.
    pub dollar_quotes: bool,
    /// Whether a quoted name means just this letter case, and a bare one is folded to lower case.
    pub exact_names: bool,
    /// Whether letter case counts in the name of a table, though not in others.
    pub exact_tables: bool,
    /// How many bytes of a name the server takes in; what is behind them is cut off.
    pub name_bytes: usize,
}

impl Syntax {
    /// What declarations are read by, before it is known which provider an expression is for.
    pub const PLAIN: Self = Self { brackets: Brackets::Quote, exact_names: false, ..Self::STANDARD };

    /// Brackets are symbols, and nothing else is special.
    pub const STANDARD: Self = Self {
        brackets: Brackets::Symbol,
        backslashes: false,
        comments: Comments::Plain,
        dollar_quotes: true,
        exact_names: true,
        exact_tables: false,
        name_bytes: usize::MAX,
    };
}

/// The kind of a token.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TokenKind {
    /// Keyword or bare identifier.
    Word,
    /// Delimited identifier, with its quotes.
    Quoted,
    /// Text literal, with its quotes; dollar quotes too.
    Text,
    /// Number literal.
    Number,
    /// Blob literal, `x'00ff'`.
    Blob,
    /// A parameter such as `?1` or `:name`.
    Parameter,
    /// Operator or punctuation; operators of two and three characters are one token.
    Symbol,
    /// `--` or `/* */` comment.
    Comment,
    /// White space.
    Space,
}

/// A token and where it stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Token {
    /// Its kind.
    pub kind: TokenKind,
    /// Its bytes.
    pub span: Span,
    /// False where a quote or comment runs to the end of the text without being closed.
    pub closed: bool,
}

/// Reads tokens from a text, one after the other; every byte belongs to exactly one token.
#[derive(Clone, Debug)]
pub struct Lexer<'a> {
    source: &'a str,
    offset: usize,
    syntax: Syntax,
}

impl<'a> Lexer<'a> {
    /// Starts at a byte offset of the text.
    pub fn new(source: &'a str, offset: usize, syntax: Syntax) -> Self {
        Self { source, offset, syntax }
    }

    fn rest(&self) -> &'a [u8] {
        &self.source.as_bytes()[self.offset..]
    }

    /// Length of a quoted stretch that starts here, its closing quote doubled when meant literally.
    fn quoted(&self, close: u8) -> (usize, bool) {
        let rest = self.rest();
        let mut at = 1;
        let escapes = self.syntax.backslashes && matches!(close, b'\'' | b'"');
        while at < rest.len() {
            if escapes && rest[at] == b'\\' {
                at += 2;
                continue;
            }
            if rest[at] == close {
                if close != b']' && rest.get(at + 1) == Some(&close) {
                    at += 2;
                    continue;
                }
                return (at + 1, true);
            }
            at += 1;
        }
        (rest.len(), false)
    }

    /// Whether `--` begins a comment here.
    fn is_line_comment(&self) -> bool {
        let is_spaced = || self.rest().get(2).is_none_or(|byte| byte.is_ascii_whitespace() || byte.is_ascii_control());
        let begins_line = || self.source[..self.offset].ends_with('\n') || self.offset == 0;
        self.rest().starts_with(b"--") && (self.syntax.comments != Comments::Spaced || is_spaced() || begins_line())
    }

    fn line_comment(&self) -> usize {
        let ends = |byte: &u8| *byte == b'\n' || *byte == b'\r' && self.syntax.comments == Comments::Nesting;
        self.rest().iter().position(ends).unwrap_or(self.rest().len())
    }

    fn block_comment(&self) -> (usize, bool) {
        let rest = self.rest();
        let (mut depth, mut at) = (1, 2);
        while at < rest.len() {
            let is_nested = self.syntax.comments == Comments::Nesting && rest[at..].starts_with(b"/*");
            let ends = rest[at..].starts_with(b"*/");
            depth = if ends { depth - 1 } else { depth + usize::from(is_nested) };
            at += if ends || is_nested { 2 } else { 1 };
            if depth == 0 {
                return (at, true);
            }
        }
        (rest.len(), false)
    }

    /// Length of a dollar-quoted text, if one starts here: `$$…$$` or `$tag$…$tag$`.
    fn dollar(&self) -> Option<(usize, bool)> {
        let rest = &self.source[self.offset..];
        let tag_end = rest[1..].find('$')? + 2;
        let tag = &rest[..tag_end];
        let name = &tag[1..tag.len() - 1];
        let is_name = name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')
            && !name.starts_with(|first: char| first.is_ascii_digit());
        if !is_name {
            return None;
        }
        Some(match rest[tag_end..].find(tag) {
            Some(at) => (tag_end + at + tag.len(), true),
            None => (rest.len(), false),
        })
    }

    fn number(&self) -> usize {
        let rest = self.rest();
        if rest[0] == b'0' && matches!(rest.get(1), Some(b'x' | b'X')) {
            return 2 + rest[2..].iter().take_while(|byte| byte.is_ascii_hexdigit()).count();
        }
        let digits = |from: usize| from + rest[from..].iter().take_while(|byte| byte.is_ascii_digit()).count();
        let mut end = digits(0);
        if rest.get(end) == Some(&b'.') {
            end = digits(end + 1);
        }
        if matches!(rest.get(end), Some(b'e' | b'E')) {
            let sign = usize::from(matches!(rest.get(end + 1), Some(b'+' | b'-')));
            if rest.get(end + 1 + sign).is_some_and(u8::is_ascii_digit) {
                end = digits(end + 1 + sign);
            }
        }
        end
    }

    fn word(&self) -> usize {
        self.rest()
            .iter()
            .take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_' || **byte == b'$' || **byte >= 0x80)
            .count()
    }

    fn symbol(&self) -> usize {
        const LONG: [&str; 14] =
            ["->>", "!~*", "#>>", "->", "||", "<=", ">=", "<>", "!=", "==", "<<", ">>", "::", "~*"];
        let rest = &self.source[self.offset..];
        LONG.iter()
            .find(|symbol| rest.starts_with(**symbol))
            .map_or_else(|| rest.chars().next().map_or(1, char::len_utf8), |symbol| symbol.len())
    }
}

impl Iterator for Lexer<'_> {
    type Item = Token;

    fn next(&mut self) -> Option<Token> {
        let rest = self.rest();
        let first = *rest.first()?;
        let second = rest.get(1).copied();
        let done = |length: usize| (length, true);
        let (kind, (length, closed)) = match first {
            b' ' | b'\t' | b'\r' | b'\n' | 0x0c => {
                let spaces = rest.iter().take_while(|byte| byte.is_ascii_whitespace()).count();
                (TokenKind::Space, done(spaces))
            }
            b'#' if self.syntax.comments == Comments::Spaced => (TokenKind::Comment, done(self.line_comment())),
            b'-' if self.is_line_comment() => (TokenKind::Comment, done(self.line_comment())),
            b'/' if second == Some(b'*') => (TokenKind::Comment, self.block_comment()),
            b'\'' => (TokenKind::Text, self.quoted(b'\'')),
            b'"' | b'`' => (TokenKind::Quoted, self.quoted(first)),
            b'[' if self.syntax.brackets == Brackets::Quote => (TokenKind::Quoted, self.quoted(b']')),
            b'x' | b'X' if second == Some(b'\'') => {
                let (length, closed) = Lexer { offset: self.offset + 1, ..self.clone() }.quoted(b'\'');
                (TokenKind::Blob, (length + 1, closed))
            }
            b'e' | b'E' if second == Some(b'\'') => {
                // PostgreSQL, "Lexical Structure", "String Constants With C-Style Escapes".
                let syntax = Syntax { backslashes: true, ..self.syntax };
                let (length, closed) = Lexer { offset: self.offset + 1, syntax, ..self.clone() }.quoted(b'\'');
                (TokenKind::Text, (length + 1, closed))
            }
            b'$' if self.syntax.dollar_quotes => match self.dollar() {
                Some(found) => (TokenKind::Text, found),
                None => (TokenKind::Symbol, done(1)),
            },
            b'0'..=b'9' => (TokenKind::Number, done(self.number())),
            b'.' if second.is_some_and(|byte| byte.is_ascii_digit()) => (TokenKind::Number, done(self.number())),
            b'?' | b':' | b'@' if second.is_some_and(|byte| byte.is_ascii_alphanumeric()) => {
                let tail = Lexer { offset: self.offset + 1, ..self.clone() }.word();
                (TokenKind::Parameter, done(tail + 1))
            }
            b'?' => (TokenKind::Parameter, done(1)),
            b'a'..=b'z' | b'A'..=b'Z' | b'_' | 0x80.. => (TokenKind::Word, done(self.word())),
            b'(' | b')' | b',' | b';' | b'.' => (TokenKind::Symbol, done(1)),
            _ => (TokenKind::Symbol, done(self.symbol())),
        };
        // An escape may be the last byte of the text.
        let length = length.min(rest.len());
        let span = Span::new(self.offset, self.offset + length);
        self.offset = span.end;
        Some(Token { kind, span, closed })
    }
}

/// The offset of the `)` that closes the `(` at `open`.
///
/// # Errors
///
/// The offset where reading gave up: of an unclosed quote or comment, or the end of the text.
pub fn matching_parenthesis(source: &str, open: usize) -> Result<usize, usize> {
    closing_parenthesis(source, open, Syntax::STANDARD)
}

/// The same by a provider's rules.
pub(super) fn closing_parenthesis(source: &str, open: usize, syntax: Syntax) -> Result<usize, usize> {
    let mut depth = 0usize;
    let syntax = Syntax { brackets: Brackets::Symbol, ..syntax };
    for token in Lexer::new(source, open, syntax) {
        if !token.closed {
            return Err(token.span.start);
        }
        match token.span.text(source) {
            "(" => depth += 1,
            ")" => {
                depth -= 1;
                if depth == 0 {
                    return Ok(token.span.start);
                }
            }
            _ => {}
        }
    }
    Err(source.len())
}

/// The value of a delimited identifier or text literal; a bare word is its own value.
pub fn unquote(token: &str) -> String {
    let inner = || token.get(1..token.len().saturating_sub(1)).unwrap_or_default();
    match token.as_bytes().first() {
        Some(b'"') => inner().replace("\"\"", "\""),
        Some(b'`') => inner().replace("``", "`"),
        Some(b'\'') => inner().replace("''", "'"),
        Some(b'[') => inner().to_owned(),
        _ => token.to_owned(),
    }
}

/// A text literal in which a backslash escapes, as one of standard SQL (MariaDB, "String Literals", "Escape Sequences").
pub(crate) fn standard_text(literal: &str) -> String {
    let inner = literal.strip_prefix('\'').and_then(|rest| rest.strip_suffix('\'')).unwrap_or(literal);
    let mut text = String::new();
    let mut characters = inner.chars();
    while let Some(character) = characters.next() {
        match character {
            '\\' => match characters.next() {
                Some('n') => text.push('\n'),
                Some('r') => text.push('\r'),
                Some('t') => text.push('\t'),
                Some('0') => text.push('\0'),
                Some('b') => text.push('\u{8}'),
                Some('Z') => text.push('\u{1a}'),
                Some('\'') => text.push_str("''"),
                // For patterns they stay what they are.
                Some(pattern @ ('%' | '_')) => text.extend(['\\', pattern]),
                Some(other) => text.push(other),
                None => {}
            },
            other => text.push(other),
        }
    }
    format!("'{text}'")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_parenthesis_closes_past_quotes_and_comments() {
        #[track_caller]
        fn case(source: &str, expected: Result<usize, usize>) {
            assert_eq!(matching_parenthesis(source, 0), expected, "{source}");
        }
        case("(a)", Ok(2));
        case("(')')", Ok(4));
        case("(a -- )\n)", Ok(8));
        case("(/* ) */ \")\")", Ok(12));
        case("($q$)$q$)", Ok(8));
        case("((a)", Err(4));
        case("(/* /* ) */ ) */ )", Ok(12));
        case("('a)", Err(1));
    }

    #[test]
    fn each_provider_has_its_own_comments() {
        #[track_caller]
        fn case(source: &str, expected: [&str; 3]) {
            let seen = [Comments::Plain, Comments::Nesting, Comments::Spaced].map(|comments| {
                let syntax = Syntax { comments, ..Syntax::STANDARD };
                let said = Lexer::new(source, 0, syntax)
                    .filter(|token| !matches!(token.kind, TokenKind::Comment | TokenKind::Space));
                said.map(|token| token.span.text(source).to_owned()).collect::<Vec<_>>().join(" ")
            });
            assert_eq!(seen, expected, "{source}");
        }
        case("a -- b\rc\nd", ["a d", "a c d", "a d"]);
        case("a /* b /* c */ d */ e", ["a d * / e", "a e", "a d * / e"]);
        case("5--1", ["5", "5", "5 - - 1"]);
        case("5 --\t1\n--", ["5", "5", "5"]);
        case("--a\n--b\n --c", ["", "", "- - c"]);
        case("a #b\nc", ["a # b c", "a # b c", "a c"]);
    }

    proptest! {
        #[test]
        fn tokens_cover_every_byte(source in "\\PC*") {
            let mut at = 0;
            for token in Lexer::new(&source, 0, Syntax::PLAIN) {
                prop_assert_eq!(token.span.start, at);
                prop_assert!(token.span.end > at);
                prop_assert!(source.is_char_boundary(token.span.end));
                at = token.span.end;
            }
            prop_assert_eq!(at, source.len());
        }
    }
}
