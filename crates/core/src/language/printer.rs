//! Syntax trees in the one standard form.
//!
//! Four spaces; columns aligned at the type; clauses in a fixed order; items in the order columns, primary key, unique,
//! foreign key, check, index. Comments and single blank lines stay with what they stand before. Printing what was parsed
//! from printed text gives the same text.

use super::declare::declarations;
use super::sugar;
use super::syntax::{
    Clause, ClauseKind, Column, Declaration, DeclarationKind, Enum, EnumWord, File, ForeignKey, Index, IndexPart, Item,
    ItemKind, Key, Name, PartKey, Program, Rows, Table, Trivia,
};
use crate::schema::{Deferrable, Exclusion, Form, Identifier, NullsOrder, Schema, Scope, Storage, Type, Value};
use crate::sql::in_parentheses;

const INDENT: &str = "    ";

/// An enum on one line is at most this wide, in characters.
const ENUM_WIDTH: usize = 100;

/// Lays a file out in standard form.
pub fn print(file: &File) -> String {
    let mut text = String::new();
    for (at, declaration) in file.declarations.iter().enumerate() {
        if at > 0 {
            text.push('\n');
        }
        leading(&mut text, "", &declaration.leading, true);
        declaration_text(&mut text, declaration);
    }
    let tail = trimmed(&file.tail);
    if !tail.is_empty() {
        if !file.declarations.is_empty() {
            text.push('\n');
        }
        leading(&mut text, "", tail, true);
    }
    text
}

/// Whether a text is just what is printed of a schema. Neither its tree nor its print is ever there as a whole.
pub fn is_printed(text: &str, schema: &Schema) -> bool {
    let mut rest = text;
    let mut next = String::new();
    for (at, declaration) in declarations(schema).enumerate() {
        next.clear();
        if at > 0 {
            next.push('\n');
        }
        declaration_text(&mut next, &declaration);
        match rest.strip_prefix(&*next) {
            Some(after) => rest = after,
            None => return false,
        }
    }
    rest.is_empty()
}

/// Trivia without blank lines at either end.
fn trimmed(trivia: &[Trivia]) -> &[Trivia] {
    let is_comment = |one: &Trivia| matches!(one, Trivia::Comment(_));
    let start = trivia.iter().position(is_comment).unwrap_or(trivia.len());
    let end = trivia.iter().rposition(is_comment).map_or(start, |at| at + 1);
    &trivia[start..end]
}

/// Comments before an item; a blank line at the very beginning only where the item is not the first of its section.
fn leading(text: &mut String, indent: &str, trivia: &[Trivia], first: bool) {
    let start = trivia.iter().position(|one| !first || *one != Trivia::Blank).unwrap_or(trivia.len());
    for one in &trivia[start..] {
        match one {
            Trivia::Blank => text.push('\n'),
            Trivia::Comment(comment) => {
                for line in comment.lines() {
                    text.push_str(&format!("{indent}{line}\n"));
                }
            }
        }
    }
}

fn end_line(text: &mut String, comment: Option<&String>) {
    if let Some(comment) = comment {
        text.push_str("  ");
        text.push_str(comment);
    }
    text.push('\n');
}

fn declaration_text(text: &mut String, declaration: &Declaration) {
    match &declaration.kind {
        DeclarationKind::Table(table) => table_text(text, table),
        DeclarationKind::Enum(owner) => enum_text(text, owner),
        DeclarationKind::Program(program) => program_text(text, program),
        DeclarationKind::Rows(rows) => rows_text(text, rows),
    }
    end_line(text, declaration.comment.as_ref());
}

