//! A project file whose objects are found, and read only where somebody asks for them.

use super::{Kind, MAX_DEPTH, OpenStepError, Reader, Value, parse};
use crate::Span;

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
        let key = reader.key(1)?;
        reader.expect(b'=', "`=` was expected after this key")?;
        reader.skip()?;
        if key.as_str() == Some("objects") && reader.peek() == Some(b'{') {
            reader.at += 1;
            while let Some((id, body)) = reader.pass_entry(1)? {
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

/// Goes through the entries of a dictionary of a text that [`parse_objects`] has checked. Takes what the dictionary covers, in bytes,
/// and returns the same of each key and value; nothing where there is no dictionary.
pub fn entries(text: &str, dict: Span) -> impl Iterator<Item = (Span, Span)> {
    let mut reader = Reader { at: dict.start, ..Reader::new(text) };
    let is_dict = reader.peek() == Some(b'{');
    reader.at += 1;
    std::iter::from_fn(move || if is_dict { reader.pass_entry(0).ok()? } else { None })
}

/// Finds the value of a key in a dictionary of a text that [`parse_objects`] has checked; what is beside it is stepped over. Takes
/// what the dictionary covers, in bytes, and returns the same of the value. `None` too where there is no dictionary.
#[must_use]
pub fn entry(text: &str, dict: Span, key: &str) -> Option<Span> {
    let is_meant = |name: Span| match name.of(text) {
        // In quotes and with escapes a key is written in other ways too.
        written if written.starts_with(['"', '\'']) => {
            parse_at(text, name).as_ref().and_then(Value::as_str) == Some(key)
        }
        written => written == key,
    };
    entries(text, dict).find(|(name, _)| is_meant(*name)).map(|(_, value)| value)
}

/// Goes through the values of an array of a text that [`parse_objects`] has checked. Takes what the array covers, in bytes, and
/// returns the same of each value; nothing where there is no array.
pub fn items(text: &str, array: Span) -> impl Iterator<Item = Span> {
    let mut reader = Reader { at: array.start, ..Reader::new(text) };
    let is_array = reader.peek() == Some(b'(');
    reader.at += 1;
    std::iter::from_fn(move || if is_array { reader.pass_item(0).ok()? } else { None })
}

impl Reader<'_> {
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
                while self.pass_entry(depth)?.is_some() {}
            }
            Some(b'(') => {
                self.at += 1;
                while self.pass_item(depth)?.is_some() {}
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

    /// Steps over an entry of a dictionary, and returns what its key and its value cover; `None` behind the closing bracket.
    fn pass_entry(&mut self, depth: usize) -> Result<Option<(Span, Span)>, OpenStepError> {
        self.skip()?;
        if self.peek() == Some(b'}') {
            self.at += 1;
            return Ok(None);
        }
        self.refuse_other_keys()?;
        let key = self.pass(depth + 1)?;
        self.expect(b'=', "`=` was expected after this key")?;
        let value = self.pass(depth + 1)?;
        self.expect(b';', "`;` was expected after this value")?;
        Ok(Some((key, value)))
    }

    /// Steps over a value of an array and its comma, and returns what it covers; `None` behind the closing bracket.
    fn pass_item(&mut self, depth: usize) -> Result<Option<Span>, OpenStepError> {
        self.skip()?;
        if self.peek() == Some(b')') {
            self.at += 1;
            return Ok(None);
        }
        let value = self.pass(depth + 1)?;
        self.skip()?;
        match self.peek() {
            Some(b',') => self.at += 1,
            Some(b')') => {}
            _ => return self.fail("`,` or `)` was expected after this value"),
        }
        Ok(Some(value))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

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

    #[test]
    fn nesting_has_an_end() {
        let deep = format!("{{objects={{a={}", "(".repeat(100_000));
        assert_eq!(parse_objects(&deep).unwrap_err().message, "the list is nested too deep");
    }

    #[test]
    fn entries_and_items_are_found_as_reading_finds_them() {
        let text = "{objects={A={ /* a } */ isa = X; \"na\\me\" = 1; list = (a, {b = 2;}, \"c, )\" /* d */,); last = (); name = 3;};};}";
        let body = parse_objects(text).unwrap().objects[0].body;
        let whole = parse_at(text, body).unwrap();
        for key in ["isa", "name", "list", "last", "b", "objects"] {
            assert_eq!(
                entry(text, body, key).map(|span| parse_at(text, span).unwrap()).as_ref(),
                whole.get(key),
                "{key}"
            );
        }
        let list = entry(text, body, "list").unwrap();
        let read: Vec<_> = items(text, list).map(|span| parse_at(text, span).unwrap()).collect();
        assert_eq!(read, whole.get("list").unwrap().as_array().unwrap());
        assert_eq!(items(text, entry(text, body, "last").unwrap()).count(), 0);
        assert_eq!(items(text, body).count(), 0, "a dictionary has no items");
        assert_eq!(entry(text, list, "b"), None, "an array has no keys");
    }
}
