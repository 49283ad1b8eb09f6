//! The words of a declaration.

use logos::{Lexer, Logos};

/// A token of the language. The inside of an SQL expression is not made of these ([`crate::sql`] reads it).
#[derive(Logos, Clone, Copy, Debug, PartialEq, Eq)]
#[logos(skip r"[ \t\r\u{feff}]+")]
pub(super) enum Token {
    #[token("\n")]
    Newline,
    #[regex(r"#[^\n]*", allow_greedy = true)]
    Comment,
    #[regex(r"[A-Za-z_][A-Za-z0-9_]*")]
    Word,
    #[regex(r#""([^"\n]|"")*""#)]
    Quoted,
    #[regex(r"'([^'\n]|'')*'")]
    Text,
    #[regex(r"x'[0-9A-Fa-f]*'", priority = 10)]
    Bytes,
    #[regex(r"[+-]?[0-9]+(\.[0-9]+)?([eE][+-]?[0-9]+)?")]
    Number,
    #[regex("`{3,}", fence)]
    Fence,
    #[token(",")]
    Comma,
    #[token(":")]
    Colon,
    #[token(".")]
    Dot,
    #[token("|")]
    Bar,
    #[token("(")]
    Open,
    #[token(")")]
    Close,
    #[token("{")]
    OpenBrace,
    #[token("}")]
    CloseBrace,
    #[token("[")]
    OpenBracket,
    #[token("]")]
    CloseBracket,
}

/// Takes in everything up to the same number of backticks; an unclosed fence is no token.
fn fence(lexer: &mut Lexer<'_, Token>) -> bool {
    let marks = lexer.slice().to_owned();
    match lexer.remainder().find(&marks) {
        Some(at) => {
            lexer.bump(at + marks.len());
            true
        }
        None => false,
    }
}
