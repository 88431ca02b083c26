//! The levels that an app is built for and runs on.

use elvask_platform::Version;

/// The levels of one variant of an app, as far as they are known.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Levels {
    /// The name of the variant.
    pub variant: String,
    /// The target level on Android; what the store asks for where it is not known.
    pub target: u32,
    /// The minimum level on Android.
    pub min: Option<u32>,
    /// The lowest version of iOS.
    pub ios: Option<Version>,
}
