//! Operators in a file, with the classes and families of them.

use super::{Reader, Reading, type_text};
use crate::dialect::others::OtherRow;
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::quote_object;
use crate::dialect::reading::{OrStop, Read};
use crate::physical::ObjectKind;
use crate::sql::Cursor;

/// What a family that has members of its own is made by, behind the words that make it.
const MORE_MEMBERS: &str = ";\nalter operator family ";

/// What makes an operator class, which names no family, with the one it is in.
fn with_family(class: &str, family: &str) -> Reading<String> {
    let mut cursor = Cursor::new(class, SYNTAX);
    cursor.until(|cursor| cursor.is("using")).here()?;
    cursor.skip();
    cursor.name().here()?;
    let head = cursor.between(0, cursor.at());
    let tail = cursor.rest();
    Ok(format!("{head} family {} {}", quote_object(family), tail.trim_start()))
}

impl Reader {
    /// Where an operator family is among what has been made.
    fn family(&self, label: &str) -> Option<usize> {
        self.catalogue.others.iter().position(|row| row.kind == ObjectKind::OperatorFamily && row.name == label)
    }

    /// An operator, or a class or family of them.
    pub(super) fn create_operator(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        cursor.skip();
        if cursor.is("class") || cursor.is("family") {
            return self.create_class(cursor, sql);
        }
        let name = cursor.until(|cursor| cursor.is("(")).here()?.trim();
        let name = name.strip_prefix("public.").unwrap_or(name).to_owned();
        let mut inside = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
        let (mut left, mut right) = ("none".to_owned(), "none".to_owned());
        while !inside.is_at_end() {
            let word = inside.peek().to_ascii_lowercase();
            inside.skip();
            let value = inside.until(|cursor| cursor.is(",")).here()?.trim_start_matches('=').to_owned();
            match word.as_str() {
                "leftarg" => left = type_text(value.trim()),
                "rightarg" => right = type_text(value.trim()),
                _ => {}
            }
            inside.eat(",");
        }
        let label = format!("{name} ({left}, {right})");
        let drop = format!("drop operator {label}");
        self.other(ObjectKind::Operator, label, sql.to_owned(), drop);
        Ok(Read::Done)
    }

    /// A class of operators, or a family of classes.
    fn create_class(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let is_family = cursor.is("family");
        cursor.skip();
        let name = self.relation(cursor)?;
        cursor.until(|cursor| cursor.is("using")).here()?;
        cursor.expect("using").here()?;
        let method = cursor.name().here()?;
        let label = format!("{name} using {method}");
        let drop = |word: &str| format!("drop operator {word} {} using {method}", quote_object(&name));
        if is_family {
            self.other(ObjectKind::OperatorFamily, label, sql.to_owned(), drop("family"));
            return Ok(Read::Done);
        }
        // A family of its own name comes along with a class, and need not be told, unless it has more members.
        let before = cursor.at();
        let family = if cursor.eat("family") { self.relation(cursor)? } else { name.clone() };
        let said = cursor.between(before, cursor.at());
        let namesake = self.family(&label).filter(|_| family == name);
        let brings_family = match namesake {
            Some(at) if self.catalogue.others[at].sql.contains(MORE_MEMBERS) => false,
            Some(at) => {
                self.catalogue.others.remove(at);
                true
            }
            None => family == name,
        };
        let made = match (brings_family, said) {
            (true, said) => sql.replacen(said, "", usize::from(!said.is_empty())),
            (false, "") => with_family(sql, &name)?,
            (false, _) => sql.to_owned(),
        };
        self.other(ObjectKind::OperatorClass, label, made, drop(if brings_family { "family" } else { "class" }));
        let after = (!brings_family).then(|| format!("{family} using {method}"));
        self.catalogue.others.last_mut().here()?.after.extend(after);
        Ok(Read::Done)
    }

    /// `using METHOD add …`: members of a family of operators besides those of its classes.
    pub(super) fn more_of_family(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let name = self.relation(cursor)?;
        cursor.expect("using").here()?;
        let method = cursor.name().here()?;
        let label = format!("{name} using {method}");
        cursor.is("add").then_some(()).here()?;
        let more = format!("{MORE_MEMBERS}{} using {method} {}", quote_object(&name), cursor.rest());
        if let Some(family) = self.family(&label) {
            self.catalogue.others[family].sql.push_str(&more);
            return Ok(Read::Done);
        }
        // One that came along with its class stands by itself from here on.
        let others = &mut self.catalogue.others;
        let class = others.iter().position(|row| row.kind == ObjectKind::OperatorClass && row.name == label).here()?;
        others[class].sql = with_family(&others[class].sql, &name)?;
        let head = format!("operator family {} using {method}", quote_object(&name));
        let drop = format!("drop {head}");
        let family = OtherRow {
            kind: ObjectKind::OperatorFamily,
            name: label,
            table: None,
            sql: format!("create {head}{more}"),
            drop: drop.clone(),
            after: Vec::new(),
            comment: None,
        };
        others[class].drop = drop.replacen("family", "class", 1);
        others[class].after.push(family.name.clone());
        others.insert(class, family);
        Ok(Read::Done)
    }
}
