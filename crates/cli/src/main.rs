//! `oak`: the command line of Hollow Oak.
//!
//! `main` reads the arguments, calls one function and turns its result into an exit code. Every command is a sandwich:
//! read files and databases, let the core decide, write.

mod args;
mod commands;
mod counting;
mod diagnostics;
mod exit;
mod failure;
mod including;
mod later;
mod line_ends;
mod meant;
mod output;
mod project;
mod settings;
mod side;
mod sql_files;
mod target;
mod typed;

use std::io::Write;
use std::process::ExitCode;

use clap::Parser;

use args::Cli;
use exit::Exit;
use output::Output;

/// Schemas are many small texts; the C library's allocator takes a quarter of the time to make and clear them away
/// (docs/performance.md).
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    if asks_only_for_the_version() {
        let _ = writeln!(std::io::stdout(), "oak {}", env!("CARGO_PKG_VERSION"));
        return Exit::Done.into();
    }
    let cli = match Cli::try_parse() {
        Ok(cli) => cli,
        Err(error) => {
            // Help and version are answers, everything else is wrong usage; clap prints each where it belongs.
            let error = meant::with_meant_command(error);
            let _ = error.print();
            return if error.use_stderr() { Exit::Usage } else { Exit::Done }.into();
        }
    };
    let mut output = Output::terminal(&cli.global);
    let exit = match commands::execute(&cli, &mut output) {
        Ok(exit) => exit,
        Err(failure) => {
            failure.print(&mut output);
            failure.exit
        }
    };
    exit.into()
}

/// Scripts ask this often, and building every command's line of arguments to say it would be a third of the time.
fn asks_only_for_the_version() -> bool {
    let mut arguments = std::env::args_os().skip(1);
    let first = arguments.next();
    first.is_some_and(|word| word == "--version" || word == "-V") && arguments.next().is_none()
}
