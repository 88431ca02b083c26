//! Names of things in sentences.

mod files;
mod words;

use std::ops::Range;
use std::sync::OnceLock;

use aho_corasick::AhoCorasick;
use elvask_markup::plist::plan::NewValue;
use elvask_platform::{Kind, Version, android, ios};

use crate::evidence::fragment::{Thing, pieces_of};
use crate::pattern::Pattern;
use crate::requirement::{MIN_LEVEL, MIN_VERSION, Need};

/// Something that a sentence names.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Mention {
    pub(super) name: String,
    pub(super) need: Need,
    /// Where in the sentence, in bytes.
    pub(super) at: usize,
    /// Whether the name is so common a word that it may mean something else.
    pub(super) weak: bool,
}

impl Mention {
    fn new(name: impl Into<String>, need: Need, at: usize) -> Self {
        Mention { name: name.into(), need, at, weak: false }
    }

    /// Says whether it can be one of several of which one is enough.
    pub(super) fn can_be_alternative(&self) -> bool {
        matches!(self.need.kind(), Kind::Permission | Kind::Usage)
    }
}

static FULL: Pattern =
    Pattern::new(r"\b(?:[a-z][a-z0-9_]*\.)+permission\.(?:[a-z]+\.)*[A-Z0-9_]+(?:\.[A-Z_]+)?", &["permission."]);
static KEY: Pattern = Pattern::new(r"\b(?:NS|NF)[A-Za-z]+UsageDescription(?:Dictionary)?\b", &["UsageDescription"]);
static TITLE: Pattern =
    Pattern::new(r"Privacy ?[-–—:] ?[A-Za-z]+(?: [A-Za-z]+){0,9}? (?:Usage )?Description", &["Privacy"]);
// These two are for text in small letters.
static LOWEST_LEVEL: Pattern = Pattern::new(
    r"\bmin(?:imum)?[_ ]?sdk(?:[_ ]?version)?`?[^0-9.;`]{0,32}`?\b([0-9]{2})\b",
    &["minsdk", "min sdk", "min_sdk", "minimumsdk", "minimum sdk", "minimum_sdk"],
);
static LOWEST_VERSION: Pattern = Pattern::new(
    r"(?:minimum|requires?|required|deployment target|platform)[^.;0-9]{0,32}\bios[ -]?(?:version |deployment target |target )?[^.;0-9a-z]{0,4}([0-9]{1,2}(?:\.[0-9]{1,2})?)\b",
    &["ios"],
);

/// Words that are looked for in letters of any size.
pub(super) struct Words {
    pub(super) words: &'static [&'static str],
    search: OnceLock<Option<AhoCorasick>>,
}

impl Words {
    const fn new(words: &'static [&'static str]) -> Self {
        Words { words, search: OnceLock::new() }
    }

    /// Says whether a text has one of them; a space behind a word may be the end of a line.
    pub(super) fn may_be_in(&self, text: &str) -> bool {
        self.search().is_none_or(|search| search.is_match(text))
    }

    /// Returns where a text has them, likewise, without those that overlap one before.
    pub(super) fn places(&self, text: &str) -> Vec<Range<usize>> {
        let found = self.search().map(|search| search.find_iter(text));
        found.into_iter().flatten().map(|found| found.range()).collect()
    }

    fn search(&self) -> Option<&AhoCorasick> {
        let words = || self.words.iter().map(|word| word.trim_end());
        let search = || AhoCorasick::builder().ascii_case_insensitive(true).build(words()).ok();
        let made = self.search.get_or_init(search).as_ref();
        debug_assert!(made.is_some());
        made
    }
}

/// Each clause that names something has one of these, or what is around it has one of [`HELPING`].
pub(super) static NAMING: Words = Words::new(&[
    "`",
    "permission",
    "usagedescription",
    "privacy",
    "sdk",
    "ios",
    "background mode",
    "uibackgroundmodes",
    "capabilit",
    "entitlement",
    ".json",
    ".plist",
    ".xml",
]);

/// What helps a clause to name something where it is said in a heading, or before a list or table.
pub(super) static HELPING: Words = Words::new(&["permission", "background mode", "uibackgroundmodes", "capabilit"]);

/// How clauses start that speak of what was named before.
pub(super) static SPEAKING_BACK: Words = Words::new(&[
    "this ", "it ", "it's ", "these ", "they ", "you may ", "you can ", "if no ", "if that ", "if this ", "if it ",
    "only ",
]);

/// How they speak of the last of it.
pub(super) static OF_THE_LAST: Words = Words::new(&["the last line", "the last one"]);

/// Says whether a byte can be part of a name in code, dots included.
fn is_of_name(byte: u8) -> bool {
    byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'.')
}

