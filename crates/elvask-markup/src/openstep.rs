//! The OpenStep property-list format, in which an Xcode project file is written: read with spans, and changed by
//! planned edits.

mod objects;
pub mod plan;

pub use objects::{Object, Objects, entries, entry, items, parse_at, parse_objects};

use memchr::{memchr, memchr_iter};

use crate::Span;

/// The deepest nesting that is read.
pub const MAX_DEPTH: usize = 100;

/// One value with its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Value {
    /// What the value is.
    pub kind: Kind,
    /// All that the value covers, quotes or brackets included, in bytes.
    pub span: Span,
}

/// The types of the format.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Kind {
    /// Text, quoted or not, escapes replaced.
    String(String),
    /// Values in round brackets.
    Array(Vec<Value>),
    /// Keys with values in curly brackets, in the order of the file.
    Dict(Vec<(Value, Value)>),
}

impl Value {
    /// Returns the text of a string.
    #[must_use]
    pub fn as_str(&self) -> Option<&str> {
        match &self.kind {
            Kind::String(text) => Some(text),
            _ => None,
        }
    }

    /// Returns the values of an array.
    #[must_use]
    pub fn as_array(&self) -> Option<&[Value]> {
        match &self.kind {
            Kind::Array(values) => Some(values),
            _ => None,
        }
    }

    /// Returns the entries of a dictionary.
    #[must_use]
    pub fn as_dict(&self) -> Option<&[(Value, Value)]> {
        match &self.kind {
            Kind::Dict(entries) => Some(entries),
            _ => None,
        }
    }

    /// Returns the value of a key of a dictionary.
    #[must_use]
    pub fn get(&self, key: &str) -> Option<&Value> {
        self.as_dict()?.iter().find(|(name, _)| name.as_str() == Some(key)).map(|(_, value)| value)
    }
}

/// Why a text is no such list.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct OpenStepError {
    /// What is wrong.
    pub message: &'static str,
    /// Where, in bytes.
    pub span: Span,
}

/// Reads a text that holds one value.
///
/// # Errors
/// The first fault with its place.
pub fn parse(text: &str) -> Result<Value, OpenStepError> {
    let mut reader = Reader::new(text);
    let value = reader.value(0)?;
    reader.skip()?;
    if reader.at < text.len() {
        return reader.fail("there is more after the end of the list");
    }
    Ok(value)
}

/// Reads a `.strings` file: the entries of a dictionary without its brackets. A key without a value matches only itself.
///
/// # Errors
/// The first fault with its place.
pub fn parse_strings(text: &str) -> Result<Vec<(Value, Value)>, OpenStepError> {
    let mut reader = Reader::new(text);
    reader.skip()?;
    // The whole may stand in brackets after all.
    if reader.peek() == Some(b'{') {
        return match parse(text)?.kind {
            Kind::Dict(entries) => Ok(entries),
            _ => Ok(Vec::new()),
        };
    }
    let mut entries = Vec::new();
    while reader.at < text.len() {
        let key = reader.key(0)?;
        reader.skip()?;
        let value = match reader.peek() {
            Some(b';') => key.clone(),
            _ => {
                reader.expect(b'=', "`=` was expected after this key")?;
                reader.value(0)?
            }
        };
        reader.expect(b';', "`;` was expected after this value")?;
        entries.push((key, value));
        reader.skip()?;
    }
    Ok(entries)
}

/// Which bytes text without quotes may hold: letters, digits and some signs.
#[expect(clippy::indexing_slicing, reason = "each byte has its place among 256")]
const PLAIN: [bool; 256] = {
    let mut plain = [false; 256];
    let mut byte = 0;
    while byte < 256 {
        plain[byte] = (byte as u8).is_ascii_alphanumeric();
        byte += 1;
    }
    let mut signs: &[u8] = b"_$+/:.-<>@";
    while let Some((sign, rest)) = signs.split_first() {
        plain[*sign as usize] = true;
        signs = rest;
    }
    plain
};

fn is_plain(byte: u8) -> bool {
    PLAIN.get(usize::from(byte)).is_some_and(|plain| *plain)
}

struct Reader<'t> {
    text: &'t str,
    bytes: &'t [u8],
    at: usize,
}

