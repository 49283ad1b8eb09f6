//! What a provider stores, as declarations: the other direction of lowering.
//!
//! Every candidate is tried by lowering it: what is taken is what the provider stores just so. Where no portable word
//! does, the provider's own type or option is declared. The law is `lower(lift(p)) == p`; what cannot be said is taken
//! out and named, never left to differ in silence.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet, HashMap};

use super::lowering::{UNNAMED, collation_of, descending, mentioned};
use super::naming::{NameKind, derived_name};
use super::{Dialect, postgres};
use crate::physical::{self, EnumType, IndexKey, Introspected, ObjectKind, Schema as Stored, Unmanaged};
use crate::schema::{
    Check, Column, Enum, Fault, FaultKind, ForeignKey, Form, Generated, Identifier, Index, IndexPart, Item, KeyPart,
    Part, Parts, PrimaryKey, Program, ProgramKind, Provider, Schema, Scope, Scoped, Table, Type, UNCHECKED, Unique,
    Value,
};
use crate::sql::Expression;

/// Declarations of what a database holds.
#[derive(Debug)]
pub struct Lifted {
    /// The declarations.
    pub schema: Schema,
    /// What it lowers to.
    pub lowered: Stored,
    /// What they cannot say, by kind and name.
    pub left_out: Vec<Unmanaged>,
    /// Mistakes among that, which no database would hold: those of somebody who wrote the SQL.
    pub slips: Vec<Fault>,
}

/// What a check beside a column stands for.
pub(super) enum TypeByCheck {
    /// It is JSON.
    Json,
    /// It is one of these words.
    Words(Vec<Identifier>),
}

/// What one dialect answers while a schema is lifted.
pub(super) trait Lifting {
    /// The provider's type for a portable one; nothing where it has none.
    fn portable(&self, ty: &Type, enums: &[Enum]) -> Option<physical::TypeName>;
    /// A stored default as a declaration says it.
    fn declared_default(&self, stored: &Expression) -> String {
        stored.text().to_owned()
    }
    /// What a check stands for that a column of a type which the provider does not have is kept with.
    fn by_check(&self, _column: &physical::Column, _check: &Expression) -> Option<TypeByCheck> {
        None
    }
    /// A provider's own type, as it is compared.
    fn native(&self, text: &str) -> physical::TypeName;
    /// A value as the provider's expression for a default; nothing where it is as good as none.
    fn default(&self, table: &Table, column: &Column, value: &Value) -> Option<Expression>;
    /// The stored name of a table, type or the like as it is declared.
    fn object(&self, name: &str) -> Identifier {
        Identifier::new(name)
    }
    /// A stored expression as it is declared.
    fn declared(&self, stored: &Expression) -> String;
    /// The words of a type that is an enum by itself.
    fn words(&self, _: &physical::TypeName) -> Option<Vec<String>> {
        None
    }
    /// Whether a column numbers rows without saying so, and what remains to be said of its table.
    fn numbers(&self, _: &physical::Table, _: &physical::Column) -> bool {
        false
    }
    /// Whether an attribute of a column follows from what else is declared of it.
    fn follows(&self, _: &physical::Column, _: &str) -> bool {
        false
    }
    /// Mends what only shows once the whole table is declared.
    fn finish(&self, _: &physical::Table, _: &mut Table) {}
}

/// Whether the language writes a number just so: `-.5`, `+1`, `1.` and `1.e3` are expressions.
pub(super) fn is_number(text: &str) -> bool {
    let is_digit = |one: Option<char>| one.is_some_and(|one| one.is_ascii_digit());
    let plain = text.strip_prefix('-').unwrap_or(text);
    let is_whole = plain.split('.').all(|part| is_digit(part.chars().next()));
    is_whole && text.parse::<f64>().is_ok()
}

