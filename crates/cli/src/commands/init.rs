//! `oak init`: a project in an empty folder that works unchanged.

use std::path::{Path, PathBuf};

use hollow_oak_core::Provider;
use hollow_oak_core::plural::plural;
use hollow_oak_database::{Opening, TargetUrl};

use crate::args::Global;
use crate::exit::Exit;
use crate::failure::{Failure, Result, make_folder, shown_path, write_file};
use crate::output::{Output, done};
use crate::settings::{DEFAULT_LOCK_WAIT, FILE};

/// The first declaration of a new project.
pub(super) const FIRST_FILE: &str = "start.oak";

/// What stands in it.
pub(super) const DECLARATION: &str = include_str!("../../templates/start.oak");
const GIT_ATTRIBUTES: &str = "# Hashes of scripts are taken over LF text.\n*.oak text eol=lf\n*.sql text eol=lf\n";

/// Starts a project in the working folder, or in `--project`.
pub fn run(global: &Global, output: &mut Output) -> Result<Exit> {
    let here = std::env::current_dir().map_err(|error| Failure::new(format!("there is no working folder: {error}")))?;
    let folder = global.project.clone().unwrap_or(here);
    let config = folder.join(FILE);
    if config.exists() {
        return Err(Failure::new(format!("there is a project already: `{}`", shown_path(&config)))
            .help("nothing was changed; `oak` alone says where it stands"));
    }
    let name = project_name(&folder);
    let url = global.url.clone().unwrap_or_else(|| format!("sqlite:{name}.db"));
    let target = TargetUrl::parse(&url, &folder)
        .map_err(|error| Failure::new(format!("the `--url` option has an unusable url: {error}")).help(error.help()))?;
    let tables = tables_in(&target)?;

    let written = start(&folder, &name, &url, target.provider(), true)?;

    if global.json {
        let files: Vec<_> = written.iter().map(|path| shown_path(path)).collect();
        output
            .json(&serde_json::json!({ "project": name, "url": target.to_string(), "files": files, "tables": tables }));
        return Ok(Exit::Done);
    }
    output.line(format_args!("{} project {name} in {}", done("started"), shown_path(&folder)));
    output.line("");
    for path in &written {
        output.line(format_args!("  {}", shown_path(path)));
    }
    if tables > 0 {
        output.line(format_args!("\n{target} already holds {}.", plural("table", tables)));
        output.next("oak adopt", "takes them in: declarations, and a first migration that counts as applied");
    } else {
        output.next("oak check", "after editing the declarations in schema/");
    }
    Ok(Exit::Done)
}

/// Writes the files of a new project; returns which were written.
pub(super) fn start(
    folder: &Path,
    name: &str,
    url: &str,
    provider: Provider,
    declaration: bool,
) -> Result<Vec<PathBuf>> {
    let config = folder.join(FILE);
    make_folder(folder)?;
    let schema = folder.join("schema");
    let mut written: Vec<PathBuf> = Vec::new();
    if !holds_declarations(&schema) && declaration {
        make_folder(&schema)?;
        let first = schema.join(FIRST_FILE);
        write_file(&first, DECLARATION)?;
        written.push(first);
    }
    make_folder(&schema)?;
    make_folder(&folder.join("migrations"))?;
    for (name, text) in
        [(".gitattributes", GIT_ATTRIBUTES), (".gitignore", ".env\n*.db\n*.db-journal\n*.db-wal\n*.db-shm\n")]
    {
        let path = folder.join(name);
        if !path.exists() {
            write_file(&path, text)?;
            written.push(path);
        }
    }
    // Last, so that an interrupted start can be started again.
    write_file(&config, &configuration(name, url, provider))?;
    written.insert(0, config);
    Ok(written)
}

pub(super) fn project_name(folder: &Path) -> String {
    let name = folder.file_name().map(|name| name.to_string_lossy().to_lowercase()).unwrap_or_default();
    let name = hollow_oak_core::history::slug(&name);
    if name.is_empty() { "app".into() } else { name }
}

fn holds_declarations(folder: &Path) -> bool {
    let mut files = Vec::new();
    folder.is_dir() && crate::project::oak_files(folder, &mut files).is_ok() && !files.is_empty()
}

fn tables_in(url: &TargetUrl) -> Result<usize> {
    if matches!(url, TargetUrl::Sqlite { path } if !path.is_file()) {
        return Ok(0);
    }
    let database = hollow_oak_database::open(url, Opening { create: false, lock_wait: DEFAULT_LOCK_WAIT })?;
    Ok(database.introspect()?.schema.tables().len())
}

fn configuration(name: &str, url: &str, provider: Provider) -> String {
    let quoted = |text: &str| format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\""));
    format!(
        "[project]\nname = {}\ndeclarations = [\"schema\"]        # files and folders of .oak files\nmigrations = \"migrations\"\n\
         default_target = \"dev\"\nrequires = \">={}\"\n\n[providers]                      # what scripts are written for\n{provider} = {{}}\n\n\
         [targets.dev]\nurl = {}\n",
        quoted(name),
        env!("CARGO_PKG_VERSION"),
        quoted(url)
    )
}
