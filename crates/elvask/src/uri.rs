//! Paths as editors and terminals name them.

use std::path::{Path, PathBuf};

use elvask_project::files::normal;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC};

/// What stands as it is in the name of a file.
const ESCAPED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'_').remove(b'.').remove(b'~');

/// Returns a path as editors and terminals name it.
pub(crate) fn of(path: &Path) -> String {
    let text = path.to_string_lossy().replace('\\', "/");
    let start = if text.starts_with('/') { "file://" } else { "file:///" };
    format!("{start}{}", percent_encoding::utf8_percent_encode(&text, ESCAPED))
}

/// Returns the path that an editor names; `None` for what is no file.
pub(crate) fn path(uri: &str) -> Option<PathBuf> {
    let rest = uri.strip_prefix("file://")?;
    let rest = rest.strip_prefix("localhost").unwrap_or(rest);
    let text = percent_encoding::percent_decode_str(rest).decode_utf8().ok()?;
    // Before the letter of a drive stands a stroke that is not part of the path.
    let bytes = text.as_bytes();
    let drive = cfg!(windows) && bytes.first() == Some(&b'/') && bytes.get(2) == Some(&b':');
    Some(normal(Path::new(if drive { text.get(1..)? } else { &text })))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_and_what_editors_call_them() {
        let odd = Path::new("/tmp/a b/é#%.xml");
        assert_eq!(of(odd), "file:///tmp/a%20b/%C3%A9%23%25.xml");
        assert_eq!(path(&of(odd)).as_deref(), Some(odd));
        assert_eq!(path("file://localhost/tmp/x"), Some(PathBuf::from("/tmp/x")));
        assert_eq!(path("untitled:Untitled-1"), None);
    }
}
