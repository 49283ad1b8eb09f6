//! What SQLite stores for a logical schema.

use std::collections::{BTreeMap, BTreeSet};

use super::quote::{literal, quote};
use super::{FACTS, rowid_alias};
use crate::dialect::Lowered;
use crate::dialect::naming::{NameKind, derived_name};
use crate::nearest::nearest;
use crate::physical::{self, Origin, TypeName, fold};
use crate::schema::{
    Column, Fault, FaultKind, ForeignKey, Identifier, Index, Item, KeyPart, Part, Place, Provider, Schema, Scope,
    Scoped, Table, Type, Value, is_key,
};
use crate::sql::Expression;

const HERE: Provider = Provider::Sqlite;

/// The storage options a table may have.
const OPTIONS: [&str; 3] = ["strict", "without rowid", "autoincrement"];

// SQLite, "STRICT Tables": every column's type is one of these.
const STRICT_TYPES: [&str; 6] = ["INT", "INTEGER", "REAL", "TEXT", "BLOB", "ANY"];

/// Decimal digits that survive in a double, `DBL_DIG` of IEEE 754; SQLite keeps a DECIMAL as one where it is not whole
/// (SQLite, "Datatypes In SQLite", "Type Affinity").
const EXACT_DIGITS: u32 = 15;

/// Lowers a schema; see [`crate::Dialect::lower`].
pub(in crate::dialect) fn lower(schema: &Schema) -> Result<Lowered, Vec<Fault>> {
    let mut lowering = Lowering { schema, faults: Vec::new(), names: BTreeMap::new() };
    for table in schema.tables().filter(|table| table.scope.holds(HERE)) {
        let place = Place::whole(&table.name, Item::Table).part(Part::Name);
        lowering.reserved(table.name.as_str(), &place);
        lowering.take_name(table.name.as_str(), place);
    }
    let tables: Vec<_> =
        schema.tables().filter(|table| table.scope.holds(HERE)).map(|table| lowering.table(table)).collect();
    if lowering.faults.iter().any(Fault::is_error) {
        return Err(lowering.faults);
    }
    Ok(Lowered { schema: physical::Schema::new(tables), warnings: lowering.faults })
}

struct Lowering<'a> {
    schema: &'a Schema,
    faults: Vec<Fault>,
    /// Tables and indexes share one space of names, letter case aside.
    names: BTreeMap<String, Place>,
}

/// A fault for something SQLite has no place for.
fn not_expressible(what: impl Into<String>, instead: impl Into<String>) -> FaultKind {
    FaultKind::NotExpressible { provider: HERE, what: what.into(), instead: instead.into() }
}

const LEAVE_OUT: &str = "take it out, or say `except sqlite` at the end of the item";

impl<'a> Lowering<'a> {
    fn fault(&mut self, kind: FaultKind, place: Place) {
        self.faults.push(Fault::new(kind, place));
    }

    fn reserved(&mut self, name: &str, place: &Place) {
        // SQLite, "CREATE TABLE": names that begin with "sqlite_" are for its own use.
        for (prefix, keeper) in [("sqlite_", "SQLite's own tables"), ("hollow_oak_", "oak's own tables")] {
            if fold(name).starts_with(prefix) {
                self.fault(FaultKind::ReservedName { prefix, keeper }, place.clone());
            }
        }
    }

    fn take_name(&mut self, name: &str, place: Place) {
        match self.names.get(&fold(name)) {
            Some(first) => {
                let kind = FaultKind::NameTaken { provider: HERE, name: name.to_owned() };
                let fault = Fault::new(kind, place).with_other(first.clone());
                self.faults.push(fault);
            }
            None => {
                self.names.insert(fold(name), place);
            }
        }
    }

