//! Random valid schemas over all that the language can say for a provider.

use std::ops::{Deref, DerefMut};

use fastrand::Rng;
use hollow_oak_core::dialect::Flavor;
use hollow_oak_core::schema::{
    Action, Check, Column, Deferrable, Enum, ForeignKey, Generated, Identifier, Identity, Index, IndexPart, KeyPart,
    NullsOrder, Parts, PrimaryKey, Program, ProgramKind, Schema, Scope, Scoped, Storage, Table, Type, Unique, Value,
};
use hollow_oak_core::{Dialect, physical};

/// Chance, and the provider that its outcome is for.
pub struct Chance {
    rng: Rng,
    /// The dialect.
    pub dialect: Dialect,
}

impl Chance {
    /// Begins with a seed.
    pub fn new(seed: u64, dialect: Dialect) -> Self {
        Self { rng: Rng::with_seed(seed), dialect }
    }

    /// Whether expressions have to be of the right type.
    pub fn is_typed(&self) -> bool {
        self.dialect != Dialect::Sqlite
    }
}

impl Deref for Chance {
    type Target = Rng;

    fn deref(&self) -> &Rng {
        &self.rng
    }
}

impl DerefMut for Chance {
    fn deref_mut(&mut self) -> &mut Rng {
        &mut self.rng
    }
}

/// Names of tables, some of which have to be quoted.
const TABLES: [&str; 9] =
    ["keeper", "hive", "apiary", "queen", "harvest", "Honey Lot", "order", "Größe", "market\"day"];

/// Namespaces, where the provider has them.
pub const NAMESPACES: [&str; 2] = ["sales", "Sales Dept"];

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

/// A schema that is valid and that the provider can store.
pub fn schema(rng: &mut Chance) -> Schema {
    loop {
        if let Some((schema, _)) = valid(parts(rng), rng.dialect) {
            return schema;
        }
    }
}

/// The schema of the parts with what the provider stores for it, where both are possible.
pub fn valid(parts: Parts, dialect: Dialect) -> Option<(Schema, physical::Schema)> {
    let (schema, _) = Schema::new(parts).ok()?;
    let lowered = dialect.lower(&schema).ok()?;
    Some((schema, lowered.schema))
}

