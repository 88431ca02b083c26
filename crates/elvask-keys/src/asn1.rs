//! The tags and lengths that certificates and PKCS#12 stores are made of: only what reading them takes, in the distinguished form that
//! their makers write.
//!
//! Source: X.690, "Specification of Basic Encoding Rules, Canonical Encoding Rules and Distinguished Encoding Rules".

use crate::CertificateError;

pub(crate) const INTEGER: u8 = 0x02;
pub(crate) const BITS: u8 = 0x03;
pub(crate) const OCTETS: u8 = 0x04;
pub(crate) const NULL: u8 = 0x05;
pub(crate) const OBJECT: u8 = 0x06;
pub(crate) const UTF8: u8 = 0x0C;
pub(crate) const PRINTABLE: u8 = 0x13;
pub(crate) const TELETEX: u8 = 0x14;
pub(crate) const IA5: u8 = 0x16;
pub(crate) const UTC_TIME: u8 = 0x17;
pub(crate) const GENERALIZED_TIME: u8 = 0x18;
pub(crate) const BMP: u8 = 0x1E;
pub(crate) const SEQUENCE: u8 = 0x30;
pub(crate) const SET: u8 = 0x31;
/// The tag `[0]` around another value.
pub(crate) const CONTEXT_0: u8 = 0xA0;
/// The tag `[3]` around another value.
pub(crate) const CONTEXT_3: u8 = 0xA3;
/// The tag `[0]` in place of that of a string of bytes.
pub(crate) const CONTEXT_0_OCTETS: u8 = 0x80;

/// What is still to be read of a value's content.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Asn1<'b> {
    rest: &'b [u8],
}

/// One value.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Value<'b> {
    pub(crate) tag: u8,
    pub(crate) content: &'b [u8],
    /// Tag, length and content as they are written.
    pub(crate) whole: &'b [u8],
}

impl<'b> Asn1<'b> {
    pub(crate) fn new(bytes: &'b [u8]) -> Self {
        Asn1 { rest: bytes }
    }

    pub(crate) fn is_empty(self) -> bool {
        self.rest.is_empty()
    }

    /// The tag of the next value, without going past it.
    pub(crate) fn next_tag(self) -> Option<u8> {
        self.rest.first().copied()
    }

    /// Takes the next value.
    pub(crate) fn value(&mut self) -> Result<Value<'b>, CertificateError> {
        let all = self.rest;
        let (&tag, rest) = all.split_first().ok_or_else(short)?;
        if tag & 0x1F == 0x1F {
            return Err(damaged("a tag in several bytes, which no certificate has"));
        }
        let (&first, rest) = rest.split_first().ok_or_else(short)?;
        let (length, rest) = match first {
            0..0x80 => (usize::from(first), rest),
            0x80 => {
                return Err(damaged("a value without a stated length, which the distinguished form does not allow"));
            }
            _ => {
                let (digits, rest) = rest.split_at_checked(usize::from(first & 0x7F)).ok_or_else(short)?;
                if digits.len() > 4 {
                    return Err(short());
                }
                (digits.iter().fold(0, |length, byte| (length << 8) | usize::from(*byte)), rest)
            }
        };
        let (content, rest) = rest.split_at_checked(length).ok_or_else(short)?;
        self.rest = rest;
        Ok(Value { tag, content, whole: &all[..all.len() - rest.len()] })
    }

    /// Takes the next value, which must have this tag.
    pub(crate) fn expect(&mut self, tag: u8) -> Result<Value<'b>, CertificateError> {
        let value = self.value()?;
        if value.tag == tag { Ok(value) } else { Err(damaged(format!("{:#04x} where {tag:#04x} belongs", value.tag))) }
    }

    /// Takes the next value if it has this tag.
    pub(crate) fn optional(&mut self, tag: u8) -> Result<Option<Value<'b>>, CertificateError> {
        if self.next_tag() == Some(tag) { self.value().map(Some) } else { Ok(None) }
    }

    /// Takes the next value, which must be a sequence, and goes into it.
    pub(crate) fn sequence(&mut self) -> Result<Asn1<'b>, CertificateError> {
        self.expect(SEQUENCE).map(Value::inside)
    }

    /// Takes the next value, which must be a positive number that is no larger than `most`.
    pub(crate) fn number(&mut self, most: u32) -> Result<u32, CertificateError> {
        let digits = self.expect(INTEGER)?.content;
        let digits = digits.strip_prefix(&[0]).unwrap_or(digits);
        let number = digits.iter().try_fold(0u32, |number, byte| Some(number.checked_mul(256)? + u32::from(*byte)));
        number.filter(|number| *number <= most).ok_or_else(|| damaged(format!("a number above {most}")))
    }
}

