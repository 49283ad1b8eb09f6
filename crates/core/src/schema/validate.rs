//! The checks that make [`super::Parts`] a [`super::Schema`].

use std::collections::{BTreeMap, BTreeSet};

use super::{
    Action, Column, Enum, Fault, FaultKind, ForeignKey, Identifier, Item, KeyPart, Part, Parts, Place, Program,
    Provider, Scope, Scoped, Table, Type, UNCHECKED, Value,
};
use crate::nearest::nearest;
use crate::sql::{Expression, Lexer, Syntax, TokenKind};

/// Every fault of the parts, in the order of their places.
pub(super) fn faults(parts: &Parts) -> Vec<Fault> {
    let mut checker = Checker { parts, tables: BTreeMap::new(), enums: BTreeMap::new(), faults: Vec::new() };
    checker.names();
    checker.former(parts.tables.iter().map(|table| {
        let place = Place::whole(&table.name, Item::Table).part(Part::Formerly(0));
        (&table.name, table.formerly.as_ref(), place)
    }));
    for owner in &parts.enums {
        checker.enumeration(owner);
    }
    for table in &parts.tables {
        checker.table(table);
    }
    checker.programs();
    checker.namespaces();
    checker.faults
}

struct Checker<'a> {
    parts: &'a Parts,
    tables: BTreeMap<&'a Identifier, &'a Table>,
    enums: BTreeMap<&'a Identifier, &'a Enum>,
    faults: Vec<Fault>,
}

impl<'a> Checker<'a> {
    fn fault(&mut self, kind: FaultKind, place: Place) {
        self.faults.push(Fault::new(kind, place));
    }

    fn names(&mut self) {
        for table in &self.parts.tables {
            if self.tables.insert(&table.name, table).is_some() {
                let place = Place::whole(&table.name, Item::Table).part(Part::Name);
                self.fault(FaultKind::DuplicateTable(table.name.clone()), place);
            }
        }
        for owner in &self.parts.enums {
            if self.enums.insert(&owner.name, owner).is_some() {
                let place = Place::whole(&owner.name, Item::Enum).part(Part::Name);
                self.fault(FaultKind::DuplicateEnum(owner.name.clone()), place);
            }
        }
    }

