//! Work on several threads, where there is enough of it that they are worth waking.

use rayon::prelude::*;

/// So many files are sooner read by one thread than by several that are woken for them.
pub const FEW: usize = 16;

/// So many answers are sooner recalled by one thread: each takes a few questions to the disk and no reading.
pub const FEW_RECALLED: usize = 128;

/// Makes something of each item, on several threads where there are `few` of them or more. The results are in the order of the
/// items.
pub fn map<T: Send, R: Send>(items: Vec<T>, few: usize, make: impl Fn(T) -> R + Send + Sync) -> Vec<R> {
    if items.len() < few { items.into_iter().map(make).collect() } else { items.into_par_iter().map(make).collect() }
}
