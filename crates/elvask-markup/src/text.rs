//! Byte spans, and turning the bytes of a file into text without losing any.

use std::ops::Deref;
use std::sync::Arc;

use serde::Serialize;

/// A text that is shared by all who hold it. A file of megabytes becomes one without being copied.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct SharedText(Arc<String>);

impl SharedText {
    /// Says whether another one is this very text, not only one of the same letters.
    #[must_use]
    pub fn is_same(&self, other: &SharedText) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl Deref for SharedText {
    type Target = str;

    fn deref(&self) -> &str {
        &self.0
    }
}

impl AsRef<str> for SharedText {
    fn as_ref(&self) -> &str {
        self
    }
}

impl std::fmt::Display for SharedText {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(self)
    }
}

impl From<String> for SharedText {
    fn from(text: String) -> Self {
        SharedText(Arc::new(text))
    }
}

impl From<&str> for SharedText {
    fn from(text: &str) -> Self {
        text.to_owned().into()
    }
}

/// A half-open range of byte offsets into a document's text, byte order mark included.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize)]
pub struct Span {
    /// Offset of the first byte, counted from 0.
    pub start: usize,
    /// Offset just past the last byte.
    pub end: usize,
}

impl Span {
    /// Makes the span from `start` up to but not including `end`, both in bytes.
    #[must_use]
    pub fn new(start: usize, end: usize) -> Self {
        Span { start, end }
    }

    /// Makes the empty span at `offset`.
    #[must_use]
    pub fn at(offset: usize) -> Self {
        Span::new(offset, offset)
    }

    /// Returns the number of bytes covered.
    #[must_use]
    pub fn len(self) -> usize {
        self.end.saturating_sub(self.start)
    }

    /// Says whether no byte is covered.
    #[must_use]
    pub fn is_empty(self) -> bool {
        self.len() == 0
    }

    /// Returns the covered part of `text`, or the empty string where the span does not fit it.
    #[must_use]
    pub fn of(self, text: &str) -> &str {
        text.get(self.start..self.end).unwrap_or("")
    }
}

/// How the text of a file stands on the disk.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Encoding {
    /// UTF-8, with or without a byte order mark.
    #[default]
    Utf8,
    /// UTF-16 with the low byte first, and a byte order mark.
    Utf16Low,
    /// UTF-16 with the high byte first, and a byte order mark.
    Utf16High,
    /// A binary property list; its text is the XML form of the same values.
    BinaryPlist,
}

/// A text and how it stood on the disk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Decoded {
    /// The text; a byte order mark stays in it as U+FEFF.
    pub text: String,
    /// How it stood.
    pub encoding: Encoding,
}

/// Why the bytes of a file are not text that can be read and written back unchanged.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TextError {
    /// The bytes stop being UTF-8 at this byte offset.
    #[error("the file is not UTF-8: byte 0x{byte:02X} at offset {offset} starts no character")]
    NotUtf8 {
        /// Offset of the first wrong byte, from 0.
        offset: usize,
        /// The wrong byte.
        byte: u8,
    },
    /// The file starts with the mark of UTF-16 and is none.
    #[error("the file starts like UTF-16, and the bytes at offset {offset} are no character of it")]
    NotUtf16 {
        /// Offset of the first wrong unit, from 0.
        offset: usize,
    },
    /// The file starts like a binary property list and is none.
    #[error("the file starts like a binary property list and cannot be read as one: {0}")]
    NotBinaryPlist(String),
    /// The file is larger than what is read.
    #[error("the file has {len} bytes; files over {max} bytes are not read")]
    TooLarge {
        /// Bytes in the file.
        len: u64,
        /// The limit, in bytes.
        max: u64,
    },
}

impl TextError {
    /// Returns the byte offset of the fault, or 0 where the whole file is at fault.
    #[must_use]
    pub fn offset(&self) -> usize {
        match self {
            TextError::NotUtf8 { offset, .. } | TextError::NotUtf16 { offset } => *offset,
            _ => 0,
        }
    }
}

/// Turns bytes into text: UTF-8, UTF-16 with a byte order mark, or a binary property list.
///
/// # Errors
/// Says where the bytes stop being what they start as.
pub fn decode(bytes: Vec<u8>) -> Result<Decoded, TextError> {
    match bytes.as_slice() {
        [0xFF, 0xFE, ..] => Ok(Decoded { text: utf16(&bytes, u16::from_le_bytes)?, encoding: Encoding::Utf16Low }),
        [0xFE, 0xFF, ..] => Ok(Decoded { text: utf16(&bytes, u16::from_be_bytes)?, encoding: Encoding::Utf16High }),
        [b'b', b'p', b'l', b'i', b's', b't', ..] => {
            let text = crate::plist::binary::to_xml(&bytes).map_err(TextError::NotBinaryPlist)?;
            Ok(Decoded { text, encoding: Encoding::BinaryPlist })
        }
        _ => {
            let text = String::from_utf8(bytes).map_err(|error| {
                let offset = error.utf8_error().valid_up_to();
                let byte = error.as_bytes().get(offset).copied().unwrap_or_default();
                TextError::NotUtf8 { offset, byte }
            })?;
            Ok(Decoded { text, encoding: Encoding::Utf8 })
        }
    }
}

