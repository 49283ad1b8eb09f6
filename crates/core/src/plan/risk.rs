//! What a step can do to rows, in plain words.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::str::FromStr;

use super::beginning::Beginning;
use super::burden::{Blocks, Burden};
use super::choices::{Choices, Kept};
use super::renaming;
use super::step::{Constraint, Copied, EnumSwap, Rebuild, Step, SwappedColumn};
use crate::Dialect;
use crate::dialect::Altering;
use crate::diff::{Change, ItemChange};
use crate::physical::{
    Check, Column, ForeignKey, Index, IndexKey, IndexPart, KeyColumn, Options, PrimaryKey, Schema, Table, qualified,
};
use crate::sql::words;

/// A risk of a step.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Risk {
    /// Its kind.
    pub kind: RiskKind,
    /// What exactly, in words.
    pub what: String,
}

/// The kinds of risks.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum RiskKind {
    /// Values that are there before are not there afterwards.
    LosesData,
    /// The other direction makes the thing again, without its values.
    NotRestored,
    /// The step fails on some rows, and nothing is changed.
    MayRefuse,
    /// Values are stored under another type.
    ConvertsValues,
    /// A program that is running meanwhile, written for the schema before, fails.
    BreaksApplication,
    /// Values that go are kept in a table of the tool's own.
    SetsAside,
    /// Every row of a table is written anew.
    RewritesTable,
    /// Nobody reads or writes a table for as long as it takes.
    BlocksReads,
    /// Nobody writes to a table for as long as it takes.
    BlocksWrites,
}

impl RiskKind {
    /// All of them, what matters most first.
    pub const ALL: [Self; 9] = [
        Self::LosesData,
        Self::NotRestored,
        Self::MayRefuse,
        Self::ConvertsValues,
        Self::BreaksApplication,
        Self::SetsAside,
        Self::RewritesTable,
        Self::BlocksReads,
        Self::BlocksWrites,
    ];

    /// The word for it in records, scripts and JSON.
    pub fn word(self) -> &'static str {
        match self {
            Self::LosesData => "loses-data",
            Self::NotRestored => "not-restored",
            Self::MayRefuse => "may-refuse",
            Self::ConvertsValues => "converts-values",
            Self::BreaksApplication => "breaks-application",
            Self::SetsAside => "sets-aside",
            Self::RewritesTable => "rewrites-table",
            Self::BlocksReads => "blocks-reads",
            Self::BlocksWrites => "blocks-writes",
        }
    }

    /// The words for it in a review.
    pub fn phrase(self) -> &'static str {
        match self {
            Self::LosesData => "loses data",
            Self::NotRestored => "not restored",
            Self::MayRefuse => "may refuse",
            Self::ConvertsValues => "converts",
            Self::BreaksApplication => "breaks a running application",
            Self::SetsAside => "sets aside",
            Self::RewritesTable => "rewrites",
            Self::BlocksReads => "blocks reads and writes",
            Self::BlocksWrites => "blocks writes",
        }
    }

    /// What to do about it.
    pub fn remedy(self) -> &'static str {
        match self {
            Self::LosesData => "`--keep` at the draft puts aside what goes; else accept it with a reason",
            Self::NotRestored => {
                "what is dropped comes back after a draft with `--keep`; what is filled stays as it is"
            }
            Self::MayRefuse => "look for such rows first; `--fill` and `--convert` at the draft mend them on the way",
            Self::ConvertsValues => "`--convert` and `--convert-back` at the draft say how; `oak show` has some values",
            Self::BreaksApplication => "apply together with the application that knows the new name",
            Self::SetsAside => "`oak kept list` has it; `oak kept purge` drops it when nobody will go back",
            Self::RewritesTable => "on a large table, apply while few use it, and with room for a second copy",
            Self::BlocksReads => "on a large table, apply while few use it, or draft with `--online` (PostgreSQL)",
            Self::BlocksWrites => {
                "on a large table, apply while few write to it, or draft with `--online` (PostgreSQL)"
            }
        }
    }
}

impl fmt::Display for Risk {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(formatter, "{}: {}", self.kind.word(), self.what)
    }
}

