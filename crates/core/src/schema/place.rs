//! Addresses of declared items, so that a fault found later can be shown where the item was written.

use super::Identifier;

/// The address of a part of an item of a table or enum.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Place {
    /// The table or enum.
    pub owner: Identifier,
    /// The item in it. Keys and indexes are numbered in the order of [`super::Table`]'s lists.
    pub item: Item,
    /// The part of the item.
    pub part: Part,
}

impl Place {
    /// The whole of an item.
    pub fn whole(owner: &Identifier, item: Item) -> Self {
        Self { owner: owner.clone(), item, part: Part::Whole }
    }

    /// A part of the same item.
    pub fn part(mut self, part: Part) -> Self {
        self.part = part;
        self
    }
}

/// An item of a table, or an enum.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Item {
    /// The table itself.
    Table,
    /// The n-th column.
    Column(usize),
    /// The primary key.
    PrimaryKey,
    /// The n-th unique constraint.
    Unique(usize),
    /// The n-th foreign key.
    ForeignKey(usize),
    /// The n-th check.
    Check(usize),
    /// The n-th index.
    Index(usize),
    /// The n-th storage option.
    Option(usize),
    /// The enum itself.
    Enum,
    /// The view, trigger or routine.
    Program,
    /// The reference rows of the table.
    Rows,
    /// The n-th reference row.
    Row(usize),
}

/// A part of an item.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Part {
    /// All of it.
    Whole,
    /// Its name.
    Name,
    /// A column's type.
    Type,
    /// A column's default.
    Default,
    /// A column's identity clause.
    Identity,
    /// A column's `on update now`.
    OnUpdate,
    /// The n-th column, part or word of its list.
    Element(usize),
    /// The referenced table.
    ReferencedTable,
    /// The n-th referenced column.
    Referenced(usize),
    /// Its expression or condition.
    Expression,
    /// The name it had before; of an enum, the n-th word's.
    Formerly(usize),
}
