//! What has to be made in a place of its own to hear the server's words for what it cannot be asked about on the spot.

use std::collections::BTreeSet;

use crate::physical::{Column, Index, IndexKey, Options, Program, Schema, Table};
use crate::sql::words;

/// The expected triggers, routines and other objects that read otherwise than the live ones, with all that they may need
/// to be made, and no more; nothing where there are none.
///
/// Of tables that is columns and keys: references, checks, defaults and other indexes are never looked at by what stands on
/// them.
pub fn doubtful_apart(live: &Schema, expected: &Schema) -> Option<Schema> {
    let differs = |program: &Program| live.program_like(program).is_some_and(|found| found.body != program.body);
    let made: Vec<&Program> = expected.programs().filter(|program| !runs_by_itself(program)).collect();
    let doubtful: Vec<&Program> = made.iter().copied().filter(|program| differs(program)).collect();
    if doubtful.is_empty() {
        return None;
    }
    let mut said = BTreeSet::new();
    doubtful.iter().for_each(|program| say_program(program, &mut said));
    let mut needed: BTreeSet<String> = BTreeSet::new();
    // What is needed may need something itself.
    loop {
        let before = needed.len();
        for table in expected.tables() {
            if is_said(&table.name, &said) && needed.insert(format!("table {}", table.key())) {
                say(&table.name, &mut said);
                table.columns.iter().for_each(|column| say(column.ty.text(), &mut said));
                table.options.iter().for_each(|option| say(option, &mut said));
            }
        }
        for one in expected.enums().filter(|one| is_said(&one.name, &said)) {
            needed.insert(format!("enum {}", one.name));
        }
        for program in made.iter().copied() {
            // An extension is named by nothing that uses it.
            let is_named = program.names().iter().any(|name| is_said(name, &said));
            let is_needed = is_named || program.word.as_deref() == Some("extension");
            if is_needed && needed.insert(program.label()) {
                say_program(program, &mut said);
            }
        }
        if needed.len() == before {
            break;
        }
    }
    let tables = expected.tables().filter(|table| needed.contains(&format!("table {}", table.key())));
    let enums = expected.enums().filter(|one| needed.contains(&format!("enum {}", one.name)));
    let programs = made.into_iter().filter(|program| needed.contains(&program.label()));
    let apart = Schema::new(expected.case(), tables.map(bare));
    Some(apart.with_enums(enums.cloned()).with_programs(programs.cloned()))
}

/// Whether something beyond its database is done as soon as it is there. Nobody wants that of a comparison.
fn runs_by_itself(program: &Program) -> bool {
    matches!(program.word.as_deref(), Some("event" | "subscription"))
}

fn bare(table: &Table) -> Table {
    // A sequence that comes with a column may be named where no column is.
    let columns = table.columns.iter().map(|column| match column.numbers_rows() {
        true => column.clone(),
        false => Column { nullable: column.nullable, ..Column::new(column.name.clone(), column.ty.clone()) },
    });
    // MariaDB has such a column only as the first of a key (manual, "AUTO_INCREMENT").
    let numbers = |name: &str| table.column(name).is_some_and(Column::numbers_rows);
    let is_kept = |index: &&Index| {
        let is_plain =
            index.predicate.is_none() && index.parts.iter().all(|part| matches!(part.key, IndexKey::Column(_)));
        is_plain && matches!(index.parts.first().map(|part| &part.key), Some(IndexKey::Column(first)) if numbers(first))
    };
    let uniques = table.uniques.iter().filter(|one| one.columns.first().is_some_and(|first| numbers(&first.name)));
    Table {
        columns: columns.collect(),
        uniques: uniques.cloned().collect(),
        indexes: table.indexes.iter().filter(is_kept).cloned().collect(),
        primary_key: table.primary_key.clone().map(|mut key| {
            key.attributes = Options::new();
            key
        }),
        options: table.options.clone(),
        ..Table::new(table.name.clone(), table.case)
    }
}

fn say_program(program: &Program, said: &mut BTreeSet<String>) {
    say(&program.name, said);
    // The body of one in SQL is read when it is made (PostgreSQL 17, "CREATE FUNCTION", `sql_body`); others are not looked at.
    let is_read = program.create.to_ascii_lowercase().contains("atomic");
    say(if is_read { &program.create } else { program.said_when_made() }, said);
    program.table.iter().chain(&program.after).for_each(|name| say(name, said));
}

