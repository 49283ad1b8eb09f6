//! `oak absorb`: what somebody changed on a target by hand comes into the declarations, and a migration brings it to the
//! others; or it is undone.

use std::collections::BTreeMap;
use std::path::PathBuf;

use hollow_oak_core::Dialect;
use hollow_oak_core::dialect::{Lifted, absorbed, lift};
use hollow_oak_core::diff::{Candidate, Changes, Renames, TableChange, candidates, describe, diff, diff_rows};
use hollow_oak_core::history::{Decisions, EventKind, FORMAT, History, Record, slug};
use hollow_oak_core::language::syntax::Declaration;
use hollow_oak_core::language::{Source, added, parse, patched, resolve};
use hollow_oak_core::physical::{self, Introspected, ObjectKind, Unmanaged};
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::plural::plural;
use hollow_oak_core::schema::{Fault, Schema};
use hollow_oak_core::script::{Direction, Script, write};
use hollow_oak_database::{Database, Outcome};
use serde_json::json;

use super::diff::{counted, show_unmanaged, with_differences};
use super::drafting::{
    AskedBy, Report, Written, compose, refuse_one_way, refuse_useless, report, settle_fills, settle_keeping,
    settle_renames,
};
use super::init::FIRST_FILE;
use super::layout::place_of;
use super::mark::Marking;
use super::reports::print_reports;
use super::running::{Doing, confirm, made_by};
use super::sync::{Run, print_sql, refuse_loss, show, with_rows};
use crate::args::{AbsorbArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result, make_folder, read_file, shown_path, write_file};
use crate::line_ends::LineEnds;
use crate::output::{Output, done, strong};
use crate::project::Project;
use crate::sql_files::is_sql;
use crate::target::{self, State, Target, examine, managed_only, newest_applied};
use crate::typed::typed;

