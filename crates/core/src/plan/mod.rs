//! Changes in an order that the provider accepts, with what each step risks.
//!
//! [`plan`] takes the schema as it is and as it is to be, and what a person decided about the way ([`Choices`]). The down
//! direction is the same function with the two swapped: there is no second code path for it. New names are given first,
//! and the rest is planned as if everything had been called so before. What a table's differences need, one alteration in place or a rebuild, the
//! dialect says; a script's text is made later, by [`crate::script`].
//!
//! Must not: write SQL, or look at a database.

mod answer;
mod beginning;
mod burden;
mod choices;
mod deferred;
mod lasting;
mod online;
mod order;
mod programs;
mod question;
mod rebuilding;
mod renaming;
mod risk;
mod rows;
mod staged;
mod step;
mod together;

pub use burden::{Blocks, Burden};
pub use choices::{Choices, Kept, Values};
pub(crate) use online::{NEW_INDEX, REQUIRED_CHECK};
pub use order::{Placement, Plan, PlannedStep, plan};
pub use question::{About, Compared, Count, Keyed, Keys, Matter, Question, questions};
pub use risk::{Risk, RiskKind};
pub use step::{Alteration, Batch, Commented, Constraint, Copied, EnumSwap, Rebuild, Step, SwappedColumn};
