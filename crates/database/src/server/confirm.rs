//! Asking the server for its word for an expression of ours, where it was never noted.

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::{StoredForm, doubtful, doubtful_apart, doubtful_views, recognize, settle};
use hollow_oak_core::physical::Schema;

use super::error::ServerError;
use super::session::{Asked, Session};
use crate::scratch::make_apart;
use crate::url::ServerUrl;

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
    recognize(live, &forms, session.dialect().syntax());
    forms.sort();
    forms.dedup();
    Ok(forms)
}

/// The same of triggers, routines and other objects, which cannot be made beside the real ones: in a database of their own.
/// Whoever may make none, or not all that is declared, keeps the difference.
pub(super) fn confirm_apart(
    url: &ServerUrl,
    dialect: Dialect,
    live: &mut Schema,
    expected: &Schema,
) -> Vec<StoredForm> {
    let Some(apart) = doubtful_apart(live, expected) else { return Vec::new() };
    let Ok(mut stored) = make_apart(url, dialect, &apart) else { return Vec::new() };
    let forms = settle(&mut stored, &apart, |_| true);
    recognize(live, &forms, dialect.syntax());
    forms
}
