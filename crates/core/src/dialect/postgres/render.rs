//! Steps as PostgreSQL's SQL.

use super::super::altering::alter_together;
use super::super::keeping::{keep, make_kept, restore};
use super::super::rowing;
use super::attributes::{self, PERIOD, WITHOUT_OVERLAPS};
use super::inheriting::{ALSO_INHERITED, INHERITED, is_inherited};
use super::quote::{QUOTING, literal, quote, quote_all, quote_collation, quote_object, quote_routine};
use super::sequence::{are_apart, integer, moved_inside, usual_range};
use super::types::{Family, family, is_widening};
use crate::physical::{
    Check, Column, EnumType, ForeignKey, Index, IndexKey, KeyColumn, Options, PrimaryKey, Program, Table, TypeName,
    Unique, qualified,
};
use crate::plan::{Batch, Commented, Constraint, EnumSwap, Step, SwappedColumn};
use crate::schema::{Action, Deferrable, Identity, NullsOrder, ProgramKind, Storage};
use crate::sql::{Expression, in_parentheses};

/// The statements of a step; see [`crate::Dialect::render`].
pub(in crate::dialect) fn render(step: &Step) -> Vec<String> {
    match step {
        Step::CreateTable(table) => create_table(table),
        Step::DropTable(table) => vec![format!("drop table {}", quote_object(&table.name))],
        Step::RenameTable { from, to, numbering, .. } => {
            let mut statements = rename_table(from, to);
            let is_moved = qualified::split(from).0 != qualified::split(to).0;
            for (at, column) in numbering.iter().enumerate() {
                if !is_moved {
                    statements.push(rename_sequence([from, column], [to, column]));
                    continue;
                }
                // It goes with its table, to where its name may be taken.
                let (old, new) = (sequence_name(from, column), sequence_name(to, column));
                let third = format!("oak_rename_{}_seq", at + 1);
                let rename = |table: &str, old: &str, new: &str| {
                    format!("alter sequence if exists {} rename to {}", beside(table, old), quote(new))
                };
                statements.insert(0, rename(from, &old, &third));
                statements.push(rename(to, &third, &new));
            }
            statements
        }
        Step::RebuildTable(_) | Step::ChangePrimaryKey { .. } => {
            unreachable!("the facts of PostgreSQL rule this step out")
        }
        Step::AddColumn { table, column, .. } => {
            let mut statements = vec![alter(table, &format!("add column {}", column_definition(column)))];
            statements.extend(column_options(table, column, &Options::new(), &column.attributes));
            statements.extend(column.comment.as_ref().map(|text| comment_on_column(table, column, Some(text))));
            statements
        }
        Step::DropColumn { table, column } => vec![alter(table, &format!("drop column {}", quote(&column.name)))],
        Step::RenameColumn { table, from, to, numbering, .. } => {
            let mut statements = vec![alter(table, &format!("rename column {} to {}", quote(from), quote(to)))];
            if *numbering {
                statements.push(rename_sequence([table, from], [table, to]));
            }
            statements
        }
        Step::AlterColumn { table, from, to, using } => {
            alter_with(table, alter_column(table, from, to, using.as_deref()))
        }
        Step::AlterTable { table, steps } => alter_table(table, steps),
        Step::AddConstraint { table, constraint } => {
            let mut statements = vec![alter(table, &format!("add {}", clause(constraint)))];
            statements.extend(about_key(table, constraint));
            statements
        }
        Step::DropConstraint { table, constraint } => {
            vec![alter(table, &format!("drop constraint {}", quote(constraint.name().unwrap_or_default())))]
        }
        Step::RenameConstraint { table, constraint, to } => {
            let from = quote(constraint.name().unwrap_or_default());
            vec![alter(table, &format!("rename constraint {from} to {}", quote(to)))]
        }
        Step::CreateIndex { table, index } => {
            let mut statements = vec![create_index(table, index)];
            statements.extend(attributes::about_index(table, &index.name, &index.attributes));
            statements
        }
        Step::BuildIndex { table, index } => vec![create_index_beside(table, index)],
        Step::UseIndex { table, constraint } => {
            let kind = constraint.kind();
            let name = quote(constraint.name().unwrap_or_default());
            vec![alter(table, &format!("add constraint {name} {kind} using index {name}"))]
        }
        Step::ValidateConstraint { table, constraint, .. } => {
            vec![alter(table, &format!("validate constraint {}", quote(constraint.name().unwrap_or_default())))]
        }
        Step::DropIndex { table, index } => vec![format!("drop index {}", beside(table, &index.name))],
        Step::RenameIndex { table, from, to } => {
            vec![format!("alter index {} rename to {}", beside(table, from), quote(to))]
        }
        Step::CreateEnum(one) => create_enum(one),
        Step::DropEnum(one) => vec![format!("drop type {}", quote_object(&one.name))],
        Step::AddEnumWord { name, word, after, before } => {
            let place = match (after, before) {
                (Some(after), _) => format!("after {}", literal(after)),
                (None, Some(before)) => format!("before {}", literal(before)),
                (None, None) => String::new(),
            };
            // Again after an interruption it does no harm.
            let statement =
                format!("alter type {} add value if not exists {} {place}", quote_object(name), literal(word));
            vec![statement.trim_end().to_owned()]
        }
        Step::RenameEnumWord { name, from, to } => {
            vec![format!("alter type {} rename value {} to {}", quote_object(name), literal(from), literal(to))]
        }
        Step::FillColumn { table, column, expression, batch: Some(batch), .. } => {
            vec![fill_in_batches(table, column, expression, batch)]
        }
        Step::FillColumn { table, column, expression, only_missing, .. } => {
            let missing = if *only_missing { format!("\nwhere {} is null", quote(column)) } else { String::new() };
            vec![format!(
                "update {}\nset {} = {}{missing}",
                quote_object(table),
                quote(column),
                in_parentheses(expression)
            )]
        }
        Step::InsertRows { table, columns, rows, overriding, numbering } => {
            let given = if *overriding { " overriding system value" } else { "" };
            let mut statements = rowing::insert(table, columns, rows, QUOTING, given);
            statements.extend(numbering.iter().map(|column| advance(table, column, &Identity::default())));
            statements
        }
        Step::UpdateRows { table, key, rows } => rowing::update(table, key, rows, QUOTING),
        Step::DeleteRows { table, key, keys, .. } => rowing::delete(table, key, keys, QUOTING),
        // PostgreSQL 17, "SET CONSTRAINTS": to immediate, it checks at once what waits.
        Step::CheckDeferred { .. } => {
            vec!["set constraints all immediate".into(), "set constraints all deferred".into()]
        }
        // PostgreSQL 17, "Client Connection Defaults", check_function_bodies.
        Step::LeaveBodies => vec!["set local check_function_bodies = off".into()],
        Step::MakeKept(kept) => vec![make_kept(kept, QUOTING, " with no data")],
        Step::Keep(kept) => vec![keep(kept, QUOTING)],
        Step::Restore { kept, overriding, numbering } => {
            let given = if *overriding { " overriding system value" } else { "" };
            let mut statements = vec![restore(kept, QUOTING, given)];
            statements.extend(numbering.iter().map(|column| advance(&kept.table, column, &Identity::default())));
            statements
        }
        Step::DropKept(name) => vec![format!("drop table if exists {}", quote_object(name))],
        Step::RemakeEnum(swap) => remake_enum(swap),
        Step::CreateProgram(one) => {
            // Only its description may differ.
            let mut statements: Vec<String> =
                Some(one.create.clone()).filter(|text| !text.is_empty()).into_iter().collect();
            if one.is_early {
                // PostgreSQL 17, "Client Connection Defaults", check_function_bodies.
                statements.insert(0, "set local check_function_bodies = off".into());
                statements.push("set local check_function_bodies = on".into());
            }
            let text = one.comment.as_ref();
            statements.extend(text.and_then(|text| Some(comment_on(&commented(one)?, Some(text)))));
            statements
        }
        Step::DropProgram(one) => vec![one.drop.clone()],
        Step::SetOptions { table, from, to } => set_options(table, from, to),
        Step::SetComment { on, text } => {
            let object = match on {
                Commented::Table(name) => format!("table {}", quote_object(name)),
                Commented::Enum(name) => format!("type {}", quote_object(name)),
            };
            vec![comment_on(&object, text.as_ref())]
        }
    }
}

