//! What an app declares, as two of them are held against each other.

use elvask_platform::Platform;

/// One thing that an app declares.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Fact {
    /// Where.
    pub platform: Platform,
    /// The kind.
    pub kind: String,
    /// What identifies it to the platform.
    pub name: String,
    /// The value, where it has one.
    pub value: Option<String>,
}

/// What the sources say, against which what was built is held.
#[derive(Debug, Clone, Default)]
pub struct Sourced {
    /// All that the sources declare; `None` where there are none.
    pub facts: Option<Vec<Fact>>,
    /// The fingerprints of the certificates that signed what was built, SHA-256.
    pub fingerprints: Vec<String>,
}