/// Declares what was found.
///
/// # Errors
///
/// The faults of what was lifted, where leaving things out did not help: a mistake of this program.
pub fn lift(dialect: Dialect, found: &Introspected) -> Result<Lifted, Vec<Fault>> {
    let lifting = dialect.lifting();
    let mut lifter = Lifter {
        dialect,
        lifting: &*lifting,
        scope: Scope::For(dialect.provider().into()),
        enums: Vec::new(),
        portable: RefCell::default(),
    };
    let mut parts = lifter.parts(&found.schema);
    let mut left_out = found.unmanaged.clone();
    let mut slips = Vec::new();
    // Every round takes out at least one thing, so there is an end to it.
    loop {
        let faults = match Schema::new(parts.clone()) {
            Err(faults) => faults,
            Ok((schema, _)) => match dialect.lower(&schema) {
                Err(faults) => faults,
                Ok(lowered) => return Ok(Lifted { schema, lowered: lowered.schema, left_out, slips }),
            },
        };
        let before = left_out.len();
        let mut changed = false;
        for fault in faults.iter().filter(|fault| fault.is_error()) {
            slips.extend(is_slip(&fault.kind).then(|| fault.clone()));
            changed |= give_way(&mut parts, fault, lifter.scope, &mut left_out);
        }
        if !changed && left_out.len() == before {
            return Err(faults);
        }
        parts.tables.iter_mut().for_each(sweep);
    }
}

/// Whether every server refuses it.
fn is_slip(fault: &FaultKind) -> bool {
    matches!(fault, FaultKind::DuplicateColumn { .. } | FaultKind::TwoPrimaryKeys(_) | FaultKind::UnknownColumn { .. })
}

/// A name that marks what is taken out at the end of a round, so that places stay true until then.
const GONE: &str = "\u{0}gone";

/// Mends what is at fault, or takes it out.
fn give_way(parts: &mut Parts, fault: &Fault, scope: Scope, left_out: &mut Vec<Unmanaged>) -> bool {
    let owner = fault.place.owner.to_string();
    let mut leave = |kind, name: String, sql: String| {
        left_out.push(Unmanaged { kind, name, table: Some(owner.clone()), sql });
    };
    if fault.place.item == Item::Program {
        let Some(at) = parts.programs.iter().position(|one| one.name == fault.place.owner) else { return false };
        let program = parts.programs.remove(at);
        let kind = match program.kind {
            ProgramKind::View => ObjectKind::View,
            ProgramKind::MaterializedView => ObjectKind::MaterializedView,
            ProgramKind::Trigger => ObjectKind::Trigger,
            ProgramKind::Routine => ObjectKind::Routine,
            ProgramKind::Object => {
                program.word.as_deref().and_then(ObjectKind::from_word).unwrap_or(ObjectKind::Unreadable)
            }
        };
        left_out.push(Unmanaged { kind, name: owner, table: None, sql: program.body });
        return true;
    }
    let Some(table) = parts.tables.iter_mut().find(|table| table.name == fault.place.owner) else { return false };
    let gone = || Some(Identifier::new(GONE));
    match &fault.place.item {
        Item::ForeignKey(at) => {
            let Some(key) = table.foreign_keys.get_mut(*at) else { return false };
            // SQLite keeps one that names no columns, where the other table has no key.
            let is_kept = scope.holds(Provider::Sqlite) && key.referenced_columns.is_empty();
            let is_uneven = matches!(fault.kind, FaultKind::ReferenceCount { .. }) && !is_kept;
            if is_uneven || key.options.iter().any(|option| option.value == UNCHECKED) {
                let text = format!("references {}", key.referenced_table);
                leave(ObjectKind::Constraint, label(&key.name, &text), text);
                key.name = gone();
            } else {
                key.options.push(Scoped { value: UNCHECKED.into(), scope });
            }
        }
        Item::Unique(at) => {
            let Some(key) = table.uniques.get_mut(*at) else { return false };
            leave(
                ObjectKind::Constraint,
                label(&key.name, &format!("unique ({})", listed(&key.columns))),
                String::new(),
            );
            key.name = gone();
        }
        Item::Check(at) => {
            let Some(check) = table.checks.get_mut(*at) else { return false };
            let text = format!("check ({})", check.expression);
            leave(ObjectKind::Constraint, label(&check.name, &text), check.expression.clone());
            check.name = gone();
        }
        Item::Index(at) => {
            let Some(index) = table.indexes.get_mut(*at) else { return false };
            leave(ObjectKind::ViewIndex, label(&index.name, "(no name)"), String::new());
            index.name = gone();
        }
        Item::Column(at) => {
            let Some(column) = table.columns.get_mut(*at) else { return false };
            let shown = format!("{} ({})", column.name, fault.kind);
            match fault.place.part {
                Part::Default if !column.default.is_empty() => column.default.clear(),
                Part::Expression if !column.generated.is_empty() => column.generated.clear(),
                // It is of the provider's own type, and of what it references elsewhere.
                Part::Identity if gives_numbers_here(column, &fault.kind, scope) => {
                    column.identity.iter_mut().for_each(|one| one.scope = scope);
                    return true;
                }
                Part::Identity if !column.identity.is_empty() => column.identity.clear(),
                Part::OnUpdate if column.on_update_now.is_some() => column.on_update_now = None,
                _ if !column.options.is_empty() => column.options.clear(),
                _ => return drop_table(parts, &fault.place.owner, left_out),
            }
            leave(ObjectKind::Unreadable, shown, String::new());
        }
        Item::PrimaryKey => match &fault.kind {
            FaultKind::NullableKey(name) => {
                let Some(column) = table.columns.iter_mut().find(|column| column.name == *name) else { return false };
                column.nullable = false;
                leave(ObjectKind::Unreadable, format!("{name} (may be null, in a primary key)"), String::new());
            }
            _ => {
                leave(ObjectKind::Constraint, "primary key".into(), String::new());
                table.primary_keys.clear();
            }
        },
        Item::Option(at) => {
            let Some(option) = table.options.get_mut(*at) else { return false };
            leave(ObjectKind::Unreadable, format!("option {}", option.value), String::new());
            option.value = GONE.into();
        }
        _ => return drop_table(parts, &fault.place.owner, left_out),
    }
    true
}

