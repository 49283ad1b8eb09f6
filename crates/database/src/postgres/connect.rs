//! Reaching a server, and making a database.

use std::sync::Arc;
use std::time::Duration;

use hollow_oak_core::{Dialect, Provider};
use postgres::error::SqlState;
use postgres::{Client, Config, NoTls, config::SslMode};
use tokio_postgres_rustls::MakeRustlsConnect;

use super::session::{PostgresSession, server_error};
use crate::database::Opening;
use crate::error::DatabaseError;
use crate::server::Connection;
use crate::tls;
use crate::url::{Host, ServerUrl, Tls};

/// The database that is always there, and from which others are made (PostgreSQL 17, "Creating a Database").
const MAINTENANCE: &str = "postgres";

/// Opens a database; makes it first where that is asked for.
pub(crate) fn open(url: &ServerUrl, opening: Opening) -> Result<Connection, DatabaseError> {
    match connect(url, &url.database) {
        Ok(client) => Ok(connection(client, url, opening)?),
        Err(error) if is_missing(&error) => {
            if !opening.create {
                return Ok(Connection::missing(url, opening.lock_wait));
            }
            create(url)?;
            let client = connect(url, &url.database).map_err(|error| refused(url, &error))?;
            Ok(connection(client, url, opening)?)
        }
        Err(error) => Err(refused(url, &error)),
    }
}

fn connection(client: Client, url: &ServerUrl, opening: Opening) -> Result<Connection, DatabaseError> {
    let session = PostgresSession::new(client, url, opening.create)?;
    Ok(Connection::new(Box::new(session), url, opening.lock_wait))
}

/// Another session with a database that is there.
pub(super) fn another(url: &ServerUrl) -> Result<PostgresSession, DatabaseError> {
    let client = connect(url, &url.database).map_err(|error| refused(url, &error))?;
    PostgresSession::new(client, url, false)
}

fn create(url: &ServerUrl) -> Result<(), DatabaseError> {
    let mut client = connect(url, MAINTENANCE).map_err(|error| refused(url, &error))?;
    let name = Dialect::Postgres.quote(&url.database);
    // What the role is set to holds here, too.
    let settings = "set default_transaction_read_only = off; set statement_timeout = 0";
    client.batch_execute(settings).map_err(|error| server_error(&error))?;
    match client.batch_execute(&format!("create database {name} encoding 'UTF8' template template0")) {
        // Another run made it at the same moment.
        Err(error) if matches!(error.code(), Some(&SqlState::DUPLICATE_DATABASE | &SqlState::UNIQUE_VIOLATION)) => {
            Ok(())
        }
        other => other.map_err(|error| server_error(&error).into()),
    }
}

/// Why there is no connection.
enum Refusal {
    Driver(postgres::Error),
    Tls(String),
}

fn is_missing(refusal: &Refusal) -> bool {
    matches!(refusal, Refusal::Driver(error) if error.code() == Some(&SqlState::INVALID_CATALOG_NAME))
}

fn connect(url: &ServerUrl, database: &str) -> Result<Client, Refusal> {
    let mut config = Config::new();
    match &url.host {
        Host::Network(name) => config.host(name),
        Host::Socket(folder) => config.host_path(folder),
    };
    let user = url.user.clone().or_else(|| whoami::username().ok()).unwrap_or_default();
    config.user(&user).dbname(database).application_name("oak").connect_timeout(Duration::from_secs(10));
    if let Some(password) = &url.password {
        config.password(password);
    }
    if let Some(port) = url.port {
        config.port(port);
    }
    if matches!(url.host, Host::Socket(_)) || url.tls == Tls::Disable {
        config.ssl_mode(SslMode::Disable);
        return config.connect(NoTls).map_err(Refusal::Driver);
    }
    config.ssl_mode(if url.tls == Tls::Prefer { SslMode::Prefer } else { SslMode::Require });
    let client = tls::client(url).map_err(Refusal::Tls)?;
    config.connect(MakeRustlsConnect::new(Arc::unwrap_or_clone(client))).map_err(Refusal::Driver)
}

fn refused(url: &ServerUrl, refusal: &Refusal) -> DatabaseError {
    let place = url.place();
    let error = match refusal {
        Refusal::Tls(message) => return DatabaseError::Untrusted { place, message: message.clone() },
        Refusal::Driver(error) => error,
    };
    let message = error.as_db_error().map_or_else(|| deepest(error), |error| error.message().to_owned());
    match error.code() {
        Some(&SqlState::INVALID_PASSWORD | &SqlState::INVALID_AUTHORIZATION_SPECIFICATION) => {
            DatabaseError::LoginRefused { place, user: url.user.clone().unwrap_or_default(), message }
        }
        // The server is starting up or shutting down.
        Some(&SqlState::CANNOT_CONNECT_NOW) => {
            DatabaseError::Unreachable { provider: Provider::Postgres, place, message }
        }
        Some(_) => server_error(error).into(),
        // The driver has no kind of its own for it.
        None if message.contains("does not support TLS") => DatabaseError::NotEncrypted { place },
        None if error.to_string().contains("TLS") || message.contains("certificate") => {
            DatabaseError::Untrusted { place, message }
        }
        None if message.contains("password missing") => {
            let user = url.user.clone().unwrap_or_default();
            DatabaseError::LoginRefused { place, user, message: "it asks for a password, and the url has none".into() }
        }
        None => DatabaseError::Unreachable { provider: Provider::Postgres, place, message },
    }
}

/// The innermost of nested errors, which says what happened; the outer ones say while doing what.
fn deepest(error: &dyn std::error::Error) -> String {
    let mut error = error;
    while let Some(source) = error.source() {
        error = source;
    }
    error.to_string()
}
