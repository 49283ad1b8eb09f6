//! Objects that are declared in clauses: domains, privileges, exclusions, partitions, sequences.

use crate::support::stage::Stage;
use crate::support::{Project, REVERT};
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{Connects, shared, wanted};

const DECLARED: &str = "\
domain kilogram decimal(6, 2), check (value > 0), about \"never nothing\"

domain \"Pest Rate\" native \"real\", check most (value < 1)

sequence brand from 100

table hive {
    id:      int32, primary key
    weight:  kilogram, null
    rates:   \"Pest Rate\", null
    during:  native \"int4range\" for postgres, null

    exclude using gist (during with &&) where (weight is not null)
    exclude \"no second\" using btree (id with =)
}

table order {
    partition by range (taken_on)

    id:        int32
    taken_on:  date

    primary key (id, taken_on)
}

object \"partition\" order_2026 ```
    create table order_2026 partition of \"order\" for values from ('2026-01-01') to ('2027-01-01')
``` drop ```
    drop table order_2026
``` after order

grant insert, select on order to reader

grant usage on sequence brand to reader

grant select on hive to public
";

fn stage() -> Option<Stage<'static>> {
    if !wanted(Provider::Postgres) {
        return None;
    }
    let server = shared(Provider::Postgres);
    let mut client = server.postgres("postgres").expect("the server answers");
    let role = "do $$ begin create role reader; exception when duplicate_object or unique_violation then null; end $$";
    client.batch_execute(role).expect("a role can be made");
    Some(Stage::on(server, DECLARED))
}

fn stage_of(declared: &str) -> Option<Stage<'static>> {
    wanted(Provider::Postgres).then(|| Stage::on(shared(Provider::Postgres), declared))
}

#[test]
fn an_extension_comes_behind_what_it_needs() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let declared = "extension btree_gist after unaccent\n\nextension earthdistance after cube\n\nextension unaccent\n\nextension cube\n";
    let here = Stage::on(shared(Provider::Postgres), declared);
    let project = &here.project;
    assert!(project.ok(&["format", "--check"]).starts_with("nothing to do"), "this is the standard form");
    project.migrate("first");
    let script = project.read("migrations/0001-first/postgres.up.sql");
    let place = |name: &str| script.find(&format!("\ncreate extension {name}"));
    assert!(place("unaccent").is_some() && place("unaccent") < place("btree_gist"), "{script}");
    here.assert_same("live", "declared");
    project.ok(REVERT);
    // What needs what is read from the server.
    here.sql("drop table hollow_oak_journal, hollow_oak_store");
    here.sql("create extension earthdistance cascade");
    std::fs::remove_file(project.file("schema/schema.oak")).expect("it can be removed");
    std::fs::remove_dir_all(project.file("migrations")).expect("they can be removed");
    project.ok(&["adopt", "--yes"]);
    assert!(project.read("schema/brackenfold.oak").contains("extension earthdistance after cube for postgres\n"));
}

#[test]
fn forms_go_up_and_down_and_are_read_again() {
    let Some(here) = stage() else { return };
    let project = &here.project;
    assert!(project.ok(&["format", "--check"]).starts_with("nothing to do"), "this is the standard form");
    project.migrate("first");
    here.assert_same("live", "declared");
    here.sql("insert into hive (id, weight, rates, during) values (1, 20.5, 0.5, '[1,5)'), (2, null, null, '[2,3)')");
    let mut store = here.store();
    assert!(store.execute("update hive set weight = 0 where id = 1").is_err(), "the domain has a check");
    assert!(store.execute("update hive set weight = 1 where id = 2").is_err(), "the ranges overlap");
    let privileges =
        "select string_agg(privilege_type, ' ' order by privilege_type) from information_schema.role_table_grants
                      where grantee = 'reader' and table_name = 'order'";
    assert_eq!(here.query(privileges), ["INSERT SELECT"]);
    project.ok(REVERT);
    here.assert_same("live", "empty");
}

#[test]
fn what_is_adopted_is_declared_in_clauses() {
    let Some(here) = stage() else { return };
    here.project.migrate("first");
    let other = Stage::on(here.server.expect("it has one"), "");
    std::fs::remove_file(other.project.file("schema/schema.oak")).expect("it can be removed");
    let url = here.server.expect("it has one").url(&here.database);
    for leftover in ["hollow_oak_journal", "hollow_oak_store"] {
        here.sql(&format!("drop table {leftover}"));
    }
    other.project.ok(&["adopt", "--url", &url, "--yes"]);
    let declared = other.project.read("schema/brackenfold.oak");
    for expected in [
        "domain kilogram decimal(6, 2), check ((VALUE > (0)::numeric)), about \"never nothing\" for postgres",
        "domain \"Pest Rate\" float32, check most (",
        "    weight:  kilogram, null\n",
        "    rates:   \"Pest Rate\", null\n",
        "    exclude using gist (during WITH &&) where ((weight IS NOT NULL)), for postgres\n",
        "    exclude \"no second\" using btree (id WITH =), for postgres\n",
        "    partition by range (taken_on) for postgres\n",
        "grant insert, select on order to reader for postgres\n",
        "grant select on hive to public for postgres\n",
        "grant usage on sequence brand to reader for postgres\n",
        "sequence brand from 100 for postgres\n",
    ] {
        assert!(declared.contains(expected), "{expected} is not in\n{declared}");
    }
    assert!(other.project.ok(&["diff", "live", "declared", "--url", &url]).starts_with("no difference"));
}

/// The catalogue calls the policy `own_rows on hive`, and the cast by its types.
#[test]
fn objects_are_called_as_their_statements_call_them() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let object = |kind: &str, name: &str, create: &str, drop: &str| {
        format!("object \"{kind}\" {name} ```\n    {create}\n``` drop ```\n    {drop}\n```\n\n")
    };
    let here = Stage::of(
        Provider::Postgres,
        &[
            "table hive {\n    id: int32\n    primary key (id)\n}\n\n".to_owned(),
            "table log {\n    id: int32\n    primary key (id)\n}\n\n".to_owned(),
            object(
                "policy",
                "own_rows",
                "create policy own_rows on hive using (id > 1 and id in (2, 3))",
                "drop policy own_rows on hive",
            ),
            object("policy", "every_row", "CREATE POLICY every_row ON log;", "drop policy every_row on log"),
            object(
                "rule",
                "no_delete",
                "create rule no_delete as on delete to log do instead nothing",
                "drop rule no_delete on log",
            ),
            object("type", "pair", "create type pair as (a int, b text)", "drop type pair"),
            object("cast", "pair_as_text", "create cast (pair as text) with inout", "drop cast (pair as text)"),
            object(
                "operator",
                "\"=#=\"",
                "create operator =#= (leftarg = int, rightarg = int, function = int4eq)",
                "drop operator =#= (int, int)",
            ),
            object(
                "aggregate",
                "product",
                "create aggregate product(float8) (sfunc = float8mul, stype = float8, initcond = '1')",
                "drop aggregate product(float8)",
            ),
            object("grant", "ids", "grant select (id) on hive to public", "revoke select (id) on hive from public"),
        ]
        .concat(),
    );
    let project = &here.project;
    project.migrate("first");
    let same = || project.oak(&["diff", "live", "declared"]);
    assert!(same().stdout.starts_with("no difference"), "{}", same());
    let status = here.status();
    assert_eq!((status["drift"].to_string(), status["unmanaged"].to_string()), ("[]".into(), "[]".into()));

    here.sql("alter policy own_rows on hive using (id > 7)");
    project.ok(&["absorb", "--yes"]);
    let declared = project.read("schema/schema.oak");
    assert_eq!(declared.matches("object \"policy\"").count(), 2, "{declared}");
    assert!(declared.contains("(id > 7)") && same().stdout.starts_with("no difference"), "{declared}");

    project.declare(&declared.replace("(id > 7)", "(id > 8)"));
    project.migrate("stricter");
    assert!(same().stdout.starts_with("no difference"), "{}", same());
    project.ok(&[REVERT, &["--to", "empty"]].concat());
    assert_eq!(here.query("select count(*) from pg_policy"), ["0"]);
}

/// A domain that columns are of, and a sequence that has counted, are changed where they are.
#[test]
fn domains_and_sequences_change_in_place() {
    let Some(here) = stage() else { return };
    let project = &here.project;
    project.migrate("first");
    here.sql("insert into hive (id, weight) values (1, 20.5)");
    assert_eq!(here.query("select nextval('brand') from generate_series(1, 3)"), ["100", "101", "102"]);
    project.declare(
        &DECLARED
            .replace("check (value > 0), about \"never nothing\"", "check (value > 1), check light (value < 100)")
            .replace("sequence brand from 100", "sequence brand from 100 by 5")
            .replace("grant insert, select on order", "grant select, update on order")
            .replace("using btree (id with =)", "using btree (id with =, weight with =)"),
    );
    let drafted = project.draft("changed", &[]);
    for step in ["alter domain kilogram", "alter sequence brand", "fails if two rows of hive exclude each other"] {
        assert!(drafted.contains(step), "{step} is not in {drafted}");
    }
    project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
    assert_eq!(here.query("select nextval('brand')"), ["107"]);
    assert_eq!(here.query("select obj_description('kilogram'::regtype, 'pg_type')"), [""]);
    assert!(here.store().execute("update hive set weight = 0.5").is_err());
    here.sql("update hive set weight = 50");
    project.ok(&["revert", "--yes"]);
    here.assert_same("live", "history@1");
    assert_eq!(here.query("select nextval('brand')"), ["108"]);
    here.sql("update hive set weight = 500");
    let refused = project.oak(&["apply", "--yes"]);
    assert!(refused.status == 1 && refused.stderr.contains("light"), "{refused}");
    here.assert_same("live", "history@1");
}

/// Where numbers begin may be beyond what a sequence of the server goes through by itself; a count that is beyond the new
/// limits begins at them, any other goes on.
#[test]
fn numbers_begin_where_they_are_said_to() {
    let Some(here) = stage_of("") else { return };
    let project = &here.project;
    let first = || here.query("select nextval('s') union all select nextval('s')");
    let inserted = || here.query("insert into t (n) values (1), (2) returning id");
    // How both are said, what the sequence gives next, what the table does.
    let steps = [
        ("from -5", "from -5", ["-5", "-4"], ["-5", "-4"]),
        ("", "", ["1", "2"], ["1", "2"]),
        ("from 0", "from 0", ["3", "4"], ["3", "4"]),
        ("from 10 by -1", "from 3 by -1", ["3", "2"], ["3", "2"]),
        ("by -1", "by -1", ["-1", "-2"], ["-1", "-2"]),
        ("from 100 by 10", "from 100 by 10", ["100", "110"], ["100", "110"]),
    ];
    for (number, (sequence, identity, of_sequence, of_table)) in steps.iter().enumerate() {
        project.declare(&format!(
            "sequence s {sequence}\n\ntable t {{\n    id: int32, identity {identity}\n    n: int32\n}}\n"
        ));
        project.migrate(&format!("step {number}"));
        here.assert_same("live", "declared");
        assert_eq!(first(), *of_sequence, "{sequence}");
        assert_eq!(inserted(), *of_table, "{identity}");
    }
    for number in (1..steps.len()).rev() {
        project.ok(&[REVERT, &["--steps", "1"]].concat());
        here.assert_same("live", &format!("history@{number}"));
    }
    here.sql("drop table hollow_oak_journal, hollow_oak_store");
    std::fs::remove_file(project.file("schema/schema.oak")).expect("it can be removed");
    std::fs::remove_dir_all(project.file("migrations")).expect("they can be removed");
    project.ok(&["adopt", "--yes"]);
    let adopted = project.read("schema/brackenfold.oak");
    assert!(adopted.contains("sequence s from -5 for postgres\n"), "{adopted}");
    assert!(adopted.contains("    id:  int32, identity from -5\n"), "{adopted}");
}

/// A column that begins to number goes on behind its rows, from the least number there is as well; with another type its
/// sequence has another range, which is no change of the count.
#[test]
fn a_column_that_begins_to_number_goes_on_behind_its_rows() {
    let Some(here) = stage_of("table t {\n    id: int64, primary key\n    n: int32\n}\n") else { return };
    let project = &here.project;
    project.migrate("plain");
    here.sql("insert into t values (5, 1)");
    for (number, (column, next)) in [
        ("int64, identity from -9223372036854775808", "6"),
        ("int64, identity", "7"),
        ("int32, identity", "8"),
        ("int64, identity by 10", "18"),
    ]
    .into_iter()
    .enumerate()
    {
        project.declare(&format!("table t {{\n    id: {column}, primary key\n    n: int32\n}}\n"));
        project.migrate(&format!("step {number}"));
        here.assert_same("live", "declared");
        assert_eq!(here.query("insert into t (n) values (1) returning id"), [next], "{column}");
    }
    let narrowed = project.read("migrations/0004-step-2/postgres.up.sql");
    assert!(!narrowed.contains("last_value"), "{narrowed}");
}

/// The description that an extension brings along is nobody's; another one is declared, and gives way to that one again.
#[test]
fn an_extension_is_described() {
    let Some(here) = stage_of("extension citext, about \"no capitals\"\n") else { return };
    let project = &here.project;
    let described =
        || here.query("select obj_description(oid, 'pg_extension') from pg_extension where extname = 'citext'");
    let plain = || project.declare("extension citext\n");
    project.migrate("first");
    assert_eq!(described(), ["no capitals"]);
    here.assert_same("live", "declared");
    plain();
    let drafted = project.draft("plain", &[]);
    assert!(drafted.contains("alter extension citext"), "{drafted}");
    project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
    assert_eq!(described(), ["data type for case-insensitive character strings"]);
    project.ok(&["revert", "--yes"]);
    assert_eq!(described(), ["no capitals"]);
    here.sql("comment on extension citext is 'by hand'");
    assert!(project.oak(&["diff", "live", "history@1"]).stdout.contains("by hand"));
}

#[test]
fn mistakes_in_forms_are_told() {
    let project = crate::support::Project::new(
        "domain kilogram\n\ndomain gram int32, chek (value > 0)\n\ngrant on hive to reader\n\ngrant select on hive reader\n\n\
         table hive {\n    id: int32, primary key\n    w: kilogramm\n    exclude (id)\n    partition by\n}\n",
    );
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

/// Of two tables, one that references the other has to be written to the log as that is; where both change, and reference
/// each other, their references go for a moment.
#[test]
fn tables_that_reference_each_other_change_what_they_are_written_to() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let tables = |option: &str| {
        format!(
            "table lock {{
{option}    name:   text
    token:  text

    primary key (name)
    unique (name, token)
    foreign key (name) references lock_mode (name) deferrable initially deferred
    foreign key (token) references lock (name)
}}

table lock_mode {{
{option}    name:   text
    token:  text

    primary key (name)
    foreign key (name, token) references lock (name, token) deferrable initially deferred
}}
"
        )
    };
    let here = Stage::on(shared(Provider::Postgres), &tables(""));
    let project = &here.project;
    project.migrate("logged");
    here.sql(
        "begin; insert into lock_mode values ('a', 't'); insert into lock values ('a', 't'), ('t', 'a'); \
              insert into lock_mode values ('t', 'a'); commit",
    );
    let before = here.dump();
    project.declare(&tables("    option \"unlogged\" for postgres\n\n"));
    project.migrate("unlogged");
    here.assert_same("live", "declared");
    assert_eq!(
        here.query("select count(*) from pg_class where relname in ('lock', 'lock_mode') and relpersistence = 'u'"),
        ["2"]
    );
    project.ok(REVERT);
    assert_eq!(here.dump(), before);
    assert_eq!(here.query("select count(*) from lock join lock_mode using (name, token)"), ["2"]);
}

#[test]
fn what_is_said_of_a_reference_may_be_for_some_providers() {
    let project = Project::new(
        r#"table keeper {
    id: int64, identity
    primary key (id)
}

table hive {
    id:        int64, identity
    keeper_id: references keeper, on delete cascade, on delete restrict for postgres, deferrable except mariadb
    primary key (id)
}
"#,
    );
    project.list(&["sqlite", "postgres", "mariadb"]);
    project.ok(&["draft", "first"]);
    let reference = |provider: &str| {
        let script = project.read(&format!("migrations/0001-first/{provider}.up.sql"));
        let line = script.lines().find_map(|line| line.split_once(" references ")).expect("there is a reference");
        line.1.trim_end_matches([';', ',']).replace(['"', '`'], "")
    };
    assert_eq!(reference("sqlite"), "keeper (id) on delete cascade deferrable initially immediate");
    assert_eq!(reference("postgres"), "keeper (id) on delete restrict deferrable");
    assert_eq!(reference("mariadb"), "keeper (id) on delete cascade");
    // The schema that was written down with the migration says the same in its own words.
    assert!(project.ok(&["diff"]).starts_with("no difference"));
}

