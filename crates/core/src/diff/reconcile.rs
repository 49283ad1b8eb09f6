//! Expressions as a server stores them, beside those it was given.
//!
//! A server may keep an expression in words of its own. Which of them it keeps for which of ours is noted when ours is
//! applied ([`settle`]), and used from then on ([`recognize`]); two texts that were never seen together stay different. So do
//! those that were, where the columns they name are of other kinds than they were then.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::physical::{IndexKey, Program, Schema, Table, TypeName};
use crate::sql::{Expression, Syntax};

/// An expression of ours and the server's word for it.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct StoredForm {
    /// As declared.
    pub ours: String,
    /// As stored.
    pub stored: String,
    /// The columns that it names, each with its kind, where the server's word for it depends on that.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<String>,
}

/// How the expressions of a provider are read, and what their stored forms depend on.
#[derive(Clone, Copy)]
pub struct Wording {
    /// The rules by which they are read.
    pub syntax: Syntax,
    /// The kind of a column's type that makes a difference; empty where none does.
    pub kind: fn(&TypeName) -> &'static str,
}

impl Wording {
    /// The columns of a table that an expression names, each with its kind.
    fn kinds(self, table: &Table, expression: &Expression) -> Option<String> {
        let named = table.columns.iter().filter(|column| expression.mentions(&column.name));
        let kinds = named.map(|column| (&column.name, (self.kind)(&column.ty))).filter(|(_, kind)| !kind.is_empty());
        let kinds: Vec<String> = kinds.map(|(name, kind)| format!("{name} {kind}")).collect();
        (!kinds.is_empty()).then(|| kinds.join(", "))
    }
}

/// Tells every expression of a live schema for which of ours the server is known to store it.
pub fn recognize(live: &mut Schema, forms: &[StoredForm], wording: Wording) {
    let syntax = wording.syntax;
    let mut known: BTreeMap<&str, Vec<Known>> = BTreeMap::new();
    for form in forms {
        let of = form.of.as_deref();
        let read = [Expression::read(&form.ours, syntax), Expression::read_whole(&form.ours, syntax)];
        known.entry(&form.stored).or_default().extend(read.map(|ours| Known { ours, of }));
    }
    if known.is_empty() {
        return;
    }
    for table in live.tables_mut() {
        let told: Vec<Vec<&Expression>> = expressions(table)
            .map(|(_, stored)| {
                let known = known.get(stored.text()).into_iter().flatten();
                // One that says nothing of kinds holds for any.
                let holds =
                    |one: &&Known| one.of.is_none_or(|of| wording.kinds(table, &one.ours).as_deref() == Some(of));
                known.filter(holds).map(|one| &one.ours).collect()
            })
            .collect();
        for ((_, expression), ours) in expressions_mut(table).zip(told) {
            ours.into_iter().for_each(|ours| expression.is_stored_for(ours));
        }
    }
    let mut unknown = Vec::new();
    for program in live.programs_mut() {
        match known.get(program.body.text()) {
            Some(known) => known.iter().for_each(|one| program.body.is_stored_for(&one.ours)),
            None => unknown.push(&mut program.body),
        }
    }
    if unknown.is_empty() {
        return;
    }
    // White space and comments in a body are kept by some servers and clients, and taken out by others.
    let is_statement = |stored: &&str| stored.get(..6).is_some_and(|word| word.eq_ignore_ascii_case("create"));
    let statements: Vec<_> = known
        .iter()
        .filter(|(stored, _)| is_statement(stored))
        .map(|(stored, ours)| (Expression::read_whole(stored, syntax), ours))
        .collect();
    for body in unknown {
        let same: Vec<&Known> =
            statements.iter().filter(|(stored, _)| stored == body).flat_map(|(_, ours)| *ours).collect();
        same.into_iter().for_each(|one| body.is_stored_for(&one.ours));
    }
}

/// One of ours that the server is known to have a word for.
struct Known<'f> {
    ours: Expression,
    /// The kinds of its columns, where they make a difference.
    of: Option<&'f str>,
}

