//! Slow and plain ways to do what the program does quickly, to hold one against the other.

/// Says whether a pattern with `*` for any run and `?` for any one character matches a text as a whole. Letters count as they are.
#[must_use]
pub fn glob(pattern: &[char], text: &[char]) -> bool {
    // Whether the rest of the pattern from `p` matches the rest of the text from `t`, for all of both, from the end.
    let mut fits = vec![vec![false; text.len() + 1]; pattern.len() + 1];
    for p in (0..=pattern.len()).rev() {
        for t in (0..=text.len()).rev() {
            let rest = |p: usize, t: usize| fits.get(p).and_then(|row| row.get(t)).copied().unwrap_or(false);
            let now = match (pattern.get(p), text.get(t)) {
                (None, letter) => letter.is_none(),
                (Some('*'), letter) => rest(p + 1, t) || letter.is_some() && rest(p, t + 1),
                (Some('?'), letter) => letter.is_some() && rest(p + 1, t + 1),
                (Some(wanted), Some(letter)) => wanted == letter && rest(p + 1, t + 1),
                (Some(_), None) => false,
            };
            if let Some(slot) = fits.get_mut(p).and_then(|row| row.get_mut(t)) {
                *slot = now;
            }
        }
    }
    fits.first().and_then(|row| row.first()).copied().unwrap_or(false)
}
