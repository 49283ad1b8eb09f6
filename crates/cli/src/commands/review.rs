//! `oak review`: a migration's up script beside its down script, step by step, with the risks in words.

use std::collections::BTreeSet;

use hollow_oak_core::Dialect;
use hollow_oak_core::history::{Acceptance, Migration, Record, StepRecord, StepRecords};
use hollow_oak_core::plan::RiskKind;
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{Direction, Script, ScriptStep};
use serde_json::{Value, json};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};

use super::drafting::risk_text;
use crate::args::{Global, ReviewArgs};
use crate::exit::Exit;
use crate::failure::{Failure, Result, shown_path, write_file};
use crate::output::{Output, accent, danger, dim, done, strong};
use crate::project::{Project, RECORD_FILE, ScriptFile};

/// Below this many columns, up and down stand below each other.
const BESIDE: usize = 100;

/// What is reviewed for one dialect.
struct Reviewed {
    dialect: Dialect,
    up_file: ScriptFile,
    down_file: ScriptFile,
    up: Script,
    down: Script,
    records: StepRecords,
    accepted: Vec<Acceptance>,
}

/// Shows the migration.
pub fn run(args: &ReviewArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let history = project.history()?;
    let migration = match &args.migration {
        Some(wanted) => &history.migrations()[history.find(wanted)?],
        None => history.newest().ok_or_else(|| {
            Failure::new(format!("there is nothing to review: {}", project.migrations_found(&history)))
                .help("`oak draft TITLE` writes a migration")
        })?,
    };
    if let (Some(risk), Some(because)) = (&args.accept, &args.because) {
        return accept(&project, migration, risk, because, global, output);
    }
    let record = project.record(migration)?;
    let reviewed = project
        .settings
        .dialects
        .iter()
        .map(|dialect| read(&project, migration, &record, *dialect))
        .collect::<Result<Vec<_>>>()?;
    if global.json {
        let providers: Vec<_> = reviewed.iter().map(as_json).collect();
        output.json(&json!({ "migration": migration.folder, "id": migration.id(), "title": migration.record.title, "choices": migration.record.choices, "providers": providers }));
        return Ok(Exit::Done);
    }
    for (at, one) in reviewed.iter().enumerate() {
        show(migration, one, at == 0, output);
    }
    output.next("oak apply", "runs it on the default target");
    Ok(Exit::Done)
}

/// Records that a risk is accepted, for every generated step of the up scripts that has it and stands as generated.
fn accept(
    project: &Project,
    migration: &Migration,
    risk: &str,
    because: &str,
    global: &Global,
    output: &mut Output,
) -> Result<Exit> {
    if because.trim().is_empty() {
        return Err(Failure::usage("the reason is empty").help("say why: `--because \"nobody reads the notes\"`"));
    }
    let mut record = project.record(migration)?;
    let mut accepted = Vec::new();
    let mut had = 0;
    for dialect in &project.settings.dialects {
        let provider = dialect.provider().word();
        let script = project.script(migration, *dialect, Direction::Up)?.parse(*dialect)?;
        let steps = record.steps.get(provider).map(|steps| steps.up.clone()).unwrap_or_default();
        for at in 0..script.steps.len() {
            let Some(step) = StepRecord::of(&steps, &script, at) else { continue };
            if !step.risks.iter().any(|one| one.kind.word() == risk) {
                continue;
            }
            if record.acceptance(provider, Direction::Up.word(), &step.hash, risk).is_some() {
                had += 1;
                continue;
            }
            accepted.push(Acceptance {
                risk: risk.to_owned(),
                because: because.trim().to_owned(),
                by: whoami::username().unwrap_or_else(|_| "somebody".to_owned()),
                at: jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
                provider: provider.to_owned(),
                direction: Direction::Up.word().to_owned(),
                step: step.step.clone(),
                hash: step.hash.clone(),
            });
        }
    }
    if accepted.is_empty() {
        let why = if had > 0 { "that is accepted already" } else { "no generated step of it has this risk" };
        return Err(Failure::new(format!("there is nothing to accept in {}: {why}", migration.folder))
            .help(format!("`oak review {}` shows its risks", migration.number)));
    }
    record.accepted.extend(accepted.iter().cloned());
    let file = project.migration_folder(migration).join(RECORD_FILE);
    write_file(&file, &record.write())?;
    if global.json {
        output.json(&json!({ "migration": migration.folder, "accepted": accepted }));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} in {}: {}", done("accepted"), strong(&migration.folder), because.trim()));
    for one in &accepted {
        output.line(format_args!("  {:<8} {}", one.provider, one.step));
    }
    output.next("oak apply", "runs it on the default target");
    Ok(Exit::Done)
}

