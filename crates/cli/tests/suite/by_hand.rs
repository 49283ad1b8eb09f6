//! Random databases that somebody made by hand, and random changes of them: `adopt` and `absorb` take them in, the next
//! target gets them by `apply`, and `revert` takes them back; also where the other targets are of other providers.
//!
//! The ordinary run takes twelve seeds on each provider, always the same. `OAK_TEST_PAIRS` and `OAK_TEST_SEED` ask for that
//! many from that seed on instead.

use std::path::Path;

use hollow_oak_core::dialect::{adopted, lift};
use hollow_oak_core::language::{declare, print};
use hollow_oak_core::physical::Introspected;
use hollow_oak_core::{Dialect, Provider, Schema};
use hollow_oak_testkit::generate::Chance;
use hollow_oak_testkit::server::{PrivateServer, shared, wanted};
use hollow_oak_testkit::{edit, generate, oracle, programs, scopes};

use crate::support::stage::{Stage, on_each_provider};

#[test]
fn what_is_changed_by_hand_comes_to_the_next_target() {
    on_random_seeds(2, change);
}

#[test]
fn what_is_changed_by_hand_comes_to_other_providers() {
    // Of what MariaDB has, much cannot be said for all.
    on_random_seeds(3, carried);
}

#[test]
fn what_was_made_by_hand_is_made_again_from_its_baseline() {
    on_random_seeds(2, made);
}

#[test]
fn what_a_dump_says_is_what_is_there() {
    on_random_seeds(2, dumped);
}

/// Tries something on every provider; it says whether there was anything to try, which one in so many has to be.
fn on_random_seeds(one_in: usize, tries: fn(Provider, u64) -> bool) {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let first = number("OAK_TEST_SEED").unwrap_or_default();
    let seeds: Vec<u64> = (first..first + number("OAK_TEST_PAIRS").unwrap_or(12)).collect();
    on_each_provider(|provider| {
        let mut failed = Vec::new();
        let mut tried = 0;
        for seed in &seeds {
            match std::panic::catch_unwind(|| tries(provider, *seed)) {
                Ok(is_one) => tried += usize::from(is_one),
                Err(panic) => {
                    let words = panic.downcast_ref::<String>().cloned().unwrap_or_default();
                    failed.push(format!("{provider}, seed {seed}: {words}"));
                }
            }
        }
        assert!(failed.is_empty(), "{} of {} failed\n{}", failed.len(), seeds.len(), failed.join("\n\n"));
        assert!(tried * one_in > seeds.len(), "{provider}: {tried} of {} were anything", seeds.len());
    });
}

/// A database of a random schema that was made without the tool, and what there is to tell of it.
fn random(provider: Provider, seed: u64) -> Option<(Stage<'static>, String)> {
    let dialect = Dialect::of(provider).expect("it has a dialect");
    let schema = generate::schema(&mut Chance::new(seed, dialect));
    let schema = programs::with_programs(schema, dialect, seed);
    schema.tables().next()?;
    let here = Stage::of(provider, "");
    let text = print(&declare(&schema));
    here.project.write("made.oak", &text);
    let by_hand = here.project.ok(&["diff", "empty", "made.oak", "--sql"]);
    if let Some(server) = here.server {
        here.project.write("by-hand.sql", &format!("create database {};", here.database));
        let system = if provider == Provider::Postgres { "postgres" } else { "mysql" };
        oracle::load(server, system, &here.project.file("by-hand.sql")).expect("a database can be made");
    }
    run(&here, &by_hand);
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it can be removed");
    Some((here, format!("{text}\n---\n{by_hand}")))
}

