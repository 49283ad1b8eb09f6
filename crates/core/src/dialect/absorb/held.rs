//! What a table declares beside its columns, and what is stored for it.

use super::Dialect;
use crate::dialect::lowering;
use crate::dialect::naming::{NameKind, derived_name};
use crate::physical;
use crate::schema::{Check, Column, ForeignKey, Identifier, Index, IndexPart, KeyPart, Scope, Table, Type, Unique};
use crate::sql::Expression;

/// The names of what is stored for a table of one provider.
#[derive(Clone, Copy)]
pub(super) struct Naming<'a> {
    pub(super) dialect: Dialect,
    /// The table's own name, without its namespace.
    pub(super) table: &'a str,
    /// As it is stored.
    pub(super) stored: &'a physical::Table,
}

impl Naming<'_> {
    fn name(&self, declared: Option<&Identifier>, columns: &[String], kind: NameKind) -> String {
        let limit = self.dialect.facts().identifier_limit;
        let columns = columns.iter().map(String::as_str);
        declared.map_or_else(|| derived_name(self.table, columns, kind, limit), Identifier::to_string)
    }

    /// The columns that an expression reads.
    fn mentioned(&self, text: &str) -> Vec<String> {
        lowering::mentioned(self.stored, &Expression::read(text, self.dialect.syntax()))
    }

    /// The name of the index that a reference asks for.
    pub(super) fn index_of(&self, key: &ForeignKey) -> String {
        self.name(None, &texts(&key.columns), NameKind::Index)
    }

    /// Whether this is the name of a check that stands in for a type which the provider does not have.
    pub(super) fn is_of_type(&self, column: &Column, name: &str) -> bool {
        self.check_of_type(column).is_some_and(|own| own.eq_ignore_ascii_case(name))
    }

    /// The name of the check that stands in for a type which the provider does not have.
    pub(super) fn check_of_type(&self, column: &Column) -> Option<String> {
        let kind = match column.ty {
            Type::Json => NameKind::JsonCheck,
            Type::Enum(_) => NameKind::EnumCheck,
            _ => return None,
        };
        Some(self.name(None, &[column.name.to_string()], kind))
    }
}

fn texts(names: &[Identifier]) -> Vec<String> {
    names.iter().map(Identifier::to_string).collect()
}

/// Something that a table holds, of whichever kind.
#[derive(Clone, PartialEq)]
pub(super) enum AnyHeld {
    Unique(Unique),
    ForeignKey(ForeignKey),
    Check(Check),
    Index(Index),
}

impl AnyHeld {
    /// For whom.
    pub(super) fn scope(&mut self) -> &mut Scope {
        match self {
            Self::Unique(one) => &mut one.scope,
            Self::ForeignKey(one) => &mut one.scope,
            Self::Check(one) => &mut one.scope,
            Self::Index(one) => &mut one.scope,
        }
    }

    /// For whom the table has it.
    pub(super) fn scope_in(&self, table: &Table) -> Option<Scope> {
        match self {
            Self::Unique(one) => scope_in(&table.uniques, one),
            Self::ForeignKey(one) => scope_in(&table.foreign_keys, one),
            Self::Check(one) => scope_in(&table.checks, one),
            Self::Index(one) => scope_in(&table.indexes, one),
        }
    }

    /// Declares it in the table.
    pub(super) fn put(self, table: &mut Table) {
        match self {
            Self::Unique(one) => table.uniques.push(one),
            Self::ForeignKey(one) => table.foreign_keys.push(one),
            Self::Check(one) => table.checks.push(one),
            Self::Index(one) => table.indexes.push(one),
        }
    }
}

/// Where a list has the same for whomever.
pub(super) fn place_of<T: Held + PartialEq>(list: &[T], one: &T) -> Option<usize> {
    let mut one = one.clone();
    list.iter().position(|like| {
        *one.scope() = like.for_whom();
        *like == one
    })
}

