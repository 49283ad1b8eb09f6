//! The catalogue of a PostgreSQL database as a physical schema.
//!
//! The rows are what the database crate's queries give; which column of `pg_catalog` each comes from is said there.

use std::collections::BTreeMap;

use super::quote::{quote, quote_object};
use super::render::sequence_name;
use super::types::{Family, family, type_name};
use super::{FACTS, SYNTAX, wording};
use crate::dialect::Dialect;
pub use crate::dialect::others::OtherRow;
use crate::dialect::others::told_apart;
use crate::physical::{
    Check, Column, EnumType, ForeignKey, Generated, Index, IndexKey, IndexPart, Introspected, KeyColumn, Noted,
    ObjectKind, Options, PrimaryKey, Program, Schema, Table, TypeName, Unique, Unmanaged, qualified,
};
use crate::schema::{Action, Deferrable, Identity, NullsOrder, Storage};
use crate::sql::{Expression, TokenKind, unquote};

/// Rows of the catalogue, one list a kind of object.
#[derive(Clone, Debug, Default)]
pub struct Catalogue {
    /// Ordinary tables.
    pub tables: Vec<TableRow>,
    /// Their columns, in order.
    pub columns: Vec<ColumnRow>,
    /// Their constraints.
    pub constraints: Vec<ConstraintRow>,
    /// Their indexes, those of constraints aside.
    pub indexes: Vec<IndexRow>,
    /// Words of enum types, in order: type, word, description of the type.
    pub words: Vec<WordRow>,
    /// Sequences, those inside identity columns aside.
    pub sequences: Vec<SequenceRow>,
    /// Everything else.
    pub others: Vec<OtherRow>,
}

/// A sequence.
#[derive(Clone, Debug, Default)]
pub struct SequenceRow {
    /// Its name.
    pub name: String,
    /// The type of its numbers.
    pub ty: String,
    /// The first number.
    pub start: i64,
    /// The step.
    pub step: i64,
    /// The least number.
    pub least: i64,
    /// The greatest number.
    pub most: i64,
    /// How many numbers a session takes at once.
    pub cache: i64,
    /// Whether it begins again after the last.
    pub cycles: bool,
    /// Whether it is lost in a crash.
    pub unlogged: bool,
    /// The table and column that it goes with.
    pub owner: Option<(u32, i16)>,
    /// Its description.
    pub comment: Option<String>,
}

/// A table.
#[derive(Clone, Debug, Default)]
pub struct TableRow {
    /// Its object identifier.
    pub oid: u32,
    /// Its name.
    pub name: String,
    /// `p` permanent, `u` unlogged.
    pub persistence: char,
    /// Storage parameters, `name=value`.
    pub parameters: Vec<String>,
    /// What else is not as usual, in words: another access method, tablespace, row security.
    pub peculiarities: Vec<String>,
    /// Its description.
    pub comment: Option<String>,
}

/// A column.
#[derive(Clone, Debug, Default)]
pub struct ColumnRow {
    /// Its table.
    pub table: u32,
    /// Its number in the table.
    pub number: i16,
    /// Its name.
    pub name: String,
    /// Its type, as `format_type` names it.
    pub ty: String,
    /// The enum type that it is of, or an array of.
    pub enumeration: Option<String>,
    /// Whether it may not hold null.
    pub required: bool,
    /// `a` always, `d` by default, or nothing.
    pub identity: Option<char>,
    /// First number and step of its identity.
    pub numbering: Option<(i64, i64)>,
    /// `s` stored, `v` virtual, or nothing.
    pub generated: Option<char>,
    /// Its default or the expression that computes it.
    pub expression: Option<String>,
    /// Its collation, where it is not its type's.
    pub collation: Option<String>,
    /// What else is not as usual, in words: storage, compression, statistics.
    pub peculiarities: Vec<String>,
    /// Its description.
    pub comment: Option<String>,
}

