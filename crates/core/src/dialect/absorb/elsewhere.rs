//! What is new on one provider, in declarations that serve others, too.

use std::collections::{BTreeMap, BTreeSet};

use thin_vec::ThinVec;

use super::Dialect;
use super::held::{Held, place_of};
use super::types::Place;
use super::words::Words;
use crate::dialect::lift::is_number;
use crate::physical;
use crate::schema::{
    Check, Column, Domain, Fault, FaultKind, ForeignKey, Form, Generated, Identifier, Identity, Index, IndexPart, Item,
    KeyPart, Part, Parts, Program, Provider, Providers, Schema, Scope, Scoped, Storage, Table, Type, Unique, Value,
    fits,
};
use crate::sql::{Expression, Lexer, Syntax, Token, TokenKind, matching_parenthesis, unquote};

/// The scope of what is said for one provider.
pub(super) fn only(provider: Provider) -> Scope {
    Scope::For(provider.into())
}

/// Functions that every provider has, and that mean the same on each.
const EVERYWHERE: [&str; 8] = ["abs", "coalesce", "length", "lower", "nullif", "round", "trim", "upper"];

/// Operators and the like of which the same is true.
const SYMBOLS: [&str; 14] = ["(", ")", ",", ".", "=", "<>", "!=", "<", ">", "<=", ">=", "+", "-", "*"];

/// Words that only some providers have between two values, or that do not mean the same on all: `like` looks at the case of
/// letters on PostgreSQL alone (SQLite, "SQL Language Expressions", section 5; MariaDB, "LIKE"; PostgreSQL 17, 9.7).
const OPERATORS: [&str; 15] = [
    "binary", "collate", "div", "glob", "ilike", "isnull", "like", "match", "mod", "notnull", "overlaps", "regexp",
    "rlike", "similar", "xor",
];

/// What every provider can ask by `is`; SQLite compares any two values by it (SQLite, "SQL Language Expressions", section 6).
const STATES: [&str; 3] = ["false", "null", "true"];

/// Words of a query that a parenthesis can follow.
const WORDS: [&str; 24] = [
    "all", "and", "as", "between", "by", "case", "distinct", "else", "except", "exists", "from", "having", "in",
    "join", "not", "on", "or", "select", "then", "union", "using", "when", "where", "with",
];

/// What a query counts over many rows.
const AGGREGATES: [&str; 5] = ["avg", "count", "max", "min", "sum"];

/// Words of queries that only some providers have: of joins, of an order, of rows left out (MariaDB, "JOIN Syntax", "SELECT";
/// SQLite, "SELECT"; PostgreSQL 17, "SELECT").
const OWN_WORDS: [&str; 9] =
    ["fetch", "full", "interval", "lateral", "nulls", "only", "straight_join", "tablesample", "window"];

/// Whether an expression means the same on every provider: what is in the words of one is declared for it alone.
pub(super) fn is_for_all(text: &str) -> bool {
    let expression = Expression::read(text, Syntax::PLAIN);
    let is_column = |token: &Token| expression.columns().iter().any(|one| one.span == token.span);
    expression.is_parsed() && speaks_plainly(text, &["and", "in", "not", "or"], is_column)
}

/// Whether the query of a view is understood by every provider, and means the same. Names in quotes are written by each in
/// its own way.
pub(super) fn is_query_for_all(text: &str) -> bool {
    let known: Vec<&str> = WORDS.into_iter().chain(AGGREGATES).collect();
    let tokens: Vec<Token> =
        Lexer::new(text, 0, Syntax::PLAIN).filter(|token| token.kind != TokenKind::Space).collect();
    let word = |token: &Token| token.span.text(text).to_ascii_lowercase();
    let is_own = |token: &Token| {
        token.kind == TokenKind::Quoted || token.kind == TokenKind::Word && OWN_WORDS.contains(&&*word(token))
    };
    let is_first_of_each = |pair: &[Token]| word(&pair[0]) == "distinct" && word(&pair[1]) == "on";
    !tokens.iter().any(is_own) && !tokens.windows(2).any(is_first_of_each) && speaks_plainly(text, &known, |_| false)
}

/// Whether a text has only operators that every provider has, and calls nothing but such functions or what is known.
fn speaks_plainly(text: &str, known: &[&str], is_column: impl Fn(&Token) -> bool) -> bool {
    let tokens: Vec<Token> =
        Lexer::new(text, 0, Syntax::PLAIN).filter(|token| token.kind != TokenKind::Space).collect();
    let word = |token: &Token| token.span.text(text).to_ascii_lowercase();
    let is_known = |token: &Token| known.contains(&&*word(token)) || EVERYWHERE.contains(&&*word(token));
    let calls = |pair: &[Token]| pair[0].kind == TokenKind::Word && word(&pair[1]) == "(" && !is_known(&pair[0]);
    let is_plain = |token: &Token| match token.kind {
        TokenKind::Symbol => SYMBOLS.contains(&&*word(token)),
        TokenKind::Word => !OPERATORS.contains(&&*word(token)) || is_column(token),
        // Bits on PostgreSQL (PostgreSQL 17, "Bit-String Constants").
        TokenKind::Blob => false,
        _ => true,
    };
    let compares = |at: usize| {
        let word_at = |at: usize| tokens.get(at).map(&word).unwrap_or_default();
        let is_negated = word_at(at + 1) == "not";
        let asked = word_at(if is_negated { at + 2 } else { at + 1 });
        word_at(at) == "is" && !is_column(&tokens[at]) && !STATES.contains(&&*asked)
    };
    tokens.iter().all(is_plain) && !tokens.windows(2).any(calls) && !(0..tokens.len()).any(compares)
}

