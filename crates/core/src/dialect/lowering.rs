//! What lowering is for every provider: names, scopes, keys and references. What differs is asked of [`Storing`].

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use super::naming::{NameKind, derived_name};
use super::{Facts, IdentifierLimit, Lowered};
use crate::physical::{self, Cell, IndexKey, Noted, Options, RowSet, TypeName, qualified};
use crate::schema::{
    Action, Column, Fault, FaultKind, ForeignKey, Form, Identifier, Identity, Index, Item, KeyPart, Part, Place,
    Program, ProgramKind, Provider, Rows, Schema, Scope, Scoped, Table, Type, UNCHECKED, Value, is_key,
};
use crate::sql::{Expression, Lexer, Syntax, TokenKind};

/// The table option by which constraints without a declared name have none in the database.
pub(super) const UNNAMED: &str = "unnamed constraints";

/// What a provider answers while a schema is lowered for it.
pub(super) trait Storing {
    /// The provider.
    fn provider(&self) -> Provider;
    /// Its facts.
    fn facts(&self) -> Facts;

    /// The rules its SQL is read by.
    fn syntax(&self) -> Syntax;
    /// The name of a table, view or the like as it is stored.
    fn object(&self, name: &Identifier) -> String {
        name.to_string()
    }
    /// A name as SQL text.
    fn quoted(&self, name: &str) -> String;
    /// The stored name of a table, view or the like as SQL text.
    fn quoted_object(&self, name: &str) -> String {
        self.quoted(name)
    }
    /// An expression as this provider spells it.
    fn expression(&self, table: &Table, text: &str) -> Expression;
    /// Names that nobody may take: their beginning, and for whom they are kept.
    fn reserved(&self) -> &'static [(&'static str, &'static str)];
    /// The statement that makes an object, as the catalogue keeps it.
    fn statement<'s>(&self, sql: &'s str) -> Cow<'s, str> {
        sql.into()
    }
    /// An option of a column, key, check or index, as it is compared; nothing where the provider does not know it.
    fn attribute(&self, on: Attributed, option: &str) -> Option<String>;
    /// Takes in a storage option.
    fn option(&self, lowering: &mut Lowering<'_, Self>, option: &str, table: &mut physical::Table, place: Place);
    /// A column's type, and how it numbers rows.
    fn column(
        &self,
        lowering: &mut Lowering<'_, Self>,
        table: &Table,
        column: &Column,
        lowered: &mut physical::Table,
        place: &Place,
    ) -> physical::Column;
    /// The SQL of an object that is declared in clauses; what the provider lacks, where it has no such thing.
    fn form(&self, _: &str, form: &Form) -> Result<Formed, &'static str> {
        Err(match form {
            Form::Domain(_) => "has no domains",
            Form::Grant(_) => "has no privileges that belong to one database",
            Form::Exclusion(_) => "has no exclusion constraints",
        })
    }
    /// A value as an expression for a column's default; nothing where it is as good as none.
    fn default(&self, table: &Table, column: &Column, value: &Value) -> Option<Expression>;
    /// A collation by its name; nothing for the one that holds anyway.
    fn collation(&self, name: &str) -> Option<String>;
    /// What a column's own type says that the column has to say in another way, and how; what only this provider has of it.
    fn no_type(&self, _native: &str) -> Option<(String, String)> {
        None
    }
    /// Whether a column of this type is known to have no collation.
    fn lacks_collation(&self, ty: &physical::TypeName) -> bool;
    /// The name of the one that holds anyway.
    fn usual_collation(&self) -> String;
    /// What an index says besides its columns.
    fn index(&self, lowering: &mut Lowering<'_, Self>, index: &Index, lowered: &mut physical::Index, place: &Place);
    /// Whether two nulls can be equal in a unique constraint, and how that is kept.
    fn nulls_equal(&self) -> Result<&'static str, &'static str>;
    /// What of a reference the provider does not have.
    fn reference(&self, lowering: &mut Lowering<'_, Self>, table: &Table, key: &ForeignKey, place: &Place);
    /// What only shows once the whole table is there.
    fn finish(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table);
}

/// What of a day or moment as a default a provider refuses: one that the calendar does not have, or one with its distance from
/// UTC. SQLite looks at neither; MariaDB takes `0000-00-00`, which MySQL refuses (MariaDB, "NO_ZERO_DATE", "DATETIME"; MySQL
/// 8.4, "Server SQL Modes").
fn no_moment(provider: Provider, column: &Column, value: &Value) -> Option<String> {
    let Value::Text(text) = value else { return None };
    let is_portable = Scoped::pick(&column.native, provider).is_none();
    let is_moment = matches!(column.ty, Type::Date | Type::Datetime(_) | Type::Instant(_)) && is_portable;
    let (day, rest) = text.split_at_checked(10).filter(|_| is_moment && provider != Provider::Sqlite)?;
    let is_zero = day.starts_with("0000") || day.contains("-00");
    let is_real = day.parse::<jiff::civil::Date>().is_ok() && !is_zero;
    if !(is_real || is_zero && provider == Provider::Mariadb) {
        return Some(format!("day '{day}'"));
    }
    let has_zone = provider != Provider::Postgres && rest.contains(['+', '-', 'Z']);
    has_zone.then(|| format!("moments with their distance from UTC: '{text}'"))
}

/// The SQL of an object that is declared in clauses.
#[derive(Default)]
pub(super) struct Formed {
    /// Its name in the catalogue.
    pub(super) name: String,
    pub(super) create: String,
    pub(super) drop: String,
    /// What has to be there before it.
    pub(super) after: Vec<String>,
}

/// A schema while it is lowered.
pub(super) struct Lowering<'a, S: ?Sized> {
    pub(super) schema: &'a Schema,
    pub(super) storing: &'a S,
    faults: Vec<Fault>,
    /// Names that are taken in the whole database, as they are compared.
    names: BTreeMap<(NameSpace, String), Place>,
}

