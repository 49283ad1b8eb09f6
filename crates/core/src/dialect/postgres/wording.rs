//! The server's words for lists and comparisons, as people write them: `(kind)::text = ANY ((ARRAY['a'::character varying,
//! …])::text[])` is what it makes of `kind in ('a', …)` (PostgreSQL 15, `parse_expr.c`, `transformAExprIn`).
//!
//! Such words given back to the server do not come out the same again, as `(kind)::text = ANY (ARRAY[('a'::character
//! varying)::text, …])`, which a dump leaves in the database that it is put into; the plain ones do. They are only put where
//! they say just this, which the types of the columns tell.

use super::SYNTAX;
use super::catalogue::OtherRow;
use super::types::{split, type_name};
use crate::physical::{IndexKey, ObjectKind, Table, TypeName};
use crate::sql::{Expression, Lexer, TokenKind, unquote};

/// Lets the checks and conditions of a table be equal to what people write for them, and be declared so.
pub(super) fn settle(table: &mut Table) {
    let Table { columns, checks, indexes, .. } = table;
    let type_of = |name: &str| columns.iter().find(|column| column.name == name).map(|column| &column.ty);
    let keys = indexes.iter_mut().flat_map(|index| {
        let keys = index.parts.iter_mut().filter_map(|part| match &mut part.key {
            IndexKey::Expression(expression) => Some(expression),
            IndexKey::Column(_) => None,
        });
        index.predicate.iter_mut().chain(keys)
    });
    for expression in checks.iter_mut().map(|check| &mut check.expression).chain(keys) {
        if let Some(plain) = plain(expression.text(), &type_of) {
            let ours = Expression::read(&plain.text, SYNTAX);
            match plain.comes_back {
                true => expression.is_stored_for(&ours),
                // It would come out in other words than these.
                false => expression.says_also(&ours),
            }
        }
    }
}

/// Puts what a dump made of a list back into the words that the server found for it first, so that a view is what it was once
/// its database has been put back from a dump. Given to the server, both come out as the dump's. What a routine says is
/// nobody's words but its author's.
pub(super) fn settle_object(row: &mut OtherRow) {
    if row.kind != ObjectKind::Routine
        && row.sql.contains("ARRAY[(")
        && let Some(first) = as_first_stored(&row.sql)
    {
        row.sql = first;
    }
}

fn as_first_stored(text: &str) -> Option<String> {
    let reader = Reader::new(text);
    let mut first = String::new();
    let (mut at, mut written) = (0, 0);
    while at < reader.tokens.len() {
        let is_before = |words: &[&str]| at.checked_sub(2).is_some_and(|before| reader.are(before, words));
        let is_list = is_before(&["=", "ANY"]) || is_before(&["<>", "ALL"]);
        match reader.cast_one_by_one(at).filter(|_| is_list) {
            Some((end, values)) => {
                first.push_str(&text[written..reader.tokens[at].1.start]);
                let values: Vec<_> = values.iter().map(|value| format!("{value}::character varying")).collect();
                first.push_str(&format!("((ARRAY[{}])::text[])", values.join(", ")));
                written = reader.tokens[end - 1].1.end;
                at = end;
            }
            None => at += 1,
        }
    }
    first.push_str(&text[written..]);
    (written > 0).then_some(first)
}

/// What people write for what is stored.
struct Plain {
    text: String,
    /// Whether the server stores just this for it.
    comes_back: bool,
}

struct Reader<'t> {
    text: &'t str,
    tokens: Vec<(TokenKind, crate::Span)>,
}

/// A column in a comparison, and how it is compared.
struct Side {
    /// Its text, without a cast.
    column: std::ops::Range<usize>,
    name: String,
    /// Whether it is cast to `text`, as one of bounded length is.
    is_cast: bool,
    /// The token behind it.
    end: usize,
}

