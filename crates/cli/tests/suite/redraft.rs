//! Drawing the newest migration up anew: what a person wrote and decided stays.

use crate::support::Project;

const BEFORE: &str = "\
table keeper {
    id:    int64, identity
    name:  text(120)

    primary key (id)
}
";

fn with_own_sql() -> Project {
    let project = Project::applied(BEFORE);
    project.sql("insert into keeper (name) values ('maren')");
    let after = BEFORE
        .replace("    name:  text(120)\n", "    full_name:  text(120), formerly name\n    phone: text(20), null\n");
    project.declare(&after);
    project.ok(&["draft", "names"]);
    let script = project.read("migrations/0002-names/sqlite.up.sql");
    let own = "\n--oak step 9: capitals | own | in transaction | own\nupdate keeper set full_name = upper(full_name);\n\n--oak end\n";
    let edited = script
        .replace("alter table keeper add column phone", "-- mine\nalter table keeper add column phone")
        .replace("\n--oak end\n", own);
    assert!(edited.contains("-- mine") && edited.contains("capitals"), "{edited}");
    project.write("migrations/0002-names/sqlite.up.sql", &edited);
    project
}

#[test]
fn own_sql_and_choices_stay_while_the_declaration_changes() {
    let project = with_own_sql();
    let id = |project: &Project| {
        let record = project.read("migrations/0002-names/record.toml");
        record.lines().find(|line| line.starts_with("id = ")).map(str::to_owned)
    };
    let before = id(&project);
    let written = project.read("migrations/0002-names/sqlite.up.sql");
    let more = project.read("schema/schema.oak").replace("primary key", "hives: int32\n\n    primary key");
    project.declare(&more);
    insta::assert_snapshot!(project.answers(&[
        &["redraft", "1"],
        &["redraft", "--fill", "keeper.hives=0"],
        &["redraft"]
    ]));
    assert_eq!(id(&project), before);
    assert_eq!(
        project.read("migrations/0002-names/sqlite.up.sql.before").contains("-- mine"),
        written.contains("-- mine")
    );
    let answer = project.ok(&["redraft", "--fill", "keeper.hives=3", "--json"]);
    let answer: serde_json::Value = serde_json::from_str(&answer).expect("it is JSON");
    assert_eq!(answer["own_steps"][0]["kept"], serde_json::json!(["capitals"]));
    project.ok(&["apply", "--yes"]);
    assert_eq!(project.query("select full_name, phone, hives from keeper"), ["MAREN|null|3"]);
    let applied = project.oak(&["redraft"]);
    assert!(applied.stderr.contains("0002-names is applied to target dev"), "{applied:#?}");
}

#[test]
fn an_edited_step_without_a_counterpart_is_told() {
    let project = with_own_sql();
    let less = project.read("schema/schema.oak").replace("    phone: text(20), null\n", "");
    project.declare(&less);
    insta::assert_snapshot!(project.answers(&[&["redraft"], &["review"]]));
    assert!(project.read("migrations/0002-names/sqlite.up.sql.before").contains("-- mine"));
}
