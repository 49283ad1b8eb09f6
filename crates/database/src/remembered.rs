//! What a database was last seen to hold, and by what it is told that it still does.

use hollow_oak_core::physical::{RULES, Unmanaged};
use serde::{Deserialize, Serialize};
use sha2::{Digest, Sha256};

/// What a run that ended well left, noted beside a mark of the catalogue as it was then. As long as the catalogue has that
/// mark, nobody has changed anything, and it need not be read to know how it stands.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Remembered {
    /// The fingerprint of what the migration has to leave, and did.
    pub expected: String,
    /// What there was beside it.
    pub unmanaged: Vec<Unmanaged>,
}

/// What was seen before a change of the journal, and the mark that the catalogue had then.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sighting {
    /// See [`crate::Database::survey`].
    pub mark: String,
    /// What is to be remembered of it.
    pub remembered: Remembered,
}

/// The kind that it is kept as in the store.
pub(crate) const KIND: &str = "catalogue";

impl Remembered {
    /// The name under which it is kept. Another version of oak may see more in the same catalogue.
    pub(crate) fn name(project: &str, mark: &str) -> String {
        hash(&format!("{project}\n{RULES}\n{}\n{mark}", env!("CARGO_PKG_VERSION")))
    }

    /// As it is kept.
    pub(crate) fn text(&self) -> String {
        serde_json::to_string(self).expect("names and words are always JSON")
    }

    /// From its text. What cannot be read is as good as not there: the catalogue is read then.
    pub(crate) fn read(text: &str) -> Option<Self> {
        serde_json::from_str(text).ok()
    }
}

/// SHA-256 in hexadecimal digits.
pub(crate) fn hash(text: &str) -> String {
    Sha256::digest(text.as_bytes()).iter().map(|byte| format!("{byte:02x}")).collect()
}
