//! The private servers of a test run, and connections to them that do not go by way of the tool.

use std::sync::OnceLock;

use hollow_oak_core::Provider;
pub use hollow_oak_database::throwaway::{Extra, PrivateServer};

/// The providers that have a server.
pub const SERVERS: [Provider; 3] = [Provider::Postgres, Provider::Mariadb, Provider::Mysql];

/// Whether a provider's tests are to run: `OAK_TEST_PROVIDERS` names those that are. Without it they are all whose servers
/// the distribution has, which are all but MySQL.
pub fn wanted(provider: Provider) -> bool {
    std::env::var("OAK_TEST_PROVIDERS")
        .map_or(provider != Provider::Mysql, |list| list.split(',').any(|word| word.trim() == provider.word()))
}

/// The server of a provider for this whole process, without durable settings; `OAK_TEST_SERVER_SETTINGS` holds arguments for
/// it, such as `--sql-safe-updates=1`.
///
/// # Panics
///
/// Where its binaries are missing or it does not start, with the remedy.
pub fn shared(provider: Provider) -> &'static PrivateServer {
    static POSTGRES: OnceLock<PrivateServer> = OnceLock::new();
    static MARIADB: OnceLock<PrivateServer> = OnceLock::new();
    static MYSQL: OnceLock<PrivateServer> = OnceLock::new();
    let place = match provider {
        Provider::Postgres => &POSTGRES,
        Provider::Mariadb => &MARIADB,
        Provider::Mysql => &MYSQL,
        other => panic!("there is no private server for {other}"),
    };
    let settings = std::env::var("OAK_TEST_SERVER_SETTINGS").unwrap_or_default();
    let arguments = settings.split_whitespace().map(str::to_owned).collect();
    let extra = Extra { arguments, ..Extra::default() };
    place.get_or_init(|| PrivateServer::start_with(provider, false, &extra).unwrap_or_else(|error| panic!("{error}")))
}

/// Connections that do not go by way of the tool.
pub trait Connects {
    /// To PostgreSQL.
    ///
    /// # Errors
    ///
    /// Where the server does not answer.
    fn postgres(&self, database: &str) -> Result<postgres::Client, String>;

    /// To MariaDB or MySQL.
    ///
    /// # Errors
    ///
    /// Where the server does not answer.
    fn mariadb(&self, database: Option<&str>) -> Result<mysql::Conn, String>;
}

impl Connects for PrivateServer {
    fn postgres(&self, database: &str) -> Result<postgres::Client, String> {
        postgres::Config::new()
            .host_path(self.socket())
            .port(self.port())
            .user("oak")
            .dbname(database)
            .connect(postgres::NoTls)
            .map_err(|error| error.to_string())
    }

    fn mariadb(&self, database: Option<&str>) -> Result<mysql::Conn, String> {
        let socket = self.socket().display().to_string();
        let options = mysql::OptsBuilder::new()
            .socket(Some(socket))
            .user(Some("oak"))
            .db_name(database)
            .init(vec!["set names utf8mb4"]);
        mysql::Conn::new(options).map_err(|error| error.to_string())
    }
}
