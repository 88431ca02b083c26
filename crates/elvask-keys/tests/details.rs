//! What certificates and signed messages say, of files that openssl made.

use elvask_keys::{Certificate, CertificateError, Key, read, signed_content};

fn certificate(bytes: &[u8]) -> Certificate {
    read(bytes, None).unwrap().1.remove(0)
}

const PUSH: &[u8] = include_bytes!("../../elvask/tests/account/push.cer");
const MERCHANT: &[u8] = include_bytes!("../../elvask/tests/account/merchant.cer");
const STORE: &[u8] = include_bytes!("../../elvask/tests/account/store.mobileprovision");
const DEVELOPMENT: &[u8] = include_bytes!("../../elvask/tests/account/development.mobileprovision");

#[test]
fn a_certificate_says_for_whom_it_is_and_with_which_key() {
    let push = certificate(PUSH);
    assert_eq!(push.user_id.as_deref(), Some("example.marram.fieldlog"));
    assert_eq!(push.unit.as_deref(), Some("A1B2C3D4E5"));
    assert_eq!(push.common_name.as_deref(), Some("Push Services: example.marram.fieldlog"));
    assert_eq!(push.key, Key::Rsa(2048));
    assert!(push.extensions.iter().any(|one| one == "1.2.840.113635.100.6.3.2"), "{:?}", push.extensions);
    let merchant = certificate(MERCHANT);
    assert_eq!((merchant.user_id.as_deref(), merchant.key), (Some("merchant.example.marram"), Key::Elliptic(256)));
}

#[test]
fn the_content_of_a_signed_message_is_found_whether_lengths_are_stated_or_open() {
    for (bytes, name) in [(STORE, "Marram Store"), (DEVELOPMENT, "Marram Development")] {
        let content = String::from_utf8(signed_content(bytes).unwrap()).unwrap();
        assert!(content.starts_with("<?xml") && content.trim_end().ends_with("</plist>"), "{content}");
        assert!(content.contains(&format!("<string>{name}</string>")));
    }
}

#[test]
fn what_is_cut_changed_or_something_else_is_an_error_and_never_a_panic() {
    assert_eq!(signed_content(b"<plist/>"), Err(CertificateError::Unknown));
    assert!(signed_content(PUSH).is_err(), "a certificate is signed, and no message");
    for bytes in [STORE, DEVELOPMENT] {
        for end in 0..bytes.len() {
            assert!(signed_content(&bytes[..end]).is_err(), "cut at {end}");
        }
        for at in 0..bytes.len() {
            let mut changed = bytes.to_vec();
            changed[at] ^= 0x20;
            let _ = signed_content(&changed);
        }
    }
    // Nested without end, and lengths that are not there.
    assert!(signed_content(&[0x30, 0x80].repeat(10_000)).is_err());
    assert!(signed_content(&[0x30, 0x84, 0xFF, 0xFF, 0xFF, 0xFF]).is_err());
}
