//! What was released before.

/// What was released last.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LastRelease {
    /// Its version: `2.3.0`.
    pub version: Option<String>,
    /// Its build: `41`.
    pub build: Option<String>,
    /// Who says so, in words that follow "which": `is tagged v2.3.0`.
    pub said: String,
    /// Whether it is sure that the stores have it. A tag may be there before the release that it is for.
    pub certain: bool,
}

impl LastRelease {
    /// Reads a version with the build behind it, where it is there: `2.3.0`, `2.3.0+41`, `+41`.
    ///
    /// # Errors
    /// Why that is no version, in words.
    pub fn read(text: &str, said: String, certain: bool) -> Result<Self, String> {
        let (version, build) = text.split_once('+').map_or((text, None), |(version, build)| (version, Some(build)));
        let numbers =
            |text: &str| text.split('.').all(|part| !part.is_empty() && part.bytes().all(|one| one.is_ascii_digit()));
        if !version.is_empty() && !numbers(version) || build.is_some_and(|build| !numbers(build)) || text.is_empty() {
            return Err(format!("`{text}` is not a version such as 2.3.0, or one with its build such as 2.3.0+41"));
        }
        let version = (!version.is_empty()).then(|| version.to_owned());
        Ok(LastRelease { version, build: build.map(str::to_owned), said, certain })
    }
}
