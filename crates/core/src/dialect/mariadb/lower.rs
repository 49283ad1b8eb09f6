//! What MariaDB and MySQL store for a logical schema.

use std::collections::BTreeSet;

use super::ddl::in_words_of_catalogue;
use super::padding::{depends_on_padding, is_column};
use super::quote::{literal, quote};
use super::types::{is_binary, is_spatial, is_text, key_bytes, no_type, portable, type_name};
use super::{COLLATION, Flavor, SYNTAX};
use crate::dialect::lowering::{self, Attributed, Lowering, Storing, key_option, typed};
use crate::dialect::{Dialect, Facts, Lowered};
use crate::physical::{self, IndexKey, Noted, Options, TypeName};
use crate::schema::{
    Action, Column, Deferrable, Fault, FaultKind, ForeignKey, Identifier, Identity, Index, IndexPart, Item, KeptAs,
    KeyPart, Part, Place, Program, Provider, Schema, Scoped, Storage, Table, Type, Unique, Value,
};
use crate::sql::{Expression, Lexer, Syntax, TokenKind, unquote};

/// Storage engines of which a column numbers rows within groups (MariaDB, "AUTO_INCREMENT").
const NUMBER_GROUPS: [&str; 3] = ["engine=myisam", "engine=aria", "engine=mrg_myisam"];

/// InnoDB, "Limits": the longest key of a table with dynamic rows, in bytes.
const LONGEST_KEY: u64 = 3072;

/// Bytes that a bounded text can have: a row holds 65,535, and three of them say its length and whether it is null
/// (MariaDB, "VARCHAR"). That is 16,383 characters of utf8mb4.
const LONGEST_TEXT: u64 = 65_532;

/// An index that is a tree in memory, too (MariaDB, "Storage Engine Index Types").
pub(super) const BTREE: &str = "using btree";

/// A table that keeps the history of its rows (MariaDB, "System-Versioned Tables").
pub(super) const VERSIONED: &str = "with system versioning";

/// A column of such a table that is not part of the history; elsewhere the server forgets that it was said.
const UNVERSIONED: &str = "without system versioning";

/// MariaDB, "CREATE TABLE", "Table Options": those that the catalogue gives back.
const OPTIONS: [&str; 21] = [
    "engine",
    "row_format",
    "collate",
    "avg_row_length",
    "checksum",
    "delay_key_write",
    "key_block_size",
    "max_rows",
    "min_rows",
    "pack_keys",
    "page_checksum",
    "page_compressed",
    "page_compression_level",
    "stats_auto_recalc",
    "stats_persistent",
    "stats_sample_pages",
    "transactional",
    "encrypted",
    "encryption_key_id",
    "compression",
    "encryption",
];

/// Those that the catalogue gives back in quotes, whether they were said so or not, or as they were said, by the server's
/// version (MariaDB, "Engine-defined New Table/Field/Index Attributes"; 10.11.14 keeps a number without them, as it was seen;
/// MySQL 8.4, "CREATE TABLE").
const QUOTED: [&str; 6] =
    ["page_compressed", "page_compression_level", "encrypted", "encryption_key_id", "compression", "encryption"];

/// An option in the form in which it is compared.
pub(super) fn stated(name: &str, value: &str) -> String {
    if !QUOTED.contains(&name) {
        return format!("{name}={value}");
    }
    let value = value.trim_matches(['\'', '"']);
    let is_number = !value.is_empty() && value.bytes().all(|byte| byte.is_ascii_digit());
    if is_number { format!("{name}={value}") } else { format!("{name}='{value}'") }
}

/// Takes out what an engine does by itself: the row format of InnoDB (MariaDB, "InnoDB Row Formats Overview"), and that Aria
/// writes checksums with its pages ("Aria System Variables"), of which the catalogue tells where it was said, and a dump
/// always. Of other engines the row format makes a difference: Aria writes pages, and is transactional, unless it is said.
pub(super) fn leave_out_usual(options: &mut Options) {
    if !options.iter().any(|option| option.starts_with("engine=")) {
        options.remove("row_format=dynamic");
    } else if options.contains("engine=aria") {
        options.remove("page_checksum=1");
    }
}

/// Columns of a key, each with how much of it is in the key, where that is not all.
type KeyParts = Vec<(String, Option<u32>)>;

/// Whether a declared key is over the columns of a stored one: what has no name of its own is told by them.
fn same_columns<'n>(declared: impl Iterator<Item = &'n Identifier>, columns: &KeyParts) -> bool {
    declared.map(Identifier::as_str).eq(columns.iter().map(|(name, _)| name.as_str()))
}

/// Lowers a schema; see [`crate::Dialect::lower`].
pub(in crate::dialect) fn lower(flavor: Flavor, schema: &Schema) -> Result<Lowered, Vec<Fault>> {
    lowering::lower(&Mariadb(flavor), schema)
}

pub(super) struct Mariadb(pub(super) Flavor);

impl Storing for Mariadb {
    fn provider(&self) -> Provider {
        self.0.provider()
    }

    fn facts(&self) -> Facts {
        Dialect::Mariadb(self.0).facts()
    }

    fn syntax(&self) -> Syntax {
        SYNTAX
    }

    fn quoted(&self, name: &str) -> String {
        quote(name)
    }

    /// Declared texts are standard SQL, in which a backslash is a backslash.
    fn expression(&self, table: &Table, text: &str) -> Expression {
        let escaped = |written: &str| written.contains('\\').then(|| literal(&unquote(written)));
        lowering::respelled(table, text, SYNTAX, quote, escaped)
    }

    fn attribute(&self, on: Attributed, option: &str) -> Option<String> {
        // What is so anyway.
        let folded = option.trim().to_ascii_lowercase();
        if matches!((on, folded.as_str()), (Attributed::Check, "enforced") | (Attributed::Reference, "match simple")) {
            return Some(String::new());
        }
        let srid = option.to_ascii_lowercase().strip_prefix("srid ").and_then(|number| number.parse::<u32>().ok());
        match srid.filter(|_| on == Attributed::Column && self.0 == Flavor::Mysql) {
            Some(number) => Some(format!("srid {number}")),
            None => attribute(on, option).filter(|one| match (on, one.as_str()) {
                // MariaDB has no checks that are not in force.
                (_, "not enforced") => self.0 == Flavor::Mysql,
                // One thing by two words (MariaDB, "Ignored Indexes"; MySQL 8.4, "Invisible Indexes").
                (Attributed::Index, "ignored") => self.0 == Flavor::Mariadb,
                (Attributed::Index, "invisible") => self.0 == Flavor::Mysql,
                _ => true,
            }),
        }
    }

