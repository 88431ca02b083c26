//! Stores that the usual tools made, whole, cut short and changed.

use elvask_keys::{CertificateError, StoreKind, read};

const STORES: [(&str, &[u8], StoreKind); 5] = [
    ("certificate.der", include_bytes!("../../elvask/tests/stores/certificate.der"), StoreKind::Der),
    ("certificate.pem", include_bytes!("../../elvask/tests/stores/certificate.pem"), StoreKind::Pem),
    ("legacy.p12", include_bytes!("../../elvask/tests/stores/legacy.p12"), StoreKind::Pkcs12),
    ("release.jks", include_bytes!("../../elvask/tests/stores/release.jks"), StoreKind::Jks),
    ("release.p12", include_bytes!("../../elvask/tests/stores/release.p12"), StoreKind::Pkcs12),
];
const PASSWORD: &str = "ringing-1";

#[test]
fn every_form_gives_its_certificate_with_the_right_password() {
    for (name, bytes, kind) in STORES {
        let (found, certificates) = read(bytes, Some(PASSWORD)).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert_eq!(found, kind, "{name}");
        assert!(certificates.iter().all(|one| one.subject.contains("CN=")), "{name}: {certificates:?}");
        assert_eq!(certificates[0].sha256.len(), 32 * 3 - 1, "{name}");
        assert_eq!(certificates[0].has_key, matches!(kind, StoreKind::Pkcs12 | StoreKind::Jks), "{name}");
    }
}

#[test]
fn a_wrong_password_and_none_are_told_apart() {
    for name in ["legacy.p12", "release.p12"] {
        let bytes = STORES.iter().find(|(store, ..)| *store == name).unwrap().1;
        assert_eq!(read(bytes, Some("reeds")), Err(CertificateError::WrongPassword), "{name}");
        assert_eq!(read(bytes, None), Err(CertificateError::Locked), "{name}");
        assert_eq!(read(bytes, Some("")), Err(CertificateError::WrongPassword), "{name}");
    }
    assert_eq!(read(STORES[3].1, Some("reeds")), Err(CertificateError::WrongPassword));
    assert!(read(STORES[3].1, None).is_ok(), "the certificates of this form are not locked");
}

#[test]
fn a_store_that_ends_early_is_damaged_and_never_read_as_another() {
    for (name, bytes, kind) in STORES {
        for end in 0..bytes.len() {
            let cut = read(&bytes[..end], Some(PASSWORD));
            // The last line of the text form may lack its line break.
            let whole = kind == StoreKind::Pem && end + 1 >= bytes.len();
            assert!(cut.is_err() || whole, "{name} cut at {end}: {cut:?}");
        }
    }
}

#[test]
fn no_changed_byte_is_taken_for_another_certificate_of_the_store() {
    let (_, good) = read(STORES[4].1, Some(PASSWORD)).unwrap();
    // Each one is opened with thousands of rounds: a sample of the bytes is enough.
    for at in (0..STORES[4].1.len()).step_by(23) {
        let mut bytes = STORES[4].1.to_vec();
        bytes[at] ^= 0x01;
        if let Ok((_, found)) = read(&bytes, Some(PASSWORD)) {
            assert_eq!(found, good, "changed at {at}");
        }
    }
}
