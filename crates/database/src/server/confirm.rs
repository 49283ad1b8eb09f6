//! Asking the server for its word for an expression of ours, where it was never noted.

use hollow_oak_core::diff::{StoredForm, doubtful, settle};
use hollow_oak_core::physical::Schema;

use super::error::ServerError;
use super::session::Session;

/// Has the server store the doubtful tables of `expected` aside, and tells `live` what came of it; returns the pairs.
pub(super) fn confirm(
    session: &mut dyn Session,
    live: &mut Schema,
    expected: &Schema,
) -> Result<Vec<StoredForm>, ServerError> {
    let tables = doubtful(live, expected);
    if tables.is_empty() {
        return Ok(Vec::new());
    }
    let enums: Vec<_> = expected.enums().cloned().collect();
    let mut stored = session.as_stored(&tables, &enums)?;
    // Everything in there was just made from ours.
    let mut forms = settle(&mut stored, expected, |_| true);
    hollow_oak_core::diff::recognize(live, &forms, session.dialect().syntax());
    forms.sort();
    forms.dedup();
    Ok(forms)
}
