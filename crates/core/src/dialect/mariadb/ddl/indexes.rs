//! Keys, indexes, references and checks in a file, and what the server makes of them when all are known.

use std::collections::BTreeMap;

use super::{ColumnRow, Kind, Made, Reader, Reading, text_of};
use crate::dialect::mariadb::Flavor;
use crate::dialect::mariadb::catalogue::{PartRow, ReferenceRow};
use crate::dialect::mariadb::lower::widest_character;
use crate::dialect::mariadb::quote::literal;
use crate::dialect::mariadb::types::{key_bytes, type_name};
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::sql::{Cursor, TokenKind};

impl Reader {
    /// A key, index, reference or check of the table; whether one stood here.
    pub(super) fn table_item(&mut self, cursor: &mut Cursor<'_>, table: &str) -> Reading<bool> {
        if cursor.kind() != TokenKind::Word {
            return Ok(false);
        }
        let has_name = cursor.is("constraint");
        let mut named = None;
        let is_named = cursor.eat("constraint");
        // MariaDB, "ALTER TABLE", IF NOT EXISTS.
        let mut is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        if is_named && !cursor.is_one_of(&["primary", "unique", "foreign", "check"]) {
            named = Some(cursor.name().here()?);
        }
        if cursor.eat_all(&["primary", "key"]) {
            self.index_parts(cursor, table, None, Kind::Primary, "")?;
            self.one_primary_key(table)?;
        } else if cursor.eat("unique") {
            let _ = cursor.eat("key") || cursor.eat("index");
            self.index_parts(cursor, table, named, Kind::Unique, "")?;
        } else if cursor.eat_all(&["foreign", "key"]) {
            is_lenient |= cursor.eat_all(&["if", "not", "exists"]);
            if !cursor.is("(") {
                let index = cursor.name().here()?;
                named = named.or(Some(index));
            }
            let columns = cursor.names().here()?;
            let is_there = is_lenient && self.has_constraint(table, named.as_deref());
            let (references, made) = (self.catalogue.references.len(), self.made.len());
            self.reference(cursor, table, named, columns)?;
            if is_there {
                self.catalogue.references.truncate(references);
                self.made.truncate(made);
            }
        } else if cursor.is("check") && cursor.ahead(1) == "(" {
            cursor.skip();
            let condition = cursor.parenthesised().here()?.to_owned();
            if !is_lenient || !self.has_constraint(table, named.as_deref()) {
                self.check(table, named, condition, false);
                self.enforce(cursor);
            }
        } else if cursor.is_one_of(&["fulltext", "spatial"]) || begins_vector_index(cursor) {
            let method = cursor.peek().to_ascii_uppercase();
            cursor.skip();
            let _ = cursor.eat("key") || cursor.eat("index");
            self.index_parts(cursor, table, None, Kind::Plain, &method)?;
        } else if cursor.is_one_of(&["key", "index"]) {
            cursor.skip();
            self.index_parts(cursor, table, None, Kind::Plain, "")?;
        } else if has_name {
            return Err(Stop::Here);
        } else {
            return Ok(false);
        }
        Ok(true)
    }

    /// What is in a primary key, or counts by itself, is required, whatever else was said of it since.
    pub(super) fn settle_nulls(&mut self) {
        let made = std::mem::take(&mut self.made);
        made.iter().filter(|one| one.kind == Kind::Primary).for_each(|one| self.require(one));
        self.made = made;
        let counts = self.catalogue.columns.iter_mut().filter(|row| row.extra.contains("auto_increment"));
        counts.for_each(|row| row.nullable = false);
    }

    fn require(&mut self, key: &Made) {
        for name in key.parts.iter().filter_map(|part| part.column.as_deref()) {
            if let Ok(row) = self.column(&key.table, name) {
                row.nullable = false;
            }
        }
    }

    pub(super) fn index_of(&mut self, table: &str, name: Option<String>, kind: Kind, column: &str) {
        let part = PartRow { column: Some(column.to_owned()), method: String::new(), ..PartRow::default() };
        self.add_index(Made { table: table.to_owned(), name, kind, parts: vec![part] });
    }

