//! The names that a document uses.

use std::collections::HashMap;

use super::tree::NONE;

/// The names of the elements of a document, each once.
#[derive(Debug, Clone, Default)]
pub(super) struct Names {
    list: Vec<Box<str>>,
    /// The numbers of names, where there are many; the others are gone through.
    numbers: Option<HashMap<Box<str>, u32>>,
}

/// The most names that are gone through for each question. Most documents have no more.
const FEW: usize = 32;

impl Names {
    pub(super) fn of(&self, number: u32) -> &str {
        self.list.get(number as usize).map_or("", |name| name)
    }

    pub(super) fn count(&self) -> usize {
        self.list.len()
    }

    /// Returns the number of a name that is among them.
    pub(super) fn known(&self, name: &str) -> Option<u32> {
        match &self.numbers {
            Some(numbers) => numbers.get(name).copied(),
            None => self.list.iter().position(|known| **known == *name).and_then(|at| u32::try_from(at).ok()),
        }
    }

    fn add(&mut self, name: &str) -> u32 {
        let number = u32::try_from(self.list.len()).unwrap_or(NONE);
        self.list.push(name.into());
        if self.list.len() > FEW {
            let all = || (0..).zip(&self.list).map(|(number, name)| (name.clone(), number)).collect();
            self.numbers.get_or_insert_with(all).insert(name.into(), number);
        }
        number
    }
}

/// Numbers the names of a document while it is read.
pub(super) struct Numbering {
    pub(super) names: Names,
    /// Numbers by length and last letter: documents have few names, and use them often.
    recent: [u32; 64],
}

impl Default for Numbering {
    fn default() -> Self {
        Numbering { names: Names::default(), recent: [NONE; 64] }
    }
}

impl Numbering {
    /// Returns the number of a name, which is a new one where the name is.
    pub(super) fn number(&mut self, name: &str) -> u32 {
        let bytes = name.as_bytes();
        let slot = (usize::from(bytes.last().copied().unwrap_or_default()) ^ bytes.len() << 2) % self.recent.len();
        let recent = self.recent.get(slot).copied().unwrap_or(NONE);
        if recent != NONE && self.names.of(recent) == name {
            return recent;
        }
        let number = self.names.known(name).unwrap_or_else(|| self.names.add(name));
        if let Some(slot) = self.recent.get_mut(slot) {
            *slot = number;
        }
        number
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_name_has_one_number_however_many_there_are() {
        let mut numbering = Numbering::default();
        let names: Vec<String> = (0..100).map(|at| format!("name{at}")).collect();
        for round in 0..2 {
            for (at, name) in (0..).zip(&names) {
                assert_eq!(numbering.number(name), at, "{round}");
            }
        }
        let names_of = numbering.names;
        assert_eq!(names_of.count(), names.len());
        assert!((0..).zip(&names).all(|(at, name)| names_of.of(at) == name && names_of.known(name) == Some(at)));
        assert_eq!((names_of.known("other"), names_of.of(NONE)), (None, ""));
    }
}
