//! What would be in the way of a run, though the database answers.

use std::time::SystemTime;

use hollow_oak_core::plural::plural;

use crate::scratch;
use crate::server::Table;

/// Something that is better mended before a migration runs into it.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Hindrance {
    /// Between us and the server something hands a server's session to several clients in turn.
    #[error("a transaction pooler stands before the server: two connections of ours share one session")]
    Pooler,
    /// The user may make nothing where the migrations do.
    #[error("{user} may not create anything in {place}")]
    MayNotCreate {
        /// The user's name.
        user: String,
        /// The namespace.
        place: String,
    },
    /// Tables of another user cannot be changed.
    #[error("{user} does not own {}, and may not alter what others own", listed(tables))]
    NotOwner {
        /// The user's name.
        user: String,
        /// Whose they are.
        owners: String,
        /// Their names.
        tables: Vec<String>,
    },
    /// Some of the privileges that migrations need.
    #[error("{user} lacks {}", privileges.join(", "))]
    LacksPrivileges {
        /// The user's name.
        user: String,
        /// In the server's words.
        privileges: Vec<String>,
        /// The database.
        place: String,
    },
    /// The file, or the server, takes no changes.
    #[error("it is read-only")]
    ReadOnly,
    /// Databases that were made to try something, by runs that were ended before they dropped them.
    #[error("runs that were ended left {} behind: {}", plural("scratch database", databases.len()), listed(databases))]
    LeftOver {
        /// Their names.
        databases: Vec<String>,
    },
}

impl Hindrance {
    /// The databases of a server that ended runs left behind, if there are any; the table has the names of all of them.
    pub(crate) fn left_over(databases: Table) -> Option<Self> {
        let names = databases.rows.into_iter().filter_map(|row| row.into_iter().next().flatten()).collect();
        let databases = scratch::left_over(names, SystemTime::now());
        (!databases.is_empty()).then_some(Self::LeftOver { databases })
    }

    /// How to mend it.
    pub fn help(&self) -> String {
        match self {
            Self::Pooler => "name the server itself, or a port of the pooler in session mode, in the target's url: \
                 locks and settings belong to a session"
                .into(),
            Self::MayNotCreate { user, place } => format!(
                "`grant create on schema {place} to {user}`, as its owner; or name another user in the target's url"
            ),
            Self::NotOwner { user, owners, .. } => {
                format!("`grant {owners} to {user}`, as an administrator; or name the owner in the target's url")
            }
            Self::LacksPrivileges { user, privileges, place } => {
                format!("`grant {} on {place}.* to {user}`, as an administrator", privileges.join(", "))
            }
            Self::LeftOver { databases } => {
                let statements: Vec<String> = databases.iter().map(|name| format!("drop database {name}")).collect();
                format!("`{}`; nothing of yours is in them", statements.join("; "))
            }
            Self::ReadOnly => "look at the rights of the file and its folder; a replica takes no changes at all".into(),
        }
    }
}

/// The first few of a list.
fn listed(names: &[String]) -> String {
    match names {
        [one, two, three, rest @ ..] if !rest.is_empty() => format!("{one}, {two}, {three} and {} more", rest.len()),
        few => few.join(", "),
    }
}
