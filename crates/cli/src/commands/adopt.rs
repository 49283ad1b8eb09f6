//! `oak adopt`: an existing database becomes declarations, and a baseline migration that counts as applied.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use hollow_oak_core::dialect::{Lifted, adopted, lift};
use hollow_oak_core::diff::{describe, diff};
use hollow_oak_core::history::{Decisions, EventKind, FORMAT, Record};
use hollow_oak_core::language::syntax::{Declaration, File};
use hollow_oak_core::language::{declare, print};
use hollow_oak_core::physical::{self, Introspected, ObjectKind, Thing, Unmanaged};
use hollow_oak_core::plural::plural;
use hollow_oak_core::schema::{Check, ForeignKey, Index, ProgramKind, Scope, Unique};
use hollow_oak_core::{Dialect, Provider, Schema};
use hollow_oak_database::{Remembered, Sighting};
use serde_json::json;

use super::diff::show_unmanaged;
use super::drafting::{Written, compose};
use super::init::{self, DECLARATION, FIRST_FILE};
use super::layout::{file_name, file_of, namespace_of};
use super::mark::Marking;
use super::reports::print_reports;
use super::running::confirm;
use crate::args::{AdoptArgs, Global};
use crate::diagnostics::draw;
use crate::exit::Exit;
use crate::failure::{Failure, Result, make_folder, read_file, shown_path, write_file};
use crate::including;
use crate::output::{Output, danger, dim, done, strong};
use crate::project::{Project, find_folder, lower, sql_files};
use crate::sql_files::SqlReading;
use crate::target::{self, Target, is_ignored};
use crate::typed::typed;

/// The title of the first migration, and so the name of its folder.
const BASELINE: &str = "baseline";

/// Takes the database in, after showing what it found and asking.
pub fn run(args: &AdoptArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    if let Some(file) = &args.from {
        return from_file(file, args, global, output);
    }
    let project = match find_folder(global)? {
        Some(_) => Some(Project::open(global)?),
        None if global.url.is_some() => None,
        None => {
            return Err(Failure::new("there is no hollow-oak.toml in this folder or above it")
                .help("`oak adopt --url URL` starts a project here and takes that database in"));
        }
    };
    let target = target::choose(project.as_ref(), global)?;
    let database = target.open()?;
    if !database.server()?.exists {
        return Err(Failure::new(format!("{} is not there", target.described())).help("mend the url of the target"));
    }
    if let Some(project) = &project
        && let Some(exit) = has_begun(project, &target, &*database, global, output)?
    {
        return Ok(exit);
    }
    let (found, mark) = database.survey()?;
    let found = without_broken(found, &database.broken_views()?);
    let (found, set_aside) = wanted(project.as_ref(), found);
    let lifted = lift(target.dialect, &found).map_err(|faults| {
        let mut failure = Failure::new("what the database holds cannot be put into declarations");
        for fault in faults.iter().take(5) {
            failure = failure.detail(format!("{}: {fault}", fault.place.owner));
        }
        failure.help("this is a mistake of oak; nothing was changed")
    })?;
    let lifted = for_all(project.as_ref(), target.dialect, lifted, &found.schema)?;
    let size = Size::of(&lifted, target.dialect.provider());
    if size.is_nothing() && lifted.left_out.is_empty() {
        return Err(Failure::new(format!("{} holds nothing to take in", target.described()))
            .help("`oak init` starts with an empty database"));
    }
    if !global.json {
        show(
            &lifted,
            &found,
            &size,
            Place { name: &target.name, provider: target.provider(), url: &target.url.to_string(), is_file: false },
            output,
        );
    }
    if args.dry_run {
        if global.json {
            output.json(&as_json(&lifted, &size, &target.name, &[], None));
        } else {
            output.line("\nnothing was changed (--dry-run)");
        }
        return Ok(Exit::Done);
    }
    if !confirm(&format!("\ntake {} in?", target.name), global, output)? {
        output.line("nothing was changed");
        return Ok(Exit::Failed);
    }
    let project = match project {
        Some(project) => project,
        None => begin(&global.url.clone().unwrap_or_default(), target.provider(), global)?,
    };
    let files = write_declarations(&project, &lifted.schema, args.split)?;
    let mark = mark.filter(|_| diff(&found.schema, &lifted.lowered).is_empty());
    let unmanaged = [found.unmanaged, set_aside].concat();
    let folder = baseline(&project, &lifted, &target, mark.map(|mark| (mark, unmanaged)))?;
    if global.json {
        output.json(&as_json(&lifted, &size, &target.name, &files, Some(&folder)));
        return Ok(Exit::Done);
    }
    output.line(format_args!("\n{} {}: {} counts as applied", done("adopted"), target.name, strong(&folder)));
    list(&files, output);
    output.next("oak status", "says how the database stands; then edit the declarations and `oak draft` a change");
    Ok(Exit::Done)
}

