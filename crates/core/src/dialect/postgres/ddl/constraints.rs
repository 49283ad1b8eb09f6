//! Keys, references, checks and exclusions in a file.

use super::{Pending, Reader, Reading, USUAL_PLACE, labels, parameters};
use crate::dialect::postgres::SYNTAX;
use crate::dialect::postgres::attributes::{PERIOD, WITHOUT_OVERLAPS};
use crate::dialect::postgres::catalogue::{ConstraintRow, OtherRow};
use crate::dialect::postgres::inheriting::{ALSO_INHERITED, INHERITED};
use crate::dialect::postgres::quote::{quote, quote_object};
use crate::dialect::reading::{OrStop, Stop};
use crate::physical::ObjectKind;
use crate::sql::{Cursor, Expression, unquote};

impl Reader {
    pub(super) fn table_constraint(&mut self, cursor: &mut Cursor<'_>, oid: u32) -> Reading<()> {
        let named = if cursor.eat("constraint") { Some(cursor.name().here()?) } else { None };
        self.constraint(cursor, oid, named, None)
    }

    /// A constraint of the table, or of one column.
    pub(super) fn constraint(
        &mut self,
        cursor: &mut Cursor<'_>,
        oid: u32,
        named: Option<String>,
        own: Option<&[String]>,
    ) -> Reading<()> {
        let mut row = ConstraintRow { table: oid, on_delete: 'a', on_update: 'a', ..ConstraintRow::default() };
        let start = cursor.at();
        if cursor.is("exclude") {
            return self.exclusion(cursor, oid, named);
        }
        if cursor.eat_all(&["not", "null"]) {
            let column = cursor.name().here()?;
            return self.not_null(cursor, oid, named, &column);
        }
        if cursor.are(&["unique", "using"]) || cursor.are(&["primary", "key", "using"]) {
            return self.constraint_by_index(cursor, oid, named);
        }
        if cursor.eat("check") {
            row.kind = 'c';
            row.expression = Some(self.expression(cursor.parenthesised().here()?));
            let read = Expression::read(row.expression.as_deref().unwrap_or_default(), SYNTAX);
            let own = self.columns.get(&oid).cloned().unwrap_or_default();
            let mentioned: Vec<&String> = own.iter().filter(|name| read.mentions(name)).collect();
            let label = if let [one] = mentioned[..] { one.clone() } else { String::new() };
            row.name = named.unwrap_or_else(|| self.choose(oid, &label, "check"));
        } else {
            let is_primary = cursor.eat_all(&["primary", "key"]);
            let is_reference = !is_primary && (cursor.eat_all(&["foreign", "key"]) || cursor.is("references"));
            row.kind = if is_primary {
                'p'
            } else if is_reference {
                'f'
            } else {
                'u'
            };
            if row.kind == 'u' {
                cursor.expect("unique").here()?;
                if cursor.eat_all(&["nulls", "not", "distinct"]) {
                    row.peculiarities.push("nulls not distinct".into());
                }
                cursor.eat_all(&["nulls", "distinct"]);
            }
            let columns = match own {
                Some(own) => own.to_vec(),
                None => self.columns_of_range(cursor, &mut row)?,
            };
            row.columns = self.numbers(oid, &columns)?;
            // Those that are only carried along are in the name, too.
            let mut named_after = columns.clone();
            let start = cursor.at();
            if row.kind == 'u' && own.is_none() && cursor.eat("include") {
                named_after.extend(cursor.names().here()?);
            }
            cursor.go_to(start);
            let label = labels::joined(named_after);
            row.name = named.unwrap_or_else(|| match row.kind {
                'p' => self.choose(oid, "", "pkey"),
                'u' => self.choose(oid, &label, "key"),
                _ => self.choose(oid, &label, "fkey"),
            });
            if is_primary && !self.key_of(oid).is_empty() {
                return Err(Stop::Because(format!("`{}` has a primary key already", self.table_name(oid))));
            }
            if is_primary {
                for column in &columns {
                    self.column(oid, column)?.required = true;
                }
            }
            if is_reference {
                cursor.expect("references").here()?;
                let table = self.made_relation(cursor)?;
                let columns = match cursor.is("(") {
                    true => self.columns_of_range(cursor, &mut row)?,
                    false => Vec::new(),
                };
                self.pending.push(Pending { constraint: self.catalogue.constraints.len(), table, columns });
            }
        }
        self.constraint_options(cursor, &mut row, own.is_some())?;
        if row.kind == 'c' {
            // One that is inherited by this name, too, is one with it (PostgreSQL 17, "CREATE TABLE", INHERITS).
            let is_inherited = |other: &ConstraintRow| {
                other.table == oid && other.name == row.name && other.peculiarities.iter().any(|one| one == INHERITED)
            };
            let rules = self.catalogue.constraints.len();
            self.catalogue.constraints.retain(|other| !is_inherited(other));
            row.peculiarities.extend((self.catalogue.constraints.len() < rules).then(|| ALSO_INHERITED.to_owned()));
        }
        if self.catalogue.constraints.iter().any(|other| other.table == oid && other.name == row.name) {
            let table = self.table_name(oid);
            return Err(Stop::Because(format!("`{table}` has a constraint `{}` already", row.name)));
        }
        row.definition = cursor.between(start, cursor.at()).to_owned();
        if let Some([column]) = own
            && row.kind == 'f'
        {
            row.definition.insert_str(0, &format!("foreign key ({}) ", quote(column)));
        }
        self.catalogue.constraints.push(row);
        Ok(())
    }

