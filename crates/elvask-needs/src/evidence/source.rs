//! Native code: the platform symbols that it uses, and what their use requires.
//!
//! A file that uses none of them is told from one that does by steps over its bytes. Only where something is found are its places looked
//! for, with one automaton, and comments, strings and compile conditions looked at.

pub(crate) mod around;

use std::borrow::Cow;
use std::cell::RefCell;
use std::collections::HashMap;
use std::sync::OnceLock;

use aho_corasick::{AhoCorasick, AhoCorasickKind, MatchKind, StartKind};
use elvask_markup::Positions;
use elvask_platform::native::{Clue, Family, Symbol, symbols};
use elvask_platform::{Strength, android, ios};
use memchr::memmem;

use self::around::{
    Asking, Declared, asking, calls_around, declares, function_around, is_declaration, is_name, is_own_call,
};
use super::Learned;
use super::gather::Found;
use super::lexer::{Compiled, Conditions, Stretch, Stretches, Style, conditions, stretches};
use super::shown::{Part, Shown, Use, Within};
use super::sieve::Sieve;
use crate::conditions::Range;
use crate::kinds::of_fact;
use crate::requirement::{Citation, EvidenceKind, Need, When};

/// How far behind a symbol the rest of its statement is looked for, in bytes.
const WINDOW: usize = 600;

/// How much of that counts, space taken out, in bytes.
const STATEMENT: usize = 160;

/// The names that make up a permission in Kotlin and Java.
const PERMISSION_CLASS: &str = "Manifest.permission.";

/// How the platform's own permissions start.
const PERMISSION_PREFIX: &str = android::PERMISSION_PREFIX;

/// How far before a key the call stands that looks for it in the app's own list, in bytes.
const LOOK_UP: usize = 60;

/// How many letters keys have in common that are about the same thing: `NSLocation`, `NSCalendar`.
const FAMILY: usize = 9;

/// How a key that holds a purpose ends.
const USAGE_ENDING: &str = "UsageDescription";

struct Automaton {
    search: AhoCorasick,
    /// For each pattern of the search what stands behind it.
    patterns: Vec<Pattern>,
}

enum Pattern {
    /// The places in the table of symbols.
    Symbols(Vec<&'static Symbol>),
    /// [`PERMISSION_CLASS`].
    PermissionClass,
    /// [`PERMISSION_PREFIX`].
    PermissionName,
    /// [`USAGE_ENDING`].
    UsageKey,
}

/// Returns the strings that are searched for.
pub(super) fn searched() -> Vec<&'static str> {
    searched_in(None)
}

fn searched_in(family: Option<Family>) -> Vec<&'static str> {
    let of_family = symbols().iter().filter(|symbol| family.is_none_or(|family| symbol.family == family));
    let mut texts: Vec<_> = of_family.map(|symbol| symbol.text).collect();
    texts.extend([PERMISSION_CLASS, PERMISSION_PREFIX, USAGE_ENDING]);
    texts.sort_unstable();
    texts.dedup();
    texts
}

/// What tells fast in which lines of a file something of all this is.
fn sieve(family: Family) -> &'static Sieve {
    static APPLE: OnceLock<Sieve> = OnceLock::new();
    static JVM: OnceLock<Sieve> = OnceLock::new();
    let of_family = match family {
        Family::Apple => &APPLE,
        Family::Jvm => &JVM,
    };
    of_family.get_or_init(|| Sieve::new(searched_in(Some(family)).into_iter()))
}

/// Returns the automaton of one family of languages: what the other family calls is not looked for, so that each is small enough to be
/// kept near. It is soon made, which counts for more than how soon it finds: the sieve leaves it a few lines.
fn automaton(family: Family) -> Option<&'static Automaton> {
    static APPLE: OnceLock<Option<Automaton>> = OnceLock::new();
    static JVM: OnceLock<Option<Automaton>> = OnceLock::new();
    let of_family = match family {
        Family::Apple => &APPLE,
        Family::Jvm => &JVM,
    };
    let build = || {
        let texts = searched_in(Some(family));
        let pattern = |text: &&'static str| match *text {
            PERMISSION_CLASS => Pattern::PermissionClass,
            PERMISSION_PREFIX => Pattern::PermissionName,
            USAGE_ENDING => Pattern::UsageKey,
            text => Pattern::Symbols(symbols().iter().filter(|one| one.text == text && one.family == family).collect()),
        };
        let patterns = texts.iter().map(pattern).collect();
        // Names that hold other names are all wanted, so matches may overlap.
        let search = AhoCorasick::builder()
            .match_kind(MatchKind::Standard)
            .start_kind(StartKind::Unanchored)
            .kind(Some(AhoCorasickKind::ContiguousNFA))
            .build(&texts)
            .ok()?;
        Some(Automaton { search, patterns })
    };
    of_family.get_or_init(build).as_ref()
}

