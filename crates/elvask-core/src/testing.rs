//! Small apps in memory, for the tests of rules.

use std::fmt::Write as _;
use std::path::Path;

use elvask_project::files::{Files, Memory};
use elvask_project::source::Sources;

use crate::app::App;
use crate::check::check;
use crate::fill::fill;
use crate::finding::Finding;
use crate::needs::Settings;

pub(crate) const MANIFEST: &str = "android/app/src/main/AndroidManifest.xml";
pub(crate) const PLIST: &str = "ios/Marram/Info.plist";

/// As Xcode writes it: project and target have lists of their own, each with a configuration for debugging and one for release.
const PROJECT: &str =
    "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = PL; developmentRegion = en; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = TL; };
  PL = { isa = XCConfigurationList; buildConfigurations = (PD, PR); defaultConfigurationName = Release; };
  TL = { isa = XCConfigurationList; buildConfigurations = (TD, TR); defaultConfigurationName = Release; };
  PD = { isa = XCBuildConfiguration; name = Debug; buildSettings = { IPHONEOS_DEPLOYMENT_TARGET = MIN; }; };
  PR = { isa = XCBuildConfiguration; name = Release; buildSettings = { IPHONEOS_DEPLOYMENT_TARGET = MIN; }; };
  TD = { isa = XCBuildConfiguration; name = Debug; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; }; };
  TR = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; }; };
  }; rootObject = P; }";

/// The same with a team, one configuration and entitlements.
const SIGNED_PROJECT: &str = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { isa = XCConfigurationList; buildConfigurations = (R); };
  R = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; DEVELOPMENT_TEAM = A1B2C3D4E5; }; }; }; rootObject = P; }";

/// What openssl made, as accounts hand it out.
const HANDED_OUT: [(&str, &[u8]); 8] = [
    ("store.mobileprovision", include_bytes!("../../elvask/tests/account/store.mobileprovision")),
    ("development.mobileprovision", include_bytes!("../../elvask/tests/account/development.mobileprovision")),
    ("past.mobileprovision", include_bytes!("../../elvask/tests/account/past.mobileprovision")),
    ("push.cer", include_bytes!("../../elvask/tests/account/push.cer")),
    ("push-development.cer", include_bytes!("../../elvask/tests/account/push-development.cer")),
    ("push-past.cer", include_bytes!("../../elvask/tests/account/push-past.cer")),
    ("merchant.cer", include_bytes!("../../elvask/tests/account/merchant.cer")),
    ("merchant-rsa.cer", include_bytes!("../../elvask/tests/account/merchant-rsa.cer")),
];

/// A picture of one colour.
pub(crate) fn picture(width: u32, height: u32, alpha: bool) -> &'static [u8] {
    let mut bytes = Vec::new();
    let mut encoder = png::Encoder::new(&mut bytes, width, height);
    encoder.set_color(if alpha { png::ColorType::GrayscaleAlpha } else { png::ColorType::Grayscale });
    let pixels = vec![0; width as usize * height as usize * if alpha { 2 } else { 1 }];
    encoder.write_header().and_then(|mut writer| writer.write_image_data(&pixels)).expect("it is a picture");
    Box::leak(bytes.into_boxed_slice())
}

/// An app with some plugins.
#[derive(Clone, Default)]
pub(crate) struct Fixture {
    files: Vec<(String, String)>,
    bytes: Vec<(String, &'static [u8])>,
    plugins: Vec<String>,
    levels: Option<(u32, u32)>,
    min_ios: Option<String>,
    build: Option<String>,
    pub(crate) settings: Settings,
}

impl Fixture {
    /// An app with this inside its `<manifest>`, and no iOS side.
    pub(crate) fn android(inside: &str) -> Self {
        Fixture::default().manifest(inside)
    }

    /// An app with this inside the root dictionary of its property list, and no Android side.
    pub(crate) fn ios(inside: &str) -> Self {
        Fixture::default().plist(inside)
    }

    /// An app for iOS with these entitlements and this in `account.toml`, beside files that accounts hand out.
    pub(crate) fn registered(entitlements: &str, account: &str) -> Self {
        let list = format!("<plist version=\"1.0\">\n<dict>\n{entitlements}</dict>\n</plist>\n");
        let app = Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", SIGNED_PROJECT)
            .file("ios/Marram/Marram.entitlements", &list)
            .file("elvask/account.toml", &format!("account = 1\n{account}"));
        let mut app = HANDED_OUT.iter().fold(app, |app, (name, bytes)| app.bytes(name, bytes));
        app.settings.accounts = true;
        app
    }