/// Takes the changes in, or undoes them, after showing them and asking.
pub fn run(args: &AbsorbArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    let project = Project::open(global)?;
    refuse_useless(&args.decided, &project.settings.dialects)?;
    let history = project.history()?;
    let target = target::choose(Some(&project), global)?;
    let database = target.open()?;
    let state = examine(&project, &history, &target, &*database)?;
    refuse(args, &project, &history, &state, &target)?;
    let by_hand = ByHand::of(args, &state, &*database)?;
    let renaming = Renaming { args, dialect: target.dialect, live: &state.live };
    // The SQL that would undo it stands alone.
    let shows = !(global.json || args.undo && args.dry_run);
    if by_hand.changes.is_empty() {
        let newest = newest_applied(&history, &state.standing);
        let wanted = project.physical_after(newest, target.dialect)?;
        let by_hand = by_hand.with_rows_of(&wanted);
        let rows = by_hand.rows(&*database)?;
        if rows.is_empty() {
            return nothing(&state, &target, global, output);
        }
        if !args.undo {
            return Err(rows_differ(&rows, &target));
        }
        if shows {
            output.line(format_args!("{} by hand on {}", strong(counted(&describe(&rows))), target.name));
            print_reports(&describe(&rows), output);
            output.line("");
        }
        return undo(&renaming, &project, &state, &by_hand, &target, global, output);
    }
    if shows {
        output.line(format_args!(
            "{} by hand on {}; what its newest migration left → what is there",
            strong(counted(&describe(&by_hand.changes))),
            target.name
        ));
        print_reports(&describe(&by_hand.changes), output);
        output.line("");
    }
    if args.undo {
        return undo(&renaming, &project, &state, &by_hand, &target, global, output);
    }
    let absorbing = Absorbing { args, project: &project, history: &history, target: &target, renaming: &renaming };
    let edited = absorbing.edited(&by_hand, output)?;
    if args.dry_run {
        if global.json {
            let files: BTreeMap<_, _> = edited.files.iter().map(|(path, text)| (shown_path(path), text)).collect();
            output.json(&json!({ "target": target.name, "dry_run": true, "files": files }));
            return Ok(Exit::Done);
        }
        for (path, text) in &edited.files {
            output.line(format_args!("{} would read:", shown_path(path)));
            output.text(text);
        }
        return Ok(Exit::Done);
    }
    if !confirm("take this into the declarations?", global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    absorbing.finish(&edited, global, output)
}

/// What was changed.
struct ByHand {
    /// As the newest migration left it.
    expected: physical::Schema,
    /// As it is, what is managed and what is to be taken in.
    live: physical::Schema,
    changes: Changes,
}

impl ByHand {
    fn of(args: &AbsorbArgs, state: &State, database: &dyn Database) -> Result<Self> {
        let expected = state.expected().clone();
        for name in &args.names {
            let is_there = state.unmanaged.iter().any(|one| one.name == *name);
            if !is_there {
                let known = state.unmanaged.iter().map(|one| one.name.as_str());
                let nearest =
                    hollow_oak_core::nearest::nearest(name, known).map(|name| format!("did you mean `{name}`?"));
                return Err(Failure::usage(format!("nothing unmanaged is called `{name}`"))
                    .help(nearest.unwrap_or_else(|| "`oak status` lists what nobody declared".into())));
            }
        }
        let open = if args.names.is_empty() { Vec::new() } else { declarable(state) };
        let closed = |name: &String| {
            let called = || state.unmanaged.iter().filter(|one| one.name == *name);
            called().next().filter(|_| !called().any(|one| open.contains(&one)))
        };
        if let Some(one) = args.names.iter().find_map(closed) {
            return Err(Failure::usage(format!("{} `{}` cannot be declared", one.kind, one.name)).help(
                "it is left alone; make it on other targets by hand, or by own SQL of a migration (docs/own-sql.md)",
            ));
        }
        let mut rest: Vec<Unmanaged> = Vec::new();
        let wanted = |name: &str| is_wanted(args, name);
        let (mut live, left) = state.live.clone().parted(|thing| expected.has(thing) || wanted(thing.name()));
        rest.extend(left);
        let described = |owner: &str, column: Option<&str>| wanted(column.unwrap_or(owner));
        target::confirm_but(database, &mut live, &expected, &mut rest, described)?;
        let changes = diff(&expected, &live);
        Ok(Self { expected, live, changes })
    }

    /// The same with the rows that are declared as well, where nothing else was changed.
    fn with_rows_of(self, declared: &physical::Schema) -> Self {
        let expected = self.live.clone().with_rows(declared.row_sets().cloned());
        Self { expected, ..self }
    }

    /// Declared rows that are other ones now.
    fn rows(&self, database: &dyn Database) -> Result<Changes> {
        let live = with_rows(self.live.clone(), &self.expected, &Renames::default(), database)?;
        Ok(Changes { rows: diff_rows(&self.expected, &live), ..Changes::default() })
    }
}

/// What nobody declared, and could be declared. What is not among the things of the database has no form in the language, but
/// for descriptions.
fn declarable(state: &State) -> Vec<&Unmanaged> {
    let (_, things) = state.live.clone().parted(|_| false);
    state.unmanaged.iter().filter(|one| one.kind == ObjectKind::Comment || things.contains(one)).collect()
}

/// Whether something that nobody declared was named. So is a table that a declared one is said to have become.
fn is_wanted(args: &AbsorbArgs, name: &str) -> bool {
    let mut renamed = args.decided.rename.iter().filter_map(|one| Some(one.split_once('=')?.1.trim()));
    args.names.iter().any(|one| one == name) || renamed.any(|new| new == name)
}

/// Declared rows are taken in by hand: what they are to be is said in one place only.
fn rows_differ(rows: &Changes, target: &Target) -> Failure {
    let failure = Failure::new(format!("declared rows of {} are not as declared", target.name));
    with_differences(failure, rows).help(format!(
        "`oak absorb --undo` brings them back; or declare them as they are, `oak draft` it, and `oak mark applied` what {} has",
        target.name
    ))
}

/// What stands against it.
fn refuse(args: &AbsorbArgs, project: &Project, history: &History, state: &State, target: &Target) -> Result<()> {
    if let Some(unfinished) = &state.journal.unfinished {
        return Err(Failure::new(format!("migration \"{}\" was interrupted on {}", unfinished.title, target.name))
            .help("`oak apply` goes on with it, `oak revert` undoes it"));
    }
    let Some(newest) = newest_applied(history, &state.standing) else {
        return Err(Failure::new(format!("{} has no migration yet to compare with", target.name))
            .help("`oak adopt` takes a database in; `oak apply` brings one up"));
    };
    if args.undo {
        return Ok(());
    }
    if !state.standing.pending.is_empty() {
        let count = plural("migration", state.standing.pending.len());
        return Err(Failure::new(format!("{} has {count} to apply first", target.name))
            .help("`oak apply --despite drift` first; then what was changed by hand comes on top"));
    }
    if let Some(file) = project.declaration_files()?.iter().find(|path| is_sql(path)) {
        let file = shown_path(file);
        return Err(Failure::new(format!("the declarations are in {file}, and absorbing edits .oak files only"))
            .help(format!("change {file} by hand, `oak draft`, and `oak mark applied` what {} has; `oak adopt --from {}` turns it into .oak", target.name, typed(&file))));
    }
    let declared = project.valid_declared()?;
    let schema = declared.resolution.schema.as_ref();
    if !schema.is_some_and(|schema| schema.says_the_same(&project.schema_after(newest).unwrap_or_default())) {
        return Err(Failure::new("the declarations have changed since the newest migration")
            .help("`oak draft` that change, or take it back; then `oak absorb` again"));
    }
    Ok(())
}

fn nothing(state: &State, target: &Target, global: &Global, output: &mut Output) -> Result<Exit> {
    if global.json {
        output.json(&json!({ "target": target.name, "absorbed": null, "unmanaged": state.unmanaged }));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} nothing was changed by hand on {}", done("up to date:"), target.name));
    if !state.unmanaged.is_empty() {
        output.line("");
        show_unmanaged(&state.unmanaged, output);
    }
    if let Some(first) = declarable(state).first() {
        output.next(&format!("oak absorb {}", typed(&first.name)), "takes in what nobody declared, by name");
    }
    Ok(Exit::Done)
}

/// Brings the target back.
fn undo(
    renaming: &Renaming,
    project: &Project,
    state: &State,
    by_hand: &ByHand,
    target: &Target,
    global: &Global,
    output: &mut Output,
) -> Result<Exit> {
    let args = renaming.args;
    let choices = Choices { renames: renaming.undone(by_hand, output)?, ..Choices::default() };
    let live = with_rows(by_hand.live.clone(), &by_hand.expected, &choices.renames, &*target.open()?)?;
    let steps = plan(target.dialect, &live, &by_hand.expected, &choices);
    let text = write(target.dialect, "undo", Direction::Up, &steps);
    if args.dry_run {
        print_sql(&text, target, global, output);
        return Ok(Exit::Done);
    }
    if !global.json {
        show(&steps, output);
        output.line("");
    }
    refuse_loss("oak absorb --undo", &args.accept, &steps)?;
    let script = Script::read(target.dialect, &text)
        .map_err(|error| Failure::new(format!("the generated script cannot be read back: {error}")))?;
    if !confirm(&format!("run it on {}?", target.name), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    let outcome = Outcome { gone: by_hand.live.keys(), schema: by_hand.expected.clone(), made: made_by([&script]) };
    let last_seq = state.journal.last_seq;
    let doing = Doing::Undoing;
    Run { project, target, text: &text, script: &script, outcome: &outcome, last_seq, doing, source: "" }
        .run(output)?;
    if global.json {
        let titles: Vec<_> = steps.steps.iter().map(|planned| planned.step.title()).collect();
        output.json(&json!({ "target": target.name, "undone": titles }));
    } else {
        output.line(format_args!("{} what was changed by hand on {}", done("undid"), target.name));
    }
    Ok(Exit::Done)
}

/// The declarations with the changes in them.
struct Edited {
    files: BTreeMap<PathBuf, String>,
    schema: Schema,
    decisions: Decisions,
    /// Columns that rows elsewhere have no value for.
    unfilled: Vec<String>,
}

/// A file before the change and after it.
struct Text {
    ends: LineEnds,
    before: String,
    after: String,
}

/// The first mistake of a list that has warnings in it as well.
fn first_error(faults: &[Fault]) -> String {
    faults.iter().find(|fault| fault.is_error()).map(ToString::to_string).unwrap_or_default()
}

fn cannot_be_taken(what: impl std::fmt::Display) -> Failure {
    Failure::new(format!("this cannot be taken in: {what}"))
        .help("change the declarations by hand and `oak draft`; `oak mark applied` then says that it is there; nothing was changed")
}

/// What was renamed by hand, as far as it was said, or is asked.
struct Renaming<'a> {
    args: &'a AbsorbArgs,
    dialect: Dialect,
    /// All that is there.
    live: &'a physical::Schema,
}

impl Renaming<'_> {
    /// What was typed, as far as another option comes behind it.
    fn command(&self) -> String {
        let undo = if self.args.undo { " --undo" } else { "" };
        let names = self.args.names.iter().map(|name| format!(" {}", typed(name)));
        let renames = self.args.decided.rename.iter().map(|one| format!(" --rename {}", typed(one)));
        let kept = self.args.decided.no_rename.iter().map(|one| format!(" --no-rename {}", typed(one)));
        format!("oak absorb{undo}{}", names.chain(renames).chain(kept).collect::<String>())
    }

    /// What a database holds, as it would be declared.
    fn lifted(&self, schema: &physical::Schema) -> Result<Lifted> {
        let found = Introspected { schema: schema.clone(), unmanaged: Vec::new() };
        lift(self.dialect, &found).map_err(|faults| match self.args.undo {
            true => Failure::new(format!("what was renamed cannot be looked for: {}", first_error(&faults)))
                .help("bring that back by hand first; nothing was changed"),
            false => cannot_be_taken(first_error(&faults)),
        })
    }

    /// A declared table that went may be one that nobody declared: by itself it would be dropped everywhere, or, undone, be
    /// made again without its rows.
    fn refuse_half(&self, old: &Schema, by_hand: &ByHand) -> Result<()> {
        if !by_hand.changes.tables.iter().any(|change| matches!(change, TableChange::Drop(_))) {
            return Ok(());
        }
        let all = self.lifted(self.live)?;
        let is_open = |one: &Candidate| {
            let answers = self.args.decided.no_rename.contains(&one.old_path());
            one.table.is_none() && by_hand.live.table(&one.new).is_none() && !answers
        };
        let Some(one) = candidates(old, &all.schema, &Renames::default()).into_iter().find(is_open) else {
            return Ok(());
        };
        let (old, new, command) = (one.old_path(), &one.new, self.command());
        let (kept, not) = match self.args.undo {
            true => ("gives it back its name, with its rows", "makes it again, without rows"),
            false => ("keeps its rows under the new name", "drops it everywhere"),
        };
        Err(Failure::usage(format!("table {old} went, and table {new}, which nobody declared, could be it"))
            .detail(format!("{command} --rename {}    {kept}", typed(&format!("{old}={new}"))))
            .detail(format!("{command} --no-rename {}    {not}", typed(&old)))
            .help("run one of the two; nothing was changed"))
    }

    /// Asks what was renamed.
    fn settle(&self, old: &Schema, new: &Schema, output: &mut Output) -> Result<Decisions> {
        let mut decisions = self.args.decided.decisions();
        settle_renames(&mut decisions, old, new, &AskedBy { command: &self.command(), declared: false }, output)?;
        Ok(decisions)
    }

    /// The way back from what was renamed.
    fn undone(&self, by_hand: &ByHand, output: &mut Output) -> Result<Renames> {
        let (old, new) = (self.lifted(&by_hand.expected)?.schema, self.lifted(&by_hand.live)?.schema);
        self.refuse_half(&old, by_hand)?;
        Ok(self.settle(&old, &new, output)?.renames(&old, &new)?.inverse())
    }
}

