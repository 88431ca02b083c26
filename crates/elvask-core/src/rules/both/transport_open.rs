//! `transport-open`: the app lets itself use connections that are not protected.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::network::{self, ATTRIBUTE, Android, NARROWER, OPENING, TRANSPORT, is_local};
use crate::rules::Rule;
use crate::rules::support::shares::{entry, is_true};

/// See the module.
pub struct TransportOpen;

static ABOUT: About = About {
    id: "transport-open",
    level: Level::Note,
    platform: None,
    summary: "Reports connections without protection that the app allows itself: to every host, or to a named one, and an exception that does not open what it seems to. What elvask.toml names under `[[network.cleartext]]` is accepted; beside such a list, what is wider is a warning.",
    effect: "The store asks why. Anyone on the way can read and change what is sent.",
    wrong: "<key>NSAllowsArbitraryLoads</key>\n<true/>",
    right: "<key>NSExceptionDomains</key>\n<dict>\n    <key>tide.marram.example</key>\n    <dict>\n        <key>NSExceptionAllowsInsecureHTTPLoads</key>\n        <true/>\n    </dict>\n</dict>",
    remedy: "A person names the hosts that have no protected connection, or removes the exception.",
    source: "NSAppTransportSecurity; Network security configuration",
};

impl Rule for TransportOpen {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        on_android(context, out);
        on_ios(context, out);
    }
}

/// Says whether the owner names a host that has no protection.
fn is_accepted(context: &Context<'_>, host: &str) -> bool {
    let named = context.app.config.network.iter().flat_map(|network| &network.cleartext);
    named.into_iter().any(|one| one.host.text.eq_ignore_ascii_case(host))
}

/// Tells of what is open to every host: where the owner names those that want it, the rest should be closed.
fn every_host(context: &Context<'_>, platform: Platform, (subject, place): (&str, Place), steps: &str) -> Finding {
    let message = "the app allows itself connections without protection to every host".to_owned();
    let named = context.app.config.network.is_some();
    let mut finding = Finding::new(&ABOUT, subject, place, message).mend(Remedy::Manual(steps.to_owned()));
    if named {
        finding = finding.level(Level::Warning);
    }
    finding.platform = Some(platform);
    finding
}

fn one_host(context: &Context<'_>, platform: Platform, host: &str, place: Place) -> Option<Finding> {
    if is_local(host) || is_accepted(context, host) {
        return None;
    }
    let message = format!("the app allows itself connections without protection to {host}");
    let steps = "Let the host answer over https, and remove the exception.";
    let mut finding = Finding::new(&ABOUT, host, place, message).mend(Remedy::Manual(steps.to_owned()));
    finding.platform = Some(platform);
    Some(finding)
}

fn on_android(context: &Context<'_>, out: &mut Vec<Finding>) {
    let mut found: Vec<Finding> = Vec::new();
    for variant in &context.variants {
        let mut of_variant: Vec<Finding> = Vec::new();
        let mut open = |subject: &str, place: Place, steps: &str| {
            // What a package states is its own affair, and the app's to close.
            if context.manifest_of(place.file).is_some() || subject != ATTRIBUTE {
                of_variant.push(every_host(context, Platform::Android, (subject, place), steps));
            }
        };
        match network::android(context, variant) {
            Android::Config(config) => {
                let others = config.of_others(variant.levels.target);
                if let Some(place) = others.by.filter(|_| others.open) {
                    open(
                        "base-config",
                        place,
                        "Name the hosts that need it in a domain-config, and close the base-config.",
                    );
                } else {
                    let hosts = config.open_hosts().into_iter();
                    of_variant
                        .extend(hosts.filter_map(|(host, place)| one_host(context, Platform::Android, &host, place)));
                }
            }
            Android::Attribute(decided) => {
                if let Some(place) = decided.by.filter(|_| decided.open) {
                    open(
                        ATTRIBUTE,
                        place,
                        "Name the hosts that need it in a network security configuration, and remove the attribute.",
                    );
                }
            }
            Android::Nothing(_) | Android::Unknown => {}
        }
        for one in of_variant {
            match found.iter_mut().find(|known| known.place == one.place) {
                Some(known) => known.variants.push(variant.variant.clone()),
                None => found.push(one.in_variants(vec![variant.variant.clone()])),
            }
        }
    }
    out.extend(found);
}

