//! Tables as one provider stores them.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use serde::Serialize;

use super::{ObjectKind, Options, Program, RowSet, Unmanaged, qualified};
use crate::fit::fit;
use crate::schema::ProgramKind;
use crate::schema::{Action, Deferrable, Identity, NullsOrder, Storage};
use crate::sql::Expression;

/// How a provider compares names.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum NameCase {
    /// Letter case says nothing (SQLite, "SQL Keywords"; `sqlite3_stricmp`).
    #[default]
    Ignored,
    /// It counts for tables, and not for what is in them (MariaDB, "Identifier Case-sensitivity").
    CountsForTables,
    /// It counts for nothing, and the server keeps names of tables in small letters (MariaDB, "Identifier Case-sensitivity",
    /// `lower_case_table_names`).
    KeptSmall,
    /// It always counts (PostgreSQL, "Identifiers and Key Words").
    Counts,
}

impl NameCase {
    /// A top-level name as it is compared.
    pub fn table_key(self, name: &str) -> String {
        match self {
            Self::Ignored => name.to_ascii_lowercase(),
            Self::KeptSmall => name.to_lowercase(),
            Self::CountsForTables | Self::Counts => name.to_owned(),
        }
    }

    /// The name of something in a table as it is compared.
    pub fn item_key(self, name: &str) -> String {
        match self {
            Self::Ignored | Self::CountsForTables | Self::KeptSmall => name.to_ascii_lowercase(),
            Self::Counts => name.to_owned(),
        }
    }

    /// Whether two names of something in a table are the same.
    pub fn same_item(self, a: &str, b: &str) -> bool {
        match self {
            Self::Ignored | Self::CountsForTables | Self::KeptSmall => a.eq_ignore_ascii_case(b),
            Self::Counts => a == b,
        }
    }
}

/// What a database holds: tables, and what stands beside them, each by its name as it is compared.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Schema {
    #[serde(skip)]
    case: NameCase,
    /// Whether the server that holds it forgets that the key of an index descends.
    #[serde(skip)]
    forgets_descent: bool,
    tables: BTreeMap<String, Table>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    enums: BTreeMap<String, EnumType>,
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    programs: BTreeMap<String, Program>,
    /// What is in the tables is no part of what a database is compared by.
    #[serde(skip)]
    rows: BTreeMap<String, RowSet>,
}

impl Schema {
    /// Puts tables together.
    pub fn new(case: NameCase, tables: impl IntoIterator<Item = Table>) -> Self {
        let keyed = |mut table: Table| {
            table.fit();
            (case.table_key(&table.name), table)
        };
        let tables = tables.into_iter().map(keyed).collect();
        let (enums, programs, rows) = (BTreeMap::new(), BTreeMap::new(), BTreeMap::new());
        Self { case, forgets_descent: false, tables, enums, programs, rows }
    }

    /// The same, held by a server that takes indexes with descending keys and makes them ascend (MariaDB before 10.8, "CREATE
    /// INDEX").
    pub fn without_descent(mut self) -> Self {
        self.forgets_descent = true;
        self
    }

    /// How its names are compared.
    pub fn case(&self) -> NameCase {
        self.case
    }

    /// The same with these enum types.
    pub fn with_enums(mut self, enums: impl IntoIterator<Item = EnumType>) -> Self {
        self.enums = enums.into_iter().map(|one| (self.case.table_key(&one.name), one)).collect();
        self
    }

    /// The same with these views, triggers and routines.
    pub fn with_programs(mut self, programs: impl IntoIterator<Item = Program>) -> Self {
        self.programs = programs.into_iter().map(|one| (self.program_key(&one), one)).collect();
        self
    }

    /// The same with these reference rows.
    pub fn with_rows(mut self, rows: impl IntoIterator<Item = RowSet>) -> Self {
        self.rows = rows.into_iter().map(|set| (self.case.table_key(&set.table), set)).collect();
        self
    }

    /// The reference rows, by table.
    pub fn row_sets(&self) -> impl ExactSizeIterator<Item = &RowSet> {
        self.rows.values()
    }