/// An identity column's sequence goes by the names of its table and column, and does not follow them.
fn rename_sequence([table, column]: [&str; 2], [new_table, new_column]: [&str; 2]) -> String {
    let old = beside(table, &sequence_name(table, column));
    format!("alter sequence if exists {old} rename to {}", quote(&sequence_name(new_table, new_column)))
}

/// The name that the server gives the sequence of an identity column, which is where its table is.
pub(super) fn sequence_name(table: &str, column: &str) -> String {
    object_name(&qualified::plain(qualified::base(table)), column, "seq")
}

/// The name of an index, sequence or the like that is in the namespace of its table.
fn beside(table: &str, name: &str) -> String {
    quote_object(&qualified::beside(table, &qualified::part(name)))
}

/// A new name, or the same in another namespace, or both by way of a name that nobody has.
fn rename_table(from: &str, to: &str) -> Vec<String> {
    let ((old_namespace, old), (namespace, new)) = (qualified::split(from), qualified::split(to));
    let rename = |table: &str, to: &str| alter(table, &format!("rename to {}", quote(&qualified::plain(to))));
    if old_namespace == namespace {
        return vec![rename(from, new)];
    }
    // The namespace that is worked in goes by no name of its own here.
    let place = namespace.map_or("current_schema".to_owned(), |one| quote(&qualified::plain(one)));
    let go = |table: &str| match namespace {
        Some(_) => alter(table, &format!("set schema {place}")),
        None => format!(
            "do $$ begin execute format('alter table {} set schema %I', current_schema); end $$",
            quote_object(table).replace('%', "%%").replace('\'', "''")
        ),
    };
    if old == new {
        return vec![go(from)];
    }
    let third = |table: &str| qualified::beside(table, "oak_rename");
    vec![rename(from, "oak_rename"), go(&third(from)), rename(&third(to), new)]
}

