//! `plist-missing`: a plugin needs a key, or a part of its value, that the property list does not hold.

use elvask_markup::plist::Entry;
use elvask_markup::plist::plan;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::PlistView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::{Group, Requirement};
use crate::rules::Rule;
use crate::rules::support::missing::{clashes, missing};
use crate::rules::support::{Lack, lacks, shown, who_needs};

/// See the module.
pub struct PlistMissing;

static ABOUT: About = About {
    id: "plist-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a key of `Info.plist` that a plugin needs and that is not there, or whose array or dictionary lacks an entry.",
    effect: "The plugin does not find its value when it starts, and the app may crash.",
    wrong: "<dict>\n</dict>",
    right: "<dict>\n    <key>ExampleKnotAppId</key>\n    <string>knot-48210077</string>\n</dict>",
    remedy: "`fill` adds the key, or the entry that is lacking, once the owner has given the value. One that is not on the list of what is written for a package it adds only with a person's consent.",
    source: "Information Property List",
};

impl Rule for PlistMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::Plist, &ABOUT, out);
        let Some(plist) = context.plist else { return };
        for group in context.needs.groups(Kind::Plist).filter(|group| !clashes(group)) {
            let Some(entry) = plist.entry(group.name) else { continue };
            // Of several that want one value the first speaks for all; what is merged is looked for one by one.
            let mut told: Vec<&Need> = Vec::new();
            for requirement in group.requirements {
                if !told.contains(&&requirement.need) {
                    told.push(&requirement.need);
                    parts(context, plist, entry, &group, requirement, out);
                }
            }
        }
    }
}

/// Looks for the parts of a value that an entry lacks.
fn parts(
    context: &Context<'_>,
    plist: PlistView<'_>,
    entry: &Entry,
    group: &Group<'_>,
    requirement: &Requirement,
    out: &mut Vec<Finding>,
) {
    let Need::Plist { value } = &requirement.need else { return };
    let behind: Vec<_> = group.requirements.iter().filter(|one| one.need == requirement.need).collect();
    let who = who_needs(context, behind.iter().copied());
    let finding = |message: String, place| {
        let finding = Finding::new(&ABOUT, group.name, place, message).level(requirement.level());
        finding.needed_by(context.app, behind.iter().copied())
    };
    let filled = context.fill_in_value(requirement, value);
    // A value that waits for an answer can still be held against the declared one piece by piece; here it is enough that
    // there is one.
    let Ok(value) = filled else { return };
    for lack in lacks(&entry.value, &value) {
        let (place, lacking, edits) = match &lack {
            Lack::Element(array, element) => {
                (*array, shown(element), plan::append(plist.list, array, std::slice::from_ref(element)))
            }
            Lack::Entry(dict, key, value) => {
                (*dict, format!("{key} = {}", shown(value)), plan::insert_entry(plist.list, dict, None, key, value))
            }
            Lack::Type(..) | Lack::Other(..) => continue,
        };
        let message = format!("`{}` lacks {lacking}, and {who} it", group.name);
        if let Some(made) = plist.made_from(&entry.value) {
            let steps = format!("Put {lacking} into the build setting {}.", made.setting);
            out.push(finding(message, plist.value_place(entry)).mend(Remedy::Manual(steps)));
            continue;
        }
        let place = plist.at(plan::start_tag(plist.list, place));
        let remedy = Remedy::edit(format!("add {lacking}"), plist.file, edits);
        out.push(finding(message, place).mend(remedy));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plist-missing";
    const NAME: &str = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";
    const KNOT: &str =
        "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{id}' }\n[answers.id]\npattern = 'knot-[0-9]+'";

    #[test]
    fn a_key_waits_for_its_answer_and_is_written() {
        let app = Fixture::ios(NAME).plugin("knot_banner", KNOT);
        assert_eq!(app.found(ID), ["error ExampleKnotAppId 2:1"]);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        app.is_left_alone();
        app.toml("[plugins.knot_banner.answers]\nid = 'knot-7'")
            .mends_plist(ID, &format!("{NAME}    <key>ExampleKnotAppId</key>\n    <string>knot-7</string>\n"));
    }

    #[test]
    fn arrays_and_dictionaries_are_merged() {
        let modes = |inner: &str| {
            format!(
                "    <key>UIBackgroundModes</key>\n    <array>\n        <string>audio</string>\n{inner}    </array>\n"
            )
        };
        let app = Fixture::ios(&modes(""))
            .needs("one", "ios.plist = { key = 'UIBackgroundModes', value = ['fetch'] }")
            .needs("two", "ios.plist = { key = 'UIBackgroundModes', value = ['audio', 'processing'] }");
        assert_eq!(app.found(ID), ["error UIBackgroundModes 4:5", "error UIBackgroundModes 4:5"]);
        app.mends_plist(ID, &modes("        <string>fetch</string>\n        <string>processing</string>\n"));
        let dict = Fixture::ios(
            "    <key>ExampleKnot</key>\n    <dict>\n        <key>A</key>\n        <true/>\n    </dict>\n",
        )
        .needs("p", "ios.plist = { key = 'ExampleKnot', value = { A = true, B = 2 } }");
        dict.mends_plist(ID, "    <key>ExampleKnot</key>\n    <dict>\n        <key>A</key>\n        <true/>\n        <key>B</key>\n        <integer>2</integer>\n    </dict>\n");
    }

    #[test]
    fn what_makes_the_app_less_safe_waits_for_consent() {
        let mut app = Fixture::ios(NAME)
            .needs("p", "ios.plist = { key = 'NSAppTransportSecurity', value = { NSAllowsArbitraryLoads = true } }");
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        app.is_left_alone();
        app.settings.consents.push("NSAppTransportSecurity".to_owned());
        assert_eq!(app.findings(ID)[0].remedy.kind(), "edit");
    }

    #[test]
    fn sorted_keys_stay_sorted() {
        let key = |name: &str| format!("    <key>{name}</key>\n    <true/>\n");
        let app =
            Fixture::ios(&(key("A") + &key("C") + &key("E"))).needs("p", "ios.plist = { key = 'D', value = true }");
        app.mends_plist(ID, &(key("A") + &key("C") + &key("D") + &key("E")));
    }
}
