//! What a migration's steps would leave behind broken, on a server that does not follow a rename into SQL of the user's own.

use hollow_oak_core::physical::{ObjectKind, Program, Schema};
use hollow_oak_core::schema::ProgramKind;
use hollow_oak_core::script::Script;
use hollow_oak_core::sql::{Lexer, Syntax, TokenKind, unquote};

use crate::run::Dependent;

/// A name that is not there any more after a step.
struct Gone {
    table: String,
    /// Nothing where the table itself is renamed.
    column: Option<String>,
}

/// The views and triggers that name what a generated step renames or drops, and that the script does not make again itself
/// (MariaDB, "ALTER TABLE", "ALTER VIEW": their text stays as it is).
pub(super) fn broken(script: &Script, live: &Schema, syntax: Syntax) -> Vec<Dependent> {
    let gone = gone(script, syntax);
    if gone.is_empty() {
        return Vec::new();
    }
    let same = |a: &str, b: &str| live.case().table_key(a) == live.case().table_key(b);
    let is_handled = |program: &Program| {
        let drop = format!("drop-{} ", program.kind.word());
        let mut dropped = script.steps.iter().filter_map(|step| step.object.strip_prefix(&drop));
        dropped.any(|name| same(name, &program.name))
    };
    let mut found = Vec::new();
    let is_text = |one: &&Program| matches!(one.kind, ProgramKind::View | ProgramKind::Trigger);
    for program in live.programs().filter(is_text).filter(|one| !is_handled(one)) {
        // A trigger goes along with its table's new name, and only its body is text.
        let names = |gone: &&Gone| match (&gone.column, &program.table) {
            (Some(column), Some(table)) => {
                (same(table, &gone.table) || program.mentions(&gone.table)) && program.mentions(column)
            }
            (Some(column), None) => program.mentions(&gone.table) && program.mentions(column),
            (None, Some(table)) => !same(table, &gone.table) && program.mentions(&gone.table),
            (None, None) => program.mentions(&gone.table),
        };
        if let Some(gone) = gone.iter().find(names) {
            let kind = if program.kind == ProgramKind::View { ObjectKind::View } else { ObjectKind::Trigger };
            let what = gone.column.as_ref().map_or(gone.table.clone(), |column| format!("{}.{column}", gone.table));
            found.push(Dependent { kind, name: program.name.clone(), table: what, sql: program.create.clone() });
        }
    }
    found
}

/// What the script's generated renames and drops take away.
fn gone(script: &Script, syntax: Syntax) -> Vec<Gone> {
    let mut gone = Vec::new();
    // Tables by the names that they have by now, and had at first.
    let mut former: Vec<(String, String)> = Vec::new();
    let at_first = |former: &[(String, String)], name: &str| {
        former.iter().find(|(now, _)| now == name).map_or(name.to_owned(), |(_, first)| first.clone())
    };
    let goes = |gone: &mut Vec<Gone>, former: &[(String, String)], table: &str, old: &str| {
        if !old.starts_with("oak_rename_") {
            gone.push(Gone { table: at_first(former, table), column: Some(old.to_owned()) });
        }
    };
    // The same column made anew; another one that gets its name would be read in its place.
    let comes_back = |gone: &mut Vec<Gone>, table: &str, new: &str| {
        gone.retain(|one| one.table != table || one.column.as_deref() != Some(new));
    };
    for step in script.steps.iter().filter(|step| step.is_as_generated()) {
        for statement in &step.statements {
            let words = names(&statement.sql, syntax);
            let words: Vec<&str> = words.iter().map(String::as_str).collect();
            match words[..] {
                ["rename", "table", old, "to", new] => {
                    let first = at_first(&former, old);
                    former.retain(|(now, _)| now != old);
                    if !old.starts_with("oak_rename_") {
                        gone.push(Gone { table: first.clone(), column: None });
                    }
                    former.push((new.to_owned(), first));
                }
                ["alter", "table", table, "rename", "column", old, "to", new, ..] if old.starts_with("oak_new_") => {
                    comes_back(&mut gone, table, new);
                }
                // On MySQL, what reads the column is said behind that.
                ["alter", "table", table, "rename", "column", old, "to", _, ..]
                | ["alter", "table", table, "drop", "column", old] => goes(&mut gone, &former, table, old),
                ["alter", "table", table, "add", "column", new, ..] => comes_back(&mut gone, table, new),
                _ => {}
            }
        }
    }
    gone
}

/// Every name and word of a statement.
fn names(sql: &str, syntax: Syntax) -> Vec<String> {
    Lexer::new(sql, 0, syntax)
        .filter(|token| matches!(token.kind, TokenKind::Word | TokenKind::Quoted))
        .map(|token| unquote(token.span.text(sql)))
        .collect()
}
