//! Values put aside in tables of the tool's own: SQL that is the same everywhere.

use crate::plan::Kept;

/// Makes the table without a row; `empty` is the provider's word for that. Again after an interruption it does no harm.
pub(super) fn make_kept(kept: &Kept, quote: impl Fn(&str) -> String, empty: &str) -> String {
    format!("create table if not exists {} as\n{}{empty}", quote(&kept.name), select(kept, &kept.table, &quote))
}

/// Puts the values in.
pub(super) fn keep(kept: &Kept, quote: impl Fn(&str) -> String) -> String {
    format!("insert into {}\n{}", quote(&kept.name), select(kept, &kept.table, &quote))
}

/// Puts the rows of a whole table back; `given` stands behind the columns.
pub(super) fn restore(kept: &Kept, quote: impl Fn(&str) -> String, given: &str) -> String {
    let names: Vec<_> = kept.columns.iter().map(|(name, _)| quote(name)).collect();
    let list = names.join(", ");
    format!("insert into {} ({list}){given}\n{}", quote(&kept.table), select(kept, &kept.name, &quote))
}

fn select(kept: &Kept, from: &str, quote: &impl Fn(&str) -> String) -> String {
    let columns: Vec<_> = kept
        .columns
        .iter()
        .map(|(name, expression)| match (quote(name), expression) {
            (name, expression) if name == *expression => name,
            (name, expression) => format!("{expression} as {name}"),
        })
        .collect();
    format!("select {} from {}", columns.join(", "), quote(from))
}
