//! Changes of tables that hold rows: what is renamed, filled or converted is there afterwards, and again after the way back.

use crate::support::stage::{Stage, on_each_provider};
use crate::support::{Project, REVERT};
use hollow_oak_core::Provider;

const BEFORE: &str = "\
enum temper { calm, wild }

table keeper {
    id:     int64, identity
    name:   text(120), check (name <> '')
    email:  text(254), unique

    primary key (id)
    index by_name (name)
}

table hive {
    id:         int64, identity
    keeper_id:  references keeper, on delete cascade
    weight_kg:  decimal(6, 2), null
    temper:     temper, default wild
    left_at:    text(10)
    right_at:   text(10)

    primary key (id)
    index (keeper_id, weight_kg)
}

view heavy ```
    select k.name, h.weight_kg from hive h join keeper k on k.id = h.keeper_id
```
";

const AFTER: &str = "\
enum temper { calm, angry formerly wild }

table member {
    formerly keeper

    id:         int64, identity
    full_name:  text(120), check (full_name <> ''), formerly name
    email:      text(254), unique

    primary key (id)
    index by_name (full_name)
}

table hive {
    id:         int64, identity
    member_id:  references member, on delete cascade, formerly keeper_id
    weight_g:   int32, null, formerly weight_kg
    temper:     temper, default angry
    left_at:    text(10), formerly right_at
    right_at:   text(10), formerly left_at

    primary key (id)
    index (member_id, weight_g)
}

view heavy ```
    select k.full_name, h.weight_g from hive h join member k on k.id = h.member_id
```
";

const IN_GRAMS: [&str; 4] =
    ["--convert", "hive.weight_g=weight_kg * 1000", "--convert-back", "hive.weight_kg=weight_g / 1000.0"];

fn with_rows(provider: Provider) -> Stage<'static> {
    let here = Stage::of(provider, BEFORE);
    here.project.migrate("first");
    here.sql("insert into keeper (id, name, email) values (1, 'Maren', 'm@x'), (2, 'Piet', 'p@x')");
    here.sql(
        "insert into hive (id, keeper_id, weight_kg, temper, left_at, right_at) \
         values (1, 1, 12.5, 'wild', 'l1', 'r1'), (2, 2, null, 'calm', 'l2', 'r2')",
    );
    here
}

fn draft(here: &Stage<'_>, title: &str, options: &[&str]) -> String {
    here.project.ok(&[&["draft", title], options].concat())
}

#[test]
fn renamed_swapped_and_converted_rows_go_there_and_back() {
    on_each_provider(|provider| {
        let here = with_rows(provider);
        let before = here.dump();
        here.project.declare(AFTER);
        let diff = here.project.ok(&["diff"]);
        assert!(!diff.contains("  drop") && !diff.contains("  add"), "{diff}");
        let live = here.project.ok(&["diff", "live", "declared"]);
        assert!(!live.contains("  drop") && !live.contains("  add"), "{live}");
        draft(&here, "better names", &IN_GRAMS);
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(here.query("select id, full_name, email from member order by id"), ["1|Maren|m@x", "2|Piet|p@x"]);
        assert_eq!(
            here.query("select id, member_id, weight_g, temper, left_at, right_at from hive order by id"),
            ["1|1|12500|angry|r1|l1", "2|2||calm|r2|l2"]
        );
        assert_eq!(here.query("select full_name from heavy order by 1"), ["Maren", "Piet"]);
        let next = here.project.ok(&["draft", "again"]);
        assert!(next.starts_with("up to date"), "a former name counts once: {next}");
        here.project.ok(&["revert", "--yes"]);
        assert_eq!(here.dump(), before);
        assert_eq!(
            here.query("select id, keeper_id, round(weight_kg, 1), temper, left_at, right_at from hive order by id"),
            ["1|1|12.5|wild|l1|r1", "2|2||calm|l2|r2"]
        );
    });
}

/// The dump of a database that came here by renames is that of one that was made so.
#[test]
fn nothing_of_the_old_names_is_left() {
    on_each_provider(|provider| {
        let here = with_rows(provider);
        here.project.declare(AFTER);
        draft(&here, "better names", &IN_GRAMS);
        here.project.ok(&["apply", "--yes"]);
        let made = Stage::of(provider, AFTER);
        made.project.migrate("first");
        assert_eq!(here.dump(), made.dump());
    });
}

