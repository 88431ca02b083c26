//! What links open, held against vectors that were written down from the platforms' documentation, each with its sentence.

use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;

use elvask_core::Version;
use elvask_core::app::App;
use elvask_core::context::Context;
use elvask_core::needs::Settings;
use elvask_link::AppLinks;
use elvask_link::association::{Answer, Document, Served, Website};
use elvask_link::url::Link;
use elvask_project::files::Memory;
use elvask_project::surface::Surface;

const ID: &str = "example.marram.fieldlog";
const TEAM: &str = "A1B2C3D4E5";

/// A website of which each host has what the vectors say.
#[derive(Default)]
struct Site {
    files: HashMap<(String, Document), String>,
}

impl Website for Site {
    fn ask(&self, host: &str, document: Document) -> Served {
        let at = format!("https://{host}/{}", document.path());
        match self.files.get(&(host.to_owned(), document)) {
            Some(text) => Served::File(Answer {
                at,
                status: Some(200),
                location: None,
                content_type: Some("application/json".to_owned()),
                body: Arc::from(text.as_bytes()),
                milliseconds: None,
            }),
            None => Served::Absent { at },
        }
    }

    fn ask_root(&self, host: &str) -> Served {
        Served::Absent { at: host.to_owned() }
    }
}

/// A part of a file of vectors.
#[derive(Default)]
struct Block {
    title: String,
    directives: Vec<(String, String)>,
    body: String,
    vectors: Vec<[String; 4]>,
}

impl Block {
    fn has(&self, name: &str) -> bool {
        self.directives.iter().any(|(known, _)| known == name)
    }

    fn all<'b>(&'b self, name: &'b str) -> impl Iterator<Item = &'b str> {
        self.directives.iter().filter(move |(known, _)| known == name).map(|(_, value)| value.as_str())
    }
}

fn blocks(text: &str) -> Vec<Block> {
    let mut blocks: Vec<Block> = Vec::new();
    for line in text.lines().filter(|line| !line.is_empty() && !line.starts_with('#')) {
        if let Some(title) = line.strip_prefix("== ") {
            blocks.push(Block { title: title.to_owned(), ..Block::default() });
            continue;
        }
        let block = blocks.last_mut().expect("a block starts with ==");
        let cells: Vec<_> = line.split(" | ").collect();
        if let Some(directive) = line.strip_prefix('!') {
            let (name, value) = directive.split_once(' ').unwrap_or((directive, ""));
            block.directives.push((name.to_owned(), value.to_owned()));
        } else if let [level, outcome, link, sentence] = cells.as_slice() {
            assert!(
                sentence.ends_with('.') && sentence.len() > 20,
                "{}: a vector needs its sentence: {line}",
                block.title
            );
            block.vectors.push([*level, *outcome, *link, *sentence].map(str::to_owned));
        } else {
            assert!(block.vectors.is_empty(), "{}: {line}", block.title);
            block.body.push_str(line);
        }
    }
    blocks
}