    fn reserved(&self) -> &'static [(&'static str, &'static str)] {
        &[("hollow_oak_", "oak's own tables")]
    }

    fn option(&self, lowering: &mut Lowering<'_, Self>, option: &str, table: &mut physical::Table, place: Place) {
        let folded = option.to_ascii_lowercase();
        // Names in it keep their letter case.
        if folded.starts_with("partition by ") {
            // One partition is what there is where no number is said.
            let by = option["partition by ".len()..].trim_end_matches(" partitions 1");
            table.options.insert(format!("partition by {by}"));
            return;
        }
        if folded == VERSIONED && self.0 == Flavor::Mariadb {
            table.options.insert(folded);
            return;
        }
        let (name, value) = folded.split_once('=').map_or((folded.as_str(), ""), |(name, value)| (name, value));
        let (name, value) = (name.trim(), value.trim());
        if value.is_empty() || !OPTIONS.contains(&name) {
            let kind = FaultKind::UnknownOption {
                provider: self.0.provider(),
                option: option.to_owned(),
                nearest: None,
                known: "\"engine=…\", \"row_format=…\", \"collate=…\", \"partition by …\" and others (docs/types.md)",
            };
            lowering.fault(kind, place);
            return;
        }
        match (name, value) {
            // As good as not said.
            ("engine", "innodb") | (_, "default") => {}
            ("avg_row_length" | "checksum" | "delay_key_write" | "max_rows" | "min_rows" | "key_block_size", "0") => {}
            // Another name of the same (MariaDB, "MEMORY Storage Engine").
            ("engine", "heap") => table.options.extend(["engine=memory".to_owned()]),
            _ => table.options.extend([stated(name, value)]),
        }
    }

    fn column(
        &self,
        lowering: &mut Lowering<'_, Self>,
        table: &Table,
        column: &Column,
        _: &mut physical::Table,
        place: &Place,
    ) -> physical::Column {
        let ty = self.column_type(lowering, table, column, place);
        let mut made = typed(column, ty);
        if let Some(identity) = lowering.identity(column) {
            let plain = Identity::default();
            if *identity != plain {
                let kind = lowering.not_expressible(
                    "has no first number, step or refusal for an identity column",
                    "write `identity`, and the rest in an `identity … for …` for the others",
                );
                lowering.fault(kind, place.clone().part(Part::Identity));
            }
            made.identity = Some(Box::new(plain));
        }
        if column.on_update_now.as_ref().is_some_and(|scope| scope.holds(self.provider())) {
            match &column.ty {
                Type::Datetime(digits) | Type::Instant(digits) => {
                    let digits = digits.unwrap_or(6);
                    let precision = if digits == 0 { "()".into() } else { format!("({digits})") };
                    made.attributes.insert(format!("on update current_timestamp{precision}"));
                }
                _ => {
                    let what = format!("has no `on update now` for {}", column.ty);
                    let kind = lowering.not_expressible(what, "make the column an `instant` or a `datetime`");
                    lowering.fault(kind, place.clone().part(Part::OnUpdate));
                }
            }
        }
        let default = Scoped::pick(&column.default, self.provider());
        let is_set = made.attributes.iter().any(|one| one.starts_with("on update "));
        if is_set && !column.nullable && default.is_none_or(|value| *value == Value::Null) {
            // MySQL 8.4, "Automatic Initialization and Updating for TIMESTAMP and DATETIME": with ON UPDATE and without DEFAULT, a
            // column that is not null has the default 0; seen on MariaDB 10.11 as well.
            let kind = lowering.not_expressible(
                "gives a required column that is set on update a default of its own, the zero date",
                "add `default now`, or `null`",
            );
            lowering.fault(kind, place.clone().part(Part::OnUpdate));
        }
        if let Some(Value::Number(number)) = default
            && number.starts_with('-')
            && number.bytes().any(|one| (b'1'..=b'9').contains(&one))
            && made.ty.text().contains("unsigned")
        {
            let what = format!("has no default below zero for `{}`", made.ty.text());
            let help = format!("write another default for this provider, `default 0 for {}`", self.provider());
            let kind = lowering.not_expressible(what, help);
            lowering.fault(kind, place.clone().part(Part::Default));
        }
        let is_generated = Scoped::pick(&column.generated, self.provider()).is_some();
        if is_generated && !column.nullable && self.0 == Flavor::Mariadb {
            // MariaDB, "Generated (Virtual and Persistent/Stored) Columns": NOT NULL is not allowed.
            let kind =
                lowering.not_expressible("cannot declare a generated column required", "add `null` to the column");
            lowering.fault(kind, place.clone().part(Part::Expression));
        }
        made
    }

    fn default(&self, table: &Table, column: &Column, value: &Value) -> Option<Expression> {
        let digits = |digits: &Option<u8>| match digits.unwrap_or(6) {
            0 => String::new(),
            digits => digits.to_string(),
        };
        let text = match value {
            Value::Null => return None,
            Value::Number(text) => number(text, &column.ty),
            Value::Text(text) => literal(text),
            Value::Bytes(digits) => format!("x'{digits}'"),
            Value::Bool(truth) => if *truth { "1" } else { "0" }.into(),
            Value::Now => match &column.ty {
                Type::Time(precision) => format!("utc_time({})", digits(precision)),
                Type::Datetime(precision) | Type::Instant(precision) => format!("utc_timestamp({})", digits(precision)),
                _ => "utc_timestamp()".into(),
            },
            Value::Today => "utc_date()".into(),
            Value::NewUuid => "uuid()".into(),
            Value::Word(word) => literal(word.as_str()),
            Value::Expression(text) => return Some(self.expression(table, text)),
        };
        Some(Expression::read(&text, SYNTAX))
    }

    fn collation(&self, name: &str) -> Option<String> {
        Some(name.to_ascii_lowercase())
    }

    fn no_type(&self, native: &str) -> Option<(String, String)> {
        no_type(self.0, native)
    }

    // MariaDB takes one for any type and forgets it (seen on 10.11).
    fn lacks_collation(&self, ty: &TypeName) -> bool {
        !is_text(ty) && ty.canonical() != "JSON"
    }

    fn usual_collation(&self) -> String {
        COLLATION.to_owned()
    }

    fn index(&self, lowering: &mut Lowering<'_, Self>, index: &Index, made: &mut physical::Index, place: &Place) {
        for (at, (part, made)) in index.parts.iter().zip(&mut made.parts).enumerate() {
            let place = place.clone().part(Part::Element(at));
            if matches!(part.key, KeyPart::Expression(_)) && matches!(made.key, IndexKey::Expression(_)) {
                // MySQL 8.0.13 has functional key parts, and MariaDB does not.
                if self.0 == Flavor::Mariadb {
                    let instead = "index a generated column instead, or say `except mariadb` at the end of the item";
                    let kind = lowering.not_expressible("has no expressions in indexes", instead);
                    lowering.fault(kind, place.clone());
                }
            }
            made.prefix = part.prefix;
            let said = [
                (part.operators.is_some(), "has no operator classes"),
                (part.nulls.is_some(), "cannot place nulls in an index"),
                (part.collate.is_some(), "has no collation of its own for a part of an index"),
            ];
            for (_, what) in said.into_iter().filter(|(said, _)| *said) {
                lowering.refuse(what, place.clone());
            }
        }
        if index.predicate.is_some() {
            lowering.refuse("has no partial indexes", place.clone().part(Part::Expression));
        }
        if !index.including.is_empty() {
            lowering.refuse("has no included columns in indexes", place.clone());
        }
        let method = index.method.as_deref().map(str::to_ascii_lowercase);
        // Worth saying in memory tables, where it is not the usual one.
        let method = match method.as_deref() {
            Some("btree") => {
                made.attributes.insert(BTREE.to_owned());
                None
            }
            _ => method,
        };
        if let Some(method) = &method
            && !["fulltext", "spatial", "hash"].contains(&method.as_str())
            && !(method == "vector" && self.0 == Flavor::Mariadb)
        {
            lowering.refuse(format!("has no index method {method}"), place.clone());
        }
        made.method = method;
    }

    fn nulls_equal(&self) -> Result<&'static str, &'static str> {
        Err("never takes two nulls for equal in a unique constraint")
    }

    fn reference(&self, lowering: &mut Lowering<'_, Self>, table: &Table, key: &ForeignKey, place: &Place) {
        // MariaDB, "Foreign Keys": SET DEFAULT is refused by InnoDB, and every check is immediate.
        if key.on_delete == Action::SetDefault || key.on_update == Action::SetDefault {
            lowering.refuse("has no `set default` for references", place.clone());
        }
        if key.deferrable != Deferrable::No {
            lowering.refuse("has no deferrable references", place.clone());
        }
        for (event, action) in [("delete", key.on_delete), ("update", key.on_update)] {
            let required = key.columns.iter().find(|name| table.column(name).is_some_and(|column| !column.nullable));
            if let (Action::SetNull, Some(column)) = (action, required) {
                let what = format!("refuses `on {event} set null` for column `{column}`, which may not be null");
                let kind = lowering.not_expressible(what, "add `null` to the column, or choose another action");
                lowering.fault(kind, place.clone());
            }
        }
        if key.is_unchecked(self.provider()) {
            return;
        }
        let Some(referenced) = lowering.schema.table(key.referenced_table.as_str()) else { return };
        // InnoDB, "Foreign Key Constraints": an index lists the referenced columns first, in the same order.
        let here = self.provider();
        let begins = |columns: Vec<&Identifier>| {
            columns.len() >= key.referenced_columns.len()
                && key.referenced_columns.iter().zip(columns).all(|(wanted, column)| wanted == column)
        };
        let keys = referenced.primary_keys.iter().filter(|one| one.scope.holds(here)).map(|one| &one.columns);
        let uniques = referenced.uniques.iter().filter(|one| one.scope.holds(here)).map(|one| &one.columns);
        let mut columns = keys.chain(uniques).map(|columns| columns.iter().collect::<Vec<_>>());
        let indexes = referenced.indexes.iter().filter(|one| one.scope.holds(here));
        let mut indexed = indexes.map(|one| one.parts.iter().map_while(whole_column).collect::<Vec<_>>());
        if key.referenced_columns.len() > 1 && !columns.any(begins) && !indexed.any(begins) {
            let names: Vec<_> = key.referenced_columns.iter().map(Identifier::as_str).collect();
            let what = format!(
                "references only columns in the order of a key, and no key of `{}` begins with {}",
                key.referenced_table,
                names.join(", ")
            );
            let kind = lowering.not_expressible(what, "name them in the order of the key, here and in the table");
            lowering.fault(kind, place.clone());
        }
        let collation = |table: &Table, name: &Identifier| {
            let own = table.column(name).and_then(|column| Scoped::pick(&column.collate, self.provider()).cloned());
            own.unwrap_or_else(|| stated_collation(table, self.provider()))
        };
        let schema = lowering.schema;
        // Those that are not the provider's own were compared as they are declared.
        let native = |table: &Table, name: &Identifier| {
            table.column(name).and_then(|column| Scoped::pick(&column.native, self.provider()).cloned())
        };
        let stored = |table: &Table, name: &Identifier| {
            let ty = native(table, name).or_else(|| portable(&table.column(name)?.ty, schema));
            ty.map(|ty| type_name(&ty))
        };
        for (at, (from, to)) in key.columns.iter().zip(&key.referenced_columns).enumerate() {
            if (native(table, from).is_some() || native(referenced, to).is_some())
                && let (Some(own), Some(theirs)) = (stored(table, from), stored(referenced, to))
                && whole_number(&own).zip(whole_number(&theirs)).is_some_and(|(own, theirs)| own != theirs)
            {
                // MySQL 8.4, "FOREIGN KEY Constraints": size and sign of integers must be the same.
                let what = format!(
                    "has no references between integers of different types (`{}` and `{}`)",
                    own.text(),
                    theirs.text()
                );
                let kind = lowering.not_expressible(what, "give both columns the same type");
                lowering.fault(kind, place.clone().part(Part::Element(at)));
            }
            let is_text = table.column(from).is_some_and(|column| matches!(column.ty, Type::Text(_) | Type::Char(_)));
            let (own, theirs) = (collation(table, from), collation(referenced, to));
            if is_text && own != theirs {
                // MariaDB, "Foreign Keys", "Constraints": the character set and collation of text columns must be the same.
                let what = format!("has no references between texts of different collations ({own} and {theirs})");
                let kind = lowering.not_expressible(what, "give both columns the same `collate`");
                lowering.fault(kind, place.clone().part(Part::Element(at)));
            }
        }
    }

    fn finish(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table) {
        if !lowered.options.iter().any(|option| option.starts_with("collate=")) {
            lowered.options.insert(format!("collate={COLLATION}"));
        }
        leave_out_usual(&mut lowered.options);
        let own = table_collation(lowered);
        for column in &mut lowered.columns {
            column.collation = column.collation.take().filter(|name| *name != own);
        }
        let key: Vec<String> =
            lowered.primary_key.iter().flat_map(|key| &key.columns).map(|column| column.name.clone()).collect();
        for column in lowered.columns.iter_mut().filter(|column| key.contains(&column.name)) {
            column.nullable = false;
        }
        // InnoDB knows one action by two names (MariaDB, "Foreign Keys").
        for key in &mut lowered.foreign_keys {
            for action in [&mut key.on_delete, &mut key.on_update] {
                if *action == Action::Restrict {
                    *action = Action::NoAction;
                }
            }
        }
        partitioned(lowered, self.0);
        if !lowered.has_option(VERSIONED) {
            for column in &mut lowered.columns {
                column.attributes.remove(UNVERSIONED);
            }
        }
        self.indexes_by_hash(lowering, table, lowered);
        uniques_among_indexes(lowered);
        indexes_for_references(self.0, lowered);
        self.dangling_references(lowering, table, lowered);
        self.index_names(lowering, table, lowered);
        self.check_names(lowering, table, lowered);
        self.keys(lowering, table, lowered);
        self.computed(lowering, table, lowered);
        self.expressions(lowering, table, lowered);
    }
}

