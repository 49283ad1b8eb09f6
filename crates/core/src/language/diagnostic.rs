//! Mistakes and faults as a reader sees them: message, places in files, help. The cli draws them.

use serde::Serialize;

use super::habits;
use super::mistake::Mistake;
use crate::Span;
use crate::schema::Severity;
use crate::span::line_of;

/// A declaration file: its name for messages, and its text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Source {
    /// The name, as a path from the project's folder.
    pub name: String,
    /// The text.
    pub text: String,
}

/// One mistake or fault, ready to be shown.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// Whether it stops anything.
    pub severity: Severity,
    /// What happened.
    pub message: String,
    /// The places, the main one first.
    pub labels: Vec<Label>,
    /// What to type next.
    pub help: String,
}

/// A place in a file with a word about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Label {
    /// Index of the file in the list that was read.
    pub source: usize,
    /// The bytes.
    pub span: Span,
    /// What stands under the caret.
    pub text: String,
}

impl Diagnostic {
    /// A mistake in one file, with what to type instead as the text around it tells.
    pub fn in_text(mistake: &Mistake, source: usize, text: &str) -> Self {
        let told = Self::of_mistake(mistake, source);
        match habits::instead(mistake, text) {
            Some(help) => Self { help, ..told },
            None => told,
        }
    }

    /// A mistake in one file.
    pub fn of_mistake(mistake: &Mistake, source: usize) -> Self {
        let label = Label { source, span: mistake.span, text: mistake.kind.label() };
        Self {
            severity: Severity::Error,
            message: mistake.kind.to_string(),
            labels: vec![label],
            help: mistake.kind.help(),
        }
    }

    /// Whether it stops anything.
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }

    /// `file:line` of the main place, with the line counted from 1.
    pub fn position(&self, sources: &[Source]) -> Option<Position> {
        let label = self.labels.first()?;
        let source = sources.get(label.source)?;
        let line_start = source.text[..label.span.start].rfind('\n').map_or(0, |at| at + 1);
        Some(Position {
            file: source.name.clone(),
            line: line_of(&source.text, label.span.start),
            column: source.text[line_start..label.span.start].chars().count() + 1,
        })
    }
}

/// A place for people and editors.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Position {
    /// The file's name.
    pub file: String,
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
}
