//! What SQLite stores for a logical schema.

use std::borrow::Cow;

use super::quote::{literal, quote};
use super::{FACTS, rowid_alias};
use crate::dialect::lowering::{self, Attributed, Lowering, Storing, UNNAMED, key_option, typed};
use crate::dialect::naming::NameKind;
use crate::dialect::{Facts, Lowered};
use crate::nearest::nearest;
use crate::physical::{self, Options, TypeName};
use crate::schema::{
    Column, Fault, FaultKind, ForeignKey, Identifier, Index, Item, Part, Place, Provider, Schema, Scoped, Table, Type,
    Value,
};
use crate::sql::{Cursor, Expression, Syntax};

/// The storage options a table may have.
const OPTIONS: [&str; 3] = ["strict", "without rowid", "autoincrement"];

// SQLite, "STRICT Tables": every column's type is one of these.
const STRICT_TYPES: [&str; 6] = ["INT", "INTEGER", "REAL", "TEXT", "BLOB", "ANY"];

/// Decimal digits that survive in a double, `DBL_DIG` of IEEE 754; SQLite keeps a DECIMAL as one where it is not whole
/// (SQLite, "Datatypes In SQLite", "Type Affinity").
const EXACT_DIGITS: u32 = 15;

/// Lowers a schema; see [`crate::Dialect::lower`].
pub(in crate::dialect) fn lower(schema: &Schema) -> Result<Lowered, Vec<Fault>> {
    lowering::lower(&Sqlite, schema)
}

struct Sqlite;

impl Storing for Sqlite {
    fn provider(&self) -> Provider {
        Provider::Sqlite
    }

    fn facts(&self) -> Facts {
        FACTS
    }

    fn syntax(&self) -> Syntax {
        Syntax::PLAIN
    }

    fn quoted(&self, name: &str) -> String {
        quote(name)
    }

    fn expression(&self, _: &Table, text: &str) -> Expression {
        Expression::new(text)
    }

    fn attribute(&self, on: Attributed, option: &str) -> Option<String> {
        attribute(on, option)
    }

