//! The parts of partitioned tables in a file: made as such, or as tables that are attached, as a dump does it.

use std::collections::BTreeMap;

use super::{Reader, Reading, SYNTAX};
use crate::dialect::postgres::catalogue::{ColumnRow, ConstraintRow, IndexRow, OtherRow};
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, unquote};

/// By what a constraint is known again: its kind, and its name or columns.
pub(super) type Like = (char, Vec<String>);

/// A table that became a part, as it was then.
pub(super) struct Part {
    name: String,
    parent: String,
    columns: Vec<ColumnRow>,
    constraints: Vec<Like>,
}

/// What `alter column … set` says of how a column is looked at and its values are stored.
pub(super) const SETTINGS: [&str; 3] = ["statistics", "storage", "compression"];

impl Reader {
    /// Whether it is a part of a partitioned table.
    pub(super) fn is_partition(&self, name: &str) -> bool {
        self.catalogue.others.iter().any(|row| row.kind == ObjectKind::Partition && row.name == name)
    }

    /// Takes out a part of a partitioned table, if it is one, and the parts of what is dropped.
    pub(super) fn drop_part(&mut self, name: &str) {
        let others = &mut self.catalogue.others;
        others.retain(|row| row.kind != ObjectKind::Partition || row.name != name);
        let parts: Vec<String> = others
            .extract_if(.., |row| row.kind == ObjectKind::Partition && row.after.iter().any(|parent| parent == name))
            .map(|row| row.name)
            .collect();
        self.parts.retain(|part| part.name != name);
        for part in parts {
            // What is of the part alone goes with it.
            self.catalogue.others.retain(|row| row.kind == ObjectKind::Partition || !row.after.contains(&part));
            self.drop_part(&part);
        }
    }

    /// Something that is of a partition alone.
    pub(super) fn of_partition(&mut self, kind: ObjectKind, name: String, sql: String, drop: String, partition: &str) {
        self.other(kind, name, sql, drop);
        if let Some(row) = self.catalogue.others.last_mut() {
            row.after = vec![partition.to_owned()];
        }
    }

    /// `attach partition CHILD …`: the table becomes a part, which has from its parent what it does not have of its own.
    pub(super) fn attach(&mut self, cursor: &mut Cursor<'_>, parent: &str) -> Reading<()> {
        let oid = self.table(cursor)?;
        let bound = cursor.rest().trim().to_owned();
        let at = self.catalogue.tables.iter().position(|row| row.oid == oid).here()?;
        let child = self.catalogue.tables.remove(at);
        let quoted = quote_object(&child.name);
        let unlogged = if child.persistence == 'u' { "unlogged " } else { "" };
        let mut sql = format!("create {unlogged}table {quoted} partition of {} {bound}", quote_object(parent));
        for word in ["partition by ", "using "] {
            sql.extend(child.peculiarities.iter().filter(|one| one.starts_with(word)).map(|one| format!(" {one}")));
        }
        if !child.parameters.is_empty() {
            let stated: Vec<String> = child.parameters.iter().map(|one| one.replacen('=', " = ", 1)).collect();
            sql.push_str(&format!(" with ({})", stated.join(", ")));
        }
        let drop = format!("drop table {quoted}");
        self.of_partition(ObjectKind::Partition, child.name.clone(), sql, drop, parent);
        if let Some(row) = self.catalogue.others.last_mut() {
            row.comment = child.comment;
        }
        self.own_indexes(oid, &child.name, parent)?;
        let constraints = self.own_constraints(oid, &child.name, parent);
        self.take_columns(oid, &child.name, parent, constraints);
        Ok(())
    }

