//! `cargo xtask corpus FOLDER`: real schemas, taken in and made again.

use std::process::Command;

use crate::install::{ensure, run};
use crate::test::PROGRAMS;

/// Builds the program and the comparison, and runs the one over the other.
pub fn corpus(arguments: &[String]) -> Result<(), String> {
    if arguments.is_empty() {
        return Err("name the folder with the schemas: `cargo xtask corpus FOLDER`".into());
    }
    ensure(&PROGRAMS)?;
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    run(Command::new(&cargo).args(["build", "--release", "--package", "hollow-oak"]))?;
    let oak = std::env::current_dir().map_err(|error| error.to_string())?.join("target/release/oak");
    let compare = ["run", "--quiet", "--package", "hollow-oak-testkit", "--example", "corpus", "--"];
    run(Command::new(cargo).args(compare).arg(oak).args(arguments))
}
