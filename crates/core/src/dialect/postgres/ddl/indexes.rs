//! Indexes in a file, and what the server calls those that have no name.

use super::names::is_built_in;
use super::{Reader, Reading, USUAL_PLACE, labels, parameters};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::catalogue::{ColumnRow, IndexRow, OtherRow};
use crate::dialect::postgres::lower::taken_method;
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::postgres::render::object_name;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::{Cursor, Expression};

/// Endings of the names of operator classes; what stands before one is a type or kind of value.
const CLASS_ENDINGS: [&str; 7] =
    ["_minmax_multi_ops", "_minmax_ops", "_bloom_ops", "_inclusion_ops", "_pattern_ops", "_path_ops", "_ops"];

/// What the server's own operator classes are for, besides its types (PostgreSQL 15, `pg_opclass`).
const CLASSES_OF: [&str; 11] = [
    "array",
    "enum",
    "kd_point",
    "multirange",
    "poly",
    "quad_point",
    "range",
    "record",
    "record_image",
    "aclitem",
    "oidvector",
];

/// Whether an operator class without a namespace is the server's own.
pub(super) fn is_built_in_class(name: &str) -> bool {
    let of = CLASS_ENDINGS.iter().find_map(|ending| name.strip_suffix(ending));
    of.is_some_and(|of| is_built_in(of) || CLASSES_OF.contains(&of))
}

/// Operator classes that are the default of their type, for the usual methods (PostgreSQL 17, `pg_opclass.dat`).
const USUAL_CLASSES: [&str; 16] = [
    "text_ops",
    "int2_ops",
    "int4_ops",
    "int8_ops",
    "bpchar_ops",
    "bool_ops",
    "bytea_ops",
    "date_ops",
    "numeric_ops",
    "timestamp_ops",
    "timestamptz_ops",
    "uuid_ops",
    "jsonb_ops",
    "array_ops",
    "tsvector_ops",
    "float8_ops",
];

/// The same of gist, in the extensions that come with the server (PostgreSQL 17, appendix F).
const USUAL_GIST_CLASSES: [&str; 6] =
    ["gist_ltree_ops", "gist__ltree_ops", "gist_hstore_ops", "gist_cube_ops", "gist_seg_ops", "gist__int_ops"];

impl Reader {
    pub(super) fn create_index(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let unique = cursor.eat("unique");
        cursor.expect("index").here()?;
        cursor.eat("concurrently");
        let is_lenient = Self::passed_if_exists(cursor);
        let named = if cursor.is_one_of(&["on"]) { None } else { Some(cursor.name().here()?) };
        let on = cursor.at();
        cursor.expect("on").here()?;
        let is_alone = cursor.eat("only");
        let start = cursor.at();
        let relation = self.made_relation(cursor)?;
        let views = |row: &OtherRow| {
            matches!(row.kind, ObjectKind::MaterializedView | ObjectKind::Partition) && row.name == relation
        };
        if self.catalogue.others.iter().any(views) {
            let mut sql = sql.to_owned();
            let named = match named {
                Some(name) => name,
                None => {
                    let base = qualified::plain(qualified::base(&relation)).into_owned();
                    let name = self.choose_of_view(&base, &labels::of_exclusion(cursor.rest()));
                    // It stays when what the index is on gets another name.
                    cursor.go_to(on);
                    sql = format!("{} {} {}", cursor.between(0, on).trim_end(), quote(&name), cursor.rest());
                    name
                }
            };
            let name = qualified::beside(&relation, &qualified::part(&named));
            let drop = format!("drop index {}", quote_object(&name));
            self.other(ObjectKind::ViewIndex, name, sql, drop);
            if let Some(row) = self.catalogue.others.last_mut() {
                row.after = vec![relation];
            }
            return Ok(Read::Done);
        }
        cursor.go_to(start);
        let oid = self.table(cursor)?;
        if let Some(name) = &named
            && self.index(&qualified::beside(&self.table_name(oid), &qualified::part(name))).is_some()
        {
            return match is_lenient {
                true => Ok(Read::Nothing),
                false => Err(Stop::Because(format!("index `{name}` is made twice"))),
            };
        }
        let mut row = IndexRow { table: oid, unique, method: "btree".into(), ..IndexRow::default() };
        if cursor.eat("using") {
            row.method = taken_method(cursor.name().here()?);
        }
        let mut labels = Vec::new();
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            labels.push(self.index_part(cursor, &mut row)?);
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        row.key_columns = i16::try_from(row.columns.len()).unwrap_or(i16::MAX);
        while !cursor.is_at_end() {
            if cursor.eat("include") {
                let columns = cursor.names().here()?;
                row.columns.extend(self.numbers(oid, &columns)?);
                labels.extend(columns);
            } else if cursor.eat_all(&["nulls", "not", "distinct"]) {
                row.peculiarities.push("nulls not distinct".into());
            } else if cursor.eat_all(&["nulls", "distinct"]) {
            } else if cursor.eat("with") {
                row.peculiarities.extend(parameters(cursor.parenthesised().here()?));
            } else if cursor.eat("tablespace") {
                let place = Some(cursor.name().here()?).filter(|place| place != USUAL_PLACE);
                row.peculiarities.extend(place.map(|place| format!("tablespace {place}")));
            } else if cursor.eat("where") {
                row.predicate = Some(self.expression(cursor.rest()));
            } else {
                return Err(Stop::Here);
            }
        }
        row.name = named.unwrap_or_else(|| self.choose(oid, &labels::joined(labels), "idx"));
        if is_alone {
            self.alone.insert(qualified::beside(&relation, &qualified::part(&row.name)), sql.to_owned());
        }
        self.index_statements.insert((oid, row.name.clone()), sql.to_owned());
        self.catalogue.indexes.push(row);
        Ok(Read::Done)
    }