    /// The reference rows of a table.
    pub fn rows_of(&self, table: &str) -> Option<&RowSet> {
        self.rows.get(&self.key(table))
    }

    fn program_key(&self, program: &Program) -> String {
        let table = program.table.as_ref().map(|table| self.key(table)).unwrap_or_default();
        format!("{} {} {table}", program.kind_word(), self.key(&program.name))
    }

    /// The views, triggers and routines, by kind and name.
    pub fn programs(&self) -> impl ExactSizeIterator<Item = &Program> {
        self.programs.values()
    }

    /// The views, triggers and routines, to be changed in place; their names stay.
    pub fn programs_mut(&mut self) -> impl ExactSizeIterator<Item = &mut Program> {
        self.programs.values_mut()
    }

    /// The view, trigger or routine of the same kind and name.
    pub fn program_like(&self, program: &Program) -> Option<&Program> {
        self.programs.get(&self.program_key(program))
    }

    /// The same with everything called as in the other schema that goes by another name and is none the less the same.
    pub fn called_as_in(self, other: &Self) -> Self {
        self.descending_as_in(other)
            .spelled_as_in(other)
            .with_routines_called_as_in(other)
            .with_objects_called_as_in(other)
    }

    /// The same with indexes that descend as in the other schema, where the server forgets that they do.
    fn descending_as_in(mut self, other: &Self) -> Self {
        if !std::mem::take(&mut self.forgets_descent) {
            return self;
        }
        for table in self.tables.values_mut() {
            for theirs in other.table(&table.name).into_iter().flat_map(|other| &other.indexes) {
                table.make_descend(theirs);
            }
        }
        self
    }

    /// The same with tables, views and triggers spelled as in the other schema, where the server keeps them in small letters.
    fn spelled_as_in(self, other: &Self) -> Self {
        if self.case != NameCase::KeptSmall {
            return self;
        }
        let key = |name: &str| self.case.table_key(name);
        let programs = other.programs.values().map(|program| &program.name);
        let spelled: BTreeMap<String, &String> =
            programs.chain(other.tables.values().map(|table| &table.name)).map(|name| (key(name), name)).collect();
        let spell = |name: String| spelled.get(&key(&name)).map_or(name, |spelled| (*spelled).clone());
        let case = NameCase::CountsForTables;
        let tables = self.tables.into_values().map(|mut table| {
            for key in &mut table.foreign_keys {
                key.referenced_table = spell(std::mem::take(&mut key.referenced_table));
            }
            Table { name: spell(table.name), case, ..table }
        });
        let programs = self.programs.into_values().map(|program| Program {
            name: if program.kind == ProgramKind::Routine { program.name } else { spell(program.name) },
            table: program.table.map(spell),
            ..program
        });
        Self::new(case, tables)
            .with_enums(self.enums.into_values())
            .with_programs(programs)
            .with_rows(self.rows.into_values())
    }

    /// A routine that has namesakes goes by its arguments as well, so that it gets another name when somebody makes or drops a
    /// namesake.
    fn with_routines_called_as_in(self, other: &Self) -> Self {
        let missing = |one: &&Program| one.kind == ProgramKind::Routine && other.program_like(one).is_none();
        if !self.programs().any(|one| missing(&one)) {
            return self;
        }
        let renamed = |one: &Program| {
            let same = other.programs().find(|theirs| {
                theirs.is_namesake(one) && self.program_like(theirs).is_none() && theirs.has_arguments_of(one)
            });
            let name = same.filter(|_| missing(&one)).map_or(&one.name, |theirs| &theirs.name);
            Program { name: name.clone(), ..one.clone() }
        };
        let programs: Vec<Program> = self.programs().map(renamed).collect();
        self.with_programs(programs)
    }

