//! Types of columns that did not change: as they were declared, where a provider has one type for two.

use std::collections::BTreeMap;

use crate::dialect::Dialect;
use crate::physical;
use crate::schema::{Column, Enum, Identifier, Provider, Schema, Scope, Scoped, Table, Type};

/// A column by its table's name and its own.
pub(super) type Place = (Identifier, Identifier);

/// A database as it is stored, and as it would be declared.
pub(super) struct Found<'a> {
    lifted: &'a Schema,
    stored: BTreeMap<Identifier, &'a physical::Table>,
}

impl<'a> Found<'a> {
    pub(super) fn new(dialect: Dialect, lifted: &'a Schema, stored: &'a physical::Schema) -> Self {
        let lifting = dialect.lifting();
        Self { lifted, stored: stored.tables().map(|table| (lifting.object(&table.name), table)).collect() }
    }

    fn column(&self, (table, column): &Place) -> Option<(&Column, &physical::Column)> {
        let lifted = self.lifted.table(table.as_str())?.column(column)?;
        Some((lifted, self.stored.get(table)?.column(column.as_str())?))
    }

    /// Whether a column is of the same type in both, whatever that is called. A column that numbers rows may be lifted as
    /// one whole number or another.
    fn is_of_one_type(&self, other: &Self, place: &Place) -> bool {
        let (Some((one, stored)), Some((two, other_stored))) = (self.column(place), other.column(place)) else {
            return false;
        };
        let is_same = match (&one.ty, &two.ty) {
            (Type::Enum(name), Type::Enum(other_name)) => {
                let words =
                    |schema: &Schema, name: &Identifier| schema.enumeration(name.as_str()).map(|one| one.words.clone());
                words(self.lifted, name) == words(other.lifted, other_name)
            }
            (Type::Int(_), Type::Int(_)) => one.identity.is_empty() == two.identity.is_empty(),
            (one, other) => one == other,
        };
        is_same && stored.ty == other_stored.ty
    }
}

/// Gives columns that did not change the types that they were declared with, and references the types of what they reference.
pub(super) fn keep_types(
    dialect: Dialect,
    tables: &mut BTreeMap<Identifier, Table>,
    declared: &Schema,
    [before, found]: [Found; 2],
) {
    let mut kept: BTreeMap<Place, Column> = BTreeMap::new();
    let places = |table: &Table| {
        let name = table.name.clone();
        table.columns.iter().map(move |column| (name.clone(), column.name.clone())).collect::<Vec<_>>()
    };
    let fits = |said: &Column, place: &Place| {
        let default = found.column(place).and_then(|(lifted, _)| Scoped::pick(&lifted.default, dialect.provider()));
        default.is_none_or(|value| crate::schema::fits(&said.ty, value).is_ok())
    };
    for place in found.lifted.tables().flat_map(places) {
        let said = declared.table(place.0.as_str()).and_then(|table| table.column(&place.1));
        if let Some(said) = said.filter(|said| before.is_of_one_type(&found, &place) && fits(said, &place)) {
            kept.insert(place, said.clone());
        }
    }
    let references: Vec<(Place, Place)> = found
        .lifted
        .tables()
        .flat_map(|table| table.foreign_keys.iter().map(move |key| (table, key)))
        .flat_map(|(table, key)| {
            let columns = key.columns.iter().zip(&key.referenced_columns);
            columns.map(|(from, to)| ((table.name.clone(), from.clone()), (key.referenced_table.clone(), to.clone())))
        })
        .collect();
    let lifting = dialect.lifting();
    let enums: Vec<Enum> = declared.enums().cloned().collect();
    // A column of another's type.
    let following = |from: &Place, said: &Column| {
        let (_, stored) = found.column(from)?;
        let mut new = Column::new(from.1.clone(), said.ty.clone());
        if lifting.portable(&said.ty, &enums).as_ref() != Some(&stored.ty) {
            new.native = [own(dialect.provider(), stored.ty.text())].into();
        }
        Some((from.clone(), new))
    };
    // What comes in the place of what was referenced follows those that reference it.
    let back = references.iter().map(|(from, to)| (to, from));
    let pairs: Vec<(&Place, &Place)> = references.iter().map(|(from, to)| (from, to)).chain(back).collect();
    // By way of references to columns that are references themselves.
    loop {
        let next = pairs.iter().find_map(|(from, to)| {
            let said = kept.get(to).filter(|_| !kept.contains_key(from))?;
            following(from, said)
        });
        let Some((place, said)) = next else { break };
        kept.insert(place, said);
    }
    // What references something else now is of its type; one that references two things may stay at odds with one of them.
    for _ in &references {
        let next = references.iter().find_map(|(from, to)| {
            let (own, said) = kept.get(from).zip(kept.get(to))?;
            following(from, said).filter(|_| own.ty != said.ty)
        });
        let Some((place, said)) = next else { break };
        kept.insert(place, said);
    }
    for table in tables.values_mut() {
        for column in &mut table.columns {
            if let Some(said) = kept.get(&(table.name.clone(), column.name.clone())) {
                column.ty.clone_from(&said.ty);
                column.native.clone_from(&said.native);
            }
        }
    }
}

fn own(provider: Provider, ty: &str) -> Scoped<String> {
    Scoped { value: ty.to_owned(), scope: Scope::For(provider.into()) }
}
