//! Mistakes in declarations, each at its line with what to type next.

use crate::support::Project;

#[track_caller]
fn check(declarations: &str) -> String {
    let project = Project::new(declarations);
    let answer = project.oak(&["check"]);
    assert_eq!(answer.status, 1, "{answer}");
    answer.to_string()
}

#[test]
fn all_mistakes_of_a_run_are_reported_in_one_go() {
    insta::assert_snapshot!(check(
        r#"tabel keeper {
    id: int64
}

table hive {
    id:        int46, identity
    code       text(12)
    Name:      text(120)
    weight:    decimal(6)
    kg:        decimal(2, 6)
    label:     text(12), nul, default "x"
    phone:     text(32) null
    note:      text, default 'it''s
    mark:      char
    moved_at:  instant, default today
    share:     int8, default 300
    keeper_id: references keepr, on delete set nothing
    size:      int32, check (size > 0
    primary key (id)
}

table queen {
    id: int64, identity
    hive_id: int32, references hive(id)
    mother: references queen, on delete set null
    hive_code: references hive(code)
    primary key (ide)
    unique (hive_id, hive_id)
    index ()
    index by_colour (colour, (lower(colour)))
    check (number > 0)
    foreign key (hive_id, id) references hive
}
"#
    ));
}

#[test]
fn what_cannot_hold_for_some_providers_alone_is_not_taken_for_all() {
    insta::assert_snapshot!(check(
        r#"table keeper {
    id:   int64, identity
    name: text, formerly nickname for sqlite, null for sqlite
    primary key (id)
    about "who keeps bees" for sqlite
}

table hive {
    id:        int64, identity
    guest_id:  references keeper for sqlite, references keeper(id) for postgres, null
    note:      text, null, for sqlite
    primary key (id)
}
"#
    ));
}

#[test]
fn for_one_provider_a_thing_is_said_once() {
    let answer = check(
        r#"table hive {
    id:   int64, identity
    name: text, default 'a', default 'b' for sqlite, default 'c' for mariadb, sqlite
    primary key (id)
}
"#,
    );
    assert!(answer.contains("× `default` is said twice"), "{answer}");
    assert!(answer.contains("default 'c' for mariadb, sqlite"), "{answer}");
}

#[test]
fn names_types_and_words() {
    insta::assert_snapshot!(check(
        r#"enum temper { calm, watchful, calm }
enum empty { }

table apiary {
    id:      int64, identity
    county:  texte
    kind:    temper, default clam
    other:   temper, default 'wild'
    again:   text, null, null, default null, unique, unique
    again:   text
    gone:    references keeper
    number:  int64, identity, null
    total:   text, identity, default 'x'
    net:     int64, generated (net + 1), default 4
    first:   int64, generated (second)
    second:  int64, generated (first)
    fits:    text, default null, named x, for sqlit

    primary key (id)
    primary key (county)
    unique twice (county)
    check twice (id > 0)
}

table apiary {
    id: int64
}

table "" {
}

table bare { }
"#
    ));
}

#[test]
fn what_sqlite_cannot_express() {
    insta::assert_snapshot!(check(
        r#"table keeper {
    option "strct" for sqlite

    id:         int64, identity always from 1000 by 10
    span:       interval
    tags:       text[]
    shape:      native "geometry" for postgres
    changed:    instant, on update now
    amount:     decimal(20, 4)
    only_there: text, for postgres

    primary key (id)
    unique (span, amount), nulls equal
    index by_tags (tags prefix(10), span nulls first) including (amount) using gin
    index a_name (amount)
    index "A_Name" (span)
    index by_there (only_there operators "text_ops")
    unique (only_there)
}

table no_alias {
    first:  int64, identity
    second: int64

    primary key (first, second)
}

table tight {
    option "strict" for sqlite
    code: text(12)
}

table "Hive" { code: text }
table hive { code: text }
table "Keeper" { code: text }
table sqlite_mine { code: text }
table hollow_oak_journal { code: text }
"#
    ));
}

#[test]
fn the_same_with_for_and_except_is_no_error() {
    let project = Project::new(
        r#"table keeper {
    option "fillfactor=70" for postgres

    id:       int64, identity, identity always from 1000 by 10 for postgres
    span:     interval, except sqlite
    shape:    native "geometry" for postgres, native "BLOB" for sqlite
    changed:  instant, on update now except sqlite
    code:     text, default 'a', default (upper('a')) for postgres, mariadb
    label:    text, collate "nocase" for sqlite, collate "de_DE" for postgres

    primary key (id)
    unique (code), nulls equal, for postgres
    index by_span (span), except sqlite
    index by_code (code prefix(10)), for mysql, mariadb
}

table there {
    tags: text[]
} for postgres
"#,
    );
    insta::assert_snapshot!(project.answers(&[&["check"], &["diff"]]));
}

