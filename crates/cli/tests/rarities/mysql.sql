create table keeper (
  id bigint unsigned not null auto_increment,
  name varchar(60) character set utf8mb4 collate utf8mb4_german2_ci not null,
  code char(8) character set ascii collate ascii_bin default 'x' comment 'the code',
  n mediumint(7) unsigned zerofill,
  flags set('a','b','c') default 'a,b',
  kind enum('x','y''z','w w') not null default 'x',
  made timestamp(3) not null default current_timestamp(3) on update current_timestamp(3),
  changed timestamp not null default current_timestamp on update current_timestamp,
  other timestamp null default null,
  price decimal(9,3) default 1.500,
  ratio float default 1.5, big double unsigned,
  y year, b bit(5) default b'101', bin varbinary(20) default 0x4142, fixed binary(4),
  doc json default (json_object('a', 'it''s "so"')), text1 tinytext, blob1 mediumblob, long1 longtext,
  gen int generated always as (n % 7) virtual invisible,
  gen2 varchar(70) as (concat(name, 'x;y')) stored,
  loc point not null srid 4326, area geometry,
  uid binary(16) default (uuid_to_bin(uuid())),
  hidden int default 4 invisible,
  said varchar(20) default (concat('it''s', 'a')),
  check (price > 0),
  primary key (id),
  unique key by_code (code, n desc),
  key prefix (name(10), text1(20)),
  fulltext key words (long1),
  spatial key places (loc),
  key off_index (n) invisible,
  key hashed (kind) comment 'an index',
  key computed ((lower(code)), (n + 1) desc),
  unique key one_name ((concat(name, 'it''s \\'))),
  constraint odd check (length(name) > 1 and name <> 'a;b' and code not in ('x', 'it''s', 'a\\b')),
  constraint asleep check (n > 3) not enforced
) engine=InnoDB auto_increment=100 default charset=utf8mb4 collate=utf8mb4_unicode_ci comment='keepers; of bees';
create table hive (
  id int primary key auto_increment, keeper bigint unsigned, parent int, a int, b int,
  constraint to_keeper foreign key (keeper) references keeper (id) on delete set null on update cascade,
  foreign key (parent) references hive (id),
  unique (a, b)
) engine=InnoDB default charset=latin1 stats_persistent=1 key_block_size=0;
create table old_style (a int, b varchar(10), key (b)) engine=MyISAM default charset=utf8mb3 checksum=1 delay_key_write=1 pack_keys=1 max_rows=1000 avg_row_length=50;
create table mem (a int, key (a)) engine=MEMORY;
create table squeezed (a int, b text) row_format=compressed key_block_size=4;
create table parts (id int not null, at date not null, primary key (id, at)) partition by range (year(at)) subpartition by hash (id) subpartitions 2 (partition p24 values less than (2025) comment 'x', partition p25 values less than (2026), partition rest values less than maxvalue);
create table bylist (id int, r varchar(3)) partition by list columns (r) (partition a values in ('x','y'), partition b values in ('z'));
create table byhash (id int primary key) partition by key () partitions 4;
create table plain_default (id int primary key, a varchar(20), b text default (concat('a', 'b')), c date default (curdate()), d int default (1 + 2), `odd name``x` int, `select` int, `rank` int, `system` int, key `an index` (`odd name``x`)) default charset=utf8mb4;
create table `größen` (`größe` int, über int as (`größe` + 1), wort varchar(20) default (concat('ö', 'ł')), key ((`größe` * 2)), constraint `maß` check (`größe` > 3 and wort <> 'ü'));
create algorithm=merge sql security invoker view names as select id, name from keeper where name <> 'it''s' with cascaded check option;
create algorithm=temptable view counted (k, n) as select keeper, count(*) from hive group by keeper;
create view plain as select * from names;
create view ranked as select id, row_number() over (partition by keeper order by id) as place from hive;
delimiter //
create trigger hive_bi before insert on hive for each row begin if new.a is null then set new.a = 1; end if; end//
create trigger hive_bi2 before insert on hive for each row follows hive_bi set new.b = 2//
create trigger hive_bi0 before insert on hive for each row precedes hive_bi set new.b = 3//
create function f1(x int, y varchar(10) character set latin1) returns varchar(20) character set utf8mb4 collate utf8mb4_bin deterministic no sql sql security invoker comment 'a fn; x' begin declare z int default 1; return concat(x, y, z, '//'); end//
create table pressed (id int primary key) compression='zlib' stats_persistent=0//
create procedure p1(in a int, out b int, inout c decimal(5,2)) modifies sql data begin declare continue handler for sqlexception begin end; set b = a; select 1; end//
create event tick on schedule every 1 day starts '2026-01-01 00:00:00' ends '2027-01-01 00:00:00' on completion preserve disable comment 'daily; x' do begin delete from hive where a = 5; update hive set b = 1; end//
create event once on schedule at '2030-01-01 00:00:00' do delete from hive//
delimiter ;
create table computed (a int primary key, v int generated always as (a + 1) virtual not null, s int generated always as (a * 2) stored not null);
create table nothing_else (v int generated always as (1));
create table computed_key (a int, v int generated always as (a) stored, primary key (v));
-- Texts in which a backslash or an apostrophe stands, in expressions.
create table with_escapes (id int primary key, bytes longblob not null default (0x00ff), text_of longtext default ('x'), a longtext not null default ('it''s'), b longtext default ('back\\slash'), c longtext default (concat('it''s', '\\')), d varchar(20) default 'it''s', e varchar(20) default 'two\nlines', f longtext default ('two\nlines and ''more'''), g varchar(9) default (upper('it''s')), check (d <> 'it''s' and e <> 'c\\d'), h varchar(30) generated always as (concat(d, ' isn''t \\', e)) stored);