    /// Takes out the columns of a part. What of them is not the parent's is known at the end: a dump says the parent's
    /// defaults behind its parts.
    fn take_columns(&mut self, oid: u32, child: &str, parent: &str, constraints: Vec<Like>) {
        let columns = std::mem::take(&mut self.catalogue.columns);
        let (own, others): (Vec<_>, Vec<_>) = columns.into_iter().partition(|row| row.table == oid);
        self.catalogue.columns = others;
        for column in &own {
            if let Some(text) = &column.comment {
                let what = format!("column {}.{}", quote_object(child), quote(&column.name));
                self.describe_otherwise(what, Some(text.clone()));
            }
            for (word, value) in column.peculiarities.iter().filter_map(|one| one.split_once(' ')) {
                self.column_setting(child, &column.name, word, value);
            }
        }
        self.parts.push(Part { name: child.to_owned(), parent: parent.to_owned(), columns: own, constraints });
    }

    /// How finely columns of a table are looked at, where that is said.
    pub(super) fn statistics_of(&self, oid: u32) -> Vec<(String, String)> {
        let columns = self.catalogue.columns.iter().filter(|row| row.table == oid);
        let said = |row: &ColumnRow| {
            let target = row.peculiarities.iter().rev().find_map(|one| one.strip_prefix("statistics "))?;
            Some((row.name.clone(), target.to_owned()))
        };
        columns.filter_map(said).collect()
    }

    /// The same for all parts of a table, unless it is said of the table alone (PostgreSQL 17, "ALTER TABLE", ONLY).
    pub(super) fn hand_down(&mut self, table: &str, targets: &[(String, String)]) {
        let is_part =
            |row: &&OtherRow| row.kind == ObjectKind::Partition && row.after.iter().any(|parent| parent == table);
        let parts: Vec<String> = match targets {
            [] => Vec::new(),
            _ => self.catalogue.others.iter().filter(is_part).map(|row| row.name.clone()).collect(),
        };
        for part in parts {
            for (column, target) in targets {
                self.column_setting(&part, column, "statistics", target);
            }
            self.hand_down(&part, targets);
        }
    }

    /// How finely a column is looked at, or how its values are stored, of something whose columns are not taken in one by one.
    pub(super) fn column_setting(&mut self, part: &str, column: &str, word: &str, value: &str) {
        let usual = match word {
            "statistics" => "-1",
            "compression" => "default",
            "storage" => "extended",
            _ => return,
        };
        let head = format!("alter table {} alter column {} set {word}", quote_object(part), quote(column));
        let (sql, drop) = (format!("{head} {value}"), format!("{head} {usual}"));
        let name = format!("{part}.{column} {word}");
        self.catalogue.others.retain(|row| row.kind != ObjectKind::ColumnSetting || row.name != name);
        if value != usual {
            self.of_partition(ObjectKind::ColumnSetting, name, sql, drop, part);
        }
    }

    /// `set statistics …`, `set storage …` and `set compression …` of such a column; nothing where it is something else.
    pub(super) fn sets_column(&mut self, cursor: &mut Cursor<'_>, part: &str, column: &str) -> Option<Read> {
        let word = SETTINGS.into_iter().find(|word| cursor.eat_all(&["set", word]))?;
        let value = cursor.rest().trim().to_ascii_lowercase();
        self.column_setting(part, column, word, &value);
        Some(Read::Done)
    }

