//! `alter …` in a file.

use super::partitions::SETTINGS;
use super::renaming::with_name;
use super::{OF_SERVER, Reader, Reading, parameters};
use crate::dialect::lowering::has_check_option;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::catalogue::{OtherRow, WordRow};
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, TokenKind, says};

impl Reader {
    pub(super) fn alter(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        // Whose a thing is no declaration says. A column may be called so, and be renamed.
        let start = cursor.at();
        cursor.until(|cursor| cursor.are(&["owner", "to"])).here()?;
        let before = cursor.between(cursor.at() - 1, cursor.at()).to_ascii_lowercase();
        if !cursor.is_at_end() && !matches!(before.as_str(), "rename" | "column") {
            return Ok(Read::Nothing);
        }
        cursor.go_to(start);
        if cursor.eat_all(&["default", "privileges"]) {
            return self.default_privileges(cursor);
        }
        if cursor.is_one_of(&OF_SERVER) {
            return Ok(Read::PassedOver);
        }
        if cursor.eat("table") {
            return self.alter_table(cursor, sql);
        }
        if cursor.eat("sequence") {
            let is_lenient = Self::passed_if_exists(cursor);
            let start = cursor.at();
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["owned", "by"]) {
                self.owned_by(cursor, &name)?;
                return Ok(Read::Done);
            }
            let Some(at) = self.catalogue.sequences.iter().position(|row| row.name == name) else {
                // That of an identity column is the column's.
                if is_lenient || cursor.is("restart") {
                    cursor.rest();
                    return Ok(Read::Nothing);
                }
                cursor.go_to(start);
                return Err(Stop::Because(format!("there is no sequence `{name}` before this")));
            };
            if cursor.eat_all(&["rename", "to"]) {
                let new = qualified::beside(&name, &qualified::part(&cursor.name().here()?));
                self.rename_sequence(&name, &new);
                return Ok(Read::Done);
            }
            for (word, unlogged) in [("logged", false), ("unlogged", true)] {
                if cursor.eat_all(&["set", word]) {
                    self.catalogue.sequences[at].unlogged = unlogged;
                    return Ok(Read::Done);
                }
            }
            if !cursor.is("set") {
                return self.alter_sequence(cursor, at);
            }
        } else if cursor.eat("type") {
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["add", "value"]) {
                Self::passed_if_exists(cursor);
                return self.add_word(cursor, name);
            }
            if let Some(new) = Self::new_name(cursor, &name)? {
                self.rename_type(&name, &new);
                return Ok(Read::Done);
            }
            if self.enums.contains(&name) && cursor.eat_all(&["rename", "value"]) {
                let old = cursor.text().here()?;
                cursor.expect("to").here()?;
                let new = cursor.text().here()?;
                return self.rename_word(&name, &old, &new);
            }
            return self.alter_fields(cursor, &name);
        } else if cursor.eat("index") {
            let is_lenient = Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            if cursor.eat_all(&["attach", "partition"]) {
                let part = self.relation(cursor)?;
                self.attached.push((name, part));
                return Ok(Read::Nothing);
            }
            if cursor.eat_all(&["alter", "column"]) {
                let part = cursor.peek().to_owned();
                cursor.skip();
                cursor.eat_all(&["set", "statistics"]).then_some(()).here()?;
                let target = cursor.rest().trim().to_owned();
                let at = self.index(&name).here()?;
                self.catalogue.indexes[at].peculiarities.push(format!("statistics {target} of part {part}"));
                return Ok(Read::Done);
            }
            let (own, of_constraint) = (self.index(&name), self.constraint_with_index(&name));
            let is_of_view = |row: &&mut OtherRow| row.kind == ObjectKind::ViewIndex && row.name == name;
            if let Some(row) = self.catalogue.others.iter_mut().find(is_of_view) {
                cursor.eat_all(&["rename", "to"]).then_some(()).here()?;
                let new = cursor.name().here()?;
                row.sql = with_name(&row.sql, "index", &quote(&new)).here()?;
                row.name = qualified::beside(&name, &qualified::part(&new));
                row.drop = format!("drop index {}", quote_object(&row.name));
                return Ok(Read::Done);
            }
            let (called, peculiarities) = match (own, of_constraint) {
                (Some(at), _) => {
                    let index = &mut self.catalogue.indexes[at];
                    (&mut index.name, &mut index.peculiarities)
                }
                // With its index a constraint gets the name, too (PostgreSQL, "ALTER INDEX").
                (None, Some(at)) => {
                    let constraint = &mut self.catalogue.constraints[at];
                    (&mut constraint.name, &mut constraint.peculiarities)
                }
                (None, None) if is_lenient => {
                    cursor.rest();
                    return Ok(Read::Nothing);
                }
                (None, None) => return Err(Stop::Because(format!("there is no index `{name}` before this"))),
            };
            if cursor.eat_all(&["rename", "to"]) {
                *called = cursor.name().here()?;
                return Ok(Read::Done);
            }
            if cursor.is_one_of(&["set", "reset"]) && cursor.ahead(1) == "(" {
                set_parameters(cursor, peculiarities)?;
                return Ok(Read::Done);
            }
        } else if cursor.eat_all(&["text", "search", "configuration"]) {
            return self.more_of(cursor, sql, ObjectKind::SearchConfiguration);
        } else if cursor.eat_all(&["operator", "family"]) {
            return self.more_of_family(cursor);
        } else if cursor.eat_all(&["foreign", "table"]) {
            cursor.eat("only");
            return self.more_of(cursor, sql, ObjectKind::ForeignTable);
        } else if cursor.eat_all(&["event", "trigger"]) {
            return self.more_of(cursor, sql, ObjectKind::EventTrigger);
        } else if cursor.eat("view") {
            Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            if let Some(new) = Self::new_name(cursor, &name)? {
                self.rename_relation(&name, &new);
                return Ok(Read::Done);
            }
            return self.alter_view(cursor, &name);
        } else if cursor.eat_all(&["materialized", "view"]) {
            Self::passed_if_exists(cursor);
            let name = self.relation(cursor)?;
            if let Some(new) = Self::new_name(cursor, &name)? {
                self.rename_relation(&name, &new);
                return Ok(Read::Done);
            }
            return self.alter_kept_view(cursor, &name);
        } else if ["function", "procedure", "routine", "aggregate"].into_iter().any(|word| cursor.eat(word)) {
            return self.alter_routine(cursor, sql);
        } else if ["trigger", "policy", "rule"].into_iter().any(|word| cursor.eat(word)) {
            return self.alter_on_table(cursor);
        } else if cursor.eat("publication") {
            return self.more_of(cursor, sql, ObjectKind::Publication);
        } else if cursor.eat("domain") {
            return self.alter_domain(cursor);
        } else if cursor.eat("statistics") {
            return self.more_of(cursor, sql, ObjectKind::Statistics);
        }
        Err(Stop::Here)
    }

    /// `enable` and `disable` with a trigger or rule; nothing where it is something else. That of a part fires as the parent's
    /// does, where nothing else is said of it.
    pub(super) fn firing(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<bool> {
        let start = cursor.at();
        let is_one = cursor.eat("enable") || cursor.eat("disable");
        let _ = is_one && (cursor.eat("always") || cursor.eat("replica"));
        if !is_one || !(cursor.is("trigger") || cursor.is("rule")) {
            cursor.go_to(start);
            return Ok(false);
        }
        let how = cursor.between(start, cursor.at()).to_ascii_lowercase();
        let word = if cursor.eat("rule") { "rule" } else { "trigger" };
        cursor.eat("trigger");
        let name = cursor.name().here()?;
        let statement = |how: &str| format!("alter table {} {how} {word} {}", quote_object(table), quote(&name));
        let label = format!("{name} on {table}");
        let above: Vec<String> = self.above(table).iter().map(|whole| format!("{name} on {whole}")).collect();
        let others = &mut self.catalogue.others;
        others.retain(|row| row.kind != ObjectKind::Firing || row.name != label);
        let told = |label: &String| others.iter().find(|row| row.kind == ObjectKind::Firing && row.name == *label);
        let states = ["disable", "enable always", "enable replica", "enable"];
        let usual = above
            .iter()
            .find_map(told)
            .and_then(|row| states.into_iter().find(|state| row.sql.contains(&format!(" {state} {word} "))));
        let usual = usual.unwrap_or("enable");
        if how != usual {
            self.other(ObjectKind::Firing, label, statement(&how), statement(usual));
            let after = [name, table.to_owned()].into_iter().chain(above).collect();
            self.catalogue.others.last_mut().here()?.after = after;
        }
        Ok(true)
    }

    /// `alter [column] NAME set default …`: what a row gets that is inserted by way of a view; and `set (…)` or `reset (…)`.
    pub(super) fn alter_view(&mut self, cursor: &mut Cursor<'_>, view: &str) -> Reading<Read> {
        if cursor.is_one_of(&["set", "reset"]) && cursor.ahead(1) == "(" {
            let is_it = |row: &&mut OtherRow| row.kind == ObjectKind::View && row.name == view;
            let missing = || Stop::Because(format!("there is no view `{view}` before this"));
            let row = self.catalogue.others.iter_mut().find(is_it).ok_or_else(missing)?;
            return set_parameters_of_view(cursor, row).map(|()| Read::Done);
        }
        cursor.expect("alter").here()?;
        cursor.eat("column");
        let column = cursor.name().here()?;
        cursor.eat_all(&["set", "default"]).then_some(()).here()?;
        let head = format!("alter view {} alter column {}", quote_object(view), quote(&column));
        let sql = format!("{head} set default {}", cursor.rest().trim());
        self.other(ObjectKind::ColumnSetting, format!("{view}.{column} default"), sql, format!("{head} drop default"));
        if let Some(row) = self.catalogue.others.last_mut() {
            row.after = vec![view.to_owned()];
        }
        Ok(Read::Done)
    }

    /// `alter [column] NAME set …` of a kept view.
    fn alter_kept_view(&mut self, cursor: &mut Cursor<'_>, view: &str) -> Reading<Read> {
        cursor.expect("alter").here()?;
        cursor.eat("column");
        let column = cursor.name().here()?;
        self.sets_column(cursor, view, &column).here()
    }

    /// A change of an object that is kept as it is written: it goes behind what makes it.
    pub(super) fn more_of(&mut self, cursor: &mut Cursor<'_>, sql: &str, kind: ObjectKind) -> Reading<Read> {
        let name = self.relation(cursor)?;
        if cursor.is("rename") || cursor.are(&["set", "schema"]) {
            return Err(Stop::Here);
        }
        let made = self.catalogue.others.iter_mut().find(|row| row.kind == kind && row.name == name);
        let made = made.ok_or(Stop::Here)?;
        made.sql = format!("{};\n{sql}", made.sql.trim_end().trim_end_matches(';'));
        Ok(Read::Done)
    }

    pub(super) fn add_word(&mut self, cursor: &mut Cursor<'_>, name: String) -> Reading<Read> {
        let word = cursor.text().here()?;
        let words = &mut self.catalogue.words;
        let mut at = words.iter().rposition(|row| row.name == name).map_or(words.len(), |last| last + 1);
        let is_before = cursor.is("before");
        if cursor.eat("before") || cursor.eat("after") {
            let other = cursor.text().here()?;
            let found = words.iter().position(|row| row.name == name && row.word == other).here()?;
            at = if is_before { found } else { found + 1 };
        }
        words.insert(at, WordRow { name, word, comment: None });
        Ok(Read::Done)
    }

    pub(super) fn alter_table(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        Self::passed_if_exists(cursor);
        let is_alone = cursor.eat("only");
        let start = cursor.at();
        let name = self.relation(cursor)?;
        if cursor.eat_all(&["attach", "partition"]) {
            return self.attach(cursor, &name).map(|()| Read::Done);
        }
        if self.is_partition(&name) {
            return self.alter_partition(cursor, &name, sql);
        }
        let is_there = |kind: ObjectKind| self.catalogue.others.iter().any(|row| row.kind == kind && row.name == name);
        let is_view = is_there(ObjectKind::View);
        if (is_view || is_there(ObjectKind::MaterializedView))
            && let Some(new) = Self::new_name(cursor, &name)?
        {
            self.rename_relation(&name, &new);
            return Ok(Read::Done);
        }
        if is_view {
            return self.alter_view(cursor, &name);
        }
        if self.catalogue.others.iter().any(|row| row.kind == ObjectKind::MaterializedView && row.name == name) {
            return self.alter_kept_view(cursor, &name);
        }
        cursor.go_to(start);
        let oid = self.table(cursor)?;
        let has_parts = || self.catalogue.others.iter().any(|row| row.kind == ObjectKind::Partition);
        let statistics = (!is_alone && has_parts()).then(|| self.statistics_of(oid));
        let heritage = (!is_alone && self.has_heirs(oid)).then(|| self.heritage(oid));
        loop {
            self.table_action(cursor, oid)?;
            if !cursor.eat(",") {
                break;
            }
        }
        if let Some(before) = statistics {
            let new = self.statistics_of(oid).into_iter().filter(|one| !before.contains(one));
            self.hand_down(&name, &new.collect::<Vec<_>>());
        }
        if let Some(before) = heritage {
            self.pass_on(oid, &before)?;
        }
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    pub(super) fn table_action(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let table = self.table_name(oid);
        if cursor.eat("add") {
            if Self::begins_constraint(cursor) {
                return self.table_constraint(cursor, oid);
            }
            cursor.eat("column");
            if Self::passed_if_exists(cursor) {
                let start = cursor.at();
                let name = cursor.name().here()?;
                if self.number(oid, &name).is_some() {
                    cursor.until(|cursor| cursor.is(",")).here()?;
                    return Ok(());
                }
                cursor.go_to(start);
            }
            return self.column_definition(cursor, oid);
        }
        if cursor.eat_all(&["alter", "constraint"]) {
            return self.defer(cursor, oid);
        }
        if cursor.eat("alter") {
            cursor.eat("column");
            let column = cursor.name().here()?;
            return self.column_action(cursor, oid, &column);
        }
        if self.security(cursor, &table) {
            return Ok(());
        }
        if self.firing(cursor, &table)? || self.changes_parents(cursor, oid)? {
            return Ok(());
        }
        if cursor.eat_all(&["replica", "identity"]) {
            if cursor.eat_all(&["using", "index"]) {
                return self.mark_index(cursor, oid, "replica identity");
            }
            if cursor.is("full") || cursor.is("nothing") {
                let word = format!("replica identity {}", cursor.name().here()?);
                self.table_row(oid).peculiarities.push(word);
                return Ok(());
            }
            cursor.expect("default").here()?;
            self.table_row(oid).peculiarities.retain(|one| !one.starts_with("replica identity"));
            self.unmark(oid, "replica identity");
            return Ok(());
        }
        if cursor.eat_all(&["set", "unlogged"]) || cursor.eat_all(&["set", "logged"]) {
            let word = cursor.between(cursor.at() - 1, cursor.at());
            self.table_row(oid).persistence = if word.eq_ignore_ascii_case("unlogged") { 'u' } else { 'p' };
            return Ok(());
        }
        if cursor.is_one_of(&["set", "reset"]) && cursor.ahead(1) == "(" {
            return set_parameters(cursor, &mut self.table_row(oid).parameters);
        }
        if cursor.eat_all(&["cluster", "on"]) {
            return self.clustered(cursor, oid);
        }
        if cursor.eat_all(&["set", "without", "cluster"]) {
            self.unmark(oid, "clustered");
            return Ok(());
        }
        if cursor.eat_all(&["validate", "constraint"]) {
            let start = cursor.at();
            let name = cursor.name().here()?;
            if self.validate_not_null(oid, &name)? {
                return Ok(());
            }
            let mut rows = self.catalogue.constraints.iter_mut();
            let Some(row) = rows.find(|row| row.table == oid && row.name == name) else {
                cursor.go_to(start);
                return Err(Stop::Because(format!("`{table}` has no constraint `{name}` before this")));
            };
            row.peculiarities.retain(|one| one != "not valid");
            return Ok(());
        }
        if cursor.eat_all(&["drop", "constraint"]) {
            let is_lenient = Self::passed_if_exists(cursor);
            let name = cursor.name().here()?;
            let cascades = cursor.eat("cascade");
            cursor.eat("restrict");
            let rows = &self.catalogue.constraints;
            return match rows.iter().position(|row| row.table == oid && row.name == name) {
                Some(at) => {
                    let key = rows[at].clone();
                    self.drop_constraint(at);
                    if cascades {
                        self.drop_references_to(&table, &key);
                    }
                    Ok(())
                }
                None if self.drop_beside(oid, &name) || is_lenient => Ok(()),
                None => Err(Stop::Because(format!("`{table}` has no constraint `{name}` before this"))),
            };
        }
        if cursor.eat("drop") {
            cursor.eat("column");
            let is_lenient = Self::passed_if_exists(cursor);
            let name = cursor.name().here()?;
            let cascades = cursor.eat("cascade");
            cursor.eat("restrict");
            if is_lenient && self.number(oid, &name).is_none() {
                return Ok(());
            }
            return self.drop_column(oid, &name, cascades);
        }
        if cursor.eat("rename") {
            return self.rename(cursor, oid);
        }
        if cursor.eat_all(&["set", "schema"]) {
            let namespace = cursor.name().here()?;
            self.move_table(oid, &namespace);
            return Ok(());
        }
        Err(Stop::Here)
    }

    /// `alter constraint NAME …`: when a reference is checked.
    fn defer(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let name = cursor.name().here()?;
        let table = self.table_name(oid);
        let row = self.catalogue.constraints.iter_mut().find(|row| row.table == oid && row.name == name);
        let missing = || Stop::Because(format!("`{table}` has no constraint `{name}` before this"));
        let row = row.ok_or_else(missing)?;
        while !cursor.is_at_end() && !cursor.is(",") {
            if cursor.eat_all(&["not", "deferrable"]) {
                (row.deferrable, row.deferred) = (false, false);
            } else if cursor.eat("deferrable") {
                row.deferrable = true;
            } else if cursor.eat_all(&["initially", "deferred"]) {
                (row.deferrable, row.deferred) = (true, true);
            } else if cursor.eat_all(&["initially", "immediate"]) {
                row.deferred = false;
            } else {
                return Err(Stop::Here);
            }
        }
        Ok(())
    }

    /// `set generated …`, `set start …` and the like of an identity column, one behind the other.
    fn renumber(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        let row = self.column(oid, column)?;
        let (mut start, mut step) = row.numbering.unwrap_or((1, 1));
        while !cursor.is_at_end() && !cursor.is(",") {
            if cursor.eat("restart") {
                // Where it goes on counting is no part of the schema.
                if cursor.eat("with") || cursor.kind() == TokenKind::Number || cursor.is("-") {
                    cursor.number().here()?;
                }
            } else if cursor.eat_all(&["set", "generated"]) {
                let always = cursor.eat("always");
                if !always {
                    cursor.eat_all(&["by", "default"]).then_some(()).here()?;
                }
                row.identity = Some(if always { 'a' } else { 'd' });
            } else if cursor.eat_all(&["set", "start"]) {
                cursor.eat("with");
                start = cursor.number().here()?;
            } else if cursor.eat_all(&["set", "increment"]) {
                cursor.eat("by");
                step = cursor.number().here()?;
            } else {
                return Err(Stop::Here);
            }
        }
        row.numbering = Some((start, step));
        Ok(())
    }

    /// Whether policies are in force on a table; whether that is what is said.
    fn security(&mut self, cursor: &mut Cursor<'_>, table: &str) -> bool {
        const LEVEL: [&str; 3] = ["row", "level", "security"];
        let words = |how: &'static str| how.split(' ').chain(LEVEL).collect::<Vec<_>>();
        for (on, off, name) in
            [("enable", "disable", table.to_owned()), ("force", "no force", format!("{table} forced"))]
        {
            let is_on = cursor.eat_all(&words(on));
            if !is_on && !cursor.eat_all(&words(off)) {
                continue;
            }
            self.catalogue.others.retain(|row| row.kind != ObjectKind::Security || row.name != name);
            if is_on {
                let statement = |word: &str| format!("alter table {} {word} row level security", quote_object(table));
                self.other(ObjectKind::Security, name, statement(on), statement(off));
                self.catalogue.others.last_mut().into_iter().for_each(|row| row.after = vec![table.to_owned()]);
            }
            return true;
        }
        false
    }

    /// The index that a table's rows are put in the order of; there is one at most.
    pub(super) fn clustered(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        self.unmark(oid, "clustered");
        self.mark_index(cursor, oid, "clustered")
    }

    fn unmark(&mut self, oid: u32, word: &str) {
        let indexes = self.catalogue.indexes.iter_mut().filter(|row| row.table == oid);
        let keys = self.catalogue.constraints.iter_mut().filter(|row| row.table == oid);
        let marked = indexes.map(|row| &mut row.peculiarities).chain(keys.map(|row| &mut row.peculiarities));
        marked.for_each(|words| words.retain(|one| one != word));
    }

    /// Notes something of the index, or of the key whose index it is, that is named next.
    fn mark_index(&mut self, cursor: &mut Cursor<'_>, oid: u32, word: &str) -> Reading<()> {
        let name = cursor.name().here()?;
        let indexes = self.catalogue.indexes.iter_mut().filter(|row| row.table == oid && row.name == name);
        let keys = self.catalogue.constraints.iter_mut().filter(|row| row.table == oid && row.name == name);
        let marked = indexes.map(|row| &mut row.peculiarities).chain(keys.map(|row| &mut row.peculiarities));
        if marked.map(|words| words.push(word.to_owned())).count() == 0 {
            return Err(Stop::Because(format!("`{}` has no index `{name}` before this", self.table_name(oid))));
        }
        Ok(())
    }

    pub(super) fn column_action(&mut self, cursor: &mut Cursor<'_>, oid: u32, column: &str) -> Reading<()> {
        if cursor.eat_all(&["set", "default"]) {
            let text = cursor.until(|cursor| cursor.is(",")).here()?.to_owned();
            self.set_default(oid, column, &text)
        } else if cursor.eat_all(&["drop", "default"]) {
            self.column(oid, column)?.expression = None;
            Ok(())
        } else if cursor.eat_all(&["set", "not", "null"]) {
            self.column(oid, column)?.required = true;
            Ok(())
        } else if cursor.eat_all(&["drop", "not", "null"]) {
            self.column(oid, column)?.required = false;
            Ok(())
        } else if let Some(word) = SETTINGS.into_iter().find(|word| cursor.eat_all(&["set", word])) {
            let value = cursor.peek().to_ascii_lowercase();
            cursor.skip();
            let peculiarities = &mut self.column(oid, column)?.peculiarities;
            peculiarities.retain(|one| one.split(' ').next() != Some(word));
            peculiarities.extend((value != "default").then(|| format!("{word} {value}")));
            Ok(())
        } else if cursor.is_one_of(&["set", "reset"]) && cursor.ahead(1) == "(" {
            set_parameters(cursor, &mut self.column(oid, column)?.peculiarities)
        } else if self.column(oid, column)?.identity.is_some() && cursor.is_one_of(&["set", "restart"]) {
            self.renumber(cursor, oid, column)
        } else if cursor.eat_all(&["drop", "identity"]) {
            Self::passed_if_exists(cursor);
            let row = self.column(oid, column)?;
            (row.identity, row.numbering) = (None, None);
            row.peculiarities.retain(|one| !one.starts_with("identity "));
            Ok(())
        } else if cursor.eat_all(&["drop", "expression"]) {
            Self::passed_if_exists(cursor);
            let row = self.column(oid, column)?;
            if row.generated.take().is_some() {
                row.expression = None;
            }
            Ok(())
        } else if cursor.eat_all(&["set", "data", "type"]) || cursor.eat("type") {
            let text = cursor.until(|cursor| cursor.is(",") || cursor.is_one_of(&["using", "collate"])).here()?;
            let ty = self.column_type(text);
            let enumeration = self.enumeration(&ty);
            // Without a word on it the collation is that of the type (PostgreSQL, "ALTER TABLE").
            let collation = if cursor.eat("collate") { Some(self.collation(cursor)?) } else { None };
            let row = self.column(oid, column)?;
            (row.ty, row.enumeration) = (ty, enumeration);
            row.collation = collation.filter(|name| name != "default");
            if cursor.eat("using") {
                cursor.until(|cursor| cursor.is(",")).here()?;
            }
            Ok(())
        } else if cursor.eat("add") && cursor.is("generated") {
            self.generated(cursor, oid, column)
        } else {
            Err(Stop::Here)
        }
    }
}

/// Parameters stand before the query, and so make the whole statement the view's SQL; one that has none is its query.
fn set_parameters_of_view(cursor: &mut Cursor<'_>, row: &mut OtherRow) -> Reading<()> {
    let text = match row.drop.is_empty() {
        true => format!("create view {} as {}", quote_object(&row.name), row.sql),
        false => row.sql.clone(),
    };
    let mut made = Cursor::new(&text, SYNTAX);
    let head = made.until(|made| made.is_one_of(&["with", "as"]) || made.is("(")).here()?;
    let has_names = made.is("(");
    if has_names {
        made.skip_nested().here()?;
    }
    let stated = made.between(0, made.at());
    let mut own = Vec::new();
    if made.eat("with") {
        own = parameters(made.parenthesised().here()?);
    }
    set_parameters(cursor, &mut own)?;
    made.expect("as").here()?;
    let query = made.rest();
    let is_query = own.is_empty() && !has_names && !has_check_option(query) && !says(head, "recursive");
    let with = if own.is_empty() { String::new() } else { format!(" with ({})", own.join(", ")) };
    (row.sql, row.drop) = match is_query {
        true => (query.to_owned(), String::new()),
        false => (format!("{stated}{with} as\n{query}"), format!("drop view {}", quote_object(&row.name))),
    };
    Ok(())
}

/// `set (…)` or `reset (…)`: parameters by their names.
fn set_parameters(cursor: &mut Cursor<'_>, own: &mut Vec<String>) -> Reading<()> {
    let sets = cursor.is("set");
    cursor.skip();
    let given = parameters(cursor.parenthesised().here()?);
    let name = |parameter: &str| parameter.split('=').next().unwrap_or_default().trim().to_ascii_lowercase();
    own.retain(|one| !given.iter().any(|other| name(other) == name(one)));
    own.extend(given.into_iter().filter(|_| sets));
    Ok(())
}
