//! Random changes that somebody makes by hand on a real database: `absorb` takes them in, the next target gets them by
//! `apply`, and `revert` takes them back.
//!
//! The ordinary run takes twelve seeds on each provider, always the same. `OAK_TEST_PAIRS` and `OAK_TEST_SEED` ask for that
//! many from that seed on instead.

use std::path::Path;

use hollow_oak_core::language::{declare, print};
use hollow_oak_core::{Dialect, Provider};
use hollow_oak_testkit::generate::Chance;
use hollow_oak_testkit::{edit, generate, oracle};

use crate::support::stage::{Stage, on_each_provider};

#[test]
fn what_is_changed_by_hand_comes_to_the_next_target() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let first = number("OAK_TEST_SEED").unwrap_or_default();
    let seeds: Vec<u64> = (first..first + number("OAK_TEST_PAIRS").unwrap_or(12)).collect();
    on_each_provider(|provider| {
        let mut failed = Vec::new();
        let mut taken_in = 0;
        for seed in &seeds {
            match std::panic::catch_unwind(|| change(provider, *seed)) {
                Ok(changed) => taken_in += usize::from(changed),
                Err(panic) => {
                    let words = panic.downcast_ref::<String>().cloned().unwrap_or_default();
                    failed.push(format!("{provider}, seed {seed}: {words}"));
                }
            }
        }
        assert!(failed.is_empty(), "{} of {} failed\n{}", failed.len(), seeds.len(), failed.join("\n\n"));
        assert!(taken_in * 2 > seeds.len(), "{provider}: {taken_in} of {} changed anything", seeds.len());
    });
}

/// One change; whether there was any.
fn change(provider: Provider, seed: u64) -> bool {
    let dialect = Dialect::of(provider).expect("it has a dialect");
    let mut chance = Chance::new(seed, dialect);
    let first = generate::schema(&mut chance);
    let second = edit::edited(&mut chance, &first);
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

    absorb(&here, seed % 2 == 0, &told);
    // A description that nobody declared comes to light once its column is known under its new name.
    if !unmanaged(&here).is_empty() {
        absorb(&here, false, &told);
    }
    let same = here.project.oak(&["diff", "live", "declared"]);
    assert!(same.stdout.starts_with("no difference"), "{same}\n{}", told());
    assert_eq!(here.dump(), changed, "absorbing changes nothing on the target\n{}", told());

    let url = match here.server {
        None => "sqlite:next.db".to_owned(),
        Some(server) => server.url(&format!("{}_next", here.database)),
    };
    let config = here.project.read("hollow-oak.toml");
    here.project.write("hollow-oak.toml", &format!("{config}\n[targets.next]\nurl = \"{url}\"\n"));
    let accepted = here.project.oak(&["review", "2", "--accept", "loses-data", "--because", "it was so by hand"]);
    assert!(accepted.status == 0 || accepted.stderr.contains("nothing to accept"), "{accepted}\n{}", told());
    let applied = here.project.oak(&["apply", "--target", "next", "--yes"]);
    assert_eq!(applied.status, 0, "{applied}\n{}", told());
    let next = match here.server {
        None => oracle::schema(&here.project.file("next.db")),
        Some(server) => oracle::dump(server, &format!("{}_next", here.database)),
    };
    assert_eq!(next.expect("the oracle answers"), changed, "{}", told());

    let reverted = here.project.oak(&[crate::support::REVERT, &["--to", "1"]].concat());
    assert_eq!(reverted.status, 0, "{reverted}\n{}", told());
    assert_eq!(here.dump(), before, "{}", told());
    true
}

/// Takes it in as a person would: all that is new is named, and what could be renamed is, or is not, as was offered.
fn absorb(here: &Stage<'_>, renames: bool, told: &impl Fn() -> String) {
    let mut arguments: Vec<String> = ["absorb".to_owned()].into_iter().chain(unmanaged(here)).collect();
    for _ in 0..20 {
        let all: Vec<&str> = arguments.iter().map(String::as_str).chain(["--yes"]).collect();
        let answer = here.project.oak(&all);
        if answer.status == 0 {
            return;
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
