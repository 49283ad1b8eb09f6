//! Changes made by hand on a target, taken into the declarations or undone.

use crate::support::stage::{Stage, on_each_provider};
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::wanted;

const DECLARED: &str = "\
# What the keepers look after.
table hive {
    # painted on the box
    id:    int64, identity
    code:  text(12)
    kg:    int32, null  # as weighed
    note:  text(40), null

    primary key (id)
    unique one_code (code)
    # the heavy ones
    index heavy (kg)
}

table keeper {
    id:       int64, identity
    hive_id:  references hive, null

    primary key (id)
}
";

fn by_hand(provider: Provider) -> &'static [&'static str] {
    match provider {
        // What it can alter at all.
        Provider::Sqlite => &[
            "drop index heavy",
            "create index by_note on hive (note desc)",
            "alter table hive add column colour VARCHAR(9) default 'red'",
            "alter table keeper drop column hive_id",
        ],
        Provider::Postgres => &[
            "drop index heavy",
            "create index by_note on hive (note desc)",
            "alter table hive add column colour varchar(9) default 'red', alter column kg type bigint, alter column note set not null",
            "alter table hive drop constraint one_code, add constraint light check (kg < 90)",
            "alter table hive alter id set cache 5 set cycle set maxvalue 9000",
            "alter sequence keeper_id_seq rename to keepers",
        ],
        _ => &[
            "alter table hive drop index heavy, add index by_note (note desc)",
            "alter table hive add column colour varchar(9) default 'red' after code, modify kg bigint null",
            "alter table hive drop index one_code, add constraint light check (kg < 90)",
        ],
    }
}

#[test]
fn changes_by_hand_come_into_the_lines_concerned_and_to_every_other_target() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        for sql in by_hand(provider) {
            if provider == Provider::Sqlite && sql.contains("drop column") {
                continue;
            }
            here.sql(sql);
        }
        let dump = here.dump();
        let shown = here.project.ok(&["absorb", "--dry-run"]);
        assert!(shown.contains("by hand on dev") && shown.contains("would read"), "{shown}");
        assert_eq!(here.project.read("schema/schema.oak"), DECLARED);

        let answer = here.project.ok(&["absorb", "--yes"]);
        assert!(answer.contains("counts as applied to dev"), "{answer}");
        assert_eq!(dump, here.dump(), "absorbing changed the database");
        let text = here.project.read("schema/schema.oak");
        for kept in
            ["# What the keepers look after.", "    # painted on the box\n", "# as weighed", "    # the heavy ones\n"]
        {
            assert!(text.contains(kept), "{kept} is gone from\n{text}");
        }
        assert!(text.contains("    colour:  text(9), null, default 'red'\n"), "{text}");
        assert!(text.contains("    index by_note (note desc)\n") && !text.contains("index heavy"), "{text}");
        here.assert_same("live", "declared");
        assert!(here.project.ok(&["status"]).starts_with("up to date:"));
        assert!(here.project.ok(&["absorb"]).starts_with("up to date:"));

        let other = match here.server {
            None => "sqlite:other.db".to_owned(),
            Some(server) => server.url(&format!("{}_other", here.database)),
        };
        here.project.ok(&["apply", "--yes", "--url", &other]);
        let same = here.project.ok(&["diff", "live", "declared", "--url", &other]);
        assert!(same.starts_with("no difference"), "{same}");
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn what_nobody_declared_is_taken_in_by_name() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        here.sql("create table mine (a int not null primary key, b varchar(5))");
        here.sql("create table other (a int not null primary key)");
        let nothing = here.project.ok(&["absorb"]);
        assert!(nothing.contains("nothing was changed by hand") && nothing.contains("oak absorb mine"), "{nothing}");
        let wrong = here.project.oak(&["absorb", "mime"]);
        assert!(wrong.status == 2 && wrong.stderr.contains("did you mean `mine`?"), "{wrong:#?}");
        here.project.ok(&["absorb", "mine", "--yes", "--title", "mine"]);
        assert!(here.project.read("schema/schema.oak").contains("table mine {"));
        let status = here.project.ok(&["status"]);
        assert!(
            status.starts_with("up to date:") && status.contains("0002-mine") && status.contains("table other"),
            "{status}"
        );
    });
}

