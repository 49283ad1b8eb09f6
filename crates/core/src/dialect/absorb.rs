//! Changes that somebody made by hand on one provider, taken into declarations that serve several.
//!
//! What did not change stays as it is declared. What did is declared as [`super::lift`] would declare it, and only in the
//! respect in which it changed: a column whose default is another one keeps its type, its references and its words.

mod elsewhere;
mod whole;
mod words;

use thin_vec::ThinVec;
use whole::Anew;
use words::Words;

use super::naming::{NameKind, derived_name};
use super::{Dialect, lowering};
use crate::diff::{Change, Changes, ItemChange, TableAlteration, TableChange};
use crate::physical::{self, Named};
use crate::schema::{
    Column, ForeignKey, Identifier, Index, IndexPart, KeyPart, PrimaryKey, Program, Provider, Schema, Scope, Scoped,
    Table, Type,
};

/// The declarations with what changed from `expected` to `live`; `lifted` is what `live` would be declared as, and `others` are
/// the dialects that the declarations serve as well.
///
/// # Errors
///
/// What cannot be taken in, in words.
pub fn absorbed(
    dialect: Dialect,
    declared: &Schema,
    live: &physical::Schema,
    lifted: &Schema,
    changes: &Changes,
    others: &[Dialect],
) -> Result<Schema, String> {
    let mut parts = declared.clone().into_parts();
    let words = Words::of(declared, live, lifted);
    let alone = others.is_empty();
    let absorbing = Absorbing { dialect, provider: dialect.provider(), live, lifted: &words, alone };
    for change in &changes.tables {
        match change {
            TableChange::Add(table) => {
                let new = words.table(&table.name).ok_or_else(|| format!("table {} cannot be declared", table.name))?;
                parts.tables.push(new.clone());
            }
            TableChange::Drop(table) => parts.tables.retain(|one| one.name.as_str() != table.name),
            TableChange::Alter(alteration) => {
                let found = parts.tables.iter_mut().find(|one| one.name.as_str() == alteration.from.name);
                let table = found.ok_or_else(|| format!("table {} is not declared", alteration.from.name))?;
                renamed(alteration)?;
                match (absorbing.table(table, alteration), words.table(&alteration.to.name)) {
                    (Err(_), Some(lifted)) if alone => whole::declare_anew(table, lifted, Anew::ButColumns),
                    (taken, _) => taken?,
                }
            }
        }
    }
    for change in &changes.enums {
        match change {
            Change::Add(one) => parts.enums.extend(lifted.enumeration(&one.name).cloned()),
            Change::Drop(one) => parts.enums.retain(|other| other.name.as_str() != one.name),
            Change::Alter { to, .. } | Change::Rename { to, .. } => {
                let new = lifted.enumeration(&to.name).ok_or_else(|| format!("enum {} cannot be declared", to.name))?;
                for one in parts.enums.iter_mut().filter(|one| one.name.as_str() == to.name) {
                    one.words.clone_from(&new.words);
                    one.about.clone_from(&new.about);
                }
            }
        }
    }
    let same = |one: &Program, program: &physical::Program| {
        one.kind == program.kind
            && one.name.as_str() == program.name
            && one.word == program.word
            && one.scope.holds(dialect.provider())
    };
    for change in &changes.programs {
        match change {
            Change::Add(program) => {
                parts.programs.extend(lifted.programs().iter().find(|one| same(one, program)).cloned())
            }
            Change::Drop(program) => parts.programs.retain(|one| !same(one, program)),
            Change::Alter { to, .. } | Change::Rename { to, .. } => {
                let new = lifted.programs().iter().find(|one| same(one, to));
                for one in parts.programs.iter_mut().filter(|one| same(one, to)) {
                    if let Some(new) = new {
                        *one = Program { name: one.name.clone(), scope: one.scope, ..new.clone() };
                    }
                }
            }
        }
    }
    let schema = whole::settled(dialect, parts, live, &words, alone)?;
    if alone { Ok(schema) } else { elsewhere::narrowed(dialect.provider(), others, declared, live, schema) }
}