    /// Of the keys that a column's own words make, behind those before: one of each kind, however often it is said, and on
    /// MariaDB no unique one beside a primary key (seen on MariaDB 10.11 and MySQL 9.7, also of `serial`).
    pub(super) fn keep_one_key(&mut self, before: usize) {
        let of_column = self.made.split_off(before);
        let has_primary = of_column.iter().any(|one| one.kind == Kind::Primary);
        for one in of_column {
            let is_said_before = self.made[before..].iter().any(|other| other.kind == one.kind);
            let gives_way = one.kind == Kind::Unique && has_primary && self.flavor == Flavor::Mariadb;
            if one.kind == Kind::Plain || !is_said_before && !gives_way {
                self.made.push(one);
            }
        }
    }

    pub(super) fn one_primary_key(&self, table: &str) -> Reading<()> {
        match self.made.iter().filter(|one| one.table == table && one.kind == Kind::Primary).count() {
            0 | 1 => Ok(()),
            _ => Err(Stop::Because(format!("`{table}` has a primary key already"))),
        }
    }

    fn add_index(&mut self, made: Made) {
        if made.kind == Kind::Primary {
            self.require(&made);
        }
        self.made.push(made);
    }

    fn index_parts(
        &mut self,
        cursor: &mut Cursor<'_>,
        table: &str,
        mut name: Option<String>,
        kind: Kind,
        method: &str,
    ) -> Reading<()> {
        let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        if !cursor.is("(") && !cursor.is("using") {
            let own = cursor.name().here()?;
            name = name.or(Some(own));
        }
        let mut method = method.to_owned();
        if cursor.eat("using") {
            method = cursor.name().here()?.to_ascii_uppercase();
        }
        let mut parts = Vec::new();
        cursor.expect("(").here()?;
        while !cursor.eat(")") {
            let mut part = PartRow::default();
            if cursor.is("(") {
                part.expression = Some(cursor.parenthesised().here()?.to_owned());
            } else {
                part.column = Some(cursor.name().here()?);
                if cursor.eat("(") {
                    part.prefix = u32::try_from(cursor.number().here()?).ok();
                    cursor.expect(")").here()?;
                }
            }
            part.descending = cursor.eat("desc");
            cursor.eat("asc");
            parts.push(part);
            if !cursor.is(")") {
                cursor.expect(",").here()?;
            }
        }
        let mut peculiarities = Vec::new();
        while !cursor.is_at_end() && !matches!(cursor.peek(), "," | ")") {
            if cursor.eat("using") {
                method = cursor.name().here()?.to_ascii_uppercase();
            } else if cursor.eat("comment") {
                peculiarities.push(format!("comment {}", literal(&text_of(cursor).here()?)));
            } else if let Some(word) = hidden(cursor) {
                peculiarities.push(word);
            } else if cursor.eat_all(&["not", "ignored"]) || cursor.eat("visible") {
                continue;
            } else if cursor.eat("key_block_size") {
                // Of a single index it is not in `information_schema`, so that no database is known to have it.
                cursor.eat("=");
                cursor.number().here()?;
            } else if matches!(cursor.peek().to_ascii_lowercase().trim_matches('`'), "m" | "distance") {
                // A dump has both, and what they are, in quotes.
                let option = cursor.name().here()?.to_ascii_lowercase();
                cursor.eat("=");
                let value = cursor.text().or_else(|| cursor.name()).or_else(|| Some(cursor.number()?.to_string()));
                peculiarities.push(format!("{option}={}", value.here()?.to_ascii_lowercase()));
            } else {
                return Err(Stop::Here);
            }
        }
        for part in &mut parts {
            part.method.clone_from(&method);
            part.peculiarities.clone_from(&peculiarities);
        }
        let is_like = |one: &Made| {
            one.table == table
                && match kind {
                    Kind::Primary => one.kind == Kind::Primary,
                    _ => one.name.is_some() && same(&one.name, &name),
                }
        };
        if is_lenient && self.made.iter().any(is_like) {
            return Ok(());
        }
        self.add_index(Made { table: table.to_owned(), name, kind, parts });
        Ok(())
    }

