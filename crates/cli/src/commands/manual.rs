//! `oak manual`: the manual page on standard output, in troff.

use clap::CommandFactory;

use crate::args::Cli;
use crate::exit::Exit;
use crate::failure::{Failure, Result};
use crate::output::Output;

/// Prints the manual page of oak and of each command.
pub fn run(output: &mut Output) -> Result<Exit> {
    let mut text = Vec::new();
    let rendered = clap_mangen::Man::new(Cli::command()).render(&mut text);
    rendered.map_err(|error| Failure::new(format!("the manual page cannot be written: {error}")))?;
    output.text(&String::from_utf8_lossy(&text));
    Ok(Exit::Done)
}