/// The name that the server makes of one or two names and a label (PostgreSQL 17, `makeObjectName`): the longer name is cut
/// until all fit into 63 bytes.
pub(super) fn object_name(first: &str, second: &str, label: &str) -> String {
    let separators = if second.is_empty() { 1 } else { 2 };
    let room = 63usize.saturating_sub(label.len() + separators);
    let (mut one, mut two) = (first.len(), second.len());
    while one + two > room {
        if one > two { one -= 1 } else { two -= 1 }
    }
    let cut = |name: &str, mut length: usize| {
        while !name.is_char_boundary(length) {
            length -= 1;
        }
        name[..length].to_owned()
    };
    let (first, second) = (cut(first, one), cut(second, two));
    if second.is_empty() { format!("{first}_{label}") } else { format!("{first}_{second}_{label}") }
}

fn alter(table: &str, action: &str) -> String {
    format!("alter table {} {action}", quote_object(table))
}

fn set_options(table: &str, from: &Options, to: &Options) -> Vec<String> {
    let mut statements = Vec::new();
    match (from.contains("unlogged"), to.contains("unlogged")) {
        (true, false) => statements.push(alter(table, "set logged")),
        (false, true) => statements.push(alter(table, "set unlogged")),
        _ => {}
    }
    let name = |option: &String| attributes::parameter_name(option).map(str::to_owned);
    let set: Vec<_> = to.difference(from).filter(|option| name(option).is_some()).cloned().collect();
    let gone = from.difference(to).filter_map(name);
    let gone: Vec<_> = gone.filter(|gone| !to.iter().any(|option| name(option).as_ref() == Some(gone))).collect();
    if !set.is_empty() {
        statements.push(alter(table, &format!("set ({})", set.join(", "))));
    }
    if !gone.is_empty() {
        statements.push(alter(table, &format!("reset ({})", gone.join(", "))));
    }
    let parents = |options: &Options| -> Vec<String> {
        let list = options.iter().find_map(|option| option.strip_prefix("inherits (")?.strip_suffix(')'));
        list.map(|list| list.split(", ").map(str::to_owned).collect()).unwrap_or_default()
    };
    let (old, new) = (parents(from), parents(to));
    let gone = old.iter().filter(|one| !new.contains(one)).map(|one| format!("no inherit {one}"));
    let come = new.iter().filter(|one| !old.contains(one)).map(|one| format!("inherit {one}"));
    statements.extend(gone.chain(come).map(|action| alter(table, &action)));
    // PostgreSQL 17, "ALTER TABLE", "Description".
    let actions = [
        ("replica identity ", "replica identity default"),
        ("of ", "not of"),
        ("tablespace ", "set tablespace pg_default"),
        ("using ", "set access method heap"),
    ];
    for (word, reset) in actions {
        let said = |options: &Options| options.iter().find(|option| option.starts_with(word)).cloned();
        let action = match (said(from), said(to)) {
            (old, new) if old == new => continue,
            (_, None) => reset.to_owned(),
            (_, Some(new)) => match word {
                "tablespace " => format!("set {new}"),
                "using " => new.replacen("using", "set access method", 1),
                _ => new,
            },
        };
        statements.push(alter(table, &action));
    }
    statements
}

fn comment_on(object: &str, text: Option<&String>) -> String {
    format!("comment on {object} is {}", text.map_or("null".into(), |text| literal(text)))
}

fn comment_on_column(table: &str, column: &Column, text: Option<&String>) -> String {
    comment_on(&format!("column {}.{}", quote_object(table), quote(&column.name)), text)
}

/// The statement that takes a description away, or gives the one back that an extension brings along.
pub(in crate::dialect) fn takes_description(program: &Program) -> Option<String> {
    if program.word.as_deref() == Some("extension") {
        let name = &program.name;
        return Some(format!(
            "do $$ begin execute format('comment on extension {} is %L', \
             (select comment from pg_available_extensions where name = {})); end $$",
            quote(name).replace('%', "%%").replace('\'', "''"),
            literal(name)
        ));
    }
    Some(comment_on(&commented(program)?, None))
}

/// What a description of a view, trigger, routine or other object is of, where that can have one.
fn commented(program: &Program) -> Option<String> {
    let is_qualified = Program::is_in_namespace(program.kind, program.word.as_deref());
    let name = if is_qualified { quote_object(&program.name) } else { quote(&program.name) };
    Some(match program.kind {
        ProgramKind::View | ProgramKind::MaterializedView => format!("{} {name}", program.kind.word()),
        ProgramKind::Trigger => {
            format!("trigger {} on {}", quote(&program.name), quote_object(program.table.as_deref()?))
        }
        ProgramKind::Routine => format!("routine {}", quote_routine(&program.name)),
        ProgramKind::Object => match program.word.as_deref()? {
            word @ ("sequence" | "domain" | "type" | "extension" | "index" | "statistics" | "view"
            | "materialized view") => format!("{word} {name}"),
            "partition" => format!("table {name}"),
            "namespace" => format!("schema {name}"),
            // One over all rows has no arguments, and is called with a star.
            "aggregate" => format!("aggregate {}", program.name.replace("()", "(*)")),
            _ => return None,
        },
    })
}

