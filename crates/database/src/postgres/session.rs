//! A pinned session.

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet};
use std::time::Duration;

use hollow_oak_core::physical::{self, Introspected, qualified, split};
use hollow_oak_core::plan::{Placement, Step};
use hollow_oak_core::script::ScriptStep;
use hollow_oak_core::{Dialect, Provider};
use postgres::error::SqlState;
use postgres::{Client, SimpleQueryMessage, SimpleQueryRow};

use super::catalogue::{self, Others};
use crate::error::DatabaseError;
use crate::hindrance::Hindrance;
use crate::server::{
    Again, Asked, Closing, JournalSql, Kept, Refused, ServerError, Session, Table, borne, insert_events,
};
use crate::url::ServerUrl;

/// The least version that scripts are written for.
const LEAST: (u32, &str) = (130_000, "13");

/// Every catalogue that introspection looks at. Each row in one says by which transaction it was written, and every change
/// writes a row with a later one or takes one away, so that their number and the sum of these say whether anything has
/// changed (PostgreSQL 17, "System Columns"). What `vacuum` and `analyze` find out they write into rows without a
/// transaction.
const MARKED: [&str; 45] = [
    "pg_class",
    "pg_attribute",
    "pg_attrdef",
    "pg_constraint",
    "pg_index",
    "pg_type",
    "pg_enum",
    "pg_range",
    "pg_proc",
    "pg_aggregate",
    "pg_trigger",
    "pg_rewrite",
    "pg_description",
    "pg_namespace",
    "pg_policy",
    "pg_sequence",
    "pg_inherits",
    "pg_partitioned_table",
    "pg_statistic_ext",
    "pg_extension",
    "pg_depend",
    "pg_operator",
    "pg_opclass",
    "pg_opfamily",
    "pg_collation",
    "pg_conversion",
    "pg_ts_config",
    "pg_ts_dict",
    "pg_foreign_table",
    "pg_event_trigger",
    "pg_cast",
    "pg_am",
    "pg_amop",
    "pg_amproc",
    "pg_ts_config_map",
    "pg_ts_template",
    "pg_ts_parser",
    "pg_foreign_server",
    "pg_foreign_data_wrapper",
    "pg_publication",
    "pg_publication_rel",
    "pg_default_acl",
    "pg_seclabel",
    "pg_transform",
    "pg_language",
];

/// Every statement of ours relies on these, whatever the server or the role is set to. Compiling the questions to the
/// catalogue (`jit`) takes longer than answering them. Those of the last statement not every version has, or not everybody may
/// set.
const PIN: &str = "
set client_encoding = 'UTF8';
set standard_conforming_strings = on;
set timezone = 'UTC';
set datestyle = 'ISO, YMD';
set intervalstyle = 'postgres';
set extra_float_digits = 1;
set bytea_output = 'hex';
set quote_all_identifiers = off;
set check_function_bodies = on;
set jit = off;
set default_transaction_read_only = off;
set default_transaction_isolation = 'read committed';
set client_min_messages = 'warning';
set statement_timeout = 0;
set idle_in_transaction_session_timeout = 0;
set array_nulls = on;
set transform_null_equals = off;
select set_config(name, wanted, false)
from (values ('idle_session_timeout', '0'), ('transaction_timeout', '0'), ('session_replication_role', 'origin'))
     as pinned (name, wanted)
where current_setting(name, true) <> wanted and (name like '%timeout' or current_setting('is_superuser') = 'on');
";

/// Keeps other sessions from queueing behind us for long: the segment is tried again.
const LOCK_TIMEOUT: &str = "set lock_timeout = '2s'";

const JOURNAL: JournalSql = JournalSql {
    exists: "select 1 where to_regclass('hollow_oak_journal') is not null",
    create: [
        "
create table if not exists hollow_oak_journal (
    seq bigint generated always as identity primary key,
    project text not null,
    migration text not null,
    title text not null,
    event text not null,
    step integer,
    reason text,
    overrides text,
    up_sha text,
    down_sha text,
    expected text,
    observed text,
    rules text not null,
    at timestamptz(3) not null,
    \"by\" text not null,
    host text not null,
    took_ms bigint,
    oak_version text not null,
    format integer not null
)",
        "
create table if not exists hollow_oak_store (
    kind text not null,
    hash text not null,
    content text not null,
    primary key (kind, hash)
)",
    ],
    now: "clock_timestamp()",
    at: "to_char(at at time zone 'UTC', 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"')",
    by: "\"by\"",
    user: "session_user",
    keep: ("", "on conflict do nothing"),
};