#[test]
fn changes_by_hand_are_undone() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        let before = here.dump();
        for sql in by_hand(provider) {
            if provider == Provider::Sqlite && sql.contains("drop column") {
                continue;
            }
            here.sql(sql);
        }
        let refused = here.project.oak(&["absorb", "--undo", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("this loses data"), "{refused:#?}");
        here.project.ok(&["absorb", "--undo", "--accept", "loses-data", "--yes"]);
        assert_eq!(here.project.read("schema/schema.oak"), DECLARED);
        assert!(here.project.ok(&["status"]).starts_with("up to date:"));
        assert_eq!(before, here.dump());
    });
}

#[test]
fn it_waits_for_what_is_under_way() {
    let here = Stage::of(Provider::Sqlite, DECLARED);
    let early = here.project.oak(&["absorb"]);
    assert!(early.status == 1 && early.stderr.contains("no migration yet"), "{early:#?}");
    here.project.migrate("first");
    here.sql("alter table hive add column colour VARCHAR(9)");
    here.project.declare(&DECLARED.replace("text(40), null", "text(41), null"));
    let edited = here.project.oak(&["absorb", "--yes"]);
    assert!(edited.stderr.contains("declarations have changed"), "{edited:#?}");
    here.project.ok(&["draft", "longer"]);
    let pending = here.project.oak(&["absorb", "--yes"]);
    assert!(pending.stderr.contains("1 migration to apply first"), "{pending:#?}");
}

/// Takes the named things in, and has the change go to another target and back.
fn goes_everywhere(here: &Stage<'_>, names: &[&str]) {
    let before = here.project.ok(&["show", "--json"]);
    here.project.ok(&[&["absorb", "--yes"], names].concat());
    here.assert_same("live", "declared");
    here.project.ok(&["check"]);
    here.project.ok(&["format", "--check"]);
    assert_eq!(before, here.project.ok(&["show", "--json"]), "absorbing changed the database");
    let new = here.dump();
    here.project.ok(&["revert", "--yes", "--accept", "loses-data", "--because", "to see it"]);
    here.assert_same("live", "history@1");
    here.project.ok(&["apply", "--yes"]);
    assert_eq!(new, here.dump());
}

#[test]
fn a_reference_may_want_other_types_than_were_declared() {
    let here = Stage::of(
        Provider::Sqlite,
        "\
table box {
    id:  int32, identity

    primary key (id)
}

table visit {
    day:     date
    box_id:  int32, null

    primary key (day)
    foreign key (box_id) references box (id)
}

table weighing {
    id:  int64, identity
    kg:  int32

    primary key (id)
    check (kg > 0)
}
",
    );
    here.project.migrate("first");
    // The name of a constraint made this way is nobody's.
    here.sql("alter table weighing add column box_id BIGINT references box (id)");
    goes_everywhere(&here, &[]);
    let text = here.project.read("schema/schema.oak");
    assert!(
        text.contains("table box {\n    id:  int32, identity") && text.contains("    id:      int64, identity"),
        "{text}"
    );
    assert!(text.contains("    box_id:  int32, null, references box(id), native \"BIGINT\" for sqlite"), "{text}");
}

#[test]
fn lists_of_words_grow_and_come_along() {
    let here = Stage::of(
        Provider::Mariadb,
        "\
enum mood { calm, cross }

table hive {
    id:    int32
    mood:  mood

    primary key (id)
}

table yard {
    id:       int32
    sort:     sort
    weather:  sort

    primary key (id)
}

enum sort { dry, wet }
",
    );
    here.project.migrate("first");
    here.sql("alter table hive modify mood enum('calm','cross','gone') not null");
    here.sql("alter table yard modify weather enum('dry','wet','cold') not null");
    here.sql("create table fence (a int not null primary key, sort enum('old','new') not null default 'new', b enum('dry','wet') null)");
    goes_everywhere(&here, &["fence"]);
    let text = here.project.read("schema/schema.oak");
    assert!(text.contains("enum mood { calm, cross, gone }") && text.contains("    sort:     sort\n"), "{text}");
    assert!(text.contains("    sort:  sort_2, default 'new'\n    b:     sort, null\n"), "{text}");
}

