//! `meta-data-misplaced`: a `<meta-data>` stands where the plugin does not look.

use std::cell::OnceCell;
use std::collections::HashSet;

use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Slot};
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::manifest_edit;

/// See the module.
pub struct MetaDataMisplaced;

static ABOUT: About = About {
    id: "meta-data-misplaced",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `<meta-data>` in another element than the one where its plugin looks, or outside all elements that may contain one.",
    effect: "The build succeeds, and the plugin does not find its value.",
    wrong: "<manifest …>\n    <meta-data android:name=\"example.knot.APP_ID\" … />",
    right: "<application …>\n    <meta-data android:name=\"example.knot.APP_ID\" … />",
    remedy: "`fill` moves the element into the one that the plugin looks in.",
    source: "App manifest file: <meta-data>",
};

impl Rule for MetaDataMisplaced {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let wanted: HashSet<&str> = context.needs.groups(Kind::MetaData).map(|group| group.name).collect();
        // Looked for at the first that is somewhere else: a manifest can have very many.
        let all = OnceCell::new();
        let stands = |name: &str, parent: Option<Element<'_>>| {
            let places = || manifest.meta_data.iter().map(|one| (&*one.name, start_of(one.element.parent())));
            all.get_or_init(|| places().collect::<HashSet<_>>()).contains(&(name, start_of(parent)))
        };
        for declared in &manifest.meta_data {
            let parent = declared.element.parent();
            if !wanted.contains(&*declared.name) && parent != Some(manifest.root) {
                continue;
            }
            let needed = context.needs.of(Kind::MetaData, &declared.name);
            let owner = needed.iter().find_map(|requirement| {
                let Need::MetaData { owner, .. } = &requirement.need else { return None };
                Some(owner)
            });
            let target = match owner {
                Some(owner) => manifest.owner(owner),
                // Nobody says where it belongs, but at the top it does nothing for anybody.
                None if parent == Some(manifest.root) => manifest.application,
                None => continue,
            };
            let Some(target) = target.filter(|target| parent != Some(*target)) else { continue };
            let right = stands(&declared.name, Some(target));
            let inside = parent.map_or("manifest", |parent| parent.name());
            let message = format!(
                "the meta-data `{}` is inside <{inside}>, where the plugin does not look; it belongs inside <{}>",
                declared.name,
                target.name()
            );
            let (title, edits) = if right {
                (format!("remove it: <{}> has it already", target.name()), vec![plan::remove(declared.element.node())])
            } else {
                let last = target.children_named("meta-data").next_back();
                let slot = last.map_or(Slot::Last, |last| Slot::After(last.node()));
                (format!("move it into <{}>", target.name()), plan::move_into(declared.element, target, slot))
            };
            out.push(
                Finding::new(&ABOUT, declared.name.clone(), manifest.tag(declared.element), message)
                    .needed_by(context.app, needed)
                    .mend(manifest_edit(title, manifest, edits)),
            );
        }
    }
}

/// Returns where an element starts, in bytes, which tells it from every other one.
fn start_of(element: Option<Element<'_>>) -> Option<usize> {
    element.map(|element| element.span().start)
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "meta-data-misplaced";
    const NEED: &str = "android.meta-data = { name = 'example.knot.MODE', value = 'calm' }";

    #[test]
    fn it_is_moved_into_the_application() {
        let app = Fixture::android(
            "    <application>\n        <activity/>\n    </application>\n    <meta-data android:name=\"example.knot.MODE\" android:value=\"calm\"/>\n",
        )
        .needs("knot_banner", NEED);
        assert_eq!(app.found(ID), ["error example.knot.MODE 5:5"]);
        assert!(app.found("meta-data-missing").is_empty(), "one mistake, one finding");
        app.mends_manifest(
            ID,
            "    <application>\n        <activity/>\n        <meta-data android:name=\"example.knot.MODE\" android:value=\"calm\"/>\n    </application>\n",
        );
    }

    #[test]
    fn a_component_may_hold_its_own() {
        let inside = "    <application>\n        <service><meta-data android:name='example.other' android:value='1'/></service>\n    </application>\n";
        assert!(Fixture::android(inside).found(ID).is_empty());
        let wanted = inside.replace("example.other", "example.knot.MODE");
        assert_eq!(Fixture::android(&wanted).needs("knot_banner", NEED).found(ID).len(), 1);
    }
}
