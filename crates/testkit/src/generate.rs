//! Random valid schemas over all that the language can say for SQLite.

use fastrand::Rng;
use hollow_oak_core::schema::{
    Action, Check, Column, Deferrable, Enum, ForeignKey, Generated, Identifier, Identity, Index, IndexPart, KeyPart,
    Parts, PrimaryKey, Schema, Scope, Scoped, Storage, Table, Type, Unique, Value,
};
use hollow_oak_core::{Dialect, physical};

/// Names of tables, some of which have to be quoted.
const TABLES: [&str; 9] =
    ["keeper", "hive", "apiary", "queen", "harvest", "Honey Lot", "order", "Größe", "market\"day"];

/// Names of columns.
const COLUMNS: [&str; 14] = [
    "code",
    "label",
    "kg",
    "season",
    "note",
    "Full Name",
    "group",
    "moved_at",
    "größe",
    "a\"b",
    "ref",
    "mark",
    "share",
    "tags",
];

/// Words of enums.
const WORDS: [&str; 7] = ["calm", "watchful", "easily upset", "null", "o'clock", "Blue", "done"];

/// A schema that is valid and that SQLite can store.
pub fn schema(rng: &mut Rng) -> Schema {
    loop {
        if let Some((schema, _)) = valid(parts(rng)) {
            return schema;
        }
    }
}

/// The schema of the parts with what SQLite stores for it, where both are possible.
pub fn valid(parts: Parts) -> Option<(Schema, physical::Schema)> {
    let (schema, _) = Schema::new(parts).ok()?;
    let lowered = Dialect::Sqlite.lower(&schema).ok()?;
    Some((schema, lowered.schema))
}

fn parts(rng: &mut Rng) -> Parts {
    let mut parts = Parts::default();
    for name in ["temper", "Kind"] {
        if rng.u8(..3) > 0 {
            parts.enums.push(enumeration(rng, name));
        }
    }
    let mut names = TABLES.to_vec();
    rng.shuffle(&mut names);
    for name in names.into_iter().take(rng.usize(0..5)) {
        let table = table(rng, &parts, name);
        parts.tables.push(table);
    }
    for _ in 0..rng.usize(0..4) {
        add_foreign_key(rng, &mut parts);
    }
    parts
}

fn enumeration(rng: &mut Rng, name: &str) -> Enum {
    let mut words = WORDS.to_vec();
    rng.shuffle(&mut words);
    words.truncate(rng.usize(1..5));
    Enum { name: name.into(), words: words.into_iter().map(Identifier::from).collect(), about: about(rng) }
}

fn about(rng: &mut Rng) -> Option<String> {
    (rng.u8(..8) == 0).then(|| "it is \"so\"".to_owned())
}

/// A table that references nothing yet.
pub fn table(rng: &mut Rng, parts: &Parts, name: &str) -> Table {
    let mut table = Table::new(name);
    table.about = about(rng);
    let strict = rng.u8(..8) == 0;
    match rng.u8(..5) {
        0 | 1 => {
            let bits = rng.choice([8u8, 16, 32, 64]).unwrap_or(64);
            let mut column = Column::new("id", Type::Int(bits));
            column.identity = vec![Scoped::all(Identity::default())];
            table.columns.push(column);
            table.primary_keys.push(key(rng, "id_key", &["id"]));
            if rng.u8(..4) == 0 {
                table.options.push(Scoped::all("autoincrement".into()));
            }
        }
        2 => {
            table.columns.push(Column::new(
                "id",
                rng.choice([Type::Int(32), Type::Int(64), Type::Text(Some(12)), Type::Uuid]).unwrap_or(Type::Uuid),
            ));
            table.primary_keys.push(key(rng, "id_key", &["id"]));
        }
        3 => {
            table.columns.push(Column::new("first", Type::Int(64)));
            table.columns.push(Column::new("second", Type::Text(None)));
            table.primary_keys.push(key(rng, "both", &["first", "second"]));
            if rng.u8(..3) == 0 {
                table.options.push(Scoped::all("without rowid".into()));
            }
        }
        _ => {}
    }
    for _ in 0..rng.usize(1..6) {
        add_column(rng, parts, &mut table);
    }
    if strict {
        table.options.push(Scoped::all("strict".into()));
        for column in &mut table.columns {
            let native = if column.ty == Type::Int(64) { "INTEGER" } else { "ANY" };
            column.native = vec![Scoped::all(native.into())];
        }
    }
    for _ in 0..rng.usize(0..2) {
        add_unique(rng, &mut table);
    }
    for _ in 0..rng.usize(0..2) {
        add_check(rng, &mut table);
    }
    for _ in 0..rng.usize(0..3) {
        add_index(rng, &mut table);
    }
    table
}

