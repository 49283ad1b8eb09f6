//! Random edits of a schema.

use hollow_oak_core::Dialect;
use hollow_oak_core::schema::{
    Action, Column, Deferrable, Identifier, KeyPart, Parts, PrimaryKey, Schema, Scoped, Storage, Table, Type, Value,
};
use hollow_oak_core::sql::{ColumnReference, Expression};

use crate::generate::{
    Chance, NAMESPACES, add_check, add_column, add_foreign_key, add_index, add_unique, check_expression, collation,
    generated, identity, key, namespace, quoted, random_default, random_name, random_type, table, valid,
};

/// A schema that came from another by a few edits.
pub fn edited(rng: &mut Chance, schema: &Schema) -> Schema {
    let mut current = schema.clone();
    let wanted = rng.usize(1..5);
    let mut done = 0;
    for _ in 0..60 {
        let mut parts = current.clone().into_parts();
        edit(rng, &mut parts);
        if let Some((next, _)) = valid(parts, rng.dialect)
            && next != current
        {
            current = next;
            done += 1;
            if done == wanted {
                break;
            }
        }
    }
    current
}

fn edit(rng: &mut Chance, parts: &mut Parts) {
    let snapshot = parts.clone();
    match rng.u8(..20) {
        0 => {
            let name = format!("table {}", rng.u8(..));
            let name = placed(rng, parts, &name);
            let added = table(rng, &snapshot, name);
            parts.tables.push(added);
        }
        1 => drop_table(rng, parts),
        2 => rename_table(rng, parts),
        3 => add_foreign_key(rng, parts),
        4 => words(rng, parts),
        5 => rename_table_for_good(rng, parts),
        9 if rng.dialect == Dialect::Postgres => namespaces(parts),
        6..=8 => rename_columns(rng, parts),
        _ => {
            if parts.tables.is_empty() {
                return;
            }
            let at = rng.usize(0..parts.tables.len());
            let before = parts.tables[at].clone();
            edit_table(rng, &snapshot, &mut parts.tables[at]);
            follow_renames(&before, at, parts);
        }
    }
}

fn drop_table(rng: &mut Chance, parts: &mut Parts) {
    if parts.tables.is_empty() {
        return;
    }
    let gone = parts.tables.remove(rng.usize(0..parts.tables.len()));
    for table in &mut parts.tables {
        table.foreign_keys.retain(|key| key.referenced_table != gone.name);
    }
}

/// A name in one of the namespaces, where there are some.
fn placed(rng: &mut Chance, parts: &Parts, name: &str) -> Identifier {
    match rng.choice(&parts.programs) {
        Some(namespace) if rng.bool() => Identifier::within(namespace.name.as_str(), name),
        _ => name.into(),
    }
}

/// A namespace goes where it is empty, or one comes.
fn namespaces(parts: &mut Parts) {
    let uses = |name: &Identifier| {
        let tables = parts.tables.iter().map(|one| &one.name);
        tables.chain(parts.enums.iter().map(|one| &one.name)).any(|one| one.namespace() == Some(name.as_str()))
    };
    let empty = parts.programs.iter().position(|one| !uses(&one.name));
    match empty {
        Some(at) => {
            parts.programs.remove(at);
        }
        None if parts.programs.len() < NAMESPACES.len() => {
            let missing =
                NAMESPACES.into_iter().find(|name| parts.programs.iter().all(|one| one.name.as_str() != *name));
            parts.programs.extend(missing.map(namespace));
        }
        None => {}
    }
}

fn other_case(name: &Identifier) -> Identifier {
    let swapped = name.base().chars().map(|character| {
        if character.is_ascii_lowercase() { character.to_ascii_uppercase() } else { character.to_ascii_lowercase() }
    });
    let swapped: String = swapped.collect();
    name.namespace().map_or_else(|| Identifier::new(&*swapped), |namespace| Identifier::within(namespace, &swapped))
}

fn rename_table(rng: &mut Chance, parts: &mut Parts) {
    if parts.tables.is_empty() {
        return;
    }
    let at = rng.usize(0..parts.tables.len());
    let old = parts.tables[at].name.clone();
    let new = other_case(&old);
    parts.tables[at].name = new.clone();
    for key in parts.tables.iter_mut().flat_map(|table| &mut table.foreign_keys) {
        if key.referenced_table == old {
            key.referenced_table = new.clone();
        }
    }
}