    /// A policy, a rule, an aggregate and the like go in the catalogue by what tells them from others of their name as well,
    /// which a declaration need not say: `own_rows` is `own_rows on hive` there. What has no name at all, a cast or a grant,
    /// may be called as one likes.
    fn with_objects_called_as_in(self, other: &Self) -> Self {
        let is_missing = |one: &Program| one.word.is_some() && other.program_like(one).is_none();
        let could_be = |one: &Program, theirs: &Program| {
            let is_of_its_table = || one.name.split_once(" on ").is_none_or(|(_, table)| theirs.mentions(table));
            one.word == theirs.word && (one.body == theirs.body || one.base_name() == theirs.name && is_of_its_table())
        };
        let mut names: BTreeMap<String, String> = BTreeMap::new();
        for theirs in other.programs().filter(|one| one.word.is_some() && self.program_like(one).is_none()) {
            let mut found = self.programs().filter(|one| is_missing(one) && could_be(one, theirs));
            if let (Some(one), None) = (found.next(), found.next()) {
                names.insert(self.program_key(one), theirs.name.clone());
            }
        }
        if names.is_empty() {
            return self;
        }
        let renamed = |one: &Program| {
            let name = names.get(&self.program_key(one)).unwrap_or(&one.name);
            Program { name: name.clone(), ..one.clone() }
        };
        let programs: Vec<Program> = self.programs().map(renamed).collect();
        self.with_programs(programs)
    }

    /// The schema without what is not wanted, and that.
    pub fn parted(mut self, wanted: impl Fn(Thing<'_>) -> bool) -> (Self, Vec<Unmanaged>) {
        let mut rest: Vec<Unmanaged> = Vec::new();
        let plain = |kind, name: &str, sql: String| Unmanaged { kind, name: name.to_owned(), table: None, sql };
        self.tables.retain(|_, table| {
            let stays = wanted(Thing::Table(table));
            if !stays {
                rest.push(plain(ObjectKind::Table, &table.name, String::new()));
            }
            stays
        });
        self.enums.retain(|_, one| {
            let stays = wanted(Thing::Enum(one));
            if !stays {
                rest.push(plain(ObjectKind::Enum, &one.name, one.words.join(", ")));
            }
            stays
        });
        self.programs.retain(|_, one| {
            let stays = wanted(Thing::Program(one));
            if !stays {
                rest.push(one.as_unmanaged());
            }
            stays
        });
        (self, rest)
    }

    /// Whether the schema has a thing of this name and kind.
    pub fn has(&self, thing: Thing<'_>) -> bool {
        match thing {
            Thing::Table(table) => self.table(&table.name).is_some(),
            Thing::Enum(one) => self.enumeration(&one.name).is_some(),
            Thing::Program(one) => self.program_like(one).is_some(),
        }
    }

    /// The names of all that is in it, as they are compared: what is managed by this schema.
    pub fn keys(&self) -> BTreeSet<String> {
        let keys = self.tables.keys().chain(self.enums.keys()).chain(self.programs.keys());
        keys.cloned().collect()
    }

    /// The name of a thing among [`Self::keys`].
    pub fn key_of(&self, thing: Thing<'_>) -> String {
        match thing {
            Thing::Table(table) => self.key(&table.name),
            Thing::Enum(one) => self.key(&one.name),
            Thing::Program(one) => self.program_key(one),
        }
    }

    /// A top-level name as it is compared.
    pub fn key(&self, name: &str) -> String {
        self.case.table_key(name)
    }

    /// The tables, by their names as they are compared.
    pub fn tables(&self) -> impl ExactSizeIterator<Item = &Table> {
        self.tables.values()
    }

    /// The tables, to be changed in place; their names stay.
    pub fn tables_mut(&mut self) -> impl ExactSizeIterator<Item = &mut Table> {
        self.tables.values_mut()
    }

    /// The table of a name.
    pub fn table(&self, name: &str) -> Option<&Table> {
        self.tables.get(&self.key(name)).or_else(|| match qualified::part(name) {
            // A single name with a point in it.
            Cow::Owned(quoted) => self.tables.get(&self.key(&quoted)),
            Cow::Borrowed(_) => None,
        })
    }

    /// The enum types, by their names as they are compared.
    pub fn enums(&self) -> impl ExactSizeIterator<Item = &EnumType> {
        self.enums.values()
    }

    /// The enum type of a name.
    pub fn enumeration(&self, name: &str) -> Option<&EnumType> {
        self.enums.get(&self.key(name))
    }

    /// The tables alone.
    pub fn into_tables(self) -> impl Iterator<Item = Table> {
        self.tables.into_values()
    }

    /// The schema without the tables that are not wanted.
    pub fn filtered(mut self, mut wanted: impl FnMut(&Table) -> bool) -> Self {
        self.tables.retain(|_, table| wanted(table));
        self
    }
}

/// Anything that stands at the top of a schema.
#[derive(Clone, Copy, Debug)]
pub enum Thing<'a> {
    /// A table.
    Table(&'a Table),
    /// An enum type.
    Enum(&'a EnumType),
    /// A view, trigger or routine.
    Program(&'a Program),
}

impl Thing<'_> {
    /// Its name.
    pub fn name(&self) -> &str {
        match self {
            Self::Table(table) => &table.name,
            Self::Enum(one) => &one.name,
            Self::Program(one) => &one.name,
        }
    }
}

/// An enum type, where the provider has such a thing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct EnumType {
    /// Its name, as stored.
    pub name: String,
    /// Its words, in order.
    pub words: Vec<String>,
    /// A description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
}

impl EnumType {
    /// Whether the other one has its words in the same order, and perhaps more.
    pub(crate) fn only_gains(&self, other: &Self) -> bool {
        let kept = other.words.iter().filter(|word| self.words.contains(word));
        kept.eq(&self.words)
    }
}

/// A table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Table {
    /// Its name, as stored.
    pub name: String,
    /// How names of what is in it are compared.
    #[serde(skip)]
    pub case: NameCase,
    /// Its columns, in stored order.
    pub columns: Vec<Column>,
    /// Its primary key.
    pub primary_key: Option<PrimaryKey>,
    /// Its unique constraints.
    pub uniques: Vec<Unique>,
    /// Its references.
    pub foreign_keys: Vec<ForeignKey>,
    /// Its checks.
    pub checks: Vec<Check>,
    /// Its indexes, without those that constraints bring along.
    pub indexes: Vec<Index>,
    /// Storage options, in the provider's words.
    pub options: Options,
    /// A description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
}