/// Takes the expressions of objects that were just made from ours for the server's word for them, and returns the pairs.
///
/// `made` is asked with the words of a step's object, such as `add-check hive.positive_tare`.
pub fn settle(live: &mut Schema, expected: &Schema, wording: Wording, made: impl Fn(&str) -> bool) -> Vec<StoredForm> {
    let mut forms = Vec::new();
    for table in live.tables_mut() {
        let Some(wanted) = expected.table(&table.name) else { continue };
        let wanted: BTreeMap<Place, &Expression> = expressions(wanted).collect();
        let name = table.name.clone();
        let kinds: Vec<Option<String>> = expressions(table)
            .map(|(place, _)| wanted.get(&place).and_then(|ours| wording.kinds(table, ours)))
            .collect();
        for ((place, expression), of) in expressions_mut(table).zip(kinds) {
            let Some(ours) = wanted.get(&place) else { continue };
            if *expression == **ours || !place.makers(&name).iter().any(|maker| made(maker)) {
                continue;
            }
            forms.push(StoredForm { ours: ours.text().to_owned(), stored: expression.text().to_owned(), of });
            expression.is_stored_for(ours);
        }
    }
    for program in live.programs_mut() {
        let Some(ours) = expected.program_like(program) else { continue };
        let by = |verb: &str| format!("{verb}-{} {}", program.kind.word().replace(' ', "-"), program.label());
        if program.body == ours.body || !(made(&by("create")) || made(&by("alter"))) {
            continue;
        }
        forms.push(StoredForm { ours: ours.body.text().to_owned(), stored: program.body.text().to_owned(), of: None });
        program.body.is_stored_for(&ours.body);
    }
    forms.sort();
    forms.dedup();
    forms
}

/// The expected tables in which an expression reads otherwise than in the live one, in the same place: nobody knows yet
/// whether the server stores the one for the other. They come without references, which say nothing about that.
pub fn doubtful(live: &Schema, expected: &Schema) -> Vec<Table> {
    let differs = |table: &&Table| {
        let Some(found) = live.table(&table.name) else { return false };
        let found: BTreeMap<Place, &Expression> = expressions(found).collect();
        expressions(table).any(|(place, ours)| found.get(&place).is_some_and(|stored| **stored != *ours))
    };
    let plain = |table: &Table| Table { foreign_keys: Vec::new(), ..table.clone() };
    expected.tables().filter(differs).map(plain).collect()
}

/// The expected views whose query reads otherwise than the live one's.
pub fn doubtful_views(live: &Schema, expected: &Schema) -> Vec<Program> {
    let differs = |program: &&Program| {
        let found = live.program_like(program);
        program.kind.is_view() && found.is_some_and(|found| found.body != program.body)
    };
    expected.programs().filter(differs).cloned().collect()
}

/// Takes descriptions that nobody declared out of a live schema, and returns what they are of: the table, view, trigger,
/// routine or other object, and the column where it is one's. Those that `stays` is true of stay.
pub fn overlook_comments(
    live: &mut Schema,
    expected: &Schema,
    stays: impl Fn(&str, Option<&str>) -> bool,
) -> Vec<(String, Option<String>)> {
    let mut found = Vec::new();
    let mut overlook = |comment: &mut Option<String>, owner: &str, column: Option<&str>| {
        if comment.is_some() && !stays(owner, column) {
            *comment = None;
            found.push((owner.to_owned(), column.map(str::to_owned)));
        }
    };
    for table in live.tables_mut() {
        let Some(wanted) = expected.table(&table.name) else { continue };
        if wanted.comment.is_none() {
            overlook(&mut table.comment, &table.name, None);
        }
        for column in &mut table.columns {
            if wanted.column(&column.name).is_some_and(|one| one.comment.is_none()) {
                overlook(&mut column.comment, &table.name, Some(&column.name));
            }
        }
    }
    for program in live.programs_mut() {
        if expected.program_like(program).is_some_and(|one| one.comment.is_none()) {
            overlook(&mut program.comment, &program.name, None);
        }
    }
    found
}

/// Where in a table an expression stands.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Place {
    Default(String),
    Generated(String),
    Check(Option<String>),
    IndexPart(String, usize),
    Predicate(String),
}

impl Place {
    /// The steps that could have made what stands here.
    fn makers(&self, table: &str) -> Vec<String> {
        let of = |kinds: &[&str], name: &str| -> Vec<String> {
            let mut makers: Vec<_> = kinds.iter().map(|kind| format!("{kind} {table}.{name}")).collect();
            makers.push(format!("create-table {table}"));
            makers
        };
        match self {
            Self::Default(column) | Self::Generated(column) => of(&["add-column", "alter-column"], column),
            Self::Check(name) => of(&["add-check"], name.as_deref().unwrap_or_default()),
            Self::IndexPart(index, _) | Self::Predicate(index) => of(&["create-index"], index),
        }
    }
}