    pub(super) fn create_index(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let kind = if cursor.eat("unique") { Kind::Unique } else { Kind::Plain };
        let method = match cursor.is_one_of(&["fulltext", "spatial", "vector"]) {
            true => cursor.name().here()?.to_ascii_uppercase(),
            false => String::new(),
        };
        cursor.expect("index").here()?;
        let is_lenient = cursor.eat_all(&["if", "not", "exists"]);
        let name = cursor.name().here()?;
        let mut before = method;
        if cursor.eat("using") {
            before = cursor.name().here()?.to_ascii_uppercase();
        }
        cursor.expect("on").here()?;
        let table = self.table(cursor)?;
        let is_like = |one: &Made| one.table == table && same(&one.name, &Some(name.clone()));
        if is_lenient && self.made.iter().any(is_like) {
            return Ok(Read::Nothing);
        }
        self.index_parts(cursor, &table, Some(name), kind, &before)?;
        Ok(Read::Done)
    }

    pub(super) fn reference(
        &mut self,
        cursor: &mut Cursor<'_>,
        table: &str,
        named: Option<String>,
        columns: Vec<String>,
    ) -> Reading<()> {
        cursor.expect("references").here()?;
        let referenced = Self::relation(cursor)?;
        let theirs = match cursor.is("(") {
            true => cursor.names().here()?,
            false => self.key_of(&referenced),
        };
        let (mut on_delete, mut on_update) = (String::new(), String::new());
        loop {
            if cursor.eat("on") {
                let is_delete = cursor.is("delete");
                cursor.skip();
                let words = if cursor.is("set") || cursor.is("no") { 2 } else { 1 };
                let start = cursor.at();
                cursor.go_to(start + words);
                let action = cursor.between(start, start + words).to_ascii_uppercase();
                *(if is_delete { &mut on_delete } else { &mut on_update }) = action;
            } else if cursor.eat("match") {
                cursor.skip();
            } else {
                break;
            }
        }
        let taken = |name: &str| self.catalogue.references.iter().any(|row| row.table == table && row.name == name);
        let numbered = || (1u32..).map(|number| format!("{table}_ibfk_{number}")).find(|name| !taken(name));
        let name = named.clone().or_else(numbered).unwrap_or_default();
        // The server makes an index for it where no other can serve; that is known when all indexes are.
        let parts = columns.iter().map(|column| PartRow {
            column: Some(column.clone()),
            method: String::new(),
            peculiarities: vec![FOR_REFERENCE.into()],
            ..PartRow::default()
        });
        self.made.push(Made { table: table.to_owned(), name: named, kind: Kind::Plain, parts: parts.collect() });
        for (column, referenced_column) in columns.iter().zip(theirs) {
            self.catalogue.references.push(ReferenceRow {
                table: table.to_owned(),
                name: name.clone(),
                column: column.clone(),
                referenced_table: referenced.clone(),
                referenced_column,
                on_delete: on_delete.clone(),
                on_update: on_update.clone(),
            });
        }
        Ok(())
    }

    fn has_constraint(&self, table: &str, name: Option<&str>) -> bool {
        let is_it = |own: &str| name.is_some_and(|name| own.eq_ignore_ascii_case(name));
        self.catalogue.references.iter().any(|row| row.table == table && is_it(&row.name))
            || self.catalogue.checks.iter().any(|row| row.table == table && is_it(&row.name))
    }

    fn key_of(&self, table: &str) -> Vec<String> {
        let keys = self.made.iter().filter(|one| one.table == table && one.kind == Kind::Primary);
        keys.flat_map(|one| one.parts.iter().filter_map(|part| part.column.clone())).collect()
    }

