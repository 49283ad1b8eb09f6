//! Reads the SQL of a schema into the rows that `information_schema` would have (MariaDB, "CREATE TABLE"; MySQL 8.4, the
//! same).

mod alter;
mod create;
mod events;
mod indexes;
mod partitions;
mod stored;
mod tables;

pub use stored::in_own_literals;

use std::collections::BTreeSet;

use super::Flavor;
use super::catalogue::{Catalogue, ColumnRow, PartRow, TableRow, introspect};
use crate::Span;
use crate::dialect::places::Places;
use crate::dialect::reading::{Missing, OrStop, Read, Statements, Stop, blanked};
use crate::physical::Introspected;
use crate::sql::Cursor;
use indexes::{FOR_REFERENCE, same};
pub(super) use partitions::in_words_of_catalogue;
pub use partitions::told as partitioning;
use stored::UsualCollations;

type Reading<T> = Result<T, Stop>;

/// Words that a type can have behind its first.
const TYPE_WORDS: [&str; 12] = [
    "unsigned",
    "signed",
    "zerofill",
    "precision",
    "varying",
    "byte",
    "ascii",
    "unicode",
    "compressed",
    "varchar",
    "varbinary",
    "char",
];

/// Words that begin a clause of a column, and so end its type and its default.
const CLAUSES: [&str; 25] = [
    "without",
    "not",
    "null",
    "default",
    "auto_increment",
    "unique",
    "primary",
    "key",
    "comment",
    "references",
    "check",
    "constraint",
    "generated",
    "as",
    "on",
    "character",
    "charset",
    "collate",
    "invisible",
    "srid",
    "after",
    "first",
    "stored",
    "virtual",
    "binary",
];

/// By this a default is told from a value (MySQL 8.4, "The INFORMATION_SCHEMA COLUMNS Table", EXTRA).
const EXPRESSION: &str = "default_generated";

/// The text without what only the servers' dumper writes: comments that only some versions take for comments
/// (MariaDB, "Comment Syntax").
pub(in crate::dialect) fn plain(source: &str) -> String {
    let mut stretches = Vec::new();
    let mut at = 0;
    let opens = |text: &str| [text.find("/*!"), text.find("/*M!")].into_iter().flatten().min();
    while let Some(found) = opens(&source[at..]) {
        let start = at + found;
        let Some(length) = source[start..].find("*/") else { break };
        let end = start + length;
        at = end + 2;
        // What stands in `/*M! … */` is for MariaDB alone (MariaDB, "Comment Syntax").
        let inside = &source[start + 2..end];
        let told = inside.trim_start_matches('M').trim_start_matches('!');
        let digits = told.bytes().take_while(u8::is_ascii_digit).count();
        let is_of_no_version = told[..digits].parse::<u32>().is_ok_and(|version| version >= 999_999);
        if !is_of_no_version {
            stretches.push(Span::new(start, end - told.len() + digits));
            stretches.push(Span::new(end, end + 2));
        }
    }
    // At the end of a line a backslash means nothing to the servers' client.
    stretches.extend(source.match_indices("\\\n").map(|(at, _)| Span::new(at, at + 1)));
    blanked(source, &stretches)
}

/// What has been read so far.
pub(in crate::dialect) struct Reader {
    flavor: Flavor,
    usual: UsualCollations,
    catalogue: Catalogue,
    /// Character sets of columns and tables are looked up by it at the end.
    made: Vec<Made>,
    /// Triggers, those of one table and moment in the order in which they fire.
    fires: Vec<Fires>,
    /// Tables and sequences of the session that runs the file.
    temporary: BTreeSet<String>,
    /// Where tables stand, by name, and the columns of each.
    places: Places<String>,
    column_places: Places<String>,
}

/// A trigger, and when it fires.
struct Fires {
    table: String,
    /// `before insert`
    moment: String,
    name: String,
    body: String,
}

/// An index of a table, before it is known which others there are.
#[derive(Clone)]
struct Made {
    table: String,
    name: Option<String>,
    kind: Kind,
    parts: Vec<PartRow>,
}

impl Made {
    /// Whether it is only there because a reference needs one.
    fn is_for_reference(&self) -> bool {
        self.parts.iter().any(|part| part.peculiarities == [FOR_REFERENCE])
    }

