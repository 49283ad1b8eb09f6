//! Declarations of one provider, made into declarations of several that differ by provider.

use hollow_oak_core::language::syntax::{
    Clause, ClauseKind, Column as ColumnLine, DeclarationKind, File, ForeignKey as ForeignKeyLine, Item, ItemKind,
    Reference, Table as TableLines,
};
use hollow_oak_core::language::{Source, declare, print, resolve};
use hollow_oak_core::schema::{
    Check, Generated, Parts, PrimaryKey, Provider, Providers, Schema, Scope, Scoped, Storage, Table, Type, Value,
};
use hollow_oak_core::{Dialect, Identifier, Span};

use crate::generate::{Chance, any_column, collation, quoted, random_default};

/// The schema with a few things said for some providers only, valid for all the dialects.
pub fn spread(rng: &mut Chance, schema: &Schema, dialects: &[Dialect]) -> Schema {
    let mut current = schema.clone();
    let wanted = rng.usize(1..9);
    let mut done = 0;
    for _ in 0..60 {
        let mut parts = current.clone().into_parts();
        scope_something(rng, &mut parts);
        let Ok((next, _)) = Schema::new(parts) else { continue };
        let source = Source { name: String::new(), text: print(&declare(&next)) };
        let is_said = || resolve(&[source]).schema.as_ref() == Some(&next);
        if next != current && dialects.iter().all(|dialect| dialect.lower(&next).is_ok()) && is_said() {
            current = next;
            done += 1;
            if done == wanted {
                break;
            }
        }
    }
    current
}

/// Some providers.
pub fn random_scope(rng: &mut Chance) -> Scope {
    let mut some = Providers::default();
    for provider in Provider::ALL.into_iter().take(4) {
        if rng.u8(..3) == 0 {
            some.insert(provider);
        }
    }
    match (some.iter().next(), rng.u8(..3)) {
        (None, _) => Scope::All,
        (Some(_), 0) => Scope::Except(some),
        (Some(_), _) => Scope::For(some),
    }
}

fn scope_something(rng: &mut Chance, parts: &mut Parts) {
    let snapshot = parts.clone();
    let Some(at) = (!parts.tables.is_empty()).then(|| rng.usize(0..parts.tables.len())) else { return };
    let table = &mut parts.tables[at];
    let scope = random_scope(rng);
    fn any<'t, T>(rng: &mut Chance, list: &'t mut [T]) -> Option<&'t mut T> {
        let at = (!list.is_empty()).then(|| rng.usize(0..list.len()))?;
        list.get_mut(at)
    }
    // What is one provider's own stays its own: the others would refuse it.
    let narrow = |one: &mut Scope| {
        if *one == Scope::All {
            *one = scope;
        }
    };
    match rng.u8(..18) {
        0 | 1 => any(rng, &mut table.checks).into_iter().for_each(|one| narrow(&mut one.scope)),
        2 | 3 => any(rng, &mut table.uniques).into_iter().for_each(|one| narrow(&mut one.scope)),
        4 | 5 => any(rng, &mut table.indexes).into_iter().for_each(|one| narrow(&mut one.scope)),
        6 | 7 => any(rng, &mut table.foreign_keys).into_iter().for_each(|one| narrow(&mut one.scope)),
        8 => any(rng, &mut table.foreign_keys).into_iter().for_each(|one| one.indexed = true),
        9 => any(rng, &mut table.columns).into_iter().for_each(|one| narrow(&mut one.scope)),
        10 => same_name_elsewhere(rng, table, scope),
        11 => {
            // Each provider a key of its own.
            if let (Some(key), Scope::For(some) | Scope::Except(some)) = (table.primary_keys.first_mut(), scope) {
                let other = PrimaryKey { name: None, scope: Scope::Except(some), ..key.clone() };
                key.scope = Scope::For(some);
                table.primary_keys.push(other);
            }
        }
        12 => table.options.iter_mut().for_each(|one| narrow(&mut one.scope)),
        _ => column(rng, &snapshot, table, scope),
    }
}

/// A check of one provider and one of the others have one name, and say different things.
fn same_name_elsewhere(rng: &mut Chance, table: &mut Table, scope: Scope) {
    let (Some(column), Scope::For(some) | Scope::Except(some)) = (any_column(rng, table), scope) else { return };
    let column = quoted(&column);
    let check =
        |text: String, scope| Check { name: Some("by provider".into()), expression: text, options: Vec::new(), scope };
    table.checks.push(check(format!("{column} is not null"), Scope::For(some)));
    table.checks.push(check(format!("{column} is not null or 1 = 1"), Scope::Except(some)));
}

