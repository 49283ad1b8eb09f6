//! How a target stands to the project's history.

use std::collections::BTreeMap;

use super::chain::{History, Migration};
use super::journal::{Applied, JournalState};

/// How a target stands.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Standing {
    /// Positions of the migrations the target has, in the order of the chain.
    pub applied: Vec<usize>,
    /// Positions of those it does not have, in order.
    pub pending: Vec<usize>,
    /// What stands in the way of a run.
    pub obstacles: Vec<Obstacle>,
}

/// What stands in the way of a run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Obstacle {
    /// A script was edited after it was applied.
    Edited {
        /// Position of the migration.
        migration: usize,
        /// Whether the up script differs from what ran.
        up: bool,
        /// Whether the down script differs from the one kept.
        down: bool,
    },
    /// The journal has a migration that the folder does not.
    Unknown(Applied),
    /// A migration is pending though one that follows it is applied.
    Overtaken {
        /// Position of the pending one.
        pending: usize,
        /// Position of an applied one that follows it.
        applied: usize,
    },
}

/// Works out how a target stands.
///
/// `hashes` gives the hashes of both scripts as they are in the files, by migration id; a migration without an entry is
/// not compared.
pub fn standing(history: &History, journal: &JournalState, hashes: &BTreeMap<String, (String, String)>) -> Standing {
    let mut standing = Standing::default();
    for (at, migration) in history.migrations().iter().enumerate() {
        match entry(journal, migration) {
            Some(applied) => {
                standing.applied.push(at);
                if applied.migration == migration.id() {
                    standing.obstacles.extend(edited(at, migration, applied, hashes));
                }
            }
            None => standing.pending.push(at),
        }
    }
    for applied in &journal.applied {
        let known = history.migrations().iter().any(|migration| has(migration, &applied.migration));
        if !known {
            standing.obstacles.push(Obstacle::Unknown(applied.clone()));
        }
    }
    for pending in &standing.pending {
        let id = history.migrations()[*pending].id();
        let follower = standing
            .applied
            .iter()
            .find(|at| history.migrations()[**at].record.parents.iter().any(|parent| parent == id));
        if let Some(applied) = follower {
            standing.obstacles.push(Obstacle::Overtaken { pending: *pending, applied: *applied });
        }
    }
    standing
}

fn has(migration: &Migration, id: &str) -> bool {
    migration.id() == id || migration.record.replaces.iter().any(|replaced| replaced == id)
}

/// The journal's entry of a migration, or of one it stands for.
fn entry<'a>(journal: &'a JournalState, migration: &Migration) -> Option<&'a Applied> {
    journal.applied.iter().find(|applied| has(migration, &applied.migration))
}

fn edited(
    at: usize,
    migration: &Migration,
    applied: &Applied,
    hashes: &BTreeMap<String, (String, String)>,
) -> Option<Obstacle> {
    let (up_now, down_now) = hashes.get(migration.id())?;
    let differs = |kept: &Option<String>, now: &String| kept.as_ref().is_some_and(|kept| kept != now);
    let (up, down) = (differs(&applied.up_sha, up_now), differs(&applied.down_sha, down_now));
    (up || down).then_some(Obstacle::Edited { migration: at, up, down })
}