/// Whether a value means the same on every provider. What would be a plain value stands as an expression where it is none of
/// the column's type, which only some providers look away from.
pub(super) fn is_value_for_all(value: &Value) -> bool {
    let is_literal = |text: &str| {
        let mut tokens = Lexer::new(text, 0, Syntax::PLAIN).filter(|token| token.kind != TokenKind::Space);
        let first = tokens.find(|token| !matches!(token.span.text(text), "(" | "-" | "+"));
        let is_end = tokens.all(|token| token.span.text(text) == ")");
        first.is_some_and(|token| matches!(token.kind, TokenKind::Number | TokenKind::Text)) && is_end
    };
    // A value reads no column: a word that is no function is one of the provider's, such as who is asking, and in quotes it
    // is a text to some.
    let is_word = |text: &str| {
        let is_known = |word: &str| EVERYWHERE.contains(&word) || ["false", "null", "true"].contains(&word);
        Lexer::new(text, 0, Syntax::PLAIN).any(|token| match token.kind {
            TokenKind::Quoted => true,
            TokenKind::Word => !is_known(&token.span.text(text).to_ascii_lowercase()),
            _ => false,
        })
    };
    match value {
        Value::Expression(text) => is_for_all(text) && !is_literal(text) && !is_word(text),
        _ => true,
    }
}

/// What the values of a type are, as far as operators go.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Class {
    Number,
    Text,
    Truth,
    Bytes,
    /// Moments and the like.
    Other,
}

impl Class {
    /// That of a column, by its name in an expression.
    fn of_column(table: &Table, name: &str) -> Option<Self> {
        let name = unquote(name);
        let column = table.columns.iter().find(|column| column.name.as_str() == name);
        column.and_then(|column| Self::of(&column.ty))
    }

    fn of(ty: &Type) -> Option<Self> {
        match ty {
            Type::Int(_) | Type::Float(_) | Type::Decimal(_) => Some(Self::Number),
            Type::Text(_) | Type::Char(_) => Some(Self::Text),
            Type::Bool => Some(Self::Truth),
            Type::Bytes(_) => Some(Self::Bytes),
            Type::Date
            | Type::Time(_)
            | Type::Datetime(_)
            | Type::Instant(_)
            | Type::Interval
            | Type::Uuid
            | Type::Json => Some(Self::Other),
            // An enum's words are numbers to MariaDB; of a provider's own types nothing is known.
            Type::Enum(_) | Type::Array(_) | Type::Native => None,
        }
    }
}

/// Whether an expression takes values of one type for those of another, as SQLite and MariaDB do, and PostgreSQL refuses
/// (PostgreSQL 17, "Type Conversion", 10.2): a truth or a moment beside a number, the small letters of a number.
fn mixes_types(table: &Table, text: &str) -> bool {
    let tokens: Vec<Token> =
        Lexer::new(text, 0, Syntax::PLAIN).filter(|token| token.kind != TokenKind::Space).collect();
    let word = |token: &Token| token.span.text(text).to_ascii_lowercase();
    let class = |token: &Token| match token.kind {
        TokenKind::Number => Some(Class::Number),
        TokenKind::Word | TokenKind::Quoted => Class::of_column(table, token.span.text(text)),
        _ => None,
    };
    // A text in the place of another value is read as one; the values of `Other` have digits in them.
    let is_misread = |class: Class, at: usize| {
        let text = tokens.get(at).filter(|token| token.kind == TokenKind::Text).map(|token| token.span.text(text));
        text.is_some_and(|text| match class {
            Class::Number => !is_number(text.trim_matches('\'')),
            Class::Other => !text.bytes().any(|one| one.is_ascii_digit()),
            Class::Truth => true,
            Class::Text | Class::Bytes => false,
        })
    };
    let is_truth = |token: &Token| class(token) == Some(Class::Truth);
    if tokens.iter().any(is_truth) && tokens.iter().any(|token| token.kind == TokenKind::Number) {
        return true;
    }
    (0..tokens.len()).any(|at| {
        // What stands behind an operator, and behind the sign of a number.
        let value_at = |at: usize| {
            let is_sign = |token: &&Token| matches!(&*word(token), "-" | "+");
            let at = if tokens.get(at).filter(is_sign).is_some() { at + 1 } else { at };
            tokens.get(at).and_then(class)
        };
        let word_at = |at: usize| tokens.get(at).map(&word).unwrap_or_default();
        let first = class(&tokens[at]);
        let negated = usize::from(word_at(at + 1) == "not");
        let second_at = match &*word_at(at + 1 + negated) {
            "=" | "<>" | "!=" | "<" | ">" | "<=" | ">=" | "between" => Some(at + 2 + negated),
            "in" => Some(at + 3 + negated),
            _ => None,
        };
        let second = second_at.and_then(value_at);
        if first.zip(second_at).is_some_and(|(first, at)| is_misread(first, at)) {
            return true;
        }
        // Of two values one of which is taken.
        let is_choice = matches!(&*word_at(at), "coalesce" | "nullif") && word_at(at + 3) == ",";
        let (chosen, other) = (value_at(at + 2).filter(|_| is_choice), value_at(at + 4));
        if chosen.is_some_and(|class| other.is_some_and(|other| other != class) || is_misread(class, at + 4)) {
            return true;
        }
        let is_whole = word_at(at + 1) == "(" && matches!(&*word_at(at + 3), ")" | ",");
        let given = value_at(at + 2).filter(|_| is_whole);
        let is_refused = given.is_some_and(|given| match &*word_at(at) {
            "lower" | "upper" | "trim" => given != Class::Text,
            "length" => !matches!(given, Class::Text | Class::Bytes),
            "abs" | "round" => given != Class::Number,
            _ => false,
        });
        is_refused || first.zip(second).is_some_and(|(first, second)| first != second)
    })
}

