//! What a statement names: relations, routines and types, each where it stands.

use super::PUBLIC;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::quote;
use crate::physical::qualified;
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
const BEHIND_RELATIONS: [&str; 14] = [
    "where",
    "group",
    "order",
    "having",
    "limit",
    "union",
    "except",
    "intersect",
    "on",
    "using",
    "window",
    "select",
    "returning",
    "set",
];

/// What may stand behind the type of an argument or field.
const BEHIND_TYPE: [&str; 7] = [",", ")", "[", "default", "=", ":=", "collate"];

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
                    around.push(Around { lists: false, casts: before == "cast", has_words });
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
                () if follows || before == "," && inner.lists => Place::Relation,
                () if is_type => Place::Type,
                () => continue,
            };
            let is_query = |parts: &[String]| matches!(parts, [name] if self.is_of_query(name, at));
            if place != Place::Relation || !is_query(&parts) {
                uses.push(Use { at, parts, place });
            }
        }
        uses
    }

    /// Whether a column may be among what is read: it is named, or all columns are.
    pub(super) fn may_read(&self, column: &str) -> bool {
        let is_all = |at: usize| self.at(Some(at)) == "*" && ["select", ",", "."].contains(&self.before(at).as_str());
        // What follows `as` is a new name.
        let is_it = |at: usize| self.word(at).as_deref() == Some(column) && self.before(at) != "as";
        (0..self.tokens.len()).any(|at| is_all(at) || is_it(at))
    }
}
