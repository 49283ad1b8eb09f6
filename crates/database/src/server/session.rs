//! One connection to a server, as the rest needs it.

use std::collections::BTreeMap;
use std::time::Duration;

use hollow_oak_core::physical::{self, EnumType, Introspected};
use hollow_oak_core::script::ScriptStep;
use hollow_oak_core::{Dialect, Provider};

use super::error::ServerError;
use super::journal::JournalSql;
use crate::hindrance::Hindrance;

/// The answer to a query: column names and rows as text; nothing for null.
#[derive(Clone, Debug, Default)]
pub(crate) struct Table {
    pub(crate) columns: Vec<String>,
    pub(crate) rows: Vec<Vec<Option<String>>>,
}

/// What a server is asked to store aside.
#[derive(Clone, Debug, Default)]
pub(crate) struct Asked {
    pub(crate) enums: Vec<EnumType>,
    pub(crate) tables: Vec<physical::Table>,
    pub(crate) views: Vec<physical::Program>,
}

/// What a step would lose of what nobody declared, and how it is kept.
#[derive(Clone, Debug, Default)]
pub(crate) struct Kept {
    /// Descriptions of columns, by their quoted names, for the step's statements.
    pub(crate) comments: BTreeMap<String, String>,
    /// Runs once the dropped thing is there again.
    pub(crate) afterwards: Vec<Again>,
}

/// A statement that makes again what went along with something.
#[derive(Clone, Debug)]
pub(crate) struct Again {
    /// The kind and object of the step that makes it, where somebody declared it; then it is not made here.
    pub(crate) declared_as: Option<String>,
    pub(crate) sql: String,
}

/// What a step drops or makes of the things that others hang on, as a word for its kind and its name, in whatever words it
/// is declared; `verb` is `drop` or `create`.
pub(crate) fn borne<'o>(object: &'o str, verb: &str) -> Option<(&'static str, &'o str)> {
    let kinds = [
        ("view ", "view"),
        ("materialized-view ", "view"),
        ("object view ", "view"),
        ("object materialized view ", "view"),
        ("trigger ", "trigger"),
        ("object rule ", "rule"),
        ("object policy ", "policy"),
    ];
    let rest = object.strip_prefix(verb)?.strip_prefix('-')?;
    kinds.iter().find_map(|(words, kind)| Some((*kind, rest.strip_prefix(words)?)))
}

/// What is written at the end of a transaction.
#[derive(Clone, Debug, Default)]
pub(crate) struct Closing {
    /// Statements.
    pub(crate) statements: Vec<String>,
    /// An event, behind them.
    pub(crate) event: Option<String>,
}

/// A pinned session: one connection, set up in the one way that scripts rely on.
pub(crate) trait Session: Send {
    /// The provider.
    fn provider(&self) -> Provider;

    /// Its dialect.
    fn dialect(&self) -> Dialect;

    /// Product and version.
    fn version(&self) -> &str;

    /// The journal's SQL.
    fn journal_sql(&self) -> &'static JournalSql;

    /// Whether DDL is part of a transaction.
    fn transactional_ddl(&self) -> bool;

    /// Runs one statement.
    fn execute(&mut self, sql: &str) -> Result<(), ServerError>;

    /// Writes an event of the journal, given as a row; returns its place, or that of one written along with it.
    fn insert_event(&mut self, event: &str) -> Result<i64, ServerError>;

    /// Writes an event of the journal, given as a row, at the latest before whatever else this session says, or as it ends;
    /// returns its place where it is written at once. Until then its run is one that did not end.
    fn owe_event(&mut self, event: String) -> Result<Option<i64>, ServerError> {
        self.insert_event(&event).map(Some)
    }

    /// Ends a transaction with what is still to be written in it; returns the event's place.
    fn commit_with(&mut self, closing: &Closing) -> Result<Option<i64>, ServerError>;

    /// Asks one question.
    fn ask(&mut self, sql: &str) -> Result<Table, ServerError>;

    /// Asks one question that may take so long and changes nothing; no answer where that was not enough.
    fn ask_within(&mut self, sql: &str, limit: Duration) -> Result<Option<Table>, ServerError>;

    /// Reads the catalogue.
    fn introspect(&mut self) -> Result<Introspected, ServerError>;

    /// The views that read what is not there; none where the server lets nothing go that a view reads.
    fn broken_views(&mut self) -> Result<Vec<String>, ServerError>;

    /// A text that changes with whatever changes in the catalogue, found out without reading all of it; nothing where the
    /// server has no such thing.
    fn catalogue_mark(&mut self) -> Result<Option<String>, ServerError>;

    /// The same, to be asked before the catalogue is read and kept beside what was read; nothing while somebody's change is
    /// under way that the mark counts already and the catalogue does not show yet.
    fn settled_mark(&mut self) -> Result<Option<String>, ServerError>;

    /// The mark that the catalogue has if nothing changed since it had this one but that this session ran so many statements
    /// that make tables of the tool's own; nothing where something else did. Where DDL is part of a transaction, it is asked
    /// in the one that began with the mark, see [`Session::begin_still`].
    fn mark_after(&mut self, before: &str, statements: usize) -> Result<Option<String>, ServerError>;

    /// A text that stays the same for as long as nothing at all is written on the whole server, and costs nothing to find
    /// out; nothing where the server has no such thing.
    fn still_mark(&mut self) -> Result<Option<String>, ServerError> {
        Ok(None)
    }

    /// What that text will be right after the transaction that is open, if nothing else is written meanwhile; nothing while
    /// somebody else's is under way. To be asked before the catalogue is read that it is kept beside, unless the
    /// transaction sees one moment.
    fn still_mark_after(&mut self) -> Result<Option<String>, ServerError> {
        Ok(None)
    }

    /// Begins a transaction that sees one moment, and what it changes itself.
    fn begin_still(&mut self) -> Result<(), ServerError>;

    /// Begins a transaction that sees one moment and changes nothing.
    fn begin_reading(&mut self) -> Result<(), ServerError>;

    /// Takes the lock of a project, if nobody has it.
    fn try_lock(&mut self, project: &str) -> Result<bool, ServerError>;

    /// Gives it back.
    fn unlock(&mut self, project: &str) -> Result<(), ServerError>;

    /// How the server stores these tables, references aside, and views; nothing of them is left behind.
    fn as_stored(&mut self, asked: &Asked) -> Result<physical::Schema, ServerError>;

    /// Makes ready for a generated step that stands by itself, and may have been broken off before. It may wait this long
    /// where nobody has to wait for it meanwhile.
    fn before_alone(&mut self, _step: &ScriptStep, _wait: Duration) -> Result<(), ServerError> {
        Ok(())
    }

    /// Puts away what such a step needed, and what it left if it failed.
    fn after_alone(&mut self, _step: &ScriptStep, _failed: bool) -> Result<(), ServerError> {
        Ok(())
    }

    /// What a generated step would lose of what nobody declared.
    fn kept(&mut self, step: &ScriptStep) -> Result<Kept, ServerError>;

    /// What would be in the way of a run.
    fn hindrances(&mut self) -> Result<Vec<Hindrance>, ServerError>;

    /// What tells this session from every other one of the server.
    fn id(&mut self) -> Result<Option<String>, ServerError>;

    /// The names of tables and views.
    fn relations(&mut self) -> Result<Vec<String>, ServerError>;

    /// The first value of the first row.
    fn value(&mut self, sql: &str) -> Result<Option<String>, ServerError> {
        Ok(self.ask(sql)?.rows.into_iter().next().and_then(|row| row.into_iter().next()).flatten())
    }
}