/// What an option is said of.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Attributed {
    /// A column.
    Column,
    /// A primary key or unique constraint.
    Key,
    /// A reference.
    Reference,
    /// A check.
    Check,
    /// An index.
    Index,
}

impl Attributed {
    fn words(self) -> &'static str {
        match self {
            Self::Column => "a column",
            Self::Key => "a key",
            Self::Reference => "a reference",
            Self::Check => "a check",
            Self::Index => "an index",
        }
    }
}

/// Where a name has to be the only one.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum NameSpace {
    /// Among tables, and indexes where they share their names.
    Relations,
    /// Among references.
    References,
    /// Among checks.
    Checks,
}

/// Lowers the tables of a schema.
///
/// # Errors
///
/// Every fault, warnings among them, where the provider cannot express some item.
pub(super) fn lower<S: Storing>(storing: &S, schema: &Schema) -> Result<Lowered, Vec<Fault>> {
    let mut lowering = Lowering { schema, storing, faults: Vec::new(), names: BTreeMap::new() };
    let here = storing.provider();
    let tables = || schema.tables().filter(|table| table.scope.holds(here));
    for table in tables() {
        let place = Place::whole(&table.name, Item::Table).part(Part::Name);
        lowering.object_name(&table.name, place);
    }
    let tables: Vec<_> = tables().map(|table| lowering.table(table)).collect();
    let programs = lowering.programs();
    let rows: Vec<_> = schema.rows().iter().filter(|rows| rows.scope.holds(here)).collect();
    let rows: Vec<_> = rows.into_iter().filter_map(|rows| lowering.rows(rows)).collect();
    lowering.finish(physical::Schema::new(storing.facts().name_case, tables).with_programs(programs).with_rows(rows))
}

impl<'a, S: Storing> Lowering<'a, S> {
    fn finish(self, schema: physical::Schema) -> Result<Lowered, Vec<Fault>> {
        if self.faults.iter().any(Fault::is_error) {
            return Err(self.faults);
        }
        Ok(Lowered { schema, warnings: self.faults })
    }

    pub(super) fn here(&self) -> Provider {
        self.storing.provider()
    }

    pub(super) fn fault(&mut self, kind: FaultKind, place: Place) {
        self.faults.push(Fault::new(kind, place));
    }

    /// Reference rows; columns that are not there for this provider are left out.
    fn rows(&mut self, rows: &Rows) -> Option<RowSet> {
        let table = self.schema.table(rows.table.as_str()).filter(|table| table.scope.holds(self.here()))?;
        let columns: Vec<(usize, &Column)> = rows
            .columns
            .iter()
            .enumerate()
            .filter_map(|(at, name)| Some((at, table.column(name)?)))
            .filter(|(_, column)| column.scope.holds(self.here()))
            .collect();
        let cell = |row: &[Value], at: usize, column: &Column| {
            let value = row.get(at).unwrap_or(&Value::Null);
            let fixed = !matches!(value, Value::Expression(_) | Value::Now | Value::Today | Value::NewUuid);
            let sql = match value {
                Value::Null => None,
                value => self.storing.default(table, column, value),
            };
            let sql = sql.map_or("null".to_owned(), |expression| match fixed {
                true => expression.text().to_owned(),
                false => crate::sql::in_parentheses(expression.text()),
            });
            Cell { sql, fixed }
        };
        Some(RowSet {
            table: self.storing.object(&table.name),
            key: rows.key.iter().map(ToString::to_string).collect(),
            columns: columns.iter().map(|(_, column)| column.name.to_string()).collect(),
            rows: rows
                .rows
                .iter()
                .map(|row| columns.iter().map(|(at, column)| cell(row, *at, column)).collect())
                .collect(),
        })
    }

    /// The options of an item that hold here.
    fn attributes(&mut self, options: &[Scoped<String>], on: Attributed, place: &Place) -> Options {
        let here = self.here();
        let mut attributes = Options::new();
        for option in options.iter().filter(|option| option.scope.holds(here)) {
            if on == Attributed::Reference && option.value == UNCHECKED {
                continue;
            }
            match self.storing.attribute(on, &option.value) {
                // Known, and nothing is kept for it here.
                Some(attribute) if attribute.is_empty() => {}
                Some(attribute) => {
                    attributes.insert(attribute);
                }
                None => {
                    let what = format!("has no option \"{}\" for {}", option.value, on.words());
                    let instead = "mend the words (docs/types.md lists them), or add `for …` behind them";
                    let kind = self.not_expressible(what, instead);
                    self.fault(kind, place.clone());
                }
            }
        }
        attributes
    }

