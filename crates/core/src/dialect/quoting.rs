//! What quoting is for every provider.

/// How a provider's names are written.
#[derive(Clone, Copy)]
pub(super) struct Quoting {
    object: fn(&str) -> String,
    item: fn(&str) -> String,
}

impl Quoting {
    /// Where tables and what is inside them are written alike.
    pub(super) const fn plain(quote: fn(&str) -> String) -> Self {
        Self { object: quote, item: quote }
    }

    /// Where tables may be in namespaces.
    pub(super) const fn qualified(object: fn(&str) -> String, item: fn(&str) -> String) -> Self {
        Self { object, item }
    }

    /// The name of a table, type or the like.
    pub(super) fn object(self, name: &str) -> String {
        (self.object)(name)
    }

    /// The name of a column, or of what else is inside a table.
    pub(super) fn item(self, name: &str) -> String {
        (self.item)(name)
    }
}

/// A name, between marks where it is not a bare lower-case word or where it is a keyword; the keywords are sorted.
pub(super) fn quoted(name: &str, keywords: &[&str], mark: char) -> String {
    let mut bytes = name.bytes();
    let bare = bytes.next().is_some_and(|first| first.is_ascii_lowercase() || first == b'_')
        && bytes.all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'_');
    if bare && keywords.binary_search(&name).is_err() {
        return name.to_owned();
    }
    let doubled = name.replace(mark, &format!("{mark}{mark}"));
    format!("{mark}{doubled}{mark}")
}

/// Names, quoted and separated by commas.
pub(super) fn list<'a>(names: impl IntoIterator<Item = &'a str>, quote: impl Fn(&str) -> String) -> String {
    let names: Vec<_> = names.into_iter().map(quote).collect();
    names.join(", ")
}

/// A text literal in standard SQL, where a backslash is a backslash.
pub(super) fn literal(text: &str) -> String {
    format!("'{}'", text.replace('\'', "''"))
}
