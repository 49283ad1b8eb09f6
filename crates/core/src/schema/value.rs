//! Values that a declaration can give: a column's default.

use super::Identifier;

/// A declared value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Value {
    /// A number, as written.
    Number(String),
    /// Text, without its quotes.
    Text(String),
    /// Bytes, as lower-case hexadecimal digits.
    Bytes(String),
    /// `true` or `false`.
    Bool(bool),
    /// `null`.
    Null,
    /// The moment of the insert.
    Now,
    /// The day of the insert.
    Today,
    /// A fresh random identifier.
    NewUuid,
    /// A word of the column's enum.
    Word(Identifier),
    /// An SQL expression, without its outer parentheses.
    Expression(String),
}
