//! The words of a declaration.

use crate::Span;

/// A token of the language. The inside of an SQL expression is not made of these ([`crate::sql`] reads it).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Token {
    Newline,
    /// `#` and what follows in its line.
    Comment,
    Word,
    /// A name or a description in double quotes, where two of them stand for one.
    Quoted,
    /// A text in single quotes, where two of them stand for one.
    Text,
    /// `x'00ff'`.
    Bytes,
    Number,
    /// From three backticks or more to as many.
    Fence,
    Comma,
    Colon,
    Dot,
    Bar,
    Open,
    Close,
    OpenBrace,
    CloseBrace,
    OpenBracket,
    CloseBracket,
}

/// What stands at an offset.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Seen {
    Token(Token),
    /// No token: one character, such as the mark that a text, a name or a fence without an end begins with.
    Unreadable,
    End,
}

/// What stands at `offset` of `source` or, where there are spaces, behind them; and where that is.
pub(super) fn look_at(source: &str, offset: usize) -> (Seen, Span) {
    let mut start = offset;
    let bytes = source.as_bytes();
    loop {
        match bytes[start..] {
            [b' ' | b'\t' | b'\r', ..] => start += 1,
            // A byte order mark, which some editors put before a file.
            [0xef, 0xbb, 0xbf, ..] => start += 3,
            _ => break,
        }
    }
    let rest = &source[start..];
    let (seen, length) = match rest.as_bytes() {
        [] => (Seen::End, 0),
        [first, ..] => match token(*first, rest) {
            Some((token, length)) => (Seen::Token(token), length),
            None => (Seen::Unreadable, rest.chars().next().map_or(1, char::len_utf8)),
        },
    };
    (seen, Span::new(start, start + length))
}

/// The token that `rest` begins with, and its length in bytes.
fn token(first: u8, rest: &str) -> Option<(Token, usize)> {
    let bytes = rest.as_bytes();
    let one = |token| Some((token, 1));
    match first {
        b'\n' => one(Token::Newline),
        b',' => one(Token::Comma),
        b':' => one(Token::Colon),
        b'.' => one(Token::Dot),
        b'|' => one(Token::Bar),
        b'(' => one(Token::Open),
        b')' => one(Token::Close),
        b'{' => one(Token::OpenBrace),
        b'}' => one(Token::CloseBrace),
        b'[' => one(Token::OpenBracket),
        b']' => one(Token::CloseBracket),
        b'#' => Some((Token::Comment, run(bytes, 0, |byte| byte != b'\n'))),
        b'x' if let Some(length) = bytes_length(bytes) => Some((Token::Bytes, length)),
        b'a'..=b'z' | b'A'..=b'Z' | b'_' => {
            Some((Token::Word, run(bytes, 1, |byte| byte.is_ascii_alphanumeric() || byte == b'_')))
        }
        b'"' => Some((Token::Quoted, quoted_length(bytes)?)),
        b'\'' => Some((Token::Text, quoted_length(bytes)?)),
        b'0'..=b'9' | b'+' | b'-' => Some((Token::Number, number_length(bytes)?)),
        b'`' => Some((Token::Fence, fence_length(rest)?)),
        _ => None,
    }
}

/// Where the bytes from `at` on that `is_inside` end.
fn run(bytes: &[u8], at: usize, is_inside: impl Fn(u8) -> bool) -> usize {
    bytes[at..].iter().position(|byte| !is_inside(*byte)).map_or(bytes.len(), |length| at + length)
}

/// The length with both marks, of which the first begins `bytes`; two of them are one inside. It ends in its line.
fn quoted_length(bytes: &[u8]) -> Option<usize> {
    let mark = bytes[0];
    let mut at = 1;
    loop {
        at = run(bytes, at, |byte| byte != mark && byte != b'\n');
        match bytes[at..] {
            [first, second, ..] if first == mark && second == mark => at += 2,
            [first, ..] if first == mark => return Some(at + 1),
            _ => return None,
        }
    }
}

fn bytes_length(bytes: &[u8]) -> Option<usize> {
    if bytes.get(1) != Some(&b'\'') {
        return None;
    }
    let end = run(bytes, 2, |byte| byte.is_ascii_hexdigit());
    (bytes.get(end) == Some(&b'\'')).then_some(end + 1)
}

