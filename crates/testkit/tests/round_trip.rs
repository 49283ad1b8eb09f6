//! Random pairs of schemas on real databases: build A, fill it, go up to B, come down to A again.
//!
//! The ordinary run on SQLite takes 400 seeds that are always the same, which together meet every kind of difference, and
//! 100 that are new every time; on each server 120 and 40. `OAK_TEST_PAIRS` and `OAK_TEST_SEED` ask for that many pairs
//! from that seed on instead. A failure names the pair's seed: `OAK_TEST_SEED=… OAK_TEST_PAIRS=1` runs it alone.
//! `OAK_TEST_PROVIDERS=sqlite` is the way to ask for less where no servers are wanted.

#![expect(clippy::print_stdout, reason = "a run says what it saw")]

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;
use std::time::Duration;

use hollow_oak_core::dialect::Flavor;
use hollow_oak_core::diff::{describe, diff, diff_renamed};
use hollow_oak_core::history::{Decisions, EventKind};
use hollow_oak_core::language::{Source, declare, print, resolve};
use hollow_oak_core::physical::{self, fingerprint};
use hollow_oak_core::plan::{About, Choices, Matter, Plan, RiskKind, Step, plan, questions};
use hollow_oak_core::schema::ProgramKind;
use hollow_oak_core::script::{Direction, Script, write};
use hollow_oak_core::{Dialect, Provider, Schema};
use hollow_oak_database::{
    Cause, Database, Failure, FailureKind, JournalEntry, Migrating, Opening, Outcome, Resume, Scripts, TargetUrl,
};
use hollow_oak_testkit::coverage::Coverage;
use hollow_oak_testkit::generate::Chance;
use hollow_oak_testkit::server::Connects;
use hollow_oak_testkit::store::Store;
use hollow_oak_testkit::{choices, edit, generate, oracle, programs, rows, server};

/// What a run of many pairs saw.
#[derive(Default)]
struct Seen {
    coverage: Coverage,
    rows: usize,
    refused: usize,
    rebuilds: usize,
    steps: usize,
    kept: usize,
    decided: usize,
    whole: usize,
    counted: usize,
    views: usize,
    triggers: usize,
}

#[test]
fn up_and_down_are_exact_on_sqlite() {
    pairs(Dialect::Sqlite, 400, 100);
}

#[test]
fn up_and_down_are_exact_on_postgres() {
    if server::wanted(Provider::Postgres) {
        pairs(Dialect::Postgres, 120, 40);
    }
}

#[test]
fn up_and_down_are_exact_on_mariadb() {
    if server::wanted(Provider::Mariadb) {
        pairs(Dialect::Mariadb(Flavor::Mariadb), 120, 40);
    }
}

#[test]
fn up_and_down_are_exact_on_mysql() {
    if server::wanted(Provider::Mysql) {
        pairs(Dialect::Mariadb(Flavor::Mysql), 120, 40);
    }
}

fn pairs(dialect: Dialect, fixed: u64, new: u64) {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse::<u64>().ok());
    let fresh = fastrand::u64(1 << 20..1 << 40);
    let seeds: Vec<u64> = match (number("OAK_TEST_SEED"), number("OAK_TEST_PAIRS")) {
        (None, None) => (0..fixed).chain(fresh..fresh + new).collect(),
        (first, pairs) => {
            let first = first.unwrap_or(fresh);
            (first..first + pairs.unwrap_or(500)).collect()
        }
    };
    let pairs = seeds.len();
    println!("seeds up to {}, and from {fresh} where they are new", seeds.last().copied().unwrap_or_default());
    let threads = std::thread::available_parallelism().map_or(2, usize::from) as u64;
    let mut seen = Seen::default();
    let mut failures = Vec::new();
    std::thread::scope(|scope| {
        let seeds = &seeds;
        let work = |thread: u64| {
            move || {
                let mut seen = Seen::default();
                let mut failures = Vec::new();
                for seed in seeds.iter().copied().filter(|seed| seed % threads == thread) {
                    let result = catch_unwind(AssertUnwindSafe(|| pair(dialect, seed, &mut seen)));
                    if let Err(panic) = result {
                        let words = panic.downcast_ref::<String>().cloned();
                        let words = words.or_else(|| panic.downcast_ref::<&str>().map(|text| (*text).to_owned()));
                        failures.push(format!("seed {seed}: {}", words.unwrap_or_default()));
                    }
                }
                (seen, failures)
            }
        };
        let handles: Vec<_> = (0..threads).map(|thread| scope.spawn(work(thread))).collect();
        for handle in handles {
            let (part, failed) = handle.join().expect("a worker catches the panics of its pairs");
            seen.coverage.merge(part.coverage);
            seen.rows += part.rows;
            seen.refused += part.refused;
            seen.rebuilds += part.rebuilds;
            seen.steps += part.steps;
            seen.kept += part.kept;
            seen.decided += part.decided;
            seen.whole += part.whole;
            seen.counted += part.counted;
            seen.views += part.views;
            seen.triggers += part.triggers;
            failures.extend(failed);
        }
    });
    println!(
        "{}: {pairs} pairs, {} views, {} triggers, {} rows, {} steps, {} of them rebuilds, {} fills and conversions, {} kept things brought back, \
         {} databases row for row as before, {} runs refused by rows as foretold, {} of them by a count\n{}",
        dialect.provider().title(),
        seen.views,
        seen.triggers,
        seen.rows,
        seen.steps,
        seen.rebuilds,
        seen.decided,
        seen.kept,
        seen.whole,
        seen.refused,
        seen.counted,
        seen.coverage
    );
    let shown: Vec<_> = failures.iter().take(5).map(String::as_str).collect();
    assert!(failures.is_empty(), "{} of {pairs} pairs failed\n{}", failures.len(), shown.join("\n\n"));
    // Few pairs do not meet everything.
    if pairs >= 500 {
        let missing = seen.coverage.unexplained(dialect);
        assert!(missing.is_empty(), "not covered: {}", missing.join(", "));
    }
}

