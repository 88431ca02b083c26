//! XML as the platform's tools compile it.
//!
//! Source: `ResXMLTree_header` and what follows it in `ResourceTypes.h`.

use crate::bytes::{Bytes, Chunk, STRING_POOL, Strings, Value, chunk, chunks};
use crate::table::Table;
use crate::words;
use crate::written::{ANDROID, Attribute, Writer};

const XML: u16 = 0x0003;
const START: u16 = 0x0102;
const END: u16 = 0x0103;
const RESOURCES: u16 = 0x0180;

/// Turns compiled XML into text; references are named by the table, where it knows them.
pub(crate) fn text(bytes: &[u8], table: Option<&Table>) -> Option<String> {
    let bytes = Bytes(bytes);
    let document = chunk(bytes, 0).filter(|document| document.kind == XML)?;
    let (mut strings, mut numbers): (Option<Strings<'_>>, Vec<u32>) = (None, Vec::new());
    let mut writer = Writer::default();
    for part in chunks(document.all, document.header) {
        match part.kind {
            STRING_POOL => strings = Strings::of(part),
            RESOURCES => {
                let count = (part.all.len() - part.header) / 4;
                numbers = (0..count).filter_map(|at| part.all.u32(part.header + at * 4)).collect();
            }
            START => {
                let strings = strings.as_ref()?;
                let (name, attributes) = start(part, strings, &numbers, table)?;
                writer.start(&name, &attributes)?;
            }
            END => writer.end()?,
            // Namespaces are known; texts say nothing in a manifest.
            _ => {}
        }
    }
    writer.finish()
}

fn start(
    part: Chunk<'_>,
    strings: &Strings<'_>,
    numbers: &[u32],
    table: Option<&Table>,
) -> Option<(String, Vec<Attribute>)> {
    let body = part.all.from(part.header)?;
    let name = strings.get(body.u32(4)?)?;
    let (first, size, count) = (usize::from(body.u16(8)?), usize::from(body.u16(10)?), usize::from(body.u16(12)?));
    if size < 20 {
        return None;
    }
    let mut attributes = Vec::new();
    for at in 0..count {
        let one = body.part(first + at * size, size)?;
        let number = one.u32(4)?;
        let resource = usize::try_from(number).ok().and_then(|at| numbers.get(at)).copied();
        let stripped = strings.get(number).filter(|name| !name.is_empty());
        let known = resource.and_then(words::attribute).map(str::to_owned);
        let name = stripped.or(known).or_else(|| Some(format!("attribute_{:08x}", resource?)))?;
        let space = strings.get(one.u32(0)?).unwrap_or_default();
        // Where names are left out, so are namespaces; the numbers are the platform's.
        let space =
            if space.is_empty() && resource.is_some_and(|number| number != 0) { ANDROID.to_owned() } else { space };
        let value = Value::at(one, 12)?;
        let written = strings.get(one.u32(8)?);
        let value = match value.kind {
            Value::STRING => strings.get(value.data).or(written).unwrap_or_default(),
            Value::REFERENCE => reference(value.data, table),
            _ => words::word(&name, value).or_else(|| value.written()).or(written).unwrap_or_default(),
        };
        attributes.push(Attribute { space, name, value });
    }
    Some((name, attributes))
}

/// Returns a reference as a source writes it.
fn reference(number: u32, table: Option<&Table>) -> String {
    let named = table.and_then(|table| table.name(number));
    named.map_or_else(|| format!("@0x{number:08x}"), |name| format!("@{name}"))
}
