//! Names, exactly as they are in the database.

use std::borrow::Borrow;
use std::fmt;

use serde::Serialize;

/// The value of an identifier, without quotes. It becomes SQL text only through a dialect's quoting function.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct Identifier(String);

impl Identifier {
    /// The name as it is to stand in the database.
    pub fn new(name: impl Into<String>) -> Self {
        Self(name.into())
    }

    /// The name's characters.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// Whether it can stand bare in a declaration: `[a-z_][a-z0-9_]*`.
    pub fn is_bare(&self) -> bool {
        let mut bytes = self.0.bytes();
        bytes.next().is_some_and(|first| first.is_ascii_lowercase() || first == b'_')
            && bytes.all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_')
    }
}

impl fmt::Display for Identifier {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

impl Borrow<str> for Identifier {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl From<&str> for Identifier {
    fn from(name: &str) -> Self {
        Self::new(name)
    }
}