impl<'b> Value<'b> {
    /// The values inside of it.
    pub(crate) fn inside(self) -> Asn1<'b> {
        Asn1::new(self.content)
    }

    /// The text of it, where it is one.
    pub(crate) fn text(self) -> Option<String> {
        match self.tag {
            UTF8 | PRINTABLE | IA5 => std::str::from_utf8(self.content).ok().map(str::to_owned),
            TELETEX => Some(self.content.iter().map(|byte| char::from(*byte)).collect()),
            BMP if self.content.len().is_multiple_of(2) => {
                let units = self.content.chunks_exact(2).map(|pair| u16::from_be_bytes([pair[0], pair[1]]));
                String::from_utf16(&units.collect::<Vec<_>>()).ok()
            }
            _ => None,
        }
    }
}

/// The deepest nesting that is read.
const MAX_DEPTH: usize = 32;

/// Returns a value of the basic form in the distinguished one as far as lengths go: those left open are stated, and strings of
/// bytes in pieces are put together.
///
/// # Errors
/// [`CertificateError::Damaged`] where it ends too early or is nested too deep.
pub(crate) fn definite(bytes: &[u8]) -> Result<Vec<u8>, CertificateError> {
    let mut out = Vec::with_capacity(bytes.len());
    one_definite(bytes, 0, &mut out)?;
    Ok(out)
}

/// Rewrites one value, and returns what follows it.
fn one_definite<'b>(bytes: &'b [u8], depth: usize, out: &mut Vec<u8>) -> Result<&'b [u8], CertificateError> {
    if depth > MAX_DEPTH {
        return Err(damaged("it is nested too deep"));
    }
    let (&tag, rest) = bytes.split_first().ok_or_else(short)?;
    let constructed = tag & 0x20 != 0;
    let mut inside = Vec::new();
    let rest = if rest.first() == Some(&0x80) && constructed {
        let mut rest = &rest[1..];
        while !rest.starts_with(&[0, 0]) {
            rest = one_definite(rest, depth + 1, &mut inside)?;
        }
        &rest[2..]
    } else {
        let mut reader = Asn1::new(bytes);
        let value = reader.value()?;
        if constructed {
            let mut content = value.content;
            while !content.is_empty() {
                content = one_definite(content, depth + 1, &mut inside)?;
            }
        } else {
            inside.extend_from_slice(value.content);
        }
        reader.rest
    };
    if tag != OCTETS | 0x20 {
        put(tag, &inside, out);
        return Ok(rest);
    }
    let mut pieces = Asn1::new(&inside);
    let mut whole = Vec::with_capacity(inside.len());
    while !pieces.is_empty() {
        whole.extend_from_slice(pieces.expect(OCTETS)?.content);
    }
    put(OCTETS, &whole, out);
    Ok(rest)
}

/// Writes a value: tag, length and content.
pub(crate) fn put(tag: u8, content: &[u8], out: &mut Vec<u8>) {
    out.push(tag);
    let length = content.len().to_be_bytes();
    let digits = &length[length.iter().position(|byte| *byte != 0).unwrap_or(length.len() - 1)..];
    match digits {
        [short] if *short < 0x80 => out.push(*short),
        // There are at most eight.
        digits => {
            out.push(0x80 | digits.len() as u8);
            out.extend_from_slice(digits);
        }
    }
    out.extend_from_slice(content);
}

pub(crate) fn damaged(error: impl std::fmt::Display) -> CertificateError {
    CertificateError::Damaged(error.to_string())
}

pub(crate) fn short() -> CertificateError {
    damaged("it ends too early")
}
