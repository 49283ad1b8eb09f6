//! The journey on real servers: what was declared is there after apply and gone after revert; nothing of it is lost when
//! the client or the server is killed; runs at the same time wait for each other; nothing in the catalogue is overlooked.

use std::process::{Child, Stdio};
use std::time::{Duration, Instant};

use crate::support::stage::Stage;
use crate::support::{REVERT, REVERT_ALL};
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{Connects, PrivateServer, SERVERS, shared, wanted};

/// All that the language says and both servers have.
const DECLARED: &str = "\
enum temper { calm, watchful, 'easily upset' }

table keeper {
    about \"A member who looks after hives.\"

    id:         int64, identity
    name:       text(120)
    phone:      text(32), null
    joined_on:  date, default today

    primary key (id)
    unique one_name (name)
}

table hive {
    id:         int64, identity
    keeper_id:  int64, null, references keeper, on delete set null
    queen_id:   int64, null
    code:       text(12), default 'A''s', about \"painted on the box\"
    temper:     temper, default calm
    kg:         decimal(6, 2), null
    net:        decimal(6, 2), null, generated (kg - 1)
    readings:   json, default '{}'
    moved_at:   instant, default now

    primary key (id)
    unique one_code (keeper_id, code)
    foreign key (queen_id) references queen (id)
    check some_code (code in ('A''s', 'b') or length(code) < 9)
    index by_code (code desc)
}

table queen {
    id:       int64, identity
    hive_id:  int64, references hive, on delete cascade

    primary key (id)
}

view heavy ```
    select id, code from hive where kg > 40
```

view heavy_codes ```
    select code from heavy
```
";

/// Two migrations with rows between them.
fn prepared(server: &PrivateServer) -> Stage<'_> {
    let here = Stage::on(server, DECLARED);
    here.project.ok(&["draft", "first"]);
    let changed = DECLARED
        .replace("phone:      text(32), null", "phone:      text(80), null\n    note:       text, null")
        .replace("joined_on:  date, default today", "joined_on:  datetime, default now")
        .replace(
            "unique one_name (name)\n",
            "unique one_name (name)\n    check (phone <> '')\n    check (name <> '')\n",
        )
        .replace(
            "hive_id:  int64, references hive, on delete cascade\n\n    primary key (id)",
            "hive_id:  int64, references hive, on delete cascade\n\n    primary key (id, hive_id)\n    unique (id)",
        )
        .replace("kg > 40\n", "kg > 41\n")
        .replace("'easily upset' }", "'easily upset', fierce }")
        .replace("    index by_code (code desc)\n", "    index by_temper (temper)\n");
    here.project.declare(&changed);
    here.project.ok(&["draft", "second"]);
    here
}

/// Runs a test on every server that is wanted.
fn on_each(test: impl Fn(&PrivateServer)) {
    for provider in SERVERS {
        if wanted(provider) {
            test(shared(provider));
        }
    }
}

#[test]
fn up_and_down_with_rows() {
    on_each(|server| {
        let here = prepared(server);
        let missing = here.project.ok(&["status"]);
        assert!(missing.contains("the database is not there yet"), "{missing}");
        here.project.ok(&["apply", "--yes", "--to", "1"]);
        here.assert_same("live", "history@1");
        here.sql("insert into keeper (name, phone) values ('Maren Oakhollow', '1'), ('Ilse Thornbury', null)");
        here.sql("insert into hive (keeper_id, kg) values (1, 50)");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert!(here.project.ok(&["status"]).starts_with("up to date: dev is at 0002-second"));
        assert!(here.project.ok(&["doctor"]).contains("2 applied migrations"));
        assert_eq!(here.query("select code from heavy_codes"), ["A's"]);
        assert_eq!(here.query("select net from hive"), ["49.00"]);
        assert!(here.project.ok(&["show", "keeper", "--rows", "5"]).contains("Ilse Thornbury"));
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
        assert_eq!(here.query("select name, phone from keeper order by id"), ["Maren Oakhollow|1", "Ilse Thornbury|"]);
        here.project.ok(REVERT_ALL);
        here.assert_same("live", "empty");
        let nothing_left = here.project.ok(&["show"]);
        assert!(nothing_left.starts_with("0 tables"), "{nothing_left}");
    });
}

#[test]
fn many_migrations_and_one_give_the_same_dump() {
    on_each(|server| {
        let step_by_step = prepared(server);
        step_by_step.project.ok(&["apply", "--yes"]);
        let at_once = Stage::on(server, &step_by_step.project.read("schema/schema.oak"));
        at_once.project.migrate("all");
        assert_eq!(step_by_step.dump(), at_once.dump());
    });
}

