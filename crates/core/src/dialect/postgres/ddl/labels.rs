//! What parts of an index are called in a name that the server makes (PostgreSQL 15, `parse_target.c`, `FigureIndexColname`,
//! and `indexcmds.c`, `ChooseIndexColumnNames`).

use super::{Cursor, SYNTAX};
use crate::sql::TokenKind;

/// What an expression is called.
pub(super) fn of_expression(text: &str) -> String {
    label(text).unwrap_or_else(|| "expr".to_owned())
}

/// What the elements of an exclusion are called together.
pub(super) fn of_exclusion(definition: &str) -> String {
    let Some(at) = definition.find('(') else { return String::new() };
    let mut labels = Vec::new();
    let elements = Cursor::new(&definition[at..], SYNTAX).parenthesised().unwrap_or_default();
    let mut cursor = Cursor::new(elements, SYNTAX);
    while !cursor.is_at_end() {
        let start = cursor.at();
        // An operator class, an order, and the operator come behind it.
        if cursor.ahead(1) == "(" {
            cursor.skip();
        }
        cursor.skip_nested();
        labels.push(of_expression(cursor.between(start, cursor.at())));
        cursor.until(|cursor| cursor.is(",")).unwrap_or_default();
        cursor.eat(",");
    }
    joined(labels)
}

/// All labels of an index; one that comes again is numbered.
pub(super) fn joined(labels: Vec<String>) -> String {
    let mut taken: Vec<String> = Vec::new();
    for label in labels {
        let numbered = |pass: usize| if pass == 0 { label.clone() } else { format!("{label}{pass}") };
        taken.extend((0..).map(numbered).find(|one| !taken.contains(one)));
    }
    taken.join("_")
}

/// What an expression is called; nothing where only the word for any expression is left.
fn label(text: &str) -> Option<String> {
    let mut cursor = Cursor::new(text, SYNTAX);
    let mut found = operand(&mut cursor)?;
    while !cursor.is_at_end() {
        match cursor.peek() {
            "::" => {
                cursor.skip();
                let ty = cast_type(&mut cursor);
                found = found.or(Some(ty));
            }
            "[" => cursor.skip_nested()?,
            "." => {
                cursor.skip();
                found = cursor.name();
            }
            _ if cursor.eat("collate") => {
                cursor.name()?;
                while cursor.eat(".") {
                    cursor.name()?;
                }
            }
            // An operator, which has no name.
            _ => return None,
        }
    }
    found
}

/// What stands first: a literal has no name of its own.
fn operand(cursor: &mut Cursor<'_>) -> Option<Option<String>> {
    if cursor.is("(") {
        return Some(label(cursor.parenthesised()?));
    }
    if matches!(cursor.kind(), TokenKind::Number | TokenKind::Text) {
        cursor.skip();
        return Some(None);
    }
    if cursor.kind() == TokenKind::Word {
        match cursor.peek().to_ascii_lowercase().as_str() {
            "case" => return Some(Some(case(cursor)?)),
            "array" if cursor.ahead(1) == "[" => {
                cursor.skip();
                cursor.skip_nested()?;
                return Some(Some("array".into()));
            }
            "cast" if cursor.ahead(1) == "(" => {
                cursor.skip();
                let mut inner = Cursor::new(cursor.parenthesised()?, SYNTAX);
                let value = inner.until(|inner| inner.is("as"))?;
                inner.skip();
                return Some(Some(label(value).unwrap_or_else(|| cast_type(&mut inner))));
            }
            "trim" if cursor.ahead(1) == "(" => {
                cursor.skip();
                let inner = Cursor::new(cursor.parenthesised()?, SYNTAX);
                let side = if inner.is("leading") { "ltrim" } else { "btrim" };
                return Some(Some(if inner.is("trailing") { "rtrim" } else { side }.into()));
            }
            "not" | "null" | "true" | "false" | "interval" | "date" | "timestamp" => return None,
            _ => {}
        }
    }
    let mut name = cursor.name()?;
    while cursor.eat(".") {
        name = cursor.name()?;
    }
    if cursor.is("(") {
        cursor.skip_nested()?;
    }
    Some(Some(name))
}

