//! System versions of iOS.

use std::fmt;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A system version such as 15.1, compared part by part.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Version {
    major: u32,
    minor: u32,
    patch: u32,
}

impl Version {
    /// Makes a version of two parts.
    #[must_use]
    pub fn new(major: u32, minor: u32) -> Self {
        Version { major, minor, patch: 0 }
    }

    /// Reads one to three numbers with dots between; anything else is `None`.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        let mut parts = text.trim().split('.').map(|part| part.parse::<u32>().ok());
        let major = parts.next()??;
        let minor = parts.next().unwrap_or(Some(0))?;
        let patch = parts.next().unwrap_or(Some(0))?;
        parts.next().is_none().then_some(Version { major, minor, patch })
    }
}

impl fmt::Display for Version {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(out, "{}.{}", self.major, self.minor)?;
        if self.patch > 0 { write!(out, ".{}", self.patch) } else { Ok(()) }
    }
}

impl Serialize for Version {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Version {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        Version::parse(&text).ok_or_else(|| serde::de::Error::custom("no version"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn versions_compare_by_number() {
        let version = |text| Version::parse(text).unwrap();
        assert!(version("9.3") < version("15"));
        assert!(version("15.1") > version("15.0.2"));
        assert_eq!(version("15").to_string(), "15.0");
        assert_eq!(Version::parse("15.x"), None);
        assert_eq!(Version::parse("$(X)"), None);
    }
}
