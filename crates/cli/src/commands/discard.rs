//! `oak discard`: remove the newest draft, as if it had never been.

use hollow_oak_core::history::{History, Migration};
use hollow_oak_core::script::Direction;
use serde_json::json;

use super::running::confirm;
use crate::args::Global;
use crate::exit::Exit;
use crate::failure::{Failure, Result, shown_path};
use crate::output::{Output, danger, done};
use crate::project::Project;
use crate::target;
use crate::typed::typed;

/// Removes the newest migration's folder, unless a target has it applied.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let Some(newest) = history.newest() else {
        return Err(Failure::new(format!("there is no draft to discard: {}", project.migrations_found(&history))));
    };
    let unasked = refuse_applied(&project, &history, newest, "oak discard", output)?;
    if has_own_sql(&project, newest)?
        && !confirm(&format!("{} holds SQL written by hand; remove it?", newest.folder), global, output)?
    {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    let folder = project.migration_folder(newest);
    std::fs::remove_dir_all(&folder).map_err(|error| Failure::file("remove", &folder, &error))?;
    if global.json {
        output.json(&json!({ "discarded": newest.folder, "not_asked": unasked }));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} {}", done("discarded"), shown_path(&folder)));
    if !unasked.is_empty() {
        output.line(format_args!("if {} has it applied, `oak status` there will say so", unasked.join(" or ")));
    }
    output.next("oak diff", "shows what is undrafted now");
    Ok(Exit::Done)
}

/// Refuses where a target has the migration applied; warns of the targets that do not answer, and returns their names.
pub(super) fn refuse_applied(
    project: &Project,
    history: &History,
    migration: &Migration,
    command: &str,
    output: &mut Output,
) -> Result<Vec<String>> {
    let mut unasked = Vec::new();
    for name in project.settings.targets.keys() {
        match has_applied(project, history, migration, name) {
            Ok(false) => {}
            Ok(true) => {
                return Err(Failure::new(format!("{} is applied to target {name}", migration.folder))
                    .help(format!("revert it there first: `oak revert --target {}`; then `{command}`", typed(name))));
            }
            Err(failure) => {
                let why = failure.message;
                output.complain(format_args!("{} target {name} could not be asked: {why}", danger("warning:")));
                unasked.push(name.clone());
            }
        }
    }
    Ok(unasked)
}

fn has_applied(project: &Project, history: &History, newest: &Migration, name: &str) -> Result<bool> {
    let database = target::named(project, name)?.open()?;
    let journal = target::journal(project, history, &*database)?;
    Ok(journal.get(newest.id()).is_some())
}

fn has_own_sql(project: &Project, migration: &Migration) -> Result<bool> {
    for dialect in &project.settings.dialects {
        for direction in [Direction::Up, Direction::Down] {
            let script = project.script(migration, *dialect, direction).and_then(|file| file.parse(*dialect));
            // What cannot be read was certainly not generated.
            if script.map_or(true, |script| script.has_own_sql()) {
                return Ok(true);
            }
        }
    }
    Ok(false)
}
