//! The steps a plan is made of.

use std::collections::BTreeMap;

use super::choices::Kept;
use crate::diff::{RowUpdate, TableAlteration};
use crate::physical::{Check, Column, EnumType, ForeignKey, Index, Options, PrimaryKey, Program, Table, Unique};
use crate::plural::plural;
use crate::schema::ProgramKind;
use crate::sql::Expression;

/// One change in its place. A typed value, never text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Step {
    /// Make a table, without its indexes.
    CreateTable(Table),
    /// Drop a table and all that belongs to it.
    DropTable(Table),
    /// Give a table another name.
    RenameTable {
        /// The name it has.
        from: String,
        /// The name it gets.
        to: String,
        /// A third name in between, where the two differ in letter case alone and the provider minds.
        by_way_of: Option<String>,
        /// Its columns that number the rows: a server may keep the numbers under a name made from the table's.
        numbering: Vec<String>,
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
        /// The key that it cannot be without.
        key: Option<Constraint>,
    },
    /// Drop a column.
    DropColumn {
        /// The table.
        table: String,
        /// The column.
        column: Column,
    },
    /// Give a column another name.
    RenameColumn {
        /// The table.
        table: String,
        /// The name it has.
        from: String,
        /// The name it gets.
        to: String,
        /// A third name in between, where the two differ in letter case alone and the provider minds.
        by_way_of: Option<String>,
        /// Whether it numbers the rows.
        numbering: bool,
    },
    /// Change a column's definition in place.
    AlterColumn {
        /// The table.
        table: String,
        /// As it is.
        from: Box<Column>,
        /// As it is to be, under the same name.
        to: Box<Column>,
        /// The SQL expression of the new value, where it is not the server's own conversion.
        using: Option<String>,
    },
    /// Put a primary key in the place of another, so that its table has one at every moment.
    ChangePrimaryKey {
        /// The table.
        table: String,
        /// As it is.
        from: PrimaryKey,
        /// As it is to be.
        to: PrimaryKey,
    },
    /// Several alterations of one kind in one statement, so that the table is gone through once.
    AlterTable {
        /// The table.
        table: String,
        /// The alterations, each a step that could stand by itself.
        steps: Vec<Step>,
    },
    /// Add a key, reference or check.
    AddConstraint {
        /// The table.
        table: String,
        /// What is added.
        constraint: Constraint,
    },
    /// Drop a key, reference or check.
    DropConstraint {
        /// The table.
        table: String,
        /// What is dropped.
        constraint: Constraint,
    },
    /// Give a key, reference or check another name.
    RenameConstraint {
        /// The table.
        table: String,
        /// As it is.
        constraint: Constraint,
        /// The name it gets.
        to: String,
    },
    /// Give an index another name.
    RenameIndex {
        /// The table.
        table: String,
        /// The name it has.
        from: String,
        /// The name it gets.
        to: String,
    },
    /// Make an enum type.
    CreateEnum(EnumType),
    /// Drop an enum type.
    DropEnum(EnumType),
    /// Add a word to an enum type.
    AddEnumWord {
        /// The type.
        name: String,
        /// The word.
        word: String,
        /// The word it stands behind.
        after: Option<String>,
        /// The word it stands before, where it is the first of all.
        before: Option<String>,
    },
    /// Give a word of an enum type another name; rows that hold it follow.
    RenameEnumWord {
        /// The type.
        name: String,
        /// The word as it is.
        from: String,
        /// The word as it is to be.
        to: String,
    },
    /// Give rows values.
    FillColumn {
        /// The table.
        table: String,
        /// The column.
        column: String,
        /// The SQL expression of the value.
        expression: String,
        /// Whether rows that have a value keep it.
        only_missing: bool,
        /// Columns that the server would change with every update, and that are to stay as they are.
        untouched: Vec<String>,
        /// Whether a key or check of the table may look at the column meanwhile.
        constrained: bool,
        /// Lots that commit by themselves; nothing where all rows are filled at once.
        batch: Option<Batch>,
    },
    /// Put reference rows in.
    InsertRows {
        /// The table.
        table: String,
        /// The columns that get values.
        columns: Vec<String>,
        /// The rows, each value as SQL.
        rows: Vec<Vec<String>>,
        /// Whether the table numbers its rows and refuses given numbers.
        overriding: bool,
        /// The column that numbers the rows, where it gets values.
        numbering: Option<String>,
    },
    /// Change reference rows.
    UpdateRows {
        /// The table.
        table: String,
        /// The columns by which they are found.
        key: Vec<String>,
        /// The rows.
        rows: Vec<RowUpdate>,
    },
    /// Take reference rows out.
    DeleteRows {
        /// The table.
        table: String,
        /// The columns by which they are found.
        key: Vec<String>,
        /// Their keys, each value as SQL.
        keys: Vec<Vec<String>>,
        /// Tables whose rows go with those that they reference.
        cascades: Vec<String>,
    },
    /// Make the table that values are put aside in.
    MakeKept(Kept),
    /// Check now what waits until the end of the transaction.
    CheckDeferred {
        /// The table that changes next.
        table: String,
    },
    /// Take the bodies of the routines that follow as they stand, without a look at what they name.
    LeaveBodies,
    /// Put values aside.
    Keep(Kept),
    /// Put rows back into a table that was made again.
    Restore {
        /// What was put aside, with the SQL expressions that read it there.
        kept: Kept,
        /// Whether the table numbers its rows and refuses given numbers.
        overriding: bool,
        /// The column that numbers the rows.
        numbering: Option<String>,
    },
    /// Drop a table that values were put aside in.
    DropKept(String),
    /// Make an enum type anew under its name, with the columns that are of it.
    RemakeEnum(Box<EnumSwap>),
    /// Change a table's storage options.
    SetOptions {
        /// The table.
        table: String,
        /// As they are.
        from: Options,
        /// As they are to be.
        to: Options,
    },
    /// Make a view, trigger or routine.
    CreateProgram(Program),
    /// Drop a view, trigger or routine.
    DropProgram(Program),
    /// Describe a table or an enum type.
    SetComment {
        /// What is described.
        on: Commented,
        /// The description; nothing to take it away.
        text: Option<String>,
    },
    /// Make an index.
    CreateIndex {
        /// The table.
        table: String,
        /// The index.
        index: Index,
    },
    /// Make an index while others read and write.
    BuildIndex {
        /// The table.
        table: String,
        /// The index.
        index: Index,
    },
    /// Make a key of an index that has its name.
    UseIndex {
        /// The table.
        table: String,
        /// The primary key or unique constraint.
        constraint: Constraint,
    },
    /// Check the rows that were there before a constraint.
    ValidateConstraint {
        /// The table.
        table: String,
        /// The reference or check.
        constraint: Constraint,
        /// The column that is required next, where the check is only there for that.
        requires: Option<String>,
    },
    /// Drop an index.
    DropIndex {
        /// The table.
        table: String,
        /// The index.
        index: Index,
    },
}