/// A session with a PostgreSQL server.
pub(super) struct PostgresSession {
    client: Client,
    url: ServerUrl,
    version: String,
    version_number: u32,
    /// The namespace that names without one are in.
    namespace: String,
    /// The others that are looked at, where the URL says which.
    others: Option<Vec<String>>,
    /// Whether a transaction begins with the next statement: the two go to the server together.
    begins: bool,
}

impl PostgresSession {
    /// Drops what is left of an index that was being built beside others (PostgreSQL 17, "CREATE INDEX", "Building Indexes
    /// Concurrently": it stays behind, invalid).
    fn sweep(&mut self, step: &ScriptStep) -> Result<(), ServerError> {
        let object = Dialect::Postgres.literal(step.object.strip_prefix("create-index ").unwrap_or_default());
        let found = self.value(&format!(
            "select quote_ident(n.nspname) || '.' || quote_ident(c.relname)
             from pg_index i
             join pg_class c on c.oid = i.indexrelid
             join pg_class t on t.oid = i.indrelid
             join pg_namespace n on n.oid = c.relnamespace
             where not i.indisvalid and {object} in (
                select schema_name || table_name || '.' || c.relname
                from (values (case when n.nspname = current_schema() then '' end),
                             (n.nspname || '.'), (quote_ident(n.nspname) || '.')) as namespaces (schema_name),
                     (values (t.relname::text), (quote_ident(t.relname))) as tables (table_name))"
        ))?;
        match found {
            Some(index) => self.execute(&format!("drop index concurrently if exists {index}")),
            None => Ok(()),
        }
    }

    /// Pins a new connection; a namespace that the URL names is made where that is asked for.
    pub(super) fn new(client: Client, url: &ServerUrl, create: bool) -> Result<Self, DatabaseError> {
        let mut session = Self {
            client,
            url: url.clone(),
            version: String::new(),
            version_number: 0,
            namespace: String::new(),
            others: None,
            begins: false,
        };
        session.execute(&format!("{PIN}{LOCK_TIMEOUT}"))?;
        let found = session
            .ask("select current_setting('server_version'), current_setting('server_version_num'), current_schema()")?;
        let mut row = found.rows.into_iter().next().unwrap_or_default().into_iter();
        let mut next = || row.next().flatten().unwrap_or_default();
        let version = next();
        session.version = format!("PostgreSQL {}", version.split(' ').next().unwrap_or_default());
        session.version_number = next().parse().unwrap_or_default();
        session.namespace = next();
        if let Some(namespace) = &url.namespace {
            session.namespace.clone_from(namespace);
            session.others = Some(url.other_namespaces.clone());
        }
        if session.version_number < LEAST.0 {
            let (provider, found) = (Provider::Postgres, session.version);
            return Err(DatabaseError::TooOld { provider, found, least: LEAST.1 });
        }
        if session.namespace.is_empty() {
            let user = url.user.clone().unwrap_or_default();
            let message = "no schema of its search path is there".to_owned();
            return Err(DatabaseError::NoRight { user, message });
        }
        let namespace = Dialect::Postgres.quote(&session.namespace);
        session.execute(&format!("set search_path = {namespace}"))?;
        if create && url.namespace.is_some() {
            session.execute(&format!("create schema if not exists {namespace}"))?;
        }
        Ok(session)
    }

    /// The rows that answer a question, as they came.
    pub(super) fn rows(&mut self, sql: &str) -> Result<Vec<SimpleQueryRow>, ServerError> {
        let sql = self.begun(sql);
        let messages = self.client.simple_query(&sql).map_err(|error| server_error(&error))?;
        let row = |message| match message {
            SimpleQueryMessage::Row(row) => Some(row),
            _ => None,
        };
        Ok(messages.into_iter().filter_map(row).collect())
    }

