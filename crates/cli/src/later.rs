//! Arguments of a command that are only defined once the command is asked for.
//!
//! Every start defines the whole command line otherwise, which is most of what `oak --version` would do.

use std::ops::Deref;

use clap::{ArgMatches, Args, Command, Error, FromArgMatches};

/// The arguments of a command, defined late.
#[derive(Debug)]
pub struct Later<T>(T);

impl<T> Deref for Later<T> {
    type Target = T;

    fn deref(&self) -> &T {
        &self.0
    }
}

impl<T: Args> Args for Later<T> {
    fn augment_args(command: Command) -> Command {
        command.defer(define::<T>)
    }

    fn augment_args_for_update(command: Command) -> Command {
        T::augment_args_for_update(command)
    }
}

impl<T: FromArgMatches> FromArgMatches for Later<T> {
    fn from_arg_matches(matches: &ArgMatches) -> Result<Self, Error> {
        T::from_arg_matches(matches).map(Self)
    }

    fn update_from_arg_matches(&mut self, matches: &ArgMatches) -> Result<(), Error> {
        self.0.update_from_arg_matches(matches)
    }
}

/// Defines the arguments. What the command is about was said before, where all commands are listed.
fn define<T: Args>(command: Command) -> Command {
    let about = command.get_about().cloned();
    let mut command = T::augment_args(command);
    if let Some(about) = about {
        command = command.about(about);
    }
    command.long_about(None)
}
