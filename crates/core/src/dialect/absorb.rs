//! Changes that somebody made by hand on one provider, taken into declarations that serve several.
//!
//! What did not change stays as it is declared. What did is declared as [`super::lift`] would declare it, and only in the
//! respect in which it changed: a column whose default is another one keeps its type, its references and its words.

mod by_check;
mod elsewhere;
mod gone;
mod held;
mod rest;
mod types;
mod whole;
mod words;

use gone::Gone;
use held::{AnyHeld, Held, Naming, index_of, made};
use rest::{Exchanged, completed, kept_by_others};
use thin_vec::ThinVec;
use whole::Anew;
use words::Words;

use super::{Dialect, Lifted, lift};
use crate::diff::{Change, Changes, ItemChange, TableAlteration, TableChange};
use crate::physical::{self, Introspected, Named};
use crate::schema::{
    Check, Column, ForeignKey, Generated, Identifier, Identity, Index, PrimaryKey, Program, Provider, Schema, Scope,
    Scoped, Table, Type, Unique, Value,
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
    let lifted = &by_check::typed(dialect, declared, live, lifted);
    let words = Words::of(dialect, declared, live, lifted, before(dialect, declared).as_ref());
    let alone = others.is_empty();
    let lifting = dialect.lifting();
    let mut absorbing = Absorbing {
        dialect,
        provider: dialect.provider(),
        live,
        lifted: &words,
        alone,
        unfound: Vec::new(),
        exchanged: Vec::new(),
    };
    let mut gone = Gone::default();
    for change in &changes.tables {
        match change {
            TableChange::Add(table) => {
                let name = lifting.object(&table.name);
                let new = words.table(&name).ok_or_else(|| format!("table {name} cannot be declared"))?;
                parts.tables.push(new.clone());
            }
            TableChange::Drop(table) => {
                let name = lifting.object(&table.name);
                parts.tables.retain(|one| one.name != name);
                gone.table(name);
            }
            TableChange::Alter(alteration) => {
                let name = lifting.object(&alteration.from.name);
                let found = parts.tables.iter_mut().find(|one| one.name == name);
                let table = found.ok_or_else(|| format!("table {name} is not declared"))?;
                renamed(alteration)?;
                match (absorbing.table(table, alteration), words.table(&name)) {
                    (Err(_), Some(lifted)) if alone => whole::declare_anew(table, lifted, Anew::ButColumns),
                    (taken, _) => taken?,
                }
                gone.lost(&name, alteration);
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
                let Some(new) = lifted.programs().iter().find(|one| same(one, to)) else { continue };
                let Some(at) = parts.programs.iter().position(|one| same(one, to)) else { continue };
                let old = &mut parts.programs[at];
                let is_for_others = others.iter().any(|other| old.scope.holds(other.provider()));
                // A query that the others may not understand is this provider's, and they keep theirs.
                match old.scope.without(dialect.provider()).filter(|_| is_for_others) {
                    Some(rest) if to.kind.is_view() && !elsewhere::is_query_for_all(&new.body) => {
                        old.scope = rest;
                        parts.programs.push(new.clone());
                    }
                    _ => *old = Program { name: old.name.clone(), scope: old.scope, ..new.clone() },
                }
            }
        }
    }
    if alone {
        return whole::settled(dialect, parts, live, &words);
    }
    let Absorbing { unfound, exchanged, .. } = absorbing;
    gone.forget(dialect, &mut parts);
    let narrowing = elsewhere::Narrowing { dialect, others, declared, live, words: Some(&words) };
    let schema = kept_by_others(dialect, others, narrowing.narrowed(parts)?, exchanged);
    let schema = completed(dialect, schema, live, &words)?;
    let stored = dialect.lower(&schema).map_err(|faults| elsewhere::said(&faults))?.schema;
    match unfound.into_iter().next() {
        Some(first) if !whole::differing(live, &stored).is_empty() => Err(first),
        _ => Ok(schema),
    }
}

/// What a provider has of declarations, as it would be declared: what it keeps apart, and what it does not.
fn before(dialect: Dialect, declared: &Schema) -> Option<Lifted> {
    let stored = dialect.lower(declared).ok()?.schema;
    let found = lift(dialect, &Introspected { schema: stored, unmanaged: Vec::new() }).ok()?;
    Some(Lifted { schema: by_check::typed(dialect, declared, &found.lowered, &found.schema), ..found })
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
    let nothing = Schema::default();
    elsewhere::Narrowing { dialect, others, declared: &nothing, live, words: None }.narrowed(lifted.into_parts())
}

struct Absorbing<'a> {
    dialect: Dialect,
    provider: Provider,
    live: &'a physical::Schema,
    lifted: &'a Words,
    /// Whether no other provider has a say.
    alone: bool,
    /// What went or changed and is not declared by itself, in words: it comes along with something else, or cannot be found.
    unfound: Vec<String>,
    /// What came in the place of something else, by the table.
    exchanged: Vec<Exchanged>,
}

