//! What differs from provider to provider: a closed set, an exhaustive `match` at this door, a folder for each.
//!
//! [`Dialect::lower`] turns a logical schema into a physical one, a dialect's own `introspect` reads the rows of the
//! provider's catalogue, [`Dialect::alteration`] says what can be changed in place, [`Dialect::render`] writes a step as SQL.
//!
//! Must not: decide an order ([`crate::plan`]) or what differs ([`crate::diff`]).

mod absorb;
mod aliases;
mod altering;
mod counting;
mod facts;
mod inclusion;
mod keeping;
mod lift;
mod lowering;
pub mod mariadb;
mod misfits;
mod naming;
mod origin;
pub mod others;
mod places;
pub mod postgres;
mod quoting;
mod reading;
mod rowing;
pub mod sqlite;

pub use absorb::{absorbed, adopted};
pub use facts::{Altering, Facts, IdentifierLimit};
pub use inclusion::Inclusion;
pub use lift::{Lifted, lift};
pub use mariadb::Flavor;
pub use misfits::Misfits;
pub use naming::{NameKind, derived_name};
pub use origin::Origins;
pub use reading::{PassedOver, SqlMistake, SqlRead};

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};

use crate::diff::{TableAlteration, Wording};
use crate::physical;
use crate::plan::{Alteration, Blocks, Burden, Placement, Question, Step};
use crate::schema::{Fault, Provider, Schema};
use crate::sql::{Bodies, Expression, Syntax};

/// The SQL dialects this program writes.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Dialect {
    /// SQLite.
    Sqlite,
    /// PostgreSQL.
    Postgres,
    /// MariaDB or MySQL.
    Mariadb(Flavor),
}

/// A physical schema and what is worth a warning about it.
#[derive(Debug)]
pub struct Lowered {
    /// What the provider will store.
    pub schema: physical::Schema,
    /// Warnings.
    pub warnings: Vec<Fault>,
}

/// The lines around the steps of one transaction. A connection of the tool does the same in its own way.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Frame {
    /// Before the first step.
    pub begin: &'static str,
    /// After the last.
    pub end: &'static str,
}

impl Dialect {
    /// The dialect of a provider, if this version writes it.
    pub fn of(provider: Provider) -> Option<Self> {
        match provider {
            Provider::Sqlite => Some(Self::Sqlite),
            Provider::Postgres => Some(Self::Postgres),
            Provider::Mariadb => Some(Self::Mariadb(Flavor::Mariadb)),
            Provider::Mysql => Some(Self::Mariadb(Flavor::Mysql)),
            Provider::Sqlserver => None,
        }
    }

    /// The provider it is written for.
    pub fn provider(self) -> Provider {
        match self {
            Self::Sqlite => Provider::Sqlite,
            Self::Postgres => Provider::Postgres,
            Self::Mariadb(flavor) => flavor.provider(),
        }
    }

    /// What it can do.
    pub fn facts(self) -> Facts {
        match self {
            Self::Sqlite => sqlite::FACTS,
            Self::Postgres => postgres::FACTS,
            Self::Mariadb(Flavor::Mariadb) => mariadb::FACTS,
            Self::Mariadb(Flavor::Mysql) => mariadb::MYSQL,
        }
    }

    /// What the provider stores for a logical schema.
    ///
    /// # Errors
    ///
    /// Every fault, warnings among them, where the provider cannot express some item.
    pub fn lower(self, schema: &Schema) -> Result<Lowered, Vec<Fault>> {
        match self {
            Self::Sqlite => sqlite::lower::lower(schema),
            Self::Postgres => postgres::lower::lower(schema),
            Self::Mariadb(flavor) => mariadb::lower::lower(flavor, schema),
        }
    }

    fn lifting(self) -> Box<dyn lift::Lifting> {
        match self {
            Self::Sqlite => Box::new(sqlite::lift::Sqlite),
            Self::Postgres => Box::new(postgres::lift::Postgres),
            Self::Mariadb(flavor) => Box::new(mariadb::lift::Mariadb(flavor)),
        }
    }

