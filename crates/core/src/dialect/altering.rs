//! `alter table` with one action or several, the same everywhere.

/// The statement; a single action stands on its line, several have one each.
pub(super) fn alter_together(table: &str, actions: impl IntoIterator<Item = String>) -> String {
    let actions: Vec<String> = actions.into_iter().collect();
    match &actions[..] {
        [action] => format!("alter table {table} {action}"),
        actions => format!("alter table {table}\n    {}", actions.join(",\n    ")),
    }
}
