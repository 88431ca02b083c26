//! All JSON that the program prints: one pinned sample for each command, held against the published schema.
//!
//! `ELVASK_WRITE_CASES=1` writes the samples and `ELVASK_WRITE_PAGES=1` the schemas, to be read before they are committed.

use std::collections::BTreeSet;
use std::fs;
use std::io::{BufRead as _, BufReader};
use std::path::PathBuf;
use std::process::{Command, Stdio};

use crate::support::{App, MANIFEST, Ran, is_asked_to_write};
use elvask_record::schema::ALL;
use serde_json::Value;

const PLIST: &str = "ios/Marram/Info.plist";

fn app() -> App {
    let app = App::with(&[
        (
            MANIFEST,
            r#"<manifest xmlns:android="http://schemas.android.com/apk/res/android">
    <uses-permission android:name="android.permission.READ_SMS" />
    <application>
        <uses-permission android:name="android.permission.VIBRATE" />
        <activity android:name=".MainActivity" android:exported="true">
            <intent-filter>
                <action android:name="android.intent.action.MAIN" />
                <category android:name="android.intent.category.LAUNCHER" />
            </intent-filter>
            <intent-filter android:autoVerify="true">
                <action android:name="android.intent.action.VIEW" />
                <category android:name="android.intent.category.DEFAULT" />
                <category android:name="android.intent.category.BROWSABLE" />
                <data android:scheme="https" android:host="marram.example" android:pathPrefix="/site/" />
            </intent-filter>
        </activity>
    </application>
</manifest>
"#,
        ),
        (
            "android/app/src/debug/AndroidManifest.xml",
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.INTERNET\" />\n</manifest>\n",
        ),
        (
            PLIST,
            "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Marram</string>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n</dict>\n</plist>\n",
        ),
        (
            "android/app/build.gradle",
            "plugins { id 'com.android.application' }\nandroid {\n    namespace 'example.marram.fieldlog'\n    compileSdk 36\n    defaultConfig {\n        applicationId 'example.marram.fieldlog'\n        minSdk 24\n        targetSdk 36\n    }\n}\n",
        ),
        (
            "elvask.toml",
            "elvask = 1\n\n[links]\nhosts = [\"marram.example\"]\nsite = \"site\"\n\n[[links.routes]]\npath = \"/site/{site:int}\"\nopens = \"Site page\"\n\n[[links.tests]]\nurl = \"https://marram.example/site/42\"\nopens = \"Site page\"\nwith = { site = \"42\" }\n",
        ),
        (
            "site/.well-known/assetlinks.json",
            "[{\n  \"relation\": [\"delegate_permission/common.handle_all_urls\"],\n  \"target\": {\n    \"namespace\": \"android_app\",\n    \"package_name\": \"example.marram.fieldlog\",\n    \"sha256_cert_fingerprints\": [\"14:6D:E9:4A:89:F8:73:F6:FD:0F:BE:2B:9F:37:84:A1:A8:C3:7D:42:FD:4B:EA:11:F5:E3:E0:15:04:98:17:B2\"]\n  }\n}]\n",
        ),
        ("notes.md", "```xml\n<uses-permission android:name=\"android.permission.NFC\" />\n```\n"),
    ]);
    app.write(
        "node_modules/tern_camera/elvask-sheet.toml",
        "sheet = 1\nplatforms = [\"android\", \"ios\"]\n\n[[requires]]\ncapability = \"camera\"\nreason = \"Shows the viewfinder.\"\nreference = \"https://docs.marram.example/tern_camera\"\n\n[[requires]]\ncapability = \"vibrate\"\n\n[[requires]]\nandroid.meta-data = { name = \"example.tern.KEY\", value = \"{key}\" }\n\n[answers.key]\ntitle = \"The key, from the maker's page\"\n",
    );
    app
}

fn folder(name: &str) -> PathBuf {
    PathBuf::from(env!("CARGO_MANIFEST_DIR")).join(name)
}

/// Compares what was said with the file that pins it.
#[track_caller]
fn pinned(path: &PathBuf, said: &str, variable: &str) {
    if is_asked_to_write(variable) {
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, said).unwrap();
        return;
    }
    let known = fs::read_to_string(path).unwrap_or_default();
    assert!(known == said, "{} is not current; {variable}=1 writes it anew. It would be:\n{said}", path.display());
}

/// Pins what a command printed, and holds it against the schema of its document.
#[track_caller]
fn sample(app: &App, document: &str, name: &str, ran: &Ran) {
    let root = app.root().canonicalize().unwrap().display().to_string();
    let text = ran.out.replace(&root, "/APP");
    let value: Value =
        serde_json::from_str(&text).unwrap_or_else(|error| panic!("{name}: {error}\n{text}\n{}", ran.err));
    fits(document, &value);
    pinned(&folder(&format!("tests/json/{name}.json")), &text, "ELVASK_WRITE_CASES");
}

/// Holds a value against the schema of a document.
#[track_caller]
pub(crate) fn fits(document: &str, value: &Value) {
    let printed = ALL.iter().find(|one| one.command == document).unwrap();
    let schema = serde_json::to_value((printed.schema)()).unwrap();
    if let Err(fault) = holds(&schema, &schema, value, document) {
        panic!("{fault}");
    }
}

