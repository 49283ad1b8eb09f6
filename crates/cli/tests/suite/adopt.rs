//! An existing database taken in: what it holds becomes declarations, nothing in it changes, and a baseline makes it again.

use std::path::Path;
use std::time::Duration;

use crate::support::Project;
use crate::support::legacy::{assert_alike, legacy};
use crate::support::stage::{Stage, on_each_provider};
use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;
use hollow_oak_testkit::server::{PrivateServer, wanted};

/// A database of other hands and a project without declarations beside it.
fn found(provider: Provider) -> Stage<'static> {
    filled(Stage::of(provider, ""))
}

fn filled(here: Stage<'_>) -> Stage<'_> {
    let provider = here.server.map_or(Provider::Sqlite, PrivateServer::provider);
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it can be removed");
    if let Some(server) = here.server {
        // As somebody else would have made it.
        let url = server.url(&here.database);
        here.project.declare("table t { a: int32, null }");
        here.project.oak(&["draft", "t"]);
        here.project.ok(&["apply", "--yes", "--url", &url]);
        here.project.ok(&["revert", "--yes", "--url", &url]);
        for leftover in ["hollow_oak_journal", "hollow_oak_store"] {
            here.sql(&format!("drop table {leftover}"));
        }
        std::fs::remove_dir_all(here.project.file("migrations")).expect("they can be removed");
        std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it can be removed");
    }
    for sql in legacy(provider) {
        here.sql(sql);
    }
    here
}

fn dump_of(here: &Stage<'_>, database: &str) -> String {
    let dump = match here.server {
        None => oracle::schema(Path::new(&here.project.file(database))),
        Some(server) => oracle::dump(server, database),
    };
    dump.unwrap_or_else(|error| panic!("{error}"))
}

fn url_of(here: &Stage<'_>, database: &str) -> String {
    here.server.map_or(format!("sqlite:{database}"), |server| server.url(database))
}

#[test]
fn everything_is_taken_in_and_made_again() {
    on_each_provider(|provider| {
        let here = found(provider);
        let before = here.dump();
        let answer = here.project.ok(&["adopt", "--yes"]);
        assert!(answer.contains("all of it can be declared"), "{answer}");
        assert!(answer.contains("0001-baseline counts as applied"), "{answer}");
        assert_eq!(before, here.dump(), "adopting changed the database");
        here.assert_same("live", "declared");
        let status = here.project.ok(&["status", "--exit-code"]);
        assert!(status.starts_with("up to date:") && status.contains("adopted"), "{status}");
        let checked = here.project.oak(&["check"]);
        assert_eq!(checked.status, 0, "{checked:#?}");

        let other = format!("{}_again", here.database);
        let url = url_of(&here, &other);
        here.project.ok(&["apply", "--yes", "--url", &url]);
        assert_alike(&before, &dump_of(&here, &other));
        here.project.ok(&["revert", "--yes", "--url", &url]);
        let left = dump_of(&here, &other);
        assert!(left.lines().all(|line| line.contains("SCHEMA")), "{left}");

        // Below what was adopted nothing goes.
        let refused = here.project.oak(&["revert", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("was adopted"), "{refused:#?}");
        let again = here.project.ok(&["adopt", "--yes"]);
        assert!(again.starts_with("up to date:"), "{again}");
    });
}

/// What anybody changes on the whole server counts on MariaDB and MySQL, so that this one has none but its own.
#[test]
fn what_was_seen_at_adoption_counts_as_long_as_nothing_changes() {
    on_each_provider(|provider| {
        let server = (provider != Provider::Sqlite)
            .then(|| PrivateServer::start(provider, false).unwrap_or_else(|error| panic!("{error}")));
        let here = match &server {
            Some(server) => filled(Stage::on(server, "")),
            None => found(provider),
        };
        here.project.ok(&["adopt", "--yes"]);
        let kept = "select content from hollow_oak_store where kind = 'catalogue'";
        // PostgreSQL has a second sign, which costs nothing.
        let signs = if provider == Provider::Postgres { 2 } else { 1 };
        assert_eq!(here.query(kept).len(), signs, "{provider}");
        let before = here.project.ok(&["status"]);
        assert!(before.starts_with("up to date:"), "{provider}: {before}");
        // As if something else had been seen then: it is believed while the catalogue is the same.
        let seen = r#"[{"kind":"view","name":"seen before","table":null}]"#;
        here.sql(&format!(
            "update hollow_oak_store set content = replace(content, '[]', '{seen}') where kind = 'catalogue'"
        ));
        let status = here.project.ok(&["status"]);
        assert!(status.contains("view seen before"), "{provider}: {status}");
        here.sql("create view spare as select 1 as one");
        let status = here.project.ok(&["status"]);
        assert!(status.contains("view spare") && !status.contains("seen before"), "{provider}: {status}");
    });
}

/// Where nothing was written since, its catalogues are not even counted; whatever is written has them counted again.
#[test]
fn a_server_that_nobody_wrote_to_is_believed() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = PrivateServer::start(Provider::Postgres, false).unwrap_or_else(|error| panic!("{error}"));
    let here = filled(Stage::on(&server, ""));
    // Nothing but the count of rows looks at this one. What a session looked at is counted as it ends.
    let sessions =
        "select count(*) from pg_stat_activity where backend_type = 'client backend' and pid <> pg_backend_pid()";
    let counted = || {
        while here.query(sessions) != ["0"] {
            std::thread::sleep(Duration::from_millis(10));
        }
        here.query("select seq_scan from pg_stat_all_tables where relname = 'pg_transform'")
    };
    let status_counts = || {
        let before = counted();
        let status = here.project.ok(&["status"]);
        assert!(status.starts_with("up to date:"), "{status}");
        counted() != before
    };
    here.project.ok(&["adopt", "--yes"]);
    assert!(!status_counts());
    assert!(!status_counts());
    here.sql("create table passing (a integer); drop table passing");
    assert!(status_counts());

    here.project.write("schema/more.oak", "table later {\n    id: int64, primary key\n}\n");
    here.project.draft("more", &[]);
    here.project.ok(&["apply", "--yes"]);
    assert!(!status_counts());
    here.sql("drop table later");
    let status = here.project.ok(&["status"]);
    assert!(status.starts_with("amiss:") && status.contains("drifted"), "{status}");
}

#[test]
fn what_was_adopted_goes_on_like_any_other_project() {
    on_each_provider(|provider| {
        let here = found(provider);
        here.project.ok(&["adopt", "--yes", "--split"]);
        let table = if provider == Provider::Postgres { "loose" } else { "visit" };
        let table = if matches!(provider, Provider::Mariadb | Provider::Mysql) { "child" } else { table };
        let file = format!("schema/{table}.oak");
        let text = here.project.read(&file);
        here.project.write(&file, &text.replacen("\n}", "\n    colour: text(20), null\n}", 1));
        let drafted = here.project.draft("a colour", &[]);
        assert!(drafted.contains(&format!("add column {table}.colour")), "{drafted}");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn names_of_ones_own_are_renames_only() {
    let here = found(Provider::Sqlite);
    here.project.ok(&["adopt", "--yes"]);
    let file = "schema/brackenfold.oak";
    let text = here.project.read(file);
    let text = text.replace("    born:", "    birth:").replace("\"Keeper\"", "keeper");
    let at = text.find("table keeper {").expect("it is there") + "table keeper {".len();
    let (head, tail) = text.split_at(at);
    let text = format!("{head}\n    formerly \"Keeper\"{tail}");
    let line =
        text.lines().find(|line| line.trim_start().starts_with("birth:")).expect("the column is there").to_owned();
    here.project.write(file, &text.replace(&line, &format!("{line}, formerly born")));
    let diff = here.project.ok(&["diff"]);
    let verbs: Vec<&str> = diff.lines().filter_map(|line| line.trim_start().split(' ').next()).collect();
    assert!(verbs.contains(&"rename") && !verbs.contains(&"drop") && !verbs.contains(&"add"), "{diff}");
}

#[test]
fn one_command_starts_a_project_from_a_database() {
    let here = Project::empty();
    let store = rusqlite::Connection::open(here.file("old.db")).expect("the file opens");
    store.execute_batch("create table hive (id integer primary key, code text not null)").expect("it can be made");
    let dry = here.ok(&["adopt", "--url", "sqlite:old.db", "--dry-run"]);
    assert!(dry.starts_with("1 table on sqlite:") && dry.contains("nothing was changed (--dry-run)"), "{dry}");
    assert!(!here.file("hollow-oak.toml").exists() && !here.file("schema").exists());
    let asked = here.oak(&["adopt", "--url", "sqlite:old.db"]);
    assert!(asked.status == 2 && asked.stderr.contains("--yes"), "{asked:#?}");
    assert!(!here.file("hollow-oak.toml").exists());
    let json = here.ok(&["adopt", "--url", "sqlite:old.db", "--yes", "--json"]);
    let json: serde_json::Value = serde_json::from_str(&json).expect("it is JSON");
    assert_eq!((&json["adopted"], &json["tables"], &json["columns"]), (&"0001-baseline".into(), &1.into(), &2.into()));
    assert!(here.ok(&["status"]).starts_with("up to date:"));
    assert!(here.ok(&["diff", "live", "declared"]).starts_with("no difference"));
}

#[test]
fn what_is_there_already_is_not_written_over() {
    let here = Project::new("table hive {\n    id: int64, identity\n    primary key (id)\n}\n");
    let store = rusqlite::Connection::open(here.file("brackenfold.db")).expect("the file opens");
    store.execute_batch("create table tmp_a (a); create table hive (id integer primary key)").expect("it can be made");
    let refused = here.oak(&["adopt", "--yes"]);
    assert!(refused.status == 1 && refused.stderr.contains("there are declarations already"), "{refused:#?}");
    here.ok(&["draft", "first"]);
    let refused = here.oak(&["adopt", "--yes"]);
    assert!(refused.stderr.contains("has migrations already"), "{refused:#?}");
    let empty = Project::empty();
    let nothing = empty.oak(&["adopt", "--url", "sqlite:nothing.db"]);
    assert!(nothing.status == 1 && nothing.stderr.contains("is not there"), "{nothing:#?}");
    rusqlite::Connection::open(empty.file("bare.db"))
        .and_then(|it| it.execute_batch("vacuum"))
        .expect("it can be made");
    let bare = empty.oak(&["adopt", "--url", "sqlite:bare.db"]);
    assert!(bare.stderr.contains("holds nothing to take in"), "{bare:#?}");
}

#[test]
fn what_another_provider_cannot_express_is_declared_for_the_one_that_has_it() {
    let here = Project::empty();
    let config = crate::support::CONFIG
        .replace("[targets.dev]", "[providers]\nsqlite = {}\npostgres = {}\nmariadb = {}\n\n[targets.dev]");
    here.write("hollow-oak.toml", &config);
    here.write("schema/notes.txt", "");
    let store = rusqlite::Connection::open(here.file("brackenfold.db")).expect("the file opens");
    store
        .execute_batch(
            "create table hive (
                 id integer primary key,
                 shape \"SHAPE\",
                 size \"INT WIDE\",
                 name varchar(20) not null default (lower(hex(randomblob(4)))),
                 seen datetime default '0000-00-00 00:00:00',
                 kg integer check (kg > 0)
             );
             create index hive_shape on hive (shape);
             create index hive_name on hive (name) where name glob 'A*';
             create view heavy as select id from hive where kg > 40;",
        )
        .expect("it can be made");
    let told = here.ok(&["adopt", "--yes"]);
    assert!(told.contains("1 column, 2 indexes declared `for sqlite`"), "{told}");
    insta::assert_snapshot!(here.read("schema/brackenfold.oak"), @r#"
    table hive {
        option "unnamed constraints" for sqlite

        id:     int32, identity
        shape:  native "SHAPE" for sqlite, null, for sqlite
        size:   int64, null, native "INT WIDE" for sqlite
        name:   text(20), default (lower(hex(randomblob(4)))) for sqlite
        seen:   datetime, null, default '0000-00-00 00:00:00' except postgres
        kg:     int32, null

        primary key (id)
        check (kg > 0)
        index hive_shape (shape), for sqlite
        index hive_name (name) where (name glob 'A*'), for sqlite
    }

    view heavy ```
        select id from hive where kg > 40
    ``` for sqlite
    "#);
    here.ok(&["check"]);
    assert!(here.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    for script in ["postgres.up.sql", "mariadb.up.sql"] {
        let script = here.read(&format!("migrations/0001-baseline/{script}"));
        assert!(script.contains("create table hive") && !script.contains("shape"), "{script}");
    }
}

#[test]
fn a_default_with_a_day_that_a_provider_refuses_is_told() {
    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    for (default, told) in [
        ("'0000-00-00 00:00:00'", Some("PostgreSQL has no day '0000-00-00'")),
        ("'2026-02-31 10:00:00'", Some("MariaDB has no day '2026-02-31'")),
        ("'2026-02-28 10:00:00+01'", Some("MariaDB has no moments with their distance from UTC")),
        ("'0000-00-00 00:00:00' except postgres", None),
        ("'2026-02-28 10:00:00'", None),
    ] {
        let table = format!(
            "table a {{\n    id:  int32\n    at:  datetime, null, default {default}\n\n    primary key (id)\n}}\n"
        );
        here.write("schema/a.oak", &table);
        let answer = here.oak(&["check"]);
        match told {
            Some(told) => assert!(answer.status == 1 && answer.stderr.contains(told), "{default}: {answer:#?}"),
            None => assert_eq!(answer.status, 0, "{default}: {answer:#?}"),
        }
    }
}

#[test]
fn what_is_to_be_left_alone_is() {
    let here = Project::empty();
    here.write("hollow-oak.toml", &format!("{}\n[unmanaged]\ntables = [\"tmp_*\"]\n", crate::support::CONFIG));
    here.write("schema/notes.txt", "");
    let store = rusqlite::Connection::open(here.file("brackenfold.db")).expect("the file opens");
    store.execute_batch("create table tmp_a (a); create table hive (id integer primary key)").expect("it can be made");
    here.ok(&["adopt", "--yes"]);
    assert!(!here.read("schema/brackenfold.oak").contains("tmp_a"));
    assert!(here.ok(&["status"]).starts_with("up to date:"));
}

/// SQLite takes a name in double quotes that no column has for a text.
#[test]
fn what_cannot_be_declared_and_has_no_name_is_told_by_what_it_says() {
    let here = Project::empty();
    let store = rusqlite::Connection::open(here.file("old.db")).expect("the file opens");
    store
        .execute_batch("create table hive (id integer primary key, check (\"level\" in ('low', 'high')))")
        .expect("it can be made");
    let told = here.ok(&["adopt", "--url", "sqlite:old.db", "--dry-run"]);
    assert!(told.contains(r#"left alone: constraint check ("level" in ('low', 'high')) on hive"#), "{told}");
}

/// Names without a letter, and references that never hold.
#[test]
fn what_no_declaration_can_say_is_named() {
    let here = Stage::of(Provider::Sqlite, "");
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it is there");
    for sql in [
        "create table hive (id integer primary key, code text)",
        "create view \"\" as select 1 as one",
        "create table nameless (id integer primary key, \"\" text)",
        "create table visit (id integer primary key, hive int, day text, foreign key (hive, day) references hive)",
    ] {
        here.sql(sql);
    }
    let told = here.project.ok(&["adopt", "--yes"]);
    for words in ["table nameless", "view \"\"", "constraint references hive on visit"] {
        assert!(told.contains(words), "{words}: {told}");
    }
    here.project.ok(&["check"]);
    let url = format!("sqlite:{}", here.project.file("other.db").display());
    here.project.ok(&["apply", "--yes", "--url", &url]);
}

/// A view that reads what has gone cannot be made again, on any server.
#[test]
fn a_view_that_nobody_can_read_is_named() {
    for provider in [Provider::Mariadb, Provider::Mysql].into_iter().filter(|provider| wanted(*provider)) {
        let here = Stage::of(provider, "");
        std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it is there");
        let server = here.server.expect("it is there");
        here.project.write("make.sql", &format!("create database {};", here.database));
        oracle::load(server, "mysql", &here.project.file("make.sql")).expect("a database can be made");
        for sql in [
            "create table hive (id int primary key, code int)",
            "create table gone (id int primary key)",
            "create view codes as select code from hive",
            "create view of_gone as select id from gone",
            "create view of_that as select id from of_gone",
            "drop table gone",
        ] {
            here.sql(sql);
        }
        let told = here.project.ok(&["adopt", "--yes"]);
        for view in ["of_gone", "of_that"] {
            assert!(told.contains(&format!("view {view} (it reads what is not there)")), "{told}");
        }
        assert!(here.project.ok(&["status"]).starts_with("up to date"));
        let other = format!("{}_again", here.database);
        here.project.ok(&["apply", "--yes", "--url", &server.url(&other)]);
        here.assert_same("live", "declared");
    }
}

#[test]
fn the_journal_is_corrected_with_a_reason() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, "table hive {\n    id: int64, identity\n    primary key (id)\n}\n");
        here.project.migrate("first");
        here.project
            .declare("table hive {\n    id: int64, identity\n    code: text(9), null\n    primary key (id)\n}\n");
        here.project.ok(&["draft", "code"]);
        let silent = here.project.oak(&["mark", "applied", "2", "--yes"]);
        assert!(silent.status == 2 && silent.stderr.contains("--because"), "{silent:#?}");
        let out_of_turn = here.project.oak(&["mark", "pending", "1", "--because", "x", "--yes"]);
        assert_eq!(out_of_turn.status, 0, "{out_of_turn:#?}");
        let too_soon = here.project.oak(&["mark", "applied", "2", "--because", "x", "--yes"]);
        assert!(too_soon.status == 1 && too_soon.stderr.contains("is not applied"), "{too_soon:#?}");
        here.project.ok(&["mark", "applied", "1", "--because", "it was", "--yes"]);
        here.sql("alter table hive add column code varchar(9)");
        here.project.ok(&["mark", "applied", "2", "--because", "done by hand", "--yes"]);
        let status = here.project.ok(&["status"]);
        assert!(status.starts_with("up to date:") && status.contains("marked"), "{status}");
        let reasons = here.query("select reason from hollow_oak_journal where event = 'marked_applied' order by seq");
        assert_eq!(reasons, ["it was", "done by hand"]);
        let below = here.project.oak(&["mark", "pending", "1", "--because", "x", "--yes"]);
        assert!(below.stderr.contains("follows"), "{below:#?}");
        assert!(here.project.ok(&["mark", "applied", "2"]).contains("already"));
        let json = here.project.ok(&["mark", "pending", "2", "--because", "x", "--yes", "--json"]);
        let json: serde_json::Value = serde_json::from_str(&json).expect("it is JSON and nothing else");
        assert_eq!(json["marked"], "pending");
    });
}

/// Version control keeps no empty folder.
#[test]
fn a_folder_for_the_declarations_is_made() {
    let here = Stage::of(Provider::Sqlite, "");
    std::fs::remove_dir_all(here.project.file("schema")).expect("it is there");
    here.sql("create table hive (id integer primary key)");
    here.project.ok(&["adopt", "--yes"]);
    here.assert_same("live", "declared");
    assert!(here.project.read("schema/brackenfold.oak").starts_with("table hive {"));
}

#[test]
fn what_some_providers_have_in_another_way_is_declared_for_those_that_have_it() {
    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    // Names of indexes are each table's own on MariaDB.
    here.write(
        "there.mariadb.sql",
        "create table keeper (id int primary key, code varchar(9) not null, key owner (code), unique key one (id, code));
         create table hive (id int primary key, code varchar(9) not null, note text, key owner (code), unique key one (code), key note (note(20)), fulltext key words (code));",
    );
    let told = here.ok(&["adopt", "--from", "there.mariadb.sql", "--yes"]);
    assert!(told.contains("  2 indexes declared `for mariadb`: another provider of the project has nothing"), "{told}");
    assert!(told.contains("  1 unique constraint, 1 index without the name where another thing has it"), "{told}");
    insta::assert_snapshot!(here.read("schema/brackenfold.oak"), @r#"
    table hive {
        option "collate=utf8mb4_unicode_ci" for mariadb

        id:    int32
        code:  text(9)
        note:  text, null, native "text" for mariadb

        primary key (id)
        unique one (code)
        index owner (code)
        index note (note prefix(20)), for mariadb
        index words (code) using fulltext, for mariadb
    }

    table keeper {
        option "collate=utf8mb4_unicode_ci" for mariadb

        id:    int32
        code:  text(9)

        primary key (id)
        unique one (id, code), except postgres
        unique (id, code), for postgres
        index owner (code), for mariadb
        index (code), for sqlite, postgres
    }
    "#);
    here.ok(&["draft", "first"]);
    let script = here.read("migrations/0001-first/postgres.up.sql");
    assert!(
        script.contains("create index owner on hive") && script.contains("create index keeper_code_idx"),
        "{script}"
    );
}

#[test]
fn what_one_provider_alone_refuses_the_others_have() {
    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    here.write("schema/notes.txt", "");
    let store = rusqlite::Connection::open(here.file("brackenfold.db")).expect("the file opens");
    store
        .execute_batch(
            "create table hive (id integer primary key, code text not null); create index by_code on hive (code);",
        )
        .expect("it can be made");
    let told = here.ok(&["adopt", "--yes"]);
    assert!(told.contains("  1 index declared `except mariadb`: that one has nothing like it"), "{told}");
    assert!(here.read("schema/brackenfold.oak").contains("    index by_code (code), except mariadb\n"));
    assert!(here.read("migrations/0001-baseline/postgres.up.sql").contains("create index by_code"));
}

#[test]
fn what_a_type_or_key_is_elsewhere_does_not_take_the_table_away() {
    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    here.write(
        "there.sqlite.sql",
        "create table hive (id integer primary key, code text not null unique, at timestamp check (at >= 0),
                            alive boolean, frames int(11) not null default '0');
         create unique index by_code on hive (code);
         create index by_at on hive (at) where alive = 1;
         create index by_frames on hive (frames) where frames > 1;",
    );
    here.ok(&["adopt", "--from", "there.sqlite.sql", "--yes"]);
    let declared = here.read("schema/brackenfold.oak");
    insta::assert_snapshot!(declared, @r#"
    table hive {
        option "unnamed constraints" for sqlite

        id:      int32, identity
        code:    text
        at:      instant, null
        alive:   bool, null
        frames:  int64, default 0, default ('0') for sqlite, native "int(11)" for sqlite

        primary key (id)
        unique (code), except mariadb
        check (at >= 0), for sqlite
        unique index by_code (code), except mariadb
        index by_at (at) where (alive = 1), for sqlite
        index by_frames (frames) where (frames > 1), except mariadb
    }
    "#);
    here.ok(&["draft", "first"]);

    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    here.write(
        "there.mariadb.sql",
        "create table hive (id binary(20) primary key, weight decimal(8,2) unsigned not null default 1.5);",
    );
    here.ok(&["adopt", "--from", "there.mariadb.sql", "--yes"]);
    insta::assert_snapshot!(here.read("schema/brackenfold.oak"), @r#"
    table hive {
        option "collate=utf8mb4_unicode_ci" for mariadb

        id:      bytes(20), native "binary(20)" for mariadb
        weight:  decimal(8, 2), default 1.5, native "decimal(8,2) unsigned" for mariadb

        primary key (id)
    }
    "#);
    here.ok(&["draft", "first"]);
    let script = here.read("migrations/0001-first/postgres.up.sql");
    assert!(script.contains("id bytea not null") && script.contains("weight numeric(8, 2)"), "{script}");

    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    here.write(
        "there.postgres.sql",
        "create domain hash as bytea constraint hash_check check (length(value) = 20);
         create domain grams as numeric(6,2) constraint light check (value > 0);
         create table hive (id hash primary key, weight grams not null default 1, mother hash references hive,
                            made_at timestamp(6) not null, seen_at timestamptz);",
    );
    here.ok(&["adopt", "--from", "there.postgres.sql", "--yes"]);
    insta::assert_snapshot!(here.read("schema/brackenfold.oak"), @r#"
    table hive {
        id:       bytes, native "hash" for postgres
        weight:   decimal(6, 2), default 1, native "grams" for postgres
        mother:   bytes, null, native "hash" for postgres
        made_at:  datetime(6)
        seen_at:  instant, null

        primary key (id)
        foreign key (mother) references hive (id), except mariadb
    } except mariadb

    domain grams decimal(6, 2), check light (value > 0) for postgres

    domain hash bytes, check (length(value) = 20) for postgres
    "#);
    here.ok(&["draft", "first"]);
    let script = here.read("migrations/0001-first/postgres.up.sql");
    assert!(script.find("create domain hash") < script.find("create table hive"), "{script}");
}

/// SQLite's columns without a type are no columns elsewhere, and a table may have no others.
#[test]
fn what_only_sqlite_takes_for_a_table_is_declared_for_it() {
    let here = Project::empty();
    here.list(&["sqlite", "postgres", "mariadb"]);
    here.write(
        "there.sqlite.sql",
        "create table loose (x, y primary key);
         create unique index loose_x on loose (x);
         create table hive (id integer primary key references loose (x), tag blob not null default x'00', more);
         create table visit (id integer primary key, hive integer references hive (id), code text unique,
                             about text references visit (code), foreign key (about) references visit (id));",
    );
    here.ok(&["adopt", "--from", "there.sqlite.sql", "--yes"]);
    let declared = here.read("schema/brackenfold.oak");
    insta::assert_snapshot!(declared, @r#"
    table hive {
        option "unnamed constraints" for sqlite

        id:    int64, identity, native "integer" for sqlite
        tag:   bytes, default (x'00') for sqlite
        more:  native "" for sqlite, null, for sqlite

        primary key (id)
        foreign key (id) references loose (x), for sqlite
    }

    table loose {
        option "unnamed constraints" for sqlite

        x:  native "" for sqlite, null, for sqlite
        y:  native "" for sqlite, option "null in key" for sqlite, for sqlite

        primary key (y)
        unique index loose_x (x), for sqlite
    } for sqlite

    table visit {
        option "unnamed constraints" for sqlite

        id:     int32, identity
        hive:   int64, null, references hive(id), native "integer" for sqlite
        code:   text, null
        about:  int32, null, native "text" for sqlite

        primary key (id)
        unique (code), except mariadb
        foreign key (about) references visit (code), option "unchecked" for sqlite, for sqlite
        foreign key (about) references visit (id), for sqlite
    }
    "#);
    here.ok(&["check"]);
    here.ok(&["draft", "baseline"]);
    for provider in ["postgres", "mariadb"] {
        let script = here.read(&format!("migrations/0001-baseline/{provider}.up.sql"));
        assert!(script.contains("create table hive") && !script.contains("loose"), "{script}");
    }
    here.write("schema/brackenfold.oak", &declared.replace("} for sqlite", "}"));
    let refused = here.oak(&["check"]);
    assert!(refused.stderr.contains("PostgreSQL has no column of table `loose`"), "{refused:#?}");
}

/// SQLite keeps references that it cannot follow (SQLite, "Foreign Key Support", "Required and Suggested Database Indexes").
#[test]
fn references_to_what_is_no_key_are_taken_in() {
    let here = Project::empty();
    let old = rusqlite::Connection::open(here.file("old.db")).expect("it opens");
    old.execute_batch(
        "create table keeper (id integer, name text);
         create table hive (id integer primary key, keeper integer references keeper on delete cascade, a, b,
                            helper text references keeper (name), yard references yard,
                            foreign key (a, b) references keeper)",
    )
    .expect("it runs");
    here.ok(&["adopt", "--url", "sqlite:old.db", "--yes"]);
    let declared = std::fs::read_dir(here.path().join("schema")).expect("it was written").flatten();
    let declared: String = declared.map(|file| std::fs::read_to_string(file.path()).expect("it is text")).collect();
    assert_eq!(declared.matches("option \"unchecked\" for sqlite").count(), 4, "{declared}");
    assert!(here.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    assert!(here.ok(&["status"]).starts_with("up to date"));
    here.write("hollow-oak.toml", &here.read("hollow-oak.toml").replace("old.db", "new.db"));
    here.ok(&["apply", "--yes"]);
    assert!(here.ok(&["diff", "live", "declared"]).starts_with("no difference"));
}
