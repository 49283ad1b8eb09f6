//! The process is killed, at every statement boundary and at random moments; the next run finishes.

use std::time::{Duration, Instant};

use crate::support::{HIVES, Project, REVERT_ALL};

/// Three migrations: a create, a rebuild with a hand-made trigger and view around it, and own SQL.
fn prepared() -> Project {
    let project = Project::new(HIVES);
    project.ok(&["draft", "first"]);
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null\n    note:       text, null"));
    project.ok(&["draft", "second"]);
    project.ok(&["draft", "--empty", "third"]);
    let rows: Vec<_> = (0..300).map(|number| format!("('Keeper {number}', '{number}')")).collect();
    project.write(
        "migrations/0003-third/sqlite.up.sql",
        &format!("insert into keeper (name, phone) values {};\nupdate keeper set note = 'x';\n", rows.join(", ")),
    );
    project.write("migrations/0003-third/sqlite.down.sql", "delete from keeper;\n");
    project
}

/// The file opens and is whole, and is as after some whole number of migrations. Returns how many.
fn assert_whole(project: &Project) -> usize {
    assert_eq!(project.query("pragma integrity_check"), ["ok"]);
    assert_eq!(project.query("pragma foreign_key_check"), Vec::<String>::new());
    let status: serde_json::Value = serde_json::from_str(&project.ok(&["status", "--json"])).expect("status is JSON");
    assert_eq!(status["drift"].as_array().map(Vec::len), Some(0), "{status}");
    let states = status["migrations"].as_array().expect("there are migrations");
    let applied = states.iter().take_while(|one| one["state"] == "applied").count();
    assert!(states[applied..].iter().all(|one| one["state"] == "pending"), "{status}");
    let leftovers = "select name from sqlite_schema where name like 'oak_re%'";
    assert_eq!(project.query(leftovers), Vec::<String>::new());
    let rows: usize = match applied {
        0 => return 0,
        _ => project.query("select count(*) from keeper")[0].parse().expect("a count"),
    };
    assert_eq!(rows, if applied == 3 { 300 } else { 0 }, "{applied} migrations");
    applied
}

#[test]
fn killed_at_every_statement_boundary() {
    let mut kills = 0;
    let mut seen = std::collections::BTreeSet::new();
    for (arguments, finish) in [(["apply", "--yes"].as_slice(), 3), (REVERT_ALL, 0)] {
        for boundary in 1.. {
            let project = prepared();
            if finish == 0 {
                project.ok(&["apply", "--yes"]);
            }
            if !project.is_killed_at(boundary, arguments) {
                break;
            }
            kills += 1;
            seen.insert(assert_whole(&project));
            project.ok(arguments);
            assert_eq!(assert_whole(&project), finish);
            assert!(
                project
                    .ok(&["diff", "live", if finish == 3 { "declared" } else { "empty" }])
                    .starts_with("no difference")
            );
        }
    }
    println!("{kills} kills at statement boundaries; the target was found at {seen:?} migrations");
    assert!(kills > 40, "{kills} kills");
    assert_eq!(seen.len(), 4);
}

#[test]
fn killed_at_a_hundred_random_moments() {
    let mut inside = 0;
    let mut rng = fastrand::Rng::new();
    let template = prepared();
    let began = Instant::now();
    template.ok(&["apply", "--yes"]);
    let whole_run = began.elapsed();
    for round in 0..100 {
        let project = prepared();
        let up = round % 2 == 0;
        let arguments: &[&str] = if up { &["apply", "--yes"] } else { REVERT_ALL };
        if !up {
            project.ok(&["apply", "--yes"]);
        }
        let mut child = project.spawn(arguments, None);
        std::thread::sleep(Duration::from_micros(
            rng.u64(0..u64::try_from(whole_run.as_micros()).expect("it is short")),
        ));
        let ended = child.try_wait().expect("it can be asked").is_some();
        child.kill().expect("it can be killed");
        child.wait().expect("it is gone");
        if project.file("brackenfold.db").exists() {
            let applied = assert_whole(&project);
            inside += usize::from(!ended && applied > 0 && applied < 3);
        }
        project.ok(arguments);
        assert_eq!(assert_whole(&project), if up { 3 } else { 0 });
    }
    println!(
        "100 kills at random moments of {whole_run:?}; {inside} were found between the first and the last migration"
    );
}
