//! Random schemas and an oracle, for Hollow Oak's own tests.
