//! What goes again while a file is read, and what goes with it.

use super::names::{Place, Use, Words, is_built_in};
use super::{OF_SERVER, PUBLIC, Pending, Reader, Reading};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::catalogue::{ColumnRow, ConstraintRow, IndexRow, OtherRow};
use crate::dialect::postgres::quote::{literal, quote, quote_object};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, Expression};

impl Reader {
    pub(super) fn drop(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.skip();
        let word = cursor.name().here()?;
        if OF_SERVER.contains(&word.as_str()) {
            return Ok(Read::PassedOver);
        }
        let word = if word == "materialized" && cursor.eat("view") { "materialized view".to_owned() } else { word };
        cursor.eat("concurrently");
        let is_lenient = Self::passed_if_exists(cursor);
        let mut names = Vec::new();
        loop {
            let start = cursor.at();
            // Nothing that stays stands on what is of the session only.
            let name = self.relation(cursor).ok().filter(|name| !self.temporary.contains(name));
            cursor.go_to(start);
            let is_gone = match word.as_str() {
                "schema" => self.is_namespace(&cursor.name().here()?),
                _ => self.drop_one(cursor, &word)?,
            };
            if !is_gone && !is_lenient {
                cursor.go_to(start);
                return Err(Stop::Because(format!("there is no such {word} before this")));
            }
            names.extend(name.filter(|_| is_gone));
            if !cursor.eat(",") {
                break;
            }
        }
        let cascades = cursor.eat("cascade");
        cursor.eat("restrict");
        if !cursor.is_at_end() {
            return Err(Stop::Here);
        }
        for name in names {
            match word.as_str() {
                "schema" => self.drop_namespace(&qualified::plain(qualified::base(&name)), cascades)?,
                _ if cascades => self.drop_dependants(&word, &name)?,
                _ => {}
            }
        }
        Ok(Read::Done)
    }

    /// Whether there is such a namespace; a new database has `public`, which whoever begins anew drops first.
    pub(super) fn is_namespace(&self, name: &str) -> bool {
        let is_it = |row: &OtherRow| row.kind == ObjectKind::Namespace && row.name == name;
        name == PUBLIC || self.catalogue.others.iter().any(is_it)
    }

    /// Drops a namespace, with all that is in it where that is said.
    fn drop_namespace(&mut self, name: &str, cascades: bool) -> Reading<()> {
        if name == PUBLIC {
            return match self.is_new() {
                true => Ok(()),
                false => Err(Stop::Because("`public` is not dropped when something has been made before this".into())),
            };
        }
        let inside = |other: &str| qualified::split(other).0.is_some_and(|one| qualified::plain(one) == name);
        let catalogue = &self.catalogue;
        let tables: Vec<_> = catalogue.tables.iter().filter(|row| inside(&row.name)).map(|row| row.oid).collect();
        let sequences = catalogue.sequences.iter().map(|row| &row.name).filter(|one| inside(one));
        let types = self.enums.iter().chain(self.domains.keys()).filter(|one| inside(one));
        let types: Vec<_> = types.map(|one| ("type", one.clone())).collect();
        let word = |kind: ObjectKind| if kind == ObjectKind::Routine { "routine" } else { "view" };
        let others = catalogue.others.iter().filter(|row| inside(&row.name));
        let mut gone: Vec<_> = others.map(|row| (word(row.kind), row.name.clone())).collect();
        if !cascades && (!tables.is_empty() || !types.is_empty() || !gone.is_empty() || sequences.count() > 0) {
            return Err(Stop::Because(format!("`{name}` is not empty, and only goes with `cascade`")));
        }
        gone.extend(types);
        gone.extend(tables.iter().map(|oid| ("table", self.table_name(*oid))));
        for oid in tables {
            let table = self.table_name(oid);
            self.drop_table(oid);
            self.drop_part(&table);
        }
        let catalogue = &mut self.catalogue;
        catalogue.sequences.retain(|row| !inside(&row.name));
        catalogue.words.retain(|row| !inside(&row.name));
        catalogue.others.retain(|row| !inside(&row.name) && (row.kind != ObjectKind::Namespace || row.name != name));
        self.enums.retain(|one| !inside(one));
        self.domains.retain(|one, _| !inside(one));
        gone.into_iter().try_for_each(|(word, name)| self.drop_dependants(word, &name))
    }

