//! The sides of a diff.

use std::path::{Path, PathBuf};

use hollow_oak_core::Dialect;
use hollow_oak_core::diff::Renames;
use hollow_oak_core::history::History;
use hollow_oak_core::physical::{Schema, Unmanaged};
use hollow_oak_core::schema::Schema as Declarations;

use hollow_oak_database::Database;

use crate::args::Global;
use crate::failure::{Failure, Result};
use crate::project::{Project, declaration_files_in, read_declared};
use crate::sql_files::SqlReading;
use crate::target::{self, Target};

/// A side of a diff, as asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Side {
    /// The declarations.
    Declared,
    /// The newest migration.
    History,
    /// A named migration.
    HistoryAt(String),
    /// The target.
    Live,
    /// A named target.
    LiveAt(String),
    /// Nothing at all.
    Empty,
    /// A declaration file or folder.
    Path(PathBuf),
}

impl Side {
    /// Reads a side's name; anything that is no keyword has to be a path that is there.
    pub fn parse(text: &str) -> Result<Self> {
        Ok(match text.split_once('@') {
            Some(("history", migration)) => Self::HistoryAt(migration.to_owned()),
            Some(("live", target)) => Self::LiveAt(target.to_owned()),
            Some(("snapshot", _)) => {
                return Err(Failure::usage("snapshots are not there yet in this version of oak").help(SIDES));
            }
            _ => match text {
                "declared" => Self::Declared,
                "history" => Self::History,
                "live" => Self::Live,
                "empty" => Self::Empty,
                path if Path::new(path).exists() => Self::Path(path.into()),
                other => {
                    let known = ["declared", "history", "live", "empty"];
                    let help =
                        hollow_oak_core::nearest::nearest(other, known).map(|word| format!("did you mean `{word}`?"));
                    return Err(Failure::usage(format!(
                        "there is no side `{other}`, and no file or folder of that name"
                    ))
                    .help(help.unwrap_or(SIDES.into())));
                }
            },
        })
    }

    /// The target it asks, if it is live.
    pub fn is_live(&self) -> bool {
        matches!(self, Self::Live | Self::LiveAt(_))
    }
}

const SIDES: &str = "a side is `declared`, `history`, `history@7`, `live`, `live@NAME`, `empty`, or a path";

/// What a side holds for one dialect.
pub struct Held {
    /// The side in words.
    pub label: String,
    /// Its tables.
    pub schema: Schema,
    /// What is declared for it, where that is known.
    pub declared: Option<Declarations>,
    /// For a live side, what the model does not describe.
    pub unmanaged: Vec<Unmanaged>,
    /// For a live side, the position of the newest applied migration.
    pub newest: Option<usize>,
    /// For a live side, its database.
    pub database: Option<Box<dyn Database>>,
}

/// What is needed to fill sides.
pub struct Sides<'a> {
    /// The project, where there is one.
    pub project: Option<&'a Project>,
    /// Its history.
    pub history: &'a History,
    /// The options.
    pub global: &'a Global,
}

