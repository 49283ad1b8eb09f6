//! Words of a command line, as they are to be typed.

use std::borrow::Cow;

/// A word as a shell takes it for one: as it is where that is enough, in double quotes where every shell leaves it alone in
/// them, and else as POSIX has it.
pub fn typed(word: &str) -> Cow<'_, str> {
    let is_plain = |one: char| one.is_alphanumeric() || "_-./=:@,+".contains(one);
    if !word.is_empty() && word.chars().all(is_plain) {
        return Cow::Borrowed(word);
    }
    if !word.contains(['"', '$', '`', '\\', '!', '%']) {
        return Cow::Owned(format!("\"{word}\""));
    }
    shlex::try_quote(word).unwrap_or(Cow::Borrowed(word))
}

#[cfg(test)]
mod tests {
    use super::typed;

    #[test]
    fn a_word_is_quoted_where_a_shell_would_part_or_change_it() {
        for (word, expected) in [
            ("hive.größe=weight", "hive.größe=weight"),
            ("order.Full Name=renamed 90", "\"order.Full Name=renamed 90\""),
            ("o'clock", "\"o'clock\""),
            ("*", "\"*\""),
            ("", "\"\""),
            ("price$", "'price$'"),
            ("a\"b", "'a\"b'"),
        ] {
            assert_eq!(typed(word), expected);
            assert_eq!(shlex::split(&typed(word)), Some(vec![word.to_owned()]));
        }
    }
}