fn read(project: &Project, migration: &Migration, record: &Record, dialect: Dialect) -> Result<Reviewed> {
    let up_file = project.script(migration, dialect, Direction::Up)?;
    let down_file = project.script(migration, dialect, Direction::Down)?;
    let (up, down) = (up_file.parse(dialect)?, down_file.parse(dialect)?);
    let word = dialect.provider().word();
    let records = record.steps.get(word).cloned().unwrap_or_default();
    let accepted = record.accepted.iter().filter(|one| one.provider == word).cloned().collect();
    Ok(Reviewed { dialect, up_file, down_file, up, down, records, accepted })
}

impl Reviewed {
    fn records(&self, direction: Direction) -> &[StepRecord] {
        match direction {
            Direction::Up => &self.records.up,
            Direction::Down => &self.records.down,
        }
    }

    fn script(&self, direction: Direction) -> &Script {
        match direction {
            Direction::Up => &self.up,
            Direction::Down => &self.down,
        }
    }
}

// ---- JSON -----------------------------------------------------------------------------------------------------------

fn as_json(reviewed: &Reviewed) -> Value {
    let steps = |direction| -> Vec<_> {
        let script = reviewed.script(direction);
        let records = reviewed.records(direction);
        let step = |(at, step): (usize, &ScriptStep)| {
            let known = StepRecord::of(records, script, at);
            let risks: Vec<_> = known
                .map(|record| record.risks.as_slice())
                .unwrap_or_default()
                .iter()
                .map(ToString::to_string)
                .collect();
            json!({ "title": step.title, "by_hand": step.is_by_hand(), "risks": risks, "sql": step.body.trim() })
        };
        script.steps.iter().enumerate().map(step).collect()
    };
    json!({
        "provider": reviewed.dialect.provider(),
        "up": steps(Direction::Up),
        "down": steps(Direction::Down),
        "accepted": reviewed.accepted,
    })
}

// ---- the terminal ---------------------------------------------------------------------------------------------------

fn show(migration: &Migration, reviewed: &Reviewed, is_first: bool, output: &mut Output) {
    let (ups, downs) = (reviewed.up.steps.len(), reviewed.down.steps.len());
    output.line(format_args!(
        "{}  {}",
        strong(&migration.folder),
        dim(format_args!(
            "{}; {} up, {downs} down; {}",
            reviewed.dialect.provider(),
            plural("step", ups),
            migration.record.title
        ))
    ));
    if is_first {
        choices(migration, output);
    }
    warnings(reviewed, output);
    let pairs = paired(&reviewed.up, &reviewed.down);
    if output.width >= BESIDE {
        beside(reviewed, &pairs, output);
    } else {
        stacked(reviewed, &pairs, output);
    }
}

/// What was decided when it was drafted: the two schemas alone do not tell it.
fn choices(migration: &Migration, output: &mut Output) {
    let options = migration.record.choices.options();
    let width = options.iter().map(|(option, _)| option.len()).max().unwrap_or_default();
    for (at, (option, text)) in options.iter().enumerate() {
        if at == 0 {
            output.line("\n  decided");
        }
        match text.is_empty() {
            true => output.line(format_args!("    {}", dim(format_args!("--{option}")))),
            false => output.line(format_args!("    {} {text}", dim(format_args!("--{option:<width$}")))),
        }
    }
}

