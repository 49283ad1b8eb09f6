-- By a client of latin1, in its bytes.
set names latin1;
create table bee (id int primary key, name varchar(20) default 'süß' comment 'größe') default charset=latin1;
delimiter //
create function weigh(`gefäß` int) returns varchar(20) deterministic return 'Rähmchen €'//
create procedure tell(in a int) begin select 'Bienenstöcke'; end//
create trigger bee_bi before insert on bee for each row set @x = 'é'//
delimiter ;
create view of_bees as select concat(name, 'ß') as name from bee;
