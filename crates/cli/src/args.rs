//! The command line.

use std::path::PathBuf;
use std::time::Duration;

use clap::{Args, Parser, Subcommand, ValueEnum};
use hollow_oak_core::history::Decisions;
use hollow_oak_database::Undecided;

use crate::later::Later;

/// Declare the database schema you want; diff, review and apply what it takes to get there.
#[derive(Debug, Parser)]
#[command(name = "oak", version, about, max_term_width = 100, disable_help_subcommand = true)]
#[command(after_help = "`oak` alone says where the project stands and what to type next.")]
pub struct Cli {
    /// Options of every command.
    #[command(flatten)]
    pub global: Global,
    /// What to do; nothing means to look where the project stands.
    #[command(subcommand)]
    pub command: Option<Command>,
}

/// Options of every command.
#[derive(Clone, Debug, Default, Args)]
#[command(next_help_heading = "Global options")]
pub struct Global {
    /// The project's folder [default: this one, or the nearest above with a hollow-oak.toml]
    #[arg(long, global = true, value_name = "DIR")]
    pub project: Option<PathBuf>,
    /// The target to work on [default: the project's default target]
    #[arg(long, global = true, value_name = "NAME", conflicts_with = "url")]
    pub target: Option<String>,
    /// A target without a configuration, such as sqlite:app.db
    #[arg(long, global = true, value_name = "URL")]
    pub url: Option<String>,
    /// Wait this long for a server that is not up yet, such as 30s
    #[arg(long, global = true, value_name = "TIME", value_parser = span_of_time)]
    pub wait: Option<Duration>,
    /// Read .sql declarations by running them on a scratch database of the target's server
    #[arg(long, global = true)]
    pub through_server: bool,
    /// Answer with one JSON document on standard output
    #[arg(long, global = true)]
    pub json: bool,
    /// Say only what was asked for
    #[arg(long, short, global = true, conflicts_with = "verbose")]
    pub quiet: bool,
    /// Say more about what happens
    #[arg(long, short, global = true)]
    pub verbose: bool,
    /// No colours (also NO_COLOR)
    #[arg(long, global = true)]
    pub no_color: bool,
    /// Answer every question with yes
    #[arg(long, short, global = true)]
    pub yes: bool,
}

/// The commands.
#[derive(Debug, Subcommand)]
pub enum Command {
    /// Start a project: configuration, a first declaration, a migrations folder
    Init,
    /// Read the declarations and say what is wrong
    Check,
    /// Lay out declaration files in the one standard form
    Format(Later<FormatArgs>),
    /// What differs between two sides
    Diff(Later<DiffArgs>),
    /// Write a migration: what changed since the last one, as up and down scripts
    Draft(Later<DraftArgs>),
    /// Draw the newest migration up anew, where no target has it applied; own SQL and choices are kept
    Redraft(Later<RedraftArgs>),
    /// Show a migration's up script beside its down script, with the risks of each step
    Review(Later<ReviewArgs>),
    /// Remove the newest draft, unless a target has it applied
    Discard,
    /// How a target stands: applied, pending, edited, drifted, forked
    Status(Later<StatusArgs>),
    /// Bring a target up to the newest migration, or to a named one
    Apply(Later<ApplyArgs>),
    /// Bring a target down again
    Revert(Later<RevertArgs>),
    /// Correct the journal of a target without running anything
    #[command(subcommand)]
    Mark(MarkCommand),
    /// Bring a target in line with the declarations, and keep no migration: for prototypes
    Sync(Later<SyncArgs>),
    /// Drop what is managed, apply everything, load rows for development: disposable targets only
    Rebuild,
    /// Take changes made by hand on a target into the declarations, with a migration that counts as applied there
    Absorb(Later<AbsorbArgs>),
    /// Take an existing database in: declarations, and a baseline migration that counts as applied
    Adopt(Later<AdoptArgs>),
    /// What was put aside by migrations that dropped it
    #[command(subcommand)]
    Kept(KeptCommand),
    /// What a target holds now: tables, columns, keys, a few rows
    Show(Later<ShowArgs>),
    /// Check configuration and connections, and say how to mend what is wrong
    Doctor,
    /// Play the journey on sample data, in a temporary folder
    Demo(Later<DemoArgs>),
    /// Print completions for a shell
    Completions(Later<CompletionsArgs>),
    /// Print the manual page
    Manual,
}

