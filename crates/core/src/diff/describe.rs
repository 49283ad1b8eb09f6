//! Differences in words: verb, thing, old and new value. The cli lays them out; JSON carries them as they are.

use std::borrow::Cow;

use serde::Serialize;

use super::changes::{Change, Changes, ItemChange, TableAlteration, TableChange};
use super::rows::RowChanges;
use crate::language::dedented;
use crate::physical::{
    Check, Column, EnumType, ForeignKey, Index, IndexKey, KeyColumn, Options, PrimaryKey, Program, Table, Unique,
};
use crate::plural::plural;
use crate::schema::{Deferrable, Identity, NullsOrder, Storage};
use crate::sql::in_parentheses;

/// What happens to a thing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Verb {
    /// It is made.
    Add,
    /// It goes.
    Drop,
    /// It changes.
    Alter,
    /// It gets another name.
    Rename,
}

impl Verb {
    /// The word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Add => "add",
            Self::Drop => "drop",
            Self::Alter => "alter",
            Self::Rename => "rename",
        }
    }
}

/// One difference.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Line {
    /// What happens.
    pub verb: Verb,
    /// The kind of thing: `table`, `column`, `primary key`, `unique`, `foreign key`, `check`, `index`, `options`,
    /// `comment`, `enum`, `view`, `trigger`, `routine`, `row`, or `rows` where they are only counted.
    pub kind: &'static str,
    /// Its name; the new one where it is renamed. Empty for a constraint without one.
    pub name: String,
    /// What it is (for add and drop), or what changes.
    pub details: Vec<Detail>,
}

/// An old value, a new value, or both. What a view, trigger, routine or other object is has the lines that it was written
/// in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Detail {
    /// What the values are of; empty for a whole definition.
    pub aspect: &'static str,
    /// The value on the left side.
    pub old: Option<String>,
    /// The value on the right side.
    pub new: Option<String>,
}

/// The differences of one table.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct TableReport {
    /// What it is of: `table`, `enum`, or the kind of a view, trigger, routine or other object.
    pub kind: &'static str,
    /// The name of the table, enum type, view, trigger or routine; the new one where it is renamed.
    pub table: String,
    /// What differs, the table itself first.
    pub lines: Vec<Line>,
}

/// Puts changes into words.
pub fn describe(changes: &Changes) -> Vec<TableReport> {
    let enums = changes.enums.iter().map(enumeration);
    let tables = changes.tables.iter().map(|change| match change {
        TableChange::Add(table) => TableReport { kind: TABLE, table: table.name.clone(), lines: added(table) },
        TableChange::Drop(table) => TableReport { kind: TABLE, table: table.name.clone(), lines: vec![dropped(table)] },
        TableChange::Alter(alteration) => altered(alteration),
    });
    let mut reports: Vec<TableReport> = enums.chain(tables).collect();
    for change in &changes.rows {
        let lines = row_lines(change);
        match reports.iter_mut().find(|report| report.table == change.table) {
            Some(report) => report.lines.extend(lines),
            None => reports.push(TableReport { kind: TABLE, table: change.table.clone(), lines }),
        }
    }
    reports.extend(changes.programs.iter().map(program));
    reports
}

const TABLE: &str = "table";

/// More rows than this are counted and not listed.
const ROWS: usize = 12;

