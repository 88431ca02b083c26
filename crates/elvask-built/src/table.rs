//! The table of a package's resources.
//!
//! Source: `ResTable_header` and what follows it in `ResourceTypes.h`.

use std::collections::HashMap;

use crate::bytes::{Bytes, Chunk, STRING_POOL, Strings, Value, chunk, chunks};

const TABLE: u16 = 0x0002;
const PACKAGE: u16 = 0x0200;
const TYPE: u16 = 0x0201;

/// The most entries that are taken in.
const MAX_ENTRIES: usize = 200_000;

/// What no entry has.
const NO_ENTRY: u32 = u32::MAX;

/// The names of resources, with the texts of those that are texts in the app's own language.
#[derive(Debug, Default)]
pub(crate) struct Table {
    names: HashMap<u32, String>,
    texts: HashMap<String, String>,
}

impl Table {
    /// Reads `resources.arsc`.
    pub(crate) fn read(bytes: &[u8]) -> Option<Table> {
        let bytes = Bytes(bytes);
        let table = chunk(bytes, 0).filter(|table| table.kind == TABLE)?;
        let mut out = Table::default();
        let mut values = None;
        for part in chunks(table.all, table.header) {
            match part.kind {
                STRING_POOL if values.is_none() => values = Strings::of(part),
                PACKAGE => package(part, values.as_ref()?, &mut out)?,
                _ => {}
            }
        }
        Some(out)
    }

    /// Makes a table of names alone.
    pub(crate) fn of(texts: HashMap<String, String>) -> Table {
        Table { names: HashMap::new(), texts }
    }

    /// Returns the name of a resource: `string/app_name`.
    pub(crate) fn name(&self, number: u32) -> Option<&str> {
        self.names.get(&number).map(String::as_str)
    }

    /// Returns the text of a resource by its name.
    pub(crate) fn text(&self, name: &str) -> Option<&str> {
        self.texts.get(name).map(String::as_str)
    }
}

fn package(part: Chunk<'_>, values: &Strings<'_>, out: &mut Table) -> Option<()> {
    let id = part.all.u32(8)?;
    let (mut kinds, mut keys) = (None, None);
    for inside in chunks(part.all, part.header) {
        match inside.kind {
            // The names of types come first, those of entries second.
            STRING_POOL if kinds.is_none() => kinds = Strings::of(inside),
            STRING_POOL => keys = Strings::of(inside),
            TYPE => of_type(inside, id, (kinds.as_ref()?, keys.as_ref()?, values), out)?,
            _ => {}
        }
    }
    Some(())
}

fn of_type(
    part: Chunk<'_>,
    package: u32,
    (kinds, keys, values): (&Strings<'_>, &Strings<'_>, &Strings<'_>),
    out: &mut Table,
) -> Option<()> {
    let all = part.all;
    let (id, flags, count, start) = (all.u8(8)?, all.u8(9)?, all.size(12)?, all.size(16)?);
    let kind = kinds.get(u32::from(id).checked_sub(1)?)?;
    // The configuration starts with its own length, and is all zero where it is for everybody.
    let config = all.part(20, all.size(20)?.min(part.header.saturating_sub(20)))?;
    let is_usual = config.0.iter().skip(4).all(|byte| *byte == 0);
    let (sparse, short) = (flags & 0x01 != 0, flags & 0x02 != 0);
    let width = if short { 2 } else { 4 };
    if count > all.len() / width {
        return None;
    }
    for at in 0..count {
        let place = part.header + at * width;
        let (number, offset) = if sparse {
            (u32::from(all.u16(place)?), usize::from(all.u16(place + 2)?) * 4)
        } else if short {
            match all.u16(place)? {
                u16::MAX => continue,
                offset => (u32::try_from(at).ok()?, usize::from(offset) * 4),
            }
        } else {
            match all.u32(place)? {
                NO_ENTRY => continue,
                offset => (u32::try_from(at).ok()?, usize::try_from(offset).ok()?),
            }
        };
        let Some(entry) = all.from(start.checked_add(offset)?) else { continue };
        let (size, flags) = (usize::from(entry.u16(0)?), entry.u16(2)?);
        // A short form keeps the key in the place of the size, and the value in that of the key.
        let compact = flags & 0x08 != 0;
        let key = if compact { u32::try_from(size).ok()? } else { entry.u32(4)? };
        let Some(name) = keys.get(key) else { continue };
        let name = format!("{kind}/{name}");
        if out.names.len() >= MAX_ENTRIES {
            return None;
        }
        let resource = package << 24 | u32::from(id) << 16 | number;
        out.names.entry(resource).or_insert_with(|| name.clone());
        let is_map = flags & 0x01 != 0;
        if kind == "string" && is_usual && !is_map {
            let value = match compact {
                true => Some(Value { kind: u8::try_from(flags >> 8).ok()?, data: entry.u32(4)? }),
                false => Value::at(entry, size),
            };
            if let Some(text) =
                value.filter(|value| value.kind == Value::STRING).and_then(|value| values.get(value.data))
            {
                out.texts.entry(name).or_insert(text);
            }
        }
    }
    Some(())
}