    /// The columns of a key. What is said of one of them in an option is its own.
    fn key_columns(
        &mut self,
        columns: &[Identifier],
        attributes: &mut Options,
        place: &Place,
    ) -> Vec<physical::KeyColumn> {
        let mut made: Vec<_> = columns.iter().map(|name| physical::KeyColumn::new(name.as_str())).collect();
        for column in &mut made {
            column.descending = attributes.remove(&descending(&column.name));
            let of = |option: &&String| collated(option).is_some_and(|(name, _)| name == column.name);
            if let Some(option) = attributes.iter().find(of).cloned() {
                column.collation = collated(&option).map(|(_, collation)| collation.to_owned());
                attributes.remove(&option);
            }
        }
        if let Some(left) = attributes.iter().find(|option| key_option(option).is_some()) {
            let what = format!("finds no column of the key in the option \"{left}\"");
            self.refuse(what, place.clone());
        }
        made
    }

    /// Whether constraints of the table that have no declared name have none at all.
    fn leaves_unnamed(&self, table: &Table) -> bool {
        let says_so =
            |option: &Scoped<String>| option.scope.holds(self.here()) && option.value.eq_ignore_ascii_case(UNNAMED);
        self.storing.facts().unnamed_constraints && table.options.iter().any(says_so)
    }

    /// The name of a constraint, where it has one.
    fn constraint_name(
        &self,
        table: &Table,
        declared: Option<&Identifier>,
        columns: &[&str],
        kind: NameKind,
    ) -> Option<String> {
        let is_unnamed = declared.is_none() && self.leaves_unnamed(table);
        (!is_unnamed).then(|| self.name(table, declared, columns, kind))
    }

    /// A fault for something the provider has no place for.
    pub(super) fn not_expressible(&self, what: impl Into<String>, instead: impl Into<String>) -> FaultKind {
        FaultKind::NotExpressible { provider: self.here(), what: what.into(), instead: instead.into() }
    }

    /// The same, where all one can do is to leave the thing out.
    pub(super) fn refuse(&mut self, what: impl Into<String>, place: Place) {
        let instead = format!("take it out, or say `except {}` behind it", self.here());
        let kind = self.not_expressible(what, instead);
        self.fault(kind, place);
    }

    /// Refuses a reference that would change a computed column (MySQL 8.4, "CREATE TABLE and Generated Columns"; seen on MariaDB
    /// 10.11 and PostgreSQL 15 as well). SQLite only says so when it would.
    pub(super) fn refuse_changes_of_computed(&mut self, table: &Table, key: &ForeignKey, place: Place) {
        let is_computed = |column: &Column| Scoped::pick(&column.generated, self.here()).is_some();
        let sets = |action: Action| matches!(action, Action::SetNull | Action::SetDefault);
        let is_changed = sets(key.on_delete) || sets(key.on_update) || key.on_update == Action::Cascade;
        if is_changed && key.columns.iter().filter_map(|name| table.column(name)).any(is_computed) {
            let what = "changes no generated column, which this reference would";
            let kind = self.not_expressible(what, "leave the action out; of them only `on delete cascade` can be");
            self.fault(kind, place);
        }
    }

    /// Takes the name of a table or view.
    fn object_name(&mut self, name: &Identifier, place: Place) {
        self.reserved(name.base(), &place);
        if name.namespace().is_some() && !self.storing.facts().namespaces {
            self.refuse("has no namespaces", place.clone());
        }
        self.take_name(NameSpace::Relations, &self.storing.object(name), place);
    }

    fn reserved(&mut self, name: &str, place: &Place) {
        let folded = name.to_ascii_lowercase();
        for (prefix, keeper) in self.storing.reserved() {
            if folded.starts_with(prefix) {
                self.fault(FaultKind::ReservedName { prefix, keeper }, place.clone());
            }
        }
    }

    pub(super) fn take_name(&mut self, space: NameSpace, name: &str, place: Place) {
        let facts = self.storing.facts();
        let own = if facts.namespaces { qualified::plain(qualified::base(name)) } else { Cow::Borrowed(name) };
        let too_long = match facts.identifier_limit {
            IdentifierLimit::None => None,
            IdentifierLimit::Bytes(most) => (own.len() > most).then(|| format!("{most} bytes")),
            IdentifierLimit::Characters(most) => (own.chars().count() > most).then(|| format!("{most} characters")),
        };
        if let Some(most) = too_long {
            let kind = FaultKind::NameTooLong { provider: self.here(), name: own.into_owned(), most };
            self.fault(kind, place.clone());
        }
        let key = (space, facts.name_case.table_key(name));
        match self.names.get(&key) {
            Some(first) => {
                let kind = FaultKind::NameTaken { provider: self.here(), name: name.to_owned() };
                let fault = Fault::new(kind, place).with_other(first.clone());
                self.faults.push(fault);
            }
            None => {
                self.names.insert(key, place);
            }
        }
    }

    pub(super) fn name(
        &self,
        table: &Table,
        declared: Option<&Identifier>,
        columns: &[&str],
        kind: NameKind,
    ) -> String {
        let limit = self.storing.facts().identifier_limit;
        match declared {
            Some(name) => name.to_string(),
            None => derived_name(table.name.base(), columns.iter().copied(), kind, limit),
        }
    }

    fn programs(&mut self) -> Vec<physical::Program> {
        let here = self.here();
        let programs = self.schema.programs().iter().filter(|program| program.scope.holds(here));
        programs.map(|program| self.program(program)).collect()
    }

