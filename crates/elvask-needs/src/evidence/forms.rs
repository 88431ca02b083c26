//! Many patterns over many short texts: one search finds the words with which patterns start, and only those patterns are tried, and
//! made, whose words are there.

use std::ops::Range;
use std::sync::OnceLock;

use aho_corasick::AhoCorasick;
use regex_automata::nfa::thompson::backtrack::BoundedBacktracker;
use regex_automata::nfa::thompson::{Config, WhichCaptures};
use regex_automata::util::syntax;
use regex_automata::{Anchored, Input, Span};

/// More bytes than this no pattern goes over: those that are written as any number of letters are one word.
const LONGEST: usize = 1000;

/// Patterns of ASCII letters, for texts made with [`plain`]. There are at most 128.
pub(super) struct Forms {
    words: Option<AhoCorasick>,
    /// The pattern that each word belongs to.
    of_word: Vec<usize>,
    forms: Vec<Form>,
}

struct Form {
    pattern: String,
    /// It matches just the words that it starts with.
    whole: bool,
    made: OnceLock<Option<BoundedBacktracker>>,
}

/// Where in a text patterns may start.
pub(super) struct Starts {
    /// The patterns that may, as bits.
    forms: u128,
    /// Each with the bytes of a word that it starts with, those that end first before others.
    places: Vec<(usize, Range<usize>)>,
}

impl Forms {
    /// Takes patterns in, in their order, each with the words that it starts with, an [`END`] behind each, and a [`WHOLE`] before all of them
    /// where it matches just these. What starts with no word, or is not a pattern, matches nothing.
    pub(super) fn new<'t>(patterns: impl IntoIterator<Item = (&'t str, &'t str)>) -> Self {
        let mut all = Forms { words: None, of_word: Vec::new(), forms: Vec::new() };
        let mut words: Vec<&str> = Vec::new();
        for (at, (pattern, starts)) in patterns.into_iter().take(128).enumerate() {
            let whole = starts.starts_with(WHOLE);
            words.extend(starts.trim_start_matches(WHOLE).split_terminator(END));
            all.of_word.resize(words.len(), at);
            all.forms.push(Form { pattern: pattern.to_owned(), whole, made: OnceLock::new() });
        }
        all.words = AhoCorasick::new(words).ok();
        debug_assert!(all.words.is_some());
        all
    }

    /// Returns where in a text patterns may start.
    pub(super) fn starts(&self, text: &[u8]) -> Starts {
        let mut starts = Starts { forms: 0, places: Vec::new() };
        for found in self.words.iter().flat_map(|words| words.find_overlapping_iter(text)) {
            if let Some(form) = self.of_word.get(found.pattern().as_usize()) {
                starts.forms |= 1 << form;
                starts.places.push((*form, found.range()));
            }
        }
        starts
    }

    /// Says whether a pattern, by its place, matches in a text, of which it is known where patterns may start.
    pub(super) fn is_in(&self, form: usize, text: &[u8], starts: &Starts) -> bool {
        let mut words = starts.of(form);
        let Some(form) = self.form(form, starts) else { return false };
        if form.whole {
            return words.any(|word| form.fits(text, word));
        }
        let mut words = words.filter(|word| form.may_start(text, word)).peekable();
        let Some(pattern) = words.peek().and_then(|_| form.pattern()) else { return false };
        let mut cache = pattern.create_cache();
        words.any(|word| pattern.try_is_match(&mut cache, input(text, word.start)).unwrap_or(false))
    }

    /// Returns a text with each match of a pattern replaced by a blank; nothing where there is none.
    pub(super) fn taken_out(&self, form: usize, text: &[u8], starts: &Starts) -> Option<Vec<u8>> {
        let words = starts.of(form);
        let form = self.form(form, starts)?;
        let mut places: Vec<usize> = words.filter(|word| form.may_start(text, word)).map(|word| word.start).collect();
        places.sort_unstable();
        let pattern = form.pattern().filter(|_| !places.is_empty())?;
        let mut cache = pattern.create_cache();
        let mut rest: Vec<u8> = Vec::new();
        let mut from = 0;
        for at in places {
            // What is inside of another match is none.
            let mut slots = [None; 2];
            let found = (at >= from).then(|| pattern.try_search_slots(&mut cache, &input(text, at), &mut slots));
            if !matches!(found, Some(Ok(Some(_)))) {
                continue;
            }
            let [_, Some(end)] = slots else { continue };
            rest.extend_from_slice(text.get(from..at)?);
            rest.push(b' ');
            from = end.get();
        }
        rest.extend_from_slice(text.get(from..)?);
        (from > 0).then_some(rest)
    }

    /// Returns a pattern where it may start anywhere.
    fn form(&self, at: usize, starts: &Starts) -> Option<&Form> {
        (starts.forms >> at & 1 == 1).then(|| self.forms.get(at)).flatten()
    }
}

