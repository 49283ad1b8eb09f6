//! A database that is put back from its own dump is what it was: nothing of it has drifted.

use crate::support::stage::{Stage, on_each_provider};
use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;

const DECLARED: &str = r#"enum temper { calm, watchful }

table hive {
    id:      int64, identity
    kind:    text(12), default 'top bar'
    code:    char(3), null
    temper:  temper, default calm
    kg:      decimal(6, 2), null
    lots:    int64, null
    note:    text, null, generated (kind || '!')

    primary key (id)
    unique (kind, code)
    index of_kind (kind) where (kind not in ('none', 'other')), for postgres
    check (kind in ('top bar', 'frame', 'none'))
    check (code in ('a', 'b') or kg > 0)
    check (lots in (1, 2))
}

view framed ```
    select id, kg from hive where kind in ('frame', 'top bar') and kg > 0
```
"#;

#[test]
fn a_database_from_its_own_dump_has_not_drifted() {
    on_each_provider(|provider| {
        // There a database is one file, and its copy the same bytes.
        if provider == Provider::Sqlite {
            return;
        }
        let declared = match provider {
            Provider::Mariadb | Provider::Mysql => DECLARED.replace("kind || '!'", "concat(kind, '!')"),
            _ => DECLARED.to_owned(),
        };
        let here = Stage::of(provider, &declared);
        here.project.migrate("first");
        let server = here.server.expect("it has one");
        let copy = format!("{}_copy", here.database);
        here.project.write("make.sql", &format!("create database {copy};"));
        let system = if provider == Provider::Postgres { "postgres" } else { "mysql" };
        oracle::load(server, system, &here.project.file("make.sql")).expect("a database can be made");
        let dump = oracle::whole_dump(server, &here.database).unwrap_or_else(|error| panic!("{error}"));
        here.project.write("dump.sql", &dump);
        oracle::load(server, &copy, &here.project.file("dump.sql")).unwrap_or_else(|error| panic!("{error}"));

        let url = server.url(&copy);
        let status = here.project.ok(&["status", "--exit-code", "--url", &url]);
        assert!(status.starts_with("up to date:"), "{provider}: {status}");
        let difference = here.project.ok(&["diff", "live", "declared", "--url", &url]);
        assert!(difference.starts_with("no difference"), "{provider}: {difference}");
    });
}