    /// How the differences of one table can be made, where the provider may have to make it anew.
    pub fn alteration(self, alteration: &TableAlteration) -> Alteration {
        match self {
            Self::Sqlite => sqlite::alter::alteration(alteration),
            Self::Postgres | Self::Mariadb(_) => Alteration::Rebuild,
        }
    }

    /// The statements of a step, without their closing semicolons.
    pub fn render(self, step: &Step) -> Vec<String> {
        match self {
            Self::Sqlite => sqlite::render::render(step),
            Self::Postgres => postgres::render::render(step),
            Self::Mariadb(flavor) => mariadb::render::render(flavor, step),
        }
    }

    /// A generated statement that changes columns, with the descriptions they have where it would take them away: on MariaDB
    /// a change of a column states all of it. `found` gives a column's description by its quoted name.
    pub fn keeping_comments(self, sql: &str, found: impl FnMut(&str) -> Option<String>) -> String {
        match self {
            Self::Sqlite | Self::Postgres => sql.to_owned(),
            Self::Mariadb(_) => mariadb::commented::keeping_comments(sql, found),
        }
    }

    /// Whether a value is stored in the same way under both types.
    pub fn stores_alike(self, from: &physical::TypeName, to: &physical::TypeName) -> bool {
        match self {
            Self::Sqlite => sqlite::affinity::affinity(from) == sqlite::affinity::affinity(to),
            Self::Postgres => postgres::stores_alike(from, to),
            Self::Mariadb(_) => mariadb::stores_alike(from, to),
        }
    }

    /// The column through which a table numbers its rows without being told to.
    pub fn numbers_unasked(self, table: &physical::Table) -> Option<&str> {
        match self {
            Self::Sqlite => sqlite::rowid_alias(table),
            Self::Postgres | Self::Mariadb(_) => None,
        }
    }

    /// What becomes of values of a column, named in SQL, that gets another type without a conversion.
    pub fn misfits(self, from: &physical::TypeName, to: &physical::TypeName, column: &str) -> Misfits {
        match self {
            Self::Sqlite => sqlite::misfits(to, column),
            Self::Postgres => postgres::misfits::misfits(from, to, column),
            Self::Mariadb(flavor) => mariadb::misfits::misfits(flavor, from, to, column),
        }
    }

    /// A query that answers a question with two numbers: the rows it asks for, and all rows of the table.
    pub fn count(self, question: &Question) -> String {
        counting::count(self, question)
    }

    /// The collation by which the values of a column are compared, where it has one.
    pub fn collation(self, table: &physical::Table, column: &physical::Column) -> Option<String> {
        match self {
            // SQLite, "Datatypes In SQLite", "Collating Sequences".
            Self::Sqlite => Some(column.collation.clone().unwrap_or_else(|| "binary".to_owned())),
            Self::Postgres => Some(column.collation.clone().unwrap_or_else(|| "default".to_owned())),
            Self::Mariadb(_) => mariadb::collation(table, column),
        }
    }

    /// An SQL expression that is compared by a collation.
    pub fn collated(self, expression: &str, collation: &str) -> String {
        match self {
            Self::Sqlite => format!("{expression} collate {}", self.quote(collation)),
            Self::Postgres => format!("{expression} collate {}", postgres::quote::quote_collation(collation)),
            Self::Mariadb(_) => mariadb::collated(expression, collation),
        }
    }

    /// Whether an SQL expression is a literal, and so gives every row the same value, and a value.
    pub fn gives_a_value(self, expression: &str) -> bool {
        let expression = Expression::read(expression, self.syntax());
        expression.is_literal() && !expression.text().eq_ignore_ascii_case("null")
    }

    /// Whether a new column does not get the values of this default in the statement that adds it.
    pub fn fills_apart(self, default: &Expression) -> bool {
        matches!(self, Self::Mariadb(Flavor::Mysql)) && mariadb::alter::is_unsafe(default.text())
    }

