//! The rows of a target are counted before a migration meets them: what it would refuse, and what would be lost.

use crate::support::stage::{Stage, on_each_provider};
use crate::support::{Answer, Project, REVERT};
use hollow_oak_core::Provider;

const BEFORE: &str = "\
enum temper { calm, lively, wild }

table keeper {
    id:    int32, primary key
    name:  text(40)
}

table hive {
    id:         int32, primary key
    code:       text(12)
    keeper_id:  int32, null
    site:       text(40), null
    temper:     temper
    notes:      text, null
    weight_g:   int64, null
    frames:     int32, default 10
}
";

const ROWS: [&str; 2] = [
    "insert into keeper (id, name) values (1, 'Maren Oakhollow')",
    "insert into hive (id, code, keeper_id, site, temper, notes, weight_g, frames) values \
     (1, 'H1', 1, 'Lower Heath', 'calm', 'it''s calm', 12000, 10), (2, 'H2', null, null, 'calm', null, 9000, 11), \
     (3, 'H1', 7, null, 'wild', 'stings', null, 10), (4, 'H-long', 1, 'Gorse Hill', 'wild', null, 5000000000, 10)",
];

const HIVES: &str = "select id, code, keeper_id, site, temper, notes, weight_g, frames from hive order by id";

fn filled(provider: Provider) -> Stage<'static> {
    let here = Stage::of(provider, BEFORE);
    here.project.migrate("first");
    for rows in ROWS {
        here.sql(rows);
    }
    here
}

#[track_caller]
fn assert_says(answer: &Answer, sentences: &[&str]) {
    for sentence in sentences {
        assert!(answer.stderr.contains(sentence), "{sentence} is not in {answer}");
    }
}

#[test]
fn what_a_new_column_begins_with_is_no_risk_where_every_rule_allows_it() {
    on_each_provider(|provider| {
        let here = filled(provider);
        let before = here.query(HIVES);
        let more = "mood:       temper, default calm\n    second:     temper, null\n    tag:        text(12), null, unique\n    \
                    helper_id:  int32, null, references keeper\n    notes:";
        here.project.declare(&BEFORE.replace("notes:", more));
        let drafted = here.project.draft("moods", &[]);
        assert!(!drafted.contains("may refuse"), "{provider}: {drafted}");
        here.project.ok(&["apply", "--yes"]);
        assert_eq!(here.query("select count(*) from hive where mood = 'calm' and second is null"), ["4"], "{provider}");
        assert_eq!(here.query(HIVES), before, "{provider}");
    });
}

