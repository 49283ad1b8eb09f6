//! `oak completions`: shell completions on standard output.

use clap::CommandFactory;

use crate::args::{Cli, CompletionsArgs};
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::Output;

/// Prints the completions of a shell.
pub fn run(args: &CompletionsArgs, output: &mut Output) -> Result<Exit> {
    let mut text = Vec::new();
    clap_complete::generate(args.shell, &mut Cli::command(), "oak", &mut text);
    output.text(&String::from_utf8_lossy(&text));
    Ok(Exit::Done)
}
