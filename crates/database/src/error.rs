//! What can go wrong with a live database.

use std::path::PathBuf;
use std::time::Duration;

use hollow_oak_core::diff::Changes;

/// A database that cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum DatabaseError {
    /// The folder of the file is not there.
    #[error("there is no folder `{}`", folder.display())]
    NoFolder {
        /// The folder.
        folder: PathBuf,
    },
    /// The path is a folder.
    #[error("`{}` is a folder, not a database file", path.display())]
    IsFolder {
        /// The path.
        path: PathBuf,
    },
    /// The file is something else.
    #[error("`{}` is not a SQLite database", path.display())]
    NotADatabase {
        /// The path.
        path: PathBuf,
    },
    /// The file may not be written, or not read.
    #[error("`{}` cannot be opened: {message}", path.display())]
    CannotOpen {
        /// The path.
        path: PathBuf,
        /// SQLite's message.
        message: String,
    },
    /// Somebody else holds the file.
    #[error("the database is locked by another program, for longer than {waited:?}")]
    Locked {
        /// How long was waited.
        waited: Duration,
    },
    /// The journal was written by a later version.
    #[error("the journal in the database has format {0}, which a later version of oak wrote")]
    NewerJournal(i64),
    /// The journal holds what this version does not understand.
    #[error("the journal in the database has an event `{0}` that this version of oak does not know")]
    UnknownEvent(String),
    /// There is no such table.
    #[error("the database has no table `{table}`")]
    NoTable {
        /// The name that was asked for.
        table: String,
        /// The nearest that is there.
        nearest: Option<String>,
    },
    /// Anything else that SQLite says.
    #[error("SQLite says: {message}")]
    Sqlite {
        /// SQLite's message.
        message: String,
        /// SQLite's extended result code.
        code: i32,
    },
}

impl DatabaseError {
    /// What to do about it.
    pub fn help(&self) -> String {
        match self {
            Self::NoFolder { folder } => format!("make it (`mkdir -p {}`), or mend the target's url in hollow-oak.toml", folder.display()),
            Self::IsFolder { .. } => "name a file in it in the target's url in hollow-oak.toml".into(),
            Self::NotADatabase { .. } => "mend the target's url in hollow-oak.toml; nothing was changed".into(),
            Self::CannotOpen { .. } => "look at the rights of the file and its folder".into(),
            Self::Locked { .. } => "try again when the other program is done, or set a longer `lock_wait` for the target in hollow-oak.toml".into(),
            Self::NewerJournal(_) | Self::UnknownEvent(_) => "update oak; nothing was changed".into(),
            Self::NoTable { nearest: Some(nearest), .. } => format!("did you mean `{nearest}`?"),
            Self::NoTable { nearest: None, .. } => "`oak show` lists the tables".into(),
            Self::Sqlite { .. } => "nothing was changed".into(),
        }
    }
}

impl From<rusqlite::Error> for DatabaseError {
    fn from(error: rusqlite::Error) -> Self {
        let code = match &error {
            rusqlite::Error::SqliteFailure(failure, _) => failure.extended_code,
            _ => 0,
        };
        let message = match &error {
            rusqlite::Error::SqliteFailure(_, Some(message)) => message.clone(),
            rusqlite::Error::SqlInputError { msg, .. } => msg.clone(),
            other => other.to_string(),
        };
        Self::Sqlite { message, code }
    }
}

/// A migration that did not go through. Everything it had done was rolled back.
#[derive(Debug, thiserror::Error)]
#[error("{kind}")]
pub struct Failure {
    /// What happened.
    pub kind: FailureKind,
}

impl From<DatabaseError> for Failure {
    fn from(error: DatabaseError) -> Self {
        Self { kind: FailureKind::Database(error) }
    }
}

impl From<rusqlite::Error> for Failure {
    fn from(error: rusqlite::Error) -> Self {
        DatabaseError::from(error).into()
    }
}

/// Why a migration did not go through.
#[derive(Debug, thiserror::Error)]
pub enum FailureKind {
    /// The database itself could not be used.
    #[error("{0}")]
    Database(DatabaseError),
    /// Somebody else's run got there first; the caller reads the journal and decides again.
    #[error("another run changed the journal meanwhile")]
    JournalMoved,
    /// The schema was changed between the preflight and the lock.
    #[error("the database's schema was changed by another program between the check and the run")]
    SchemaMoved,
    /// A statement failed.
    #[error("SQLite refused a statement: {message}")]
    Statement {
        /// The step's number, from 1.
        step: usize,
        /// The step's title.
        title: String,
        /// The line in the script, from 1.
        line: usize,
        /// The statement.
        sql: String,
        /// SQLite's message.
        message: String,
        /// Whether a constraint was violated by rows.
        by_rows: bool,
    },
    /// Rows would point to nothing.
    #[error("{count} {} would reference nothing", if *count == 1 { "row" } else { "rows" })]
    BrokenReferences {
        /// How many.
        count: usize,
        /// A few of them, in words.
        examples: Vec<String>,
        /// How many did so before the migration.
        before: usize,
    },
    /// A view or trigger would no longer work.
    #[error("{kind} {name} would no longer work: {message}")]
    BreaksDependent {
        /// View or trigger.
        kind: String,
        /// Its name.
        name: String,
        /// SQLite's message.
        message: String,
    },
    /// A view or trigger would be gone, and nobody said so.
    #[error("{kind} {name} would be gone, and no step names it")]
    LosesDependent {
        /// View or trigger.
        kind: String,
        /// Its name.
        name: String,
    },
    /// The outcome is not what the migration's schema says.
    #[error("the outcome is not what the migration's schema.oak says")]
    Outcome {
        /// From what came out to what should have.
        changes: Box<Changes>,
    },
}