    /// What an index is made with where nothing is said, which prefixes are the whole column, and what becomes of a part that
    /// is too long for a key.
    pub(super) fn settle_methods(&mut self) {
        let flavor = self.flavor;
        for one in &mut self.made {
            let mut is_long = false;
            let tables = &self.catalogue.tables;
            let table =
                self.places.find(tables, &*one.table, |row| row.name == one.table, |_| true).map(|at| &tables[at]);
            // In memory an index is one by hash unless it says otherwise (MariaDB, "Storage Engine Index Types").
            let is_in_memory = table.is_some_and(|row| row.engine.eq_ignore_ascii_case("memory"));
            // Elsewhere an index by hash is made as an ordinary one, but for a unique one of MariaDB (seen on 10.11).
            let is_by_hash = is_in_memory || flavor == Flavor::Mariadb && one.kind == Kind::Unique;
            for part in &mut one.parts {
                if part.method.is_empty() {
                    part.method = if is_in_memory { "HASH" } else { "BTREE" }.to_owned();
                }
                if part.method == "HASH" && !is_by_hash {
                    part.method = "BTREE".into();
                }
                let columns = &self.catalogue.columns;
                let column = part.column.as_ref().and_then(|name| {
                    let is_it = |row: &ColumnRow| name.eq_ignore_ascii_case(&row.name);
                    let at = self.column_places.find(columns, &*one.table, |row| row.table == one.table, is_it)?;
                    Some(&columns[at])
                });
                let length = column.and_then(|row| {
                    let lower = row.ty.to_ascii_lowercase();
                    let is_bounded =
                        ["varchar", "char", "varbinary", "binary"].iter().any(|word| lower.starts_with(word));
                    lower.split(['(', ')']).nth(1).filter(|_| is_bounded)?.trim().parse::<u32>().ok()
                });
                part.prefix = part.prefix.filter(|prefix| length.is_none_or(|length| *prefix < length));
                let whole =
                    column.filter(|_| part.prefix.is_none() && part.method == "BTREE" && flavor == Flavor::Mariadb);
                let longest = longest_part(table.map(|row| row.engine.as_str()).unwrap_or_default());
                let (Some(column), Some(longest)) = (whole, longest) else { continue };
                let widest = column.collation.as_deref().map_or(1, widest_character);
                let is_unbounded = key_bytes(&type_name(&column.ty), 1).is_none();
                if is_unbounded || u64::from(length.unwrap_or_default()) * widest > longest {
                    is_long = true;
                    part.prefix = Some(u32::try_from(longest / widest).unwrap_or(u32::MAX))
                        .filter(|_| one.kind == Kind::Plain && !is_unbounded);
                }
            }
            // Rows with one key are told apart by a hash of it then.
            if is_long && one.kind == Kind::Unique {
                one.parts.iter_mut().for_each(|part| part.method = "HASH".into());
            }
        }
    }

    /// Gives the indexes that have no name one, as the server does: that of their first column, with a number where it is
    /// taken. Of those that references need, only the ones stay that no other index can serve.
    pub(super) fn name_indexes(&mut self) {
        let made = std::mem::take(&mut self.made);
        let (of_references, mut all): (Vec<Made>, Vec<Made>) = made.into_iter().partition(Made::is_for_reference);
        // Of two that are made for references, the longer stays, and else the later (MariaDB 10.11, `sql_table.cc`,
        // `mysql_prepare_create_table`).
        let takes_over = |(at, index): (usize, &Made), (other_at, other): (usize, &Made)| {
            at != other_at && other.serves(index) && (other_at > at || other.parts.len() > index.parts.len())
        };
        let (others, needed) = (by_table(&all), by_table(&of_references));
        let stays = |(at, index): (usize, &Made)| {
            let mut others = others.get(&*index.table).into_iter().flatten();
            let mut needed = needed.get(&*index.table).into_iter().flatten();
            !others.any(|(_, other)| other.serves(index)) && !needed.any(|other| takes_over((at, index), *other))
        };
        let kept: Vec<bool> = of_references.iter().enumerate().map(stays).collect();
        for (mut index, _) in of_references.into_iter().zip(kept).filter(|(_, stays)| *stays) {
            index.parts.iter_mut().for_each(|part| part.peculiarities.clear());
            all.push(index);
        }
        let mut taken: BTreeMap<String, Vec<String>> = BTreeMap::new();
        for one in &all {
            taken.entry(one.table.clone()).or_default().extend(one.name.as_ref().map(|name| name.to_lowercase()));
        }
        for mut index in all {
            let name = match (&index.name, index.kind) {
                (_, Kind::Primary) => "PRIMARY".to_owned(),
                (Some(name), _) => name.clone(),
                (None, _) => free_name(&index, taken.get(&index.table).map_or(&[], Vec::as_slice)),
            };
            taken.entry(index.table.clone()).or_default().push(name.to_lowercase());
            for part in &mut index.parts {
                part.table.clone_from(&index.table);
                part.index.clone_from(&name);
                part.unique = index.kind != Kind::Plain;
            }
            self.catalogue.parts.append(&mut index.parts);
        }
    }
}

/// Indexes by their tables, each with its place in the list.
fn by_table(indexes: &[Made]) -> BTreeMap<&str, Vec<(usize, &Made)>> {
    let mut found: BTreeMap<&str, Vec<(usize, &Made)>> = BTreeMap::new();
    for (at, one) in indexes.iter().enumerate() {
        found.entry(&one.table).or_default().push((at, one));
    }
    found
}

