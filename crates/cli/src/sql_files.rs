//! Declarations written in the SQL of one provider.

use std::collections::BTreeSet;
use std::path::Path;

use hollow_oak_core::dialect::{Lifted, PassedOver, SqlMistake, lift};
use hollow_oak_core::language::{Diagnostic, Label, Source, declare, print};
use hollow_oak_core::physical::Introspected;
use hollow_oak_core::plural::plural;
use hollow_oak_core::schema::{FaultKind, Identifier, Severity};
use hollow_oak_core::{Dialect, Provider, Span};
use hollow_oak_database::{TargetUrl, read_through};

use crate::args::Global;
use crate::diagnostics::draw;
use crate::failure::{Failure, Result};
use crate::output::terminal_width;
use crate::project::Project;
use crate::target;

/// Whether a file holds SQL.
pub fn is_sql(path: &Path) -> bool {
    path.extension().is_some_and(|extension| extension.eq_ignore_ascii_case("sql"))
}

/// The provider that a file's name tells: `schema.postgres.sql`.
pub fn provider_of(path: &Path) -> Option<Provider> {
    let stem = Path::new(path.file_stem()?);
    Provider::from_word(stem.extension()?.to_str()?)
}

/// How SQL files are read.
#[derive(Clone, Copy)]
pub struct SqlReading<'a> {
    /// The project, where there is one.
    pub project: Option<&'a Project>,
    /// The options; one of them asks for a server.
    pub global: &'a Global,
}

/// Files of one provider's SQL, read as one script in their order, and what they declare.
pub struct SqlFile {
    /// Whose SQL it is.
    pub dialect: Dialect,
    /// Their texts.
    pub parts: Vec<Source>,
    /// What is in them.
    pub found: Introspected,
    /// Statements in it that say nothing of a schema.
    passed_over: Vec<PassedOver>,
}

impl SqlReading<'_> {
    /// The dialect of a file: as its name says, or the only one there is.
    pub fn dialect(&self, path: &Path, dialects: &[Dialect]) -> Result<Dialect> {
        if let Some(dialect) = provider_of(path).and_then(Dialect::of) {
            return Ok(dialect);
        }
        if let [only] = dialects {
            return Ok(*only);
        }
        let file = path.file_stem().map(|stem| stem.to_string_lossy().into_owned()).unwrap_or_default();
        Err(Failure::new(format!("it is not said which provider's SQL `{}` is", path.display())).help(format!(
            "name it so that it tells: `{file}.postgres.sql`, `{file}.mariadb.sql` or `{file}.sqlite.sql`"
        )))
    }

    /// Reads files as one script: without a server, unless the options ask for one.
    pub fn read(&self, parts: Vec<Source>, dialect: Dialect) -> Result<SqlFile> {
        let text = parts.iter().map(|part| part.text.as_str()).collect::<Vec<_>>().join(BETWEEN);
        // SQLite's own engine is at hand everywhere.
        let found = if dialect == Dialect::Sqlite {
            let memory = TargetUrl::Sqlite { path: ":memory:".into() };
            Self::through(&memory, dialect, &text, &parts)?
        } else if self.global.through_server {
            let target = target::choose(self.project, self.global)?;
            if target.dialect != dialect {
                let (own, other) = (dialect.provider().title(), target.provider().title());
                let name = named(&parts);
                return Err(Failure::new(format!("{name} is the SQL of {own}, and {} is of {other}", target.name))
                    .help(format!("`--target NAME` or `--url URL` names a server of {own} for --through-server")));
            }
            Self::through(&target.url, dialect, &text, &parts)?
        } else {
            let least = self.project.and_then(|project| project.settings.least.get(&dialect.provider()));
            match dialect.read_sql(&text, least.map_or(&[], |(_, numbers)| numbers)) {
                Some(Ok(read)) => {
                    return Ok(SqlFile { dialect, parts, found: read.found, passed_over: read.passed_over });
                }
                Some(Err(mistakes)) => return Err(not_understood(&mistakes, &parts)),
                None => Introspected::default(),
            }
        };
        Ok(SqlFile { dialect, parts, found, passed_over: Vec::new() })
    }

    fn through(url: &TargetUrl, dialect: Dialect, text: &str, parts: &[Source]) -> Result<Introspected> {
        read_through(url, dialect, text).map_err(|refusal| {
            let Some(span) = refusal.span else { return Failure::from(refusal.error) };
            let drawn = vec![drawing(parts, span, &refusal.error.to_string(), "this statement was refused")];
            Failure { drawn, ..Failure::new(format!("{} does not run on an empty database", named(parts))) }
        })
    }
}

impl SqlFile {
    /// What it declares.
    pub fn lifted(&self, dialect: Dialect) -> Result<Lifted> {
        let lifted = lift(dialect, &self.found).map_err(|faults| {
            let failure = Failure::new(format!("{} cannot be put into declarations", named(&self.parts)));
            faults
                .iter()
                .take(5)
                .fold(failure, |failure, fault| failure.detail(format!("{}: {fault}", fault.place.owner)))
        })?;
        if lifted.slips.is_empty() {
            return Ok(lifted);
        }
        let drawn = lifted.slips.iter().take(10).map(|slip| {
            let span = self.found_at(&slip.place.owner, &slip.kind);
            drawing(&self.parts, span, &slip.kind.to_string(), "here")
        });
        let failure = Failure::new(format!("{} in {}", plural("mistake", lifted.slips.len()), named(&self.parts)));
        Err(Failure { drawn: drawn.collect(), ..failure })
    }