    /// Only what was read from a database, or from its SQL, can have a name of several lines, or one without a letter.
    fn sayable<'n>(&mut self, names: impl Iterator<Item = &'n Identifier> + Clone, place: Place) {
        if names.clone().any(|name| name.as_str().is_empty()) {
            self.fault(FaultKind::EmptyName, place);
        } else if names.clone().any(|name| name.as_str().contains('\n')) {
            self.fault(FaultKind::NameOfLines, place);
        }
    }

    /// Every namespace that a name is in is declared.
    fn namespaces(&mut self) {
        let parts = self.parts;
        let tables = parts.tables.iter().map(|one| (&one.name, Item::Table));
        let enums = parts.enums.iter().map(|one| (&one.name, Item::Enum));
        let programs = parts.programs.iter().map(|one| (&one.name, Item::Program));
        let is_namespace = |one: &&Program| one.word.as_deref() == Some("namespace");
        let declared: BTreeSet<&str> =
            parts.programs.iter().filter(is_namespace).map(|one| one.name.as_str()).collect();
        for (name, item) in tables.chain(enums).chain(programs) {
            let Some(namespace) = name.namespace().filter(|one| !declared.contains(one)) else { continue };
            let nearest = nearest(namespace, declared.iter().copied()).map(Identifier::new);
            let kind = FaultKind::UnknownNamespace { name: Identifier::new(namespace), nearest };
            self.fault(kind, Place::whole(name, item).part(Part::Name));
        }
    }

    /// A name that was left is left for one new name only, and not for itself.
    fn former<'n>(&mut self, names: impl Iterator<Item = (&'n Identifier, Option<&'n Identifier>, Place)>) {
        let mut seen: BTreeMap<&Identifier, Place> = BTreeMap::new();
        for (name, old, place) in names {
            let Some(old) = old else { continue };
            if old == name {
                self.fault(FaultKind::FormerlyItself(name.clone()), place.clone());
            }
            if let Some(first) = seen.insert(old, place.clone()) {
                self.faults.push(Fault::new(FaultKind::FormerlyTwice(old.clone()), place).with_other(first));
            }
        }
    }

    fn programs(&mut self) {
        let programs = &self.parts.programs;
        for (at, program) in programs.iter().enumerate() {
            let place = Place::whole(&program.name, Item::Program).part(Part::Name);
            let same = |other: &&(usize, &Program)| {
                let (_, other) = other;
                other.kind == program.kind
                    && other.word == program.word
                    && other.name == program.name
                    && other.table == program.table
                    && other.scope.overlaps(program.scope)
            };
            let earlier: Vec<_> = programs[..at].iter().enumerate().collect();
            if earlier.iter().any(|other| same(&other)) {
                let (kind, name) = (program.kind.word(), program.name.clone());
                self.fault(FaultKind::DuplicateProgram { kind, name }, place.clone());
            }
            if program.kind.is_view() && self.tables.contains_key(&program.name) {
                let (kind, name) = ("table or view", program.name.clone());
                self.fault(FaultKind::DuplicateProgram { kind, name }, place.clone());
            }
            if let Some(table) = &program.table
                && !self.tables.contains_key(table)
                && !programs.iter().any(|other| can_have_triggers(other) && other.name == *table)
            {
                let nearest =
                    nearest(table.as_str(), self.tables.keys().map(|name| name.as_str())).map(Identifier::new);
                let kind = FaultKind::UnknownTable { table: table.clone(), nearest };
                self.fault(kind, place.clone().part(Part::ReferencedTable));
            }
            self.sayable([&program.name].into_iter().chain(&program.table), place.clone());
            if program.body.trim().is_empty() && program.form.is_none() {
                self.fault(FaultKind::EmptyProgram, place.clone().part(Part::Expression));
            }
            if program.kind.is_view() && selects_all(&program.body) {
                self.fault(FaultKind::SelectsAll(program.name.clone()), place.part(Part::Expression));
            }
        }
    }

    fn enumeration(&mut self, owner: &Enum) {
        let place = Place::whole(&owner.name, Item::Enum);
        if owner.words.is_empty() {
            self.fault(FaultKind::EmptyEnum(owner.name.clone()), place.clone());
        }
        let mut seen = BTreeSet::new();
        for (at, word) in owner.words.iter().enumerate() {
            if !seen.insert(word) {
                let kind = FaultKind::DuplicateWord { owner: owner.name.clone(), word: word.clone() };
                self.fault(kind, place.clone().part(Part::Element(at)));
            }
        }
        let words = owner.words.iter().enumerate();
        self.former(words.map(|(at, word)| (word, owner.formerly.get(word), place.clone().part(Part::Formerly(at)))));
    }

    fn table(&mut self, table: &'a Table) {
        let whole = Place::whole(&table.name, Item::Table).part(Part::Name);
        if table.columns.is_empty() {
            self.fault(FaultKind::NoColumns(table.name.clone()), whole);
            return;
        }
        if table.primary_keys.is_empty() {
            self.fault(FaultKind::NoPrimaryKey(table.name.clone()), whole.clone());
        }
        let columns = table.columns.iter().map(|column| &column.name);
        self.sayable([&table.name].into_iter().chain(columns), whole);
        let mut seen: BTreeMap<&Identifier, usize> = BTreeMap::new();
        for (at, column) in table.columns.iter().enumerate() {
            if let Some(first) = seen.insert(&column.name, at) {
                let kind = FaultKind::DuplicateColumn { table: table.name.clone(), column: column.name.clone() };
                let place = |at| Place::whole(&table.name, Item::Column(at)).part(Part::Name);
                self.faults.push(Fault::new(kind, place(at)).with_other(place(first)));
            }
            self.column(table, column, &Place::whole(&table.name, Item::Column(at)));
        }
        let columns = table.columns.iter().enumerate();
        self.former(columns.map(|(at, column)| {
            let place = Place::whole(&table.name, Item::Column(at)).part(Part::Formerly(0));
            (&column.name, column.formerly.as_ref(), place)
        }));
        self.identities(table);
        self.generated_circles(table);
        self.keys(table);
        for (at, key) in table.foreign_keys.iter().enumerate() {
            let place = Place::whole(&table.name, Item::ForeignKey(at));
            self.sayable([&key.referenced_table].into_iter().chain(&key.referenced_columns), place.clone());
            self.foreign_key(table, key, &place);
        }
        for (at, check) in table.checks.iter().enumerate() {
            let place = Place::whole(&table.name, Item::Check(at)).part(Part::Expression);
            self.expression(table, &check.expression, &place);
        }
        self.indexes(table);
        self.constraint_names(table);
    }

    fn column(&mut self, table: &Table, column: &Column, place: &Place) {
        self.type_limits(&column.ty, &place.clone().part(Part::Type));
        if let Some(name) = enum_name(&column.ty)
            && !self.enums.contains_key(name)
        {
            let known = self.enums.keys().map(|name| name.as_str()).chain(Type::WORDS);
            let nearest = Type::meant_by(name.as_str()).or_else(|| nearest(name.as_str(), known)).map(str::to_owned);
            self.fault(FaultKind::UnknownEnum { name: name.clone(), nearest }, place.clone().part(Part::Type));
        }
        for scoped in &column.default {
            self.default(column, &scoped.value, &place.clone().part(Part::Default));
        }
        if !column.identity.is_empty() {
            self.identity(column, place);
        }
        for scoped in &column.generated {
            self.expression(table, &scoped.value.expression, &place.clone().part(Part::Expression));
        }
        if meet(&column.generated, &column.default) {
            self.fault(FaultKind::GeneratedWith("a default"), place.clone().part(Part::Default));
        }
        let updated = column.on_update_now.is_some_and(|scope| meets(scope, &column.generated));
        if updated {
            self.fault(FaultKind::GeneratedWith("`on update now`"), place.clone().part(Part::OnUpdate));
        }
    }

    /// Whether a type is none at all, which is told where it stands.
    fn is_unknown(&self, ty: &Type) -> bool {
        enum_name(ty).is_some_and(|name| !self.enums.contains_key(name))
    }

    fn type_limits(&mut self, ty: &Type, place: &Place) {
        match ty {
            Type::Decimal(Some((precision, scale))) if scale > precision => {
                self.fault(FaultKind::DecimalScale { precision: *precision, scale: *scale }, place.clone());
            }
            Type::Text(Some(0)) | Type::Char(0) | Type::Bytes(Some(0)) | Type::Decimal(Some((0, _))) => {
                self.fault(FaultKind::ZeroLength { ty: ty.clone() }, place.clone());
            }
            Type::Time(Some(10..)) | Type::Datetime(Some(10..)) | Type::Instant(Some(10..)) => {
                self.fault(FaultKind::FractionDigits, place.clone());
            }
            Type::Array(element) => self.type_limits(element, place),
            _ => {}
        }
    }

    fn identity(&mut self, column: &Column, place: &Place) {
        let at = place.clone().part(Part::Identity);
        let is_native = column.identity.iter().all(|one| is_native(one.scope, [&column.native]));
        if !column.ty.is_integer() && column.ty != Type::Native && !self.is_unknown(&column.ty) && !is_native {
            let kind = FaultKind::IdentityType { column: column.name.clone(), ty: column.ty.clone() };
            self.fault(kind, at.clone());
        }
        for identity in &column.identity {
            let (Type::Int(bits), Some(from)) = (&column.ty, identity.value.from) else { continue };
            let most = i64::MAX >> (64 - bits);
            if !(-most - 1..=most).contains(&from) {
                self.fault(FaultKind::FirstNumber { from, ty: column.ty.clone(), most }, at.clone());
            }
        }
        if column.nullable {
            self.fault(FaultKind::IdentityWith("null"), at.clone());
        }
        if meet(&column.identity, &column.default) {
            self.fault(FaultKind::IdentityWith("given a default"), at.clone());
        }
        if meet(&column.identity, &column.generated) {
            self.fault(FaultKind::IdentityWith("generated"), at);
        }
    }

    fn identities(&mut self, table: &Table) {
        let columns: Vec<_> = table.columns.iter().enumerate().filter(|(_, one)| !one.identity.is_empty()).collect();
        let numbers = |column: &Column, provider| {
            column.scope.holds(provider) && Scoped::pick(&column.identity, provider).is_some()
        };
        let both = |one: &Column, other: &Column| {
            Provider::ALL.into_iter().any(|provider| numbers(one, provider) && numbers(other, provider))
        };
        let is_second = |place: &usize| columns[..*place].iter().any(|(_, earlier)| both(earlier, columns[*place].1));
        if let Some(place) = (0..columns.len()).find(is_second) {
            let (at, _) = columns[place];
            let place = Place::whole(&table.name, Item::Column(at)).part(Part::Identity);
            self.fault(FaultKind::TwoIdentities(table.name.clone()), place);
        }
    }

    /// A generated column that is computed from itself, directly or by way of others.
    fn generated_circles(&mut self, table: &Table) {
        let sources = |column: &Column| -> Vec<usize> {
            let expressions = column.generated.iter().map(|scoped| Expression::new(&scoped.value.expression));
            let names: Vec<String> = expressions.flat_map(|one| one.columns().to_vec()).map(|one| one.name).collect();
            let mentioned = |other: &Column| names.iter().any(|name| name.eq_ignore_ascii_case(other.name.as_str()));
            table.columns.iter().enumerate().filter(|(_, other)| mentioned(other)).map(|(at, _)| at).collect()
        };
        let any_generated = table.columns.iter().any(|column| !column.generated.is_empty());
        if !any_generated {
            return;
        }
        let edges: Vec<Vec<usize>> = table.columns.iter().map(sources).collect();
        for (start, column) in table.columns.iter().enumerate() {
            let mut reached = vec![false; edges.len()];
            let mut open = edges[start].clone();
            while let Some(at) = open.pop() {
                if !std::mem::replace(&mut reached[at], true) {
                    open.extend(&edges[at]);
                }
            }
            if reached[start] {
                let place = Place::whole(&table.name, Item::Column(start)).part(Part::Expression);
                self.fault(FaultKind::GeneratedFromItself(column.name.clone()), place);
            }
        }
    }

    fn keys(&mut self, table: &'a Table) {
        for (at, key) in table.primary_keys.iter().enumerate() {
            let place = Place::whole(&table.name, Item::PrimaryKey);
            let earlier = &table.primary_keys[..at];
            if earlier.iter().any(|other| other.scope.overlaps(key.scope)) {
                self.fault(FaultKind::TwoPrimaryKeys(table.name.clone()), place.clone());
            }
            self.column_list(table, &key.columns, &place);
            for (at, name) in key.columns.iter().enumerate() {
                if table.column(name).is_some_and(|column| column.nullable) {
                    self.fault(FaultKind::NullableKey(name.clone()), place.clone().part(Part::Element(at)));
                }
            }
        }
        for (at, unique) in table.uniques.iter().enumerate() {
            self.column_list(table, &unique.columns, &Place::whole(&table.name, Item::Unique(at)));
        }
    }

    fn column_list(&mut self, table: &Table, columns: &[Identifier], place: &Place) {
        for (at, name) in columns.iter().enumerate() {
            let place = place.clone().part(Part::Element(at));
            if table.column(name).is_none() {
                self.unknown_column(table, name, place);
            } else if columns[..at].contains(name) {
                self.fault(FaultKind::RepeatedColumn { column: name.clone() }, place);
            }
        }
    }

    fn unknown_column(&mut self, table: &Table, name: &Identifier, place: Place) {
        let known = table.columns.iter().map(|column| column.name.as_str());
        let kind = FaultKind::UnknownColumn {
            table: table.name.clone(),
            column: name.clone(),
            nearest: nearest(name.as_str(), known).map(Identifier::new),
        };
        self.fault(kind, place);
    }

    fn foreign_key(&mut self, table: &Table, key: &ForeignKey, place: &Place) {
        let before = self.faults.len();
        self.column_list(table, &key.columns, place);
        if key.options.iter().any(|option| option.value == UNCHECKED) {
            return;
        }
        let Some(referenced) = self.tables.get(&key.referenced_table).copied() else {
            let known = self.tables.keys().map(|name| name.as_str());
            let kind = FaultKind::UnknownTable {
                table: key.referenced_table.clone(),
                nearest: nearest(key.referenced_table.as_str(), known).map(Identifier::new),
            };
            self.fault(kind, place.clone().part(Part::ReferencedTable));
            return;
        };
        for (at, name) in key.referenced_columns.iter().enumerate() {
            if referenced.column(name).is_none() {
                self.unknown_column(referenced, name, place.clone().part(Part::Referenced(at)));
            }
        }
        if key.columns.len() != key.referenced_columns.len() {
            let kind =
                FaultKind::ReferenceCount { columns: key.columns.len(), referenced: key.referenced_columns.len() };
            self.fault(kind, place.clone());
        }
        if self.faults.len() > before {
            return;
        }
        if !is_key(referenced, &key.referenced_columns, |_| true) {
            let names: Vec<_> = key.referenced_columns.iter().map(Identifier::as_str).collect();
            let kind = FaultKind::NotAKey { table: referenced.name.clone(), columns: names.join(", ") };
            self.fault(kind, place.clone().part(Part::ReferencedTable));
        }
        self.reference_types(table, key, referenced, place);
        self.reference_actions(table, key, place);
    }

    fn reference_types(&mut self, table: &Table, key: &ForeignKey, referenced: &Table, place: &Place) {
        for (at, (from, to)) in key.columns.iter().zip(&key.referenced_columns).enumerate() {
            let (Some(column), Some(target)) = (table.column(from), referenced.column(to)) else { continue };
            if column.ty == target.ty || self.is_unknown(&column.ty) || self.is_unknown(&target.ty) {
                continue;
            }
            // What a provider's own types go with is not known here.
            if is_native(key.scope, [&column.native, &target.native]) {
                continue;
            }
            let kind = FaultKind::ReferenceType {
                column: from.clone(),
                ty: column.ty.clone(),
                referenced: format!("{}.{to}", referenced.name),
                referenced_ty: target.ty.clone(),
            };
            let other = referenced.columns.iter().position(|column| column.name == *to).unwrap_or_default();
            let other = Place::whole(&referenced.name, Item::Column(other)).part(Part::Type);
            self.faults.push(Fault::new(kind, place.clone().part(Part::Element(at))).with_other(other));
        }
    }

    fn reference_actions(&mut self, table: &Table, key: &ForeignKey, place: &Place) {
        for (event, action) in [("delete", key.on_delete), ("update", key.on_update)] {
            if action != Action::SetNull {
                continue;
            }
            let is_required = |name: &Identifier| table.column(name).is_some_and(|column| !column.nullable);
            let is_set = |name: &Identifier| event == "update" || key.sets_on_delete(name);
            let required = key.columns.iter().find(|name| is_set(name) && is_required(name));
            if let Some(column) = required {
                self.fault(FaultKind::SetNullOnRequired { column: column.clone(), event }, place.clone());
            }
        }
    }

    fn expression(&mut self, table: &Table, text: &str, place: &Place) {
        let expression = Expression::new(text);
        if !expression.is_parsed() {
            return;
        }
        for reference in expression.columns() {
            let known = table.columns.iter().any(|column| {
                let name = column.name.as_str();
                name == reference.name || (!reference.quoted && name.eq_ignore_ascii_case(&reference.name))
            });
            if !known {
                self.unknown_column(table, &Identifier::new(&*reference.name), place.clone());
            }
        }
    }

    fn indexes(&mut self, table: &Table) {
        for (at, index) in table.indexes.iter().enumerate() {
            let place = Place::whole(&table.name, Item::Index(at));
            self.sayable(index.name.iter(), place.clone());
            if index.parts.is_empty() {
                self.fault(FaultKind::EmptyIndex, place.clone());
            }
            for (at, part) in index.parts.iter().enumerate() {
                let place = place.clone().part(Part::Element(at));
                match &part.key {
                    KeyPart::Column(name) if table.column(name).is_none() => {
                        self.unknown_column(table, name, place);
                    }
                    KeyPart::Column(_) => {}
                    KeyPart::Expression(text) => self.expression(table, text, &place),
                }
            }
            for name in &index.including {
                if table.column(name).is_none() {
                    self.unknown_column(table, name, place.clone());
                }
            }
            if let Some(predicate) = &index.predicate {
                self.expression(table, predicate, &place.part(Part::Expression));
            }
        }
    }

    /// Constraints have names of their own; whether a reference can have that of a key depends on the provider.
    fn constraint_names(&mut self, table: &Table) {
        let list = |at: usize, item: fn(usize) -> Item| Place::whole(&table.name, item(at)).part(Part::Name);
        let keys =
            table.primary_keys.iter().map(|key| (&key.name, key.scope, Place::whole(&table.name, Item::PrimaryKey)));
        let uniques = table.uniques.iter().enumerate().map(|(at, one)| (&one.name, one.scope, list(at, Item::Unique)));
        let foreign =
            table.foreign_keys.iter().enumerate().map(|(at, one)| (&one.name, one.scope, list(at, Item::ForeignKey)));
        let checks = table.checks.iter().enumerate().map(|(at, one)| (&one.name, one.scope, list(at, Item::Check)));
        let keys = keys.chain(uniques).map(|one| (Kind::Key, one));
        let rest = foreign.map(|one| (Kind::Reference, one)).chain(checks.map(|one| (Kind::Check, one)));
        let mut seen: BTreeMap<&Identifier, Vec<Named>> = BTreeMap::new();
        for (kind, (name, scope, place)) in keys.chain(rest) {
            let Some(name) = name else { continue };
            self.sayable([name].into_iter(), place.clone());
            let earlier = seen.entry(name).or_default();
            let are_apart = |other: Kind| kind != other && kind != Kind::Check && other != Kind::Check;
            let first = earlier.iter().find(|(other, theirs, _)| theirs.overlaps(scope) && !are_apart(*other));
            if let Some((_, _, first)) = first {
                let kind = FaultKind::DuplicateConstraint { table: table.name.clone(), name: name.clone() };
                self.faults.push(Fault::new(kind, place.clone()).with_other(first.clone()));
            }
            earlier.push((kind, scope, place));
        }
    }

    fn default(&mut self, column: &Column, value: &Value, place: &Place) {
        if *value == Value::Null {
            if !column.nullable {
                self.fault(FaultKind::DefaultNullOnRequired(column.name.clone()), place.clone());
            }
            return;
        }
        if let (Type::Enum(name), Value::Word(word)) = (&column.ty, value) {
            if let Some(owner) = self.enums.get(name)
                && !owner.words.contains(word)
            {
                let known = owner.words.iter().map(Identifier::as_str);
                let nearest = nearest(word.as_str(), known).map(Identifier::new);
                let kind = FaultKind::UnknownWord { owner: name.clone(), word: word.clone(), nearest };
                self.fault(kind, place.clone());
            }
            return;
        }
        // A type that is not there is a mistake of its own.
        if matches!(&column.ty, Type::Enum(name) if !self.enums.contains_key(name)) {
            return;
        }
        if let Err(wanted) = fits(&column.ty, value) {
            let kind = FaultKind::DefaultDoesNotFit { value: shown(value), ty: column.ty.clone(), wanted };
            self.fault(kind, place.clone());
        }
    }
}

