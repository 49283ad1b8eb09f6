//! Names that change while a file is read, and what says them.

use super::names::{Place, Use, Words, is_built_in};
use super::{PUBLIC, Reader, Reading, domains, elements};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::catalogue::{ColumnRow, OtherRow, SequenceRow};
use crate::dialect::postgres::quote::{literal, quote, quote_object};
use crate::dialect::postgres::render::sequence_name;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, Expression};

impl Reader {
    /// `rename to NAME` or `set schema NAMESPACE`: what is called the first name from now on.
    pub(super) fn new_name(cursor: &mut Cursor<'_>, old: &str) -> Reading<Option<String>> {
        if cursor.eat_all(&["rename", "to"]) {
            return Ok(Some(qualified::beside(old, &qualified::part(&cursor.name().here()?))));
        }
        if cursor.eat_all(&["set", "schema"]) {
            return Ok(Some(moved(old, &cursor.name().here()?)));
        }
        Ok(None)
    }

    // ---- tables, views and their columns ------------------------------------------------------------------------

    fn rename_table(&mut self, oid: u32, old: &str, new: &str) {
        let is_old = |name: &String| name == old;
        self.pending.iter_mut().filter(|one| is_old(&one.table)).for_each(|one| one.table = new.to_owned());
        self.owners.values_mut().filter(|one| is_old(&one.0)).for_each(|one| one.0 = new.to_owned());
        let others = self.catalogue.others.iter_mut().filter(|row| row.table.as_ref().is_some_and(is_old));
        others.for_each(|row| row.table = Some(new.to_owned()));
        for column in self.catalogue.columns.iter_mut().filter(|row| row.table == oid) {
            keep_sequence(column, old, &column.name.clone());
        }
        self.table_row(oid).name = new.to_owned();
        self.rename_relation(old, new);
    }

    /// A table goes to another namespace, and the sequences that are its own with it.
    pub(super) fn move_table(&mut self, oid: u32, namespace: &str) {
        let old = self.table_name(oid);
        let moved = |name: &str| moved(name, namespace);
        let owned: Vec<String> =
            self.owners.iter().filter(|(_, owner)| owner.0 == old).map(|(name, _)| name.clone()).collect();
        let of_table =
            |row: &&SequenceRow| row.owner.is_some_and(|(table, _)| table == oid) || owned.contains(&row.name);
        let sequences: Vec<String> =
            self.catalogue.sequences.iter().filter(of_table).map(|row| row.name.clone()).collect();
        for name in &sequences {
            self.rename_sequence(name, &moved(name));
        }
        self.rename_table(oid, &old, &moved(&old));
    }

    /// A sequence gets another name, and so does what columns read of it.
    pub(super) fn rename_sequence(&mut self, old: &str, new: &str) {
        let named = self.catalogue.sequences.iter_mut().filter(|row| row.name == old);
        named.for_each(|row| new.clone_into(&mut row.name));
        let (was, is) = (literal(&quote_object(old)), literal(&quote_object(new)));
        for row in self.catalogue.columns.iter_mut().filter(|row| row.expression.is_some()) {
            row.expression = row.expression.take().map(|text| text.replace(&was, &is));
        }
        let owner = self.owners.remove(old);
        self.owners.extend(owner.map(|owner| (new.to_owned(), owner)));
    }

    /// A partition gets another name, and so does what is said of it.
    pub(super) fn rename_partition(&mut self, old: &str, new: &str) {
        let mut others = self.catalogue.others.iter_mut();
        if let Some(row) = others.find(|row| row.kind == ObjectKind::Partition && row.name == old) {
            let quoted = quote_object(new);
            row.sql = with_name(&row.sql, "table", &quoted).unwrap_or_else(|| std::mem::take(&mut row.sql));
            row.drop = format!("drop table {quoted}");
            new.clone_into(&mut row.name);
        }
        self.rename_relation(old, new);
    }

