//! Sums up the tables, so that what a program knows can be told from what another one knows.

use std::fs;
use std::path::PathBuf;

fn main() {
    println!("cargo::rerun-if-changed=data");
    let mut files: Vec<PathBuf> =
        fs::read_dir("data").into_iter().flatten().flatten().map(|entry| entry.path()).collect();
    files.retain(|path| path.extension().is_some_and(|end| end == "tsv"));
    files.sort();
    // The method of Fowler, Noll and Vo.
    let mut sum: u64 = 0xcbf2_9ce4_8422_2325;
    let mut checked = String::new();
    for file in &files {
        let text = fs::read_to_string(file).unwrap_or_default();
        let name = file.to_string_lossy().replace('\\', "/").into_bytes();
        for byte in name.into_iter().chain(text.replace("\r\n", "\n").into_bytes()) {
            sum = (sum ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01B3);
        }
        let date = text.lines().find_map(|line| line.strip_prefix("# Checked: ")).unwrap_or_default().trim().to_owned();
        // Dates written so compare as text.
        checked = checked.max(date);
    }
    println!("cargo::rustc-env=ELVASK_TABLES_SUM={sum:016x}");
    println!("cargo::rustc-env=ELVASK_TABLES_CHECKED={checked}");
    println!("cargo::rustc-env=ELVASK_TABLES_COUNT={}", files.len());
}
