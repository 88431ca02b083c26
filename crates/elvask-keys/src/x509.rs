//! A certificate: whose it is and until when.
//!
//! Sources: RFC 5280, "Internet X.509 Public Key Infrastructure Certificate and Certificate Revocation List (CRL) Profile"; RFC 4514,
//! "String Representation of Distinguished Names".

use std::fmt::Write as _;

use sha1::Sha1;
use sha2::{Digest as _, Sha256};

use crate::asn1::{
    Asn1, BITS, CONTEXT_0, CONTEXT_3, GENERALIZED_TIME, INTEGER, OBJECT, SEQUENCE, SET, UTC_TIME, Value, damaged, short,
};
use crate::{Certificate, CertificateError, Key};

/// What is read of a certificate.
pub(crate) struct X509<'b> {
    pub(crate) issuer: &'b [u8],
    pub(crate) subject: &'b [u8],
    from: Value<'b>,
    until: Value<'b>,
    key: Asn1<'b>,
    /// What stands behind the key.
    rest: Asn1<'b>,
    /// The bytes that its fingerprint is of.
    pub(crate) whole: &'b [u8],
}

impl<'b> X509<'b> {
    pub(crate) fn read(der: &'b [u8]) -> Result<Self, CertificateError> {
        let mut outer = Asn1::new(der);
        let value = outer.expect(SEQUENCE)?;
        if !outer.is_empty() {
            return Err(damaged("more bytes follow the certificate"));
        }
        let mut parts = value.inside();
        let mut signed = parts.sequence()?;
        // The algorithm of the signature and the signature itself.
        parts.sequence()?;
        parts.expect(0x03)?;
        signed.optional(CONTEXT_0)?;
        signed.expect(INTEGER)?;
        signed.sequence()?;
        let issuer = signed.expect(SEQUENCE)?.whole;
        let mut validity = signed.sequence()?;
        let (from, until) = (validity.value()?, validity.value()?);
        let subject = signed.expect(SEQUENCE)?.whole;
        let key = signed.sequence()?;
        Ok(X509 { issuer, subject, from, until, key, rest: signed, whole: der })
    }

    pub(crate) fn certificate(&self, alias: Option<String>, has_key: bool) -> Result<Certificate, CertificateError> {
        Ok(Certificate {
            alias,
            has_key,
            subject: name(self.subject)?,
            common_name: part_of(self.subject, "CN")?,
            unit: part_of(self.subject, "OU")?,
            user_id: part_of(self.subject, "UID")?,
            from: day(self.from)?,
            until: day(self.until)?,
            key: key_of(self.key),
            extensions: extensions(self.rest).unwrap_or_default(),
            sha256: pairs(&Sha256::digest(self.whole)),
            sha1: pairs(&Sha1::digest(self.whole)),
        })
    }
}

/// Which key a certificate is for; one that cannot be read is told as another kind.
fn key_of(mut key: Asn1<'_>) -> Key {
    let read = |key: &mut Asn1<'_>| -> Result<Key, CertificateError> {
        let mut algorithm = key.sequence()?;
        let kind = dotted(algorithm.expect(OBJECT)?.content);
        match kind.as_str() {
            "1.2.840.113549.1.1.1" => {
                let (_, bits) = key.expect(BITS)?.content.split_first().ok_or_else(short)?;
                let modulus = Asn1::new(bits).sequence()?.expect(INTEGER)?.content;
                let digits = modulus.iter().position(|byte| *byte != 0).map_or(&[][..], |start| &modulus[start..]);
                let unset = digits.first().map_or(0, |first| first.leading_zeros());
                Ok(Key::Rsa(u32::try_from(digits.len() * 8).unwrap_or(u32::MAX) - unset))
            }
            "1.2.840.10045.2.1" => Ok(match dotted(algorithm.expect(OBJECT)?.content).as_str() {
                "1.2.840.10045.3.1.7" => Key::Elliptic(256),
                "1.3.132.0.34" => Key::Elliptic(384),
                "1.3.132.0.35" => Key::Elliptic(521),
                other => Key::Other(other.to_owned()),
            }),
            _ => Ok(Key::Other(kind)),
        }
    };
    read(&mut key).unwrap_or_else(|_| Key::Other("unknown".to_owned()))
}