    /// `rename …` of a table, of a column or of a constraint.
    pub(super) fn rename(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let old_table = self.table_name(oid);
        if cursor.eat("to") {
            let new = qualified::beside(&old_table, &qualified::part(&cursor.name().here()?));
            self.rename_table(oid, &old_table, &new);
            return Ok(());
        }
        if cursor.eat("constraint") {
            let old = cursor.name().here()?;
            cursor.expect("to").here()?;
            let new = cursor.name().here()?;
            let mut rows = self.catalogue.constraints.iter_mut();
            rows.find(|row| row.table == oid && row.name == old).here()?.name = new;
            return Ok(());
        }
        cursor.eat("column");
        let old = cursor.name().here()?;
        cursor.expect("to").here()?;
        let new = cursor.name().here()?;
        self.rename_column(oid, &old, &new)
    }

    pub(super) fn rename_column(&mut self, oid: u32, old: &str, new: &str) -> Reading<()> {
        let old_table = self.table_name(oid);
        self.stays_readable(&old_table, old)?;
        let row = self.column(oid, old)?;
        keep_sequence(row, &old_table, old);
        new.clone_into(&mut row.name);
        for place in self.columns.get_mut(&oid).into_iter().flatten().filter(|one| **one == old) {
            new.clone_into(place);
        }
        let of_column = |one: &(String, String)| one.0 == old_table && one.1 == old;
        self.owners.values_mut().filter(|one| of_column(one)).for_each(|one| new.clone_into(&mut one.1));
        for one in self.pending.iter_mut().filter(|one| one.table == old_table) {
            one.columns.iter_mut().filter(|column| **column == old).for_each(|column| new.clone_into(column));
        }
        let respelled = |text: &str| {
            Expression::read(text, SYNTAX)
                .with_columns(|found| (found.name == old).then(|| quote(new)))
                .text()
                .to_owned()
        };
        let checks = self.catalogue.constraints.iter_mut().filter(|row| row.table == oid);
        checks.for_each(|row| row.expression = row.expression.as_deref().map(respelled));
        let exclusions = self.catalogue.others.iter_mut().filter(|row| row.kind == ObjectKind::Constraint);
        for row in exclusions.filter(|row| row.after == [old_table.clone()]) {
            // Before the word stand the names of the table and of the constraint.
            let Some(at) = row.sql.to_ascii_lowercase().find(" exclude ") else { continue };
            let read = Expression::read_whole(&row.sql[at..], SYNTAX);
            let told = read.with_columns(|found| (found.name == old).then(|| quote(new)));
            row.sql = format!("{} {}", &row.sql[..at], told.text());
        }
        let computed = self.catalogue.columns.iter_mut().filter(|row| row.table == oid && row.generated.is_some());
        computed.for_each(|row| row.expression = row.expression.as_deref().map(respelled));
        for row in self.catalogue.indexes.iter_mut().filter(|row| row.table == oid) {
            row.predicate = row.predicate.as_deref().map(respelled);
            row.expressions.iter_mut().for_each(|text| *text = respelled(text));
        }
        Ok(())
    }

    /// What says the name of a table or view says the new one; a view itself is called so.
    pub(super) fn rename_relation(&mut self, old: &str, new: &str) {
        self.respell(&[Place::Relation, Place::Type], old, new);
        for row in &mut self.catalogue.others {
            let is_view = matches!(row.kind, ObjectKind::View | ObjectKind::MaterializedView);
            if is_view && row.name == old {
                rename_made(row, new);
            }
            if row.table.as_deref() == Some(old) {
                row.table = Some(new.to_owned());
            }
            // A settled thing of a table, whose statements are ours.
            let is_of_it = row.after.iter().any(|one| one == old) || row.kind == ObjectKind::Comment;
            if !is_of_it {
                continue;
            }
            row.sql = Words::new(&row.sql).renamed_throughout(old, new);
            row.drop = match row.kind {
                ObjectKind::Policy | ObjectKind::Rule => with_tail(&row.drop, &quote_object(old), &quote_object(new)),
                _ => Words::new(&row.drop).renamed_throughout(old, new),
            };
            row.name = relabelled(&row.name, old, new);
            row.after.iter_mut().filter(|one| *one == old).for_each(|one| new.clone_into(one));
        }
        self.rename_columns_type(old, new);
    }

