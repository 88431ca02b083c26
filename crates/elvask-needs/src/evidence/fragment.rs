//! Fragments of platform files as people copy them: whole manifests, bare elements, attributes alone, pairs of a property list
//! without a root, build lines, with dots between and comments inside, often not well formed.
//!
//! Each piece is recognised by what it is, not by where it says that it belongs.

mod gradle;
mod markup;
mod tags;

use elvask_markup::Span;
use elvask_markup::plist::plan::NewValue;
use elvask_project::intent::Owner;

use crate::requirement::Need;

/// What a piece of a fragment is.
#[derive(Debug, Clone, PartialEq)]
pub enum Thing {
    /// Something that an app declares.
    Need {
        /// What identifies it to the platform.
        name: String,
        /// What exactly.
        need: Need,
    },
    /// Something that is not understood.
    Unknown {
        /// Why not.
        why: String,
    },
}

/// One piece of a fragment.
#[derive(Debug, Clone, PartialEq)]
pub struct Piece {
    /// What it is.
    pub thing: Thing,
    /// The bytes of the fragment that it was read from.
    pub span: Span,
    /// The comment that stands at it.
    pub comment: Option<String>,
    /// The fragment takes it out: by a merge marker, or in a line that a diff takes away.
    pub removed: bool,
    /// The text that goes with it, where it is a purpose.
    pub text: Option<String>,
    /// The component whose part it is, as the fragment names it.
    pub inside: Option<String>,
    /// An attribute among many others of an element that is the app's own: only words around it tell whether it is meant.
    pub incidental: bool,
}

/// The pieces of a fragment.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Pieces {
    /// The pieces in order.
    pub pieces: Vec<Piece>,
    /// The fragment is of a file that is none of an app's manifests, property lists, entitlements and build files, or of an
    /// extension's: why.
    pub elsewhere: Option<&'static str>,
}

/// The largest fragment that is read, in bytes.
const MAX_FRAGMENT: usize = 256 * 1024;

/// Says what kind of language a fence names, as far as it matters.
fn is_configuration(tag: &str) -> bool {
    matches!(
        tag,
        "json"
            | "json5"
            | "jsonc"
            | "js"
            | "javascript"
            | "ts"
            | "typescript"
            | "jsx"
            | "tsx"
            | "yaml"
            | "yml"
            | "toml"
            | "sh"
            | "bash"
            | "shell"
            | "console"
            | "zsh"
            | "powershell"
            | "dart"
            | "swift"
            | "objc"
            | "objective-c"
            | "objectivec"
            | "csharp"
            | "cs"
            | "c#"
            | "python"
            | "py"
            | "html"
            | "css"
            | "ruby"
            | "rb"
            | "cpp"
            | "c++"
            | "http"
            | "sql"
    )
}

/// Reads a fragment. `tag` is the word that its fence says about its language; it is often wrong and never trusted alone.
#[must_use]
pub fn pieces_of(text: &str, tag: &str) -> Pieces {
    let tag = tag.trim().to_lowercase();
    let tag = tag.split([' ', ',', '{']).next().unwrap_or_default();
    if text.len() > MAX_FRAGMENT {
        return Pieces { pieces: Vec::new(), elsewhere: Some("a fragment of this size is not read") };
    }
    let diff = Diff::of(text, tag);
    let plain = diff.as_ref().map_or(text, |diff| diff.text.as_str());
    let starts_with_tag = plain.trim_start().starts_with('<');
    let mut out = if is_configuration(tag) && !starts_with_tag {
        // A script may hold a real key without asking the reader for it.
        let elsewhere = (tag != "ruby" && tag != "rb").then_some("it is the configuration of another tool, or code");
        let pieces = if elsewhere.is_none() { gradle::pieces(plain) } else { Vec::new() };
        Pieces { pieces, elsewhere }
    } else if starts_with_tag || tags::holds_known_tags(plain) {
        tags::pieces(plain)
    } else {
        let mut pieces = gradle::pieces(plain);
        if pieces.is_empty() {
            pieces = tags::attributes_alone(plain);
        }
        if pieces.is_empty() {
            pieces = bare_lines(plain);
        }
        Pieces { pieces, elsewhere: None }
    };
    if let Some(diff) = diff {
        out.pieces.retain_mut(|piece| match diff.kind_at(piece.span.start) {
            Line::Added => true,
            Line::TakenAway => {
                piece.removed = true;
                true
            }
            Line::Context => false,
        });
    }
    out
}