    /// The statement, behind what begins the transaction that it is the first of.
    fn begun<'s>(&mut self, sql: &'s str) -> Cow<'s, str> {
        match std::mem::take(&mut self.begins) {
            true => format!("begin;\n{sql}").into(),
            false => sql.into(),
        }
    }

    /// The database that this is a session with.
    pub(super) fn url(&self) -> &ServerUrl {
        &self.url
    }

    /// The mark that has the number of a transaction in it, where the question finds one.
    fn numbered(&mut self, number: &str) -> Result<Option<String>, ServerError> {
        let found = self.value(&format!(
            "select concat_ws(' ', d.oid, to_regclass('hollow_oak_journal')::oid, number)
             from pg_database d, ({number}) found (number)
             where d.datname = current_database() and to_regclass('hollow_oak_journal') is not null"
        ))?;
        Ok(found.map(|found| format!("{} {} {:?} nothing since {found}", self.version, self.namespace, self.others)))
    }

    /// Has the statements run, and takes all of it back.
    fn aside<T>(&mut self, work: impl FnOnce(&mut Self) -> Result<T, ServerError>) -> Result<T, ServerError> {
        let inside = self.value("select pg_current_xact_id_if_assigned()")?.is_some();
        // Inside a transaction of ours only its last part is taken back.
        let (begin, rollback) = match inside {
            true => ("savepoint oak_aside", "rollback to savepoint oak_aside; release savepoint oak_aside"),
            false => ("begin", "rollback"),
        };
        self.execute(begin)?;
        let result = work(self);
        self.execute(rollback)?;
        result
    }
}

/// What the driver says, in our words.
pub(super) fn server_error(error: &postgres::Error) -> ServerError {
    let provider = Provider::Postgres;
    let Some(said) = error.as_db_error() else {
        return ServerError { provider, message: error.to_string(), code: String::new(), refused: Refused::Gone };
    };
    let mut message = said.message().to_owned();
    for more in [said.detail(), said.hint()].into_iter().flatten() {
        message.push_str(&format!("; {more}"));
    }
    let code = said.code();
    let by_rows = code.code().starts_with("23")
        // A value that cannot be cast, is too long or out of range, but not one of a parameter (PostgreSQL 17, "PostgreSQL
        // Error Codes").
        || code.code().starts_with("22") && *code != SqlState::INVALID_PARAMETER_VALUE;
    let refused = match *code {
        SqlState::LOCK_NOT_AVAILABLE | SqlState::T_R_DEADLOCK_DETECTED => Refused::ByLock,
        SqlState::INSUFFICIENT_PRIVILEGE => Refused::ByRights,
        SqlState::ADMIN_SHUTDOWN | SqlState::CRASH_SHUTDOWN => Refused::Gone,
        _ if by_rows => Refused::ByRows,
        _ => Refused::Otherwise,
    };
    ServerError { provider, message, code: code.code().to_owned(), refused }
}

impl Session for PostgresSession {
    fn provider(&self) -> Provider {
        Provider::Postgres
    }

    fn dialect(&self) -> Dialect {
        Dialect::Postgres
    }

    fn version(&self) -> &str {
        &self.version
    }