    /// A column that views and the like read cannot be renamed: what they read is text here.
    fn stays_readable(&self, table: &str, column: &str) -> Reading<()> {
        let reads_it = |row: &&OtherRow| {
            let words = Words::new(&row.sql);
            let is_kept = matches!(
                row.kind,
                ObjectKind::View
                    | ObjectKind::MaterializedView
                    | ObjectKind::Trigger
                    | ObjectKind::Policy
                    | ObjectKind::Rule
                    | ObjectKind::Statistics
            );
            let is_it = |one: &Use| one.place == Place::Relation && one.name().as_deref() == Some(table);
            is_kept && words.may_read(column) && words.uses().iter().any(is_it)
        };
        match self.catalogue.others.iter().find(reads_it) {
            None => Ok(()),
            Some(row) => Err(Stop::Because(format!(
                "{} `{}` reads the column, and what it says is kept as it is written: rename the column before it is made",
                row.kind.word(),
                row.name
            ))),
        }
    }

    // ---- types --------------------------------------------------------------------------------------------------

    /// A type gets another name, and so do the columns, fields, arguments and casts that are of it.
    pub(super) fn rename_type(&mut self, old: &str, new: &str) {
        if self.enums.remove(old) {
            self.enums.insert(new.to_owned());
        }
        let base = self.domains.remove(old);
        self.domains.extend(base.map(|base| (new.to_owned(), base)));
        self.catalogue.words.iter_mut().filter(|row| row.name == old).for_each(|row| new.clone_into(&mut row.name));
        self.respell(&[Place::Type], old, new);
        let is_type =
            |row: &&mut OtherRow| matches!(row.kind, ObjectKind::Type | ObjectKind::Domain) && row.name == old;
        for row in self.catalogue.others.iter_mut().filter(is_type) {
            let of_domain = (row.kind == ObjectKind::Domain).then(|| domains::renamed(&row.sql, old, new)).flatten();
            rename_made(row, new);
            row.sql = of_domain.unwrap_or_else(|| std::mem::take(&mut row.sql));
        }
        self.rename_columns_type(old, new);
    }

    fn rename_columns_type(&mut self, old: &str, new: &str) {
        let (was, is) = (quote_object(old), quote_object(new));
        for row in &mut self.catalogue.columns {
            if row.enumeration.as_deref() == Some(old) {
                row.enumeration = Some(new.to_owned());
            }
            let element = row.ty.trim_end_matches("[]");
            if is_built_in(element) {
                continue;
            }
            if element == was || element == old {
                row.ty = format!("{is}{}", &row.ty[element.len()..]);
            }
        }
    }

    /// A word of an enum type gets another name, also where it is a default.
    pub(super) fn rename_word(&mut self, name: &str, old: &str, new: &str) -> Reading<Read> {
        let mut words = self.catalogue.words.iter_mut().filter(|row| row.name == name);
        words.find(|row| row.word == old).here()?.word = new.to_owned();
        let (was, is) = (literal(old), literal(new));
        for row in self.catalogue.columns.iter_mut().filter(|row| row.enumeration.as_deref() == Some(name)) {
            if let Some(rest) = row.expression.as_deref().and_then(|text| text.strip_prefix(&was)) {
                row.expression = Some(format!("{is}{rest}"));
            }
        }
        Ok(Read::Done)
    }

