//! Sums up what reads packages, tables and code, so that what another reader learnt is forgotten.

#![expect(clippy::disallowed_methods, reason = "what is summed up stands in files")]

use std::fs;
use std::path::{Path, PathBuf};

/// The crates that have a part in reading, from this one.
const READERS: [&str; 4] = [".", "../elvask-markup", "../elvask-platform", "../elvask-project"];

fn main() {
    let mut files = Vec::new();
    for reader in READERS {
        for folder in ["src", "data"] {
            let folder = Path::new(reader).join(folder);
            if folder.is_dir() {
                println!("cargo::rerun-if-changed={}", folder.display());
                gather(&folder, &mut files);
            }
        }
    }
    files.sort();
    // The method of Fowler, Noll and Vo.
    let mut sum: u64 = 0xcbf2_9ce4_8422_2325;
    for file in files {
        let name = file.to_string_lossy().replace('\\', "/").into_bytes();
        for byte in name.into_iter().chain(fs::read(&file).unwrap_or_default()) {
            sum = (sum ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01B3);
        }
    }
    println!("cargo::rustc-env=ELVASK_READER={sum:016x}");
}

fn gather(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            gather(&path, files);
        } else {
            files.push(path);
        }
    }
}
