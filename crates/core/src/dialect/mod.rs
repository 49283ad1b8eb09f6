//! What differs from provider to provider: a closed set, an exhaustive `match` at this door, a folder for each.
//!
//! [`Dialect::lower`] turns a logical schema into a physical one, [`Dialect::introspect`] reads the provider's own
//! definitions, [`Dialect::alteration`] says what can be changed in place, [`Dialect::render`] writes a step as SQL.
//!
//! Must not: decide an order ([`crate::plan`]) or what differs ([`crate::diff`]).

mod facts;
mod naming;
mod sqlite;

pub use facts::{Facts, IdentifierLimit};
pub use naming::{NameKind, derived_name};
pub use sqlite::catalogue::Definition;

use crate::diff::TableAlteration;
use crate::physical::{self, Introspected};
use crate::plan::{Alteration, Step};
use crate::schema::{Fault, Provider, Schema};

/// The SQL dialects this program writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Dialect {
    /// SQLite.
    Sqlite,
}

/// A physical schema and what is worth a warning about it.
#[derive(Debug)]
pub struct Lowered {
    /// What the provider will store.
    pub schema: physical::Schema,
    /// Warnings.
    pub warnings: Vec<Fault>,
}

impl Dialect {
    /// The dialect of a provider, if this version writes it.
    pub fn of(provider: Provider) -> Option<Self> {
        match provider {
            Provider::Sqlite => Some(Self::Sqlite),
            Provider::Postgres | Provider::Mariadb | Provider::Mysql | Provider::Sqlserver => None,
        }
    }

    /// The provider it is written for.
    pub fn provider(self) -> Provider {
        match self {
            Self::Sqlite => Provider::Sqlite,
        }
    }

    /// What it can do.
    pub fn facts(self) -> Facts {
        match self {
            Self::Sqlite => sqlite::FACTS,
        }
    }

    /// What the provider stores for a logical schema.
    ///
    /// # Errors
    ///
    /// Every fault, warnings among them, where the provider cannot express some item.
    pub fn lower(self, schema: &Schema) -> Result<Lowered, Vec<Fault>> {
        match self {
            Self::Sqlite => sqlite::lower::lower(schema),
        }
    }

    /// The physical schema that the catalogue's definitions describe.
    pub fn introspect(self, definitions: Vec<Definition>) -> Introspected {
        match self {
            Self::Sqlite => sqlite::catalogue::introspect(definitions),
        }
    }

    /// How the differences of one table can be made.
    pub fn alteration(self, alteration: &TableAlteration) -> Alteration {
        match self {
            Self::Sqlite => sqlite::alter::alteration(alteration),
        }
    }

    /// The statements of a step, without their closing semicolons.
    pub fn render(self, step: &Step) -> Vec<String> {
        match self {
            Self::Sqlite => sqlite::render::render(step),
        }
    }

    /// Whether a value is stored in the same way under both types.
    pub fn stores_alike(self, from: &physical::TypeName, to: &physical::TypeName) -> bool {
        match self {
            Self::Sqlite => sqlite::affinity::affinity(from) == sqlite::affinity::affinity(to),
        }
    }

    /// A name as SQL text, quoted where it has to be.
    pub fn quote(self, name: &str) -> String {
        match self {
            Self::Sqlite => sqlite::quote::quote(name),
        }
    }
}