impl Form {
    fn pattern(&self) -> Option<&BoundedBacktracker> {
        self.made.get_or_init(|| made_from(&self.pattern)).as_ref()
    }

    /// Says whether a word starts where the pattern wants one to start.
    fn may_start(&self, text: &[u8], word: &Range<usize>) -> bool {
        !self.pattern.starts_with(BOUND) || is_bound(text, word.start)
    }

    /// Says whether one of the words that are all of the pattern starts and ends where the pattern wants words to.
    fn fits(&self, text: &[u8], word: &Range<usize>) -> bool {
        self.may_start(text, word) && (!self.pattern.ends_with(BOUND) || is_bound(text, word.end))
    }
}

/// Says whether a word starts or ends at a byte.
fn is_bound(text: &[u8], at: usize) -> bool {
    let is_word = |at: Option<usize>| {
        at.and_then(|at| text.get(at)).is_some_and(|byte| byte.is_ascii_alphanumeric() || *byte == b'_')
    };
    is_word(at.checked_sub(1)) != is_word(Some(at))
}

impl Starts {
    fn of(&self, form: usize) -> impl Iterator<Item = &Range<usize>> {
        self.places.iter().filter(move |(one, _)| *one == form).map(|(_, word)| word)
    }
}

/// Makes a pattern, in the way that takes the least: it is tried at few places.
fn made_from(pattern: &str) -> Option<BoundedBacktracker> {
    let bytes = syntax::Config::new().unicode(false).utf8(false);
    let whole = Config::new().utf8(false).which_captures(WhichCaptures::Implicit);
    let made = BoundedBacktracker::builder().syntax(bytes).thompson(whole).build(pattern).ok()?;
    debug_assert!(made.max_haystack_len() >= LONGEST);
    Some(made)
}

/// Asks for a match at a place of a text.
fn input(text: &[u8], at: usize) -> Input<'_> {
    let end = text.len().min(at + LONGEST);
    Input::new(text).span(Span { start: at, end }).anchored(Anchored::Yes)
}

/// What stands behind each word with which a pattern starts.
pub(super) const END: char = '|';

/// What stands before the words of a pattern that matches nothing but one of them, between the ends of words where it wants these.
pub(super) const WHOLE: char = '=';

/// How a pattern says that a word starts or ends.
const BOUND: &str = r"\b";

/// Returns a text in small letters, with one blank for all space between words, and one byte for each letter: those outside ASCII, which no
/// pattern names, become one that no word has.
pub(super) fn plain(text: &str) -> Vec<u8> {
    if text.is_ascii() {
        return with_single_blanks(text.bytes().map(|byte| byte.to_ascii_lowercase()), text.len());
    }
    let letters = text.to_lowercase();
    let bytes = letters.chars().map(|letter| match letter {
        '’' | '‘' => b'\'',
        letter if letter.is_whitespace() => b' ',
        letter => u8::try_from(letter).ok().filter(u8::is_ascii).unwrap_or(0x7F),
    });
    with_single_blanks(bytes, letters.len())
}