#[test]
fn routines_come_with_all_that_is_said_of_them() {
    let here = Stage::of(
        Provider::Postgres,
        "\
namespace yard

routine yard.weigh ```
    create or replace function yard.weigh(a int) returns int language sql as $$ select a $$
``` drop ```
    drop function yard.weigh(int)
``` for postgres

routine calm ```
    create or replace function public.calm() returns int language sql as $$ select 1 $$
``` drop ```
    drop function calm()
``` for postgres

table yard.hive {
    id:    int32
    code:  text(9)

    primary key (id)
    unique (code)
    index (code desc)
}

table yard.visit {
    id:       int32
    hive_id:  int32

    primary key (id)
    foreign key (hive_id) references yard.hive (id)
}
",
    );
    here.project.migrate("first");
    here.sql("drop function yard.weigh(int)");
    here.sql("create function yard.weigh(a int, b int) returns int language sql as $$ select a + b $$");
    here.sql("comment on function calm() is 'how it is'; comment on table yard.hive is 'a box'");
    // By the names that were derived for them.
    here.sql("alter table yard.visit drop constraint visit_hive_id_fkey");
    here.sql("alter table yard.visit add foreign key (hive_id) references yard.hive (id) on delete cascade");
    here.sql("alter table yard.hive drop constraint hive_code_key");
    goes_everywhere(&here, &["calm"]);
    let text = here.project.read("schema/schema.oak");
    assert!(text.contains("drop function yard.weigh(integer,integer)"), "{text}");
    assert!(text.contains("how it is") && !text.contains("a box"), "{text}");
    assert!(text.contains("on delete cascade") && !text.contains("unique (code)"), "{text}");
}

#[test]
fn what_was_renamed_by_hand_keeps_its_rows_everywhere() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        let other = match here.server {
            None => "sqlite:other.db".to_owned(),
            Some(server) => server.url(&format!("{}_other", here.database)),
        };
        here.project.ok(&["apply", "--yes", "--url", &other]);
        let there = Stage {
            project: crate::support::Project::new(DECLARED),
            server: here.server,
            database: match here.server {
                None => here.project.file("other.db").display().to_string(),
                Some(_) => format!("{}_other", here.database),
            },
        };
        there.sql("insert into hive (code, note) values ('AB-1', 'by the gate')");
        there.sql("insert into keeper (hive_id) select id from hive");
        here.sql("alter table keeper rename to warden");
        here.sql("alter table hive rename column note to remark");

        let half = here.project.oak(&["absorb", "--yes"]);
        assert!(half.status == 2 && half.stderr.contains("oak absorb --rename keeper=warden"), "{half:#?}");
        let asked = here.project.oak(&["absorb", "--rename", "keeper=warden", "--yes"]);
        assert!(asked.status == 2 && asked.stderr.contains("--rename hive.note=remark"), "{asked:#?}");
        assert!(asked.stderr.contains("run `oak absorb --rename keeper=warden` again"), "{asked:#?}");
        let renamed = ["--rename", "keeper=warden", "--rename", "hive.note=remark"];
        let refused = here.project.oak(&["absorb", "--undo", "--fill", "hive.note='x'"]);
        assert!(refused.status == 2 && refused.stderr.contains("cannot be used with"), "{refused:#?}");
        here.project.ok(&[&["absorb", "--yes"], &renamed[..]].concat());
        here.assert_same("live", "declared");
        let text = here.project.read("schema/schema.oak");
        assert!(text.contains("    remark:  text(40), null\n") && text.contains("\ntable warden {\n"), "{text}");
        assert!(text.contains("    # painted on the box\n") && !text.contains("keeper {"), "{text}");

        here.project.ok(&["apply", "--yes", "--url", &other]);
        let rows = "select hive.code, hive.remark from warden join hive on hive.id = warden.hive_id";
        assert_eq!(there.query(rows), ["AB-1|by the gate"]);
        here.project.ok(&["revert", "--yes", "--url", &other]);
        assert_eq!(there.query("select code, note from hive"), ["AB-1|by the gate"]);
    });
}

