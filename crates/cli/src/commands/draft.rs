//! `oak draft`: a migration that holds what changed since the last one.

use std::collections::BTreeMap;
use std::path::Path;

use hollow_oak_core::diff::{Candidate, candidates};
use hollow_oak_core::history::{Decisions, FORMAT, History, HistoryFault, Record, StepRecord, StepRecords, slug};
use hollow_oak_core::language::{declare, print};
use hollow_oak_core::physical::fingerprint;
use hollow_oak_core::plan::{Plan, PlannedStep, Risk, RiskKind, plan};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{self, Direction, Script};
use hollow_oak_core::{Dialect, Schema};
use serde_json::json;

use super::running::{read_answer, read_line};
use crate::args::{DraftArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result, make_folder, shown_path, write_file};
use crate::output::{Output, danger, done, strong};
use crate::project::{Declared, Project, RECORD_FILE, SCHEMA_FILE, lower, script_name};

/// What is written for one dialect.
struct Drafted {
    dialect: Dialect,
    expected: String,
    up: Plan,
    down: Plan,
}

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
    let declared = if args.empty { None } else { Some(project.valid_declared()?) };
    let wanted = declared.as_ref().map(schema_of).transpose()?;
    if let (Some(wanted), Some(newest)) = (wanted, history.newest())
        && is_written(&project.schema_text_after(newest)?, wanted)
    {
        return nothing_changed(&history, global, output);
    }
    let before = history.newest().map(|migration| project.schema_after(migration)).transpose()?.unwrap_or_default();
    let after = wanted.unwrap_or(&before);
    if before.says_the_same(after) && !args.empty {
        return nothing_changed(&history, global, output);
    }
    let mut decisions = args.decided.decisions();
    settle_renames(&mut decisions, &before, after, &args.title, output)?;
    let unfilled = settle_fills(&mut decisions, &before, after, &project.settings.dialects, output)?;
    refuse_one_way(&decisions, &before, after)?;
    settle_keeping(&mut decisions, &before, after, project.settings.keep_dropped)?;
    let id = uuid::Uuid::now_v7().to_string();
    let mut drafted = Vec::new();
    for dialect in &project.settings.dialects {
        let from = lower(*dialect, &before, "the newest migration")?.schema;
        let lowered = declared.as_ref().and_then(|declared| declared.physical(*dialect));
        let to = lowered.cloned().unwrap_or_else(|| from.clone());
        let (up, down) = decisions.choices(&before, after, *dialect, &id)?;
        drafted.push(Drafted {
            dialect: *dialect,
            expected: fingerprint(&to).0,
            up: with_restoring(plan(*dialect, &from, &to, &up)),
            down: plan(*dialect, &to, &from, &down),
        });
    }
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
    write(&project.migrations_folder(), &folder, record, after, &drafted, args.empty)?;
    report(&path, &folder, &drafted, &unfilled, args.empty, global, output);
    Ok(Exit::Done)
}

/// Whether the file, apart from its head line, says just this schema. It spares reading what did not change.
fn is_written(file: &str, schema: &Schema) -> bool {
    file.split_once("\n\n").is_some_and(|(_, body)| body == print(&declare(schema)))
}

fn schema_of(declared: &Declared) -> Result<&Schema> {
    declared.resolution.schema.as_ref().ok_or_else(|| Failure::new("the declarations cannot be read"))
}

/// Asks what could be a rename, or stops and names the options where there is nobody to ask.
fn settle_renames(
    decisions: &mut Decisions,
    before: &Schema,
    after: &Schema,
    title: &str,
    output: &mut Output,
) -> Result<()> {
    let mut open: Vec<Candidate> = Vec::new();
    loop {
        let renames = decisions.renames(before, after)?;
        let mut left = candidates(before, after, &renames);
        left.retain(|one| !decisions.no_rename.contains(&one.old_path()));
        left.retain(|one| !open.iter().any(|other| other.old_path() == one.old_path()));
        let Some(first) = left.first().cloned() else { break };
        let same: Vec<Candidate> = left.into_iter().filter(|one| one.old_path() == first.old_path()).collect();
        if !output.interactive {
            open.push(first);
            continue;
        }
        match ask_rename(&same, output)? {
            Some(chosen) => decisions.rename.push(format!("{}={}", chosen.old_path(), chosen.new)),
            None => decisions.no_rename.push(first.old_path()),
        }
    }
    if open.is_empty() {
        return Ok(());
    }
    let mut failure = Failure::usage(format!(
        "{} could have been renamed, and there is no terminal to ask on",
        plural("thing", open.len())
    ));
    for one in &open {
        let old = one.old_path();
        failure = failure.detail(format!("{old} goes and {} comes ({}):", one.new, one.reason));
        failure = failure.detail(format!("    --rename {old}={}    keeps its values under the new name", one.new));
        failure = failure.detail(format!("    --no-rename {old}    drops it and adds the other"));
    }
    Err(failure.help(format!(
        "run `oak draft \"{title}\"` again with one of the two for each, or write `formerly {}` in the declarations; \
         nothing was written",
        open[0].old
    )))
}

