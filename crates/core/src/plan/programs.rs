//! Views, triggers and routines around the rest of a plan: those that go or change are dropped before it, and new ones
//! made behind it. A view is made again whenever something that it reads changes its columns.

use std::collections::{BTreeMap, BTreeSet};

use super::renaming::ASIDE;
use super::step::Step;
use crate::Dialect;
use crate::diff::{Change, Changes, ItemChange, Renames, TableChange};
use crate::physical::{Column, Index, NameCase, Program, Schema, Table, mentions, qualified, said_name};
use crate::schema::ProgramKind;
use crate::sql::{Expression, is_word, qualified_words, says, words};

/// Steps before and behind the rest.
#[derive(Default)]
pub(super) struct Around {
    /// Drops, what reads others first.
    pub(super) before: Vec<Step>,
    /// Makings, what is read first.
    pub(super) behind: Vec<Step>,
}

/// Plans the programs of both schemas around the other changes.
///
/// `from` has its new names already; what reads something that is renamed is made again as well.
pub(super) fn around(
    dialect: Dialect,
    from: &Schema,
    to: &Schema,
    changes: &Changes,
    renames: &Renames,
    remakes_views: bool,
) -> Around {
    let mut dropped: Vec<Program> = Vec::new();
    let mut made: Vec<Program> = Vec::new();
    for change in &changes.programs {
        match change {
            Change::Add(one) => made.push(one.clone()),
            Change::Drop(one) => dropped.push(one.clone()),
            Change::Alter { from, to } if dialect.altered_object(from, to).is_some() => {
                let statements = dialect.altered_object(from, to).unwrap_or_default();
                made.push(Program { create: statements.join(";\n"), alters: true, ..to.clone() });
            }
            Change::Alter { from, to } | Change::Rename { from, to } => {
                let mut new = to.clone();
                if !replaces(from, to) {
                    dropped.push(from.clone());
                } else if from.comment.is_some() && to.comment.is_none() {
                    // What takes another's place takes its description over.
                    let statements = [Some(to.create.clone()), dialect.takes_description(to)];
                    new.create = statements.into_iter().flatten().collect::<Vec<_>>().join(";\n");
                }
                made.push(new);
            }
        }
    }
    for (old, new) in other_letters(dialect, from, to, renames) {
        if !dropped.contains(&old) {
            dropped.push(old);
            made.push(new);
        }
    }
    let mut disturbed = Disturbed::default();
    for name in renames.tables.keys().chain(renames.words.keys()) {
        disturbed.all(name.clone());
    }
    for (table, columns) in &renames.columns {
        for column in columns.iter().flat_map(|(old, new)| [old, new]) {
            disturbed.column(table.clone(), column);
        }
    }
    match remakes_views {
        true => disturbed.note(dialect, from, changes, renames),
        // By way of another name, under which a view on a view does not find the column, and with it in the text of views
        // (SQLite, "ALTER TABLE RENAME").
        false => disturbed.note_other_letters(changes),
    }
    if remakes_views || !disturbed.0.is_empty() {
        let named = || dropped.iter().filter(|one| has_name(one));
        for one in named() {
            disturbed.all(one.name.clone());
        }
        let mut gone: BTreeSet<String> = named().map(|one| one.base_name().to_owned()).collect();
        gone.extend(changes.tables.iter().filter_map(|change| match change {
            TableChange::Drop(table) => Some(table.name.clone()),
            TableChange::Add(_) | TableChange::Alter(_) => None,
        }));
        remake(dialect, from, to, disturbed, gone, &mut dropped, &mut made);
    }
    let gone: BTreeSet<String> = changes.tables.iter().filter_map(dropped_table).collect();
    // A trigger goes with its table; but where a routine goes too, it may be the one that the trigger calls.
    let calls = dropped.iter().any(|one| one.kind == ProgramKind::Routine);
    // One whose table makes room for another under its name is told by itself: what is found there has the name from before.
    let goes_along = |table: &String| gone.contains(&from.key(table)) && !qualified::base(table).starts_with(ASIDE);
    dropped.retain(|one| calls || !one.table.as_ref().is_some_and(goes_along));
    // Partitions go with their table, and cannot go by themselves while something references it.
    let mut parents = gone;
    loop {
        let goes = |one: &Program| {
            one.word.as_deref() == Some("partition")
                && one.after.iter().any(|parent| parents.contains(&from.key(parent)))
        };
        let Some(at) = dropped.iter().position(goes) else { break };
        parents.insert(from.key(&dropped.remove(at).name));
    }
    let mut before = read_first(dropped);
    before.reverse();
    Around {
        before: before.into_iter().map(Step::DropProgram).collect(),
        behind: read_first(made).into_iter().map(Step::CreateProgram).collect(),
    }
}

