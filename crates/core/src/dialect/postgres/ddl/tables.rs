//! Tables in a file, with their columns.

use std::collections::BTreeSet;

use super::names::is_built_in;
use super::{CLAUSES, Reader, Reading, USUAL_PLACE, elements, labels, parameters, type_text};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::attributes::identity_range;
use crate::dialect::postgres::catalogue::{ColumnRow, ConstraintRow, OtherRow, SequenceRow, TableRow};
use crate::dialect::postgres::inheriting::{ALSO_INHERITED, INHERITED};
use crate::dialect::postgres::quote::{literal, quote, quote_object};
use crate::dialect::postgres::render::sequence_name;
use crate::dialect::postgres::sequence::usual_range;
use crate::dialect::postgres::types::type_name;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, TokenKind, unquote};

/// What another table can be copied with (PostgreSQL 17, "CREATE TABLE", `LIKE`).
const INCLUDED: [&str; 9] =
    ["comments", "compression", "constraints", "defaults", "generated", "identity", "indexes", "statistics", "storage"];

impl Reader {
    pub(super) fn create_table(&mut self, cursor: &mut Cursor<'_>, sql: &str, persistence: char) -> Reading<Read> {
        let is_lenient = Self::passed_if_exists(cursor);
        let name = self.relation(cursor)?;
        if self.oid(&name).is_some() {
            return match is_lenient {
                true => Ok(Read::Nothing),
                false => Err(Stop::Because(format!("table `{name}` is made twice"))),
            };
        }
        if cursor.eat_all(&["partition", "of"]) {
            let parent = self.relation(cursor)?;
            let drop = format!("drop table {}", quote_object(&name));
            self.other(ObjectKind::Partition, name, sql.to_owned(), drop);
            if let Some(row) = self.catalogue.others.last_mut() {
                row.after = vec![parent];
            }
            return Ok(Read::Done);
        }
        if cursor.eat("of") {
            return self.create_typed(cursor, &name, persistence);
        }
        if cursor.is("as") {
            return Err(Stop::Because(format!("what columns a query gives `{name}`, only a server can tell")));
        }
        // Columns of a dropped table stay in this list, so that no number comes twice.
        let oid = u32::try_from(self.columns.len()).unwrap_or_default() + 1;
        self.catalogue.tables.push(TableRow { oid, name, persistence, ..TableRow::default() });
        self.columns.insert(oid, Vec::new());
        // What it inherits comes first, and is said last.
        let start = cursor.at();
        cursor.skip_nested().here()?;
        if cursor.eat("inherits") {
            for parent in self.relations(cursor)? {
                self.inherit(&parent, oid)?;
            }
        }
        cursor.go_to(start);
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            if Self::begins_constraint(cursor) {
                self.table_constraint(cursor, oid)?;
            } else if cursor.eat("like") {
                self.like(cursor, oid)?;
            } else {
                self.column_definition(cursor, oid)?;
            }
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        self.table_options(cursor, oid)?;
        // The rules of a table that has no row yet hold for all of them, whatever is said (PostgreSQL 17,
        // `parse_utilcmd.c`, `transformCheckConstraints` and `transformFKConstraints`).
        for row in self.catalogue.constraints.iter_mut().filter(|row| row.table == oid) {
            row.peculiarities.retain(|one| one != "not valid");
        }
        self.leave_out_doubled(oid);
        Ok(Read::Done)
    }