/// Puts a piece where words before the fragment say that it goes: "inside the activity tag". What the fragment itself says wins.
pub fn obey(piece: &mut Piece, words: &str) {
    if piece.inside.is_some() || !says_activity(words) {
        return;
    }
    if let Thing::Need { need: Need::MetaData { owner, .. }, .. } = &mut piece.thing
        && *owner == Owner::Application
    {
        *owner = Owner::Launcher;
    }
}

/// Says whether words say that something goes into the app's own activity.
fn says_activity(words: &str) -> bool {
    let lower = words.to_lowercase().replace(['`', '<', '>', '*', '"', '_'], "");
    let last = lower.rsplit(['.', ';', '\n']).find(|clause| clause.contains("activity")).unwrap_or_default();
    let bare = |word: &'_ str| word.trim_matches(|letter: char| matches!(letter, ',' | ':' | '(' | ')')).to_owned();
    let clauses: Vec<String> = last.split_whitespace().map(bare).collect();
    clauses.iter().enumerate().any(|(at, word)| {
        // "inside the main activity", "within your activity tag", "to the launcher activity".
        let inside = matches!(word.as_str(), "inside" | "within" | "in" | "into" | "to" | "under");
        let near = clauses
            .iter()
            .skip(at + 1)
            .take(4)
            .position(|next| matches!(next.as_str(), "activity" | "mainactivity" | ".mainactivity"));
        let article = clauses.get(at + 1).is_some_and(|next| {
            matches!(
                next.as_str(),
                "the" | "your" | "main" | "launcher" | "activity" | "mainactivity" | ".mainactivity" | "an" | "its"
            )
        });
        inside && article && near.is_some()
    })
}

/// What a line of a diff is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Line {
    Added,
    TakenAway,
    Context,
}

/// A diff, with its marks taken off so that places stay.
struct Diff {
    text: String,
    lines: Vec<(usize, Line)>,
}

impl Diff {
    fn of(text: &str, tag: &str) -> Option<Diff> {
        let marked = |line: &&str| {
            let mut letters = line.chars();
            matches!(letters.next(), Some('+' | '-'))
                && letters.next().is_none_or(|next| next.is_whitespace() || next == '<')
        };
        let named = matches!(tag, "diff" | "patch");
        // Most fragments are none, and have no such line.
        if !named && !text.starts_with('+') && !text.contains("\n+") {
            return None;
        }
        let added = text.lines().filter(|line| line.starts_with('+')).filter(marked).count();
        let is_diff = named
            || (added > 0 && text.contains('<') && text.lines().filter(marked).count() * 4 >= text.lines().count());
        if !is_diff || text.lines().filter(|line| line.starts_with(['+', '-'])).count() == 0 {
            return None;
        }
        let mut diff = Diff { text: String::with_capacity(text.len()), lines: Vec::new() };
        for line in text.split_inclusive('\n') {
            let kind = match line.as_bytes().first() {
                _ if line.starts_with("+++") || line.starts_with("---") || line.starts_with("@@") => Line::Context,
                Some(b'+') => Line::Added,
                Some(b'-') => Line::TakenAway,
                _ => Line::Context,
            };
            diff.lines.push((diff.text.len(), kind));
            match line.get(1..) {
                Some(rest) if line.starts_with(['+', '-']) && !line.starts_with("+++") && !line.starts_with("---") => {
                    diff.text.push(' ');
                    diff.text.push_str(rest);
                }
                _ if line.starts_with("@@") || line.starts_with("+++") || line.starts_with("---") => {
                    let blank = line
                        .chars()
                        .map(|letter| if letter == '\n' { "\n".to_owned() } else { " ".repeat(letter.len_utf8()) });
                    diff.text.extend(blank);
                }
                _ => diff.text.push_str(line),
            }
        }
        Some(diff)
    }

    fn kind_at(&self, at: usize) -> Line {
        let next = self.lines.partition_point(|(start, _)| *start <= at);
        next.checked_sub(1).and_then(|line| self.lines.get(line)).map_or(Line::Context, |(_, kind)| *kind)
    }
}

