//! Views, triggers and routines as one provider stores them.

use serde::Serialize;

use super::{ObjectKind, Unmanaged};
use crate::schema::ProgramKind;
use crate::sql::Expression;

/// A view, trigger or routine.
#[derive(Clone, Debug, Serialize)]
pub struct Program {
    /// What it is.
    pub kind: ProgramKind,
    /// Its name.
    pub name: String,
    /// The table of a trigger.
    pub table: Option<String>,
    /// A view's query, or all that makes a trigger or routine.
    pub body: Expression,
    /// A description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
    /// The statement that makes it.
    #[serde(skip)]
    pub create: String,
    /// The statement that drops it.
    #[serde(skip)]
    pub drop: String,
}

// How it is made and dropped follows from what it is.
impl PartialEq for Program {
    fn eq(&self, other: &Self) -> bool {
        (self.kind, &self.name, &self.table, &self.body, &self.comment)
            == (other.kind, &other.name, &other.table, &other.body, &other.comment)
    }
}

impl Eq for Program {}

impl Program {
    /// What it is called where nobody declared it.
    pub fn as_unmanaged(&self) -> Unmanaged {
        let kind = match self.kind {
            ProgramKind::View => ObjectKind::View,
            ProgramKind::Trigger => ObjectKind::Trigger,
            ProgramKind::Routine => ObjectKind::Routine,
        };
        Unmanaged { kind, name: self.name.clone(), table: self.table.clone(), sql: self.create.clone() }
    }

    /// Whether its SQL names this.
    pub fn mentions(&self, name: &str) -> bool {
        let text = self.create.to_lowercase();
        let name = name.to_lowercase();
        let is_letter = |character: char| character.is_alphanumeric() || character == '_';
        text.match_indices(&name).any(|(at, found)| {
            let before = text[..at].chars().next_back().is_some_and(is_letter);
            let after = text[at + found.len()..].chars().next().is_some_and(is_letter);
            !before && !after
        })
    }
}
