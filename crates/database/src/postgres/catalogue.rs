//! The catalogue of one namespace, by a fixed number of queries over `pg_catalog` (PostgreSQL 17, "System Catalogs").

mod ahead;
mod objects;
mod partitions;
mod rarer;
mod tables;

use std::collections::{BTreeMap, BTreeSet};

use hollow_oak_core::dialect::postgres::catalogue::{Catalogue, OtherRow, description_of_namespace, introspect};
use hollow_oak_core::physical::{Introspected, ObjectKind};

use postgres::SimpleQueryRow;

use super::session::PostgresSession;
use crate::server::{ServerError, Session};

type Row = SimpleQueryRow;

/// A value of a row, as text.
fn value(row: &Row, at: usize) -> Option<&str> {
    row.try_get(at).ok().flatten()
}

fn text(row: &Row, at: usize) -> String {
    optional(row, at).unwrap_or_default()
}

/// The same where it may be null.
fn optional(row: &Row, at: usize) -> Option<String> {
    value(row, at).map(str::to_owned)
}

fn truth(row: &Row, at: usize) -> bool {
    value(row, at) == Some("t")
}

fn number<T: std::str::FromStr + Default>(row: &Row, at: usize) -> T {
    value(row, at).and_then(|text| text.parse().ok()).unwrap_or_default()
}

fn letter(row: &Row, at: usize) -> char {
    value(row, at).and_then(|text| text.chars().next()).unwrap_or(' ')
}

/// Numbers separated by commas or spaces, as arrays and vectors are written.
fn numbers<T: std::str::FromStr>(row: &Row, at: usize) -> Vec<T> {
    let list = value(row, at).unwrap_or_default();
    list.split([',', ' ', '{', '}']).filter_map(|one| one.parse().ok()).collect()
}

/// A list whose parts are separated by line ends.
fn lines(row: &Row, at: usize) -> Vec<String> {
    value(row, at).map(|list| list.split('\n').map(str::to_owned).collect()).unwrap_or_default()
}

/// The last part of a name.
fn last(name: &str) -> &str {
    name.rsplit_once('.').map_or(name, |(_, last)| last)
}

/// Whether something is the tool's own.
fn is_ours(name: &str) -> bool {
    last(name).starts_with("hollow_oak_")
}

/// Whether a namespace is one that expressions are tried in.
fn is_aside(namespace: &str) -> bool {
    namespace.starts_with("oak_aside")
}

/// `with (…)` of storage parameters and a view's options, each given as `name=value`.
fn with_parameters(parameters: Vec<String>) -> String {
    let stated: Vec<String> = parameters
        .iter()
        .map(|one| one.split_once('=').map_or_else(|| one.clone(), |(name, value)| format!("{name} = {value}")))
        .collect();
    if stated.is_empty() { String::new() } else { format!(" with ({})", stated.join(", ")) }
}

/// Of each expression of an index, whether its definition states a collation behind it.
fn stated_collations(definition: &str, expressions: &[String]) -> Vec<bool> {
    let mut rest = definition;
    let stated = expressions.iter().map(|text| {
        let Some((_, behind)) = rest.split_once(text.as_str()) else { return false };
        rest = behind;
        rest.trim_start_matches(')').starts_with(" COLLATE ")
    });
    stated.collect()
}

/// SQL for the name of a collation: those of the server have no namespace.
fn collation_name(row: &str) -> String {
    format!(
        "case when {row}.collnamespace = 'pg_catalog'::regnamespace then {row}.collname
              else $name({row}.collnamespace, {row}.collname) end"
    )
}

/// Says something where it holds.
fn said(list: &mut Vec<String>, holds: bool, words: impl Into<String>) {
    if holds {
        list.push(words.into());
    }
}

/// Which of the rarer things there are at all. Asking for those that are not there would be half of the time that a small
/// database takes.
#[derive(Clone, Copy, Default)]
struct Presence {
    routines: bool,
    triggers: bool,
    types: bool,
    rules: bool,
    materialized_views: bool,
    descriptions: bool,
    class_descriptions: bool,
    grants: bool,
    operators: bool,
    collations: bool,
    foreign: bool,
    database_wide: bool,
    firing: bool,
    partitions: bool,
    view_parts: bool,
}

