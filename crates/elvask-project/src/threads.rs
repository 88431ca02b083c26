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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn results_are_in_the_order_of_the_items() {
        for (items, few) in [(0, 4), (3, 4), (4, 4), (40, 4), (40, 100)] {
            let made = map((0..items).collect(), few, |item| item * 2);
            assert_eq!(made, (0..items).map(|item| item * 2).collect::<Vec<_>>());
        }
        // What takes long is left to others on the way.
        let slow = |item: u64| {
            std::thread::sleep(Duration::from_millis(3));
            (item, std::thread::current().id())
        };
        let made = map((0..12).collect(), FEW, slow);
        assert!(made.iter().map(|(item, _)| *item).eq(0..12));
        let first = made.first().map(|(_, thread)| *thread);
        assert!(made.iter().any(|(_, thread)| Some(*thread) != first));
    }
}