fn list(files: &[PathBuf], output: &mut Output) {
    for file in files.iter().take(12) {
        output.line(format_args!("  {}", shown_path(file)));
    }
    if files.len() > 12 {
        output.line(format_args!("  and {} more", files.len() - 12));
    }
}

/// Turns a file of SQL into declarations.
fn from_file(path: &Path, args: &AdoptArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    if !path.exists() {
        return Err(Failure::usage(format!("there is no file `{}`", path.display())));
    }
    let mut files = Vec::new();
    sql_files(path, &mut files)?;
    let Some(first) = files.first() else {
        return Err(Failure::usage(format!("there is no .sql file in {}", path.display())));
    };
    let project = match find_folder(global)? {
        Some(_) => Some(Project::open(global)?),
        None => None,
    };
    let reading = SqlReading { project: project.as_ref(), global };
    let of_url = global.url.as_ref().map(|_| target::choose(None, global)).transpose()?.map(|target| target.dialect);
    let dialects = match (&project, of_url) {
        (Some(project), _) => project.settings.dialects.clone(),
        (None, Some(dialect)) => vec![dialect],
        (None, None) => Vec::new(),
    };
    let dialect = reading.dialect(first, &dialects)?;
    for other in &files {
        if reading.dialect(other, &dialects)? != dialect {
            let (one, two) = (shown_path(first), shown_path(other));
            return Err(Failure::usage(format!("{one} and {two} are in the SQL of two providers"))
                .help("`--from` takes the files of one"));
        }
    }
    let url = match (&global.url, dialect.provider()) {
        (Some(url), _) => url.clone(),
        (None, Provider::Sqlite) => "sqlite:app.db".to_owned(),
        (None, provider) if project.is_none() => {
            return Err(Failure::new("there is no project here yet, and a new one has to know its database").help(
                format!(
                    "`oak adopt --from {} --url {provider}://USER@HOST/DATABASE` starts one",
                    typed(&path.display().to_string())
                ),
            ));
        }
        (None, _) => String::new(),
    };
    if let Some(project) = &project {
        refuse_declared(project, &files)?;
    }
    let name = shown_path(path);
    let here = std::env::current_dir().unwrap_or_default();
    let folder = project.as_ref().map_or(&*here, |project| &*project.folder);
    let file = reading.read(including::sources(&files, dialect, folder)?, dialect)?;
    let lifted = for_all(project.as_ref(), dialect, file.lifted(dialect)?, &file.found.schema)?;
    let size = Size::of(&lifted, dialect.provider());
    if size.is_nothing() {
        return Err(Failure::new(format!("{name} makes nothing that could be declared")));
    }
    let place = Place { name: &name, provider: dialect.provider(), url: &name, is_file: true };
    for warning in file.statements_left(0) {
        output.complain(format_args!("{}\n", draw(&warning, &file.parts, output.width)));
    }
    if !global.json {
        show(&lifted, &file.found, &size, place, output);
    }
    if args.dry_run {
        match global.json {
            true => output.json(&as_json(&lifted, &size, &name, &[], None)),
            false => output.line("\nnothing was changed (--dry-run)"),
        }
        return Ok(Exit::Done);
    }
    let project = match project {
        Some(project) => project,
        None => begin(&url, dialect.provider(), global)?,
    };
    let files = write_declarations(&project, &lifted.schema, args.split)?;
    if global.json {
        output.json(&as_json(&lifted, &size, &name, &files, None));
        return Ok(Exit::Done);
    }
    output.line(format_args!("\n{} {name} into declarations", done("turned")));
    list(&files, output);
    output.next(
        "oak draft baseline",
        "makes them a migration; where a database has it all already, `oak mark applied 1` says so",
    );
    Ok(Exit::Done)
}

