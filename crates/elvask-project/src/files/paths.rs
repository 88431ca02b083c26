//! Paths by their names alone, without a look at what stands there.

use std::path::{Component, Path, PathBuf};

/// Returns the path with `.` and `..` worked out by name alone.
#[must_use]
pub fn normal(path: &Path) -> PathBuf {
    let mut out = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir => {
                if !out.pop() {
                    out.push("..");
                }
            }
            part => out.push(part),
        }
    }
    out
}

/// Returns the path of something in a folder. That of the standard library makes room for the folder and then once more for the name.
#[must_use]
pub fn joined(folder: &Path, name: &str) -> PathBuf {
    let mut path = PathBuf::with_capacity(folder.as_os_str().len() + 1 + name.len());
    path.push(folder);
    path.push(name);
    path
}

/// Returns the path of `path` as seen from `root`, with forward slashes, and `../` for what lies outside.
#[must_use]
pub fn shown(path: &Path, root: &Path) -> String {
    if let Some(plain) = shown_below(path, root) {
        return plain.to_owned();
    }
    let (path, root) = (normal(path), normal(root));
    let common = path.components().zip(root.components()).take_while(|(one, other)| one == other).count();
    let up = root.components().count() - common;
    let mut parts = vec!["..".to_owned(); up];
    parts.extend(path.components().skip(common).map(|part| part.as_os_str().to_string_lossy().into_owned()));
    if parts.is_empty() { ".".to_owned() } else { parts.join("/") }
}

/// The same for a path below `root` in which nothing is to be worked out, as most are.
fn shown_below<'p>(path: &'p Path, root: &Path) -> Option<&'p str> {
    if cfg!(windows) || root.as_os_str().is_empty() {
        return None;
    }
    let below = path.to_str()?.strip_prefix(root.to_str()?)?.strip_prefix('/')?;
    is_plain(path.as_os_str().as_encoded_bytes()).then_some(below)
}

/// Says whether a path starts at the root of the disk, and nothing is to be worked out in it.
fn is_plain(path: &[u8]) -> bool {
    let Some(parts) = path.strip_prefix(b"/") else { return false };
    // In most no part is empty or starts with a point.
    let is_sure =
        !path.ends_with(b"/") && !path.array_windows().any(|[one, next]| *one == b'/' && matches!(next, b'/' | b'.'));
    is_sure || parts.split(|byte| *byte == b'/').all(|part| !matches!(part, b"" | b"." | b".."))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_are_shown_from_the_app() {
        let shown = |path: &str| super::shown(Path::new(path), Path::new("/w/app"));
        assert_eq!(shown("/w/app/a/b.xml"), "a/b.xml");
        assert_eq!(shown("/w/node_modules/x"), "../node_modules/x");
        assert_eq!(shown("/w/app/./a/../c"), "c");
        assert_eq!(shown("/w/app"), ".");
        assert_eq!(shown("/w/app/"), ".");
        assert_eq!(shown("/w/app//a/b/"), "a/b");
        assert_eq!(shown("/w/application/a"), "../application/a");
        assert_eq!(super::shown(Path::new("/w/../app/a"), Path::new("/w/../app")), "a");
        assert_eq!(super::shown(Path::new("/a"), Path::new("/")), "a");
    }

    #[test]
    fn a_path_is_plain_where_nothing_is_to_be_worked_out() {
        let parts = ["", ".", "..", ".a", "..a", "a", "a.b", "..."];
        let mut plain = 0;
        for one in parts {
            for other in parts {
                for path in [format!("/{one}"), format!("/{one}/{other}"), format!("{one}/{other}"), one.to_owned()] {
                    let named = |part: &Component<'_>| matches!(part, Component::RootDir | Component::Normal(_));
                    let again: PathBuf = Path::new(&path).components().filter(named).collect();
                    let normal = again.as_os_str() == path.as_str() && path.starts_with('/') && path != "/";
                    assert_eq!(is_plain(path.as_bytes()), normal, "{path}");
                    plain += usize::from(normal);
                }
            }
        }
        assert!(plain > 30);
    }
}
