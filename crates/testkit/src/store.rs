//! A database to put rows into and look at, by a way of its own and not by the tool's.

use hollow_oak_core::Dialect;
use hollow_oak_core::dialect::Flavor;
use mysql::prelude::Queryable;

/// Rows of text; nothing for null.
pub type Texts = Vec<Vec<Option<String>>>;

/// A database that runs SQL.
pub trait Store {
    /// What it speaks.
    fn dialect(&self) -> Dialect;

    /// Runs statements; how many rows the last one changed.
    ///
    /// # Errors
    ///
    /// The database's message.
    fn execute(&mut self, sql: &str) -> Result<u64, String>;

    /// Asks a question.
    ///
    /// # Errors
    ///
    /// The database's message.
    fn texts(&mut self, sql: &str) -> Result<Texts, String>;
}

impl Store for rusqlite::Connection {
    fn dialect(&self) -> Dialect {
        Dialect::Sqlite
    }

    fn execute(&mut self, sql: &str) -> Result<u64, String> {
        let changed = rusqlite::Connection::execute(self, sql, []).map_err(|error| error.to_string())?;
        Ok(changed as u64)
    }

    fn texts(&mut self, sql: &str) -> Result<Texts, String> {
        let mut statement = self.prepare(sql).map_err(|error| error.to_string())?;
        let count = statement.column_count();
        let rows = statement
            .query_map([], |row| (0..count).map(|at| Ok(text_of(row.get_ref(at)?))).collect::<Result<Vec<_>, _>>())
            .map_err(|error| error.to_string())?;
        rows.collect::<Result<_, _>>().map_err(|error| error.to_string())
    }
}

fn text_of(value: rusqlite::types::ValueRef<'_>) -> Option<String> {
    use rusqlite::types::ValueRef;
    match value {
        ValueRef::Null => None,
        ValueRef::Integer(number) => Some(number.to_string()),
        ValueRef::Real(number) => Some(number.to_string()),
        ValueRef::Text(bytes) | ValueRef::Blob(bytes) => Some(String::from_utf8_lossy(bytes).into_owned()),
    }
}

impl Store for postgres::Client {
    fn dialect(&self) -> Dialect {
        Dialect::Postgres
    }

    fn execute(&mut self, sql: &str) -> Result<u64, String> {
        let mut changed = 0;
        for message in self.simple_query(sql).map_err(|error| said(&error))? {
            if let postgres::SimpleQueryMessage::CommandComplete(count) = message {
                changed = count;
            }
        }
        Ok(changed)
    }

    fn texts(&mut self, sql: &str) -> Result<Texts, String> {
        let mut rows = Texts::new();
        for message in self.simple_query(sql).map_err(|error| said(&error))? {
            if let postgres::SimpleQueryMessage::Row(row) = message {
                rows.push((0..row.len()).map(|at| row.get(at).map(str::to_owned)).collect());
            }
        }
        Ok(rows)
    }
}

fn said(error: &postgres::Error) -> String {
    error.as_db_error().map_or_else(|| error.to_string(), |error| error.message().to_owned())
}

impl Store for mysql::Conn {
    fn dialect(&self) -> Dialect {
        // MariaDB calls itself 5.5.5 to old clients, and is past 10 otherwise.
        Dialect::Mariadb(if matches!(self.server_version().0, 8 | 9) { Flavor::Mysql } else { Flavor::Mariadb })
    }

    fn execute(&mut self, sql: &str) -> Result<u64, String> {
        self.query_drop(sql).map_err(|error| error.to_string())?;
        Ok(self.affected_rows())
    }

    fn texts(&mut self, sql: &str) -> Result<Texts, String> {
        let rows: Vec<mysql::Row> = self.query(sql).map_err(|error| error.to_string())?;
        let text = |value: mysql::Value| match value {
            mysql::Value::NULL => None,
            mysql::Value::Bytes(bytes) => Some(String::from_utf8_lossy(&bytes).into_owned()),
            other => Some(other.as_sql(true)),
        };
        Ok(rows.into_iter().map(|row| row.unwrap().into_iter().map(text).collect()).collect())
    }
}
