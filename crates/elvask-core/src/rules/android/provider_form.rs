//! `provider-form`: a provider that shares files is declared in a way that its class refuses.

use elvask_markup::xml::Element;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::merge::MergedElement;
use elvask_project::names::{ANDROID, TOOLS};
use elvask_project::surface::{Effective, ManifestView};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct ProviderForm;

static ABOUT: About = About {
    id: "provider-form",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a FileProvider that is exported, grants no access to its files or does not say which folders it shares, and two providers with one authority.",
    effect: "The app crashes when it starts: the provider refuses to be made so.",
    wrong: "<provider\n    android:name=\"androidx.core.content.FileProvider\"\n    android:authorities=\"${applicationId}.files\"\n    android:exported=\"true\" />",
    right: "<provider\n    android:name=\"androidx.core.content.FileProvider\"\n    android:authorities=\"${applicationId}.files\"\n    android:exported=\"false\"\n    android:grantUriPermissions=\"true\">\n    <meta-data\n        android:name=\"android.support.FILE_PROVIDER_PATHS\"\n        android:resource=\"@xml/file_paths\" />\n</provider>",
    remedy: "`fill` writes the attributes. Which folders are shared, and which of two providers keeps an authority, is for a person.",
    source: "FileProvider; <provider>",
};

/// The classes that look at their own declaration.
const CLASSES: [&str; 2] = ["androidx.core.content.FileProvider", "android.support.v4.content.FileProvider"];
const PATHS: &str = "android.support.FILE_PROVIDER_PATHS";

impl Rule for ProviderForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        let mut authorities: Vec<(String, Element<'_>)> = Vec::new();
        for provider in manifest.components.iter().filter(|one| one.element.name() == "provider") {
            let element = provider.element;
            if element.attribute(TOOLS, "node").is_some() {
                continue;
            }
            for authority in element.value(ANDROID, "authorities").unwrap_or_default().split(';').map(str::trim) {
                if authority.is_empty() {
                    continue;
                }
                match authorities.iter().find(|(known, _)| known == authority) {
                    Some((_, first)) => out.push(twice(manifest, authority, element, *first)),
                    None => authorities.push((authority.to_owned(), element)),
                }
            }
            if CLASSES.contains(&provider.class.as_str()) {
                of_files(context, manifest, element, &provider.class, out);
            }
        }
    }
}

/// Looks at a provider of files.
fn of_files(
    context: &Context<'_>,
    manifest: &ManifestView<'_>,
    element: Element<'_>,
    class: &str,
    out: &mut Vec<Finding>,
) {
    // What other manifests add to the provider counts: it is looked at as the device sees it.
    let everywhere = |holds: &dyn Fn(&Effective<'_>, &MergedElement<'_>) -> bool| {
        context.is_everywhere(manifest, |variant| variant.component(class).is_none_or(|merged| holds(variant, merged)))
    };
    let says = |local: &str, wanted: &str| element.value(ANDROID, local).is_some_and(|value| value == wanted);
    let finding = |local: &str, message: &str| {
        Finding::new(&ABOUT, class, manifest.value_place(element, local), format!("FileProvider {message}"))
    };
    let set = |local: &str, value: &str| {
        let edits = vec![set_android(manifest, element, local, value)];
        manifest_edit(format!("android:{local}=\"{value}\""), manifest, edits)
    };
    if says("exported", "true") && !everywhere(&|_, merged| merged.value("exported") != Some("true")) {
        out.push(finding("exported", "is exported").mend(set("exported", "false")));
    }
    let grants = |variant: &Effective<'_>, merged: &MergedElement<'_>| {
        let parts = variant.merged.children(merged).any(|child| child.name == "grant-uri-permission");
        parts || merged.value("grantUriPermissions").is_some_and(|value| value != "false")
    };
    if !everywhere(&grants) {
        let message = "does not grant access to its files";
        out.push(finding("grantUriPermissions", message).mend(set("grantUriPermissions", "true")));
    }
    let paths = |variant: &Effective<'_>, merged: &MergedElement<'_>| {
        variant.merged.children(merged).any(|child| child.name == "meta-data" && child.value("name") == Some(PATHS))
    };
    if !everywhere(&paths) {
        let steps = format!(
            "Put <meta-data android:name=\"{PATHS}\" android:resource=\"@xml/file_paths\" /> into the provider, and the folders into res/xml/file_paths.xml."
        );
        out.push(
            Finding::new(&ABOUT, PATHS, manifest.tag(element), "FileProvider does not say which folders it shares")
                .effect("Sharing a file throws IllegalArgumentException.")
                .mend(Remedy::Manual(steps)),
        );
    }
}

/// Tells of an authority that two providers have.
fn twice(manifest: &ManifestView<'_>, authority: &str, element: Element<'_>, first: Element<'_>) -> Finding {
    let message = format!("two providers have the authority {authority}");
    let steps = "Give each provider an authority of its own, in the code too.";
    Finding::new(&ABOUT, authority, manifest.value_place(element, "authorities"), message)
        .effect("Only one of the two is reached; the other one's files are not found.")
        .related(manifest.value_place(first, "authorities"), "this one has it too")
        .mend(Remedy::Manual(steps.to_owned()))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "provider-form";
    const META: &str = "            <meta-data android:name=\"android.support.FILE_PROVIDER_PATHS\" android:resource=\"@xml/file_paths\"/>\n";

    fn provider(attributes: &str, inside: &str) -> String {
        format!(
            "    <application>\n        <provider android:name=\"androidx.core.content.FileProvider\" android:authorities=\"example.files\"{attributes}>\n{inside}        </provider>\n    </application>\n"
        )
    }

    #[test]
    fn a_provider_of_files_is_closed_and_grants_access() {
        let app = Fixture::android(&provider(" android:exported=\"true\"", META));
        let class = "androidx.core.content.FileProvider";
        assert_eq!(app.found(ID), [format!("error {class} 3:9"), format!("error {class} 3:123")]);
        let right = " android:exported=\"false\" android:grantUriPermissions=\"true\"";
        app.mends_manifest(ID, &provider(right, META));
        assert!(Fixture::android(&provider(right, META)).found(ID).is_empty());
        let unstated = " android:grantUriPermissions=\"true\"";
        assert!(Fixture::android(&provider(unstated, META)).found(ID).is_empty(), "closed is the default");
    }

    #[test]
    fn its_folders_are_for_a_person() {
        let app = Fixture::android(&provider(" android:grantUriPermissions=\"true\"", ""));
        assert_eq!(app.found(ID), ["error android.support.FILE_PROVIDER_PATHS 3:9"]);
        app.is_left_alone();
    }

    #[test]
    fn an_authority_belongs_to_one() {
        let two = "    <application>\n        <provider android:name=\".A\" android:authorities=\"example.files\"/>\n        <provider android:name=\".B\" android:authorities=\"example.more;example.files\"/>\n    </application>\n";
        assert_eq!(Fixture::android(two).found(ID), ["error example.files 4:58"]);
        assert!(Fixture::android(&two.replace("more;example.files", "more")).found(ID).is_empty());
    }

    #[test]
    fn other_providers_are_their_classes_affair() {
        let own = provider(" android:exported=\"true\"", "").replace("androidx.core.content.FileProvider", ".Files");
        assert!(Fixture::android(&own).found(ID).is_empty());
    }
}