    pub(crate) fn manifest(self, inside: &str) -> Self {
        self.file(MANIFEST, &manifest(inside))
    }

    pub(crate) fn plist(self, inside: &str) -> Self {
        self.file(PLIST, &plist(inside))
    }

    pub(crate) fn file(mut self, path: &str, text: &str) -> Self {
        self.files.push((path.to_owned(), text.to_owned()));
        self
    }

    /// Adds a file that is no text.
    pub(crate) fn bytes(mut self, path: &str, bytes: &'static [u8]) -> Self {
        self.bytes.push((path.to_owned(), bytes));
        self
    }

    /// Gives the app a project with entitlements that name these domains.
    pub(crate) fn domains(self, domains: &[&str]) -> Self {
        let project = PROJECT
            .replace("MIN", "15.1")
            .replace("INFOPLIST_FILE", "CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements;\n  INFOPLIST_FILE");
        let named: String = domains.iter().map(|domain| format!("        <string>{domain}</string>\n")).collect();
        let list = format!(
            "<plist version=\"1.0\">\n<dict>\n    <key>com.apple.developer.associated-domains</key>\n    <array>\n{named}    </array>\n</dict>\n</plist>\n"
        );
        self.file("ios/Marram.xcodeproj/project.pbxproj", &project).file("ios/Marram/App.entitlements", &list)
    }

    /// Takes a file out.
    pub(crate) fn without(mut self, path: &str) -> Self {
        self.files.retain(|(known, _)| known != path);
        self
    }

    /// Adds a plugin whose sheet has this body below its head.
    pub(crate) fn plugin(mut self, name: &str, sheet: &str) -> Self {
        self.plugins.push(name.to_owned());
        let package = format!("{{\"name\":\"{name}\",\"version\":\"2.1.0\"}}");
        let root = format!("node_modules/{name}");
        self.file(&format!("{root}/package.json"), &package)
            .file(&format!("{root}/elvask-sheet.toml"), &format!("sheet = 1\n{sheet}\n"))
    }

    /// Adds a plugin without a sheet, whose files are added one by one.
    pub(crate) fn package(mut self, name: &str) -> Self {
        self.plugins.push(name.to_owned());
        let package = format!("{{\"name\":\"{name}\",\"version\":\"2.1.0\"}}");
        self.file(&format!("node_modules/{name}/package.json"), &package)
    }

    /// Gives the app's module another build file.
    /// Agrees to what is not written for a package unasked.
    pub(crate) fn agreed(mut self, subjects: &[&str]) -> Self {
        self.settings.consents.extend(subjects.iter().map(|subject| (*subject).to_owned()));
        self
    }

    pub(crate) fn build(mut self, text: &str) -> Self {
        self.build = Some(text.to_owned());
        self
    }

    /// Adds a plugin that requires one thing.
    pub(crate) fn needs(self, name: &str, required: &str) -> Self {
        self.plugin(name, &format!("[[requires]]\n{required}"))
    }

    pub(crate) fn levels(mut self, min: u32, target: u32) -> Self {
        self.levels = Some((min, target));
        self
    }

    pub(crate) fn min_ios(mut self, version: &str) -> Self {
        self.min_ios = Some(version.to_owned());
        self
    }

    pub(crate) fn toml(self, text: &str) -> Self {
        self.file("elvask.toml", &format!("elvask = 1\n{text}\n"))
    }

    pub(crate) fn purpose(mut self, name: &str, text: &str) -> Self {
        self.settings.purposes.push((name.to_owned(), text.to_owned()));
        self
    }

    pub(crate) fn tree(&self) -> Memory {
        let mut tree = Memory::app(self.files.iter().map(|(path, text)| (path.as_str(), text.as_str())));
        for (path, bytes) in &self.bytes {
            tree.put(Path::new("/app").join(path), bytes);
        }
        let mut package = String::from("{\n  \"dependencies\": {");
        for (at, name) in self.plugins.iter().enumerate() {
            let _ = write!(package, "{}\n    \"{name}\": \"1\"", if at > 0 { "," } else { "" });
        }
        package.push_str("\n  }\n}\n");
        tree.put("/app/package.json", package);
        let (min, target) = self.levels.unwrap_or((24, 35));
        let gradle = format!(
            "plugins {{ id 'com.android.application' }}\nandroid {{\n  namespace 'example.marram'\n  defaultConfig {{\n    applicationId 'example.marram.fieldlog'\n    minSdk {min}\n    targetSdk {target}\n  }}\n}}\n"
        );
        if tree.is_file(Path::new("/app").join(MANIFEST).as_path()) {
            tree.put("/app/android/app/build.gradle", self.build.clone().unwrap_or(gradle));
        }
        let own = |tree: &Memory| tree.is_file(Path::new("/app/ios/Marram.xcodeproj/project.pbxproj"));
        if tree.is_file(Path::new("/app").join(PLIST).as_path()) && !own(&tree) {
            let project = PROJECT.replace("MIN", self.min_ios.as_deref().unwrap_or("15.1"));
            tree.put("/app/ios/Marram.xcodeproj/project.pbxproj", project);
        }
        tree
    }

