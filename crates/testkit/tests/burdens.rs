//! What the review says of a step's cost, checked on the servers: whether a table's file is another one afterwards, which
//! lock is held, and which algorithm the server accepts.

use hollow_oak_core::dialect::Flavor;
use hollow_oak_core::language::{Source, resolve};
use hollow_oak_core::plan::{Blocks, Burden, Choices, Step, plan};
use hollow_oak_core::{Dialect, Provider, physical};
use hollow_oak_testkit::server::{Connects, shared, wanted};
use hollow_oak_testkit::store::Store;

/// What stands beside the table in question.
const BESIDE: &str = "table apiary { id: int64, identity; primary key (id) }";

#[track_caller]
fn lowered(dialect: Dialect, text: &str) -> physical::Schema {
    let text = format!("{}\n{text}\n", BESIDE.replace("; ", "\n"));
    let text = text.replace("{ id", "{\n    id").replace(" }", "\n}");
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.clone() }]);
    let schema = resolution.schema.unwrap_or_else(|| panic!("{text}\n{:?}", resolution.diagnostics));
    dialect.lower(&schema).unwrap_or_else(|faults| panic!("{faults:?}")).schema
}

fn hive(items: &str) -> String {
    format!("table hive {{\n    id: int64\n    n: int32, null\n    {items}\n}}")
}

/// What a table has before and after.
const CHANGES: [(&str, &str); 46] = [
    ("primary key (id)", "primary key (id)\n    index by_n (n)"),
    ("primary key (id)", "primary key (id)\n    unique (n)"),
    ("primary key (id)", "primary key (id)\n    check (n > 0)"),
    ("", "primary key (id)"),
    ("primary key (id)", ""),
    ("primary key (id)\n    a: int64, null", "primary key (id)\n    a: int64, null, references apiary"),
    ("primary key (id)", "primary key (id)\n    a: int32, null"),
    ("primary key (id)", "primary key (id)\n    a: text(20), default 'calm'"),
    ("primary key (id)", "primary key (id)\n    a: instant, default now"),
    ("primary key (id)", "primary key (id)\n    a: uuid, default new uuid"),
    ("primary key (id)", "primary key (id)\n    a: int32, null, generated (n + 1)"),
    ("primary key (id)", "primary key (id)\n    a: int32, null, check (a > 0)"),
    ("primary key (id)\n    a: int32, null", "primary key (id)"),
    ("primary key (id)\n    a: int32, null", "primary key (id)\n    a: int64, null"),
    ("primary key (id)\n    a: int64, null", "primary key (id)\n    a: int32, null"),
    ("primary key (id)\n    a: int32, null", "primary key (id)\n    a: int32"),
    ("primary key (id)\n    a: int32", "primary key (id)\n    a: int32, null"),
    ("primary key (id)\n    a: text(10), null", "primary key (id)\n    a: text(20), null"),
    ("primary key (id)\n    a: text(10), null", "primary key (id)\n    a: text(200), null"),
    ("primary key (id)\n    a: text(100), null", "primary key (id)\n    a: text(200), null"),
    ("primary key (id)\n    a: text(50), null", "primary key (id)\n    a: text(200), null"),
    ("primary key (id)\n    a: text(20), null", "primary key (id)\n    a: text(10), null"),
    ("primary key (id)\n    a: text(20), null", "primary key (id)\n    a: text, null"),
    ("primary key (id)\n    a: text, null", "primary key (id)\n    a: text(20), null"),
    ("primary key (id)\n    a: decimal(6, 2), null", "primary key (id)\n    a: decimal(9, 2), null"),
    ("primary key (id)\n    a: decimal(6, 2), null", "primary key (id)\n    a: decimal(9, 3), null"),
    ("primary key (id)\n    a: float32, null", "primary key (id)\n    a: float64, null"),
    ("primary key (id)\n    a: date, null", "primary key (id)\n    a: datetime, null"),
    ("primary key (id)\n    a: datetime(3), null", "primary key (id)\n    a: datetime(6), null"),
    ("primary key (id)\n    a: datetime(6), null", "primary key (id)\n    a: datetime(3), null"),
    ("primary key (id)\n    a: instant, null", "primary key (id)\n    a: instant(6), null"),
    ("primary key (id)\n    a: time(3), null", "primary key (id)\n    a: time, null"),
    ("primary key (id)\n    a: text(20), default 'calm'", "primary key (id)\n    a: text(20), default 'watchful'"),
    ("primary key (id)\n    a: int32, default 1", "primary key (id)\n    a: int32"),
    ("primary key (id)\n    unique (n)", "primary key (id)"),
    ("primary key (id)\n    check (n > 0)", "primary key (id)"),
    ("primary key (id)\n    index by_n (n)", "primary key (id)"),
    ("a: int32\n    primary key (id)", "a: int32\n    primary key (id, a)"),
    ("a: int32\n    primary key (id)", "a: int32\n    primary key (a)"),
    ("primary key (id)\n    a: int32\n    b: int32", "primary key (id)\n    a: int64\n    b: int64"),
    ("primary key (id)\n    a: int32, null\n    b: int32, null", "primary key (id)\n    a: int32\n    b: int32"),
    ("primary key (id)\n    a: int32, null\n    b: int32", "primary key (id)\n    a: int32\n    b: text"),
    ("primary key (id)", "primary key (id)\n    check one (n > 0)\n    check two (n < 9)"),
    (
        "primary key (id)\n    a: int64, null\n    b: int64, null",
        "primary key (id)\n    a: int64, null, references apiary\n    b: int64, null, references apiary",
    ),
    ("primary key (id)\n    a: int64, null, references apiary", "primary key (id)\n    a: int64, null"),
    (
        "primary key (id)\n    a: text(20), null, about \"one\"",
        "primary key (id)\n    a: text(20), null, about \"two\"",
    ),
];