impl Sides<'_> {
    /// The dialects to compare in: the target's where a side is live, else all of the project's.
    pub fn dialects(&self, sides: [&Side; 2]) -> Result<Vec<Dialect>> {
        for side in sides {
            if let Some(target) = self.target(side)? {
                return Ok(vec![target.dialect]);
            }
        }
        Ok(self.project.map_or(vec![Dialect::Sqlite], |project| project.settings.dialects.clone()))
    }

    fn target(&self, side: &Side) -> Result<Option<Target>> {
        match side {
            Side::Live => target::choose(self.project, self.global).map(Some),
            Side::LiveAt(name) => target::named(self.project()?, name).map(Some),
            _ => Ok(None),
        }
    }

    fn project(&self) -> Result<&Project> {
        self.project.ok_or_else(|| {
            Failure::new("there is no hollow-oak.toml in this folder or above it")
                .help("without a project, the sides are `live` with `--url`, `empty`, and paths")
        })
    }

    /// Fills two sides at the same time; a database and a folder do not wait for each other.
    pub fn both(&self, [left, right]: [&Side; 2], dialect: Dialect) -> Result<(Held, Held)> {
        std::thread::scope(|scope| {
            let other = scope.spawn(|| self.fill(left, dialect));
            let right = self.fill(right, dialect);
            let left = other.join().map_err(|_| Failure::new("reading the left side broke off"))?;
            Ok((left?, right?))
        })
    }

    /// Fills a side.
    pub fn fill(&self, side: &Side, dialect: Dialect) -> Result<Held> {
        let plain = |label: String, declared: Option<Declarations>, schema: Schema| Held {
            label,
            schema,
            declared,
            unmanaged: Vec::new(),
            newest: None,
            database: None,
        };
        match side {
            Side::Empty => Ok(plain("empty".into(), None, Schema::default())),
            Side::Declared => {
                let mut declared = self.project()?.valid_declared()?;
                let logical = declared.resolution.schema.take();
                Ok(plain("declared".into(), logical, declared.take_physical(dialect)))
            }
            Side::Path(path) => {
                let mut files = Vec::new();
                declaration_files_in(path, &mut files)?;
                let reading = SqlReading { project: self.project, global: self.global };
                let mut declared = read_declared(&files, Path::new(""), &[dialect], reading)?.without_errors()?;
                let logical = declared.resolution.schema.take();
                Ok(plain(path.display().to_string(), logical, declared.take_physical(dialect)))
            }
            Side::History => {
                let project = self.project()?;
                let newest = self.history.newest();
                let label =
                    newest.map_or("history (no migrations)".to_owned(), |one| format!("history ({})", one.folder));
                let (logical, physical) = project.both_after(newest, dialect)?;
                Ok(plain(label, logical, physical))
            }
            Side::HistoryAt(wanted) => {
                let project = self.project()?;
                let migration = &self.history.migrations()[self.history.find(wanted)?];
                let (logical, physical) = project.both_after(Some(migration), dialect)?;
                Ok(plain(migration.folder.clone(), logical, physical))
            }
            Side::Live | Side::LiveAt(_) => {
                let Some(target) = self.target(side)? else { return Err(Failure::new("no target")) };
                self.live(&target)
            }
        }
    }

    fn live(&self, target: &Target) -> Result<Held> {
        let database = target.open()?;
        let label = format!("live ({})", target.name);
        let Some(project) = self.project else {
            let introspected = database.introspect()?;
            let (schema, unmanaged) = (introspected.schema, introspected.unmanaged);
            return Ok(Held { label, schema, declared: None, unmanaged, newest: None, database: Some(database) });
        };
        let (events, introspected) = database.snapshot()?;
        let journal = target::journal_state(project, self.history, events);
        let standing = hollow_oak_core::history::standing(self.history, &journal, &std::collections::BTreeMap::new());
        let ignored = |name: &str| target::is_ignored(&project.settings.unmanaged_tables, name);
        let (schema, _) = introspected.schema.parted(|thing| !ignored(thing.name()));
        let unmanaged = introspected.unmanaged.into_iter().filter(|one| !ignored(&one.name)).collect();
        let newest = standing.applied.last().copied();
        Ok(Held { label, schema, declared: None, unmanaged, newest, database: Some(database) })
    }

    /// What the things of the left side are called on the right one, where the declarations of either tell.
    pub fn renames(&self, left: &Held, right: &Held) -> Result<Renames> {
        let towards = |from: &Held, to: &Held| -> Result<Renames> {
            let Some(after) = to.declared.as_ref().filter(|schema| schema.has_former_names()) else {
                return Ok(Renames::default());
            };
            if let Some(before) = &from.declared {
                return Ok(Renames::between(before, after));
            }
            match (self.project, from.newest) {
                (Some(project), Some(newest)) => {
                    let before = project.schema_after(&self.history.migrations()[newest])?;
                    Ok(Renames::between(&before, after))
                }
                _ => Ok(Renames::by_presence(&from.schema, after)),
            }
        };
        Ok(towards(right, left)?.inverse().and(towards(left, right)?))
    }
}