    fn program(&mut self, program: &Program) -> physical::Program {
        let (storing, facts) = (self.storing, self.storing.facts());
        let place = Place::whole(&program.name, Item::Program).part(Part::Name);
        let in_namespace = physical::Program::is_in_namespace(program.kind, program.word.as_deref());
        let stored = if in_namespace { storing.object(&program.name) } else { program.name.to_string() };
        let name = if in_namespace { storing.quoted_object(&stored) } else { storing.quoted(&stored) };
        let plain = |sql: &str| sql.trim().trim_end_matches(';').trim_end().to_owned();
        let formed = program.form.as_ref().map(|form| storing.form(&stored, form));
        if let Some(Err(lacking)) = &formed {
            self.refuse(*lacking, place.clone());
        }
        let formed = formed.map(Result::unwrap_or_default);
        let body = formed.as_ref().map_or_else(|| plain(&program.body), |formed| formed.create.clone());
        let create = match program.kind {
            ProgramKind::View | ProgramKind::MaterializedView => {
                format!("create {} {name} as\n{body}", program.kind.word())
            }
            ProgramKind::Trigger | ProgramKind::Routine | ProgramKind::Object => body.clone(),
        };
        let drop = match (&program.drop, program.kind) {
            _ if formed.is_some() => formed.as_ref().map(|formed| formed.drop.clone()).unwrap_or_default(),
            (Some(drop), _) => plain(drop),
            (None, ProgramKind::View | ProgramKind::MaterializedView) => format!("drop {} {name}", program.kind.word()),
            (None, ProgramKind::Trigger) => {
                let table = program
                    .table
                    .as_ref()
                    .map(|table| storing.quoted_object(&storing.object(table)))
                    .unwrap_or_default();
                let on = if facts.triggers_are_of_tables { format!(" on {table}") } else { String::new() };
                format!("drop trigger {name}{on}")
            }
            (None, ProgramKind::Routine | ProgramKind::Object) => {
                self.fault(FaultKind::NoDrop(program.name.clone()), place.clone());
                String::new()
            }
        };
        if program.kind == ProgramKind::Routine && !facts.routines {
            self.refuse("has no routines", place.clone());
        }
        if program.kind == ProgramKind::MaterializedView && !facts.materialized_views {
            self.refuse("has no materialized views", place.clone());
        }
        if program.kind.is_view() {
            if storing.provider() == Provider::Postgres && has_check_option(&body) {
                let instead = "declare it as `object \"view\"`, with the whole statement";
                let kind = self.not_expressible("keeps a check option beside the query of a view", instead.to_owned());
                self.fault(kind, place.clone());
            }
            self.object_name(&program.name, place);
        } else if program.word.as_deref() == Some("namespace") && !facts.namespaces {
            self.refuse("has no namespaces", place);
        } else if program.word.as_deref() == Some("sequence")
            && matches!(storing.provider(), Provider::Sqlite | Provider::Mysql)
        {
            self.refuse("has no sequences", place);
        }
        physical::Program {
            kind: program.kind,
            word: program.word.clone(),
            name: formed.as_ref().map_or(stored, |formed| formed.name.clone()),
            table: program.table.as_ref().map(|table| storing.object(table)),
            body: Expression::read_whole(&storing.statement(&body), storing.syntax()),
            comment: program.about.clone().filter(|_| facts.comments && facts.has_enum_types),
            create,
            drop,
            after: match &formed {
                Some(formed) => formed.after.clone(),
                None => program.after.iter().map(|name| storing.object(name)).collect(),
            },
            is_early: false,
            alters: false,
        }
    }

    fn table(&mut self, table: &'a Table) -> physical::Table {
        let here = self.here();
        let facts = self.storing.facts();
        let mut lowered = physical::Table::new(self.storing.object(&table.name), facts.name_case);
        let storing = self.storing;
        lowered.comment = table.about.clone().filter(|_| facts.comments);
        for (at, option) in table.options.iter().enumerate().filter(|(_, option)| option.scope.holds(here)) {
            storing.option(self, &option.value, &mut lowered, Place::whole(&table.name, Item::Option(at)));
        }
        let key = table.primary_keys.iter().find(|key| key.scope.holds(here));
        lowered.primary_key = key.map(|key| {
            let place = Place::whole(&table.name, Item::PrimaryKey);
            let mut attributes = self.attributes(&key.options, Attributed::Key, &place);
            let columns = self.key_columns(&key.columns, &mut attributes, &place);
            physical::PrimaryKey {
                name: self
                    .constraint_name(table, key.name.as_ref(), &[], NameKind::PrimaryKey)
                    .filter(|_| facts.names_primary_keys),
                columns,
                attributes,
            }
        });
        if let Some(key) = key {
            let place = Place::whole(&table.name, Item::PrimaryKey);
            self.present(table, &key.columns, &place);
            if facts.keys_share_names
                && let Some(name) = lowered.primary_key.as_ref().and_then(|key| key.name.clone())
            {
                self.take_name(NameSpace::Relations, &self.beside(table, &name), place);
            }
        }
        self.columns(table, &mut lowered);
        if lowered.columns.is_empty() {
            let what = format!("has no column of table `{}`, by the columns' own words", table.name);
            self.refuse(what, Place::whole(&table.name, Item::Table).part(Part::Name));
        }
        self.uniques(table, &mut lowered);
        self.foreign_keys(table, &mut lowered);
        self.checks(table, &mut lowered);
        self.indexes(table, &mut lowered);
        self.constraint_names(table, &lowered);
        self.column_names(table);
        storing.finish(self, table, &mut lowered);
        lowered.fit();
        lowered
    }