    pub(crate) fn load(&self) -> App {
        App::load(&self.tree(), Path::new("/app"), &[]).unwrap()
    }

    /// Returns the findings of one rule.
    pub(crate) fn findings(&self, rule: &str) -> Vec<Finding> {
        check(&self.load(), &self.settings).findings.into_iter().filter(|finding| finding.rule.id == rule).collect()
    }

    /// Returns the findings of one rule as `level subject line:column`.
    pub(crate) fn found(&self, rule: &str) -> Vec<String> {
        let app = self.load();
        let line = |finding: Finding| {
            let at = app.sources.position(finding.place);
            format!("{} {} {}:{}", finding.level.id(), finding.subject, at.line, at.column)
        };
        let report = check(&app, &self.settings);
        report.findings.into_iter().filter(|finding| finding.rule.id == rule).map(line).collect()
    }

    /// Mends the app and wants this inside its manifest afterwards, and nothing of the rule left.
    #[track_caller]
    pub(crate) fn mends_manifest(&self, rule: &str, inside: &str) {
        self.mends(rule, MANIFEST, &manifest(inside));
    }

    /// Mends the app and wants this inside its property list afterwards, and nothing of the rule left.
    #[track_caller]
    pub(crate) fn mends_plist(&self, rule: &str, inside: &str) {
        self.mends(rule, PLIST, &plist(inside));
    }

    /// Mends the app in every style of file, and compares bytes. Mending twice must equal mending once.
    #[track_caller]
    fn mends(&self, rule: &str, path: &str, expected: &str) {
        for (style, restyle) in STYLES {
            let mut fixture = self.clone();
            for (_, text) in fixture.files.iter_mut().filter(|(known, _)| known == path) {
                *text = restyle(text);
            }
            let app = fixture.load();
            let outcome = fill(&app, &fixture.settings).unwrap();
            assert_eq!(text_of(&outcome.sources, &app, path), restyle(expected), "{style}");
            let left: Vec<_> = outcome.left.findings.iter().filter(|finding| finding.rule.id == rule).collect();
            assert!(left.is_empty(), "{style}: {left:?}");
            let again = app.clone().with_sources(outcome.sources.clone());
            assert!(fill(&again, &fixture.settings).unwrap().changed.is_empty(), "{style}: a second time");
        }
    }

    /// Mends the app and wants no byte of it changed.
    #[track_caller]
    pub(crate) fn is_left_alone(&self) {
        let changed = fill(&self.load(), &self.settings).unwrap().changed;
        assert!(changed.is_empty(), "{changed:?}");
    }
}

type Restyle = fn(&str) -> String;

const STYLES: [(&str, Restyle); 5] = [
    ("LF", str::to_owned),
    ("CRLF", |text| text.replace('\n', "\r\n")),
    ("byte order mark", |text| format!("\u{FEFF}{text}")),
    ("no newline at the end", |text| text.trim_end().to_owned()),
    ("tabs", |text| text.replace("    ", "\t")),
];

fn text_of(sources: &Sources, app: &App, path: &str) -> String {
    let file = match path {
        MANIFEST => app.android.as_ref().unwrap().manifest.unwrap(),
        _ => app.ios.as_ref().unwrap().plist.unwrap(),
    };
    sources.file(file).text.to_string()
}

/// Returns an application with the activity of the launcher, on the lines after the manifest's first, and this inside of it.
pub(crate) fn activity(inside: &str) -> String {
    format!(
        "    <application>\n        <activity android:name=\".MainActivity\" android:exported=\"true\" android:launchMode=\"singleTask\">\n            <intent-filter>\n                <action android:name=\"android.intent.action.MAIN\"/>\n                <category android:name=\"android.intent.category.LAUNCHER\"/>\n            </intent-filter>\n{inside}        </activity>\n    </application>\n"
    )
}

/// Returns a manifest with this on the lines after the first.
fn manifest(inside: &str) -> String {
    format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\" xmlns:tools=\"http://schemas.android.com/tools\">\n{inside}</manifest>\n"
    )
}

/// Returns a property list with this on the lines after the first two.
fn plist(inside: &str) -> String {
    format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n")
}
