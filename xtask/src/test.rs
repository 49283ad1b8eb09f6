//! `cargo xtask test`: everything that has to pass.

use std::process::Command;

use crate::install::{Program, ensure, run};

/// The `sqlite3` shell is the oracle of the property tests on SQLite; the servers are started by the tests themselves, and
/// their clients and dumpers are oracles and yardsticks.
pub const PROGRAMS: [Program; 6] = [
    Program { command: "sqlite3", package: "sqlite3" },
    // Debian keeps the server's programs out of the path.
    Program { command: "/usr/lib/postgresql/*/bin/initdb initdb", package: "postgresql" },
    Program { command: "pg_dump", package: "postgresql-client" },
    Program { command: "/usr/sbin/pgbouncer pgbouncer", package: "pgbouncer" },
    Program { command: "/usr/sbin/mariadbd mariadbd", package: "mariadb-server" },
    Program { command: "mariadb-dump", package: "mariadb-client" },
];

/// Installs what is missing and runs all tests.
pub fn run_tests(arguments: &[String]) -> Result<(), String> {
    ensure(&PROGRAMS)?;
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    run(Command::new(cargo).args(["test", "--workspace"]).args(arguments))
}
