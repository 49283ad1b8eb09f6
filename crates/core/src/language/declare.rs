//! A logical schema as a syntax tree, for files that the tool writes.

use std::collections::BTreeSet;

use thin_vec::ThinVec;

use super::syntax::{
    self, Clause, ClauseKind, Declaration, DeclarationKind, EnumWord, File, Item, ItemKind, Key, Name, PartKey,
    Reference, Spanned,
};
use crate::Span;
use crate::schema::{
    Action, Check, Column, Deferrable, Enum, ForeignKey, Form, Identifier, Index, KeyPart, Program, Provider, Rows,
    Schema, Scope, Scoped, Table, Type, Unique, Value,
};

/// The declarations that mean this schema: enums, tables, then what is SQL of the user's own, by name. Printed and read again they give it back.
pub fn declare(schema: &Schema) -> File {
    File { declarations: declarations(schema).collect(), tail: Vec::new() }
}

/// The same one by one, for whoever does not need them all at once.
pub(super) fn declarations(schema: &Schema) -> impl Iterator<Item = Declaration> {
    let enums = schema.enums().map(|owner| declaration(DeclarationKind::Enum(enumeration(owner))));
    let tables = schema
        .tables()
        .map(|table| declaration(DeclarationKind::Table(declare_table(schema, table, &InLine::leading(table)))));
    let stands_alone = |one: &&Program| !matches!(one.form, Some(Form::Exclusion(_)));
    let programs = schema.programs().iter().filter(stands_alone);
    let programs = programs.map(|one| declaration(DeclarationKind::Program(declare_program(one))));
    let rows = schema.rows().iter().map(|one| declaration(DeclarationKind::Rows(declare_rows(one))));
    enums.chain(tables).chain(rows).chain(programs)
}

/// A table, with what its columns say beside themselves.
pub(super) fn declare_table(schema: &Schema, table: &Table, in_line: &InLine) -> syntax::Table {
    let exclusions = schema.programs().iter().filter_map(|one| match &one.form {
        Some(Form::Exclusion(exclusion)) if exclusion.table == table.name => Some((exclusion, one.scope)),
        _ => None,
    });
    let mut declared = table_of(table, in_line);
    for item in &mut declared.items {
        if let ItemKind::Column(column) = &mut item.kind {
            name_domain(schema, column);
        }
    }
    declared.items.extend(exclusions.map(|(one, scope)| item(ItemKind::Exclude(Box::new(one.clone())), scope)));
    declared
}

fn declare_rows(rows: &Rows) -> syntax::Rows {
    let row = |values: &Vec<Value>| syntax::Row {
        leading: Vec::new(),
        values: values.iter().cloned().map(Spanned::unplaced).collect(),
        comment: None,
    };
    syntax::Rows {
        table: name(&rows.table),
        key: names(&rows.key),
        columns: names(&rows.columns),
        comment: None,
        rows: rows.rows.iter().map(row).collect(),
        tail: Vec::new(),
        scope: rows.scope,
    }
}

fn declaration(kind: DeclarationKind) -> Declaration {
    Declaration { leading: Vec::new(), kind, span: Span::default(), comment: None }
}

fn declare_program(program: &Program) -> syntax::Program {
    syntax::Program {
        kind: program.kind,
        word: program.word.clone().map(Spanned::unplaced),
        name: name(&program.name),
        table: program.table.as_ref().map(name),
        body: Spanned::unplaced(program.body.clone()),
        form: program.form.clone().map(Box::new),
        drop: program.drop.clone().map(Spanned::unplaced),
        after: names(&program.after),
        about: program.about.clone(),
        scope: program.scope,
    }
}

/// A type of the provider's that is a declared domain is written by its name.
fn name_domain(schema: &Schema, column: &mut syntax::Column) {
    let only = Scope::For(Provider::Postgres.into());
    let domain_of = |text: &str| {
        let mut domains = schema.programs().iter().filter(|one| matches!(one.form, Some(Form::Domain(_))));
        domains.find(|one| one.name.declared() == text).map(|one| one.name.clone())
    };
    let mut natives = column.clauses.iter().enumerate().filter_map(|(at, clause)| match &clause.kind {
        ClauseKind::Native(text) => Some((at, text, clause.scope)),
        _ => None,
    });
    let (Some((at, text, scope)), None) = (natives.next(), natives.next()) else { return };
    let is_native = column.ty.as_ref().is_some_and(|ty| ty.value == Type::Native);
    if let Some(name) = domain_of(text).filter(|_| is_native && scope == only) {
        column.ty = Some(Spanned::unplaced(Type::Enum(name)));
        column.clauses.remove(at);
    }
}