/// Whether each provider of a scope has one of these types of its own, in place of the one that is said for all.
fn is_native<const N: usize>(scope: Scope, types: [&[Scoped<String>]; N]) -> bool {
    let is_told = |provider| types.iter().any(|list| Scoped::pick(list, provider).is_some());
    Provider::ALL.into_iter().filter(|provider| scope.holds(*provider)).all(is_told)
}

/// Whether a trigger can be on it.
fn can_have_triggers(program: &Program) -> bool {
    let words = ["view", "materialized view", "table", "foreign table", "partition", "virtual table"];
    program.kind.is_view() || program.word.as_deref().is_some_and(|word| words.contains(&word))
}

/// Whether what a query answers has a `*` among its columns: one that is counted with, that stands for a whole row in a call,
/// or in a query inside of it (`exists (select * …)`) is none of them.
fn selects_all(query: &str) -> bool {
    // For each parenthesis that is open, whether it holds a part of the query itself, as in `(select …) union (select …)`.
    let mut own: Vec<bool> = Vec::new();
    let mut before = String::new();
    for token in Lexer::new(query, 0, Syntax::STANDARD) {
        if matches!(token.kind, TokenKind::Space | TokenKind::Comment) {
            continue;
        }
        let text = token.span.text(query).to_ascii_lowercase();
        let is_own = own.last().is_none_or(|own| *own);
        match text.as_str() {
            "*" if is_own && matches!(before.as_str(), "select" | "distinct" | "all" | "," | ".") => return true,
            // `union all (` is no other than `union (`, where `> all (` compares with a query inside.
            "all" | "distinct" if matches!(before.as_str(), "union" | "except" | "intersect") => continue,
            "(" => own.push(is_own && matches!(before.as_str(), "" | "(" | "union" | "except" | "intersect")),
            ")" => drop(own.pop()),
            _ => {}
        }
        before = text;
    }
    false
}

