//! What a step costs those who use its table meanwhile.

/// Whom a step keeps waiting, for as long as it takes to go through a table.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
pub enum Blocks {
    /// Nobody, or only for a moment.
    #[default]
    Nothing,
    /// Those who write.
    Writes,
    /// Everybody.
    Everything,
}

/// What a step costs that grows with a table. A lock that is only held for a moment is none.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Burden {
    /// The table.
    pub table: String,
    /// Whether every row is written anew.
    pub rewrites: bool,
    /// Who waits meanwhile.
    pub blocks: Blocks,
    /// What goes on meanwhile, as the end of a sentence.
    pub meanwhile: &'static str,
}

impl Burden {
    /// Every row of a table is written anew.
    pub(crate) fn rewriting(table: &str, blocks: Blocks) -> Self {
        Self { table: table.to_owned(), rewrites: true, blocks, meanwhile: "it is written anew" }
    }

    /// What several alterations of one statement cost: a table that is written anew is so once, and gone through by that.
    pub(crate) fn at_once(burdens: impl Iterator<Item = Self>) -> Vec<Self> {
        let mut all: Vec<Self> = Vec::new();
        for one in burdens {
            if all.contains(&one) {
                continue;
            }
            match all.iter_mut().find(|other| other.table == one.table && (other.rewrites || one.rewrites)) {
                Some(other) => *other = Self::rewriting(&one.table, other.blocks.max(one.blocks)),
                None => all.push(one),
            }
        }
        all
    }

    /// A table is gone through.
    pub(crate) fn blocking(table: &str, blocks: Blocks, meanwhile: &'static str) -> Self {
        Self { table: table.to_owned(), rewrites: false, blocks, meanwhile }
    }
}