    /// `add | drop | alter | rename attribute …` of a type with fields.
    pub(super) fn alter_fields(&mut self, cursor: &mut Cursor<'_>, ty: &str) -> Reading<Read> {
        let is_it = |row: &&mut OtherRow| row.kind == ObjectKind::Type && row.name == ty;
        let row = self.catalogue.others.iter_mut().find(is_it).here()?;
        let mut made = Cursor::new(&row.sql, SYNTAX);
        made.until(|made| made.is("(")).here()?;
        let (head, start) = (made.between(0, made.at()).to_owned(), made.at());
        made.skip_nested().here()?;
        let list = made.between(start, made.at());
        let mut fields = elements(&list[1..list.len() - 1])?;
        let place = |fields: &[String], name: &str| {
            let is_it = |field: &String| Cursor::new(field, SYNTAX).name().as_deref() == Some(name);
            let missing = || Stop::Because(format!("`{ty}` has no field `{name}` before this"));
            fields.iter().position(is_it).ok_or_else(missing)
        };
        loop {
            if cursor.eat_all(&["add", "attribute"]) {
                let field =
                    cursor.until(|cursor| cursor.is(",") || cursor.is_one_of(&["cascade", "restrict"])).here()?;
                fields.push(field.trim().to_owned());
            } else if cursor.eat_all(&["drop", "attribute"]) {
                let is_lenient = Self::passed_if_exists(cursor);
                let name = cursor.name().here()?;
                match place(&fields, &name) {
                    Ok(at) => {
                        fields.remove(at);
                    }
                    Err(_) if is_lenient => {}
                    Err(stop) => return Err(stop),
                }
            } else if cursor.eat_all(&["alter", "attribute"]) {
                let name = cursor.name().here()?;
                cursor.eat_all(&["set", "data"]);
                cursor.expect("type").here()?;
                let ty = cursor.until(|cursor| cursor.is(",") || cursor.is_one_of(&["cascade", "restrict"])).here()?;
                let at = place(&fields, &name)?;
                fields[at] = format!("{} {}", quote(&name), ty.trim());
            } else if cursor.eat_all(&["rename", "attribute"]) {
                let name = cursor.name().here()?;
                cursor.expect("to").here()?;
                let new = cursor.name().here()?;
                let at = place(&fields, &name)?;
                fields[at] = Words::new(&format!("create type {}", fields[at])).own_name_changed(&quote(&new))
                    ["create type ".len()..]
                    .to_owned();
            } else {
                return Err(Stop::Here);
            }
            let _ = cursor.eat("cascade") || cursor.eat("restrict");
            if !cursor.eat(",") {
                break;
            }
        }
        row.sql = format!("{head}({})", fields.join(", "));
        Ok(Read::Done)
    }

    // ---- what is kept as it is written --------------------------------------------------------------------------

    /// `alter function …`: another name, or what goes behind that which makes it.
    pub(super) fn alter_routine(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let start = cursor.at();
        let name = self.relation(cursor)?;
        let arguments = match cursor.is("(") {
            true => Some(self.argument_types(cursor.parenthesised().here()?)),
            false => None,
        };
        let is_routine = |row: &OtherRow| matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
        let base = |row: &OtherRow| row.name.split('(').next() == Some(name.as_str());
        let has_arguments =
            |row: &OtherRow| arguments.as_ref().is_none_or(|all| row.drop.ends_with(&format!("({all})")));
        let others = &self.catalogue.others;
        let mut found = (0..others.len())
            .filter(|at| is_routine(&others[*at]) && base(&others[*at]) && has_arguments(&others[*at]));
        let Some(at) = found.next() else {
            cursor.go_to(start);
            return Err(Stop::Because(format!("there is no such routine `{name}` before this")));
        };
        let Some(new) = Self::new_name(cursor, &name)? else {
            let made = &mut self.catalogue.others[at].sql;
            *made = format!("{};\n{sql}", made.trim_end().trim_end_matches(';'));
            cursor.rest();
            return Ok(Read::Done);
        };
        rename_made(&mut self.catalogue.others[at], &new);
        let is_namesake = |row: &OtherRow| is_routine(row) && base(row);
        if !self.catalogue.others.iter().any(is_namesake) {
            self.respell(&[Place::Routine], &name, &new);
        }
        Ok(Read::Done)
    }

