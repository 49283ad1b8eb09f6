//! Views, triggers and routines: SQL of the user's own under a name.

use super::{Identifier, Scope};

/// What SQL of the user's own makes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum ProgramKind {
    /// A function or procedure.
    Routine,
    /// A view.
    View,
    /// A trigger.
    Trigger,
}

impl ProgramKind {
    /// The word for it in declarations and scripts.
    pub fn word(self) -> &'static str {
        match self {
            Self::Routine => "routine",
            Self::View => "view",
            Self::Trigger => "trigger",
        }
    }
}

/// A view, trigger or routine.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    /// What it is.
    pub kind: ProgramKind,
    /// Its name.
    pub name: Identifier,
    /// The table of a trigger.
    pub table: Option<Identifier>,
    /// A view's query, or the statement that makes a trigger or routine, as written.
    pub body: String,
    /// The statement that drops it, where that was said.
    pub drop: Option<String>,
    /// A description.
    pub about: Option<String>,
    /// For which providers.
    pub scope: Scope,
}
