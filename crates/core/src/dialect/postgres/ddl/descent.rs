//! Tables of a file that inherit from others: what they have of them, and how they follow them.

use super::{Reader, Reading};
use crate::dialect::postgres::catalogue::{ColumnRow, ConstraintRow};
use crate::dialect::postgres::inheriting::{ALSO_INHERITED, INHERITED};
use crate::dialect::postgres::quote::quote_object;
use crate::dialect::reading::{OrStop, Stop};
use crate::sql::Cursor;

/// What tables that inherit from one get of it.
pub(super) struct Heritage {
    columns: Vec<ColumnRow>,
    checks: Vec<ConstraintRow>,
}

/// Whether something is there because a parent has it, be it of its own as well.
fn comes_of_parent(words: &[String]) -> bool {
    words.iter().any(|one| one == INHERITED || one == ALSO_INHERITED)
}

fn is_inherited(words: &[String]) -> bool {
    words.iter().any(|one| one == INHERITED)
}

/// Notes that a parent has it as well.
fn note_parent(words: &mut Vec<String>) {
    if !comes_of_parent(words) {
        words.push(ALSO_INHERITED.to_owned());
    }
}

/// Notes that no parent has it.
fn forget_parent(words: &mut Vec<String>) {
    words.retain(|one| one != INHERITED && one != ALSO_INHERITED);
}

fn word_of<'a>(words: &'a [String], word: &str) -> Option<&'a String> {
    words.iter().find(|one| one.split(' ').next() == Some(word))
}

impl Reader {
    /// A new table gets columns and checks of one that it inherits from.
    pub(super) fn inherit(&mut self, parent: &str, oid: u32) -> Reading<()> {
        let missing = || Stop::Because(format!("there is no table `{parent}` before this"));
        let other = self.oid(parent).ok_or_else(missing)?;
        let heritage = self.heritage(other);
        for row in heritage.columns {
            self.inherit_column(row, oid);
        }
        for row in heritage.checks {
            self.inherit_check(row, oid);
        }
        self.parents.entry(oid).or_default().push(other);
        Ok(())
    }

