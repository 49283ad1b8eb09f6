//! `oak redraft`: the newest migration drawn up anew, after the declarations changed or with other choices.

use hollow_oak_core::Dialect;
use hollow_oak_core::history::{Decisions, Migration};
use hollow_oak_core::schema::Schema;
use hollow_oak_core::script::{Carried, Direction, carry};
use serde_json::json;

use super::discard::refuse_applied;
use super::drafting::{
    AskedBy, Report, Written, compose, counted, refuse_one_way, refuse_useless, report, schema_of, settle_fills,
    settle_keeping, settle_renames,
};
use crate::args::{Global, RedraftArgs};
use crate::exit::Exit;
use crate::failure::{Failure, Result, read_file};
use crate::output::{Output, accent, danger};
use crate::project::{Project, script_name};

/// What became of the steps that somebody wrote in one script.
struct Told {
    file: String,
    /// Where its text is that it had before.
    before: String,
    carried: Carried,
}

/// Draws the migration up anew; what somebody wrote in it is carried over.
pub fn run(args: &RedraftArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let Some(newest) = history.newest() else {
        return Err(Failure::new(format!("there is nothing to draw up anew: {}", project.migrations_found(&history)))
            .help("`oak draft TITLE` writes a migration"));
    };
    if let Some(wanted) = &args.migration {
        let found = &history.migrations()[history.find(wanted)?];
        if found.id() != newest.id() {
            return Err(Failure::new(format!("{} is not the newest migration", found.folder)).help(format!(
                "others follow it: {} is the newest, and can be drawn up anew; for an older one, `oak discard` what follows",
                newest.folder
            )));
        }
    }
    refuse_applied(&project, &history, newest, "oak redraft", output)?;
    let record = project.record(newest)?;
    let parent = record.parents.first().and_then(|id| history.position(id));
    let parent = parent.map(|at| &history.migrations()[at]);
    let before = parent.map(|parent| project.schema_after(parent)).transpose()?.unwrap_or_default();
    let declared = project.valid_declared()?;
    let after = schema_of(&declared)?;
    let (mut decisions, forgotten) = fitting(&record.choices, &before, after, &project.settings.dialects);
    refuse_useless(&args.decided, &project.settings.dialects)?;
    take_over(&mut decisions, args.decided.decisions());
    settle_renames(&mut decisions, &before, after, &AskedBy { command: "oak redraft", declared: true }, output)?;
    let unfilled = settle_fills(&mut decisions, &before, after, &project.settings.dialects, output)?;
    refuse_one_way(&decisions, &before, after)?;
    settle_keeping(&mut decisions, &before, after, project.settings.keep_dropped)?;
    let drafted = compose(&project, &before, after, &declared.lowered, &decisions, newest.id())?;
    let mut told = Vec::new();
    let mut finish = |dialect: Dialect, direction: Direction, generated: String| {
        // Of a provider that was listed since, there is none.
        if !project.migration_folder(newest).join(script_name(dialect, direction)).exists() {
            return Ok((generated, Vec::new()));
        }
        let old = project.script(newest, dialect, direction)?;
        let script = old.parse(dialect)?;
        let file = script_name(dialect, direction);
        let mut beside = texts_before(&project, newest, &file)?;
        if !script.has_own_sql() {
            return Ok((generated, beside));
        }
        let carried = carry(dialect, &script, &generated);
        let text = carried.text.clone();
        let name = match beside.len() {
            0 => format!("{file}.before"),
            earlier => format!("{file}.before-{}", earlier + 1),
        };
        beside.push((name.clone(), old.text.clone()));
        told.push(Told { file, before: name, carried });
        Ok((text, beside))
    };
    let record = hollow_oak_core::history::Record {
        choices: decisions,
        drafted_at: jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        oak_version: env!("CARGO_PKG_VERSION").into(),
        ..record
    };
    let folder = newest.folder.clone();
    let migrations = project.migrations_folder();
    let written = Written { migrations: &migrations, folder: &folder, schema: after, drafted: &drafted };
    written.put(record, false, &mut finish)?;
    if global.json {
        output.json(&as_json(newest, &told, &forgotten));
        return Ok(Exit::Done);
    }
    for text in &forgotten {
        output.line(format_args!("{} `{text}`, which means nothing any more", accent("left out:")));
    }
    for one in &told {
        for title in &one.carried.placed {
            output.line(format_args!("{} {title}  {}", accent("kept by hand:"), one.file));
        }
        for title in &one.carried.lost {
            output.line(format_args!(
                "{} {title}  {}: there is no such step any more; its text is in {}",
                danger("not placed:"),
                one.file,
                one.before
            ));
        }
    }
    let counted = counted(&project, &history, parent, &drafted, global);
    let told = Report {
        verb: "redrafted",
        path: &migrations.join(&folder),
        folder: &folder,
        drafted: &drafted,
        unfilled: &unfilled,
        counted: counted.as_ref(),
        empty: false,
        absorbed: None,
    };
    report(&told, global, output);
    Ok(Exit::Done)
}