/// Something that a column says for some.
fn column(rng: &mut Chance, parts: &Parts, table: &mut Table, scope: Scope) {
    if table.columns.is_empty() || scope == Scope::All {
        return;
    }
    let at = rng.usize(0..table.columns.len());
    let is_key = table.primary_keys.iter().any(|key| key.columns.contains(&table.columns[at].name));
    let what = rng.u8(..8);
    // An expression of one provider is none of the others, and a type of one's own has values of its own.
    let is_native = !table.columns[at].native.is_empty();
    let goes = |value: &Value| !is_native && !matches!(value, Value::Expression(_));
    let value = random_default(rng, parts, &table.columns[at].ty).filter(goes);
    let collate = collation(rng, &table.columns[at].ty).filter(|_| !is_native);
    let own = Scope::For(rng.dialect.provider().into());
    let column = &mut table.columns[at];
    let is_number = matches!(column.ty, Type::Int(_) | Type::Float(_) | Type::Decimal(_));
    match what {
        0 | 1 => column.default.extend(value.map(|value| Scoped { value, scope })),
        2 => column.default.iter_mut().filter(|one| one.scope == Scope::All).for_each(|one| one.scope = scope),
        3 if column.native.is_empty() && column.default.is_empty() => {
            let native = |provider, text: &str| Scoped { value: text.to_owned(), scope: Scope::For(provider) };
            if matches!(column.ty, Type::Text(_)) {
                column.native.push(native(Provider::Postgres.into(), "varchar(90)"));
                column.native.push(native(Provider::Mariadb.into(), "tinytext"));
            } else if matches!(column.ty, Type::Int(_)) && !is_key {
                column.native.push(native(Provider::Mariadb.into(), "int unsigned"));
            }
        }
        4 => column.collate.extend(collate.map(|name| Scoped { value: name.into(), scope: own })),
        5 if matches!(column.ty, Type::Datetime(_) | Type::Instant(_)) => column.on_update_now = Some(scope),
        6 if !is_key && is_number && column.default.is_empty() && column.generated.is_empty() => {
            let generated = Generated { expression: "1 + 1".into(), storage: Storage::Stored };
            column.nullable = true;
            column.generated.push(Scoped { value: generated, scope });
        }
        _ => column.identity.iter_mut().for_each(|one| one.scope = scope),
    }
}

/// The file as somebody could have written it: some of what stands below the columns is said in their lines.
pub fn with_clauses(rng: &mut Chance, file: &mut File) {
    for declaration in &mut file.declarations {
        let DeclarationKind::Table(table) = &mut declaration.kind else { continue };
        let mut at = 0;
        while at < table.items.len() {
            let clauses = in_line(table, &table.items[at]).filter(|_| rng.u8(..3) > 0);
            let Some((column, clauses)) = clauses else {
                at += 1;
                continue;
            };
            let scope = table.items[at].scope;
            let line = table.items.iter_mut().find_map(|item| match &mut item.kind {
                ItemKind::Column(line) if line.name.value == column => Some((item.scope, line)),
                _ => None,
            });
            match line {
                // What is for some stands in a line that is for all, and a line says one reference.
                Some((Scope::All, line)) if !(has_reference(line) && is_reference(&clauses)) => {
                    let clause = |(at, kind)| Clause {
                        kind,
                        // What a reference says of itself is for whom the reference is for.
                        scope: if at == 0 { scope } else { Scope::All },
                        span: Span::default(),
                        comment: None,
                    };
                    line.clauses.extend(clauses.into_iter().enumerate().map(clause));
                    table.items.remove(at);
                }
                _ => at += 1,
            }
        }
    }
}

fn has_reference(line: &ColumnLine) -> bool {
    line.clauses.iter().any(|clause| matches!(clause.kind, ClauseKind::References(_)))
}

fn is_reference(clauses: &[ClauseKind]) -> bool {
    matches!(clauses.first(), Some(ClauseKind::References(_)))
}

/// The column and the clauses that say what an item says, where there are such.
fn in_line(table: &TableLines, item: &Item) -> Option<(Identifier, Vec<ClauseKind>)> {
    if !item.options.is_empty() {
        return None;
    }
    match &item.kind {
        ItemKind::PrimaryKey(key) | ItemKind::Unique(key)
            if key.name.is_none() && key.columns.len() == 1 && !key.nulls_equal =>
        {
            let is_unique = matches!(item.kind, ItemKind::Unique(_));
            let clause = if is_unique { ClauseKind::Unique } else { ClauseKind::PrimaryKey };
            Some((key.columns[0].value.clone(), vec![clause]))
        }
        ItemKind::ForeignKey(key) if key.columns.len() == 1 => Some((key.columns[0].value.clone(), reference(key))),
        ItemKind::Check(check) if check.name.is_none() => {
            let mut lines = table.items.iter().filter_map(|item| match &item.kind {
                ItemKind::Column(line) => Some(&line.name.value),
                _ => None,
            });
            let column = lines.find(|name| check.expression.value.contains(&quoted(name)))?;
            Some((column.clone(), vec![ClauseKind::Check(check.expression.clone())]))
        }
        _ => None,
    }
}

fn reference(key: &ForeignKeyLine) -> Vec<ClauseKind> {
    let target = Reference { table: key.table.clone(), column: key.referenced.first().cloned() };
    let mut clauses = vec![ClauseKind::References(Box::new(target))];
    clauses.extend(key.name.clone().map(ClauseKind::Named));
    clauses.extend(key.on_delete.map(ClauseKind::OnDelete));
    clauses.extend(key.on_update.map(ClauseKind::OnUpdate));
    clauses.extend(key.deferrable.map(ClauseKind::Deferrable));
    clauses.extend(key.indexed.then_some(ClauseKind::Indexed));
    clauses
}