impl Table {
    /// A table without anything in it.
    pub fn new(name: impl Into<String>, case: NameCase) -> Self {
        Self {
            name: name.into(),
            case,
            columns: Vec::new(),
            primary_key: None,
            uniques: Vec::new(),
            foreign_keys: Vec::new(),
            checks: Vec::new(),
            indexes: Vec::new(),
            options: Options::new(),
            comment: None,
        }
    }

    /// Gives up room that its lists have to spare.
    pub(crate) fn fit(&mut self) {
        fit(&mut self.columns);
        fit(&mut self.uniques);
        fit(&mut self.foreign_keys);
        fit(&mut self.checks);
        fit(&mut self.indexes);
        let keys = self.primary_key.iter_mut().map(|key| &mut key.columns);
        keys.chain(self.uniques.iter_mut().map(|unique| &mut unique.columns)).for_each(fit);
        for key in &mut self.foreign_keys {
            fit(&mut key.columns);
            fit(&mut key.referenced_columns);
        }
        self.indexes.iter_mut().for_each(|index| fit(&mut index.parts));
        let of_columns = self.columns.iter_mut().map(|column| &mut column.attributes);
        of_columns.chain(self.indexes.iter_mut().map(|index| &mut index.attributes)).for_each(Options::fit);
    }

    /// Takes an index for the other one where it is that but for parts that ascend; all of a unique one's do in a constraint.
    fn make_descend(&mut self, theirs: &Index) {
        let mut ascending = theirs.clone();
        ascending.parts.iter_mut().for_each(|part| part.descending = false);
        if ascending == *theirs {
            return;
        }
        if let Some(own) = self.indexes.iter_mut().find(|own| **own == ascending) {
            own.clone_from(theirs);
        }
        let is_it = |one: &Unique| {
            let columns = one.columns.iter().map(|column| IndexPart::new(IndexKey::Column(column.name.clone())));
            let name = one.name.clone().unwrap_or_default();
            Index { attributes: one.attributes.clone(), ..Index::new(name, true, columns.collect()) } == ascending
        };
        if let Some(at) = self.uniques.iter().position(is_it) {
            self.uniques.remove(at);
            self.indexes.push(theirs.clone());
        }
    }

