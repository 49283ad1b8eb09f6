//! `cargo xtask mysql`: the tests on MySQL, whose server stable Debian does not have.

use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::Command;

use hollow_oak_database::throwaway::MYSQL_PROGRAMS;

use crate::install::{ensure, run};
use crate::test::PROGRAMS;

/// What is taken from Debian's unstable suite, with all that it needs, and run from a folder of its own.
const PACKAGES: [&str; 3] = ["mysql-server-core", "mysql-client-core", "mysql-client"];

/// Puts MySQL's programs into `target/mysql`, where they are not yet, and runs the tests of the tool's commands and of the
/// random pairs on it.
pub fn mysql(arguments: &[String]) -> Result<(), String> {
    ensure(&PROGRAMS)?;
    let programs = match std::env::var_os(MYSQL_PROGRAMS) {
        Some(folder) => PathBuf::from(folder),
        None => installed(&std::env::current_dir().map_err(words)?.join("target/mysql"))?,
    };
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let mut tests = Command::new(cargo);
    tests.args(["test", "--package", "hollow-oak", "--package", "hollow-oak-testkit", "--no-fail-fast"]);
    run(tests.args(arguments).env(MYSQL_PROGRAMS, programs).env("OAK_TEST_PROVIDERS", "mysql"))
}

/// The folder of the programs.
fn installed(folder: &Path) -> Result<PathBuf, String> {
    let programs = folder.join("bin");
    if programs.join("mysqldump").exists() {
        return Ok(programs);
    }
    eprintln!("fetching MySQL from Debian's unstable suite");
    let (state, root) = (folder.join("apt"), folder.join("root"));
    for part in ["state/lists/partial", "cache/archives/partial"] {
        std::fs::create_dir_all(state.join(part)).map_err(words)?;
    }
    std::fs::create_dir_all(&root).map_err(words)?;
    // Nothing of this system counts as installed, so that all libraries come along, down to the C library.
    std::fs::write(state.join("status"), "").map_err(words)?;
    std::fs::write(state.join("sources"), format!("deb {} unstable main\n", archive()?)).map_err(words)?;
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
    apt(&[&["install", "--download-only", "--no-install-recommends"][..], &PACKAGES].concat())?;
    for entry in std::fs::read_dir(state.join("cache/archives")).map_err(words)? {
        let package = entry.map_err(words)?.path();
        if package.extension().is_some_and(|extension| extension == "deb") {
            run(Command::new("dpkg-deb").arg("--extract").arg(&package).arg(&root))?;
        }
    }
    std::fs::create_dir_all(&programs).map_err(words)?;
    for name in ["mysqld", "mysql", "mysqldump"] {
        let file = programs.join(name);
        std::fs::write(&file, starter(&root, name)?).map_err(words)?;
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o755)).map_err(words)?;
    }
    std::fs::remove_dir_all(&state).map_err(words)?;
    Ok(programs)
}

/// Debian's archive, as this system is told of it.
fn archive() -> Result<String, String> {
    let output = Command::new("apt-get")
        .args(["indextargets", "--format", "$(REPO_URI)", "Created-By: Packages", "Label: Debian"])
        .output()
        .map_err(words)?;
    let found = String::from_utf8_lossy(&output.stdout).lines().next().map(str::to_owned);
    found.ok_or_else(|| {
        format!("this is no Debian; name a folder with MySQL's mysqld, mysql and mysqldump in {MYSQL_PROGRAMS}")
    })
}

/// A script that runs a program with the libraries it came with.
fn starter(root: &Path, name: &str) -> Result<String, String> {
    let folder = if name == "mysqld" { "usr/sbin" } else { "usr/bin" };
    let libraries = std::fs::read_dir(root.join("usr/lib")).map_err(words)?;
    let mut libraries = libraries.filter_map(|entry| Some(entry.ok()?.path()));
    let libraries = libraries.find(|path| path.to_string_lossy().ends_with("-linux-gnu"));
    let libraries = libraries.ok_or("there are no libraries beside MySQL")?;
    let loader = std::fs::read_dir(&libraries).map_err(words)?.filter_map(|entry| Some(entry.ok()?.path()));
    let mut loader =
        loader.filter(|path| path.file_name().is_some_and(|name| name.to_string_lossy().starts_with("ld-linux")));
    let loader = loader.next().ok_or("there is no loader beside MySQL's libraries")?;
    let shared = root.join("usr/share/mysql");
    let places = match name {
        "mysqld" => format!(" --lc-messages-dir='{0}' --character-sets-dir='{0}/charsets'", shared.display()),
        _ => String::new(),
    };
    let program = root.join(folder).join(name);
    Ok(format!(
        "#!/bin/sh\nexec '{}' --library-path '{1}:{1}/libtcmalloc' --argv0 '{2}' '{2}' \"$@\"{places}\n",
        loader.display(),
        libraries.display(),
        program.display()
    ))
}

fn words(error: impl std::fmt::Display) -> String {
    error.to_string()
}
