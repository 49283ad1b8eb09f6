//! Decisions for a random pair of schemas, with what its rows have to hold afterwards.

use fastrand::Rng;
use hollow_oak_core::history::Decisions;
use hollow_oak_core::physical::{Column, Schema, Table};
use hollow_oak_core::{Dialect, Schema as Declared};

use crate::rows;
use crate::store::Store;

/// A value that rows get, and those that have it already.
pub struct Filled {
    /// The table and the column, as they are called before; nothing where the column comes.
    old: (String, Option<String>),
    new: (String, String),
    value: String,
}

/// A column that is converted, and back.
pub struct Converted {
    old: (String, String),
    new: (String, String),
    /// Over the old table.
    expression: String,
}

/// What was decided.
#[derive(Default)]
pub struct Chosen {
    fills: Vec<Filled>,
    conversions: Vec<Converted>,
}

/// What has to be seen afterwards: by the query that shows it, its answer.
pub type Expected = Vec<(String, Vec<String>)>;

/// Decides about some columns, at random.
///
/// # Panics
///
/// Where nothing was decided that could be wrong.
pub fn choose(
    rng: &mut Rng,
    dialect: Dialect,
    declared: [&Declared; 2],
    [from, to]: [&Schema; 2],
    decisions: &mut Decisions,
) -> Chosen {
    let mut chosen = Chosen::default();
    let renames = decisions.renames(declared[0], declared[1]).expect("nothing was decided that could be wrong");
    let unfilled = decisions
        .unfilled(declared[0], declared[1], &[dialect.provider()])
        .expect("nothing was decided that could be wrong");
    for new in to.tables() {
        let old_name = renames.former_table(&new.name).unwrap_or(&new.name);
        let Some(old) = from.table(old_name) else { continue };
        // Where there are namespaces, such a name is written in another way than it is declared.
        if new.name.contains('"') || old.name.contains('"') {
            continue;
        }
        let taken = renames.tables.contains_key(&old.name) && renames.new_table(&old.name) != new.name;
        if taken || (old.name != new.name && renames.former_table(&new.name).is_none()) {
            continue;
        }
        for column in new.columns.iter().filter(|column| column.generated.is_none() && !column.numbers_rows()) {
            let names = renames.columns_of(&old.name).into_iter().flatten();
            let former = names.into_iter().find(|(_, name)| **name == column.name).map(|(old, _)| old.clone());
            let moved = renames.columns_of(&old.name).is_some_and(|names| names.contains_key(&column.name));
            let was = match (&former, moved) {
                (Some(former), _) => old.column(former),
                (None, true) => None,
                (None, false) => old.column(&column.name),
            };
            if was.is_some_and(|was| was.generated.is_some()) || is_key(to, new, &column.name) {
                continue;
            }
            let path = format!("{}.{}", new.name, column.name);
            let comes = was.is_none() && rng.bool();
            if unfilled.contains(&path) || comes {
                let required = Column { nullable: false, ..column.clone() };
                let value = rows::value(rng, dialect, to, new, &required);
                decisions.fill.push(format!("{path}=({value})"));
                chosen.fills.push(Filled {
                    old: (old.name.clone(), was.map(|was| was.name.clone())),
                    new: (new.name.clone(), column.name.clone()),
                    value,
                });
            } else if let Some(was) = was.filter(|was| !is_key(from, old, &was.name))
                && let Some(way) = way(rng, dialect, was, column)
            {
                // Steps give new names first, and a name may be another column's by then.
                let (up, down) = (way.up(dialect, &column.name), way.down(dialect, &was.name));
                decisions.convert.push(format!("{path}=({up})"));
                let back = format!("{}.{}", old.name, was.name);
                decisions.convert_back.push(format!("{back}=({down})"));
                chosen.conversions.push(Converted {
                    old: (old.name.clone(), was.name.clone()),
                    new: (new.name.clone(), column.name.clone()),
                    expression: way.up(dialect, &was.name),
                });
            }
        }
    }
    chosen
}

/// Whether a key, a reference to or from it, or a check may look at the column.
fn is_key(schema: &Schema, table: &Table, column: &str) -> bool {
    let is = |names: &[String]| names.iter().any(|name| name == column);
    let own = table.foreign_keys.iter().any(|key| is(&key.columns));
    let mut others = schema.tables().flat_map(|other| &other.foreign_keys);
    let referenced = others.any(|key| schema.key(&key.referenced_table) == table.key() && is(&key.referenced_columns));
    let primary = table.primary_key.iter().flat_map(|key| &key.columns).any(|part| part.name == column);
    own || referenced || primary
}

/// How values change and change back.
enum Way {
    Count,
    AsText { wide: bool },
}

