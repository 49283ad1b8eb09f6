//! Syntax trees of all files to one logical schema.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use thin_vec::ThinVec;

use super::diagnostic::{Diagnostic, Label, Source};
use super::mistake::{Mistake, MistakeKind};
use super::parser::parse;
use super::syntax::{self, ClauseKind, DeclarationKind, ItemKind, Name, PartKey, Spanned};
use crate::Span;
use crate::schema::{
    self, Check, Column, Deferrable, Enum, Exclusion, Fault, FaultKind, ForeignKey, Form, Generated, Identifier,
    Identity, Index, IndexPart, Item, KeyPart, Part, Parts, Place, PrimaryKey, Program, ProgramKind, Provider,
    Providers, Rows, Schema, Scope, Scoped, Table, Type, Unique, Value,
};

/// What reading all files gave.
#[derive(Debug, Default)]
pub struct Resolution {
    /// The schema, where nothing is wrong.
    pub schema: Option<Schema>,
    /// Mistakes, faults and warnings, by file and place.
    pub diagnostics: Vec<Diagnostic>,
    declared_at: Places,
}

impl Resolution {
    /// Faults found after resolving, each shown where its item was written in the sources that were resolved.
    pub fn diagnose(&self, sources: &[Source], faults: &[Fault]) -> Vec<Diagnostic> {
        self.declared_at.diagnose(sources, faults)
    }
}

/// The file and bytes of the declarations of each name.
#[derive(Debug, Default)]
struct Places(HashMap<Identifier, Vec<(usize, Span)>>);

impl Places {
    fn note(&mut self, owner: Identifier, source: usize, span: Span) {
        self.0.entry(owner).or_default().push((source, span));
    }

    /// Shows faults where their items were written.
    ///
    /// What they are about is read again, as if each declaration were a file of its own: where each word of a schema
    /// stands is a lot to keep, and only wanted of what has a fault.
    fn diagnose<'f>(&self, sources: &[Source], faults: impl IntoIterator<Item = &'f Fault>) -> Vec<Diagnostic> {
        let faults: Vec<&Fault> = faults.into_iter().collect();
        let places = faults.iter().flat_map(|fault| std::iter::once(&fault.place).chain(&fault.other));
        let owners: BTreeSet<&Identifier> = places.map(|place| &place.owner).collect();
        let pieces: BTreeSet<(usize, Span)> =
            owners.iter().filter_map(|owner| self.0.get(*owner)).flatten().copied().collect();
        let pieces: Vec<_> = pieces.into_iter().collect();
        let read = |(source, span): &(usize, Span)| Some(parse(span.text(&sources.get(*source)?.text)).0);
        let files: Vec<_> = pieces.iter().map(|piece| read(piece).unwrap_or_default()).collect();
        let mut resolver = Resolver { origins: Some(Origins::default()), ..Resolver::default() };
        resolver.collect(files);
        resolver.resolve_tables();
        let origins = resolver.origins.unwrap_or_default();
        let placed = |mut diagnostic: Diagnostic| {
            for label in &mut diagnostic.labels {
                if let Some((source, declaration)) = pieces.get(label.source) {
                    label.source = *source;
                    label.span = Span::new(label.span.start + declaration.start, label.span.end + declaration.start);
                }
            }
            diagnostic
        };
        faults.into_iter().map(|fault| placed(origins.diagnose(fault))).collect()
    }
}

/// Where each item of tables, enums and programs was written.
#[derive(Default)]
struct Origins(HashMap<Identifier, Vec<Origin>>);

/// Where one part of an item of a table or enum was written.
struct Origin {
    item: Item,
    part: Part,
    source: usize,
    span: Span,
}

impl Origins {
    fn note(&mut self, owner: &Identifier, origin: Origin) {
        match self.0.get_mut(owner) {
            Some(origins) => origins.push(origin),
            None => {
                self.0.insert(owner.clone(), vec![origin]);
            }
        }
    }

    /// The file and bytes of a place, or of the smallest written item around it.
    fn find(&self, place: &Place) -> Option<(usize, Span)> {
        let origins = self.0.get(&place.owner)?;
        let at = |item: &Item, part: &Part| {
            let found = origins.iter().rfind(|origin| origin.item == *item && origin.part == *part)?;
            Some((found.source, found.span))
        };
        at(&place.item, &place.part).or_else(|| at(&place.item, &Part::Whole)).or_else(|| at(&Item::Table, &Part::Name))
    }

    /// A fault, shown where its item was written.
    fn diagnose(&self, fault: &Fault) -> Diagnostic {
        let label = |place: &Place, text: String| self.find(place).map(|(source, span)| Label { source, span, text });
        let main = label(&fault.place, fault.kind.label());
        let other = fault.other.as_ref().and_then(|place| label(place, fault.kind.other_label().into()));
        Diagnostic {
            severity: fault.kind.severity(),
            message: fault.kind.to_string(),
            labels: main.into_iter().chain(other).collect(),
            help: fault.kind.help(),
        }
    }
}