#[test]
fn what_a_server_refuses_is_told_with_the_way_out() {
    on_each(|server| {
        let here = prepared(server);
        here.project.ok(&["apply", "--yes", "--to", "1"]);
        here.sql("create table stray (id int primary key)");
        let status = here.project.ok(&["status"]);
        assert!(status.contains("unmanaged, left alone: table stray"), "{status}");
        here.sql("alter table keeper add column stray int");
        let refused = here.project.oak(&["apply", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("has drifted"), "{refused:#?}");
        assert!(refused.stderr.contains("keeper: add column stray"), "{refused:#?}");
        let url = format!("{}://nobody@/x?socket={}", server.provider(), server.socket().display());
        let login = here.project.oak(&["show", "--url", &url]);
        assert!(login.status == 1 && login.stderr.starts_with("error: "), "{login:#?}");
        let gone = format!("{}://oak@/x?socket=/nowhere/at/all", server.provider());
        let unreachable = here.project.oak(&["show", "--url", &gone, "--wait", "1s"]);
        assert!(unreachable.stderr.contains("server answers at /nowhere/at/all"), "{unreachable:#?}");
        assert!(unreachable.stderr.contains("waiting for"), "{unreachable:#?}");
    });
}

#[test]
fn hand_made_comments_triggers_and_grants_survive() {
    on_each(|server| {
        let here = prepared(server);
        here.project.ok(&["apply", "--yes", "--to", "1"]);
        let is_postgres = server.provider() == Provider::Postgres;
        if is_postgres {
            here.sql(
                "comment on column keeper.phone is 'by hand'; create role visitor; grant select on keeper, heavy to visitor; comment on view heavy is 'seen'",
            );
            here.sql(
                "create function loud() returns trigger language plpgsql as 'begin return new; end'; \
                 create trigger loud before update on keeper for each row execute function loud()",
            );
        } else {
            here.sql("create trigger loud before update on keeper for each row set new.name = upper(new.name)");
            here.sql("alter table keeper modify phone varchar(32) null comment 'by hand'");
            here.sql("alter table keeper modify joined_on date not null default (utc_date()) comment 'it''s, too'");
        }
        here.project.ok(&["apply", "--yes"]);
        here.sql("insert into keeper (name) values ('Piet Larkmoor')");
        here.sql("update keeper set phone = '1'");
        if is_postgres {
            assert_eq!(here.query("select col_description('keeper'::regclass, 3)"), ["by hand"]);
            assert_eq!(here.query("select has_table_privilege('visitor', 'keeper', 'select')"), ["t"]);
            assert_eq!(here.query("select has_table_privilege('visitor', 'heavy', 'select')"), ["t"]);
            assert_eq!(here.query("select obj_description('heavy'::regclass)"), ["seen"]);
            here.sql("drop owned by visitor; drop role visitor");
        } else {
            assert_eq!(here.query("select name from keeper"), ["PIET LARKMOOR"]);
            let comment = "select column_comment from information_schema.columns where table_schema = database() and column_name = 'phone'";
            assert_eq!(here.query(comment), ["by hand"]);
            assert_eq!(here.query(&comment.replace("'phone'", "'joined_on'")), ["it's, too"]);
        }
        assert!(here.project.ok(&["status"]).contains("trigger loud on keeper"));
    });
}

#[test]
fn the_client_is_killed_at_every_statement_boundary() {
    on_each(|server| {
        let (mut kills, mut inside) = (0, 0);
        for (arguments, up) in [(["apply", "--yes"].as_slice(), true), (REVERT_ALL, false)] {
            for boundary in 1.. {
                let here = prepared(server);
                if !up {
                    here.project.ok(&["apply", "--yes"]);
                }
                if !here.project.is_killed_at(boundary, arguments) {
                    break;
                }
                kills += 1;
                inside += usize::from(!here.status()["interrupted"].is_null());
                // Every third one is undone instead of finished.
                let undone = up && boundary % 3 == 0 && !here.status()["interrupted"].is_null();
                if undone {
                    here.project.ok(REVERT_ALL);
                    here.assert_same("live", "empty");
                    continue;
                }
                here.project.ok(arguments);
                here.assert_same("live", if up { "declared" } else { "empty" });
            }
        }
        println!("{}: {kills} kills of the client, {inside} of them inside a migration", server.provider().title());
        assert!(kills > 20, "{kills} kills");
    });
}

/// How many migrations the target has.
fn applied(status: &serde_json::Value) -> usize {
    let migrations = status["migrations"].as_array().expect("the migrations are listed");
    migrations.iter().filter(|one| one["state"] == "applied").count()
}

#[test]
fn the_client_is_killed_at_a_hundred_random_moments() {
    on_each(|server| {
        let mut rng = fastrand::Rng::new();
        let template = prepared(server);
        let began = Instant::now();
        template.project.ok(&["apply", "--yes"]);
        let whole_run = u64::try_from(began.elapsed().as_micros()).expect("it is short");
        let (mut alive, mut inside) = (0, 0);
        for round in 0..100 {
            let here = prepared(server);
            let up = round % 2 == 0;
            let arguments: &[&str] = if up { &["apply", "--yes"] } else { REVERT_ALL };
            if !up {
                here.project.ok(&["apply", "--yes"]);
            }
            let mut child = here.project.spawn(arguments, None);
            std::thread::sleep(Duration::from_micros(rng.u64(0..whole_run)));
            alive += usize::from(child.try_wait().expect("it can be asked").is_none());
            child.kill().expect("it can be killed");
            child.wait().expect("it is gone");
            let status = here.status();
            let applied = applied(&status);
            let part = !status["interrupted"].is_null() || applied > 0 && applied < here.migrations();
            inside += usize::from(part);
            // The server may not have noticed yet that the other is gone.
            let words = here.project.ends_well(arguments).stderr;
            assert!(words.is_empty() || words.contains("waiting for another run"), "{words}");
            here.assert_same("live", if up { "declared" } else { "empty" });
        }
        println!(
            "{}: 100 kills of the client at random moments of {whole_run} µs; {alive} while it ran, {inside} found the work half done",
            server.provider().title()
        );
    });
}

#[test]
fn the_server_is_killed_twenty_times() {
    for provider in SERVERS {
        if !wanted(provider) {
            continue;
        }
        let mut server = PrivateServer::start(provider, true).unwrap_or_else(|error| panic!("{error}"));
        let mut inside = 0;
        for round in 0..20 {
            let up = round % 2 == 0;
            let arguments: &[&str] = if up { &["apply", "--yes"] } else { REVERT_ALL };
            let here = prepared(&server);
            if !up {
                here.project.ok(&["apply", "--yes"]);
            }
            let project = here.project;
            let database = here.database;
            let mut child = project.spawn(arguments, Some(3 + round));
            let paused = project.pauses(&mut child);
            server.crash().unwrap_or_else(|error| panic!("{error}"));
            child.kill().expect("it can be killed");
            child.wait().expect("it is gone");
            let here = Stage { project, server: Some(&server), database };
            inside += usize::from(paused && !here.status()["interrupted"].is_null());
            here.project.ok(arguments);
            here.assert_same("live", if up { "declared" } else { "empty" });
        }
        println!("{}: 20 kills of the server, {inside} of them inside a migration", provider.title());
    }
}

#[test]
fn eight_applies_at_once_twenty_times() {
    on_each(|server| {
        let mut waited = 0;
        for round in 0..20 {
            let here = prepared(server);
            let spawn = || {
                let mut command = here.project.command(&["apply", "--yes"]);
                command.stdout(Stdio::piped()).stderr(Stdio::piped());
                command.spawn().expect("oak can be run")
            };
            let runs: Vec<Child> = (0..8).map(|_| spawn()).collect();
            let answers: Vec<_> = runs.into_iter().map(|run| run.wait_with_output().expect("oak ends")).collect();
            for answer in &answers {
                let words = String::from_utf8_lossy(&answer.stderr);
                let out = String::from_utf8_lossy(&answer.stdout);
                assert_eq!(answer.status.code(), Some(0), "round {round}: {out}\n{words}");
                waited += usize::from(words.contains("waiting for another run on dev"));
            }
            let applied = "select title from hollow_oak_journal where event = 'applied' order by seq";
            assert_eq!(here.query(applied), ["first", "second"]);
            here.assert_same("live", "declared");
        }
        println!("{}: {waited} of 160 runs were seen waiting", server.provider().title());
        assert!(waited > 20, "only {waited} were seen waiting");
    });
}

/// Statements that each change one thing that the catalogue holds, and a word by which the answer names it.
const BY_HAND_ON_POSTGRES: &[(&str, &str)] = &[
    ("alter table keeper alter phone set not null", "nullability: not null → null"),
    ("alter table keeper alter joined_on drop default", "default: none → current_date"),
    ("alter table keeper alter joined_on set default '2026-01-01'", "default"),
    ("alter table keeper alter phone type text", "type"),
    ("alter table keeper alter phone type varchar(33)", "type"),
    ("alter table keeper alter name type varchar(120) collate \"C\"", "collation"),
    ("alter table keeper alter phone set storage external", "storage"),
    ("alter table keeper alter phone set statistics 7", "statistics"),
    ("alter table keeper alter phone set (n_distinct = 5)", "n_distinct"),
    ("alter table keeper alter id set generated always", "identity"),
    ("alter table keeper alter id set increment by 3", "identity"),
    ("alter table keeper alter id set cache 7", "identity cache 7"),
    ("alter table keeper alter id drop identity", "identity"),
    ("alter table keeper add constraint more check (id > 0)", "more"),
    ("alter table keeper drop constraint one_name", "one_name"),
    ("alter table keeper rename constraint one_name to other_name", "rename"),
    (
        "alter table keeper drop constraint one_name; alter table keeper add constraint one_name unique (name) deferrable",
        "deferrable",
    ),
    (
        "alter table keeper drop constraint one_name; alter table keeper add constraint one_name unique (name) include (phone)",
        "include (phone)",
    ),
    ("alter table hive drop constraint hive_keeper_id_fkey", "hive_keeper_id_fkey"),
    ("alter table hive alter constraint hive_keeper_id_fkey deferrable", "deferrable"),
    (
        "alter table hive drop constraint hive_keeper_id_fkey; alter table hive add constraint hive_keeper_id_fkey foreign key (keeper_id) references keeper on delete cascade",
        "cascade",
    ),
    (
        "alter table hive drop constraint hive_keeper_id_fkey; alter table hive add constraint hive_keeper_id_fkey foreign key (keeper_id) references keeper on delete set null not valid",
        "not valid",
    ),
    (
        "alter table hive drop constraint some_code; alter table hive add constraint some_code check (code in ('A''s', 'b') or length(code) < 10)",
        "some_code",
    ),
    (
        "alter table hive drop constraint some_code; alter table hive add constraint some_code check (code in ('A''s', 'b') or length(code) < 9) no inherit",
        "no inherit",
    ),
    ("alter table hive alter net drop expression", "generated"),
    ("drop index by_code", "by_code"),
    ("drop index by_code; create index by_code on hive (code)", "by_code"),
    ("drop index by_code; create index by_code on hive (code desc nulls last)", "nulls last"),
    ("drop index by_code; create unique index by_code on hive (code desc)", "unique"),
    ("drop index by_code; create index by_code on hive using hash (code)", "hash"),
    ("drop index by_code; create index by_code on hive (code desc) where id > 1", "where"),
    ("drop index by_code; create index by_code on hive (code text_pattern_ops desc)", "text_pattern_ops"),
    ("drop index by_code; create index by_code on hive (code collate \"C\" desc)", "collate"),
    ("drop index by_code; create index by_code on hive (code desc) include (id)", "including"),
    ("drop index by_code; create index by_code on hive (code desc) with (fillfactor = 50)", "fillfactor"),
    ("drop index by_code; create index by_code on hive ((lower(code)) desc)", "lower"),
    ("alter table hive cluster on by_code", "clustered"),
    ("alter table keeper set (autovacuum_enabled = false)", "autovacuum_enabled"),
    ("alter table keeper set (fillfactor = 50)", "fillfactor=50"),
    ("alter table keeper replica identity full", "replica identity"),
    ("alter table keeper enable row level security", "row level security keeper"),
    ("create policy mine on keeper", "policy mine"),
    ("create rule mine as on delete to keeper do instead nothing", "rule mine"),
    ("create statistics mine on name, phone from keeper", "statistics mine"),
    ("create sequence mine", "sequence mine"),
    ("create domain mine as text", "domain mine"),
    ("create type mine as (a int)", "type mine"),
    ("create materialized view mine as select 1 as a", "materialized view mine"),
    ("create function mine() returns int language sql as 'select 1'", "routine mine"),
    ("create table mine (a int) partition by list (a)", "table mine"),
    ("create table mine () inherits (keeper)", "table mine"),
    ("create type mine as enum ('a')", "enum mine"),
    ("alter type temper add value 'wild'", "wild"),
    ("alter type temper rename value 'calm' to 'quiet'", "quiet"),
    ("comment on table keeper is 'other'", "comment"),
    ("comment on table hive is 'by hand'", "comment hive"),
    ("comment on column hive.code is 'other'", "other"),
    ("comment on column hive.kg is 'by hand'", "comment kg"),
    ("create or replace view heavy as select id, code from hive where kg > 39", "heavy"),
    ("drop view heavy_codes", "heavy_codes"),
    ("create view mine as select 1 as a", "view mine"),
    ("alter table keeper rename column phone to telephone", "telephone"),
    ("alter table keeper rename to member", "member"),
    ("alter table keeper add exclude using btree (name with =)", "constraint keeper_name_excl"),
];

const BY_HAND_ON_MARIADB: &[(&str, &str)] = &[
    ("alter table keeper modify phone varchar(32) not null", "nullability"),
    ("alter table keeper alter joined_on drop default", "default"),
    ("alter table keeper modify phone varchar(33)", "type"),
    ("alter table keeper modify phone varchar(32) collate utf8mb4_bin", "collation"),
    ("alter table keeper modify phone varchar(32) comment 'by hand'", "comment phone"),
    ("alter table keeper modify phone varchar(32) invisible", "invisible"),
    ("alter table keeper modify id bigint not null", "identity"),
    ("alter table hive modify kg decimal(6,2) unsigned null", "unsigned"),
    (
        "alter table hive modify moved_at datetime(6) not null default (utc_timestamp(6)) on update current_timestamp(6)",
        "on update",
    ),
    ("alter table hive modify temper enum('calm', 'watchful') not null default 'calm'", "type"),
    ("alter table hive modify temper enum('calm', 'watchful', 'easily upset') not null default 'watchful'", "default"),
    ("alter table hive modify readings longtext not null default '{}'", "longtext"),
    ("alter table hive drop column net, add column net decimal(6,2) generated always as (kg - 2) stored", "generated"),
    ("alter table hive drop column net, add column net decimal(6,2) generated always as (kg - 1) virtual", "generated"),
    ("alter table hive drop constraint some_code", "some_code"),
    ("alter table hive drop constraint some_code, add constraint some_code check (length(code) < 9)", "some_code"),
    ("alter table keeper add constraint more check (name <> '')", "more"),
    ("alter table keeper drop index one_name", "one_name"),
    ("alter table keeper rename index one_name to other_name", "rename"),
    ("alter table keeper drop index one_name, add unique key one_name (name(10))", "prefix"),
    ("alter table hive drop index by_code", "by_code"),
    ("alter table hive drop index by_code, add key by_code (code)", "by_code"),
    ("alter table hive drop index by_code, add key by_code (code desc) comment 'x'", "comment 'x'"),
    ("alter table hive alter index by_code ignored", "ignored"),
    ("alter table hive drop index by_code, add fulltext key by_code (code)", "fulltext"),
    ("alter table hive drop foreign key hive_keeper_id_fkey", "hive_keeper_id_fkey"),
    (
        "alter table hive drop foreign key hive_keeper_id_fkey, add constraint hive_keeper_id_fkey2 foreign key (keeper_id) references keeper (id) on delete cascade",
        "cascade",
    ),
    ("alter table keeper collate utf8mb4_general_ci", "options"),
    ("alter table keeper row_format = compressed", "compressed"),
    ("alter table keeper comment 'other'", "comment"),
    ("alter table hive comment 'by hand'", "comment hive"),
    ("alter table keeper add column more int", "more"),
    ("create table mine (a int)", "table mine"),
    ("create table mine (a int) partition by hash (a)", "table mine"),
    ("create sequence mine", "sequence mine"),
    ("create view mine as select 1 as a", "view mine"),
    ("create or replace view heavy as select id, code from hive where kg > 39", "heavy"),
    ("drop view heavy_codes", "heavy_codes"),
    ("create trigger mine before insert on keeper for each row set new.name = 'x'", "trigger mine"),
    ("create procedure mine() select 1", "routine mine"),
    ("create event mine on schedule every 1 year do select 1", "event mine"),
    ("rename table keeper to member", "member"),
    ("alter table keeper rename column phone to telephone", "telephone"),
];

/// What MySQL says in other words, by a part of the statement for MariaDB; nothing where it does not have it.
const INSTEAD_ON_MYSQL: &[(&str, Option<(&str, &str)>)] = &[
    (
        "modify id bigint",
        Some((
            "alter table queen drop foreign key queen_hive_id_fkey; alter table hive modify id bigint not null",
            "identity",
        )),
    ),
    ("default '{}'", Some(("alter table hive modify readings longtext not null", "longtext"))),
    ("by_code ignored", Some(("alter table hive alter index by_code invisible", "invisible"))),
    ("create sequence", None),
];

const ONLY_ON_MYSQL: &[(&str, &str)] = &[
    ("alter table hive alter check some_code not enforced", "not enforced"),
    ("alter table hive add key more ((lower(code)))", "more"),
    ("alter table keeper alter column joined_on set default (current_date() + interval 1 day)", "default"),
    ("alter table hive alter column code set invisible", "invisible"),
];

fn by_hand(provider: Provider) -> Vec<(&'static str, &'static str)> {
    match provider {
        Provider::Postgres => BY_HAND_ON_POSTGRES.to_vec(),
        Provider::Mysql => {
            let other =
                |sql: &str| INSTEAD_ON_MYSQL.iter().find(|(part, _)| sql.contains(part)).map(|(_, other)| *other);
            let changes = BY_HAND_ON_MARIADB.iter().filter_map(|change| other(change.0).unwrap_or(Some(*change)));
            changes.chain(ONLY_ON_MYSQL.iter().copied()).collect()
        }
        _ => BY_HAND_ON_MARIADB.to_vec(),
    }
}

#[test]
fn nothing_in_the_catalogue_is_overlooked() {
    on_each(|server| {
        let changes = by_hand(server.provider());
        let (mut overlooked, mut unseen) = (Vec::new(), Vec::new());
        for &(sql, word) in &changes {
            let here = Stage::on(server, DECLARED);
            here.project.migrate("first");
            here.assert_same("live", "declared");
            let (before, quiet) = (here.dump(), here.status());
            for statement in sql.split("; ") {
                here.sql(statement);
            }
            // Where a server tells by a mark that nothing has changed, every change has to change the mark.
            if here.status() == quiet {
                overlooked.push(format!("{sql}\ndoes not show in `oak status`"));
            }
            // The oracle of the property tests must not be blind to what the tool sees.
            if before == here.dump() {
                unseen.push(sql);
            }
            let answer = here.project.ok(&["diff", "live", "declared"]);
            if !answer.contains(word) {
                overlooked.push(format!("{sql}\nis not named by `{word}` in\n{answer}"));
            }
        }
        println!("{}: {} changes by hand", server.provider().title(), changes.len());
        assert!(unseen.is_empty(), "the oracle does not see {unseen:#?}");
        assert!(overlooked.is_empty(), "{} of {}\n{}", overlooked.len(), changes.len(), overlooked.join("\n"));
    });
}

#[test]
fn columns_follow_the_collation_of_their_table() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let declared = |collation: &str| {
        format!(
            "table keeper {{\n    option \"collate={collation}\" for mariadb\n    name: text(20)\n    kg: int32, null\n    primary key (name)\n}}\n\
             table hive {{\n    option \"collate={collation}\" for mariadb\n    id: int64, identity\n    keeper: references keeper(name)\n    own: text(9), null, collate \"utf8mb4_bin\" for mariadb\n    primary key (id)\n}}\n"
        )
    };
    let here = Stage::of(Provider::Mariadb, &declared("utf8mb4_general_ci"));
    here.project.migrate("first");
    here.sql("insert into keeper (name) values ('Maren')");
    here.sql("insert into hive (keeper) values ('Maren')");
    let before = here.dump();
    here.project.declare(&declared("utf8mb4_unicode_ci"));
    here.project.migrate("another order");
    here.assert_same("live", "declared");
    let collations = here.query(
        "select distinct collation_name from information_schema.columns where table_schema = database() \
         and table_name in ('hive', 'keeper') and collation_name is not null order by 1",
    );
    assert_eq!(collations, ["utf8mb4_bin", "utf8mb4_unicode_ci"]);
    assert_eq!(here.query("select keeper from hive"), ["Maren"]);
    here.project.ok(&["revert", "--yes"]);
    assert_eq!(before, here.dump());
}