impl Way {
    fn up(&self, dialect: Dialect, name: &str) -> String {
        let name = dialect.quote(name);
        match (self, dialect) {
            (Self::Count, _) => format!("{name} + 1"),
            (Self::AsText { .. }, Dialect::Mariadb(_)) => format!("cast({name} as char(20))"),
            (Self::AsText { .. }, _) => format!("cast({name} as text)"),
        }
    }

    fn down(&self, dialect: Dialect, name: &str) -> String {
        let name = dialect.quote(name);
        match (self, dialect) {
            (Self::Count, _) => format!("{name} - 1"),
            (Self::AsText { .. }, Dialect::Mariadb(_)) => format!("cast({name} as signed)"),
            (Self::AsText { wide: true }, Dialect::Postgres) => format!("cast({name} as bigint)"),
            (Self::AsText { .. }, _) => format!("cast({name} as integer)"),
        }
    }
}

/// A way that loses nothing, where there is one.
fn way(rng: &mut Rng, dialect: Dialect, was: &Column, column: &Column) -> Option<Way> {
    let is_whole = |column: &Column| {
        let ty = column.ty.canonical();
        let whole = ["SMALLINT", "INT", "BIGINT", "MEDIUMINT"].iter().any(|word| ty.starts_with(word));
        whole && !ty.ends_with(']') && !ty.starts_with("INTERVAL")
    };
    let is_wide_text = |column: &Column| {
        let ty = column.ty.canonical();
        matches!(ty, "TEXT" | "LONGTEXT") || ty.starts_with("VARCHAR(1") || ty.starts_with("CHARACTER VARYING(1")
    };
    if is_whole(was) && was.ty == column.ty && rng.bool() {
        return Some(Way::Count);
    }
    let wide = dialect == Dialect::Postgres && was.ty.canonical().starts_with("BIGINT");
    (is_whole(was) && is_wide_text(column)).then_some(Way::AsText { wide })
}

impl Chosen {
    /// How many.
    pub fn len(&self) -> usize {
        self.fills.len() + self.conversions.len()
    }

    /// Whether nothing was decided.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Whether a column is converted there and back.
    pub fn converts(&self, table: &str, column: &str) -> bool {
        self.conversions.iter().any(|one| one.old.0 == table && one.old.1 == column)
    }

    /// Whether rows without a value get one that they keep on the way back.
    pub fn fills_old_columns(&self) -> bool {
        self.fills.iter().any(|one| one.old.1.is_some())
    }

    /// What is expected, from the rows before the migration.
    ///
    /// # Errors
    ///
    /// The database's message.
    pub fn expected(&self, store: &mut dyn Store) -> Result<Expected, String> {
        let dialect = store.dialect();
        let text = |sql: &str| match dialect {
            Dialect::Mariadb(_) => format!("cast({sql} as char)"),
            Dialect::Sqlite | Dialect::Postgres => format!("cast({sql} as text)"),
        };
        let object = |name: &str| dialect.quote_object(name);
        let mut expected = Expected::new();
        for one in &self.conversions {
            let before = format!("select {} from {}", text(&one.expression), object(&one.old.0));
            let after = format!("select {} from {}", text(&dialect.quote(&one.new.1)), object(&one.new.0));
            expected.push((after, texts(store, &before)?));
        }
        for one in &self.fills {
            let missing = match &one.old.1 {
                None => format!("select count(*) from {}", object(&one.old.0)),
                Some(name) => {
                    format!("select count(*) from {} where {} is null", object(&one.old.0), dialect.quote(name))
                }
            };
            let missing = texts(store, &missing)?;
            let column = dialect.quote(&one.new.1);
            let null = format!("select count(*) from {} where {column} is null", object(&one.new.0));
            expected.push((null, vec!["0".to_owned()]));
            // Json has no equality there, and a day keeps nothing of a time.
            if one.old.1.is_none() && !one.value.contains('{') && !one.value.contains(':') {
                let is = if dialect == Dialect::Sqlite { "is" } else { "=" };
                let same = format!("select count(*) from {} where {column} {is} {}", object(&one.new.0), one.value);
                expected.push((same, missing));
            }
        }
        Ok(expected)
    }
}

/// The first column of an answer, sorted.
///
/// # Errors
///
/// The database's message.
pub fn texts(store: &mut dyn Store, query: &str) -> Result<Vec<String>, String> {
    let rows = store.texts(query).map_err(|error| format!("{query}: {error}"))?;
    let mut texts: Vec<String> =
        rows.into_iter().map(|row| row.into_iter().next().flatten().unwrap_or_else(|| "null".into())).collect();
    texts.sort();
    Ok(texts)
}
