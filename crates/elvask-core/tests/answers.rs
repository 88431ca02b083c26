//! Where purposes and answers come from, and which one wins.

use std::path::Path;

use elvask_core::app::App;
use elvask_core::check::{Report, check};
use elvask_core::fill::{Outcome, fill, wants};
use elvask_core::finding::Level;
use elvask_core::needs::Settings;
use elvask_needs::remedy::Want;
use elvask_project::files::Memory;

const PROJECT: &str = "{ objects = { P = { targets = (T); developmentRegion = REGION; }; T = { name = Log; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Info.plist; }; }; }; rootObject = P; }";

struct Case {
    sheet: &'static str,
    toml: &'static str,
    plist: &'static str,
    region: &'static str,
    settings: Settings,
}

impl Default for Case {
    fn default() -> Self {
        Case { sheet: "", toml: "", plist: "", region: "en", settings: Settings::default() }
    }
}

impl Case {
    fn load(&self) -> App {
        let tree = Memory::app([
            ("package.json", "{\"dependencies\":{\"p\":\"1\"}}"),
            ("node_modules/p/package.json", "{\"version\":\"1.0.0\"}"),
            ("node_modules/p/elvask-sheet.toml", &format!("sheet = 1\n{}", self.sheet)),
            ("elvask.toml", &format!("elvask = 1\n{}", self.toml)),
            ("ios/Log.xcodeproj/project.pbxproj", &PROJECT.replace("REGION", self.region)),
            (
                "ios/Info.plist",
                &format!(
                    "<plist version=\"1.0\">\n<dict>\n    <key>A</key>\n    <true/>\n{}</dict>\n</plist>\n",
                    self.plist
                ),
            ),
        ]);
        App::load(&tree, Path::new("/app"), &[]).unwrap()
    }

    fn check(&self) -> Report {
        check(&self.load(), &self.settings)
    }

    fn fill(&self) -> (Outcome, String) {
        let app = self.load();
        let filled = fill(&app, &self.settings).unwrap();
        let text = filled.sources.file(app.ios.clone().unwrap().plist.unwrap()).text.to_string();
        (filled, text)
    }

    /// Fills the app and returns the text under a key.
    fn written(&self, key: &str) -> Option<String> {
        let (_, text) = self.fill();
        let (_, after) = text.split_once(&format!("<key>{key}</key>"))?;
        let (_, value) = after.split_once("<string>")?;
        Some(value.split_once("</string>")?.0.to_owned())
    }
}

const CAMERA: &str = "NSCameraUsageDescription";
const MICROPHONE: &str = "NSMicrophoneUsageDescription";

fn said(name: &str, text: &str) -> Settings {
    Settings { purposes: vec![(name.to_owned(), text.to_owned())], ..Settings::default() }
}

#[test]
fn the_command_line_wins_over_the_file_and_the_key_over_the_capability() {
    let sheet = "[[requires]]\ncapability = 'camera'";
    let toml = "[purposes]\ncamera = 'By capability.'";
    let both = "[purposes]\ncamera = 'By capability.'\nNSCameraUsageDescription = 'By key.'";
    let case = |toml, settings| Case { sheet, toml, settings, ..Case::default() };
    assert_eq!(case(toml, Settings::default()).written(CAMERA).as_deref(), Some("By capability."));
    assert_eq!(case(both, Settings::default()).written(CAMERA).as_deref(), Some("By key."));
    assert_eq!(case(both, said("camera", "Said.")).written(CAMERA).as_deref(), Some("Said."));
    assert_eq!(case(both, said(CAMERA, "Said.")).written(CAMERA).as_deref(), Some("Said."));
    assert_eq!(case("", Settings::default()).written(CAMERA), None);
}

#[test]
fn the_language_of_the_project_is_written() {
    let case = |region, plist| Case {
        sheet: "[[requires]]\ncapability = 'camera'",
        toml: "[purposes]\ncamera = { nl = 'Fotografeert.', en = 'Photographs.', de = 'Fotografiert.' }",
        region,
        plist,
        ..Case::default()
    };
    assert_eq!(case("nl", "").written(CAMERA).as_deref(), Some("Fotografeert."));
    assert_eq!(
        case("fr", "").written(CAMERA).as_deref(),
        Some("Photographs."),
        "English where the language has no text"
    );
    let stated = "    <key>CFBundleDevelopmentRegion</key>\n    <string>de</string>\n";
    assert_eq!(case("nl", stated).written(CAMERA).as_deref(), Some("Fotografiert."));
    let variable = "    <key>CFBundleDevelopmentRegion</key>\n    <string>$(DEVELOPMENT_LANGUAGE)</string>\n";
    assert_eq!(case("nl", variable).written(CAMERA).as_deref(), Some("Fotografeert."));
}

