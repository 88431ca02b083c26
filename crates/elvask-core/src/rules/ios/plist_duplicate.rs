//! `plist-duplicate`: a key is declared twice in one dictionary.

use std::collections::HashMap;

use elvask_markup::plist::{Entry, Value, ValueKind, plan};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::surface::PlistView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct PlistDuplicate;

static ABOUT: About = About {
    id: "plist-duplicate",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a key that is declared twice in one dictionary of `Info.plist`.",
    effect: "One of the values is silently lost; which one depends on the reader.",
    wrong: "<key>NSCameraUsageDescription</key>\n<string>Photographs rings.</string>\n<key>NSCameraUsageDescription</key>\n<string>Photographs rings.</string>",
    right: "<key>NSCameraUsageDescription</key>\n<string>Photographs rings.</string>",
    remedy: "`fill` takes out a later entry with the same value. Where the values differ, a person decides which one is meant.",
    source: "Information Property List",
};

impl Rule for PlistDuplicate {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        if let Some(plist) = context.plist {
            check_value(plist, plist.list.root(), out);
        }
    }
}

fn check_value(plist: PlistView<'_>, value: &Value, out: &mut Vec<Finding>) {
    match &value.kind {
        ValueKind::Dict(entries) => {
            let mut firsts: HashMap<&str, &Entry> = HashMap::new();
            for entry in entries {
                match firsts.get(entry.key.as_str()) {
                    Some(first) => report(plist, first, entry, out),
                    None => drop(firsts.insert(&entry.key, entry)),
                }
                check_value(plist, &entry.value, out);
            }
        }
        ValueKind::Array(values) => values.iter().for_each(|value| check_value(plist, value, out)),
        _ => {}
    }
}

fn report(plist: PlistView<'_>, first: &Entry, second: &Entry, out: &mut Vec<Finding>) {
    let finding = Finding::new(
        &ABOUT,
        second.key.clone(),
        plist.at(second.key_span),
        format!("`{}` is declared twice", second.key),
    )
    .related(plist.at(first.key_span), "declared here already");
    out.push(if is_same(&first.value, &second.value) {
        let edits = vec![plan::remove_entry(plist.list, second)];
        finding.mend(Remedy::edit(format!("remove the second {}", second.key), plist.file, edits))
    } else {
        finding.mend(Remedy::Manual(format!("The two values of {} differ: keep the one that is meant.", second.key)))
    });
}

fn is_same(one: &Value, other: &Value) -> bool {
    match (&one.kind, &other.kind) {
        (ValueKind::Array(one), ValueKind::Array(other)) => {
            one.len() == other.len() && one.iter().zip(other).all(|(one, other)| is_same(one, other))
        }
        (ValueKind::Dict(one), ValueKind::Dict(other)) => {
            one.len() == other.len()
                && one.iter().zip(other).all(|(one, other)| one.key == other.key && is_same(&one.value, &other.value))
        }
        (one, other) => one == other,
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plist-duplicate";

    fn entry(text: &str) -> String {
        format!("    <key>NSCameraUsageDescription</key>\n    <string>{text}</string>\n")
    }

    #[test]
    fn an_exact_duplicate_is_dropped_and_others_are_left() {
        let name = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";
        let app = Fixture::ios(&format!("{}{name}{}", entry("Rings."), entry("Rings.")));
        assert_eq!(app.found(ID), ["error NSCameraUsageDescription 7:5"]);
        app.mends_plist(ID, &format!("{}{name}", entry("Rings.")));
        let differing = Fixture::ios(&(entry("Rings.") + &entry("Legs.")));
        assert_eq!(differing.findings(ID)[0].remedy.kind(), "manual");
        differing.is_left_alone();
    }

    #[test]
    fn dictionaries_inside_are_looked_at() {
        let inside = "    <key>A</key>\n    <array><dict><key>B</key><true/><key>B</key><true/></dict></array>\n";
        assert_eq!(Fixture::ios(inside).found(ID), ["error B 4:37"]);
    }
}
