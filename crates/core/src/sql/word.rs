//! Words of SQL that is not taken apart: what a text names is told by them.

use std::borrow::Cow;
use std::ops::Range;

/// The words of a text, names and numbers among them.
pub(crate) fn words(sql: &str) -> impl Iterator<Item = &str> {
    spans(sql).map(|span| &sql[span])
}

/// The words of a text, each with the one that stands before it and a point: of `far.hive`, `far` is that of `hive`.
pub(crate) fn qualified_words(sql: &str) -> impl Iterator<Item = (Option<&str>, &str)> {
    let mut last: Option<Range<usize>> = None;
    spans(sql).map(move |span| {
        let is_joined = |last: &Range<usize>| sql[last.end..span.start].trim_matches(['"', '`']) == ".";
        let qualifier = last.take().filter(is_joined).map(|last| &sql[last]);
        last = Some(span.clone());
        (qualifier, &sql[span])
    })
}

fn spans(sql: &str) -> impl Iterator<Item = Range<usize>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        let start = at + sql[at..].find(is_letter)?;
        at = sql[start..].find(|letter| !is_letter(letter)).map_or(sql.len(), |length| start + length);
        Some(start..at)
    })
}

/// Whether a name is one word, so that it stands among those of a text that says it.
pub(crate) fn is_word(name: &str) -> bool {
    !name.is_empty() && name.chars().all(is_letter)
}

/// Whether a text says a name as whole words, quoted or not.
pub(crate) fn says(sql: &str, name: &str) -> bool {
    let mut text = Cow::Borrowed(sql);
    // A quote in a name is written twice.
    for quote in ["\"", "`"] {
        if name.contains(quote) {
            text = Cow::Owned(text.replace(&quote.repeat(2), quote));
        }
    }
    text.match_indices(name).any(|(at, found)| {
        let before = text[..at].chars().next_back().is_some_and(is_letter);
        let after = text[at + found.len()..].chars().next().is_some_and(is_letter);
        !before && !after
    })
}

fn is_letter(character: char) -> bool {
    character.is_alphanumeric() || character == '_'
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_word_stands_behind_its_namespace() {
        let found: Vec<(Option<&str>, &str)> = qualified_words("from far.hive, \"far\".\"größe\" where a. b").collect();
        let expected = [
            (None, "from"),
            (None, "far"),
            (Some("far"), "hive"),
            (None, "far"),
            (Some("far"), "größe"),
            (None, "where"),
            (None, "a"),
            (None, "b"),
        ];
        assert_eq!(found, expected);
        assert_eq!(words("").count() + words(" .,").count(), 0);
    }

    #[test]
    fn a_name_is_said_by_whole_words() {
        assert!(says("select id from \"odd one\"", "odd one") && says("a \"b\"\"c\"", "b\"c"));
        assert!(!says("select hives", "hive") && !says("select odd ones", "odd one"));
    }
}
