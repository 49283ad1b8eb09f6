//! `oak kept`: values and rows that migrations put aside before they dropped them.

use hollow_oak_core::history::{Applied, KEPT_PREFIX, kept_tail};
use hollow_oak_core::plural::plural;
use hollow_oak_database::KeptTable;
use serde_json::json;

use super::running::confirm;
use crate::args::{Global, KeptCommand, PurgeArgs};
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::{Output, dim, done, strong};
use crate::project::Project;
use crate::target::{self, Target};

/// A table with what was put aside, and the migration that did it.
struct Found {
    table: KeptTable,
    /// None where no applied migration of the project did: it was interrupted, or reverted with another script.
    by: Option<Applied>,
    /// Its folder, where it is there, else its title.
    label: String,
}

/// Lists or drops what was put aside.
pub fn run(command: &KeptCommand, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let target = target::choose(Some(&project), global)?;
    let found = find(&project, &target)?;
    match command {
        KeptCommand::List => list(&found, &target, global, output),
        KeptCommand::Purge(args) => purge(args, found, &target, global, output),
    }
}

fn find(project: &Project, target: &Target) -> Result<Vec<Found>> {
    let history = project.history()?;
    let database = target.open()?;
    let journal = target::journal(project, &history, &*database)?;
    let found = database.kept()?.into_iter().map(|table| {
        let tail = table.name.strip_prefix(KEPT_PREFIX).and_then(|rest| rest.get(..8)).unwrap_or_default();
        let by = journal.applied.iter().find(|one| kept_tail(&one.migration) == tail).cloned();
        let folder = by.as_ref().and_then(|by| history.position(&by.migration));
        let label = match (folder, &by) {
            (Some(at), _) => history.migrations()[at].folder.clone(),
            (None, Some(by)) => format!("\"{}\"", by.title),
            (None, None) => "no applied migration".to_owned(),
        };
        Found { table, by, label }
    });
    Ok(found.collect())
}

fn list(found: &[Found], target: &Target, global: &Global, output: &mut Output) -> Result<Exit> {
    if global.json {
        let kept: Vec<_> = found.iter().map(as_json).collect();
        output.json(&json!({ "target": target.name, "kept": kept }));
        return Ok(Exit::Done);
    }
    if found.is_empty() {
        output.line(format_args!("nothing is kept on {}", target.name));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} on {}\n", strong(plural("kept table", found.len())), target.name));
    show(found, output);
    output.next("oak kept purge --before DATE", "drops what nobody will bring back");
    Ok(Exit::Done)
}

fn show(found: &[Found], output: &mut Output) {
    let width = found.iter().map(|one| one.table.name.len()).max().unwrap_or_default();
    for one in found {
        let since = one.by.as_ref().map(|by| format!(", since {}", by.at.get(..10).unwrap_or(&by.at)));
        let rows = plural("row", usize::try_from(one.table.rows).unwrap_or(usize::MAX));
        output.line(format_args!(
            "  {:width$}  {rows}  {}",
            one.table.name,
            dim(format_args!("by {}{}", one.label, since.unwrap_or_default()))
        ));
    }
}

fn as_json(one: &Found) -> serde_json::Value {
    json!({
        "table": one.table.name,
        "rows": one.table.rows,
        "migration": one.label,
        "since": one.by.as_ref().map(|by| &by.at),
    })
}

fn purge(args: &PurgeArgs, found: Vec<Found>, target: &Target, global: &Global, output: &mut Output) -> Result<Exit> {
    let day = args.before.to_string();
    // The journal's moments are UTC and begin with the day, so that their texts are in the order of time.
    let is_old = |one: &Found| one.by.as_ref().is_some_and(|by| by.at.as_str() < day.as_str());
    let old: Vec<Found> = found.into_iter().filter(is_old).collect();
    if old.is_empty() {
        if global.json {
            output.json(&json!({ "target": target.name, "purged": [] }));
        } else {
            output.line(format_args!("nothing that was kept on {} before {day}", target.name));
        }
        return Ok(Exit::Done);
    }
    if !global.json {
        output.line(format_args!("{} on {}, kept before {day}\n", strong(plural("table", old.len())), target.name));
        show(&old, output);
        output.line("");
    }
    if !confirm(&format!("drop {}? down cannot bring it back then", plural("table", old.len())), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    let names: Vec<_> = old.iter().map(|one| one.table.name.clone()).collect();
    target.open()?.drop_kept(&names)?;
    if global.json {
        output.json(&json!({ "target": target.name, "purged": names }));
    } else {
        output.line(format_args!("{} {} on {}", done("dropped"), plural("table", names.len()), target.name));
    }
    Ok(Exit::Done)
}
