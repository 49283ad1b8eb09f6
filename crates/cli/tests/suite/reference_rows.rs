//! Rows that belong to the schema: changed by migrations, row by row, and brought back by them.

use hollow_oak_core::Provider;
use hollow_oak_testkit::server::wanted;

use crate::support::stage::{Stage, on_each_provider};
use crate::support::{Project, REVERT};

const TABLES: &str = "\
enum colour { white, green }

table family {
    code:  text(4), primary key
    name:  text(40)
}

table treatment_kind {
    id:         int64, identity
    code:       text(8), unique
    family:     text(4), references family(code)
    label:      text(40), null
    mark:       colour, default green
    dose:       decimal(6, 2), null
    organic:    bool, default true
    given_from: date, null
    added_at:   instant, null

    primary key (id)
}

";

const ROWS: &str = "\
rows treatment_kind by (code) {
    id | code  | family | label         | mark  | dose  | organic | given_from   | added_at
    7  | 'OXA' | 'acid' | 'Oxalic acid' | white | 2.10  | true    | '2026-05-01' | now
    2  | 'THY' | 'oil'  | 'it''s oil'   | green | null  | true    | null         | null
    3  | 'AMI' | 'none' | null          | green | 12.5  | false   | null         | (null)
}

rows family by (code) {
    code   | name
    'acid' | 'Acids'
    'oil'  | 'Oils'
    'none' | 'Others'
}
";

const CHANGED: &str = "\
rows treatment_kind by (code) {
    id | code  | family | label         | mark  | dose  | organic | given_from   | added_at
    7  | 'OXA' | 'acid' | 'Oxalic acid' | green | 2.1   | true    | '2026-05-02' | now
    3  | 'AMI' | 'none' | 'Amitraz'     | green | null  | false   | null         | (null)
    9  | 'LAC' | 'milk' | 'Lactic acid' | white | 1     | true    | null         | null
}

rows family by (code) {
    code   | name
    'acid' | 'Acids'
    'milk' | 'Of milk'
    'none' | 'Others'
}
";

const KINDS: &str =
    "select code, family, label, mark, round(dose, 2), organic, given_from from treatment_kind order by code";

#[test]
fn rows_come_change_go_and_come_back() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, &format!("{TABLES}{ROWS}"));
        here.project.migrate("first");
        here.assert_same("live", "declared");
        here.sql("insert into family (code, name) values ('mine', 'the application''s')");
        here.sql("insert into treatment_kind (code, family) values ('MINE', 'mine')");
        let before = here.query(KINDS);
        here.project.declare(&format!("{TABLES}{CHANGED}"));
        let drafted = here.project.draft("second", &[]);
        let steps = ["delete 1 row of treatment_kind", "delete 1 row of family", "update 2 rows of treatment_kind"];
        for step in steps.iter().chain(&["insert 1 row into family", "insert 1 row into treatment_kind"]) {
            assert!(drafted.contains(step), "{step} is not in {drafted}");
        }
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert!(here.query(KINDS).iter().any(|row| row.starts_with("MINE|mine")));
        here.sql("update family set name = 'by hand' where code = 'acid'");
        here.sql("delete from treatment_kind where code = 'LAC'");
        let differs = here.project.ok(&["diff", "live", "declared"]);
        assert!(differs.contains("name 'by hand' → 'Acids'") && differs.contains("row  'LAC'"), "{differs}");
        assert!(!differs.contains("mine") && !differs.contains("MINE"), "{differs}");
        assert!(here.project.ok(&["status"]).starts_with("up to date"), "rows are no drift");
        here.project.ok(&["revert", "--yes"]);
        assert_eq!(here.query(KINDS), before);
        // The numbers go on behind those that were given.
        here.sql("insert into treatment_kind (code, family) values ('LATER', 'mine')");
        assert_eq!(
            here.query("select case when id > 7 then 'behind' end from treatment_kind where code = 'LATER'"),
            ["behind"]
        );
    });
}

