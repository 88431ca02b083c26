//! `app-differs`: the platforms say something else of how the app runs than its owner.

use elvask_markup::plist::plan::NewValue;
use elvask_needs::kinds::android::level::stated;
use elvask_needs::remedy::Remedy;
use elvask_needs::requirement::MIN_LEVEL;
use elvask_platform::Platform;
use elvask_project::names::ANDROID;
use elvask_project::source::Place;
use elvask_project::surface::PlistView;
use elvask_project::tomldoc::Text;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::identity::{Part, said};
use crate::rules::Rule;
use crate::rules::support::{add_key, manifest_edit, rewrite, set_android};

/// See the module.
pub struct AppDiffers;

static ABOUT: About = About {
    id: "app-differs",
    level: Level::Warning,
    platform: None,
    summary: "Reports an orientation, a lowest level, devices, a category, a build or a statement on encryption that is another one than `[app]` in elvask.toml says.",
    effect: "The app runs otherwise than its owner means it to, on the devices that have this value.",
    wrong: "orientation = \"portrait\"                    # elvask.toml\n<activity android:screenOrientation=\"landscape\" …>",
    right: "<activity android:screenOrientation=\"portrait\" …>",
    remedy: "`fill` writes orientation, category and the statement on encryption; levels, devices and builds are for a person (`elvask identity --set build=42`).",
    source: "<activity>; UISupportedInterfaceOrientations; ITSAppUsesNonExemptEncryption",
};

/// The statement on encryption.
const ENCRYPTION: &str = "ITSAppUsesNonExemptEncryption";
/// The category on iOS.
const CATEGORY: &str = "LSApplicationCategoryType";

impl Rule for AppDiffers {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        names(context, out);
        on_android(context, out);
        levels(context, out);
        if let Some(plist) = context.plist {
            on_ios(context, plist, out);
        }
    }
}

fn finding(
    context: &Context<'_>,
    (what, platform): (&str, Platform),
    place: Place,
    here: &str,
    meant: &Text,
) -> Finding {
    let message = format!("{what} is {here} on {}, and elvask.toml says {}", platform.title(), meant.text);
    let mut finding = Finding::new(&ABOUT, what, place, message);
    finding.platform = Some(platform);
    if let Some(file) = context.app.config_file {
        finding = finding.related(Place { file, span: meant.span }, "stated here");
    }
    finding
}

/// Holds the names in other languages against what they are meant to be.
fn names(context: &Context<'_>, out: &mut Vec<Finding>) {
    let meant = &context.app.config.identity.names;
    if meant.is_empty() {
        return;
    }
    for said in said(context).into_iter().filter(|said| said.part == Part::Name && said.ships) {
        let (Some(language), Some(here), Some(place), Some(platform)) =
            (said.language, said.value, said.place, said.platform)
        else {
            continue;
        };
        let Some((_, text)) = meant.iter().find(|(known, _)| *known == language) else { continue };
        if here != text.text {
            let what = format!("the name in {language}");
            let steps = format!("`elvask identity --set name.{language}=\"{}\"` writes it.", text.text);
            let found = finding(context, (&what, platform), place, &format!("`{here}`"), text);
            out.push(found.mend(Remedy::Manual(steps)));
        }
    }
}

/// Returns the way in which a word lets a device be held.
fn way(word: &str) -> &'static str {
    match word.to_ascii_lowercase() {
        word if word.contains("portrait") => "portrait",
        word if word.contains("landscape") => "landscape",
        _ => "any",
    }
}

