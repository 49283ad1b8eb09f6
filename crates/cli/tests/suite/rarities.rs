//! What few schemas have, and some do: it is taken in, made again on an empty database, and the two are the same.

use std::path::PathBuf;
use std::process::{Command, Stdio};

use crate::support::legacy::assert_alike;
use crate::support::stage::{Stage, on_each_provider};
use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;
use hollow_oak_testkit::server::wanted;

/// A database that was made by somebody else, and a project without declarations.
fn found(provider: Provider) -> Stage<'static> {
    made(provider, provider.word())
}

/// The same of a script, by its name.
fn made(provider: Provider, script: &str) -> Stage<'static> {
    let here = Stage::of(provider, "");
    let script = PathBuf::from(format!("tests/rarities/{script}.sql"));
    match here.server {
        Some(server) => {
            here.project.write("make.sql", &format!("create database {};", here.database));
            let system = if provider == Provider::Postgres { "postgres" } else { "mysql" };
            oracle::load(server, system, &here.project.file("make.sql")).expect("a database can be made");
            oracle::load(server, &here.database, &script).unwrap_or_else(|error| panic!("{error}"));
        }
        None => {
            let input = std::fs::File::open(script).expect("the script is there");
            let mut shell = Command::new("sqlite3");
            shell.arg("-bail").arg(here.project.file(&here.database)).stdin(Stdio::from(input));
            assert!(shell.status().expect("`cargo xtask test` installs the shell").success());
        }
    }
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it can be removed");
    here
}

