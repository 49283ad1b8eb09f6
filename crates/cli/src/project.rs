//! A project on disk: its configuration, declarations and migrations.

use std::mem::ManuallyDrop;
use std::ops::Range;
use std::path::{Path, PathBuf};

use hollow_oak_core::dialect::{Lowered, Origins};
use hollow_oak_core::history::{History, Migration, Record, StepRecords};
use hollow_oak_core::language::{Diagnostic, Label, Resolution, Source, resolve};
use hollow_oak_core::plural::plural;
use hollow_oak_core::schema::Fault;
use hollow_oak_core::script::{Direction, Script};
use hollow_oak_core::{Dialect, Schema, physical};

use crate::args::Global;
use crate::diagnostics::draw;
use crate::failure::{Failure, Result, read_file, shown_path};
use crate::including;
use crate::output::terminal_width;
use crate::settings::{self, Settings};
use crate::sql_files::{SqlReading, is_sql};
use crate::typed::typed;

/// The file that holds the declared schema after a migration.
pub const SCHEMA_FILE: &str = "schema.oak";

/// The file that holds a migration's record.
pub const RECORD_FILE: &str = "record.toml";

/// A project.
#[derive(Debug)]
pub struct Project {
    /// Its folder.
    pub folder: PathBuf,
    /// Its configuration.
    pub settings: Settings,
    /// The options that it was opened with.
    pub global: Global,
}

/// What the declarations say.
///
/// It is read once and used to the end of the process. Taking it apart again, text by text, would be a tenth of a run
/// over a thousand tables, so that is left to the end of the process, too.
pub struct Declared {
    /// How many files they are in.
    pub files: usize,
    /// The files, and of those in SQL what was made of them.
    pub sources: ManuallyDrop<Vec<Source>>,
    /// What reading them gave.
    pub resolution: ManuallyDrop<Resolution>,
    /// What each provider will store, where nothing is wrong.
    pub lowered: ManuallyDrop<Vec<(Dialect, physical::Schema)>>,
}

/// The folder of the project that somebody works on: the one given, or the nearest upwards with a configuration.
pub fn find_folder(global: &Global) -> Result<Option<PathBuf>> {
    if let Some(folder) = &global.project {
        if !folder.join(settings::FILE).is_file() {
            let message = format!("there is no {} in `{}`", settings::FILE, folder.display());
            return Err(Failure::new(message).help(format!(
                "`oak init --project {}` starts a project there",
                typed(&folder.display().to_string())
            )));
        }
        return Ok(Some(folder.clone()));
    }
    let here = std::env::current_dir().map_err(|error| Failure::new(format!("there is no working folder: {error}")))?;
    Ok(here.ancestors().find(|folder| folder.join(settings::FILE).is_file()).map(Path::to_owned))
}

impl Project {
    /// Finds and reads the project's configuration.
    pub fn open(global: &Global) -> Result<Self> {
        match find_folder(global)? {
            Some(folder) => Self::read(folder, global),
            None => {
                let message = format!("there is no {} in this folder or above it", settings::FILE);
                Err(Failure::new(message)
                    .help("`oak init` starts a project here; `--project DIR` names another folder"))
            }
        }
    }

    fn read(folder: PathBuf, global: &Global) -> Result<Self> {
        let path = folder.join(settings::FILE);
        let text = read_file(&path)?;
        match settings::read(&text, &shown_path(&path)) {
            Ok(settings) => Ok(Self { folder, settings, global: global.clone() }),
            Err((mistakes, source)) => {
                let sources = [source];
                let drawn = mistakes.iter().map(|mistake| draw(mistake, &sources, terminal_width())).collect();
                let count = plural("mistake", mistakes.len());
                Err(Failure { drawn, ..Failure::new(format!("{count} in {}", shown_path(&path))) })
            }
        }
    }

    /// The migrations folder.
    pub fn migrations_folder(&self) -> PathBuf {
        self.folder.join(&self.settings.migrations)
    }

    /// A migration's folder.
    pub fn migration_folder(&self, migration: &Migration) -> PathBuf {
        self.migrations_folder().join(&migration.folder)
    }

