//! Domains in a file: each is kept as the one statement that the catalogue has for it.

use std::collections::BTreeMap;

use super::{CLAUSES, OtherRow, Reader, Reading, type_text};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::postgres::render::object_name;
use crate::dialect::postgres::types::full_name;
use crate::dialect::reading::{OrStop, Read, Stop};
use crate::physical::{ObjectKind, qualified};
use crate::sql::Cursor;

/// What is said of a domain.
#[derive(Default)]
struct Said {
    base: String,
    collation: Option<String>,
    default: Option<String>,
    is_required: bool,
    /// Conditions by name, and whether what is there already was checked.
    checks: BTreeMap<String, (String, bool)>,
}

impl Said {
    /// Reads what stands behind the name in `create domain`.
    fn read(cursor: &mut Cursor<'_>, domain: &str) -> Reading<Self> {
        cursor.eat("as");
        let base = cursor.until(|cursor| cursor.is(";") || cursor.is_one_of(&CLAUSES)).here()?;
        let mut said = Self { base: full_name(&type_text(base)), ..Self::default() };
        while !cursor.is_at_end() && !cursor.is(";") {
            said.clause(cursor, domain)?;
        }
        Ok(said)
    }

    /// Reads again what was [told](Self::told).
    fn again(sql: &str, domain: &str) -> Reading<Self> {
        let mut cursor = Cursor::new(sql, SYNTAX);
        cursor.until(|cursor| cursor.is("as")).here()?;
        let mut said = Self::read(&mut cursor, domain)?;
        while cursor.eat(";") {
            cursor.until(|cursor| cursor.is("add")).here()?;
            cursor.skip();
            said.clause(&mut cursor, domain)?;
        }
        Ok(said)
    }

    fn clause(&mut self, cursor: &mut Cursor<'_>, domain: &str) -> Reading<()> {
        let start = cursor.at();
        let value = |cursor: &mut Cursor<'_>| {
            // `null` is a default where it is the first word.
            let first = cursor.at();
            let ends = |cursor: &Cursor<'_>| {
                cursor.is(";") || cursor.at() > first && cursor.is_one_of(&CLAUSES) && !cursor.is("collate")
            };
            cursor.until(ends).map(|text| text.trim().to_owned())
        };
        if cursor.eat("collate") {
            let ends = |cursor: &Cursor<'_>| cursor.is(";") || cursor.is_one_of(&CLAUSES);
            self.collation = Some(cursor.until(ends).here()?.trim().to_owned());
            return Ok(());
        }
        if cursor.eat("default") {
            self.default = Some(value(cursor).here()?);
            return Ok(());
        }
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        if cursor.eat_all(&["not", "null"]) {
            self.is_required = true;
        } else if cursor.eat("null") {
            self.is_required = false;
        } else if cursor.eat("check") {
            let condition = cursor.parenthesised().here()?.trim().to_owned();
            let name = named.unwrap_or_else(|| self.free_name(domain));
            let is_valid = !cursor.eat_all(&["not", "valid"]);
            self.checks.insert(name, (condition, is_valid));
        } else {
            cursor.go_to(start);
            return Err(Stop::Here);
        }
        Ok(())
    }

    /// The name that the server gives a check without one (PostgreSQL 15, `typecmds.c`, `domainAddCheckConstraint`).
    fn free_name(&self, domain: &str) -> String {
        let domain = qualified::plain(qualified::base(domain));
        let numbered = |number: u32| match number {
            0 => object_name(&domain, "", "check"),
            _ => object_name(&domain, "", &format!("check{number}")),
        };
        (0..).map(numbered).find(|name| !self.checks.contains_key(name)).unwrap_or_default()
    }

    /// One action of `alter domain`.
    fn alter(&mut self, cursor: &mut Cursor<'_>, domain: &str) -> Reading<()> {
        let missing = |name: &str| Stop::Because(format!("domain `{domain}` has no check `{name}` before this"));
        if cursor.eat_all(&["set", "not", "null"]) {
            self.is_required = true;
        } else if cursor.eat_all(&["drop", "not", "null"]) {
            self.is_required = false;
        } else if cursor.eat_all(&["drop", "default"]) {
            self.default = None;
        } else if cursor.are(&["set", "default"]) {
            cursor.skip();
            self.clause(cursor, domain)?;
        } else if cursor.eat("add") {
            self.clause(cursor, domain)?;
        } else if cursor.eat_all(&["drop", "constraint"]) {
            let is_lenient = cursor.eat_all(&["if", "exists"]);
            let name = cursor.name().here()?;
            let _ = cursor.eat("cascade") || cursor.eat("restrict");
            if self.checks.remove(&name).is_none() && !is_lenient {
                return Err(missing(&name));
            }
        } else if cursor.eat_all(&["rename", "constraint"]) {
            let old = cursor.name().here()?;
            cursor.expect("to").here()?;
            let check = self.checks.remove(&old).ok_or_else(|| missing(&old))?;
            self.checks.insert(cursor.name().here()?, check);
        } else if cursor.eat_all(&["validate", "constraint"]) {
            let name = cursor.name().here()?;
            self.checks.get_mut(&name).ok_or_else(|| missing(&name))?.1 = true;
        } else {
            return Err(Stop::Here);
        }
        Ok(())
    }

    /// The statement that makes it, and one for each check that is not valid.
    fn told(&self, domain: &str) -> String {
        let quoted = quote_object(domain);
        let collation = self.collation.iter().map(|collation| format!(" collate {collation}"));
        let default = self.default.iter().map(|default| format!(" default {default}"));
        let required = self.is_required.then(|| " not null".to_owned());
        let checks = self.checks.iter().filter(|(_, (_, is_valid))| *is_valid);
        let checks = checks.map(|(name, (text, _))| format!(" constraint {} check ({text})", quote(name)));
        let unchecked = self.checks.iter().filter(|(_, (_, is_valid))| !is_valid).map(|(name, (text, _))| {
            format!(";\nalter domain {quoted} add constraint {} check ({text}) not valid", quote(name))
        });
        let clauses: String = collation.chain(default).chain(required).chain(checks).chain(unchecked).collect();
        format!("create domain {quoted} as {}{clauses}", self.base)
    }
}