/// Finds what a clause names; `context` is what headings, tables and lists around it say, in small letters.
// In one piece: what one form takes is out of reach for the next.
pub(super) fn mentions(clause: &str, context: &str) -> Vec<Mention> {
    let mut out: Vec<Mention> = Vec::new();
    let lower = clause.to_lowercase();
    let spans: Vec<(usize, &str)> = words::code(clause).collect();
    let in_code = |at: usize| spans.iter().any(|(start, code)| (*start..start + code.len()).contains(&at));
    // Elements and attributes in code.
    let mut taken: Vec<(usize, usize)> = Vec::new();
    for (at, code) in &spans {
        let trimmed = code.trim_start();
        let whole = trimmed.starts_with('<') && code.contains("name")
            || trimmed.starts_with("android:") && code.contains('=')
            || trimmed.starts_with("<key>");
        if !whole {
            continue;
        }
        taken.push((*at, at + code.len()));
        for piece in pieces_of(code, "").pieces {
            if let Thing::Need { name, need } = piece.thing
                && !piece.removed
            {
                out.push(Mention::new(name, need, *at));
            }
        }
    }
    let free = |at: usize| !taken.iter().any(|(start, end)| (*start..*end).contains(&at));
    for found in FULL.find_within(clause, is_of_name).filter(|found| free(found.start())) {
        if let Some(known) = android::permission(found.as_str()) {
            out.push(Mention::new(known.name, Need::Permission { max_level: None }, found.start()));
        }
    }
    let speaks_of_permissions = lower.contains("permission") || context.contains("permission");
    let names_any = speaks_of_permissions || clause.contains("Manifest.permission.");
    let bare = if names_any { clause } else { "" };
    for (start, name) in words::capitals(bare).filter(|(start, _)| free(*start)) {
        let before = clause.get(..start).unwrap_or_default();
        let behind = clause.get(start + name.len()..);
        // As code names it: `Manifest.permission.CAMERA`.
        if before.ends_with("Manifest.permission.") {
            if let Some(known) = android::permission(&format!("{}{name}", android::PERMISSION_PREFIX)) {
                out.push(Mention::new(known.name, Need::Permission { max_level: None }, start));
            }
            continue;
        }
        // Part of a longer name: of a permission in full, or of a constant of some script.
        if before.ends_with(['.', '_', '-', '$', '{', '/', ':'])
            || behind.is_some_and(|rest| rest.starts_with(['.', '(', '-', '=']))
                && !behind.is_some_and(|rest| rest.starts_with(". ") || rest == ".")
        {
            continue;
        }
        let quoted = in_code(start);
        let distinct = name.contains('_');
        if !speaks_of_permissions || !(quoted || distinct) {
            continue;
        }
        if let Some(known) = android::permission(&format!("{}{name}", android::PERMISSION_PREFIX)) {
            out.push(Mention::new(known.name, Need::Permission { max_level: None }, start));
        }
    }
    for found in KEY.find_within(clause, is_of_name).filter(|found| free(found.start())) {
        if let Some(known) = ios::usage_key(found.as_str()).filter(|known| known.is_for_ios()) {
            out.push(Mention::new(known.key, Need::Usage, found.start()));
        }
    }
    for found in TITLE.find_iter(clause) {
        if let Some(key) = ios::key_of_title(found.as_str()) {
            out.push(Mention::new(key, Need::Usage, found.start()));
        }
    }
    background_modes(clause, &lower, context, &spans, &mut out);
    entitlements(clause, &lower, context, &spans, &mut out);
    plist_keys(&lower, &spans, &mut out);
    levels(clause, &mut out);
    out.extend(files::files(clause));
    let mut seen: Vec<(Kind, String)> = Vec::new();
    out.retain(|mention| {
        let key = (mention.need.kind(), mention.name.clone());
        let new = !seen.contains(&key);
        seen.push(key);
        new
    });
    out
}

fn background_modes(clause: &str, lower: &str, context: &str, spans: &[(usize, &str)], out: &mut Vec<Mention>) {
    let said = lower.contains("background mode") || lower.contains("uibackgroundmodes");
    if !said && !context.contains("background mode") && !context.contains("uibackgroundmodes") {
        return;
    }
    for mode in ios::background_modes() {
        let quoted = spans.iter().find(|(_, code)| code.trim_matches(['"', '\'']) == mode.value).map(|(at, _)| *at);
        let title = mode.title.to_lowercase();
        let short = title.split(',').next().unwrap_or_default();
        let titled = || {
            if short.is_empty() {
                None
            } else {
                find_words(lower, &title).or_else(|| find_words(lower, short).filter(|_| title.contains(',')))
            }
        };
        if let Some(at) = quoted.or_else(titled).filter(|at| *at <= clause.len()) {
            out.push(Mention::new(mode.value, Need::BackgroundMode, at));
        }
    }
}

/// Finds words that are no part of longer ones.
fn find_words(text: &str, words: &str) -> Option<usize> {
    memchr::memmem::find_iter(text.as_bytes(), words).find(|at| {
        let letter = |letter: char| letter.is_alphanumeric();
        let before = text.get(..*at).is_some_and(|before| before.ends_with(letter));
        let after = text.get(at + words.len()..).is_some_and(|after| after.starts_with(letter));
        !before && !after
    })
}