/// What a column has beside its definition.
fn column_options(table: &str, column: &Column, from: &Options, to: &Options) -> Vec<String> {
    let name = quote(&column.name);
    attributes::column_actions(from, to)
        .into_iter()
        .map(|action| alter(table, &format!("alter column {name} {action}")))
        .collect()
}

/// What a key has once it is there.
fn about_key(table: &str, constraint: &Constraint) -> Vec<String> {
    let (name, attributes) = match constraint {
        Constraint::PrimaryKey(one) => (&one.name, &one.attributes),
        Constraint::Unique(one) => (&one.name, &one.attributes),
        Constraint::ForeignKey(_) | Constraint::Check(_) => return Vec::new(),
    };
    attributes::about_index(table, name.as_deref().unwrap_or_default(), attributes)
}

/// The options of a table that stand behind its columns, in the order of the grammar (PostgreSQL 17, "CREATE TABLE").
fn behind_columns(table: &Table) -> String {
    let said = |words: &[&str]| -> String {
        let of = |word: &&str| table.options.iter().find(|one| one.starts_with(word)).map(|one| format!(" {one}"));
        words.iter().filter_map(of).collect()
    };
    let with = attributes::parameters(&table.options);
    said(&["inherits (", "partition by ", "using "]) + &with + &said(&["tablespace "])
}

/// What is said of a table once it is there.
fn about_table(table: &Table) -> Vec<String> {
    let mut statements = Vec::new();
    for column in &table.columns {
        let name = quote(&column.name);
        // Its parent may say it otherwise.
        if is_inherited(&column.attributes) {
            let only =
                |action: String| format!("alter table only {} alter column {name} {action}", quote_object(&table.name));
            if let Some(default) = &column.default {
                statements.push(only(format!("set default {}", default_value(default))));
            }
            if !column.nullable {
                statements.push(only("set not null".into()));
            }
        }
        statements.extend(column_options(&table.name, column, &Options::new(), &column.attributes));
    }
    let is_said_now = |option: &&String| option.starts_with("replica identity ") || option.starts_with("of ");
    statements.extend(table.options.iter().filter(is_said_now).map(|option| alter(&table.name, option)));
    statements
}

fn create_table(table: &Table) -> Vec<String> {
    let own = |column: &&Column| !is_inherited(&column.attributes);
    let mut lines: Vec<String> = table.columns.iter().filter(own).map(column_definition).collect();
    // A key over what the table inherits, once that is there: made along with it, the key would have the table say by itself
    // that there have to be values, from PostgreSQL 18 on.
    let over_inherited = |key: &&PrimaryKey| {
        let of_parent = |name: &str| table.column(name).is_some_and(|column| is_inherited(&column.attributes));
        key.columns.iter().any(|column| of_parent(&column.name))
    };
    let (late, now): (Vec<_>, Vec<_>) = table.primary_key.iter().partition(over_inherited);
    lines.extend(now.into_iter().map(primary_key));
    let (uniques, repeated) = repeated_keys(table);
    lines.extend(uniques.into_iter().map(unique));
    // What is made with the table counts as valid (PostgreSQL 17, `transformCheckConstraints`).
    let is_valid = |attributes: &Options| !attributes.contains("not valid");
    lines.extend(table.foreign_keys.iter().filter(|one| is_valid(&one.attributes)).map(foreign_key));
    let checks = || table.checks.iter().filter(|one| !is_inherited(&one.attributes));
    lines.extend(checks().filter(|one| is_valid(&one.attributes)).map(check));
    let unlogged = if table.has_option("unlogged") { "unlogged " } else { "" };
    let with = behind_columns(table);
    let body = if lines.is_empty() { "()".to_owned() } else { format!("(\n    {}\n)", lines.join(",\n    ")) };
    let mut statements = vec![format!("create {unlogged}table {} {body}{with}", quote_object(&table.name))];
    statements.extend(late.into_iter().map(|one| alter(&table.name, &format!("add {}", primary_key(one)))));
    statements.extend(repeated.into_iter().map(|one| alter(&table.name, &format!("add {}", unique(one)))));
    let invalid = table.foreign_keys.iter().filter(|one| !is_valid(&one.attributes)).map(foreign_key);
    let invalid = invalid.chain(checks().filter(|one| !is_valid(&one.attributes)).map(check));
    statements.extend(invalid.map(|one| alter(&table.name, &format!("add {one}"))));
    let keys = table.primary_key.iter().map(|one| (&one.name, &one.attributes));
    for (name, attributes) in keys.chain(table.uniques.iter().map(|one| (&one.name, &one.attributes))) {
        statements.extend(attributes::about_index(&table.name, name.as_deref().unwrap_or_default(), attributes));
    }
    statements.extend(about_table(table));
    if let Some(text) = &table.comment {
        statements.push(comment_on(&format!("table {}", quote_object(&table.name)), Some(text)));
    }
    let described = table.columns.iter().filter(|column| column.comment.is_some());
    statements.extend(described.map(|column| comment_on_column(&table.name, column, column.comment.as_ref())));
    statements
}

