//! What a thing has besides, in a provider's words.

use std::fmt;

use serde::{Serialize, Serializer};
use thin_vec::ThinVec;

use crate::fit::fit_thin;

/// Options, each once, in the order in which they were given. That order is written, and it is no difference.
#[derive(Clone, Default, Eq)]
pub struct Options(ThinVec<String>);

impl Options {
    /// None.
    pub const fn new() -> Self {
        Self(ThinVec::new())
    }

    /// Adds one behind the others, unless it is there.
    pub fn insert(&mut self, option: String) {
        if !self.contains(&option) {
            self.0.push(option);
        }
    }

    /// Gives up room to spare.
    pub(crate) fn fit(&mut self) {
        fit_thin(&mut self.0);
    }

    /// Takes one out; whether it was there.
    pub fn remove(&mut self, option: &str) -> bool {
        let before = self.0.len();
        self.retain(|one| one != option);
        self.0.len() < before
    }

    /// Keeps those that are wanted.
    pub fn retain(&mut self, wanted: impl FnMut(&String) -> bool) {
        self.0.retain(wanted);
    }

    /// Whether there is this one.
    pub fn contains(&self, option: &str) -> bool {
        self.0.iter().any(|one| one == option)
    }

    /// Whether there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Each, in order.
    pub fn iter(&self) -> std::slice::Iter<'_, String> {
        self.0.iter()
    }

    /// Those that the other ones have not.
    pub fn difference<'a>(&'a self, other: &'a Self) -> impl Iterator<Item = &'a String> {
        self.0.iter().filter(|one| !other.contains(one))
    }

    /// Each, in the order of their letters.
    pub fn sorted(&self) -> Vec<&String> {
        let mut sorted: Vec<_> = self.0.iter().collect();
        sorted.sort();
        sorted
    }
}

impl PartialEq for Options {
    fn eq(&self, other: &Self) -> bool {
        self.0 == other.0 || self.0.len() == other.0.len() && self.0.iter().all(|one| other.contains(one))
    }
}

impl fmt::Debug for Options {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.debug_set().entries(&self.0).finish()
    }
}

// For the fingerprint, in which order is no difference either.
impl Serialize for Options {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.sorted().serialize(serializer)
    }
}

impl Extend<String> for Options {
    fn extend<I: IntoIterator<Item = String>>(&mut self, options: I) {
        options.into_iter().for_each(|option| self.insert(option));
    }
}

impl FromIterator<String> for Options {
    fn from_iter<I: IntoIterator<Item = String>>(options: I) -> Self {
        let mut made = Self::new();
        made.extend(options);
        made
    }
}

impl<const N: usize> From<[String; N]> for Options {
    fn from(options: [String; N]) -> Self {
        options.into_iter().collect()
    }
}

impl<'a> IntoIterator for &'a Options {
    type IntoIter = std::slice::Iter<'a, String>;
    type Item = &'a String;

    fn into_iter(self) -> Self::IntoIter {
        self.iter()
    }
}

impl IntoIterator for Options {
    type IntoIter = thin_vec::IntoIter<String>;
    type Item = String;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn options(words: &[&str]) -> Options {
        words.iter().map(|word| (*word).to_owned()).collect()
    }

    #[test]
    fn order_is_kept_and_no_difference() {
        let (one, other) = (options(&["b=1", "a=2", "b=1"]), options(&["a=2", "b=1"]));
        assert_eq!(one, other);
        assert_eq!(serde_json::to_string(&one).ok(), serde_json::to_string(&other).ok());
        assert_eq!(one.iter().collect::<Vec<_>>(), ["b=1", "a=2"]);
        assert_ne!(one, options(&["a=2"]));
        assert_ne!(one, options(&["a=2", "b=2"]));
        assert_eq!(one.difference(&options(&["a=2"])).collect::<Vec<_>>(), ["b=1"]);
    }
}