#[test]
fn what_was_renamed_by_hand_gets_its_name_back_with_its_rows() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        let before = here.dump();
        here.sql("insert into hive (code, note) values ('AB-1', 'by the gate')");
        here.sql("insert into keeper (hive_id) select id from hive");
        here.sql("alter table keeper rename to warden");
        here.sql("alter table hive rename column note to remark");
        here.sql("alter table hive add column shade varchar(9)");

        let half = here.project.oak(&["absorb", "--undo", "--yes"]);
        assert!(half.status == 2 && half.stderr.contains("oak absorb --undo --rename keeper=warden"), "{half:#?}");
        assert!(half.stderr.contains("gives it back its name, with its rows"), "{half:#?}");
        let asked = here.project.oak(&["absorb", "--undo", "--rename", "keeper=warden", "--yes"]);
        assert!(asked.status == 2 && asked.stderr.contains("--rename hive.note=remark"), "{asked:#?}");
        assert!(!asked.stderr.contains("formerly"), "{asked:#?}");
        let renamed = ["--rename", "keeper=warden", "--rename", "hive.note=remark"];
        let loses = here.project.oak(&[&["absorb", "--undo", "--yes"], &renamed[..]].concat());
        assert!(loses.status == 1 && loses.stderr.contains("this loses data"), "{loses:#?}");
        here.project.ok(&[&["absorb", "--undo", "--yes", "--accept", "loses-data"], &renamed[..]].concat());

        assert!(here.project.ok(&["status"]).starts_with("up to date:"));
        assert_eq!(before, here.dump());
        let rows = "select hive.code, hive.note from keeper join hive on hive.id = keeper.hive_id";
        assert_eq!(here.query(rows), ["AB-1|by the gate"]);
    });
}

/// A table with rows that are declared.
const SHADES: &str = "table shade {\n    code:  text(9)\n    word:  text(20)\n\n    primary key (code)\n}\n\n\
     rows shade by (code) {\n    code | word\n    'r'  | 'red'\n    'b'  | 'blue'\n}\n";

#[test]
fn rows_that_are_declared_stay_when_a_change_by_hand_is_undone() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, SHADES);
        here.project.migrate("first");
        for (by_hand, rename) in [
            ("alter table shade rename column word to label", "shade.word=label"),
            ("alter table shade rename to tint", "shade=tint"),
        ] {
            here.sql(by_hand);
            here.project.ok(&["absorb", "--undo", "--yes", "--rename", rename]);
            assert_eq!(here.query("select code, word from shade order by code"), ["b|blue", "r|red"]);
        }
        here.sql("update shade set word = 'other' where code = 'b'");
        here.sql("alter table shade add column depth varchar(9)");
        here.project.ok(&["absorb", "--undo", "--yes", "--accept", "loses-data"]);
        assert_eq!(here.query("select code, word from shade order by code"), ["b|blue", "r|red"]);
        assert!(here.project.ok(&["status"]).starts_with("up to date:"));
    });
}

/// They are no part of the schema: taking them in would need two places that say what they are.
#[test]
fn declared_rows_that_were_changed_by_hand_are_told_and_brought_back() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, SHADES);
        here.project.migrate("first");
        here.sql("insert into shade values ('x', 'of somebody''s own')");
        assert!(here.project.ok(&["absorb", "--yes"]).starts_with("up to date:"));
        here.sql("update shade set word = 'other' where code = 'b'");
        here.sql("delete from shade where code = 'r'");
        let told = here.project.oak(&["absorb", "--yes"]);
        assert_eq!((told.status, told.stdout.as_str()), (1, ""));
        let expected = "error: declared rows of dev are not as declared\n  shade: drop row 'r'\n  \
                        shade: alter row 'b': word 'blue' → 'other'\n help: `oak absorb --undo` brings them back; ";
        assert!(told.stderr.starts_with(expected), "{}", told.stderr);
        let sql = here.project.ok(&["absorb", "--undo", "--dry-run"]);
        assert!(sql.starts_with("-- Hollow Oak") && sql.contains("update shade set word = 'blue'"), "{sql}");
        here.project.ok(&["absorb", "--undo", "--yes"]);
        let rows = ["b|blue", "r|red", "x|of somebody's own"];
        assert_eq!(here.query("select code, word from shade order by code"), rows);
        here.assert_same("live", "declared");
    });
}

