//! Finding out fast in which lines of a file any of some words is.
//!
//! Most native code holds none of them. Where a search for all of them looks at each byte, this one looks at three bytes at a time, and
//! steps over as many as no word can start in. It steps in several parts of a file at once, as one step has to wait for the one before.

use elvask_platform::hash::QuickMap;

/// Words that are looked for, each by a window: a part of it that is as long as the shortest word.
#[derive(Debug)]
pub(super) struct Sieve {
    /// How many bytes a window has.
    window: usize,
    /// For the sum of three bytes at the end of some window, how far the next one is that can be a word's; 0 where it may be this one.
    steps: Box<[u8; 1 << BITS_OF_THREE]>,
    /// For the sum of four bytes, whether the window of a word may start with them.
    starts: Vec<bool>,
    /// The words by their windows, each with where in it the window is.
    words: QuickMap<&'static [u8], Vec<(usize, &'static [u8])>>,
}

/// The most bytes of a window; more make longer steps, and a step is kept in one byte.
const MAX_WINDOW: usize = 32;

/// The fewest bytes of a window, and of a word.
const MIN_WINDOW: usize = 4;

/// How many bits the sum of three bytes has: a table that stays near, and in which few of them meet.
const BITS_OF_THREE: u32 = 15;

/// How many bits the sum of four bytes has.
const BITS_OF_FOUR: u32 = 16;

/// In how many parts of a file steps are taken at once; more of them were no quicker.
const PARTS: usize = 4;

/// Spreads a number over some bits, of which the upper ones hang on all of its own.
fn spread(number: u32, bits: u32) -> usize {
    (number.wrapping_mul(0x9e37_79b1) >> (u32::BITS - bits)) as usize
}

/// Returns the sum of the last three of four bytes.
fn sum_of_three(four: [u8; 4]) -> usize {
    spread(u32::from_le_bytes(four) >> u8::BITS, BITS_OF_THREE)
}

fn sum_of_four(bytes: &[u8]) -> Option<usize> {
    Some(spread(u32::from_le_bytes(*bytes.first_chunk()?), BITS_OF_FOUR))
}

/// Returns how often three bytes are in code, roughly: small letters are in nearly every word.
fn frequency(three: &[u8]) -> usize {
    if three.iter().all(u8::is_ascii_lowercase) { 10 } else { 1 }
}

/// A part of a file that is gone through.
#[derive(Debug)]
struct Lane<'b> {
    /// The bytes from the last four of the next window on.
    rest: &'b [u8],
    /// Where in the file they end.
    end: usize,
    /// Where in the file words were found, one a line.
    words: Vec<usize>,
}

impl Lane<'_> {
    fn step(&mut self, bytes: usize) {
        self.rest = self.rest.get(bytes..).unwrap_or_default();
    }
}

impl Sieve {
    /// Makes the sieve for some words; one that is shorter than four bytes is never found.
    pub(super) fn new(words: impl Iterator<Item = &'static str>) -> Self {
        let mut words: Vec<&[u8]> = words.map(str::as_bytes).filter(|word| word.len() >= MIN_WINDOW).collect();
        // Those come first that leave no choice.
        words.sort_by_key(|word| word.len());
        let window = words.first().map_or(MIN_WINDOW, |word| word.len()).min(MAX_WINDOW);
        let mut sieve = Sieve {
            window,
            steps: Box::new([u8::try_from(window - 2).unwrap_or(1); 1 << BITS_OF_THREE]),
            starts: vec![false; 1 << BITS_OF_FOUR],
            words: QuickMap::default(),
        };
        words.into_iter().for_each(|word| sieve.add(word));
        sieve
    }

    /// Adds a word by the window that makes the steps shorter the least, where it matters.
    fn add(&mut self, word: &'static [u8]) {
        // The sums of the three bytes at each place, and how often these are in code.
        let threes: Vec<(usize, usize)> = word
            .windows(3)
            .map(|three| {
                let mut four = [0; 4];
                four.iter_mut().skip(1).zip(three).for_each(|(to, from)| *to = *from);
                (sum_of_three(four), frequency(three))
            })
            .collect();
        // Those of a window, with how far they are from its end.
        fn of_window(threes: &[(usize, usize)]) -> impl Iterator<Item = (usize, usize, u8)> {
            threes.iter().rev().zip(0_u8..).map(|((sum, often), step)| (*sum, *often, step))
        }
        let weight = |step: u8| 12 / (usize::from(step) + 1);
        let cost = |window: &[(usize, usize)]| {
            let worse = of_window(window).map(|(sum, often, step)| {
                let known = self.steps.get(sum).copied().unwrap_or_default();
                often * weight(step).saturating_sub(weight(known))
            });
            worse.sum::<usize>()
        };
        let windows = threes.windows(self.window - 2).zip(word.windows(self.window)).enumerate();
        let Some((at, (threes, window))) = windows.min_by_key(|(_, (threes, _))| cost(threes)) else { return };
        for (sum, _, step) in of_window(threes) {
            if let Some(known) = self.steps.get_mut(sum) {
                *known = (*known).min(step);
            }
        }
        if let Some(starts) = sum_of_four(window).and_then(|sum| self.starts.get_mut(sum)) {
            *starts = true;
        }
        self.words.entry(window).or_default().push((at, word));
    }