/// Reads the files of a project into one schema.
pub fn resolve(sources: &[Source]) -> Resolution {
    let mut resolver = Resolver::default();
    let mut files = Vec::new();
    for (at, source) in sources.iter().enumerate() {
        let (file, mistakes) = parse(&source.text);
        resolver.note_incomplete(&file, &mistakes);
        resolver.diagnostics.extend(mistakes.iter().map(|mistake| Diagnostic::in_text(mistake, at, &source.text)));
        files.push(file);
    }
    resolver.collect(files);
    resolver.resolve_tables();
    resolver.finish(sources)
}

/// A table as written, and the file it stands in.
struct Written {
    table: syntax::Table,
    source: usize,
}

/// Syntax trees are taken over, and go as they are resolved: a large schema need not be there twice.
#[derive(Default)]
struct Resolver {
    tables: BTreeMap<Identifier, Written>,
    /// The columns of each table's primary key.
    keys: HashMap<Identifier, Vec<Identifier>>,
    enums: BTreeMap<Identifier, (syntax::Enum, usize)>,
    rows: Vec<(syntax::Rows, usize)>,
    parts: Parts,
    /// Where each of the programs among the parts has its name.
    program_places: Vec<(usize, Span)>,
    declared_at: Places,
    /// Where each word stands, while that is noted.
    origins: Option<Origins>,
    diagnostics: Vec<Diagnostic>,
    /// Tables with mistakes in them, of which nothing more is said than that.
    incomplete: BTreeSet<Identifier>,
    /// Whether whole declarations could not be read.
    declarations_missing: bool,
}

impl Resolver {
    fn note_incomplete(&mut self, file: &syntax::File, mistakes: &[Mistake]) {
        for mistake in mistakes {
            let around = file.declarations.iter().find(|declaration| {
                declaration.span.start <= mistake.span.start && mistake.span.start <= declaration.span.end
            });
            match around.map(|declaration| &declaration.kind) {
                Some(DeclarationKind::Table(table)) => {
                    self.incomplete.insert(table.name.value.clone());
                }
                _ => self.declarations_missing = true,
            }
        }
    }

    fn mistake(&mut self, kind: MistakeKind, source: usize, span: Span) {
        self.diagnostics.push(Diagnostic::of_mistake(&Mistake { kind, span }, source));
    }

    fn note(&mut self, owner: &Identifier, origin: Origin) {
        if let Some(origins) = &mut self.origins {
            origins.note(owner, origin);
        }
    }

    fn twice(&mut self, kind: &FaultKind, again: (usize, Span), first: (usize, Span)) {
        let label = |(source, span), text: &str| Label { source, span, text: text.to_owned() };
        self.diagnostics.push(Diagnostic {
            severity: kind.severity(),
            message: kind.to_string(),
            labels: vec![label(again, &kind.label()), label(first, kind.other_label())],
            help: kind.help(),
        });
    }

    fn collect(&mut self, files: Vec<syntax::File>) {
        for (source, file) in files.into_iter().enumerate() {
            for declaration in file.declarations {
                for owner in owners(&declaration.kind) {
                    self.declared_at.note(owner, source, declaration.span);
                }
                match declaration.kind {
                    DeclarationKind::Table(table) => {
                        if let Some(first) = self.tables.get(&table.name.value) {
                            let kind = FaultKind::DuplicateTable(table.name.value.clone());
                            let first = (first.source, first.table.name.span);
                            self.twice(&kind, (source, table.name.span), first);
                        } else {
                            self.tables.insert(table.name.value.clone(), Written { table, source });
                        }
                    }
                    DeclarationKind::Enum(owner) => {
                        if let Some((first, at)) = self.enums.get(&owner.name.value) {
                            let kind = FaultKind::DuplicateEnum(owner.name.value.clone());
                            let first = (*at, first.name.span);
                            self.twice(&kind, (source, owner.name.span), first);
                        } else {
                            self.enums.insert(owner.name.value.clone(), (owner, source));
                        }
                    }
                    DeclarationKind::Program(program) => self.program(&program, source),
                    DeclarationKind::Rows(rows) => self.rows.push((rows, source)),
                }
            }
        }
    }

    fn is_domain(&self, name: &Identifier) -> bool {
        self.parts.programs.iter().any(|program| matches!(program.form, Some(Form::Domain(_))) && program.name == *name)
    }

