//! What stands around a place in a document that is being written, and so is seldom whole.

use std::path::Path;

/// What may stand at a place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Spot<'t> {
    /// The name of an element, in another one.
    Element { parent: Option<&'t str> },
    /// The name of an attribute.
    Attribute { element: &'t str },
    /// The value of an attribute; `others` are the attributes of the element that are written already.
    Value { element: &'t str, attribute: &'t str, parent: Option<&'t str>, others: Vec<(&'t str, &'t str)> },
    /// Text in an element; in a property list with the key that the text is for.
    Text { element: &'t str, key: Option<&'t str> },
    /// A key of a TOML document, in a table.
    TomlKey { table: &'t str },
    /// A value of a TOML document.
    TomlValue { table: &'t str, key: &'t str },
    /// A key of a JSON object, below these keys.
    JsonKey { path: Vec<&'t str> },
}

/// A place, with where the word at it starts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct At<'t> {
    pub(super) spot: Spot<'t>,
    /// The byte at which what was typed so far starts.
    pub(super) start: usize,
}

/// The documents that are known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Document {
    Manifest,
    PropertyList,
    Entitlements,
    Widget,
    Sheet,
    Config,
    AppleLinks,
    AndroidLinks,
}

impl Document {
    /// Returns what a document is, by its name.
    pub(super) fn of(path: &Path) -> Option<Self> {
        let name = path.file_name()?.to_str()?;
        let folder = path.parent().and_then(Path::file_name).and_then(|name| name.to_str()).unwrap_or_default();
        Some(match name {
            "AndroidManifest.xml" => Document::Manifest,
            "config.xml" => Document::Widget,
            "elvask.toml" => Document::Config,
            "elvask-sheet.toml" => Document::Sheet,
            "apple-app-site-association" | "apple-app-site-association.json" => Document::AppleLinks,
            "assetlinks.json" => Document::AndroidLinks,
            name if name.ends_with(".entitlements") => Document::Entitlements,
            name if name.ends_with(".plist") || name.ends_with(".xcprivacy") => Document::PropertyList,
            name if name.ends_with(".toml") && folder == "sheets" => Document::Sheet,
            _ => return None,
        })
    }
}

/// Returns what may stand at a byte of a document; `None` where nothing that is known may.
pub(super) fn around<'t>(document: Document, text: &'t str, offset: usize) -> Option<At<'t>> {
    let before = text.get(..offset)?;
    match document {
        Document::Manifest | Document::Widget | Document::PropertyList | Document::Entitlements => xml(before),
        Document::Sheet | Document::Config => Some(toml(before)),
        Document::AppleLinks | Document::AndroidLinks => json(before),
    }
}

/// Returns the byte at which the word before the end of a text starts.
fn word_start(before: &str, is_part: impl Fn(char) -> bool) -> usize {
    before.char_indices().rev().take_while(|(_, letter)| is_part(*letter)).last().map_or(before.len(), |(at, _)| at)
}

/// An element that is not closed yet, with the key that was read last in it.
struct Opened<'t> {
    name: &'t str,
    key: Option<&'t str>,
    /// The byte behind its tag.
    content: usize,
}

// In one piece: one pass over the text, in which each kind of markup is skipped or taken in.
fn xml(before: &str) -> Option<At<'_>> {
    let mut open: Vec<Opened<'_>> = Vec::new();
    let mut at = 0;
    while let Some(next) = memchr::memchr(b'<', before.as_bytes().get(at..)?).map(|next| at + next) {
        let rest = before.get(next..)?;
        let skipped = [("<!--", "-->"), ("<![CDATA[", "]]>"), ("<?", "?>"), ("<!", ">")];
        if let Some((start, end)) = skipped.iter().find(|(start, _)| rest.starts_with(start)) {
            at = next + start.len() + rest.get(start.len()..)?.find(end)? + end.len();
            continue;
        }
        if let Some(name) = rest.strip_prefix("</") {
            let name = name.get(..name.find('>')?)?.trim();
            if let Some(depth) = open.iter().rposition(|one| one.name == name) {
                let closed = open.get(depth)?;
                let text = before.get(closed.content..next).unwrap_or_default().trim();
                let key = (closed.name == "key").then_some(text);
                open.truncate(depth);
                if let Some(parent) = open.last_mut() {
                    parent.key = key;
                }
            }
            at = next + rest.find('>')? + 1;
            continue;
        }
        let Some(end) = end_of_tag(rest) else { return in_tag(before, next, open.last().map(|one| one.name)) };
        let tag = rest.get(1..end)?;
        let name = tag.split([' ', '\t', '\r', '\n', '/']).next().unwrap_or_default();
        if tag.ends_with('/') {
            if let Some(parent) = open.last_mut() {
                parent.key = None;
            }
        } else {
            open.push(Opened { name, key: None, content: next + end + 1 });
        }
        at = next + end + 1;
    }
    let inner = open.last()?;
    // The key of a text in a list is that of the list.
    let key = open.iter().rev().find(|one| one.name != "array" && one.name != inner.name || one.name == "dict");
    let key = if inner.name == "dict" { None } else { key.and_then(|one| one.key) };
    let start = word_start(before, |letter| !letter.is_whitespace() && letter != '>');
    Some(At { spot: Spot::Text { element: inner.name, key }, start })
}

