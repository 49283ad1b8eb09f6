//! What drafting a migration and drawing it up anew have in common: deciding, composing, writing, reporting.

use std::path::Path;

use hollow_oak_core::diff::{Candidate, candidates};
use hollow_oak_core::history::{Decisions, History, Migration, Record, StepRecord, StepRecords};
use hollow_oak_core::language::{declare, print};
use hollow_oak_core::physical::{self, fingerprint};
use hollow_oak_core::plan::{Plan, PlannedStep, Question, Risk, RiskKind, Step, plan, questions};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{self, Direction, Script};
use hollow_oak_core::{Dialect, Schema};
use serde_json::json;

use super::running::{read_answer, read_line};
use crate::args::{Decided, Global};
use crate::counting::{Counted, beside_draft, is_asked_about};
use crate::failure::{Failure, Result, make_folder, shown_path, write_file};
use crate::output::{Output, accent, danger, done, strong};
use crate::project::{Declared, Project, RECORD_FILE, SCHEMA_FILE, lower, script_name};
use crate::typed::typed;

/// What is written for one dialect.
pub(super) struct Drafted {
    pub(super) dialect: Dialect,
    expected: String,
    up: Plan,
    down: Plan,
    /// What a target could be asked before up runs.
    pub(super) questions: Vec<Question>,
}

/// The declared schema.
pub(super) fn schema_of(declared: &Declared) -> Result<&Schema> {
    declared.resolution.schema.as_ref().ok_or_else(|| Failure::new("the declarations cannot be read"))
}

/// Plans both directions for every provider of the project; where nothing is said of one, nothing changes there.
pub(super) fn compose(
    project: &Project,
    before: &Schema,
    after: &Schema,
    lowered: &[(Dialect, physical::Schema)],
    decisions: &Decisions,
    id: &str,
) -> Result<Vec<Drafted>> {
    let mut drafted = Vec::new();
    for dialect in project.settings.dialects.iter().copied() {
        let from = lower(dialect, before, "the newest migration")?.schema;
        let to = lowered.iter().find(|(of, _)| *of == dialect).map_or(&from, |(_, schema)| schema);
        let (up_choices, down_choices) = decisions.choices(before, after, dialect, id)?;
        let (up, down) = std::thread::scope(|scope| {
            let down = scope.spawn(|| plan(dialect, to, &from, &down_choices));
            (plan(dialect, &from, to, &up_choices), down.join())
        });
        let down = down.map_err(|_| Failure::new("planning the way down broke off"))?;
        let up = with_restoring(up);
        let is_asked_about = |planned: &PlannedStep| planned.risks.iter().any(|risk| is_asked_about(risk.kind));
        let questions = match up.steps.iter().any(is_asked_about) {
            true => questions(dialect, &from, to, &up_choices),
            false => Vec::new(),
        };
        drafted.push(Drafted { dialect, expected: fingerprint(to).0, up, down, questions });
    }
    Ok(drafted)
}

/// Whose question it is what was renamed.
pub(super) struct AskedBy<'a> {
    /// The command that takes the answers as options.
    pub(super) command: &'a str,
    /// Whether `formerly` in the declarations answers as well.
    pub(super) declared: bool,
}

/// Asks what could be a rename, or stops and names the options where there is nobody to ask.
pub(super) fn settle_renames(
    decisions: &mut Decisions,
    before: &Schema,
    after: &Schema,
    asked_by: &AskedBy<'_>,
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
        let renamed = format!("{old}={}", one.new);
        failure = failure.detail(format!("    --rename {}    keeps its values under the new name", typed(&renamed)));
        failure = failure.detail(format!("    --no-rename {}    drops it and adds the other", typed(&old)));
    }
    let formerly = match asked_by.declared {
        true => format!(", or write `formerly {}` in the declarations", open[0].old),
        false => String::new(),
    };
    let command = asked_by.command;
    Err(failure.help(format!("run `{command}` again with one of the two for each{formerly}; nothing was written")))
}

