//! `plist-type`: a value is of another type than the one that is read.

use elvask_markup::plist::plan::{self, NewValue};
use elvask_markup::plist::{Entry, Value};
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::Need;
use elvask_platform::{Confidence, Kind, Platform, ios};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::forms::{Misfit, unfit};
use crate::rules::support::{Lack, convert, fits_type, lacks, type_of};

/// See the module.
pub struct PlistType;

static ABOUT: About = About {
    id: "plist-type",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a value whose type is not the one that the system or a plugin reads at its key.",
    effect: "The value is ignored, or the upload is rejected.",
    wrong: "<key>ITSAppUsesNonExemptEncryption</key>\n<string>NO</string>",
    right: "<key>ITSAppUsesNonExemptEncryption</key>\n<false/>",
    remedy: "`fill` writes the value in the right type where there is no doubt what it is meant to be.",
    source: "Information Property List",
};

impl Rule for PlistType {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let mut report = |entry: &Entry, wrong: &Value, wanted: &str, whole: bool| {
            // What the build puts in has the type that the build gives to it.
            if wrong.as_str().is_some_and(elvask_needs::template::is_reference) {
                return;
            }
            let article = |name: &str| if name.starts_with(['a', 'i']) { "an" } else { "a" };
            let found = wrong.kind.type_name();
            let message = if whole {
                format!("`{}` must be {} {wanted}, not {} {found}", entry.key, article(wanted), article(found))
            } else {
                format!(
                    "`{}` must be {} {wanted}, and this entry is {} {found}",
                    entry.key,
                    article(wanted),
                    article(found)
                )
            };
            let converted = convert(wrong, if whole { wanted } else { wanted.trim_start_matches("array of ") });
            let remedy = match converted {
                Some(value) => Remedy::edit(
                    format!("write it as {} {wanted}", article(wanted)),
                    plist.file,
                    vec![plan::replace(plist.list, wrong, &value)],
                ),
                None => Remedy::Manual(format!("Write the value as {} {wanted}.", article(wanted))),
            };
            let sure = ios::plist_key(&entry.key).map_or(Confidence::High, |known| known.confidence);
            out.push(
                Finding::new(&ABOUT, entry.key.clone(), plist.at(wrong.span), message)
                    .level(sure.caps(ABOUT.level))
                    .needed_by(context.app, context.needs.of(Kind::Plist, &entry.key))
                    .mend(remedy),
            );
        };
        // The old text form knows no types but texts, lists and dictionaries.
        for entry in plist.list.entries().iter().filter(|_| plist.list.is_xml()) {
            let wanted = match ios::plist_key(&entry.key) {
                Some(known) => known.value_type,
                None if ios::usage_key(&entry.key).is_some() => {
                    if entry.key.ends_with("Dictionary") {
                        "dictionary"
                    } else {
                        "string"
                    }
                }
                None => {
                    report_plugins(context, entry, &mut report);
                    continue;
                }
            };
            if let Err(wrong) = fits_type(&entry.value, wanted) {
                report(entry, wrong, wanted, std::ptr::eq(wrong, &entry.value));
            }
        }
        for one in unfit("plist", plist.list) {
            let known = one.form.path.len() == 1 && ios::plist_key(one.form.key()).is_some();
            if known || !matches!(one.misfit, Misfit::Type) {
                continue;
            }
            let wanted = one.form.value_type;
            let remedy = match convert(one.value, wanted) {
                Some(value) => Remedy::edit(
                    format!("write it as {wanted}"),
                    plist.file,
                    vec![plan::replace(plist.list, one.value, &value)],
                ),
                None => Remedy::Manual(one.steps()),
            };
            out.push(
                Finding::new(&ABOUT, one.form.key(), plist.at(one.span), one.message())
                    .level(one.form.level)
                    .effect(one.form.effect)
                    .mend(remedy),
            );
        }
    }
}

/// Holds a value against the types that plugins want at a key that is no one's but theirs.
fn report_plugins(context: &Context<'_>, entry: &Entry, report: &mut impl FnMut(&Entry, &Value, &str, bool)) {
    let needed = context.needs.of(Kind::Plist, &entry.key);
    let Some(Need::Plist { value }) = needed.first().map(|requirement| &requirement.need) else { return };
    for lack in lacks(&entry.value, value) {
        if let Lack::Type(wrong, wanted) = lack {
            let wanted: &NewValue = wanted;
            report(entry, wrong, type_of(wanted), true);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "plist-type";

    fn entry(key: &str, value: &str) -> String {
        format!("    <key>{key}</key>\n    {value}\n")
    }

    #[test]
    fn a_text_that_means_a_boolean_becomes_one() {
        let app = Fixture::ios(&entry("ITSAppUsesNonExemptEncryption", "<string>NO</string>"));
        assert_eq!(app.found(ID), ["error ITSAppUsesNonExemptEncryption 4:5"]);
        app.mends_plist(ID, &entry("ITSAppUsesNonExemptEncryption", "<false/>"));
        Fixture::ios(&entry("CFBundleVersion", "<integer>7</integer>"))
            .mends_plist(ID, &entry("CFBundleVersion", "<string>7</string>"));
    }

    #[test]
    fn one_scheme_becomes_a_list_of_one() {
        Fixture::ios(&entry("LSApplicationQueriesSchemes", "<string>tel</string>")).mends_plist(
            ID,
            &entry("LSApplicationQueriesSchemes", "<array>\n        <string>tel</string>\n    </array>"),
        );
    }

    #[test]
    fn what_is_in_doubt_is_left_to_a_person() {
        let app = Fixture::ios(
            &(entry("UIRequiresFullScreen", "<string>maybe</string>") + &entry("NSCameraUsageDescription", "<true/>")),
        );
        assert_eq!(app.found(ID), ["warning UIRequiresFullScreen 4:5", "error NSCameraUsageDescription 6:5"]);
        app.is_left_alone();
        assert!(Fixture::ios(&entry("UIRequiresFullScreen", "<string>$(FULL)</string>")).found(ID).is_empty());
    }

    #[test]
    fn plugins_have_types_too() {
        let app = Fixture::ios(&entry("ExampleKnotCalm", "<string>true</string>"))
            .needs("knot_banner", "ios.plist = { key = 'ExampleKnotCalm', value = true }");
        assert_eq!(app.found(ID), ["error ExampleKnotCalm 4:5"]);
        app.mends_plist(ID, &entry("ExampleKnotCalm", "<true/>"));
    }

    #[test]
    fn what_is_not_sure_of_the_platform_is_no_error() {
        let app = Fixture::ios("\t<key>UIRequiresFullScreen</key>\n\t<string>YES</string>\n");
        assert!(
            app.found(ID).iter().all(|line| line.starts_with("warning UIRequiresFullScreen")),
            "{:?}",
            app.found(ID)
        );
        assert_eq!(app.found(ID).len(), 1);
    }
}