    fn table(&mut self, table: &'a Table) -> physical::Table {
        let mut lowered = physical::Table::new(table.name.as_str());
        self.options(table, &mut lowered);
        let key = table.primary_keys.iter().find(|key| key.scope.holds(HERE));
        lowered.primary_key = key.map(|key| physical::PrimaryKey {
            name: Some(self.name(table, key.name.as_ref(), &[], NameKind::PrimaryKey)),
            columns: key_columns(&key.columns),
            attributes: BTreeSet::new(),
        });
        if let Some(key) = key {
            self.present(table, &key.columns, &Place::whole(&table.name, Item::PrimaryKey));
        }
        self.columns(table, &mut lowered);
        self.uniques(table, &mut lowered);
        self.foreign_keys(table, &mut lowered);
        self.checks(table, &mut lowered);
        self.indexes(table, &mut lowered);
        self.constraint_names(table, &lowered);
        self.whole_table(table, &mut lowered);
        lowered
    }

    fn options(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, option) in table.options.iter().enumerate() {
            if !option.scope.holds(HERE) {
                continue;
            }
            let folded = option.value.to_ascii_lowercase();
            if OPTIONS.contains(&folded.as_str()) {
                lowered.options.insert(folded);
            } else {
                let kind = FaultKind::UnknownOption {
                    provider: HERE,
                    option: option.value.clone(),
                    nearest: nearest(&folded, OPTIONS),
                };
                self.fault(kind, Place::whole(&table.name, Item::Option(at)));
            }
        }
    }

    fn name(&self, table: &Table, declared: Option<&Identifier>, columns: &[&str], kind: NameKind) -> String {
        match declared {
            Some(name) => name.to_string(),
            None => derived_name(table.name.as_str(), columns.iter().copied(), kind, FACTS.identifier_limit),
        }
    }

    /// Whether every column of a list is there on SQLite.
    fn present(&mut self, table: &Table, columns: &[Identifier], place: &Place) {
        for (at, name) in columns.iter().enumerate() {
            let hidden = table.column(name).is_some_and(|column| !column.scope.holds(HERE));
            if hidden {
                let what = format!("has no column `{name}` in table `{}`, by the column's own words", table.name);
                let part = if place.part == Part::Whole { Part::Element(at) } else { place.part.clone() };
                self.fault(not_expressible(what, LEAVE_OUT), place.clone().part(part));
            }
        }
    }

    /// Whether every column that an expression names is there on SQLite.
    fn present_in(&mut self, table: &Table, text: &str, place: &Place) {
        if table.columns.iter().all(|column| column.scope == Scope::All) {
            return;
        }
        let hidden: Vec<Identifier> = Expression::new(text)
            .columns()
            .iter()
            .filter_map(|reference| table.columns.iter().find(|column| column.name.as_str() == reference.name))
            .filter(|column| !column.scope.holds(HERE))
            .map(|column| column.name.clone())
            .collect();
        self.present(table, &hidden, &place.clone().part(Part::Expression));
    }

    // ---- columns ------------------------------------------------------------------------------------------------

    fn columns(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, column) in table.columns.iter().enumerate() {
            if !column.scope.holds(HERE) {
                continue;
            }
            let place = Place::whole(&table.name, Item::Column(at));
            let is_identity = self.identity(table, column, lowered, &place);
            let ty = if is_identity {
                Some(TypeName::new("INTEGER"))
            } else {
                self.column_type(table, column, lowered, &place)
            };
            if let Some(generated) = Scoped::pick(&column.generated, HERE) {
                self.present_in(table, &generated.expression, &place);
            }
            let generated = Scoped::pick(&column.generated, HERE).map(|generated| physical::Generated {
                expression: Expression::new(&generated.expression),
                storage: generated.storage,
            });
            if column.on_update_now.as_ref().is_some_and(|scope| scope.holds(HERE)) {
                let kind = not_expressible(
                    "has no `on update now`",
                    "write `on update now except sqlite`, and set the column in the application or a trigger",
                );
                self.fault(kind, place.clone().part(Part::OnUpdate));
            }
            lowered.columns.push(physical::Column {
                name: column.name.to_string(),
                ty: ty.unwrap_or_else(|| TypeName::new("")),
                declared_type: Origin(Some(declared_type(column))),
                nullable: column.nullable,
                default: Scoped::pick(&column.default, HERE).and_then(|value| default(value, &column.ty)),
                generated,
                collation: Scoped::pick(&column.collate, HERE).and_then(|name| collation(name)),
                attributes: BTreeSet::new(),
            });
            self.generated_checks(table, column, lowered);
        }
    }

    fn identity(&mut self, table: &Table, column: &Column, lowered: &physical::Table, place: &Place) -> bool {
        let Some(identity) = Scoped::pick(&column.identity, HERE) else { return false };
        let place = place.clone().part(Part::Identity);
        let whole_key = lowered
            .primary_key
            .as_ref()
            .is_some_and(|key| key.columns.len() == 1 && key.columns[0].name == column.name.as_str());
        if !whole_key {
            self.fault(FaultKind::IdentityNotWholeKey(column.name.clone()), place.clone());
        }
        if identity.always {
            let what = "cannot refuse a value that an insert gives for an identity column";
            self.fault(
                not_expressible(what, "write `identity`, and `identity always for …` for the others"),
                place.clone(),
            );
        }
        if identity.from.is_some() || identity.by.is_some() {
            let what = "has no first number or step for an identity column";
            self.fault(
                not_expressible(what, "write `identity`, and `identity from … for …` for the others"),
                place.clone(),
            );
        }
        if lowered.has_option("without rowid") {
            let kind = not_expressible(
                "numbers rows by their rowid, and this table has none",
                "drop `identity` or the option \"without rowid\"",
            );
            self.fault(kind, place);
        }
        debug_assert!(table.column(&column.name).is_some());
        true
    }

    fn column_type(
        &mut self,
        table: &Table,
        column: &Column,
        lowered: &physical::Table,
        place: &Place,
    ) -> Option<TypeName> {
        let place = place.clone().part(Part::Type);
        let ty = match Scoped::pick(&column.native, HERE) {
            Some(native) => native.clone(),
            None => match portable(&column.ty) {
                Ok(ty) => ty,
                Err(Unstorable::NoNative) => {
                    self.fault(FaultKind::NoNativeType { column: column.name.clone(), provider: HERE }, place);
                    return None;
                }
                Err(Unstorable::NoSuchType) => {
                    let what = format!("has no type for {}", column.ty);
                    let instead = "add `native \"TEXT\" for sqlite` to the column, or say `except sqlite` at its end";
                    self.fault(not_expressible(what, instead), place);
                    return None;
                }
            },
        };
        // INTEGER PRIMARY KEY would be the rowid, and number rows that give no value; INT does not (SQLite,
        // "CREATE TABLE", "ROWIDs and the INTEGER PRIMARY KEY").
        let sole_key = lowered
            .primary_key
            .as_ref()
            .is_some_and(|key| key.columns.len() == 1 && key.columns[0].name == column.name.as_str());
        let ty = if column.ty == Type::Int(32) && column.native.is_empty() && sole_key { "INT".into() } else { ty };
        if let Type::Decimal(Some((precision, _))) = column.ty
            && precision > EXACT_DIGITS
            && column.native.is_empty()
        {
            self.fault(FaultKind::InexactDecimal { column: column.name.clone() }, place.clone());
        }
        let name = TypeName::new(&ty);
        if lowered.has_option("strict") && !STRICT_TYPES.contains(&name.canonical()) {
            let what = format!("allows {} in a strict table, and not {ty}", STRICT_TYPES.join(", "));
            let instead = "add `native \"TEXT\" for sqlite` (or another of them) to the column";
            self.fault(not_expressible(what, instead), place);
        }
        debug_assert!(table.column(&column.name).is_some());
        Some(name)
    }

    /// The checks that stand in for types SQLite does not have.
    fn generated_checks(&mut self, table: &Table, column: &Column, lowered: &mut physical::Table) {
        if Scoped::pick(&column.native, HERE).is_some() {
            return;
        }
        let name = column.name.as_str();
        let (kind, text) = match &column.ty {
            Type::Enum(owner) => {
                let words = self.schema.enumeration(owner.as_str()).map(|owner| owner.words.as_slice());
                let words: Vec<_> = words.unwrap_or_default().iter().map(|word| literal(word.as_str())).collect();
                (NameKind::EnumCheck, format!("{} in ({})", quote(name), words.join(", ")))
            }
            Type::Json => (NameKind::JsonCheck, format!("json_valid({})", quote(name))),
            _ => return,
        };
        lowered.checks.push(physical::Check {
            name: Some(self.name(table, None, &[name], kind)),
            expression: Expression::new(&text),
            attributes: BTreeSet::new(),
        });
    }

    // ---- keys and indexes ---------------------------------------------------------------------------------------

    fn uniques(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, unique) in table.uniques.iter().enumerate() {
            if !unique.scope.holds(HERE) {
                continue;
            }
            let place = Place::whole(&table.name, Item::Unique(at));
            if unique.nulls_equal {
                let what = "never takes two nulls for equal in a unique constraint";
                self.fault(not_expressible(what, LEAVE_OUT), place.clone());
            }
            self.present(table, &unique.columns, &place);
            let columns: Vec<_> = unique.columns.iter().map(Identifier::as_str).collect();
            lowered.uniques.push(physical::Unique {
                name: Some(self.name(table, unique.name.as_ref(), &columns, NameKind::Unique)),
                columns: key_columns(&unique.columns),
                attributes: BTreeSet::new(),
            });
        }
    }

    fn foreign_keys(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, key) in table.foreign_keys.iter().enumerate() {
            if !key.scope.holds(HERE) {
                continue;
            }
            let place = Place::whole(&table.name, Item::ForeignKey(at));
            self.present(table, &key.columns, &place);
            let referenced = self.schema.table(key.referenced_table.as_str()).filter(|other| other.scope.holds(HERE));
            match referenced {
                None => {
                    let what = format!("has no table `{}`, by the table's own words", key.referenced_table);
                    self.fault(not_expressible(what, LEAVE_OUT), place.part(Part::ReferencedTable));
                }
                // SQLite, "Foreign Key Support", "Required and Suggested Database Indexes".
                Some(other) if !is_key(other, &key.referenced_columns, |scope| scope.holds(HERE)) => {
                    let what = format!("has no such key in table `{}`, by the key's own words", other.name);
                    self.fault(not_expressible(what, LEAVE_OUT), place.part(Part::ReferencedTable));
                }
                Some(_) => {}
            }
            lowered.foreign_keys.push(self.foreign_key(table, key));
        }
    }

    fn foreign_key(&self, table: &Table, key: &ForeignKey) -> physical::ForeignKey {
        let columns: Vec<_> = key.columns.iter().map(Identifier::as_str).collect();
        let owned = |names: &[Identifier]| names.iter().map(Identifier::to_string).collect();
        physical::ForeignKey {
            name: Some(self.name(table, key.name.as_ref(), &columns, NameKind::ForeignKey)),
            columns: owned(&key.columns),
            referenced_table: key.referenced_table.to_string(),
            referenced_columns: owned(&key.referenced_columns),
            on_delete: key.on_delete,
            on_update: key.on_update,
            deferrable: key.deferrable,
            attributes: BTreeSet::new(),
        }
    }

    fn checks(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, check) in table.checks.iter().enumerate().filter(|(_, check)| check.scope.holds(HERE)) {
            self.present_in(table, &check.expression, &Place::whole(&table.name, Item::Check(at)));
            let expression = Expression::new(&check.expression);
            let columns = mentioned(lowered, &expression);
            let columns: Vec<_> = columns.iter().map(String::as_str).collect();
            lowered.checks.push(physical::Check {
                name: Some(self.name(table, check.name.as_ref(), &columns, NameKind::Check)),
                expression,
                attributes: BTreeSet::new(),
            });
        }
    }

    fn indexes(&mut self, table: &Table, lowered: &mut physical::Table) {
        for (at, index) in table.indexes.iter().enumerate() {
            if !index.scope.holds(HERE) {
                continue;
            }
            let place = Place::whole(&table.name, Item::Index(at));
            self.index_limits(index, &place);
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
            let parts: Vec<_> = index
                .parts
                .iter()
                .map(|part| physical::IndexPart {
                    key: match &part.key {
                        KeyPart::Column(name) => physical::IndexKey::Column(name.to_string()),
                        KeyPart::Expression(text) => super::index_key(text),
                    },
                    collation: part.collate.as_deref().and_then(collation),
                    descending: part.descending,
                })
                .collect();
            let mut columns = Vec::new();
            for part in &parts {
                match &part.key {
                    physical::IndexKey::Column(name) => columns.push(name.clone()),
                    physical::IndexKey::Expression(expression) => columns.extend(mentioned(lowered, expression)),
                }
            }
            let columns: Vec<_> = columns.iter().map(String::as_str).collect();
            let name = self.name(table, index.name.as_ref(), &columns, NameKind::Index);
            self.reserved(&name, &place);
            self.take_name(&name, place);
            lowered.indexes.push(physical::Index {
                name,
                unique: index.unique,
                parts,
                predicate: index.predicate.as_deref().map(Expression::new),
            });
        }
        for (at, key) in table.foreign_keys.iter().enumerate() {
            if !key.indexed || !key.scope.holds(HERE) {
                continue;
            }
            let columns: Vec<_> = key.columns.iter().map(Identifier::as_str).collect();
            let name = self.name(table, None, &columns, NameKind::Index);
            self.take_name(&name, Place::whole(&table.name, Item::ForeignKey(at)));
            let part = |name: &Identifier| physical::IndexPart {
                key: physical::IndexKey::Column(name.to_string()),
                collation: None,
                descending: false,
            };
            let parts = key.columns.iter().map(part).collect();
            lowered.indexes.push(physical::Index { name, unique: false, parts, predicate: None });
        }
    }

    fn index_limits(&mut self, index: &Index, place: &Place) {
        for (at, part) in index.parts.iter().enumerate() {
            let mut refuse = |said: bool, what: &str| {
                if said {
                    self.faults
                        .push(Fault::new(not_expressible(what, LEAVE_OUT), place.clone().part(Part::Element(at))));
                }
            };
            refuse(part.prefix.is_some(), "has no prefix lengths in indexes");
            refuse(part.operators.is_some(), "has no operator classes");
            refuse(part.nulls.is_some(), "cannot place nulls in an index");
        }
        if !index.including.is_empty() {
            self.fault(not_expressible("has no included columns in indexes", LEAVE_OUT), place.clone());
        }
        if index.method.is_some() {
            self.fault(not_expressible("has no access methods", LEAVE_OUT), place.clone());
        }
    }

    /// Constraint names are unique within a table, so that a change of one can be told from another.
    fn constraint_names(&mut self, table: &Table, lowered: &physical::Table) {
        let mut seen = BTreeSet::new();
        let key = lowered.primary_key.iter().map(|key| (&key.name, Item::PrimaryKey));
        let on_sqlite = |holds: Vec<bool>| -> Vec<usize> {
            holds.into_iter().enumerate().filter(|(_, holds)| *holds).map(|(at, _)| at).collect()
        };
        let uniques = on_sqlite(table.uniques.iter().map(|one| one.scope.holds(HERE)).collect());
        let foreign = on_sqlite(table.foreign_keys.iter().map(|one| one.scope.holds(HERE)).collect());
        let checks = on_sqlite(table.checks.iter().map(|one| one.scope.holds(HERE)).collect());
        let made = lowered.checks.len() - checks.len();
        let names = key
            .chain(lowered.uniques.iter().zip(uniques).map(|(one, at)| (&one.name, Item::Unique(at))))
            .chain(lowered.foreign_keys.iter().zip(foreign).map(|(one, at)| (&one.name, Item::ForeignKey(at))))
            .chain(lowered.checks[..made].iter().map(|one| (&one.name, Item::Table)))
            .chain(lowered.checks[made..].iter().zip(checks).map(|(one, at)| (&one.name, Item::Check(at))));
        for (name, item) in names {
            let Some(name) = name else { continue };
            if !seen.insert(fold(name)) {
                let kind = FaultKind::NameTaken { provider: HERE, name: name.clone() };
                self.faults.push(Fault::new(kind, Place::whole(&table.name, item)));
            }
        }
    }

    /// What only shows once the whole table is there.
    fn whole_table(&mut self, table: &Table, lowered: &mut physical::Table) {
        let place = Place::whole(&table.name, Item::Table).part(Part::Name);
        let mut seen = BTreeSet::new();
        for (at, column) in table.columns.iter().enumerate() {
            if column.scope.holds(HERE) && !seen.insert(fold(column.name.as_str())) {
                let kind = FaultKind::NameTaken { provider: HERE, name: column.name.to_string() };
                self.fault(kind, Place::whole(&table.name, Item::Column(at)).part(Part::Name));
            }
        }
        if lowered.columns.iter().all(|column| column.generated.is_some()) {
            let what = "needs at least one column that is not generated";
            self.fault(not_expressible(what, "add a column, or say `except sqlite` behind the table"), place.clone());
        }
        let alias = rowid_alias(lowered).map(str::to_owned);
        if lowered.has_option("without rowid") && lowered.primary_key.is_none() {
            let what = "needs a primary key in a table without rowid";
            self.fault(not_expressible(what, "add `primary key (…)`"), place.clone());
        }
        if lowered.has_option("autoincrement") && alias.is_none() {
            let what = "has autoincrement only for an identity column";
            self.fault(not_expressible(what, "add `identity` to the primary key, or drop the option"), place);
        }
        for column in &mut lowered.columns {
            if Some(&column.name) == alias.as_ref() {
                column.nullable = false;
            }
        }
        self.generated_keys(table, lowered);
    }

    fn generated_keys(&mut self, table: &Table, lowered: &physical::Table) {
        let key = lowered.primary_key.iter().flat_map(|key| &key.columns);
        let generated: Vec<_> =
            key.filter(|part| lowered.column(&part.name).is_some_and(|column| column.generated.is_some())).collect();
        if !generated.is_empty() {
            // SQLite, "Generated Columns", "Limitations".
            let kind = not_expressible("has no generated columns in a primary key", LEAVE_OUT);
            self.fault(kind, Place::whole(&table.name, Item::PrimaryKey));
        }
    }
}

