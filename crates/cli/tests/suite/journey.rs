//! From an empty folder through every command, as a new user goes.

use crate::support::{HIVES, Project, REVERT_ALL};

#[test]
fn an_empty_folder_becomes_a_project_that_works_unchanged() {
    let project = Project::empty();
    let folder = project.file("brackenfold");
    std::fs::create_dir(&folder).expect("the folder can be made");
    let mut text = String::new();
    for arguments in [
        &[][..],
        &["init"],
        &["init"],
        &[],
        &["check"],
        &["format", "--check"],
        &["diff"],
        &["draft", "First members"],
        &["draft", "again"],
        &[],
        &["apply"],
        &["apply", "--dry-run"],
        &["apply", "--yes"],
        &["apply", "--yes"],
        &["diff", "live", "declared", "--exit-code"],
        &[],
        &["status"],
        &["show"],
        &["show", "member", "--rows", "3"],
        &["discard"],
        &["revert", "--yes"],
        &["revert", "--yes"],
        &["discard"],
        &["status"],
    ] {
        let mut command = project.command(arguments);
        command.current_dir(&folder);
        let answer = Project::answer(command);
        text.push_str(&format!("$ oak {}\n{}\n", arguments.join(" "), project.blotted(&answer.to_string())));
    }
    insta::assert_snapshot!(text);
}

#[test]
fn a_second_migration_holds_only_what_changed() {
    let project = Project::applied(HIVES);
    project.sql("insert into keeper (name, phone) values ('Maren Oakhollow', '1'), ('Tobias Fennick', '2'); insert into hive (keeper_id, code) values (1, 'A'), (2, 'B')");
    project.declare(
        &HIVES
            .replace("phone:      text(32)", "phone:      text(32), null\n    joined_on:  date, null")
            .replace("code:       text(12)", "code:       text(20)\n    note:       text, null"),
    );
    insta::assert_snapshot!(project.answers(&[
        &["diff"],
        &["draft", "Phone becomes optional"],
        &["review"],
        &["apply", "--yes"],
        &["show", "keeper", "--rows", "5"],
        &["revert", "--yes"],
        &["show", "hive", "--rows", "5"],
        &["apply", "--yes"],
        &["revert", "--to", "empty", "--yes"],
        REVERT_ALL,
        &["apply", "--to", "1", "--yes"],
        &["status"],
    ]));
}

#[test]
fn a_narrow_terminal_gets_up_above_down() {
    let project = Project::applied(HIVES);
    let mut command = project.command(&["review", "first"]);
    command.env("COLUMNS", "60");
    insta::assert_snapshot!(Project::answer(command).to_string());
}

#[test]
fn drafting_needs_no_database_and_gives_the_same_bytes() {
    let one = Project::new(HIVES);
    let other = Project::new(HIVES);
    for project in [&one, &other] {
        project.write("hollow-oak.toml", "[project]\nname = \"brackenfold\"\n");
        project.ok(&["draft", "first"]);
    }
    for name in ["schema.oak", "sqlite.up.sql", "sqlite.down.sql"] {
        let path = format!("migrations/0001-first/{name}");
        assert_eq!(one.read(&path), other.read(&path));
    }
    let record = |project: &Project| {
        let text = project.read("migrations/0001-first/record.toml");
        let stays = |line: &&str| !line.starts_with("id = ") && !line.starts_with("drafted_at = ");
        text.lines().filter(stays).collect::<Vec<_>>().join("\n")
    };
    assert_eq!(record(&one), record(&other));
}

#[test]
fn after_a_discard_the_numbers_go_on_as_if_it_had_never_been() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("    phone:      text(32)\n", ""));
    project.ok(&["draft", "no phone"]);
    assert_eq!(project.newest(), "0002-no-phone");
    project.ok(&["discard"]);
    project.ok(&["draft", "without phone"]);
    assert_eq!(project.newest(), "0002-without-phone");
}