    /// `create table NAME of TYPE (…)`: its columns are the type's, each with what is said of it (PostgreSQL 17, "CREATE
    /// TABLE", `OF type_name`).
    pub(super) fn create_typed(&mut self, cursor: &mut Cursor<'_>, name: &str, persistence: char) -> Reading<Read> {
        let ty = self.relation(cursor)?;
        let is_it = |row: &&OtherRow| row.kind == ObjectKind::Type && row.name == ty;
        let made = self.catalogue.others.iter().find(is_it).map(|row| row.sql.clone());
        let made = made.ok_or_else(|| Stop::Because(format!("there is no type `{ty}` before this")))?;
        let mut parts = Cursor::new(&made, SYNTAX);
        parts.until(|cursor| cursor.is("(")).here()?;
        let mut elements = elements(parts.parenthesised().here()?)?;
        if cursor.is("(") {
            let mut said = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
            while !said.is_at_end() {
                let begins_constraint = Self::begins_constraint(&said);
                let column = if begins_constraint { None } else { Some(said.name().here()?) };
                said.eat_all(&["with", "options"]);
                let clauses = said.until(|cursor| cursor.is(",")).here()?;
                let of = |element: &&mut String| column == Cursor::new(element, SYNTAX).name();
                match elements.iter_mut().find(of) {
                    // Its type says by what it is sorted.
                    Some(element) if column.is_some() => {
                        let mut clauses = Cursor::new(clauses, SYNTAX);
                        element.push_str(&format!(" {}", clauses.until(|cursor| cursor.is("collate")).here()?));
                        if clauses.eat("collate") {
                            self.relation(&mut clauses)?;
                            element.push_str(&format!(" {}", clauses.rest()));
                        }
                    }
                    _ => elements.push(clauses.to_owned()),
                }
                said.eat(",");
            }
        }
        let text = format!("{} ({}) {}", quote_object(name), elements.join(", "), cursor.rest());
        self.create_table(&mut Cursor::new(&text, SYNTAX), &text, persistence)?;
        if let Some(oid) = self.oid(name) {
            self.table_row(oid).peculiarities.push(format!("of {}", quote_object(&ty)));
        }
        Ok(Read::Done)
    }

    /// A unique constraint that says what the primary key or one before it says is not made (PostgreSQL 15,
    /// `parse_utilcmd.c`, `transformIndexConstraints`).
    pub(super) fn leave_out_doubled(&mut self, oid: u32) {
        let Some(first) = self.catalogue.constraints.iter().position(|row| row.table == oid) else { return };
        let mut at = first;
        while let Some(row) = self.catalogue.constraints.get(at) {
            let says_the_same = |other: &ConstraintRow| {
                other.table == oid
                    && other.columns == row.columns
                    && (other.deferrable, other.deferred) == (row.deferrable, row.deferred)
                    && other.peculiarities == row.peculiarities
            };
            let is_doubled = row.table == oid
                && row.kind == 'u'
                && (self.catalogue.constraints[first..].iter().any(|other| other.kind == 'p' && says_the_same(other))
                    || self.catalogue.constraints[first..at]
                        .iter()
                        .any(|other| other.kind == 'u' && says_the_same(other)));
            match is_doubled {
                true => self.remove_constraint(at),
                false => at += 1,
            }
        }
    }

    pub(super) fn table_options(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        while !cursor.is_at_end() {
            let mut word = None;
            if cursor.eat("inherits") {
                self.relations(cursor)?;
            } else if cursor.eat_all(&["partition", "by"]) {
                let method = cursor.name().here()?;
                word = Some(format!("partition by {method} ({})", partition_key(cursor.parenthesised().here()?)?));
            } else if cursor.eat("with") {
                let parameters = parameters(cursor.parenthesised().here()?);
                self.table_row(oid).parameters.extend(parameters);
            } else if cursor.eat_all(&["without", "oids"]) {
            } else if cursor.eat("tablespace") {
                let place = Some(cursor.name().here()?).filter(|place| place != USUAL_PLACE);
                word = place.map(|place| format!("tablespace {place}"));
            } else if cursor.eat("using") {
                word = Some(format!("using {}", cursor.name().here()?)).filter(|word| word != "using heap");
            } else {
                return Err(Stop::Here);
            }
            self.table_row(oid).peculiarities.extend(word);
        }
        Ok(())
    }

    /// The columns of another table, without what makes them more than that.
    pub(super) fn like(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let other = self.table(cursor)?;
        let mut included = BTreeSet::new();
        while cursor.is_one_of(&["including", "excluding"]) {
            let comes = cursor.is("including");
            cursor.skip();
            let what = cursor.name().here()?;
            let all = INCLUDED.into_iter().filter(|one| what == "all" || what == *one);
            match comes {
                true => included.extend(all),
                false => included.retain(|one| !all.clone().any(|gone| gone == *one)),
            }
        }
        self.copy_columns(other, oid, &included);
        let name = self.table_name(other);
        let is_of_it = |row: &OtherRow| row.after.contains(&name) || row.table.as_ref() == Some(&name);
        let unread = |row: &OtherRow| match row.kind {
            ObjectKind::Statistics => included.contains("statistics") && is_of_it(row),
            ObjectKind::Constraint => included.contains("indexes") && is_of_it(row),
            ObjectKind::Comment => included.contains("comments") && row.name.ends_with(&format!(" on {name}")),
            _ => false,
        };
        if let Some(row) = self.catalogue.others.iter().find(|row| unread(row)) {
            return Err(Stop::Because(format!("what is included of `{name}` is not read: {}", row.name)));
        }
        if included.contains("constraints") {
            self.copy_checks(other, oid);
        }
        if included.contains("indexes") {
            self.copy_indexes(other, oid)?;
        }
        Ok(())
    }

