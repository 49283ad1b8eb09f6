//! SQL expressions: what they mention, and whether two of them say the same.
//!
//! An expression is read into a canonical form, a fully bracketed text without the accidents of writing (white space,
//! comments, letter case of keywords and names, redundant parentheses, `!=` for `<>`). What does not parse, a sub-select
//! say, has its tokens for a canonical form. Equal canonical forms mean equal expressions; the reverse does not hold,
//! and the caller must not assume it.

use serde::{Serialize, Serializer};
use thin_vec::ThinVec;

use super::{Lexer, Syntax, TokenKind, standard_text, unquote};
use crate::Span;

/// An SQL expression, without outer parentheses.
#[derive(Clone, Debug)]
pub struct Expression {
    text: Box<str>,
    /// Where it is another than the text.
    canonical: Option<Box<str>>,
    others: Option<Box<Others>>,
    columns: ThinVec<ColumnReference>,
    parsed: bool,
    syntax: Syntax,
}

/// What else an expression is known as. Few have anything of it, and a schema has thousands of expressions.
#[derive(Clone, Debug, Default)]
struct Others {
    /// Other canonical forms of the same: the server's own, and those of other texts for which it stored this one.
    stored_for: Vec<String>,
    /// The text of ours for which the server stored this one.
    ours: Option<String>,
}

/// A place in an expression that names a column.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ColumnReference {
    /// The column's name, without quotes.
    pub name: String,
    /// Whether it was quoted, and so means exactly this name.
    pub quoted: bool,
    /// Where, in the expression's text.
    pub span: Span,
}

impl Expression {
    /// Reads an expression by the plain rules; any text is one, if need be by its tokens.
    pub fn new(text: &str) -> Self {
        Self::read(text, Syntax::PLAIN)
    }

    /// Reads an expression by a provider's rules.
    pub fn read(text: &str, syntax: Syntax) -> Self {
        let mut text = text.trim();
        while let Some(inner) = inside_parentheses(text, syntax) {
            text = inner.trim();
        }
        let tokens = tokens(text, syntax);
        let mut parser = Parser { source: text, syntax, tokens: &tokens, at: 0, columns: Vec::new() };
        let tree = parser.expression(0).filter(|_| parser.at == tokens.len());
        let parsed = tree.is_some();
        let (canonical, columns) = match tree {
            Some(canonical) => (canonical, parser.columns),
            None => (canonical_tokens(text, &tokens, syntax), possible_columns(text, &tokens)),
        };
        Self::made(text, canonical, columns, parsed, syntax)
    }

    fn made(text: &str, canonical: String, columns: Vec<ColumnReference>, parsed: bool, syntax: Syntax) -> Self {
        let canonical = (canonical != text).then(|| canonical.into_boxed_str());
        // Many name none, and a default is hardly ever more than a word.
        let columns = columns.into_iter().collect();
        Self { text: text.into(), canonical, others: None, columns, parsed, syntax }
    }

    fn canonical(&self) -> &str {
        self.canonical.as_deref().unwrap_or(&self.text)
    }

    fn others_mut(&mut self) -> &mut Others {
        self.others.get_or_insert_default()
    }

    fn is_known_as(&self, canonical: &str) -> bool {
        self.others.as_ref().is_some_and(|others| others.stored_for.iter().any(|form| form == canonical))
    }

    fn ours(&self) -> Option<&str> {
        self.others.as_ref()?.ours.as_deref()
    }

    /// Reads a whole statement or query by its tokens alone.
    pub fn read_whole(text: &str, syntax: Syntax) -> Self {
        let text = text.trim();
        let tokens = tokens(text, syntax);
        let canonical = canonical_tokens(text, &tokens, syntax);
        let columns = possible_columns(text, &tokens);
        Self::made(text, canonical, columns, false, syntax)
    }

    /// Notes that the server stored this text when it was given the other one: from now on the two are equal.
    pub fn is_stored_for(&mut self, other: &Self) {
        if self != other {
            // What it is compared by is ours from now on, so that a fingerprint sees no difference either.
            let stored = self.canonical.replace(other.canonical().into());
            let stored = stored.unwrap_or_else(|| self.text.clone());
            let others = self.others_mut();
            others.stored_for.push(stored.into_string());
            others.ours = Some(other.text.clone().into_string());
        }
    }

    /// Notes that this is another way to say the same: the two are equal, and this one stays what it is.
    pub fn says_also(&mut self, other: &Self) {
        self.others_mut().stored_for.push(other.canonical().to_owned());
    }

