//! The expectations of `elvask.toml`: which links must open the app with which parts, and which must not.

use elvask_markup::Span;
use elvask_platform::Platform;
use elvask_project::source::{FileId, Place, Sources};
use elvask_project::tomldoc::Text;

use crate::app::AppLinks;
use crate::association::Website;
use crate::attempt::{Attempt, Outcome};
use crate::device::Device;
use crate::route::{self, BROWSER};
use crate::url::Link;

/// What must come of a link.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkTest {
    /// The link as it is written.
    pub url: Text,
    /// The link.
    pub link: Link,
    /// What it must open: what a route opens, or `app`, `browser`, `chooser`, `nothing`.
    pub opens: Text,
    /// The parts and parameters that must be read from it.
    pub with: Vec<(String, Text)>,
    /// The platform that it is for; `None` for both.
    pub platform: Option<Platform>,
    /// The level of the Android device.
    pub level: Option<u32>,
    /// The expectation as a whole.
    pub span: Span,
}

/// What the owner expects of links.
#[derive(Debug, Clone, Copy)]
pub struct Expectations<'c> {
    /// The expectations, in their order.
    pub tests: &'c [LinkTest],
    /// What the links of the app open.
    pub routes: &'c [route::Route],
    /// The file that states both.
    pub file: Option<FileId>,
}

/// What one expectation comes to on one platform.
#[derive(Debug, Clone)]
pub struct Tested<'c> {
    /// The expectation.
    pub test: &'c LinkTest,
    /// Where it stands.
    pub place: Option<Place>,
    /// The platform.
    pub platform: Platform,
    /// The Android variant, where there are several.
    pub variant: Option<String>,
    /// What the platform does.
    pub attempt: Attempt,
    /// Why that is not what is expected, in a sentence without a full stop; `None` where it is.
    pub failure: Option<String>,
}

/// Runs all expectations on all platforms and variants that they concern.
#[must_use]
pub fn run<'c>(
    expected: Expectations<'c>,
    links: &AppLinks,
    sources: &Sources,
    device: Device,
    site: Option<&dyn Website>,
) -> Vec<Tested<'c>> {
    let mut out = Vec::new();
    for test in expected.tests {
        let place = expected.file.map(|file| Place { file, span: test.span });
        let device = Device { level: test.level.unwrap_or(device.level), ..device };
        let mut add = |platform: Platform, variant: Option<String>, attempt: Attempt| {
            let failure = judge(test, expected.routes, &attempt);
            out.push(Tested { test, place, platform, variant, attempt, failure });
        };
        let on = |platform: Platform| test.platform.is_none_or(|only| only == platform);
        for (variant, android) in links.android.iter().filter(|_| on(Platform::Android)) {
            let name = (links.android.len() > 1).then(|| variant.clone());
            add(Platform::Android, name, android.open(&test.link, device.level, site, sources));
        }
        if let Some(ios) = links.ios.as_ref().filter(|_| on(Platform::Ios)) {
            add(Platform::Ios, None, ios.open(&test.link, device.version, site, sources));
        }
    }
    out
}

/// Says why an attempt is not what is expected.
fn judge(test: &LinkTest, routes: &[route::Route], attempt: &Attempt) -> Option<String> {
    let got = attempt.outcome;
    let opened = match got {
        Outcome::App => "it opens the app",
        Outcome::Chooser => "it shows a chooser",
        Outcome::Browser => "it opens the browser",
        Outcome::Nothing => "it opens nothing",
    };
    let wanted = match test.opens.text.as_str() {
        BROWSER => Outcome::Browser,
        "nothing" => Outcome::Nothing,
        "chooser" => Outcome::Chooser,
        _ => Outcome::App,
    };
    if got != wanted {
        return Some(format!("{opened}: {}", attempt.because));
    }
    if got != Outcome::App {
        return None;
    }
    parts(test, routes, &test.link)
}

fn parts(test: &LinkTest, routes: &[route::Route], link: &Link) -> Option<String> {
    let met = route::met(routes, link);
    if test.opens.text != "app" {
        match &met {
            Some(met) if met.route.opens == test.opens.text => {}
            Some(met) => {
                return Some(format!("it meets the route {}, which opens {}", met.route.path, met.route.opens));
            }
            None => {
                return Some(format!("the app opens, and the link meets no route; the routes are {}", listed(routes)));
            }
        }
    }
    let parts = link.parts();
    for (name, wanted) in &test.with {
        let of_route = met.as_ref().and_then(|met| met.with.iter().find(|(known, _)| known == name));
        let got = of_route.map(|(_, value)| value.as_str()).or_else(|| parts.parameter(name));
        match got {
            Some(got) if got == wanted.text => {}
            Some(got) => return Some(format!("{name} is `{got}`, not `{}`", wanted.text)),
            None => return Some(format!("the link has no part and no parameter named {name}")),
        }
    }
    None
}

fn listed(routes: &[route::Route]) -> String {
    if routes.is_empty() {
        "none".to_owned()
    } else {
        routes.iter().map(|route| route.path.as_str()).collect::<Vec<_>>().join(", ")
    }
}
