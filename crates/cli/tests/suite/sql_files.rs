//! Declarations written in SQL: read without a server, or through one, and turned into .oak.

use std::path::Path;

use crate::support::Project;
use crate::support::legacy::{assert_alike, legacy};
use crate::support::stage::{Stage, on_each_provider};
use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;

/// The statements of other hands as one file, each as the client of its database wants it.
fn file_of(provider: Provider) -> String {
    let holds_others =
        |sql: &str| ["create trigger", "create procedure", "create event"].iter().any(|head| sql.starts_with(head));
    let told = |sql: &&str| match provider {
        Provider::Mariadb | Provider::Mysql if holds_others(sql) => format!("delimiter //\n{sql}//\ndelimiter ;\n"),
        _ => format!("{sql};\n"),
    };
    legacy(provider).iter().map(told).collect()
}

/// A project whose declarations are that file, and a database that the file was run on.
fn stage(provider: Provider) -> Stage<'static> {
    let here = Stage::of(provider, "table t { a: int32, null }");
    here.project.migrate("t");
    here.project.ok(&["revert", "--yes"]);
    for leftover in ["hollow_oak_journal", "hollow_oak_store"] {
        here.sql(&format!("drop table {leftover}"));
    }
    std::fs::remove_dir_all(here.project.file("migrations")).expect("they can be removed");
    for sql in legacy(provider) {
        here.sql(sql);
    }
    let configuration = here.project.read("hollow-oak.toml");
    let named = configuration.replacen("[project]\n", "[project]\ndeclarations = [\"schema.sql\"]\n", 1);
    here.project.write("hollow-oak.toml", &named);
    here.project.write("schema.sql", &file_of(provider));
    here
}

fn url_of(here: &Stage<'_>, database: &str) -> String {
    here.server.map_or(format!("sqlite:{database}"), |server| server.url(database))
}

fn dump_of(here: &Stage<'_>, database: &str) -> String {
    let dump = match here.server {
        None => oracle::schema(Path::new(&here.project.file(database))),
        Some(server) => oracle::dump(server, database),
    };
    dump.unwrap_or_else(|error| panic!("{error}"))
}

#[test]
fn a_file_read_without_a_server_makes_what_a_server_makes_of_it() {
    on_each_provider(|provider| {
        let here = stage(provider);
        let checked = here.project.oak(&["check"]);
        assert_eq!(checked.status, 0, "{checked:#?}");
        here.project.ok(&["draft", "baseline"]);
        let again = format!("{}_again", here.database);
        let url = url_of(&here, &again);
        here.project.ok(&["apply", "--yes", "--url", &url]);
        assert_alike(&here.dump(), &dump_of(&here, &again));
        let status = here.project.ok(&["status", "--url", &url]);
        assert!(status.starts_with("up to date:"), "{status}");
    });
}

#[test]
fn a_file_read_through_a_server_differs_in_nothing_from_a_database_it_ran_on() {
    on_each_provider(|provider| {
        let here = stage(provider);
        let answer = here.project.oak(&["diff", "live", "declared", "--through-server"]);
        assert!(answer.status == 0 && answer.stdout.starts_with("no difference"), "{answer:#?}");
        let answer = here.project.oak(&["diff", "schema.sql", "live", "--through-server"]);
        assert!(answer.status == 0 && answer.stdout.starts_with("no difference"), "{answer:#?}");
        if let Some(server) = here.server {
            let left = match provider {
                Provider::Postgres => "select datname from pg_database where datname like 'oak_scratch%'",
                _ => "select schema_name from information_schema.schemata where schema_name like 'oak_scratch%'",
            };
            // Other tests have theirs on the same server, each called by its process.
            let is_running = |name: &String| {
                let process = name.split('_').nth(3).unwrap_or_default();
                std::path::Path::new("/proc").join(process).exists()
            };
            let ended: Vec<String> = here.query(left).into_iter().filter(|name| !is_running(name)).collect();
            let there = here.query(left);
            let kept: Vec<&String> = ended.iter().filter(|name| there.contains(name)).collect();
            assert!(kept.is_empty(), "{kept:?} are left on {:?}", server.folder());
        }
    });
}