    // SQLite, "CREATE TABLE": names that begin with "sqlite_" are for its own use.
    fn reserved(&self) -> &'static [(&'static str, &'static str)] {
        &[("sqlite_", "SQLite's own tables"), ("hollow_oak_", "oak's own tables")]
    }

    fn option(&self, lowering: &mut Lowering<'_, Self>, option: &str, table: &mut physical::Table, place: Place) {
        let folded = option.to_ascii_lowercase();
        if folded == UNNAMED {
            return;
        }
        if OPTIONS.contains(&folded.as_str()) {
            table.options.insert(folded);
            return;
        }
        let kind = FaultKind::UnknownOption {
            provider: Provider::Sqlite,
            option: option.to_owned(),
            nearest: nearest(&folded, OPTIONS),
            known: "\"strict\", \"without rowid\", \"autoincrement\" and \"unnamed constraints\"",
        };
        lowering.fault(kind, place);
    }

    fn column(
        &self,
        lowering: &mut Lowering<'_, Self>,
        table: &Table,
        column: &Column,
        lowered: &mut physical::Table,
        place: &Place,
    ) -> physical::Column {
        if column.on_update_now.as_ref().is_some_and(|scope| scope.holds(Provider::Sqlite)) {
            let kind = lowering.not_expressible(
                "has no `on update now`",
                "write `on update now except sqlite`, and set the column in the application or a trigger",
            );
            lowering.fault(kind, place.clone().part(Part::OnUpdate));
        }
        let ty = if identity(lowering, column, lowered, place) {
            Some(TypeName::new("INTEGER"))
        } else {
            column_type(lowering, column, lowered, place)
        };
        generated_checks(lowering, table, column, lowered);
        typed(column, ty)
    }

    fn default(&self, _: &Table, column: &Column, value: &Value) -> Option<Expression> {
        default(value, &column.ty)
    }

    fn collation(&self, name: &str) -> Option<String> {
        collation(name)
    }

    // SQLite keeps the text from the name on, without that of the database (seen on 3.40 and later).
    fn statement<'s>(&self, sql: &'s str) -> Cow<'s, str> {
        let mut cursor = Cursor::new(sql, Syntax::PLAIN);
        let kind = match () {
            _ if cursor.eat_all(&["create", "trigger"]) => "trigger",
            _ if cursor.eat_all(&["create", "virtual", "table"]) => "virtual table",
            _ => return sql.into(),
        };
        cursor.eat_all(&["if", "not", "exists"]);
        if cursor.ahead(1) == "." {
            cursor.skip();
            cursor.skip();
        }
        format!("create {kind} {}", cursor.rest()).into()
    }

    fn lacks_collation(&self, _: &TypeName) -> bool {
        false
    }

    fn usual_collation(&self) -> String {
        "BINARY".into()
    }

    fn index(&self, lowering: &mut Lowering<'_, Self>, index: &Index, _: &mut physical::Index, place: &Place) {
        for (at, part) in index.parts.iter().enumerate() {
            let place = place.clone().part(Part::Element(at));
            let said = [
                (part.prefix.is_some(), "has no prefix lengths in indexes"),
                (part.operators.is_some(), "has no operator classes"),
                (part.nulls.is_some(), "cannot place nulls in an index"),
            ];
            for (_, what) in said.into_iter().filter(|(said, _)| *said) {
                lowering.refuse(what, place.clone());
            }
        }
        if !index.including.is_empty() {
            lowering.refuse("has no included columns in indexes", place.clone());
        }
        if index.method.is_some() {
            lowering.refuse("has no access methods", place.clone());
        }
    }

    fn nulls_equal(&self) -> Result<&'static str, &'static str> {
        Err("never takes two nulls for equal in a unique constraint")
    }

    fn reference(&self, _: &mut Lowering<'_, Self>, _: &Table, _: &ForeignKey, _: &Place) {}

    /// What only shows once the whole table is there.
    fn finish(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table) {
        let place = Place::whole(&table.name, Item::Table).part(Part::Name);
        if lowered.columns.iter().all(|column| column.generated.is_some()) {
            let what = "needs at least one column that is not generated";
            let kind = lowering.not_expressible(what, "add a column, or say `except sqlite` behind the table");
            lowering.fault(kind, place.clone());
        }
        let alias = rowid_alias(lowered).map(str::to_owned);
        if lowered.has_option("without rowid") && lowered.primary_key.is_none() {
            let what = "needs a primary key in a table without rowid";
            let kind = lowering.not_expressible(what, "add `primary key (…)`");
            lowering.fault(kind, place.clone());
        }
        if lowered.has_option("autoincrement") && alias.is_none() {
            let what = "has autoincrement only for an identity column";
            let kind = lowering.not_expressible(what, "add `identity` to the primary key, or drop the option");
            lowering.fault(kind, place);
        }
        for column in &mut lowered.columns {
            if Some(&column.name) == alias.as_ref() {
                column.nullable = false;
            }
        }
        for declared in &table.columns {
            let says_so = |option: &Scoped<String>| {
                option.value.eq_ignore_ascii_case(NULL_IN_KEY) && option.scope.holds(Provider::Sqlite)
            };
            let made = lowered.columns.iter_mut().find(|one| one.name == declared.name.as_str());
            if let Some(made) = made.filter(|_| declared.options.iter().any(says_so)) {
                made.nullable = true;
            }
        }
        let mut key = lowered.primary_key.iter().flat_map(|key| &key.columns);
        if key.any(|part| lowered.column(&part.name).is_some_and(|column| column.generated.is_some())) {
            // SQLite, "Generated Columns", "Limitations".
            lowering.refuse("has no generated columns in a primary key", Place::whole(&table.name, Item::PrimaryKey));
        }
    }
}

/// The option of a column that may be null although it is in the primary key (SQLite, "Quirks, Caveats, and Gotchas",
/// "PRIMARY KEYs Can Sometimes Contain NULLs").
pub(super) const NULL_IN_KEY: &str = "null in key";

