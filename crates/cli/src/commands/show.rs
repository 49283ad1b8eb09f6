//! `oak show`: what a target holds now.

use comfy_table::{ContentArrangement, LineStyle, Table as Drawn, TableStyle};
use hollow_oak_core::diff::{Changes, TableChange, describe};
use hollow_oak_core::nearest::nearest;
use hollow_oak_core::physical::{Introspected, ObjectKind, Program, Table, Unmanaged};
use hollow_oak_core::plural::plural;
use hollow_oak_database::{Database, Rows};
use serde_json::json;

use super::diff::named;
use crate::args::{Global, ShowArgs};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, dim, strong};
use crate::project::{Project, find_folder};
use crate::target::{self, Target};

/// Shows all tables, or one with everything in it.
pub fn run(args: &ShowArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = match find_folder(global)? {
        Some(_) if global.url.is_none() => Some(Project::open(global)?),
        _ => None,
    };
    let target = target::choose(project.as_ref(), global)?;
    let database = target.open()?;
    let mut found = database.introspect()?;
    // Whether anybody declared them is no matter here.
    let enums = found.schema.enums().map(|one| Unmanaged {
        kind: ObjectKind::Enum,
        name: one.name.clone(),
        table: None,
        sql: one.words.join(", "),
    });
    let others: Vec<_> = enums.chain(found.schema.programs().map(Program::as_unmanaged)).collect();
    found.unmanaged.extend(others);
    found.unmanaged.sort();
    match &args.table {
        None => all(&found, &target, database.server()?.exists, global, output),
        Some(name) => one(name, args.rows, &found, &*database, global, output)?,
    }
    Ok(Exit::Done)
}

fn all(found: &Introspected, target: &Target, exists: bool, global: &Global, output: &mut Output) {
    if global.json {
        let tables: Vec<_> = found.schema.tables().collect();
        output
            .json(&json!({ "target": target.name, "exists": exists, "tables": tables, "unmanaged": found.unmanaged }));
        return;
    }
    let missing = if exists { "" } else { "; the database is not there yet" };
    let count = plural("table", found.schema.tables().len());
    output.line(format_args!("{}  {}", strong(count), dim(format_args!("{}{missing}", target.described()))));
    if found.schema.tables().len() > 0 {
        output.line("");
    }
    let width = found.schema.tables().map(|table| table.name.chars().count()).max().unwrap_or(0);
    for table in found.schema.tables() {
        let columns: Vec<_> = table.columns.iter().map(|column| column.name.as_str()).collect();
        output.line(format_args!("  {:<width$}  {}", table.name, dim(columns.join(", "))));
    }
    if !found.unmanaged.is_empty() {
        output.line(format_args!("\n{} {}", dim("beside them:"), named(&found.unmanaged)));
    }
}

fn one(
    name: &str,
    rows: Option<u32>,
    found: &Introspected,
    database: &dyn Database,
    global: &Global,
    output: &mut Output,
) -> Result<()> {
    let table = found.schema.table(name);
    let is_other =
        found.unmanaged.iter().any(|object| object.name.eq_ignore_ascii_case(name) && object.table.is_none());
    if table.is_none() && !is_other {
        let known = found.schema.tables().map(|table| table.name.as_str());
        let failure = Failure::new(format!("the database has no table `{name}`"));
        return Err(match nearest(name, known) {
            Some(nearest) => failure.help(format!("did you mean `{nearest}`?")),
            None => failure.help("`oak show` lists the tables"),
        });
    }
    let rows = rows.map(|limit| database.rows(name, limit)).transpose()?;
    if global.json {
        let rows = rows.map(|rows| json!({ "columns": rows.columns, "rows": rows.rows, "total": rows.total }));
        output.json(&json!({ "table": table, "rows": rows }));
        return Ok(());
    }
    match table {
        Some(table) => definition(table, found, output),
        None => {
            let object = found.unmanaged.iter().find(|object| object.name.eq_ignore_ascii_case(name));
            if let Some(object) = object {
                output.line(format_args!("{}  {}\n", strong(&object.name), dim(object.kind)));
                output.line(&object.sql);
            }
        }
    }
    if let Some(rows) = rows {
        draw_rows(&rows, output);
    }
    Ok(())
}

fn definition(table: &Table, found: &Introspected, output: &mut Output) {
    let reports = describe(&Changes { tables: vec![TableChange::Add(table.clone())], ..Changes::default() });
    output.line(strong(&table.name));
    let lines: Vec<_> = reports.iter().flat_map(|report| &report.lines).skip(1).collect();
    let kinds = lines.iter().map(|line| line.kind.len()).max().unwrap_or(0);
    let names = lines.iter().map(|line| line.name.chars().count()).max().unwrap_or(0);
    for line in &lines {
        let text = line.details.first().and_then(|detail| detail.new.as_deref()).unwrap_or_default();
        output.line(format_args!("  {:<kinds$}  {:<names$}  {text}", dim_padded(line.kind, kinds), line.name));
    }
    for object in found.unmanaged.iter().filter(|object| object.table.as_deref() == Some(table.name.as_str())) {
        output.line(format_args!("  {}  {}", dim_padded(&object.kind.to_string(), kinds), object.name));
    }
}

fn dim_padded(text: &str, width: usize) -> String {
    dim(format_args!("{text:<width$}"))
}

fn draw_rows(rows: &Rows, output: &mut Output) {
    let shown = plural("row", rows.rows.len());
    let of = if rows.total == rows.rows.len() as u64 { String::new() } else { format!(" of {}", rows.total) };
    output.line(format_args!("\n{}", dim(format_args!("{shown}{of}; an empty place is null"))));
    if rows.rows.is_empty() {
        return;
    }
    let line = LineStyle::none().fill('─').junction('─');
    let mut drawn = Drawn::new();
    drawn.load_style(TableStyle::new().header_separator(line)).set_content_arrangement(ContentArrangement::Dynamic);
    drawn.set_width(u16::try_from(output.width).unwrap_or(u16::MAX));
    drawn.set_header(&rows.columns);
    for row in &rows.rows {
        drawn.add_row(row.iter().map(|value| value.clone().unwrap_or_default()));
    }
    for line in drawn.lines() {
        output.line(line.trim_end());
    }
}
