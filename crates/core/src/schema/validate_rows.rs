//! The checks of reference rows.

use std::collections::{BTreeMap, BTreeSet};

use super::validate::{fits, is_key, shown};
use super::{Column, Enum, Fault, FaultKind, Identifier, Item, Part, Parts, Place, Rows, Table, Type, Value};
use crate::nearest::nearest;

/// Every fault of the parts' reference rows.
pub(super) fn faults(parts: &Parts) -> Vec<Fault> {
    let mut checker = Checker { parts, faults: Vec::new() };
    for (at, rows) in parts.rows.iter().enumerate() {
        checker.set(at, rows);
    }
    checker.faults
}

struct Checker<'a> {
    parts: &'a Parts,
    faults: Vec<Fault>,
}

impl<'a> Checker<'a> {
    fn fault(&mut self, kind: FaultKind, place: Place) {
        self.faults.push(Fault::new(kind, place));
    }

    fn set(&mut self, at: usize, rows: &'a Rows) {
        let head = |part| Place::whole(&rows.table, Item::Rows).part(part);
        let Some(table) = self.parts.tables.iter().find(|table| table.name == rows.table) else {
            let names = self.parts.tables.iter().map(|table| table.name.as_str());
            let nearest = nearest(rows.table.as_str(), names).map(Identifier::new);
            self.fault(FaultKind::UnknownTable { table: rows.table.clone(), nearest }, head(Part::Name));
            return;
        };
        let earlier = self.parts.rows[..at].iter().any(|other| {
            other.table == rows.table
                && super::Provider::ALL.iter().any(|one| other.scope.holds(*one) && rows.scope.holds(*one))
        });
        if earlier {
            self.fault(FaultKind::RowsTwice(rows.table.clone()), head(Part::Name));
            return;
        }
        let mut known = true;
        let mut seen = BTreeSet::new();
        for (place, name) in rows.columns.iter().enumerate() {
            let part = head(Part::Element(place));
            if !seen.insert(name) {
                self.fault(FaultKind::RepeatedColumn { column: name.clone() }, part.clone());
                known = false;
            }
            match table.column(name) {
                None => {
                    let names = table.columns.iter().map(|column| column.name.as_str());
                    let nearest = nearest(name.as_str(), names).map(Identifier::new);
                    let kind = FaultKind::UnknownColumn { table: table.name.clone(), column: name.clone(), nearest };
                    self.fault(kind, part);
                    known = false;
                }
                Some(column) if column.generated.iter().any(|one| one.scope.overlaps(rows.scope)) => {
                    self.fault(FaultKind::RowOfComputed(name.clone()), part);
                }
                Some(_) => {}
            }
        }
        for (place, name) in rows.key.iter().enumerate() {
            if !rows.columns.contains(name) {
                let nearest = nearest(name.as_str(), rows.columns.iter().map(Identifier::as_str)).map(Identifier::new);
                let kind = FaultKind::RowsWithoutKey { column: name.clone(), nearest };
                self.fault(kind, head(Part::Referenced(place)));
                known = false;
            }
        }
        if !known {
            return;
        }
        if !is_key(table, &rows.key, |_| true) {
            let columns: Vec<_> = rows.key.iter().map(ToString::to_string).collect();
            let kind = FaultKind::NotAKey { table: table.name.clone(), columns: columns.join(", ") };
            self.fault(kind, head(Part::Referenced(0)));
        }
        for column in &table.columns {
            let has_value = rows.columns.contains(&column.name)
                || column.nullable
                || !column.default.is_empty()
                || !column.generated.is_empty()
                || !column.identity.is_empty();
            if !has_value && !rows.rows.is_empty() {
                let kind = FaultKind::RowsSayNothing { table: table.name.clone(), column: column.name.clone() };
                self.fault(kind, head(Part::Name));
            }
        }
        self.values(rows, table);
        self.keys(rows, table);
        self.references(rows, table);
    }