/// What a database holds, told without the tool: by the server's dumper, and by SQLite's own pragma functions, since there
/// one thing can be written in many ways.
fn dump_of(here: &Stage<'_>, database: &str) -> String {
    if let Some(server) = here.server {
        let dump = oracle::dump(server, database).unwrap_or_else(|error| panic!("{error}"));
        return dump.replace(&format!("`{database}`."), "");
    }
    let own = "m.type = 'table' and m.name not like 'hollow%' and m.name not like 'sqlite%'";
    let questions = format!(
        "select m.name, x.* from sqlite_schema m, pragma_table_xinfo(m.name) x where {own};
         select m.name, l.type, l.wr, l.strict from sqlite_schema m, pragma_table_list(m.name) l where {own};
         select m.name, f.* from sqlite_schema m, pragma_foreign_key_list(m.name) f where {own};
         select m.name, i.origin, i.\"unique\", i.partial,
                (select group_concat(coalesce(x.name, 'expression') || x.\"desc\" || x.coll) from pragma_index_xinfo(i.name) x)
         from sqlite_schema m, pragma_index_list(m.name) i where {own};
         select type, name, replace(sql, char(10), ' ') from sqlite_schema where type in ('trigger', 'view') or sql like 'create virtual%';"
    );
    let output = Command::new("sqlite3").arg(here.project.file(database)).arg(questions).output();
    let output = output.expect("`cargo xtask test` installs the shell");
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    // Types and collations are the same in any letter case.
    let said = String::from_utf8_lossy(&output.stdout).to_lowercase();
    let mut lines: Vec<&str> = said.lines().collect();
    lines.sort_unstable();
    lines.join("\n")
}

#[test]
fn they_are_taken_in_and_made_again() {
    on_each_provider(|provider| is_made_again(&found(provider), provider));
}

/// SQL that is read as a file makes what the database holds. So many statements are told to be no part of a schema.
fn is_read_alike(here: &Stage<'_>, provider: Provider, sql: &str, passed_over: usize) {
    let Some(server) = here.server else { return };
    let name = format!("file.{provider}.sql");
    here.project.write(&name, sql);
    if provider == Provider::Mariadb {
        // Which collations its character sets have is a matter of the version.
        let version = &here.query("select version()")[0];
        let least = version.split('-').next().unwrap_or_default();
        let configuration = here.project.read("hollow-oak.toml");
        let told = configuration.replace("mariadb = {}", &format!("mariadb = {{ min = \"{least}\" }}"));
        here.project.write("hollow-oak.toml", &told);
    }
    let read = here.project.oak(&["adopt", "--from", &name, "--yes"]);
    assert!(read.status == 0 && !read.stdout.contains("amiss"), "{provider}: {read:#?}");
    let told = format!("{passed_over} statements of {name} are passed over: `create temp");
    let is_as_told = if passed_over == 0 { read.stderr.is_empty() } else { read.stderr.contains(&told) };
    assert!(is_as_told, "{provider}: {}", read.stderr);
    // What it says in other words than the server keeps is known for the same; only a dump with a byte that is no text, which
    // is lost on its way through here, differs in that.
    if !sql.contains(char::REPLACEMENT_CHARACTER) {
        here.assert_same("live", "declared");
    }
    let unchecked: &[&str] = if provider == Provider::Postgres { &["--unchecked-bodies"] } else { &[] };
    here.project.draft("baseline", unchecked);
    let other = format!("{}_read", here.database);
    here.project.ok(&["apply", "--yes", "--url", &server.url(&other)]);
    assert_alike(&dump_of(here, &here.database), &dump_of(here, &other));
}

/// A script of somebody's, read as a file, makes what the server makes of it.
#[test]
fn what_people_write_is_read_as_the_server_reads_it() {
    for (provider, script, passed_over) in [
        (Provider::Postgres, "namespaces", 0),
        (Provider::Postgres, "written_postgres", 5),
        (Provider::Postgres, "renamed_postgres", 0),
        (Provider::Mariadb, "written_mariadb", 4),
    ] {
        if wanted(provider) {
            let sql = std::fs::read_to_string(format!("tests/rarities/{script}.sql")).expect("the script is there");
            is_read_alike(&made(provider, script), provider, &sql, passed_over);
        }
    }
}

/// PostgreSQL keeps a list and a comparison in words of its own; where the columns' types leave no doubt, they are declared
/// in the words that it makes them of.
#[test]
fn lists_are_declared_as_people_write_them() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = found(Provider::Postgres);
    here.project.ok(&["adopt", "--yes"]);
    let declared = here.project.read("schema/brackenfold.oak");
    for expected in [
        "check (kind in ('a', 'b'))",
        "check (big in (1, 2))",
        "check worded_check ((\"Kind\" not in ('x', 'y')) OR (kind = 'a'))",
        "(word in ('a', 'b')) AND (word <> 'c')",
        "shade in ('red', 'blue')",
        "made > '2020-01-01'",
        "where ((\"Kind\" in ('a', 'b')) AND (n in (3, 4)))",
    ] {
        assert!(declared.contains(expected), "{expected} is not in\n{declared}");
    }
    here.assert_same("live", "declared");
}

#[test]
fn what_is_elsewhere_is_found_there() {
    if wanted(Provider::Postgres) {
        is_made_again(&made(Provider::Postgres, "namespaces"), Provider::Postgres);
    }
}

/// Things that are made of each other, across namespaces.
#[test]
fn what_needs_what_is_found_out() {
    if wanted(Provider::Postgres) {
        is_made_again(&made(Provider::Postgres, "dependencies"), Provider::Postgres);
    }
}

#[track_caller]
fn is_made_again(here: &Stage<'_>, provider: Provider) {
    let before = dump_of(here, &here.database);
    let answer = here.project.ok(&["adopt", "--yes"]);
    assert!(answer.contains("all of it can be declared"), "{provider}: {answer}");
    assert!(!answer.contains("amiss"), "{provider}: {answer}");
    assert_eq!(before, dump_of(here, &here.database), "{provider}: adopting changed the database");
    here.assert_same("live", "declared");
    let status = here.project.ok(&["status", "--exit-code"]);
    assert!(status.starts_with("up to date:"), "{provider}: {status}");

    let other = format!("{}_again", here.database);
    let url = here.server.map_or(format!("sqlite:{other}"), |server| server.url(&other));
    here.project.ok(&["apply", "--yes", "--url", &url]);
    assert_alike(&before, &dump_of(here, &other));
    here.project.ok(&["revert", "--yes", "--url", &url]);
    let left = dump_of(here, &other);
    assert!(left.lines().all(|line| line.contains("SCHEMA")), "{provider}: {left}");
}

#[test]
fn what_cannot_be_made_again_is_named() {
    on_each_provider(|provider| {
        let here = found(provider);
        let Some(server) = here.server else { return };
        let made = match provider {
            Provider::Postgres => {
                "create user mapping for reader server far options (password 'not-to-be-seen');
                 create type announced;
                 create type pair;
                 create function pair_in(cstring) returns pair immutable strict language internal as 'int4in';
                 create function pair_out(pair) returns cstring immutable strict language internal as 'int4out';
                 create type pair (input = pair_in, output = pair_out, internallength = 8, alignment = int4, element = int4);
                 create table by_day (day int, note text) partition by list (day);
                 create table other_way (note text, day int);
                 alter table by_day attach partition other_way for values in (1);"
            }
            Provider::Mysql => {
                "delimiter //
                 set sql_mode = 'ansi_quotes'//
                 create procedure \"quoted\"() select 'a' as \"x\"//"
            }
            _ => {
                "delimiter //
                 set sql_mode = 'ansi_quotes'//
                 create procedure \"quoted\"() select 'a' as \"x\"//
                 set sql_mode = 'oracle'//
                 create package pk as function g(a int) return int; end//
                 set sql_mode = ''//
                 create table lenient (kind enum('a', 'b', 'a'))//
                 create table `of two\nlines` (k int)//
                 create table of_one (`a\nb` int)//"
            }
        };
        here.project.write("more.sql", made);
        oracle::load(server, &here.database, &here.project.file("more.sql")).unwrap_or_else(|error| panic!("{error}"));
        let answer = here.project.ok(&["adopt", "--yes"]);
        let named: &[&str] = match provider {
            Provider::Postgres => &[
                "4 things cannot be declared",
                "user mapping reader on far",
                "type announced, type pair",
                "partition other_way (its columns in the order note day)",
            ],
            Provider::Mysql => &["1 thing cannot be declared", "routine quoted (in sql_mode ANSI_QUOTES)"],
            _ => &[
                "4 things cannot be declared",
                "table of two\nlines",
                "table of_one",
                "routine package pk (in sql_mode ORACLE)",
                "routine quoted (in sql_mode ANSI_QUOTES)",
            ],
        };
        for words in named {
            assert!(answer.contains(words), "{provider}: {words}: {answer}");
        }
        assert!(!answer.contains("not-to-be-seen"), "{answer}");
        if provider == Provider::Mariadb {
            // No enum of the language has a word twice.
            let declared: String = std::fs::read_dir(here.project.file("schema"))
                .expect("it is there")
                .map(|one| std::fs::read_to_string(one.expect("a file").path()).expect("it is text"))
                .collect();
            assert!(declared.contains("native \"enum('a','b','a')\""), "{declared}");
        }
    });
}

/// Who may read everything but the bodies of others' routines is told so; the rest is taken in.
#[test]
fn a_body_that_may_not_be_read_is_named() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let here = Stage::of(Provider::Mariadb, "table hive {\n    id: int64, identity\n    primary key (id)\n}\n");
    here.project.migrate("first");
    here.sql("create procedure weigh() select 1");
    here.sql("create user edda@localhost");
    // All that there is but to see them, which goes along with the rest from MariaDB 11.3 on.
    here.sql(&format!(
        "grant select, insert, update, delete, create, drop, references, index, alter, create temporary tables, lock tables, \
         execute, create view, show view, create routine, alter routine, event, trigger on {}.* to edda@localhost",
        here.database
    ));
    let url = here.server.expect("it is there").url(&here.database).replace("oak@", "edda@");
    let diff = here.project.ok(&["diff", "live", "declared", "--url", &url]);
    assert!(diff.starts_with("no difference"), "{diff}");
    assert!(diff.contains("routine weigh (whose body this user may not read)"), "{diff}");
    here.sql("drop user edda@localhost");
}