/// Bytes of the widest character of a collation's character set (MariaDB, "Supported Character Sets and Collations").
pub(super) fn widest_character(collation: &str) -> u64 {
    match collation.split('_').next().unwrap_or_default() {
        "utf8" | "utf8mb3" | "ujis" | "eucjpms" => 3,
        "ucs2" | "gbk" | "big5" | "sjis" | "euckr" | "gb2312" | "cp932" => 2,
        "utf8mb4" | "gb18030" | "utf16" | "utf16le" | "utf32" | "uca1400" => 4,
        _ => 1,
    }
}

/// The check that is written with a column, as an attribute of it.
///
/// Its words are small, its columns in quotes and its white space that of the server (MariaDB 10.11 writes a condition
/// anew from what it understood), so that it is the same text wherever it was read.
pub(super) fn own_check(condition: &str) -> String {
    let condition = Expression::read(condition, SYNTAX);
    let quoted = condition.respelled(|reference| Some(quote(&reference.name)), |_| None);
    let mut written = String::with_capacity(quoted.len());
    // Whether a space stands before the next token, if it is no parenthesis behind a word.
    let (mut spaced, mut is_call) = (false, false);
    for token in Lexer::new(&quoted, 0, SYNTAX) {
        let text = token.span.text(&quoted);
        match token.kind {
            TokenKind::Space | TokenKind::Comment => {
                is_call = false;
                continue;
            }
            TokenKind::Symbol => {
                let is_tight = matches!(text, ")" | "," | ".") || text == "(" && is_call;
                written.extend((spaced && !is_tight).then_some(' '));
                written.push_str(if text == "!=" { "<>" } else { text });
                spaced = !matches!(text, "(" | "," | ".");
                is_call = false;
            }
            kind => {
                written.extend(spaced.then_some(' '));
                match kind {
                    TokenKind::Word => written.push_str(&text.to_ascii_lowercase()),
                    _ => written.push_str(text),
                }
                spaced = true;
                is_call = kind == TokenKind::Word;
            }
        }
    }
    format!("check ({written})")
}