fn scope_in<T: Held + PartialEq>(list: &[T], one: &T) -> Option<Scope> {
    place_of(list, one).map(|place| list[place].for_whom())
}

/// Something that a table holds under a name of its own.
pub(super) trait Held: Clone {
    /// The same, as one of many kinds.
    fn any(self) -> AnyHeld;
    /// For whom.
    fn for_whom(&self) -> Scope;
    /// The same, to be changed.
    fn scope(&mut self) -> &mut Scope;
    /// The name that was declared.
    fn said_name(&mut self) -> &mut Option<Identifier>;
    /// All of its kind.
    fn list(table: &Table) -> &Vec<Self>;
    /// The same, to be changed.
    fn list_mut(table: &mut Table) -> &mut Vec<Self>;
    /// The name it is stored under.
    fn name(&self, naming: &Naming) -> String;
    /// Takes over what is no part of the thing, from the one that it comes in the place of.
    fn succeed(&mut self, _before: &Self) {}
}

macro_rules! held {
    ($ty:ident, $list:ident) => {
        fn any(self) -> AnyHeld {
            AnyHeld::$ty(self)
        }

        fn for_whom(&self) -> Scope {
            self.scope
        }

        fn scope(&mut self) -> &mut Scope {
            &mut self.scope
        }

        fn said_name(&mut self) -> &mut Option<Identifier> {
            &mut self.name
        }

        fn list(table: &Table) -> &Vec<Self> {
            &table.$list
        }

        fn list_mut(table: &mut Table) -> &mut Vec<Self> {
            &mut table.$list
        }
    };
}

impl Unique {
    /// Whether it is over just what a stored key is over.
    pub(super) fn is_over(&self, columns: &[physical::KeyColumn]) -> bool {
        self.columns.iter().map(Identifier::as_str).eq(columns.iter().map(|one| one.name.as_str()))
    }
}

impl Held for Unique {
    held!(Unique, uniques);

    fn name(&self, naming: &Naming) -> String {
        naming.name(self.name.as_ref(), &texts(&self.columns), NameKind::Unique)
    }
}

impl Held for ForeignKey {
    held!(ForeignKey, foreign_keys);

    fn name(&self, naming: &Naming) -> String {
        naming.name(self.name.as_ref(), &texts(&self.columns), NameKind::ForeignKey)
    }

    fn succeed(&mut self, before: &Self) {
        // Its index is another thing, which stays where nobody drops it.
        self.indexed |= before.indexed && self.columns == before.columns;
    }
}

impl Held for Check {
    held!(Check, checks);

    fn name(&self, naming: &Naming) -> String {
        naming.name(self.name.as_ref(), &naming.mentioned(&self.expression), NameKind::Check)
    }
}

impl Held for Index {
    held!(Index, indexes);

    fn name(&self, naming: &Naming) -> String {
        let columns = self.parts.iter().flat_map(|part| match &part.key {
            KeyPart::Column(name) => vec![name.to_string()],
            KeyPart::Expression(text) => naming.mentioned(text),
        });
        naming.name(self.name.as_ref(), &columns.collect::<Vec<_>>(), NameKind::Index)
    }
}

/// The index of a reference, where that goes and it stays.
pub(super) fn index_of(key: ForeignKey) -> Index {
    Index {
        name: None,
        unique: false,
        parts: key.columns.into_iter().map(IndexPart::column).collect(),
        predicate: None,
        including: Vec::new(),
        method: None,
        options: Vec::new(),
        scope: key.scope,
    }
}

/// What would be declared for something that is stored under this name, or without one.
pub(super) fn made<T: Held>(
    new: &Table,
    naming: &Naming,
    name: Option<&str>,
    is_said: impl Fn(&T) -> bool,
) -> Option<T> {
    let is_it = |one: &&T| name.map_or_else(|| is_said(one), |name| one.name(naming) == name);
    T::list(new).iter().find(is_it).cloned()
}
