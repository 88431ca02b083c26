//! Work on several threads, where there is enough of it that they are worth waking.

use std::time::{Duration, Instant};

use rayon::prelude::*;

/// So many files are sooner read by one thread than by several that are woken for them.
pub const FEW: usize = 16;

/// So many answers are sooner recalled by one thread: each takes a few questions to the disk and no reading.
pub const FEW_RECALLED: usize = 128;

/// So long one thread alone is at work on what is few.
const PATIENCE: Duration = Duration::from_millis(10);

/// Makes something of each item, on several threads where there are `few` of them or more, or where they take long. The results are in the
/// order of the items.
pub fn map<T: Send, R: Send>(items: Vec<T>, few: usize, make: impl Fn(T) -> R + Send + Sync) -> Vec<R> {
    if items.len() >= few {
        return items.into_par_iter().map(make).collect();
    }
    let mut made = Vec::with_capacity(items.len());
    let mut items = items.into_iter();
    let start = Instant::now();
    while start.elapsed() <= PATIENCE {
        let Some(item) = items.next() else { return made };
        made.push(make(item));
    }
    made.par_extend(items.collect::<Vec<_>>().into_par_iter().map(make));
    made
}