/// Triggers and routines that name a table of which only the letters change, where those count in a table's name: what
/// they say is the same but for that.
fn other_letters(dialect: Dialect, from: &Schema, to: &Schema, renames: &Renames) -> Vec<(Program, Program)> {
    if dialect.facts().name_case != NameCase::CountsForTables {
        return Vec::new();
    }
    let respelled = renames.tables.iter().filter(|(old, new)| old.to_lowercase() == new.to_lowercase());
    let names: Vec<&String> = respelled.map(|(old, _)| old).collect();
    let says = |one: &&Program| {
        matches!(one.kind, ProgramKind::Trigger | ProgramKind::Routine)
            && names.iter().any(|name| mentions(&one.create, name))
    };
    let pairs = from.programs().filter(says).filter_map(|old| {
        let new = to.programs().find(|new| new.kind == old.kind && new.label() == old.label())?;
        (old.body == new.body && old.create != new.create).then(|| (old.clone(), new.clone()))
    });
    pairs.collect()
}

fn dropped_table(change: &TableChange) -> Option<String> {
    match change {
        TableChange::Drop(table) => Some(table.key()),
        TableChange::Add(_) | TableChange::Alter(_) => None,
    }
}

/// Adds the views that read what changes, and the views on those; the triggers that call what goes, and the routines whose
/// heads name it.
fn remake(
    dialect: Dialect,
    from: &Schema,
    to: &Schema,
    mut disturbed: Disturbed,
    mut gone: BTreeSet<String>,
    dropped: &mut Vec<Program>,
    made: &mut Vec<Program>,
) {
    let same =
        |a: &Program, b: &Program| a.kind == b.kind && a.name == b.name && a.word == b.word && a.table == b.table;
    // What is made says its own name, which another may have in another namespace.
    let named = |said: &str, own: &str, names: &BTreeSet<String>| {
        names.iter().any(|name| qualified::base(name) != qualified::base(own) && mentions(said, name))
    };
    loop {
        let more: Vec<Program> = from
            .programs()
            .filter(|one| !dropped.iter().any(|other| same(one, other)))
            .filter(|one| match one.kind {
                ProgramKind::View | ProgramKind::MaterializedView => disturbed.is_read_by(one),
                // One that looks at columns before it fires keeps them as they are.
                ProgramKind::Trigger if dialect == Dialect::Postgres && looks_at_columns(one) => {
                    disturbed.is_read_by(one) || named(&one.create, one.base_name(), &gone)
                }
                // Its text is left with the letters that the names had on the way.
                ProgramKind::Trigger if dialect == Dialect::Sqlite => {
                    disturbed.is_read_by(one) || named(&one.create, one.base_name(), &gone)
                }
                // Those that fire behind it would fire before it.
                ProgramKind::Trigger if matches!(dialect, Dialect::Mariadb(_)) => {
                    dropped.iter().any(|other| fires_with(one, other)) || named(&one.create, one.base_name(), &gone)
                }
                ProgramKind::Trigger | ProgramKind::Routine => named(one.said_when_made(), one.base_name(), &gone),
                // A view in its own words, and what hangs on something that is made again.
                ProgramKind::Object => match one.word.as_deref() {
                    Some("view" | "materialized view" | "policy" | "publication") => disturbed.is_read_by(one),
                    Some("rule") if disturbed.is_read_by(one) => true,
                    Some("comment" | "firing" | "grant" | "index" | "rule" | "trigger" | "column setting") => {
                        dropped.iter().any(|other| has_name(other) && one.mentions(other.base_name()))
                    }
                    _ => one.after.iter().any(|owner| dropped.iter().any(|other| other.name == *owner)),
                },
            })
            .cloned()
            .collect();
        if more.is_empty() {
            return;
        }
        for one in more {
            if let Some(after) = to.program_like(&one)
                && !made.iter().any(|other| same(other, after))
            {
                made.push(after.clone());
            }
            if has_name(&one) {
                disturbed.all(one.name.clone());
                gone.insert(one.base_name().to_owned());
            }
            dropped.push(one);
        }
    }
}