/// What a column, key, check or index can have beside its clauses (MariaDB, "CREATE TABLE"; MySQL 8.4, the same).
fn attribute(on: Attributed, option: &str) -> Option<String> {
    let folded = option.to_ascii_lowercase();
    let known = match on {
        Attributed::Column if folded.starts_with("check (") && folded.ends_with(')') => {
            return Some(own_check(&option["check (".len()..option.len() - 1]));
        }
        Attributed::Column => {
            folded == "invisible" || folded.starts_with("on update current_timestamp") || folded == UNVERSIONED
        }
        // A text keeps its letter case.
        Attributed::Index | Attributed::Key if folded.starts_with("comment ") => {
            return Some(format!("comment {}", &option["comment ".len()..]));
        }
        Attributed::Index => {
            matches!(folded.as_str(), "ignored" | "invisible" | "using hash" | BTREE)
                || folded.starts_with("with parser ")
                || ["m=", "distance="].iter().any(|word| folded.starts_with(word))
        }
        Attributed::Check => folded == "not enforced",
        // A column keeps its letter case.
        Attributed::Key if folded.starts_with("prefix ") && folded.ends_with(')') => {
            return Some(format!("prefix {}", &option["prefix ".len()..]));
        }
        Attributed::Key if folded.starts_with("descending ") => return key_option(option),
        Attributed::Key => folded == BTREE,
        Attributed::Reference => false,
    };
    known.then_some(folded)
}

/// The collation of the table, which its columns have unless they say otherwise.
pub(super) fn table_collation(table: &physical::Table) -> String {
    let stated = table.options.iter().find_map(|option| option.strip_prefix("collate="));
    stated.unwrap_or(COLLATION).to_owned()
}

/// The collation that a declared table states, or the one that holds anyway.
fn stated_collation(table: &Table, provider: Provider) -> String {
    let options = table.options.iter().filter(|option| option.scope.holds(provider));
    let mut stated = options.filter_map(|option| option.value.strip_prefix("collate=").map(str::to_owned));
    stated.next().unwrap_or_else(|| COLLATION.to_owned())
}

/// A number as the server stores it for a decimal: with all its places.
fn number(text: &str, ty: &Type) -> String {
    let Type::Decimal(Some((_, scale))) = ty else { return text.to_owned() };
    if text.contains(['e', 'E']) || *scale == 0 {
        return text.to_owned();
    }
    let (whole, fraction) = text.split_once('.').unwrap_or((text, ""));
    let whole = if matches!(whole, "" | "-" | "+") { format!("{whole}0") } else { whole.to_owned() };
    let width = *scale as usize;
    let fraction: String = fraction.chars().chain(std::iter::repeat('0')).take(width.max(fraction.len())).collect();
    format!("{whole}.{}", &fraction[..width.min(fraction.len())])
}

