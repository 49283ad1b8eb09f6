//! Tables that inherit from others, on PostgreSQL: what is done to a parent is done to them, what they have of their own stays.

use crate::support::Project;
use crate::support::stage::Stage;
use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;
use hollow_oak_testkit::server::{shared, wanted};

/// Statements of somebody who uses the server by hand; each takes up where the one before it ended.
const STEPS: [&str; 10] = [
    "create table tool (weight int not null, label text default 'x', constraint heavy check (weight > 0));
     create table knife (weight int not null, label text default 'y', own int, constraint heavy check (weight > 0)) inherits (tool);
     create table smoker (own int) inherits (tool);
     create table apron (weight int not null, label text, constraint heavy check (weight > 0), z int);
     alter table apron inherit tool;",
    "alter table tool alter column weight type bigint;",
    "alter table tool alter column label set default 'new';
     alter table knife alter column label set default 'mine';",
    "alter table tool drop constraint heavy;
     alter table knife drop constraint heavy;
     alter table apron drop constraint heavy;
     alter table tool add constraint heavy check (weight > 5);
     alter table knife add constraint heavy check (weight > 5);
     alter table apron add constraint heavy check (weight > 5);",
    "alter table tool drop column label;",
    "alter table tool add column n int not null default 4;
     create table bellows (k int default 3) inherits (tool);
     alter table only knife add column late int;
     alter table tool add column late int;",
    "alter table apron drop column label;
     alter table knife rename own to owner;
     alter table tool add constraint many check (n > 0);
     alter table bellows alter n set default 9;
     alter table tool alter n drop not null;",
    "alter table tool alter n set default 5;
     alter table bellows alter n set default 9;
     alter table tool drop constraint heavy;",
    "drop table smoker;
     create table grill (own int) inherits (tool, apron);",
    "alter table tool rename to \"Device\";
     alter table \"Device\" alter n set default 7;",
];

/// What those are told that could be renames.
const ANSWERS: [(usize, [&str; 2]); 3] =
    [(6, ["--rename", "knife.own=owner"]), (8, ["--no-rename", "smoker"]), (9, ["--rename", "tool=Device"])];

/// Those that lose data.
const LOSING: [usize; 3] = [4, 6, 8];

/// What people do to the tables after that, and cannot be undone as it was: a table that joins its parent again keeps
/// what it has.
const LEAVING: &str = "alter table bellows no inherit tool; alter table apron add column late2 int;";

fn declare(project: &Project, steps: &[&str]) {
    project.write("schema.sql", &steps.join("\n"));
}

fn loaded(here: &Stage<'_>, at: usize, steps: &[&str]) -> String {
    let server = here.server.expect("it is on a server");
    let database = format!("{}_by_hand_{at}", here.database);
    here.project.write("make.sql", &format!("create database {database};"));
    oracle::load(server, "postgres", &here.project.file("make.sql")).expect("a database can be made");
    here.project.write("steps.sql", &steps.join("\n"));
    oracle::load(server, &database, &here.project.file("steps.sql")).unwrap_or_else(|error| panic!("{error}"));
    oracle::dump(server, &database).unwrap_or_else(|error| panic!("{error}"))
}

fn stage() -> Option<Stage<'static>> {
    if !wanted(Provider::Postgres) {
        return None;
    }
    let here = Stage::on(shared(Provider::Postgres), "");
    let configuration = here.project.read("hollow-oak.toml");
    let named = configuration.replacen("[project]\n", "[project]\ndeclarations = [\"schema.sql\"]\n", 1);
    here.project.write("hollow-oak.toml", &named);
    Some(here)
}

#[test]
fn what_a_parent_gets_its_heirs_get_and_what_they_have_stays() {
    let Some(here) = stage() else { return };
    let mut before = String::new();
    for at in 0..STEPS.len() {
        declare(&here.project, &STEPS[..=at]);
        let title = format!("step {at}");
        let answers = ANSWERS.iter().find(|(step, _)| *step == at).map(|(_, words)| words.as_slice());
        here.project.ok(&[&["draft", &title], answers.unwrap_or_default()].concat());
        if LOSING.contains(&at) {
            here.project.ok(&["review", "--accept", "loses-data", "--because", "it is meant"]);
        }
        here.project.ok(&["apply", "--yes"]);
        let wanted = loaded(&here, at, &STEPS[..=at]);
        assert_eq!(here.dump(), wanted, "after step {at}");
        here.assert_same("live", "declared");
        if at == 0 {
            here.sql("insert into knife values (7, 'sharp', 1); insert into apron values (8, 'white', 2)");
        } else {
            here.project.ok(&["revert", "--yes"]);
            assert_eq!(here.dump(), before, "back before step {at}");
            here.project.ok(&["apply", "--yes"]);
        }
        before = wanted;
    }
    assert_eq!(here.query("select weight, label, owner from knife"), ["7|sharp|1"]);
    assert_eq!(here.query("select weight, z from apron"), ["8|2"]);
}

#[test]
fn a_table_that_leaves_its_parent_keeps_its_columns() {
    let Some(here) = stage() else { return };
    let steps = [STEPS[0], "create table bellows (k int) inherits (tool);", LEAVING];
    declare(&here.project, &steps[..2]);
    here.project.ok(&["draft", "first"]);
    here.project.ok(&["apply", "--yes"]);
    declare(&here.project, &steps);
    here.project.ok(&["draft", "leave"]);
    here.project.ok(&["apply", "--yes"]);
    let left = loaded(&here, 0, &steps);
    assert_eq!(here.dump(), left);
    // It would have the columns by itself as well, which is not what was.
    let refused = here.project.oak(&["revert", "--yes"]);
    assert!(refused.status == 1 && refused.stderr.contains("also inherited → inherited"), "{refused:#?}");
    assert_eq!(here.dump(), left);
}

#[test]
fn a_table_that_joins_a_parent_keeps_what_it_has_to_have_for_that() {
    let Some(here) = stage() else { return };
    let tool = "create table tool (weight int not null);";
    declare(&here.project, &[tool, "create table rake (own int);"]);
    here.project.migrate("first");
    declare(&here.project, &[tool, "create table rake (own int) inherits (tool);"]);
    let drafted = here.project.ok(&["draft", "joins"]);
    let told = "may refuse: fails, since rake keeps weight for its own, too: declare that `also inherited`";
    assert!(drafted.contains(told), "{drafted}");
    let refused = here.project.oak(&["apply", "--yes"]);
    assert!(refused.stderr.contains("weight: attributes also inherited → inherited"), "{refused}");
    here.project.ok(&["discard"]);
    declare(&here.project, &[tool, "create table rake (weight int not null, own int) inherits (tool);"]);
    assert!(!here.project.ok(&["draft", "joins"]).contains("may refuse: fails, since"));
    here.project.ok(&["apply", "--yes"]);
    here.assert_same("live", "declared");
}
