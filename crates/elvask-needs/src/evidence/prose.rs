//! What the words around a fragment or a name say about it: that it is required, optional, needed from a level on, or not
//! needed at all.
//!
//! The words stand in `data/` of the platform crate, as patterns of plain words.

use std::ops::Range;
use std::sync::OnceLock;

use elvask_platform::wording::{HeadingKinds, NoteWords, note_words};
use elvask_platform::{Platform, Version};

use super::forms::{Forms, plain};
use crate::conditions;
use crate::pattern::{Part, Pattern};
use crate::requirement::When;

/// What words say about a thing.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Verdict {
    /// It is needed.
    Needed,
    /// It is needed by some.
    Optional,
    /// They say neither.
    Open,
    /// It is not needed, or not any more.
    Not,
}

/// The patterns of the words, and which of them are of which kind.
struct Patterns {
    forms: Forms,
    firm: Range<usize>,
    /// The firm ones and the bounds: what is looked at before the others, and taken out.
    first: Range<usize>,
    not: Range<usize>,
    optional: Range<usize>,
    needed: Range<usize>,
}

/// The words with which each of them starts, a line for each: taking all of them apart costs as much as looking into a package.
const STARTS: &str = include_str!("note-starts.txt");

fn patterns() -> &'static Patterns {
    static PATTERNS: OnceLock<Patterns> = OnceLock::new();
    PATTERNS.get_or_init(|| {
        let mut all: Vec<&str> = Vec::new();
        let mut of = |kind: NoteWords| {
            let start = all.len();
            all.extend(note_words(kind));
            start..all.len()
        };
        let (firm, bound) = (of(NoteWords::Firm), of(NoteWords::Bound));
        let (not, optional, needed) = (of(NoteWords::Not), of(NoteWords::Optional), of(NoteWords::Needed));
        let forms = Forms::new(all.into_iter().zip(STARTS.lines()));
        Patterns { first: firm.start..bound.end, firm, not, optional, needed, forms }
    })
}

/// Judges a sentence.
pub(super) fn verdict(text: &str) -> Verdict {
    let mut text = plain(text);
    let Patterns { forms, firm, first, not, optional, needed } = patterns();
    let mut starts = forms.starts(&text);
    // Phrases that hold a word of refusal and mean the opposite.
    let mut is_firm = false;
    for at in first.clone() {
        if let Some(rest) = forms.taken_out(at, &text, &starts) {
            is_firm |= firm.contains(&at);
            starts = forms.starts(&rest);
            text = rest;
        }
    }
    let any = |range: &Range<usize>| range.clone().any(|at| forms.is_in(at, &text, &starts));
    if any(not) {
        Verdict::Not
    } else if any(optional) {
        Verdict::Optional
    } else if is_firm || any(needed) {
        Verdict::Needed
    } else {
        Verdict::Open
    }
}

