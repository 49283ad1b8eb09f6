//! Takes every schema of a folder in, makes it again from its baseline, and compares the servers' own dumps.
//!
//! The folder holds `APPLICATION/postgres.sql`, `mysql.sql` and `sqlite.sql`. For each: load it with the server's own
//! client, `oak adopt`, no difference, `oak status` up to date, `oak check` without error, the baseline on an empty
//! database, equal dumps, `oak revert` leaves nothing. What fails is said, and the number of those that do is the exit code.
//! Then the file itself is turned into declarations without a server (`oak adopt --from`), and a database made from those is
//! compared with one that the file was loaded into; that one and the declarations have to be told to be the same.
//! With `--chains`, the upgrade scripts of the applications (`APPLICATION/postgres/NNN-NAME.sql` and so on) are what is
//! tried: the state before a script and the one after it are taken in, `oak diff BEFORE AFTER --sql` runs on the first, and
//! its dump has to be that of the second. Then the way of a project: the database before the script is adopted, the
//! declarations of the one after it take the place of its own, a migration is drafted and applied, which has to give the
//! second's dump, and reverted, which has to give the first's. Of a long chain, a dozen steps are tried, evenly.
//!
//! The rules of the normaliser, beyond those of the oracle of the tests:
//!
//! 1. PostgreSQL: a number as a text with a cast, `'1'::smallint`, is the number; `EXTRACT(YEAR` is `EXTRACT(year`.
//!    A moment with fractions of a second, as the default `'now'` is stored, is any other.
//! 2. MariaDB: the display width of an integer goes, `NO ACTION` and `RESTRICT` go (InnoDB takes them for one, and for what
//!    holds anyway), so do `ROW_FORMAT=DYNAMIC` and InnoDB's `USING BTREE`, and the settings of the session that a routine was made in. Of triggers
//!    and routines, letter case, white space, backticks, lines of comments and the word `in` before a parameter go.
//! 3. SQLite: tables are compared by what the pragmas say of them: a column by name, type, required, default, key;
//!    `default null` is none, a rowid is required, and a reference without columns is one to the primary key. Indexes are
//!    what the pragmas say, and what is said of expressions and conditions, without white space, parentheses and quotes.
//!    So is the name of a view or trigger in its own statement.

#![expect(clippy::print_stdout, clippy::print_stderr, reason = "a run says what it saw")]

use std::path::{Path, PathBuf};
use std::process::{Command, Output};
use std::sync::OnceLock;

use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;
use hollow_oak_testkit::server::{Connects, PrivateServer, shared, wanted};
use mysql::prelude::Queryable;
use regex_lite::Regex;

/// The numbers of a MariaDB's version.
fn version_of(server: &PrivateServer) -> Result<String, String> {
    let mut connection = server.mariadb(None)?;
    let told: Option<String> = connection.query_first("select version()").map_err(|error| error.to_string())?;
    Ok(told.unwrap_or_default().split('-').next().unwrap_or_default().to_owned())
}

fn main() {
    let mut arguments = std::env::args().skip(1);
    let (Some(oak), Some(folder)) = (arguments.next(), arguments.next()) else {
        eprintln!("usage: corpus OAK FOLDER [APPLICATION…]");
        std::process::exit(2);
    };
    let mut only: Vec<String> = arguments.collect();
    let chains = only.iter().position(|one| one == "--chains").map(|at| only.remove(at)).is_some();
    let mut applications: Vec<PathBuf> =
        std::fs::read_dir(&folder).expect("the folder is there").filter_map(|entry| Some(entry.ok()?.path())).collect();
    applications.sort();
    if chains {
        std::process::exit(upgrade(&applications, &only, Path::new(&oak)).min(100));
    }
    let (mut passed, mut failed) = (0, 0);
    let (mut read, mut unread) = (0, 0);
    for (provider, file) in files() {
        for application in &applications {
            let name = application.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let script = application.join(format!("{file}.sql"));
            if !script.is_file() || !(only.is_empty() || only.contains(&name)) {
                continue;
            }
            let case = Case::new(provider, &name, Path::new(&oak));
            match case.run(&script) {
                Ok(size) => {
                    passed += 1;
                    println!("{provider:<9} {name:<16} {size}");
                }
                Err(why) => {
                    failed += 1;
                    println!("{provider:<9} {name:<16} FAILED: {why}");
                }
            }
            match case.read_as_file(&script) {
                Ok(()) => read += 1,
                Err(why) => {
                    unread += 1;
                    println!("{:26} AS A FILE: {why}", "");
                }
            }
        }
    }
    println!("\n{passed} passed, {failed} failed; {read} the same when read as a file, {unread} not");
    std::process::exit(failed.min(100));
}