/// `oak format`
#[derive(Debug, Args)]
pub struct FormatArgs {
    /// Files to lay out [default: the project's declarations]
    pub files: Vec<PathBuf>,
    /// Change nothing; exit with 3 when a file is not in standard form
    #[arg(long)]
    pub check: bool,
}

/// `oak diff`
#[derive(Debug, Args)]
#[command(after_help = "A side is `declared`, `history` (the newest migration), `history@7`, `live` (the target), \
    `live@NAME`, `empty`, or the path of a declaration file or folder.")]
pub struct DiffArgs {
    /// The side that is
    #[arg(default_value = "history")]
    pub left: String,
    /// The side that is to be
    #[arg(default_value = "declared")]
    pub right: String,
    /// Exit with 3 when there are differences
    #[arg(long)]
    pub exit_code: bool,
    /// Print the statements that would turn LEFT into RIGHT
    #[arg(long)]
    pub sql: bool,
}

/// `oak draft`
#[derive(Debug, Args)]
pub struct DraftArgs {
    /// What the migration is for, in a few words
    pub title: String,
    /// Write an empty migration for own SQL
    #[arg(long)]
    pub empty: bool,
    #[command(flatten)]
    pub decided: Decided,
}

/// `oak redraft`
#[derive(Debug, Args)]
pub struct RedraftArgs {
    /// Number, folder or slug; only the newest can be drawn up anew [default: the newest]
    pub migration: Option<String>,
    #[command(flatten)]
    pub decided: Decided,
}

/// What a person decides about a migration; the same as in `record.toml`.
#[derive(Clone, Debug, Default, Args)]
pub struct Decided {
    /// A column or table is renamed: `keeper.name=full_name`, `members=keeper`
    #[arg(long, value_name = "OLD=NEW")]
    pub rename: Vec<String>,
    /// A column or table goes, although one like it comes: `keeper.name`
    #[arg(long, value_name = "OLD")]
    pub no_rename: Vec<String>,
    /// What rows get that have no value: `hive.site='Lower Heath'`, or an SQL expression in parentheses
    #[arg(long, value_name = "COLUMN=VALUE")]
    pub fill: Vec<String>,
    /// Fill this many rows at a time, each lot committed by itself: for large tables (PostgreSQL, MariaDB)
    #[arg(long, value_name = "ROWS", value_parser = clap::value_parser!(u32).range(1..))]
    pub batch: Option<u32>,
    /// Let others read and write meanwhile, each long step committed by itself: indexes are built beside them,
    /// constraints checked afterwards (PostgreSQL)
    #[arg(long)]
    pub online: bool,
    /// Take the bodies of routines as they stand, also where they name what is not there (PostgreSQL)
    #[arg(long)]
    pub unchecked_bodies: bool,
    /// What becomes of every value of a column, in SQL: `hive.weight='weight * 1000'`
    #[arg(long, value_name = "COLUMN=SQL")]
    pub convert: Vec<String>,
    /// The same for the way back: `hive.weight='weight / 1000.0'`
    #[arg(long, value_name = "COLUMN=SQL")]
    pub convert_back: Vec<String>,
    /// What rows get in the place of a word of an enum that goes with up, or with down: `temper.wild=calm`
    #[arg(long, value_name = "WORD=WORD")]
    pub replace: Vec<String>,
    /// Put what goes aside, so that down brings it back: `hive.notes`, `hive`; alone, everything that goes
    #[arg(long, value_name = "WHAT", num_args = 0..=1, default_missing_value = "")]
    pub keep: Vec<String>,
}

