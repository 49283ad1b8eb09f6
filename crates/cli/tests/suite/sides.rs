//! `oak diff` between any two sides.

use crate::support::{HIVES, Project};

fn two_steps() -> Project {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("code:       text(12)", "code:       text(12)\n    note:       text, null"));
    project.ok(&["draft", "notes"]);
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null"));
    project.write("elsewhere/only.oak", "table hive {\n    id: int64, identity\n    primary key (id)\n}\n");
    project
}

#[test]
fn any_two_sides_are_compared() {
    let project = two_steps();
    insta::assert_snapshot!(project.answers(&[
        &["diff"],
        &["diff", "history@1", "history"],
        &["diff", "live", "history"],
        &["diff", "live@dev", "declared"],
        &["diff", "empty", "history@first"],
        &["diff", "history", "elsewhere"],
        &["diff", "elsewhere/only.oak", "empty"],
        &["diff", "declared", "declared"],
        &["diff", "histroy"],
        &["diff", "history@9"],
        &["diff", "live@stage"],
        &["diff", "snapshot@monday"],
    ]));
}

#[test]
fn the_exit_code_tells_of_differences_where_asked() {
    let project = two_steps();
    assert_eq!(project.oak(&["diff", "--exit-code"]).status, 3);
    assert_eq!(project.oak(&["diff"]).status, 0);
    assert_eq!(project.oak(&["diff", "declared", "declared", "--exit-code"]).status, 0);
}

#[test]
fn json_has_every_difference() {
    let project = two_steps();
    insta::assert_snapshot!(project.ok(&["diff", "history@1", "declared", "--json"]));
}

#[test]
fn the_statements_turn_left_into_right() {
    let project = two_steps();
    for (left, right) in
        [("history@1", "declared"), ("declared", "history"), ("history", "empty"), ("empty", "elsewhere")]
    {
        let build = project.ok(&["diff", "empty", left, "--sql"]);
        let turn = project.ok(&["diff", left, right, "--sql"]);
        let file = project.file("scratch.db");
        let database = rusqlite::Connection::open(&file).expect("a file can be made");
        database.execute_batch(&build).unwrap_or_else(|error| panic!("{error}\n{build}"));
        database.execute_batch(&turn).unwrap_or_else(|error| panic!("{error}\n{turn}"));
        drop(database);
        project.write("hollow-oak.toml", &crate::support::CONFIG.replace("brackenfold.db", "scratch.db"));
        let answer = project.ok(&["diff", "live", right]);
        // What is on neither side is unmanaged, not a difference.
        assert!(answer.starts_with("no difference"), "{left} to {right}: {answer}");
        project.write("hollow-oak.toml", crate::support::CONFIG);
        std::fs::remove_file(file).expect("it can be removed");
    }
}

#[test]
fn an_empty_project_and_no_database() {
    let project = Project::new("");
    insta::assert_snapshot!(project.answers(&[
        &["check"],
        &["diff"],
        &["diff", "live", "declared"],
        &["draft", "nothing"],
        &["review"],
        &["status"],
        &["apply"],
        &["show"]
    ]));
    assert!(!project.file("brackenfold.db").exists());
}
