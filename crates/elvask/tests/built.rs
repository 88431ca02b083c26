//! What a build made, in the place of the sources and against them. `built/make` made the packages, by the platform's own tools.

use std::io::{Cursor, Write as _};
use std::path::PathBuf;

use crate::support::{App, elvask};

const GIVEN: [&str; 3] = [
    "--purpose=camera=Photographs the ring on a bird's leg.",
    "--answer=knot_banner.app_id=knot-48210077",
    "--answer=knot_banner.ios_app_id=knot-48210078",
];

fn package(name: &str) -> String {
    format!("{}/tests/built/{name}", env!("CARGO_MANIFEST_DIR"))
}

/// The sample app as it is after its walk.
fn mended() -> App {
    let app = App::demo("npm");
    assert_eq!(app.run(&[&["fill", "--yes"][..], &GIVEN].concat()).code, 0);
    app
}

fn permissions(json: &serde_json::Value) -> Vec<String> {
    let all = json["declarations"].as_array().unwrap().iter().filter(|one| one["kind"] == "permission");
    let mut all: Vec<_> = all.map(|one| one["name"].as_str().unwrap().to_owned()).collect();
    all.sort();
    all
}

#[test]
fn a_package_declares_what_the_sources_declare_that_it_was_built_of() {
    let app = mended();
    let sources = app.run(&["survey", "--format", "json"]).json();
    let built = app.run(&["survey", "--built", &package("app.apk"), "--format", "json"]).json();
    assert_eq!(permissions(&built), permissions(&sources));
    assert!(permissions(&built).len() > 15);
    let wrong = |ran: &crate::support::Ran| ran.out.lines().filter(|line| line.contains("error")).count();
    let check = app.run(&["check", "-q", "--built", &package("app.apk")]);
    assert!(check.code == 0 && wrong(&check) == 0, "{}", check.out);
    let named = std::fs::read_to_string(package("fingerprint.txt")).unwrap().trim().to_uppercase();
    let pairs: Vec<_> = named.as_bytes().chunks(2).map(|pair| std::str::from_utf8(pair).unwrap()).collect();
    assert!(check.out.contains(&format!("it is signed with {}", pairs.join(":"))), "{}", check.out);
    let same = app.run(&["compare", &package("app.apk"), "."]);
    assert!(!same.out.contains("permission]") && !same.out.contains("link]"), "{}", same.out);
}

#[test]
fn what_ships_and_no_source_has_is_told_with_where_it_comes_from() {
    let app = mended();
    for name in ["other.apk", "other.aab"] {
        let before = app.snapshot();
        let ran = app.run(&["check", "-q", "--built", &package(name)]);
        assert_eq!(ran.code, 1, "{name}: {}", ran.err);
        for said in [
            "warning: permission android.permission.READ_PHONE_STATE ships, and neither the app nor a package that was looked into has it: a library that the build fetches brings it",
            "warning: permission android.permission.ACCESS_NETWORK_STATE is in the sources, and not in what was built",
            "warning: identity versionCode is 30 in what was built, and 31 in the sources",
            "error: the release says android:debuggable=\"true\"",
        ] {
            assert!(ran.out.contains(said), "{name}: {said}: {}", ran.out);
        }
        assert!(app.snapshot() == before);
        let json = app.run(&["check", "--built", &package(name), "--format", "json"]).json();
        let findings = json["findings"].as_array().unwrap();
        assert!(findings.iter().all(|one| one["remedy"]["kind"] == "manual"), "what was built is not written to");
    }
    let compared = app.run(&["compare", &package("app.apk"), &package("other.apk"), "--fail-on", "gained-permission"]);
    assert!(compared.code == 1 && compared.out.contains("READ_PHONE_STATE"), "{}", compared.out);
}

#[test]
fn without_an_app_around_it_a_package_speaks_for_itself() {
    let empty = tempfile::tempdir().unwrap();
    let ran = elvask(empty.path(), &["check", "-q", "--built", &package("other.apk")]);
    assert!(
        ran.code == 1 && ran.out.contains("debuggable") && !ran.out.contains("built-differs"),
        "{}{}",
        ran.out,
        ran.err
    );
    let said = elvask(empty.path(), &["identity", "--built", &package("app.apk"), "--format", "json"]).json();
    let values: Vec<_> = said["places"].as_array().unwrap().iter().map(|one| one["value"].as_str().unwrap()).collect();
    assert_eq!(values, ["example.marram.fieldlog", "Marram", "2.4.0", "31"]);
    assert_eq!(said["signed_with"].as_array().unwrap().len(), 1);
}

