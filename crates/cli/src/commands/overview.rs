//! `oak` alone: one screen with where the project stands, and the next command to type.

use hollow_oak_core::diff::{Renames, describe, diff_renamed};
use hollow_oak_core::plural::plural;
use serde_json::json;

use super::diff::counted;
use super::status::{headline, is_synced};
use crate::args::Global;
use crate::exit::Exit;
use crate::failure::{Result, shown_path};
use crate::output::{Output, danger, dim, strong};
use crate::project::{Project, find_folder};
use crate::target::{self, condition};

/// What to type next, and why.
struct Next(&'static str, &'static str);

/// Says where the project stands.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    if find_folder(global)?.is_none() {
        if global.json {
            output.json(&json!({ "project": null }));
            return Ok(Exit::Done);
        }
        output.line("There is no project in this folder or above it.");
        output.next("oak init", "starts one here; `oak demo` shows the journey on sample data");
        return Ok(Exit::Done);
    }
    let project = Project::open(global)?;
    let declared = project.declared()?;
    let history = project.history()?;
    let errors = declared.errors();
    let tables = declared.resolution.schema.as_ref().map_or(0, |schema| schema.tables().len());
    let mut next = None;

    let declarations = if errors > 0 {
        next = Some(Next("oak check", "shows each error at its line"));
        danger(format_args!("{} in {}", plural("error", errors), plural("file", declared.files)))
    } else {
        format!("{} in {}", plural("table", tables), plural("file", declared.files))
    };
    let mut undrafted = None;
    if errors == 0 && history.faults().is_empty() {
        let mut changes = 0;
        for (dialect, schema) in declared.lowered.iter() {
            let (declared_before, before) = project.both_after(history.newest(), *dialect)?;
            let renames = match (&declared_before, &declared.resolution.schema) {
                (Some(before), Some(after)) => Renames::between(before, after),
                _ => Renames::default(),
            };
            let reports = describe(&diff_renamed(&before, schema, &renames, |name| dialect.quote(name)));
            if !reports.is_empty() && changes == 0 {
                undrafted = Some(counted(&reports));
            }
            changes += reports.len();
        }
        if undrafted.is_some() {
            next = Some(Next("oak draft TITLE", "writes a migration for what changed"));
        }
    }
    let stands = target::choose(Some(&project), global).and_then(|target| {
        let database = target.open()?;
        let state = condition(&project, &history, &target, &*database)?;
        let pending = state.standing.pending.len();
        let synced = is_synced(&history, &state).is_some();
        Ok((headline(&history, &state, &target), pending, synced))
    });
    if errors == 0 && matches!(stands, Ok((_, _, true))) {
        next = Some(Next("oak sync", "shows what differs from the declarations, and brings the target in line"));
    }
    if next.is_none() {
        next = Some(match &stands {
            Err(_) => Next("oak doctor", "says what is wrong with the target"),
            Ok((_, 0, _)) => Next("oak diff live declared", "compares the target with the declarations"),
            Ok(_) => Next("oak apply", "brings the target up"),
        });
    }
    if global.json {
        output.json(&json!({
            "project": project.settings.name,
            "folder": shown_path(&project.folder),
            "errors": errors,
            "tables": tables,
            "undrafted": undrafted,
            "migrations": history.migrations().iter().map(|one| &one.folder).collect::<Vec<_>>(),
            "pending": stands.as_ref().ok().map(|(_, pending, _)| pending),
            "next": next.as_ref().map(|next| next.0),
        }));
        return Ok(Exit::Done);
    }
    let folder = Some(shown_path(&project.folder)).filter(|path| path != ".");
    let folder = folder.map(|path| format!("  {}", dim(path))).unwrap_or_default();
    output.line(format_args!("{}{folder}\n", strong(&project.settings.name)));
    output.line(format_args!("  declared   {declarations}"));
    let newest = history.newest().map_or(String::new(), |one| format!(", the newest is {}", one.folder));
    output.line(format_args!("  history    {}{newest}", project.migrations_found(&history)));
    for fault in history.faults() {
        output.line(format_args!("             {}", danger(fault)));
    }
    if let Some(undrafted) = undrafted {
        output.line(format_args!("  undrafted  {undrafted}"));
    }
    match stands {
        Ok((line, ..)) => output.line(format_args!("  target     {line}")),
        Err(failure) => output.line(format_args!("  target     {} {}", danger("not reached:"), failure.message)),
    }
    if let Some(Next(command, why)) = next {
        output.next(command, why);
    }
    Ok(Exit::Done)
}
