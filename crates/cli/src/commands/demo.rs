//! `oak demo`: placeholder
use crate::args::{DemoArgs, Global};
use crate::exit::Exit;
use crate::failure::Result;
use crate::output::Output;
pub fn run(_: &DemoArgs, _: &Global, _: &mut Output) -> Result<Exit> {
    Ok(Exit::Done)
}
