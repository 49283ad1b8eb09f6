//! `oak sync`: a target is brought in line with the declarations, and no migration is kept. For prototypes.

use hollow_oak_core::diff::Renames;
use hollow_oak_core::history::{EventKind, SYNC};
use hollow_oak_core::physical::{Schema, Thing};
use hollow_oak_core::plan::{Choices, Plan, PlannedStep, RiskKind, plan, questions};
use hollow_oak_core::plural::plural;
use hollow_oak_core::script::{Direction, Script, write};
use hollow_oak_database::{Database, JournalEntry, Migrating, Outcome, Scripts};
use serde_json::json;

use super::diff::show_unmanaged;
use super::drafting::risk_text;
use super::running::{Broken, Doing, confirm, made_by, refuse_broken, waiting_text};
use crate::args::{Global, SyncArgs};
use crate::counting::{Counted, is_asked_about};
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::{Output, dim, done, strong};
use crate::project::Project;
use crate::target::{self, Target, is_ignored, script_sha};

/// Plans the difference, shows it, asks, and runs it.
pub fn run(args: &SyncArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    let target = target::choose(Some(&project), global)?;
    let mut declared = project.valid_declared()?;
    let Some(logical) = declared.resolution.schema.take() else {
        return Err(Failure::new("the declarations cannot be read"));
    };
    let wanted = declared.take_physical(target.dialect);
    let database = target.open()?;
    let last_seq = refuse_history(args, &project, &*database, &target)?;
    let found = database.introspect()?;
    let ignored = |name: &str| is_ignored(&project.settings.unmanaged_tables, name);
    let (live, _) = found.schema.parted(|thing| !ignored(thing.name()));
    let live = live.called_as_in(&wanted);
    let renames = Renames::by_presence(&live, &logical);
    let mut unmanaged = Vec::new();
    let mut from = match args.drop {
        true => live,
        false => {
            let is_renamed = |thing: Thing<'_>| match thing {
                Thing::Table(table) => renames.new_table(&table.name) != table.name,
                Thing::Enum(_) | Thing::Program(_) => false,
            };
            let (managed, rest) = live.parted(|thing| wanted.has(thing) || is_renamed(thing));
            unmanaged.extend(rest);
            managed
        }
    };
    unmanaged.extend(found.unmanaged.into_iter().filter(|one| !ignored(&one.name)));
    if renames.is_empty() {
        target::confirm(&*database, &mut from, &wanted, &mut unmanaged)?;
    }
    unmanaged.sort();
    let from = with_rows(from, &wanted, &renames, &*database)?;
    let choices = Choices { renames, ..Choices::default() };
    let plan = plan(target.dialect, &from, &wanted, &choices);
    if plan.steps.is_empty() {
        if global.json {
            output.json(&json!({ "target": target.name, "steps": [], "unmanaged": unmanaged }));
        } else {
            output.line(format_args!("{} {} is as declared; nothing to do", done("up to date:"), target.name));
            if !unmanaged.is_empty() {
                show_unmanaged(&unmanaged, output);
            }
        }
        return Ok(Exit::Done);
    }
    let text = write(target.dialect, SYNC, Direction::Up, &plan);
    if args.dry_run {
        print_sql(&text, &target, global, output);
        return Ok(Exit::Done);
    }
    let asks = |planned: &PlannedStep| planned.risks.iter().any(|risk| is_asked_about(risk.kind));
    let counted = match plan.steps.iter().any(asks) {
        true => Counted::ask(questions(target.dialect, &from, &wanted, &choices), &*database),
        false => Counted::nothing(),
    };
    if !global.json {
        output.line(format_args!(
            "{} to bring {} in line with the declarations  {}\n",
            strong(plural("step", plan.steps.len())),
            target.name,
            dim(&target.url)
        ));
        show(&plan, output);
        counted.show(&target.name, output);
        if !unmanaged.is_empty() {
            output.line("");
            show_unmanaged(&unmanaged, output);
        }
        output.line("");
    }
    if let [first, rest @ ..] = &*counted.refused() {
        let mut failure = Failure::new(format!("{} would refuse it: {first}", target.name));
        for more in rest {
            failure = failure.detail(more.clone());
        }
        return Err(
            failure.help("mend the rows; or draft a migration, which can fill and convert; nothing was changed")
        );
    }
    refuse_loss("oak sync", &args.accept, &plan)?;
    let script = Script::read(target.dialect, &text)
        .map_err(|error| Failure::new(format!("the generated script cannot be read back: {error}")))?;
    for preflight in database.preflight(&[&script])? {
        refuse_broken(&preflight, "this", &target.name)?;
    }
    if !confirm(&format!("run it on {}?", target.name), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    drop(database);
    let outcome = Outcome { gone: from.keys(), schema: wanted, made: made_by([&script]) };
    let (project, target, doing) = (&project, &target, Doing::Syncing);
    Run { project, target, text: &text, script: &script, outcome: &outcome, last_seq, doing, source: "" }
        .run(output)?;
    if global.json {
        let steps: Vec<_> = plan.steps.iter().map(|planned| planned.step.title()).collect();
        output.json(&json!({
            "target": target.name, "steps": steps, "unmanaged": unmanaged, "counted": counted.as_json(),
        }));
    } else {
        output.line(format_args!("{} {} with the declarations", done("synced"), target.name));
    }
    Ok(Exit::Done)
}