/// MariaDB counts a statement when it begins. One that waits while the catalogue is read must not pass for one that was
/// seen.
#[test]
fn a_change_that_was_under_way_is_seen_once_it_is_there() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let here = Stage::of(Provider::Mariadb, "table hive {\n    id: int64, identity\n    primary key (id)\n}");
    here.project.migrate("hive");
    let server = here.server.expect("it is a server's");
    let client = |sql: &str| {
        let mut command = std::process::Command::new("mariadb");
        command.args(["--no-defaults", "--user=oak", &here.database, "--execute", sql]);
        command.arg(format!("--socket={}", server.socket().display())).spawn().expect("the client runs")
    };
    let waits = || here.query("select info from information_schema.processlist where info like 'alter table hive%'");
    let mut reader = client("begin; select count(*) from hive; select sleep(4); commit");
    until("somebody reads", || {
        !here.query("select 1 from information_schema.processlist where info like 'select sleep%'").is_empty()
    });
    let mut changer = client("alter table hive add column by_hand int");
    until("the change waits", || !waits().is_empty());

    here.project.write("schema/more.oak", "table queen {\n    id: int64, identity\n    primary key (id)\n}");
    here.project.draft("queen", &[]);
    here.project.ok(&["apply", "--yes"]);
    assert!(!waits().is_empty(), "the change came too early for this test to say anything");
    assert!(changer.wait().expect("it ends").success() && reader.wait().expect("it ends").success());
    let status = here.project.oak(&["status"]);
    assert!(status.stdout.contains("by_hand"), "{status:#?}");
}