/// A sign, digits, a fraction, an exponent; a point or an `e` without digits behind it is not part of it.
fn number_length(bytes: &[u8]) -> Option<usize> {
    let digits = |at: usize| {
        let end = run(bytes, at, |byte| byte.is_ascii_digit());
        (end > at).then_some(end)
    };
    let is_sign = |at: usize| matches!(bytes.get(at), Some(b'+' | b'-'));
    let mut end = digits(usize::from(is_sign(0)))?;
    if bytes.get(end) == Some(&b'.') {
        end = digits(end + 1).unwrap_or(end);
    }
    if let Some(b'e' | b'E') = bytes.get(end) {
        end = digits(end + 1 + usize::from(is_sign(end + 1))).unwrap_or(end);
    }
    Some(end)
}

/// Everything up to the same number of backticks, and those; an unclosed fence is no token.
fn fence_length(rest: &str) -> Option<usize> {
    let (marks, inside) = rest.split_at(run(rest.as_bytes(), 0, |byte| byte == b'`'));
    if marks.len() < 3 {
        return None;
    }
    Some(marks.len() + inside.find(marks)? + marks.len())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What stands in `source`, one after the other, each with its text.
    fn all(source: &str) -> Vec<(Seen, &str)> {
        let mut at = 0;
        let mut found = Vec::new();
        loop {
            let (seen, span) = look_at(source, at);
            if seen == Seen::End {
                return found;
            }
            found.push((seen, span.text(source)));
            at = span.end;
        }
    }

    #[track_caller]
    fn assert_tokens(source: &str, expected: &[(Token, &str)]) {
        let expected: Vec<_> = expected.iter().map(|(token, text)| (Seen::Token(*token), *text)).collect();
        assert_eq!(all(source), expected);
    }

    #[test]
    fn white_space_and_a_byte_order_mark_are_passed_over() {
        assert_tokens(
            "\u{feff}table\t a1_ \r\n",
            &[(Token::Word, "table"), (Token::Word, "a1_"), (Token::Newline, "\n")],
        );
        assert_eq!(look_at("  ", 0), (Seen::End, Span::new(2, 2)));
    }

    #[test]
    fn a_comment_ends_before_its_line_does() {
        assert_tokens(
            "# a `b' \"\n#",
            &[(Token::Comment, "# a `b' \""), (Token::Newline, "\n"), (Token::Comment, "#")],
        );
    }

    #[test]
    fn marks_in_a_text_are_doubled() {
        assert_tokens("'it''s' ''", &[(Token::Text, "'it''s'"), (Token::Text, "''")]);
        assert_tokens("\"a \"\"b\"\"\"", &[(Token::Quoted, "\"a \"\"b\"\"\"")]);
        assert_tokens("\"a'b\"'c\"d'", &[(Token::Quoted, "\"a'b\""), (Token::Text, "'c\"d'")]);
    }

    #[test]
    fn what_a_mark_opens_ends_in_its_line() {
        for source in ["'a\n'", "'a''", "\"a\n\"", "\"\"\"", "```\na\n``", "``"] {
            assert_eq!(all(source)[0], (Seen::Unreadable, &source[..1]), "{source:?}");
        }
    }

    #[test]
    fn bytes_are_a_small_x_and_digits() {
        assert_tokens("x'' x'0aF'", &[(Token::Bytes, "x''"), (Token::Bytes, "x'0aF'")]);
        assert_tokens("x'0g' x", &[(Token::Word, "x"), (Token::Text, "'0g'"), (Token::Word, "x")]);
        assert_tokens("X'0a'", &[(Token::Word, "X"), (Token::Text, "'0a'")]);
    }

    #[test]
    fn a_number_takes_what_has_digits() {
        for number in ["0", "-12", "+1.50", "1e5", "1.5E-10", "7e+3"] {
            assert_tokens(number, &[(Token::Number, number)]);
        }
        assert_tokens("1.", &[(Token::Number, "1"), (Token::Dot, ".")]);
        assert_tokens("1e", &[(Token::Number, "1"), (Token::Word, "e")]);
        assert_eq!(all("2.5e-x")[1..3], [(Seen::Token(Token::Word), "e"), (Seen::Unreadable, "-")]);
        assert_eq!(all("-a")[0], (Seen::Unreadable, "-"));
    }

    #[test]
    fn a_fence_ends_at_as_many_backticks() {
        assert_tokens("```` a ``` b ````x", &[(Token::Fence, "```` a ``` b ````"), (Token::Word, "x")]);
    }

    #[test]
    fn what_is_no_token_is_one_character() {
        assert_eq!(
            all("é\u{1f600};"),
            [(Seen::Unreadable, "é"), (Seen::Unreadable, "\u{1f600}"), (Seen::Unreadable, ";")]
        );
    }
}
