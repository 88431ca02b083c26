//! The pattern languages of `<data>` in an intent filter, with the platform's own corner cases.
//!
//! Source: "`<data>`" and "PatternMatcher" in the platform's reference. Both wildcard languages run from left to right without
//! ever going back, which is why some patterns that look right match nothing.

use elvask_platform::Behaviour;

/// How a pattern is held against a text.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum PatternKind {
    /// The whole text, as it is: `path`.
    Literal,
    /// The start of the text: `pathPrefix`.
    Prefix,
    /// The end of the text: `pathSuffix`.
    Suffix,
    /// `.` and `*` as wildcards: `pathPattern`.
    Simple,
    /// Also sets, `+` and counts: `pathAdvancedPattern`.
    Advanced,
}

impl PatternKind {
    /// The kinds with the ends of the attributes that state them: `path` + `Prefix`.
    pub const ALL: [(PatternKind, &'static str); 5] = [
        (PatternKind::Literal, ""),
        (PatternKind::Prefix, "Prefix"),
        (PatternKind::Suffix, "Suffix"),
        (PatternKind::Simple, "Pattern"),
        (PatternKind::Advanced, "AdvancedPattern"),
    ];

    /// Returns the level at which the platform learnt to read the kind in `<data>`; older devices leave the attribute out.
    #[must_use]
    pub fn since(self) -> u32 {
        match self {
            PatternKind::Suffix => Behaviour::PathSuffix.since(),
            PatternKind::Advanced => Behaviour::PathAdvancedPattern.since(),
            PatternKind::Literal | PatternKind::Prefix | PatternKind::Simple => 1,
        }
    }
}

/// A pattern that is ready to be held against texts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pattern {
    /// How it is matched.
    pub kind: PatternKind,
    /// The pattern, without the escapes of the manifest's own strings.
    pub text: String,
    /// Both wildcard languages work on UTF-16 units, as the platform does.
    units: Vec<u16>,
    steps: Vec<Step>,
}

/// One step of an advanced pattern: what one character may be, and how often.
#[derive(Debug, Clone, PartialEq, Eq)]
struct Step {
    class: Class,
    least: u32,
    most: u32,
}

#[derive(Debug, Clone, PartialEq, Eq)]
enum Class {
    Any,
    Unit(u16),
    Set { ranges: Vec<(u16, u16)>, inverse: bool },
}

/// Why the platform refuses an advanced pattern, and the whole package with it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PatternError {
    /// `*` and the like stand behind nothing.
    #[error("a count such as `*`, `+` or `{{2}}` must follow a character")]
    CountWithoutCharacter,
    /// A set is empty.
    #[error("a set `[]` must hold a character")]
    EmptySet,
    /// A set has no end.
    #[error("the set that starts with `[` does not end")]
    OpenSet,
    /// A count has no end.
    #[error("the count that starts with `{{` does not end")]
    OpenCount,
    /// A count is not written as one.
    #[error("a count is written {{n}}, {{n,}} or {{n,m}} with n not above m")]
    BadCount,
    /// The last character escapes nothing.
    #[error("the pattern ends with a `\\` that escapes nothing")]
    OpenEscape,
    /// The pattern is longer than the platform stores.
    #[error("the pattern is longer than the 2048 units that the platform stores")]
    TooLong,
}

/// The most units that the platform keeps of a parsed pattern.
const MAX_UNITS: usize = 2048;

impl Pattern {
    /// Prepares a pattern. `text` is what the platform gets: see `filter`, which takes the escapes of the manifest away.
    ///
    /// # Errors
    /// Why the platform refuses it; only advanced patterns are ever refused.
    pub fn new(kind: PatternKind, text: impl Into<String>) -> Result<Pattern, PatternError> {
        let text = text.into();
        let units: Vec<u16> = match kind {
            PatternKind::Simple | PatternKind::Advanced => text.encode_utf16().collect(),
            _ => Vec::new(),
        };
        let steps = if kind == PatternKind::Advanced { parse(&units)? } else { Vec::new() };
        Ok(Pattern { kind, text, units, steps })
    }