    /// The text with column names, or text literals, written in another way where the functions give one.
    pub fn respelled(
        &self,
        column: impl Fn(&ColumnReference) -> Option<String>,
        literal: impl Fn(&str) -> Option<String>,
    ) -> String {
        let mut pieces: Vec<(Span, String)> =
            self.columns.iter().filter_map(|reference| Some((reference.span, column(reference)?))).collect();
        let texts = tokens(&self.text, self.syntax).into_iter().filter(|token| token.kind == TokenKind::Text);
        pieces.extend(texts.filter_map(|token| Some((token.span, literal(token.text(&self.text))?))));
        self.with_pieces(pieces)
    }

    /// The text with something else in the places named, in any order; no part of what is generic, so that it is built once.
    fn with_pieces(&self, mut pieces: Vec<(Span, String)>) -> String {
        pieces.sort_by_key(|(span, _)| span.start);
        let mut written = String::new();
        let mut at = 0;
        for (span, piece) in pieces {
            written.push_str(&self.text[at..span.start]);
            written.push_str(&piece);
            at = span.end;
        }
        written.push_str(&self.text[at..]);
        written
    }

    /// The expression with columns written in another way where the function gives one; of a stored form, that for
    /// which it is stored.
    pub fn with_columns(&self, column: impl Fn(&ColumnReference) -> Option<String>) -> Self {
        let read =
            |text: &str| if self.parsed { Self::read(text, self.syntax) } else { Self::read_whole(text, self.syntax) };
        match self.ours() {
            None => read(&self.respelled(column, |_| None)),
            Some(ours) => read(&read(ours).respelled(column, |_| None)),
        }
    }

    /// The text, as written.
    pub fn text(&self) -> &str {
        &self.text
    }

    /// The text of ours for which it is stored, or the text itself.
    pub fn as_declared(&self) -> &str {
        self.ours().unwrap_or(&self.text)
    }

    /// The columns it names, in order; where it could not be parsed, every word that could be one.
    pub fn columns(&self) -> &[ColumnReference] {
        &self.columns
    }

    /// Whether it was understood, so that [`Self::columns`] is exact.
    pub fn is_parsed(&self) -> bool {
        self.parsed
    }

    /// Whether it names this column, letter case aside.
    pub fn mentions(&self, column: &str) -> bool {
        self.columns.iter().any(|reference| reference.name.eq_ignore_ascii_case(column))
    }

    /// Whether it is a single name.
    pub fn is_name(&self) -> bool {
        let tokens = tokens(&self.text, self.syntax);
        matches!(&tokens[..], [only] if matches!(only.kind, TokenKind::Word | TokenKind::Quoted))
    }

    /// Whether it is a single literal, with a sign at most: neither a call nor a name.
    pub fn is_literal(&self) -> bool {
        let tokens = tokens(&self.text, self.syntax);
        let rest = match tokens.first() {
            Some(first) if matches!(first.text(&self.text), "-" | "+") => &tokens[1..],
            _ => &tokens[..],
        };
        let [only] = rest else { return false };
        match only.kind {
            TokenKind::Number | TokenKind::Text | TokenKind::Blob => true,
            TokenKind::Word => {
                let word = only.text(&self.text).to_ascii_lowercase();
                matches!(word.as_str(), "null" | "true" | "false")
            }
            _ => false,
        }
    }
}

impl PartialEq for Expression {
    fn eq(&self, other: &Self) -> bool {
        let (ours, theirs) = (self.canonical(), other.canonical());
        ours == theirs || self.is_known_as(theirs) || other.is_known_as(ours)
    }
}

impl Eq for Expression {}

impl Serialize for Expression {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.canonical())
    }
}

/// The text of an expression in parentheses; a line comment at its end does not swallow the closing one.
pub fn in_parentheses(text: &str) -> String {
    let last = Lexer::new(text, 0, Syntax::PLAIN).last();
    match last {
        Some(token) if token.kind == TokenKind::Comment && token.span.text(text).starts_with("--") => {
            format!("({text}\n)")
        }
        _ => format!("({text})"),
    }
}

fn inside_parentheses(text: &str, syntax: Syntax) -> Option<&str> {
    let inner = text.strip_prefix('(')?.strip_suffix(')')?;
    (super::closing_parenthesis(text, 0, syntax) == Ok(text.len() - 1)).then_some(inner)
}