/// What a schema was read from.
#[derive(Clone, Copy)]
struct Place<'a> {
    name: &'a str,
    provider: Provider,
    url: &'a str,
    is_file: bool,
}

/// Whether the project has declarations or migrations already; a database that was adopted is told so.
fn has_begun(
    project: &Project,
    target: &Target,
    database: &dyn hollow_oak_database::Database,
    global: &Global,
    output: &mut Output,
) -> Result<Option<Exit>> {
    let history = project.history()?;
    let journal = target::journal(project, &history, database)?;
    if let Some(adopted) = journal.applied.iter().find(|one| one.kind == EventKind::Adopted) {
        if global.json {
            output.json(&json!({ "target": target.name, "adopted": null, "at": adopted.at }));
        } else {
            output.line(format_args!(
                "{} {} was adopted {} by {}",
                done("up to date:"),
                target.name,
                adopted.at,
                adopted.by
            ));
            output.next("oak status", "says how it stands");
        }
        return Ok(Some(Exit::Done));
    }
    if let Some(first) = history.migrations().first() {
        return Err(Failure::new(format!("this project has migrations already, from {} on", first.folder)).help(
            "a baseline is the first migration: adopt in a folder of its own (`oak adopt --url URL`); \
             or declare what is missing, and `oak mark applied` what the database has",
        ));
    }
    refuse_declared(project, &[])?;
    Ok(None)
}

/// Declarations that somebody wrote are not written over.
fn refuse_declared(project: &Project, sources: &[PathBuf]) -> Result<()> {
    // A folder that is empty may not have come along with the project; it is made.
    let is_there = |entry: &PathBuf| project.folder.join(entry).exists();
    let files = match project.settings.declarations.iter().any(is_there) {
        true => project.declaration_files()?,
        false => Vec::new(),
    };
    let is_source =
        |path: &PathBuf| sources.iter().any(|source| source.canonicalize().ok() == path.canonicalize().ok());
    let is_template = |path: &PathBuf| -> Result<bool> {
        Ok(path.file_name().is_some_and(|name| name == FIRST_FILE) && read_file(path)? == DECLARATION)
    };
    for path in &files {
        if !is_source(path) && !is_template(path)? {
            return Err(Failure::new(format!("there are declarations already, in {}", shown_path(path))).help(
                "adopting writes them anew: move them away, or adopt in a folder of its own; nothing was changed",
            ));
        }
    }
    Ok(())
}

/// The same for all providers of the project: what another one cannot express is declared for the one that it is from.
fn for_all(project: Option<&Project>, dialect: Dialect, lifted: Lifted, live: &physical::Schema) -> Result<Lifted> {
    let dialects = project.map(|project| project.settings.dialects.as_slice()).unwrap_or_default();
    let others: Vec<Dialect> = dialects.iter().copied().filter(|one| *one != dialect).collect();
    let schema = adopted(dialect, lifted.schema, live, &others).map_err(|fault| {
        let others: Vec<_> = others.iter().map(|one| one.provider().word()).collect();
        Failure::new(format!("not all that was found can be declared beside {}: {fault}", others.join(" and ")))
            .help("take what cannot express it out of [providers] in hollow-oak.toml, adopt, and add it again; nothing was changed")
    })?;
    Ok(Lifted { schema, ..lifted })
}

/// What was found with the views that cannot be made again named as what is left alone.
fn without_broken(found: Introspected, broken: &[String]) -> Introspected {
    let is_broken = |thing: &Thing<'_>| match thing {
        Thing::Program(one) => one.as_unmanaged().kind == ObjectKind::View && broken.contains(&one.name),
        _ => false,
    };
    let (schema, left) = found.schema.parted(|thing| !is_broken(&thing));
    let left =
        left.into_iter().map(|one| Unmanaged { name: format!("{} (it reads what is not there)", one.name), ..one });
    let mut unmanaged = found.unmanaged;
    unmanaged.extend(left);
    Introspected { schema, unmanaged }
}

