//! Several runs at once: each migration is applied once, and the others wait for it.

use std::process::Stdio;

use crate::support::stage::{Stage, on_each_provider};
use crate::support::{HIVES, Project};

#[test]
fn two_applies_at_once_fifty_times() {
    let template = Project::new(HIVES);
    template.ok(&["draft", "first"]);
    template.declare(&HIVES.replace("phone:      text(32)", "phone:      text(32), null"));
    template.ok(&["draft", "second"]);
    template.ok(&["draft", "--empty", "third"]);
    // Long enough for the other one to meet the lock.
    let slow = "insert into keeper (name) with recursive n (i) as (select 1 union all select i + 1 from n where i < 60000) \
                select 'k' || i from n;\n";
    template.write("migrations/0003-third/sqlite.up.sql", slow);
    let mut waited = 0;
    for round in 0..50 {
        let database = template.file("brackenfold.db");
        if database.exists() {
            std::fs::remove_file(database).expect("it can be removed");
        }
        let spawn = || {
            let mut command = template.command(&["apply", "--yes"]);
            command.stdout(Stdio::piped()).stderr(Stdio::piped());
            command.spawn().expect("oak can be run")
        };
        let runs = [spawn(), spawn()];
        let answers = runs.map(|run| run.wait_with_output().expect("oak ends"));
        let words: Vec<_> = answers.iter().map(|answer| String::from_utf8_lossy(&answer.stderr).into_owned()).collect();
        for (answer, words) in answers.iter().zip(&words) {
            let out = String::from_utf8_lossy(&answer.stdout);
            assert_eq!(answer.status.code(), Some(0), "round {round}: {out}\n{words}");
        }
        waited += usize::from(words.iter().any(|words| words.contains("waiting for another run on dev")));
        assert_eq!(
            template.query("select title, event from hollow_oak_journal order by seq"),
            ["first|applied", "second|applied", "third|applied"]
        );
        assert_eq!(template.query("select count(*) from keeper"), ["60000"]);
    }
    println!("in {waited} of 50 rounds one run was seen waiting for the other");
    assert!(waited > 25, "only {waited} of 50 were seen waiting");
}

#[test]
fn two_projects_share_a_database_and_its_journal() {
    on_each_provider(|provider| {
        let one = Stage::of(provider, "table hive { id: int64, identity, primary key }");
        let url = match one.server {
            None => format!("sqlite:{}", one.project.file(&one.database).display()),
            Some(server) => server.url(&one.database),
        };
        let other = Project::empty();
        other.write(
            "hollow-oak.toml",
            &format!(
                "[project]\nname = \"other\"\ndefault_target = \"dev\"\n\n[providers]\n{provider} = {{}}\n\n[targets.dev]\nurl = \"{url}\"\n"
            ),
        );
        other.declare("table keeper { id: int64, identity, primary key }");
        let mut columns = String::new();
        for round in 0..3 {
            columns.push_str(&format!("    a{round}: int32, null\n"));
            for (project, table) in [(&one.project, "hive"), (&other, "keeper")] {
                project.declare(&format!("table {table} {{\n    id: int64, identity, primary key\n{columns}}}"));
                project.draft("next", &[]);
                project.ok(&["apply", "--yes"]);
            }
        }
        one.project.ok(&["revert", "--yes"]);
        other.ok(&["revert", "--yes"]);
        let status = one.project.ok(&["status"]);
        assert!(status.contains("keeper"), "what the other made is unmanaged: {status}");
    });
}