// Forms of levels and versions, for text in small letters.
// Android 13 (API level 33) and above; API 33+; from level 33
static FROM_LEVEL: Pattern = Pattern::new(
    r"(android|api|sdk|level|targetsdkversion|target)[ -]*(?:level|version|sdk)?[ -]*(?:>=|≥)? *([0-9]{1,2})(?:\.[0-9]+)? *(?:\((?:api|sdk|level|api level|sdk version)[ -]*(?:level )?([0-9]{2})\+?\))? *(\+|and (?:above|higher|later|newer|up)|or (?:above|higher|later|newer)|and on|upwards|onwards)?",
    &["android", "api", "sdk", "level", "target"],
);
static TO_LEVEL: Pattern = Pattern::new(
    r"(?:<=|≤|up to|until|through|below|before|older than|lower than|under|prior to|pre-?) *(android|api|sdk|level)?[ -]*(?:level|version|sdk)? *([0-9]{1,2})\b|(android|api|sdk|level)[ -]*(?:level|version|sdk)? *([0-9]{1,2})(?:\.[0-9]+)? *(?:\([^)]*\) *)?(?:and|or) (?:below|lower|older|earlier|under)",
    &[
        "<=", "≤", "up to", "until", "through", "below", "before", "older", "lower", "under", "prior to", "pre",
        "earlier",
    ],
);
static FROM_VERSION: Pattern = Pattern::new(
    r"ios *([0-9]{1,2}(?:\.[0-9]+)?) *(?:\+|and (?:above|higher|later|newer|up)|or (?:above|higher|later|newer)|and on|onwards)",
    &["ios"],
);
static TO_VERSION: Pattern = Pattern::new(
    r"(?:below|before|older than|prior to|pre-?|up to) *ios *([0-9]{1,2}(?:\.[0-9]+)?)|ios *([0-9]{1,2}(?:\.[0-9]+)?) *(?:and|or) (?:below|lower|older|earlier)",
    &["ios"],
);
static PACKAGE_VERSION: [Pattern; 3] = [
    Pattern::new(
        r"\bversions? ?(?:below|before|older than|prior to|lower than|under|less than|<) *v?([0-9]+(?:\.[0-9]+)*)(?:\.x)?",
        &[],
    ),
    Pattern::new(
        r"\b(?:version |v)v?([0-9]+(?:\.[0-9]+)*)(?:\.x)? *(?:and|or) (?:below|lower|older|earlier|under|before)|\bversions? ?(?:up to|<=|≤|until) *v?([0-9]+(?:\.[0-9]+)*)(?:\.x)?",
        &[],
    ),
    Pattern::new(
        r"\b(?:version |v)v?([0-9]+(?:\.[0-9]+)*)(?:\.x)? *(?:\+|(?:and|or) (?:above|higher|later|newer|up))|\b(?:since|from|starting with|starting from|as of) version v?([0-9]+(?:\.[0-9]+)*)(?:\.x)?",
        &[],
    ),
];

/// Finds the condition on levels and versions that a sentence states, and the level up to which something holds.
// In one piece: the patterns stand beside what their groups mean.
pub(super) fn bounds(text: &str, platform: Platform) -> (When, Option<u32>) {
    // Each form names a level or a version.
    if !text.bytes().any(|byte| byte.is_ascii_digit()) {
        return (When::default(), None);
    }
    let text = text.to_lowercase();
    let mut when = When::default();
    let mut cap = None;
    if platform == Platform::Android {
        let number = |text: &str| -> Option<u32> {
            let number: u32 = text.parse().ok()?;
            if number < 18 {
                elvask_platform::release::level_of_version(number)
            } else {
                Some(number).filter(|level| (18..=40).contains(level))
            }
        };
        if let Some(found) = TO_LEVEL.captures(&text) {
            let whole = found.get(0).map_or("", |text| text.as_str());
            let word = found.get(1).or_else(|| found.get(3)).map_or("api", |text| text.as_str());
            let written = found.get(2).or_else(|| found.get(4)).map_or("", |text| text.as_str());
            // A version for people stands for all levels up to the next one.
            let value = match (word, written.parse::<u32>()) {
                // Some write the level where the version would stand.
                ("android", Ok(version)) if version < 18 => {
                    elvask_platform::release::level_of_version(version + 1).map(|next| next - 1)
                }
                _ => number(written),
            };
            let value_below = number(written);
            let short = ["below", "before", "older than", "lower than", "under", "prior", "pre"]
                .iter()
                .any(|word| whole.starts_with(word));
            cap = if short { value_below.and_then(|level| level.checked_sub(1)) } else { value };
        }
        for found in FROM_LEVEL.captures_iter(&text).filter(|_| cap.is_none()) {
            let whole = found.get(0).map_or("", |text| text.as_str());
            let before = found.get(0).and_then(|whole| text.get(..whole.start())).unwrap_or_default().trim_end();
            let starts = [
                "from",
                "since",
                "starting with",
                "starting from",
                "starting in",
                "targeting",
                "targets",
                "target",
                "as of",
                "beginning with",
                "on",
                "for",
                ">=",
                "in",
            ];
            let opens = starts.iter().any(|word| before.ends_with(word));
            if found.get(4).is_none() && !opens && !whole.contains(['>', '≥']) {
                continue;
            }
            let level = match found.get(3) {
                Some(level) => level.as_str().parse().ok(),
                None => found.get(2).and_then(|text| number(text.as_str())),
            };
            if let Some(level) = level.filter(|level| (18..=40).contains(level)) {
                when.target_level = Some(conditions::Range::at_least(level));
                break;
            }
        }
    } else {
        let version = |found: Option<Part<'_>>| found.and_then(|text| Version::parse(text.as_str()));
        if let Some(found) = TO_VERSION.captures(&text) {
            when.ios_version = version(found.get(1)).or_else(|| version(found.get(2))).map(conditions::Range::below);
        } else if let Some(found) = FROM_VERSION.captures(&text) {
            when.ios_version = version(found.get(1)).map(conditions::Range::at_least);
        }
    }
    (when, cap)
}

