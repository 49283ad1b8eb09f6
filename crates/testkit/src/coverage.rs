//! Which kinds of differences a run met: feature by add, drop, alter, rename.

use std::collections::BTreeMap;
use std::fmt;

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::{Change, Changes, ItemChange, TableChange};
use hollow_oak_core::physical::Column;

const FEATURES: [&str; 14] = [
    "table",
    "column",
    "type",
    "nullability",
    "default",
    "generated",
    "collation",
    "identity",
    "primary key",
    "unique",
    "foreign key",
    "check",
    "index",
    "option",
];

const ACTIONS: [&str; 4] = ["add", "drop", "alter", "rename"];

/// Cells that cannot be met, and why.
const EXPLAINED: [(&str, &str, &str); 15] = [
    ("type", "add", "a column always has one"),
    ("type", "drop", "a column always has one"),
    ("type", "rename", "it has no name of its own"),
    ("nullability", "add", "it is yes or no"),
    ("nullability", "drop", "it is yes or no"),
    ("nullability", "rename", "it has no name"),
    ("default", "rename", "it has no name"),
    ("generated", "rename", "it has no name"),
    ("collation", "rename", "it has no name of its own"),
    ("identity", "alter", "it is yes or no on SQLite"),
    ("identity", "rename", "it has no name"),
    ("option", "alter", "it is there or not"),
    ("option", "rename", "its name is what it is"),
    ("table", "rename", "counted where letter case changes; other renames come with `formerly`"),
    ("column", "rename", "counted where letter case changes; other renames come with `formerly`"),
];

/// Cells that cannot be met on servers, and why.
const EXPLAINED_ON_SERVERS: [(&str, &str, &str); 4] = [
    ("option", "add", "the generator has no storage options for servers"),
    ("option", "drop", "the generator has no storage options for servers"),
    ("primary key", "rename", "counted where it has a name"),
    ("generated", "alter", "rare, since an expression has to keep its type"),
];

/// Counts by feature and action.
#[derive(Default)]
pub struct Coverage(BTreeMap<(&'static str, &'static str), usize>);

impl Coverage {
    fn count(&mut self, feature: &'static str, action: &'static str) {
        *self.0.entry((feature, action)).or_default() += 1;
    }

    fn change<T>(&mut self, feature: &'static str, change: &Change<T>) {
        self.count(
            feature,
            match change {
                Change::Add(_) => "add",
                Change::Drop(_) => "drop",
                Change::Alter { .. } => "alter",
                Change::Rename { .. } => "rename",
            },
        );
    }

    fn optional<T: PartialEq>(&mut self, feature: &'static str, from: Option<&T>, to: Option<&T>) {
        match (from, to) {
            (None, Some(_)) => self.count(feature, "add"),
            (Some(_), None) => self.count(feature, "drop"),
            (Some(from), Some(to)) if from != to => self.count(feature, "alter"),
            _ => {}
        }
    }

    fn column(&mut self, from: &Column, to: &Column) {
        if from.ty != to.ty {
            self.count("type", "alter");
        }
        if from.nullable != to.nullable {
            self.count("nullability", "alter");
        }
        // On SQLite the type is what numbers the rows.
        let numbers = |column: &Column| column.identity.is_some() || column.ty.canonical() == "INTEGER";
        match (numbers(from), numbers(to)) {
            (false, true) => self.count("identity", "add"),
            (true, false) => self.count("identity", "drop"),
            _ => {}
        }
        self.optional("default", from.default.as_ref(), to.default.as_ref());
        self.optional("generated", from.generated.as_ref(), to.generated.as_ref());
        self.optional("collation", from.collation.as_ref(), to.collation.as_ref());
    }

    /// Counts every difference.
    pub fn note(&mut self, changes: &Changes) {
        for change in &changes.tables {
            let alteration = match change {
                TableChange::Add(_) => {
                    self.count("table", "add");
                    continue;
                }
                TableChange::Drop(_) => {
                    self.count("table", "drop");
                    continue;
                }
                TableChange::Alter(alteration) => alteration,
            };
            self.count("table", "alter");
            if alteration.from.name != alteration.to.name {
                self.count("table", "rename");
            }
            for item in &alteration.items {
                match item {
                    ItemChange::Comment { .. } => {}
                    ItemChange::Column(change) => {
                        self.change("column", change);
                        if let Change::Alter { from, to } = change {
                            self.column(from, to);
                        }
                    }
                    ItemChange::PrimaryKey(change) => self.change("primary key", change),
                    ItemChange::Unique(change) => self.change("unique", change),
                    ItemChange::ForeignKey(change) => self.change("foreign key", change),
                    ItemChange::Check(change) => self.change("check", change),
                    ItemChange::Index(change) => self.change("index", change),
                    ItemChange::Options { from, to } => {
                        for _ in to.difference(from) {
                            self.count("option", "add");
                        }
                        for _ in from.difference(to) {
                            self.count("option", "drop");
                        }
                    }
                }
            }
        }
    }

    /// Adds another run's counts.
    pub fn merge(&mut self, other: Self) {
        for (cell, count) in other.0 {
            *self.0.entry(cell).or_default() += count;
        }
    }

    /// Cells that were not met and that nothing explains.
    pub fn unexplained(&self, dialect: Dialect) -> Vec<String> {
        let mut missing = Vec::new();
        for feature in FEATURES {
            for action in ACTIONS {
                let is_here = |explained: &&(&str, &str, &str)| explained.0 == feature && explained.1 == action;
                let more: &[_] = if dialect == Dialect::Sqlite { &[] } else { &EXPLAINED_ON_SERVERS };
                let explained = EXPLAINED.iter().chain(more).any(|one| is_here(&one));
                if !explained && !self.0.contains_key(&(feature, action)) {
                    missing.push(format!("{feature} {action}"));
                }
            }
        }
        missing
    }
}

impl fmt::Display for Coverage {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        writeln!(formatter, "{:12} {:>7} {:>7} {:>7} {:>7}", "", ACTIONS[0], ACTIONS[1], ACTIONS[2], ACTIONS[3])?;
        for feature in FEATURES {
            write!(formatter, "{feature:12}")?;
            for action in ACTIONS {
                match self.0.get(&(feature, action)) {
                    Some(count) => write!(formatter, " {count:>7}")?,
                    None => write!(formatter, " {:>7}", "·")?,
                }
            }
            writeln!(formatter)?;
        }
        for (feature, action, why) in EXPLAINED {
            if !self.0.contains_key(&(feature, action)) {
                writeln!(formatter, "no {feature} {action}: {why}")?;
            }
        }
        Ok(())
    }
}