fn program_text(text: &mut String, program: &Program) {
    let (body, drop) = (&program.body.value, program.drop.as_ref().map(|drop| drop.value.as_str()));
    let word = program.word.as_ref().map(|word| word.value.as_str());
    let short = match program.form.as_deref() {
        Some(form) => Some(form_text(&program.name, form)),
        None => word.and_then(|word| {
            let rest = sugar::shortened(word, &program.name.value, body, drop)?;
            Some(format!("{word} {}{rest}", name(&program.name)))
        }),
    };
    if let Some(short) = short {
        text.push_str(&short);
        text.push_str(&after_text(program));
        if let Some(about) = &program.about {
            text.push_str(&format!(", about {}", description(about)));
        }
        if program.scope != Scope::All {
            text.push_str(&format!(" {}", program.scope));
        }
        return;
    }
    let word = word.map(|word| format!(" {}", quoted(word))).unwrap_or_default();
    text.push_str(&format!("{}{word} {}", program.kind.word(), name(&program.name)));
    if let Some(table) = &program.table {
        text.push_str(&format!(" on {}", name(table)));
    }
    text.push_str(&format!(" {}", fence(&program.body.value)));
    if let Some(drop) = &program.drop {
        text.push_str(&format!(" drop {}", fence(&drop.value)));
    }
    text.push_str(&after_text(program));
    if let Some(about) = &program.about {
        text.push_str(&format!(", about {}", description(about)));
    }
    if program.scope != Scope::All {
        text.push_str(&format!(" {}", program.scope));
    }
}

fn after_text(program: &Program) -> String {
    if program.after.is_empty() { String::new() } else { format!(" after {}", names(&program.after)) }
}

fn form_text(program_name: &Name, form: &Form) -> String {
    match form {
        Form::Domain(domain) => {
            let ty = match &domain.native {
                Some(native) => format!("native {}", quoted(native)),
                None => domain.ty.to_string(),
            };
            let checks = domain.checks.iter().map(|(check, expression)| {
                let named = check.as_ref().map(|check| format!("{} ", check.declared())).unwrap_or_default();
                format!(", check {named}{}", in_parentheses(expression))
            });
            format!("domain {} {ty}{}", name(program_name), checks.collect::<String>())
        }
        Form::Grant(grant) => {
            let kind = if grant.on_sequence { "sequence " } else { "" };
            let option = if grant.with_option { " with grant option" } else { "" };
            let (privileges, target) = (grant.privileges.join(", "), grant.target.declared());
            format!("grant {privileges} on {kind}{target} to {}{option}", grant.role.declared())
        }
        Form::Exclusion(exclusion) => exclusion_text(exclusion),
    }
}

fn exclusion_text(exclusion: &Exclusion) -> String {
    let named = exclusion.name.as_ref().map(|one| format!("{} ", one.declared())).unwrap_or_default();
    let predicate = exclusion.predicate.as_ref().map(|one| format!(" where {}", in_parentheses(one)));
    let parts = in_parentheses(&exclusion.parts);
    format!("exclude {named}using {} {parts}{}", exclusion.method.declared(), predicate.unwrap_or_default())
}

/// Rows with their values below each other.
fn rows_text(text: &mut String, rows: &Rows) {
    text.push_str(&format!("rows {} by ({}) {{\n", name(&rows.table), names(&rows.key)));
    let head: Vec<String> = rows.columns.iter().map(name).collect();
    let cells: Vec<Vec<String>> =
        rows.rows.iter().map(|row| row.values.iter().map(|value| value_text(&value.value)).collect()).collect();
    let width = |at: usize| {
        let column = std::iter::once(&head).chain(&cells).filter_map(|line| line.get(at));
        column.filter(|cell| !cell.contains('\n')).map(|cell| cell.chars().count()).max().unwrap_or(0)
    };
    let widths: Vec<usize> = (0..head.len()).map(width).collect();
    let line = |text: &mut String, cells: &[String], comment: Option<&String>| {
        text.push_str(INDENT);
        for (at, cell) in cells.iter().enumerate() {
            let is_last = at + 1 == cells.len();
            let missing = widths.get(at).map_or(0, |width| width.saturating_sub(cell.chars().count()));
            text.push_str(cell);
            if !is_last {
                text.push_str(&format!("{} | ", " ".repeat(missing)));
            }
        }
        end_line(text, comment);
    };
    if !head.is_empty() {
        line(text, &head, rows.comment.as_ref());
    }
    for (at, (row, cells)) in rows.rows.iter().zip(&cells).enumerate() {
        leading(text, INDENT, &row.leading, at == 0);
        line(text, cells, row.comment.as_ref());
    }
    leading(text, INDENT, trimmed(&rows.tail), true);
    text.push('}');
    if rows.scope != Scope::All {
        text.push_str(&format!(" {}", rows.scope));
    }
}

