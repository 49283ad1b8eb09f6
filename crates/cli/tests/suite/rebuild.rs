//! A disposable target made anew.

use crate::support::stage::{Stage, on_each_provider};

const DECLARED: &str = "table hive {\n    id: int64, identity\n    code: text(12)\n    primary key (id)\n}\n";

#[test]
fn only_what_is_disposable_is_made_anew_with_its_rows_for_development() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, DECLARED);
        here.project.migrate("first");
        here.sql("insert into hive (code) values ('old')");
        here.sql("create table mine (a int)");
        let refused = here.project.oak(&["rebuild", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("is not disposable"), "{refused:#?}");
        assert_eq!(here.query("select code from hive"), ["old"]);

        let config = here.project.read("hollow-oak.toml");
        let config = config.replace("[targets.dev]\n", "[targets.dev]\ndisposable = true\n");
        let config = config.replace("default_target", "dev_rows = [\"dev-rows.sql\"]\ndefault_target");
        here.project.write("hollow-oak.toml", &config);
        let missing = here.project.oak(&["rebuild", "--yes"]);
        assert!(missing.status == 1 && missing.stderr.contains("dev-rows.sql"), "{missing:#?}");
        assert_eq!(here.query("select code from hive"), ["old"], "nothing is dropped before the rows can be read");
        here.project.write(
            "dev-rows.sql",
            "insert into hive (code) values ('new');\ninsert into hive (code) values ('newer');\n",
        );
        here.project.declare(&DECLARED.replace("text(12)", "text(13)"));
        here.project.ok(&["draft", "longer"]);
        let answer = here.project.oak(&["rebuild", "--yes"]);
        assert_eq!(answer.status, 0, "{answer:#?}");
        assert!(answer.stdout.contains("drops 1 table of dev"), "{answer:#?}");
        assert_eq!(here.query("select code from hive order by id"), ["new", "newer"]);
        assert_eq!(here.query("select count(*) from mine"), ["0"], "what no migration made stays");
        let status = here.project.ok(&["status"]);
        assert!(status.starts_with("up to date: dev is at 0002-longer"), "{status}");
        here.project.ok(&["revert", "--yes"]);
    });
}