/// The providers, each with the name of its scripts; those of MySQL run on MariaDB unless `OAK_TEST_PROVIDERS` says
/// otherwise, which may also leave some of them out.
fn files() -> Vec<(Provider, &'static str)> {
    let named = [
        (Provider::Sqlite, "sqlite"),
        (Provider::Mariadb, "mysql"),
        (Provider::Mysql, "mysql"),
        (Provider::Postgres, "postgres"),
    ];
    named.into_iter().filter(|(provider, _)| wanted(*provider)).collect()
}

/// How many steps of a chain are tried at most.
const STEPS: usize = 12;

/// Tries the upgrade scripts; returns how many failed.
fn upgrade(applications: &[PathBuf], only: &[String], oak: &Path) -> i32 {
    let (mut passed, mut failed) = (0, 0);
    for (provider, folder) in files() {
        for application in applications {
            let name = application.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let Ok(entries) = std::fs::read_dir(application.join(folder)) else { continue };
            if !(only.is_empty() || only.contains(&name)) {
                continue;
            }
            let mut scripts: Vec<PathBuf> = entries.filter_map(|entry| Some(entry.ok()?.path())).collect();
            // What undoes a script stands beside it.
            let is_up = |path: &PathBuf| {
                let name = path.to_string_lossy();
                name.ends_with(".sql") && !name.ends_with(".down.sql")
            };
            scripts.retain(is_up);
            scripts.sort();
            let pairs = scripts.len().saturating_sub(1);
            let stride = pairs.div_ceil(STEPS).max(1);
            let tried: Vec<usize> = (1..scripts.len()).rev().step_by(stride).collect();
            let mut good = 0;
            let mut told = Vec::new();
            for at in tried.iter().rev() {
                let case = Case::new(provider, &format!("{name}_{at}"), oak);
                match case.step(&scripts[..=*at]) {
                    Ok(()) => good += 1,
                    Err(why) => told.push(format!(
                        "  {}: {}",
                        scripts[*at].file_name().unwrap_or_default().to_string_lossy(),
                        why.replace('\n', "\n    ")
                    )),
                }
            }
            println!("{provider:<9} {name:<16} {good} of {} ({} in all)", tried.len(), pairs);
            told.iter().for_each(|line| println!("{line}"));
            passed += good;
            failed += told.len();
        }
    }
    println!("\n{passed} steps passed, {failed} failed");
    i32::try_from(failed).unwrap_or(i32::MAX)
}

struct Case {
    provider: Provider,
    server: Option<&'static PrivateServer>,
    folder: tempfile::TempDir,
    oak: PathBuf,
    original: String,
    again: String,
}

impl Case {
    fn new(provider: Provider, name: &str, oak: &Path) -> Self {
        let folder = tempfile::TempDir::new().expect("a temporary folder can be made");
        let plain: String = name.chars().map(|one| if one.is_ascii_alphanumeric() { one } else { '_' }).collect();
        // The servers take in 63 and 64 letters. What stands at the end is what differs.
        let plain = plain[plain.len().saturating_sub(50)..].trim_start_matches('_');
        let (server, suffix) = match provider {
            Provider::Sqlite => (None, ".db"),
            _ => (Some(shared(provider)), ""),
        };
        let (original, again) = (format!("{plain}_one{suffix}"), format!("{plain}_two{suffix}"));
        Self { provider, server, folder, oak: oak.to_owned(), original, again }
    }