fn with_single_blanks(bytes: impl Iterator<Item = u8>, most: usize) -> Vec<u8> {
    let mut plain = Vec::with_capacity(most);
    let mut blank = false;
    for byte in bytes {
        // As the table of all letters has it, unlike the one of ASCII alone.
        if matches!(byte, b'\t'..=b'\r' | b' ') {
            blank = !plain.is_empty();
            continue;
        }
        if std::mem::take(&mut blank) {
            plain.push(b' ');
        }
        plain.push(byte);
    }
    plain
}

#[cfg(test)]
pub(super) mod tests {
    use elvask_platform::wording::{NoteWords, note_words};
    use regex_automata::meta::Regex;
    use regex_syntax::ParserBuilder;
    use regex_syntax::hir::HirKind;
    use regex_syntax::hir::literal::Extractor;

    use super::*;
    use crate::shuffled;

    /// The most words with which one pattern may start: where there are more, shorter ones are taken. Fewer words are sooner put together,
    /// and make more patterns be tried; with so many, looking into packages takes the least.
    const MAX_STARTS: usize = 32;

    /// The most words that are all that a pattern matches: it is never made, so that more of them are worth their while.
    const MAX_WHOLE: usize = 64;

    /// Says whether a pattern is several forms beside each other, of which the first and the last alone would have its ends.
    fn is_several(pattern: &str) -> bool {
        let read = ParserBuilder::new().unicode(false).utf8(false).build().parse(pattern);
        read.is_ok_and(|read| matches!(read.kind(), HirKind::Alternation(_)))
    }

    /// Returns the words with which a pattern starts as [`Forms::new`] takes them; empty where it may start with anything.
    pub(crate) fn starts(pattern: &str) -> String {
        let words = |pattern: &str, most: usize| {
            let read = ParserBuilder::new().unicode(false).utf8(false).build().parse(pattern).ok()?;
            let plain = read.properties().look_set().is_empty();
            Some((Extractor::new().limit_total(most).extract(&read), plain))
        };
        let inner = pattern.strip_prefix(BOUND).unwrap_or(pattern);
        let inner = inner.strip_suffix(BOUND).unwrap_or(inner);
        let whole = words(inner, MAX_WHOLE).filter(|(words, plain)| *plain && words.is_exact() && !is_several(pattern));
        let mut written = String::from(if whole.is_some() { "=" } else { "" });
        let starts = whole.or_else(|| words(pattern, MAX_STARTS));
        for start in starts.as_ref().and_then(|(starts, _)| starts.literals()).unwrap_or_default() {
            match std::str::from_utf8(start.as_bytes()) {
                Ok(start) if start.len() > 1 && !start.contains([END, WHOLE, '\n']) => written.extend([start, "|"]),
                _ => return String::new(),
            }
        }
        written
    }

    #[test]
    fn what_is_found_is_what_the_patterns_match() {
        let patterns = [r"\bnot (?:needed|required)\b", "(?:if|when)[^,.]{0,9}ios", "^and ", "(", "ö"];
        assert_eq!(starts(r"\bone|two\b"), "one|two|", "neither has an end on both sides");
        let starts = patterns.map(starts);
        assert_eq!(starts[..4], ["=not needed|not required|", "if|when|", "and |", ""]);
        let forms = Forms::new(patterns.into_iter().zip(starts.iter().map(String::as_str)));
        let found = |text: &str| {
            let text = plain(text);
            let starts = forms.starts(&text);
            (0..patterns.len()).filter(|at| forms.is_in(*at, &text, &starts)).collect::<Vec<_>>()
        };
        assert_eq!(found("it is not needed"), [0]);
        assert_eq!(found("it is knot needed, not neededs"), [] as [usize; 0]);
        assert_eq!(found("when ö\u{2013}on ios, only"), [1]);
        assert_eq!(found("and when not required on ios"), [0, 2]);
        assert_eq!(found("this and that"), [] as [usize; 0]);
        assert_eq!(found("nothing here ("), [] as [usize; 0]);
    }

