//! `cargo xtask bench`: whole processes, median of several runs, each beside its yardstick in the same run.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use hollow_oak_core::Provider;
use hollow_oak_database::throwaway::PrivateServer;

use crate::install::{Program, ensure, run};

/// How often each command runs.
const RUNS: usize = 9;

/// Tells how much memory a program took; the one that a shell has built in does not.
const TIME: &str = "/usr/bin/time";

/// How many small migrations are applied.
const MIGRATIONS: usize = 500;

/// Builds what is handed out, measures, and prints a table.
pub fn bench(providers: &[String]) -> Result<(), String> {
    ensure(&crate::test::PROGRAMS)?;
    ensure(&[Program { command: TIME, package: "time" }])?;
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    run(Command::new(&cargo).args([
        "build",
        "--quiet",
        "--profile=ship",
        "--package",
        "hollow-oak",
        "--package",
        "bare",
    ]))?;
    let bin = std::env::current_dir().map_err(words)?.join("target/ship");
    let folder = std::env::temp_dir().join(format!("oak-bench-{}", std::process::id()));
    std::fs::create_dir_all(&folder).map_err(words)?;
    let bench = Bench { oak: bin.join("oak"), bare: bin.join("bare"), folder: folder.clone() };
    let wanted = |provider: Provider| providers.is_empty() || providers.iter().any(|word| word == provider.word());
    let result = bench.all(&cargo, wanted);
    std::fs::remove_dir_all(&folder).map_err(words)?;
    result
}

fn words(error: impl std::fmt::Display) -> String {
    error.to_string()
}

struct Bench {
    oak: PathBuf,
    bare: PathBuf,
    folder: PathBuf,
}

impl Bench {
    fn all(&self, cargo: &str, wanted: impl Fn(Provider) -> bool) -> Result<(), String> {
        println!("median of {RUNS} runs, whole processes, in milliseconds\n");
        println!("{:44} {:>9} {:>9} {:>7} {:>6}", "", "oak", "yardstick", "ratio", "goal");
        if wanted(Provider::Sqlite) {
            self.start_up()?;
            self.sqlite(cargo)?;
        }
        for provider in [Provider::Postgres, Provider::Mariadb] {
            if wanted(provider) {
                let server = PrivateServer::start(provider, true)?;
                for tables in [100, 1_000] {
                    self.live_on(&server, tables)?;
                }
                self.migrations_on(&server)?;
            }
        }
        Ok(())
    }

    fn sqlite(&self, cargo: &str) -> Result<(), String> {
        for tables in [100, 1_000, 5_000] {
            self.live(tables)?;
        }
        self.migrations()?;
        println!(
            "\npure diff, one table in a hundred changed (goal: 10,000 tables under 100 ms, growing no faster than n log n)"
        );
        let output = Command::new(cargo)
            .args(["run", "--quiet", "--release", "--package", "hollow-oak-testkit", "--example", "pure_diff"])
            .output()
            .map_err(words)?;
        let mut last: Option<(f64, f64)> = None;
        for line in String::from_utf8_lossy(&output.stdout).lines() {
            let Some((tables, time)) = line.split_once(' ') else { continue };
            let (tables, time): (f64, f64) = (tables.parse().map_err(words)?, time.parse().map_err(words)?);
            let growth = last.map_or(String::new(), |(before, taken)| {
                let allowed = tables * tables.ln() / (before * before.ln());
                format!("{:.2} times the last; n log n is {allowed:.2}", time / taken)
            });
            println!("  {tables:>6} tables {time:>9.3} ms  {growth}");
            last = Some((tables, time));
        }
        Ok(())
    }

    fn start_up(&self) -> Result<(), String> {
        let pair = interleaved(
            || timed(Command::new(&self.oak).arg("--version"), None),
            || timed(Command::new(&self.bare).arg("--version"), None),
        )?;
        row("oak --version / a program with clap alone", pair, Some(1.5));
        Ok(())
    }

    fn project(&self, name: &str, declarations: &str) -> Result<PathBuf, String> {
        self.project_on(name, declarations, Provider::Sqlite, "sqlite:bench.db")
    }

    fn project_on(&self, name: &str, declarations: &str, provider: Provider, url: &str) -> Result<PathBuf, String> {
        let folder = self.folder.join(name);
        std::fs::create_dir_all(folder.join("schema")).map_err(words)?;
        let config = format!(
            "[project]\nname = \"bench\"\ndefault_target = \"dev\"\n\n[providers]\n{provider} = {{}}\n\n[targets.dev]\nurl = \"{url}\"\n"
        );
        std::fs::write(folder.join("hollow-oak.toml"), config).map_err(words)?;
        std::fs::write(folder.join("schema/schema.oak"), declarations).map_err(words)?;
        Ok(folder)
    }