#[test]
fn a_file_becomes_declarations() {
    on_each_provider(|provider| {
        let here = stage(provider);
        let project = Project::empty();
        project.write(&format!("old.{provider}.sql"), &file_of(provider));
        let url = url_of(&here, &format!("{}_turned", here.database));
        let file = format!("old.{provider}.sql");
        let shown = project.ok(&["adopt", "--from", &file, "--url", &url, "--dry-run"]);
        assert!(shown.contains("all of it can be declared") && shown.contains("nothing was changed"), "{shown}");
        assert!(!project.file("hollow-oak.toml").exists());
        let answer = project.ok(&["adopt", "--from", &file, "--url", &url, "--split"]);
        assert!(answer.contains("turned") && answer.contains("oak draft baseline"), "{answer}");
        assert_eq!(project.oak(&["check"]).status, 0);
        project.ok(&["draft", "baseline"]);
        project.ok(&["apply", "--yes"]);
        let again = project.oak(&["adopt", "--from", &file]);
        assert!(again.status == 1 && again.stderr.contains("there are declarations already"), "{again:#?}");
    });
}

/// No server takes part: what its dumper writes for one version alone, how defaults are marked, checks that are not in force.
#[test]
fn a_dump_of_mysql_is_read_without_a_server() {
    let here = Project::empty();
    here.write("dump.sql", include_str!("../rarities/dump_mysql.sql"));
    here.ok(&["adopt", "--from", "dump.sql", "--url", "mysql://root@localhost/brackenfold"]);
    here.draft("baseline", &[]);
    insta::assert_snapshot!(here.read(&format!("migrations/{}/mysql.up.sql", here.newest())));
}

#[test]
fn a_statement_that_is_not_understood_is_shown_where_it_stands() {
    let project = Project::of_sql(
        Provider::Postgres,
        "create table hive (id int primary key, code text);\ncreate widget one;\nalter table hives add kg int;\n",
    );
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 1);
    insta::assert_snapshot!(answer.stderr);
}

#[test]
fn what_a_file_brings_in_from_elsewhere_is_not_passed_over() {
    let project = Project::empty();
    for (provider, sql, said) in [
        (
            "postgres",
            "create table hive (id int primary key);\n\\i :folder/more.sql\n",
            "what `\\i` brings in is not in this file",
        ),
        ("postgres", "create table hive (id int primary key);\n\\ir more.sql\n", "there is no file `more.sql`"),
        (
            "postgres",
            "create table hive as select 1 as id;\n",
            "what columns a query gives `hive`, only a server can tell",
        ),
        ("mariadb", "create table hive select 1 as id;\n", "what columns a query gives `hive`, only a server can tell"),
        ("mariadb", "create table hive (id int primary key);\nsource more.sql;\n", "there is no file `more.sql`"),
        ("sqlite", "create table hive (id integer primary key);\n.read more.sql\n", "there is no file `more.sql`"),
        ("sqlite", "create table hive (id integer primary key);\n.read |cat more.sql\n", "near \".\": syntax error"),
    ] {
        let name = format!("schema.{provider}.sql");
        project.write(&name, sql);
        let url = match provider {
            "sqlite" => "sqlite:brackenfold.db".to_owned(),
            _ => format!("{provider}://keeper@localhost/brackenfold"),
        };
        let answer = project.oak(&["adopt", "--from", &name, "--url", &url]);
        assert!(answer.status == 1 && answer.stderr.contains(said), "{provider}: {answer:#?}");
        assert!(!project.file("hollow-oak.toml").exists());
    }
}

