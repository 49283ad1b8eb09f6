create table keeper (
  id bigint unsigned not null auto_increment,
  name varchar(60) character set utf8mb4 collate utf8mb4_german2_ci not null,
  code char(8) character set ascii collate ascii_bin default 'x' comment 'the code',
  n mediumint(7) unsigned zerofill,
  flags set('a','b','c') default 'a,b',
  kind enum('x','y''z','w w') not null default 'x',
  made timestamp(3) not null default current_timestamp(3) on update current_timestamp(3),
  other timestamp null default null,
  price decimal(9,3) default 1.500,
  ratio float default 1.5, big double unsigned,
  y year, b bit(5) default b'101', bin varbinary(20) default 0x4142, fixed binary(4),
  doc json default (json_object()), text1 tinytext, blob1 mediumblob, long1 longtext,
  gen int generated always as (n % 7) virtual invisible,
  gen2 varchar(70) as (concat(name, 'x;y')) persistent,
  loc point not null, area geometry,
  ip inet6, uid uuid default uuid(), ip4 inet4,
  hidden int invisible default 4,
  squeezed text compressed,
  check (price > 0),
  primary key (id),
  unique key by_code (code, n desc),
  key prefix (name(10), text1(20)),
  fulltext key words (long1),
  spatial key places (loc), key areas (area(25)),
  key off_index (n) ignored,
  key hashed (kind) comment 'an index',
  constraint odd check (length(name) > 1 and name <> 'a;b')
) engine=InnoDB auto_increment=100 default charset=utf8mb4 collate=utf8mb4_unicode_ci comment='keepers; of bees';
create table squeezed (id int primary key, shape polygon, key (shape(30))) key_block_size=8;
create table squeezed_said (id int) row_format=compressed key_block_size=4;
create table hive (
  id int primary key auto_increment, keeper bigint unsigned, parent int, a int, b int,
  constraint to_keeper foreign key (keeper) references keeper (id) on delete set null on update cascade,
  foreign key (parent) references hive (id) on delete restrict,
  unique (a, b)
) engine=InnoDB default charset=latin1 stats_persistent=1 key_block_size=0 page_compressed=1;
create table old_style (a int, b varchar(10), key (b)) engine=MyISAM default charset=utf8mb3 checksum=1 delay_key_write=1 pack_keys=1 max_rows=1000 avg_row_length=50;
create table mem (a int, key (a)) engine=MEMORY;
create table ar (a int, b text) engine=Aria transactional=1 page_checksum=1;
create table parts (id int not null, at date not null, primary key (id, at)) partition by range (year(at)) subpartition by hash (id) subpartitions 2 (partition p24 values less than (2025) comment 'x', partition p25 values less than (2026), partition rest values less than maxvalue);
create table bylist (id int, r varchar(3)) partition by list columns (r) (partition a values in ('x','y'), partition b default);
create table byhash (id int primary key) partition by key () partitions 4;
create table versioned (id int primary key, x int, note text without system versioning) with system versioning;
create table versioned2 (id int, f timestamp(6) generated always as row start, t timestamp(6) generated always as row end, period for system_time (f, t), primary key (id, t)) with system versioning partition by system_time limit 1000 (partition h0 history, partition h1 history, partition c current);
create table booking (room int, s date, e date, period for stay (s, e), unique (room, stay without overlaps));
create sequence ticket start with 5 increment by 3 minvalue 1 maxvalue 1000 cache 20 cycle;
create table uses_seq (id bigint default nextval(ticket), `odd name``x` int, `select` int, primary key (id), key `an index` (`odd name``x`));
create algorithm=merge sql security invoker view names as select id, name from keeper where name <> '' with cascaded check option;
create algorithm=temptable view counted (k, n) as select keeper, count(*) from hive group by keeper;
create view plain as select * from names;
create table pressed (id int primary key) engine=innodb page_compressed=1 page_compression_level=5 encryption_key_id=1;
create table gathered_one (a int, b varchar(9)) engine=myisam default charset utf8mb4 collate utf8mb4_unicode_ci;
create table gathered (a int, b varchar(9)) engine=merge union=(gathered_one) insert_method=last default charset utf8mb4 collate utf8mb4_unicode_ci;
delimiter //
create trigger hive_bi before insert on hive for each row begin if new.a is null then set new.a = 1; end if; end//
create trigger hive_bi2 before insert on hive for each row follows hive_bi set new.b = 2//
create trigger hive_bi0 before insert on hive for each row precedes hive_bi set new.b = 3//
create function f1(x int, y varchar(10) character set latin1) returns varchar(20) character set utf8mb4 collate utf8mb4_bin deterministic no sql sql security invoker comment 'a fn; x' begin declare z int default 1; return concat(x, y, z, '//'); end//
create procedure p1(in a int, out b int, inout c decimal(5,2)) modifies sql data begin declare continue handler for sqlexception begin end; set b = a; select 1; end//
create aggregate function agg1(x int) returns int begin declare s int default 0; declare continue handler for not found return s; loop fetch group next row; set s = s + x; end loop; end//
create event tick on schedule every 1 day starts '2026-01-01 00:00:00' ends '2027-01-01 00:00:00' on completion preserve disable comment 'daily; x' do begin delete from hive where a = 5; update hive set b = 1; end//
create event once on schedule at '2030-01-01 00:00:00' do delete from hive//
delimiter ;
alter table hive add index (a) comment 'x''y';
-- Other names of types, texts that say their character set, patterns, and tables made like others.
create table spelt (
    id int(5) zerofill not null default 00007,
    size double precision unsigned,
    ratio double precision,
    code varchar(9) default 'a\_b',
    constraint spelt_pattern check (code like 'a\_%' or code like 'b\%' or code = 'x\\y')
);
create sql security invoker view spelt_texts as select concat(code, _utf8mb4' ') as a, _latin1'q' as b from spelt;
create view spelt_open as select id, code from spelt where code <> _utf8mb4'it''s' with local check option;
create table owner_of (id int primary key);
create table liked (
    id int auto_increment primary key,
    owner int,
    name varchar(40) unique,
    note text,
    up varchar(40) generated always as (upper(name)) virtual,
    key (note(10)),
    constraint liked_owner foreign key (owner) references owner_of (id),
    constraint liked_check check (owner > 0)
) comment 'as it is';
create table liking like liked;
create table liking_too (like liked);
-- A check that is written with its column has no name but the column's, and goes where the column is altered without it.
create table weighed (
    id int primary key,
    grams int not null default 5 comment 'of honey' check (grams > 3 and grams <> 7),
    doc longtext character set utf8mb3 check (json_valid(doc)),
    `odd name` varchar(9) check (`odd name` like 'a\_%'),
    constraint weighed_check check (id > 0)
);
create table no_length (a char(0), b varchar(0) not null, c binary(0), d char binary, e nchar(3), f serial, g decimal(5), h bit);
create table raw (a varbinary(8) default x'00ff', b binary(3) default 'a?', c varbinary(9) not null default x'27fe3f5c');
create table buckets (id int primary key, v int) partition by hash (id) (partition even, partition odd);
create table wide (a varchar(64000), b varchar(100) character set utf8mb4) default charset=latin1;
create table described (a int, b int, primary key (a) comment 'the; key', unique key b_key (b) comment 'also');
create table hashed_rest (id int not null, v int, primary key (id)) engine=innodb partition by hash (id mod 7) partitions 3;
-- A reference may have the name of a key.
create table packet (id bigint unsigned not null primary key);
create table segment (packet_id bigint unsigned not null, unique key packet_id (packet_id), constraint packet_id foreign key (packet_id) references packet (id));
create table speaking (a varchar(10), b varchar(20) default charset(a));
-- Rows are numbered within groups.
create table shop_ticket (shop varchar(20) not null, number int not null auto_increment, primary key (shop, number)) engine=myisam;
create table shop_receipt (shop int not null, number int not null auto_increment, two year(2), key (shop, number)) engine=aria;
create table padded (c char(3), v varchar(4) generated always as (c) virtual, w varchar(4) generated always as (rtrim(c)) stored, x char(5) generated always as (c) stored, key (w));
create table placed (a int, b int) partition by list columns (a, b) (partition p values in ((1, 2), (3, 4)), partition rest default);
-- what information_schema shows as something else than it is
create table of_rest (k int) partition by list (k) (partition a values in (1, 2), partition rest default);
create table of_nought (k int) partition by list (k) (partition a values in (-1, 2), partition z values in (0));
create table of_large (k bigint unsigned) partition by range (k) (partition a values less than (18446744073709551000), partition z values less than maxvalue);
create table paged (k int) engine=aria;
create table packed (k int) engine=aria row_format=dynamic;
create table packed_said (k int) engine=aria row_format=dynamic transactional=0;
create table unlogged (k int) engine=aria transactional=0;
create table loose (k int) engine=myisam row_format=dynamic;
-- what is computed
create table nothing_else (v int generated always as (1) stored, key (v));
create table fine (a decimal(65,38), b decimal(38,38));
create table half (id int primary key, whole int, v int generated always as (whole / 2) stored, w int generated always as (whole / 3) virtual,
    foreign key (v) references half (id) on delete cascade, foreign key (w) references half (id));
