//! The word by which the stand-in for the accounts knows who may ask it.

use std::fs;
use std::path::{Path, PathBuf};

use crate::commands::typed;
use crate::output::Failure;

use super::write_new_file;

/// The variable of the environment that holds it.
pub(super) const VARIABLE: &str = "ELVASK_ACCOUNT_TOKEN";

/// The fewest and the most characters that it has.
const LENGTH: std::ops::RangeInclusive<usize> = 16..=200;

/// Returns the token that a person gives, in a file or in the environment.
pub(super) fn given(file: Option<&Path>) -> Result<Option<String>, Failure> {
    let (from, token) = match file {
        Some(file) => (format!("--token-file {}", typed(file)), read(file)?),
        None => match std::env::var(VARIABLE) {
            Ok(token) if !token.is_empty() => (VARIABLE.to_owned(), token),
            _ => return Ok(None),
        },
    };
    let is_token = LENGTH.contains(&token.len()) && token.bytes().all(|byte| byte.is_ascii_graphic());
    if !is_token {
        return Err(Failure::new(format!(
            "{from}: a token has {} to {} letters, digits and signs, and no space",
            LENGTH.start(),
            LENGTH.end()
        )));
    }
    Ok(Some(token))
}

fn read(file: &Path) -> Result<String, Failure> {
    let text = fs::read(file).map_err(|error| Failure::new(format!("{}: {error}", typed(file))))?;
    let text = String::from_utf8_lossy(&text).into_owned();
    Ok(text.lines().next().unwrap_or_default().trim().to_owned())
}

/// Returns the token that stands beside a database, and makes one where there is none.
pub(super) fn beside(store: &Path) -> Result<(String, PathBuf), Failure> {
    let mut name = store.file_stem().unwrap_or_default().to_owned();
    name.push(".token");
    let path = store.with_file_name(name);
    if fs::symlink_metadata(&path).is_err() {
        let mut bytes = [0; 32];
        getrandom::fill(&mut bytes)
            .map_err(|_| Failure::new("the system gave no random numbers, so no token is made"))?;
        let token: String = bytes.iter().map(|byte| format!("{byte:02x}")).collect();
        write_new_file(&path, format!("{token}\n").as_bytes(), true)?;
    }
    let token = given(Some(&path))?.unwrap_or_default();
    Ok((token, path))
}

/// Compares two tokens in a time that does not tell how far they are the same.
pub(super) fn same(one: &[u8], other: &[u8]) -> bool {
    let differ = one.iter().zip(other).fold(0, |differ, (one, other)| differ | (one ^ other));
    one.len() == other.len() && std::hint::black_box(differ) == 0
}