fn plain<'t>(text: &str, type_of: &dyn Fn(&str) -> Option<&'t TypeName>) -> Option<Plain> {
    if !text.contains("::") && !text.contains("ARRAY[") {
        return None;
    }
    let reader = Reader::new(text);
    let (mut plain, mut comes_back) = (String::new(), true);
    let (mut at, mut written) = (0, 0);
    while at < reader.tokens.len() {
        let found = reader.side(at).and_then(|side| {
            // The elements of an array are nothing that is told apart here.
            let ty = type_of(&side.name).filter(|ty| !ty.canonical().contains('['))?;
            let again = || Some((false, reader.list(&side, ty, true)?));
            let first = reader.list(&side, ty, false).or_else(|| reader.comparison(&side, ty));
            first.map(|words| (true, words)).or_else(again)
        });
        match found {
            Some((is_first, (end, words))) => {
                comes_back &= is_first;
                plain.push_str(&text[written..reader.tokens[at].1.start]);
                plain.push_str(&words);
                written = reader.tokens[end - 1].1.end;
                at = end;
            }
            None => at += 1,
        }
    }
    plain.push_str(&text[written..]);
    (written > 0).then_some(Plain { text: plain, comes_back })
}

impl<'t> Reader<'t> {
    fn new(text: &'t str) -> Self {
        let tokens = Lexer::new(text, 0, SYNTAX).filter(|token| !matches!(token.kind, TokenKind::Space));
        Self { text, tokens: tokens.map(|token| (token.kind, token.span)).collect() }
    }

    /// `(ARRAY[('a'::character varying)::text, …])`: the token behind it, and the values.
    fn cast_one_by_one(&self, at: usize) -> Option<(usize, Vec<&str>)> {
        let mut values = Vec::new();
        let mut place = at + 3;
        self.are(at, &["(", "ARRAY", "["]).then_some(())?;
        loop {
            let is_open = self.word(place) == "(" && self.tokens.get(place + 1)?.0 == TokenKind::Text;
            self.are(place + 2, &["::", "character", "varying", ")", "::", "text"])
                .then_some(())
                .filter(|()| is_open)?;
            values.push(self.word(place + 1));
            place += 9;
            match self.word(place - 1) {
                "," => {}
                "]" if self.word(place) == ")" => return Some((place + 1, values)),
                _ => return None,
            }
        }
    }

    fn word(&self, at: usize) -> &str {
        self.tokens.get(at).map_or("", |(_, span)| span.text(self.text))
    }

    fn are(&self, at: usize, words: &[&str]) -> bool {
        words.iter().enumerate().all(|(place, word)| self.word(at + place).eq_ignore_ascii_case(word))
    }

    /// `column` or `(column)::text`, which does not go on before it.
    fn side(&self, at: usize) -> Option<Side> {
        if at.checked_sub(1).is_some_and(|before| matches!(self.word(before), "." | "::")) {
            return None;
        }
        let is_cast = self.word(at) == "(" && self.are(at + 2, &[")", "::", "text"]);
        let place = if is_cast { at + 1 } else { at };
        let (kind, span) = *self.tokens.get(place)?;
        let name = match kind {
            TokenKind::Word => span.text(self.text).to_owned(),
            TokenKind::Quoted => unquote(span.text(self.text)),
            _ => return None,
        };
        Some(Side { column: span.start..span.end, name, is_cast, end: if is_cast { at + 5 } else { at + 1 } })
    }

    /// `= ANY (ARRAY[…])` behind a column, or `<> ALL`: the token behind it, and the plain words. Of bounded texts the whole
    /// list is cast, and each of them where it was stored `again`.
    fn list(&self, side: &Side, ty: &TypeName, again: bool) -> Option<(usize, String)> {
        let word = match (self.word(side.end), self.word(side.end + 1)) {
            ("=", "ANY") => "in",
            ("<>", "ALL") => "not in",
            _ => return None,
        };
        let column = &self.text[side.column.clone()];
        if again {
            let (end, values) = self.cast_one_by_one(side.end + 2).filter(|_| side.is_cast && is_bounded(ty))?;
            return Some((end, format!("{column} {word} ({})", values.join(", "))));
        }
        let opening: &[&str] = if side.is_cast { &["(", "(", "ARRAY", "["] } else { &["(", "ARRAY", "["] };
        let mut at = side.end + 2;
        if !self.are(at, opening) {
            return None;
        }
        at += opening.len();
        let mut values = Vec::new();
        loop {
            let (end, value) = self.value(at, side, ty)?;
            values.push(value);
            at = end + 1;
            match self.word(end) {
                "," => {}
                "]" => break,
                _ => return None,
            }
        }
        let closing: &[&str] = if side.is_cast { &[")", "::", "text", "[", "]", ")"] } else { &[")"] };
        // Of one value alone the server makes a comparison.
        if values.len() < 2 || !self.are(at, closing) {
            return None;
        }
        Some((at + closing.len(), format!("{column} {word} ({})", values.join(", "))))
    }

