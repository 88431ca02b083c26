//! How sure a fact of a table is.

use crate::Level;

/// How sure a fact is: what is not checked against the platform's own documentation does not decide an error.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Confidence {
    /// It is from memory, and may have changed or never been so.
    Low,
    /// It is known from use, in this or a like form.
    Medium,
    /// It is in the platform's documentation, or in the platform itself.
    High,
}

impl Confidence {
    /// Reads the word of a table; an empty one is [`Confidence::High`].
    pub(crate) fn of(word: &str) -> Confidence {
        match word {
            "low" => Confidence::Low,
            "medium" => Confidence::Medium,
            _ => Confidence::High,
        }
    }

    /// Returns the level of a finding that rests on the fact: at most a warning where it is not sure, and a note where it is a guess.
    #[must_use]
    pub fn caps(self, level: Level) -> Level {
        match self {
            Confidence::High => level,
            Confidence::Medium => level.min(Level::Warning),
            Confidence::Low => level.min(Level::Note),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_not_sure_is_no_error() {
        assert_eq!(Confidence::of("").caps(Level::Error), Level::Error);
        assert_eq!(Confidence::of("medium").caps(Level::Error), Level::Warning);
        assert_eq!(Confidence::of("medium").caps(Level::Note), Level::Note);
        assert_eq!(Confidence::of("low").caps(Level::Error), Level::Note);
    }
}