    fn program(&mut self, written: &syntax::Program, source: usize) {
        let name = &written.name.value;
        let overlaps = |other: &Program| {
            let table = written.table.as_ref().map(|table| &table.value);
            other.kind == written.kind
                && other.word.as_ref() == written.word.as_ref().map(|word| &word.value)
                && other.name == *name
                && other.table.as_ref() == table
                && other.scope.overlaps(written.scope)
        };
        let before = self.parts.programs.iter().position(overlaps);
        if let Some(first) = before.and_then(|at| self.program_places.get(at)).copied() {
            let kind = FaultKind::DuplicateProgram { kind: written.kind.word(), name: name.clone() };
            self.twice(&kind, (source, written.name.span), first);
            return;
        }
        let mut note = |part, span| self.note(name, Origin { item: Item::Program, part, source, span });
        note(Part::Name, written.name.span);
        note(Part::Whole, written.name.span);
        note(Part::Expression, written.body.span);
        if let Some(table) = &written.table {
            note(Part::ReferencedTable, table.span);
        }
        self.program_places.push((source, written.name.span));
        self.parts.programs.push(Program {
            kind: written.kind,
            word: written.word.as_ref().map(|word| word.value.clone()),
            name: name.clone(),
            table: plain(written.table.as_ref()),
            body: written.body.value.clone(),
            form: written.form.as_deref().cloned(),
            drop: written.drop.as_ref().map(|drop| drop.value.clone()),
            after: written.after.iter().map(|name| name.value.clone()).collect(),
            about: written.about.clone(),
            scope: written.scope,
        });
    }

    fn resolve_tables(&mut self) {
        let enums = std::mem::take(&mut self.enums);
        for (owner, source) in enums.values() {
            self.enumeration(owner, *source);
        }
        self.enums = enums;
        // What a table asks of others, while they are all there.
        self.take_types_over();
        self.keys = self.tables.iter().map(|(name, written)| (name.clone(), key_columns(&written.table))).collect();
        self.parts.tables.reserve_exact(self.tables.len());
        for written in std::mem::take(&mut self.tables).into_values() {
            let table = TableResolver::new(self, &written).table(written.table);
            self.parts.tables.push(table);
        }
        for (written, source) in std::mem::take(&mut self.rows) {
            self.reference_rows(&written, source);
        }
    }

    /// Gives each column that has no type of its own that of what it references.
    fn take_types_over(&mut self) {
        let mut found = Vec::new();
        for (name, written) in &self.tables {
            for (at, item) in written.table.items.iter().enumerate() {
                if let ItemKind::Column(column) = &item.kind
                    && column.ty.is_none()
                {
                    found.push((name.clone(), at, self.type_of(name, &column.name.value, &mut Vec::new())));
                }
            }
        }
        for (name, at, ty) in found {
            let Some(Written { table, source }) = self.tables.get_mut(&name) else { continue };
            let Some(syntax::Item { kind: ItemKind::Column(column), .. }) = table.items.get_mut(at) else { continue };
            let (span, source) = (column.name.span, *source);
            let reference = column.clauses.first().map_or(span, |clause| clause.span);
            let value = ty.as_ref().map_or(Type::Native, Clone::clone);
            column.ty = Some(Spanned { value, span });
            if let Err(kind) = ty {
                self.mistake(kind, source, reference);
            }
        }
    }

    fn reference_rows(&mut self, written: &syntax::Rows, source: usize) {
        let owner = &written.table.value;
        let origin = |item, part, span| Origin { item, part, source, span };
        self.note(owner, origin(Item::Rows, Part::Name, written.table.span));
        self.note(owner, origin(Item::Rows, Part::Whole, written.table.span));
        for (at, column) in written.columns.iter().enumerate() {
            self.note(owner, origin(Item::Rows, Part::Element(at), column.span));
        }
        for (at, column) in written.key.iter().enumerate() {
            self.note(owner, origin(Item::Rows, Part::Referenced(at), column.span));
        }
        let table = self.parts.tables.iter().find(|table| table.name == *owner);
        let types: Vec<Option<Type>> =
            written.columns.iter().map(|column| Some(table?.column(&column.value)?.ty.clone())).collect();
        let mut rows = Vec::with_capacity(written.rows.len());
        for (at, row) in written.rows.iter().enumerate() {
            let mut values = Vec::with_capacity(row.values.len());
            for (place, value) in row.values.iter().enumerate() {
                self.note(owner, origin(Item::Row(at), Part::Element(place), value.span));
                let ty = types.get(place).and_then(Option::as_ref);
                values.push(ty.map_or(value.value.clone(), |ty| self.enum_word(ty, value.value.clone())));
            }
            rows.push(values);
        }
        self.parts.rows.push(Rows {
            table: owner.clone(),
            key: written.key.iter().map(|name| name.value.clone()).collect(),
            columns: written.columns.iter().map(|name| name.value.clone()).collect(),
            rows,
            scope: written.scope,
        });
    }

    /// On a column of an enum, a word or text that is one of its words means that word, whatever else it could mean.
    fn enum_word(&self, ty: &Type, value: Value) -> Value {
        let Type::Enum(name) = ty else { return value };
        let Some((owner, _)) = self.enums.get(name) else { return value };
        let text = match &value {
            Value::Text(text) => return Value::Word(Identifier::new(&**text)),
            Value::Now => "now",
            Value::Today => "today",
            Value::Null => "null",
            Value::Bool(true) => "true",
            Value::Bool(false) => "false",
            _ => return value,
        };
        match owner.words.iter().find(|word| word.word.value.as_str() == text) {
            Some(word) => Value::Word(word.word.value.clone()),
            None => value,
        }
    }

