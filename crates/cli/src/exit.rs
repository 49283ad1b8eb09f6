//! Exit codes.

use std::process::ExitCode;

/// How a command ended.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Exit {
    /// Done, and nothing to report.
    Done = 0,
    /// It failed.
    Failed = 1,
    /// The command line was wrong.
    Usage = 2,
    /// Done, and there is something to report where the caller asked to be told.
    Report = 3,
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> Self {
        Self::from(exit as u8)
    }
}
