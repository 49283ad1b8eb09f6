//! Values put aside in tables of the tool's own: SQL that is the same everywhere.

use super::quoting::Quoting;
use crate::plan::Kept;

/// Makes the table without a row; `empty` is the provider's word for that. Again after an interruption it does no harm.
pub(super) fn make_kept(kept: &Kept, quoting: Quoting, empty: &str) -> String {
    format!(
        "create table if not exists {} as\n{}{empty}",
        quoting.object(&kept.name),
        select(kept, &kept.table, quoting)
    )
}

/// Puts the values in.
pub(super) fn keep(kept: &Kept, quoting: Quoting) -> String {
    format!("insert into {}\n{}", quoting.object(&kept.name), select(kept, &kept.table, quoting))
}

/// Puts the rows of a whole table back; `given` stands behind the columns.
pub(super) fn restore(kept: &Kept, quoting: Quoting, given: &str) -> String {
    let names: Vec<_> = kept.columns.iter().map(|(name, _)| quoting.item(name)).collect();
    let list = names.join(", ");
    format!("insert into {} ({list}){given}\n{}", quoting.object(&kept.table), select(kept, &kept.name, quoting))
}

fn select(kept: &Kept, from: &str, quoting: Quoting) -> String {
    let columns: Vec<_> = kept
        .columns
        .iter()
        .map(|(name, expression)| match (quoting.item(name), expression) {
            (name, expression) if name == *expression => name,
            (name, expression) => format!("{expression} as {name}"),
        })
        .collect();
    format!("select {} from {}", columns.join(", "), quoting.object(from))
}