    fn url(&self, database: &str, namespace: Option<&str>) -> String {
        let url = match self.server {
            None => return format!("sqlite:{database}"),
            Some(server) => server.url(database),
        };
        namespace.map_or(url.clone(), |name| format!("{url}&namespace={name}"))
    }

    fn run(&self, script: &Path) -> Result<String, String> {
        self.load(script, &self.original, "utf8mb4_general_ci")?;
        let namespace = self.namespace(&self.original)?;
        let (from, to) = (self.url(&self.original, namespace.as_deref()), self.url(&self.again, namespace.as_deref()));
        let before = self.dump(&self.original)?;
        let adopted = self.oak(&["adopt", "--yes", "--url", &from])?;
        if adopted.contains("amiss:") {
            return Err(format!("not all of it is as it was:\n{adopted}"));
        }
        let now = self.dump(&self.original)?;
        if before != now {
            let changed =
                now.iter().find(|line| !before.contains(line)).or(before.iter().find(|line| !now.contains(line)));
            return Err(format!("adopting changed the database: {}", changed.map_or("the order", String::as_str)));
        }
        let differences = self.oak(&["diff", "live", "declared"])?;
        if !differences.starts_with("no difference") {
            return Err(differences);
        }
        let status = self.oak(&["status"])?;
        if !status.starts_with("up to date:") {
            return Err(status);
        }
        self.oak(&["check"])?;
        self.oak(&["apply", "--yes", "--url", &to])?;
        let after = self.dump(&self.again)?;
        let only = |one: &[String], other: &[String]| -> Vec<String> {
            one.iter().filter(|line| !other.contains(line)).map(|line| line.chars().take(400).collect()).collect()
        };
        let (missing, new) = (only(&before, &after), only(&after, &before));
        if !missing.is_empty() || !new.is_empty() {
            return Err(format!("only there:\n{}\nonly here:\n{}", missing.join("\n"), new.join("\n")));
        }
        self.oak(&["revert", "--yes", "--url", &to])?;
        let left = self.dump(&self.again)?;
        if let Some(first) = left.iter().find(|line| !line.contains("SCHEMA")) {
            return Err(format!("{} things are left after the way down: {first}", left.len()));
        }
        Ok(adopted.lines().next().unwrap_or_default().split(" on ").next().unwrap_or_default().to_owned()
            + adopted.lines().next().and_then(|line| line.find(", ").map(|at| &line[at..])).unwrap_or_default())
    }

