//! Mistakes in files of SQL that no server would take: each is told at its place, and nothing is left out for it.

use crate::support::Project;
use hollow_oak_core::Provider;

/// What `oak check` says of a file of this SQL; no server is asked.
fn checked(provider: Provider, sql: &str) -> String {
    let project = Project::of_sql(provider, sql);
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 1, "{provider}: {sql}: {answer}");
    answer.stderr
}

#[test]
fn what_no_server_takes_is_told_at_its_place() {
    // What is said, and where.
    let of_both = [
        ("create table hive (id int primary key, code text, id text);", "`id`", "1:51"),
        ("create table hive (id int primary key, code text, primary key (code));", "primary key", ""),
        ("create table hive (id int primary key, check (kg > 1));", "no column `kg`", "1:47"),
        (
            "create table hive (id int primary key,\n constraint light check (id > 1 and kg < 9));",
            "no column `kg`",
            "2:37",
        ),
        (
            "create table hive (id int primary key, n int generated always as (kg + 1) stored);",
            "no column `kg`",
            "1:67",
        ),
        (
            "create table hive (id int primary key);\nalter table hive add constraint few check (kg < 9);",
            "no column `kg`",
            "2:44",
        ),
        ("create table hive (id int primary key);\ncreate index by_kg on hive (kg);", "no column `kg`", "2:"),
        ("create table hive (id int primary key, foreign key (id) references hive (kg));", "`kg`", "1:74"),
    ];
    let of_postgres = [
        (
            "create table hive (id int primary key, keeper int references keeper);",
            "`keeper`, which is not in this SQL",
            "",
        ),
        (
            "create table hive (id int primary key, constraint few check (id > 0), constraint few check (id < 9));",
            "has a constraint `few` already",
            "",
        ),
    ];
    let case = |provider, (sql, said, place): (&str, &str, &str)| {
        let answer = checked(provider, sql);
        assert!(answer.contains(said), "{provider}: {sql}: {answer}");
        let at = if place.is_empty() { String::new() } else { format!("[schema.sql:{place}") };
        assert!(answer.contains(&at), "{provider}: {sql}: {answer}");
    };
    for one in of_both {
        case(Provider::Postgres, one);
        case(Provider::Mariadb, one);
    }
    of_postgres.into_iter().for_each(|one| case(Provider::Postgres, one));
}

/// What is merged with a parent's, or left to a server, is none.
#[test]
fn what_a_server_takes_is_no_mistake() {
    let project = Project::of_sql(
        Provider::Postgres,
        "create table box (id int primary key, kg int, constraint light check (kg < 9));\n\
         create table hive (kg int, code text, constraint light check (kg < 9)) inherits (box);\n\
         create table super (like box including all);\n\
         alter table super drop constraint super_pkey;\nalter table super add primary key (id, kg);\n",
    );
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 0, "{answer}");
    assert!(!answer.stderr.contains("left out"), "{answer}");
}
