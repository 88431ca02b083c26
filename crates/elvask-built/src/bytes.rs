//! Numbers in bytes, the lowest first; what lies beyond the end is nothing.

/// Bytes that are read from the front.
#[derive(Clone, Copy)]
pub(crate) struct Bytes<'a>(pub(crate) &'a [u8]);

impl<'a> Bytes<'a> {
    pub(crate) fn u8(&self, at: usize) -> Option<u8> {
        self.0.get(at).copied()
    }

    pub(crate) fn u16(&self, at: usize) -> Option<u16> {
        let two: [u8; 2] = self.0.get(at..at.checked_add(2)?)?.try_into().ok()?;
        Some(u16::from_le_bytes(two))
    }

    pub(crate) fn u32(&self, at: usize) -> Option<u32> {
        let four: [u8; 4] = self.0.get(at..at.checked_add(4)?)?.try_into().ok()?;
        Some(u32::from_le_bytes(four))
    }

    pub(crate) fn u64(&self, at: usize) -> Option<u64> {
        let eight: [u8; 8] = self.0.get(at..at.checked_add(8)?)?.try_into().ok()?;
        Some(u64::from_le_bytes(eight))
    }

    /// A length or an offset.
    pub(crate) fn size(&self, at: usize) -> Option<usize> {
        usize::try_from(self.u32(at)?).ok()
    }

    pub(crate) fn part(&self, at: usize, len: usize) -> Option<Bytes<'a>> {
        self.0.get(at..at.checked_add(len)?).map(Bytes)
    }

    pub(crate) fn from(&self, at: usize) -> Option<Bytes<'a>> {
        self.0.get(at..).map(Bytes)
    }

    pub(crate) fn len(&self) -> usize {
        self.0.len()
    }
}

/// A chunk of compiled resources: its kind, the length of its header, and all of it.
#[derive(Clone, Copy)]
pub(crate) struct Chunk<'a> {
    pub(crate) kind: u16,
    pub(crate) header: usize,
    pub(crate) all: Bytes<'a>,
}

/// Returns the chunk at an offset; none where it is cut.
pub(crate) fn chunk(bytes: Bytes<'_>, at: usize) -> Option<Chunk<'_>> {
    let (kind, header, size) = (bytes.u16(at)?, usize::from(bytes.u16(at + 2)?), bytes.size(at + 4)?);
    if header < 8 || size < header {
        return None;
    }
    Some(Chunk { kind, header, all: bytes.part(at, size)? })
}

/// Goes through the chunks that stand behind one another.
pub(crate) fn chunks<'a>(bytes: Bytes<'a>, from: usize) -> impl Iterator<Item = Chunk<'a>> {
    let mut at = from;
    std::iter::from_fn(move || {
        let found = chunk(bytes, at)?;
        at += found.all.len();
        Some(found)
    })
}

/// The kind of a pool of texts.
pub(crate) const STRING_POOL: u16 = 0x0001;

/// A pool of texts.
pub(crate) struct Strings<'a> {
    all: Bytes<'a>,
    count: usize,
    texts: usize,
    offsets: usize,
    utf8: bool,
}

/// The flag of a pool of texts in UTF-8.
const UTF8: u32 = 1 << 8;

impl<'a> Strings<'a> {
    /// Reads the head of a pool.
    pub(crate) fn of(chunk: Chunk<'a>) -> Option<Self> {
        let all = chunk.all;
        let count = all.size(8)?;
        // Each has an offset of four bytes.
        (count <= all.len() / 4).then_some(())?;
        Some(Strings { all, count, texts: all.size(20)?, offsets: chunk.header, utf8: all.u32(16)? & UTF8 != 0 })
    }

    /// Returns a text by its number.
    pub(crate) fn get(&self, number: u32) -> Option<String> {
        let number = usize::try_from(number).ok().filter(|number| *number < self.count)?;
        let at = self.texts.checked_add(self.all.size(self.offsets + number * 4)?)?;
        let long = |at: usize| -> Option<(usize, usize)> {
            // Lengths over 127 take two bytes.
            let first = usize::from(self.all.u8(at)?);
            if first & 0x80 == 0 {
                Some((first, 1))
            } else {
                Some(((first & 0x7F) << 8 | usize::from(self.all.u8(at + 1)?), 2))
            }
        };
        if self.utf8 {
            let (_, width) = long(at)?;
            let (len, more) = long(at + width)?;
            let text = self.all.part(at + width + more, len)?;
            return Some(String::from_utf8_lossy(text.0).into_owned());
        }
        let first = usize::from(self.all.u16(at)?);
        let (len, width) = match first & 0x8000 {
            0 => (first, 2),
            _ => ((first & 0x7FFF) << 16 | usize::from(self.all.u16(at + 2)?), 4),
        };
        let units = self.all.part(at + width, len.checked_mul(2)?)?;
        let units = units.0.chunks_exact(2).filter_map(|pair| Some(u16::from_le_bytes(pair.try_into().ok()?)));
        Some(char::decode_utf16(units).map(|one| one.unwrap_or(char::REPLACEMENT_CHARACTER)).collect())
    }
}

/// A value as resources and attributes have it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Value {
    pub(crate) kind: u8,
    pub(crate) data: u32,
}

impl Value {
    pub(crate) const REFERENCE: u8 = 0x01;
    pub(crate) const STRING: u8 = 0x03;

    pub(crate) fn at(bytes: Bytes<'_>, at: usize) -> Option<Value> {
        Some(Value { kind: bytes.u8(at + 3)?, data: bytes.u32(at + 4)? })
    }

    /// Returns what is no text and no reference as it is written in a source.
    pub(crate) fn written(self) -> Option<String> {
        Some(match self.kind {
            0x02 => format!("?0x{:08x}", self.data),
            0x04 => f32::from_bits(self.data).to_string(),
            0x10 => i32::from_ne_bytes(self.data.to_ne_bytes()).to_string(),
            0x11 => format!("0x{:x}", self.data),
            0x12 => (self.data != 0).to_string(),
            0x1C..=0x1F => format!("#{:08x}", self.data),
            _ => return None,
        })
    }
}
