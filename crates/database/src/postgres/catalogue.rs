//! The catalogue of one namespace, by a fixed number of queries over `pg_catalog` (PostgreSQL 17, "System Catalogs").

use std::collections::{BTreeMap, BTreeSet};

use hollow_oak_core::dialect::postgres::catalogue::{
    Catalogue, ColumnRow, ConstraintRow, IndexRow, OtherRow, TableRow, WordRow, introspect,
};
use hollow_oak_core::physical::{Introspected, ObjectKind};

use super::session::PostgresSession;
use crate::kept::is_own_table;
use crate::server::{ServerError, Session};

type Row = Vec<Option<String>>;

fn text(row: &Row, at: usize) -> String {
    row.get(at).cloned().flatten().unwrap_or_default()
}

fn optional(row: &Row, at: usize) -> Option<String> {
    row.get(at).cloned().flatten()
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
    let list = text(row, at);
    list.split([',', ' ', '{', '}']).filter_map(|one| one.parse().ok()).collect()
}

/// A list whose parts are separated by line ends.
fn lines(row: &Row, at: usize) -> Vec<String> {
    optional(row, at).map(|list| list.split('\n').map(str::to_owned).collect()).unwrap_or_default()
}

/// Says something where it holds.
fn said(list: &mut Vec<String>, holds: bool, words: impl Into<String>) {
    if holds {
        list.push(words.into());
    }
}

struct Reader<'a> {
    session: &'a mut PostgresSession,
    /// The namespace, as an SQL expression for its identifier.
    namespace: String,
    version: u32,
    catalogue: Catalogue,
    /// Names of relations by their identifiers.
    relations: BTreeMap<u32, String>,
    /// Own tables of the tool, which do not count.
    own: BTreeSet<u32>,
}

/// Reads a namespace.
pub(super) fn read(session: &mut PostgresSession, namespace: &str, version: u32) -> Result<Introspected, ServerError> {
    let name = session.dialect().literal(namespace);
    let oid = session.value(&format!("select oid from pg_namespace where nspname = {name}"))?.unwrap_or_default();
    let mut reader = Reader {
        session,
        namespace: format!("{oid}::oid"),
        version,
        catalogue: Catalogue::default(),
        relations: BTreeMap::new(),
        own: BTreeSet::new(),
    };
    reader.relations()?;
    reader.columns()?;
    reader.constraints()?;
    reader.indexes()?;
    reader.words()?;
    reader.programs()?;
    reader.others()?;
    Ok(introspect(reader.catalogue))
}

