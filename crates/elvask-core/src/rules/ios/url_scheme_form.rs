//! `url-scheme-form`: a URL scheme is written so that no link has it.

use elvask_markup::plist::Value;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::correct_entry;

/// See the module.
pub struct UrlSchemeForm;

static ABOUT: About = About {
    id: "url-scheme-form",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a scheme under `CFBundleURLTypes` that no link can have.",
    effect: "Links with the scheme open nothing: the browser reports an invalid address.",
    wrong: "<key>CFBundleURLSchemes</key>\n<array>\n    <string>marram://</string>\n</array>",
    right: "<key>CFBundleURLSchemes</key>\n<array>\n    <string>marram</string>\n</array>",
    remedy: "`fill` takes `://` and blanks off; a scheme with other signs that none can have is left to a person.",
    source: "Defining a custom URL scheme for your app",
};

impl Rule for UrlSchemeForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let types = plist.entry("CFBundleURLTypes").and_then(|entry| entry.value.as_array()).unwrap_or_default();
        let lists = types.iter().filter_map(Value::as_dict).flatten().filter(|entry| entry.key == "CFBundleURLSchemes");
        let lists: Vec<&[Value]> = lists.map(|entry| entry.value.as_array().unwrap_or_default()).collect();
        let elsewhere = |list: &[Value], scheme: &str| {
            let others = lists.iter().filter(|other| !std::ptr::eq(**other, list));
            others.flat_map(|other| other.iter()).any(|other| other.as_str() == Some(scheme))
        };
        for (list, value) in lists.iter().flat_map(|list| list.iter().map(move |value| (*list, value))) {
            let Some(written) = value.as_str().filter(|text| !text.contains('$')) else { continue };
            if is_scheme(written) {
                continue;
            }
            let bare = written.trim().split(':').next().unwrap_or_default();
            let (message, remedy) = if is_scheme(bare) {
                let message =
                    format!("`{written}` is not a URL scheme: it is written without the colon and what follows");
                let meant = |other: &str| Some(other.trim().split(':').next().unwrap_or_default().to_owned());
                let remedy = match elsewhere(list, bare) {
                    true => Remedy::Manual(format!("Remove it: another URL type has {bare} already.")),
                    false => correct_entry((plist.file, plist.list), list, value, bare, meant),
                };
                (message, remedy)
            } else {
                let message = format!(
                    "`{written}` is not a URL scheme: it starts with a letter and goes on with letters, digits, `+`, `-` and `.`"
                );
                (message, Remedy::Manual("Choose another scheme, and use it in the links too.".to_owned()))
            };
            out.push(Finding::new(&ABOUT, written, plist.at(value.span), message).mend(remedy));
        }
    }
}

fn is_scheme(text: &str) -> bool {
    let mut letters = text.chars();
    letters.next().is_some_and(|first| first.is_ascii_alphabetic())
        && letters.all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '+' | '-' | '.'))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "url-scheme-form";

    fn types(scheme: &str) -> String {
        format!(
            "    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleURLSchemes</key>\n            <array>\n                <string>{scheme}</string>\n            </array>\n        </dict>\n    </array>\n"
        )
    }

    #[test]
    fn a_scheme_stands_without_its_colon() {
        let app = Fixture::ios(&types("marram://"));
        assert_eq!(app.found(ID), ["error marram:// 8:17"]);
        app.mends_plist(ID, &types("marram"));
        let odd = Fixture::ios(&types("field_log"));
        assert_eq!(odd.findings(ID)[0].remedy.kind(), "manual");
        assert!(Fixture::ios(&types("$(SCHEME)")).found(ID).is_empty(), "what the build puts in is not judged");
    }
}