struct Reader<'a> {
    session: &'a mut PostgresSession,
    /// The namespaces that are read: the identifier of the one that is worked in, and of the others.
    namespaces: Vec<String>,
    /// Namespaces that are not read, each with its description.
    passed_over: Vec<(String, Option<String>)>,
    version: u32,
    catalogue: Catalogue,
    /// Names of relations by their identifiers.
    relations: BTreeMap<u32, String>,
    /// Own tables of the tool, which do not count.
    own: BTreeSet<u32>,
    /// The collations of columns, by table and number.
    collations: BTreeMap<u32, BTreeMap<i16, u32>>,
    /// Indexes that constraints brought along.
    of_constraints: BTreeSet<u32>,
    /// Sequences that are not inside an identity column.
    sequences: Vec<Row>,
    presence: Presence,
    /// Answers that are there before they are asked for, by their questions.
    answers: BTreeMap<String, Vec<Row>>,
}

/// Right after a migration the server does not know yet how large its catalogues have become, and would look rows up one by
/// one. And where a hash of rows is larger than `work_mem`, it is divided, which does not help for those that all say the same,
/// as most constraints do that they have no index: at 5,000 tables the 4 MB of the usual setting made 8,192 parts of them, and
/// one question took 5.7 s instead of 0.8.
const FOR_READING: &str = "set enable_nestloop = off; set work_mem = '128MB'";

/// Which namespaces are read beside the one that is worked in.
pub(super) enum Others<'a> {
    /// All that somebody made.
    All,
    /// These; the rest is only named.
    Only(&'a [String]),
}

/// Reads the namespace that is worked in, and others.
pub(super) fn read(
    session: &mut PostgresSession,
    namespace: &str,
    others: Others<'_>,
    version: u32,
) -> Result<Introspected, ServerError> {
    let mut reader = Reader {
        session,
        namespaces: Vec::new(),
        passed_over: Vec::new(),
        version,
        catalogue: Catalogue::default(),
        relations: BTreeMap::new(),
        own: BTreeSet::new(),
        collations: BTreeMap::new(),
        of_constraints: BTreeSet::new(),
        sequences: Vec::new(),
        presence: Presence::default(),
        answers: BTreeMap::new(),
    };
    reader.session.execute(FOR_READING)?;
    reader.all(namespace, others)?;
    reader.session.execute("reset enable_nestloop; reset work_mem")?;
    Ok(introspect(reader.catalogue))
}

