//! What the MySQL driver needs of the package `regex`: it looks for a server's version, for moments and for a public key,
//! all of them in ASCII. By `regex-lite`, which has no tables of Unicode: those were a sixth of the time that `oak --version`
//! takes, and a tenth of the executable (docs/performance.md).

/// Expressions over bytes.
pub mod bytes {
    /// A regular expression.
    #[derive(Clone, Debug)]
    pub struct Regex(regex_lite::Regex);

    impl Regex {
        /// Reads an expression.
        ///
        /// # Errors
        ///
        /// Where it is none.
        pub fn new(pattern: &str) -> Result<Self, regex_lite::Error> {
            regex_lite::Regex::new(pattern).map(Self)
        }

        /// Whether it is found somewhere.
        pub fn is_match(&self, haystack: &[u8]) -> bool {
            self.0.is_match(readable(haystack))
        }

        /// Where it is found first, with its groups.
        pub fn captures<'h>(&self, haystack: &'h [u8]) -> Option<Captures<'h>> {
            self.0.captures(readable(haystack)).map(Captures)
        }
    }

    /// A place in which an expression was found.
    #[derive(Debug)]
    pub struct Captures<'h>(regex_lite::Captures<'h>);

    impl<'h> Captures<'h> {
        /// What the group of this number has found; 0 is the whole.
        pub fn get(&self, group: usize) -> Option<Match<'h>> {
            self.0.get(group).map(|found| Match(found.as_str()))
        }
    }

    /// What was found.
    #[derive(Clone, Copy, Debug)]
    pub struct Match<'h>(&'h str);

    impl<'h> Match<'h> {
        /// Its bytes.
        pub fn as_bytes(&self) -> &'h [u8] {
            self.0.as_bytes()
        }
    }

    /// The text up to the first byte that is none: all that is looked for is text, and begins what it is looked for in.
    fn readable(bytes: &[u8]) -> &str {
        bytes.utf8_chunks().next().map_or("", |chunk| chunk.valid())
    }

    #[cfg(test)]
    mod tests {
        use super::Regex;

        /// The driver's own expression for a version.
        #[test]
        fn a_version_is_found() {
            let version = Regex::new(r"^(?:5.5.5-)?(\d{1,2})\.(\d{1,2})\.(\d{1,3})-MariaDB").expect("it is one");
            let groups = |text: &[u8]| {
                let found = version.captures(text)?;
                let group = |at| found.get(at).map(|one| String::from_utf8_lossy(one.as_bytes()).into_owned());
                (1..=3).map(group).collect::<Option<Vec<_>>>()
            };
            let expected = ["10", "11", "14"].map(str::to_owned).to_vec();
            assert_eq!(groups(b"5.5.5-10.11.14-MariaDB-\xff"), Some(expected));
            assert_eq!(groups(b"9.7.4"), None);
        }

        #[test]
        fn moments_are_told_from_other_texts() {
            let moment = Regex::new(r"^\d{4}-\d{2}-\d{2}$").expect("it is one");
            assert!(moment.is_match(b"2026-05-01"));
            assert!(!moment.is_match(b"2026-05-01 10:00:00"));
            assert!(!moment.is_match("٢٠٢٦-٠٥-٠١".as_bytes()));
        }
    }
}