/// Turns text into the bytes that stand for it on the disk.
///
/// # Errors
/// Says why the text of a binary property list is none.
pub fn encode(text: &str, encoding: Encoding) -> Result<Vec<u8>, TextError> {
    Ok(match encoding {
        Encoding::Utf8 => text.as_bytes().to_vec(),
        Encoding::Utf16Low => text.encode_utf16().flat_map(u16::to_le_bytes).collect(),
        Encoding::Utf16High => text.encode_utf16().flat_map(u16::to_be_bytes).collect(),
        Encoding::BinaryPlist => crate::plist::binary::from_xml(text).map_err(TextError::NotBinaryPlist)?,
    })
}

fn utf16(bytes: &[u8], unit: fn([u8; 2]) -> u16) -> Result<String, TextError> {
    let (pairs, rest) = bytes.as_chunks::<2>();
    let units = pairs.iter().map(|pair| unit(*pair));
    let mut text = String::with_capacity(pairs.len());
    let mut offset = 0;
    for character in char::decode_utf16(units) {
        let character = character.map_err(|_| TextError::NotUtf16 { offset })?;
        offset += character.len_utf16() * 2;
        text.push(character);
    }
    if rest.is_empty() { Ok(text) } else { Err(TextError::NotUtf16 { offset }) }
}

/// Says whether a character is one that a terminal acts on, that turns the direction of writing, or that ends a line in one place and not in
/// another: people do not see it, and it makes them see something else. Line feeds and tabs are none.
///
/// Source: "Unicode Bidirectional Algorithm" (UAX 9) and "Control codes" of the Unicode standard.
#[must_use]
pub fn is_hidden(letter: char) -> bool {
    (letter.is_control() && !matches!(letter, '\n' | '\t'))
        || matches!(letter, '\u{061C}' | '\u{200E}' | '\u{200F}' | '\u{2028}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
        || matches!(letter, '\u{FFF9}'..='\u{FFFB}')
}

/// Says whether a character can stand in an XML document at all.
///
/// Source: "Characters" in "Extensible Markup Language (XML) 1.0".
#[must_use]
pub fn fits_xml(letter: char) -> bool {
    matches!(letter, '\t' | '\n' | '\r' | '\u{20}'..='\u{D7FF}' | '\u{E000}'..='\u{FFFD}' | '\u{10000}'..='\u{10FFFF}')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_first_wrong_byte_is_named() {
        let error = decode(b"<a>caf\xE9</a>".to_vec()).unwrap_err();
        assert_eq!(error, TextError::NotUtf8 { offset: 6, byte: 0xE9 });
        assert_eq!(error.offset(), 6);
    }

    #[test]
    fn other_forms_are_recognised() {
        let low = Decoded { text: "\u{FEFF}<é\u{1F426}".to_owned(), encoding: Encoding::Utf16Low };
        assert_eq!(decode(b"\xFF\xFE<\0\xE9\0\x3D\xD8\x26\xDC".to_vec()), Ok(low));
        let high = Decoded { text: "\u{FEFF}<".to_owned(), encoding: Encoding::Utf16High };
        assert_eq!(decode(b"\xFE\xFF\0<".to_vec()), Ok(high));
        assert_eq!(decode(b"\xFF\xFE<\0\x3D".to_vec()), Err(TextError::NotUtf16 { offset: 4 }));
        assert_eq!(decode(b"\xFF\xFE\x3D\xD8<\0".to_vec()), Err(TextError::NotUtf16 { offset: 2 }));
        assert!(matches!(decode(b"bplist00".to_vec()), Err(TextError::NotBinaryPlist(_))));
        assert_eq!(decode(b"\xEF\xBB\xBF<a/>".to_vec()).unwrap().text, "\u{FEFF}<a/>");
    }

    #[test]
    fn what_is_read_and_written_is_the_same() {
        for bytes in [
            b"\xEF\xBB\xBF<a/>".as_slice(),
            b"\xFF\xFE<\0\xE9\0\x3D\xD8\x26\xDC",
            b"\xFE\xFF\0<\0\r\0\n",
            b"plain\r\n",
            b"",
        ] {
            let decoded = decode(bytes.to_vec()).unwrap();
            assert_eq!(encode(&decoded.text, decoded.encoding).unwrap(), bytes);
        }
    }
}