struct Side {
    schema: Schema,
    physical: physical::Schema,
}

impl Side {
    fn new(schema: Schema, dialect: Dialect) -> Self {
        let physical = dialect.lower(&schema).expect("the generator only gives what can be stored").schema;
        Self { schema, physical }
    }

    fn text(&self) -> String {
        print(&declare(&self.schema))
    }
}

fn pair(dialect: Dialect, seed: u64, seen: &mut Seen) {
    let mut rng = Chance::new(seed, dialect);
    let a = generate::schema(&mut rng);
    let b = if rng.u8(..5) == 0 { generate::schema(&mut rng) } else { edit::edited(&mut rng, &a) };
    let (a, b) = (programs::with_programs(a, dialect, seed), programs::with_programs(b, dialect, seed));
    let (a, b) = (Side::new(a, dialect), Side::new(b, dialect));
    let count = |kind: ProgramKind| {
        let of = |side: &Side| side.physical.programs().filter(|one| one.kind == kind).count();
        of(&a) + of(&b)
    };
    seen.views += count(ProgramKind::View);
    seen.triggers += count(ProgramKind::Trigger);
    assert_declared_again(&a);
    assert_declared_again(&b);
    let folder = tempfile::tempdir().expect("a temporary folder can be made");
    let place = Place::new(dialect, folder.path(), seed);
    let told = format!("A:\n{}\nB:\n{}", a.text(), b.text());
    // Half of the pairs keep what goes, and are left alone in between: then everything has to come back.
    let keeps = rng.bool();
    let mut decisions = Decisions::default();
    if keeps {
        decisions.keep = decisions.droppable(&a.schema, &b.schema).expect("nothing was decided that could be wrong");
    }
    // By a source of its own, so that the pairs stay what they were.
    let mut deciding = fastrand::Rng::with_seed(seed ^ 0x0a4b);
    let chosen = match deciding.u8(..3) {
        0 => choices::Chosen::default(),
        _ => {
            let schemas = [&a.physical, &b.physical];
            choices::choose(&mut deciding, dialect, [&a.schema, &b.schema], schemas, &mut decisions)
        }
    };
    seen.decided += chosen.len();
    decisions.online = deciding.bool() && dialect.facts().builds_online;
    let told = format!("{told}\n{:?}", decisions.options());
    let (up_choices, down_choices) =
        decisions.choices(&a.schema, &b.schema, dialect, "pair").expect("nothing was decided that could be wrong");
    let pair = Pair { place: &place, told: &told };

    let empty = physical::Schema::default();
    let mut database = place.open();
    pair.run(&mut *database, [&empty, &a.physical], &Choices::default(), EventKind::Applied, seen);
    pair.assert_live(&*database, &a.physical);
    let mut store = place.store();
    seen.rows += rows::fill(&mut rng, &mut *store, &a.physical).expect("rows can be written");
    let before = place.oracle();
    let rows_before = place.rows();
    let expected = chosen.expected(&mut *store).unwrap_or_else(|error| panic!("{error}\n{told}"));

    seen.coverage.note(&diff_renamed(&a.physical, &b.physical, &up_choices.renames, |name| dialect.quote(name)));
    let whole = pair.whole(&mut *store, [&a.physical, &b.physical], [&up_choices, &down_choices]);
    let up = pair.survivors(&mut *store, [&a.physical, &b.physical], &up_choices);
    let cleared = pair.run(&mut *database, [&a.physical, &b.physical], &up_choices, EventKind::Applied, seen);
    pair.assert_live(&*database, &b.physical);
    if !cleared {
        pair.assert_survived(&mut *store, &a.physical, &b.physical, &up);
        for (query, answer) in &expected {
            let found = choices::texts(&mut *store, query).unwrap_or_else(|error| panic!("{error}\n{told}"));
            assert_eq!(found, *answer, "{query}\n{told}");
        }
    }
    if !keeps {
        rows::fill(&mut rng, &mut *store, &b.physical).expect("rows can be written");
    }
    let cleared_up = cleared;

    seen.coverage.note(&diff_renamed(&b.physical, &a.physical, &down_choices.renames, |name| dialect.quote(name)));
    let down = pair.survivors(&mut *store, [&b.physical, &a.physical], &down_choices);
    let cleared = pair.run(&mut *database, [&b.physical, &a.physical], &down_choices, EventKind::Reverted, seen);
    pair.assert_live(&*database, &a.physical);
    if !cleared {
        pair.assert_survived(&mut *store, &b.physical, &a.physical, &down);
    }
    if keeps && !cleared && !cleared_up {
        seen.kept += up_choices.kept.len();
        pair.assert_survived(&mut *store, &a.physical, &a.physical, &whole);
        let comes_back = |table: &str, column: &str| {
            chosen.converts(table, column)
                || whole
                    .iter()
                    .any(|((name, _), columns, _)| name == table && columns.iter().any(|(one, _)| one == column))
        };
        let all = a.physical.tables().all(|table| {
            table.columns.iter().all(|column| column.generated.is_some() || comes_back(&table.name, &column.name))
        });
        if all && !chosen.fills_old_columns() {
            seen.whole += 1;
            let rows_after = place.rows();
            assert!(rows_before == rows_after, "other rows than before\n{rows_before}\n---\n{rows_after}\n{told}");
        }
    }
    let after = place.oracle();
    let only = |one: &str, other: &str| {
        let lines = one.lines().filter(|line| !other.lines().any(|its| its == *line));
        lines.collect::<Vec<_>>().join("\n")
    };
    let (gone, come) = (only(&before, &after), only(&after, &before));
    assert!(before == after, "the oracle sees a difference\n{gone}\n---\n{come}\n{told}");
    drop((database, store));
    place.remove();
}

