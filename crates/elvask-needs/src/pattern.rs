//! Patterns that are part of the program: made when they are first wanted, and tried only on texts that hold one of their words.

use std::sync::OnceLock;

use memchr::memmem::Finder;
use regex::{Captures, Match, Regex};

/// A pattern. `\b`, `\w` and `\s` mean letters of ASCII alone.
#[derive(Debug)]
pub(crate) struct Pattern {
    pattern: &'static str,
    words: &'static [&'static str],
    finders: OnceLock<Vec<Finder<'static>>>,
    made: OnceLock<Option<Regex>>,
}

impl Pattern {
    /// Takes a pattern, and the words of which at least one is in every text that it matches.
    pub(crate) const fn new(pattern: &'static str, words: &'static [&'static str]) -> Self {
        Pattern { pattern, words, finders: OnceLock::new(), made: OnceLock::new() }
    }

    /// Says whether a text holds one of the words without which nothing matches.
    pub(crate) fn may_match(&self, text: &str) -> bool {
        let finders = self.finders.get_or_init(|| self.words.iter().map(|word| Finder::new(word.as_bytes())).collect());
        finders.is_empty() || finders.iter().any(|word| word.find(text.as_bytes()).is_some())
    }

    /// Returns the pattern for a text that may match.
    fn on(&self, text: &str) -> Option<&Regex> {
        if !self.may_match(text) {
            return None;
        }
        self.made.get_or_init(|| made(self.pattern)).as_ref()
    }

    pub(crate) fn captures<'t>(&self, text: &'t str) -> Option<Captures<'t>> {
        self.on(text)?.captures(text)
    }

    pub(crate) fn captures_iter<'t>(&self, text: &'t str) -> impl Iterator<Item = Captures<'t>> {
        self.on(text).into_iter().flat_map(move |pattern| pattern.captures_iter(text))
    }

    pub(crate) fn find_iter<'t>(&self, text: &'t str) -> impl Iterator<Item = Match<'t>> {
        self.on(text).into_iter().flat_map(move |pattern| pattern.find_iter(text))
    }
}

/// Makes a pattern. Tables of all letters there are would be searched slowly, and names in code have none of them.
fn made(pattern: &str) -> Option<Regex> {
    let ascii = pattern.replace(r"\b", r"(?-u:\b)").replace(r"\w", "[0-9A-Za-z_]").replace(r"\s", r"[ \t\n\r\x0B\x0C]");
    let made = Regex::new(&ascii);
    debug_assert!(made.is_ok(), "{pattern}: {made:?}");
    made.ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_texts_with_a_word_of_the_pattern_are_searched() {
        static LEVEL: Pattern = Pattern::new(r"(?m)^\w+Sdk\b[\s=]*([0-9]+)", &["minSdk", "maxSdk"]);
        let level = |text: &str| LEVEL.captures(text).and_then(|found| Some(found.get(1)?.as_str().to_owned()));
        assert_eq!(level("compileSdk = 35"), None, "it would match, but has none of the words");
        assert!(LEVEL.made.get().is_none(), "it is not even made");
        assert_eq!(level("a\nminSdk = 24"), Some("24".to_owned()));
        assert_eq!(level("éminSdk = 24"), None, "a letter outside of ASCII is not part of a name");
        assert_eq!(LEVEL.find_iter("minSdk 1\nmaxSdk 2").count(), 2);
    }
}