    /// Whether a reference that needs another index can do with this one.
    fn serves(&self, needed: &Self) -> bool {
        let begins_so = |(own, other): (&PartRow, &PartRow)| same(&own.column, &other.column) && own.prefix.is_none();
        self.table == needed.table
            && self.parts.len() >= needed.parts.len()
            && self.parts.iter().zip(&needed.parts).all(begins_so)
            && self.parts.iter().all(|part| matches!(part.method.as_str(), "BTREE" | ""))
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Kind {
    Primary,
    Unique,
    Plain,
}

impl Statements for Reader {
    fn statement(&mut self, cursor: &mut Cursor<'_>, sql: &str) -> Reading<Read> {
        let word = cursor.peek().to_ascii_lowercase();
        match word.as_str() {
            "create" => self.create(cursor, sql),
            "alter" => self.alter(cursor, sql),
            "set" | "use" | "begin" | "commit" | "start" | "lock" | "unlock" | "analyze" | "optimize" | "check"
            | "repair" | "checksum" | "show" | "describe" | "desc" | "explain" | "savepoint" | "release" | "reset"
            | "kill" | "prepare" | "deallocate" => Ok(Read::Nothing),
            // Where a sequence stands, as dumpers say it.
            "do" | "select" if cursor.ahead(1).eq_ignore_ascii_case("setval") => Ok(Read::Nothing),
            "insert" | "replace" | "update" | "delete" | "select" | "with" | "truncate" | "call" | "grant"
            | "revoke" | "flush" | "load" | "install" | "uninstall" | "binlog" | "purge" | "change" | "handler"
            | "signal" | "xa" => Ok(Read::PassedOver),
            // What was put together as a text.
            "execute" => Ok(Read::Unread),
            "drop" if cursor.ahead(1).eq_ignore_ascii_case("prepare") => Ok(Read::Nothing),
            "drop" => self.drop(cursor),
            "rename" => self.rename_tables(cursor),
            // Where the numbers of a sequence stand.
            "do" => Ok(Read::PassedOver),
            _ => Err(Stop::Here),
        }
    }

    fn finish(mut self: Box<Self>) -> Result<Introspected, Missing> {
        self.settle_nulls();
        self.settle_references();
        self.settle_methods();
        self.name_indexes();
        self.settle_triggers();
        self.settle_sequences();
        Ok(introspect(self.flavor, self.catalogue))
    }
}

impl Reader {
    /// A reader for one of the two, of this version at least.
    pub(in crate::dialect) fn new(flavor: Flavor, least: &[u32]) -> Self {
        let usual = UsualCollations::of(flavor, least);
        let (made, fires) = (Vec::new(), Vec::new());
        let [places, column_places] = [Places::default(), Places::default()];
        let (catalogue, temporary) = (Catalogue::default(), BTreeSet::new());
        Self { flavor, usual, catalogue, made, fires, temporary, places, column_places }
    }

    // ---- names --------------------------------------------------------------------------------------------------

    fn relation(cursor: &mut Cursor<'_>) -> Reading<String> {
        let name = cursor.name().here()?;
        if cursor.eat(".") {
            return Err(Stop::Because(format!("`{name}` is another database")));
        }
        Ok(name)
    }

    fn has(&self, table: &str) -> bool {
        self.table_at(table).is_some()
    }

    fn table_at(&self, table: &str) -> Option<usize> {
        self.places.find(&self.catalogue.tables, table, |row| row.name == table, |_| true)
    }

    fn table(&self, cursor: &mut Cursor<'_>) -> Reading<String> {
        let start = cursor.at();
        let name = Self::relation(cursor)?;
        match self.has(&name) {
            true => Ok(name),
            false => {
                cursor.go_to(start);
                Err(Stop::Because(format!("there is no table `{name}` before this")))
            }
        }
    }

    fn table_row(&mut self, table: &str) -> Option<&mut TableRow> {
        self.table_at(table).map(|at| &mut self.catalogue.tables[at])
    }

    fn column(&mut self, table: &str, name: &str) -> Reading<&mut ColumnRow> {
        match self.column_at(table, name) {
            Some(at) => Ok(&mut self.catalogue.columns[at]),
            None => Err(Stop::Because(format!("there is no column `{name}` in `{table}`"))),
        }
    }

    fn column_at(&self, table: &str, name: &str) -> Option<usize> {
        let is_it = |row: &ColumnRow| row.name.eq_ignore_ascii_case(name);
        self.column_places.find(&self.catalogue.columns, table, |row| row.table == table, is_it)
    }
}

/// A text literal's value. In double quotes it is one as well, as the server is set by itself (MariaDB, "SQL_MODE",
/// ANSI_QUOTES; MySQL, the same).
fn text_of(cursor: &mut Cursor<'_>) -> Option<String> {
    if cursor.peek().starts_with('"') { cursor.name() } else { cursor.text() }
}
