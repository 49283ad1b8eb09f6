//! Why a command failed, in words: what happened, where, and what to type next.

use std::io::IsTerminal;
use std::path::{Path, PathBuf};

use hollow_oak_core::history::NotFound;
use hollow_oak_core::sql::{NotText, text_of_bytes};
use hollow_oak_database::DatabaseError;

use crate::exit::Exit;
use crate::output::{Output, accent, danger};

/// A failed command.
#[derive(Debug)]
pub struct Failure {
    /// Mistakes in files, drawn with the lines they are about.
    pub drawn: Vec<String>,
    /// What happened.
    pub message: String,
    /// Where and why, a line each.
    pub details: Vec<String>,
    /// What to type next.
    pub help: Option<String>,
    /// How the process ends.
    pub exit: Exit,
}

/// A command's result.
pub type Result<T> = std::result::Result<T, Failure>;

impl Failure {
    /// Something went wrong.
    pub fn new(message: impl Into<String>) -> Self {
        Self { drawn: Vec::new(), message: message.into(), details: Vec::new(), help: None, exit: Exit::Failed }
    }

    /// The command line asked for something that cannot be.
    pub fn usage(message: impl Into<String>) -> Self {
        Self { exit: Exit::Usage, ..Self::new(message) }
    }

    /// With what to type next.
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// With a line of where or why.
    pub fn detail(mut self, detail: impl Into<String>) -> Self {
        self.details.push(detail.into());
        self
    }

    /// A file that could not be read or written.
    pub fn file(verb: &str, path: &Path, error: &std::io::Error) -> Self {
        let reason = match error.kind() {
            std::io::ErrorKind::NotFound => "it is not there".to_owned(),
            std::io::ErrorKind::PermissionDenied => "permission denied".to_owned(),
            std::io::ErrorKind::InvalidData => "it is not UTF-8 text".to_owned(),
            _ => error.to_string(),
        };
        Self::new(format!("cannot {verb} `{}`: {reason}", path.display()))
    }

    /// Draws it on standard error.
    pub fn print(&self, output: &mut Output) {
        for drawing in &self.drawn {
            output.complain(format_args!("{drawing}\n"));
        }
        output.complain(format_args!("{} {}", danger("error:"), self.message));
        for detail in &self.details {
            for line in detail.lines() {
                output.complain(format_args!("  {line}"));
            }
        }
        if let Some(help) = &self.help {
            // Only a person minds where lines break.
            let width = if std::io::stderr().is_terminal() { output.width.saturating_sub(8) } else { usize::MAX };
            let lines = textwrap::wrap(
                help,
                textwrap::Options::new(width).word_splitter(textwrap::WordSplitter::NoHyphenation),
            );
            let mut lines = lines.iter();
            output.complain(format_args!("{} {}", accent(" help:"), lines.next().map_or("", |line| line.as_ref())));
            for line in lines {
                output.complain(format_args!("       {line}"));
            }
        }
    }
}

impl From<hollow_oak_core::history::DecisionFault> for Failure {
    fn from(fault: hollow_oak_core::history::DecisionFault) -> Self {
        Self::usage(fault.to_string()).help(format!("{}; nothing was written", fault.help))
    }
}

impl From<DatabaseError> for Failure {
    fn from(error: DatabaseError) -> Self {
        Self::new(error.to_string()).help(error.help())
    }
}

impl From<NotFound> for Failure {
    fn from(error: NotFound) -> Self {
        Self::new(error.to_string()).help(error.help())
    }
}

/// Reads a text file.
pub fn read_file(path: &Path) -> Result<String> {
    std::fs::read_to_string(path).map_err(|error| Failure::file("read", path, &error))
}

/// Reads a file of SQL, in the encoding that it says.
pub fn read_sql_file(path: &Path) -> Result<String> {
    let bytes = std::fs::read(path).map_err(|error| Failure::file("read", path, &error))?;
    text_of_bytes(bytes).map_err(|NotText { line, stated }| {
        let stated = stated.as_deref();
        let which = stated.map(|name| format!(", and {name}, which it says, is not known here")).unwrap_or_default();
        let (from, path) = (stated.unwrap_or("ENCODING").to_ascii_uppercase(), path.display());
        Failure::new(format!("cannot read `{path}`: line {line} is not UTF-8 text{which}"))
            .help(format!("`iconv -f {from} -t UTF-8 {path}` makes one that is; mend what it says of its encoding"))
    })
}

/// Writes a text file.
pub fn write_file(path: &Path, text: &str) -> Result<()> {
    std::fs::write(path, text).map_err(|error| Failure::file("write", path, &error))
}

/// Makes a folder and those above it.
pub fn make_folder(path: &Path) -> Result<()> {
    std::fs::create_dir_all(path).map_err(|error| Failure::file("make", path, &error))
}

/// A path as seen from the working folder, where that is shorter.
pub fn shown_path(path: &Path) -> String {
    let here: Option<PathBuf> = std::env::current_dir().ok();
    let relative = here.as_deref().and_then(|here| path.strip_prefix(here).ok());
    match relative {
        Some(relative) if relative.as_os_str().is_empty() => ".".into(),
        Some(relative) => relative.display().to_string(),
        None => path.display().to_string(),
    }
}