    fn enumeration(&mut self, owner: &syntax::Enum, source: usize) {
        let name = &owner.name.value;
        let origin = |part, span| Origin { item: Item::Enum, part, source, span };
        self.note(name, origin(Part::Whole, owner.name.span));
        for (at, word) in owner.words.iter().enumerate() {
            self.note(name, origin(Part::Element(at), word.word.span));
            if let Some(formerly) = &word.formerly {
                self.note(name, origin(Part::Formerly(at), formerly.span));
            }
        }
        self.parts.enums.push(Enum {
            name: owner.name.value.clone(),
            words: owner.words.iter().map(|word| word.word.value.clone()).collect(),
            formerly: owner
                .words
                .iter()
                .filter_map(|word| Some((word.word.value.clone(), word.formerly.as_ref()?.value.clone())))
                .collect(),
            about: owner.about.clone(),
        });
    }

    /// The type of a column, by way of its references where it has none of its own.
    fn type_of(
        &self,
        table: &Identifier,
        column: &Identifier,
        path: &mut Vec<(Identifier, Identifier)>,
    ) -> Result<Type, MistakeKind> {
        let unknown = Ok(Type::Native);
        let here = (table.clone(), column.clone());
        if path.contains(&here) {
            return Err(MistakeKind::CircularType { column: column.to_string() });
        }
        path.push(here);
        let Some(written) = self.tables.get(table) else { return unknown };
        let found = written.table.items.iter().find_map(|item| match &item.kind {
            ItemKind::Column(found) if found.name.value == *column => Some(found),
            _ => None,
        });
        let Some(found) = found else { return unknown };
        if let Some(ty) = &found.ty {
            return Ok(ty.value.clone());
        }
        let reference = found.clauses.iter().find_map(|clause| match &clause.kind {
            ClauseKind::References(to) => Some(to),
            _ => None,
        });
        let Some(syntax::Reference { table: target, column: key }) = reference.map(|to| &**to) else {
            return Err(MistakeKind::NoType { column: column.to_string() });
        };
        match key {
            Some(key) => self.type_of(&target.value, &key.value, path),
            None if !self.tables.contains_key(&target.value) => unknown,
            None => match self.single_key(&target.value) {
                Some(key) => self.type_of(&target.value, &key, path),
                None => Err(MistakeKind::NoKeyToReference { table: target.value.to_string() }),
            },
        }
    }

    fn single_key(&self, table: &Identifier) -> Option<Identifier> {
        match &key_columns(&self.tables.get(table)?.table)[..] {
            [only] => Some(only.clone()),
            _ => None,
        }
    }

    /// The columns of a table's primary key.
    fn key_of(&self, table: &Identifier) -> Vec<Identifier> {
        self.keys.get(table).cloned().unwrap_or_default()
    }

    fn finish(mut self, sources: &[Source]) -> Resolution {
        let mistaken = self.diagnostics.iter().any(Diagnostic::is_error);
        let checked = Schema::new(std::mem::take(&mut self.parts));
        let (schema, faults) = match checked {
            Ok((schema, warnings)) => (Some(schema).filter(|_| !mistaken), warnings),
            Err(faults) => (None, faults),
        };
        let told = faults.iter().filter(|fault| !self.follows_from_mistake(fault));
        let told = self.declared_at.diagnose(sources, told);
        self.diagnostics.extend(told);
        let by_place =
            |diagnostic: &Diagnostic| diagnostic.labels.first().map(|label| (label.source, label.span.start));
        self.diagnostics.sort_by_key(by_place);
        Resolution { schema, diagnostics: self.diagnostics, declared_at: self.declared_at }
    }

    /// Whether a fault may only be there because something else could not be read.
    fn follows_from_mistake(&self, fault: &Fault) -> bool {
        let incomplete = |name: &Identifier| self.incomplete.contains(name);
        match &fault.kind {
            FaultKind::UnknownColumn { table, .. }
            | FaultKind::NoPrimaryKey(table)
            | FaultKind::NoColumns(table)
            | FaultKind::NotAKey { table, .. } => incomplete(table),
            FaultKind::UnknownTable { .. } => self.declarations_missing || incomplete(&fault.place.owner),
            FaultKind::UnknownEnum { nearest, .. } => {
                let is_portable = |words: &str| words.split(',').next().is_some_and(|word| Type::WORDS.contains(&word));
                self.declarations_missing && !nearest.as_deref().is_some_and(is_portable)
            }
            _ => false,
        }
    }
}

/// The columns of a table's primary key.
fn key_columns(table: &syntax::Table) -> Vec<Identifier> {
    let mut inline = Vec::new();
    for item in &table.items {
        match &item.kind {
            ItemKind::PrimaryKey(key) => return key.columns.iter().map(|name| name.value.clone()).collect(),
            ItemKind::Column(column) if column.clauses.iter().any(|clause| clause.kind == ClauseKind::PrimaryKey) => {
                inline.push(column.name.value.clone());
            }
            _ => {}
        }
    }
    inline
}

