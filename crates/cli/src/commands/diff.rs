//! `oak diff`: what differs between two sides.

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::{Changes, Renames, TableReport, Verb, describe, diff_renamed};
use hollow_oak_core::history::History;
use hollow_oak_core::physical::{Schema, Unmanaged};
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::write_plain;
use hollow_oak_database::Confirmed;
use serde_json::{Value, json};

use super::reports::print_reports;
use crate::args::{DiffArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, dim, done, strong};
use crate::project::{Project, find_folder};
use crate::side::{Held, Side, Sides};
use crate::target::confirm;

/// What was compared for one dialect.
struct Compared {
    dialect: Dialect,
    left: Schema,
    right: Schema,
    renames: Renames,
    changes: Changes,
}

/// Compares the two sides.
pub fn run(args: &DiffArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = match find_folder(global)? {
        Some(_) => Some(Project::open(global)?),
        None => None,
    };
    let (left, right) = (Side::parse(&args.left)?, Side::parse(&args.right)?);
    let history = project.as_ref().map_or(Ok(History::default()), Project::history)?;
    let sides = Sides { project: project.as_ref(), history: &history, global };
    let mut compared = Vec::new();
    let mut unmanaged: Vec<Unmanaged> = Vec::new();
    let mut labels = (String::new(), String::new());
    let mut unasked = None;
    for dialect in sides.dialects([&left, &right])? {
        let (mut from, mut to) = sides.both([&left, &right], dialect)?;
        unmanaged.extend(std::mem::take(&mut from.unmanaged));
        unmanaged.extend(std::mem::take(&mut to.unmanaged));
        // Without a project nobody manages anything, and everything is compared.
        if let Some(project) = &project {
            let aside = Aside { project, history: &history, dialect };
            match (left.is_live(), right.is_live()) {
                (true, false) => unmanaged.extend(aside.set(&mut from, &to.schema)?),
                (false, true) => unmanaged.extend(aside.set(&mut to, &from.schema)?),
                _ => {}
            }
        }
        let confirmed = match (&from.database, &to.database) {
            (Some(database), None) => confirm(&**database, &mut from.schema, &to.schema, &mut unmanaged)?,
            (None, Some(database)) => confirm(&**database, &mut to.schema, &from.schema, &mut unmanaged)?,
            _ => Confirmed::default(),
        };
        unasked = unasked.or(confirmed.unasked);
        with_live_rows(&mut from, &to)?;
        with_live_rows(&mut to, &from)?;
        let renames = sides.renames(&from, &to)?;
        let changes = diff_renamed(&from.schema, &to.schema, &renames, |name| dialect.quote(name));
        // As below: what is read of a large side is not taken apart.
        std::mem::forget((from.declared.take(), to.declared.take()));
        labels = (from.label, to.label);
        compared.push(Compared { dialect, left: from.schema, right: to.schema, renames, changes });
    }
    unmanaged.sort();
    let differs = compared.iter().any(|one| !one.changes.is_empty());
    if args.sql {
        statements(&compared, output);
    } else if global.json {
        output.json(&as_json(&compared, &unmanaged, &labels, unasked.as_deref()));
    } else {
        show_all(&compared, &labels, output);
        show_unasked(unasked.as_deref(), output);
        if !unmanaged.is_empty() {
            output.line("");
            show_unmanaged(&unmanaged, output);
        }
        let default = left == Side::History && right == Side::Declared;
        if differs && default {
            output.next("oak draft TITLE", "writes a migration for this");
        }
    }
    // The process is about to end, and taking two large schemas apart would be a tenth of its work.
    std::mem::forget(compared);
    Ok(if differs && args.exit_code { Exit::Report } else { Exit::Done })
}

/// What it takes to tell what is unmanaged from what is dropped.
struct Aside<'a> {
    project: &'a Project,
    history: &'a History,
    dialect: Dialect,
}

impl Aside<'_> {
    /// Takes what nobody declares, nor the newest applied migration, out of a live side.
    fn set(&self, live: &mut Held, other: &Schema) -> Result<Vec<Unmanaged>> {
        live.schema = std::mem::take(&mut live.schema).called_as_in(other);
        if live.schema.keys().is_subset(&other.keys()) {
            return Ok(Vec::new());
        }
        let newest = live.newest.map(|at| &self.history.migrations()[at]);
        let applied = self.project.physical_after(newest, self.dialect)?;
        let (managed, aside) = std::mem::take(&mut live.schema).parted(|thing| other.has(thing) || applied.has(thing));
        live.schema = managed;
        Ok(aside)
    }
}

