//! Everything else: enums, routines, triggers, sequences, types, rules, descriptions, privileges.

use hollow_oak_core::dialect::postgres::catalogue::{OtherRow, SequenceRow, WordRow};
use hollow_oak_core::physical::ObjectKind;

use super::{Reader, is_ours, number, optional, text, truth};
use crate::server::ServerError;

impl Reader<'_> {
    pub(super) fn words(&mut self) -> Result<(), ServerError> {
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

    pub(super) fn programs(&mut self) -> Result<(), ServerError> {
        let rows = if !self.presence.triggers {
            Vec::new()
        } else {
            self.ask(
                "select tg.tgrelid, tg.tgname, pg_get_triggerdef(tg.oid), d.description
             from pg_trigger tg join pg_class c on c.oid = tg.tgrelid and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
             left join pg_description d on d.objoid = tg.oid and d.classoid = 'pg_trigger'::regclass
             where not tg.tgisinternal and tg.tgparentid = 0",
            )?
        };
        for row in rows {
            let table = self.relations.get(&number(&row, 0)).cloned();
            self.other(ObjectKind::Trigger, text(&row, 1), table, text(&row, 2), optional(&row, 3));
        }
        if !self.presence.routines {
            return Ok(());
        }
        // What tells routines of one name apart is the types of their arguments. Of procedures of one name those are told
        // apart with what each is for, since what comes out may count or not (PostgreSQL 17, "DROP PROCEDURE").
        let rows = self.ask(
            "select case when count(*) over (partition by p.pronamespace, p.proname) = 1
                         then $name(p.pronamespace, p.proname)
                         else p.oid::regprocedure::text end,
                    pg_get_functiondef(p.oid), 'drop ' || case p.prokind when 'p' then 'procedure' else 'function' end
                    || ' ' || case when p.prokind = 'p' and count(*) over (partition by p.pronamespace, p.proname) > 1
                                   then $sql(p.pronamespace, p.proname) || '(' || pg_get_function_identity_arguments(p.oid) || ')'
                                   else p.oid::regprocedure::text end, d.description
             from pg_proc p
             left join pg_description d on d.objoid = p.oid and d.classoid = 'pg_proc'::regclass
             where p.pronamespace $namespaces and p.prokind <> 'a'
               and $own(pg_proc, p.oid)",
        )?;
        for row in rows {
            // Line ends of another system mean the same.
            let (name, sql, drop) = (text(&row, 0), text(&row, 1).replace("\r\n", "\n"), text(&row, 2));
            let (kind, table, comment, after) = (ObjectKind::Routine, None, optional(&row, 3), Vec::new());
            self.catalogue.others.push(OtherRow { kind, name, table, sql, drop, after, comment });
        }
        Ok(())
    }

    pub(super) fn sequences(&mut self) {
        let mut rows = std::mem::take(&mut self.sequences);
        rows.sort_by(|a, b| a.get(11).cmp(&b.get(11)));
        for row in &rows {
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
    pub(super) fn others(&mut self) -> Result<(), ServerError> {
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
                    || case when extnamespace = $default
                              or extnamespace = 'pg_catalog'::regnamespace and not extrelocatable then ''
                            else ' with schema ' || extnamespace::regnamespace end,
                    'drop extension ' || quote_ident(extname),
                    nullif(obj_description(e.oid, 'pg_extension'), usual.comment),
                    (select string_agg(needed.extname, e'\\n' order by needed.extname)
                     from pg_depend x join pg_extension needed on needed.oid = x.refobjid and needed.extname <> 'plpgsql'
                     where x.classid = 'pg_extension'::regclass and x.objid = e.oid and x.refclassid = 'pg_extension'::regclass)
             from pg_extension e
             left join pg_available_extensions() as usual on usual.name = extname
             where extname <> 'plpgsql'
               and (extnamespace $namespaces or extnamespace = 'pg_catalog'::regnamespace
                    or not $own(pg_namespace, extnamespace))",
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

    pub(super) fn types(&mut self) -> Result<(), ServerError> {
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
        // An array's element may be that of a type that is no array (PostgreSQL 17, "pg_type", typelem); a type that was
        // only announced is a pseudo-type without a definition ("CREATE TYPE").
        let rows = self.ask(&format!(
            "select $name(t.typnamespace, t.typname) from pg_type t
             where t.typnamespace $namespaces and {own}
               and (t.typtype = 'p' and not t.typisdefined
                    or t.typtype = 'b' and not exists (select from pg_type e where e.typarray = t.oid))"
        ))?;
        for row in rows {
            self.other(ObjectKind::Type, text(&row, 0), None, String::new(), None);
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
             from pg_policy p join pg_class c on c.oid = p.polrelid and c.relnamespace $namespaces and not $brought(pg_class, c.oid)",
        )?;
        self.objects(
            ObjectKind::Rule,
            "select r.rulename || ' on ' || $name(c.relnamespace, c.relname), rtrim(pg_get_ruledef(r.oid), ';'),
                    'drop rule ' || quote_ident(r.rulename) || ' on ' || $sql(c.relnamespace, c.relname), null,
                    $name(c.relnamespace, c.relname)
             from pg_rewrite r join pg_class c on c.oid = r.ev_class and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
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
             where s.stxnamespace $namespaces and not $brought(pg_class, c.oid)",
        )
    }

    /// Aggregate functions. What a final function does to the state is told where it is not what its kind does by default
    /// (PostgreSQL 17, "CREATE AGGREGATE", FINALFUNC_MODIFY).
    fn aggregates(&mut self) -> Result<(), ServerError> {
        let modify = |word: &str, column: &str| {
            format!(
                "case when {column} = case a.aggkind when 'n' then 'r' else 'w' end then ''
                      else ', {word} = ' || case {column} when 'r' then 'read_only' when 's' then 'shareable'
                                                          else 'read_write' end end"
            )
        };
        let function =
            |word: &str, column: &str| format!("coalesce(', {word} = ' || nullif(a.{column}, 0)::regproc, '')");
        let arguments = "case when p.pronargs = 0 then '*' else pg_get_function_identity_arguments(p.oid) end";
        let functions = [
            ("combinefunc", "aggcombinefn"),
            ("serialfunc", "aggserialfn"),
            ("deserialfunc", "aggdeserialfn"),
            ("msfunc", "aggmtransfn"),
            ("minvfunc", "aggminvtransfn"),
            ("mfinalfunc", "aggmfinalfn"),
        ];
        let further: Vec<String> = functions.iter().map(|(word, column)| function(word, column)).collect();
        let needed: Vec<String> =
            functions.iter().map(|(_, column)| format!("nullif(a.{column}, 0)::regproc")).collect();
        self.objects(
            ObjectKind::Aggregate,
            &format!(
                "select $name(p.pronamespace, p.proname) || '(' || pg_get_function_identity_arguments(p.oid) || ')',
                        'create aggregate ' || $sql(p.pronamespace, p.proname) || '(' || {arguments}
                        || ') (sfunc = ' || a.aggtransfn::regproc || ', stype = ' || format_type(a.aggtranstype, null)
                        || {final_function} || case when a.aggfinalextra then ', finalfunc_extra' else '' end || {modifies}
                        || case when a.aggtransspace <> 0 then ', sspace = ' || a.aggtransspace else '' end
                        || {further}
                        || coalesce(', initcond = ' || quote_literal(a.agginitval), '')
                        || coalesce(', mstype = ' || format_type(nullif(a.aggmtranstype, 0), null), '')
                        || case when a.aggmtransspace <> 0 then ', msspace = ' || a.aggmtransspace else '' end
                        || case when a.aggmfinalextra then ', mfinalfunc_extra' else '' end
                        || case when a.aggmtransfn = 0 then '' else {moving_modifies} end
                        || coalesce(', minitcond = ' || quote_literal(a.aggminitval), '')
                        || coalesce((select ', sortop = operator(' || o.oprnamespace::regnamespace || '.' || o.oprname || ')'
                                     from pg_operator o where o.oid = a.aggsortop), '')
                        || case when a.aggkind = 'h' then ', hypothetical' else '' end
                        || case p.proparallel when 's' then ', parallel = safe' when 'r' then ', parallel = restricted' else '' end
                        || ')',
                        'drop aggregate ' || $sql(p.pronamespace, p.proname) || '(' || {arguments} || ')',
                        d.description,
                        concat_ws(E'\n', a.aggtransfn::regproc, nullif(a.aggfinalfn, 0)::regproc, {needed},
                                  (select $name(o.oprnamespace, o.oprname) from pg_operator o
                                   where o.oid = a.aggsortop and o.oprnamespace $namespaces))
                 from pg_aggregate a join pg_proc p on p.oid = a.aggfnoid and p.pronamespace $namespaces
                 left join pg_description d on d.objoid = p.oid and d.classoid = 'pg_proc'::regclass
                 where $own(pg_proc, p.oid)",
                final_function = function("finalfunc", "aggfinalfn"),
                modifies = modify("finalfunc_modify", "a.aggfinalmodify"),
                moving_modifies = modify("mfinalfunc_modify", "a.aggmfinalmodify"),
                further = further.join(" || "),
                needed = needed.join(", "),
            ),
        )
    }

    fn view_indexes(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::ViewIndex,
            "select $name(ic.relnamespace, ic.relname), pg_get_indexdef(i.indexrelid), 'drop index ' || $sql(ic.relnamespace, ic.relname), d.description,
                    $name(c.relnamespace, c.relname)
             from pg_index i join pg_class ic on ic.oid = i.indexrelid
             join pg_class c on c.oid = i.indrelid and c.relkind = 'm' and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
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
                   join pg_class c on c.oid = n.conrelid and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
                   where d.classoid = 'pg_constraint'::regclass
                   union all
                   select 'index ' || $sql(ic.relnamespace, ic.relname), d.description,
                    $name(c.relnamespace, c.relname)
                   from pg_description d join pg_class ic on ic.oid = d.objoid and ic.relkind in ('i', 'I')
                   join pg_index i on i.indexrelid = ic.oid
                   join pg_class c on c.oid = i.indrelid and c.relnamespace $namespaces and not $brought(pg_class, c.oid) and c.relkind in ('r', 'p')
                   where d.classoid = 'pg_class'::regclass
                   union all
                   select 'column ' || $sql(c.relnamespace, c.relname) || '.' || quote_ident(a.attname), d.description,
                    $name(c.relnamespace, c.relname)
                   from pg_description d
                   join pg_class c on c.oid = d.objoid and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
                        and (c.relkind in ('v', 'm', 'c', 'f') or c.relispartition)
                   join pg_attribute a on a.attrelid = c.oid and a.attnum = d.objsubid
                   where d.classoid = 'pg_class'::regclass and d.objsubid > 0
                   union all
                   select 'foreign table ' || $sql(c.relnamespace, c.relname), d.description, $name(c.relnamespace, c.relname)
                   from pg_description d join pg_class c on c.oid = d.objoid and c.relnamespace $namespaces and not $brought(pg_class, c.oid) and c.relkind = 'f'
                   where d.classoid = 'pg_class'::regclass and d.objsubid = 0
                   union all
                   select 'constraint ' || quote_ident(n.conname) || ' on domain ' || $sql(t.typnamespace, t.typname),
                          d.description, $name(t.typnamespace, t.typname)
                   from pg_description d join pg_constraint n on n.oid = d.objoid
                   join pg_type t on t.oid = n.contypid and t.typnamespace $namespaces and $own(pg_type, t.oid)
                   where d.classoid = 'pg_constraint'::regclass
                   union all
                   select 'policy ' || quote_ident(p.polname) || ' on ' || $sql(c.relnamespace, c.relname), d.description,
                          p.polname || ' on ' || $name(c.relnamespace, c.relname)
                   from pg_description d join pg_policy p on p.oid = d.objoid
                   join pg_class c on c.oid = p.polrelid and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
                   where d.classoid = 'pg_policy'::regclass
                   union all
                   select 'rule ' || quote_ident(r.rulename) || ' on ' || $sql(c.relnamespace, c.relname), d.description,
                          r.rulename || ' on ' || $name(c.relnamespace, c.relname)
                   from pg_description d join pg_rewrite r on r.oid = d.objoid
                   join pg_class c on c.oid = r.ev_class and c.relnamespace $namespaces and not $brought(pg_class, c.oid)
                   where d.classoid = 'pg_rewrite'::regclass) found",
        )
    }

    pub(super) fn grants(&mut self) -> Result<(), ServerError> {
        let own = "c.relname not like 'hollow\\_oak\\_%'";
        let (of_relation, of_column) =
            (not_as_brought("pg_class", "c.oid", "0"), not_as_brought("pg_class", "c.oid", "a.attnum"));
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
                       where c.relnamespace $namespaces and g.grantee <> c.relowner and {own} and {of_relation}
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
                       where a.attacl is not null and g.grantee <> c.relowner and {own} and {of_column}
                       group by c.relnamespace, c.relname, a.attname, g.grantee, g.is_grantable) found"
            ),
        )?;
        self.objects(
            ObjectKind::Grant,
            &format!(
                "select who || ' on namespace ' || nspname || case when is_grantable then ' with grant option' else '' end,
                    'grant ' || privileges || ' on ' || what || ' to ' || who
                    || case when is_grantable then ' with grant option' else '' end,
                    'revoke ' || privileges || ' on ' || what || ' from ' || who, null, nspname
             from (select n.nspname, g.is_grantable,
                          case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end as who,
                          string_agg(lower(g.privilege_type), ', ' order by g.privilege_type) as privileges,
                          'schema ' || quote_ident(n.nspname) as what
                   from pg_namespace n cross join lateral aclexplode(n.nspacl) g
                   where n.oid $namespaces and n.oid <> $default and g.grantee <> n.nspowner and {}
                   group by n.nspname, g.grantee, g.is_grantable) found",
                not_as_brought("pg_namespace", "n.oid", "0")
            ),
        )?;
        // Of the one that is worked in, what it was not made with (PostgreSQL 17, "pg_init_privs").
        let kept = "select n.nspname, g.grantee, g.privilege_type, g.is_grantable, n.nspowner
                    from pg_namespace n left join pg_init_privs i on i.objoid = n.oid and i.classoid = 'pg_namespace'::regclass
                    cross join lateral aclexplode(coalesce({acl}, acldefault('n', n.nspowner))) g where n.oid = $default";
        let (now, first) = (kept.replace("{acl}", "n.nspacl"), kept.replace("{acl}", FIRST_OF_PLACE));
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
            &format!(
                "select who || ' on ' || what || case when is_grantable then ' with grant option' else '' end,
                    'grant execute on ' || what || ' to ' || who || case when is_grantable then ' with grant option' else '' end,
                    'revoke execute on ' || what || ' from ' || who, null, proname
             from (select distinct $name(p.pronamespace, p.proname) as proname, quote_ident(pg_get_userbyid(g.grantee)) as who, g.is_grantable,
                          'routine ' || p.oid::regprocedure as what
                   from pg_proc p cross join lateral aclexplode(p.proacl) g
                   where p.pronamespace $namespaces and g.grantee <> p.proowner and g.grantee <> 0 and {}) found
             union all
             select 'public not on routine ' || p.oid::regprocedure,
                    'revoke execute on routine ' || p.oid::regprocedure || ' from public',
                    'grant execute on routine ' || p.oid::regprocedure || ' to public', null, $name(p.pronamespace, p.proname)
             from pg_proc p
             where p.pronamespace $namespaces and p.proacl is not null
               and not exists (select from aclexplode(p.proacl) g where g.grantee = 0)
               and $own(pg_proc, p.oid)",
                not_as_brought("pg_proc", "p.oid", "0")
            ),
        )
    }
}

/// What the namespace n that is worked in was made with, i being its row in `pg_init_privs`. A `public` that was dropped and made
/// again has none: then it is what a new database has (PostgreSQL 17, "Schemas and Privileges"; before 15 everybody could
/// create in it).
const FIRST_OF_PLACE: &str = "coalesce(i.initprivs, case when n.nspname = 'public' then
    acldefault('n', n.nspowner) || makeaclitem(0, n.nspowner, 'USAGE', false)
    || case when current_setting('server_version_num')::int < 150000
            then array[makeaclitem(0, n.nspowner, 'CREATE', false)] else array[]::aclitem[] end end)";

/// SQL for that an extension did not give the privilege g itself when it was made (PostgreSQL 17, "pg_init_privs"), to an
/// object of a catalogue, or to one of its parts.
fn not_as_brought(catalogue: &str, object: &str, part: &str) -> String {
    format!(
        "not exists (select from pg_init_privs i cross join lateral aclexplode(i.initprivs) f
                     where i.privtype = 'e' and i.classoid = '{catalogue}'::regclass and i.objoid = {object} and i.objsubid = {part}
                       and (f.grantee, f.privilege_type, f.is_grantable) = (g.grantee, g.privilege_type, g.is_grantable))"
    )
}