/// Reads lines that hold nothing but a full name each, and pairs in the old form of a property list.
fn bare_lines(text: &str) -> Vec<Piece> {
    let mut out = Vec::new();
    let braces = text.trim_start().starts_with(['{', '[']) && text.contains("\":");
    let mut start = 0;
    for line in text.split_inclusive('\n') {
        let at = start + line.len() - line.trim_start().len();
        start += line.len();
        let content = line.trim().trim_start_matches(['-', '*', '•']).trim();
        let Some(word) =
            content.split([' ', '=', ':', ';', '"', ',']).find(|word| !word.is_empty()).filter(|_| !braces)
        else {
            continue;
        };
        let rest = content.split_once(word).map_or("", |(_, rest)| rest).trim();
        let span = Span::new(at, at + word.len());
        if word.starts_with("android.permission.") && rest.trim_matches(['"', ',', ';']).is_empty() {
            if let Some(permission) = elvask_platform::android::permission(word) {
                let need = Need::Permission { max_level: None };
                out.push(Piece::new(permission.name, need, span));
            }
        } else if let Some(known) = elvask_platform::ios::usage_key(word).filter(|known| known.is_for_ios()) {
            // A pair with an equals sign, a name alone, or a name with what it is for behind a colon.
            let value = rest.trim_matches(['"', '=', ':', ';', ' ']).to_owned();
            let mut piece = Piece::new(known.key, Need::Usage, span);
            piece.text = (!value.is_empty()).then_some(value);
            out.push(piece);
        }
    }
    out
}

impl Piece {
    fn new(name: impl Into<String>, need: Need, span: Span) -> Self {
        Piece {
            thing: Thing::Need { name: name.into(), need },
            span,
            comment: None,
            removed: false,
            text: None,
            inside: None,
            incidental: false,
        }
    }

    fn unknown(why: impl Into<String>, span: Span) -> Self {
        Piece { thing: Thing::Unknown { why: why.into() }, ..Piece::new("", Need::Usage, span) }
    }
}

/// Returns the name of the answer that a placeholder stands for; `None` where a text holds none.
///
/// People write `YOUR_APP_ID`, `<your-app-id>`, `${APP_ID}`, `{app id}`, `[APP_ID]`, `xxxxxxxx` and the like.
#[must_use]
pub(crate) fn placeholder(text: &str) -> Option<String> {
    let text = text.trim();
    let inner = [("${", "}"), ("{{", "}}"), ("{", "}"), ("<", ">"), ("[", "]"), ("&lt;", "&gt;"), ("$(", ")")]
        .into_iter()
        .find_map(|(open, close)| {
            let at = text.find(open)?;
            let rest = text.get(at + open.len()..)?;
            rest.get(..rest.find(close)?)
        });
    let lower = text.to_lowercase();
    let word = match inner {
        Some(inner) if !inner.is_empty() => inner,
        _ if lower.contains("your") || lower.contains("replace") || lower.contains("insert") => text,
        _ if text.len() >= 3
            && text.chars().all(|letter| matches!(letter, 'x' | 'X' | '.' | '…' | '*' | '-' | '0'))
            && text.to_lowercase().contains(['x', '*']) =>
        {
            "value"
        }
        _ if is_shouted(text) => text,
        _ => return None,
    };
    // What is told from the rest by capitals is all that is left open.
    let word = match word.find("YOUR_") {
        Some(at) if word == text && at > 0 => word.get(at..).unwrap_or(word),
        _ => word,
    };
    // The platforms' own variables are put in by the build.
    if matches!(
        word,
        "applicationId"
            | "PRODUCT_BUNDLE_IDENTIFIER"
            | "AppIdentifierPrefix"
            | "TeamIdentifierPrefix"
            | "CFBundleIdentifier"
            | "PRODUCT_NAME"
    ) {
        return None;
    }
    let mut key = String::new();
    for letter in word.chars() {
        match letter {
            letter if letter.is_ascii_alphanumeric() => key.push(letter.to_ascii_lowercase()),
            _ if !key.ends_with('_') && !key.is_empty() => key.push('_'),
            _ => {}
        }
    }
    let key = key.trim_end_matches('_');
    for first in ["replace_with_your_", "replace_with_", "insert_your_", "insert_", "your_own_", "your_"] {
        if let Some(rest) = key.strip_prefix(first).filter(|rest| !rest.is_empty()) {
            return Some(rest.to_owned());
        }
    }
    (!key.is_empty()).then(|| key.to_owned())
}

/// Says whether a text is written in capitals with underscores, as a name for a value is.
fn is_shouted(text: &str) -> bool {
    text.contains('_')
        && text.len() >= 5
        && text.chars().all(|letter| letter.is_ascii_uppercase() || letter.is_ascii_digit() || letter == '_')
}

