//! The project's chores: `cargo xtask test`, `bench`, `corpus`, `screenshots`, `servers`.

mod bench;
mod corpus;
mod install;
mod screenshots;
mod servers;
mod test;

use std::process::ExitCode;

const USAGE: &str = "\
usage: cargo xtask CHORE

  bench [PROVIDER…]    measure whole processes, each beside its yardstick
  corpus FOLDER [--chains] [APPLICATION…]
                       adopt the real schemas of a folder, make each again, compare the dumps; or try their upgrades
  screenshots [NAME…]  take docs/screenshots/*.png, all or those that are named
  servers NAME [ARGS…] fetch servers of another suite of Debian, and run the tests of the servers on them: bullseye, trixie,
                       forky, or mysql, which only unstable has
  test [ARGS…]         install what the tests need, then run `cargo test --workspace ARGS…`
";

fn main() -> ExitCode {
    let mut arguments = std::env::args().skip(1);
    let result = match arguments.next().as_deref() {
        Some("bench") => bench::bench(&arguments.collect::<Vec<_>>()),
        Some("corpus") => corpus::corpus(&arguments.collect::<Vec<_>>()),
        Some("screenshots") => screenshots::screenshots(&arguments.collect::<Vec<_>>()),
        Some("servers") => servers::servers(&arguments.collect::<Vec<_>>()),
        Some("test") => test::run_tests(&arguments.collect::<Vec<_>>()),
        _ => {
            eprint!("{USAGE}");
            return ExitCode::from(2);
        }
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("error: {message}");
            ExitCode::FAILURE
        }
    }
}