/// A column that becomes required, or comes as such, has its values in the rows.
#[test]
fn a_new_required_column_takes_its_values_from_the_rows() {
    on_each_provider(|provider| {
        let first =
            "table kind {\n    code: text(8), primary key\n}\n\nrows kind by (code) {\n    code\n    'a'\n    'b'\n}\n";
        let here = Stage::of(provider, first);
        here.project.migrate("first");
        let second = first
            .replace("primary key\n", "primary key\n    days: int32\n")
            .replace("    code\n", "    code | days\n")
            .replace("'a'\n", "'a' | 3\n")
            .replace("'b'\n", "'b' | 4\n");
        here.project.declare(&second);
        here.project.migrate("second");
        here.assert_same("live", "declared");
        assert_eq!(here.query("select code, days from kind order by code"), ["a|3", "b|4"]);
        here.project.ok(&["revert", "--yes"]);
        assert_eq!(here.query("select code from kind order by code"), ["a", "b"]);
    });
}

/// Rows that are there get a reference to a table that comes with its rows, by a fill that reads them.
#[test]
fn rows_that_come_are_there_for_references_and_fills() {
    on_each_provider(|provider| {
        let first = "table hive {\n    id: int32, primary key\n    name: text(20)\n}\n";
        let here = Stage::of(provider, first);
        here.project.migrate("first");
        here.sql("insert into hive (id, name) values (1, 'A-north'), (2, 'B-south')");
        here.project.declare(
            "table hive {\n    id: int32, primary key\n    name: text(20)\n    site_id: int32, references site(id)\n}\n\n\
             table site {\n    id: int32, primary key\n    code: text(20)\n    region: text(4), references region(code)\n}\n\n\
             table region {\n    code: text(4), primary key\n}\n\n\
             rows site by (id) {\n    id | code | region\n    7 | 'A' | 'N'\n    9 | 'B' | 'S'\n}\n\n\
             rows region by (code) {\n    code\n    'N'\n    'S'\n}\n",
        );
        let fill = "hive.site_id=((select s.id from site s where s.code = substr(hive.name, 1, 1)))";
        here.project.draft("sites", &["--fill", fill]);
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select id, site_id from hive order by id"), ["1|7", "2|9"]);
        here.project.ok(REVERT);
        here.assert_same("live", "history@1");
        assert_eq!(here.query("select id, name from hive order by id"), ["1|A-north", "2|B-south"]);
    });
}

/// New rules look at the rows as they are to be, and not as they were.
#[test]
fn rows_change_before_the_rules_that_look_at_them() {
    on_each_provider(|provider| {
        let schema = |words: &str, optional: &str, check: &str, rows: &str| {
            format!(
                "enum colour {{ {words} }}\n\ntable kind {{\n    id: int32, primary key\n    mark: colour\n    \
                 days: int32{optional}\n    dose: int32\n    check ({check})\n}}\n\n\
                 rows kind by (id) {{\n    id | mark | days | dose\n{rows}}}\n"
            )
        };
        let here = Stage::of(
            provider,
            &schema("white, green", ", null", "dose < 10", "    1 | green | null | 5\n    2 | white | 3 | 7\n"),
        );
        here.project.migrate("first");
        here.sql("insert into kind (id, mark, days, dose) values (50, 'white', 1, 9)");
        here.project.declare(&schema(
            "white, red",
            "",
            "dose > 8 and dose < 100",
            "    1 | white | 8 | 50\n    2 | red | 3 | 70\n",
        ));
        here.project.migrate("second");
        here.assert_same("live", "declared");
        let rows = "select id, mark, days, dose from kind order by id";
        assert_eq!(here.query(rows), ["1|white|8|50", "2|red|3|70", "50|white|1|9"]);
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
        assert_eq!(here.query(rows), ["1|green||5", "2|white|3|7", "50|white|1|9"]);
    });
}