fn with_context<T>(tree: &Memory, look: impl FnOnce(&Context<'_>, &AppLinks) -> T) -> T {
    let app = App::load(tree, Path::new("/app"), &[]).expect("the app can be read");
    let surface = Surface::read(&app, &app.sources);
    let settings = Settings::default();
    let context = Context::new(&app, &app.sources, &surface, &settings);
    look(&context, context.links())
}

fn fingerprint(pair: &str) -> String {
    vec![pair; 32].join(":")
}

fn android_app(block: &Block) -> Memory {
    let filter = |attributes: &str, body: &str| {
        let usual = "<action android:name=\"android.intent.action.VIEW\"/><category android:name=\"android.intent.category.DEFAULT\"/><category android:name=\"android.intent.category.BROWSABLE\"/>";
        let own = block.body.contains("<action")
            || block.all("filter").any(|word| word == "bare")
            || body.contains("<action");
        format!("<intent-filter {attributes}>{}{body}</intent-filter>", if own { "" } else { usual })
    };
    let verified = if block.has("filter") { "" } else { "android:autoVerify=\"true\"" };
    let activity = block.all("activity").next().unwrap_or("android:exported=\"true\"");
    let activity = if block.has("unstated") { "" } else { activity };
    let main = filter(verified, &block.body);
    let more: String = block.all("other-filter").map(|body| filter("", body)).collect();
    let twice = if block.has("two-filters") { main.clone() } else { String::new() };
    let inside = if block.has("alias") || block.has("alias-for-nothing") {
        String::new()
    } else {
        format!("{main}{twice}{more}")
    };
    let mut components = format!("<activity android:name=\".Main\" {activity}>{inside}</activity>");
    if block.has("twice") || block.has("twice-lower") {
        let lower = if block.has("twice-lower") { "android:priority=\"-1\"" } else { verified };
        components.push_str(&format!(
            "<activity android:name=\".Other\" android:exported=\"true\">{}</activity>",
            filter(lower, &block.body)
        ));
    }
    let target = if block.has("alias-for-nothing") { ".Gone" } else { ".Main" };
    if block.has("alias") || block.has("alias-for-nothing") {
        components.push_str(&format!("<activity-alias android:name=\".Links\" android:exported=\"true\" android:targetActivity=\"{target}\">{main}</activity-alias>"));
    }
    let application = block.all("application").next().unwrap_or_default();
    let manifest = format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><application {application}>{components}</application></manifest>"
    );
    let target = block.all("target").next().unwrap_or("35");
    let min = block.all("min").next().unwrap_or("15");
    let gradle = format!(
        "plugins {{ id 'com.android.application' }}\nandroid {{\n  namespace 'example.marram'\n  defaultConfig {{\n    applicationId '{ID}'\n    minSdk {min}\n    targetSdk {target}\n  }}\n}}\n"
    );
    Memory::app([
        ("package.json", "{}"),
        ("elvask.toml", format!("elvask = 1\n[links]\nfingerprints = ['{}']\n", fingerprint("AB")).as_str()),
        ("android/app/build.gradle", gradle.as_str()),
        ("android/app/src/main/AndroidManifest.xml", manifest.as_str()),
        (
            "android/app/src/main/res/values/strings.xml",
            "<resources><string name=\"link_host\">h.example</string></resources>",
        ),
    ])
}

fn android_site(block: &Block) -> Option<Site> {
    let mut site = Site::default();
    for told in block.all("site") {
        let (host, what) = told.split_once(' ').expect("a host and what it has");
        let statement = |relation: &str, package: &str, print: &str| {
            format!(
                r#"{{"relation":["delegate_permission/common.{relation}"],"target":{{"namespace":"android_app","package_name":"{package}","sha256_cert_fingerprints":["{}"]}}}}"#,
                fingerprint(print)
            )
        };
        let text = match what {
            "ok" => format!("[{}]", statement("handle_all_urls", ID, "AB")),
            "other-package" => format!("[{}]", statement("handle_all_urls", "example.other", "AB")),
            "other-fingerprint" => format!("[{}]", statement("handle_all_urls", ID, "CD")),
            "other-relation" => format!("[{}]", statement("get_login_creds", ID, "AB")),
            "object" => statement("handle_all_urls", ID, "AB"),
            _ => continue,
        };
        site.files.insert((host.to_owned(), Document::AssetLinks), text);
    }
    block.has("site").then_some(site)
}

#[test]
fn android_opens_what_its_documentation_says() {
    let blocks = blocks(include_str!("links/android.txt"));
    let (mut wrong, mut count) = (Vec::new(), 0);
    for block in &blocks {
        let site = android_site(block);
        with_context(&android_app(block), |context, links| {
            let android = links.first_android().expect("an Android app");
            for [level, wanted, link, sentence] in &block.vectors {
                count += 1;
                let level: u32 = level.parse().expect("a level");
                let (got, because) = match link.strip_prefix("SEND") {
                    Some(rest) => {
                        let (many, mime) = rest.split_once(' ').expect("an action and a type");
                        let action = format!("android.intent.action.SEND{many}");
                        let taken = android.refusal(level).is_none() && !android.share(&action, mime, level).is_empty();
                        (if taken { "yes" } else { "no" }, String::new())
                    }
                    None => {
                        let link = Link::parse(link).expect("a link");
                        let attempt =
                            android.open(&link, level, site.as_ref().map(|site| site as &dyn Website), context.sources);
                        (attempt.outcome.word(), attempt.because)
                    }
                };
                if got != wanted {
                    wrong.push(format!(
                        "{}: {link} at {level}: {got}, not {wanted} ({sentence})\n    {because}",
                        block.title
                    ));
                }
            }
        });
    }
    assert!(wrong.is_empty(), "{} of {count} are wrong:\n{}", wrong.len(), wrong.join("\n"));
    assert!(count >= 150, "{count} vectors");
}

