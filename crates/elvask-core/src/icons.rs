//! Icons and start-up pictures: what names them, whether they are there, and how large they are.

mod android;
mod hybrid;
mod ios;
mod picture;

use elvask_platform::{Level, Platform};
use elvask_project::appfiles::{AndroidApp, Generated, IosApp, Widget};
use elvask_project::layout::Layout;
use elvask_project::loading::Loading;
use elvask_project::source::Place;

pub use self::picture::{Header, Look};

/// What an app says of its icons and start-up pictures.
#[derive(Debug, Clone, Default)]
pub struct Icons {
    /// The pictures that are named.
    pub pictures: Vec<Picture>,
    /// What is named and not there, or is nowhere named.
    pub lacks: Vec<Lack>,
    /// The names of the storyboards that are put into the app on iOS; `None` where that is not known.
    pub storyboards: Option<Vec<String>>,
    /// Why they could not be looked at on a platform.
    pub unseen: Vec<(Platform, String)>,
}

/// A picture that something names.
#[derive(Debug, Clone)]
pub struct Picture {
    /// The platform; `None` for both.
    pub platform: Option<Platform>,
    /// What it is, in words: `the icon of the store`.
    pub what: String,
    /// Its path from the app's folder.
    pub file: String,
    /// Where it is named.
    pub named: Place,
    /// What was found there.
    pub look: Look,
    /// The width and height that it should have, in pixels, where the platform says.
    pub wanted: Option<(u32, u32)>,
    /// Whether another size is no use at all; else a larger one serves, and a smaller one is blurred.
    pub exact: bool,
    /// Whether no part of it may be seen through.
    pub opaque: bool,
    /// What happens where it is absent, in a sentence.
    pub absent: (Level, &'static str),
}

/// Something that should be there.
#[derive(Debug, Clone)]
pub struct Lack {
    /// The platform; `None` for both.
    pub platform: Option<Platform>,
    /// What it is about.
    pub subject: String,
    /// Where it belongs.
    pub place: Place,
    /// What is wrong, in a sentence without a full stop.
    pub message: String,
    /// What happens, in a sentence.
    pub effect: &'static str,
    /// What a person does.
    pub steps: String,
    /// How bad it is while the app is made.
    pub level: Level,
    /// How bad it is when it ships.
    pub ships: Level,
    /// Whether it is told only when the app ships.
    pub only_when_it_ships: bool,
}

/// Looks for the icons and start-up pictures of an app.
pub(crate) fn read(
    loading: &mut Loading<'_>,
    android: Option<&AndroidApp>,
    ios: Option<&IosApp>,
    widget: Option<&Widget>,
    generated: Option<&Generated>,
    layouts: &[Layout],
) -> Icons {
    let mut out = Icons::default();
    // There the build makes them of the project's items.
    if layouts.contains(&Layout::Msbuild) {
        for platform in [android.map(|_| Platform::Android), ios.map(|_| Platform::Ios)].into_iter().flatten() {
            out.unseen.push((platform, "the build makes them of the project's items".to_owned()));
        }
        return out;
    }
    match (generated, widget) {
        (Some(generated), Some(widget)) if generated.layout == Layout::Widget => {
            hybrid::read(loading, widget, &mut out);
        }
        (Some(generated), _) => {
            for platform in [android.map(|_| Platform::Android), ios.map(|_| Platform::Ios)].into_iter().flatten() {
                let document = loading.shown(loading.path(generated.source));
                out.unseen.push((platform, format!("the tools make them of what {document} names")));
            }
        }
        (None, _) => {
            if let Some(android) = android {
                android::read(loading, android, &mut out);
            }
            if let Some(ios) = ios {
                ios::read(loading, ios, &mut out);
            }
        }
    }
    out
}