/// Whether some provider has a value of both lists.
fn meet<A, B>(list: &[Scoped<A>], other: &[Scoped<B>]) -> bool {
    list.iter().any(|one| meets(one.scope, other))
}

/// Whether some provider of the scope has a value of the list.
fn meets<T>(scope: Scope, list: &[Scoped<T>]) -> bool {
    list.iter().any(|one| one.scope.overlaps(scope))
}

fn enum_name(ty: &Type) -> Option<&Identifier> {
    match ty {
        Type::Enum(name) => Some(name),
        Type::Array(element) => enum_name(element),
        _ => None,
    }
}

/// What a constraint is, as far as its name goes.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Key,
    Reference,
    Check,
}

/// A constraint with a name: what it is, for whom, and where.
type Named = (Kind, Scope, Place);

/// Whether a reference may point to these columns of the table: a primary key, a unique constraint, or a unique index over
/// whole columns in their own collation, among those whose scope is wanted.
pub(crate) fn is_key(table: &Table, columns: &[Identifier], wanted: impl Fn(Scope) -> bool) -> bool {
    let same = |key: &[Identifier]| key.len() == columns.len() && columns.iter().all(|name| key.contains(name));
    let over_columns = |index: &super::Index| -> Option<Vec<Identifier>> {
        let whole = |part: &super::IndexPart| match &part.key {
            KeyPart::Column(name) if part.collate.is_none() && part.prefix.is_none() => Some(name.clone()),
            KeyPart::Column(_) | KeyPart::Expression(_) => None,
        };
        index.parts.iter().map(whole).collect()
    };
    table.primary_keys.iter().any(|key| wanted(key.scope) && same(&key.columns))
        || table.uniques.iter().any(|unique| wanted(unique.scope) && same(&unique.columns))
        || table.indexes.iter().any(|index| {
            let is_candidate = index.unique && index.predicate.is_none() && wanted(index.scope);
            is_candidate && over_columns(index).is_some_and(|key| same(&key))
        })
}