fn row_lines(change: &RowChanges) -> Vec<Line> {
    let mut lines = Vec::new();
    let places: Vec<_> =
        change.key.iter().filter_map(|name| change.columns.iter().position(|column| column == name)).collect();
    let line = |verb, name: String, details| Line { verb, kind: "row", name, details };
    let counted = |verb, count: usize| {
        let detail = Detail { aspect: "", old: None, new: Some(plural("row", count)) };
        Line { verb, kind: "rows", name: String::new(), details: vec![detail] }
    };
    if change.deleted.len() > ROWS {
        lines.push(counted(Verb::Drop, change.deleted.len()));
    } else {
        lines.extend(change.deleted.iter().map(|key| line(Verb::Drop, key.join(", "), Vec::new())));
    }
    if change.updated.len() > ROWS {
        lines.push(counted(Verb::Alter, change.updated.len()));
    } else {
        lines.extend(change.updated.iter().map(|row| {
            let details = row.changes.iter().map(|(name, old, new)| Detail {
                aspect: "",
                old: old.as_ref().map(|old| format!("{name} {old}")),
                new: Some(if old.is_some() { new.clone() } else { format!("{name} {new}") }),
            });
            line(Verb::Alter, row.key.join(", "), details.collect())
        }));
    }
    if change.inserted.len() > ROWS {
        lines.push(counted(Verb::Add, change.inserted.len()));
    } else {
        lines.extend(change.inserted.iter().map(|row| {
            let key: Vec<_> = places.iter().filter_map(|at| row.get(*at)).map(String::as_str).collect();
            let rest = row.iter().enumerate().filter(|(at, _)| !places.contains(at));
            let rest: Vec<_> = rest.map(|(_, value)| value.as_str()).collect();
            let details = vec![Detail { aspect: "", old: None, new: Some(rest.join(", ")) }];
            line(Verb::Add, key.join(", "), details)
        }));
    }
    lines
}

fn program(change: &Change<Program>) -> TableReport {
    let text = |one: &Program| dedented(one.body.text());
    let line = match change {
        Change::Alter { from, to } | Change::Rename { from, to } => {
            let mut details = Vec::new();
            if from.body != to.body {
                details.push(Detail { aspect: "", old: Some(text(from)), new: Some(text(to)) });
            }
            if from.comment != to.comment {
                let (old, new) = (comment_text(&from.comment), comment_text(&to.comment));
                details.push(Detail { aspect: "comment", old: Some(old), new: Some(new) });
            }
            Line { verb: Verb::Alter, kind: to.known_word(), name: to.name.clone(), details }
        }
        Change::Add(one) => whole(Verb::Add, one.known_word(), &one.name, text(one)),
        Change::Drop(one) => whole(Verb::Drop, one.known_word(), &one.name, text(one)),
    };
    TableReport { kind: line.kind, table: line.name.clone(), lines: vec![line] }
}

fn enumeration(change: &Change<EnumType>) -> TableReport {
    let words = |one: &EnumType| one.words.join(", ");
    let line = match change {
        Change::Alter { from, to } | Change::Rename { from, to } => {
            let mut details = Vec::new();
            if from.words != to.words {
                details.push(Detail { aspect: "words", old: Some(words(from)), new: Some(words(to)) });
            }
            if from.comment != to.comment {
                let (old, new) = (comment_text(&from.comment), comment_text(&to.comment));
                details.push(Detail { aspect: "comment", old: Some(old), new: Some(new) });
            }
            Line { verb: Verb::Alter, kind: "enum", name: to.name.clone(), details }
        }
        Change::Add(one) => whole(Verb::Add, "enum", &one.name, words(one)),
        Change::Drop(one) => whole(Verb::Drop, "enum", &one.name, words(one)),
    };
    TableReport { kind: line.kind, table: line.name.clone(), lines: vec![line] }
}

fn whole(verb: Verb, kind: &'static str, name: &str, text: String) -> Line {
    let detail = match verb {
        Verb::Drop => Detail { aspect: "", old: Some(text), new: None },
        _ => Detail { aspect: "", old: None, new: Some(text) },
    };
    Line { verb, kind, name: name.to_owned(), details: vec![detail] }
}

fn size(table: &Table) -> String {
    let mut parts = vec![plural("column", table.columns.len())];
    if !table.indexes.is_empty() {
        parts.push(plural("index", table.indexes.len()));
    }
    if !table.foreign_keys.is_empty() {
        parts.push(plural("reference", table.foreign_keys.len()));
    }
    parts.join(", ")
}

