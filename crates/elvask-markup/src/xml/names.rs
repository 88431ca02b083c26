//! The names that a document uses.

use std::collections::HashMap;

use super::tree::NONE;

/// The names of the elements of a document, each once.
#[derive(Debug, Clone)]
pub(super) struct Names {
    list: Vec<Box<str>>,
    numbers: HashMap<Box<str>, u32>,
    /// Numbers by length and last letter: documents have few names, and use them often.
    recent: [u32; 64],
}

impl Default for Names {
    fn default() -> Self {
        Names { list: Vec::new(), numbers: HashMap::new(), recent: [NONE; 64] }
    }
}

impl Names {
    pub(super) fn of(&self, number: u32) -> &str {
        self.list.get(number as usize).map_or("", |name| name)
    }

    pub(super) fn count(&self) -> usize {
        self.list.len()
    }

    /// Returns the number of a name that is among them.
    pub(super) fn known(&self, name: &str) -> Option<u32> {
        self.numbers.get(name).copied()
    }

    /// Returns the number of a name, which is a new one where the name is.
    pub(super) fn number(&mut self, name: &str) -> u32 {
        let bytes = name.as_bytes();
        let slot = (usize::from(bytes.last().copied().unwrap_or_default()) ^ bytes.len() << 2) % self.recent.len();
        let recent = self.recent.get(slot).copied().unwrap_or(NONE);
        if recent != NONE && self.of(recent) == name {
            return recent;
        }
        let number = self.numbers.get(name).copied().unwrap_or_else(|| {
            let number = u32::try_from(self.list.len()).unwrap_or(NONE);
            self.list.push(name.into());
            self.numbers.insert(name.into(), number);
            number
        });
        if let Some(slot) = self.recent.get_mut(slot) {
            *slot = number;
        }
        number
    }
}
