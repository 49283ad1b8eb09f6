//! What SQLite makes of a type's name (SQLite, "Datatypes In SQLite", "Determination Of Column Affinity").

use crate::physical::TypeName;

/// What a column would rather store.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(in crate::dialect) enum Affinity {
    /// Whole numbers.
    Integer,
    /// Text.
    Text,
    /// Whatever it is given.
    Blob,
    /// Floating-point numbers.
    Real,
    /// Numbers of any kind.
    Numeric,
}

/// The affinity of a type's name; the first rule that fits decides.
pub(in crate::dialect) fn affinity(ty: &TypeName) -> Affinity {
    let name = ty.canonical();
    let has = |words: &[&str]| words.iter().any(|word| name.contains(word));
    if has(&["INT"]) {
        Affinity::Integer
    } else if has(&["CHAR", "CLOB", "TEXT"]) {
        Affinity::Text
    } else if name.is_empty() || has(&["BLOB"]) {
        Affinity::Blob
    } else if has(&["REAL", "FLOA", "DOUB"]) {
        Affinity::Real
    } else {
        Affinity::Numeric
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_rule_that_fits_decides() {
        #[track_caller]
        fn case(name: &str, expected: Affinity) {
            assert_eq!(affinity(&TypeName::new(name)), expected, "{name}");
        }
        case("bigint", Affinity::Integer);
        case("CHARINT", Affinity::Integer);
        case("VARCHAR(12)", Affinity::Text);
        case("UUID_TEXT", Affinity::Text);
        case("", Affinity::Blob);
        case("FLOAT", Affinity::Real);
        case("DECIMAL(6,2)", Affinity::Numeric);
        case("DATE", Affinity::Numeric);
    }
}
