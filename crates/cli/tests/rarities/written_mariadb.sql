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
create table feed_like like feed;
create table feed_enclosed (like feed);
alter table feed add column author varchar(40) not null default '' after short, add index (author(20)), modify column price decimal(10,2);
create table parts (id int, d date) default charset=utf8mb4 partition by range (year(d)) (partition p0 values less than (2000), partition p1 values less than maxvalue);
create view feeds as select id, code from feed where code <> 'it''s' with cascaded check option;
