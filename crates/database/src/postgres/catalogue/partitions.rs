//! The parts of partitioned tables, and what one has that its parent has not.

use hollow_oak_core::dialect::postgres::catalogue::OtherRow;
use hollow_oak_core::physical::ObjectKind;

use super::{Reader, Row, letter, lines, optional, text, with_parameters};
use crate::server::{ServerError, Session};

/// That an index `i` of a partitioned table `c` is not simply one of all its parts: some have none, or one that belongs to a
/// constraint of their own. A reference names an index, too: that which it points to.
pub(super) const INDEX_APART: &str = "(not i.indisvalid or exists (
    select from pg_partition_tree(i.indexrelid) t join pg_constraint n on n.conindid = t.relid and n.contype <> 'f'
    where t.level > 0 and not exists (
        select from pg_constraint own where own.conindid = i.indexrelid and own.contype <> 'f')))";

impl Reader<'_> {
    /// A part of a partitioned table. What its parent has, it has without being told.
    pub(super) fn partition(&mut self, name: String, row: &Row) {
        let (parent, bound) = (text(row, 17), text(row, 18));
        let dialect = self.session.dialect();
        let quoted = dialect.quote_object(&name);
        let unlogged = if letter(row, 3) == 'u' { "unlogged " } else { "" };
        let mut sql = format!("create {unlogged}table {quoted} partition of {} {bound}", dialect.quote_object(&parent));
        if let Some(key) = optional(row, 15) {
            sql.push_str(&format!(" partition by {key}"));
        }
        if let Some(method) = optional(row, 9) {
            sql.push_str(&format!(" using {method}"));
        }
        sql.push_str(&with_parameters(lines(row, 4)));
        if let Some(place) = optional(row, 10) {
            sql.push_str(&format!(" tablespace {place}"));
        }
        let identity = match letter(row, 11) {
            'f' => Some("full"),
            'n' => Some("nothing"),
            _ => None,
        };
        if let Some(identity) = identity {
            sql.push_str(&format!(";\nalter table {quoted} replica identity {identity}"));
        }
        self.security(&name, row);
        self.catalogue.others.push(OtherRow {
            kind: ObjectKind::Partition,
            drop: format!("drop table {quoted}"),
            name,
            table: None,
            sql,
            after: vec![parent],
            comment: optional(row, 5),
        });
    }

    /// What parts of tables, and columns of views, have of their own.
    pub(super) fn parts(&mut self) -> Result<(), ServerError> {
        self.own_order()?;
        self.own_defaults()?;
        self.own_constraints()?;
        self.own_indexes()
    }

    /// Parts that were tables with the columns in another order before they were attached. Made anew they have that of their
    /// parent, and nothing that is declared says otherwise.
    fn own_order(&mut self) -> Result<(), ServerError> {
        let columns = |table: &str| {
            format!(
                "(select array_agg(attname order by attnum) from pg_attribute where attrelid = {table} and attnum > 0 and not attisdropped)"
            )
        };
        let rows = self.ask(&format!(
            "select $name(c.relnamespace, c.relname), array_to_string({own}, ' ')
             from pg_class c join pg_inherits i on i.inhrelid = c.oid
             where c.relnamespace $namespaces and c.relispartition and c.relkind in ('r', 'p') and {own} <> {parents}",
            own = columns("c.oid"),
            parents = columns("i.inhparent"),
        ))?;
        for row in rows {
            let name = format!("{} (its columns in the order {})", text(&row, 0), text(&row, 1));
            self.other(ObjectKind::Partition, name, None, String::new(), None);
        }
        Ok(())
    }

    fn own_defaults(&mut self) -> Result<(), ServerError> {
        let column = "a.attname || ' ' as name, 'alter ' || case c.relkind when 'v' then 'view ' else 'table ' end
                      || $sql(c.relnamespace, c.relname) || ' alter column ' || quote_ident(a.attname) || ' ' as head";
        let storage = |letter: &str| {
            format!(
                "case {letter} when 'p' then 'plain' when 'e' then 'external' when 'm' then 'main' else 'extended' end"
            )
        };
        let (own_storage, storage) = (storage("a.attstorage"), storage("coalesce(pa.attstorage, t.typstorage)"));
        let compression = |column: &str| {
            let letter = self.since(140_000, column, "''");
            format!("case {letter} when 'p' then 'pglz' when 'l' then 'lz4' else 'default' end")
        };
        let (own_compression, compression) = (compression("a.attcompression"), compression("pa.attcompression"));
        self.objects(
            ObjectKind::ColumnSetting,
            &format!(
                "select relation || '.' || name || 'default', head || coalesce('set default ' || own, 'drop default'),
                        head || coalesce('set default ' || parents, 'drop default'), null, relation
                 from (select $name(c.relnamespace, c.relname) as relation, {column},
                              pg_get_expr(d.adbin, 0) as own, pg_get_expr(pd.adbin, 0) as parents
                       from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
                       left join pg_attrdef d on d.adrelid = c.oid and d.adnum = a.attnum
                       left join pg_inherits i on i.inhrelid = c.oid
                       left join pg_attribute pa on pa.attrelid = i.inhparent and pa.attname = a.attname
                       left join pg_attrdef pd on pd.adrelid = pa.attrelid and pd.adnum = pa.attnum
                       where c.relnamespace $namespaces and (c.relkind = 'v' or c.relispartition and c.relkind in ('r', 'p'))
                         and a.attgenerated = '' and (d.oid is not null or pd.oid is not null)) found
                 where own is distinct from parents
                 union all
                 select relation || '.' || name || 'not null', head || 'set not null', head || 'drop not null', null, relation
                 from (select $name(c.relnamespace, c.relname) as relation, {column}
                       from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
                       join pg_inherits i on i.inhrelid = c.oid
                       join pg_attribute pa on pa.attrelid = i.inhparent and pa.attname = a.attname
                       where c.relnamespace $namespaces and c.relispartition and c.relkind in ('r', 'p')
                         and a.attnotnull and not pa.attnotnull
                         and not exists (select from pg_index k where k.indrelid = c.oid and k.indisprimary
                                            and a.attnum = any (k.indkey))) found
                 union all
                 select relation || '.' || name || 'statistics', head || 'set statistics ' || target,
                        head || 'set statistics -1', null, relation
                 from (select $name(c.relnamespace, c.relname) as relation, {column}, a.attstattarget as target
                       from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
                       where c.relnamespace $namespaces and (c.relispartition and c.relkind in ('r', 'p') or c.relkind = 'm')
                         and a.attstattarget >= 0) found
                 union all
                 select relation || '.' || name || what, head || 'set ' || what || ' ' || own,
                        head || 'set ' || what || ' ' || usual, null, relation
                 from (select $name(c.relnamespace, c.relname) as relation, {column}, what, own, usual
                       from pg_class c join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
                       join pg_type t on t.oid = a.atttypid
                       left join pg_inherits i on i.inhrelid = c.oid
                       left join pg_attribute pa on pa.attrelid = i.inhparent and pa.attname = a.attname
                       cross join lateral (values ('storage', {own_storage}, {storage}),
                                                  ('compression', {own_compression}, {compression})) said (what, own, usual)
                       where c.relnamespace $namespaces and (c.relispartition and c.relkind in ('r', 'p') or c.relkind = 'm')
                         and own <> usual) found"
            ),
        )
    }

    fn own_constraints(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Constraint,
            "select n.conname || ' on ' || $name(c.relnamespace, c.relname),
                    'alter table ' || $sql(c.relnamespace, c.relname) || ' add constraint ' || quote_ident(n.conname) || ' '
                    || pg_get_constraintdef(n.oid),
                    'alter table ' || $sql(c.relnamespace, c.relname) || ' drop constraint ' || quote_ident(n.conname), null,
                    $name(c.relnamespace, c.relname)
             from pg_constraint n
             join pg_class c on c.oid = n.conrelid and c.relnamespace $namespaces and c.relispartition and c.relkind in ('r', 'p')
             where n.contype in ('c', 'f', 'p', 'u', 'x') and n.conislocal and n.coninhcount = 0 and n.conparentid = 0",
        )
    }

    /// Indexes of parts that are no parts of an index, and those of a table that its parts do not all have. A part's key that
    /// became a part of one goes with it, and cannot go without it (PostgreSQL 17, "ALTER INDEX", ATTACH PARTITION).
    fn own_indexes(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::ViewIndex,
            &format!(
                "select $name(ic.relnamespace, ic.relname), pg_get_indexdef(i.indexrelid)
                        || case when i.indisclustered then e';\\nalter table ' || $sql(c.relnamespace, c.relname) || ' cluster on '
                                                         || quote_ident(ic.relname) else '' end
                        || case when i.indisreplident then e';\\nalter table ' || $sql(c.relnamespace, c.relname)
                                                         || ' replica identity using index ' || quote_ident(ic.relname) else '' end
                        || coalesce((
                            select string_agg(case when n.oid is null then e';\\n' || pg_get_indexdef(t.relid) else '' end
                                              || e';\\nalter index ' || t.parentrelid::regclass
                                              || ' attach partition ' || t.relid::regclass, ''
                                              order by t.level, (select relname from pg_class where oid = t.relid) collate \"C\")
                            from pg_partition_tree(i.indexrelid) t
                            left join pg_constraint n on n.conindid = t.relid and n.contype <> 'f'
                            where t.level > 0), ''),
                        'drop index ' || $sql(ic.relnamespace, ic.relname) || coalesce((
                            select ' cascade' || string_agg(e';\\nalter table ' || n.conrelid::regclass || ' add constraint '
                                                            || quote_ident(n.conname) || ' ' || pg_get_constraintdef(n.oid), '')
                            from pg_partition_tree(i.indexrelid) t join pg_constraint n on n.conindid = t.relid
                            where n.conparentid = 0 and n.contype <> 'f'), ''), null,
                        concat_ws(e'\\n', $name(c.relnamespace, c.relname), (
                            select string_agg($name(pc.relnamespace, pc.relname), e'\\n') from pg_partition_tree(c.oid) t
                            join pg_class pc on pc.oid = t.relid where t.level > 0), (
                            select string_agg(n.conname, e'\\n') from pg_partition_tree(i.indexrelid) t
                            join pg_constraint n on n.conindid = t.relid and n.contype <> 'f'))
                 from pg_index i join pg_class ic on ic.oid = i.indexrelid
                 join pg_class c on c.oid = i.indrelid and c.relnamespace $namespaces and c.relkind in ('r', 'p')
                 where not exists (select from pg_constraint n where n.conindid = i.indexrelid and n.contype <> 'f')
                   and case when c.relispartition then not exists (select from pg_inherits x where x.inhrelid = i.indexrelid)
                            else c.relkind = 'p' and {INDEX_APART} end"
            ),
        )
    }
}
