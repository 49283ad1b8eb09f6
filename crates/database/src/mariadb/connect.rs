//! Reaching a server, and making a database.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, ToSocketAddrs};
use std::time::Duration;

use hollow_oak_core::Dialect;
use mysql::{Conn, DriverError, OptsBuilder, SslOpts};

use super::session::{MariadbSession, server_error};
use crate::database::Opening;
use crate::error::DatabaseError;
use crate::server::Connection;
use crate::tls;
use crate::url::{Host, ServerUrl, Tls};

/// The server's error numbers that matter here (MariaDB, "MariaDB Error Codes").
mod number {
    pub(super) const ACCESS_DENIED_TO_DATABASE: u16 = 1044;
    pub(super) const ACCESS_DENIED: u16 = 1045;
    /// MySQL 9.7, "Server Error Message Reference", ER_SECURE_TRANSPORT_REQUIRED.
    pub(super) const WANTS_ENCRYPTION: u16 = 3159;
    pub(super) const UNKNOWN_DATABASE: u16 = 1049;
}

/// Opens a database; makes it first where that is asked for.
pub(crate) fn open(url: &ServerUrl, opening: Opening) -> Result<Connection, DatabaseError> {
    // The driver would not say what is wrong with a file of authorities.
    if url.tls == Tls::VerifyFull && matches!(url.host, Host::Network(_)) {
        tls::client(url).map_err(|message| DatabaseError::Untrusted { place: url.place(), message })?;
    }
    match connect(url, Some(&url.database)) {
        Ok(connection) => Ok(Connection::new(Box::new(MariadbSession::new(connection, url)?), url, opening.lock_wait)),
        Err(error) if said(&error) == Some(number::UNKNOWN_DATABASE) => {
            if !opening.create {
                return Ok(Connection::missing(url, opening.lock_wait));
            }
            create(url)?;
            let connection = connect(url, Some(&url.database)).map_err(|error| refused(url, &error))?;
            Ok(Connection::new(Box::new(MariadbSession::new(connection, url)?), url, opening.lock_wait))
        }
        Err(error) => Err(refused(url, &error)),
    }
}

fn create(url: &ServerUrl) -> Result<(), DatabaseError> {
    use mysql::prelude::Queryable;
    let mut connection = connect(url, None).map_err(|error| refused(url, &error))?;
    let name = Dialect::Mariadb(hollow_oak_core::dialect::Flavor::Mariadb).quote(&url.database);
    let sql = format!("create database if not exists {name} default character set utf8mb4 collate utf8mb4_unicode_ci");
    connection.query_drop(sql).map_err(|error| server_error(url.provider, &error).into())
}

fn said(error: &mysql::Error) -> Option<u16> {
    match error {
        mysql::Error::MySqlError(said) => Some(said.code),
        _ => None,
    }
}

fn connect(url: &ServerUrl, database: Option<&str>) -> Result<Conn, mysql::Error> {
    let user = url.user.clone().or_else(|| whoami::username().ok());
    let mut options = OptsBuilder::new()
        .user(user)
        .pass(url.password.clone())
        .db_name(database)
        .tcp_connect_timeout(Some(Duration::from_secs(10)))
        .prefer_socket(false);
    options = match &url.host {
        Host::Network(name) => options.ip_or_hostname(Some(name)).tcp_port(url.port.unwrap_or(3306)),
        Host::Socket(path) => options.socket(Some(path.display().to_string())),
    };
    match (log_in(url, options.clone()), &url.host) {
        (Err(error), Host::Network(name)) if is_unreachable(&error) => {
            // The driver gives up at the first address of a name: `localhost` may be `::1` first, where nobody listens. From
            // an address of its own it tries all of that one's kind.
            let port = url.port.unwrap_or(3306);
            for own in kinds_of_addresses(name, port) {
                match log_in(url, options.clone().bind_address(Some(own))) {
                    Err(error) if is_unreachable(&error) => {}
                    answer => return answer,
                }
            }
            Err(error)
        }
        (answer, _) => answer,
    }
}

/// Any address of this machine of each kind that the host has addresses of, in their order; none for a host with one address.
fn kinds_of_addresses(host: &str, port: u16) -> Vec<SocketAddr> {
    let found: Vec<SocketAddr> = (host, port).to_socket_addrs().map(Iterator::collect).unwrap_or_default();
    let mut kinds: Vec<SocketAddr> = Vec::new();
    if found.len() > 1 {
        for address in found {
            let any = match address.ip() {
                IpAddr::V4(_) => IpAddr::V4(Ipv4Addr::UNSPECIFIED),
                IpAddr::V6(_) => IpAddr::V6(Ipv6Addr::UNSPECIFIED),
            };
            let own = SocketAddr::new(any, 0);
            if !kinds.contains(&own) {
                kinds.push(own);
            }
        }
    }
    kinds
}

fn is_unreachable(error: &mysql::Error) -> bool {
    matches!(error, mysql::Error::DriverError(DriverError::CouldNotConnect(_) | DriverError::ConnectTimeout))
}

fn log_in(url: &ServerUrl, options: OptsBuilder) -> Result<Conn, mysql::Error> {
    if matches!(url.host, Host::Socket(_)) || url.tls == Tls::Disable {
        return Conn::new(options);
    }
    let mut tls = SslOpts::default();
    if let Some(file) = &url.authorities {
        tls = tls.with_root_cert_path(Some(file.clone()));
    }
    if url.tls != Tls::VerifyFull {
        tls = tls.with_danger_accept_invalid_certs(true).with_danger_skip_domain_validation(true);
    }
    match Conn::new(options.clone().ssl_opts(tls)) {
        Err(mysql::Error::DriverError(DriverError::TlsNotSupported)) if url.tls == Tls::Prefer => Conn::new(options),
        other => other,
    }
}

fn refused(url: &ServerUrl, error: &mysql::Error) -> DatabaseError {
    let place = url.place();
    let user = url.user.clone().unwrap_or_default();
    let message = match error {
        mysql::Error::MySqlError(said) => said.message.clone(),
        // The driver's own form for it has the names of its types around it, and the address once more.
        mysql::Error::DriverError(DriverError::CouldNotConnect(Some((_, words, _)))) => words.clone(),
        mysql::Error::DriverError(error) => error.to_string(),
        other => other.to_string(),
    };
    match (error, said(error)) {
        (_, Some(number::ACCESS_DENIED)) => DatabaseError::LoginRefused { place, user, message },
        (_, Some(number::WANTS_ENCRYPTION)) => DatabaseError::WantsEncryption { place },
        (_, Some(number::ACCESS_DENIED_TO_DATABASE)) => DatabaseError::NoRight { user, message },
        (_, Some(_)) => server_error(url.provider, error).into(),
        (mysql::Error::DriverError(DriverError::UnknownAuthPlugin(plugin)), _) => {
            DatabaseError::UnknownLogin { place, user, plugin: plugin.clone() }
        }
        (mysql::Error::TlsError(error), _) => DatabaseError::Untrusted { place, message: error.to_string() },
        (mysql::Error::DriverError(DriverError::TlsNotSupported), _) => DatabaseError::NotEncrypted { place },
        // The driver has no kind of its own for it.
        _ if message.contains("certificate") => {
            let plain = message.split(['`', '\'']).nth(1).unwrap_or(&message).to_owned();
            DatabaseError::Untrusted { place, message: plain }
        }
        _ => DatabaseError::Unreachable { provider: url.provider, place, message },
    }
}
