//! The tool's own tables, and among them those with values that were put aside.

/// A table with values that a step put aside before it dropped them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeptTable {
    /// Its name.
    pub name: String,
    /// How many rows are in it.
    pub rows: u64,
}

/// Whether a table is the tool's own: names that begin so are refused in declarations.
pub(crate) fn is_own_table(name: &str) -> bool {
    name.starts_with("hollow_oak_")
}