/// How a table is partitioned, in the words of the catalogue, where that is known.
fn partitioned(table: &mut physical::Table, flavor: Flavor) {
    let engine = table.options.iter().find_map(|option| option.strip_prefix("engine=")).unwrap_or("innodb");
    let told = table.options.iter().find_map(|option| {
        let told = in_words_of_catalogue(option.strip_prefix("partition by ")?, engine, flavor)?;
        Some((option.clone(), told))
    });
    if let Some((said, told)) = told {
        table.options.remove(&said);
        table.options.insert(told);
    }
}

/// A unique index over whole columns is what a unique constraint is; there is one word for both. One of which more is said is
/// an index.
fn uniques_among_indexes(table: &mut physical::Table) {
    let is_plain =
        |one: &physical::Unique| one.attributes.is_empty() && one.columns.iter().all(|column| !column.descending);
    let (plain, others): (Vec<_>, Vec<_>) = std::mem::take(&mut table.uniques).into_iter().partition(is_plain);
    let (uniques, indexes): (Vec<_>, Vec<_>) =
        std::mem::take(&mut table.indexes).into_iter().partition(is_plain_unique);
    table.indexes = indexes.into_iter().chain(others.into_iter().map(as_index)).collect();
    table.uniques = plain.into_iter().chain(uniques.into_iter().map(as_unique)).collect();
}

/// A unique constraint as the index that it is.
fn as_index(unique: physical::Unique) -> physical::Index {
    let (prefixes, attributes): (Vec<_>, Vec<_>) =
        unique.attributes.iter().cloned().partition(|one| one.starts_with("prefix "));
    let parts = unique.columns.into_iter().map(|column| physical::IndexPart {
        descending: column.descending,
        prefix: prefixes.iter().find_map(|one| {
            let length = one.strip_prefix(&format!("prefix {}(", column.name))?.strip_suffix(')')?;
            length.trim().parse().ok()
        }),
        ..physical::IndexPart::new(IndexKey::Column(column.name))
    });
    let mut index = physical::Index::new(unique.name.unwrap_or_default(), true, parts.collect());
    index.attributes.extend(attributes);
    index
}

pub(super) fn is_plain_unique(index: &physical::Index) -> bool {
    let plain = |part: &physical::IndexPart| {
        matches!(part.key, IndexKey::Column(_)) && !part.descending && part.prefix.is_none()
    };
    index.unique && index.method.is_none() && index.attributes.is_empty() && index.parts.iter().all(plain)
}

pub(super) fn as_unique(index: physical::Index) -> physical::Unique {
    let columns = index.parts.into_iter().filter_map(|part| match part.key {
        IndexKey::Column(name) => Some(physical::KeyColumn::new(name)),
        IndexKey::Expression(_) => None,
    });
    physical::Unique { name: Some(index.name), columns: columns.collect(), attributes: Options::new() }
}

/// A reference stands on an index that begins with its columns; where none does, InnoDB makes one with the reference's
/// name, and so do we, so that it is never there by surprise. MySQL wants ascending order (seen on 9.7).
fn indexes_for_references(flavor: Flavor, table: &mut physical::Table) {
    let mut missing: Vec<(String, Vec<String>)> = Vec::new();
    for key in &table.foreign_keys {
        let begins = |columns: Vec<&str>| {
            columns.len() >= key.columns.len()
                && columns.iter().zip(&key.columns).all(|(a, b)| table.case.same_item(a, b))
        };
        let named = |columns: &[physical::KeyColumn]| columns.iter().map(|one| one.name.clone()).collect::<Vec<_>>();
        let keys = table.primary_key.iter().map(|one| named(&one.columns));
        let only_ascending = flavor == Flavor::Mysql;
        let descends = |one: &str| one.starts_with("descending ");
        let serving = |one: &&physical::Unique| !only_ascending || !one.attributes.iter().any(|said| descends(said));
        let keys = keys.chain(table.uniques.iter().filter(serving).map(|one| named(&one.columns)));
        let indexes = table.indexes.iter().filter(|index| index.method.is_none()).map(|index| {
            let serves = |part: &&physical::IndexPart| part.prefix.is_none() && !(only_ascending && part.descending);
            let whole = index.parts.iter().take_while(serves).map_while(|part| match &part.key {
                IndexKey::Column(name) => Some(name.clone()),
                IndexKey::Expression(_) => None,
            });
            whole.collect::<Vec<_>>()
        });
        let serves = keys
            .chain(indexes)
            .chain(missing.iter().map(|(_, columns)| columns.clone()))
            .any(|columns| begins(columns.iter().map(String::as_str).collect()));
        if !serves {
            missing.push((key.name.clone().unwrap_or_default(), key.columns.clone()));
        }
    }
    for (name, columns) in missing {
        let parts = columns.into_iter().map(|name| physical::IndexPart::new(IndexKey::Column(name)));
        table.indexes.push(physical::Index::new(name, false, parts.collect()));
    }
}

impl Mariadb {
    fn column_type(
        &self,
        lowering: &mut Lowering<'_, Self>,
        table: &Table,
        column: &Column,
        place: &Place,
    ) -> Option<TypeName> {
        let place = place.clone().part(Part::Type);
        let schema = lowering.schema;
        if column.ty == Type::Decimal(None) && Scoped::pick(&column.native, self.provider()).is_none() {
            let kind = lowering.not_expressible("has no unbounded decimal", "say how many digits: `decimal(20, 6)`");
            lowering.fault(kind, place);
            return None;
        }
        let ty = lowering.native_or(column, &place, "longtext", || portable(&column.ty, schema))?;
        if Scoped::pick(&column.native, self.provider()).is_none() {
            let own = Scoped::pick(&column.collate, self.provider()).cloned();
            let collation = own.unwrap_or_else(|| stated_collation(table, self.provider()));
            self.limits(lowering, &column.ty, &collation, &place);
        }
        Some(type_name(&ty))
    }

