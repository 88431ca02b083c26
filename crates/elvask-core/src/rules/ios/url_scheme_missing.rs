//! `url-scheme-missing`: a plugin needs a scheme that opens the app.

use elvask_markup::plist::plan::NewValue;
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level};
use crate::requirement::Kind;
use crate::rules::support::{add_to_list, who_needs};
use crate::rules::{About, Rule};

const URL_TYPES: &str = "CFBundleURLTypes";

/// See the module.
pub struct UrlSchemeMissing;

static ABOUT: About = About {
    id: "url-scheme-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a URL scheme that a plugin needs and `CFBundleURLTypes` does not name.",
    effect: "The way back into the app is missing: after signing in or paying elsewhere, the browser says that the address is invalid.",
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
        let entry = plist.entry(URL_TYPES);
        let types = entry.and_then(|entry| entry.value.as_array());
        if entry.is_some() && types.is_none() {
            return;
        }
        let declared: Vec<&str> = types
            .unwrap_or_default()
            .iter()
            .flat_map(|one| one.as_dict().unwrap_or_default())
            .filter(|entry| entry.key == "CFBundleURLSchemes")
            .flat_map(|entry| entry.value.as_array().unwrap_or_default())
            .filter_map(|value| value.as_str())
            .collect();
        for group in context.needs.groups(Kind::UrlScheme) {
            if declared.iter().any(|scheme| scheme.eq_ignore_ascii_case(group.name)) {
                continue;
            }
            let text = |text: &str| NewValue::String(text.to_owned());
            let id = context.app.ios.as_ref().and_then(|ios| ios.id.value.clone());
            let mut fields = vec![("CFBundleTypeRole".to_owned(), text("Editor"))];
            fields.extend(id.map(|id| ("CFBundleURLName".to_owned(), NewValue::String(id))));
            fields.push(("CFBundleURLSchemes".to_owned(), NewValue::Array(vec![text(group.name)])));
            let value = NewValue::Dict(fields);
            let title = format!("add the scheme {}", group.name);
            let (place, remedy) = add_to_list(context, title, plist, URL_TYPES, value);
            let who = who_needs(context, group.requirements);
            let message = format!("`{}:` links do not open the app, and {who} the scheme", group.name);
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(Level::of_strength(group.strength()))
                    .needed_by(context.app, group.requirements)
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "url-scheme-missing";

    fn types(scheme: &str) -> String {
        format!(
            "    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleTypeRole</key>\n            <string>Editor</string>\n            <key>CFBundleURLName</key>\n            <string>example.marram.fieldlog</string>\n            <key>CFBundleURLSchemes</key>\n            <array>\n                <string>{scheme}</string>\n            </array>\n        </dict>\n    </array>\n"
        )
    }

    #[test]
    fn a_scheme_is_added_with_its_type() {
        let name = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";
        let app = Fixture::ios(name).needs("avocet_checkout", "ios.url-scheme = 'marram'");
        assert_eq!(app.found(ID), ["error marram 2:1"]);
        app.mends_plist(ID, &format!("{name}{}", types("marram")));
        assert!(Fixture::ios(&types("Marram")).needs("p", "ios.url-scheme = 'marram'").found(ID).is_empty());
    }
}
