//! Files of SQL that bring in others, as the clients of the providers let them.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use hollow_oak_core::Dialect;
use hollow_oak_core::Span;
use hollow_oak_core::dialect::Inclusion;
use hollow_oak_core::language::{Diagnostic, Label, Source};
use hollow_oak_core::schema::Severity;

use crate::diagnostics::draw;
use crate::failure::{Failure, Result, read_sql_file};
use crate::output::terminal_width;

/// Reads files of one provider's SQL, and in their places those that they bring in; one that another brings in is not read
/// for itself. Each is called by its path within `folder`, and cut in two where another stands in it.
///
/// # Errors
///
/// A file that cannot be read, is not there, or brings in itself.
pub fn sources(files: &[PathBuf], dialect: Dialect, folder: &Path) -> Result<Vec<Source>> {
    let mut brought_in = BTreeSet::new();
    let mut read = Vec::with_capacity(files.len());
    for file in files {
        let mut reading = Reading {
            dialect,
            folder,
            started: file.parent().unwrap_or(Path::new("")),
            open: Vec::new(),
            sources: Vec::new(),
            brought_in: &mut brought_in,
        };
        reading.file(file)?;
        read.push((real(file), reading.sources));
    }
    Ok(read.into_iter().filter(|(file, _)| !brought_in.contains(file)).flat_map(|(_, sources)| sources).collect())
}

struct Reading<'a> {
    dialect: Dialect,
    /// The project's folder, where many start their client.
    folder: &'a Path,
    /// The folder of the first file, where others do.
    started: &'a Path,
    /// The files that are being read, the innermost last.
    open: Vec<PathBuf>,
    sources: Vec<Source>,
    brought_in: &'a mut BTreeSet<PathBuf>,
}

impl Reading<'_> {
    fn file(&mut self, path: &Path) -> Result<()> {
        let name = path.strip_prefix(self.folder).unwrap_or(path).display().to_string();
        let source = Source { name, text: read_sql_file(path)? };
        let inclusions = self.dialect.inclusions(&source.text);
        self.open.push(real(path));
        let mut from = 0;
        for one in &inclusions {
            self.sources.push(stretch(&source, Span::new(from, one.span.start)));
            let file = self.found(path, one).map_err(|places| not_there(&source, one, &places))?;
            if self.open.contains(&real(&file)) {
                return Err(refused(&source, one, format!("`{}` is being read already", one.path))
                    .help("a file that brings in itself never ends"));
            }
            self.brought_in.insert(real(&file));
            self.file(&file)?;
            from = one.span.end;
        }
        self.open.pop();
        self.sources.push(match from {
            0 => source,
            _ => stretch(&source, Span::new(from, source.text.len())),
        });
        Ok(())
    }

    /// Where a file is, or where it was looked for. A client counts from the folder where it was started, which nobody
    /// says: that of the first file, or the project's.
    fn found(&self, by: &Path, inclusion: &Inclusion) -> std::result::Result<PathBuf, Vec<PathBuf>> {
        let beside = by.parent().unwrap_or(Path::new(""));
        let folders = if inclusion.is_beside { &[beside][..] } else { &[self.started, self.folder, beside] };
        let mut places = Vec::new();
        for place in folders.iter().map(|folder| folder.join(&inclusion.path)) {
            if !places.contains(&place) {
                places.push(place);
            }
        }
        match places.iter().position(|place| place.is_file()) {
            Some(at) => Ok(places.swap_remove(at)),
            None => Err(places),
        }
    }
}

/// A part of a file, with its lines where they are in the whole.
fn stretch(source: &Source, span: Span) -> Source {
    let lines = source.text[..span.start].matches('\n').count();
    Source { name: source.name.clone(), text: "\n".repeat(lines) + span.text(&source.text) }
}

/// A file's path, however it was said.
fn real(path: &Path) -> PathBuf {
    path.canonicalize().unwrap_or_else(|_| path.to_owned())
}

fn refused(source: &Source, inclusion: &Inclusion, message: String) -> Failure {
    let diagnostic = Diagnostic {
        severity: Severity::Error,
        message,
        labels: vec![Label { source: 0, span: inclusion.span, text: "brought in here".to_owned() }],
        help: String::new(),
    };
    let drawn = vec![draw(&diagnostic, std::slice::from_ref(source), terminal_width())];
    Failure { drawn, ..Failure::new(format!("{} cannot be read with what it brings in", source.name)) }
}

fn not_there(source: &Source, inclusion: &Inclusion, places: &[PathBuf]) -> Failure {
    let places: Vec<_> = places.iter().map(|place| format!("`{}`", place.display())).collect();
    refused(source, inclusion, format!("there is no file `{}`", inclusion.path))
        .help(format!("it was looked for as {}", places.join(" and ")))
}