/// One question about one thing that goes; nothing where it is not renamed.
fn ask_rename<'a>(candidates: &'a [Candidate], output: &mut Output) -> Result<Option<&'a Candidate>> {
    let Some(first) = candidates.first() else { return Ok(None) };
    output.line(format_args!("{} is no longer declared. Was it renamed?", strong(first.old_path())));
    for (at, one) in candidates.iter().enumerate() {
        output.line(format_args!("  {}  renamed to {}  ({})", at + 1, strong(&one.new), one.reason));
    }
    let last = candidates.len() + 1;
    output.line(format_args!("  {last}  no: it is dropped, and its values are lost"));
    loop {
        output.ask(&format!("1 to {last}, or q to stop [1] "));
        let answer = read_answer("`--rename` and `--no-rename` answer it")?;
        match answer.as_str() {
            "" => return Ok(Some(first)),
            "q" | "quit" => return Err(Failure::new("stopped; no migration was written")),
            number => match number.parse::<usize>() {
                Ok(number) if number == last => return Ok(None),
                Ok(number) if (1..last).contains(&number) => return Ok(candidates.get(number - 1)),
                _ => output.line(format_args!("`{number}` is none of these")),
            },
        }
    }
}

/// `--keep` alone, or `keep_dropped` in the configuration, means everything that goes.
fn settle_keeping(decisions: &mut Decisions, before: &Schema, after: &Schema, always: bool) -> Result<()> {
    let all = always || decisions.keep.iter().any(String::is_empty);
    decisions.keep.retain(|one| !one.is_empty());
    if all {
        for one in decisions.droppable(before, after)? {
            if !decisions.keep.contains(&one) {
                decisions.keep.push(one);
            }
        }
    }
    Ok(())
}

/// Asks what rows get in columns that become required; returns those that nobody gave a value.
fn settle_fills(
    decisions: &mut Decisions,
    before: &Schema,
    after: &Schema,
    dialects: &[Dialect],
    output: &mut Output,
) -> Result<Vec<String>> {
    let unfilled = decisions.unfilled(before, after)?;
    if !output.interactive {
        return Ok(unfilled);
    }
    let mut left = Vec::new();
    for column in unfilled {
        output.line(format_args!("{} is required. What do rows get that have no value?", strong(&column)));
        output.line("  a value as for `default`: 0, 'text', a word of the enum, or (an SQL expression)");
        loop {
            output.ask("value, or nothing to leave it: then the step is refused where such rows are there: ");
            let answer = read_line("`--fill` answers it")?;
            if answer.is_empty() {
                left.push(column);
                break;
            }
            let mut tried = decisions.clone();
            tried.fill.push(format!("{column}={answer}"));
            match dialects.iter().try_for_each(|dialect| tried.check_fills(before, after, *dialect)) {
                Ok(()) => {
                    *decisions = tried;
                    break;
                }
                Err(fault) => output.line(format_args!("{}; {}", fault.what, fault.help)),
            }
        }
    }
    Ok(left)
}

