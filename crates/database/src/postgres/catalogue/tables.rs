//! Tables and what is in them, views, and the indexes and constraints of tables.

use std::collections::BTreeMap;

use hollow_oak_core::dialect::postgres::catalogue::{ColumnRow, ConstraintRow, IndexRow, OtherRow, TableRow};
use hollow_oak_core::physical::ObjectKind;

use super::partitions::INDEX_APART;
use super::{
    Reader, Row, collation_name, is_ours, last, letter, lines, number, numbers, optional, said, stated_collations,
    text, truth, with_parameters,
};
use crate::kept::is_own_table;
use crate::server::{ServerError, Session};

/// An option that the server gives every column of its own accord, with a number that is another in every database; its
/// dumper passes it over (seen on PostgreSQL 15.20, not on 15.18).
const OWN_OPTION: &str = "pg_attver=";

/// Tables, their parts, and views.
pub(super) const RELATIONS: &str = "select c.oid, $name(c.relnamespace, c.relname), c.relkind, c.relpersistence,
                    case when toast.oid is null then array_to_string(c.reloptions, E'\\n')
                         else concat_ws(E'\\n', array_to_string(c.reloptions, E'\\n'),
                                        'toast.' || array_to_string(toast.reloptions, E'\\ntoast.')) end, d.description,
                    c.relispartition, c.relrowsecurity,
                    c.relforcerowsecurity, nullif(am.amname, 'heap'), ts.spcname, c.relreplident,
                    nullif(c.reloftype, 0)::regtype,
                    case when c.relkind in ('v', 'm') then pg_get_viewdef(c.oid) end,
                    c.oid in (select x.objid from pg_depend x
                              where x.refclassid = 'pg_extension'::regclass and x.classid = 'pg_class'::regclass),
                    case when c.relkind = 'p' then pg_get_partkeydef(c.oid) end,
                    case when not c.relispartition and exists (select from pg_inherits i where i.inhrelid = c.oid) then
                        (select string_agg($sql(pc.relnamespace, pc.relname), ', ' order by i.inhseqno)
                         from pg_inherits i join pg_class pc on pc.oid = i.inhparent where i.inhrelid = c.oid) end,
                    case when c.relispartition then (select $name(pc.relnamespace, pc.relname) from pg_inherits i
                        join pg_class pc on pc.oid = i.inhparent where i.inhrelid = c.oid) end,
                    pg_get_expr(c.relpartbound, c.oid)
             from pg_class c
             left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0
             left join pg_am am on am.oid = c.relam
             left join pg_tablespace ts on ts.oid = c.reltablespace
             left join pg_class toast on toast.oid = c.reltoastrelid and toast.relkind = 't' and toast.reloptions is not null
             where c.relnamespace $namespaces and c.relkind in ('r', 'p', 'v', 'm', 'f')";

/// Sequences, and the columns that they are of.
pub(super) const NUMBERING: &str =
    "select x.refobjid, x.refobjsubid, s.seqstart, s.seqincrement, s.seqcache, s.seqcycle, s.seqmin, s.seqmax,
                    case s.seqtypid when 'int2'::regtype then 32767 when 'int4'::regtype then 2147483647
                         else 9223372036854775807 end, c.relname, x.deptype, $name(c.relnamespace, c.relname),
                    format_type(s.seqtypid, null), d.description, c.relpersistence = 'u'
             from pg_sequence s
             join pg_class c on c.oid = s.seqrelid and c.relnamespace $namespaces
             left join pg_depend x on x.classid = 'pg_class'::regclass and x.objid = s.seqrelid
                  and x.deptype in ('a', 'i') and x.refclassid = 'pg_class'::regclass and x.refobjsubid > 0
             left join pg_description d on d.objoid = c.oid and d.classoid = 'pg_class'::regclass and d.objsubid = 0
             where not $brought(pg_class, s.seqrelid)";

