//! `query-misplaced`: a `<queries>` that is not a child of `<manifest>`.

use elvask_markup::xml::plan::{self, Slot};
use elvask_needs::requirement::Need;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::{ManifestView, covers, read_query};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, queries_slot};

/// See the module.
pub struct QueryMisplaced;

static ABOUT: About = About {
    id: "query-misplaced",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a `<queries>` inside `<application>` or deeper, where the platform does not look for it.",
    effect: "The entries are ignored: from level 30 the named apps stay invisible.",
    wrong: "<application …>\n    <queries>…</queries>\n</application>",
    right: "<queries>…</queries>\n<application …>",
    remedy: "`fill` moves the element to the end of the manifest, or its entries into the `<queries>` that is there.",
    source: "App manifest file: <queries>",
};

impl Rule for QueryMisplaced {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for element in &manifest.misplaced_queries {
            let parent = element.parent().map_or("manifest", |parent| parent.name());
            let first = element.children().next();
            let (title, edits) = match (manifest.queries_element, first) {
                (Some(_), None) => ("remove the empty element", vec![plan::remove(element.node())]),
                // Entries go over one at a time, so that each is planned against the text as it then is.
                (Some(queries), Some(entry)) => {
                    ("move the entries into <queries>", plan::move_into(entry, queries, Slot::Last))
                }
                (None, _) => (
                    "move the element up into <manifest>",
                    plan::move_into(*element, manifest.root, queries_slot(manifest)),
                ),
            };
            let needed: Vec<_> = context
                .needs
                .groups(Kind::Query)
                .flat_map(|group| group.requirements)
                .filter(|requirement| {
                    let Need::Query(wanted) = &requirement.need else { return false };
                    element.children().filter_map(read_query).any(|entry| covers(&entry.query, wanted))
                })
                .collect();
            // One entry is what it is all about; of several, none is.
            let mut entries = element.children().filter_map(read_query);
            let subject = match (entries.next(), entries.next()) {
                (Some(only), None) => only.query.name(),
                _ => "queries".to_owned(),
            };
            let remedy = manifest_edit(title, manifest, edits);
            let remedy = if manifest.queries_element.is_none() { remedy.making("queries") } else { remedy };
            let message =
                format!("<queries> is inside <{parent}>, where it is ignored; it belongs directly inside <manifest>");
            out.push(
                Finding::new(&ABOUT, subject, manifest.tag(*element), message)
                    .needed_by(context.app, needed)
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-misplaced";

    #[test]
    fn the_element_is_moved_up() {
        let app = Fixture::android(
            "    <application>\n        <activity/>\n        <queries>\n            <package android:name=\"example.post\"/>\n        </queries>\n    </application>\n",
        )
        .needs("p", "android.query = { package = 'example.post' }");
        assert_eq!(app.found(ID), ["error example.post 4:9"]);
        assert!(app.found("query-missing").is_empty(), "one mistake, one finding");
        app.mends_manifest(
            ID,
            "    <application>\n        <activity/>\n    </application>\n    <queries>\n        <package android:name=\"example.post\"/>\n    </queries>\n",
        );
    }

    #[test]
    fn its_entries_join_those_that_are_there() {
        Fixture::android(
            "    <queries>\n        <package android:name=\"a.A\"/>\n    </queries>\n    <application>\n        <queries>\n            <package android:name=\"b.B\"/>\n            <package android:name=\"c.C\"/>\n        </queries>\n        <activity/>\n    </application>\n",
        )
        .mends_manifest(
            ID,
            "    <queries>\n        <package android:name=\"a.A\"/>\n        <package android:name=\"b.B\"/>\n        <package android:name=\"c.C\"/>\n    </queries>\n    <application>\n        <activity/>\n    </application>\n",
        );
    }
}