    fn values(&mut self, rows: &Rows, table: &Table) {
        for (at, row) in rows.rows.iter().enumerate() {
            for ((place, value), name) in row.iter().enumerate().zip(&rows.columns) {
                let Some(column) = table.column(name) else { continue };
                if let Some(kind) = self.value(column, value) {
                    self.fault(kind, Place::whole(&rows.table, Item::Row(at)).part(Part::Element(place)));
                }
            }
        }
    }

    fn value(&self, column: &Column, value: &Value) -> Option<FaultKind> {
        match (value, &column.ty) {
            (Value::Null, _) if column.nullable => None,
            (Value::Null, _) => Some(FaultKind::RowNullOnRequired(column.name.clone())),
            (Value::Expression(_), _) | (_, Type::Native) => None,
            (Value::Word(word), Type::Enum(name)) => {
                let owner: &Enum = self.parts.enums.iter().find(|one| one.name == *name)?;
                if owner.words.contains(word) {
                    return None;
                }
                let nearest = nearest(word.as_str(), owner.words.iter().map(Identifier::as_str)).map(Identifier::new);
                Some(FaultKind::UnknownWord { owner: name.clone(), word: word.clone(), nearest })
            }
            (value, ty) => {
                let wanted = fits(ty, value).err()?;
                Some(FaultKind::DefaultDoesNotFit { value: shown(value), ty: ty.clone(), wanted })
            }
        }
    }

    /// No two rows may share a key, this one or another of the table.
    fn keys(&mut self, rows: &Rows, table: &Table) {
        let mut keys: Vec<&[Identifier]> = vec![&rows.key];
        let primary = table.primary_keys.iter().map(|key| key.columns.as_slice());
        keys.extend(primary.chain(table.uniques.iter().map(|key| key.columns.as_slice())));
        keys.sort();
        keys.dedup();
        for key in keys {
            let places: Vec<_> =
                key.iter().filter_map(|name| rows.columns.iter().position(|column| column == name)).collect();
            if places.len() < key.len() {
                continue;
            }
            let mut seen: BTreeMap<Vec<String>, usize> = BTreeMap::new();
            for (at, row) in rows.rows.iter().enumerate() {
                let values: Vec<_> = places.iter().filter_map(|place| row.get(*place)).collect();
                // Two nulls are not the same, and of an expression nobody knows.
                if values.iter().any(|value| matches!(value, Value::Null | Value::Expression(_))) {
                    continue;
                }
                let values: Vec<_> = values.into_iter().map(shown).collect();
                let here = |at| Place::whole(&rows.table, Item::Row(at)).part(Part::Element(places[0]));
                if let Some(first) = seen.get(&values) {
                    let kind = FaultKind::RowTwice { key: values.join(", ") };
                    self.faults.push(Fault::new(kind, here(at)).with_other(here(*first)));
                } else {
                    seen.insert(values, at);
                }
            }
        }
    }

    /// A value that should be among other reference rows, and is not: it may be the application's row, so it is a warning.
    fn references(&mut self, rows: &Rows, table: &Table) {
        for key in table.foreign_keys.iter().filter(|key| key.columns.len() == 1) {
            let (Some(own), Some(referenced)) = (key.columns.first(), key.referenced_columns.first()) else { continue };
            let Some(place) = rows.columns.iter().position(|column| column == own) else { continue };
            let Some(others) = self.parts.rows.iter().find(|other| other.table == key.referenced_table) else {
                continue;
            };
            let Some(there) = others.columns.iter().position(|column| column == referenced) else { continue };
            let known: BTreeSet<String> = others.rows.iter().filter_map(|row| row.get(there)).map(shown).collect();
            for (at, row) in rows.rows.iter().enumerate() {
                let Some(value) = row.get(place) else { continue };
                let is_plain = !matches!(value, Value::Null | Value::Expression(_));
                if is_plain && !known.contains(&shown(value)) {
                    let kind =
                        FaultKind::RowReferencesNone { table: key.referenced_table.clone(), value: shown(value) };
                    self.fault(kind, Place::whole(&rows.table, Item::Row(at)).part(Part::Element(place)));
                }
            }
        }
    }
}