/// The versions of a package that words speak of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Versions {
    /// Those below one.
    Below(semver::Version),
    /// Those up to one.
    UpTo(semver::Version),
    /// One and those above.
    From(semver::Version),
}

impl Versions {
    pub(super) fn holds(&self, version: &semver::Version) -> bool {
        match self {
            Versions::Below(bound) => version < bound,
            Versions::UpTo(bound) => {
                version <= bound || (version.major, version.minor) == (bound.major, bound.minor) && bound.patch == 0
            }
            Versions::From(bound) => version >= bound,
        }
    }
}

/// Returns the versions of the package itself that words speak of: "for versions below 3.0", "v2 and later".
pub(super) fn versions_meant(text: &str) -> Option<Versions> {
    let text = text.to_lowercase();
    // Most sentences speak of no version at all.
    let numbered = text.as_bytes().windows(2).any(|pair| matches!(pair, [b'v', digit] if digit.is_ascii_digit()));
    if !numbered && !text.contains("version") {
        return None;
    }
    for (at, form) in PACKAGE_VERSION.iter().enumerate() {
        let Some(found) = form.captures(&text) else { continue };
        // Of the system, of a tool or of another library.
        let before = found.get(0).and_then(|whole| text.get(..whole.start())).unwrap_or_default().trim_end();
        let last = before.rsplit(|sign: char| !sign.is_alphanumeric() && sign != '`').next().unwrap_or_default();
        let own = [
            "", "for", "in", "with", "on", "of", "using", "use", "plugin", "package", "library", "module", "the",
            "this", "to", "from", "if",
        ];
        if !own.contains(&last) || before.ends_with('`') {
            continue;
        }
        let written = (1..=2).find_map(|at| found.get(at))?.as_str();
        let mut parts = written.split('.').map_while(|part| part.parse::<u64>().ok());
        let mut next = || parts.next().unwrap_or(0);
        let version = semver::Version::new(next(), next(), next());
        return Some(match at {
            0 => Versions::Below(version),
            1 => Versions::UpTo(version),
            _ => Versions::From(version),
        });
    }
    None
}

/// What a heading says about what stands under it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Section {
    /// How to set the package up.
    Setup,
    /// Anything else.
    Other,
    /// Something that is not a requirement of the package as it is: its history, another platform.
    Elsewhere,
    /// Something beside the package, such as its own development: what is said below it of setting up counts all the same.
    Aside,
    /// The description of functions, options and values: what stands there is needed by those who use them.
    Reference,
    /// An extension or a second app with a property list of its own.
    Extension,
}