    fn journal_sql(&self) -> &'static JournalSql {
        &JOURNAL
    }

    fn transactional_ddl(&self) -> bool {
        true
    }

    fn execute(&mut self, sql: &str) -> Result<(), ServerError> {
        if sql == "begin" {
            self.begins = true;
            return Ok(());
        }
        let sql = self.begun(sql);
        self.client.batch_execute(&sql).map_err(|error| server_error(&error))
    }

    fn ask(&mut self, sql: &str) -> Result<Table, ServerError> {
        let mut table = Table::default();
        let sql = self.begun(sql);
        for message in self.client.simple_query(&sql).map_err(|error| server_error(&error))? {
            match message {
                SimpleQueryMessage::RowDescription(columns) => {
                    table.columns = columns.iter().map(|column| column.name().to_owned()).collect();
                }
                SimpleQueryMessage::Row(row) => {
                    table.rows.push((0..row.len()).map(|at| row.get(at).map(str::to_owned)).collect());
                }
                _ => {}
            }
        }
        Ok(table)
    }

    fn ask_within(&mut self, sql: &str, limit: Duration) -> Result<Option<Table>, ServerError> {
        let timeout = limit.as_millis();
        self.execute(&format!("set statement_timeout = {timeout}; set default_transaction_read_only = on"))?;
        let answer = self.ask(sql);
        self.execute("set statement_timeout = 0; set default_transaction_read_only = off")?;
        match answer {
            Err(error) if error.code == SqlState::QUERY_CANCELED.code() => Ok(None),
            other => other.map(Some),
        }
    }

    fn insert_event(&mut self, event: &str) -> Result<i64, ServerError> {
        let insert = insert_events(&JOURNAL, &[event]);
        Ok(self.value(&format!("{insert} returning seq"))?.and_then(|seq| seq.parse().ok()).unwrap_or_default())
    }

    // In one go: a migration of one statement costs little more than that.
    fn commit_with(&mut self, closing: &Closing) -> Result<Option<i64>, ServerError> {
        let event = closing.event.iter().map(|event| format!("{} returning seq", insert_events(&JOURNAL, &[event])));
        let all: Vec<String> = closing.statements.iter().cloned().chain(event).chain(["commit".to_owned()]).collect();
        let seq = self.value(&all.join(";\n"))?;
        Ok(seq.and_then(|seq| seq.parse().ok()))
    }

    fn introspect(&mut self) -> Result<Introspected, ServerError> {
        let (namespace, others, version) = (self.namespace.clone(), self.others.clone(), self.version_number);
        let others = others.as_deref().map_or(Others::All, Others::Only);
        catalogue::read(self, &namespace, others, version)
    }

    // PostgreSQL 17, "Dependency Tracking": what a view reads cannot go without it.
    fn broken_views(&mut self) -> Result<Vec<String>, ServerError> {
        Ok(Vec::new())
    }

    fn catalogue_mark(&mut self) -> Result<Option<String>, ServerError> {
        // The sum of the transactions that wrote the rows, by how long they are past: a transaction's number is no number to
        // the server, and its text takes twice as long. What was there from the beginning has no age (2147483647).
        let sum = |catalogue: &&str| {
            format!(
                "(select concat_ws(' ', count(*), (count(nullif(age(xmin), 2147483647)) * past
                                                   - sum(nullif(age(xmin), 2147483647))) & 4294967295)
                  from {catalogue})"
            )
        };
        let parts: Vec<String> = MARKED.iter().map(sum).collect();
        let named = "(select string_agg(subname, ',' order by subname) from pg_subscription),
                     (select string_agg(srvname || ' ' || usename, ',' order by srvname, usename) from pg_user_mappings)";
        let roles = "(select count(*) || ' ' || coalesce(sum(hashtext(rolname)), 0) from pg_roles)";
        let found = self.value(&format!(
            "select concat_ws(',', {}, {roles}, {named}) from (select age('3'::xid)::bigint as past) first",
            parts.join(", ")
        ))?;
        Ok(found.map(|found| format!("{} {} {:?} {found}", self.version, self.namespace, self.others)))
    }

    // What others have not committed does not count.
    fn settled_mark(&mut self) -> Result<Option<String>, ServerError> {
        self.catalogue_mark()
    }

    // The transaction sees what others did before it began, and its own tables.
    fn mark_after(&mut self, _: &str, _: usize) -> Result<Option<String>, ServerError> {
        self.catalogue_mark()
    }

    // Whatever changes a catalogue in a way that counts does so in a transaction with a number. Those that have ended are
    // below the snapshot's upper end, and one that is under way is not seen (PostgreSQL 17, "Transaction ID and Snapshot
    // Information Functions"). The two identifiers tell a copy of the database from it.
    fn still_mark(&mut self) -> Result<Option<String>, ServerError> {
        self.numbered("select pg_snapshot_xmax(pg_current_snapshot())::text")
    }

    // Before the transaction's own number all have to have ended, and been seen. Its commit is the next end; where parts of it
    // had numbers of their own (savepoints), those are higher, and the text will be another.
    fn still_mark_after(&mut self) -> Result<Option<String>, ServerError> {
        self.numbered(
            "select (own::text::numeric + 1)::text
             from (select pg_current_snapshot() as seen, pg_current_xact_id() as own) moment
             where pg_snapshot_xmin(seen) = own and pg_snapshot_xmax(seen) = own",
        )
    }

    fn begin_still(&mut self) -> Result<(), ServerError> {
        self.execute("begin isolation level repeatable read")
    }

    fn begin_reading(&mut self) -> Result<(), ServerError> {
        self.execute("begin isolation level repeatable read read only")
    }

    // The key is of the project; the lock itself is of this database (PostgreSQL 17, "Advisory Locks").
    fn try_lock(&mut self, project: &str) -> Result<bool, ServerError> {
        let key = Dialect::Postgres.literal(&format!("hollow oak {project}"));
        Ok(self.value(&format!("select pg_try_advisory_lock(hashtextextended({key}, 0))"))?.as_deref() == Some("t"))
    }

    fn unlock(&mut self, project: &str) -> Result<(), ServerError> {
        let key = Dialect::Postgres.literal(&format!("hollow oak {project}"));
        self.execute(&format!("select pg_advisory_unlock(hashtextextended({key}, 0))"))
    }

    fn as_stored(&mut self, asked: &Asked) -> Result<physical::Schema, ServerError> {
        let version = self.version_number;
        let real = Dialect::Postgres.quote(&self.namespace);
        let aside = Aside::of(asked);
        self.aside(|session| {
            // Its own namespace before the real one: whatever else an expression names is found there.
            session.execute(&format!("create schema oak_aside; set local search_path = oak_aside, {real}"))?;
            for stand_in in aside.namespaces.values() {
                session.execute(&format!("create schema {stand_in}"))?;
            }
            for step in aside.steps(asked) {
                for statement in Dialect::Postgres.render(&step) {
                    session.execute(&statement)?;
                }
            }
            let others: Vec<String> = aside.namespaces.values().cloned().collect();
            let found = catalogue::read(session, "oak_aside", Others::Only(&others), version)?;
            Ok(aside.back(found.schema))
        })
    }

    /// Nobody waits for an index that is built beside others, and it waits for the transactions that began before: longer
    /// than a lock may.
    fn before_alone(&mut self, step: &ScriptStep, wait: Duration) -> Result<(), ServerError> {
        if !builds_index(step) {
            return Ok(());
        }
        self.sweep(step)?;
        self.execute(&format!("set lock_timeout = {}", wait.as_millis()))
    }

    fn after_alone(&mut self, step: &ScriptStep, failed: bool) -> Result<(), ServerError> {
        if !builds_index(step) {
            return Ok(());
        }
        let swept = if failed { self.sweep(step) } else { Ok(()) };
        self.execute(LOCK_TIMEOUT)?;
        swept
    }

    /// What is made again has lost what hung on it.
    fn kept(&mut self, step: &ScriptStep) -> Result<Kept, ServerError> {
        let sql = match borne(&step.object, "drop") {
            Some(("view", name)) => of_view(name),
            Some((kind, name)) => of_rule(kind, name),
            None => return Ok(Kept::default()),
        };
        let again = |row: Vec<Option<String>>| {
            let mut row = row.into_iter().skip(1);
            Some(Again { sql: row.next().flatten()?, declared_as: row.next().flatten() })
        };
        let found = self.ask(&sql)?;
        Ok(Kept { comments: BTreeMap::new(), afterwards: found.rows.into_iter().filter_map(again).collect() })
    }

    fn hindrances(&mut self) -> Result<Vec<Hindrance>, ServerError> {
        let (place, name) = (self.namespace.clone(), Dialect::Postgres.literal(&self.namespace));
        // What an extension brought along goes with the extension, whose owner on a rented server is nobody's to be.
        let foreign = format!(
            "from pg_class c
             where c.relnamespace = {name}::regnamespace and c.relkind in ('r', 'p', 'v', 'm')
               and not pg_has_role(c.relowner, 'usage')
               and not exists (select from pg_depend x where x.classid = 'pg_class'::regclass and x.objid = c.oid
                                 and x.refclassid = 'pg_extension'::regclass and x.deptype = 'e')"
        );
        let found = self.ask(&format!(
            "select current_user, pg_is_in_recovery(), has_schema_privilege({name}, 'create'),
                    coalesce((select string_agg(c.relname, E'\\n' order by c.relname like 'hollow%', c.relname) {foreign}), ''),
                    (select string_agg(distinct quote_ident(pg_get_userbyid(c.relowner)), ', ') {foreign})"
        ))?;
        let row = found.rows.into_iter().next().unwrap_or_default();
        let text = |at: usize| row.get(at).cloned().flatten().unwrap_or_default();
        let user = text(0);
        let mut hindrances = Vec::new();
        if text(1) == "t" {
            hindrances.push(Hindrance::ReadOnly);
        }
        if text(2) != "t" {
            hindrances.push(Hindrance::MayNotCreate { user: user.clone(), place });
        }
        let tables: Vec<String> = text(3).lines().map(str::to_owned).collect();
        if !tables.is_empty() {
            hindrances.push(Hindrance::NotOwner { user, owners: text(4), tables });
        }
        let found = self.ask("select datname from pg_database where pg_has_role(datdba, 'usage') order by 1")?;
        hindrances.extend(Hindrance::left_over(found));
        Ok(hindrances)
    }

    fn id(&mut self) -> Result<Option<String>, ServerError> {
        self.value("select pg_backend_pid()")
    }

    fn relations(&mut self) -> Result<Vec<String>, ServerError> {
        let namespace = Dialect::Postgres.literal(&self.namespace);
        let found = self.ask(&format!(
            "select nullif(n.nspname, {namespace}), c.relname from pg_class c join pg_namespace n on n.oid = c.relnamespace
             where c.relkind in ('r', 'p', 'v', 'm', 'f') and n.nspname !~ '^pg_' and n.nspname <> 'information_schema'"
        ))?;
        let name = |row: Vec<Option<String>>| {
            let mut row = row.into_iter();
            let (namespace, name) = (row.next().flatten(), row.next().flatten()?);
            Some(qualified(namespace.as_deref(), &name))
        };
        Ok(found.rows.into_iter().filter_map(name).collect())
    }
}