    /// `= 'a'::text` behind a column: the token behind it, and the plain words.
    fn comparison(&self, side: &Side, ty: &TypeName) -> Option<(usize, String)> {
        let operator = self.word(side.end);
        if !matches!(operator, "=" | "<>" | "<" | ">" | "<=" | ">=") {
            return None;
        }
        let at = side.end + 1;
        let (end, value) = match self.tokens.get(at)?.0 {
            TokenKind::Text => {
                let end = self.cast(at, if side.is_cast { "TEXT" } else { ty.canonical() })?;
                (end, self.word(at).to_owned())
            }
            // A whole number beside a column of a type that is not compared with such.
            _ if !side.is_cast && matches!(split(ty.canonical()).0.as_str(), "NUMERIC" | "DOUBLE PRECISION") => {
                self.number(at, ty)?
            }
            _ => return None,
        };
        if side.is_cast && !is_bounded(ty) {
            return None;
        }
        let column = &self.text[side.column.clone()];
        Some((end, format!("{column} {operator} {value}")))
    }

    /// A value of a list for this column: the token behind it, and the value without its cast.
    fn value(&self, at: usize, side: &Side, ty: &TypeName) -> Option<(usize, String)> {
        match self.tokens.get(at)?.0 {
            // A number is of type `integer`, and so is the column then.
            TokenKind::Number if !side.is_cast && matches!(ty.canonical(), "INTEGER" | "SMALLINT") => {
                Some((at + 1, self.word(at).to_owned()))
            }
            TokenKind::Symbol if !side.is_cast => {
                let is_wider = matches!(split(ty.canonical()).0.as_str(), "BIGINT" | "NUMERIC" | "DOUBLE PRECISION");
                self.number(at, ty).filter(|_| is_wider)
            }
            TokenKind::Text if side.is_cast && is_bounded(ty) => {
                Some((self.cast(at, "CHARACTER VARYING")?, self.word(at).to_owned()))
            }
            TokenKind::Text if !side.is_cast => Some((self.cast(at, ty.canonical())?, self.word(at).to_owned())),
            _ => None,
        }
    }

    /// `(1)::numeric`: the token behind it, and the number.
    fn number(&self, at: usize, ty: &TypeName) -> Option<(usize, String)> {
        let is_number =
            self.word(at) == "(" && self.tokens.get(at + 1)?.0 == TokenKind::Number && self.word(at + 2) == ")";
        let end = self.cast(at + 2, ty.canonical()).filter(|_| is_number)?;
        Some((end, self.word(at + 1).to_owned()))
    }

    /// The token behind the cast of what ends here to this type, lengths aside.
    fn cast(&self, at: usize, canonical: &str) -> Option<usize> {
        if self.word(at + 1) != "::" || !self.word(at).starts_with(['\'', ')']) {
            return None;
        }
        const MORE: [&str; 6] = ["varying", "precision", "with", "without", "time", "zone"];
        let (start, mut end) = (at + 2, at + 3);
        self.tokens.get(start)?;
        while self.word(end) == "." || self.word(end - 1) == "." || MORE.contains(&self.word(end)) {
            end += 1;
        }
        if self.word(end) == "[" {
            return None;
        }
        let said = &self.text[self.tokens[start].1.start..self.tokens.get(end - 1)?.1.end];
        let base = |canonical: &str| split(canonical).0;
        let is_it = match said {
            "bpchar" => base(canonical) == "CHARACTER",
            _ => base(type_name(said).canonical()) == base(canonical),
        };
        is_it.then_some(end)
    }
}

