//! Steps as SQLite's SQL.

use super::super::keeping::{keep, make_kept, restore};
use super::super::rowing;
use super::quote::{QUOTING, literal, quote, quote_all};
use super::{has_whole_number_key, rowid_alias};
use crate::physical::{Check, Column, ForeignKey, Index, IndexKey, KeyColumn, Options, PrimaryKey, Table, Unique};
use crate::plan::{Copied, Rebuild, Step};
use crate::schema::{Action, Deferrable, Storage};
use crate::sql::{Expression, in_parentheses};

/// The statements of a step; see [`crate::Dialect::render`].
pub(in crate::dialect) fn render(step: &Step) -> Vec<String> {
    match step {
        Step::CreateTable(table) => vec![create_table(&table.name, table)],
        Step::DropTable(table) => vec![format!("drop table {}", quote(&table.name))],
        Step::RenameTable { from, to, by_way_of, .. } => {
            let rename = |old: &str, new: &str| format!("alter table {} rename to {}", quote(old), quote(new));
            renames(from, by_way_of.as_deref(), to, rename)
        }
        Step::RebuildTable(rebuild) => rebuild_table(rebuild),
        Step::AddColumn { table, column, checks, foreign_keys, .. } => {
            let mut definition = column_definition(column);
            for check in checks {
                definition.push_str(&format!(" {}", check_clause(check)));
            }
            for key in foreign_keys {
                definition.push_str(&format!(" {}{}", constraint(key.name.as_ref()), references(key)));
            }
            vec![format!("alter table {} add column {definition}", quote(table))]
        }
        Step::DropColumn { table, column } => {
            vec![format!("alter table {} drop column {}", quote(table), quote(&column.name))]
        }
        Step::RenameColumn { table, from, to, by_way_of, .. } => {
            let rename = |old: &str, new: &str| {
                format!("alter table {} rename column {} to {}", quote(table), quote(old), quote(new))
            };
            renames(from, by_way_of.as_deref(), to, rename)
        }
        Step::CreateIndex { table, index } => vec![create_index(table, index)],
        Step::DropIndex { index, .. } => vec![format!("drop index {}", quote(&index.name))],
        Step::FillColumn { table, column, expression, only_missing, .. } => {
            let missing = if *only_missing { format!("\nwhere {} is null", quote(column)) } else { String::new() };
            vec![format!("update {}\nset {} = {}{missing}", quote(table), quote(column), in_parentheses(expression))]
        }
        Step::InsertRows { table, columns, rows, .. } => rowing::insert(table, columns, rows, QUOTING, ""),
        Step::UpdateRows { table, key, rows } => rowing::update(table, key, rows, QUOTING),
        Step::DeleteRows { table, key, keys, .. } => rowing::delete(table, key, keys, QUOTING),
        Step::MakeKept(kept) => vec![make_kept(kept, QUOTING, " limit 0")],
        Step::Keep(kept) => vec![keep(kept, QUOTING)],
        Step::Restore { kept, .. } => vec![restore(kept, QUOTING, "")],
        Step::DropKept(name) => vec![format!("drop table if exists {}", quote(name))],
        Step::CreateProgram(one) => vec![one.create.clone()],
        Step::DropProgram(one) => vec![one.drop.clone()],
        Step::AlterColumn { .. }
        | Step::AlterTable { .. }
        | Step::BuildIndex { .. }
        | Step::UseIndex { .. }
        | Step::ValidateConstraint { .. }
        | Step::ChangePrimaryKey { .. }
        | Step::AddConstraint { .. }
        | Step::DropConstraint { .. }
        | Step::RenameConstraint { .. }
        | Step::RenameIndex { .. }
        | Step::CreateEnum(_)
        | Step::DropEnum(_)
        | Step::AddEnumWord { .. }
        | Step::CheckDeferred { .. }
        | Step::LeaveBodies
        | Step::RenameEnumWord { .. }
        | Step::RemakeEnum(_)
        | Step::SetOptions { .. }
        | Step::SetComment { .. } => unreachable!("SQLite makes a table anew for this, or has no such thing"),
    }
}