    /// What stands on a thing that went with `cascade` goes as well: views over it and views over those, routines and columns
    /// of its type, what calls it. A server knows what reads what; here it is what is named where such a thing can stand.
    fn drop_dependants(&mut self, word: &str, name: &str) -> Reading<()> {
        let name = name.split('(').next().unwrap_or(name);
        let is_routine = |row: &OtherRow| matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
        let places: &[Place] = match word {
            // A table and a view are types as well, those of their rows.
            "table" | "view" | "materialized view" | "foreign table" => &[Place::Relation, Place::Type],
            "type" | "domain" => &[Place::Type],
            "function" | "procedure" | "routine" | "aggregate" => {
                let is_namesake = |row: &OtherRow| is_routine(row) && row.name.split('(').next() == Some(name);
                if self.catalogue.others.iter().any(is_namesake) {
                    // Which of them is meant cannot be told.
                    return Ok(());
                }
                self.drop_calls_of(name)?;
                &[Place::Routine]
            }
            "sequence" => {
                let default = format!("nextval({}::regclass)", literal(&quote_object(name)));
                let numbered =
                    self.catalogue.columns.iter_mut().filter(|row| row.expression.as_ref() == Some(&default));
                numbered.for_each(|row| row.expression = None);
                return Ok(());
            }
            _ => return Ok(()),
        };
        if places.contains(&Place::Type) {
            self.drop_columns_of(name)?;
        }
        let uses_it = |row: &&OtherRow| {
            let is_it = |one: &Use| places.contains(&one.place) && one.name().as_deref() == Some(name);
            Words::new(&row.sql).uses().iter().any(is_it)
        };
        let using: Vec<OtherRow> = self.catalogue.others.iter().filter(uses_it).cloned().collect();
        using.iter().try_for_each(|row| self.drop_dependant(row, name))
    }

    fn drop_dependant(&mut self, row: &OtherRow, name: &str) -> Reading<()> {
        let is_it = |other: &OtherRow| other.kind == row.kind && other.name == row.name && other.table == row.table;
        match row.kind {
            ObjectKind::View | ObjectKind::MaterializedView => {
                self.drop_view(&row.name);
                self.drop_dependants("view", &row.name)
            }
            ObjectKind::Routine | ObjectKind::Aggregate => {
                self.catalogue.others.retain(|other| !is_it(other));
                self.drop_dependants("function", &row.name)
            }
            ObjectKind::Domain => {
                self.domains.remove(&row.name);
                self.catalogue.others.retain(|other| !is_it(other));
                self.drop_dependants("domain", &row.name)
            }
            ObjectKind::Trigger | ObjectKind::Policy | ObjectKind::Rule => {
                self.catalogue.others.retain(|other| !is_it(other));
                Ok(())
            }
            ObjectKind::Type => Err(Stop::Because(format!(
                "with `{name}` the server takes a field out of the type `{}`, which is not read: drop that type as well, and \
                 make it again",
                row.name
            ))),
            _ => Ok(()),
        }
    }

    fn drop_columns_of(&mut self, ty: &str) -> Reading<()> {
        if is_built_in(ty) {
            return Ok(());
        }
        let is_of = |row: &&ColumnRow| {
            self.type_made(&row.ty, |name| name == ty).is_some() || {
                // Where a search path is set now, and none was when it was read.
                row.ty.trim_end_matches("[]") == ty
            }
        };
        let columns: Vec<_> =
            self.catalogue.columns.iter().filter(is_of).map(|row| (row.table, row.name.clone())).collect();
        columns.into_iter().try_for_each(|(oid, column)| self.drop_column(oid, &column, true))
    }

    /// Defaults, checks, indexes and generated columns that call a routine.
    fn drop_calls_of(&mut self, routine: &str) -> Reading<()> {
        let calls = |text: &String| {
            let is_it = |one: &Use| one.place == Place::Routine && one.name().as_deref() == Some(routine);
            Words::new(text).uses().iter().any(is_it)
        };
        let columns = self.catalogue.columns.iter_mut().filter(|row| row.expression.as_ref().is_some_and(calls));
        let mut computed = Vec::new();
        for row in columns {
            match row.generated {
                Some(_) => computed.push((row.table, row.name.clone())),
                None => row.expression = None,
            }
        }
        while let Some(at) =
            self.catalogue.constraints.iter().position(|row| row.expression.as_ref().is_some_and(calls))
        {
            self.drop_constraint(at);
        }
        self.drop_indexes(|row| row.expressions.iter().chain(&row.predicate).any(calls));
        computed.into_iter().try_for_each(|(oid, column)| self.drop_column(oid, &column, true))
    }

