//! Asking the server for its word for an expression of ours, where it was never noted.

use hollow_oak_core::diff::{StoredForm, doubtful, doubtful_views, settle};
use hollow_oak_core::physical::Schema;

use super::error::ServerError;
use super::session::{Asked, Session};

/// Has the server store the doubtful tables of `expected` aside, and tells `live` what came of it; returns the pairs.
pub(super) fn confirm(
    session: &mut dyn Session,
    live: &mut Schema,
    expected: &Schema,
) -> Result<Vec<StoredForm>, ServerError> {
    let (tables, views) = (doubtful(live, expected), doubtful_views(live, expected));
    if tables.is_empty() && views.is_empty() {
        return Ok(Vec::new());
    }
    let enums = if tables.is_empty() { Vec::new() } else { expected.enums().cloned().collect() };
    // What cannot be made aside stays different, and is told as such.
    let Ok(mut stored) = session.as_stored(&Asked { enums, tables, views }) else { return Ok(Vec::new()) };
    // Everything in there was just made from ours.
    let mut forms = settle(&mut stored, expected, |_| true);
    hollow_oak_core::diff::recognize(live, &forms, session.dialect().syntax());
    forms.sort();
    forms.dedup();
    Ok(forms)
}