/// Whether two triggers are of one table and moment.
fn fires_with(one: &Program, other: &Program) -> bool {
    let moment = |trigger: &Program| -> Vec<String> {
        let words = trigger.create.split_whitespace().map(str::to_ascii_lowercase);
        words.skip_while(|word| word != "before" && word != "after").take(2).collect()
    };
    other.kind == ProgramKind::Trigger && one.table == other.table && moment(one) == moment(other)
}

/// Whether a trigger names columns beside its routine (PostgreSQL 17, "CREATE TRIGGER").
fn looks_at_columns(trigger: &Program) -> bool {
    let text = trigger.create.to_ascii_lowercase();
    [" when (", " update of "].iter().any(|words| text.contains(words))
}

/// Whether making it takes the place of what is there under the name: a routine with other arguments or another result is
/// another one (PostgreSQL 17, "CREATE FUNCTION", "Notes").
fn replaces(old: &Program, new: &Program) -> bool {
    let words: Vec<String> = new.create.split_whitespace().take(3).map(str::to_ascii_lowercase).collect();
    let head = |one: &Program| one.said_when_made().split_whitespace().collect::<Vec<_>>().join(" ");
    new.kind == ProgramKind::Routine && words == ["create", "or", "replace"] && head(old) == head(new)
}

/// What changes in such a way that no view may look on: by the name of a table, an enum type or a view, all of it, or some
/// of its columns.
#[derive(Default)]
struct Disturbed(BTreeMap<String, Moved>);

enum Moved {
    All,
    Columns(BTreeSet<String>),
}

impl Disturbed {
    fn all(&mut self, name: String) {
        self.0.insert(name, Moved::All);
    }

    fn column(&mut self, table: String, column: &str) {
        if let Moved::Columns(columns) = self.0.entry(table).or_insert_with(|| Moved::Columns(BTreeSet::new())) {
            columns.insert(column.to_owned());
        }
    }

    /// Whether a program reads something of it. One that may read columns without naming them is taken to read all.
    fn is_read_by(&self, program: &Program) -> bool {
        self.0.iter().any(|(name, moved)| {
            program.mentions(name)
                && match moved {
                    Moved::All => true,
                    Moved::Columns(columns) => {
                        columns.iter().any(|column| program.mentions(column))
                            || program.create.contains('*')
                            || program.mentions("natural")
                    }
                }
        })
    }

    /// Adds what these changes disturb, under the names that what is there reads it by.
    fn note(&mut self, dialect: Dialect, from: &Schema, changes: &Changes, renames: &Renames) {
        let former = |name: &str| renames.former_table(name).unwrap_or(name).to_owned();
        for change in &changes.tables {
            match change {
                TableChange::Add(_) => {}
                TableChange::Drop(table) => self.all(former(&table.name)),
                TableChange::Alter(alteration) if alteration.from.name != alteration.to.name => {
                    self.all(former(&alteration.from.name));
                }
                TableChange::Alter(alteration) => {
                    self.note_columns(dialect, &former(&alteration.from.name), &alteration.items);
                }
            }
        }
        for change in &changes.enums {
            if let Change::Alter { from: old, to: new } | Change::Rename { from: old, to: new } = change
                && !old.only_gains(new)
            {
                self.all(old.name.clone());
                for table in from.tables() {
                    for column in table.columns.iter().filter(|column| dialect.is_of_enum(&column.ty, &old.name)) {
                        self.column(former(&table.name), &column.name);
                    }
                }
            }
        }
        for table in from.tables() {
            self.spread(&former(&table.name), table);
        }
    }

