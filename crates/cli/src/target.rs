//! Targets: which database is meant, and how it stands to the project.

use std::borrow::Cow;
use std::collections::BTreeMap;
use std::ops::Deref;
use std::path::Path;
use std::time::{Duration, Instant};

use hollow_oak_core::diff::{Changes, diff, overlook_comments};
use hollow_oak_core::history::{Event, History, JournalState, Migration, Standing, standing};
use hollow_oak_core::physical::{Schema, Unmanaged, fingerprint};
use hollow_oak_core::script::Direction;
use hollow_oak_core::{Dialect, Provider};
use hollow_oak_database::{Confirmed, Database, DatabaseError, Opening, TargetUrl};
use ring::digest;

use crate::args::Global;
use crate::failure::{Failure, Result};
use crate::output::Output;
use crate::project::Project;
use crate::settings::{self, DEFAULT_LOCK_WAIT, UrlSource};
use crate::typed::typed;

/// A target that can be opened.
#[derive(Clone, Debug)]
pub struct Target {
    /// Its name in the configuration, or its URL.
    pub name: String,
    /// Where it is.
    pub url: TargetUrl,
    /// Its dialect.
    pub dialect: Dialect,
    /// How long a run waits for another one.
    pub lock_wait: Duration,
    /// How long to wait for a server that is not up yet.
    pub wait: Duration,
    /// Whether only rehearsed migrations may run.
    pub require_proof: bool,
    /// Whether it may be dropped and made anew.
    pub disposable: bool,
    /// The least version of its server that the project allows: as written, and its numbers.
    least: Option<(String, Vec<u32>)>,
}

/// The target that the options name, or the project's default.
pub fn choose(project: Option<&Project>, global: &Global) -> Result<Target> {
    let target = chosen(project, global)?;
    let least = project.and_then(|project| project.settings.least.get(&target.provider()).cloned());
    Ok(Target { wait: global.wait.unwrap_or_default(), least, ..target })
}

fn chosen(project: Option<&Project>, global: &Global) -> Result<Target> {
    if let Some(url) = &global.url {
        return from_url(url, Path::new(""), "the `--url` option");
    }
    let Some(project) = project else {
        return Err(Failure::usage("there is no project here that names a target")
            .help("name a database: `--url sqlite:app.db`"));
    };
    let name = match (&global.target, &project.settings.default_target) {
        (Some(name), _) | (None, Some(name)) => name,
        (None, None) => {
            let known: Vec<_> = project.settings.targets.keys().map(String::as_str).collect();
            let help = match known.first() {
                None => "add one to hollow-oak.toml: `[targets.dev]` with `url = \"sqlite:app.db\"`".to_owned(),
                Some(first) => format!(
                    "choose one of {}: `--target {}`, or set `default_target` in hollow-oak.toml",
                    known.join(", "),
                    typed(first)
                ),
            };
            return Err(Failure::usage("no target is named, and the project has no default").help(help));
        }
    };
    named(project, name)
}

/// The target of this name.
pub fn named(project: &Project, name: &str) -> Result<Target> {
    let Some(found) = project.settings.targets.get(name) else {
        let known = project.settings.targets.keys().map(String::as_str);
        let help = match hollow_oak_core::nearest::nearest(name, known) {
            Some(nearest) => format!("did you mean `{nearest}`?"),
            None => format!("add `[targets.{name}]` with a url to hollow-oak.toml"),
        };
        return Err(Failure::usage(format!("there is no target `{name}`")).help(help));
    };
    let url = match &found.url {
        UrlSource::Written(url) => url.clone(),
        UrlSource::Environment(variable) => from_environment(project, name, variable)?,
    };
    let mut target = from_url(&url, &project.folder, &format!("target `{name}`"))?;
    let provider = target.url.provider();
    if !project.settings.dialects.iter().any(|dialect| dialect.provider() == provider) {
        let message = format!("target `{name}` is of {}, which `[providers]` does not list", provider.title());
        return Err(Failure::new(message).help(format!("add `{provider} = {{}}` to `[providers]` in hollow-oak.toml")));
    }
    name.clone_into(&mut target.name);
    if let (Some(source), TargetUrl::Server(server)) = (&found.password, &mut target.url) {
        server.password = Some(match source {
            UrlSource::Written(password) => password.clone(),
            UrlSource::Environment(variable) => from_environment(project, name, variable)?,
        });
    }
    target.lock_wait = found.lock_wait;
    target.require_proof = found.require_proof;
    target.disposable = found.disposable;
    target.least = project.settings.least.get(&provider).cloned();
    Ok(target)
}

