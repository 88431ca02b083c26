//! What a password opens: how its key is made, whether a store is whole, and the text behind its ciphers.
//!
//! Sources: RFC 7292, appendix B; RFC 8018, sections 5.2, 6.2 and 7.1; RFC 9579.

use aes::{Aes128, Aes192, Aes256};
use cbc::Decryptor;
use cbc::cipher::block_padding::Pkcs7;
use cbc::cipher::{BlockModeDecrypt as _, KeyIvInit as _};
use des::TdesEde3;
use hmac::{Hmac, KeyInit as _, Mac as _};
use pbkdf2::pbkdf2_hmac;
use rc2::Rc2;
use sha1::Sha1;
use sha2::digest::block_api::BlockSizeUser;
use sha2::{Digest, Sha224, Sha256, Sha384, Sha512};

use crate::CertificateError;
use crate::asn1::{Asn1, INTEGER, OBJECT, OCTETS, SEQUENCE, damaged};

/// How often a key may be stirred: far more than any tool does, and few enough to end soon.
const MAX_ROUNDS: u32 = 2_000_000;

/// What the object identifiers of the older ciphers of PKCS#12 begin with.
const PBES1: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 12, 1];
const PBKDF2: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 5, 12];
const PBES2: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 5, 13];
const PBMAC1: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 1, 5, 14];
/// What the object identifiers of HMAC with a digest begin with.
const HMAC_WITH: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 2];
const DES_EDE3_CBC: &[u8] = &[0x2A, 0x86, 0x48, 0x86, 0xF7, 0x0D, 3, 7];
/// What the object identifiers of AES begin with.
const AES: &[u8] = &[0x60, 0x86, 0x48, 1, 0x65, 3, 4, 1];
const SHA1: &[u8] = &[0x2B, 14, 3, 2, 26];
/// What the object identifiers of the newer digests begin with.
const SHA2: &[u8] = &[0x60, 0x86, 0x48, 1, 0x65, 3, 4, 2];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Digests {
    Sha1,
    Sha224,
    Sha256,
    Sha384,
    Sha512,
}

/// Runs code for the type that a digest has.
macro_rules! with_digest {
    ($digest:expr, $type:ident => $code:expr) => {
        match $digest {
            Digests::Sha1 => {
                type $type = Sha1;
                $code
            }
            Digests::Sha224 => {
                type $type = Sha224;
                $code
            }
            Digests::Sha256 => {
                type $type = Sha256;
                $code
            }
            Digests::Sha384 => {
                type $type = Sha384;
                $code
            }
            Digests::Sha512 => {
                type $type = Sha512;
                $code
            }
        }
    };
}

fn digest_of(object: &[u8]) -> Result<Digests, CertificateError> {
    match object.strip_prefix(SHA2) {
        _ if object == SHA1 => Ok(Digests::Sha1),
        Some([1]) => Ok(Digests::Sha256),
        Some([2]) => Ok(Digests::Sha384),
        Some([3]) => Ok(Digests::Sha512),
        Some([4]) => Ok(Digests::Sha224),
        _ => Err(damaged("its digest is not one that this program knows")),
    }
}

fn digest_of_hmac(object: &[u8]) -> Result<Digests, CertificateError> {
    match object.strip_prefix(HMAC_WITH) {
        Some([7]) => Ok(Digests::Sha1),
        Some([8]) => Ok(Digests::Sha224),
        Some([9]) => Ok(Digests::Sha256),
        Some([10]) => Ok(Digests::Sha384),
        Some([11]) => Ok(Digests::Sha512),
        _ => Err(damaged("its digest is not one that this program knows")),
    }
}

/// Tells whether the store was sealed with the password: `mac` is what stands behind its content.
pub(crate) fn is_authentic(mut mac: Asn1<'_>, content: &[u8], password: &str) -> Result<bool, CertificateError> {
    let mut info = mac.sequence()?;
    let mut algorithm = info.sequence()?;
    let (object, expected) = (algorithm.expect(OBJECT)?.content, info.expect(OCTETS)?.content);
    let salt = mac.expect(OCTETS)?.content;
    let rounds = if mac.is_empty() { 1 } else { mac.number(MAX_ROUNDS)? };
    if object == PBMAC1 {
        let mut parts = algorithm.sequence()?;
        let key = stirred(parts.sequence()?, password, None)?;
        let digest = digest_of_hmac(parts.sequence()?.expect(OBJECT)?.content)?;
        return Ok(with_digest!(digest, D => sealed::<D>(&key, content, expected)));
    }
    let digest = digest_of(object)?;
    Ok(spellings(password).iter().any(|password| {
        with_digest!(digest, D => {
            let key = derive::<D>(password, salt, 3, rounds, D::output_size());
            sealed::<D>(&key, content, expected)
        })
    }))
}

