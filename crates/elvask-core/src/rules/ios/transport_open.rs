//! `transport-open`: the app lets itself use connections that are not protected.

use elvask_markup::plist::{Entry, ValueKind};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::shares::entry;

/// See the module.
pub struct TransportOpen;

static ABOUT: About = About {
    id: "transport-open",
    level: Level::Note,
    platform: Some(Platform::Ios),
    summary: "Reports connections without protection that the app allows itself: to every host, or to a named one, and an exception that does not open what it seems to.",
    effect: "The store asks why. Anyone on the way can read and change what is sent.",
    wrong: "<key>NSAllowsArbitraryLoads</key>\n<true/>",
    right: "<key>NSExceptionDomains</key>\n<dict>\n    <key>tide.marram.example</key>\n    <dict>\n        <key>NSExceptionAllowsInsecureHTTPLoads</key>\n        <true/>\n    </dict>\n</dict>",
    remedy: "A person names the hosts that have no protected connection, or removes the exception.",
    source: "NSAppTransportSecurity",
};

/// Each of these, wherever it is there, makes newer systems ignore the one for all loads.
const NARROWER: [&str; 3] =
    ["NSAllowsArbitraryLoadsForMedia", "NSAllowsArbitraryLoadsInWebContent", "NSAllowsLocalNetworking"];
/// A host of the machine on which the app is developed.
const OWN_MACHINE: [&str; 2] = ["localhost", "127.0.0.1"];

impl Rule for TransportOpen {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let Some(transport) = plist.entry("NSAppTransportSecurity").and_then(|entry| entry.value.as_dict()) else {
            return;
        };
        let place = |entry: &Entry| plist.at(entry.key_span);
        if let Some(all) = entry(transport, "NSAllowsArbitraryLoads").filter(|entry| is_true(entry)) {
            let narrower = NARROWER.iter().find(|key| entry(transport, key).is_some());
            out.push(match narrower {
                Some(key) => {
                    let message = format!("NSAllowsArbitraryLoads is ignored where {key} is there");
                    Finding::new(&ABOUT, "NSAllowsArbitraryLoads", place(all), message)
                        .level(Level::Warning)
                        .effect(
                            "Systems from iOS 10 go by the narrower key: other connections without protection fail.",
                        )
                        .mend(Remedy::Manual(format!(
                            "Keep the one of the two that is meant; with {key} alone other hosts stay protected."
                        )))
                }
                None => {
                    let message = "the app allows itself connections without protection to every host".to_owned();
                    Finding::new(&ABOUT, "NSAllowsArbitraryLoads", place(all), message)
                        .mend(Remedy::Manual("Name the hosts that need it under NSExceptionDomains.".to_owned()))
                }
            });
        }
        let hosts = entry(transport, "NSExceptionDomains").and_then(|entry| entry.value.as_dict()).unwrap_or_default();
        for host in hosts.iter().filter(|host| !OWN_MACHINE.contains(&host.key.as_str())) {
            let Some(said) = host.value.as_dict() else { continue };
            let opens = ["NSExceptionAllowsInsecureHTTPLoads", "NSTemporaryExceptionAllowsInsecureHTTPLoads"];
            if opens.iter().filter_map(|key| entry(said, key)).any(is_true) {
                let message = format!("the app allows itself connections without protection to {}", host.key);
                let steps = "Let the host answer over https, and remove the exception.";
                out.push(
                    Finding::new(&ABOUT, host.key.clone(), place(host), message).mend(Remedy::Manual(steps.to_owned())),
                );
            }
        }
    }
}

fn is_true(entry: &Entry) -> bool {
    matches!(entry.value.kind, ValueKind::Bool(true))
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