/// One statement, or two by way of a third name.
fn renames(from: &str, by_way_of: Option<&str>, to: &str, rename: impl Fn(&str, &str) -> String) -> Vec<String> {
    match by_way_of {
        None => vec![rename(from, to)],
        Some(third) => vec![rename(from, third), rename(third, to)],
    }
}

/// The procedure of SQLite, "Making Other Kinds Of Table Schema Changes".
///
/// `legacy_alter_table` is on around the renaming, so that references, views and triggers that name the table are left
/// as they are: they are to mean the new table, and a view that is broken for another reason is not this step's matter.
fn rebuild_table(rebuild: &Rebuild) -> Vec<String> {
    let (from, to) = (&rebuild.alteration.from, &rebuild.alteration.to);
    let temporary = quote(&rebuild.temporary);
    let mut statements = vec![create_table(&rebuild.temporary, to)];
    if !rebuild.copied.is_empty() {
        let old: Vec<_> = rebuild.copied.iter().map(|(_, source)| copied(source)).collect();
        let (old, new) = (old.join(", "), quote_all(rebuild.copied.iter().map(|(new, _)| new.as_str())));
        statements.push(format!("insert into {temporary} ({new})\nselect {old} from {}", quote(&from.name)));
    } else {
        let (column, value) = stand_in(to);
        statements.push(format!("insert into {temporary} ({column})\nselect {value} from {}", quote(&from.name)));
    }
    if from.has_option("autoincrement") && to.has_option("autoincrement") {
        // The highest number ever given goes along, also where its row is gone (SQLite, "SQLite Autoincrement").
        let (new, old) = (literal(&rebuild.temporary), literal(&from.name));
        statements.push(format!("delete from sqlite_sequence where name = {new}"));
        statements.push(format!(
            "insert into sqlite_sequence (name, seq)\nselect {new}, seq from sqlite_sequence where name = {old}"
        ));
    }
    statements.push(format!("drop table {}", quote(&from.name)));
    statements.push("pragma legacy_alter_table = on".into());
    statements.push(format!("alter table {temporary} rename to {}", quote(&to.name)));
    statements.push("pragma legacy_alter_table = off".into());
    statements.extend(rebuild.kept_indexes.iter().map(|index| create_index(&to.name, index)));
    statements
}

fn copied(source: &Copied) -> String {
    match source {
        Copied::Column(name) => quote(name),
        Copied::Expression(expression) | Copied::Updated(expression) => in_parentheses(expression),
        Copied::Filled(name, expression) => format!("coalesce({}, {})", quote(name), in_parentheses(expression)),
    }
}

/// A column and a value for it, so that rows without a single copied column stay as many as they were.
fn stand_in(table: &Table) -> (String, String) {
    let writable = || table.columns.iter().filter(|column| column.generated.is_none());
    let alias = rowid_alias(table).and_then(|name| table.column(name));
    let column = alias.or_else(|| writable().find(|column| column.nullable)).or_else(|| writable().next());
    let name = column.map(|column| quote(&column.name)).unwrap_or_default();
    let default = column.filter(|column| !column.nullable).and_then(|column| column.default.as_deref());
    (name, default.map_or("null".into(), default_value))
}

