//! Programs that the chores need, from the distribution's packages.

use std::process::{Command, Stdio};

/// A program and the Debian package it comes in.
pub struct Program {
    /// The command, or several of which one is enough; a path may have stars in it.
    pub command: &'static str,
    /// The package.
    pub package: &'static str,
}

/// Installs the programs that are missing.
pub fn ensure(programs: &[Program]) -> Result<(), String> {
    let missing: Vec<&str> =
        programs.iter().filter(|program| !is_there(program.command)).map(|program| program.package).collect();
    if missing.is_empty() {
        return Ok(());
    }
    let names = missing.join(" ");
    if !is_there("apt-get") {
        return Err(format!("please install {names} with this system's package manager"));
    }
    eprintln!("installing {names}");
    run_as_root(&["apt-get", "update", "--quiet=2"])?;
    let mut install = vec!["apt-get", "install", "--yes", "--quiet=2", "--no-install-recommends"];
    install.extend(missing);
    run_as_root(&install)
}

fn is_there(command: &str) -> bool {
    let look = format!("for one in {command}; do command -v $one && exit 0; done; exit 1");
    let found = Command::new("sh").args(["-c", &look]).stdout(Stdio::null()).status();
    found.is_ok_and(|status| status.success())
}

fn run_as_root(words: &[&str]) -> Result<(), String> {
    let is_root = Command::new("id").arg("-u").output().is_ok_and(|output| output.stdout.starts_with(b"0"));
    let words: Vec<&str> = if is_root { words.to_vec() } else { [&["sudo"], words].concat() };
    let mut command = Command::new(words[0]);
    command.args(&words[1..]).env("DEBIAN_FRONTEND", "noninteractive").stdout(Stdio::null());
    run(&mut command)
}

/// Runs a command that has to succeed.
pub fn run(command: &mut Command) -> Result<(), String> {
    let shown = format!("{command:?}");
    let status = command.status().map_err(|error| format!("{shown}: {error}"))?;
    if status.success() { Ok(()) } else { Err(format!("{shown} ended with {status}")) }
}