/// Looks which of the other side's reference rows a live side has; rows that nobody declared are the application's.
fn with_live_rows(side: &mut Held, other: &Held) -> Result<()> {
    let Some(database) = &side.database else { return Ok(()) };
    let mut found = Vec::new();
    for set in other.schema.row_sets() {
        let Some(table) = side.schema.table(&set.table) else { continue };
        if set.columns.iter().all(|name| table.column(name).is_some()) {
            found.push(database.find_rows(set)?);
        }
    }
    if !found.is_empty() {
        side.schema = std::mem::take(&mut side.schema).with_rows(found);
    }
    Ok(())
}

fn as_json(compared: &[Compared], unmanaged: &[Unmanaged], labels: &(String, String), unasked: Option<&str>) -> Value {
    let equal = compared.iter().all(|one| one.changes.is_empty());
    let differences: Vec<_> = compared
        .iter()
        .map(|one| json!({ "provider": one.dialect.provider(), "tables": describe(&one.changes) }))
        .collect();
    json!({ "left": labels.0, "right": labels.1, "equal": equal, "differences": differences, "unasked": unasked, "unmanaged": unmanaged })
}

fn statements(compared: &[Compared], output: &mut Output) {
    for one in compared {
        let choices = Choices { renames: one.renames.clone(), ..Choices::default() };
        let plan = plan(one.dialect, &one.left, &one.right, &choices);
        if compared.len() > 1 {
            output.line(format_args!("-- {}", one.dialect.provider()));
        }
        output.text(&write_plain(one.dialect, &plan));
    }
}

/// Shows what differs: once for all providers for which the same does.
fn show_all(compared: &[Compared], labels: &(String, String), output: &mut Output) {
    let mut groups: Vec<(Vec<TableReport>, Vec<&'static str>)> = Vec::new();
    for one in compared {
        let reports = describe(&one.changes);
        let provider = one.dialect.provider().word();
        match groups.iter_mut().find(|(same, _)| *same == reports) {
            Some((_, providers)) => providers.push(provider),
            None => groups.push((reports, vec![provider])),
        }
    }
    let one_for_all = groups.len() == 1;
    for (at, (reports, providers)) in groups.into_iter().enumerate() {
        if at > 0 {
            output.line("");
        }
        let named = if one_for_all { String::new() } else { format!("{}: ", providers.join(", ")) };
        show(&reports, &named, labels, output);
    }
}

fn show(reports: &[TableReport], provider: &str, labels: &(String, String), output: &mut Output) {
    let between = dim(format_args!("{} → {}", labels.0, labels.1));
    if reports.is_empty() {
        output.line(format_args!("{provider}{}  {between}", done("no difference")));
        return;
    }
    output.line(format_args!("{provider}{}  {between}", strong(counted(reports))));
    print_reports(reports, output);
}

/// `2 changes in 1 table, 1 view`
pub fn counted(reports: &[TableReport]) -> String {
    let changes = reports.iter().map(changes_of).sum();
    let mut owners: Vec<(&str, usize)> = Vec::new();
    for report in reports {
        match owners.iter_mut().find(|(kind, _)| *kind == report.kind) {
            Some((_, count)) => *count += 1,
            None => owners.push((report.kind, 1)),
        }
    }
    let owners: Vec<String> = owners.into_iter().map(|(owner, count)| plural(owner, count)).collect();
    format!("{} in {}", plural("change", changes), owners.join(", "))
}

/// A table that is added counts as one change, whatever is in it.
fn changes_of(report: &TableReport) -> usize {
    match report.lines.first() {
        Some(first) if first.kind == "table" && first.verb == Verb::Add => 1,
        _ => report.lines.len(),
    }
}

/// Says that some of the differences may be none, and why that is not known.
pub fn show_unasked(unasked: Option<&str>, output: &mut Output) {
    if let Some(why) = unasked {
        let what = "some of this may be the same in the server's own words, which it could not be asked for:";
        output.line(format_args!("\n{}\n  {why}", dim(what)));
    }
}

/// Names what nobody declared.
pub fn show_unmanaged(unmanaged: &[Unmanaged], output: &mut Output) {
    output.line(format_args!("{} {}", dim("unmanaged, left alone:"), named(unmanaged)));
}

/// Objects by kind, name and table, in one line.
pub fn named(objects: &[Unmanaged]) -> String {
    let names: Vec<_> = objects
        .iter()
        .map(|one| {
            let table = one.table.as_ref().map(|table| format!(" on {table}")).unwrap_or_default();
            let name = if one.name.is_empty() { "\"\"" } else { &one.name };
            format!("{} {name}{table}", one.kind)
        })
        .collect();
    names.join(", ")
}

/// A failure that lists differences.
pub fn with_differences(mut failure: Failure, changes: &Changes) -> Failure {
    for report in describe(changes) {
        for line in report.lines {
            failure = failure.detail(format!("{}: {line}", report.table));
        }
    }
    failure
}
