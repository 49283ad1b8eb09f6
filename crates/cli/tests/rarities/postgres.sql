do $$ begin create role reader; exception when duplicate_object or unique_violation then null; end $$;
do $$ begin create role writer; exception when duplicate_object or unique_violation then null; end $$;
create extension if not exists citext;
create type colour as enum ('red', 'green', 'blue');
create type point3 as (x numeric(6,2), y text collate "C", z colour[]);
create domain share as numeric(5,4) default 0 constraint share_range check (value between 0 and 1);
comment on constraint share_range on domain share is 'between nought and one';
create domain maybe_bad as text; alter domain maybe_bad add constraint short check (length(value) < 9) not valid;
create function span_diff(a numeric, b numeric) returns double precision language sql immutable strict as 'select (a - b)::double precision';
create type span as range (subtype = numeric, subtype_diff = span_diff);
create collation german (provider = icu, locale = 'de-u-co-phonebk', deterministic = false);
create collation plain_c (lc_collate = 'C', lc_ctype = 'C');
create table keeper (
  id bigint generated always as identity primary key,
  name text not null collate german,
  mail citext unique,
  colour colour default 'red',
  share share,
  place point3,
  spans span,
  tags text[] default '{}' not null
);
create index keeper_name on keeper (name collate "C" text_pattern_ops desc nulls last) include (mail) where name <> '';
alter index keeper_name set (fillfactor = 70);
create table hive (id serial primary key, keeper bigint references keeper deferrable initially deferred, code text, note text, made timestamptz default now(), price money default 0, body bytea, doc xml, data jsonb, addr inet, loc point, iv interval day to second(3), bits bit varying(7), ts tsvector generated always as (to_tsvector('simple', coalesce(code, ''))) stored) with (autovacuum_enabled = false, fillfactor = 80);
create index hive_ts on hive using gin (ts) with (fastupdate = off);
create index hive_lower on hive (lower(code), (data ->> 'a'));
alter index hive_lower alter column 1 set statistics 300;
create index hive_brin on hive using brin (made) with (pages_per_range = 32);
alter table hive cluster on hive_lower;
-- functions, triggers, states
create function touch() returns trigger language plpgsql as $$ begin new.note := 'x;y'; return new; end $$;
create trigger hive_touch before update on hive for each row execute function touch();
create trigger hive_off before insert on hive for each row execute function touch();
create trigger hive_always after insert on hive for each row execute function touch();
create constraint trigger hive_late after update on hive deferrable initially deferred for each row when (old.code is distinct from new.code) execute function touch();
create trigger hive_set after insert on hive referencing new table as fresh for each statement execute function touch();
alter table hive disable trigger hive_off;
alter table hive enable always trigger hive_always;
comment on trigger hive_touch on hive is 'keeps the note';
create view keeper_names with (security_barrier = true) as select id, name from keeper where name <> '' with cascaded check option;
alter view keeper_names alter column name set default 'nobody';
comment on column keeper_names.name is 'the name';
create rule keeper_names_ins as on insert to keeper_names do instead insert into keeper (name) values (new.name);
create rule hive_quiet as on delete to hive where old.code = 'keep' do instead nothing;
alter table hive disable rule hive_quiet;
create materialized view hive_count with (fillfactor = 90) as select keeper, count(*) as n from hive group by keeper with no data;
create unique index hive_count_keeper on hive_count (keeper);
create materialized view hive_count2 as select keeper, count(*) as n from hive group by keeper;
-- inheritance, typed tables, unlogged
create table tool (id int primary key, name text);
create table smoker (fuel text) inherits (tool);
alter table smoker add primary key (id);
create table typed of point3 (primary key (x), y with options not null);
create unlogged table scratchpad (a int, b int, check (a > b) no inherit, unique nulls not distinct (a, b));
create statistics scratch_stat (dependencies, mcv) on a, b from scratchpad;
alter statistics scratch_stat set statistics 500;
-- partitions with things of their own
create table reading (hive int not null, at date not null, kg numeric) partition by range (at);
create table reading_24 partition of reading for values from ('2024-01-01') to ('2025-01-01');
create table reading_25 partition of reading for values from ('2025-01-01') to ('2026-01-01') partition by list (hive);
create table reading_25_1 partition of reading_25 for values in (1, 2);
create table reading_25_d partition of reading_25 default;
create table reading_d partition of reading default;
-- what a part, or a kept view, has otherwise than its parent: how values are stored, and whether triggers fire
create table note_kept (id int not null, said text, told text) partition by list (id);
alter table note_kept alter column told set storage external;
create table note_kept_1 partition of note_kept for values in (1);
create table note_kept_2 (id int not null, said text, told text);
alter table note_kept_2 alter column told set storage external;
alter table note_kept attach partition note_kept_2 for values in (2);
alter table note_kept_1 alter column said set storage external;
alter table note_kept_2 alter column said set compression pglz;
create materialized view note_all as select id, said from note_kept;
alter materialized view note_all alter column said set storage main;
create function note_it() returns trigger language plpgsql as 'begin return new; end';
create trigger note_made after insert on note_kept for each row execute function note_it();
create trigger note_changed after update on note_kept for each row execute function note_it();
alter table note_kept_1 disable trigger note_made;
alter table note_kept disable trigger note_changed;
alter table note_kept_2 enable always trigger note_changed;
-- an index whose part is a key of a part, and one of which only some parts, and parts of parts, have something
create table tag_kept (id int not null, kind int not null) partition by list (kind);
create table tag_kept_1 partition of tag_kept for values in (1) partition by range (id);
create table tag_kept_1_a partition of tag_kept_1 for values from (0) to (9);
create table tag_kept_1_b partition of tag_kept_1 for values from (9) to (99);
create table tag_kept_2 partition of tag_kept for values in (2);
alter table tag_kept_2 add constraint tag_kept_2_key primary key (kind);
create table tag_one (kind int not null) partition by list (kind);
create table tag_one_1 partition of tag_one for values in (1);
alter table tag_one_1 add constraint tag_one_1_key primary key (kind);
create unique index tag_one_kind on tag_one (kind);
create table tag_free (kind int not null) partition by list (kind);
create table tag_free_1 partition of tag_free for values in (1);
create unique index tag_free_kind on tag_free (kind);
create table tag_use (kind int references tag_free (kind));
create index tag_kept_id on only tag_kept (id);
create index tag_kept_1_id on only tag_kept_1 (id);
create index tag_kept_1_a_id on tag_kept_1_a (id);
alter index tag_kept_1_id attach partition tag_kept_1_a_id;
alter index tag_kept_id attach partition tag_kept_1_id;
-- one column, and one check, of several parents
create table has_title (title text not null default 'x', constraint titled check (title <> ''));
create table has_label (title text, label text, constraint titled check (title <> ''));
create table has_both (label text not null, constraint titled check (title <> '')) inherits (has_title, has_label);
alter table reading_24 add primary key (hive, at);
alter table reading_24 alter column kg set default 7;
alter table reading_24 add constraint kg_positive check (kg > 0);
create index reading_24_kg on reading_24 (kg);
create index reading_at on reading (at);
create index reading_kg_only on only reading (kg);
alter table reading_24 set (fillfactor = 60);
comment on column reading_24.kg is 'kilograms';
create trigger reading_24_touch before update on reading_24 for each row execute function touch();
alter table reading_24 add constraint to_hive foreign key (hive) references hive (id) not valid;
-- policies
alter table keeper enable row level security;
alter table keeper force row level security;
create policy own_rows on keeper as restrictive for update to reader, writer using (name = current_user) with check (true);
comment on policy own_rows on keeper is 'only their own';
-- aggregates, operators, casts
create aggregate moving_total(float8) (sfunc = float8pl, stype = float8, initcond = '0', msfunc = float8pl, minvfunc = float8mi, mstype = float8, minitcond = '0');
create aggregate least_of(int) (sfunc = int4smaller, stype = int, sortop = <);
create aggregate my_percentile(float8 order by anyelement) (sfunc = ordered_set_transition, stype = internal, finalfunc = percentile_disc_final, finalfunc_extra);
create aggregate my_rank(variadic "any" order by variadic "any") (sfunc = ordered_set_transition_multi, stype = internal, finalfunc = rank_final, finalfunc_extra, hypothetical);
create aggregate joined(text, text) (sfunc = string_agg_transfn, stype = internal, finalfunc = string_agg_finalfn, finalfunc_modify = shareable);
create aggregate total(numeric) (sfunc = numeric_add, stype = numeric, initcond = '0', combinefunc = numeric_add, parallel = safe);
create function colour_of(text) returns colour language sql immutable strict as $$ select 'red'::colour $$;
create cast (point3 as text) with inout as assignment;
create function p3_eq(point3, point3) returns boolean language sql immutable as 'select ($1).x = ($2).x';
create function p3_ne(point3, point3) returns boolean language sql immutable as 'select not p3_eq($1, $2)';
create operator === (function = p3_eq, leftarg = point3, rightarg = point3, commutator = ===, negator = !==, restrict = eqsel, join = eqjoinsel);
create operator !== (function = p3_ne, leftarg = point3, rightarg = point3, commutator = !==, negator = ===);
create function rev_cmp(int, int) returns int language sql immutable strict as 'select btint4cmp($2, $1)';
create operator class int_rev for type int4 using btree as operator 1 >, operator 2 >=, operator 3 =, operator 4 <=, operator 5 <, function 1 rev_cmp(int, int);
create table uses_rev (a int, b int);
create index uses_rev_a on uses_rev (a int_rev);
create operator family loose using hash;
-- members of a family besides those of its class, one of its own name, and one without any class
create function hash_more(int, bigint) returns bigint language sql immutable strict as $$ select $2 + $1 $$;
create operator class int_more for type int using hash as operator 1 =;
alter operator family int_more using hash add function 2 (int, int) hash_more(int, bigint);
create operator family several using btree;
alter operator family several using btree add operator 1 < (int, bigint), operator 3 = (int, bigint), function 1 (int, bigint) btint48cmp(int, bigint);
create conversion latin for 'LATIN1' to 'UTF8' from iso8859_1_to_utf8;
-- text search
create text search dictionary plain_dict (template = simple, stopwords = english, accept = false);
create text search configuration plain_search (parser = default);
alter text search configuration plain_search add mapping for asciiword, word with plain_dict, simple;
comment on text search configuration plain_search is 'no stems';
create index hive_search on hive using gin (to_tsvector('plain_search', coalesce(note, '')));
-- sequences, grants
create sequence ticket as int increment by 5 minvalue 10 maxvalue 1000 start 20 cache 7 cycle;
create sequence owned_one owned by hive.note;
alter table hive alter column note set default nextval('ticket')::text;
grant select (id, name), update (name) on keeper to reader with grant option;
grant select, insert on hive to writer;
grant usage on sequence ticket to reader;
grant usage on type colour to reader;
revoke usage on type share from public;
grant execute on function colour_of(text) to reader with grant option;
revoke execute on function colour_of(text) from public;
alter default privileges in schema public grant select on tables to reader;
alter default privileges grant execute on functions to writer;
-- foreign data
create foreign data wrapper elsewhere options (debug 'true');
create server far type 'x' version '2' foreign data wrapper elsewhere options (host 'far.example');
create foreign table far_table (id int options (column_name 'ID') not null, name text default 'x', check (id > 0)) server far options (table_name 'T');
comment on server far is 'far away';
-- database-wide
create publication news for table keeper (id, name) where (id > 5), hive with (publish = 'insert, update');
create publication everything for all tables;
create function audit() returns event_trigger language plpgsql as $$ begin end $$;
create event trigger watch on ddl_command_end when tag in ('CREATE TABLE', 'DROP TABLE') execute function audit();
alter event trigger watch disable;
-- namespaces
create schema sales authorization writer;
create table sales.invoice (id uuid primary key default gen_random_uuid(), of bigint references public.keeper, c public.colour);
create view sales.open as select i.id, k.name from sales.invoice i join public.keeper k on k.id = i.of;
grant usage on schema sales to reader;
create procedure sales.settle(inout total numeric, variadic ids uuid[] default '{}') language plpgsql security definer set search_path = sales, public as $$ begin total := 1; end $$;
create function sales.win(int) returns setof record language sql stable rows 5 cost 3 parallel safe leakproof as 'select 1, 2';
create function sales.win(t text) returns table (a int, b text) language sql begin atomic select 1, t; end;
comment on function sales.win(int) is 'a window';
create table "Mixed Case" ("select" int, "a""b" text, constraint "Odd Name" primary key ("select"));
create index on "Mixed Case" ("a""b");
comment on table "Mixed Case" is E'it''s\nodd';
comment on index "Mixed Case_a""b_idx" is 'an index';
create table excl (room int, during tsrange, exclude using gist (during with &&) where (room > 1) deferrable);
create table gen (a int, b int generated always as (a * 2) stored, c int generated by default as identity (start 5 increment 3 cache 9), d timestamp(3) with time zone, e char(4)[][], f varchar(3)[] , g numeric(4,-2), g2 numeric(2,5), h "char", i name, j oid, k regclass, l pg_lsn, m int4multirange, n time(2) with time zone, o interval year to month);
create table branch (tenant int, no int, parent int, note text, primary key (tenant, no), foreign key (tenant, parent) references branch (tenant, no) on delete set null (parent)) with (toast_tuple_target = 4096, toast.autovacuum_enabled = false);
create table odd_numbers (a double precision default 'infinity', b numeric default 'nan', c bigint default '0', d double precision default '0.5', e smallint default '-1', f bigint default -1, g interval(0) default '1 day'::interval, h real default 1, i numeric(20) default '0', j interval(0) default '2 days');
create table worded (kind varchar(9) check (kind in ('a', 'b')), "Kind" varchar not null check ("Kind" not in ('x', 'y') or kind = 'a'), code char(2) check (code in ('a', 'b')), n smallint check (n in (1, 2)), big bigint check (big in (1, 2)), word text check (word in ('a', 'b') and word <> 'c'), shade colour check (shade in ('red', 'blue')), made date check (made > '2020-01-01'), raw char(3) check (raw::text = any (array['a'::text, 'b'::text])), loose bpchar);
create index worded_some on worded (kind) where "Kind" in ('a', 'b') and n in (3, 4);
grant create on schema public to writer;
grant create on schema public to public;
create unlogged sequence fleeting start 5;
create type words as range (subtype = text, collation = "C", multirange_type_name = many_words);
alter materialized view hive_count2 alter column n set statistics 77;
comment on sequence gen_c_seq is 'inside';
-- Numbers from the sequence of another table's column.
create table numbering_z (id serial primary key, other int);
create table numbered_a (id int primary key default nextval('numbering_z_id_seq'), z int references numbering_z (id));
-- A type of ranges brings another one along.
create type shelf as range (subtype = float8);
create type bookrange as range (subtype = int8, multirange_type_name = "Many Books");
create table a_shelved (id int primary key, at shelf_multirange, held "Many Books" default '{[1,4)}', free bookrange);
create function how_many(shelf_multirange) returns bigint language sql immutable as $$ select count(*) from unnest($1) $$;
comment on schema public is 'of the apiary';
