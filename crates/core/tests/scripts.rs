//! The scripts that differences become, as text.

use hollow_oak_core::diff::Renames;
use hollow_oak_core::language::{Source, resolve};
use hollow_oak_core::physical::Schema;
use hollow_oak_core::plan::{Choices, RiskKind, Values, plan};
use hollow_oak_core::script::{Direction, write, write_plain};
use hollow_oak_core::{Dialect, Provider, physical};

#[track_caller]
fn schema(dialect: Dialect, text: &str) -> Schema {
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
    let schema = resolution.schema.unwrap_or_else(|| panic!("{:?}", resolution.diagnostics));
    dialect.lower(&schema).expect("the provider can store it").schema
}

/// Up and down script from one schema to another.
#[track_caller]
fn scripts(from: &str, to: &str) -> String {
    let dialect = Dialect::Sqlite;
    let (from, to) = (schema(dialect, from), schema(dialect, to));
    let up = write(dialect, "0002-next", Direction::Up, &plan(dialect, &from, &to, &Choices::default()));
    let down = write(dialect, "0002-next", Direction::Down, &plan(dialect, &to, &from, &Choices::default()));
    format!("{up}\n{down}")
}

const HIVE: &str = r#"
enum temper { calm, 'o''clock' }

table apiary {
    id:    int64, identity
    name:  text(80), unique

    primary key (id)
}

table hive {
    id:         int64, identity
    apiary_id:  references apiary, on delete cascade, deferrable initially deferred, indexed
    code:       text(12), default 'it''s', collate "nocase" for sqlite
    temper:     temper, default 'o''clock'
    kg:         decimal(6, 2), null
    net:        decimal(6, 2), null, generated (kg - 1)
    order:      int32, default -1
    token:      uuid, default new uuid
    seen_at:    instant, default now
    raw:        bytes, default x'00ff'
    readings:   json, null

    primary key (id)
    unique one_code (apiary_id, code)
    check heavy (kg > 1 -- kilograms
    )
    index by_code (code desc, (lower(code)) collate "rtrim") where (kg is not null)
}
"#;

#[test]
fn everything_is_created_and_dropped() {
    insta::assert_snapshot!(scripts("", HIVE));
}

#[test]
fn what_can_be_altered_in_place_is() {
    let more = HIVE.replace(
        "    readings:   json, null\n",
        "    readings:   json, null\n    queen_id:   references hive, null\n    colour:     temper, default calm\n",
    );
    insta::assert_snapshot!(scripts(HIVE, &more.replace("index by_code", "index by_its_code")));
}

#[test]
fn several_changes_of_a_table_are_one_rebuild() {
    let other = HIVE
        .replace("one_code (apiary_id, code)", "one_code_per_site (apiary_id, code)")
        .replace("kg:         decimal(6, 2), null", "kg:         decimal(8, 3), default 0")
        .replace("    raw:        bytes, default x'00ff'\n", "")
        .replace("table hive {\n", "table hive {\n    option \"autoincrement\" for sqlite\n");
    insta::assert_snapshot!(scripts(HIVE, &other));
}

#[test]
fn nothing_is_said_to_be_nothing() {
    let dialect = Dialect::Sqlite;
    let hive = schema(dialect, HIVE);
    assert_eq!(hive, schema(dialect, &HIVE.replace("'calm'", "calm")));
    assert_eq!(plan(dialect, &hive, &hive, &Choices::default()).steps, []);
    assert_eq!(schema(dialect, ""), physical::Schema::default());
    insta::assert_snapshot!(scripts(HIVE, HIVE));
}

/// The steps of a plan.
#[track_caller]
fn titles(provider: Provider, from: &str, to: &str) -> Vec<String> {
    let dialect = Dialect::of(provider).expect("it is one");
    let plan = plan(dialect, &schema(dialect, from), &schema(dialect, to), &Choices::default());
    plan.steps.iter().map(|planned| planned.step.title()).collect()
}