fn create_table(name: &str, table: &Table) -> String {
    let alias = rowid_alias(table);
    let mut lines: Vec<String> = Vec::new();
    // Only with the column a descending order keeps it from being the rowid.
    let keyed = table
        .primary_key
        .as_ref()
        .filter(|key| has_whole_number_key(table) && key.columns[0].descending && !table.has_option("without rowid"));
    for column in &table.columns {
        let mut line = column_definition(column);
        if let Some(key) = keyed.filter(|key| key.columns[0].name == column.name) {
            let (name, conflict) = (constraint(key.name.as_ref()), attributes(&key.attributes));
            line.push_str(&format!(" {name}primary key desc{conflict}"));
        }
        if alias == Some(column.name.as_str()) {
            let key = table.primary_key.as_ref();
            let increment = if table.has_option("autoincrement") { " autoincrement" } else { "" };
            line = format!(
                "{} INTEGER {}primary key{}{increment}{}",
                quote(&column.name),
                constraint(key.and_then(|key| key.name.as_ref())),
                key.map(|key| attributes(&key.attributes)).unwrap_or_default(),
                trailing_clauses(column)
            );
        }
        lines.push(line);
    }
    if let (Some(key), None, None) = (&table.primary_key, alias, keyed) {
        lines.push(primary_key(key));
    }
    lines.extend(table.uniques.iter().map(unique));
    lines.extend(table.foreign_keys.iter().map(|key| {
        let columns = quote_all(key.columns.iter().map(String::as_str));
        format!("{}foreign key ({columns}) {}", constraint(key.name.as_ref()), references(key))
    }));
    lines.extend(table.checks.iter().map(check_clause));
    let options: Vec<_> =
        table.options.iter().filter(|option| *option != "autoincrement").map(String::as_str).collect();
    let options = if options.is_empty() { String::new() } else { format!(" {}", options.join(", ")) };
    format!("create table {} (\n    {}\n){options}", quote(name), lines.join(",\n    "))
}

fn constraint(name: Option<&String>) -> String {
    name.map(|name| format!("constraint {} ", quote(name))).unwrap_or_default()
}

fn column_definition(column: &Column) -> String {
    let mut text = quote(&column.name);
    if !column.ty.text().is_empty() {
        text.push_str(&format!(" {}", type_name(column.ty.text())));
    }
    if !column.nullable {
        text.push_str(&not_null(column));
    }
    text.push_str(&trailing_clauses(column));
    text
}

/// A type as it is written: any words will do, and in quotes anything (SQLite, "CREATE TABLE", "Column Data Types").
fn type_name(text: &str) -> String {
    // What may follow a type.
    const CLAUSES: [&str; 12] = [
        "as",
        "check",
        "collate",
        "constraint",
        "default",
        "deferrable",
        "generated",
        "not",
        "null",
        "primary",
        "references",
        "unique",
    ];
    let (words, numbers) = text.split_once('(').unwrap_or((text, ""));
    let is_letter = |letter: char| letter.is_alphanumeric() || letter == '_';
    let is_word = |word: &str| {
        word.starts_with(|letter: char| letter.is_alphabetic() || letter == '_')
            && word.chars().all(is_letter)
            && !CLAUSES.contains(&word.to_lowercase().as_str())
    };
    let is_number = |letter: char| is_letter(letter) || matches!(letter, ' ' | ',' | '+' | '-' | '.');
    // Two numbers at most.
    let numbers = numbers.strip_suffix(')').unwrap_or(numbers);
    let is_plain =
        words.split_whitespace().all(is_word) && numbers.split(',').count() <= 2 && numbers.chars().all(is_number);
    if is_plain && !words.trim().is_empty() { text.to_owned() } else { quote(text) }
}

/// `not null`, with the name and conflict clause that the catalogue had for it.
fn not_null(column: &Column) -> String {
    let said = |prefix: &str| column.attributes.iter().find_map(|attribute| attribute.strip_prefix(prefix));
    let name = said("not null named ").map(|name| format!(" constraint {}", quote(name))).unwrap_or_default();
    let conflict = said("not null on conflict ").map(|way| format!(" on conflict {way}")).unwrap_or_default();
    format!("{name} not null{conflict}")
}

