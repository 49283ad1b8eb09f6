//! Tables, types, views and routines in several namespaces of one database (PostgreSQL).

use crate::support::stage::Stage;
use crate::support::{Project, REVERT, REVERT_ALL};
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{shared, wanted};

const DECLARED: &str = "\
namespace apiary
namespace \"Honey Shop\", about \"what is sold\"

enum apiary.temper { calm, watchful }

table keeper {
    id:    int64, identity
    name:  text(120)

    primary key (id)
}

table apiary.hive {
    id:         int64, identity
    keeper_id:  references keeper, null, on delete set null, indexed
    code:       text(12)
    temper:     apiary.temper, default calm

    primary key (id)
    unique (code)
    check (length(code) < 12)
    index (temper)
}

table \"Honey Shop\".\"Market Day\" {
    id:       int32, identity
    hive_id:  references apiary.hive, on delete cascade
    held_on:  date, default today

    primary key (id)
    index (held_on)
}

table \"Honey Shop\".keeper {
    id:    int64, identity
    role:  text(20), about \"who stands behind the stall\"

    primary key (id)
    unique (role)
}

rows \"Honey Shop\".keeper by (role) {
    role
    'stall'
    'till'
}

sequence apiary.brand from 100 by 10

view apiary.calm_hives ```
    select h.code, k.name from apiary.hive h join keeper k on k.id = h.keeper_id where h.temper = 'calm'
```

view \"Honey Shop\".busy_days ```
    select m.held_on, c.code from \"Honey Shop\".\"Market Day\" m join apiary.hive h on h.id = m.hive_id
    join apiary.calm_hives c on c.code = h.code
```

routine apiary.stamp ```
    create function apiary.stamp() returns trigger language plpgsql as $$
    begin
        new.code := upper(new.code);
        return new;
    end $$
``` drop ```
    drop function apiary.stamp()
```

trigger stamp on apiary.hive ```
    create trigger stamp before insert on apiary.hive for each row execute function apiary.stamp()
``` drop ```
    drop trigger stamp on apiary.hive
```
";

#[test]
fn what_is_in_namespaces_goes_up_and_down_with_its_rows() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::on(shared(Provider::Postgres), DECLARED);
    here.project.ok(&["draft", "first"]);
    here.project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
    here.sql("insert into keeper (name) values ('Maren Oakhollow')");
    here.sql("insert into apiary.hive (keeper_id, code) values (1, 'a1'), (null, 'b2')");
    here.sql("insert into \"Honey Shop\".\"Market Day\" (hive_id) values (1)");
    assert_eq!(here.query("select code from \"Honey Shop\".busy_days"), ["A1"]);
    assert_eq!(here.query("select role from \"Honey Shop\".keeper order by id"), ["stall", "till"]);
    let before = here.dump();

    // Types, keys and words change, a table goes to another namespace, another to another name in another one.
    let changed = DECLARED
        .replace("code:       text(12)", "code:       text(20)")
        .replace("{ calm, watchful }", "{ watchful, calm, fierce }")
        .replace("references apiary.hive, on delete cascade", "references \"Honey Shop\".colony, on delete cascade")
        .replace("table apiary.hive {", "table \"Honey Shop\".colony {\n    formerly apiary.hive\n")
        .replace("table \"Honey Shop\".keeper {", "table till {\n    formerly \"Honey Shop\".keeper\n")
        .replace("rows \"Honey Shop\".keeper by", "rows till by")
        .replace("    'till'\n", "    'door'\n")
        .replace("trigger stamp on apiary.hive", "trigger stamp on \"Honey Shop\".colony")
        .replace("on apiary.hive", "on \"Honey Shop\".colony")
        .replace("apiary.hive h", "\"Honey Shop\".colony h");
    here.project.declare(&changed);
    here.project.draft("second", &[]);
    here.project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
    assert_eq!(here.query("select code, temper from \"Honey Shop\".colony order by id"), ["A1|calm", "B2|calm"]);
    assert_eq!(here.query("select role from till order by id"), ["stall", "door"]);
    assert_eq!(here.query("select code from \"Honey Shop\".busy_days"), ["A1"]);
    here.sql("insert into \"Honey Shop\".colony (code) values ('c3')");
    assert_eq!(here.query("select code from \"Honey Shop\".colony where id = 3"), ["C3"]);
    here.sql("delete from \"Honey Shop\".colony where id = 3");

    here.project.ok(&["revert", "--yes"]);
    here.assert_same("live", "history@1");
    assert_eq!(here.dump(), before);
    here.project.ok(REVERT_ALL);
    here.assert_same("live", "empty");
    assert_eq!(here.query("select count(*) from pg_namespace where nspname in ('apiary', 'Honey Shop')"), ["0"]);
}

#[test]
fn what_is_kept_comes_back_into_its_namespace() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::on(shared(Provider::Postgres), DECLARED);
    here.project.migrate("first");
    here.sql("insert into apiary.hive (code) values ('a1')");
    let day = "table \"Honey Shop\".\"Market Day\" {";
    let (before, rest) = DECLARED.split_once(day).expect("the table is declared");
    let (_, behind) = rest.split_once("}\n\n").expect("the table ends");
    let (head, view) = behind.split_once("view \"Honey Shop\".busy_days").expect("the view is declared");
    let (_, tail) = view.split_once("```\n\n").expect("the view ends");
    here.sql("insert into \"Honey Shop\".\"Market Day\" (hive_id, held_on) values (1, '2026-05-01')");
    let dump = here.dump();
    here.project.declare(
        &format!("{before}{head}{tail}")
            .replace("    role:  text(20), about", "    part:  text(20), about")
            .replace("unique (role)", "unique (part)")
            .replace("by (role)", "by (part)")
            .replace("    role\n", "    part\n"),
    );
    here.project
        .draft("less", &["--keep", "--no-rename", "Honey Shop.keeper.role", "--fill", "Honey Shop.keeper.part='x'"]);
    here.project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
    assert!(here.project.ok(&["kept", "list"]).contains("Market Day"));
    here.project.ok(&["revert", "--yes"]);
    assert_eq!(here.query("select held_on from \"Honey Shop\".\"Market Day\""), ["2026-05-01"]);
    assert_eq!(here.dump(), dump);
}