    /// The name that the server gives an index of a kept view.
    fn choose_of_view(&self, view: &str, columns: &str) -> String {
        let is_free = |name: &String| {
            let is_it = |row: &OtherRow| row.kind == ObjectKind::ViewIndex && row.name == *name;
            !self.catalogue.others.iter().any(is_it)
        };
        let numbered = |pass: u32| match pass {
            0 => object_name(view, columns, "idx"),
            _ => object_name(view, columns, &format!("idx{pass}")),
        };
        (0..).map(numbered).find(is_free).unwrap_or_default()
    }

    /// One part of an index; what it is called in a name that the server makes.
    fn index_part(&mut self, cursor: &mut Cursor<'_>, row: &mut IndexRow) -> Reading<String> {
        let label;
        let mut collation = None;
        let start = cursor.at();
        let is_call = cursor.ahead(1) == "(" || cursor.ahead(1) == "." && cursor.ahead(3) == "(";
        if cursor.is("(") {
            let mut text = cursor.parenthesised().here()?;
            label = labels::of_expression(text);
            // What is said last inside is said of the whole.
            let mut inside = Cursor::new(text, SYNTAX);
            let bare = inside.until(|inside| inside.is("collate")).here()?;
            if inside.eat("collate") {
                let stated = self.collation(&mut inside)?;
                if inside.is_at_end() {
                    (text, collation) = (bare, Some(stated));
                }
            }
            row.expressions.push(self.expression(text));
            row.columns.push(0);
        } else if is_call {
            let start = cursor.at();
            while !cursor.is("(") {
                cursor.skip();
            }
            cursor.skip_nested().here()?;
            let text = cursor.between(start, cursor.at());
            label = labels::of_expression(text);
            row.expressions.push(self.expression(text));
            row.columns.push(0);
        } else {
            label = cursor.name().here()?;
            row.columns.extend(self.numbers(row.table, std::slice::from_ref(&label))?);
        }
        if cursor.eat("collate") {
            collation = Some(self.collation(cursor)?);
        }
        // The usual one is worth saying where what is read has another.
        if collation.as_deref() == Some("default") {
            let read = Expression::read(cursor.between(start, cursor.at()), SYNTAX);
            let has_own = |column: &ColumnRow| column.table == row.table && column.collation.is_some();
            let mut collated = self.catalogue.columns.iter().filter(|column| has_own(column));
            collation = collation.filter(|_| collated.any(|column| read.mentions(&column.name)));
        }
        let mut operators = None;
        if !cursor.is_one_of(&["asc", "desc", "nulls"]) && !matches!(cursor.peek(), "," | ")") {
            let class = self.operator_class(cursor)?;
            let is_usual = match row.method.as_str() {
                "btree" | "gin" | "hash" => USUAL_CLASSES.contains(&class.as_str()),
                "gist" => USUAL_GIST_CLASSES.contains(&qualified::base(&class)),
                _ => false,
            };
            operators = Some(quote_object(&class)).filter(|_| !is_usual);
            if cursor.is("(") {
                let given = parameters(cursor.parenthesised().here()?).join(", ");
                operators = Some(format!("{} ({given})", quote_object(&class)));
            }
        }
        let descending = cursor.eat("desc");
        cursor.eat("asc");
        let mut nulls_first = descending;
        if cursor.eat_all(&["nulls", "first"]) {
            nulls_first = true;
        } else if cursor.eat_all(&["nulls", "last"]) {
            nulls_first = false;
        }
        row.options.push(i16::from(descending) + 2 * i16::from(nulls_first));
        row.collations.push(collation);
        row.operators.push(operators);
        Ok(label)
    }
}
