//! Certificates as text between BEGIN and END lines.
//!
//! Source: RFC 7468, "Textual Encodings of PKIX, PKCS, and CMS Structures".

use base64::Engine as _;
use base64::alphabet::STANDARD;
use base64::engine::{DecodePaddingMode, GeneralPurpose, GeneralPurposeConfig};

use crate::asn1::damaged;
use crate::{Certificate, CertificateError, of_der};

const BEGIN: &str = "-----BEGIN CERTIFICATE-----";
const END: &str = "-----END CERTIFICATE-----";

pub(crate) fn read(text: &str) -> Result<Vec<Certificate>, CertificateError> {
    let mut out = Vec::new();
    for part in text.split(BEGIN).skip(1) {
        let Some((body, _)) = part.split_once(END) else { return Err(damaged("a certificate has no end line")) };
        out.push(of_der(&decoded(body)?, None, false)?);
    }
    if out.is_empty() { Err(CertificateError::None(text.contains("PRIVATE KEY-----"))) } else { Ok(out) }
}

/// The bytes that base64 stands for, in lines of any length.
fn decoded(text: &str) -> Result<Vec<u8>, CertificateError> {
    let config = GeneralPurposeConfig::new().with_decode_padding_mode(DecodePaddingMode::Indifferent);
    let letters: String = text.split_whitespace().collect();
    GeneralPurpose::new(&STANDARD, config).decode(letters).map_err(|_| damaged("a certificate is not in base64"))
}

#[cfg(test)]
mod tests {
    use super::decoded;

    #[test]
    fn base64_is_read_in_lines_of_any_length() {
        assert_eq!(decoded("c2F\r\n0\n").unwrap(), b"sat");
        assert_eq!(decoded("c2E=").unwrap(), b"sa");
        assert_eq!(decoded("cw==").unwrap(), b"s");
        assert_eq!(decoded("").unwrap(), b"");
        assert!(decoded("c").is_err());
        assert!(decoded("c2=E").is_err());
        assert!(decoded("c2!t").is_err());
    }
}
