//! `oak format`: declaration files in the one standard form.

use std::path::PathBuf;

use hollow_oak_core::language::{Diagnostic, Source, parse, print};
use hollow_oak_core::plural::plural;
use serde_json::json;

use crate::args::{FormatArgs, Global};
use crate::diagnostics::draw;
use crate::exit::Exit;
use crate::failure::{Failure, Result, read_file, shown_path, write_file};
use crate::line_ends::LineEnds;
use crate::output::{Output, done};
use crate::project::{Project, oak_files};
use crate::sql_files::is_sql;
use crate::typed::typed;

/// Rewrites the files that are not in standard form, or only names them.
pub fn run(args: &FormatArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let mut files: Vec<PathBuf> = Vec::new();
    if args.files.is_empty() {
        files = Project::open(global)?.declaration_files()?;
        files.retain(|path| !is_sql(path));
    }
    for path in &args.files {
        if !path.exists() {
            return Err(Failure::usage(format!("there is no `{}`", path.display())));
        }
        if is_sql(path) {
            return Err(Failure::usage(format!("`{}` is SQL, and its layout is yours", path.display()))
                .help(format!("`oak adopt --from {}` turns it into .oak", typed(&path.display().to_string()))));
        }
        oak_files(path, &mut files)?;
    }
    let (mut changed, mut unreadable) = (Vec::new(), 0);
    for path in &files {
        let (ends, text) = LineEnds::of(read_file(path)?);
        let (tree, mistakes) = parse(&text);
        if !mistakes.is_empty() {
            unreadable += 1;
            let sources = [Source { name: shown_path(path), text }];
            for mistake in &mistakes {
                let drawn = Diagnostic::in_text(mistake, 0, &sources[0].text);
                output.complain(format_args!("{}\n", draw(&drawn, &sources, output.width)));
            }
            continue;
        }
        let standard = print(&tree);
        if standard == text {
            continue;
        }
        changed.push(shown_path(path));
        if !args.check {
            write_file(path, &ends.in_file(&standard))?;
        }
    }
    if global.json {
        output.json(
            &json!({ "files": files.len(), "changed": changed, "unreadable": unreadable, "written": !args.check }),
        );
    } else {
        report(args, files.len(), &changed, unreadable, output);
    }
    Ok(match (unreadable, args.check && !changed.is_empty()) {
        (0, false) => Exit::Done,
        (0, true) => Exit::Report,
        _ => Exit::Failed,
    })
}

fn report(args: &FormatArgs, files: usize, changed: &[String], unreadable: usize, output: &mut Output) {
    let count = plural("file", changed.len());
    match (changed.is_empty(), args.check) {
        (true, _) if unreadable == 0 => {
            output.line(format_args!("{} {} in standard form", done("nothing to do:"), plural("file", files)))
        }
        (true, _) => {}
        (false, true) => output.line(format_args!("{count} not in standard form")),
        (false, false) => output.line(format_args!("{} {count}", done("formatted"))),
    }
    for path in changed {
        output.line(format_args!("  {path}"));
    }
    if unreadable > 0 {
        output.line(format_args!(
            "{} left as {}, because of the mistakes above",
            plural("file", unreadable),
            if unreadable == 1 { "it is" } else { "they are" }
        ));
    }
    if args.check && !changed.is_empty() {
        output.next("oak format", "lays them out");
    }
}