/// MariaDB keeps a routine's text in bytes of the character set of the client that made it, and its dumper writes them so.
#[test]
fn what_other_clients_wrote_is_read_in_their_letters() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let here = made(Provider::Mariadb, "latin1_mariadb");
    here.project.ok(&["adopt", "--yes"]);
    let declared = here.project.read("schema/brackenfold.oak");
    let expected = ["(`gefäß` int)", "return 'Rähmchen €'", "select 'Bienenstöcke'", "set @x = 'é'", "default 'süß'"];
    for expected in expected {
        assert!(declared.contains(expected), "{expected} is not in\n{declared}");
    }
    let (server, other) = (here.server.expect("it is there"), format!("{}_other", here.database));
    here.project.ok(&["apply", "--yes", "--url", &server.url(&other)]);
    here.assert_same("live", "declared");
    let other = here.project.ok(&["diff", "live", "declared", "--url", &server.url(&other)]);
    assert!(other.starts_with("no difference"), "{other}");
    let dump = oracle::raw_bytes(server, &here.database).unwrap_or_else(|error| panic!("{error}"));
    assert!(String::from_utf8(dump.clone()).is_err(), "the dump is all UTF-8");
    std::fs::write(here.project.file("dump.mariadb.sql"), dump).expect("it can be written");
    let same = here.project.ok(&["diff", "dump.mariadb.sql", "live"]);
    assert!(same.starts_with("no difference"), "{same}");
}

