//! A target brought in line with the declarations, without a migration.

use crate::support::stage::{Stage, on_each_provider};

const FIRST: &str = "table hive {\n    id: int64, identity\n    code: text(12)\n    primary key (id)\n}\n\nrows hive by (id) {\n    id | code\n    1  | 'A-1'\n}\n";

const SECOND: &str = "table hive {\n    id: int64, identity\n    label: text(20), formerly code\n    kg: int32, null\n    primary key (id)\n    index (label)\n}\n\nview heavy ```\n    select id from hive where kg > 40\n```\n";

#[test]
fn the_declarations_are_brought_to_the_target_and_then_nothing_is_to_do() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, FIRST);
        let answer = here.project.ok(&["sync", "--yes"]);
        assert!(answer.contains("synced dev with the declarations"), "{answer}");
        here.assert_same("live", "declared");
        assert_eq!(here.query("select code from hive"), ["A-1"]);
        assert!(here.project.ok(&["sync"]).starts_with("up to date: dev is as declared"));
        here.sql("create table mine (a int)");

        here.project.declare(SECOND);
        let json = here.project.ok(&["sync", "--dry-run", "--json"]);
        let json: serde_json::Value = serde_json::from_str(&json).expect("it is JSON and nothing else");
        assert!(json["sql"].as_str().is_some_and(|sql| sql.contains("rename")), "{json}");
        let shown = here.project.ok(&["sync", "--dry-run"]);
        assert!(shown.contains("rename") && !shown.contains("mine"), "{shown}");
        here.project.ok(&["sync", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select label from hive"), ["A-1"], "the rename keeps the row");
        let idle = here.project.ok(&["sync", "--yes"]);
        assert!(idle.contains("nothing to do") && idle.contains("table mine"), "{idle}");

        let refused = here.project.oak(&["sync", "--drop", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("this loses data"), "{refused:#?}");
        here.project.ok(&["sync", "--drop", "--accept", "loses-data", "--yes"]);
        assert!(here.project.ok(&["sync"]).starts_with("up to date:"));

        let status = here.project.ok(&["status"]);
        assert!(status.starts_with("no migrations; dev was last synced 20"), "{status}");
        assert!(status.contains("next: oak sync") && !status.contains("unmanaged"), "{status}");
        assert!(here.project.ok(&[]).contains("next: oak sync"));

        // A history starts from there.
        here.project.ok(&["draft", "first"]);
        let pending = here.project.oak(&["apply", "--yes"]);
        assert!(pending.status == 1 && pending.stderr.contains("already has a table hive"), "{pending:#?}");
        here.project.ok(&["mark", "applied", "1", "--because", "it was synced", "--yes"]);
        assert!(here.project.ok(&["status"]).starts_with("up to date:"));
        here.project.declare(FIRST);
        let refused = here.project.oak(&["sync", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("1 migration in its journal"), "{refused:#?}");
    });
}

#[test]
fn nothing_of_a_refused_sync_is_lost() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, FIRST);
        here.project.ok(&["sync", "--yes"]);
        here.sql(
            "insert into hive (id, code) values (7, 'long enough a code')"
                .replace("long enough a code", "twelve signs")
                .as_str(),
        );
        here.project.declare(
            &FIRST.replace("    primary key (id)\n", "    primary key (id)\n    check (code <> 'twelve signs')\n"),
        );
        let refused = here.project.oak(&["sync", "--yes"]);
        let says = "dev would refuse it: 1 of 2 rows of hive does not meet (code <> 'twelve signs')";
        assert!(refused.status == 1 && refused.stderr.contains(says), "{refused:#?}");
        assert!(refused.stdout.contains("counted on dev now"), "{refused:#?}");
        here.sql("delete from hive where id = 7");
        let synced: serde_json::Value =
            serde_json::from_str(&here.project.ok(&["sync", "--yes", "--json"])).expect("it is JSON");
        assert_eq!((&synced["counted"][0]["rows"], &synced["counted"][0]["of"]), (&0.into(), &1.into()), "{synced}");
        here.assert_same("live", "declared");
    });
}