    /// Whether every column of a list is there on this provider.
    fn present(&mut self, table: &Table, columns: &[Identifier], place: &Place) {
        for (at, name) in columns.iter().enumerate() {
            let hidden = table.column(name).is_some_and(|column| !column.scope.holds(self.here()));
            if hidden {
                let what = format!("has no column `{name}` in table `{}`, by the column's own words", table.name);
                let part = if place.part == Part::Whole { Part::Element(at) } else { place.part.clone() };
                self.refuse(what, place.clone().part(part));
            }
        }
    }

    /// Whether every column that an expression names is there on this provider.
    fn present_in(&mut self, table: &Table, text: &str, place: &Place) {
        if table.columns.iter().all(|column| column.scope == Scope::All) {
            return;
        }
        let here = self.here();
        let hidden: Vec<Identifier> = Expression::new(text)
            .columns()
            .iter()
            .filter_map(|reference| table.columns.iter().find(|column| column.name.as_str() == reference.name))
            .filter(|column| !column.scope.holds(here))
            .map(|column| column.name.clone())
            .collect();
        self.present(table, &hidden, &place.clone().part(Part::Expression));
    }

    // ---- columns ------------------------------------------------------------------------------------------------

    fn columns(&mut self, table: &Table, lowered: &mut physical::Table) {
        let (here, storing) = (self.here(), self.storing);
        lowered.columns.reserve_exact(table.columns.len());
        for (at, column) in table.columns.iter().enumerate().filter(|(_, column)| column.scope.holds(here)) {
            let place = Place::whole(&table.name, Item::Column(at));
            if let Some(generated) = Scoped::pick(&column.generated, here) {
                self.present_in(table, &generated.expression, &place);
            }
            let mut made = storing.column(self, table, column, lowered, &place);
            made.declared_type = Noted(Some(match Scoped::pick(&column.native, here) {
                Some(native) => native.clone(),
                None => column.ty.to_string(),
            }));
            made.nullable = column.nullable;
            let default = Scoped::pick(&column.default, here);
            if let Some(moment) = default.and_then(|value| no_moment(here, column, value)) {
                let kind = self.not_expressible(
                    format!("has no {moment}"),
                    format!("give {here} another default, or none: `default … except {here}`"),
                );
                self.fault(kind, place.clone().part(Part::Default));
            }
            made.default = default.and_then(|value| storing.default(table, column, value)).map(Box::new);
            made.generated = Scoped::pick(&column.generated, here).map(|generated| {
                let expression = storing.expression(table, &generated.expression);
                Box::new(physical::Generated { expression, storage: generated.storage })
            });
            if let Some(collation) = Scoped::pick(&column.collate, here) {
                if storing.lacks_collation(&made.ty) {
                    let what = format!("has no collation for {}", made.ty.text());
                    let instead = format!("take `collate` out, or say whom it is for: `collate … except {here}`");
                    let kind = self.not_expressible(what, instead);
                    self.fault(kind, place.clone().part(Part::Type));
                }
                made.collation = storing.collation(collation);
            }
            made.comment = column.about.clone().filter(|_| storing.facts().comments);
            made.attributes.extend(self.attributes(&column.options, Attributed::Column, &place));
            lowered.columns.push(made);
        }
    }

