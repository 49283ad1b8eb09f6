//! What a statement names: relations, routines and types, each where it stands.

use super::PUBLIC;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::physical::qualified::{self, qualified};
use crate::sql::{Lexer, Token, TokenKind, unquote};

/// Words that stand before the name of what is made.
const HEAD: [&str; 19] = [
    "create",
    "or",
    "replace",
    "recursive",
    "materialized",
    "view",
    "function",
    "procedure",
    "aggregate",
    "statistics",
    "constraint",
    "trigger",
    "policy",
    "rule",
    "type",
    "domain",
    "if",
    "not",
    "exists",
];

/// Words that a relation follows.
const BEFORE_RELATION: [&str; 6] = ["from", "join", "only", "into", "update", "table"];

/// Words that end a list of relations.
const BEHIND_RELATIONS: [&str; 12] = [
    "where",
    "group",
    "order",
    "having",
    "limit",
    "union",
    "except",
    "intersect",
    "window",
    "select",
    "returning",
    "set",
];

/// What else a relation without an alias may have behind it.
const BEHIND_RELATION: [&str; 18] = [
    "on",
    "using",
    "values",
    "default",
    "join",
    "inner",
    "left",
    "right",
    "full",
    "cross",
    "natural",
    "tablesample",
    "offset",
    "fetch",
    "for",
    "with",
    "do",
    "when",
];

/// What may stand behind the type of an argument or field.
const BEHIND_TYPE: [&str; 7] = [",", ")", "[", "default", "=", ":=", "collate"];

/// Types of the server's own, which come before those of the same name in any namespace that is searched (PostgreSQL 17,
/// "Data Types"; "Schemas and the Search Path").
const BUILT_IN: [&str; 78] = [
    "any",
    "anyarray",
    "anyelement",
    "bigint",
    "bigserial",
    "bit",
    "bool",
    "boolean",
    "box",
    "bpchar",
    "bytea",
    "char",
    "character",
    "cidr",
    "circle",
    "cstring",
    "date",
    "daterange",
    "decimal",
    "double",
    "float",
    "float4",
    "float8",
    "inet",
    "int",
    "int2",
    "int4",
    "int4range",
    "int8",
    "int8range",
    "integer",
    "internal",
    "interval",
    "json",
    "jsonb",
    "jsonpath",
    "line",
    "lseg",
    "macaddr",
    "macaddr8",
    "money",
    "name",
    "numeric",
    "numrange",
    "oid",
    "path",
    "pg_lsn",
    "point",
    "polygon",
    "real",
    "record",
    "regclass",
    "regproc",
    "regrole",
    "regtype",
    "serial",
    "serial2",
    "serial4",
    "serial8",
    "smallint",
    "smallserial",
    "text",
    "tid",
    "time",
    "timestamp",
    "timestamptz",
    "timetz",
    "trigger",
    "tsquery",
    "tsrange",
    "tstzrange",
    "tsvector",
    "uuid",
    "varbit",
    "varchar",
    "void",
    "xid",
    "xml",
];

/// Functions whose arguments are told apart by words, `from` among them (PostgreSQL 17, "Functions and Operators").
const WITH_WORDS: [&str; 5] = ["extract", "substring", "trim", "overlay", "position"];

/// What a name is the name of, by where it stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Place {
    Relation,
    Routine,
    Type,
}

/// A name in a statement, behind that of what it makes.
pub(super) struct Use {
    /// The token where it begins.
    pub at: usize,
    /// The name, and its namespace before it where that is said.
    pub parts: Vec<String>,
    pub place: Place,
    /// Whether it is the table that what is made hangs on.
    pub is_own_table: bool,
}

impl Use {
    /// The whole name, where names without a namespace are in `public`.
    pub(super) fn name(&self) -> Option<String> {
        named(None, &self.parts)
    }
}

/// A name of one or two parts, with the namespace where it is in another than `public`.
pub(super) fn named(namespace: Option<&str>, parts: &[String]) -> Option<String> {
    match parts {
        [name] => Some(qualified(namespace, name)),
        [namespace, name] => Some(qualified(Some(namespace.as_str()).filter(|one| *one != PUBLIC), name)),
        _ => None,
    }
}

/// Whether a type of this name is the server's, where no namespace is said.
pub(super) fn is_built_in(name: &str) -> bool {
    BUILT_IN.contains(&name)
}

/// A pair of parentheses, as far as it is read.
#[derive(Clone, Copy, Default)]
struct Around {
    /// Whether a list of relations goes on.
    lists: bool,
    /// Whether a type follows its `as`.
    casts: bool,
    /// Whether its `from` is one of a function.
    has_words: bool,
}