/// What was called `old` is called `new`, and says so; a name that it had before that stays its former one.
fn now_formerly(former: &mut Option<Identifier>, old: &Identifier, new: &Identifier) {
    let first = former.take().unwrap_or_else(|| old.clone());
    *former = (first != *new).then_some(first);
}

fn rename_table_for_good(rng: &mut Chance, parts: &mut Parts) {
    if parts.tables.is_empty() {
        return;
    }
    let at = rng.usize(0..parts.tables.len());
    let swapped = rng.bool().then(|| rng.usize(0..parts.tables.len())).filter(|other| *other != at);
    let new = match swapped {
        Some(other) => parts.tables[other].name.clone(),
        None => {
            let name = format!("renamed table {}", rng.u8(..));
            placed(rng, parts, &name)
        }
    };
    let old = std::mem::replace(&mut parts.tables[at].name, new.clone());
    now_formerly(&mut parts.tables[at].formerly, &old, &new);
    if let Some(other) = swapped {
        parts.tables[other].name = old.clone();
        now_formerly(&mut parts.tables[other].formerly, &new, &old);
    }
    for key in parts.tables.iter_mut().flat_map(|table| &mut table.foreign_keys) {
        if key.referenced_table == old {
            key.referenced_table = new.clone();
        } else if swapped.is_some() && key.referenced_table == new {
            key.referenced_table = old.clone();
        }
    }
}

/// Gives a column a new name, or swaps two.
fn rename_columns(rng: &mut Chance, parts: &mut Parts) {
    if parts.tables.is_empty() {
        return;
    }
    let at = rng.usize(0..parts.tables.len());
    let table = &mut parts.tables[at];
    let name = table.name.clone();
    if table.columns.is_empty() {
        return;
    }
    let one = rng.usize(0..table.columns.len());
    let other = rng.bool().then(|| rng.usize(0..table.columns.len())).filter(|other| *other != one);
    let old = table.columns[one].name.clone();
    let new =
        other.map_or(Identifier::new(format!("renamed {}", rng.u8(..))), |other| table.columns[other].name.clone());
    let mut pairs = vec![(old.clone(), new.clone())];
    if let Some(other) = other {
        pairs.push((new.clone(), old.clone()));
        table.columns[other].name = old.clone();
        now_formerly(&mut table.columns[other].formerly, &new, &old);
    }
    table.columns[one].name = new.clone();
    now_formerly(&mut table.columns[one].formerly, &old, &new);
    rename_everywhere(parts, at, &name, &pairs);
}

fn words(rng: &mut Chance, parts: &mut Parts) {
    let Some(at) = (!parts.enums.is_empty()).then(|| rng.usize(0..parts.enums.len())) else { return };
    if rng.bool() {
        rename_word(rng, parts, at);
        return;
    }
    let words = &mut parts.enums[at].words;
    match rng.u8(..3) {
        0 => words.push(Identifier::new(format!("word {}", rng.u8(..)))),
        1 if words.len() > 1 => {
            let gone = words.remove(rng.usize(0..words.len()));
            parts.enums[at].formerly.remove(&gone);
        }
        _ => words.reverse(),
    }
}

fn rename_word(rng: &mut Chance, parts: &mut Parts, at: usize) {
    let owner = &mut parts.enums[at];
    let one = rng.usize(0..owner.words.len());
    let new = Identifier::new(format!("other word {}", rng.u8(..)));
    let old = std::mem::replace(&mut owner.words[one], new.clone());
    let mut former = owner.formerly.remove(&old);
    now_formerly(&mut former, &old, &new);
    owner.formerly.extend(former.map(|former| (new.clone(), former)));
    let name = owner.name.clone();
    for column in parts.tables.iter_mut().flat_map(|table| &mut table.columns) {
        if matches!(&column.ty, Type::Enum(other) if *other == name) {
            for default in column.default.iter_mut().filter(|one| one.value == Value::Word(old.clone())) {
                default.value = Value::Word(new.clone());
            }
        }
    }
}