/// References that are only checked at the end of a transaction do not stand in the way of changing their tables in it.
#[test]
fn rows_change_under_deferred_references() {
    for provider in [Provider::Sqlite, Provider::Postgres].into_iter().filter(|one| wanted(*one)) {
        let schema = |column: &str, kinds: &str, label: &str| {
            format!(
                "table family {{\n    code: text(4), primary key\n{label}}}\n\ntable kind {{\n    id: int32, primary key\n    \
                 family: text(4), references family(code), deferrable initially deferred\n{column}}}\n\n\
                 rows kind by (id) {{\n{kinds}}}\n\n\
                 rows family by (code) {{\n    code\n    'a'\n    'b'\n}}\n"
            )
        };
        let here = Stage::of(provider, &schema("", "    id | family\n    1 | 'a'\n    2 | 'b'\n", ""));
        here.project.migrate("first");
        here.sql("insert into kind (id, family) values (50, 'a')");
        here.project.declare(&schema(
            "    size: int32\n    check (size > 0)\n",
            "    id | family | size\n    1 | 'b' | 3\n    3 | 'a' | 4\n",
            "    label: text(8), null\n    check (label <> '')\n",
        ));
        let fills = ["--fill", "kind.size=((select count(*) from family))", "--fill", "family.label=(code)"];
        here.project.draft("second", &fills);
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select id, family, size from kind order by id"), ["1|b|3", "3|a|4", "50|a|2"]);
        here.project.ok(REVERT);
        here.assert_same("live", "history@1");
        assert_eq!(here.query("select id, family from kind order by id"), ["1|a", "2|b", "50|a"]);
    }
}

/// Rows go although something still references them, when that goes in the same migration.
#[test]
fn rows_go_with_the_references_to_them() {
    on_each_provider(|provider| {
        let tables = |column: &str, rows: &str| {
            format!(
                "table kind {{\n    code: text(4), primary key\n}}\n\ntable hive {{\n    id: int32, primary key\n{column}}}\n\n\
                 rows kind by (code) {{\n    code\n{rows}}}\n"
            )
        };
        let column = "    kind: text(4), references kind(code)\n";
        let here = Stage::of(provider, &tables(column, "    'a'\n    'b'\n"));
        here.project.migrate("first");
        here.sql("insert into hive (id, kind) values (1, 'a'), (2, 'b')");
        here.project.declare(&tables("", "    'b'\n"));
        here.project.draft("second", &["--keep"]);
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
        assert_eq!(here.query("select id, kind from hive order by id"), ["1|a", "2|b"]);
    });
}

#[test]
fn five_thousand_rows_are_one_migration() {
    on_each_provider(|provider| {
        let table = "table place {\n    code: int32, primary key\n    name: text(40)\n}\n\n";
        let rows = |name: &str, from: usize| {
            let lines: String = (from..from + 5000).map(|at| format!("    {at} | '{name} {at}'\n")).collect();
            format!("{table}rows place by (code) {{\n    code | name\n{lines}}}\n")
        };
        let here = Stage::of(provider, &rows("place", 0));
        here.project.migrate("first");
        assert_eq!(here.query("select count(*) from place"), ["5000"]);
        here.project.declare(&rows("spot", 2500));
        let differs = here.project.ok(&["diff", "live", "declared"]);
        assert_eq!(differs.matches("2500 rows").count(), 2, "those that change and those that come: {differs}");
        here.project.migrate("second");
        here.assert_same("live", "declared");
        assert_eq!(
            here.query("select name from place where code in (2500, 7499) order by code"),
            ["spot 2500", "spot 7499"]
        );
        here.project.ok(&["revert", "--yes"]);
        assert_eq!(here.query("select min(name), max(code) from place"), ["place 0|4999"]);
    });
}

#[test]
fn mistakes_in_rows_are_shown_at_their_place() {
    let project = Project::new(&format!(
        "{TABLES}rows treatment_kind by (code) {{\n    code | family | mark | dose | organic | label\n\
         \x20   'OXA' | 'acid' | whit | 1 | true | null\n    'OXA' | 'oil' | green | 'much' | null | 7\n\
         \x20   'THY' | 'oil'\n    'AMI' | 'nil' | green | 1 | false | null\n}}\n\n\
         rows family by (cod) {{\n    code | nam\n    'acid' | 'A'\n}}\n\nrows famly by (code) {{\n    code\n    'x'\n}}\n\n\
         rows family by (code) {{\n    code\n    'oil'\n}}\n"
    ));
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

#[test]
fn rows_are_laid_out_with_their_comments() {
    let project = Project::new(&format!(
        "{TABLES}# kinds\nrows family by (code) {{   # found by their code\n  # the head\n code|name # what\n\n\n  'acid'|'Acids' # sour\n  # last\n}} for sqlite\n"
    ));
    project.ok(&["format"]);
    let once = project.read("schema/schema.oak");
    assert!(project.ok(&["format"]).starts_with("nothing to do"));
    let (_, rows) = once.split_once("# kinds\n").expect("the comment is kept");
    insta::assert_snapshot!(rows);
}