#[test]
fn a_namespace_by_hand_is_seen() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = Stage::on(shared(Provider::Postgres), DECLARED);
    here.project.migrate("first");
    here.sql("create schema archive; create table archive.old (id int primary key); alter table apiary.hive add column stray int");
    let differs = here.project.ok(&["diff", "live", "declared"]);
    assert!(differs.contains("archive") && differs.contains("apiary.hive"), "{differs}");
    let status = here.project.ok(&["status"]);
    assert!(status.contains("table archive.old") && status.contains("add     column  stray"), "{status}");
    here.project.ok(&["absorb", "--yes"]);
    here.assert_same("live", "declared");
    let declared = here.project.read("schema/schema.oak");
    assert!(declared.contains("    stray:      int32, null\n") && !declared.contains("archive"), "{declared}");
    let shown = here.project.ok(&["show", "apiary.hive", "--rows", "2"]);
    assert!(shown.contains("stray"), "{shown}");
    let unknown = here.project.oak(&["show", "apiary.hvie"]);
    assert!(unknown.status == 1 && unknown.stderr.contains("apiary.hive"), "{unknown:#?}");
}

#[test]
fn mistakes_about_namespaces() {
    let project = Project::empty();
    project.write("hollow-oak.toml", "[project]\nname = \"brackenfold\"\n\n[providers]\npostgres = {}\nsqlite = {}\n");
    project.declare(
        "\
namespace sales

table slaes.invoice {
    id:  int64, identity

    primary key (id)
}

table sales.invoice {
    id:    int64, identity
    kind:  sales.kind, null

    primary key (id)
}

table sales.invoice {
    id:  int64, identity

    primary key (id)
}
",
    );
    let resolved = project.answers(&[&["check"]]);
    // What only a provider minds is looked at once everything has a meaning.
    project.declare(
        "\
namespace sales, for postgres
namespace public, for postgres
namespace pg_mine

table sales.invoice {
    id:  int64, identity

    primary key (id)
}
",
    );
    insta::assert_snapshot!(resolved + &project.answers(&[&["check"]]));
}

/// Two tables of one name, whose keys are called alike, each in the other's place.
#[test]
fn tables_that_change_places_between_namespaces_keep_their_rows() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let declared = |[own, theirs]: [&str; 2], [was_own, was_theirs]: [&str; 2]| {
        let person = "id: int64, identity\n    name: text(20)\n    primary key (id)\n    unique (name)";
        let code = "id: text(12)\n    about_it: text(20), null\n    primary key (id)\n    index (about_it)";
        format!(
            "namespace sales\n\ntable {own} {{\n{was_own}    {person}\n}}\n\ntable {theirs} {{\n{was_theirs}    {code}\n}}\n"
        )
    };
    let here = Stage::on(shared(Provider::Postgres), &declared(["sales.keeper", "keeper"], ["", ""]));
    here.project.migrate("first");
    here.sql("insert into sales.keeper (name) values ('Maren'); insert into keeper (id) values ('k1')");
    let before = here.dump();
    here.project
        .declare(&declared(["keeper", "sales.keeper"], ["    formerly sales.keeper\n\n", "    formerly keeper\n\n"]));
    here.project.migrate("places");
    here.assert_same("live", "declared");
    assert_eq!(here.query("select name from keeper"), ["Maren"]);
    assert_eq!(here.query("select id from sales.keeper"), ["k1"]);
    here.project.ok(REVERT);
    here.assert_same("live", "history@1");
    assert_eq!(here.dump(), before);
    assert_eq!(here.query("select name from sales.keeper"), ["Maren"]);
}

