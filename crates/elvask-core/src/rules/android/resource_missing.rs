//! `resource-missing`: a plugin needs a resource that the app does not have.

use elvask_needs::kinds::Match;
use elvask_needs::kinds::android::resource::{is_there, references, values_file};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};
use elvask_project::names::TOOLS;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::missing::{finding, parted};

/// See the module.
pub struct ResourceMissing;

static ABOUT: About = About {
    id: "resource-missing",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a text, colour, picture or XML file that a plugin needs among the app's resources, or to which the manifest refers, and that is not there, or for some devices alone.",
    effect: "The build fails, or the plugin does not find its value when it starts.",
    wrong: "<resources>\n</resources>",
    right: "<resources>\n    <string name=\"knot_app_id\">knot-48210077</string>\n</resources>",
    remedy: "`fill` adds a text, colour, number or truth value to the usual file under res/values, once the owner has given it. Pictures and XML files are left to a person.",
    source: "App resources overview",
};

impl Rule for ResourceMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        // One that is there with another value is the owner's.
        let absent = |found: &Match| *found == Match::Absent;
        let groups = context.needs.groups(Kind::Resource).flat_map(|group| parted(&group));
        out.extend(groups.filter_map(|together| finding(context, &ABOUT, &together, absent)));
        let wanted: Vec<String> =
            out.iter().filter(|one| one.rule.id == ABOUT.id).map(|one| one.subject.clone()).collect();
        let mut told = wanted;
        for manifest in &context.manifests {
            let mut open = vec![manifest.root];
            while let Some(element) = open.pop() {
                open.extend(element.children());
                for attribute in element.attributes() {
                    let value = element.value_of(attribute);
                    let Some(name) = value.strip_prefix('@').filter(|name| references(&value).any(|one| one == *name))
                    else {
                        continue;
                    };
                    // What is taken out refers to nothing.
                    let is_removed = element.value(TOOLS, "node").is_some_and(|node| node.starts_with("remove"));
                    if is_removed || told.iter().any(|known| known == name) {
                        continue;
                    }
                    let place = manifest.at(attribute.value);
                    if !is_there(context, name) {
                        told.push(name.to_owned());
                        out.push(dangling(name, place));
                    } else if let Some(folders) = limited(context, name) {
                        told.push(name.to_owned());
                        out.push(for_some(name, folders, place));
                    }
                }
            }
        }
    }
}

/// Returns the folders of a resource that some devices of the app do not find.
fn limited<'c>(context: &'c Context<'_>, name: &str) -> Option<&'c [String]> {
    let all = context.app.android.iter().flat_map(|android| &android.resources.limited);
    let mut all = all.filter(|(known, _)| known == name);
    all.next().map(|(_, folders)| folders.as_slice())
}

/// Tells of a resource that some devices do not find.
fn for_some(name: &str, folders: &[String], place: Place) -> Finding {
    let (kind, short) = name.split_once('/').unwrap_or(("string", name));
    let message = format!("`@{name}` is in {} alone, and other devices do not find it", folders.join(", "));
    let steps = format!("Put {short} into res/{} too.", if values_file(kind).is_some() { "values" } else { kind });
    Finding::new(&ABOUT, name, place, message)
        .level(Level::Warning)
        .effect("On other devices the app crashes where it is used, or a stock text or picture is shown.")
        .mend(Remedy::Manual(steps))
}