/// Rows in lots along the primary key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Batch {
    /// How many rows a lot has.
    pub rows: u32,
    /// The columns of the key.
    pub key: Vec<Column>,
}

/// A key, reference or check.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Constraint {
    /// Primary key.
    PrimaryKey(PrimaryKey),
    /// Unique constraint.
    Unique(Unique),
    /// Reference.
    ForeignKey(ForeignKey),
    /// Check.
    Check(Check),
}

impl Constraint {
    /// The kind in words.
    pub fn kind(&self) -> &'static str {
        match self {
            Self::PrimaryKey(_) => "primary key",
            Self::Unique(_) => "unique",
            Self::ForeignKey(_) => "foreign key",
            Self::Check(_) => "check",
        }
    }

    /// Its name, if it has one.
    pub fn name(&self) -> Option<&str> {
        match self {
            Self::PrimaryKey(key) => key.name.as_deref(),
            Self::Unique(key) => key.name.as_deref(),
            Self::ForeignKey(key) => key.name.as_deref(),
            Self::Check(check) => check.name.as_deref(),
        }
    }

    /// Whether it only holds for rows that are written from now on.
    pub(super) fn is_unchecked(&self) -> bool {
        let attributes = match self {
            Self::ForeignKey(key) if key.dangles.0 => return true,
            Self::ForeignKey(key) => &key.attributes,
            Self::Check(check) => &check.attributes,
            Self::PrimaryKey(_) | Self::Unique(_) => return false,
        };
        attributes.contains("not valid") || attributes.contains("not enforced")
    }

    /// The same under another name.
    fn named(mut self, name: &str) -> Self {
        let place = match &mut self {
            Self::PrimaryKey(key) => &mut key.name,
            Self::Unique(key) => &mut key.name,
            Self::ForeignKey(key) => &mut key.name,
            Self::Check(check) => &mut check.name,
        };
        *place = Some(name.to_owned());
        self
    }

    /// Its name, or its kind where it has none.
    fn label(&self) -> &str {
        self.name().unwrap_or(self.kind())
    }
}