fn ios_app(block: &Block) -> Memory {
    let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; DEVELOPMENT_TEAM = A1B2C3D4E5; IPHONEOS_DEPLOYMENT_TARGET = MIN; CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; }; }; }; rootObject = P; }";
    let min = block.all("min").next().unwrap_or("8.0");
    let mut domains: Vec<_> = block.all("domain").collect();
    if domains.is_empty() && !block.has("no-domain") {
        domains.push("applinks:h.example");
    }
    let strings = |values: &[&str]| values.iter().map(|value| format!("<string>{value}</string>")).collect::<String>();
    let schemes: Vec<_> = block.all("scheme").collect();
    let plist = format!(
        "<plist version=\"1.0\"><dict><key>CFBundleURLTypes</key><array><dict><key>CFBundleURLSchemes</key><array>{}</array></dict></array></dict></plist>",
        strings(&schemes)
    );
    let entitlements = format!(
        "<plist version=\"1.0\"><dict><key>com.apple.developer.associated-domains</key><array>{}</array></dict></plist>",
        strings(&domains)
    );
    Memory::app([
        ("package.json", "{}"),
        ("ios/Marram.xcodeproj/project.pbxproj", project.replace("MIN", min).as_str()),
        ("ios/Marram/Info.plist", plist.as_str()),
        ("ios/Marram/App.entitlements", entitlements.as_str()),
    ])
}

fn ios_site(block: &Block) -> Option<Site> {
    if block.has("no-site") || block.has("scheme") {
        return None;
    }
    let mut site = Site::default();
    let whole = block.all("file").next().map(str::to_owned);
    let old = block.all("old").next();
    let apps = if block.has("apps") { "\"apps\": [], " } else { "" };
    let entry = match old {
        Some(old) => Some(format!("\"appID\": \"{TEAM}.{ID}\", {old}")),
        None if block.body.is_empty() => None,
        None => Some(format!("\"appIDs\": [\"{TEAM}.{ID}\"], {}", block.body)),
    };
    let made = entry.map(|entry| format!("{{ \"applinks\": {{ {apps}\"details\": [ {{ {entry} }} ] }} }}"));
    if let Some(text) = whole.or(made) {
        site.files.insert(("h.example".to_owned(), Document::AppleAssociation), text);
    }
    Some(site)
}

#[test]
fn ios_opens_what_its_documentation_says() {
    let blocks = blocks(include_str!("links/ios.txt"));
    let (mut wrong, mut count) = (Vec::new(), 0);
    for block in &blocks {
        let site = ios_site(block);
        with_context(&ios_app(block), |context, links| {
            let ios = links.ios.as_ref().expect("an iOS app");
            for [version, wanted, link, sentence] in &block.vectors {
                count += 1;
                let version = Version::parse(version).expect("a version");
                let tried = Link::parse(link).expect("a link");
                let attempt =
                    ios.open(&tried, version, site.as_ref().map(|site| site as &dyn Website), context.sources);
                if attempt.outcome.word() != wanted {
                    wrong.push(format!(
                        "{}: {link} on {version}: {}, not {wanted} ({sentence})\n    {}",
                        block.title,
                        attempt.outcome.word(),
                        attempt.because
                    ));
                }
            }
        });
    }
    assert!(wrong.is_empty(), "{} of {count} are wrong:\n{}", wrong.len(), wrong.join("\n"));
    assert!(count >= 80, "{count} vectors");
}