struct TableResolver<'r> {
    resolver: &'r mut Resolver,
    source: usize,
    table: Table,
}

/// What an item has whatever it is.
struct Said {
    options: Vec<Scoped<String>>,
    scope: Scope,
    span: Span,
}

impl<'r> TableResolver<'r> {
    fn new(resolver: &'r mut Resolver, written: &Written) -> Self {
        let mut table = Table::new(written.table.name.value.clone());
        table.scope = written.table.scope;
        // Lists that grow by and by are moved as often: a tenth of the time that a large schema takes.
        let items = &written.table.items;
        table.columns.reserve_exact(items.iter().filter(|item| matches!(item.kind, ItemKind::Column(_))).count());
        Self { resolver, source: written.source, table }
    }

    fn origin(&mut self, item: Item, part: Part, span: Span) {
        self.resolver.note(&self.table.name, Origin { item, part, source: self.source, span });
    }

    fn mistake(&mut self, kind: MistakeKind, span: Span) {
        self.resolver.mistake(kind, self.source, span);
    }

    fn table(mut self, written: syntax::Table) -> Table {
        self.origin(Item::Table, Part::Name, written.name.span);
        let mut others = Vec::new();
        for syntax::Item { kind, options, scope, span, .. } in written.items {
            match kind {
                ItemKind::Column(column) => self.column(column, scope, span),
                other => others.push((other, Said { options: scoped(options), scope, span })),
            }
        }
        for (kind, said) in others {
            self.item(kind, said);
        }
        self.table.fit();
        self.table
    }

    fn names(&mut self, item: &Item, names: Vec<Name>) -> Vec<Identifier> {
        for (at, name) in names.iter().enumerate() {
            self.origin(item.clone(), Part::Element(at), name.span);
        }
        values(names)
    }

    fn item(&mut self, kind: ItemKind, Said { options, scope, span }: Said) {
        match kind {
            ItemKind::Column(_) => {}
            ItemKind::PrimaryKey(key) => {
                let (name, columns) = self.head(Item::PrimaryKey, span, key.name, key.columns);
                self.table.primary_keys.push(PrimaryKey { name, columns, options, scope });
            }
            ItemKind::Unique(key) => {
                let place = Item::Unique(self.table.uniques.len());
                let (name, columns) = self.head(place, span, key.name, key.columns);
                let nulls_equal = key.nulls_equal;
                self.table.uniques.push(Unique { name, columns, nulls_equal, options, scope });
            }
            ItemKind::ForeignKey(key) => self.foreign_key(*key, Said { options, scope, span }),
            ItemKind::Check(check) => {
                let place = Item::Check(self.table.checks.len());
                let (name, _) = self.head(place.clone(), span, check.name, Vec::new());
                self.origin(place, Part::Expression, check.expression.span);
                self.table.checks.push(Check { name, expression: check.expression.value, options, scope });
            }
            ItemKind::Index(index) => self.index(*index, Said { options, scope, span }),
            ItemKind::About(text) => {
                self.unscoped("about", scope, span);
                if self.table.about.replace(text.value).is_some() {
                    self.mistake(MistakeKind::Repeated { word: "about".into() }, span);
                }
            }
            ItemKind::Formerly(old) => {
                self.unscoped("formerly", scope, span);
                self.origin(Item::Table, Part::Formerly(0), old.span);
                if self.table.formerly.replace(old.value).is_some() {
                    self.mistake(MistakeKind::Repeated { word: "formerly".into() }, span);
                }
            }
            ItemKind::Option(option) => {
                self.origin(Item::Option(self.table.options.len()), Part::Whole, option.span);
                self.table.options.push(Scoped { value: option.value, scope });
            }
            ItemKind::Partition(how) => {
                self.origin(Item::Option(self.table.options.len()), Part::Whole, how.span);
                self.table.options.push(Scoped { value: format!("partition by {}", how.value), scope });
            }
            ItemKind::Exclude(exclusion) => self.exclusion(&exclusion, scope, span),
        }
    }

    /// Takes an item to task that says providers and holds for all.
    fn unscoped(&mut self, word: &str, scope: Scope, span: Span) {
        if scope != Scope::All {
            self.mistake(MistakeKind::HoldsForAll { word: word.into() }, span);
        }
    }

    /// The name and the columns of a key or the like, noted.
    fn head(
        &mut self,
        place: Item,
        span: Span,
        name: Option<Name>,
        columns: Vec<Name>,
    ) -> (Option<Identifier>, Vec<Identifier>) {
        self.origin(place.clone(), Part::Whole, span);
        if let Some(name) = &name {
            self.origin(place.clone(), Part::Name, name.span);
        }
        let columns = self.names(&place, columns);
        (name.map(|name| name.value), columns)
    }

