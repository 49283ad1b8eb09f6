//! The rarer things of a database, each as the statements that make it and take it away; what cannot be put so is named.

use hollow_oak_core::physical::ObjectKind;

use super::{Reader, text};
use crate::server::ServerError;

/// `options (…)` of a foreign thing, from the array in a column.
fn options(column: &str) -> String {
    format!(
        "coalesce(' options (' || (select string_agg(quote_ident(option_name) || ' ' || quote_literal(option_value), ', ')
                                   from pg_options_to_table({column})) || ')', '')"
    )
}

impl Reader<'_> {
    /// Reads what `presence` has seen to be there.
    pub(super) fn rarer(&mut self) -> Result<(), ServerError> {
        let presence = self.presence;
        if presence.operators {
            self.operators()?;
            self.operator_classes()?;
            self.text_search()?;
        }
        if presence.collations {
            self.collations()?;
        }
        if presence.foreign {
            self.foreign_servers()?;
            self.foreign_tables()?;
        }
        if presence.database_wide {
            self.casts()?;
            self.event_triggers()?;
            self.publications()?;
            self.default_privileges()?;
            self.only_named()?;
        }
        if presence.firing {
            self.firing()?;
        }
        if presence.grants {
            self.type_grants()?;
        }
        Ok(())
    }

    /// A name, operators' too, which are never quoted.
    fn operator(&self, row: &str) -> String {
        format!(
            "(case when {row}.oprnamespace = $default then '' else {row}.oprnamespace::regnamespace || '.' end || {row}.oprname)"
        )
    }

    fn operators(&mut self) -> Result<(), ServerError> {
        let name = self.operator("o");
        let related = |column: &str| {
            let other = self.operator("other");
            format!(
                "(select case when other.oprnamespace in ($default, 'pg_catalog'::regnamespace) then other.oprname
                              else 'operator(' || {other} || ')' end from pg_operator other where other.oid = o.{column})"
            )
        };
        let (commutator, negator) = (related("oprcom"), related("oprnegate"));
        let sides = "coalesce(nullif(o.oprleft, 0)::regtype::text, 'none') || ', ' || o.oprright::regtype";
        self.objects(
            ObjectKind::Operator,
            &format!(
                "select {name} || ' (' || {sides} || ')',
                        'create operator ' || {name} || ' (function = ' || o.oprcode::regproc
                        || coalesce(', leftarg = ' || nullif(o.oprleft, 0)::regtype, '')
                        || coalesce(', rightarg = ' || nullif(o.oprright, 0)::regtype, '')
                        || coalesce(', commutator = ' || {commutator}, '') || coalesce(', negator = ' || {negator}, '')
                        || coalesce(', restrict = ' || nullif(o.oprrest, 0)::regproc, '')
                        || coalesce(', join = ' || nullif(o.oprjoin, 0)::regproc, '')
                        || case when o.oprcanhash then ', hashes' else '' end
                        || case when o.oprcanmerge then ', merges' else '' end || ')',
                        'drop operator ' || {name} || ' (' || {sides} || ')', null, o.oprcode::regproc
                 from pg_operator o
                 where o.oprnamespace $namespaces and o.oprcode <> 0 and $own(pg_operator, o.oid)"
            ),
        )
    }

    /// Operator classes, with the families that came along with them, and the families that stand by themselves.
    fn operator_classes(&mut self) -> Result<(), ServerError> {
        let member = |of: &str| {
            format!(
                "exists (select from pg_depend m where m.classid = 'pg_amop'::regclass and m.objid = o.oid and {of})"
            )
        };
        let function_member = |of: &str| {
            format!(
                "exists (select from pg_depend m where m.classid = 'pg_amproc'::regclass and m.objid = p.oid and {of})"
            )
        };
        let members = |of: &str| {
            format!(
                "(select string_agg(what, ', ' order by kind desc, number, what) from (
                    select 'o' as kind, o.amopstrategy as number, 'operator ' || o.amopstrategy || ' ' || o.amopopr::regoperator
                           || coalesce(' for order by ' || (select $sql(b.opfnamespace, b.opfname) from pg_opfamily b
                                                            where b.oid = o.amopsortfamily), '') as what
                    from pg_amop o where {}
                    union all
                    select 'f', p.amprocnum, 'function ' || p.amprocnum || ' (' || p.amproclefttype::regtype || ', '
                           || p.amprocrighttype::regtype || ') ' || p.amproc::regprocedure
                    from pg_amproc p where {}) found)",
                member(of),
                function_member(of)
            )
        };
        let of_class = members("m.refclassid = 'pg_opclass'::regclass and m.refobjid = c.oid");
        let of_family = members("m.refclassid = 'pg_opfamily'::regclass and m.refobjid = f.oid");
        // A class that names no family gets one of its own name. Where that has members besides those of its class, it is
        // made by itself, as any other family is.
        let implied = format!("(f.opfname = c.opcname and f.opfnamespace = c.opcnamespace and {of_family} is null)");
        self.objects(
            ObjectKind::OperatorClass,
            &format!(
                "select $name(c.opcnamespace, c.opcname) || ' using ' || am.amname,
                        'create operator class ' || $sql(c.opcnamespace, c.opcname)
                        || case when c.opcdefault then ' default' else '' end || ' for type ' || c.opcintype::regtype
                        || ' using ' || am.amname
                        || case when {implied} then '' else ' family ' || $sql(f.opfnamespace, f.opfname) end || ' as '
                        || concat_ws(', ', {of_class}, case when c.opckeytype <> 0 or {of_class} is null then 'storage '
                                     || coalesce(nullif(c.opckeytype, 0), c.opcintype)::regtype end),
                        'drop operator ' || case when {implied} then 'family ' else 'class ' end
                        || $sql(c.opcnamespace, c.opcname) || ' using ' || am.amname, null,
                        case when not {implied} then $name(f.opfnamespace, f.opfname) || ' using ' || am.amname end
                 from pg_opclass c join pg_opfamily f on f.oid = c.opcfamily join pg_am am on am.oid = c.opcmethod
                 where c.opcnamespace $namespaces and $own(pg_opclass, c.oid)"
            ),
        )?;
        self.objects(
            ObjectKind::OperatorFamily,
            &format!(
                "select $name(f.opfnamespace, f.opfname) || ' using ' || am.amname,
                        'create operator family ' || $sql(f.opfnamespace, f.opfname) || ' using ' || am.amname
                        || coalesce(e';\\nalter operator family ' || $sql(f.opfnamespace, f.opfname) || ' using '
                                    || am.amname || ' add ' || {of_family}, ''),
                        'drop operator family ' || $sql(f.opfnamespace, f.opfname) || ' using ' || am.amname, null, null
                 from pg_opfamily f join pg_am am on am.oid = f.opfmethod
                 where f.opfnamespace $namespaces and $own(pg_opfamily, f.oid)
                       and not exists (select from pg_opclass c where c.opcfamily = f.oid and {implied})"
            ),
        )
    }

    fn text_search(&mut self) -> Result<(), ServerError> {
        let elsewhere = |namespace: &str, name: &str| {
            format!(
                "case when {namespace} = 'pg_catalog'::regnamespace then quote_ident({name}) else $sql({namespace}, {name}) end"
            )
        };
        let template = elsewhere("t.tmplnamespace", "t.tmplname");
        self.objects(
            ObjectKind::SearchDictionary,
            &format!(
                "select $name(d.dictnamespace, d.dictname),
                        'create text search dictionary ' || $sql(d.dictnamespace, d.dictname) || ' (template = ' || {template}
                        || coalesce(', ' || d.dictinitoption, '') || ')',
                        'drop text search dictionary ' || $sql(d.dictnamespace, d.dictname), null, null
                 from pg_ts_dict d join pg_ts_template t on t.oid = d.dicttemplate
                 where d.dictnamespace $namespaces and $own(pg_ts_dict, d.oid)"
            ),
        )?;
        let parser = elsewhere("p.prsnamespace", "p.prsname");
        // Kinds of words that go to the same dictionaries stand together.
        self.objects(
            ObjectKind::SearchConfiguration,
            &format!(
                "select $name(c.cfgnamespace, c.cfgname),
                        'create text search configuration ' || $sql(c.cfgnamespace, c.cfgname) || ' (parser = ' || {parser} || ')'
                        || coalesce((
                            select string_agg(e';\\nalter text search configuration ' || $sql(c.cfgnamespace, c.cfgname)
                                              || ' add mapping for ' || words || ' with ' || dictionaries, '' order by words)
                            from (select string_agg(alias, ', ' order by alias) as words, dictionaries
                                  from (select t.alias, string_agg(m.mapdict::regdictionary::text, ', ' order by m.mapseqno)
                                               as dictionaries
                                        from pg_ts_config_map m join ts_token_type(c.cfgparser) t on t.tokid = m.maptokentype
                                        where m.mapcfg = c.oid group by t.alias) one group by dictionaries) found), ''),
                        'drop text search configuration ' || $sql(c.cfgnamespace, c.cfgname), null, null
                 from pg_ts_config c join pg_ts_parser p on p.oid = c.cfgparser
                 where c.cfgnamespace $namespaces and $own(pg_ts_config, c.oid)"
            ),
        )?;
        let only_named =
            [(ObjectKind::SearchTemplate, "pg_ts_template", "tmpl"), (ObjectKind::SearchParser, "pg_ts_parser", "prs")];
        for (kind, catalogue, prefix) in only_named {
            self.named(
                kind,
                &format!(
                    "select $name({prefix}namespace, {prefix}name) from {catalogue} x
                     where {prefix}namespace $namespaces and $own({catalogue}, x.oid)"
                ),
            )?;
        }
        Ok(())
    }

    fn collations(&mut self) -> Result<(), ServerError> {
        // PostgreSQL 17, "pg_collation"; before 15 what ICU was told stood where the C library's name does.
        let locale = self.since(150_000, "c.colliculocale", "c.collcollate::text");
        let locale = self.since(170_000, "c.colllocale", &locale);
        let rules = self.since(160_000, "c.collicurules", "null::text");
        self.objects(
            ObjectKind::Collation,
            &format!(
                "select $name(c.collnamespace, c.collname),
                        'create collation ' || $sql(c.collnamespace, c.collname) || ' (provider = '
                        || case c.collprovider when 'i' then 'icu, locale = ' || quote_literal({locale})
                                               when 'b' then 'builtin, locale = ' || quote_literal({locale})
                                else 'libc, lc_collate = ' || quote_literal(c.collcollate) || ', lc_ctype = '
                                     || quote_literal(c.collctype) end
                        || case when c.collisdeterministic then '' else ', deterministic = false' end
                        || coalesce(', rules = ' || quote_literal({rules}), '') || ')',
                        'drop collation ' || $sql(c.collnamespace, c.collname), null, null
                 from pg_collation c where c.collnamespace $namespaces and $own(pg_collation, c.oid)"
            ),
        )?;
        self.objects(
            ObjectKind::Conversion,
            "select $name(c.connamespace, c.conname),
                    'create ' || case when c.condefault then 'default ' else '' end || 'conversion '
                    || $sql(c.connamespace, c.conname) || ' for ' || quote_literal(pg_encoding_to_char(c.conforencoding))
                    || ' to ' || quote_literal(pg_encoding_to_char(c.contoencoding)) || ' from ' || c.conproc::regproc,
                    'drop conversion ' || $sql(c.connamespace, c.conname), null, null
             from pg_conversion c where c.connamespace $namespaces and $own(pg_conversion, c.oid)",
        )
    }

    /// Foreign data wrappers and servers. What user mappings hold may be a password, so that they are only named.
    fn foreign_servers(&mut self) -> Result<(), ServerError> {
        let (of_wrapper, of_server) = (options("w.fdwoptions"), options("s.srvoptions"));
        self.objects(
            ObjectKind::Wrapper,
            &format!(
                "select w.fdwname, 'create foreign data wrapper ' || quote_ident(w.fdwname)
                        || coalesce(' handler ' || nullif(w.fdwhandler, 0)::regproc, '')
                        || coalesce(' validator ' || nullif(w.fdwvalidator, 0)::regproc, '') || {of_wrapper},
                        'drop foreign data wrapper ' || quote_ident(w.fdwname), null, null
                 from pg_foreign_data_wrapper w where $own(pg_foreign_data_wrapper, w.oid)"
            ),
        )?;
        self.objects(
            ObjectKind::ForeignServer,
            &format!(
                "select s.srvname, 'create server ' || quote_ident(s.srvname)
                        || coalesce(' type ' || quote_literal(s.srvtype), '')
                        || coalesce(' version ' || quote_literal(s.srvversion), '')
                        || ' foreign data wrapper ' || quote_ident(w.fdwname) || {of_server},
                        'drop server ' || quote_ident(s.srvname), null, w.fdwname
                 from pg_foreign_server s join pg_foreign_data_wrapper w on w.oid = s.srvfdw
                 where $own(pg_foreign_server, s.oid)"
            ),
        )?;
        self.objects(
            ObjectKind::Grant,
            "select who || ' on ' || what || case when is_grantable then ' with grant option' else '' end,
                    'grant usage on ' || what || ' to ' || who || case when is_grantable then ' with grant option' else '' end,
                    'revoke usage on ' || what || ' from ' || who, null, name
             from (select 'foreign server ' || quote_ident(s.srvname) as what, s.srvname as name, s.srvowner as owner, g.*,
                          case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end as who
                   from pg_foreign_server s cross join lateral aclexplode(s.srvacl) g where $own(pg_foreign_server, s.oid)
                   union all
                   select 'foreign data wrapper ' || quote_ident(w.fdwname), w.fdwname, w.fdwowner, g.*,
                          case when g.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(g.grantee)) end
                   from pg_foreign_data_wrapper w cross join lateral aclexplode(w.fdwacl) g
                   where $own(pg_foreign_data_wrapper, w.oid)) found
             where grantee <> owner",
        )?;
        self.named(ObjectKind::UserMapping, "select quote_ident(usename) || ' on ' || srvname from pg_user_mappings")
    }

    fn foreign_tables(&mut self) -> Result<(), ServerError> {
        let (of_table, of_column) = (options("f.ftoptions"), options("a.attfdwoptions"));
        // One that is a part of another table, or inherits, is only named.
        self.objects(
            ObjectKind::ForeignTable,
            &format!(
                "select $name(c.relnamespace, c.relname),
                        case when not exists (select from pg_inherits i where i.inhrelid = c.oid) then
                        'create foreign table ' || $sql(c.relnamespace, c.relname) || ' (' || coalesce((
                            select string_agg(what, ', ' order by at, what)
                            from (select a.attnum as at, quote_ident(a.attname) || ' ' || format_type(a.atttypid, a.atttypmod)
                                         || {of_column}
                                         || case when a.attcollation <> t.typcollation then ' collate ' || a.attcollation::regcollation
                                                 else '' end
                                         || case when a.attnotnull then ' not null' else '' end
                                         || case when a.attgenerated <> '' then ' generated always as ('
                                                      || pg_get_expr(d.adbin, d.adrelid) || ') '
                                                      || case a.attgenerated when 'v' then 'virtual' else 'stored' end
                                                 else coalesce(' default ' || pg_get_expr(d.adbin, d.adrelid), '') end as what
                                  from pg_attribute a join pg_type t on t.oid = a.atttypid
                                  left join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
                                  where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
                                  union all
                                  select 32767, 'constraint ' || quote_ident(n.conname) || ' ' || pg_get_constraintdef(n.oid)
                                  from pg_constraint n where n.conrelid = c.oid and n.contype = 'c') found), '')
                        || ') server ' || quote_ident(s.srvname) || {of_table} end,
                        'drop foreign table ' || $sql(c.relnamespace, c.relname), null, s.srvname
                 from pg_class c join pg_foreign_table f on f.ftrelid = c.oid join pg_foreign_server s on s.oid = f.ftserver
                 where c.relnamespace $namespaces and $own(pg_class, c.oid)"
            ),
        )
    }

    /// Casts of types or by functions that are read; others are only named.
    fn casts(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Cast,
            "select c.castsource::regtype || ' as ' || c.casttarget::regtype,
                    case when s.typnamespace $namespaces or t.typnamespace $namespaces or f.pronamespace $namespaces then
                    'create cast (' || c.castsource::regtype || ' as ' || c.casttarget::regtype || ')'
                    || case c.castmethod when 'b' then ' without function' when 'i' then ' with inout'
                                         else ' with function ' || c.castfunc::regprocedure end
                    || case c.castcontext when 'a' then ' as assignment' when 'i' then ' as implicit' else '' end end,
                    'drop cast (' || c.castsource::regtype || ' as ' || c.casttarget::regtype || ')', null,
                    concat_ws(e'\\n', $name(s.typnamespace, s.typname), $name(t.typnamespace, t.typname), f.proname)
             from pg_cast c join pg_type s on s.oid = c.castsource join pg_type t on t.oid = c.casttarget
             left join pg_proc f on f.oid = c.castfunc
             where c.oid >= 16384 and $own(pg_cast, c.oid)",
        )
    }

    fn event_triggers(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::EventTrigger,
            "select e.evtname,
                    case when p.pronamespace $namespaces then
                    'create event trigger ' || quote_ident(e.evtname) || ' on ' || e.evtevent
                    || coalesce(' when tag in (' || (select string_agg(quote_literal(tag), ', ') from unnest(e.evttags) tag)
                                || ')', '')
                    || ' execute function ' || e.evtfoid::regproc || '()'
                    || case e.evtenabled when 'O' then ''
                            else e';\\nalter event trigger ' || quote_ident(e.evtname)
                                 || case e.evtenabled when 'D' then ' disable' when 'R' then ' enable replica'
                                         else ' enable always' end end end,
                    'drop event trigger ' || quote_ident(e.evtname), null, p.proname
             from pg_event_trigger e join pg_proc p on p.oid = e.evtfoid where $own(pg_event_trigger, e.oid)",
        )
    }

    /// Publications; one with a table that is not read is only named.
    fn publications(&mut self) -> Result<(), ServerError> {
        let condition = self.since(150_000, "pg_get_expr(r.prqual, r.prrelid)", "null::text");
        let columns = self.since(
            150_000,
            "(select string_agg(quote_ident(a.attname), ', ' order by a.attnum) from pg_attribute a
              where a.attrelid = c.oid and a.attnum = any (r.prattrs))",
            "null::text",
        );
        let namespaces = self.since(
            150_000,
            "(select string_agg('tables in schema ' || x.pnnspid::regnamespace, ', ' order by x.pnnspid::regnamespace::text)
              from pg_publication_namespace x where x.pnpubid = p.oid)",
            "null::text",
        );
        let foreign_namespaces = self.since(
            150_000,
            "exists (select from pg_publication_namespace x where x.pnpubid = p.oid and not x.pnnspid $namespaces)",
            "false",
        );
        let generated = self.since(
            180_000,
            "case p.pubgencols when 's' then 'publish_generated_columns = stored' end",
            "null::text",
        );
        self.objects(
            ObjectKind::Publication,
            &format!(
                "select p.pubname,
                        case when not exists (select from pg_publication_rel r join pg_class c on c.oid = r.prrelid
                                              where r.prpubid = p.oid and not c.relnamespace $namespaces)
                              and not {foreign_namespaces} then
                        'create publication ' || quote_ident(p.pubname)
                        || case when p.puballtables then ' for all tables'
                                else coalesce(' for ' || nullif(concat_ws(', ', 'table ' || (
                                    select string_agg($sql(c.relnamespace, c.relname) || coalesce(' (' || {columns} || ')', '')
                                                      || coalesce(' where ' || {condition}, ''), ', ' order by c.relname)
                                    from pg_publication_rel r join pg_class c on c.oid = r.prrelid where r.prpubid = p.oid),
                                    {namespaces}), ''), '') end
                        || coalesce(' with (' || nullif(concat_ws(', ',
                               case when not (p.pubinsert and p.pubupdate and p.pubdelete and p.pubtruncate) then
                                   'publish = ' || quote_literal(concat_ws(', ', case when p.pubinsert then 'insert' end,
                                       case when p.pubupdate then 'update' end, case when p.pubdelete then 'delete' end,
                                       case when p.pubtruncate then 'truncate' end)) end,
                               case when p.pubviaroot then 'publish_via_partition_root = true' end, {generated}), '') || ')', '') end,
                        'drop publication ' || quote_ident(p.pubname), null,
                        (select string_agg($name(c.relnamespace, c.relname), e'\\n')
                         from pg_publication_rel r join pg_class c on c.oid = r.prrelid where r.prpubid = p.oid)
                 from pg_publication p where $own(pg_publication, p.oid)"
            ),
        )
    }

    /// What is granted on things that are made later (PostgreSQL 17, "ALTER DEFAULT PRIVILEGES"): for a namespace beside what
    /// is so anyway, for the whole database in place of it.
    fn default_privileges(&mut self) -> Result<(), ServerError> {
        let usual =
            "acldefault(case when d.defaclobjtype = 'S' then 's'::\"char\" else d.defaclobjtype end, d.defaclrole)";
        let entries = |list: &str| {
            format!(
                "select d.oid, g.grantee, g.privilege_type, g.is_grantable from pg_default_acl d
                 cross join lateral aclexplode({list}) g
                 where d.defaclnamespace = 0 or d.defaclnamespace $namespaces"
            )
        };
        let given = entries("d.defaclacl");
        let before = entries(&format!("case when d.defaclnamespace = 0 then {usual} end"));
        self.objects(
            ObjectKind::DefaultPrivileges,
            &format!(
                "with given as ({given}), before as ({before}),
                      changes as (select 'grant' as word, 'revoke' as back, * from (table given except table before) more
                                  union all
                                  select 'revoke', 'grant', * from (table before except table given) less),
                      stated as (
                        select c.word, c.back, quote_ident(pg_get_userbyid(d.defaclrole)) as maker,
                               case when d.defaclnamespace = 0 then '' else d.defaclnamespace::regnamespace::text end as place,
                               case d.defaclobjtype when 'r' then 'tables' when 'S' then 'sequences' when 'f' then 'functions'
                                    when 'T' then 'types' when 'n' then 'schemas' else 'large objects' end as things,
                               case when c.grantee = 0 then 'public' else quote_ident(pg_get_userbyid(c.grantee)) end as who,
                               string_agg(lower(c.privilege_type), ', ' order by c.privilege_type) as privileges,
                               c.is_grantable
                        from changes c join pg_default_acl d on d.oid = c.oid group by d.oid, d.defaclrole, d.defaclnamespace,
                             d.defaclobjtype, c.word, c.back, c.grantee, c.is_grantable),
                      put as (
                        select *, 'alter default privileges for role ' || maker
                               || case when place = '' then '' else ' in schema ' || place end || ' ' as head,
                               privileges || ' on ' || things as what,
                               case when is_grantable then ' with grant option' else '' end as again from stated)
                 select case when word = 'grant' then who else 'not ' || who end || ' on ' || things || ' of ' || maker
                        || case when place = '' then '' else ' in ' || place end || again,
                        head || word || ' ' || what || case word when 'grant' then ' to ' || who || again else ' from ' || who end,
                        head || back || ' ' || what || case back when 'grant' then ' to ' || who || again else ' from ' || who end,
                        null, null
                 from put"
            ),
        )
    }

    /// Triggers and rules that do not fire as usual (PostgreSQL 17, "ALTER TABLE", "Description").
    fn firing(&mut self) -> Result<(), ServerError> {
        let action = |state: &str| {
            format!(
                "'alter table ' || $sql(c.relnamespace, c.relname)
                 || case {state} when 'O' then ' enable ' when 'D' then ' disable ' when 'R' then ' enable replica '
                                 else ' enable always ' end || x.word || ' ' || quote_ident(x.name)"
            )
        };
        // That of a part fires as the parent's does, where nothing else is said of it.
        self.objects(
            ObjectKind::Firing,
            &format!(
                "select x.name || ' on ' || $name(c.relnamespace, c.relname), {}, {}, null,
                        concat_ws(e'\\n', x.label, $name(c.relnamespace, c.relname), x.above)
                 from (select t.tgrelid as relation, t.tgname as name, t.tgenabled as state, coalesce(p.tgenabled, 'O') as usual,
                              'trigger' as word, t.tgname::text as label,
                              p.tgname || ' on ' || $name(pc.relnamespace, pc.relname) as above
                       from pg_trigger t left join pg_trigger p on p.oid = t.tgparentid
                       left join pg_class pc on pc.oid = p.tgrelid
                       where not coalesce(p.tgisinternal, t.tgisinternal)
                       union all
                       select r.ev_class, r.rulename, r.ev_enabled, 'O', 'rule',
                              r.rulename || ' on ' || $name(rc.relnamespace, rc.relname), null
                       from pg_rewrite r join pg_class rc on rc.oid = r.ev_class where r.rulename <> '_RETURN') x
                 join pg_class c on c.oid = x.relation and c.relnamespace $namespaces
                 where x.state <> x.usual and not $brought(pg_class, c.oid)",
                action("x.state"),
                action("x.usual")
            ),
        )
    }

    /// Whoever is not said otherwise may use a type (PostgreSQL 17, "Privileges", table "Summary of Access Privileges").
    fn type_grants(&mut self) -> Result<(), ServerError> {
        self.objects(
            ObjectKind::Grant,
            "select who || ' on type ' || name || case when is_grantable then ' with grant option' else '' end,
                    'grant usage on type ' || what || ' to ' || who || case when is_grantable then ' with grant option' else '' end,
                    'revoke usage on type ' || what || ' from ' || who, null, name
             from (select $name(t.typnamespace, t.typname) as name, $sql(t.typnamespace, t.typname) as what, g.is_grantable,
                          quote_ident(pg_get_userbyid(g.grantee)) as who
                   from pg_type t cross join lateral aclexplode(t.typacl) g
                   where t.typnamespace $namespaces and g.grantee <> t.typowner and g.grantee <> 0
                     and $own(pg_type, t.oid)) found
             union all
             select 'public not on type ' || $name(t.typnamespace, t.typname),
                    'revoke usage on type ' || $sql(t.typnamespace, t.typname) || ' from public',
                    'grant usage on type ' || $sql(t.typnamespace, t.typname) || ' to public', null,
                    $name(t.typnamespace, t.typname)
             from pg_type t where t.typnamespace $namespaces and t.typacl is not null and $own(pg_type, t.oid)
               and not exists (select from aclexplode(t.typacl) g where g.grantee = 0)",
        )
    }

    /// What cannot be made again from the catalogue alone, or holds what is nobody's business.
    fn only_named(&mut self) -> Result<(), ServerError> {
        self.named(
            ObjectKind::Subscription,
            "select subname from pg_subscription
             where subdbid = (select oid from pg_database where datname = current_database())",
        )?;
        self.named(
            ObjectKind::Language,
            "select l.lanname from pg_language l where l.oid >= 16384 and $own(pg_language, l.oid)",
        )?;
        self.named(
            ObjectKind::Transform,
            "select t.trftype::regtype || ' for ' || l.lanname from pg_transform t join pg_language l on l.oid = t.trflang
             where t.oid >= 16384 and $own(pg_transform, t.oid)",
        )?;
        self.named(
            ObjectKind::AccessMethod,
            "select a.amname from pg_am a where a.oid >= 16384 and $own(pg_am, a.oid)",
        )?;
        self.named(
            ObjectKind::SecurityLabel,
            "select objtype || ' ' || objname || ' by ' || provider from pg_seclabels
             where objtype not in ('database', 'role', 'tablespace', 'large object')",
        )
    }

    /// Things of which the catalogue does not say enough.
    fn named(&mut self, kind: ObjectKind, sql: &str) -> Result<(), ServerError> {
        for row in self.ask(sql)? {
            self.other(kind, text(&row, 0), None, String::new(), None);
        }
        Ok(())
    }

    /// Descriptions of the rarer things, as the server itself calls them.
    pub(super) fn rarer_comments(&mut self) -> Result<(), ServerError> {
        let operator = self.operator("o");
        self.objects(
            ObjectKind::Comment,
            &format!(
                "select what, 'comment on ' || what || ' is ' || quote_literal(description), 'comment on ' || what || ' is null',
                        null, name
                 from (select replace(i.type, 'foreign-data', 'foreign data') || ' ' || i.identity as what, d.description, i.name
                       from pg_description d cross join lateral pg_identify_object(d.classoid, d.objoid, d.objsubid) i
                       where d.objoid >= 16384 and (i.schema is null or i.schema::regnamespace::oid $namespaces)
                         and d.classoid in (
                            'pg_cast'::regclass, 'pg_opclass'::regclass, 'pg_opfamily'::regclass, 'pg_ts_config'::regclass,
                            'pg_ts_dict'::regclass, 'pg_collation'::regclass, 'pg_conversion'::regclass,
                            'pg_foreign_server'::regclass, 'pg_foreign_data_wrapper'::regclass, 'pg_event_trigger'::regclass,
                            'pg_publication'::regclass)
                         and $own(d.classoid, d.objoid)
                       union all
                       select 'operator ' || what, description, what
                       from (select {operator} || ' (' || coalesce(nullif(o.oprleft, 0)::regtype::text, 'none') || ', '
                                    || o.oprright::regtype || ')' as what, d.description
                             from pg_description d join pg_operator o on o.oid = d.objoid
                             where d.classoid = 'pg_operator'::regclass and o.oprnamespace $namespaces
                               and $own(pg_operator, o.oid)) operators) found"
            ),
        )
    }
}
