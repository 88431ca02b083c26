//! `domain-form`: an associated domain is written so that it names no host.

use elvask_link::ios::DOMAINS;
use elvask_markup::plist::Value;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::correct_entry;

/// See the module.
pub struct DomainForm;

static ABOUT: About = About {
    id: "domain-form",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an associated domain that is not written as service, colon, host.",
    effect: "The system ignores the entry: links of the host open the browser.",
    wrong: "<string>applinks:https://marram.example/</string>",
    right: "<string>applinks:marram.example</string>",
    remedy: "`fill` writes only the host, in small letters, behind its service; `applinks` is taken where none is named. What is not a host at all is left to a person.",
    source: "Associated Domains Entitlement",
};

const SERVICES: [&str; 4] = ["applinks", "webcredentials", "appclips", "activitycontinuation"];

impl Rule for DomainForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((file, list)) = context.surface.entitlements() else { return };
        let values = list.entry(DOMAINS).and_then(|entry| entry.value.as_array()).unwrap_or_default();
        for value in values {
            let Some(written) = Value::as_str(value).filter(|text| !text.contains('$')) else { continue };
            let Some((message, right)) = judge(written) else { continue };
            let remedy = match right {
                Some(right) => {
                    let meant = |other: &str| judge(other).and_then(|(_, right)| right);
                    correct_entry((file, list), values, value, &right, meant)
                }
                None => Remedy::Manual("Write it as applinks:HOST, such as applinks:marram.example, or applinks:*.marram.example for all below it.".to_owned()),
            };
            out.push(Finding::new(&ABOUT, written, Place { file, span: value.span }, message).mend(remedy));
        }
    }
}

/// Says what is wrong with an entry, and what is meant.
fn judge(written: &str) -> Option<(String, Option<String>)> {
    let (service, rest) = match written.split_once(':') {
        Some((service, rest)) if SERVICES.contains(&service) => (service, rest),
        Some((service, rest)) if SERVICES.contains(&service.trim().to_ascii_lowercase().as_str()) => {
            let right = format!("{}:{}", service.trim().to_ascii_lowercase(), rest.trim());
            return Some((format!("`{written}`: the service is written in small letters"), Some(right)));
        }
        Some((service, _)) if !service.contains('.') && !written.contains("://") => {
            return Some((
                format!("`{service}` is not a service of a domain; there are {}", SERVICES.join(", ")),
                None,
            ));
        }
        _ => ("", written),
    };
    let (place, mode) = rest.split_once('?').map_or((rest, None), |(place, mode)| (place, Some(mode)));
    let bare = place.trim().split_once("://").map_or(place.trim(), |(_, bare)| bare);
    let bare = bare.split('/').next().unwrap_or_default();
    let host = bare.to_ascii_lowercase();
    let name = host.strip_prefix("*.").unwrap_or(&host);
    let (name, port) = name.split_once(':').map_or((name, None), |(name, port)| (name, Some(port)));
    let plain = name.contains('.')
        && name.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-'))
        && !name.starts_with('.')
        && port.is_none_or(|port| port.parse::<u16>().is_ok());
    let good_mode = mode.is_none_or(|mode| {
        matches!(mode, "mode=developer" | "mode=managed" | "mode=developer+managed" | "mode=managed+developer")
    });
    let tail = mode.filter(|_| good_mode).map(|mode| format!("?{mode}")).unwrap_or_default();
    let right = format!("{}:{host}{tail}", if service.is_empty() { "applinks" } else { service });
    if right == written && plain {
        return None;
    }
    if !plain {
        let meant = idna::domain_to_ascii(bare).ok().filter(|ascii| !bare.is_ascii() && ascii.contains('.'));
        return Some((
            format!("`{written}` names no host that a link can have"),
            meant.map(|ascii| format!("{}:{ascii}{tail}", if service.is_empty() { "applinks" } else { service })),
        ));
    }
    let why = if service.is_empty() {
        "it lacks its service"
    } else if !good_mode {
        "what follows `?` is not a mode"
    } else if host != bare {
        "a host is written in small letters"
    } else {
        "a domain is a host without scheme, path and slash"
    };
    Some((format!("`{written}` is ignored: {why}"), Some(right)))
}

#[cfg(test)]
mod tests {
    use super::judge;

    #[test]
    fn entries_are_put_in_their_form() {
        let right = |written: &str| judge(written).and_then(|(_, right)| right);
        assert_eq!(judge("applinks:marram.example"), None);
        assert_eq!(judge("applinks:*.marram.example"), None);
        assert_eq!(judge("applinks:marram.example:8443"), None);
        assert_eq!(judge("webcredentials:marram.example?mode=developer"), None);
        assert_eq!(right("applinks:https://marram.example/").as_deref(), Some("applinks:marram.example"));
        assert_eq!(right("marram.example").as_deref(), Some("applinks:marram.example"));
        assert_eq!(right("https://marram.example").as_deref(), Some("applinks:marram.example"));
        assert_eq!(right("applinks:Marram.example").as_deref(), Some("applinks:marram.example"));
        assert_eq!(right("AppLinks:marram.example").as_deref(), Some("applinks:marram.example"));
        assert_eq!(right("applinks:grønland.example").as_deref(), Some("applinks:xn--grnland-r1a.example"));
        assert_eq!(right("applink:marram.example"), None);
        assert!(judge("applinks:").is_some() && judge("applinks:*").is_some() && judge("applinks:localhost").is_some());
    }
}