    fn foreign_key(&mut self, key: syntax::ForeignKey, Said { options, scope, span }: Said) {
        let place = Item::ForeignKey(self.table.foreign_keys.len());
        let (name, columns) = self.head(place.clone(), span, key.name, key.columns);
        self.origin(place.clone(), Part::ReferencedTable, key.table.span);
        for (at, name) in key.referenced.iter().enumerate() {
            self.origin(place.clone(), Part::Referenced(at), name.span);
        }
        let referenced_columns = match key.referenced.is_empty() {
            true => self.resolver.key_of(&key.table.value),
            false => values(key.referenced),
        };
        self.table.foreign_keys.push(ForeignKey {
            name,
            columns,
            referenced_table: key.table.value,
            referenced_columns,
            on_delete: key.on_delete.unwrap_or_default(),
            on_update: key.on_update.unwrap_or_default(),
            deferrable: key.deferrable.unwrap_or_default(),
            indexed: key.indexed,
            options,
            scope,
        });
    }

    fn index(&mut self, index: syntax::Index, Said { options, scope, span }: Said) {
        let place = Item::Index(self.table.indexes.len());
        let (name, _) = self.head(place.clone(), span, index.name, Vec::new());
        for (at, part) in index.parts.iter().enumerate() {
            self.origin(place.clone(), Part::Element(at), part.span);
        }
        if let Some(predicate) = &index.predicate {
            self.origin(place, Part::Expression, predicate.span);
        }
        let parts = index.parts.into_iter().map(|part| IndexPart {
            key: match part.key {
                PartKey::Column(name) => KeyPart::Column(name),
                PartKey::Expression(text) => KeyPart::Expression(text),
            },
            prefix: part.prefix,
            collate: part.collate,
            operators: part.operators,
            descending: part.descending,
            nulls: part.nulls,
        });
        self.table.indexes.push(Index {
            name,
            unique: index.unique,
            parts: parts.collect(),
            predicate: index.predicate.map(|predicate| predicate.value),
            including: values(index.including),
            method: index.method.map(|method| method.value.to_string()),
            options,
            scope,
        });
    }

    /// An exclusion is an object that is made behind its table.
    fn exclusion(&mut self, written: &Exclusion, scope: Scope, span: Span) {
        let exclusion = of_table(written, &self.table.name);
        let program = syntax::Program {
            kind: ProgramKind::Object,
            word: Some(Spanned { value: "constraint".into(), span }),
            name: Spanned { value: exclusion.label(), span },
            table: None,
            body: Spanned { value: String::new(), span },
            form: Some(Box::new(Form::Exclusion(exclusion))),
            drop: None,
            after: Vec::new(),
            about: None,
            scope,
        };
        self.resolver.program(&program, self.source);
    }

    fn column(&mut self, written: syntax::Column, scope: Scope, span: Span) {
        let place = Item::Column(self.table.columns.len());
        self.origin(place.clone(), Part::Whole, span);
        self.origin(place.clone(), Part::Name, written.name.span);
        let ty = written.ty.unwrap_or(Spanned { value: Type::Native, span: written.name.span });
        self.origin(place.clone(), Part::Type, ty.span);
        let ty = ty.value;
        // A domain is the type's own name there, and nothing elsewhere.
        let domain = match &ty {
            Type::Enum(name) if self.resolver.is_domain(name) => Some(name.declared()),
            _ => None,
        };
        let ty = if domain.is_some() { Type::Native } else { ty };
        let mut column = Column::new(written.name.value, ty);
        column.native.extend(domain.map(|value| Scoped { value, scope: Scope::For(Provider::Postgres.into()) }));
        column.scope = scope;
        let mut reference = None;
        // What is said of a reference may stand before it.
        let is_reference = |clause: &&syntax::Clause| matches!(clause.kind, ClauseKind::References(_));
        for clause in written.clauses.iter().filter(is_reference) {
            self.clause(&mut column, &mut reference, &place, clause);
        }
        for clause in written.clauses.iter().filter(|clause| !is_reference(clause)) {
            self.clause(&mut column, &mut reference, &place, clause);
        }
        let said_for_some = written.clauses.iter().filter(|clause| clause.scope != Scope::All);
        for (at, reference) in reference.map(|one| split(one, said_for_some)).into_iter().flatten().enumerate() {
            if let (true, Some(clause)) = (at > 0, written.clauses.iter().find(is_reference)) {
                self.origin(Item::ForeignKey(self.table.foreign_keys.len()), Part::Whole, clause.span);
            }
            self.table.foreign_keys.push(reference);
        }
        column.fit();
        for (at, clause) in written.clauses.iter().enumerate() {
            let before = &written.clauses[..at];
            let word = || clause_word(&clause.kind).to_owned();
            match &clause.kind {
                _ if is_repeated(clause, before) => {
                    self.mistake(MistakeKind::Repeated { word: word() }, clause.span);
                }
                ClauseKind::References(to) if before.iter().any(|other| is_reference(&other)) => {
                    let (column, table) = (column.name.declared(), to.table.value.declared());
                    self.mistake(MistakeKind::SecondReference { column, table }, clause.span);
                }
                _ => {}
            }
            if clause.scope != Scope::All && holds_for_all(&clause.kind) {
                self.mistake(MistakeKind::HoldsForAll { word: word() }, clause.span);
            }
        }
        self.table.columns.push(column);
    }