    // ---- declarations -------------------------------------------------------------------------------------------

    /// The declaration files, in order of their paths.
    pub fn declaration_files(&self) -> Result<Vec<PathBuf>> {
        let mut files = Vec::new();
        for entry in &self.settings.declarations {
            let path = self.folder.join(entry);
            if !path.exists() {
                let message =
                    format!("there is no `{}`, which `declarations` in {} names", entry.display(), settings::FILE);
                return Err(Failure::new(message).help(format!(
                    "make the folder, let `oak adopt` fill it from a database, or mend the path in {}",
                    settings::FILE
                )));
            }
            declaration_files_in(&path, &mut files)?;
        }
        Ok(files)
    }

    /// Reads the declarations and lowers them for every provider of the project.
    pub fn declared(&self) -> Result<Declared> {
        let reading = SqlReading { project: Some(self), global: &self.global };
        read_declared(&self.declaration_files()?, &self.folder, &self.settings.dialects, reading)
    }

    /// The declarations, which have to be without an error.
    pub fn valid_declared(&self) -> Result<Declared> {
        self.declared()?.without_errors()
    }

    /// The declarations, which have to be without an error, and what somebody finds in their schema while it is
    /// lowered.
    pub fn valid_declared_beside<T: Send>(
        &self,
        find: impl FnOnce(&Schema) -> T + Send,
    ) -> Result<(Declared, Option<T>)> {
        let reading = SqlReading { project: Some(self), global: &self.global };
        let resolved = resolve_files(&self.declaration_files()?, &self.folder, &self.settings.dialects, reading)?;
        let (lowered, found) = std::thread::scope(|scope| {
            let found = resolved.resolution.schema.as_ref().map(|schema| scope.spawn(|| find(schema)));
            (resolved.lower(&self.settings.dialects, Some(self)), found.map(|thread| thread.join()).transpose())
        });
        let found = found.map_err(|_| Failure::new("comparing the declarations broke off"))?;
        Ok((resolved.declared(lowered?).without_errors()?, found))
    }

    // ---- history ------------------------------------------------------------------------------------------------

    /// Reads the records of all migrations.
    pub fn history(&self) -> Result<History> {
        let folder = self.migrations_folder();
        if !folder.is_dir() {
            return Ok(History::default());
        }
        let entries = std::fs::read_dir(&folder).map_err(|error| Failure::file("read", &folder, &error))?;
        let mut migrations = Vec::new();
        for entry in entries {
            let entry = entry.map_err(|error| Failure::file("read", &folder, &error))?;
            let name = entry.file_name().to_string_lossy().into_owned();
            let is_folder = entry.file_type().is_ok_and(|kind| kind.is_dir());
            if let (true, Some(number)) = (is_folder, number_of(&name)) {
                migrations.push(read_migration(&entry.path(), name, number)?);
            }
        }
        Ok(History::new(migrations))
    }

    /// A sentence on where migrations were looked for and how many there are.
    pub fn migrations_found(&self, history: &History) -> String {
        let folder = self.migrations_folder();
        let path = shown_path(&folder);
        if folder.is_dir() {
            format!("{} in {path}", plural("migration", history.migrations().len()))
        } else {
            format!("no migrations: there is no folder {path}")
        }
    }

    /// The declared schema after a migration, as written in its file.
    pub fn schema_text_after(&self, migration: &Migration) -> Result<String> {
        read_file(&self.migration_folder(migration).join(SCHEMA_FILE))
    }

    /// The declared schema after a migration.
    pub fn schema_after(&self, migration: &Migration) -> Result<Schema> {
        let path = self.migration_folder(migration).join(SCHEMA_FILE);
        let sources = [Source { name: shown_path(&path), text: read_file(&path)? }];
        let resolution = resolve(&sources);
        resolution.schema.ok_or_else(|| {
            let mut failure = Failure::new(format!("`{}` cannot be read", shown_path(&path)))
                .help("it is written by oak; bring it back from version control");
            for diagnostic in resolution.diagnostics.iter().take(3) {
                failure = failure.detail(draw(diagnostic, &sources, 100));
            }
            failure
        })
    }