/// One dump that is read as a file.
fn dumped(provider: Provider, seed: u64) -> bool {
    let Some((here, told)) = random(provider, seed) else { return false };
    let name = format!("dump.{provider}.sql");
    let dump = match here.server {
        Some(server) => oracle::raw_dump(server, &here.database).expect("it is dumped"),
        None => {
            let statements =
                here.query("select sql from sqlite_schema where sql is not null and name not like 'sqlite%'");
            statements.into_iter().map(|one| format!("{one};\n")).collect()
        }
    };
    here.project.write(&name, &dump);
    let same = here.project.oak(&["diff", "live", &name]);
    assert!(same.stdout.starts_with("no difference"), "{same}\n{told}\n---\n{dump}");
    assert!(same.stderr.is_empty(), "{same}\n{told}\n---\n{dump}");
    true
}

/// One database that is adopted.
fn made(provider: Provider, seed: u64) -> bool {
    let Some((here, told)) = random(provider, seed) else { return false };
    let told = || told.clone();
    let before = here.dump();
    let adopted = here.project.oak(&["adopt", "--yes"]);
    assert_eq!(adopted.status, 0, "{adopted}\n{}", told());
    assert!(unmanaged(&here).is_empty(), "{:?}\n{}", unmanaged(&here), told());
    let same = here.project.oak(&["diff", "live", "declared"]);
    assert!(same.stdout.starts_with("no difference"), "{same}\n{}", told());
    assert_eq!(plain(provider, &next_target(&here, provider, &told)), plain(provider, &before), "{}", told());
    true
}

/// One change; whether there was any.
fn change(provider: Provider, seed: u64) -> bool {
    let dialect = Dialect::of(provider).expect("it has a dialect");
    let mut chance = Chance::new(seed, dialect);
    let first = generate::schema(&mut chance);
    let second = edit::edited(&mut chance, &first);
    let (first, second) =
        (programs::with_programs(first, dialect, seed), programs::with_programs(second, dialect, seed));
    if first.tables().next().is_none() {
        return false;
    }
    let here = Stage::of(provider, &print(&declare(&first)));
    here.project.migrate("first");
    here.project.write("changed.oak", &print(&declare(&second)));
    let by_hand = here.project.ok(&["diff", "live", "changed.oak", "--sql"]);
    let before = here.dump();
    run(&here, &by_hand);
    let changed = here.dump();
    if changed == before {
        return false;
    }
    let told = || format!("{}\n---\n{}\n---\n{by_hand}", print(&declare(&first)), print(&declare(&second)));

    assert!(takes_in(&here, seed, &told), "{}", told());
    assert_eq!(here.dump(), changed, "absorbing changes nothing on the target\n{}", told());

    assert_eq!(plain(provider, &next_target(&here, provider, &told)), plain(provider, &changed), "{}", told());

    goes_back(&here, "dev", &told);
    assert_eq!(plain(provider, &here.dump()), plain(provider, &before), "{}", told());
    true
}

