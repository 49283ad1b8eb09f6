//! What goes wrong when a table is made anew on SQLite, each pitfall with its test.

use crate::support::{HIVES, Project};

/// The keepers' phone becomes optional: only a rebuild can do that.
fn optional_phone() -> String {
    HIVES.replace("phone:      text(32)", "phone:      text(32), null")
}

fn filled() -> Project {
    let project = Project::applied(HIVES);
    project.sql(
        "insert into keeper (name, phone) values ('Maren Oakhollow', '1'), ('Tobias Fennick', '2');
         insert into hive (keeper_id, code) values (1, 'A'), (1, 'B'), (2, 'C')",
    );
    project
}

#[test]
fn dropping_the_old_table_does_not_cascade_into_rows_that_reference_it() {
    let project = filled();
    project.declare(&optional_phone());
    project.migrate("optional phone");
    assert_eq!(project.query("select code from hive order by code"), ["A", "B", "C"]);
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query("select code from hive order by code"), ["A", "B", "C"]);
    assert_eq!(project.query("pragma foreign_key_check"), Vec::<String>::new());
}

#[test]
fn references_of_other_tables_still_mean_the_table() {
    let project = filled();
    project.declare(&optional_phone());
    project.migrate("optional phone");
    let refused = project
        .database()
        .execute_batch("pragma foreign_keys = on; insert into hive (keeper_id, code) values (99, 'X')");
    assert!(refused.is_err());
    let sql = project.query("select sql from sqlite_schema where name = 'hive'");
    assert!(sql[0].contains("references keeper (id)"), "{sql:?}");
}

#[test]
fn views_and_triggers_that_mention_the_table_survive() {
    let project = filled();
    project.sql(
        "create table log (what);
         create view keeper_phones as select name, phone from keeper;
         create view codes as select h.code, p.phone from hive h join keeper_phones p on true;
         create trigger keeper_log after update on keeper begin insert into log values (new.name); end;
         create trigger hive_log after insert on hive begin
             insert into log select case when phone is null then ';' else phone end from keeper where id = new.keeper_id; end;
         create trigger view_insert instead of insert on keeper_phones begin insert into keeper (name, phone) values (new.name, new.phone); end;",
    );
    let objects = "select type, name, sql from sqlite_schema where type in ('view', 'trigger') order by 1, 2";
    let before = project.query(objects);
    project.declare(&optional_phone());
    project.ok(&["draft", "optional phone"]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
    assert_eq!(project.query(objects), before);
    project.sql("update keeper set name = 'M' where id = 1; insert into hive (keeper_id, code) values (2, 'Z'); insert into keeper_phones values ('Ilse', '3')");
    assert_eq!(project.query("select what from log"), ["M", "2"]);
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query(objects), before);
    assert_eq!(project.query("select count(*) from codes"), ["12"]);
}