#[test]
fn files_with_the_line_ends_of_another_system_mean_the_same_and_keep_them() {
    let here = Stage::of(Provider::Sqlite, DECLARED);
    here.project.migrate("first");
    let folder = "migrations/0001-first";
    let scripts =
        ["record.toml", "schema.oak", "sqlite.up.sql", "sqlite.down.sql"].map(|file| format!("{folder}/{file}"));
    for file in scripts.iter().map(String::as_str).chain(["schema/schema.oak"]) {
        here.project.write(file, &here.project.read(file).replace('\n', "\r\n"));
    }
    assert!(here.project.ok(&["status"]).starts_with("up to date:"));
    assert!(here.project.ok(&["draft", "nothing"]).starts_with("up to date:"));
    here.project.ok(&["format"]);
    here.project.ok(&["revert", "--yes"]);
    here.project.ok(&["apply", "--yes"]);
    here.sql("alter table hive add column shade text");
    here.project.ok(&["absorb", "--yes"]);
    let text = here.project.read("schema/schema.oak");
    assert!(text.contains("    shade:  text, null\r\n"), "{text:?}");
    assert_eq!(text.matches('\n').count(), text.matches("\r\n").count());
    here.project.ok(&["format", "--check"]);
}

#[test]
fn what_only_one_provider_has_is_said_for_it() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = beside_sqlite(
        "table hive {\n    id:    int64, identity\n    code:  text(12), default 'new'\n    kg:    int32, null\n\n    primary key (id)\n}\n",
    );
    here.sql("alter table hive add column ip inet, add column seen_on date default (now() - interval '1 day')::date");
    here.sql(
        "alter table hive alter column code set default upper('new'), alter column kg type numeric(6,1)[] using null",
    );
    here.sql("alter table hive add constraint young check (id::text <> '7'), add constraint small check (id < 900)");
    here.sql("create index by_ip on hive using hash (ip); create table visit (id int primary key, at point)");
    here.sql("create table round (id serial primary key, at timestamptz not null default now(), day timestamp default current_timestamp)");
    goes_everywhere(&here, &["visit", "round"]);
    insta::assert_snapshot!(here.project.read("schema/schema.oak"));
    comes_to_sqlite(&here);
}

#[test]
fn a_reference_and_its_index_change_each_for_itself() {
    let declared = "\
table keeper {
    id:  int64, identity

    primary key (id)
}

table hive {
    id:         int64, identity
    keeper_id:  references keeper, null, indexed
    guest_id:   references keeper, null, indexed

    primary key (id)
}
";
    on_each_provider(|provider| {
        let here = Stage::of(provider, declared);
        here.project.migrate("first");
        let (drop, key) = match provider {
            Provider::Postgres => ("constraint", "references keeper"),
            _ => ("foreign key", "references keeper (id)"),
        };
        // MariaDB needs the index for its reference, and SQLite has no statement for a constraint.
        if matches!(provider, Provider::Sqlite | Provider::Postgres) {
            here.sql("drop index hive_keeper_id_idx");
        }
        if provider != Provider::Sqlite {
            here.sql(&format!("alter table hive drop {drop} hive_guest_id_fkey"));
            here.sql(&format!(
                "alter table hive add constraint hive_guest_id_fkey foreign key (guest_id) {key} on delete cascade"
            ));
        }
        goes_everywhere(&here, &[]);
        let text = here.project.read("schema/schema.oak");
        let is_there = matches!(provider, Provider::Mariadb | Provider::Mysql);
        let keeper = text.lines().find(|line| line.contains("keeper_id:")).expect("the column is there");
        assert_eq!(keeper.ends_with("indexed"), is_there, "{text}");
        if provider != Provider::Sqlite {
            assert!(text.contains("references keeper(id), on delete cascade, indexed"), "{text}");
            here.sql(&format!("alter table hive drop {drop} hive_guest_id_fkey"));
            here.project.ok(&["absorb", "--yes"]);
            here.assert_same("live", "declared");
            let text = here.project.read("schema/schema.oak");
            assert!(
                text.contains("    guest_id:   int64, null\n") && text.contains("    index (guest_id)\n"),
                "{text}"
            );
        }
    });
}

#[test]
fn another_provider_keeps_what_it_has_under_the_same_name() {
    let declared = "\
table keeper {
    id:  int64, identity

    primary key (id)
}

table hive {
    id:         int64, identity
    kg:         int32, null
    keeper_id:  references keeper, null, on delete cascade, on delete restrict for postgres

    primary key (id)
    check light (kg < 100), for postgres
    check light (kg < 60), for sqlite
    index by_weight (kg desc), for postgres
    index by_weight (kg), for sqlite
}
";
    let here = beside_postgres(declared);
    let file = rusqlite::Connection::open(here.project.file(&here.database)).expect("it is there");
    file.execute_batch(
        "drop index by_weight;
         create index by_weight on hive (kg, id);
         pragma writable_schema = on;
         update sqlite_schema set sql = replace(replace(sql, 'kg < 60', 'kg < 70'), 'cascade', 'set null') where name = 'hive';
         pragma writable_schema = reset",
    )
    .expect("it can be changed");
    drop(file);
    here.project.ok(&["absorb", "--yes"]);
    insta::assert_snapshot!(here.project.read("schema/schema.oak"));
    assert!(here.project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    // Nothing of it is PostgreSQL's.
    let up = format!("migrations/{}/postgres.up.sql", here.project.newest());
    assert!(here.project.read(&up).contains("Nothing changes for PostgreSQL"), "{}", here.project.read(&up));
}

