//! Facts about links and the files of websites, and how sure they are.

use crate::Confidence;
use crate::table::with_key;

macro_rules! link_facts {
    ($($(#[doc = $about:literal])+ $name:ident = $id:literal,)+) => {
        /// A fact that a finding rests on. The rows of the table say by which page of the documentation, and how sure it is.
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        pub enum LinkFact {
            $($(#[doc = $about])+ $name,)+
        }

        impl LinkFact {
            /// All of them.
            pub const ALL: &[LinkFact] = &[$(LinkFact::$name),+];

            /// Returns the word for it in the table.
            #[must_use]
            pub const fn id(self) -> &'static str {
                match self {
                    $(LinkFact::$name => $id,)+
                }
            }
        }
    };
}

link_facts! {
    /// Devices read at most so much of `apple-app-site-association`.
    AppleSize = "apple-size",
    /// The verifier reads at most so much of `assetlinks.json`.
    LinksSize = "links-size",
    /// The verifier does not wait longer for an answer.
    LinksTime = "links-time",
    /// A fingerprint counts only in capitals.
    FingerprintCase = "fingerprint-case",
    /// A rule with a variable that is not defined matches nothing.
    VariableKnown = "variable-known",
}

impl LinkFact {
    /// Returns how sure it is, which caps the level of what rests on it.
    #[must_use]
    pub fn confidence(self) -> Confidence {
        let mut table = with_key(include_str!("../data/link-facts.tsv"), self.id());
        table.next().map_or(Confidence::Low, |row| Confidence::of(row.cell(3)))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::rows;

    #[test]
    fn each_has_a_row_and_each_row_is_one() {
        let mut ids: Vec<&str> = rows(include_str!("../data/link-facts.tsv")).map(|row| row.cell(0)).collect();
        let mut all: Vec<&str> = LinkFact::ALL.iter().map(|one| one.id()).collect();
        ids.sort_unstable();
        all.sort_unstable();
        assert_eq!(ids, all);
        assert_eq!(LinkFact::AppleSize.confidence(), Confidence::High);
        assert_eq!(LinkFact::FingerprintCase.confidence(), Confidence::Medium);
    }
}