fn pick<'a, T>(rng: &mut Chance, list: &'a mut [T]) -> Option<&'a mut T> {
    let at = (!list.is_empty()).then(|| rng.usize(0..list.len()))?;
    list.get_mut(at)
}

fn drop_one<T>(rng: &mut Chance, list: &mut Vec<T>) {
    if !list.is_empty() {
        list.remove(rng.usize(0..list.len()));
    }
}

#[expect(clippy::too_many_lines, reason = "one flat list of edits")]
fn edit_table(rng: &mut Chance, parts: &Parts, table: &mut Table) {
    // Some edits often do not apply, so they are tried more often.
    match rng.u8(..47) {
        0 | 1 => add_column(rng, parts, table),
        2 | 3 => drop_column(rng, table),
        4 => {
            if let Some(column) = pick(rng, &mut table.columns) {
                column.name = other_case(&column.name.clone());
            }
        }
        5 => {
            let ty = random_type(rng, parts);
            let typed = rng.is_typed();
            let mut changed = None;
            if let Some(column) = pick(rng, &mut table.columns)
                && (!typed || column.generated.is_empty())
            {
                column.ty = ty;
                column.default.clear();
                column.native.clear();
                if typed {
                    column.collate.clear();
                    changed = Some(column.name.clone());
                }
            }
            if let Some(name) = changed {
                drop_mentions(table, &name);
            }
        }
        6 => {
            if let Some(column) = pick(rng, &mut table.columns) {
                column.nullable = !column.nullable;
            }
        }
        7 | 8 => {
            if let Some(column) = pick(rng, &mut table.columns) {
                let ty = column.ty.clone();
                column.default = random_default(rng, parts, &ty).map(Scoped::all).into_iter().collect();
            }
        }
        9 => {
            if let Some(column) = pick(rng, &mut table.columns) {
                column.default.clear();
            }
        }
        10 => {
            let (expression, ty) = generated(rng, table);
            let mut changed = None;
            if let Some(column) = pick(rng, &mut table.columns) {
                if let Some(ty) = ty {
                    column.ty = ty;
                    column.native.clear();
                    column.collate.clear();
                    changed = Some(column.name.clone());
                }
                column.default.clear();
                column.nullable = true;
                column.generated = [Scoped::all(expression)].into();
            }
            if let Some(name) = changed {
                drop_mentions(table, &name);
            }
        }
        11 => {
            if let Some(column) = table.columns.iter_mut().find(|column| !column.generated.is_empty()) {
                column.generated.clear();
            }
        }
        12 | 46 if rng.dialect != Dialect::Postgres => {
            for generated in table.columns.iter_mut().flat_map(|column| &mut column.generated) {
                generated.value.storage = match generated.value.storage {
                    Storage::Stored => Storage::Virtual,
                    Storage::Virtual => Storage::Stored,
                };
            }
        }
        13 | 33..=37 => {
            let is_sqlite = rng.dialect == Dialect::Sqlite;
            let new = collation(rng, &Type::Text(None)).unwrap_or("binary");
            // One that has a collation is rare, and to change it is wanted, too.
            let wanted = rng.u8(..4) > 0;
            let has_one = |column: &&mut Column| wanted && column.collate.iter().any(|one| one.value != "binary");
            let column = match table.columns.iter_mut().find(has_one) {
                Some(column) => Some(column),
                None => pick(rng, &mut table.columns),
            };
            if let Some(column) = column
                && (is_sqlite || matches!(column.ty, Type::Text(_)))
            {
                column.collate = [Scoped::all(new.into())].into();
            }
        }
        14 => {
            let new = identity(rng);
            let alters = rng.bool();
            for column in &mut table.columns {
                if column.identity.is_empty() {
                    if column.name.as_str() == "id" && column.ty.is_integer() {
                        column.default.clear();
                        column.identity = [Scoped::all(new.clone())].into();
                    }
                } else if alters {
                    column.identity = [Scoped::all(new.clone())].into();
                } else {
                    column.identity.clear();
                }
            }
            table.options.retain(|option| option.value != "autoincrement");
        }
        15 => table.primary_keys.clear(),
        16 => {
            if table.primary_keys.is_empty()
                && let Some(name) = table.columns.first().map(|column| column.name.clone())
            {
                table.primary_keys.push(key(rng, "a key", &[name.as_str()]));
            }
        }
        17 => {
            if let Some(PrimaryKey { name, .. }) = table.primary_keys.first_mut() {
                *name = random_name(rng, "key");
            }
        }
        18 => {
            if let Some(column) = pick(rng, &mut table.columns).map(|column| column.name.clone())
                && let Some(key) = table.primary_keys.first_mut()
            {
                key.columns.push(column);
            }
        }
        19 => add_unique(rng, table),
        20 => drop_one(rng, &mut table.uniques),
        21 => {
            let name = random_name(rng, "renamed");
            if let Some(unique) = pick(rng, &mut table.uniques) {
                unique.name = name;
            }
        }
        22 | 38..=41 => {
            let column = pick(rng, &mut table.columns).map(|column| column.name.clone());
            if let (Some(unique), Some(column)) = (pick(rng, &mut table.uniques), column) {
                unique.columns.push(column);
            }
        }
        23 => add_check(rng, table),
        24 => drop_one(rng, &mut table.checks),
        25 | 45 => {
            let name = random_name(rng, "renamed check");
            let column = pick(rng, &mut table.columns).map(|column| column.name.clone());
            let changes = rng.bool();
            let expression = column.as_ref().map(|column| check_expression(rng, table, column));
            // One without a name is called after what it reads, and would be another one.
            let named = table.checks.iter().position(|check| changes && check.name.is_some()).unwrap_or_default();
            if let (Some(check), Some(expression)) = (table.checks.get_mut(named), expression) {
                if changes {
                    check.expression = expression;
                } else {
                    check.name = name;
                }
            }
        }
        26 => add_index(rng, table),
        27 => drop_one(rng, &mut table.indexes),
        28 => edit_index(rng, table),
        29 => drop_one(rng, &mut table.foreign_keys),
        30 | 42..=44 => {
            let action = rng.choice([Action::Cascade, Action::Restrict, Action::NoAction]).unwrap_or_default();
            let name = random_name(rng, "renamed reference");
            let what = rng.u8(..3);
            let is_mariadb = matches!(rng.dialect, Dialect::Mariadb(_));
            if let Some(key) = pick(rng, &mut table.foreign_keys) {
                match what {
                    0 => key.on_delete = action,
                    1 if is_mariadb => key.on_update = action,
                    1 => key.deferrable = Deferrable::InitiallyDeferred,
                    _ => key.name = name,
                }
            }
        }
        31 => options(rng, table),
        _ => table.columns.reverse(),
    }
}

