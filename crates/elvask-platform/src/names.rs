//! Finding the name that somebody meant.

use strsim::osa_distance;

/// Returns the known name that is nearest to `name`, if it is near enough to be meant.
///
/// A difference in case alone always counts as near; otherwise about one letter in six may differ, at least one and at
/// most three. Of two names that are equally near neither is returned, as it would be a guess.
#[must_use]
pub fn nearest<'k>(name: &str, known: impl IntoIterator<Item = &'k str>) -> Option<&'k str> {
    let wanted = name.to_lowercase();
    let allowed = (wanted.chars().count() / 6).clamp(1, 3);
    let wanted_letters = Letters::of(&wanted);
    let mut best: Option<(usize, &str)> = None;
    let mut tied = false;
    for candidate in known {
        if candidate.len().abs_diff(wanted.len()) > allowed {
            continue;
        }
        // Cheap first: every edit changes the count of two letters at most.
        if wanted_letters.apart(candidate) > 2 * allowed {
            continue;
        }
        let distance = distance(&wanted, &candidate.to_lowercase());
        match best {
            _ if distance > allowed => {}
            Some((least, _)) if distance > least => {}
            Some((least, other)) if distance == least => tied = tied || !other.eq_ignore_ascii_case(candidate),
            _ => {
                best = Some((distance, candidate));
                tied = false;
            }
        }
    }
    best.filter(|_| !tied).map(|(_, candidate)| candidate)
}

/// Says whether a name is another one with one or two slips of the pen in it.
#[must_use]
pub fn is_slip_of(name: &str, known: &str) -> bool {
    name != known && distance(name, known) <= 2
}

/// Returns how many slips of the pen part two names: a letter too many or too few, another letter, or two in the other order. What both
/// start and end with is passed over, as most names that are held against each other differ in one place.
fn distance(one: &str, other: &str) -> usize {
    let starts = one.bytes().zip(other.bytes()).take_while(|(one, other)| one == other).count();
    let starts = one.floor_char_boundary(starts);
    let [one, other] = [one, other].map(|name| name.get(starts..).unwrap_or_default());
    let ends = one.bytes().rev().zip(other.bytes().rev()).take_while(|(one, other)| one == other).count();
    let behind = one.ceil_char_boundary(one.len() - ends);
    let ends = one.len() - behind;
    let [one, other] = [one, other].map(|name| name.get(..name.len() - ends).unwrap_or_default());
    osa_distance(one, other)
}

/// Returns the known name that is nearest to `name` and has the same words, each of them near enough to be meant.
///
/// `words` splits a name. A whole word for another one is another name and not a slip of the pen: `INTERNAL` is not
/// `EXTERNAL`. A word may differ by one letter, a long one by two.
#[must_use]
pub fn nearest_by_words<'k>(
    name: &str,
    known: impl IntoIterator<Item = &'k str>,
    words: fn(&str) -> Vec<&str>,
) -> Option<&'k str> {
    let found = nearest(name, known)?;
    let (wanted, meant) = (words(name), words(found));
    let near = |(one, other): (&&str, &&str)| {
        let allowed = if other.len() > 8 { 2 } else { 1 };
        distance(&one.to_lowercase(), &other.to_lowercase()) <= allowed
    };
    (wanted.len() == meant.len() && wanted.iter().zip(&meant).all(near)).then_some(found)
}

/// How often each letter of the alphabet stands in a name, whatever its case.
#[derive(Clone, Copy)]
struct Letters([u8; 26]);

impl Letters {
    fn of(name: &str) -> Self {
        let mut counts = [0u8; 26];
        for byte in name.bytes().filter(u8::is_ascii_alphabetic) {
            if let Some(count) = counts.get_mut(usize::from(byte.to_ascii_lowercase() - b'a')) {
                *count = count.saturating_add(1);
            }
        }
        Letters(counts)
    }

    /// Returns by how much the counts differ from those of another name.
    fn apart(self, other: &str) -> usize {
        let other = Letters::of(other);
        self.0.iter().zip(other.0).map(|(one, other)| usize::from(one.abs_diff(other))).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn near_names_are_found_and_far_ones_are_not() {
        let known = ["camera", "microphone", "contacts", "calendar"];
        assert_eq!(nearest("camrea", known), Some("camera"));
        assert_eq!(nearest("Camera", known), Some("camera"));
        assert_eq!(nearest("micro", known), None);
        assert_eq!(nearest("bat", ["cat", "rat"]), None, "a tie is not an answer");
    }

    #[test]
    fn what_two_names_share_at_both_ends_does_not_change_how_far_they_are_apart() {
        let mut names = vec![String::new()];
        for at in 0.. {
            let Some(name) = names.get(at).filter(|name| name.chars().count() < 4).cloned() else { break };
            names.extend(['a', 'b', 'é', 'è'].map(|letter| format!("{name}{letter}")));
        }
        assert_eq!(names.len(), 341);
        for one in &names {
            for other in &names {
                assert_eq!(distance(one, other), osa_distance(one, other), "{one} {other}");
            }
        }
    }

    #[test]
    fn letters_differ_by_two_for_each_slip_at_the_most() {
        let names = ["camera", "camrea", "cameraa", "amera", "kamera", "microphone", "", "cam", "CAMERA", "aaaaaa"];
        for one in names {
            for other in names {
                let slips = osa_distance(&one.to_lowercase(), &other.to_lowercase());
                assert!(Letters::of(one).apart(other) <= 2 * slips, "{one} {other}");
            }
        }
        assert_eq!(Letters::of("camera").apart("kamerra"), 3);
    }
}
