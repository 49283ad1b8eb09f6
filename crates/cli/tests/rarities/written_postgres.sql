-- As people write it, and no dumper does.
drop schema if exists public cascade;
create schema public;
create sequence users_seq;
create type mood as enum ('sad', 'ok');
alter type mood add value if not exists 'happy' after 'ok';
alter type mood rename to feeling;
alter type feeling rename value 'sad' to 'low';
create table users (
    userid int4 not null default nextval('users_seq'::text),
    login varchar(32) not null default '',
    active bool default 't',
    big int8 default (-1),
    small int2 check (small in (0, 1, 2)) default 0,
    feels feeling not null default 'ok',
    felt feeling[] default array['low'::feeling, 'ok'::feeling],
    numbers _int4,
    seen timestamp(6),
    constraint small_too check (small < 9) not valid,
    primary key (userid)
) without oids;
alter table users alter login type varchar(64);
create table groups (gid serial not null unique, name text not null, owner int4 constraint groups_owner references users (userid) on update cascade on delete set default default 0, primary key (gid, name));
alter table groups rename column owner to owner_id;
create table users_like (like users including all excluding indexes);
create index on users ((lower(login)), (login || 'x'), (small + 1));
create index on users (lower(login) collate "C");
create index on users ((lower(login) collate "C") desc);
create index on users (small) include (big);
alter table users add unique (login) include (small), add exclude using btree ((lower(login)) with =);
create function plus(int4, int4) returns int4 as 'select $1 + $2;' language 'sql' strict;
create view user_groups (login, group_name, n) as select u.login, g.name as x, count(*) c from users u, groups g where u.userid = g.owner_id group by 1, 2;
create view open_users as select * from users where active with local check option;
grant select, insert on users to public;
create table logs (id bigint not null, at date not null, lvl int not null, owner int, dims int[3][3], words text array, constraint logs_lvl check (lvl >= 0)) partition by range (at, (lvl + 0), (abs(lvl)));
create table logs_old (like logs including constraints);
alter table logs_old add constraint logs_old_owner foreign key (owner) references users (userid) deferrable, add unique (id);
create index logs_old_lvl on logs_old (lvl) where lvl > 3;
alter table logs attach partition logs_old for values from ('2024-01-01', 0, 0) to ('2025-01-01', 0, 0);
create index logs_at on logs using brin (at);
create materialized view levels as select lvl, count(*) as n from logs group by lvl with no data;
create unique index on levels (lvl);
create index on levels ((n + 1), lvl desc);
comment on column logs.lvl is E'it''s a \'level\'\nof \u00e4 \\ kind';
create procedure tidy(in upto date, inout n int default 0) language plpgsql as $$ begin n := 1; end $$;
comment on procedure tidy is 'once a year';
create statistics logs_kinds on at, lvl from logs;
comment on statistics logs_kinds is 'go together';
create table marked (id int not null, note text);
create unique index marked_id on marked (id);
create index logs_kept on marked (note) tablespace pg_default;
alter table marked replica identity using index marked_id;
create table "a_name_that_is_longer_than_any_that_the_server_takes_in_and_is_cut_off" (id int primary key, "größe_mit_einem_namen_der_mehr_bytes_hat_als_er_haben_darf_äöü" int unique);
create or replace view open_users as select * from users where active and small < 9;
create table odd_numbers (a double precision default 'infinity', b numeric default 'nan', c bigint default '0', d double precision default '0.5', e smallint default '-1', f bigint default -1, g interval(0) default '1 day'::interval, h real default 1, i numeric(20) default '0');
create sequence numbered_id_seq;
create table numbered (id bigint primary key default nextval('numbered_id_seq'), a float(10), b float(30), c float default .5, d real default -.5) with (oids=false);
alter sequence numbered_id_seq owned by numbered.id;
grant all privileges on schema public to public;
grant usage on schema public to public;
grant all on all tables in schema public to current_user, public;
revoke all on all tables in schema public from public;
grant usage on schema public to session_user;
create table busy (id bigint primary key, words text[]) with (fillfactor = 80, autovacuum_enabled = false);
alter table busy set (autovacuum_vacuum_scale_factor = 0.1, autovacuum_analyze_scale_factor = 0.05, autovacuum_vacuum_cost_limit = 1000);
create index busy_words on busy using gin (words) with (gin_pending_list_limit = 128, fastupdate = off);
do $$ begin create type mood as enum ('calm', 'wild'); exception when duplicate_object then null; end $$;
do language plpgsql $b$
begin
    if not exists (select 1 from pg_type where typname = 'mood') then
        create type mood as enum ('other');
    end if;
    if not exists (select 1 from pg_type where typname = 'moods') then
        create type moods as (one mood, other mood);
    end if;
    alter table busy add constraint busy_id check (id > 0);