/// Returns the byte of the `>` that ends a tag; signs in quotes do not.
fn end_of_tag(tag: &str) -> Option<usize> {
    let mut quote = None;
    for (at, byte) in tag.bytes().enumerate() {
        match (quote, byte) {
            (Some(open), byte) if byte == open => quote = None,
            (None, b'"' | b'\'') => quote = Some(byte),
            (None, b'>') => return Some(at),
            // A tag that another one follows was never ended.
            (None, b'<') if at > 0 => return None,
            _ => {}
        }
    }
    None
}

/// Returns what may stand at the end of a tag that is not ended yet.
fn in_tag<'t>(before: &'t str, start: usize, parent: Option<&'t str>) -> Option<At<'t>> {
    let tag = before.get(start + 1..)?;
    let blank = |letter: char| letter.is_whitespace();
    let Some(name_end) = tag.find(blank) else {
        return Some(At { spot: Spot::Element { parent }, start: start + 1 });
    };
    let element = tag.get(..name_end)?;
    let mut others = Vec::new();
    let mut at = name_end;
    loop {
        let rest = tag.get(at..)?;
        let begin = at + rest.find(|letter: char| !blank(letter)).unwrap_or(rest.len());
        let rest = tag.get(begin..)?;
        let Some(equals) = rest.find(['=', '"', '\'']) else {
            let word = begin + word_start(rest, |letter| !blank(letter));
            return Some(At { spot: Spot::Attribute { element }, start: start + 1 + word });
        };
        let attribute = rest.get(..equals)?.split_whitespace().last().unwrap_or_default();
        let behind = rest.get(equals + 1..)?;
        let quote_at = equals + 1 + behind.find(|letter: char| !blank(letter))?;
        let quote = rest.get(quote_at..)?.chars().next().filter(|letter| matches!(letter, '"' | '\''))?;
        let value = rest.get(quote_at + 1..)?;
        match value.find(quote) {
            Some(end) => {
                others.push((attribute, value.get(..end)?));
                at = begin + quote_at + 1 + end + 1;
            }
            None => {
                let from = start + 1 + begin + quote_at + 1;
                // Of several values between strokes the last one is written.
                let last = value.rfind('|').map_or(0, |at| at + 1);
                return Some(At { spot: Spot::Value { element, attribute, parent, others }, start: from + last });
            }
        }
    }
}

fn toml(before: &str) -> At<'_> {
    let line_start = before.rfind('\n').map_or(0, |at| at + 1);
    let line = before.get(line_start..).unwrap_or_default();
    let header = |line: &'_ str| {
        let inside = line.trim().strip_prefix('[')?;
        Some(inside.trim_start_matches('[').split(']').next().unwrap_or_default().trim().len())
    };
    let mut table = "";
    for line in before.get(..line_start).unwrap_or_default().lines().rev() {
        if header(line).is_some() {
            table = line.trim().trim_start_matches('[').split(']').next().unwrap_or_default().trim();
            break;
        }
    }
    let is_part = |letter: char| letter.is_alphanumeric() || matches!(letter, '_' | '-' | '.' | '@' | '/');
    let start = line_start + word_start(line, is_part);
    match line.split_once('=') {
        Some((key, _)) => At { spot: Spot::TomlValue { table, key: key.trim() }, start },
        None => At { spot: Spot::TomlKey { table }, start },
    }
}