/// Where things are made aside: what is in a namespace is made in one that stands for it.
struct Aside {
    /// The stand-ins, by what they stand for.
    namespaces: BTreeMap<String, String>,
}

impl Aside {
    fn of(asked: &Asked) -> Self {
        let names = asked.tables.iter().map(|one| &one.name).chain(asked.views.iter().map(|one| &one.name));
        let found: BTreeSet<String> = names.filter_map(|name| Some(split(name).0?.to_owned())).collect();
        let stand_in = |(at, name): (usize, String)| (name, format!("oak_aside_{}", at + 1));
        Self { namespaces: found.into_iter().enumerate().map(stand_in).collect() }
    }

    /// The name of a table or view aside.
    fn name(&self, name: &str) -> String {
        let (namespace, base) = split(name);
        match namespace.and_then(|one| self.namespaces.get(one)) {
            Some(stand_in) => format!("{stand_in}.{base}"),
            None => name.to_owned(),
        }
    }

    fn steps(&self, asked: &Asked) -> Vec<Step> {
        // Types of other namespaces are found where they are.
        let enums = asked.enums.iter().filter(|one| split(&one.name).0.is_none()).cloned();
        let mut steps: Vec<Step> = enums.map(Step::CreateEnum).collect();
        for table in &asked.tables {
            let table = physical::Table { name: self.name(&table.name), ..table.clone() };
            steps.push(Step::CreateTable(table.clone()));
            let indexes = table.indexes.iter().cloned();
            steps.extend(indexes.map(|index| Step::CreateIndex { table: table.name.clone(), index }));
        }
        steps.extend(asked.views.iter().map(|view| {
            let name = self.name(&view.name);
            let (word, quoted) = (view.kind.word(), Dialect::Postgres.quote_object(&name));
            let create = format!("create {word} {quoted} as\n{}", view.body.text());
            Step::CreateProgram(physical::Program { create, name, ..view.clone() })
        }));
        steps
    }

