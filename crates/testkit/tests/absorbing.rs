//! Random changes by hand on one provider, taken into random declarations of several: what is there is declared, the others
//! lose and gain nothing else, and the edited files say so.
//!
//! Nothing of it needs a database. `OAK_TEST_PAIRS` and `OAK_TEST_SEED` ask for that many changes from that seed on.

#![expect(clippy::print_stdout, reason = "a run says what it saw")]

use std::collections::{BTreeMap, BTreeSet};
use std::panic::{AssertUnwindSafe, catch_unwind};

use hollow_oak_core::dialect::{Flavor, absorbed, adopted, lift};
use hollow_oak_core::diff::{Change, Changes, ItemChange, Renames, TableChange, describe, diff};
use hollow_oak_core::language::{Source, added, declare, patched, print, resolve};
use hollow_oak_core::physical::{self, Introspected};
use hollow_oak_core::{Dialect, Schema};
use hollow_oak_testkit::generate::Chance;
use hollow_oak_testkit::{edit, generate, scopes};

const DIALECTS: [Dialect; 4] =
    [Dialect::Sqlite, Dialect::Postgres, Dialect::Mariadb(Flavor::Mariadb), Dialect::Mariadb(Flavor::Mysql)];

#[derive(Default)]
struct Seen {
    absorbed: usize,
    refused: BTreeMap<String, usize>,
    carried: usize,
    /// Whether what is refused is shown.
    tells: bool,
}

#[test]
fn what_is_absorbed_is_declared_and_the_others_keep_theirs() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let fresh = fastrand::u64(1 << 20..1 << 40);
    let seeds: Vec<u64> = match (number("OAK_TEST_SEED"), number("OAK_TEST_PAIRS")) {
        (None, None) => (0..800).chain(fresh..fresh + 200).collect(),
        (first, pairs) => {
            let first = first.unwrap_or(fresh);
            (first..first + pairs.unwrap_or(1000)).collect()
        }
    };
    println!("seeds from {fresh} where they are new");
    let mut seen = Seen { tells: seeds.len() == 1, ..Seen::default() };
    let mut failures = Vec::new();
    for seed in seeds.iter().copied() {
        let result = catch_unwind(AssertUnwindSafe(|| change(seed, &mut seen)));
        if let Err(panic) = result {
            let words = panic.downcast_ref::<String>().cloned();
            let words = words.or_else(|| panic.downcast_ref::<&str>().map(|text| (*text).to_owned()));
            failures.push(format!("seed {seed}: {}", words.unwrap_or_default()));
        }
    }
    let Seen { absorbed, refused, carried, .. } = seen;
    println!("{absorbed} of {} absorbed, {carried} of them changed another provider, too", seeds.len());
    for (why, count) in &refused {
        println!("{count:6} refused: {why}");
    }
    for failure in &failures {
        println!("failed: {}", failure.lines().next().unwrap_or_default());
    }
    let shown: Vec<_> = failures.iter().take(5).map(String::as_str).collect();
    assert!(failures.is_empty(), "{} of {} changes failed\n{}", failures.len(), seeds.len(), shown.join("\n\n"));
    // Some schemas cannot be had on all the providers, and some changes cannot be taken in.
    if seeds.len() >= 500 {
        assert!(absorbed * 4 > seeds.len() * 3, "{absorbed} of {} absorbed", seeds.len());
        assert!(carried * 2 > absorbed, "{carried} of {absorbed} came to another provider");
    }
}

fn lifted(dialect: Dialect, schema: &physical::Schema) -> Option<Schema> {
    let found = Introspected { schema: schema.clone(), unmanaged: Vec::new() };
    Some(lift(dialect, &found).ok().filter(|lifted| lifted.left_out.is_empty())?.schema)
}

fn lower(dialect: Dialect, schema: &Schema) -> physical::Schema {
    dialect.lower(schema).expect("it can be stored there").schema
}

