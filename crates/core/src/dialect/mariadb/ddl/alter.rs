//! `alter …` in a file.

use super::indexes::{HIDDEN, hidden};
use super::stored::{follow_collation, is_value};
use super::{Kind, Made, Reader, Reading};
use crate::dialect::mariadb::SYNTAX;
use crate::dialect::mariadb::catalogue::{CheckRow, ColumnRow};
use crate::dialect::mariadb::types::{is_text, type_name};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::sql::{Cursor, Expression, unquote};

impl Reader {
    pub(super) fn alter(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        // A view is made anew (MariaDB, "ALTER VIEW").
        if cursor.is_one_of(&["view", "algorithm", "definer", "sql"]) {
            return self.create_thing(cursor, sql, true);
        }
        if cursor.is("database") || cursor.is("schema") {
            return Ok(Read::Nothing);
        }
        if cursor.is_one_of(&["user", "role", "server", "tablespace", "logfile", "instance"]) {
            return Ok(Read::PassedOver);
        }
        cursor.eat("ignore");
        cursor.expect("table").here()?;
        let table = self.table(cursor)?;
        loop {
            self.table_action(cursor, &table)?;
            self.name_plain(&table);
            if !cursor.eat(",") {
                break;
            }
        }
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }

    fn table_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let before = cursor.at();
        if cursor.eat("add") {
            if self.table_item(cursor, table)? {
                return Ok(());
            }
            cursor.eat("column");
            let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
            if is_lenient && self.column(table, &unquote(cursor.peek())).is_ok() {
                cursor.until(|cursor| cursor.is(",")).here()?;
                return Ok(());
            }
            let many = cursor.eat("(");
            loop {
                self.column_definition(cursor, table)?;
                self.follow_table(table);
                if !many || !cursor.eat(",") {
                    break;
                }
            }
            if many {
                cursor.expect(")").here()?;
            }
            let made = self.catalogue.columns.last().map(|row| row.name.clone()).unwrap_or_default();
            self.place(cursor, table, &made)?;
            return Ok(());
        }
        if cursor.is_one_of(&["modify", "change"]) {
            let changes = cursor.eat("change");
            cursor.eat("modify");
            cursor.eat("column");
            let start = cursor.at();
            let old = cursor.name().here()?;
            if !changes {
                cursor.go_to(start);
            }
            return self.change_column(cursor, table, &old);
        }
        if cursor.eat("drop") {
            return self.drop_action(cursor, table);
        }
        if cursor.eat("rename") {
            return self.rename_action(cursor, table);
        }
        // How rows lie in the file is no part of the schema.
        if cursor.eat_all(&["order", "by"]) {
            cursor.until(Cursor::is_at_end).here()?;
            return Ok(());
        }
        if cursor.eat_all(&["alter", "index"]) || cursor.eat_all(&["alter", "key"]) {
            return self.show_index(cursor, table);
        }
        if cursor.eat("alter") {
            cursor.eat("column");
            let name = cursor.name().here()?;
            if cursor.eat_all(&["drop", "default"]) {
                self.column(table, &name)?.default = None;
                return Ok(());
            }
            cursor.eat_all(&["set", "default"]).then_some(()).here()?;
            let text = cursor.until(|cursor| cursor.is(",")).here()?;
            return self.set_default(table, &name, text);
        }
        if cursor.eat_all(&["convert", "to"]) {
            self.table_options(cursor, table)?;
            let collation = self.table_row(table).map(|row| row.collation.clone());
            let rows = self.catalogue.columns.iter_mut().filter(|row| row.table == table);
            for row in rows.filter(|row| is_text(&type_name(&row.ty))) {
                row.collation.clone_from(&collation);
            }
            return Ok(());
        }
        if cursor.eat("disable") || cursor.eat("enable") {
            cursor.expect("keys").here()?;
            return Ok(());
        }
        if cursor.is_one_of(&["engine", "default", "charset", "collate", "comment", "auto_increment", "character"])
            || cursor.ahead(1) == "="
        {
            return self.table_options(cursor, table);
        }
        cursor.go_to(before);
        Err(Stop::Here)
    }

    /// `[not] ignored` of an index (MariaDB, "Ignored Indexes"), `visible` or `invisible` (MySQL 8.4, "Invisible Indexes").
    fn show_index(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let is_lenient = cursor.eat_all(&["if", "exists"]);
        let name = cursor.name().here()?;
        let hidden = match cursor.eat_all(&["not", "ignored"]) || cursor.eat("visible") {
            true => None,
            false => Some(hidden(cursor).here()?),
        };
        self.name_plain(table);
        let is_it = |one: &&mut Made| {
            one.table == table && one.name.as_ref().is_some_and(|own| own.eq_ignore_ascii_case(&name))
        };
        let Some(index) = self.made.iter_mut().find(is_it) else {
            let why = format!("`{table}` has no index `{name}` before this");
            return if is_lenient { Ok(()) } else { Err(Stop::Because(why)) };
        };
        for part in &mut index.parts {
            part.peculiarities.retain(|one| !HIDDEN.contains(&one.as_str()));
            part.peculiarities.extend(hidden.clone());
        }
        Ok(())
    }

    fn change_column(&mut self, cursor: &mut Cursor<'_>, table: &str, old: &str) -> Reading<()> {
        let rows = &self.catalogue.columns;
        let at = rows.iter().position(|row| row.table == table && row.name.eq_ignore_ascii_case(old)).here()?;
        self.catalogue.columns.remove(at);
        // The definition that it had goes with all that was said in it.
        self.catalogue.checks.retain(|row| row.table != table || !is_written_with(row, old));
        self.column_definition(cursor, table)?;
        self.follow_table(table);
        let new = self.catalogue.columns.pop().here()?;
        let name = new.name.clone();
        self.catalogue.columns.insert(at, new);
        if !name.eq_ignore_ascii_case(old) {
            self.follow_column(table, old, &name);
        }
        self.place(cursor, table, &name)
    }

    /// `first` or `after`: the order of columns is no difference, but that of a view which reads all of them.
    fn place(&mut self, cursor: &mut Cursor<'_>, table: &str, column: &str) -> Reading<()> {
        let is_first = cursor.eat("first");
        let after = if cursor.eat("after") { Some(cursor.name().here()?) } else { None };
        if !is_first && after.is_none() {
            return Ok(());
        }
        let rows = &mut self.catalogue.columns;
        let is = |row: &ColumnRow, name: &str| row.table == table && row.name.eq_ignore_ascii_case(name);
        let at = rows.iter().position(|row| is(row, column)).here()?;
        let row = rows.remove(at);
        let place = match &after {
            Some(name) => rows.iter().position(|row| is(row, name)).map(|at| at + 1),
            None => rows.iter().position(|row| row.table == table).or(Some(at)),
        };
        let missing = || Stop::Because(format!("there is no column `{}` in `{table}`", after.unwrap_or_default()));
        rows.insert(place.ok_or_else(missing)?, row);
        Ok(())
    }

    /// Keys, indexes, references and expressions follow a column's new name.
    fn follow_column(&mut self, table: &str, old: &str, new: &str) {
        let follow = |name: &mut String| {
            if name.eq_ignore_ascii_case(old) {
                new.clone_into(name);
            }
        };
        for one in self.made.iter_mut().filter(|one| one.table == table) {
            one.parts.iter_mut().filter_map(|part| part.column.as_mut()).for_each(follow);
        }
        for row in &mut self.catalogue.references {
            if row.table == table {
                follow(&mut row.column);
            }
            if row.referenced_table == table {
                follow(&mut row.referenced_column);
            }
        }
        let quoted = |name: &str| format!("`{}`", name.replace('`', "``"));
        let respell = |text: &mut String| {
            let expression = Expression::read(text, SYNTAX);
            if expression.mentions(old) {
                let is_it = |name: &str| name.eq_ignore_ascii_case(old);
                *text = expression.respelled(|column| is_it(&column.name).then(|| quoted(new)), |_| None);
            }
        };
        for row in self.catalogue.checks.iter_mut().filter(|row| row.table == table) {
            // What is written with a column has no name but the column's.
            if row.of_column {
                follow(&mut row.name);
            }
            respell(&mut row.condition);
        }
        for row in self.catalogue.columns.iter_mut().filter(|row| row.table == table) {
            row.generated.iter_mut().for_each(respell);
            row.default.iter_mut().filter(|text| !is_value(text)).for_each(respell);
        }
        let parts = self.made.iter_mut().filter(|one| one.table == table).flat_map(|one| &mut one.parts);
        parts.filter_map(|part| part.expression.as_mut()).for_each(respell);
        if let Some(row) = self.table_row(table) {
            let (old, new) = (quoted(old), quoted(new));
            let divisions = row.options.iter_mut().filter(|option| option.starts_with("partition by "));
            divisions.for_each(|option| *option = option.replace(&old, &new));
        }
    }

    fn drop_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        if cursor.eat_all(&["primary", "key"]) {
            self.made.retain(|one| one.table != table || one.kind != Kind::Primary);
            return Ok(());
        }
        let is_reference = cursor.eat_all(&["foreign", "key"]);
        let is_constraint = !is_reference && cursor.eat("constraint");
        let is_index = !is_reference && !is_constraint && (cursor.eat("index") || cursor.eat("key"));
        if !is_reference && !is_constraint && !is_index {
            cursor.eat("column");
        }
        let is_lenient = cursor.eat_all(&["if", "exists"]);
        let name = cursor.name().here()?;
        let is_it = |own: &str| own.eq_ignore_ascii_case(&name);
        let mut found = false;
        if is_reference || is_constraint {
            let before = self.catalogue.references.len() + self.catalogue.checks.len();
            self.catalogue.references.retain(|row| row.table != table || !is_it(&row.name));
            self.catalogue.checks.retain(|row| is_reference || row.table != table || !is_it(&row.name));
            found = self.catalogue.references.len() + self.catalogue.checks.len() < before;
        }
        if is_index || is_constraint && !found {
            found = self.drop_index(table, &name);
        } else if !is_reference && !is_constraint {
            let before = self.catalogue.columns.len();
            self.catalogue.columns.retain(|row| row.table != table || !is_it(&row.name));
            found = self.catalogue.columns.len() < before;
            // With it goes what is said of it alone (MariaDB, "ALTER TABLE", "DROP COLUMN").
            let is_alone = |row: &CheckRow| {
                let condition = Expression::read(&row.condition, SYNTAX);
                condition.mentions(&name) && condition.columns().iter().all(|column| is_it(&column.name))
            };
            let goes = |row: &CheckRow| row.table == table && (is_written_with(row, &name) || is_alone(row));
            self.catalogue.checks.retain(|row| !goes(row));
            // An index loses the column, and goes with its last one (MariaDB, "ALTER TABLE", "DROP COLUMN").
            self.name_plain(table);
            for one in self.made.iter_mut().filter(|one| one.table == table) {
                one.parts.retain(|part| !part.column.as_deref().is_some_and(is_it));
            }
            self.made.retain(|one| !one.parts.is_empty());
        }
        if found || is_lenient { Ok(()) } else { Err(Stop::Because(format!("`{table}` has no `{name}` before this"))) }
    }

    pub(super) fn rename_action(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<()> {
        let is_column = cursor.eat("column");
        if is_column || cursor.eat("index") || cursor.eat("key") {
            let old = cursor.name().here()?;
            cursor.expect("to").here()?;
            let new = cursor.name().here()?;
            if is_column {
                self.column(table, &old)?.name.clone_from(&new);
                self.follow_column(table, &old, &new);
                return Ok(());
            }
            self.name_plain(table);
            let mut made = self.made.iter_mut().filter(|one| one.table == table);
            made.find(|one| one.name.as_ref().is_some_and(|name| name.eq_ignore_ascii_case(&old))).here()?.name =
                Some(new);
            return Ok(());
        }
        let _ = cursor.eat("to") || cursor.eat("as");
        let new = cursor.name().here()?;
        let follow = |name: &mut String| {
            if name == table {
                new.clone_into(name);
            }
        };
        let catalogue = &mut self.catalogue;
        catalogue.tables.iter_mut().for_each(|row| follow(&mut row.name));
        catalogue.columns.iter_mut().for_each(|row| follow(&mut row.table));
        catalogue.checks.iter_mut().for_each(|row| follow(&mut row.table));
        catalogue.others.iter_mut().filter_map(|row| row.table.as_mut()).for_each(follow);
        for row in &mut catalogue.references {
            follow(&mut row.table);
            follow(&mut row.referenced_table);
        }
        self.made.iter_mut().for_each(|one| follow(&mut one.table));
        Ok(())
    }

    fn follow_table(&mut self, table: &str) {
        let collation = self.table_row(table).map(|row| row.collation.clone()).unwrap_or_default();
        if let Some(column) = self.catalogue.columns.last_mut() {
            follow_collation(column, &collation);
        }
    }
}

/// Whether the check stands in the definition of this column.
fn is_written_with(check: &CheckRow, column: &str) -> bool {
    check.of_column && check.name.eq_ignore_ascii_case(column)
}