/// An enum type made anew.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct EnumSwap {
    /// As it is.
    pub from: EnumType,
    /// As it is to be.
    pub to: EnumType,
    /// The name that the old type has in between.
    pub temporary: String,
    /// The columns that are of it.
    pub columns: Vec<SwappedColumn>,
    /// Words that go, each with the one that rows get in its place.
    pub replaced: BTreeMap<String, String>,
}

/// A column whose enum type is made anew.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SwappedColumn {
    /// Its table.
    pub table: String,
    /// As it is.
    pub column: Column,
    /// The default it has afterwards: the old one may be a word that goes.
    pub default: Option<Expression>,
}

/// What a description is of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Commented {
    /// A table.
    Table(String),
    /// An enum type.
    Enum(String),
}

/// A table made anew.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Rebuild {
    /// The table as it is, as it is to be, and what differs.
    pub alteration: TableAlteration,
    /// The name it has while it is filled.
    pub temporary: String,
    /// Columns whose values are copied, by their new names.
    pub copied: Vec<(String, Copied)>,
    /// Indexes that stay as they are and have to be made again.
    pub kept_indexes: Vec<Index>,
}

/// Where a copied value comes from.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Copied {
    /// The column of this name in the old table.
    Column(String),
    /// An SQL expression over the old table.
    Expression(String),
    /// The same, which only changes reference rows.
    Updated(String),
    /// The column of this name; where that is null, an SQL expression.
    Filled(String, String),
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
    /// What it does, one by one: most steps are one alteration.
    pub fn parts(&self) -> &[Self] {
        match self {
            Self::AlterTable { steps, .. } => steps,
            one => std::slice::from_ref(one),
        }
    }

    /// The kind of step and the object, as a script's header has them; [`crate::script::ScriptStep::objects`] takes them
    /// apart again.
    pub fn header(&self) -> String {
        let parts: Vec<String> = self.parts().iter().map(|part| format!("{} {}", part.kind(), part.object())).collect();
        parts.join(" + ")
    }

    /// A rename of a constraint or index between other names, and the step that would come behind it.
    pub(super) fn renaming(self, from: &str, to: &str) -> (Self, Self) {
        match self {
            Self::RenameIndex { table, .. } => {
                let step =
                    |from: &str, to: &str| Self::RenameIndex { table: table.clone(), from: from.into(), to: to.into() };
                (step(from, to), step(to, to))
            }
            Self::RenameConstraint { table, constraint, .. } => {
                let step = |from: &str, to: &str| Self::RenameConstraint {
                    table: table.clone(),
                    constraint: constraint.clone().named(from),
                    to: to.into(),
                };
                (step(from, to), step(to, to))
            }
            other => (other.clone(), other),
        }
    }

    /// A rename of a constraint or index, of the table of this name.
    pub(super) fn of_table(mut self, name: &str) -> Self {
        if let Self::RenameIndex { table, .. } | Self::RenameConstraint { table, .. } = &mut self {
            name.clone_into(table);
        }
        self
    }

    /// The kind of step and of object, in one word.
    fn kind(&self) -> &'static str {
        match self {
            Self::CreateTable(_) => "create-table",
            Self::DropTable(_) => "drop-table",
            Self::RenameTable { .. } => "rename-table",
            Self::RebuildTable(_) => "rebuild-table",
            Self::AddColumn { .. } => "add-column",
            Self::DropColumn { .. } => "drop-column",
            Self::RenameColumn { .. } => "rename-column",
            Self::AlterColumn { .. } => "alter-column",
            Self::ChangePrimaryKey { .. } => "change-primary-key",
            Self::AlterTable { .. } => "alter-table",
            Self::AddConstraint { constraint, .. } => match constraint {
                Constraint::PrimaryKey(_) => "add-primary-key",
                Constraint::Unique(_) => "add-unique",
                Constraint::ForeignKey(_) => "add-foreign-key",
                Constraint::Check(_) => "add-check",
            },
            Self::DropConstraint { constraint, .. } => match constraint {
                Constraint::PrimaryKey(_) => "drop-primary-key",
                Constraint::Unique(_) => "drop-unique",
                Constraint::ForeignKey(_) => "drop-foreign-key",
                Constraint::Check(_) => "drop-check",
            },
            Self::RenameConstraint { .. } => "rename-constraint",
            Self::CreateIndex { .. } | Self::BuildIndex { .. } => "create-index",
            Self::UseIndex { constraint: Constraint::PrimaryKey(_), .. } => "add-primary-key",
            Self::UseIndex { .. } => "add-unique",
            Self::ValidateConstraint { .. } => "validate-constraint",
            Self::DropIndex { .. } => "drop-index",
            Self::RenameIndex { .. } => "rename-index",
            Self::CreateEnum(_) => "create-enum",
            Self::DropEnum(_) => "drop-enum",
            Self::AddEnumWord { .. } => "add-enum-word",
            Self::RenameEnumWord { .. } => "rename-enum-word",
            Self::InsertRows { .. } => "insert-rows",
            Self::UpdateRows { .. } => "update-rows",
            Self::DeleteRows { .. } => "delete-rows",
            Self::MakeKept(_) => "make-kept",
            Self::Keep(_) => "keep",
            Self::CheckDeferred { .. } => "check-deferred",
            Self::LeaveBodies => "leave-bodies",
            Self::Restore { .. } => "restore",
            Self::DropKept(_) => "drop-kept",
            Self::FillColumn { batch: None, .. } => "fill-column",
            Self::FillColumn { batch: Some(_), .. } => "fill-in-batches",
            Self::RemakeEnum(_) => "remake-enum",
            Self::SetOptions { .. } => "set-options",
            Self::CreateProgram(one) if one.alters => "alter-object",
            Self::CreateProgram(one) => match one.kind {
                ProgramKind::View => "create-view",
                ProgramKind::MaterializedView => "create-materialized-view",
                ProgramKind::Object => "create-object",
                ProgramKind::Trigger => "create-trigger",
                ProgramKind::Routine => "create-routine",
            },
            Self::DropProgram(one) => match one.kind {
                ProgramKind::View => "drop-view",
                ProgramKind::MaterializedView => "drop-materialized-view",
                ProgramKind::Object => "drop-object",
                ProgramKind::Trigger => "drop-trigger",
                ProgramKind::Routine => "drop-routine",
            },
            Self::SetComment { .. } => "set-comment",
        }
    }

    /// The table or enum type it is about, by its name afterwards.
    pub fn table(&self) -> &str {
        match self {
            Self::CreateTable(table) | Self::DropTable(table) => &table.name,
            Self::RenameTable { to, .. } => to,
            Self::RebuildTable(rebuild) => &rebuild.alteration.to.name,
            Self::AddColumn { table, .. }
            | Self::DropColumn { table, .. }
            | Self::RenameColumn { table, .. }
            | Self::AlterColumn { table, .. }
            | Self::ChangePrimaryKey { table, .. }
            | Self::AlterTable { table, .. }
            | Self::FillColumn { table, .. }
            | Self::InsertRows { table, .. }
            | Self::UpdateRows { table, .. }
            | Self::DeleteRows { table, .. }
            | Self::CheckDeferred { table }
            | Self::AddConstraint { table, .. }
            | Self::DropConstraint { table, .. }
            | Self::RenameConstraint { table, .. }
            | Self::CreateIndex { table, .. }
            | Self::BuildIndex { table, .. }
            | Self::UseIndex { table, .. }
            | Self::ValidateConstraint { table, .. }
            | Self::DropIndex { table, .. }
            | Self::RenameIndex { table, .. }
            | Self::SetOptions { table, .. } => table,
            Self::CreateEnum(one) | Self::DropEnum(one) => &one.name,
            Self::CreateProgram(one) | Self::DropProgram(one) => &one.name,
            Self::AddEnumWord { name, .. } | Self::RenameEnumWord { name, .. } | Self::DropKept(name) => name,
            Self::MakeKept(kept) | Self::Keep(kept) | Self::Restore { kept, .. } => &kept.table,
            Self::RemakeEnum(swap) => &swap.to.name,
            Self::SetComment { on: Commented::Table(name) | Commented::Enum(name), .. } => name,
            Self::LeaveBodies => "routines",
        }
    }

    /// The object it is about: the table, and what in it.
    pub fn object(&self) -> String {
        let table = self.table();
        match self {
            Self::CreateTable(_)
            | Self::DropTable(_)
            | Self::RenameTable { .. }
            | Self::RebuildTable(_)
            | Self::ChangePrimaryKey { .. }
            | Self::AlterTable { .. }
            | Self::CreateEnum(_)
            | Self::DropEnum(_)
            | Self::RemakeEnum(_)
            | Self::SetOptions { .. }
            | Self::Restore { .. }
            | Self::DropKept(_)
            | Self::CheckDeferred { .. }
            | Self::LeaveBodies
            | Self::InsertRows { .. }
            | Self::UpdateRows { .. }
            | Self::DeleteRows { .. }
            | Self::SetComment { .. } => table.to_owned(),
            Self::CreateProgram(one) | Self::DropProgram(one) => one.label(),
            Self::MakeKept(kept) | Self::Keep(kept) => {
                kept.column.as_ref().map_or(table.to_owned(), |column| format!("{table}.{column}"))
            }
            Self::AddColumn { column, .. } | Self::DropColumn { column, .. } => format!("{table}.{}", column.name),
            Self::RenameColumn { to, .. } | Self::RenameConstraint { to, .. } | Self::RenameIndex { to, .. } => {
                format!("{table}.{to}")
            }
            Self::AlterColumn { to, .. } => format!("{table}.{}", to.name),
            Self::FillColumn { column, .. } => format!("{table}.{column}"),
            Self::AddConstraint { constraint, .. }
            | Self::UseIndex { constraint, .. }
            | Self::ValidateConstraint { constraint, .. }
            | Self::DropConstraint { constraint, .. } => {
                constraint.name().map_or(table.to_owned(), |name| format!("{table}.{name}"))
            }
            Self::CreateIndex { index, .. } | Self::BuildIndex { index, .. } | Self::DropIndex { index, .. } => {
                format!("{table}.{}", index.name)
            }
            Self::AddEnumWord { word, .. } | Self::RenameEnumWord { to: word, .. } => format!("{table}.{word}"),
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
            Self::AlterColumn { table, to, .. } => format!("alter column {table}.{}", to.name),
            Self::ChangePrimaryKey { table, .. } => format!("change primary key of {table}"),
            Self::AlterTable { table, steps } => together(table, steps),
            Self::AddConstraint { table, constraint } | Self::UseIndex { table, constraint } => match constraint {
                Constraint::PrimaryKey(_) => format!("add primary key to {table}"),
                _ => format!("add {} {} to {table}", constraint.kind(), constraint.label()),
            },
            Self::DropConstraint { table, constraint } => match constraint {
                Constraint::PrimaryKey(_) => format!("drop primary key of {table}"),
                _ => format!("drop {} {} of {table}", constraint.kind(), constraint.label()),
            },
            Self::RenameConstraint { table, constraint, to } => {
                format!("rename {} {} of {table} to {to}", constraint.kind(), constraint.label())
            }
            Self::CreateIndex { table, index } | Self::BuildIndex { table, index } => {
                format!("create index {} on {table}", index.name)
            }
            Self::ValidateConstraint { table, requires: Some(column), .. } => {
                format!("check that no row of {table} is without {column}")
            }
            Self::ValidateConstraint { table, constraint, .. } => {
                format!("check rows of {table} by {} {}", constraint.kind(), constraint.label())
            }
            Self::DropIndex { index, .. } => format!("drop index {}", index.name),
            Self::RenameIndex { from, to, .. } => format!("rename index {from} to {to}"),
            Self::CreateEnum(one) => format!("create enum {}", one.name),
            Self::DropEnum(one) => format!("drop enum {}", one.name),
            Self::AddEnumWord { name, word, .. } => format!("add word {word} to enum {name}"),
            Self::RenameEnumWord { name, from, to } => format!("rename word {from} of enum {name} to {to}"),
            Self::FillColumn { table, column, batch: Some(batch), .. } => {
                format!("fill {table}.{column}, {} at a time", plural("row", batch.rows as usize))
            }
            Self::FillColumn { table, column, only_missing: true, .. } => format!("fill {table}.{column}"),
            Self::FillColumn { table, column, .. } => format!("convert {table}.{column}"),
            Self::InsertRows { table, rows, .. } => format!("insert {} into {table}", plural("row", rows.len())),
            Self::UpdateRows { table, rows, .. } => format!("update {} of {table}", plural("row", rows.len())),
            Self::DeleteRows { table, keys, .. } => format!("delete {} of {table}", plural("row", keys.len())),
            Self::MakeKept(kept) => format!("make a place for {}", kept.what()),
            Self::Keep(kept) => format!("keep {}", kept.what()),
            Self::CheckDeferred { table } => format!("check what waits, before {table} changes"),
            Self::LeaveBodies => "take the bodies of routines as they stand".into(),
            Self::Restore { kept, .. } => format!("put the rows of {} back", kept.table),
            Self::DropKept(name) => format!("drop what was kept in {name}"),
            Self::RemakeEnum(swap) => format!("make enum {} anew", swap.to.name),
            Self::SetOptions { table, .. } => format!("change options of table {table}"),
            Self::CreateProgram(one) if one.alters => format!("alter {} {}", one.kind_word(), one.name),
            Self::CreateProgram(one) => format!("create {} {}", one.kind_word(), one.name),
            Self::DropProgram(one) => format!("drop {} {}", one.kind_word(), one.name),
            Self::SetComment { on: Commented::Table(name), .. } => format!("describe table {name}"),
            Self::SetComment { on: Commented::Enum(name), .. } => format!("describe enum {name}"),
        }
    }

    /// Whether values that are there are computed anew by a conversion.
    pub fn converts(&self) -> bool {
        match self {
            Self::AlterColumn { using, .. } => using.is_some(),
            Self::AlterTable { steps, .. } => steps.iter().any(Self::converts),
            Self::FillColumn { only_missing, .. } => !only_missing,
            Self::RebuildTable(rebuild) => rebuild.copied.iter().any(|(column, copied)| {
                matches!(copied, Copied::Expression(_)) && rebuild.alteration.from.column(column).is_some()
            }),
            _ => false,
        }
    }

    /// Why a table is made anew: what differs, one line each. Other steps say it in their title.
    pub fn reasons(&self) -> Vec<String> {
        let Self::RebuildTable(rebuild) = self else { return Vec::new() };
        let changes = crate::diff::Changes {
            enums: Vec::new(),
            programs: Vec::new(),
            rows: Vec::new(),
            tables: vec![crate::diff::TableChange::Alter(Box::new(rebuild.alteration.clone()))],
        };
        let reports = crate::diff::describe(&changes);
        let lines = reports.iter().flat_map(|report| &report.lines).filter(|line| line.kind != "index");
        let values = rebuild.copied.iter().filter_map(|(column, copied)| match copied {
            Copied::Column(_) => None,
            Copied::Expression(expression) => Some(format!("values of {column}: {expression}")),
            Copied::Updated(_) => Some(format!("reference rows get their new {column}")),
            Copied::Filled(_, expression) => Some(format!("rows without {column} get: {expression}")),
        });
        lines.map(ToString::to_string).chain(values).collect()
    }
}

