//! `oak demo`: the journey on sample data. It runs the commands themselves, in a folder of its own; nothing is canned.

use std::path::{Path, PathBuf};

use clap::Parser;
use hollow_oak_core::Provider;
use hollow_oak_database::TargetUrl;
use hollow_oak_database::throwaway::PrivateServer;

use super::execute;
use crate::args::{Cli, DemoArgs, Global};
use crate::exit::Exit;
use crate::failure::{Failure, Result, make_folder, read_file, write_file};
use crate::output::{Output, accent, dim, done, strong};

const HIVES: &str = include_str!("../../templates/demo/hives.oak");
const QUEENS: &str = include_str!("../../templates/demo/queens.oak");
const TREATMENTS: &str = include_str!("../../templates/demo/treatments.oak");
const HONEY: &str = include_str!("../../templates/demo/honey.oak");
const ROWS: &str = include_str!("../../templates/demo/rows.sql");

/// Plays the story, and leaves the project in a folder if asked to.
pub fn run(args: &DemoArgs, global: &Global, output: &mut Output) -> Result<Exit> {
    if global.json {
        return Err(Failure::usage("the demo is a story to read; it has no JSON")
            .help("every command in it has: `oak status --json`"));
    }
    // It ends with the demo.
    let (_server, url) = database(args, global)?;
    let here = std::env::current_dir().map_err(|error| Failure::new(format!("there is no working folder: {error}")))?;
    match &args.keep {
        Some(folder) => {
            let folder = here.join(folder);
            refuse_used(&folder)?;
            make_folder(&folder)?;
            play_in(&folder, &here, url, output)?;
            output.line(format_args!("\nthe project is in {}", folder.display()));
            output.next(&format!("cd {}", folder.display()), "and go on from there");
        }
        None => {
            let folder = tempfile::tempdir()
                .map_err(|error| Failure::new(format!("no temporary folder can be made: {error}")))?;
            let project = folder.path().join("brackenfold");
            make_folder(&project)?;
            play_in(&project, &here, url, output)?;
            output.line(dim("\nthe folder was temporary and is gone; `oak demo --keep brackenfold` leaves it there"));
        }
    }
    Ok(Exit::Done)
}

fn refuse_used(folder: &Path) -> Result<()> {
    let used = folder.exists() && std::fs::read_dir(folder).map_or(true, |mut entries| entries.next().is_some());
    if !used {
        return Ok(());
    }
    Err(Failure::usage(format!("`{}` is there already and not empty", folder.display()))
        .help("name a folder that is not there yet; nothing was changed"))
}

/// Plays the story with the folder as working folder, so that every path in it is short.
fn play_in(folder: &Path, back: &Path, url: Option<String>, output: &mut Output) -> Result<()> {
    let enter =
        |folder: &Path| std::env::set_current_dir(folder).map_err(|error| Failure::file("enter", folder, &error));
    enter(folder)?;
    let played = Stage { folder: folder.to_owned(), provider: provider_of(url.as_deref()), url, output }.play();
    enter(back)?;
    played
}

/// The provider of a URL that was read before; SQLite without one.
fn provider_of(url: Option<&str>) -> Provider {
    let parsed = url.and_then(|url| TargetUrl::parse(url, Path::new("")).ok());
    parsed.map_or(Provider::Sqlite, |url| url.provider())
}

/// The database to play on: a file in the project's folder, the one that is given, or one of a server of its own.
fn database(args: &DemoArgs, global: &Global) -> Result<(Option<PrivateServer>, Option<String>)> {
    if let Some(url) = &global.url {
        TargetUrl::parse(url, Path::new("")).map_err(|error| {
            Failure::new(format!("the `--url` option has an unusable url: {error}")).help(error.help())
        })?;
        return Ok((None, Some(url.clone())));
    }
    let provider = match args.provider.as_str() {
        "postgres" => Provider::Postgres,
        "mariadb" => Provider::Mariadb,
        "mysql" => Provider::Mysql,
        _ => return Ok((None, None)),
    };
    let server = PrivateServer::start(provider, false).map_err(|error| {
        Failure::new(format!("a {} server for the demo cannot be started: {error}", provider.title()))
            .help("or name an empty database of a server that is there: `oak demo --url …`")
    })?;
    let url = server.url("brackenfold");
    Ok((Some(server), Some(url)))
}

struct Stage<'a> {
    folder: PathBuf,
    provider: Provider,
    url: Option<String>,
    output: &'a mut Output,
}