    /// `alter trigger | policy | rule NAME on TABLE rename to NAME`, and what else is said of a policy.
    pub(super) fn alter_on_table(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let name = cursor.name().here()?;
        cursor.expect("on").here()?;
        let table = self.relation(cursor)?;
        if !cursor.is("rename") {
            return self.alter_policy(cursor, &format!("{name} on {table}"));
        }
        cursor.eat_all(&["rename", "to"]).then_some(()).here()?;
        let new = cursor.name().here()?;
        let label = format!("{name} on {table}");
        let is_it = |row: &&mut OtherRow| row.name == label || row.name == name && row.table.as_ref() == Some(&table);
        for row in self.catalogue.others.iter_mut().filter(is_it) {
            if row.table.is_some() {
                row.name.clone_from(&new);
            } else {
                row.name = format!("{new} on {table}");
            }
            if row.kind == ObjectKind::Firing {
                row.sql = with_tail(&row.sql, &quote(&name), &quote(&new));
                row.drop = with_tail(&row.drop, &quote(&name), &quote(&new));
                row.after.iter_mut().filter(|one| **one == name).for_each(|one| one.clone_from(&new));
                continue;
            }
            row.sql = Words::new(&row.sql).own_name_changed(&quote(&new));
            let end = format!("{} on {}", quote(&name), quote_object(&table));
            row.drop = with_tail(&row.drop, &end, &format!("{} on {}", quote(&new), quote_object(&table)));
        }
        Ok(Read::Done)
    }

    /// `[to ROLES] [using (…)] [with check (…)]`: each stands in the place of what was said before.
    fn alter_policy(&mut self, cursor: &mut Cursor<'_>, label: &str) -> Reading<Read> {
        let is_it = |row: &&mut OtherRow| row.kind == ObjectKind::Policy && row.name == label;
        let missing = || Stop::Because(format!("there is no policy `{label}` before this"));
        let row = self.catalogue.others.iter_mut().find(is_it).ok_or_else(missing)?;
        let said = row.sql.clone();
        let mut before = Cursor::new(&said, SYNTAX);
        let on = before.until(|cursor| cursor.is("on")).here()?;
        let table = before.until(|cursor| cursor.is_one_of(&["to", "using", "with"])).here()?;
        let made = policy_clauses(&mut before).here()?;
        let altered = policy_clauses(cursor).filter(|_| cursor.is_at_end()).here()?;
        let clauses = altered.into_iter().zip(made).filter_map(|(new, old)| new.or(old));
        row.sql = [on, table].into_iter().chain(clauses).collect::<Vec<_>>().join(" ");
        Ok(Read::Done)
    }

    /// Gives another name to what statements and expressions use.
    fn respell(&mut self, places: &[Place], old: &str, new: &str) {
        let anew = |text: &mut String| {
            let words = Words::new(text);
            let renamed = words.renamed(places, old, new);
            *text = renamed;
        };
        let catalogue = &mut self.catalogue;
        for row in &mut catalogue.others {
            anew(&mut row.sql);
            let is_routine = matches!(row.kind, ObjectKind::Routine | ObjectKind::Aggregate);
            if is_routine && places.contains(&Place::Type) {
                row.name = with_argument(&row.name, old, new);
                row.drop = with_argument(&row.drop, old, new);
            }
        }
        let columns = catalogue.columns.iter_mut().filter_map(|row| row.expression.as_mut());
        let checks = catalogue.constraints.iter_mut().filter_map(|row| row.expression.as_mut());
        columns.chain(checks).for_each(anew);
        for row in &mut catalogue.indexes {
            row.expressions.iter_mut().chain(row.predicate.as_mut()).for_each(anew);
        }
    }
}

/// What is said of a policy behind its table: its roles, which rows it shows, and which it lets in.
fn policy_clauses<'s>(cursor: &mut Cursor<'s>) -> Option<[Option<&'s str>; 3]> {
    let mut clauses = [None; 3];
    for (clause, words) in clauses.iter_mut().zip([&["to"][..], &["using"], &["with", "check"]]) {
        let start = cursor.at();
        if cursor.eat_all(words) {
            cursor.until(|cursor| cursor.is_one_of(&["using", "with"]))?;
            *clause = Some(cursor.between(start, cursor.at()).trim_end_matches(';').trim_end());
        }
    }
    Some(clauses)
}

