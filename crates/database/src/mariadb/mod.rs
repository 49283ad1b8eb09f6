//! MariaDB and MySQL, by their own protocol.

mod catalogue;
mod connect;
mod session;

pub(crate) use connect::open;