/// Whether it is a text that the server compares as one of no bound.
fn is_bounded(ty: &TypeName) -> bool {
    ty.canonical().starts_with("CHARACTER VARYING") && !ty.canonical().ends_with("[]")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_dump_made_of_a_list_is_put_back() {
        let dumped = "WHERE (((a.kind)::text = ANY (ARRAY[('x'::character varying)::text, ('y,'::character varying)::text])) OR b)";
        let first =
            "WHERE (((a.kind)::text = ANY ((ARRAY['x'::character varying, 'y,'::character varying])::text[])) OR b)";
        assert_eq!(as_first_stored(dumped).as_deref(), Some(first));
        assert_eq!(as_first_stored(first), None);
        assert_eq!(as_first_stored("f(ARRAY[('x'::character varying)::text])"), None);
    }

    #[test]
    fn lists_and_comparisons_are_said_as_people_write_them() {
        #[track_caller]
        fn case(stored: &str, expected: &str) {
            let types = [
                ("kind", "character varying(9)"),
                ("Odd", "character varying"),
                ("code", "character(2)"),
                ("n", "smallint"),
                ("big", "bigint"),
                ("price", "numeric(6,2)"),
                ("labels", "text[]"),
                ("word", "text"),
                ("shade", "colour"),
                ("made", "timestamp(3) with time zone"),
            ];
            let types: Vec<(&str, TypeName)> = types.iter().map(|(name, ty)| (*name, type_name(ty))).collect();
            let type_of = |name: &str| types.iter().find(|(one, _)| *one == name).map(|(_, ty)| ty);
            let plain = plain(stored, &type_of).map(|plain| match plain.comes_back {
                true => plain.text,
                false => format!("again: {}", plain.text),
            });
            assert_eq!(plain.as_deref().unwrap_or(stored), expected, "{stored}");
        }
        case(
            "(kind)::text = ANY ((ARRAY['a'::character varying, 'b,'::character varying])::text[])",
            "kind in ('a', 'b,')",
        );
        case(
            "((\"Odd\")::text <> ALL ((ARRAY['x'::character varying, 'it''s'::character varying])::text[])) OR (n = ANY (ARRAY[1, 2]))",
            "(\"Odd\" not in ('x', 'it''s')) OR (n in (1, 2))",
        );
        case("code = ANY (ARRAY['a'::bpchar, 'b'::bpchar])", "code in ('a', 'b')");
        case("word = ANY (ARRAY['a'::text, 'b'::text])", "word in ('a', 'b')");
        case("shade = ANY (ARRAY['red'::colour, 'blue'::colour])", "shade in ('red', 'blue')");
        case("((word <> ''::text) AND ((kind)::text > 'a'::text))", "((word <> '') AND (kind > 'a'))");
        case("made > '2020-01-01 00:00:00+00'::timestamp with time zone", "made > '2020-01-01 00:00:00+00'");
        case(
            "(price > (0)::numeric) AND (big = ANY (ARRAY[(1)::bigint, (2)::bigint]))",
            "(price > 0) AND (big in (1, 2))",
        );
        case(
            "(kind)::text <> ALL (ARRAY[('a'::character varying)::text, ('b'::character varying)::text])",
            "again: kind not in ('a', 'b')",
        );
        // Of others it would not come out the same, or mean the same.
        for stays in [
            "big = ANY (ARRAY[1, 2])",
            "big > (0)::bigint",
            "labels = '{}'::text[]",
            "word = 'a'::text[]",
            "labels = ANY (ARRAY['a'::text, 'b'::text])",
            "price > (0)::double precision",
            "n = ANY (ARRAY['-1'::integer, 2])",
            "word = ANY (ARRAY['a'::text])",
            "(code)::text = ANY (ARRAY['a'::text, 'b'::text])",
            "(code)::text = 'a'::text",
            "(word)::text = 'a'::text",
            "kind = ANY (ARRAY['a'::text, 'b'::text])",
            "lower(word) = 'a'::citext",
            "(kind)::text ~~ 'a%'::text",
            "x.word = other",
        ] {
            case(stays, stays);
        }
    }
}