/// A database of one provider, as declarations that serve other ones as well: what some other cannot express is said for
/// the one that it was found on; `lifted` is what `live` would be declared as.
///
/// # Errors
///
/// What cannot even be said so, in words.
pub fn adopted(
    dialect: Dialect,
    lifted: Schema,
    live: &physical::Schema,
    others: &[Dialect],
) -> Result<Schema, String> {
    if others.is_empty() {
        return Ok(lifted);
    }
    elsewhere::narrowed(dialect.provider(), others, &Schema::default(), live, lifted)
}

struct Absorbing<'a> {
    dialect: Dialect,
    provider: Provider,
    live: &'a physical::Schema,
    lifted: &'a Words,
    /// Whether no other provider has a say.
    alone: bool,
}

impl Absorbing<'_> {
    fn table(&self, table: &mut Table, alteration: &TableAlteration) -> Result<(), String> {
        let name = &alteration.to.name;
        let (Some(new), Some(live)) = (self.lifted.table(name), self.live.table(name)) else {
            return Err(format!("table {name} cannot be declared"));
        };
        for item in &alteration.items {
            match item {
                ItemChange::Column(change) => self.column(table, new, change)?,
                ItemChange::PrimaryKey(change) => {
                    let held =
                        table.primary_keys.iter().find(|key| key.scope.holds(self.provider)).map(|key| key.scope);
                    table.primary_keys.retain(|key| !key.scope.holds(self.provider));
                    if !matches!(change, Change::Drop(_)) {
                        let scope = |key: &PrimaryKey| held.filter(|_| key.scope == Scope::All).unwrap_or(key.scope);
                        let keys = new.primary_keys.iter().map(|key| PrimaryKey { scope: scope(key), ..key.clone() });
                        table.primary_keys.extend(keys);
                    }
                }
                ItemChange::Unique(change) => {
                    let named = |one: &crate::schema::Unique| {
                        let columns = one.columns.iter().map(Identifier::to_string).collect();
                        self.name(table.name.base(), one.name.as_ref(), columns, NameKind::Unique)
                    };
                    let names: Vec<String> = table.uniques.iter().map(named).collect();
                    let place = came(change).and_then(|made| live.uniques.iter().position(|one| one == made));
                    let made = place.and_then(|place| new.uniques.get(place));
                    self.exchange(&mut table.uniques, &names, gone(change), made, "unique constraint")?;
                }
                ItemChange::ForeignKey(change) => {
                    let named = |one: &ForeignKey| {
                        let columns = one.columns.iter().map(Identifier::to_string).collect();
                        self.name(table.name.base(), one.name.as_ref(), columns, NameKind::ForeignKey)
                    };
                    let names: Vec<String> = table.foreign_keys.iter().map(named).collect();
                    let place = came(change).and_then(|made| live.foreign_keys.iter().position(|one| one == made));
                    let made = place.and_then(|place| new.foreign_keys.get(place));
                    let before = self.exchange(&mut table.foreign_keys, &names, gone(change), made, "reference")?;
                    let is_there = |key: &ForeignKey| {
                        let same =
                            |one: &ForeignKey| one.indexed && one.columns == key.columns && one.scope == key.scope;
                        table.foreign_keys.iter().any(same)
                    };
                    let index = before.filter(|key| key.indexed && !is_there(key)).map(index_of);
                    table.indexes.extend(index);
                }
                ItemChange::Check(change) => {
                    let before = &alteration.from;
                    let named = |one: &crate::schema::Check| {
                        let expression = crate::sql::Expression::read(&one.expression, self.dialect.syntax());
                        let columns = lowering::mentioned(before, &expression);
                        self.name(table.name.base(), one.name.as_ref(), columns, NameKind::Check)
                    };
                    let names: Vec<String> = table.checks.iter().map(named).collect();
                    let place = came(change).and_then(|made| live.checks.iter().position(|one| one == made));
                    let made = place.and_then(|place| new.checks.get(place));
                    self.exchange(&mut table.checks, &names, gone(change), made, "check")?;
                }
                ItemChange::Index(change) => {
                    let named = |one: &Index| {
                        let columns = one.parts.iter().filter_map(|part| match &part.key {
                            KeyPart::Column(name) => Some(name.to_string()),
                            KeyPart::Expression(_) => None,
                        });
                        self.name(table.name.base(), one.name.as_ref(), columns.collect(), NameKind::Index)
                    };
                    let names: Vec<String> = table.indexes.iter().map(named).collect();
                    let place = came(change).and_then(|made| live.indexes.iter().position(|one| one == made));
                    let made = place.and_then(|place| new.indexes.get(place));
                    let mut old = gone(change);
                    if let Some(key) = old.as_deref().and_then(|old| self.with_index(table, old)) {
                        key.indexed = false;
                        old = None;
                    }
                    self.exchange(&mut table.indexes, &names, old, made, "index")?;
                }
                ItemChange::Options { .. } => {
                    table.options.retain(|option| !option.scope.holds(self.provider));
                    table.options.extend(new.options.iter().cloned());
                }
                ItemChange::Comment { to, .. } => table.about.clone_from(to),
            }
        }
        Ok(())
    }

    fn name(&self, table: &str, declared: Option<&Identifier>, columns: Vec<String>, kind: NameKind) -> String {
        let limit = self.dialect.facts().identifier_limit;
        declared
            .map_or_else(|| derived_name(table, columns.iter().map(String::as_str), kind, limit), Identifier::to_string)
    }

    fn column(&self, table: &mut Table, new: &Table, change: &Change<physical::Column>) -> Result<(), String> {
        let position = |table: &Table, name: &str| table.columns.iter().position(|one| one.name.as_str() == name);
        match change {
            Change::Drop(column) => {
                table.columns.retain(|one| one.name.as_str() != column.name);
                Ok(())
            }
            Change::Add(column) => {
                let at = position(new, &column.name).ok_or_else(|| format!("{} cannot be declared", column.name))?;
                let before = new.columns[..at].iter().rev().find_map(|one| position(table, one.name.as_str()));
                table.columns.insert(before.map_or(0, |at| at + 1), new.columns[at].clone());
                Ok(())
            }
            Change::Alter { from, to } | Change::Rename { from, to } => {
                let (at, fresh) = position(table, &to.name)
                    .zip(position(new, &to.name))
                    .ok_or_else(|| format!("{} cannot be declared", to.name))?;
                self.alter(&mut table.columns[at], &new.columns[fresh], from, to);
                Ok(())
            }
        }
    }

    /// Takes over what changed, and nothing else.
    fn alter(&self, column: &mut Column, new: &Column, from: &physical::Column, to: &physical::Column) {
        if from.ty != to.ty {
            // Elsewhere it stays what it is, where this provider has a type of its own for it now.
            if self.alone || new.ty != Type::Native {
                column.ty.clone_from(&new.ty);
            }
            self.replace(&mut column.native, &new.native, |_| true);
        }
        if from.nullable != to.nullable {
            column.nullable = new.nullable;
        }
        if from.default != to.default {
            self.replace(&mut column.default, &new.default, elsewhere::is_value_for_all);
        }
        if from.generated != to.generated {
            self.replace(&mut column.generated, &new.generated, |one| elsewhere::is_for_all(&one.expression));
        }
        if from.collation != to.collation {
            self.replace(&mut column.collate, &new.collate, |_| true);
        }
        if from.identity != to.identity {
            self.replace(&mut column.identity, &new.identity, |_| true);
        }
        if from.comment != to.comment {
            column.about.clone_from(&new.about);
        }
        if from.attributes != to.attributes {
            elsewhere::kept_and_added(self.provider, &mut column.options, &new.options);
            column.on_update_now.clone_from(&new.on_update_now);
        }
    }

    /// The reference that has an index of this name along with it.
    fn with_index<'t>(&self, table: &'t mut Table, name: &str) -> Option<&'t mut ForeignKey> {
        let base = table.name.base().to_owned();
        table.foreign_keys.iter_mut().filter(|key| key.indexed && key.scope.holds(self.provider)).find(|key| {
            let columns = key.columns.iter().map(Identifier::to_string).collect();
            self.name(&base, None, columns, NameKind::Index).eq_ignore_ascii_case(name)
        })
    }

    /// Takes the one that was called so here out of a list and gives it back; what was made of it comes there, for the providers
    /// that it was for. Another provider may have another one of that name.
    fn exchange<T: Held>(
        &self,
        list: &mut Vec<T>,
        names: &[String],
        old: Option<String>,
        made: Option<&T>,
        what: &str,
    ) -> Result<Option<T>, String> {
        let mut before = None;
        if let Some(old) = old {
            let mut both = list.iter_mut().zip(names);
            let at = both.position(|(one, name)| name.eq_ignore_ascii_case(&old) && one.scope().holds(self.provider));
            let at = at.ok_or_else(|| format!("{what} {old} is declared in a way that cannot be found again"))?;
            before = Some(list.remove(at));
        }
        if let Some(mut made) = made.cloned() {
            if let Some(before) = &mut before {
                if *made.scope() == Scope::All {
                    *made.scope() = *before.scope();
                }
                made.succeed(before);
            }
            list.push(made);
        }
        Ok(before)
    }

    /// What is said for all is said anew, or for this provider where nobody else understands it.
    fn replace<T: Clone>(&self, list: &mut ThinVec<Scoped<T>>, new: &[Scoped<T>], is_for_all: impl Fn(&T) -> bool) {
        if self.alone {
            list.retain(|one| !one.scope.holds(self.provider));
            list.extend_from_slice(new);
        } else {
            elsewhere::replaced(self.provider, list, new, is_for_all);
        }
    }
}