/// The texts that a script had before it was drawn up anew, earlier times; they go along.
fn texts_before(project: &Project, migration: &Migration, file: &str) -> Result<Vec<(String, String)>> {
    let folder = project.migration_folder(migration);
    let entries = std::fs::read_dir(&folder).map_err(|error| Failure::file("read", &folder, &error))?;
    let mut texts = Vec::new();
    for entry in entries {
        let entry = entry.map_err(|error| Failure::file("read", &folder, &error))?;
        let name = entry.file_name().to_string_lossy().into_owned();
        if name.starts_with(&format!("{file}.before")) {
            texts.push((name, read_file(&entry.path())?));
        }
    }
    texts.sort();
    Ok(texts)
}

/// One of the lists of choices.
type List = fn(&mut Decisions) -> &mut Vec<String>;

/// The choices of before that still mean something, and those that do not.
fn fitting(choices: &Decisions, before: &Schema, after: &Schema, dialects: &[Dialect]) -> (Decisions, Vec<String>) {
    let Decisions { online, unchecked_bodies, .. } = *choices;
    let no_rename = choices.no_rename.clone();
    let mut kept = Decisions { no_rename, online, unchecked_bodies, ..Decisions::default() };
    let mut forgotten = Vec::new();
    let tries = |decisions: &Decisions| {
        dialects.iter().all(|dialect| decisions.choices(before, after, *dialect, "redraft").is_ok())
    };
    let lists: [(List, &Vec<String>); 6] = [
        (|decisions| &mut decisions.rename, &choices.rename),
        (|decisions| &mut decisions.fill, &choices.fill),
        (|decisions| &mut decisions.convert, &choices.convert),
        (|decisions| &mut decisions.convert_back, &choices.convert_back),
        (|decisions| &mut decisions.keep, &choices.keep),
        (|decisions| &mut decisions.replace, &choices.replace),
    ];
    for (list, texts) in lists {
        for text in texts {
            let mut tried = kept.clone();
            list(&mut tried).push(text.clone());
            if tries(&tried) {
                kept = tried;
            } else {
                forgotten.push(text.clone());
            }
        }
    }
    if choices.batch.is_some() {
        let tried = Decisions { batch: choices.batch, ..kept.clone() };
        match tries(&tried) {
            true => kept = tried,
            false => forgotten.push(format!("--batch {}", choices.batch.unwrap_or_default())),
        }
    }
    (kept, forgotten)
}

/// Adds new choices; one about the same column takes the place of an old one.
fn take_over(decisions: &mut Decisions, new: Decisions) {
    let add = |old: &mut Vec<String>, new: Vec<String>| {
        for text in new {
            let about = text.split('=').next().unwrap_or_default().to_owned();
            let is_scoped = text.contains(" for ");
            old.retain(|one| is_scoped || one.split('=').next() != Some(&about));
            old.push(text);
        }
    };
    add(&mut decisions.rename, new.rename);
    add(&mut decisions.no_rename, new.no_rename);
    add(&mut decisions.fill, new.fill);
    add(&mut decisions.convert, new.convert);
    add(&mut decisions.convert_back, new.convert_back);
    add(&mut decisions.keep, new.keep);
    add(&mut decisions.replace, new.replace);
    decisions.batch = new.batch.or(decisions.batch);
    decisions.online |= new.online;
    decisions.unchecked_bodies |= new.unchecked_bodies;
}

fn as_json(migration: &Migration, told: &[Told], forgotten: &[String]) -> serde_json::Value {
    let scripts: Vec<_> = told
        .iter()
        .map(|one| {
            json!({ "script": one.file, "before": one.before, "kept": one.carried.placed, "not_placed": one.carried.lost })
        })
        .collect();
    json!({ "redrafted": migration.folder, "own_steps": scripts, "left_out": forgotten })
}