/// What hangs on a column is out of the way while the column changes, and there again afterwards, as it was.
#[test]
fn what_looks_at_a_column_is_made_again_around_its_change() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = found(Provider::Postgres);
    here.project.ok(&["adopt", "--yes"]);
    // What nobody declares is there again as well.
    here.sql("alter table hive disable trigger hive_late");
    here.sql("comment on trigger hive_late on hive is 'by hand'");
    here.sql("grant update on keeper_names to writer");
    let before = dump_of(&here, &here.database);
    let declared = std::fs::read_dir(here.project.file("schema")).expect("there are declarations");
    for file in declared.map(|entry| entry.expect("it can be read").path()) {
        let text = std::fs::read_to_string(&file).expect("it is text");
        let narrower = ["name", "code"].into_iter().fold(text, |text, column| {
            text.lines()
                .map(|line| match line.strip_prefix(&format!("    {column}: ")) {
                    Some(rest) => format!("    {column}: {}\n", rest.trim_start().replacen("text", "text(80)", 1)),
                    None => format!("{line}\n"),
                })
                .collect()
        });
        std::fs::write(&file, narrower).expect("it can be written");
    }
    let drafted = here.project.ok(&["draft", "narrower"]);
    assert!(drafted.contains("drafted 0002-narrower"), "{drafted}");
    let applied = here.project.ok(&["apply", "--yes"]);
    for again in
        ["trigger hive_late", "rule keeper_names_ins", "policy own_rows", "publication news", "view keeper_names"]
    {
        assert!(applied.contains(&format!("create {again}")), "{again}: {applied}");
    }
    assert!(!applied.contains("alter column smoker.name"), "its parent has it: {applied}");
    here.assert_same("live", "declared");
    let fires = "select tgenabled, obj_description(oid, 'pg_trigger') from pg_trigger where tgname = 'hive_late'";
    assert_eq!(here.query(fires), ["D|by hand"]);
    here.project.ok(&["revert", "--yes", "--steps", "1"]);
    assert_alike(&before, &dump_of(&here, &here.database));
}

/// A routine whose body names what has gone is not made again; how it can be is said, and holds.
#[test]
fn a_body_that_names_nothing_is_told() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::of(
        Provider::Postgres,
        "routine old_count ```\ncreate function old_count() returns bigint language sql as 'select count(*) from gone'\n``` drop ```\ndrop function old_count\n```\n",
    );
    here.project.draft("first", &[]);
    let refused = here.project.oak(&["apply", "--yes"]);
    assert_eq!(refused.status, 1, "{refused:#?}");
    for words in ["relation \"gone\" does not exist", "set local check_function_bodies = off"] {
        assert!(refused.stderr.contains(words), "{words}: {}", refused.stderr);
    }
    let script = here.project.file("migrations/0001-first/postgres.up.sql");
    let own = "--oak step 1: bodies as they stand | own | in transaction | own\nset local check_function_bodies = off;\n\n--oak step 1";
    let edited = std::fs::read_to_string(&script).expect("it is there").replacen("--oak step 1", own, 1);
    std::fs::write(&script, edited).expect("it can be written");
    here.project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
}

/// The servers' own dumps, read as files.
#[test]
fn a_dump_read_as_a_file_makes_the_same() {
    let scripts = |provider: Provider| match provider {
        Provider::Postgres => vec!["postgres", "dependencies"],
        other => vec![other.word()],
    };
    on_each_provider(|provider| {
        for script in scripts(provider) {
            let here = made(provider, script);
            let Some(server) = here.server else { return };
            let dump = oracle::raw_dump(server, &here.database).expect("it is dumped");
            is_read_alike(&here, provider, &dump, 0);
            if provider == Provider::Postgres {
                let here = made(provider, script);
                let dump = oracle::quoted_dump(server, &here.database).expect("it is dumped");
                is_read_alike(&here, provider, &dump, 0);
            }
        }
    });
}

