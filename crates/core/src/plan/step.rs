//! The steps a plan is made of.

use crate::diff::TableAlteration;
use crate::physical::{Check, Column, ForeignKey, Index, Table};

/// One change in its place. A typed value, never text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// Make a table, without its indexes.
    CreateTable(Table),
    /// Drop a table and all that belongs to it.
    DropTable(Table),
    /// Give a table another name, by way of a third where the two differ in letter case alone.
    RenameTable {
        /// The name it has.
        from: String,
        /// The name it gets.
        to: String,
        /// The third name.
        by_way_of: String,
    },
    /// Make a table anew under its name, with its rows.
    RebuildTable(Box<Rebuild>),
    /// Add a column at the end.
    AddColumn {
        /// The table.
        table: String,
        /// The column.
        column: Column,
        /// Checks that come with it.
        checks: Vec<Check>,
        /// References that come with it.
        foreign_keys: Vec<ForeignKey>,
    },
    /// Drop a column.
    DropColumn {
        /// The table.
        table: String,
        /// The column.
        column: Column,
    },
    /// Give a column another name, by way of a third where the two differ in letter case alone.
    RenameColumn {
        /// The table.
        table: String,
        /// The name it has.
        from: String,
        /// The name it gets.
        to: String,
        /// The third name.
        by_way_of: String,
    },
    /// Make an index.
    CreateIndex {
        /// The table.
        table: String,
        /// The index.
        index: Index,
    },
    /// Drop an index.
    DropIndex {
        /// The table.
        table: String,
        /// The index.
        index: Index,
    },
}

/// A table made anew.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rebuild {
    /// The table as it is, as it is to be, and what differs.
    pub alteration: TableAlteration,
    /// The name it has while it is filled.
    pub temporary: String,
    /// Columns whose values are copied: the old name and the new one.
    pub copied: Vec<(String, String)>,
    /// Indexes that stay as they are and have to be made again.
    pub kept_indexes: Vec<Index>,
}

/// How the differences of one table can be made.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Alteration {
    /// By these steps, indexes aside.
    InPlace(Vec<Step>),
    /// Only by making the table anew.
    Rebuild,
}

impl Step {
    /// The kind of step and of object, in one word.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::CreateTable(_) => "create-table",
            Self::DropTable(_) => "drop-table",
            Self::RenameTable { .. } => "rename-table",
            Self::RebuildTable(_) => "rebuild-table",
            Self::AddColumn { .. } => "add-column",
            Self::DropColumn { .. } => "drop-column",
            Self::RenameColumn { .. } => "rename-column",
            Self::CreateIndex { .. } => "create-index",
            Self::DropIndex { .. } => "drop-index",
        }
    }

    /// The table it is about, by its name afterwards.
    pub fn table(&self) -> &str {
        match self {
            Self::CreateTable(table) | Self::DropTable(table) => &table.name,
            Self::RenameTable { to, .. } => to,
            Self::RebuildTable(rebuild) => &rebuild.alteration.to.name,
            Self::AddColumn { table, .. }
            | Self::DropColumn { table, .. }
            | Self::RenameColumn { table, .. }
            | Self::CreateIndex { table, .. }
            | Self::DropIndex { table, .. } => table,
        }
    }

    /// The object it is about: the table, and what in it.
    pub fn object(&self) -> String {
        let table = self.table();
        match self {
            Self::CreateTable(_) | Self::DropTable(_) | Self::RenameTable { .. } | Self::RebuildTable(_) => {
                table.to_owned()
            }
            Self::AddColumn { column, .. } | Self::DropColumn { column, .. } => format!("{table}.{}", column.name),
            Self::RenameColumn { to, .. } => format!("{table}.{to}"),
            Self::CreateIndex { index, .. } | Self::DropIndex { index, .. } => format!("{table}.{}", index.name),
        }
    }

    /// What it does, in words.
    pub fn title(&self) -> String {
        match self {
            Self::CreateTable(table) => format!("create table {}", table.name),
            Self::DropTable(table) => format!("drop table {}", table.name),
            Self::RenameTable { from, to, .. } => format!("rename table {from} to {to}"),
            Self::RebuildTable(rebuild) => format!("rebuild table {}", rebuild.alteration.to.name),
            Self::AddColumn { table, column, .. } => format!("add column {table}.{}", column.name),
            Self::DropColumn { table, column } => format!("drop column {table}.{}", column.name),
            Self::RenameColumn { table, from, to, .. } => format!("rename column {table}.{from} to {to}"),
            Self::CreateIndex { table, index } => format!("create index {} on {table}", index.name),
            Self::DropIndex { index, .. } => format!("drop index {}", index.name),
        }
    }

    /// Why a table is made anew: what differs, one line each. Other steps say it in their title.
    pub fn reasons(&self) -> Vec<String> {
        let Self::RebuildTable(rebuild) = self else { return Vec::new() };
        let changes = crate::diff::Changes {
            tables: vec![crate::diff::TableChange::Alter(Box::new(rebuild.alteration.clone()))],
        };
        let reports = crate::diff::describe(&changes);
        let lines = reports.iter().flat_map(|report| &report.lines).filter(|line| line.kind != "index");
        lines.map(ToString::to_string).collect()
    }
}