    fn command(&self, folder: &Path, arguments: &[&str]) -> Command {
        let mut command = Command::new(&self.oak);
        command.current_dir(folder).args(arguments);
        command
    }

    fn live(&self, tables: usize) -> Result<(), String> {
        let folder = self.project(&format!("live-{tables}"), &declarations(tables))?;
        timed(&mut self.command(&folder, &["format"]), None)?;
        timed(&mut self.command(&folder, &["draft", "all"]), None)?;
        timed(&mut self.command(&folder, &["apply", "--yes"]), None)?;
        let catalogue = "select (select count(*) from sqlite_schema s, pragma_table_xinfo(s.name) where s.type = 'table'), \
             (select count(*) from sqlite_schema s, pragma_foreign_key_list(s.name) where s.type = 'table'), \
             (select count(*) from sqlite_schema s, pragma_index_list(s.name) l, pragma_index_xinfo(l.name) where s.type = 'table')";
        let read = |command: &[&str]| -> Result<Pair, String> {
            interleaved(
                || timed(&mut self.command(&folder, command), None),
                || timed(Command::new("sqlite3").current_dir(&folder).args(["bench.db", catalogue]), None),
            )
        };
        row(
            &format!("diff live declared, {tables} tables / catalogue by sqlite3"),
            read(&["diff", "live", "declared"])?,
            Some(1.5),
        );
        self.memory(
            &format!("diff live declared, {tables} tables / catalogue by sqlite3"),
            &self.command(&folder, &["diff", "live", "declared"]),
            Command::new("sqlite3").current_dir(&folder).args(["bench.db", catalogue]),
        )?;
        let select = interleaved(
            || timed(&mut self.command(&folder, &["status"]), None),
            || {
                timed(
                    Command::new("sqlite3")
                        .current_dir(&folder)
                        .args(["bench.db", "select max(seq) from hollow_oak_journal"]),
                    None,
                )
            },
        )?;
        row(&format!("status, nothing to do, {tables} tables / sqlite3, one select"), select, Some(3.0));
        if tables == 1_000 {
            for (name, arguments) in [
                ("check", &["check"][..]),
                ("format --check", &["format", "--check"]),
                ("draft, nothing changed", &["draft", "x"]),
            ] {
                let times = median(|| timed(&mut self.command(&folder, arguments), None))?;
                println!(
                    "{:44} {:>9.1} {:>9} {:>7} {:>6}",
                    format!("{name}, {tables} tables"),
                    ms(times),
                    "",
                    "",
                    "100"
                );
            }
        }
        Ok(())
    }

    fn live_on(&self, server: &PrivateServer, tables: usize) -> Result<(), String> {
        let database = format!("live_{tables}");
        let provider = server.provider();
        let folder = self.project_on(
            &format!("{provider}-{database}"),
            &declarations(tables),
            provider,
            &server.url(&database),
        )?;
        timed(&mut self.command(&folder, &["format"]), None)?;
        timed(&mut self.command(&folder, &["draft", "all"]), None)?;
        let made = timed(&mut self.command(&folder, &["apply", "--yes"]), None)?;
        println!("{:44} {:>9.1}", format!("{}: apply {tables} tables", provider.title()), ms(made));
        let status = |when: &str| {
            let pair = interleaved(
                || timed(&mut self.command(&folder, &["status"]), None),
                || timed(&mut client(server, &database), Some("select 1;\n")),
            )?;
            row(&format!("{}: status{when}, {tables} tables / client, select 1", provider.title()), pair, Some(1.0));
            Ok::<(), String>(())
        };
        status("")?;
        let (name, goal) = if provider == Provider::Postgres { ("pg_dump", 0.35) } else { ("mariadb-dump", 0.15) };
        let pair = interleaved(
            || timed(&mut self.command(&folder, &["diff", "live", "declared"]), None),
            || timed(&mut dumper(server, &database), None),
        )?;
        row(&format!("{}: diff live declared, {tables} tables / {name}", provider.title()), pair, Some(goal));
        self.memory(
            &format!("{}: diff live declared, {tables} tables / {name}", provider.title()),
            &self.command(&folder, &["diff", "live", "declared"]),
            &dumper(server, &database),
        )?;
        // Whole, as somebody does it: a new project, its declarations, a baseline, and a word in the journal.
        let anew = self.folder.join(format!("{provider}-adopted"));
        let url = server.url(&database);
        let pair = interleaved(
            || {
                if anew.exists() {
                    std::fs::remove_dir_all(&anew).map_err(words)?;
                }
                std::fs::create_dir(&anew).map_err(words)?;
                timed(&mut self.command(&anew, &["adopt", "--yes", "--url", &url]), None)
            },
            || timed(&mut dumper(server, &database), None),
        )?;
        row(&format!("{}: adopt, {tables} tables / {name}", provider.title()), pair, Some(1.0));
        status(", others wrote")
    }