impl FromStr for Risk {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let (word, what) = text.split_once(": ").ok_or_else(|| format!("`{text}` is not a risk"))?;
        let kind = RiskKind::ALL.into_iter().find(|kind| kind.word() == word);
        let kind = kind.ok_or_else(|| format!("there is no kind of risk `{word}`"))?;
        Ok(Self { kind, what: what.to_owned() })
    }
}

/// What the steps before one have done.
pub(super) struct Known<'a> {
    /// What is planned for.
    to: &'a Schema,
    /// What was decided.
    choices: &'a Choices,
    /// Tables that the plan makes; they have no rows.
    pub(super) tables: BTreeSet<String>,
    /// Columns that it added so far, by their tables.
    pub(super) added: BTreeSet<(String, String)>,
    /// Columns that it filled so far, each with whether no row can be left without a value.
    pub(super) filled: BTreeMap<(String, String), bool>,
    /// Columns whose change of type says already that they are converted.
    pub(super) converted: BTreeSet<(String, String)>,
    /// Columns of which it was found out that every row has a value.
    pub(super) required: BTreeSet<(String, String)>,
    /// Tables that rows are written into.
    pub(super) written: BTreeSet<String>,
    /// Constraints that come back over the same rows.
    pub(super) returning: Vec<(String, Constraint)>,
}

impl<'a> Known<'a> {
    /// Nothing done yet.
    pub(super) fn new(to: &'a Schema, choices: &'a Choices) -> Self {
        let [added, converted, required] = [BTreeSet::new(), BTreeSet::new(), BTreeSet::new()];
        let [tables, written] = [BTreeSet::new(), BTreeSet::new()];
        let (filled, returning) = (BTreeMap::new(), Vec::new());
        Self { to, choices, tables, added, filled, converted, required, written, returning }
    }

    /// Whether the rows meet a constraint for sure: they did until just now, or a column of it is empty in all of them.
    fn holds(&self, table: &str, constraint: &Constraint) -> bool {
        let empty = |column: &String| self.comes_empty(table, column);
        let comes_empty = match constraint {
            Constraint::ForeignKey(key) => {
                key.columns.iter().any(empty) && (key.columns.len() == 1 || key.attributes.is_empty())
            }
            Constraint::Unique(key) => key.columns.iter().any(|one| empty(&one.name)) && key.attributes.is_empty(),
            Constraint::PrimaryKey(_) => false,
            Constraint::Check(check) => self.begins_within(table, check),
        };
        let asks_the_same = |other: &Constraint| match (other, constraint) {
            (Constraint::ForeignKey(old), Constraint::ForeignKey(new)) => {
                let asked = |key: &ForeignKey| {
                    (key.columns.clone(), key.referenced_table.clone(), key.referenced_columns.clone())
                };
                asked(old) == asked(new) && old.attributes == new.attributes && !old.attributes.contains("not valid")
            }
            (Constraint::PrimaryKey(old), Constraint::PrimaryKey(new)) => tells_more(old, new) || old == new,
            (Constraint::Unique(old), Constraint::Unique(new)) => {
                let is_plain = old.attributes.is_empty() && new.attributes.is_empty();
                is_plain && has_all(&new.columns, &old.columns) || old == new
            }
            _ => other == constraint,
        };
        comes_empty || self.returning.iter().any(|(owner, other)| owner == table && asks_the_same(other))
    }

    /// Columns that are declared to come from a parent alone, which the table only gets now: no statement makes them so, since
    /// they have to be there before (PostgreSQL 17, "ALTER TABLE", `INHERIT`).
    fn stay_own(&self, dialect: Dialect, table: &str, from: &Options) -> Vec<String> {
        let Some(joined) = self.to.table(table) else { return Vec::new() };
        let before = Table { options: from.clone(), ..joined.clone() };
        let kept = before.parents_kept(joined);
        let comes_of_kept = |column: &Column| {
            kept.iter().filter_map(|parent| self.to.table(parent)).any(|parent| parent.column(&column.name).is_some())
        };
        let own = joined.columns.iter().filter(|column| dialect.is_inherited(column) && !comes_of_kept(column));
        own.map(|column| column.name.clone()).collect()
    }

    /// Whether no row has a value in a column, which this plan has just added.
    fn comes_empty(&self, table: &str, column: &str) -> bool {
        self.beginning(table, column) == Beginning::Empty
    }

