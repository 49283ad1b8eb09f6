//! A project in a folder of its own, driven through the built binary.

pub mod legacy;
pub mod stage;

use std::fmt::Write;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use hollow_oak_core::Provider;
use tempfile::TempDir;

/// Reverts the newest migration, with what is lost by that.
pub const REVERT: &[&str] = &["revert", "--yes", "--accept", "loses-data", "--because", "it is a test"];

/// Reverts all of them.
pub const REVERT_ALL: &[&str] =
    &["revert", "--to", "empty", "--yes", "--accept", "loses-data", "--because", "it is a test"];

/// A folder with a project in it.
pub struct Project {
    folder: TempDir,
}

/// What a command answered.
#[derive(Debug)]
pub struct Answer {
    pub status: i32,
    pub stdout: String,
    pub stderr: String,
}

pub const CONFIG: &str =
    "[project]\nname = \"brackenfold\"\ndefault_target = \"dev\"\n\n[targets.dev]\nurl = \"sqlite:brackenfold.db\"\n";

impl Project {
    /// A folder with nothing in it.
    pub fn empty() -> Self {
        Self { folder: TempDir::new().expect("a temporary folder can be made") }
    }

    /// A project whose declarations are this SQL of one provider, in `schema.sql`.
    pub fn of_sql(provider: Provider, sql: &str) -> Self {
        let project = Self::empty();
        project.write(
            "hollow-oak.toml",
            &format!(
                "[project]\nname = \"brackenfold\"\ndeclarations = [\"schema.sql\"]\n\n[providers]\n{provider} = {{}}\n"
            ),
        );
        project.write("schema.sql", sql);
        project
    }

    /// A project with these declarations and no migrations.
    pub fn new(declarations: &str) -> Self {
        let project = Self::empty();
        project.write("hollow-oak.toml", CONFIG);
        project.write("schema/schema.oak", declarations);
        project
    }

    /// A project whose declarations are drafted and applied.
    pub fn applied(declarations: &str) -> Self {
        let project = Self::new(declarations);
        project.migrate("first");
        project
    }

    pub fn path(&self) -> &Path {
        self.folder.path()
    }

    pub fn file(&self, name: &str) -> PathBuf {
        self.path().join(name)
    }

    pub fn write(&self, name: &str, text: &str) {
        let path = self.file(name);
        let folder = path.parent().expect("a file is in a folder");
        std::fs::create_dir_all(folder).expect("the folder can be made");
        std::fs::write(path, text).expect("the file can be written");
    }

    pub fn read(&self, name: &str) -> String {
        std::fs::read_to_string(self.file(name)).unwrap_or_else(|error| panic!("{name}: {error}"))
    }

    pub fn declare(&self, declarations: &str) {
        self.write("schema/schema.oak", declarations);
    }

    /// Lists providers in the configuration, which is made where there is none.
    pub fn list(&self, providers: &[&str]) {
        let config = std::fs::read_to_string(self.file("hollow-oak.toml")).unwrap_or_else(|_| CONFIG.to_owned());
        let list: String = providers.iter().map(|provider| format!("{provider} = {{}}\n")).collect();
        self.write("hollow-oak.toml", &config.replace("[targets.dev]", &format!("[providers]\n{list}\n[targets.dev]")));
    }