fn trailing_clauses(column: &Column) -> String {
    let mut text = String::new();
    if let Some(default) = &column.default {
        text.push_str(&format!(" default {}", default_value(default)));
    }
    if let Some(collation) = &column.collation {
        text.push_str(&format!(" collate {}", quote(collation)));
    }
    if let Some(generated) = &column.generated {
        let storage = match generated.storage {
            Storage::Stored => "stored",
            Storage::Virtual => "virtual",
        };
        text.push_str(&format!(" generated always as {} {storage}", in_parentheses(generated.expression.text())));
    }
    text
}

fn default_value(default: &Expression) -> String {
    let text = default.text();
    let is_keyword =
        ["current_timestamp", "current_date", "current_time"].iter().any(|word| word.eq_ignore_ascii_case(text));
    // A text in a name's quotes would be a name inside of parentheses.
    let is_quoted = text.starts_with(['"', '[', '`']) && default.is_name();
    if default.is_literal() || is_keyword || is_quoted { text.to_owned() } else { in_parentheses(text) }
}

fn key_columns(columns: &[KeyColumn]) -> String {
    let words: Vec<_> = columns
        .iter()
        .map(|column| {
            let collation =
                column.collation.as_ref().map(|name| format!(" collate {}", quote(name))).unwrap_or_default();
            format!("{}{collation}{}", quote(&column.name), if column.descending { " desc" } else { "" })
        })
        .collect();
    format!("({})", words.join(", "))
}

/// The conflict clauses that the catalogue had, so that a script can make again what it found.
fn attributes(attributes: &Options) -> String {
    attributes.iter().map(|attribute| format!(" {attribute}")).collect()
}

fn primary_key(key: &PrimaryKey) -> String {
    format!("{}primary key {}{}", constraint(key.name.as_ref()), key_columns(&key.columns), attributes(&key.attributes))
}

fn unique(unique: &Unique) -> String {
    format!(
        "{}unique {}{}",
        constraint(unique.name.as_ref()),
        key_columns(&unique.columns),
        attributes(&unique.attributes)
    )
}

fn check_clause(check: &Check) -> String {
    format!(
        "{}check {}{}",
        constraint(check.name.as_ref()),
        in_parentheses(check.expression.text()),
        attributes(&check.attributes)
    )
}

fn references(key: &ForeignKey) -> String {
    let columns = quote_all(key.referenced_columns.iter().map(String::as_str));
    let mut text = format!("references {}", quote(&key.referenced_table));
    // One that points to nothing may not say to which columns of it.
    if !key.referenced_columns.is_empty() {
        text.push_str(&format!(" ({columns})"));
    }
    if key.on_delete != Action::NoAction {
        text.push_str(&format!(" on delete {}", key.on_delete));
    }
    if key.on_update != Action::NoAction {
        text.push_str(&format!(" on update {}", key.on_update));
    }
    text.push_str(&attributes(&key.attributes));
    match key.deferrable {
        Deferrable::No => {}
        Deferrable::InitiallyImmediate => text.push_str(" deferrable initially immediate"),
        Deferrable::InitiallyDeferred => text.push_str(" deferrable initially deferred"),
    }
    text
}

fn create_index(table: &str, index: &Index) -> String {
    let parts: Vec<_> = index
        .parts
        .iter()
        .map(|part| {
            let key = match &part.key {
                IndexKey::Column(name) => quote(name),
                IndexKey::Expression(expression) => in_parentheses(expression.text()),
            };
            let collation = part.collation.as_ref().map(|name| format!(" collate {}", quote(name))).unwrap_or_default();
            format!("{key}{collation}{}", if part.descending { " desc" } else { "" })
        })
        .collect();
    let unique = if index.unique { "unique " } else { "" };
    let predicate =
        index.predicate.as_ref().map(|one| format!(" where {}", in_parentheses(one.text()))).unwrap_or_default();
    format!("create {unique}index {} on {} ({}){predicate}", quote(&index.name), quote(table), parts.join(", "))
}