fn added(table: &Table) -> Vec<Line> {
    let mut lines = vec![whole(Verb::Add, "table", &table.name, size(table))];
    let name = |name: &Option<String>| name.clone().unwrap_or_default();
    lines.extend(table.columns.iter().map(|one| whole(Verb::Add, "column", &one.name, column_text(one))));
    lines.extend(
        table.primary_key.iter().map(|one| whole(Verb::Add, "primary key", &name(&one.name), primary_key_text(one))),
    );
    lines.extend(table.uniques.iter().map(|one| whole(Verb::Add, "unique", &name(&one.name), unique_text(one))));
    lines.extend(
        table.foreign_keys.iter().map(|one| whole(Verb::Add, "foreign key", &name(&one.name), foreign_key_text(one))),
    );
    lines.extend(table.checks.iter().map(|one| whole(Verb::Add, "check", &name(&one.name), check_text(one))));
    lines.extend(table.indexes.iter().map(|one| whole(Verb::Add, "index", &one.name, index_text(one))));
    if !table.options.is_empty() {
        lines.push(whole(Verb::Add, "options", "", list(&table.options)));
    }
    lines
}

fn dropped(table: &Table) -> Line {
    whole(Verb::Drop, "table", &table.name, size(table))
}

fn altered(alteration: &TableAlteration) -> TableReport {
    let mut lines = Vec::new();
    if alteration.from.name != alteration.to.name {
        lines.push(renamed("table", &alteration.from.name, &alteration.to.name));
    }
    lines.extend(alteration.items.iter().map(item));
    TableReport { kind: TABLE, table: alteration.to.name.clone(), lines }
}

fn renamed(kind: &'static str, from: &str, to: &str) -> Line {
    let detail = Detail { aspect: "name", old: Some(shown_name(from)), new: Some(shown_name(to)) };
    Line { verb: Verb::Rename, kind, name: to.to_owned(), details: vec![detail] }
}

fn shown_name(name: &str) -> String {
    if name.is_empty() { "(no name)".into() } else { name.into() }
}

fn item(change: &ItemChange) -> Line {
    match change {
        ItemChange::Column(Change::Alter { from, to }) => {
            Line { verb: Verb::Alter, kind: "column", name: to.name.clone(), details: column_details(from, to) }
        }
        ItemChange::Column(change) => thing("column", change, |one| one.name.clone(), column_text),
        ItemChange::PrimaryKey(change) => {
            thing("primary key", change, |one| one.name.clone().unwrap_or_default(), primary_key_text)
        }
        ItemChange::Unique(change) => thing("unique", change, |one| one.name.clone().unwrap_or_default(), unique_text),
        ItemChange::ForeignKey(change) => {
            thing("foreign key", change, |one| one.name.clone().unwrap_or_default(), foreign_key_text)
        }
        ItemChange::Check(change) => thing("check", change, |one| one.name.clone().unwrap_or_default(), check_text),
        ItemChange::Index(change) => thing("index", change, |one| one.name.clone(), index_text),
        ItemChange::Comment { from, to } => Line {
            verb: Verb::Alter,
            kind: "comment",
            name: String::new(),
            details: vec![Detail { aspect: "", old: Some(comment_text(from)), new: Some(comment_text(to)) }],
        },
        ItemChange::Options { from, to } => Line {
            verb: Verb::Alter,
            kind: "options",
            name: String::new(),
            details: vec![Detail { aspect: "", old: Some(list(from)), new: Some(list(to)) }],
        },
    }
}

