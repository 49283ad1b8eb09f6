# As people write it, and no dumper does.
create table feed (
    id integer not null auto_increment primary key,
    guid varchar(255) character set binary not null unique,
    short text(50), long_one text(100), raw blob(70000), bits varchar(3) byte,
    national_one nchar(3), other nvarchar(9),
    price double precision unsigned default '0.5', filled int(5) zerofill,
    flag enum('Y','N') default "N", quoted varchar(9) default "dq's", code varchar(9) default 'a\_b',
    grams int default 5 check (grams > 3),
    constraint feed_code check (code like 'a\_%')
) engine=InnoDB default charset=utf8mb4; -- and a comment
create table keyed_twice (id serial primary key, a int unique unique key, b int unique not null, unique (b)) charset=utf8mb4;
create table serial_unique (id serial unique, a int primary key unique, key (a)) charset=utf8mb4;
set @statement = 'select 1';
prepare conditional from @statement;
execute conditional;
deallocate prepare conditional;
create table feed_like like feed;
create table feed_enclosed (like feed);
alter table feed add column author varchar(40) not null default '' after short, add index (author(20)), modify column price decimal(10,2);
create table parts (id int, d date) default charset=utf8mb4 partition by range (year(d)) (partition p0 values less than (2000), partition p1 values less than maxvalue);
create view feeds as select id, code from feed where code <> 'it''s' with cascaded check option;
create table first_named (id int primary key, code varbinary(4) default 0x4142, raw binary(2) default x'00ff') character set `utf8` collate `utf8_bin`;
create table owner_of (id int primary key) default charset utf8mb4 collate utf8mb4_unicode_ci;
rename table first_named to second_named, owner_of to owner_too;
alter table second_named add primary key if not exists (id), add index if not exists by_code (code), add index if not exists by_code (raw), row_format = compact, comment = 'twice', convert to character set latin1;
alter table second_named add foreign key if not exists owned (id) references owner_too (id);
create or replace table second_named_too (like second_named);
create view of_two (a, b) as select id, code from second_named union all select id, 'x' from owner_too;
create or replace view of_two (a, b) as select id, code from second_named where id > 1 union all select id, 'x' from owner_too;
create table kept_safe (a int, primary key (a)) engine = aria default charset utf8mb4 collate utf8mb4_unicode_ci;
create table dated (id int, d date not null, r varchar(3)) default charset utf8mb4 collate utf8mb4_unicode_ci partition by range columns (d) (partition a values less than ('2024-01-01'), partition z values less than (maxvalue));
create table dated_days (d date not null) default charset utf8mb4 collate utf8mb4_unicode_ci partition by range (to_days(d)) (partition a values less than (to_days('2024-02-29')), partition z values less than maxvalue);
create table hashed_by (id int primary key, k varchar(3)) default charset utf8mb4 collate utf8mb4_unicode_ci partition by hash (id % 7 + 1) partitions 3;
create table hashed_named (id int primary key, k varchar(3)) default charset utf8mb4 collate utf8mb4_unicode_ci partition by hash (id) (partition a, partition b);
create table keyed (id int, k varchar(3), primary key (id, k)) default charset utf8mb4 collate utf8mb4_unicode_ci partition by linear key (id, k) partitions 2;
create table of_list (id int, k int) default charset utf8mb4 collate utf8mb4_unicode_ci partition by list (k) (partition a values in (1, 2, null), partition b values in (3));
create table moved (a int, b varchar(9) binary, c varchar(9) character set ascii binary) engine=innodb character set latin1;
alter table moved add column d int first, add column e int after a, modify column c varchar(10) after d;
create view of_moved as select * from moved;
create table divided_anew (id int, d date) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci partition by range (YEAR(d)) subpartition by hash (TO_DAYS(d)) subpartitions 2 (partition p0 values less than (2000) comment = 'old', partition p1 values less than maxvalue engine = innodb);
create table divided_by_name (id int, d date) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci partition by range columns (d) subpartition by key (id) (partition p0 values less than ('2000-01-01') (subpartition s0, subpartition s1), partition p1 values less than (maxvalue) (subpartition s2 comment 'x', subpartition s3));
create table quoted (a enum("x", 'y''z', "it""s") default "x", b set("p","q") not null) engine=innodb character set latin1;
create table said (id int comment "in 'days'", a varchar(30) default "it's" comment "x", key a_key (a) comment "it is ""so""") engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci comment="whole";
create table counted (id bigint not null auto_increment unique, k int, primary key (id), unique (k, id)) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table counted modify id bigint auto_increment;
alter table counted drop index id, modify k int null;
alter view of_moved as select a from moved;
alter algorithm = merge sql security invoker view of_moved as select a, b from moved;
-- Keys that are too long are cut, or are hashes of what is in them.
create table longer (id int primary key, v varchar(1024), w varchar(900) unique, t text unique, b varbinary(4000), u varchar(600) character set latin1 unique, key v (v), key b (b), key p (v(10))) default charset utf8mb4 collate utf8mb4_unicode_ci;
create table longer_old (id int primary key, v varchar(255), w varchar(255), key v (v), unique w (w(30))) engine=myisam default charset utf8mb4 collate utf8mb4_unicode_ci;
create table longer_safe (id int primary key, v varchar(600), w varchar(510), key v (v), key w (w)) engine=aria default charset utf8mb4 collate utf8mb4_unicode_ci;
-- Only InnoDB keeps references.
create table without_references (id int primary key, a int, foreign key (a) references longer (id)) engine=myisam default charset utf8mb4 collate utf8mb4_unicode_ci;
create table national (id int primary key, n national varchar(20), nn nchar(3), cv character varying(30), cw char varying(4) character set latin1) default charset utf8mb4 collate utf8mb4_unicode_ci;
create table short_words (id int signed primary key, a varchar(20) ascii, u char(5) unicode, l long, v long varbinary, f float(30), c char(3) byte) default charset utf8mb4 collate utf8mb4_unicode_ci partition by hash (mod(id, 3)-1) partitions 3;
create table rated (id int primary key, stars int not null CHECK(stars BETWEEN 1 AND 5), word varchar(9) check (word!='x' and word IN ('A', 'b'))) default charset utf8mb4 collate utf8mb4_unicode_ci;
-- Which index of a reference stays.
create table pointed_at (id int primary key, x int, unique (id, x)) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
create table points (a int, b int, constraint c1 foreign key (a) references pointed_at (id), constraint c2 foreign key (a) references pointed_at (id), constraint c3 foreign key (a, b) references pointed_at (id, x), constraint c4 foreign key (a) references pointed_at (id)) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
create table points_anew (a int, b int, constraint d1 foreign key (a) references pointed_at (id), foreign key (a) references pointed_at (id)) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table points_anew drop foreign key d1;
alter table points_anew add constraint d7 foreign key (a) references pointed_at (id) on delete cascade;
create table one_name (a int not null, unique key one_name_a (a), constraint one_name_a foreign key (a) references pointed_at (id)) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
optimize table points;
create table not_for_long (id int primary key) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
drop table if exists not_for_long cascade;
-- What stands behind a default, and what an engine keeps in quotes.
create table behind (id int primary key, a tinyint(1) default 0 null, b int default -1 null comment 'b', c varchar(9) default 'x' null unique, d int default (1 + 1) null, e int default null null, f int null default null) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci;
create table pressed (id int primary key) engine=innodb default charset utf8mb4 collate utf8mb4_unicode_ci page_compressed=1 PAGE_COMPRESSION_LEVEL=5 encryption_key_id='1' encrypted=no;
create view if not exists of_behind as select id, a from behind;
create view if not exists of_behind as select id, b from behind;
-- What is gone when the file has been run.
create temporary table for_now (a int);
create temporary table if not exists for_now_too as select 1 as a;
insert into for_now select id from behind;
drop table for_now;
drop temporary table if exists for_now_too;
create temporary sequence numbers_now;
drop sequence numbers_now;
create table gathered_one (a int, b varchar(9)) engine=myisam default charset utf8mb4 collate utf8mb4_unicode_ci;
create table gathered (a int, b varchar(9)) engine=merge union=(gathered_one) insert_method=last default charset utf8mb4 collate utf8mb4_unicode_ci;
delimiter #
create procedure by_hash() begin select 1; end #
delimiter ;
CREATE EVENT `counting` ON SCHEDULE EVERY 5 HOUR STARTS '2026-11-30 00:08:32' ON COMPLETION NOT PRESERVE ENABLE DO SELECT 5;
create definer=current_user event if not exists once_more on schedule at '2036-01-01 00:00:00' on completion preserve disable comment 'it''s' do delete from t;
create table switched (a enum('0', '1') not null default '0', b enum('x', '1') default '1', c set('1', '2') default '2', d int default '7', e decimal(6, 2) not null default '1.50') default charset utf8mb4 collate utf8mb4_unicode_ci;
create table spread (a int) default charset utf8mb4 collate utf8mb4_unicode_ci partition by key (a);
create table of_rest (k int) default charset utf8mb4 collate utf8mb4_unicode_ci partition by list (k) (partition a values in (1, 2), partition rest default);
create table of_nought (k int) default charset utf8mb4 collate utf8mb4_unicode_ci partition by list (k) (partition a values in (-1, 2), partition z values in (0));
create table packed (k int) row_format=dynamic engine=aria default charset utf8mb4 collate utf8mb4_unicode_ci;
create table fine (a decimal(65,38)) default charset utf8mb4 collate utf8mb4_unicode_ci;
create table nothing_else (v int generated always as (1) stored) default charset utf8mb4 collate utf8mb4_unicode_ci;
-- What stands with a column goes with it, and what names it follows its new name.
create table gone_with (id int primary key, job json not null, b int check (b > 0), c int, constraint c_small check (c < 3)) default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table gone_with drop column job, drop column c, modify b bigint, add column job longtext, add column c int;
create table followed (id int primary key, job json not null, b int check (b > 0), c int default (b + 1), d int generated always as (b * 2) stored, constraint c_small check (c < b)) default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table followed rename column job to work, change b bees int check (bees < 9);
alter table followed rename column bees to swarms;
create table said_again (id int primary key, job json, b int check (b > 0)) default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table said_again modify job json not null, modify b bigint check (b > 1);
create table by_sum (id int, k int) default charset utf8mb4 collate utf8mb4_unicode_ci partition by hash (id + k) partitions 2;
alter table by_sum rename column id to number;
create table shown (id int, k int, d decimal(10,2), key ik (k), key id_key (id) ignored, key both_keys (id, k) not ignored) default charset utf8mb4 collate utf8mb4_unicode_ci;
alter table shown alter index ik ignored, alter index id_key not ignored, alter d set default 1.5;
alter table shown order by k;
create table by_hash (id int primary key, k int, t varchar(9), unique key one_k (k) using hash, unique key one_t (t)) default charset utf8mb4 collate utf8mb4_unicode_ci;
