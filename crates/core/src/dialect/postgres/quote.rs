//! Names and texts as PostgreSQL's SQL.

use crate::dialect::quoting::{self, Quoting, list, quoted};
use crate::physical::qualified;

/// A name, in double quotes where it is not a bare lower-case word or where it is a keyword.
pub(in crate::dialect) fn quote(name: &str) -> String {
    quoted(name, KEYWORDS, '"')
}

/// The name of a table, type or the like, with its namespace where it says one.
pub(in crate::dialect) fn quote_object(name: &str) -> String {
    let (namespace, base) = qualified::split(name);
    let base = quote(&qualified::plain(base));
    namespace.map_or_else(|| base.clone(), |namespace| format!("{}.{base}", quote(&qualified::plain(namespace))))
}

/// The name of a collation. Those of the operating system may end in a point and an encoding, such as `de_DE.utf8`; any other
/// point stands behind a namespace.
pub(in crate::dialect) fn quote_collation(name: &str) -> String {
    const ENCODINGS: [&str; 9] = ["utf", "iso", "koi8", "euc", "cp", "big5", "gb", "sjis", "tis"];
    let behind = name.rsplit_once('.').map_or(String::new(), |(_, behind)| behind.to_ascii_lowercase());
    match ENCODINGS.iter().any(|encoding| behind.starts_with(encoding)) && !name.contains('"') {
        true => quote(name),
        false => quote_object(name),
    }
}

/// Both kinds of names.
pub(in crate::dialect) const QUOTING: Quoting = Quoting::qualified(quote_object, quote);

/// The name of a routine, with the types of its arguments where it has them.
pub(in crate::dialect) fn quote_routine(name: &str) -> String {
    match name.split_once('(') {
        // As the catalogue words it.
        Some(_) => name.to_owned(),
        None => quote_object(name),
    }
}

/// Names, quoted and separated by commas.
pub(super) fn quote_all<'a>(names: impl IntoIterator<Item = &'a str>) -> String {
    list(names, quote)
}

/// A text literal. Backslashes mean themselves, since `standard_conforming_strings` is on.
pub(in crate::dialect) fn literal(text: &str) -> String {
    quoting::literal(text)
}

// PostgreSQL 15 and 17, "SQL Key Words": all that are not plainly "non-reserved", sorted.
const KEYWORDS: &[&str] = &[
    "all",
    "analyse",
    "analyze",
    "and",
    "any",
    "array",
    "as",
    "asc",
    "asymmetric",
    "authorization",
    "between",
    "bigint",
    "binary",
    "bit",
    "boolean",
    "both",
    "case",
    "cast",
    "char",
    "character",
    "check",
    "coalesce",
    "collate",
    "collation",
    "column",
    "concurrently",
    "constraint",
    "create",
    "cross",
    "current_catalog",
    "current_date",
    "current_role",
    "current_schema",
    "current_time",
    "current_timestamp",
    "current_user",
    "dec",
    "decimal",
    "default",
    "deferrable",
    "desc",
    "distinct",
    "do",
    "else",
    "end",
    "except",
    "exists",
    "extract",
    "false",
    "fetch",
    "float",
    "for",
    "foreign",
    "freeze",
    "from",
    "full",
    "grant",
    "greatest",
    "group",
    "grouping",
    "having",
    "ilike",
    "in",
    "initially",
    "inner",
    "inout",
    "int",
    "integer",
    "intersect",
    "interval",
    "into",
    "is",
    "isnull",
    "join",
    "json",
    "json_array",
    "json_arrayagg",
    "json_exists",
    "json_object",
    "json_objectagg",
    "json_query",
    "json_scalar",
    "json_serialize",
    "json_table",
    "json_value",
    "lateral",
    "leading",
    "least",
    "left",
    "like",
    "limit",
    "localtime",
    "localtimestamp",
    "merge_action",
    "national",
    "natural",
    "nchar",
    "none",
    "normalize",
    "not",
    "notnull",
    "null",
    "nullif",
    "numeric",
    "offset",
    "on",
    "only",
    "or",
    "order",
    "out",
    "outer",
    "overlaps",
    "overlay",
    "placing",
    "position",
    "precision",
    "primary",
    "real",
    "references",
    "returning",
    "right",
    "row",
    "select",
    "session_user",
    "setof",
    "similar",
    "smallint",
    "some",
    "substring",
    "symmetric",
    "system_user",
    "table",
    "tablesample",
    "then",
    "time",
    "timestamp",
    "to",
    "trailing",
    "treat",
    "trim",
    "true",
    "union",
    "unique",
    "user",
    "using",
    "values",
    "varchar",
    "variadic",
    "verbose",
    "when",
    "where",
    "window",
    "with",
    "xmlattributes",
    "xmlconcat",
    "xmlelement",
    "xmlexists",
    "xmlforest",
    "xmlnamespaces",
    "xmlparse",
    "xmlpi",
    "xmlroot",
    "xmlserialize",
    "xmltable",
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
        case("Hive", "\"Hive\"");
        case("order", "\"order\"");
        case("a\"b", "\"a\"\"b\"");
        case("größe", "\"größe\"");
    }
}
