//! Stores in the form PKCS#12: the certificates in them, and which of them a private key belongs to. Keys stay locked.
//!
//! Sources: RFC 7292, "PKCS #12: Personal Information Exchange Syntax"; RFC 8018, "PKCS #5: Password-Based Cryptography
//! Specification"; RFC 9579, "Use of Password-Based Message Authentication Code 1 (PBMAC1) in PKCS #12 Syntax".

use crate::asn1::{Asn1, BMP, CONTEXT_0, CONTEXT_0_OCTETS, OBJECT, OCTETS, SEQUENCE, SET, damaged};
use crate::cipher::{decrypt, is_authentic};
use crate::x509::X509;
use crate::{Certificate, CertificateError};

const DATA: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 7, 1];
const ENCRYPTED_DATA: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 7, 6];
/// What the object identifiers of all bags begin with.
const BAGS: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 12, 10, 1];
const X509_CERTIFICATE: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 9, 22, 1];
const FRIENDLY_NAME: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 9, 20];
const LOCAL_KEY_ID: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 9, 21];

/// How deep bags may lie in bags.
const MAX_DEPTH: usize = 8;

/// What belongs together has the same id.
#[derive(Default, Clone)]
struct Label {
    alias: Option<String>,
    id: Option<Vec<u8>>,
}

#[derive(Default)]
struct Found {
    keys: Vec<Label>,
    certificates: Vec<(Label, Vec<u8>)>,
}

/// Reads the certificates of a store: one for each key, and those that no other one of them is vouched for by.
///
/// # Errors
/// [`CertificateError::Unknown`] where it is not such a store, and the others of [`crate::read`].
pub(crate) fn read(bytes: &[u8], password: Option<&str>) -> Result<Vec<Certificate>, CertificateError> {
    let mut outer = Asn1::new(bytes).sequence().map_err(|_| CertificateError::Unknown)?;
    if outer.number(u32::MAX).map_err(|_| CertificateError::Unknown)? != 3 {
        return Err(CertificateError::Unknown);
    }
    let (kind, safe) = content(outer.sequence()?)?;
    if kind != DATA {
        return Err(damaged("it is sealed with a key, not with a password"));
    }
    let safe = Asn1::new(safe).expect(OCTETS)?.content;
    let authentic = match outer.optional(SEQUENCE)? {
        Some(mac) => is_authentic(mac.inside(), safe, password.unwrap_or_default())?,
        None => true,
    };
    if !authentic && password.is_some() {
        return Err(CertificateError::WrongPassword);
    }
    let mut found = Found::default();
    let mut parts = Asn1::new(safe).sequence()?;
    while !parts.is_empty() {
        let (kind, inside) = content(parts.sequence()?)?;
        match kind {
            DATA => bags(Asn1::new(inside).expect(OCTETS)?.content, &mut found, 0)?,
            ENCRYPTED_DATA => {
                // Without a password, what is not locked can be read all the same.
                let locked =
                    || if password.is_some() { CertificateError::WrongPassword } else { CertificateError::Locked };
                if !authentic {
                    return Err(locked());
                }
                let mut encrypted = Asn1::new(inside).sequence()?;
                encrypted.value()?;
                let mut encrypted = encrypted.sequence()?;
                encrypted.expect(OBJECT)?;
                let algorithm = encrypted.sequence()?;
                let Some(text) = encrypted.optional(CONTEXT_0_OCTETS)? else { continue };
                let open = decrypt(algorithm, text.content, password.unwrap_or_default())?.ok_or_else(locked)?;
                // What a wrong password makes of it is no sequence, where nothing else told.
                bags(&open, &mut found, 0).map_err(|_| locked())?;
            }
            _ => return Err(damaged("a part of it is sealed with a key, not with a password")),
        }
    }
    found.certificates()
}

/// Splits what says its kind from its content.
fn content(mut info: Asn1<'_>) -> Result<(&[u8], &[u8]), CertificateError> {
    let kind = info.expect(OBJECT)?.content;
    Ok((kind, info.expect(CONTEXT_0)?.content))
}

fn bags(bytes: &[u8], found: &mut Found, depth: usize) -> Result<(), CertificateError> {
    if depth > MAX_DEPTH {
        return Err(damaged(format!("more than {MAX_DEPTH} bags in one another")));
    }
    let mut bags = Asn1::new(bytes).sequence()?;
    while !bags.is_empty() {
        let mut bag = bags.sequence()?;
        let kind = bag.expect(OBJECT)?.content;
        let value = bag.expect(CONTEXT_0)?;
        let label = bag.optional(SET)?.map(|set| label(set.inside())).transpose()?.unwrap_or_default();
        match kind.strip_prefix(BAGS) {
            Some([1 | 2]) => found.keys.push(label),
            Some([3]) => {
                let mut certificate = value.inside().sequence()?;
                if certificate.expect(OBJECT)?.content == X509_CERTIFICATE {
                    let bytes = certificate.expect(CONTEXT_0)?.inside().expect(OCTETS)?.content;
                    found.certificates.push((label, bytes.to_vec()));
                }
            }
            Some([6]) => self::bags(value.content, found, depth + 1)?,
            // Lists of revoked certificates and other secrets.
            _ => {}
        }
    }
    Ok(())
}

fn label(mut attributes: Asn1<'_>) -> Result<Label, CertificateError> {
    let mut label = Label::default();
    while !attributes.is_empty() {
        let mut attribute = attributes.sequence()?;
        let kind = attribute.expect(OBJECT)?.content;
        let mut values = attribute.expect(SET)?.inside();
        match kind {
            FRIENDLY_NAME => label.alias = values.expect(BMP)?.text(),
            LOCAL_KEY_ID => label.id = Some(values.expect(OCTETS)?.content.to_vec()),
            _ => {}
        }
    }
    Ok(label)
}

impl Found {
    fn certificates(self) -> Result<Vec<Certificate>, CertificateError> {
        let read: Vec<(Label, X509<'_>)> = self
            .certificates
            .iter()
            .map(|(label, bytes)| Ok((label.clone(), X509::read(bytes)?)))
            .collect::<Result<_, CertificateError>>()?;
        let vouches = |at: usize| {
            let subject = read[at].1.subject;
            read.iter()
                .enumerate()
                .any(|(other, (_, one))| other != at && one.issuer == subject && one.subject != subject)
        };
        let mut shown = vec![false; read.len()];
        let mut out = Vec::new();
        for key in &self.keys {
            let by_id = key.id.as_ref().and_then(|id| read.iter().position(|(label, _)| label.id.as_ref() == Some(id)));
            // A store with one key need not say which certificate is that key's: it is the one that vouches for none.
            let alone = || (0..read.len()).find(|at| self.keys.len() == 1 && !vouches(*at));
            let Some(at) = by_id.or_else(alone) else { continue };
            shown[at] = true;
            let (label, certificate) = &read[at];
            out.push(certificate.certificate(key.alias.clone().or_else(|| label.alias.clone()), true)?);
        }
        for (at, (label, certificate)) in read.iter().enumerate() {
            if !shown[at] && !vouches(at) {
                out.push(certificate.certificate(label.alias.clone(), false)?);
            }
        }
        // The order in a store means nothing.
        out.sort_by(|one, other| (other.has_key, &one.alias).cmp(&(one.has_key, &other.alias)));
        if out.is_empty() { Err(CertificateError::None(!self.keys.is_empty())) } else { Ok(out) }
    }
}