    fn clause(
        &mut self,
        column: &mut Column,
        reference: &mut Option<ForeignKey>,
        place: &Item,
        clause: &syntax::Clause,
    ) {
        let scope = match clause.scope {
            Scope::All => column.scope,
            _ => clause.scope,
        };
        match &clause.kind {
            ClauseKind::Null => column.nullable = true,
            ClauseKind::Identity { always, from, by } => {
                self.origin(place.clone(), Part::Identity, clause.span);
                let value = Identity { always: *always, from: *from, by: *by };
                column.identity.push(Scoped { value, scope: clause.scope });
            }
            ClauseKind::PrimaryKey => {
                self.origin(Item::PrimaryKey, Part::Whole, clause.span);
                let columns = vec![column.name.clone()];
                self.table.primary_keys.push(PrimaryKey { name: None, columns, options: Vec::new(), scope });
            }
            ClauseKind::Unique => {
                self.origin(Item::Unique(self.table.uniques.len()), Part::Whole, clause.span);
                let columns = vec![column.name.clone()];
                self.table.uniques.push(Unique { name: None, columns, nulls_equal: false, options: Vec::new(), scope });
            }
            ClauseKind::References(to) => {
                *reference = Some(self.inline_reference(column, &to.table, to.column.as_ref(), clause, scope));
            }
            ClauseKind::Default(value) => {
                self.origin(place.clone(), Part::Default, value.span);
                let value = self.resolver.enum_word(&column.ty, value.value.clone());
                column.default.push(Scoped { value, scope: clause.scope });
            }
            ClauseKind::Generated { expression, storage } => {
                self.origin(place.clone(), Part::Expression, expression.span);
                let value = Generated { expression: expression.value.clone(), storage: *storage };
                column.generated.push(Scoped { value, scope: clause.scope });
            }
            ClauseKind::OnUpdateNow => {
                self.origin(place.clone(), Part::OnUpdate, clause.span);
                column.on_update_now = Some(column.on_update_now.map_or(clause.scope, |scope| scope.or(clause.scope)));
            }
            ClauseKind::Check(expression) => {
                let item = Item::Check(self.table.checks.len());
                self.origin(item.clone(), Part::Whole, clause.span);
                self.origin(item, Part::Expression, expression.span);
                self.table.checks.push(Check {
                    name: None,
                    expression: expression.value.clone(),
                    options: Vec::new(),
                    scope,
                });
            }
            ClauseKind::Collate(name) => {
                column.collate.push(Scoped { value: name.clone(), scope: clause.scope });
            }
            ClauseKind::Native(ty) => {
                column.native.push(Scoped { value: ty.clone(), scope: clause.scope });
            }
            ClauseKind::Option(option) => {
                column.options.push(Scoped { value: option.clone(), scope: clause.scope });
            }
            ClauseKind::About(text) => column.about = Some(text.clone()),
            ClauseKind::Formerly(old) => {
                self.origin(place.clone(), Part::Formerly(0), old.span);
                column.formerly = Some(old.value.clone());
            }
            ClauseKind::Named(_)
            | ClauseKind::OnDelete(_)
            | ClauseKind::OnUpdate(_)
            | ClauseKind::Deferrable(_)
            | ClauseKind::Indexed => match reference {
                // What is said for some providers alone follows: see `split`.
                Some(_) if clause.scope != Scope::All => {}
                Some(reference) => said_of_reference(reference, &clause.kind),
                None => {
                    let word = clause_word(&clause.kind).to_owned();
                    self.mistake(MistakeKind::NeedsReference { word }, clause.span);
                }
            },
        }
    }

    fn inline_reference(
        &mut self,
        column: &Column,
        table: &Name,
        key: Option<&Name>,
        clause: &syntax::Clause,
        scope: Scope,
    ) -> ForeignKey {
        let place = Item::ForeignKey(self.table.foreign_keys.len());
        self.origin(place.clone(), Part::Whole, clause.span);
        self.origin(place.clone(), Part::ReferencedTable, table.span);
        if let Some(key) = key {
            self.origin(place, Part::Referenced(0), key.span);
        }
        let referenced_columns = match key {
            Some(key) => vec![key.value.clone()],
            None => self.resolver.key_of(&table.value),
        };
        ForeignKey {
            name: None,
            columns: vec![column.name.clone()],
            referenced_table: table.value.clone(),
            referenced_columns,
            on_delete: schema::Action::NoAction,
            on_update: schema::Action::NoAction,
            deferrable: Deferrable::No,
            indexed: false,
            options: Vec::new(),
            scope,
        }
    }
}