/// `case … end`: what its last branch is called, or so itself.
fn case(cursor: &mut Cursor<'_>) -> Option<String> {
    let (mut depth, mut branch) = (0, None);
    loop {
        if cursor.is("case") {
            depth += 1;
        } else if cursor.is("else") && depth == 1 {
            branch = Some(cursor.at() + 1);
        } else if cursor.is("end") {
            depth -= 1;
        }
        if depth == 0 {
            break;
        }
        cursor.skip_nested()?;
    }
    let last = branch.map(|start| cursor.between(start, cursor.at()));
    cursor.skip();
    // A cast of a literal there counts for nothing.
    let is_named = |text: &&str| operand(&mut Cursor::new(text, SYNTAX)).flatten().is_some();
    Some(last.filter(is_named).and_then(label).unwrap_or_else(|| "case".into()))
}

/// What a value without a name is called once it is cast: its type, by the server's own name.
fn cast_type(cursor: &mut Cursor<'_>) -> String {
    let mut name = cursor.name().unwrap_or_default();
    while cursor.eat(".") {
        name = cursor.name().unwrap_or_default();
    }
    let varies = cursor.eat("varying");
    cursor.eat("precision");
    if cursor.is("(") {
        cursor.skip_nested();
    }
    let zoned = cursor.eat_all(&["with", "time", "zone"]);
    cursor.eat_all(&["without", "time", "zone"]);
    let own = match name.as_str() {
        "int" | "integer" => "int4",
        "smallint" => "int2",
        "bigint" => "int8",
        "real" => "float4",
        "double" | "float" => "float8",
        "decimal" | "dec" => "numeric",
        "boolean" => "bool",
        "char" | "character" | "nchar" if varies => "varchar",
        "char" | "character" | "nchar" => "bpchar",
        "bit" if varies => "varbit",
        "timestamp" if zoned => "timestamptz",
        "time" if zoned => "timetz",
        _ => return name,
    };
    own.to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// As PostgreSQL 15 calls them.
    #[test]
    fn expressions_are_called_as_the_server_calls_them() {
        #[track_caller]
        fn case(text: &str, expected: &str) {
            assert_eq!(of_expression(text), expected, "{text}");
        }
        case("lower(b)", "lower");
        case("pg_catalog.lower(b)", "lower");
        case("b::varchar(3)", "b");
        case("c ->> 'x'", "expr");
        case("(c ->> 'y')::int", "int4");
        case("(c ->> 'y')::character varying(3)", "varchar");
        case("tags[1]", "tags");
        case("coalesce(a, 0)", "coalesce");
        case("case when a > 1 then b else lower(b) end", "lower");
        case("case when a > 1 then 1 end", "case");
        case("case when a > 1 then 1 else 2 end", "case");
        case("b collate \"C\"", "b");
        case("a + 1", "expr");
        case("a is null", "expr");
        case("greatest(a, 1)", "greatest");
        case("array[a, 1]", "array");
        case("extract(year from d at time zone 'UTC')", "extract");
        case("cast(a as bigint)", "a");
        case("cast(a + 1 as bigint)", "int8");
        case("pg_catalog.lower(b) || b", "expr");
        case("trim(trailing from b)", "rtrim");
        case("((\"Odd\"))", "Odd");
    }

    #[test]
    fn one_that_comes_again_is_numbered() {
        assert_eq!(joined(vec!["expr".into(), "expr".into(), "a".into(), "expr".into()]), "expr_expr1_a_expr2");
        assert_eq!(of_exclusion("using gist (lower(b) with =, c with &&, (a + 1) with =)"), "lower_c_expr");
    }
}
