//! The names in a folder of the disk, and what has them: a folder, anything else that counts as a file, or a link, which is `None`. They
//! come in no order; a name that is no text is left out, and nothing comes of what is no folder.

use std::path::Path;

use super::FileKind;

/// A name with what has it.
pub(super) type Named = (String, Option<FileKind>);

/// How many bytes of names are taken at once: nearly all folders have fewer.
#[cfg(target_os = "linux")]
const TAKEN_AT_ONCE: usize = 32 * 1024;

/// Asks the system itself, which takes fewer calls, and no memory for names that are not kept. The folder is named from another one.
#[cfg(target_os = "linux")]
pub(super) fn of_linux(from: std::os::fd::BorrowedFd<'_>, folder: &Path) -> Vec<Named> {
    use rustix::fs::{AtFlags, FileType, Mode, OFlags, RawDir, openat, statat};
    let flags = OFlags::RDONLY | OFlags::DIRECTORY | OFlags::CLOEXEC;
    let Ok(folder) = openat(from, folder, flags, Mode::empty()) else { return Vec::new() };
    let mut names = Vec::with_capacity(16);
    let mut taken = [std::mem::MaybeUninit::uninit(); TAKEN_AT_ONCE];
    let mut entries = RawDir::new(&folder, &mut taken);
    while let Some(Ok(entry)) = entries.next() {
        let Ok(name) = entry.file_name().to_str() else { continue };
        if matches!(name, "." | "..") {
            continue;
        }
        let kind = match entry.file_type() {
            // Some disks do not say it here.
            FileType::Unknown => match statat(&folder, name, AtFlags::SYMLINK_NOFOLLOW) {
                Ok(about) => FileType::from_raw_mode(about.st_mode),
                Err(_) => continue,
            },
            known => known,
        };
        names.push((
            name.to_owned(),
            match kind {
                FileType::Symlink => None,
                FileType::Directory => Some(FileKind::Folder),
                _ => Some(FileKind::File),
            },
        ));
    }
    names
}

/// The same by what every system has.
#[cfg(any(test, not(target_os = "linux")))]
#[expect(clippy::disallowed_methods, reason = "this is the one place that lists")]
pub(super) fn of_any_system(folder: &Path) -> Vec<Named> {
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    let named = entries.filter_map(|entry| {
        let kind = entry.file_type().ok()?;
        let what = if kind.is_dir() { FileKind::Folder } else { FileKind::File };
        Some((entry.file_name().into_string().ok()?, (!kind.is_symlink()).then_some(what)))
    });
    named.collect()
}

#[cfg(all(test, target_os = "linux"))]
mod tests {
    use super::*;

    #[test]
    #[expect(clippy::disallowed_methods, reason = "files for a test")]
    fn both_ways_tell_the_same() {
        use std::os::unix::ffi::OsStrExt as _;
        let folder = tempfile::tempdir().unwrap();
        let root = folder.path();
        // More names than are taken at once.
        for number in 0..2000 {
            std::fs::write(root.join(format!("a file with a rather long name, which is number {number}")), "").unwrap();
        }
        std::fs::create_dir(root.join("marsh")).unwrap();
        std::fs::create_dir(root.join(".empty")).unwrap();
        std::fs::write(root.join("marsh/\u{e9}tang"), "").unwrap();
        std::fs::write(root.join(std::ffi::OsStr::from_bytes(b"no text \xff")), "").unwrap();
        for (to, name) in [("marsh", "to-folder"), ("marsh/\u{e9}tang", "to-file"), ("nowhere", "to-nothing")] {
            std::os::unix::fs::symlink(to, root.join(name)).unwrap();
        }
        let _socket = std::os::unix::net::UnixListener::bind(root.join("socket")).unwrap();
        for (name, count) in
            [("", 2006), ("marsh", 1), (".empty", 0), ("to-folder", 1), ("to-file", 0), ("to-nothing", 0), ("none", 0)]
        {
            let mut ways = [of_linux(rustix::fs::CWD, &root.join(name)), of_any_system(&root.join(name))];
            ways.iter_mut().for_each(|names| names.sort());
            assert_eq!(ways[0], ways[1], "{name}");
            assert_eq!(ways[0].len(), count, "{name}");
        }
    }
}