    fn migrations_on(&self, server: &PrivateServer) -> Result<(), String> {
        let provider = server.provider();
        let folder = self.project_on(&format!("{provider}-many"), "", provider, &server.url("many"))?;
        let script = self.draft_many(&folder, provider)?;
        let anew = |database: &str| {
            let sql = format!("drop database if exists {database};\ncreate database {database};\n");
            let maintenance = if provider == Provider::Postgres { "postgres" } else { "mysql" };
            timed(&mut client(server, maintenance), Some(&sql))
        };
        let pair = interleaved(
            || {
                anew("many")?;
                timed(&mut self.command(&folder, &["apply", "--yes"]), None)
            },
            || {
                anew("plain")?;
                timed(&mut client(server, "plain"), Some(&script))
            },
        )?;
        row(&format!("{}: {MIGRATIONS} migrations / the same by its client", provider.title()), pair, Some(1.15));
        Ok(())
    }

    fn migrations(&self) -> Result<(), String> {
        let folder = self.project("migrations", "")?;
        let script = self.draft_many(&folder, Provider::Sqlite)?;
        let without = |name: &str| {
            let path = folder.join(name);
            if path.exists() { std::fs::remove_file(path).map_err(words) } else { Ok(()) }
        };
        let pair = interleaved(
            || {
                without("bench.db")?;
                timed(&mut self.command(&folder, &["apply", "--yes"]), None)
            },
            || {
                without("plain.db")?;
                timed(Command::new("sqlite3").current_dir(&folder).args(["-bail", "plain.db"]), Some(&script))
            },
        )?;
        row(&format!("{MIGRATIONS} migrations / the same piped to sqlite3"), pair, Some(1.1));
        Ok(())
    }

    /// The most memory that each of two commands held at a time.
    fn memory(&self, name: &str, ours: &Command, theirs: &Command) -> Result<(), String> {
        let file = self.folder.join("peak");
        let peak = |command: &Command| -> Result<f64, String> {
            let mut measured = Command::new(TIME);
            measured.args(["--format=%M", "--output"]).arg(&file).arg(command.get_program()).args(command.get_args());
            if let Some(folder) = command.get_current_dir() {
                measured.current_dir(folder);
            }
            timed(&mut measured, None)?;
            let kibibytes: f64 = std::fs::read_to_string(&file).map_err(words)?.trim().parse().map_err(words)?;
            Ok(kibibytes / 1024.0)
        };
        let (ours, theirs) = (peak(ours)?, peak(theirs)?);
        println!("{:44} {ours:>9.1} {theirs:>9.1} {:>7.2} {:>6}", format!("{name}, MiB held"), ours / theirs, "3.00");
        Ok(())
    }

    /// Drafts many small migrations; returns their up scripts in one.
    fn draft_many(&self, folder: &Path, provider: Provider) -> Result<String, String> {
        let mut script = String::new();
        for number in 0..MIGRATIONS {
            std::fs::write(folder.join("schema/schema.oak"), small(number)).map_err(words)?;
            timed(&mut self.command(folder, &["draft", &format!("step {number}")]), None)?;
        }
        let mut migrations: Vec<_> = std::fs::read_dir(folder.join("migrations"))
            .map_err(words)?
            .filter_map(|one| one.ok().map(|one| one.path()))
            .collect();
        migrations.sort();
        for migration in migrations {
            let name = format!("{provider}.up.sql");
            script.push_str(&std::fs::read_to_string(migration.join(name)).map_err(words)?);
        }
        Ok(script)
    }
}