    /// What a provider stores after a migration; empty before the first.
    pub fn physical_after(&self, migration: Option<&Migration>, dialect: Dialect) -> Result<physical::Schema> {
        Ok(self.both_after(migration, dialect)?.1)
    }

    /// What is declared after a migration, and what a provider stores for it; nothing before the first.
    pub fn both_after(
        &self,
        migration: Option<&Migration>,
        dialect: Dialect,
    ) -> Result<(Option<Schema>, physical::Schema)> {
        let Some(migration) = migration else { return Ok((None, physical::Schema::default())) };
        let schema = self.schema_after(migration)?;
        let lowered = lower(dialect, &schema, &migration.folder)?.schema;
        Ok((Some(schema), lowered))
    }

    /// What was written down of a migration's generated steps.
    pub fn steps(&self, migration: &Migration, dialect: Dialect) -> Result<StepRecords> {
        Ok(self.record(migration)?.steps.remove(dialect.provider().word()).unwrap_or_default())
    }

    /// A migration's whole record.
    pub fn record(&self, migration: &Migration) -> Result<Record> {
        let file = self.migration_folder(migration).join(RECORD_FILE);
        Record::read(&read_file(&file)?)
            .map_err(|error| Failure::new(format!("`{}` cannot be read", shown_path(&file))).detail(error.to_string()))
    }

    /// A migration's script as it stands in its file.
    pub fn script(&self, migration: &Migration, dialect: Dialect, direction: Direction) -> Result<ScriptFile> {
        ScriptFile::read(self.migration_folder(migration).join(script_name(dialect, direction)))
    }
}

impl Declared {
    /// Fails with every error drawn, where there is one.
    pub fn without_errors(self) -> Result<Self> {
        let errors = self.errors();
        if errors == 0 {
            return Ok(self);
        }
        let drawn = self.resolution.diagnostics.iter().filter(|one| one.is_error());
        let drawn = drawn.map(|one| draw(one, &self.sources, terminal_width())).collect();
        Err(Failure { drawn, ..Failure::new(format!("{} in the declarations", plural("error", errors))) })
    }

    /// How many errors there are.
    pub fn errors(&self) -> usize {
        self.resolution.diagnostics.iter().filter(|one| one.is_error()).count()
    }

    /// What a provider will store, taken out.
    pub fn take_physical(&mut self, dialect: Dialect) -> physical::Schema {
        let found = self.lowered.iter_mut().find(|(other, _)| *other == dialect);
        found.map(|(_, schema)| std::mem::take(schema)).unwrap_or_default()
    }
}

/// Reads declaration files and lowers them.
pub fn read_declared(
    files: &[PathBuf],
    folder: &Path,
    dialects: &[Dialect],
    reading: SqlReading<'_>,
) -> Result<Declared> {
    let resolved = resolve_files(files, folder, dialects, reading)?;
    let lowered = resolved.lower(dialects, reading.project)?;
    Ok(resolved.declared(lowered))
}

/// Declaration files that were read, and are not lowered yet.
struct Resolved {
    sources: Vec<Source>,
    resolution: Resolution,
    of_sql: Vec<OfSql>,
    files: usize,
}

/// Files of SQL that were read as one, among the sources.
struct OfSql {
    /// The declarations that were made of them.
    made: usize,
    dialect: Dialect,
    /// Their own texts.
    parts: Range<usize>,
}

/// What each provider will store, and what is to be said of it.
type LoweredForEach = (Vec<(Dialect, physical::Schema)>, Vec<Diagnostic>);