fn from_environment(project: &Project, name: &str, variable: &str) -> Result<String> {
    let file = project.folder.join(".env");
    let value = settings::variable(variable, &project.folder).map_err(|error| {
        let reason = match error {
            // The library's message would show the line, and with it what should stay hidden.
            dotenvy::Error::LineParse(_, at) => format!("a line in it cannot be read, at character {}", at + 1),
            other => other.to_string(),
        };
        Failure::new(format!("`{}`: {reason}", file.display())).help("a line is NAME=value, or NAME=\"value\"")
    })?;
    value.ok_or_else(|| {
        Failure::new(format!("target `{name}` asks for the variable {variable}, which is not set"))
            .help(format!("set it in the environment, or write {variable}=… into {}", file.display()))
    })
}

fn from_url(url: &str, base: &Path, what: &str) -> Result<Target> {
    let url = TargetUrl::parse(url, base)
        .map_err(|error| Failure::new(format!("{what} has an unusable url: {error}")).help(error.help()))?;
    let dialect = match Dialect::of(url.provider()) {
        Some(dialect) => dialect,
        None => return Err(Failure::new(format!("{} is not there yet", url.provider().title()))),
    };
    Ok(Target {
        name: url.to_string(),
        url,
        dialect,
        lock_wait: DEFAULT_LOCK_WAIT,
        wait: Duration::ZERO,
        require_proof: false,
        disposable: false,
        least: None,
    })
}

impl Target {
    /// Opens its database; one that is not there counts as empty.
    pub fn open(&self) -> Result<Box<dyn Database>> {
        self.opening(false)
    }

    /// Opens its database, making it where it is not there.
    pub fn create(&self) -> Result<Box<dyn Database>> {
        self.opening(true)
    }

    fn opening(&self, create: bool) -> Result<Box<dyn Database>> {
        let opening = Opening { create, lock_wait: self.lock_wait };
        let began = Instant::now();
        let mut pause = Duration::from_millis(100);
        loop {
            match hollow_oak_database::open(&self.url, opening) {
                Err(error @ DatabaseError::Unreachable { .. }) if began.elapsed() < self.wait => {
                    if pause == Duration::from_millis(100) {
                        Output::say_aside(format_args!("waiting for {}, at most {:?}: {error}", self.name, self.wait));
                    }
                    std::thread::sleep(pause.min(self.wait.saturating_sub(began.elapsed())));
                    pause = (pause * 2).min(Duration::from_secs(2));
                }
                other => {
                    let database = other?;
                    self.refuse_older(&*database)?;
                    return Ok(database);
                }
            }
        }
    }

    /// Whether the server is one that the project allows.
    fn refuse_older(&self, database: &dyn Database) -> Result<()> {
        let Some((least, numbers)) = &self.least else { return Ok(()) };
        let server = database.server()?;
        let version = server.version.split_whitespace().last().unwrap_or_default().to_owned();
        let found: Vec<u32> = version.split(['.', '-']).map_while(|part| part.parse().ok()).collect();
        if !server.exists || found.is_empty() || found >= *numbers {
            return Ok(());
        }
        let provider = self.provider();
        Err(Failure::new(format!("{} is {}, and the project wants at least {least}", self.name, server.version))
            .help(format!("update the server, or lower `{provider} = {{ min = \"{least}\" }}` in hollow-oak.toml")))
    }

    /// Its name and where it is.
    pub fn described(&self) -> String {
        let url = self.url.to_string();
        if self.name == url { url } else { format!("{} is {url}", self.name) }
    }

    /// The provider in its makers' spelling.
    pub fn provider(&self) -> Provider {
        self.url.provider()
    }
}

/// SHA-256 of a script's text with LF line ends, as lower-case hexadecimal digits.
pub fn script_sha(text: &str) -> String {
    // A large script is not copied only to be hashed. This library, which TLS brings along, needs two thirds of the time of
    // one in plain Rust where the processor has no instructions for it.
    let text = if text.contains('\r') { Cow::Owned(text.replace("\r\n", "\n")) } else { Cow::Borrowed(text) };
    let digest = digest::digest(&digest::SHA256, text.as_bytes());
    digest.as_ref().iter().map(|byte| format!("{byte:02x}")).collect()
}

/// How a target stands to the project.
pub struct Condition {
    /// What the journal says is applied.
    pub journal: JournalState,
    /// Applied, pending, and what is in the way.
    pub standing: Standing,
    /// From what is expected to what is there, managed tables only.
    pub drift: Changes,
    /// What nobody declared.
    pub unmanaged: Vec<Unmanaged>,
    /// Why some of the drift may be none: the server could not be asked for its words.
    pub unasked: Option<String>,
    /// Whether a run that began and did not end is still under way.
    pub under_way: bool,
}

