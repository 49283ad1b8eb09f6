//! Steps as MariaDB's and MySQL's SQL: one statement each where it commits by itself; rows may take several.

use super::super::altering::alter_together;
use super::super::keeping::{keep, make_kept, restore};
use super::super::rowing;
use super::Flavor;
use super::lower::{VERSIONED, table_collation};
use super::quote::{QUOTING, literal, quote, quote_all};
use super::types::is_text;
use crate::physical::{Check, Column, ForeignKey, Index, IndexKey, KeyColumn, Options, PrimaryKey, Table, Unique};
use crate::plan::{Commented, Constraint, Step};
use crate::schema::{Action, Storage};
use crate::sql::{Expression, in_parentheses};

/// The statements of a step; see [`crate::Dialect::render`].
pub(in crate::dialect) fn render(flavor: Flavor, step: &Step) -> Vec<String> {
    match step {
        Step::InsertRows { table, columns, rows, .. } => return rowing::insert(table, columns, rows, QUOTING, ""),
        Step::UpdateRows { table, key, rows } => return rowing::update(table, key, rows, QUOTING),
        Step::DeleteRows { table, key, keys, .. } => return rowing::delete(table, key, keys, QUOTING),
        _ => {}
    }
    let statement = match step {
        Step::CreateTable(table) => create_table(flavor, table),
        Step::DropTable(table) => format!("drop table {}", quote(&table.name)),
        Step::RenameTable { from, to, .. } => format!("rename table {} to {}", quote(from), quote(to)),
        Step::AlterColumn { table, from, to, .. } if from.identity.is_none() && to.identity.is_some() => {
            return keeping_zero(flavor, alter(table, &action(flavor, step)));
        }
        Step::AddColumn { table, .. }
        | Step::DropColumn { table, .. }
        | Step::RenameColumn { table, .. }
        | Step::AlterColumn { table, .. }
        | Step::AddConstraint { table, .. }
        | Step::ChangePrimaryKey { table, .. }
        | Step::DropConstraint { table, .. }
        | Step::CreateIndex { table, .. }
        | Step::DropIndex { table, .. }
        | Step::RenameIndex { table, .. } => alter(table, &action(flavor, step)),
        Step::AlterTable { table, steps } => {
            alter_together(&quote(table), steps.iter().map(|step| action(flavor, step)))
        }
        Step::SetComment { on: Commented::Table(name) | Commented::Enum(name), text } => {
            alter(name, &format!("comment = {}", literal(text.as_deref().unwrap_or_default())))
        }
        Step::FillColumn { table, column, expression, untouched, batch: Some(batch), .. } => {
            return super::batches::fill(flavor, table, column, expression, untouched, batch);
        }
        Step::FillColumn { table, column, expression, only_missing, untouched, .. } => {
            let missing = if *only_missing { format!("\nwhere {} is null", quote(column)) } else { String::new() };
            let kept: String = untouched.iter().map(|name| format!(", {0} = {0}", quote(name))).collect();
            format!("update {}\nset {} = {}{kept}{missing}", quote(table), quote(column), in_parentheses(expression))
        }
        Step::MakeKept(kept) => make_kept(kept, QUOTING, " limit 0"),
        Step::Keep(kept) => keep(kept, QUOTING),
        Step::Restore { kept, .. } => restore(kept, QUOTING, ""),
        Step::DropKept(name) => format!("drop table if exists {}", quote(name)),
        Step::CreateProgram(one) => one.create.clone(),
        Step::DropProgram(one) => one.drop.clone(),
        Step::SetOptions { table, from, to } => alter(&table.clone(), &changed_options(from, to)),
        Step::RebuildTable(_)
        | Step::BuildIndex { .. }
        | Step::UseIndex { .. }
        | Step::ValidateConstraint { .. }
        | Step::RenameConstraint { .. }
        | Step::CreateEnum(_)
        | Step::DropEnum(_)
        | Step::AddEnumWord { .. }
        | Step::CheckDeferred { .. }
        | Step::LeaveBodies
        | Step::RenameEnumWord { .. }
        | Step::InsertRows { .. }
        | Step::UpdateRows { .. }
        | Step::DeleteRows { .. }
        | Step::RemakeEnum(_) => unreachable!("the facts rule this step out, or there is no such thing here"),
    };
    let alone = std::slice::from_ref(step);
    let steps = if let Step::AlterTable { steps, .. } = step { steps.as_slice() } else { alone };
    match steps.iter().any(adds_dangling) {
        true => without_a_look(flavor, statement),
        false => vec![statement],
    }
}

