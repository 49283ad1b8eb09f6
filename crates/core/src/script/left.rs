//! What an interrupted migration left on its way, and its down script does not know.

use super::read::Script;
use crate::physical::Schema;
use crate::plan::{Constraint, NEW_INDEX, REQUIRED_CHECK, Step};

/// The steps that put away what was only there for a while, before a down script undoes an interrupted migration: a check
/// that went before a required column, an index that was to take another's place, and one that was to become a key.
pub fn left_behind(script: &Script, live: &Schema) -> Vec<Step> {
    let drops = |table: &str, name: &str| {
        let objects = ["unique", "primary-key"].map(|kind| format!("drop-{kind} {table}.{name}"));
        script.steps.iter().any(|step| objects.contains(&step.object))
    };
    let mut left = Vec::new();
    for table in live.tables() {
        let checks = table.checks.iter().filter(|check| {
            let name = check.name.as_deref().unwrap_or_default();
            name.starts_with(REQUIRED_CHECK)
        });
        left.extend(checks.map(|check| Step::DropConstraint {
            table: table.name.clone(),
            constraint: Constraint::Check(check.clone()),
        }));
        let indexes = table.indexes.iter();
        let indexes = indexes.filter(|index| index.name.starts_with(NEW_INDEX) || drops(&table.name, &index.name));
        left.extend(indexes.map(|index| Step::DropIndex { table: table.name.clone(), index: index.clone() }));
    }
    left
}