/// What was found without what the configuration leaves alone, and that.
fn wanted(project: Option<&Project>, found: Introspected) -> (Introspected, Vec<Unmanaged>) {
    let patterns = project.map(|project| project.settings.unmanaged_tables.as_slice()).unwrap_or_default();
    let ignored = |name: &str| is_ignored(patterns, name);
    let (schema, mut rest) = found.schema.parted(|thing| !ignored(thing.name()));
    let (set_aside, unmanaged) = found.unmanaged.into_iter().partition(|one: &Unmanaged| ignored(&one.name));
    rest.extend::<Vec<_>>(set_aside);
    (Introspected { schema, unmanaged }, rest)
}

/// How much there is.
struct Size {
    tables: usize,
    columns: usize,
    /// Columns of the provider's own types.
    native: usize,
    indexes: usize,
    references: usize,
    programs: BTreeMap<String, usize>,
    narrowed: Narrowed,
}

/// How much is not declared for all providers of the project, by what it is. Programs never are.
struct Narrowed {
    /// The one that it was found on.
    provider: Provider,
    /// What some do not have, by the scope.
    alone: BTreeMap<String, BTreeMap<&'static str, usize>>,
    /// What goes without its name on some.
    renamed: BTreeMap<&'static str, usize>,
}

impl Narrowed {
    /// Counts some of a kind; `plain` is the same for what differs in its name and scope alone.
    fn note<T, P: PartialEq>(&mut self, word: &'static str, list: &[T], scope: fn(&T) -> Scope, plain: fn(&T) -> P) {
        let here = self.provider;
        for one in list.iter().filter(|one| scope(one) != Scope::All && scope(one).holds(here)) {
            let is_its = |other: &&T| !scope(other).holds(here) && plain(other) == plain(one);
            match list.iter().find(is_its) {
                Some(_) => *self.renamed.entry(word).or_default() += 1,
                None => *self.alone.entry(scope(one).to_string()).or_default().entry(word).or_default() += 1,
            }
        }
    }

    fn show(&self, output: &mut Output) {
        let counted = |counts: &BTreeMap<&str, usize>| {
            let order = ["table", "column", "unique constraint", "reference", "check", "index"];
            let all = order.iter().filter_map(|word| Some(plural(word, *counts.get(word)?)));
            all.collect::<Vec<_>>().join(", ")
        };
        for (scope, counts) in &self.alone {
            let whom = match (scope.starts_with("for"), scope.contains(',')) {
                (true, _) => "another provider of the project has",
                (false, true) => "those have",
                (false, false) => "that one has",
            };
            output.line(format_args!("  {} declared `{scope}`: {whom} nothing like it", counted(counts)));
        }
        if !self.renamed.is_empty() {
            let counts = counted(&self.renamed);
            output.line(format_args!("  {counts} without the name where another thing has it: one is derived there"));
        }
    }
}

impl Size {
    fn of(lifted: &Lifted, provider: Provider) -> Self {
        let tables = || lifted.schema.tables();
        let mut programs: BTreeMap<String, usize> = BTreeMap::new();
        for one in lifted.schema.programs() {
            *programs.entry(one.word.clone().unwrap_or_else(|| one.kind.word().to_owned())).or_default() += 1;
        }
        let enums = lifted.schema.enums().len();
        if enums > 0 {
            programs.insert("enum".into(), enums);
        }
        let mut narrowed = Narrowed { provider, alone: BTreeMap::new(), renamed: BTreeMap::new() };
        for table in tables() {
            narrowed.note("table", &[table.scope], |scope| *scope, |_| ());
            narrowed.note("column", &table.columns, |one| one.scope, |one| one.name.clone());
            let plain = |one: &Unique| Unique { name: None, scope: Scope::All, ..one.clone() };
            narrowed.note("unique constraint", &table.uniques, |one| one.scope, plain);
            let plain = |one: &ForeignKey| ForeignKey { name: None, scope: Scope::All, ..one.clone() };
            narrowed.note("reference", &table.foreign_keys, |one| one.scope, plain);
            let plain = |one: &Check| Check { name: None, scope: Scope::All, ..one.clone() };
            narrowed.note("check", &table.checks, |one| one.scope, plain);
            let plain = |one: &Index| Index { name: None, scope: Scope::All, ..one.clone() };
            narrowed.note("index", &table.indexes, |one| one.scope, plain);
        }
        let uniques = tables().flat_map(|table| &table.uniques).map(|one| one.scope);
        let indexes = tables().flat_map(|table| &table.indexes).map(|one| one.scope);
        let references = tables().flat_map(|table| &table.foreign_keys).map(|one| one.scope);
        let is_here = |scope: &Scope| scope.holds(provider);
        Self {
            tables: tables().len(),
            columns: tables().map(|table| table.columns.len()).sum(),
            native: tables().flat_map(|table| &table.columns).filter(|column| !column.native.is_empty()).count(),
            indexes: uniques.chain(indexes).filter(is_here).count(),
            references: references.filter(is_here).count(),
            programs,
            narrowed,
        }
    }