/// The risks of all steps in one place, each in words.
fn warnings(reviewed: &Reviewed, output: &mut Output) {
    let mut any = false;
    let mut kinds: BTreeSet<RiskKind> = BTreeSet::new();
    for direction in [Direction::Up, Direction::Down] {
        let script = reviewed.script(direction);
        for (at, step) in script.steps.iter().enumerate() {
            let known = StepRecord::of(reviewed.records(direction), script, at);
            let risks: Vec<String> = match known {
                Some(record) => {
                    kinds.extend(record.risks.iter().map(|risk| risk.kind));
                    let mut lines: Vec<String> = record.risks.iter().map(risk_text).collect();
                    let accepted = reviewed.accepted.iter();
                    let accepted = accepted.filter(|one| one.hash == record.hash && one.direction == direction.word());
                    lines.extend(accepted.map(|one| {
                        let day = one.at.get(..10).unwrap_or(&one.at);
                        format!("{} {} ({}, {day})", done("accepted:"), one.because, one.by)
                    }));
                    lines
                }
                None if step.statements.is_empty() => continue,
                None => vec![format!("{} its risks are not known", accent("written or edited by hand:"))],
            };
            for risk in risks {
                if !any {
                    output.line("");
                }
                any = true;
                output.line(format_args!("  {:<4} {:>2}  {risk}", direction.word(), at + 1));
            }
        }
    }
    if !kinds.is_empty() {
        output.line("\nwhat to do about it");
        let width = kinds.iter().map(|kind| kind.phrase().len()).max().unwrap_or_default();
        for kind in RiskKind::ALL.into_iter().filter(|kind| kinds.contains(kind)) {
            output.line(format_args!("  {:<width$}  {}", kind.phrase(), dim(kind.remedy())));
        }
    }
    let up_by_hand = reviewed.up.has_own_sql();
    let down_by_hand = reviewed.down.has_own_sql();
    if up_by_hand != down_by_hand {
        let (with, without) = if up_by_hand { ("up", "down") } else { ("down", "up") };
        let file = if up_by_hand { &reviewed.down_file } else { &reviewed.up_file };
        output.line(format_args!(
            "\n  {} the {with} script holds SQL written by hand, the {without} script none: does {} undo it?",
            danger("look:"),
            shown_path(&file.path)
        ));
    }
}

/// Positions of an up step and of the down step that undoes it.
type Pair = (Option<usize>, Option<usize>);

/// Puts each up step beside the down step of the same object, else of the same table; the rest follows.
fn paired(up: &Script, down: &Script) -> Vec<Pair> {
    let mut free: Vec<Option<usize>> = (0..down.steps.len()).rev().map(Some).collect();
    let mut take = |test: &dyn Fn(&ScriptStep) -> bool| -> Option<usize> {
        let slot = free.iter_mut().find(|slot| slot.is_some_and(|at| test(&down.steps[at])))?;
        slot.take()
    };
    let object = |step: &ScriptStep| {
        step.objects()
            .next()
            .and_then(|one| one.split_once(' '))
            .map_or(String::new(), |(_, object)| object.to_lowercase())
    };
    let table = |step: &ScriptStep| object(step).split('.').next().unwrap_or_default().to_owned();
    // A step that gives a name is about the new one, and undone by one about the old.
    let former = |step: &ScriptStep| {
        let names = step.title.strip_prefix("rename column ").or_else(|| step.title.strip_prefix("rename table "));
        names.and_then(|names| names.split_once(" to ")).map(|(old, _)| old.to_lowercase())
    };
    let undoes = |step: &ScriptStep, other: &ScriptStep| match former(step) {
        Some(old) => former(other).is_some() && object(other) == old,
        None => !object(step).is_empty() && object(other) == object(step),
    };
    let exact: Vec<_> = up.steps.iter().map(|step| take(&|other| undoes(step, other))).collect();
    let mut pairs: Vec<Pair> = Vec::new();
    for (at, found) in exact.into_iter().enumerate() {
        let step = &up.steps[at];
        let found = found.or_else(|| take(&|other| !table(step).is_empty() && table(other) == table(step)));
        let found = found.or_else(|| {
            step.object.starts_with("own").then(|| take(&|other| other.object.starts_with("own"))).flatten()
        });
        pairs.push((Some(at), found));
    }
    let rest: Vec<usize> = free.into_iter().flatten().collect();
    pairs.extend(rest.into_iter().map(|at| (None, Some(at))));
    pairs
}

fn title(script: &Script, at: usize) -> String {
    let step = &script.steps[at];
    let mark = if step.is_by_hand() && !step.statements.is_empty() { "  (by hand)" } else { "" };
    format!("{} {}{mark}", at + 1, step.title)
}