mod index {
    use elvask_link::filter::{Filter, Intent};
    use elvask_link::index::FilterSet;
    use elvask_link::url::Uri;
    use elvask_project::filters::{DataSpec, FilterSpec};
    use elvask_project::source::{Place, Sources};
    use proptest::prelude::*;

    fn place() -> Place {
        let mut sources = Sources::new(std::path::Path::new("/app"));
        let file = sources.add(std::path::Path::new("/app/AndroidManifest.xml"), "");
        Place { file, span: elvask_core::Span::at(0) }
    }

    fn value(words: &'static [&'static str]) -> impl Strategy<Value = Option<&'static str>> {
        prop_oneof![Just(None), prop::sample::select(words).prop_map(Some)]
    }

    fn data() -> impl Strategy<Value = DataSpec> {
        let scheme = value(&["https", "marram"]);
        let host = value(&["h.example", "H.example", "*.h.example", "*h.example", "*"]);
        let path = value(&["/", "/a", "/a/b", "/ab"]);
        let prefix = value(&["/", "/a", "/a/"]);
        let pattern = value(&["/a.*", "/a*", "/.*b", "/a/.*"]);
        let suffix = value(&["b", "/"]);
        (scheme, host, path, prefix, pattern, suffix).prop_map(|(scheme, host, path, prefix, pattern, suffix)| {
            let mut data = DataSpec::default();
            let all = [
                ("scheme", scheme),
                ("host", host),
                ("path", path),
                ("pathPrefix", prefix),
                ("pathPattern", pattern),
                ("pathSuffix", suffix),
            ];
            for (name, value) in all {
                if let Some(value) = value {
                    data.push(name, value, place());
                }
            }
            data
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(300))]

        #[test]
        fn the_index_finds_what_each_filter_by_itself_takes(
            specs in prop::collection::vec(prop::collection::vec(data(), 1..3), 1..12),
            urls in prop::collection::vec("(https|marram)://(h\\.example|H\\.EXAMPLE|x\\.h\\.example|xh\\.example|i\\.example)?(/|/a|/ab|/a/b|/a/|/b)?(\\?q)?", 1..20),
        ) {
            let filters: Vec<Filter> = specs.into_iter().map(|data| {
                let word = |name: &str| vec![format!("android.intent.{name}")];
                let categories = ["DEFAULT", "BROWSABLE"].map(|name| format!("android.intent.category.{name}")).to_vec();
                Filter::at_level(&FilterSpec { actions: word("action.VIEW"), categories, data, ..FilterSpec::default() }, 36).unwrap()
            }).collect();
            let set = FilterSet::new(filters.clone());
            let mut found = Vec::new();
            for url in &urls {
                let uri = Uri::parse(url);
                set.matching(&uri, &mut found);
                let each: Vec<usize> = (0..filters.len()).filter(|at| filters[*at].matches(&Intent::link(&uri)).is_ok()).collect();
                prop_assert_eq!(&found, &each, "{}", url);
            }
        }
    }
}

mod untrusted {
    use elvask_core::Version;
    use elvask_link::association::android::AssetLinks;
    use elvask_link::association::apple::{AppId, AppleAssociation};
    use elvask_link::association::{AssociationFiles, Document, plan_file};
    use elvask_link::pattern::{Pattern, PatternKind, Subject};
    use elvask_link::route::Route;
    use elvask_link::url::{Link, Uri};
    use proptest::prelude::*;

