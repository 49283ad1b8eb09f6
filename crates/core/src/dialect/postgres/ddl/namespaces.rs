//! Namespaces: those that nothing made, and what is kept as it is written behind `set search_path`: it is made without one, so
//! its names are given their namespace.

use std::collections::BTreeSet;

use super::names::{Place, Use, Words};
use super::{Reader, argument_types, routine_type, without_public};
use crate::dialect::postgres::catalogue::OtherRow;
use crate::dialect::postgres::quote::quote;
use crate::physical::{ObjectKind, qualified};
use crate::sql::unquote;

impl Reader {
    /// Adds the namespaces that something was made in and no statement made: whoever runs the SQL has them, or makes them by
    /// a statement that is not read.
    pub(super) fn settle_namespaces(&mut self) {
        let catalogue = &self.catalogue;
        let is_in_one = |row: &&OtherRow| {
            use ObjectKind::{Domain, MaterializedView, Routine, Type, View};
            matches!(row.kind, Domain | MaterializedView | Routine | Type | View)
        };
        let tables = catalogue.tables.iter().map(|row| &row.name);
        let others = catalogue.others.iter().filter(is_in_one).map(|row| &row.name);
        let sequences = catalogue.sequences.iter().map(|row| &row.name);
        let names = tables.chain(others).chain(sequences).chain(&self.enums);
        let used: BTreeSet<String> = names
            .filter_map(|name| qualified::split(name).0)
            .map(|namespace| qualified::plain(namespace).into_owned())
            .filter(|name| !name.starts_with("pg_") && name != "information_schema" && !self.is_namespace(name))
            .collect();
        for name in used {
            self.add_namespace(name);
        }
    }

    /// Adds a namespace.
    pub(super) fn add_namespace(&mut self, name: String) {
        let quoted = quote(&name);
        self.other(ObjectKind::Namespace, name, format!("create schema {quoted}"), format!("drop schema {quoted}"));
    }

    /// The statement with the namespace before each name that means something of it.
    pub(super) fn in_namespace(&self, sql: &str, namespace: &str) -> String {
        let words = Words::new(sql);
        let is_of_it = |one: &Use| {
            let [name] = &one.parts[..] else { return false };
            let full = super::qualified(Some(namespace), name);
            match one.place {
                Place::Relation => self.is_relation(&full),
                Place::Routine => self.is_routine(&full),
                Place::Type => self.is_type(&full) || self.is_relation(&full),
            }
        };
        let uses = words.uses().into_iter().filter(is_of_it).map(|one| one.at);
        words.with(namespace, &words.own_name().into_iter().chain(uses).collect::<Vec<_>>())
    }

    /// An expression of a table as it is kept: without `public`, and with the namespace that the search path says.
    pub(super) fn expression(&self, text: &str) -> String {
        let text = without_public(text);
        let Some(namespace) = &self.namespace else { return text };
        let words = Words::new(&text);
        let is_of_it = |one: &Use| {
            let [name] = &one.parts[..] else { return false };
            let full = super::qualified(Some(namespace), name);
            one.place == Place::Routine && self.is_routine(&full) || one.place == Place::Type && self.is_type(&full)
        };
        let places: Vec<usize> = words.uses().into_iter().filter(is_of_it).map(|one| one.at).collect();
        words.with(namespace, &places)
    }

    /// The sequence that a text names, as `nextval` is given one, where it is of the search path's namespace.
    pub(super) fn sequence_named(&self, text: &str) -> Option<String> {
        let full = super::qualified(Some(self.namespace.as_deref()?), &unquote(text));
        self.catalogue.sequences.iter().any(|row| row.name == full).then_some(full)
    }

    /// The types of a routine's arguments; one that is a column's is the type that the column has by now (PostgreSQL 17,
    /// "CREATE FUNCTION").
    pub(super) fn types_of_arguments(&self, text: &str) -> String {
        let of_column = |one: &str| {
            let (table, column) = one.strip_suffix("%type")?.rsplit_once('.')?;
            let table = self.oid(&without_public(table))?;
            let found = self.catalogue.columns.iter().find(|row| row.table == table && row.name == column)?;
            Some(routine_type(&found.ty))
        };
        let types = argument_types(text);
        match types.contains("%type") {
            true => types.split(',').map(|one| of_column(one).unwrap_or(one.to_owned())).collect::<Vec<_>>().join(","),
            false => types,
        }
    }

    /// The types of a routine's arguments; those of the search path's namespace say it.
    pub(super) fn argument_types(&self, text: &str) -> String {
        let types = self.types_of_arguments(text);
        let Some(namespace) = &self.namespace else { return types };
        let of_it = |one: &str| {
            let full = super::qualified(Some(namespace), one.trim_end_matches("[]"));
            let is_of_it = !one.contains('.') && (self.is_type(&full) || self.is_relation(&full));
            if is_of_it { super::qualified(Some(namespace), one) } else { one.to_owned() }
        };
        types.split(',').map(of_it).collect::<Vec<_>>().join(",")
    }

    pub(super) fn is_relation(&self, name: &str) -> bool {
        let is_view = |kind: ObjectKind| matches!(kind, ObjectKind::View | ObjectKind::MaterializedView);
        self.oid(name).is_some()
            || self.is_partition(name)
            || self.catalogue.others.iter().any(|row| is_view(row.kind) && row.name == name)
    }