/// One question about one thing that goes; nothing where it is not renamed.
fn ask_rename<'a>(candidates: &'a [Candidate], output: &mut Output) -> Result<Option<&'a Candidate>> {
    let Some(first) = candidates.first() else { return Ok(None) };
    output.question(format_args!("{} is gone. Was it renamed?", strong(first.old_path())));
    for (at, one) in candidates.iter().enumerate() {
        output.question(format_args!("  {}  renamed to {}  ({})", at + 1, strong(&one.new), one.reason));
    }
    let last = candidates.len() + 1;
    output.question(format_args!("  {last}  no: one goes and the other comes, and the values are lost"));
    loop {
        output.ask(&format!("1 to {last}, or q to stop [1] "));
        let answer = read_answer("`--rename` and `--no-rename` answer it")?;
        match answer.as_str() {
            "" => return Ok(Some(first)),
            "q" | "quit" => return Err(Failure::new("stopped; nothing was written")),
            number => match number.parse::<usize>() {
                Ok(number) if number == last => return Ok(None),
                Ok(number) if (1..last).contains(&number) => return Ok(candidates.get(number - 1)),
                _ => output.question(format_args!("`{number}` is none of these")),
            },
        }
    }
}

/// `--keep` alone, or `keep_dropped` in the configuration, means everything that goes.
pub(super) fn settle_keeping(decisions: &mut Decisions, before: &Schema, after: &Schema, always: bool) -> Result<()> {
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
pub(super) fn settle_fills(
    decisions: &mut Decisions,
    before: &Schema,
    after: &Schema,
    dialects: &[Dialect],
    output: &mut Output,
) -> Result<Vec<String>> {
    let providers: Vec<_> = dialects.iter().map(|dialect| dialect.provider()).collect();
    let unfilled = decisions.unfilled(before, after, &providers)?;
    if !output.interactive {
        return Ok(unfilled);
    }
    let mut left = Vec::new();
    for column in unfilled {
        output.question(format_args!("{} is required. What do rows get that have no value?", strong(&column)));
        output.question("  a value as for `default`: 0, 'text', a word of the enum, or (an SQL expression)");
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
                Err(fault) => output.question(format_args!("{}; {}", fault.what, fault.help)),
            }
        }
    }
    Ok(left)
}

/// What only PostgreSQL can do is refused where the project is not for it.
pub(super) fn refuse_useless(decided: &Decided, dialects: &[Dialect]) -> Result<()> {
    let lacks = |can: fn(&Dialect) -> bool| !dialects.iter().any(can);
    let refusal = |option: &str, help: &str| {
        Err(Failure::usage(format!("`--{option}` is for PostgreSQL, which this project is not for")).help(help))
    };
    if decided.online && lacks(|dialect| dialect.facts().builds_online) {
        return refusal(
            "online",
            "leave it out: MariaDB and MySQL let others go on where they can, and on SQLite a migration is one transaction",
        );
    }
    if decided.unchecked_bodies && lacks(|dialect| dialect.facts().checks_bodies) {
        return refusal("unchecked-bodies", "leave it out: other servers do not look into the body of a routine");
    }
    Ok(())
}

/// A conversion of values that are there has to say how they come back.
pub(super) fn refuse_one_way(decisions: &Decisions, before: &Schema, after: &Schema) -> Result<()> {
    let missing = decisions.one_way(before, after)?;
    let Some(first) = missing.first() else { return Ok(()) };
    let what = format!("`--convert` says what becomes of {}, and nothing says how it comes back", missing.join(", "));
    Err(Failure::usage(what).help(format!("add `--convert-back {}='expression'`; nothing was written", typed(first))))
}

