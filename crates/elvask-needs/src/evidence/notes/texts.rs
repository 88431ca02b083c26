//! Parts of notes: chapters, sentences, and text without its marks.

use std::cell::OnceCell;

use super::*;

/// A heading over a part of notes.
pub(super) struct Heading {
    pub(super) level: HeadingLevel,
    pub(super) text: String,
    /// The same in small letters.
    pub(super) lower: String,
    pub(super) section: Section,
    /// Whether it may help a name below it to be one.
    pub(super) helps: bool,
    optional: OnceCell<bool>,
}

impl Heading {
    pub(super) fn new(level: HeadingLevel, section: Section, text: String) -> Self {
        let (lower, helps) = (text.to_lowercase(), HELPING.may_be_in(&text));
        Heading { level, section, helps, optional: OnceCell::new(), lower, text }
    }

    /// Says whether it makes what stands below it optional.
    pub(super) fn makes_optional(&self) -> bool {
        // Below most headings nothing is named, so that nobody asks.
        *self.optional.get_or_init(|| verdict(&self.text) == Verdict::Optional)
    }
}

/// Finds the chapters that have the same sections on setting up below them: each is about another part of the package, which not
/// everybody uses. "Set up iOS" below "Rings" and below "Colours" makes parts of both.
pub(super) fn parallel_chapters(text: &str) -> Vec<&str> {
    let mut above: Vec<(usize, &str, bool)> = Vec::new();
    // Sections on setting up with the chapter that they stand in.
    let mut found: Vec<(String, &str)> = Vec::new();
    let mut fenced = false;
    for line in text.lines() {
        // Most lines are neither of a fence nor a title.
        let first = line.bytes().find(|byte| *byte != b' ');
        if first.is_none_or(|first| first.is_ascii_alphanumeric()) {
            continue;
        }
        fenced ^= line.trim_start().starts_with("```");
        let depth = line.bytes().take_while(|byte| *byte == b'#').count();
        let title = line.get(depth..).filter(|rest| rest.starts_with(' ')).map(str::trim);
        let Some(title) = title.filter(|_| !fenced && (1..=6).contains(&depth)) else { continue };
        above.retain(|(known, ..)| *known < depth);
        let sets_up = section(title) == Section::Setup;
        // The chapters right below the name of the package; platforms are no parts of it.
        if let Some((_, chapter, false)) = above.last().filter(|(known, ..)| *known > 1)
            && sets_up
        {
            found.push((title.to_lowercase(), chapter));
        }
        above.push((depth, title, sets_up));
    }
    let mut out: Vec<&str> = Vec::new();
    for (title, chapter) in &found {
        let elsewhere = found.iter().any(|(other, of)| other == title && of != chapter);
        if elsewhere && !out.contains(chapter) {
            out.push(chapter);
        }
    }
    out
}

/// Text with the places in the notes that its parts come from.
#[derive(Debug, Default)]
pub(super) struct Prose {
    pub(super) text: String,
    /// Where parts start: in the text, in the notes.
    pub(super) starts: Vec<(usize, usize)>,
}

impl Prose {
    pub(super) fn push(&mut self, text: &str, at: usize) {
        // What most paragraphs come to.
        if self.starts.is_empty() {
            self.starts.reserve(8);
            self.text.reserve(text.len().max(128));
        }
        self.starts.push((self.text.len(), at));
        self.text.push_str(text);
    }

    /// Returns the place in the notes of a place in the text.
    pub(super) fn place(&self, at: usize) -> usize {
        let next = self.starts.partition_point(|(start, _)| *start <= at);
        next.checked_sub(1).and_then(|at| self.starts.get(at)).map_or(0, |(start, place)| place + (at - start))
    }

    pub(super) fn take(&mut self) -> Prose {
        std::mem::take(self)
    }
}

/// Says whether words name a file of rules for another shrinker than the platform's own.
pub(super) fn names_other_rules(words: &str) -> bool {
    let lower = words.to_lowercase();
    let word = |letter: char| letter.is_alphanumeric() || matches!(letter, '-' | '_' | '.' | '/');
    let mut files = lower.split(|letter| !word(letter)).map(|word| word.trim_end_matches('.'));
    files.any(|file| {
        let of_rules = [".txt", ".pro", ".cfg"].iter().any(|end| file.ends_with(end));
        of_rules && !["proguard", "consumer", "r8"].iter().any(|usual| file.contains(usual))
    })
}

pub(super) fn kind_of(piece: &Piece) -> Option<Kind> {
    match &piece.thing {
        Thing::Need { need, .. } => Some(need.kind()),
        Thing::Unknown { .. } => None,
    }
}

pub(super) fn last_clause(text: &str) -> &str {
    clauses(text).last().map_or("", |(_, clause)| clause)
}

/// Judges what was said before something: its last clause that says anything. A refusal counts only where it comes last.
pub(super) fn last_verdict(text: &str) -> Verdict {
    let parts = clauses(text);
    for (back, (_, clause)) in parts.iter().rev().enumerate() {
        match verdict(clause) {
            Verdict::Open => {}
            Verdict::Not if back > 0 => return Verdict::Open,
            judged => return judged,
        }
    }
    Verdict::Open
}

pub(super) fn between(text: &str, open: &str, close: &str) -> Option<std::ops::Range<usize>> {
    let start = text.find(open)? + open.len();
    let end = text.get(start..)?.find(close)? + start;
    Some(start..end)
}

pub(super) fn without_tags(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut inside = false;
    for letter in text.chars() {
        match letter {
            '<' => inside = true,
            '>' if inside => {
                inside = false;
                out.push(' ');
            }
            letter if !inside => out.push(letter),
            _ => {}
        }
    }
    unescaped(&out)
}

pub(super) fn unescaped(text: &str) -> String {
    text.replace("&lt;", "<")
        .replace("&gt;", ">")
        .replace("&quot;", "\"")
        .replace("&#39;", "'")
        .replace("&nbsp;", " ")
        .replace("&amp;", "&")
}

pub(super) fn learned(
    name: String,
    need: Need,
    judged: Verdict,
    words: &str,
    one_of: Option<String>,
    citation: Citation,
) -> Learned {
    let (when, cap) = bounds(words, need.platform());
    // What the system stopped reading is needed for older systems alone, whether the notes say so or not.
    let purpose = Some(&name).filter(|_| need.kind() == Kind::Usage);
    let legacy = purpose.and_then(|name| elvask_platform::ios::usage_key(name)?.until);
    let when = match legacy.filter(|_| when == When::default()) {
        Some(until) => When { ios_version: Some(Range::below(until)), ..When::default() },
        None => when,
    };
    let conditional = matches!(need.kind(), Kind::Permission | Kind::Query | Kind::Usage | Kind::Component);
    let when = if conditional { when } else { When::default() };
    let uncapped = need == Need::Permission { max_level: None };
    let need = if uncapped { Need::Permission { max_level: cap } } else { need };
    let strength = if judged == Verdict::Optional { Strength::Optional } else { Strength::Likely };
    let notes = if judged == Verdict::Optional { Notes::Some } else { Notes::Everybody };
    let shown = Shown::in_notes(notes);
    Learned { name, need, strength, one_of, when, brought: false, shown, citations: vec![citation.into()] }
}