fn edit_index(rng: &mut Chance, table: &mut Table) {
    let name = random_name(rng, "renamed index");
    let what = rng.u8(..4);
    let column = pick(rng, &mut table.columns).map(|column| column.name.clone());
    let (Some(index), Some(column)) = (pick(rng, &mut table.indexes), column) else { return };
    match what {
        0 => index.name = name,
        1 => index.unique = !index.unique,
        2 => index.parts.iter_mut().for_each(|part| part.descending = !part.descending),
        _ if matches!(rng.dialect, Dialect::Mariadb(_)) => {}
        _ => {
            index.predicate = match index.predicate {
                Some(_) => None,
                None => Some(format!("{} is null", crate::generate::quoted(&column))),
            };
        }
    }
}

fn options(rng: &mut Chance, table: &mut Table) {
    if rng.dialect != Dialect::Sqlite {
        return;
    }
    let option = rng.choice(["strict", "without rowid", "autoincrement"]).unwrap_or("strict");
    let before = table.options.len();
    table.options.retain(|one| one.value != option);
    if table.options.len() < before {
        return;
    }
    table.options.push(Scoped::all(option.into()));
    if option == "strict" {
        for column in table.columns.iter_mut().filter(|column| column.identity.is_empty()) {
            if column.ty != Type::Int(64) {
                column.native = [Scoped::all("ANY".into())].into();
            }
        }
    }
}