    /// The identity clause of a column on this provider.
    pub(super) fn identity<'c>(&self, column: &'c Column) -> Option<&'c Identity> {
        Scoped::pick(&column.identity, self.here())
    }

    /// A column's own type on this provider, else its portable type by the provider's table.
    pub(super) fn native_or(
        &mut self,
        column: &Column,
        place: &Place,
        fallback: &str,
        portable: impl FnOnce() -> Option<String>,
    ) -> Option<String> {
        if let Some(native) = Scoped::pick(&column.native, self.here()) {
            if let Some((what, instead)) = clause_in(native, self.here()).or_else(|| self.storing.no_type(native)) {
                let kind = self.not_expressible(what, instead);
                self.fault(kind, place.clone().part(Part::Type));
            }
            return Some(native.clone());
        }
        if let Some(ty) = portable() {
            return Some(ty);
        }
        let place = place.clone().part(Part::Type);
        if column.ty == crate::schema::Type::Native {
            let kind = FaultKind::NoNativeType { column: column.name.clone(), provider: self.here() };
            self.fault(kind, place);
        } else {
            let what = format!("has no type for {}", column.ty);
            let here = self.here();
            let instead =
                format!("add `native \"{fallback}\" for {here}` to the column, or say `except {here}` at its end");
            let kind = self.not_expressible(what, instead);
            self.fault(kind, place);
        }
        None
    }

    fn column_names(&mut self, table: &Table) {
        let (here, case) = (self.here(), self.storing.facts().name_case);
        let mut seen = BTreeSet::new();
        for (at, column) in table.columns.iter().enumerate() {
            if column.scope.holds(here) && !seen.insert(case.item_key(column.name.as_str())) {
                let kind = FaultKind::NameTaken { provider: here, name: column.name.to_string() };
                self.fault(kind, Place::whole(&table.name, Item::Column(at)).part(Part::Name));
            }
        }
    }

    // ---- keys and indexes ---------------------------------------------------------------------------------------

    fn uniques(&mut self, table: &Table, lowered: &mut physical::Table) {
        let here = self.here();
        for (at, unique) in table.uniques.iter().enumerate().filter(|(_, unique)| unique.scope.holds(here)) {
            let place = Place::whole(&table.name, Item::Unique(at));
            let mut attributes = self.attributes(&unique.options, Attributed::Key, &place);
            if unique.nulls_equal {
                match self.storing.nulls_equal() {
                    Ok(attribute) => {
                        attributes.insert(attribute.to_owned());
                    }
                    Err(what) => self.refuse(what, place.clone()),
                }
            }
            self.present(table, &unique.columns, &place);
            let names: Vec<_> = unique.columns.iter().map(Identifier::as_str).collect();
            let columns = self.key_columns(&unique.columns, &mut attributes, &place);
            let name = self.constraint_name(table, unique.name.as_ref(), &names, NameKind::Unique);
            if let (true, Some(name)) = (self.storing.facts().keys_share_names, &name) {
                self.take_name(NameSpace::Relations, &self.beside(table, name), place);
            }
            lowered.uniques.push(physical::Unique { name, columns, attributes });
        }
    }

    fn foreign_keys(&mut self, table: &Table, lowered: &mut physical::Table) {
        let (here, storing) = (self.here(), self.storing);
        for (at, key) in table.foreign_keys.iter().enumerate().filter(|(_, key)| key.scope.holds(here)) {
            let place = Place::whole(&table.name, Item::ForeignKey(at));
            self.present(table, &key.columns, &place);
            let referenced = self.schema.table(key.referenced_table.as_str()).filter(|other| other.scope.holds(here));
            match referenced {
                _ if key.is_unchecked(here) => {}
                None => {
                    let what = format!("has no table `{}`, by the table's own words", key.referenced_table);
                    self.refuse(what, place.clone().part(Part::ReferencedTable));
                }
                Some(other) if !is_key(other, &key.referenced_columns, |scope| scope.holds(here)) => {
                    let what = format!("has no such key in table `{}`, by the key's own words", other.name);
                    self.refuse(what, place.clone().part(Part::ReferencedTable));
                }
                Some(other) => {
                    if let Some((from, to)) = self.of_two_types(table, key, other) {
                        let what =
                            format!("lets no `{from}` reference `{}.{to}`, which is of another type", other.name);
                        self.refuse(what, place.clone());
                    }
                }
            }
            storing.reference(self, table, key, &place);
            let mut made = self.foreign_key(table, key);
            made.attributes = self.attributes(&key.options, Attributed::Reference, &place);
            if storing.facts().references_share_names
                && let Some(name) = &made.name
            {
                self.take_name(NameSpace::References, name, place);
            }
            lowered.foreign_keys.push(made);
        }
    }

    /// A column and the one that it references, where they are of two types that are not the provider's own: what another
    /// one looks away from is told for it alone.
    fn of_two_types<'k>(
        &self,
        table: &Table,
        key: &'k ForeignKey,
        other: &Table,
    ) -> Option<(&'k Identifier, &'k Identifier)> {
        let here = self.here();
        let is_own = |column: &Column| Scoped::pick(&column.native, here).is_some();
        key.columns.iter().zip(&key.referenced_columns).find(|(from, to)| {
            let (Some(column), Some(target)) = (table.column(from), other.column(to)) else { return false };
            column.ty != target.ty && !is_own(column) && !is_own(target)
        })
    }

    fn foreign_key(&self, table: &Table, key: &ForeignKey) -> physical::ForeignKey {
        let columns: Vec<_> = key.columns.iter().map(Identifier::as_str).collect();
        let owned = |names: &[Identifier]| names.iter().map(Identifier::to_string).collect();
        physical::ForeignKey {
            name: self.constraint_name(table, key.name.as_ref(), &columns, NameKind::ForeignKey),
            columns: owned(&key.columns),
            referenced_table: self.storing.object(&key.referenced_table),
            referenced_columns: owned(&key.referenced_columns),
            on_delete: key.on_delete,
            on_update: key.on_update,
            deferrable: key.deferrable,
            attributes: Options::new(),
            dangles: Noted(false),
        }
    }

    fn checks(&mut self, table: &Table, lowered: &mut physical::Table) {
        let here = self.here();
        for (at, check) in table.checks.iter().enumerate().filter(|(_, check)| check.scope.holds(here)) {
            self.present_in(table, &check.expression, &Place::whole(&table.name, Item::Check(at)));
            let expression = self.storing.expression(table, &check.expression);
            let columns = mentioned(lowered, &expression);
            let columns: Vec<_> = columns.iter().map(String::as_str).collect();
            let place = Place::whole(&table.name, Item::Check(at));
            let attributes = self.attributes(&check.options, Attributed::Check, &place);
            let name = self.constraint_name(table, check.name.as_ref(), &columns, NameKind::Check);
            if let (true, Some(name)) = (self.storing.facts().checks_share_names, &name) {
                self.take_name(NameSpace::Checks, name, place);
            }
            lowered.checks.push(physical::Check { name, expression, attributes });
        }
    }

    fn indexes(&mut self, table: &Table, lowered: &mut physical::Table) {
        let (here, storing) = (self.here(), self.storing);
        for (at, index) in table.indexes.iter().enumerate().filter(|(_, index)| index.scope.holds(here)) {
            let place = Place::whole(&table.name, Item::Index(at));
            for (at, part) in index.parts.iter().enumerate() {
                let place = place.clone().part(Part::Element(at));
                match &part.key {
                    KeyPart::Column(name) => self.present(table, std::slice::from_ref(name), &place),
                    KeyPart::Expression(text) => self.present_in(table, text, &place),
                }
            }
            if let Some(predicate) = &index.predicate {
                self.present_in(table, predicate, &place);
            }
            let parts = index.parts.iter().map(|part| physical::IndexPart {
                collation: part.collate.as_deref().and_then(|name| {
                    // The usual one is worth saying where what is read has another.
                    storing
                        .collation(name)
                        .or_else(|| reads_collated(lowered, &part.key).then(|| storing.usual_collation()))
                }),
                descending: part.descending,
                ..physical::IndexPart::new(match &part.key {
                    KeyPart::Column(name) => IndexKey::Column(name.to_string()),
                    KeyPart::Expression(text) => index_key(storing.expression(table, text)),
                })
            });
            let mut made = physical::Index::new("", index.unique, parts.collect());
            made.predicate = index.predicate.as_deref().map(|text| storing.expression(table, text));
            made.attributes = self.attributes(&index.options, Attributed::Index, &place);
            storing.index(self, index, &mut made, &place);
            let mut columns = Vec::new();
            for part in &made.parts {
                match &part.key {
                    IndexKey::Column(name) => columns.push(name.clone()),
                    IndexKey::Expression(expression) => columns.extend(mentioned(lowered, expression)),
                }
            }
            let columns: Vec<_> = columns.iter().map(String::as_str).collect();
            made.name = self.name(table, index.name.as_ref(), &columns, NameKind::Index);
            self.take_index(table, &made.name, place);
            lowered.indexes.push(made);
        }
        for (at, key) in table.foreign_keys.iter().enumerate() {
            if !key.indexed || !key.scope.holds(here) {
                continue;
            }
            let columns: Vec<_> = key.columns.iter().map(Identifier::as_str).collect();
            let name = self.name(table, None, &columns, NameKind::Index);
            self.take_index(table, &name, Place::whole(&table.name, Item::ForeignKey(at)));
            let part = |name: &Identifier| physical::IndexPart::new(IndexKey::Column(name.to_string()));
            lowered.indexes.push(physical::Index::new(name, false, key.columns.iter().map(part).collect()));
        }
    }

    fn take_index(&mut self, table: &Table, name: &str, place: Place) {
        if self.storing.facts().indexes_share_names {
            self.reserved(name, &place);
            self.take_name(NameSpace::Relations, &self.beside(table, name), place);
        }
    }

    /// The name of something that is in the namespace of its table.
    fn beside(&self, table: &Table, name: &str) -> String {
        match self.storing.facts().namespaces {
            true => qualified::beside(&self.storing.object(&table.name), &qualified::part(name)),
            false => name.to_owned(),
        }
    }

    /// Constraint names are unique within a table, so that a change of one can be told from another.
    fn constraint_names(&mut self, table: &Table, lowered: &physical::Table) {
        let facts = self.storing.facts();
        let (here, case) = (self.here(), facts.name_case);
        let mut seen: BTreeMap<String, Vec<Item>> = BTreeMap::new();
        let are_apart = |one: &Item, other: &Item| {
            let is_key = |item: &Item| matches!(item, Item::PrimaryKey | Item::Unique(_));
            let is_reference = |item: &Item| matches!(item, Item::ForeignKey(_));
            facts.references_apart && (is_key(one) && is_reference(other) || is_reference(one) && is_key(other))
        };
        let key = lowered.primary_key.iter().map(|key| (&key.name, Item::PrimaryKey));
        let holding = |holds: Vec<bool>| -> Vec<usize> {
            holds.into_iter().enumerate().filter(|(_, holds)| *holds).map(|(at, _)| at).collect()
        };
        let uniques = holding(table.uniques.iter().map(|one| one.scope.holds(here)).collect());
        let foreign = holding(table.foreign_keys.iter().map(|one| one.scope.holds(here)).collect());
        let checks = holding(table.checks.iter().map(|one| one.scope.holds(here)).collect());
        let made = lowered.checks.len() - checks.len();
        let names = key
            .chain(lowered.uniques.iter().zip(uniques).map(|(one, at)| (&one.name, Item::Unique(at))))
            .chain(lowered.foreign_keys.iter().zip(foreign).map(|(one, at)| (&one.name, Item::ForeignKey(at))))
            .chain(lowered.checks[..made].iter().map(|one| (&one.name, Item::Table)))
            .chain(lowered.checks[made..].iter().zip(checks).map(|(one, at)| (&one.name, Item::Check(at))));
        for (name, item) in names {
            let Some(name) = name else { continue };
            let earlier = seen.entry(case.item_key(name)).or_default();
            if earlier.iter().any(|other| !are_apart(other, &item)) {
                let kind = FaultKind::NameTaken { provider: here, name: name.clone() };
                self.faults.push(Fault::new(kind, Place::whole(&table.name, item.clone())));
            }
            earlier.push(item);
        }
    }
}