    /// Its name as it is compared.
    pub fn key(&self) -> String {
        self.case.table_key(&self.name)
    }

    /// The column of a name.
    pub fn column(&self, name: &str) -> Option<&Column> {
        self.columns.iter().find(|column| self.case.same_item(&column.name, name))
    }

    /// The tables it inherits from, where the provider has that.
    pub fn parents(&self) -> Vec<String> {
        let inherits = |option: &String| Some(option.strip_prefix("inherits (")?.strip_suffix(')')?.to_owned());
        let list = self.options.iter().find_map(inherits).unwrap_or_default();
        list.split(", ").filter(|name| !name.is_empty()).map(qualified::of_sql).collect()
    }

    /// Its options, with its parents under new names.
    pub(crate) fn options_with_renamed_parents(
        &self,
        rename: impl Fn(&str) -> String,
        quote: impl Fn(&str) -> String,
    ) -> Options {
        let quoted = |name: String| {
            let (namespace, base) = qualified::split(&name);
            let parts = namespace.into_iter().chain([base]).map(|part| quote(&qualified::plain(part)));
            parts.collect::<Vec<_>>().join(".")
        };
        let told = |option: &String| match option.starts_with("inherits (") {
            true => {
                let names: Vec<String> = self.parents().iter().map(|name| quoted(rename(name))).collect();
                format!("inherits ({})", names.join(", "))
            }
            false => option.clone(),
        };
        self.options.iter().map(told).collect()
    }

    /// Those of them that the table still inherits from when it has become another one.
    pub fn parents_kept(&self, later: &Self) -> Vec<String> {
        let stays =
            |name: &String| later.parents().iter().any(|other| self.case.table_key(other) == self.case.table_key(name));
        self.parents().into_iter().filter(stays).collect()
    }

    /// Its options, with these and no others to inherit from.
    pub fn options_with_parents(&self, kept: &[String]) -> Options {
        let is_kept = |name: &&str| {
            let name = self.case.table_key(&qualified::of_sql(name));
            kept.iter().any(|one| self.case.table_key(one) == name)
        };
        let told = |option: &String| match option.strip_prefix("inherits (").and_then(|rest| rest.strip_suffix(')')) {
            Some(list) => {
                let names: Vec<&str> = list.split(", ").filter(is_kept).collect();
                (!names.is_empty()).then(|| format!("inherits ({})", names.join(", ")))
            }
            None => Some(option.clone()),
        };
        self.options.iter().filter_map(told).collect()
    }

    /// Whether the table has this storage option.
    pub fn has_option(&self, option: &str) -> bool {
        self.options.contains(option)
    }
}

/// What is known of a thing without being a part of it, so that any two are equal.
#[derive(Clone, Debug, Default)]
pub struct Noted<T>(pub T);

impl<T> PartialEq for Noted<T> {
    fn eq(&self, _: &Self) -> bool {
        true
    }
}

impl<T> Eq for Noted<T> {}

/// A provider's type by its name; letter case and white space make no difference.
#[derive(Clone, Debug)]
pub struct TypeName {
    text: Arc<str>,
    canonical: Arc<str>,
}

impl TypeName {
    /// The type of this name, which is kept as written.
    pub fn new(text: &str) -> Self {
        let mut canonical = String::new();
        let mut space = false;
        for character in text.trim().chars() {
            if character.is_ascii_whitespace() {
                space = true;
                continue;
            }
            let joined = matches!(character, '(' | ')' | ',') || canonical.ends_with(['(', ',']);
            if space && !joined {
                canonical.push(' ');
            }
            space = false;
            canonical.push(character.to_ascii_uppercase());
        }
        Self::exact(text.trim(), &canonical)
    }

