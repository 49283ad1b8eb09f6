//! What a target was given, from the events of its journal.

use std::fmt;

use serde::Serialize;

use crate::script::Direction;

/// The kinds of events.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum EventKind {
    /// A migration's first step is about to run.
    Started,
    /// A step is done.
    Step,
    /// A migration is done.
    Applied,
    /// A step failed.
    Failed,
    /// An interrupted migration goes on.
    Resumed,
    /// A migration was undone.
    Reverted,
    /// A migration describes what was there before.
    Adopted,
    /// A migration counts as applied though nothing ran.
    MarkedApplied,
    /// A migration counts as pending though nothing ran.
    MarkedPending,
    /// The declarations were brought to the target without a migration.
    Synced,
}

impl EventKind {
    const ALL: [Self; 10] = [
        Self::Started,
        Self::Step,
        Self::Applied,
        Self::Failed,
        Self::Resumed,
        Self::Reverted,
        Self::Adopted,
        Self::MarkedApplied,
        Self::MarkedPending,
        Self::Synced,
    ];

    /// The word in the journal.
    pub fn word(self) -> &'static str {
        match self {
            Self::Started => "started",
            Self::Step => "step",
            Self::Applied => "applied",
            Self::Failed => "failed",
            Self::Resumed => "resumed",
            Self::Reverted => "reverted",
            Self::Adopted => "adopted",
            Self::MarkedApplied => "marked_applied",
            Self::MarkedPending => "marked_pending",
            Self::Synced => "synced",
        }
    }

    /// The event of a word, if it is one.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }
}

impl fmt::Display for EventKind {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.word())
    }
}

/// One row of the journal, as far as it says what is applied.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Event {
    /// Its place in the order of events.
    pub seq: i64,
    /// The migration's id.
    pub migration: String,
    /// The migration's title.
    pub title: String,
    /// What happened.
    pub kind: EventKind,
    /// For the progress of a run: how many steps were done.
    pub step: Option<i64>,
    /// For the progress of a run: `up` or `down`, and what is under way.
    pub reason: Option<String>,
    /// Hash of the up script.
    pub up_sha: Option<String>,
    /// Hash of the down script.
    pub down_sha: Option<String>,
    /// When, UTC.
    pub at: String,
    /// By whom.
    pub by: String,
}

/// What stands in an event in place of a migration's id where something ran that is of none: a sync, what undoes a change
/// by hand, what empties a target before it is rebuilt. It is drawn up anew each time and not gone on with.
pub const SYNC: &str = "sync";

/// A run that began and did not end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unfinished {
    /// The migration's id.
    pub migration: String,
    /// The migration's title.
    pub title: String,
    /// Which way it went.
    pub direction: Direction,
    /// How many steps of its script are known to be done; the next one may have taken effect as well.
    pub steps_done: usize,
    /// Hash of the up script.
    pub up_sha: Option<String>,
    /// Hash of the down script.
    pub down_sha: Option<String>,
}

impl Unfinished {
    /// The entry that the migration would have if it were done.
    pub fn as_applied(&self) -> Applied {
        Applied {
            migration: self.migration.clone(),
            title: self.title.clone(),
            kind: EventKind::Started,
            up_sha: self.up_sha.clone(),
            down_sha: self.down_sha.clone(),
            at: String::new(),
            by: String::new(),
        }
    }
}

/// A migration that a target has.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Applied {
    /// Its id.
    pub migration: String,
    /// Its title at the time.
    pub title: String,
    /// How it came there: applied, adopted or marked.
    pub kind: EventKind,
    /// Hash of the up script that ran.
    pub up_sha: Option<String>,
    /// Hash of the down script kept with it.
    pub down_sha: Option<String>,
    /// When, UTC.
    pub at: String,
    /// By whom.
    pub by: String,
}

/// A run of no migration.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Synced {
    /// When, UTC.
    pub at: String,
    /// By whom.
    pub by: String,
}

/// Both scripts of an applied migration, as kept in the target.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptScripts {
    /// The up script.
    pub up: String,
    /// The down script.
    pub down: String,
}

