//! The certificates that signed a package for Android.
//!
//! Sources: "APK Signature Scheme v2", "APK Signature Scheme v3". Whether a signature is right is not looked at.

use std::io::{Read, Seek, SeekFrom};

use crate::bytes::Bytes;

/// What stands at the end of the block of signatures.
const MAGIC: &[u8] = b"APK Sig Block 42";
/// The kinds of signatures, the newest first.
const SCHEMES: [u32; 3] = [0x1b93_ad61, 0xf053_68c0, 0x7109_871a];
/// The largest block that is read, in bytes.
const MAX_BLOCK: u64 = 16 * 1024 * 1024;

/// Returns the certificates, in DER, of the newest scheme; `directory` is where the list of the archive starts, in bytes.
pub(crate) fn certificates(from: &mut (impl Read + Seek), directory: u64) -> Option<Vec<Vec<u8>>> {
    let foot = directory.checked_sub(24)?;
    from.seek(SeekFrom::Start(foot)).ok()?;
    let mut end = [0; 24];
    from.read_exact(&mut end).ok()?;
    let end = Bytes(&end);
    if end.part(8, 16)?.0 != MAGIC {
        return None;
    }
    let size = end.u64(0).filter(|size| *size <= MAX_BLOCK && *size >= 24)?;
    from.seek(SeekFrom::Start(directory.checked_sub(size)?)).ok()?;
    let mut block = vec![0; usize::try_from(size).ok()?.checked_sub(24)?];
    from.read_exact(&mut block).ok()?;
    let pairs = pairs(Bytes(&block));
    let scheme = SCHEMES.iter().find_map(|scheme| pairs.iter().find(|(id, _)| id == scheme))?;
    Some(of_signers(scheme.1))
}

/// Goes through the parts of the block: a length, a number, and what follows.
fn pairs(block: Bytes<'_>) -> Vec<(u32, Bytes<'_>)> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(len) = block.u64(at).and_then(|len| usize::try_from(len).ok()).filter(|len| *len >= 4) {
        let Some(part) = block.part(at + 8, len) else { break };
        if let (Some(id), Some(rest)) = (part.u32(0), part.from(4)) {
            out.push((id, rest));
        }
        at += 8 + len;
    }
    out
}

/// Goes through what stands behind one another, each behind its length.
fn lengths(bytes: Bytes<'_>) -> Vec<Bytes<'_>> {
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(part) = bytes.size(at).and_then(|len| bytes.part(at + 4, len)) {
        at += 4 + part.len();
        out.push(part);
    }
    out
}

/// Signers, each with signed data, in which the second part holds the certificates.
fn of_signers(scheme: Bytes<'_>) -> Vec<Vec<u8>> {
    let signers = lengths(scheme).first().map(|signers| lengths(*signers)).unwrap_or_default();
    let signed = signers.iter().filter_map(|signer| lengths(*signer).first().copied());
    let certificates = signed.filter_map(|signed| lengths(signed).get(1).map(|all| lengths(*all)));
    // The first of each is the one that signs.
    certificates.filter_map(|all| all.first().map(|one| one.0.to_vec())).collect()
}
