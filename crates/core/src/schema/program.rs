//! Views, triggers, routines and other objects: SQL of the user's own under a name.

use super::{Identifier, Scope};

/// What SQL of the user's own makes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
#[serde(rename_all = "lowercase")]
pub enum ProgramKind {
    /// Anything else the provider has, by the provider's own word for it.
    Object,
    /// A function or procedure.
    Routine,
    /// A view.
    View,
    /// A view that keeps its rows.
    #[serde(rename = "materialized view")]
    MaterializedView,
    /// A trigger.
    Trigger,
}

impl ProgramKind {
    /// The word for it in declarations and scripts.
    pub fn word(self) -> &'static str {
        match self {
            Self::Routine => "routine",
            Self::View => "view",
            Self::MaterializedView => "materialized view",
            Self::Object => "object",
            Self::Trigger => "trigger",
        }
    }

    /// Whether it is made of a query, which reads tables.
    pub fn is_view(self) -> bool {
        matches!(self, Self::View | Self::MaterializedView)
    }
}

/// A view, trigger, routine or other object.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Program {
    /// What it is.
    pub kind: ProgramKind,
    /// The provider's word for an object: `sequence`, `domain`.
    pub word: Option<String>,
    /// Its name.
    pub name: Identifier,
    /// The table of a trigger.
    pub table: Option<Identifier>,
    /// A view's query, or the statement that makes a trigger or routine, as written.
    pub body: String,
    /// The statement that drops it, where that was said.
    pub drop: Option<String>,
    /// Other objects and tables that have to be there before it, beside those that its SQL names.
    pub after: Vec<Identifier>,
    /// A description.
    pub about: Option<String>,
    /// For which providers.
    pub scope: Scope,
}