struct Absorbing<'a> {
    args: &'a AbsorbArgs,
    project: &'a Project,
    history: &'a History,
    target: &'a Target,
    renaming: &'a Renaming<'a>,
}

/// What helps where a file could not be edited so that it says what it is to say.
const LAID_OUT: &str = "`oak format` first, if the files are laid out by hand";

impl Absorbing<'_> {
    /// Edits the files, and makes sure that they say just what is there; nothing is written yet.
    fn edited(&self, by_hand: &ByHand, output: &mut Output) -> Result<Edited> {
        let dialect = self.target.dialect;
        let declared = self.project.valid_declared()?;
        let old = declared.resolution.schema.as_ref().ok_or_else(|| Failure::new("the declarations cannot be read"))?;
        let lifted = self.renaming.lifted(&by_hand.live)?;
        if let Some(first) = lifted.left_out.first() {
            return Err(cannot_be_taken(format!("{} {}", first.kind, first.name)));
        }
        self.renaming.refuse_half(old, by_hand)?;
        let before = self.renaming.lifted(&by_hand.expected)?;
        let mut decisions = self.renaming.settle(&before.schema, &lifted.schema, output)?;
        let renames = decisions.renames(&before.schema, &lifted.schema)?;
        let renamed = self.renamed(old, &lifted.schema, by_hand, &renames)?;
        let (declared, live, changes) = &renamed;
        let others: Vec<_> = self.project.settings.dialects.iter().copied().filter(|one| *one != dialect).collect();
        let new = absorbed(dialect, declared, live, &lifted.schema, changes, &others).map_err(cannot_be_taken)?;
        let unfilled = settle_fills(&mut decisions, old, &new, &self.project.settings.dialects, output)?;
        refuse_one_way(&decisions, old, &new)?;
        settle_keeping(&mut decisions, old, &new, self.project.settings.keep_dropped)?;
        let renames = decisions.renames(old, &new)?;
        let texts = self.texts(old, &new, &renames)?;
        let sources: Vec<Source> = texts
            .iter()
            .map(|(path, text)| Source { name: path.display().to_string(), text: text.after.clone() })
            .collect();
        let schema =
            resolve(&sources).schema.ok_or_else(|| cannot_be_taken("the edited declarations cannot be read"))?;
        let lowered = dialect.lower(&schema).map_err(|faults| cannot_be_taken(first_error(&faults)))?;
        for other in others {
            let lower = |schema| other.lower(schema).map_err(|faults| cannot_be_taken(first_error(&faults)));
            if let Some(report) = describe(&diff(&lower(&new)?.schema, &lower(&schema)?.schema)).first() {
                let provider = other.provider().title();
                let what = format!("{} would be another one on {provider} ({LAID_OUT})", report.table);
                return Err(cannot_be_taken(what));
            }
        }
        let mut rest = Vec::new();
        let mut live = managed_only(by_hand.live.clone(), &lowered.schema, &mut rest);
        target::confirm(&*self.target.open()?, &mut live, &lowered.schema, &mut rest)?;
        let changes = diff(&live, &lowered.schema);
        if let Some(report) = describe(&changes).first() {
            let failure = cannot_be_taken(format!("{} would not be declared as it is ({LAID_OUT})", report.table));
            return Err(with_differences(failure, &changes));
        }
        let changed = texts.into_iter().filter(|(_, text)| text.before != text.after);
        let files = changed.map(|(path, text)| (path, text.ends.in_file(&text.after))).collect();
        Ok(Edited { files, schema, decisions, unfilled })
    }

    /// The declarations under the names that things have now, and what was changed beside those. What other providers have of
    /// a column goes with it to its new name.
    fn renamed(
        &self,
        old: &Schema,
        found: &Schema,
        by_hand: &ByHand,
        renames: &Renames,
    ) -> Result<(Schema, physical::Schema, Changes)> {
        if renames.is_empty() {
            return Ok((old.clone(), by_hand.live.clone(), by_hand.changes.clone()));
        }
        let declared = renames.declared(old, found).map_err(|faults| cannot_be_taken(first_error(&faults)))?;
        let expected =
            self.target.dialect.lower(&declared).map_err(|faults| cannot_be_taken(first_error(&faults)))?.schema;
        let mut live = by_hand.live.clone();
        let described = |owner: &str, column: Option<&str>| is_wanted(self.args, column.unwrap_or(owner));
        target::confirm_but(&*self.target.open()?, &mut live, &expected, &mut Vec::new(), described)?;
        let changes = diff(&expected, &live);
        Ok((declared, live, changes))
    }

    /// The declaration files, and those that come with what is new, before the change and after it.
    fn texts(&self, old: &Schema, new: &Schema, renames: &Renames) -> Result<BTreeMap<PathBuf, Text>> {
        let mut before: BTreeMap<PathBuf, (LineEnds, String)> = BTreeMap::new();
        for path in self.project.declaration_files()? {
            let text = LineEnds::of(read_file(&path)?);
            before.insert(path, text);
        }
        let laid_out: Vec<_> = before.iter().map(|(path, (_, text))| (path.clone(), parse(text).0)).collect();
        let first = self.project.settings.declarations.first().map(|entry| self.project.folder.join(entry));
        let added = added(old, new, renames);
        let mut places: BTreeMap<PathBuf, Vec<&Declaration>> = BTreeMap::new();
        for declaration in &added {
            let path = place_of(declaration, &laid_out).or_else(|| Some(first.as_ref()?.join(FIRST_FILE)));
            let path = path.ok_or_else(|| cannot_be_taken("there is no file for it"))?;
            before.entry(path.clone()).or_default();
            places.entry(path).or_default().push(declaration);
        }
        let edited = |(path, (ends, before)): (PathBuf, (LineEnds, String))| {
            let added = places.get(&path).map(Vec::as_slice).unwrap_or_default();
            let after = patched(&before, old, new, renames, added);
            (path, Text { ends, before, after })
        };
        Ok(before.into_iter().map(edited).collect())
    }

    /// Writes the files and the migration, and notes it as applied.
    fn finish(&self, edited: &Edited, global: &Global, output: &mut Output) -> Result<Exit> {
        let before =
            self.history.newest().map(|newest| self.project.schema_after(newest)).transpose()?.unwrap_or_default();
        for (path, text) in &edited.files {
            make_folder(path.parent().unwrap_or(path))?;
            write_file(path, text)?;
        }
        let declared = self.project.valid_declared()?;
        let id = uuid::Uuid::now_v7().to_string();
        let decisions = edited.decisions.clone();
        let drafted = compose(self.project, &before, &edited.schema, &declared.lowered, &decisions, &id)?;
        let folder = format!("{:04}-{}", self.history.next_number(), slug(&self.args.title));
        let record = Record {
            format: FORMAT,
            id: id.clone(),
            title: self.args.title.trim().to_owned(),
            parents: self.history.newest().map(|parent| parent.id().to_owned()).into_iter().collect(),
            replaces: Vec::new(),
            drafted_at: jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
            oak_version: env!("CARGO_PKG_VERSION").into(),
            expected: BTreeMap::new(),
            choices: decisions,
            accepted: Vec::new(),
            steps: BTreeMap::new(),
        };
        let migrations = self.project.migrations_folder();
        Written { migrations: &migrations, folder: &folder, schema: &edited.schema, drafted: &drafted }
            .make(record, false)?;
        let history = self.project.history()?;
        let migration = &history.migrations()[history.find(&folder)?];
        let mut database = self.target.create()?;
        let last_seq = target::journal(self.project, &history, &*database)?.last_seq;
        let (event, reason) = (EventKind::MarkedApplied, Some("changed by hand, and absorbed"));
        Marking { project: self.project, migration, target: self.target, event, reason, seen: None, forms: &[] }
            .write(&mut *database, last_seq)?;
        let path = migrations.join(&folder);
        let told = Report {
            verb: "absorbed",
            path: &path,
            folder: &folder,
            drafted: &drafted,
            unfilled: &edited.unfilled,
            counted: None,
            empty: false,
            absorbed: Some((&self.target.name, edited.files.keys().map(PathBuf::as_path).collect())),
        };
        report(&told, global, output);
        Ok(Exit::Done)
    }
}