/// SQLite drops no column while a view reads something that is away: here a declared view on one that changes, in the SQL
/// that somebody takes to the database by hand.
#[test]
fn a_view_on_one_that_changes_is_not_in_the_way_of_a_column() {
    let names = |columns: &str| {
        format!(
            "view names ```\n    select {columns} from keeper\n```\n\nview first_names ```\n    select name from names\n```\n"
        )
    };
    let table = |phone: &str| {
        format!("table keeper {{\n    id: int64, identity\n    name: text\n{phone}    primary key (id)\n}}\n\n")
    };
    let project = Project::applied(&format!("{}{}", table("    phone: text, null\n"), names("name, phone")));
    project.declare(&format!("{}{}", table(""), names("name")));
    let sql = project.ok(&["diff", "live", "declared", "--sql"]);
    project.sql(&sql);
    assert_eq!(project.query("select * from first_names"), Vec::<String>::new());
    assert!(project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
}

/// SQLite renames nothing while a view or trigger reads something that is away.
#[test]
fn what_reads_a_view_that_is_away_meanwhile_is_not_in_the_way() {
    let project = filled();
    project.sql(
        "create table log (what);
         create view phones as select name, phone from keeper;
         create view names as select name from phones;
         create view all_names as select name from names;
         create trigger keep after insert on log begin update log set what = (select max(name) from names); end;",
    );
    let objects = "select type, name, sql from sqlite_schema where type in ('view', 'trigger') order by 1, 2";
    let before = project.query(objects);
    let renamed = |schema: &str| schema.replace("code:       text(12)", "label:      text(12), formerly code");
    let other = renamed(&optional_phone()).replace("(keeper_id, code)", "(keeper_id, label)");
    assert_ne!(other, optional_phone());
    project.declare(&other);
    project.migrate("label");
    assert_eq!(project.query(objects), before);
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query(objects), before);
    // The same where only letters change.
    project.ok(&["discard", "--yes"]);
    project.sql("drop trigger keep; drop view all_names; drop view names; drop view phones");
    let views = |column: &str| {
        format!(
            "\nview codes ```\n    select {column} from hive\n```\n\nview more ```\n    select {column} from codes\n```\n"
        )
    };
    project.declare(&(HIVES.to_owned() + &views("code")));
    project.migrate("views");
    let shouted = HIVES
        .replace("code:       text(12)", "\"CODE\":     text(12)")
        .replace("(keeper_id, code)", "(keeper_id, \"CODE\")");
    assert_ne!(shouted, HIVES);
    project.declare(&(shouted + &views("\"CODE\"")));
    project.migrate("letters");
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query("select code from more order by code"), ["A", "B", "C"]);
}

#[test]
fn a_view_that_is_broken_for_another_reason_is_not_in_the_way() {
    let project = filled();
    project.sql("create view broken as select lost from nowhere");
    project.declare(&optional_phone());
    project.migrate("optional phone");
    project.declare(
        &optional_phone()
            .replace("    name:       text(120)\n", "    name:       text(120)\n    note:       text, null\n"),
    );
    project.migrate("note");
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query("select name from sqlite_schema where type = 'view'"), ["broken"]);
}