/// Judges a heading.
pub(super) fn section(heading: &str) -> Section {
    let text = heading.to_lowercase();
    let words: Vec<&str> = text.split(|sign: char| !sign.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
    let kinds = HeadingKinds::of(&text, &words);
    let any = |kind: NoteWords| kinds.has(kind);
    let ours = words.iter().any(|word| matches!(*word, "android" | "ios"));
    // The name of a function: `getRing()`, or one word with a capital inside.
    let heading = heading.trim();
    let level = words.windows(2).any(
        |pair| matches!(pair, [one, other] if *one == "api" && other.starts_with(|first: char| first.is_ascii_digit())),
    );
    let function = heading.contains("()")
        || heading.ends_with(')') && !heading.contains(' ')
        || !heading.contains(' ')
            && heading.starts_with(|first: char| first.is_lowercase())
            && heading.contains(|letter: char| letter.is_uppercase());
    if any(NoteWords::ExtensionHeading) {
        Section::Extension
    } else if any(NoteWords::ElsewhereHeading) && !ours {
        Section::Elsewhere
    } else if any(NoteWords::AsideHeading) && !ours {
        Section::Aside
    } else if !ours && !level && (function || any(NoteWords::ReferenceHeading) && !any(NoteWords::SetupHeading)) {
        Section::Reference
    } else if any(NoteWords::SetupHeading) || ours {
        Section::Setup
    } else {
        Section::Other
    }
}

/// Says whether a sentence speaks of the property list of an extension, or of an example app.
pub(super) fn speaks_of_extension(text: &str) -> bool {
    let text = text.to_lowercase();
    note_words(NoteWords::ExtensionHeading).any(|form| form.contains(' ') && text.contains(form))
}

/// Says whether a sentence speaks of the app itself, where an extension is spoken of too.
pub(super) fn speaks_of_the_app(text: &str) -> bool {
    let text = text.to_lowercase();
    note_words(NoteWords::OwnApp).any(|form| text.contains(form))
}

/// Returns what ends a clause where a text goes on like this.
fn clause_end(rest: &[u8]) -> Option<&'static str> {
    // Most letters end nothing, and this is asked at each one.
    let ends: &[&str] = match rest {
        [b'.', b' ' | b'\n', ..] => &[". ", ".\n"],
        [b'!', b' ', ..] => &["! "],
        [b'?', b' ', ..] => &["? "],
        [b';', b' ' | b'\n', ..] => &["; ", ";\n"],
        [b'\n', b'\n', ..] => &["\n\n"],
        [b',', b' ', b'b' | b'h' | b'w', ..] => &[", but ", ", however", ", whereas "],
        [b' ', b'b' | b'h' | b'w', ..] => &[" but ", " however ", " while "],
        _ => return None,
    };
    ends.iter().copied().find(|end| rest.starts_with(end.as_bytes()))
}