fn expressions(table: &Table) -> impl Iterator<Item = (Place, &Expression)> {
    let columns = table.columns.iter().flat_map(|column| {
        let default = column.default.as_deref().map(|one| (Place::Default(column.name.clone()), one));
        let generated = column.generated.as_ref().map(|one| (Place::Generated(column.name.clone()), &one.expression));
        default.into_iter().chain(generated)
    });
    let checks = table.checks.iter().map(|check| (Place::Check(check.name.clone()), &check.expression));
    let indexes = table.indexes.iter().flat_map(|index| {
        let parts = index.parts.iter().enumerate().filter_map(|(at, part)| match &part.key {
            IndexKey::Column(_) => None,
            IndexKey::Expression(one) => Some((Place::IndexPart(index.name.clone(), at), one)),
        });
        parts.chain(index.predicate.as_ref().map(|one| (Place::Predicate(index.name.clone()), one)))
    });
    columns.chain(checks).chain(indexes)
}

fn expressions_mut(table: &mut Table) -> impl Iterator<Item = (Place, &mut Expression)> {
    let columns = table.columns.iter_mut().flat_map(|column| {
        let name = &column.name;
        let default = column.default.as_deref_mut().map(|one| (Place::Default(name.clone()), one));
        let generated = column.generated.as_mut().map(|one| (Place::Generated(name.clone()), &mut one.expression));
        default.into_iter().chain(generated)
    });
    let checks = table.checks.iter_mut().map(|check| (Place::Check(check.name.clone()), &mut check.expression));
    let indexes = table.indexes.iter_mut().flat_map(|index| {
        let name = &index.name;
        let parts = index.parts.iter_mut().enumerate().filter_map(|(at, part)| match &mut part.key {
            IndexKey::Column(_) => None,
            IndexKey::Expression(one) => Some((Place::IndexPart(name.clone(), at), one)),
        });
        parts.chain(index.predicate.as_mut().map(|one| (Place::Predicate(name.clone()), one)))
    });
    columns.chain(checks).chain(indexes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diff::diff;
    use crate::physical::{Check, Column, NameCase};

    fn schema(condition: &str) -> Schema {
        let mut table = Table::new("hive", NameCase::Counts);
        table.checks.push(Check {
            name: Some("two".into()),
            expression: Expression::read(condition, Syntax::STANDARD),
            attributes: Default::default(),
        });
        Schema::new(NameCase::Counts, [table])
    }

    const WORDING: Wording = Wording { syntax: Syntax::STANDARD, kind: |_| "" };

    #[test]
    fn what_was_just_made_is_known_again_later() {
        let (ours, stored) = ("a in (1, 2)", "(a = any (array[1, 2]))");
        let (mut live, expected) = (schema(stored), schema(ours));
        assert!(settle(&mut live, &expected, WORDING, |_| false).is_empty());
        assert!(!diff(&live, &expected).is_empty());
        let forms = settle(&mut live, &expected, WORDING, |maker| maker == "add-check hive.two");
        assert_eq!(forms.len(), 1);
        assert!(diff(&live, &expected).is_empty());
        let mut later = schema(stored);
        recognize(&mut later, &forms, WORDING);
        assert!(diff(&later, &expected).is_empty());
        assert!(!diff(&later, &schema("a in (1, 3)")).is_empty());
    }

    /// MariaDB makes `code <> 0` of `code <> 'never'` while the column holds numbers.
    #[test]
    fn a_word_for_numbers_says_nothing_of_texts() {
        let of = |ty: &str, condition: &str| {
            let mut schema = schema(condition);
            let table = schema.tables_mut().next().expect("there is one");
            table.columns.push(Column::new("code", TypeName::new(ty)));
            schema
        };
        let wording = Wording { kind: |ty| if ty.canonical() == "INT" { "number" } else { "text" }, ..WORDING };
        let (ours, stored) = ("code <> 'never'", "code <> 0");
        let forms = settle(&mut of("int", stored), &of("int", ours), wording, |_| true);
        assert_eq!(forms[0].of.as_deref(), Some("code number"));
        for (ty, is_same) in [("int", true), ("text", false)] {
            let mut later = of(ty, stored);
            recognize(&mut later, &forms, wording);
            assert_eq!(diff(&later, &of(ty, ours)).is_empty(), is_same, "{ty}");
        }
    }
}