#[test]
fn a_capability_that_is_all_about_the_key_gives_the_purpose() {
    let case = Case {
        sheet: "[[requires]]\ncapability = 'speech'",
        toml: "[purposes]\nspeech = 'Writes down what you say.'\nmicrophone = 'Records calls.'",
        ..Case::default()
    };
    assert_eq!(case.written("NSSpeechRecognitionUsageDescription").as_deref(), Some("Writes down what you say."));
    assert_eq!(case.written(MICROPHONE).as_deref(), Some("Records calls."), "not that of speech, which wants it too");
    let alone = Case { toml: "[purposes]\nspeech = 'Writes down what you say.'", ..case };
    assert_eq!(alone.written(MICROPHONE).as_deref(), Some("Writes down what you say."), "better than to ask twice");
}

#[test]
fn what_is_wanted_is_wanted_once() {
    let case = Case {
        sheet: "[[requires]]\nios.plist = { key = 'K', value = '{id}' }\n[[requires]]\nios.plist = { key = 'L', value = 'x-{id}' }\n[[requires]]\ncapability = 'camera'\noptional = true\n[answers.id]\ntitle = 'The id'",
        ..Case::default()
    };
    let report = case.check();
    assert_eq!(report.count(Level::Error), 2);
    assert_eq!(report.count(Level::Note), 1);
    let wanted = wants(&report);
    assert_eq!(wanted.len(), 1, "an optional purpose is not asked for: {wanted:?}");
    assert_eq!(wanted[0].option(), "--answer p.id=…");
    assert_eq!(wanted[0].config_lines().unwrap(), "[plugins.p.answers]\nid = \"…\"");
    let Want::Answer { title, pattern, .. } = &wanted[0] else { panic!("{wanted:?}") };
    assert_eq!((title.as_deref(), pattern.as_deref()), (Some("The id"), None));
}

#[test]
fn one_declared_value_answers_for_the_other() {
    let sheet = "[[requires]]\nios.plist = { key = 'K', value = '{id}' }\n[[requires]]\nios.plist = { key = 'L', value = 'x-{id}-y' }\n[answers.id]\npattern = '[0-9]+'";
    let case = |plist| Case { sheet, plist, ..Case::default() };
    assert_eq!(case("    <key>K</key>\n    <string>42</string>\n").written("L").as_deref(), Some("x-42-y"));
    assert_eq!(case("    <key>L</key>\n    <string>x-7-y</string>\n").written("K").as_deref(), Some("7"));
    assert_eq!(case("    <key>K</key>\n    <string>$(ID)</string>\n").written("L"), None, "the build puts that in");
}

#[test]
fn what_is_known_of_the_app_need_not_be_said() {
    let case = Case {
        sheet: "[[requires]]\nios.plist = { key = 'K', value = '{ios_id}/{ios_team}/{host}' }",
        toml: "[app]\nios-id = 'example.marram'\nios-team = 'A1B2C3D4E5'\n[links]\nhosts = ['marram.example', 'log.marram.example']",
        ..Case::default()
    };
    assert_eq!(case.written("K").as_deref(), Some("example.marram/A1B2C3D4E5/marram.example"));
    let own = Case {
        toml: "[app]\nios-id = 'a'\nios-team = 'b'\n[links]\nhosts = ['c']\n[plugins.p.answers]\nhost = 'd'",
        ..case
    };
    assert_eq!(own.written("K").as_deref(), Some("a/b/d"), "a plugin may have a host of its own");
}

#[test]
fn conditions_and_features_decide_what_is_needed() {
    let sheet =
        "[features.video]\n[[requires]]\ncapability = 'camera'\nfeature = 'video'\nwhen = { ios-version = '<17.0' }\n";
    let found = |toml: &'static str| {
        let case = Case { sheet, toml, ..Case::default() };
        let of_plugin = case.check().findings.into_iter().filter(|finding| finding.rule.id != "not-judged");
        of_plugin.map(|finding| finding.subject).collect::<Vec<_>>()
    };
    assert!(found("").is_empty());
    assert_eq!(found("[plugins.p]\nfeatures = ['video']"), [CAMERA], "what is not known of the app counts as fitting");
}
