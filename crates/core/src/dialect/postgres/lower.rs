//! What PostgreSQL stores for a logical schema.

use super::ddl::{USUAL_PLACE, partitioned};
use super::quote::{literal, quote, quote_object};
use super::sequence::implied_range;
use super::types::{LONGEST_TEXT, portable, type_name};
use super::{FACTS, SYNTAX};
use super::{attributes, catalogue, forms};
use crate::dialect::lowering::{self, Attributed, Formed, Lowering, Storing, typed};
use crate::dialect::{Facts, Lowered};
use crate::physical::{self, EnumType, IndexKey, TypeName, qualified};
use crate::schema::{
    Column, Fault, FaultKind, ForeignKey, Form, Identifier, Index, Item, NullsOrder, Part, Place, Program, Provider,
    Schema, Scoped, Storage, Table, Type, Value,
};
use crate::sql::{Expression, Syntax};

/// Lowers a schema; see [`crate::Dialect::lower`].
pub(in crate::dialect) fn lower(schema: &Schema) -> Result<Lowered, Vec<Fault>> {
    let mut lowered = lowering::lower(&Postgres, schema)?;
    let enums = schema.enums().map(|owner| EnumType {
        name: object(&owner.name),
        words: owner.words.iter().map(Identifier::to_string).collect(),
        comment: owner.about.clone(),
    });
    let mut faults = enum_faults(schema, &lowered.schema);
    faults.extend(namespace_faults(schema));
    lowered.schema = lowered.schema.with_enums(enums);
    if faults.is_empty() {
        return Ok(lowered);
    }
    lowered.warnings.extend(faults);
    Err(lowered.warnings)
}

/// Namespaces that are there anyway.
fn namespace_faults(schema: &Schema) -> Vec<Fault> {
    let is_namespace = |one: &&Program| one.word.as_deref() == Some("namespace") && one.scope.holds(Provider::Postgres);
    let mut faults = Vec::new();
    for one in schema.programs().iter().filter(is_namespace) {
        let name = one.name.as_str();
        let kind = match name {
            // PostgreSQL 17, "Schemas", "The Public Schema".
            "public" => FaultKind::NotExpressible {
                provider: Provider::Postgres,
                what: "has the namespace `public` anyway".to_owned(),
                instead:
                    "take the line out, and `public.` out of the names: a name alone is in the namespace that the \
                          target works in, which is `public` unless its URL says `?namespace=…`"
                        .to_owned(),
            },
            // PostgreSQL 17, "CREATE SCHEMA".
            _ if name.starts_with("pg_") => FaultKind::ReservedName { prefix: "pg_", keeper: "the server" },
            _ => continue,
        };
        faults.push(Fault::new(kind, Place::whole(&one.name, Item::Program).part(Part::Name)));
    }
    faults
}

/// Every table is a type of the same name (PostgreSQL 17, "Composite Types"), and words have a limit.
fn enum_faults(schema: &Schema, lowered: &physical::Schema) -> Vec<Fault> {
    let mut faults = Vec::new();
    for owner in schema.enums() {
        let place = Place::whole(&owner.name, Item::Enum).part(Part::Name);
        if lowered.table(&object(&owner.name)).is_some() {
            let kind = FaultKind::NameTaken { provider: Provider::Postgres, name: owner.name.to_string() };
            let other = Place::whole(&owner.name, Item::Table).part(Part::Name);
            faults.push(Fault::new(kind, place.clone()).with_other(other));
        }
        for name in owner.words.iter().map(Identifier::as_str).chain([owner.name.base()]).filter(|name| name.len() > 63)
        {
            let (provider, name) = (Provider::Postgres, name.to_owned());
            let kind = FaultKind::NameTooLong { provider, name, most: "63 bytes".into() };
            faults.push(Fault::new(kind, place.clone()));
        }
    }
    faults
}

/// The name of a table, type or the like as it is stored.
pub(super) fn object(name: &Identifier) -> String {
    qualified(name.namespace(), name.base())
}

pub(super) struct Postgres;

impl Storing for Postgres {
    fn provider(&self) -> Provider {
        Provider::Postgres
    }

