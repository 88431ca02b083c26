//! What Gradle knows by a name of its own.

use crate::table::rows;

/// Returns what identifies a repository, whichever way it is written: `google()` and the address behind it are the same, and so
/// are addresses with and without `www.`, a scheme or a final slash.
#[must_use]
pub fn repository_place(written: &str) -> String {
    let address = written.trim().trim_end_matches('/');
    let address = address.split_once("://").map_or(address, |(_, rest)| rest);
    let address = address.strip_prefix("www.").unwrap_or(address);
    let known = rows(include_str!("../data/gradle-repositories.tsv"))
        .find(|row| row.cell(1) == address || row.cell(0) == address || row.cell(0).trim_end_matches("()") == address);
    known.map_or_else(|| address.to_owned(), |row| row.cell(0).to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_repository_is_the_same_however_it_is_written() {
        let same = |one: &str, other: &str| assert_eq!(repository_place(one), repository_place(other), "{one}");
        same("google()", "https://maven.google.com/");
        same("google", "google()");
        same("https://www.tern.example/releases/", "https://tern.example/releases");
        assert_ne!(repository_place("https://tern.example/a"), repository_place("https://tern.example/b"));
    }
}
