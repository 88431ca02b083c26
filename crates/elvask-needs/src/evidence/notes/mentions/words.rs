//! What stands in a clause by its form alone: code, and names in capitals. A pattern for it costs more to make than most notes to read.

/// Goes through what stands between two backticks, each with the byte that it starts at.
pub(super) fn code(clause: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut from = 0;
    let tick = |from: usize| Some(from + memchr::memchr(b'`', clause.as_bytes().get(from..)?)?);
    std::iter::from_fn(move || {
        loop {
            let start = tick(from)? + 1;
            let end = tick(start)?;
            // Of two right behind each other the second one may open.
            from = if end > start { end + 1 } else { end };
            if end > start {
                return Some((start, clause.get(start..end)?));
            }
        }
    })
}

/// Goes through the names in capitals and digits, their words joined by underscores, each with the byte that it starts at: `CAMERA`,
/// `ACCESS_FINE_LOCATION`.
pub(super) fn capitals(clause: &str) -> impl Iterator<Item = (usize, &str)> {
    let is_of_name = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_';
    let mut from = 0;
    std::iter::from_fn(move || {
        loop {
            let rest = clause.as_bytes().get(from..)?;
            let start = from + rest.iter().position(|byte| is_of_name(*byte))?;
            let name = clause.as_bytes().get(start..)?;
            let end = start + name.iter().position(|byte| !is_of_name(*byte)).unwrap_or(name.len());
            from = end;
            let name = clause.get(start..end)?;
            let capital = name.starts_with(|first: char| first.is_ascii_uppercase());
            let whole = |word: &str| !word.is_empty() && !word.contains(|letter: char| letter.is_ascii_lowercase());
            if capital && name.split('_').all(whole) {
                return Some((start, name));
            }
        }
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pattern::Pattern;

    #[test]
    fn they_are_found_as_patterns_find_them() {
        static CODE: Pattern = Pattern::new(r"`([^`]+)`", &[]);
        static CAPITALS: Pattern = Pattern::new(r"\b([A-Z][A-Z0-9]*(?:_[A-Z0-9]+)*)\b", &[]);
        let same = |text: &str| {
            let by = |pattern: &'static Pattern| {
                let found = pattern.captures_iter(text).filter_map(|found| found.get(1));
                found.map(|found| (found.start(), found.as_str())).collect::<Vec<_>>()
            };
            assert_eq!(code(text).collect::<Vec<_>>(), by(&CODE), "{text:?}");
            assert_eq!(capitals(text).collect::<Vec<_>>(), by(&CAPITALS), "{text:?}");
        };
        // Each text of some signs, up to six long.
        let signs = ['`', 'A', 'a', '1', '_', 'é', ' '];
        for length in 0..=6 {
            for number in 0..signs.len().pow(length) {
                same(&(0..length).map(|at| signs[number / signs.len().pow(at) % signs.len()]).collect::<String>());
            }
        }
        same(
            "Ask for `CAMERA`, ``READ_CONTACTS`` or ACCESS_FINE_LOCATION_ (API 33), not `x` or NSCameraUsageDescription.",
        );
    }
}
