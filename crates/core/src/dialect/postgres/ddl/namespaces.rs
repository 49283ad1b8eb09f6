//! What is kept as it is written, behind `set search_path`: it is made without one, so its names are given their namespace.

use super::{Reader, argument_types, without_public};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::quote;
use crate::physical::ObjectKind;
use crate::sql::{Lexer, Token, TokenKind, unquote};

/// Words that stand before the name of what is made.
const HEAD: [&str; 15] = [
    "create",
    "or",
    "replace",
    "recursive",
    "materialized",
    "view",
    "function",
    "procedure",
    "constraint",
    "trigger",
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

/// The tokens of a statement that mean something.
struct Words<'a> {
    sql: &'a str,
    tokens: Vec<Token>,
}

impl<'a> Words<'a> {
    fn new(sql: &'a str) -> Self {
        let is_said = |token: &Token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment);
        Self { sql, tokens: Lexer::new(sql, 0, SYNTAX).filter(is_said).collect() }
    }

    /// The text with the namespace before these tokens.
    fn with(&self, namespace: &str, places: &[usize]) -> String {
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

    /// The name that a token is, if it can be one and stands alone.
    fn name(&self, at: usize) -> Option<String> {
        let token = &self.tokens[at];
        let name = match token.kind {
            TokenKind::Word => token.span.text(self.sql).to_lowercase(),
            TokenKind::Quoted => unquote(token.span.text(self.sql)),
            _ => return None,
        };
        (self.before(at) != "." && self.behind(at) != ".").then_some(name)
    }

    /// Where a routine's body begins, which nobody reads before it runs.
    fn body(&self) -> usize {
        let begins = |at: &usize| self.before(*at) == "as" && self.tokens[*at].kind == TokenKind::Text;
        (0..self.tokens.len()).find(begins).unwrap_or(self.tokens.len())
    }
}

impl Reader {
    /// The statement with the namespace before each name that means something of it.
    pub(super) fn in_namespace(&self, sql: &str, namespace: &str) -> String {
        let words = Words::new(sql);
        let Some(name) = (0..words.tokens.len()).find(|at| !HEAD.contains(&words.at(Some(*at)).as_str())) else {
            return sql.to_owned();
        };
        let said = |word: &str| (0..name).any(|at| words.at(Some(at)) == word);
        let is_trigger = said("trigger");
        let has_types = ["function", "procedure", "type", "domain"].into_iter().any(said);
        let mut places = Vec::new();
        if !is_trigger && words.name(name).is_some() {
            places.push(name);
        }
        // Of each pair of parentheses around, whether a list of relations goes on.
        let mut lists = vec![false];
        for at in name + 1..words.body() {
            let word = words.at(Some(at));
            match word.as_str() {
                "(" => lists.push(false),
                ")" => {
                    lists.pop();
                }
                _ if BEFORE_RELATION.contains(&word.as_str()) => {
                    lists.last_mut().into_iter().for_each(|last| *last = true)
                }
                _ if BEHIND_RELATIONS.contains(&word.as_str()) => {
                    lists.last_mut().into_iter().for_each(|last| *last = false);
                }
                _ => {}
            }
            let Some(named) = words.name(at) else { continue };
            let full = super::qualified(Some(namespace), &named);
            let (before, behind) = (words.before(at), words.behind(at));
            let goes_on = before == "," && lists.last() == Some(&true);
            let is_relation = BEFORE_RELATION.contains(&before.as_str()) || goes_on || is_trigger && before == "on";
            // A query of its own that is called like a table comes before it.
            let is_with = |one: usize| words.name(one).as_ref() == Some(&named) && words.behind(one) == "as";
            let is_hidden = || said("view") && (name + 1..at).any(|one| is_with(one) && words.at(Some(one + 2)) == "(");
            let is_type = before == "::"
                || has_types && (["returns", "setof"].contains(&before.as_str()) || said("domain") && before == "as")
                || has_types && lists.len() > 1 && BEHIND_TYPE.contains(&behind.as_str());
            let is_of_it = match () {
                () if behind == "(" => self.is_routine(&full),
                () if is_relation => self.is_relation(&full) && !is_hidden(),
                () if is_type => self.is_type(&full) || self.is_relation(&full),
                () => false,
            };
            if is_of_it {
                places.push(at);
            }
        }
        words.with(namespace, &places)
    }