#[test]
fn what_is_new_goes_where_the_likes_of_it_are() {
    let here = Stage::of(Provider::Sqlite, DECLARED);
    here.sql("create table hive (id integer primary key, code text)");
    here.sql("create table keeper (id integer primary key, name text)");
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it is there");
    here.project.ok(&["adopt", "--split", "--yes"]);
    here.sql("alter table hive rename to box");
    here.sql("create table visit (id integer primary key)");
    here.project.ok(&["absorb", "box", "visit", "--rename", "hive=box", "--yes"]);
    assert!(here.project.read("schema/hive.oak").starts_with("table box {"));
    assert!(here.project.read("schema/visit.oak").starts_with("table visit {"));
    assert!(!here.project.read("schema/keeper.oak").contains("table box"));
    here.assert_same("live", "declared");
    // Several in one file: it goes behind the last.
    let both = format!("{}\n{}", here.project.read("schema/visit.oak"), here.project.read("schema/keeper.oak"));
    here.project.write("schema/visit.oak", &both);
    std::fs::remove_file(here.project.file("schema/keeper.oak")).expect("it is there");
    here.sql("create table queen (id integer primary key)");
    here.project.ok(&["absorb", "queen", "--yes"]);
    assert!(here.project.read("schema/visit.oak").contains("\ntable queen {"));
}

/// A project of PostgreSQL and SQLite, with a database of each.
fn beside_sqlite(declared: &str) -> Stage<'_> {
    let here = Stage::of(Provider::Postgres, declared);
    let settings = here.project.read("hollow-oak.toml").replace("postgres = {}", "postgres = {}\nsqlite = {}");
    here.project.write("hollow-oak.toml", &settings);
    here.project.migrate("first");
    here.project.ok(&["apply", "--yes", "--url", "sqlite:local.db"]);
    here
}

/// What was absorbed from PostgreSQL is applied to SQLite, and is there.
fn comes_to_sqlite(here: &Stage<'_>) {
    here.project.ok(&["apply", "--yes", "--url", "sqlite:local.db"]);
    let same = here.project.ok(&["diff", "live", "declared", "--url", "sqlite:local.db"]);
    assert!(same.starts_with("no difference"), "{same}");
}

/// A project of SQLite and PostgreSQL, with a database of the first.
fn beside_postgres(declared: &str) -> Stage<'_> {
    let here = Stage::of(Provider::Sqlite, declared);
    here.project.list(&["sqlite", "postgres"]);
    here.project.migrate("first");
    assert!(here.project.file(&format!("migrations/{}/postgres.up.sql", here.project.newest())).exists());
    here
}

#[test]
fn a_column_renamed_by_hand_keeps_what_other_providers_have_of_it() {
    let here = beside_postgres(
        "\
table hive {
    id:    int64, identity
    kg:    decimal(6, 2), null, default 0 for postgres, native \"real\" for postgres   # with the frames
    code:  text(12)

    primary key (id)
    check (kg < 200 or code <> 'x'), for postgres
    unique index (code, (coalesce(kg, 0))), for postgres
}
",
    );
    here.sql("alter table hive rename column kg to gross_kg");
    here.project.ok(&["absorb", "--rename", "hive.kg=gross_kg", "--yes"]);
    insta::assert_snapshot!(here.project.read("schema/schema.oak"), @r#"
    table hive {
        id:    int64, identity
        gross_kg:  decimal(6, 2), null, default 0 for postgres, native "real" for postgres   # with the frames
        code:  text(12)

        primary key (id)
        check (gross_kg < 200 or code <> 'x'), for postgres
        unique index (code, (coalesce(gross_kg, 0))), for postgres
    }
    "#);
    here.assert_same("live", "declared");
    let up = here.project.read(&format!("migrations/{}/postgres.up.sql", here.project.newest()));
    let steps = up.lines().filter(|line| line.starts_with("alter ")).collect::<Vec<_>>();
    assert_eq!(
        steps,
        [
            "alter table hive rename column kg to gross_kg;",
            "alter index hive_code_kg_idx rename to hive_code_gross_kg_idx;",
            "alter table hive rename constraint hive_kg_code_check to hive_gross_kg_code_check;",
        ]
    );
}

