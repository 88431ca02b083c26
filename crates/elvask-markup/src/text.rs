//! Byte spans, and turning the bytes of a file into text without losing any.

use serde::Serialize;

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
    /// The file starts with the mark of UTF-16.
    #[error("the file is UTF-16, which is not read yet; save it as UTF-8")]
    Utf16,
    /// The file is a property list in the binary form.
    #[error(
        "the file is a binary property list, which is not read yet; `plutil -convert xml1` turns it into the XML form"
    )]
    BinaryPlist,
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
            TextError::NotUtf8 { offset, .. } => *offset,
            _ => 0,
        }
    }
}

/// Turns bytes into text; a byte order mark stays in it as U+FEFF.
///
/// # Errors
/// Says where the bytes stop being UTF-8, or that the file is in a form that is not text.
pub fn decode(bytes: Vec<u8>) -> Result<String, TextError> {
    if bytes.starts_with(b"\xFF\xFE") || bytes.starts_with(b"\xFE\xFF") {
        return Err(TextError::Utf16);
    }
    if bytes.starts_with(b"bplist") {
        return Err(TextError::BinaryPlist);
    }
    String::from_utf8(bytes).map_err(|error| {
        let offset = error.utf8_error().valid_up_to();
        let byte = error.as_bytes().get(offset).copied().unwrap_or_default();
        TextError::NotUtf8 { offset, byte }
    })
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
        assert_eq!(decode(b"\xFF\xFE<\0".to_vec()), Err(TextError::Utf16));
        assert_eq!(decode(b"bplist00".to_vec()), Err(TextError::BinaryPlist));
        assert_eq!(decode(b"\xEF\xBB\xBF<a/>".to_vec()).unwrap(), "\u{FEFF}<a/>");
    }
}