/// Whether a reference comes to a table that is not there.
fn adds_dangling(step: &Step) -> bool {
    let Step::AddConstraint { constraint: Constraint::ForeignKey(key), .. } = step else { return false };
    key.dangles.0
}

/// A statement while references are not looked at (MariaDB, "Server System Variables", foreign_key_checks; MySQL 8.4, the
/// same).
fn without_a_look(flavor: Flavor, statement: String) -> Vec<String> {
    match flavor {
        Flavor::Mariadb => vec![format!("set statement foreign_key_checks = 0 for {statement}")],
        Flavor::Mysql => vec!["set foreign_key_checks = 0".into(), statement, "set foreign_key_checks = 1".into()],
    }
}

/// What an alteration says behind the name of its table.
fn action(flavor: Flavor, step: &Step) -> String {
    match step {
        Step::AddColumn { column, key, .. } => {
            let key = key.as_ref().map(|key| format!(", add {}", clause(key))).unwrap_or_default();
            format!("add column {}{key}", column_definition(flavor, column))
        }
        Step::DropColumn { column, .. } => format!("drop column {}", quote(&column.name)),
        Step::RenameColumn { from, to, .. } => format!("rename column {} to {}", quote(from), quote(to)),
        Step::AlterColumn { from, to, .. } => modify(flavor, from, to),
        Step::AddConstraint { constraint, .. } => format!("add {}", clause(constraint)),
        Step::ChangePrimaryKey { to, .. } => format!("drop primary key, add {}", primary_key(to)),
        Step::DropConstraint { constraint, .. } => {
            let name = quote(constraint.name().unwrap_or_default());
            match constraint {
                Constraint::PrimaryKey(_) => "drop primary key".to_owned(),
                Constraint::Unique(_) => format!("drop index {name}"),
                Constraint::ForeignKey(_) => format!("drop foreign key {name}"),
                Constraint::Check(_) if flavor == Flavor::Mysql => format!("drop check {name}"),
                Constraint::Check(_) => format!("drop constraint {name}"),
            }
        }
        Step::CreateIndex { index, .. } => format!("add {}", index_clause(index)),
        Step::DropIndex { index, .. } => format!("drop index {}", quote(&index.name)),
        Step::RenameIndex { from, to, .. } => format!("rename index {} to {}", quote(from), quote(to)),
        other => unreachable!("no alteration: {}", other.title()),
    }
}

fn alter(table: &str, action: &str) -> String {
    format!("alter table {} {action}", quote(table))
}

fn modify(flavor: Flavor, from: &Column, to: &Column) -> String {
    // Said, so that it is not taken for one that nobody declared and kept.
    let is_gone = from.comment.is_some() && to.comment.is_none();
    let told = Column { comment: to.comment.clone().or(is_gone.then(String::new)), ..to.clone() };
    format!("modify column {}", column_definition(flavor, &told))
}

fn changed_options(from: &Options, to: &Options) -> String {
    let name = |option: &str| option.split('=').next().unwrap_or_default().to_owned();
    let is_partitions = |option: &str| option.starts_with("partition by ");
    let mut actions: Vec<String> = Vec::new();
    for option in from.difference(to) {
        let stays = to.iter().any(|other| name(other) == name(option));
        match name(option).as_str() {
            _ if stays => {}
            "engine" => actions.push("engine=innodb".into()),
            VERSIONED => actions.push("drop system versioning".into()),
            partitions if is_partitions(partitions) => {}
            // MariaDB, "CREATE TABLE", "Table Options": 0 is what a number or a switch has without being told.
            number @ ("avg_row_length" | "checksum" | "delay_key_write" | "key_block_size" | "max_rows"
            | "min_rows" | "page_checksum" | "transactional") => actions.push(format!("{number}=0")),
            other => actions.push(format!("{other}=default")),
        }
    }
    let new = to.difference(from).map(String::as_str).filter(|option| !is_partitions(option));
    actions.extend(
        new.map(|option| if option == VERSIONED { "add system versioning".into() } else { option_text(option) }),
    );
    let mut text = actions.join(", ");
    // MariaDB, "ALTER TABLE": how a table is partitioned stands behind all else, without a comma.
    let partitions = |options: &Options| options.iter().find(|option| is_partitions(option)).cloned();
    let changed = match (partitions(from), partitions(to)) {
        (Some(_), None) => Some("remove partitioning".to_owned()),
        (old, new) => new.filter(|new| old.as_ref() != Some(new)),
    };
    if let Some(changed) = changed {
        let between = if text.is_empty() { "" } else { " " };
        text.push_str(&format!("{between}{changed}"));
    }
    text
}

