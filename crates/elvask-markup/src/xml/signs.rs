//! What the letters and bytes of XML may be.

/// What a byte may be: a sign that XML does not allow, or the first byte of one; an ampersand; a letter of a name; what opens a tag.
pub(super) const SUSPICIOUS: u8 = 1;
pub(super) const AMPERSAND: u8 = 2;
const NAME: u8 = 4;
pub(super) const LESS: u8 = 8;

static SIGNS: [u8; 256] = {
    let mut signs = [0; 256];
    let mut at = 0u8;
    loop {
        let suspicious = at < 0x20 && !matches!(at, b'\t' | b'\n' | b'\r') || at == 0xEF;
        let name = at.is_ascii_alphanumeric() || matches!(at, b'_' | b':' | b'-' | b'.');
        #[expect(clippy::indexing_slicing, reason = "there is a place for each byte")]
        if suspicious {
            signs[at as usize] = SUSPICIOUS;
        } else if at == b'&' {
            signs[at as usize] = AMPERSAND;
        } else if at == b'<' {
            signs[at as usize] = LESS;
        } else if name {
            signs[at as usize] = NAME;
        }
        if at == u8::MAX {
            break signs;
        }
        at += 1;
    }
};

/// Returns what the bytes of a text are, all together.
pub(super) fn signs_in(text: &str) -> u8 {
    text.bytes().fold(0, |signs, byte| signs | SIGNS.get(usize::from(byte)).copied().unwrap_or_default())
}

/// Returns how many bytes of a text are a name.
pub(super) fn name_length(text: &str) -> usize {
    let plain = |byte: &u8| SIGNS.get(usize::from(*byte)).is_some_and(|sign| sign & NAME != 0);
    let length = text.bytes().take_while(plain).count();
    match text.get(length..) {
        Some(rest) if rest.bytes().next().is_some_and(|byte| !byte.is_ascii()) => {
            length + rest.find(|character| !is_name_char(character)).unwrap_or(rest.len())
        }
        _ => length,
    }
}

/// Source: "Common syntactic constructs" in "Extensible Markup Language (XML) 1.0", fifth edition.
pub(super) fn is_name_start(character: char) -> bool {
    character.is_ascii_alphabetic()
        || matches!(character, '_' | ':' | '\u{C0}'..='\u{D6}' | '\u{D8}'..='\u{F6}' | '\u{F8}'..='\u{2FF}')
        || matches!(character, '\u{370}'..='\u{37D}' | '\u{37F}'..='\u{1FFF}' | '\u{200C}' | '\u{200D}')
        || matches!(character, '\u{2070}'..='\u{218F}' | '\u{2C00}'..='\u{2FEF}' | '\u{3001}'..='\u{D7FF}')
        || matches!(character, '\u{F900}'..='\u{FDCF}' | '\u{FDF0}'..='\u{FFFD}' | '\u{10000}'..='\u{EFFFF}')
}

pub(super) fn is_name_char(character: char) -> bool {
    is_name_start(character)
        || character.is_ascii_digit()
        || matches!(character, '-' | '.' | '\u{B7}' | '\u{300}'..='\u{36F}' | '\u{203F}' | '\u{2040}')
}