/// Finds the strings that are searched for, each by its number with its first byte and the byte behind it.
fn places(family: Family, bytes: &[u8]) -> Vec<(usize, usize, usize)> {
    let mut all = Vec::new();
    let lines = sieve(family).lines(bytes);
    let Some(automaton) = lines.first().and_then(|_| automaton(family)) else { return all };
    for (at, line) in lines {
        let found = automaton.search.find_overlapping_iter(line);
        all.extend(found.map(|found| (found.pattern().as_usize(), at + found.start(), at + found.end())));
    }
    all
}

/// In how many places of one file one name is looked at: what so many have not shown, more do not show either.
const MAX_PLACES: usize = 200;

/// Reads one source file into `found`, which holds nothing else; `pod` is the part of the package that it is compiled with,
/// where that is not a part of every app.
pub(super) fn read(bytes: &[u8], shown: &str, family: Family, pod: Option<&str>, found: &mut Found) {
    // Most files use nothing of all this, and need not even be text for that to be seen.
    let matches = places(family, bytes);
    if matches.is_empty() {
        return;
    }
    let text = std::str::from_utf8(bytes).map_or_else(|_| String::from_utf8_lossy(bytes), Cow::Borrowed);
    let places = match &text {
        Cow::Borrowed(_) => matches,
        // What is not text was replaced, so the places are others.
        Cow::Owned(text) => self::places(family, text.as_bytes()),
    };
    let Some(automaton) = automaton(family) else { return };
    let nests = shown.ends_with(".swift") || shown.ends_with(".kt");
    let stretches = stretches(&text, Style { nests, ..Style::default() });
    let compiled = match family {
        Family::Apple => conditions(&text, &stretches),
        Family::Jvm => Conditions::default(),
    };
    let file = Source {
        text: &text,
        positions: Positions::new(&text),
        shown,
        family,
        pod,
        stretches,
        compiled,
        asked: RefCell::default(),
        words: RefCell::default(),
        declared: RefCell::default(),
    };
    let mut seen: HashMap<(usize, &str), usize> = HashMap::new();
    for (pattern, start, end) in places {
        let often = seen.entry((pattern, file.name_at(end))).or_default();
        *often += 1;
        if *often > MAX_PLACES {
            continue;
        }
        match automaton.patterns.get(pattern) {
            Some(Pattern::Symbols(symbols)) => file.symbols(symbols, start, end, found),
            Some(Pattern::PermissionClass) => file.permission_class(start, end, found),
            Some(Pattern::PermissionName) => file.permission_name(start, end, found),
            Some(Pattern::UsageKey) => file.usage_key(start, end, found),
            None => {}
        }
    }
    file.weigh(found);
}

/// What the code of a file does with the names of permissions and keys.
#[derive(Default)]
struct Asked {
    /// Permissions that it looks at before it uses them.
    checked: Vec<String>,
    /// Permissions that it asks the person for.
    requested: Vec<String>,
    /// Keys that it looks for in the app's own list.
    looked_up: Vec<&'static str>,
}

struct Source<'t> {
    text: &'t str,
    positions: Positions<'t>,
    shown: &'t str,
    family: Family,
    pod: Option<&'t str>,
    stretches: Stretches,
    compiled: Conditions,
    asked: RefCell<Asked>,
    /// Of the words that were looked for in all of the file, whether each is there.
    words: RefCell<HashMap<&'static str, bool>>,
    declared: RefCell<Declared<'t>>,
}