/// The object identifiers of the extensions.
fn extensions(mut rest: Asn1<'_>) -> Result<Vec<String>, CertificateError> {
    while !rest.is_empty() {
        let value = rest.value()?;
        if value.tag != CONTEXT_3 {
            continue;
        }
        let mut all = value.inside().sequence()?;
        let mut out = Vec::new();
        while !all.is_empty() {
            out.push(dotted(all.sequence()?.expect(OBJECT)?.content));
        }
        return Ok(out);
    }
    Ok(Vec::new())
}

/// The first part of a name with this short name, as a text.
fn part_of(sequence: &[u8], wanted: &str) -> Result<Option<String>, CertificateError> {
    let object = PARTS.iter().find(|(_, known)| *known == wanted).map(|(object, _)| *object);
    let mut sets = Asn1::new(sequence).sequence()?;
    while !sets.is_empty() {
        let mut set = sets.expect(SET)?.inside();
        while !set.is_empty() {
            let mut part = set.sequence()?;
            let (kind, value) = (part.expect(OBJECT)?, part.value()?);
            if object == Some(kind.content) {
                return Ok(value.text());
            }
        }
    }
    Ok(None)
}

fn pairs(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02X}")).collect::<Vec<_>>().join(":")
}

/// The day of a time: 2050-01-31.
fn day(time: Value<'_>) -> Result<String, CertificateError> {
    let digits = std::str::from_utf8(time.content).ok().filter(|text| text.is_ascii());
    let (year, rest) = match (time.tag, digits) {
        // Of two digits, those from 50 on are of the last century.
        (UTC_TIME, Some(text)) if text.len() >= 6 => {
            (format!("{}{}", if &text[..2] < "50" { "20" } else { "19" }, &text[..2]), &text[2..6])
        }
        (GENERALIZED_TIME, Some(text)) if text.len() >= 8 => (text[..4].to_owned(), &text[4..8]),
        _ => return Err(damaged("its last day is not a date")),
    };
    let date = format!("{year}-{}-{}", &rest[..2], &rest[2..]);
    if date.bytes().all(|byte| byte.is_ascii_digit() || byte == b'-') {
        Ok(date)
    } else {
        Err(damaged("its last day is not a date"))
    }
}

/// What the parts of a name are called, by the bytes of their object identifiers.
const PARTS: [(&[u8], &str); 13] = [
    (&[0x55, 4, 3], "CN"),
    (&[0x55, 4, 4], "SN"),
    (&[0x55, 4, 5], "serialNumber"),
    (&[0x55, 4, 6], "C"),
    (&[0x55, 4, 7], "L"),
    (&[0x55, 4, 8], "ST"),
    (&[0x55, 4, 9], "STREET"),
    (&[0x55, 4, 10], "O"),
    (&[0x55, 4, 11], "OU"),
    (&[0x55, 4, 42], "GN"),
    (&[0x09, 0x92, 0x26, 0x89, 0x93, 0xF2, 0x2C, 0x64, 1, 1], "UID"),
    (&[0x09, 0x92, 0x26, 0x89, 0x93, 0xF2, 0x2C, 0x64, 1, 25], "DC"),
    (&[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 9, 1], "emailAddress"),
];