    fn is_nothing(&self) -> bool {
        self.tables == 0 && self.programs.is_empty()
    }
}

fn show(lifted: &Lifted, found: &Introspected, size: &Size, place: Place<'_>, output: &mut Output) {
    let left = match lifted.left_out.len() {
        0 => "all of it can be declared".to_owned(),
        count => danger(format_args!("{} cannot be declared", plural("thing", count))).to_string(),
    };
    let what = match size.tables {
        0 => "no tables".to_owned(),
        count => plural("table", count),
    };
    let aside = if place.url == place.name { String::new() } else { format!("  {}", dim(place.url)) };
    let word = if place.is_file { "in" } else { "on" };
    output.line(format_args!("{} {word} {}, {left}{aside}", strong(what), place.name));
    let mut line = |count: usize, word: &str, aside: &str| {
        if count > 0 {
            let counted = plural(word, count);
            match aside.is_empty() {
                true => output.line(format_args!("  {counted}")),
                false => output.line(format_args!("  {counted:<24}{}", dim(aside))),
            }
        }
    };
    let native = match size.native {
        0 => String::new(),
        count => format!("{count} of a type that only {} has", place.provider.title()),
    };
    line(size.columns, "column", &native);
    line(size.indexes, "index", "");
    line(size.references, "reference", "");
    for (word, count) in &size.programs {
        line(*count, word, "");
    }
    size.narrowed.show(output);
    if !lifted.left_out.is_empty() {
        output.line("");
        show_unmanaged(&lifted.left_out, output);
    }
    let changes = diff(&found.schema, &lifted.lowered);
    if !changes.is_empty() {
        output.line(format_args!(
            "\n{} declared, these would not be as they are (what is there → what the declarations say)",
            danger("amiss:")
        ));
        print_reports(&describe(&changes), output);
    }
}

/// Starts a project for the database.
fn begin(url: &str, provider: Provider, global: &Global) -> Result<Project> {
    let here = std::env::current_dir().map_err(|error| Failure::new(format!("there is no working folder: {error}")))?;
    init::start(&here, &init::project_name(&here), url, provider, false)?;
    Project::open(&Global { url: None, ..global.clone() })
}

/// Writes the declarations into the first folder that the configuration names; returns the files.
fn write_declarations(project: &Project, schema: &Schema, split: bool) -> Result<Vec<PathBuf>> {
    let mut entries = project.settings.declarations.iter().map(|entry| project.folder.join(entry));
    let folder = entries.clone().find(|path| path.is_dir());
    // One that is empty may not have come along with the project.
    let missing = || entries.find(|path| !path.exists() && path.extension().is_none());
    let Some(folder) = folder.or_else(missing) else {
        return Err(Failure::new("`declarations` in hollow-oak.toml names no folder")
            .help("adopting writes its files into one: `declarations = [\"schema\"]`"));
    };
    let template = folder.join(FIRST_FILE);
    if template.is_file() {
        std::fs::remove_file(&template).map_err(|error| Failure::file("remove", &template, &error))?;
    }
    let whole = declare(schema);
    let parted = match split {
        true => parted(whole, file_of),
        false => {
            parted(whole, |declaration| namespace_of(declaration).map_or(project.settings.name.clone(), file_name))
        }
    };
    let mut files = Vec::new();
    for (name, file) in parted {
        let path = folder.join(format!("{name}.oak"));
        make_folder(path.parent().unwrap_or(&folder))?;
        write_file(&path, &print(&file))?;
        files.push(path);
    }
    Ok(files)
}

