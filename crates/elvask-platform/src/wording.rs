//! Texts that people leave where a real one belongs.

use std::sync::OnceLock;

use crate::List;
use crate::hash::QuickMap;
use crate::table::{rows, with_key};

/// What kind of value is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueUse {
    /// An id, a key or another value for a machine.
    Machine,
    /// A purpose, read by people.
    Purpose,
}

/// Returns the part of a value that shows that nobody has filled it in yet: a known phrase, something in angle or
/// square brackets, a word in capitals that starts with `YOUR`, or nothing but crosses and dots; in a value for a machine also
/// a word of crosses, as in `xxxx~yyyy`, and a part such as `your` in `com.your.app`.
#[must_use]
pub fn placeholder_in(value: &str, used: ValueUse) -> Option<&str> {
    let trimmed = value.trim();
    if trimmed.is_empty() {
        return None;
    }
    if trimmed.len() >= 3
        && trimmed.chars().all(|character| matches!(character, 'x' | 'X' | '.' | '…' | '-' | '_' | '*'))
    {
        return Some(trimmed);
    }
    // All that follows is a word; most values of manifests are numbers.
    if !trimmed.contains(char::is_alphabetic) {
        return None;
    }
    let bracketed = [('<', '>'), ('[', ']')].iter().find_map(|(open, close)| {
        let start = trimmed.find(*open)?;
        let end = start + trimmed.get(start..)?.find(*close)?;
        trimmed.get(start..=end).filter(|inside| inside.chars().any(char::is_alphabetic))
    });
    if bracketed.is_some() {
        return bracketed;
    }
    let mut words = trimmed.split(|character: char| !(character.is_alphanumeric() || character == '_'));
    let shouted = words.find(|word| {
        let capitals = !word.chars().any(char::is_lowercase);
        // "todo" in small letters is a plain word in some languages.
        let marker = matches!(*word, "TODO" | "FIXME" | "TBD" | "XXX");
        capitals
            && (marker
                || word.starts_with("YOUR_")
                || word.ends_with("_HERE")
                || (word.len() > 4 && word.starts_with("YOUR")))
    });
    if shouted.is_some() {
        return shouted;
    }
    if used == ValueUse::Machine && !trimmed.contains(char::is_whitespace) {
        let crossed = |word: &&str| {
            let first = word.chars().next().filter(|first| matches!(first, 'x' | 'X' | 'y' | 'Y'));
            word.len() > 3 && first.is_some_and(|first| word.chars().all(|letter| letter == first))
        };
        let yours = |word: &&str| {
            let rest = word.to_ascii_lowercase();
            rest.strip_prefix("your").is_some_and(|rest| rest.is_empty() || List::ValueYour.has(rest))
        };
        let words = || trimmed.split(|character: char| !character.is_alphanumeric());
        if let Some(word) = words().find(crossed).or_else(|| words().find(yours)) {
            return Some(word);
        }
    }
    static PHRASES: OnceLock<Vec<(&'static str, bool)>> = OnceLock::new();
    let phrases = PHRASES.get_or_init(|| {
        let rows = rows(include_str!("../data/placeholder-words.tsv"));
        rows.map(|row| (row.cell(0), row.cell(1) == "any")).collect()
    });
    let used = phrases.iter().filter(|(_, any)| used == ValueUse::Purpose || *any);
    find_phrase(trimmed, used.map(|(phrase, _)| *phrase))
}

/// Returns the part of a purpose that only says that something is asked for.
///
/// A purpose is vague when a stock phrase and the words that name the thing asked for are all that it says: once they are
/// taken away, fewer than four words are left.
#[must_use]
pub fn vague_part(purpose: &str) -> Option<&str> {
    static PHRASES: OnceLock<Vec<&'static str>> = OnceLock::new();
    let phrases =
        PHRASES.get_or_init(|| rows(include_str!("../data/vague-purposes.tsv")).map(|row| row.cell(0)).collect());
    let found = find_phrase(purpose, phrases.iter().copied())?;
    let words = |text: &str| text.split_whitespace().filter(|word| word.chars().any(char::is_alphabetic)).count();
    (words(purpose).saturating_sub(words(found)) < 5).then_some(found)
}

/// Finds the first of some lower-case phrases in a text, as whole words, whatever its case.
fn find_phrase(text: &str, phrases: impl Iterator<Item = &'static str>) -> Option<&str> {
    // ASCII alone is folded, so that offsets in the folded text are offsets in the text.
    let folded = text.to_ascii_lowercase();
    // Few are in it at all, and a search of any sort is dear to set up for a text this short.
    let mut held = phrases.filter(|phrase| is_in(folded.as_bytes(), phrase.as_bytes()));
    held.find_map(|phrase| {
        let edge = |character: Option<char>| character.is_none_or(|character| !character.is_alphanumeric());
        let (start, _) = folded.match_indices(phrase).find(|(at, _)| {
            let before = folded.get(..*at).and_then(|before| before.chars().next_back());
            let after = folded.get(at + phrase.len()..).and_then(|after| after.chars().next());
            edge(before) && edge(after)
        })?;
        text.get(start..start + phrase.len())
    })
}

/// Says whether a phrase is anywhere in a short text.
fn is_in(text: &[u8], phrase: &[u8]) -> bool {
    let Some((first, rest)) = phrase.split_first() else { return true };
    memchr::memchr_iter(*first, text).any(|at| text.get(at + 1..).is_some_and(|behind| behind.starts_with(rest)))
}

/// What words of a package's notes say about a thing that they speak of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum NoteWords {
    /// It is needed, though the words hold one of refusal.
    Firm,
    /// It is not needed, or not any more.
    Not,
    /// It is needed by some.
    Optional,
    /// It is needed.
    Needed,
    /// A condition on levels, which makes nothing optional.
    Bound,
    /// A heading over how to set up.
    SetupHeading,
    /// A heading over something that is not a requirement of the package as it is.
    ElsewhereHeading,
    /// A heading over something beside the package, below which a heading over how to set up still counts.
    AsideHeading,
    /// A heading over the description of functions, options and values.
    ReferenceHeading,
    /// A heading over an extension or second app, with a property list of its own.
    ExtensionHeading,
    /// The app itself, where an extension is spoken of too.
    OwnApp,
}