#[test]
fn a_required_column_is_filled() {
    on_each_provider(|provider| {
        let here = with_rows(provider);
        let changed = BEFORE
            .replace("weight_kg:  decimal(6, 2), null", "weight_kg:  decimal(6, 2)")
            .replace("    left_at:", "    owner:      text(140)\n    mood:       temper\n    left_at:");
        here.project.declare(&changed);
        draft(
            &here,
            "required",
            &[
                "--fill",
                "hive.owner=((select k.name from keeper k where k.id = hive.keeper_id))",
                "--fill",
                "hive.weight_kg=1.5",
                "--fill",
                "hive.mood=calm",
            ],
        );
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        assert_eq!(
            here.query("select id, round(weight_kg, 1), owner, mood from hive order by id"),
            ["1|12.5|Maren|calm", "2|1.5|Piet|calm"]
        );
        here.project.ok(REVERT);
        assert_eq!(here.query("select count(*) from hive"), ["2"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn a_decision_that_does_not_fit_is_told() {
    let project = Project::applied(BEFORE);
    project.declare(AFTER);
    insta::assert_snapshot!(project.answers(&[
        &["draft", "names", "--rename", "member"],
        &["draft", "names", "--rename", "member.nam=full_name"],
        &["draft", "names", "--rename", "hive.keeper_id=owner_id"],
        &["draft", "names", "--fill", "hive.weight_g='much'"],
        &["draft", "names", "--fill", "hive.wait_g=1"],
        &["draft", "names", "--fill", "hive.temper=wilde"],
        &["draft", "names", "--convert", "hive.weight_g=weight_kg * 1000"],
        &[
            "draft",
            "names",
            "--convert",
            "hive.weight_g=(weight_kg * 1000",
            "--convert-back",
            "hive.weight_kg=weight_g"
        ],
    ]));
    assert!(!project.file("migrations/0002-names").exists());
}

#[test]
fn what_could_be_a_rename_is_asked() {
    let project = Project::applied(BEFORE);
    project.declare(&AFTER.replace(", formerly name", "").replace("    formerly keeper\n", ""));
    insta::assert_snapshot!(project.answers(&[
        &["draft", "names"],
        &["draft", "names", "--rename", "keeper=member"],
        &["draft", "names", "--rename", "keeper=member", "--rename", "keeper.name=full_name"],
    ]));
}

#[test]
fn a_former_name_is_one_things_and_not_its_own() {
    let project = Project::new(
        "enum temper { calm formerly calm, wild }\n\ntable keeper {\n    formerly keeper\n    id: int64, identity\n\
         \x20   name: text, formerly label\n    title: text, formerly label\n    primary key (id)\n}\n",
    );
    insta::assert_snapshot!(project.answers(&[&["check"]]));
}

/// Every so many boundaries one is killed at; all of them with `OAK_TEST_EVERY_BOUNDARY=1`.
fn stride() -> usize {
    if std::env::var_os("OAK_TEST_EVERY_BOUNDARY").is_some() { 1 } else { 7 }
}

#[test]
fn what_is_killed_while_values_change_is_finished_later() {
    on_each_provider(|provider| {
        let (mut kills, mut inside) = (0, 0);
        for up in [true, false] {
            for boundary in (1..).step_by(stride()) {
                let here = with_rows(provider);
                let before = rows(&here, true);
                here.project.declare(AFTER);
                draft(&here, "better names", &IN_GRAMS);
                if !up {
                    here.project.ok(&["apply", "--yes"]);
                }
                let arguments = if up { ["apply", "--yes"] } else { ["revert", "--yes"] };
                let mut child = here.project.spawn(&arguments, Some(boundary));
                if !here.project.pauses(&mut child) {
                    break;
                }
                child.kill().expect("it can be killed");
                child.wait().expect("it is gone");
                kills += 1;
                let interrupted = !here.status()["interrupted"].is_null();
                inside += usize::from(interrupted);
                if up && interrupted {
                    let refused = here.project.oak(&["revert", "--yes"]);
                    assert!(refused.stderr.contains("no safe way back"), "{refused:#?}");
                }
                // The event may have been written just before.
                if here.status()["pending"] != if up { 0 } else { 1 } {
                    here.project.ok(&arguments);
                }
                match up {
                    true => here.assert_same("live", "declared"),
                    false => assert_eq!(rows(&here, true), before),
                }
                if up {
                    here.project.ok(&["revert", "--yes"]);
                    assert_eq!(rows(&here, true), before);
                }
            }
        }
        println!("{}: {kills} kills, {inside} of them inside a migration", provider.title());
    });
}

/// The same where values are kept: killed at any boundary of the way back, everything comes back all the same.
#[test]
fn what_is_killed_while_kept_values_come_back_is_finished_later() {
    on_each_provider(|provider| {
        let mut kills = 0;
        for boundary in (1..).step_by(if stride() == 1 { 1 } else { 3 }) {
            let here = Stage::of(provider, NOTES);
            here.project.migrate("first");
            here.sql("insert into apiary (id, name) values (1, 'Lower Heath')");
            here.sql("insert into hive (id, apiary_id, notes, mark) values (1, 1, 'calm', 'white')");
            here.project.declare(&NOTES.replace("    notes:      text, null\n", ""));
            draft(&here, "retire notes", &["--keep"]);
            here.project.ok(&["apply", "--yes"]);
            let mut child = here.project.spawn(&["revert", "--yes"], Some(boundary));
            if !here.project.pauses(&mut child) {
                break;
            }
            child.kill().expect("it can be killed");
            child.wait().expect("it is gone");
            kills += 1;
            if here.status()["pending"] == 0 || !here.status()["interrupted"].is_null() {
                here.project.ok(&["revert", "--yes"]);
            }
            here.assert_same("live", "history@1");
            assert_eq!(here.query("select notes, mark from hive"), ["calm|white"]);
        }
        assert!(kills > 1, "{kills} kills");
    });
}

/// All rows, by the names from before or from after.
fn rows(here: &Stage<'_>, before: bool) -> Vec<String> {
    let (keepers, hives) = match before {
        true => ("name, email from keeper", "keeper_id, round(weight_kg, 2), temper, left_at, right_at from hive"),
        false => ("full_name, email from member", "member_id, weight_g, temper, left_at, right_at from hive"),
    };
    let mut found = here.query(&format!("select id, {keepers} order by id"));
    found.extend(here.query(&format!("select id, {hives} order by id")));
    found
}

const NOTES: &str = "\
enum colour { white, green }

table apiary {
    id:    int64, identity
    name:  text(80)

    primary key (id)
}

table hive {
    id:         int64, identity
    apiary_id:  references apiary
    notes:      text, null
    label:      text(20), default 'none'
    mark:       colour

    primary key (id)
}

table visit {
    hive_id:  references hive, on delete cascade
    on_day:   date
    weight:   decimal(6, 2), null
    mark:     colour, default green

    primary key (hive_id, on_day)
}
";

/// Columns, a table and the enum that they are of go, and come back with all that was in them.
#[test]
fn what_was_kept_comes_back() {
    on_each_provider(|provider| {
        let here = Stage::of(provider, NOTES);
        here.project.migrate("first");
        here.sql("insert into apiary (id, name) values (1, 'Lower Heath')");
        here.sql(
            "insert into hive (id, apiary_id, notes, label, mark) \
             values (1, 1, 'it''s calm', 'x', 'white'), (2, 1, null, 'y', 'green'), (3, 1, 'loud', 'z', 'green')",
        );
        here.sql("insert into visit values (1, '2026-05-01', 12.25, 'white'), (2, '2026-05-02', null, 'green')");
        let hives = "select id, notes, label, mark from hive order by id";
        let visits = "select hive_id, on_day, round(weight, 2), mark from visit order by hive_id";
        let (before, dump) = ([here.query(hives), here.query(visits)].concat(), here.dump());
        let (head, _) = NOTES.split_once("\ntable visit").expect("it is there");
        let bare =
            head.lines().filter(|line| !["notes:", "label:", "mark:", "enum "].iter().any(|word| line.contains(word)));
        here.project.declare(&(bare.collect::<Vec<_>>().join("\n") + "\n"));
        let drafted = draft(&here, "retire", &["--keep"]);
        assert!(drafted.contains("sets aside") && !drafted.contains("loses data"), "{drafted}");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        let kept = here.project.ok(&["kept", "list"]);
        assert!(kept.starts_with("4 kept tables"), "{kept}");
        // One row is changed, one is gone, and one comes.
        here.sql("delete from hive where id = 3");
        here.sql("insert into hive (id, apiary_id) values (4, 1)");
        let refused = here.project.oak(&["revert", "--yes"]);
        assert!(refused.status == 1, "a hive came meanwhile, and its mark is required: {refused:#?}");
        here.sql("delete from hive where id = 4");
        here.project.ok(&["revert", "--yes"]);
        let after = [here.query(hives), here.query(visits)].concat();
        let expected: Vec<_> = before.into_iter().filter(|row| !row.starts_with("3|")).collect();
        assert_eq!(after, expected);
        assert_eq!(here.dump(), dump);
        assert!(here.project.ok(&["kept", "list"]).starts_with("nothing is kept"));
    });
}

#[test]
fn kept_tables_are_listed_and_purged() {
    let here = Stage::of(Provider::Sqlite, NOTES);
    here.project.migrate("first");
    here.sql("insert into apiary (id, name) values (1, 'Lower Heath')");
    here.sql("insert into hive (id, apiary_id, notes, mark) values (1, 1, 'calm', 'white')");
    here.project.declare(&NOTES.replace("    notes:      text, null\n", ""));
    draft(&here, "retire notes", &["--keep", "hive.notes"]);
    here.project.ok(&["apply", "--yes"]);
    let listed = here.project.ok(&["kept", "list"]);
    assert!(listed.contains("_hive_notes  1 row  by 0002-retire-notes, since 20"), "{listed}");
    assert!(
        here.project.ok(&["kept", "purge", "--before", "2001-01-01", "--yes"]).starts_with("nothing that was kept")
    );
    here.project.ok(&["kept", "purge", "--before", "2999-01-01", "--yes"]);
    assert!(here.project.ok(&["kept", "list"]).starts_with("nothing is kept on dev"));
    let refused = here.project.oak(&["revert", "--yes"]);
    assert!(refused.stderr.contains("that is not there any more"), "{refused:#?}");
    let less =
        NOTES.replace("    notes:      text, null\n", "").replace("    label:      text(20), default 'none'\n", "");
    here.project.declare(&less);
    insta::assert_snapshot!(here.project.answers(&[
        &["draft", "again", "--keep", "hive.lable"],
        &["draft", "again", "--keep", "hive.mark"],
        &["draft", "again", "--keep", "hive"],
        &["kept", "purge", "--before", "yesterday"],
    ]));
}

/// What loses data is applied only with a recorded word for it, and an edited step is another one.
#[test]
fn losing_data_has_to_be_accepted() {
    let here = Stage::of(Provider::Sqlite, NOTES);
    here.project.migrate("first");
    here.project.declare(&NOTES.replace("    notes:      text, null\n", ""));
    here.project.ok(&["draft", "retire notes"]);
    insta::assert_snapshot!(here.project.answers(&[
        &["apply", "--yes"],
        &["review", "--accept", "loses-data"],
        &["review", "--accept", "loses-data", "--because", " "],
        &["review", "1", "--accept", "loses-data", "--because", "nobody reads them"],
        &["review", "--accept", "loses-data", "--because", "nobody reads them"],
        &["review", "--accept", "loses-data", "--because", "nobody reads them"],
    ]));
    assert!(here.project.ok(&["review"]).contains("accepted: nobody reads them ("));
    here.project.ok(&["apply", "--yes"]);
    assert!(here.query("select name from pragma_table_info('hive')").iter().all(|name| name != "notes"));
}

#[test]
fn what_rows_get_in_a_required_column_is_pointed_out() {
    let project = Project::applied(BEFORE);
    project
        .declare(&BEFORE.replace("weight_kg:  decimal(6, 2), null", "weight_kg:  decimal(6, 2)\n    owner: text(20)"));
    insta::assert_snapshot!(project.answers(&[
        &["draft", "required"],
        &["discard"],
        &["draft", "required", "--fill", "hive.weight_kg=0", "--fill", "hive.owner='the cooperative'"],
    ]));
}

/// A view or trigger of somebody's own that names what is renamed: MariaDB would leave it broken, so that is refused;
/// PostgreSQL and SQLite follow.
#[test]
fn sql_of_somebodys_own_survives_a_rename_or_stops_it() {
    on_each_provider(|provider| {
        let here = with_rows(provider);
        here.sql("create view names_by_hand as select name from keeper");
        here.project.declare(AFTER);
        draft(&here, "better names", &IN_GRAMS);
        if matches!(provider, Provider::Mariadb | Provider::Mysql) {
            let refused = here.project.oak(&["apply", "--yes"]);
            let expected = "would leave view names_by_hand on dev without keeper, which it names";
            assert!(refused.status == 1 && refused.stderr.contains(expected), "{refused:#?}");
            here.assert_same("live", "history@1");
            here.sql("drop view names_by_hand");
            here.sql("create trigger loud before insert on keeper for each row set new.name = upper(new.name)");
            let refused = here.project.oak(&["apply", "--yes"]);
            assert!(refused.stderr.contains("trigger loud on dev without keeper.name"), "{refused:#?}");
            here.sql("drop trigger loud");
            here.project.ok(&["apply", "--yes"]);
        } else {
            here.project.ok(&["apply", "--yes"]);
            assert_eq!(here.query("select * from names_by_hand order by 1"), ["Maren", "Piet"]);
        }
    });
}

/// A column that is dropped and added again is there for a view of somebody's own all the same; PostgreSQL does not drop it.
#[test]
fn a_view_stays_on_a_column_that_becomes_a_computed_one() {
    on_each_provider(|provider| {
        let plain = "table keeper {\n    name: text(20), primary key\n    shout: text(20), null\n}\n";
        let here = Stage::of(provider, plain);
        here.project.migrate("first");
        here.sql("create view loud as select name, shout from keeper");
        here.sql("insert into keeper (name) values ('maren')");
        here.project.declare(&plain.replace("null", "null, generated (upper(name))"));
        here.project.ok(&["draft", "second"]);
        let accepted = here.project.oak(&["review", "2", "--accept", "loses-data", "--because", "they are computed"]);
        assert!(accepted.status == 0 || accepted.stderr.contains("nothing to accept"), "{accepted}");
        if provider == Provider::Postgres {
            let refused = here.project.oak(&["apply", "--yes"]);
            assert!(refused.stderr.contains("view loud depends on column shout"), "{refused}");
            here.assert_same("live", "history@1");
            return;
        }
        here.project.ok(&["apply", "--yes"]);
        assert_eq!(here.query("select shout from loud"), ["MAREN"]);
        here.project.ok(crate::support::REVERT);
        assert_eq!(here.query("select name from loud where shout is null or shout = 'MAREN'"), ["maren"]);
    });
}

/// A run keeps the description of a view that it makes again, but not in place of the declared one; and a view that calls
/// one of several routines of a name goes before that one does.
#[test]
fn a_view_that_is_made_again_is_described_as_declared() {
    on_each_provider(|provider| {
        if provider != Provider::Postgres {
            return;
        }
        let here = Stage::of(provider, "table keeper {\n    name: text(20), primary key\n}\n");
        here.project.migrate("first");
        here.sql("create function shout(text) returns text language sql immutable as 'select upper($1)'");
        here.sql("create function shout(text, int) returns text language sql as 'select repeat(upper($1), $2)'");
        here.sql("create view loud as select name, shout(name) as shouted from keeper");
        here.sql("comment on view loud is 'once'");
        here.project.ok(&["absorb", "loud", "shout(text)", "shout(text,integer)", "--yes"]);
        let described = || here.query("select coalesce(obj_description('loud'::regclass), 'nothing')");

        let second = here
            .project
            .read("schema/schema.oak")
            .replace("public.shout(text)\n     RETURNS text", "public.shout(text)\n     RETURNS varchar")
            .replace("about \"once\"", "about \"twice\"");
        here.project.declare(&second);
        here.project.migrate("another result");
        assert_eq!(described(), ["twice"]);

        here.project.declare(&second.replace(", about \"twice\"", "").replace("AS shouted", "AS shouted, 1 AS one"));
        here.project.migrate("no description");
        assert_eq!(described(), ["nothing"]);

        here.project.ok(&["revert", "--to", "2", "--yes"]);
        assert_eq!(described(), ["once"]);
        here.assert_same("live", "history@2");
    });
}

/// Words in a column of a primary key, with a reference to it.
#[test]
fn words_of_a_key_are_renamed_with_their_references() {
    let tables = "table kind {\n    mark: colour, primary key\n    label: text(20), null\n}\n\n\
                  table thing {\n    id: int64, identity\n    mark: references kind, default white\n    primary key (id)\n}\n";
    on_each_provider(|provider| {
        let here = Stage::of(provider, &format!("enum colour {{ white, green, blue }}\n\n{tables}"));
        here.project.migrate("first");
        here.sql("insert into kind (mark, label) values ('white', 'w'), ('green', 'g'), ('blue', 'b')");
        here.sql("insert into thing (mark) values ('white'), ('blue')");
        let words = "enum colour { pale formerly white, green, deep formerly blue }";
        here.project.declare(&format!("{words}\n\n{}", tables.replace("default white", "default pale")));
        here.project.migrate("second");
        here.assert_same("live", "declared");
        assert_eq!(here.query("select mark from thing order by id"), ["pale", "deep"]);
        here.project.ok(&["revert", "--yes"]);
        assert_eq!(here.query("select mark from thing order by id"), ["white", "blue"]);
        assert_eq!(here.query("select label from kind where mark = 'blue'"), ["b"]);
    });
}

/// Rows come, change and go between up and down: down converts them all, what was filled stays, and what was kept comes
/// back to the rows that it was of.
#[test]
fn rows_of_in_between_come_down_as_it_is_promised() {
    let before = "table hive {\n    id:    int32, primary key\n    kg:    int32, null\n    site:  text(20), null\n    \
                  note:  text(20), null\n}\n";
    on_each_provider(|provider| {
        let here = Stage::of(provider, before);
        here.project.migrate("first");
        here.sql(
            "insert into hive (id, kg, site, note) values (1, 2, null, 'a'), (2, 3, 'south', 'b'), (3, 4, 'west', 'c')",
        );
        here.project.declare(
            &before
                .replace("kg:    int32, null", "g:     int32, null, formerly kg")
                .replace("site:  text(20), null", "site:  text(20)")
                .replace("    note:  text(20), null\n", ""),
        );
        let options =
            ["--convert", "hive.g=g * 1000", "--convert-back", "hive.kg=kg / 1000", "--fill", "hive.site='north'"];
        let drafted = here.project.draft("grams", &[&options[..], &["--keep"]].concat());
        assert!(drafted.contains("down converts every row that is there by then"), "{drafted}");
        assert!(drafted.contains("rows that get their hive.site here keep it after down"), "{drafted}");
        assert!(drafted.contains("rows that are written until then get none"), "{drafted}");
        here.project.ok(&["apply", "--yes"]);
        assert_eq!(
            here.query("select id, g, site from hive order by id"),
            ["1|2000|north", "2|3000|south", "3|4000|west"]
        );
        here.sql("update hive set g = 9000, site = 'east' where id = 2");
        here.sql("delete from hive where id = 3");
        here.sql("insert into hive (id, g, site) values (4, 7000, 'hill')");
        let reverted = here.project.ok(&["revert", "--yes"]);
        assert!(reverted.contains("1 of 3 rows of hive was written since note was put aside"), "{reverted}");
        assert_eq!(
            here.query("select id, kg, site, note from hive order by id"),
            ["1|2|north|a", "2|9|east|b", "4|7|hill|"]
        );
        here.assert_same("live", "history@1");
    });
}

/// PostgreSQL refuses to convert what is computed, and MariaDB and MySQL have nothing in the way of it.
#[test]
fn a_computed_column_gets_another_type() {
    on_each_provider(|provider| {
        let declarations = "table hive {\n    id:   int64\n    kg:   int32\n    net:  int32, null, generated (kg - 2)\n    \
             half: int64, null, generated (kg - 5)\n    primary key (id)\n    index (net)\n}\n";
        let here = Stage::of(provider, declarations);
        here.project.migrate("first");
        here.sql("insert into hive (id, kg) values (1, 40)");
        let before = here.dump();
        let text = declarations.replace("net:  int32", "net:  text(9)").replace("half: int64", "half: int16");
        here.project.declare(&text);
        here.project.migrate("types");
        assert_eq!(here.query("select net, half from hive"), ["38|35"]);
        here.assert_same("live", "declared");
        here.project.ok(REVERT);
        assert_eq!(here.query("select net, half from hive"), ["38|35"]);
        here.assert_same("live", "history@1");
        assert_eq!(here.dump(), before);
    });
}

/// MariaDB makes `code <> 0` of the check while the column holds numbers, and would leave it so.
#[test]
fn a_check_says_the_same_when_its_column_was_another_type_for_a_while() {
    on_each_provider(|provider| {
        let declarations = "table hive {\n    id:    int64\n    code:  text(20)\n    primary key (id)\n    check (code <> 'never')\n}\n";
        let here = Stage::of(provider, declarations);
        here.project.migrate("first");
        let before = here.dump();
        here.project.declare(&declarations.replace("text(20)", "int64").replace("'never'", "7"));
        here.project.migrate("numbers");
        here.assert_same("live", "declared");
        here.project.ok(REVERT);
        here.assert_same("live", "history@1");
        assert_eq!(here.dump(), before);
        // The check stays as it is written. The others compare no number with a text that is none.
        if matches!(provider, Provider::Sqlite | Provider::Mariadb) {
            here.project.declare(&declarations.replace("text(20)", "int64"));
            here.project.ok(&["discard"]);
            here.project.migrate("numbers");
            here.project.ok(REVERT);
            assert_eq!(here.dump(), before);
            here.sql("insert into hive (id, code) values (1, '0')");
        }
    });
}
