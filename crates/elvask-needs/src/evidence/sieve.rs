//! Finding out fast in which lines of a file any of some words is.
//!
//! Most native code holds none of them. Where a search for all of them looks at each byte, this one looks at two bytes at a time, and steps
//! over as many as no word can start in.

use elvask_platform::hash::QuickMap;

/// Words that are looked for, each by a window: a part of it that is as long as the shortest word.
#[derive(Debug)]
pub(super) struct Sieve {
    /// How many bytes a window has.
    window: usize,
    /// For each pair of bytes at the end of some window, how far the next one is that can be a word's; 0 where it may be this one.
    steps: Vec<u8>,
    /// For each pair of bytes, whether the window of a word starts with it.
    starts: Vec<bool>,
    /// The words by their windows, each with where in it the window is.
    words: QuickMap<&'static [u8], Vec<(usize, &'static [u8])>>,
}

/// The most bytes of a window; more make longer steps, and a step is kept in one byte.
const MAX_WINDOW: usize = 32;

fn pair(bytes: &[u8]) -> Option<usize> {
    bytes.first_chunk::<2>().map(|pair| usize::from(u16::from_le_bytes(*pair)))
}

/// Returns how often a pair of bytes is in code, roughly: two small letters are in nearly every word.
fn frequency(pair: &[u8]) -> usize {
    if pair.iter().all(u8::is_ascii_lowercase) { 10 } else { 1 }
}

impl Sieve {
    /// Makes the sieve for some words; one that is shorter than two bytes is never found.
    pub(super) fn new(words: impl Iterator<Item = &'static str>) -> Self {
        let mut words: Vec<&[u8]> = words.map(str::as_bytes).filter(|word| word.len() > 1).collect();
        // Those come first that leave no choice.
        words.sort_by_key(|word| word.len());
        let window = words.first().map_or(2, |word| word.len()).min(MAX_WINDOW);
        let pairs = usize::from(u16::MAX) + 1;
        let mut sieve = Sieve {
            window,
            steps: vec![u8::try_from(window - 1).unwrap_or(1); pairs],
            starts: vec![false; pairs],
            words: QuickMap::default(),
        };
        words.into_iter().for_each(|word| sieve.add(word));
        sieve
    }

    fn step(&self, pair: usize) -> u8 {
        self.steps.get(pair).copied().unwrap_or_default()
    }

    /// Adds a word by the window that makes the steps shorter the least, where it matters.
    fn add(&mut self, word: &'static [u8]) {
        // Each pair of a window, with how far it is from the window's end.
        let pairs = |window: &'static [u8]| window.windows(2).rev().zip(0_u8..);
        let often = |step: u8| 12 / (usize::from(step) + 1);
        let cost = |window: &'static [u8]| {
            let worse = pairs(window).map(|(two, step)| {
                let known = pair(two).map(|pair| self.step(pair)).unwrap_or_default();
                frequency(two) * often(step).saturating_sub(often(known))
            });
            worse.sum::<usize>()
        };
        let Some((at, window)) = word.windows(self.window).enumerate().min_by_key(|(_, window)| cost(window)) else {
            return;
        };
        for (two, step) in pairs(window) {
            if let Some(known) = pair(two).and_then(|pair| self.steps.get_mut(pair)) {
                *known = (*known).min(step);
            }
        }
        if let Some(starts) = pair(window).and_then(|pair| self.starts.get_mut(pair)) {
            *starts = true;
        }
        self.words.entry(window).or_default().push((at, word));
    }

    /// Goes through the lines in which one of the words is, each with the byte that it starts at. No word goes on in the next line.
    pub(super) fn lines<'b>(&self, bytes: &'b [u8]) -> impl Iterator<Item = (usize, &'b [u8])> {
        let mut from = 0;
        std::iter::from_fn(move || {
            let word = self.find(bytes, from)?;
            let before = bytes.get(..word)?;
            let start = memchr::memrchr(b'\n', before).map_or(0, |end| end + 1);
            let rest = bytes.get(word..)?;
            let end = word + memchr::memchr(b'\n', rest).unwrap_or(rest.len());
            from = end;
            Some((start, bytes.get(start..end)?))
        })
    }

    /// Finds where a word starts, of those whose windows start at a byte or behind it.
    fn find(&self, bytes: &[u8], from: usize) -> Option<usize> {
        let mut start = from;
        while let Some(window) = bytes.get(start..start + self.window) {
            let last = window.get(self.window - 2..).and_then(pair);
            match last.map(|pair| self.step(pair)).unwrap_or_default() {
                0 => match self.word_around(bytes, start, window) {
                    None => start += 1,
                    word => return word,
                },
                step => start += usize::from(step),
            }
        }
        None
    }

    fn word_around(&self, bytes: &[u8], start: usize, window: &[u8]) -> Option<usize> {
        // Few windows that end as that of a word start so too, and a look at the pair is cheaper than one for all of it.
        if !pair(window).and_then(|pair| self.starts.get(pair)).copied().unwrap_or_default() {
            return None;
        }
        let is_there = |(at, word): &(usize, &[u8])| {
            let start = start.checked_sub(*at)?;
            bytes.get(start..)?.starts_with(word).then_some(start)
        };
        self.words.get(window)?.iter().find_map(is_there)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    impl Sieve {
        fn holds(&self, bytes: &[u8]) -> bool {
            self.find(bytes, 0).is_some()
        }
    }

    #[test]
    fn lines_that_hold_a_word_are_found_once() {
        let sieve = Sieve::new(["heron", "reedbed"].into_iter());
        let lines = |text: &'static str| -> Vec<(usize, &str)> {
            sieve.lines(text.as_bytes()).map(|(at, line)| (at, std::str::from_utf8(line).unwrap())).collect()
        };
        assert_eq!(
            lines("a heron, a heron\n\nnone\nreedbed\r\nheronreedbed"),
            [(0, "a heron, a heron"), (23, "reedbed\r"), (32, "heronreedbed")]
        );
        assert_eq!(lines("reed\nbed\nhero"), []);
        assert_eq!(lines(""), []);
    }

    #[test]
    fn what_holds_a_word_is_found_wherever_that_is() {
        let sieve = Sieve::new(["heron", "reedbed", "tern nest"].into_iter());
        for word in ["heron", "reedbed", "tern nest"] {
            for before in 0..20 {
                let text = format!("{}{word}", "h".repeat(before));
                assert!(sieve.holds(text.as_bytes()), "{text}");
                assert!(sieve.holds(format!("{text} and more").as_bytes()), "{text}");
                assert!(!sieve.holds(text.get(..text.len() - 1).unwrap().as_bytes()), "{text} without its end");
            }
        }
        for text in ["", "h", "hero", "herom", "tern nes", "reedreedreed", "\u{e9}\u{e9}\u{e9}\u{e9}"] {
            assert!(!sieve.holds(text.as_bytes()), "{text}");
        }
    }

    #[test]
    fn it_says_the_same_as_a_search_for_each_word() {
        let words = ["abab", "babba", "aabbaabb", "bbbbbb"];
        let sieve = Sieve::new(words.into_iter());
        // All texts of two letters up to twelve long.
        for length in 0..=12_u32 {
            for bits in 0..1_u32 << length {
                let text: String = (0..length).map(|at| if bits >> at & 1 == 1 { 'a' } else { 'b' }).collect();
                assert_eq!(sieve.holds(text.as_bytes()), words.iter().any(|word| text.contains(word)), "{text}");
            }
        }
    }

    #[test]
    fn without_words_nothing_is_found() {
        assert!(!Sieve::new([].into_iter()).holds(b"anything"));
    }
}