/// Says where a value is not as a schema wants it. It knows what the schemas use, and refuses words that it does not know.
fn holds(root: &Value, schema: &Value, value: &Value, at: &str) -> Result<(), String> {
    const TOLD: [&str; 6] = ["$schema", "$defs", "title", "description", "default", "format"];
    const READ: [&str; 11] = [
        "$ref",
        "type",
        "properties",
        "required",
        "items",
        "enum",
        "const",
        "anyOf",
        "oneOf",
        "additionalProperties",
        "minimum",
    ];
    let Some(rules) = schema.as_object() else {
        return if schema == &Value::Bool(true) { Ok(()) } else { Err(format!("{at}: nothing may be here")) };
    };
    if let Some(unknown) = rules.keys().find(|key| !TOLD.contains(&key.as_str()) && !READ.contains(&key.as_str())) {
        return Err(format!("{at}: the test does not know `{unknown}`"));
    }
    if let Some(name) = schema["$ref"].as_str() {
        let target = root.pointer(name.trim_start_matches('#')).ok_or(format!("{at}: no {name}"))?;
        holds(root, target, value, at)?;
    }
    if let Some(kind) = rules.get("type") {
        let is = |kind: &str| match kind {
            "object" => value.is_object(),
            "array" => value.is_array(),
            "string" => value.is_string(),
            "boolean" => value.is_boolean(),
            "integer" => value.is_i64() || value.is_u64(),
            "null" => value.is_null(),
            other => panic!("{at}: the type {other}"),
        };
        let fits = match kind {
            Value::Array(kinds) => kinds.iter().any(|kind| is(kind.as_str().unwrap())),
            kind => is(kind.as_str().unwrap()),
        };
        if !fits {
            return Err(format!("{at}: {value} is not of type {kind}"));
        }
    }
    let is_one_of = |words: &Value| words.as_array().is_none_or(|words| words.contains(value));
    if !is_one_of(&schema["enum"]) || rules.get("const").is_some_and(|only| only != value) {
        return Err(format!("{at}: {value} is none of the words"));
    }
    if let (Some(least), Some(number)) = (schema["minimum"].as_i64(), value.as_i64())
        && number < least
    {
        return Err(format!("{at}: {number} is below {least}"));
    }
    for (word, exactly) in [("anyOf", false), ("oneOf", true)] {
        if let Some(all) = schema[word].as_array() {
            // What is described beside the alternatives is not theirs to describe.
            let mut rest = value.clone();
            if let (Some(fields), Some(own)) = (rest.as_object_mut(), schema["properties"].as_object()) {
                fields.retain(|name, _| !own.contains_key(name));
            }
            let tried: Vec<_> = all.iter().map(|one| holds(root, one, &rest, at)).collect();
            let met = tried.iter().filter(|one| one.is_ok()).count();
            if met == 0 || exactly && met > 1 {
                return Err(format!("{at}: {met} of {word} hold: {tried:?}"));
            }
        }
    }
    if let Some(fields) = value.as_object() {
        for field in schema["required"].as_array().into_iter().flatten() {
            if !fields.contains_key(field.as_str().unwrap()) {
                return Err(format!("{at}: {field} is missing"));
            }
        }
        for (name, inner) in fields {
            let at = format!("{at}.{name}");
            match (schema["properties"].get(name), rules.get("additionalProperties")) {
                (Some(schema), _) => holds(root, schema, inner, &at)?,
                (None, Some(schema)) => holds(root, schema, inner, &at)?,
                // What is not described must not be printed; alternatives describe their own.
                (None, None)
                    if rules.contains_key("properties")
                        && !rules.contains_key("oneOf")
                        && !rules.contains_key("anyOf") =>
                {
                    return Err(format!("{at} is not described"));
                }
                (None, None) => {}
            }
        }
    }
    if let (Some(items), Some(values)) = (rules.get("items"), value.as_array()) {
        for (number, inner) in values.iter().enumerate() {
            holds(root, items, inner, &format!("{at}[{number}]"))?;
        }
    }
    Ok(())
}

#[test]
fn the_published_schemas_are_those_of_the_records() {
    let folder = folder("../../docs/json");
    for printed in &ALL {
        let schema = serde_json::to_string_pretty(&(printed.schema)()).unwrap() + "\n";
        pinned(&folder.join(format!("{}.schema.json", printed.command)), &schema, "ELVASK_WRITE_PAGES");
    }
    let known: BTreeSet<String> = ALL.iter().map(|one| format!("{}.schema.json", one.command)).collect();
    let there = fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().file_name().into_string().unwrap()).collect();
    assert_eq!(known, there);
}