    /// The checks of another table.
    fn copy_checks(&mut self, from: u32, to: u32) {
        let checks = self.catalogue.constraints.iter().filter(|row| row.table == from && row.kind == 'c');
        for mut row in checks.cloned().collect::<Vec<_>>() {
            if self.catalogue.constraints.iter().any(|other| other.table == to && other.name == row.name) {
                continue;
            }
            row.table = to;
            row.peculiarities.retain(|one| one != INHERITED && one != ALSO_INHERITED);
            self.catalogue.constraints.push(row);
        }
    }

    /// The keys and indexes of another table, by names of their own.
    fn copy_indexes(&mut self, from: u32, to: u32) -> Reading<()> {
        let old = self.columns.get(&from).cloned().unwrap_or_default();
        let name = |number: &i16| usize::try_from(*number - 1).ok().and_then(|at| old.get(at).cloned());
        let keys = self.catalogue.constraints.iter().filter(|row| row.table == from && matches!(row.kind, 'p' | 'u'));
        for mut row in keys.cloned().collect::<Vec<_>>() {
            let columns: Vec<String> = row.columns.iter().filter_map(name).collect();
            let carried = row.peculiarities.iter().filter_map(|one| one.strip_prefix("include "));
            let carried = carried.filter_map(|list| Cursor::new(list, SYNTAX).names()).flatten();
            let label = labels::joined(columns.iter().cloned().chain(carried).collect());
            row.table = to;
            row.columns = self.numbers(to, &columns)?;
            row.name = match row.kind {
                'p' => self.choose(to, "", "pkey"),
                _ => self.choose(to, &label, "key"),
            };
            if row.kind == 'p' {
                for column in &columns {
                    self.column(to, column)?.required = true;
                }
            }
            self.catalogue.constraints.push(row);
        }
        let indexes = self.catalogue.indexes.iter().filter(|row| row.table == from);
        for mut row in indexes.cloned().collect::<Vec<_>>() {
            let mut expressions = row.expressions.iter().map(|text| labels::of_expression(text));
            let columns: Vec<Option<String>> = row.columns.iter().map(name).collect();
            let labels = columns.iter().map(|column| column.clone().or_else(|| expressions.next()).unwrap_or_default());
            let label = labels::joined(labels.collect());
            row.table = to;
            for (number, column) in row.columns.iter_mut().zip(columns) {
                if let Some(column) = column {
                    *number = self.numbers(to, &[column])?.first().copied().unwrap_or_default();
                }
            }
            // PostgreSQL 15, `parse_utilcmd.c`, `get_collation`: that of the type is not taken over, said or not.
            for collation in &mut row.collations {
                collation.take_if(|name| name == "default");
            }
            row.name = self.choose(to, &label, "idx");
            self.catalogue.indexes.push(row);
        }
        Ok(())
    }

    fn copy_columns(&mut self, from: u32, to: u32, included: &BTreeSet<&'static str>) {
        let has = |what: &str| included.contains(what);
        let rows: Vec<ColumnRow> = self.catalogue.columns.iter().filter(|row| row.table == from).cloned().collect();
        for row in rows {
            let names = self.columns.entry(to).or_default();
            names.push(row.name.clone());
            let number = i16::try_from(names.len()).unwrap_or(i16::MAX);
            let storage = row.peculiarities.iter().filter(|word| match word.split(' ').next().unwrap_or_default() {
                "statistics" => false,
                word => has(word),
            });
            let peculiarities = storage.cloned().collect();
            self.catalogue.columns.push(ColumnRow {
                table: to,
                number,
                expression: row
                    .expression
                    .filter(|_| has(if row.generated.is_some() { "generated" } else { "defaults" })),
                generated: row.generated.filter(|_| has("generated")),
                identity: row.identity.filter(|_| has("identity")),
                numbering: row.numbering.filter(|_| has("identity")),
                comment: row.comment.filter(|_| has("comments")),
                peculiarities,
                ..row
            });
        }
    }

    pub(super) fn table_row(&mut self, oid: u32) -> &mut TableRow {
        let at = self.table_at(oid).unwrap_or_default();
        &mut self.catalogue.tables[at]
    }

