//! Words of SQL that is not taken apart: what a text names is told by them.

use std::borrow::Cow;

/// The words of a text, names and numbers among them.
pub(crate) fn words(sql: &str) -> impl Iterator<Item = &str> {
    sql.split(|letter: char| !is_letter(letter)).filter(|word| !word.is_empty())
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
