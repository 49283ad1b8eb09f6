//! Mistakes and faults drawn with the lines they are about.

use std::fmt::Write;

use hollow_oak_core::language::{Diagnostic, Source};
use hollow_oak_core::schema::Severity;
use miette::{
    GraphicalReportHandler, GraphicalTheme, LabeledSpan, MietteDiagnostic, MietteError, MietteSpanContents,
    NamedSource, Report, Severity as DrawnSeverity, SourceCode, SourceSpan, SpanContents, ThemeCharacters, ThemeStyles,
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
        Some((_, source)) => {
            Report::new(drawn).with_source_code(NamedSource::new(&source.name, Windowed(source.text.clone())))
        }
        None => Report::new(drawn),
    };
    let theme = GraphicalTheme { characters: ThemeCharacters::unicode(), styles: styles(diagnostic.severity) };
    let mut text = String::new();
    let handler = GraphicalReportHandler::new_themed(theme).with_width(width.max(40)).with_context_lines(1);
    // Writing to a string cannot fail.
    let _ = handler.render_report(&mut text, report.as_ref());
    text.trim_end().to_owned()
}

/// A text of which only the lines around a place are gone through, however long it is: a large file may have many mistakes.
#[derive(Debug)]
struct Windowed(String);

impl SourceCode for Windowed {
    fn read_span<'a>(
        &'a self,
        span: &SourceSpan,
        lines_before: usize,
        lines_after: usize,
    ) -> Result<Box<dyn SpanContents<'a> + 'a>, MietteError> {
        let text = self.0.as_bytes();
        let line_end = |at: usize| text[..at].iter().rposition(|byte| *byte == b'\n');
        // One line more than is shown, so that the first of those is found as one.
        let first = (0..lines_before + 2).try_fold(span.offset().min(text.len()), |at, _| line_end(at));
        let start = first.map_or(0, |end| end + 1);
        let found = text[start..].read_span(&(span.offset() - start, span.len()).into(), lines_before, lines_after)?;
        let lines = text[..start].iter().filter(|byte| **byte == b'\n').count();
        let place = (found.span().offset() + start, found.span().len());
        let data = &text[place.0..place.0 + place.1];
        let (line, count) = (found.line() + lines, found.line_count() + lines);
        Ok(Box::new(MietteSpanContents::new(data, place.into(), line, found.column(), count)))
    }
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_window_shows_what_the_whole_text_shows() {
        let text = "\nfirst\n\nsecond line\nthird\n\n\nlast, without an end";
        let windowed = Windowed(text.to_owned());
        for start in 0..text.len() {
            for length in [0, 1, 5] {
                for context in [0, 1, 2] {
                    let span: SourceSpan = (start, length).into();
                    let told = |source: &dyn SourceCode| {
                        let found = source.read_span(&span, context, context).ok()?;
                        let place = (found.span().offset(), found.line(), found.column(), found.line_count());
                        Some((found.data().to_vec(), place))
                    };
                    assert_eq!(told(&windowed), told(&text.to_owned()), "{start} {length} {context}");
                }
            }
        }
    }
}