/// SQLite, "CREATE TABLE", "Response to constraint violations": what happens to a row that breaks a rule.
fn attribute(on: Attributed, option: &str) -> Option<String> {
    let folded = option.to_ascii_lowercase();
    let is_way = |way: &str| ["rollback", "fail", "ignore", "replace"].contains(&way);
    let known = match on {
        Attributed::Column if folded == NULL_IN_KEY => return Some(String::new()),
        Attributed::Column => {
            folded.strip_prefix("not null on conflict ").is_some_and(is_way)
                || folded.strip_prefix("not null named ").is_some_and(|name| !name.is_empty())
        }
        Attributed::Key => match key_option(option) {
            None => folded.strip_prefix("on conflict ").is_some_and(is_way),
            kept => return kept,
        },
        Attributed::Check => folded.strip_prefix("on conflict ").is_some_and(is_way),
        Attributed::Reference => folded.strip_prefix("match ").is_some(),
        Attributed::Index => false,
    };
    // A name keeps its letter case.
    let kept = if folded.starts_with("not null named ") { format!("not null named {}", &option[15..]) } else { folded };
    known.then_some(kept)
}

fn is_whole_key(lowered: &physical::Table, column: &Column) -> bool {
    let key = lowered.primary_key.as_ref();
    key.is_some_and(|key| key.columns.len() == 1 && key.columns[0].name == column.name.as_str())
}

fn identity(lowering: &mut Lowering<'_, Sqlite>, column: &Column, lowered: &physical::Table, place: &Place) -> bool {
    let Some(identity) = lowering.identity(column) else { return false };
    let place = place.clone().part(Part::Identity);
    if !is_whole_key(lowered, column) {
        lowering.fault(FaultKind::IdentityNotWholeKey(column.name.clone()), place.clone());
    }
    if identity.always {
        let kind = lowering.not_expressible(
            "cannot refuse a value that an insert gives for an identity column",
            "write `identity`, and `identity always for …` for the others",
        );
        lowering.fault(kind, place.clone());
    }
    if identity.from.is_some() || identity.by.is_some() {
        let kind = lowering.not_expressible(
            "has no first number or step for an identity column",
            "write `identity`, and `identity from … for …` for the others",
        );
        lowering.fault(kind, place.clone());
    }
    if lowered.has_option("without rowid") {
        let kind = lowering.not_expressible(
            "numbers rows by their rowid, and this table has none",
            "drop `identity` or the option \"without rowid\"",
        );
        lowering.fault(kind, place);
    }
    true
}

fn column_type(
    lowering: &mut Lowering<'_, Sqlite>,
    column: &Column,
    lowered: &physical::Table,
    place: &Place,
) -> Option<TypeName> {
    let ty = lowering.native_or(column, place, "TEXT", || portable(&column.ty))?;
    let place = place.clone().part(Part::Type);
    // INTEGER PRIMARY KEY would be the rowid, and number rows that give no value; INT does not (SQLite,
    // "CREATE TABLE", "ROWIDs and the INTEGER PRIMARY KEY").
    let would_number = column.ty == Type::Int(32) && column.native.is_empty() && is_whole_key(lowered, column);
    let ty = if would_number { "INT".into() } else { ty };
    if let Type::Decimal(Some((precision, _))) = column.ty
        && precision > EXACT_DIGITS
        && column.native.is_empty()
    {
        lowering.fault(FaultKind::InexactDecimal { column: column.name.clone() }, place.clone());
    }
    let name = TypeName::new(&ty);
    if lowered.has_option("strict") && !STRICT_TYPES.contains(&name.canonical()) {
        let what = format!("allows {} in a strict table, and not {ty}", STRICT_TYPES.join(", "));
        let instead = "add `native \"TEXT\" for sqlite` (or another of them) to the column";
        let kind = lowering.not_expressible(what, instead);
        lowering.fault(kind, place);
    }
    Some(name)
}