/// The statements of a domain that has got another name.
pub(super) fn renamed(sql: &str, old: &str, new: &str) -> Option<String> {
    Said::again(sql, old).ok().map(|said| said.told(new))
}

impl Reader {
    pub(super) fn create_domain(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        cursor.expect("domain").here()?;
        let name = self.relation(cursor)?;
        let said = Said::read(cursor, &name)?;
        if !cursor.is_at_end() {
            return Err(Stop::Here);
        }
        self.domains.insert(name.clone(), full_name(&said.base));
        let drop = format!("drop domain {}", quote_object(&name));
        let sql = said.told(&name);
        self.other(ObjectKind::Domain, name, sql, drop);
        Ok(Read::Done)
    }

    pub(super) fn alter_domain(&mut self, cursor: &mut Cursor<'_>) -> Reading<Read> {
        let name = self.relation(cursor)?;
        if let Some(new) = Self::new_name(cursor, &name)? {
            self.rename_type(&name, &new);
            return Ok(Read::Done);
        }
        let is_it = |row: &&mut OtherRow| row.kind == ObjectKind::Domain && row.name == name;
        let Some(row) = self.catalogue.others.iter_mut().find(is_it) else {
            return Err(Stop::Because(format!("there is no domain `{name}` before this")));
        };
        let mut said = Said::again(&row.sql, &name)?;
        said.alter(cursor, &name)?;
        row.sql = said.told(&name);
        if cursor.is_at_end() { Ok(Read::Done) } else { Err(Stop::Here) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A domain's statement after others.
    fn case(created: &str, altered: &[&str], expected: &str) {
        let mut cursor = Cursor::new(created, SYNTAX);
        let mut said = Said::read(&mut cursor, "size").ok().expect(created);
        assert!(cursor.is_at_end(), "{created}");
        for action in altered {
            let mut cursor = Cursor::new(action, SYNTAX);
            said.alter(&mut cursor, "size").ok().expect(action);
            assert!(cursor.is_at_end(), "{action}");
            said = Said::again(&said.told("size"), "size").ok().expect(action);
        }
        assert_eq!(said.told("size"), format!("create domain size as {expected}"));
    }

    #[test]
    fn a_domain_is_one_statement_whatever_was_done_to_it() {
        case("as int", &[], "integer");
        case("int check (value > 0) not null default 3 check (value < 9)", &[], {
            "integer default 3 not null constraint size_check check (value > 0) constraint size_check1 check (value < 9)"
        });
        case("as varchar(9) collate \"C\" default null", &["set default 'a' || 'b'", "set not null"], {
            "character varying(9) collate \"C\" default 'a' || 'b' not null"
        });
        case("as int default 3 not null", &["drop default", "drop not null"], "integer");
        case("as int check (value > 0)", &["add check (value < 9)", "drop constraint size_check"], {
            "integer constraint size_check1 check (value < 9)"
        });
        case("as int", &["add constraint few check (value < 9) not valid"], {
            "integer;\nalter domain size add constraint few check (value < 9) not valid"
        });
        case(
            "as int",
            &[
                "add constraint few check (value < 9) not valid",
                "validate constraint few",
                "rename constraint few to \"So\"",
            ],
            "integer constraint \"So\" check (value < 9)",
        );
    }

    #[test]
    fn what_is_not_there_cannot_be_altered() {
        let mut said = Said::default();
        for action in ["drop constraint few", "rename constraint few to many", "validate constraint few"] {
            let stop = said.alter(&mut Cursor::new(action, SYNTAX), "size");
            assert!(matches!(stop, Err(Stop::Because(why)) if why.contains("no check `few`")), "{action}");
        }
        assert!(said.alter(&mut Cursor::new("drop constraint if exists few", SYNTAX), "size").is_ok());
    }
}