/// Unique constraints that say something new, and those over the same columns as an earlier key: `create table` passes
/// over the latter without a word (PostgreSQL 17, `transformIndexConstraints`), and `alter table` does not.
fn repeated_keys(table: &Table) -> (Vec<&Unique>, Vec<&Unique>) {
    let mut seen: Vec<&[KeyColumn]> = table.primary_key.iter().map(|key| key.columns.as_slice()).collect();
    table.uniques.iter().partition(|one| {
        let is_new = !seen.contains(&one.columns.as_slice());
        seen.push(&one.columns);
        is_new
    })
}

fn column_definition(column: &Column) -> String {
    let mut text = format!("{} {}", quote(&column.name), type_text(column));
    if let Some(collation) = &column.collation {
        text.push_str(&format!(" collate {}", quote_collation(collation)));
    }
    if !column.nullable {
        text.push_str(" not null");
    }
    if let Some(default) = &column.default {
        text.push_str(&format!(" default {}", default_value(default)));
    }
    if let Some(identity) = &column.identity {
        let options = options_of(identity, &column.attributes);
        text.push_str(&format!(" generated {} as identity{options}", kind_of(identity)));
    }
    if let Some(generated) = &column.generated {
        let expression = in_parentheses(generated.expression.text());
        let storage = match generated.storage {
            Storage::Stored => "stored",
            Storage::Virtual => "virtual",
        };
        text.push_str(&format!(" generated always as {expression} {storage}"));
    }
    text
}

/// The type; of a column that is numbered by a sequence of its own, the word for both.
fn type_text(column: &Column) -> &str {
    match column.ty.canonical() {
        _ if !column.attributes.contains("serial") => column.ty.text(),
        "SMALLINT" => "smallserial",
        "BIGINT" => "bigserial",
        _ => "serial",
    }
}

fn kind_of(identity: &Identity) -> &'static str {
    if identity.always { "always" } else { "by default" }
}

fn options_of(identity: &Identity, attributes: &Options) -> String {
    let mut options = attributes::numbering(attributes);
    options.extend(identity.from.map(|from| format!("start with {from}")));
    options.extend(identity.by.map(|by| format!("increment by {by}")));
    if options.is_empty() { String::new() } else { format!(" ({})", options.join(" ")) }
}

/// A default needs its parentheses only where it is more than a word or a call.
fn default_value(default: &Expression) -> String {
    let text = default.text();
    let is_word = text.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'(' | b')'));
    if default.is_literal() || is_word { text.to_owned() } else { in_parentheses(text) }
}

/// What changes a column: an action of an `alter table`, or a statement of its own.
enum Piece {
    Action(String),
    Statement(String),
}

/// The statements of pieces, actions in a row in one `alter table`: the table is gone through once for all of them.
fn alter_with(table: &str, pieces: Vec<Piece>) -> Vec<String> {
    let mut statements = Vec::new();
    let mut actions: Vec<String> = Vec::new();
    let close = |actions: &mut Vec<String>, statements: &mut Vec<String>| {
        if !actions.is_empty() {
            statements.push(alter_together(&quote_object(table), actions.drain(..)));
        }
    };
    for piece in pieces {
        match piece {
            Piece::Action(action) => actions.push(action),
            Piece::Statement(statement) => {
                close(&mut actions, &mut statements);
                statements.push(statement);
            }
        }
    }
    close(&mut actions, &mut statements);
    statements
}

fn alter_column(table: &str, from: &Column, to: &Column, using: Option<&str>) -> Vec<Piece> {
    let name = quote(&to.name);
    let action = |action: &str| Piece::Action(format!("alter column {name} {action}"));
    let alone = |action: &str| Piece::Statement(alter(table, &format!("alter column {name} {action}")));
    let mut pieces = Vec::new();
    if from.identity.is_some() && to.identity.is_none() {
        pieces.push(alone("drop identity"));
    }
    if from.generated.is_some() && to.generated.is_none() {
        pieces.push(alone("drop expression"));
    }
    let serial = |column: &Column| column.attributes.contains("serial");
    let sequence = beside(table, &sequence_name(table, &to.name));
    if serial(from) && !serial(to) {
        pieces.push(alone("drop default"));
        pieces.push(Piece::Statement(format!("drop sequence {sequence}")));
    }
    let retyped = from.ty != to.ty || from.collation != to.collation || using.is_some();
    if from.default.is_some() && (to.default.is_none() || retyped) {
        pieces.push(action("drop default"));
    }
    if retyped {
        let collate = to.collation.as_ref().map(|name| format!(" collate {}", quote_collation(name)));
        let collate = collate.or_else(|| from.collation.as_ref().map(|_| " collate \"default\"".to_owned()));
        let collate = collate.filter(|_| family(&to.ty) == Family::Text).unwrap_or_default();
        let using = match using {
            Some(expression) => format!(" using {}", in_parentheses(expression)),
            // An assignment does the same (PostgreSQL 17, "ALTER TABLE", SET DATA TYPE).
            None if from.ty == to.ty || super::stores_alike(&from.ty, &to.ty) => String::new(),
            None => format!(" using {}", converted(&name, &from.ty, &to.ty)),
        };
        pieces.push(action(&format!("set data type {}{collate}{using}", to.ty.text())));
    }
    if from.nullable && !to.nullable {
        pieces.push(action("set not null"));
    }
    if let Some(default) = &to.default
        && (retyped || from.default.as_ref() != Some(default))
    {
        pieces.push(action(&format!("set default {}", default_value(default))));
    }
    // That of an identity column goes with it; this one does not.
    if serial(from) && serial(to) && from.ty != to.ty {
        pieces.push(Piece::Statement(format!("alter sequence {sequence} as {}", to.ty.text())));
    }
    if serial(to) && !serial(from) {
        let owner = format!("{}.{name}", quote_object(table));
        let made = format!("create sequence {sequence} as {} owned by {owner}", to.ty.text());
        pieces.push(Piece::Statement(made));
        pieces.push(alone(&format!("set default nextval({})", literal(&sequence))));
        pieces.push(Piece::Statement(advance(table, &to.name, &Identity::default())));
    }
    pieces.extend(attributes::column_actions(&from.attributes, &to.attributes).iter().map(|one| action(one)));
    let mut numbering = Vec::new();
    identity_change(&mut numbering, table, from, to);
    pieces.extend(numbering.into_iter().map(Piece::Statement));
    if !from.nullable && to.nullable {
        pieces.push(action("drop not null"));
    }
    if from.comment != to.comment {
        pieces.push(Piece::Statement(comment_on_column(table, to, to.comment.as_ref())));
    }
    pieces
}