    /// The last script, by way of what was there before it and what is there after it.
    fn step(&self, scripts: &[PathBuf]) -> Result<(), String> {
        let (last, before) = scripts.split_last().ok_or("there is no script")?;
        let collation = "utf8mb4_general_ci";
        let (first, rest) = before.split_first().ok_or("there is no state before it")?;
        for database in [&self.original, &self.again] {
            self.load(first, database, collation)?;
            for script in rest {
                self.run_script(script, database)?;
            }
        }
        self.run_script(last, &self.again)?;
        let namespace = self.namespace(&self.again)?;
        let folder = tempfile::TempDir::new().map_err(|error| error.to_string())?;
        let mut left = "../before/schema";
        for (name, database) in [("before", &self.original), ("after", &self.again)] {
            let project = folder.path().join(name);
            std::fs::create_dir(&project).map_err(|error| error.to_string())?;
            let url = match self.server {
                None => format!("sqlite:{}", self.folder.path().join(database).display()),
                Some(_) => self.url(database, namespace.as_deref()),
            };
            let output = Command::new(&self.oak)
                .args(["adopt", "--yes", "--no-color", "--url", &url])
                .current_dir(&project)
                .output();
            match text(output, "oak adopt") {
                // Some chains begin with nothing.
                Err(why) if name == "before" && why.contains("holds nothing") => left = "empty",
                other => other.map(|_| ())?,
            }
        }
        let diff = ["diff", left, "schema", "--sql", "--no-color"];
        let output = Command::new(&self.oak).args(diff).current_dir(folder.path().join("after")).output();
        let sql = text(output, "oak diff")?;
        let script = folder.path().join("difference.sql");
        let within_url = namespace.clone();
        let within = namespace.map(|name| format!("set search_path = {name};\n")).unwrap_or_default();
        std::fs::write(&script, within + &sql).map_err(|error| error.to_string())?;
        self.run_script(&script, &self.original)?;
        let (now, wanted) = (self.dump(&self.original)?, self.dump(&self.again)?);
        compared(&now, &wanted)?;
        match left {
            // There was nothing that a project could have begun with.
            "empty" => Ok(()),
            _ => self.migrated(before, folder.path(), within_url.as_deref(), &wanted),
        }
    }

    /// The way of a project from the state before a script to the one after it, and back; both were taken in in `folder`.
    fn migrated(
        &self,
        before: &[PathBuf],
        folder: &Path,
        namespace: Option<&str>,
        wanted: &[String],
    ) -> Result<(), String> {
        let database = self.again.replace("_two", "_five");
        let (first, rest) = before.split_first().ok_or("there is no state before it")?;
        self.load(first, &database, "utf8mb4_general_ci")?;
        for script in rest {
            self.run_script(script, &database)?;
        }
        let project = folder.join("project");
        std::fs::create_dir(&project).map_err(|error| error.to_string())?;
        let url = match self.server {
            None => format!("sqlite:{}", self.folder.path().join(&database).display()),
            Some(_) => self.url(&database, namespace),
        };
        let oak = |arguments: &[&str]| {
            Command::new(&self.oak).args(arguments).arg("--no-color").current_dir(&project).output()
        };
        text(oak(&["adopt", "--yes", "--url", &url]), "oak adopt")?;
        let initial = self.dump(&database)?;
        let schema = project.join("schema");
        std::fs::remove_dir_all(&schema).map_err(|error| error.to_string())?;
        copy_folder(&folder.join("after/schema"), &schema).map_err(|error| error.to_string())?;
        // What could have been renamed was not, as far as anybody can tell.
        let mut draft = vec!["draft".to_owned(), "step".to_owned()];
        let mut output = oak(&["draft", "step"]);
        if let Ok(refused) = &output
            && !refused.status.success()
        {
            let said = String::from_utf8_lossy(&refused.stderr).into_owned();
            let goes = said.split("--no-rename ").skip(1).filter_map(|rest| rest.split_whitespace().next());
            draft.extend(goes.flat_map(|name| ["--no-rename".to_owned(), name.to_owned()]));
            output = oak(&draft.iter().map(String::as_str).collect::<Vec<_>>());
        }
        let drafted = text(output, "oak draft")?;
        if drafted.contains("nothing to draft") || !project.join("migrations/0002-step").exists() {
            return Ok(());
        }
        let because = ["--because", "it is tried"];
        if !oak(&["apply", "--yes"]).is_ok_and(|output| output.status.success()) {
            let accept = [&["review", "2", "--accept", "loses-data"], &because[..]].concat();
            text(oak(&accept), "oak review")?;
            text(oak(&["apply", "--yes"]), "oak apply")?;
        }
        compared(&self.dump(&database)?, wanted).map_err(|why| format!("applied: {why}"))?;
        let revert = [&["revert", "--steps", "1", "--yes", "--accept", "loses-data"], &because[..]].concat();
        text(oak(&revert), "oak revert")?;
        compared(&self.dump(&database)?, &initial).map_err(|why| format!("reverted: {why}"))
    }