/// A token that counts: neither space nor comment.
#[derive(Clone, Copy)]
struct Significant {
    kind: TokenKind,
    span: Span,
}

impl Significant {
    fn text(self, source: &str) -> &str {
        self.span.text(source)
    }
}

fn tokens(source: &str, syntax: Syntax) -> Vec<Significant> {
    Lexer::new(source, 0, syntax)
        .filter(|token| !matches!(token.kind, TokenKind::Space | TokenKind::Comment))
        .map(|token| Significant { kind: token.kind, span: token.span })
        .collect()
}

fn canonical_token(token: Significant, source: &str, syntax: Syntax) -> String {
    let text = token.text(source);
    match token.kind {
        TokenKind::Quoted => canonical_name(token, source, syntax),
        TokenKind::Text if syntax.backslashes && text.contains('\\') => standard_text(text),
        TokenKind::Text | TokenKind::Parameter => text.to_owned(),
        _ => text.to_ascii_lowercase(),
    }
}

/// A name as it is compared.
fn canonical_name(token: Significant, source: &str, syntax: Syntax) -> String {
    let name = unquote(token.text(source));
    if syntax.exact_names && token.kind == TokenKind::Quoted { name } else { name.to_ascii_lowercase() }
}

fn canonical_tokens(source: &str, tokens: &[Significant], syntax: Syntax) -> String {
    let words: Vec<_> = tokens
        .iter()
        .enumerate()
        .map(|(at, token)| match at.checked_sub(1) {
            Some(before)
                if syntax.exact_tables
                    && matches!(token.kind, TokenKind::Word | TokenKind::Quoted)
                    && leads_to_table(tokens[before].text(source)) =>
            {
                unquote(token.text(source))
            }
            _ => canonical_token(*token, source, syntax),
        })
        .collect();
    words.join(" ")
}

/// Whether a table's name may stand behind this word of a statement.
fn leads_to_table(word: &str) -> bool {
    ["from", "into", "join", "table", "update"].iter().any(|one| one.eq_ignore_ascii_case(word))
}

fn possible_columns(source: &str, tokens: &[Significant]) -> Vec<ColumnReference> {
    let is_call = |at: usize| tokens.get(at + 1).is_some_and(|next| next.text(source) == "(");
    tokens
        .iter()
        .enumerate()
        .filter(|(at, token)| match token.kind {
            TokenKind::Quoted => true,
            TokenKind::Word => !is_call(*at),
            _ => false,
        })
        .map(|(_, token)| reference(*token, source))
        .collect()
}

fn reference(token: Significant, source: &str) -> ColumnReference {
    ColumnReference { name: unquote(token.text(source)), quoted: token.kind == TokenKind::Quoted, span: token.span }
}

/// How tightly an infix operator binds, as SQLite orders them (SQLite, "SQL Language Expressions", "Operators").
fn binding(operator: &str) -> Option<u8> {
    Some(match operator {
        "or" => 1,
        "and" => 2,
        "=" | "==" | "<>" | "!=" | "is" | "in" | "like" | "glob" | "regexp" | "match" | "ilike" | "between" | "not"
        | "isnull" | "notnull" => 4,
        "<" | "<=" | ">" | ">=" => 5,
        "&" | "|" | "<<" | ">>" | "#>>" | "~" | "~*" | "!~*" => 7,
        "+" | "-" => 8,
        "*" | "/" | "%" => 9,
        "||" | "->" | "->>" => 10,
        "collate" | "::" => 11,
        _ => return None,
    })
}

const NOT: u8 = 3;
const UNARY: u8 = 12;

/// A precedence climber that writes the canonical form as it goes; `None` where it does not understand.
struct Parser<'a> {
    source: &'a str,
    syntax: Syntax,
    tokens: &'a [Significant],
    at: usize,
    columns: Vec<ColumnReference>,
}

