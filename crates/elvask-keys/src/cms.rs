//! What is signed in a signed message, as provisioning profiles are.
//!
//! Source: RFC 5652, "Cryptographic Message Syntax (CMS)", sections 3 and 5.

use crate::asn1::{Asn1, CONTEXT_0, INTEGER, OBJECT, OCTETS, SET, damaged, definite};
use crate::{CertificateError, MAX_STORE};

/// Signed data.
const SIGNED: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 7, 2];

/// Returns the content of a signed message. Whether the signature is right is not looked at.
///
/// # Errors
/// [`CertificateError::Unknown`] where it is no signed message, [`CertificateError::Damaged`] where it cannot be read,
/// [`CertificateError::TooLarge`].
pub fn signed_content(bytes: &[u8]) -> Result<Vec<u8>, CertificateError> {
    if bytes.len() > MAX_STORE {
        return Err(CertificateError::TooLarge);
    }
    if !bytes.starts_with(&[0x30]) {
        return Err(CertificateError::Unknown);
    }
    // Some makers leave lengths open.
    content(bytes).or_else(|_| content(&definite(bytes)?))
}

fn content(bytes: &[u8]) -> Result<Vec<u8>, CertificateError> {
    let mut message = Asn1::new(bytes).sequence()?;
    if message.expect(OBJECT)?.content != SIGNED {
        return Err(damaged("it is no signed message"));
    }
    let mut signed = message.expect(CONTEXT_0)?.inside().sequence()?;
    signed.expect(INTEGER)?;
    signed.expect(SET)?;
    let mut inside = signed.sequence()?;
    inside.expect(OBJECT)?;
    let content = inside.expect(CONTEXT_0)?.inside().expect(OCTETS)?.content;
    Ok(content.to_vec())
}
