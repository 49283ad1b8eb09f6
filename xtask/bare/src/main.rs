//! The yardstick for start-up: a program with clap and nothing else.

use clap::Parser;

/// A program that only reads its arguments.
#[derive(Parser)]
#[command(version)]
struct Bare {
    /// A name.
    #[arg(long)]
    name: Option<String>,
}

fn main() {
    let bare = Bare::parse();
    println!("{}", bare.name.unwrap_or_default());
}