    /// In memory every index is one by hash; elsewhere the server makes an ordinary one without a word, but for a unique one of
    /// MariaDB (MariaDB, "Storage Engine Index Types"; MySQL 8.4, "CREATE INDEX", Table 15.1; seen on MariaDB 10.11).
    fn indexes_by_hash(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table) {
        let is_in_memory = lowered.has_option("engine=memory");
        for index in &mut lowered.indexes {
            if index.attributes.remove("using hash") && index.method.is_none() {
                index.method = Some("hash".to_owned());
            }
            index.method = index.method.take().filter(|method| method != "hash" || !is_in_memory);
        }
        if !is_in_memory {
            let keys = lowered.primary_key.iter_mut().map(|key| &mut key.attributes);
            let keys = keys.chain(lowered.uniques.iter_mut().map(|key| &mut key.attributes));
            for said in keys.chain(lowered.indexes.iter_mut().map(|index| &mut index.attributes)) {
                said.remove(BTREE);
            }
        }
        for (at, index) in table.indexes.iter().enumerate().filter(|(_, index)| index.scope.holds(self.provider())) {
            let is_it = |option: &Scoped<String>| {
                option.scope.holds(self.provider()) && option.value.eq_ignore_ascii_case("using hash")
            };
            let is_by_hash = index.method.as_ref().is_some_and(|method| method.eq_ignore_ascii_case("hash"))
                || index.options.iter().any(is_it);
            if is_by_hash && !is_in_memory && !(index.unique && self.0 == Flavor::Mariadb) {
                let place = Place::whole(&table.name, Item::Index(at));
                lowering.refuse("has indexes by hash in memory tables only", place);
            }
        }
    }

    fn limits(&self, lowering: &mut Lowering<'_, Self>, ty: &Type, collation: &str, place: &Place) {
        let longest = LONGEST_TEXT / widest_character(collation);
        // MariaDB, "DECIMAL": 38 digits behind the point (30 before 10.2.1); MySQL 8.4, "DECIMAL Data Type Characteristics".
        let behind_point = if self.0 == Flavor::Mariadb { 38 } else { 30 };
        let too_much = match ty {
            Type::Time(Some(7..)) | Type::Datetime(Some(7..)) | Type::Instant(Some(7..)) => {
                ("keeps at most 6 digits of a second".to_owned(), "write 6, or leave it out")
            }
            Type::Decimal(Some((digits, scale))) if *digits > 65 || *scale > behind_point => {
                (format!("has decimals of at most 65 digits, {behind_point} behind the point"), "write fewer")
            }
            Type::Text(Some(length)) if u64::from(*length) > longest => (
                format!("has no bounded text longer than {longest} characters in {collation}"),
                "write `text`, which is unbounded",
            ),
            Type::Char(256..) => ("has `char` of at most 255 characters".to_owned(), "write `text(…)`"),
            _ => return,
        };
        let kind = lowering.not_expressible(too_much.0, too_much.1);
        lowering.fault(kind, place.clone());
    }

    /// Keys and indexes of a table share their names.
    fn index_names(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &physical::Table) {
        let mut seen = BTreeSet::new();
        let uniques = lowered.uniques.iter().filter_map(|one| one.name.as_deref());
        for name in uniques.chain(lowered.indexes.iter().map(|index| index.name.as_str())) {
            let is_long = name.chars().count() > 64;
            let place = Place::whole(&table.name, Item::Table).part(Part::Name);
            if is_long {
                let (provider, name) = (self.provider(), name.to_owned());
                lowering.fault(FaultKind::NameTooLong { provider, name, most: "64 characters".into() }, place);
            } else if !seen.insert(lowered.case.item_key(name)) || name.eq_ignore_ascii_case("primary") {
                let (provider, name) = (self.provider(), name.to_owned());
                lowering.fault(FaultKind::NameTaken { provider, name }, place);
            }
        }
    }

    /// What points to a table that is not there can only be made without a look at it.
    fn dangling_references(&self, lowering: &Lowering<'_, Self>, table: &Table, lowered: &mut physical::Table) {
        let here = self.provider();
        let is_there = |name: &Identifier| {
            let is_so_called = |other: &Identifier| other.as_str().eq_ignore_ascii_case(name.as_str());
            let is_object = |one: &Program| {
                one.scope.holds(here) && one.word.as_deref() == Some("table") && is_so_called(&one.name)
            };
            // What is in another database is not known here.
            name.as_str().contains('.')
                || lowering.schema.tables().any(|other| other.scope.holds(here) && is_so_called(&other.name))
                || lowering.schema.programs().iter().any(is_object)
        };
        let declared = table.foreign_keys.iter().filter(|key| key.scope.holds(here));
        for (key, made) in declared.zip(&mut lowered.foreign_keys) {
            made.dangles = Noted(key.is_unchecked(here) && !is_there(&key.referenced_table));
        }
    }

    /// A check that is written with a column goes by the column's name, and every JSON column has one (MariaDB, "JSON Data
    /// Type"). Another one of the table may not be called so (error 1826, seen on 10.11.19; earlier releases took it).
    fn check_names(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &physical::Table) {
        if self.0 == Flavor::Mysql {
            return;
        }
        let provider = self.provider();
        let is_json = |column: &physical::Column| column.ty.canonical() == "JSON";
        let has_check = |column: &physical::Column| column.attributes.iter().any(|one| one.starts_with("check "));
        let checked: Vec<&str> = lowered
            .columns
            .iter()
            .filter(|column| is_json(column) || has_check(column))
            .map(|column| column.name.as_str())
            .collect();
        let declared = table.checks.iter().enumerate().filter(|(_, check)| check.scope.holds(provider));
        // The checks that stand for something else come before them.
        for (check, (at, _)) in lowered.checks.iter().rev().zip(declared.rev()) {
            let Some(name) = &check.name else { continue };
            if let Some(column) = checked.iter().find(|column| lowered.case.same_item(column, name)) {
                let kind = FaultKind::CalledAsColumn { provider, column: (*column).to_owned() };
                lowering.fault(kind, Place::whole(&table.name, Item::Check(at)));
            }
        }
    }

