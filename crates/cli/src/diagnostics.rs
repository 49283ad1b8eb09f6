//! Mistakes and faults drawn with the lines they are about.

use std::fmt::Write;

use hollow_oak_core::language::{Diagnostic, Source};
use hollow_oak_core::schema::Severity;
use miette::{
    GraphicalReportHandler, GraphicalTheme, LabeledSpan, MietteDiagnostic, NamedSource, Report,
    Severity as DrawnSeverity, ThemeCharacters, ThemeStyles,
};
use owo_colors::Style;

/// Draws a diagnostic; colours are for the stream to keep or strip.
pub fn draw(diagnostic: &Diagnostic, sources: &[Source], width: usize) -> String {
    let labels: Vec<_> = diagnostic
        .labels
        .iter()
        .enumerate()
        .map(|(at, label)| {
            let length = label.span.end - label.span.start;
            let text = Some(label.text.clone());
            match at {
                0 => LabeledSpan::new_primary_with_span(text, (label.span.start, length)),
                _ => LabeledSpan::new_with_span(text, (label.span.start, length)),
            }
        })
        .collect();
    let main =
        diagnostic.labels.first().and_then(|label| sources.get(label.source).map(|source| (label.source, source)));
    // A drawing shows one file; a second place in another file is named in words.
    let (here, elsewhere): (Vec<_>, Vec<_>) =
        labels.into_iter().zip(&diagnostic.labels).partition(|(_, label)| Some(label.source) == main.map(|(at, _)| at));
    let mut help = diagnostic.help.clone();
    for (_, label) in elsewhere {
        if let Some(source) = sources.get(label.source) {
            let line = hollow_oak_core::span::line_of(&source.text, label.span.start);
            let _ = write!(help, "\n{} in {}:{line}", label.text, source.name);
        }
    }
    let severity = match diagnostic.severity {
        Severity::Error => DrawnSeverity::Error,
        Severity::Warning => DrawnSeverity::Warning,
    };
    let drawn = MietteDiagnostic::new(diagnostic.message.clone()).with_severity(severity);
    let drawn = if help.is_empty() { drawn } else { drawn.with_help(help) };
    let drawn = drawn.with_labels(here.into_iter().map(|(label, _)| label));
    let report = match main {
        Some((_, source)) => Report::new(drawn).with_source_code(NamedSource::new(&source.name, source.text.clone())),
        None => Report::new(drawn),
    };
    let theme = GraphicalTheme { characters: ThemeCharacters::unicode(), styles: styles(diagnostic.severity) };
    let mut text = String::new();
    let handler = GraphicalReportHandler::new_themed(theme).with_width(width.max(40)).with_context_lines(1);
    // Writing to a string cannot fail.
    let _ = handler.render_report(&mut text, report.as_ref());
    text.trim_end().to_owned()
}

/// The one accent colour, red for what stops something, and nothing else.
fn styles(severity: Severity) -> ThemeStyles {
    let accent = Style::new().cyan();
    let main = match severity {
        Severity::Error => Style::new().red(),
        Severity::Warning => accent,
    };
    ThemeStyles {
        error: Style::new().red(),
        warning: accent,
        advice: accent,
        help: accent,
        link: Style::new().bold(),
        linum: Style::new().dimmed(),
        highlights: vec![main, accent],
    }
}
