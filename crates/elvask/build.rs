//! Puts the sample apps into the program.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};
use std::{env, fs, io};

fn main() -> io::Result<()> {
    let demo = PathBuf::from(env::var("CARGO_MANIFEST_DIR").unwrap_or_default()).join("../../demo").canonicalize()?;
    println!("cargo::rerun-if-changed={}", demo.display());
    let mut files = Vec::new();
    gather(&demo, &mut files)?;
    files.sort();
    let mut code = String::from("&[\n");
    for file in &files {
        let name = file.strip_prefix(&demo).unwrap_or(file).to_string_lossy().replace('\\', "/");
        let _ = writeln!(code, "    ({name:?}, include_bytes!({:?})),", file.display().to_string());
    }
    code.push_str("]\n");
    fs::write(PathBuf::from(env::var("OUT_DIR").unwrap_or_default()).join("demo.rs"), code)
}

fn gather(folder: &Path, files: &mut Vec<PathBuf>) -> io::Result<()> {
    // A new file in a folder changes the folder alone, so each is watched.
    println!("cargo::rerun-if-changed={}", folder.display());
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() { gather(&path, files)? } else { files.push(path) }
    }
    Ok(())
}
