//! Random schemas and edits, rows for them, and an oracle, for Hollow Oak's own tests.
//!
//! Must not: be used by anything but tests.

pub mod choices;
pub mod coverage;
pub mod edit;
pub mod generate;
pub mod oracle;
pub mod programs;
pub mod rows;
pub mod scopes;
pub mod server;
pub mod store;