#[test]
fn what_would_be_refused_is_counted_before_anything_runs() {
    on_each_provider(|provider| {
        let here = filled(provider);
        let before = here.query(HIVES);
        here.project.declare(
            &BEFORE
                .replace("calm, lively, wild", "calm, lively")
                .replace("int32, null\n    site", "int32, null, references keeper\n    site")
                .replace("text(40), null", "text(40)")
                .replace(
                    "frames:     int32, default 10\n",
                    "frames:     int32, default 10\n    unique (code)\n    check (frames < 11)\n",
                ),
        );
        here.project.draft("stricter", &["--fill", "hive.site='Stillwater Meadow'"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert_eq!(refused.status, 1, "{refused}");
        assert_says(
            &refused,
            &[
                "0002-stricter would be refused: rows on dev are in its way",
                "2 of 4 rows of hive share code with another row",
                "1 of 4 rows of hive references by keeper_id what keeper does not have",
                "1 of 4 rows of hive does not meet (frames < 11)",
            ],
        );
        let words = match provider {
            Provider::Sqlite => "2 of 4 rows of hive do not meet (temper in ('calm', 'lively'))",
            Provider::Postgres => "hive.temper is wild in 2 of 4 rows, and no such word is left",
            _ => "hive.temper does not fit temper in 2 of 4 rows",
        };
        assert_says(&refused, &[words]);
        assert!(!refused.stderr.contains("site"), "it is filled: {refused}");
        here.assert_same("live", "history@1");
        assert_eq!(here.query(HIVES), before);
        for mended in [
            "update hive set code = 'H3' where id = 3",
            "update hive set keeper_id = 1 where id = 3",
            "update hive set frames = 9 where id = 2",
            "update hive set temper = 'lively' where temper = 'wild'",
        ] {
            here.sql(mended);
        }
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
    });
}

/// Rows that all get one value are in each other's way where it may be there only once.
#[test]
fn what_is_filled_into_a_key_is_counted_as_it_will_be() {
    on_each_provider(|provider| {
        let here = filled(provider);
        let keyed =
            format!("{}    unique one_hive_per_site (site, keeper_id)\n}}\n", BEFORE.trim_end().trim_end_matches('}'));
        here.project.declare(&keyed);
        here.project.migrate("one hive");
        here.project
            .declare(&keyed.replace("int32, null\n    site:       text(40), null", "int32\n    site:       text(40)"));
        let fills = ["--fill", "hive.site='Gorse Hill'", "--fill", "hive.keeper_id=1"];
        let drafted = here.project.draft("stricter", &fills);
        let counted = "2 of 4 rows of hive share site, keeper_id with another row, once it is filled";
        assert!(
            drafted.contains("does not meet the keys and checks of hive") && drafted.contains(counted),
            "{drafted}"
        );
        let refused = here.project.oak(&["apply", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains(counted), "{refused}");
        here.assert_same("live", "history@2");
        here.sql("update hive set site = 'Stillwater Meadow' where id = 4");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
    });
}

/// Told that it may try, the tool leaves it to the server, and the journal says so.
#[test]
fn what_is_counted_can_be_tried_all_the_same() {
    on_each_provider(|provider| {
        let here = filled(provider);
        here.project.declare(&BEFORE.replace("text(40), null", "text(40)"));
        here.project.ok(&["draft", "stricter"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert_says(&refused, &["hive.site becomes required, and 2 of 4 rows have none"]);
        let tried = here.project.oak(&["apply", "--yes", "--despite", "rows"]);
        assert!(tried.status == 1 && !tried.stderr.contains("would be refused"), "{tried}");
        here.sql("update hive set site = 'Lower Heath' where site is null");
        let applied = here.project.ok(&["apply", "--yes", "--despite", "rows", "--json"]);
        let applied: serde_json::Value = serde_json::from_str(&applied).expect("it is JSON");
        // What goes on in the middle of a migration is not counted again.
        let counted = match provider {
            Provider::Mariadb | Provider::Mysql => None,
            _ => Some((&applied["counted"][0]["matter"], &applied["counted"][0]["rows"])),
        };
        assert!(counted.is_none_or(|counted| counted == (&"refused".into(), &0.into())), "{applied}");
        here.assert_same("live", "declared");
    });
}

/// A value that an expression should give is looked for before it is required.
#[test]
fn rows_that_an_expression_leaves_without_a_value_are_counted() {
    on_each_provider(|provider| {
        let here = filled(provider);
        let before = here.query(HIVES);
        // The label is made of a column that goes, the site of another table's, the weight of itself.
        here.project.declare(
            &BEFORE
                .replace("text(40), null\n    temper", "text(40)\n    temper")
                .replace("notes:      text, null", "label:      text(80)")
                .replace("weight_g:   int64, null", "weight_g:   text(40)"),
        );
        let fill = |site: &str| [format!("hive.site={site}"), "hive.label=(notes)".to_owned()];
        let [site, label] = fill("(select name from keeper where keeper.id = hive.keeper_id)");
        let (text, number) = match provider {
            Provider::Mariadb | Provider::Mysql => ("char", "signed"),
            _ => ("text", "bigint"),
        };
        let convert = format!("hive.weight_g=(cast(weight_g as {text}))");
        let back = format!("hive.weight_g=(cast(weight_g as {number}))");
        let decided = ["--fill", &site, "--fill", &label, "--convert", &convert, "--convert-back", &back];
        here.project.draft("fuller", &[&decided[..], &["--no-rename", "hive.notes"]].concat());
        let reviewed = here.project.ok(&["review"]);
        for column in ["site", "label"] {
            let risk = format!("may refuse: fails if a row of hive gets no {column} by its expression");
            assert!(reviewed.contains(&risk), "{reviewed}");
        }
        let refused = here.project.oak(&["apply", "--yes"]);
        assert_eq!(refused.status, 1, "{refused}");
        assert_says(
            &refused,
            &[
                "hive.site is required, and its expression gives 2 of 4 rows none",
                "hive.label is required, and its expression gives 2 of 4 rows none",
                "hive.weight_g is required, and its expression gives 1 of 4 rows none",
            ],
        );
        here.assert_same("live", "history@1");
        assert_eq!(here.query(HIVES), before);
        here.sql("update hive set keeper_id = 1, notes = 'stings', weight_g = 7");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        let sites = "select id, site, label, weight_g from hive order by id";
        assert_eq!(here.query(sites)[1..3], ["2|Maren Oakhollow|stings|7", "3|Maren Oakhollow|stings|7"]);
    });
}

/// What another collation sees as equal is no key any more.
#[test]
fn rows_that_another_collation_sees_as_equal_are_counted() {
    on_each_provider(|provider| {
        let [exact, equal] = match provider {
            Provider::Sqlite => ["binary", "nocase"],
            Provider::Mariadb | Provider::Mysql => ["utf8mb4_bin", "utf8mb4_general_ci"],
            // It has no collation of this kind that nobody made.
            _ => return,
        };
        let declared = |collation: &str| {
            let code = format!("code:       text(12), collate \"{collation}\", unique");
            BEFORE.replace("code:       text(12)", &code)
        };
        let here = Stage::of(provider, &declared(exact));
        here.project.migrate("first");
        here.sql("insert into hive (id, code, temper) values (1, 'h1', 'calm'), (2, 'H1', 'calm'), (3, 'H3', 'wild')");
        here.project.declare(&declared(equal));
        here.project.ok(&["draft", "equal"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert_eq!(refused.status, 1, "{refused}");
        assert_says(&refused, &["2 of 3 rows of hive share code with another row"]);
        here.sql("update hive set code = 'H2' where id = 2");
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn a_draft_beside_a_target_says_what_it_holds() {
    on_each_provider(|provider| {
        let here = filled(provider);
        here.project.declare(
            &BEFORE
                .replace("    notes:      text, null\n", "")
                .replace("    frames:     int32, default 10\n", "")
                .replace("weight_g:   int64", "weight_g:   int32"),
        );
        let drafted = here.project.ok(&["draft", "less", "--json"]);
        let drafted: serde_json::Value = serde_json::from_str(&drafted).expect("it is JSON");
        let counted = drafted["counted"]["answers"].as_array().unwrap_or_else(|| panic!("{drafted:#}"));
        let said = |matter: &str, what: &str, rows: u64| {
            counted
                .iter()
                .any(|one| one["matter"] == matter && one["what"] == what && one["rows"] == rows && one["of"] == 4)
        };
        assert!(said("lost", "the values of hive.notes are lost in 2 of 4 rows", 2), "{counted:#?}");
        let frames = "the value of hive.frames is lost in 1 of 4 rows, where it is not 10";
        assert!(said("lost", frames, 1), "{counted:#?}");
        if provider != Provider::Sqlite {
            assert!(said("refused", "hive.weight_g does not fit int32 in 1 of 4 rows", 1), "{counted:#?}");
        }
        let shown = here.project.ok(&["redraft"]);
        assert!(shown.contains("counted on dev now"), "{shown}");
        assert!(shown.contains("would be lost: the values of hive.notes are lost in 2 of 4 rows"), "{shown}");
        // A target that is somewhere else says nothing about it.
        here.project.ok(&["draft", "--empty", "later"]);
        here.project.declare(&BEFORE.replace("    notes:      text, null\n", ""));
        let beyond = here.project.ok(&["draft", "more"]);
        assert!(!beyond.contains("counted on"), "{beyond}");
    });
}

#[test]
fn a_revert_that_loses_rows_needs_a_reason_and_the_journal_keeps_it() {
    on_each_provider(|provider| {
        let here = filled(provider);
        here.project.declare(
            &BEFORE
                .replace(
                    "frames:     int32, default 10\n",
                    "frames:     int32, default 10\n    queen:      text(20), null\n",
                )
                .replace("text(40), null", "text(40), null, default 'Lower Heath'"),
        );
        here.project.migrate("queens");
        // Nothing is lost: nobody has to say anything.
        here.project.ok(&["revert", "--yes"]);
        here.project.ok(&["apply", "--yes"]);
        here.sql("update hive set queen = 'Mirabel' where id in (1, 2, 3)");
        let refused = here.project.oak(&["revert", "--yes"]);
        assert_eq!(refused.status, 1, "{refused}");
        assert_says(
            &refused,
            &[
                "reverting 0002-queens on dev loses data, and nobody has accepted that",
                "the values of hive.queen are lost in 3 of 4 rows",
                "`oak revert --accept loses-data --because \"…\"`",
            ],
        );
        let empty = here.project.oak(&["revert", "--yes", "--accept", "loses-data", "--because", " "]);
        assert!(empty.status == 2 && empty.stderr.contains("the reason is empty"), "{empty}");
        assert_eq!(here.query("select count(*) from hive where queen = 'Mirabel'"), ["3"]);
        here.project.ok(REVERT);
        here.assert_same("live", "history@1");
        let reasons = "select reason, overrides from hollow_oak_journal where event = 'reverted' order by seq";
        assert_eq!(here.query(reasons), ["|", "it is a test|loses-data"]);
        // A target for playing says so once and for all.
        here.project.ok(&["apply", "--yes"]);
        here.sql("update hive set queen = 'Mirabel'");
        let settings = here.project.read("hollow-oak.toml");
        here.project
            .write("hollow-oak.toml", &settings.replace("[targets.dev]\n", "[targets.dev]\ndisposable = true\n"));
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn several_migrations_at_once_say_what_is_lost_by_all_of_them() {
    on_each_provider(|provider| {
        let here = filled(provider);
        let more = BEFORE.replace("default 10\n", "default 10\n    queen:      text(20), null\n");
        here.project.declare(&more);
        here.project.migrate("queens");
        here.project.declare(&more.replace("queen:      text(20), null", "queen_name: text(20), null, formerly queen"));
        here.project.migrate("names");
        here.sql("update hive set queen_name = 'Mirabel' where id = 1");
        let refused = here.project.oak(&["revert", "--to", "1", "--yes"]);
        assert_says(&refused, &["the value of hive.queen_name is lost in 1 of 4 rows"]);
        assert!(!refused.stderr.contains("4 rows of hive are lost"), "{refused}");
        here.project.ok(&["revert", "--to", "2", "--yes"]);
        assert_says(&here.project.oak(&["revert", "--yes"]), &["the value of hive.queen is lost in 1 of 4 rows"]);
        here.project.ok(REVERT);
        assert_eq!(here.query("select count(*) from hive"), ["4"]);
    });
}

#[test]
fn rows_that_came_since_values_were_put_aside_are_told_or_refused() {
    on_each_provider(|provider| {
        for required in [false, true] {
            let null = if required { "" } else { ", null" };
            let before = BEFORE.replace("notes:      text, null", &format!("notes:      text(20){null}"));
            let here = Stage::of(provider, &before);
            here.project.migrate("first");
            here.sql(
                "insert into hive (id, code, temper, notes) values (1, 'H1', 'calm', 'a'), (2, 'H2', 'calm', 'b')",
            );
            here.project.declare(&before.replace(&format!("    notes:      text(20){null}\n"), ""));
            here.project.draft("less", &["--keep"]);
            here.project.ok(&["apply", "--yes"]);
            here.sql("insert into hive (id, code, temper) values (3, 'H3', 'calm')");
            here.sql("delete from hive where id = 2");
            let answer = here.project.oak(&["revert", "--yes"]);
            let sentence = "1 of 2 rows of hive was written since notes was put aside, or got another key";
            assert!(answer.stdout.contains(sentence), "{answer}");
            if required {
                assert!(answer.status == 1 && answer.stderr.contains(sentence), "{answer}");
                here.sql("delete from hive where id = 3");
                here.project.ok(&["revert", "--yes"]);
                assert_eq!(here.query("select id, notes from hive order by id"), ["1|a"]);
            } else {
                assert_eq!(answer.status, 0, "{answer}");
                assert_eq!(here.query("select id, notes from hive order by id"), ["1|a", "3|"]);
            }
            here.assert_same("live", "history@1");
        }
    });
}

/// Words that come and go while rows hold them, both ways.
#[test]
fn words_of_an_enum_come_and_go_while_rows_hold_them() {
    on_each_provider(|provider| {
        let here = filled(provider);
        here.project.declare(&BEFORE.replace("calm, lively, wild", "drowsy, calm, lively"));
        here.project.ok(&["draft", "kinder"]);
        let refused = here.project.oak(&["apply", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("2 of 4 rows"), "{refused}");
        here.project.ok(&["redraft", "--replace", "temper.wild=lively", "--replace", "temper.drowsy=calm"]);
        assert!(here.project.read("migrations/0002-kinder/record.toml").contains("temper.wild=lively"));
        let reviewed = here.project.ok(&["review"]);
        assert!(reviewed.contains("--replace temper.wild=lively"), "{reviewed}");
        if reviewed.contains("loses data:") {
            here.project.ok(&["review", "--accept", "loses-data", "--because", "wild is lively"]);
        }
        here.project.ok(&["apply", "--yes"]);
        here.assert_same("live", "declared");
        let tempers = "select id, temper from hive order by id";
        assert_eq!(here.query(tempers), ["1|calm", "2|calm", "3|lively", "4|lively"]);
        here.sql("update hive set temper = 'drowsy' where id = 1");
        here.project.ok(REVERT);
        here.assert_same("live", "history@1");
        assert_eq!(here.query(tempers), ["1|calm", "2|calm", "3|lively", "4|lively"]);
        // Without a word for those that come, the way back is refused while a row has one.
        here.project.ok(&["redraft"]);
        here.project.ok(&["discard"]);
        here.project.declare(&BEFORE.replace("calm, lively, wild", "calm, lively, wild, drowsy"));
        here.project.migrate("sleep");
        here.sql("update hive set temper = 'drowsy' where id = 1");
        let refused = here.project.oak(&["revert", "--yes"]);
        assert!(refused.status == 1 && refused.stderr.contains("1 of 4 rows"), "{refused}");
        here.assert_same("live", "declared");
        here.sql("update hive set temper = 'calm' where id = 1");
        here.project.ok(&["revert", "--yes"]);
        here.assert_same("live", "history@1");
    });
}

#[test]
fn a_word_to_replace_that_does_not_fit_is_told() {
    let project = Project::applied(BEFORE);
    project.declare(&BEFORE.replace("calm, lively, wild", "calm, lively"));
    insta::assert_snapshot!(project.answers(&[
        &["draft", "kinder", "--replace", "temper.wild=soft"],
        &["draft", "kinder", "--replace", "temper.wyld=calm"],
        &["draft", "kinder", "--replace", "tempr.wild=calm"],
        &["draft", "kinder", "--replace", "temper.wild"],
        &["draft", "kinder", "--replace", "temper.calm=lively"],
    ]));
}
