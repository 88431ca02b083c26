//! `purpose-superseded`: a purpose stands under a key that newer systems no longer read.

use elvask_markup::plist::plan::NewValue;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{add_key, good_purpose, key_lines, want_purpose};

/// See the module.
pub struct PurposeSuperseded;

static ABOUT: About = About {
    id: "purpose-superseded",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports a purpose under an older key only, where newer systems read another one.",
    effect: "On newer systems the request is denied without a dialog.",
    wrong: "<key>NSCalendarsUsageDescription</key>\n<string>Shows ringing days.</string>",
    right: "<key>NSCalendarsUsageDescription</key>\n<string>Shows ringing days.</string>\n<key>NSCalendarsFullAccessUsageDescription</key>\n<string>Shows ringing days.</string>",
    remedy: "`fill` adds the newer key with the text that the owner wrote under the older one, or with the one that `elvask.toml` gives for it. The older key stays while the app runs on systems that read it.",
    source: "Information Property List",
};

impl Rule for PurposeSuperseded {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for entry in plist.purposes() {
            let Some(known) = ios::usage_key(&entry.key).filter(|known| known.is_for_ios()) else { continue };
            let Some(until) = known.until else { continue };
            if known.replaced_by.iter().any(|next| plist.entry(next).is_some()) {
                continue;
            }
            // Of several successors the one that a plugin needs is meant.
            let needed = known.replaced_by.iter().find_map(|next| context.needs.group(Kind::Usage, next));
            let Some(next) = needed.as_ref().map(|group| group.name).or(known.replaced_by.first().copied()) else {
                continue;
            };
            let message =
                format!("from iOS {until} on, `{}` is ignored and `{next}` is read, which is missing", entry.key);
            let text = context.purpose(next).map(|given| given.text);
            let text = text.or_else(|| good_purpose(plist, &entry.key).map(|(_, text)| text.to_owned()));
            let remedy = match text {
                Some(text) => {
                    add_key(context, format!("add {next} with the same text"), plist, next, &NewValue::String(text))
                }
                None => {
                    Remedy::Answer { wants: vec![want_purpose(next, needed.as_ref())], lines: key_lines(next, "…") }
                }
            };
            let requirements = needed.as_ref().map(|group| group.requirements).unwrap_or_default();
            let level = if requirements.is_empty() { Level::Warning } else { Level::Error };
            out.push(
                Finding::new(&ABOUT, entry.key.clone(), plist.key_place(entry), message)
                    .level(level)
                    .needed_by(context.app, requirements)
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "purpose-superseded";
    const OLD: &str = "    <key>NSCalendarsUsageDescription</key>\n    <string>Shows ringing days.</string>\n";

    #[test]
    fn the_newer_key_takes_over_the_owners_text() {
        let app = Fixture::ios(OLD).needs("p", "ios.usage = 'NSCalendarsFullAccessUsageDescription'");
        assert_eq!(app.found(ID), ["error NSCalendarsUsageDescription 3:5"]);
        assert!(app.found("purpose-missing").is_empty(), "one mistake, one finding");
        app.mends_plist(ID, &format!("{OLD}{}", OLD.replace("NSCalendarsUsage", "NSCalendarsFullAccessUsage")));
        assert_eq!(Fixture::ios(OLD).found(ID), ["warning NSCalendarsUsageDescription 3:5"]);
    }

    #[test]
    fn one_of_the_newer_keys_is_enough() {
        let both = format!("{OLD}{}", OLD.replace("NSCalendarsUsage", "NSCalendarsWriteOnlyAccessUsage"));
        assert!(Fixture::ios(&both).found(ID).is_empty());
    }
}