/// Several alterations in one statement; what is no action comes behind it.
fn alter_table(table: &str, steps: &[Step]) -> Vec<String> {
    let pieces = steps.iter().flat_map(|step| match step {
        Step::AlterColumn { from, to, using, .. } => alter_column(table, from, to, using.as_deref()),
        Step::AddConstraint { constraint, .. } => vec![Piece::Action(format!("add {}", clause(constraint)))],
        _ => unreachable!("nothing else is joined"),
    });
    let (mut actions, others): (Vec<_>, Vec<_>) = pieces.partition(|piece| matches!(piece, Piece::Action(_)));
    actions.extend(others);
    alter_with(table, actions)
}

fn identity_change(statements: &mut Vec<String>, table: &str, from: &Column, to: &Column) {
    let name = quote(&to.name);
    let Some(identity) = &to.identity else { return };
    match &from.identity {
        None => {
            let options = options_of(identity, &to.attributes);
            let definition = format!("add generated {} as identity{options}", kind_of(identity));
            statements.push(alter(table, &format!("alter column {name} {definition}")));
            statements.push(advance(table, &to.name, identity));
        }
        Some(old) => {
            let usual = sequence_name(table, &to.name);
            let named = |column: &Column| attributes::sequence_name(&column.attributes).unwrap_or(&usual).to_owned();
            let (was, is) = (named(from), named(to));
            // The range of the type goes with the type; where nothing else is said, it is no change of the numbers.
            let range = |column: &Column, identity: &Identity| {
                let usual = || usual_range(&integer(&to.ty), identity.by.unwrap_or(1));
                attributes::range(&column.attributes).unwrap_or_else(usual)
            };
            let (before, after) = (range(from, old), range(to, identity));
            statements.extend(moved_inside(&beside(table, &was), before, after));
            let mut actions = attributes::numbering_actions(&from.attributes, &to.attributes);
            if before != after && actions.is_empty() {
                // Those of the other direction do not come by themselves.
                actions.push("set no minvalue set no maxvalue".into());
            }
            if old.always != identity.always {
                actions.push(format!("set generated {}", kind_of(identity)));
            }
            if old.from != identity.from {
                actions.push(format!("set start with {}", identity.from.unwrap_or(identity.by.map_or(1, i64::signum))));
            }
            if old.by != identity.by {
                actions.push(format!("set increment by {}", identity.by.unwrap_or(1)));
            }
            actions.extend(are_apart(before, after).then(|| "restart".to_owned()));
            if !actions.is_empty() {
                statements.push(alter(table, &format!("alter column {name} {}", actions.join(" "))));
            }
            if was != is {
                statements.push(format!("alter sequence {} rename to {}", beside(table, &was), quote(&is)));
            }
        }
    }
}

/// The next number is behind those that are there, in the direction of the count.
fn advance(table: &str, column: &str, identity: &Identity) -> String {
    let (owner, name) = (literal(&quote_object(table)), quote(column));
    let beyond =
        |usual: &str, sign: &str| identity.from.map_or_else(|| usual.to_owned(), |from| format!("{sign} {from}"));
    let (last, beyond) = match identity.by {
        Some(by) if by < 0 => (format!("min({name})"), beyond("< 0", "<=")),
        _ => (format!("max({name})"), beyond("> 0", ">=")),
    };
    format!(
        "select setval(pg_get_serial_sequence({owner}, {}), {last}) from {} having {last} {beyond}",
        literal(column),
        quote_object(table)
    )
}