/// The tokens of a statement that mean something.
pub(super) struct Words<'a> {
    sql: &'a str,
    tokens: Vec<Token>,
}

impl<'a> Words<'a> {
    pub(super) fn new(sql: &'a str) -> Self {
        let is_said = |token: &Token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment);
        Self { sql, tokens: Lexer::new(sql, 0, SYNTAX).filter(is_said).collect() }
    }

    /// The text with the namespace before these tokens.
    pub(super) fn with(&self, namespace: &str, places: &[usize]) -> String {
        let mut text = String::with_capacity(self.sql.len());
        let mut done = 0;
        for at in places {
            let start = self.tokens[*at].span.start;
            text.push_str(&self.sql[done..start]);
            text.push_str(&format!("{}.", quote(namespace)));
            done = start;
        }
        text.push_str(&self.sql[done..]);
        text
    }

    /// A token in lower case; empty outside of the statement.
    fn at(&self, at: Option<usize>) -> String {
        let token = at.and_then(|at| self.tokens.get(at));
        token.map_or(String::new(), |token| token.span.text(self.sql).to_lowercase())
    }

    fn before(&self, at: usize) -> String {
        self.at(at.checked_sub(1))
    }

    fn behind(&self, at: usize) -> String {
        self.at(Some(at + 1))
    }

    /// The name that a token is, if it can be one.
    fn word(&self, at: usize) -> Option<String> {
        let token = self.tokens.get(at)?;
        match token.kind {
            TokenKind::Word => Some(token.span.text(self.sql).to_lowercase()),
            TokenKind::Quoted => Some(unquote(token.span.text(self.sql))),
            _ => None,
        }
    }

    /// The name that begins at a token, with what is before it and between by points.
    fn name(&self, at: usize) -> Option<Vec<String>> {
        if self.before(at) == "." {
            return None;
        }
        let mut parts = vec![self.word(at)?];
        while self.at(Some(at + 2 * parts.len() - 1)) == "." {
            parts.push(self.word(at + 2 * parts.len())?);
        }
        Some(parts)
    }

    /// Where a routine's body begins, which nobody reads before it runs.
    fn body(&self) -> usize {
        let begins = |at: &usize| self.before(*at) == "as" && self.tokens[*at].kind == TokenKind::Text;
        (0..self.tokens.len()).find(begins).unwrap_or(self.tokens.len())
    }

    /// Where the name of what a statement makes stands; a query makes nothing, and begins there.
    fn head(&self) -> usize {
        let is_name = |at: &usize| !HEAD.contains(&self.at(Some(*at)).as_str());
        (0..self.tokens.len()).find(is_name).unwrap_or_default()
    }

    fn makes(&self, kind: &str) -> bool {
        (0..self.head()).any(|at| self.at(Some(at)) == kind)
    }

    /// The token that is the name of what a statement makes, where that is in a namespace and none is said.
    pub(super) fn own_name(&self) -> Option<usize> {
        let head = self.head();
        let is_of_table = ["trigger", "policy", "rule"].into_iter().any(|kind| self.makes(kind));
        let stands_alone = self.name(head).is_some_and(|parts| parts.len() == 1);
        (head > 0 && !is_of_table && stands_alone).then_some(head)
    }

    /// Whether a query of a statement's own is called so, which comes before a table of that name.
    fn is_of_query(&self, name: &str, before: usize) -> bool {
        let begins = |at: usize| {
            let names_columns = self.behind(at) == "(";
            let closes = (at + 1..before).find(|at| names_columns && self.at(Some(*at)) == ")").unwrap_or(at);
            self.behind(closes) == "as" && ["(", "not", "materialized"].contains(&self.at(Some(closes + 2)).as_str())
        };
        (0..before).any(|at| {
            self.word(at).as_deref() == Some(name)
                && ["with", "recursive", ","].contains(&self.before(at).as_str())
                && begins(at)
        })
    }

    /// Whether a relation follows this token.
    fn opens_relations(&self, at: usize) -> bool {
        let compares = || self.before(at) == "distinct" && ["is", "not"].contains(&self.at(at.checked_sub(2)).as_str());
        BEFORE_RELATION.contains(&self.at(Some(at)).as_str()) && !compares()
    }

    /// What is named behind the name of what a statement makes, up to a routine's body.
    pub(super) fn uses(&self) -> Vec<Use> {
        let head = self.head();
        let makes = |kinds: &[&str]| kinds.iter().any(|kind| self.makes(kind));
        let has_types = makes(&["function", "procedure", "aggregate", "type", "domain"]);
        let is_aggregate = makes(&["aggregate"]);
        let mut table_behind = match () {
            () if makes(&["trigger", "policy"]) => "on",
            () if makes(&["rule"]) => "to",
            () => "",
        };
        let mut around = vec![Around::default()];
        let mut uses = Vec::new();
        for at in if head == 0 { 0 } else { head + 1 }..self.body() {
            let word = self.at(Some(at));
            let inner = around.last().copied().unwrap_or_default();
            let opens = !inner.has_words && self.opens_relations(at);
            match word.as_str() {
                "(" => {
                    let before = self.before(at);
                    let has_words = WITH_WORDS.contains(&before.as_str());
                    // Joined relations may be put into parentheses, as the server itself does.
                    let follows =
                        at > 0 && self.opens_relations(at - 1) || inner.lists && [",", "("].contains(&&*before);
                    let is_query = ["select", "with", "values"].contains(&self.behind(at).as_str());
                    let lists = follows && !inner.has_words && !is_query;
                    around.push(Around { lists, casts: before == "cast", has_words });
                }
                ")" => {
                    around.pop();
                }
                word => {
                    let ends = BEHIND_RELATIONS.contains(&word);
                    around.last_mut().into_iter().for_each(|last| last.lists = opens || last.lists && !ends);
                }
            }
            let Some(parts) = self.name(at) else { continue };
            let (before, behind) = (self.before(at), self.behind(at + 2 * (parts.len() - 1)));
            let is_of_table = !before.is_empty() && before == table_behind;
            if is_of_table {
                // Later ones are of joins, or say whom it is for.
                table_behind = "";
            }
            let follows = !inner.has_words && at > 0 && self.opens_relations(at - 1) || is_of_table;
            let option = if is_aggregate && before == "=" { self.at(at.checked_sub(2)) } else { String::new() };
            let is_type = before == "::"
                || option.ends_with("type")
                || inner.casts && before == "as"
                || has_types
                    && (["returns", "setof"].contains(&before.as_str()) || before == "as" && makes(&["domain"]))
                || has_types && around.len() > 1 && BEHIND_TYPE.contains(&behind.as_str());
            let place = match () {
                // The columns that a trigger's or rule's relation is written to stand behind it.
                () if behind == "(" && before != "into" || option.ends_with("func") => Place::Routine,
                () if follows || [",", "("].contains(&&*before) && inner.lists => Place::Relation,
                () if is_type => Place::Type,
                () => continue,
            };
            let is_anothers = match &parts[..] {
                [name] if place == Place::Relation => self.is_of_query(name, at),
                [name] if place == Place::Type => name == "setof" || is_built_in(name),
                _ => false,
            };
            if !is_anothers {
                uses.push(Use { at, parts, place, is_own_table: is_of_table });
            }
        }
        uses
    }

    /// The text with another name for what it makes.
    pub(super) fn own_name_changed(&self, new: &str) -> String {
        let head = self.head();
        let tokens = self.name(head).map_or(1, |parts| 2 * parts.len() - 1);
        self.replaced(&[(head, tokens, new.to_owned())])
    }

    /// The text with another name for what it uses. A relation that columns are said with is called as before there, by an
    /// alias, where it cannot be told that nothing else is called so.
    pub(super) fn renamed(&self, places: &[Place], old: &str, new: &str) -> String {
        let base = qualified::plain(qualified::base(old)).into_owned();
        let (uses, others): (Vec<Use>, Vec<Use>) =
            self.uses().into_iter().partition(|one| places.contains(&one.place) && one.name().as_deref() == Some(old));
        if uses.is_empty() {
            return self.sql.to_owned();
        }
        let is_used = |at: usize| uses.iter().chain(&others).any(|one| one.at == at);
        let runs = || (0..self.tokens.len()).filter(|at| !is_used(*at)).filter_map(|at| Some((at, self.name(at)?)));
        let is_something =
            |at: usize, parts: &[String]| at != self.head() && self.before(at) != "::" && parts == [base.as_str()];
        let is_called_so = runs().any(|(at, parts)| is_something(at, &parts));
        let is_relation = places.contains(&Place::Relation);
        let changed = |one: &Use| {
            let tokens = 2 * one.parts.len() - 1;
            let is_read = one.place == Place::Relation && !one.is_own_table && self.before(one.at) != "into";
            let alias = match is_called_so && is_read && !self.has_alias(one.at + tokens) {
                true => format!(" {}", quote(&base)),
                false => String::new(),
            };
            (one.at, tokens, format!("{}{alias}", quote_object(new)))
        };
        let qualifiers =
            runs().filter(|(_, parts)| is_relation && !is_called_so && parts.len() > 1 && parts[0] == base);
        let alone = quote(&qualified::plain(qualified::base(new)));
        let mut all: Vec<_> =
            uses.iter().map(changed).chain(qualifiers.map(|(at, _)| (at, 1, alone.clone()))).collect();
        all.sort_by_key(|(at, ..)| *at);
        self.replaced(&all)
    }

    /// Whether a relation that ends before this token has another name in its statement.
    fn has_alias(&self, behind: usize) -> bool {
        self.tokens.get(behind).is_some_and(|next| match next.kind {
            TokenKind::Word => {
                let word = self.at(Some(behind));
                !BEHIND_RELATION.contains(&word.as_str()) && !BEHIND_RELATIONS.contains(&word.as_str())
            }
            kind => kind == TokenKind::Quoted,
        })
    }

    /// The text with another name for a relation wherever it is said, before columns as well.
    pub(super) fn renamed_throughout(&self, old: &str, new: &str) -> String {
        let own = if self.makes("policy") || self.makes("rule") { Some(self.head()) } else { None };
        let changed = |at: usize| {
            let parts = self.name(at).filter(|_| own != Some(at))?;
            let count = (1..=parts.len()).find(|count| named(None, &parts[..*count]).as_deref() == Some(old))?;
            Some((at, 2 * count - 1, quote_object(new)))
        };
        self.replaced(&(0..self.tokens.len()).filter_map(changed).collect::<Vec<_>>())
    }

    /// The text with others for runs of tokens: where each begins, and how many they are.
    fn replaced(&self, runs: &[(usize, usize, String)]) -> String {
        let mut text = String::with_capacity(self.sql.len());
        let mut done = 0;
        for (at, count, new) in runs {
            let (Some(first), Some(last)) = (self.tokens.get(*at), self.tokens.get(at + count - 1)) else { continue };
            text.push_str(&self.sql[done..first.span.start]);
            text.push_str(new);
            done = last.span.end;
        }
        text.push_str(&self.sql[done..]);
        text
    }

    /// Whether a column may be among what is read: it is named, or all columns are.
    pub(super) fn may_read(&self, column: &str) -> bool {
        let is_all = |at: usize| self.at(Some(at)) == "*" && ["select", ",", "."].contains(&self.before(at).as_str());
        // What follows `as` is a new name.
        let is_it = |at: usize| self.word(at).as_deref() == Some(column) && self.before(at) != "as";
        (0..self.tokens.len()).any(|at| is_all(at) || is_it(at))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_relation_gets_another_name_and_columns_are_said_with_it() {
        #[track_caller]
        fn case(sql: &str, expected: &str) {
            assert_eq!(Words::new(sql).renamed(&[Place::Relation, Place::Type], "bin", "shop.crate"), expected);
        }
        case("select bin.id, b.id from bin, bin as b", "select crate.id, b.id from shop.crate, shop.crate as b");
        case("select bin.id, 1 as bin from bin", "select bin.id, 1 as bin from shop.crate bin");
        case(
            "with bin as (select 1) select * from bin, shop.bin",
            "with bin as (select 1) select * from bin, shop.bin",
        );
        case(
            "create view bin as select id from bin join x on true",
            "create view bin as select id from shop.crate join x on true",
        );
        case(
            "select 'bin' from only bin where extract(day from bin) > 1",
            "select 'bin' from only shop.crate bin where extract(day from bin) > 1",
        );
        case(
            "create function f(b bin) returns setof bin as 'select * from bin'",
            "create function f(b shop.crate) returns setof shop.crate as 'select * from bin'",
        );
        case(
            "create trigger bin after update of bin on bin for each row execute function bin()",
            "create trigger bin after update of bin on shop.crate for each row execute function bin()",
        );
    }

    #[test]
    fn a_type_of_the_servers_comes_before_a_table_of_its_name() {
        let types = |sql: &str| -> Vec<String> {
            let uses = Words::new(sql).uses().into_iter().filter(|one| one.place == Place::Type);
            uses.filter_map(|one| one.name()).collect()
        };
        assert_eq!(types("select a::date, b::kind, cast(c as shop.date) from date"), ["kind", "shop.date"]);
        assert_eq!(types("create function f(d date, k kind) returns setof point as ''"), ["kind"]);
    }

    #[test]
    fn a_column_may_be_read() {
        #[track_caller]
        fn case(sql: &str, expected: bool) {
            assert_eq!(Words::new(sql).may_read("lid"), expected, "{sql}");
        }
        case("select lid from bin", true);
        case("select b.* from bin b", true);
        case("select count(*), 2 * id as lid from bin", false);
        case("create trigger t before update of \"lid\" on bin", true);
        case("select 'lid', lids from bin", false);
    }
}