fn json(before: &str) -> Option<At<'_>> {
    let mut path: Vec<Option<&str>> = Vec::new();
    let mut last: Option<&str> = None;
    let mut at = 0;
    while let Some(letter) = before.get(at..)?.chars().next() {
        match letter {
            '{' | '[' => path.push(last.take()),
            '}' | ']' => {
                path.pop();
            }
            '"' => {
                let rest = before.get(at + 1..)?;
                let mut escaped = false;
                let end = rest.char_indices().find(|(_, letter)| {
                    let ends = *letter == '"' && !escaped;
                    escaped = *letter == '\\' && !escaped;
                    ends
                });
                let Some((end, _)) = end else {
                    let path = path.iter().flatten().copied().collect();
                    return is_key(before, at).then_some(At { spot: Spot::JsonKey { path }, start: at + 1 });
                };
                if is_key(before, at) {
                    last = rest.get(..end);
                }
                at += end + 1;
            }
            _ => {}
        }
        at += letter.len_utf8();
    }
    None
}

/// Says whether a text in JSON that starts at a byte is a key: it stands behind a brace, or a comma in an object.
fn is_key(before: &str, at: usize) -> bool {
    let start = before.get(..at).unwrap_or_default().trim_end();
    if start.ends_with('{') {
        return true;
    }
    if !start.ends_with(',') {
        return false;
    }
    let (mut depth, mut quoted) = (0_i32, false);
    for byte in start.bytes().rev() {
        match byte {
            b'"' => quoted = !quoted,
            _ if quoted => {}
            b'}' | b']' => depth += 1,
            b'{' if depth == 0 => return true,
            b'[' if depth == 0 => return false,
            b'{' | b'[' => depth -= 1,
            _ => {}
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    fn at(document: Document, marked: &str) -> Option<(Spot<'static>, String)> {
        let offset = marked.find('|').unwrap();
        let text: &'static str = Box::leak(marked.replacen('|', "", 1).into_boxed_str());
        around(document, text, offset).map(|at| (at.spot, text[at.start..offset].to_owned()))
    }

    #[test]
    fn tags_that_are_not_whole_are_read_as_far_as_they_go() {
        let manifest = |marked| at(Document::Manifest, marked);
        let element = |parent| Spot::Element { parent };
        assert_eq!(manifest("<manifest>\n  <uses|"), Some((element(Some("manifest")), "uses".to_owned())));
        assert_eq!(manifest("<manifest><application/><|"), Some((element(Some("manifest")), String::new())));
        assert_eq!(manifest("<manifest><!-- <|"), None, "in a comment");
        let (spot, typed) = manifest("<manifest><activity android:name=\".A\" android:exp|\n  <b/>").unwrap();
        assert_eq!((spot, typed.as_str()), (Spot::Attribute { element: "activity" }, "android:exp"));
        let (spot, typed) = manifest("<manifest><uses-permission android:name=\"android.permission.CA|\" />").unwrap();
        assert_eq!(typed, "android.permission.CA");
        assert!(matches!(
            spot,
            Spot::Value { element: "uses-permission", attribute: "android:name", parent: Some("manifest"), .. }
        ));
        let (_, typed) = manifest("<a><service android:foregroundServiceType=\"camera|").unwrap();
        assert_eq!(typed, "camera");
    }

    #[test]
    fn a_text_in_a_property_list_knows_its_key() {
        let list = |marked| at(Document::PropertyList, marked).map(|(spot, _)| spot);
        let text = |element, key| Some(Spot::Text { element, key });
        assert_eq!(list("<plist><dict><key>NSCam|</key>"), text("key", None));
        let modes = "<plist><dict><key>UIBackgroundModes</key>\n<array><string>audio</string><string>|";
        assert_eq!(list(modes), text("string", Some("UIBackgroundModes")));
        assert_eq!(list("<plist><dict><key>A</key><true/>\n  |"), text("dict", None));
    }

    #[test]
    fn toml_and_json_know_what_they_are_below() {
        let toml = |marked| at(Document::Sheet, marked).unwrap();
        assert_eq!(toml("sheet = 1\n[[requires]]\ncapa|"), (Spot::TomlKey { table: "requires" }, "capa".to_owned()));
        assert_eq!(
            toml("[[requires]]\nandroid.permission = \"android.permission.C|\""),
            (Spot::TomlValue { table: "requires", key: "android.permission" }, "android.permission.C".to_owned())
        );
        let json = |marked| at(Document::AppleLinks, marked);
        assert_eq!(json("{ \"applinks\": { \"de|"), Some((Spot::JsonKey { path: vec!["applinks"] }, "de".to_owned())));
        assert_eq!(json("{ \"a\": [\"x\", \"y|"), None, "a value");
    }
}
