//! Rows of large tables get their values in lots, each committed by itself; what was interrupted goes on.

use std::time::{Duration, Instant};

use crate::support::stage::Stage;
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{PrivateServer, SERVERS, shared, wanted};

const DECLARED: &str = "\
table hive {
    id:    int64, identity
    code:  text(12)
    site:  text(40), null

    primary key (id)
}

table frame {
    hive_id:  int64
    slot:     text(8)
    note:     text, null, formerly remark

    primary key (hive_id, slot)
}
";

const ROWS: usize = 1_000;

/// A thousand rows, every tenth of which has its value already.
fn filled(server: &PrivateServer) -> Stage<'_> {
    let here = Stage::on(server, DECLARED);
    here.project.migrate("first");
    let hives: Vec<String> = (1..=ROWS)
        .map(|at| format!("('H{at}', {})", if at % 10 == 0 { "'Gorse Hill'".to_owned() } else { "null".into() }))
        .collect();
    here.sql(&format!("insert into hive (code, site) values {}", hives.join(", ")));
    let frames: Vec<String> = (1..=ROWS).map(|at| format!("({}, 'S{}', null)", at % 37, at)).collect();
    here.sql(&format!("insert into frame (hive_id, slot, note) values {}", frames.join(", ")));
    here
}

fn required(declared: &str) -> String {
    declared.replace("site:  text(40), null", "site:  text(40)").replace("note:     text, null", "note:     text")
}

fn on_each(test: impl Fn(&PrivateServer)) {
    for provider in SERVERS {
        if wanted(provider) {
            test(shared(provider));
        }
    }
}

#[test]
fn rows_are_filled_in_lots_along_any_key() {
    on_each(|server| {
        let here = filled(server);
        here.project.declare(&required(DECLARED));
        let drafted = here.project.ok(&[
            "draft",
            "sites",
            "--fill",
            "hive.site=(concat('near ', code))",
            "--fill",
            "frame.note=(concat(slot, (select count(*) from hive where hive.id < 3)))",
            "--batch",
            "64",
        ]);
        assert!(drafted.contains("fill hive.site, 64 rows at a time"), "{drafted}");
        assert!(here.project.read("migrations/0002-sites/record.toml").contains("batch = 64"));
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select count(*) from hive where site = 'Gorse Hill'"), ["100"]);
        assert_eq!(here.query("select count(*) from hive where site = concat('near ', code)"), ["900"]);
        assert_eq!(here.query("select count(*) from frame where note = concat(slot, '2')"), ["1000"]);
        if server.provider() == Provider::Postgres {
            // Every lot is a transaction of its own: 900 rows in lots of 64.
            assert_eq!(here.query("select count(distinct xmin::text) from hive where site <> 'Gorse Hill'"), ["15"]);
        }
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
        // What is drawn up again keeps the choice.
        here.project.declare(&required(DECLARED).replace("code:  text(12)", "code:  text(14)"));
        assert!(here.project.ok(&["redraft"]).contains("64 rows at a time"));
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
    });
}

#[test]
fn what_was_filled_before_a_refusal_stays_and_the_rest_follows() {
    on_each(|server| {
        let here = filled(server);
        here.sql("update hive set code = '' where id = 701");
        here.project.declare(&required(DECLARED).replace("note:     text,", "note:     text, null,"));
        // A text that is too long for one row.
        let long = "(case when code = '' then repeat('x', 99) else code end)";
        here.project.ok(&["draft", "sites", "--fill", &format!("hive.site={long}"), "--batch", "50"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert_eq!(refused.status, 1, "{refused}");
        assert!(refused.stderr.contains("the lots before this one are filled and stay so"), "{refused}");
        let done: usize = here.query("select count(*) from hive where site is not null")[0].parse().expect("a number");
        assert!(done > 500 && done < ROWS, "{done}");
        here.sql("update hive set code = 'H701' where id = 701");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select count(*) from hive where site is null"), ["0"]);
    });
}

#[test]
fn a_row_that_gets_nothing_is_passed_over() {
    on_each(|server| {
        let here = filled(server);
        let declared = required(DECLARED).replace("note:     text,", "note:     text, null,");
        here.project.declare(&declared);
        let some = "(case when id = 5 then null else 'Lower Heath' end)";
        here.project.ok(&["draft", "sites", "--fill", &format!("hive.site={some}"), "--batch", "100"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert!(
            refused.status == 1 && refused.stderr.contains("hive.site is required, and its expression gives 1 of"),
            "{refused}"
        );
        let refused = here.project.oak(&["apply", "--yes", "--despite", "rows"]);
        assert!(refused.status == 1 && refused.stderr.contains("site"), "{refused}");
        assert_eq!(here.query("select id from hive where site is null"), ["5"]);
        here.sql("update hive set site = 'Stillwater Meadow' where id = 5");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
    });
}

/// The value comes slowly, so that there is a middle.
fn slow(provider: Provider) -> &'static str {
    match provider {
        Provider::Postgres => "(case when pg_sleep(0.002) is null then 'no' else 'Lower Heath' end)",
        _ => "(if(sleep(0.002) = 0, 'Lower Heath', 'no'))",
    }
}

#[test]
fn lots_survive_the_end_of_client_and_server() {
    for provider in SERVERS {
        if !wanted(provider) {
            continue;
        }
        let mut server = PrivateServer::start(provider, true).unwrap_or_else(|error| panic!("{error}"));
        for crashes in [true, false] {
            let here = filled(&server);
            here.project.declare(&required(DECLARED).replace("note:     text,", "note:     text, null,"));
            let fill = format!("hive.site={}", slow(provider));
            here.project.ok(&["draft", "sites", "--fill", &fill, "--batch", "20"]);
            let mut child = here.project.spawn(&["apply", "--yes"], None);
            let began = Instant::now();
            let count = |here: &Stage<'_>| -> usize {
                here.query("select count(*) from hive where site = 'Lower Heath'")[0].parse().expect("a number")
            };
            while count(&here) < 100 {
                assert!(began.elapsed() < Duration::from_secs(30), "nothing is filled");
                std::thread::sleep(Duration::from_millis(10));
            }
            let Stage { project, database, .. } = here;
            if crashes {
                server.crash().unwrap_or_else(|error| panic!("{error}"));
            }
            child.kill().expect("it can be killed");
            child.wait().expect("it is gone");
            let here = Stage { project, server: Some(&server), database };
            let done = count(&here);
            assert!(done >= 100 && (!crashes || done < 900), "{done}");
            // Without its client the server may still be at it: then the next run waits.
            here.project.ends_well(&["apply", "--yes"]);
            here.assert_same("live", "declared");
            assert_eq!(count(&here), 900);
        }
    }
}

#[test]
fn lots_that_cannot_be_are_told() {
    let project = crate::support::Project::new(
        "table hive {\n    id:    int64, identity\n    site:  text, null\n    primary key (id)\n}\n\ntable log {\n    line:  text, null\n}\n",
    );
    project.ok(&["draft", "first"]);
    project.declare(
        "table hive {\n    id:    int64, identity\n    site:  text\n    primary key (id)\n}\n\ntable log {\n    line:  text\n}\n",
    );
    insta::assert_snapshot!(project.answers(&[
        &["draft", "second", "--batch", "10"],
        &["draft", "second", "--fill", "log.line='x'", "--batch", "10"],
        &["draft", "second", "--fill", "log.line='x'", "--batch", "0"],
    ]));
}