impl Resolved {
    fn lower(&self, dialects: &[Dialect], project: Option<&Project>) -> Result<LoweredForEach> {
        let mut lowered = Vec::new();
        let mut told = Vec::new();
        let Some(schema) = &self.resolution.schema else { return Ok((lowered, Vec::new())) };
        for (dialect, found) in dialects.iter().zip(lower_for_each(dialects, schema)?) {
            let faults = match found {
                Ok(done) => {
                    lowered.push((*dialect, done.schema));
                    done.warnings
                }
                Err(faults) => faults,
            };
            // A project that wants such a server need not be told that it takes one.
            let least = project.and_then(|project| project.settings.least.get(&dialect.provider()));
            let is_wanted = |version: u32| least.is_some_and(|(_, numbers)| numbers.first() >= Some(&version));
            told.extend(faults.into_iter().filter(|fault| !fault.needs_version().is_some_and(is_wanted)));
        }
        let diagnostics = self.resolution.diagnose(&self.sources, &told);
        Ok((lowered, diagnostics))
    }

    fn declared(self, (lowered, diagnostics): LoweredForEach) -> Declared {
        let Self { sources, mut resolution, of_sql, files } = self;
        resolution.diagnostics.extend(diagnostics);
        point_into_sql(&mut resolution.diagnostics, &sources, &of_sql);
        let place = |one: &Diagnostic| one.labels.first().map(|label| (label.source, label.span.start));
        resolution.diagnostics.sort_by_key(place);
        let (sources, lowered) = (ManuallyDrop::new(sources), ManuallyDrop::new(lowered));
        Declared { sources, files, resolution: ManuallyDrop::new(resolution), lowered }
    }
}

/// Reads declaration files into one schema.
fn resolve_files(files: &[PathBuf], folder: &Path, dialects: &[Dialect], reading: SqlReading<'_>) -> Result<Resolved> {
    let mut sources = Vec::with_capacity(files.len());
    let mut in_sql: Vec<(Dialect, Vec<PathBuf>)> = Vec::new();
    for path in files {
        if !is_sql(path) {
            let name = path.strip_prefix(folder).unwrap_or(path).display().to_string();
            sources.push(Source { name, text: read_file(path)? });
            continue;
        }
        let dialect = reading.dialect(path, dialects)?;
        match in_sql.iter_mut().find(|(other, _)| *other == dialect) {
            Some((_, paths)) => paths.push(path.clone()),
            None => in_sql.push((dialect, vec![path.clone()])),
        }
    }
    let mut in_files = Vec::new();
    for (dialect, paths) in in_sql {
        let file = reading.read(including::sources(&paths, dialect, folder)?, dialect)?;
        let lifted = file.lifted(dialect)?;
        sources.push(file.declarations(&lifted));
        in_files.push((sources.len() - 1, file, lifted));
    }
    let mut resolution = resolve(&sources);
    let mut of_sql = Vec::new();
    for (made, file, lifted) in in_files {
        resolution.diagnostics.extend(file.warnings(&lifted, sources.len()));
        of_sql.push(OfSql { made, dialect: file.dialect, parts: sources.len()..sources.len() + file.parts.len() });
        sources.extend(file.parts);
    }
    Ok(Resolved { sources, resolution, of_sql, files: files.len() })
}

/// Points what is said of declarations that were made of SQL into that SQL.
fn point_into_sql(diagnostics: &mut [Diagnostic], sources: &[Source], of_sql: &[OfSql]) {
    for one in of_sql {
        let labels = diagnostics.iter_mut().flat_map(|diagnostic| &mut diagnostic.labels);
        let labels: Vec<&mut Label> = labels.filter(|label| label.source == one.made).collect();
        if labels.is_empty() {
            continue;
        }
        let origins: Vec<_> =
            one.parts.clone().map(|part| (part, Origins::new(one.dialect, &sources[part].text))).collect();
        for label in labels {
            let declared = &sources[one.made].text;
            let found = origins.iter().find_map(|(part, origins)| Some((*part, origins.of(declared, label.span)?)));
            if let Some(found) = found {
                (label.source, label.span) = found;
            }
        }
    }
}