impl Source<'_> {
    fn byte(&self, at: usize) -> u8 {
        self.text.as_bytes().get(at).copied().unwrap_or(0)
    }

    fn citation(&self, at: usize) -> Citation {
        Citation::on_line(EvidenceKind::Source, self.shown, self.text, self.positions.of(at), at)
    }

    /// Says whether a name stands by itself, and not in a line that merely brings it in.
    fn is_whole(&self, start: usize, end: usize, open: bool) -> bool {
        let first_is_name = is_name(self.byte(start));
        let last_is_name = end.checked_sub(1).is_some_and(|last| is_name(self.byte(last)));
        let before = start.checked_sub(1).is_some_and(|before| is_name(self.byte(before)));
        let after = is_name(self.byte(end));
        (!first_is_name || !before) && (!last_is_name || open || !after) && !self.is_import(start)
    }

    fn is_import(&self, at: usize) -> bool {
        let before = self.text.get(..at).unwrap_or_default();
        let line = before.rsplit('\n').next().unwrap_or_default().trim_start();
        ["import ", "#import", "#include", "@import", "package ", "@class"].iter().any(|word| line.starts_with(word))
    }

    /// Returns the rest of the statement behind a symbol, without space.
    fn statement(&self, start: usize, end: usize) -> String {
        let rest = self.text.as_bytes().get(end..self.text.len().min(end + WINDOW)).unwrap_or_default();
        let mut out = self.text.get(start..end).unwrap_or_default().to_owned();
        let mut depth = 0_i32;
        for (offset, byte) in rest.iter().enumerate() {
            match byte {
                b'(' | b'[' => depth += 1,
                b')' | b']' => depth -= 1,
                b';' | b'{' | b'}' => break,
                b'\n' => {
                    // A statement goes on inside of brackets, and where the next line starts with a dot.
                    let next = rest.get(offset..).unwrap_or_default().iter().find(|byte| !byte.is_ascii_whitespace());
                    if depth <= 0 && !matches!(next, Some(b'.' | b'?' | b'(')) {
                        break;
                    }
                }
                _ => {}
            }
            if !byte.is_ascii_whitespace() && byte.is_ascii() {
                out.push(char::from(*byte));
            }
            if out.len() > STATEMENT {
                break;
            }
        }
        out
    }

    fn has(&self, clue: Clue, statement: &str) -> bool {
        match clue {
            Clue::Follows(word) => statement.contains(word),
            Clue::InFile(word) => self.is_in_file(word),
        }
    }

    /// Says whether a clue stands in the code as a whole word; a star at either end stands for the rest of one.
    fn is_in_file(&self, word: &'static str) -> bool {
        if let Some(known) = self.words.borrow().get(word) {
            return *known;
        }
        let found = self.is_word_in_file(word);
        self.words.borrow_mut().insert(word, found);
        found
    }

    fn is_word_in_file(&self, word: &str) -> bool {
        let (opens, word) = word.strip_prefix('*').map_or((false, word), |word| (true, word));
        let (goes_on, word) = word.strip_suffix('*').map_or((false, word), |word| (true, word));
        let bytes = word.as_bytes();
        let (first, last) =
            (bytes.first().is_some_and(|one| is_name(*one)), bytes.last().is_some_and(|one| is_name(*one)));
        memmem::find_iter(self.text.as_bytes(), word).any(|at| {
            let before = at.checked_sub(1).is_some_and(|before| is_name(self.byte(before)));
            let after = is_name(self.byte(at + word.len()));
            (!first || opens || !before) && (!last || goes_on || !after) && self.stretches.at(at).is_none()
        })
    }

    /// Says whether the argument behind a symbol is a variable, while the value that is meant stands elsewhere in the file.
    fn may_have(&self, clues: &[Clue], symbol: &str, statement: &str) -> bool {
        let argument = statement.get(symbol.len()..).unwrap_or_default().trim_start_matches(['(', ':']);
        let end = argument.find(|sign: char| !sign.is_alphanumeric() && sign != '_').unwrap_or(argument.len());
        let name = argument.get(..end).unwrap_or_default();
        // In Objective-C the next part of the name follows at once, as the space between is gone.
        let variable = name.starts_with(|first: char| first.is_lowercase()) && argument.len() > end;
        variable
            && clues.iter().any(|clue| match clue {
                Clue::Follows(word) => {
                    word.starts_with(|first: char| first == '.' || first.is_uppercase()) && self.is_in_file(word)
                }
                Clue::InFile(_) => false,
            })
    }

    fn part(&self, at: usize) -> Part {
        let (folder, name) = self.shown.rsplit_once('/').unwrap_or(("", self.shown));
        let file = name.split('.').next().unwrap_or(name).to_owned();
        let folder = folder.rsplit('/').next().unwrap_or_default().to_owned();
        let around = function_around(self.text, at, &mut self.declared.borrow_mut());
        let called_by_name = around.is_some_and(|(_, by_name)| by_name);
        Part { file, folder, function: around.map(|(name, _)| name.to_owned()), called_by_name }
    }

    fn within(&self, at: usize) -> Within {
        match (self.pod, self.compiled.chosen(at)) {
            (Some(pod), _) => Within::Pod(pod.to_owned()),
            (None, Some(condition)) => Within::Condition(condition.to_owned()),
            (None, None) => Within::Package,
        }
    }

    fn shown(&self, how: Use, at: usize) -> Shown {
        Shown::in_code(how, self.part(at), self.within(at))
    }

    /// Weighs what was found by what else the file does: what it looks at first it can do without, and what it asks the
    /// person for it cannot. Keys that it looks for one after the other are alternatives.
    fn weigh(&self, found: &mut Found) {
        let asked = self.asked.borrow();
        let stem = self.shown.rsplit('/').next().unwrap_or_default();
        for learned in found.each_mut() {
            let name = learned.name.as_str();
            let checked = asked.checked.iter().any(|one| one == name);
            let requested = asked.requested.iter().any(|one| one == name);
            for occurrence in &mut learned.shown.code {
                match occurrence.how {
                    Use::Called | Use::Likely if checked && !requested => occurrence.how = Use::Guarded,
                    _ => {}
                }
            }
            let family = |key: &str| key.get(..key.len().min(FAMILY)).unwrap_or_default().to_owned();
            let of_family = asked.looked_up.iter().filter(|key| family(key) == family(name)).count();
            if learned.one_of.is_none() && of_family > 1 && asked.looked_up.contains(&name) {
                learned.one_of = Some(format!("{stem} {}", family(name)));
            }
        }
    }

    fn symbols(&self, symbols: &[&'static Symbol], start: usize, end: usize, found: &mut Found) {
        if self.stretches.at(start).is_some() {
            return;
        }
        let compiled = self.compiled.at(start);
        if compiled == Compiled::Never {
            return;
        }
        let mut statement = None;
        let name = self.text.get(start..end).unwrap_or_default();
        let verb = name.starts_with(|first: char| first.is_lowercase()) && name.bytes().all(is_name);
        if verb && (is_declaration(self.text, start, end) || is_own_call(self.text, start) && declares(self.text, name))
        {
            return;
        }
        for symbol in symbols {
            if !self.is_whole(start, end, symbol.open) {
                continue;
            }
            let mut unsure = false;
            if !symbol.with.is_empty() || !symbol.without.is_empty() {
                let statement: &str = statement.get_or_insert_with(|| self.statement(start, end));
                let with = symbol.with.is_empty() || symbol.with.iter().any(|clue| self.has(*clue, statement));
                if symbol.without.iter().any(|clue| self.has(*clue, statement)) {
                    continue;
                }
                if !with {
                    if !self.may_have(&symbol.with, symbol.text, statement) {
                        continue;
                    }
                    unsure = true;
                }
            }
            let (strength, how) = match symbol.strength {
                _ if self.pod.is_some() || compiled == Compiled::Chosen => (Strength::Optional, Use::Called),
                "certain" if !unsure => (Strength::Certain, Use::Called),
                "certain" | "likely" => (Strength::Likely, Use::Likely),
                _ => (Strength::Optional, Use::Guarded),
            };
            let when = When {
                target_level: symbol.target_from.map(Range::at_least),
                ios_version: symbol.ios_below.map(Range::below),
                ..When::default()
            };
            let Some(need) = of_fact(symbol.kind, symbol.name, symbol.value, symbol.max_level) else { continue };
            found.add(Learned {
                name: symbol.name.to_owned(),
                need,
                strength,
                one_of: symbol.one_of.map(str::to_owned),
                when,
                brought: false,
                shown: self.shown(how, start),
                citations: vec![self.citation(start).into()],
            });
        }
    }

    /// Reads the permission behind `Manifest.permission.`.
    fn permission_class(&self, start: usize, end: usize, found: &mut Found) {
        if self.family != Family::Jvm || self.stretches.at(start).is_some() || self.is_import(start) {
            return;
        }
        if start.checked_sub(1).is_some_and(|before| is_name(self.byte(before))) {
            return;
        }
        let name = self.name_at(end);
        self.permission(&format!("{PERMISSION_PREFIX}{name}"), start, found);
    }

    /// Reads a permission that is named in a string.
    fn permission_name(&self, start: usize, end: usize, found: &mut Found) {
        if self.family == Family::Jvm && self.stretches.at(start) == Some(Stretch::Text) {
            let name = self.name_at(end);
            self.permission(&format!("{PERMISSION_PREFIX}{name}"), start, found);
        }
    }

    fn name_at(&self, at: usize) -> &str {
        let rest = self.text.get(at..).unwrap_or_default();
        let end = rest.find(|letter: char| !letter.is_ascii_alphanumeric() && letter != '_').unwrap_or(rest.len());
        rest.get(..end).unwrap_or_default()
    }

    fn permission(&self, name: &str, at: usize, found: &mut Found) {
        let Some(known) = android::permission(name) else { return };
        let cap = android::succession(name).map(|successor| successor.cap);
        let how = match calls_around(self.text, at).into_iter().find_map(asking) {
            Some(Asking::Checks) => {
                self.asked.borrow_mut().checked.push(known.name.to_owned());
                return;
            }
            Some(Asking::Requests) => {
                self.asked.borrow_mut().requested.push(known.name.to_owned());
                Use::Asked
            }
            None => Use::Named,
        };
        found.named(Learned {
            name: known.name.to_owned(),
            need: Need::Permission { max_level: cap },
            strength: Strength::Likely,
            one_of: None,
            when: from_its_first_level(known.first_level),
            brought: false,
            shown: self.shown(how, at),
            citations: vec![self.citation(at).into()],
        });
    }

    /// Reads a key that is named in a string: calls put together at run time leave no other trace.
    fn usage_key(&self, start: usize, end: usize, found: &mut Found) {
        let quoted = self.stretches.at(start) == Some(Stretch::Text);
        if self.family != Family::Apple || !quoted || self.compiled.at(start) == Compiled::Never {
            return;
        }
        let before = self.text.get(..end).unwrap_or_default();
        let first = before.rfind(|letter: char| !letter.is_ascii_alphanumeric()).map_or(0, |at| at + 1);
        let key = format!("{}{}", before.get(first..).unwrap_or_default(), self.rest_of_key(end));
        let Some(known) = ios::usage_key(&key).filter(|known| known.is_for_ios()) else { return };
        let chosen = self.pod.is_some() || self.compiled.at(start) == Compiled::Chosen;
        let line = before.get(first.saturating_sub(LOOK_UP)..first).unwrap_or_default();
        if line.to_lowercase().contains("infodictionary") {
            self.asked.borrow_mut().looked_up.push(known.key);
        }
        found.named(Learned {
            name: known.key.to_owned(),
            need: Need::Usage,
            strength: if chosen { Strength::Optional } else { Strength::Likely },
            one_of: None,
            when: When { ios_version: known.until.map(Range::below), ..When::default() },
            brought: false,
            shown: self.shown(Use::Named, start),
            citations: vec![self.citation(first).into()],
        });
    }

    fn rest_of_key(&self, end: usize) -> &str {
        // One key goes on behind the ending that all others share.
        let rest = self.name_at(end);
        if rest == "Dictionary" { rest } else { "" }
    }
}

/// Returns when a permission holds that levels before its first do not know.
pub(super) fn from_its_first_level(first: u32) -> When {
    let from = (first >= 28).then(|| Range::at_least(first));
    When { target_level: from, ..When::default() }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_string_that_is_searched_for_is_told_by_the_steps_wherever_it_is() {
        for family in [Family::Apple, Family::Jvm] {
            let words = searched_in(Some(family));
            // The shortest one decides how long the steps are.
            assert!(words.iter().all(|word| word.len() > 5), "{words:?}");
            // Each is looked for line by line.
            assert!(words.iter().all(|word| !word.contains('\n')), "{words:?}");
            for word in words {
                for before in 0..8 {
                    let text = format!("{}{word} = 1;\n", "e".repeat(before));
                    assert_eq!(sieve(family).lines(text.as_bytes()).len(), 1, "{text}");
                }
            }
            let none = b"let heron = reed.count(of: knots) // in the marsh\n";
            assert_eq!(sieve(family).lines(none).len(), 0);
        }
    }
}