fn body_lines(step: &ScriptStep) -> Vec<&str> {
    step.body.trim().lines().collect()
}

fn stacked(reviewed: &Reviewed, pairs: &[Pair], output: &mut Output) {
    for (up, down) in pairs {
        for (direction, at) in [(Direction::Up, up), (Direction::Down, down)] {
            let Some(at) = at else { continue };
            let script = reviewed.script(direction);
            output.line(format_args!(
                "\n{} {}",
                accent(format_args!("{:<4}", direction.word())),
                strong(title(script, *at))
            ));
            for line in body_lines(&script.steps[*at]) {
                output.line(format_args!("    {}", shade(line)));
            }
        }
    }
}

fn beside(reviewed: &Reviewed, pairs: &[Pair], output: &mut Output) {
    let half = (output.width - 3) / 2;
    let (left, right) = (column("up", half), "down".to_owned());
    output.line(format_args!("\n{} {} {}", accent(left), dim("│"), accent(right)));
    for (up, down) in pairs {
        output.line(dim(format_args!("{}┼{}", "─".repeat(half + 1), "─".repeat(half + 1))));
        let side = |script: &Script, at: &Option<usize>| -> Vec<(String, bool)> {
            let Some(at) = at else { return Vec::new() };
            let mut lines: Vec<_> = wrapped(&title(script, *at), half).into_iter().map(|line| (line, true)).collect();
            for line in body_lines(&script.steps[*at]) {
                lines.extend(wrapped(line, half).into_iter().map(|line| (line, false)));
            }
            lines
        };
        let (left, right) = (side(&reviewed.up, up), side(&reviewed.down, down));
        for at in 0..left.len().max(right.len()) {
            let cell = |lines: &[(String, bool)], pad: bool| -> String {
                let Some((line, is_title)) = lines.get(at) else {
                    return if pad { " ".repeat(half) } else { String::new() };
                };
                let text = if pad { column(line, half) } else { line.clone() };
                if *is_title { strong(text) } else { shade(&text) }
            };
            let line = format!("{} {} {}", cell(&left, true), dim("│"), cell(&right, false));
            output.line(line.trim_end());
        }
    }
}

/// Comments step back.
fn shade(line: &str) -> String {
    if line.trim_start().starts_with("--") { dim(line) } else { line.to_owned() }
}

fn column(text: &str, width: usize) -> String {
    let missing = width.saturating_sub(text.width());
    format!("{text}{}", " ".repeat(missing))
}

/// Breaks a line at spaces so that it fits; what follows is indented further than its beginning.
fn wrapped(line: &str, width: usize) -> Vec<String> {
    let spaces = line.len() - line.trim_start().len();
    let mut lines = Vec::new();
    let (mut indent, mut least, mut rest) = (0, spaces, line.trim_end());
    loop {
        let mut used = indent;
        let over = rest.char_indices().find(|(_, character)| {
            used += character.width().unwrap_or(0);
            used > width
        });
        let Some((fits, _)) = over else { break };
        // One letter at least, however narrow it is here.
        let first = rest.chars().next().map_or(0, char::len_utf8);
        let cut = rest[..fits].rfind(' ').filter(|at| *at > least).unwrap_or(fits.max(first));
        lines.push(format!("{}{}", " ".repeat(indent), rest[..cut].trim_end()));
        (indent, least, rest) = ((spaces + 4).min(width / 2), 0, rest[cut..].trim_start());
    }
    if !rest.is_empty() || lines.is_empty() {
        lines.push(format!("{}{rest}", " ".repeat(indent)));
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn long_lines_break_at_spaces() {
        #[track_caller]
        fn case(line: &str, width: usize, expected: &[&str]) {
            assert_eq!(wrapped(line, width), expected);
        }
        case("short", 10, &["short"]);
        case("  one two three", 12, &["  one two", "      three"]);
        case("abcdefghijkl", 5, &["abcde", "  fgh", "  ijk", "  l"]);
        case("größe größe", 6, &["größe", "   grö", "   ße"]);
        case("", 5, &[""]);
        case("one two   ", 7, &["one two"]);
        case("語語", 1, &["語", "語"]);
    }
}
