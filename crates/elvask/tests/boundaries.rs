//! What lies outside the app stays there, and nothing that a terminal would act on gets to it.

use std::net::TcpStream;

use crate::support::{App, MANIFEST, Server};

const BARE: &str =
    "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n";

/// An app in a folder beside one that is not its own.
struct Beside {
    folder: tempfile::TempDir,
}

impl Beside {
    fn new(links: &[(&str, &str)]) -> Beside {
        let folder = tempfile::tempdir().unwrap();
        let app = Beside { folder };
        let sheet = "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\n";
        for (path, text) in [
            ("app/package.json", "{ \"dependencies\": { \"tern_camera\": \"^2.1.0\" } }\n"),
            ("app/node_modules/tern_camera/package.json", "{\"name\":\"tern_camera\",\"version\":\"2.1.0\"}"),
            ("app/node_modules/tern_camera/elvask-sheet.toml", sheet),
            ("app/android/app/build.gradle", "plugins { id 'com.android.application' }\n"),
            ("app/android/app/src/main/AndroidManifest.xml", BARE),
            ("other/secret.xml", "top secret: <not markup"),
            ("other/AndroidManifest.xml", BARE),
        ] {
            app.write(path, text);
        }
        for (link, to) in links {
            let link = app.path(link);
            let _ = std::fs::remove_file(&link);
            let _ = std::fs::remove_dir_all(&link);
            std::os::unix::fs::symlink(app.path(to), link).unwrap();
        }
        app
    }

    fn path(&self, path: &str) -> std::path::PathBuf {
        self.folder.path().canonicalize().unwrap().join(path)
    }

    fn write(&self, path: &str, text: &str) {
        let path = self.folder.path().join(path);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, text).unwrap();
    }

    fn read(&self, path: &str) -> String {
        std::fs::read_to_string(self.path(path)).unwrap()
    }

    fn run(&self, arguments: &[&str]) -> crate::support::Ran {
        crate::support::elvask(&self.path("app"), arguments)
    }
}

#[test]
fn a_link_out_of_the_repository_shows_nothing_of_what_it_leads_to() {
    for link in [
        "app/android/app/src/main/AndroidManifest.xml",
        "app/elvask.toml",
        "app/package.json",
        "app/android/app/build.gradle",
    ] {
        let app = Beside::new(&[(link, "other/secret.xml")]);
        for arguments in
            [&["check"][..], &["check", "--format", "json"], &["survey"], &["fill", "--yes"], &["init", "--dry-run"]]
        {
            let ran = app.run(arguments);
            assert!(
                !ran.out.contains("top secret") && !ran.err.contains("top secret"),
                "{link} {arguments:?}: {}",
                ran.out
            );
        }
        assert_eq!(app.read("other/secret.xml"), "top secret: <not markup");
    }
    let app = Beside::new(&[("app/android/app/src/main/AndroidManifest.xml", "other/secret.xml")]);
    let ran = app.run(&["check"]);
    assert_eq!(ran.code, 2);
    assert!(ran.out.contains("a link leads out of the repository, to "), "{}", ran.out);
}

#[test]
fn a_link_inside_the_repository_is_followed_and_stays_one() {
    let app = Beside::new(&[]);
    app.write("app/shared/AndroidManifest.xml", BARE);
    let link = app.path("app/android/app/src/main/AndroidManifest.xml");
    std::fs::remove_file(&link).unwrap();
    std::os::unix::fs::symlink(app.path("app/shared/AndroidManifest.xml"), &link).unwrap();
    let ran = app.run(&["fill", "--yes"]);
    assert!(ran.out.contains("wrote android/app/src/main/AndroidManifest.xml"), "{}{}", ran.out, ran.err);
    assert!(std::fs::symlink_metadata(&link).unwrap().is_symlink());
    assert!(app.read("app/shared/AndroidManifest.xml").contains("CAMERA"));
}