impl Decided {
    /// As they are recorded.
    pub fn decisions(&self) -> Decisions {
        Decisions {
            rename: self.rename.clone(),
            no_rename: self.no_rename.clone(),
            fill: self.fill.clone(),
            convert: self.convert.clone(),
            convert_back: self.convert_back.clone(),
            keep: self.keep.clone(),
            replace: self.replace.clone(),
            batch: self.batch,
            online: self.online,
            unchecked_bodies: self.unchecked_bodies,
        }
    }
}

/// `oak review`
#[derive(Debug, Args)]
pub struct ReviewArgs {
    /// Number, folder or slug [default: the newest]
    pub migration: Option<String>,
    /// Accept a risk of every step that has it; `record.toml` keeps it with the reason
    #[arg(long, value_name = "RISK", requires = "because", value_parser = ["loses-data"])]
    pub accept: Option<String>,
    /// Why the risk is accepted
    #[arg(long, value_name = "REASON", requires = "accept")]
    pub because: Option<String>,
}

/// `oak status`
#[derive(Debug, Args)]
pub struct StatusArgs {
    /// Exit with 3 when migrations are pending or anything is amiss
    #[arg(long)]
    pub exit_code: bool,
}

/// A check that a run makes first and that may be overridden; the journal records it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, ValueEnum)]
pub enum Check {
    /// The database is not as the newest applied migration left it
    Drift,
    /// A script was edited after it was applied
    Edited,
    /// Two migrations follow the same one
    Fork,
    /// An ancestor is not in the folder, or not applied
    Missing,
    /// Rows that the migration would be refused by are there
    Rows,
    /// The journal has a migration that the folder does not
    Unknown,
}

impl Check {
    /// The word on the command line and in the journal.
    pub fn word(self) -> &'static str {
        match self {
            Self::Drift => "drift",
            Self::Edited => "edited",
            Self::Fork => "fork",
            Self::Missing => "missing",
            Self::Rows => "rows",
            Self::Unknown => "unknown",
        }
    }
}

/// `oak apply`
#[derive(Debug, Default, Args)]
pub struct ApplyArgs {
    /// Stop after this migration: number, folder or slug
    #[arg(long, value_name = "MIGRATION")]
    pub to: Option<String>,
    /// Print the SQL that would run, and run nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Go on although this check fails; the journal records it
    #[arg(long, value_name = "CHECK", value_delimiter = ',')]
    pub despite: Vec<Check>,
    #[command(flatten)]
    pub interrupted: Interrupted,
}

/// What becomes of a step that was interrupted, where that cannot be found out.
#[derive(Clone, Copy, Debug, Default, Args)]
pub struct Interrupted {
    /// Run the interrupted step again
    #[arg(long, conflicts_with = "skip_step")]
    repeat_step: bool,
    /// Take the interrupted step for done
    #[arg(long)]
    skip_step: bool,
}

impl Interrupted {
    /// The person's word, if there is one.
    pub fn undecided(self) -> Option<Undecided> {
        match (self.repeat_step, self.skip_step) {
            (true, _) => Some(Undecided::Repeat),
            (_, true) => Some(Undecided::Skip),
            _ => None,
        }
    }
}

fn span_of_time(text: &str) -> Result<Duration, String> {
    let parsed: Option<jiff::SignedDuration> = text.parse().ok();
    parsed
        .and_then(|span| Duration::try_from(span).ok())
        .ok_or_else(|| "a span of time is such as 30s or 2m".to_owned())
}

/// `oak revert`
#[derive(Debug, Args)]
pub struct RevertArgs {
    /// Revert everything after this migration: number, folder or slug; `empty` reverts all
    #[arg(long, value_name = "MIGRATION", conflicts_with = "steps")]
    pub to: Option<String>,
    /// Revert this many migrations [default: 1]
    #[arg(long, value_name = "N")]
    pub steps: Option<usize>,
    /// Print the SQL that would run, and run nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Go on although this check fails; the journal records it
    #[arg(long, value_name = "CHECK", value_delimiter = ',')]
    pub despite: Vec<Check>,
    /// Revert although rows or values that are there now are lost
    #[arg(long, value_name = "RISK", requires = "because", value_parser = ["loses-data"])]
    pub accept: Option<String>,
    /// Why the risk is accepted; the journal records it
    #[arg(long, value_name = "REASON", requires = "accept")]
    pub because: Option<String>,
    #[command(flatten)]
    pub interrupted: Interrupted,
}