/// A primary key, named or not.
pub fn key(rng: &mut Rng, name: &str, columns: &[&str]) -> PrimaryKey {
    PrimaryKey {
        name: rng.bool().then(|| name.into()),
        columns: columns.iter().map(|name| Identifier::from(*name)).collect(),
        scope: Scope::All,
    }
}

/// A type that SQLite can store.
pub fn random_type(rng: &mut Rng, parts: &Parts) -> Type {
    let enums: Vec<_> = parts.enums.iter().map(|owner| owner.name.clone()).collect();
    match rng.u8(..20) {
        0 => Type::Bool,
        1 => Type::Int(8),
        2 => Type::Int(16),
        3 => Type::Int(32),
        4 => Type::Int(64),
        5 => Type::Float(32),
        6 => Type::Float(64),
        7 => Type::Decimal(Some((6, 2))),
        8 => Type::Decimal(None),
        9 | 10 => Type::Text(None),
        11 => Type::Text(Some(rng.u32(5..40))),
        12 => Type::Char(2),
        13 => Type::Bytes(None),
        14 => Type::Date,
        15 => Type::Time(Some(3)),
        16 => Type::Instant(None),
        17 => Type::Uuid,
        18 => Type::Json,
        _ => match enums.get(rng.usize(0..=enums.len())) {
            Some(name) => Type::Enum(name.clone()),
            None => Type::Datetime(None),
        },
    }
}

/// A default that fits the type.
pub fn random_default(rng: &mut Rng, parts: &Parts, ty: &Type) -> Option<Value> {
    let number = |text: &str| Value::Number(text.into());
    let text = |text: &str| Value::Text(text.into());
    if rng.u8(..8) == 0 {
        return Some(Value::Expression(rng.choice(["1 + 1", "lower('A')", "abs(-3)"]).unwrap_or("1").into()));
    }
    Some(match ty {
        Type::Bool => Value::Bool(rng.bool()),
        Type::Int(_) => number(rng.choice(["0", "7", "-1"])?),
        Type::Float(_) => number(rng.choice(["0", "1.5", "2e3"])?),
        Type::Decimal(_) => number(rng.choice(["0", "12.5", "-1"])?),
        Type::Text(_) => text(rng.choice(["", "it's", "none"])?),
        Type::Char(_) => text("XX"),
        Type::Bytes(_) => Value::Bytes("00ff".into()),
        Type::Date => rng.choice([Value::Today, text("2026-05-01")])?,
        Type::Time(_) => rng.choice([Value::Now, text("17:30:00")])?,
        Type::Datetime(_) | Type::Instant(_) => rng.choice([Value::Now, text("2026-05-01 17:30:00")])?,
        Type::Uuid => Value::NewUuid,
        Type::Json => text("{}"),
        Type::Enum(name) => {
            let owner = parts.enums.iter().find(|owner| owner.name == *name)?;
            Value::Word(rng.choice(&owner.words)?.clone())
        }
        Type::Interval | Type::Array(_) | Type::Native => return None,
    })
}

/// Adds a column under a name that is free.
pub fn add_column(rng: &mut Rng, parts: &Parts, table: &mut Table) {
    let free: Vec<_> = COLUMNS.iter().filter(|name| table.column(&Identifier::from(**name)).is_none()).collect();
    let Some(name) = rng.choice(free) else { return };
    let mut column = Column::new(*name, random_type(rng, parts));
    column.nullable = rng.bool();
    column.about = about(rng);
    if rng.u8(..12) == 0 {
        column.ty = Type::Native;
        column.native = vec![Scoped::all(rng.choice(["POINT", "Long Text(3, 4)", ""]).unwrap_or("POINT").into())];
        column.nullable = true;
    } else if rng.u8(..8) == 0 && !table.columns.is_empty() {
        column.generated = vec![Scoped::all(generated(rng, table))];
        column.nullable = true;
    } else if rng.bool() {
        column.default = random_default(rng, parts, &column.ty).map(Scoped::all).into_iter().collect();
    }
    if rng.u8(..4) == 0 {
        column.collate = vec![Scoped::all(rng.choice(["nocase", "rtrim", "binary"]).unwrap_or("nocase").into())];
    }
    table.columns.push(column);
}

/// An expression over a column of the table.
pub fn generated(rng: &mut Rng, table: &Table) -> Generated {
    let column = any_column(rng, table).map_or("1".into(), |name| quoted(&name));
    let expression =
        rng.choice([format!("{column} || '!'"), format!("coalesce({column}, 0)"), format!("length({column})")]);
    Generated {
        expression: expression.unwrap_or_default(),
        storage: if rng.bool() { Storage::Stored } else { Storage::Virtual },
    }
}

