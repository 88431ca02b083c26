//! `entitlement-value`: an entitlement has another value than a plugin needs.

use elvask_markup::plist::{PropertyList, plan};
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_needs::template::is_reference;
use elvask_platform::names::nearest;
use elvask_platform::{Kind, Platform, ios};
use elvask_project::source::{FileId, Place};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::forms::{Misfit, unfit};
use crate::rules::support::{Lack, lacks, shown, who_needs};

/// See the module.
pub struct EntitlementValue;

static ABOUT: About = About {
    id: "entitlement-value",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlement whose value lacks what a plugin needs, is of another type than the platform reads, or is none that the platform knows.",
    effect: "Signing fails, or the device denies the call.",
    wrong: "<key>com.apple.developer.nfc.readersession.formats</key>\n<array>\n</array>",
    right: "<key>com.apple.developer.nfc.readersession.formats</key>\n<array>\n    <string>TAG</string>\n</array>",
    remedy: "`fill` adds what an array lacks, and corrects a value that one known value is near. Another value is left to a person, who knows what else counts on it.",
    source: "Entitlements",
};

impl Rule for EntitlementValue {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((file, list)) = context.surface.entitlements() else { return };
        types(file, list, out);
        values(file, list, out);
        forms(file, list, out);
        needed(context, file, list, out);
    }
}

/// Tells of values of another type than the platform reads.
fn types(file: FileId, list: &PropertyList, out: &mut Vec<Finding>) {
    let at = |span| Place { file, span };
    for entry in list.entries() {
        let Some(known) = ios::entitlement(&entry.key) else { continue };
        let wanted = if known.value_type == "bool" { "boolean" } else { known.value_type };
        let given = entry.value.kind.type_name();
        if wanted != given {
            let message = format!("`{}` is {given}, and the platform reads {wanted}", entry.key);
            let steps = format!("Write the value as {wanted}.");
            let finding = Finding::new(&ABOUT, entry.key.clone(), at(entry.value.span), message);
            out.push(finding.level(known.confidence.caps(ABOUT.level)).mend(Remedy::Manual(steps)));
        }
    }
}

/// Tells of values that the platform does not know.
fn values(file: FileId, list: &PropertyList, out: &mut Vec<Finding>) {
    let at = |span| Place { file, span };
    for entry in list.entries() {
        let Some(entitlement) = ios::entitlement(&entry.key) else { continue };
        let known: Vec<_> = entitlement.values().collect();
        let values = entry.value.as_array().unwrap_or(std::slice::from_ref(&entry.value));
        let texts = values.iter().filter_map(|value| Some((value, value.as_str()?)));
        for (value, text) in texts.filter(|(_, text)| !known.is_empty() && !known.contains(text) && !is_reference(text))
        {
            let message = format!("`{}` is \"{text}\", and the platform accepts {}", entry.key, known.join(", "));
            let remedy = match nearest(text, known.iter().copied()) {
                Some(meant) => {
                    let edit = plan::replace(list, value, &plan::NewValue::String(meant.to_owned()));
                    Remedy::edit(format!("write {meant}"), file, vec![edit])
                }
                None => Remedy::Manual(format!("Write one of {}.", known.join(", "))),
            };
            let finding = Finding::new(&ABOUT, entry.key.clone(), at(value.span), message);
            out.push(finding.level(entitlement.confidence.caps(ABOUT.level)).mend(remedy));
        }
    }
}

/// Tells of texts that do not look as the platform wants them.
fn forms(file: FileId, list: &PropertyList, out: &mut Vec<Finding>) {
    let at = |span| Place { file, span };
    for one in unfit("entitlements", list).into_iter().filter(|one| matches!(one.misfit, Misfit::Form(_))) {
        out.push(
            Finding::new(&ABOUT, one.form.key(), at(one.span), one.message())
                .level(one.form.level)
                .effect(one.form.effect)
                .mend(Remedy::Manual(one.steps())),
        );
    }
}