pub(super) fn shown(value: &Value) -> String {
    match value {
        Value::Number(text) => text.clone(),
        Value::Text(text) => format!("'{text}'"),
        Value::Bytes(digits) => format!("x'{digits}'"),
        Value::Bool(truth) => truth.to_string(),
        Value::Null => "null".into(),
        Value::Now => "`now`".into(),
        Value::Today => "`today`".into(),
        Value::NewUuid => "`new uuid`".into(),
        Value::Word(word) => format!("`{word}`"),
        Value::Expression(text) => format!("({text})"),
    }
}

/// Whether a value can be a default of the type; otherwise what could be.
pub(crate) fn fits(ty: &Type, value: &Value) -> Result<(), String> {
    if matches!(value, Value::Expression(_) | Value::Null) {
        return Ok(());
    }
    let wanted = |fit: bool, words: &str| if fit { Ok(()) } else { Err(words.to_owned()) };
    match ty {
        Type::Bool => wanted(matches!(value, Value::Bool(_)), "`true` or `false`"),
        Type::Int(bits) => {
            wanted(matches!(value, Value::Number(text) if fits_integer(text, *bits)), &integer_range(*bits))
        }
        Type::Float(_) => wanted(matches!(value, Value::Number(_)), "a number"),
        Type::Decimal(size) => fits_decimal(*size, value),
        Type::Text(None) => wanted(matches!(value, Value::Text(_)), "a text in single quotes"),
        Type::Text(Some(length)) => wanted(
            matches!(value, Value::Text(text) if text.chars().count() <= *length as usize),
            &format!("a text of at most {length} characters in single quotes"),
        ),
        Type::Char(length) => wanted(
            matches!(value, Value::Text(text) if text.chars().count() <= *length as usize),
            &format!("a text of {length} characters in single quotes"),
        ),
        Type::Bytes(length) => wanted(
            matches!(value, Value::Bytes(digits) if length.is_none_or(|most| digits.len() / 2 <= most as usize)),
            &length.map_or("bytes such as x'00ff'".to_owned(), |most| format!("at most {most} bytes, such as x'00ff'")),
        ),
        Type::Date => wanted(
            matches!(value, Value::Today) || matches!(value, Value::Text(text) if looks_like(text, "0000-00-00")),
            "`today` or a date such as '2026-05-01'",
        ),
        Type::Time(_) => wanted(
            matches!(value, Value::Now) || matches!(value, Value::Text(text) if looks_like(text, "00:00:00")),
            "`now` or a time such as '17:30:00'",
        ),
        Type::Datetime(_) | Type::Instant(_) => wanted(
            matches!(value, Value::Now)
                || matches!(value, Value::Text(text) if looks_like(text, "0000-00-00 00:00:00")),
            "`now` or a moment such as '2026-05-01 17:30:00'",
        ),
        Type::Uuid => wanted(
            matches!(value, Value::NewUuid)
                || matches!(value, Value::Text(text) if text.len() == 36 && text.bytes().filter(|byte| *byte == b'-').count() == 4),
            "`new uuid` or one in single quotes",
        ),
        Type::Json => wanted(
            matches!(value, Value::Text(text) if serde_json::from_str::<serde::de::IgnoredAny>(text).is_ok()),
            "a JSON document in single quotes, such as '{}'",
        ),
        Type::Enum(name) => wanted(false, &format!("a word of enum `{name}`")),
        Type::Interval => wanted(matches!(value, Value::Text(_)), "a span such as '1 day'"),
        Type::Array(_) => wanted(matches!(value, Value::Text(_)), "an array such as '{}'"),
        Type::Native => wanted(!matches!(value, Value::Word(_)), "a literal or an SQL expression in parentheses"),
    }
}

