//! A request for a certificate, for a key on the elliptic curve P-256 or an RSA key.
//!
//! Sources: RFC 2986, "PKCS #10: Certification Request Syntax Specification"; RFC 5480, "Elliptic Curve Cryptography Subject Public Key
//! Information"; RFC 8017, "PKCS #1: RSA Cryptography Specifications"; RFC 4055, "Additional Algorithms and Identifiers for RSA Cryptography";
//! RFC 7468, "Textual Encodings of PKIX, PKCS, and CMS Structures".

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;

use crate::asn1::{BITS, CONTEXT_0, INTEGER, NULL, OBJECT, SEQUENCE, SET, UTF8, put};

const COMMON_NAME: &[u8] = &[0x55, 4, 3];
const ELLIPTIC_KEY: &[u8] = &[0x2A, 0x86, 0x48, 0xCE, 0x3D, 2, 1];
const P_256: &[u8] = &[0x2A, 0x86, 0x48, 0xCE, 0x3D, 3, 1, 7];
const RSA_KEY: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 1, 1];
const RSA_WITH_SHA256: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 1, 11];
const ECDSA_WITH_SHA256: &[u8] = &[0x2A, 0x86, 0x48, 0xCE, 0x3D, 4, 3, 2];

fn wrapped(tag: u8, content: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(content.len() + 4);
    put(tag, content, &mut out);
    out
}

fn bits(content: &[u8]) -> Vec<u8> {
    // None of the last byte's bits is left over.
    wrapped(BITS, &[&[0], content].concat())
}

/// A public key.
#[derive(Debug, Clone, Copy)]
pub enum PublicKey<'k> {
    /// A point of the elliptic curve P-256, uncompressed, in 65 bytes. Its signatures are a sequence of two numbers, by ECDSA over SHA-256.
    P256(&'k [u8]),
    /// An RSA key: its two numbers as PKCS#1 writes them. Its signatures are those of PKCS#1 version 1.5 over SHA-256.
    Rsa(&'k [u8]),
}

impl PublicKey<'_> {
    /// Returns the key, with what kind of key it is.
    fn info(self) -> Vec<u8> {
        let (kind, key) = match self {
            PublicKey::P256(point) => ([wrapped(OBJECT, ELLIPTIC_KEY), wrapped(OBJECT, P_256)].concat(), point),
            PublicKey::Rsa(key) => ([wrapped(OBJECT, RSA_KEY), wrapped(NULL, &[])].concat(), key),
        };
        wrapped(SEQUENCE, &[wrapped(SEQUENCE, &kind), bits(key)].concat())
    }

    /// Returns how it signs.
    fn signs_by(self) -> Vec<u8> {
        match self {
            PublicKey::P256(_) => wrapped(SEQUENCE, &wrapped(OBJECT, ECDSA_WITH_SHA256)),
            PublicKey::Rsa(_) => wrapped(SEQUENCE, &[wrapped(OBJECT, RSA_WITH_SHA256), wrapped(NULL, &[])].concat()),
        }
    }
}

/// Returns a request for a certificate for a name, in the binary form.
///
/// `sign` signs bytes with the private key, as [`PublicKey`] says, or returns `None` where it fails, and then there is no request.
pub fn certificate_request(
    name: &str,
    key: PublicKey<'_>,
    sign: impl FnOnce(&[u8]) -> Option<Vec<u8>>,
) -> Option<Vec<u8>> {
    let part = wrapped(SEQUENCE, &[wrapped(OBJECT, COMMON_NAME), wrapped(UTF8, name.as_bytes())].concat());
    let subject = wrapped(SEQUENCE, &wrapped(SET, &part));
    let asked = wrapped(SEQUENCE, &[wrapped(INTEGER, &[0]), subject, key.info(), wrapped(CONTEXT_0, &[])].concat());
    let signature = sign(&asked)?;
    Some(wrapped(SEQUENCE, &[asked, key.signs_by(), bits(&signature)].concat()))
}

/// Returns bytes as text between BEGIN and END lines with this label.
#[must_use]
pub fn to_pem(label: &str, bytes: &[u8]) -> String {
    let letters = STANDARD.encode(bytes);
    let mut out = format!("-----BEGIN {label}-----\n");
    for line in letters.as_bytes().chunks(64) {
        out.push_str(std::str::from_utf8(line).unwrap_or_default());
        out.push('\n');
    }
    out.push_str(&format!("-----END {label}-----\n"));
    out
}

#[cfg(test)]
mod tests {
    use super::{PublicKey, certificate_request, to_pem};

    #[test]
    fn what_is_signed_is_what_is_asked_for() {
        let mut signed = Vec::new();
        let request = certificate_request("merchant.example.marram", PublicKey::P256(&[4; 65]), |asked| {
            signed = asked.to_vec();
            Some(vec![0x30, 6, 2, 1, 1, 2, 1, 1])
        });
        let request = request.unwrap();
        assert!(request.windows(signed.len()).any(|part| part == signed));
        assert!(signed.windows(23).any(|part| part == b"merchant.example.marram"));
        assert_eq!(certificate_request("x", PublicKey::Rsa(&[4; 65]), |_| None), None);
    }

    #[test]
    fn lines_of_text_have_64_letters() {
        let text = to_pem("CERTIFICATE REQUEST", &[7; 100]);
        let lines: Vec<_> = text.lines().collect();
        assert_eq!(lines[0], "-----BEGIN CERTIFICATE REQUEST-----");
        assert_eq!((lines[1].len(), lines.last().copied()), (64, Some("-----END CERTIFICATE REQUEST-----")));
    }
}