/// SQL between more backticks than it has in a row itself.
fn fence(sql: &str) -> String {
    let longest = sql.split(|character| character != '`').map(str::len).max().unwrap_or(0);
    let marks = "`".repeat(longest.max(2) + 1);
    let lines: Vec<String> =
        sql.split('\n').map(|line| if line.is_empty() { String::new() } else { format!("{INDENT}{line}") }).collect();
    format!("{marks}\n{}\n{marks}", lines.join("\n"))
}

fn enum_text(text: &mut String, owner: &Enum) {
    let about = owner.about.as_ref().map(|about| format!(", about {}", description(about))).unwrap_or_default();
    let words: Vec<_> = owner.words.iter().map(enum_word).collect();
    let commented = |word: &EnumWord| !word.leading.is_empty() || word.comment.is_some();
    let line = format!("enum {} {{ {} }}", name(&owner.name), words.join(", "));
    let fits = line.chars().count() <= ENUM_WIDTH;
    if fits && owner.tail.is_empty() && !owner.words.iter().any(commented) {
        text.push_str(&line);
        text.push_str(&about);
        return;
    }
    text.push_str(&format!("enum {} {{\n", name(&owner.name)));
    for (word, shown) in owner.words.iter().zip(&words) {
        for comment in &word.leading {
            text.push_str(&format!("{INDENT}{comment}\n"));
        }
        text.push_str(&format!("{INDENT}{shown},"));
        end_line(text, word.comment.as_ref());
    }
    for comment in &owner.tail {
        text.push_str(&format!("{INDENT}{comment}\n"));
    }
    text.push_str(&format!("}}{about}"));
}

fn enum_word(word: &EnumWord) -> String {
    let formerly = word.formerly.as_ref().map(|old| format!(" formerly {}", word_text(&old.value)));
    format!("{}{}", word_text(&word.word.value), formerly.unwrap_or_default())
}

/// An enum's word: bare where it can be, else a text.
fn word_text(word: &Identifier) -> String {
    const KEYWORDS: [&str; 7] = ["true", "false", "null", "now", "today", "new", "formerly"];
    if word.is_bare() && !KEYWORDS.contains(&word.as_str()) { word.to_string() } else { literal(word.as_str()) }
}

fn table_text(text: &mut String, table: &Table) {
    text.push_str(&format!("table {} {{", name(&table.name)));
    end_line(text, table.comment.as_ref());
    let mut items: Vec<&Item> = table.items.iter().collect();
    items.sort_by_key(|item| rank(&item.kind));
    let width = items.iter().filter_map(|item| column_width(&item.kind)).max().unwrap_or(0);
    let mut section = None;
    for item in items {
        let this = section_of(&item.kind);
        let first = section != Some(this);
        if first && section.is_some() {
            text.push('\n');
        }
        section = Some(this);
        item_text(text, item, width, first);
    }
    let tail = trimmed(&table.tail);
    if !tail.is_empty() {
        if table.tail.first() == Some(&Trivia::Blank) && section.is_some() {
            text.push('\n');
        }
        leading(text, INDENT, tail, true);
    }
    text.push('}');
    if table.scope != Scope::All {
        text.push(' ');
        text.push_str(&table.scope.to_string());
    }
}

fn rank(kind: &ItemKind) -> u8 {
    match kind {
        ItemKind::About(_) => 0,
        ItemKind::Formerly(_) => 1,
        ItemKind::Option(_) | ItemKind::Partition(_) => 2,
        ItemKind::Column(_) => 3,
        ItemKind::PrimaryKey(_) => 4,
        ItemKind::Unique(_) => 5,
        ItemKind::ForeignKey(_) => 6,
        ItemKind::Check(_) => 7,
        ItemKind::Exclude(_) => 8,
        ItemKind::Index(_) => 9,
    }
}

fn section_of(kind: &ItemKind) -> u8 {
    match rank(kind) {
        0..=2 => 0,
        3 => 1,
        _ => 2,
    }
}

fn column_width(kind: &ItemKind) -> Option<usize> {
    match kind {
        ItemKind::Column(column) => Some(name(&column.name).chars().count()),
        _ => None,
    }
}