impl Stage<'_> {
    fn play(&mut self) -> Result<()> {
        self.output.line(strong("Brackenfold Bee Cooperative: from an empty folder to a database, and back"));

        self.tell("An empty folder becomes a project.");
        match self.url.clone() {
            None => self.oak(&["init"])?,
            Some(url) => self.oak(&["init", "--url", &url])?,
        }
        self.tell("The cooperative declares its keepers, apiaries, hives and inspections in schema/hives.oak:");
        std::fs::remove_file(self.folder.join("schema/start.oak"))
            .map_err(|error| Failure::file("remove", Path::new("schema/start.oak"), &error))?;
        self.write("schema/hives.oak", HIVES)?;
        self.excerpt(HIVES, "table hive {");
        self.oak(&["check"])?;
        self.oak(&["draft", "first hives"])?;
        self.tell("The first rows go along: a step of own SQL, written by hand behind the generated ones.");
        self.add_rows()?;
        self.oak(&["apply", "--yes"])?;
        self.oak(&["show", "keeper", "--rows", "4"])?;

        self.tell(
            "Queens get a table, with their mothers in it; a hive points to its queen, and she to a hive: a cycle.",
        );
        self.write("schema/queens.oak", QUEENS)?;
        self.edit(
            "schema/hives.oak",
            "    readings:   json, null\n",
            "    readings:   json, null\n    queen_id:   references queen, null, on delete set null\n",
        )?;
        self.oak(&["diff"])?;
        self.oak(&["draft", "queens"])?;
        self.oak(&["apply", "--yes"])?;

        self.tell(
            "Keepers have full names, and not every one has a phone. `formerly` keeps the rows under the new name.",
        );
        self.edit("schema/hives.oak", "    name:       text(120)\n", "    full_name:  text(120), formerly name\n")?;
        self.edit("schema/hives.oak", "(joined_on desc, name)", "(joined_on desc, full_name)")?;
        self.edit("schema/hives.oak", "    phone:      text(32)\n", "    phone:      text(32), null\n")?;
        self.oak(&["draft", "keeper names"])?;
        self.oak(&["review"])?;
        self.oak(&["apply", "--yes"])?;

        self.tell(
            "Hives are weighed in whole grams from now on. The old weights are converted, and back again by down.",
        );
        for (from, to) in [
            ("    gross_kg:   decimal(6, 2), null\n", "    gross_g:    int32, null, formerly gross_kg\n"),
            ("    tare_kg:    decimal(6, 2), default 0\n", "    tare_g:     int32, default 0, formerly tare_kg\n"),
            (
                "    net_kg:     decimal(6, 2), null, generated (gross_kg - tare_kg)\n",
                "    net_g:      int32, null, generated (gross_g - tare_g), formerly net_kg\n",
            ),
            ("(tare_kg >= 0)", "(tare_g >= 0)"),
            ("heavy (gross_kg) where (gross_kg > 40)", "heavy (gross_g) where (gross_g > 40000)"),
        ] {
            self.edit("schema/hives.oak", from, to)?;
        }
        self.oak(&[
            "draft",
            "weigh in grams",
            "--convert",
            "hive.gross_g=gross_kg * 1000",
            "--convert-back",
            "hive.gross_kg=gross_g / 1000.0",
            "--convert",
            "hive.tare_g=tare_kg * 1000",
            "--convert-back",
            "hive.tare_kg=tare_g / 1000.0",
        ])?;
        self.oak(&["apply", "--yes"])?;

        self.tell("The kinds of treatments belong to the schema: they are rows of the declarations, in schema/treatments.oak.");
        self.write("schema/treatments.oak", TREATMENTS)?;
        self.excerpt(TREATMENTS, "rows treatment_kind by (code) {");
        self.oak(&["draft", "treatments"])?;
        self.edit("schema/treatments.oak", "'Thymol'      | 14", "'Thymol'      | 21")?;
        self.oak(&["diff"])?;
        self.oak(&["draft", "thymol takes longer"])?;
        self.oak(&["apply", "--yes"])?;

        self.tell("Honey is harvested, mixed into lots and sold; a view sums the yield.");
        self.write("schema/honey.oak", HONEY)?;
        self.oak(&["draft", "honey lots"])?;

        self.tell("Every hive has a site. One has none so far, and gets the first.");
        self.edit(
            "schema/hives.oak",
            "    apiary_id:  references apiary, null, on delete restrict\n",
            "    apiary_id:  references apiary, on delete restrict\n",
        )?;
        let first = "hive.apiary_id=((select min(id) from apiary))";
        self.oak(&["draft", "every hive has a site", "--fill", first])?;

        self.tell("Nobody reads the notes of inspections. They go, and are kept aside until somebody misses them.");
        self.edit("schema/hives.oak", "    notes:         text, null\n", "")?;
        self.oak(&["draft", "retire notes", "--keep", "inspection.notes"])?;
        self.oak(&["apply", "--yes"])?;
        self.oak(&["kept", "list"])?;
        self.oak(&["diff", "live", "declared"])?;

        self.tell("Back to the first migration: names, weights and notes are what they were.");
        self.oak(&["revert", "--to", "1", "--yes"])?;
        self.oak(&["show", "keeper", "--rows", "4"])?;
        self.oak(&["show", "hive", "--rows", "4"])?;
        self.oak(&["show", "inspection", "--rows", "3"])?;
        self.oak(&["apply", "--yes", "--quiet"])?;
        self.oak(&["status"])?;
        self.output.line(format_args!("{} that was the journey", done("the end:")));
        Ok(())
    }

    /// Adds the step with the first rows, where a person would: before the end of the transaction, or in one of its own
    /// where the other steps commit by themselves.
    fn add_rows(&mut self) -> Result<()> {
        let name = format!("migrations/0001-first-hives/{}.up.sql", self.provider);
        let script = read_file(&self.folder.join(&name))?;
        let step = ROWS.replace("step N:", &format!("step {}:", script.matches("\n--oak step ").count() + 1));
        if script.contains("--oak end\n") {
            return self.edit(&name, "--oak end\n", &format!("{step}\n--oak end\n"));
        }
        let last = script.lines().last().unwrap_or_default().to_owned();
        let framed = format!("{last}\n\n--oak begin\nstart transaction;\n\n{step}\n--oak end\ncommit;");
        self.edit_last(&name, &last, &framed)
    }

    fn tell(&mut self, words: &str) {
        self.output.line(format_args!("\n{} {}", accent("##"), strong(words)));
    }

    /// Shows the command line and runs it, by the same code as if it had been typed.
    fn oak(&mut self, arguments: &[&str]) -> Result<()> {
        let shown: Vec<_> = arguments
            .iter()
            .map(|word| if word.contains([' ', '(']) { format!("\"{word}\"") } else { (*word).to_owned() })
            .collect();
        self.output.line(format_args!("\n{} {}\n", dim("$"), accent(format_args!("oak {}", shown.join(" ")))));
        let words = std::iter::once("oak").chain(arguments.iter().copied());
        let cli = Cli::try_parse_from(words).map_err(|error| Failure::new(error.to_string()))?;
        match execute(&cli, self.output)? {
            Exit::Done => Ok(()),
            _ => Err(Failure::new(format!("`oak {}` did not go through", shown.join(" ")))),
        }
    }

    fn write(&mut self, name: &str, text: &str) -> Result<()> {
        write_file(&self.folder.join(name), text)
    }

    fn edit(&mut self, name: &str, from: &str, to: &str) -> Result<()> {
        self.replace(name, from, to, |text| text.replacen(from, to, 1))
    }

    /// The same where the text stands last.
    fn edit_last(&mut self, name: &str, from: &str, to: &str) -> Result<()> {
        self.replace(name, from, to, |text| match text.rfind(from) {
            Some(at) => format!("{}{to}{}", &text[..at], &text[at + from.len()..]),
            None => text.to_owned(),
        })
    }

    fn replace(&mut self, name: &str, from: &str, to: &str, change: impl FnOnce(&str) -> String) -> Result<()> {
        let path = self.folder.join(name);
        let text = read_file(&path)?;
        self.output.line(format_args!("\n{} {}", dim("edited"), name));
        for line in to.lines().filter(|line| !from.contains(line)) {
            self.output.line(format_args!("  {line}"));
        }
        for line in from.lines().filter(|_| to.is_empty()) {
            self.output.line(format_args!("  {}  {}", line, dim("(taken out)")));
        }
        write_file(&path, &change(&text))
    }

    /// Shows one declaration of a file.
    fn excerpt(&mut self, text: &str, head: &str) {
        self.output.line("");
        let lines = text.lines().skip_while(|line| *line != head);
        for line in lines.take_while(|line| *line != "}") {
            self.output.line(format_args!("  {line}"));
        }
        self.output.line("  }");
    }
}