    /// The command, not yet run.
    pub fn command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_oak"));
        command
            .args(arguments)
            .current_dir(self.path())
            .env_clear()
            .env("COLUMNS", "100")
            .env("USER", "maren")
            .env("PATH", std::env::var_os("PATH").unwrap_or_default())
            .stdin(Stdio::null());
        command
    }

    /// Starts oak, to wait at a statement boundary where one is given.
    pub fn spawn(&self, arguments: &[&str], pause_at: Option<usize>) -> Child {
        let mut command = self.command(arguments);
        command.stdout(Stdio::null()).stderr(Stdio::null());
        if let Some(at) = pause_at {
            command.env("OAK_TEST_PAUSE_AT", at.to_string()).env("OAK_TEST_PAUSE_FILE", self.file("paused"));
        }
        command.spawn().expect("oak can be run")
    }

    /// Waits until the process waits at its boundary; false where it came to its end before.
    pub fn pauses(&self, child: &mut Child) -> bool {
        let marker = self.file("paused");
        let began = Instant::now();
        while !marker.exists() {
            if let Some(status) = child.try_wait().expect("it can be asked") {
                assert!(status.success(), "{status}");
                return false;
            }
            assert!(began.elapsed() < Duration::from_secs(30), "neither paused nor ended");
            std::thread::sleep(Duration::from_millis(2));
        }
        std::fs::remove_file(&marker).expect("the marker can be removed");
        true
    }

    /// Kills a run at a statement boundary; false where it came to its end before.
    pub fn is_killed_at(&self, boundary: usize, arguments: &[&str]) -> bool {
        let mut child = self.spawn(arguments, Some(boundary));
        let paused = self.pauses(&mut child);
        if paused {
            child.kill().expect("it can be killed");
            child.wait().expect("it is gone");
        }
        paused
    }

    pub fn oak(&self, arguments: &[&str]) -> Answer {
        Self::answer(self.command(arguments))
    }

    pub fn answer(mut command: Command) -> Answer {
        let output = command.output().expect("oak can be run");
        Answer {
            status: output.status.code().unwrap_or(-1),
            stdout: String::from_utf8(output.stdout).expect("oak writes UTF-8"),
            stderr: String::from_utf8(output.stderr).expect("oak writes UTF-8"),
        }
    }

    /// Runs a command that has to succeed without a word on standard error.
    #[track_caller]
    pub fn ok(&self, arguments: &[&str]) -> String {
        let answer = self.ends_well(arguments);
        assert!(answer.stderr.is_empty(), "oak {arguments:?}: {answer:#?}");
        answer.stdout
    }

    /// Runs a command that has to succeed.
    #[track_caller]
    pub fn ends_well(&self, arguments: &[&str]) -> Answer {
        let answer = self.oak(arguments);
        assert!(answer.status == 0, "oak {arguments:?}: {answer:#?}");
        answer
    }

    /// Drafts what changed and applies it, whatever is lost.
    #[track_caller]
    pub fn migrate(&self, title: &str) {
        self.draft(title, &[]);
        self.ok(&["apply", "--yes"]);
    }

    /// Drafts what changed, and accepts what is lost.
    #[track_caller]
    pub fn draft(&self, title: &str, options: &[&str]) -> String {
        let drafted = self.ok(&[&["draft", title], options].concat());
        if drafted.contains("loses data:") {
            self.ok(&["review", "--accept", "loses-data", "--because", "the test means it"]);
        }
        drafted
    }

    /// The newest migration's folder.
    pub fn newest(&self) -> String {
        let entries = std::fs::read_dir(self.file("migrations")).expect("there are migrations");
        let names = entries.map(|entry| entry.expect("it can be read").file_name().to_string_lossy().into_owned());
        names.max().expect("there is a migration")
    }

    pub fn database(&self) -> rusqlite::Connection {
        rusqlite::Connection::open(self.file("brackenfold.db")).expect("the database opens")
    }

    pub fn sql(&self, sql: &str) {
        self.database().execute_batch(sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
    }

    /// All values that a query gives, as text.
    pub fn query(&self, sql: &str) -> Vec<String> {
        let database = self.database();
        let mut statement = database.prepare(sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
        let count = statement.column_count();
        let rows = statement.query_map([], |row| {
            let values: Result<Vec<String>, _> = (0..count)
                .map(|at| {
                    row.get_ref(at).map(|value| match value {
                        rusqlite::types::ValueRef::Null => "null".to_owned(),
                        rusqlite::types::ValueRef::Integer(number) => number.to_string(),
                        rusqlite::types::ValueRef::Real(number) => number.to_string(),
                        rusqlite::types::ValueRef::Text(text) => String::from_utf8_lossy(text).into_owned(),
                        rusqlite::types::ValueRef::Blob(_) => "blob".to_owned(),
                    })
                })
                .collect();
            values.map(|values| values.join("|"))
        });
        rows.expect("the query runs").collect::<Result<_, _>>().expect("the rows can be read")
    }

    /// Runs commands one after the other and writes down what each answered, with times, ids and paths blotted out.
    pub fn answers(&self, commands: &[&[&str]]) -> String {
        let mut text = String::new();
        for arguments in commands {
            let answer = self.oak(arguments);
            let _ = writeln!(text, "$ oak {}", arguments.join(" "));
            text.push_str(&self.blotted(&answer.to_string()));
            text.push('\n');
        }
        text
    }

    /// The text with what varies blotted out.
    pub fn blotted(&self, text: &str) -> String {
        let here = self.path().canonicalize().expect("the folder is there").display().to_string();
        let mut text = text.replace(&here, "FOLDER").replace(&self.path().display().to_string(), "FOLDER");
        for (pattern, replacement) in [("20", "TIME"), ("01", "ID")] {
            text = blot(&text, pattern, replacement);
        }
        text.replace(&format!("SQLite {}", rusqlite::version()), "SQLite VERSION")
    }
}

/// Blots out times (`2026-11-23 08:00 UTC by maren`) and ids (36 characters of a UUID).
fn blot(text: &str, head: &str, replacement: &str) -> String {
    let mut result = String::new();
    let mut rest = text;
    while let Some(at) = rest.find(head) {
        let (before, found) = rest.split_at(at);
        result.push_str(before);
        let digits = |from: usize, to: usize| {
            found.get(from..to).is_some_and(|part| part.bytes().all(|byte| byte.is_ascii_hexdigit()))
        };
        let dash = |at: usize| found.as_bytes().get(at) == Some(&b'-');
        let is_id = replacement == "ID" && digits(0, 8) && dash(8) && digits(9, 13) && dash(13) && found.len() >= 36;
        let is_time = replacement == "TIME"
            && digits(0, 4)
            && dash(4)
            && digits(5, 7)
            && dash(7)
            && matches!(found.as_bytes().get(10), Some(b' ' | b'T'));
        if is_id {
            result.push_str("ID");
            rest = &found[36..];
        } else if is_time {
            let end = found.find(" by ").map(|at| at + 4).unwrap_or(10);
            let end =
                end + found[end..].find(|character: char| !character.is_alphanumeric()).unwrap_or(found.len() - end);
            result.push_str("TIME by USER");
            rest = &found[end..];
        } else {
            result.push_str(head);
            rest = &found[head.len()..];
        }
    }
    result + rest
}

impl std::fmt::Display for Answer {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str(&self.stdout)?;
        if !self.stderr.is_empty() {
            writeln!(formatter, "--- standard error")?;
            formatter.write_str(&self.stderr)?;
        }
        writeln!(formatter, "--- status {}", self.status)
    }
}

/// The demo's first tables, as declarations.
pub const HIVES: &str = "\
enum temper { calm, watchful, 'easily upset' }

table keeper {
    id:         int64, identity
    name:       text(120)
    email:      text(254), null, unique
    phone:      text(32)

    primary key (id)
}

table hive {
    id:         int64, identity
    keeper_id:  int64, references keeper(id), on delete cascade
    code:       text(12)
    temper:     temper, default calm
    gross_kg:   decimal(6, 2), null

    primary key (id)
    unique one_code_per_keeper (keeper_id, code)
    index heavy (gross_kg desc) where (gross_kg > 40)
}
";
