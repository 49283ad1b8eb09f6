//! The catalogue of one namespace, by a fixed number of queries over `pg_catalog` (PostgreSQL 17, "System Catalogs").

mod partitions;
mod rarer;

use std::collections::{BTreeMap, BTreeSet};

use hollow_oak_core::dialect::postgres::catalogue::{
    Catalogue, ColumnRow, ConstraintRow, IndexRow, OtherRow, SequenceRow, TableRow, WordRow, introspect,
};
use hollow_oak_core::physical::{Introspected, ObjectKind};

use super::session::PostgresSession;
use crate::kept::is_own_table;
use crate::server::{ServerError, Session};

type Row = Vec<Option<String>>;

/// A value of a row, which is taken out of it.
fn text(row: &mut Row, at: usize) -> String {
    optional(row, at).unwrap_or_default()
}

/// The same where it may be null.
fn optional(row: &mut Row, at: usize) -> Option<String> {
    row.get_mut(at).and_then(Option::take)
}

fn truth(row: &Row, at: usize) -> bool {
    row.get(at).is_some_and(|value| value.as_deref() == Some("t"))
}

fn number<T: std::str::FromStr + Default>(row: &Row, at: usize) -> T {
    row.get(at).and_then(|value| value.as_ref()?.parse().ok()).unwrap_or_default()
}

fn letter(row: &Row, at: usize) -> char {
    row.get(at).and_then(|value| value.as_ref()?.chars().next()).unwrap_or(' ')
}

/// Numbers separated by commas or spaces, as arrays and vectors are written.
fn numbers<T: std::str::FromStr>(row: &Row, at: usize) -> Vec<T> {
    let list = row.get(at).and_then(Option::as_deref).unwrap_or_default();
    list.split([',', ' ', '{', '}']).filter_map(|one| one.parse().ok()).collect()
}

/// A list whose parts are separated by line ends.
fn lines(row: &mut Row, at: usize) -> Vec<String> {
    optional(row, at).map(|list| list.split('\n').map(str::to_owned).collect()).unwrap_or_default()
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
}

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
    };
    // Right after a migration the server does not know yet how large its catalogues have become, and would look rows up one
    // by one.
    reader.session.execute("set enable_nestloop = off")?;
    reader.all(namespace, others)?;
    reader.session.execute("reset enable_nestloop")?;
    Ok(introspect(reader.catalogue))
}