/// The written declarations mean the same schema.
fn assert_declared_again(side: &Side) {
    let text = side.text();
    let sources = [Source { name: "schema.oak".into(), text: text.clone() }];
    let resolution = resolve(&sources);
    assert!(resolution.schema.as_ref() == Some(&side.schema), "not read back: {:?}\n{text}", resolution.diagnostics);
}

/// The database of one pair.
struct Place {
    dialect: Dialect,
    url: TargetUrl,
    name: String,
}

impl Place {
    fn new(dialect: Dialect, folder: &Path, seed: u64) -> Self {
        let name = format!("pair_{seed}");
        let url = match dialect {
            Dialect::Sqlite => "sqlite:pair.db".to_owned(),
            Dialect::Postgres | Dialect::Mariadb(_) => server::shared(dialect.provider()).url(&name),
        };
        let url = TargetUrl::parse(&url, folder).expect("the URL can be read");
        Self { dialect, url, name }
    }

    fn open(&self) -> Box<dyn Database> {
        let opening = Opening { create: true, lock_wait: Duration::from_secs(5) };
        hollow_oak_database::open(&self.url, opening).expect("the database can be made")
    }

    fn store(&self) -> Box<dyn Store> {
        match (&self.url, self.dialect) {
            (TargetUrl::Sqlite { path }, _) => Box::new(rusqlite::Connection::open(path).expect("the file opens")),
            (TargetUrl::Server(_), Dialect::Mariadb(_)) => {
                let server = server::shared(self.dialect.provider());
                Box::new(server.mariadb(Some(&self.name)).expect("the server answers"))
            }
            (TargetUrl::Server(_), _) => {
                Box::new(server::shared(Provider::Postgres).postgres(&self.name).expect("the server answers"))
            }
        }
    }

    fn oracle(&self) -> String {
        let schema = match &self.url {
            TargetUrl::Sqlite { path } => oracle::schema(path),
            TargetUrl::Server(_) => oracle::dump(server::shared(self.dialect.provider()), &self.name),
        };
        schema.expect("the oracle answers")
    }

