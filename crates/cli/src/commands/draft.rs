//! `oak draft`: a migration that holds what changed since the last one.

use std::collections::BTreeMap;

use hollow_oak_core::Schema;
use hollow_oak_core::history::{FORMAT, History, HistoryFault, Record, slug};
use hollow_oak_core::language::is_printed;
use serde_json::json;

use super::drafting::{
    AskedBy, Report, Written, compose, counted, refuse_one_way, refuse_useless, report, schema_of, settle_fills,
    settle_keeping, settle_renames,
};
use crate::args::{DraftArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, done};
use crate::project::Project;
use crate::typed::typed;

/// Writes the migration, or says that nothing changed.
pub fn run(args: &DraftArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let slug = slug(&args.title);
    if slug.is_empty() {
        return Err(Failure::usage(format!("`{}` has no letters or digits to name a folder by", args.title))
            .help("say in a few words what the migration is for: `oak draft \"phone becomes optional\"`"));
    }
    let history = project.history()?;
    refuse_broken_chain(&history)?;
    let declared = match args.empty {
        true => None,
        false => {
            let last = history.newest().map(|newest| project.schema_text_after(newest)).transpose()?;
            let is_last = |schema: &Schema| last.as_deref().is_some_and(|file| is_written(file, schema));
            let (declared, found) = project.valid_declared_beside(is_last)?;
            if found == Some(true) {
                return nothing_changed(&history, global, output);
            }
            Some(declared)
        }
    };
    let wanted = declared.as_ref().map(schema_of).transpose()?;
    let before = history.newest().map(|migration| project.schema_after(migration)).transpose()?.unwrap_or_default();
    let after = wanted.unwrap_or(&before);
    if before.says_the_same(after) && !args.empty {
        return nothing_changed(&history, global, output);
    }
    refuse_useless(&args.decided, &project.settings.dialects)?;
    let mut decisions = args.decided.decisions();
    let command = format!("oak draft {}", typed(&args.title));
    settle_renames(&mut decisions, &before, after, &AskedBy { command: &command, declared: true }, output)?;
    let unfilled = settle_fills(&mut decisions, &before, after, &project.settings.dialects, output)?;
    refuse_one_way(&decisions, &before, after)?;
    settle_keeping(&mut decisions, &before, after, project.settings.keep_dropped)?;
    let id = uuid::Uuid::now_v7().to_string();
    let lowered = declared.as_ref().map_or(&[][..], |declared| &declared.lowered[..]);
    let drafted = compose(&project, &before, after, lowered, &decisions, &id)?;
    let folder = format!("{:04}-{slug}", history.next_number());
    let parents = history.newest().map(|parent| parent.id().to_owned()).into_iter().collect();
    let record = Record {
        format: FORMAT,
        id,
        title: args.title.trim().to_owned(),
        parents,
        replaces: Vec::new(),
        drafted_at: jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        oak_version: env!("CARGO_PKG_VERSION").into(),
        expected: BTreeMap::new(),
        choices: decisions,
        accepted: Vec::new(),
        steps: BTreeMap::new(),
    };
    let path = project.migrations_folder().join(&folder);
    let written =
        Written { migrations: &project.migrations_folder(), folder: &folder, schema: after, drafted: &drafted };
    written.make(record, args.empty)?;
    let counted = if args.empty { None } else { counted(&project, &history, history.newest(), &drafted, global) };
    let told = Report {
        verb: "drafted",
        path: &path,
        folder: &folder,
        drafted: &drafted,
        unfilled: &unfilled,
        counted: counted.as_ref(),
        empty: args.empty,
        absorbed: None,
    };
    report(&told, global, output);
    Ok(Exit::Done)
}

/// Whether the file, apart from its head line, says just this schema. It spares reading what did not change.
fn is_written(file: &str, schema: &Schema) -> bool {
    file.split_once("\n\n").is_some_and(|(_, body)| is_printed(body, schema))
}

/// A draft needs one migration to follow.
fn refuse_broken_chain(history: &History) -> Result<()> {
    let Some(fault) = history.faults().first() else { return Ok(()) };
    let message = match fault {
        HistoryFault::Fork { .. } => format!("the history is forked: {fault}"),
        _ => format!("the history is broken: {fault}"),
    };
    Err(Failure::new(message).help(fault.help()))
}

fn nothing_changed(history: &History, global: &Global, output: &mut Output) -> Result<Exit> {
    let since = history.newest().map(|one| one.folder.clone());
    if global.json {
        output.json(&json!({ "drafted": null, "since": since }));
    } else {
        let since = since.map_or("nothing is declared".to_owned(), |folder| format!("nothing changed since {folder}"));
        output.line(format_args!("{} {since}; no migration written", done("up to date:")));
    }
    Ok(Exit::Done)
}
