//! Nothing is overlooked: each attribute that the catalogue holds, changed by hand, shows in `oak diff live declared`.

use crate::support::Project;

const DECLARED: &str = "\
enum temper { calm, watchful }

table apiary {
    id:      int64, identity
    county:  text(40)

    primary key (id)
    unique (id, county)
}

table hive {
    id:         int64, identity
    apiary_id:  int64, references apiary(id), on delete cascade, deferrable initially deferred
    code:       text(12), default 'A', collate \"nocase\"
    temper:     temper
    kg:         decimal(6, 2), null
    net:        decimal(6, 2), null, generated (kg - 1)

    primary key (id)
    unique one_code (apiary_id, code)
    check heavy_enough (kg > 1)
    index by_code (code desc)
    unique index by_kg (kg) where (kg > 40)
    index by_lower ((lower(code)) collate \"rtrim\")
}

table mark {
    option \"without rowid\"
    option \"strict\"

    code:  text, native \"TEXT\"

    primary key (code)
}
";

/// Rewrites the stored text of a table or index, as an `alter` that SQLite does not offer would have left it.
fn rewrite(project: &Project, name: &str, from: &str, to: &str) {
    let database = project.database();
    let sql: String =
        database.query_row("select sql from sqlite_schema where name = ?1", [name], |row| row.get(0)).expect(name);
    assert!(sql.contains(from), "{from} is not in {sql}");
    database
        .execute_batch(&format!(
            "pragma writable_schema = on; update sqlite_schema set sql = replace(sql, '{}', '{}') where name = '{name}'; pragma writable_schema = reset;",
            from.replace('\'', "''"),
            to.replace('\'', "''")
        ))
        .expect("the schema can be rewritten");
}

#[test]
fn every_attribute_of_the_catalogue_is_compared() {
    let template = Project::applied(DECLARED);
    let pristine = std::fs::read(template.file("brackenfold.db")).expect("the database is there");
    assert!(template.ok(&["diff", "live", "declared"]).starts_with("no difference"));
    let case = |name: &str, from: &str, to: &str, expected: &str| {
        std::fs::write(template.file("brackenfold.db"), &pristine).expect("it can be put back");
        rewrite(&template, name, from, to);
        seen(&template, &format!("{from} became {to}"), expected);
    };
    case("hive", "default 'A'", "default 'B'", "default: 'B' → 'A'");
    case("hive", "default 'A'", "", "default: none → 'A'");
    case("hive", "default 'A'", "default 'a'", "default: 'a' → 'A'");
    case("hive", "VARCHAR(12) not null", "VARCHAR(12)", "nullability: null → not null");
    case(
        "hive",
        "not null default",
        "not null on conflict ignore default",
        "attributes: not null on conflict ignore → none",
    );
    case("hive", "VARCHAR(12)", "VARCHAR(13)", "type: VARCHAR(13) → VARCHAR(12)");
    case("hive", "VARCHAR(12)", "", "type:");
    case("hive", "collate \"NOCASE\"", "", "collation: default → NOCASE");
    case("hive", "collate \"NOCASE\"", "collate rtrim", "collation: RTRIM → NOCASE");
    case("hive", "(kg - 1)", "(kg - 2)", "generated: (kg - 2) stored → (kg - 1) stored");
    case("hive", "stored", "virtual", "generated: (kg - 1) virtual → (kg - 1) stored");
    case("hive", "generated always as (kg - 1) stored", "", "generated: no → (kg - 1) stored");
    case("hive", "constraint hive_pkey primary key", "primary key", "(no name) → hive_pkey");
    case("hive", "constraint hive_pkey primary key", "", "add     primary key");
    case("hive", "primary key", "primary key autoincrement", "autoincrement → none");
    case("hive", "primary key", "primary key desc", "(id desc) → (id)");
    case("hive", "constraint one_code unique", "constraint other unique", "name: other → one_code");
    case(
        "hive",
        "constraint one_code unique (apiary_id, code)",
        "constraint one_code unique (code, apiary_id)",
        "(code, apiary_id) → (apiary_id, code)",
    );
    case("hive", "unique (apiary_id, code)", "unique (apiary_id, code) on conflict replace", "on conflict replace");
    case(
        "hive",
        "unique (apiary_id, code)",
        "unique (apiary_id, code collate binary, kg)",
        "(apiary_id, code collate BINARY, kg) → (apiary_id, code)",
    );
    case("hive", "unique (apiary_id, code)", "unique (apiary_id, code collate rtrim)", "collate RTRIM");
    case("hive", "on delete cascade", "on delete restrict", "on delete restrict");
    case("hive", "on delete cascade", "on delete cascade on update set null", "on update set null");
    case("hive", "deferrable initially deferred", "", "deferrable initially deferred");
    case("hive", "initially deferred", "initially immediate", "deferrable → ");
    case("hive", "references apiary (id)", "references hive (id)", "references hive (id)");
    case("hive", "on delete cascade", "on delete cascade match full", "match full");
    case("hive", "(apiary_id) references", "(id) references", "(id) references apiary");
    case("hive", "(kg > 1)", "(kg >= 1)", "(kg >= 1) → (kg > 1)");
    case("hive", "constraint heavy_enough check", "check", "(no name) → heavy_enough");
    case("hive", "('calm', 'watchful')", "('calm', 'angry')", "'angry'");
    case("hive", "    temper TEXT not null,", "    temper TEXT not null, extra BLOB,", "drop    column  extra");
    case("mark", ", strict", "", "alter   options");
    case("mark", "without rowid, ", "", "alter   options");
    case("by_code", "code desc", "code", "(code) → (code desc)");
    case("by_code", "code desc", "kg desc", "(kg desc) → (code desc)");
    case("by_code", "code desc", "code collate rtrim desc", "(code collate RTRIM desc) → (code desc)");
    case("by_code", "CREATE INDEX", "create unique index", "unique (code desc) → (code desc)");
    case("by_kg", "(kg > 40)", "(kg > 41)", "where (kg > 41)");
    case("by_kg", " where (kg > 40)", "", "unique (kg) → unique (kg) where");
    case("by_lower", "(lower(code))", "(upper(code))", "upper(code)");
    case("by_lower", "\"RTRIM\"", "\"NOCASE\"", "collate NOCASE");
}

#[track_caller]
fn seen(project: &Project, what: &str, expected: &str) {
    for sides in [["diff", "live", "declared"], ["diff", "declared", "live"]] {
        let answer = project.oak(&[sides[0], sides[1], sides[2], "--exit-code"]);
        assert_eq!((answer.status, answer.stderr.as_str()), (3, ""), "{what}: {}", answer.stdout);
        let forward = sides[1] == "live";
        assert!(!forward || answer.stdout.contains(expected), "{what}: {expected} is not in\n{}", answer.stdout);
    }
    let status = project.oak(&["status", "--exit-code"]);
    assert!(status.status == 3 && status.stdout.contains("drifted"), "{what}: {status}");
}

#[test]
fn whole_objects_made_by_hand_are_named() {
    let project = Project::applied(DECLARED);
    let case = |make: &str, unmake: &str, expected: &str, is_difference: bool| {
        project.sql(make);
        let answer = project.oak(&["diff", "live", "declared", "--exit-code"]);
        assert_eq!(answer.status, if is_difference { 3 } else { 0 }, "{make}: {answer}");
        assert!(answer.stdout.contains(expected), "{make}: {answer}");
        let status = project.oak(&["status", "--exit-code"]);
        assert_eq!(status.status, if is_difference { 3 } else { 0 }, "{make}: {status}");
        assert!(status.stdout.contains(if is_difference { "drifted" } else { expected }), "{make}: {status}");
        project.sql(unmake);
    };
    case("create table spare (x)", "drop table spare", "unmanaged, left alone: table spare", false);
    case("create view v as select 1", "drop view v", "view v", false);
    case("create trigger t after insert on hive begin select 1; end", "drop trigger t", "trigger t on hive", false);
    case(
        "create virtual table search using fts5(body)",
        "drop table search",
        "left alone: virtual table search\n",
        false,
    );
    case("create index extra on hive (kg)", "drop index extra", "drop    index  extra", true);
    case("alter table mark add column y TEXT", "alter table mark drop column y", "drop    column  y", true);
    case("drop index by_code", "create index by_code on hive (code desc)", "add     index  by_code", true);
    case("alter table mark rename to marks", "alter table marks rename to mark", "add     table        mark", true);
    assert!(project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
}

#[test]
fn what_was_seen_last_counts_as_long_as_nothing_changes() {
    let project = Project::applied(DECLARED);
    let remembered = "select content from hollow_oak_store where kind = 'catalogue'";
    assert_eq!(project.query(remembered).len(), 1);
    assert!(project.ok(&["status"]).starts_with("up to date"));
    // As if something else had been seen then: it is believed while the catalogue is the same, and not any more once it
    // has changed.
    let seen = r#"[{"kind":"view","name":"seen before","table":null}]"#;
    project.sql(&format!(
        "update hollow_oak_store set content = replace(content, '[]', '{seen}') where kind = 'catalogue'"
    ));
    assert!(project.ok(&["status"]).contains("view seen before"));
    project.sql("create view spare as select 1");
    let status = project.ok(&["status"]);
    assert!(status.contains("view spare") && !status.contains("seen before"), "{status}");
}

#[test]
fn tables_named_in_the_configuration_are_left_alone_altogether() {
    let project = Project::applied(DECLARED);
    project.write("hollow-oak.toml", &format!("{}\n[unmanaged]\ntables = [\"tmp_*\"]\n", crate::support::CONFIG));
    project.sql("create table tmp_import (x); create table other (x)");
    let answer = project.ok(&["diff", "live", "declared"]);
    assert!(answer.contains("table other") && !answer.contains("tmp_import"), "{answer}");
}

#[test]
fn the_ways_to_write_the_same_are_no_difference() {
    let project = Project::applied(DECLARED);
    rewrite(&project, "hive", "VARCHAR(12)", "varchar ( 12 )");
    rewrite(&project, "hive", "(kg > 1)", "( \"KG\"   > /* more */ 1 )");
    rewrite(&project, "hive", "references apiary (id)", "references \"Apiary\"");
    rewrite(
        &project,
        "by_code",
        "CREATE INDEX by_code on hive (code desc)",
        "create  INDEX \"by_code\" ON [hive] (`Code` DESC)",
    );
    assert!(project.ok(&["diff", "live", "declared"]).starts_with("no difference"));
}