    fn facts(&self) -> Facts {
        FACTS
    }

    fn syntax(&self) -> Syntax {
        SYNTAX
    }

    fn object(&self, name: &Identifier) -> String {
        object(name)
    }

    fn quoted(&self, name: &str) -> String {
        quote(name)
    }

    fn quoted_object(&self, name: &str) -> String {
        quote_object(name)
    }

    fn expression(&self, table: &Table, text: &str) -> Expression {
        lowering::respelled(table, text, SYNTAX, quote, |_| None)
    }

    fn attribute(&self, on: Attributed, option: &str) -> Option<String> {
        attributes::known(on, option)
    }

    // PostgreSQL 17, "CREATE SCHEMA": names that begin with "pg_" are for its own use.
    fn reserved(&self) -> &'static [(&'static str, &'static str)] {
        &[("hollow_oak_", "oak's own tables")]
    }

    fn option(&self, lowering: &mut Lowering<'_, Self>, option: &str, table: &mut physical::Table, place: Place) {
        let folded = option.to_ascii_lowercase();
        // Names in it keep their letter case.
        // What holds anyway (PostgreSQL 17, "CREATE TABLE", USING; "ALTER TABLE", REPLICA IDENTITY).
        let is_usual_place = folded.strip_prefix("tablespace ").is_some_and(|name| name.trim() == USUAL_PLACE);
        if matches!(folded.as_str(), "using heap" | "replica identity default") || is_usual_place {
            return;
        }
        if let Some(told) = partitioned(option) {
            table.options.insert(told);
            return;
        }
        for word in ["inherits (", "partition by ", "using ", "tablespace ", "replica identity ", "of "] {
            if folded.starts_with(word) {
                table.options.insert(format!("{word}{}", &option[word.len()..]));
                return;
            }
        }
        // PostgreSQL 17, "CREATE TABLE": UNLOGGED, and storage parameters in a WITH clause.
        if folded == "unlogged" || folded.split_once('=').is_some_and(|(name, _)| is_parameter(name.trim())) {
            let written: Vec<_> = folded.split('=').map(|one| one.trim().trim_matches('\'')).collect();
            table.options.insert(written.join("="));
            return;
        }
        let kind = FaultKind::UnknownOption {
            provider: Provider::Postgres,
            option: option.to_owned(),
            nearest: None,
            known: "\"unlogged\" and storage parameters such as \"fillfactor=70\"",
        };
        lowering.fault(kind, place);
    }

    fn column(
        &self,
        lowering: &mut Lowering<'_, Self>,
        _: &Table,
        column: &Column,
        _: &mut physical::Table,
        place: &Place,
    ) -> physical::Column {
        if column.on_update_now.as_ref().is_some_and(|scope| scope.holds(Provider::Postgres)) {
            let kind = lowering.not_expressible(
                "has no `on update now`",
                "write `on update now except postgres`, and set the column in the application or a trigger",
            );
            lowering.fault(kind, place.clone().part(Part::OnUpdate));
        }
        if Scoped::pick(&column.generated, Provider::Postgres).is_some_and(|one| one.storage == Storage::Virtual) {
            // PostgreSQL 18, "Generated Columns"; 13 to 17 have none.
            let kind = FaultKind::NeedsVersion {
                provider: Provider::Postgres,
                what: "virtual generated columns",
                version: 18,
                instead: "write `generated (…)`, which stores the value",
            };
            lowering.fault(kind, place.clone().part(Part::Expression));
        }
        let ty = column_type(lowering, column, place);
        let mut made = typed(column, ty);
        made.identity = lowering.identity(column).cloned().map(Box::new);
        if column.ty == Type::Int(8) && made.identity.is_some() {
            // Its smallest integer type.
            made.ty = type_name("smallint");
        }
        let says_range = |one: &Scoped<String>| {
            one.scope.holds(Provider::Postgres)
                && one.value.to_ascii_lowercase().starts_with(attributes::IDENTITY_RANGE)
        };
        if !column.options.iter().any(says_range) {
            made.attributes.extend(implied_range(&made));
        }
        made
    }

    fn form(&self, name: &str, form: &Form) -> Result<Formed, &'static str> {
        Ok(forms::formed(name, form))
    }

    fn default(&self, _: &Table, column: &Column, value: &Value) -> Option<Expression> {
        if let Value::Expression(text) = value
            && let Some(ty) = Scoped::pick(&column.native, Provider::Postgres).cloned().or_else(|| portable(&column.ty))
        {
            return Some(catalogue::default(text, &type_name(&ty)));
        }
        let text = match value {
            Value::Null => return None,
            Value::Number(text) => text.clone(),
            Value::Text(text) => literal(text),
            // PostgreSQL 17, "Binary Data Types", "bytea Hex Format".
            Value::Bytes(digits) => literal(&format!("\\x{digits}")),
            Value::Bool(truth) => truth.to_string(),
            Value::Now => match &column.ty {
                Type::Time(Some(digits)) if *digits < 6 => format!("localtime({digits})"),
                Type::Time(_) => "localtime".into(),
                Type::Datetime(_) => "(current_timestamp at time zone 'utc')".into(),
                _ => "current_timestamp".into(),
            },
            Value::Today => "current_date".into(),
            // PostgreSQL 13 and later have it without an extension ("UUID Functions").
            Value::NewUuid => "gen_random_uuid()".into(),
            Value::Word(word) => literal(word.as_str()),
            Value::Expression(text) => text.clone(),
        };
        Some(Expression::read(&text, SYNTAX))
    }

    fn collation(&self, name: &str) -> Option<String> {
        Some(name.to_owned()).filter(|name| name != "default")
    }

    fn no_type(&self, native: &str) -> Option<(String, String)> {
        super::types::no_type(native)
    }

    fn lacks_collation(&self, ty: &TypeName) -> bool {
        super::types::lacks_collation(ty)
    }

    fn usual_collation(&self) -> String {
        "default".into()
    }

    fn index(&self, lowering: &mut Lowering<'_, Self>, index: &Index, made: &mut physical::Index, place: &Place) {
        for (at, (part, made)) in index.parts.iter().zip(&mut made.parts).enumerate() {
            if part.prefix.is_some() {
                let place = place.clone().part(Part::Element(at));
                let instead = "index an expression instead: `index ((left(name, 100)))`, or say `except postgres`";
                let kind = lowering.not_expressible("has no prefix lengths in indexes", instead);
                lowering.fault(kind, place);
            }
            made.operators.clone_from(&part.operators);
            // PostgreSQL 17, "Indexes and ORDER BY": nulls are last ascending, and first descending.
            let default = if part.descending { NullsOrder::First } else { NullsOrder::Last };
            made.nulls = part.nulls.filter(|nulls| *nulls != default);
        }
        made.including = index.including.iter().map(Identifier::to_string).collect();
        let method = index.method.as_deref().map(str::to_ascii_lowercase).map(taken_method);
        // An extension may bring others, but none of these names, which are MariaDB's.
        if let Some(method) = method.as_deref().filter(|method| ["fulltext", "spatial"].contains(method)) {
            lowering.refuse(format!("has no index method {method}"), place.clone());
        }
        if let Some(method) = method.as_deref()
            && method != "btree"
        {
            let ordered = |part: &physical::IndexPart| part.descending || part.nulls.is_some();
            if made.parts.iter().any(ordered) {
                lowering.refuse(format!("keeps no order in an index of method {method}"), place.clone());
            }
            if index.unique {
                lowering.refuse(format!("has no unique indexes of method {method}"), place.clone());
            }
        }
        made.method = method.filter(|method| method != "btree");
        debug_assert!(made.parts.iter().all(|part| !matches!(&part.key, IndexKey::Column(name) if name.is_empty())));
    }

    // PostgreSQL 15 and later ("CREATE TABLE", NULLS NOT DISTINCT).
    fn nulls_equal(&self) -> Result<&'static str, &'static str> {
        Ok("nulls not distinct")
    }

    fn reference(&self, lowering: &mut Lowering<'_, Self>, table: &Table, key: &ForeignKey, place: &Place) {
        lowering.refuse_changes_of_computed(table, key, place.clone());
    }

    fn finish(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table) {
        computed_from_computed(lowering, table, lowered);
        for column in &mut lowered.columns {
            let usual = column.attributes.iter().find(|one| attributes::is_usual_storage(one, &column.ty)).cloned();
            if let Some(usual) = usual {
                column.attributes.remove(&usual);
            }
        }
        // PostgreSQL 17, "Constraints", "Primary Keys": its columns are not null.
        let key: Vec<String> =
            lowered.primary_key.iter().flat_map(|key| &key.columns).map(|column| column.name.clone()).collect();
        for column in lowered.columns.iter_mut().filter(|column| key.contains(&column.name)) {
            column.nullable = false;
        }
    }
}