fn drop_column(rng: &mut Chance, table: &mut Table) {
    if table.columns.is_empty() {
        return;
    }
    let gone = table.columns.remove(rng.usize(0..table.columns.len())).name;
    table.uniques.retain(|unique| !unique.columns.contains(&gone));
    table.foreign_keys.retain(|key| !key.columns.contains(&gone));
    table.primary_keys.retain(|key| !key.columns.contains(&gone));
    drop_mentions(table, &gone);
    table.indexes.retain(|index| !index.including.contains(&gone));
    let is_over = |index: &hollow_oak_core::schema::Index| {
        index.parts.iter().any(|part| matches!(&part.key, KeyPart::Column(name) if *name == gone))
    };
    table.indexes.retain(|index| !is_over(index));
}

/// Takes out every expression that names the column.
fn drop_mentions(table: &mut Table, gone: &Identifier) {
    let in_quotes = quoted(gone);
    let mentions = |text: &str| text.contains(gone.as_str()) || text.contains(&in_quotes);
    table.checks.retain(|check| !mentions(&check.expression));
    let computed = |column: &Column| column.generated.iter().any(|one| mentions(&one.value.expression));
    let lost: Vec<_> =
        table.columns.iter().filter(|column| computed(column)).map(|column| column.name.clone()).collect();
    table.columns.retain(|column| !lost.contains(&column.name));
    table.indexes.retain(|index| {
        !index.predicate.as_deref().is_some_and(mentions)
            && !index.parts.iter().any(|part| match &part.key {
                KeyPart::Column(name) => part.operators.is_some() && name == gone,
                KeyPart::Expression(text) => mentions(text),
            })
    });
}

/// After a column got another name: everything that names it names it so.
fn follow_renames(before: &Table, at: usize, parts: &mut Parts) {
    let after = &parts.tables[at];
    let renamed = before.columns.len() == after.columns.len();
    let pair =
        renamed
            .then(|| {
                before.columns.iter().zip(&after.columns).find(|(old, new)| {
                    old.name != new.name && old.name.as_str().eq_ignore_ascii_case(new.name.as_str())
                })
            })
            .flatten();
    let Some((old, new)) = pair.map(|(old, new)| (old.name.clone(), new.name.clone())) else { return };
    rename_everywhere(parts, at, &before.name.clone(), &[(old, new)]);
}

/// Everything that names the columns names them by their new names.
fn rename_everywhere(parts: &mut Parts, at: usize, table_name: &Identifier, pairs: &[(Identifier, Identifier)]) {
    let swap = |name: &mut Identifier| {
        if let Some((_, new)) = pairs.iter().find(|(old, _)| old == name) {
            *name = new.clone();
        }
    };
    // What was read from a database comes without the generator's quotes.
    let text = |expression: &mut String| {
        let new_name = |reference: &ColumnReference| {
            let (_, new) = pairs.iter().find(|(old, _)| match reference.quoted {
                true => old.as_str() == reference.name,
                false => old.as_str().eq_ignore_ascii_case(&reference.name),
            })?;
            Some(quoted(new))
        };
        *expression = Expression::new(expression).respelled(new_name, |_| None);
    };
    for key in parts.tables.iter_mut().flat_map(|table| &mut table.foreign_keys) {
        if key.referenced_table == *table_name {
            key.referenced_columns.iter_mut().for_each(swap);
        }
    }
    let table = &mut parts.tables[at];
    table.primary_keys.iter_mut().flat_map(|key| &mut key.columns).for_each(swap);
    table.uniques.iter_mut().flat_map(|key| &mut key.columns).for_each(swap);
    table.foreign_keys.iter_mut().flat_map(|key| &mut key.columns).for_each(swap);
    table.checks.iter_mut().for_each(|check| text(&mut check.expression));
    table.columns.iter_mut().flat_map(|column| &mut column.generated).for_each(|one| text(&mut one.value.expression));
    for index in &mut table.indexes {
        index.predicate.iter_mut().for_each(text);
        for part in &mut index.parts {
            match &mut part.key {
                KeyPart::Column(name) => swap(name),
                KeyPart::Expression(expression) => text(expression),
            }
        }
        index.including.iter_mut().for_each(swap);
    }
}