    /// Adds the columns of a table, which is read by this name, that go or change so that a view sees it. A default, or
    /// whether it may be null, is nothing that anybody reads.
    fn note_columns(&mut self, dialect: Dialect, table: &str, items: &[ItemChange]) {
        let fixes_types = dialect.facts().views_fix_types;
        for item in items {
            let ItemChange::Column(change) = item else { continue };
            match change {
                Change::Drop(column) => self.column(table.to_owned(), &column.name),
                Change::Alter { from, to } => {
                    let is_same = from.ty == to.ty && from.collation == to.collation && from.generated == to.generated;
                    if fixes_types && !is_same {
                        self.column(table.to_owned(), &from.name);
                    }
                }
                Change::Rename { from, to } => {
                    self.column(table.to_owned(), &from.name);
                    self.column(table.to_owned(), &to.name);
                }
                Change::Add(_) => {}
            }
        }
    }

    /// Adds tables that get other letters, or have columns that do.
    fn note_other_letters(&mut self, changes: &Changes) {
        for change in &changes.tables {
            let TableChange::Alter(alteration) = change else { continue };
            let is_column = |item: &ItemChange| matches!(item, ItemChange::Column(Change::Rename { .. }));
            if alteration.from.name != alteration.to.name || alteration.items.iter().any(is_column) {
                self.all(alteration.from.name.clone());
            }
        }
    }

    /// What is computed from a column that moves is made anew with it.
    fn spread(&mut self, name: &str, table: &Table) {
        while let Some(Moved::Columns(moved)) = self.0.get_mut(name) {
            let reads = |column: &&Column| {
                let Some(computed) = &column.generated else { return false };
                !moved.contains(&column.name) && moved.iter().any(|one| computed.expression.mentions(one))
            };
            let more: Vec<String> = table.columns.iter().filter(reads).map(|column| column.name.clone()).collect();
            if more.is_empty() {
                return;
            }
            moved.extend(more);
        }
    }
}

/// Puts the programs where the other steps need them: one that a table is made with comes before the table, and one that
/// a dropped table had goes behind it; all others come before and behind the rest.
pub(super) fn placed(dialect: Dialect, around: Around, steps: Vec<Step>, to: &Schema) -> Vec<Step> {
    let Around { before, mut behind } = around;
    behind.extend(described_again(dialect, &steps, &behind, to));
    if before.is_empty() && behind.is_empty() {
        return steps;
    }
    // What a step makes or takes away, as SQL that may name a program.
    let said: Vec<String> = steps
        .iter()
        .map(|step| match step {
            // Its indexes go with it.
            Step::DropTable(table) => {
                let index = |index: &Index| Step::CreateIndex { table: table.name.clone(), index: index.clone() };
                let made = std::iter::once(Step::CreateTable(table.clone())).chain(table.indexes.iter().map(index));
                made.flat_map(|step| dialect.render(&step)).collect::<Vec<_>>().join("\n")
            }
            Step::DropColumn { table, column } => format!("{table} {}", column_sql(column)),
            Step::DropConstraint { table, constraint } => {
                let (table, constraint) = (table.clone(), constraint.clone());
                dialect.render(&Step::AddConstraint { table, constraint }).join("\n")
            }
            Step::DropIndex { table, index } => {
                let (table, index) = (table.clone(), index.clone());
                dialect.render(&Step::CreateIndex { table, index }).join("\n")
            }
            Step::AlterColumn { from, to, .. } => format!("{} {}", column_sql(from), column_sql(to)),
            other => dialect.render(other).join("\n"),
        })
        .collect();
    let makes = |step: &Step| {
        matches!(
            step,
            Step::CreateTable(_)
                | Step::AddColumn { .. }
                | Step::AlterColumn { .. }
                | Step::AddConstraint { .. }
                | Step::CreateIndex { .. }
                | Step::SetOptions { .. }
        )
    };
    let takes = |step: &Step| {
        matches!(
            step,
            Step::DropTable(_)
                | Step::DropColumn { .. }
                | Step::AlterColumn { .. }
                | Step::DropConstraint { .. }
                | Step::DropIndex { .. }
        )
    };
    let said = Said::of(said, behind.iter().chain(&before));
    let tables_made = steps.iter().rposition(|step| matches!(step, Step::CreateTable(_))).map_or(0, |last| last + 1);
    let early = positions(&behind, &steps, Some(tables_made), |name| {
        said.naming(name).into_iter().find(|at| makes(&steps[*at]))
    });
    let mut reversed: Vec<Step> = before.clone();
    reversed.reverse();
    let late = positions(&reversed, &steps, None, |name| {
        // Counted from the end, so that the same rule holds the other way round.
        let last = said.naming(name).into_iter().rev().find(|at| takes(&steps[*at]));
        last.map(|at| steps.len() - 1 - at)
    });
    let mut placed: Vec<Step> = Vec::new();
    let late_at = |at: usize| {
        let found = reversed.iter().zip(&late).filter(move |(_, place)| **place == Some(at));
        let mut found: Vec<Step> = found.map(|(step, _)| step.clone()).collect();
        found.reverse();
        found
    };
    placed.extend(reversed.iter().zip(&late).rev().filter(|(_, place)| place.is_none()).map(|(step, _)| step.clone()));
    let count = steps.len();
    for (at, step) in steps.into_iter().enumerate() {
        let here = behind.iter().zip(&early).filter(|(_, place)| **place == Some(at));
        placed.extend(here.map(|(step, _)| step.clone()));
        placed.push(step);
        placed.extend(late_at(count - 1 - at));
    }
    placed.extend(behind.into_iter().zip(early).filter(|(_, place)| place.is_none()).map(|(step, _)| step));
    placed
}

