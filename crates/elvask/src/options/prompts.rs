//! `elvask prompts`.

use clap::{Args, ValueEnum};
use elvask_core::Platform;

use super::AppOptions;

/// `elvask prompts`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask prompts                          what people are asked, on the newest level of each platform
  elvask prompts --platform ios --language nl
  elvask prompts --language all           in each language that the app has texts in
  elvask prompts --level 29 --level ios=13.0

The words of the systems are in English, and makers of devices change them; the app itself decides when it asks.
Exit codes: 0 every dialog appears, 1 something happens instead of one, 2 it could not run.")]
pub(crate) struct Prompts {
    #[command(flatten)]
    pub(crate) app: AppOptions,
    /// The platform, where one alone is wanted.
    #[arg(long, value_name = "PLATFORM")]
    pub(crate) platform: Option<PlatformWord>,
    /// The language of the device, as the app's folders have it: nl, pt-BR; or all.
    #[arg(long, value_name = "LANGUAGE")]
    pub(crate) language: Option<String>,
    /// The device: a level of Android, or android=LEVEL, or ios=VERSION; may be given several times.
    #[arg(long, value_name = "LEVEL")]
    pub(crate) level: Vec<String>,
}

/// A platform on the command line.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum PlatformWord {
    /// Android.
    Android,
    /// iOS and iPadOS.
    Ios,
}

impl From<PlatformWord> for Platform {
    fn from(word: PlatformWord) -> Self {
        match word {
            PlatformWord::Android => Platform::Android,
            PlatformWord::Ios => Platform::Ios,
        }
    }
}
