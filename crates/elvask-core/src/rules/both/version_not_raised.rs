//! `version-not-raised`: the store has this build already, or a higher one.

use std::cmp::Ordering;

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::account::covers;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;

/// See the module.
pub struct VersionNotRaised;

static ABOUT: About = About {
    id: "version-not-raised",
    level: Level::Error,
    platform: None,
    summary: "Reports a build number that is not higher than the highest one that was uploaded, as elvask/account.toml states it, and a version that was released already, as a tag of the repository or `--last` says.",
    effect: "The store refuses the upload.",
    wrong: "versionCode 41\nhighest-build = 41      # elvask/account.toml",
    right: "versionCode 42",
    remedy: "A person raises it: `elvask identity --set build=42`.",
    source: "Version your app; CFBundleVersion",
};

impl Rule for VersionNotRaised {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut tell = |finding: Finding| {
            if !out.iter().any(|known: &Finding| known.place == finding.place) {
                out.push(finding);
            }
        };
        for one in stated(context) {
            let registered = account(context).and_then(|(account, file)| {
                let id = one.id?;
                let app = account.apps(one.platform)?.iter().find(|app| covers(&app.id.text, id))?;
                Some((app.highest_build.as_ref()?, file))
            });
            if let Some((highest, file)) = registered.filter(|_| one.is_build) {
                let related = (Place { file, span: highest.span }, "the highest that was uploaded");
                let held = one.held(&highest.text, "which the store has", Level::Error);
                held.map(|finding| finding.related(related.0, related.1)).into_iter().for_each(&mut tell);
            }
            let Some(last) = &context.settings.last else { continue };
            let (before, certain) = match one.is_build {
                true => (&last.build, last.certain),
                // The store for Android compares builds alone.
                false => (&last.version, last.certain && one.platform == Platform::Ios),
            };
            let level = if certain { Level::Error } else { Level::Warning };
            if let Some(before) = before {
                one.held(before, &format!("which {}", last.said), level).into_iter().for_each(&mut tell);
            }
        }
    }
}

/// A version or a build as the app states it.
struct StatedNumber<'a> {
    platform: Platform,
    id: Option<&'a String>,
    what: &'static str,
    is_build: bool,
    value: String,
    place: Place,
}

impl StatedNumber<'_> {
    /// Holds it against an earlier one and returns what there is to tell.
    fn held(&self, before: &str, who: &str, level: Level) -> Option<Finding> {
        let what = self.what;
        if compare(&self.value, before)?.is_gt() {
            return None;
        }
        let message = format!("{what} {} is not higher than {before}, {who}", self.value);
        let steps = format!("Raise {what} above {before}.");
        let mut finding = Finding::new(&ABOUT, what, self.place, message).level(level).mend(Remedy::Manual(steps));
        if !self.is_build {
            finding = finding.effect(match self.platform {
                Platform::Ios => "The store takes no build for a version that is out already.",
                Platform::Android => {
                    "People see the version that they have, and cannot tell whether they have the update."
                }
            });
        }
        finding.platform = Some(self.platform);
        Some(finding)
    }
}

/// Returns the versions and builds of what ships that are known without a build.
fn stated<'a>(context: &Context<'a>) -> Vec<StatedNumber<'a>> {
    let mut out = Vec::new();
    let mut add = |platform, id, (what, is_build), value: Option<String>, place: Option<Place>| {
        if let (Some(value), Some(place)) = (value, place) {
            out.push(StatedNumber { platform, id, what, is_build, value, place });
        }
    };
    if let Some(ios) = &context.app.ios {
        let id = ios.id.value.as_ref();
        let (build, at) = context.listed_or("CFBundleVersion", &ios.build);
        add(Platform::Ios, id, ("the build", true), build, at);
        let (version, at) = context.listed_or("CFBundleShortVersionString", &ios.version);
        add(Platform::Ios, id, ("the version", false), version, at);
    }
    for variant in context.app.android.iter().flat_map(elvask_project::appfiles::AndroidApp::judged) {
        let id = variant.id.value.as_ref();
        let (code, name) = (&variant.version_code, &variant.version_name);
        add(Platform::Android, id, ("versionCode", true), code.value.map(|code| code.to_string()), code.place);
        add(Platform::Android, id, ("versionName", false), name.value.clone(), name.place);
    }
    out
}

/// Compares two build numbers of one to three numbers with points between; `None` where one is something else.
///
/// Source: "CFBundleVersion".
fn compare(one: &str, other: &str) -> Option<Ordering> {
    let parts = |text: &str| -> Option<Vec<u64>> {
        let mut parts = text.split('.').map(|part| part.parse().ok()).collect::<Option<Vec<u64>>>()?;
        parts.resize(parts.len().max(3), 0);
        Some(parts)
    };
    Some(parts(one)?.cmp(&parts(other)?))
}

#[cfg(test)]
mod tests {
    use std::cmp::Ordering;

    use super::compare;
    use crate::needs::LastRelease;
    use crate::testing::Fixture;

    const ID: &str = "version-not-raised";

    fn found(highest: &str) -> Vec<String> {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    applicationId 'example.marram'\n    versionCode 41\n  }\n}\n";
        let account = format!("account = 1\n[[android.apps]]\nid = 'example.marram'\n{highest}\n");
        let mut app = Fixture::android("").build(build).file("elvask/account.toml", &account);
        app.settings.accounts = true;
        app.found(ID)
    }

    #[test]
    fn a_build_that_the_store_has_is_told() {
        assert_eq!(found("highest-build = 41"), ["error versionCode 6:17"]);
        assert_eq!(found("highest-build = '120'").len(), 1);
        assert!(found("highest-build = 40").is_empty());
        assert!(found("").is_empty(), "the file does not speak of it");
    }

    #[test]
    fn a_version_that_was_released_already_is_told() {
        let build = "plugins { id 'com.android.application' }\nandroid {\n  namespace 'example.marram'\n  defaultConfig {\n    versionCode 41\n    versionName '2.4.0'\n  }\n}\n";
        let found = |last: &str, certain: bool| {
            let mut app = Fixture::android("").build(build);
            app.settings.release = true;
            app.settings.last = Some(LastRelease::read(last, "is tagged".to_owned(), certain).unwrap());
            app.found(ID)
        };
        assert_eq!(found("2.4.0", true), ["warning versionName 6:17"], "the store compares builds");
        assert_eq!(found("2.10+41", true), ["error versionCode 5:17", "warning versionName 6:17"]);
        assert_eq!(found("+41", false), ["warning versionCode 5:17"]);
        assert!(found("2.3.9+40", true).is_empty());
        let list = "    <key>CFBundleShortVersionString</key>\n    <string>2.4.0</string>\n";
        let mut ios = Fixture::ios(list);
        ios.settings.release = true;
        ios.settings.last = Some(LastRelease::read("2.4", "is out".to_owned(), true).unwrap());
        assert_eq!(ios.found(ID), ["error the version 4:5"]);
        for wrong in ["", "v2", "2..1", "2.1+x"] {
            assert!(LastRelease::read(wrong, String::new(), true).is_err(), "{wrong}");
        }
    }

    #[test]
    fn builds_are_compared_number_by_number() {
        assert_eq!(compare("1.10", "1.9"), Some(Ordering::Greater));
        assert_eq!(compare("3", "3.0.0"), Some(Ordering::Equal));
        assert_eq!(compare("$(BUILD)", "3"), None);
    }
}