/// Lowers for every provider at the same time.
fn lower_for_each(dialects: &[Dialect], schema: &Schema) -> Result<Vec<std::result::Result<Lowered, Vec<Fault>>>> {
    let Some((first, others)) = dialects.split_first() else { return Ok(Vec::new()) };
    std::thread::scope(|scope| {
        let others: Vec<_> = others.iter().map(|dialect| scope.spawn(|| dialect.lower(schema))).collect();
        let first = Ok(first.lower(schema));
        let broke_off = |_| Failure::new("reading the declarations broke off");
        std::iter::once(first).chain(others.into_iter().map(|thread| thread.join().map_err(broke_off))).collect()
    })
}

/// Lowers a schema that was valid when it was written.
pub fn lower(dialect: Dialect, schema: &Schema, of: &str) -> Result<Lowered> {
    dialect.lower(schema).map_err(|faults| {
        let message = format!("{} cannot store the schema of {of}", dialect.provider().title());
        faults.iter().fold(Failure::new(message), |failure, fault| failure.detail(fault.to_string()))
    })
}

/// A script's file and what is in it.
#[derive(Debug)]
pub struct ScriptFile {
    /// The file.
    pub path: PathBuf,
    /// Its text, with LF line ends.
    pub text: String,
}

impl ScriptFile {
    /// Reads a script's file.
    pub fn read(path: PathBuf) -> Result<Self> {
        let mut text = read_file(&path)?;
        // A baseline of thousands of tables has megabytes, which need not be copied for nothing.
        if text.contains('\r') {
            text = text.replace("\r\n", "\n");
        }
        Ok(Self { path, text })
    }

    /// Takes the script apart.
    pub fn parse(&self, dialect: Dialect) -> Result<Script> {
        Script::read(dialect, &self.text).map_err(|error| {
            Failure::new(format!("{}:{}: {}", shown_path(&self.path), error.line, error.kind))
                .help("docs/own-sql.md says what a script may hold")
        })
    }
}

/// The name of a script's file.
pub fn script_name(dialect: Dialect, direction: Direction) -> String {
    format!("{}.{direction}.sql", dialect.provider())
}

/// The number at the head of a migration folder's name.
fn number_of(name: &str) -> Option<u32> {
    let digits = name.split('-').next()?;
    digits.parse().ok()
}

fn read_migration(path: &Path, folder: String, number: u32) -> Result<Migration> {
    let file = path.join(RECORD_FILE);
    let text = read_file(&file).map_err(|failure| {
        failure.help("every migration folder has one; bring it back from version control, or remove the folder")
    })?;
    let record = Record::read_head(&text)
        .map_err(|error| Failure::new(format!("`{}` cannot be read", shown_path(&file))).detail(error.to_string()))?;
    Ok(Migration { number, folder, record })
}

/// Adds a file, or the declarations in a folder and below it, by name: its `.oak` files, or where it has none, its `.sql`
/// files.
pub fn declaration_files_in(path: &Path, files: &mut Vec<PathBuf>) -> Result<()> {
    let before = files.len();
    oak_files(path, files)?;
    if files.len() == before {
        sql_files(path, files)?;
    }
    Ok(())
}

/// Adds a file, or the `.oak` files in a folder and below it, by name.
pub fn oak_files(path: &Path, files: &mut Vec<PathBuf>) -> Result<()> {
    files_below(path, "oak", files)
}

/// Adds a file, or the `.sql` files in a folder and below it, by name.
pub fn sql_files(path: &Path, files: &mut Vec<PathBuf>) -> Result<()> {
    files_below(path, "sql", files)
}

fn files_below(path: &Path, wanted: &str, files: &mut Vec<PathBuf>) -> Result<()> {
    if path.is_file() {
        files.push(path.to_owned());
        return Ok(());
    }
    let entries = std::fs::read_dir(path).map_err(|error| Failure::file("read", path, &error))?;
    let mut paths: Vec<_> = entries.filter_map(|entry| entry.ok().map(|entry| entry.path())).collect();
    paths.sort();
    for path in paths {
        let hidden = path.file_name().is_some_and(|name| name.to_string_lossy().starts_with('.'));
        if path.is_dir() && !hidden {
            files_below(&path, wanted, files)?;
        } else if path.extension().is_some_and(|extension| extension == wanted) && !hidden {
            files.push(path);
        }
    }
    Ok(())
}