    pub(super) fn begins_constraint(cursor: &Cursor<'_>) -> bool {
        let next = cursor.ahead(1);
        cursor.is_one_of(&["constraint"])
            || cursor.is_one_of(&["primary", "foreign"]) && next.eq_ignore_ascii_case("key")
            || cursor.is_one_of(&["unique", "check"]) && (next == "(" || next.eq_ignore_ascii_case("nulls"))
            || cursor.are(&["not", "null"])
            || cursor.is_one_of(&["exclude"]) && (next == "(" || next.eq_ignore_ascii_case("using"))
    }

    pub(super) fn column_definition(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let name = cursor.name().here()?;
        let start = cursor.at();
        let text = cursor
            .until(|cursor| matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES))
            .filter(|text| !text.is_empty())
            .here()?;
        let end = cursor.at();
        cursor.go_to(start + 1);
        // Types of several words begin with one of these (PostgreSQL 17, "Data Types").
        let is_long = ["double", "character", "char", "national", "timestamp", "time", "bit", "interval"]
            .iter()
            .any(|word| cursor.between(start, start + 1).eq_ignore_ascii_case(word));
        while cursor.at() < end {
            let is_behind_point = cursor.between(cursor.at() - 1, cursor.at()) == ".";
            if cursor.kind() == TokenKind::Word && !is_long && !is_behind_point && !cursor.is("array") {
                return Err(Stop::Here);
            }
            cursor.skip_nested().here()?;
        }
        let mut row = ColumnRow { table: oid, name: name.clone(), ..ColumnRow::default() };
        if let Some(number) = self.number(oid, &name) {
            // A column that is inherited, too: required where one of the two is, and with the parent's default, or computed as there,
            // where it has none of its own (PostgreSQL 15, `MergeAttributes`).
            let rows = &mut self.catalogue.columns;
            let is_it = |row: &ColumnRow| row.table == oid && row.number == number;
            if let Some(at) = rows.iter().position(is_it) {
                let inherited = rows.remove(at);
                if !inherited.peculiarities.iter().any(|one| one == INHERITED) {
                    cursor.go_to(start - 1);
                    return Err(Stop::Because(format!("`{}` has a column `{name}` already", self.table_name(oid))));
                }
                row.required = inherited.required;
                (row.generated, row.expression) = (inherited.generated, inherited.expression);
                let is_of_parent = inherited.peculiarities.iter().any(|one| one == INHERITED);
                row.peculiarities = inherited.peculiarities;
                row.peculiarities.retain(|one| one != INHERITED);
                row.peculiarities.extend(is_of_parent.then(|| ALSO_INHERITED.to_owned()));
            }
        } else {
            self.columns.entry(oid).or_default().push(name.clone());
        }
        let number = self.number(oid, &name).unwrap_or(i16::MAX);
        row.number = number;
        let serial = match text.to_ascii_lowercase().as_str() {
            "serial" | "serial4" => Some("integer"),
            "bigserial" | "serial8" => Some("bigint"),
            "smallserial" | "serial2" => Some("smallint"),
            _ => None,
        };
        row.ty = self.column_type(serial.unwrap_or(text));
        row.enumeration = self.enumeration(&row.ty);
        if let Some(ty) = serial {
            let table = self.table_name(oid);
            let sequence = qualified::beside(&table, &qualified::part(&sequence_name(&table, &name)));
            row.required = true;
            row.expression = Some(format!("nextval({}::regclass)", literal(&quote_object(&sequence))));
            let owner = Some((oid, number));
            self.catalogue.sequences.push(SequenceRow { owner, ..SequenceRow::new(sequence.clone(), ty.into()) });
        }
        self.catalogue.columns.push(row);
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") {
            self.column_clause(cursor, oid, &name)?;
        }
        Ok(())
    }

    /// A column's type as the catalogue would give it: one that this SQL makes with its namespace.
    pub(super) fn column_type(&self, said: &str) -> String {
        let text = type_text(said);
        let is_made = |name: &str| {
            let is_it = |row: &OtherRow| row.kind == ObjectKind::Type && row.name == name;
            self.enums.contains(name) || self.domains.contains_key(name) || self.catalogue.others.iter().any(is_it)
        };
        match self.type_made(&text, is_made) {
            Some(name) => format!("{}{}", quote_object(&name), if text.ends_with("[]") { "[]" } else { "" }),
            None if said.contains('.') => text,
            None => self.of_extension(text),
        }
    }

    /// A type that is neither the server's nor made here is an extension's, where one is in the search path's namespace.
    fn of_extension(&self, text: String) -> String {
        let Some(namespace) = self.namespace.as_ref().filter(|name| self.extended.contains(*name)) else { return text };
        let is_of_name = |letter: char| letter.is_alphanumeric() || letter == '_';
        let name = text.trim_end_matches(|letter| !is_of_name(letter)).split(|letter| !is_of_name(letter)).next();
        let behind = name.map_or("", |name| &text[name.len()..]);
        let is_name = name.is_some_and(|name| !name.is_empty() && !is_built_in(&name.to_lowercase()));
        match is_name && (behind.is_empty() || behind.starts_with(['[', '('])) {
            true => format!("{}.{text}", quote(namespace)),
            false => text,
        }
    }

    /// The enum type that a type is of, or an array of.
    pub(super) fn enumeration(&self, ty: &str) -> Option<String> {
        self.type_made(ty, |name| self.enums.contains(name))
    }

    pub(super) fn column_clause(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        let start = cursor.at();
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        let own = [column.to_owned()];
        if cursor.eat_all(&["not", "null"]) {
            self.not_null(cursor, oid, named, column)?;
        } else if cursor.eat("null") {
        } else if cursor.eat("default") {
            let ends = |cursor: &Cursor<'_>| {
                matches!(cursor.peek(), "," | ")") || cursor.is_one_of(&CLAUSES) && cursor.at() > start + 1
            };
            let text = cursor.until(ends).here()?.to_owned();
            self.set_default(oid, column, &text)?;
        } else if cursor.eat("collate") {
            let collation = self.collation(cursor)?;
            self.column(oid, column)?.collation = Some(collation).filter(|name| name != "default");
        } else if cursor.eat("storage") {
            let word = format!("storage {}", cursor.name().here()?);
            self.column(oid, column)?.peculiarities.push(word);
        } else if cursor.eat("compression") {
            let word = format!("compression {}", cursor.name().here()?);
            self.column(oid, column)?.peculiarities.push(word);
        } else if cursor.is("generated") {
            self.generated(cursor, oid, column)?;
        } else if Self::begins_column_constraint(cursor) {
            self.constraint(cursor, oid, named, Some(&own))?;
        } else {
            return Err(Stop::Here);
        }
        Ok(())
    }

    pub(super) fn begins_column_constraint(cursor: &Cursor<'_>) -> bool {
        cursor.is_one_of(&["primary", "unique", "check", "references"])
    }

    pub(super) fn set_default(&mut self, oid: u32, column: &str, text: &str) -> Reading<()> {
        let mut text = self.expression(text);
        if let Some(digits) = text.strip_prefix('-').unwrap_or(&text).strip_prefix('.') {
            text = format!("{}0.{digits}", if text.starts_with('-') { "-" } else { "" });
        }
        // The argument of `nextval` is a `regclass`, unless it says otherwise.
        let mut call = Cursor::new(&text, SYNTAX);
        if call.eat_all(&["nextval", "("]) && call.kind() == TokenKind::Text {
            let said = call.peek().to_owned();
            call.skip();
            let is_cast = call.eat_all(&["::", "regclass"]) || call.eat_all(&[":", ":", "regclass"]);
            if call.eat(")") && call.is_at_end() {
                // As a dump with quotes around every name says it.
                let plain = unquote(&said);
                let in_public = plain.strip_prefix("\"public\".").filter(|name| is_cast && name.starts_with('"'));
                let name = match self.sequence_named(&plain) {
                    Some(name) => literal(&quote_object(&name)),
                    None => in_public.map_or(said, |name| literal(&quote(&unquote(name)))),
                };
                text = format!("nextval({name}::regclass)");
            }
        }
        let ty = self.column(oid, column)?.ty.clone();
        let domain = self.type_made(&ty, |name| self.domains.contains_key(name));
        let domain = domain.and_then(|name| self.domains.get(&name).cloned());
        let is_cast = domain.is_some() || type_name(&ty).canonical().contains('(');
        let row = self.column(oid, column)?;
        row.expression = match text.eq_ignore_ascii_case("null") {
            false => Some(text),
            // A null is no default, unless it has to be cast to get its type: to a length, or to what a domain is of.
            true => {
                let canonical = domain.unwrap_or_else(|| type_name(&row.ty).canonical().to_ascii_lowercase());
                let (head, rest) = canonical.split_once('(').unwrap_or((&canonical, ""));
                let behind = rest.split_once(')').map(|(_, behind)| behind).unwrap_or_default();
                let head = if matches!(head, "character" | "char") { "bpchar" } else { head };
                Some(format!("NULL::{head}{behind}")).filter(|_| is_cast)
            }
        };
        Ok(())
    }

    /// `generated always as (…) [stored | virtual]`, or an identity.
    pub(super) fn generated(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        cursor.expect("generated").here()?;
        let always = cursor.eat("always");
        if !always {
            cursor.eat_all(&["by", "default"]).then_some(()).here()?;
        }
        cursor.expect("as").here()?;
        if cursor.eat("identity") {
            let table = self.table_name(oid);
            let own = qualified::beside(&table, &qualified::part(&sequence_name(&table, column)));
            let is_taken = self.catalogue.sequences.iter().any(|row| row.name == own);
            let name = match is_taken {
                true => qualified::beside(&table, &qualified::part(&self.choose(oid, column, "seq"))),
                false => own.clone(),
            };
            let ty = type_name(&self.column(oid, column)?.ty).canonical().to_ascii_lowercase();
            let mut row = SequenceRow::new(name, ty);
            let is_bounded = cursor.eat("(");
            if is_bounded {
                row = self.sequence_options(cursor, row)?;
                cursor.expect(")").here()?;
            } else {
                row.start = 1;
            }
            let found = self.column(oid, column)?;
            found.identity = Some(if always { 'a' } else { 'd' });
            found.required = true;
            found.numbering = Some((row.start, row.step));
            if row.cache != 1 {
                found.peculiarities.push(format!("identity cache {}", row.cache));
            }
            if row.cycles {
                found.peculiarities.push("identity cycle".into());
            }
            if is_bounded && (row.least, row.most) != usual_range(&row.ty, row.step) {
                found.peculiarities.push(identity_range((row.least, row.most)));
            }
            if row.name != own {
                let name = qualified::plain(qualified::base(&row.name));
                found.peculiarities.push(format!("identity sequence {name}"));
            }
            return Ok(());
        }
        let expression = self.expression(cursor.parenthesised().here()?);
        // PostgreSQL 18, "CREATE TABLE": what does not say so is virtual; before, it had to say that it is stored.
        let kind = if cursor.eat("stored") { 's' } else { 'v' };
        cursor.eat("virtual");
        let found = self.column(oid, column)?;
        found.generated = Some(kind);
        found.expression = Some(expression);
        Ok(())
    }
}

