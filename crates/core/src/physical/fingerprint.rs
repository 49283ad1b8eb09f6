//! A short hash of a physical schema.

use std::fmt;

use serde::Serialize;
use sha2::{Digest, Sha256};

use super::Schema;
use super::schema::Table;

/// The version of the rules below; fingerprints made by different rules are not comparable.
pub const RULES: u32 = 1;

/// A hash that is equal for equal schemas. Different hashes only call for a comparison; drift is never a hash.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(transparent)]
pub struct Fingerprint(pub String);

impl fmt::Display for Fingerprint {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.0)
    }
}

/// The fingerprint of a schema: SHA-256 over its tables with columns and constraints in order of their names, as
/// lower-case hexadecimal digits.
pub fn fingerprint(schema: &Schema) -> Fingerprint {
    let mut hash = Sha256::new();
    for table in schema.tables() {
        let text = serde_json::to_string(&ordered(table)).expect("a table has nothing that JSON cannot hold");
        hash.update(text.as_bytes());
        hash.update(b"\n");
    }
    Fingerprint(hex(&hash.finalize()))
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// The table with everything in it sorted, since order is no difference.
fn ordered(table: &Table) -> Table {
    let mut table = table.clone();
    table.columns.sort_by(|a, b| a.name.cmp(&b.name));
    table.uniques.sort_by(|a, b| a.name.cmp(&b.name));
    table.foreign_keys.sort_by(|a, b| a.name.cmp(&b.name));
    table.checks.sort_by(|a, b| a.name.cmp(&b.name));
    table.indexes.sort_by(|a, b| a.name.cmp(&b.name));
    table
}