    /// The file as declarations, without a server.
    fn read_as_file(&self, script: &Path) -> Result<(), String> {
        let suffix = if self.server.is_none() { ".db" } else { "" };
        let base = self.again.trim_end_matches(".db").trim_end_matches("_two");
        let (loaded, made) = (format!("{base}_three{suffix}"), format!("{base}_four{suffix}"));
        self.load(script, &loaded, "utf8mb4_unicode_ci")?;
        // A folder of its own, or the project around it would be found.
        let folder = tempfile::TempDir::new().map_err(|error| error.to_string())?;
        let project = folder.path();
        let file = project.join(format!("schema.{}.sql", self.provider));
        std::fs::copy(script, &file).map_err(|error| error.to_string())?;
        let at = |database: &str| match self.server {
            None => format!("sqlite:{}", self.folder.path().join(database).display()),
            Some(_) => self.url(database, None),
        };
        let url = at(&made);
        let oak = |arguments: &[&str]| {
            let output = Command::new(&self.oak).args(arguments).arg("--no-color").current_dir(project).output();
            text(output, &format!("oak {}", arguments.join(" ")))
        };
        if let Some(version) = self.server.filter(|_| self.provider == Provider::Mariadb).map(version_of) {
            // By which collation a character set is sorted is a matter of the version.
            let configuration = format!(
                "[project]\nname = \"corpus\"\ndefault_target = \"dev\"\n\n[providers]\nmariadb = {{ min = \"{}\" }}\n\n\
                 [targets.dev]\nurl = \"{url}\"\n",
                version?
            );
            std::fs::write(project.join("hollow-oak.toml"), configuration).map_err(|error| error.to_string())?;
        }
        let told = oak(&["adopt", "--yes", "--from", &file.display().to_string(), "--url", &url])?;
        if told.contains("amiss:") || !told.contains("all of it can be declared") {
            return Err(told);
        }
        oak(&["draft", "baseline"])?;
        oak(&["apply", "--yes"])?;
        let (before, after) = (self.dump(&loaded)?, self.dump(&made)?);
        let differing: Vec<String> = before
            .iter()
            .filter(|line| !after.contains(line))
            .map(|line| format!("  only there: {line}"))
            .chain(after.iter().filter(|line| !before.contains(line)).map(|line| format!("  only here:  {line}")))
            .map(|line| line.chars().take(600).collect())
            .collect();
        match differing.is_empty() {
            // Made by the file or by what it became, no matter in whose words: it is the same.
            true => match oak(&["diff", "live", "declared", "--url", &at(&loaded)])? {
                told if told.starts_with("no difference") => Ok(()),
                told => Err(told),
            },
            false => Err(format!(
                "{} of {} lines differ\n{}",
                differing.len(),
                before.len(),
                differing[..differing.len().min(8)].join("\n")
            )),
        }
    }

    fn oak(&self, arguments: &[&str]) -> Result<String, String> {
        let output = Command::new(&self.oak).args(arguments).arg("--no-color").current_dir(self.folder.path()).output();
        text(output, &format!("oak {}", arguments.join(" ")))
    }

    /// Makes the database and runs the script on it.
    fn load(&self, script: &Path, database: &str, collation: &str) -> Result<(), String> {
        match self.server {
            None => {}
            Some(server) if self.provider == Provider::Postgres => {
                let mut create = psql(server, "postgres");
                create.args(["-c", &format!("create database \"{database}\" template template0 encoding 'UTF8'")]);
                text(create.output(), "making a database")?;
            }
            Some(server) => {
                let mut create = mariadb(server);
                let sql = format!("create database `{database}` character set utf8mb4 collate {collation}");
                text(create.args(["-e", &sql]).output(), "making a database")?;
            }
        }
        self.run_script(script, database)
    }