/// What a target has, in the order in which it got it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct JournalState {
    /// The migrations it has.
    pub applied: Vec<Applied>,
    /// A run that began and did not end; at most one, since nothing else runs before it is settled.
    pub unfinished: Option<Unfinished>,
    /// The last time that something ran which is of no migration.
    pub synced: Option<Synced>,
    /// The last event's place, 0 where there is none; it changes whenever anything happened.
    pub last_seq: i64,
}

impl JournalState {
    /// Works out the state from all events in order.
    pub fn from_events(events: impl IntoIterator<Item = Event>) -> Self {
        let mut state = Self::default();
        for event in events {
            state.last_seq = event.seq;
            state.note_progress(&event);
            match event.kind {
                EventKind::Applied | EventKind::Adopted | EventKind::MarkedApplied => {
                    state.applied.retain(|one| one.migration != event.migration);
                    state.applied.push(Applied {
                        migration: event.migration,
                        title: event.title,
                        kind: event.kind,
                        up_sha: event.up_sha,
                        down_sha: event.down_sha,
                        at: event.at,
                        by: event.by,
                    });
                }
                EventKind::Reverted | EventKind::MarkedPending => {
                    state.applied.retain(|one| one.migration != event.migration);
                }
                EventKind::Synced => state.synced = Some(Synced { at: event.at, by: event.by }),
                EventKind::Started | EventKind::Step | EventKind::Failed | EventKind::Resumed => {}
            }
        }
        state
    }

    fn note_progress(&mut self, event: &Event) {
        let direction = match event.reason.as_deref().and_then(|reason| reason.split_ascii_whitespace().next()) {
            Some("down") => Direction::Down,
            _ => Direction::Up,
        };
        match event.kind {
            EventKind::Started if event.migration == SYNC => {}
            EventKind::Started => {
                self.unfinished = Some(Unfinished {
                    migration: event.migration.clone(),
                    title: event.title.clone(),
                    direction,
                    steps_done: 0,
                    up_sha: event.up_sha.clone(),
                    down_sha: event.down_sha.clone(),
                });
            }
            EventKind::Step => {
                if let Some(unfinished) = &mut self.unfinished {
                    unfinished.steps_done = event.step.and_then(|step| usize::try_from(step).ok()).unwrap_or_default();
                }
            }
            EventKind::Failed | EventKind::Resumed => {}
            EventKind::Applied
            | EventKind::Reverted
            | EventKind::Adopted
            | EventKind::MarkedApplied
            | EventKind::MarkedPending
            | EventKind::Synced => self.unfinished = None,
        }
    }

    /// The entry of a migration.
    pub fn get(&self, id: &str) -> Option<&Applied> {
        self.applied.iter().find(|one| one.migration == id)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_applied_follows_from_the_events() {
        let event = |seq, migration: &str, kind| Event {
            seq,
            migration: migration.into(),
            title: String::new(),
            kind,
            step: None,
            reason: None,
            up_sha: None,
            down_sha: None,
            at: String::new(),
            by: String::new(),
        };
        let state = JournalState::from_events([
            event(1, "a", EventKind::Applied),
            event(2, "b", EventKind::Applied),
            event(3, "b", EventKind::Reverted),
            event(4, "c", EventKind::Failed),
            event(5, "d", EventKind::MarkedApplied),
            event(6, "a", EventKind::MarkedPending),
            event(7, "a", EventKind::Applied),
        ]);
        let ids: Vec<_> = state.applied.iter().map(|one| one.migration.as_str()).collect();
        assert_eq!((ids.as_slice(), state.last_seq), (["d", "a"].as_slice(), 7));
        let unfinished = |migration: &str| {
            let begun = [event(8, migration, EventKind::Started), event(9, migration, EventKind::Step)];
            JournalState::from_events(begun).unfinished.map(|one| one.migration)
        };
        assert_eq!((unfinished("e").as_deref(), unfinished(SYNC)), (Some("e"), None));
        assert!(state.synced.is_none());
        assert!(JournalState::from_events([event(8, SYNC, EventKind::Synced)]).synced.is_some());
    }
}