fn option_text(option: &str) -> String {
    match option.strip_prefix("collate=") {
        Some(collation) => format!("default character set {} collate {collation}", character_set(collation)),
        None => option.to_owned(),
    }
}

/// A collation's name begins with its character set (MariaDB, "Character Set and Collation Overview").
pub(super) fn character_set(collation: &str) -> &str {
    match collation.split('_').next() {
        Some("uca1400") | None => "utf8mb4",
        Some(set) => set,
    }
}

/// A column that begins to number its rows keeps a zero that is in it: the server would put the next number there (MariaDB,
/// "SQL_MODE", NO_AUTO_VALUE_ON_ZERO; MySQL 8.4, "Server SQL Modes").
fn keeping_zero(flavor: Flavor, statement: String) -> Vec<String> {
    let mode = "sql_mode = concat(@@sql_mode, ',NO_AUTO_VALUE_ON_ZERO')";
    match flavor {
        Flavor::Mariadb => vec![format!("set statement {mode} for {statement}")],
        Flavor::Mysql => {
            let (before, after) = ("set @oak_sql_mode = @@sql_mode", "set sql_mode = @oak_sql_mode");
            vec![before.to_owned(), format!("set {mode}"), statement, after.to_owned()]
        }
    }
}

fn create_table(flavor: Flavor, table: &Table) -> String {
    let mut lines: Vec<String> = table.columns.iter().map(|column| column_definition(flavor, column)).collect();
    lines.extend(table.primary_key.iter().map(primary_key));
    lines.extend(table.uniques.iter().map(unique));
    lines.extend(table.indexes.iter().map(index_clause));
    lines.extend(table.foreign_keys.iter().map(foreign_key));
    lines.extend(table.checks.iter().map(check));
    let mut options = vec![option_text(&format!("collate={}", table_collation(table)))];
    let is_last = |option: &&String| option.starts_with("partition by ") || *option == VERSIONED;
    let plain = table.options.iter().filter(|option| !option.starts_with("collate=") && !is_last(option));
    options.extend(plain.cloned());
    options.extend(table.comment.iter().map(|text| format!("comment = {}", literal(text))));
    options.extend(table.options.sorted().into_iter().filter(is_last).rev().cloned());
    format!("create table {} (\n    {}\n) {}", quote(&table.name), lines.join(",\n    "), options.join(" "))
}

fn column_definition(flavor: Flavor, column: &Column) -> String {
    let mut text = format!("{} {}", quote(&column.name), column.ty.text());
    if let Some(collation) = &column.collation
        && is_text(&column.ty)
    {
        text.push_str(&format!(" character set {} collate {collation}", character_set(collation)));
    }
    if let Some(generated) = &column.generated {
        let storage = match generated.storage {
            Storage::Stored => "stored",
            Storage::Virtual => "virtual",
        };
        text.push_str(&format!(" generated always as {} {storage}", in_parentheses(generated.expression.text())));
        // MySQL 8.4, "CREATE TABLE and Generated Columns"; MariaDB has no such word there.
        if !column.nullable && flavor == Flavor::Mysql {
            text.push_str(" not null");
        }
    } else {
        text.push_str(if column.nullable { " null" } else { " not null" });
    }
    if let Some(default) = &column.default {
        text.push_str(&format!(" default {}", default_value(flavor, column, default)));
    }
    if column.identity.is_some() {
        text.push_str(" auto_increment");
    }
    let (checks, others): (Vec<_>, Vec<_>) = column.attributes.iter().partition(|one| one.starts_with("check "));
    for attribute in others {
        text.push_str(&format!(" {attribute}"));
    }
    if let Some(comment) = &column.comment {
        text.push_str(&format!(" comment {}", literal(comment)));
    }
    // MariaDB, "CREATE TABLE", "Column Definitions": a check comes last.
    for check in checks {
        text.push_str(&format!(" {check}"));
    }
    text
}

