//! A migration's scripts: SQL that any client can run, with a header before each step that the tool reads back.
//!
//! ```sql
//! --oak begin
//! begin immediate;
//!
//! --oak step 1: add column keeper.phone | add-column keeper.phone | in transaction | generated 51b1b36c12ae90aa
//! alter table keeper add column phone VARCHAR(32);
//!
//! --oak end
//! commit;
//! ```
//!
//! [`write()`] makes the text of a plan, [`write_plain`] that for other clients, [`Script::read`] takes a file apart again:
//! which steps are as they were generated, which were edited, which are somebody's own.
//!
//! Must not: run anything, or decide what a step means.

mod carry;
mod effect;
mod left;
mod read;
mod write;

pub use carry::{Carried, carry};
pub use effect::{Effect, effect};
pub use left::left_behind;
pub use read::{Foundation, Script, ScriptError, ScriptErrorKind, ScriptStatement, ScriptStep, StepOrigin};
pub use write::{Direction, empty, step_hash, write, write_plain};
