//! Declarations but for tables.

use super::{DECLARATIONS, Parsed, Parser, dedented};
use crate::Span;
use crate::language::lexer::{Seen, Token, look_at};
use crate::language::mistake::{Mistake, MistakeKind};
use crate::language::sugar;
use crate::language::syntax::{
    Declaration, DeclarationKind, Enum, EnumWord, File, Name, Program, Row, Rows, Spanned, Trivia,
};
use crate::nearest::nearest;
use crate::schema::{Domain, Exclusion, Form, Grant, Identifier, ProgramKind, Scope, Type, Value};

impl Parser<'_> {
    pub(super) fn file(&mut self) -> File {
        let mut declarations = Vec::new();
        loop {
            let mut leading = self.trivia();
            if self.peek().0 == Seen::End {
                return File { declarations, tail: leading };
            }
            let start = self.peek().1.start;
            self.inner.clear();
            let parsed = self.parse_declaration().and_then(|kind| {
                let span = Span::new(start, self.at);
                let comment = self.end_of_item()?;
                Ok((kind, span, comment))
            });
            match parsed {
                Ok((kind, span, comment)) => {
                    leading.extend(self.inner.drain(..).map(Trivia::Comment));
                    declarations.push(Declaration { leading, kind, span, comment });
                    if self.sees(Token::CloseBrace) {
                        let mistake = self.unexpected("a declaration");
                        self.mistakes.push(mistake);
                        self.bump();
                    }
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start {
                        self.step_over();
                    }
                    self.skip_item(true);
                }
            }
        }
    }

    /// Makes sure that recovery moves on.
    fn step_over(&mut self) {
        if let (Seen::Token(Token::Word | Token::CloseBrace), _) = self.peek() {
            self.bump();
        }
    }

    fn parse_declaration(&mut self) -> Parsed<DeclarationKind> {
        let Some(word) = self.peek_word() else {
            return Err(self.unexpected("a declaration such as `table`"));
        };
        match word {
            "table" => self.parse_table().map(DeclarationKind::Table),
            "enum" => self.parse_enum().map(DeclarationKind::Enum),
            "view" => self.parse_program(ProgramKind::View).map(DeclarationKind::Program),
            "trigger" => self.parse_program(ProgramKind::Trigger).map(DeclarationKind::Program),
            "routine" => self.parse_program(ProgramKind::Routine).map(DeclarationKind::Program),
            "materialized" => {
                self.bump();
                self.parse_program(ProgramKind::MaterializedView).map(DeclarationKind::Program)
            }
            "object" => self.parse_program(ProgramKind::Object).map(DeclarationKind::Program),
            "extension" => self.parse_extension().map(DeclarationKind::Program),
            "sequence" => self.parse_sequence().map(DeclarationKind::Program),
            "namespace" => self.parse_namespace().map(DeclarationKind::Program),
            "rows" => self.parse_rows().map(DeclarationKind::Rows),
            "domain" => self.parse_domain().map(DeclarationKind::Program),
            "grant" => self.parse_grant().map(DeclarationKind::Program),
            _ => {
                let kind =
                    MistakeKind::UnknownDeclaration { word: word.to_owned(), nearest: nearest(word, DECLARATIONS) };
                Err(Mistake { kind, span: self.peek().1 })
            }
        }
    }

    /// `extension NAME`, which says what an object of that kind would.
    fn parse_extension(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_name("the extension's name")?;
        let sugar = sugar::extension(&name.value);
        self.parse_rest_of_sugar("extension", name, Some(sugar))
    }

    /// `namespace NAME`, which says what an object of that kind would.
    fn parse_namespace(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_name("the namespace's name")?;
        let sugar = sugar::namespace(&name.value);
        self.parse_rest_of_sugar("namespace", name, Some(sugar))
    }

    /// `sequence NAME from 1 by 1`, which says what an object of that kind would.
    fn parse_sequence(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_object_name("the sequence's name")?;
        let (mut from, mut by): (Option<i64>, Option<i64>) = (None, None);
        loop {
            if self.eat_word("from") {
                from = Some(self.parse_number("the first number")?);
            } else if self.eat_word("by") {
                by = Some(self.parse_step()?);
            } else {
                break;
            }
        }
        let sugar = sugar::sequence(&name.value, from, by);
        self.parse_rest_of_sugar("sequence", name, Some(sugar))
    }

    /// The end of a form whose SQL follows from its words.
    fn parse_rest_of_sugar(&mut self, word: &str, name: Name, sugar: Option<(String, String)>) -> Parsed<Program> {
        let mut about = None;
        let mut scope = Scope::All;
        let mut after = Vec::new();
        let span = name.span;
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("about") if about.is_none() => {
                    self.bump();
                    about = Some(self.parse_description()?.value);
                }
                Some("after") if after.is_empty() && sugar.is_some() => after = self.parse_after()?,
                Some("for" | "except") if scope == Scope::All => scope = self.parse_scope()?,
                _ => break,
            }
        }
        let (body, drop) = sugar.map_or((String::new(), None), |(body, drop)| (body, Some(drop)));
        Ok(Program {
            kind: ProgramKind::Object,
            word: Some(Spanned { value: word.to_owned(), span }),
            name,
            table: None,
            body: Spanned { value: body, span },
            drop: drop.map(|value| Spanned { value, span }),
            form: None,
            after,
            about,
            scope,
        })
    }

    /// `after A, B`
    fn parse_after(&mut self) -> Parsed<Vec<Name>> {
        self.bump();
        let mut names = vec![self.parse_object_name("the name of what comes before it")?];
        while self.sees(Token::Comma)
            && matches!(self.peek_second().0, Seen::Token(Token::Word | Token::Quoted))
            && !matches!(self.second_word(), Some("about" | "for" | "except" | "drop"))
        {
            self.bump();
            names.push(self.parse_object_name("the name of what comes before it")?);
        }
        Ok(names)
    }

    /// `view NAME` and a fence; `trigger NAME on T`, `routine NAME` or `object "KIND" NAME`, a fence, and `drop` with
    /// another.
    fn parse_program(&mut self, kind: ProgramKind) -> Parsed<Program> {
        self.bump();
        let word = match kind {
            ProgramKind::Object => Some(self.parse_quoted("the object's kind in double quotes, such as \"policy\"")?),
            _ => None,
        };
        let name = match kind {
            ProgramKind::Object => self.parse_object_name("the object's name"),
            ProgramKind::MaterializedView | ProgramKind::View => self.parse_object_name("the view's name"),
            ProgramKind::Trigger => self.parse_name("the trigger's name"),
            ProgramKind::Routine => self.parse_object_name("the routine's name"),
        }?;
        let table = match kind {
            ProgramKind::Trigger => {
                self.expect_word("on")?;
                Some(self.parse_object_name("the trigger's table")?)
            }
            _ => None,
        };
        let (mut body, mut drop, mut about, mut scope) = (None, None, None, Scope::All);
        let mut after = Vec::new();
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) if self.program_goes_on() => {
                    self.bump();
                }
                (Seen::Token(Token::Comma), _) => {
                    self.bump();
                }
                (Seen::Token(Token::Fence), _) if body.is_none() => body = Some(self.parse_fence()?),
                (Seen::Token(Token::Word), _) => match self.peek_word() {
                    Some("after") if after.is_empty() => after = self.parse_after()?,
                    Some("drop") if drop.is_none() && !kind.is_view() => {
                        self.bump();
                        drop = Some(self.parse_fence()?);
                    }
                    Some("about") if about.is_none() => {
                        self.bump();
                        about = Some(self.parse_description()?.value);
                    }
                    Some("for" | "except") if scope == Scope::All => scope = self.parse_scope()?,
                    _ => break,
                },
                _ => break,
            }
        }
        match body {
            Some(body) => Ok(Program { kind, word, name, table, body, form: None, drop, after, about, scope }),
            None => Err(self.unexpected("its SQL between ``` and ```")),
        }
    }

    /// `rows T by (key) {`, a line with the columns, and a line for each row, with bars between them.
    fn parse_rows(&mut self) -> Parsed<Rows> {
        self.bump();
        let table = self.parse_table_name()?;
        self.expect_word("by")?;
        let key = self.parse_names()?;
        let open = self.expect(Token::OpenBrace, "`{`")?;
        let mut rows = Rows {
            table,
            key,
            columns: Vec::new(),
            comment: None,
            rows: Vec::new(),
            tail: Vec::new(),
            scope: Scope::All,
        };
        let mut leading = self.trivia();
        if self.peek().0 != Seen::Token(Token::CloseBrace) {
            if let Err(mistake) = self.parse_head(&mut rows) {
                // Without a head the rows say nothing.
                while !matches!(self.peek().0, Seen::Token(Token::CloseBrace) | Seen::End) {
                    self.skip_row();
                    self.eat(Token::Newline);
                }
                self.eat(Token::CloseBrace);
                return Err(mistake);
            }
            // Comments before the head stand before the first row.
            leading.extend(self.trivia());
        }
        loop {
            match self.peek().0 {
                Seen::Token(Token::CloseBrace) => break,
                Seen::End => {
                    let kind = MistakeKind::Unclosed { what: "the list of rows", close: "`}`".into() };
                    return Err(Mistake { kind, span: open });
                }
                _ => {}
            }
            let start = self.peek().1.start;
            match self.parse_row(rows.columns.len()) {
                Ok((values, comment)) => {
                    rows.rows.push(Row { leading: std::mem::take(&mut leading), values, comment });
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start {
                        self.bump();
                    }
                    self.skip_row();
                }
            }
            leading.extend(self.trivia());
        }
        self.bump();
        rows.tail = leading;
        self.eat(Token::Comma);
        if self.peek_word().is_some_and(|word| matches!(word, "for" | "except")) {
            rows.scope = self.parse_scope()?;
        }
        Ok(rows)
    }

    /// The line that names the columns.
    fn parse_head(&mut self, rows: &mut Rows) -> Parsed<()> {
        rows.columns.push(self.parse_name("a column")?);
        while self.eat(Token::Bar) {
            rows.columns.push(self.parse_name("a column")?);
        }
        rows.comment = self.end_of_row()?;
        Ok(())
    }

    fn parse_row(&mut self, columns: usize) -> Parsed<(Vec<Spanned<Value>>, Option<String>)> {
        let mut values = vec![self.parse_value()?];
        while self.eat(Token::Bar) {
            values.push(self.parse_value()?);
        }
        let (first, last) = (values.first().map(|one| one.span), values.last().map(|one| one.span));
        let comment = self.end_of_row()?;
        if let (true, Some(first), Some(last)) = (values.len() != columns, first, last) {
            let wanted = crate::plural::plural("value", columns);
            let kind = MistakeKind::Unexpected { wanted, found: values.len().to_string() };
            return Err(Mistake { kind, span: Span::new(first.start, last.end) });
        }
        Ok((values, comment))
    }

    /// The end of a line of rows, with the comment that stands there.
    fn end_of_row(&mut self) -> Parsed<Option<String>> {
        match self.peek() {
            (Seen::Token(Token::Comment), span) => {
                self.bump();
                Ok(Some(self.comment_text(span)))
            }
            (Seen::Token(Token::Newline | Token::CloseBrace) | Seen::End, _) => Ok(None),
            _ => Err(self.unexpected("`|` or the end of the line")),
        }
    }

    /// Goes on behind the end of the line.
    fn skip_row(&mut self) {
        while !matches!(self.peek().0, Seen::Token(Token::Newline | Token::CloseBrace) | Seen::End) {
            if self.peek().0 == Seen::Unreadable {
                self.at += self.source[self.at..].chars().next().map_or(1, char::len_utf8);
            } else {
                self.bump();
            }
        }
    }

    /// SQL between backticks, without the white space that all its lines begin with.
    fn parse_fence(&mut self) -> Parsed<Spanned<String>> {
        let (seen, span) = self.peek();
        if seen != Seen::Token(Token::Fence) {
            return Err(self.unexpected("SQL between ``` and ```"));
        }
        self.bump();
        let inner = span.text(self.source).trim_matches('`');
        Ok(Spanned { value: dedented(inner), span })
    }

    /// Whether a declaration goes on in a later line: with a comma, a fence, or one of the words that only follow one.
    fn program_goes_on(&mut self) -> bool {
        let mut offset = self.at;
        loop {
            match look_at(self.source, offset) {
                (Seen::Token(Token::Newline | Token::Comment), span) => offset = span.end,
                (Seen::Token(Token::Comma | Token::Fence), _) => return true,
                (Seen::Token(Token::Word), span) => {
                    let next = look_at(self.source, span.end).0;
                    return match span.text(self.source) {
                        "drop" | "create" => next == Seen::Token(Token::Fence),
                        "after" => matches!(next, Seen::Token(Token::Word | Token::Quoted)),
                        "for" | "except" => next == Seen::Token(Token::Word),
                        _ => false,
                    };
                }
                _ => return false,
            }
        }
    }

    /// `partition by …`: SQL to the end of the line, or to the word that says for which provider.
    pub(super) fn parse_partition(&mut self) -> Parsed<Spanned<String>> {
        self.bump();
        self.expect_word("by")?;
        let start = self.peek().1.start;
        let mut end = start;
        loop {
            match self.peek() {
                (Seen::End | Seen::Token(Token::Comment | Token::CloseBrace | Token::Newline | Token::Comma), _) => {
                    break;
                }
                // `key ()` is by the primary key.
                (Seen::Token(Token::Open), _) => {
                    self.parse_parentheses()?;
                }
                (Seen::Unreadable, span) => return Err(self.unreadable(span)),
                _ if matches!(self.peek_word(), Some("for" | "except")) => break,
                _ => {
                    self.bump();
                }
            }
            end = self.at;
        }
        let span = Span::new(start, end);
        if span.start == span.end {
            return Err(self.unexpected("how it is partitioned, such as `range (taken_on)`"));
        }
        // Over several lines it means the same; on one, a text may hold more than one space.
        let text = span.text(self.source).trim();
        let value = match text.contains('\n') {
            true => text.split_whitespace().collect::<Vec<_>>().join(" "),
            false => text.to_owned(),
        };
        Ok(Spanned { value, span })
    }

    /// `exclude [name] using METHOD (…) where (…)`; which table it is of, the resolver says.
    pub(super) fn parse_exclusion(&mut self) -> Parsed<Exclusion> {
        self.bump();
        let name = match self.peek_word() {
            Some("using") => None,
            _ => Some(self.parse_name("a name or `using`")?.value),
        };
        self.expect_word("using")?;
        let method = self.parse_name("an access method")?.value;
        let parts = self.parse_expression()?.value;
        let predicate = if self.eat_word("where") { Some(self.parse_expression()?.value) } else { None };
        Ok(Exclusion { table: Identifier::new(""), name, method, parts, predicate })
    }

    /// `domain NAME TYPE, check [name] (expr)`
    fn parse_domain(&mut self) -> Parsed<Program> {
        self.bump();
        let name = self.parse_object_name("the domain's name")?;
        let (ty, native) = match self.eat_word("native") {
            true => (Type::Native, Some(self.parse_quoted("the provider's type in double quotes")?.value)),
            false => (self.parse_type()?.value, None),
        };
        let mut checks = Vec::new();
        loop {
            self.item_comma();
            if !self.eat_word("check") {
                break;
            }
            let named = self.parse_optional_name()?;
            checks.push((named.map(|name| name.value), self.parse_expression()?.value));
        }
        let program = self.parse_rest_of_sugar("domain", name, None)?;
        Ok(Program { form: Some(Box::new(Form::Domain(Domain { ty, native, checks }))), ..program })
    }

    /// `grant select, insert on T to ROLE`
    fn parse_grant(&mut self) -> Parsed<Program> {
        let start = self.bump();
        let mut privileges = Vec::new();
        loop {
            privileges.push(self.parse_name("a privilege, such as `select`")?.value.to_string());
            if !self.eat(Token::Comma) {
                break;
            }
        }
        self.expect_word("on")?;
        let on_sequence = self.peek_word() == Some("sequence")
            && matches!(self.peek_second().0, Seen::Token(Token::Word | Token::Quoted))
            && self.peek_second().1.text(self.source) != "to";
        if on_sequence {
            self.bump();
        }
        let target = self.parse_object_name("a table, view or sequence")?;
        self.expect_word("to")?;
        let role = self.parse_name("a role")?;
        let with_option = self.eat_word("with");
        if with_option {
            self.expect_word("grant")?;
            self.expect_word("option")?;
        }
        privileges.sort();
        privileges.dedup();
        let grant = Grant { privileges, on_sequence, target: target.value, role: role.value, with_option };
        let name = Spanned { value: grant.name(), span: start.to(role.span) };
        let program = self.parse_rest_of_sugar("grant", name, None)?;
        Ok(Program { form: Some(Box::new(Form::Grant(grant))), ..program })
    }

    fn parse_enum(&mut self) -> Parsed<Enum> {
        self.bump();
        let name = self.parse_object_name("the enum's name")?;
        let open = self.expect(Token::OpenBrace, "`{`")?;
        let mut words: Vec<EnumWord> = Vec::new();
        let tail = loop {
            let mut leading = self.word_comments(&mut words);
            while self.eat(Token::Comma) {
                leading.extend(self.word_comments(&mut words));
            }
            match self.peek() {
                (Seen::Token(Token::CloseBrace), _) => break leading,
                (Seen::End, _) => {
                    let kind = MistakeKind::Unclosed { what: "the enum", close: "`}`".into() };
                    return Err(Mistake { kind, span: open });
                }
                _ => {}
            }
            let word = self.parse_enum_word()?;
            let formerly = if self.eat_word("formerly") { Some(self.parse_enum_word()?) } else { None };
            words.push(EnumWord { leading, word, comment: None, formerly });
            if !matches!(self.peek().0, Seen::Token(Token::Comma | Token::CloseBrace | Token::Newline | Token::Comment))
            {
                return Err(self.unexpected("`,` or `}`"));
            }
        };
        self.bump();
        let about = if self.eat(Token::Comma) || self.peek_word() == Some("about") {
            self.expect_word("about")?;
            Some(self.parse_description()?.value)
        } else {
            None
        };
        Ok(Enum { name, words, about, tail })
    }

    /// Comments between enum words: on the line of the last word they belong to it, else to the next.
    fn word_comments(&mut self, words: &mut [EnumWord]) -> Vec<String> {
        let mut leading = Vec::new();
        let mut same_line = true;
        loop {
            match self.peek() {
                (Seen::Token(Token::Newline), _) => same_line = false,
                (Seen::Token(Token::Comment), span) => {
                    let text = self.comment_text(span);
                    match words.last_mut() {
                        Some(last) if same_line && last.comment.is_none() => last.comment = Some(text),
                        _ => leading.push(text),
                    }
                }
                _ => return leading,
            }
            self.bump();
        }
    }

    fn parse_enum_word(&mut self) -> Parsed<Name> {
        if let (Seen::Token(Token::Text), span) = self.peek() {
            self.bump();
            let value = crate::sql::unquote(span.text(self.source));
            if value.is_empty() {
                return Err(Mistake { kind: MistakeKind::EmptyName, span });
            }
            return Ok(Spanned { value: Identifier::new(value), span });
        }
        self.parse_name("a word")
    }
}
