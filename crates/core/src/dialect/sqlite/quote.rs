//! Names and texts as SQLite's SQL.

use crate::dialect::quoting::{self, Quoting, list, quoted};

/// A name, in double quotes where it is not a bare lower-case word or where it is a keyword.
pub(in crate::dialect) fn quote(name: &str) -> String {
    quoted(name, KEYWORDS, '"')
}

/// Both kinds of names.
pub(in crate::dialect) const QUOTING: Quoting = Quoting::plain(quote);

/// Names, quoted and separated by commas.
pub(super) fn quote_all<'a>(names: impl IntoIterator<Item = &'a str>) -> String {
    list(names, quote)
}

/// A text literal.
pub(in crate::dialect) fn literal(text: &str) -> String {
    quoting::literal(text)
}

// SQLite 3.51, "SQL Keywords", sorted.
const KEYWORDS: &[&str] = &[
    "abort",
    "action",
    "add",
    "after",
    "all",
    "alter",
    "always",
    "analyze",
    "and",
    "as",
    "asc",
    "attach",
    "autoincrement",
    "before",
    "begin",
    "between",
    "by",
    "cascade",
    "case",
    "cast",
    "check",
    "collate",
    "column",
    "commit",
    "conflict",
    "constraint",
    "create",
    "cross",
    "current",
    "current_date",
    "current_time",
    "current_timestamp",
    "database",
    "default",
    "deferrable",
    "deferred",
    "delete",
    "desc",
    "detach",
    "distinct",
    "do",
    "drop",
    "each",
    "else",
    "end",
    "escape",
    "except",
    "exclude",
    "exclusive",
    "exists",
    "explain",
    "fail",
    "false",
    "filter",
    "first",
    "following",
    "for",
    "foreign",
    "from",
    "full",
    "generated",
    "glob",
    "group",
    "groups",
    "having",
    "if",
    "ignore",
    "immediate",
    "in",
    "index",
    "indexed",
    "initially",
    "inner",
    "insert",
    "instead",
    "intersect",
    "into",
    "is",
    "isnull",
    "join",
    "key",
    "last",
    "left",
    "like",
    "limit",
    "match",
    "materialized",
    "natural",
    "no",
    "not",
    "nothing",
    "notnull",
    "null",
    "nulls",
    "of",
    "offset",
    "on",
    "or",
    "order",
    "others",
    "outer",
    "over",
    "partition",
    "plan",
    "pragma",
    "preceding",
    "primary",
    "query",
    "raise",
    "range",
    "recursive",
    "references",
    "regexp",
    "reindex",
    "release",
    "rename",
    "replace",
    "restrict",
    "returning",
    "right",
    "rollback",
    "row",
    "rowid",
    "rows",
    "savepoint",
    "select",
    "set",
    "table",
    "temp",
    "temporary",
    "then",
    "ties",
    "to",
    "transaction",
    "trigger",
    "true",
    "unbounded",
    "union",
    "unique",
    "update",
    "using",
    "vacuum",
    "values",
    "view",
    "virtual",
    "when",
    "where",
    "window",
    "with",
    "without",
];

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keywords_are_sorted_for_the_search() {
        assert!(KEYWORDS.is_sorted());
    }

    #[test]
    fn only_what_needs_quotes_is_quoted() {
        #[track_caller]
        fn case(name: &str, expected: &str) {
            assert_eq!(quote(name), expected);
        }
        case("hive", "hive");
        case("Order Line", "\"Order Line\"");
        case("order", "\"order\"");
        case("with", "\"with\"");
        case("a\"b", "\"a\"\"b\"");
        case("1st", "\"1st\"");
        case("", "\"\"");
    }
}