/// How a target stands, with what it holds.
pub struct State {
    condition: Condition,
    /// The tables it holds.
    pub live: Schema,
    /// Tables as the newest applied migration left them, where they are not what is there.
    expected: Option<Schema>,
}

impl Deref for State {
    type Target = Condition;

    fn deref(&self) -> &Condition {
        &self.condition
    }
}

/// Reads the journal of a target, as far as it is of this project.
pub fn journal(project: &Project, history: &History, database: &dyn Database) -> Result<JournalState> {
    Ok(journal_state(project, history, database.journal()?))
}

/// What the events of this project say.
pub fn journal_state(project: &Project, history: &History, events: Vec<(String, Event)>) -> JournalState {
    let ours = |name: &str, id: &str| name == project.settings.name || history.position(id).is_some();
    // Other projects write into the same journal; whether it has moved on is asked of all of it.
    let last_seq = events.iter().map(|(_, event)| event.seq).max().unwrap_or_default();
    let of_project = events.into_iter().filter(|(name, event)| ours(name, &event.migration));
    let state = JournalState::from_events(of_project.map(|(_, event)| event));
    JournalState { last_seq, ..state }
}

type Hashes = BTreeMap<String, (String, String)>;

/// Hashes of the scripts of each migration; of one whose files cannot be read, the failure.
type Hashed = Vec<(String, Result<(String, String)>)>;

/// Hashes of the scripts of all migrations in one direction, as they are in the files.
fn script_hashes(project: &Project, history: &History, dialect: Dialect, direction: Direction) -> Vec<Result<String>> {
    let sha = |migration| project.script(migration, dialect, direction).map(|file| script_sha(&file.text));
    history.migrations().iter().map(sha).collect()
}

/// The newest migration that a target has.
pub fn newest_applied<'h>(history: &'h History, standing: &Standing) -> Option<&'h Migration> {
    standing.applied.last().map(|at| &history.migrations()[*at])
}

/// Works out how a target stands. Where nothing has changed since a run that ended well, its catalogue is not read.
pub fn condition(project: &Project, history: &History, target: &Target, database: &dyn Database) -> Result<Condition> {
    let (hashes, found) = beside_hashes(project, history, target, || database.glance(&project.settings.name))?;
    let (events, Some(remembered)) = found else {
        return Ok(examine(project, history, target, database)?.condition);
    };
    let journal = journal_state(project, history, events);
    let standing = standing(history, &journal, &of_applied(hashes, &journal)?);
    let newest = newest_applied(history, &standing);
    let recorded = newest.and_then(|one| one.record.expected.get(target.dialect.provider().word()));
    if recorded != Some(&remembered.expected) || journal.unfinished.is_some() {
        return Ok(examine(project, history, target, database)?.condition);
    }
    let ignored = |name: &str| is_ignored(&project.settings.unmanaged_tables, name);
    let mut unmanaged = remembered.unmanaged;
    unmanaged.retain(|object| !ignored(&object.name));
    unmanaged.sort();
    Ok(Condition { journal, standing, drift: Changes::default(), unmanaged, unasked: None, under_way: false })
}

/// Hashes the scripts and asks the database at the same time; they do not wait for each other.
fn beside_hashes<T>(
    project: &Project,
    history: &History,
    target: &Target,
    ask: impl FnOnce() -> std::result::Result<T, DatabaseError>,
) -> Result<(Hashed, T)> {
    let (up, down, found) = std::thread::scope(|scope| {
        let hashes = |direction| move || script_hashes(project, history, target.dialect, direction);
        let [up, down] = [Direction::Up, Direction::Down].map(|direction| scope.spawn(hashes(direction)));
        let found = ask();
        (up.join(), down.join(), found)
    });
    let broken = |_| Failure::new("reading the scripts broke off");
    let ids = history.migrations().iter().map(|migration| migration.id().to_owned());
    let both = up.map_err(broken)?.into_iter().zip(down.map_err(broken)?).map(|(up, down)| Ok((up?, down?)));
    Ok((ids.zip(both).collect(), found?))
}

/// Scripts that nothing ran from are looked at when they are to run.
fn of_applied(hashes: Hashed, journal: &JournalState) -> Result<Hashes> {
    let applied = hashes.into_iter().filter(|(id, _)| journal.get(id).is_some());
    applied.map(|(id, hashes)| Ok((id, hashes?))).collect()
}

