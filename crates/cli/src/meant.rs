//! Commands under another name than ours: which one was meant.

use clap::Error;
use clap::builder::StyledStr;
use clap::error::{ContextKind, ContextValue, ErrorKind};

/// The error with the command that was meant, where the word that was typed tells by its sense. Letters alike would tell
/// `revert` for `generate`.
pub fn with_meant_command(mut error: Error) -> Error {
    if error.kind() != ErrorKind::InvalidSubcommand {
        return error;
    }
    let meant = match error.get(ContextKind::InvalidSubcommand) {
        Some(ContextValue::String(word)) => meant(word),
        _ => None,
    };
    if let Some((command, what)) = meant {
        error.remove(ContextKind::SuggestedSubcommand);
        let tip = StyledStr::from(format!("`oak {command}` {what}"));
        error.insert(ContextKind::Suggested, ContextValue::StyledStrs(vec![tip]));
    }
    error
}

/// A command and what it does.
fn meant(word: &str) -> Option<(&'static str, &'static str)> {
    Some(match word.to_lowercase().as_str() {
        "migrate" | "up" | "upgrade" | "update" | "run" | "deploy" | "push" | "execute" => {
            ("apply", "brings a target up to the newest migration")
        }
        "rollback" | "down" | "undo" | "downgrade" | "back" => ("revert", "brings a target down again"),
        "generate" | "new" | "create" | "make" | "add" | "migration" | "write" => {
            ("draft TITLE", "writes a migration: what changed since the last one")
        }
        "plan" | "compare" | "preview" | "changes" => ("diff", "shows what differs between two sides"),
        "history" | "log" | "list" | "ls" | "info" | "state" | "migrations" => {
            ("status", "shows what is applied and what is pending")
        }
        "validate" | "lint" | "verify" | "test" => ("check", "reads the declarations and says what is wrong"),
        "fmt" => ("format", "lays declaration files out in the one standard form"),
        "import" | "introspect" | "inspect" | "pull" | "baseline" | "reverse" => {
            ("adopt", "takes an existing database in")
        }
        "reset" | "recreate" => ("rebuild", "drops what is managed and applies everything"),
        "start" | "setup" | "begin" => ("init", "starts a project"),
        "tables" | "describe" | "schema" | "view" => ("show", "shows what a target holds now"),
        "remove" | "delete" | "rm" => ("discard", "removes the newest draft"),
        "drift" => ("absorb", "shows what was changed by hand, and takes it into the declarations"),
        "ping" | "connect" | "config" => ("doctor", "checks configuration and connections"),
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use clap::{CommandFactory, Parser};

    use super::{meant, with_meant_command};
    use crate::args::Cli;

    #[test]
    fn a_command_by_another_name_is_told_by_its_own() {
        let told = |word: &str| {
            let error = Cli::try_parse_from(["oak", word]).expect_err("it is no command");
            with_meant_command(error).to_string()
        };
        assert!(told("rollback").contains("tip: `oak revert` brings a target down again\n"), "{}", told("rollback"));
        assert!(!told("generate").contains("oak revert"), "{}", told("generate"));
        assert!(told("aply").contains("'apply'"), "{}", told("aply"));
    }

    #[test]
    fn what_is_told_is_a_command_and_what_was_typed_is_none() {
        let cli = Cli::command();
        for word in
            ["up", "undo", "new", "plan", "log", "lint", "fmt", "import", "reset", "setup", "tables", "rm", "drift"]
        {
            let (command, _) = meant(word).unwrap_or_else(|| panic!("{word}"));
            let name = command.split(' ').next().unwrap_or_default();
            assert!(cli.find_subcommand(name).is_some(), "{name}");
            assert!(cli.find_subcommand(word).is_none(), "{word}");
        }
    }
}
