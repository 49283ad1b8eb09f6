//! What a change of a column means for what looks at it.

use crate::physical::Column;
use crate::plan::{Placement, Step};
use crate::schema::Storage;

/// A column of a reference cannot be changed (MariaDB, "Foreign Keys", "Constraints"), and what is computed from it would
/// be computed from what it was.
pub(in crate::dialect) fn disturbs(from: &Column, to: &Column) -> bool {
    from.ty != to.ty || from.collation != to.collation || from.nullable != to.nullable
}

/// A stored value can stay when its expression goes (MariaDB, "Generated (Virtual and Persistent/Stored) Columns").
pub(in crate::dialect) fn keeps_computed(from: &Column, to: &Column) -> bool {
    let was_stored = from.generated.as_ref().is_some_and(|one| one.storage == Storage::Stored);
    was_stored && to.generated.is_none()
}

/// Every statement of ours commits by itself, but for those that change rows.
pub(in crate::dialect) fn placement(step: &Step) -> Placement {
    match step {
        Step::FillColumn { .. }
        | Step::Keep(_)
        | Step::Restore { .. }
        | Step::InsertRows { .. }
        | Step::UpdateRows { .. }
        | Step::DeleteRows { .. } => Placement::InTransaction,
        _ => Placement::Outside,
    }
}