/// How the table calls the kinds, in their order.
const NOTE_WORDS: [&str; 11] =
    ["firm", "not", "optional", "needed", "bound", "setup", "elsewhere", "aside", "reference", "extension", "own"];

/// Goes through the patterns of one kind, for texts in small letters; those of headings are plain words.
pub fn note_words(kind: NoteWords) -> impl Iterator<Item = &'static str> {
    note_word_rows().get(kind as usize).into_iter().flatten().copied()
}

fn note_word_rows() -> &'static [Vec<&'static str>; NOTE_WORDS.len()] {
    static WORDS: OnceLock<[Vec<&'static str>; NOTE_WORDS.len()]> = OnceLock::new();
    WORDS.get_or_init(|| {
        let of = |word: &str| {
            let rows = with_key(include_str!("../data/note-words.tsv"), word);
            rows.map(|row| row.cell(1)).collect()
        };
        NOTE_WORDS.map(of)
    })
}

/// What kinds of words a heading has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct HeadingKinds(u16);

impl HeadingKinds {
    /// Looks at a heading in small letters, also given word by word; what is a single word in the table counts as a whole one.
    #[must_use]
    pub fn of(heading: &str, words: &[&str]) -> Self {
        static BY_WORD: OnceLock<QuickMap<&str, u16>> = OnceLock::new();
        static PHRASES: OnceLock<Vec<Vec<(&str, u16)>>> = OnceLock::new();
        let of_headings = || {
            let kinds = note_word_rows().iter().enumerate().skip(NoteWords::SetupHeading as usize);
            kinds.flat_map(|(kind, forms)| forms.iter().map(move |form| (*form, 1_u16 << kind)))
        };
        let by_word = BY_WORD.get_or_init(|| {
            let mut by_word = QuickMap::default();
            for (form, kind) in of_headings() {
                *by_word.entry(form).or_default() |= kind;
            }
            by_word
        });
        // By their first bytes: in so short a text a walk is quicker than a search.
        let phrases = PHRASES.get_or_init(|| {
            let mut phrases = vec![Vec::new(); 256];
            for (form, kind) in of_headings().filter(|(form, _)| form.contains(' ')) {
                let first = form.bytes().next().map(usize::from);
                if let Some(of_first) = first.and_then(|first| phrases.get_mut(first)) {
                    of_first.push((form, kind));
                }
            }
            phrases
        });
        let of_words = words.iter().filter_map(|word| by_word.get(word)).fold(0, |all, kinds| all | kinds);
        let parts = (words.len() > 1).then(|| (0..heading.len()).filter_map(|at| heading.as_bytes().get(at..)));
        let of_phrases = parts.into_iter().flatten().flat_map(|part| {
            let of_first = part.first().and_then(|first| phrases.get(usize::from(*first)));
            of_first.into_iter().flatten().filter(move |(phrase, _)| part.starts_with(phrase.as_bytes()))
        });
        HeadingKinds(of_phrases.fold(of_words, |all, (_, kind)| all | kind))
    }

    /// Says whether it has words of one kind.
    #[must_use]
    pub fn has(self, kind: NoteWords) -> bool {
        self.0 >> (kind as u16) & 1 == 1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_nobody_filled_in_is_recognised() {
        let purpose = |text| placeholder_in(text, ValueUse::Purpose);
        assert_eq!(purpose("TODO: say why"), Some("TODO"));
        assert_eq!(purpose("Guarda todo el registro del anillo."), None);
        assert_eq!(purpose("Your text here"), Some("Your text here"));
        assert_eq!(purpose("We need <reason>."), Some("<reason>"));
        assert_eq!(purpose("xxx"), Some("xxx"));
        assert_eq!(["...", "12", "<1>", "[2] 3"].map(purpose), [Some("..."), None, None, None]);
        assert_eq!(purpose("Finds rings near you, in meadows and on mudflats."), None);
        assert_eq!(purpose("Voeg een foto toe aan Todos."), None, "whole words alone");
        let machine = |text| placeholder_in(text, ValueUse::Machine);
        assert_eq!(machine("YOUR_APP_ID_HERE"), Some("YOUR_APP_ID_HERE"));
        assert_eq!(machine("knot-48210077"), None);
        assert_eq!(machine("$(KNOT_APP_ID)"), None);
        assert_eq!(machine("knot-xxxxxxxx~yyyyyyyy"), Some("xxxxxxxx"));
        assert_eq!(machine("com.your.app"), Some("your"));
        assert_eq!(machine("link.yourdomain.example"), Some("yourdomain"));
        assert_eq!(machine("Keep your data"), None, "a sentence is not a value for a machine");
        assert_eq!(machine("yourself"), None);
    }

    #[test]
    fn a_purpose_that_says_nothing_is_vague() {
        assert!(vague_part("This app needs access to the camera.").is_some());
        assert!(vague_part("Camera permission is required").is_some());
        assert!(vague_part("Photographs the ring on a bird's leg.").is_none());
        assert!(vague_part("This app uses the camera to photograph the ring on a bird's leg.").is_none());
    }
}