/// What stands in parentheses, if nothing else does.
fn whole_in_parentheses(text: &str) -> Option<&str> {
    let mut cursor = Cursor::new(text, SYNTAX);
    if !cursor.is("(") {
        return None;
    }
    let within = cursor.parenthesised()?;
    cursor.is_at_end().then_some(within)
}

/// By what a table is divided, as the server writes it: an expression that is no call is in parentheses of its own
/// (PostgreSQL 15, `ruleutils.c`, `pg_get_partkeydef_worker`).
fn partition_key(text: &str) -> Reading<String> {
    let mut cursor = Cursor::new(text, SYNTAX);
    let mut parts = Vec::new();
    while !cursor.is_at_end() {
        let mut part = cursor.until(|cursor| cursor.is(",")).here()?.trim().to_owned();
        if part.starts_with('(') {
            let mut inner = Cursor::new(&part, SYNTAX);
            let mut bare = inner.parenthesised().here()?;
            // A dump has those parentheses already.
            while let Some(within) = whole_in_parentheses(bare) {
                bare = within;
            }
            if inner.is_at_end() {
                let mut whole = Cursor::new(bare, SYNTAX);
                let is_call = whole.name().is_some() && whole.is("(") && whole.skip_nested().is_some();
                part = match is_call && whole.is_at_end() {
                    true => bare.trim().to_owned(),
                    false => format!("(({bare}))"),
                };
            }
        }
        // A name without quotes is one in small letters.
        let is_name = part.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_');
        parts.push(if is_name { part.to_ascii_lowercase() } else { part });
        cursor.eat(",");
    }
    Ok(parts.join(", "))
}

/// The option that says how a table is partitioned, as it is read from the catalogue; nothing of another option.
pub(in crate::dialect::postgres) fn partitioned(option: &str) -> Option<String> {
    let mut cursor = Cursor::new(option, SYNTAX);
    let method = cursor.eat_all(&["partition", "by"]).then(|| cursor.name()).flatten()?;
    let key = partition_key(cursor.parenthesised()?).ok()?;
    cursor.is_at_end().then(|| format!("partition by {} ({key})", method.to_ascii_lowercase()))
}
