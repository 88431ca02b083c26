//! Changing bytes at random, as people, editors and strangers do.

use fastrand::Rng;

/// Pieces that mean something to one of the readers.
const WORDS: [&str; 86] = [
    "<",
    ">",
    "/>",
    "</",
    "<!--",
    "-->",
    "<![CDATA[",
    "]]>",
    "<?",
    "?>",
    "<!DOCTYPE x [<!ENTITY a \"b\">]>",
    "&lt;",
    "&#0;",
    "&#x1F600;",
    "&#xD800;",
    "&a;",
    "\"",
    "'",
    "\"\"\"",
    "'''",
    "{",
    "}",
    "[",
    "]",
    "(",
    ")",
    ",",
    ";",
    ":",
    "=",
    "==",
    "\\",
    "\\u0000",
    "\\u{",
    "$",
    "${",
    "$(",
    "@string/",
    "@",
    "#",
    "//",
    "/*",
    "*/",
    "```",
    "~~~",
    "\n\n",
    "\r\n",
    "\t",
    "\u{FEFF}",
    "\u{0}",
    "\u{85}",
    "\u{2028}",
    "\u{202E}",
    "\u{1b}[31m",
    "é",
    "😀",
    "%",
    "%2F",
    "%zz",
    "*",
    "**",
    ".*",
    "?",
    "..",
    "../",
    "NOT ",
    "true",
    "false",
    "YES",
    "NO",
    "null",
    "nil",
    "-1",
    "0",
    "99999999999999999999",
    "1e999",
    "tools:node=\"remove\"",
    "android:exported=\"true\"",
    "<key>",
    "<dict>",
    "<array>",
    "apply from: '",
    "plugins {",
    "dependencies {",
    "xmlns:android=\"http://schemas.android.com/apk/res/android\"",
    "implementation(\"",
];

/// The longest input that is made, in bytes.
const MOST: usize = 1 << 17;

/// Returns other bytes, made of some by a few changes; `others` lends pieces.
#[must_use]
pub fn mutated(rng: &mut Rng, seed: &[u8], others: &[&[u8]]) -> Vec<u8> {
    let mut bytes = seed.to_vec();
    let changes = 1 << rng.u32(0..5);
    for _ in 0..changes {
        change(rng, &mut bytes, others);
        bytes.truncate(MOST);
    }
    bytes
}

fn change(rng: &mut Rng, bytes: &mut Vec<u8>, others: &[&[u8]]) {
    match rng.u8(0..14) {
        0 => flip(rng, bytes),
        1 => drop(cut(rng, bytes)),
        2 | 3 => {
            let word = WORDS.get(rng.usize(0..WORDS.len())).copied().unwrap_or_default();
            insert(rng, bytes, word.as_bytes());
        }
        4 => {
            let piece = cut(rng, &mut bytes.clone());
            insert(rng, bytes, &piece);
        }
        5 => {
            // The same piece again and again: depth and length.
            let piece = cut(rng, &mut bytes.clone());
            let piece = piece.get(..piece.len().min(64)).unwrap_or_default();
            let times = 1 << rng.u32(1..10);
            insert(rng, bytes, &piece.repeat(times));
        }
        6 => {
            let lent = others.get(rng.usize(0..others.len().max(1))).copied().unwrap_or_default();
            let piece = cut(rng, &mut lent.to_vec());
            insert(rng, bytes, &piece);
        }
        7 => bytes.truncate(rng.usize(0..=bytes.len())),
        8 | 9 => lines(rng, bytes),
        10 | 11 => tokens(rng, bytes),
        12 => {
            let at = rng.usize(0..=bytes.len());
            let noise: Vec<u8> = (0..rng.usize(1..8)).map(|_| rng.u8(..)).collect();
            bytes.splice(at..at, noise);
        }
        _ => {
            let word = WORDS.get(rng.usize(0..WORDS.len())).copied().unwrap_or_default();
            let (from, to) = range(rng, bytes, 16);
            bytes.splice(from..to, word.bytes());
        }
    }
}

fn flip(rng: &mut Rng, bytes: &mut [u8]) {
    let at = rng.usize(0..bytes.len().max(1));
    if let Some(byte) = bytes.get_mut(at) {
        *byte ^= 1 << rng.u32(0..8);
    }
}

fn range(rng: &mut Rng, bytes: &[u8], most: usize) -> (usize, usize) {
    let from = rng.usize(0..=bytes.len());
    let to = (from + rng.usize(0..=most)).min(bytes.len());
    (from, to)
}

fn cut(rng: &mut Rng, bytes: &mut Vec<u8>) -> Vec<u8> {
    let most = if rng.bool() { 16 } else { 512 };
    let (from, to) = range(rng, bytes, most);
    bytes.drain(from..to).collect()
}

fn insert(rng: &mut Rng, bytes: &mut Vec<u8>, piece: &[u8]) {
    let at = rng.usize(0..=bytes.len());
    bytes.splice(at..at, piece.iter().copied());
}

/// Takes out, doubles or swaps whole lines.
fn lines(rng: &mut Rng, bytes: &mut Vec<u8>) {
    let mut lines: Vec<&[u8]> = bytes.split_inclusive(|byte| *byte == b'\n').collect();
    if lines.is_empty() {
        return;
    }
    let (one, other) = (rng.usize(0..lines.len()), rng.usize(0..lines.len()));
    match rng.u8(0..3) {
        0 => drop(lines.remove(one)),
        1 => {
            let line = lines.get(one).copied().unwrap_or_default();
            lines.insert(other, line);
        }
        _ => lines.swap(one, other),
    }
    *bytes = lines.concat();
}

/// Swaps words or takes one out, so that most of the shape stays.
fn tokens(rng: &mut Rng, bytes: &mut Vec<u8>) {
    let is_word = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'.' | b'-');
    let mut words: Vec<(usize, usize)> = Vec::new();
    for (at, byte) in bytes.iter().enumerate() {
        match words.last_mut() {
            Some((_, end)) if *end == at && is_word(*byte) => *end = at + 1,
            _ if is_word(*byte) => words.push((at, at + 1)),
            _ => {}
        }
    }
    if words.len() < 2 {
        return;
    }
    let pick = |rng: &mut Rng| words.get(rng.usize(0..words.len())).copied().unwrap_or_default();
    let ((from, to), (start, end)) = (pick(rng), pick(rng));
    let other = if rng.u8(0..4) == 0 { Vec::new() } else { bytes.get(start..end).unwrap_or_default().to_vec() };
    bytes.splice(from..to, other);
}