/// Splits a text into clauses that are judged by themselves, with their places in it.
pub(super) fn clauses(text: &str) -> Vec<(usize, &str)> {
    let mut out = Vec::new();
    let mut start = 0;
    let bytes = text.as_bytes();
    let mut quoted = false;
    let mut at = 0;
    while let Some(byte) = bytes.get(at).copied() {
        if !matches!(byte, b'`' | b'.' | b'!' | b'?' | b';' | b',' | b'\n' | b' ') {
            at += 1;
            continue;
        }
        quoted ^= byte == b'`';
        let end = clause_end(bytes.get(at..).unwrap_or_default()).filter(|_| !quoted);
        // An abbreviation does not end a sentence.
        let short = byte == b'.'
            && end.is_some()
            && ["e.g", "i.e", "etc", "vs", "min", "max", "approx"]
                .iter()
                .any(|word| text.get(..at).is_some_and(|before| before.ends_with(word)));
        // "If the app listens while it is away, add …" is one condition.
        let within = end.is_some_and(|end| end == " while ")
            && text.get(start..at).is_some_and(|clause| format!(" {}", clause.to_lowercase()).contains(" if "));
        match end {
            Some(end) if !short && !within => {
                out.push((start, text.get(start..at + 1).unwrap_or_default()));
                at += end.len();
                start = at;
            }
            _ => at += 1,
        }
    }
    out.push((start, text.get(start..).unwrap_or_default()));
    out.retain(|(_, clause)| !clause.trim().is_empty());
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::evidence::forms::tests::starts;

    #[test]
    #[expect(clippy::disallowed_methods, reason = "it writes what it compares with")]
    fn the_words_with_which_patterns_start_are_written_down() {
        let kinds = [NoteWords::Firm, NoteWords::Bound, NoteWords::Not, NoteWords::Optional, NoteWords::Needed];
        let lines = kinds.into_iter().flat_map(note_words).map(|pattern| starts(pattern) + "\n");
        let now: String = lines.collect();
        if std::env::var_os("ELVASK_WRITE_PAGES").is_some() {
            assert!(std::env::var_os("CI").is_none(), "what is to be compared is not written");
            std::fs::write(concat!(env!("CARGO_MANIFEST_DIR"), "/src/evidence/note-starts.txt"), &now).unwrap();
        } else {
            assert!(
                STARTS == now,
                "note-starts.txt is not current: ELVASK_WRITE_PAGES=1 cargo test -p elvask-needs prose writes it"
            );
        }
    }

    #[test]
    fn sentences_are_judged() {
        let check = |text: &str, wanted: Verdict| assert_eq!(verdict(text), wanted, "{text}");
        check("Add the following permission to your manifest:", Verdict::Needed);
        check("You must declare `android.permission.CAMERA`.", Verdict::Needed);
        check("Do not forget to add the key.", Verdict::Needed);
        check("It will not work without this permission.", Verdict::Needed);
        check("This is optional.", Verdict::Optional);
        check("Only needed if you record sound.", Verdict::Optional);
        check("If you want to scan in the background, add:", Verdict::Optional);
        check("If you target Android 13 or above, add:", Verdict::Needed);
        check("This plugin does not require any permission.", Verdict::Not);
        check("The permission is no longer needed.", Verdict::Not);
        check("It doesn't need the camera permission.", Verdict::Not);
        check("READ_PHONE_STATE was removed in 3.0.", Verdict::Not);
        check("Remove this line:", Verdict::Not);
        check("The name of the key.", Verdict::Open);
    }

    #[test]
    fn levels_are_read_from_words() {
        let android = |text: &str| {
            let (when, cap) = bounds(text, Platform::Android);
            (when.target_level.map(|range| range.to_string()), cap)
        };
        assert_eq!(android("On Android 13 (API level 33) and above"), (Some(">=33".to_owned()), None));
        assert_eq!(android("Android 12+"), (Some(">=31".to_owned()), None));
        assert_eq!(android("from level 33"), (Some(">=33".to_owned()), None));
        assert_eq!(android("for API 30 and below"), (None, Some(30)));
        assert_eq!(android("below Android 13"), (None, Some(32)));
        assert_eq!(android("on Android 28 and below"), (None, Some(28)));
        assert_eq!(android("up to Android 9"), (None, Some(28)));
        assert_eq!(android("legacy storage, API <= 32"), (None, Some(32)));
        assert_eq!(android("Works with Android 5"), (None, None));
        let (when, _) = bounds("iOS 17 and later", Platform::Ios);
        assert_eq!(when.ios_version.unwrap().to_string(), ">=17.0");
        let (when, _) = bounds("for iOS 10 and below", Platform::Ios);
        assert_eq!(when.ios_version.unwrap().to_string(), "<10.0");
    }

    #[test]
    fn clauses_end_where_the_meaning_changes() {
        let texts = |text| clauses(text).into_iter().map(|(_, clause)| clause.trim().to_owned()).collect::<Vec<_>>();
        assert_eq!(texts("Add A. It needs B, but C is not needed."), ["Add A.", "It needs B,", "C is not needed."]);
        assert_eq!(
            texts("Add a key, e.g. `NSCameraUsageDescription`."),
            ["Add a key, e.g. `NSCameraUsageDescription`."]
        );
    }
}