    fn rows(&self) -> String {
        let rows = match &self.url {
            TargetUrl::Sqlite { path } => oracle::rows(path),
            TargetUrl::Server(_) => oracle::dump_rows(server::shared(self.dialect.provider()), &self.name),
        };
        rows.expect("the oracle answers")
    }

    fn remove(&self) {
        match self.dialect {
            Dialect::Sqlite => {}
            Dialect::Postgres => {
                let mut other = server::shared(Provider::Postgres).postgres("postgres").expect("the server answers");
                Store::execute(&mut other, &format!("drop database {} with (force)", self.name))
                    .expect("the database can be dropped");
            }
            Dialect::Mariadb(_) => {
                let mut other = server::shared(self.dialect.provider()).mariadb(None).expect("the server answers");
                Store::execute(&mut other, &format!("drop database {}", self.name))
                    .expect("the database can be dropped");
            }
        }
    }
}

fn in_words(failure: &Failure) -> String {
    match &failure.kind {
        FailureKind::Outcome { changes } => format!("{:?}", describe(changes)),
        other => format!("{other:?}"),
    }
}

type Survivors = Vec<((String, String), Vec<(String, String)>, Vec<String>)>;

struct Pair<'a> {
    place: &'a Place,
    told: &'a str,
}

impl Pair<'_> {
    /// Runs the plan; where rows refuse it, checks that this was foretold and what remains, and runs it again without
    /// rows. Returns whether the rows are gone.
    fn run(
        &self,
        database: &mut dyn Database,
        [from, to]: [&physical::Schema; 2],
        choices: &Choices,
        event: EventKind,
        seen: &mut Seen,
    ) -> bool {
        let dialect = self.place.dialect;
        let plan = plan(dialect, from, to, choices);
        seen.steps += plan.steps.len();
        seen.rebuilds += plan.steps.iter().filter(|planned| matches!(planned.step, Step::RebuildTable(_))).count();
        let text = write(dialect, "0001-pair", Direction::Up, &plan);
        let script = Script::read(dialect, &text).unwrap_or_else(|error| panic!("{error}\n{text}"));
        assert!(script.steps.iter().all(hollow_oak_core::script::ScriptStep::is_as_generated), "{text}");
        let made = script.steps.iter().flat_map(|step| step.objects()).map(str::to_owned).collect();
        let outcome = Outcome { schema: to.clone(), gone: from.keys(), made };
        let attempt = |database: &mut dyn Database, resume: Option<Resume>| {
            let last_seq = database.journal().expect("the journal is read").last().map_or(0, |(_, event)| event.seq);
            let scripts = Scripts { up: &text, up_sha: "1", down: &text, down_sha: "2" };
            let entry = JournalEntry {
                project: "pair",
                migration: "one",
                title: "one",
                event,
                overrides: "",
                reason: None,
                scripts,
                expected: "",
                oak_version: "0",
            };
            let outcome = Some(&outcome);
            let migrating = Migrating {
                entry,
                keep: &[scripts],
                script: &script,
                last_seq,
                schema_state: None,
                outcome,
                is_followed: false,
                resume,
            };
            database.run(&migrating, &mut |_| {})
        };
        let before = self.place.oracle();
        let counted = self.counted(database, [from, to], choices);
        let Err(failure) = attempt(database, None) else {
            assert!(counted.is_empty(), "it went through, although counted: {counted:?}\n{text}\n{}", self.told);
            return false;
        };
        seen.counted += usize::from(!counted.is_empty());
        self.assert_foretold(&plan, &failure, &text);
        seen.refused += 1;
        let resume = failure.remains.map(|(steps_done, _)| Resume { steps_done, undoes: false, undecided: None });
        if resume.is_none() {
            let now = self.place.oracle();
            assert!(before == now, "a refused run left something\n{before}\n---\n{now}\n{}", self.told);
        }
        let mut store = self.place.store();
        rows::clear(&mut *store, [from, to]).expect("rows can be removed");
        for name in &choices.spent {
            // It is gone where the run came that far.
            let _ = store.execute(&format!("delete from {}", dialect.quote(name)));
        }
        if let Err(failure) = attempt(database, resume) {
            panic!("without rows: {failure}: {}\n{text}\n{}", in_words(&failure), self.told);
        }
        true
    }

    /// What the rows would refuse, by the tool's own count.
    fn counted(&self, database: &dyn Database, [from, to]: [&physical::Schema; 2], choices: &Choices) -> Vec<String> {
        let mut found = Vec::new();
        for question in questions(self.place.dialect, from, to, choices) {
            match database.count(&question, Duration::from_secs(5)) {
                Ok(Some(count)) if question.matter == Matter::Refuses => found.extend(question.answer(count)),
                Ok(_) => {}
                // A server before PostgreSQL 16 does not have it.
                Err(error) if error.to_string().contains("pg_input_is_valid") => {}
                // Where an expression of one's own fails on a value, it cannot be counted; the run says it.
                Err(_) if matches!(question.about, About::Unfilled { .. }) => {}
                Err(error) => panic!("{question:?}: {error}\n{}", self.told),
            }
        }
        found
    }

    fn assert_foretold(&self, plan: &Plan, failure: &Failure, text: &str) {
        let may_refuse = |at: usize| plan.steps[at].risks.iter().any(|risk| risk.kind == RiskKind::MayRefuse);
        let foretold = match &failure.kind {
            FailureKind::Statement { step, cause: Cause::Rows, .. } => may_refuse(step - 1),
            FailureKind::BrokenReferences { .. } => (0..plan.steps.len()).any(may_refuse),
            _ => false,
        };
        let words = in_words(failure);
        assert!(foretold, "not foretold: {words}\n{text}\n{}", self.told);
    }

    fn assert_live(&self, database: &dyn Database, expected: &physical::Schema) {
        let live = database.introspect().expect("the catalogue is read");
        assert_eq!(live.unmanaged, [], "{}", self.told);
        for (left, right) in [(&live.schema, expected), (expected, &live.schema)] {
            let changes = diff(left, right);
            assert!(changes.is_empty(), "{:?}\n{}", describe(&changes), self.told);
        }
        // Elsewhere the catalogue may have words of its own for the same thing.
        if self.place.dialect == Dialect::Sqlite {
            assert_eq!(fingerprint(&live.schema), fingerprint(expected), "{}", self.told);
        }
    }

    fn survivors(&self, store: &mut dyn Store, [from, to]: [&physical::Schema; 2], choices: &Choices) -> Survivors {
        let tables = rows::surviving(from, to, choices).into_iter();
        let with_rows = tables.map(|(names, columns)| {
            let old: Vec<_> = columns.iter().map(|(old, _)| old.clone()).collect();
            let found = rows::snapshot(store, &names.0, &old).unwrap_or_else(|error| panic!("{error}\n{}", self.told));
            (names, columns, found)
        });
        with_rows.collect()
    }

    /// What up and down together have to leave as it was: what survives both ways, and what is kept.
    fn whole(&self, store: &mut dyn Store, [from, to]: [&physical::Schema; 2], [up, down]: [&Choices; 2]) -> Survivors {
        let (there, back) = (rows::surviving(from, to, up), rows::surviving(to, from, down));
        let tables = from.tables().map(|table| {
            let survives = |column: &str| {
                let found = there.iter().find(|((old, _), _)| *old == table.name);
                let pair = found.and_then(|(names, columns)| {
                    let (_, new) = columns.iter().find(|(old, _)| old == column)?;
                    Some((names.1.clone(), new.clone()))
                });
                pair.is_some_and(|(new_table, new)| {
                    let back = back.get(&(new_table, table.name.clone()));
                    back.is_some_and(|columns| columns.contains(&(new, column.to_owned())))
                })
            };
            let kept =
                |column: &str| up.keeps(&table.name, None).is_some() || up.keeps(&table.name, Some(column)).is_some();
            let plain = table.columns.iter().filter(|column| column.generated.is_none());
            let names: Vec<String> = plain.map(|column| column.name.clone()).collect();
            let names = names.into_iter().filter(|name| survives(name) || kept(name));
            (table.name.clone(), names.collect::<Vec<_>>())
        });
        let with_rows = tables.map(|(table, columns)| {
            let found =
                rows::snapshot(store, &table, &columns).unwrap_or_else(|error| panic!("{error}\n{}", self.told));
            let pairs = columns.into_iter().map(|name| (name.clone(), name)).collect();
            ((table.clone(), table), pairs, found)
        });
        with_rows.collect()
    }

    fn assert_survived(
        &self,
        store: &mut dyn Store,
        from: &physical::Schema,
        to: &physical::Schema,
        survivors: &Survivors,
    ) {
        for ((old, new), columns, before) in survivors {
            let names: Vec<_> = columns.iter().map(|(_, new)| new.clone()).collect();
            let after = rows::snapshot(store, new, &names).unwrap_or_else(|error| panic!("{error}\n{}", self.told));
            assert!(
                *before == after,
                "rows of {old} changed\n{before:?}\n{after:?}\n{:?}\n{}",
                describe(&diff(from, to)),
                self.told
            );
        }
    }
}
