//! Asking the server for its word for an expression of ours, where it was never noted.

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::{StoredForm, doubtful, doubtful_apart, doubtful_views, recognize, settle};
use hollow_oak_core::physical::{Program, Schema};

use super::session::{Asked, Session};
use crate::database::Confirmed;
use crate::error::DatabaseError;
use crate::scratch::make_apart;
use crate::url::ServerUrl;

/// Has the server store the doubtful tables of `expected` aside, and tells `live` what came of it; returns the pairs.
pub(super) fn confirm(session: &mut dyn Session, live: &mut Schema, expected: &Schema) -> Confirmed {
    let (tables, views) = (doubtful(live, expected), doubtful_views(live, expected));
    if tables.is_empty() && views.is_empty() {
        return Confirmed::default();
    }
    let enums = if tables.is_empty() { Vec::new() } else { expected.enums().cloned().collect() };
    // What cannot be made aside stays different, and is told as such.
    let mut stored = match session.as_stored(&Asked { enums, tables, views }) {
        Ok(stored) => stored,
        Err(error) => {
            return Confirmed { forms: Vec::new(), unasked: Some(DatabaseError::from(error).to_string()) };
        }
    };
    // Everything in there was just made from ours.
    let wording = session.dialect().wording();
    let mut forms = settle(&mut stored, expected, wording, |_| true);
    recognize(live, &forms, wording);
    forms.sort();
    forms.dedup();
    Confirmed { forms, unasked: None }
}

/// The same of triggers, routines and other objects, which cannot be made beside the real ones: in a database of their own.
///
/// # Errors
///
/// Why it was not asked: none can be made, not all that is declared can be made in it, or its SQL names the database of the
/// target, and would be made there. Then the differences stay.
pub(super) fn confirm_apart(
    url: &ServerUrl,
    dialect: Dialect,
    live: &mut Schema,
    expected: &Schema,
) -> Result<Vec<StoredForm>, String> {
    let Some(apart) = doubtful_apart(live, expected) else { return Ok(Vec::new()) };
    // A name of three parts is no other database's on PostgreSQL.
    let leaves = |program: &Program| dialect != Dialect::Postgres && program.mentions(&url.database);
    if let Some(program) = apart.programs().find(|program| leaves(program)) {
        return Err(format!("{} names the database {}", program.label(), url.database));
    }
    let stored = make_apart(url, dialect, &apart).map_err(|refusal| refusal.error.to_string())?;
    let mut stored = stored.called_as_in(&apart);
    let forms = settle(&mut stored, &apart, dialect.wording(), |_| true);
    recognize(live, &forms, dialect.wording());
    Ok(forms)
}