/// A default is in parentheses unless it is a literal; MySQL wants them around that of a long text as well (MySQL 8.4,
/// "Data Type Default Values").
fn default_value(flavor: Flavor, column: &Column, default: &Expression) -> String {
    let head = column.ty.canonical().split(['(', ' ']).next().unwrap_or_default();
    let is_long = ["TEXT", "BLOB", "JSON"].iter().any(|word| head.ends_with(word));
    // In parentheses it would be another default there, which is shown as `now()` (MySQL 8.4, "Automatic Initialization and
    // Updating for TIMESTAMP and DATETIME").
    let is_moment = flavor == Flavor::Mysql && default.text().to_ascii_lowercase().starts_with("current_timestamp");
    // Bits are a literal, too, of a kind that other dialects do not have.
    let is_bits = default.text().starts_with("b'");
    if is_moment || is_bits || default.is_literal() && !(flavor == Flavor::Mysql && is_long) {
        default.text().to_owned()
    } else {
        in_parentheses(default.text())
    }
}

fn constraint(name: Option<&String>) -> String {
    name.map(|name| format!("constraint {} ", quote(name))).unwrap_or_default()
}

fn clause(constraint: &Constraint) -> String {
    match constraint {
        Constraint::PrimaryKey(one) => primary_key(one),
        Constraint::Unique(one) => unique(one),
        Constraint::ForeignKey(one) => foreign_key(one),
        Constraint::Check(one) => check(one),
    }
}

fn key_columns(columns: &[KeyColumn]) -> String {
    quote_all(columns.iter().map(|column| column.name.as_str()))
}

fn primary_key(key: &PrimaryKey) -> String {
    let part = |column: &KeyColumn| {
        let said = key.attributes.iter().find_map(|one| one.strip_prefix(&format!("prefix {}", column.name)));
        let order = if column.descending { " desc" } else { "" };
        format!("{}{}{order}", quote(&column.name), said.unwrap_or_default())
    };
    let parts: Vec<_> = key.columns.iter().map(part).collect();
    let using = if key.attributes.contains("using btree") { " using btree" } else { "" };
    let comment = key.attributes.iter().find(|one| one.starts_with("comment ")).map(|one| format!(" {one}"));
    format!("primary key ({}){using}{}", parts.join(", "), comment.unwrap_or_default())
}

fn unique(unique: &Unique) -> String {
    let name = unique.name.as_ref().map(|name| format!(" {}", quote(name))).unwrap_or_default();
    format!("unique key{name} ({})", key_columns(&unique.columns))
}

fn check(check: &Check) -> String {
    // MySQL 8.4, "CHECK Constraints": `not enforced` is all that can stand behind it.
    let behind: String = check.attributes.iter().map(|attribute| format!(" {attribute}")).collect();
    format!("{}check {}{behind}", constraint(check.name.as_ref()), in_parentheses(check.expression.text()))
}

fn foreign_key(key: &ForeignKey) -> String {
    let columns = quote_all(key.columns.iter().map(String::as_str));
    let referenced = quote_all(key.referenced_columns.iter().map(String::as_str));
    let table = quote(&key.referenced_table);
    let name = constraint(key.name.as_ref());
    let mut text = format!("{name}foreign key ({columns}) references {table} ({referenced})");
    if key.on_delete != Action::NoAction {
        text.push_str(&format!(" on delete {}", key.on_delete));
    }
    if key.on_update != Action::NoAction {
        text.push_str(&format!(" on update {}", key.on_update));
    }
    text
}

fn index_clause(index: &Index) -> String {
    let parts: Vec<_> = index
        .parts
        .iter()
        .map(|part| {
            let key = match &part.key {
                IndexKey::Column(name) => quote(name),
                IndexKey::Expression(expression) => in_parentheses(expression.text()),
            };
            let prefix = part.prefix.map(|length| format!("({length})")).unwrap_or_default();
            format!("{key}{prefix}{}", if part.descending { " desc" } else { "" })
        })
        .collect();
    let kind = match (&index.method, index.unique) {
        (Some(method), _) if method != "hash" => format!("{method} "),
        (_, true) => "unique ".into(),
        (_, false) => String::new(),
    };
    let using = if index.method.as_deref() == Some("hash") { " using hash" } else { "" };
    let attributes: String = index.attributes.iter().map(|attribute| format!(" {attribute}")).collect();
    format!("{kind}key {} ({}){using}{attributes}", quote(&index.name), parts.join(", "))
}
