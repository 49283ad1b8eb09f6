//! The commands, as they are typed: the built binary in folders of its own, on files and on real servers.
//!
//! One program, so that each server is started once.

mod absorb;
mod adopt;
mod batches;
mod by_hand;
mod configuration;
mod counts;
mod doctor;
mod encrypted;
mod forms;
mod inheriting;
mod interrupted;
mod journey;
mod keeping;
mod mistakes;
mod namespaces;
mod online;
mod overlooked;
mod own_sql;
mod pitfalls;
mod rarities;
mod rebuild;
mod redraft;
mod reference_rows;
mod refusals;
mod restored;
mod servers;
mod settings;
mod sides;
mod slips;
mod spellings;
mod sql_files;
mod support;
mod sync;
mod together;