fn item_text(text: &mut String, item: &Item, width: usize, first: bool) {
    leading(text, INDENT, &item.leading, first);
    let scope = match (item.scope, &item.kind) {
        (Scope::All, _) => String::new(),
        (scope, ItemKind::Option(_) | ItemKind::Partition(_)) => format!(" {scope}"),
        (scope, _) => format!(", {scope}"),
    };
    let body = match &item.kind {
        ItemKind::Column(column) => {
            column_text(text, column, width, &scope, item.comment.as_ref());
            return;
        }
        ItemKind::PrimaryKey(key) => format!("primary key {}", key_text(key)),
        ItemKind::Unique(key) => format!("unique {}", key_text(key)),
        ItemKind::ForeignKey(key) => foreign_key_text(key),
        ItemKind::Check(check) => {
            format!("check {}{}", optional(check.name.as_ref()), in_parentheses(&check.expression.value))
        }
        ItemKind::Index(index) => index_text(index),
        ItemKind::About(about) => format!("about {}", description(&about.value)),
        ItemKind::Formerly(old) => format!("formerly {}", name(old)),
        ItemKind::Option(option) => format!("option {}", quoted(&option.value)),
        ItemKind::Partition(how) => format!("partition by {}", how.value),
        ItemKind::Exclude(exclusion) => exclusion_text(exclusion),
    };
    text.push_str(INDENT);
    text.push_str(&body);
    for (option, scope) in &item.options {
        text.push_str(&format!(", option {}", quoted(&option.value)));
        if *scope != Scope::All {
            text.push_str(&format!(" {}", scope));
        }
    }
    text.push_str(&scope);
    end_line(text, item.comment.as_ref());
}

fn key_text(key: &Key) -> String {
    let nulls = if key.nulls_equal { ", nulls equal" } else { "" };
    format!("{}({}){nulls}", optional(key.name.as_ref()), names(&key.columns))
}

fn foreign_key_text(key: &ForeignKey) -> String {
    let mut text =
        format!("foreign key {}({}) references {}", optional(key.name.as_ref()), names(&key.columns), name(&key.table));
    if !key.referenced.is_empty() {
        text.push_str(&format!(" ({})", names(&key.referenced)));
    }
    if let Some(action) = key.on_delete {
        text.push_str(&format!(" on delete {action}"));
    }
    if let Some(action) = key.on_update {
        text.push_str(&format!(" on update {action}"));
    }
    if let Some(deferrable) = key.deferrable {
        text.push_str(&format!(" {}", deferrable_text(deferrable)));
    }
    if key.indexed {
        text.push_str(" indexed");
    }
    text
}

fn deferrable_text(deferrable: Deferrable) -> &'static str {
    match deferrable {
        Deferrable::InitiallyDeferred => "deferrable initially deferred",
        Deferrable::InitiallyImmediate | Deferrable::No => "deferrable",
    }
}

fn index_text(index: &Index) -> String {
    let unique = if index.unique { "unique " } else { "" };
    let parts: Vec<_> = index.parts.iter().map(part_text).collect();
    let mut text = format!("{unique}index {}({})", optional(index.name.as_ref()), parts.join(", "));
    if let Some(predicate) = &index.predicate {
        text.push_str(&format!(" where {}", in_parentheses(&predicate.value)));
    }
    if !index.including.is_empty() {
        text.push_str(&format!(" including ({})", names(&index.including)));
    }
    if let Some(method) = &index.method {
        text.push_str(&format!(" using {}", name(method)));
    }
    text
}

fn part_text(part: &IndexPart) -> String {
    let mut text = match &part.key {
        PartKey::Column(column) => identifier(column),
        PartKey::Expression(expression) => in_parentheses(expression),
    };
    if let Some(length) = part.prefix {
        text.push_str(&format!(" prefix({length})"));
    }
    if let Some(collate) = &part.collate {
        text.push_str(&format!(" collate {}", quoted(collate)));
    }
    if let Some(operators) = &part.operators {
        text.push_str(&format!(" operators {}", quoted(operators)));
    }
    if part.descending {
        text.push_str(" desc");
    }
    match part.nulls {
        Some(NullsOrder::First) => text.push_str(" nulls first"),
        Some(NullsOrder::Last) => text.push_str(" nulls last"),
        None => {}
    }
    text
}