/// Waits until something holds, for ten seconds at most.
fn until(what: &str, holds: impl Fn() -> bool) {
    let begun = Instant::now();
    while !holds() {
        assert!(begun.elapsed() < Duration::from_secs(10), "{what} never held");
        std::thread::sleep(Duration::from_millis(20));
    }
}

/// A column that begins to number its rows has a row with a zero, which MariaDB takes for "the next number".
#[test]
fn a_zero_stays_where_numbering_begins() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let table = |identity: &str| {
        format!("table hive {{\n    id:    int32{identity}\n    code:  text(9)\n\n    primary key (id)\n}}\n")
    };
    let here = Stage::on(shared(Provider::Mariadb), &table(""));
    here.project.migrate("first");
    here.sql("insert into hive values (0, 'zero'), (7, 'seven')");
    here.project.declare(&table(", identity"));
    here.project.migrate("numbered");
    here.assert_same("live", "declared");
    here.sql("insert into hive (code) values ('next')");
    assert_eq!(here.query("select concat(id, ' ', code) from hive order by id"), ["0 zero", "7 seven", "8 next"]);
    here.project.ok(REVERT);
    assert_eq!(here.query("select concat(id, ' ', code) from hive order by id"), ["0 zero", "7 seven", "8 next"]);
}

/// MariaDB and MySQL keep a reference to a table that is not there, which can only be made without a look at it. Its table may come
/// and go, and be one that is ignored.
#[test]
fn a_reference_outlives_its_table() {
    for provider in [Provider::Mariadb, Provider::Mysql] {
        if wanted(provider) {
            outlives_its_table(provider);
        }
    }
}

