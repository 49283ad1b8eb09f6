//! SQL text: its tokens, its expressions, and where one statement ends.
//!
//! Must not: know which provider a text is for, beyond the few lexical facts it is told; quote or write SQL
//! ([`crate::dialect`] does).

mod cursor;
mod encoding;
mod expression;
mod lexer;
mod statement;
mod word;

use lexer::closing_parenthesis;

pub(crate) use cursor::Cursor;
pub(crate) use word::{is_word, qualified_words, says, words};

pub use encoding::{NotText, text_of_bytes};
pub use expression::{ColumnReference, Expression, in_parentheses};
pub(crate) use lexer::standard_text;
pub use lexer::{Brackets, Comments, Lexer, Syntax, Token, TokenKind, matching_parenthesis, unquote};
pub use statement::{Bodies, Statement, split};