/// Adds the words of a text, in small letters.
fn say(text: &str, said: &mut BTreeSet<String>) {
    said.extend(words(text).map(str::to_lowercase));
}

/// Whether every word of a name is among those.
fn is_said(name: &str, said: &BTreeSet<String>) -> bool {
    words(name).all(|word| said.contains(&word.to_lowercase()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::physical::{IndexPart, KeyColumn, NameCase, TypeName, Unique};
    use crate::schema::ProgramKind;
    use crate::sql::{Expression, Syntax};

    fn program(kind: ProgramKind, name: &str, create: &str) -> Program {
        Program {
            kind,
            word: None,
            name: name.into(),
            table: None,
            body: Expression::read_whole(create, Syntax::STANDARD),
            comment: None,
            create: create.into(),
            drop: String::new(),
            is_early: false,
            alters: false,
            after: Vec::new(),
        }
    }

    fn schema(touch: &str) -> Schema {
        let table = |name: &str, ty: &str| {
            let mut table = Table::new(name, NameCase::Counts);
            table.columns.push(Column::new("a", TypeName::new(ty)));
            table
        };
        let tables = [table("hive", "int"), table("frame", "far.kind"), table("other", "int")];
        Schema::new(NameCase::Counts, tables).with_programs([
            program(ProgramKind::Routine, "touch", touch),
            program(ProgramKind::Routine, "unasked", "create function unasked() returns int as $$ select 1 $$"),
            program(ProgramKind::View, "frames", "create view frames as select a from frame"),
            program(ProgramKind::Object, "far.kind", "create type far.kind as (a int)"),
        ])
    }

    #[test]
    fn what_runs_by_itself_is_not_made() {
        let event = |what: &str| Program {
            word: Some("event".into()),
            ..program(
                ProgramKind::Object,
                "nightly",
                &format!("create event nightly on schedule every 1 day do {what}"),
            )
        };
        let with = |what: &str| Schema::new(NameCase::Counts, []).with_programs([event(what)]);
        assert!(doubtful_apart(&with("delete from hive"), &with("delete from frame")).is_none());
    }

    #[test]
    fn the_key_of_a_column_that_numbers_rows_comes_with_it() {
        let with = |body: &str| {
            let mut table = Table::new("hive", NameCase::Counts);
            let number = Column { identity: Some(Box::default()), ..Column::new("no", TypeName::new("int")) };
            table.columns = vec![number, Column::new("a", TypeName::new("int"))];
            let index = |name: &str, column: &str| {
                Index::new(name, false, vec![IndexPart::new(IndexKey::Column(column.to_owned()))])
            };
            table.uniques = ["no", "a"]
                .map(|name| Unique {
                    name: Some(format!("by_{name}")),
                    columns: vec![KeyColumn::new(name)],
                    attributes: Options::new(),
                })
                .into();
            table.indexes = vec![index("numbers", "no"), index("others", "a")];
            Schema::new(NameCase::Counts, [table]).with_programs([program(ProgramKind::Routine, "touch", body)])
        };
        let apart =
            doubtful_apart(&with("select no from hive"), &with("select a from hive")).expect("its text is another");
        let table = apart.table("hive").expect("the routine reads it");
        let uniques: Vec<_> = table.uniques.iter().filter_map(|unique| unique.name.as_deref()).collect();
        let indexes: Vec<_> = table.indexes.iter().map(|index| index.name.as_str()).collect();
        assert_eq!((uniques, indexes), (vec!["by_no"], vec!["numbers"]));
    }

    #[test]
    fn what_is_doubtful_comes_with_all_that_it_needs() {
        let expected = schema("create function touch(f frames) returns hive as $$ select * from other $$");
        assert!(doubtful_apart(&expected, &expected).is_none());
        let live = schema("CREATE FUNCTION touch(f frames) RETURNS hive LANGUAGE sql AS $$ select * from other $$");
        let apart = doubtful_apart(&live, &expected).expect("its text is another");
        let tables: Vec<&str> = apart.tables().map(|table| table.name.as_str()).collect();
        let mut programs: Vec<&str> = apart.programs().map(|program| program.name.as_str()).collect();
        programs.sort_unstable();
        assert_eq!((tables, programs), (vec!["frame", "hive"], vec!["far.kind", "frames", "touch"]));
    }
}