#[test]
fn a_file_that_is_brought_in_is_read_in_its_place() {
    for (provider, from_start, beside) in
        [("postgres", "\\i", "\\ir"), ("mariadb", "source", "source"), ("sqlite", ".read", ".read")]
    {
        let project = Project::empty();
        project.write(
            "hollow-oak.toml",
            &format!(
                "[project]\nname = \"brackenfold\"\ndeclarations = [\"sql/a install.sql\"]\n\n[providers]\n{provider} = {{}}\n"
            ),
        );
        let install = format!(
            "-- The bees.\n{from_start} sql/tables/hive.sql\n{from_start} 'tables/harvest.sql'\n\n\
             create view heavy as select id from hive where kg > 40;\n"
        );
        project.write("sql/a install.sql", &install);
        project.write(
            "sql/tables/harvest.sql",
            &format!("{beside} keeper.sql\ncreate table harvest (id int primary key);"),
        );
        project.write("sql/tables/hive.sql", "create table hive (id int primary key, kg int);\n");
        project.write("sql/tables/keeper.sql", "create table keeper (id int primary key)");
        let made = project.ok(&["diff", "empty", "declared"]);
        for name in ["keeper", "hive", "harvest", "heavy"] {
            assert!(made.lines().any(|line| line == name), "{provider}: {name} is not in {made}");
        }

        // In a folder, each is read once.
        let all = project.read("hollow-oak.toml").replace("sql/a install.sql", "sql");
        project.write("hollow-oak.toml", &all);
        assert_eq!(project.ok(&["diff", "empty", "declared"]), made, "{provider}");
        assert_eq!(project.ok(&["diff", "sql", "declared"]).lines().next(), Some("no difference  sql → declared"));

        // Places are those of the files.
        project.write("sql/a install.sql", &format!("{install}create tabel swarm (id int primary key);\n"));
        let answer = project.oak(&["check"]);
        assert!(answer.status == 1 && answer.stderr.contains("[sql/a install.sql:6:"), "{provider}: {answer}");
        project.write("sql/a install.sql", &install);
        project.write("sql/tables/keeper.sql", "create table keeper (id int primary key) no");
        let answer = project.oak(&["check"]);
        assert!(answer.status == 1 && answer.stderr.contains("[sql/tables/keeper.sql:1:"), "{provider}: {answer}");

        project.write(
            "sql/tables/keeper.sql",
            &format!("create table keeper (id int primary key);\n{beside} harvest.sql\n"),
        );
        let answer = project.oak(&["check"]);
        let said = "`harvest.sql` is being read already";
        assert!(answer.status == 1 && answer.stderr.contains(said), "{provider}: {answer}");
        assert!(answer.stderr.contains("[sql/tables/keeper.sql:2:1]"), "{provider}: {answer}");
    }
}

#[test]
fn a_statement_that_the_engine_refuses_is_shown_where_it_stands() {
    let project = Project::empty();
    project.write("schema.sqlite.sql", "create table hive (id integer primary key);\ncreate index i on hives (id);\n");
    let answer = project.oak(&["adopt", "--from", "schema.sqlite.sql"]);
    assert_eq!(answer.status, 1);
    insta::assert_snapshot!(answer.stderr);
    assert!(!project.file("hollow-oak.toml").exists());
}

#[test]
fn rows_in_a_file_are_passed_over_with_a_word() {
    let project = Project::of_sql(
        Provider::Mariadb,
        "create table kind (code char(3) primary key);\ninsert into kind values ('OXA');\n",
    );
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 0, "{answer:#?}");
    insta::assert_snapshot!(answer.stderr);
}

#[test]
fn what_is_said_of_a_file_is_shown_in_it() {
    let project = Project::of_sql(
        Provider::Mariadb,
        "-- what is kept\ncreate table keeper (id int primary key);\n\nCREATE TABLE IF NOT EXISTS `hive` (\n  `code` varchar(900),\n  \
         `kg` int\n);\ncreate unique index by_code on hive (code);\ncreate procedure grow() begin alter table hive add apiary int; end;\ncall grow();\n",
    );
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 0, "{answer:#?}");
    insta::assert_snapshot!(answer.stderr);
}