#[test]
fn forms_that_a_provider_does_not_have_are_said_in_one_sentence_each() {
    let declarations = r#"table keeper {
    id:    int64, identity
    name:  text, formerly label

    primary key (id)
    formerly keepers
    exclude no_overlap using gist (during with &&) for postgres
    partition by range (id) for postgres
}

enum temper { calm, angry formerly wild }

rows keeper by (id) {
    id | name
    1  | 'Maren | Oakhollow'
    2  | (upper('it)'))
}

view names ```
    select name from keeper where name <> '}'
```

materialized view more ````
    select '```'
````, about "a view"

trigger touch on keeper ```
    create trigger touch after insert on keeper begin select 1; end
``` for sqlite
drop ```
    drop trigger touch
```

routine total ``` create function … ``` drop ``` drop function … ``` for postgres
sequence numbers from 1 by 1
domain email text(254), check (value like '%@%')
extension citext after numbers, names for postgres
grant select, insert on keeper to reader
object "policy" own_rows for postgres ``` create policy … ``` drop ``` drop policy … ```
after keeper, names

"#;
    let project = Project::new(declarations);
    insta::assert_snapshot!(project.answers(&[&["check"]]));
    project.ok(&["format"]);
    let once = project.read("schema/schema.oak");
    assert!(project.ok(&["format"]).starts_with("nothing to do"));
    for kept in [
        "exclude no_overlap",
        "formerly wild",
        "1  | 'Maren | Oakhollow'",
        "````, about \"a view\"",
        "after keeper, names",
        "extension citext after numbers, names for postgres",
    ] {
        assert!(once.contains(kept), "{kept} is not in\n{once}");
    }
}

/// What a server refuses when the table is made, or makes in another way without a word.
#[test]
fn what_servers_do_not_make_as_it_is_declared() {
    let project = Project::new(
        r#"table keeper {
    id: int64
    primary key (id)
}

table hive {
    id:    int64
    next:  int64, null, generated (id + 1)
    after: int64, null, generated (next + 1)
    kg:    int32, default -1, native "int unsigned" for mariadb
    code:  text(9)
    owner: int64, native "int unsigned" for mariadb, references keeper

    primary key (id)
    foreign key (next) references keeper on update cascade
    index by_code (code) using hash, except sqlite
    unique index only_code (code) using hash, except sqlite, postgres
    index by_kg (kg) option "using hash" for mysql
}

table held {
    option "engine=memory" for mariadb, mysql
    id:   int64
    primary key (id)
    index by_id (id) using hash, except sqlite
}
"#,
    );
    project.list(&["sqlite", "postgres", "mariadb", "mysql"]);
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

#[test]
fn a_type_is_no_clause_and_has_a_collation_or_none() {
    let project = Project::new(
        r#"table hive {
    a:  int32, collate "C" for postgres, mariadb
    b:  text, native "varchar(20) collate ""C""" for postgres
    c:  text, native "serial" for postgres, native "int auto_increment" for mariadb
    d:  text, native "varchar(20) character set latin1" for mariadb
    e:  text, native "text(100)" for mariadb, native "integer primary key" for sqlite
    f:  text, native "tstzrange" for postgres, collate "C" for postgres
    g:  text, native "enum('null', 'default')" for mariadb, collate "latin1_bin" for mariadb

    unique (a)
    index (a), option "key_block_size=8" for mariadb, option "invisible" for mariadb
}
"#,
    );
    project.list(&["sqlite", "postgres", "mariadb"]);
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

/// Each is shown where it is said, with a name of its own or without.
#[test]
fn a_key_has_to_be_short_enough_for_mariadb() {
    let project = Project::new(
        r#"table keeper {
    id:    text(900)
    name:  text, unique
    code:  text(400)
    mail:  text(700)
    note:  text

    primary key (id)
    unique mailed (mail, code)
    unique (code, mail)
    index (note)
    index noted (note prefix(800))
}

table hive {
    id:         int64, identity
    keeper_id:  references keeper

    primary key (id)
}
"#,
    );
    let config = project.read("hollow-oak.toml").replace("[targets.dev]", "[providers]\nmariadb = {}\n\n[targets.dev]");
    project.write("hollow-oak.toml", &config);
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

