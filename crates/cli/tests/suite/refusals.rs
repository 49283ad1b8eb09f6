//! What apply and revert refuse, in words that tell the way out.

use crate::support::{HIVES, Project};

fn two_migrations() -> Project {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("code:       text(12)", "code:       text(12)\n    note:       text, null"));
    project.migrate("notes");
    project
}

#[test]
fn a_script_that_was_edited_after_it_was_applied() {
    let project = two_migrations();
    let up = "migrations/0001-first/sqlite.up.sql";
    project.write(up, &project.read(up).replace("VARCHAR(120)", "VARCHAR(121)"));
    insta::assert_snapshot!(project.answers(&[
        &["apply", "--yes"],
        &["status", "--exit-code"],
        &["apply", "--despite", "edited"]
    ]));
}

#[test]
fn line_ends_are_no_edit() {
    let project = two_migrations();
    let up = "migrations/0001-first/sqlite.up.sql";
    project.write(up, &project.read(up).replace('\n', "\r\n"));
    assert!(project.ok(&["status", "--exit-code"]).starts_with("up to date"));
}

#[test]
fn a_fork() {
    let project = two_migrations();
    let record = project.read("migrations/0002-notes/record.toml");
    let folder = "migrations/0002-other";
    for name in ["schema.oak", "sqlite.up.sql", "sqlite.down.sql"] {
        project.write(&format!("{folder}/{name}"), &project.read(&format!("migrations/0002-notes/{name}")));
    }
    let id = record.lines().find_map(|line| line.strip_prefix("id = ")).expect("a record has an id");
    project.write(&format!("{folder}/record.toml"), &record.replace(id, "\"another-id\""));
    insta::assert_snapshot!(project.answers(&[
        &["apply", "--yes"],
        &["check"],
        &["status"],
        &["draft", "x"],
        &["review", "2"]
    ]));
}

#[test]
fn a_missing_ancestor_and_a_migration_that_the_folder_does_not_have() {
    let project = two_migrations();
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null"));
    project.ok(&["draft", "third"]);
    std::fs::rename(project.file("migrations/0002-notes"), project.file("elsewhere")).expect("it can be moved");
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"], &["status"]]));
    std::fs::remove_dir_all(project.file("migrations/0003-third")).expect("it can be removed");
    insta::assert_snapshot!(project.answers(&[
        &["apply", "--yes"],
        &["revert", "--yes"],
        &["revert", "--yes", "--despite", "unknown"],
        &["status"],
    ]));
}

#[test]
fn drift() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null"));
    project.ok(&["draft", "second"]);
    project.sql("alter table hive add column colour TEXT; drop index heavy");
    insta::assert_snapshot!(project.answers(&[
        &["apply", "--yes"],
        &["status", "--exit-code"],
        &["diff", "live", "declared"],
        &["apply", "--yes", "--despite", "drift"],
    ]));
}

#[test]
fn an_override_is_in_the_journal() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null"));
    project.ok(&["draft", "second"]);
    let up = "migrations/0001-first/sqlite.up.sql";
    project.write(up, &(project.read(up) + "\n"));
    let answer = project.oak(&["apply", "--yes", "--despite", "edited"]);
    assert_eq!(answer.status, 0, "{answer}");
    assert_eq!(
        project.query("select event, overrides from hollow_oak_journal order by seq"),
        ["applied|null", "applied|edited"]
    );
}

#[test]
fn a_table_in_the_way() {
    let project = Project::new(HIVES);
    project.sql("create table Hive (x)");
    project.ok(&["draft", "first"]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
}

#[test]
fn an_empty_or_wrong_migrations_folder_is_said() {
    let project = two_migrations();
    let config = crate::support::CONFIG
        .replace("[targets.dev]", "migrations = \"migratoins\"\n\n[targets.dev]")
        .replace("default_target = \"dev\"\n\nmigrations", "default_target = \"dev\"\nmigrations");
    project.write("hollow-oak.toml", &config);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"], &["status"]]));
}

#[test]
fn a_target_that_is_past_the_wanted_migration() {
    let project = two_migrations();
    insta::assert_snapshot!(project.answers(&[
        &["apply", "--to", "1", "--yes"],
        &["apply", "--to", "notse", "--yes"],
        &["revert", "--to", "2", "--yes"],
        &["revert", "--steps", "3", "--yes"],
        &["discard"],
    ]));
}

#[test]
fn rows_that_do_not_meet_the_new_rule() {
    let project = Project::applied(HIVES);
    project.sql("insert into keeper (name, phone) values ('Maren Oakhollow', '1')");
    project.declare(&HIVES.replace("email:      text(254), null", "email:      text(254)"));
    project.ok(&["draft", "email is required"]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"], &["apply", "--yes", "--despite", "rows"]]));
    assert_eq!(project.query("select name, email from keeper"), ["Maren Oakhollow|null"]);
    assert_eq!(project.query("pragma integrity_check"), ["ok"]);
}

#[test]
fn a_newer_journal_and_another_file() {
    let project = two_migrations();
    project.sql("update hollow_oak_journal set format = 2 where seq = 2");
    insta::assert_snapshot!(project.answers(&[&["status"]]));
    project.write(
        "brackenfold.db",
        "this is no database, it is a text of more than a hundred bytes, which is what a header would need to be",
    );
    insta::assert_snapshot!(project.answers(&[&["status"], &["apply", "--yes"]]));
}

/// What SQLite cannot read of its own file is no matter of rights.
#[test]
fn a_damaged_file() {
    let project = two_migrations();
    project.sql("pragma writable_schema = on; update sqlite_schema set sql = 'create tabel hive' where name = 'hive'");
    let refused = project.oak(&["status"]);
    assert!(refused.status == 1 && refused.stderr.contains("malformed database schema"), "{refused:#?}");
    assert!(refused.stderr.contains("help: the file is damaged"), "{refused:#?}");
}

#[test]
fn a_lock_held_by_another_program() {
    let project = Project::new(HIVES);
    project.write("hollow-oak.toml", &format!("{}lock_wait = \"200ms\"\n", crate::support::CONFIG));
    project.ok(&["draft", "first"]);
    let other = project.database();
    other.execute_batch("begin immediate").expect("the lock is free");
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
}