/// How a table is partitioned has a form of its own, where its SQL can be read there.
fn option_kind(option: &str) -> ItemKind {
    let how = option.strip_prefix("partition by ").filter(|how| {
        let is_plain = |letter: char| letter.is_ascii_alphanumeric() || "_ ,'()\"".contains(letter);
        let ends = [" for ", " except "].iter().any(|word| format!(" {how} ").contains(word));
        how.chars().all(is_plain) && !ends && !how.contains("  ") && how.trim() == *how
    });
    match how {
        Some(how) => ItemKind::Partition(Spanned::unplaced(how.to_owned())),
        None => ItemKind::Option(Spanned::unplaced(option.to_owned())),
    }
}

fn name(identifier: &Identifier) -> Name {
    Spanned::unplaced(identifier.clone())
}

fn names(identifiers: &[Identifier]) -> Vec<Name> {
    identifiers.iter().map(name).collect()
}

fn enumeration(owner: &Enum) -> syntax::Enum {
    let word = |word: &Identifier| EnumWord {
        leading: Vec::new(),
        word: name(word),
        comment: None,
        formerly: owner.formerly.get(word).map(name),
    };
    syntax::Enum {
        name: name(&owner.name),
        words: owner.words.iter().map(word).collect(),
        about: owner.about.clone(),
        tail: Vec::new(),
    }
}

fn item(kind: ItemKind, scope: Scope) -> Item {
    Item { leading: ThinVec::new(), kind, options: ThinVec::new(), scope, span: Span::default(), comment: None }
}

fn with_options(item: Item, options: &[Scoped<String>]) -> Item {
    let options = options.iter().map(|one| (Spanned::unplaced(one.value.clone()), one.scope)).collect();
    Item { options, ..item }
}

fn table_of(table: &Table, in_line: &InLine) -> syntax::Table {
    let about = table.about.iter().map(|text| item(ItemKind::About(Spanned::unplaced(text.clone())), Scope::All));
    let formerly = table.formerly.iter().map(|old| item(ItemKind::Formerly(name(old)), Scope::All));
    let options = table.options.iter().map(|option| item(option_kind(&option.value), option.scope));
    let columns = table.columns.iter().map(|column| {
        let of_column = |names: &[Identifier]| names[0] == column.name;
        let beside = Beside {
            primary_key: table.primary_keys.iter().any(|key| in_line.primary_key && of_column(&key.columns)),
            unique: chosen(&table.uniques, &in_line.uniques, true).any(|unique| of_column(&unique.columns)),
            reference: chosen(&table.foreign_keys, &in_line.references, true).find(|key| of_column(&key.columns)),
            checks: table
                .checks
                .iter()
                .zip(&in_line.checks)
                .filter(|(_, owner)| owner.as_ref() == Some(&column.name))
                .map(|(check, _)| &check.expression)
                .collect(),
        };
        item(ItemKind::Column(declare_column(column, &beside)), column.scope)
    });
    let keys = table
        .primary_keys
        .iter()
        .filter(|_| !in_line.primary_key)
        .map(|key| (key, declare_key(key.name.as_ref(), &key.columns, false)))
        .map(|(key, made)| with_options(item(ItemKind::PrimaryKey(made), key.scope), &key.options));
    let rest = chosen(&table.uniques, &in_line.uniques, false).map(|unique| {
        let key = declare_key(unique.name.as_ref(), &unique.columns, unique.nulls_equal);
        with_options(item(ItemKind::Unique(key), unique.scope), &unique.options)
    });
    let foreign = chosen(&table.foreign_keys, &in_line.references, false).map(|key| {
        with_options(item(ItemKind::ForeignKey(Box::new(declare_foreign_key(key))), key.scope), &key.options)
    });
    let checks = table
        .checks
        .iter()
        .zip(&in_line.checks)
        .filter(|(_, owner)| owner.is_none())
        .map(|(check, _)| with_options(item(ItemKind::Check(declare_check(check)), check.scope), &check.options));
    let indexes = table
        .indexes
        .iter()
        .map(|index| with_options(item(ItemKind::Index(Box::new(declare_index(index))), index.scope), &index.options));
    syntax::Table {
        name: name(&table.name),
        comment: None,
        items: about
            .chain(formerly)
            .chain(options)
            .chain(columns)
            .chain(keys)
            .chain(rest)
            .chain(foreign)
            .chain(checks)
            .chain(indexes)
            .collect(),
        tail: Vec::new(),
        scope: table.scope,
    }
}

/// Those of a list that are chosen, or those that are not.
fn chosen<'a, T>(list: &'a [T], places: &'a BTreeSet<usize>, wanted: bool) -> impl Iterator<Item = &'a T> {
    list.iter().enumerate().filter(move |(at, _)| places.contains(at) == wanted).map(|(_, one)| one)
}