    /// Says whether a text matches as a whole.
    #[must_use]
    pub fn matches(&self, subject: &Subject<'_>) -> bool {
        match self.kind {
            PatternKind::Literal => subject.text == self.text,
            PatternKind::Prefix => subject.text.starts_with(&self.text),
            PatternKind::Suffix => subject.text.ends_with(&self.text),
            PatternKind::Simple => matches_simple(&self.units, &subject.units()),
            PatternKind::Advanced => matches_advanced(&self.steps, &subject.units()),
        }
    }

    /// Returns the text with which every match starts, for an index.
    #[must_use]
    pub fn literal_start(&self) -> &str {
        match self.kind {
            PatternKind::Literal | PatternKind::Prefix => &self.text,
            PatternKind::Suffix => "",
            // A character before a count may be absent, so it does not belong to the start.
            PatternKind::Simple | PatternKind::Advanced => {
                let special = |letter: char| matches!(letter, '.' | '*' | '\\' | '[' | '{' | '+' | ']' | '}');
                let Some(end) = self.text.find(special) else { return &self.text };
                let head = self.text.get(..end).unwrap_or_default();
                let counted = self.text.get(end..).is_some_and(|rest| rest.starts_with(['*', '{', '+']));
                match head.char_indices().next_back() {
                    Some((last, _)) if counted => head.get(..last).unwrap_or_default(),
                    _ => head,
                }
            }
        }
    }
}

/// A text to hold patterns against.
#[derive(Debug, Clone, Copy)]
pub struct Subject<'t> {
    /// The text.
    pub text: &'t str,
}

impl<'t> Subject<'t> {
    fn units(&self) -> Vec<u16> {
        self.text.encode_utf16().collect()
    }
}

const DOT: u16 = b'.' as u16;
const STAR: u16 = b'*' as u16;
const BACKSLASH: u16 = b'\\' as u16;

/// Matches `.`, `x*` and `.*`. What `.*` takes ends at the first occurrence of the character behind it, and an escaped dot
/// stands for any character still: both are the platform's own ways.
fn matches_simple(pattern: &[u16], text: &[u16]) -> bool {
    let at = |index: usize| pattern.get(index).copied().unwrap_or(0);
    if pattern.is_empty() {
        return text.is_empty();
    }
    let (mut ip, mut im) = (0, 0);
    let mut next = at(0);
    while ip < pattern.len() && im < text.len() {
        let mut unit = next;
        ip += 1;
        next = at(ip);
        let escaped = unit == BACKSLASH;
        if escaped {
            unit = next;
            ip += 1;
            next = at(ip);
        }
        let here = |im: usize| text.get(im).copied();
        if next != STAR {
            if unit != DOT && here(im) != Some(unit) {
                return false;
            }
            im += 1;
            continue;
        }
        if !escaped && unit == DOT {
            if ip + 1 >= pattern.len() {
                return true;
            }
            ip += 1;
            next = at(ip);
            if next == BACKSLASH {
                ip += 1;
                next = at(ip);
            }
            while im < text.len() && here(im) != Some(next) {
                im += 1;
            }
            if im == text.len() {
                return false;
            }
            im += 1;
        } else {
            while im < text.len() && here(im) == Some(unit) {
                im += 1;
            }
        }
        ip += 1;
        next = at(ip);
    }
    if ip >= pattern.len() && im >= text.len() {
        return true;
    }
    // The text may end where only a `.*` is left.
    ip + 2 == pattern.len() && at(ip) == DOT && at(ip + 1) == STAR
}

fn matches_advanced(steps: &[Step], text: &[u16]) -> bool {
    let mut rest = text;
    for step in steps {
        let fits = |unit: &&u16| match &step.class {
            Class::Any => true,
            Class::Unit(wanted) => *unit == wanted,
            Class::Set { ranges, inverse } => ranges.iter().any(|(low, high)| (low..=high).contains(unit)) != *inverse,
        };
        let most = usize::try_from(step.most).unwrap_or(usize::MAX);
        let taken = rest.iter().take(most).take_while(fits).count();
        if taken < usize::try_from(step.least).unwrap_or(usize::MAX) {
            return false;
        }
        rest = rest.get(taken..).unwrap_or_default();
    }
    rest.is_empty()
}