    /// Views that read a column which goes with `cascade`.
    fn drop_views_of(&mut self, table: &str, column: &str) -> Reading<()> {
        let is_view = |row: &&OtherRow| matches!(row.kind, ObjectKind::View | ObjectKind::MaterializedView);
        let reads_it = |row: &&OtherRow| {
            let words = Words::new(&row.sql);
            let is_it = |one: &Use| one.place == Place::Relation && one.name().as_deref() == Some(table);
            words.may_read(column) && words.uses().iter().any(is_it)
        };
        let views: Vec<OtherRow> = self.catalogue.others.iter().filter(is_view).filter(reads_it).cloned().collect();
        views.iter().try_for_each(|row| self.drop_dependant(row, table))
    }

    /// A view goes with its triggers, rules and indexes.
    fn drop_view(&mut self, name: &str) {
        let is_view = |row: &OtherRow| matches!(row.kind, ObjectKind::View | ObjectKind::MaterializedView);
        // Those of one view have it before them.
        let on_it = format!(" on {}", quote_object(name));
        let is_of_it = |row: &OtherRow| {
            use ObjectKind::{ColumnSetting, Comment, Firing, Grant, Rule, ViewIndex};
            let kinds = [ViewIndex, ColumnSetting, Comment, Firing, Grant, Rule];
            row.table.as_deref() == Some(name)
                || kinds.contains(&row.kind) && row.after.iter().any(|one| one == name)
                || row.kind == ObjectKind::Comment && row.name.ends_with(&on_it)
        };
        self.catalogue.others.retain(|row| !(is_of_it(row) || is_view(row) && row.name == name));
    }

    /// Drops a thing; whether it was there.
    fn drop_one(&mut self, cursor: &mut Cursor<'_>, word: &str) -> Reading<bool> {
        if matches!(word, "operator" | "cast") {
            // None of them is ever read.
            cursor.rest();
            return Ok(false);
        }
        let of_table = matches!(word, "trigger" | "policy" | "rule" | "extension");
        let name = if of_table { cursor.name().here()? } else { self.relation(cursor)? };
        if matches!(word, "table" | "view" | "sequence") && self.temporary.remove(&name) {
            return Ok(true);
        }
        let catalogue = &mut self.catalogue;
        let before = catalogue.others.len();
        match word {
            "table" => {
                let is_part = self.is_partition(&name);
                let oid = self.oid(&name);
                oid.into_iter().for_each(|oid| self.drop_table(oid));
                self.drop_part(&name);
                return Ok(oid.is_some() || is_part);
            }
            "index" => {
                catalogue.others.retain(|row| row.kind != ObjectKind::ViewIndex || row.name != name);
                let is_gone = self.catalogue.others.len() < before;
                let found = self.index(&name);
                found.map(|at| self.catalogue.indexes.remove(at));
                self.forget_comment(&format!("index {}", quote_object(&name)));
                return Ok(is_gone || found.is_some());
            }
            "sequence" => {
                let count = catalogue.sequences.len();
                catalogue.sequences.retain(|row| row.name != name);
                return Ok(catalogue.sequences.len() < count);
            }
            "type" if self.enums.remove(&name) => {
                catalogue.words.retain(|row| row.name != name);
                return Ok(true);
            }
            "trigger" | "policy" | "rule" => {
                cursor.expect("on").here()?;
                let table = self.relation(cursor)?;
                let full = format!("{name} on {table}");
                self.forget_comment(&format!("{word} {} on {}", quote(&name), quote_object(&table)));
                self.catalogue
                    .others
                    .retain(|row| row.name != full && (row.name != name || row.table.as_ref() != Some(&table)));
            }
            "function" | "procedure" | "routine" | "aggregate" => {
                let arguments =
                    if cursor.is("(") { self.argument_types(cursor.parenthesised().here()?) } else { String::new() };
                let full = format!("{name}({arguments})");
                let is_routine = |row: &OtherRow| matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
                self.catalogue.others.retain(|row| !is_routine(row) || row.name != name && row.name != full);
            }
            "view" | "materialized view" => self.drop_view(&name),
            _ => catalogue.others.retain(|row| row.name != name || row.kind.word() != word),
        }
        Ok(self.catalogue.others.len() < before)
    }