impl Reader<'_> {
    fn ask(&mut self, sql: &str) -> Result<Vec<Row>, ServerError> {
        let sql = sql.replace("$namespace", &self.namespace);
        Ok(self.session.ask(&sql)?.rows)
    }

    /// A column of the catalogue that is there from a version on, else what stands for it.
    fn since(&self, version: u32, column: &str, otherwise: &str) -> String {
        if self.version >= version { column.to_owned() } else { otherwise.to_owned() }
    }

    fn other(&mut self, kind: ObjectKind, name: String, table: Option<String>, sql: String) {
        self.catalogue.others.push(OtherRow { kind, name, table, sql });
    }

    fn relations(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select c.oid, c.relname, c.relkind, c.relpersistence, array_to_string(c.reloptions, E'\\n'), d.description,
                    c.relispartition, exists (select from pg_inherits i where i.inhrelid = c.oid), c.relrowsecurity,
                    c.relforcerowsecurity, nullif(am.amname, 'heap'), ts.spcname, c.relreplident,
                    nullif(c.reloftype, 0)::regtype,
                    case when c.relkind in ('v', 'm') then pg_get_viewdef(c.oid) end,
                    exists (select from pg_depend x where x.classid = 'pg_class'::regclass and x.objid = c.oid
                                and x.deptype in ('e', 'i')) and c.relkind <> 'p' and not c.relispartition
             from pg_class c
             left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0
             left join pg_am am on am.oid = c.relam
             left join pg_tablespace ts on ts.oid = c.reltablespace
             where c.relnamespace = $namespace and c.relkind in ('r', 'p', 'v', 'm', 'f', 'S')",
        )?;
        for row in rows {
            let (oid, name) = (number::<u32>(&row, 0), text(&row, 1));
            if is_own_table(&name) {
                self.own.insert(oid);
                continue;
            }
            // Of an extension, or the sequence inside an identity column.
            if truth(&row, 15) || name.starts_with("hollow_oak_") {
                continue;
            }
            self.relations.insert(oid, name.clone());
            let kind = match letter(&row, 2) {
                'r' if !truth(&row, 6) && !truth(&row, 7) => {
                    let table = self.table(oid, name, &row);
                    self.catalogue.tables.push(table);
                    continue;
                }
                'r' if truth(&row, 7) && !truth(&row, 6) => ObjectKind::Inheritance,
                'r' | 'p' => ObjectKind::Partition,
                'v' => ObjectKind::View,
                'm' => ObjectKind::MaterializedView,
                'f' => ObjectKind::ForeignTable,
                _ => ObjectKind::Sequence,
            };
            self.other(kind, name, None, text(&row, 14));
        }
        Ok(())
    }

    fn table(&mut self, oid: u32, name: String, row: &Row) -> TableRow {
        let mut peculiarities = Vec::new();
        if let Some(method) = optional(row, 10) {
            peculiarities.push(format!("using {method}"));
        }
        if let Some(place) = optional(row, 11) {
            peculiarities.push(format!("tablespace {place}"));
        }
        let identity = letter(row, 12);
        said(&mut peculiarities, identity != 'd', format!("replica identity {identity}"));
        if let Some(ty) = optional(row, 13) {
            peculiarities.push(format!("of {ty}"));
        }
        if truth(row, 8) || truth(row, 9) {
            let words = if truth(row, 9) { "forced row level security" } else { "row level security" };
            self.other(ObjectKind::Policy, words.into(), Some(name.clone()), String::new());
        }
        TableRow {
            oid,
            name,
            persistence: letter(row, 3),
            parameters: lines(row, 4),
            peculiarities,
            comment: optional(row, 5),
        }
    }

    fn columns(&mut self) -> Result<(), ServerError> {
        let compression = self.since(140_000, "nullif(a.attcompression::text, '')", "null");
        let rows = self.ask(&format!(
            "select a.attrelid, a.attnum, a.attname, format_type(a.atttypid, a.atttypmod),
                    case when t.typtype = 'e' then t.typname when e.typtype = 'e' then e.typname end,
                    a.attnotnull, a.attidentity, a.attgenerated,
                    pg_get_expr(ad.adbin, case when a.attgenerated = '' then 0 else a.attrelid end),
                    case when a.attcollation <> t.typcollation then co.collname end,
                    case when a.attstorage <> t.typstorage then a.attstorage::text end,
                    {compression}, nullif(a.attstattarget, -1), array_to_string(a.attoptions, ','), d.description
             from pg_attribute a
             join pg_class c on c.oid = a.attrelid and c.relnamespace = $namespace and c.relkind = 'r'
             join pg_type t on t.oid = a.atttypid
             left join pg_type e on e.oid = t.typelem and t.typelem <> 0
             left join pg_collation co on co.oid = a.attcollation
             left join pg_attrdef ad on ad.adrelid = a.attrelid and ad.adnum = a.attnum
             left join pg_description d on d.objoid = a.attrelid and d.classoid = 'pg_class'::regclass
                  and d.objsubid = a.attnum
             where a.attnum > 0 and not a.attisdropped
             order by a.attrelid, a.attnum"
        ))?;
        let numbering = self.numbering()?;
        for row in rows {
            let (table, column) = (number::<u32>(&row, 0), number::<i16>(&row, 1));
            let mut peculiarities = Vec::new();
            if let Some(storage) = optional(&row, 10) {
                peculiarities.push(format!("storage {storage}"));
            }
            if let Some(compression) = optional(&row, 11) {
                peculiarities.push(format!("compression {compression}"));
            }
            if let Some(target) = optional(&row, 12) {
                peculiarities.push(format!("statistics {target}"));
            }
            if let Some(options) = optional(&row, 13) {
                peculiarities.push(options);
            }
            let found = numbering.get(&(table, column));
            peculiarities.extend(found.map(|(_, words)| words.clone()).unwrap_or_default());
            self.catalogue.columns.push(ColumnRow {
                table,
                number: column,
                name: text(&row, 2),
                ty: text(&row, 3),
                enumeration: optional(&row, 4),
                required: truth(&row, 5),
                identity: Some(letter(&row, 6)).filter(|letter| *letter != ' '),
                numbering: found.map(|(numbering, _)| *numbering),
                generated: Some(letter(&row, 7)).filter(|letter| *letter != ' '),
                expression: optional(&row, 8),
                collation: optional(&row, 9),
                peculiarities,
                comment: optional(&row, 14),
            });
        }
        Ok(())
    }

    /// First number, step and peculiarities of identity columns.
    #[expect(clippy::type_complexity, reason = "a lookup for one caller")]
    fn numbering(&mut self) -> Result<BTreeMap<(u32, i16), ((i64, i64), Vec<String>)>, ServerError> {
        let rows = self.ask(
            "select x.refobjid, x.refobjsubid, s.seqstart, s.seqincrement, s.seqcache, s.seqcycle, s.seqmin, s.seqmax,
                    case s.seqtypid when 'int2'::regtype then 32767 when 'int4'::regtype then 2147483647
                         else 9223372036854775807 end
             from pg_sequence s
             join pg_class c on c.oid = s.seqrelid and c.relnamespace = $namespace
             join pg_depend x on x.classid = 'pg_class'::regclass and x.objid = s.seqrelid and x.deptype = 'i'
                  and x.refclassid = 'pg_class'::regclass",
        )?;
        let mut found = BTreeMap::new();
        for row in rows {
            let (start, step): (i64, i64) = (number(&row, 2), number(&row, 3));
            let (least, most, highest): (i64, i64, i64) = (number(&row, 6), number(&row, 7), number(&row, 8));
            let mut words = Vec::new();
            said(&mut words, number::<i64>(&row, 4) != 1, format!("identity cache {}", text(&row, 4)));
            said(&mut words, truth(&row, 5), "identity cycle");
            let usual = if step < 0 { (-highest - 1, -1) } else { (1, highest) };
            said(&mut words, (least, most) != usual, format!("identity from {least} to {most}"));
            found.insert((number(&row, 0), number(&row, 1)), ((start, step), words));
        }
        Ok(found)
    }

    fn constraints(&mut self) -> Result<(), ServerError> {
        let distinct = self.since(150_000, "coalesce(i.indnullsnotdistinct, false)", "false");
        let set_columns = self.since(150_000, "array_to_string(con.confdelsetcols, ',')", "null");
        let enforced = self.since(180_000, "con.conenforced", "true");
        let rows = self.ask(&format!(
            "select con.conrelid, con.conname, con.contype, con.conkey, con.confrelid,
                    case when rc.relnamespace = $namespace then rc.relname
                         else quote_ident(rn.nspname) || '.' || quote_ident(rc.relname) end,
                    con.confkey, con.confdeltype, con.confupdtype, con.condeferrable, con.condeferred,
                    pg_get_expr(con.conbin, con.conrelid),
                    case when con.contype in ('x', 't') then pg_get_constraintdef(con.oid) end,
                    con.convalidated, con.connoinherit and con.contype = 'c', con.confmatchtype = 'f', {distinct},
                    i.indnkeyatts < i.indnatts, array_to_string(ic.reloptions, E'\\n'), {set_columns}, {enforced},
                    ts.spcname
             from pg_constraint con
             join pg_class c on c.oid = con.conrelid and c.relnamespace = $namespace and c.relkind = 'r'
             left join pg_class rc on rc.oid = con.confrelid
             left join pg_namespace rn on rn.oid = rc.relnamespace
             left join pg_index i on i.indexrelid = con.conindid and con.contype in ('p', 'u')
             left join pg_class ic on ic.oid = i.indexrelid
             left join pg_tablespace ts on ts.oid = ic.reltablespace
             where con.contype <> 't'
             order by con.conrelid, con.conname"
        ))?;
        for row in rows {
            let mut peculiarities = lines(&row, 18);
            said(&mut peculiarities, !truth(&row, 13), "not valid");
            said(&mut peculiarities, truth(&row, 14), "no inherit");
            said(&mut peculiarities, truth(&row, 15), "match full");
            said(&mut peculiarities, truth(&row, 16), "nulls not distinct");
            said(&mut peculiarities, truth(&row, 17), "with included columns");
            said(&mut peculiarities, !truth(&row, 20), "not enforced");
            if let Some(columns) = optional(&row, 19) {
                peculiarities.push(format!("on delete sets only columns {columns}"));
            }
            if let Some(place) = optional(&row, 21) {
                peculiarities.push(format!("using index tablespace {place}"));
            }
            self.catalogue.constraints.push(ConstraintRow {
                table: number(&row, 0),
                name: text(&row, 1),
                kind: letter(&row, 2),
                columns: numbers(&row, 3),
                referenced: optional(&row, 5),
                referenced_oid: number(&row, 4),
                referenced_columns: numbers(&row, 6),
                on_delete: letter(&row, 7),
                on_update: letter(&row, 8),
                deferrable: truth(&row, 9),
                deferred: truth(&row, 10),
                expression: optional(&row, 11),
                definition: text(&row, 12),
                peculiarities,
            });
        }
        Ok(())
    }

    fn indexes(&mut self) -> Result<(), ServerError> {
        let distinct = self.since(150_000, "i.indnullsnotdistinct", "false");
        let rows = self.ask(&format!(
            "select i.indrelid, ic.relname, i.indisunique, am.amname, i.indnkeyatts, i.indkey, i.indoption,
                    i.indcollation, i.indclass,
                    case when i.indexprs is not null then
                        (select string_agg(pg_get_indexdef(i.indexrelid, k::int, true), E'\\n\\v' order by k)
                         from generate_series(1, i.indnkeyatts) k where i.indkey[k - 1] = 0) end,
                    pg_get_expr(i.indpred, i.indrelid), array_to_string(ic.reloptions, E'\\n'), i.indisvalid,
                    {distinct}, ts.spcname,
                    (select array_agg(coalesce(a.attcollation, 0) order by n.ordinality)
                     from unnest(i.indkey) with ordinality n(attnum, ordinality)
                     left join pg_attribute a on a.attrelid = i.indrelid and a.attnum = n.attnum
                     where 0 <> any (i.indcollation::oid[])),
                    i.indisclustered, i.indisreplident,
                    case when i.indexprs is not null then
                        (select array_agg(distinct a.attcollation) from pg_attribute a
                         where a.attrelid = i.indrelid and a.attnum > 0 and not a.attisdropped) end
             from pg_index i
             join pg_class ic on ic.oid = i.indexrelid
             join pg_class c on c.oid = i.indrelid and c.relnamespace = $namespace and c.relkind = 'r'
             join pg_am am on am.oid = ic.relam
             left join pg_tablespace ts on ts.oid = ic.reltablespace
             where not i.indisprimary and not exists (
                 select from pg_depend x where x.classid = 'pg_class'::regclass and x.objid = i.indexrelid
                    and x.refclassid = 'pg_constraint'::regclass and x.deptype = 'i')
             order by i.indrelid, ic.relname"
        ))?;
        let classes = self.names("select oid, case when opcdefault then null else opcname end from pg_opclass")?;
        let collations = self.names("select oid, collname from pg_collation")?;
        for row in rows {
            let mut peculiarities = lines(&row, 11);
            said(&mut peculiarities, !truth(&row, 12), "invalid");
            said(&mut peculiarities, truth(&row, 13), "nulls not distinct");
            said(&mut peculiarities, truth(&row, 16), "clustered");
            said(&mut peculiarities, truth(&row, 17), "replica identity");
            if let Some(place) = optional(&row, 14) {
                peculiarities.push(format!("tablespace {place}"));
            }
            let (own, of_table): (Vec<u32>, Vec<u32>) = (numbers(&row, 15), numbers(&row, 18));
            let collated = numbers::<u32>(&row, 7).into_iter().enumerate().map(|(at, collation)| {
                // 100 is the database's own (PostgreSQL 17, `pg_collation.dat`).
                let is_columns = own.get(at).is_some_and(|own| *own == collation);
                // An expression has that of the columns it reads.
                let is_inherited = own.get(at) == Some(&0) && (collation == 100 || of_table.contains(&collation));
                let is_usual = collation == 0 || is_columns || is_inherited;
                if is_usual { None } else { collations.get(&collation).cloned().flatten() }
            });
            let operators = numbers::<u32>(&row, 8).into_iter().map(|class| classes.get(&class).cloned().flatten());
            let expressions = optional(&row, 9);
            self.catalogue.indexes.push(IndexRow {
                table: number(&row, 0),
                name: text(&row, 1),
                unique: truth(&row, 2),
                method: text(&row, 3),
                key_columns: number(&row, 4),
                columns: numbers(&row, 5),
                expressions: expressions
                    .map(|all| all.split("\n\u{b}").map(str::to_owned).collect())
                    .unwrap_or_default(),
                options: numbers(&row, 6),
                collations: collated.collect(),
                operators: operators.collect(),
                predicate: optional(&row, 10),
                peculiarities,
            });
        }
        Ok(())
    }

    fn names(&mut self, sql: &str) -> Result<BTreeMap<u32, Option<String>>, ServerError> {
        Ok(self.ask(sql)?.iter().map(|row| (number(row, 0), optional(row, 1))).collect())
    }

    fn words(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select t.typname, e.enumlabel, d.description
             from pg_type t
             join pg_enum e on e.enumtypid = t.oid
             left join pg_description d on d.objoid = t.oid and d.classoid = 'pg_type'::regclass and d.objsubid = 0
             where t.typnamespace = $namespace
               and not exists (select from pg_depend x where x.classid = 'pg_type'::regclass and x.objid = t.oid
                                  and x.deptype = 'e')
             order by t.typname, e.enumsortorder",
        )?;
        self.catalogue.words = rows
            .iter()
            .map(|row| WordRow { name: text(row, 0), word: text(row, 1), comment: optional(row, 2) })
            .collect();
        Ok(())
    }

    fn programs(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select tg.tgrelid, tg.tgname, pg_get_triggerdef(tg.oid)
             from pg_trigger tg join pg_class c on c.oid = tg.tgrelid and c.relnamespace = $namespace
             where not tg.tgisinternal",
        )?;
        for row in rows {
            let table = self.relations.get(&number(&row, 0)).cloned();
            self.other(ObjectKind::Trigger, text(&row, 1), table, text(&row, 2));
        }
        let rows = self.ask(
            "select case when count(*) over (partition by p.proname) = 1 then p.proname::text
                         else p.oid::regprocedure::text end,
                    case when p.prokind in ('f', 'p') then pg_get_functiondef(p.oid) end
             from pg_proc p
             where p.pronamespace = $namespace
               and not exists (select from pg_depend x where x.classid = 'pg_proc'::regclass and x.objid = p.oid
                                  and x.deptype = 'e')",
        )?;
        for row in rows {
            self.other(ObjectKind::Routine, text(&row, 0), None, text(&row, 1));
        }
        Ok(())
    }

    /// Whatever else a namespace can hold, and what belongs to the database as a whole.
    fn others(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(
            "select 'domain', typname::text, null::oid from pg_type where typnamespace = $namespace and typtype = 'd'
               and not exists (select from pg_depend x where x.objid = pg_type.oid and x.deptype = 'e')
             union all
             select 'type', typname::text, null from pg_type left join pg_class c on c.oid = typrelid
              where typnamespace = $namespace and (typtype = 'r' or (typtype = 'c' and c.relkind = 'c'))
               and not exists (select from pg_depend x where x.objid = pg_type.oid and x.deptype = 'e')
             union all
             select 'policy', polname::text, polrelid from pg_policy
               join pg_class c on c.oid = polrelid and c.relnamespace = $namespace
             union all
             select 'rule', rulename::text, ev_class from pg_rewrite
               join pg_class c on c.oid = ev_class and c.relnamespace = $namespace where rulename <> '_RETURN'
             union all
             select 'statistics', stxname::text, stxrelid from pg_statistic_ext where stxnamespace = $namespace
             union all
             select 'extension', extname::text, null from pg_extension where extname <> 'plpgsql'
               and extnamespace = $namespace
             union all
             select 'event', evtname::text, null from pg_event_trigger",
        )?;
        for row in rows {
            let kind = match text(&row, 0).as_str() {
                "domain" => ObjectKind::Domain,
                "type" => ObjectKind::Type,
                "policy" => ObjectKind::Policy,
                "rule" => ObjectKind::Rule,
                "statistics" => ObjectKind::Statistics,
                "extension" => ObjectKind::Extension,
                _ => ObjectKind::Event,
            };
            let table = self.relations.get(&number(&row, 2)).cloned();
            self.other(kind, text(&row, 1), table, String::new());
        }
        // Constraints and indexes of the tool's own tables came along with the rest.
        let own = &self.own;
        self.catalogue.columns.retain(|row| !own.contains(&row.table));
        self.catalogue.constraints.retain(|row| !own.contains(&row.table));
        self.catalogue.indexes.retain(|row| !own.contains(&row.table));
        Ok(())
    }
}
