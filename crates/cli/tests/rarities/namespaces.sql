-- What extensions bring into a namespace of their own, collations and classes of operators in others, and tables made like others.
create schema extensions; create schema "Honey Shop"; create schema atlas;
create extension pg_trgm schema extensions;
create extension hstore with schema extensions;
create extension if not exists btree_gin;
create collation atlas.by_case (provider = icu, locale = '@colCaseFirst=lower');
create collation "Honey Shop"."De.De" (provider = icu, locale = 'de-DE', deterministic = false);
create domain atlas.title as text collate atlas.by_case check (value <> '');
create type atlas.pair as (a text collate atlas.by_case, b extensions.hstore);
create table atlas.area (
    id serial primary key,
    name varchar(40) collate atlas.by_case not null,
    label text collate "Honey Shop"."De.De",
    plain text collate "C.utf8" default 'x',
    title atlas.title,
    pair atlas.pair,
    tags extensions.hstore default ''::extensions.hstore,
    n int,
    wide bigint,
    seen timestamp(6),
    met timestamptz(6)[],
    kinds text[] default array['a'::text, 'b'::text]
);
create index area_trgm on atlas.area using gin (name extensions.gin_trgm_ops, lower(label) extensions.gin_trgm_ops);
create index area_gist on atlas.area using gist (name extensions.gist_trgm_ops (siglen='32'));
create index area_tags on atlas.area using gin (tags);
create index area_n on atlas.area using gin (n, wide);
create index area_coll on atlas.area
    (name collate "C", label collate atlas.by_case desc, (lower(name) collate "Honey Shop"."De.De"), (lower(label) collate "default"));
create index area_bloom on atlas.area
    using brin (n int4_bloom_ops (false_positive_rate='0.05', n_distinct_per_range='100'), wide int8_minmax_multi_ops);
create index on atlas.area ((lower(name)));
create index on atlas.area (id) include (n);
create index on atlas.area (coalesce(n, 0), (n + 1), (n + 2), (kinds[1]), ((name)::text), (case when n > 1 then 1 else 2 end));
alter table atlas.area add unique (id, n) include (wide);
create table atlas.area_log (like atlas.area including all, at timestamptz default now() not null);
create table atlas.area_two (x int, like atlas.area including defaults including constraints);
create table atlas.counted (
    a int generated always as identity,
    b int generated always as (1 + 1) stored,
    c text default 'q',
    constraint c_is_said check (c <> '') not valid,
    primary key (a)
);
comment on column atlas.counted.a is 'the a';
create table atlas.counted_too (like atlas.counted including all excluding identity);
create table atlas.counted_bare (like atlas.counted);
create table "Honey Shop".pot (id int primary key, area_id int references atlas.area, numbers _int4);
create view atlas.alike as select name collate "C" as n, extensions.similarity(name, 'x') as s from atlas.area where tags is distinct from null and n > 0 and extensions.exist(tags, 'x');
create view pots as select * from "Honey Shop".pot where id > 3 with local check option;
create function atlas.of(x extensions.hstore default ''::extensions.hstore) returns extensions.hstore language sql as $$ select ''::extensions.hstore $$;
set search_path = atlas, extensions, public;
create function atlas.sees(n int) returns bigint language sql stable as $$ select count(*) from area where id > sees.n $$;
create function atlas.sees_twice() returns bigint language sql stable as $$ select sees(1) + sees(2) $$;
create function atlas.counts_down(n int) returns int language sql stable as $$ select case when n > 0 then counts_down(n - 1) else n end $$;
create function joined(a text, b text) returns text language sql immutable as $$ select a || b $$;
create aggregate joins(text) (sfunc = joined, stype = text, initcond = '');
create aggregate joins_old (basetype = text, sfunc = joined, stype = text);
create statistics if not exists area_statistics (dependencies) on n, wide from area;
create rule kept as on delete to area where old.id < 10 do instead nothing;
create rule logged as on insert to counted do also insert into counted_bare (a) values (new.a);
alter table counted_bare enable row level security;
create policy seen on counted_bare for select to public using (exists (select 1 from area join counted on area.id = counted.a where sees(area.n) > 0));
set search_path = public;