#[test]
fn a_view_or_trigger_that_would_break_is_named_and_nothing_happens() {
    let project = filled();
    project.sql("create view phones as select phone from keeper");
    project.declare(&HIVES.replace("    phone:      text(32)\n", ""));
    project.draft("no phone", &[]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
    project.sql("drop view phones; create trigger watch after insert on hive begin update keeper set phone = '' where id = new.keeper_id; end");
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
    project.sql("drop trigger watch");
    project.ok(&["apply", "--yes"]);
}

#[test]
fn a_trigger_goes_with_its_table_only_after_it_was_said() {
    let project = filled();
    project.sql("create trigger gone after insert on hive begin select 1; end");
    let at = HIVES.find("table hive").expect("there is a table hive");
    project.declare(&HIVES[..at].replace("enum temper { calm, watchful, 'easily upset' }\n\n", ""));
    project.draft("no hives", &[]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
}

#[test]
fn the_highest_number_ever_given_goes_along() {
    let declarations = "table lot {\n    option \"autoincrement\" for sqlite\n    id: int64, identity\n    code: text(12)\n    primary key (id)\n}\n";
    let project = Project::applied(declarations);
    project.sql("insert into lot (code) values ('a'), ('b'), ('c'); delete from lot where id > 1");
    project.declare(&declarations.replace("text(12)", "text(12), null"));
    project.migrate("optional code");
    project.sql("insert into lot (code) values ('d')");
    assert_eq!(project.query("select id from lot"), ["1", "4"]);
    project.sql("delete from lot");
    project.ok(&["revert", "--yes"]);
    project.sql("insert into lot (code) values ('e')");
    assert_eq!(project.query("select id from lot"), ["5"]);
}

#[test]
fn a_difference_of_letter_case_goes_through_a_third_name() {
    let project = filled();
    project.declare(
        &HIVES
            .replace("table keeper", "table \"Keeper\"")
            .replace("references keeper", "references \"Keeper\"")
            .replace("    code: ", "    \"Code\": ")
            .replace(", code)", ", \"Code\")"),
    );
    project.ok(&["draft", "capitals"]);
    insta::assert_snapshot!(project.answers(&[&["review"], &["apply", "--yes"], &["diff", "live", "declared"]]));
    assert_eq!(project.query("select name from sqlite_schema where name like 'keeper'"), ["Keeper"]);
    assert_eq!(project.query("select name from pragma_table_info('hive') where name like 'code'"), ["Code"]);
    project.ok(&["revert", "--yes"]);
    assert_eq!(project.query("select count(*) from keeper join hive on keeper_id = keeper.id"), ["3"]);
}

#[test]
fn rows_that_already_reference_nothing_are_told_apart() {
    let project = filled();
    project.sql("pragma foreign_keys = off; insert into hive (keeper_id, code) values (77, 'lost')");
    project.declare(&optional_phone());
    project.ok(&["draft", "optional phone"]);
    insta::assert_snapshot!(project.answers(&[&["apply", "--yes"]]));
}

#[test]
fn several_changes_of_a_table_are_one_rebuild() {
    let project = filled();
    project.declare(
        &optional_phone()
            .replace("name:       text(120)", "name:       text(90), default 'nobody'")
            .replace("null, unique", "null"),
    );
    project.ok(&["draft", "much at once"]);
    let up = project.read("migrations/0002-much-at-once/sqlite.up.sql");
    assert_eq!(up.matches("create table").count(), 1, "{up}");
    project.ok(&["apply", "--yes"]);
    assert_eq!(project.query("select name from keeper order by id"), ["Maren Oakhollow", "Tobias Fennick"]);
}

#[test]
fn scripts_run_as_they_are_in_the_shell_of_the_database() {
    let project = filled();
    project.declare(&optional_phone());
    project.ok(&["draft", "optional phone"]);
    let shell = |file: &str| {
        let script = std::fs::File::open(project.file(file)).expect("the script is there");
        let output = std::process::Command::new("sqlite3")
            .args(["-bail", "brackenfold.db"])
            .current_dir(project.path())
            .stdin(script)
            .output()
            .expect("the sqlite3 shell is installed by `cargo xtask test`");
        assert!(output.status.success() && output.stderr.is_empty() && output.stdout.is_empty(), "{output:?}");
    };
    shell("migrations/0002-optional-phone/sqlite.up.sql");
    assert!(project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    shell("migrations/0002-optional-phone/sqlite.down.sql");
    assert!(project.ok(&["diff", "live", "history@1"]).starts_with("no difference"));
    assert_eq!(project.query("select count(*) from hive"), ["3"]);
}

#[test]
fn rows_of_a_table_without_any_column_in_common_stay_as_many() {
    let project = Project::applied("table note {\n    body: text\n}\n");
    project.sql("insert into note values ('a'), ('b')");
    project.declare("table note {\n    id: int64, identity\n    title: text, null\n    primary key (id)\n}\n");
    project.draft("anew", &["--no-rename", "note.body"]);
    project.ok(&["apply", "--yes"]);
    assert_eq!(project.query("select id, title from note"), ["1|null", "2|null"]);
}

#[test]
fn nothing_but_the_file_is_left_whatever_its_journal_mode() {
    for mode in ["delete", "wal"] {
        let project = Project::applied(HIVES);
        project.query(&format!("pragma journal_mode = {mode}"));
        project.declare(&optional_phone());
        project.ok(&["draft", "optional phone"]);
        project.draft("own", &["--empty"]);
        let own = format!("migrations/{}/sqlite.up.sql", project.newest());
        let script = project.read(&own);
        project.write(&own, &script.replace("commit;", "insert into nowhere values (1);\ncommit;"));
        let besides = || ["brackenfold.db-journal", "brackenfold.db-wal"].map(|name| project.file(name).exists());
        // The first migration is applied, the second one is refused.
        assert_eq!(project.oak(&["apply", "--yes"]).status, 1);
        assert_eq!(besides(), [false; 2], "{mode}");
        project.write(&own, &script);
        project.ok(&["apply", "--yes"]);
        assert_eq!(besides(), [false; 2], "{mode}");
        assert_eq!(project.query("pragma journal_mode"), [mode]);
    }
}
