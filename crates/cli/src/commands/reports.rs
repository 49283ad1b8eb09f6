//! Differences for people to read.

use hollow_oak_core::diff::{Detail, Line, TableReport, Verb, in_one_line};
use hollow_oak_core::plural::plural;
use similar::{ChangeTag, TextDiff};

use crate::output::{Output, accent, danger, dim, strong};

/// Texts of several lines stand in one line where that is not longer than this many letters.
const SHORT: usize = 90;

/// Prints differences by table, verb, kind and name in fixed columns.
pub fn print_reports(reports: &[TableReport], output: &mut Output) {
    for report in reports {
        let lines = &report.lines;
        let width = |text: fn(&Line) -> usize| lines.iter().map(text).max().unwrap_or(0);
        let kinds = width(|line| line.kind.len());
        let names = width(|line| line.name.chars().count()).min(32);
        output.line(format_args!("\n{}", strong(&report.table)));
        for line in lines {
            let verb = match line.verb {
                Verb::Drop => danger(format_args!("{:<6}", line.verb.word())),
                _ => accent(format_args!("{:<6}", line.verb.word())),
            };
            let mut head = format!("  {verb}  {:<kinds$}  {:<names$}", line.kind, line.name);
            if line.details.is_empty() {
                head.truncate(head.trim_end().len());
                output.line(&head);
            }
            for (at, detail) in line.details.iter().enumerate() {
                let indent = if at == 0 { head.clone() } else { format!("  {:6}  {:kinds$}  {:names$}", "", "", "") };
                print_detail(&indent, detail, output);
            }
        }
    }
}

fn print_detail(indent: &str, detail: &Detail, output: &mut Output) {
    let aspect = if detail.aspect.is_empty() { String::new() } else { format!("{}: ", detail.aspect) };
    match (&detail.old, &detail.new) {
        (Some(old), Some(new)) => {
            let (one, other) = (in_one_line(old), in_one_line(new));
            if is_long(old, &one) || is_long(new, &other) {
                print_lines(indent, old, new, output);
            } else {
                output.line(format_args!("{indent}  {aspect}{one} → {other}"));
            }
        }
        (Some(only), None) | (None, Some(only)) => {
            let one = in_one_line(only);
            let shown = if is_long(only, &one) { beginning(only) } else { one.into_owned() };
            output.line(format_args!("{indent}  {aspect}{shown}"));
        }
        (None, None) => output.line(format_args!("{indent}  {aspect}")),
    }
}

/// Whether a text of several lines is too long to be shown as one.
fn is_long(text: &str, in_one_line: &str) -> bool {
    text.contains('\n') && in_one_line.chars().count() > SHORT
}

/// The first line of a text, and how many come behind it.
fn beginning(text: &str) -> String {
    let first = text.lines().next().unwrap_or_default().trim_end();
    let more = text.lines().count().saturating_sub(1);
    format!("{first} {}", dim(format_args!("… {}", plural("more line", more))))
}

/// The lines in which two texts differ, each with one before and behind it.
fn print_lines(indent: &str, old: &str, new: &str, output: &mut Output) {
    let (old, new) = (format!("{old}\n"), format!("{new}\n"));
    let changed = TextDiff::from_lines(&old, &new);
    let count = |tag| changed.iter_all_changes().filter(|change| change.tag() == tag).count();
    let (gone, come) = (count(ChangeTag::Delete), count(ChangeTag::Insert));
    output.line(format_args!("{indent}  {} → {}", plural("line", gone), plural("line", come)));
    for (at, group) in changed.grouped_ops(1).iter().enumerate() {
        if at > 0 {
            output.line(format_args!("      {}", dim("…")));
        }
        for change in group.iter().flat_map(|op| changed.iter_changes(op)) {
            let text = change.value().trim_end();
            match change.tag() {
                ChangeTag::Delete => output.line(danger(format!("    - {text}").trim_end())),
                ChangeTag::Insert => output.line(accent(format!("    + {text}").trim_end())),
                ChangeTag::Equal => output.line(dim(format!("      {text}").trim_end())),
            }
        }
    }
}