/// A column with its type, to be completed.
pub(super) fn typed(column: &Column, ty: Option<TypeName>) -> physical::Column {
    physical::Column::new(column.name.to_string(), ty.unwrap_or_else(|| TypeName::new("")))
}

/// The option of a key whose order in a column is descending.
pub(super) fn descending(column: &str) -> String {
    format!("{DESCENDING}{column}")
}

/// What a type says that is a clause of its column, and what to write instead.
fn clause_in(native: &str, provider: Provider) -> Option<(String, String)> {
    const CLAUSES: [(&str, &str); 11] = [
        ("check", "`check (…)`"),
        ("collate", "`collate \"…\"`"),
        ("constraint", "the clause that it names"),
        ("default", "`default …`"),
        ("generated", "`generated (…)`"),
        ("null", "`null`; a column without it has to have a value"),
        ("primary", "`primary key`"),
        ("references", "`references TABLE (COLUMN)`"),
        ("unique", "`unique`"),
        // Two words more of a type's name on SQLite, where anything can be part of it.
        ("auto_increment", "`identity`"),
        ("comment", "`about '…'`"),
    ];
    let words = Lexer::new(native, 0, Syntax::STANDARD).filter(|token| token.kind == TokenKind::Word);
    let known = if provider == Provider::Sqlite { &CLAUSES[..9] } else { &CLAUSES };
    let clause = |word: &str| known.iter().find(|(clause, _)| clause.eq_ignore_ascii_case(word));
    let mut words = words.map(|word| word.span.text(native));
    // SQLite takes any text in quotes for a type, and such a strange one begins as no type does.
    let first = words.next()?;
    let is_name = provider == Provider::Sqlite && (clause(first).is_some() || first.eq_ignore_ascii_case("not"));
    let (clause, own) = words.find_map(clause).filter(|_| !is_name)?;
    Some((format!("has no `{clause}` in a type: {native}"), format!("say it in a clause of the column's own: {own}")))
}

