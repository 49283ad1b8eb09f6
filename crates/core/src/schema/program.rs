//! Views, triggers, routines and other objects: SQL of the user's own under a name.

use super::{Identifier, Scope, Type};

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
    /// The clauses that its SQL follows from, in place of a body.
    pub form: Option<Form>,
    /// The statement that drops it, where that was said.
    pub drop: Option<String>,
    /// Other objects and tables that have to be there before it, beside those that its SQL names.
    pub after: Vec<Identifier>,
    /// A description.
    pub about: Option<String>,
    /// For which providers.
    pub scope: Scope,
}

/// An object that is declared in clauses, and whose SQL follows from them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Form {
    /// `domain NAME TYPE, check (…)`
    Domain(Domain),
    /// `grant select on T to ROLE`
    Grant(Grant),
    /// `exclude using METHOD (…)` of a table.
    Exclusion(Exclusion),
}

/// A type with rules.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Domain {
    /// The type that it is of; [`Type::Native`] where that is the provider's own.
    pub ty: Type,
    /// The provider's own type.
    pub native: Option<String>,
    /// Its checks, each with its name where it has one; `value` stands for a value.
    pub checks: Vec<(Option<Identifier>, String)>,
}

/// Privileges of one role on one table, view or sequence.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Grant {
    /// The privileges, in small letters, sorted.
    pub privileges: Vec<String>,
    /// Whether they are on a sequence.
    pub on_sequence: bool,
    /// What they are on.
    pub target: Identifier,
    /// Who has them.
    pub role: Identifier,
    /// Whether the role may pass them on.
    pub with_option: bool,
}

impl Grant {
    /// The name by which it is told from others.
    pub fn name(&self) -> Identifier {
        let option = if self.with_option { " with grant option" } else { "" };
        Identifier::new(format!("{} on {}{option}", self.role, self.target))
    }
}

/// What must not agree in two rows of a table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Exclusion {
    /// The table.
    pub table: Identifier,
    /// Its name, where it was declared.
    pub name: Option<Identifier>,
    /// The access method.
    pub method: Identifier,
    /// Each column or expression with its operator, in the provider's SQL.
    pub parts: String,
    /// Which rows it is about.
    pub predicate: Option<String>,
}

impl Exclusion {
    /// The name by which it is told from others.
    pub fn label(&self) -> Identifier {
        match &self.name {
            Some(name) => Identifier::new(format!("{name} on {}", self.table)),
            None => Identifier::new(format!("{} ({}) on {}", self.method, self.parts, self.table)),
        }
    }
}