/// A name as RFC 4514 writes it: the last part first.
fn name(sequence: &[u8]) -> Result<String, CertificateError> {
    let mut sets = Asn1::new(sequence).sequence()?;
    let mut out = Vec::new();
    while !sets.is_empty() {
        let mut set = sets.expect(SET)?.inside();
        let mut parts = Vec::new();
        while !set.is_empty() {
            let mut part = set.sequence()?;
            let (kind, value) = (part.expect(OBJECT)?, part.value()?);
            let known = PARTS.iter().find(|(object, _)| *object == kind.content).map(|(_, known)| *known);
            parts.push(match (known, value.text()) {
                (Some(known), Some(text)) => format!("{known}={}", escaped(&text)),
                (known, _) => {
                    let mut hex = known.map_or_else(|| dotted(kind.content), str::to_owned) + "=#";
                    for byte in value.whole {
                        let _ = write!(hex, "{byte:02x}");
                    }
                    hex
                }
            });
        }
        out.push(parts.join("+"));
    }
    out.reverse();
    Ok(out.join(","))
}

fn escaped(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let last = text.chars().count().saturating_sub(1);
    for (at, letter) in text.chars().enumerate() {
        let at_edge = (letter == ' ' && (at == 0 || at == last)) || (letter == '#' && at == 0);
        if at_edge || matches!(letter, '"' | '+' | ',' | ';' | '<' | '>' | '\\') {
            out.push('\\');
        }
        out.push(letter);
    }
    out
}

/// An object identifier in numbers with points.
fn dotted(bytes: &[u8]) -> String {
    let mut numbers = Vec::new();
    let mut number = 0u64;
    for byte in bytes {
        number = (number << 7) | u64::from(byte & 0x7F);
        if byte & 0x80 == 0 {
            if numbers.is_empty() {
                let first = (number / 40).min(2);
                numbers.push(first);
                number -= first * 40;
            }
            numbers.push(number);
            number = 0;
        }
    }
    numbers.iter().map(u64::to_string).collect::<Vec<_>>().join(".")
}

#[cfg(test)]
mod tests {
    use super::{day, dotted, escaped, name};
    use crate::asn1::{GENERALIZED_TIME, UTC_TIME, Value};

    #[test]
    fn days_of_both_forms_are_read() {
        let of = |tag, text: &'static str| day(Value { tag, content: text.as_bytes(), whole: &[] });
        assert_eq!(of(UTC_TIME, "490131235959Z").unwrap(), "2049-01-31");
        assert_eq!(of(UTC_TIME, "500131235959Z").unwrap(), "1950-01-31");
        assert_eq!(of(GENERALIZED_TIME, "20540131235959Z").unwrap(), "2054-01-31");
        assert!(of(UTC_TIME, "49").is_err());
        assert!(of(UTC_TIME, "49é131").is_err());
        assert!(of(INTEGER_TAG, "490131235959Z").is_err());
    }

    const INTEGER_TAG: u8 = 2;

    #[test]
    fn names_are_written_with_the_last_part_first_and_escaped() {
        assert_eq!(escaped(" Salt, Marsh "), "\\ Salt\\, Marsh\\ ");
        assert_eq!(escaped("#1"), "\\#1");
        assert_eq!(dotted(&[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 9, 1]), "1.2.840.113549.1.9.1");
        // O=Salt Marsh, then CN=Marram and a part that has no short name.
        let mut bytes = vec![0x31, 0x13, 0x30, 0x11, 6, 3, 0x55, 4, 10, 0x0C, 10];
        bytes.extend(b"Salt Marsh");
        bytes.extend([0x31, 0x0D, 0x30, 0x0B, 6, 3, 0x55, 4, 3, 0x13, 4]);
        bytes.extend(b"Reed");
        bytes.extend([0x31, 0x0A, 0x30, 8, 6, 3, 0x55, 4, 99, 0x0C, 1, b'x']);
        let mut all = vec![0x30, u8::try_from(bytes.len()).unwrap()];
        all.extend(bytes);
        assert_eq!(name(&all).unwrap(), "2.5.4.99=#0c0178,CN=Reed,O=Salt Marsh");
    }
}
