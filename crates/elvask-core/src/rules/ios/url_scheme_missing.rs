//! `url-scheme-missing`: a plugin needs a scheme that opens the app.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;
use crate::rules::support::links::{Sides, add_url_scheme, sides};
use crate::rules::support::missing::missing;

const URL_TYPES: &str = "CFBundleURLTypes";

/// See the module.
pub struct UrlSchemeMissing;

static ABOUT: About = About {
    id: "url-scheme-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a URL scheme that a plugin or elvask.toml needs and `CFBundleURLTypes` does not name.",
    effect: "Links with the scheme, such as the way back from a sign-in, open nothing.",
    wrong: "<key>CFBundleURLTypes</key>\n<array>\n</array>",
    right: "<key>CFBundleURLTypes</key>\n<array>\n    <dict>\n        <key>CFBundleURLName</key>\n        <string>example.marram.fieldlog</string>\n        <key>CFBundleURLSchemes</key>\n        <array>\n            <string>marram</string>\n        </array>\n    </dict>\n</array>",
    remedy: "`fill` adds a type with the scheme, named by the bundle id, and the list where there is none.",
    source: "Defining a custom URL scheme for your app",
};

impl Rule for UrlSchemeMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        // A value of another type is told by `plist-type`.
        if plist.entry(URL_TYPES).is_some_and(|entry| entry.value.as_array().is_none()) {
            return;
        }
        missing(context, Kind::UrlScheme, &ABOUT, out);
        // What elvask.toml names and neither platform declares; what one of them does is told by `link-one-sided`.
        let undeclared = |one: &&Sides| {
            let neither = !one.is_host && one.android.is_none() && one.ios.is_none();
            neither && !is_told_as_badly(context.needs.of(Kind::UrlScheme, &one.name), ABOUT.level)
        };
        for one in sides(context, context.links()).iter().filter(undeclared) {
            let (Some(named), Some((place, remedy))) = (one.named, add_url_scheme(context, &one.name)) else {
                continue;
            };
            let message = format!("`{}:` links do not open the app, and elvask.toml names the scheme", one.name);
            out.push(Finding::new(&ABOUT, one.name.clone(), place, message).related(named, "named here").mend(remedy));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "url-scheme-missing";

    fn types(scheme: &str) -> String {
        format!(
            "    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleTypeRole</key>\n            <string>Editor</string>\n            <key>CFBundleURLName</key>\n            <string>example.marram.fieldlog</string>\n            <key>CFBundleURLSchemes</key>\n            <array>\n                <string>{scheme}</string>\n            </array>\n        </dict>\n    </array>\n"
        )
    }

    #[test]
    fn a_scheme_is_added_with_its_type() {
        let name = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";
        let app = Fixture::ios(name).needs("avocet_checkout", "ios.url-scheme = 'marram'").agreed(&["marram"]);
        assert_eq!(app.found(ID), ["error marram 2:1"]);
        app.mends_plist(ID, &format!("{name}{}", types("marram")));
        assert!(Fixture::ios(&types("Marram")).needs("p", "ios.url-scheme = 'marram'").found(ID).is_empty());
    }
}