#[test]
fn what_some_providers_compute_others_may_be_given() {
    let table = |columns: &str| {
        format!(
            "table hive {{\n    id:     int64, identity\n    kg:     int32, null\n{columns}\n    primary key (id)\n}}\n"
        )
    };
    let project = Project::new(&table(""));
    project.list(&["sqlite", "postgres"]);
    project.ok(&["draft", "first"]);
    // SQLite has a value for the rows that are there, and PostgreSQL has none.
    project.declare(&table("    twice:  int32, generated (kg * 2) for postgres, default 0 except postgres\n    grams:  int32, default 0 for sqlite\n"));
    let drafted = project.ok(&["draft", "second"]);
    assert!(drafted.contains("--fill hive.grams=VALUE") && !drafted.contains("--fill hive.twice"), "{drafted}");
    let line = |provider: &str| {
        let script = project.read(&format!("migrations/0002-second/{provider}.up.sql"));
        script.lines().filter(|line| !line.starts_with("--")).collect::<Vec<_>>().join("\n")
    };
    assert!(line("postgres").contains("generated always as (kg * 2) stored"), "{}", line("postgres"));
    assert!(line("sqlite").contains("default 0"), "{}", line("sqlite"));
    project.declare(&table("    twice:  int32, generated (kg * 2) for postgres, default 0\n"));
    let answer = project.oak(&["check"]);
    assert!(answer.stderr.contains("a generated column cannot also have a default"), "{answer:#?}");
}