/// A constraint.
#[derive(Clone, Debug, Default)]
pub struct ConstraintRow {
    /// Its table.
    pub table: u32,
    /// Its name.
    pub name: String,
    /// `p` primary key, `u` unique, `f` reference, `c` check, `x` exclusion, `t` trigger, `n` not null.
    pub kind: char,
    /// Numbers of its columns.
    pub columns: Vec<i16>,
    /// The referenced table, by name as it has to be written.
    pub referenced: Option<String>,
    /// The referenced table.
    pub referenced_oid: u32,
    /// Numbers of the referenced columns.
    pub referenced_columns: Vec<i16>,
    /// `a` no action, `r` restrict, `c` cascade, `n` set null, `d` set default.
    pub on_delete: char,
    /// The same for updates.
    pub on_update: char,
    /// Whether its check can be put off.
    pub deferrable: bool,
    /// Whether it is put off unless the transaction says otherwise.
    pub deferred: bool,
    /// Its condition.
    pub expression: Option<String>,
    /// Its whole definition.
    pub definition: String,
    /// What else is not as usual, in words: not valid, no inherit, match full, storage of the index.
    pub peculiarities: Vec<String>,
}

/// An index.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct IndexRow {
    /// Its table.
    pub table: u32,
    /// Its name.
    pub name: String,
    /// Whether two rows may not share a key.
    pub unique: bool,
    /// Its access method.
    pub method: String,
    /// How many of its columns are the key; the rest are carried along.
    pub key_columns: i16,
    /// Numbers of its columns; 0 for an expression.
    pub columns: Vec<i16>,
    /// The expressions, in order.
    pub expressions: Vec<String>,
    /// Bits of each key column: 1 descending, 2 nulls first.
    pub options: Vec<i16>,
    /// The collation of each key column, where it is not the column's.
    pub collations: Vec<Option<String>>,
    /// The operator class of each key column, where it is not the type's default.
    pub operators: Vec<Option<String>>,
    /// Its condition.
    pub predicate: Option<String>,
    /// Storage parameters and whatever else is not as usual.
    pub peculiarities: Vec<String>,
}

/// A word of an enum type.
#[derive(Clone, Debug, Default)]
pub struct WordRow {
    /// The type.
    pub name: String,
    /// The word.
    pub word: String,
    /// The description of the type.
    pub comment: Option<String>,
}

/// Puts the rows together.
pub fn introspect(mut catalogue: Catalogue) -> Introspected {
    for row in &mut catalogue.others {
        wording::settle_object(row);
    }
    let mut found = read(catalogue);
    found.schema.tables_mut().for_each(wording::settle);
    found
}

/// The same without other words for what is stored.
fn read(catalogue: Catalogue) -> Introspected {
    let Catalogue { tables, columns, constraints, indexes, words, sequences, mut others } = catalogue;
    let mut made: BTreeMap<u32, Reading> = tables.into_iter().map(|row| (row.oid, Reading::new(row))).collect();
    for row in columns {
        if let Some(reading) = made.get_mut(&row.table) {
            let ty = type_of(&row);
            reading.column(row, ty);
        }
    }
    let mut unmanaged = Vec::new();
    let numbers: BTreeMap<u32, BTreeMap<i16, String>> =
        made.iter().map(|(oid, reading)| (*oid, reading.numbers.clone())).collect();
    for row in constraints {
        let referenced = numbers.get(&row.referenced_oid);
        if let Some(reading) = made.get_mut(&row.table) {
            unmanaged.extend(reading.constraint(row, referenced));
        }
    }
    for row in indexes {
        if let Some(reading) = made.get_mut(&row.table) {
            reading.index(row);
        }
    }
    for row in sequences {
        let owner = row.owner.and_then(|(table, column)| made.get_mut(&table).map(|reading| (reading, column)));
        if let Some((reading, column)) = owner {
            if !reading.is_serial(&row, column) {
                let owner = format!("{}.{}", quote_object(&reading.table.name), quote(&reading.name(column)));
                others.push(sequence_owner(&row, &reading.table.name, &owner));
                others.push(sequence(row));
            }
        } else {
            others.push(sequence(row));
        }
    }
    let (programs, found) = told_apart(Dialect::Postgres, others);
    unmanaged.extend(found);
    let mut enums: Vec<EnumType> = Vec::new();
    for WordRow { name, word, comment } in words {
        match enums.last_mut().filter(|last| last.name == name) {
            Some(last) => last.words.push(word),
            None => enums.push(EnumType { name, words: vec![word], comment }),
        }
    }
    unmanaged.sort();
    let tables = made.into_values().map(|reading| reading.table);
    Introspected { schema: Schema::new(FACTS.name_case, tables).with_enums(enums).with_programs(programs), unmanaged }
}

