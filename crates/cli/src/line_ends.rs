//! How the lines of a file end: a file keeps what it has.

/// How the lines of a file end.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum LineEnds {
    /// With a line feed alone.
    #[default]
    Unix,
    /// With a carriage return before it.
    Windows,
}

impl LineEnds {
    /// Those of a file, by its first line, and the text with line feeds alone.
    pub fn of(text: String) -> (Self, String) {
        if !text.contains('\r') {
            return (Self::Unix, text);
        }
        let first = text.split_inclusive('\n').next().unwrap_or_default();
        let ends = if first.ends_with("\r\n") { Self::Windows } else { Self::Unix };
        (ends, text.replace("\r\n", "\n"))
    }

    /// A text with line feeds alone, as it stands in the file.
    pub fn in_file(self, text: &str) -> String {
        match self {
            Self::Unix => text.to_owned(),
            Self::Windows => text.replace('\n', "\r\n"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_file_keeps_its_line_ends() {
        for (text, ends) in [("", LineEnds::Unix), ("a\nb\n", LineEnds::Unix), ("a\r\nb\r\n", LineEnds::Windows)] {
            let (found, plain) = LineEnds::of(text.to_owned());
            assert_eq!((found, found.in_file(&plain).as_str()), (ends, text));
            assert!(!plain.contains('\r'));
        }
    }
}