impl Absorbing<'_> {
    fn table(&mut self, table: &mut Table, alteration: &TableAlteration) -> Result<(), String> {
        let name = &alteration.to.name;
        let words = self.lifted;
        let (Some(new), Some(live)) = (words.table(&table.name), self.live.table(name)) else {
            return Err(format!("table {name} cannot be declared"));
        };
        let base = table.name.base().to_owned();
        let naming = |stored| Naming { dialect: self.dialect, table: &base, stored };
        let both = [naming(&alteration.from), naming(live)];
        for item in &alteration.items {
            match item {
                ItemChange::Column(change) => self.column(table, new, change)?,
                ItemChange::PrimaryKey(change) => self.primary_key(table, new, change),
                ItemChange::Unique(change) => self.unique(table, new, both, change),
                ItemChange::Index(change) => self.index(table, new, both, change),
                ItemChange::ForeignKey(change) => self.foreign_key(table, new, both, change),
                ItemChange::Check(change) => self.check(table, new, both, change),
                ItemChange::Options { .. } => {
                    table.options.retain(|option| !option.scope.holds(self.provider));
                    table.options.extend(new.options.iter().cloned());
                }
                ItemChange::Comment { to, .. } => table.about.clone_from(to),
            }
        }
        Ok(())
    }

    fn primary_key(&self, table: &mut Table, new: &Table, change: &Change<physical::PrimaryKey>) {
        let held = table.primary_keys.iter().find(|key| key.scope.holds(self.provider)).map(|key| key.scope);
        table.primary_keys.retain(|key| !key.scope.holds(self.provider));
        if !matches!(change, Change::Drop(_)) {
            let scope = |key: &PrimaryKey| held.filter(|_| key.scope == Scope::All).unwrap_or(key.scope);
            let keys = new.primary_keys.iter().map(|key| PrimaryKey { scope: scope(key), ..key.clone() });
            table.primary_keys.extend(keys);
        }
    }

    /// What is declared as a unique index is stored as a unique constraint on some providers.
    fn unique(
        &mut self,
        table: &mut Table,
        new: &Table,
        [before, after]: [Naming; 2],
        change: &Change<physical::Unique>,
    ) {
        let mut old = None;
        if let Some(name) = gone(change) {
            let taken = self.taken::<Unique>(table, &before, &name).map(Held::any);
            old = taken.or_else(|| self.taken::<Index>(table, &before, &name).map(Held::any));
            if old.is_none() {
                self.missing("unique constraint", &name);
            }
        }
        let Some(stored) = came(change) else { return };
        let unique = made(new, &after, stored.name(), |one: &Unique| one.is_over(&stored.columns)).map(Held::any);
        let index = || made(new, &after, stored.name(), |_: &Index| false).map(Held::any);
        if let Some(made) = unique.or_else(index) {
            self.put(table, made, old);
        }
    }

    fn index(
        &mut self,
        table: &mut Table,
        new: &Table,
        [before, after]: [Naming; 2],
        change: &Change<physical::Index>,
    ) {
        let mut old = None;
        if let Some(name) = gone(change) {
            let with_index = |key: &&mut ForeignKey| {
                key.indexed && key.scope.holds(self.provider) && before.index_of(key).eq_ignore_ascii_case(&name)
            };
            old = self.taken::<Index>(table, &before, &name);
            if let (None, Some(key)) = (&old, table.foreign_keys.iter_mut().find(with_index)) {
                key.indexed = false;
                old = Some(index_of(key.clone()));
            }
            if old.is_none() {
                self.missing("index", &name);
            }
        }
        if let Some(mut made) = came(change).and_then(|one| made(new, &after, Some(&one.name), |_: &Index| false)) {
            // What came along with a reference comes along elsewhere, too, as it does there.
            if old.is_none() && !matches!(change, Change::Add(_)) {
                made.scope = elsewhere::only(self.provider);
            }
            self.put(table, made.any(), old.map(Held::any));
        }
    }

    fn foreign_key(
        &mut self,
        table: &mut Table,
        new: &Table,
        [before, after]: [Naming; 2],
        change: &Change<physical::ForeignKey>,
    ) {
        let mut old = None;
        if let Some(name) = gone(change) {
            old = self.taken::<ForeignKey>(table, &before, &name);
            if old.is_none() {
                self.missing("reference", &name);
            }
        }
        let made = came(change).and_then(|stored| {
            made(new, &after, stored.name(), |one: &ForeignKey| {
                one.columns.iter().map(Identifier::as_str).eq(stored.columns.iter().map(String::as_str))
            })
        });
        if let Some(mut made) = made {
            if let Some(old) = &old {
                made.succeed(old);
            }
            self.put(table, made.any(), old.clone().map(Held::any));
        }
        let is_there = |key: &ForeignKey| {
            let same = |one: &ForeignKey| one.indexed && one.columns == key.columns && one.scope == key.scope;
            table.foreign_keys.iter().any(same)
        };
        let index = old.filter(|key| key.indexed && !is_there(key)).map(index_of);
        table.indexes.extend(index);
    }

    fn check(
        &mut self,
        table: &mut Table,
        new: &Table,
        [before, after]: [Naming; 2],
        change: &Change<physical::Check>,
    ) {
        let mut old = None;
        let mut is_own = false;
        if let Some(name) = gone(change) {
            old = self.taken::<Check>(table, &before, &name);
            let is_typed = |one: &&mut Column| before.is_of_type(one, &name);
            if let (None, Some(column)) = (&old, table.columns.iter_mut().find(is_typed))
                && let Some(fresh) = new.column(&column.name)
                && came(change).is_some_and(|stored| after.is_of_type(fresh, stored.name().unwrap_or_default()))
            {
                // It is of the same kind still, of other words.
                column.ty.clone_from(&fresh.ty);
                return;
            }
            let typed = table.columns.iter_mut().find(|one| !self.alone && before.is_of_type(one, &name));
            if let (None, Some(column)) = (&old, typed) {
                // Here it is of another type from now on, one without that check.
                let stored = after.stored.column(column.name.as_str());
                let native = stored.map(|stored| Scoped::all(stored.ty.text().to_owned()));
                elsewhere::replaced(self.provider, &mut column.native, native.as_slice(), |_| false);
                is_own = true;
            } else if old.is_none() {
                self.missing("check", &name);
            }
        }
        let made = came(change).and_then(|stored| {
            let text = stored.expression.text();
            made(new, &after, stored.name(), |one: &Check| one.expression == text)
        });
        if let Some(mut made) = made {
            if is_own {
                made.scope = elsewhere::only(self.provider);
            }
            self.put(table, made.any(), old.map(Held::any));
        }
    }

    /// Declares it for those that what it comes in the place of was for.
    fn put(&mut self, table: &mut Table, mut made: AnyHeld, old: Option<AnyHeld>) {
        if let Some(mut old) = old {
            if *made.scope() == Scope::All {
                *made.scope() = *old.scope();
            }
            self.exchanged.push(Exchanged { table: table.name.clone(), old, new: made.clone() });
        }
        made.put(table);
    }

    fn missing(&mut self, what: &str, name: &str) {
        self.unfound.push(format!("{what} {name} is declared in a way that cannot be found again"));
    }

    /// What was stored under this name, taken out of the declarations. Another provider may have another one of that name.
    fn taken<T: Held>(&self, table: &mut Table, naming: &Naming, name: &str) -> Option<T> {
        let list = T::list_mut(table);
        let is_it = |one: &mut T| one.scope().holds(self.provider) && one.name(naming).eq_ignore_ascii_case(name);
        let at = list.iter_mut().position(is_it)?;
        Some(list.remove(at))
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
                self.alter(&mut table.columns[at], new, &new.columns[fresh], [from, to]);
                Ok(())
            }
        }
    }

    /// Takes over what changed, and nothing else.
    fn alter(&self, column: &mut Column, table: &Table, new: &Column, [from, to]: [&physical::Column; 2]) {
        if from.ty != to.ty {
            // Elsewhere it stays what it is, where this provider has a type of its own for it now, or another one computes
            // what is not of the new type.
            let computes_another = |one: &Scoped<Generated>| {
                one.scope != elsewhere::only(self.provider)
                    && elsewhere::is_of_another_type(table, new, &one.value.expression)
            };
            if self.alone {
                column.ty.clone_from(&new.ty);
                self.replace(&mut column.native, &new.native, |_| true);
            } else if new.ty != Type::Native && column.generated.iter().any(computes_another) {
                self.replace(&mut column.native, &[Scoped::all(to.ty.text().to_owned())], |_| false);
            } else {
                if new.ty != Type::Native {
                    column.ty.clone_from(&new.ty);
                }
                self.replace(&mut column.native, &new.native, |_| true);
            }
        }
        if from.nullable != to.nullable {
            column.nullable = new.nullable;
        }
        if from.default != to.default {
            let is_for_all =
                |value: &Value| elsewhere::is_value_for_all(value) && !elsewhere::is_misfit(table, column, value);
            let is_for_all = new.default.iter().all(|one| is_for_all(&one.value));
            self.replace(&mut column.default, &new.default, |_| is_for_all);
        }
        if from.generated != to.generated {
            let is_for_all = new.generated.iter().all(|one| elsewhere::is_computed_alike(table, column, &one.value));
            self.replace(&mut column.generated, &new.generated, |_| is_for_all);
        }
        if from.collation != to.collation {
            self.replace(&mut column.collate, &new.collate, |_| true);
        }
        // That the type alone decides whether rows are numbered is so on SQLite.
        let numbers = |list: &[Scoped<Identity>]| Scoped::pick(list, self.provider).is_some();
        if from.identity != to.identity || from.ty != to.ty && numbers(&column.identity) != numbers(&new.identity) {
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
