//! What a remedy must not write: a reference that leads nowhere, or a line in a build file that is in pieces.

use elvask_needs::kinds::android::resource::{is_there, references};
use elvask_needs::remedy::Remedy;
use elvask_project::appfiles::AndroidApp;

use crate::context::Context;
use crate::finding::Finding;

/// Leaves a remedy to a person that would write a reference to a resource or a placeholder that neither the app nor its packages
/// have. What stands in the file already may be moved, and what another remedy makes is there in the next round.
pub(crate) fn leave_to_a_person(context: &Context<'_>, finding: &mut Finding) {
    let Remedy::Edit { title, edits, .. } = &finding.remedy else { return };
    if let Some((file, _)) = edits.iter().find(|(file, _)| context.broken_scripts().contains(file)) {
        let shown = &context.sources.file(*file).shown;
        finding.remedy = Remedy::Manual(format!("Correct {shown} first: it has an unmatched bracket. Then {title}."));
        return;
    }
    let manifests = edits.iter().filter(|(file, _)| context.manifest_of(*file).is_some());
    let lacking =
        manifests.flat_map(|(file, edits)| edits.iter().map(move |edit| (file, edit))).find_map(|(file, edit)| {
            let before = &context.sources.file(*file).text;
            let resource =
                references(&edit.insert).find(|name| !before.contains(&format!("@{name}")) && !is_there(context, name));
            let placeholder = || {
                placeholders(&edit.insert)
                    .find(|name| !before.contains(&format!("${{{name}}}")) && !is_set(context, name))
            };
            resource
                .map(|name| format!("the resource `@{name}`"))
                .or_else(|| placeholder().map(|name| format!("the placeholder `${{{name}}}`")))
        });
    let marked = edits.iter().flat_map(|(_, edits)| edits).find_map(|edit| taken_out(context, &edit.insert));
    if let Some(name) = marked {
        finding.remedy = Remedy::Manual(format!(
            "A merge marker removes `{name}`. Delete tools:node=\"remove\" from it if the declaration is wanted."
        ));
        return;
    }
    if let Some(lacking) = lacking {
        finding.remedy = Remedy::Manual(format!(
            "Give the app {lacking} first: it is not there, and the build would stop at it. Then {title}."
        ));
    }
}

/// Returns the name of an element that would be written, and that a merge marker in one of the app's own manifests takes out.
fn taken_out(context: &Context<'_>, text: &str) -> Option<String> {
    if !text.contains("name=\"") {
        return None;
    }
    let found = context.taken_out().iter().find(|marked| {
        let written = text.split('<').any(|tag| {
            tag.strip_prefix(marked.element.as_str()).is_some_and(|rest| rest.starts_with(char::is_whitespace))
                && tag.contains(&format!("name=\"{}\"", marked.name))
                && !tag.contains(":node=")
        });
        // What stands there is moved with its marker, and not written anew.
        written && !text.contains(&marked.source)
    });
    found.map(|marked| marked.name.clone())
}

/// Goes through the names in `${NAME}`.
fn placeholders(text: &str) -> impl Iterator<Item = &str> {
    text.match_indices("${").filter_map(|(at, _)| Some(text.get(at + 2..)?.split_once('}')?.0))
}

/// Says whether the build sets a placeholder in all variants that are judged, as far as is known.
fn is_set(context: &Context<'_>, name: &str) -> bool {
    let judged = context.app.android.iter().flat_map(AndroidApp::judged);
    matches!(name, "applicationId" | "packageName")
        || judged
            .into_iter()
            .all(|variant| variant.more_placeholders || variant.placeholders.iter().any(|(known, _)| known == name))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const APP: &str = "    <application/>\n";

    #[test]
    fn nothing_is_added_to_a_build_file_whose_brackets_do_not_pair_up() {
        let need = "android.gradle = { dependency = 'example.knot:core', version = '1.2' }";
        let app = Fixture::android(APP).needs("knot_banner", need);
        let whole = "plugins {\n    id 'com.android.application'\n}\ndependencies {\n}\n";
        assert_eq!(app.clone().build(whole).findings("gradle-missing")[0].remedy.kind(), "edit");
        for broken in ["plugins {\n    id 'com.android.application'\n}\ndependencies {\n", "dependencies {\n}\n}\n"] {
            let app = app.clone().build(broken);
            assert_eq!(app.findings("gradle-missing")[0].remedy.kind(), "manual", "{broken}");
            app.is_left_alone();
        }
    }

    #[test]
    fn a_reference_that_leads_nowhere_is_not_written() {
        let need = "android.meta-data = { name = 'example.knot.PATHS', resource = '@xml/knot_paths' }";
        let app = Fixture::android(APP).needs("knot_banner", need);
        assert_eq!(app.findings("meta-data-missing")[0].remedy.kind(), "manual");
        app.is_left_alone();
        let paths = "android/app/src/main/res/xml/knot_paths.xml";
        let there = app.clone().file(paths, "<paths/>");
        assert_eq!(there.findings("meta-data-missing")[0].remedy.kind(), "edit");
        let brought = app.file("node_modules/knot_banner/android/src/main/res/xml/knot_paths.xml", "<paths/>");
        assert_eq!(brought.findings("meta-data-missing")[0].remedy.kind(), "edit");
    }

    #[test]
    fn a_resource_that_is_needed_too_is_made_first() {
        let app = Fixture::android(APP).plugin(
            "knot_banner",
            "[[requires]]\nandroid.meta-data = { name = 'example.knot.MODE', value = '@string/knot_mode' }\n[[requires]]\nandroid.resource = { type = 'string', name = 'knot_mode', value = 'quiet' }",
        );
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let left: Vec<_> = filled.left.findings.iter().filter(|one| one.rule.id != "not-judged").collect();
        assert!(left.is_empty(), "{left:#?}");
    }

    #[test]
    fn a_file_that_only_a_person_can_make_comes_first() {
        let app = Fixture::android(APP).plugin(
            "knot_banner",
            "[[requires]]\nandroid.meta-data = { name = 'example.knot.PATHS', resource = '@xml/knot_paths' }\n[[requires]]\nandroid.resource = { type = 'xml', name = 'knot_paths' }",
        );
        app.is_left_alone();
    }

    #[test]
    fn nothing_is_written_beside_a_marker_that_takes_it_out() {
        let inside = "    <application>\n        <service android:name=\"example.knot.Service\" tools:node=\"remove\"/>\n        <meta-data android:name=\"example.knot.MODE\" tools:node=\"remove\"/>\n    </application>\n";
        let app = Fixture::android(inside).plugin(
            "knot_banner",
            "[[requires]]\nandroid.component = { kind = 'service', name = 'example.knot.Service' }\n[[requires]]\nandroid.meta-data = { name = 'example.knot.MODE', value = 'calm' }",
        );
        app.is_left_alone();
    }

    #[test]
    fn a_placeholder_that_nothing_sets_is_not_written() {
        let need = "android.meta-data = { name = 'example.knot.KEY', value = '${knotKey}' }";
        let app = Fixture::android(APP).needs("knot_banner", need);
        assert_eq!(app.findings("meta-data-missing")[0].remedy.kind(), "manual");
        let set =
            app.build("android {\n    defaultConfig {\n        manifestPlaceholders = [knotKey: 'k']\n    }\n}\n");
        assert_eq!(set.findings("meta-data-missing")[0].remedy.kind(), "edit");
    }
}