/// `oak mark`
#[derive(Debug, Subcommand)]
pub enum MarkCommand {
    /// A migration counts as applied, though nothing ran
    Applied(MarkArgs),
    /// A migration counts as pending, though it was applied
    Pending(MarkArgs),
}

/// `oak mark applied`, `oak mark pending`
#[derive(Debug, Args)]
pub struct MarkArgs {
    /// Number, folder or slug
    pub migration: String,
    /// Why; the journal records it
    #[arg(long, value_name = "REASON")]
    pub because: Option<String>,
}

/// `oak sync`
#[derive(Debug, Args)]
pub struct SyncArgs {
    /// Print the SQL that would run, and run nothing
    #[arg(long)]
    pub dry_run: bool,
    /// Drop what is there and not declared, too
    #[arg(long)]
    pub drop: bool,
    /// Run what loses data
    #[arg(long, value_name = "RISK", value_parser = ["loses-data"])]
    pub accept: Vec<String>,
    /// Sync a target although it has migrations
    #[arg(long)]
    pub anyway: bool,
}

/// `oak absorb`
#[derive(Debug, Args)]
pub struct AbsorbArgs {
    /// Tables, views and other things that nobody declared, to be taken in as well
    pub names: Vec<String>,
    /// Bring the target back to what its newest migration left, instead
    #[arg(long, conflicts_with_all = ["names", "fill", "batch", "online", "unchecked_bodies", "convert", "convert_back", "replace", "keep"])]
    pub undo: bool,
    /// With `--undo`: run what loses data
    #[arg(long, value_name = "RISK", value_parser = ["loses-data"], requires = "undo")]
    pub accept: Vec<String>,
    /// The migration's title
    #[arg(long, default_value = "changes made by hand")]
    pub title: String,
    #[command(flatten)]
    pub decided: Decided,
    /// Say what would be taken in or undone, and change nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// `oak adopt`
#[derive(Debug, Args)]
pub struct AdoptArgs {
    /// Turn a file of SQL, or those of a folder, into declarations, in place of a database
    #[arg(long, value_name = "FILE.sql")]
    pub from: Option<PathBuf>,
    /// Write a file for each table
    #[arg(long)]
    pub split: bool,
    /// Say what would be taken in, and write nothing
    #[arg(long)]
    pub dry_run: bool,
}

/// `oak kept`
#[derive(Debug, Subcommand)]
pub enum KeptCommand {
    /// List it
    List,
    /// Drop what was put aside before a day; down cannot bring it back then
    Purge(PurgeArgs),
}

/// `oak kept purge`
#[derive(Debug, Args)]
pub struct PurgeArgs {
    /// Drop what was put aside before this day, UTC: 2026-11-01
    #[arg(long, value_name = "DATE", value_parser = day)]
    pub before: jiff::civil::Date,
}

fn day(text: &str) -> Result<jiff::civil::Date, String> {
    text.parse().map_err(|_| "a day is written 2026-11-01".to_owned())
}

/// `oak show`
#[derive(Debug, Args)]
pub struct ShowArgs {
    /// A table or view [default: all]
    pub table: Option<String>,
    /// Show this many rows, too
    #[arg(long, value_name = "N", requires = "table")]
    pub rows: Option<u32>,
}

/// `oak demo`
#[derive(Debug, Args)]
pub struct DemoArgs {
    /// Leave the project in this folder
    #[arg(long, value_name = "DIR")]
    pub keep: Option<PathBuf>,
    /// Play it on this provider: a server's binaries have to be installed, or `--url` names an empty database
    #[arg(long, value_name = "PROVIDER", default_value = "sqlite", value_parser = ["sqlite", "postgres", "mariadb", "mysql"])]
    pub provider: String,
}

/// `oak completions`
#[derive(Debug, Args)]
pub struct CompletionsArgs {
    /// The shell
    pub shell: clap_complete::Shell,
}