    /// Defaults of parts that are not the parent's. Of a parent that was made as a part nothing is known, and all of them
    /// are said.
    pub(super) fn settle_parts(&mut self) {
        let parts = std::mem::take(&mut self.parts);
        for part in &parts {
            let of_table = self.oid(&part.parent);
            // How values are stored comes from the parent, and is told of a part where it is another there.
            let stored = self.catalogue.columns.iter().filter(|row| Some(row.table) == of_table).flat_map(|row| {
                let stored = row.peculiarities.iter().filter_map(|one| one.split_once(' '));
                let stored = stored.filter(|(word, _)| matches!(*word, "storage" | "compression"));
                stored
                    .map(|(word, value)| (format!("{}.{} {word}", part.name, row.name), format!(" set {word} {value}")))
            });
            let stored: BTreeMap<String, String> = stored.collect();
            let says_no_more =
                |row: &OtherRow| stored.get(&row.name).is_some_and(|end| row.sql.ends_with(end.as_str()));
            self.catalogue.others.retain(|row| row.kind != ObjectKind::ColumnSetting || !says_no_more(row));
            let above = parts.iter().find(|one| one.name == part.parent);
            let is_known = of_table.is_some() || above.is_some();
            let child = part.name.as_str();
            for column in part.columns.iter().filter(|column| column.generated.is_none()) {
                let columns = above.map_or(&self.catalogue.columns, |above| &above.columns);
                let like =
                    |row: &&ColumnRow| row.name == column.name && (above.is_some() || Some(row.table) == of_table);
                let parents = columns.iter().find(like).map(|row| (row.expression.clone(), row.required));
                let (default, required) = parents.unwrap_or_default();
                let head = format!("alter table {} alter column {} ", quote_object(child), quote(&column.name));
                let set = |value: &Option<String>| match value {
                    Some(value) => format!("{head}set default {value}"),
                    None => format!("{head}drop default"),
                };
                let name = |what: &str| format!("{child}.{} {what}", column.name);
                if default != column.expression && (is_known || column.expression.is_some()) {
                    let (sql, drop) = (set(&column.expression), set(&default));
                    self.of_partition(ObjectKind::ColumnSetting, name("default"), sql, drop, child);
                }
                if is_known && column.required && !required && !self.is_in_own_key(child, &column.name) {
                    let (sql, drop) = (format!("{head}set not null"), format!("{head}drop not null"));
                    self.of_partition(ObjectKind::ColumnSetting, name("not null"), sql, drop, child);
                }
            }
        }
    }

    /// Whether a part has a primary key of its own over the column, which has values by that.
    fn is_in_own_key(&self, part: &str, column: &str) -> bool {
        let is_own = |row: &&OtherRow| row.kind == ObjectKind::Constraint && row.after.iter().any(|one| one == part);
        self.catalogue.others.iter().filter(is_own).any(|row| {
            let mut cursor = Cursor::new(&row.sql, SYNTAX);
            cursor.until(|cursor| cursor.is("primary"));
            let is_key = cursor.eat_all(&["primary", "key"]);
            let columns = cursor.parenthesised().filter(|_| is_key).unwrap_or_default();
            columns.split(',').any(|name| unquote(name.trim()) == column)
        })
    }

    /// Constraints that the parent does not have; returns all that the part has.
    fn own_constraints(&mut self, oid: u32, child: &str, parent: &str) -> Vec<Like> {
        let of_parent = self.oid(parent);
        let mut all = Vec::new();
        let alter = format!("alter table {}", quote_object(child));
        while let Some(at) = self.catalogue.constraints.iter().position(|row| row.table == oid) {
            let row = self.catalogue.constraints[at].clone();
            // A key or reference over the same columns becomes a part of the parent's.
            let like = self.known_by(&row);
            let is_parents = |one: &ConstraintRow| Some(one.table) == of_parent && self.known_by(one) == like;
            let above = self.parts.iter().find(|one| one.name == parent);
            let is_above = above.is_some_and(|above| above.constraints.contains(&like));
            all.push(like.clone());
            if !is_above && !self.catalogue.constraints.iter().any(is_parents) {
                let quoted = quote(&row.name);
                let definition = match (row.kind, &row.expression) {
                    ('c', Some(condition)) => format!("check ({condition})"),
                    _ => row.definition,
                };
                let sql = format!("{alter} add constraint {quoted} {definition}");
                let drop = format!("{alter} drop constraint {quoted}");
                self.of_partition(ObjectKind::Constraint, format!("{} on {child}", row.name), sql, drop, child);
            }
            self.remove_constraint(at);
        }
        all
    }

    /// By what a constraint is that of the parent: a check by its name, another one by its columns.
    fn known_by(&self, row: &ConstraintRow) -> Like {
        let columns = self.names(row.table, &row.columns).into_iter().map(|name| name.cloned().unwrap_or_default());
        match row.kind {
            'c' => (row.kind, vec![row.name.clone()]),
            _ => (row.kind, columns.collect()),
        }
    }