#[test]
fn what_lies_outside_the_app_is_written_only_with_consent_that_names_it() {
    // In a repository a link may lead out of the app.
    let app = Beside::new(&[("app/android/app/src/main/AndroidManifest.xml", "other/AndroidManifest.xml")]);
    std::fs::create_dir(app.path(".git")).unwrap();
    let refused = app.run(&["fill", "--yes"]);
    let real = app.path("other/AndroidManifest.xml").display().to_string();
    assert_eq!(refused.code, 2, "{}", refused.out);
    assert!(
        refused.err.contains(&format!("it is really {real}, outside the app; nothing is written")),
        "{}",
        refused.err
    );
    assert!(refused.err.contains(&format!("--consent {real}")), "{}", refused.err);
    assert_eq!(app.read("other/AndroidManifest.xml"), BARE);
    assert_eq!(app.run(&["fill", "--yes", "--consent", "/somewhere/else"]).code, 2);
    assert_eq!(app.read("other/AndroidManifest.xml"), BARE);
    let agreed = app.run(&["fill", "--yes", "--consent", &real]);
    assert!(app.read("other/AndroidManifest.xml").contains("CAMERA"), "{}{}", agreed.out, agreed.err);
}

#[test]
fn what_belongs_to_a_package_is_not_written_wherever_it_lies() {
    let app = Beside::new(&[]);
    app.write("app/vendor/tern_camera/package.json", "{\"name\":\"tern_camera\",\"version\":\"2.1.0\"}");
    app.write("app/vendor/tern_camera/elvask-sheet.toml", "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\n");
    app.write("app/vendor/tern_camera/sample/AndroidManifest.xml", BARE);
    for (link, to) in [
        ("app/node_modules/tern_camera", "app/vendor/tern_camera"),
        ("app/android/app/src/main/AndroidManifest.xml", "app/vendor/tern_camera/sample/AndroidManifest.xml"),
    ] {
        let link = app.path("").join(link);
        let _ = std::fs::remove_file(&link);
        let _ = std::fs::remove_dir_all(&link);
        std::os::unix::fs::symlink(app.path(to), link).unwrap();
    }
    let ran = app.run(&["fill", "--yes"]);
    assert_eq!(ran.code, 2, "{}{}", ran.out, ran.err);
    assert!(ran.err.contains("vendor/tern_camera/sample/AndroidManifest.xml"), "{}", ran.err);
    assert_eq!(app.read("app/vendor/tern_camera/sample/AndroidManifest.xml"), BARE);
}

#[test]
fn a_website_elsewhere_is_written_only_where_the_command_line_names_it() {
    let app = Beside::new(&[]);
    app.write("app/elvask.toml", "elvask = 1\n[links]\nhosts = [\"marram.example\"]\nsite = \"../site\"\nfingerprints = [\"14:6D:E9:83:C5:73:06:50:D8:EE:B9:95:2F:34:FC:64:16:A0:83:42:E6:1D:BE:A8:8A:04:96:B2:3F:CF:44:E5\"]\n");
    app.write(
        "app/android/app/build.gradle",
        "plugins { id 'com.android.application' }\nandroid { defaultConfig { applicationId 'example.marram' } }\n",
    );
    app.write("app/android/app/src/main/AndroidManifest.xml", &BARE.replace("<application />", "<application>\n        <activity android:name=\".Main\" android:exported=\"true\">\n            <intent-filter android:autoVerify=\"true\">\n                <action android:name=\"android.intent.action.VIEW\" />\n                <category android:name=\"android.intent.category.DEFAULT\" />\n                <category android:name=\"android.intent.category.BROWSABLE\" />\n                <data android:scheme=\"https\" android:host=\"marram.example\" />\n            </intent-filter>\n        </activity>\n    </application>"));
    let refused = app.run(&["link", "files", "--yes"]);
    assert_eq!(refused.code, 2, "{}", refused.out);
    assert!(refused.err.contains("outside the app; nothing is written"), "{}", refused.err);
    assert!(!app.path("site").exists());
    let named = app.run(&["link", "files", "--yes", "--into", "../site"]);
    assert!(app.path("site/.well-known/assetlinks.json").is_file(), "{}{}", named.out, named.err);
}