/// Finds in which texts, in small letters, any title of a capability is.
fn titles() -> Option<&'static AhoCorasick> {
    static TITLES: OnceLock<Option<AhoCorasick>> = OnceLock::new();
    let search = || {
        let titled = titled_entitlements().iter().filter(|(_, stands_for_title)| *stands_for_title);
        let titles = titled.map(|(known, _)| known.capability.to_lowercase());
        AhoCorasick::new(titles.flat_map(|title| [title.replace("wi-fi", "wifi"), title])).ok()
    };
    TITLES.get_or_init(search).as_ref()
}

/// Finds the title of a capability as people write it: `Wi-Fi` has many spellings, and the letters of a title of several words
/// may be small.
fn find_title(clause: &str, lower: &str, title: &str) -> Option<usize> {
    if let Some(at) = find_words(clause, title) {
        return Some(at);
    }
    if !title.contains(' ') {
        return None;
    }
    let title = title.to_lowercase();
    let spelt = title.replace("wi-fi", "wifi");
    find_words(lower, &title).or_else(|| find_words(lower, &spelt).filter(|_| spelt != title))
}

/// The entitlements, each with whether it is the one that the title of its capability stands for: of several behind one tick box,
/// the first, which has no part behind its name.
fn titled_entitlements() -> &'static [(&'static ios::Entitlement, bool)] {
    static TITLED: OnceLock<Vec<(&ios::Entitlement, bool)>> = OnceLock::new();
    TITLED.get_or_init(|| {
        let all = ios::entitlements();
        let first = |known: &ios::Entitlement| all.iter().find(|other| other.capability == known.capability);
        let titled = |known: &ios::Entitlement| {
            !known.capability.is_empty() && first(known).is_some_and(|first| first.key == known.key)
        };
        all.iter().map(|known| (known, titled(known))).collect()
    })
}

fn entitlements(clause: &str, lower: &str, context: &str, spans: &[(usize, &str)], out: &mut Vec<Mention>) {
    let tick = lower.contains("capabilit") || context.contains("capabilit") || lower.contains("entitlement");
    if !tick && !spans.iter().any(|(_, code)| ios::entitlement(code).is_some()) {
        return;
    }
    let tick = tick && titles().is_none_or(|titles| titles.is_match(lower));
    for (known, stands_for_title) in titled_entitlements() {
        let quoted = spans.iter().find(|(_, code)| *code == known.key).map(|(at, _)| *at);
        let titled = || (tick && *stands_for_title).then(|| find_title(clause, lower, known.capability)).flatten();
        let Some(at) = quoted.or_else(titled).filter(|at| *at <= clause.len()) else { continue };
        let value = match (known.key, known.value_type) {
            ("aps-environment", _) => Some(NewValue::String("development".to_owned())),
            (_, "bool") => Some(NewValue::Bool(true)),
            _ => None,
        };
        out.push(Mention::new(known.key, Need::Entitlement { value }, at));
    }
}

/// Finds keys that a sentence sets to yes or no.
fn plist_keys(lower: &str, spans: &[(usize, &str)], out: &mut Vec<Mention>) {
    for (at, code) in spans {
        let Some(known) = ios::plist_key(code).filter(|known| known.value_type == "boolean") else { continue };
        let behind = lower.get(at + code.len()..).unwrap_or_default();
        let value = ["yes", "true"].iter().any(|word| behind.contains(word));
        let no = ["`no`", "false", " no "].iter().any(|word| behind.contains(word));
        if value != no {
            out.push(Mention::new(known.key, Need::Plist { value: NewValue::Bool(value) }, *at));
        }
    }
}

fn levels(clause: &str, out: &mut Vec<Mention>) {
    // Each is a number.
    if !clause.bytes().any(|byte| byte.is_ascii_digit()) {
        return;
    }
    let clause = clause.to_ascii_lowercase();
    if let Some(found) = LOWEST_LEVEL.captures(&clause)
        && let (Some(whole), Some(level)) = (found.get(0), found.get(1).and_then(|level| level.as_str().parse().ok()))
        && (16..=40).contains(&level)
    {
        out.push(Mention::new(MIN_LEVEL, Need::Level(level), whole.start()));
    }
    let says = ["minimum", "require", "deployment target", "platform"].iter().any(|word| clause.contains(word));
    let names_a_purpose = out.iter().any(|mention| mention.need.kind() == Kind::Usage);
    if says
        && !names_a_purpose
        && let Some(found) = LOWEST_VERSION.captures(&clause)
        && let (Some(whole), Some(version)) =
            (found.get(0), found.get(1).and_then(|version| Version::parse(version.as_str())))
    {
        out.push(Mention::new(MIN_VERSION, Need::MinVersion(version), whole.start()));
    }
}