fn parts(rng: &mut Chance) -> Parts {
    let mut parts = Parts::default();
    let mut names: Vec<Identifier> = TABLES.into_iter().map(Identifier::from).collect();
    let mut enums: Vec<Identifier> = ["temper", "Kind"].map(Identifier::from).to_vec();
    if rng.dialect == Dialect::Postgres && rng.bool() {
        for name in NAMESPACES {
            parts.programs.push(namespace(name));
        }
        // Some are called as others in another namespace are, or as if they were in one.
        names.extend(NAMESPACES.iter().map(|namespace| Identifier::within(namespace, "keeper")));
        names.push(Identifier::within(NAMESPACES[0], "market\"day"));
        names.push(Identifier::from("sales.keep\"er"));
        enums.push(Identifier::within(NAMESPACES[0], "temper"));
    }
    for name in enums {
        if rng.u8(..3) > 0 {
            parts.enums.push(enumeration(rng, name));
        }
    }
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

/// A namespace as it is declared.
pub fn namespace(name: &str) -> Program {
    let quoted = Identifier::from(name).declared();
    Program {
        kind: ProgramKind::Object,
        word: Some("namespace".into()),
        name: name.into(),
        table: None,
        body: format!("create schema {quoted}"),
        form: None,
        drop: Some(format!("drop schema {quoted}")),
        after: Vec::new(),
        about: None,
        scope: Scope::All,
    }
}

fn enumeration(rng: &mut Chance, name: Identifier) -> Enum {
    let mut words = WORDS.to_vec();
    rng.shuffle(&mut words);
    words.truncate(rng.usize(1..5));
    Enum {
        name,
        words: words.into_iter().map(Identifier::from).collect(),
        formerly: Default::default(),
        about: about(rng),
    }
}

fn about(rng: &mut Chance) -> Option<String> {
    (rng.u8(..8) == 0).then(|| "it is \"so\"".to_owned())
}

/// A table that references nothing yet.
pub fn table(rng: &mut Chance, parts: &Parts, name: Identifier) -> Table {
    let mut table = Table::new(name);
    table.about = about(rng);
    let is_sqlite = rng.dialect == Dialect::Sqlite;
    let strict = is_sqlite && rng.u8(..8) == 0;
    match rng.u8(..5) {
        0 | 1 => {
            let bits = rng.choice([8u8, 16, 32, 64]).unwrap_or(64);
            let mut column = Column::new("id", Type::Int(bits));
            column.identity = [Scoped::all(identity(rng))].into();
            table.columns.push(column);
            table.primary_keys.push(key(rng, "id_key", &["id"]));
            if is_sqlite && rng.u8(..4) == 0 {
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
            table.columns.push(Column::new("second", Type::Text(Some(20))));
            table.primary_keys.push(key(rng, "both", &["first", "second"]));
            if is_sqlite && rng.u8(..3) == 0 {
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
            column.native = [Scoped::all(native.into())].into();
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

/// How an identity column numbers.
pub fn identity(rng: &mut Chance) -> Identity {
    if rng.dialect != Dialect::Postgres {
        return Identity::default();
    }
    let number = |rng: &mut Chance, some: i64| (rng.u8(..3) == 0).then_some(some);
    Identity { always: rng.u8(..3) == 0, from: number(rng, 10), by: number(rng, 5) }
}

/// A primary key, named or not.
pub fn key(rng: &mut Chance, name: &str, columns: &[&str]) -> PrimaryKey {
    // Where it shares its name with tables and indexes, the name is of its own.
    let name = if rng.is_typed() { format!("{name} {}", rng.u16(..)) } else { name.to_owned() };
    PrimaryKey {
        name: rng.bool().then(|| name.as_str().into()),
        columns: columns.iter().map(|name| Identifier::from(*name)).collect(),
        options: Vec::new(),
        scope: Scope::All,
    }
}

/// A type that the provider can store.
pub fn random_type(rng: &mut Chance, parts: &Parts) -> Type {
    let enums: Vec<_> = parts.enums.iter().map(|owner| owner.name.clone()).collect();
    if rng.dialect == Dialect::Postgres && rng.u8(..8) == 0 {
        return match rng.u8(..3) {
            0 => Type::Interval,
            1 => Type::Array(Box::new(Type::Int(32))),
            _ => Type::Array(Box::new(enums.first().map_or(Type::Text(None), |name| Type::Enum(name.clone())))),
        };
    }
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
pub fn random_default(rng: &mut Chance, parts: &Parts, ty: &Type) -> Option<Value> {
    let number = |text: &str| Value::Number(text.into());
    let text = |text: &str| Value::Text(text.into());
    if rng.u8(..8) == 0 && !rng.is_typed() {
        return Some(Value::Expression(rng.choice(["1 + 1", "lower('A')", "abs(-3)"]).unwrap_or("1").into()));
    }
    if rng.u8(..5) == 0 && rng.is_typed() {
        return match ty {
            Type::Int(_) | Type::Float(_) | Type::Decimal(_) => {
                Some(Value::Expression(rng.choice(["1 + 1", "abs(-3)", "(2 * 3)"])?.into()))
            }
            Type::Text(_) => Some(Value::Expression(rng.choice(["lower('A')", "concat('a', 'b')"])?.into())),
            _ => None,
        };
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
        Type::Interval => text("1 day"),
        Type::Array(_) => text("{}"),
        Type::Native => return None,
    })
}

/// Adds a column under a name that is free.
pub fn add_column(rng: &mut Chance, parts: &Parts, table: &mut Table) {
    let free: Vec<_> = COLUMNS.iter().filter(|name| table.column(&Identifier::from(**name)).is_none()).collect();
    let Some(name) = rng.choice(free) else { return };
    let mut column = Column::new(*name, random_type(rng, parts));
    column.nullable = rng.bool();
    column.about = about(rng);
    if rng.u8(..12) == 0 {
        column.ty = Type::Native;
        let natives: &[&str] = match rng.dialect {
            Dialect::Sqlite => &["POINT", "Long Text(3, 4)", ""],
            Dialect::Postgres => &["inet", "BIT VARYING(5)", "tsvector"],
            Dialect::Mariadb(_) => &["int unsigned", "mediumint", "VARCHAR(7)"],
        };
        column.native = [Scoped::all((*rng.choice(natives).unwrap_or(&"")).into())].into();
        column.nullable = true;
    } else if rng.u8(..8) == 0 && !table.columns.is_empty() {
        let (expression, ty) = generated(rng, table);
        column.generated = [Scoped::all(expression)].into();
        column.ty = ty.unwrap_or(column.ty);
        column.nullable = true;
    } else if rng.bool() {
        column.default = random_default(rng, parts, &column.ty).map(Scoped::all).into_iter().collect();
    }
    if rng.u8(..4) == 0
        && let Some(name) = collation(rng, &column.ty)
    {
        column.collate = [Scoped::all(name.into())].into();
    }
    table.columns.push(column);
}

/// A collation that a column of the type can have.
pub fn collation(rng: &mut Chance, ty: &Type) -> Option<&'static str> {
    let is_text = matches!(ty, Type::Text(_) | Type::Char(_));
    match rng.dialect {
        Dialect::Sqlite => rng.choice(["nocase", "rtrim", "binary"]),
        Dialect::Postgres if is_text => rng.choice(["C", "POSIX", "default"]),
        Dialect::Mariadb(_) if is_text => rng.choice(["utf8mb4_bin", "utf8mb4_general_ci", "utf8mb4_unicode_ci"]),
        Dialect::Postgres | Dialect::Mariadb(_) => None,
    }
}

/// An expression over a column of the table, and the type of its values where that counts.
pub fn generated(rng: &mut Chance, table: &Table) -> (Generated, Option<Type>) {
    if rng.is_typed() {
        let plain: Vec<_> = table.columns.iter().filter(|column| column.generated.is_empty()).collect();
        let column = rng.choice(plain);
        let (expression, ty) = match column {
            None => ("1 + 1".to_owned(), Type::Int(32)),
            Some(column) => {
                let name = quoted(&column.name);
                match &column.ty {
                    Type::Text(_) => (format!("lower({name})"), Type::Text(None)),
                    Type::Int(_) | Type::Decimal(_) => (format!("{name} + 1 * 2"), Type::Decimal(Some((30, 2)))),
                    _ => (format!("{name} is not null"), Type::Bool),
                }
            }
        };
        let storage = if rng.dialect == Dialect::Postgres || rng.bool() { Storage::Stored } else { Storage::Virtual };
        return (Generated { expression, storage }, Some(ty));
    }
    let column = any_column(rng, table).map_or("1".into(), |name| quoted(&name));
    let expression =
        rng.choice([format!("{column} || '!'"), format!("coalesce({column}, 0)"), format!("length({column})")]);
    let storage = if rng.bool() { Storage::Stored } else { Storage::Virtual };
    (Generated { expression: expression.unwrap_or_default(), storage }, None)
}

/// A column name as SQL.
pub fn quoted(name: &Identifier) -> String {
    format!("\"{}\"", name.as_str().replace('"', "\"\""))
}

/// Any column of the table.
pub fn any_column(rng: &mut Chance, table: &Table) -> Option<Identifier> {
    rng.choice(&table.columns).map(|column| column.name.clone())
}

fn some_columns(rng: &mut Chance, table: &Table) -> Vec<Identifier> {
    let mut names: Vec<_> = table.columns.iter().map(|column| column.name.clone()).collect();
    rng.shuffle(&mut names);
    names.truncate(rng.usize(1..3));
    names
}

/// A name for a constraint or index, or none, so that one is derived.
pub fn random_name(rng: &mut Chance, stem: &str) -> Option<Identifier> {
    rng.bool().then(|| Identifier::new(format!("{stem}_{}", rng.u8(..100))))
}

/// Adds a unique constraint.
pub fn add_unique(rng: &mut Chance, table: &mut Table) {
    let columns = some_columns(rng, table);
    let name = random_name(rng, "only one");
    let nulls_equal = rng.dialect == Dialect::Postgres && rng.u8(..4) == 0;
    table.uniques.push(Unique { name, columns, nulls_equal, options: Vec::new(), scope: Scope::All });
}

/// Adds a check that ordinary values meet.
pub fn add_check(rng: &mut Chance, table: &mut Table) {
    let Some(column) = any_column(rng, table) else { return };
    let expression = check_expression(rng, table, &column);
    table.checks.push(Check { name: random_name(rng, "check"), expression, options: Vec::new(), scope: Scope::All });
}

/// A condition over a column.
pub fn check_expression(rng: &mut Chance, table: &Table, column: &Identifier) -> String {
    if rng.is_typed() {
        return typed_check(rng, table, column);
    }
    let column = quoted(column);
    let all = [
        format!("length({column}) < {}", rng.u32(1000..1010)),
        format!("{column} <> 'never ) this'"),
        format!("{column} IS NOT 'x''y' -- why not"),
        format!("not ({column} = 'a' and {column} = 'b')"),
    ];
    rng.choice(all).unwrap_or_default()
}

/// Conditions as people write them, which servers store in words of their own.
fn typed_check(rng: &mut Chance, table: &Table, name: &Identifier) -> String {
    let ty = table.column(name).map(|column| column.ty.clone());
    let column = quoted(name);
    let all = match ty {
        Some(Type::Text(_)) => vec![
            format!("length({column}) < {}", rng.u32(1000..1010)),
            format!("{column} <> 'never ) this'"),
            format!("{column} NOT IN ('x''y', 'b') -- why not"),
            format!("not ({column} = 'a' and {column} = 'b')"),
            format!("{column} like '%' or lower({column}) = upper({column})"),
            format!("case when {column} = 'a' then 1 else 2 end > 0"),
        ],
        Some(Type::Int(_) | Type::Decimal(_) | Type::Float(_)) => vec![
            format!("{column} > -{}", rng.u32(5..100)),
            format!("{column} between -1000 and 10000000"),
            format!("{column} in (1, 2, 3) or {column} * 2 > {column} - 1"),
            format!("abs({column}) >= 0"),
            format!("coalesce({column}, 0) <> -7"),
        ],
        Some(Type::Date) => vec![format!("{column} > '1900-01-01'")],
        // MySQL 9.7 renames no column of a reference beside a check in which something is always so.
        _ if matches!(rng.dialect, Dialect::Mariadb(Flavor::Mysql)) => vec![format!("octet_length({column}) >= 0")],
        _ => vec![format!("{column} is not null or 1 = 1"), format!("not ({column} is null and 1 > 2)")],
    };
    rng.choice(all).unwrap_or_default()
}

/// Whether every part is over a column of a portable type, which any method can index.
fn is_plain(table: &Table, parts: &[IndexPart]) -> bool {
    parts.iter().all(|part| match &part.key {
        KeyPart::Column(name) => table.column(name).is_some_and(|column| column.ty != Type::Native),
        KeyPart::Expression(_) => true,
    })
}

/// Adds an index, unique or not, over columns and expressions, partial or not.
pub fn add_index(rng: &mut Chance, table: &mut Table) {
    let mut parts: Vec<_> = some_columns(rng, table).into_iter().map(IndexPart::column).collect();
    for part in &mut parts {
        let KeyPart::Column(name) = part.key.clone() else { continue };
        let ty = table.column(&name).map_or(Type::Native, |column| column.ty.clone());
        let has_expressions = !matches!(rng.dialect, Dialect::Mariadb(_));
        let takes_lower = !rng.is_typed() || (has_expressions && matches!(ty, Type::Text(_)));
        if rng.u8(..4) == 0 && takes_lower {
            part.key = KeyPart::Expression(format!("lower({})", quoted(&name)));
        }
        part.descending = rng.u8(..3) == 0;
        match rng.dialect {
            Dialect::Sqlite => part.collate = (rng.u8(..5) == 0).then(|| "nocase".into()),
            Dialect::Postgres => {
                part.nulls = rng.choice([None, None, Some(NullsOrder::First), Some(NullsOrder::Last)]).flatten();
                if matches!(ty, Type::Text(None)) && matches!(part.key, KeyPart::Column(_)) && rng.u8(..3) == 0 {
                    part.operators = Some("text_pattern_ops".into());
                }
            }
            Dialect::Mariadb(_) => {
                let is_long = matches!(ty, Type::Text(_)) && matches!(part.key, KeyPart::Column(_));
                part.prefix = (is_long && rng.bool()).then_some(4);
            }
        }
    }
    let (mut method, mut including) = (None, Vec::new());
    if rng.dialect == Dialect::Postgres && rng.u8(..5) == 0 {
        including = some_columns(rng, table);
    } else if rng.dialect == Dialect::Postgres && rng.u8(..6) == 0 && parts.len() == 1 && is_plain(table, &parts) {
        method = Some("hash".to_owned());
        parts[0].descending = false;
        parts[0].nulls = None;
        parts[0].operators = None;
    }
    let unique = rng.u8(..3) == 0 && method.is_none();
    let has_predicates = !matches!(rng.dialect, Dialect::Mariadb(_));
    let predicate = (has_predicates && rng.u8(..3) == 0).then(|| any_column(rng, table)).flatten();
    table.indexes.push(Index {
        name: Some(Identifier::new(format!("{} index {}", table.name, rng.u16(..)))).filter(|_| rng.bool()),
        unique,
        parts,
        predicate: predicate.map(|column| format!("{} is not null", quoted(&column))),
        including,
        method,
        options: Vec::new(),
        scope: Scope::All,
    });
}

/// Adds a reference from one table to a key of another, or of itself, with columns of its own for it.
pub fn add_foreign_key(rng: &mut Chance, parts: &mut Parts) {
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
    let (mut on_delete, mut on_update) = (action(), action());
    let mut deferrable =
        rng.choice([Deferrable::No, Deferrable::InitiallyImmediate, Deferrable::InitiallyDeferred]).unwrap_or_default();
    if matches!(rng.dialect, Dialect::Mariadb(_)) {
        deferrable = Deferrable::No;
        for action in [&mut on_delete, &mut on_update] {
            *action = if *action == Action::SetDefault { Action::Cascade } else { *action };
        }
    }
    table.foreign_keys.push(ForeignKey {
        name: random_name(rng, "reference"),
        columns,
        referenced_table: target.name.clone(),
        referenced_columns: key,
        on_delete,
        on_update,
        deferrable,
        indexed: rng.u8(..4) == 0,
        options: Vec::new(),
        scope: Scope::All,
    });
}
