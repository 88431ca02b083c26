//! `link-local-host`: what ships opens links of a host that only the developer's machine or network has.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::network::is_local;
use crate::rules::Rule;

/// See the module.
pub struct LinkLocalHost;

static ABOUT: About = About {
    id: "link-local-host",
    level: Level::Warning,
    platform: None,
    summary: "Reports a link filter or an associated domain of a host of this machine or of a private network, with `--release`.",
    effect: "No link of that host reaches anybody, and the one that was meant is missing.",
    wrong: "<data android:scheme=\"https\" android:host=\"10.0.2.2\" />",
    right: "<data android:scheme=\"https\" android:host=\"marram.example\" />",
    remedy: "A person names the host of the website, or states the other one for debug builds alone.",
    source: "RFC 1918, Address Allocation for Private Internets; RFC 6761, Special-Use Domain Names",
};

impl Rule for LinkLocalHost {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        // Until it ships, that is how links are tried.
        settings.release
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut tell = |host: &str, platform: Platform, place: Place, what: &str| {
            if !is_local(host) || out.iter().any(|known: &Finding| known.place == place) {
                return;
            }
            let message = format!("{what} names {host}, which nobody else reaches");
            let steps = "Name the host of the website, or state this one for debug builds alone.";
            let mut finding = Finding::new(&ABOUT, host, place, message).mend(Remedy::Manual(steps.to_owned()));
            finding.platform = Some(platform);
            out.push(finding);
        };
        for variant in &context.variants {
            for data in variant.merged.all().filter(|element| element.name == "data") {
                let web = data.value("scheme").is_none_or(|scheme| matches!(scheme, "http" | "https"));
                if let Some(host) = data.attribute("host").filter(|_| web) {
                    tell(&host.value, Platform::Android, host.place, "the filter");
                }
            }
        }
        let Some((file, list)) = context.surface.entitlements() else { return };
        let entry = list.entry("com.apple.developer.associated-domains");
        for value in entry.and_then(|entry| entry.value.as_array()).unwrap_or_default() {
            let Some(text) = value.as_str() else { continue };
            let host = text.split_once(':').map_or(text, |(_, host)| host).split(['?', ':']).next().unwrap_or_default();
            tell(host, Platform::Ios, Place { file, span: value.span }, "the associated domain");
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "link-local-host";

    fn filter(host: &str) -> Fixture {
        let mut app = Fixture::android(&format!(
            "    <application>\n        <activity android:name=\".Log\" android:exported=\"true\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.VIEW\" />\n                <category android:name=\"android.intent.category.DEFAULT\" />\n                <category android:name=\"android.intent.category.BROWSABLE\" />\n                <data android:scheme=\"https\" android:host=\"{host}\" />\n            </intent-filter>\n        </activity>\n    </application>\n"
        ));
        app.settings.release = true;
        app
    }

    #[test]
    fn hosts_of_the_desk_do_not_ship() {
        assert_eq!(filter("10.0.2.2").found(ID), ["warning 10.0.2.2 8:60"]);
        assert!(filter("marram.example").found(ID).is_empty());
        let mut tried = filter("localhost");
        tried.settings.release = false;
        assert!(tried.found(ID).is_empty(), "that is how links are tried");
        let mut ios = Fixture::ios("").domains(&["applinks:marram.local"]);
        ios.settings.release = true;
        assert_eq!(ios.found(ID).len(), 1);
    }
}