/// Whether what an expression gives is no value of a column's type, which SQLite and MariaDB look away from: PostgreSQL makes
/// a text of everything, and nothing else of anything (PostgreSQL 17, "Type Conversion", 10.4).
pub(super) fn is_of_another_type(table: &Table, column: &Column, text: &str) -> bool {
    let expression = Expression::read(text, Syntax::PLAIN);
    let text = expression.text();
    let tokens: Vec<Token> =
        Lexer::new(text, 0, Syntax::PLAIN).filter(|token| token.kind != TokenKind::Space).collect();
    let is_of_sum = |token: &Token| match token.kind {
        TokenKind::Number => true,
        TokenKind::Symbol => matches!(token.span.text(text), "(" | ")" | "+" | "-" | "*"),
        _ => Class::of_column(table, token.span.text(text)) == Some(Class::Number),
    };
    let given = match &*tokens {
        all if all.iter().all(is_of_sum) => Some(Class::Number),
        [one] => Class::of_column(table, one.span.text(text)),
        [function, open, .., close] if open.span.text(text) == "(" => {
            let is_whole = matching_parenthesis(text, open.span.start) == Ok(close.span.start);
            match &*function.span.text(text).to_ascii_lowercase() {
                "lower" | "upper" | "trim" if is_whole => Some(Class::Text),
                "length" | "abs" | "round" if is_whole => Some(Class::Number),
                "coalesce" | "nullif" if is_whole => Class::of_column(table, tokens[2].span.text(text)),
                _ => None,
            }
        }
        _ => None,
    };
    let held = Class::of(&column.ty).filter(|held| *held != Class::Text);
    held.zip(given).is_some_and(|(held, given)| held != given)
}

/// The first mistake of a list that has warnings in it as well, and where it is.
pub(super) fn said(faults: &[Fault]) -> String {
    let first = faults.iter().find(|fault| fault.is_error());
    first.map(|fault| format!("{}: {fault}", fault.place.owner)).unwrap_or_default()
}

/// Declarations that every provider has to be able to express.
pub(super) struct Narrowing<'a> {
    /// Of the one that something is new on.
    pub(super) dialect: Dialect,
    pub(super) others: &'a [Dialect],
    /// As they were.
    pub(super) declared: &'a Schema,
    /// What is there.
    pub(super) live: &'a physical::Schema,
    /// How the enums are called.
    pub(super) words: Option<&'a Words>,
}