/// The checks that stand in for types SQLite does not have.
fn generated_checks(
    lowering: &mut Lowering<'_, Sqlite>,
    table: &Table,
    column: &Column,
    lowered: &mut physical::Table,
) {
    if Scoped::pick(&column.native, Provider::Sqlite).is_some() {
        return;
    }
    let name = column.name.as_str();
    let (kind, text) = match &column.ty {
        Type::Enum(owner) => {
            let words = lowering.schema.enumeration(owner.as_str()).map(|owner| owner.words.as_slice());
            (NameKind::EnumCheck, enum_check(name, words.unwrap_or_default()))
        }
        Type::Json => (NameKind::JsonCheck, json_check(name)),
        _ => return,
    };
    lowered.checks.push(physical::Check {
        name: Some(lowering.name(table, None, &[name], kind)),
        expression: Expression::new(&text),
        attributes: Options::new(),
    });
}

/// What holds of a column of an enum.
pub(super) fn enum_check(column: &str, words: &[Identifier]) -> String {
    let words: Vec<_> = words.iter().map(|word| literal(word.as_str())).collect();
    format!("{} in ({})", quote(column), words.join(", "))
}

/// What holds of a column of JSON.
pub(super) fn json_check(column: &str) -> String {
    format!("json_valid({})", quote(column))
}

/// BINARY is what holds without a collation (SQLite, "Datatypes In SQLite", "Collating Sequences").
pub(super) fn collation(name: &str) -> Option<String> {
    Some(name.to_ascii_uppercase()).filter(|name| name != "BINARY")
}

/// The type table. The names are chosen for their affinity (SQLite, "Datatypes In SQLite", "Determination Of Column
/// Affinity"): a text must never be turned into a number by the column it is stored in.
pub(super) fn portable(ty: &Type) -> Option<String> {
    Some(match ty {
        Type::Bool => "BOOLEAN".into(),
        Type::Int(8) => "TINYINT".into(),
        Type::Int(16) => "SMALLINT".into(),
        Type::Int(32) => "INTEGER".into(),
        Type::Int(_) => "BIGINT".into(),
        Type::Float(32) => "REAL".into(),
        Type::Float(_) => "DOUBLE".into(),
        Type::Decimal(None) => "DECIMAL".into(),
        Type::Decimal(Some((precision, scale))) => format!("DECIMAL({precision},{scale})"),
        Type::Text(None) | Type::Enum(_) => "TEXT".into(),
        Type::Text(Some(length)) => format!("VARCHAR({length})"),
        Type::Char(length) => format!("CHAR({length})"),
        Type::Bytes(_) => "BLOB".into(),
        Type::Date => "DATE".into(),
        Type::Time(_) => "TIME".into(),
        Type::Datetime(_) => "DATETIME".into(),
        Type::Instant(_) => "TIMESTAMP".into(),
        Type::Uuid => "UUID_TEXT".into(),
        Type::Json => "JSON_TEXT".into(),
        Type::Interval | Type::Array(_) | Type::Native => return None,
    })
}

/// A version 4 identifier (RFC 9562) as text.
const NEW_UUID: &str = "lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' \
     || substr('89AB', (random() & 3) + 1, 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))";

pub(super) fn default(value: &Value, ty: &Type) -> Option<Expression> {
    let text = match value {
        Value::Null => return None,
        Value::Number(text) => text.clone(),
        Value::Text(text) => literal(text),
        Value::Bytes(digits) => format!("x'{digits}'"),
        Value::Bool(truth) => truth.to_string(),
        Value::Now if matches!(ty, Type::Time(_)) => "current_time".into(),
        // UTC, to the second (SQLite, "CREATE TABLE", "The DEFAULT clause").
        Value::Now => "current_timestamp".into(),
        Value::Today => "current_date".into(),
        Value::NewUuid => NEW_UUID.into(),
        Value::Word(word) => literal(word.as_str()),
        Value::Expression(text) => text.clone(),
    };
    Some(Expression::new(&text))
}
