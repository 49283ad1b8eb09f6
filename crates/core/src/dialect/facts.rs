//! What a dialect can do, as data.

use crate::physical::NameCase;

/// The facts of a dialect. No `Default` on purpose: a new fact is answered for every dialect.
#[derive(Clone, Copy, Debug)]
pub struct Facts {
    /// The longest identifier the server keeps whole.
    pub identifier_limit: IdentifierLimit,
    /// How tables are changed.
    pub altering: Altering,
    /// Whether a step can run outside a transaction.
    pub steps_outside: bool,
    /// Whether it keeps descriptions of tables and columns.
    pub comments: bool,
    /// Whether a trigger's name is one of its table, and not of the database.
    pub triggers_are_of_tables: bool,
    /// Whether tables and the like can be in namespaces.
    pub namespaces: bool,
    /// Whether it has routines.
    pub routines: bool,
    /// Whether primary keys have names of their own.
    pub names_primary_keys: bool,
    /// Whether indexes share their names with tables.
    pub indexes_share_names: bool,
    /// Whether primary keys and unique constraints do so, too.
    pub keys_share_names: bool,
    /// Whether no two references of a database have the same name.
    pub references_share_names: bool,
    /// Whether no two checks of a database have the same name.
    pub checks_share_names: bool,
    /// Whether a reference can have the name of a key of its table.
    pub references_apart: bool,
    /// Whether a table cannot change while checks of its rows wait for the end of the transaction.
    pub waiting_checks_block: bool,
    /// Whether a constraint can be given another name.
    pub renames_constraints: bool,
    /// Whether an index can be given another name.
    pub renames_indexes: bool,
    /// Whether a unique constraint is an index, and renamed as one.
    pub uniques_are_indexes: bool,
    /// Whether a table is made with its indexes, in one statement.
    pub tables_hold_indexes: bool,
    /// Whether a reference stands on an index over its own columns.
    pub references_need_own_index: bool,
    /// Whether the type of a column cannot change under a view that reads it.
    pub views_fix_types: bool,
    /// Whether an index can be made, and a constraint checked, while others read and write.
    pub builds_online: bool,
    /// Whether it looks into the body of a routine when that is made, and refuses one that names what is not there.
    pub checks_bodies: bool,
    /// Whether a check is left alone while a column that it reads gets another type.
    pub checks_follow_types: bool,
    /// Whether a column that numbers rows has to begin a key at every moment.
    pub identity_needs_key: bool,
    /// Whether a primary key takes the place of another in one statement, and what stands on it stays meanwhile.
    pub changes_primary_keys: bool,
    /// Whether checks, computed columns, defaults and expressions in indexes follow a column's new name by themselves.
    pub readers_follow_names: bool,
    /// Whether a column that a reference is about cannot begin or stop to number rows.
    pub references_fix_numbering: bool,
    /// Whether a table has to have a column at every moment.
    pub needs_a_column: bool,
    /// Whether a required column without a default is filled with some value of the server's choosing where rows are
    /// there, instead of being refused.
    pub fills_silently: bool,
    /// Whether a constraint can do without a name.
    pub unnamed_constraints: bool,
    /// Whether it has views that keep their rows.
    pub materialized_views: bool,
    /// Whether an enum is a type of its own.
    pub has_enum_types: bool,
    /// Whether a column's type and all its values change in one statement, by an expression.
    pub converts_in_place: bool,
    /// How names are compared.
    pub name_case: NameCase,
}

/// How tables are changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Altering {
    /// Little in place; a table is made anew for the rest.
    Rebuilding,
    /// Everything in place, one thing after the other.
    InPlace,
}

/// The longest identifier.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum IdentifierLimit {
    /// As long as one likes.
    None,
    /// This many bytes.
    Bytes(usize),
    /// This many characters.
    Characters(usize),
}
