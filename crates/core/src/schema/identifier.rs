//! Names, exactly as they are in the database.

use std::borrow::Borrow;
use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};

use serde::{Serialize, Serializer};

use crate::physical::qualified;

/// The value of an identifier, without quotes. It becomes SQL text only through a dialect's quoting function.
///
/// The name of a table, enum, view or the like may be one in a namespace; it reads `sales.invoice` then. Two names that
/// read the same are the same.
#[derive(Clone, Debug)]
pub struct Identifier {
    text: Box<str>,
    /// The namespace and the name in it, where it is in one.
    parts: Option<Box<(String, String)>>,
}

impl Identifier {
    /// The name as it is to stand in the database.
    pub fn new(name: impl Into<Box<str>>) -> Self {
        Self { text: name.into(), parts: None }
    }

    /// A name in a namespace.
    pub fn within(namespace: &str, name: &str) -> Self {
        let parts = (namespace.to_owned(), name.to_owned());
        Self { text: qualified(Some(namespace), name).into(), parts: Some(Box::new(parts)) }
    }

    /// The name's characters, with the namespace before them; see [`qualified`].
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The namespace, where it says one.
    pub fn namespace(&self) -> Option<&str> {
        self.parts.as_ref().map(|parts| parts.0.as_str())
    }

    /// The name without its namespace.
    pub fn base(&self) -> &str {
        self.parts.as_ref().map_or(&self.text, |parts| &parts.1)
    }

    /// As it is written in a declaration: each part in double quotes where it cannot stand bare.
    pub fn declared(&self) -> String {
        let part = |part: &str| match is_bare(part) {
            true => part.to_owned(),
            false => format!("\"{}\"", part.replace('"', "\"\"")),
        };
        let parts: Vec<String> = self.parts().map(part).collect();
        parts.join(".")
    }

    fn parts(&self) -> impl Iterator<Item = &str> {
        self.namespace().into_iter().chain([self.base()])
    }

    /// Whether it can stand bare in a declaration: `[a-z_][a-z0-9_]*`, on either side of a point.
    pub fn is_bare(&self) -> bool {
        self.parts().all(is_bare)
    }
}

/// Whether a word can stand bare in a declaration.
fn is_bare(word: &str) -> bool {
    let mut bytes = word.bytes();
    bytes.next().is_some_and(|first| first.is_ascii_lowercase() || first == b'_')
        && bytes.all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_')
}

// By the text alone, as they are looked up by it.
impl PartialEq for Identifier {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl Eq for Identifier {}

impl PartialOrd for Identifier {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Identifier {
    fn cmp(&self, other: &Self) -> Ordering {
        self.text.cmp(&other.text)
    }
}

impl Hash for Identifier {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.text.hash(state);
    }
}

impl Serialize for Identifier {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.text)
    }
}

impl fmt::Display for Identifier {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.text)
    }
}

impl Borrow<str> for Identifier {
    fn borrow(&self) -> &str {
        &self.text
    }
}

impl From<&str> for Identifier {
    fn from(name: &str) -> Self {
        Self::new(name)
    }
}
