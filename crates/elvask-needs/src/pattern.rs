//! Patterns that are part of the program: made when they are first wanted, and tried only on texts that hold one of their words.

use std::ops::Range;
use std::sync::OnceLock;

use memchr::memmem::Finder;
use regex_automata::Input;
use regex_automata::meta::{Config, Regex};
use regex_automata::util::captures::Captures;
use regex_automata::util::syntax;

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
        let finders = self.finders();
        finders.is_empty() || finders.iter().any(|word| word.find(text.as_bytes()).is_some())
    }

    fn finders(&self) -> &[Finder<'static>] {
        self.finders.get_or_init(|| self.words.iter().map(|word| Finder::new(word.as_bytes())).collect())
    }

    /// Returns the pattern for a text that may match.
    fn on(&self, text: &str) -> Option<&Regex> {
        if !self.may_match(text) {
            return None;
        }
        self.made.get_or_init(|| made(self.pattern)).as_ref()
    }

    /// Returns the first match in a text.
    pub(crate) fn captures<'t>(&self, text: &'t str) -> Option<Found<'t>> {
        let pattern = self.on(text)?;
        let mut parts = pattern.create_captures();
        pattern.captures(text, &mut parts);
        parts.is_match().then_some(Found { text, parts })
    }

    /// Goes through the matches in a text.
    pub(crate) fn captures_iter<'t>(&self, text: &'t str) -> impl Iterator<Item = Found<'t>> {
        let pattern = self.on(text).into_iter();
        pattern.flat_map(move |pattern| pattern.captures_iter(text)).map(move |parts| Found { text, parts })
    }

    /// Goes through the matches in the lines of a text that hold one of the pattern's words. It must have some, and no match go over a line.
    pub(crate) fn captures_on_lines<'t>(&self, text: &'t str) -> impl Iterator<Item = Found<'t>> {
        self.captures_within(text, |byte| byte != b'\n')
    }

    /// The same for stretches of bytes of which all matches, and all that stands in them, are made.
    pub(crate) fn captures_within<'t>(&self, text: &'t str, inside: fn(u8) -> bool) -> impl Iterator<Item = Found<'t>> {
        let stretches = self.stretches(text, inside);
        let pattern = (!stretches.is_empty()).then(|| self.on(text)).flatten();
        stretches
            .into_iter()
            .filter_map(move |stretch| Some(pattern?.captures_iter(Input::new(text).span(stretch))))
            .flatten()
            .map(move |parts| Found { text, parts })
    }

    /// The same where their parts do not matter.
    pub(crate) fn find_within<'t>(&self, text: &'t str, inside: fn(u8) -> bool) -> impl Iterator<Item = Part<'t>> {
        self.captures_within(text, inside).filter_map(|found| found.get(0))
    }

    /// Returns the stretches of some bytes that hold one of the words, in order.
    fn stretches(&self, text: &str, inside: fn(u8) -> bool) -> Vec<Range<usize>> {
        let bytes = text.as_bytes();
        let mut places: Vec<usize> = self.finders().iter().flat_map(|word| word.find_iter(bytes)).collect();
        places.sort_unstable();
        let mut stretches: Vec<Range<usize>> = Vec::new();
        for at in places {
            if stretches.last().is_none_or(|stretch| stretch.end <= at)
                && let Some((before, rest)) = bytes.split_at_checked(at)
            {
                let start = before.iter().rposition(|byte| !inside(*byte)).map_or(0, |last| last + 1);
                let end = rest.iter().position(|byte| !inside(*byte)).map_or(bytes.len(), |first| at + first);
                stretches.push(start..end);
            }
        }
        stretches
    }

    /// The same where their parts do not matter.
    pub(crate) fn find_iter<'t>(&self, text: &'t str) -> impl Iterator<Item = Part<'t>> {
        let pattern = self.on(text).into_iter();
        let found = pattern.flat_map(move |pattern| pattern.find_iter(text));
        found.filter_map(move |found| Part::of(text, found.range()))
    }
}

/// A match.
pub(crate) struct Found<'t> {
    text: &'t str,
    parts: Captures,
}

impl<'t> Found<'t> {
    /// Returns a part of it, counted from 1, or all of it, which is 0.
    pub(crate) fn get(&self, at: usize) -> Option<Part<'t>> {
        Part::of(self.text, self.parts.get_group(at)?.range())
    }
}

/// A part of a match, or all of it.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Part<'t> {
    start: usize,
    text: &'t str,
}

impl<'t> Part<'t> {
    fn of(text: &'t str, range: Range<usize>) -> Option<Self> {
        Some(Part { start: range.start, text: text.get(range)? })
    }

    pub(crate) fn as_str(self) -> &'t str {
        self.text
    }

    /// Its first byte in the text.
    pub(crate) fn start(self) -> usize {
        self.start
    }

    /// The byte behind it.
    pub(crate) fn end(self) -> usize {
        self.start + self.text.len()
    }
}

/// Makes a pattern. Tables of all letters there are would be searched slowly, and names in code have none of them.
fn made(pattern: &str) -> Option<Regex> {
    let ascii = pattern.replace(r"\b", r"(?-u:\b)").replace(r"\w", "[0-9A-Za-z_]").replace(r"\s", r"[ \t\n\r\x0B\x0C]");
    let bytes = syntax::Config::new().unicode(knows_letters(&ascii)).utf8(false);
    // Neither is a word searched for first, as a text is known to hold one, nor are tables made on the way: texts are lines and clauses, and
    // all that would take longer to make than it saves.
    let config = Config::new().auto_prefilter(false).hybrid(false).utf8_empty(false);
    let made = Regex::builder().syntax(bytes).configure(config).build(&ascii);
    debug_assert!(made.is_ok(), "{pattern}: {made:?}");
    made.ok()
}