fn column_text(text: &mut String, column: &Column, width: usize, scope: &str, comment: Option<&String>) {
    let mut clauses: Vec<&Clause> = column.clauses.iter().collect();
    clauses.sort_by_key(|clause| clause_rank(&clause.kind));
    let ty = column.ty.as_ref().map(|ty| &ty.value);
    let in_type_position = match ty {
        None => clauses.iter().position(|clause| matches!(clause.kind, ClauseKind::References(_))),
        Some(Type::Native) => clauses.iter().position(|clause| matches!(clause.kind, ClauseKind::Native(_))),
        Some(_) => None,
    };
    if let Some(at) = in_type_position {
        let clause = clauses.remove(at);
        clauses.insert(0, clause);
    }
    // A comment behind what is now the last clause is the line's own, or goes before the column.
    let mut comment = comment;
    if let Some(last) = clauses.last().and_then(|clause| clause.comment.as_ref()) {
        match comment {
            None if !last.contains('\n') => comment = Some(last),
            _ => leading(text, INDENT, &[Trivia::Comment(last.clone())], true),
        }
    }
    let shown = name(&column.name);
    let padding = " ".repeat(width + 2 - shown.chars().count());
    text.push_str(&format!("{INDENT}{shown}:{}", &padding[1..]));
    text.push(' ');
    let mut separator = "";
    if let (Some(ty), None) = (ty, in_type_position) {
        text.push_str(&ty.to_string());
        separator = ", ";
    }
    let count = clauses.len();
    for (at, clause) in clauses.iter().enumerate() {
        text.push_str(separator);
        text.push_str(&clause_text(&clause.kind));
        if clause.scope != Scope::All {
            text.push_str(&format!(" {}", clause.scope));
        }
        separator = ", ";
        if let (Some(comment), true) = (&clause.comment, at + 1 < count) {
            let mut lines = comment.lines();
            text.push_str(&format!("  {}\n", lines.next().unwrap_or_default()));
            for line in lines {
                text.push_str(&format!("{INDENT}{INDENT}{line}\n"));
            }
            text.push_str(&format!("{INDENT}{INDENT}"));
        }
    }
    text.push_str(scope);
    end_line(text, comment);
}

fn clause_rank(kind: &ClauseKind) -> u8 {
    match kind {
        ClauseKind::Null => 1,
        ClauseKind::Identity { .. } => 2,
        ClauseKind::PrimaryKey => 3,
        ClauseKind::Unique => 4,
        ClauseKind::References(_) => 5,
        ClauseKind::Named(_) => 6,
        ClauseKind::OnDelete(_) => 7,
        ClauseKind::OnUpdate(_) => 8,
        ClauseKind::Deferrable(_) => 9,
        ClauseKind::Indexed => 10,
        ClauseKind::Default(_) => 11,
        ClauseKind::Generated { .. } => 12,
        ClauseKind::OnUpdateNow => 13,
        ClauseKind::Check(_) => 14,
        ClauseKind::Collate(_) => 15,
        ClauseKind::Native(_) => 16,
        ClauseKind::Option(_) => 17,
        ClauseKind::Formerly(_) => 18,
        ClauseKind::About(_) => 19,
    }
}

fn clause_text(kind: &ClauseKind) -> String {
    match kind {
        ClauseKind::Null => "null".into(),
        ClauseKind::Identity { always, from, by } => {
            let always = if *always { " always" } else { "" };
            let from = from.map(|first| format!(" from {first}")).unwrap_or_default();
            let by = by.map(|step| format!(" by {step}")).unwrap_or_default();
            format!("identity{always}{from}{by}")
        }
        ClauseKind::PrimaryKey => "primary key".into(),
        ClauseKind::Unique => "unique".into(),
        ClauseKind::References(to) => {
            let column = to.column.as_ref().map(|column| format!("({})", name(column))).unwrap_or_default();
            format!("references {}{column}", name(&to.table))
        }
        ClauseKind::Named(constraint) => format!("named {}", name(constraint)),
        ClauseKind::OnDelete(action) => format!("on delete {action}"),
        ClauseKind::OnUpdate(action) => format!("on update {action}"),
        ClauseKind::Deferrable(deferrable) => deferrable_text(*deferrable).into(),
        ClauseKind::Indexed => "indexed".into(),
        ClauseKind::Default(value) => format!("default {}", value_text(&value.value)),
        ClauseKind::Generated { expression, storage } => {
            let storage = match storage {
                Storage::Stored => "",
                Storage::Virtual => "virtual ",
            };
            format!("generated {storage}{}", in_parentheses(&expression.value))
        }
        ClauseKind::OnUpdateNow => "on update now".into(),
        ClauseKind::Check(expression) => format!("check {}", in_parentheses(&expression.value)),
        ClauseKind::Collate(collation) => format!("collate {}", quoted(collation)),
        ClauseKind::Native(ty) => format!("native {}", quoted(ty)),
        ClauseKind::Option(option) => format!("option {}", quoted(option)),
        ClauseKind::Formerly(old) => format!("formerly {}", name(old)),
        ClauseKind::About(about) => format!("about {}", description(about)),
    }
}