impl<'t> Reader<'t> {
    fn new(text: &'t str) -> Self {
        Reader { text, bytes: text.as_bytes(), at: if text.starts_with('\u{FEFF}') { 3 } else { 0 } }
    }

    /// Returns the length of the text without quotes that starts here.
    fn plain_len(&self) -> usize {
        let rest = self.bytes.get(self.at..).unwrap_or_default();
        // Most of a project file are ids, which are told by the eight.
        let (eights, _) = rest.as_chunks::<8>();
        let whole = 8 * eights.iter().take_while(|eight| eight.iter().all(|byte| is_plain(*byte))).count();
        let rest = rest.get(whole..).unwrap_or_default();
        whole + rest.iter().position(|byte| !is_plain(*byte)).unwrap_or(rest.len())
    }

    fn fail<T>(&self, message: &'static str) -> Result<T, OpenStepError> {
        Err(OpenStepError { message, span: Span::at(self.at) })
    }

    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    /// Steps over white space and comments.
    #[inline]
    fn skip(&mut self) -> Result<(), OpenStepError> {
        loop {
            match self.peek() {
                Some(b' ' | b'\t' | b'\n' | b'\r' | b'\x0C') => self.at += 1,
                Some(b'/') if self.skip_comment()? => {}
                _ => return Ok(()),
            }
        }
    }

    /// Steps over a comment, if one starts here.
    fn skip_comment(&mut self) -> Result<bool, OpenStepError> {
        let rest = self.bytes.get(self.at + 2..).unwrap_or_default();
        match self.bytes.get(self.at + 1) {
            Some(b'*') => {
                let is_end = |star: &usize| rest.get(star + 1) == Some(&b'/');
                match memchr_iter(b'*', rest).find(is_end) {
                    Some(end) => self.at += end + 4,
                    None => return self.fail("this comment has no end"),
                }
            }
            Some(b'/') => self.at += 2 + memchr(b'\n', rest).unwrap_or(rest.len()),
            _ => return Ok(false),
        }
        Ok(true)
    }

    #[inline]
    fn expect(&mut self, byte: u8, message: &'static str) -> Result<(), OpenStepError> {
        self.skip()?;
        if self.peek() != Some(byte) {
            return self.fail(message);
        }
        self.at += 1;
        Ok(())
    }

    fn value(&mut self, depth: usize) -> Result<Value, OpenStepError> {
        if depth > MAX_DEPTH {
            return self.fail("the list is nested too deep");
        }
        self.skip()?;
        let start = self.at;
        let kind = match self.peek() {
            Some(b'{') => self.dict(depth)?,
            Some(b'(') => self.array(depth)?,
            Some(quote @ (b'"' | b'\'')) => Kind::String(self.quoted(quote)?),
            Some(_) => {
                let len = self.plain_len();
                if len == 0 {
                    return self.fail("a value was expected here");
                }
                self.at += len;
                Kind::String(self.text.get(start..start + len).unwrap_or_default().to_owned())
            }
            None => return self.fail("the list ends too early"),
        };
        Ok(Value { kind, span: Span::new(start, self.at) })
    }

    /// Reads a key; white space before it is stepped over already.
    fn key(&mut self, depth: usize) -> Result<Value, OpenStepError> {
        self.refuse_other_keys()?;
        self.value(depth)
    }

    fn refuse_other_keys(&self) -> Result<(), OpenStepError> {
        match self.peek() {
            Some(b'{' | b'(') => self.fail("a key must be text"),
            _ => Ok(()),
        }
    }

    fn dict(&mut self, depth: usize) -> Result<Kind, OpenStepError> {
        self.at += 1;
        let mut entries = Vec::new();
        loop {
            self.skip()?;
            if self.peek() == Some(b'}') {
                self.at += 1;
                return Ok(Kind::Dict(entries));
            }
            let key = self.key(depth + 1)?;
            self.expect(b'=', "`=` was expected after this key")?;
            let value = self.value(depth + 1)?;
            self.expect(b';', "`;` was expected after this value")?;
            entries.push((key, value));
        }
    }