/// A conversion of values that are there has to say how they come back.
fn refuse_one_way(decisions: &Decisions, before: &Schema, after: &Schema) -> Result<()> {
    let missing = decisions.one_way(before, after)?;
    let Some(first) = missing.first() else { return Ok(()) };
    let what = format!("`--convert` says what becomes of {}, and nothing says how it comes back", missing.join(", "));
    Err(Failure::usage(what).help(format!("add `--convert-back {first}='expression'`; nothing was written")))
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

/// Adds to each step that loses data that the way back does not bring it back.
fn with_restoring(mut plan: Plan) -> Plan {
    for planned in &mut plan.steps {
        let loses = planned.risks.iter().any(|risk| risk.kind == RiskKind::LosesData);
        if loses {
            let what = "down makes the place for them again, but the values do not come back".to_owned();
            planned.risks.push(Risk { kind: RiskKind::NotRestored, what });
        }
    }
    plan
}

/// Writes the folder under another name first, so that there is never half a migration.
fn write(
    migrations: &Path,
    folder: &str,
    mut record: Record,
    schema: &Schema,
    drafted: &[Drafted],
    empty: bool,
) -> Result<()> {
    make_folder(migrations)?;
    let making = migrations.join(format!(".{folder}.making"));
    if making.exists() {
        std::fs::remove_dir_all(&making).map_err(|error| Failure::file("remove", &making, &error))?;
    }
    make_folder(&making)?;
    let declared = print(&declare(schema));
    let head =
        format!("# The declared schema after {folder}. Written by oak, read by later drafts; leave it as it is.\n\n");
    write_file(&making.join(SCHEMA_FILE), &(head + &declared))?;
    for one in drafted {
        let text = |direction, plan: &Plan| match empty {
            true => script::empty(one.dialect, folder, direction),
            false => script::write(one.dialect, folder, direction, plan),
        };
        let up = text(Direction::Up, &one.up);
        let down = text(Direction::Down, &one.down);
        write_file(&making.join(script_name(one.dialect, Direction::Up)), &up)?;
        write_file(&making.join(script_name(one.dialect, Direction::Down)), &down)?;
        let word = one.dialect.provider().word();
        record.expected.insert(word.to_owned(), one.expected.clone());
        let steps = StepRecords {
            up: step_records(one.dialect, &one.up, &up)?,
            down: step_records(one.dialect, &one.down, &down)?,
        };
        if !(steps.up.is_empty() && steps.down.is_empty()) {
            record.steps.insert(word.to_owned(), steps);
        }
    }
    write_file(&making.join(RECORD_FILE), &record.write())?;
    let path = migrations.join(folder);
    std::fs::rename(&making, &path).map_err(|error| Failure::file("make", &path, &error))
}

fn step_records(dialect: Dialect, plan: &Plan, text: &str) -> Result<Vec<StepRecord>> {
    let script = Script::read(dialect, text)
        .map_err(|error| Failure::new(format!("the generated script cannot be read back: {error}")))?;
    let hashes = script.steps.iter().map(|step| script::step_hash(&step.body));
    Ok(plan
        .steps
        .iter()
        .zip(hashes)
        .map(|(planned, hash)| StepRecord { step: planned.step.title(), hash, risks: planned.risks.clone() })
        .collect())
}

fn report(
    path: &Path,
    folder: &str,
    drafted: &[Drafted],
    unfilled: &[String],
    empty: bool,
    global: &Global,
    output: &mut Output,
) {
    if global.json {
        let steps = |plan: &Plan| -> Vec<_> {
            let of = |planned: &PlannedStep| {
                let risks: Vec<_> =
                    planned.risks.iter().map(|risk| json!({ "kind": risk.kind.word(), "what": risk.what })).collect();
                json!({ "step": planned.step.title(), "risks": risks })
            };
            plan.steps.iter().map(of).collect()
        };
        let providers: Vec<_> = drafted
            .iter()
            .map(|one| json!({ "provider": one.dialect.provider(), "up": steps(&one.up), "down": steps(&one.down) }))
            .collect();
        output.json(&json!({ "drafted": folder, "path": shown_path(path), "providers": providers }));
        return;
    }
    if empty {
        output.line(format_args!("{} {} for own SQL", done("drafted"), strong(folder)));
        for one in drafted {
            for direction in [Direction::Up, Direction::Down] {
                output.line(format_args!("  {}", shown_path(&path.join(script_name(one.dialect, direction)))));
            }
        }
        output.next("oak review", "after writing both scripts");
        return;
    }
    for one in drafted {
        let provider = if drafted.len() > 1 { format!("{}: ", one.dialect.provider()) } else { String::new() };
        output.line(format_args!(
            "{} {}: {provider}{} up, {} down",
            done("drafted"),
            strong(folder),
            plural("step", one.up.steps.len()),
            one.down.steps.len()
        ));
        for (at, planned) in one.up.steps.iter().enumerate() {
            output.line(format_args!("  {:>2}  {}", at + 1, planned.step.title()));
            for reason in planned.step.reasons() {
                output.line(format_args!("        {reason}"));
            }
            for risk in &planned.risks {
                output.line(format_args!("        {}", risk_text(risk)));
            }
        }
        if one.up.steps.is_empty() {
            output.line("  nothing changes in the database; only descriptions do");
        }
    }
    if let Some(first) = unfilled.first() {
        output.line(format_args!(
            "\nrows that have no {} are in the way; to give them a value: `oak discard`, and draft again with `--fill {first}=VALUE`",
            unfilled.join(", ")
        ));
    }
    output.next("oak review", "shows up beside down");
}

/// A risk in one line.
pub fn risk_text(risk: &Risk) -> String {
    format!("{} {}", danger(format_args!("{}:", risk.kind.phrase())), risk.what)
}