/// Tells of values that lack what plugins need.
fn needed(context: &Context<'_>, file: FileId, list: &PropertyList, out: &mut Vec<Finding>) {
    let at = |span| Place { file, span };
    for group in context.needs.groups(Kind::Entitlement) {
        let Some(entry) = list.entry(group.name) else { continue };
        for requirement in group.requirements {
            let Need::Entitlement { value: Some(value) } = &requirement.need else { continue };
            let Ok(value) = context.fill_in_value(requirement, value) else { continue };
            // What is signed for the store has the other value; both serve.
            if group.name == "aps-environment" {
                continue;
            }
            for lack in lacks(&entry.value, &value) {
                let (place, wanted, remedy) = match &lack {
                    Lack::Element(array, element) => {
                        let edits = plan::append(list, array, std::slice::from_ref(*element));
                        let title = format!("add {}", shown(element));
                        (plan::start_tag(list, array), shown(element), Remedy::edit(title, file, edits))
                    }
                    Lack::Other(declared, wanted) | Lack::Type(declared, wanted) => {
                        let steps = format!("Find out whether {} is allowed there.", shown(wanted));
                        (declared.span, shown(wanted), Remedy::Manual(steps))
                    }
                    Lack::Entry(dict, key, wanted) => {
                        let edits = plan::insert_entry(list, dict, None, key, wanted);
                        (plan::start_tag(list, dict), shown(wanted), Remedy::edit(format!("add {key}"), file, edits))
                    }
                };
                let who = who_needs(context, [requirement]);
                let message = format!("the entitlement `{}` lacks {wanted}, and {who} it", group.name);
                out.push(
                    Finding::new(&ABOUT, group.name, at(place), message)
                        .level(requirement.level())
                        .needed_by(context.app, [requirement])
                        .mend(remedy),
                );
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-value";

    fn app(value: &str) -> Fixture {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; }; }; }; rootObject = P; }";
        Fixture::ios("").file("ios/Marram.xcodeproj/project.pbxproj", project).file(
            "ios/Marram/App.entitlements",
            &format!("<plist version=\"1.0\">\n<dict>\n    <key>com.apple.developer.nfc.readersession.formats</key>\n{value}</dict>\n</plist>\n"),
        )
    }

    #[test]
    fn an_array_gets_what_it_lacks_and_a_wrong_type_is_told() {
        let lacking =
            app("    <array>\n        <string>NDEF</string>\n    </array>\n").needs("p", "capability = 'nfc'");
        assert_eq!(lacking.found(ID), ["error com.apple.developer.nfc.readersession.formats 4:5"]);
        let filled = crate::fill::fill(&lacking.load(), &lacking.settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("<string>TAG</string>"));
        assert_eq!(app("    <true/>\n").found(ID), ["error com.apple.developer.nfc.readersession.formats 4:5"]);
        assert!(app("    <array>\n        <string>TAG</string>\n    </array>\n").found(ID).is_empty());
    }

    #[test]
    fn groups_and_ids_start_as_they_must() {
        let groups = |value: &str| {
            let list = format!(
                "<plist version=\"1.0\">\n<dict>\n    <key>com.apple.security.application-groups</key>\n    <array>\n        <string>{value}</string>\n    </array>\n</dict>\n</plist>\n"
            );
            let path = "ios/Marram/App.entitlements";
            Fixture::ios("").domains(&[]).without(path).file(path, &list)
        };
        assert_eq!(groups("example.marram").found(ID), ["error com.apple.security.application-groups 5:9"]);
        assert!(groups("group.example.marram").found(ID).is_empty());
        assert!(groups("$(GROUP)").found(ID).is_empty());
    }

    #[test]
    fn a_value_that_the_platform_does_not_know_is_corrected() {
        let list = "<plist version=\"1.0\">\n<dict>\n    <key>aps-environment</key>\n    <string>VALUE</string>\n</dict>\n</plist>\n";
        let app = |value: &str| {
            let path = "ios/Marram/App.entitlements";
            Fixture::ios("").domains(&[]).without(path).file(path, &list.replace("VALUE", value))
        };
        let found = app("prodction").findings("entitlement-value");
        assert_eq!((found.len(), found[0].remedy.kind()), (1, "edit"));
        assert_eq!(app("staging").findings("entitlement-value")[0].remedy.kind(), "manual");
        assert!(app("production").findings("entitlement-value").is_empty());
        assert!(app("$(APS)").findings("entitlement-value").is_empty());
    }
}