/// One change that other providers get as well; whether there was any.
fn carried(provider: Provider, seed: u64) -> bool {
    let dialect = Dialect::of(provider).expect("it has a dialect");
    let others: Vec<Dialect> =
        Provider::ALL.into_iter().filter(|one| *one != provider && wanted(*one)).filter_map(Dialect::of).collect();
    let all = [&[dialect], &*others].concat();
    let mut chance = Chance::new(seed, dialect);
    let declared = |schema: &Schema| {
        let schema = dialect.lower(schema).expect("it can be stored").schema;
        let lifted = lift(dialect, &Introspected { schema: schema.clone(), unmanaged: Vec::new() });
        let lifted = lifted.ok().filter(|lifted| lifted.left_out.is_empty())?;
        Some((lifted.schema, schema))
    };
    let Some((first, stored)) = declared(&generate::schema(&mut chance)) else { return false };
    let Ok(first) = adopted(dialect, first, &stored, &others) else { return false };
    let first = scopes::spread(&mut chance, &first, &all);
    let Some((there, _)) = declared(&first) else { return false };
    if there.tables().next().is_none() {
        return false;
    }
    let second = edit::edited(&mut chance, &there);

    let here = Stage::of(provider, &print(&declare(&first)));
    let config = here.project.read("hollow-oak.toml");
    let (head, targets) = config.split_at(config.find("[targets").expect("it has a target"));
    let head = head.split("[providers]").next().unwrap_or_default();
    let list: String = all.iter().map(|one| format!("{} = {{}}\n", one.provider())).collect();
    here.project.write("hollow-oak.toml", &format!("{head}[providers]\n{list}\n{targets}"));
    let elsewhere: Vec<Target> = others.iter().map(|one| Target::of(&here, one.provider())).collect();
    here.project.ends_well(&["draft", "first"]);
    // Where all of it is another provider's own there is nothing to try.
    let has_script = |target: &Target| {
        let script = format!("migrations/{}/{}.up.sql", here.project.newest(), target.provider);
        here.project.file(&script).exists()
    };
    let elsewhere: Vec<Target> = elsewhere.into_iter().filter(has_script).collect();
    here.project.ends_well(&["apply", "--yes"]);
    here.project.write("changed.oak", &print(&declare(&second)));
    let by_hand = here.project.ok(&["diff", "live", "changed.oak", "--sql"]);
    let told = || format!("{}\n---\n{}\n---\n{by_hand}", print(&declare(&first)), print(&declare(&second)));
    let before = here.dump();
    let theirs: Vec<String> = elsewhere.iter().map(|target| target.applied(&here, &told)).collect();
    run(&here, &by_hand);
    let changed = here.dump();
    if changed == before || !takes_in(&here, seed, &told) {
        return false;
    }
    assert_eq!(here.dump(), changed, "absorbing changes nothing on the target\n{}", told());
    for (target, before) in elsewhere.iter().zip(theirs) {
        target.applied(&here, &told);
        let same = here.project.oak(&["diff", &format!("live@{}", target.name()), "declared"]);
        assert!(same.stdout.starts_with("no difference"), "{}: {same}\n{}", target.provider, told());
        goes_back(&here, &target.name(), &told);
        let after = target.dump(&here);
        assert_eq!(plain(target.provider, &after), plain(target.provider, &before), "{}\n{}", target.provider, told());
    }
    goes_back(&here, "dev", &told);
    assert_eq!(plain(provider, &here.dump()), plain(provider, &before), "{}", told());
    true
}

/// Takes in what was changed, and accepts what is lost; false where it cannot be taken in.
fn takes_in(here: &Stage<'_>, seed: u64, told: &impl Fn() -> String) -> bool {
    if !absorb(here, seed.is_multiple_of(2), told) {
        return false;
    }
    // A description that nobody declared comes to light once its column is known under its new name.
    if !unmanaged(here).is_empty() && !absorb(here, false, told) {
        return false;
    }
    let same = here.project.oak(&["diff", "live", "declared"]);
    assert!(same.stdout.starts_with("no difference"), "{same}\n{}", told());
    let accepted = here.project.oak(&["review", "2", "--accept", "loses-data", "--because", "it was so by hand"]);
    assert!(accepted.status == 0 || accepted.stderr.contains("nothing to accept"), "{accepted}\n{}", told());
    true
}

/// Reverts all but the first migration on a target.
fn goes_back(here: &Stage<'_>, target: &str, told: &impl Fn() -> String) {
    let reverted = here.project.oak(&[crate::support::REVERT, &["--to", "1", "--target", target]].concat());
    assert_eq!(reverted.status, 0, "{target}: {reverted}\n{}", told());
}

/// A dump without what says the same in views and triggers: on SQLite letter case; on MariaDB and MySQL, where it counts in
/// the names of tables, the quotes of names, and a word in the head of a trigger, which is written anew.
fn plain(provider: Provider, dump: &str) -> String {
    let is_theirs = |line: &str| line.starts_with("select ") || line.contains(" trigger ") || line.contains(" view ");
    let line = |line: &str| match provider {
        Provider::Sqlite if is_theirs(line) => line.to_lowercase(),
        Provider::Sqlite => line.to_owned(),
        _ => line.replace('`', "").replace(" ON ", " on "),
    };
    dump.lines().map(line).collect::<Vec<_>>().join("\n")
}