    /// What was made aside, under its own names.
    fn back(&self, found: physical::Schema) -> physical::Schema {
        let real = |name: &str| {
            let (namespace, base) = split(name);
            let stands_for = self.namespaces.iter().find(|(_, stand_in)| Some(stand_in.as_str()) == namespace);
            stands_for.map_or_else(|| name.to_owned(), |(namespace, _)| format!("{namespace}.{base}"))
        };
        let programs: Vec<_> =
            found.programs().map(|one| physical::Program { name: real(&one.name), ..one.clone() }).collect();
        let (case, enums) = (found.case(), found.enums().cloned().collect::<Vec<_>>());
        let tables = found.into_tables().map(|table| physical::Table { name: real(&table.name), ..table });
        physical::Schema::new(case, tables).with_enums(enums).with_programs(programs)
    }
}

/// What something of `pg_class` is called in a step: with its namespace where it is not the one that is worked in.
fn label(class: &str) -> String {
    format!(
        "(case when {class}.relnamespace = current_schema()::regnamespace then '' else {class}.relnamespace::regnamespace || '.' end
          || {class}.relname)"
    )
}

/// Whether a step builds an index while others read and write.
fn builds_index(step: &ScriptStep) -> bool {
    step.placement == Placement::Outside && step.object.starts_with("create-index ")
}

