//! What can go wrong with a live database.

use std::path::PathBuf;
use std::time::Duration;

use hollow_oak_core::Provider;
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
    /// No server answers there.
    #[error("no {} server answers at {place}: {message}", provider.title())]
    Unreachable {
        /// The provider.
        provider: Provider,
        /// Host and port, or socket.
        place: String,
        /// The system's message.
        message: String,
    },
    /// The server does not let this user in.
    #[error("the server at {place} does not let {user} in: {message}")]
    LoginRefused {
        /// Host and port, or socket.
        place: String,
        /// The user's name.
        user: String,
        /// The server's message.
        message: String,
    },
    /// The server wants this user to log in in a way that is not known here.
    #[error("the server at {place} lets {user} in by {plugin} only, which oak does not know")]
    UnknownLogin {
        /// Host and port, or socket.
        place: String,
        /// The user's name.
        user: String,
        /// What the server calls it.
        plugin: String,
    },
    /// The connection is not, or not well enough, encrypted.
    #[error("no trusted connection to {place}: {message}")]
    Untrusted {
        /// Host and port, or socket.
        place: String,
        /// What is wrong.
        message: String,
    },
    /// The server does not encrypt, and the URL asks for it.
    #[error("the server at {place} does not encrypt")]
    NotEncrypted {
        /// Host and port.
        place: String,
    },
    /// The server lets nobody in without encryption.
    #[error("the server at {place} wants an encrypted connection")]
    WantsEncryption {
        /// Host and port.
        place: String,
    },
    /// A right is missing.
    #[error("{user} may not do this: {message}")]
    NoRight {
        /// The user's name.
        user: String,
        /// The server's message.
        message: String,
    },
    /// The server is older than what scripts are written for.
    #[error("the server is {found}, and scripts are written for {} {least} and later", provider.title())]
    TooOld {
        /// The provider.
        provider: Provider,
        /// Product and version.
        found: String,
        /// The least version.
        least: &'static str,
    },
    /// The URL says one provider, and the server is of another.
    #[error("the url says {}, and the server at {place} is {found}", provider.title())]
    OtherProvider {
        /// The provider of the URL.
        provider: Provider,
        /// Host and port, or socket.
        place: String,
        /// What the server says it is.
        found: String,
    },
    /// The server broke off.
    #[error("the connection to the server broke: {message}")]
    Broken {
        /// The system's message.
        message: String,
    },
    /// Somebody else holds a table for too long.
    #[error("another session holds a lock on what has to change, for longer than {waited:?}")]
    Busy {
        /// How long was waited.
        waited: Duration,
    },
    /// Anything else that a server says.
    #[error("{} says: {message}", provider.title())]
    Server {
        /// The provider.
        provider: Provider,
        /// The server's message, with its detail and hint.
        message: String,
        /// SQLSTATE, or the server's error number.
        code: String,
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
            Self::CannotOpen { path, message } if message.contains("malformed") => format!(
                "the file is damaged, or another build of SQLite made what this one cannot read; `sqlite3 '{}' 'pragma integrity_check'` may say more; nothing was changed",
                path.display()
            ),
            Self::CannotOpen { .. } => "look at the rights of the file and its folder".into(),
            Self::Locked { .. } => "try again when the other program is done, or set a longer `lock_wait` for the target in hollow-oak.toml".into(),
            Self::NewerJournal(_) | Self::UnknownEvent(_) => "update oak; nothing was changed".into(),
            Self::NoTable { nearest: Some(nearest), .. } => format!("did you mean `{nearest}`?"),
            Self::NoTable { nearest: None, .. } => "`oak show` lists the tables".into(),
            Self::Sqlite { .. } => "nothing was changed".into(),
            Self::Unreachable { .. } => {
                "start it, or mend host and port in the target's url; `--wait 30s` waits for a server that is starting".into()
            }
            Self::UnknownLogin { plugin, .. } => {
                format!("give a user who logs in by a password (`ed25519`, `mysql_native_password`, `caching_sha2_password`) instead of {plugin}")
            }
            Self::LoginRefused { .. } => {
                "mend user and password in the target's url; a password can come from the environment: `password = { env = \"APP_PASSWORD\" }`".into()
            }
            Self::Untrusted { .. } => {
                "`sslrootcert=FILE` in the url names the authority to trust; `sslmode=require` encrypts without asking who the server is".into()
            }
            Self::NotEncrypted { .. } => {
                "switch TLS on on the server; or `sslmode=disable` in the url, where the network can be trusted".into()
            }
            Self::WantsEncryption { .. } => {
                "take `sslmode=disable` out of the url; `sslmode=verify-full` also makes sure whose server it is".into()
            }
            Self::NoRight { .. } => "ask the database's owner for the right, or name a user who has it in the target's url".into(),
            Self::TooOld { .. } => "update the server".into(),
            Self::OtherProvider { found, .. } => {
                let scheme = if found.contains("MariaDB") { "mariadb" } else { "mysql" };
                format!("begin the target's url with `{scheme}://`, and list `{scheme}` in `[providers]`")
            }
            Self::Broken { .. } => "look at the server's log; the same command again goes on where it stopped".into(),
            Self::Busy { .. } => "find the session that holds it, or try again later; `lock_wait` in hollow-oak.toml says how long to wait".into(),
            // PostgreSQL, "Character Set Support", "Automatic Character Set Conversion": it converts nothing of SQL_ASCII.
            Self::Server { code, .. } if code == "22021" => {
                "a body, default or comment in the database is not in UTF-8, and its encoding does not say in what it is; write it again in UTF-8".into()
            }
            Self::Server { .. } => "the server's manual explains its message".into(),
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

/// A migration that did not go through.
#[derive(Debug, thiserror::Error)]
#[error("{kind}")]
pub struct Failure {
    /// What happened.
    pub kind: FailureKind,
    /// How many of its steps remain done, and of how many. Nothing where all of it was rolled back.
    pub remains: Option<(usize, usize)>,
}

impl From<FailureKind> for Failure {
    fn from(kind: FailureKind) -> Self {
        Self { kind, remains: None }
    }
}

impl From<DatabaseError> for Failure {
    fn from(error: DatabaseError) -> Self {
        FailureKind::Database(error).into()
    }
}

impl From<rusqlite::Error> for Failure {
    fn from(error: rusqlite::Error) -> Self {
        DatabaseError::from(error).into()
    }
}

/// What a database refuses a statement for, as far as that decides what to do about it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cause {
    /// Rows violate a constraint.
    Rows,
    /// Something else depends on what goes or changes.
    Dependents,
    /// One transaction holds more locks than the server has room for.
    TooManyLocks,
    /// The server looked into a routine's body, and what that names is not there.
    Body,
    /// The statement itself, as far as is known.
    Statement,
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
    #[error("the database refused a statement: {message}")]
    Statement {
        /// The step's number, from 1.
        step: usize,
        /// The step's title.
        title: String,
        /// The line in the script, from 1.
        line: usize,
        /// The statement.
        sql: String,
        /// The database's message.
        message: String,
        /// What it was refused for.
        cause: Cause,
        /// Whether the step commits rows lot by lot, so that those before stay as they are.
        in_lots: bool,
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
    /// An interrupted run cannot be gone on with.
    #[error("step {step} ({title}) was interrupted, and it cannot be found out whether it took effect")]
    Undecided {
        /// The step's number, from 1.
        step: usize,
        /// Its title.
        title: String,
    },
    /// The outcome is not what the migration's schema says.
    #[error("the outcome is not what the migration's schema.oak says")]
    Outcome {
        /// From what came out to what should have.
        changes: Box<Changes>,
    },
}
