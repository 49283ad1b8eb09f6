//! Plans as script text.

use std::fmt;

use sha2::{Digest, Sha256};

use crate::Dialect;
use crate::dialect::Frame;
use crate::plan::{Placement, Plan, PlannedStep, Step};
use crate::sql::Bodies;

/// Which way a script goes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Direction {
    /// To the migration's schema.
    Up,
    /// Back to its parent's.
    Down,
}

impl Direction {
    /// The word in file names and messages.
    pub fn word(self) -> &'static str {
        match self {
            Self::Up => "up",
            Self::Down => "down",
        }
    }
}

impl fmt::Display for Direction {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(self.word())
    }
}

/// The hash by which a step's text is known again: 16 hexadecimal digits of SHA-256 over the trimmed text with LF ends.
pub fn step_hash(body: &str) -> String {
    let text = body.replace("\r\n", "\n");
    let digest = Sha256::digest(text.trim().as_bytes());
    digest.iter().take(8).map(|byte| format!("{byte:02x}")).collect()
}

/// The text of a plan in one direction.
pub fn write(dialect: Dialect, folder: &str, direction: Direction, plan: &Plan) -> String {
    let mut text = preamble(dialect, folder, direction);
    if plan.steps.is_empty() {
        text.push_str(&format!("-- Nothing changes for {}.\n", dialect.provider().title()));
        frame(&mut text, dialect.frame(&[]), &mut |_| ());
        return text;
    }
    if direction == Direction::Up {
        text.push_str("-- `oak review` shows it beside its down script; docs/own-sql.md says how to edit it.\n");
    }
    let mut ordinal = 0;
    segments(&mut text, dialect, plan, frame, |text, planned| {
        ordinal += 1;
        step(text, dialect, ordinal, planned);
    });
    text
}

/// The statements of a plan for any client, without what the tool reads back: each step's behind its title and its risks.
pub fn write_plain(dialect: Dialect, plan: &Plan) -> String {
    let mut text = String::new();
    let bare = |text: &mut String, frame: Frame, body: &mut dyn FnMut(&mut String)| {
        text.push_str(frame.begin);
        body(text);
        text.push_str(frame.end);
    };
    segments(&mut text, dialect, plan, bare, |text, planned| {
        text.push_str(&format!("-- {}\n", one_line(&planned.step.title())));
        for risk in &planned.risks {
            text.push_str(&format!("--   {}: {}\n", risk.kind.phrase(), one_line(&risk.what)));
        }
        text.push_str(&statements(dialect, &planned.step));
    });
    text
}

/// The steps of a plan, those of one transaction in a frame.
fn segments(
    text: &mut String,
    dialect: Dialect,
    plan: &Plan,
    frame: impl Fn(&mut String, Frame, &mut dyn FnMut(&mut String)),
    mut step: impl FnMut(&mut String, &PlannedStep),
) {
    for segment in plan.steps.chunk_by(|a, b| a.placement == b.placement) {
        let mut all = |text: &mut String| segment.iter().for_each(|planned| step(text, planned));
        match segment.first().map(|planned| planned.placement) {
            Some(Placement::Outside) => all(text),
            Some(Placement::InTransaction) | None => {
                let steps: Vec<&Step> = segment.iter().map(|planned| &planned.step).collect();
                frame(text, dialect.frame(&steps), &mut all);
            }
        }
    }
}

/// The text of a script that waits for somebody's own SQL.
pub fn empty(dialect: Dialect, folder: &str, direction: Direction) -> String {
    let mut text = preamble(dialect, folder, direction);
    frame(&mut text, dialect.frame(&[]), &mut |text| {
        let what = match direction {
            Direction::Up => "write here what this migration does",
            Direction::Down => "write here what undoes it",
        };
        text.push_str(&format!("\n--oak step 1: own SQL | own | in transaction | own\n-- {what}\n"));
    });
    text
}

fn preamble(dialect: Dialect, folder: &str, direction: Direction) -> String {
    format!("-- Hollow Oak migration {folder}: {direction}, {}.\n", dialect.provider().title())
}

fn frame(text: &mut String, frame: Frame, body: &mut dyn FnMut(&mut String)) {
    text.push_str("\n--oak begin\n");
    text.push_str(frame.begin);
    body(text);
    text.push_str("\n--oak end\n");
    text.push_str(frame.end);
}

fn step(text: &mut String, dialect: Dialect, ordinal: usize, planned: &PlannedStep) {
    let step = &planned.step;
    let mut body = String::new();
    for reason in step.reasons() {
        body.push_str(&format!("-- {}\n", reason.replace('\n', " ")));
    }
    body.push_str(&statements(dialect, step));
    text.push_str(&format!(
        "\n--oak step {ordinal}: {} | {} | {} | generated {}\n{body}",
        one_line(&step.title()),
        one_line(&step.header()),
        planned.placement.words(),
        step_hash(&body)
    ));
}

/// What a step runs, each statement with its end. A body with semicolons gets the end that it has nothing of.
fn statements(dialect: Dialect, step: &Step) -> String {
    let mut text = String::new();
    for statement in dialect.render(step) {
        if dialect.bodies() != Bodies::Compound || !statement.contains(';') {
            text.push_str(&format!("{statement};\n"));
            continue;
        }
        let longer = (3..).map(|length| "/".repeat(length));
        let mut ends = ["//", "$$"].map(str::to_owned).into_iter().chain(longer);
        let end = ends.find(|end| !statement.contains(end.as_str())).unwrap_or_default();
        text.push_str(&format!("delimiter {end}\n{statement}{end}\ndelimiter ;\n"));
    }
    text
}

/// A name with a bar or a line end in it must not break the header.
fn one_line(text: &str) -> String {
    text.replace(['\n', '\r', '|'], " ")
}