/// Tells of a reference to a resource that is not found. A library that is not looked into may bring it.
fn dangling(name: &str, place: Place) -> Finding {
    let (kind, short) = name.split_once('/').unwrap_or(("string", name));
    let steps = match values_file(kind) {
        Some(file) => format!("Add `{short}` to res/values/{file}, or refer to one that is there."),
        None => format!("Put a file {short} into res/{kind}, or refer to one that is there."),
    };
    let message = format!("`@{name}` is not found among the resources of the app and its packages");
    Finding::new(&ABOUT, name, place, message)
        .level(Level::Warning)
        .effect("The build fails, unless a library contains the resource.")
        .mend(Remedy::Manual(steps))
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const APP: &str = "    <application/>\n";
    const STRINGS: &str = "android/app/src/main/res/values/strings.xml";

    fn app() -> Fixture {
        Fixture::android(APP)
            .needs("knot_banner", "android.resource = { type = 'string', name = 'mode', value = 'quiet' }")
    }

    #[test]
    fn a_text_that_is_there_is_enough_whatever_it_says() {
        assert_eq!(app().found("resource-missing"), ["error string/mode 1:1"]);
        let there = "<resources>\n    <string name=\"mode\">loud</string>\n</resources>\n";
        assert_eq!(app().file(STRINGS, there).found("resource-missing"), [""; 0]);
    }

    #[test]
    fn a_reference_that_leads_nowhere_is_told() {
        let app = Fixture::android(
            "    <application android:label=\"@string/app_name\" android:theme=\"@style/Brand\" android:icon=\"@mipmap/ic\"/>\n",
        );
        assert_eq!(app.found("resource-missing"), ["warning string/app_name 2:33", "warning mipmap/ic 2:94"]);
        app.is_left_alone();
        let text = "<resources>\n    <item type=\"string\" name=\"app_name\">Marram</item>\n</resources>\n";
        let there = app.clone().file(STRINGS, text).file("android/app/src/main/res/mipmap-hdpi/ic.webp", "");
        assert_eq!(there.found("resource-missing"), [""; 0]);
        let made = app
            .build("android {\n    defaultConfig {\n        resValue \"string\", \"app_name\", \"Marram\"\n    }\n}\n");
        assert_eq!(made.found("resource-missing"), ["warning mipmap/ic 2:94"]);
    }

    #[test]
    fn what_some_devices_alone_find_is_told() {
        let app = |label: &str, icon: &str| {
            Fixture::android("    <application android:label=\"@string/app_name\" android:icon=\"@mipmap/ic\"/>\n")
                .file(
                    &format!("android/app/src/main/res/{label}/strings.xml"),
                    "<resources>\n    <string name=\"app_name\">Marram</string>\n</resources>\n",
                )
                .file(&format!("android/app/src/main/res/{icon}/ic.xml"), "<adaptive-icon/>")
        };
        assert_eq!(
            app("values-nl", "mipmap-anydpi-v26").found("resource-missing"),
            ["warning string/app_name 2:33", "warning mipmap/ic 2:65"]
        );
        let told = app("values-nl", "mipmap").findings("resource-missing").remove(0);
        assert_eq!(told.message, "`@string/app_name` is in values-nl alone, and other devices do not find it");
        assert_eq!(app("values", "mipmap-xhdpi").found("resource-missing"), [""; 0]);
        assert_eq!(app("values-v24", "mipmap-anydpi-v26").levels(26, 35).found("resource-missing"), [""; 0]);
        let both = app("values", "mipmap-anydpi-v26").file("android/app/src/main/res/mipmap-mdpi/ic.png", "");
        assert_eq!(both.found("resource-missing"), [""; 0]);
        // The build, a package or the other half of a pair gives it to all devices.
        let made = app("values-nl", "mipmap").build("android {\n    namespace 'example.marram'\n    defaultConfig {\n        resValue \"string\", \"app_name\", \"Marram\"\n    }\n}\n");
        assert_eq!(made.found("resource-missing"), [""; 0]);
        let brought = app("values-nl", "mipmap-anydpi-v26")
            .package("skua_files")
            .file("node_modules/skua_files/android/build.gradle", "apply plugin: 'com.android.library'\n")
            .file(
                "node_modules/skua_files/android/src/main/res/values/a.xml",
                "<resources>\n    <string name=\"app_name\">Marram</string>\n</resources>\n",
            )
            .file("node_modules/skua_files/android/src/main/res/mipmap-mdpi/ic.png", "");
        assert_eq!(brought.found("resource-missing"), [""; 0]);
        let pair = app("values", "mipmap-port").file("android/app/src/main/res/mipmap-land/ic.xml", "<adaptive-icon/>");
        assert_eq!(pair.found("resource-missing"), [""; 0]);
    }

    #[test]
    fn a_text_is_put_behind_the_others_or_into_a_new_file() {
        let there = "<resources>\n    <string name=\"app_name\">Marram</string>\n</resources>\n";
        let fixture = app().file(STRINGS, there);
        let loaded = fixture.load();
        let filled = crate::fill::fill(&loaded, &fixture.settings).unwrap();
        let text = |name: &str| filled.sources.all().find(|file| file.shown == name).unwrap().text.to_string();
        let wanted = "<resources>\n    <string name=\"app_name\">Marram</string>\n    <string name=\"mode\">quiet</string>\n</resources>\n";
        assert_eq!(text(STRINGS), wanted);
        let fixture = app();
        let filled = crate::fill::fill(&fixture.load(), &fixture.settings).unwrap();
        let text = filled.sources.all().find(|file| file.shown == STRINGS).unwrap().text.to_string();
        let wanted = "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n<resources>\n    <string name=\"mode\">quiet</string>\n</resources>\n";
        assert_eq!(text, wanted);
    }

    #[test]
    fn a_file_is_looked_for_in_all_folders_of_its_type_and_left_to_a_person() {
        let app =
            Fixture::android(APP).needs("tern_camera", "android.resource = { type = 'xml', name = 'tern_paths' }");
        assert_eq!(app.found("resource-missing"), ["error xml/tern_paths 1:1"]);
        app.is_left_alone();
        let there = app.file("android/app/src/main/res/xml-v31/tern_paths.xml", "<paths/>");
        assert_eq!(there.found("resource-missing"), [""; 0]);
    }
}