#[test]
fn a_database_with_several_namespaces_is_adopted() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let source = Stage::on(shared(Provider::Postgres), DECLARED);
    source.project.migrate("first");
    source.sql("drop table hollow_oak_journal, hollow_oak_store");
    source.sql("grant select on apiary.hive to public; grant usage on schema apiary to public");
    source.sql("create domain apiary.mark as text check (value <> ''); create type \"Honey Shop\".pair as (a int, b apiary.mark)");
    source.sql("create function apiary.first(m apiary.mark) returns text language sql as $$ select m::text $$");
    source.sql(
        "create materialized view apiary.codes as select code from apiary.hive; create index on apiary.codes (code)",
    );
    source.sql(
        "alter table apiary.hive add column marks apiary.mark[], add column made_by text default apiary.first('x')",
    );
    source.sql("create table apiary.log (id serial primary key, at timestamptz) partition by range (id)");
    source.sql("create table \"Honey Shop\".log_1 partition of apiary.log for values from (1) to (100)");
    let before = source.dump();

    let url = shared(Provider::Postgres).url(&source.database);
    for split in [false, true] {
        let project = Project::empty();
        let mut arguments = vec!["adopt", "--url", url.as_str(), "--yes"];
        arguments.extend(split.then_some("--split"));
        project.ok(&arguments);
        let files = if split {
            &["keeper", "apiary/hive", "Honey_Shop/Market_Day", "apiary/_enums"][..]
        } else {
            &["apiary", "Honey_Shop"]
        };
        for file in files {
            assert!(project.file(&format!("schema/{file}.oak")).is_file(), "{file} in {:?}", project.file("schema"));
        }
        assert!(project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
        assert!(project.ok(&["status"]).starts_with("up to date"));
        let copy = format!("{}_{split}", source.database);
        let copy_url = shared(Provider::Postgres).url(&copy);
        project.ok(&["apply", "--url", &copy_url, "--yes"]);
        let copied = Stage { project, server: source.server, database: copy };
        assert_eq!(copied.dump(), before);
        copied.project.ok(&["revert", "--url", &copy_url, "--to", "empty", "--yes"]);
        assert_eq!(copied.query("select count(*) from pg_namespace where nspname in ('apiary', 'Honey Shop')"), ["0"]);
        source.sql("drop table hollow_oak_journal, hollow_oak_store");
    }
}

/// A database that nobody has taken in yet, with this in it, and a project without declarations.
fn of_other_hands(sql: &str) -> Stage<'static> {
    let here = Stage::on(shared(Provider::Postgres), "table t { a: int32, null }");
    here.project.migrate("made");
    here.sql("drop table t, hollow_oak_journal, hollow_oak_store");
    std::fs::remove_dir_all(here.project.file("migrations")).expect("they can be removed");
    std::fs::remove_file(here.project.file("schema/schema.oak")).expect("it can be removed");
    here.sql(sql);
    here
}

#[test]
fn what_is_numbered_by_a_sequence_of_its_own_may_get_another_type() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let here = of_other_hands(
        "create table hive (id serial primary key, note text); insert into hive (note) values ('a'), ('b')",
    );
    here.project.ok(&["adopt", "--yes"]);
    let before = here.dump();
    let file = std::fs::read_dir(here.project.file("schema")).expect("there is one").next().expect("a file");
    let file = file.expect("it can be looked at").path();
    let declared = std::fs::read_to_string(&file).expect("it is text");
    assert!(declared.contains("int32, option \"serial\""), "{declared}");
    std::fs::write(&file, declared.replace("int32", "int64")).expect("it can be written");
    here.project.migrate("larger");
    here.assert_same("live", "declared");
    here.sql("insert into hive (note) values ('c')");
    assert_eq!(here.query("select id from hive order by id"), ["1", "2", "3"]);
    assert_eq!(here.query("select data_type::text from pg_sequences where sequencename = 'hive_id_seq'"), ["bigint"]);
    here.project.ok(REVERT);
    assert_eq!(here.dump(), before);
}

