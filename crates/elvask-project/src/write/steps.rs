//! The steps on the disk of which a writing is made; a test puts failures and sudden ends in their place.

use std::fs;
use std::io::{self, Write as _};
use std::path::Path;

/// All that a writing does to the disk. Each step is done wholly or not at all when the process ends before or after it, but for
/// the two that put bytes into a file.
pub trait Steps {
    /// Makes a folder.
    ///
    /// # Errors
    /// What the system says.
    fn make_folder(&self, path: &Path) -> io::Result<()>;
    /// Makes a file that is not there yet, with the bytes given, and sees to it that they are on the disk.
    ///
    /// # Errors
    /// What the system says.
    fn make_file(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Puts bytes into an open file that is empty, and sees to it that they are on the disk.
    ///
    /// # Errors
    /// What the system says.
    fn put_into(&self, file: &mut fs::File, bytes: &[u8]) -> io::Result<()>;
    /// Puts other bytes into a file that is there, and sees to it that they are on the disk.
    ///
    /// # Errors
    /// What the system says.
    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()>;
    /// Gives a file a second name.
    ///
    /// # Errors
    /// What the system says.
    fn link(&self, from: &Path, to: &Path) -> io::Result<()>;
    /// Puts a file in the place of another one.
    ///
    /// # Errors
    /// What the system says.
    fn rename(&self, from: &Path, to: &Path) -> io::Result<()>;
    /// Takes a file away.
    ///
    /// # Errors
    /// What the system says.
    fn remove_file(&self, path: &Path) -> io::Result<()>;
    /// Takes an empty folder away.
    ///
    /// # Errors
    /// What the system says.
    fn remove_folder(&self, path: &Path) -> io::Result<()>;
    /// Sees to it that the names in a folder are on the disk.
    ///
    /// # Errors
    /// What the system says.
    fn sync_folder(&self, path: &Path) -> io::Result<()>;
    /// Says whether somebody has asked for an end.
    fn is_asked_to_stop(&self) -> bool {
        false
    }
}

/// The disk.
#[derive(Debug, Clone, Copy, Default)]
pub struct Disk;

impl Steps for Disk {
    fn make_folder(&self, path: &Path) -> io::Result<()> {
        fs::create_dir(path)
    }

    fn make_file(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        let mut file = fs::OpenOptions::new().write(true).create_new(true).open(path)?;
        self.put_into(&mut file, bytes)
    }

    fn put_into(&self, file: &mut fs::File, bytes: &[u8]) -> io::Result<()> {
        file.write_all(bytes)?;
        file.sync_all()
    }

    fn overwrite(&self, path: &Path, bytes: &[u8]) -> io::Result<()> {
        // Emptied first, so that what a sudden end leaves is always the start of the new text.
        let mut file = fs::OpenOptions::new().write(true).truncate(true).open(path)?;
        self.put_into(&mut file, bytes)
    }

    fn link(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::hard_link(from, to)
    }

    fn rename(&self, from: &Path, to: &Path) -> io::Result<()> {
        fs::rename(from, to)
    }

    fn remove_file(&self, path: &Path) -> io::Result<()> {
        fs::remove_file(path)
    }

    fn remove_folder(&self, path: &Path) -> io::Result<()> {
        fs::remove_dir(path)
    }

    #[expect(clippy::disallowed_methods, reason = "nothing is read")]
    fn sync_folder(&self, path: &Path) -> io::Result<()> {
        // Other systems do not open folders as files.
        if cfg!(unix) { fs::File::open(path)?.sync_all() } else { Ok(()) }
    }
}
