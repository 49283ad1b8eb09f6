//! The one rule by which constraints and indexes without a declared name are named.
//!
//! Table, columns, and a word for the kind, joined by underscores: `hive_apiary_id_fkey`. The words are those that a
//! widely used server derives by itself, so that they surprise nobody. A name over the provider's limit keeps its
//! beginning and its kind, with eight digits of a hash of the whole in between.

use sha2::{Digest, Sha256};

use super::IdentifierLimit;

/// What is named.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NameKind {
    /// Primary key.
    PrimaryKey,
    /// Unique constraint.
    Unique,
    /// Reference.
    ForeignKey,
    /// Declared check.
    Check,
    /// The check that keeps an enum's words.
    EnumCheck,
    /// The check that keeps a JSON document well-formed.
    JsonCheck,
    /// Index.
    Index,
    /// Exclusion.
    Exclusion,
    /// A table of the tool's own with values that were put aside.
    Kept,
}

impl NameKind {
    fn word(self) -> &'static str {
        match self {
            Self::PrimaryKey => "pkey",
            Self::Unique => "key",
            Self::ForeignKey => "fkey",
            Self::Check => "check",
            Self::EnumCheck => "enum",
            Self::JsonCheck => "json",
            Self::Index => "idx",
            Self::Exclusion => "excl",
            Self::Kept => "",
        }
    }
}

/// The derived name of a constraint or index over some columns of a table.
pub fn derived_name<'a>(
    table: &'a str,
    columns: impl IntoIterator<Item = &'a str>,
    kind: NameKind,
    limit: IdentifierLimit,
) -> String {
    let mut words = vec![table];
    words.extend(columns);
    let stem = words.join("_");
    let ending = if kind.word().is_empty() { String::new() } else { format!("_{}", kind.word()) };
    let name = format!("{stem}{ending}");
    let length = |text: &str| match limit {
        IdentifierLimit::None => 0,
        IdentifierLimit::Bytes(_) => text.len(),
        IdentifierLimit::Characters(_) => text.chars().count(),
    };
    let most = match limit {
        IdentifierLimit::None => return name,
        IdentifierLimit::Bytes(most) | IdentifierLimit::Characters(most) => most,
    };
    if length(&name) <= most {
        return name;
    }
    let hash = Sha256::digest(name.as_bytes());
    let digits: String = hash.iter().take(4).map(|byte| format!("{byte:02x}")).collect();
    let tail = format!("_{digits}{ending}");
    let mut head = stem;
    while length(&head) + length(&tail) > most {
        head.pop();
    }
    head + &tail
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_derived_and_shortened() {
        #[track_caller]
        fn case(columns: &[&str], kind: NameKind, limit: IdentifierLimit, expected: &str) {
            assert_eq!(derived_name("hive", columns.iter().copied(), kind, limit), expected);
        }
        case(&[], NameKind::PrimaryKey, IdentifierLimit::None, "hive_pkey");
        case(&["apiary_id", "code"], NameKind::Unique, IdentifierLimit::Bytes(63), "hive_apiary_id_code_key");
        case(&["apiary_id"], NameKind::ForeignKey, IdentifierLimit::Bytes(19), "hive_apiary_id_fkey");
        case(&["apiary_id"], NameKind::ForeignKey, IdentifierLimit::Bytes(18), "hive_8b312e24_fkey");
        case(&["größe"], NameKind::Check, IdentifierLimit::Characters(16), "hive_größe_check");
        case(&["größe"], NameKind::Check, IdentifierLimit::Bytes(17), "hi_07027b5f_check");
    }
}