    pub(super) fn is_type(&self, name: &str) -> bool {
        let is_type = |kind: ObjectKind| matches!(kind, ObjectKind::Type | ObjectKind::Domain);
        self.enums.contains(name) || self.catalogue.others.iter().any(|row| is_type(row.kind) && row.name == name)
    }

    fn is_routine(&self, name: &str) -> bool {
        let is_it = |row: &str| row == name || row.strip_prefix(name).is_some_and(|rest| rest.starts_with('('));
        self.catalogue.others.iter().any(|row| row.kind == ObjectKind::Routine && is_it(&row.name))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::postgres::SYNTAX;
    use crate::dialect::reading::Statements;
    use crate::sql::Cursor;

    #[test]
    fn what_is_made_in_a_namespace_brings_it_along() {
        let read = |statements: &[&str]| {
            let mut reader = Box::<Reader>::default();
            for sql in statements {
                assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
            }
            let found = reader.finish().unwrap_or_default();
            let namespaces = found.schema.programs().filter(|program| program.kind_word() == "namespace");
            namespaces.map(|one| one.name.clone()).collect::<Vec<_>>()
        };
        assert_eq!(read(&["create table shop.bin (id int)", "create table bin (id int)"]), ["shop"]);
        assert_eq!(read(&["create schema shop", "create type shop.kind as enum ('a')"]), ["shop"]);
        assert_eq!(read(&["create view \"a.b\".v as select 1", "create sequence depot.n"]), ["a.b", "depot"]);
        assert_eq!(read(&["create function f(a pg_catalog.text) returns int language sql as 'select 1'"]), [""; 0]);
    }

    #[test]
    fn names_get_the_namespace_that_they_mean() {
        let mut reader = Reader::default();
        for sql in [
            "create schema shop",
            "create type shop.kind as enum ('a')",
            "create table shop.bin (id int)",
            "create table shop.item (id int, bin int)",
            "create function shop.twice(n int) returns int language sql as 'select 2 * n'",
        ] {
            assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
        }
        let case = |sql: &str, expected: &str| assert_eq!(reader.in_namespace(sql, "shop"), expected);
        case(
            "create view both as select bin.id, twice(i.id), 'a'::kind from bin, item i join public.item o on o.bin = bin.id",
            "create view shop.both as select bin.id, shop.twice(i.id), 'a'::shop.kind from shop.bin, shop.item i join public.item o on o.bin = bin.id",
        );
        case(
            "CREATE OR REPLACE FUNCTION put(kind kind, bin bin DEFAULT NULL) RETURNS SETOF item LANGUAGE sql AS $$ select * from item $$",
            "CREATE OR REPLACE FUNCTION shop.put(kind shop.kind, bin shop.bin DEFAULT NULL) RETURNS SETOF shop.item LANGUAGE sql AS $$ select * from item $$",
        );
        case(
            "create trigger bin before insert on bin for each row when (twice(new.id) > 1) execute function twice()",
            "create trigger bin before insert on shop.bin for each row when (shop.twice(new.id) > 1) execute function shop.twice()",
        );
        case(
            "create view sums as with bin as (select 1 as id) select item from bin, (select id from item) item",
            "create view shop.sums as with bin as (select 1 as id) select item from bin, (select id from shop.item) item",
        );
        case(
            "create view parts as with i(item) as not materialized (select 1) select extract(year from bin) from i, item, bin where i.item is distinct from bin and cast(item as kind) = 'a'",
            "create view shop.parts as with i(item) as not materialized (select 1) select extract(year from bin) from i, shop.item, shop.bin where i.item is distinct from bin and cast(item as shop.kind) = 'a'",
        );
        case(
            "create policy bin on bin to item using (exists (select from item join bin on item.id = twice(bin.id)))",
            "create policy bin on shop.bin to item using (exists (select from shop.item join shop.bin on item.id = shop.twice(bin.id)))",
        );
        case(
            "create rule bin as on insert to item do instead insert into bin (id) values (new.id)",
            "create rule bin as on insert to shop.item do instead insert into shop.bin (id) values (new.id)",
        );
        case(
            "create aggregate twice(kind, int) (sfunc = twice, stype = item, initcond = 'twice')",
            "create aggregate shop.twice(shop.kind, int) (sfunc = shop.twice, stype = shop.item, initcond = 'twice')",
        );
        case(
            "create view both as select 1 from (item i join ((bin b cross join item) join bin on true) on i.id in (select id from (values (1)) bin(id)))",
            "create view shop.both as select 1 from (shop.item i join ((shop.bin b cross join shop.item) join shop.bin on true) on i.id in (select id from (values (1)) bin(id)))",
        );
        case("create statistics bin on id, bin from item", "create statistics shop.bin on id, bin from shop.item");
        case("create view else.where as select 1", "create view else.where as select 1");
        case("create domain kinds as kind[]", "create domain shop.kinds as shop.kind[]");
        case("create type pair as (kind kind, bin int)", "create type shop.pair as (kind shop.kind, bin int)");
    }
}
