//! What the counts say of values under another type, checked on the servers: which ones they refuse, and which ones change.

use hollow_oak_core::language::{Source, resolve};
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::{Dialect, Provider, physical};
use hollow_oak_testkit::server::{Connects, shared, wanted};
use hollow_oak_testkit::store::Store;

/// A type, another one, and values of the first in SQL.
type Case = (&'static str, &'static str, &'static [&'static str]);

const EVERYWHERE: &[Case] = &[
    ("text(20)", "text(4)", &["''", "'abcd'", "'abcde'", "'abcd   '", "'äöüß'", "'äöüßé'"]),
    ("text", "text(4)", &["''", "'abcd'", "'abcde'", "'日本語の'", "'日本語の字'"]),
    ("text(4)", "text(20)", &["'abcd'", "''"]),
    ("text(20)", "text", &["'abcd'"]),
    ("int64", "int32", &["0", "2147483647", "2147483648", "-2147483648", "-2147483649", "9223372036854775807"]),
    ("int32", "int16", &["0", "32767", "32768", "-32768", "-32769"]),
    ("int16", "int64", &["0", "32767", "-32768"]),
    ("int32", "decimal(6, 2)", &["0", "9999", "10000", "-9999", "-10000"]),
    ("decimal(8, 3)", "decimal(6, 2)", &["0.004", "0.005", "1.5", "9999.99", "9999.995", "9999.994", "-9999.996"]),
    ("decimal(6, 2)", "decimal(8, 3)", &["9999.99", "-0.01"]),
    ("decimal(6, 2)", "int32", &["1", "1.5", "-1.49", "9999.99"]),
    ("decimal(14, 2)", "int32", &["2147483647.49", "2147483647.5", "-2147483648.4", "-2147483648.5", "2147483646.5"]),
    ("decimal(14, 2)", "int16", &["32767.4", "32767.5", "-32768.5", "-32768.51", "3"]),
    ("float64", "int32", &["1", "1.25", "2147483646.25", "2147483648", "1e300"]),
    ("float64", "decimal(6, 2)", &["1", "1.25", "1.255", "9999.99", "9999.996", "1e300"]),
    ("datetime", "date", &["'2026-05-01 00:00:00'", "'2026-05-01 12:30:00'"]),
    ("date", "datetime", &["'2026-05-01'"]),
    (
        "text(20)",
        "int32",
        &["'1'", "'one'", "''", "'12 '", "'1.5'", "'99999999999'", "' -12'", "'+2147483647'", "'1e2'"],
    ),
    ("text(20)", "date", &["'2026-05-01'", "'never'", "'2026-02-30'", "''"]),
    ("text(20)", "decimal(6, 2)", &["'1.25'", "'1.255'", "'x'", "'12345.6'", "'1e2'", "' .5 '", "'9999.996'"]),
    ("int32", "text(3)", &["1", "123", "1234", "-123"]),
];

fn lowered(dialect: Dialect, ty: &str) -> physical::Schema {
    let text = format!("table hive {{\n    id: int32, primary key\n    c: {ty}, null\n}}\n");
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.clone() }]);
    let schema = resolution.schema.unwrap_or_else(|| panic!("{text}\n{:?}", resolution.diagnostics));
    dialect.lower(&schema).unwrap_or_else(|faults| panic!("{faults:?}")).schema
}

fn run(store: &mut dyn Store, dialect: Dialect, from: &physical::Schema, to: &physical::Schema) -> Result<(), String> {
    for step in &plan(dialect, from, to, &Choices::default()).steps {
        for sql in dialect.render(&step.step) {
            store.execute(&sql).map_err(|error| format!("{sql}: {error}"))?;
        }
    }
    Ok(())
}