    /// Where a table's statement has the words of a fault; the last of them, which is the one too many.
    fn found_at(&self, table: &Identifier, fault: &FaultKind) -> Span {
        let word = match fault {
            FaultKind::DuplicateColumn { column, .. } | FaultKind::UnknownColumn { column, .. } => column.as_str(),
            _ => "primary",
        };
        let text = self.parts.iter().map(|part| part.text.as_str()).collect::<Vec<_>>().join(BETWEEN);
        self.dialect.place_in_sql(&text, table.base(), word).unwrap_or(Span::new(0, 0))
    }

    /// What they declare, as a file of declarations.
    pub fn declarations(&self, lifted: &Lifted) -> Source {
        Source { name: format!("{} (as declarations)", named(&self.parts)), text: print(&declare(&lifted.schema)) }
    }

    /// The first line of a place in all of them.
    fn first_line(&self, span: Span) -> Span {
        let (part, here) = placed(&self.parts, span);
        let line = here.text(&self.parts[part].text).lines().next().map_or(0, str::len);
        Span::new(span.start, span.start + line)
    }

    /// What they say beyond what is taken from them; `at` is the number of their first source.
    pub fn warnings(&self, lifted: &Lifted, at: usize) -> Vec<Diagnostic> {
        let mut warnings = self.statements_left(at);
        warnings.extend(lifted.left_out.iter().map(|one| {
            let message = format!("{} {} cannot be declared, and is left out", one.kind, one.name);
            self.warning(at, message, Span::new(0, 0), "in this file", "a migration's own step can make it")
        }));
        warnings
    }

    fn warning(&self, at: usize, message: String, span: Span, text: &str, help: &str) -> Diagnostic {
        let (part, span) = placed(&self.parts, span);
        let labels = vec![Label { source: at + part, span, text: text.to_owned() }];
        Diagnostic { severity: Severity::Warning, message, labels, help: help.to_owned() }
    }

    /// What is to be said of statements that were not taken in; `at` is the number of their first source.
    pub fn statements_left(&self, at: usize) -> Vec<Diagnostic> {
        let name = named(&self.parts);
        let mut warnings = Vec::new();
        let (making, plain): (Vec<_>, Vec<_>) = self.passed_over.iter().partition(|one| one.makes_more);
        if let Some(first) = making.first() {
            let count = plural("statement", making.len());
            let verb = if making.len() == 1 { "runs" } else { "run" };
            warnings.push(self.warning(
                at,
                format!("{count} of {name} {verb} SQL that is not read, and may make or change more"),
                self.first_line(first.span),
                "the first one",
                "`--through-server` runs the file on a scratch database of the target's server, and reads what that holds",
            ));
        }
        if let Some(first) = plain.first() {
            let count = plural("statement", plain.len());
            let verb = if plain.len() == 1 { "is" } else { "are" };
            warnings.push(self.warning(
                at,
                format!("{count} of {name} {verb} passed over: `{}` is no part of a schema", first.words),
                self.first_line(first.span),
                "the first one",
                match plain.iter().any(|one| is_about_rows(&one.words)) {
                    true => "rows go into `rows T by (key) { … }` of an .oak file, or into an own step of a migration",
                    false => "a migration's own step can do it",
                },
            ));
        }
        warnings
    }
}

/// Whether a statement, by its first words, puts rows in or changes them.
fn is_about_rows(words: &str) -> bool {
    let word = words.split_whitespace().next().unwrap_or_default().to_ascii_lowercase();
    matches!(word.as_str(), "insert" | "replace" | "update" | "delete" | "merge" | "copy" | "load" | "truncate")
}

/// What stands between two files, so that the last statement of one ends.
const BETWEEN: &str = "\n;\n";

/// The files by their names.
fn named(parts: &[Source]) -> String {
    let names: BTreeSet<&str> = parts.iter().map(|part| part.name.as_str()).collect();
    match (parts.first(), names.len()) {
        (None, _) => String::new(),
        (Some(first), 1) => first.name.clone(),
        (Some(first), count) => format!("{} and {}", first.name, plural("more file", count - 1)),
    }
}

/// The file that a place of the whole script is in, by its number, and the place there.
fn placed(parts: &[Source], span: Span) -> (usize, Span) {
    let mut start = 0;
    for (at, part) in parts.iter().enumerate() {
        let end = start + part.text.len();
        if span.start <= end || at + 1 == parts.len() {
            let within = |offset: usize| offset.clamp(start, end) - start;
            return (at, Span::new(within(span.start), within(span.end)));
        }
        start = end + BETWEEN.len();
    }
    (0, span)
}

fn drawing(parts: &[Source], span: Span, message: &str, text: &str) -> String {
    let (source, span) = placed(parts, span);
    let diagnostic = Diagnostic {
        severity: Severity::Error,
        message: message.to_owned(),
        labels: vec![Label { source, span, text: text.to_owned() }],
        help: String::new(),
    };
    draw(&diagnostic, parts, terminal_width())
}

fn not_understood(mistakes: &[SqlMistake], parts: &[Source]) -> Failure {
    let drawn = mistakes.iter().take(10).map(|one| drawing(parts, one.span, &one.message, "here")).collect();
    let count = plural("statement", mistakes.len());
    let verb = if mistakes.len() == 1 { "is" } else { "are" };
    let failure = Failure::new(format!("{count} of {} {verb} not understood", named(parts))).help(
        "`--through-server` runs the file on a scratch database of the target's server, and reads what that holds",
    );
    Failure { drawn, ..failure }
}
