//! The commands, one file each, and the door to them.

mod absorb;
mod adopt;
mod apply;
mod check;
mod completions;
mod demo;
mod diff;
mod discard;
mod doctor;
mod draft;
mod drafting;
mod format;
mod init;
mod kept;
mod layout;
mod manual;
mod mark;
mod overview;
mod rebuild;
mod redraft;
mod reports;
mod revert;
mod review;
mod running;
mod show;
mod status;
mod sync;

use crate::args::{Cli, Command};
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::Output;

/// Runs the command that the arguments name.
pub fn execute(cli: &Cli, output: &mut Output) -> Result<Exit> {
    let global = &cli.global;
    let result = match &cli.command {
        None => overview::run(global, output),
        Some(Command::Init) => init::run(global, output),
        Some(Command::Check) => check::run(global, output),
        Some(Command::Format(args)) => format::run(args, global, output),
        Some(Command::Diff(args)) => diff::run(args, global, output),
        Some(Command::Draft(args)) => draft::run(args, global, output),
        Some(Command::Redraft(args)) => redraft::run(args, global, output),
        Some(Command::Review(args)) => review::run(args, global, output),
        Some(Command::Discard) => discard::run(global, output),
        Some(Command::Status(args)) => status::run(args, global, output),
        Some(Command::Apply(args)) => apply::run(args, global, output),
        Some(Command::Revert(args)) => revert::run(args, global, output),
        Some(Command::Mark(command)) => mark::run(command, global, output),
        Some(Command::Sync(args)) => sync::run(args, global, output),
        Some(Command::Rebuild) => rebuild::run(global, output),
        Some(Command::Absorb(args)) => absorb::run(args, global, output),
        Some(Command::Adopt(args)) => adopt::run(args, global, output),
        Some(Command::Kept(command)) => kept::run(command, global, output),
        Some(Command::Show(args)) => show::run(args, global, output),
        Some(Command::Doctor) => doctor::run(global, output),
        Some(Command::Demo(args)) => demo::run(args, global, output),
        Some(Command::Completions(args)) => completions::run(args, output),
        Some(Command::Manual) => manual::run(output),
    };
    output.flush();
    result
}
