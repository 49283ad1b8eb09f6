//! The dear questions of a large database, asked by two sessions at the same time.

use std::thread;

use super::tables::{NUMBERING, RELATIONS};
use super::{FOR_READING, Reader, Row, optional};
use crate::error::DatabaseError;
use crate::postgres::connect;
use crate::server::{ServerError, Session};
use crate::url::ServerUrl;

/// From how many tables on. At 100 and at 1,000 it saves a fifth of the wait (docs/performance.md); fewer were not measured,
/// and a small database is spared the second connection.
const WORTH_A_SECOND: u32 = 100;

impl Reader<'_> {
    /// Finds out which of the rarer things there are; in a large database also what will be asked next.
    pub(super) fn ahead(&mut self) -> Result<(), ServerError> {
        let Some(snapshot) = self.shared_snapshot()? else { return self.presence() };
        let filled = |sql: &str| self.in_namespaces(sql);
        // Constraints and indexes want the server's words for expressions, which cost as much as all the rest.
        let theirs = [filled(&self.constraints_sql()), filled(&self.indexes_sql())];
        let ours = [filled(RELATIONS), filled(&self.columns_sql()), filled(NUMBERING)];
        let url = self.session.url().clone();
        let (answered, asked) = thread::scope(|scope| {
            let second = scope.spawn(|| answers(&url, &snapshot, &theirs));
            let answered = self
                .presence()
                .and_then(|()| ours.iter().map(|sql| self.session.rows(sql)).collect::<Result<Vec<_>, ServerError>>());
            (answered, second.join())
        });
        self.answers.extend(ours.into_iter().zip(answered?));
        // Where there is no second session, as on a server that has no connection left, the first asks all of it.
        if let Ok(Ok(rows)) = asked {
            self.answers.extend(theirs.into_iter().zip(rows));
        }
        Ok(())
    }

    /// What lets another session see the moment that this one sees, where that is worth it. A transaction that may have changed
    /// something sees more than another one can.
    fn shared_snapshot(&mut self) -> Result<Option<String>, ServerError> {
        let rows = self.ask(&format!(
            "select case when count(*) >= {WORTH_A_SECOND} then pg_export_snapshot() end
             from pg_class
             where relnamespace $namespaces and relkind in ('r', 'p')
               and current_setting('transaction_read_only') = 'on'
               and current_setting('transaction_isolation') = 'repeatable read'"
        ))?;
        Ok(rows.into_iter().next().and_then(|row| optional(&row, 0)))
    }
}

/// What a session of its own is answered (PostgreSQL 17, "SET TRANSACTION", on snapshots).
fn answers(url: &ServerUrl, snapshot: &str, questions: &[String]) -> Result<Vec<Vec<Row>>, DatabaseError> {
    let mut session = connect::another(url)?;
    session.execute(FOR_READING)?;
    session.begin_reading()?;
    session.execute(&format!("set transaction snapshot '{snapshot}'"))?;
    questions.iter().map(|sql| Ok(session.rows(sql)?)).collect()
}