impl Narrowing<'_> {
    /// The declarations, where every provider can express them: what is new and some other cannot express is said for the one
    /// that it was found on.
    ///
    /// # Errors
    ///
    /// What cannot be said for one alone, in words.
    pub(super) fn narrowed(&self, mut parts: Parts) -> Result<Schema, String> {
        let provider = self.dialect.provider();
        let domains = domains(&parts);
        in_own_words(provider, self.declared, &domains, &mut parts);
        if self.others.contains(&Dialect::Postgres) {
            self.stored_on_postgres(&mut parts);
        }
        // Every round narrows at least one thing, so there is an end to it.
        loop {
            if let Some(words) = self.words {
                words.settle(&mut parts.enums, &parts.tables);
            }
            sweep(&mut parts);
            let all = || self.others.iter().chain([&self.dialect]);
            let faults = match Schema::new(parts.clone()) {
                Err(faults) => faults,
                Ok((schema, _)) => match all().find_map(|dialect| dialect.lower(&schema).err()) {
                    Some(faults) => faults,
                    None => return Ok(schema),
                },
            };
            let errors = || faults.iter().filter(|fault| fault.is_error());
            let columns: BTreeSet<Place> = errors().flat_map(|fault| concerned(&parts, fault)).collect();
            let mut changed = false;
            for fault in errors() {
                changed |= self.narrow(&mut parts, &domains, fault);
            }
            let columns = if changed { BTreeSet::new() } else { columns };
            for place in columns {
                changed |= self.restore(&mut parts, place);
            }
            if !changed {
                return Err(said(&faults));
            }
        }
    }

    /// Has PostgreSQL keep what another provider computes when it is read, which it can do from version 18 on only (PostgreSQL
    /// 18, "Generated Columns").
    fn stored_on_postgres(&self, parts: &mut Parts) {
        for table in &mut parts.tables {
            let before = self.declared.table(table.name.as_str());
            for column in &mut table.columns {
                let before = before.and_then(|table| table.column(&column.name)).map(|column| &column.generated);
                let is_said = |one: &Scoped<Generated>| before.is_some_and(|before| before.contains(one));
                let mut stored = Vec::new();
                for one in column.generated.iter_mut().filter(|one| one.value.storage == Storage::Virtual) {
                    if !one.scope.holds(Provider::Postgres) || is_said(one) {
                        continue;
                    }
                    let value = Generated { storage: Storage::Stored, ..one.value.clone() };
                    stored.push(Scoped { value, scope: only(Provider::Postgres) });
                    one.scope = one.scope.without(Provider::Postgres).unwrap_or(Scope::For(Providers::default()));
                }
                column.generated.extend(stored);
            }
        }
    }

    fn stored(&self, table: &Identifier) -> Option<&physical::Table> {
        let lifting = self.dialect.lifting();
        self.live.tables().find(|one| lifting.object(&one.name) == *table)
    }

    /// Gives the others what they had of a column that was declared before; whether that changed anything.
    fn restore(&self, parts: &mut Parts, (table, column): Place) -> bool {
        let before = self.declared.table(table.as_str()).and_then(|table| table.column(&column));
        let stored = self.stored(&table).and_then(|table| table.column(column.as_str()));
        let place = parts.tables.iter_mut().find(|one| one.name == table);
        let said = place.and_then(|table| table.columns.iter_mut().find(|one| one.name == column));
        let (Some(before), Some(stored), Some(said)) = (before, stored, said) else { return false };
        let (provider, old) = (self.dialect.provider(), said.clone());
        if said.ty != before.ty {
            said.ty.clone_from(&before.ty);
            said.native.clone_from(&before.native);
            replaced(provider, &mut said.native, &[Scoped::all(stored.ty.text().to_owned())], |_| false);
        }
        keep(provider, &mut said.default, &before.default);
        keep(provider, &mut said.generated, &before.generated);
        keep(provider, &mut said.identity, &before.identity);
        keep(provider, &mut said.collate, &before.collate);
        *said != old
    }

    /// Says a new thing that is at fault on some provider for the others only; whether that changed anything.
    fn narrow(&self, parts: &mut Parts, domains: &Domains, fault: &Fault) -> bool {
        let provider = self.dialect.provider();
        let Some(table) = parts.tables.iter_mut().find(|table| table.name == fault.place.owner) else { return false };
        let before = self.declared.table(table.name.as_str());
        let scope = match &fault.place.item {
            Item::Column(at) => {
                let Some(column) = table.columns.get_mut(*at) else { return false };
                if before.is_some_and(|table| table.column(&column.name).is_some()) {
                    return false;
                }
                if fault.place.part == Part::Default {
                    let mut changed = false;
                    for one in column.default.iter_mut().filter(|one| one.scope.holds(provider)) {
                        changed |= self.exclude(&mut one.scope, fault);
                    }
                    return changed;
                }
                // What is said for the provider alone is in the words of its own type.
                let fitting = |ty: &Type| {
                    let mut said = column.default.iter().filter(|one| one.scope != only(provider));
                    said.all(|one| fits(ty, &one.value).is_ok())
                };
                if let Some(ty) = nearest_type(provider, column, domains).filter(fitting) {
                    column.ty = ty;
                    return true;
                }
                Some(&mut column.scope)
            }
            Item::Unique(at) => return self.narrow_one::<Unique>(table, before, *at, fault),
            Item::ForeignKey(at) => return self.narrow_one::<ForeignKey>(table, before, *at, fault),
            Item::Check(at) => return self.narrow_one::<Check>(table, before, *at, fault),
            Item::Index(at) => return self.narrow_one::<Index>(table, before, *at, fault),
            // What a table cannot be without.
            _ if before.is_none() => Some(&mut table.scope),
            _ => None,
        };
        scope.is_some_and(|scope| self.exclude(scope, fault))
    }

    /// Takes those out of a scope that refuse what is said for them: where nobody is named, all others. Whether that changed it.
    fn exclude(&self, scope: &mut Scope, fault: &Fault) -> bool {
        let provider = self.dialect.provider();
        let was = *scope;
        let rest = fault.refusing().and_then(|there| was.without(there));
        let is_for_others = |scope: &Scope| self.others.iter().any(|other| scope.holds(other.provider()));
        *scope = match (was.holds(provider), rest) {
            (true, rest) => rest.filter(is_for_others).filter(|rest| rest.holds(provider)).unwrap_or(only(provider)),
            (false, rest) => rest.filter(is_for_others).unwrap_or(Scope::For(Providers::default())),
        };
        *scope != was
    }

    /// The same for one thing of a table. That another thing has its name already is no reason to be without it: it goes
    /// without a name there, so that one is derived.
    fn narrow_one<T: Held + PartialEq>(
        &self,
        table: &mut Table,
        before: Option<&Table>,
        at: usize,
        fault: &Fault,
    ) -> bool {
        let list = T::list_mut(table);
        let is_new = |one: &&mut T| before.is_none_or(|before| !T::list(before).contains(one));
        let Some(one) = list.get_mut(at).filter(is_new) else { return false };
        let is_name = matches!(
            fault.kind,
            FaultKind::NameTaken { .. } | FaultKind::NameTooLong { .. } | FaultKind::CalledAsColumn { .. }
        );
        let there = fault.refusing().filter(|there| is_name && *there != self.dialect.provider());
        let mut other = one.clone();
        if let (Some(there), Some(_)) = (there, other.said_name().take()) {
            match place_of(list, &other) {
                Some(place) => *list[place].scope() = list[place].for_whom().or(only(there)),
                None => {
                    *other.scope() = only(there);
                    list.push(other);
                }
            }
        }
        let Some(one) = list.get_mut(at) else { return false };
        self.exclude(one.scope(), fault)
    }
}