fn thing<T>(kind: &'static str, change: &Change<T>, name: impl Fn(&T) -> String, text: impl Fn(&T) -> String) -> Line {
    match change {
        Change::Add(one) => whole(Verb::Add, kind, &name(one), text(one)),
        Change::Drop(one) => whole(Verb::Drop, kind, &name(one), text(one)),
        Change::Rename { from, to } => renamed(kind, &name(from), &name(to)),
        Change::Alter { from, to } => {
            let mut details = Vec::new();
            if name(from) != name(to) {
                details.push(Detail {
                    aspect: "name",
                    old: Some(shown_name(&name(from))),
                    new: Some(shown_name(&name(to))),
                });
            }
            details.push(Detail { aspect: "", old: Some(text(from)), new: Some(text(to)) });
            Line { verb: Verb::Alter, kind, name: name(to), details }
        }
    }
}

fn comment_text(comment: &Option<String>) -> String {
    comment.as_ref().map_or("none".into(), |text| format!("\"{text}\""))
}

fn identity_text(identity: &Identity) -> String {
    let mut text = String::from(if identity.always { "identity always" } else { "identity" });
    if let Some(from) = identity.from {
        text.push_str(&format!(" from {from}"));
    }
    if let Some(by) = identity.by {
        text.push_str(&format!(" by {by}"));
    }
    text
}

fn list(words: &Options) -> String {
    if words.is_empty() {
        return "none".into();
    }
    let words: Vec<_> = words.iter().map(String::as_str).collect();
    words.join(", ")
}

/// The type as declared where both sides were, else as stored.
fn types(from: &Column, to: &Column) -> (String, String) {
    match (&from.declared_type.0, &to.declared_type.0) {
        (Some(old), Some(new)) if old != new => (old.clone(), new.clone()),
        _ => (from.ty.text().to_owned(), to.ty.text().to_owned()),
    }
}

fn column_details(from: &Column, to: &Column) -> Vec<Detail> {
    let mut details = Vec::new();
    let mut detail = |aspect, old: String, new: String| {
        if old != new {
            details.push(Detail { aspect, old: Some(old), new: Some(new) });
        }
    };
    if from.ty != to.ty {
        let (old, new) = types(from, to);
        detail("type", old, new);
    }
    let nullability = |column: &Column| if column.nullable { "null" } else { "not null" }.to_owned();
    detail("nullability", nullability(from), nullability(to));
    let default =
        |column: &Column| column.default.as_ref().map_or("none".to_owned(), |value| value.as_declared().to_owned());
    if from.default != to.default {
        detail("default", default(from), default(to));
    }
    let generated = |column: &Column| column.generated.as_deref().map_or("no".to_owned(), generated_text);
    if from.generated != to.generated {
        detail("generated", generated(from), generated(to));
    }
    let collation = |column: &Column| column.collation.clone().unwrap_or_else(|| "default".into());
    detail("collation", collation(from), collation(to));
    let identity = |column: &Column| column.identity.as_deref().map_or("no".to_owned(), identity_text);
    detail("identity", identity(from), identity(to));
    detail("comment", comment_text(&from.comment), comment_text(&to.comment));
    detail("attributes", list(&from.attributes), list(&to.attributes));
    details
}

fn generated_text(generated: &crate::physical::Generated) -> String {
    let storage = match generated.storage {
        Storage::Stored => "stored",
        Storage::Virtual => "virtual",
    };
    format!("{} {storage}", in_parentheses(generated.expression.as_declared()))
}

/// A column's definition in one line of words.
pub fn column_text(column: &Column) -> String {
    let ty = column.declared_type.0.as_deref().unwrap_or(column.ty.text());
    let mut words = vec![if ty.is_empty() { "no type".to_owned() } else { ty.to_owned() }];
    if column.nullable {
        words.push("null".into());
    }
    if let Some(default) = &column.default {
        words.push(format!("default {}", default.as_declared()));
    }
    if let Some(generated) = &column.generated {
        words.push(format!("generated {}", generated_text(generated)));
    }
    if let Some(collation) = &column.collation {
        words.push(format!("collate {collation}"));
    }
    words.extend(column.identity.as_deref().map(identity_text));
    words.extend(column.attributes.iter().cloned());
    words.join(", ")
}

