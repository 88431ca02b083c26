//! `component-misplaced`: a component stands where the platform does not look.

use elvask_markup::xml::plan::{self, Slot};
use elvask_platform::{Kind, Platform};
use elvask_project::names::{ANDROID, full_class};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::manifest_edit;

/// See the module.
pub struct ComponentMisplaced;

static ABOUT: About = About {
    id: "component-misplaced",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports an activity, service, receiver or provider outside `<application>`, or inside another component.",
    effect: "Starting it throws ActivityNotFoundException, or nothing happens.",
    wrong: "<manifest …>\n    <service android:name=\"example.knot.Service\" />\n    <application …>",
    right: "<application …>\n    <service android:name=\"example.knot.Service\" />",
    remedy: "`fill` moves the element into `<application>`, or removes it where that has it already.",
    source: "App manifest file: <application>",
};

const COMPONENTS: [&str; 5] = ["activity", "activity-alias", "service", "receiver", "provider"];

impl Rule for ComponentMisplaced {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let Some(application) = manifest.application else { return };
        let package = context.app.android.as_ref().and_then(|android| android.namespace.as_deref());
        for element in COMPONENTS.iter().flat_map(|kind| manifest.document.named(kind)) {
            let parent = element.parent();
            if parent.is_none() || parent == Some(application) {
                continue;
            }
            // Those of other apps that are asked about stand in <queries>.
            if std::iter::successors(parent, |around| around.parent()).any(|around| around.name() == "queries") {
                continue;
            }
            let Some(name) = element.value(ANDROID, "name") else { continue };
            let class = full_class(&name, package);
            let inside = parent.map_or("manifest", |parent| parent.name());
            let message = format!(
                "the {} `{class}` is inside <{inside}>, where it is ignored; it belongs directly inside <application>",
                element.name()
            );
            let (title, edits) = if manifest.component(&class).is_some() {
                ("remove it: <application> has it already".to_owned(), vec![plan::remove(element.node())])
            } else {
                let title = "move it into <application>".to_owned();
                (title, plan::move_into(element, application, Slot::Last))
            };
            out.push(
                Finding::new(&ABOUT, class.clone(), manifest.tag(element), message)
                    .needed_by(context.app, context.needs.of(Kind::Component, &class))
                    .mend(manifest_edit(title, manifest, edits)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "component-misplaced";
    const NEED: &str = "android.component = { kind = 'service', name = 'example.knot.Service' }";
    const SERVICE: &str = "<service android:name=\"example.knot.Service\"/>";

    #[test]
    fn a_component_is_moved_into_the_application() {
        let app =
            Fixture::android(&format!("    {SERVICE}\n    <application>\n        <activity/>\n    </application>\n"))
                .needs("knot_banner", NEED);
        assert_eq!(app.found(ID), ["error example.knot.Service 2:5"]);
        assert!(app.found("component-missing").is_empty(), "one mistake, one finding");
        let moved = format!("    <application>\n        <activity/>\n        {SERVICE}\n    </application>\n");
        app.mends_manifest(ID, &moved);
    }

    #[test]
    fn one_that_is_there_already_is_taken_out_and_queries_are_left() {
        let inside = format!("    <application>\n        {SERVICE}\n    </application>\n");
        Fixture::android(&format!("{inside}    {SERVICE}\n")).mends_manifest(ID, &inside);
        let queries = "    <queries>\n        <provider android:authorities=\"a.b\" android:name=\"a.B\"/>\n    </queries>\n    <application/>\n";
        assert!(Fixture::android(queries).found(ID).is_empty());
    }
}