#[test]
fn json_is_one_document_and_nothing_else() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("null, unique", "unique"));
    for arguments in [
        &[][..],
        &["check"],
        &["format"],
        &["diff"],
        &["diff", "live", "empty"],
        &["draft", "second"],
        &["review"],
        &["status"],
        &["apply", "--dry-run"],
        &["apply", "--yes"],
        &["revert", "--dry-run"],
        &["revert", "--yes"],
        &["discard"],
        &["show"],
        &["show", "hive", "--rows", "1"],
        &["doctor"],
    ] {
        let mut with_json = arguments.to_vec();
        with_json.push("--json");
        let answer = project.oak(&with_json);
        assert_eq!((answer.status, answer.stderr.as_str()), (0, ""), "{arguments:?}: {}", answer.stdout);
        let parsed: Result<serde_json::Value, _> = serde_json::from_str(&answer.stdout);
        assert!(parsed.is_ok_and(|value| value.is_object()), "{arguments:?}: {}", answer.stdout);
    }
}

#[test]
fn help_version_and_completions_are_answers() {
    let project = Project::empty();
    // Said at once, and by way of all arguments, it is the same.
    let version = project.ok(&["--version"]);
    assert!(version.starts_with("oak ") && version == project.ok(&["--no-color", "--version"]));
    insta::assert_snapshot!(project.ok(&["--help"]));
    assert!(project.ok(&["completions", "bash"]).contains("_oak"));
    assert!(project.ok(&["manual"]).contains(".TH oak"));
    let answer = project.oak(&["aply"]);
    assert_eq!((answer.status, answer.stdout.as_str()), (2, ""));
    assert!(answer.stderr.contains("apply"), "{}", answer.stderr);
}

#[test]
fn a_closed_pipe_is_no_failure() {
    let project = Project::applied(HIVES);
    let mut command = project.command(&["show"]);
    command.stdout(std::process::Stdio::piped()).stderr(std::process::Stdio::piped());
    let mut child = command.spawn().expect("oak can be run");
    drop(child.stdout.take());
    let output = child.wait_with_output().expect("oak ends");
    assert_eq!((output.status.code(), String::from_utf8_lossy(&output.stderr).as_ref()), (Some(0), ""));
}

#[test]
fn a_table_that_goes_is_noticed_though_the_rest_of_the_file_is_the_same() {
    let project = Project::applied(HIVES);
    let at = HIVES.find("table hive").expect("there is a table hive");
    let keeper_alone = HIVES[..at].replace("enum temper { calm, watchful, 'easily upset' }\n\n", "");
    project.declare(&keeper_alone);
    assert!(project.ok(&["draft", "no hives"]).starts_with("drafted 0002-no-hives: 1 step up"));
    assert!(project.ok(&["draft", "again"]).starts_with("up to date"));
    project.declare("");
    assert!(project.ok(&["draft", "nothing"]).starts_with("drafted 0003-nothing: 1 step up"));
    assert!(project.ok(&["draft", "again"]).starts_with("up to date"));
}

#[test]
fn the_demo_plays_to_its_end_and_leaves_a_project_in_order() {
    let project = Project::empty();
    let story = project.ok(&["demo", "--keep", "brackenfold"]);
    assert!(story.contains("the end: that was the journey"), "{story}");
    for (arguments, expected) in [
        (&["format", "--check"][..], "nothing to do"),
        (&["check"], "no errors"),
        (&["status", "--exit-code"], "up to date"),
        (&["diff", "live", "declared"], "no difference"),
    ] {
        let mut command = project.command(arguments);
        command.current_dir(project.file("brackenfold"));
        let answer = Project::answer(command);
        assert!(answer.status == 0 && answer.stdout.starts_with(expected), "{arguments:?}: {answer}");
    }
    let answer = project.oak(&["demo", "--keep", "brackenfold"]);
    assert_eq!((answer.status, answer.stdout.as_str()), (2, ""));
}
