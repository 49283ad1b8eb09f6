//! PostgreSQL, by its own protocol.

mod catalogue;
mod connect;
mod session;

pub(crate) use connect::open;
