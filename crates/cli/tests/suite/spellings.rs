//! What can be said in several ways is, on each server, what is said in its own words: types, options of tables, columns,
//! keys, indexes and references.

use hollow_oak_core::Provider;

use crate::support::stage::{Stage, on_each_provider};

/// Lines of a table with the columns `id`, `ref` and `n`; `TYPE` stands before a type of `n`, `COLUMN` before an option of it.
fn said(provider: Provider) -> &'static [&'static str] {
    match provider {
        Provider::Postgres => &[
            "TYPE national character varying(20)",
            "TYPE nchar (5)",
            "TYPE int[3]",
            "TYPE int array",
            "TYPE numeric(5, 2) array[4]",
            "TYPE text[][]",
            "TYPE pg_catalog.int4",
            "TYPE _date",
            "TYPE _inet",
            "option \"FILLFACTOR = '70'\"",
            "option \"tablespace pg_default\"",
            "option \"using heap\"",
            "option \"replica identity default\"",
            "option \"PARTITION BY LIST(ID)\"",
            "option \"partition by hash(id)\"",
            "COLUMN storage extended",
            "COLUMN storage default",
            "COLUMN compression default",
            "COLUMN statistics -1",
            "COLUMN n_distinct = -0.5",
            "index (n), option \"fillfactor = 70\"",
            "index (n), option \"tablespace pg_default\"",
            "unique (n), option \"initially deferred\"",
            "unique (n), option \"deferrable initially immediate\"",
            "foreign key (ref) references ITSELF (id), option \"match simple\"",
        ],
        Provider::Mariadb | Provider::Mysql => &[
            "TYPE character varying (20)",
            "TYPE varcharacter(20)",
            "TYPE long varchar",
            "TYPE long varbinary",
            "TYPE char(3) byte",
            "TYPE blob(300)",
            "TYPE int signed",
            "TYPE int zerofill",
            "TYPE float(30)",
            "option \"engine=heap\"",
            "option \"row_format=default\"",
            "option \"max_rows=0\"",
            "option \"stats_persistent=default\"",
            "option \"partition by hash (id) partitions 4\"",
            "option \"PARTITION BY HASH (mod(id, 3)-1) partitions 3\"",
            "option \"partition by range (id) (partition a values less than (10), PARTITION b VALUES LESS THAN MAXVALUE)\"",
            "index (n), option \"using btree\"",
            "index (n) using btree",
            "unique (n), option \"comment 'k'\"",
            "unique (n), option \"prefix n(5)\"",
            "unique (n), option \"descending n\"",
            "check positive (ref > 0), option \"enforced\"",
            "foreign key (ref) references ITSELF (id), option \"match simple\"",
        ],
        _ => &[
            "TYPE VARCHAR ( 20 )",
            "TYPE double  precision",
            "TYPE integer auto_increment",
            "option \"WITHOUT ROWID\"",
            "unique (n), option \"ON CONFLICT REPLACE\"",
        ],
    }
}

#[test]
fn what_is_said_in_other_words_is_what_the_server_has() {
    on_each_provider(|provider| {
        let tables = said(provider).iter().enumerate().map(|(at, line)| {
            let (column, line) = match (line.strip_prefix("TYPE "), line.strip_prefix("COLUMN ")) {
                (Some(ty), _) => (format!(", native \"{ty}\" for {provider}"), String::new()),
                (_, Some(option)) => (format!(", option \"{option}\" for {provider}"), String::new()),
                _ => (String::new(), line.replace("ITSELF", &format!("t{at}"))),
            };
            format!(
                "table t{at} {{\n    id: int32\n    ref: int32, null\n    n: text(40), null{column}\n    \
                 primary key (id)\n    {line}\n}}\n"
            )
        });
        let here = Stage::of(provider, &tables.collect::<Vec<_>>().join("\n"));
        here.project.migrate("first");
        let same = here.project.oak(&["diff", "live", "declared"]);
        assert!(same.stdout.starts_with("no difference"), "{provider}: {same}");
    });
}

/// SQLite keeps a statement from the name on.
#[test]
fn a_statement_of_sqlite_may_say_if_not_exists() {
    let here = Stage::of(
        Provider::Sqlite,
        "table hive {\n    id: int64\n    primary key (id)\n}\n\n\
         trigger logged on hive ```\n    Create Trigger if not exists main.logged after insert on hive begin select 1; end\n```\n\n\
         object \"virtual table\" search ```\n    create virtual table IF NOT EXISTS search using fts5(name)\n``` drop ```\n    \
         drop table search\n```\n",
    );
    here.project.migrate("first");
    assert!(here.project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    assert_eq!(here.status()["unmanaged"].to_string(), "[]");
}
