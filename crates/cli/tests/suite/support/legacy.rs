//! A schema of other hands on each provider.

use hollow_oak_core::Provider;

/// What other hands made, with what the language has no clause for.
pub fn legacy(provider: Provider) -> &'static [&'static str] {
    match provider {
        Provider::Sqlite => &[
            "create table \"Keeper\" (id INTEGER PRIMARY KEY AUTOINCREMENT, name VARCHAR(40) not null default 'it''s' collate \"NOCASE\",
                born, note INT default 0, unique (name), check (length(name) > 1))",
            "create table \"roster-items\" (\"from\" TEXT, \"to\" TEXT not null, net generated always as (length(\"to\")) virtual,
                primary key (\"from\"), foreign key (\"to\") references \"Keeper\" (id))",
            "create table visit (a INT not null, b INT not null on conflict ignore, at TIMESTAMP default current_timestamp,
                gone INTEGER, foreign key (gone) references nowhere (id) on delete cascade,
                constraint both primary key (a, b)) without rowid",
            "create unique index by_name on \"Keeper\" ((lower(name)) desc) where (name <> '')",
            "create virtual table notes using fts5(body)",
            "create view names (who) as select name from \"Keeper\"",
            "create trigger touched after update on \"Keeper\" begin update visit set a = 1 where a = 2; select 1; end",
        ],
        Provider::Postgres => &[
            "create extension citext",
            "create sequence numbers start 7 increment 3",
            "create domain short as varchar(9) not null check (value <> 'x')",
            "create type mood as enum ('calm', 'watchful')",
            "create type pair as (a int, b text)",
            "create function doubled(a int) returns int language sql immutable as 'select a * 2'",
            "create table parent (id serial primary key, m mood default 'calm' not null, s short, tags text[] default '{}',
                n int default nextval('numbers') not null, d int default doubled(4), when_made timestamptz default now(),
                c citext unique deferrable initially deferred, body text, spot point,
                constraint odd check (n <> 4) no inherit, exclude using gist (spot with ~=))",
            "alter table parent alter body set storage external, alter body set statistics 500",
            "comment on table parent is 'two\nlines'",
            "comment on column parent.n is 'a ''number'''",
            "create table child (extra bigint generated always as identity (sequence name extra_numbers start 5), constraint kept unique (extra) include (n)) inherits (parent)",
            "create table measured (at date not null, kg numeric(6, 2), primary key (at)) partition by range (at)",
            "create table measured_2026 partition of measured for values from ('2026-01-01') to ('2027-01-01')",
            "create unlogged table loose (a int, b int) with (fillfactor = 70)",
            "alter table loose add foreign key (a) references parent not valid, add check (b > 0) not valid",
            "alter table loose enable row level security",
            "create policy own on loose for select using (a > 1)",
            "create index by_hash on parent using hash (body)",
            "create index mixed on parent (lower(body), (n + 1) desc nulls last) include (d) where n > 0",
            "create index pattern on parent (body text_pattern_ops)",
            "create view heavy as select n, m from parent where n > 1",
            "create materialized view summed as select m, count(*) as many from parent group by m",
            "create unique index summed_by on summed (m)",
            "create rule quiet as on delete to heavy do instead (select 1; select 2)",
            "create function touched() returns trigger language plpgsql as $$ begin\n  return new;  \nend $$",
            "create trigger touch before update on parent for each row execute function touched()",
            "create procedure tidy() language sql as 'delete from loose'",
            "create aggregate joined(text) (sfunc = textcat, stype = text, initcond = '')",
            "create statistics together on n, d from parent",
            "comment on function doubled(int) is 'twice'",
            "grant select, insert on parent to public",
        ],
        _ => &[
            "create table Parent (id int unsigned auto_increment primary key, kind enum('a', 'b') default 'b', many set('x', 'y z'),
                name varchar(40) character set latin1 collate latin1_bin not null default 'it''s \\\\ there', body mediumtext,
                stamp timestamp not null default current_timestamp on update current_timestamp, small tinyint(3) unsigned zerofill,
                doc json, total int generated always as (small + 1) virtual, key by_body (body(20)) comment 'a part',
                fulltext key words (body)) engine=InnoDB default charset=utf8mb4 collate=utf8mb4_general_ci comment='other hands'",
            "create table child (a int not null, parent_id int unsigned, code char(3) default (concat('a', 'b')), n int,
                key many (n), constraint up foreign key (parent_id) references Parent (id) on delete set null,
                constraint plain foreign key (a) references child (n), constraint positive check (a > 0)) row_format=compressed",
            "create table quick (a int, key ordered (a) using btree, key plain (a)) engine=memory",
            "create table measured (at date not null, kg decimal(6,2)) partition by range (year(at))
                (partition old values less than (2026), partition rest values less than maxvalue)",
            "create table tail (body blob, primary key (body(16)))",
            "create view heavy as select id, name from Parent where small > 1 with check option",
            "create trigger touch before insert on child for each row begin if new.a = 2 then set new.n = 1; end if; end",
            "create function doubled(a int) returns int deterministic return a * 2",
            "create procedure told(in a int, out b text) comment 'it''s' begin declare c text default 'a\\\\b'; set b = c; end",
            "create event tidy on schedule every 1 day starts '2026-01-01 00:00:00' on completion preserve disable do delete from child",
        ],
    }
}

/// Whether two dumps say the same. The settings of the session that a routine of MariaDB was made in are those of the
/// tool's sessions afterwards; docs/types.md says so.
#[track_caller]
pub fn assert_alike(left: &str, right: &str) {
    let is_kept = |line: &&str| !(line.starts_with("/*!500") && line.contains(" SET "));
    let lines = |text: &str| -> Vec<String> { text.lines().filter(is_kept).map(str::to_owned).collect() };
    let (left, right) = (lines(left), lines(right));
    let missing: Vec<&str> = left.iter().filter(|line| !right.contains(line)).map(String::as_str).collect();
    let new: Vec<&str> = right.iter().filter(|line| !left.contains(line)).map(String::as_str).collect();
    assert!(
        missing.is_empty() && new.is_empty(),
        "only there:\n{}\nonly here:\n{}",
        missing.join("\n"),
        new.join("\n")
    );
}
