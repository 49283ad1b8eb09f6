//! `oak check`: what is wrong with the declarations, for every provider of the project.

use hollow_oak_core::plural::plural;
use serde_json::json;

use crate::args::Global;
use crate::diagnostics::draw;
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::{Output, danger, done};
use crate::project::Project;

/// Draws every mistake; fails where one is an error.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let declared = project.declared()?;
    let history = project.history()?;
    let errors = declared.errors() + history.faults().len();
    let warnings = declared.resolution.diagnostics.len() - declared.errors();
    let tables = declared.resolution.schema.as_ref().map_or(0, |schema| schema.tables().len());
    let exit = if errors == 0 { Exit::Done } else { Exit::Failed };
    if global.json {
        let told: Vec<_> = declared
            .resolution
            .diagnostics
            .iter()
            .map(|one| {
                json!({
                    "severity": if one.is_error() { "error" } else { "warning" },
                    "message": one.message,
                    "position": one.position(&declared.sources),
                    "help": one.help,
                })
            })
            .collect();
        let faults: Vec<_> = history.faults().iter().map(ToString::to_string).collect();
        output.json(&json!({ "errors": errors, "warnings": warnings, "tables": tables, "diagnostics": told, "history": faults }));
        return Ok(exit);
    }
    for diagnostic in &declared.resolution.diagnostics {
        output.complain(format_args!("{}\n", draw(diagnostic, &declared.sources, output.width)));
    }
    for fault in history.faults() {
        output.complain(format_args!("{} {fault}\n help: {}\n", danger("error:"), fault.help()));
    }
    let count = project.declaration_files()?.len();
    let files = plural("file", count);
    let mut words = Vec::new();
    if errors > 0 {
        words.push(plural("error", errors));
    }
    if warnings > 0 {
        words.push(plural("warning", warnings));
    }
    if errors > 0 {
        output.line(format_args!("{} in {files}", danger(words.join(", "))));
        return Ok(exit);
    }
    let aside = if words.is_empty() { String::new() } else { format!(", {}", words.join(", ")) };
    output.line(format_args!("{} {} in {files}{aside}", done("no errors:"), plural("table", tables)));
    if count == 0 {
        let folders: Vec<_> = project.settings.declarations.iter().map(|path| path.display().to_string()).collect();
        output.line(format_args!("there is no .oak file and no .sql file in {}", folders.join(", ")));
    }
    Ok(exit)
}
