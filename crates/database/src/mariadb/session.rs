//! A pinned session.

use std::time::{Duration, SystemTime};

use hollow_oak_core::dialect::Flavor;
use hollow_oak_core::physical::{self, Introspected};
use hollow_oak_core::plan::Step;
use hollow_oak_core::script::ScriptStep;
use hollow_oak_core::{Dialect, Provider};
use mysql::Conn;
use mysql::prelude::Queryable;

use super::catalogue;
use crate::error::DatabaseError;
use crate::hindrance::Hindrance;
use crate::scratch::new_name;
use crate::server::{Asked, Closing, JournalSql, Kept, Refused, ServerError, Session, Table, insert_events};
use crate::url::ServerUrl;

/// Every statement of ours relies on these, whatever the server is set to. The mode is the strict one that both servers
/// begin with. `lock_wait_timeout` keeps other sessions from queueing behind us for long: the step is tried again.
const PIN: &str = "
set names utf8mb4 collate utf8mb4_unicode_ci,
    session sql_mode = 'STRICT_TRANS_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION',
    session default_storage_engine = InnoDB, session time_zone = '+00:00', session autocommit = 1,
    session foreign_key_checks = 1, session unique_checks = 1, session completion_type = NO_CHAIN,
    session sql_select_limit = 18446744073709551615, session sql_big_selects = 1, session sql_safe_updates = 0,
    session group_concat_max_len = 1048576,
    session lock_wait_timeout = 2, session innodb_lock_wait_timeout = 2, session sql_notes = 0";

/// The same for MariaDB alone. A table that keeps the history of its rows can be changed, and keeps it (MariaDB,
/// "System-Versioned Tables").
const PIN_MARIADB: &str = "session system_versioning_alter_history = keep, session max_statement_time = 0,
    session check_constraint_checks = 1";

/// The same for MySQL alone.
const PIN_MYSQL: &str = "session max_execution_time = 0";

/// MariaDB counts every statement that changes a definition, in whatever way it came (MariaDB, "Server Status Variables");
/// those about tables of one session are no business of ours. A restart, and a reset of the counters, begin anew.
const MARK: &str = "
select concat_ws(' ',
    (select concat_ws(' ', sum(if(variable_name like 'COM%', variable_value, 0)),
            sum(if(variable_name = 'UPTIME', unix_timestamp() - variable_value, 0)),
            sum(if(variable_name = 'UPTIME_SINCE_FLUSH_STATUS', unix_timestamp() - variable_value, 0)))
     from information_schema.global_status
     where variable_name regexp '^COM_(ALTER|CREATE|DROP|RENAME|GRANT|REVOKE)' and variable_name not like '%TEMPORARY%'
        or variable_name like 'UPTIME%'),
    (select concat_ws(' ', count(*), sum(crc32(concat(event_name, ' ', status))))
     from information_schema.events where event_schema = database()))";

/// MySQL counts them as well, and those about tables of one session with them, and tells it in no table that a query could
/// read (MySQL 8.4, "Server Status Variables", `Com_xxx`; "SHOW STATUS").
const COUNTERS: &str = "
show global status where variable_name regexp '^Com_(alter|create|drop|rename|grant|revoke)'";

/// What else a mark of MySQL holds; null where the server does not tell since when it counts, so that there is no mark.
const MOMENTS_AND_EVENTS: &str = "
select concat(
    (select group_concat(unix_timestamp() - variable_value order by variable_name separator ' ')
     from performance_schema.global_status where variable_name in ('Uptime', 'Uptime_since_flush_status')),
    ' ', (select concat_ws(' ', count(*), sum(crc32(concat(event_name, ' ', status))))
     from information_schema.events where event_schema = database()))";

