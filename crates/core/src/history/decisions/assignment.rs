//! `table.column=VALUE`, as it is written for `--fill`, `--convert` and `--convert-back`.

use super::{DecisionFault, meant, owner_and_item};
use crate::Dialect;
use crate::dialect::Altering;
use crate::diff::Renames;
use crate::language::{Source, declare, print, resolve};
use crate::schema::{Column, Enum, Fault, Parts, Program, Provider, Schema, Table};
use crate::sql::Expression;

/// `table.column=VALUE`, read against the schema that it leads to.
pub(super) struct Assignment<'a> {
    option: &'static str,
    text: &'a str,
    table: &'a Table,
    column: &'a Column,
    value: &'a str,
}

impl<'a> Assignment<'a> {
    /// `renames` leads from this schema to the other side.
    pub(super) fn read(
        option: &'static str,
        text: &'a str,
        schema: &'a Schema,
        renames: &Renames,
    ) -> Result<Self, DecisionFault> {
        let fault = |what: String, help: String| DecisionFault { option, text: text.to_owned(), what, help };
        let form = format!("write `--{option} hive.site='(expression)'`");
        let Some((path, value)) = text.split_once('=') else {
            return Err(fault("there is no `=` in it".into(), form));
        };
        // Either side's names are understood.
        let back = renames.inverse();
        let known = |owner: &str| schema.table(owner).or_else(|| schema.table(back.new_table(owner)));
        let Some((owner, name)) = owner_and_item(path.trim(), |owner| known(owner).is_some()) else {
            return Err(fault(format!("`{}` names no column", path.trim()), form));
        };
        let Some(table) = known(owner) else {
            let names = schema.tables().map(|table| table.name.as_str());
            return Err(fault(format!("there is no table `{owner}`"), meant(owner, names, "declare it first")));
        };
        let named = |name: &str| table.columns.iter().find(|column| column.name.as_str() == name);
        let other = back.former_table(table.name.as_str()).unwrap_or(table.name.as_str());
        let renamed = back.columns_of(other).and_then(|names| names.get(name));
        let Some(column) = named(name).or_else(|| renamed.and_then(|new| named(new))) else {
            let names = table.columns.iter().map(|column| column.name.as_str());
            return Err(fault(
                format!("table `{owner}` has no column `{name}`"),
                meant(name, names, "name a column of the declarations"),
            ));
        };
        Ok(Self { option, text, table, column, value: value.trim() })
    }

    /// The names of the table and the column.
    pub(super) fn key(&self) -> (String, String) {
        (self.table.name.to_string(), self.column.name.to_string())
    }

    /// Where a conversion takes the column's values away for a moment, it cannot be one of the primary key.
    pub(super) fn refuse_key(&self, dialect: Dialect) -> Result<(), DecisionFault> {
        let facts = dialect.facts();
        let empties = facts.altering == Altering::InPlace && !facts.converts_in_place;
        if !empties || !self.table.primary_keys.iter().any(|key| key.columns.contains(&self.column.name)) {
            return Ok(());
        }
        Err(DecisionFault {
            option: self.option,
            text: self.text.to_owned(),
            what: format!("on {} a column of the primary key cannot be converted", dialect.provider().title()),
            help: "add a column with the new values (`--fill`), and make that the key in a migration of its own"
                .to_owned(),
        })
    }

    /// The value as SQL of a provider, by the names of this schema; nothing where it is not meant for it.
    pub(super) fn value(
        &self,
        schema: &Schema,
        dialect: Dialect,
        renames: &Renames,
    ) -> Result<Option<String>, DecisionFault> {
        let fault = |what: String| DecisionFault {
            option: self.option,
            text: self.text.to_owned(),
            what,
            help: "a value is written as for `default`: a number, 'text', a word of the enum, or (an SQL expression); \
                   `for postgres` behind it says for which provider"
                .to_owned(),
        };
        let mut column = Column::new(self.column.name.clone(), self.column.ty.clone());
        column.native.clone_from(&self.column.native);
        let mut table = Table::new(self.table.name.clone());
        table.columns.push(column);
        let enums: Vec<Enum> = schema.enums().cloned().collect();
        let is_namespace = |one: &&Program| one.word.as_deref() == Some("namespace");
        let programs = schema.programs().iter().filter(is_namespace).cloned().collect();
        let parts = Parts { tables: vec![table], enums, programs, rows: Vec::new() };
        let wrong = |faults: Vec<Fault>| {
            let errors: Vec<_> = faults.iter().filter(|one| one.is_error()).map(ToString::to_string).collect();
            fault(errors.join("; "))
        };
        let (alone, _) = Schema::new(parts).map_err(wrong)?;
        let declared = print(&declare(&alone));
        let line = declared.lines().find(|line| line.starts_with("    ") && line.contains(": ")).unwrap_or_default();
        let with_default = format!("{line}, default {}", self.in_form());
        let text = declared.replacen(line, &with_default, 1);
        let resolution = resolve(&[Source { name: String::new(), text }]);
        let Some(read) = resolution.schema else {
            let first = resolution.diagnostics.iter().find(|one| one.is_error());
            return Err(fault(first.map_or("it cannot be read".into(), |one| one.message.clone())));
        };
        let lowered = dialect.lower(&read).map_err(wrong)?;
        let found = lowered.schema.tables().next().and_then(|table| table.columns.first()?.default.clone());
        let is_meant = |provider: Provider| {
            let column = read.tables().next().and_then(|table| table.columns.first());
            column.is_some_and(|column| column.default.iter().any(|one| one.scope.holds(provider)))
        };
        match found {
            Some(expression) => Ok(Some(self.respelled(&expression, dialect, renames))),
            None if is_meant(dialect.provider()) => Err(fault("null is no value to give".into())),
            None => Ok(None),
        }
    }

    /// An SQL expression may come without its parentheses where nothing else is expected.
    fn in_form(&self) -> String {
        if self.option == "fill" || self.value.starts_with('(') {
            return self.value.to_owned();
        }
        let tail = self.value.rfind(" for ").filter(|at| {
            let mut words = self.value[at + 5..].split(',').map(str::trim);
            words.all(|word| Provider::ALL.iter().any(|provider| provider.word() == word))
        });
        match tail {
            Some(at) => format!("({}){}", &self.value[..at], &self.value[at..]),
            None => format!("({})", self.value),
        }
    }

    /// Under the names that the columns have once the renames are done. Where an expression could not be read, every
    /// name in it stays as it is.
    fn respelled(&self, expression: &Expression, dialect: Dialect, renames: &Renames) -> String {
        let former = renames.former_table(self.table.name.as_str()).unwrap_or(self.table.name.as_str());
        let Some(columns) = renames.columns_of(former).filter(|_| expression.is_parsed()) else {
            return expression.text().to_owned();
        };
        let is_new = |name: &str| columns.values().any(|new| new == name);
        let column = |name: &str| columns.get(name).filter(|_| !is_new(name)).map(|new| dialect.quote(new));
        expression.respelled(|one| column(&one.name), |_| None)
    }
}