/// How many bytes a part of a key has at most; a longer one is cut, or is a hash where it is unique (MariaDB 10.11, "InnoDB
/// Limitations", "MyISAM Storage Engine", "Aria Storage Engine", and "CREATE TABLE", "UNIQUE").
fn longest_part(engine: &str) -> Option<u64> {
    match engine.to_ascii_lowercase().as_str() {
        "" | "innodb" => Some(3072),
        "myisam" => Some(1000),
        "aria" => Some(2300),
        _ => None,
    }
}

/// Marks an index that is only there because a reference needs one.
pub(super) const FOR_REFERENCE: &str = "\u{0}for a reference";

/// The name that the server gives an index: that of its first column, with a number where it is taken.
pub(super) fn free_name(index: &Made, taken: &[String]) -> String {
    let first = index.parts.first().and_then(|part| part.column.clone()).unwrap_or_default();
    let numbered = |number: u32| if number == 1 { first.clone() } else { format!("{first}_{number}") };
    (1..).map(numbered).find(|name| !taken.contains(&name.to_lowercase())).unwrap_or_default()
}

pub(super) fn same(a: &Option<String>, b: &Option<String>) -> bool {
    match (a, b) {
        (Some(a), Some(b)) => a.eq_ignore_ascii_case(b),
        _ => false,
    }
}

/// Words for an index that queries do not use (MariaDB, "Ignored Indexes"; MySQL 8.4, "Invisible Indexes").
pub(super) const HIDDEN: [&str; 2] = ["ignored", "invisible"];

/// Reads one of them.
pub(super) fn hidden(cursor: &mut Cursor<'_>) -> Option<String> {
    let word = HIDDEN.into_iter().find(|word| cursor.is(word))?;
    cursor.skip();
    Some(word.to_owned())
}

/// Whether an index over vectors stands here, and no column that is called so (MariaDB 11.7, "CREATE TABLE with Vectors").
fn begins_vector_index(cursor: &Cursor<'_>) -> bool {
    cursor.is("vector") && ["key", "index"].iter().any(|word| cursor.ahead(1).eq_ignore_ascii_case(word))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::mariadb::SYNTAX;
    use crate::dialect::reading::Statements;

    #[test]
    fn an_index_over_vectors_is_no_column_of_that_name() {
        let mut reader = Reader::new(Flavor::Mariadb, &[]);
        let sql = "create table t (vector vector(3) not null, vector index near (vector) m=8 distance=cosine, \
                   b json check (json_valid(b)), c json check (length(c) > 2))";
        assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
        let found = Box::new(reader).finish().expect("it is a schema").schema;
        let table = found.table("t").expect("it is made");
        let types: Vec<_> = table.columns.iter().map(|column| column.ty.canonical()).collect();
        assert_eq!(types, ["VECTOR(3)", "JSON", "LONGTEXT"], "a check of one's own takes the place of JSON's");
        let index = &table.indexes[0];
        assert_eq!((index.name.as_str(), index.method.as_deref()), ("near", Some("vector")));
        assert_eq!(index.attributes.sorted(), ["distance=cosine", "m=8"]);
    }

    #[test]
    fn a_column_makes_one_key_of_a_kind() {
        #[track_caller]
        fn case(columns: &str, on_mariadb: &str, on_mysql: &str) {
            for (flavor, expected) in [(Flavor::Mariadb, on_mariadb), (Flavor::Mysql, on_mysql)] {
                let mut reader = Reader::new(flavor, &[]);
                let sql = format!("create table t ({columns})");
                assert!(reader.statement(&mut Cursor::new(&sql, SYNTAX), &sql).is_ok(), "{sql}");
                let keys: String =
                    reader.made.iter().map(|one| if one.kind == Kind::Primary { 'p' } else { 'u' }).collect();
                assert_eq!(keys, expected, "{sql}");
            }
        }
        case("id serial primary key", "p", "up");
        case("id int primary key unique", "p", "pu");
        case("id serial unique", "u", "u");
        case("a int unique unique key, b int unique", "uu", "uu");
        case("id serial, primary key (id), unique (id)", "upu", "upu");
    }
}
