//! Values that another type does not hold as they are.

/// What becomes of values whose column gets another type without a conversion: conditions in SQL over the column. They
/// may be read with a limit of time, and only to be counted.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Misfits {
    /// True of values that the provider refuses; nothing where it takes all of them, or where it is not known which.
    pub refused: Option<String>,
    /// True of values that are another value afterwards: rounded, or cut off.
    pub changed: Option<String>,
    /// True of values that only lose spaces at their end.
    pub trimmed: Option<String>,
    /// True of values that the type does not mean, and the provider stores all the same.
    pub kept: Option<String>,
}

impl Misfits {
    pub(super) fn refused(condition: impl Into<String>) -> Self {
        Self::both(Some(condition.into()), None)
    }

    pub(super) fn changed(condition: impl Into<String>) -> Self {
        Self::both(None, Some(condition.into()))
    }

    pub(super) fn both(refused: Option<String>, changed: Option<String>) -> Self {
        Self { refused, changed, ..Self::default() }
    }
}

/// Ten to a power, as a whole number.
pub(super) fn power_of_ten(digits: u32) -> String {
    format!("1{}", "0".repeat(digits as usize))
}