/// What steps say, and which of them name a program: each is read once, however many programs there are.
struct Said {
    texts: Vec<String>,
    by_word: BTreeMap<String, Vec<usize>>,
}

impl Said {
    /// Reads the SQL of steps for the names of these programs.
    fn of<'a>(said: Vec<String>, programs: impl Iterator<Item = &'a Step>) -> Self {
        let mut by_word: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for step in programs {
            if let Step::CreateProgram(one) | Step::DropProgram(one) = step {
                by_word.entry(said_name(one.base_name())).or_default();
            }
        }
        let texts: Vec<String> = said.iter().map(|text| text.to_lowercase()).collect();
        for (at, text) in texts.iter().enumerate() {
            for word in words(text) {
                if let Some(found) = by_word.get_mut(word)
                    && found.last() != Some(&at)
                {
                    found.push(at);
                }
            }
        }
        Self { texts, by_word }
    }

    /// The numbers of the steps that name this, ascending.
    fn naming(&self, name: &str) -> Vec<usize> {
        match self.by_word.get(&said_name(name)) {
            Some(found) if is_word(&said_name(name)) => found.clone(),
            _ => (0..self.texts.len()).filter(|at| mentions(&self.texts[*at], name)).collect(),
        }
    }
}

/// The descriptions of constraints and indexes that are made again: they went with what they describe.
fn described_again(dialect: Dialect, steps: &[Step], behind: &[Step], to: &Schema) -> Vec<Step> {
    let made: BTreeSet<String> = steps
        .iter()
        .filter_map(|step| match step {
            Step::AddConstraint { table, constraint } => {
                let name = dialect.quote(constraint.name()?);
                Some(format!("constraint {name} on {}", dialect.quote_object(table)))
            }
            Step::CreateIndex { table, index } => {
                let name = qualified::beside(table, &qualified::part(&index.name));
                Some(format!("index {}", dialect.quote_object(&name)))
            }
            _ => None,
        })
        .collect();
    let comments = to.programs().filter(|one| one.word.as_deref() == Some("comment") && made.contains(&one.name));
    let comes = |one: &Program| behind.iter().any(|step| matches!(step, Step::CreateProgram(other) if other == one));
    comments.filter(|one| !comes(one)).cloned().map(Step::CreateProgram).collect()
}

/// Sees to it that the server does not look into the bodies of routines: of all, where that was decided, and else of those
/// that name what comes behind them.
pub(super) fn leave_bodies(dialect: Dialect, steps: &mut Vec<Step>, all: bool) {
    let is_routine = |step: &Step| match step {
        Step::CreateProgram(one) => one.kind == ProgramKind::Routine && !one.create.is_empty(),
        _ => false,
    };
    match steps.iter().position(is_routine) {
        Some(first) if all && dialect.facts().checks_bodies => steps.insert(first, Step::LeaveBodies),
        _ => mark_early(steps),
    }
}