fn key_columns(columns: &[Identifier]) -> Vec<physical::KeyColumn> {
    columns.iter().map(|name| physical::KeyColumn::new(name.as_str())).collect()
}

/// Names of the table's columns that an expression mentions, each once, in order.
fn mentioned(table: &physical::Table, expression: &Expression) -> Vec<String> {
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

/// BINARY is what holds without a collation (SQLite, "Datatypes In SQLite", "Collating Sequences").
pub(super) fn collation(name: &str) -> Option<String> {
    Some(name.to_ascii_uppercase()).filter(|name| name != "BINARY")
}

fn declared_type(column: &Column) -> String {
    match Scoped::pick(&column.native, HERE) {
        Some(native) => native.clone(),
        None => column.ty.to_string(),
    }
}

enum Unstorable {
    NoSuchType,
    NoNative,
}

/// The type table. The names are chosen for their affinity (SQLite, "Datatypes In SQLite", "Determination Of Column
/// Affinity"): a text must never be turned into a number by the column it is stored in.
fn portable(ty: &Type) -> Result<String, Unstorable> {
    Ok(match ty {
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
        Type::Interval | Type::Array(_) => return Err(Unstorable::NoSuchType),
        Type::Native => return Err(Unstorable::NoNative),
    })
}

/// A version 4 identifier (RFC 9562) as text.
const NEW_UUID: &str = "lower(hex(randomblob(4)) || '-' || hex(randomblob(2)) || '-4' || substr(hex(randomblob(2)), 2) || '-' \
     || substr('89AB', (random() & 3) + 1, 1) || substr(hex(randomblob(2)), 2) || '-' || hex(randomblob(6)))";

fn default(value: &Value, ty: &Type) -> Option<Expression> {
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
