//! A project and a database of its own, on any provider; what is in the database is asked without the tool.

use std::path::Path;
use std::sync::atomic::{AtomicUsize, Ordering};

use hollow_oak_core::Provider;
use hollow_oak_testkit::oracle;
use hollow_oak_testkit::server::{Connects, PrivateServer, shared, wanted};
use hollow_oak_testkit::store::Store;

use super::Project;

pub struct Stage<'a> {
    pub project: Project,
    /// None for SQLite.
    pub server: Option<&'a PrivateServer>,
    pub database: String,
}

/// Runs a test on every provider that is wanted.
pub fn on_each_provider(test: impl Fn(Provider)) {
    for provider in [Provider::Sqlite, Provider::Postgres, Provider::Mariadb, Provider::Mysql] {
        if wanted(provider) {
            test(provider);
        }
    }
}

impl<'a> Stage<'a> {
    pub fn of(provider: Provider, declarations: &str) -> Self {
        match provider {
            Provider::Sqlite => {
                let database = "brackenfold.db".to_owned();
                Self { project: Project::new(declarations), server: None, database }
            }
            _ => Self::on(shared(provider), declarations),
        }
    }

    pub fn on(server: &'a PrivateServer, declarations: &str) -> Self {
        static NUMBER: AtomicUsize = AtomicUsize::new(0);
        let database = format!("oak_{}", NUMBER.fetch_add(1, Ordering::Relaxed));
        let project = Project::empty();
        let provider = server.provider();
        project.write(
            "hollow-oak.toml",
            &format!(
                "[project]\nname = \"brackenfold\"\ndefault_target = \"dev\"\n\n[providers]\n{provider} = {{}}\n\n\
                 [targets.dev]\nurl = \"{}\"\nlock_wait = \"20s\"\n",
                server.url(&database)
            ),
        );
        project.declare(declarations);
        Self { project, server: Some(server), database }
    }

    pub fn store(&self) -> Box<dyn Store> {
        match self.server {
            None => Box::new(rusqlite::Connection::open(self.file()).expect("the file opens")),
            Some(server) if server.provider() == Provider::Postgres => {
                Box::new(server.postgres(&self.database).expect("the server answers"))
            }
            Some(server) => Box::new(server.mariadb(Some(&self.database)).expect("the server answers")),
        }
    }

    fn file(&self) -> std::path::PathBuf {
        self.project.file(&self.database)
    }

    pub fn sql(&self, sql: &str) {
        self.store().execute(sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
    }

    /// The rows, each with bars between its values; null is nothing.
    pub fn query(&self, sql: &str) -> Vec<String> {
        let rows = self.store().texts(sql).unwrap_or_else(|error| panic!("{sql}: {error}"));
        let text =
            |row: Vec<Option<String>>| row.into_iter().map(Option::unwrap_or_default).collect::<Vec<_>>().join("|");
        rows.into_iter().map(text).collect()
    }

    pub fn dump(&self) -> String {
        let dump = match self.server {
            None => oracle::schema(Path::new(&self.file())),
            Some(server) => oracle::dump(server, &self.database),
        };
        dump.unwrap_or_else(|error| panic!("{error}"))
    }

    #[track_caller]
    pub fn assert_same(&self, left: &str, right: &str) {
        let answer = self.project.oak(&["diff", left, right]);
        assert!(answer.status == 0 && answer.stdout.starts_with("no difference"), "{answer:#?}");
    }

    /// How many migrations the project has.
    pub fn migrations(&self) -> usize {
        let folder = std::fs::read_dir(self.project.file("migrations")).expect("the folder is there");
        folder.filter(|entry| entry.as_ref().is_ok_and(|entry| entry.path().is_dir())).count()
    }

    pub fn status(&self) -> serde_json::Value {
        serde_json::from_str(&self.project.ok(&["status", "--json"])).expect("status is JSON")
    }
}