fn change(seed: u64, seen: &mut Seen) {
    let mut choice = fastrand::Rng::with_seed(seed);
    let dialect = DIALECTS[choice.usize(..4)];
    let mut others: Vec<Dialect> = DIALECTS.into_iter().filter(|one| *one != dialect).collect();
    choice.shuffle(&mut others);
    others.truncate(choice.usize(1..4));
    let mut rng = Chance::new(seed, dialect);
    let base = generate::schema(&mut rng);
    let base = adopted(dialect, base.clone(), &lower(dialect, &base), &others);
    let Ok(base) = base else { return };
    let all: Vec<Dialect> = others.iter().copied().chain([dialect]).collect();
    let declared = scopes::spread(&mut rng, &base, &all);
    let expected = lower(dialect, &declared);
    // By hand: what the provider has becomes something else that it can have.
    let Some(there) = lifted(dialect, &expected) else { return };
    let changed = edit::edited(&mut rng, &there);
    let live = lower(dialect, &changed);
    let Some(found) = lifted(dialect, &live) else { return };
    // Half of the time it is known what was renamed.
    let renames = if choice.bool() { Renames::between(&there, &changed) } else { Renames::default() };
    let mut file = declare(&declared);
    if choice.bool() {
        scopes::with_clauses(&mut rng, &mut file);
    }
    let text = print(&file);
    let by_hand = diff(&expected, &live);
    let told = format!(
        "{dialect:?} with {others:?}, declared:\n{text}\nby hand: {:?}",
        describe(&by_hand).iter().map(|report| format!("{}: {:?}", report.table, report.lines)).collect::<Vec<_>>()
    );
    let read = |text: &str| {
        let resolution = resolve(&[Source { name: "schema.oak".into(), text: text.to_owned() }]);
        resolution.schema.ok_or_else(|| format!("{:?}", resolution.diagnostics))
    };
    let again = read(&text).unwrap_or_else(|error| panic!("{error}\n{told}"));
    for one in &all {
        let changes = diff(&lower(*one, &declared), &lower(*one, &again));
        assert!(changes.is_empty(), "in lines it is another one on {one:?}: {changes:?}\n{told}");
    }
    let old = again;
    let Ok(declared) = renames.declared(&old, &found) else { return };
    let Ok(expected) = dialect.lower(&declared) else { return };
    // Where only the case of a name changed, it may be taken elsewhere.
    if others.iter().any(|other| other.lower(&declared).is_err()) {
        return;
    }
    let changes = diff(&expected.schema, &live);
    let told = format!("{told}\nrenamed: {renames:?}");

    let new = match absorbed(dialect, &declared, &live, &found, &changes, &others) {
        Ok(new) => new,
        Err(why) => {
            if seen.tells {
                println!("{told}\nrefused: {why}");
            }
            *seen.refused.entry(format!("{seed} {dialect:?} {why}")).or_default() += 1;
            return;
        }
    };
    let told = format!("{told}\nabsorbed:\n{}", print(&declare(&new)));
    let left = diff(&live, &lower(dialect, &new));
    assert!(left.is_empty(), "it is not declared as it is: {:?}\n{told}", describe(&left));
    let mut is_carried = false;
    for other in &others {
        let stored = other.lower(&new).unwrap_or_else(|faults| panic!("{other:?} cannot store it: {faults:?}\n{told}"));
        let theirs = diff(&lower(*other, &declared), &stored.schema);
        is_carried |= !theirs.is_empty();
        // Columns of an enum change with its words.
        if !changes.enums.is_empty() {
            continue;
        }
        let asked = touched(&changes, &BTreeSet::new());
        // What has another case is another table on some providers, and the same one on others.
        let is_of_new = |one: &String| {
            let table = one.split(": ").next().unwrap_or_default();
            // Of SQLite a column's type depends on whether it is the whole key.
            let by_key = *other == Dialect::Sqlite && asked.contains(&format!("{table}: key"));
            by_key || asked.contains(&format!("add table {table}"))
        };
        let theirs = touched(&theirs, &gone(&changes));
        let unasked: Vec<&String> = theirs.difference(&asked).filter(|one| !is_of_new(one)).collect();
        assert!(unasked.is_empty(), "{other:?} changes unasked: {unasked:?}\n{told}");
    }
    seen.absorbed += 1;
    seen.carried += usize::from(is_carried);

    let come = added(&old, &new, &renames);
    let edited = patched(&text, &old, &new, &renames, &come.iter().collect::<Vec<_>>());
    let said = read(&edited).unwrap_or_else(|error| panic!("{error}\n{told}\nedited:\n{edited}"));
    for one in &all {
        let changes = diff(&lower(*one, &new), &lower(*one, &said));
        let what = describe(&changes);
        assert!(changes.is_empty(), "edited, it is another one on {one:?}: {what:?}\n{told}\nedited:\n{edited}");
    }
}