impl Parser<'_> {
    /// The text of the next token, its letters lowered if it is a word.
    fn peek(&self) -> Option<String> {
        let token = self.tokens.get(self.at)?;
        Some(match token.kind {
            TokenKind::Word | TokenKind::Symbol => token.text(self.source).to_ascii_lowercase(),
            _ => String::new(),
        })
    }

    fn eat(&mut self, text: &str) -> bool {
        let found = self.peek().as_deref() == Some(text);
        self.at += usize::from(found);
        found
    }

    fn expect(&mut self, text: &str) -> Option<()> {
        self.eat(text).then_some(())
    }

    fn expression(&mut self, least: u8) -> Option<String> {
        let mut left = self.prefix()?;
        while let Some(operator) = self.peek() {
            let Some(power) = binding(&operator) else { break };
            if power < least {
                break;
            }
            self.at += 1;
            left = self.infix(left, &operator, power)?;
        }
        Some(left)
    }

    fn infix(&mut self, left: String, operator: &str, power: u8) -> Option<String> {
        match operator {
            "isnull" => Some(format!("(is {left} null)")),
            "notnull" => Some(format!("(is-not {left} null)")),
            "is" => {
                let not = if self.eat("not") { "-not" } else { "" };
                if self.eat("distinct") {
                    self.expect("from")?;
                    let right = self.expression(power + 1)?;
                    return Some(format!("(is{not}-distinct {left} {right})"));
                }
                let right = self.expression(power + 1)?;
                Some(format!("(is{not} {left} {right})"))
            }
            "not" if self.eat("null") => Some(format!("(is-not {left} null)")),
            "not" => {
                let operator = self.peek()?;
                self.at += 1;
                let positive = match operator.as_str() {
                    "in" | "between" | "like" | "glob" | "regexp" | "match" | "ilike" => {
                        self.infix(left, &operator, power)?
                    }
                    _ => return None,
                };
                Some(format!("(not {positive})"))
            }
            "in" => {
                self.expect("(")?;
                let list = if self.eat(")") { String::new() } else { self.list()? };
                Some(format!("(in {left} [{list}])"))
            }
            "between" => {
                let low = self.expression(power + 1)?;
                self.expect("and")?;
                let high = self.expression(power + 1)?;
                Some(format!("(between {left} {low} {high})"))
            }
            "like" | "glob" | "regexp" | "match" | "ilike" => {
                let pattern = self.expression(power + 1)?;
                if self.eat("escape") {
                    let escape = self.expression(power + 1)?;
                    return Some(format!("({operator} {left} {pattern} {escape})"));
                }
                Some(format!("({operator} {left} {pattern})"))
            }
            "collate" => {
                let name = self.name()?;
                Some(format!("(collate {left} {name})"))
            }
            "::" => {
                let ty = self.type_name()?;
                Some(format!("(cast {left} {ty})"))
            }
            "and" | "or" => {
                let right = self.expression(power + 1)?;
                let flat = left.strip_prefix(&format!("({operator} ")).and_then(|rest| rest.strip_suffix(')'));
                Some(match flat {
                    Some(before) => format!("({operator} {before} {right})"),
                    None => format!("({operator} {left} {right})"),
                })
            }
            _ => {
                let right = self.expression(power + 1)?;
                let operator = match operator {
                    "==" => "=",
                    "!=" => "<>",
                    other => other,
                };
                Some(format!("({operator} {left} {right})"))
            }
        }
    }

    fn prefix(&mut self) -> Option<String> {
        let token = *self.tokens.get(self.at)?;
        self.at += 1;
        let text = token.text(self.source);
        match token.kind {
            TokenKind::Text | TokenKind::Number | TokenKind::Blob | TokenKind::Parameter => {
                Some(canonical_token(token, self.source, self.syntax))
            }
            TokenKind::Quoted => self.named(token),
            TokenKind::Symbol => match text {
                "(" => {
                    let inner = self.list()?;
                    Some(if inner.contains(", ") && self.was_row(&inner) { format!("(row {inner})") } else { inner })
                }
                "-" | "+" | "~" => {
                    let operand = self.expression(UNARY)?;
                    Some(format!("({text} {operand})"))
                }
                _ => None,
            },
            TokenKind::Word => self.word(token),
            TokenKind::Comment | TokenKind::Space => None,
        }
    }

    /// Whether the parenthesis just read held more than one expression.
    fn was_row(&self, inner: &str) -> bool {
        let mut depth = 0i32;
        let mut quoted = false;
        inner.bytes().any(|byte| {
            match byte {
                b'\'' => quoted = !quoted,
                b'(' | b'[' if !quoted => depth += 1,
                b')' | b']' if !quoted => depth -= 1,
                _ => {}
            }
            byte == b',' && depth == 0 && !quoted
        })
    }

    fn word(&mut self, token: Significant) -> Option<String> {
        let lower = token.text(self.source).to_ascii_lowercase();
        match lower.as_str() {
            "not" => {
                let operand = self.expression(NOT)?;
                Some(format!("(not {operand})"))
            }
            "case" => self.case(),
            "cast" => {
                self.expect("(")?;
                let operand = self.expression(0)?;
                self.expect("as")?;
                let ty = self.type_name()?;
                self.expect(")")?;
                Some(format!("(cast {operand} {ty})"))
            }
            // The word before `from` is a unit, and no column.
            "extract" if self.eat("(") => {
                let unit = self.name()?;
                self.expect("from")?;
                let operand = self.expression(0)?;
                self.expect(")")?;
                Some(format!("(extract {unit} {operand})"))
            }
            "null" | "true" | "false" | "current_timestamp" | "current_date" | "current_time" => Some(lower),
            "select" | "exists" | "raise" | "distinct" | "from" | "where" | "when" | "then" | "else" | "end" => None,
            _ => self.named(token),
        }
    }

    /// A call, a column with or without its table, or a typed literal such as `date '2026-01-01'`.
    fn named(&mut self, token: Significant) -> Option<String> {
        if token.kind == TokenKind::Word {
            if self.eat("(") {
                return self.call(&token.text(self.source).to_ascii_lowercase());
            }
            if let Some(next) = self.tokens.get(self.at)
                && next.kind == TokenKind::Text
            {
                self.at += 1;
                let ty = token.text(self.source).to_ascii_lowercase();
                return Some(format!("(cast {} {ty})", next.text(self.source)));
            }
        }
        let mut last = token;
        while self.eat(".") {
            last = *self.tokens.get(self.at)?;
            self.at += 1;
            if !matches!(last.kind, TokenKind::Word | TokenKind::Quoted) {
                return None;
            }
        }
        self.columns.push(reference(last, self.source));
        let name = canonical_name(last, self.source, self.syntax);
        Some(format!("`{name}`"))
    }

    fn call(&mut self, function: &str) -> Option<String> {
        if self.eat("*") {
            self.expect(")")?;
            return Some(format!("({function}* )"));
        }
        if self.eat(")") {
            return Some(format!("({function}() )"));
        }
        let distinct = if self.eat("distinct") { "distinct " } else { "" };
        let arguments = self.list()?;
        match self.peek().as_deref() {
            Some("filter" | "over" | "within") => None,
            _ => Some(format!("({function}() {distinct}{arguments})")),
        }
    }

    /// Expressions up to and with the closing parenthesis.
    fn list(&mut self) -> Option<String> {
        let mut list = vec![self.expression(0)?];
        while self.eat(",") {
            list.push(self.expression(0)?);
        }
        self.expect(")")?;
        Some(list.join(", "))
    }

    fn case(&mut self) -> Option<String> {
        let mut written = String::from("(case");
        if self.peek().as_deref() != Some("when") {
            written = format!("{written} {}", self.expression(0)?);
        }
        while self.eat("when") {
            let condition = self.expression(0)?;
            self.expect("then")?;
            let value = self.expression(0)?;
            written = format!("{written} when {condition} {value}");
        }
        if self.eat("else") {
            written = format!("{written} else {}", self.expression(0)?);
        }
        self.expect("end")?;
        Some(format!("{written})"))
    }

    fn name(&mut self) -> Option<String> {
        let token = *self.tokens.get(self.at)?;
        self.at += 1;
        matches!(token.kind, TokenKind::Word | TokenKind::Quoted)
            .then(|| canonical_name(token, self.source, self.syntax))
    }

    fn type_name(&mut self) -> Option<String> {
        let mut words = vec![self.name()?];
        while let Some(token) = self.tokens.get(self.at)
            && token.kind == TokenKind::Word
            && binding(&self.peek()?).is_none()
            && !matches!(self.peek()?.as_str(), "then" | "else" | "end" | "when")
        {
            words.push(self.name()?);
        }
        let name = words.join(" ");
        if self.eat("(") {
            return Some(format!("{name}({})", self.list()?));
        }
        Some(name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn writing_does_not_make_a_difference() {
        #[track_caller]
        fn same(a: &str, b: &str) {
            let (left, right) = (Expression::new(a), Expression::new(b));
            assert!(left == right, "{a} is {left:?}, {b} is {right:?}");
        }
        same("a>=0", "( A >= 0 )");
        same("\"a\" != 1", "a <> 1");
        same("(a and b) and c", "a and b and c");
        same("a /* x */ is not null", "a notnull");
        same("cast(a as varchar(10))", "CAST( a AS VARCHAR( 10 ) )");
        same("t.a + 1 * 2", "a+(1*2)");
        same("a in (1, 2)", "a IN(1,2)");
        same("[a] = `b`", "a = b");
        same("case a when 1 then 'x' else b end", "CASE a WHEN 1 THEN 'x' ELSE b END");
        same("(select max(x) from y)", "( SELECT max( x ) FROM y )");
    }

    #[test]
    fn letters_of_a_table_count_where_the_provider_counts_them() {
        let exact = Syntax { exact_tables: true, ..Syntax::PLAIN };
        let read = |text: &str| Expression::read_whole(text, exact);
        assert_eq!(
            read("begin insert into `t` (A) values (new.a); end"),
            read("BEGIN INSERT INTO t (a) VALUES (NEW.A); END")
        );
        assert_ne!(read("begin insert into T (a) values (1); end"), read("begin insert into t (a) values (1); end"));
        assert_ne!(read("select a from t join U"), read("select a from t join u"));
        assert_ne!(read("select trim(both from 'A')"), read("select trim(both from A)"));
        assert_eq!(Expression::new("select a from T"), Expression::new("select a from t"));
    }

    #[test]
    fn a_text_is_what_it_says_whichever_way_it_is_escaped() {
        let escaping = Syntax { backslashes: true, ..Syntax::PLAIN };
        let read = |text: &str| Expression::read(text, escaping);
        assert_eq!(read(r"concat('it\'s', 'a\\b')"), read(r"concat('it''s', 'a\\b')"));
        assert_eq!(read(r"'two\nlines'"), read("'two\nlines'"));
        assert_ne!(read(r"'a\%'"), read("'a%'"));
        // Elsewhere a backslash is one.
        assert_ne!(Expression::new(r"'a\\b'"), Expression::new(r"'a\b'"));
    }

    #[test]
    fn meaning_does() {
        #[track_caller]
        fn differ(a: &str, b: &str) {
            let (left, right) = (Expression::new(a), Expression::new(b));
            assert!(left != right, "{a} and {b} are both {}", left.canonical());
        }
        differ("a > 0", "a >= 0");
        differ("'a'", "'A'");
        differ("'a'", "a");
        differ("(a + b) * c", "a + b * c");
        differ("a - (b - c)", "a - b - c");
        differ("not a = b", "(not a) = b");
        differ("a or b and c", "(a or b) and c");
        differ("f(a, b)", "f((a, b))");
        differ("a in ('x')", "a in ('x', 'y')");
        differ("count(*)", "count()");
        differ("-1", "1");
        differ("'a, b'", "('a', 'b')");
    }

    #[test]
    fn columns_are_found_and_calls_and_words_are_not() {
        #[track_caller]
        fn case(text: &str, parsed: bool, expected: &[&str]) {
            let expression = Expression::new(text);
            let names: Vec<_> = expression.columns().iter().map(|one| one.name.as_str()).collect();
            assert_eq!((expression.is_parsed(), names.as_slice()), (parsed, expected), "{text}");
        }
        case("gross_kg - tare_kg", true, &["gross_kg", "tare_kg"]);
        case("lower(\"Full Name\") like 'm%'", true, &["Full Name"]);
        case("date(a) between current_date and b", true, &["a", "b"]);
        case("hive.code is not null", true, &["code"]);
        case("cast(a as int) = 1", true, &["a"]);
        case("a ->> '$.x' collate nocase = 'y'", true, &["a"]);
        case("extract(year from born) > year", true, &["born", "year"]);
        case("a = (select 1)", false, &["a", "select"]);
    }

    #[test]
    fn literals_are_told_from_calls() {
        #[track_caller]
        fn case(text: &str, expected: bool) {
            assert_eq!(Expression::new(text).is_literal(), expected, "{text}");
        }
        case("-1", true);
        case("'a'", true);
        case("(null)", true);
        case("current_timestamp", false);
        case("1 + 1", false);
    }

    proptest! {
        #[test]
        fn any_text_is_read_without_a_panic(text in "\\PC*") {
            let expression = Expression::new(&text);
            prop_assert!(expression == Expression::new(&text));
        }

        #[test]
        fn outer_parentheses_say_nothing(text in "[a-z+*()' ]{0,20}") {
            prop_assume!(super::super::matching_parenthesis(&format!("({text})"), 0) == Ok(text.len() + 1));
            let wrapped = Expression::new(&format!("({text})"));
            prop_assert_eq!(Expression::new(&text), wrapped);
        }
    }
}