    /// What stands behind `not null`: where a column needs values for new rows only, or in its own table only, that is a
    /// constraint beside it (PostgreSQL 18, "CREATE TABLE"). What one is called is nobody's concern before that version.
    pub(super) fn not_null(
        &mut self,
        cursor: &mut Cursor<'_>,
        oid: u32,
        named: Option<String>,
        column: &str,
    ) -> Reading<()> {
        let mut rest = String::new();
        loop {
            if cursor.eat_all(&["no", "inherit"]) {
                rest.push_str(" NO INHERIT");
            } else if cursor.eat_all(&["not", "valid"]) {
                rest.push_str(" NOT VALID");
            } else {
                break;
            }
        }
        if rest.is_empty() {
            self.column(oid, column)?.required = true;
            return Ok(());
        }
        let name = named.unwrap_or_else(|| self.choose(oid, column, "not_null"));
        self.add_beside(oid, &name, &format!("NOT NULL {}{rest}", quote(column)));
        Ok(())
    }

    /// A constraint that the model has no place for in its table, and stands beside it.
    fn add_beside(&mut self, oid: u32, name: &str, definition: &str) {
        let table = self.table_name(oid);
        let (alter, quoted) = (format!("alter table {}", quote_object(&table)), quote(name));
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Constraint,
            sql: format!("{alter} add constraint {quoted} {definition}"),
            drop: format!("{alter} drop constraint {quoted}"),
            name: format!("{name} on {table}"),
            table: None,
            after: vec![table],
            comment: None,
        });
    }

    /// `validate constraint` of one that is `not null … not valid`: from then on the column itself says so. Whether it is one.
    pub(super) fn validate_not_null(&mut self, oid: u32, name: &str) -> Reading<bool> {
        let name = format!("{name} on {}", self.table_name(oid));
        let mut rows = self.catalogue.others.iter();
        let found = rows.position(|row| row.kind == ObjectKind::Constraint && row.name == name);
        let Some((at, (before, column))) = found.and_then(|at| {
            let rest = self.catalogue.others[at].sql.strip_suffix(" NOT VALID")?;
            Some((at, rest.rsplit_once(" NOT NULL ")?))
        }) else {
            return Ok(false);
        };
        match column.strip_suffix(" NO INHERIT") {
            Some(_) => self.catalogue.others[at].sql = format!("{before} NOT NULL {column}"),
            None => {
                let column = unquote(column);
                self.catalogue.others.remove(at);
                self.column(oid, &column)?.required = true;
            }
        }
        Ok(true)
    }

    /// Drops an exclusion, or a `not null` that stands beside its column; whether there is one.
    pub(super) fn drop_beside(&mut self, oid: u32, name: &str) -> bool {
        let name = format!("{name} on {}", self.table_name(oid));
        let rows = self.catalogue.others.len();
        self.catalogue.others.retain(|row| row.kind != ObjectKind::Constraint || row.name != name);
        self.catalogue.others.len() < rows
    }

    /// Columns in parentheses, of which the last may be a range: `(id, valid without overlaps)`, `(id, period valid)`.
    fn columns_of_range(&mut self, cursor: &mut Cursor<'_>, row: &mut ConstraintRow) -> Reading<Vec<String>> {
        let mut inside = Cursor::new(cursor.parenthesised().here()?, SYNTAX);
        let mut columns = Vec::new();
        let mut range = None;
        loop {
            let start = inside.at();
            if inside.eat("period") {
                // A column may be called so.
                match inside.is(",") || inside.is_at_end() || inside.is("without") {
                    true => inside.go_to(start),
                    false => range = Some(PERIOD),
                }
            }
            columns.push(inside.name().here()?);
            if inside.eat_all(&["without", "overlaps"]) {
                range = Some(WITHOUT_OVERLAPS);
            }
            if !inside.eat(",") {
                break;
            }
        }
        inside.is_at_end().then_some(()).here()?;
        let word = range.map(str::to_owned).filter(|word| !row.peculiarities.contains(word));
        row.peculiarities.extend(word);
        Ok(columns)
    }

    /// `primary key using index NAME`: the index becomes the key's (PostgreSQL 17, "ALTER TABLE").
    fn constraint_by_index(&mut self, cursor: &mut Cursor<'_>, oid: u32, named: Option<String>) -> Reading<()> {
        let start = cursor.at();
        cursor.skip();
        cursor.eat("key");
        let mut says = cursor.between(start, cursor.at()).to_owned();
        cursor.eat_all(&["using", "index"]).then_some(()).here()?;
        let start = cursor.at();
        let name = cursor.name().here()?;
        let found = self.catalogue.indexes.iter().position(|row| row.table == oid && row.name == name);
        let Some(at) = found else {
            cursor.go_to(start);
            return Err(Stop::Because(format!("`{}` has no index `{name}` before this", self.table_name(oid))));
        };
        let index = self.catalogue.indexes.remove(at);
        let (not_distinct, peculiarities) =
            index.peculiarities.into_iter().partition::<Vec<_>, _>(|one| one == "nulls not distinct");
        not_distinct.iter().for_each(|one| says.push_str(&format!(" {one}")));
        let names = self.columns.get(&oid).here()?;
        let column = |number: &i16| names.get(usize::try_from(*number).ok()?.checked_sub(1)?).map(|name| quote(name));
        let columns: Vec<String> = index.columns.iter().filter_map(column).collect();
        let (key, carried) = columns.split_at_checked(usize::try_from(index.key_columns).unwrap_or(0)).here()?;
        says.push_str(&format!(" ({})", key.join(", ")));
        if !carried.is_empty() {
            says.push_str(&format!(" include ({})", carried.join(", ")));
        }
        self.constraint(&mut Cursor::new(&says, SYNTAX), oid, Some(named.unwrap_or(name)), None)?;
        let mut row = self.catalogue.constraints.pop().here()?;
        row.peculiarities.extend(peculiarities);
        self.constraint_options(cursor, &mut row, false)?;
        self.catalogue.constraints.push(row);
        Ok(())
    }

    pub(super) fn constraint_options(
        &mut self,
        cursor: &mut Cursor<'_>,
        row: &mut ConstraintRow,
        of_column: bool,
    ) -> Reading<()> {
        loop {
            if cursor.eat("on") {
                let is_delete = cursor.is("delete");
                cursor.skip();
                let code = action(cursor).here()?;
                if is_delete {
                    row.on_delete = code;
                    if cursor.is("(") {
                        let columns = cursor.names().here()?;
                        self.numbers(row.table, &columns)?;
                        let list: Vec<_> = columns.iter().map(|name| quote(name)).collect();
                        row.peculiarities.push(format!("on delete of columns ({})", list.join(", ")));
                    }
                } else {
                    row.on_update = code;
                }
            } else if cursor.eat("match") {
                if cursor.name().here()? == "full" {
                    row.peculiarities.push("match full".into());
                }
            } else if cursor.eat_all(&["not", "valid"]) {
                row.peculiarities.push("not valid".into());
            } else if cursor.eat_all(&["no", "inherit"]) {
                row.peculiarities.push("no inherit".into());
            } else if cursor.eat_all(&["not", "enforced"]) {
                row.peculiarities.push("not enforced".into());
            } else if cursor.eat_all(&["not", "deferrable"])
                || cursor.eat_all(&["initially", "immediate"])
                || cursor.eat("enforced")
            {
            } else if cursor.eat("deferrable") {
                row.deferrable = true;
            } else if cursor.eat_all(&["initially", "deferred"]) {
                row.deferrable = true;
                row.deferred = true;
            } else if !of_column && cursor.eat("include") {
                let columns: Vec<_> = cursor.names().here()?.iter().map(|name| quote(name)).collect();
                row.peculiarities.push(format!("include ({})", columns.join(", ")));
            } else if cursor.is("with") && cursor.ahead(1) == "(" {
                cursor.skip();
                row.peculiarities.extend(parameters(cursor.parenthesised().here()?));
            } else if cursor.eat_all(&["using", "index", "tablespace"]) {
                let place = Some(cursor.name().here()?).filter(|place| place != USUAL_PLACE);
                row.peculiarities.extend(place.map(|place| format!("using index tablespace {place}")));
            } else {
                return Ok(());
            }
        }
    }

    pub(super) fn exclusion(&mut self, cursor: &mut Cursor<'_>, oid: u32, named: Option<String>) -> Reading<()> {
        let definition = cursor.until(|cursor| matches!(cursor.peek(), "," | ")")).here()?;
        let name = named.unwrap_or_else(|| self.choose(oid, &labels::of_exclusion(definition), "excl"));
        self.add_beside(oid, &name, definition);
        Ok(())
    }
}

fn action(cursor: &mut Cursor<'_>) -> Option<char> {
    let word = cursor.name()?;
    Some(match word.as_str() {
        "cascade" => 'c',
        "restrict" => 'r',
        "no" => {
            cursor.expect("action")?;
            'a'
        }
        "set" if cursor.eat("null") => 'n',
        "set" => {
            cursor.expect("default")?;
            'd'
        }
        _ => return None,
    })
}
