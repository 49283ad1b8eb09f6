//! What a server is set to changes nothing of what is made there.

use crate::support::Project;
use crate::support::stage::Stage;
use hollow_oak_core::Provider;
use hollow_oak_testkit::server::{Connects, Extra, PrivateServer, shared, wanted};
use hollow_oak_testkit::store::Store;

const DECLARED: &str = "\
table \"Apiary\" {
    id: int64, identity
    name: text(40)
    primary key (id)
}

table \"Hive\" {
    id: int64, identity
    apiary_id: references \"Apiary\"
    kg: decimal(6, 2), null
    primary key (id)
    check (kg > 0)
    index (kg)
}

view \"Heavy\" ```
    select h.id, a.name from Hive h join Apiary a on a.id = h.apiary_id where h.kg > 10
``` for mariadb

trigger \"Weighed\" on \"Hive\" ```
    create trigger Weighed before insert on Hive for each row set new.kg = coalesce(new.kg, 1)
``` for mariadb
";

fn server(settings: &[&str]) -> PrivateServer {
    let arguments = settings.iter().map(|one| (*one).to_owned()).collect();
    let extra = Extra { arguments, ..Extra::default() };
    PrivateServer::start_with(Provider::Mariadb, false, &extra).unwrap_or_else(|error| panic!("{error}"))
}

/// The whole way, with capitals in the names, rows and a change by hand.
fn goes_there_and_back(here: &Stage<'_>) {
    here.project.migrate("first");
    here.assert_same("live", "declared");
    here.sql("insert into Apiary (name) values ('Moor')");
    here.sql("insert into Hive (apiary_id) values (1)");
    let renamed = DECLARED
        .replace("table \"Hive\" {", "table \"Colony\" {\n    formerly \"Hive\"")
        .replace("from Hive h", "from Colony h")
        .replace("on Hive", "on Colony")
        .replace("on \"Hive\"", "on \"Colony\"")
        .replace("name: text(40)", "name: text(60)\n    \"Place\": text(20), null");
    here.project.declare(&renamed);
    here.project.migrate("second");
    here.assert_same("live", "declared");
    assert_eq!(here.query("select kg from Colony"), ["1.00"]);
    let status = here.project.ok(&["status"]);
    assert!(status.starts_with("up to date"), "{status}");
    here.sql("create index by_hand on Apiary (Place)");
    let status = here.project.oak(&["status"]).stdout;
    assert!(status.contains("drifted (1 change in 1 table)") && status.contains("by_hand"), "{status}");
    here.sql("drop index by_hand on Apiary");
    here.project.ok(&["revert", "--yes", "--steps", "1"]);
    here.assert_same("live", "history@1");
    assert_eq!(here.query("select kg from Hive"), ["1.00"]);
    here.sql("delete from Hive where id > 0; delete from Apiary where id > 0");
    here.project.ok(&["revert", "--yes"]);
    here.assert_same("live", "empty");
}

#[test]
fn names_that_a_server_keeps_in_small_letters_are_the_declared_ones() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let server = server(&["--lower-case-table-names=1"]);
    goes_there_and_back(&Stage::on(&server, DECLARED));
    let here = Stage::on(&server, DECLARED);
    here.project.migrate("first");
    assert_eq!(
        here.query("show full tables like 'h%'"),
        ["heavy|VIEW", "hive|BASE TABLE", "hollow_oak_journal|BASE TABLE", "hollow_oak_store|BASE TABLE"]
    );
    let other = Project::empty();
    let adopted = other.ok(&["adopt", "--yes", "--url", &server.url(&here.database)]);
    assert!(adopted.contains("2 tables") && adopted.contains("all of it can be declared"), "{adopted}");
    let same = other.ok(&["diff", "live", "declared", "--url", &server.url(&here.database)]);
    assert!(same.starts_with("no difference"), "{same}");
    assert!(here.project.ok(&["status"]).starts_with("up to date"));
}

#[test]
fn what_a_server_does_by_default_makes_no_difference() {
    if !wanted(Provider::Mariadb) {
        return;
    }
    let server = server(&[
        "--default-storage-engine=MyISAM",
        "--innodb-default-row-format=compact",
        "--innodb-strict-mode=OFF",
        "--explicit-defaults-for-timestamp=OFF",
        "--sql-mode=ANSI_QUOTES,PIPES_AS_CONCAT,NO_BACKSLASH_ESCAPES",
        "--character-set-server=latin1",
        "--default-time-zone=+05:00",
    ]);
    // Some have no name on the command line.
    let mut connection = server.mariadb(None).expect("the server answers");
    let settings = "set global sql_select_limit = 3, global max_join_size = 100, global sql_safe_updates = 1, \
                    global check_constraint_checks = 0, global completion_type = CHAIN, global group_concat_max_len = 64";
    connection.execute(settings).expect("they are set");
    let here = Stage::on(&server, DECLARED);
    goes_there_and_back(&here);
    here.project.ok(&["apply", "--yes", "--to", "1"]);
    here.sql("create table made_by_hand (id int primary key) engine=innodb row_format=redundant");
    let shown = here.query("select engine, row_format from information_schema.tables where table_name in ('Hive', 'made_by_hand') order by 2");
    assert_eq!(shown, ["InnoDB|Compact", "InnoDB|Redundant"]);
}

/// Also the database that an apply makes, under a role that only reads unless told otherwise.
#[test]
fn what_a_role_is_set_to_makes_no_difference() {
    if !wanted(Provider::Postgres) {
        return;
    }
    let server = shared(Provider::Postgres);
    let mut connection = server.postgres("postgres").expect("the server answers");
    for statement in [
        "create role particular superuser login",
        "alter role particular set default_transaction_read_only = on",
        "alter role particular set transform_null_equals = on",
        "alter role particular set session_replication_role = replica",
        "alter role particular set standard_conforming_strings = off",
    ] {
        connection.execute(statement, &[]).expect("the role is there");
    }
    let table = "table keeper {\n    name: text(20), null\n    check \"never\" ((name = null) is null)\n}\n";
    let here = Stage::on(server, table);
    let configuration = here.project.read("hollow-oak.toml");
    here.project.write("hollow-oak.toml", &configuration.replace("oak@", "particular@"));
    here.project.migrate("first");
    here.assert_same("live", "declared");
    // As an equation with null it holds for every row; taken for `is null` it would hold for none.
    here.sql("insert into keeper (name) values ('Maren')");
    here.project.ok(&[crate::support::REVERT, &["--steps", "1"]].concat());
    here.assert_same("live", "empty");
}