fn outlives_its_table(provider: Provider) {
    let hive = "table hive {\n    id: int64, identity\n    yard: int64, null\n    primary key (id)\n    \
                foreign key (yard) references yard(id), on delete cascade, option \"unchecked\"\n}\n";
    let yard = "table yard {\n    id: int64, identity\n    primary key (id)\n}\n";
    let here = Stage::of(provider, hive);
    here.project.migrate("hive");
    here.assert_same("live", "declared");
    let without = here.dump();
    here.project.declare(&format!("{hive}{yard}"));
    here.project.migrate("yard");
    here.assert_same("live", "declared");
    here.project.ok(REVERT);
    assert_eq!(here.dump(), without);
    here.project.ok(&["discard", "--yes"]);

    here.project.declare(hive);
    here.sql("create table yard (id bigint auto_increment primary key)");
    let config = here.project.read("hollow-oak.toml");
    here.project.write("hollow-oak.toml", &format!("{config}\n[unmanaged]\ntables = [\"yard\"]\n"));
    here.assert_same("live", "declared");
    here.project.ok(REVERT_ALL);
    assert_eq!(here.query("select count(*) from yard"), ["0"]);
}

/// MariaDB keeps what was done before a statement that fails. What is of no migration is drawn up anew, not gone on with.
#[test]
fn a_sync_or_an_undo_that_broke_off_is_done_again() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let hives = crate::support::HIVES.replace(" where (gross_kg > 40)", "");
    let view = |column: &str| format!("{hives}\nview codes ```\n    select {column} from hive\n```\n");
    let here = Stage::on(shared(Provider::Mariadb), &view("code, nothing"));
    let broken = here.project.oak(&["sync", "--yes"]);
    assert_eq!(broken.status, 1);
    assert!(broken.stderr.starts_with("error: syncing dev: step 3 (create view codes) failed\n"), "{}", broken.stderr);
    assert!(broken.stderr.contains("2 of its 3 steps are done and stay; `oak sync` looks again"), "{}", broken.stderr);
    assert!(here.status()["interrupted"].is_null());
    here.project.declare(&view("code"));
    here.project.ok(&["sync", "--yes"]);
    here.assert_same("live", "declared");

    here.project.draft("first", &[]);
    let refused = here.project.oak(&["apply", "--yes"]);
    assert!(refused.stderr.contains("`oak mark applied 1 --because"), "{refused:#?}");
    here.project.ok(&["mark", "applied", "1", "--because", "it was synced", "--yes"]);
    here.sql("drop view codes; alter table hive drop column gross_kg; create table codes (a int)");
    let broken = here.project.oak(&["absorb", "--undo", "--accept", "loses-data", "--yes"]);
    assert_eq!(broken.status, 1);
    assert!(broken.stderr.starts_with("error: undoing what was changed by hand on dev: step "), "{}", broken.stderr);
    assert!(broken.stderr.contains("`oak absorb --undo` looks again and does the rest"), "{}", broken.stderr);
    here.sql("drop table codes");
    here.project.ok(&["absorb", "--undo", "--yes"]);
    here.assert_same("live", "history");
}