/// The server's own client, that reads statements.
fn client(server: &PrivateServer, database: &str) -> Command {
    if server.provider() == Provider::Postgres {
        let mut command = Command::new("psql");
        command.args(["--no-psqlrc", "--quiet", "--set=ON_ERROR_STOP=1", "--username=oak"]);
        command.arg(format!("--host={}", server.socket().display())).arg(database);
        return command;
    }
    let mut command = Command::new("mariadb");
    command.args(["--no-defaults", "--user=oak"]).arg(format!("--socket={}", server.socket().display())).arg(database);
    command
}

/// The server's own dumper, without rows.
fn dumper(server: &PrivateServer, database: &str) -> Command {
    if server.provider() == Provider::Postgres {
        let mut command = Command::new("pg_dump");
        command.args(["--schema-only", "--username=oak"]);
        command.arg(format!("--host={}", server.socket().display())).arg(database);
        return command;
    }
    let mut command = Command::new("mariadb-dump");
    command.args(["--no-defaults", "--no-data", "--user=oak"]);
    command.arg(format!("--socket={}", server.socket().display())).arg(database);
    command
}

type Pair = (Duration, Duration);

/// Takes turns, so that both see the same machine.
fn interleaved(
    mut ours: impl FnMut() -> Result<Duration, String>,
    mut theirs: impl FnMut() -> Result<Duration, String>,
) -> Result<Pair, String> {
    let (mut left, mut right) = (Vec::new(), Vec::new());
    for _ in 0..RUNS {
        left.push(ours()?);
        right.push(theirs()?);
    }
    left.sort();
    right.sort();
    Ok((left[RUNS / 2], right[RUNS / 2]))
}

fn median(mut one: impl FnMut() -> Result<Duration, String>) -> Result<Duration, String> {
    let mut times = (0..RUNS).map(|_| one()).collect::<Result<Vec<_>, _>>()?;
    times.sort();
    Ok(times[RUNS / 2])
}

fn ms(time: Duration) -> f64 {
    time.as_secs_f64() * 1000.0
}

fn row(name: &str, (ours, theirs): Pair, goal: Option<f64>) {
    let goal = goal.map_or(String::new(), |goal| format!("{goal:.2}"));
    println!(
        "{name:44} {:>9.1} {:>9.1} {:>7.2} {goal:>6}",
        ms(ours),
        ms(theirs),
        ours.as_secs_f64() / theirs.as_secs_f64()
    );
}

/// Runs a command to its end, its input given and its output thrown away.
fn timed(command: &mut Command, input: Option<&str>) -> Result<Duration, String> {
    use std::io::Write;
    let began = Instant::now();
    command
        .stdin(if input.is_some() { Stdio::piped() } else { Stdio::null() })
        .stdout(Stdio::null())
        .stderr(Stdio::piped());
    let mut child = command.spawn().map_err(|error| format!("{command:?}: {error}"))?;
    if let (Some(text), Some(mut stdin)) = (input, child.stdin.take()) {
        stdin.write_all(text.as_bytes()).map_err(words)?;
    }
    let output = child.wait_with_output().map_err(words)?;
    let took = began.elapsed();
    if output.status.success() {
        return Ok(took);
    }
    Err(format!("{command:?} ended with {}: {}", output.status, String::from_utf8_lossy(&output.stderr)))
}

/// Tables of ten columns with two references and two indexes each.
fn declarations(tables: usize) -> String {
    let mut text = String::new();
    for number in 0..tables {
        let (first, second) = (number / 2, number / 3);
        let _ = write!(
            text,
            "table part_{number} {{\n    id: int64, identity\n    first_id: references part_{first}, null\n    second_id: references part_{second}, null\n    \
             code: text(12)\n    label: text, null\n    amount: decimal(12, 2), default 0\n    active: bool, default true\n    due_on: date, null\n    \
             changed_at: instant, default now\n    weight: int16, default 10\n\n    primary key (id)\n    check positive_{number} (amount >= 0)\n    index by_code_{number} (code)\n    \
             index by_due_{number} (due_on desc) where (active), except mariadb, mysql\n}}\n\n"
        );
    }
    text
}

/// After the n-th small change: the first half makes tables, the second half adds a column to each.
fn small(number: usize) -> String {
    let half = MIGRATIONS / 2;
    let mut text = String::new();
    for table in 0..=number.min(half - 1) {
        let more = if number >= half && table <= number - half { "    note: text, null\n" } else { "" };
        let _ = write!(
            text,
            "table part_{table} {{\n    id: int64, identity\n    code: text(12)\n{more}\n    primary key (id)\n}}\n\n"
        );
    }
    text
}
