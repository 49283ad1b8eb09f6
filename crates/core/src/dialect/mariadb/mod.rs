//! MariaDB 10.5 and later, and MySQL 8.0.16 and later: one folder, two providers with facts and scripts of their own.

pub(super) mod alter;
mod batches;
pub(super) mod burden;
pub mod catalogue;
pub(super) mod commented;
pub(super) mod ddl;
pub(super) mod lift;
pub(super) mod lower;
pub(super) mod misfits;
mod padding;
pub(super) mod quote;
pub(super) mod render;
mod types;

use super::{Altering, Facts, IdentifierLimit};
use crate::physical::{Column, NameCase, Table, TypeName};
use crate::schema::Provider;
use crate::sql::{Brackets, Comments, Syntax};

/// Which of the two.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Flavor {
    /// MariaDB.
    Mariadb,
    /// MySQL.
    Mysql,
}

impl Flavor {
    pub(super) fn provider(self) -> Provider {
        match self {
            Self::Mariadb => Provider::Mariadb,
            Self::Mysql => Provider::Mysql,
        }
    }
}

/// The facts of MariaDB, which are mostly those of both.
pub(super) const FACTS: Facts = Facts {
    // MariaDB 10.11, "Identifier Names", "Maximum Length"; MySQL 8.4, "Identifier Length Limits".
    identifier_limit: IdentifierLimit::Characters(64),
    altering: Altering::InPlace,
    steps_outside: true,
    comments: true,
    triggers_are_of_tables: false,
    namespaces: false,
    routines: true,
    // MariaDB, "CREATE TABLE", "PRIMARY KEY": its name is always PRIMARY.
    names_primary_keys: false,
    indexes_share_names: false,
    keys_share_names: false,
    // InnoDB, "FOREIGN KEY Constraint Identifiers": unique in a database.
    references_share_names: true,
    checks_share_names: false,
    references_apart: true,
    waiting_checks_block: false,
    renames_constraints: false,
    // MariaDB 10.5.2 and MySQL 5.7, "ALTER TABLE", RENAME INDEX.
    renames_indexes: true,
    uniques_are_indexes: true,
    tables_hold_indexes: true,
    references_need_own_index: true,
    views_fix_types: false,
    // It does so where it can without being asked.
    builds_online: false,
    checks_bodies: false,
    // Seen on MariaDB 10.11: it is kept as it was said, and the rows that are written anew are checked by it.
    checks_follow_types: true,
    identity_needs_key: true,
    // MariaDB, "InnoDB Online DDL Operations with the INPLACE Alter Algorithm", ADD PRIMARY KEY.
    changes_primary_keys: true,
    readers_follow_names: true,
    references_fix_numbering: false,
    needs_a_column: true,
    fills_silently: true,
    unnamed_constraints: false,
    materialized_views: false,
    has_enum_types: false,
    converts_in_place: false,
    name_case: NameCase::CountsForTables,
};

/// Where MySQL differs. What has no source was seen on MySQL 9.7.
pub(super) const MYSQL: Facts = Facts {
    // "ALTER TABLE", RENAME COLUMN: error 3959 for checks, 3108 for computed columns, 3837 for indexes; no statement is
    // refused that says them anew at once.
    readers_follow_names: false,
    // "CHECK Constraints": in a schema.
    checks_share_names: true,
    // Error 1833.
    references_fix_numbering: true,
    ..FACTS
};

/// The collation of a column's values, if they are texts: its own, or that of its table.
pub(super) fn collation(table: &Table, column: &Column) -> Option<String> {
    let own = || column.collation.clone().unwrap_or_else(|| lower::table_collation(table));
    types::is_text(&column.ty).then(own)
}

/// An expression compared by a collation, which only holds for texts of its own character set.
pub(super) fn collated(expression: &str, collation: &str) -> String {
    format!("convert({expression} using {}) collate {collation}", render::character_set(collation))
}

/// How their expressions are read, in the mode that scripts run in.
pub(super) const SYNTAX: Syntax = Syntax {
    brackets: Brackets::Symbol,
    backslashes: true,
    comments: Comments::Spaced,
    dollar_quotes: false,
    exact_names: false,
    exact_tables: true,
    name_bytes: usize::MAX,
};

/// The collation that is stated where nothing else is said: the same in all versions of both.
pub(super) const COLLATION: &str = "utf8mb4_unicode_ci";

/// Whether a value is the same value under both types.
pub(super) fn stores_alike(from: &TypeName, to: &TypeName) -> bool {
    types::is_widening(from, to)
}

/// Whether a statement of these first words is a block of several (MariaDB 10.11, "BEGIN END").
pub(super) fn is_block(words: &[String]) -> bool {
    matches!(words, [first, second, ..] if first == "begin" && second == "not")
}

/// Whether a statement of these first words commits whatever was done before it (MariaDB, "SQL statements That Cause an
/// Implicit Commit").
pub(super) fn commits_by_itself(words: &[String]) -> bool {
    let word = |at: usize| words.get(at).map_or("", String::as_str);
    let alone = matches!(
        word(0),
        "alter"
            | "create"
            | "drop"
            | "rename"
            | "truncate"
            | "grant"
            | "revoke"
            | "lock"
            | "unlock"
            | "analyze"
            | "optimize"
            | "repair"
            | "flush"
    );
    // A block may have anything in it.
    is_block(words) || alone && !matches!((word(0), word(1)), ("create" | "drop", "temporary"))
}
