//! The chain of migrations, and how a target stands to it.
//!
//! A migration is known by its id, which never changes; number, slug and folder are labels. Its parents make the chain.
//! What a target has is worked out from the events of its journal.
//!
//! Must not: read folders or databases.

mod chain;
mod decisions;
mod journal;
mod record;
mod standing;

pub use chain::{History, HistoryFault, Migration, NotFound, slug};
pub use decisions::{DecisionFault, Decisions, KEPT_PREFIX, kept_tail};
pub use journal::{Applied, Event, EventKind, JournalState, KeptScripts, SYNC, Synced, Unfinished};
pub use record::{Acceptance, FORMAT, Record, RecordError, StepRecord, StepRecords};
pub use standing::{Obstacle, Standing, standing};