/// Marks the routines whose bodies name what is made behind them, or what is only found by a search path: things of a
/// namespace without that.
fn mark_early(steps: &mut [Step]) {
    let lower = |name: &str| {
        let (namespace, base) = qualified::split(name);
        (namespace.map(str::to_owned), base.to_lowercase())
    };
    let made = steps.iter().filter_map(|step| match step {
        Step::CreateTable(table) => Some(lower(&table.name)),
        Step::CreateProgram(one) => Some(lower(one.base_name())),
        _ => None,
    });
    let hidden: BTreeSet<(Option<String>, String)> = made.filter(|(namespace, _)| namespace.is_some()).collect();
    let mut later: BTreeSet<String> = BTreeSet::new();
    for step in steps.iter_mut().rev() {
        match step {
            Step::CreateTable(table) => {
                later.insert(qualified::base(&table.name).to_lowercase());
            }
            Step::CreateProgram(one) => {
                if one.kind == ProgramKind::Routine {
                    let text = one.create.to_lowercase();
                    let (namespace, _) = lower(one.base_name());
                    let is_hidden = |word: &str| hidden.contains(&(namespace.clone(), word.to_owned()));
                    let mut bare = text.split(|one: char| !(one.is_alphanumeric() || one == '_' || one == '.'));
                    one.is_early = words(&text).any(|word| later.contains(word))
                        || namespace.is_some() && !text.contains("set search_path") && bare.any(is_hidden);
                }
                later.insert(qualified::base(one.base_name()).to_lowercase());
            }
            _ => {}
        }
    }
}

fn column_sql(column: &Column) -> String {
    let default = column.default.as_deref().map(Expression::text).unwrap_or_default();
    let generated = column.generated.as_ref().map(|one| one.expression.text()).unwrap_or_default();
    format!("{} {default} {generated}", column.ty.text())
}

/// For each program, in the order in which they are made, the first step that needs it, or needs what needs it.
///
/// A step from `runs_from` on runs the routines that it needs, so that it needs what their bodies name, too: an index over
/// an expression does, be it over no rows.
fn positions(
    programs: &[Step],
    steps: &[Step],
    runs_from: Option<usize>,
    needed_at: impl Fn(&str) -> Option<usize>,
) -> Vec<Option<usize>> {
    let any_step = (!steps.is_empty()).then_some(0);
    let of = |step: &Step| match step {
        Step::CreateProgram(one) | Step::DropProgram(one) => Some(one.clone()),
        _ => None,
    };
    let programs: Vec<Option<Program>> = programs.iter().map(of).collect();
    // What acts on a table that is there already is never needed by one.
    let can_be_needed = |one: &Program| match one.kind {
        ProgramKind::Routine => true,
        ProgramKind::Object => {
            matches!(
                one.word.as_deref(),
                Some(
                    "sequence"
                        | "domain"
                        | "type"
                        | "extension"
                        | "aggregate"
                        | "namespace"
                        | "collation"
                        | "operator"
                        | "operator class"
                        | "text search configuration"
                        | "text search dictionary"
                )
            )
        }
        ProgramKind::View | ProgramKind::MaterializedView | ProgramKind::Trigger => false,
    };
    let mut places: Vec<Option<usize>> = programs
        .iter()
        .map(|one| {
            let one = one.as_ref().filter(|one| can_be_needed(one))?;
            match one.word.as_deref() {
                // Its types and functions have names of their own, which nobody knows here.
                Some("extension" | "namespace") => any_step,
                _ => needed_at(one.base_name()),
            }
        })
        .collect();
    let known: Vec<&Program> = programs.iter().flatten().collect();
    if known.len() < programs.len() {
        return places;
    }
    let needs = Needs::of(&known);
    let called: Vec<BTreeSet<usize>> = match runs_from {
        Some(_) => called(&known),
        None => vec![BTreeSet::new(); known.len()],
    };
    loop {
        let mut changed = false;
        for at in 0..known.len() {
            let Some(place) = places[at] else { continue };
            let runs = runs_from.filter(|from| place >= *from).map(|_| &called[at]);
            for other in needs.stated[at].iter().chain(&needs.named[at]).chain(runs.into_iter().flatten()) {
                if places[*other].is_none_or(|there| there > place) {
                    places[*other] = Some(place);
                    changed = true;
                }
            }
        }
        if !changed {
            return places;
        }
    }
}