#[test]
fn nothing_that_a_terminal_acts_on_reaches_it() {
    let tricks = "a\u{7f}\u{85}\u{9b}31m\u{61c}\u{200e}\u{202e}\u{2028}\u{2066}\u{1b}[31mz";
    let manifest = BARE.replace(
        "    <application",
        &format!(
            "    <!-- {tricks} --><uses-permission android:name=\"x{}y\" />\n    <application",
            tricks.replace('\u{1b}', "")
        ),
    );
    let app = App::with(&[(MANIFEST, &manifest.replace('\u{1b}', "&#27;"))]);
    app.write(
        "elvask.toml",
        format!("elvask = 1\n[links]\nhosts = [\"{}\"]\n", tricks.replace(['\u{1b}', '\u{7f}'], "")),
    );
    let hidden = |text: &str| {
        text.chars().find(|letter| elvask_markup::text::is_hidden(*letter) && !matches!(letter, '\u{1b}' | '\r'))
    };
    for arguments in [
        &["check"][..],
        &["check", "--color", "always"],
        &["check", "-q"],
        &["survey"],
        &["fill", "--dry-run", "--color", "always"],
        &["check", "--format", "json"],
        &["survey", "--format", "json"],
    ] {
        let ran = app.run(arguments);
        assert_eq!(hidden(&ran.out), None, "{arguments:?}: {}", ran.out);
        assert_eq!(hidden(&ran.err), None, "{arguments:?}: {}", ran.err);
    }
    let record = app.run(&["check", "--format", "json"]);
    assert!(record.out.contains("\\u202e"), "{}", record.out);
    record.json();
}

#[test]
fn the_stand_in_for_the_website_bears_what_clients_send() {
    let folder = tempfile::tempdir().unwrap();
    let site = folder.path().join("site");
    std::fs::create_dir_all(site.join(".well-known")).unwrap();
    std::fs::create_dir_all(site.join("broken.example/.well-known")).unwrap();
    std::fs::create_dir_all(site.join("linked.example/.well-known")).unwrap();
    let links = "[{\"relation\":[\"delegate_permission/common.handle_all_urls\"],\"target\":{\"namespace\":\"android_app\",\"package_name\":\"example.marram\",\"sha256_cert_fingerprints\":[]}}]";
    std::fs::write(site.join(".well-known/assetlinks.json"), links).unwrap();
    std::fs::write(site.join("broken.example/.well-known/assetlinks.json"), "[{").unwrap();
    std::fs::write(folder.path().join("secret.json"), links).unwrap();
    std::os::unix::fs::symlink(
        folder.path().join("secret.json"),
        site.join("linked.example/.well-known/assetlinks.json"),
    )
    .unwrap();
    let server = Server::of(&["link", "serve", "--port", "0", "--site", site.to_str().unwrap()], folder.path());
    let get = |host: &str, path: &str, more: &str| {
        server.ask(format!("GET {path} HTTP/1.1\r\nHost: {host}\r\n{more}\r\n").as_bytes())
    };
    let good = || get("marram.example", "/.well-known/assetlinks.json", "");
    assert!(good().starts_with("HTTP/1.1 200"), "{}", good());
    assert!(get("broken.example", "/.well-known/assetlinks.json", "").starts_with("HTTP/1.1 404"));
    assert!(get("linked.example", "/.well-known/assetlinks.json", "").starts_with("HTTP/1.1 404"));
    assert!(get("marram.example", "/../secret.json", "").starts_with("HTTP/1.1 404"));
    let long = "Content-Length: 999999999999\r\n";
    assert!(get("marram.example", "/.well-known/assetlinks.json", long).starts_with("HTTP/1.1 200"));
    let post = format!("POST / HTTP/1.1\r\nHost: a\r\n{long}\r\nabc");
    assert!(server.ask(post.as_bytes()).starts_with("HTTP/1.1 404"));
    let fields: String = (0..500).map(|at| format!("X-{at}: y\r\n")).collect();
    assert!(get("marram.example", "/", &fields).starts_with("HTTP/1.1 431"), "many fields");
    let flood = format!("GET / HTTP/1.1\r\nHost: a\r\nX: {}", "y".repeat(4 << 20));
    assert!(!server.ask(flood.as_bytes()).starts_with("HTTP/1.1 200"), "an endless field");
    assert!(!server.ask(b"\x16\x03\x01\x02\x00garbage\r\n\r\n").starts_with("HTTP/1.1 200"));
    // Clients that say nothing leave room for others.
    let idle: Vec<_> = (0..40).map(|_| TcpStream::connect(&server.address).unwrap()).collect();
    assert!(good().starts_with("HTTP/1.1 200"), "while others wait");
    drop(idle);
    assert!(good().starts_with("HTTP/1.1 200"), "after all that");
}
