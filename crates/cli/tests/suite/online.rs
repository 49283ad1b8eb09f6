//! `--online` on PostgreSQL: indexes are built beside others, constraints are checked once they hold for new rows.

use crate::support::REVERT_ALL;
use crate::support::stage::Stage;
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{shared, wanted};

const BEFORE: &str = "table keeper {
    id:    int64, identity
    name:  text(80)

    primary key (id)
}

table hive {
    id:         int64
    keeper_id:  int64, null
    code:       text(12)
    kg:         decimal(6, 2), null
    note:       text, null

    primary key (id)
    index by_code (code)
}
";

/// Two migrations, the second of which would keep others waiting.
fn prepared() -> Option<Stage<'static>> {
    if !wanted(Provider::Postgres) {
        return None;
    }
    let here = Stage::on(shared(Provider::Postgres), BEFORE);
    here.project.migrate("first");
    here.sql("insert into keeper (name) values ('Maren Oakhollow')");
    here.sql("insert into hive (id, keeper_id, code, note) values (1, 1, 'a', ''), (2, 1, 'b', '')");
    let after = BEFORE
        .replace("index by_code (code)", "index by_code (code desc)")
        .replace("keeper_id:  int64, null", "keeper_id:  references keeper, null, indexed")
        .replace("note:       text, null", "note:       text")
        .replace("null\n    note", "null, check (kg < 100)\n    note")
        .replace(
            "note:       text\n\n    primary key (id)",
            "note:       text\n\n    primary key (id)\n    unique (code)",
        );
    here.project.declare(&after);
    here.project.draft("second", &["--online"]);
    Some(here)
}

const INVALID: &str = "select indexrelid::regclass::text from pg_index where not indisvalid";

#[test]
fn nobody_waits_for_as_long_as_a_table_takes() {
    let Some(here) = prepared() else { return };
    insta::assert_snapshot!(here.project.read("migrations/0002-second/postgres.up.sql"));
    let review = here.project.ok(&["review", "--json"]);
    assert!(!review.contains("blocks-") && !review.contains("rewrites-"), "{review}");
    here.project.ok(&["apply", "--yes"]);
    assert!(here.project.ok(&["status"]).starts_with("up to date"));
    assert_eq!(here.query(INVALID), Vec::<String>::new());
    here.project.ok(&["revert", "--yes"]);
    assert!(here.project.ok(&["diff", "live", "history@1"]).contains("no difference"));
    // Drawn up anew it stays so.
    here.project.ok(&["redraft"]);
    assert!(here.project.read("migrations/0002-second/postgres.up.sql").contains(" concurrently "));
}

#[test]
fn an_index_that_rows_refuse_leaves_nothing_and_is_built_once_they_are_mended() {
    let Some(here) = prepared() else { return };
    here.sql("insert into hive (id, keeper_id, code, note) values (3, 1, 'a', '')");
    let refused = here.project.oak(&["apply", "--yes", "--despite", "rows"]);
    assert!(refused.status == 1 && refused.stderr.contains("is duplicated"), "{refused:#?}");
    assert_eq!(here.query(INVALID), Vec::<String>::new());
    here.sql("update hive set code = 'c' where id = 3");
    here.project.ok(&["apply", "--yes"]);
    assert!(here.project.ok(&["status"]).starts_with("up to date"));
}

#[test]
fn it_goes_on_wherever_it_was_killed() {
    let mut inside = 0;
    for (arguments, up) in [(["apply", "--yes"].as_slice(), true), (REVERT_ALL, false)] {
        for boundary in 1.. {
            let Some(here) = prepared() else { return };
            if !up {
                here.project.ok(&["apply", "--yes"]);
            }
            if !here.project.is_killed_at(boundary, arguments) {
                break;
            }
            let status: serde_json::Value =
                serde_json::from_str(&here.project.ok(&["status", "--json"])).expect("it is JSON");
            inside += usize::from(!status["interrupted"].is_null());
            here.project.ok(arguments);
            here.project.ok(&["apply", "--yes"]);
            assert!(here.project.ok(&["status"]).starts_with("up to date"));
            assert_eq!(here.query(INVALID), Vec::<String>::new());
        }
    }
    assert!(inside > 8, "{inside}");
}

#[test]
fn it_is_undone_wherever_it_was_killed() {
    for boundary in 1.. {
        let Some(here) = prepared() else { return };
        if !here.project.is_killed_at(boundary, &["apply", "--yes"]) {
            assert!(boundary > 10, "{boundary}");
            break;
        }
        let status = here.project.ok(&["status", "--json"]);
        if status.contains("\"interrupted\": {") {
            here.project.ok(&["revert", "--yes"]);
        }
        let status = here.project.ok(&["status"]);
        assert!(
            status.starts_with("1 migration to apply; dev is at 0001-first") || boundary > 10,
            "{boundary}: {status}"
        );
        here.project.ok(&["apply", "--yes"]);
        assert!(here.project.ok(&["status"]).starts_with("up to date"));
    }
}

/// As it is where the session ended while an index was being built.
#[test]
fn what_is_left_of_an_index_is_dropped_and_it_is_built() {
    let Some(here) = prepared() else { return };
    here.sql("insert into hive (id, keeper_id, code, note) values (3, 1, 'a', '')");
    assert_eq!(here.project.oak(&["apply", "--yes", "--despite", "rows"]).status, 1);
    let building = "create unique index concurrently hive_code_key on hive (code)";
    here.store().execute(building).expect_err("two rows have the same code");
    assert_eq!(here.query(INVALID), ["hive_code_key"]);
    here.sql("delete from hive where id = 3");
    here.project.ok(&["apply", "--yes"]);
    assert_eq!(here.query(INVALID), Vec::<String>::new());
    assert!(here.project.ok(&["status"]).starts_with("up to date"));
}

#[test]
fn elsewhere_it_is_refused_with_the_reason() {
    let project = crate::support::Project::new(BEFORE);
    let refused = project.oak(&["draft", "first", "--online"]);
    assert!(refused.status == 2 && refused.stderr.contains("`--online` is for PostgreSQL"), "{refused:#?}");
    let refused = project.oak(&["draft", "first", "--unchecked-bodies"]);
    assert!(refused.status == 2 && refused.stderr.contains("`--unchecked-bodies` is for PostgreSQL"), "{refused:#?}");
}