/// Whether a column numbers rows by a type that it has on the provider alone.
fn gives_numbers_here(column: &Column, fault: &FaultKind, scope: Scope) -> bool {
    matches!(fault, FaultKind::IdentityType { .. })
        && column.native.iter().any(|one| one.scope == scope)
        && column.identity.iter().any(|one| one.scope == Scope::All)
}

fn drop_table(parts: &mut Parts, name: &Identifier, left_out: &mut Vec<Unmanaged>) -> bool {
    let before = parts.tables.len();
    parts.tables.retain(|table| table.name != *name);
    left_out.push(Unmanaged { kind: ObjectKind::Table, name: name.to_string(), table: None, sql: String::new() });
    parts.tables.len() < before
}

/// What something is called; where it has no name, what it says.
fn label(name: &Option<Identifier>, text: &str) -> String {
    name.as_ref().map_or_else(|| text.to_owned(), Identifier::to_string)
}

fn listed(columns: &[Identifier]) -> String {
    columns.iter().map(Identifier::to_string).collect::<Vec<_>>().join(", ")
}

/// Takes out what was marked.
fn sweep(table: &mut Table) {
    let stays = |name: &Option<Identifier>| name.as_ref().is_none_or(|name| name.as_str() != GONE);
    table.foreign_keys.retain(|one| stays(&one.name));
    table.uniques.retain(|one| stays(&one.name));
    table.checks.retain(|one| stays(&one.name));
    table.indexes.retain(|one| stays(&one.name));
    table.options.retain(|option| option.value != GONE);
}

struct Lifter<'a> {
    dialect: Dialect,
    lifting: &'a dyn Lifting,
    /// What only this provider has words for.
    scope: Scope,
    enums: Vec<Enum>,
    /// What portable types were found for stored ones: a large schema has few.
    portable: RefCell<HashMap<(String, String), Option<Type>>>,
}

