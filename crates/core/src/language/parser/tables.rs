//! Tables and their items.

use thin_vec::ThinVec;

use super::{ITEMS, Parsed, Parser};
use crate::Span;
use crate::language::lexer::{Seen, Token, look_at};
use crate::language::mistake::{Mistake, MistakeKind};
use crate::language::syntax::{
    Check, ForeignKey, Index, IndexPart, Item, ItemKind, Key, PartKey, Spanned, Table, Trivia,
};
use crate::nearest::nearest;
use crate::schema::{NullsOrder, Scope, Type};

impl Parser<'_> {
    pub(super) fn parse_table(&mut self) -> Parsed<Table> {
        self.bump();
        let name = self.parse_object_name("the table's name")?;
        self.expect(Token::OpenBrace, "`{`")?;
        let comment = match self.peek() {
            (Seen::Token(Token::Comment), span) => {
                self.bump();
                Some(self.comment_text(span))
            }
            _ => None,
        };
        let mut table = Table { name, comment, items: Vec::new(), tail: Vec::new(), scope: Scope::All };
        self.table_items(&mut table);
        if self.peek_word().is_some_and(|word| matches!(word, "for" | "except")) || self.eat(Token::Comma) {
            table.scope = self.parse_scope()?;
        }
        Ok(table)
    }

    fn table_items(&mut self, table: &mut Table) {
        let mut items = std::mem::take(&mut self.gathered);
        self.gather_items(table, &mut items);
        table.items.append(&mut items);
        self.gathered = items;
    }

    fn gather_items(&mut self, table: &mut Table, items: &mut Vec<Item>) {
        loop {
            let mut leading = self.trivia();
            if self.eat(Token::CloseBrace) {
                table.tail = leading;
                return;
            }
            if self.peek().0 == Seen::End || self.begins_declaration() {
                let kind = MistakeKind::UnclosedTable { table: table.name.value.to_string() };
                self.mistakes.push(Mistake { kind, span: table.name.span });
                return;
            }
            let start = self.peek().1.start;
            self.inner.clear();
            match self.parse_item(start) {
                Ok(mut item) => {
                    leading.extend(self.inner.drain(..).map(Trivia::Comment));
                    item.leading = leading.into_iter().collect();
                    items.push(item);
                }
                Err(mistake) => {
                    self.mistakes.push(mistake);
                    if self.at == start && self.peek_word().is_some() {
                        self.bump();
                    }
                    self.skip_item(false);
                }
            }
        }
    }

    /// Whether a new table or enum begins here, so that the one being read was not closed.
    fn begins_declaration(&mut self) -> bool {
        if !matches!(self.peek_word(), Some("table" | "enum")) {
            return false;
        }
        let (seen, span) = self.peek_second();
        matches!(seen, Seen::Token(Token::Word | Token::Quoted))
            && look_at(self.source, span.end).0 == Seen::Token(Token::OpenBrace)
    }

    fn parse_item(&mut self, start: usize) -> Parsed<Item> {
        let mut scope = Scope::All;
        let mut options = ThinVec::new();
        let kind = if self.peek_second().0 == Seen::Token(Token::Colon) {
            ItemKind::Column(self.parse_column(&mut scope)?)
        } else {
            let kind = self.parse_table_item(&mut scope)?;
            options = self.item_options()?;
            self.item_scope(&mut scope)?;
            kind
        };
        let span = Span::new(start, self.at);
        let comment = self.end_of_item()?;
        Ok(Item { leading: ThinVec::new(), kind, options, scope, span, comment })
    }

    /// `, option "…" for P` behind an item, any number of times.
    fn item_options(&mut self) -> Parsed<ThinVec<(Spanned<String>, Scope)>> {
        let mut options = ThinVec::new();
        loop {
            self.item_comma();
            if self.peek_word() != Some("option") {
                return Ok(options);
            }
            self.bump();
            let option = self.parse_quoted("an option in double quotes")?;
            let scope = match self.peek_word() {
                Some("for" | "except") => self.parse_scope()?,
                _ => Scope::All,
            };
            options.push((option, scope));
        }
    }

    /// `[,] for …` at the end of an item.
    fn item_scope(&mut self, scope: &mut Scope) -> Parsed<()> {
        self.item_comma();
        if matches!(self.peek_word(), Some("for" | "except")) {
            *scope = self.parse_scope()?;
        }
        Ok(())
    }

    /// A comma before another word of the item, on this line or at the beginning of a later one.
    pub(super) fn item_comma(&mut self) -> bool {
        if matches!(self.peek().0, Seen::Token(Token::Newline | Token::Comment)) && self.continues() {
            self.line_ends();
        }
        let next_is_word = matches!(self.peek_second().0, Seen::Token(Token::Word));
        if self.sees(Token::Comma) && next_is_word {
            self.bump();
            return true;
        }
        false
    }

    fn parse_table_item(&mut self, scope: &mut Scope) -> Parsed<ItemKind> {
        let Some(word) = self.peek_word() else {
            return Err(self.unexpected("a column or another table item"));
        };
        match word {
            "primary" => {
                self.bump();
                self.expect_word("key")?;
                Ok(ItemKind::PrimaryKey(self.parse_key()?))
            }
            "unique" if self.second_word() == Some("index") => {
                self.bump();
                self.bump();
                Ok(ItemKind::Index(Box::new(self.parse_index(true)?)))
            }
            "index" => {
                self.bump();
                Ok(ItemKind::Index(Box::new(self.parse_index(false)?)))
            }
            "unique" => {
                self.bump();
                let mut key = self.parse_key()?;
                self.item_comma();
                if self.eat_word("nulls") {
                    self.expect_word("equal")?;
                    key.nulls_equal = true;
                }
                Ok(ItemKind::Unique(key))
            }
            "foreign" => {
                self.bump();
                self.expect_word("key")?;
                Ok(ItemKind::ForeignKey(Box::new(self.parse_foreign_key()?)))
            }
            "check" => {
                self.bump();
                let name = self.parse_optional_name()?;
                let expression = self.parse_expression()?;
                Ok(ItemKind::Check(Check { name, expression }))
            }
            "about" => {
                self.bump();
                Ok(ItemKind::About(self.parse_description()?))
            }
            "option" => {
                self.bump();
                let option = self.parse_quoted("a storage option in double quotes")?;
                if matches!(self.peek_word(), Some("for" | "except")) {
                    *scope = self.parse_scope()?;
                }
                Ok(ItemKind::Option(option))
            }
            "exclude" => Ok(ItemKind::Exclude(Box::new(self.parse_exclusion()?))),
            "partition" => {
                let how = self.parse_partition()?;
                if matches!(self.peek_word(), Some("for" | "except")) {
                    *scope = self.parse_scope()?;
                }
                Ok(ItemKind::Partition(how))
            }
            "formerly" => {
                self.bump();
                Ok(ItemKind::Formerly(self.parse_object_name("the former name")?))
            }
            _ => {
                if let (Some(ty), (_, span)) = (self.second_word(), self.peek_second())
                    && (Type::WORDS.contains(&ty)
                        || matches!(ty, "references" | "native")
                        || Type::meant_by(ty).is_some())
                {
                    let kind = MistakeKind::Unexpected { wanted: "`:`".into(), found: format!("`{ty}`") };
                    return Err(Mistake { kind, span });
                }
                let kind = MistakeKind::UnknownItem { word: word.to_owned(), nearest: nearest(word, ITEMS) };
                Err(Mistake { kind, span: self.peek().1 })
            }
        }
    }

    fn parse_key(&mut self) -> Parsed<Key> {
        let name = self.parse_optional_name()?;
        let columns = self.parse_names()?;
        Ok(Key { name, columns, nulls_equal: false })
    }

    fn parse_foreign_key(&mut self) -> Parsed<ForeignKey> {
        let name = self.parse_optional_name()?;
        let columns = self.parse_names()?;
        self.item_comma();
        self.expect_word("references")?;
        let table = self.parse_table_name()?;
        let referenced = if self.sees(Token::Open) { self.parse_names()? } else { Vec::new() };
        let mut key = ForeignKey {
            name,
            columns,
            table,
            referenced,
            on_delete: None,
            on_update: None,
            deferrable: None,
            indexed: false,
        };
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("on") => {
                    self.bump();
                    if self.eat_word("delete") {
                        key.on_delete = Some(self.parse_action()?);
                    } else if self.eat_word("update") {
                        key.on_update = Some(self.parse_action()?);
                    } else {
                        return Err(self.unexpected("`delete` or `update`"));
                    }
                }
                Some("deferrable") => key.deferrable = Some(self.parse_deferrable()?),
                Some("indexed") => {
                    self.bump();
                    key.indexed = true;
                }
                _ => return Ok(key),
            }
        }
    }

    fn parse_index(&mut self, unique: bool) -> Parsed<Index> {
        let name = self.parse_optional_name()?;
        let parts = self.parse_list("a column or an expression", Self::parse_index_part)?;
        let mut index = Index { name, unique, parts, predicate: None, including: Vec::new(), method: None };
        loop {
            self.item_comma();
            match self.peek_word() {
                Some("where") => {
                    self.bump();
                    index.predicate = Some(self.parse_expression()?);
                }
                Some("including") => {
                    self.bump();
                    index.including = self.parse_names()?;
                }
                Some("using") => {
                    self.bump();
                    index.method = Some(self.parse_name("an access method")?);
                }
                _ => return Ok(index),
            }
        }
    }

    fn parse_index_part(&mut self) -> Parsed<IndexPart> {
        let start = self.peek().1.start;
        let key = if self.sees(Token::Open) {
            PartKey::Expression(self.parse_expression()?.value)
        } else {
            PartKey::Column(self.parse_name("a column or an expression in parentheses")?.value)
        };
        let mut part = IndexPart {
            key,
            prefix: None,
            collate: None,
            operators: None,
            descending: false,
            nulls: None,
            span: Span::new(start, self.at),
        };
        loop {
            match self.peek_word() {
                Some("prefix") => {
                    self.bump();
                    self.expect(Token::Open, "`(`")?;
                    part.prefix = Some(self.parse_number("a length")?);
                    self.expect(Token::Close, "`)`")?;
                }
                Some("collate") => {
                    self.bump();
                    part.collate = Some(self.parse_quoted("a collation in double quotes")?.value);
                }
                Some("operators") => {
                    self.bump();
                    part.operators = Some(self.parse_quoted("an operator class in double quotes")?.value);
                }
                Some("asc") => {
                    self.bump();
                    part.descending = false;
                }
                Some("desc") => {
                    self.bump();
                    part.descending = true;
                }
                Some("nulls") => {
                    self.bump();
                    part.nulls = Some(if self.eat_word("first") {
                        NullsOrder::First
                    } else if self.eat_word("last") {
                        NullsOrder::Last
                    } else {
                        return Err(self.unexpected("`first` or `last`"));
                    });
                }
                _ => {
                    part.span.end = self.at;
                    return Ok(part);
                }
            }
        }
    }
}
