//! `component-missing`: a plugin needs a component that the manifest does not declare.

use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_platform::Platform;

use crate::check::Context;
use crate::finding::{Finding, Level, Remedy};
use crate::requirement::{Component, Kind, Need};
use crate::rules::support::{manifest_edit, only_in, who_needs};
use crate::rules::{About, Rule};

/// See the module.
pub struct ComponentMissing;

static ABOUT: About = About {
    id: "component-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an activity, service, receiver or provider that a plugin needs and the app's manifest does not declare.",
    effect: "Starting it fails: the call throws, or the system never delivers what it is for.",
    wrong: "<application …>\n</application>",
    right: "<application …>\n    <service android:name=\"example.godwit.FloatService\" android:exported=\"false\" />\n</application>",
    remedy: "`fill` adds the element at the end of the application.",
    source: "App manifest file: <service>",
};

impl Rule for ComponentMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(manifest) = &context.manifest else { return };
        for group in context.needs.groups(Kind::Component) {
            let Some(Need::Component(component)) = group.requirements.first().map(|one| &one.need) else { continue };
            let lacking = context.lacking(group.requirements, |variant| {
                variant.components().any(|one| one.key.as_deref() == Some(group.name))
            });
            if lacking.is_empty() {
                continue;
            }
            let who = who_needs(context, group.requirements);
            let message = format!(
                "the {} `{}` is not declared{}, and {who} it",
                component.element,
                group.name,
                only_in(context, &lacking)
            );
            let (place, remedy) = match manifest.application {
                Some(application) => {
                    let fragment = fragment(manifest.prefix(), group.name, component);
                    let edits = plan::insert(application, Slot::Last, &[fragment]);
                    (manifest.tag(application), manifest_edit(format!("declare {}", group.name), manifest, edits))
                }
                None => (manifest.tag(manifest.root), Remedy::Manual("Declare `<application>` first.".to_owned())),
            };
            out.push(
                Finding::new(&ABOUT, group.name, place, message)
                    .level(group.level())
                    .needed_by(context.app, group.requirements)
                    .in_variants(lacking)
                    .mend(remedy),
            );
        }
    }
}

fn fragment(prefix: &str, name: &str, component: &Component) -> Fragment {
    let mut out = Fragment::new(component.element.as_str()).with(format!("{prefix}:name"), name);
    for (attribute, value) in component.attributes() {
        out = out.with(format!("{prefix}:{attribute}"), value);
    }
    if component.actions.is_empty() {
        return out;
    }
    let action = |name: &String| Fragment::new("action").with(format!("{prefix}:name"), name);
    out.holding(vec![Fragment::new("intent-filter").holding(component.actions.iter().map(action).collect())])
}

#[cfg(test)]
mod tests {
    use crate::rules::testing::Fixture;

    const ID: &str = "component-missing";

    const NEED: &str = "android.component = { kind = 'service', name = 'example.godwit.FloatService', exported = false, foreground-type = 'specialUse' }";

    #[test]
    fn a_service_goes_into_the_application() {
        let app = Fixture::android("    <application>\n    </application>\n").needs("godwit_float", NEED);
        assert_eq!(app.found(ID), ["error example.godwit.FloatService 2:5"]);
        app.mends_manifest(
            ID,
            "    <application>\n        <service android:name=\"example.godwit.FloatService\" android:exported=\"false\" android:foregroundServiceType=\"specialUse\" />\n    </application>\n",
        );
    }

    #[test]
    fn what_a_library_declares_is_not_missing() {
        let library = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" package=\"example.godwit\"><application><service android:name=\".FloatService\"/></application></manifest>";
        let app = Fixture::android("    <application/>\n")
            .needs("godwit_float", NEED)
            .file("node_modules/godwit_float/android/src/main/AndroidManifest.xml", library);
        assert!(app.found(ID).is_empty());
    }
}