    /// Key lengths, unbounded columns in keys, and the key that an identity column needs.
    fn keys(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &physical::Table) {
        let whole = |columns: &[physical::KeyColumn]| -> KeyParts {
            columns.iter().map(|one| (one.name.clone(), None)).collect()
        };
        let here = self.provider();
        let is_called =
            |name: &Option<Identifier>, label: &str| name.as_ref().is_some_and(|name| name.as_str() == label);
        let unique_of = |label: &str, columns: &KeyParts| {
            let is_so_called = |one: &Unique| one.scope.holds(here) && is_called(&one.name, label);
            let is_it =
                |one: &Unique| one.scope.holds(here) && one.name.is_none() && same_columns(one.columns.iter(), columns);
            let at = table.uniques.iter().position(is_so_called).or_else(|| table.uniques.iter().position(is_it));
            at.map(Item::Unique)
        };
        // A unique index among them, which is no other thing here.
        let index_of = |label: &str, columns: &KeyParts| {
            let over = |one: &Index| same_columns(one.parts.iter().filter_map(|part| part.key.column()), columns);
            let is_so_called = |one: &Index| one.scope.holds(here) && is_called(&one.name, label);
            let is_it = |one: &Index| one.scope.holds(here) && one.name.is_none() && over(one);
            let at = table.indexes.iter().position(is_so_called).or_else(|| table.indexes.iter().position(is_it));
            at.map(Item::Index)
        };
        let mut keys: Vec<(Place, String, KeyParts)> = Vec::new();
        if let Some(key) = &lowered.primary_key {
            let prefix = |name: &str| {
                let said = key.attributes.iter().find_map(|one| one.strip_prefix(&format!("prefix {name}(")));
                said.and_then(|rest| rest.strip_suffix(')')?.parse().ok())
            };
            let columns = key.columns.iter().map(|one| (one.name.clone(), prefix(&one.name))).collect();
            keys.push((Place::whole(&table.name, Item::PrimaryKey), "the primary key".into(), columns));
        }
        for unique in &lowered.uniques {
            let (label, columns) = (unique.name.clone().unwrap_or_default(), whole(&unique.columns));
            let item = unique_of(&label, &columns).or_else(|| index_of(&label, &columns));
            keys.push((Place::whole(&table.name, item.unwrap_or(Item::Table)), label, columns));
        }
        for index in lowered.indexes.iter().filter(|index| index.method.is_none()) {
            let columns = index.parts.iter().filter_map(|part| match &part.key {
                IndexKey::Column(name) => Some((name.clone(), part.prefix)),
                IndexKey::Expression(_) => None,
            });
            let columns: KeyParts = columns.collect();
            let is_of = |one: &ForeignKey| one.scope.holds(here) && same_columns(one.columns.iter(), &columns);
            let of_reference = || table.foreign_keys.iter().position(is_of).map(Item::ForeignKey);
            let item = index_of(&index.name, &columns).or_else(of_reference);
            keys.push((Place::whole(&table.name, item.unwrap_or(Item::Table)), index.name.clone(), columns));
        }
        for (place, label, columns) in keys {
            let place = if place.item == Item::Table { place.part(Part::Name) } else { place };
            self.key(lowering, lowered, place, label, &columns);
        }
        // MariaDB, "AUTO_INCREMENT": the column must be the first of a key; of a MyISAM or Aria table it numbers rows within
        // groups where it comes later.
        let numbers_groups = NUMBER_GROUPS.iter().any(|engine| lowered.has_option(engine));
        let keys = columns_of_keys(lowered);
        let is_numbered = |name: &str| {
            keys.iter().any(|key| if numbers_groups { key.contains(&name) } else { key.first() == Some(&name) })
        };
        for (at, column) in table.columns.iter().enumerate() {
            let is_identity = lowered.column(column.name.as_str()).is_some_and(|made| made.identity.is_some());
            if is_identity && !is_numbered(column.name.as_str()) {
                let kind = lowering.not_expressible(
                    "numbers rows only by a column that begins a primary key, unique constraint or index",
                    format!("write `primary key ({})`, or drop `identity`", column.name),
                );
                lowering.fault(kind, Place::whole(&table.name, Item::Column(at)).part(Part::Identity));
            }
        }
    }

    fn key(
        &self,
        lowering: &mut Lowering<'_, Self>,
        lowered: &physical::Table,
        place: Place,
        label: String,
        columns: &[(String, Option<u32>)],
    ) {
        let part = match place.item {
            Item::PrimaryKey | Item::Unique(_) => KeptAs::Key,
            Item::ForeignKey(_) => KeptAs::Reference,
            _ => KeptAs::Index,
        };
        let mut length = 0;
        // No other type is nearly as long as a text, or as bytes.
        let mut longest = (0, "");
        for (name, prefix) in columns.iter().map(|(name, prefix)| (name.as_str(), prefix)) {
            let Some(column) = lowered.column(name) else { continue };
            let collation = column.collation.clone().unwrap_or_else(|| table_collation(lowered));
            let per_character = if is_text(&column.ty) { widest_character(&collation) } else { 1 };
            let bytes = key_bytes(&column.ty, per_character);
            match (bytes, prefix) {
                (_, Some(prefix)) if is_spatial(&column.ty) => length += u64::from(*prefix),
                (_, Some(_)) if !is_text(&column.ty) && !is_binary(&column.ty) => {
                    let kind = lowering.not_expressible(
                        format!("takes a part of a text or of bytes for a key, and `{name}` is neither"),
                        "leave the `prefix` out",
                    );
                    lowering.fault(kind, place.clone());
                }
                (Some(bytes), Some(prefix)) if u64::from(*prefix) * per_character > bytes => {
                    let kind = lowering.not_expressible(
                        format!("takes no more of `{name}` for a key than there is"),
                        "leave the `prefix` out",
                    );
                    lowering.fault(kind, place.clone());
                }
                (_, Some(prefix)) => {
                    length += u64::from(*prefix) * per_character;
                    longest = longest.max((u64::from(*prefix) * per_character, name));
                }
                (Some(bytes), None) => {
                    length += bytes;
                    longest = longest.max((bytes, name));
                }
                (None, None) => {
                    let holds = if is_binary(&column.ty) { "bytes" } else { "text" };
                    let (provider, column) = (self.provider(), name.to_owned());
                    let kind = FaultKind::UnboundedKey { provider, column, holds, part };
                    lowering.fault(kind, place.clone());
                }
            }
        }
        if length > LONGEST_KEY {
            let (provider, most) = (self.provider(), LONGEST_KEY);
            let longest = longest.1.to_owned();
            lowering.fault(FaultKind::KeyTooLong { provider, what: label, length, most, longest, part }, place);
        }
    }

