//! The device that a link is tried on.

use elvask_platform::Version;
use elvask_platform::release::{self, newest_level};

/// The device that a link is tried on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Device {
    /// Android's level.
    pub level: u32,
    /// iOS's version.
    pub version: Version,
}

impl Default for Device {
    fn default() -> Self {
        Device { level: newest_level(), version: newest_version() }
    }
}

/// Returns the newest version of iOS that is known.
#[must_use]
pub fn newest_version() -> Version {
    release::newest_version()
}