/// A column name as SQL.
pub fn quoted(name: &Identifier) -> String {
    format!("\"{}\"", name.as_str().replace('"', "\"\""))
}

/// Any column of the table.
pub fn any_column(rng: &mut Rng, table: &Table) -> Option<Identifier> {
    rng.choice(&table.columns).map(|column| column.name.clone())
}

fn some_columns(rng: &mut Rng, table: &Table) -> Vec<Identifier> {
    let mut names: Vec<_> = table.columns.iter().map(|column| column.name.clone()).collect();
    rng.shuffle(&mut names);
    names.truncate(rng.usize(1..3));
    names
}

/// A name for a constraint or index, or none, so that one is derived.
pub fn random_name(rng: &mut Rng, stem: &str) -> Option<Identifier> {
    rng.bool().then(|| Identifier::new(format!("{stem}_{}", rng.u8(..100))))
}

/// Adds a unique constraint.
pub fn add_unique(rng: &mut Rng, table: &mut Table) {
    let columns = some_columns(rng, table);
    let name = random_name(rng, "only one");
    table.uniques.push(Unique { name, columns, nulls_equal: false, scope: Scope::All });
}

/// Adds a check that ordinary values meet.
pub fn add_check(rng: &mut Rng, table: &mut Table) {
    let Some(column) = any_column(rng, table) else { return };
    let expression = check_expression(rng, &column);
    table.checks.push(Check { name: random_name(rng, "check"), expression, scope: Scope::All });
}

/// A condition over a column.
pub fn check_expression(rng: &mut Rng, column: &Identifier) -> String {
    let column = quoted(column);
    let all = [
        format!("length({column}) < {}", rng.u32(1000..1010)),
        format!("{column} <> 'never ) this'"),
        format!("{column} IS NOT 'x''y' -- why not"),
        format!("not ({column} = 'a' and {column} = 'b')"),
    ];
    rng.choice(all).unwrap_or_default()
}

/// Adds an index, unique or not, over columns and expressions, partial or not.
pub fn add_index(rng: &mut Rng, table: &mut Table) {
    let mut parts: Vec<_> = some_columns(rng, table).into_iter().map(IndexPart::column).collect();
    for part in &mut parts {
        if rng.u8(..4) == 0
            && let KeyPart::Column(name) = &part.key
        {
            part.key = KeyPart::Expression(format!("lower({})", quoted(name)));
        }
        part.descending = rng.u8(..3) == 0;
        part.collate = (rng.u8(..5) == 0).then(|| "nocase".into());
    }
    let predicate = (rng.u8(..3) == 0).then(|| any_column(rng, table)).flatten();
    table.indexes.push(Index {
        name: Some(Identifier::new(format!("{} index {}", table.name, rng.u16(..)))).filter(|_| rng.bool()),
        unique: rng.u8(..3) == 0,
        parts,
        predicate: predicate.map(|column| format!("{} is not null", quoted(&column))),
        including: Vec::new(),
        method: None,
        scope: Scope::All,
    });
}

/// Adds a reference from one table to a key of another, or of itself, with columns of its own for it.
pub fn add_foreign_key(rng: &mut Rng, parts: &mut Parts) {
    if parts.tables.is_empty() {
        return;
    }
    let target = rng.choice(&parts.tables).cloned();
    let Some((target, key)) =
        target.and_then(|table| Some((table.clone(), table.primary_keys.first()?.columns.clone())))
    else {
        return;
    };
    let at = rng.usize(0..parts.tables.len());
    let table = &mut parts.tables[at];
    let number = table.foreign_keys.len();
    let mut columns = Vec::new();
    let nullable = rng.u8(..4) > 0;
    for name in &key {
        let Some(found) = target.column(name) else { return };
        let mut column = Column::new(format!("ref{number}_{name}").as_str(), found.ty.clone());
        column.nullable = nullable;
        column.native = found.native.clone();
        if table.column(&column.name).is_some() {
            return;
        }
        columns.push(column.name.clone());
        table.columns.push(column);
    }
    let mut action = || {
        rng.choice(Action::ALL.into_iter().filter(|action| nullable || *action != Action::SetNull).collect::<Vec<_>>())
            .unwrap_or_default()
    };
    let (on_delete, on_update) = (action(), action());
    table.foreign_keys.push(ForeignKey {
        name: random_name(rng, "reference"),
        columns,
        referenced_table: target.name.clone(),
        referenced_columns: key,
        on_delete,
        on_update,
        deferrable: rng
            .choice([Deferrable::No, Deferrable::InitiallyImmediate, Deferrable::InitiallyDeferred])
            .unwrap_or_default(),
        indexed: rng.u8(..4) == 0,
        scope: Scope::All,
    });
}