    /// The type that is written in one way and compared by another name.
    pub fn aliased(text: &str, canonical: &str) -> Self {
        Self { text: text.trim().into(), canonical: Self::new(canonical).canonical }
    }

    /// The type that is written in one way and compared by another, letter case and all.
    pub fn exact(text: &str, canonical: &str) -> Self {
        let text: Arc<str> = text.into();
        let canonical = if *text == *canonical { Arc::clone(&text) } else { canonical.into() };
        Self { text, canonical }
    }

    /// As it was written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// In upper case, with one space between words.
    pub fn canonical(&self) -> &str {
        &self.canonical
    }
}

impl PartialEq for TypeName {
    fn eq(&self, other: &Self) -> bool {
        self.canonical == other.canonical
    }
}

impl Eq for TypeName {}

impl Serialize for TypeName {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.canonical)
    }
}

/// A column.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Column {
    /// Its name, as stored.
    pub name: String,
    /// Its type.
    pub ty: TypeName,
    /// The portable type it was declared with.
    #[serde(skip)]
    pub declared_type: Noted<Option<String>>,
    /// Whether it may hold null.
    pub nullable: bool,
    /// Its default. In a box, since columns without one are many.
    pub default: Option<Box<Expression>>,
    /// The expression that computes it. In a box, since few columns have one and there are many columns.
    pub generated: Option<Box<Generated>>,
    /// Its collation, where it is not the provider's default.
    pub collation: Option<String>,
    /// How it numbers the rows, where the provider keeps that with the column.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub identity: Option<Box<Identity>>,
    /// A description.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub comment: Option<String>,
    /// Whatever else the provider stores for it.
    pub attributes: Options,
}

impl Column {
    /// Whether the database numbers the rows through it: as an identity, or by a sequence of its own.
    pub fn numbers_rows(&self) -> bool {
        self.identity.is_some() || self.attributes.contains("serial")
    }

    /// A required column with nothing else said.
    pub fn new(name: impl Into<String>, ty: TypeName) -> Self {
        Self {
            name: name.into(),
            ty,
            declared_type: Noted(None),
            nullable: false,
            default: None,
            generated: None,
            collation: None,
            identity: None,
            comment: None,
            attributes: Options::new(),
        }
    }
}

/// How a generated column is computed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Generated {
    /// The expression.
    pub expression: Expression,
    /// Stored or virtual.
    pub storage: Storage,
}

/// A column of a key, with what the key says of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct KeyColumn {
    /// The column's name.
    pub name: String,
    /// Whether the key's order is descending.
    pub descending: bool,
    /// The key's own collation.
    pub collation: Option<String>,
}

impl KeyColumn {
    /// An ascending key column.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into(), descending: false, collation: None }
    }
}

/// A primary key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct PrimaryKey {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its columns, in order.
    pub columns: Vec<KeyColumn>,
    /// Whatever else the provider stores for it.
    pub attributes: Options,
}

/// A unique constraint.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Unique {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its columns, in order.
    pub columns: Vec<KeyColumn>,
    /// Whatever else the provider stores for it.
    pub attributes: Options,
}

/// A reference.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct ForeignKey {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// The referencing columns.
    pub columns: Vec<String>,
    /// The referenced table.
    pub referenced_table: String,
    /// The referenced columns.
    pub referenced_columns: Vec<String>,
    /// What follows from deleting the referenced row.
    pub on_delete: Action,
    /// What follows from changing the referenced key.
    pub on_update: Action,
    /// When it is checked.
    pub deferrable: Deferrable,
    /// Whatever else the provider stores for it.
    pub attributes: Options,
    /// Whether the table that it points to is not there, so that it can only be made without a look at it. That is said of
    /// the whole schema: what is ignored of one side would make a difference of it.
    #[serde(skip)]
    pub dangles: Noted<bool>,
}

/// A check.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Check {
    /// Its name, if it has one.
    pub name: Option<String>,
    /// Its condition.
    pub expression: Expression,
    /// Whatever else the provider stores for it.
    pub attributes: Options,
}

