//! A stretch of source text.

use serde::Serialize;

/// A half-open range of byte offsets into one text.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
pub struct Span {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

impl Span {
    /// The range `start..end`.
    pub fn new(start: usize, end: usize) -> Self {
        Self { start, end }
    }

    /// The smallest span that covers both.
    pub fn to(self, other: Self) -> Self {
        Self::new(self.start.min(other.start), self.end.max(other.end))
    }

    /// The text it covers.
    pub fn text(self, source: &str) -> &str {
        &source[self.start..self.end]
    }
}

/// The line of a byte offset, counted from 1.
pub fn line_of(source: &str, offset: usize) -> usize {
    source.as_bytes()[..offset.min(source.len())].iter().filter(|byte| **byte == b'\n').count() + 1
}

/// The line ends of a text, for many look-ups.
#[derive(Clone, Debug)]
pub struct Lines {
    /// Offset of each line feed.
    ends: Vec<usize>,
}

impl Lines {
    /// Reads the text once.
    pub fn new(source: &str) -> Self {
        Self { ends: source.bytes().enumerate().filter(|(_, byte)| *byte == b'\n').map(|(at, _)| at).collect() }
    }

    /// The line of a byte offset, counted from 1.
    pub fn line_of(&self, offset: usize) -> usize {
        self.ends.partition_point(|end| *end < offset) + 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_count_from_one() {
        #[track_caller]
        fn case(offset: usize, expected: usize) {
            assert_eq!(line_of("a\nb\nc", offset), expected);
            assert_eq!(Lines::new("a\nb\nc").line_of(offset), expected);
        }
        case(0, 1);
        case(1, 1);
        case(2, 2);
        case(4, 3);
        case(99, 3);
    }
}
