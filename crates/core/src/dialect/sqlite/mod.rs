//! SQLite 3.35 and later, as bundled.

pub(super) mod affinity;
pub(super) mod alter;
pub mod catalogue;
mod ddl;
pub(super) mod lift;
pub(super) mod lower;
pub(super) mod quote;
pub(super) mod render;
pub(super) mod shell;

use super::{Altering, Facts, Frame, IdentifierLimit, Misfits};
use crate::physical::TypeName;

/// The facts of SQLite.
pub(super) const FACTS: Facts = Facts {
    // SQLite, "Limits In SQLite": names count as text of the SQL, up to 1,000,000,000 bytes.
    identifier_limit: IdentifierLimit::None,
    altering: Altering::Rebuilding,
    steps_outside: false,
    comments: false,
    triggers_are_of_tables: false,
    namespaces: false,
    routines: false,
    names_primary_keys: true,
    indexes_share_names: true,
    keys_share_names: false,
    references_share_names: false,
    checks_share_names: false,
    references_apart: false,
    waiting_checks_block: false,
    renames_constraints: false,
    renames_indexes: false,
    uniques_are_indexes: false,
    tables_hold_indexes: false,
    references_need_own_index: false,
    views_fix_types: false,
    builds_online: false,
    checks_bodies: false,
    checks_follow_types: false,
    identity_needs_key: false,
    changes_primary_keys: false,
    readers_follow_names: true,
    references_fix_numbering: false,
    needs_a_column: false,
    fills_silently: false,
    unnamed_constraints: true,
    materialized_views: false,
    has_enum_types: false,
    converts_in_place: false,
    name_case: NameCase::Ignored,
};

use crate::physical::{IndexKey, NameCase, Table};
use crate::plan::Step;
use crate::sql::Expression;

/// What a script says around its steps.
///
/// SQLite, "Foreign Key Support", "Schema Commands": with foreign keys on, dropping a table first deletes its rows, and
/// that cascades; the pragma is without effect inside a transaction.
pub(super) fn frame(steps: &[&Step]) -> Frame {
    // Rows that come back may reference each other in a circle.
    let off = |step: &&&Step| {
        matches!(step, Step::RebuildTable(_) | Step::DropTable(_) | Step::RenameTable { .. } | Step::Restore { .. })
    };
    match steps.iter().find(off) {
        None => Frame { begin: "begin immediate;\n", end: "commit;\n" },
        Some(_) => Frame {
            begin: "pragma foreign_keys = off;\nbegin immediate;\n",
            end: "pragma foreign_key_check;\ncommit;\npragma foreign_keys = on;\n",
        },
    }
}

/// Whether a statement cannot stand inside the migration's one transaction.
pub(super) fn leaves_transaction(first: &str, second: &str) -> bool {
    matches!(first, "vacuum" | "attach" | "detach")
        || (first == "pragma" && matches!(second, "foreign_keys" | "journal_mode"))
}

/// A name as SQLite compares it.
fn fold(name: &str) -> String {
    FACTS.name_case.table_key(name)
}

/// The column that is the table's rowid (SQLite, "CREATE TABLE", "ROWIDs and the INTEGER PRIMARY KEY").
pub(super) fn rowid_alias(table: &Table) -> Option<&str> {
    let [only] = table.primary_key.as_ref()?.columns.as_slice() else { return None };
    let alias = has_whole_number_key(table) && !only.descending && !table.has_option("without rowid");
    alias.then_some(only.name.as_str())
}

/// Whether the primary key is one column of the type `INTEGER`.
fn has_whole_number_key(table: &Table) -> bool {
    let key = table.primary_key.as_ref().map(|key| key.columns.as_slice());
    matches!(key, Some([only]) if table.column(&only.name).is_some_and(|column| column.ty.canonical() == "INTEGER"))
}

/// What an index is over; a column in parentheses is that column.
fn index_key(text: &str) -> IndexKey {
    super::lowering::index_key(Expression::new(text))
}

/// A length is not enforced (SQLite, "Datatypes In SQLite", "Affinity Name Examples").
pub(super) fn misfits(to: &TypeName, column: &str) -> Misfits {
    let (head, rest) = to.canonical().split_once('(').unwrap_or_default();
    let length = rest.strip_suffix(')').and_then(|length| length.parse::<u64>().ok());
    let kept =
        length.filter(|_| matches!(head, "VARCHAR" | "CHAR")).map(|length| format!("length({column}) > {length}"));
    Misfits { kept, ..Misfits::default() }
}
