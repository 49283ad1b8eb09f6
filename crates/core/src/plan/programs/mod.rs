//! Views, triggers and routines around the rest of a plan: those that go or change are dropped before it, and new ones
//! made behind it. A view is made again whenever something that it reads changes its columns.

mod needs;
mod placing;

use std::collections::{BTreeMap, BTreeSet};

use needs::{has_name, read_first};

use super::renaming::ASIDE;
use super::step::Step;
use crate::Dialect;
use crate::diff::{Change, Changes, ItemChange, Renames, TableChange};
use crate::physical::{Column, Program, Schema, Table, mentions, qualified};
use crate::schema::ProgramKind;

pub(super) use placing::{leave_bodies, placed};

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
                let is_replaced = replaces(from, to);
                if !is_replaced {
                    dropped.push(from.clone());
                }
                // What takes another's place takes its description over; where it goes first, a run keeps it.
                if (is_replaced || from.kind != ProgramKind::Routine) && from.comment.is_some() && to.comment.is_none()
                {
                    let statements = [Some(to.create.clone()), dialect.takes_description(to)];
                    new.create = statements.into_iter().flatten().collect::<Vec<_>>().join(";\n");
                }
                made.push(new);
            }
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
    let named = || dropped.iter().filter(|one| has_name(one));
    // Where a column is dropped all views are looked at, and one that reads a view which is not there stops it (SQLite, "ALTER
    // TABLE DROP COLUMN").
    let is_looked_at = changes.tables.iter().any(|change| matches!(change, TableChange::Alter(_)))
        && named().any(|one| one.kind.is_view());
    if remakes_views || is_looked_at || !disturbed.0.is_empty() {
        for one in named() {
            disturbed.all(one.base_name().to_owned());
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
                disturbed.all(one.base_name().to_owned());
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