    fn array(&mut self, depth: usize) -> Result<Kind, OpenStepError> {
        self.at += 1;
        let mut values = Vec::new();
        loop {
            self.skip()?;
            if self.peek() == Some(b')') {
                self.at += 1;
                return Ok(Kind::Array(values));
            }
            values.push(self.value(depth + 1)?);
            self.skip()?;
            match self.peek() {
                Some(b',') => self.at += 1,
                Some(b')') => {}
                _ => return self.fail("`,` or `)` was expected after this value"),
            }
        }
    }

    fn quoted(&mut self, quote: u8) -> Result<String, OpenStepError> {
        let start = self.at;
        self.at += 1;
        let mut out = String::new();
        let mut characters = self.text.get(self.at..).unwrap_or_default().chars();
        while let Some(character) = characters.next() {
            self.at += character.len_utf8();
            if u32::from(character) == u32::from(quote) {
                return Ok(out);
            }
            if character != '\\' {
                out.push(character);
                continue;
            }
            let Some(escaped) = characters.next() else { break };
            self.at += escaped.len_utf8();
            // `\U00e9` names a UTF-16 unit; two of them may make one character.
            if matches!(escaped, 'U' | 'u')
                && let Some(unit) = hex_unit(characters.as_str())
            {
                characters.by_ref().take(4).for_each(drop);
                self.at += 4;
                let pair = characters.as_str().strip_prefix("\\U").and_then(hex_unit);
                let read = |units: &[u16]| char::decode_utf16(units.iter().copied()).next().and_then(Result::ok);
                match (read(&[unit]), pair) {
                    (Some(character), _) => out.push(character),
                    (None, Some(low)) if read(&[unit, low]).is_some() => {
                        out.extend(read(&[unit, low]));
                        characters.by_ref().take(6).for_each(drop);
                        self.at += 6;
                    }
                    (None, _) => out.push(char::REPLACEMENT_CHARACTER),
                }
                continue;
            }
            out.push(match escaped {
                'n' => '\n',
                't' => '\t',
                'r' => '\r',
                other => other,
            });
        }
        self.at = start;
        self.fail("this text has no closing quote")
    }
}

/// Reads four hexadecimal digits.
fn hex_unit(text: &str) -> Option<u16> {
    u16::from_str_radix(text.get(..4)?, 16).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_project_file_is_read() {
        let text = "// !$*UTF8*$!\n{\n\tarchiveVersion = 1; /* c */ objects = {\n\t\tA1 /* App */ = {isa = X; list = (a, \"b c\",); };\n\t};\n\trootObject = A1 /* P */;\n}\n";
        let value = parse(text).unwrap();
        let object = value.get("objects").unwrap().get("A1").unwrap();
        let list = object.get("list").unwrap().as_array().unwrap();
        assert_eq!(list[1].as_str(), Some("b c"));
        assert_eq!(list[1].span.of(text), "\"b c\"");
        assert_eq!(value.get("rootObject").unwrap().as_str(), Some("A1"));
    }

    #[test]
    fn text_without_quotes_has_letters_digits_and_some_signs() {
        let plain = |byte: u8| byte.is_ascii_alphanumeric() || b"_$+/:.-<>@".contains(&byte);
        assert!((0..=255).all(|byte| is_plain(byte) == plain(byte)));
        for length in 1..40 {
            let text = "aB3_$+/:.-<>@".repeat(4).get(..length).unwrap().to_owned();
            assert_eq!(parse(&format!("({text}, {text}é)")).unwrap_err().span.start, 2 * length + 3, "{text}");
            assert_eq!(parse(&text).unwrap().as_str(), Some(text.as_str()));
        }
    }

    #[test]
    fn faults_say_what_and_where() {
        for (text, message, at) in [
            ("{a = 1}", "`;` was expected after this value", 6),
            ("{a 1;}", "`=` was expected after this key", 3),
            ("(a b)", "`,` or `)` was expected after this value", 3),
            ("{a = \"x;}", "this text has no closing quote", 5),
            ("{", "the list ends too early", 1),
            ("{} x", "there is more after the end of the list", 3),
        ] {
            assert_eq!(parse(text).unwrap_err(), OpenStepError { message, span: Span::at(at) }, "{text}");
        }
        assert_eq!(parse(&"(".repeat(100_000)).unwrap_err().message, "the list is nested too deep");
    }
}