/// The server refuses it since 10.11.19.
#[test]
fn no_check_is_called_as_a_column_that_mariadb_checks_itself() {
    let project = Project::new(
        r#"table hive {
    id:    int64, identity
    note:  json
    size:  int32, option "check (size > 0)" for mariadb
    bees:  int32

    primary key (id)
    check "Note" (bees > 1)
    check size (size < 100), except mariadb
    check bees (bees > 0)
}
"#,
    );
    let config = project.read("hollow-oak.toml").replace("[targets.dev]", "[providers]\nmariadb = {}\n\n[targets.dev]");
    project.write("hollow-oak.toml", &config);
    let answer = project.oak(&["check"]);
    assert!(answer.stderr.contains("MariaDB checks column `note` under that name itself"), "{answer}");
    assert!(answer.stderr.contains("help: give the check another name, or leave its name out"), "{answer}");
    assert!(answer.stdout.contains("1 error in 1 file"), "{answer}");
    project.write("schema/schema.oak", &project.read("schema/schema.oak").replace("check \"Note\"", "check"));
    assert!(project.oak(&["check"]).stdout.contains("no errors"), "{}", project.oak(&["check"]));
}

#[test]
fn what_is_set_on_update_has_a_default_on_mariadb() {
    let declared = |clause: &str| {
        format!("table hive {{\n    id:   int64, identity\n    seen: instant, {clause}\n    primary key (id)\n}}\n")
    };
    let project = Project::new(&declared("on update now"));
    let config = project.read("hollow-oak.toml").replace("[targets.dev]", "[providers]\nmariadb = {}\n\n[targets.dev]");
    project.write("hollow-oak.toml", &config);
    let answer = project.oak(&["check"]);
    assert!(answer.stderr.contains("gives a required column that is set on update a default of its own"), "{answer}");
    assert!(answer.stderr.contains("help: add `default now`, or `null`"), "{answer}");
    for mended in ["default now, on update now", "null, on update now"] {
        project.declare(&declared(mended));
        project.ok(&["check"]);
    }
}

#[test]
fn a_reference_needs_a_key_that_the_database_takes_for_one() {
    insta::assert_snapshot!(check(
        r#"table apiary {
    id:    int64, identity
    code:  text
    name:  text

    primary key (id)
    unique (name), for postgres
    unique index by_code (code collate "nocase")
}

table hive {
    id:    int64, identity
    code:  text, references apiary(code)
    name:  text, references apiary(name)

    primary key (id)
}
"#
    ));
    insta::assert_snapshot!(check(
        r#"table apiary {
    id:    int64, identity
    name:  text

    primary key (id)
    unique (name), for postgres
}

table hive {
    id:    int64, identity
    name:  text, references apiary(name)

    primary key (id)
}
"#
    ));
}

#[test]
fn json_names_every_place() {
    let project = Project::new("table a {\n    id: int46\n    primary key (ix)\n}\n");
    let answer = project.oak(&["check", "--json"]);
    assert_eq!((answer.status, answer.stderr.as_str()), (1, ""));
    insta::assert_snapshot!(answer.stdout);
}

#[test]
fn format_lays_out_and_tells() {
    let project = Project::new(
        "table keeper{\n primary key(id)\n   id :int64,identity # the number\n\n\n # who\n name:text(120)\n}\n",
    );
    project.write("schema/broken.oak", "table {");
    insta::assert_snapshot!(project.answers(&[
        &["format", "--check"],
        &["format"],
        &["format", "schema/schema.oak"],
        &["format", "nowhere.oak"]
    ]));
    insta::assert_snapshot!(project.read("schema/schema.oak"));
}

/// A reference that sets some of its columns only is warned of where one of these may not be null.
#[test]
fn only_the_columns_that_are_set_to_null_have_to_take_it() {
    let warned = |columns: &str| {
        let project = Project::new(&format!(
            "table keeper {{
    tenant: int32
    id:     int32
    mentor: int32, null

    primary key (tenant, id)
    foreign key (tenant, mentor) references keeper on delete set null{columns}
}}
"
        ));
        let answer = project.oak(&["check"]);
        assert_eq!(answer.status, 0, "{answer}");
        answer.to_string().contains("`on delete set null` on column `tenant`")
    };
    assert!(warned(""));
    assert!(warned(", option \"on delete of columns (tenant, mentor)\" for postgres"));
    assert!(!warned(", option \"on delete of columns (mentor)\" for postgres"));
}