/// PostgreSQL 17, "Generated Columns": what computes one cannot read another.
fn computed_from_computed(lowering: &mut Lowering<'_, Postgres>, table: &Table, lowered: &physical::Table) {
    let computed: Vec<(&str, &Expression)> = lowered
        .columns
        .iter()
        .filter_map(|column| Some((&*column.name, &column.generated.as_ref()?.expression)))
        .collect();
    for (name, expression) in &computed {
        let read = expression.columns();
        let is_read =
            |other: &str| expression.is_parsed() && other != *name && read.iter().any(|one| one.name == other);
        let Some((other, _)) = computed.iter().find(|(other, _)| is_read(other)) else { continue };
        let Some(at) = table.columns.iter().position(|column| column.name.as_str() == *name) else { continue };
        let what = format!("computes nothing from a generated column, and `{other}` is one");
        let instead = format!("write what `{other}` is computed from in its place");
        let kind = lowering.not_expressible(what, instead);
        lowering.fault(kind, Place::whole(&table.name, Item::Column(at)).part(Part::Expression));
    }
}

/// PostgreSQL 17, "CREATE TABLE", "Storage Parameters": words of letters and underscores, `toast.` before some.
fn is_parameter(name: &str) -> bool {
    let name = name.strip_prefix("toast.").unwrap_or(name);
    name == "fillfactor"
        || name == "parallel_workers"
        || name == "toast_tuple_target"
        || name == "user_catalog_table"
        || name == "vacuum_truncate"
        || name == "vacuum_index_cleanup"
        || name.starts_with("autovacuum_")
        || name.starts_with("log_autovacuum_")
}

