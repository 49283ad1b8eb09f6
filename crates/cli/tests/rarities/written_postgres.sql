-- As people write it, and no dumper does.
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
