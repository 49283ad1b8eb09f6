//! What a change of a column means for what looks at it.

use crate::physical::{Column, TypeName};
use crate::plan::{Constraint, Placement, Step};
use crate::schema::Storage;

/// PostgreSQL 17, "ALTER TABLE", SET DATA TYPE: indexes and plain keys follow by themselves; what reads the column does
/// not always, and a generated column or view never.
pub(in crate::dialect) fn disturbs(from: &Column, to: &Column) -> bool {
    from.ty != to.ty || from.collation != to.collation
}

/// PostgreSQL 18, "ALTER TABLE", DROP EXPRESSION: the values of a stored one stay, and a virtual one has none.
pub(in crate::dialect) fn keeps_computed(from: &Column, to: &Column) -> bool {
    let is_stored = from.generated.as_ref().is_some_and(|one| one.storage == Storage::Stored);
    is_stored && to.generated.is_none()
}

/// Seen on PostgreSQL 15: for a computed column USING is refused, and without it hardly any other type is taken.
pub(in crate::dialect) fn computes_anew(from: &Column, to: &Column) -> bool {
    from.generated.is_some() && to.generated.is_some() && from.ty != to.ty && !super::stores_alike(&from.ty, &to.ty)
}

/// Whether a step can be part of a statement with others of its kind. What also makes or drops a sequence cannot: the
/// sequence would get the type that the column has before the statement.
pub(in crate::dialect) fn can_join(step: &Step) -> bool {
    let is_numbered = |column: &Column| column.identity.is_some() || column.attributes.contains("serial");
    match step {
        Step::AlterColumn { from, to, .. } => !is_numbered(from) && !is_numbered(to) && from.generated == to.generated,
        Step::AddConstraint { constraint, .. } => matches!(constraint, Constraint::Check(_)),
        _ => false,
    }
}

/// PostgreSQL 17, "ALTER TYPE", ADD VALUE: a word can be used once the transaction that added it is over; and "DO": a block
/// that commits cannot be part of one; nor can an index that is built beside others. A constraint that was checked in the
/// transaction which made it would keep its locks meanwhile.
pub(in crate::dialect) fn placement(step: &Step) -> Placement {
    match step {
        Step::AddEnumWord { .. }
        | Step::FillColumn { batch: Some(_), .. }
        | Step::BuildIndex { .. }
        | Step::ValidateConstraint { .. } => Placement::Outside,
        _ => Placement::InTransaction,
    }
}

/// Whether a column's type is the enum type, or an array of it.
pub(in crate::dialect) fn is_of_enum(ty: &TypeName, name: &str) -> bool {
    let quoted = super::quote::quote_object(name);
    ty.text().trim_end_matches("[]") == quoted
}