/// By what names faults speak of a declaration and of what is in it.
fn owners(kind: &DeclarationKind) -> Vec<Identifier> {
    match kind {
        DeclarationKind::Enum(owner) => vec![owner.name.value.clone()],
        DeclarationKind::Program(program) => vec![program.name.value.clone()],
        DeclarationKind::Rows(rows) => vec![rows.table.value.clone()],
        DeclarationKind::Table(table) => {
            let exclusion = |item: &syntax::Item| match &item.kind {
                ItemKind::Exclude(one) => Some(of_table(one, &table.name.value).label()),
                _ => None,
            };
            std::iter::once(table.name.value.clone()).chain(table.items.iter().filter_map(exclusion)).collect()
        }
    }
}

fn of_table(written: &Exclusion, table: &Identifier) -> Exclusion {
    Exclusion { table: table.clone(), ..written.clone() }
}

fn scoped(options: ThinVec<(Spanned<String>, Scope)>) -> Vec<Scoped<String>> {
    options.into_iter().map(|(option, scope)| Scoped { value: option.value, scope }).collect()
}

/// The names without their places, in a list of just their size: one that is collected has the room of the longer ones.
fn values(names: Vec<Name>) -> Vec<Identifier> {
    let mut values = Vec::with_capacity(names.len());
    values.extend(names.into_iter().map(|name| name.value));
    values
}

fn plain(name: Option<&Name>) -> Option<Identifier> {
    name.map(|name| name.value.clone())
}

/// Whether a clause may be said only once for the same providers, and was said before. What is said for all is not, where it is
/// said for some.
fn is_repeated(clause: &syntax::Clause, before: &[syntax::Clause]) -> bool {
    let is_same = |other: &syntax::Clause| {
        std::mem::discriminant(&other.kind) == std::mem::discriminant(&clause.kind)
            && (other.scope == Scope::All) == (clause.scope == Scope::All)
            && other.scope.overlaps(clause.scope)
    };
    !matches!(clause.kind, ClauseKind::Check(_) | ClauseKind::Option(_)) && before.iter().any(is_same)
}

/// Whether a clause holds wherever its column does.
fn holds_for_all(kind: &ClauseKind) -> bool {
    matches!(kind, ClauseKind::Null | ClauseKind::Formerly(_) | ClauseKind::About(_))
}

fn clause_word(kind: &ClauseKind) -> &'static str {
    match kind {
        ClauseKind::Null => "null",
        ClauseKind::Identity { .. } => "identity",
        ClauseKind::PrimaryKey => "primary key",
        ClauseKind::Unique => "unique",
        ClauseKind::References(_) => "references",
        ClauseKind::Named(_) => "named",
        ClauseKind::OnDelete(_) => "on delete",
        ClauseKind::OnUpdate(_) => "on update",
        ClauseKind::Deferrable(_) => "deferrable",
        ClauseKind::Indexed => "indexed",
        ClauseKind::Default(_) => "default",
        ClauseKind::Generated { .. } => "generated",
        ClauseKind::OnUpdateNow => "on update now",
        ClauseKind::Check(_) => "check",
        ClauseKind::Collate(_) => "collate",
        ClauseKind::Native(_) => "native",
        ClauseKind::Option(_) => "option",
        ClauseKind::Formerly(_) => "formerly",
        ClauseKind::About(_) => "about",
    }
}

/// A reference of which these clauses say something for some providers alone: one for each way that it is.
fn split<'a>(reference: ForeignKey, said: impl Iterator<Item = &'a syntax::Clause> + Clone) -> Vec<ForeignKey> {
    if said.clone().next().is_none() {
        return vec![reference];
    }
    let mut ways: Vec<(ForeignKey, Providers)> = Vec::new();
    for provider in Provider::ALL.into_iter().filter(|one| reference.scope.holds(*one)) {
        let mut here = reference.clone();
        for clause in said.clone().filter(|clause| clause.scope.holds(provider)) {
            said_of_reference(&mut here, &clause.kind);
        }
        match ways.iter_mut().find(|(way, _)| *way == here) {
            Some((_, providers)) => providers.insert(provider),
            None => ways.push((here, provider.into())),
        }
    }
    match ways.len() {
        1 => ways.into_iter().map(|(way, _)| way).collect(),
        _ => ways.into_iter().map(|(way, providers)| ForeignKey { scope: Scope::For(providers), ..way }).collect(),
    }
}

fn said_of_reference(reference: &mut ForeignKey, kind: &ClauseKind) {
    match kind {
        ClauseKind::Named(name) => reference.name = Some(name.value.clone()),
        ClauseKind::OnDelete(action) => reference.on_delete = *action,
        ClauseKind::OnUpdate(action) => reference.on_update = *action,
        ClauseKind::Deferrable(deferrable) => reference.deferrable = *deferrable,
        ClauseKind::Indexed => reference.indexed = true,
        _ => {}
    }
}
