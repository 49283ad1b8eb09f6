//! Laws of the language: no text makes the parser panic, and the standard form says the same as what was written.

use hollow_oak_core::language::{Source, declare, is_printed, parse, print, resolve};
use proptest::prelude::*;

/// Every form of the language, for tests that cut it up.
const SAMPLE: &str = r#"# keepers and hives
enum temper { calm, watchful, 'easily upset' } # how it is
table keeper { # members
    about "A member"
    id:   int64, identity # the number
    name: text(120), null, default 'it''s' # who
        , unique # only one
    mentor_id: references keeper, null, on delete set null, deferrable initially deferred

    # keys
    primary key (id)
    unique one (name,
        # both
        id), nulls equal, except sqlite
    check (id > 0 and name <> ')' -- why
    )
}
table "Order Line" {
    option "strict" for sqlite
    shape: native "POINT" for sqlite, native "geometry" for postgres, null
    "Order Line": int32
    a: int64, null
    b: text
    temper: temper, default calm
    net: decimal(6, 2), generated virtual (a - "b"), collate "nocase" for sqlite
    at: instant(3), default now, on update now
    tags: text[], for postgres
    keeper_id: int64, references keeper(id), named k, on delete cascade, on delete restrict for postgres, indexed except sqlite
    primary key pk ("Order Line")
    foreign key two (a, b) references other (c, d) on update cascade indexed
    unique index i ((lower(a)) desc nulls first, b prefix(3) collate "c" operators "o") where (a > 1) including (temper) using btree
} except mysql
table other {
    c: int64
    d: text
    primary key (c, d)
}
"#;

/// A form that is read and not acted on yet.
const LATER: &str = "view v ```\n  select 1\n``` for sqlite\nrows t by (code) {\n  code | label\n  'a'  | 'b'\n}\n";

/// The comments of a text, wherever they stand.
fn comments(text: &str) -> Vec<String> {
    let mut found: Vec<_> =
        text.lines().filter_map(|line| line.split_once('#').map(|(_, comment)| comment.trim().to_owned())).collect();
    found.sort();
    found
}

fn holds(text: &str) -> Result<(), TestCaseError> {
    let (file, mistakes) = parse(text);
    for mistake in &mistakes {
        prop_assert!(text.get(mistake.span.start..mistake.span.end).is_some(), "{mistake:?} in {text}");
    }
    let sources = [Source { name: "a.oak".into(), text: text.to_owned() }];
    let resolution = resolve(&sources);
    for diagnostic in &resolution.diagnostics {
        prop_assert!(diagnostic.position(&sources).is_some(), "{diagnostic:?}");
    }
    if !mistakes.is_empty() {
        return Ok(());
    }
    let once = print(&file);
    let (again, mistakes) = parse(&once);
    prop_assert!(mistakes.is_empty(), "{mistakes:?}\n{text}\n---\n{once}");
    prop_assert_eq!(&print(&again), &once, "{}", text);
    if let Some(schema) = resolution.schema {
        let formatted = resolve(&[Source { name: "a.oak".into(), text: once }]);
        prop_assert_eq!(formatted.schema.as_ref(), Some(&schema), "{}", text);
        let declared = print(&declare(&schema));
        let read = resolve(&[Source { name: "a.oak".into(), text: declared.clone() }]);
        prop_assert_eq!(read.schema.as_ref(), Some(&schema), "{}", declared);
        prop_assert!(is_printed(&declared, &schema), "{}", declared);
        for other in [format!("{declared}\n"), format!("\n{declared}"), declared.replacen('{', "{ ", 1)] {
            prop_assert_eq!(is_printed(&other, &schema), other == declared, "{}", other);
        }
    }
    Ok(())
}

#[test]
fn the_sample_is_laid_out_with_all_its_comments() {
    let text = format!("{SAMPLE}{LATER}");
    holds(&text).expect("the laws hold for it");
    let sample = [Source { name: "a.oak".into(), text: SAMPLE.to_owned() }];
    assert_eq!(resolve(&sample).diagnostics, [], "the sample is valid, so that its meaning is compared too");
    holds(SAMPLE).expect("the laws hold for it");
    let (file, mistakes) = parse(&text);
    assert_eq!(mistakes, []);
    let once = print(&file);
    assert_eq!(comments(&once), comments(&text));
    insta::assert_snapshot!(once);
}

fn boundary(text: &str, at: usize) -> usize {
    let mut at = at % (text.len() + 1);
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1000, ..ProptestConfig::default() })]

    #[test]
    fn any_text_is_read(text in "\\PC{0,60}") {
        holds(&text)?;
    }

    #[test]
    fn words_of_the_language_in_any_order_are_read(words in prop::collection::vec(
        prop::sample::select(vec![
            "table", "enum", "a", "\"B c\"", "{", "}", "(", ")", ",", ":", "\n", "#x\n", "int64", "text(3)", "null", "default", "'t'",
            "primary", "key", "unique", "index", "references", "on", "delete", "set", "check", "(x > 0)", "for", "sqlite", "except",
            "identity", "native", "\"T\"", "generated", "7", "[]", "```\nx\n```", "view", "rows", "|", "about",
        ]), 0..40))
    {
        holds(&words.join(" "))?;
    }

    #[test]
    fn a_sample_with_a_piece_cut_out_or_put_elsewhere_is_read(from in 0usize..3000, length in 0usize..60, to in 0usize..3000) {
        let start = boundary(SAMPLE, from);
        let end = boundary(SAMPLE, (start + length).min(SAMPLE.len()));
        let piece = &SAMPLE[start..end];
        let cut = format!("{}{}", &SAMPLE[..start], &SAMPLE[end..]);
        holds(&cut)?;
        let at = boundary(&cut, to);
        holds(&format!("{}{piece}{}", &cut[..at], &cut[at..]))?;
    }
}
