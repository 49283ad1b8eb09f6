//! Where rows stand in a long list that statements add to, take from and look things up in.

use std::borrow::Borrow;
use std::cell::RefCell;
use std::collections::HashMap;
use std::hash::Hash;

/// Where the first row of each owner was when it was last looked for. Rows of one owner stand together as a rule, so that most
/// lookups need not go through all the others; where that finds nothing, the whole list is looked through, from its end.
#[derive(Debug, Default)]
pub(super) struct Places<K>(RefCell<HashMap<K, usize>>);

impl<K: Eq + Hash> Places<K> {
    /// The place of the row that is meant, among those of an owner.
    pub(super) fn find<R, Q>(
        &self,
        rows: &[R],
        owner: &Q,
        is_of_owner: impl Fn(&R) -> bool,
        is_it: impl Fn(&R) -> bool,
    ) -> Option<usize>
    where
        K: Borrow<Q>,
        Q: Eq + Hash + ToOwned<Owned = K> + ?Sized,
    {
        // Rows may have moved since: it is only where to look first.
        let known = self.0.borrow().get(owner).copied().filter(|at| *at < rows.len());
        if let Some(first) = known {
            let run = rows[first..].iter().take_while(|row| is_of_owner(row));
            if let Some(behind) = run.enumerate().find(|(_, row)| is_it(row)) {
                return Some(first + behind.0);
            }
        }
        // What was made last is asked for most.
        let found = rows.iter().rposition(|row| is_of_owner(row) && is_it(row))?;
        let before = rows[..found].iter().rev().take_while(|row| is_of_owner(row)).count();
        self.0.borrow_mut().insert(owner.to_owned(), found - before);
        Some(found)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_row_is_found_wherever_it_has_moved() {
        let places: Places<String> = Places::default();
        let find = |rows: &[(&str, u8)], owner: &str, number: u8| {
            places.find(rows, owner, |row| row.0 == owner, |row| row.1 == number)
        };
        let mut rows = vec![("a", 1), ("a", 2), ("b", 1), ("b", 2), ("b", 3), ("c", 1)];
        assert_eq!(find(&rows, "b", 3), Some(4));
        assert_eq!(find(&rows, "b", 1), Some(2));
        rows.remove(0);
        assert_eq!(find(&rows, "b", 1), Some(1));
        assert_eq!(find(&rows, "b", 3), Some(3));
        rows.push(("b", 4));
        assert_eq!(find(&rows, "b", 4), Some(5));
        assert_eq!(find(&rows, "b", 2), Some(2));
        rows.truncate(1);
        assert_eq!(find(&rows, "b", 2), None);
        assert_eq!(find(&rows, "d", 1), None);
        assert_eq!(find(&rows, "a", 2), Some(0));
    }
}
