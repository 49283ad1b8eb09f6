//! PostgreSQL 13 to 18.

pub(super) mod alter;
mod attributes;
pub(super) mod burden;
pub mod catalogue;
pub(super) mod ddl;
pub(super) mod forms;
pub(super) mod inheriting;
pub(super) mod lift;
pub(super) mod lower;
pub(super) mod misfits;
pub(super) mod numbering;
pub(super) mod quote;
pub(super) mod render;
mod sequence;
mod types;
mod wording;

use super::{Altering, Facts, IdentifierLimit};
use crate::physical::{NameCase, TypeName};
use crate::sql::{Comments, Syntax};

/// The facts of PostgreSQL.
pub(super) const FACTS: Facts = Facts {
    // PostgreSQL 17, "Identifiers and Key Words": NAMEDATALEN - 1; longer names are cut, not refused.
    identifier_limit: IdentifierLimit::Bytes(63),
    altering: Altering::InPlace,
    steps_outside: true,
    comments: true,
    triggers_are_of_tables: true,
    namespaces: true,
    routines: true,
    names_primary_keys: true,
    // PostgreSQL 17, "CREATE TABLE", "Compatibility", "Constraint Naming": an index has the name of its constraint, and
    // shares its names with tables, views and sequences.
    indexes_share_names: true,
    keys_share_names: true,
    references_share_names: false,
    checks_share_names: false,
    references_apart: false,
    waiting_checks_block: true,
    renames_constraints: true,
    renames_indexes: true,
    uniques_are_indexes: false,
    tables_hold_indexes: false,
    references_need_own_index: false,
    views_fix_types: true,
    // PostgreSQL 17, "CREATE INDEX", CONCURRENTLY; "ALTER TABLE", VALIDATE CONSTRAINT.
    builds_online: true,
    // PostgreSQL 17, "Client Connection Defaults", check_function_bodies.
    checks_bodies: true,
    // PostgreSQL 17, "ALTER TABLE", SET DATA TYPE: it is read again, with the casts to the type before in it.
    checks_follow_types: false,
    identity_needs_key: false,
    changes_primary_keys: false,
    readers_follow_names: true,
    references_fix_numbering: false,
    needs_a_column: false,
    fills_silently: false,
    unnamed_constraints: false,
    materialized_views: true,
    has_enum_types: true,
    converts_in_place: true,
    name_case: NameCase::Counts,
};

/// Whether a value is the same value under both types.
pub(super) fn stores_alike(from: &TypeName, to: &TypeName) -> bool {
    types::is_widening(from, to)
}

/// How PostgreSQL's expressions are read. Longer names are cut off (PostgreSQL 17, "Identifiers and Key Words").
pub(super) const SYNTAX: Syntax = Syntax { name_bytes: 63, comments: Comments::Nesting, ..Syntax::STANDARD };