/// What a view has that goes with it: privileges beside those that a new one gets, a description, indexes, rules, triggers.
fn of_view(name: &str) -> String {
    let name = Dialect::Postgres.literal(&Dialect::Postgres.quote_object(name));
    let (index, view) = (label("c"), label("v"));
    format!(
        "with view as (select oid, relname, relkind, relacl, relowner, relnamespace from pg_class where oid = to_regclass({name}))
         select 1, 'revoke all on ' || v.oid::regclass || ' from '
                || case when a.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(a.grantee)) end, null
         from view v join pg_default_acl d on d.defaclobjtype = 'r' and d.defaclnamespace in (0, v.relnamespace)
              and d.defaclrole = (select oid from pg_roles where rolname = current_user),
              aclexplode(d.defaclacl) a where a.grantee <> v.relowner
         union all
         select 2, 'grant ' || a.privilege_type || ' on ' || oid::regclass || ' to '
                || case when a.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(a.grantee)) end
                || case when a.is_grantable then ' with grant option' else '' end, null
         from view, aclexplode(relacl) a where a.grantee <> relowner
         union all
         select 2, 'grant ' || g.privilege_type || ' (' || quote_ident(a.attname) || ') on ' || v.oid::regclass || ' to '
                || case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end
                || case when g.is_grantable then ' with grant option' else '' end, null
         from view v join pg_attribute a on a.attrelid = v.oid, aclexplode(a.attacl) g where g.grantee <> v.relowner
         union all
         select 3, 'comment on ' || case relkind when 'm' then 'materialized view ' else 'view ' end || oid::regclass
                || ' is ' || quote_literal(obj_description(oid, 'pg_class')), null
         from view where obj_description(oid, 'pg_class') is not null
         union all
         select 4, pg_get_indexdef(i.indexrelid), 'create-object index ' || {index}
         from view v join pg_index i on i.indrelid = v.oid join pg_class c on c.oid = i.indexrelid
         union all
         select 5, pg_get_ruledef(r.oid), 'create-object rule ' || r.rulename || ' on ' || {view}
         from view v join pg_rewrite r on r.ev_class = v.oid where r.rulename <> '_RETURN'
         union all
         select 6, pg_get_triggerdef(t.oid), 'create-trigger ' || t.tgname
         from view v join pg_trigger t on t.tgrelid = v.oid where not t.tgisinternal
         order by 1, 2"
    )
}

/// What a trigger, rule or policy has that goes with it: when it fires, and a description. Its name may be followed by its
/// table's.
fn of_rule(kind: &str, name: &str) -> String {
    let (name, table) = name.split_once(" on ").map_or((name, None), |(name, table)| (name, Some(table)));
    let literal = |text: &str| Dialect::Postgres.literal(text);
    let of_table = table.map_or_else(String::new, |table| {
        format!(" and c.oid = to_regclass({})", literal(&Dialect::Postgres.quote_object(table)))
    });
    let (catalogue, prefix, relation, enabled) = match kind {
        "trigger" => ("pg_trigger", "tg", "tgrelid", "x.tgenabled"),
        "rule" => ("pg_rewrite", "rule", "ev_class", "x.ev_enabled"),
        _ => ("pg_policy", "pol", "polrelid", "'O'::\"char\""),
    };
    let owner = label("c");
    format!(
        "with x as (select x.oid, x.{prefix}name as name, {enabled} as state, c.oid::regclass as owner, {owner} as label
                    from {catalogue} x join pg_class c on c.oid = x.{relation}
                    where x.{prefix}name = {}{of_table})
         select 1, 'alter table ' || owner || case state when 'D' then ' disable ' when 'R' then ' enable replica '
                                              else ' enable always ' end || '{kind} ' || quote_ident(name),
                'create-object firing ' || name || ' on ' || label
         from x where state <> 'O'
         union all
         select 2, 'comment on {kind} ' || quote_ident(name) || ' on ' || owner || ' is '
                   || quote_literal(obj_description(oid, '{catalogue}')), null
         from x where obj_description(oid, '{catalogue}') is not null
         order by 1",
        literal(name)
    )
}