    /// Pieces of which association files are made, so that chance comes near to real ones.
    fn pieces() -> impl Strategy<Value = String> {
        let words = [
            "{",
            "}",
            "[",
            "]",
            ",",
            ":",
            "\"applinks\"",
            "\"details\"",
            "\"appIDs\"",
            "\"appID\"",
            "\"components\"",
            "\"paths\"",
            "\"/\"",
            "\"?\"",
            "\"#\"",
            "\"exclude\"",
            "true",
            "false",
            "null",
            "1",
            "\"A1B2C3D4E5.example.marram.fieldlog\"",
            "\"/site/*\"",
            "\"$(lang)\"",
            "\"$(x)*\"",
            "\"substitutionVariables\"",
            "\"x\"",
            "\"defaults\"",
            "\"caseSensitive\"",
            "\"relation\"",
            "\"target\"",
            "\"namespace\"",
            "\"android_app\"",
            "\"package_name\"",
            "\"sha256_cert_fingerprints\"",
            "\"include\"",
            "\u{FEFF}",
            "\n",
            "\"NOT /a\"",
        ];
        prop::collection::vec(prop::sample::select(words.to_vec()), 0..40).prop_map(|words| words.concat())
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(400))]

        #[test]
        fn no_association_file_brings_it_down(text in prop_oneof![pieces(), ".{0,200}"]) {
            let uri = Uri::parse("https://marram.example/site/42?x=1#y");
            let id = AppId { team: None, bundle: "example.marram.fieldlog" };
            if let Ok(file) = AppleAssociation::parse(&text) {
                for version in ["9.0", "13.0", "26.0"] {
                    let _ = file.decide(&id, &uri, &Version::parse(version).unwrap());
                }
            }
            if let Ok(file) = AssetLinks::parse(&text) {
                let _ = file.verify("example.marram.fieldlog", &[]);
            }
            // What is written into a file that can be read can be read again, and says what it must.
            let prints = [vec!["AB"; 32].join(":")];
            let routes = [Route::parse("/site/{site:int}", "Site page").unwrap()];
            let wanted = AssociationFiles {
                package: Some("example.marram.fieldlog"), fingerprints: &prints, team: Some("A1B2C3D4E5"),
                bundle: Some("example.marram.fieldlog"), min_version: None, routes: &routes,
            };
            if let Ok(written) = plan_file(Document::AssetLinks, Some(&text), &wanted) {
                prop_assert!(AssetLinks::parse(&written.text).unwrap().verify("example.marram.fieldlog", &prints).is_ok(), "{}", written.text);
            }
            if let Ok(written) = plan_file(Document::AppleAssociation, Some(&text), &wanted) {
                prop_assert!(AppleAssociation::parse(&written.text).is_ok(), "{}", written.text);
                let again = plan_file(Document::AppleAssociation, Some(&written.text), &wanted).unwrap();
                prop_assert_eq!(again.text, written.text);
            }
        }

        #[test]
        fn no_link_brings_it_down(text in prop_oneof![".{0,80}", "[a-z]{1,6}:/{0,3}[a-z@:%.\\[\\]0-9]{0,20}[/?#&=;a-z%0-9]{0,30}"]) {
            if let Ok(link) = Link::parse(&text) {
                let parts = link.parts();
                // What is passed on is plain ASCII and reads back as itself.
                prop_assert!(link.text().is_ascii());
                prop_assert_eq!(Link::parse(link.text()).unwrap().parts(), parts);
            }
        }

        #[test]
        fn no_pattern_brings_it_down(pattern in "[a-c/.*\\\\\\[\\]^{}+,0-9-]{0,20}", text in "[a-c/.]{0,20}") {
            for (kind, _) in PatternKind::ALL {
                if let Ok(pattern) = Pattern::new(kind, pattern.clone()) {
                    let fits = pattern.matches(&Subject { text: &text });
                    prop_assert!(!fits || text.starts_with(pattern.literal_start()), "{:?} takes {}", pattern, text);
                }
            }
        }

        #[test]
        fn no_store_brings_it_down(bytes in prop::collection::vec(any::<u8>(), 0..200), start in 0usize..4) {
            let heads: [&[u8]; 4] = [&[], &[0xFE, 0xED, 0xFE, 0xED, 0, 0, 0, 2], &[0x30, 0x82], b"-----BEGIN CERTIFICATE-----\n"];
            let whole = [heads[start], bytes.as_slice()].concat();
            prop_assert!(elvask_keys::read(&whole, None).is_err());
            prop_assert!(elvask_keys::read(&whole, Some("ringing-1")).is_err());
        }
    }
}
