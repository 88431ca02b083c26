//! Planned edits of an OpenStep property list in the style of the list: its indentation, its line ends, its order of keys.

use super::{Kind, Value};
use crate::Span;
use crate::edit::Edit;

/// Writes text so that it reads back as itself, with quotes where the format, or the program that owns it, wants them.
#[must_use]
pub fn quote(text: &str) -> String {
    let plain = |character: char| character.is_ascii_alphanumeric() || "_$/:.".contains(character);
    // Two slashes would start a comment, and three underscores stand for what a template fills in.
    if !text.is_empty() && text.chars().all(plain) && !text.contains("//") && !text.contains("___") {
        return text.to_owned();
    }
    let mut out = String::from("\"");
    for character in text.chars() {
        match character {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\t' => out.push_str("\\t"),
            '\r' => out.push_str("\\r"),
            other => out.push(other),
        }
    }
    out.push('"');
    out
}

/// Returns the line end that the text uses.
fn newline(text: &str) -> &'static str {
    if text.find('\n').is_some_and(|at| text.get(..at).is_some_and(|before| before.ends_with('\r'))) {
        "\r\n"
    } else {
        "\n"
    }
}

/// Returns the white space before a place, back to the start of its line; `None` where something else stands before it.
fn indent_at(text: &str, at: usize) -> Option<&str> {
    let before = text.get(..at)?;
    let line = before.rfind('\n').map_or(0, |end| end + 1);
    let space = before.get(line..)?;
    space.trim().is_empty().then_some(space)
}

/// Returns the offset behind the mark that ends an entry or a value: a `;` or a `,`, comments before it stepped over.
fn past_mark(text: &str, from: usize, mark: u8) -> Option<usize> {
    let mut at = from;
    loop {
        let rest = text.get(at..)?;
        if rest.starts_with("/*") {
            at += rest.find("*/")? + 2;
        } else if rest.starts_with("//") {
            at += rest.find('\n')?;
        } else if rest.as_bytes().first() == Some(&mark) {
            return Some(at + 1);
        } else if rest.starts_with(|character: char| character.is_ascii_whitespace()) {
            at += 1;
        } else {
            return None;
        }
    }
}

/// Plans a new entry of a dictionary. `value` is written as it is; see [`quote`]. The entry goes before the first key that is
/// greater, so that sorted keys stay sorted, with `isa` and keys in front of a smaller one left in peace.
///
/// Returns `None` where the value is not a dictionary.
#[must_use]
pub fn insert_entry(text: &str, dict: &Value, key: &str, value: &str) -> Option<Edit> {
    let entries = dict.as_dict()?;
    let written = format!("{} = {value};", quote(key));
    let sorted = entries.windows(2).all(|pair| match pair {
        [(one, _), (other, _)] => one.as_str() == Some("isa") || one.as_str() <= other.as_str(),
        _ => true,
    });
    let next = entries.iter().position(|(name, _)| name.as_str() != Some("isa") && name.as_str() > Some(key));
    match next.filter(|_| sorted).and_then(|at| entries.get(at)) {
        Some((next, _)) => Some(match indent_at(text, next.span.start) {
            Some(indent) => Edit::insert(next.span.start, format!("{written}{}{indent}", newline(text))),
            None => Edit::insert(next.span.start, format!("{written} ")),
        }),
        None => match entries.last() {
            Some((last, value)) => {
                let at = past_mark(text, value.span.end, b';')?;
                Some(match indent_at(text, last.span.start) {
                    Some(indent) => Edit::insert(at, format!("{}{indent}{written}", newline(text))),
                    None => Edit::insert(at, format!(" {written}")),
                })
            }
            None => {
                let inside = Span::new(dict.span.start + 1, dict.span.end.saturating_sub(1));
                let line = text.get(..dict.span.start)?.rfind('\n').map_or(0, |end| end + 1);
                let indent: String =
                    text.get(line..)?.chars().take_while(|space| matches!(space, ' ' | '\t')).collect();
                let newline = newline(text);
                Some(Edit::replace(inside, format!("{newline}{indent}\t{written}{newline}{indent}")))
            }
        },
    }
}

/// Plans another value in the place of one. `value` is written as it is.
#[must_use]
pub fn replace(old: &Value, value: &str) -> Edit {
    Edit::replace(old.span, value)
}

/// Plans a value at the end of an array. `value` is written as it is, with a comment of its own if need be.
///
/// Returns `None` where the value is not an array.
#[must_use]
pub fn append(text: &str, array: &Value, value: &str) -> Option<Edit> {
    let Kind::Array(values) = &array.kind else { return None };
    match values.last() {
        Some(last) => {
            let marked = past_mark(text, last.span.end, b',');
            let indent = indent_at(text, last.span.start);
            let start = marked.unwrap_or(last.span.end);
            let comma = if marked.is_some() { "" } else { "," };
            Some(match indent {
                Some(indent) => Edit::insert(start, format!("{comma}{}{indent}{value},", newline(text))),
                None => Edit::insert(start, format!("{comma} {value},")),
            })
        }
        None => {
            let line = text.get(..array.span.start)?.rfind('\n').map_or(0, |end| end + 1);
            let indent: String = text.get(line..)?.chars().take_while(|space| matches!(space, ' ' | '\t')).collect();
            let newline = newline(text);
            let inside = Span::new(array.span.start + 1, array.span.end.saturating_sub(1));
            Some(Edit::replace(inside, format!("{newline}{indent}\t{value},{newline}{indent}")))
        }
    }
}