/// An index.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Index {
    /// Its name.
    pub name: String,
    /// Whether two rows may not share a key.
    pub unique: bool,
    /// What it is over.
    pub parts: Vec<IndexPart>,
    /// The condition of a partial index.
    pub predicate: Option<Expression>,
    /// Columns carried along without being part of the key.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub including: Vec<String>,
    /// The access method, where it is not the provider's default.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub method: Option<String>,
    /// Whatever else the provider stores for it.
    #[serde(skip_serializing_if = "Options::is_empty")]
    pub attributes: Options,
}

impl Index {
    /// An index over these parts, with nothing else said.
    pub fn new(name: impl Into<String>, unique: bool, parts: Vec<IndexPart>) -> Self {
        Self {
            name: name.into(),
            unique,
            parts,
            predicate: None,
            including: Vec::new(),
            method: None,
            attributes: Options::new(),
        }
    }
}

/// One part of an index's key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct IndexPart {
    /// What is indexed.
    pub key: IndexKey,
    /// Its collation, where it is not the column's.
    pub collation: Option<String>,
    /// Whether the order is descending.
    pub descending: bool,
    /// Only this many leading characters or bytes.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub prefix: Option<u32>,
    /// The operator class, where it is not the type's default.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub operators: Option<String>,
    /// Where nulls stand, where it is not the order's default.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub nulls: Option<NullsOrder>,
}

impl IndexPart {
    /// An ascending part with nothing else said.
    pub fn new(key: IndexKey) -> Self {
        Self { key, collation: None, descending: false, prefix: None, operators: None, nulls: None }
    }
}

/// What an index part is over.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum IndexKey {
    /// A column.
    Column(String),
    /// An expression.
    Expression(Expression),
}

/// A thing that is told from others by a name.
pub(crate) trait Named: Clone + Eq {
    /// The name, if there is one.
    fn name(&self) -> Option<&str>;
    /// The same thing under another name.
    fn renamed(&self, name: Option<&str>) -> Self;
}

macro_rules! named {
    ($($ty:ty),*) => {$(
        impl Named for $ty {
            fn name(&self) -> Option<&str> {
                self.name.as_deref()
            }
            fn renamed(&self, name: Option<&str>) -> Self {
                Self { name: name.map(str::to_owned), ..self.clone() }
            }
        }
    )*};
}

named!(PrimaryKey, Unique, ForeignKey, Check);

impl Named for Index {
    fn name(&self) -> Option<&str> {
        Some(&self.name)
    }

    fn renamed(&self, name: Option<&str>) -> Self {
        Self { name: name.unwrap_or_default().to_owned(), ..self.clone() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_server_forgets_of_an_index_is_no_difference() {
        let part =
            |name: &str, descending| IndexPart { descending, ..IndexPart::new(IndexKey::Column(name.to_owned())) };
        let table = |indexes: Vec<Index>, uniques: Vec<Unique>| {
            let mut table = Table::new("hive", NameCase::CountsForTables);
            (table.indexes, table.uniques) = (indexes, uniques);
            Schema::new(NameCase::CountsForTables, [table])
        };
        let by_code = |descends| Index::new("by_code", false, vec![part("code", descends), part("kg", false)]);
        let by_kg = Index::new("by_kg", true, vec![part("kg", true)]);
        let (columns, attributes) = (vec![KeyColumn::new("kg")], Options::new());
        let kept = Unique { name: Some("by_kg".to_owned()), columns, attributes };
        let declared = table(vec![by_code(true), by_kg], Vec::new());
        let live = table(vec![by_code(false)], vec![kept]);
        assert_eq!(live.clone().without_descent().called_as_in(&declared), declared);
        assert_ne!(live.called_as_in(&declared), declared, "a server that remembers has another index");
        let other = Index::new("by_code", false, vec![part("kg", false)]);
        let live = table(vec![other], Vec::new()).without_descent().called_as_in(&declared);
        assert_ne!(live, declared, "over other columns");
    }
}
