create table keeper (
    id integer primary key autoincrement,
    name text not null collate nocase default ('it''s' || ' "x"'),
    mail text unique on conflict replace,
    born date default current_date check (born > '1900-01-01') constraint named_null null,
    n real default -1.5e3, b blob default x'4142', big default 9223372036854775807, t default true,
    anything any,
    constraint odd check (name <> 'a;b' -- a remark
      and length(name) > 1),
    unique (name, mail) on conflict ignore
);
create table strict_one (id int primary key, v any, w text not null on conflict fail) strict, without rowid;
create table [bracket name] ("a ""quoted"" one" text, `back``tick` int, 'single' int, [select] int, primary key ([select] desc, `back``tick`) on conflict abort) ;
create table tree (id integer primary key desc, parent int references tree (id) on delete cascade on update set default match full deferrable initially deferred, k int references keeper (id) not deferrable initially immediate, x references nowhere);
create table gen (a int, b int as (a * 2) stored not null, c text generated always as (a || ';' || b) virtual unique);
create table no_types (a, b, c, primary key (a, b));
create table typed ("x" varchar(10, 2), y unsigned big int, z double precision, q decimal(10,5), v character varying(20));
create table behind (id integer, primary key (id desc));
create table without_desc (a integer, primary key (a desc)) without rowid;
create table as_made as select 1 as one, 'x' as two;
create index keeper_name on keeper (name collate rtrim desc, lower(mail)) where mail is not null and name like 'a%';
create unique index gen_expr on gen (a + b, json_extract(c, '$.x;y'));
create index "odd; name" on [bracket name] ("a ""quoted"" one");
create view names (who, "mail;s") as with recursive up(n) as (select 1 union all select n + 1 from up where n < 3) select name, mail from keeper where id in (select n from up);
create view stacked as select * from names;
create temp view aside as select 1;
create trigger keeper_off instead of update of who on names when new.who <> ';' begin update keeper set name = new.who; select case when 1 then ';' end; end;
create trigger keeper_after after delete on keeper for each row begin insert into tree (k) values (old.id); delete from gen where a = old.id; end;
create trigger "odd ""trigger" before insert on keeper when new.id > 5 begin select raise(abort, 'no; way'); end;
create virtual table notes using fts5(body, tags, tokenize = 'porter unicode61');
create virtual table places using rtree(id, minx, maxx, +label);
insert into keeper (name) values ('ada'), ('bo');
analyze;
pragma user_version = 7;
pragma application_id = 99;
-- A collation that holds anyway is worth saying where the column has another.
create table sorted (
    a text collate nocase,
    b text,
    c text collate rtrim primary key,
    unique (a collate binary, b),
    unique (b collate nocase, a)
);
create index sorted_parts on sorted (a collate binary, b collate binary, c collate nocase desc);
create index sorted_words on sorted (lower(a) collate binary, (a) collate binary, lower(b) collate nocase);
create table "Yard" (id integer primary key, n integer);
create view yard_view as select * from yard;
create trigger yard_late after insert on yARD begin update yard set n = 1 where id = new.id; end;
create trigger yard_instead instead of insert on YARD_view begin select 1; end;

create table spoken (id integer primary key, half real default -.5, one default 1., kilo default 1.e3, mega default 1E6, six default 0x1F, plus default +5, word text not null default "", other varchar(64) default "It's ""so""", plain text default '', bracketed text default [], named text default [a b], ticked text default `t`);
create table counted_up (id integer constraint numbers primary key on conflict replace autoincrement, note text);
create table replaced (id integer primary key on conflict ignore, note text);
create table worded_key (code text primary key);
create table numbered_as (id integer primary key references worded_key (code), note text);
create table typed_oddly (id integer primary key, odd [char.3], even "not null", long varchar(10), word [primary], three "varchar(1, 2, 3)");
create table listed (id integer primary key, a integer[], b text[][] not null default '', c "my own type", d numeric[](4));