/// A sequence with what is not as usual about it (PostgreSQL 17, "CREATE SEQUENCE").
fn sequence(row: SequenceRow) -> OtherRow {
    let name = quote_object(&row.name);
    let sql = format!("create {}sequence {name}{}", if row.unlogged { "unlogged " } else { "" }, row.options());
    let (kind, drop) = (ObjectKind::Sequence, format!("drop sequence {name}"));
    OtherRow { kind, name: row.name, table: None, sql, drop, after: Vec::new(), comment: row.comment }
}

/// What `public` is described as in a new database (PostgreSQL 15, `initdb`).
const USUAL_DESCRIPTION: &str = "standard public schema";

/// The description of the namespace that is worked in, where it is not the one that a new one has. None at all is no
/// difference: a `public` that somebody dropped and made again has none.
pub fn description_of_namespace(name: &str, text: Option<&str>) -> Option<OtherRow> {
    let usual = (name == "public").then_some(USUAL_DESCRIPTION);
    let described = |text: Option<&str>| {
        let text = text.map_or_else(|| "null".to_owned(), super::quote::literal);
        format!("comment on schema {} is {text}", super::quote::quote(name))
    };
    text.filter(|_| text != usual).map(|_| OtherRow {
        kind: ObjectKind::Comment,
        name: format!("schema {}", super::quote::quote(name)),
        table: None,
        sql: described(text),
        drop: described(usual),
        after: Vec::new(),
        comment: None,
    })
}

/// The sequence that `serial` makes for a column, and that it goes with the column.
pub(super) fn serial_sequence(name: String, ty: &TypeName, table: &str, column: &str) -> Vec<Program> {
    let ty = ty.canonical().to_ascii_lowercase();
    let row = SequenceRow::new(name, ty);
    let owner = format!("{}.{}", quote_object(table), quote(column));
    told_apart(Dialect::Postgres, vec![sequence_owner(&row, table, &owner), sequence(row)]).0
}

/// That a sequence goes with a column.
fn sequence_owner(row: &SequenceRow, table: &str, owner: &str) -> OtherRow {
    let name = quote_object(&row.name);
    OtherRow {
        kind: ObjectKind::OwnedSequence,
        name: row.name.clone(),
        table: None,
        sql: format!("alter sequence {name} owned by {owner}"),
        drop: format!("alter sequence {name} owned by none"),
        after: vec![row.name.clone(), table.to_owned()],
        comment: None,
    }
}

struct Reading {
    table: Table,
    /// Column names by their numbers.
    numbers: BTreeMap<i16, String>,
}

fn expression(text: &str) -> Expression {
    Expression::read(text, SYNTAX)
}

fn words(list: Vec<String>) -> Options {
    list.into_iter().collect()
}

/// The type of a column.
fn type_of(row: &ColumnRow) -> TypeName {
    let Some(name) = &row.enumeration else { return type_name(&row.ty) };
    let array = if row.ty.ends_with("[]") { "[]" } else { "" };
    type_name(&format!("{}{array}", quote_object(name)))
}

impl Reading {
    fn new(row: TableRow) -> Self {
        let mut table = Table::new(row.name, FACTS.name_case);
        if row.persistence == 'u' {
            table.options.insert("unlogged".into());
        }
        table.options.extend(row.parameters);
        table.options.extend(row.peculiarities);
        table.comment = row.comment;
        Self { table, numbers: BTreeMap::new() }
    }

    fn column(&mut self, row: ColumnRow, ty: TypeName) {
        let mut column = Column::new(row.name.clone(), ty);
        column.nullable = !row.required;
        match row.generated {
            None => column.default = row.expression.map(|text| Box::new(default(&text, &column.ty))),
            Some(kind) => {
                let storage = if kind == 'v' { Storage::Virtual } else { Storage::Stored };
                column.generated =
                    row.expression.map(|text| Box::new(Generated { expression: expression(&text), storage }));
            }
        }
        column.collation = row.collation;
        column.identity = row.identity.map(|kind| {
            // PostgreSQL 17, "CREATE SEQUENCE": it starts at 1, or at -1 counting down, in steps of 1.
            let (from, by) = row.numbering.unwrap_or((1, 1));
            let usual = if by < 0 { -1 } else { 1 };
            Box::new(Identity {
                always: kind == 'a',
                from: Some(from).filter(|from| *from != usual),
                by: Some(by).filter(|by| *by != 1),
            })
        });
        column.attributes = words(row.peculiarities);
        // By this name the server makes it.
        let usual = format!("identity sequence {}", sequence_name(&self.table.name, &row.name));
        column.attributes.remove(&usual);
        column.comment = row.comment;
        self.numbers.insert(row.number, row.name);
        self.table.columns.push(column);
    }