/// Triggers of one moment whose order nobody declares keep to that of their names, whichever of them changes.
#[test]
fn triggers_of_one_moment_come_and_go() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let trigger = |name: &str, value: u8| {
        format!(
            "trigger {name} on hive ```\n    create trigger {name} before insert on hive for each row set new.kg = {value}\n``` for mariadb\n\n"
        )
    };
    let table = "table hive {\n    id: int64, identity\n    kg: int32, null\n    primary key (id)\n}\n\n";
    let here = Stage::of(Provider::Mariadb, &format!("{table}{}{}", trigger("b", 1), trigger("c", 2)));
    here.project.migrate("first");
    let order = || {
        here.query("select trigger_name from information_schema.triggers where trigger_schema = database() order by action_order")
    };
    let changes = [
        (format!("{}{}", trigger("b", 3), trigger("c", 2)), vec!["b", "c"]),
        (format!("{}{}{}", trigger("a", 4), trigger("b", 3), trigger("c", 2)), vec!["b", "c", "a"]),
        (format!("{}{}", trigger("a", 4), trigger("c", 2)), vec!["a", "c"]),
    ];
    for (number, (declared, fires)) in changes.iter().enumerate() {
        here.project.declare(&format!("{table}{declared}"));
        here.project.migrate(&format!("change {number}"));
        here.assert_same("live", "declared");
        assert_eq!(order(), *fires, "{declared}");
    }
    here.project.ok(&["revert", "--yes", "--steps", "3"]);
    here.assert_same("live", "history@1");
}

/// The same where everything is in a namespace: what is declared of a view that is made again is made once.
#[test]
fn what_looks_at_a_column_in_a_namespace_is_made_again_once() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = made(Provider::Postgres, "dependencies");
    here.sql("create rule quiet as on delete to app.rich do instead nothing");
    here.project.ok(&["adopt", "--yes"]);
    here.sql("alter table app.person disable trigger note");
    here.sql("grant select (name) on app.rich to public");
    let before = dump_of(&here, &here.database);
    let declared = here.project.read("schema/app.oak");
    let name = declared.lines().find(|line| line.starts_with("    name: ")).expect("a person has a name");
    here.project.write("schema/app.oak", &declared.replacen(name, &name.replacen("text", "text(80)", 1), 1));
    here.project.draft("narrower", &[]);
    let applied = here.project.ok(&["apply", "--yes"]);
    for again in ["index app.rich_kept_name_idx", "rule quiet on app.rich", "trigger note"] {
        assert!(applied.contains(&format!("create {again}")), "{again}: {applied}");
    }
    here.assert_same("live", "declared");
    assert_eq!(
        here.query("select tgenabled from pg_trigger where tgname = 'note' and tgrelid = 'app.person'::regclass"),
        ["D"]
    );
    here.project.ok(&["revert", "--yes", "--steps", "1"]);
    assert_alike(&before, &dump_of(&here, &here.database));
}

/// A partition has rows of its own, which go with it.
#[test]
fn a_partition_that_goes_loses_rows() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let table = "table reading {\n    at: date\n    kg: int32, null\n    partition by range (at) for postgres\n}\n\n";
    let partition = "object \"partition\" reading_24 ```\n    create table reading_24 partition of reading for values from ('2024-01-01') to ('2025-01-01')\n``` drop ```\n    drop table reading_24\n``` after reading for postgres\n";
    let here = Stage::of(Provider::Postgres, table);
    here.project.migrate("readings");
    here.project.declare(&format!("{table}{partition}"));
    here.project.migrate("a year");
    here.sql("insert into reading values ('2024-05-01', 40), ('2024-06-01', 44)");
    let refused = here.project.oak(&["revert", "--yes", "--steps", "1"]);
    assert!(refused.status == 1 && refused.stdout.contains("every row of reading_24 is lost"), "{refused}");
    assert!(refused.stdout.contains("both rows of reading_24 are lost"), "{refused}");
    assert_eq!(here.query("select count(*) from reading"), ["2"]);
    here.project.declare(table);
    let drafted = here.project.ok(&["draft", "no year"]);
    assert!(drafted.contains("loses data: every row of reading_24 is lost"), "{drafted}");
    let refused = here.project.oak(&["apply", "--yes"]);
    assert!(refused.status == 1 && refused.stderr.contains("loses-data"), "{refused}");
    assert_eq!(here.query("select count(*) from reading"), ["2"]);
}
