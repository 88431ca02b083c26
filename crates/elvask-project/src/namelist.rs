//! Lists of names that are kept in one text: one piece of memory for all, however many they are.

use serde::{Deserialize, Serialize};

/// Names in their order, each with a zero byte behind it. A name that holds one, which nothing is called, is left out.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(transparent)]
pub struct NameList(String);

impl NameList {
    /// Goes through the names.
    pub fn iter(&self) -> impl Iterator<Item = &str> {
        self.0.split_terminator('\0')
    }

    /// Says whether there is none.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<N: AsRef<str>> FromIterator<N> for NameList {
    fn from_iter<I: IntoIterator<Item = N>>(names: I) -> Self {
        let mut all = String::new();
        for name in names {
            let name = name.as_ref();
            if !name.contains('\0') {
                all.push_str(name);
                all.push('\0');
            }
        }
        NameList(all)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_come_back_as_they_were_put_in() {
        for names in [vec![], vec!["tern"], vec!["", "@marsh/knot", ""], vec!["\u{e9}", "\u{e9}"]] {
            let list: NameList = names.iter().collect();
            assert_eq!(list.iter().collect::<Vec<_>>(), names);
            assert_eq!(list.is_empty(), names.is_empty());
        }
        let odd: NameList = ["tern", "a\0b", "knot"].into_iter().collect();
        assert_eq!(odd.iter().collect::<Vec<_>>(), ["tern", "knot"]);
    }
}