    /// What an expression may not look at (MariaDB error 1901; MySQL 8.4, "CHECK Constraints" and "Generated Columns").
    fn expressions(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &physical::Table) {
        let numbering = lowered.columns.iter().find(|column| column.identity.is_some()).map(|one| one.name.clone());
        for (at, check) in table.checks.iter().enumerate().filter(|(_, check)| check.scope.holds(self.provider())) {
            let expression = self.expression(table, &check.expression);
            let place = Place::whole(&table.name, Item::Check(at)).part(Part::Expression);
            if numbering.as_ref().is_some_and(|name| expression.mentions(name)) {
                lowering.refuse("has no checks over an identity column", place.clone());
            }
            let moves = |action: Action| matches!(action, Action::Cascade | Action::SetNull);
            let moved = lowered.foreign_keys.iter().find(|key| {
                (moves(key.on_update) || key.on_delete == Action::SetNull)
                    && key.columns.iter().any(|name| expression.mentions(name))
            });
            if let Some(key) = moved {
                let name = key.name.as_deref().unwrap_or_default();
                lowering
                    .refuse(format!("has no checks over a column that reference `{name}` changes by itself"), place);
            }
        }
        let keys = columns_of_keys(lowered);
        for (at, column) in table.columns.iter().enumerate() {
            let Some(made) = lowered.column(column.name.as_str()).filter(|_| column.scope.holds(self.provider()))
            else {
                continue;
            };
            let Some(generated) = &made.generated else { continue };
            let place = Place::whole(&table.name, Item::Column(at)).part(Part::Expression);
            if numbering.as_ref().is_some_and(|name| generated.expression.mentions(name)) {
                lowering.refuse("computes nothing from an identity column", place.clone());
            }
            let moves = |action: Action| matches!(action, Action::Cascade | Action::SetNull);
            // MySQL 9.7, "CREATE TABLE and Generated Columns": also where a row goes with the one it references.
            let all = self.0 == Flavor::Mysql;
            let moved = lowered.foreign_keys.iter().find(|key| {
                (moves(key.on_update) || key.on_delete == Action::SetNull || all && key.on_delete == Action::Cascade)
                    && key.columns.iter().any(|name| generated.expression.mentions(name))
            });
            if let (Some(key), Storage::Stored) = (moved, generated.storage) {
                let name = key.name.as_deref().unwrap_or_default();
                let what = format!("stores nothing computed from a column that reference `{name}` changes by itself");
                let kind = lowering.not_expressible(what, "write `generated virtual (…)`, or drop the actions");
                lowering.fault(kind, place.clone());
            }
            // Its padding depends on the mode of the session that reads it.
            let is_kept = generated.storage == Storage::Stored || keys.iter().flatten().any(|name| *name == made.name);
            let is_char = |one: &physical::Column| one.ty.canonical().starts_with("CHAR(");
            let head = made.ty.canonical().split([' ', '(']).next().unwrap_or_default();
            let keeps_spaces = head == "VARCHAR" || head.ends_with("TEXT") || is_binary(&made.ty);
            let padded = lowered.columns.iter().filter(|other| is_kept && is_char(other)).find(|other| {
                depends_on_padding(&generated.expression, &other.name)
                    && (keeps_spaces || !is_column(&generated.expression, &other.name))
            });
            if let (Flavor::Mariadb, Some(padded)) = (self.0, padded) {
                let what = format!("keeps no value computed from `{}`, which is of a `char` type", padded.name);
                let way = format!("write `rtrim({})`, or make that column a `text(…)`", padded.name);
                let kind = lowering.not_expressible(what, way);
                lowering.fault(kind, place);
            }
        }
    }

    /// Where a computed column cannot stand.
    fn computed(&self, lowering: &mut Lowering<'_, Self>, table: &Table, lowered: &physical::Table) {
        let storage = |name: &str| lowered.column(name)?.generated.as_ref().map(|generated| generated.storage);
        // MySQL 9.7, "CREATE TABLE and Generated Columns": a key where the values are stored, and no reference where they are
        // not. MariaDB, "Generated Columns", "Index Support"; "Foreign Keys": no key, and references of both.
        let is_mysql = self.0 == Flavor::Mysql;
        let key = lowered.primary_key.iter().flat_map(|key| &key.columns);
        if key.filter_map(|one| storage(&one.name)).any(|storage| !is_mysql || storage == Storage::Virtual) {
            let place = Place::whole(&table.name, Item::PrimaryKey);
            lowering.refuse("has no generated columns in a primary key", place);
        }
        for (at, key) in table.foreign_keys.iter().enumerate().filter(|(_, key)| key.scope.holds(self.provider())) {
            let mut stored = key.columns.iter().filter_map(|name| storage(name.as_str()));
            let place = Place::whole(&table.name, Item::ForeignKey(at));
            if is_mysql && stored.any(|storage| storage == Storage::Virtual) {
                lowering.refuse("has no references from columns that are `generated virtual`", place);
            } else {
                lowering.refuse_changes_of_computed(table, key, place);
            }
        }
    }
}

/// The size of an integer type, and whether it has no sign.
fn whole_number(ty: &TypeName) -> Option<(&str, bool)> {
    let size = ty.text().split(['(', ' ']).next()?;
    let is_integer = ["tinyint", "smallint", "mediumint", "int", "bigint"].contains(&size);
    is_integer.then(|| (size, ty.text().contains("unsigned") || ty.text().contains("zerofill")))
}

/// The column of an index's part that is one as a whole.
fn whole_column(part: &IndexPart) -> Option<&Identifier> {
    match &part.key {
        KeyPart::Column(name) if part.prefix.is_none() => Some(name),
        KeyPart::Column(_) | KeyPart::Expression(_) => None,
    }
}

/// The columns of each key and index of a table, as far as an index has no expression.
fn columns_of_keys<'a>(table: &'a physical::Table) -> Vec<Vec<&'a str>> {
    let named = |columns: &'a [physical::KeyColumn]| columns.iter().map(|one| one.name.as_str()).collect();
    let column = |part: &'a physical::IndexPart| match &part.key {
        IndexKey::Column(name) => Some(name.as_str()),
        IndexKey::Expression(_) => None,
    };
    let primary = table.primary_key.iter().map(|one| named(&one.columns));
    let uniques = table.uniques.iter().map(|one| named(&one.columns));
    let indexes = table.indexes.iter().map(|one| one.parts.iter().map_while(column).collect());
    primary.chain(uniques).chain(indexes).collect()
}