/// Puts the names of answers in the place of placeholders.
fn template(text: &str) -> String {
    match placeholder(text) {
        Some(key) => {
            // What stands around a bracketed placeholder stays.
            for (open, close) in [("${", "}"), ("{{", "}}"), ("<", ">"), ("[", "]")] {
                if let Some((before, rest)) = text.split_once(open)
                    && let Some((_, after)) = rest.split_once(close)
                {
                    return format!("{before}{{{key}}}{after}");
                }
            }
            match text.find("YOUR_") {
                _ if text.contains('{') => text.to_owned(),
                Some(at) => format!("{}{{{key}}}", text.get(..at).unwrap_or_default()),
                None => format!("{{{key}}}"),
            }
        }
        None => text.to_owned(),
    }
}

fn template_value(value: NewValue) -> NewValue {
    match value {
        NewValue::String(text) => NewValue::String(template(&text)),
        NewValue::Array(values) => NewValue::Array(values.into_iter().map(template_value).collect()),
        NewValue::Dict(entries) => {
            NewValue::Dict(entries.into_iter().map(|(key, value)| (key, template_value(value))).collect())
        }
        other => other,
    }
}

/// Says whether a text is only dots: something that the writer left out.
fn is_dots(text: &str) -> bool {
    let text = text.trim();
    !text.is_empty() && text.chars().all(|letter| matches!(letter, '.' | '…' | ' '))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Returns the pieces in short: kind, name, value, and a mark for what is taken out.
    pub(super) fn short(text: &str, tag: &str) -> Vec<String> {
        let found = pieces_of(text, tag);
        let piece = |piece: &Piece| match &piece.thing {
            Thing::Need { name, need } => {
                let value = need.value().map(|value| format!(" = {value}")).unwrap_or_default();
                let removed = if piece.removed { "- " } else { "" };
                format!("{removed}{} {name}{value}", need.kind().id())
            }
            Thing::Unknown { why } => format!("? {why}"),
        };
        found.pieces.iter().map(piece).collect()
    }

    #[test]
    fn placeholders_are_recognised() {
        let key = |text: &str| placeholder(text).unwrap_or_default();
        assert_eq!(key("YOUR_APP_ID"), "app_id");
        assert_eq!(key("<your-app-id>"), "app_id");
        assert_eq!(key("${GODWIT_KEY}"), "godwit_key");
        assert_eq!(key("fb[APP_ID]"), "app_id");
        assert_eq!(key("REPLACE_WITH_API_KEY"), "api_key");
        assert_eq!(key("${applicationId}"), "");
        assert_eq!(key("true"), "");
        assert_eq!(key("@xml/paths"), "");
        assert_eq!(template("fb<APP_ID>"), "fb{app_id}");
    }

    #[test]
    fn words_that_say_where_are_obeyed() {
        for words in [
            "Add this inside the `<activity>` tag of your manifest:",
            "Put the following within your main activity.",
            "Then add this to the launcher activity:",
        ] {
            assert!(says_activity(words), "{words}");
        }
        for words in
            ["Add this inside `<application>`:", "The activity is started by the system. Add this to the manifest:"]
        {
            assert!(!says_activity(words), "{words}");
        }
    }

    #[test]
    fn a_diff_asks_for_what_it_adds() {
        let diff = "  <manifest>\n+ <uses-permission android:name=\"android.permission.NFC\"/>\n- <uses-permission android:name=\"android.permission.VIBRATE\"/>\n  <uses-permission android:name=\"android.permission.INTERNET\"/>\n";
        assert_eq!(
            short(diff, "diff"),
            ["permission android.permission.NFC", "- permission android.permission.VIBRATE"]
        );
        assert_eq!(short(diff, "xml").len(), 2);
    }

    #[test]
    fn configuration_of_other_tools_is_left_alone() {
        assert_eq!(short("{ \"ios\": { \"infoPlist\": { \"NSCameraUsageDescription\": \"x\" } } }", "json"), [""; 0]);
        assert_eq!(short("{ \"NSCameraUsageDescription\": \"x\" }", ""), [""; 0]);
        assert_eq!(
            short("NSCameraUsageDescription\nNSMicrophoneUsageDescription", ""),
            ["usage NSCameraUsageDescription", "usage NSMicrophoneUsageDescription"]
        );
        assert_eq!(
            short("NSCameraUsageDescription = \"Rings.\";", "OpenStep Property List"),
            ["usage NSCameraUsageDescription"]
        );
    }
}