/// Whether nobody else may be changing a definition. Who has not the right to see what others do cannot know.
const IS_QUIET: &str = "
select exists (select 1 from information_schema.user_privileges where privilege_type = 'PROCESS'
               and replace(grantee, '''', '') = current_user())
   and not exists (select 1 from information_schema.processlist where id <> connection_id() and info is not null
                   and info not regexp '^[[:space:]]*(select|insert|update|delete|replace|show|commit|begin)[[:space:]]')";

/// What migrations need (MariaDB 10.11, "GRANT", table "Privilege Levels").
const PRIVILEGES: [&str; 13] = [
    "SELECT",
    "INSERT",
    "UPDATE",
    "DELETE",
    "CREATE",
    "DROP",
    "REFERENCES",
    "INDEX",
    "ALTER",
    "CREATE VIEW",
    "SHOW VIEW",
    "CREATE ROUTINE",
    "TRIGGER",
];

/// MariaDB 10.11, "MariaDB Error Codes", ER_STATEMENT_TIMEOUT; MySQL 8.4, "Server Error Message Reference",
/// ER_QUERY_TIMEOUT.
const TOO_LONG: [&str; 2] = ["1969", "3024"];

/// How often the catalogue is read where a lock is in the way; each time waits for as long as `lock_wait_timeout` says.
const READINGS: usize = 8;

const JOURNAL: JournalSql = JournalSql {
    exists: "select 1 from information_schema.tables where table_schema = database() and table_name = 'hollow_oak_journal'",
    create: [
        "
create table if not exists hollow_oak_journal (
    seq bigint not null auto_increment primary key,
    project varchar(200) not null,
    migration varchar(200) not null,
    title text not null,
    event varchar(40) not null,
    step int null,
    reason text null,
    overrides text null,
    up_sha varchar(64) null,
    down_sha varchar(64) null,
    expected varchar(64) null,
    observed varchar(64) null,
    rules varchar(200) not null,
    at datetime(3) not null,
    `by` varchar(300) not null,
    host varchar(300) not null,
    took_ms bigint null,
    oak_version varchar(40) not null,
    format int not null
) engine=innodb default character set utf8mb4 collate utf8mb4_bin",
        "
create table if not exists hollow_oak_store (
    kind varchar(40) not null,
    hash varchar(64) not null,
    content longtext not null,
    primary key (kind, hash)
) engine=innodb default character set utf8mb4 collate utf8mb4_bin",
    ],
    now: "utc_timestamp(3)",
    at: "date_format(at, '%Y-%m-%dT%H:%i:%s.%fZ')",
    by: "`by`",
    user: "current_user()",
    keep: ("ignore", ""),
};

/// A session with a MariaDB or MySQL server.
pub(super) struct MariadbSession {
    connection: Conn,
    flavor: Flavor,
    version: String,
    database: String,
    /// An event that is still to be written.
    owed: Option<String>,
}

impl Drop for MariadbSession {
    fn drop(&mut self) {
        // Where this fails, the next run finds one that did not end, and ends it.
        let _ = self.write_owed();
    }
}

impl MariadbSession {
    /// The second column of the only row of an answer, byte for byte: bytes that are no text are otherwise question marks
    /// (MariaDB, "character_set_results").
    pub(super) fn shown_bytes(&mut self, sql: &str) -> Result<Vec<u8>, ServerError> {
        self.execute("set character_set_results = binary")?;
        let provider = self.provider();
        let answer = self.connection.query_first::<(mysql::Value, Vec<u8>), _>(sql);
        self.execute("set character_set_results = utf8mb4")?;
        let row = answer.map_err(|error| server_error(provider, &error))?;
        Ok(row.map(|(_, bytes)| bytes).unwrap_or_default())
    }

    /// A mark of MySQL, in the words of [`MARK`].
    fn counted(&mut self) -> Result<Option<String>, ServerError> {
        let Some(rest) = self.value(MOMENTS_AND_EVENTS)? else { return Ok(None) };
        let counters = self.ask(COUNTERS)?;
        let counts = counters.rows.into_iter().map(|row| row.into_iter().nth(1).flatten()?.parse::<u64>().ok());
        Ok(counts.sum::<Option<u64>>().map(|statements| format!("{statements} {rest}")))
    }

    fn write_owed(&mut self) -> Result<(), ServerError> {
        match self.owed.is_some() {
            true => self.insert_with_owed(None),
            false => Ok(()),
        }
    }

    /// Writes the event that is still to be written, and another one in the same statement; where that fails, it is still to
    /// be written.
    fn insert_with_owed(&mut self, event: Option<&str>) -> Result<(), ServerError> {
        let owed = self.owed.take();
        let rows: Vec<&str> = owed.as_deref().into_iter().chain(event).collect();
        let written = self.execute(&insert_events(&JOURNAL, &rows));
        self.owed = owed.filter(|_| written.is_err());
        written
    }

    /// Pins a new connection.
    pub(super) fn new(connection: Conn, url: &ServerUrl) -> Result<Self, DatabaseError> {
        let flavor = if url.provider == Provider::Mysql { Flavor::Mysql } else { Flavor::Mariadb };
        let database = url.database.clone();
        let mut session = Self { connection, flavor, version: String::new(), database, owed: None };
        let said = session.value("select version()")?.unwrap_or_default();
        let is_mariadb = said.contains("MariaDB");
        let number = said.split('-').next().unwrap_or_default().to_owned();
        session.version = format!("{} {number}", if is_mariadb { "MariaDB" } else { "MySQL" });
        let provider = url.provider;
        if is_mariadb != (flavor == Flavor::Mariadb) {
            let (place, found) = (url.place(), session.version.clone());
            return Err(DatabaseError::OtherProvider { provider, place, found });
        }
        let least = if is_mariadb { ((10, 5, 2), "10.5.2") } else { ((8, 0, 16), "8.0.16") };
        let mut parts = number.split('.').map(|part| part.parse::<u32>().unwrap_or_default());
        let mut next = || parts.next().unwrap_or_default();
        if (next(), next(), next()) < least.0 {
            return Err(DatabaseError::TooOld { provider, found: session.version.clone(), least: least.1 });
        }
        let own = if is_mariadb { PIN_MARIADB } else { PIN_MYSQL };
        session.execute(&format!("{PIN},\n    {own}"))?;
        Ok(session)
    }

    /// The database it works in.
    pub(super) fn database(&self) -> &str {
        &self.database
    }

    /// Whether it is MariaDB before a version.
    pub(super) fn is_before(&self, version: (u32, u32)) -> bool {
        let Some(number) = self.version.strip_prefix("MariaDB ") else { return false };
        let mut parts = number.split('.').map(|part| part.parse::<u32>().unwrap_or_default());
        let mut next = || parts.next().unwrap_or_default();
        (next(), next()) < version
    }

    /// The lock is the server's, so its name has the database in it; at most 64 characters (MariaDB, "GET_LOCK").
    fn lock_name(&self, project: &str) -> String {
        use sha2::{Digest, Sha256};
        let digest = Sha256::digest(format!("{}\n{project}", self.database).as_bytes());
        let digits: String = digest.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
        self.dialect().literal(&format!("hollow_oak_{digits}"))
    }
}

/// What the driver says, in our words.
pub(super) fn server_error(provider: Provider, error: &mysql::Error) -> ServerError {
    let mysql::Error::MySqlError(said) = error else {
        return ServerError { provider, message: error.to_string(), code: String::new(), refused: Refused::Gone };
    };
    let refused = match said.code {
        // Lock wait timeout, deadlock.
        1205 | 1213 => Refused::ByLock,
        1044 | 1142 | 1143 | 1227 | 1370 => Refused::ByRights,
        // Null, duplicate, out of range, truncated, wrong value, no default, too long, reference, check, unfit for JSON.
        1048 | 1062 | 1138 | 1264 | 1265 | 1292 | 1364 | 1366 | 1406 | 1411 | 1451 | 1452 | 1586 | 1690 | 3140
        | 3819 | 4025 | 1918 | 1217 | 1216 | 1365 | 1761 | 1830 => Refused::ByRows,
        1053 | 1927 => Refused::Gone,
        _ => Refused::Otherwise,
    };
    ServerError { provider, message: said.message.clone(), code: said.code.to_string(), refused }
}

impl Session for MariadbSession {
    fn provider(&self) -> Provider {
        self.dialect().provider()
    }

    fn dialect(&self) -> Dialect {
        Dialect::Mariadb(self.flavor)
    }

    fn version(&self) -> &str {
        &self.version
    }

    fn journal_sql(&self) -> &'static JournalSql {
        &JOURNAL
    }

    fn transactional_ddl(&self) -> bool {
        false
    }

    fn execute(&mut self, sql: &str) -> Result<(), ServerError> {
        self.write_owed()?;
        let provider = self.provider();
        self.connection.query_drop(sql).map_err(|error| server_error(provider, &error))
    }

    fn ask(&mut self, sql: &str) -> Result<Table, ServerError> {
        self.write_owed()?;
        let provider = self.provider();
        let failed = |error: mysql::Error| server_error(provider, &error);
        let mut result = self.connection.query_iter(sql).map_err(failed)?;
        let columns = result.columns().as_ref().iter().map(|column| column.name_str().into_owned()).collect();
        let mut table = Table { columns, rows: Vec::new() };
        for row in result.by_ref() {
            let row = row.map_err(failed)?.unwrap();
            table.rows.push(row.into_iter().map(text).collect());
        }
        Ok(table)
    }

    fn ask_within(&mut self, sql: &str, limit: Duration) -> Result<Option<Table>, ServerError> {
        // MariaDB 10.11, "Aborting Statements that Exceed a Certain Time to Execute"; MySQL 8.4, "Optimizer Hints",
        // statement execution time.
        let limited = match self.flavor {
            Flavor::Mariadb => format!("set statement max_statement_time = {} for {sql}", limit.as_secs_f64()),
            Flavor::Mysql => {
                let rest = sql.strip_prefix("select").unwrap_or(sql);
                format!("select /*+ MAX_EXECUTION_TIME({}) */{rest}", limit.as_millis())
            }
        };
        self.execute("set session transaction read only")?;
        let answer = self.ask(&limited);
        self.execute("set session transaction read write")?;
        match answer {
            Err(error) if TOO_LONG.contains(&error.code.as_str()) => Ok(None),
            other => other.map(Some),
        }
    }

    // The number of the first row's own column (MariaDB 10.11, "LAST_INSERT_ID").
    fn insert_event(&mut self, event: &str) -> Result<i64, ServerError> {
        self.insert_with_owed(Some(event))?;
        Ok(i64::try_from(self.connection.last_insert_id()).unwrap_or(i64::MAX))
    }

    // Each statement is a commit of its own, and two events in one are one commit less.
    fn owe_event(&mut self, event: String) -> Result<Option<i64>, ServerError> {
        self.write_owed()?;
        self.owed = Some(event);
        Ok(None)
    }

    fn commit_with(&mut self, closing: &Closing) -> Result<Option<i64>, ServerError> {
        for statement in &closing.statements {
            self.execute(statement)?;
        }
        let seq = closing.event.as_ref().map(|event| self.insert_event(event)).transpose()?;
        self.execute("commit")?;
        Ok(seq)
    }

    fn introspect(&mut self) -> Result<Introspected, ServerError> {
        let (database, flavor) = (self.database.clone(), self.flavor);
        // `information_schema` opens the tables that it tells of, and waits where another session changes one of them.
        for _ in 1..READINGS {
            match catalogue::read(self, &database, flavor) {
                Err(error) if error.refused == Refused::ByLock => {}
                other => return other,
            }
        }
        catalogue::read(self, &database, flavor)
    }

    // MariaDB, "Information Schema TABLES Table": the comment of a view is that it is one, and of one that cannot be opened
    // why, in the server's language. It is only opened where something is asked that stands in what it reads.
    fn broken_views(&mut self) -> Result<Vec<String>, ServerError> {
        let told = self.ask(
            "select table_name from information_schema.tables
             where table_schema = database() and table_type = 'VIEW' and table_rows is null and table_comment <> 'VIEW'",
        )?;
        Ok(told.rows.iter().filter_map(|row| row.first().cloned().flatten()).collect())
    }

    // The times in `information_schema` count whole seconds: a change in the second of a run would be missed (MariaDB
    // 10.11, "Information Schema TABLES Table").
    fn catalogue_mark(&mut self) -> Result<Option<String>, ServerError> {
        let mark = match self.flavor {
            Flavor::Mariadb => self.value(MARK)?,
            Flavor::Mysql => self.counted()?,
        };
        Ok(mark.map(|mark| format!("{} {} {mark}", self.version, self.database)))
    }

    // A statement counts from its beginning. One that began before the count is seen by its text until it has ended.
    fn settled_mark(&mut self) -> Result<Option<String>, ServerError> {
        let mark = self.catalogue_mark()?;
        let is_quiet = mark.is_some() && self.value(IS_QUIET)?.as_deref() == Some("1");
        Ok(mark.filter(|_| is_quiet))
    }

    // The first number after the name of the database counts the statements.
    fn mark_after(&mut self, before: &str, statements: usize) -> Result<Option<String>, ServerError> {
        let mark = self.settled_mark()?;
        let counts = |mark: &str| {
            let (head, tail) = mark.split_at(self.version.len() + self.database.len() + 2);
            let (count, rest) = tail.split_once(' ')?;
            Some((head.to_owned(), count.parse::<f64>().ok()?, rest.to_owned()))
        };
        let expected = counts(before).map(|(head, count, rest)| (head, count + statements as f64, rest));
        Ok(mark.filter(|mark| expected.is_some() && counts(mark) == expected))
    }

    fn begin_still(&mut self) -> Result<(), ServerError> {
        self.execute("start transaction with consistent snapshot")
    }

    fn begin_reading(&mut self) -> Result<(), ServerError> {
        // The moment is that of the first read. One that is stated before it is over where that has to wait for somebody who
        // makes the table anew, and no table can be read as it was before it was made (error 1412).
        self.execute("start transaction read only")?;
        // On MySQL a look at `information_schema` is one already, so that the journal is opened before that; where there is
        // none, nothing is lost.
        if self.flavor == Flavor::Mysql && self.ask("select 1 from hollow_oak_journal limit 0").is_err() {
            return self.execute("commit").and_then(|()| self.execute("start transaction read only"));
        }
        Ok(())
    }

    fn try_lock(&mut self, project: &str) -> Result<bool, ServerError> {
        let name = self.lock_name(project);
        Ok(self.value(&format!("select get_lock({name}, 0)"))?.as_deref() == Some("1"))
    }

    fn unlock(&mut self, project: &str) -> Result<(), ServerError> {
        let name = self.lock_name(project);
        self.ask(&format!("select release_lock({name})")).map(|_| ())
    }

    /// In a database of its own, since there is no taking back what was made.
    fn as_stored(&mut self, asked: &Asked) -> Result<physical::Schema, ServerError> {
        let dialect = self.dialect();
        let (aside, flavor) = (new_name(SystemTime::now()), self.flavor);
        let (quoted, own) = (dialect.quote(&aside), dialect.quote(&self.database));
        self.execute(&format!("create database {quoted}"))?;
        let made = self.execute(&format!("use {quoted}")).and_then(|()| {
            for table in &asked.tables {
                for statement in dialect.render(&Step::CreateTable(table.clone())) {
                    self.execute(&statement)?;
                }
            }
            // Whatever a view reads is found where it would be found.
            self.execute(&format!("use {own}"))?;
            for view in &asked.views {
                let name = dialect.quote(&view.name);
                self.execute(&format!("create view {quoted}.{name} as {}", view.body.text()))?;
            }
            Ok(catalogue::read(self, &aside, flavor)?.schema)
        });
        self.execute(&format!("use {own}"))?;
        self.execute(&format!("drop database {quoted}"))?;
        made
    }

    /// A change of a column states all of it, so that a description which nobody declared would go.
    fn kept(&mut self, step: &ScriptStep) -> Result<Kept, ServerError> {
        let dialect = self.dialect();
        let columns = step.objects().filter_map(|object| object.strip_prefix("alter-column "));
        let columns: Vec<String> = columns.map(|column| dialect.literal(column)).collect();
        if columns.is_empty() {
            return Ok(Kept::default());
        }
        let found = self.ask(&format!(
            "select column_name, column_comment from information_schema.columns
             where table_schema = database() and concat(table_name, '.', column_name) in ({}) and column_comment <> ''",
            columns.join(", ")
        ))?;
        let comments = found.rows.into_iter().filter_map(|row| {
            let [name, comment] = row.try_into().ok()?;
            Some((dialect.quote(&name?), comment?))
        });
        Ok(Kept { comments: comments.collect(), afterwards: Vec::new() })
    }

    fn hindrances(&mut self) -> Result<Vec<Hindrance>, ServerError> {
        let mut hindrances = Vec::new();
        if self.value("select @@read_only")?.as_deref() == Some("1") {
            hindrances.push(Hindrance::ReadOnly);
        }
        let found = self.ask("select schema_name from information_schema.schemata order by 1")?;
        hindrances.extend(Hindrance::left_over(found));
        // What a role gives is told there under the role's name, so that a user with one is not judged here.
        let roles = self.value("select count(*) from information_schema.applicable_roles")?;
        if roles.is_some_and(|count| count != "0") {
            return Ok(hindrances);
        }
        let user = self.value("select current_user()")?.unwrap_or_default();
        let (name, host) = user.rsplit_once('@').unwrap_or((&user, "%"));
        let grantee = self.dialect().literal(&format!("'{name}'@'{host}'"));
        let found = self.ask(&format!(
            "select privilege_type from information_schema.user_privileges where grantee = {grantee}
             union select privilege_type from information_schema.schema_privileges
             where grantee = {grantee} and database() like table_schema"
        ))?;
        let has = |wanted: &str| {
            let is_it = |row: &Vec<Option<String>>| row.first().is_some_and(|one| one.as_deref() == Some(wanted));
            found.rows.iter().any(is_it)
        };
        let missing: Vec<String> = PRIVILEGES.into_iter().filter(|one| !has(one)).map(str::to_lowercase).collect();
        if !missing.is_empty() {
            let place = self.dialect().quote(&self.database);
            hindrances.push(Hindrance::LacksPrivileges { user, privileges: missing, place });
        }
        Ok(hindrances)
    }

    fn id(&mut self) -> Result<Option<String>, ServerError> {
        self.value("select connection_id()")
    }

    fn relations(&mut self) -> Result<Vec<String>, ServerError> {
        let found = self.ask("select table_name from information_schema.tables where table_schema = database()")?;
        Ok(found.rows.into_iter().filter_map(|row| row.into_iter().next().flatten()).collect())
    }
}

fn text(value: mysql::Value) -> Option<String> {
    match value {
        mysql::Value::NULL => None,
        mysql::Value::Bytes(bytes) => Some(match String::from_utf8(bytes) {
            Ok(text) => text,
            Err(error) => {
                let bytes = error.into_bytes();
                let digits: String = bytes.iter().take(16).map(|byte| format!("{byte:02x}")).collect();
                let rest = if bytes.len() > 16 { format!("… ({} bytes)", bytes.len()) } else { String::new() };
                format!("x'{digits}'{rest}")
            }
        }),
        other => Some(other.as_sql(true).trim_matches('\'').to_owned()),
    }
}