/// Takes out what is for nobody.
fn sweep(parts: &mut Parts) {
    fn swept<T: Held>(table: &mut Table) {
        T::list_mut(table).retain(|one| one.for_whom() != Scope::For(Providers::default()));
    }
    for table in &mut parts.tables {
        swept::<Unique>(table);
        swept::<ForeignKey>(table);
        swept::<Check>(table);
        swept::<Index>(table);
    }
}

/// Whether a default is no value of its column's type.
pub(super) fn is_misfit(table: &Table, column: &Column, value: &Value) -> bool {
    matches!(value, Value::Expression(text) if is_of_another_type(table, column, text))
}

/// Whether every provider computes the value of a column in this way.
pub(super) fn is_computed_alike(table: &Table, column: &Column, generated: &Generated) -> bool {
    let text = &generated.expression;
    is_for_all(text) && !mixes_types(table, text) && !is_of_another_type(table, column, text)
}

/// Says what is new and in a provider's own words for it alone.
fn in_own_words(provider: Provider, declared: &Schema, domains: &Domains, parts: &mut Parts) {
    for table in &mut parts.tables {
        let before = declared.table(table.name.as_str());
        // As the others will have it.
        let mut there = table.clone();
        for column in &mut there.columns {
            if let Some(ty) = nearest_type(provider, column, domains) {
                column.ty = ty;
            }
        }
        let is_new = |name: &Identifier| before.is_none_or(|table| table.column(name).is_none());
        let is_key = |column: &Column| there.primary_keys.iter().any(|key| key.columns == [column.name.clone()]);
        let columns = table.columns.iter_mut().zip(&there.columns);
        for (column, seen) in columns.filter(|(column, _)| is_new(&column.name)) {
            // A text is one of the provider's own words, too, where numbers are.
            let is_own = |value: &Value| {
                is_misfit(&there, seen, value) || !is_value_for_all(value) || number_in(&seen.ty, value).is_some()
            };
            let mut own = column.default.iter().filter(|one| is_own(&one.value));
            let near = own.find_map(|one| nearest_value(&seen.ty, &one.value));
            let own = column.default.iter_mut().filter(|one| is_own(&one.value));
            own.for_each(|one| {
                one.scope = only(provider);
                if let Value::Text(text) = &one.value {
                    one.value = Value::Expression(format!("'{text}'"));
                }
            });
            if let Some(near) = near {
                column.default.insert(0, Scoped::all(near));
            }
            // The others number rows by an identity, each by its own means.
            if is_key(seen) && column.identity.is_empty() && column.options.iter().any(|one| one.value == "serial") {
                column.identity.push(Scoped { value: Identity::default(), scope: Scope::Except(provider.into()) });
            }
            let own = column.generated.iter_mut().filter(|one| !is_computed_alike(&there, seen, &one.value));
            own.for_each(|one| one.scope = only(provider));
        }
        let is_for_all = |text: &str| is_for_all(text) && !mixes_types(&there, text);
        let is_new = |check: &Check| before.is_none_or(|table| !table.checks.contains(check));
        for check in table.checks.iter_mut().filter(|check| is_new(check) && !is_for_all(&check.expression)) {
            check.scope = only(provider);
        }
        let is_new = |index: &Index| before.is_none_or(|table| !table.indexes.contains(index));
        let is_own = |index: &Index| {
            let expressions = index.parts.iter().filter_map(|part| match &part.key {
                KeyPart::Expression(text) => Some(text),
                KeyPart::Column(_) => None,
            });
            let is_own = |part: &IndexPart| part.collate.is_some() || part.operators.is_some();
            index.parts.iter().any(is_own) || expressions.chain(&index.predicate).any(|text| !is_for_all(text))
        };
        for index in table.indexes.iter_mut().filter(|index| is_new(index) && is_own(index)) {
            index.scope = only(provider);
        }
    }
}

/// The columns that a fault is about: one, or those of a reference and what it references.
fn concerned(parts: &Parts, fault: &Fault) -> Vec<Place> {
    let Some(table) = parts.tables.iter().find(|table| table.name == fault.place.owner) else { return Vec::new() };
    match &fault.place.item {
        Item::Column(at) => {
            table.columns.get(*at).map(|column| (table.name.clone(), column.name.clone())).into_iter().collect()
        }
        Item::ForeignKey(at) => {
            let Some(key) = table.foreign_keys.get(*at) else { return Vec::new() };
            let own = key.columns.iter().map(|column| (table.name.clone(), column.clone()));
            let other = key.referenced_columns.iter().map(|column| (key.referenced_table.clone(), column.clone()));
            own.chain(other).collect()
        }
        _ => Vec::new(),
    }
}

/// The others keep what they had; this provider keeps what it has.
fn keep<T: Clone + PartialEq>(provider: Provider, list: &mut ThinVec<Scoped<T>>, before: &ThinVec<Scoped<T>>) {
    if list == before {
        return;
    }
    let own = Scoped::pick(list, provider).cloned();
    list.clone_from(before);
    match own {
        Some(own) => replaced(provider, list, &[Scoped { value: own, scope: only(provider) }], |_| false),
        None => {
            let rest = but_for(provider, before);
            let scope = |scope: Scope| if scope == Scope::All { rest } else { scope.without(provider) };
            let others = before.iter().filter_map(|one| {
                let scope = if one.scope.holds(provider) { scope(one.scope)? } else { one.scope };
                Some(Scoped { scope, ..one.clone() })
            });
            *list = others.collect();
        }
    }
}