/// Whoever only looks is not bothered by tables that others make anew meanwhile.
#[test]
fn status_is_told_beside_somebodys_changes() {
    on_each(|server| {
        let here = prepared(server);
        here.project.ok(&["apply", "--yes"]);
        let anew = match server.provider() {
            Provider::Postgres => {
                "create table passing (a int check (a > 0), b text default 'b'); \
                                   create index passing_b on passing (lower(b)); drop table passing"
            }
            _ => {
                "alter table hollow_oak_journal engine = innodb; create table passing (a int check (a > 0)); drop table passing"
            }
        };
        let over = std::sync::atomic::AtomicBool::new(false);
        std::thread::scope(|scope| {
            let changes = scope.spawn(|| {
                let mut count = 0;
                while !over.load(std::sync::atomic::Ordering::Relaxed) {
                    here.sql(anew);
                    count += 1;
                }
                count
            });
            // Ends the changes where an assertion fails, too.
            let looked = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
                for _ in 0..60 {
                    assert_eq!(applied(&here.status()), here.migrations());
                }
            }));
            over.store(true, std::sync::atomic::Ordering::Relaxed);
            let count = changes.join().expect("they end");
            println!("{}: 60 looks beside {count} rounds of changes", server.provider().title());
            if let Err(failed) = looked {
                std::panic::resume_unwind(failed);
            }
        });
    });
}

