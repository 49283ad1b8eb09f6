//! Lists of words that a provider has in the columns themselves: which declared enum they are.

use std::collections::{BTreeMap, BTreeSet};

use super::types::{Found, keep_types};
use crate::dialect::{Dialect, Lifted};
use crate::physical;
use crate::schema::{Enum, Identifier, Schema, Table, Type};

/// What was lifted, by the names that the declarations have for its enums.
pub(super) struct Words {
    /// The tables.
    tables: BTreeMap<Identifier, Table>,
    /// The enums that the declarations have not, or with other words.
    enums: BTreeMap<Identifier, Enum>,
}

impl Words {
    /// Gives the lifted enums the names of declared ones: of one with the same words, else of the one that all columns of it
    /// had before, whose words have changed then. Enums that are types of the provider's have names of their own.
    /// Columns that did not change keep the types that they were declared with, since a provider may have one type for two.
    pub(super) fn of(
        dialect: Dialect,
        declared: &Schema,
        live: &physical::Schema,
        lifted: &Schema,
        before: Option<&Lifted>,
    ) -> Self {
        let mut names: BTreeMap<Identifier, Identifier> = BTreeMap::new();
        let mut enums = BTreeMap::new();
        let mut taken: BTreeSet<Identifier> = declared.enums().map(|one| one.name.clone()).collect();
        taken.extend(declared.tables().map(|table| table.name.clone()));
        let types: BTreeSet<&str> = live.enums().map(|one| one.name.as_str()).collect();
        let (known, unknown): (Vec<_>, Vec<_>) = lifted
            .enums()
            .filter(|one| !types.contains(one.name.as_str()))
            .partition(|one| declared.enums().any(|other| other.words == one.words));
        for one in known {
            let equal = || declared.enums().filter(|other| other.words == one.words);
            let own = equal().find(|other| other.name == one.name).or_else(|| equal().next());
            names.extend(own.map(|own| (one.name.clone(), own.name.clone())));
        }
        for one in unknown {
            let grown = grown(declared, lifted, one).filter(|name| !enums.contains_key(name));
            let name = grown.unwrap_or_else(|| free(&one.name, &taken));
            taken.insert(name.clone());
            enums.insert(name.clone(), Enum { name: name.clone(), ..one.clone() });
            names.insert(one.name.clone(), name);
        }
        let renamed = |table: &Table| {
            let mut table = table.clone();
            for column in &mut table.columns {
                if let Type::Enum(name) = &mut column.ty
                    && let Some(new) = names.get(name)
                {
                    name.clone_from(new);
                }
            }
            (table.name.clone(), table)
        };
        let mut tables: BTreeMap<Identifier, Table> = lifted.tables().map(renamed).collect();
        if let Some(before) = before {
            let before = Found::new(dialect, &before.schema, &before.lowered);
            keep_types(dialect, &mut tables, declared, [before, Found::new(dialect, lifted, live)]);
        }
        Self { tables, enums }
    }

    /// The lifted table of this name.
    pub(super) fn table(&self, name: &Identifier) -> Option<&Table> {
        self.tables.get(name)
    }

    /// Brings declared enums to the words that the columns have now, and adds those that tables name and nobody declared.
    pub(super) fn settle(&self, enums: &mut Vec<Enum>, tables: &[Table]) {
        let columns = tables.iter().flat_map(|table| &table.columns);
        let named: BTreeSet<&Identifier> = columns
            .filter_map(|column| match &column.ty {
                Type::Enum(name) => Some(name),
                _ => None,
            })
            .collect();
        for (name, new) in self.enums.iter().filter(|(name, _)| named.contains(name)) {
            match enums.iter_mut().find(|one| one.name == *name) {
                Some(one) => one.words.clone_from(&new.words),
                None => enums.push(new.clone()),
            }
        }
    }
}

/// The declared enum whose columns all have the words of the lifted one now.
fn grown(declared: &Schema, lifted: &Schema, one: &Enum) -> Option<Identifier> {
    let columns = |schema: &Schema, wanted: &Identifier| -> BTreeSet<(Identifier, Identifier)> {
        let all = schema.tables().flat_map(|table| table.columns.iter().map(move |column| (table, column)));
        let of_it = all.filter(|(_, column)| matches!(&column.ty, Type::Enum(name) if name == wanted));
        of_it.map(|(table, column)| (table.name.clone(), column.name.clone())).collect()
    };
    let now = columns(lifted, &one.name);
    let of_it = |other: &&Enum| {
        let before = columns(declared, &other.name);
        !before.is_empty() && before.is_subset(&now)
    };
    declared.enums().find(of_it).map(|other| other.name.clone())
}

/// A name that nothing has yet.
pub(super) fn free(name: &Identifier, taken: &BTreeSet<Identifier>) -> Identifier {
    let numbered = (2..).map(|number| Identifier::new(format!("{name}_{number}")));
    std::iter::once(name.clone()).chain(numbered).find(|name| !taken.contains(name)).unwrap_or_else(|| name.clone())
}