/// What the moment of an insert is called.
const MOMENTS: [&str; 8] = [
    "clock_timestamp",
    "current_timestamp",
    "datetime('now')",
    "localtimestamp",
    "now",
    "statement_timestamp",
    "transaction_timestamp",
    "utc_timestamp",
];

/// And its day.
const DAYS: [&str; 4] = ["curdate", "current_date", "date('now')", "utc_date"];

/// The portable value for what the providers' own words for the moment and the day of an insert say (PostgreSQL 17, "Date/Time
/// Functions and Operators", 9.9.5; MariaDB, "Date & Time Functions"; SQLite, "CREATE TABLE", 3.2, and "Date And Time Functions").
fn nearest_value(ty: &Type, value: &Value) -> Option<Value> {
    if let Some(number) = number_in(ty, value) {
        return Some(number);
    }
    let Value::Expression(text) = value else { return None };
    let text = Expression::read(text, Syntax::PLAIN).text().to_ascii_lowercase();
    let end = text.find(|one: char| !one.is_ascii_alphanumeric() && one != '_').unwrap_or(text.len());
    let (function, rest) = text.split_at(end);
    let rest = match rest.split_once(')') {
        Some((digits, rest)) if digits.trim_start_matches('(').bytes().all(|one| one.is_ascii_digit()) => rest,
        _ => rest,
    };
    // Nothing more than a cast to the column's own type.
    let function = if rest.is_empty() || rest.starts_with("::") { function } else { &text };
    match ty {
        Type::Instant(_) | Type::Datetime(_) if MOMENTS.contains(&function) => Some(Value::Now),
        Type::Date if DAYS.contains(&function) => Some(Value::Today),
        _ => None,
    }
}

/// The number that a text holds which is the default of a column of numbers: some providers make it one.
fn number_in(ty: &Type, value: &Value) -> Option<Value> {
    let text = match value {
        Value::Text(text) => text.clone(),
        Value::Expression(text) => text.strip_prefix('\'')?.strip_suffix('\'')?.to_owned(),
        _ => return None,
    };
    let is_wanted = Class::of(ty) == Some(Class::Number) && is_number(&text);
    let number = Value::Number(text);
    (is_wanted && fits(ty, &number).is_ok()).then_some(number)
}

/// The types that domains are of, by what a column of one says: other providers have those.
type Domains = BTreeMap<String, Domain>;

fn domains(parts: &Parts) -> Domains {
    let of = |one: &Program| match &one.form {
        Some(Form::Domain(domain)) => Some((one.name.declared(), domain.clone())),
        _ => None,
    };
    parts.programs.iter().filter_map(of).collect()
}

/// The portable type nearest to a column's own, where it is in its provider's words alone.
fn nearest_type(provider: Provider, column: &Column, domains: &Domains) -> Option<Type> {
    let native = &column.native.first().filter(|_| column.ty == Type::Native)?.value;
    match domains.get(native) {
        Some(Domain { ty: Type::Native, native, .. }) => nearest(provider, native.as_deref()?),
        Some(domain) => Some(domain.ty.clone()),
        None => nearest(provider, native),
    }
}

/// The portable type that holds what a provider's own type does, for the other providers (MariaDB, "Data Types"; SQLite,
/// "Datatypes In SQLite", section 3.1, on affinity). Of a `bigint unsigned` it lacks the upper half.
fn nearest(provider: Provider, native: &str) -> Option<Type> {
    let native = native.to_ascii_lowercase();
    let base = native.split(['(', ' ']).next().unwrap_or_default();
    let unsigned = native.contains("unsigned");
    match (provider, base) {
        (Provider::Mariadb | Provider::Mysql, _) => Some(match base {
            "tinyint" | "year" => Type::Int(16),
            "smallint" if unsigned => Type::Int(32),
            "mediumint" => Type::Int(32),
            "int" | "integer" | "bigint" if unsigned => Type::Int(64),
            "float" => Type::Float(32),
            "double" => Type::Float(64),
            "tinytext" | "text" | "mediumtext" | "longtext" | "enum" | "set" => Type::Text(None),
            "tinyblob" | "blob" | "mediumblob" | "longblob" => Type::Bytes(None),
            "binary" => Type::Bytes(Some(native.strip_prefix("binary(")?.strip_suffix(')')?.parse().ok()?)),
            "decimal" => {
                let (digits, fraction) = native.strip_prefix("decimal(")?.split_once(')')?.0.split_once(',')?;
                Type::Decimal(Some((digits.trim().parse().ok()?, fraction.trim().parse().ok()?)))
            }
            "timestamp" => Type::Instant(None),
            _ => return None,
        }),
        (Provider::Postgres, "varchar" | "name" | "citext" | "inet" | "cidr" | "macaddr" | "xml") => {
            Some(Type::Text(None))
        }
        // `INTEGER_OR_TEXT` is no type of numbers to whoever wrote it.
        (Provider::Sqlite, _) if native.contains('_') => None,
        (Provider::Sqlite, _) if native.contains("int") => Some(Type::Int(64)),
        (Provider::Sqlite, _) if ["char", "clob", "text"].iter().any(|one| native.contains(one)) => {
            Some(Type::Text(None))
        }
        (Provider::Sqlite, _) if native.contains("blob") => Some(Type::Bytes(None)),
        (Provider::Sqlite, _) if ["real", "floa", "doub"].iter().any(|one| native.contains(one)) => {
            Some(Type::Float(64))
        }
        (Provider::Postgres, "json") => Some(Type::Json),
        (Provider::Postgres, "character") if native == "character varying" => Some(Type::Text(None)),
        _ => None,
    }
}