/// What is changed, in the same words on every provider: a table, a column of it, a constraint with its name. A reference has
/// an index of its name on some providers, and what is unique is an index on some. What goes with a column or table that goes
/// is no change of its own.
fn touched(changes: &Changes, gone: &BTreeSet<String>) -> BTreeSet<String> {
    let mut all = BTreeSet::new();
    for change in &changes.tables {
        match change {
            TableChange::Add(table) => all.extend([format!("add table {}", table.name)]),
            TableChange::Drop(table) => all.extend([format!("drop table {}", table.name)]),
            TableChange::Alter(alteration) => {
                let table = &alteration.to.name;
                let goes = |column: &str| gone.contains(&plain(&format!("{table}: {column}")));
                for item in &alteration.items {
                    let names = match item {
                        ItemChange::Column(change) => {
                            let columns = named("column", change, |one| Some(&one.name), |_| false);
                            // The checks of its type.
                            let of_type = |column: &String| {
                                let name = column.trim_start_matches("column ");
                                ["json", "enum"].map(|what| format!("check {table}_{name}_{what}"))
                            };
                            let checks: Vec<String> = columns.iter().flat_map(of_type).collect();
                            columns.into_iter().chain(checks).collect()
                        }
                        ItemChange::PrimaryKey(Change::Drop(key)) if key.columns.iter().any(|one| goes(&one.name)) => {
                            Vec::new()
                        }
                        ItemChange::PrimaryKey(_) => vec!["key".to_owned()],
                        ItemChange::Unique(change) => {
                            let goes = |key: &physical::Unique| key.columns.iter().any(|one| goes(&one.name));
                            named("index", change, |one| one.name.as_deref(), goes)
                        }
                        ItemChange::ForeignKey(change) => {
                            let is_lost = |key: &physical::ForeignKey| {
                                let other = &key.referenced_table;
                                let lost = |column: &String| gone.contains(&plain(&format!("{other}: {column}")));
                                key.columns.iter().any(|one| goes(one))
                                    || key.referenced_columns.iter().any(lost)
                                    || gone.contains(&plain(other))
                            };
                            named("index", change, |one| one.name.as_deref(), is_lost)
                        }
                        ItemChange::Check(change) => {
                            let goes = |one: &physical::Check| {
                                one.expression.columns().iter().any(|column| goes(&column.name))
                            };
                            named("check", change, |one| one.name.as_deref(), goes)
                        }
                        ItemChange::Index(change) => {
                            let goes = |one: &physical::Index| {
                                let read = one.predicate.iter().flat_map(|text| text.columns());
                                if read.into_iter().any(|column| goes(&column.name)) {
                                    return true;
                                }
                                one.parts.iter().any(|part| match &part.key {
                                    physical::IndexKey::Column(name) => goes(name),
                                    physical::IndexKey::Expression(text) => {
                                        text.columns().iter().any(|column| goes(&column.name))
                                    }
                                })
                            };
                            let is_of_lost = |one: &physical::Index| {
                                let columns = || {
                                    one.parts.iter().map(|part| match &part.key {
                                        physical::IndexKey::Column(name) => name.as_str(),
                                        physical::IndexKey::Expression(_) => "",
                                    })
                                };
                                let keys = [&alteration.from, &alteration.to].map(|table| &table.foreign_keys);
                                let name = Some(one.name.as_str());
                                // MariaDB makes one where no other index will do.
                                let comes_along =
                                    keys.iter().any(|keys| keys.iter().any(|key| key.name.as_deref() == name));
                                comes_along
                                    || alteration.items.iter().any(|item| match item {
                                        ItemChange::ForeignKey(Change::Drop(key)) => {
                                            columns().eq(key.columns.iter().map(String::as_str))
                                        }
                                        _ => false,
                                    })
                            };
                            named("index", change, |one| Some(&one.name), |one| goes(one) || is_of_lost(one))
                        }
                        ItemChange::Options { .. } => vec!["options".to_owned()],
                        ItemChange::Comment { .. } => vec!["comment".to_owned()],
                    };
                    all.extend(names.into_iter().map(|name| format!("{table}: {name}")));
                }
            }
        }
    }
    all.into_iter().map(|one: String| plain(&one)).collect()
}

/// Tables, and columns of tables, that go.
fn gone(changes: &Changes) -> BTreeSet<String> {
    let mut all = BTreeSet::new();
    for change in &changes.tables {
        match change {
            TableChange::Add(_) => {}
            TableChange::Drop(table) => all.extend([plain(&table.name)]),
            TableChange::Alter(alteration) => {
                let lost = alteration.items.iter().filter_map(|item| match item {
                    ItemChange::Column(Change::Drop(column)) => Some(column),
                    _ => None,
                });
                all.extend(lost.map(|column| plain(&format!("{}: {}", alteration.to.name, column.name))));
            }
        }
    }
    all
}

fn plain(name: &str) -> String {
    let name = name.to_lowercase().replace('"', "");
    // The index of a reference is called after the one or the other.
    ["_idx", "_fkey"].iter().find_map(|end| name.strip_suffix(end)).map_or(name.clone(), str::to_owned)
}

fn named<T>(
    what: &str,
    change: &Change<T>,
    name: impl Fn(&T) -> Option<&str>,
    goes: impl Fn(&T) -> bool,
) -> Vec<String> {
    let name = |one: &T| format!("{what} {}", name(one).unwrap_or_default());
    match change {
        Change::Add(one) | Change::Drop(one) if goes(one) => Vec::new(),
        Change::Add(one) | Change::Drop(one) => vec![name(one)],
        Change::Alter { from, to } | Change::Rename { from, to } if goes(to) => vec![name(from)],
        Change::Alter { from, to } | Change::Rename { from, to } => vec![name(from), name(to)],
    }
}