    /// Whether every row begins with what a check lets through, in a column that this plan has just added.
    fn begins_within(&self, table: &str, check: &Check) -> bool {
        let [column] = check.expression.columns() else { return false };
        self.beginning(table, &column.name).meets(check)
    }

    /// What every row has in a column that this plan has just added.
    fn beginning(&self, table: &str, column: &str) -> Beginning<'_> {
        let name = (table.to_owned(), column.to_owned());
        if !self.added.contains(&name) || self.filled.contains_key(&name) || self.written.contains(table) {
            return Beginning::Unknown;
        }
        let column = self.to.table(table).and_then(|table| table.column(column));
        column.map_or(Beginning::Unknown, Beginning::of)
    }

    /// Whether rows may be told apart by a column.
    fn is_in_key(&self, table: &str, column: &str) -> bool {
        self.to.table(table).is_none_or(|table| is_in_key(table, column))
    }

    /// What is kept of a column, or of a table, that goes under this name; it was kept under the name before.
    fn kept(&self, table: &str, column: Option<&str>) -> Option<&Kept> {
        let former = self.choices.renames.former_table(table).unwrap_or(table);
        self.choices.keeps(former, column)
    }
}

/// Whether a key tells apart all that another one does, since it has all of its columns.
fn tells_more(old: &PrimaryKey, new: &PrimaryKey) -> bool {
    let is_plain = old.attributes.is_empty() && new.attributes.is_empty();
    is_plain && has_all(&new.columns, &old.columns)
}

fn has_all(columns: &[KeyColumn], others: &[KeyColumn]) -> bool {
    others.iter().all(|other| columns.iter().any(|column| column.name == other.name))
}

/// The risks of a step; none for a table that the same plan makes, since it has no rows.
pub(super) fn risks(dialect: Dialect, step: &Step, known: &Known<'_>) -> Vec<Risk> {
    let mut risks = Risks { dialect, known, found: Vec::new() };
    let parts = match step.parts() {
        // What reads the column says the same as before.
        [rename @ Step::RenameColumn { .. }, ..] => std::slice::from_ref(rename),
        parts => parts,
    };
    for part in parts {
        to_rows(&mut risks, part);
    }
    risks.burdens(step);
    risks.found
}

