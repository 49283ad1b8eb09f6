//! Lists without room to spare.

use thin_vec::ThinVec;

/// Gives a list that has got its last item a place of just its size. A list that grew item by item has room for up to
/// twice as many, and a schema has tens of thousands of lists; allocators that keep a block which is more than half full
/// make nothing of `shrink_to_fit`.
pub(crate) fn fit<T>(list: &mut Vec<T>) {
    if list.capacity() > list.len() {
        let mut fitting = Vec::with_capacity(list.len());
        fitting.append(list);
        *list = fitting;
    }
}

/// The same for a list that keeps its length and its room with its items.
pub(crate) fn fit_thin<T>(list: &mut ThinVec<T>) {
    if list.capacity() > list.len() {
        let mut fitting = ThinVec::with_capacity(list.len());
        fitting.append(list);
        *list = fitting;
    }
}