    #[test]
    fn texts_are_made_plain() {
        let by_steps = |text: &str| -> Vec<u8> {
            let lower = text.to_lowercase().replace(['’', '‘'], "'");
            let words = lower.split_whitespace().collect::<Vec<_>>().join(" ");
            words.chars().map(|letter| u8::try_from(letter).ok().filter(u8::is_ascii).unwrap_or(0x7F)).collect()
        };
        let all: String = (0..=0x2100).filter_map(char::from_u32).collect();
        for text in ["", " ", "a", " A  b\n", "Don’t\u{a0}\u{2003}x ", "\u{1f}a\u{b}b\u{85}c", "É É", "\u{130}x", &all]
        {
            assert_eq!(plain(text), by_steps(text), "{text:?}");
        }
    }

    #[test]
    fn matches_are_taken_out() {
        let patterns = ["(?:if|when)[^,.]{0,9}ios", "one"];
        let starts = patterns.map(starts);
        let forms = Forms::new(patterns.into_iter().zip(starts.iter().map(String::as_str)));
        let without = |form: usize, text: &str| {
            let rest = forms.taken_out(form, text.as_bytes(), &forms.starts(text.as_bytes()));
            rest.map(|rest| String::from_utf8(rest).unwrap())
        };
        assert_eq!(without(0, "add it when if ios, if, if on ios."), Some("add it  , if,  .".to_owned()));
        assert_eq!(without(0, "if on ios"), Some(" ".to_owned()));
        assert_eq!(without(0, "if only"), None);
        assert_eq!(without(1, "oneone two"), Some("   two".to_owned()));
    }

    #[test]
    fn each_pattern_of_notes_says_the_same_as_a_search_through_all_of_a_text() {
        let kinds = [NoteWords::Firm, NoteWords::Bound, NoteWords::Not, NoteWords::Optional, NoteWords::Needed];
        let patterns: Vec<&str> = kinds.into_iter().flat_map(note_words).collect();
        let starts: Vec<String> = patterns.iter().map(|pattern| starts(pattern)).collect();
        assert!(starts.iter().all(|starts| !starts.is_empty()), "each starts with some word");
        assert!(!patterns.iter().any(|pattern| is_several(pattern)), "each has its ends on both sides");
        let forms = Forms::new(patterns.iter().copied().zip(starts.iter().map(String::as_str)));
        let bytes = syntax::Config::new().unicode(false).utf8(false);
        let whole = |pattern: &&str| Regex::builder().syntax(bytes).build(pattern).unwrap();
        let wholes: Vec<Regex> = patterns.iter().map(whole).collect();
        // The words of all patterns, put together in many ways.
        let words = patterns.iter().flat_map(|one| one.split(|sign: char| !sign.is_ascii_alphabetic()));
        let words: Vec<String> =
            words.flat_map(|word| ["", "", "", ",", "."].map(|end| format!("{word}{end}"))).collect();
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let mut text = shuffled::texts(&words, " ");
        let mut matches = 0;
        for _ in 0..400 {
            let text = text(24);
            let starts = forms.starts(text.as_bytes());
            for (form, (pattern, whole)) in patterns.iter().zip(&wholes).enumerate() {
                let is_there = whole.is_match(&text);
                assert_eq!(forms.is_in(form, text.as_bytes(), &starts), is_there, "{pattern}: {text}");
                let mut without = text.clone();
                let ranges: Vec<_> = whole.find_iter(&text).map(|found| found.range()).collect();
                ranges.into_iter().rev().for_each(|range| without.replace_range(range, " "));
                let taken_out = forms.taken_out(form, text.as_bytes(), &starts);
                assert_eq!(taken_out, is_there.then(|| without.into_bytes()), "{pattern}: {text}");
                matches += usize::from(is_there);
            }
        }
        assert!(matches > 300, "{matches}");
    }
}
