//! Whether a step took effect, found out from what the catalogue holds.

use super::read::ScriptStep;
use crate::physical::{Named, Schema, Table};

/// What the catalogue says about a step that may have run.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Effect {
    /// It took effect.
    Done,
    /// It did not.
    NotDone,
    /// That does not show, and to run it again does no harm.
    Repeatable,
    /// It cannot be known.
    Unknown,
}

/// Judges a generated step by what is there. What somebody wrote cannot be judged.
pub fn effect(step: &ScriptStep, live: &Schema) -> Effect {
    if step.is_by_hand() {
        return Effect::Unknown;
    }
    // What one statement makes at once shows by any of it.
    let effects: Vec<Effect> = step.objects().map(|object| of_one(object, live)).collect();
    let shows = |effect: &&Effect| matches!(effect, Effect::Done | Effect::NotDone);
    let whole = effects.iter().find(shows).or(effects.iter().find(|effect| **effect == Effect::Unknown));
    whole.or(effects.first()).copied().unwrap_or(Effect::Unknown)
}

fn of_one(object: &str, live: &Schema) -> Effect {
    let (kind, object) = object.split_once(' ').unwrap_or((object, ""));
    let is_there = |found: bool| if found { Effect::Done } else { Effect::NotDone };
    let is_gone = |found: bool| if found { Effect::NotDone } else { Effect::Done };
    let (table, item) = parts(object, live);
    let case = table.map(|table| table.case).unwrap_or_default();
    let named = |names: &[Option<&str>]| names.iter().flatten().any(|name| case.same_item(name, item));
    let column = table.is_some_and(|table| table.column(item).is_some());
    let uniques = || table.is_some_and(|table| named(&names(&table.uniques)));
    let checks = || table.is_some_and(|table| named(&names(&table.checks)));
    let references = || table.is_some_and(|table| named(&names(&table.foreign_keys)));
    let indexes = || table.is_some_and(|table| named(&names(&table.indexes)));
    let key = || live.table(object).or(table).is_some_and(|table| table.primary_key.is_some());
    match kind {
        "create-table" | "rename-table" => is_there(live.table(object).is_some()),
        "drop-table" => is_gone(live.table(object).is_some()),
        "add-column" | "rename-column" => is_there(column),
        "drop-column" => is_gone(column),
        "add-primary-key" => is_there(key()),
        "drop-primary-key" => is_gone(key()),
        "add-unique" => is_there(uniques()),
        "drop-unique" => is_gone(uniques()),
        "add-check" => is_there(checks()),
        "drop-check" => is_gone(checks()),
        "add-foreign-key" => is_there(references()),
        "drop-foreign-key" => is_gone(references()),
        // One that was being built beside others is left behind by an interruption, and no good.
        "create-index" => is_there(indexes() && !is_half_built(table, item)),
        "drop-index" => is_gone(indexes()),
        "rename-index" => is_there(indexes() || uniques()),
        "rename-constraint" => is_there(uniques() || checks() || references()),
        "create-enum" => is_there(live.enumeration(object).is_some()),
        "drop-enum" => is_gone(live.enumeration(object).is_some()),
        "create-view" | "create-materialized-view" | "create-trigger" | "create-routine" | "create-object" => {
            is_there(program(live, kind, object))
        }
        "drop-view" | "drop-materialized-view" | "drop-trigger" | "drop-routine" | "drop-object" => {
            is_gone(program(live, kind, object))
        }
        "make-kept"
        | "drop-kept"
        | "alter-column"
        | "change-primary-key"
        | "set-options"
        | "set-comment"
        | "add-enum-word"
        | "validate-constraint"
        | "fill-in-batches" => Effect::Repeatable,
        _ => Effect::Unknown,
    }
}

fn is_half_built(table: Option<&Table>, name: &str) -> bool {
    let mut indexes = table.into_iter().flat_map(|table| &table.indexes);
    indexes.any(|index| index.name == name && index.attributes.contains("invalid"))
}

fn program(live: &Schema, kind: &str, name: &str) -> bool {
    let word = kind.split_once('-').map_or("", |(_, word)| word).replace('-', " ");
    live.programs().any(|one| one.kind.word() == word && one.label() == name)
}

fn names<T: Named>(list: &[T]) -> Vec<Option<&str>> {
    list.iter().map(Named::name).collect()
}

/// The table and the name in it; a point may stand in either of them.
fn parts<'a, 'o>(object: &'o str, live: &'a Schema) -> (Option<&'a Table>, &'o str) {
    let mut points = object.match_indices('.').rev().map(|(at, _)| at);
    let known = points.find_map(|at| Some((live.table(&object[..at])?, &object[at + 1..])));
    match known {
        Some((table, item)) => (Some(table), item),
        None => (None, object.split_once('.').map_or(object, |(_, item)| item)),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Dialect;
    use crate::language::{Source, resolve};
    use crate::plan::{Choices, plan};
    use crate::script::{Direction, Script, write};

    /// Whatever is planned is taken for done where it is done, and for not done before.
    #[test]
    fn what_is_made_at_once_shows() {
        let dialect = Dialect::of(crate::Provider::Mariadb).expect("it is one");
        let schema = |text: &str| {
            let resolution = resolve(&[Source { name: "a.oak".into(), text: text.to_owned() }]);
            dialect.lower(&resolution.schema.expect("it resolves")).expect("it lowers").schema
        };
        let from = schema("table hive {\n    id: int64\n    a: int32\n    b: int32\n    primary key (id)\n}\n");
        let to = schema(
            "table hive {\n    id: int64\n    a: int64\n    b: int64\n    primary key (id, a)\n    \
             check one (a > 0)\n    check two (b > 0)\n}\n",
        );
        let text = write(dialect, "0002-next", Direction::Up, &plan(dialect, &from, &to, &Choices::default()));
        let script = Script::read(dialect, &text).expect("it is read");
        let seen = |live: &Schema| {
            let steps = script.steps.iter().map(|step| (step.object.as_str(), effect(step, live)));
            steps.map(|(object, effect)| format!("{object}: {effect:?}")).collect::<Vec<_>>()
        };
        let columns = "alter-column hive.a + alter-column hive.b: Repeatable";
        let key = "change-primary-key hive: Repeatable";
        let checks = "add-check hive.one + add-check hive.two";
        assert_eq!(seen(&from), [columns, key, &format!("{checks}: NotDone")]);
        assert_eq!(seen(&to), [columns, key, &format!("{checks}: Done")]);
    }

    #[test]
    fn a_sign_in_a_name_parts_nothing() {
        let step = |object: &str| {
            let text = format!("--oak step 1: x | {object} | outside transaction | own\nselect 1;\n");
            let dialect = Dialect::of(crate::Provider::Mariadb).expect("it is one");
            Script::read(dialect, &text).expect("it is read").steps.remove(0)
        };
        let objects = |object: &str| step(object).objects().map(str::to_owned).collect::<Vec<_>>();
        assert_eq!(objects("alter-column hive.a + b"), ["alter-column hive.a + b"]);
        let parts = ["alter-column hive.a + b", "alter-column hive.c"];
        assert_eq!(objects("alter-column hive.a + b + alter-column hive.c"), parts);
    }
}