create table spaced (c char(5), a varchar(5) generated always as (trim(both ' ' from c)) stored, b varchar(9) generated always as (rpad(c, 6, ' ')) stored,
    d int generated always as (c not like 'x%') stored, e int generated always as (c) virtual, f char(3) generated always as (c) stored, key (e));
-- A check that stands with a column keeps the name that the column had.
create table told_once (old_size int check (old_size > 0), old_note longtext character set utf8mb4 collate utf8mb4_bin check (json_valid(old_note)), constraint at_most check (old_size < 100));
alter table told_once rename column old_size to size, rename column old_note to note;
alter table told_once add column old_size int;
create table by_quarter (at date not null, year int) partition by hash (extract(quarter from at)) partitions 2;
create table ar_usual (a int) engine=Aria;
-- A reference to a table that is not there.
set foreign_key_checks = 0;
create table dangling (id int primary key, elsewhere_id int, constraint to_nothing foreign key (elsewhere_id) references elsewhere_gone (id) on delete cascade);
set foreign_key_checks = 1;
-- Texts in which a backslash or an apostrophe stands, in expressions.
create table with_escapes (id int primary key, a longtext not null default 'it''s', b longtext default 'back\\slash', c longtext default concat('it''s', '\\'), d varchar(20) default 'it''s', e varchar(20) default 'two\nlines', f longtext default 'two\nlines and ''more''', g varchar(9) default (upper('it''s')), check (d <> 'it''s' and e <> 'c\\d'), h varchar(30) generated always as (concat(d, ' isn''t \\', e)) stored);
