//! What a server said against a statement.

use hollow_oak_core::Provider;

use crate::error::DatabaseError;

/// Why a server refused, as far as it matters for what happens next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Refused {
    /// Rows do not meet a rule.
    ByRows,
    /// Another session holds a lock.
    ByLock,
    /// A right is missing.
    ByRights,
    /// The connection is gone.
    Gone,
    /// Anything else.
    Otherwise,
}

/// An error of a server.
#[derive(Clone, Debug)]
pub(crate) struct ServerError {
    /// The provider.
    pub(crate) provider: Provider,
    /// The message, with detail and hint.
    pub(crate) message: String,
    /// SQLSTATE, or the server's error number.
    pub(crate) code: String,
    /// The kind.
    pub(crate) refused: Refused,
}

impl From<ServerError> for DatabaseError {
    fn from(error: ServerError) -> Self {
        match error.refused {
            Refused::Gone => Self::Broken { message: error.message },
            Refused::ByRights => Self::NoRight { user: "the target's user".into(), message: error.message },
            Refused::ByRows | Refused::ByLock | Refused::Otherwise => {
                Self::Server { provider: error.provider, message: error.message, code: error.code }
            }
        }
    }
}
