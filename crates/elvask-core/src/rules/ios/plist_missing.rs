//! `plist-missing`: a plugin needs a key, or a part of its value, that the property list does not hold.

use elvask_markup::plist::plan::{self, NewValue};
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy, Want};
use crate::needs::Group;
use crate::requirement::{Kind, Need, Requirement};
use crate::rules::both::requirement_conflict;
use crate::rules::support::{Lack, add_key, lacks, loosens, shown, who_needs};
use crate::rules::{About, Rule};
use crate::surface::PlistView;

/// See the module.
pub struct PlistMissing;

static ABOUT: About = About {
    id: "plist-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a key of `Info.plist` that a plugin needs and that is not there, or whose array or dictionary lacks an entry.",
    effect: "The plugin does not find its value when it starts; many end the app there.",
    wrong: "<dict>\n</dict>",
    right: "<dict>\n    <key>ExampleKnotAppId</key>\n    <string>knot-48210077</string>\n</dict>",
    remedy: "`fill` adds the key, or the entry that is lacking, once the owner has given the value. One that makes the app less safe it adds only with a person's consent.",
    source: "Information Property List",
};

impl Rule for PlistMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        for group in context.needs.groups(Kind::Plist) {
            if requirement_conflict::values(&group).len() > 1 {
                continue;
            }
            let merged = requirement_conflict::is_merged(&group);
            for requirement in group.requirements.iter().take(if merged { usize::MAX } else { 1 }) {
                check_one(context, plist, &group, requirement, out);
            }
        }
    }
}

fn check_one(
    context: &Context<'_>,
    plist: PlistView<'_>,
    group: &Group<'_>,
    requirement: &Requirement,
    out: &mut Vec<Finding>,
) {
    let Need::Plist { value } = &requirement.need else { return };
    let behind: &[Requirement] =
        if requirement_conflict::is_merged(group) { std::slice::from_ref(requirement) } else { group.requirements };
    let who = who_needs(context, behind);
    let finding = |message: String, place| {
        Finding::new(&ABOUT, group.name, place, message).level(requirement.level()).needed_by(context.app, behind)
    };
    let filled = context.fill_in_value(requirement, value);
    let Some(entry) = plist.entry(group.name) else {
        let message = format!("`{}` is not there, and {who} it", group.name);
        let remedy = match filled {
            Ok(value) => guarded(context, group.name, &value, || {
                add_key(context, format!("add {}", group.name), plist, group.name, &value)
            }),
            Err(wants) => {
                let lines = match value {
                    NewValue::String(_) => crate::rules::support::key_lines(group.name, "…"),
                    other => format!("<key>{}</key>: {}", group.name, shown(other)),
                };
                Remedy::Answer { wants, lines }
            }
        };
        out.push(finding(message, plist.root_tag()).mend(remedy));
        return;
    };
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
        let remedy =
            guarded(context, group.name, &value, || Remedy::edit(format!("add {lacking}"), plist.file, edits.clone()));
        out.push(finding(message, place).mend(remedy));
    }
}

/// Asks for consent first where a value makes the app less safe.
fn guarded(context: &Context<'_>, key: &str, value: &NewValue, remedy: impl Fn() -> Remedy) -> Remedy {
    match loosens(key, &shown(value)).filter(|_| !context.consented(key)) {
        Some(meaning) => Remedy::Answer {
            wants: vec![Want::Consent { subject: key.to_owned(), meaning: meaning.to_owned() }],
            lines: format!("{key} = {}", shown(value)),
        },
        None => remedy(),
    }
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

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
