//! A quick hash for look-ups by names: the keys come from files of the app, and a slow look-up is the worst that they can do.

use std::collections::HashMap;
use std::hash::{BuildHasherDefault, Hasher};

/// A map with the quick hash.
pub(crate) type QuickMap<K, V> = HashMap<K, V, BuildHasherDefault<Quick>>;

/// Turns and multiplies words of eight bytes.
#[derive(Default)]
pub(crate) struct Quick(u64);

impl Quick {
    fn add(&mut self, word: u64) {
        self.0 = (self.0.rotate_left(5) ^ word).wrapping_mul(0x517C_C1B7_2722_0A95);
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