/// What a step can do to rows.
fn to_rows(risks: &mut Risks<'_>, step: &Step) {
    let (dialect, known) = (risks.dialect, risks.known);
    let among = |set: &BTreeSet<(String, String)>, table: &String, column: &Column| {
        set.contains(&(table.clone(), column.name.clone()))
    };
    match step {
        _ if known.tables.contains(step.table()) => {}
        Step::CreateTable(_) | Step::DropIndex { .. } => {}
        Step::RenameTable { from, to, .. } => {
            let case = dialect.facts().name_case;
            risks.renamed("table", from, case.table_key(from) == case.table_key(to));
        }
        Step::RenameColumn { from, to, .. } => {
            risks.renamed("column", from, dialect.facts().name_case.same_item(from, to));
        }
        Step::RenameEnumWord { from, .. } => risks.renamed("word", from, false),
        Step::DropProgram(one) => {
            if one.holds_rows() {
                risks.add(RiskKind::LosesData, format!("every row of {} is lost", one.name));
            }
        }
        Step::DropTable(table) => match known.kept(&table.name, None) {
            Some(kept) => risks.kept(kept),
            None => risks.add(RiskKind::LosesData, format!("every row of {} is lost", table.name)),
        },
        Step::FillColumn { table, column, expression, only_missing, constrained, .. } => {
            // What waits in a column of the plan's own fits already.
            let waits = |(owner, name): &(String, String)| owner == table && dialect.quote(name) == *expression;
            let is_plain = dialect.gives_a_value(expression) || expression.eq_ignore_ascii_case("null");
            if !is_plain && !known.added.iter().any(waits) {
                risks.misfilled(table, column);
            }
            let comes = known.added.contains(&(table.clone(), column.clone()));
            if *only_missing && !comes {
                risks.filled(&format!("{table}.{column}"));
            } else if !comes && !known.converted.contains(&(table.clone(), column.clone())) {
                risks.computed(&format!("{table}.{column}"));
            }
            if *constrained && !comes {
                risks.ruled(table, column);
            }
        }
        Step::InsertRows { table, .. } => {
            risks.add(RiskKind::MayRefuse, format!("fails if {table} has a row with one of these keys already"));
        }
        Step::UpdateRows { .. } => {}
        Step::DeleteRows { table, cascades, .. } => {
            for other in cascades {
                let what = format!("rows of {other} that reference these rows of {table} are deleted with them");
                risks.add(RiskKind::LosesData, what);
            }
            risks.add(
                RiskKind::MayRefuse,
                format!("fails if a row of another table references one of these of {table}"),
            );
        }
        Step::Restore { kept, .. } => {
            risks.add(RiskKind::MayRefuse, format!("fails if a row of {} references what is gone by now", kept.table));
        }
        Step::DropKept(_) | Step::MakeKept(_) | Step::Keep(_) | Step::CheckDeferred { .. } | Step::LeaveBodies => {}
        Step::DropColumn { table, column } if among(&known.added, table, column) => {}
        Step::DropColumn { table, column } => risks.dropped(table, column),
        Step::AddColumn { table, column, checks, key, .. } => {
            let begins = Beginning::of(column);
            let gets_one = column.default.is_some() || column.generated.is_some();
            if gets_one && !checks.iter().all(|check| begins.meets(check)) {
                risks.add(
                    RiskKind::MayRefuse,
                    format!("fails if {table} has rows for which {} does not meet its check", column.name),
                );
            }
            if column.generated.is_some() && !column.nullable {
                risks.add(RiskKind::MayRefuse, format!("fails if {table} has a row for which {} is null", column.name));
            }
            risks.added_in_place(table, column);
            if let Some(key) = key {
                risks.constraint(table, key);
            }
        }
        Step::CreateIndex { table, index } | Step::BuildIndex { table, index } if index.unique => {
            risks.add(RiskKind::MayRefuse, format!("fails if two rows of {table} have the same key in {}", index.name));
        }
        Step::CreateProgram(one) => match one.word.as_deref() {
            Some("constraint") => {
                let table = one.after.first().map_or("the table", String::as_str);
                let excludes = words(&one.create.to_lowercase()).any(|word| word == "exclude");
                let why = match excludes {
                    true => format!("fails if two rows of {table} exclude each other"),
                    false => format!("fails if a row of {table} does not meet it"),
                };
                risks.add(RiskKind::MayRefuse, why);
            }
            Some("domain") if one.alters => {
                risks.add(RiskKind::MayRefuse, format!("fails if a value of {} does not meet its checks", one.name));
            }
            _ => {}
        },
        Step::CreateIndex { .. }
        | Step::BuildIndex { .. }
        | Step::UseIndex { .. }
        | Step::DropConstraint { .. }
        | Step::RenameConstraint { .. }
        | Step::RenameIndex { .. }
        | Step::CreateEnum(_)
        | Step::DropEnum(_)
        | Step::AddEnumWord { .. }
        | Step::SetComment { .. } => {}
        Step::SetOptions { table, from, .. } => {
            let own = known.stay_own(risks.dialect, table, from);
            if !own.is_empty() {
                let what = own.join(", ");
                let why = format!("fails, since {table} keeps {what} for its own, too: declare that `also inherited`");
                risks.add(RiskKind::MayRefuse, why);
            }
        }
        // New rows are refused, and not those that are there.
        Step::AddConstraint { constraint, .. } if constraint.is_unchecked() => {}
        Step::ValidateConstraint { table, requires: Some(column), .. } => {
            risks.add(RiskKind::MayRefuse, format!("fails if a row of {table} has no {column}"));
        }
        Step::ValidateConstraint { table, constraint, .. } if known.holds(table, constraint) => {}
        Step::ValidateConstraint { table, constraint, .. } => risks.constraint(table, constraint),
        Step::AlterColumn { table, to, .. } if known.required.contains(&(table.clone(), to.name.clone())) => {}
        Step::AlterColumn { table, from, to, using } => {
            let mut from = (**from).clone();
            if let Some(surely) = known.filled.get(&(table.clone(), to.name.clone())) {
                if !surely && from.nullable && !to.nullable {
                    risks.unfilled(table, to);
                }
                from.nullable = to.nullable;
            }
            risks.altered_in_place(table, &from, to, using.is_some());
        }
        Step::AlterTable { .. } => {}
        Step::ChangePrimaryKey { from, to, .. } if tells_more(from, to) => {}
        Step::ChangePrimaryKey { table, to, .. } => risks.constraint(table, &Constraint::PrimaryKey(to.clone())),
        Step::AddConstraint { table, constraint } if known.holds(table, constraint) => {}
        Step::AddConstraint { table, constraint } => risks.constraint(table, constraint),
        Step::RemakeEnum(swap) => risks.enumeration(swap),
        Step::RebuildTable(rebuild) => risks.rebuild(rebuild),
    }
}