    pub(super) fn drop_table(&mut self, oid: u32) {
        // What inherits from it can only go along.
        for heir in self.heirs(oid) {
            self.drop_table(heir);
        }
        self.parents.remove(&oid);
        let name = self.table_name(oid);
        let mut at = 0;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let points_here = self.pending.iter().any(|one| one.constraint == at && one.table == name);
            match row.table == oid || points_here {
                true => self.drop_constraint(at),
                false => at += 1,
            }
        }
        self.drop_indexes(|row| row.table == oid);
        let catalogue = &mut self.catalogue;
        catalogue.tables.retain(|row| row.oid != oid);
        catalogue.columns.retain(|row| row.table != oid);
        catalogue.sequences.retain(|row| row.owner.is_none_or(|(table, _)| table != oid));
        let label = format!("column {}.", quote_object(&name));
        let of_table = |row: &OtherRow| match row.kind {
            ObjectKind::Policy
            | ObjectKind::Rule
            | ObjectKind::Security
            | ObjectKind::Firing
            | ObjectKind::Grant
            | ObjectKind::ColumnSetting => row.after.contains(&name),
            ObjectKind::Comment => {
                row.name.ends_with(&format!(" on {}", quote_object(&name))) || row.name.starts_with(&label)
            }
            ObjectKind::Statistics => {
                let is_it = |one: &Use| one.place == Place::Relation && one.name().as_ref() == Some(&name);
                Words::new(&row.sql).uses().iter().any(is_it)
            }
            _ => row.table.as_ref() == Some(&name),
        };
        catalogue.others.retain(|row| !of_table(row));
        let sequences: Vec<String> =
            self.owners.iter().filter(|(_, (table, _))| *table == name).map(|(sequence, _)| sequence.clone()).collect();
        for sequence in sequences {
            self.owners.remove(&sequence);
            self.catalogue.sequences.retain(|row| row.name != sequence);
        }
    }

    /// Whoever references a key that goes with `cascade` does so no longer.
    pub(super) fn drop_references_to(&mut self, table: &str, key: &ConstraintRow) {
        let names = self.columns.get(&key.table);
        let names = key.columns.iter().filter_map(|number| names?.get(usize::try_from(*number).ok()?.checked_sub(1)?));
        let names: Vec<String> = names.cloned().collect();
        let is_on_it = |columns: &[String]| if columns.is_empty() { key.kind == 'p' } else { columns == names };
        while let Some(found) = self.pending.iter().find(|one| one.table == table && is_on_it(&one.columns)) {
            self.drop_constraint(found.constraint);
        }
    }

    /// Drops indexes, with their descriptions.
    fn drop_indexes(&mut self, is_gone: impl Fn(&IndexRow) -> bool) {
        while let Some(at) = self.catalogue.indexes.iter().position(&is_gone) {
            let row = self.catalogue.indexes.remove(at);
            let full = qualified::beside(&self.table_name(row.table), &qualified::part(&row.name));
            self.forget_comment(&format!("index {}", quote_object(&full)));
        }
    }

    fn forget_comment(&mut self, what: &str) {
        self.catalogue.others.retain(|row| row.kind != ObjectKind::Comment || row.name != what);
    }

    /// Drops a constraint, with its description and that of its index.
    pub(super) fn drop_constraint(&mut self, at: usize) {
        let row = &self.catalogue.constraints[at];
        let (table, name) = (self.table_name(row.table), row.name.clone());
        let index = qualified::beside(&table, &qualified::part(&name));
        self.forget_comment(&format!("constraint {} on {}", quote(&name), quote_object(&table)));
        self.forget_comment(&format!("index {}", quote_object(&index)));
        self.remove_constraint(at);
    }

    /// Takes a constraint out of what is of a table itself.
    pub(super) fn remove_constraint(&mut self, at: usize) {
        self.catalogue.constraints.remove(at);
        self.pending.retain(|one| one.constraint != at);
        self.pending.iter_mut().filter(|one| one.constraint > at).for_each(|one| one.constraint -= 1);
    }

    /// A column goes, with the keys and indexes over it. Its number stays taken, as on the server.
    pub(super) fn drop_column(&mut self, oid: u32, name: &str, cascades: bool) -> Reading<()> {
        let number = self.numbers(oid, &[name.to_owned()])?;
        let number = number.first().copied().unwrap_or_default();
        let mut at = 0;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let reads = row.expression.as_deref().is_some_and(|text| Expression::read(text, SYNTAX).mentions(name));
            match row.table == oid && (row.columns.contains(&number) || reads) {
                true => self.drop_constraint(at),
                false => at += 1,
            }
        }
        let table = self.table_name(oid);
        let is_on_it = |one: &&Pending| one.table == table && one.columns.iter().any(|column| column == name);
        while let Some(found) = self.pending.iter().find(is_on_it) {
            self.drop_constraint(found.constraint);
        }
        self.drop_indexes(|row| row.table == oid && row.columns.contains(&number));
        self.catalogue.columns.retain(|row| row.table != oid || row.number != number);
        self.catalogue.sequences.retain(|row| row.owner != Some((oid, number)));
        if let Some(names) = self.columns.get_mut(&oid)
            && let Some(place) = names.iter_mut().find(|one| *one == name)
        {
            place.clear();
        }
        if cascades { self.drop_views_of(&table, name) } else { Ok(()) }
    }
}