fn column_type(lowering: &mut Lowering<'_, Postgres>, column: &Column, place: &Place) -> Option<TypeName> {
    let ty = lowering.native_or(column, place, "text", || portable(&column.ty))?;
    if Scoped::pick(&column.native, Provider::Postgres).is_none() {
        limits(lowering, &column.ty, &place.clone().part(Part::Type));
    }
    Some(type_name(&ty))
}

fn limits(lowering: &mut Lowering<'_, Postgres>, ty: &Type, place: &Place) {
    match ty {
        Type::Time(Some(7..)) | Type::Datetime(Some(7..)) | Type::Instant(Some(7..)) => {
            let kind = lowering.not_expressible("keeps at most 6 digits of a second", "write 6, or leave it out");
            lowering.fault(kind, place.clone());
        }
        Type::Text(Some(length)) | Type::Char(length) if *length > LONGEST_TEXT => {
            let what = format!("has no bounded text longer than {LONGEST_TEXT} characters");
            let kind = lowering.not_expressible(what, "write `text`, which is unbounded");
            lowering.fault(kind, place.clone());
        }
        // PostgreSQL 17, "Arbitrary Precision Numbers".
        Type::Decimal(Some((1001.., _))) => {
            let kind = lowering.not_expressible("has no decimal of more than 1000 digits", "write `decimal` alone");
            lowering.fault(kind, place.clone());
        }
        Type::Array(element) => limits(lowering, element, place),
        _ => {}
    }
}

/// The access method that the server takes for a name: `rtree` went with version 8.2, and is made as `gist` since, with a
/// notice ("CREATE INDEX", and its release notes).
pub(super) fn taken_method(name: String) -> String {
    if name == "rtree" { "gist".to_owned() } else { name }
}