/// Which constraints of a table are written as clauses of their columns.
#[derive(Debug, Default)]
pub(super) struct InLine {
    primary_key: bool,
    uniques: BTreeSet<usize>,
    references: BTreeSet<usize>,
    /// Of each check the column that it stands at.
    checks: Vec<Option<Identifier>>,
}

impl InLine {
    /// What can be written so and be read back in the same order.
    fn leading(table: &Table) -> Self {
        Self {
            primary_key: false,
            uniques: (0..leading_clauses(table, &table.uniques, unique_clause)).collect(),
            references: (0..leading_clauses(table, &table.foreign_keys, reference_column)).collect(),
            checks: vec![None; table.checks.len()],
        }
    }

    /// What somebody wrote so, as far as it is still there; a column that is not `written` says what it can.
    pub(super) fn as_written(table: &Table, written: &syntax::Table) -> Self {
        let column = |name: &Identifier| {
            written.items.iter().find_map(|item| match &item.kind {
                ItemKind::Column(column) if column.name.value == *name => Some(column),
                _ => None,
            })
        };
        let says = |name: &Identifier, is_meant: &dyn Fn(&ClauseKind) -> bool, otherwise: bool| {
            column(name).map_or(otherwise, |column| column.clauses.iter().any(|clause| is_meant(&clause.kind)))
        };
        let mut used: BTreeSet<(bool, &Identifier)> = BTreeSet::new();
        let primary_key = table.primary_keys.iter().any(|key| {
            let plain = key.name.is_none() && key.options.is_empty();
            plain
                && single_column(table, &key.columns, key.scope).is_some()
                && says(&key.columns[0], &|kind| matches!(kind, ClauseKind::PrimaryKey), false)
        });
        let mut in_line = Self { primary_key, ..Self::default() };
        for (at, unique) in table.uniques.iter().enumerate() {
            let is_meant = |kind: &ClauseKind| matches!(kind, ClauseKind::Unique);
            if unique_clause(table, unique).is_some()
                && says(&unique.columns[0], &is_meant, true)
                && used.insert((true, &unique.columns[0]))
            {
                in_line.uniques.insert(at);
            }
        }
        for (at, key) in table.foreign_keys.iter().enumerate() {
            let is_meant = |kind: &ClauseKind| matches!(kind, ClauseKind::References(_));
            if reference_column(table, key).is_some()
                && says(&key.columns[0], &is_meant, true)
                && used.insert((false, &key.columns[0]))
            {
                in_line.references.insert(at);
            }
        }
        in_line.checks = table
            .checks
            .iter()
            .map(|check| {
                let is_meant = |kind: &ClauseKind| match kind {
                    ClauseKind::Check(text) => text.value.split_whitespace().eq(check.expression.split_whitespace()),
                    _ => false,
                };
                let plain = check.name.is_none() && check.options.is_empty();
                let names =
                    table.columns.iter().filter(|column| column.scope == check.scope).map(|column| &column.name);
                names.into_iter().find(|name| plain && says(name, &is_meant, false)).cloned()
            })
            .collect();
        in_line
    }
}

/// What a column's line says beside the column.
struct Beside<'a> {
    primary_key: bool,
    unique: bool,
    reference: Option<&'a ForeignKey>,
    checks: Vec<&'a String>,
}

/// How many constraints at the head of a list can be written as clauses of their columns and be read back in the same
/// order: each over one column, in the order of the columns.
fn leading_clauses<T>(table: &Table, list: &[T], column: impl Fn(&Table, &T) -> Option<usize>) -> usize {
    let mut least = 0;
    list.iter()
        .take_while(|one| match column(table, one) {
            Some(at) if at >= least => {
                least = at + 1;
                true
            }
            _ => false,
        })
        .count()
}

fn single_column(table: &Table, columns: &[Identifier], scope: Scope) -> Option<usize> {
    let [only] = columns else { return None };
    table.columns.iter().position(|column| column.name == *only && column.scope == scope)
}

fn unique_clause(table: &Table, unique: &Unique) -> Option<usize> {
    let plain = unique.name.is_none() && !unique.nulls_equal && unique.options.is_empty();
    plain.then(|| single_column(table, &unique.columns, unique.scope)).flatten()
}

fn reference_column(table: &Table, key: &ForeignKey) -> Option<usize> {
    single_column(table, &key.columns, key.scope).filter(|_| key.options.is_empty())
}

fn declare_key(constraint: Option<&Identifier>, columns: &[Identifier], nulls_equal: bool) -> Key {
    Key { name: constraint.map(name), columns: names(columns), nulls_equal }
}

fn declare_check(check: &Check) -> syntax::Check {
    syntax::Check { name: check.name.as_ref().map(name), expression: Spanned::unplaced(check.expression.clone()) }
}