/// Works out how a target stands, and what it holds.
pub fn examine(project: &Project, history: &History, target: &Target, database: &dyn Database) -> Result<State> {
    let (hashes, (events, introspected)) = beside_hashes(project, history, target, || database.snapshot())?;
    let journal = journal_state(project, history, events);
    let standing = standing(history, &journal, &of_applied(hashes, &journal)?);
    let ignored = |name: &str| is_ignored(&project.settings.unmanaged_tables, name);
    let (live, _) = introspected.schema.parted(|thing| !ignored(thing.name()));
    let newest = newest_applied(history, &standing);
    let mut unmanaged: Vec<_> = introspected.unmanaged.into_iter().filter(|object| !ignored(&object.name)).collect();
    // Equal fingerprints are equal schemas: there is no need to work out again what was expected.
    let expected = match newest {
        Some(migration) if is_as_recorded(migration, target.dialect, &live) => None,
        _ => Some(project.physical_after(newest, target.dialect)?),
    };
    let live = match &expected {
        Some(expected) => live.called_as_in(expected),
        None => live,
    };
    let mut unasked = None;
    let drift = match &expected {
        None => Changes::default(),
        // What is there is in between, and says nothing about who changed it.
        Some(_) if journal.unfinished.is_some() => Changes::default(),
        Some(expected) => {
            let mut managed = managed_only(live.clone(), expected, &mut unmanaged);
            unasked = confirm(database, &mut managed, expected, &mut unmanaged)?.unasked;
            diff(expected, &managed)
        }
    };
    unmanaged.sort();
    let under_way = journal.unfinished.is_some() && database.is_under_way(&project.settings.name)?;
    let condition = Condition { journal, standing, drift, unmanaged, unasked, under_way };
    Ok(State { condition, live, expected })
}

impl State {
    /// Tables as the newest applied migration left them.
    pub fn expected(&self) -> &Schema {
        self.expected.as_ref().unwrap_or(&self.live)
    }
}

fn is_as_recorded(migration: &Migration, dialect: Dialect, live: &Schema) -> bool {
    let recorded = migration.record.expected.get(dialect.provider().word());
    recorded.is_some_and(|recorded| *recorded == fingerprint(live).0)
}

/// What a live schema has in common with the other one; the rest is unmanaged.
pub fn managed_only(live: Schema, expected: &Schema, unmanaged: &mut Vec<Unmanaged>) -> Schema {
    let (managed, rest) = live.called_as_in(expected).parted(|thing| expected.has(thing));
    unmanaged.extend(rest);
    managed
}

/// Sets aside what a live schema says beyond the expected one without being different: descriptions that nobody declared
/// are unmanaged, and expressions that the server words in its own way are recognised.
pub fn confirm(
    database: &dyn Database,
    live: &mut Schema,
    expected: &Schema,
    unmanaged: &mut Vec<Unmanaged>,
) -> Result<Confirmed> {
    confirm_but(database, live, expected, unmanaged, |_, _| false)
}

/// The same; descriptions stay that `stays` is true of, by what they are of: a table or the like, and a column of it.
pub fn confirm_but(
    database: &dyn Database,
    live: &mut Schema,
    expected: &Schema,
    unmanaged: &mut Vec<Unmanaged>,
    stays: impl Fn(&str, Option<&str>) -> bool,
) -> Result<Confirmed> {
    unmanaged.extend(overlook_comments(live, expected, stays).into_iter().map(Unmanaged::comment));
    match diff(live, expected).is_empty() {
        true => Ok(Confirmed::default()),
        false => Ok(database.confirm(live, expected)?),
    }
}

/// Whether a name is left alone by `[unmanaged] tables`; `*` stands for any letters.
pub fn is_ignored(patterns: &[String], name: &str) -> bool {
    patterns.iter().any(|pattern| matches_pattern(&pattern.to_lowercase(), &name.to_lowercase()))
}

fn matches_pattern(pattern: &str, name: &str) -> bool {
    match pattern.split_once('*') {
        None => pattern == name,
        Some((head, rest)) => name.strip_prefix(head).is_some_and(|tail| {
            let mut starts = (0..=tail.len()).filter(|at| tail.is_char_boundary(*at));
            starts.any(|at| matches_pattern(rest, &tail[at..]))
        }),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stars_stand_for_any_letters() {
        #[track_caller]
        fn case(pattern: &str, name: &str, expected: bool) {
            assert_eq!(is_ignored(&[pattern.to_owned()], name), expected, "{pattern} {name}");
        }
        case("tmp_*", "TMP_a", true);
        case("tmp_*", "a_tmp_", false);
        case("*_old", "hive_old", true);
        case("a*b*c", "a-b-b-c", true);
        case("hive", "hives", false);
    }
}
