//! Names as people vary them: `LOCATION_WHEN_IN_USE`, `locationWhenInUse`, `NSLocationWhenInUseUsageDescription`.

use elvask_platform::List;
use elvask_platform::capability;

/// Splits a name into its words, in small letters: at signs, and where a capital starts a word.
#[must_use]
pub fn words_of(name: &str) -> Vec<String> {
    let letters: Vec<char> = name.chars().collect();
    let mut out: Vec<String> = Vec::new();
    let mut word = String::new();
    for (at, letter) in letters.iter().enumerate() {
        let before = at.checked_sub(1).and_then(|at| letters.get(at));
        let next = letters.get(at + 1);
        let starts = letter.is_uppercase()
            && (before.is_some_and(|before| before.is_lowercase() || before.is_ascii_digit())
                || before.is_some_and(|before| before.is_uppercase()) && next.is_some_and(|next| next.is_lowercase()));
        if (starts || !letter.is_alphanumeric()) && !word.is_empty() {
            out.push(std::mem::take(&mut word));
        }
        if letter.is_alphanumeric() {
            word.extend(letter.to_lowercase());
        }
    }
    if !word.is_empty() {
        out.push(word);
    }
    out
}

/// The words of a name that say what it is about, and not what kind of thing it is.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Subject(Vec<String>);

impl Subject {
    /// Takes the name of a file or class apart. A first word in capitals alone of up to three letters is the mark of whoever wrote it.
    pub(crate) fn of(name: &str) -> Self {
        let mark = name.chars().take_while(|letter| letter.is_uppercase()).count();
        let mut words = words_of(name);
        if (3..=4).contains(&mark) && words.len() > 1 && words.first().is_some_and(|first| first.len() == mark - 1) {
            words.remove(0);
        }
        words.retain(|word| !List::ClassKind.has(word));
        Subject(words)
    }

    /// Says whether a name that code takes from a package means a part of it, by the name of the part's file, class or folder:
    /// `Vibration` means `RXVibrationModule`.
    pub(crate) fn means(&self, part: &Subject) -> bool {
        !self.0.is_empty() && self == part
    }
}

/// Returns the capability that a name in code stands for: `photos` and `photosAddOnly` are told apart.
pub(crate) fn capability_named(name: &str) -> Option<capability::Capability> {
    let words = words_of(name).join("-");
    capability::capability(&words)
        .or_else(|| {
            capability::capabilities()
                .find(|known| known.name.strip_prefix(&words).is_some_and(|rest| rest.starts_with('-')))
        })
        .or_else(|| {
            capability::capabilities()
                .find(|known| words.strip_prefix(known.name).is_some_and(|rest| rest.starts_with('-')))
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_split_into_words() {
        assert_eq!(words_of("NSLocationWhenInUse").join(" "), "ns location when in use");
        assert_eq!(words_of("LOCATION_WHEN_IN_USE").join(" "), "location when in use");
        assert_eq!(words_of("locationAlways").join(" "), "location always");
        assert_eq!(words_of("RXTRing").join(" "), "rxt ring");
    }

    #[test]
    fn a_name_means_the_part_that_is_called_like_it() {
        let means = |taken, part| Subject::of(taken).means(&Subject::of(part));
        assert!(means("Vibration", "VibrationModule"));
        assert!(means("CameraRoll", "RXTCameraRollManager"));
        assert!(means("RingsAndroid", "RingsModule"));
        assert!(!means("Camera", "CameraRollManager"));
        assert!(!means("Module", "Manager"));
    }
}