/// A program for iOS that holds nothing but the entitlements of its signature.
fn program(entitlements: &str) -> Vec<u8> {
    let list = entitlements.as_bytes();
    let blob = [&0xfade_7171_u32.to_be_bytes()[..], &(8 + list.len() as u32).to_be_bytes(), list].concat();
    let mut signature = Vec::new();
    for number in [0xfade_0cc0, 20 + blob.len() as u32, 1, 5, 20] {
        signature.extend(u32::to_be_bytes(number));
    }
    signature.extend(&blob);
    let mut program = Vec::new();
    // The head, one command, and where the signature is.
    for number in [0xfeed_facf, 0x0100_000c, 0, 2, 1, 16, 0, 0, 0x1d, 16, 48, signature.len() as u32] {
        program.extend(u32::to_le_bytes(number));
    }
    program.extend(signature);
    program
}

fn plist(inside: &str) -> String {
    format!("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n")
}

fn ipa(app: &App, files: &[(&str, &[u8])]) -> PathBuf {
    let mut archive = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in files {
        archive.start_file(format!("Payload/Marram.app/{name}"), zip::write::SimpleFileOptions::default()).unwrap();
        archive.write_all(bytes).unwrap();
    }
    app.write("Marram.ipa", archive.finish().unwrap().into_inner());
    app.path("Marram.ipa")
}

const LIST: &str = "<key>CFBundleIdentifier</key><string>example.marram.fieldlog</string>\n<key>CFBundleShortVersionString</key><string>2.3.9</string>\n<key>CFBundleVersion</key><string>31</string>\n<key>MinimumOSVersion</key><string>15.1</string>\n<key>NSContactsUsageDescription</key><string>Sends the log to a friend.</string>\n";

#[test]
fn an_app_for_ios_is_its_list_its_profile_and_what_it_is_signed_with() {
    let app = mended();
    let entitlements = plist(
        "<key>aps-environment</key><string>production</string>\n<key>com.apple.developer.healthkit</key><true/>\n",
    );
    let profile =
        std::fs::read(format!("{}/tests/account/development.mobileprovision", env!("CARGO_MANIFEST_DIR"))).unwrap();
    let file = ipa(
        &app,
        &[
            ("Info.plist", plist(LIST).as_bytes()),
            ("Marram", &program(&entitlements)),
            ("embedded.mobileprovision", &profile),
        ],
    );
    let file = file.to_str().unwrap();
    let survey = app.run(&["survey", "--built", file, "--format", "json"]).json();
    let has = |kind: &str, name: &str| {
        survey["declarations"].as_array().unwrap().iter().any(|one| one["kind"] == kind && one["name"] == name)
    };
    assert!(has("entitlement", "com.apple.developer.healthkit") && has("usage", "NSContactsUsageDescription"));
    let ran = app.run(&["check", "-q", "--release", "--built", file]);
    for said in [
        "usage NSContactsUsageDescription ships, and the sources do not have it: the build puts it in",
        "identity version is 2.3.9 in what was built, and 2.4.0 in the sources",
        "entitlement com.apple.developer.healthkit ships",
        "[entitlement-not-in-profile]",
        "[profile-unfit]",
        "[purpose-missing]",
    ] {
        assert!(ran.out.contains(said), "{said}: {}", ran.out);
    }
    // One that is not signed says nothing of entitlements, and is not called wrong for it.
    let bare = ipa(&app, &[("Info.plist", plist(LIST).as_bytes()), ("Marram", b"no program")]);
    let ran = app.run(&["check", "--built", bare.to_str().unwrap()]);
    assert!(
        ran.err.contains("its entitlements are not known")
            && !ran.out.contains("entitlement")
            && !ran.out.contains("domain"),
        "{}{}",
        ran.out,
        ran.err
    );
}

#[test]
fn what_is_no_package_is_refused_and_each_cut_is_an_error() {
    let app = mended();
    let whole = std::fs::read(package("app.apk")).unwrap();
    for len in (0..whole.len()).step_by(97) {
        app.write("cut.apk", &whole[..len]);
        let ran = app.run(&["survey", "--built", "cut.apk"]);
        assert!(ran.code == 2 && ran.err.contains("cut.apk: it is no archive"), "{len}: {}{}", ran.out, ran.err);
    }
    app.write("text.apk", "not an archive");
    assert_eq!(app.run(&["check", "--built", "text.apk"]).code, 2);
    let mut other = zip::ZipWriter::new(Cursor::new(Vec::new()));
    other.start_file("readme", zip::write::SimpleFileOptions::default()).unwrap();
    app.write("other.apk", other.finish().unwrap().into_inner());
    let ran = app.run(&["check", "--built", "other.apk"]);
    assert!(ran.code == 2 && ran.err.contains("neither an .apk, nor an .aab, nor an .ipa"), "{}", ran.err);
    let mut damaged = zip::ZipWriter::new(Cursor::new(Vec::new()));
    damaged.start_file("AndroidManifest.xml", zip::write::SimpleFileOptions::default()).unwrap();
    damaged.write_all(b"<manifest/>").unwrap();
    app.write("plain.apk", damaged.finish().unwrap().into_inner());
    let ran = app.run(&["check", "--built", "plain.apk"]);
    assert!(ran.code == 2 && ran.err.contains("it is no compiled XML"), "{}", ran.err);
    assert!(app.run(&["check", "--built", "ios"]).err.contains("this is a folder"));
}
