//! The OpenStep property-list format, in which an Xcode project file is written: read with spans, and changed by
//! planned edits.

pub mod plan;

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

/// One object of a project file, not yet read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Object {
    /// Its id, in bytes.
    pub id: Span,
    /// All of its value, brackets included, in bytes.
    pub body: Span,
}

/// A project file with its objects found and not yet read: of ten thousand of them, a handful is ever asked for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Objects {
    /// What stands beside the objects, as a dictionary.
    pub rest: Value,
    /// The objects, in the order of the file.
    pub objects: Vec<Object>,
}

/// Finds the objects of a project file. All of the text is checked, and what is inside of objects is not kept; see [`parse_at`].
///
/// # Errors
/// The first fault with its place, as [`parse`] finds it.
pub fn parse_objects(text: &str) -> Result<Objects, OpenStepError> {
    let mut reader = Reader::new(text);
    reader.skip()?;
    let start = reader.at;
    if reader.peek() != Some(b'{') {
        let rest = parse(text)?;
        return Ok(Objects { rest, objects: Vec::new() });
    }
    reader.at += 1;
    let (mut entries, mut objects) = (Vec::new(), Vec::new());
    loop {
        reader.skip()?;
        if reader.peek() == Some(b'}') {
            reader.at += 1;
            break;
        }
        let key = reader.value(1)?;
        reader.expect(b'=', "`=` was expected after this key")?;
        reader.skip()?;
        if key.as_str() == Some("objects") && reader.peek() == Some(b'{') {
            reader.at += 1;
            loop {
                reader.skip()?;
                if reader.peek() == Some(b'}') {
                    reader.at += 1;
                    break;
                }
                let id = reader.pass(2)?;
                reader.expect(b'=', "`=` was expected after this key")?;
                reader.skip()?;
                let body = reader.pass(2)?;
                reader.expect(b';', "`;` was expected after this value")?;
                objects.push(Object { id, body });
            }
        } else {
            let value = reader.value(1)?;
            entries.push((key, value));
        }
        reader.expect(b';', "`;` was expected after this value")?;
    }
    let span = Span::new(start, reader.at);
    reader.skip()?;
    if reader.at < text.len() {
        return reader.fail("there is more after the end of the list");
    }
    Ok(Objects { rest: Value { kind: Kind::Dict(entries), span }, objects })
}

/// Reads the value that starts at a place of a text which [`parse_objects`] has checked.
#[must_use]
pub fn parse_at(text: &str, body: Span) -> Option<Value> {
    Reader { at: body.start, ..Reader::new(text) }.value(0).ok()
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
        let key = reader.value(0)?;
        if key.as_str().is_none() {
            return Err(OpenStepError { message: "a key must be text", span: key.span });
        }
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

struct Reader<'t> {
    text: &'t str,
    bytes: &'t [u8],
    at: usize,
}

impl<'t> Reader<'t> {
    fn new(text: &'t str) -> Self {
        Reader { text, bytes: text.as_bytes(), at: if text.starts_with('\u{FEFF}') { 3 } else { 0 } }
    }

    /// Steps over a value, with the same faults as reading it, and returns what it covers.
    fn pass(&mut self, depth: usize) -> Result<Span, OpenStepError> {
        if depth > MAX_DEPTH {
            return self.fail("the list is nested too deep");
        }
        self.skip()?;
        let start = self.at;
        match self.peek() {
            Some(b'{') => {
                self.at += 1;
                loop {
                    self.skip()?;
                    if self.peek() == Some(b'}') {
                        self.at += 1;
                        break;
                    }
                    if matches!(self.peek(), Some(b'{' | b'(')) {
                        return self.fail("a key must be text");
                    }
                    self.pass(depth + 1)?;
                    self.expect(b'=', "`=` was expected after this key")?;
                    self.pass(depth + 1)?;
                    self.expect(b';', "`;` was expected after this value")?;
                }
            }
            Some(b'(') => {
                self.at += 1;
                loop {
                    self.skip()?;
                    if self.peek() == Some(b')') {
                        self.at += 1;
                        break;
                    }
                    self.pass(depth + 1)?;
                    self.skip()?;
                    match self.peek() {
                        Some(b',') => self.at += 1,
                        Some(b')') => {}
                        _ => return self.fail("`,` or `)` was expected after this value"),
                    }
                }
            }
            Some(quote @ (b'"' | b'\'')) => {
                self.at += 1;
                loop {
                    match self.peek() {
                        Some(byte) if byte == quote => break self.at += 1,
                        Some(b'\\') => self.at += 2,
                        Some(_) => self.at += 1,
                        None => {
                            self.at = start;
                            return self.fail("this text has no closing quote");
                        }
                    }
                }
            }
            Some(_) => {
                self.at += self.plain_len();
                if self.at == start {
                    return self.fail("a value was expected here");
                }
            }
            None => return self.fail("the list ends too early"),
        }
        Ok(Span::new(start, self.at))
    }