    /// Finds the lines in which one of the words is, each with the byte that it starts at. No word goes on in the next line.
    pub(super) fn lines<'b>(&self, bytes: &'b [u8]) -> Vec<(usize, &'b [u8])> {
        let mut lanes = self.lanes(bytes);
        while let [Some(one), Some(two), Some(three), Some(four)] = lanes.each_ref().map(|lane| self.next_step(lane)) {
            let steps = [one, two, three, four];
            lanes.iter_mut().zip(steps).for_each(|(lane, step)| lane.step(step));
            if steps.contains(&0) {
                let stopped = lanes.iter_mut().zip(steps).filter(|(_, step)| *step == 0);
                stopped.for_each(|(lane, _)| self.stop(bytes, lane));
            }
        }
        let mut lines: Vec<(usize, &[u8])> = Vec::new();
        for mut lane in lanes {
            while let Some(step) = self.next_step(&lane) {
                lane.step(step);
                if step == 0 {
                    self.stop(bytes, &mut lane);
                }
            }
            for word in lane.words {
                let (before, rest) = bytes.split_at(word);
                let start = memchr::memrchr(b'\n', before).map_or(0, |end| end + 1);
                let end = word + memchr::memchr(b'\n', rest).unwrap_or(rest.len());
                // The parts need not end where a line does.
                if lines.last().is_none_or(|(last, _)| *last < start) {
                    lines.extend(bytes.get(start..end).map(|line| (start, line)));
                }
            }
        }
        lines
    }

    /// Parts a file; the windows of a part may end in the next one.
    fn lanes<'b>(&self, bytes: &'b [u8]) -> [Lane<'b>; PARTS] {
        let (part, before) = (bytes.len() / PARTS, self.window - MIN_WINDOW);
        std::array::from_fn(|lane| {
            let of_next = (lane + 1) * part + before + MIN_WINDOW - 1;
            let end = if lane + 1 < PARTS { of_next.min(bytes.len()) } else { bytes.len() };
            Lane { rest: bytes.get(lane * part + before..end).unwrap_or_default(), end, words: Vec::new() }
        })
    }

    /// Returns how far the next window of a part may be that is a word's, or nothing behind its last one.
    fn next_step(&self, lane: &Lane<'_>) -> Option<usize> {
        self.steps.get(sum_of_three(*lane.rest.first_chunk()?)).copied().map(usize::from)
    }

    /// Looks whether a window is that of a word, and goes on behind it, or in the next line.
    fn stop(&self, bytes: &[u8], lane: &mut Lane<'_>) {
        let at = lane.end + MIN_WINDOW - lane.rest.len() - self.window;
        let Some(word) = self.word_around(bytes, at) else { return lane.step(1) };
        lane.words.push(word);
        let rest = bytes.get(at..).unwrap_or_default();
        lane.step(memchr::memchr(b'\n', rest).unwrap_or(rest.len()));
    }

    /// Returns where the word starts whose window starts at a byte.
    fn word_around(&self, bytes: &[u8], start: usize) -> Option<usize> {
        let window = bytes.get(start..start + self.window)?;
        // Few windows that end as that of a word start so too, and a look at that is cheaper than one for all of it.
        if !*self.starts.get(sum_of_four(window)?)? {
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
    use crate::shuffled;

    impl Sieve {
        fn holds(&self, bytes: &[u8]) -> bool {
            !self.lines(bytes).is_empty()
        }
    }

    #[test]
    fn lines_that_hold_a_word_are_found_once() {
        let sieve = Sieve::new(["heron", "reedbed"].into_iter());
        let lines = |text: &'static str| -> Vec<(usize, &str)> {
            let lines = sieve.lines(text.as_bytes()).into_iter();
            lines.map(|(at, line)| (at, std::str::from_utf8(line).unwrap())).collect()
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
    fn the_same_lines_are_found_wherever_the_parts_of_a_text_end() {
        let words = ["heron", "reedbed", "tern nest"];
        let sieve = Sieve::new(words.into_iter());
        let lines =
            ["", "a heron", "reed", "heronreedbed", "no tern", "tern nest, tern nest", "hero\r", "\u{e9}heron\u{e9}"];
        let mut text = shuffled::texts(&lines, "\n");
        let mut found = 0;
        for count in 0..2000 {
            let text = text(count % 12);
            let wanted: Vec<&str> =
                text.split('\n').filter(|line| words.iter().any(|word| line.contains(word))).collect();
            let lines = sieve.lines(text.as_bytes());
            assert_eq!(
                lines.iter().map(|(_, line)| std::str::from_utf8(line).unwrap()).collect::<Vec<_>>(),
                wanted,
                "{text}"
            );
            assert!(lines.iter().all(|(at, line)| text.as_bytes()[*at..].starts_with(line)), "{text}");
            found += lines.len();
        }
        assert!(found > 4000, "{found}");
    }

    #[test]
    fn without_words_nothing_is_found() {
        assert!(!Sieve::new([].into_iter()).holds(b"anything"));
    }
}