/// Adds to each step that loses data that the way back does not bring it back.
fn with_restoring(mut plan: Plan) -> Plan {
    for planned in &mut plan.steps {
        let loses = planned.risks.iter().any(|risk| risk.kind == RiskKind::LosesData);
        if loses {
            let what = match planned.step {
                Step::AlterColumn { .. } | Step::AlterTable { .. } => {
                    "down gives the column its type again, but the values stay as they are then"
                }
                _ => "down makes the place for them again, but the values do not come back",
            };
            let what = what.to_owned();
            planned.risks.push(Risk { kind: RiskKind::NotRestored, what });
        }
        let converts = planned.risks.iter().any(|risk| risk.kind == RiskKind::ConvertsValues);
        if converts && planned.step.converts() {
            let what = "down converts every row that is there by then, those written in between as well".to_owned();
            planned.risks.push(Risk { kind: RiskKind::ConvertsValues, what });
        }
        // What matters most comes first.
        planned.risks.sort_by_key(|risk| risk.kind);
    }
    plan
}

/// A migration's folder, about to be written.
pub(super) struct Written<'a> {
    /// The migrations folder.
    pub(super) migrations: &'a Path,
    /// The folder's name.
    pub(super) folder: &'a str,
    /// The schema afterwards.
    pub(super) schema: &'a Schema,
    /// The scripts.
    pub(super) drafted: &'a [Drafted],
}

/// What becomes of a generated script before it is written: the text, and what else is to stand beside it.
type Finish<'a> = dyn FnMut(Dialect, Direction, String) -> Result<(String, Vec<(String, String)>)> + 'a;

impl Written<'_> {
    /// Writes a new folder.
    pub(super) fn make(&self, record: Record, empty: bool) -> Result<()> {
        self.put(record, empty, &mut |_, _, text| Ok((text, Vec::new())))
    }

    /// Writes the folder under another name first, so that there is never half a migration. One that is there already
    /// gives way when the new one is whole.
    pub(super) fn put(&self, mut record: Record, empty: bool, finish: &mut Finish<'_>) -> Result<()> {
        make_folder(self.migrations)?;
        let folder = self.folder;
        let making = self.migrations.join(format!(".{folder}.making"));
        remove(&making)?;
        make_folder(&making)?;
        let declared = print(&declare(self.schema));
        let head = format!(
            "# The declared schema after {folder}. Written by oak, read by later drafts; leave it as it is.\n\n"
        );
        write_file(&making.join(SCHEMA_FILE), &(head + &declared))?;
        record.steps.clear();
        for one in self.drafted {
            let text = |direction, plan: &Plan| match empty {
                true => script::empty(one.dialect, folder, direction),
                false => script::write(one.dialect, folder, direction, plan),
            };
            let mut records = Vec::new();
            for (direction, plan) in [(Direction::Up, &one.up), (Direction::Down, &one.down)] {
                let generated = text(direction, plan);
                records.push(step_records(one.dialect, plan, &generated)?);
                let (text, beside) = finish(one.dialect, direction, generated)?;
                write_file(&making.join(script_name(one.dialect, direction)), &text)?;
                for (name, text) in beside {
                    write_file(&making.join(name), &text)?;
                }
            }
            let word = one.dialect.provider().word();
            record.expected.insert(word.to_owned(), one.expected.clone());
            let down = records.pop().unwrap_or_default();
            let steps = StepRecords { up: records.pop().unwrap_or_default(), down };
            if !(steps.up.is_empty() && steps.down.is_empty()) {
                record.steps.insert(word.to_owned(), steps);
            }
        }
        let still_there = |one: &hollow_oak_core::history::Acceptance| {
            let steps = record.steps.get(&one.provider);
            steps.is_some_and(|steps| steps.up.iter().chain(&steps.down).any(|step| step.hash == one.hash))
        };
        let accepted = record.accepted.iter().filter(|one| still_there(one)).cloned().collect();
        record.accepted = accepted;
        write_file(&making.join(RECORD_FILE), &record.write())?;
        let path = self.migrations.join(folder);
        let aside = self.migrations.join(format!(".{folder}.before"));
        remove(&aside)?;
        if path.exists() {
            std::fs::rename(&path, &aside).map_err(|error| Failure::file("move", &path, &error))?;
        }
        std::fs::rename(&making, &path).map_err(|error| Failure::file("make", &path, &error))?;
        remove(&aside)
    }
}