    /// Returns the length of the text without quotes that starts here.
    fn plain_len(&self) -> usize {
        let plain = |byte: &u8| byte.is_ascii_alphanumeric() || b"_$+/:.-<>@".contains(byte);
        let rest = self.bytes.get(self.at..).unwrap_or_default();
        rest.iter().position(|byte| !plain(byte)).unwrap_or(rest.len())
    }

    fn fail<T>(&self, message: &'static str) -> Result<T, OpenStepError> {
        Err(OpenStepError { message, span: Span::at(self.at) })
    }

    fn peek(&self) -> Option<u8> {
        self.bytes.get(self.at).copied()
    }

    /// Steps over white space and comments.
    fn skip(&mut self) -> Result<(), OpenStepError> {
        loop {
            match (self.peek(), self.bytes.get(self.at + 1)) {
                (Some(byte), _) if byte.is_ascii_whitespace() => self.at += 1,
                (Some(b'/'), Some(b'*')) => {
                    let rest = self.bytes.get(self.at + 2..).unwrap_or_default();
                    match rest.windows(2).position(|pair| pair == b"*/") {
                        Some(end) => self.at += end + 4,
                        None => return self.fail("this comment has no end"),
                    }
                }
                (Some(b'/'), Some(b'/')) => {
                    let rest = self.bytes.get(self.at..).unwrap_or_default();
                    self.at += rest.iter().position(|byte| *byte == b'\n').unwrap_or(rest.len());
                }
                _ => return Ok(()),
            }
        }
    }

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

    fn dict(&mut self, depth: usize) -> Result<Kind, OpenStepError> {
        self.at += 1;
        let mut entries = Vec::new();
        loop {
            self.skip()?;
            if self.peek() == Some(b'}') {
                self.at += 1;
                return Ok(Kind::Dict(entries));
            }
            let key = self.value(depth + 1)?;
            if key.as_str().is_none() {
                return self.fail("a key must be text");
            }
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
        assert_eq!(
            parse_objects(&format!("{{objects={{a={}", "(".repeat(100_000))).unwrap_err().message,
            "the list is nested too deep"
        );
    }

    #[test]
    fn objects_are_found_and_checked_without_being_read() {
        let text = "// !$*UTF8*$!\n{ a = 1; objects = { A1 /* x */ = {isa = X; l = (a, \"b \\\" c\",); }; B2 = {}; }; rootObject = A1; }";
        let found = parse_objects(text).unwrap();
        assert_eq!(found.rest.get("rootObject").unwrap().as_str(), Some("A1"));
        let ids: Vec<_> = found.objects.iter().map(|object| object.id.of(text)).collect();
        assert_eq!(ids, ["A1", "B2"]);
        let whole = parse(text).unwrap();
        let objects = whole.get("objects").unwrap();
        for object in &found.objects {
            assert_eq!(parse_at(text, object.body).as_ref(), objects.get(object.id.of(text)));
        }
        for broken in [
            "{objects={a={b=1}};}",
            "{objects={a=(b c);};}",
            "{objects={a={(x)=1;};};}",
            "{objects={a=\"x;};}",
            "{objects={a={b=1;}}",
            "{} x",
            "{objects={a={b=/*;};};}",
        ] {
            assert_eq!(parse_objects(broken).unwrap_err().message, parse(broken).unwrap_err().message, "{broken}");
        }
    }
}