    /// `inherit PARENT` and `no inherit PARENT` of a table that is there: it has all that its parent has, and keeps it
    /// (PostgreSQL 17, "ALTER TABLE", INHERIT).
    pub(super) fn changes_parents(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<bool> {
        let comes = cursor.eat("inherit");
        if !comes && !cursor.eat_all(&["no", "inherit"]) {
            return Ok(false);
        }
        let start = cursor.at();
        let parent = self.made_relation(cursor)?;
        let Some(other) = self.oid(&parent) else {
            cursor.go_to(start);
            return Err(Stop::Because(format!("there is no table `{parent}` before this")));
        };
        if comes {
            for row in self.heritage(other).columns {
                note_parent(&mut self.column(oid, &row.name)?.peculiarities);
            }
            for check in self.heritage(other).checks {
                let missing = || {
                    Stop::Because(format!("`{}` has no check `{}` of its parent's", self.table_name(oid), check.name))
                };
                let at = self.check(oid, &check.name).ok_or_else(missing)?;
                note_parent(&mut self.catalogue.constraints[at].peculiarities);
            }
            self.parents.entry(oid).or_default().push(other);
            return Ok(true);
        }
        let parents = self.parents.entry(oid).or_default();
        let at = parents.iter().position(|one| *one == other).here()?;
        parents.remove(at);
        for row in self.heritage(other).columns {
            if !self.has_of_parent(oid, &row.name) {
                forget_parent(&mut self.column(oid, &row.name)?.peculiarities);
            }
        }
        for check in self.heritage(other).checks {
            let found = self.check(oid, &check.name).filter(|_| !self.has_check_of_parent(oid, &check.name));
            if let Some(at) = found {
                forget_parent(&mut self.catalogue.constraints[at].peculiarities);
            }
        }
        Ok(true)
    }

    /// What those that inherit from a table have of it now.
    pub(super) fn heritage(&self, oid: u32) -> Heritage {
        let columns = self.catalogue.columns.iter().filter(|row| row.table == oid);
        let is_passed = |row: &&ConstraintRow| {
            row.table == oid && row.kind == 'c' && !row.peculiarities.iter().any(|one| one == "no inherit")
        };
        Heritage {
            columns: columns.cloned().collect(),
            checks: self.catalogue.constraints.iter().filter(is_passed).cloned().collect(),
        }
    }

    /// Whether a table has any that inherit from it.
    pub(super) fn has_heirs(&self, oid: u32) -> bool {
        self.parents.values().any(|parents| parents.contains(&oid))
    }

    pub(super) fn heirs(&self, oid: u32) -> Vec<u32> {
        self.parents.iter().filter(|(_, parents)| parents.contains(&oid)).map(|(heir, _)| *heir).collect()
    }

    /// What was done to a table is done to those that inherit from it, unless it is said of the table alone (PostgreSQL 17,
    /// "ALTER TABLE", ONLY).
    pub(super) fn pass_on(&mut self, oid: u32, before: &Heritage) -> Reading<()> {
        let now = self.heritage(oid);
        for heir in self.heirs(oid) {
            let was = self.heritage(heir);
            for old in &before.columns {
                match now.columns.iter().find(|row| row.number == old.number) {
                    Some(new) => self.follow_column(heir, old, new)?,
                    None => self.lose_column(heir, &old.name)?,
                }
            }
            for row in &now.columns {
                if !before.columns.iter().any(|old| old.number == row.number) {
                    self.inherit_column(row.clone(), heir);
                }
            }
            let is_in = |rows: &[ConstraintRow], name: &str| rows.iter().any(|row| row.name == name);
            for old in before.checks.iter().filter(|row| !is_in(&now.checks, &row.name)) {
                self.lose_check(heir, &old.name);
            }
            for new in now.checks.iter().filter(|row| !is_in(&before.checks, &row.name)) {
                self.inherit_check(new.clone(), heir);
            }
            self.pass_on(heir, &was)?;
        }
        Ok(())
    }

    /// What is said of tables that inherit, once their parents have the names they keep.
    pub(super) fn settle_parents(&mut self) {
        for (oid, parents) in std::mem::take(&mut self.parents) {
            let is_there = |oid: &u32| self.catalogue.tables.iter().any(|row| row.oid == *oid);
            let names: Vec<String> =
                parents.iter().filter(|oid| is_there(oid)).map(|oid| quote_object(&self.table_name(*oid))).collect();
            if !names.is_empty() && is_there(&oid) {
                self.table_row(oid).peculiarities.push(format!("inherits ({})", names.join(", ")));
            }
        }
    }

    /// One column of a parent. What several parents have, or the table has itself, is one column, required where one of
    /// them says so (PostgreSQL 17, "CREATE TABLE", INHERITS).
    fn inherit_column(&mut self, row: ColumnRow, oid: u32) {
        if let Ok(own) = self.column(oid, &row.name) {
            own.required |= row.required;
            if is_inherited(&own.peculiarities) {
                own.expression = own.expression.take().or(row.expression);
            } else {
                note_parent(&mut own.peculiarities);
            }
            return;
        }
        let names = self.columns.entry(oid).or_default();
        names.push(row.name.clone());
        let number = i16::try_from(names.len()).unwrap_or(i16::MAX);
        // How values are stored is inherited, too (PostgreSQL 15, `MergeAttributes`).
        let is_passed = |word: &&String| !word.starts_with("statistics ") && !comes_of_parent(&[(*word).clone()]);
        let mut peculiarities: Vec<String> = row.peculiarities.iter().filter(is_passed).cloned().collect();
        peculiarities.push(INHERITED.to_owned());
        let (identity, numbering, comment) = (None, None, None);
        self.catalogue.columns.push(ColumnRow {
            table: oid,
            number,
            identity,
            numbering,
            comment,
            peculiarities,
            ..row
        });
    }

    fn inherit_check(&mut self, mut row: ConstraintRow, oid: u32) {
        if let Some(at) = self.check(oid, &row.name) {
            note_parent(&mut self.catalogue.constraints[at].peculiarities);
            return;
        }
        row.table = oid;
        forget_parent(&mut row.peculiarities);
        row.peculiarities.push(INHERITED.to_owned());
        self.catalogue.constraints.push(row);
    }

    fn follow_column(&mut self, heir: u32, old: &ColumnRow, new: &ColumnRow) -> Reading<()> {
        let Ok(own) = self.column(heir, &old.name) else { return Ok(()) };
        if old.ty != new.ty {
            (own.ty, own.enumeration) = (new.ty.clone(), new.enumeration.clone());
        }
        if old.expression != new.expression && own.generated.is_none() {
            own.expression.clone_from(&new.expression);
        }
        if old.required != new.required {
            own.required = new.required;
        }
        for word in ["statistics", "storage"] {
            let now = word_of(&new.peculiarities, word);
            if word_of(&old.peculiarities, word) != now {
                own.peculiarities.retain(|one| one.split(' ').next() != Some(word));
                own.peculiarities.extend(now.cloned());
            }
        }
        if old.name != new.name { self.rename_column(heir, &old.name, &new.name) } else { Ok(()) }
    }

    /// Whether a parent of a table has a column of this name.
    fn has_of_parent(&self, oid: u32, column: &str) -> bool {
        self.parents.get(&oid).into_iter().flatten().any(|parent| self.number(*parent, column).is_some())
    }

    fn has_check_of_parent(&self, oid: u32, name: &str) -> bool {
        self.parents.get(&oid).into_iter().flatten().any(|parent| self.check(*parent, name).is_some())
    }

    fn lose_column(&mut self, heir: u32, name: &str) -> Reading<()> {
        if self.has_of_parent(heir, name) {
            return Ok(());
        }
        let Ok(own) = self.column(heir, name) else { return Ok(()) };
        if is_inherited(&own.peculiarities) {
            return self.drop_column(heir, name, false);
        }
        forget_parent(&mut own.peculiarities);
        Ok(())
    }

    fn lose_check(&mut self, heir: u32, name: &str) {
        let found = self.check(heir, name).filter(|_| !self.has_check_of_parent(heir, name));
        let Some(at) = found else { return };
        if is_inherited(&self.catalogue.constraints[at].peculiarities) {
            self.drop_constraint(at);
        } else {
            forget_parent(&mut self.catalogue.constraints[at].peculiarities);
        }
    }

    fn check(&self, oid: u32, name: &str) -> Option<usize> {
        let is_it = |row: &ConstraintRow| row.table == oid && row.kind == 'c' && row.name == name;
        self.catalogue.constraints.iter().position(is_it)
    }
}