/// Every step of the changes by itself, with what is said of it. A server writes an empty table anew like any other.
fn each_step(dialect: Dialect, store: &mut dyn Store, mut look: impl FnMut(&mut dyn Store, &Step, &[Burden])) -> usize {
    let mut count = 0;
    let mut changes: Vec<(String, String)> = CHANGES.iter().map(|(from, to)| (hive(from), hive(to))).collect();
    changes.push((
        format!("enum temper {{ calm, watchful }}\n{}", hive("a: temper, null")),
        format!("enum temper {{ calm, watchful, grim }}\n{}", hive("a: temper, null")),
    ));
    changes.push((
        format!("enum temper {{ calm, watchful }}\n{}", hive("a: temper, null")),
        format!("enum temper {{ watchful, calm }}\n{}", hive("a: temper, null")),
    ));
    for (from, to) in &changes {
        let (before, after) = (lowered(dialect, from), lowered(dialect, to));
        for step in &plan(dialect, &physical::Schema::default(), &before, &Choices::default()).steps {
            for sql in dialect.render(&step.step) {
                store.execute(&sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
            }
        }
        for planned in &plan(dialect, &before, &after, &Choices::default()).steps {
            look(store, &planned.step, &dialect.burdens(&planned.step));
            count += 1;
        }
        for step in &plan(dialect, &after, &physical::Schema::default(), &Choices::default()).steps {
            for sql in dialect.render(&step.step) {
                store.execute(&sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
            }
        }
    }
    count
}

fn of_hive(said: &[Burden]) -> (bool, Blocks) {
    let found = said.iter().find(|burden| burden.table == "hive");
    found.map_or((false, Blocks::Nothing), |burden| (burden.rewrites, burden.blocks))
}

#[test]
fn postgres_writes_anew_and_locks_what_the_review_says() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = shared(Provider::Postgres);
    server.postgres("postgres").expect("it answers").batch_execute("create database burdens").expect("it is made");
    let mut working = server.postgres("burdens").expect("it answers");
    let mut watching = server.postgres("burdens").expect("it answers");
    let mut wrong: Vec<String> = Vec::new();
    let count = each_step(Dialect::Postgres, &mut working, |store, step, said| {
        let file = |store: &mut dyn Store| {
            store.texts("select pg_relation_filenode('hive')::text").map(|rows| rows[0][0].clone()).unwrap_or_default()
        };
        let before = file(store);
        // A word of an enum type is added outside of a transaction.
        let is_outside = matches!(step, Step::AddEnumWord { .. });
        if !is_outside {
            store.execute("begin").expect("it begins");
        }
        for sql in Dialect::Postgres.render(step) {
            store.execute(&sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
        }
        let locks = "select mode from pg_locks where relation = (select oid from pg_class where relname = 'hive')
                     and mode in ('ShareLock', 'ShareRowExclusiveLock', 'AccessExclusiveLock') and granted";
        let modes: Vec<String> = Store::texts(&mut watching, locks)
            .expect("it answers")
            .into_iter()
            .filter_map(|mut row| row.remove(0))
            .collect();
        if !is_outside {
            store.execute("commit").expect("it ends");
        }
        let rewritten = before != file(store);
        let (rewrites, blocks) = of_hive(said);
        let is_exclusive = modes.iter().any(|mode| mode == "AccessExclusiveLock");
        let is_shared = modes.iter().any(|mode| mode.starts_with("Share"));
        let locks_hold = match blocks {
            Blocks::Everything => is_exclusive,
            Blocks::Writes => is_shared && !is_exclusive,
            Blocks::Nothing => true,
        };
        if rewrites != rewritten || !locks_hold {
            wrong.push(format!("{}: said {rewrites} {blocks:?}, seen {rewritten} {modes:?}", step.title()));
        }
    });
    assert!(wrong.is_empty(), "of {count} steps:\n{}", wrong.join("\n"));
    assert!(count > 30, "{count}");
}

#[test]
fn mariadb_copies_and_blocks_what_the_review_says() {
    copies_and_blocks(Flavor::Mariadb);
}

#[test]
fn mysql_copies_and_blocks_what_the_review_says() {
    copies_and_blocks(Flavor::Mysql);
}

fn copies_and_blocks(flavor: Flavor) {
    let dialect = Dialect::Mariadb(flavor);
    if !wanted(dialect.provider()) {
        return;
    }
    let server = shared(dialect.provider());
    let mut root = server.mariadb(None).expect("it answers");
    Store::execute(&mut root, "create database burdens default character set utf8mb4 collate utf8mb4_unicode_ci")
        .expect("it is made");
    let mut working = server.mariadb(Some("burdens")).expect("it answers");
    let tables = if flavor == Flavor::Mysql { "innodb_tables" } else { "innodb_sys_tables" };
    let mut wrong: Vec<String> = Vec::new();
    let count = each_step(dialect, &mut working, |store, step, said| {
        let table = |store: &mut dyn Store| {
            store
                .texts(&format!(
                    "select cast(table_id as char) from information_schema.{tables} where name = 'burdens/hive'"
                ))
                .map(|rows| rows.first().and_then(|row| row[0].clone()))
                .unwrap_or_default()
        };
        let (rewrites, blocks) = of_hive(said);
        for sql in dialect.render(step) {
            let before = table(store);
            if !sql.starts_with("alter table hive") {
                store.execute(&sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
                continue;
            }
            let ways = [
                (", algorithm=instant", Blocks::Nothing),
                (", algorithm=inplace, lock=none", Blocks::Nothing),
                (", algorithm=inplace, lock=shared", Blocks::Writes),
                (", algorithm=copy, lock=shared", Blocks::Writes),
                ("", Blocks::Everything),
            ];
            let seen = ways.iter().find(|(way, _)| store.execute(&format!("{sql}{way}")).is_ok());
            let Some((way, seen)) = seen else { panic!("{sql} is refused") };
            let rewritten = before != table(store);
            if rewrites != rewritten || blocks != *seen {
                wrong.push(format!("{sql}: said {rewrites} {blocks:?}, seen {rewritten} {seen:?} by `{way}`"));
            }
        }
    });
    assert!(wrong.is_empty(), "of {count} steps:\n{}", wrong.join("\n"));
    assert!(count > 30, "{count}");
}