fn key_columns(columns: &[KeyColumn]) -> String {
    let words: Vec<_> = columns
        .iter()
        .map(|column| {
            let collation = column.collation.as_ref().map(|name| format!(" collate {name}")).unwrap_or_default();
            format!("{}{collation}{}", column.name, if column.descending { " desc" } else { "" })
        })
        .collect();
    format!("({})", words.join(", "))
}

fn with_attributes(text: String, attributes: &Options) -> String {
    attributes.iter().fold(text, |text, attribute| format!("{text}, {attribute}"))
}

fn primary_key_text(key: &PrimaryKey) -> String {
    with_attributes(key_columns(&key.columns), &key.attributes)
}

fn unique_text(unique: &Unique) -> String {
    with_attributes(key_columns(&unique.columns), &unique.attributes)
}

fn foreign_key_text(key: &ForeignKey) -> String {
    let mut text = format!(
        "({}) references {} ({}), on delete {}, on update {}",
        key.columns.join(", "),
        key.referenced_table,
        key.referenced_columns.join(", "),
        key.on_delete,
        key.on_update
    );
    if key.deferrable != Deferrable::No {
        text.push_str(&format!(", {}", key.deferrable));
    }
    with_attributes(text, &key.attributes)
}

fn check_text(check: &Check) -> String {
    with_attributes(in_parentheses(check.expression.as_declared()), &check.attributes)
}

fn index_text(index: &Index) -> String {
    let parts: Vec<_> = index
        .parts
        .iter()
        .map(|part| {
            let key = match &part.key {
                IndexKey::Column(name) => name.clone(),
                IndexKey::Expression(expression) => in_parentheses(expression.as_declared()),
            };
            let collation = part.collation.as_ref().map(|name| format!(" collate {name}")).unwrap_or_default();
            let prefix = part.prefix.map(|length| format!(" prefix({length})")).unwrap_or_default();
            let operators = part.operators.as_ref().map(|name| format!(" operators {name}")).unwrap_or_default();
            let nulls = match part.nulls {
                None => "",
                Some(NullsOrder::First) => " nulls first",
                Some(NullsOrder::Last) => " nulls last",
            };
            format!("{key}{prefix}{collation}{operators}{}{nulls}", if part.descending { " desc" } else { "" })
        })
        .collect();
    let unique = if index.unique { "unique " } else { "" };
    let predicate = index.predicate.as_ref().map(|one| format!(" where {}", in_parentheses(one.as_declared())));
    let including = match index.including.is_empty() {
        true => String::new(),
        false => format!(" including ({})", index.including.join(", ")),
    };
    let method = index.method.as_ref().map(|method| format!(" using {method}")).unwrap_or_default();
    let text = format!("{unique}({}){including}{method}{}", parts.join(", "), predicate.unwrap_or_default());
    with_attributes(text, &index.attributes)
}

/// A text of several lines as one.
pub fn in_one_line(text: &str) -> Cow<'_, str> {
    match text.contains('\n') {
        true => text.split_whitespace().collect::<Vec<_>>().join(" ").into(),
        false => text.into(),
    }
}

impl std::fmt::Display for Line {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(formatter, "{} {}", self.verb.word(), self.kind)?;
        if !self.name.is_empty() {
            write!(formatter, " {}", self.name)?;
        }
        let mut separator = ": ";
        for detail in &self.details {
            formatter.write_str(separator)?;
            separator = "; ";
            if !detail.aspect.is_empty() {
                write!(formatter, "{} ", detail.aspect)?;
            }
            match (&detail.old, &detail.new) {
                (Some(old), Some(new)) => write!(formatter, "{} → {}", in_one_line(old), in_one_line(new))?,
                (Some(only), None) | (None, Some(only)) => formatter.write_str(&in_one_line(only))?,
                (None, None) => {}
            }
        }
        Ok(())
    }
}
