//! Compares two physical schemas of one provider and lists what has to change between them.
//!
//! [`diff`] takes two schemas and returns [`Changes`] sorted by table; an order a server accepts is [`crate::plan`]'s
//! work. A change says *what* differs, never how it is written.
//!
//! Must not: mention SQL, ask which dialect, or drop a difference it does not understand.

mod apart;
mod changes;
mod compare;
mod declared;
mod describe;
mod likeness;
mod reconcile;
mod renames;
mod rows;

pub use apart::doubtful_apart;
pub use changes::{Change, Changes, ItemChange, TableAlteration, TableChange};
pub use compare::{diff, diff_renamed};
pub(crate) use declared::table_called;
pub use describe::{Detail, Line, TableReport, Verb, column_text, describe, in_one_line};
pub use likeness::{Candidate, candidates};
pub use reconcile::{StoredForm, Wording, doubtful, doubtful_views, overlook_comments, recognize, settle};
pub use renames::Renames;
pub use rows::{RowChanges, RowUpdate, diff_rows};