/// What every row has in a column that a rebuild adds and does not copy.
fn beginning_in<'r>(rebuild: &'r Rebuild, column: &str) -> Beginning<'r> {
    let is_new = rebuild.alteration.from.column(column).is_none();
    let new = rebuild.alteration.to.column(column).filter(|_| is_new);
    let new = new.filter(|new| rebuild.copied.iter().all(|(name, _)| *name != new.name));
    new.map_or(Beginning::Unknown, Beginning::of)
}

struct Risks<'a> {
    dialect: Dialect,
    known: &'a Known<'a>,
    found: Vec<Risk>,
}

impl Risks<'_> {
    fn add(&mut self, kind: RiskKind, what: String) {
        let risk = Risk { kind, what };
        if !self.found.contains(&risk) {
            self.found.push(risk);
        }
    }

    /// What a step costs those who use its tables meanwhile; a table that the same plan makes is empty, and nobody's yet.
    fn burdens(&mut self, step: &Step) {
        if let Step::AlterColumn { table, to, .. } = step
            && self.known.required.contains(&(table.clone(), to.name.clone()))
        {
            return;
        }
        for burden in self.dialect.burdens(step) {
            let Burden { table, rewrites, blocks, meanwhile } = burden;
            if self.known.tables.contains(&table) || self.known.tables.contains(step.table()) {
                continue;
            }
            let waiting = match blocks {
                Blocks::Nothing => "it can be read and written meanwhile",
                Blocks::Writes => "nobody writes to it meanwhile",
                Blocks::Everything => "nobody reads or writes it meanwhile",
            };
            match blocks {
                _ if rewrites => {
                    self.add(RiskKind::RewritesTable, format!("every row of {table} is written anew; {waiting}"));
                }
                Blocks::Nothing => {}
                Blocks::Writes => {
                    self.add(RiskKind::BlocksWrites, format!("nobody writes to {table} while {meanwhile}"))
                }
                Blocks::Everything => {
                    self.add(RiskKind::BlocksReads, format!("nobody reads or writes {table} while {meanwhile}"));
                }
            }
        }
    }

    fn renamed(&mut self, kind: &str, old: &str, still_means_it: bool) {
        // A name in between was never used.
        if !still_means_it && !qualified::base(old).starts_with(renaming::ASIDE) {
            let what = format!("what still uses the {kind} {old} by this name fails from here on");
            self.add(RiskKind::BreaksApplication, what);
        }
    }

    fn kept(&mut self, kept: &Kept) {
        let what = match &kept.column {
            Some(column) => format!(
                "the values of {}.{column} wait in {} until down brings them back; rows that are written until then get none",
                kept.table, kept.name
            ),
            None => format!("the rows of {} wait in {} until down brings them back", kept.table, kept.name),
        };
        self.add(RiskKind::SetsAside, what);
    }

    fn dropped(&mut self, table: &str, column: &Column) {
        if let Some(kept) = self.known.kept(table, Some(&column.name)) {
            self.kept(kept);
            return;
        }
        if column.generated.is_none() {
            self.add(RiskKind::LosesData, format!("the values of {table}.{} are lost", column.name));
        }
    }

    /// What only shows where rows are there when a column is added.
    fn added_in_place(&mut self, table: &str, column: &Column) {
        let is_filled = column.default.is_some() || column.generated.is_some() || column.numbers_rows();
        if !column.nullable && !is_filled {
            let what = format!("fails if {table} has rows: {} is required and has no default", column.name);
            self.add(RiskKind::MayRefuse, what);
        }
        // An expression is only known to give a value of the type once it has run.
        let uncertain = column.default.as_ref().is_some_and(|default| !default.is_literal());
        if (column.generated.is_some() || uncertain) && self.dialect.facts().altering == Altering::InPlace {
            let what = format!("fails if {table} has a row for which {} is not of its type", column.name);
            self.add(RiskKind::MayRefuse, what);
        }
    }

    fn altered_in_place(&mut self, table: &str, from: &Column, to: &Column, converted: bool) {
        if from.nullable && !to.nullable {
            self.add(RiskKind::MayRefuse, format!("fails if a row of {table} has no {}", to.name));
        }
        if from.ty == to.ty && from.collation == to.collation {
            return;
        }
        let is_alike = self.dialect.stores_alike(&from.ty, &to.ty);
        if converted {
            self.converted(&format!("{table}.{}", to.name), to);
        } else if !is_alike {
            let (old, new) = (from.ty.text(), to.ty.text());
            let what = format!("the values of {table}.{} are stored again as {new} instead of {old}", to.name);
            self.add(RiskKind::ConvertsValues, what);
            let misfits = self.dialect.misfits(&from.ty, &to.ty, &to.name);
            if misfits.changed.is_some() {
                let what = format!("values of {table}.{} are rounded or cut where {new} cannot hold them", to.name);
                self.add(RiskKind::LosesData, what);
            }
            if misfits.refused.is_some() || misfits.changed.is_none() {
                let what = format!("fails if a value of {table}.{} cannot be read as {new}", to.name);
                self.add(RiskKind::MayRefuse, what);
            }
        }
        // What was different may be the same now.
        let is_same = is_alike && !converted && from.collation == to.collation;
        let known = self.known;
        let checks = known.to.table(table).into_iter().flat_map(|table| &table.checks);
        for check in checks.filter(|check| check.expression.mentions(&to.name)) {
            // Elsewhere it comes back in a step of its own.
            if !is_same && self.dialect.facts().checks_follow_types {
                self.check(table, check);
            }
        }
        if !is_same && self.known.is_in_key(table, &to.name) {
            let what = format!("fails if rows of {table} do not meet its keys once {} has changed", to.name);
            self.add(RiskKind::MayRefuse, what);
        }
    }

    /// A value that rows get while their table is made anew.
    fn filled_in_rebuild(&mut self, table: &Table, column: &Column, expression: &str, becomes_required: bool) {
        if self.dialect.gives_a_value(expression) {
            return;
        }
        if table.has_option("strict") {
            self.misfilled(&table.name, &column.name);
        }
        if becomes_required {
            self.unfilled(&table.name, column);
        }
    }

    fn misfilled(&mut self, table: &str, column: &str) {
        self.add(RiskKind::MayRefuse, format!("fails if {table}.{column} cannot hold what its expression gives a row"));
    }

    fn unfilled(&mut self, table: &str, column: &Column) {
        self.add(RiskKind::MayRefuse, format!("fails if a row of {table} gets no {} by its expression", column.name));
    }

    /// A key, a reference or a check looks at what a column gets.
    fn ruled(&mut self, table: &str, column: &str) {
        let what = format!("fails if a new value of {table}.{column} does not meet the keys and checks of {table}");
        self.add(RiskKind::MayRefuse, what);
    }

    fn filled(&mut self, name: &str) {
        let what = format!("rows that get their {name} here keep it after down");
        self.add(RiskKind::NotRestored, what);
    }

    fn converted(&mut self, name: &str, to: &Column) {
        let ty = to.ty.text();
        self.computed(name);
        self.add(RiskKind::MayRefuse, format!("fails if the conversion gives a value of {name} that is no {ty}"));
    }

    fn computed(&mut self, name: &str) {
        self.add(RiskKind::ConvertsValues, format!("every value of {name} is computed anew by its conversion"));
    }

    fn constraint(&mut self, table: &str, constraint: &Constraint) {
        match constraint {
            Constraint::PrimaryKey(key) => self.key(table, &key.columns),
            Constraint::Unique(key) => self.key(table, &key.columns),
            Constraint::ForeignKey(key) => self.reference(table, key),
            Constraint::Check(check) => self.check(table, check),
        }
    }

    fn enumeration(&mut self, swap: &EnumSwap) {
        for word in swap.from.words.iter().filter(|word| !swap.to.words.contains(word)) {
            for SwappedColumn { table, column, .. } in &swap.columns {
                if let Some(new) = swap.replaced.get(word) {
                    let what = format!("rows of {table} that have {word} for their {} get {new}", column.name);
                    self.add(RiskKind::ConvertsValues, what);
                    continue;
                }
                self.add(RiskKind::MayRefuse, format!("fails if a row of {table} has {word} for its {}", column.name));
            }
        }
    }

    fn reference(&mut self, table: &str, key: &ForeignKey) {
        let columns = key.columns.join(", ");
        let what = format!("fails if {columns} of a row of {table} is not in {}", key.referenced_table);
        self.add(RiskKind::MayRefuse, what);
    }

    fn check(&mut self, table: &str, check: &Check) {
        self.add(RiskKind::MayRefuse, format!("fails if a row of {table} does not meet ({})", check.expression.text()));
    }

    fn rebuild(&mut self, rebuild: &Rebuild) {
        let table = &rebuild.alteration.to;
        let beginning = |name: &str| beginning_in(rebuild, name);
        let is_empty = |name: &String| beginning(name) == Beginning::Empty;
        for change in &rebuild.alteration.items {
            match change {
                ItemChange::Column(change) => self.column(table, change, &rebuild.copied),
                ItemChange::PrimaryKey(Change::Add(key) | Change::Alter { to: key, .. }) => {
                    self.key(&table.name, &key.columns)
                }
                // Rows without a value are not alike, and reference nothing.
                ItemChange::Unique(Change::Add(key)) if key.columns.iter().any(|one| is_empty(&one.name)) => {}
                ItemChange::Unique(Change::Add(key) | Change::Alter { to: key, .. }) => {
                    self.key(&table.name, &key.columns)
                }
                ItemChange::ForeignKey(Change::Add(key)) if key.columns.iter().any(is_empty) => {}
                ItemChange::ForeignKey(Change::Add(key) | Change::Alter { to: key, .. }) => {
                    self.reference(&table.name, key);
                }
                ItemChange::Check(Change::Add(check))
                    if let [column] = check.expression.columns()
                        && beginning(&column.name).meets(check) => {}
                ItemChange::Check(Change::Add(check) | Change::Alter { to: check, .. }) => {
                    self.check(&table.name, check);
                }
                ItemChange::Options { from, to } if to.contains("strict") && !from.contains("strict") => {
                    self.add(
                        RiskKind::MayRefuse,
                        format!("fails if a value of {} is not of its column's type", table.name),
                    );
                }
                _ => {}
            }
        }
        // New values alone are no difference of the tables.
        for (column, copied) in &rebuild.copied {
            let name = format!("{}.{column}", table.name);
            match copied {
                Copied::Expression(_) if rebuild.alteration.from.column(column).is_some() => self.computed(&name),
                Copied::Filled(..) => {
                    self.filled(&name);
                    if is_ruled(table, column) {
                        self.ruled(&table.name, column);
                    }
                }
                _ => {}
            }
        }
    }

    fn key(&mut self, table: &str, columns: &[KeyColumn]) {
        let names: Vec<_> = columns.iter().map(|column| column.name.as_str()).collect();
        self.add(RiskKind::MayRefuse, format!("fails if two rows of {table} have the same {}", names.join(", ")));
    }

    fn column(&mut self, table: &Table, change: &Change<Column>, copied: &[(String, Copied)]) {
        let source = |column: &Column| copied.iter().find(|(name, _)| *name == column.name).map(|(_, source)| source);
        match change {
            Change::Add(column) if let Some(source) = source(column) => {
                if let Copied::Expression(expression) = source {
                    self.filled_in_rebuild(table, column, expression, !column.nullable);
                }
            }
            Change::Alter { to, .. } if matches!(source(to), Some(Copied::Expression(_))) => {
                self.converted(&format!("{}.{}", table.name, to.name), to);
            }
            Change::Alter { from, to } if let Some(Copied::Filled(_, expression)) = source(to) => {
                self.filled_in_rebuild(table, to, expression, from.nullable && !to.nullable);
                self.altered(table, &Column { nullable: to.nullable, ..from.clone() }, to);
            }
            Change::Drop(column) => self.dropped(&table.name, column),
            Change::Add(column) => {
                let is_numbered = self.dialect.numbers_unasked(table) == Some(column.name.as_str());
                if !column.nullable && column.default.is_none() && column.generated.is_none() && !is_numbered {
                    self.add(
                        RiskKind::MayRefuse,
                        format!("fails if {} has rows: {} is required and has no default", table.name, column.name),
                    );
                }
                // An expression is only known to give a value of the type once it has run.
                let uncertain = column.default.as_ref().is_some_and(|default| !default.is_literal());
                if (column.generated.is_some() || uncertain) && table.has_option("strict") {
                    self.add(
                        RiskKind::MayRefuse,
                        format!("fails if {} has a row for which {} is not of its type", table.name, column.name),
                    );
                }
                if column.generated.is_some() && !column.nullable {
                    self.add(
                        RiskKind::MayRefuse,
                        format!("fails if {} has a row for which {} is null", table.name, column.name),
                    );
                }
            }
            Change::Rename { .. } => {}
            Change::Alter { from, to } => self.altered(table, from, to),
        }
    }

    fn altered(&mut self, table: &Table, from: &Column, to: &Column) {
        let name = format!("{}.{}", table.name, to.name);
        if from.nullable && !to.nullable {
            self.add(RiskKind::MayRefuse, format!("fails if a row of {} has no {}", table.name, to.name));
        }
        if from.generated.is_none() && to.generated.is_some() {
            self.add(RiskKind::LosesData, format!("the values of {name} give way to its expression"));
        }
        // In a strict table the name is a rule, and not only a preference.
        let converts = from.ty != to.ty && (table.has_option("strict") || !self.dialect.stores_alike(&from.ty, &to.ty));
        if converts {
            let what = format!(
                "the values of {name} are stored again as {}; what does not convert stays as it is",
                to.ty.text()
            );
            self.add(RiskKind::ConvertsValues, what);
        }
        let compares_otherwise = converts || from.collation != to.collation || from.generated != to.generated;
        if compares_otherwise && is_constrained(table, &to.name) {
            let what =
                format!("fails if rows of {} do not meet its keys and checks once {} has changed", table.name, to.name);
            self.add(RiskKind::MayRefuse, what);
        }
    }
}

