//! The nearest known word to a misspelt one.

/// The candidate that `word` most likely was meant to be, or nothing where none is close.
///
/// Close is at most a third of the word's letters wrong (two for short words), swapped neighbours counting as one.
pub fn nearest<'a>(word: &str, candidates: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let folded = word.to_lowercase();
    let allowed = (word.chars().count() / 3).max(2);
    candidates
        .into_iter()
        .map(|candidate| {
            let distance = strsim::damerau_levenshtein(&folded, &candidate.to_lowercase());
            (distance, candidate)
        })
        .filter(|(distance, candidate)| *distance <= allowed && *distance < candidate.chars().count().max(2))
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn only_close_words_are_offered() {
        #[track_caller]
        fn case(word: &str, expected: Option<&str>) {
            assert_eq!(nearest(word, ["int64", "text", "instant", "apiary_id"]), expected);
        }
        case("apairy_id", Some("apiary_id"));
        case("Text", Some("text"));
        case("instnat", Some("instant"));
        case("geometry", None);
    }
}