impl Reader<'_> {
    pub(super) fn relations(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(RELATIONS)?;
        for row in rows {
            let (oid, name) = (number::<u32>(&row, 0), text(&row, 1));
            if is_own_table(last(&name)) {
                self.own.insert(oid);
                continue;
            }
            // Of an extension.
            if truth(&row, 14) || is_ours(&name) {
                continue;
            }
            self.relations.insert(oid, name.clone());
            let kind = match letter(&row, 2) {
                'r' | 'p' if !truth(&row, 6) => {
                    let table = self.table(oid, name, &row);
                    self.catalogue.tables.push(table);
                    continue;
                }
                'r' | 'p' => {
                    self.partition(name, &row);
                    continue;
                }
                'v' => ObjectKind::View,
                'm' => ObjectKind::MaterializedView,
                _ => continue,
            };
            self.view(kind, name, &row);
        }
        Ok(())
    }

    /// A view. What goes beyond a query, a view of the language cannot say: then it is an object.
    fn view(&mut self, kind: ObjectKind, name: String, row: &Row) {
        let (query, comment) = (text(row, 13), optional(row, 5));
        let mut clauses = String::new();
        if let Some(method) = optional(row, 9) {
            clauses.push_str(&format!(" using {method}"));
        }
        clauses.push_str(&with_parameters(lines(row, 4)));
        if let Some(place) = optional(row, 10) {
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

    pub(super) fn table(&mut self, oid: u32, name: String, row: &Row) -> TableRow {
        let mut peculiarities = Vec::new();
        if let Some(key) = optional(row, 15) {
            let (method, columns) = key.split_once(' ').unwrap_or((&key, ""));
            peculiarities.push(format!("partition by {} {columns}", method.to_ascii_lowercase()));
        }
        if let Some(parents) = optional(row, 16) {
            peculiarities.push(format!("inherits ({parents})"));
        }
        if let Some(method) = optional(row, 9) {
            peculiarities.push(format!("using {method}"));
        }
        if let Some(place) = optional(row, 10) {
            peculiarities.push(format!("tablespace {place}"));
        }
        let identity = letter(row, 11);
        said(&mut peculiarities, identity == 'f', "replica identity full");
        said(&mut peculiarities, identity == 'n', "replica identity nothing");
        if let Some(ty) = optional(row, 12) {
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
    pub(super) fn security(&mut self, name: &str, row: &Row) {
        let quoted = self.session.dialect().quote_object(name);
        for (is_on, word, reset) in [(truth(row, 7), "enable", "disable"), (truth(row, 8), "force", "no force")] {
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

    /// The columns of tables.
    pub(super) fn columns_sql(&self) -> String {
        let collation = collation_name("co");
        let compression = self.since(140_000, "nullif(a.attcompression::text, '')", "null");
        let inherited = inherited("a.attislocal", "a.attinhcount");
        format!(
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
                    nullif(a.attstattarget, -1), array_to_string(a.attoptions, E'\\n'), d.description, {inherited},
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
        )
    }

    pub(super) fn columns(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(&self.columns_sql())?;
        let numbering = self.numbering()?;
        for row in rows {
            let (table, column) = (number::<u32>(&row, 0), number::<i16>(&row, 1));
            self.collations.entry(table).or_default().insert(column, number(&row, 16));
            self.presence.grants |= truth(&row, 17);
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
            peculiarities.extend(lines(&row, 13).into_iter().filter(|option| !option.starts_with(OWN_OPTION)));
            peculiarities.extend(optional(&row, 15));
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
        // In order here: the server would sort rows that are much wider.
        self.catalogue.columns.sort_by_key(|row| (row.table, row.number));
        Ok(())
    }

    /// First number, step and peculiarities of identity columns, from the sequences in them; the others are kept.
    #[expect(clippy::type_complexity, reason = "a lookup for one caller")]
    fn numbering(&mut self) -> Result<BTreeMap<(u32, i16), ((i64, i64), Vec<String>)>, ServerError> {
        let rows = self.ask(NUMBERING)?;
        let mut found = BTreeMap::new();
        for row in rows {
            match letter(&row, 10) {
                'i' => self.describe_numbering(&row),
                _ => {
                    self.sequences.push(row);
                    continue;
                }
            }
            let (start, step): (i64, i64) = (number(&row, 2), number(&row, 3));
            let (least, most, highest): (i64, i64, i64) = (number(&row, 6), number(&row, 7), number(&row, 8));
            let mut words = Vec::new();
            said(&mut words, number::<i64>(&row, 4) != 1, format!("identity cache {}", text(&row, 4)));
            said(&mut words, truth(&row, 5), "identity cycle");
            let usual = if step < 0 { (-highest - 1, -1) } else { (1, highest) };
            said(&mut words, (least, most) != usual, format!("identity from {least} to {most}"));
            words.push(format!("identity sequence {}", text(&row, 9)));
            found.insert((number(&row, 0), number(&row, 1)), ((start, step), words));
        }
        Ok(found)
    }

    /// The description of the sequence inside an identity column.
    fn describe_numbering(&mut self, row: &Row) {
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

    /// The constraints of tables.
    pub(super) fn constraints_sql(&self) -> String {
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
        let period = self.since(180_000, "con.conperiod", "false");
        let inherited = inherited("con.conislocal", "con.coninhcount");
        format!(
            "select con.conrelid, con.conname, con.contype, con.conkey, con.confrelid,
                    case when rc.oid is not null and not (rc.relnamespace $namespaces) then $name(rc.relnamespace, rc.relname) end,
                    con.confkey, con.confdeltype, con.confupdtype, con.condeferrable, con.condeferred,
                    pg_get_expr(con.conbin, con.conrelid),
                    case when con.contype in ('n', 'x', 't') then pg_get_constraintdef(con.oid) end,
                    con.convalidated, con.connoinherit and con.contype = 'c', con.confmatchtype = 'f', {distinct},
                    case when i.indnkeyatts < i.indnatts then
                        (select string_agg(quote_ident(a.attname), ', ' order by n.ordinality)
                         from unnest(i.indkey) with ordinality n(attnum, ordinality)
                         join pg_attribute a on a.attrelid = i.indrelid and a.attnum = n.attnum
                         where n.ordinality > i.indnkeyatts) end,
                    array_to_string(ic.reloptions, E'\\n'), {set_columns}, {enforced},
                    ts.spcname, {inherited}, i.indisclustered, i.indisreplident,
                    case when con.contype in ('p', 'u', 'x') then con.conindid end, {period}
             from pg_constraint con
             join pg_class c on c.oid = con.conrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                  and not c.relispartition
             left join pg_class rc on rc.oid = con.confrelid
             left join (pg_index i join pg_class ic on ic.oid = i.indexrelid
                                   left join pg_tablespace ts on ts.oid = ic.reltablespace)
               on i.indexrelid = con.conindid and con.contype in ('p', 'u')
             where con.contype <> 't' and (con.contype <> 'n' or con.connoinherit or not con.convalidated)
               and con.conparentid = 0"
        )
    }

    pub(super) fn constraints(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(&self.constraints_sql())?;
        for row in rows {
            self.of_constraints.extend(optional(&row, 25).and_then(|oid| oid.parse::<u32>().ok()));
            let mut peculiarities = lines(&row, 18);
            // What is not enforced counts as not valid as well.
            said(&mut peculiarities, !truth(&row, 13) && truth(&row, 20), "not valid");
            said(&mut peculiarities, truth(&row, 14), "no inherit");
            said(&mut peculiarities, truth(&row, 15), "match full");
            said(&mut peculiarities, truth(&row, 16), "nulls not distinct");
            if let Some(columns) = optional(&row, 17) {
                peculiarities.push(format!("include ({columns})"));
            }
            peculiarities.extend(optional(&row, 22));
            said(&mut peculiarities, truth(&row, 23), "clustered");
            said(&mut peculiarities, truth(&row, 24), "replica identity");
            said(&mut peculiarities, !truth(&row, 20), "not enforced");
            if let Some(columns) = optional(&row, 19) {
                peculiarities.push(format!("on delete of columns ({columns})"));
            }
            if let Some(place) = optional(&row, 21) {
                peculiarities.push(format!("using index tablespace {place}"));
            }
            said(
                &mut peculiarities,
                truth(&row, 26),
                if letter(&row, 2) == 'f' { "period" } else { "without overlaps" },
            );
            if letter(&row, 2) == 'n' {
                self.is_required_otherwise(&row);
                if optional(&row, 22).is_some_and(|inherited| inherited == "inherited") {
                    continue;
                }
            }
            if matches!(letter(&row, 2), 'n' | 'x') {
                let dialect = self.session.dialect();
                let table = self.relations.get(&number(&row, 0)).cloned().unwrap_or_default();
                let name = text(&row, 1);
                let alter = format!("alter table {}", dialect.quote_object(&table));
                let quoted = dialect.quote(&name);
                self.catalogue.others.push(OtherRow {
                    kind: ObjectKind::Constraint,
                    sql: format!("{alter} add constraint {quoted} {}", text(&row, 12)),
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
                name: text(&row, 1),
                kind: letter(&row, 2),
                columns: numbers(&row, 3),
                referenced: self.relations.get(&number(&row, 4)).cloned().or_else(|| optional(&row, 5)),
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
        self.catalogue.constraints.sort_by(|a, b| (a.table, &a.name).cmp(&(b.table, &b.name)));
        Ok(())
    }

    /// That a column needs values for new rows only, or in its own table only, is said by a constraint beside it.
    fn is_required_otherwise(&mut self, row: &Row) {
        for number in numbers::<i16>(row, 3) {
            let same = |column: &&mut ColumnRow| (column.table, column.number) == (self::number(row, 0), number);
            self.catalogue.columns.iter_mut().filter(same).for_each(|column| column.required = false);
        }
    }

    /// The indexes of tables.
    pub(super) fn indexes_sql(&self) -> String {
        let distinct = self.since(150_000, "i.indnullsnotdistinct", "false");
        format!(
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
             where not i.indisprimary and (c.relkind <> 'p' or not {INDEX_APART})"
        )
    }

    pub(super) fn indexes(&mut self) -> Result<(), ServerError> {
        let rows = self.ask(&self.indexes_sql())?;
        let classes = self.names(
            "select oid, case when opcnamespace = 'pg_catalog'::regnamespace then quote_ident(opcname)
                              else $sql(opcnamespace, opcname) end
             from pg_opclass where not opcdefault",
        )?;
        let collations = self.names(&format!(
            "select oid, {} from pg_collation c where oid in (select unnest(indcollation::oid[]) from pg_index)",
            collation_name("c")
        ))?;
        for row in rows {
            if self.of_constraints.contains(&number(&row, 15)) {
                continue;
            }
            let mut peculiarities = lines(&row, 11);
            said(&mut peculiarities, !truth(&row, 12), "invalid");
            said(&mut peculiarities, truth(&row, 13), "nulls not distinct");
            said(&mut peculiarities, truth(&row, 16), "clustered");
            said(&mut peculiarities, truth(&row, 17), "replica identity");
            peculiarities.extend(lines(&row, 18));
            if let Some(place) = optional(&row, 14) {
                peculiarities.push(format!("tablespace {place}"));
            }
            let of_table = self.collations.get(&number(&row, 0));
            let keys: Vec<i16> = numbers(&row, 5);
            let expressions: Vec<String> =
                optional(&row, 9).map(|all| all.split("\n\u{b}").map(str::to_owned).collect()).unwrap_or_default();
            let mut stated = stated_collations(&optional(&row, 20).unwrap_or_default(), &expressions).into_iter();
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
            for with_options in lines(&row, 19).chunks_exact(2) {
                let at = with_options[0].parse::<usize>().ok().and_then(|number| operators.get_mut(number - 1));
                if let Some(operators) = at {
                    *operators = Some(with_options[1].clone());
                }
            }
            self.catalogue.indexes.push(IndexRow {
                table: number(&row, 0),
                name: text(&row, 1),
                unique: truth(&row, 2),
                method: text(&row, 3),
                key_columns: number(&row, 4),
                columns: keys.clone(),
                expressions,
                options: numbers(&row, 6),
                collations: collated,
                operators,
                predicate: optional(&row, 10),
                peculiarities,
            });
        }
        self.catalogue.indexes.sort_by(|a, b| (a.table, &a.name).cmp(&(b.table, &b.name)));
        Ok(())
    }

    fn names(&mut self, sql: &str) -> Result<BTreeMap<u32, Option<String>>, ServerError> {
        Ok(self.ask(sql)?.iter().map(|row| (number(row, 0), optional(row, 1))).collect())
    }
}

/// That something is there because a parent of its table has it, be it declared by the table as well (PostgreSQL 17,
/// "pg_attribute" and "pg_constraint").
fn inherited(is_local: &str, count: &str) -> String {
    format!("case when not {is_local} then 'inherited' when {count} > 0 then 'also inherited' end")
}