/// Reads an advanced pattern.
fn parse(units: &[u16]) -> Result<Vec<Step>, PatternError> {
    let at = |index: usize| units.get(index).copied().and_then(|unit| char::from_u32(u32::from(unit)));
    let mut steps: Vec<Step> = Vec::new();
    let mut counted = true;
    let mut stored = 0;
    let mut ip = 0;
    while let Some(unit) = units.get(ip).copied() {
        let mut class = None;
        match at(ip) {
            Some('[') => {
                let (set, end) = parse_set(units, ip)?;
                stored += end - ip;
                ip = end;
                class = Some(set);
            }
            Some('{') => {
                let end = units.iter().skip(ip).position(|unit| *unit == u16::from(b'}'));
                let end = ip
                    + end.ok_or(if counted { PatternError::CountWithoutCharacter } else { PatternError::OpenCount })?;
                let written = String::from_utf16_lossy(units.get(ip + 1..end).unwrap_or_default());
                let (least, most) = parse_count(&written).ok_or(PatternError::BadCount)?;
                count(&mut steps, &mut counted, least, most)?;
                ip = end;
            }
            Some('*') => count(&mut steps, &mut counted, 0, u32::MAX)?,
            Some('+') => count(&mut steps, &mut counted, 1, u32::MAX)?,
            Some('.') => class = Some(Class::Any),
            // A bracket that closes nothing: `]` matches only itself, `}` for nothing.
            Some('}') => {}
            Some('\\') => {
                ip += 1;
                class = Some(Class::Unit(*units.get(ip).ok_or(PatternError::OpenEscape)?));
            }
            _ => class = Some(Class::Unit(unit)),
        }
        if let Some(class) = class {
            steps.push(Step { class, least: 1, most: 1 });
            counted = false;
        }
        stored += 1;
        if stored > MAX_UNITS - 3 {
            return Err(PatternError::TooLong);
        }
        ip += 1;
    }
    Ok(steps)
}

fn count(steps: &mut [Step], counted: &mut bool, least: u32, most: u32) -> Result<(), PatternError> {
    match steps.last_mut().filter(|_| !*counted) {
        Some(step) => {
            (step.least, step.most) = (least, most);
            *counted = true;
            Ok(())
        }
        None => Err(PatternError::CountWithoutCharacter),
    }
}

fn parse_count(written: &str) -> Option<(u32, u32)> {
    let number = |text: &str| text.parse::<u32>().ok();
    let (least, most) = match written.split_once(',') {
        None => (number(written)?, number(written)?),
        Some((least, "")) => (number(least)?, u32::MAX),
        Some((least, most)) => (number(least)?, number(most)?),
    };
    (least <= most).then_some((least, most))
}

