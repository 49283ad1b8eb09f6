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
    } else if direction == Direction::Up {
        text.push_str("-- `oak review` shows it beside its down script; docs/own-sql.md says how to edit it.\n");
    }
    let mut ordinal = 0;
    let segments = plan.steps.chunk_by(|a, b| a.placement == b.placement);
    for segment in segments {
        let write_steps = |text: &mut String, ordinal: &mut usize| {
            for planned in segment {
                *ordinal += 1;
                step(text, dialect, *ordinal, planned);
            }
        };
        match segment.first().map(|planned| planned.placement) {
            Some(Placement::Outside) => write_steps(&mut text, &mut ordinal),
            Some(Placement::InTransaction) | None => {
                let steps: Vec<&Step> = segment.iter().map(|planned| &planned.step).collect();
                frame(&mut text, dialect.frame(&steps), |text| write_steps(text, &mut ordinal));
            }
        }
    }
    if plan.steps.is_empty() {
        frame(&mut text, dialect.frame(&[]), |_| ());
    }
    text
}

/// The text of a script that waits for somebody's own SQL.
pub fn empty(dialect: Dialect, folder: &str, direction: Direction) -> String {
    let mut text = preamble(dialect, folder, direction);
    frame(&mut text, dialect.frame(&[]), |text| {
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

fn frame(text: &mut String, frame: Frame, body: impl FnOnce(&mut String)) {
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
    for statement in dialect.render(step) {
        match dialect.bodies() == Bodies::Compound && statement.contains(';') {
            false => body.push_str(&format!("{statement};\n")),
            true => body.push_str(&format!("delimiter //\n{statement}//\ndelimiter ;\n")),
        }
    }
    text.push_str(&format!(
        "\n--oak step {ordinal}: {} | {} {} | {} | generated {}\n{body}",
        one_line(&step.title()),
        step.kind(),
        one_line(&step.object()),
        planned.placement.words(),
        step_hash(&body)
    ));
}

/// A name with a bar or a line end in it must not break the header.
fn one_line(text: &str) -> String {
    text.replace(['\n', '\r', '|'], " ")
}
