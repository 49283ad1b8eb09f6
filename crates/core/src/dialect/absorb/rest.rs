//! What remains to be said once every provider can express what changed.

use super::elsewhere;
use super::held::{AnyHeld, Naming, made};
use super::words::Words;
use crate::dialect::Dialect;
use crate::diff::{Change, ItemChange, TableChange, diff};
use crate::physical::{self, Named};
use crate::schema::{Check, Fault, Identifier, Index, Provider, Schema, Scope, Scoped, Value};

/// Something declared, and what came in its place on one provider.
pub(super) struct Exchanged {
    /// Of which table.
    pub(super) table: Identifier,
    /// As it was declared.
    pub(super) old: AnyHeld,
    /// As it is declared now.
    pub(super) new: AnyHeld,
}

/// The declarations with what was replaced by something that some other providers cannot express: those keep it.
pub(super) fn kept_by_others(
    dialect: Dialect,
    others: &[Dialect],
    schema: Schema,
    exchanged: Vec<Exchanged>,
) -> Schema {
    let mut schema = schema;
    for Exchanged { table, mut old, new } in exchanged {
        let Some(now) = schema.table(table.as_str()).and_then(|table| new.scope_in(table)) else { continue };
        let was = *old.scope();
        let mut lost = others.iter().map(|other| other.provider()).filter(|one| was.holds(*one) && !now.holds(*one));
        if lost.next().is_none() {
            continue;
        }
        let has_new = Provider::ALL.into_iter().filter(|one| now.holds(*one));
        let Some(rest) = has_new.into_iter().try_fold(was, Scope::without) else { continue };
        *old.scope() = rest;
        let mut parts = schema.clone().into_parts();
        parts.tables.iter_mut().filter(|one| one.name == table).for_each(|one| old.clone().put(one));
        // What it was over may be another thing for them, too.
        if let Ok((kept, _)) = Schema::new(parts)
            && others.iter().chain([&dialect]).all(|dialect| dialect.lower(&kept).is_ok())
        {
            schema = kept;
        }
    }
    schema
}

/// The declarations with what is there and would not be stored just so: an index that a provider makes for a reference,
/// under another name; the check of a type that a column is not of any more; a type that depends on a key which went.
pub(super) fn completed(
    dialect: Dialect,
    schema: Schema,
    live: &physical::Schema,
    words: &Words,
) -> Result<Schema, String> {
    let said = |faults: Vec<Fault>| elsewhere::said(&faults);
    let lifting = dialect.lifting();
    let left = diff(&dialect.lower(&schema).map_err(said)?.schema, live);
    if left.is_empty() {
        return Ok(schema);
    }
    let provider = dialect.provider();
    let only = elsewhere::only(provider);
    let mut parts = schema.into_parts();
    for change in left.tables {
        let TableChange::Alter(alteration) = change else { continue };
        let name = lifting.object(&alteration.to.name);
        let place = parts.tables.iter_mut().find(|table| table.name == name);
        let (Some(table), Some(new)) = (place, words.table(&name)) else { continue };
        let naming = Naming { dialect, table: name.base(), stored: &alteration.to };
        for item in &alteration.items {
            match item {
                ItemChange::Index(Change::Add(one) | Change::Rename { to: one, .. }) => {
                    let made = made(new, &naming, Some(&one.name), |_: &Index| false);
                    table.indexes.extend(made.map(|made| Index { scope: only, ..made }));
                }
                ItemChange::Check(Change::Add(one)) => {
                    let made = made(new, &naming, one.name(), |_: &Check| false);
                    table.checks.extend(made.map(|made| Check { scope: only, ..made }));
                }
                ItemChange::Column(Change::Alter { from, to }) => {
                    let place = table.columns.iter_mut().find(|one| one.name.as_str() == to.name);
                    let Some(column) = place else { continue };
                    if from.ty != to.ty {
                        let native = Scoped::all(to.ty.text().to_owned());
                        elsewhere::replaced(provider, &mut column.native, &[native], |_| false);
                    }
                    if let Some(default) = to.default.as_ref().filter(|_| from.default != to.default) {
                        let value = Scoped::all(Value::Expression(default.text().to_owned()));
                        elsewhere::replaced(provider, &mut column.default, &[value], |_| false);
                    }
                }
                _ => {}
            }
        }
    }
    Ok(Schema::new(parts).map_err(said)?.0)
}
