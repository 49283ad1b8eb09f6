//! A logical schema as a syntax tree, for files that the tool writes.

use super::syntax::{
    self, Clause, ClauseKind, Declaration, DeclarationKind, EnumWord, File, Item, ItemKind, Key, Name, PartKey, Spanned,
};
use crate::Span;
use crate::schema::{
    Action, Check, Column, Deferrable, Enum, ForeignKey, Form, Identifier, Index, KeyPart, Program, Provider, Rows,
    Schema, Scope, Scoped, Table, Type, Unique, Value,
};

/// The declarations that mean this schema: enums, tables, then what is SQL of the user's own, by name. Printed and read again they give it back.
pub fn declare(schema: &Schema) -> File {
    let enums = schema.enums().map(|owner| declaration(DeclarationKind::Enum(enumeration(owner))));
    let tables = schema.tables().map(|table| {
        let exclusions = schema.programs().iter().filter_map(|one| match &one.form {
            Some(Form::Exclusion(exclusion)) if exclusion.table == table.name => Some((exclusion, &one.scope)),
            _ => None,
        });
        let mut declared = declare_table(table);
        for item in &mut declared.items {
            if let ItemKind::Column(column) = &mut item.kind {
                name_domain(schema, column);
            }
        }
        declared.items.extend(exclusions.map(|(one, scope)| item(ItemKind::Exclude(one.clone()), scope)));
        declaration(DeclarationKind::Table(declared))
    });
    let stands_alone = |one: &&Program| !matches!(one.form, Some(Form::Exclusion(_)));
    let programs = schema.programs().iter().filter(stands_alone);
    let programs = programs.map(|one| declaration(DeclarationKind::Program(declare_program(one))));
    let rows = schema.rows().iter().map(|one| declaration(DeclarationKind::Rows(declare_rows(one))));
    File { declarations: enums.chain(tables).chain(rows).chain(programs).collect(), tail: Vec::new() }
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
        scope: rows.scope.clone(),
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
        scope: program.scope.clone(),
    }
}

/// A type of the provider's that is a declared domain is written by its name.
fn name_domain(schema: &Schema, column: &mut syntax::Column) {
    let only = Scope::For([Provider::Postgres].into());
    let domain_of = |text: &str| {
        let mut domains = schema.programs().iter().filter(|one| matches!(one.form, Some(Form::Domain(_))));
        domains.find(|one| one.name.declared() == text).map(|one| one.name.clone())
    };
    let mut natives = column.clauses.iter().enumerate().filter_map(|(at, clause)| match &clause.kind {
        ClauseKind::Native(text) => Some((at, text, &clause.scope)),
        _ => None,
    });
    let (Some((at, text, scope)), None) = (natives.next(), natives.next()) else { return };
    let is_native = column.ty.as_ref().is_some_and(|ty| ty.value == Type::Native);
    if let Some(name) = domain_of(text).filter(|_| is_native && *scope == only) {
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

fn item(kind: ItemKind, scope: &Scope) -> Item {
    Item { leading: Vec::new(), kind, options: Vec::new(), scope: scope.clone(), span: Span::default(), comment: None }
}

fn with_options(item: Item, options: &[Scoped<String>]) -> Item {
    let options = options.iter().map(|one| (Spanned::unplaced(one.value.clone()), one.scope.clone())).collect();
    Item { options, ..item }
}

fn declare_table(table: &Table) -> syntax::Table {
    let uniques = leading_clauses(table, &table.uniques, unique_clause);
    let references = leading_clauses(table, &table.foreign_keys, reference_column);
    let about = table.about.iter().map(|text| item(ItemKind::About(Spanned::unplaced(text.clone())), &Scope::All));
    let formerly = table.formerly.iter().map(|old| item(ItemKind::Formerly(name(old)), &Scope::All));
    let options = table.options.iter().map(|option| item(option_kind(&option.value), &option.scope));
    let columns = table.columns.iter().map(|column| {
        let of_column = |name: &Identifier| *name == column.name;
        let unique = table.uniques[..uniques].iter().any(|unique| of_column(&unique.columns[0]));
        let reference = table.foreign_keys[..references].iter().find(|key| of_column(&key.columns[0]));
        item(ItemKind::Column(declare_column(column, unique, reference)), &column.scope)
    });
    let keys = table
        .primary_keys
        .iter()
        .map(|key| (key, declare_key(key.name.as_ref(), &key.columns, false)))
        .map(|(key, made)| with_options(item(ItemKind::PrimaryKey(made), &key.scope), &key.options));
    let rest = table.uniques[uniques..].iter().map(|unique| {
        let key = declare_key(unique.name.as_ref(), &unique.columns, unique.nulls_equal);
        with_options(item(ItemKind::Unique(key), &unique.scope), &unique.options)
    });
    let foreign = table.foreign_keys[references..]
        .iter()
        .map(|key| with_options(item(ItemKind::ForeignKey(declare_foreign_key(key)), &key.scope), &key.options));
    let checks = table
        .checks
        .iter()
        .map(|check| with_options(item(ItemKind::Check(declare_check(check)), &check.scope), &check.options));
    let indexes = table
        .indexes
        .iter()
        .map(|index| with_options(item(ItemKind::Index(declare_index(index)), &index.scope), &index.options));
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
        scope: table.scope.clone(),
    }
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

fn single_column(table: &Table, columns: &[Identifier], scope: &Scope) -> Option<usize> {
    let [only] = columns else { return None };
    table.columns.iter().position(|column| column.name == *only && column.scope == *scope)
}

fn unique_clause(table: &Table, unique: &Unique) -> Option<usize> {
    let plain = unique.name.is_none() && !unique.nulls_equal && unique.options.is_empty();
    plain.then(|| single_column(table, &unique.columns, &unique.scope)).flatten()
}

fn reference_column(table: &Table, key: &ForeignKey) -> Option<usize> {
    single_column(table, &key.columns, &key.scope).filter(|_| key.options.is_empty())
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

fn declare_column(column: &Column, unique: bool, reference: Option<&ForeignKey>) -> syntax::Column {
    let mut clauses = Clauses(Vec::new());
    if column.nullable {
        clauses.all(ClauseKind::Null);
    }
    clauses.scoped(&column.identity, |identity| ClauseKind::Identity {
        always: identity.always,
        from: identity.from,
        by: identity.by,
    });
    if unique {
        clauses.all(ClauseKind::Unique);
    }
    if let Some(key) = reference {
        clauses.reference(key);
    }
    clauses.scoped(&column.default, |value| ClauseKind::Default(Spanned::unplaced(value.clone())));
    clauses.scoped(&column.generated, |generated| ClauseKind::Generated {
        expression: Spanned::unplaced(generated.expression.clone()),
        storage: generated.storage,
    });
    if let Some(scope) = &column.on_update_now {
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

struct Clauses(Vec<Clause>);

impl Clauses {
    fn push(&mut self, kind: ClauseKind, scope: &Scope) {
        self.0.push(Clause { kind, scope: scope.clone(), span: Span::default(), comment: None });
    }

    fn all(&mut self, kind: ClauseKind) {
        self.push(kind, &Scope::All);
    }

    fn scoped<T>(&mut self, list: &[Scoped<T>], kind: impl Fn(&T) -> ClauseKind) {
        for scoped in list {
            self.push(kind(&scoped.value), &scoped.scope);
        }
    }

    fn reference(&mut self, key: &ForeignKey) {
        let column = key.referenced_columns.first().map(name);
        self.all(ClauseKind::References { table: name(&key.referenced_table), column });
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