fn declare_foreign_key(key: &ForeignKey) -> syntax::ForeignKey {
    syntax::ForeignKey {
        name: key.name.as_ref().map(name),
        columns: names(&key.columns),
        table: name(&key.referenced_table),
        referenced: names(&key.referenced_columns),
        on_delete: stated(key.on_delete),
        on_update: stated(key.on_update),
        deferrable: Some(key.deferrable).filter(|deferrable| *deferrable != Deferrable::No),
        indexed: key.indexed,
    }
}

fn stated(action: Action) -> Option<Action> {
    Some(action).filter(|action| *action != Action::NoAction)
}

fn declare_index(index: &Index) -> syntax::Index {
    let parts = index.parts.iter().map(|part| syntax::IndexPart {
        key: match &part.key {
            KeyPart::Column(column) => PartKey::Column(column.clone()),
            KeyPart::Expression(text) => PartKey::Expression(text.clone()),
        },
        prefix: part.prefix,
        collate: part.collate.clone(),
        operators: part.operators.clone(),
        descending: part.descending,
        nulls: part.nulls,
        span: Span::default(),
    });
    syntax::Index {
        name: index.name.as_ref().map(name),
        unique: index.unique,
        parts: parts.collect(),
        predicate: index.predicate.clone().map(Spanned::unplaced),
        including: names(&index.including),
        method: index.method.as_ref().map(|method| Spanned::unplaced(Identifier::new(&**method))),
    }
}

fn declare_column(column: &Column, beside: &Beside<'_>) -> syntax::Column {
    let mut clauses = Clauses(ThinVec::new());
    if column.nullable {
        clauses.all(ClauseKind::Null);
    }
    clauses.scoped(&column.identity, |identity| ClauseKind::Identity {
        always: identity.always,
        from: identity.from,
        by: identity.by,
    });
    if beside.primary_key {
        clauses.all(ClauseKind::PrimaryKey);
    }
    if beside.unique {
        clauses.all(ClauseKind::Unique);
    }
    if let Some(key) = beside.reference {
        clauses.reference(key);
    }
    clauses.scoped(&column.default, |value| ClauseKind::Default(Spanned::unplaced(value.clone())));
    clauses.scoped(&column.generated, |generated| ClauseKind::Generated {
        expression: Spanned::unplaced(generated.expression.clone()),
        storage: generated.storage,
    });
    for expression in &beside.checks {
        clauses.all(ClauseKind::Check(Spanned::unplaced((*expression).clone())));
    }
    if let Some(scope) = column.on_update_now {
        clauses.push(ClauseKind::OnUpdateNow, scope);
    }
    clauses.scoped(&column.collate, |collation| ClauseKind::Collate(collation.clone()));
    clauses.scoped(&column.native, |ty| ClauseKind::Native(ty.clone()));
    clauses.scoped(&column.options, |option| ClauseKind::Option(option.clone()));
    if let Some(old) = &column.formerly {
        clauses.all(ClauseKind::Formerly(name(old)));
    }
    if let Some(about) = &column.about {
        clauses.all(ClauseKind::About(about.clone()));
    }
    let has_type = column.ty != Type::Native || !column.native.is_empty();
    let ty = has_type.then(|| Spanned::unplaced(column.ty.clone()));
    syntax::Column { name: name(&column.name), ty, clauses: clauses.0 }
}

struct Clauses(ThinVec<Clause>);

impl Clauses {
    fn push(&mut self, kind: ClauseKind, scope: Scope) {
        self.0.push(Clause { kind, scope, span: Span::default(), comment: None });
    }

    fn all(&mut self, kind: ClauseKind) {
        self.push(kind, Scope::All);
    }

    fn scoped<T>(&mut self, list: &[Scoped<T>], kind: impl Fn(&T) -> ClauseKind) {
        for scoped in list {
            self.push(kind(&scoped.value), scoped.scope);
        }
    }

    fn reference(&mut self, key: &ForeignKey) {
        let column = key.referenced_columns.first().map(name);
        self.all(ClauseKind::References(Box::new(Reference { table: name(&key.referenced_table), column })));
        if let Some(constraint) = &key.name {
            self.all(ClauseKind::Named(name(constraint)));
        }
        if let Some(action) = stated(key.on_delete) {
            self.all(ClauseKind::OnDelete(action));
        }
        if let Some(action) = stated(key.on_update) {
            self.all(ClauseKind::OnUpdate(action));
        }
        if key.deferrable != Deferrable::No {
            self.all(ClauseKind::Deferrable(key.deferrable));
        }
        if key.indexed {
            self.all(ClauseKind::Indexed);
        }
    }
}