/// For whom a value is that is said for all, where one provider has none any more: what is said for some goes before it.
fn but_for<T>(provider: Provider, list: &[Scoped<T>]) -> Option<Scope> {
    let for_some = |one: Provider| list.iter().any(|said| said.scope != Scope::All && said.scope.holds(one));
    let mut own = Provider::ALL.into_iter().filter(|one| *one == provider || for_some(*one));
    own.try_fold(Scope::All, Scope::without)
}

/// Puts a new value in the place of an old one for one provider, and for those that it was said for along with that one. Where
/// the new value is in the provider's own words, the others keep what they have.
pub(super) fn replaced<T: Clone>(
    provider: Provider,
    list: &mut ThinVec<Scoped<T>>,
    new: &[Scoped<T>],
    is_for_all: impl Fn(&T) -> bool,
) {
    let is_own = new.iter().any(|one| one.scope != Scope::All || !is_for_all(&one.value));
    let said_for_some = |scope: Scope| scope != Scope::All && scope.holds(provider);
    let before = list.iter().map(|one| one.scope).find(|scope| said_for_some(*scope));
    let was_for_some = before.is_some();
    let but_for = but_for(provider, list);
    let rest = |scope: Scope| match (is_own, scope) {
        (true, Scope::All) => Some(scope),
        (true, _) => scope.without(provider),
        // What is said for some goes before what is said for all; where nothing is said for them now, that is not for them.
        (false, Scope::All) if was_for_some && new.is_empty() => but_for,
        (false, Scope::All) if was_for_some => Some(scope),
        (false, _) => None,
    };
    let old = std::mem::take(list).into_iter();
    list.extend(old.filter_map(|one| {
        let scope = if one.scope.holds(provider) { rest(one.scope)? } else { one.scope };
        Some(Scoped { scope, ..one })
    }));
    let scope = if is_own { only(provider) } else { before.unwrap_or_default() };
    list.extend(new.iter().map(|one| Scoped { value: one.value.clone(), scope }));
}