impl Reader<'_> {
    fn all(&mut self, namespace: &str, others: Others<'_>) -> Result<(), ServerError> {
        self.namespaces(namespace, others)?;
        self.presence()?;
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
        Ok(self.session.ask(&sql)?.rows)
    }

    /// Fills in which namespaces are meant: `x $namespaces` where x is the identifier of one of them, `$name(x, y)` for the
    /// name y in the namespace x as the model has it, `$sql(x, y)` for it as SQL text, and `$own(x, y)` where y of the catalogue
    /// x came with nothing else.
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
                        select from pg_class c where c.relnamespace = n.oid)
             from pg_namespace n
             left join pg_description d on d.objoid = n.oid and d.classoid = 'pg_namespace'::regclass
             where n.nspname !~ '^pg_' and n.nspname <> 'information_schema'
               and $own(pg_namespace, n.oid)
             order by n.nspname",
        )?;
        let is_here = |row: &Row| row.get(1).and_then(Option::as_deref) == Some(worked_in);
        let (here, elsewhere): (Vec<Row>, Vec<Row>) = rows.into_iter().partition(is_here);
        self.namespaces = vec![here.into_iter().next().map_or_else(|| "0".to_owned(), |mut row| text(&mut row, 0))];
        for mut row in elsewhere {
            let row = &mut row;
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
        for mut row in self.ask(sql)? {
            self.catalogue.others.push(OtherRow {
                kind,
                name: text(&mut row, 0),
                table: None,
                sql: text(&mut row, 1),
                drop: text(&mut row, 2),
                comment: optional(&mut row, 3),
                after: lines(&mut row, 4),
            });
        }
        Ok(())
    }

    fn presence(&mut self) -> Result<(), ServerError> {
        // What a user makes has numbers from 16384 on (PostgreSQL 17, `transam.h`, `FirstNormalObjectId`).
        let rows = self.ask(
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
                        and (t.typtype in ('d', 'r') or t.typtype = 'b' and t.typelem = 0)),
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
                                   where n.oid $namespaces and n.nspacl is distinct from i.initprivs)
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
                        where c.relkind = 'm' and a.attnum > 0 and a.attstattarget >= 0) end
             from relation, routine, fires",
        )?;
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

    fn relations(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select c.oid, $name(c.relnamespace, c.relname), c.relkind, c.relpersistence,
                    case when toast.oid is null then array_to_string(c.reloptions, E'\\n')
                         else concat_ws(E'\\n', array_to_string(c.reloptions, E'\\n'),
                                        'toast.' || array_to_string(toast.reloptions, E'\\ntoast.')) end, d.description,
                    c.relispartition, exists (select from pg_inherits i where i.inhrelid = c.oid), c.relrowsecurity,
                    c.relforcerowsecurity, nullif(am.amname, 'heap'), ts.spcname, c.relreplident,
                    nullif(c.reloftype, 0)::regtype,
                    case when c.relkind in ('v', 'm') then pg_get_viewdef(c.oid) end,
                    exists (select from pg_depend x where x.classid = 'pg_class'::regclass and x.objid = c.oid
                                and x.deptype in ('e', 'i')) and c.relkind <> 'p' and not c.relispartition,
                    case when c.relkind = 'p' then pg_get_partkeydef(c.oid) end,
                    (select string_agg($sql(pc.relnamespace, pc.relname), ', ' order by i.inhseqno)
                     from pg_inherits i join pg_class pc on pc.oid = i.inhparent
                     where i.inhrelid = c.oid and not c.relispartition),
                    case when c.relispartition then (select $name(pc.relnamespace, pc.relname) from pg_inherits i
                        join pg_class pc on pc.oid = i.inhparent where i.inhrelid = c.oid) end,
                    pg_get_expr(c.relpartbound, c.oid)
             from pg_class c
             left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0
             left join pg_am am on am.oid = c.relam
             left join pg_tablespace ts on ts.oid = c.reltablespace
             left join pg_class toast on toast.oid = c.reltoastrelid and toast.relkind = 't' and toast.reloptions is not null
             where c.relnamespace $namespaces and c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')",
        )?;
        for mut row in rows {
            let (oid, name) = (number::<u32>(&row, 0), text(&mut row, 1));
            if is_own_table(last(&name)) {
                self.own.insert(oid);
                continue;
            }
            // Of an extension, or the sequence inside an identity column.
            if truth(&row, 15) || is_ours(&name) {
                continue;
            }
            self.relations.insert(oid, name.clone());
            let kind = match letter(&row, 2) {
                'r' | 'p' if !truth(&row, 6) => {
                    let table = self.table(oid, name, &mut row);
                    self.catalogue.tables.push(table);
                    continue;
                }
                'r' | 'p' => {
                    self.partition(name, &mut row);
                    continue;
                }
                'v' => ObjectKind::View,
                'm' => ObjectKind::MaterializedView,
                _ => continue,
            };
            self.view(kind, name, &mut row);
        }
        Ok(())
    }

    /// A view. What goes beyond a query, a view of the language cannot say: then it is an object.
    fn view(&mut self, kind: ObjectKind, name: String, row: &mut Row) {
        let (query, comment) = (text(row, 14), optional(row, 5));
        let mut clauses = String::new();
        if let Some(method) = optional(row, 10) {
            clauses.push_str(&format!(" using {method}"));
        }
        clauses.push_str(&with_parameters(lines(row, 4)));
        if let Some(place) = optional(row, 11) {
            clauses.push_str(&format!(" tablespace {place}"));
        }
        if clauses.is_empty() {
            return self.other(kind, name, None, query, comment);
        }
        let quoted = self.session.dialect().quote_object(&name);
        let query = query.trim().trim_end_matches(';');
        self.catalogue.others.push(OtherRow {
            kind,
            sql: format!("create {kind} {quoted}{clauses} as\n{query}"),
            drop: format!("drop {kind} {quoted}"),
            name,
            table: None,
            after: Vec::new(),
            comment,
        });
    }

    fn table(&mut self, oid: u32, name: String, row: &mut Row) -> TableRow {
        let mut peculiarities = Vec::new();
        if let Some(key) = optional(row, 16) {
            let (method, columns) = key.split_once(' ').unwrap_or((&key, ""));
            peculiarities.push(format!("partition by {} {columns}", method.to_ascii_lowercase()));
        }
        if let Some(parents) = optional(row, 17) {
            peculiarities.push(format!("inherits ({parents})"));
        }
        if let Some(method) = optional(row, 10) {
            peculiarities.push(format!("using {method}"));
        }
        if let Some(place) = optional(row, 11) {
            peculiarities.push(format!("tablespace {place}"));
        }
        let identity = letter(row, 12);
        said(&mut peculiarities, identity == 'f', "replica identity full");
        said(&mut peculiarities, identity == 'n', "replica identity nothing");
        if let Some(ty) = optional(row, 13) {
            peculiarities.push(format!("of {ty}"));
        }
        self.security(&name, row);
        TableRow {
            oid,
            name,
            persistence: letter(row, 3),
            parameters: lines(row, 4),
            peculiarities,
            comment: optional(row, 5),
        }
    }

    /// Whether policies are in force on a table or a part of one.
    fn security(&mut self, name: &str, row: &Row) {
        let quoted = self.session.dialect().quote_object(name);
        for (is_on, word, reset) in [(truth(row, 8), "enable", "disable"), (truth(row, 9), "force", "no force")] {
            if is_on {
                let action = |word: &str| format!("alter table {quoted} {word} row level security");
                self.catalogue.others.push(OtherRow {
                    kind: ObjectKind::Security,
                    name: if word == "force" { format!("{name} forced") } else { name.to_owned() },
                    table: None,
                    sql: action(word),
                    drop: action(reset),
                    after: vec![name.to_owned()],
                    comment: None,
                });
            }
        }
    }

    fn columns(&mut self) -> Result<(), ServerError> {
        let collation = collation_name("co");
        let compression = self.since(140_000, "nullif(a.attcompression::text, '')", "null");
        let rows = self.ask(&format!(
            "select a.attrelid, a.attnum, a.attname, format_type(a.atttypid, a.atttypmod),
                    case when t.typtype = 'e' and t.typnamespace $namespaces then $name(t.typnamespace, t.typname)
                         when e.typtype = 'e' and e.typnamespace $namespaces then $name(e.typnamespace, e.typname) end,
                    a.attnotnull, a.attidentity, a.attgenerated,
                    pg_get_expr(ad.adbin, case when a.attgenerated = '' then 0 else a.attrelid end),
                    case when a.attcollation <> t.typcollation then {collation} end,
                    case when a.attstorage <> t.typstorage then
                        case a.attstorage when 'p' then 'plain' when 'e' then 'external' when 'm' then 'main'
                                          else 'extended' end end,
                    case {compression} when 'p' then 'pglz' when 'l' then 'lz4' end,
                    nullif(a.attstattarget, -1), array_to_string(a.attoptions, E'\\n'), d.description, a.attislocal,
                    a.attcollation, case when a.attacl is not null then true end
             from pg_attribute a
             join pg_class c on c.oid = a.attrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                  and not c.relispartition
             join pg_type t on t.oid = a.atttypid
             left join pg_type e on e.oid = t.typelem and t.typelem <> 0
             left join pg_collation co on co.oid = a.attcollation
             left join pg_attrdef ad on ad.adrelid = a.attrelid and ad.adnum = a.attnum
             left join pg_description d on d.objoid = a.attrelid and d.classoid = 'pg_class'::regclass
                  and d.objsubid = a.attnum
             where a.attnum > 0 and not a.attisdropped"
        ))?;
        let numbering = self.numbering()?;
        for mut row in rows {
            let (table, column) = (number::<u32>(&row, 0), number::<i16>(&row, 1));
            self.collations.entry(table).or_default().insert(column, number(&row, 16));
            self.presence.grants |= truth(&row, 17);
            let mut peculiarities = Vec::new();
            if let Some(storage) = optional(&mut row, 10) {
                peculiarities.push(format!("storage {storage}"));
            }
            if let Some(compression) = optional(&mut row, 11) {
                peculiarities.push(format!("compression {compression}"));
            }
            if let Some(target) = optional(&mut row, 12) {
                peculiarities.push(format!("statistics {target}"));
            }
            peculiarities.extend(lines(&mut row, 13));
            said(&mut peculiarities, !truth(&row, 15), "inherited");
            let found = numbering.get(&(table, column));
            peculiarities.extend(found.map(|(_, words)| words.clone()).unwrap_or_default());
            self.catalogue.columns.push(ColumnRow {
                table,
                number: column,
                name: text(&mut row, 2),
                ty: text(&mut row, 3),
                enumeration: optional(&mut row, 4),
                required: truth(&row, 5),
                identity: Some(letter(&row, 6)).filter(|letter| *letter != ' '),
                numbering: found.map(|(numbering, _)| *numbering),
                generated: Some(letter(&row, 7)).filter(|letter| *letter != ' '),
                expression: optional(&mut row, 8),
                collation: optional(&mut row, 9),
                peculiarities,
                comment: optional(&mut row, 14),
            });
        }
        // In order here: the server would sort rows that are much wider.
        self.catalogue.columns.sort_by_key(|row| (row.table, row.number));
        Ok(())
    }

    /// First number, step and peculiarities of identity columns, from the sequences in them; the others are kept.
    #[expect(clippy::type_complexity, reason = "a lookup for one caller")]
    fn numbering(&mut self) -> Result<BTreeMap<(u32, i16), ((i64, i64), Vec<String>)>, ServerError> {
        let rows = self.ask(
            "select x.refobjid, x.refobjsubid, s.seqstart, s.seqincrement, s.seqcache, s.seqcycle, s.seqmin, s.seqmax,
                    case s.seqtypid when 'int2'::regtype then 32767 when 'int4'::regtype then 2147483647
                         else 9223372036854775807 end, c.relname, x.deptype, $name(c.relnamespace, c.relname),
                    format_type(s.seqtypid, null), d.description, c.relpersistence = 'u'
             from pg_sequence s
             join pg_class c on c.oid = s.seqrelid and c.relnamespace $namespaces
             left join pg_depend x on x.classid = 'pg_class'::regclass and x.objid = s.seqrelid
                  and (x.deptype in ('a', 'i') and x.refclassid = 'pg_class'::regclass and x.refobjsubid > 0 or x.deptype = 'e')
             left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0",
        )?;
        let mut found = BTreeMap::new();
        for mut row in rows {
            match letter(&row, 10) {
                'i' => self.describe_numbering(&mut row),
                // Of an extension.
                'e' => continue,
                _ => {
                    self.sequences.push(row);
                    continue;
                }
            }
            let (start, step): (i64, i64) = (number(&row, 2), number(&row, 3));
            let (least, most, highest): (i64, i64, i64) = (number(&row, 6), number(&row, 7), number(&row, 8));
            let mut words = Vec::new();
            said(&mut words, number::<i64>(&row, 4) != 1, format!("identity cache {}", text(&mut row, 4)));
            said(&mut words, truth(&row, 5), "identity cycle");
            let usual = if step < 0 { (-highest - 1, -1) } else { (1, highest) };
            said(&mut words, (least, most) != usual, format!("identity from {least} to {most}"));
            words.push(format!("identity sequence {}", text(&mut row, 9)));
            found.insert((number(&row, 0), number(&row, 1)), ((start, step), words));
        }
        Ok(found)
    }

    /// The description of the sequence inside an identity column.
    fn describe_numbering(&mut self, row: &mut Row) {
        if let (Some(comment), Some(table)) = (optional(row, 13), self.relations.get(&number(row, 0))) {
            let dialect = self.session.dialect();
            let what = format!("sequence {}", dialect.quote_object(&text(row, 11)));
            self.catalogue.others.push(OtherRow {
                kind: ObjectKind::Comment,
                sql: format!("comment on {what} is {}", dialect.literal(&comment)),
                drop: format!("comment on {what} is null"),
                name: what,
                table: None,
                after: vec![table.clone()],
                comment: None,
            });
        }
    }

    fn constraints(&mut self) -> Result<(), ServerError> {
        let distinct = self.since(150_000, "coalesce(i.indnullsnotdistinct, false)", "false");
        let set_columns = self.since(
            150_000,
            "case when con.confdelsetcols is not null then
                 (select string_agg(quote_ident(a.attname), ', ' order by n.ordinality)
                  from unnest(con.confdelsetcols) with ordinality n(attnum, ordinality)
                  join pg_attribute a on a.attrelid = con.conrelid and a.attnum = n.attnum) end",
            "null",
        );
        let enforced = self.since(180_000, "con.conenforced", "true");
        let rows = self.ask(&format!(
            "select con.conrelid, con.conname, con.contype, con.conkey, con.confrelid,
                    case when rc.oid is not null and not (rc.relnamespace $namespaces) then $name(rc.relnamespace, rc.relname) end,
                    con.confkey, con.confdeltype, con.confupdtype, con.condeferrable, con.condeferred,
                    pg_get_expr(con.conbin, con.conrelid),
                    case when con.contype in ('x', 't') then pg_get_constraintdef(con.oid) end,
                    con.convalidated, con.connoinherit and con.contype = 'c', con.confmatchtype = 'f', {distinct},
                    case when i.indnkeyatts < i.indnatts then
                        (select string_agg(quote_ident(a.attname), ', ' order by n.ordinality)
                         from unnest(i.indkey) with ordinality n(attnum, ordinality)
                         join pg_attribute a on a.attrelid = i.indrelid and a.attnum = n.attnum
                         where n.ordinality > i.indnkeyatts) end,
                    array_to_string(ic.reloptions, E'\\n'), {set_columns}, {enforced},
                    ts.spcname, con.conislocal, i.indisclustered, i.indisreplident,
                    case when con.contype in ('p', 'u', 'x') then con.conindid end
             from pg_constraint con
             join pg_class c on c.oid = con.conrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                  and not c.relispartition
             left join pg_class rc on rc.oid = con.confrelid
             left join pg_index i on i.indexrelid = con.conindid and con.contype in ('p', 'u')
             left join pg_class ic on ic.oid = i.indexrelid
             left join pg_tablespace ts on ts.oid = ic.reltablespace
             where con.contype <> 't' and con.conparentid = 0"
        ))?;
        for mut row in rows {
            self.of_constraints.extend(optional(&mut row, 25).and_then(|oid| oid.parse::<u32>().ok()));
            let mut peculiarities = lines(&mut row, 18);
            said(&mut peculiarities, !truth(&row, 13), "not valid");
            said(&mut peculiarities, truth(&row, 14), "no inherit");
            said(&mut peculiarities, truth(&row, 15), "match full");
            said(&mut peculiarities, truth(&row, 16), "nulls not distinct");
            if let Some(columns) = optional(&mut row, 17) {
                peculiarities.push(format!("include ({columns})"));
            }
            said(&mut peculiarities, !truth(&row, 22), "inherited");
            said(&mut peculiarities, truth(&row, 23), "clustered");
            said(&mut peculiarities, truth(&row, 24), "replica identity");
            said(&mut peculiarities, !truth(&row, 20), "not enforced");
            if let Some(columns) = optional(&mut row, 19) {
                peculiarities.push(format!("on delete of columns ({columns})"));
            }
            if let Some(place) = optional(&mut row, 21) {
                peculiarities.push(format!("using index tablespace {place}"));
            }
            if letter(&row, 2) == 'x' {
                let dialect = self.session.dialect();
                let table = self.relations.get(&number(&row, 0)).cloned().unwrap_or_default();
                let name = text(&mut row, 1);
                let alter = format!("alter table {}", dialect.quote_object(&table));
                let quoted = dialect.quote(&name);
                self.catalogue.others.push(OtherRow {
                    kind: ObjectKind::Constraint,
                    sql: format!("{alter} add constraint {quoted} {}", text(&mut row, 12)),
                    drop: format!("{alter} drop constraint {quoted}"),
                    name: format!("{name} on {table}"),
                    table: None,
                    after: vec![table],
                    comment: None,
                });
                continue;
            }
            self.catalogue.constraints.push(ConstraintRow {
                table: number(&row, 0),
                name: text(&mut row, 1),
                kind: letter(&row, 2),
                columns: numbers(&row, 3),
                referenced: self.relations.get(&number(&row, 4)).cloned().or_else(|| optional(&mut row, 5)),
                referenced_oid: number(&row, 4),
                referenced_columns: numbers(&row, 6),
                on_delete: letter(&row, 7),
                on_update: letter(&row, 8),
                deferrable: truth(&row, 9),
                deferred: truth(&row, 10),
                expression: optional(&mut row, 11),
                definition: text(&mut row, 12),
                peculiarities,
            });
        }
        self.catalogue.constraints.sort_by(|a, b| (a.table, &a.name).cmp(&(b.table, &b.name)));
        Ok(())
    }

    fn indexes(&mut self) -> Result<(), ServerError> {
        let distinct = self.since(150_000, "i.indnullsnotdistinct", "false");
        let rows = self.ask(&format!(
            "select i.indrelid, ic.relname, i.indisunique, am.amname, i.indnkeyatts, i.indkey, i.indoption,
                    i.indcollation, i.indclass,
                    case when i.indexprs is not null then
                        (select string_agg(pg_get_indexdef(i.indexrelid, k::int, true), E'\\n\\x0b' order by k)
                         from generate_series(1, i.indnkeyatts) k where i.indkey[k - 1] = 0) end,
                    pg_get_expr(i.indpred, i.indrelid), array_to_string(ic.reloptions, E'\\n'), i.indisvalid,
                    {distinct}, ts.spcname, i.indexrelid, i.indisclustered, i.indisreplident,
                    case when i.indexprs is not null then
                        (select string_agg('statistics ' || a.attstattarget || ' of part ' || a.attnum, e'\\n')
                         from pg_attribute a where a.attrelid = i.indexrelid and a.attstattarget >= 0) end,
                    case when am.amname not in ('btree', 'hash') then
                        (select string_agg(a.attnum || e'\\n' || case when oc.opcnamespace = 'pg_catalog'::regnamespace
                                               then quote_ident(oc.opcname) else $sql(oc.opcnamespace, oc.opcname) end
                                           || ' (' || array_to_string(a.attoptions, ', ') || ')', e'\\n')
                         from pg_attribute a join pg_opclass oc on oc.oid = i.indclass[a.attnum - 1]
                         where a.attrelid = i.indexrelid and a.attoptions is not null) end,
                    case when i.indexprs is not null and exists (
                            select unnest(i.indcollation::oid[]) except values (0::oid), (100::oid)
                            union all select attcollation from pg_attribute where attrelid = i.indrelid
                                                                              and attcollation not in (0, 100))
                        then pg_get_indexdef(i.indexrelid, 0, true) end
             from pg_index i
             join pg_class ic on ic.oid = i.indexrelid
             join pg_class c on c.oid = i.indrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                  and not c.relispartition
             join pg_am am on am.oid = ic.relam
             left join pg_tablespace ts on ts.oid = ic.reltablespace
             where not i.indisprimary and (i.indisvalid or c.relkind <> 'p')"
        ))?;
        let classes = self.names(
            "select oid, case when opcnamespace = 'pg_catalog'::regnamespace then quote_ident(opcname)
                              else $sql(opcnamespace, opcname) end
             from pg_opclass where not opcdefault",
        )?;
        let collations = self.names(&format!(
            "select oid, {} from pg_collation c where oid in (select unnest(indcollation::oid[]) from pg_index)",
            collation_name("c")
        ))?;
        for mut row in rows {
            if self.of_constraints.contains(&number(&row, 15)) {
                continue;
            }
            let mut peculiarities = lines(&mut row, 11);
            said(&mut peculiarities, !truth(&row, 12), "invalid");
            said(&mut peculiarities, truth(&row, 13), "nulls not distinct");
            said(&mut peculiarities, truth(&row, 16), "clustered");
            said(&mut peculiarities, truth(&row, 17), "replica identity");
            peculiarities.extend(lines(&mut row, 18));
            if let Some(place) = optional(&mut row, 14) {
                peculiarities.push(format!("tablespace {place}"));
            }
            let of_table = self.collations.get(&number(&row, 0));
            let keys: Vec<i16> = numbers(&row, 5);
            let expressions: Vec<String> =
                optional(&mut row, 9).map(|all| all.split("\n\u{b}").map(str::to_owned).collect()).unwrap_or_default();
            let mut stated = stated_collations(&optional(&mut row, 20).unwrap_or_default(), &expressions).into_iter();
            let collated = numbers::<u32>(&row, 7).into_iter().enumerate().map(|(at, collation)| {
                let key = keys.get(at).copied().unwrap_or_default();
                // An expression has that of what it reads, unless it is stated.
                let is_usual = match key {
                    0 => !stated.next().unwrap_or_default(),
                    key => of_table.and_then(|columns| columns.get(&key)) == Some(&collation),
                };
                if collation == 0 || is_usual { None } else { collations.get(&collation).cloned().flatten() }
            });
            let collated: Vec<_> = collated.collect();
            let mut operators: Vec<_> =
                numbers::<u32>(&row, 8).iter().map(|class| classes.get(class).cloned().flatten()).collect();
            for with_options in lines(&mut row, 19).chunks_exact(2) {
                let at = with_options[0].parse::<usize>().ok().and_then(|number| operators.get_mut(number - 1));
                if let Some(operators) = at {
                    *operators = Some(with_options[1].clone());
                }
            }
            self.catalogue.indexes.push(IndexRow {
                table: number(&row, 0),
                name: text(&mut row, 1),
                unique: truth(&row, 2),
                method: text(&mut row, 3),
                key_columns: number(&row, 4),
                columns: keys.clone(),
                expressions,
                options: numbers(&row, 6),
                collations: collated,
                operators,
                predicate: optional(&mut row, 10),
                peculiarities,
            });
        }
        self.catalogue.indexes.sort_by(|a, b| (a.table, &a.name).cmp(&(b.table, &b.name)));
        Ok(())
    }

    fn names(&mut self, sql: &str) -> Result<BTreeMap<u32, Option<String>>, ServerError> {
        Ok(self.ask(sql)?.iter_mut().map(|row| (number(row, 0), optional(row, 1))).collect())
    }

    fn words(&mut self) -> Result<(), ServerError> {
        let mut rows = self.ask(
            "select $name(t.typnamespace, t.typname), e.enumlabel, d.description
             from pg_type t
             join pg_enum e on e.enumtypid = t.oid
             left join pg_description d on d.objoid = t.oid and d.classoid = 'pg_type'::regclass and d.objsubid = 0
             where t.typnamespace $namespaces
               and $own(pg_type, t.oid)
             order by t.typnamespace, t.typname, e.enumsortorder",
        )?;
        self.catalogue.words = rows
            .iter_mut()
            .map(|row| WordRow { name: text(row, 0), word: text(row, 1), comment: optional(row, 2) })
            .collect();
        Ok(())
    }

    fn programs(&mut self) -> Result<(), ServerError> {
        let rows = if !self.presence.triggers {
            Vec::new()
        } else {
            self.ask(
                "select tg.tgrelid, tg.tgname, pg_get_triggerdef(tg.oid), d.description
             from pg_trigger tg join pg_class c on c.oid = tg.tgrelid and c.relnamespace $namespaces
             left join pg_description d on d.objoid = tg.oid and d.classoid = 'pg_trigger'::regclass
             where not tg.tgisinternal and tg.tgparentid = 0",
            )?
        };
        for mut row in rows {
            let table = self.relations.get(&number(&row, 0)).cloned();
            self.other(ObjectKind::Trigger, text(&mut row, 1), table, text(&mut row, 2), optional(&mut row, 3));
        }
        if !self.presence.routines {
            return Ok(());
        }
        // What tells routines of one name apart is the types of their arguments.
        let rows = self.ask(
            "select case when count(*) over (partition by p.pronamespace, p.proname) = 1
                         then $name(p.pronamespace, p.proname)
                         else p.oid::regprocedure::text end,
                    pg_get_functiondef(p.oid), 'drop ' || case p.prokind when 'p' then 'procedure' else 'function' end
                    || ' ' || p.oid::regprocedure::text, d.description
             from pg_proc p
             left join pg_description d on d.objoid = p.oid and d.classoid = 'pg_proc'::regclass
             where p.pronamespace $namespaces and p.prokind <> 'a'
               and $own(pg_proc, p.oid)",
        )?;
        for mut row in rows {
            // Line ends of another system mean the same.
            let (name, sql, drop) = (text(&mut row, 0), text(&mut row, 1).replace("\r\n", "\n"), text(&mut row, 2));
            let (kind, table, comment, after) = (ObjectKind::Routine, None, optional(&mut row, 3), Vec::new());
            self.catalogue.others.push(OtherRow { kind, name, table, sql, drop, after, comment });
        }
        Ok(())
    }

    fn sequences(&mut self) {
        let mut rows = std::mem::take(&mut self.sequences);
        rows.sort_by(|a, b| a.get(11).cmp(&b.get(11)));
        for mut row in rows {
            let row = &mut row;
            let name = text(row, 11);
            if is_ours(&name) {
                continue;
            }
            let owner = (number::<u32>(row, 0), number(row, 1));
            self.catalogue.sequences.push(SequenceRow {
                name,
                ty: text(row, 12),
                start: number(row, 2),
                step: number(row, 3),
                least: number(row, 6),
                most: number(row, 7),
                cache: number(row, 4),
                cycles: truth(row, 5),
                owner: Some(owner).filter(|(table, _)| *table != 0),
                // One that goes with a table is as the table is.
                unlogged: truth(row, 14) && owner.0 == 0,
                comment: optional(row, 13),
            });
        }
    }

    /// Whatever else a namespace can hold, and what belongs to the database as a whole.
    fn others(&mut self) -> Result<(), ServerError> {
        self.sequences();
        let presence = self.presence;
        if presence.types {
            self.types()?;
        }
        if presence.rules {
            self.table_rules()?;
        }
        if presence.routines {
            self.aggregates()?;
        }
        if presence.materialized_views {
            self.view_indexes()?;
        }
        if presence.partitions || presence.view_parts {
            self.parts()?;
        }
        if presence.descriptions || presence.class_descriptions {
            self.comments()?;
        }
        if presence.descriptions {
            self.rarer_comments()?;
        }
        self.rarer()?;
        if presence.grants {
            self.grants()?;
        }
        self.objects(
            ObjectKind::Extension,
            "select extname, 'create extension ' || quote_ident(extname)
                    || case when extnamespace = $default then '' else ' with schema ' || extnamespace::regnamespace end,
                    'drop extension ' || quote_ident(extname), null, null
             from pg_extension where extname <> 'plpgsql' and extnamespace $namespaces",
        )?;
        for (name, comment) in std::mem::take(&mut self.passed_over) {
            self.other(ObjectKind::Namespace, name, None, String::new(), comment);
        }
        // Constraints and indexes of the tool's own tables came along with the rest.
        let own = &self.own;
        self.catalogue.columns.retain(|row| !own.contains(&row.table));
        self.catalogue.constraints.retain(|row| !own.contains(&row.table));
        self.catalogue.indexes.retain(|row| !own.contains(&row.table));
        Ok(())
    }

    fn types(&mut self) -> Result<(), ServerError> {
        let own = "$own(pg_type, t.oid)";
        self.objects(
            ObjectKind::Domain,
            &format!(
                "select $name(t.typnamespace, t.typname), 'create domain ' || $sql(t.typnamespace, t.typname) || ' as '
                        || format_type(t.typbasetype, t.typtypmod)
                        || coalesce((select ' collate ' || co.oid::regcollation from pg_collation co
                                     join pg_type b on b.oid = t.typbasetype
                                     where co.oid = t.typcollation and t.typcollation <> b.typcollation), '')
                        || coalesce(' default ' || t.typdefault, '') || case when t.typnotnull then ' not null' else '' end
                        || coalesce((select string_agg(' constraint ' || quote_ident(conname) || ' '
                                         || pg_get_constraintdef(oid), '' order by conname)
                                     from pg_constraint where contypid = t.oid and contype = 'c' and convalidated), '')
                        || coalesce((select string_agg(e';\\nalter domain ' || $sql(t.typnamespace, t.typname)
                                         || ' add constraint ' || quote_ident(conname) || ' ' || pg_get_constraintdef(oid), ''
                                         order by conname)
                                     from pg_constraint where contypid = t.oid and contype = 'c' and not convalidated), ''),
                        'drop domain ' || $sql(t.typnamespace, t.typname), d.description, null
                 from pg_type t
                 left join pg_description d on d.objoid = t.oid and d.classoid = 'pg_type'::regclass
                 where t.typnamespace $namespaces and t.typtype = 'd' and {own}"
            ),
        )?;
        // One that nobody named has the range's own name (PostgreSQL 17, "CREATE TYPE", multirange_type_name).
        let multirange = self.since(
            140_000,
            "coalesce((select ', multirange_type_name = ' || $sql(mt.typnamespace, mt.typname) from pg_type mt
                       where mt.oid = r.rngmultitypid
                         and mt.typname <> case when t.typname like '%range%' then regexp_replace(t.typname, 'range', 'multirange')
                                                else t.typname || '_multirange' end), '')",
            "''",
        );
        self.objects(
            ObjectKind::Type,
            &format!(
                "select $name(t.typnamespace, t.typname), 'create type ' || $sql(t.typnamespace, t.typname) || ' as ('
                        || coalesce((select string_agg(quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod)
                                || case when a.attcollation <> at.typcollation then ' collate ' || co.oid::regcollation
                                        else '' end, ', ' order by a.attnum)
                            from pg_attribute a join pg_type at on at.oid = a.atttypid
                            left join pg_collation co on co.oid = a.attcollation
                            where a.attrelid = t.typrelid and a.attnum > 0 and not a.attisdropped), '') || ')',
                        'drop type ' || $sql(t.typnamespace, t.typname), d.description, null
                 from pg_type t join pg_class c on c.oid = t.typrelid and c.relkind = 'c'
                 left join pg_description d on d.objoid = t.oid and d.classoid = 'pg_type'::regclass
                 where t.typnamespace $namespaces and t.typtype = 'c' and {own}
                 union all
                 select $name(t.typnamespace, t.typname), 'create type ' || $sql(t.typnamespace, t.typname) || ' as range (subtype = '
                        || r.rngsubtype::regtype
                        || case when not oc.opcdefault then ', subtype_opclass = ' || $sql(oc.opcnamespace, oc.opcname) else '' end
                        || case when r.rngcollation <> st.typcollation then ', collation = ' || r.rngcollation::regcollation else '' end
                        || coalesce(', canonical = ' || nullif(r.rngcanonical, 0)::regproc, '')
                        || coalesce(', subtype_diff = ' || nullif(r.rngsubdiff, 0)::regproc, '') || {multirange} || ')', 'drop type ' || $sql(t.typnamespace, t.typname), d.description, null
                 from pg_type t join pg_range r on r.rngtypid = t.oid join pg_type st on st.oid = r.rngsubtype
                 join pg_opclass oc on oc.oid = r.rngsubopc
                 left join pg_description d on d.objoid = t.oid and d.classoid = 'pg_type'::regclass
                 where t.typnamespace $namespaces and t.typtype = 'r' and {own}"
            ),
        )?;
        let rows = self.ask(&format!(
            "select $name(t.typnamespace, t.typname) from pg_type t where t.typnamespace $namespaces and t.typtype = 'b' and t.typelem = 0 and {own}"
        ))?;
        for mut row in rows {
            self.other(ObjectKind::Type, text(&mut row, 0), None, String::new(), None);
        }
        Ok(())
    }

    /// Policies, rules and statistics of tables and views.
    fn table_rules(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Policy,
            "select p.polname || ' on ' || $name(c.relnamespace, c.relname),
                    'create policy ' || quote_ident(p.polname) || ' on ' || $sql(c.relnamespace, c.relname)
                    || case when p.polpermissive then '' else ' as restrictive' end
                    || case p.polcmd when 'r' then ' for select' when 'a' then ' for insert' when 'w' then ' for update'
                                     when 'd' then ' for delete' else '' end
                    || case when p.polroles = '{0}' then '' else ' to ' || (select string_agg(quote_ident(rolname), ', ')
                            from pg_roles where oid = any (p.polroles)) end
                    || coalesce(' using (' || pg_get_expr(p.polqual, p.polrelid) || ')', '')
                    || coalesce(' with check (' || pg_get_expr(p.polwithcheck, p.polrelid) || ')', ''),
                    'drop policy ' || quote_ident(p.polname) || ' on ' || $sql(c.relnamespace, c.relname), null,
                    $name(c.relnamespace, c.relname)
             from pg_policy p join pg_class c on c.oid = p.polrelid and c.relnamespace $namespaces",
        )?;
        self.objects(
            ObjectKind::Rule,
            "select r.rulename || ' on ' || $name(c.relnamespace, c.relname), rtrim(pg_get_ruledef(r.oid), ';'),
                    'drop rule ' || quote_ident(r.rulename) || ' on ' || $sql(c.relnamespace, c.relname), null,
                    $name(c.relnamespace, c.relname)
             from pg_rewrite r join pg_class c on c.oid = r.ev_class and c.relnamespace $namespaces
             where r.rulename <> '_RETURN'",
        )?;
        self.objects(
            ObjectKind::Statistics,
            "select $name(s.stxnamespace, s.stxname), pg_get_statisticsobjdef(s.oid)
                    || case when s.stxstattarget >= 0 then e';\\nalter statistics ' || $sql(s.stxnamespace, s.stxname)
                            || ' set statistics ' || s.stxstattarget else '' end, 'drop statistics ' || $sql(s.stxnamespace, s.stxname), d.description,
                    $name(c.relnamespace, c.relname)
             from pg_statistic_ext s join pg_class c on c.oid = s.stxrelid
             left join pg_description d on d.objoid = s.oid and d.classoid = 'pg_statistic_ext'::regclass
             where s.stxnamespace $namespaces",
        )
    }

    /// Aggregate functions of the plain kind; of others the name.
    fn aggregates(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Aggregate,
            "select $name(p.pronamespace, p.proname) || '(' || pg_get_function_identity_arguments(p.oid) || ')',
                    case when a.aggkind = 'n' and a.aggmtransfn = 0 and a.aggsortop = 0 then
                    'create aggregate ' || $sql(p.pronamespace, p.proname) || '('
                    || case when p.pronargs = 0 then '*' else pg_get_function_identity_arguments(p.oid) end
                    || ') (sfunc = ' || a.aggtransfn::regproc || ', stype = ' || format_type(a.aggtranstype, null)
                    || case when a.aggfinalfn <> 0 then ', finalfunc = ' || a.aggfinalfn::regproc else '' end
                    || case when a.aggfinalextra then ', finalfunc_extra' else '' end
                    || case a.aggfinalmodify when 'r' then '' when 's' then ', finalfunc_modify = shareable'
                                             else ', finalfunc_modify = read_write' end
                    || case when a.aggtransspace <> 0 then ', sspace = ' || a.aggtransspace else '' end
                    || coalesce(', combinefunc = ' || nullif(a.aggcombinefn, 0)::regproc, '')
                    || coalesce(', serialfunc = ' || nullif(a.aggserialfn, 0)::regproc, '')
                    || coalesce(', deserialfunc = ' || nullif(a.aggdeserialfn, 0)::regproc, '')
                    || coalesce(', initcond = ' || quote_literal(a.agginitval), '')
                    || case p.proparallel when 's' then ', parallel = safe' when 'r' then ', parallel = restricted' else '' end
                    || ')' end,
                    'drop aggregate ' || $sql(p.pronamespace, p.proname) || '('
                    || case when p.pronargs = 0 then '*' else pg_get_function_identity_arguments(p.oid) end || ')',
                    d.description, a.aggtransfn::regproc || coalesce(E'\n' || nullif(a.aggfinalfn, 0)::regproc, '')
             from pg_aggregate a join pg_proc p on p.oid = a.aggfnoid and p.pronamespace $namespaces
             left join pg_description d on d.objoid = p.oid and d.classoid = 'pg_proc'::regclass
             where $own(pg_proc, p.oid)",
        )
    }

    fn view_indexes(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::ViewIndex,
            "select $name(ic.relnamespace, ic.relname), pg_get_indexdef(i.indexrelid), 'drop index ' || $sql(ic.relnamespace, ic.relname), d.description,
                    $name(c.relnamespace, c.relname)
             from pg_index i join pg_class ic on ic.oid = i.indexrelid
             join pg_class c on c.oid = i.indrelid and c.relkind = 'm' and c.relnamespace $namespaces
             left join pg_description d on d.objoid = ic.oid and d.classoid = 'pg_class'::regclass",
        )
    }

    /// Descriptions of what the model has no place for one with.
    fn comments(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Comment,
            "select what, 'comment on ' || what || ' is ' || quote_literal(description), 'comment on ' || what || ' is null',
                    null, owner
             from (select 'constraint ' || quote_ident(n.conname) || ' on ' || $sql(c.relnamespace, c.relname) as what, d.description,
                          $name(c.relnamespace, c.relname) as owner
                   from pg_description d join pg_constraint n on n.oid = d.objoid
                   join pg_class c on c.oid = n.conrelid and c.relnamespace $namespaces
                   where d.classoid = 'pg_constraint'::regclass
                   union all
                   select 'index ' || $sql(ic.relnamespace, ic.relname), d.description,
                    $name(c.relnamespace, c.relname)
                   from pg_description d join pg_class ic on ic.oid = d.objoid and ic.relkind in ('i', 'I')
                   join pg_index i on i.indexrelid = ic.oid
                   join pg_class c on c.oid = i.indrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                   where d.classoid = 'pg_class'::regclass
                   union all
                   select 'column ' || $sql(c.relnamespace, c.relname) || '.' || quote_ident(a.attname), d.description,
                    $name(c.relnamespace, c.relname)
                   from pg_description d
                   join pg_class c on c.oid = d.objoid and c.relnamespace $namespaces
                        and (c.relkind in ('v', 'm', 'c', 'f') or c.relispartition)
                   join pg_attribute a on a.attrelid = c.oid and a.attnum = d.objsubid
                   where d.classoid = 'pg_class'::regclass and d.objsubid > 0
                   union all
                   select 'foreign table ' || $sql(c.relnamespace, c.relname), d.description, $name(c.relnamespace, c.relname)
                   from pg_description d join pg_class c on c.oid = d.objoid and c.relnamespace $namespaces and c.relkind = 'f'
                   where d.classoid = 'pg_class'::regclass and d.objsubid = 0
                   union all
                   select 'constraint ' || quote_ident(n.conname) || ' on domain ' || $sql(t.typnamespace, t.typname),
                          d.description, $name(t.typnamespace, t.typname)
                   from pg_description d join pg_constraint n on n.oid = d.objoid
                   join pg_type t on t.oid = n.contypid and t.typnamespace $namespaces
                   where d.classoid = 'pg_constraint'::regclass
                   union all
                   select 'policy ' || quote_ident(p.polname) || ' on ' || $sql(c.relnamespace, c.relname), d.description,
                          p.polname || ' on ' || $name(c.relnamespace, c.relname)
                   from pg_description d join pg_policy p on p.oid = d.objoid
                   join pg_class c on c.oid = p.polrelid and c.relnamespace $namespaces
                   where d.classoid = 'pg_policy'::regclass
                   union all
                   select 'rule ' || quote_ident(r.rulename) || ' on ' || $sql(c.relnamespace, c.relname), d.description,
                          r.rulename || ' on ' || $name(c.relnamespace, c.relname)
                   from pg_description d join pg_rewrite r on r.oid = d.objoid
                   join pg_class c on c.oid = r.ev_class and c.relnamespace $namespaces
                   where d.classoid = 'pg_rewrite'::regclass) found",
        )
    }

    fn grants(&mut self) -> Result<(), ServerError> {
        let own = "c.relname not like 'hollow\\_oak\\_%'";
        self.objects(
            ObjectKind::Grant,
            &format!(
                "select who || ' on ' || relname || case when is_grantable then ' with grant option' else '' end,
                        'grant ' || privileges || ' on ' || what || ' to ' || who
                        || case when is_grantable then ' with grant option' else '' end,
                        'revoke ' || privileges || ' on ' || what || ' from ' || who, null, relname
                 from (select $name(c.relnamespace, c.relname) as relname, g.is_grantable,
                              case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end as who,
                              string_agg(lower(g.privilege_type), ', ' order by g.privilege_type) as privileges,
                              case c.relkind when 'S' then 'sequence ' else '' end || $sql(c.relnamespace, c.relname) as what
                       from pg_class c cross join lateral aclexplode(c.relacl) g
                       where c.relnamespace $namespaces and g.grantee <> c.relowner and {own}
                       group by c.relnamespace, c.relname, c.relkind, g.grantee, g.is_grantable) found
                 union all
                 select who || ' on ' || relname || '.' || attname || case when is_grantable then ' with grant option' else '' end,
                        'grant ' || privileges || ' on ' || what || ' to ' || who
                        || case when is_grantable then ' with grant option' else '' end,
                        'revoke ' || privileges || ' on ' || what || ' from ' || who, null, relname
                 from (select $name(c.relnamespace, c.relname) as relname, $sql(c.relnamespace, c.relname) as what, a.attname, g.is_grantable,
                              case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end as who,
                              string_agg(lower(g.privilege_type) || ' (' || quote_ident(a.attname) || ')', ', '
                                         order by g.privilege_type) as privileges
                       from pg_attribute a join pg_class c on c.oid = a.attrelid and c.relnamespace $namespaces
                       cross join lateral aclexplode(a.attacl) g
                       where a.attacl is not null and g.grantee <> c.relowner and {own}
                       group by c.relnamespace, c.relname, a.attname, g.grantee, g.is_grantable) found"
            ),
        )?;
        self.objects(
            ObjectKind::Grant,
            "select who || ' on namespace ' || nspname || case when is_grantable then ' with grant option' else '' end,
                    'grant ' || privileges || ' on ' || what || ' to ' || who
                    || case when is_grantable then ' with grant option' else '' end,
                    'revoke ' || privileges || ' on ' || what || ' from ' || who, null, nspname
             from (select n.nspname, g.is_grantable,
                          case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end as who,
                          string_agg(lower(g.privilege_type), ', ' order by g.privilege_type) as privileges,
                          'schema ' || quote_ident(n.nspname) as what
                   from pg_namespace n cross join lateral aclexplode(n.nspacl) g
                   where n.oid $namespaces and n.oid <> $default and g.grantee <> n.nspowner
                   group by n.nspname, g.grantee, g.is_grantable) found",
        )?;
        // Of the one that is worked in, what it was not made with (PostgreSQL 17, "pg_init_privs").
        let kept = "select n.nspname, g.grantee, g.privilege_type, g.is_grantable, n.nspowner
                    from pg_namespace n left join pg_init_privs i on i.objoid = n.oid and i.classoid = 'pg_namespace'::regclass
                    cross join lateral aclexplode(coalesce({acl}, acldefault('n', n.nspowner))) g where n.oid = $default";
        let (now, first) = (kept.replace("{acl}", "n.nspacl"), kept.replace("{acl}", "i.initprivs"));
        self.objects(
            ObjectKind::Grant,
            &format!(
                "select who || case when given then '' else ' not' end || ' on namespace ' || nspname
                        || case when is_grantable then ' with grant option' else '' end,
                        case when given then give else take end, case when given then take else give end, null, null
                 from (select who, nspname, is_grantable, given,
                              'grant ' || privileges || ' on schema ' || quote_ident(nspname) || ' to ' || who
                              || case when is_grantable then ' with grant option' else '' end as give,
                              'revoke ' || privileges || ' on schema ' || quote_ident(nspname) || ' from ' || who as take
                       from (select nspname, is_grantable, given,
                                    case when grantee = 0 then 'public' else quote_ident(pg_get_userbyid(grantee)) end as who,
                                    string_agg(lower(privilege_type), ', ' order by privilege_type) as privileges
                             from ((select *, true as given from ({now}) x except select *, true from ({first}) x)
                                   union all (select *, false from ({first}) x except select *, false from ({now}) x)) changed
                             where grantee <> nspowner
                             group by nspname, grantee, is_grantable, given) one) found"
            ),
        )?;
        // Whoever may not be said otherwise may call a function (PostgreSQL 17, "Privileges", table "Summary of Access
        // Privileges").
        self.objects(
            ObjectKind::Grant,
            "select who || ' on ' || what || case when is_grantable then ' with grant option' else '' end,
                    'grant execute on ' || what || ' to ' || who || case when is_grantable then ' with grant option' else '' end,
                    'revoke execute on ' || what || ' from ' || who, null, proname
             from (select distinct $name(p.pronamespace, p.proname) as proname, quote_ident(pg_get_userbyid(g.grantee)) as who, g.is_grantable,
                          'routine ' || p.oid::regprocedure as what
                   from pg_proc p cross join lateral aclexplode(p.proacl) g
                   where p.pronamespace $namespaces and g.grantee <> p.proowner and g.grantee <> 0) found
             union all
             select 'public not on routine ' || p.oid::regprocedure,
                    'revoke execute on routine ' || p.oid::regprocedure || ' from public',
                    'grant execute on routine ' || p.oid::regprocedure || ' to public', null, $name(p.pronamespace, p.proname)
             from pg_proc p
             where p.pronamespace $namespaces and p.proacl is not null
               and not exists (select from aclexplode(p.proacl) g where g.grantee = 0)
               and $own(pg_proc, p.oid)",
        )
    }
}
