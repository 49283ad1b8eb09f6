//! `oak doctor`: what is wrong with configuration and targets, and how to mend it.

use hollow_oak_core::plural::plural;
use hollow_oak_database::Hindrance;
use serde_json::{Value, json};

use crate::args::Global;
use crate::exit::Exit;
use crate::failure::{Failure, Result, shown_path};
use crate::output::{Output, accent, danger, dim, done};
use crate::project::Project;
use crate::settings::FILE;
use crate::target;

/// One thing that was looked at.
struct Finding {
    what: String,
    result: Result<String>,
}

/// Looks at everything, and fails where anything is wrong.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let mut findings =
        vec![Finding { what: "configuration".into(), result: Ok(shown_path(&project.folder.join(FILE))) }];
    findings.push(Finding { what: "declarations".into(), result: declarations(&project) });
    findings.push(Finding { what: "migrations".into(), result: migrations(&project) });
    for name in project.settings.targets.keys() {
        findings.push(Finding { what: format!("target {name}"), result: ask(&project, name) });
    }
    if project.settings.targets.is_empty() {
        let result = Err(Failure::new("none is configured")
            .help("add `[targets.dev]` with `url = \"sqlite:app.db\"` to hollow-oak.toml"));
        findings.push(Finding { what: "targets".into(), result });
    }
    let wrong = findings.iter().filter(|finding| finding.result.is_err()).count();
    if global.json {
        let all: Vec<_> = findings.iter().map(as_json).collect();
        output.json(&json!({ "oak": env!("CARGO_PKG_VERSION"), "wrong": wrong, "findings": all }));
    } else {
        show(&findings, wrong, output);
    }
    Ok(if wrong == 0 { Exit::Done } else { Exit::Failed })
}

fn show(findings: &[Finding], wrong: usize, output: &mut Output) {
    match wrong {
        0 => output.line(format_args!("{} oak {}", done("all is well:"), env!("CARGO_PKG_VERSION"))),
        _ => output.line(format_args!("{} to mend; oak {}", danger(plural("thing", wrong)), env!("CARGO_PKG_VERSION"))),
    }
    output.line("");
    let width = findings.iter().map(|finding| finding.what.chars().count()).max().unwrap_or(0);
    for finding in findings {
        let what = format!("{:<width$}", finding.what);
        match &finding.result {
            Ok(words) => output.line(format_args!("  {}  {what}  {}", done("ok   "), dim(words))),
            Err(failure) => {
                output.line(format_args!("  {}  {what}  {}", danger("wrong"), failure.message));
                for detail in &failure.details {
                    output.line(format_args!("         {:width$}  {detail}", ""));
                }
                if let Some(help) = &failure.help {
                    output.line(format_args!("         {:width$}  {} {help}", "", accent("help:")));
                }
            }
        }
    }
}

fn as_json(finding: &Finding) -> Value {
    match &finding.result {
        Ok(words) => json!({ "what": finding.what, "ok": true, "says": words }),
        Err(failure) => json!({ "what": finding.what, "ok": false, "says": failure.message, "help": failure.help }),
    }
}

fn declarations(project: &Project) -> Result<String> {
    let declared = project.declared()?;
    let errors = declared.errors();
    if errors > 0 {
        return Err(Failure::new(plural("error", errors)).help("`oak check` shows each at its line"));
    }
    let tables = declared.resolution.schema.as_ref().map_or(0, |schema| schema.tables().len());
    Ok(format!("{} in {}", plural("table", tables), plural("file", declared.files)))
}

fn migrations(project: &Project) -> Result<String> {
    let history = project.history()?;
    match history.faults().first() {
        Some(fault) => Err(Failure::new(fault.to_string()).help(fault.help())),
        None => Ok(project.migrations_found(&history)),
    }
}

fn ask(project: &Project, name: &str) -> Result<String> {
    let target = target::named(project, name)?;
    let database = target.open()?;
    let server = database.server()?;
    let mut hindrances = database.hindrances()?;
    // Sessions are told apart by the server; a pooler gives the same one to both of ours.
    let another = target.open()?;
    let (one, other) = (database.session()?, another.session()?);
    if one.is_some() && one == other {
        hindrances.push(Hindrance::Pooler);
    }
    if let Some(first) = hindrances.first() {
        let failure = Failure::new(format!("{}, {}: {first}", target.url, server.version));
        let rest = hindrances.iter().skip(1);
        let failure = rest.fold(failure, |failure, one| failure.detail(format!("{one}; {}", one.help())));
        return Err(failure.help(first.help()));
    }
    let history = project.history()?;
    let journal = target::journal(project, &history, &*database)?;
    let there = if server.exists {
        plural("applied migration", journal.applied.len())
    } else {
        "the database is not there yet; apply makes it".into()
    };
    Ok(format!("{}, {}: {there}", target.url, server.version))
}