/// What the next target has once all migrations are applied to it.
fn next_target(here: &Stage<'_>, provider: Provider, told: &impl Fn() -> String) -> String {
    Target::of(here, provider).applied(here, told)
}

/// Another target of the project.
struct Target {
    provider: Provider,
    server: Option<&'static PrivateServer>,
    database: String,
}

impl Target {
    /// It comes into the configuration, and has no database yet.
    fn of(here: &Stage<'_>, provider: Provider) -> Self {
        let server = (provider != Provider::Sqlite).then(|| shared(provider));
        let database = match here.server {
            None => {
                format!("{}_next", here.project.path().display()).replace(|letter: char| !letter.is_alphanumeric(), "")
            }
            Some(_) => format!("{}_next", here.database),
        };
        let target = Self { provider, server, database };
        let url = server.map_or("sqlite:next.db".to_owned(), |server| server.url(&target.database));
        let config = here.project.read("hollow-oak.toml");
        here.project.write("hollow-oak.toml", &format!("{config}\n[targets.{}]\nurl = \"{url}\"\n", target.name()));
        target
    }

    fn name(&self) -> String {
        format!("next_{}", self.provider)
    }

    /// Applies all migrations; what it has then.
    fn applied(&self, here: &Stage<'_>, told: &impl Fn() -> String) -> String {
        let applied = here.project.oak(&["apply", "--target", &self.name(), "--yes"]);
        assert_eq!(applied.status, 0, "{}: {applied}\n{}", self.provider, told());
        self.dump(here)
    }

    fn dump(&self, here: &Stage<'_>) -> String {
        let dump = match self.server {
            None => oracle::schema(&here.project.file("next.db")),
            Some(server) => oracle::dump(server, &self.database),
        };
        dump.expect("the oracle answers")
    }
}

/// Takes it in as a person would: all that is new is named, and what could be renamed is, or is not, as was offered. False
/// where it is said that it cannot be taken in.
fn absorb(here: &Stage<'_>, renames: bool, told: &impl Fn() -> String) -> bool {
    let mut arguments: Vec<String> = ["absorb".to_owned()].into_iter().chain(unmanaged(here)).collect();
    for _ in 0..20 {
        let all: Vec<&str> = arguments.iter().map(String::as_str).chain(["--yes"]).collect();
        let answer = here.project.oak(&all);
        if answer.status == 0 {
            return true;
        }
        if answer.stderr.contains("this cannot be taken in: ") {
            return false;
        }
        let option = if renames { "--rename" } else { "--no-rename" };
        let offered = |line: &str| {
            let (_, rest) = line.rsplit_once(&format!("{option} "))?;
            let (word, _) = rest.split_once("    ")?;
            Some([option.to_owned(), shlex::split(word)?.pop()?])
        };
        let offered = answer.stderr.lines().find_map(offered);
        arguments.extend(offered.unwrap_or_else(|| panic!("{answer}\n{}", told())));
    }
    panic!("it never ends to ask: {arguments:?}\n{}", told());
}

/// The names of what nobody declared.
fn unmanaged(here: &Stage<'_>) -> Vec<String> {
    let status = here.status();
    let all = status["unmanaged"].as_array().into_iter().flatten();
    all.filter_map(|one| one["name"].as_str().map(str::to_owned)).collect()
}

/// Runs SQL with the server's own client.
fn run(here: &Stage<'_>, sql: &str) {
    match here.server {
        None => {
            let path = here.project.file(&here.database);
            let database = rusqlite::Connection::open(Path::new(&path)).expect("the file opens");
            database.execute_batch(sql).unwrap_or_else(|error| panic!("{error}\n{sql}"));
        }
        Some(server) => {
            here.project.write("by-hand.sql", sql);
            oracle::load(server, &here.database, &here.project.file("by-hand.sql"))
                .unwrap_or_else(|error| panic!("{error}\n{sql}"));
        }
    }
}
