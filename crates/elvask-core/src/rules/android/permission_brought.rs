//! `permission-brought`: the manifest of a plugin adds a permission that people are asked for, and nothing else speaks of it.

use elvask_needs::remedy::Remedy;
use elvask_platform::android::{self, Grant};
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::{declared, short, who};

/// See the module.
pub struct PermissionBrought;

static ABOUT: About = About {
    id: "permission-brought",
    level: Level::Note,
    platform: Some(Platform::Android),
    summary: "Reports a permission for something of people's own that only the manifest of a plugin adds: nothing in the plugin's code or notes, and nothing of the app, asks for it.",
    effect: "The store lists it, and may review the app for it.",
    wrong: "(in a plugin's manifest) <uses-permission android:name=\"android.permission.READ_CONTACTS\" />",
    right: "<uses-permission android:name=\"android.permission.READ_CONTACTS\" tools:node=\"remove\" />",
    remedy: "`elvask trim --strip PERMISSION --write` removes it from the merged manifest, where the app does without it.",
    source: "Manage manifest files: node markers",
};

impl Rule for PermissionBrought {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let mut told: Vec<&str> = Vec::new();
        for one in context.needs.brought_alone() {
            let sensitive = match android::permission(&one.name).map(android::Permission::grant) {
                Some(Grant::Prompt | Grant::SettingsScreen) => true,
                // A type of foreground services is asked for by the service that has it.
                _ => android::store_review(&one.name).is_some() && !one.name.contains(".FOREGROUND_SERVICE"),
            };
            let own = context.manifests.iter().any(|manifest| declared(manifest, &one.name).is_some());
            if !sensitive || own || told.contains(&one.name.as_str()) {
                continue;
            }
            let merged = context.variants.iter().find_map(|variant| Some((variant, variant.permission(&one.name)?)));
            let Some((variant, permission)) = merged else { continue };
            told.push(&one.name);
            let all = context.variants.iter().filter(|variant| variant.permission(&one.name).is_some());
            let requirements: Vec<_> = context
                .needs
                .brought()
                .iter()
                .filter(|other| other.kind() == Kind::Permission && other.name == one.name)
                .collect();
            let name = short(&one.name);
            let who = who(context, requirements.iter().copied(), ["adds", "add"]);
            let message = format!("{who} {name}, and nothing else asks for it");
            let steps = format!(
                "If the app does without it: `elvask trim --strip {name} --write`. If it is used, declare it in the app's own manifest."
            );
            out.push(
                Finding::new(&ABOUT, one.name.clone(), variant.merged.at(permission.element).place, message)
                    .in_variants(all.map(|variant| variant.variant.clone()).collect())
                    .needed_by(context.app, requirements)
                    .mend(Remedy::Manual(steps)),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "permission-brought";

    /// Adds a package whose manifest alone asks for a permission.
    fn bringing(app: Fixture, name: &str, permission: &str) -> Fixture {
        let library = format!(
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.{permission}\"/>\n</manifest>\n"
        );
        app.package(name)
            .file(&format!("node_modules/{name}/android/build.gradle"), "apply plugin: 'com.android.library'\n")
            .file(&format!("node_modules/{name}/android/src/main/AndroidManifest.xml"), &library)
    }

    fn app(own: &str, permission: &str) -> Fixture {
        bringing(Fixture::android(&format!("{own}    <application/>\n")), "skua_files", permission)
    }

    #[test]
    fn what_a_manifest_alone_adds_is_told() {
        let app = app("", "READ_CONTACTS");
        assert_eq!(app.found(ID), ["note android.permission.READ_CONTACTS 2:5"]);
        assert_eq!(app.findings(ID)[0].message, "skua_files adds READ_CONTACTS, and nothing else asks for it");
        app.is_left_alone();
        let two = bringing(app, "tern_files", "READ_CONTACTS").findings(ID);
        assert_eq!(two[0].message, "skua_files and tern_files add READ_CONTACTS, and nothing else asks for it");
    }

    #[test]
    fn what_the_app_knows_of_or_nobody_is_asked_for_is_left() {
        let own = "    <uses-permission android:name=\"android.permission.READ_CONTACTS\"/>\n";
        assert!(app(own, "READ_CONTACTS").found(ID).is_empty());
        let removed = own.replace("/>", " tools:node=\"remove\"/>");
        assert!(app(&removed, "READ_CONTACTS").found(ID).is_empty());
        assert!(app("", "ACCESS_NETWORK_STATE").found(ID).is_empty(), "granted without a question");
        let used = app("", "READ_CONTACTS").file(
            "node_modules/skua_files/android/src/main/java/example/skua/Files.java",
            "class Files { void a() { resolver.query(ContactsContract.Contacts.CONTENT_URI, null, null, null, null); } }\n",
        );
        assert!(used.found(ID).is_empty(), "its code has a use for it");
    }
}
