//! What differs, typed.

use super::rows::RowChanges;
use crate::physical::{Check, Column, EnumType, ForeignKey, Index, Options, PrimaryKey, Program, Table, Unique};

/// All differences, by table.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Changes {
    /// The tables that differ, by their names as they are compared.
    pub tables: Vec<TableChange>,
    /// The enum types that differ, likewise.
    pub enums: Vec<Change<EnumType>>,
    /// The views, triggers and routines that differ, by kind and name.
    pub programs: Vec<Change<Program>>,
    /// The tables whose reference rows differ.
    pub rows: Vec<RowChanges>,
}

impl Changes {
    /// Whether nothing differs.
    pub fn is_empty(&self) -> bool {
        self.tables.is_empty() && self.enums.is_empty() && self.programs.is_empty() && self.rows.is_empty()
    }
}

/// The difference of one table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum TableChange {
    /// Only the right side has it.
    Add(Table),
    /// Only the left side has it.
    Drop(Table),
    /// Both have it, not alike.
    Alter(Box<TableAlteration>),
}

impl TableChange {
    /// The table as it is to be, where both sides have it.
    pub fn altered(&self) -> Option<&Table> {
        match self {
            Self::Alter(alteration) => Some(&alteration.to),
            Self::Add(_) | Self::Drop(_) => None,
        }
    }
}

/// A table as it is and as it is to be, and what differs between the two.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TableAlteration {
    /// As it is. Where its name differs from that of `to`, the table is renamed.
    pub from: Table,
    /// As it is to be.
    pub to: Table,
    /// The differences of what is in it.
    pub items: Vec<ItemChange>,
}

/// The difference of one thing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Change<T> {
    /// Only the right side has it.
    Add(T),
    /// Only the left side has it.
    Drop(T),
    /// The same name, another definition.
    Alter {
        /// As it is.
        from: T,
        /// As it is to be.
        to: T,
    },
    /// The same definition, another name.
    Rename {
        /// As it is.
        from: T,
        /// As it is to be.
        to: T,
    },
}

impl<T> Change<T> {
    /// What the right side has of it.
    pub(crate) fn made(&self) -> Option<&T> {
        match self {
            Self::Add(to) | Self::Alter { to, .. } | Self::Rename { to, .. } => Some(to),
            Self::Drop(_) => None,
        }
    }
}

/// The difference of one item of a table.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ItemChange {
    /// A column. One that is renamed and altered has two entries, the rename first.
    Column(Change<Column>),
    /// The primary key.
    PrimaryKey(Change<PrimaryKey>),
    /// A unique constraint.
    Unique(Change<Unique>),
    /// A reference.
    ForeignKey(Change<ForeignKey>),
    /// A check.
    Check(Change<Check>),
    /// An index.
    Index(Change<Index>),
    /// The storage options.
    Options {
        /// As they are.
        from: Options,
        /// As they are to be.
        to: Options,
    },
    /// The table's description.
    Comment {
        /// As it is.
        from: Option<String>,
        /// As it is to be.
        to: Option<String>,
    },
}