fn on_android(context: &Context<'_>, out: &mut Vec<Finding>) {
    let meant = &context.app.config.identity;
    let Some(manifest) = context.manifest.as_deref() else { return };
    if let (Some(meant), Some(launcher)) = (&meant.orientation.phone, manifest.launcher()) {
        let stated = launcher.element.attribute(ANDROID, "screenOrientation");
        let here = stated.map(|stated| launcher.element.value_of(stated).into_owned());
        let is_known = here.as_ref().is_none_or(|here| !here.contains(['$', '@']));
        if is_known && way(here.as_deref().unwrap_or_default()) != meant.text {
            let place = stated.map_or_else(|| manifest.tag(launcher.element), |stated| manifest.at(stated.value));
            let word = if meant.text == "any" { "unspecified" } else { &meant.text };
            let edit = set_android(manifest, launcher.element, "screenOrientation", word);
            let remedy = manifest_edit(format!("android:screenOrientation=\"{word}\""), manifest, vec![edit]);
            let here = here.map_or_else(|| "not stated".to_owned(), |here| format!("`{here}`"));
            out.push(finding(context, ("the orientation", Platform::Android), place, &here, meant).mend(remedy));
        }
    }
    if let (Some(meant), Some(application)) = (&meant.android_category, manifest.application) {
        let stated = application.attribute(ANDROID, "appCategory");
        let here = stated.map(|stated| application.value_of(stated).into_owned());
        if here.as_deref() != Some(meant.text.as_str()) {
            let place = stated.map_or_else(|| manifest.tag(application), |stated| manifest.at(stated.value));
            let edit = set_android(manifest, application, "appCategory", &meant.text);
            let remedy = manifest_edit(format!("android:appCategory=\"{}\"", meant.text), manifest, vec![edit]);
            let here = here.map_or_else(|| "not stated".to_owned(), |here| format!("`{here}`"));
            out.push(finding(context, ("the category", Platform::Android), place, &here, meant).mend(remedy));
        }
    }
}

/// Holds levels and builds against what they are meant to be.
fn levels(context: &Context<'_>, out: &mut Vec<Finding>) {
    let meant = &context.app.config.identity;
    let mut tell =
        |what: (&str, Platform), here: Option<String>, place: Option<Place>, meant: &Option<Text>, steps: &str| {
            let (Some(here), Some(place), Some(meant)) = (here, place, meant) else { return };
            if here != meant.text {
                let found = finding(context, what, place, &here, meant);
                out.push(found.mend(Remedy::Manual(steps.replace("{}", &meant.text))));
            }
        };
    if let Some(android) = &context.app.android {
        let min = stated(android, MIN_LEVEL);
        let place = min.and_then(|min| min.place);
        let value = min.and_then(|min| min.value).map(|value| value.to_string());
        tell(
            ("the lowest level", Platform::Android),
            value,
            place,
            &meant.min_level,
            "Write {} there, or change elvask.toml.",
        );
        if let Some(variant) = elvask_project::appfiles::AndroidApp::judged(android).next() {
            let code = &variant.version_code;
            let value = code.value.map(|code| code.to_string());
            tell(
                ("the build", Platform::Android),
                value,
                code.place,
                &meant.build,
                "`elvask identity --set build={}` writes it everywhere.",
            );
        }
    }
    if let Some(ios) = &context.app.ios {
        let min = &ios.min_version;
        let value = min.value.map(|version| version.to_string());
        tell(
            ("the lowest version", Platform::Ios),
            value,
            min.place,
            &meant.min_ios,
            "Write {} there, or change elvask.toml.",
        );
        let (build, place) = context.listed_or("CFBundleVersion", &ios.build);
        tell(
            ("the build", Platform::Ios),
            build,
            place,
            &meant.build,
            "`elvask identity --set build={}` writes it everywhere.",
        );
    }
    let settings = context.surface.settings();
    let family = settings.and_then(|settings| settings.value("TARGETED_DEVICE_FAMILY"));
    if let (Some((value, place)), [first, ..]) =
        (family.and_then(|one| Some((one.value?, one.place?))), meant.devices.as_slice())
    {
        let has = |number: &str| value.split(',').any(|one| one.trim() == number);
        let wants = |word: &str| meant.devices.iter().any(|device| device.text == word);
        if (has("1"), has("2")) != (wants("phone"), wants("tablet")) {
            let numbers = [("1", "phone"), ("2", "tablet")].into_iter().filter(|(_, word)| wants(word));
            let numbers = numbers.map(|(number, _)| number).collect::<Vec<_>>().join(",");
            let words = meant.devices.iter().map(|device| device.text.as_str()).collect::<Vec<_>>().join(" and ");
            let said = Text { text: words, span: first.span };
            let steps = format!("Set the build setting TARGETED_DEVICE_FAMILY to \"{numbers}\".");
            let here = format!("\"{value}\"");
            out.push(finding(context, ("the devices", Platform::Ios), place, &here, &said).mend(Remedy::Manual(steps)));
        }
    }
}