/// For each program, the numbers of the routines that its body may call.
fn called(programs: &[&Program]) -> Vec<BTreeSet<usize>> {
    let is_routine = |one: &Program| one.kind == ProgramKind::Routine;
    let mut routines: BTreeMap<String, Vec<usize>> = BTreeMap::new();
    for (at, one) in programs.iter().enumerate().filter(|(_, one)| is_routine(one)) {
        routines.entry(qualified::base(one.base_name()).to_lowercase()).or_default().push(at);
    }
    let of = |at: usize, one: &Program| {
        let text = one.create.to_lowercase();
        let found = words(&text).filter_map(|word| routines.get(word)).flatten().copied();
        found.filter(|other| *other != at).collect()
    };
    let called = programs.iter().enumerate();
    called.map(|(at, one)| if is_routine(one) { of(at, one) } else { BTreeSet::new() }).collect()
}

/// Whether anything else can name it. What is said of others goes by words of ours, in which their names stand.
fn has_name(one: &Program) -> bool {
    !matches!(
        one.word.as_deref(),
        Some(
            "comment"
                | "grant"
                | "firing"
                | "column setting"
                | "row level security"
                | "default privileges"
                | "publication"
                | "event trigger"
                | "sequence owner"
        )
    )
}

/// For each program, the numbers of those that have to be there when it is made; first those it says so of, then those its
/// SQL names.
struct Needs {
    stated: Vec<BTreeSet<usize>>,
    named: Vec<BTreeSet<usize>>,
}

impl Needs {
    fn of(programs: &[&Program]) -> Self {
        let mut labels: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        let mut by_name: BTreeMap<String, Vec<usize>> = BTreeMap::new();
        for (at, one) in programs.iter().enumerate().filter(|(_, one)| has_name(one)) {
            labels.entry(one.name.to_lowercase()).or_default().push(at);
            if one.base_name() != one.name {
                labels.entry(one.base_name().to_lowercase()).or_default().push(at);
            }
            // Statements of other things name no rules and the like.
            if !matches!(one.word.as_deref(), Some("constraint" | "policy" | "rule" | "cast" | "conversion")) {
                by_name.entry(said_name(one.base_name())).or_default().push(at);
            }
        }
        // Names that are not one word have to be looked for one by one.
        let odd: Vec<&String> = by_name.keys().filter(|name| !is_word(name)).collect();
        let mut needs = Self { stated: Vec::new(), named: Vec::new() };
        for (at, one) in programs.iter().enumerate() {
            let found = |name: &str| by_name.get(name).into_iter().flatten().copied();
            let labelled = |name: &String| labels.get(&name.to_lowercase()).into_iter().flatten().copied();
            let mut stated: BTreeSet<usize> = one.after.iter().flat_map(labelled).collect();
            let said = one.said_when_made().to_lowercase();
            let own = namespace_of(one);
            let spoken: BTreeSet<(Option<&str>, &str)> = qualified_words(&said).collect();
            let mut named: BTreeSet<usize> = BTreeSet::new();
            for (namespace, word) in spoken {
                let all = || found(word);
                let is_in = |at: &usize, namespace: Option<&str>| namespace_of(programs[*at]).as_deref() == namespace;
                // A namespace tells things of one name apart; without one it is that of the project, or one's own.
                if all().any(|at| is_in(&at, namespace)) {
                    let is_meant =
                        |at: &usize| is_in(at, namespace) || namespace.is_none() && is_in(at, own.as_deref());
                    named.extend(all().filter(is_meant));
                } else {
                    named.extend(all());
                }
            }
            named.extend(odd.iter().filter(|name| says(&said, name)).flat_map(|name| found(name)));
            // The head of a routine names types, and calls others only in a default or to be planned with; whatever else
            // sounds like one of them is the name of a parameter.
            if one.kind == ProgramKind::Routine && !said.contains("default ") && !said.contains(" support ") {
                named.retain(|other| programs[*other].kind != ProgramKind::Routine);
            }
            // What is made names itself, and means nothing else of that name; but a routine may return a view's rows, and
            // an aggregate be made of a function of its name.
            if one.kind.is_view() || one.kind == ProgramKind::Object {
                let is_aggregate = one.word.as_deref() == Some("aggregate");
                named.retain(|other| {
                    let other = programs[*other];
                    other.base_name() != one.base_name() || (is_aggregate && other.kind == ProgramKind::Routine)
                });
            }
            // Only another trigger names one, which it fires behind.
            named.retain(|other| {
                let is_other = one.kind == ProgramKind::Trigger && programs[*other].name != one.name;
                programs[*other].kind != ProgramKind::Trigger || is_other
            });
            // An operator may say what undoes or turns it round, which then says the same of it.
            if one.word.as_deref() == Some("operator") {
                named.retain(|other| programs[*other].word != one.word);
            }
            stated.remove(&at);
            named.remove(&at);
            needs.stated.push(stated);
            needs.named.push(named);
        }
        needs
    }
}