#[test]
fn what_an_index_runs_is_there_with_all_that_it_calls() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let source = of_other_hands(
        "create table hive (id int primary key, kg int);
         create function zeta(n int) returns int language sql immutable as $$ select n * 2 $$;
         create function alpha(n int) returns int language sql immutable as $$ select public.zeta(n) $$;
         create index by_alpha on hive (alpha(kg))",
    );
    let before = source.dump();
    source.project.ok(&["adopt", "--yes"]);
    let copy = format!("{}_copy", source.database);
    let url = shared(Provider::Postgres).url(&copy);
    source.project.ok(&["apply", "--url", &url, "--yes"]);
    let copied = Stage { project: source.project, server: source.server, database: copy };
    assert_eq!(copied.dump(), before);
    copied.project.ok(&["revert", "--url", &url, "--to", "empty", "--yes"]);
    assert_eq!(copied.query("select count(*) from pg_proc where proname in ('alpha', 'zeta')"), ["0"]);
}

#[test]
fn what_belongs_to_an_extension_outside_of_the_usual_places_is_accounted_for() {
    if !wanted(Provider::Postgres) {
        return;
    }
    // A namespace of its own is given to it, as others bring theirs.
    let here = of_other_hands(
        "create extension tcn schema pg_catalog; create schema queues; alter extension tcn add schema queues;
         create table hive (id int primary key)",
    );
    let answer = here.project.ok(&["adopt", "--yes"]);
    assert!(answer.contains("all of it can be declared"), "{answer}");
    let text = here.project.ok(&["diff", "empty", "declared"]);
    assert!(text.contains("extension  tcn"), "{text}");
    here.assert_same("live", "declared");
    here.sql("create table queues.waiting (id int)");
    let text = here.project.ok(&["diff", "live", "declared"]);
    assert!(text.contains("unmanaged") && text.contains("namespace queues"), "{text}");
}

/// As people write it, with a search path, and moved about afterwards.
const FILE: &str = "\
create schema if not exists sales;
create schema \"Old Sales\" authorization oak;
comment on schema sales is 'what is sold';
create domain sales.amount as numeric(8, 2) check (value >= 0);
set search_path to sales, public;
create type kind as enum ('cash', 'card');
create table invoice (
    id serial primary key,
    parent_id int references invoice,
    kind kind not null default 'cash',
    total amount,
    kinds kind[]
);
create index on invoice (kind);
create table public.invoice (id int generated always as identity primary key, of int references sales.invoice on delete cascade);
create index invoice_kind_idx1 on public.invoice (of);
grant create on schema sales to public;
set search_path = public;
create table \"Old Sales\".stock (id bigserial, constraint stock_key primary key (id), note text unique);
comment on table \"Old Sales\".stock is 'what is left';
comment on column sales.invoice.total is 'with taxes';
create view sales.paid as select i.id from sales.invoice i where i.kind = 'card'::sales.kind;
create function sales.paid_count() returns bigint language sql as $$ select count(*) from sales.paid $$;
create sequence sales.ticket start with 100;
alter table \"Old Sales\".stock set schema sales;
drop schema \"Old Sales\";
alter index sales.invoice_kind_idx rename to by_kind;
create table sales.part (a int) inherits (sales.invoice);
grant usage on schema sales to public;
";

#[test]
fn a_file_with_namespaces_is_read_as_a_server_reads_it() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = shared(Provider::Postgres);
    let here = Stage::on(server, "table t { a: int32, null }");
    here.project.migrate("t");
    here.sql("drop table t, hollow_oak_journal, hollow_oak_store");
    here.sql(FILE);
    // What the server words anew (a domain, a routine) is compared by what is made of it.
    let project = Project::empty();
    project.write("file.postgres.sql", FILE);
    let copy = format!("{}_copy", here.database);
    project.ok(&["adopt", "--from", "file.postgres.sql", "--url", &server.url(&copy)]);
    project.ok(&["draft", "baseline"]);
    project.ok(&["apply", "--yes"]);
    let copied = Stage { project, server: Some(server), database: copy };
    assert_eq!(copied.dump(), here.dump());

    // And what the server's own dumper writes of a database with more in it.
    let source = Stage::on(server, DECLARED);
    source.project.migrate("first");
    let dump = hollow_oak_testkit::oracle::raw_dump(server, &source.database).expect("the dumper runs");
    source.project.write("dump.postgres.sql", &dump);
    source.assert_same("live", "dump.postgres.sql");

    source.project.write(
        "path.postgres.sql",
        "create schema sales;\nset search_path = sales;\ncreate collation c (locale = 'C');\n",
    );
    let refused = source.project.oak(&["diff", "live", "path.postgres.sql"]);
    assert!(refused.status == 1 && refused.stderr.contains("say the namespace with each name"), "{refused:#?}");
}