fn value_text(value: &Value) -> String {
    match value {
        Value::Number(text) => text.clone(),
        Value::Text(text) => literal(text),
        Value::Bytes(digits) => format!("x'{digits}'"),
        Value::Bool(truth) => truth.to_string(),
        Value::Null => "null".into(),
        Value::Now => "now".into(),
        Value::Today => "today".into(),
        Value::NewUuid => "new uuid".into(),
        Value::Word(word) => word_text(word),
        Value::Expression(text) => in_parentheses(text),
    }
}

fn name(name: &Name) -> String {
    identifier(&name.value)
}

fn identifier(identifier: &Identifier) -> String {
    identifier.declared()
}

fn names(names: &[Name]) -> String {
    let names: Vec<_> = names.iter().map(name).collect();
    names.join(", ")
}

/// A constraint's name and a space; `unique "index" (…)` is not a unique index.
fn optional(constraint: Option<&Name>) -> String {
    match constraint {
        None => String::new(),
        Some(named) if named.value.as_str() == "index" => "\"index\" ".into(),
        Some(named) => format!("{} ", name(named)),
    }
}

/// A description; one of several lines has each in quotes of its own.
fn description(text: &str) -> String {
    if !text.contains('\n') {
        return quoted(text);
    }
    let lines: Vec<String> = text.split('\n').map(|line| format!("{INDENT}{INDENT}{}", quoted(line))).collect();
    format!("(\n{}\n{INDENT})", lines.join(",\n"))
}

fn quoted(text: &str) -> String {
    format!("\"{}\"", text.replace('"', "\"\""))
}

fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::parse;

    #[track_caller]
    fn formatted(source: &str) -> String {
        let (file, mistakes) = parse(source);
        assert_eq!(mistakes, [], "{source}");
        let once = print(&file);
        let (again, mistakes) = parse(&once);
        assert_eq!(mistakes, [], "{once}");
        assert_eq!(print(&again), once);
        once
    }

    #[test]
    fn items_and_clauses_come_in_order_and_comments_stay() {
        let source = "\n\n# the keepers\n\n# really\ntable keeper{ # members\n\n  check (a>0)\n # who\n  full_name: text(120) , unique,null # name\n\n\n  id:int64,identity,\n primary key (id)\n  a: int32 # one\n , default 1 # two\n , null\n # end\n}\n# tail\n";
        insta::assert_snapshot!(formatted(source), @r"
        # the keepers

        # really
        table keeper {  # members
            # who
            full_name:  text(120), null, unique  # name

            id:         int64, identity
            # one
            a:          int32, null, default 1  # two

            primary key (id)

            check (a>0)
            # end
        }

        # tail
        ");
    }

    #[test]
    fn every_form_is_printed() {
        let source = r#"
enum temper { calm, watchful, 'easily upset', 'null' }, about "how it is"
enum note { # what
    a, # first
    # before b
    b
    # last
}
table "Order Line" {
    about "a ""quoted"" word"
    option "strict" for sqlite
    shape: native "geometry" for postgres, native "BLOB" for sqlite, null, except mysql, mariadb
    t: temper, default 'easily upset'
    key_id: references hive(id) on delete set null, on update cascade, deferrable initially deferred, indexed, named k, null
    net: decimal(6, 2), generated virtual (a - b -- half
      )
    tags: text[], for postgres
    unique (a, b), nulls equal
    foreign key two (a, b) references other (c, d) on delete cascade deferrable
    unique index any_case ((lower(code)) desc nulls last, "Code" prefix(10) collate "nocase") where (a > 1) including (x) using btree, for postgres, sqlite
    "index": "text", default x'00FF'
} except mysql
view v ```
  select 1
```
rows kind by (code) {
  code | label
  'a'  | 'b)'
}
trigger touch on hive ```
 create
``` for sqlite
drop ```
 drop
```
"#;
        insta::assert_snapshot!(formatted(source));
    }
}
