//! `cargo xtask servers NAME`: the tests on servers that this system's packages do not have, from another suite of Debian.

use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use hollow_oak_database::throwaway::SERVER_PROGRAMS;

use crate::install::{ensure, run};
use crate::test::PROGRAMS;

/// Servers of one suite.
struct Servers {
    /// What they are asked for by.
    name: &'static str,
    suite: &'static str,
    /// What is taken from there, with all that it needs.
    packages: &'static [&'static str],
    /// What the tests run on.
    providers: &'static str,
    /// What the tests start, and what that starts.
    programs: &'static [&'static str],
}

const PROGRAMS_OF_BOTH: [&str; 10] = [
    "postgres",
    "initdb",
    "psql",
    "pg_dump",
    "mariadbd",
    "mariadb",
    "mariadb-dump",
    "my_print_defaults",
    "resolveip",
    INSTALL_DB,
];

/// A shell script.
const INSTALL_DB: &str = "mariadb-install-db";

const ALL: [Servers; 4] = [
    Servers {
        name: "bullseye",
        suite: "bullseye",
        packages: &["postgresql-13", "mariadb-server-10.5"],
        providers: "postgres,mariadb",
        programs: &PROGRAMS_OF_BOTH,
    },
    Servers {
        name: "trixie",
        suite: "trixie",
        packages: &["postgresql-17", "mariadb-server"],
        providers: "postgres,mariadb",
        programs: &PROGRAMS_OF_BOTH,
    },
    Servers {
        name: "forky",
        suite: "forky",
        packages: &["postgresql-18", "mariadb-server"],
        providers: "postgres,mariadb",
        programs: &PROGRAMS_OF_BOTH,
    },
    Servers {
        name: "mysql",
        suite: "unstable",
        packages: &["mysql-server-core", "mysql-client-core", "mysql-client"],
        providers: "mysql",
        programs: &["mysqld", "mysql", "mysqldump"],
    },
];

/// Puts the servers' programs into a folder of `target`, where they are not yet, and runs the tests of the tool's commands and
/// of the random pairs on them.
pub fn servers(arguments: &[String]) -> Result<(), String> {
    let known = || ALL.map(|servers| servers.name).join(", ");
    let (name, arguments) = arguments.split_first().ok_or_else(|| format!("name the servers: {}", known()))?;
    let servers = ALL.iter().find(|servers| servers.name == *name);
    let servers = servers.ok_or_else(|| format!("there are no servers `{name}`; there are {}", known()))?;
    ensure(&PROGRAMS)?;
    let programs = match std::env::var_os(SERVER_PROGRAMS) {
        Some(folder) => PathBuf::from(folder),
        None => servers.installed(&std::env::current_dir().map_err(words)?.join("target/servers").join(name))?,
    };
    // The tests call clients by their names.
    let path = std::env::var_os("PATH").unwrap_or_default();
    let path = std::env::join_paths([programs.clone()].into_iter().chain(std::env::split_paths(&path)));
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let mut tests = Command::new(cargo);
    tests.args(["test", "--package", "hollow-oak", "--package", "hollow-oak-testkit", "--no-fail-fast"]);
    tests.args(arguments).env("PATH", path.map_err(words)?);
    let providers = std::env::var("OAK_TEST_PROVIDERS").unwrap_or_else(|_| servers.providers.into());
    run(tests.env(SERVER_PROGRAMS, programs).env("OAK_TEST_PROVIDERS", providers))
}

impl Servers {
    /// The folder of the programs.
    fn installed(&self, folder: &Path) -> Result<PathBuf, String> {
        let (programs, root) = (folder.join("bin"), folder.join("root"));
        if self.programs.iter().all(|name| programs.join(name).exists()) {
            return Ok(programs);
        }
        eprintln!("fetching {} from Debian's {}", self.packages.join(" and "), self.suite);
        self.unpacked(&folder.join("apt"), &root)?;
        std::fs::create_dir_all(&programs).map_err(words)?;
        for name in self.programs {
            let file = program(&root, name)?;
            write_starter(&root, name, &file)?;
            std::os::unix::fs::symlink(&file, programs.join(name)).map_err(words)?;
        }
        Ok(programs)
    }

