//! `cargo xtask test`: everything that has to pass.

use std::process::Command;

use crate::install::{Program, ensure, run};

/// The `sqlite3` shell is the oracle of the property tests.
const PROGRAMS: [Program; 1] = [Program { command: "sqlite3", package: "sqlite3" }];

/// Installs what is missing and runs all tests.
pub fn run_tests(arguments: &[String]) -> Result<(), String> {
    ensure(&PROGRAMS)?;
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    run(Command::new(cargo).args(["test", "--workspace"]).args(arguments))
}