/// Reads a set that starts at `start`, and returns it with the index of its closing bracket.
fn parse_set(units: &[u16], start: usize) -> Result<(Class, usize), PatternError> {
    let is = |index: usize, letter: u8| units.get(index) == Some(&u16::from(letter));
    let inverse = is(start + 1, b'^');
    let mut ip = start + 1 + usize::from(inverse);
    let mut ranges = Vec::new();
    loop {
        if is(ip, b']') {
            let class = Class::Set { ranges, inverse };
            return match &class {
                Class::Set { ranges, .. } if ranges.is_empty() => Err(PatternError::EmptySet),
                _ => Ok((class, ip)),
            };
        }
        if is(ip, b'\\') {
            ip += 1;
        }
        let low = *units.get(ip).ok_or(PatternError::OpenSet)?;
        let is_range = is(ip + 1, b'-') && units.get(ip + 2).is_some() && !is(ip + 2, b']');
        if is_range {
            ip += 2 + usize::from(is(ip + 2, b'\\'));
            ranges.push((low, *units.get(ip).ok_or(PatternError::OpenSet)?));
        } else {
            ranges.push((low, low));
        }
        ip += 1;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use elvask_project::filters::unescape;

    fn matches(kind: PatternKind, pattern: &str, text: &str) -> bool {
        Pattern::new(kind, pattern).unwrap().matches(&Subject { text })
    }

    #[test]
    fn simple_patterns_never_go_back() {
        let simple = |pattern: &str, text: &str| matches(PatternKind::Simple, pattern, text);
        assert!(simple("/.*\\.pdf", "/report.pdf"));
        assert!(!simple("/.*\\.pdf", "/a.b.pdf"), "the first dot ends what `.*` takes");
        assert!(simple("/site/.*", "/site/42") && simple("/site/.*", "/site/"));
        assert!(!simple("/site/*", "/site/42") && simple("/site/*", "/site///"));
        assert!(!simple("/site/*", "/site"), "at the end of the text only `.*` may be left over");
        assert!(simple("/a.c", "/abc") && !simple("/a.c", "/ac"));
        assert!(simple("/a\\.c", "/abc"), "an escaped dot is any character still");
        assert!(simple("", "") && !simple("", "/"));
        assert!(simple("/a.*", "/a"), "`.*` may be left at the end");
        assert!(!simple("/a.*/b", "/a"));
        assert!(simple("/ab*c", "/abbbc") && simple("/ab*c", "/ac"));
    }

    #[test]
    fn advanced_patterns_know_sets_and_counts() {
        let advanced = |pattern: &str, text: &str| matches(PatternKind::Advanced, pattern, text);
        assert!(
            advanced("/site/[0-9]+", "/site/42")
                && !advanced("/site/[0-9]+", "/site/")
                && !advanced("/site/[0-9]+", "/site/a")
        );
        assert!(
            advanced("/[^a-z]{2,3}", "/12") && !advanced("/[^a-z]{2,3}", "/1234") && !advanced("/[^a-z]{2}", "/ab")
        );
        assert!(advanced("/a{2,}", "/aaaa") && !advanced("/a{2,}", "/a"));
        assert!(!advanced("/.*\\.pdf", "/report.pdf"), "`.*` takes the whole rest");
        assert!(advanced("/[^.]*\\.pdf", "/report.pdf"));
        assert!(advanced("/a\\.b", "/a.b") && !advanced("/a\\.b", "/axb"));
        assert!(advanced("/[a-]", "/-") && advanced("/a]", "/a]"));
    }

    #[test]
    fn patterns_that_the_platform_refuses_are_refused() {
        let refused = |pattern: &str| Pattern::new(PatternKind::Advanced, pattern).unwrap_err();
        assert_eq!(refused("*a"), PatternError::CountWithoutCharacter);
        assert_eq!(refused("a*+"), PatternError::CountWithoutCharacter);
        assert_eq!(refused("/[]"), PatternError::EmptySet);
        assert_eq!(refused("/[a"), PatternError::OpenSet);
        assert_eq!(refused("/a{2"), PatternError::OpenCount);
        assert_eq!(refused("/a{3,2}"), PatternError::BadCount);
        assert_eq!(refused("/a\\"), PatternError::OpenEscape);
        assert_eq!(refused(&"a".repeat(3000)), PatternError::TooLong);
    }

    #[test]
    fn strings_of_the_manifest_are_unescaped_once() {
        assert_eq!(unescape(".*\\\\.pdf"), ".*\\.pdf");
        assert_eq!(unescape("\\u0041\\@"), "A@");
    }

    #[test]
    fn the_start_of_a_pattern_is_what_all_matches_share() {
        let start = |kind, text: &str| Pattern::new(kind, text).unwrap().literal_start().to_owned();
        assert_eq!(start(PatternKind::Simple, "/site/.*"), "/site/");
        assert_eq!(start(PatternKind::Simple, "/site/*"), "/site");
        assert_eq!(start(PatternKind::Advanced, "/site/[0-9]+"), "/site/");
        assert_eq!(start(PatternKind::Advanced, "/ab{0,2}"), "/a");
        assert_eq!(start(PatternKind::Suffix, ".pdf"), "");
    }
}