    /// Has a folder filled with the packages and all that they need, down to the C library: nothing of this system counts as
    /// installed.
    fn unpacked(&self, state: &Path, root: &Path) -> Result<(), String> {
        for part in ["state/lists/partial", "cache/archives/partial"] {
            std::fs::create_dir_all(state.join(part)).map_err(words)?;
        }
        std::fs::create_dir_all(root).map_err(words)?;
        std::fs::write(state.join("status"), "").map_err(words)?;
        std::fs::write(state.join("sources"), format!("deb {} {} main\n", archive()?, self.suite)).map_err(words)?;
        let apt = |arguments: &[&str]| {
            let place = |option: &str, part: &str| format!("--option={option}={}", state.join(part).display());
            let mut command = Command::new("apt-get");
            command
                .args(["--quiet=2", "--yes", "--option=Dir::Etc::SourceParts=-", "--option=APT::Sandbox::User=root"])
                .arg(place("Dir::Etc::SourceList", "sources"))
                .arg(place("Dir::State", "state"))
                .arg(place("Dir::State::Status", "status"))
                .arg(place("Dir::Cache", "cache"))
                .args(arguments);
            run(&mut command)
        };
        apt(&["update"])?;
        apt(&[&["install", "--download-only", "--no-install-recommends"][..], self.packages].concat())?;
        for entry in std::fs::read_dir(state.join("cache/archives")).map_err(words)? {
            let package = entry.map_err(words)?.path();
            if package.extension().is_some_and(|extension| extension == "deb") {
                run(Command::new("dpkg-deb").arg("--extract").arg(&package).arg(root))?;
            }
        }
        std::fs::remove_dir_all(state).map_err(words)
    }
}

/// Debian's archive, as this system is told of it.
fn archive() -> Result<String, String> {
    let output = Command::new("apt-get")
        .args(["indextargets", "--format", "$(REPO_URI)", "Created-By: Packages", "Label: Debian"])
        .output()
        .map_err(words)?;
    let found = String::from_utf8_lossy(&output.stdout).lines().next().map(str::to_owned);
    found.ok_or_else(|| format!("this is no Debian; name a folder with the servers' programs in {SERVER_PROGRAMS}"))
}

/// Where a program was unpacked. What Debian puts into the path for PostgreSQL only looks for the real one.
fn program(root: &Path, name: &str) -> Result<PathBuf, String> {
    let versions = entries(&root.join("usr/lib/postgresql")).into_iter().map(|version| version.join("bin"));
    let mut folders = versions.chain(["usr/sbin", "usr/bin"].map(|folder| root.join(folder)));
    let file = folders.find_map(|folder| Some(folder.join(name)).filter(|file| file.is_file()));
    file.ok_or_else(|| format!("there is no {name} in what was fetched"))
}

fn entries(folder: &Path) -> Vec<PathBuf> {
    std::fs::read_dir(folder)
        .map(|entries| entries.filter_map(|entry| Some(entry.ok()?.path())).collect())
        .unwrap_or_default()
}

/// Puts a script in a program's place that runs it with the libraries it came with, and tells it where its other files are.
/// The program is moved aside: some start each other by the place where they are.
fn write_starter(root: &Path, name: &str, file: &Path) -> Result<(), String> {
    let real = file.with_file_name(format!("{name}.real"));
    std::fs::rename(file, &real).map_err(words)?;
    let libraries = entries(&root.join("usr/lib"));
    let libraries = libraries.into_iter().find(|path| path.to_string_lossy().ends_with("-linux-gnu"));
    let libraries = libraries.ok_or("there are no libraries beside the programs")?;
    // Where the C library is in a folder of its own, it is not in the other one.
    let older = root.join(libraries.strip_prefix(root.join("usr")).map_err(words)?);
    let is_loader =
        |path: &PathBuf| path.file_name().is_some_and(|name| name.to_string_lossy().starts_with("ld-linux"));
    let loader = [&libraries, &older].into_iter().find_map(|folder| entries(folder).into_iter().find(is_loader));
    let loader = loader.ok_or("there is no loader beside the programs' libraries")?;
    let share = |name: &str| Some(root.join("usr/share").join(name)).filter(|folder| folder.is_dir());
    let shared = share("mariadb").or_else(|| share("mysql")).unwrap_or_default();
    let mut places = match name {
        "mysqld" | "mariadbd" => {
            format!(" --lc-messages-dir='{0}' --character-sets-dir='{0}/charsets'", shared.display())
        }
        INSTALL_DB => format!(" --basedir='{}'", root.join("usr").display()),
        _ => String::new(),
    };
    if name == "mariadbd" {
        places.push_str(&format!(" --plugin-dir='{}'", root.join("usr/lib/mysql/plugin").display()));
    }
    let starts = match name {
        INSTALL_DB => format!("/bin/sh '{}'", real.display()),
        _ => format!(
            "'{0}' --library-path '{1}:{2}:{1}/libtcmalloc' '{3}'",
            loader.display(),
            libraries.display(),
            older.display(),
            real.display()
        ),
    };
    std::fs::write(file, format!("#!/bin/sh\nexec {starts} \"$@\"{places}\n")).map_err(words)?;
    std::fs::set_permissions(file, std::fs::Permissions::from_mode(0o755)).map_err(words)
}

fn words(error: impl std::fmt::Display) -> String {
    error.to_string()
}