    /// Whether a check that reads a column of this type has its table copied when any column of that gets a new name.
    pub(crate) fn copies_for_checks(self, ty: &physical::TypeName) -> bool {
        matches!(self, Self::Mariadb(_)) && mariadb::alter::copies_for_checks(ty)
    }

    /// The rules by which its SQL is read.
    pub fn syntax(self) -> Syntax {
        match self {
            Self::Sqlite => Syntax::PLAIN,
            Self::Postgres => postgres::SYNTAX,
            Self::Mariadb(_) => mariadb::SYNTAX,
        }
    }

    /// How its expressions are read, and what their stored forms depend on.
    pub fn wording(self) -> Wording {
        let kind: fn(&physical::TypeName) -> &'static str = match self {
            Self::Sqlite | Self::Postgres => |_| "",
            Self::Mariadb(_) => mariadb::alter::kind,
        };
        Wording { syntax: self.syntax(), kind }
    }

    /// Which of its statements hold others.
    pub fn bodies(self) -> Bodies {
        match self {
            Self::Sqlite => Bodies::Triggers,
            Self::Postgres => Bodies::Atomic,
            Self::Mariadb(_) => Bodies::Compound,
        }
    }

    /// Whether a statement of these first words, in lower case, begins, ends or leaves the transaction it is in.
    pub fn ends_transaction(self, words: &[String]) -> bool {
        let word = |at: usize| words.get(at).map_or("", String::as_str);
        let is_block = matches!(self, Self::Mariadb(_)) && mariadb::is_block(words);
        let general = matches!(word(0), "begin" | "commit" | "end" | "rollback" | "savepoint" | "release")
            || (word(0) == "start" && word(1) == "transaction");
        (general && !is_block)
            || match self {
                Self::Sqlite => sqlite::leaves_transaction(word(0), word(1)),
                Self::Postgres => matches!(word(0), "abort" | "prepare"),
                Self::Mariadb(_) => false,
            }
    }

    /// Whether a statement of these first words, in lower case, commits whatever was done before it.
    pub fn commits_by_itself(self, words: &[String]) -> bool {
        match self {
            Self::Sqlite | Self::Postgres => false,
            Self::Mariadb(_) => mariadb::commits_by_itself(words),
        }
    }

    /// What a script says around the steps of one transaction: before the first, and after the last.
    pub fn frame(self, steps: &[&Step]) -> Frame {
        match self {
            Self::Sqlite => sqlite::frame(steps),
            Self::Postgres => Frame { begin: "begin;\n", end: "commit;\n" },
            Self::Mariadb(_) => Frame { begin: "start transaction;\n", end: "commit;\n" },
        }
    }

    /// What a step costs those who use its table meanwhile, where that grows with the table. SQLite lets nobody else write
    /// for as long as a migration runs, so only what is written anew counts there.
    pub fn burdens(self, step: &Step) -> Vec<Burden> {
        let burdens = |part: &Step| match self {
            Self::Sqlite => match part {
                Step::RebuildTable(_) => vec![Burden::rewriting(part.table(), Blocks::Writes)],
                _ => Vec::new(),
            },
            Self::Postgres => postgres::burden::burdens(part),
            Self::Mariadb(flavor) => mariadb::burden::burdens(flavor, part),
        };
        Burden::at_once(step.parts().iter().flat_map(burdens))
    }

    /// Whether two steps in a row can be one statement: alterations of one kind, of one table.
    pub(crate) fn joins(self, step: &Step, next: &Step) -> bool {
        let can_join = |step: &Step| match self {
            Self::Sqlite => false,
            Self::Postgres => postgres::alter::can_join(step),
            Self::Mariadb(_) => mariadb::alter::can_join(step),
        };
        let is_one_kind = matches!(
            (step, next),
            (Step::AlterColumn { .. }, Step::AlterColumn { .. })
                | (Step::AddConstraint { .. }, Step::AddConstraint { .. })
        );
        is_one_kind && step.table() == next.table() && can_join(step) && can_join(next)
    }

    /// Where a step runs.
    pub fn placement(self, step: &Step) -> Placement {
        match self {
            Self::Sqlite => Placement::InTransaction,
            Self::Postgres => postgres::alter::placement(step),
            Self::Mariadb(_) => mariadb::alter::placement(step),
        }
    }

    /// Whether a column's change is one that no reference, check or computed column may look on at.
    pub fn disturbs(self, from: &physical::Column, to: &physical::Column) -> bool {
        match self {
            Self::Sqlite => true,
            Self::Postgres => postgres::alter::disturbs(from, to),
            Self::Mariadb(_) => mariadb::alter::disturbs(from, to),
        }
    }

    /// Columns that stay as they are declared and follow a change of their table, as they are stored before it: where a
    /// table gets another collation, those that have the table's keep the old one until they are told.
    pub fn following(self, from: &physical::Table, to: &physical::Table) -> Vec<physical::Column> {
        match self {
            Self::Sqlite | Self::Postgres => Vec::new(),
            Self::Mariadb(_) => mariadb::alter::following(from, to),
        }
    }

    /// Two schemas of which neither tells apart what the other takes for one thing: the sequence of a column.
    pub(crate) fn told_alike(
        self,
        from: physical::Schema,
        to: &physical::Schema,
    ) -> (physical::Schema, Cow<'_, physical::Schema>) {
        match self {
            Self::Sqlite | Self::Mariadb(_) => (from, Cow::Borrowed(to)),
            Self::Postgres => {
                let told = postgres::numbering::told_out(to, &from).map_or(Cow::Borrowed(to), Cow::Owned);
                (postgres::numbering::told_out(&from, to).unwrap_or(from), told)
            }
        }
    }

    /// The tables that take numbers from another one's sequence, and those they take them from, by their keys.
    pub(crate) fn numbered_by_another(self, tables: &[physical::Table]) -> BTreeMap<String, BTreeSet<String>> {
        match self {
            Self::Sqlite | Self::Mariadb(_) => BTreeMap::new(),
            Self::Postgres => postgres::numbering::numbered_by_another(tables),
        }
    }

    /// Of a table that follows its parents: how it is once those have changed, and what is still to be altered of it.
    pub(crate) fn as_parents_leave(
        self,
        schemas: [&physical::Schema; 2],
        tables: [&physical::Table; 2],
        alteration: Option<&TableAlteration>,
    ) -> Option<(physical::Table, Option<TableAlteration>)> {
        match self {
            Self::Sqlite | Self::Mariadb(_) => None,
            Self::Postgres => postgres::inheriting::as_parents_leave(schemas, tables, alteration),
        }
    }

    /// Whether a table is written to the log from now on, or not any more: it and what references it have to be alike
    /// (PostgreSQL 17, "CREATE TABLE", `UNLOGGED`; `tablecmds.c`, `ATPrepChangePersistence`).
    pub(crate) fn changes_persistence(self, from: &physical::Table, to: &physical::Table) -> bool {
        self == Self::Postgres && from.has_option("unlogged") != to.has_option("unlogged")
    }

    /// Whether a column comes from a parent of its table, and is renamed there.
    pub(crate) fn comes_of_parent(self, column: &physical::Column) -> bool {
        self == Self::Postgres && postgres::inheriting::comes_of_parent(column)
    }

    /// Whether a column is only there because a parent of its table has it.
    pub(crate) fn is_inherited(self, column: &physical::Column) -> bool {
        self == Self::Postgres && postgres::inheriting::is_inherited(&column.attributes)
    }

    /// Whether a check is there because a parent of its table has it, and comes and goes with that one.
    pub(crate) fn is_of_parent(self, check: &physical::Check) -> bool {
        self == Self::Postgres && postgres::inheriting::is_inherited(&check.attributes)
    }

    /// Whether a computed column becomes another one in place, with its values.
    pub fn keeps_computed(self, from: &physical::Column, to: &physical::Column) -> bool {
        match self {
            Self::Sqlite => false,
            Self::Postgres => postgres::alter::keeps_computed(from, to),
            Self::Mariadb(_) => mariadb::alter::keeps_computed(from, to),
        }
    }

    /// Whether a column that stays computed has to go, and come again as another type.
    pub(crate) fn computes_anew(self, from: &physical::Column, to: &physical::Column) -> bool {
        self == Self::Postgres && postgres::alter::computes_anew(from, to)
    }

    /// Whether a check that stays while a column of it gets another type says something else from then on.
    pub(crate) fn changes_checks(self, from: &physical::TypeName, to: &physical::TypeName) -> bool {
        matches!(self, Self::Mariadb(_)) && mariadb::alter::changes_checks(from, to)
    }

    /// A type that holds the values of both, where there is one: an enum with the words of two.
    pub fn holding_both(self, from: &physical::TypeName, to: &physical::TypeName) -> Option<physical::TypeName> {
        match self {
            Self::Sqlite | Self::Postgres => None,
            Self::Mariadb(_) => mariadb::alter::holding_both(from, to),
        }
    }

    /// Whether a column's type is an enum type of the provider.
    pub fn is_of_enum(self, ty: &physical::TypeName, name: &str) -> bool {
        match self {
            Self::Sqlite => false,
            Self::Postgres => postgres::alter::is_of_enum(ty, name),
            Self::Mariadb(_) => false,
        }
    }

    /// The statements that change an object in place; nothing where it has to be made anew.
    pub fn altered_object(self, from: &physical::Program, to: &physical::Program) -> Option<Vec<String>> {
        match self {
            Self::Postgres => postgres::forms::altered(from, to),
            Self::Sqlite | Self::Mariadb(_) => None,
        }
    }

    /// The statement that takes a routine's description from it; nothing where making it anew does.
    pub fn takes_description(self, routine: &physical::Program) -> Option<String> {
        match self {
            Self::Postgres => postgres::render::takes_description(routine),
            Self::Sqlite | Self::Mariadb(_) => None,
        }
    }

    /// The words that a column of a type may hold, each as a literal, where it is an enum with a type of its own.
    pub fn enum_words(self, schema: &physical::Schema, ty: &physical::TypeName) -> Option<Vec<String>> {
        match self {
            Self::Sqlite => None,
            Self::Postgres => {
                let found = schema.enums().find(|one| postgres::alter::is_of_enum(ty, &one.name));
                found.map(|one| one.words.iter().map(|word| self.literal(word)).collect())
            }
            Self::Mariadb(_) => mariadb::alter::words(ty),
        }
    }

    /// Queries that find reference rows: for each one that is there its number, and for each of its columns whether it has the
    /// declared value (1 or 0) and its value as text.
    pub fn row_queries(self, set: &physical::RowSet) -> Vec<String> {
        rowing::find(set, self.quoting(), |column, value| match self {
            Self::Sqlite => format!("{column} is {value}, cast({column} as text)"),
            Self::Postgres => format!("({column} is not distinct from {value})::int, {column}::text"),
            Self::Mariadb(_) => format!("{column} <=> {value}, cast({column} as char)"),
        })
    }

    /// A text as an SQL literal.
    pub fn literal(self, text: &str) -> String {
        match self {
            Self::Sqlite => sqlite::quote::literal(text),
            Self::Postgres => postgres::quote::literal(text),
            Self::Mariadb(_) => mariadb::quote::literal(text),
        }
    }

    fn quoting(self) -> quoting::Quoting {
        match self {
            Self::Sqlite => sqlite::quote::QUOTING,
            Self::Postgres => postgres::quote::QUOTING,
            Self::Mariadb(_) => mariadb::quote::QUOTING,
        }
    }

    /// The name of a table, type or the like as SQL text, with its namespace where it says one.
    pub fn quote_object(self, name: &str) -> String {
        self.quoting().object(name)
    }

    /// A name of anything else as SQL text, quoted where it has to be.
    pub fn quote(self, name: &str) -> String {
        match self {
            Self::Sqlite => sqlite::quote::quote(name),
            Self::Postgres => postgres::quote::quote(name),
            Self::Mariadb(_) => mariadb::quote::quote(name),
        }
    }
}