/// Refuses what only the declarations can say.
fn renamed(alteration: &TableAlteration) -> Result<(), String> {
    let TableAlteration { from, to, items, .. } = alteration;
    if from.name != to.name {
        return Err(format!("table {} was renamed to {}: declare that with `formerly`", from.name, to.name));
    }
    let column = items.iter().find_map(|item| match item {
        ItemChange::Column(Change::Rename { from, to }) => Some((&from.name, &to.name)),
        _ => None,
    });
    match column {
        Some((from, to)) => Err(format!("column {from} was renamed to {to}: declare that with `formerly`")),
        None => Ok(()),
    }
}

/// The index of a reference, where that goes and it stays.
fn index_of(key: ForeignKey) -> Index {
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

/// The name of what goes in a change.
fn gone<T: Named>(change: &Change<T>) -> Option<String> {
    match change {
        Change::Add(_) => None,
        Change::Drop(from) | Change::Alter { from, .. } | Change::Rename { from, .. } => {
            Some(from.name().unwrap_or_default().to_owned())
        }
    }
}

/// What comes in a change.
fn came<T>(change: &Change<T>) -> Option<&T> {
    match change {
        Change::Drop(_) => None,
        Change::Add(to) | Change::Alter { to, .. } | Change::Rename { to, .. } => Some(to),
    }
}

/// What is declared for some providers under a name of its table.
trait Held: Clone {
    /// For which.
    fn scope(&mut self) -> &mut Scope;

    /// Takes over what is no part of the thing, from the one that it comes in the place of.
    fn succeed(&mut self, _before: &Self) {}
}

macro_rules! held {
    ($($ty:ident),*) => {$(
        impl Held for crate::schema::$ty {
            fn scope(&mut self) -> &mut Scope {
                &mut self.scope
            }
        }
    )*};
}

held!(Unique, Check, Index);

impl Held for ForeignKey {
    fn scope(&mut self) -> &mut Scope {
        &mut self.scope
    }

    fn succeed(&mut self, before: &Self) {
        // Its index is another thing, which stays where nobody drops it.
        self.indexed |= before.indexed && self.columns == before.columns;
    }
}