/// The declarations by the names of the files they go to.
fn parted(whole: File, name: impl Fn(&Declaration) -> String) -> BTreeMap<String, File> {
    let mut files: BTreeMap<String, File> = BTreeMap::new();
    for declaration in whole.declarations {
        files.entry(name(&declaration)).or_default().declarations.push(declaration);
    }
    files
}

/// Writes the first migration and notes it as adopted; returns its folder. `seen` is the mark of the catalogue and what
/// there is besides, where the rest is as it was lifted.
fn baseline(
    project: &Project,
    lifted: &Lifted,
    target: &Target,
    seen: Option<(String, Vec<Unmanaged>)>,
) -> Result<String> {
    let (schema, nothing) = (&lifted.schema, Schema::default());
    let id = uuid::Uuid::now_v7().to_string();
    let mut lowered = vec![(target.dialect, lifted.lowered.clone())];
    for dialect in project.settings.dialects.iter().filter(|dialect| **dialect != target.dialect) {
        lowered.push((*dialect, lower(*dialect, schema, "the declarations")?.schema));
    }
    // What is there was made once, whatever its bodies name by now.
    let has_routines = lifted.lowered.programs().any(|one| one.kind == ProgramKind::Routine);
    let unchecked_bodies = has_routines && target.dialect.facts().checks_bodies;
    let choices = Decisions { unchecked_bodies, ..Decisions::default() };
    // What was written is read again meanwhile, and has to mean the same.
    let (read_again, drafted) = std::thread::scope(|scope| {
        let read_again = scope.spawn(|| project.valid_declared());
        let drafted = compose(project, &nothing, schema, &lowered, &choices, &id);
        (read_again.join(), drafted)
    });
    let read_again = read_again.map_err(|_| Failure::new("reading the declarations again broke off"))??;
    if read_again.resolution.schema.as_ref() != Some(schema) {
        return Err(Failure::new("the declarations that were written do not mean what was found")
            .help("this is a mistake of oak; no migration was written, and nothing on the target was changed"));
    }
    let drafted = drafted?;
    let folder = format!("0001-{BASELINE}");
    let record = Record {
        format: FORMAT,
        id,
        title: BASELINE.to_owned(),
        parents: Vec::new(),
        replaces: Vec::new(),
        drafted_at: jiff::Timestamp::now().strftime("%Y-%m-%dT%H:%M:%SZ").to_string(),
        oak_version: env!("CARGO_PKG_VERSION").into(),
        expected: BTreeMap::new(),
        choices,
        accepted: Vec::new(),
        steps: BTreeMap::new(),
    };
    let migrations = project.migrations_folder();
    Written { migrations: &migrations, folder: &folder, schema, drafted: &drafted }.make(record, false)?;
    let history = project.history()?;
    let Some(migration) = history.newest() else { return Err(Failure::new("the baseline was not written")) };
    let mut database = target.create()?;
    let last_seq = target::journal(project, &history, &*database)?.last_seq;
    let expected = migration.record.expected.get(target.provider().word());
    let seen = seen.zip(expected).map(|((mark, unmanaged), expected)| Sighting {
        mark,
        remembered: Remembered { expected: expected.clone(), unmanaged },
    });
    Marking { project, migration, target, event: EventKind::Adopted, reason: None, seen, forms: &[] }
        .write(&mut *database, last_seq)?;
    Ok(folder)
}

fn as_json(lifted: &Lifted, size: &Size, target: &str, files: &[PathBuf], folder: Option<&str>) -> serde_json::Value {
    let left: Vec<&Unmanaged> = lifted.left_out.iter().collect();
    json!({
        "target": target,
        "adopted": folder,
        "tables": size.tables,
        "columns": size.columns,
        "native_columns": size.native,
        "indexes": size.indexes,
        "references": size.references,
        "others": size.programs,
        "left_out": left,
        "files": files.iter().map(|path| shown_path(path)).collect::<Vec<_>>(),
    })
}
