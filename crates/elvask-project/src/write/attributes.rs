//! What a file has besides its bytes: owner, group, mode, extended attributes and access lists.

use std::fs::{self, Metadata};
use std::io;
use std::path::Path;

/// Gives a new file all that an old one has besides its bytes. Returns whether it could: where not, the old file must stay and get
/// other bytes.
///
/// # Errors
/// What the system says about reading them.
pub(super) fn copy(old: &Path, new: &Path) -> io::Result<bool> {
    let (about, fresh) = (fs::metadata(old)?, fs::metadata(new)?);
    if !copy_owner(&about, &fresh, new) || fs::set_permissions(new, about.permissions()).is_err() {
        return Ok(false);
    }
    Ok(copy_extended(old, new))
}

/// Returns how many names a file has on its disk.
#[cfg(unix)]
pub(super) fn names(about: &Metadata) -> u64 {
    std::os::unix::fs::MetadataExt::nlink(about)
}

#[cfg(not(unix))]
pub(super) fn names(_about: &Metadata) -> u64 {
    1
}

/// Says whether two names lead to one file.
#[cfg(unix)]
pub(super) fn is_same_file(one: &Metadata, other: &Metadata) -> bool {
    use std::os::unix::fs::MetadataExt as _;
    (one.dev(), one.ino()) == (other.dev(), other.ino())
}

#[cfg(not(unix))]
pub(super) fn is_same_file(_one: &Metadata, _other: &Metadata) -> bool {
    false
}

#[cfg(unix)]
fn copy_owner(about: &Metadata, fresh: &Metadata, new: &Path) -> bool {
    use std::os::unix::fs::{MetadataExt as _, chown};
    let same = (about.uid(), about.gid()) == (fresh.uid(), fresh.gid());
    same || chown(new, Some(about.uid()), Some(about.gid())).is_ok()
}

#[cfg(not(unix))]
fn copy_owner(_about: &Metadata, _fresh: &Metadata, _new: &Path) -> bool {
    true
}

/// Copies extended attributes, access lists among them. Those that only the system sets are left to it.
#[cfg(unix)]
fn copy_extended(old: &Path, new: &Path) -> bool {
    // A file system without them has none to keep.
    let Ok(names) = xattr::list(old) else { return true };
    for name in names {
        let ours = name.to_str().is_some_and(|name| name.starts_with("user.") || name.starts_with("system.posix_acl"));
        let Ok(Some(value)) = xattr::get(old, &name) else { continue };
        if xattr::set(new, &name, &value).is_err() && (ours || cfg!(target_os = "macos")) {
            return false;
        }
    }
    true
}

#[cfg(not(unix))]
fn copy_extended(_old: &Path, _new: &Path) -> bool {
    true
}