/// MariaDB writes every row anew where a column stops to number rows or begins to.
#[test]
fn a_column_goes_on_to_number_rows_while_a_key_of_it_stays() {
    #[track_caller]
    fn case(from: &str, to: &str, expected: &[&str]) {
        let table = |keys: &str| format!("table hive {{\n    id: int64, identity\n    code: text(9)\n    {keys}\n}}\n");
        assert_eq!(titles(Provider::Mariadb, &table(from), &table(to)), expected);
    }
    case("primary key (id)", "primary key (id)\n unique (code)", &["add unique hive_code_key to hive"]);
    case("primary key (id)\n unique (code)", "primary key (id)", &["drop unique hive_code_key of hive"]);
    case(
        "primary key (code)\n unique one (id)",
        "primary key (code, id)\n unique one (id)",
        &["change primary key of hive"],
    );
    case("primary key (id)", "primary key (id, code)", &["change primary key of hive"]);
    case(
        "primary key (id)",
        "primary key (code)\n unique one (id)",
        &["add unique one to hive", "change primary key of hive"],
    );
    case(
        "primary key (code)\n unique one (id)",
        "primary key (id)",
        &["alter column hive.id", "drop unique one of hive", "change primary key of hive", "alter column hive.id"],
    );
}

/// What goes and comes back is never missing while a table is gone through, and nothing of a new table waits.
#[test]
fn online_steps_come_behind_all_that_is_one_transaction() {
    let from = "table hive {\n    id: int64\n    code: text(9)\n    a: int32\n    primary key (id)\n    check (a < 9)\n    \
                index by_code (code)\n}\n";
    let to = from
        .replace("primary key (id)\n", "primary key (id, code)\n    unique (a)\n")
        .replace("a: int32", "a: int64")
        .replace("by_code (code)", "by_code (code desc)")
        + "\ntable queen {\n    a: references hive(a), indexed\n    unique (a)\n    check (a > 0)\n}\n";
    let schemas = [from, &to].map(|text| schema(Dialect::Postgres, text));
    let choices = Choices { online: true, ..Choices::default() };
    let plan = plan(Dialect::Postgres, &schemas[0], &schemas[1], &choices);
    let told = plan.steps.iter().map(|planned| format!("{}: {}", planned.placement.words(), planned.step.title()));
    insta::assert_snapshot!(told.collect::<Vec<_>>().join("\n"), @r"
    in transaction: drop primary key of hive
    in transaction: drop check hive_a_check of hive
    in transaction: create table queen
    in transaction: alter column hive.a
    in transaction: add primary key to hive
    in transaction: add check hive_a_check to hive
    in transaction: create index queen_a_idx on queen
    outside transaction: create index hive_a_key on hive
    in transaction: add unique hive_a_key to hive
    outside transaction: create index oak_new_by_code on hive
    in transaction: drop index by_code
    in transaction: rename index oak_new_by_code to by_code
    in transaction: add foreign key queen_a_fkey to queen
    ");
}

/// Each of them goes through the whole table.
#[test]
fn alterations_of_a_table_are_made_at_once() {
    let from = "table apiary {\n    id: int64\n    primary key (id)\n}\n\ntable hive {\n    id: int64\n    a: int32\n    \
                b: text(9)\n    c: int32, null\n    f: int64\n    g: int64, null\n    primary key (id)\n    \
                check small (a < 9)\n}\n";
    let to = from
        .replace("a: int32", "a: int64")
        .replace("b: text(9)", "b: text(900)")
        .replace("c: int32, null", "c: int32")
        .replace("f: int64", "f: references apiary")
        .replace("g: int64, null", "g: references apiary, null")
        .replace("check small (a < 9)", "check small (a < 9)\n    check more (c > 0)\n    check less (b <> 'x')");
    let sql = |provider: Provider, from: &str, to: &str| {
        let dialect = Dialect::of(provider).expect("it is one");
        let plan = plan(dialect, &schema(dialect, from), &schema(dialect, to), &Choices::default());
        write_plain(dialect, &plan)
    };
    let all = [Provider::Mariadb, Provider::Postgres].map(|one| [sql(one, from, &to), sql(one, &to, from)].join("\n"));
    insta::assert_snapshot!(all.join("\n"));
}

/// A reference that is made again checks every row of its table, and MariaDB writes them anew for it.
#[test]
fn a_reference_stays_while_another_key_takes_over() {
    #[track_caller]
    fn case(from: &str, to: &str, expected: &[&str]) {
        let schema = |keys: &str| {
            format!(
                "table site {{\n    id: int64, primary key\n}}\ntable hive {{\n    id: int64, primary key\n    \
                 site_id: references site\n    code: text(9)\n    {keys}\n}}\n"
            )
        };
        assert_eq!(titles(Provider::Mariadb, &schema(from), &schema(to)), expected);
    }
    let (own, unique) = ("create index hive_site_id_fkey on hive", "add unique one to hive");
    case("", "unique one (site_id, code)", &[unique, "drop index hive_site_id_fkey"]);
    case("unique one (site_id, code)", "", &[own, "drop unique one of hive"]);
    case("unique one (site_id, code)", "unique one (code)", &[own, "drop unique one of hive", unique]);
    case("unique one (site_id)\n index two (site_id, code)", "index two (site_id, code)", &["drop unique one of hive"]);
    // Nothing can take over before the new column is there, or while the old key has the name.
    let again = ["drop foreign key hive_site_id_fkey of hive", "add foreign key hive_site_id_fkey to hive"];
    case(
        "",
        "size: int32\n unique one (site_id, size)",
        &[again[0], "drop index hive_site_id_fkey", "add column hive.size", "alter column hive.size", unique, again[1]],
    );
    case(
        "unique one (site_id, code)",
        "unique one (site_id)",
        &[again[0], "drop unique one of hive", unique, again[1]],
    );
}

/// A routine says its own name, which is not the view of that name; one that returns the view's rows comes behind it.
#[test]
fn a_view_that_is_called_as_a_routine_waits_for_its_table() {
    let case = |default: &str, returned: &str, expected: &[&str]| {
        let to = format!(
            "table hive {{\n    id: int64, primary key\n    kg: int32, default {default}\n}}\n\
             routine seen ```\ncreate function seen(a int) returns {returned} language sql as 'select null'\n``` drop ```\n\
             drop function seen(int)\n``` for postgres\nview seen ```\nselect id from hive\n``` for postgres\n"
        );
        assert_eq!(titles(Provider::Postgres, "", &to), expected, "{returned}");
    };
    case("(seen(2))", "int", &["create routine seen", "create table hive", "create view seen"]);
    case("0", "setof seen", &["create table hive", "create view seen", "create routine seen"]);
}

/// A view goes and comes back where what it reads changes its type, on PostgreSQL; elsewhere nobody misses it meanwhile.
#[test]
fn a_view_stays_where_nothing_that_it_reads_changes() {
    const BASE: &str = "enum temper { calm, wild }\ntable hive {\n    id: int64, primary key\n    kg: int32\n    \
                        size: int32\n    mood: temper\n    twice: int32, null, generated (kg * 2)\n}\n";
    #[track_caller]
    fn case(provider: Provider, view: &str, [old, new]: [&str; 2], expected: &[&str]) {
        let from = format!("{BASE}view seen ```\n{view}\n```\n");
        let to = from.replacen(old, new, 1);
        assert_eq!(titles(provider, &from, &to), expected, "{view}");
    }
    let heavier = ["kg: int32", "kg: int64"];
    let kg = "alter column hive.kg";
    let (gone, back) = ("drop view seen", "create view seen");
    case(Provider::Postgres, "select id, size from hive", ["kg: int32", "kg: int32, null"], &[kg]);
    case(
        Provider::Mariadb,
        "select id, kg from hive",
        heavier,
        &["drop column hive.twice", kg, "add column hive.twice"],
    );
    case(
        Provider::Postgres,
        "select id, size from hive",
        heavier,
        &["drop column hive.twice", kg, "add column hive.twice"],
    );
    for view in ["select id, kg from hive", "select id, twice from hive", "select hive.* from hive"] {
        case(Provider::Postgres, view, heavier, &[gone, "drop column hive.twice", kg, "add column hive.twice", back]);
    }
    let fewer = ["calm, wild", "calm"];
    case(Provider::Postgres, "select mood from hive", fewer, &[gone, "make enum temper anew", back]);
    case(Provider::Postgres, "select kg from hive", fewer, &["make enum temper anew"]);
    case(
        Provider::Postgres,
        "select mood from hive",
        ["calm, wild", "calm, wild, sad"],
        &["add word sad to enum temper"],
    );
    case(Provider::Mariadb, "select mood from hive", fewer, &["alter column hive.mood"]);
}

/// Whatever their names and namespaces; views of one name in two of them are two.
#[test]
fn what_is_read_is_made_first_and_dropped_last() {
    let base = "namespace far\ntable hive {\n    id: int64, primary key\n}\n";
    let views = "view a ```\nselect id from far.b\n```\nview far.a ```\nselect id from c\n```\n\
                 view far.b ```\nselect id from far.a\n```\nview c ```\nselect id from hive\n```\n\
                 view far.\"odd one\" ```\nselect id from a\n```\nview last ```\nselect id from far.\"odd one\"\n```\n";
    let names = ["c", "far.a", "far.b", "a", "far.odd one", "last"];
    let all = format!("{base}{views}");
    let made: Vec<String> = names.iter().map(|name| format!("create view {name}")).collect();
    assert_eq!(titles(Provider::Postgres, base, &all), made);
    let dropped: Vec<String> = names.iter().rev().map(|name| format!("drop view {name}")).collect();
    assert_eq!(titles(Provider::Postgres, &all, base), dropped);
}

/// The server makes the one of the other's name.
#[test]
fn an_index_method_that_went_is_the_one_in_its_place() {
    let of = |method: &str| {
        format!(
            "table hive {{\n    id: int64, primary key\n    spot: native \"point\"\n    index (spot) using {method}\n}} for postgres\n"
        )
    };
    assert_eq!(titles(Provider::Postgres, &of("rtree"), &of("gist")), Vec::<String>::new());
    assert_eq!(titles(Provider::Postgres, &of("rtree"), &of("spgist")).len(), 2);
}

/// A column's new name is nothing to a view that neither says it nor reads all there is.
#[test]
fn a_view_stays_where_a_column_that_it_does_not_read_is_renamed() {
    let renames = Renames {
        columns: [("hive".to_owned(), [("kg".to_owned(), "weight".to_owned())].into())].into(),
        ..Renames::default()
    };
    let choices = Choices { renames, ..Choices::default() };
    for provider in [Provider::Sqlite, Provider::Postgres, Provider::Mariadb] {
        for (view, stays) in [("select id from hive", true), ("select * from hive", false)] {
            let dialect = Dialect::of(provider).expect("it is one");
            let [from, to] = ["kg", "weight"].map(|name| {
                let table = format!("table hive {{\n    id: int64, primary key\n    {name}: int32\n}}\n");
                schema(dialect, &format!("{table}view seen ```\n{view}\n```\n"))
            });
            let plan = plan(dialect, &from, &to, &choices);
            let titles: Vec<_> = plan.steps.iter().map(|planned| planned.step.title()).collect();
            let rename = "rename column hive.kg to weight";
            match stays {
                true => assert_eq!(titles, [rename], "{view} on {provider}"),
                false => assert_eq!(titles, ["drop view seen", rename, "create view seen"], "{view} on {provider}"),
            }
        }
    }
}

/// Whatever looks at a column that gets values may refuse them: by way of what is computed from it, too.
#[test]
fn what_a_key_sees_of_a_fill_is_a_risk() {
    let fill = (("hive".to_owned(), "code".to_owned()), Values::Fill("'H'".to_owned()));
    let choices = Choices { values: [fill].into(), ..Choices::default() };
    let computed = "low: text(9), null, generated (lower(code))";
    for provider in [Provider::Sqlite, Provider::Postgres, Provider::Mariadb] {
        for (item, is_feared) in [
            ("index (code)", false),
            ("check (id > 0)", false),
            ("unique (code)", true),
            ("check (code <> 'H')", true),
            ("unique (low)", true),
            ("unique index first (id) where (code is null)", true),
            ("exclude using gist (id with =)", false),
            ("exclude using gist (code with =)", true),
            ("exclude only using gist (id with =, low with =) where (id > 0)", true),
            ("exclude using gist (id with =) where (code <> 'H')", true),
        ] {
            let only = match item {
                _ if item.starts_with("exclude") => provider == Provider::Postgres,
                _ => provider != Provider::Mariadb || !item.contains("where"),
            };
            if !only {
                continue;
            }
            let dialect = Dialect::of(provider).expect("it is one");
            let [from, to] = ["text(9), null", "text(9)"].map(|code| {
                let columns = format!("    id: int32, primary key\n    code: {code}\n    {computed}\n");
                schema(dialect, &format!("table hive {{\n{columns}    {item}\n}}\n"))
            });
            let plan = plan(dialect, &from, &to, &choices);
            let mut risks = plan.steps.iter().flat_map(|planned| &planned.risks);
            let feared = "fails if a new value of hive.code does not meet the keys and checks of hive";
            assert_eq!(risks.any(|risk| risk.what == feared), is_feared, "{item} on {provider}");
        }
    }
}

/// What cannot happen is not feared.
#[test]
fn only_what_rows_can_fail_at_is_a_risk() {
    #[track_caller]
    fn case(provider: Provider, [old, new]: [&str; 2], expected: &[&str]) {
        let base = "table site {\n    id: int64, primary key\n}\ntable hive {\n    id: int32, primary key\n    \
                    site_id: references site\n    code: text(9)\n    label: text(9), unique\n    kg: int32\n    \
                    check heavy (kg > 1)\n}\n";
        assert!(base.contains(old), "{old}");
        let dialect = Dialect::of(provider).expect("it is one");
        let [from, to] = [base.to_owned(), base.replacen(old, new, 1)].map(|text| schema(dialect, &text));
        let plan = plan(dialect, &from, &to, &Choices::default());
        let risks =
            plan.steps.iter().flat_map(|planned| &planned.risks).filter(|risk| risk.kind == RiskKind::MayRefuse);
        assert_eq!(risks.map(|risk| risk.what.as_str()).collect::<Vec<_>>(), expected, "{new}");
    }
    for provider in [Provider::Postgres, Provider::Mariadb] {
        case(provider, ["code: text(9)", "code: text(20)"], &[]);
        case(provider, ["label: text(9)", "label: text(20)"], &[]);
        case(provider, ["id: int32", "id: int64"], &[]);
        case(provider, ["code: text(9)", "code: text(9)\n    mail: text(20), null, unique"], &[]);
        case(provider, ["code: text(9)", "code: text(9)\n    other_id: references site, null"], &[]);
        case(
            provider,
            ["code: text(9)", "code: text(9)\n    other_id: references site, default 1"],
            &["fails if other_id of a row of hive is not in site"],
        );
        case(provider, ["code: text(9)", "code: text(9), unique"], &["fails if two rows of hive have the same code"]);
    }
    case(Provider::Postgres, ["kg: int32", "kg: int64"], &[]);
    case(Provider::Postgres, ["references site", "references site, on delete cascade"], &[]);
    // Others can write in between.
    case(
        Provider::Mariadb,
        ["references site", "references site, on delete cascade"],
        &["fails if site_id of a row of hive is not in site"],
    );
}