    /// Indexes that the parent does not have; one like the parent's becomes a part of it.
    fn own_indexes(&mut self, oid: u32, child: &str, parent: &str) -> Reading<()> {
        let of_parent = self.oid(parent);
        let (own, others): (Vec<_>, Vec<_>) =
            std::mem::take(&mut self.catalogue.indexes).into_iter().partition(|row| row.table == oid);
        self.catalogue.indexes = others;
        for row in own {
            let is_parents = |one: &IndexRow| {
                let like = IndexRow {
                    table: one.table,
                    name: one.name.clone(),
                    columns: one.columns.clone(),
                    peculiarities: one.peculiarities.clone(),
                    ..row.clone()
                };
                Some(one.table) == of_parent
                    && self.names(oid, &row.columns) == self.names(one.table, &one.columns)
                    && like == *one
            };
            if self.catalogue.indexes.iter().any(is_parents) {
                continue;
            }
            // One that came with `like … including indexes` has no statement.
            let missing = || {
                Stop::Because(format!("index `{}` of `{child}`, which `{parent}` does not have, is not read", row.name))
            };
            let sql = self.index_statements.remove(&(oid, row.name.clone())).ok_or_else(missing)?;
            let name = qualified::beside(child, &qualified::part(&row.name));
            let drop = format!("drop index {}", quote_object(&name));
            self.of_partition(ObjectKind::ViewIndex, name, sql, drop, child);
        }
        Ok(())
    }

    /// What columns are called; an expression stands at 0.
    fn names(&self, oid: u32, numbers: &[i16]) -> Vec<Option<&String>> {
        let columns = self.columns.get(&oid);
        let name = |number: &i16| columns?.get(usize::try_from(number.checked_sub(1)?).ok()?);
        numbers.iter().map(name).collect()
    }

    /// The tables that one is a part of, the nearest first.
    pub(super) fn above(&self, part: &str) -> Vec<String> {
        let whole = |part: &str| {
            let is_it = |row: &&OtherRow| row.kind == ObjectKind::Partition && row.name == part;
            self.catalogue.others.iter().find(is_it)?.after.first().cloned()
        };
        let mut above = Vec::new();
        let mut next = whole(part);
        while let Some(one) = next.filter(|one| one != part && !above.contains(one)) {
            next = whole(&one);
            above.push(one);
        }
        above
    }

    /// A statement about a part alone.
    pub(super) fn alter_partition(&mut self, cursor: &mut Cursor<'_>, name: &str, sql: &str) -> Reading<Read> {
        let alter = format!("alter table {}", quote_object(name));
        if cursor.eat_all(&["add", "constraint"]) {
            let constraint = cursor.name().here()?;
            let drop = format!("{alter} drop constraint {}", quote(&constraint));
            let label = format!("{constraint} on {name}");
            self.of_partition(ObjectKind::Constraint, label, sql.to_owned(), drop, name);
            return Ok(Read::Done);
        }
        if self.firing(cursor, name)? {
            return Ok(Read::Done);
        }
        if cursor.eat_all(&["rename", "to"]) {
            let new = qualified::beside(name, &qualified::part(&cursor.name().here()?));
            self.rename_partition(name, &new);
            return Ok(Read::Done);
        }
        let start = cursor.at();
        if cursor.eat("alter") {
            cursor.eat("column");
            let column = cursor.name().here()?;
            if let Some(read) = self.sets_column(cursor, name, &column) {
                return Ok(read);
            }
            cursor.go_to(start);
        }
        for (word, reset, label) in
            [("enable", "disable", name.to_owned()), ("force", "no force", format!("{name} forced"))]
        {
            if cursor.eat_all(&[word, "row", "level", "security"]) {
                let statement = |word: &str| format!("{alter} {word} row level security");
                self.of_partition(ObjectKind::Security, label, statement(word), statement(reset), name);
                return Ok(Read::Done);
            }
        }
        let made = self.catalogue.others.iter_mut().find(|row| row.kind == ObjectKind::Partition && row.name == name);
        let made = made.ok_or(Stop::Here)?;
        made.sql = format!("{};\n{sql}", made.sql.trim_end().trim_end_matches(';'));
        Ok(Read::Done)
    }
}
