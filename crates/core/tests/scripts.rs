//! The scripts that differences become, as text.

use hollow_oak_core::language::{Source, resolve};
use hollow_oak_core::physical::Schema;
use hollow_oak_core::plan::{Choices, plan};
use hollow_oak_core::script::{Direction, write};
use hollow_oak_core::{Dialect, physical};

#[track_caller]
fn schema(text: &str) -> Schema {
    let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
    let schema = resolution.schema.unwrap_or_else(|| panic!("{:?}", resolution.diagnostics));
    Dialect::Sqlite.lower(&schema).expect("SQLite can store it").schema
}

/// Up and down script from one schema to another.
#[track_caller]
fn scripts(from: &str, to: &str) -> String {
    let (from, to) = (schema(from), schema(to));
    let up =
        write(Dialect::Sqlite, "0002-next", Direction::Up, &plan(Dialect::Sqlite, &from, &to, &Choices::default()));
    let down =
        write(Dialect::Sqlite, "0002-next", Direction::Down, &plan(Dialect::Sqlite, &to, &from, &Choices::default()));
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
    assert_eq!(schema(HIVE), schema(&HIVE.replace("'calm'", "calm")));
    assert_eq!(plan(Dialect::Sqlite, &schema(HIVE), &schema(HIVE), &Choices::default()).steps, []);
    assert_eq!(schema(""), physical::Schema::default());
    insta::assert_snapshot!(scripts(HIVE, HIVE));
}