/// Tells whether a message carries the right code.
fn sealed<D>(key: &[u8], message: &[u8], expected: &[u8]) -> bool
where
    D: Digest + BlockSizeUser + hmac::EagerHash,
{
    let Ok(mut code) = Hmac::<D>::new_from_slice(key) else { return false };
    code.update(message);
    code.verify_slice(expected).is_ok()
}

/// A password in the two forms in which its key is made: in 16 bits with an end, and, where it is empty, as nothing at all.
fn spellings(password: &str) -> Vec<Vec<u8>> {
    let wide: Vec<u8> = password.encode_utf16().chain([0]).flat_map(u16::to_be_bytes).collect();
    if password.is_empty() { vec![wide, Vec::new()] } else { vec![wide] }
}

/// Opens what a password locks; `None` where the password does not fit.
///
/// # Errors
/// [`CertificateError::Damaged`] where the way in which it is locked is not known.
pub(crate) fn decrypt(
    mut algorithm: Asn1<'_>,
    text: &[u8],
    password: &str,
) -> Result<Option<Vec<u8>>, CertificateError> {
    let object = algorithm.expect(OBJECT)?.content;
    let mut parts = algorithm.sequence()?;
    if object == PBES2 {
        let stirring = parts.sequence()?;
        let mut cipher = parts.sequence()?;
        let cipher_object = cipher.expect(OBJECT)?.content;
        let iv = cipher.expect(OCTETS)?.content;
        let length = match cipher_object.strip_prefix(AES) {
            Some([2]) => 16,
            Some([22]) => 24,
            Some([42]) => 32,
            _ if cipher_object == DES_EDE3_CBC => 24,
            _ => return Err(damaged("its cipher is not one that this program knows")),
        };
        let key = stirred(stirring, password, Some(length))?;
        let open =
            match (cipher_object == DES_EDE3_CBC, length) {
                (true, _) => Decryptor::<TdesEde3>::new_from_slices(&key, iv)
                    .map(|cipher| cipher.decrypt_padded_vec::<Pkcs7>(text)),
                (_, 16) => Decryptor::<Aes128>::new_from_slices(&key, iv)
                    .map(|cipher| cipher.decrypt_padded_vec::<Pkcs7>(text)),
                (_, 24) => Decryptor::<Aes192>::new_from_slices(&key, iv)
                    .map(|cipher| cipher.decrypt_padded_vec::<Pkcs7>(text)),
                _ => Decryptor::<Aes256>::new_from_slices(&key, iv)
                    .map(|cipher| cipher.decrypt_padded_vec::<Pkcs7>(text)),
            };
        return open.map(Result::ok).map_err(|_| damaged("what its cipher starts from has another length"));
    }
    let salt = parts.expect(OCTETS)?.content;
    let rounds = parts.number(MAX_ROUNDS)?;
    for password in spellings(password) {
        let key = |length| derive::<Sha1>(&password, salt, 1, rounds, length);
        let iv = derive::<Sha1>(&password, salt, 2, rounds, 8);
        let open = match object.strip_prefix(PBES1) {
            Some([kind @ (3 | 4)]) => {
                let mut key = key(if *kind == 3 { 24 } else { 16 });
                // With two keys the first one is used again.
                key.extend_from_within(..24 - key.len());
                Decryptor::<TdesEde3>::new_from_slices(&key, &iv)
                    .ok()
                    .map(|cipher| cipher.decrypt_padded_vec::<Pkcs7>(text))
            }
            Some([kind @ (5 | 6)]) => {
                let cipher = match kind {
                    5 => Rc2::new_with_eff_key_len(&key(16), 128),
                    _ => Rc2::new_with_eff_key_len(&key(5), 40),
                };
                let iv = iv.as_slice().try_into().ok();
                iv.map(|iv| {
                    <Decryptor<Rc2> as cbc::cipher::InnerIvInit>::inner_iv_init(cipher, iv)
                        .decrypt_padded_vec::<Pkcs7>(text)
                })
            }
            _ => return Err(damaged("its cipher is not one that this program knows")),
        };
        if let Some(Ok(open)) = open {
            return Ok(Some(open));
        }
    }
    Ok(None)
}

