//! Alterations of one table that each go through all of it, made in one statement: the table is gone through once.

use super::step::Step;
use crate::Dialect;

/// Joins neighbours that can be one statement, where two of them or more go through their table.
pub(super) fn joined(dialect: Dialect, steps: Vec<Step>) -> Vec<Step> {
    let mut joined = Vec::with_capacity(steps.len());
    let mut run: Vec<Step> = Vec::new();
    for step in steps {
        // A column that changes twice does so one after the other.
        let is_again = |other: &Step| other.object() == step.object();
        if run.last().is_some_and(|last| !dialect.joins(last, &step)) || run.iter().any(is_again) {
            close(dialect, &mut run, &mut joined);
        }
        run.push(step);
    }
    close(dialect, &mut run, &mut joined);
    joined
}

fn close(dialect: Dialect, run: &mut Vec<Step>, joined: &mut Vec<Step>) {
    let is_heavy = |step: &&Step| !dialect.burdens(step).is_empty();
    if run.iter().filter(is_heavy).count() < 2 {
        joined.append(run);
        return;
    }
    let table = run.first().map(Step::table).unwrap_or_default().to_owned();
    joined.push(Step::AlterTable { table, steps: std::mem::take(run) });
}