/// From some hundred tables on, two sessions read the catalogue of PostgreSQL. What they read is what one reads.
#[test]
fn a_second_session_helps_where_there_is_one() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = shared(Provider::Postgres);
    let here = Stage::on(server, "");
    let mut beside = server.postgres("postgres").expect("the server answers");
    beside.batch_execute(&format!("create database {}", here.database)).expect("the database is made");
    here.sql(
        "do $$ begin for at in 1..320 loop
             execute format('create table t%s (id int generated by default as identity, code varchar(9) not null default ''a'',
                 up int references t%s, primary key (id), unique (code), check (code <> ''''))', at, greatest(at - 1, 1));
             execute format('create index on t%s (up desc) where code > ''b''', at);
         end loop; end $$",
    );
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it is there");
    here.project.ok(&["adopt", "--yes"]);
    here.sql("create role lonely login connection limit 1; grant select on all tables in schema public to lonely");
    let lonely = server.url(&here.database).replacen("//oak@", "//lonely@", 1);
    let asked = format!("select sessions from pg_stat_database where datname = '{}'", here.database);
    let beside = std::cell::RefCell::new(beside);
    let sessions = || -> i64 { beside.borrow_mut().query_one(&asked, &[]).expect("it is counted").get(0) };
    for (url, count) in [(server.url(&here.database), 2), (lonely, 1)] {
        // The server tells of a session a little after it has ended.
        std::thread::sleep(Duration::from_secs(2));
        let before = sessions();
        let answer = here.project.ok(&["diff", "live", "declared", "--url", &url]);
        assert!(answer.starts_with("no difference"), "{answer}");
        until("the sessions are counted", || sessions() == before + count);
    }
    here.sql("alter table t300 drop constraint t300_code_key, alter column code set default 'b'");
    let answer = here.project.ok(&["diff", "live", "declared"]);
    assert!(answer.starts_with("2 changes in 1 table"), "{answer}");
}