    /// An expression of a table as it is kept: without `public`, and with the namespace that the search path says.
    pub(super) fn expression(&self, text: &str) -> String {
        let text = without_public(text);
        let Some(namespace) = &self.namespace else { return text };
        let words = Words::new(&text);
        let is_of_it = |at: &usize| {
            let Some(named) = words.name(*at) else { return false };
            let full = super::qualified(Some(namespace), &named);
            words.behind(*at) == "(" && self.is_routine(&full) || words.before(*at) == "::" && self.is_type(&full)
        };
        let places: Vec<usize> = (0..words.tokens.len()).filter(is_of_it).collect();
        words.with(namespace, &places)
    }

    /// The sequence that a text names, as `nextval` is given one, where it is of the search path's namespace.
    pub(super) fn sequence_named(&self, text: &str) -> Option<String> {
        let full = super::qualified(Some(self.namespace.as_deref()?), &unquote(text));
        self.catalogue.sequences.iter().any(|row| row.name == full).then_some(full)
    }

    /// The types of a routine's arguments; those of the search path's namespace say it.
    pub(super) fn argument_types(&self, text: &str) -> String {
        let types = argument_types(text);
        let Some(namespace) = &self.namespace else { return types };
        let of_it = |one: &str| {
            let full = super::qualified(Some(namespace), one.trim_end_matches("[]"));
            let is_of_it = !one.contains('.') && (self.is_type(&full) || self.is_relation(&full));
            if is_of_it { super::qualified(Some(namespace), one) } else { one.to_owned() }
        };
        types.split(',').map(of_it).collect::<Vec<_>>().join(",")
    }

    fn is_relation(&self, name: &str) -> bool {
        let is_view = |kind: ObjectKind| matches!(kind, ObjectKind::View | ObjectKind::MaterializedView);
        self.oid(name).is_some()
            || self.is_partition(name)
            || self.catalogue.others.iter().any(|row| is_view(row.kind) && row.name == name)
    }

    fn is_type(&self, name: &str) -> bool {
        let is_type = |kind: ObjectKind| matches!(kind, ObjectKind::Type | ObjectKind::Domain);
        self.enums.contains(name) || self.catalogue.others.iter().any(|row| is_type(row.kind) && row.name == name)
    }

    fn is_routine(&self, name: &str) -> bool {
        let is_it = |row: &str| row == name || row.strip_prefix(name).is_some_and(|rest| rest.starts_with('('));
        self.catalogue.others.iter().any(|row| row.kind == ObjectKind::Routine && is_it(&row.name))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dialect::reading::Statements;
    use crate::sql::Cursor;

    #[test]
    fn names_get_the_namespace_that_they_mean() {
        let mut reader = Reader::default();
        for sql in [
            "create schema shop",
            "create type shop.kind as enum ('a')",
            "create table shop.box (id int)",
            "create table shop.item (id int, box int)",
            "create function shop.twice(n int) returns int language sql as 'select 2 * n'",
        ] {
            assert!(reader.statement(&mut Cursor::new(sql, SYNTAX), sql).is_ok(), "{sql}");
        }
        let case = |sql: &str, expected: &str| assert_eq!(reader.in_namespace(sql, "shop"), expected);
        case(
            "create view both as select box.id, twice(i.id), 'a'::kind from box, item i join public.item o on o.box = box.id",
            "create view shop.both as select box.id, shop.twice(i.id), 'a'::shop.kind from shop.box, shop.item i join public.item o on o.box = box.id",
        );
        case(
            "CREATE OR REPLACE FUNCTION put(kind kind, box box DEFAULT NULL) RETURNS SETOF item LANGUAGE sql AS $$ select * from item $$",
            "CREATE OR REPLACE FUNCTION shop.put(kind shop.kind, box shop.box DEFAULT NULL) RETURNS SETOF shop.item LANGUAGE sql AS $$ select * from item $$",
        );
        case(
            "create trigger box before insert on box for each row when (twice(new.id) > 1) execute function twice()",
            "create trigger box before insert on shop.box for each row when (shop.twice(new.id) > 1) execute function shop.twice()",
        );
        case(
            "create view sums as with box as (select 1 as id) select item from box, (select id from item) item",
            "create view shop.sums as with box as (select 1 as id) select item from box, (select id from shop.item) item",
        );
        case("create view else.where as select 1", "create view else.where as select 1");
        case("create domain kinds as kind[]", "create domain shop.kinds as shop.kind[]");
        case("create type pair as (kind kind, box int)", "create type shop.pair as (kind shop.kind, box int)");
    }
}