/// A target with a history is changed by migrations.
fn refuse_history(args: &SyncArgs, project: &Project, database: &dyn Database, target: &Target) -> Result<i64> {
    let journal = target::journal(project, &project.history()?, database)?;
    if let Some(unfinished) = &journal.unfinished {
        return Err(Failure::new(format!("migration \"{}\" was interrupted on {}", unfinished.title, target.name))
            .help("`oak apply` goes on with it, `oak revert` undoes it"));
    }
    if !journal.applied.is_empty() && !args.anyway {
        return Err(Failure::new(format!(
            "{} has {} in its journal, and a sync would leave it drifted from them",
            target.name,
            plural("migration", journal.applied.len())
        ))
        .help("`oak draft` and `oak apply` change it; `oak sync --anyway` does all the same; nothing was changed"));
    }
    Ok(journal.last_seq)
}

/// A database with those of the wanted rows that it has, also where they stand under other names so far.
pub(super) fn with_rows(from: Schema, wanted: &Schema, renames: &Renames, database: &dyn Database) -> Result<Schema> {
    let mut found = Vec::new();
    for set in wanted.row_sets().map(|set| renames.former_rows(set)) {
        let Some(table) = from.table(&set.table) else { continue };
        if set.columns.iter().all(|name| table.column(name).is_some()) {
            found.push(database.find_rows(&set)?);
        }
    }
    Ok(from.with_rows(found))
}

/// Prints what would run.
pub(super) fn print_sql(sql: &str, target: &Target, global: &Global, output: &mut Output) {
    match global.json {
        true => output.json(&json!({ "target": target.name, "dry_run": true, "sql": sql })),
        false => output.text(sql),
    }
}

/// Prints a plan with its risks.
pub(super) fn show(plan: &Plan, output: &mut Output) {
    for (at, planned) in plan.steps.iter().enumerate() {
        output.line(format_args!("  {:>2}  {}", at + 1, planned.step.title()));
        for reason in planned.step.reasons() {
            output.sentence(8, reason);
        }
        for risk in &planned.risks {
            output.sentence(8, risk_text(risk));
        }
    }
}

/// What loses data is run only where somebody said so.
pub(super) fn refuse_loss(command: &str, accept: &[String], plan: &Plan) -> Result<()> {
    let loses = |planned: &&hollow_oak_core::plan::PlannedStep| {
        planned.risks.iter().any(|risk| risk.kind == RiskKind::LosesData)
    };
    let open: Vec<String> = plan.steps.iter().filter(loses).map(|planned| planned.step.title()).collect();
    if open.is_empty() || accept.iter().any(|word| word == RiskKind::LosesData.word()) {
        return Ok(());
    }
    let mut failure = Failure::new("this loses data");
    for title in open {
        failure = failure.detail(title);
    }
    Err(failure.help(format!(
        "`{command} --accept loses-data` runs it all the same; a draft with `--keep` puts the values aside instead; \
         nothing was changed"
    )))
}

/// A script that is of no migration, about to run.
pub(super) struct Run<'a> {
    pub(super) project: &'a Project,
    pub(super) target: &'a Target,
    pub(super) text: &'a str,
    pub(super) script: &'a Script,
    pub(super) outcome: &'a Outcome,
    pub(super) last_seq: i64,
    pub(super) doing: Doing,
    /// The file that it stands in, where it does.
    pub(super) source: &'a str,
}

impl Run<'_> {
    pub(super) fn run(&self, output: &mut Output) -> Result<()> {
        let mut database = self.target.create()?;
        let sha = script_sha(self.text);
        let scripts = Scripts { up: self.text, up_sha: &sha, down: "", down_sha: &script_sha("") };
        let entry = JournalEntry {
            project: &self.project.settings.name,
            migration: SYNC,
            title: SYNC,
            event: EventKind::Synced,
            overrides: "",
            reason: None,
            scripts,
            expected: "",
            oak_version: env!("CARGO_PKG_VERSION"),
        };
        let migrating = Migrating {
            entry,
            keep: &[scripts],
            script: self.script,
            last_seq: self.last_seq,
            schema_state: None,
            outcome: Some(self.outcome),
            is_followed: false,
            resume: None,
        };
        let name = &self.target.name;
        let ran = database.run(&migrating, &mut |waiting| output.say(waiting_text(&waiting, name)));
        ran.map(|_| ()).map_err(|failure| {
            let broken = Broken {
                migration: SYNC.to_owned(),
                script: self.source.into(),
                doing: self.doing,
                target: name.clone(),
                provider: self.target.provider(),
                before: 0,
                at: "as it was before".into(),
            };
            broken.explain(failure)
        })
    }
}