fn on_ios(context: &Context<'_>, plist: PlistView<'_>, out: &mut Vec<Finding>) {
    let identity = &context.app.config.identity;
    let mut write = |what: &str, key: &str, here: Option<String>, value: NewValue, meant: &Text| {
        let entry = plist.entry(key);
        let place = entry.map_or_else(|| plist.root_tag(), |entry| plist.value_place(entry));
        let title = format!("write {key}");
        let remedy = match entry {
            Some(entry) => rewrite(&context.scene, plist, title, &entry.value, &value),
            None => add_key(&context.scene, title, plist, key, &value),
        };
        let here = here.unwrap_or_else(|| "not stated".to_owned());
        out.push(finding(context, (what, Platform::Ios), place, &here, meant).mend(remedy));
    };
    for (meant, key) in [
        (&identity.orientation.phone, "UISupportedInterfaceOrientations"),
        (&identity.orientation.tablet, "UISupportedInterfaceOrientations~ipad"),
    ] {
        let Some(meant) = meant else { continue };
        let listed = plist.entry(key).and_then(|entry| entry.value.as_array());
        // A tablet goes by the list for all devices where it has none of its own.
        if listed.is_none() && key.ends_with("~ipad") {
            continue;
        }
        let words: Vec<&str> = listed.unwrap_or_default().iter().filter_map(|one| one.as_str()).collect();
        let ways: std::collections::BTreeSet<&str> = words.iter().map(|word| way(word)).collect();
        let here = match ways.iter().collect::<Vec<_>>().as_slice() {
            [one] => **one,
            _ => "any",
        };
        if here != meant.text {
            let names: &[&str] = match meant.text.as_str() {
                "portrait" => &["Portrait"],
                "landscape" => &["LandscapeLeft", "LandscapeRight"],
                _ => &["Portrait", "LandscapeLeft", "LandscapeRight"],
            };
            let values = names.iter().map(|name| NewValue::String(format!("UIInterfaceOrientation{name}"))).collect();
            let what = if key.ends_with("~ipad") { "the orientation of tablets" } else { "the orientation" };
            write(what, key, listed.map(|_| here.to_owned()), NewValue::Array(values), meant);
        }
    }
    if let Some(meant) = &identity.ios_category {
        let here = plist.entry(CATEGORY).and_then(|entry| entry.value.as_str()).map(str::to_owned);
        if here.as_deref() != Some(meant.text.as_str()) {
            write("the category", CATEGORY, here, NewValue::String(meant.text.clone()), meant);
        }
    }
    if let Some(meant) = &identity.encryption {
        let wanted = meant.text == "non-exempt";
        let entry = plist.entry(ENCRYPTION);
        let here = entry.map(|entry| matches!(entry.value.kind, elvask_markup::plist::ValueKind::Bool(true)));
        if here != Some(wanted) {
            let said = here.map(|here| if here { "non-exempt" } else { "exempt" }.to_owned());
            write("the statement on encryption", ENCRYPTION, said, NewValue::Bool(wanted), meant);
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "app-differs";

    fn launcher(attributes: &str) -> Fixture {
        let filter = "            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\" />\n                <category android:name=\"android.intent.category.LAUNCHER\" />\n            </intent-filter>\n";
        let text = format!(
            "    <application>\n        <activity android:name=\".Log\" android:exported=\"true\"{attributes}>\n{filter}        </activity>\n    </application>\n"
        );
        Fixture::android(&text)
    }

    #[test]
    fn the_orientation_of_the_launcher_is_the_owners() {
        let app = |attributes: &str| launcher(attributes).toml("[app]\norientation = 'portrait'\n");
        assert_eq!(app("").found(ID), ["warning the orientation 3:9"]);
        assert_eq!(app(" android:screenOrientation=\"landscape\"").found(ID).len(), 1);
        assert!(app(" android:screenOrientation=\"sensorPortrait\"").found(ID).is_empty());
        assert!(app(" android:screenOrientation=\"${way}\"").found(ID).is_empty(), "only the build knows");
        assert!(launcher("").found(ID).is_empty(), "the owner says nothing");
        let filled = crate::fill::fill(&app("").load(), &app("").settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("android:screenOrientation=\"portrait\""));
    }

    #[test]
    fn lists_of_orientations_are_read_by_what_they_allow() {
        let list = |words: &[&str]| {
            let items: String =
                words.iter().map(|word| format!("        <string>UIInterfaceOrientation{word}</string>\n")).collect();
            format!("    <key>UISupportedInterfaceOrientations</key>\n    <array>\n{items}    </array>\n")
        };
        let app = |words: &[&str], way: &str| {
            Fixture::ios(&list(words)).toml(&format!("[app]\norientation = '{way}'\n")).found(ID)
        };
        assert!(app(&["Portrait", "PortraitUpsideDown"], "portrait").is_empty());
        assert_eq!(app(&["Portrait", "LandscapeLeft"], "portrait").len(), 1);
        assert!(app(&["LandscapeLeft", "LandscapeRight"], "landscape").is_empty());
        assert!(app(&["Portrait", "LandscapeLeft"], "any").is_empty());
        let written = Fixture::ios(&list(&["LandscapeLeft"])).toml("[app]\norientation = { phone = 'portrait' }\n");
        written.mends_plist(ID, &list(&["Portrait"]));
    }

    #[test]
    fn names_in_other_languages_are_the_owners() {
        let res = "android/app/src/main/res";
        let text = |name: &str| format!("<resources>\n    <string name=\"app_name\">{name}</string>\n</resources>\n");
        let app = Fixture::android("    <application android:label=\"@string/app_name\" />\n")
            .file(&format!("{res}/values/strings.xml"), &text("Marram"))
            .file(&format!("{res}/values-nl/strings.xml"), &text("Helmgras"));
        let named =
            |name: &str| app.clone().toml(&format!("[app]\nname = {{ en = 'Marram', nl = '{name}' }}\n")).found(ID);
        assert!(named("Helmgras").is_empty());
        assert_eq!(named("Helm"), ["warning the name in nl 2:29"]);
    }

    #[test]
    fn encryption_category_levels_and_builds_are_the_owners() {
        let name = "    <key>CFBundleName</key>\n    <string>Marram</string>\n";
        let app = Fixture::ios(name)
            .toml("[app]\nencryption = 'exempt'\ncategory = { ios = 'public.app-category.navigation' }\n");
        assert_eq!(app.found(ID).len(), 2);
        app.mends_plist(ID, &format!("{name}    <key>LSApplicationCategoryType</key>\n    <string>public.app-category.navigation</string>\n    <key>ITSAppUsesNonExemptEncryption</key>\n    <false/>\n"));
        let levels = Fixture::android("    <application />\n").levels(24, 36);
        assert_eq!(levels.clone().toml("[app]\nmin-level = 26\n").found(ID), ["warning the lowest level 6:12"]);
        assert!(levels.toml("[app]\nmin-level = 24\n").found(ID).is_empty());
        let wrong = Fixture::ios(name).toml("[app]\norientation = 'upright'\nencryption = 'yes'\nmin-ios = 'x'\n");
        assert_eq!(wrong.found("config-invalid").len(), 3);
    }
}