fn remove(folder: &Path) -> Result<()> {
    if folder.exists() {
        std::fs::remove_dir_all(folder).map_err(|error| Failure::file("remove", folder, &error))?;
    }
    Ok(())
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

/// A migration that was written.
pub(super) struct Report<'a> {
    /// What happened to it, in a word.
    pub(super) verb: &'a str,
    /// Where it is.
    pub(super) path: &'a Path,
    /// The folder's name.
    pub(super) folder: &'a str,
    /// The scripts.
    pub(super) drafted: &'a [Drafted],
    /// Columns that nobody gave a value.
    pub(super) unfilled: &'a [String],
    /// What a target's rows say to it, and the target's name.
    pub(super) counted: Option<&'a (String, Counted)>,
    /// Whether it is for own SQL.
    pub(super) empty: bool,
    /// Where it was made of what is on a target: that, and the declaration files that say so now.
    pub(super) absorbed: Option<(&'a str, Vec<&'a Path>)>,
}

/// Asks the default target what its rows say to what was drafted.
pub(super) fn counted(
    project: &Project,
    history: &History,
    parent: Option<&Migration>,
    drafted: &[Drafted],
    global: &Global,
) -> Option<(String, Counted)> {
    // Where there is nothing to ask, no target is opened.
    if drafted.iter().all(|one| one.questions.is_empty()) {
        return None;
    }
    let of = |dialect: Dialect| drafted.iter().find(|one| one.dialect == dialect).map(|one| one.questions.clone());
    beside_draft(project, history, parent, global, |dialect| of(dialect).unwrap_or_default())
}

/// Says what was written.
pub(super) fn report(report: &Report<'_>, global: &Global, output: &mut Output) {
    let Report { verb, path, folder, drafted, unfilled, counted, empty, ref absorbed } = *report;
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
        let counted = counted.map(|(target, counted)| json!({ "target": target, "answers": counted.as_json() }));
        output.json(&json!({ verb: folder, "path": shown_path(path), "providers": providers, "counted": counted }));
        return;
    }
    if empty {
        output.line(format_args!("{} {} for own SQL", done(verb), strong(folder)));
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
            done(verb),
            strong(folder),
            plural("step", one.up.steps.len()),
            one.down.steps.len()
        ));
        for (at, planned) in one.up.steps.iter().enumerate() {
            output.line(format_args!("  {:>2}  {}", at + 1, planned.step.title()));
            for reason in planned.step.reasons() {
                output.sentence(8, reason);
            }
            for risk in &planned.risks {
                output.sentence(8, risk_text(risk));
            }
        }
        if one.up.steps.is_empty() {
            output.line("  nothing changes in the database; only descriptions do");
        }
    }
    if let Some((target, counted)) = counted {
        counted.show(target, output);
    }
    if let Some(first) = unfilled.first() {
        output.line("");
        let names = unfilled.join(", ");
        let way = match absorbed {
            None => format!("`oak discard`, and draft again with `--fill {}=VALUE`", typed(first)),
            Some(_) => "a step of your own in the up script (docs/own-sql.md)".to_owned(),
        };
        output.sentence(0, format_args!("rows that have no {names} are in the way; to give them a value: {way}"));
    }
    if let Some((target, files)) = absorbed {
        output.line("");
        let files: Vec<_> = files.iter().map(|file| shown_path(file)).collect();
        output.sentence(0, format_args!("changed: {}", files.join(", ")));
        output.sentence(0, format_args!("it counts as applied to {target}; every other target gets it by `oak apply`"));
    }
    output.next("oak review", "shows up beside down");
}

/// A risk in one line.
pub fn risk_text(risk: &Risk) -> String {
    let phrase = format!("{}:", risk.kind.phrase());
    match risk.kind {
        // Nothing is lost or refused: it takes its time.
        RiskKind::RewritesTable | RiskKind::BlocksReads | RiskKind::BlocksWrites | RiskKind::SetsAside => {
            format!("{} {}", accent(phrase), risk.what)
        }
        _ => format!("{} {}", danger(phrase), risk.what),
    }
}