/// Every value by itself, so that one that is refused hides no other. Returns how many were refused and how many changed.
fn check(
    store: &mut dyn Store,
    dialect: Dialect,
    cases: &[Case],
    compared: impl Fn(&str, &str) -> String,
) -> (usize, usize) {
    let (mut refusals, mut changes) = (0, 0);
    let quoted = dialect.quote("c");
    let knows_validity = dialect != Dialect::Postgres
        || !store
            .texts("select proname from pg_proc where proname = 'pg_input_is_valid'")
            .expect("it answers")
            .is_empty();
    for (from, to, values) in cases {
        let (before, after) = (lowered(dialect, from), lowered(dialect, to));
        let column = |schema: &physical::Schema| {
            let table = schema.table("hive").expect("it is there");
            table.column("c").expect("it is there").ty.clone()
        };
        let (old, new) = (column(&before), column(&after));
        let misfits = dialect.misfits(&old, &new, &quoted);
        for value in *values {
            let what = format!("{value} from {from} to {to}");
            let _ = store.execute("drop table hive");
            run(store, dialect, &physical::Schema::default(), &before)
                .unwrap_or_else(|error| panic!("{what}: {error}"));
            store
                .execute(&format!("insert into hive values (1, {value})"))
                .unwrap_or_else(|error| panic!("{what}: {error}"));
            let mut unknown = false;
            let mut asked = |condition: &Option<String>| -> bool {
                let Some(condition) = condition else { return false };
                // A server before PostgreSQL 16 cannot say it, and then nothing is said.
                if condition.contains("pg_input_is_valid") && !knows_validity {
                    unknown = true;
                    return false;
                }
                let query = format!("select count(*) from hive where {condition}");
                let found = store.texts(&query).unwrap_or_else(|error| panic!("{what}: {query}: {error}"));
                found[0][0].as_deref() == Some("1")
            };
            let (refused, changed) = (asked(&misfits.refused), asked(&misfits.changed) || asked(&misfits.trimmed));
            store
                .execute(&format!("alter table hive add column was {}", old.text()))
                .and_then(|_| store.execute("update hive set was = c"))
                .unwrap_or_else(|error| panic!("{what}: {error}"));
            let done = run(store, dialect, &before, &after);
            if unknown {
                continue;
            }
            assert_eq!(refused, done.is_err(), "refused: {what}: {misfits:?}: {done:?}");
            refusals += usize::from(refused);
            if done.is_ok() {
                let same = compared(from, to);
                let found =
                    store.texts(&format!("select count(*) from hive where {same}")).expect("it can be compared");
                assert_eq!(!changed, found[0][0].as_deref() == Some("1"), "changed: {what}: {misfits:?}");
                changes += usize::from(changed);
            }
        }
    }
    (refusals, changes)
}

#[test]
fn postgres_refuses_and_changes_what_is_counted() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = shared(Provider::Postgres);
    server.postgres("postgres").expect("it answers").batch_execute("create database misfits").expect("it is made");
    let mut client = server.postgres("misfits").expect("it answers");
    let more: &[Case] = &[
        ("float64", "float32", &["1", "0.1", "1.5"]),
        ("float64", "decimal(6, 2)", &["'NaN'", "'Infinity'"]),
        ("float64", "int32", &["'NaN'", "'-Infinity'"]),
        ("int64", "float64", &["9007199254740992", "9007199254740993"]),
        ("int32", "float32", &["16777216", "16777217"]),
        ("text(40)", "uuid", &["'6f1d9c1e-5d3c-4b5a-9f0e-0d8f6a7b8c9d'", "'x'"]),
        ("text(20)", "bool", &["'yes'", "'maybe'"]),
    ];
    let cases = [EVERYWHERE, more].concat();
    let compared = |from: &str, to: &str| match to {
        "float32" if from == "float64" => "c = was".to_owned(),
        "date" => "c::text = was::text or c::timestamp::text = was::text".to_owned(),
        "datetime" => "c = was".to_owned(),
        _ if to.starts_with("float") => "c::text::numeric = was::text::numeric".to_owned(),
        "uuid" | "bool" => "true".to_owned(),
        _ if to.starts_with("text") => "c::text = was::text".to_owned(),
        _ => "c::text = was::text or c::numeric = was::numeric".to_owned(),
    };
    let (refusals, changes) = check(&mut client, Dialect::Postgres, &cases, compared);
    assert!(refusals > 20 && changes > 8, "{refusals} refused, {changes} changed");
}

#[test]
fn mariadb_refuses_and_changes_what_is_counted() {
    refuses_and_changes(Provider::Mariadb);
}

#[test]
fn mysql_refuses_and_changes_what_is_counted() {
    refuses_and_changes(Provider::Mysql);
}

fn refuses_and_changes(provider: Provider) {
    if !wanted(provider) {
        return;
    }
    let server = shared(provider);
    let mut client = server.mariadb(None).expect("it answers");
    Store::execute(&mut client, "create database misfits").expect("it is made");
    let mut client = server.mariadb(Some("misfits")).expect("it answers");
    let dialect = client.dialect();
    let compared = |_: &str, to: &str| match to {
        _ if to.starts_with("text") => "cast(c as char) = cast(was as char)".to_owned(),
        _ => "c = was".to_owned(),
    };
    let (refusals, changes) = check(&mut client, dialect, EVERYWHERE, compared);
    assert!(refusals > 20 && changes > 8, "{refusals} refused, {changes} changed");
}