/// The namespace of a program in small letters, where it is not the project's own.
fn namespace_of(program: &Program) -> Option<String> {
    qualified::split(program.base_name()).0.map(|namespace| qualified::plain(namespace).to_lowercase())
}

/// What others read before those; routines, views and triggers in this order where nothing else decides.
fn read_first(mut programs: Vec<Program>) -> Vec<Program> {
    let rank = |one: &Program| match one.word.as_deref() {
        Some("namespace") => 0,
        Some("extension") => 1,
        Some("sequence" | "domain" | "type" | "collation" | "cast" | "operator" | "foreign data wrapper") => 2,
        Some("operator family" | "operator class" | "foreign server" | "text search dictionary") => 3,
        None | Some("view" | "materialized view") => 4,
        // Of all that is there by then; and the last one looks at every statement behind it.
        Some("comment" | "grant" | "firing") => 6,
        Some("default privileges" | "publication") => 7,
        Some("event trigger") => 8,
        Some(_) => 5,
    };
    programs.sort_by(|a, b| (rank(a), a.kind, &a.name).cmp(&(rank(b), b.kind, &b.name)));
    let needs = Needs::of(&programs.iter().collect::<Vec<_>>());
    let mut lacks: Vec<Lack> = std::iter::zip(&needs.stated, &needs.named)
        .map(|(stated, named)| Lack { stated: stated.len(), named: named.len() })
        .collect();
    let needed_by = |lists: &[BTreeSet<usize>]| {
        let mut needed_by: Vec<Vec<usize>> = vec![Vec::new(); lists.len()];
        for (at, list) in lists.iter().enumerate() {
            list.iter().for_each(|other| needed_by[*other].push(at));
        }
        needed_by
    };
    let (stated_by, named_by) = (needed_by(&needs.stated), needed_by(&needs.named));
    let mut waiting: BTreeSet<usize> = (0..programs.len()).collect();
    let mut free: BTreeSet<usize> = waiting.iter().copied().filter(|at| lacks[*at] == Lack::default()).collect();
    let mut ordered: Vec<usize> = Vec::with_capacity(programs.len());
    // Names that sound alike can go in a circle: the one that lacks least comes next.
    while let Some(next) = free.pop_first().or_else(|| waiting.iter().copied().min_by_key(|at| lacks[*at])) {
        waiting.remove(&next);
        ordered.push(next);
        stated_by[next].iter().for_each(|other| lacks[*other].stated -= 1);
        named_by[next].iter().for_each(|other| lacks[*other].named -= 1);
        let freed = stated_by[next].iter().chain(&named_by[next]);
        free.extend(freed.filter(|other| waiting.contains(other) && lacks[**other] == Lack::default()));
    }
    let mut programs: Vec<Option<Program>> = programs.into_iter().map(Some).collect();
    ordered.into_iter().filter_map(|at| programs[at].take()).collect()
}

/// How many programs are not there yet that one needs; what it says outright weighs more than names that sound like it.
#[derive(Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
struct Lack {
    stated: usize,
    named: usize,
}
