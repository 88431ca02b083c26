//! The header of a picture.

use std::io::BufReader;
use std::path::Path;

use elvask_project::files::Files;

/// What was found where a picture is named.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Look {
    /// Nothing is there.
    Absent,
    /// It is there, in a form of which no size is read, or it cannot be read.
    Unknown,
    /// It says this of itself.
    Is(Header),
}

/// What a picture says of itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// Its width in pixels.
    pub width: u32,
    /// Its height in pixels.
    pub height: u32,
    /// Whether parts of it can be seen through; `None` where that is not known.
    pub see_through: Option<bool>,
}

/// Reads the header of a picture.
pub(super) fn look(files: &dyn Files, path: &Path) -> Look {
    if !files.is_file(path) {
        return Look::Absent;
    }
    let Ok(opened) = files.open(path) else { return Look::Unknown };
    let header = match path.extension().and_then(|ending| ending.to_str()).map(str::to_ascii_lowercase).as_deref() {
        Some("png") => png_header(BufReader::new(opened)),
        Some("jpg" | "jpeg" | "webp") => imagesize::reader_size(BufReader::new(opened)).ok().and_then(|size| {
            let side = |side: usize| u32::try_from(side).ok();
            Some(Header { width: side(size.width)?, height: side(size.height)?, see_through: None })
        }),
        _ => None,
    };
    header.map_or(Look::Unknown, Look::Is)
}

fn png_header(from: impl std::io::BufRead + std::io::Seek) -> Option<Header> {
    let reader = png::Decoder::new(from).read_info().ok()?;
    let info = reader.info();
    let alpha = matches!(info.color_type, png::ColorType::GrayscaleAlpha | png::ColorType::Rgba);
    Some(Header { width: info.width, height: info.height, see_through: Some(alpha || info.trns.is_some()) })
}
