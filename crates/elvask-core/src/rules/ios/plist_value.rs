//! `plist-value`: a value is none that the platform knows, or another than a plugin needs.

use elvask_markup::plist::{Value, ValueKind, plan};
use elvask_needs::kinds::collect_texts;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_needs::template::answers_in;
use elvask_platform::names::nearest;
use elvask_platform::{Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::forms::{Misfit, unfit};
use crate::rules::support::missing::clashes;
use crate::rules::support::{Lack, lacks, rewrite, shown, who_needs};

/// See the module.
pub struct PlistValue;

static ABOUT: About = About {
    id: "plist-value",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a value that the system does not know at its key, or that is another than a plugin needs.",
    effect: "The system uses its default, or the plugin does not work as configured.",
    wrong: "<key>UIUserInterfaceStyle</key>\n<string>dark</string>",
    right: "<key>UIUserInterfaceStyle</key>\n<string>Dark</string>",
    remedy: "`fill` corrects a misspelt value that one known value is near, and writes the value that a plugin needs.",
    source: "Information Property List",
};

impl Rule for PlistValue {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        known_values(context, out);
        forms(context, out);
        needed_values(context, out);
    }
}

fn known_values(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist else { return };
    for entry in plist.list.entries() {
        let Some(known) = ios::plist_key(&entry.key).filter(|known| known.values().next().is_some()) else { continue };
        let values: &[Value] = match &entry.value.kind {
            ValueKind::Array(values) => values,
            _ => std::slice::from_ref(&entry.value),
        };
        for value in values {
            let Some(text) = value.as_str() else { continue };
            if known.values().any(|one| one == text) || elvask_needs::template::is_reference(text) {
                continue;
            }
            let all: Vec<_> = known.values().collect();
            let message =
                format!("`{}` has the value \"{text}\", and the system accepts {}", entry.key, all.join(", "));
            let remedy = match nearest(text, all.iter().copied()) {
                Some(meant) => {
                    let edit = plan::replace(plist.list, value, &plan::NewValue::String(meant.to_owned()));
                    Remedy::edit(format!("correct the value to {meant}"), plist.file, vec![edit])
                }
                None => Remedy::Manual(format!("Write one of {}.", all.join(", "))),
            };
            let finding = Finding::new(&ABOUT, entry.key.clone(), plist.at(value.span), message);
            out.push(finding.level(known.confidence.caps(ABOUT.level)).mend(remedy));
        }
    }
}

/// Looks at texts that have a form of their own, also deep inside.
fn forms(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist else { return };
    for one in unfit("plist", plist.list).into_iter().filter(|one| matches!(one.misfit, Misfit::Form(_))) {
        out.push(
            Finding::new(&ABOUT, one.form.key(), plist.at(one.span), one.message())
                .level(one.form.level)
                .effect(one.form.effect)
                .mend(Remedy::Manual(one.steps())),
        );
    }
}

fn needed_values(context: &Context<'_>, out: &mut Vec<Finding>) {
    let Some(plist) = context.plist else { return };
    for group in context.needs.groups(Kind::Plist) {
        let Some(requirement) = group.requirements.first() else { continue };
        let Need::Plist { value: wanted } = &requirement.need else { continue };
        let Some(entry) = plist.entry(group.name) else { continue };
        let mut texts = Vec::new();
        collect_texts(wanted, &mut texts);
        // A value with an answer in it is the owner's: `value-differs` speaks of it.
        let answered = texts.iter().any(|text| !answers_in(text).is_empty());
        if answered || clashes(&group) {
            continue;
        }
        for lack in lacks(&entry.value, wanted) {
            let Lack::Other(declared, wanted) = lack else { continue };
            let message = format!(
                "`{}` has another value than {} ({})",
                group.name,
                who_needs(context, group.requirements),
                shown(wanted)
            );
            let remedy = match plist.made_from(&entry.value) {
                Some(made) if !std::ptr::eq(declared, &entry.value) => {
                    Remedy::Manual(format!("Put {} into the build setting {}.", shown(wanted), made.setting))
                }
                _ => rewrite(context, plist, format!("write {}", shown(wanted)), declared, wanted),
            };
            let place = match plist.made_from(&entry.value) {
                Some(_) => plist.value_place(entry),
                None => plist.at(declared.span),
            };
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .mend(remedy)
                    .unless_notes_alone(),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plist-value";

    fn entry(key: &str, value: &str) -> String {
        format!("    <key>{key}</key>\n    {value}\n")
    }

    #[test]
    fn a_misspelt_value_is_corrected() {
        let app = Fixture::ios(&entry("UIUserInterfaceStyle", "<string>dark</string>"));
        assert_eq!(app.found(ID), ["error UIUserInterfaceStyle 4:5"]);
        app.mends_plist(ID, &entry("UIUserInterfaceStyle", "<string>Dark</string>"));
        let strange = Fixture::ios(&entry("UIUserInterfaceStyle", "<string>Sepia</string>"));
        assert_eq!(strange.findings(ID)[0].remedy.kind(), "manual");
    }

    #[test]
    fn texts_have_forms_also_deep_inside() {
        let version = Fixture::ios(&entry("CFBundleShortVersionString", "<string>2.4-beta</string>"));
        assert_eq!(version.found(ID), ["error CFBundleShortVersionString 4:5"]);
        assert_eq!(
            version.findings(ID)[0].message,
            "\"2.4-beta\" in `CFBundleShortVersionString` is not one to three numbers with dots between"
        );
        version.is_left_alone();
        let good = ["2.4.0", "$(MARKETING_VERSION)"];
        for text in good {
            let list = entry("CFBundleShortVersionString", &format!("<string>{text}</string>"));
            assert!(Fixture::ios(&list).found(ID).is_empty(), "{text}");
        }
        let host = |name: &str| {
            let inside = format!(
                "<dict>\n        <key>NSExceptionDomains</key>\n        <dict>\n            <key>{name}</key>\n            <dict>\n            </dict>\n        </dict>\n    </dict>"
            );
            Fixture::ios(&entry("NSAppTransportSecurity", &inside))
        };
        assert_eq!(host("https://marram.example").found(ID), ["warning NSExceptionDomains 7:13"]);
        assert!(host("marram.example").found(ID).is_empty());
    }

    #[test]
    fn a_plugins_value_is_written() {
        let app = Fixture::ios(&entry("ExampleKnotCalm", "<false/>"))
            .needs("knot_banner", "ios.plist = { key = 'ExampleKnotCalm', value = true }");
        assert_eq!(app.found(ID), ["error ExampleKnotCalm 4:5"]);
        app.mends_plist(ID, &entry("ExampleKnotCalm", "<true/>"));
    }
}
