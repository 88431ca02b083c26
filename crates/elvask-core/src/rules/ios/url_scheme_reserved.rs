//! `url-scheme-reserved`: the app declares a scheme that the system keeps for itself.

use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct UrlSchemeReserved;

static ABOUT: About = About {
    id: "url-scheme-reserved",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a scheme under `CFBundleURLTypes` that the system keeps for its own apps.",
    effect: "The system opens its own app for such links, never this one.",
    wrong: "<key>CFBundleURLSchemes</key>\n<array>\n    <string>https</string>\n</array>",
    right: "<key>com.apple.developer.associated-domains</key>\n<array>\n    <string>applinks:marram.example</string>\n</array>",
    remedy: "Left to a person: web links are claimed with an associated domain (`elvask declare link`), and other reserved schemes not at all.",
    source: "Defining a custom URL scheme for your app",
};

impl Rule for UrlSchemeReserved {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(links) = &context.links().ios else { return };
        for declared in &links.schemes {
            let Some(kept) = ios::reserved_scheme(&declared.scheme) else { continue };
            let message = format!("the system keeps the scheme `{}` for itself and opens {kept}", declared.scheme);
            let web = declared.scheme.to_ascii_lowercase().starts_with("http");
            let steps = if web {
                "Remove the scheme; `elvask declare link https://HOST/*` claims the links of a website."
            } else {
                "Remove the scheme, and give the app's links a scheme of their own."
            };
            out.push(
                Finding::new(&ABOUT, declared.scheme.clone(), declared.place, message)
                    .mend(Remedy::Manual(steps.to_owned())),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn the_schemes_of_the_system_are_told() {
        let types = |scheme: &str| {
            format!(
                "<key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array><string>{scheme}</string></array></dict></array>\n"
            )
        };
        assert_eq!(Fixture::ios(&types("HTTPS")).found("url-scheme-reserved").len(), 1);
        assert!(Fixture::ios(&types("marram")).found("url-scheme-reserved").is_empty());
    }
}