#[test]
fn what_other_providers_cannot_express_leaves_them_what_they_have() {
    let here = beside_postgres(
        "\
table hive {
    id:       int64, identity
    code:     text(12), default 'new', check (code <> '')
    note:     text, null
    seen_at:  datetime, null, default now

    primary key (id)
    index by_note (note)
}
",
    );
    here.sql("drop index by_note");
    here.sql("create index by_note on hive (note collate nocase)");
    let file = rusqlite::Connection::open(here.project.file(&here.database)).expect("it is there");
    file.execute_batch(
        "pragma writable_schema = on;
         update sqlite_schema set sql = replace(replace(sql, 'code <> ''''', 'code glob ''[a-z]*'''), '''new''', '(lower(hex(randomblob(4))))') where name = 'hive';
         pragma writable_schema = reset",
    )
    .expect("it can be changed");
    drop(file);
    here.project.ok(&["absorb", "--yes"]);
    insta::assert_snapshot!(here.project.read("schema/schema.oak"), @r#"
    table hive {
        id:       int64, identity
        code:     text(12), default 'new', default (lower(hex(randomblob(4)))) for sqlite
        note:     text, null
        seen_at:  datetime, null, default now

        primary key (id)
        check (code glob '[a-z]*'), for sqlite
        check (code <> ''), except sqlite
        index by_note (note collate "NOCASE"), for sqlite
        index by_note (note), except sqlite
    }
    "#);
    here.assert_same("live", "declared");
    let up = format!("migrations/{}/postgres.up.sql", here.project.newest());
    assert!(here.project.read(&up).contains("Nothing changes for PostgreSQL"), "{}", here.project.read(&up));
}

#[test]
fn a_view_that_only_one_provider_understands_is_changed_for_it_alone() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let declared = "\
table hive {
    id:    int64, identity
    code:  text(12)
    kg:    int32, null

    primary key (id)
}

view heavy ```
    select id, kg from hive where kg > 40
```

view named ```
    select id, code from hive where code <> ''
```
";
    let here = beside_sqlite(declared);
    here.sql("create or replace view heavy as select id, kg from hive where kg > 60");
    here.sql("create or replace view named as select id, code from hive where code ~ '^a'");
    here.project.ok(&["absorb", "--yes"]);
    // PostgreSQL names the one table of a query only until version 17.
    insta::assert_snapshot!(here.project.read("schema/schema.oak").replace("hive.", ""), @r"
    table hive {
        id:    int64, identity
        code:  text(12)
        kg:    int32, null

        primary key (id)
    }

    view heavy ```
        SELECT id,
            kg
           FROM hive
          WHERE (kg > 60)
    ```

    view named ```
        select id, code from hive where code <> ''
    ``` except postgres

    view named ```
        SELECT id,
            code
           FROM hive
          WHERE ((code)::text ~ '^a'::text)
    ``` for postgres
    ");
    here.assert_same("live", "declared");
    comes_to_sqlite(&here);
}

/// What no declaration can say is not offered, and named it is refused with the reason.
#[test]
fn what_cannot_be_declared_is_not_taken_in() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::of(Provider::Postgres, DECLARED);
    here.project.migrate("first");
    here.sql("create foreign data wrapper carrier; create server far foreign data wrapper carrier");
    here.sql("create user mapping for public server far options (password 'secret')");
    let named = here.project.oak(&["absorb", "public on far", "--yes"]);
    assert_eq!(named.status, 2, "{named}");
    assert!(named.stderr.contains("user mapping `public on far` cannot be declared"), "{named}");
    let offered = here.project.ok(&["absorb", "--yes"]);
    assert!(offered.contains("next: oak absorb carrier "), "{offered}");
    here.project.ok(&["absorb", "carrier", "far", "--yes"]);
    let left = here.project.ok(&["absorb", "--yes"]);
    assert!(left.contains("user mapping public on far") && !left.contains("next:"), "{left}");
}