/// What alterations of one table do together, in words.
fn together(table: &str, steps: &[Step]) -> String {
    // What reads the column only follows.
    if let [rename @ Step::RenameColumn { .. }, ..] = steps {
        return rename.title();
    }
    let columns = steps.iter().filter_map(|step| match step {
        Step::AlterColumn { to, .. } => Some(format!("{table}.{}", to.name)),
        _ => None,
    });
    let columns: Vec<String> = columns.collect();
    if columns.len() == steps.len() {
        return format!("alter columns {}", columns.join(", "));
    }
    let constraints = steps.iter().filter_map(|step| match step {
        Step::AddConstraint { constraint, .. } => Some(constraint),
        _ => None,
    });
    let constraints: Vec<&Constraint> = constraints.collect();
    if constraints.len() == steps.len() {
        let groups = constraints.chunk_by(|a, b| a.kind() == b.kind()).map(|group| {
            let names: Vec<&str> = group.iter().map(|one| one.label()).collect();
            let plural = if names.len() > 1 { "s" } else { "" };
            format!("{}{plural} {}", group[0].kind(), names.join(", "))
        });
        return format!("add {} to {table}", groups.collect::<Vec<_>>().join(" and "));
    }
    let titles: Vec<String> = steps.iter().map(Step::title).collect();
    titles.join(", ")
}
