//! What a dialect can do, as data.

/// The facts of a dialect. No `Default` on purpose: a new fact is answered for every dialect.
#[derive(Clone, Copy, Debug)]
pub struct Facts {
    /// The longest identifier the server keeps whole.
    pub identifier_limit: IdentifierLimit,
}

/// The longest identifier.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum IdentifierLimit {
    /// As long as one likes.
    None,
    /// This many bytes.
    Bytes(usize),
    /// This many characters.
    Characters(usize),
}