    /// Runs the script with the client of the database.
    fn run_script(&self, script: &Path, database: &str) -> Result<(), String> {
        let open = || std::fs::File::open(script).map_err(|error| error.to_string());
        let mut command = match self.server {
            None => {
                let mut shell = Command::new("sqlite3");
                shell.args(["-batch", "-bail", "-init", "/dev/null"]).arg(self.folder.path().join(database));
                shell.stdin(open()?);
                shell
            }
            Some(server) if self.provider == Provider::Postgres => {
                let mut psql = psql(server, database);
                psql.arg("-f").arg(script);
                psql
            }
            Some(server) => {
                let mut client = mariadb(server);
                client.arg(database).stdin(open()?);
                client
            }
        };
        text(command.output(), "loading").map(|_| ())
    }

    /// The one namespace that holds anything, where it is not the usual one.
    fn namespace(&self, database: &str) -> Result<Option<String>, String> {
        let Some(server) = self.server.filter(|_| self.provider == Provider::Postgres) else { return Ok(None) };
        let asked = "select string_agg(n.nspname, ',') from pg_namespace n
                     where n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
                       and (exists (select from pg_class c where c.relnamespace = n.oid)
                            or exists (select from pg_proc p where p.pronamespace = n.oid))";
        let output = Command::new("psql")
            .args(["-qAtX", "-U", "oak", "-d", database, "-c", asked, "-h"])
            .arg(server.socket())
            .output();
        let found = text(output, "psql")?;
        let found = found.trim();
        Ok(Some(found.to_owned()).filter(|name| !name.is_empty() && !name.contains(',') && name != "public"))
    }

    fn dump(&self, database: &str) -> Result<Vec<String>, String> {
        let mut lines: Vec<String> = match self.server {
            None => sqlite(&self.folder.path().join(database)).map_err(|error| error.to_string())?,
            Some(server) => {
                // The client takes the comments out of bodies that it loads.
                let raw = oracle::raw_dump(server, database)?;
                let said: Vec<&str> = raw.lines().filter(|line| !line.trim_start().starts_with('#')).collect();
                let text = oracle::normalise_dump(&said.join("\n"));
                text.lines().filter_map(|line| plain(line, database)).collect()
            }
        };
        lines.sort();
        Ok(lines)
    }
}

fn psql(server: &PrivateServer, database: &str) -> Command {
    let mut psql = Command::new("psql");
    psql.env("PGOPTIONS", "-c client_min_messages=error");
    psql.args(["-qAtX", "-v", "ON_ERROR_STOP=1", "-U", "oak", "-d", database]);
    psql.arg("-h").arg(server.socket());
    psql
}

fn mariadb(server: &PrivateServer) -> Command {
    let mut client = Command::new(server.client());
    client.args(["--no-defaults", "--user=root", "--default-character-set=utf8mb4"]);
    client.arg(format!("--socket={}", server.socket().display()));
    if server.provider() == Provider::Mysql {
        // Scripts that were written for older servers: they reference what is no key, and begin moments at zero.
        let settings = "set global restrict_fk_on_non_standard_key = off, session restrict_fk_on_non_standard_key = off, \
                        sql_mode = 'NO_ENGINE_SUBSTITUTION'";
        client.args(["--commands", &format!("--init-command={settings}")]);
    }
    client
}

