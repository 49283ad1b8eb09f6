//! A short hash of a physical schema.

use std::fmt;
use std::io::{self, Write};

use serde::Serialize;
use sha2::{Digest, Sha256};

use super::schema::{Check, Column, ForeignKey, Index, Named, PrimaryKey, Table, Unique};
use super::{Options, Schema};

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

/// The fingerprint of a schema: SHA-256 over its tables with columns and constraints in order of their names, and its
/// enum types, as lower-case hexadecimal digits.
pub fn fingerprint(schema: &Schema) -> Fingerprint {
    let mut hash = Hashing(Sha256::new());
    for table in schema.tables() {
        let written = serde_json::to_writer(&mut hash, &Ordered::of(table));
        written.expect("a table has nothing that JSON cannot hold, and hashing does not fail");
        hash.0.update(b"\n");
    }
    for one in schema.enums() {
        let written = serde_json::to_writer(&mut hash, one);
        written.expect("an enum type has nothing that JSON cannot hold, and hashing does not fail");
        hash.0.update(b"\n");
    }
    for one in schema.programs() {
        let written = serde_json::to_writer(&mut hash, one);
        written.expect("a program has nothing that JSON cannot hold, and hashing does not fail");
        hash.0.update(b"\n");
    }
    Fingerprint(hex(&hash.0.finalize()))
}

/// Hashes what is written to it.
struct Hashing(Sha256);

impl Write for Hashing {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.update(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02x}")).collect()
}

/// A table with everything in it sorted by name, since order is no difference.
#[derive(Serialize)]
struct Ordered<'a> {
    name: &'a str,
    columns: Vec<&'a Column>,
    primary_key: Option<&'a PrimaryKey>,
    uniques: Vec<&'a Unique>,
    foreign_keys: Vec<&'a ForeignKey>,
    checks: Vec<&'a Check>,
    indexes: Vec<&'a Index>,
    options: &'a Options,
    #[serde(skip_serializing_if = "Option::is_none")]
    comment: Option<&'a str>,
}

impl<'a> Ordered<'a> {
    fn of(table: &'a Table) -> Self {
        let mut columns: Vec<_> = table.columns.iter().collect();
        columns.sort_by(|a, b| a.name.cmp(&b.name));
        Self {
            name: &table.name,
            columns,
            primary_key: table.primary_key.as_ref(),
            uniques: by_name(&table.uniques),
            foreign_keys: by_name(&table.foreign_keys),
            checks: by_name(&table.checks),
            indexes: by_name(&table.indexes),
            options: &table.options,
            comment: table.comment.as_deref(),
        }
    }
}

fn by_name<T: Named>(list: &[T]) -> Vec<&T> {
    let mut sorted: Vec<_> = list.iter().collect();
    sorted.sort_by(|a, b| a.name().cmp(&b.name()));
    sorted
}
