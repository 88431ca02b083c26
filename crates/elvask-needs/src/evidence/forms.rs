//! Many patterns over many short texts: one search finds the words with which patterns start, and only those patterns are tried, and
//! made, whose words are there.

use std::sync::OnceLock;

use aho_corasick::AhoCorasick;
use regex::bytes::{Regex, RegexBuilder};

/// Patterns of ASCII letters, for texts made with [`ascii`]. There are at most 128.
pub(super) struct Forms {
    words: Option<AhoCorasick>,
    /// The pattern that each word belongs to.
    of_word: Vec<usize>,
    /// Patterns that may start with anything, as bits.
    always: u128,
    forms: Vec<(String, OnceLock<Option<Regex>>)>,
}

impl Forms {
    /// Takes patterns in, in their order, each with the words that it starts with, an [`END`] behind each; none where it may start with
    /// anything. What is not a pattern matches nothing.
    pub(super) fn new<'t>(patterns: impl IntoIterator<Item = (&'t str, &'t str)>) -> Self {
        let mut all = Forms { words: None, of_word: Vec::new(), always: 0, forms: Vec::new() };
        let mut words: Vec<&str> = Vec::new();
        for (at, (pattern, starts)) in patterns.into_iter().take(128).enumerate() {
            words.extend(starts.split_terminator(END));
            all.of_word.resize(words.len(), at);
            if starts.is_empty() {
                all.always |= 1 << at;
            }
            all.forms.push((pattern.to_owned(), OnceLock::new()));
        }
        all.words = AhoCorasick::new(words).ok();
        if all.words.is_none() {
            all.always = u128::MAX;
        }
        all
    }

    /// Returns the patterns that may match a text, as bits.
    pub(super) fn candidates(&self, text: &[u8]) -> u128 {
        let found = self.words.iter().flat_map(|words| words.find_overlapping_iter(text));
        let of_words = found.filter_map(|found| self.of_word.get(found.pattern().as_usize()));
        of_words.fold(self.always, |all, at| all | 1 << at)
    }

    /// Returns a pattern by its place.
    pub(super) fn form(&self, at: usize) -> Option<&Regex> {
        let (pattern, made) = self.forms.get(at)?;
        made.get_or_init(|| RegexBuilder::new(pattern).unicode(false).build().ok()).as_ref()
    }
}

/// What stands behind each word with which a pattern starts.
pub(super) const END: char = '|';

/// Returns a text with one byte for each letter: those outside ASCII, which no pattern names, become one that no word has.
pub(super) fn ascii(text: &str) -> Vec<u8> {
    text.chars().map(|letter| u8::try_from(letter).ok().filter(u8::is_ascii).unwrap_or(0x7F)).collect()
}

#[cfg(test)]
pub(super) mod tests {
    use regex_syntax::ParserBuilder;
    use regex_syntax::hir::literal::Extractor;

    use super::*;

    /// The most words with which one pattern may start: where there are more, shorter ones are taken. Fewer words are sooner put together,
    /// and make more patterns be tried; with so many, looking into packages takes the least.
    const MAX_STARTS: usize = 32;

    /// Returns the words with which a pattern starts, an [`END`] behind each; empty where it may start with anything.
    pub(crate) fn starts(pattern: &str) -> String {
        let read = ParserBuilder::new().unicode(false).utf8(false).build().parse(pattern);
        let starts = read.ok().map(|read| Extractor::new().limit_total(MAX_STARTS).extract(&read));
        let mut written = String::new();
        for start in starts.as_ref().and_then(|starts| starts.literals()).unwrap_or_default() {
            match std::str::from_utf8(start.as_bytes()) {
                Ok(start) if start.len() > 1 && !start.contains([END, '\n']) => written.extend([start, "|"]),
                _ => return String::new(),
            }
        }
        written
    }

    #[test]
    fn what_is_found_is_what_the_patterns_match() {
        let patterns = [r"\bnot (?:needed|required)\b", "(?:if|when)[^,.]{0,9}ios", r"\w+ly\b", "(", "ö"];
        let starts = patterns.map(starts);
        assert_eq!(starts[..3], ["not needed|not required|", "if|when|", ""]);
        let forms = Forms::new(patterns.into_iter().zip(starts.iter().map(String::as_str)));
        let found = |text: &str| {
            let text = ascii(text);
            let candidates = forms.candidates(&text);
            let matches =
                |at: &usize| candidates >> at & 1 == 1 && forms.form(*at).is_some_and(|form| form.is_match(&text));
            (0..patterns.len()).filter(matches).collect::<Vec<_>>()
        };
        assert_eq!(found("it is not needed"), [0]);
        assert_eq!(found("when ö\u{2013}on ios, only"), [1, 2]);
        assert_eq!(found("nothing here ("), [] as [usize; 0]);
        assert_eq!(forms.candidates(b"nothing here") & 0b11, 0, "neither word is there");
    }
}
