//! The declaration language: text in, a logical schema out, and back.
//!
//! [`parse`] gives a syntax tree and every mistake of the text; [`resolve`] turns the trees of all files into a
//! [`crate::Schema`]; [`print()`] lays a tree out in standard form; [`declare()`] writes a schema as a tree.
//!
//! Must not: read files, or know how a provider stores anything.

mod declare;
mod diagnostic;
mod habits;
mod lexer;
mod mistake;
mod parser;
mod patch;
mod printer;
mod resolver;
mod sugar;
pub mod syntax;

pub use declare::declare;
pub use diagnostic::{Diagnostic, Label, Source};
pub use mistake::{Mistake, MistakeKind};
pub(crate) use parser::dedented;
pub use parser::parse;
pub use patch::{added, patched};
pub use printer::{is_printed, print};
pub use resolver::{Resolution, resolve};
