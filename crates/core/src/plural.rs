//! Counted nouns for messages.

/// `1 column`, `2 columns`, `1 index`, `2 indexes`, `2 keys`, `2 histories`.
pub fn plural(noun: &str, count: usize) -> String {
    // Some words are plural as they are.
    if count == 1 || ["statistics", "privileges"].iter().any(|word| noun.ends_with(word)) {
        return format!("{count} {noun}");
    }
    let vowel_before_y = noun.ends_with("ay") || noun.ends_with("ey") || noun.ends_with("oy");
    if noun.ends_with('x') || noun.ends_with('s') || noun.ends_with("ch") {
        format!("{count} {noun}es")
    } else if noun.ends_with('y') && !vowel_before_y {
        format!("{count} {}ies", &noun[..noun.len() - 1])
    } else {
        format!("{count} {noun}s")
    }
}

#[cfg(test)]
mod tests {
    use super::plural;

    #[test]
    fn nouns_are_counted() {
        #[track_caller]
        fn case(noun: &str, count: usize, expected: &str) {
            assert_eq!(plural(noun, count), expected);
        }
        case("column", 0, "0 columns");
        case("column", 1, "1 column");
        case("index", 2, "2 indexes");
        case("foreign key", 2, "2 foreign keys");
        case("identity", 3, "3 identities");
        case("batch", 2, "2 batches");
    }
}