end
$b$;
create table felt (id int primary key, mood mood not null default 'calm', since moods);
create table passing (day date not null, n int) partition by range (day);
create table passing_24 partition of passing for values from ('2024-01-01') to ('2025-01-01') partition by list (n);
create table passing_24_one partition of passing_24 for values in (1);
create table passing_25 partition of passing for values from ('2025-01-01') to ('2026-01-01');
drop table passing_25;
create table passing_26 partition of passing for values from ('2026-01-01') to ('2027-01-01');
create table passed (day date not null) partition by range (day);
create table passed_24 partition of passed for values from ('2024-01-01') to ('2025-01-01') partition by list (day);
create table passed_24_one partition of passed_24 for values in ('2024-06-01');
create index on passed_24_one (day);
drop table passed;
create schema shared;
create table shared.one (id serial primary key, n int);
create view shared.of_one as select n from shared.one;
create function shared.twice(int) returns int language sql immutable as 'select $1 * 2';
grant select, insert on all tables in schema shared to public;
grant usage on all sequences in schema shared to public;
revoke all on all functions in schema shared from public;
create table shared.later (id int primary key);
grant update (n) on shared.one to public;
create sequence old_count;
create table counted_by (id serial primary key, n bigint default nextval('old_count'), m bigint default nextval('old_count'::regclass));
alter sequence old_count rename to new_count;
alter sequence counted_by_id_seq rename to "Number";
create table looked_at (id int not null, kind text) partition by range (id);
create table looked_at_1 partition of looked_at for values from (0) to (10) partition by list (kind);
create table looked_at_1_a partition of looked_at_1 for values in ('a');
create table looked_at_2 (like looked_at);
alter table looked_at_2 alter column kind set statistics 100;
alter table looked_at attach partition looked_at_2 for values from (10) to (20);
alter table only looked_at alter column id set statistics 900;
alter table looked_at alter kind set statistics 500;
create table numbering (id serial primary key, small smallserial);
alter sequence numbering_small_seq as bigint no maxvalue;
alter sequence if exists numbering_none_seq as bigint;
create sequence stepping as smallint;
alter sequence stepping as bigint increment by 2 restart with 5;
alter sequence stepping no cycle cache 4;
create sequence counting_down increment -1;
alter sequence counting_down as integer minvalue -9 maxvalue 0 start -2 cycle;
create table padded (id int primary key, code char(6) default null, name varchar(9) default null, day date default null);
create index padded_code on padded (code);
create index padded_name on padded (name);
cluster padded using padded_code;
cluster padded using padded_name;
reindex table padded;
create function overloaded(a int) returns int language sql as 'select 1';
create function overloaded(a text) returns int language sql as 'select 2';
comment on function overloaded(text) is 'the other';
drop function overloaded(int);
create table rooted (id int not null, source int not null default 7, kind text);
create table leafy (source int, own int) inherits (rooted);
create table catalogued (a pg_catalog.int4, b "pg_catalog".txid_snapshot, c pg_catalog.varchar(10));
create function taken_back(int) returns int language sql as 'select 1';
create function taken(int) returns int language sql as 'select 1';
revoke all on function taken_back(int), taken(int) from pg_monitor, public cascade;
grant execute on function taken_back(int) to public;
grant execute on function taken(int) to pg_monitor, pg_read_all_stats;
revoke execute on function taken(int) from pg_read_all_stats;
grant select, insert, update on catalogued to pg_monitor, pg_read_all_stats with grant option;
revoke insert on catalogued from pg_monitor cascade;
grant delete, insert, references, trigger, truncate on catalogued to pg_monitor;
grant all on rooted, leafy to pg_monitor;
grant all on rooted to pg_read_all_stats;
revoke all on leafy from pg_monitor;
alter default privileges for role pg_monitor grant all on tables to pg_read_all_stats;
revoke delete, truncate on catalogued from pg_monitor;
revoke all on catalogued from pg_read_all_stats cascade;
comment on schema public is 'where it''s all kept';
alter table catalogued enable row level security, force row level security;
alter table catalogued disable row level security, no force row level security;
alter table users enable row level security;
create temp table for_now (a int);
create local temporary table if not exists for_now_too as select 1 as a;
create temp view seen_now as select a from for_now;
insert into for_now values (1);
drop view seen_now;
drop table for_now, for_now_too;
create table behind (id int primary key, a int default 0 null, b int default -1 null, c text default 'x' null unique, d int default (1 + 1) null, e int default null null);
\echo it's told
create table told (id int primary key, backslash text default E'\\i \n', pattern text default '
\d' check (pattern <> '\\x'));
-- What goes takes along what stands on it.
create table spell (id int primary key, patch int not null default 0, word text, unique (word));
create table cast_of (id int primary key, spell int references spell, word text references spell (word), at_least int);
create view spells as select word from spell;
create view spells_twice as select word || word as twice from spells;
create materialized view spells_kept as select twice from spells_twice;
create index on spells_kept (twice);
create function no_spell() returns trigger language plpgsql as $$ begin return null; end $$;
create trigger no_insert instead of insert on spells for each row execute function no_spell();
create trigger no_delete before delete on cast_of for each row execute function no_spell();
alter table spell drop constraint spell_pkey cascade;
alter table spell add primary key (id, patch);
drop view spells cascade;
drop function no_spell() cascade;
create view spelled as select word from spell;
drop table if exists word cascade;
create temp table word (id int);
drop table word cascade;
drop function if exists word() cascade;
create table word (id int primary key, spell int, at timestamp);
create view only_called_so as select word.word as word, extract(year from current_date) as hour from spell word join cast_of on cast_of.id is distinct from word.id;
create view word_kept as with word as (select 1 as id) select id from word;
create view word_read as select s.id from spell s, public.word w where w.id = s.id;
create view word_counted as select count(*) as word from (select id from only word) w;
create function word_of(w word) returns int language sql as 'select 1';
create function words() returns setof public.word language sql as 'select null::word';
create function word() returns text language plpgsql as $$ begin return (select count(*) from word); end $$;
create rule word_gone as on delete to cast_of do also insert into word (id) values (old.id);
create policy word_known on cast_of to public using (exists (select 1 from spell join word on word.id = spell.id));
create policy word_free on cast_of using (word <> 'word');
drop table word cascade;
create type tone as enum ('low', 'high');
create domain tones as tone check (value <> 'low');
create table sung (id int primary key, tone tones, tones tone[], word text);
create view sung_low as select id, cast('low' as tone) as tone from sung;
create view sung_words as select id, word as tone from sung;
create function is_low(t tone default 'low') returns boolean language sql immutable as $$ select t = 'low' $$;
create function tone() returns int language sql immutable as 'select 1';
drop type tone cascade;
create sequence verse_numbers;
create function verse(n int) returns int language sql immutable as 'select 2 * n';
create table verse (
    id int primary key default nextval('verse_numbers'), n int default verse(1), verse int check (verse > 0), twice int generated always as (verse(verse)) stored,
    constraint verse_even check (verse(n) > 1)
);
create index verse_twice on verse (verse(n));
create index verse_some on verse (n) where verse(n) > 3;
create index verse_verse on verse (verse);
create view verses as select verse as v from (select 1 as verse) verse where abs(verse) > 0;
create view verses_twice as select verse(n) from verse;
drop function verse(int) cascade;
drop sequence verse_numbers cascade;
create table line (id int primary key, text text, words int);
create view line_ids as select id, 'words' as word from line;
create view line_words as select l.words from line l;
create view line_whole as select * from line;
create view verse_words as select id as words from verse;
alter table line drop column words cascade;
create schema attic;
create type attic.kind as enum ('old', 'older');
create table attic.box (id serial primary key, kind attic.kind);
create function attic.touch() returns trigger language plpgsql as $$ begin return new; end $$;
create table stored (id int primary key, kind attic.kind, box int references attic.box, many attic.kind[]);
create view boxes as select id from attic.box;
create trigger touched before update on stored for each row execute procedure attic.touch();
drop schema attic cascade;
create schema attic;
create table attic.box (id int primary key, word text);
create table attic.left_alone (id int primary key, box int references attic.box (id), word text);
alter table attic.box drop column id cascade, drop column if exists nothing restrict;
/* a comment /* in a comment */ that goes on; */ create type temper as enum ('calm', 'cross');
create table hive_mood (id int primary key, mood temper, moods temper[]);
drop type temper cascade;
-- Only a carriage return
create table returned (id int primary key);
create or replace language plpgsql;
create table keyed_later (a int not null, b int, c int);
create unique index keyed_later_pkey on keyed_later (a);
create unique index concurrently keyed_later_b on keyed_later (b) include (c) with (fillfactor = 70);
alter table keyed_later add primary key using index keyed_later_pkey, add constraint keyed_later_once unique using index keyed_later_b deferrable;
comment on column keyed_later.b is 'A text that ''goes on'' '
    'on the next line' -- and on
    ' like this';
comment on column keyed_later.c is E'one\ttab'
    ' and\tanother';
do $$
begin
    if not exists (select 1 from pg_indexes where indexname = 'keyed_later_c') then
        create index keyed_later_c on keyed_later (c);
    end if;
    if not exists (select 1 from pg_class where relname = 'keyed_later_c') then
        create index keyed_later_c on keyed_later (c);
    end if;
    if not exists (select 1 from pg_tables where tablename = 'keyed_later') then
        create table keyed_later (a int);
    end if;
end $$;
-- What goes with its description.
create table described (a int constraint of_a check (a > 0), b int unique, c int, d int);
create index described_c on described (c);
create index described_d on described (d);
create policy seen on described using (a > 1);
comment on index described_c is 'of c';
comment on index described_d is 'of d';
comment on index described_b_key is 'of b';
comment on constraint of_a on described is 'more than nothing';
comment on policy seen on described is 'seen';
drop index described_c;
drop policy seen on described;
alter table described drop constraint of_a, drop column d, drop column b;
create table described_whole (a int constraint whole_a check (a > 0), b int, constraint whole unique (b));
create index described_whole_a on described_whole (a);
comment on index described_whole_a is 'of a';
comment on index whole is 'of b';
comment on constraint whole_a on described_whole is 'more than nothing';
drop table described_whole;
create view described_view as select a from described;
comment on view described_view is 'a view';
create rule nothing as on insert to described_view do instead nothing;
comment on rule nothing on described_view is 'nothing is put in';
grant select on described_view to public;
drop view described_view;
-- What is changed where it is there.
create table changed_there (a int constraint is_more check (a > 0), b int, c int, constraint of_keyed unique (b));
do $$ begin
    if exists (select 1 from pg_constraint where conname = 'is_more') then
        alter table "changed_there" drop constraint "is_more";
    end if;
    if exists (select 1 from pg_constraint where conname = 'is_less') then
        alter table "changed_there" drop constraint "is_less";
    end if;
end $$;
do $$ begin
    if not exists (select 1 from pg_constraint where conname = 'is_more') then
        alter table changed_there add constraint is_more check (a > 1);
    end if;
    alter table changed_there add column b text;
exception when duplicate_column then raise notice 'there already';
end $$;
do $$ begin
    if exists (select from information_schema.columns where table_name = 'changed_there' and column_name = 'c') then
        alter table changed_there rename column c to d;
    end if;
    if exists (select from information_schema.columns where table_name = 'changed_there' and column_name = 'e') then
        alter table changed_there rename column e to f;
    end if;
end $$;
-- Behind a search path.
create schema apiary;
set search_path = apiary, public;
create type strength as enum ('weak', 'strong');
create table swarm (id serial primary key, strength strength not null default 'weak', mother int references swarm, at text);
create function stronger(s strength) returns strength language sql immutable as $$ select 'strong'::apiary.strength $$;
create function all_swarms(strength strength default 'weak') returns setof swarm language plpgsql as $$ begin return query select * from swarm; end $$;
create function swarm_touched() returns trigger language plpgsql as $$ begin new.at = 'now'; return new; end $$;
create trigger touched before insert or update on swarm for each row execute procedure swarm_touched();
create view strong_ones as with box as (select 1 as id) select swarm.id, stronger(s.strength) from swarm, box, swarm s left join spell w on w.id = s.id where s.strength > 'weak'::strength;
create view strongest (number) as select id from strong_ones;
create materialized view counted_ones as select count(*) from strong_ones;
create type pair as (one strength, other swarm);
create domain some_strength as strength;
comment on function stronger(strength) is 'in a namespace';
create sequence tags_seq;
create table tag (id int primary key default nextval('tags_seq'), other bigint default nextval('tags_seq'::regclass), shade strength default 'weak'::strength, check (stronger(shade) > 'weak'::strength));
create index tag_stronger on tag (stronger(shade)) where shade <> 'weak'::strength;
alter sequence tags_seq owned by tag.id;
drop function all_swarms(strength);
set search_path = public;
create table checked_later (id int constraint positive check (id > 0), of int);
alter table checked_later add constraint small check (of < 9) not valid, add constraint of_person foreign key (of) references told not valid;
alter table checked_later validate constraint small;
alter table checked_later validate constraint of_person;