/// The option of a key that compares a column by another collation than the column's.
pub(super) fn collation_of(column: &str, collation: &str) -> String {
    format!("{COLLATED}{column} by {collation}")
}

/// Such an option as it is kept: names in it keep their letter case.
pub(super) fn key_option(option: &str) -> Option<String> {
    let kept = |word: &str| {
        let head = option.get(..word.len())?;
        head.eq_ignore_ascii_case(word).then(|| format!("{word}{}", &option[word.len()..]))
    };
    kept(DESCENDING).or_else(|| kept(COLLATED).filter(|option| collated(option).is_some()))
}

const DESCENDING: &str = "descending ";
const COLLATED: &str = "collated ";

/// The column and the collation.
fn collated(option: &str) -> Option<(&str, &str)> {
    option.strip_prefix(COLLATED)?.rsplit_once(" by ")
}

/// What an index is over; a column in parentheses is that column.
pub(super) fn index_key(expression: Expression) -> IndexKey {
    match expression.columns() {
        [only] if only.span.text(expression.text()) == expression.text() => IndexKey::Column(only.name.clone()),
        _ => IndexKey::Expression(expression),
    }
}

/// Names of the table's columns that an expression mentions, each once, in order.
pub(super) fn mentioned(table: &physical::Table, expression: &Expression) -> Vec<String> {
    let mut names: Vec<String> = Vec::new();
    for reference in expression.columns() {
        if let Some(column) = table.column(&reference.name)
            && !names.contains(&column.name)
        {
            names.push(column.name.clone());
        }
    }
    names
}

/// Whether a part of an index reads a column that has a collation of its own.
fn reads_collated(table: &physical::Table, key: &KeyPart) -> bool {
    let is_own = |name: &str| table.column(name).is_some_and(|column| column.collation.is_some());
    match key {
        KeyPart::Column(name) => is_own(&name.to_string()),
        KeyPart::Expression(text) => Expression::new(text).columns().iter().any(|one| is_own(&one.name)),
    }
}

/// Whether a view's query ends in `with [cascaded | local] check option`.
pub(super) fn has_check_option(query: &str) -> bool {
    let words: Vec<String> = query.split_whitespace().rev().take(4).map(str::to_ascii_lowercase).collect();
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    matches!(words[..], ["option", "check", "with", ..] | ["option", "check", "cascaded" | "local", "with"])
}

/// A declared expression with its columns, and where asked its texts, as a provider spells them.
pub(super) fn respelled(
    table: &Table,
    text: &str,
    syntax: Syntax,
    quote: impl Fn(&str) -> String,
    literal: impl Fn(&str) -> Option<String>,
) -> Expression {
    let written = Expression::read(text, Syntax::STANDARD);
    let column = |reference: &crate::sql::ColumnReference| {
        if !written.is_parsed() && !reference.quoted {
            return None;
        }
        let exact = table.columns.iter().find(|column| column.name.as_str() == reference.name);
        let loose = || {
            let same = |column: &&Column| column.name.as_str().eq_ignore_ascii_case(&reference.name);
            table.columns.iter().find(same).filter(|_| !reference.quoted)
        };
        exact.or_else(loose).map(|column| quote(column.name.as_str()))
    };
    Expression::read(&written.respelled(column, literal), syntax)
}