/// A statement of a dump by the rules at the head of this file; nothing where it says nothing.
fn plain(line: &str, database: &str) -> Option<String> {
    if line.starts_with("/*!50") && line.contains(" SET ") || line.starts_with("DELIMITER") {
        return None;
    }
    static RULES: OnceLock<Rules> = OnceLock::new();
    let rules = RULES.get_or_init(Rules::new);
    let mut text = line.replace(&format!("`{database}`."), "");
    for (pattern, instead) in &rules.accidents {
        text = pattern.replace_all(&text, *instead).into_owned();
    }
    if text.contains("ENGINE=InnoDB") {
        text = text.replace(" USING BTREE", "");
    }
    text = rules.extract.replace_all(&text, |found: &regex_lite::Captures<'_>| found[0].to_lowercase()).into_owned();
    let is_of_mariadb = text.contains('`') || text.contains("/*!");
    if !text.starts_with("CREATE TABLE") && is_of_mariadb && rules.program.is_match(&text) {
        text = rules.writing.replace_all(&text, "").to_lowercase();
    }
    Some(text)
}

struct Rules {
    accidents: Vec<(Regex, &'static str)>,
    extract: Regex,
    program: Regex,
    writing: Regex,
}

impl Rules {
    fn new() -> Self {
        let regex = |pattern: &str| Regex::new(pattern).expect("it is one");
        let accidents = [
            (r"'(-?\d+)'::(smallint|integer|bigint|numeric)\b", "$1"),
            (r"\b((?:tiny|small|medium|big)?int)\(\d+\)( unsigned)?( zerofill)?", "$1$2$3"),
            (r" ROW_FORMAT=DYNAMIC", ""),
            (r" ON (DELETE|UPDATE) (NO ACTION|RESTRICT)", ""),
            (r"DEFINER=\S+ ?", ""),
            (r"'\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\.\d+\+00'::timestamp", "'a moment'::timestamp"),
        ];
        Self {
            accidents: accidents.into_iter().map(|(pattern, instead)| (regex(pattern), instead)).collect(),
            extract: regex(r"(?i)extract\(\w+ "),
            program: regex(r"(?i)/\*!50003|\b(trigger|procedure|function)\b|^(begin|declare|call|set|if|end)\b"),
            writing: regex(r"(?i)\bin\b|/\*!\d*|\*/|[`\s]"),
        }
    }
}

/// What a file holds, by its pragmas.
fn sqlite(path: &Path) -> rusqlite::Result<Vec<String>> {
    let connection = rusqlite::Connection::open(path)?;
    let mut statement = connection.prepare(
        "select type, name, tbl_name, coalesce(sql, '') from sqlite_schema
         where name not like 'hollow_oak%' and tbl_name not like 'hollow_oak%' and name not like 'sqlite_s%'",
    )?;
    let objects =
        statement.query_map([], |row| Ok([0, 1, 2, 3].map(|at| row.get::<_, String>(at).unwrap_or_default())))?;
    let mut lines = Vec::new();
    for object in objects {
        let [kind, name, table, sql] = object?;
        let lower = sql.to_lowercase();
        let ask = |pragma: &str| -> rusqlite::Result<Vec<Vec<String>>> {
            let mut statement = connection.prepare(&format!("pragma {pragma}(\"{}\")", name.replace('"', "\"\"")))?;
            let count = statement.column_count();
            let rows = statement.query_map([], |row| {
                (0..count)
                    .map(|at| {
                        let value: rusqlite::types::Value = row.get(at)?;
                        Ok(match value {
                            rusqlite::types::Value::Null => String::new(),
                            rusqlite::types::Value::Integer(number) => number.to_string(),
                            rusqlite::types::Value::Text(text) => text,
                            other => format!("{other:?}"),
                        })
                    })
                    .collect()
            })?;
            rows.collect()
        };
        match kind.as_str() {
            "table" => {
                let columns = ask("table_xinfo")?;
                let key: Vec<&str> = columns.iter().filter(|row| row[5] != "0").map(|row| row[1].as_str()).collect();
                let mut parts: Vec<String> = columns
                    .iter()
                    .map(|row| {
                        let ty = row[2].to_uppercase().replace(' ', "");
                        let required = row[3] == "1" || (ty == "INTEGER" && row[5] == "1");
                        let quoted = row[4].contains('\'');
                        let default = if quoted { row[4].clone() } else { row[4].to_lowercase().replace("null", "") };
                        format!("{} {ty} {required} {default} {} {}", row[1], row[5], row[6])
                    })
                    .collect();
                for row in ask("foreign_key_list")? {
                    let target = if row[4].is_empty() && key.len() == 1 { String::from("key") } else { row[4].clone() };
                    let target = referenced(&connection, &row[2], target)?;
                    parts.push(format!("{} -> {}({target}) {} {}", row[3], row[2].to_lowercase(), row[5], row[6]));
                }
                parts.sort();
                let kind: Vec<String> = ask("table_list")?.iter().map(|row| row[2..].join(" ")).collect();
                let counts = lower.contains("autoincrement");
                lines.push(format!("table {name}: {} {} {counts}", parts.join("; "), kind.join(" ")));
            }
            "index" => {
                let shown = if name.starts_with("sqlite_autoindex") { "of a key" } else { name.as_str() };
                // A column by its name, not by its place; the rowid and an expression have none.
                let part = |row: &Vec<String>| match row[1].starts_with('-') {
                    true => row[1..].join(" "),
                    false => row[2..].join(" "),
                };
                let columns = ask("index_xinfo")?;
                let parts: Vec<String> = columns.iter().map(part).collect();
                let words = lower.split_whitespace().collect::<Vec<_>>().join(" ");
                let (indexed, condition) = words.split_once(" where ").unwrap_or((words.as_str(), ""));
                let said = match columns.iter().any(|row| row[1] == "-2") {
                    true => indexed.split_once('(').map_or("", |(_, said)| said),
                    false => "",
                };
                let bare = |said: &str| said.replace([' ', '(', ')', '"', '`'], "");
                lines.push(format!(
                    "index {shown} on {table}: {} {} {}",
                    parts.join(", "),
                    bare(said),
                    bare(condition)
                ));
            }
            _ => {
                // The name is told before; the quotes it is written in say nothing.
                let words: Vec<&str> = lower.split_whitespace().collect();
                let words = words.join(" ").replacen(&format!("\"{}\"", name.to_lowercase()), &name.to_lowercase(), 1);
                lines.push(format!("{kind} {name}: {words}"));
            }
        }
    }
    Ok(lines)
}

/// The column that a reference without one points to.
fn referenced(connection: &rusqlite::Connection, table: &str, column: String) -> rusqlite::Result<String> {
    let mut statement = connection.prepare("select name from pragma_table_info(?1) where pk = 1")?;
    let key: Vec<String> = statement.query_map([table], |row| row.get(0))?.collect::<rusqlite::Result<_>>()?;
    Ok(match (column.as_str(), key.first()) {
        ("" | "key", Some(key)) => key.to_lowercase(),
        _ => column.to_lowercase(),
    })
}

/// The first lines in which a dump is not another one.
fn compared(now: &[String], wanted: &[String]) -> Result<(), String> {
    let differing: Vec<String> = wanted
        .iter()
        .filter(|line| !now.contains(line))
        .map(|line| format!("wanted: {line}"))
        .chain(now.iter().filter(|line| !wanted.contains(line)).map(|line| format!("got:    {line}")))
        .map(|line| line.chars().take(300).collect())
        .collect();
    match differing.is_empty() {
        true => Ok(()),
        false => Err(format!("{} lines differ\n{}", differing.len(), differing[..differing.len().min(4)].join("\n"))),
    }
}

fn copy_folder(from: &Path, to: &Path) -> std::io::Result<()> {
    std::fs::create_dir(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        std::fs::copy(entry.path(), to.join(entry.file_name()))?;
    }
    Ok(())
}

fn text(output: std::io::Result<Output>, what: &str) -> Result<String, String> {
    let output = output.map_err(|error| format!("{what}: {error}"))?;
    if output.status.success() {
        return Ok(String::from_utf8_lossy(&output.stdout).into_owned());
    }
    let told: String = String::from_utf8_lossy(&output.stderr).chars().take(1500).collect();
    Err(format!("{what}: {told}"))
}
