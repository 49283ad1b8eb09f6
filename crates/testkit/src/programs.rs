//! Views and triggers over the tables of a random schema.

use std::hash::{DefaultHasher, Hash, Hasher};

use hollow_oak_core::Dialect;
use hollow_oak_core::schema::{Column, Identifier, Program, ProgramKind, Schema, Scope, Table};

use crate::generate::valid;

/// The schema with views over some of its tables, views over some of these, and triggers.
///
/// Which tables and columns they read follows from the seed and from what these were called first, so that the programs of
/// a schema and of one that came from it by edits are the same but for what the edits ask for.
pub fn with_programs(schema: Schema, dialect: Dialect, seed: u64) -> Schema {
    let mut parts = schema.clone().into_parts();
    let readers: Vec<Reader<'_>> = parts.tables.iter().map(|table| Reader::new(table, dialect, seed)).collect();
    let views = readers.iter().flat_map(Reader::views);
    let triggers = readers.iter().flat_map(|reader| reader.triggers(&parts.tables));
    let programs: Vec<Program> = views.chain(triggers).collect();
    parts.programs.extend(programs);
    // A name may be too long for one more.
    valid(parts, dialect).map_or(schema, |(schema, _)| schema)
}

/// What was there before any edit.
fn first(name: &Identifier, formerly: Option<&Identifier>) -> String {
    formerly.unwrap_or(name).as_str().to_lowercase()
}

/// What reads a table.
struct Reader<'a> {
    table: &'a Table,
    dialect: Dialect,
    seed: u64,
    root: String,
}

impl<'a> Reader<'a> {
    fn new(table: &'a Table, dialect: Dialect, seed: u64) -> Self {
        Self { table, dialect, seed, root: first(&table.name, table.formerly.as_ref()) }
    }

    fn chance(&self, of: &str) -> u64 {
        let mut hasher = DefaultHasher::new();
        (self.seed, &self.root, of).hash(&mut hasher);
        hasher.finish()
    }

    /// The columns that are read, quoted; others for each kind of reader.
    fn columns(&self, kind: &str) -> Vec<String> {
        let name = |column: &Column| first(&column.name, column.formerly.as_ref());
        let is_read = |column: &&Column| self.chance(&format!("{kind}{}", name(column))).is_multiple_of(2);
        let read = self.table.columns.iter().filter(is_read).map(|column| column.name.as_str());
        read.map(|name| match self.dialect {
            // As SQLite words them in a trigger once they were called otherwise.
            Dialect::Sqlite => format!("\"{}\"", name.replace('"', "\"\"")),
            _ => self.dialect.quote(name),
        })
        .collect()
    }

    fn source(&self, table: &Table) -> String {
        let parts = [table.name.namespace(), Some(table.name.base())];
        let parts: Vec<String> = parts.into_iter().flatten().map(|part| self.dialect.quote(part)).collect();
        parts.join(".")
    }

    fn views(&self) -> Vec<Program> {
        let columns = self.columns("");
        let Some(condition) = columns.first().filter(|_| !self.chance("view").is_multiple_of(3)) else {
            return Vec::new();
        };
        let name = format!("seen {}", self.chance("name") % 1000);
        let source = self.source(self.table);
        let body = format!("select {} from {source} where {condition} is not null", columns.join(", "));
        let over = format!("select {condition} from {}", self.dialect.quote(&name));
        let mut views = vec![program(ProgramKind::View, &name, body)];
        if self.chance("over").is_multiple_of(2) {
            views.push(program(ProgramKind::View, &format!("{name} again"), over));
        }
        views
    }

    fn triggers(&self, tables: &[Table]) -> Vec<Program> {
        let columns = self.columns("trigger ");
        let Some(column) = columns.first().filter(|_| self.chance("trigger").is_multiple_of(3)) else {
            return Vec::new();
        };
        let name = format!("guard {}", self.chance("guard") % 100_000);
        let (quoted, source) = (self.dialect.quote(&name), self.source(self.table));
        let moment = if self.chance("moment").is_multiple_of(2) { "before" } else { "after" };
        let (event, row) = match self.chance("event") % 3 {
            0 => ("insert", "new"),
            1 => ("update", "new"),
            _ => ("delete", "old"),
        };
        // Looked at by some, beside their own table.
        let other = tables
            .iter()
            .min_by_key(|other| self.chance(&format!("other {}", first(&other.name, other.formerly.as_ref()))));
        let other = other.filter(|_| self.chance("looks").is_multiple_of(2)).map(|other| self.source(other));
        let of_columns = if event == "update" { format!(" of {}", columns.join(", ")) } else { String::new() };
        let mut programs = Vec::new();
        let body = match self.dialect {
            Dialect::Sqlite => {
                let values = columns.iter().map(|column| format!("{row}.{column}")).collect::<Vec<_>>().join(", ");
                let looking = other.map(|other| format!("\n    select count(*) from {other};")).unwrap_or_default();
                format!(
                    "create trigger {quoted} {moment} {event}{of_columns} on {source} begin\n    select {values};{looking}\nend"
                )
            }
            Dialect::Mariadb(_) => {
                let looking = other.map(|other| format!("select count(*) from {other}"));
                let value = looking.unwrap_or(format!("{row}.{column} is null"));
                // As the server words it once the table was called otherwise.
                let source = format!("`{}`", self.table.name.as_str().replace('`', "``"));
                format!(
                    "create trigger {quoted} {moment} {event} ON {source} for each row\nset @seen = coalesce({row}.{column} is null, ({value}))"
                )
            }
            Dialect::Postgres => {
                let routine = format!("watch {}", self.chance("guard") % 100_000);
                let called = format!("{}()", self.dialect.quote(&routine));
                let body = format!(
                    "create function {called} returns trigger language plpgsql as $$\nbegin\n    if tg_op = 'DELETE' then return old; end if;\n    return new;\nend\n$$"
                );
                let drop = Some(format!("drop function {called}"));
                programs.push(Program { drop, ..self.own(ProgramKind::Routine, &routine, body) });
                format!(
                    "create trigger {quoted} after {event}{of_columns} on {source} for each row when ({row}.{column} is not null) execute function {called}"
                )
            }
        };
        let table = Some(self.table.name.clone());
        programs.push(Program { table, ..self.own(ProgramKind::Trigger, &name, body) });
        programs
    }

    /// A program in the words of one provider.
    fn own(&self, kind: ProgramKind, name: &str, body: String) -> Program {
        let scope = Scope::For(self.dialect.provider().into());
        Program { scope, ..program(kind, name, body) }
    }
}

fn program(kind: ProgramKind, name: &str, body: String) -> Program {
    Program {
        kind,
        word: None,
        name: name.into(),
        table: None,
        body,
        form: None,
        drop: None,
        after: Vec::new(),
        about: None,
        scope: Scope::All,
    }
}
