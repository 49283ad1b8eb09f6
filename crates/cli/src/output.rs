//! Where answers and messages go, and how they look.
//!
//! The answer goes to standard output, everything said about it to standard error. One accent colour, red for danger,
//! green for done; without colours every word is still there. A closed pipe is nobody's failure: a run must not stop
//! because nobody reads on.

use std::fmt::Display;
use std::io::{self, IsTerminal, Write};

use anstyle::{AnsiColor, Style};

use crate::args::Global;

/// The width where no terminal says otherwise, in columns.
const DEFAULT_WIDTH: usize = 100;

/// A command's way to the outside.
pub struct Output {
    stdout: Box<dyn Write>,
    stderr: Box<dyn Write>,
    /// Columns of the terminal.
    pub width: usize,
    /// Whether the answer goes to a terminal.
    is_terminal: bool,
    /// Whether questions can be asked.
    pub interactive: bool,
    /// Whether standard error is a terminal, for progress.
    pub progress: bool,
    quiet: bool,
    verbose: bool,
}

impl Output {
    /// The process's own streams.
    pub fn terminal(global: &Global) -> Self {
        if global.no_color {
            anstream::ColorChoice::Never.write_global();
        }
        let stderr_is_terminal = io::stderr().is_terminal();
        Self {
            stdout: Box::new(anstream::stdout()),
            stderr: Box::new(anstream::stderr()),
            width: terminal_width(),
            is_terminal: io::stdout().is_terminal(),
            interactive: io::stdin().is_terminal() && stderr_is_terminal,
            progress: stderr_is_terminal && !global.quiet,
            quiet: global.quiet,
            verbose: global.verbose,
        }
    }

    /// A line of the answer.
    pub fn line(&mut self, text: impl Display) {
        ignore_closed_pipe(writeln!(self.stdout, "{text}"));
    }

    /// A sentence of the answer, so far from the edge. On a terminal it is broken between words; elsewhere it is one line,
    /// for whatever looks through lines.
    pub fn sentence(&mut self, indent: usize, text: impl Display) {
        let (text, edge) = (text.to_string(), " ".repeat(indent));
        if !self.is_terminal {
            return self.line(format_args!("{edge}{text}"));
        }
        let behind = " ".repeat(indent + 2);
        let options = textwrap::Options::new(self.width)
            .initial_indent(&edge)
            .subsequent_indent(&behind)
            .word_splitter(textwrap::WordSplitter::NoHyphenation);
        for line in textwrap::wrap(&text, options) {
            self.line(line);
        }
    }

    /// Text of the answer as it is.
    pub fn text(&mut self, text: &str) {
        ignore_closed_pipe(self.stdout.write_all(text.as_bytes()));
    }

    /// A JSON document, which is the whole answer.
    pub fn json(&mut self, value: &serde_json::Value) {
        self.line(format_args!("{value:#}"));
    }

    /// A message about what happens, left out when quiet.
    pub fn say(&mut self, text: impl Display) {
        if !self.quiet {
            ignore_closed_pipe(writeln!(self.stderr, "{text}"));
        }
    }

    /// The same from where there is no output at hand.
    pub fn say_aside(text: impl Display) {
        ignore_closed_pipe(writeln!(anstream::stderr(), "{text}"));
    }

    /// A message for those who asked to hear more.
    pub fn detail(&mut self, text: impl Display) {
        if self.verbose {
            ignore_closed_pipe(writeln!(self.stderr, "{text}"));
        }
    }

    /// An error or warning, never left out.
    pub fn complain(&mut self, text: impl Display) {
        self.flush();
        ignore_closed_pipe(writeln!(self.stderr, "{text}"));
    }

    /// A line that leads to a question; it is no part of the answer.
    pub fn question(&mut self, text: impl Display) {
        self.complain(text);
    }

    /// A question, with the answer to be typed behind it. Plain text and a plain line: whoever stops the process here
    /// gets the terminal back as it was.
    pub fn ask(&mut self, question: &str) {
        self.flush();
        ignore_closed_pipe(write!(self.stderr, "{question}").and_then(|()| self.stderr.flush()));
    }

    /// The next command to type.
    pub fn next(&mut self, command: &str, why: &str) {
        if !self.quiet {
            self.line(format_args!("\n{} {}  {}", dim("next:"), accent(command), dim(why)));
        }
    }

    /// Writes out what is buffered.
    pub fn flush(&mut self) {
        ignore_closed_pipe(self.stdout.flush());
    }
}

fn ignore_closed_pipe(result: io::Result<()>) {
    // There is nobody left to tell.
    let _ = result;
}

/// Columns of the terminal, or of `COLUMNS`.
pub fn terminal_width() -> usize {
    let from_environment = std::env::var("COLUMNS").ok().and_then(|columns| columns.parse().ok());
    from_environment
        .or_else(|| terminal_size::terminal_size().map(|(width, _)| usize::from(width.0)))
        .filter(|width| *width >= 20)
        .unwrap_or(DEFAULT_WIDTH)
}

fn styled(style: Style, text: impl Display) -> String {
    format!("{style}{text}{style:#}")
}

/// The one accent colour.
pub fn accent(text: impl Display) -> String {
    styled(AnsiColor::Cyan.on_default(), text)
}

/// Danger.
pub fn danger(text: impl Display) -> String {
    styled(AnsiColor::Red.on_default(), text)
}

/// Done.
pub fn done(text: impl Display) -> String {
    styled(AnsiColor::Green.on_default(), text)
}

/// What matters most in its place.
pub fn strong(text: impl Display) -> String {
    styled(Style::new().bold(), text)
}

/// What matters least.
pub fn dim(text: impl Display) -> String {
    styled(Style::new().dimmed(), text)
}