/// The column, and what is computed from it.
pub(super) fn with_computed<'t>(table: &'t Table, column: &'t str) -> Vec<&'t str> {
    let mut names = vec![column];
    let mut at = 0;
    while let Some(read) = names.get(at).copied() {
        at += 1;
        for one in &table.columns {
            let reads = one.generated.as_ref().is_some_and(|one| one.expression.mentions(read));
            if reads && !names.contains(&one.name.as_str()) {
                names.push(&one.name);
            }
        }
    }
    names
}

/// Whether a key or unique index looks at the column, directly or by way of a generated one.
fn is_in_key(table: &Table, column: &str) -> bool {
    with_computed(table, column).into_iter().any(|column| {
        let same = |name: &str| table.case.same_item(name, column);
        let in_key = |columns: &[KeyColumn]| columns.iter().any(|one| same(&one.name));
        let in_index = |index: &Index| {
            let in_part = |part: &IndexPart| match &part.key {
                IndexKey::Column(name) => same(name),
                IndexKey::Expression(expression) => expression.mentions(column),
            };
            index.parts.iter().any(in_part) || index.predicate.as_ref().is_some_and(|one| one.mentions(column))
        };
        table.primary_key.as_ref().is_some_and(|key| in_key(&key.columns))
            || table.uniques.iter().any(|key| in_key(&key.columns))
            || table.indexes.iter().any(|index| index.unique && in_index(index))
    })
}

/// Whether a key, reference, check, unique index or rule about types looks at the column, directly or by way of a
/// generated one.
pub(super) fn is_constrained(table: &Table, column: &str) -> bool {
    is_ruled(table, column) || table.has_option("strict")
}

/// Whether a key, reference, check or unique index looks at the column, directly or by way of a generated one.
pub(super) fn is_ruled(table: &Table, column: &str) -> bool {
    let in_check_or_reference = |column: &str| {
        let same = |name: &String| table.case.same_item(name, column);
        table.foreign_keys.iter().any(|key| key.columns.iter().any(same))
            || table.checks.iter().any(|check| check.expression.mentions(column))
    };
    is_in_key(table, column) || with_computed(table, column).into_iter().any(in_check_or_reference)
}