#[test]
fn each_command_prints_what_its_schema_says() {
    let app = app();
    let notes = app.path("notes.md").display().to_string();
    let cases: [(&str, &[&str]); 25] = [
        ("check", &["check"]),
        ("check-all", &["check", "--all"]),
        ("survey", &["survey"]),
        ("survey-all", &["survey", "--all"]),
        ("survey-variants", &["survey", "--variants"]),
        ("survey-merged", &["survey", "--merged"]),
        ("survey-matrix", &["survey", "--matrix"]),
        ("prompts", &["prompts"]),
        ("fill", &["fill", "--dry-run"]),
        ("place", &["place", &notes]),
        ("declare", &["declare", "bluetooth", "--dry-run"]),
        ("withdraw", &["withdraw", "READ_SMS", "--dry-run"]),
        ("identity", &["identity"]),
        ("trim", &["trim"]),
        ("recover", &["recover"]),
        ("why", &["why", "CAMERA"]),
        ("link-try", &["link", "try", "https://marram.example/site/42?day=1"]),
        ("link-try-entries", &["link", "try"]),
        ("link-test", &["link", "test"]),
        ("link-files", &["link", "files", "--dry-run"]),
        ("link-audit", &["link", "audit", "--site", "site"]),
        ("sheet-list", &["sheet", "list"]),
        ("sheet-show", &["sheet", "show", "tern_camera"]),
        ("sheet-check", &["sheet", "check"]),
        ("explain", &["explain", "query-missing"]),
    ];
    for (name, words) in cases {
        let mut words = words.to_vec();
        words.extend(["--format", "json"]);
        sample(&app, name, name, &app.run(&words));
    }
}

#[test]
fn each_topic_prints_what_the_schema_says() {
    let app = app();
    for (name, topic) in [
        ("explain-capability", "camera"),
        ("explain-permission", "BLUETOOTH"),
        ("explain-usage", "NSCalendarsUsageDescription"),
        ("explain-key", "UIUserInterfaceStyle"),
        ("explain-entitlement", "aps-environment"),
        ("explain-mode", "remote-notification"),
        ("explain-word", "launchMode"),
    ] {
        sample(&app, "explain", name, &app.run(&["explain", topic, "--format", "json"]));
    }
    sample(
        &app,
        "explain-found",
        "explain-found",
        &app.run(&["explain", "browser", "opens", "instead", "--format", "json"]),
    );
    // What is in it changes with each table.
    fits("version", &app.run(&["--version", "--format", "json"]).json());
    // These lists grow with each rule and capability.
    fits("explain-rules", &app.run(&["explain", "rules", "--format", "json"]).json());
    fits("explain-capabilities", &app.run(&["explain", "capabilities", "--format", "json"]).json());
}

#[test]
fn what_is_written_prints_what_the_schema_says() {
    let app = app();
    fs::remove_file(app.path("elvask.toml")).unwrap();
    sample(&app, "init", "init", &app.run(&["init", "--format", "json"]));
    assert!(app.read("elvask.toml").contains("\nelvask = 1\n"));
    let filled = app.run(&[
        "fill",
        "--yes",
        "--answer",
        "tern_camera.key=4821",
        "--purpose",
        "camera=Photographs the ring.",
        "--format",
        "json",
    ]);
    sample(&app, "fill", "fill-written", &filled);
    assert!(app.read(PLIST).contains("Photographs the ring."));
}

#[test]
fn the_larger_samples_fit_too() {
    for layout in ["npm", "pubspec", "widget", "appjson", "gradle"] {
        let app = App::demo(layout);
        for (document, words) in [
            ("check", &["check", "--waived"][..]),
            ("survey", &["survey"]),
            ("fill", &["fill", "--dry-run"]),
            ("trim", &["trim"]),
            ("link-test", &["link", "test"]),
            ("link-try-entries", &["link", "try"]),
            ("sheet-list", &["sheet", "list"]),
            ("why", &["why", "camera"]),
        ] {
            let mut words = words.to_vec();
            words.extend(["--format", "json"]);
            fits(document, &app.run(&words).json());
        }
    }
}

#[test]
fn a_certificate_and_a_server_print_what_their_schemas_say() {
    let app = app();
    let certificate = folder("tests/stores/certificate.der");
    app.write("certificate.der", fs::read(certificate).unwrap());
    sample(&app, "fingerprint", "fingerprint", &app.run(&["fingerprint", "certificate.der", "--format", "json"]));

    app.commit();
    fits("compare", &app.run(&["compare", "HEAD", "--format", "json"]).json());
    for (document, words) in [("link-serve", ["link", "serve"]), ("account-serve", ["account", "serve"])] {
        let said = served(&app, &words);
        fits(document, &said);
        assert!(said["address"].as_str().unwrap().starts_with("http://127.0.0.1:"), "{said}");
    }
}

/// Starts a command that serves, and returns what it prints.
fn served(app: &App, words: &[&str]) -> Value {
    let mut server = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(words)
        .args(["--port", "0", "--format", "json"])
        .current_dir(app.root())
        .env("ELVASK_CACHE_DIR", "")
        .env_remove("ELVASK_ACCOUNT_TOKEN")
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap();
    let mut said = String::new();
    for line in BufReader::new(server.stdout.take().unwrap()).lines() {
        let line = line.unwrap();
        said.push_str(&line);
        if line == "}" {
            break;
        }
    }
    server.kill().unwrap();
    server.wait().unwrap();
    serde_json::from_str(&said).unwrap()
}