/// Says whether a pattern must know where letters outside of ASCII end: it names one, or counts what may be one. Any number of bytes
/// that are none of some signs is the same as any number of such letters, and is made without the large table that letters take.
fn knows_letters(pattern: &str) -> bool {
    if !pattern.is_ascii() {
        return true;
    }
    let mut signs = pattern.bytes().peekable();
    let (mut escaped, mut inside, mut negated) = (false, false, false);
    while let Some(sign) = signs.next() {
        match sign {
            _ if escaped => escaped = false,
            b'\\' => escaped = true,
            b'[' if !inside => (inside, negated) = (true, signs.peek() == Some(&b'^')),
            b']' if inside => {
                inside = false;
                if negated && signs.peek() != Some(&b'*') && signs.peek() != Some(&b'+') {
                    return true;
                }
            }
            b'.' if !inside => return true,
            _ => {}
        }
    }
    false
}

/// Returns the first group of the first line that a pattern with a name in it matches. Only lines are searched with that name, and with one
/// of the signs that the pattern wants.
pub(crate) fn first_in_lines<'t>(
    name: &str,
    signs: &[&str],
    text: &'t str,
    pattern: impl FnOnce(&str) -> String,
) -> Option<&'t str> {
    let mut from = 0;
    let finder = Finder::new(name);
    let lines = std::iter::from_fn(|| {
        let at = from + finder.find(text.as_bytes().get(from..)?)?;
        let (before, rest) = text.split_at_checked(at)?;
        let line_start = memchr::memrchr(b'\n', before.as_bytes()).map_or(0, |end| end + 1);
        let end = memchr::memchr(b'\n', rest.as_bytes()).map_or(text.len(), |end| at + end);
        from = end + 1;
        let line = text.get(line_start..end)?;
        Some(line.strip_suffix('\r').unwrap_or(line))
    });
    let mut lines = lines.filter(|line| signs.iter().any(|sign| line.contains(sign))).peekable();
    lines.peek()?;
    let form = regex_lite::Regex::new(&pattern(&regex_lite::escape(name))).ok()?;
    lines.find_map(|line| Some(form.captures(line)?.get(1)?.as_str()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::shuffled;

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

    #[test]
    fn on_lines_the_same_is_found_as_in_all_of_a_text() {
        static LEVEL: Pattern = Pattern::new(r"(?m)^[ \t]*(\w+)Sdk\b[ \t=]*([0-9]+)$|<(\w+)", &["Sdk", "<"]);
        let lines = [
            "minSdk = 24",
            "",
            "a <b> minSdk 1",
            "  maxSdk 2",
            "x minSdk 3",
            "minSdk 4 ",
            "no\r",
            "<é <d <e",
            "min\nSdk 5",
        ];
        let mut text = shuffled::texts(&lines, "\n");
        let mut matches = 0;
        for count in 0..400 {
            let text = text(count % 9);
            let shown = |found: Found<'_>| {
                (0..4).map(|at| found.get(at).map(|part| (part.start(), part.end()))).collect::<Vec<_>>()
            };
            let on_lines: Vec<_> = LEVEL.captures_on_lines(&text).map(shown).collect();
            assert_eq!(on_lines, LEVEL.captures_iter(&text).map(shown).collect::<Vec<_>>(), "{text}");
            matches += on_lines.len();
        }
        assert!(matches > 400, "{matches}");
    }

    #[test]
    fn letters_outside_of_ascii_are_known_where_they_are_counted() {
        let first = |pattern: &'static str, text: &str| {
            let pattern = Pattern::new(pattern, &[]);
            let found = pattern.captures(text)?;
            let whole = found.get(0)?;
            assert_eq!(Some(whole.as_str()), text.get(whole.start()..whole.end()));
            Some(found.get(1)?.as_str().to_owned())
        };
        for (pattern, knows) in [
            ("`([^`]+)`", false),
            (r"a\.[^\]]*b", false),
            ("[^a]{0,3}", true),
            ("[^a]", true),
            ("a.b", true),
            ("[.]", false),
            ("–", true),
            (r"[^\n]*$", false),
        ] {
            assert_eq!(knows_letters(pattern), knows, "{pattern}");
        }
        assert_eq!(first("`([^`]+)`", "é `ö→ü` é").as_deref(), Some("ö→ü"));
        assert_eq!(first("x([^a]{0,2})", "xöööa").as_deref(), Some("öö"));
        assert_eq!(first("x([^a])", "xö").as_deref(), Some("ö"));
        assert_eq!(first("x(.)", "x→").as_deref(), Some("→"));
    }

    #[test]
    fn lines_with_a_name_are_searched_once_and_in_order() {
        let first = |text: &'static str| first_in_lines("knot", &["="], text, |name| format!("^{name} *= *(.+)$"));
        assert_eq!(first("a knot = 1\nknot\r\nknot knot = 2\nknot = 3\r\nknot = 4"), Some("3"));
        assert_eq!(first("knot = 5"), Some("5"));
        assert_eq!(first("\n\nknot\n"), None);
        assert_eq!(first(""), None);
        assert_eq!(first("tern = 1"), None);
    }
}