/// Puts what one provider has in the place of what it had; what stays is said as it was, and the others keep theirs.
pub(super) fn kept_and_added<T: Clone + PartialEq>(
    provider: Provider,
    list: &mut ThinVec<Scoped<T>>,
    new: &[Scoped<T>],
) {
    let old = std::mem::take(list).into_iter();
    list.extend(old.filter_map(|one| {
        let stays = !one.scope.holds(provider) || new.iter().any(|new| new.value == one.value);
        let scope =
            if stays { one.scope } else { Some(one.scope).filter(|scope| *scope != Scope::All)?.without(provider)? };
        Some(Scoped { scope, ..one })
    }));
    let is_said = |new: &&Scoped<T>| list.iter().any(|one| one.scope.holds(provider) && one.value == new.value);
    let added: Vec<Scoped<T>> = new.iter().filter(|new| !is_said(new)).cloned().collect();
    list.extend(added);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_moment_of_an_insert_has_many_names() {
        #[track_caller]
        fn case(ty: Type, text: &str, expected: Option<Value>) {
            assert_eq!(nearest_value(&ty, &Value::Expression(text.into())), expected, "{text}");
        }
        case(Type::Instant(None), "now()", Some(Value::Now));
        case(Type::Datetime(None), "CURRENT_TIMESTAMP(6)::timestamp without time zone", Some(Value::Now));
        case(Type::Datetime(None), "datetime('now')", Some(Value::Now));
        case(Type::Instant(None), "now() - '1 day'::interval", None);
        case(Type::Instant(None), "f(now())", None);
        case(Type::Date, "curdate()", Some(Value::Today));
        case(Type::Date, "now()", None);
        case(Type::Text(None), "now()", None);
        case(Type::Int(32), "'7'", Some(Value::Number("7".into())));
        case(Type::Int(8), "'700'", None);
        case(Type::Float(64), "'seven'", None);
        case(Type::Text(None), "'7'", None);
    }

    #[test]
    fn values_in_the_words_of_one_provider_are_told() {
        let is_for_all = |text: &str| is_value_for_all(&Value::Expression(text.into()));
        assert!(is_for_all("abs(-3) + 1") && is_for_all("lower('A')"));
        assert!(!is_for_all("x'6869'") && !is_for_all("\"hello\" || 'x'"));
        assert!(!is_for_all("SESSION_USER") && !is_for_all("current_date + 1") && !is_for_all("-1"));
    }

    #[test]
    fn values_of_two_types_are_told() {
        let types = [
            ("n", Type::Int(32)),
            ("t", Type::Text(None)),
            ("b", Type::Bool),
            ("at", Type::Instant(None)),
            ("hash", Type::Bytes(None)),
        ];
        let mut table = Table::new("hive");
        table.columns = types.into_iter().map(|(name, ty)| Column::new(name, ty)).collect();
        table.columns.push(Column::new("a\"b", Type::Uuid));
        let mixes = |text: &str| mixes_types(&table, text);
        for text in
            ["at >= 0", "t = -1", "b in (0, 1)", "\"at\" not in (1, 2)", "t not between 1 and 2", "n > 0 and t < at"]
        {
            assert!(mixes(text), "{text}");
        }
        for text in ["lower(n)", "length(at) > 3", "abs(t) > 1", "b = 1"] {
            assert!(mixes(text), "{text}");
        }
        for text in
            ["n = 'a'", "at in ('soon')", "b = 'a'", "coalesce(t, 0) = ''", "nullif(n, 'a')", "length(\"a\"\"b\")"]
        {
            assert!(mixes(text), "{text}");
        }
        for text in ["n >= 0", "length(t) > 3", "t in ('0', '1')", "at > '2026-01-01'", "abs(n - 1) < 2 and t <> ''"] {
            assert!(!mixes(text), "{text}");
        }
        for text in ["b", "not b", "n between -1 and 1", "round(n, 2) > 0.5", "length(hash) = 20", "coalesce(n, 0)"] {
            assert!(!mixes(text), "{text}");
        }
        for (column, text) in [("b", "length(t)"), ("n", "lower('A')"), ("at", "2 * (3 + n)"), ("b", "coalesce(n, 0)")]
        {
            let column = table.columns.iter().find(|one| one.name.as_str() == column).expect("it is there");
            assert!(is_of_another_type(&table, column, text), "{text}");
        }
        for (column, text) in [("n", "length(t)"), ("t", "abs(n)"), ("n", "-(2)"), ("b", "n > 1"), ("at", "at")] {
            let column = table.columns.iter().find(|one| one.name.as_str() == column).expect("it is there");
            assert!(!is_of_another_type(&table, column, text), "{text}");
        }
    }

    /// A list as it is declared: each value with its scope, in the language's words.
    fn said(list: &[Scoped<&str>]) -> Vec<String> {
        list.iter().map(|one| format!("{} {:?}", one.value, one.scope)).collect()
    }

    fn of(value: &'static str, scope: Scope) -> Scoped<&'static str> {
        Scoped { value, scope }
    }

    fn both() -> Scope {
        only(Provider::Mariadb).or(only(Provider::Mysql))
    }

    #[test]
    fn a_new_value_is_for_those_that_the_old_one_was_for() {
        #[track_caller]
        fn case(before: &[Scoped<&'static str>], new: Option<&'static str>, expected: &[Scoped<&'static str>]) {
            let mut list = before.iter().cloned().collect();
            let new: Vec<_> = new.into_iter().map(Scoped::all).collect();
            replaced(Provider::Mariadb, &mut list, &new, |value| *value != "own");
            assert_eq!(said(&list), said(expected));
        }
        let (all, sqlite, mysql) = (Scope::All, only(Provider::Sqlite), only(Provider::Mysql));
        let mariadb = only(Provider::Mariadb);
        case(&[of("a", all)], Some("b"), &[of("b", all)]);
        case(&[of("a", all)], Some("own"), &[of("a", all), of("own", mariadb)]);
        case(&[of("a", all)], None, &[]);
        case(&[of("a", both()), of("c", sqlite)], Some("b"), &[of("c", sqlite), of("b", both())]);
        case(&[of("a", both())], Some("own"), &[of("a", mysql), of("own", mariadb)]);
        case(&[of("c", all), of("a", mariadb)], Some("b"), &[of("c", all), of("b", mariadb)]);
        case(&[of("c", all), of("a", mariadb)], None, &[of("c", Scope::Except(Provider::Mariadb.into()))]);
    }

    #[test]
    fn options_that_stay_are_said_as_they_were() {
        let mut list = [of("a", both()), of("b", both()), of("c", Scope::All), of("d", Scope::All)].into();
        let new = ["a", "c", "e"].map(|value| of(value, only(Provider::Mariadb)));
        kept_and_added(Provider::Mariadb, &mut list, &new);
        let expected =
            [of("a", both()), of("b", only(Provider::Mysql)), of("c", Scope::All), of("e", only(Provider::Mariadb))];
        assert_eq!(said(&list), said(&expected));
    }

    #[test]
    fn queries_in_the_words_of_one_provider_are_told() {
        let plain = " SELECT hive.id,\n    count(*) AS visits\n   FROM (hive\n     JOIN visit ON ((visit.hive_id = hive.id)))\n  WHERE (hive.kg > 40)\n  GROUP BY hive.id";
        assert!(is_query_for_all(plain));
        for text in [
            "select `hive`.`id` AS `id` from `hive`",
            "select id from hive where code = 'a'::text",
            "select string_agg(code, ',') from hive",
            "select id from hive where code ilike 'a%'",
            "select distinct on (code) id from hive",
            "select id from hive full join visit on true",
        ] {
            assert!(!is_query_for_all(text), "{text}");
        }
    }

    #[test]
    fn words_of_one_provider_are_told_from_those_of_all() {
        for text in [
            "kg > 0",
            "code in ('a', 'b') and (kg < 9 or lower(code) = 'x')",
            "coalesce(kg, 0) >= 1",
            "'a(b'",
            "match > 0",
            "code is not null or ready is true",
        ] {
            assert!(is_for_all(text), "{text}");
        }
        for text in [
            "kg::text <> ''",
            "nextval('hive_id_seq')",
            "date_part('year', day) > 2000",
            "code ~ '^a'",
            "code glob 'a*'",
            "code like 'a%' and kg > 0",
            "code is 'a'",
            "code is not other",
            "code notnull",
        ] {
            assert!(!is_for_all(text), "{text}");
        }
    }
}