impl Reader<'_> {
    fn all(&mut self, namespace: &str, others: Others<'_>) -> Result<(), ServerError> {
        self.namespaces(namespace, others)?;
        self.ahead()?;
        self.relations()?;
        self.columns()?;
        self.constraints()?;
        self.indexes()?;
        self.words()?;
        self.programs()?;
        self.others()
    }

    fn ask(&mut self, sql: &str) -> Result<Vec<Row>, ServerError> {
        let sql = self.in_namespaces(sql);
        match self.answers.remove(&sql) {
            Some(rows) => Ok(rows),
            None => self.session.rows(&sql),
        }
    }

    /// Fills in which namespaces are meant: `x $namespaces` where x is the identifier of one of them, `$name(x, y)` for the
    /// name y in the namespace x as the model has it, `$sql(x, y)` for it as SQL text, `$own(x, y)` where y of the catalogue
    /// x came with nothing else, and `$brought(x, y)` where an extension brought it.
    fn in_namespaces(&self, sql: &str) -> String {
        let default = self.namespaces.first().map_or("0", String::as_str);
        let among = match &self.namespaces[..] {
            [_, _, ..] => format!("= any ('{{{}}}'::oid[])", self.namespaces.join(",")),
            _ => format!("= {default}::oid"),
        };
        let mut text = String::with_capacity(sql.len() * 2);
        let mut rest = sql;
        while let Some((before, behind)) = rest.split_once('$') {
            text.push_str(before);
            let call = |word: &str| -> Option<(&str, &str, &str)> {
                let (inner, rest) = behind.strip_prefix(word)?.split_once(')')?;
                let (namespace, name) = inner.split_once(", ")?;
                Some((namespace, name, rest))
            };
            rest = if let Some((namespace, name, rest)) = call("name(") {
                // A part with a point or a quote in it is in double quotes.
                let part = |name: &str| {
                    format!(
                        "case when {name} ~ '[.\"]' then '\"' || replace({name}, '\"', '\"\"') || '\"' else {name}::text end"
                    )
                };
                let namespace_name = format!("(select nspname from pg_namespace where oid = {namespace})");
                text.push_str(&format!(
                    "(case when {namespace} = {default}::oid then '' else {} || '.' end || {})",
                    part(&namespace_name),
                    part(name)
                ));
                rest
            } else if let Some((catalogue, object, rest)) = call("own(") {
                // What an extension brought, or a range type, is theirs. A catalogue's name, or a column with its number.
                let class =
                    if catalogue.contains('.') { catalogue.to_owned() } else { format!("'{catalogue}'::regclass") };
                text.push_str(&format!(
                    "not exists (select from pg_depend another where another.classid = {class}
                      and another.objid = {object} and another.deptype in ('e', 'i'))"
                ));
                rest
            } else if let Some((catalogue, object, rest)) = call("brought(") {
                text.push_str(&format!(
                    "exists (select from pg_depend another where another.classid = '{catalogue}'::regclass
                      and another.objid = {object} and another.deptype = 'e')"
                ));
                rest
            } else if let Some((namespace, name, rest)) = call("sql(") {
                text.push_str(&format!(
                    "(case when {namespace} = {default}::oid then '' else {namespace}::regnamespace || '.' end
                      || quote_ident({name}))"
                ));
                rest
            } else if let Some(rest) = behind.strip_prefix("namespaces") {
                text.push_str(&among);
                rest
            } else if let Some(rest) = behind.strip_prefix("default") {
                text.push_str(&format!("{default}::oid"));
                rest
            } else {
                text.push('$');
                behind
            };
        }
        text.push_str(rest);
        text
    }

    /// Finds the namespaces. One that is worked in, or is there on every server, is not told of.
    fn namespaces(&mut self, worked_in: &str, others: Others<'_>) -> Result<(), ServerError> {
        let rows = self.ask(
            "select n.oid, n.nspname, d.description, n.nspname = 'public' and not exists (
                        select from pg_class c where c.relnamespace = n.oid), $own(pg_namespace, n.oid)
             from pg_namespace n
             left join pg_description d on d.objoid = n.oid and d.classoid = 'pg_namespace'::regclass
             where n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
               and ($own(pg_namespace, n.oid)
                    or exists (select from pg_class c where c.relnamespace = n.oid and c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')
                                                        and $own(pg_class, c.oid)))
             order by n.nspname",
        )?;
        // What somebody else made in a namespace of an extension is looked at by nobody, but said.
        let (rows, brought): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(|row| truth(row, 4));
        self.passed_over.extend(brought.iter().map(|row| (text(row, 1), optional(row, 2))));
        let is_here = |row: &Row| value(row, 1) == Some(worked_in);
        let (here, elsewhere): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(is_here);
        let mut worked_in_as = "0".to_owned();
        for row in here {
            self.catalogue.others.extend(description_of_namespace(worked_in, optional(&row, 2).as_deref()));
            worked_in_as = text(&row, 0);
        }
        self.namespaces = vec![worked_in_as];
        for row in &elsewhere {
            let (name, comment) = (text(row, 1), optional(row, 2));
            let is_read = match others {
                Others::All => !is_aside(&name) && !truth(row, 3),
                Others::Only(names) => names.contains(&name),
            };
            if is_read {
                self.namespaces.push(text(row, 0));
                let quoted = self.session.dialect().quote(&name);
                self.catalogue.others.push(OtherRow {
                    kind: ObjectKind::Namespace,
                    table: None,
                    sql: format!("create schema {quoted}"),
                    drop: format!("drop schema {quoted}"),
                    after: Vec::new(),
                    comment,
                    name,
                });
            } else if !is_aside(&name) && !truth(row, 3) {
                self.passed_over.push((name, comment));
            }
        }
        Ok(())
    }

    /// A column of the catalogue that is there from a version on, else what stands for it.
    fn since(&self, version: u32, column: &str, otherwise: &str) -> String {
        if self.version >= version { column.to_owned() } else { otherwise.to_owned() }
    }

    /// Something that is only named, or whose kind says how it is dropped.
    fn other(&mut self, kind: ObjectKind, name: String, table: Option<String>, sql: String, comment: Option<String>) {
        let (drop, after) = (String::new(), Vec::new());
        self.catalogue.others.push(OtherRow { kind, name, table, sql, drop, after, comment });
    }

    /// Objects from rows of name, what makes it, what drops it, description, and what has to be there before, by lines.
    fn objects(&mut self, kind: ObjectKind, sql: &str) -> Result<(), ServerError> {
        for row in self.ask(sql)? {
            self.catalogue.others.push(OtherRow {
                kind,
                name: text(&row, 0),
                table: None,
                sql: text(&row, 1),
                drop: text(&row, 2),
                comment: optional(&row, 3),
                after: lines(&row, 4),
            });
        }
        Ok(())
    }

    fn presence(&mut self) -> Result<(), ServerError> {
        // What a user makes has numbers from 16384 on (PostgreSQL 17, `transam.h`, `FirstNormalObjectId`).
        let compressed = self.since(140_000, "a.attcompression <> ''", "false");
        let rows = self.ask(&format!(
            "with relation as (select bool_or(relkind = 'm') as keeps, bool_or(relkind = 'v') as views, bool_or(relkind = 'c') as types,
                                      bool_or(relkind in ('v', 'm', 'f') or relispartition) as others,
                                      bool_or(relispartition) as parts, bool_or(relacl is not null) as granted
                               from pg_class where relnamespace $namespaces),
                  routine as (select count(*) > 0 as made, bool_or(proacl is not null) as granted
                              from pg_proc where pronamespace $namespaces),
                  fires as (select bool_or(not tgisinternal) as made, bool_or(tgenabled <> 'O' and not tgisinternal) as otherwise
                            from pg_trigger)
             select routine.made, fires.made,
                    relation.types or exists (select from pg_type t where t.typnamespace $namespaces and t.oid >= 16384
                        and (t.typtype in ('d', 'r', 'p') or t.typtype = 'b' and t.typcategory <> 'A')),
                    exists (select from pg_policy) or exists (select from pg_statistic_ext)
                        or exists (select from pg_rewrite where rulename <> '_RETURN' and ev_class >= 16384),
                    relation.keeps,
                    exists (select from pg_description where objoid >= 16384 and classoid not in ('pg_class'::regclass,
                                'pg_proc'::regclass, 'pg_type'::regclass, 'pg_trigger'::regclass, 'pg_namespace'::regclass,
                                'pg_extension'::regclass)),
                    exists (select from pg_description d join pg_class c on c.oid = d.objoid
                            where d.classoid = 'pg_class'::regclass
                              and (c.relkind in ('i', 'I', 'f')
                                   or d.objsubid > 0 and (c.relkind in ('v', 'm', 'c') or c.relispartition))),
                    relation.granted or routine.granted
                        or exists (select from pg_namespace n
                                   left join pg_init_privs i on i.objoid = n.oid and i.classoid = 'pg_namespace'::regclass
                                   where n.oid $namespaces and (n.nspacl is distinct from i.initprivs or i.objoid is null and n.nspname = 'public'))
                        or exists (select from pg_type where typacl is not null and typnamespace $namespaces)
                        or case when relation.others then exists (
                            select from pg_attribute where attacl is not null and attrelid >= 16384) end,
                    exists (select from pg_operator where oid >= 16384) or exists (select from pg_ts_config where oid >= 16384)
                        or exists (select from pg_ts_dict where oid >= 16384)
                        or exists (select from pg_ts_template where oid >= 16384)
                        or exists (select from pg_ts_parser where oid >= 16384)
                        or exists (select from pg_opfamily where oid >= 16384),
                    exists (select from pg_collation where collnamespace $namespaces)
                        or exists (select from pg_conversion where oid >= 16384),
                    exists (select from pg_foreign_data_wrapper),
                    exists (select from pg_event_trigger) or exists (select from pg_publication)
                        or exists (select from pg_default_acl) or exists (select from pg_cast where oid >= 16384)
                        or exists (select from pg_language where oid >= 16384) or exists (select from pg_am where oid >= 16384)
                        or exists (select from pg_seclabel) or exists (select subname from pg_subscription),
                    fires.otherwise or exists (select from pg_rewrite where ev_enabled <> 'O'),
                    relation.parts,
                    case when relation.views then exists (
                        select from pg_attrdef d join pg_class c on c.oid = d.adrelid where c.relkind = 'v') end
                    or case when relation.keeps then exists (
                        select from pg_attribute a join pg_class c on c.oid = a.attrelid
                        join pg_type t on t.oid = a.atttypid
                        where c.relkind = 'm' and a.attnum > 0
                          and (a.attstattarget >= 0 or a.attstorage <> t.typstorage or {compressed})) end
             from relation, routine, fires"
        ))?;
        if let Some(row) = rows.first() {
            self.presence = Presence {
                routines: truth(row, 0),
                triggers: truth(row, 1),
                types: truth(row, 2),
                rules: truth(row, 3),
                materialized_views: truth(row, 4),
                descriptions: truth(row, 5),
                class_descriptions: truth(row, 6),
                grants: truth(row, 7),
                operators: truth(row, 8),
                collations: truth(row, 9),
                foreign: truth(row, 10),
                database_wide: truth(row, 11),
                firing: truth(row, 12),
                partitions: truth(row, 13),
                view_parts: truth(row, 14),
            };
        }
        Ok(())
    }
}