/// Plans to take an entry out of a dictionary, with its line where it has one to itself.
///
/// Returns `None` where the dictionary has no such key.
#[must_use]
pub fn remove_entry(text: &str, dict: &Value, key: &str) -> Option<Edit> {
    let (name, value) = dict.as_dict()?.iter().find(|(name, _)| name.as_str() == Some(key))?;
    let end = past_mark(text, value.span.end, b';')?;
    let start = match indent_at(text, name.span.start) {
        Some(indent) => name.span.start - indent.len(),
        None => return Some(Edit::replace(Span::new(name.span.start, end), "")),
    };
    let rest = text.get(end..)?;
    let line_end = if rest.starts_with("\r\n") { 2 } else { usize::from(rest.starts_with('\n')) };
    Some(Edit::replace(Span::new(start, end + line_end), ""))
}

#[cfg(test)]
mod tests {
    use super::super::parse;
    use super::*;

    fn apply(text: &str, edit: Edit) -> String {
        let mut out = text.to_owned();
        out.replace_range(edit.start..edit.end, &edit.insert);
        out
    }

    const TEXT: &str = "{\n\tbuildSettings = {\n\t\tALPHA = 1;\n\t\tGAMMA = \"a b\" /* why; */;\n\t};\n\tempty = {\n\t};\n\tlist = (\n\t\tone /* 1 */,\n\t);\n\tline = {isa = X; path = a; };\n}\n";

    fn inserted(name: &str, key: &str) -> String {
        let tree = parse(TEXT).unwrap();
        apply(TEXT, insert_entry(TEXT, tree.get(name).unwrap(), key, "new").unwrap())
    }

    #[test]
    fn keys_stay_in_order() {
        assert!(inserted("buildSettings", "BETA").contains("\t\tALPHA = 1;\n\t\tBETA = new;\n\t\tGAMMA"));
        assert!(inserted("buildSettings", "OMEGA").contains("/* why; */;\n\t\tOMEGA = new;\n\t};"));
        assert!(inserted("buildSettings", "AAA").contains("{\n\t\tAAA = new;\n\t\tALPHA"));
        assert!(inserted("empty", "KEY").contains("empty = {\n\t\tKEY = new;\n\t};"));
        assert!(inserted("line", "name").contains("{isa = X; name = new; path = a; }"));
        assert!(inserted("line", "zeta").contains("{isa = X; path = a; zeta = new; }"));
    }

    #[test]
    fn arrays_grow_at_their_end() {
        let tree = parse(TEXT).unwrap();
        let edit = append(TEXT, tree.get("list").unwrap(), "two /* 2 */").unwrap();
        assert!(apply(TEXT, edit).contains("\t\tone /* 1 */,\n\t\ttwo /* 2 */,\n\t);"));
        let bare = "{ a = (); b = (x, y); }";
        let tree = parse(bare).unwrap();
        assert_eq!(apply(bare, append(bare, tree.get("b").unwrap(), "z").unwrap()), "{ a = (); b = (x, y, z,); }");
        assert!(parse(&apply(bare, append(bare, tree.get("a").unwrap(), "z").unwrap())).is_ok());
    }

    #[test]
    fn an_entry_goes_with_its_line() {
        let tree = parse(TEXT).unwrap();
        let settings = tree.get("buildSettings").unwrap();
        let out = apply(TEXT, remove_entry(TEXT, settings, "GAMMA").unwrap());
        assert!(out.contains("\t\tALPHA = 1;\n\t};"), "{out}");
        assert!(remove_entry(TEXT, settings, "DELTA").is_none());
    }

    #[test]
    fn what_is_inserted_and_taken_out_again_leaves_no_trace() {
        for text in [TEXT.to_owned(), TEXT.replace('\n', "\r\n"), TEXT.replace('\t', "  ")] {
            for (name, key) in [("buildSettings", "BETA"), ("buildSettings", "ZETA"), ("buildSettings", "A")] {
                let tree = parse(&text).unwrap();
                let grown = apply(&text, insert_entry(&text, tree.get(name).unwrap(), key, "\"x y\"").unwrap());
                let tree = parse(&grown).unwrap();
                assert_eq!(tree.get(name).unwrap().get(key).unwrap().as_str(), Some("x y"));
                let back = apply(&grown, remove_entry(&grown, tree.get(name).unwrap(), key).unwrap());
                assert_eq!(back, text);
            }
        }
    }

    #[test]
    fn quotes_stand_where_they_are_wanted() {
        for (text, written) in [
            ("YES", "YES"),
            ("Marram/Info.plist", "Marram/Info.plist"),
            ("a b", "\"a b\""),
            ("", "\"\""),
            ("app-1", "\"app-1\""),
            ("$(inherited)", "\"$(inherited)\""),
            ("say \"x\"\n", "\"say \\\"x\\\"\\n\""),
            ("https://a.example", "\"https://a.example\""),
        ] {
            assert_eq!(quote(text), written);
            assert_eq!(parse(&quote(text)).unwrap().as_str(), Some(text));
        }
    }
}