/// The sequence of an identity column keeps its name when the table or the column gets another.
fn keep_sequence(row: &mut ColumnRow, table: &str, column: &str) {
    let is_said = |one: &String| one.starts_with("identity sequence ");
    if row.identity.is_some() && !row.peculiarities.iter().any(is_said) {
        row.peculiarities.push(format!("identity sequence {}", sequence_name(table, column)));
    }
}

/// A name in another namespace.
fn moved(name: &str, namespace: &str) -> String {
    let base = qualified::plain(qualified::base(name)).into_owned();
    qualified(Some(namespace).filter(|one| *one != PUBLIC), &base)
}

/// Gives another name to what a statement makes; what tells routines of one name apart stays behind it.
fn rename_made(row: &mut OtherRow, new: &str) {
    let made = Words::new(&row.sql).own_name_changed(&quote_object(new));
    // A plain query makes nothing.
    if !row.drop.is_empty() || row.sql.trim_start().to_ascii_lowercase().starts_with("create") {
        row.sql = made;
    }
    let (old, arguments) = row.name.split_at(row.name.find('(').unwrap_or(row.name.len()));
    let (was, is) = (format!(" {}", quote_object(old)), format!(" {}", quote_object(new)));
    row.drop = match row.drop.find('(') {
        Some(at) => with_tail(&row.drop[..at], &was, &is) + &row.drop[at..],
        None => with_tail(&row.drop, &was, &is),
    };
    row.name = format!("{new}{arguments}");
}

/// A statement with another name for what it makes, which stands behind a word.
pub(super) fn with_name(sql: &str, word: &str, quoted: &str) -> Option<String> {
    let mut cursor = Cursor::new(sql, SYNTAX);
    cursor.until(|cursor| cursor.is(word))?;
    cursor.skip();
    cursor.eat("concurrently");
    cursor.eat_all(&["if", "not", "exists"]);
    let start = cursor.at();
    cursor.name()?;
    while cursor.eat(".") {
        cursor.name()?;
    }
    Some(format!("{} {quoted} {}", cursor.between(0, start).trim_end(), cursor.rest().trim_start()))
}

/// A text that ends with one thing, with another.
fn with_tail(text: &str, old: &str, new: &str) -> String {
    text.strip_suffix(old).map_or_else(|| text.to_owned(), |head| format!("{head}{new}"))
}

/// What is called by a table, as things of tables are that have no names of their own.
fn relabelled(label: &str, old: &str, new: &str) -> String {
    let of_column = |rest: &str| rest.starts_with(['.', ' ']);
    match () {
        () if label == old => new.to_owned(),
        () if label.ends_with(&format!(" on {old}")) => with_tail(label, old, new),
        () if label.strip_prefix(old).is_some_and(of_column) => format!("{new}{}", &label[old.len()..]),
        () => label.to_owned(),
    }
}

/// `name(types)` with another type for one.
fn with_argument(text: &str, old: &str, new: &str) -> String {
    let Some((head, types)) = text.split_once('(').and_then(|(head, rest)| Some((head, rest.strip_suffix(')')?)))
    else {
        return text.to_owned();
    };
    let anew = |one: &str| {
        let element = one.trim_end_matches("[]");
        if element == old { format!("{new}{}", &one[element.len()..]) } else { one.to_owned() }
    };
    format!("{head}({})", types.split(',').map(anew).collect::<Vec<_>>().join(","))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::reading::Statements;

    #[test]
    fn a_column_that_a_text_reads_keeps_its_name() {
        let mut reader = Reader::default();
        let mut read = |sql: &str| reader.statement(&mut Cursor::new(sql, SYNTAX), sql);
        for sql in [
            "create table box (id int, lid text, free int)",
            "create table item (lid int)",
            "create view lids as select lid, id as free from box where id > 0",
            "create view items as select lid from item",
            "alter table box rename free to frei",
        ] {
            assert!(read(sql).is_ok(), "{sql}");
        }
        let Err(Stop::Because(why)) = read("alter table box rename column lid to cover") else {
            panic!("it is refused")
        };
        assert!(why.starts_with("view `lids` reads the column"), "{why}");
    }
}
