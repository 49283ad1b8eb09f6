//! SQL written by hand, in scripts of its own and between generated steps.

use crate::support::{HIVES, Project, REVERT};

const UP: &str = "--oak begin\nbegin immediate;\n\n\
--oak step 1: log every new hive | own | in transaction | own\n\
create table log (what text); -- nobody declares it\n\
create trigger hive_log after insert on hive begin\n  insert into log values ('new; hive');\n  update log set what = case when what is null then '' else what end;\nend;\n\
insert into keeper (name, phone) values ('Maren; Oakhollow', '--oak');\n\n\
--oak end\ncommit;\n";

const DOWN: &str = "--oak begin\nbegin immediate;\n\n\
--oak step 1: no log | own | in transaction | own\n\
drop trigger hive_log;\ndrop table log;\ndelete from keeper;\n\n\
--oak end\ncommit;\n";

fn with_own_sql(up: &str, down: &str) -> Project {
    let project = Project::applied(HIVES);
    project.ok(&["draft", "--empty", "hive log"]);
    project.write("migrations/0002-hive-log/sqlite.up.sql", up);
    project.write("migrations/0002-hive-log/sqlite.down.sql", down);
    project
}

#[test]
fn an_empty_migration_waits_for_own_sql() {
    let project = Project::applied(HIVES);
    insta::assert_snapshot!(project.answers(&[
        &["draft", "--empty", "hive log"],
        &["review"],
        &["apply", "--yes"],
        &["revert", "--yes"]
    ]));
    insta::assert_snapshot!(project.read("migrations/0002-hive-log/sqlite.up.sql"));
}

#[test]
fn own_sql_with_a_trigger_body_runs_and_reverts() {
    let project = with_own_sql(UP, DOWN);
    insta::assert_snapshot!(project.answers(&[&["review"], &["apply", "--yes"], &["status"]]));
    project.sql("insert into hive (keeper_id, code) values (1, 'A')");
    assert_eq!(project.query("select what from log"), ["new; hive"]);
    project.sql("delete from hive");
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query("select name from sqlite_schema where name in ('log', 'hive_log')"), Vec::<String>::new());
}

#[test]
fn steps_between_generated_ones_are_marked_and_run_in_their_places() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null\n    note:       text, null"));
    project.ok(&["draft", "notes"]);
    let up = "migrations/0002-notes/sqlite.up.sql";
    let own = "--oak step 2: say hello | own | in transaction | own\nupdate keeper set note = 'hello';\n\n--oak end";
    project.write(up, &project.read(up).replace("--oak end", own));
    project.sql("insert into keeper (name, phone) values ('Maren Oakhollow', '1')");
    insta::assert_snapshot!(project.answers(&[&["review"]]));
    project.ok(&["apply", "--yes"]);
    assert_eq!(project.query("select note from keeper"), ["hello"]);
    project.ok(REVERT);
}

#[test]
fn an_edited_step_is_shown_as_it_stands() {
    let project = Project::applied(HIVES);
    project.declare(&HIVES.replace("code:       text(12)", "code:       text(12)\n    note:       text, null"));
    project.ok(&["draft", "notes"]);
    let up = "migrations/0002-notes/sqlite.up.sql";
    project.write(up, &project.read(up).replace("add column note TEXT", "add column note TEXT /* by Maren */"));
    let review = project.ok(&["review"]);
    assert!(review.contains("(by hand)") && review.contains("Maren */"), "{review}");
    project.ok(&["apply", "--yes"]);
}

#[test]
fn what_own_sql_may_not_do_is_told_with_its_line() {
    #[track_caller]
    fn case(up: &str, expected: &str) {
        let project = with_own_sql(up, DOWN);
        let answer = project.oak(&["apply", "--yes"]);
        assert_eq!(answer.status, 1, "{answer}");
        assert!(answer.stderr.contains(expected), "{answer}");
        assert!(project.ok(&["status"]).contains("pending"));
        assert_eq!(project.query("select count(*) from sqlite_schema where name = 'log'"), ["0"]);
    }
    let step =
        |sql: &str| UP.replace("create table log (what text);", &format!("create table log (what text);\n{sql};"));
    case(&step("commit"), "sqlite.up.sql:6: `commit` would end or leave");
    case(
        &step("pragma foreign_keys = off"),
        "`pragma foreign_keys off` would end or leave".split(" off").next().unwrap_or_default(),
    );
    case(&(UP.to_owned() + "select 'not closed"), "a quote or comment that begins here is not closed");
    case(&step("alter table hive add column extra text"), "hive: drop column extra: text, null");
    case("drop table hive;", "the outcome is not what its schema.oak says");
    case(&step("selec 1"), "SQLite says: near \"selec\": syntax error");
    case(&step("insert into keeper (name) values ('x')"), "NOT NULL constraint failed");
    case(&UP.replace("| in transaction |", "| outside transaction |"), "outside the transaction is not possible");
    case(&UP.replace("--oak end", "--oak stop"), "`--oak stop` is not a line that oak knows");
}

#[test]
fn own_sql_that_takes_a_trigger_along_has_to_name_it() {
    let project = with_own_sql(
        "create table other (what text);\ncreate table spare as select * from keeper;\ndrop table keeper;\n",
        DOWN,
    );
    project.sql("create trigger keeper_watch after insert on keeper begin select 1; end");
    let answer = project.oak(&["apply", "--yes"]);
    assert_eq!(answer.status, 1, "{answer}");
    assert_eq!(project.query("select name from sqlite_schema where type = 'trigger'"), ["keeper_watch"]);
}

#[test]
fn a_down_script_that_does_not_undo_is_pointed_out() {
    let project = with_own_sql(UP, "--oak step 1: nothing | own | in transaction | own\n");
    assert!(project.ok(&["review"]).contains("the up script holds SQL written by hand, the down script none"));
}

#[test]
fn discarding_own_sql_is_asked() {
    let project = with_own_sql(UP, DOWN);
    let answer = project.oak(&["discard"]);
    assert_eq!((answer.status, answer.stdout.as_str()), (2, ""));
    assert!(answer.stderr.contains("`--yes` answers the question"), "{answer}");
    project.ok(&["discard", "--yes"]);
    assert_eq!(project.newest(), "0001-first");
}