fn fits_integer(text: &str, bits: u8) -> bool {
    let half = 1i128 << (bits - 1);
    text.parse::<i128>().is_ok_and(|number| (-half..half).contains(&number))
}

fn integer_range(bits: u8) -> String {
    let half = 1i128 << (bits - 1);
    format!("a whole number from {} to {}", -half, half - 1)
}

fn fits_decimal(size: Option<(u32, u32)>, value: &Value) -> Result<(), String> {
    let Value::Number(text) = value else { return Err("a number".into()) };
    let Some((precision, scale)) = size else { return Ok(()) };
    let wanted = || format!("a number with at most {precision} digits, {scale} of them behind the point");
    if text.contains(['e', 'E']) {
        return Err(wanted());
    }
    let digits = text.trim_start_matches(['-', '+']);
    let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
    let whole = whole.trim_start_matches('0').len();
    let fraction = fraction.trim_end_matches('0').len();
    let fit = fraction <= scale as usize && whole <= (precision - scale) as usize;
    if fit { Ok(()) } else { Err(wanted()) }
}

/// Whether the text begins like the pattern, where `0` stands for a digit; `T` may stand for the space.
fn looks_like(text: &str, pattern: &str) -> bool {
    text.len() >= pattern.len()
        && text.bytes().zip(pattern.bytes()).all(|(byte, wanted)| match wanted {
            b'0' => byte.is_ascii_digit(),
            b' ' => byte == b' ' || byte == b'T',
            _ => byte == wanted,
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn defaults_fit_their_types() {
        #[track_caller]
        fn case(ty: Type, value: Value, expected: bool) {
            assert_eq!(fits(&ty, &value).is_ok(), expected, "{value:?} in {ty}");
        }
        let number = |text: &str| Value::Number(text.into());
        let text = |text: &str| Value::Text(text.into());
        case(Type::Int(8), number("127"), true);
        case(Type::Int(8), number("128"), false);
        case(Type::Int(8), number("-128"), true);
        case(Type::Int(64), number("9223372036854775808"), false);
        case(Type::Int(32), number("1.5"), false);
        case(Type::Decimal(Some((6, 2))), number("1234.56"), true);
        case(Type::Decimal(Some((6, 2))), number("12345.6"), false);
        case(Type::Decimal(Some((6, 2))), number("0.005"), false);
        case(Type::Decimal(Some((6, 2))), number("1.500"), true);
        case(Type::Text(Some(3)), text("häh"), true);
        case(Type::Text(Some(3)), text("four"), false);
        case(Type::Text(None), number("4"), false);
        case(Type::Bytes(Some(1)), Value::Bytes("00ff".into()), false);
        case(Type::Date, Value::Today, true);
        case(Type::Date, Value::Now, false);
        case(Type::Date, text("2026-05-01"), true);
        case(Type::Instant(None), text("2026-05-01T10:00:00Z"), true);
        case(Type::Bool, number("1"), false);
        case(Type::Json, text("{}"), true);
        case(Type::Json, text("{"), false);
        case(Type::Uuid, Value::NewUuid, true);
        case(Type::Int(32), Value::Expression("1 + 1".into()), true);
    }

    #[test]
    fn a_query_selects_all_where_its_own_columns_are_not_named() {
        #[track_caller]
        fn case(query: &str, expected: bool) {
            assert_eq!(selects_all(query), expected, "{query}");
        }
        case("select * from hive", true);
        case("select hive.*, 1 from hive", true);
        case("select name, * from hive", true);
        case("(select 1) union all (select * from hive)", true);
        case("select count(*) from hive", false);
        case("select row_to_json(honey.*) from (select kg from harvest) honey", false);
        case("select name from hive where exists (select * from harvest where hive = hive.id)", false);
        case("with old as (select * from hive) select name from old", false);
        case("with old as (select name from hive) select * from old", true);
        case("select all * from hive", true);
        case("select name from hive where id > all (select * from gone)", false);
        case("select (kg) * 2 from harvest", false);
    }
}
