//! Binary property lists, by way of the XML form of the same values.

use std::io::Cursor;

use plist::Value;

/// The deepest nesting that is read.
const MAX_DEPTH: usize = 100;

/// Returns the XML form of a binary property list.
///
/// # Errors
/// Why the bytes are none, in words.
pub fn to_xml(bytes: &[u8]) -> Result<String, String> {
    let value = Value::from_reader(Cursor::new(bytes)).map_err(|error| error.to_string())?;
    if depth(&value, 0) > MAX_DEPTH {
        // Taking it apart again would need as much stack as it is deep.
        std::mem::forget(value);
        return Err(format!("it is nested more than {MAX_DEPTH} deep"));
    }
    let mut out = Vec::new();
    value.to_writer_xml(&mut out).map_err(|error| error.to_string())?;
    let mut text = String::from_utf8(out).map_err(|error| error.to_string())?;
    if !text.ends_with('\n') {
        text.push('\n');
    }
    Ok(text)
}

/// Returns the binary form of an XML property list.
///
/// # Errors
/// Why the text is none, in words.
pub fn from_xml(text: &str) -> Result<Vec<u8>, String> {
    let text = text.trim_start_matches('\u{FEFF}');
    let value = Value::from_reader_xml(Cursor::new(text.as_bytes())).map_err(|error| error.to_string())?;
    let mut out = Vec::new();
    value.to_writer_binary(&mut out).map_err(|error| error.to_string())?;
    Ok(out)
}

fn depth(value: &Value, above: usize) -> usize {
    if above > MAX_DEPTH {
        return above;
    }
    let inside = match value {
        Value::Array(values) => values.iter().map(|value| depth(value, above + 1)).max(),
        Value::Dictionary(entries) => entries.values().map(|value| depth(value, above + 1)).max(),
        _ => None,
    };
    inside.unwrap_or(above)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::plist::PropertyList;

    #[test]
    fn values_come_through_both_ways() {
        let text = "<plist version=\"1.0\"><dict><key>a</key><string>x &amp; é</string><key>n</key><integer>-3</integer><key>t</key><true/><key>l</key><array><real>1.5</real></array></dict></plist>";
        let bytes = from_xml(text).unwrap();
        assert!(bytes.starts_with(b"bplist00"));
        let list = PropertyList::parse(to_xml(&bytes).unwrap()).unwrap();
        assert_eq!(list.entry("a").unwrap().value.as_str(), Some("x & é"));
        assert_eq!(list.entries().len(), 4);
        // Written without an edit, the values are the same and in the same order.
        assert_eq!(from_xml(list.document().text()).unwrap(), bytes);
    }

    #[test]
    fn broken_bytes_are_refused() {
        let bytes = from_xml("<plist version=\"1.0\"><dict><key>a</key><string>x</string></dict></plist>").unwrap();
        for end in 0..bytes.len() {
            let _ = to_xml(&bytes[..end]);
        }
        // Arrays in arrays, each behind the other: a hundred thousand of them.
        let count = 100_000_u32;
        let mut deep = b"bplist00".to_vec();
        let mut offsets = Vec::new();
        for at in 0..count {
            offsets.push(u32::try_from(deep.len()).unwrap());
            deep.push(if at + 1 < count { 0xA1 } else { 0xA0 });
            if at + 1 < count {
                deep.extend((at + 1).to_be_bytes());
            }
        }
        let table = deep.len() as u64;
        deep.extend(offsets.iter().flat_map(|offset| offset.to_be_bytes()));
        deep.extend([0, 0, 0, 0, 0, 0, 4, 4]);
        deep.extend(u64::from(count).to_be_bytes());
        deep.extend(0_u64.to_be_bytes());
        deep.extend(table.to_be_bytes());
        assert!(to_xml(&deep).unwrap_err().contains("deep"));
        assert!(to_xml(b"bplist00\xFF\xFF\xFF").is_err());
    }
}