impl Lifter<'_> {
    fn parts(&mut self, found: &Stored) -> Parts {
        self.enums = found.enums().map(|one| enumeration(self.lifting.object(&one.name), one)).collect();
        self.own_enums(found);
        let mut tables: Vec<Table> = found.tables().map(|table| self.table(table)).collect();
        let stored: BTreeMap<Identifier, &physical::Table> =
            found.tables().map(|table| (self.lifting.object(&table.name), table)).collect();
        self.numbered_types(&mut tables, &stored);
        self.reference_types(&mut tables, &stored);
        for table in &mut tables {
            if let Some(stored) = stored.get(&table.name) {
                self.defaults(table, stored);
                self.names(table, stored);
                self.lifting.finish(stored, table);
            }
        }
        let programs = found.programs().map(|one| self.program(one)).collect();
        Parts { tables, enums: std::mem::take(&mut self.enums), programs, rows: Vec::new() }
    }

    /// Enums of a provider that has no enum types: one for each list of words, named by the columns that have it.
    fn own_enums(&mut self, found: &Stored) {
        let mut lists: BTreeMap<Vec<String>, Vec<(String, String)>> = BTreeMap::new();
        for table in found.tables() {
            for column in &table.columns {
                // A server that is not strict takes a word twice, or an empty one.
                let is_list = |words: &Vec<String>| {
                    let distinct: BTreeSet<&String> = words.iter().collect();
                    distinct.len() == words.len() && words.iter().all(|word| !word.is_empty())
                };
                if let Some(words) = self.lifting.words(&column.ty).filter(is_list) {
                    lists.entry(words).or_default().push((table.name.clone(), column.name.clone()));
                }
            }
        }
        let mut taken: BTreeSet<String> = found.tables().map(|table| table.name.to_ascii_lowercase()).collect();
        taken.extend(self.enums.iter().map(|one| one.name.to_string()));
        taken.extend(Type::WORDS.iter().map(|word| (*word).to_owned()));
        for (words, columns) in lists {
            let (table, column) = &columns[0];
            let shared = columns.iter().all(|(_, name)| name == column).then(|| column.clone());
            let joined = Some(words.join("_")).filter(|name| name.len() <= 24);
            let candidates = shared.into_iter().chain(joined).chain([format!("{table}_{column}")]);
            let plain = |name: String| -> String {
                let letters = name.to_ascii_lowercase();
                letters.chars().map(|one| if one.is_ascii_alphanumeric() { one } else { '_' }).collect()
            };
            let is_free = |name: &String| !taken.contains(name) && Identifier::new(&**name).is_bare();
            let mut name =
                candidates.map(plain).find(is_free).unwrap_or_else(|| plain(format!("{table}_{column}_words")));
            while !taken.insert(name.clone()) {
                name.push('_');
            }
            self.enums.push(Enum {
                name: Identifier::new(name),
                words: words.into_iter().map(Identifier::new).collect(),
                formerly: BTreeMap::new(),
                about: None,
            });
        }
        self.enums.sort_by(|a, b| a.name.cmp(&b.name));
    }

    fn own<T>(&self, value: T) -> Scoped<T> {
        Scoped { value, scope: self.scope }
    }

    fn table(&self, stored: &physical::Table) -> Table {
        let mut table = Table::new(self.lifting.object(&stored.name));
        table.about.clone_from(&stored.comment);
        table.options = stored.options.iter().map(|option| self.own(option.clone())).collect();
        table.columns = stored.columns.iter().map(|column| self.column(stored, column)).collect();
        let options = |attributes: &physical::Options| -> Vec<Scoped<String>> {
            attributes.iter().map(|one| self.own(one.clone())).collect()
        };
        let name = |name: &Option<String>| name.as_ref().map(|name| Identifier::new(&**name));
        let key_columns = |columns: &[physical::KeyColumn]| -> Vec<Identifier> {
            columns.iter().map(|column| Identifier::new(&*column.name)).collect()
        };
        let key_options = |columns: &[physical::KeyColumn], attributes: &physical::Options| -> Vec<Scoped<String>> {
            let descends = columns.iter().filter(|one| one.descending).map(|one| descending(&one.name));
            let collated = |one: &physical::KeyColumn| Some(collation_of(&one.name, one.collation.as_ref()?));
            let more = descends.chain(columns.iter().filter_map(collated)).map(|one| self.own(one));
            options(attributes).into_iter().chain(more).collect()
        };
        table.primary_keys = stored
            .primary_key
            .iter()
            .map(|key| PrimaryKey {
                name: name(&key.name),
                columns: key_columns(&key.columns),
                options: key_options(&key.columns, &key.attributes),
                scope: Scope::All,
            })
            .collect();
        for unique in &stored.uniques {
            let nulls_equal = unique.attributes.contains("nulls not distinct");
            let mut options = key_options(&unique.columns, &unique.attributes);
            options.retain(|option| option.value != "nulls not distinct");
            let columns = key_columns(&unique.columns);
            table.uniques.push(Unique { name: name(&unique.name), columns, nulls_equal, options, scope: Scope::All });
        }
        let identifiers =
            |names: &[String]| -> Vec<Identifier> { names.iter().map(|one| Identifier::new(&**one)).collect() };
        for key in &stored.foreign_keys {
            table.foreign_keys.push(ForeignKey {
                name: name(&key.name),
                columns: identifiers(&key.columns),
                referenced_table: self.lifting.object(&key.referenced_table),
                referenced_columns: identifiers(&key.referenced_columns),
                on_delete: key.on_delete,
                on_update: key.on_update,
                deferrable: key.deferrable,
                indexed: false,
                options: options(&key.attributes),
                scope: Scope::All,
            });
        }
        for check in &stored.checks {
            let expression = self.lifting.declared(&check.expression);
            let options = options(&check.attributes);
            table.checks.push(Check { name: name(&check.name), expression, options, scope: Scope::All });
        }
        for index in &stored.indexes {
            table.indexes.push(self.index(index));
        }
        table
    }

    fn index(&self, index: &physical::Index) -> Index {
        let parts = index.parts.iter().map(|part| IndexPart {
            prefix: part.prefix,
            collate: part.collation.clone(),
            operators: part.operators.clone(),
            descending: part.descending,
            nulls: part.nulls,
            ..IndexPart::new(match &part.key {
                IndexKey::Column(name) => KeyPart::Column(Identifier::new(&**name)),
                IndexKey::Expression(one) => KeyPart::Expression(self.lifting.declared(one)),
            })
        });
        Index {
            name: Some(Identifier::new(&*index.name)),
            unique: index.unique,
            parts: parts.collect(),
            predicate: index.predicate.as_ref().map(|one| self.lifting.declared(one)),
            including: index.including.iter().map(|name| Identifier::new(&**name)).collect(),
            method: index.method.clone(),
            options: index.attributes.iter().map(|one| self.own(one.clone())).collect(),
            scope: Scope::All,
        }
    }

    fn column(&self, table: &physical::Table, stored: &physical::Column) -> Column {
        let mut column = Column::new(Identifier::new(&*stored.name), Type::Native);
        match self.portable(&stored.ty) {
            Some(ty) => column.ty = ty,
            None => column.native = [self.own(stored.ty.text().to_owned())].into(),
        }
        column.nullable = stored.nullable;
        column.about.clone_from(&stored.comment);
        column.collate = stored.collation.iter().map(|name| self.own(name.clone())).collect();
        let said = stored.attributes.iter().filter(|one| !self.lifting.follows(stored, one));
        column.options = said.map(|one| self.own(one.clone())).collect();
        column.generated = stored
            .generated
            .iter()
            .map(|one| Generated { expression: self.lifting.declared(&one.expression), storage: one.storage })
            .map(Scoped::all)
            .collect();
        column.identity = stored.identity.as_deref().cloned().map(Scoped::all).into_iter().collect();
        if self.lifting.numbers(table, stored) {
            column.identity = [Scoped::all(Default::default())].into();
        }
        self.on_update(&mut column);
        column
    }

    /// `on update now`, where that is just what is stored.
    fn on_update(&self, column: &mut Column) {
        let (Type::Datetime(digits) | Type::Instant(digits)) = &column.ty else { return };
        let digits = digits.unwrap_or(6);
        let precision = if digits == 0 { "()".to_owned() } else { format!("({digits})") };
        let words = format!("on update current_timestamp{precision}");
        let before = column.options.len();
        column.options.retain(|option| option.value != words);
        if column.options.len() < before {
            column.on_update_now = Some(self.scope);
        }
    }

    /// The portable type that is stored just so.
    fn portable(&self, stored: &physical::TypeName) -> Option<Type> {
        let key = (stored.text().to_owned(), stored.canonical().to_owned());
        if let Some(known) = self.portable.borrow().get(&key) {
            return known.clone();
        }
        let found = self.search(stored);
        self.portable.borrow_mut().insert(key, found.clone());
        found
    }

    fn search(&self, stored: &physical::TypeName) -> Option<Type> {
        let element = stored.text().strip_suffix("[]").map(|text| self.lifting.native(text));
        if let Some(element) = element {
            let ty = Type::Array(Box::new(self.portable(&element)?));
            return self.is(&ty, stored).then_some(ty);
        }
        let arguments: Vec<u32> = stored
            .text()
            .split_once('(')
            .map(|(_, rest)| rest.split([',', ')']).map_while(|one| one.trim().parse().ok()).collect())
            .unwrap_or_default();
        let length = arguments.first().copied();
        let digits = length.and_then(|length| u8::try_from(length).ok());
        let mut candidates = vec![
            Type::Bool,
            Type::Int(32),
            Type::Int(64),
            Type::Int(16),
            Type::Int(8),
            Type::Float(64),
            Type::Float(32),
            Type::Decimal(None),
            Type::Text(None),
            Type::Bytes(None),
            Type::Date,
            Type::Interval,
            Type::Uuid,
            Type::Json,
        ];
        // What the language takes for a mistake is the provider's own type.
        if let [precision, scale] = arguments[..]
            && precision > 0
            && scale <= precision
        {
            candidates.push(Type::Decimal(Some((precision, scale))));
        }
        if let Some(length) = length.filter(|length| *length > 0) {
            candidates.extend([Type::Text(Some(length)), Type::Char(length), Type::Bytes(Some(length))]);
        }
        let fractions: &[Option<u8>] = &[None, digits, Some(0)];
        for fraction in fractions {
            candidates.extend([Type::Datetime(*fraction), Type::Instant(*fraction), Type::Time(*fraction)]);
        }
        candidates.extend(self.enums.iter().map(|one| Type::Enum(one.name.clone())));
        candidates.into_iter().find(|ty| self.is(ty, stored))
    }

    fn is(&self, ty: &Type, stored: &physical::TypeName) -> bool {
        self.lifting.portable(ty, &self.enums).is_some_and(|found| found == *stored)
    }

    /// A column that numbers rows by itself is stored as one type whatever integer it is declared as: that of the columns
    /// which reference it, where they agree.
    fn numbered_types(&self, tables: &mut [Table], stored: &BTreeMap<Identifier, &physical::Table>) {
        let mut referencing: BTreeMap<(Identifier, Identifier), BTreeSet<u8>> = BTreeMap::new();
        for table in tables.iter() {
            for key in &table.foreign_keys {
                for (from, to) in key.columns.iter().zip(&key.referenced_columns) {
                    let bits = match table.column(from).map(|column| &column.ty) {
                        Some(Type::Int(bits)) => *bits,
                        _ => 0,
                    };
                    referencing.entry((key.referenced_table.clone(), to.clone())).or_default().insert(bits);
                }
            }
        }
        for table in tables.iter_mut() {
            let Some(whole) = stored.get(&table.name) else { continue };
            for column in &mut table.columns {
                let numbers = whole.column(column.name.as_str()).is_some_and(|one| self.lifting.numbers(whole, one));
                let types = referencing.get(&(table.name.clone(), column.name.clone()));
                if let (true, Some(types)) = (numbers, types)
                    && let (1, Some(bits)) = (types.len(), types.first().filter(|bits| **bits > 0))
                {
                    column.ty = Type::Int(*bits);
                }
            }
        }
    }

    /// A reference and its key are declared with the same type; where they are stored with two, the referencing column
    /// keeps its own as the provider's.
    fn reference_types(&self, tables: &mut [Table], stored: &BTreeMap<Identifier, &physical::Table>) {
        // By way of references to columns that are references themselves.
        for _ in 0..8 {
            let types: BTreeMap<(Identifier, Identifier), Type> = tables
                .iter()
                .flat_map(|table| {
                    table.columns.iter().map(|column| ((table.name.clone(), column.name.clone()), column.ty.clone()))
                })
                .collect();
            let mut changed = false;
            for table in tables.iter_mut() {
                for key in &table.foreign_keys {
                    for (from, to) in key.columns.iter().zip(&key.referenced_columns) {
                        let Some(wanted) = types.get(&(key.referenced_table.clone(), to.clone())) else { continue };
                        let Some(column) = table.columns.iter_mut().find(|column| column.name == *from) else {
                            continue;
                        };
                        if column.ty == *wanted {
                            continue;
                        }
                        let Some(own) = stored.get(&table.name).and_then(|table| table.column(from.as_str())) else {
                            continue;
                        };
                        column.ty = wanted.clone();
                        column.native = [self.own(own.ty.text().to_owned())].into();
                        changed = true;
                    }
                }
            }
            if !changed {
                return;
            }
        }
    }

    fn defaults(&self, table: &mut Table, stored: &physical::Table) {
        for at in 0..table.columns.len() {
            let column = &table.columns[at];
            let Some(default) = stored.column(column.name.as_str()).and_then(|stored| stored.default.clone()) else {
                continue;
            };
            let value = self.value(table, column, &default);
            table.columns[at].default = [Scoped::all(value)].into();
        }
    }

    /// The value that is stored just so.
    fn value(&self, table: &Table, column: &Column, stored: &Expression) -> Value {
        let text = stored.text();
        let mut candidates = vec![Value::Bool(true), Value::Bool(false)];
        if is_number(text) {
            candidates.insert(0, Value::Number(text.to_owned()));
        }
        if stored.is_literal() && text.starts_with('\'') {
            let plain = self.lifting.declared(stored);
            let text = crate::sql::unquote(&plain);
            match column.ty {
                Type::Enum(_) => candidates.push(Value::Word(Identifier::new(text))),
                // A text of several lines is an expression.
                _ if text.contains('\n') => {}
                _ => candidates.push(Value::Text(text)),
            }
        }
        candidates.extend([Value::Now, Value::Today, Value::NewUuid]);
        let is_known = |word: &Identifier| match &column.ty {
            Type::Enum(name) => self.enums.iter().any(|one| one.name == *name && one.words.contains(word)),
            _ => false,
        };
        let fits = |value: &Value| match value {
            Value::Word(word) => is_known(word),
            value => crate::schema::fits(&column.ty, value).is_ok(),
        };
        let same = |value: &Value| self.lifting.default(table, column, value).is_some_and(|made| made == *stored);
        let found = candidates.into_iter().find(|value| fits(value) && same(value));
        // What is neither is said in the provider's own words.
        found.unwrap_or_else(|| Value::Expression(self.lifting.declared_default(stored)))
    }

    /// Names that would be derived just so need not be declared.
    fn names(&self, table: &mut Table, whole: &physical::Table) {
        let facts = self.dialect.facts();
        let limit = facts.identifier_limit;
        let owner = table.name.base().to_owned();
        let is_derived = |name: &Option<Identifier>, columns: Vec<String>, kind: NameKind| {
            let derived = derived_name(&owner, columns.iter().map(String::as_str), kind, limit);
            name.as_ref().is_some_and(|name| name.as_str() == derived)
        };
        let texts = |names: &[Identifier]| names.iter().map(Identifier::to_string).collect::<Vec<_>>();
        let mut names = whole.uniques.iter().map(|one| &one.name).chain(whole.checks.iter().map(|one| &one.name));
        let names = names.by_ref().chain(whole.foreign_keys.iter().map(|one| &one.name));
        let leaves_unnamed = facts.unnamed_constraints
            && names.chain(whole.primary_key.iter().map(|one| &one.name)).any(Option::is_none);
        if leaves_unnamed {
            table.options.push(self.own(UNNAMED.to_owned()));
        }
        for key in table.primary_keys.iter_mut().filter(|_| !leaves_unnamed) {
            if !facts.names_primary_keys || is_derived(&key.name, Vec::new(), NameKind::PrimaryKey) {
                key.name = None;
            }
        }
        for unique in table.uniques.iter_mut().filter(|_| !leaves_unnamed) {
            if is_derived(&unique.name, texts(&unique.columns), NameKind::Unique) {
                unique.name = None;
            }
        }
        for key in table.foreign_keys.iter_mut().filter(|_| !leaves_unnamed) {
            if is_derived(&key.name, texts(&key.columns), NameKind::ForeignKey) {
                key.name = None;
            }
        }
        for (check, stored) in table.checks.iter_mut().zip(&whole.checks).filter(|_| !leaves_unnamed) {
            if is_derived(&check.name, mentioned(whole, &stored.expression), NameKind::Check) {
                check.name = None;
            }
        }
        for index in &mut table.indexes {
            let columns: Option<Vec<String>> = index
                .parts
                .iter()
                .map(|part| match &part.key {
                    KeyPart::Column(name) => Some(name.to_string()),
                    KeyPart::Expression(_) => None,
                })
                .collect();
            if columns.is_some_and(|columns| is_derived(&index.name, columns, NameKind::Index)) {
                index.name = None;
            }
        }
    }

    /// An object that can be declared in clauses.
    fn formed(&self, stored: &physical::Program) -> Option<Program> {
        if self.dialect != Dialect::Postgres || stored.kind != ProgramKind::Object {
            return None;
        }
        let form = postgres::forms::read(stored, |ty| self.portable(ty), |name| self.lifting.object(name))?;
        Some(Program {
            kind: stored.kind,
            word: stored.word.clone(),
            name: match &form {
                Form::Domain(_) => self.lifting.object(&stored.name),
                Form::Grant(grant) => grant.name(),
                Form::Exclusion(exclusion) => exclusion.label(),
            },
            table: None,
            body: String::new(),
            form: Some(form),
            drop: None,
            after: Vec::new(),
            about: stored.comment.clone(),
            scope: self.scope,
        })
    }

    fn program(&self, stored: &physical::Program) -> Program {
        if let Some(formed) = self.formed(stored) {
            return formed;
        }
        let in_namespace = physical::Program::is_in_namespace(stored.kind, stored.word.as_deref());
        let (name, declared) = match in_namespace {
            true => (self.dialect.quote_object(&stored.name), self.lifting.object(&stored.name)),
            false => (self.dialect.quote(&stored.name), Identifier::new(&*stored.name)),
        };
        let on = match &stored.table {
            Some(table) if self.dialect.facts().triggers_are_of_tables => {
                format!(" on {}", self.dialect.quote_object(table))
            }
            _ => String::new(),
        };
        let usual = match stored.kind {
            ProgramKind::View | ProgramKind::MaterializedView | ProgramKind::Trigger => {
                format!("drop {} {name}{on}", stored.kind.word())
            }
            ProgramKind::Routine | ProgramKind::Object => String::new(),
        };
        Program {
            kind: stored.kind,
            word: stored.word.clone(),
            name: declared,
            table: stored.table.as_ref().map(|table| self.lifting.object(table)),
            body: match stored.kind.is_view() {
                true => stored.body.text().trim().trim_end_matches(';').to_owned(),
                false => stored.create.trim().trim_end_matches(';').to_owned(),
            },
            form: None,
            drop: Some(stored.drop.clone()).filter(|drop| *drop != usual),
            after: stored.after.iter().map(|name| self.lifting.object(name)).collect(),
            about: stored.comment.clone(),
            scope: self.scope,
        }
    }
}

fn enumeration(name: Identifier, stored: &EnumType) -> Enum {
    Enum {
        name,
        words: stored.words.iter().map(|word| Identifier::new(&**word)).collect(),
        formerly: BTreeMap::new(),
        about: stored.comment.clone(),
    }
}