/// Several files, and those of a folder, are one script: what one makes the next can use, and a mistake is shown in the file
/// that it is in.
#[test]
fn files_of_one_provider_are_one_script() {
    let project = Project::empty();
    project.write("sql/01-apiary.sql", "create table apiary (id int primary key);\n-- no semicolon at the end\ncreate view open as select id from apiary");
    project.write("sql/02-hive.sql", "create table hive (id int primary key, apiary_id int references apiary);\n");
    project.write("sql/rows.txt", "insert");
    for declarations in [r#""sql/01-apiary.sql", "sql/02-hive.sql""#, r#""sql""#] {
        project.write(
            "hollow-oak.toml",
            &format!(
                "[project]\nname = \"brackenfold\"\ndeclarations = [{declarations}]\n\n[providers]\npostgres = {{}}\n"
            ),
        );
        let checked = project.oak(&["check"]);
        assert_eq!(checked.status, 0, "{checked:#?}");
        assert!(checked.stdout.contains("2 tables in 2 files"), "{checked:#?}");
    }
    assert!(project.ok(&["diff", "empty", "sql"]).contains("references apiary"));
    project.write("sql/02-hive.sql", "create table hive (id int primary key);\n\ncreat table swarm (id int);\n");
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 1);
    assert!(answer.stderr.contains("[sql/02-hive.sql:3:1]"), "{answer:#?}");
    project.write("sql/02-hive.sql", "create table hive (id int primary key);\ninsert into hive values (1);\n");
    let warned = project.oak(&["check"]);
    assert!(warned.status == 0 && warned.stderr.contains("[sql/02-hive.sql:2:1]"), "{warned:#?}");

    // Where there are declarations beside them, they are only SQL.
    assert_eq!(project.oak(&["adopt", "--from", "sql"]).status, 0);
    assert!(project.ok(&["check"]).contains("2 tables in 1 file"));
    let again = project.oak(&["adopt", "--from", "sql/rows"]);
    assert!(again.status == 2 && again.stderr.contains("there is no file `sql/rows`"), "{again:#?}");
    project.write("mixed/a.postgres.sql", "create table a (id int);");
    project.write("mixed/b.sqlite.sql", "create table b (id int);");
    let mixed = project.oak(&["adopt", "--from", "mixed"]);
    assert!(mixed.status == 2 && mixed.stderr.contains("the SQL of two providers"), "{mixed:#?}");
}

/// What is of the server and not of a schema, and what leaves no trace, is no mistake.
#[test]
fn what_is_of_the_server_is_passed_over_with_a_word() {
    let project = Project::empty();
    for (provider, sql) in [
        (
            "postgres",
            "create role keeper;\ncreate table hive (id int primary key);\nreindex table hive;\nrefresh materialized view v;\n\
             alter role keeper set work_mem = '1MB';\ndrop owned by keeper;\n\
             do $$ begin create role keeper; exception when duplicate_object then null; end $$;\nshow work_mem;\n",
        ),
        (
            "mariadb",
            "create user keeper;\ncreate table hive (id int primary key);\noptimize table hive;\nalter user keeper;\n\
             drop user keeper;\ndrop role keeper;\nshow tables;\n",
        ),
        (
            "sqlite",
            "# a comment\n.mode box\npragma foreign_keys = on;\npragma foreign_keys = off;\n\
             create table hive (id integer primary key, of int references apiary);\ninsert into hive values (1, 1);\n\
             create table apiary (id integer primary key);\n.quit\n",
        ),
    ] {
        let name = format!("schema.{provider}.sql");
        project.write(&name, sql);
        let url = match provider {
            "sqlite" => "sqlite:brackenfold.db".to_owned(),
            _ => format!("{provider}://keeper@localhost/brackenfold"),
        };
        let answer = project.oak(&["adopt", "--from", &name, "--dry-run", "--url", &url]);
        assert_eq!(answer.status, 0, "{provider}: {answer:#?}");
        assert!(answer.stdout.contains("hive") || answer.stdout.contains("table"), "{provider}: {answer:#?}");
        match provider {
            "sqlite" => assert_eq!(answer.stderr, "", "{answer:#?}"),
            _ => assert!(answer.stderr.contains("4 statements of"), "{answer:#?}"),
        }
        assert!(!answer.stderr.contains("rows go into"), "{answer:#?}");
    }
}

#[test]
fn whose_sql_it_is_has_to_be_said() {
    let project = Project::empty();
    project.write(
        "hollow-oak.toml",
        "[project]\nname = \"brackenfold\"\ndeclarations = [\"schema.sql\"]\n\n[providers]\nmariadb = {}\npostgres = {}\n",
    );
    project.write("schema.sql", "create table kind (code char(3) primary key);\n");
    let answer = project.oak(&["check"]);
    assert!(answer.status == 1 && answer.stderr.contains("schema.postgres.sql"), "{answer:#?}");
    let formatted = project.oak(&["format", "schema.sql"]);
    assert!(formatted.status == 2 && formatted.stderr.contains("adopt --from"), "{formatted:#?}");
}