    fn name(&self, number: i16) -> String {
        self.numbers.get(&number).cloned().unwrap_or_default()
    }

    /// Whether the sequence is the one that `serial` makes for the column; the column says so then.
    fn is_serial(&mut self, row: &SequenceRow, number: i16) -> bool {
        let (table, name) = (self.table.name.clone(), self.name(number));
        let Some(column) = self.table.columns.iter_mut().find(|column| column.name == name) else { return false };
        let is_own = row.name == qualified::beside(&table, &qualified::part(&sequence_name(&table, &name)));
        let is_plain =
            row.options() == SequenceRow::new(String::new(), row.ty.clone()).options() && row.comment.is_none();
        let is_typed = type_name(&row.ty) == column.ty && !column.nullable;
        let reads_it = column.default.as_ref().is_some_and(|default| {
            let text = default.text();
            text == format!("nextval({}::regclass)", super::quote::literal(&quote_object(&row.name)))
        });
        let is_serial = is_own && is_plain && is_typed && reads_it;
        if is_serial {
            column.default = None;
            column.attributes.insert("serial".into());
        }
        is_serial
    }

    fn constraint(&mut self, row: ConstraintRow, referenced: Option<&BTreeMap<i16, String>>) -> Option<Unmanaged> {
        let deferrable = match (row.deferrable, row.deferred) {
            (false, _) => Deferrable::No,
            (true, false) => Deferrable::InitiallyImmediate,
            (true, true) => Deferrable::InitiallyDeferred,
        };
        let columns: Vec<String> = row.columns.iter().map(|number| self.name(*number)).collect();
        let key = || columns.iter().map(KeyColumn::new).collect::<Vec<_>>();
        let name = Some(row.name.clone());
        let mut attributes = words(row.peculiarities.clone());
        // The model has a place for this with references only.
        if deferrable != Deferrable::No && row.kind != 'f' {
            attributes.insert(deferrable.to_string());
        }
        match row.kind {
            'p' => self.table.primary_key = Some(PrimaryKey { name, columns: key(), attributes }),
            'u' => self.table.uniques.push(Unique { name, columns: key(), attributes }),
            'c' => {
                let expression = expression(row.expression.as_deref().unwrap_or_default());
                self.table.checks.push(Check { name, expression, attributes });
            }
            'f' => {
                let theirs = |number: &i16| {
                    referenced.and_then(|names| names.get(number).cloned()).unwrap_or_else(|| format!("#{number}"))
                };
                self.table.foreign_keys.push(ForeignKey {
                    name,
                    columns,
                    referenced_table: row.referenced.unwrap_or_default(),
                    referenced_columns: row.referenced_columns.iter().map(theirs).collect(),
                    on_delete: action(row.on_delete),
                    on_update: action(row.on_update),
                    deferrable,
                    attributes,
                    dangles: Noted(false),
                });
            }
            // What a column says already (PostgreSQL 18 lists it).
            'n' => {}
            _ => {
                let table = Some(self.table.name.clone());
                return Some(Unmanaged { kind: ObjectKind::Constraint, name: row.name, table, sql: row.definition });
            }
        }
        None
    }