/// Makes a key by PBKDF2, of the length that its parameters say or else of `length` bytes.
fn stirred(mut algorithm: Asn1<'_>, password: &str, length: Option<usize>) -> Result<Vec<u8>, CertificateError> {
    if algorithm.expect(OBJECT)?.content != PBKDF2 {
        return Err(damaged("its key is made in a way that this program does not know"));
    }
    let mut parts = algorithm.sequence()?;
    let salt = parts.expect(OCTETS)?.content;
    let rounds = parts.number(MAX_ROUNDS)?;
    let stated = if parts.next_tag() == Some(INTEGER) { Some(parts.number(64)? as usize) } else { None };
    let digest = match parts.optional(SEQUENCE)? {
        Some(value) => digest_of_hmac(value.inside().expect(OBJECT)?.content)?,
        None => Digests::Sha1,
    };
    let length = length.or(stated).ok_or_else(|| damaged("the length of its key is not stated"))?;
    let mut key = vec![0; length];
    with_digest!(digest, D => pbkdf2_hmac::<D>(password.as_bytes(), salt, rounds, &mut key));
    Ok(key)
}

/// Makes `length` bytes for a purpose (1: a key, 2: what a cipher starts from, 3: a key of a code) out of a password.
fn derive<D: Digest + BlockSizeUser>(password: &[u8], salt: &[u8], purpose: u8, rounds: u32, length: usize) -> Vec<u8> {
    let block = D::block_size();
    let filled = |part: &[u8]| -> Vec<u8> {
        part.iter()
            .copied()
            .cycle()
            .take(if part.is_empty() { 0 } else { part.len().div_ceil(block) * block })
            .collect()
    };
    let diversifier = vec![purpose; block];
    let mut input = filled(salt);
    input.extend(filled(password));
    let mut out = Vec::with_capacity(length + 64);
    while out.len() < length {
        let mut sum = D::new().chain_update(&diversifier).chain_update(&input).finalize();
        for _ in 1..rounds {
            sum = D::digest(&sum);
        }
        out.extend_from_slice(&sum);
        let added: Vec<u8> = sum.iter().copied().cycle().take(block).collect();
        for part in input.chunks_mut(block) {
            let mut carry = 1;
            for (byte, add) in part.iter_mut().zip(&added).rev() {
                carry += u16::from(*byte) + u16::from(*add);
                *byte = carry.to_le_bytes()[0];
                carry >>= 8;
            }
        }
    }
    out.truncate(length);
    out
}

#[cfg(test)]
mod tests {
    use sha1::Sha1;

    use super::{derive, spellings};

    /// The vectors that implementations of RFC 7292 share.
    #[test]
    fn keys_are_made_as_in_the_known_vectors() {
        let hex = |text: &str| -> Vec<u8> {
            (0..text.len()).step_by(2).map(|at| u8::from_str_radix(&text[at..at + 2], 16).unwrap()).collect()
        };
        let made = |password: &str, salt: &str, purpose, rounds, length| {
            derive::<Sha1>(&spellings(password)[0], &hex(salt), purpose, rounds, length)
        };
        assert_eq!(made("smeg", "0A58CF64530D823F", 1, 1, 24), hex("8AAAE6297B6CB04642AB5B077851284EB7128F1A2A7FBCA3"));
        assert_eq!(made("smeg", "0A58CF64530D823F", 2, 1, 8), hex("79993DFE048D3B76"));
        assert_eq!(
            made("queeg", "05DEC959ACFF72F7", 1, 1000, 24),
            hex("ED2034E36328830FF09DF1E1A07DD357185DAC0D4F9EB3D4")
        );
        assert_eq!(made("queeg", "263216FCC2FAB31C", 3, 1000, 20), hex("5EC4C7A80DF652294C3925B6489A7AB857C83476"));
    }
}