fn on_ios(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist else { return };
    let Some(transport) = plist.entry(TRANSPORT).and_then(|entry| entry.value.as_dict()) else { return };
    if let Some(all) = entry(transport, "NSAllowsArbitraryLoads").filter(|entry| is_true(entry)) {
        let place = plist.at(all.key_span);
        let narrower = NARROWER.iter().find(|key| entry(transport, key).is_some());
        out.push(match narrower {
            Some(key) => {
                let message = format!("NSAllowsArbitraryLoads is ignored where {key} is there");
                let steps =
                    format!("Keep the one of the two that is meant; with {key} alone other hosts stay protected.");
                let mut finding = Finding::new(&ABOUT, "NSAllowsArbitraryLoads", place, message)
                    .level(Level::Warning)
                    .effect("Systems from iOS 10 go by the narrower key: other connections without protection fail.")
                    .mend(Remedy::Manual(steps));
                finding.platform = Some(Platform::Ios);
                finding
            }
            None => every_host(
                context,
                Platform::Ios,
                ("NSAllowsArbitraryLoads", place),
                "Name the hosts that need it under NSExceptionDomains.",
            ),
        });
    }
    let hosts = entry(transport, "NSExceptionDomains").and_then(|entry| entry.value.as_dict()).unwrap_or_default();
    for host in hosts {
        let Some(said) = host.value.as_dict() else { continue };
        if OPENING.iter().filter_map(|key| entry(said, key)).any(is_true) {
            out.extend(one_host(context, Platform::Ios, &host.key, plist.at(host.key_span)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "transport-open";

    fn transport(inside: &str) -> Fixture {
        Fixture::ios(&format!("    <key>NSAppTransportSecurity</key>\n    <dict>\n{inside}    </dict>\n"))
    }

    fn key(name: &str, value: &str) -> String {
        format!("        <key>{name}</key>\n        <{value}/>\n")
    }

    #[test]
    fn what_is_open_is_told() {
        let all = key("NSAllowsArbitraryLoads", "true");
        assert_eq!(transport(&all).found(ID), ["note NSAllowsArbitraryLoads 5:9"]);
        transport(&all).is_left_alone();
        assert!(transport(&key("NSAllowsArbitraryLoads", "false")).found(ID).is_empty());
        let both = format!("{all}{}", key("NSAllowsLocalNetworking", "true"));
        assert_eq!(transport(&both).found(ID), ["warning NSAllowsArbitraryLoads 5:9"]);
        assert!(transport(&key("NSAllowsLocalNetworking", "true")).found(ID).is_empty());
    }

    #[test]
    fn android_is_told_of_too_and_what_the_owner_names_is_accepted() {
        let app = |attributes: &str| Fixture::android(&format!("    <application{attributes} />\n")).levels(24, 36);
        let open = app(" android:usesCleartextTraffic=\"true\"");
        assert_eq!(open.found(ID), ["note usesCleartextTraffic 2:48"]);
        assert_eq!(open.toml("[network]\nhosts = []\n").found(ID), ["warning usesCleartextTraffic 2:48"]);
        assert!(app("").found(ID).is_empty());
        let config = "<network-security-config>\n    <domain-config cleartextTrafficPermitted=\"true\">\n        <domain>tide.marram.example</domain>\n        <domain>10.0.3.2</domain>\n    </domain-config>\n</network-security-config>\n";
        let named =
            app(" android:networkSecurityConfig=\"@xml/net\"").file("android/app/src/main/res/xml/net.xml", config);
        assert_eq!(named.found(ID), ["note tide.marram.example 3:17"]);
        let accepted =
            named.toml("[[network.cleartext]]\nhost = 'tide.marram.example'\nreason = 'The gauge is old.'\n");
        assert!(accepted.found(ID).is_empty());
    }

    #[test]
    fn named_hosts_are_told_and_the_own_machine_is_not() {
        let host = |name: &str| {
            format!(
                "        <key>NSExceptionDomains</key>\n        <dict>\n            <key>{name}</key>\n            <dict>\n                <key>NSExceptionAllowsInsecureHTTPLoads</key>\n                <true/>\n            </dict>\n        </dict>\n"
            )
        };
        assert_eq!(transport(&host("tide.marram.example")).found(ID), ["note tide.marram.example 7:13"]);
        assert!(transport(&host("localhost")).found(ID).is_empty());
    }
}
