//! A quick hash for look-ups by names: the keys come from files of the app, and a slow look-up is the worst that they can do.

use std::collections::{HashMap, HashSet};
use std::hash::{BuildHasherDefault, Hasher};

/// A map with the quick hash.
pub type QuickMap<K, V> = HashMap<K, V, BuildHasherDefault<Quick>>;

/// A set with the quick hash.
pub type QuickSet<K> = HashSet<K, BuildHasherDefault<Quick>>;

/// Multiplies words of eight bytes, and folds the product: names that are counted through differ in a few bits alone, and those of one
/// word must not cancel those of the next.
#[derive(Debug, Default)]
pub struct Quick(u64);

impl Quick {
    fn add(&mut self, word: u64) {
        let product = u128::from(self.0 ^ word ^ 0x243F_6A88_85A3_08D3) * 0x9E37_79B9_7F4A_7C15;
        self.0 = (product ^ (product >> 64)) as u64;
    }
}

impl Hasher for Quick {
    fn write(&mut self, bytes: &[u8]) {
        let (words, rest) = bytes.as_chunks::<8>();
        words.iter().for_each(|word| self.add(u64::from_le_bytes(*word)));
        let mut last = [0; 8];
        last.iter_mut().zip(rest).for_each(|(to, from)| *to = *from);
        self.add(u64::from_le_bytes(last) ^ (rest.len() as u64) << 56);
    }

    fn write_u64(&mut self, number: u64) {
        self.add(number);
    }

    fn write_usize(&mut self, number: usize) {
        self.add(number as u64);
    }

    fn write_u8(&mut self, number: u8) {
        self.add(u64::from(number));
    }

    fn finish(&self) -> u64 {
        self.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_that_are_counted_through_have_sums_of_their_own() {
        let sum = |name: String| {
            let mut sum = Quick::default();
            sum.write(name.as_bytes());
            sum.finish()
        };
        for start in ["", "example.", "example.fieldlog.screen.Screen", "0000000000000000A0"] {
            let sums: HashSet<u64> = (0..60_000).map(|number| sum(format!("{start}{number}"))).collect();
            assert_eq!(sums.len(), 60_000, "{start}");
        }
    }
}