/// A value of one type as one of another: by PostgreSQL's own cast where there is one, else by way of its text.
fn converted(name: &str, from: &TypeName, to: &TypeName) -> String {
    let direct = match (family(from), family(to)) {
        (Family::Text, Family::Other) => true,
        (old, new) => old == new && old != Family::Other || is_widening(from, to),
    };
    // A cast to a text of some length cuts off what is too long; without one it is refused (PostgreSQL 17, "Character
    // Types"). A widening needs no table written anew.
    if family(to) == Family::Text && !is_widening(from, to) {
        return format!("{name}::text");
    }
    // Letter case of the name and the quotes of an enum's name are in the text.
    let to = to.text();
    if direct { format!("{name}::{to}") } else { format!("{name}::text::{to}") }
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

/// What stands behind a reference or check, as the catalogue words it.
fn behind(attributes: &Options) -> String {
    let placed = |one: &&String| {
        !matches!(one.as_str(), INHERITED | ALSO_INHERITED | "match full" | PERIOD)
            && !one.starts_with(attributes::DELETED_COLUMNS)
    };
    attributes.iter().filter(placed).map(|attribute| format!(" {attribute}")).collect()
}

/// The columns of a key, the last one as a range that may not overlap where the key says so.
fn columns_of_key(columns: &[KeyColumn], attributes: &Options) -> String {
    let overlaps = if attributes.contains(WITHOUT_OVERLAPS) { " without overlaps" } else { "" };
    format!("{}{overlaps}", key_columns(columns))
}

/// The columns of one side of a reference, the last one as a period where the reference says so.
fn columns_of_reference(columns: &[String], attributes: &Options) -> String {
    match columns.split_last() {
        Some((last, others)) if attributes.contains(PERIOD) => {
            let others = others.iter().map(|name| quote(name)).chain([format!("period {}", quote(last))]);
            others.collect::<Vec<_>>().join(", ")
        }
        _ => quote_all(columns.iter().map(String::as_str)),
    }
}

fn primary_key(key: &PrimaryKey) -> String {
    let columns = columns_of_key(&key.columns, &key.attributes);
    format!("{}primary key ({columns}){}", constraint(key.name.as_ref()), attributes::behind_key(&key.attributes))
}

fn unique(unique: &Unique) -> String {
    let nulls = if unique.attributes.contains("nulls not distinct") { "nulls not distinct " } else { "" };
    let columns = columns_of_key(&unique.columns, &unique.attributes);
    let rest = attributes::behind_key(&unique.attributes);
    format!("{}unique {nulls}({columns}){rest}", constraint(unique.name.as_ref()))
}

fn check(check: &Check) -> String {
    let condition = in_parentheses(check.expression.text());
    format!("{}check {condition}{}", constraint(check.name.as_ref()), behind(&check.attributes))
}

fn foreign_key(key: &ForeignKey) -> String {
    let columns = columns_of_reference(&key.columns, &key.attributes);
    let referenced = columns_of_reference(&key.referenced_columns, &key.attributes);
    let table = quote_object(&key.referenced_table);
    let name = constraint(key.name.as_ref());
    let mut text = format!("{name}foreign key ({columns}) references {table} ({referenced})");
    if key.attributes.contains("match full") {
        text.push_str(" match full");
    }
    if key.on_delete != Action::NoAction {
        text.push_str(&format!(" on delete {}", key.on_delete));
        let columns = key.attributes.iter().find_map(|one| one.strip_prefix(attributes::DELETED_COLUMNS));
        text.extend(columns.map(|columns| format!(" {columns}")));
    }
    if key.on_update != Action::NoAction {
        text.push_str(&format!(" on update {}", key.on_update));
    }
    match key.deferrable {
        Deferrable::No => {}
        Deferrable::InitiallyImmediate => text.push_str(" deferrable"),
        Deferrable::InitiallyDeferred => text.push_str(" deferrable initially deferred"),
    }
    text + &behind(&key.attributes)
}

fn create_index(table: &str, index: &Index) -> String {
    index_statement(table, index, "")
}

fn create_index_beside(table: &str, index: &Index) -> String {
    index_statement(table, index, "concurrently ")
}

fn index_statement(table: &str, index: &Index, beside: &str) -> String {
    let parts: Vec<_> = index
        .parts
        .iter()
        .map(|part| {
            let mut text = match &part.key {
                IndexKey::Column(name) => quote(name),
                IndexKey::Expression(expression) => in_parentheses(expression.text()),
            };
            text.push_str(
                &part.collation.as_ref().map(|name| format!(" collate {}", quote_collation(name))).unwrap_or_default(),
            );
            text.push_str(&part.operators.as_ref().map(|name| format!(" {name}")).unwrap_or_default());
            text.push_str(if part.descending { " desc" } else { "" });
            text.push_str(match part.nulls {
                None => "",
                Some(NullsOrder::First) => " nulls first",
                Some(NullsOrder::Last) => " nulls last",
            });
            text
        })
        .collect();
    let unique = if index.unique { "unique " } else { "" };
    let using = index.method.as_ref().map(|method| format!(" using {method}")).unwrap_or_default();
    let mut text = format!(
        "create {unique}index {beside}{} on {}{using} ({})",
        quote(&index.name),
        quote_object(table),
        parts.join(", ")
    );
    if !index.including.is_empty() {
        text.push_str(&format!(" include ({})", quote_all(index.including.iter().map(String::as_str))));
    }
    if index.attributes.contains("nulls not distinct") {
        text.push_str(" nulls not distinct");
    }
    text.push_str(&attributes::parameters(&index.attributes));
    for place in index.attributes.iter().filter(|one| one.starts_with("tablespace ")) {
        text.push_str(&format!(" {place}"));
    }
    if let Some(predicate) = &index.predicate {
        text.push_str(&format!(" where {}", in_parentheses(predicate.text())));
    }
    text
}

fn create_enum(one: &EnumType) -> Vec<String> {
    let mut statements = vec![enum_statement(&one.name, &one.words)];
    if let Some(text) = &one.comment {
        statements.push(comment_on(&format!("type {}", quote_object(&one.name)), Some(text)));
    }
    statements
}

fn enum_statement(name: &str, words: &[String]) -> String {
    let words: Vec<_> = words.iter().map(|word| literal(word)).collect();
    format!("create type {} as enum ({})", quote_object(name), words.join(", "))
}

/// A loop along the key that commits behind each lot (PostgreSQL 17, "Transaction Management" of PL/pgSQL): each row is
/// looked at once, and after an interruption only those are left that have no value yet.
fn fill_in_batches(table: &str, column: &str, expression: &str, batch: &Batch) -> String {
    let (owner, name, value) = (quote_object(table), quote(column), in_parentheses(expression));
    let columns: Vec<String> = batch.key.iter().map(|one| quote(&one.name)).collect();
    let variables = |stem: &str| -> Vec<String> { (1..=columns.len()).map(|at| format!("oak_{stem}_{at}")).collect() };
    let (from, to) = (variables("from"), variables("to"));
    let row = |parts: &[String]| match parts {
        [one] => one.clone(),
        many => format!("({})", many.join(", ")),
    };
    let (key, first, end) = (row(&columns), row(&from), row(&to));
    let list = columns.join(", ");
    let descending: Vec<String> = columns.iter().map(|one| format!("{one} desc")).collect();
    let declared: String = from
        .iter()
        .chain(&to)
        .zip(columns.iter().cycle())
        .map(|(variable, column)| format!("    {variable} {owner}.{column}%type;\n"))
        .collect();
    let (into_from, into_to) = (from.join(", "), to.join(", "));
    let rows = batch.rows;
    let last_of = descending.join(", ");
    format!(
        "do $oak$\ndeclare\n{declared}begin\n    \
         select {list} into {into_from} from {owner} where {name} is null order by {list} limit 1;\n    \
         while found loop\n        \
         select {list} into {into_to} from (\n            \
         select {list} from {owner} where {key} >= {first} and {name} is null order by {list} limit {rows}\n        \
         ) lot order by {last_of} limit 1;\n        \
         update {owner} set {name} = {value}\n        \
         where {key} >= {first} and {key} <= {end} and {name} is null;\n        \
         commit;\n        \
         select {list} into {into_from} from {owner} where {key} > {end} and {name} is null order by {list} limit 1;\n    \
         end loop;\nend $oak$"
    )
}

/// The new type beside the old one, the columns moved over by their words, the old one gone.
fn remake_enum(swap: &EnumSwap) -> Vec<String> {
    let name = quote_object(&swap.to.name);
    let mut statements = vec![
        format!("alter type {name} rename to {}", quote(&qualified::plain(qualified::base(&swap.temporary)))),
        enum_statement(&swap.to.name, &swap.to.words),
    ];
    let mut tables: Vec<(&String, Vec<Piece>)> = Vec::new();
    for SwappedColumn { table, column, default } in &swap.columns {
        let place = quote(&column.name);
        let mut actions = Vec::new();
        let mut action = |action: &str| actions.push(Piece::Action(format!("alter column {place} {action}")));
        if column.default.is_some() {
            action("drop default");
        }
        let array = if column.ty.text().ends_with("[]") { "[]" } else { "" };
        let mut words = format!("{place}::text{array}");
        if array.is_empty() && !swap.replaced.is_empty() {
            let pairs = swap.replaced.iter();
            let whens = pairs.map(|(old, new)| format!(" when {} then {}", literal(old), literal(new)));
            words = format!("(case {words}{} else {words} end)", whens.collect::<String>());
        }
        for (old, new) in swap.replaced.iter().filter(|_| !array.is_empty()) {
            words = format!("array_replace({words}, {}, {})", literal(old), literal(new));
        }
        action(&format!("set data type {name}{array} using {words}::{name}{array}"));
        if let Some(default) = default {
            action(&format!("set default {}", default_value(default)));
        }
        match tables.last_mut().filter(|(last, _)| *last == table) {
            Some((_, pieces)) => pieces.extend(actions),
            None => tables.push((table, actions)),
        }
    }
    statements.extend(tables.into_iter().flat_map(|(table, pieces)| alter_with(table, pieces)));
    statements.push(format!("drop type {}", quote_object(&swap.temporary)));
    if let Some(text) = &swap.to.comment {
        statements.push(comment_on(&format!("type {name}"), Some(text)));
    }
    statements
}