    fn index(&mut self, row: IndexRow) {
        let mut expressions = row.expressions.into_iter();
        let mut parts = Vec::new();
        let mut including = Vec::new();
        for (at, number) in row.columns.iter().enumerate() {
            if at >= usize::try_from(row.key_columns).unwrap_or(usize::MAX) {
                including.push(self.name(*number));
                continue;
            }
            let key = match number {
                0 => IndexKey::Expression(expression(&expressions.next().unwrap_or_default())),
                _ => IndexKey::Column(self.name(*number)),
            };
            let bits = row.options.get(at).copied().unwrap_or_default();
            let (descending, nulls_first) = (bits & 1 != 0, bits & 2 != 0);
            let nulls = match (descending, nulls_first) {
                (false, true) => Some(NullsOrder::First),
                (true, false) => Some(NullsOrder::Last),
                _ => None,
            };
            parts.push(IndexPart {
                collation: row.collations.get(at).cloned().flatten(),
                operators: row.operators.get(at).cloned().flatten(),
                descending,
                nulls,
                ..IndexPart::new(key)
            });
        }
        self.table.indexes.push(Index {
            predicate: row.predicate.as_deref().map(expression),
            including,
            method: Some(row.method).filter(|method| method != "btree"),
            attributes: words(row.peculiarities),
            ..Index::new(row.name, row.unique, parts)
        });
    }
}

fn action(code: char) -> Action {
    match code {
        'r' => Action::Restrict,
        'c' => Action::Cascade,
        'n' => Action::SetNull,
        'd' => Action::SetDefault,
        _ => Action::NoAction,
    }
}

/// A default. The server writes a literal with the column's own type behind it, and a number as a text: `'-1'::integer`.
pub(super) fn default(text: &str, ty: &TypeName) -> Expression {
    let mut stored = expression(text);
    let Some(literal) = plain_literal(text, ty) else { return stored };
    let plain = expression(&literal);
    // A number in quotes is the same default as without them, and the server tells them apart; not so an integer, and a
    // decimal below nought.
    let base = ty.canonical().split('(').next().unwrap_or_default();
    let are_told_apart = match base {
        "SMALLINT" | "BIGINT" | "REAL" | "DOUBLE PRECISION" => true,
        "NUMERIC" => !literal.starts_with('-'),
        _ => false,
    };
    if literal.starts_with('\'') || !are_told_apart {
        return plain;
    }
    stored.is_stored_for(&plain);
    stored
}

/// The literal of a default that is one, cast to the column's own type.
fn plain_literal(text: &str, ty: &TypeName) -> Option<String> {
    let mut tokens = crate::sql::Lexer::new(text, 0, SYNTAX);
    let first = tokens.next().filter(|token| token.kind == TokenKind::Text)?;
    let second = tokens.next().filter(|token| token.span.text(text) == "::")?;
    let literal = first.span.text(text);
    let cast = type_name(&text[second.span.end..]);
    let base = |canonical: &str| canonical.split('(').next().unwrap_or_default().to_owned();
    let same = match ty.text().starts_with('"') {
        true => cast.text() == ty.text(),
        // What an interval is cut down to belongs to its literal (PostgreSQL 15, `coerce_type`).
        false if ty.canonical().starts_with("INTERVAL") => cast.canonical() == ty.canonical(),
        false => base(cast.canonical()) == base(ty.canonical()),
    };
    if !same || !literal.starts_with('\'') {
        return None;
    }
    let value = unquote(literal);
    let is_number = family(ty) == Family::Number && value.parse::<f64>().is_ok_and(f64::is_finite);
    Some(if is_number { value } else { literal.to_owned() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_cast_to_the_columns_own_type_is_no_part_of_its_default() {
        #[track_caller]
        fn case(ty: &str, stored: &str, expected: &str) {
            assert_eq!(default(stored, &type_name(ty)).text(), expected, "{stored}");
        }
        case("integer", "'-1'::integer", "-1");
        case("varchar(5)", "'it''s'::character varying", "'it''s'");
        case("timestamp(3)", "'2026-05-01'::timestamp without time zone", "'2026-05-01'");
        case("\"Kind\"", "'calm'::\"Kind\"", "'calm'");
        case("text", "'1'::integer", "'1'::integer");
        case("numeric", "'NaN'::numeric", "'NaN'");
        case("numeric(5,2)", "'0'::numeric", "'0'::numeric");
        case("numeric(5,2)", "'-0.5'::numeric", "-0.5");
        case("interval(0)", "'1 day'::interval", "'1 day'::interval");
        case("interval(0)", "'1 day'::interval(0)", "'1 day'");
        case("bigint", "'0'::bigint", "'0'::bigint");
        assert_eq!(default("'0'::bigint", &type_name("bigint")), expression("0"));
        case("bigint", "nextval('a'::regclass)", "nextval('a'::regclass)");
    }
}
