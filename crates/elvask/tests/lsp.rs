//! The service for editors, spoken to as an editor does.

use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::process::{Child, ChildStdin, Command, Stdio};
use std::sync::mpsc::{Receiver, channel};
use std::time::Duration;

use serde_json::{Value, json};

use crate::support::{App, MANIFEST};

const PLIST: &str = "ios/Marram/Info.plist";
const PATIENCE: Duration = Duration::from_secs(60);

/// An editor that has started the service in an app.
struct Editor<'a> {
    app: &'a App,
    child: Child,
    input: Option<ChildStdin>,
    output: Receiver<Value>,
    /// What was told and nobody has looked at yet.
    told: Vec<Value>,
    id: i64,
}

impl<'a> Editor<'a> {
    fn start(app: &'a App, capabilities: Value) -> Self {
        let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
            .args(["lsp", "--stdio"])
            .current_dir(app.root())
            .env("ELVASK_CACHE_DIR", "")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let input = child.stdin.take();
        let mut reader = BufReader::new(child.stdout.take().unwrap());
        let (sender, output) = channel();
        std::thread::spawn(move || {
            loop {
                let mut length = 0;
                loop {
                    let mut line = String::new();
                    if reader.read_line(&mut line).unwrap_or(0) == 0 {
                        return;
                    }
                    if line == "\r\n" {
                        break;
                    }
                    if let Some(number) = line.strip_prefix("Content-Length: ") {
                        length = number.trim().parse().unwrap();
                    }
                }
                let mut body = vec![0; length];
                reader.read_exact(&mut body).unwrap();
                if sender.send(serde_json::from_slice(&body).unwrap()).is_err() {
                    return;
                }
            }
        });
        let mut editor = Editor { app, child, input, output, told: Vec::new(), id: 0 };
        let answer =
            editor.ask("initialize", json!({ "processId": null, "rootUri": null, "capabilities": capabilities }));
        assert!(answer["capabilities"]["hoverProvider"] == true, "{answer}");
        editor.tell("initialized", json!({}));
        editor
    }

    fn whole(app: &'a App) -> Self {
        Editor::start(
            app,
            json!({ "workspace": { "workspaceEdit": { "documentChanges": true, "resourceOperations": ["create"] } } }),
        )
    }

    fn send(&mut self, message: &Value) {
        let body = message.to_string();
        let input = self.input.as_mut().unwrap();
        write!(input, "Content-Length: {}\r\n\r\n{body}", body.len()).unwrap();
        input.flush().unwrap();
    }

    fn tell(&mut self, method: &str, parameters: Value) {
        self.send(&json!({ "jsonrpc": "2.0", "method": method, "params": parameters }));
    }

    /// Asks, and returns the whole answer.
    fn answer(&mut self, method: &str, parameters: Value) -> Value {
        self.id += 1;
        let id = self.id;
        self.send(&json!({ "jsonrpc": "2.0", "id": id, "method": method, "params": parameters }));
        loop {
            let message = self.output.recv_timeout(PATIENCE).expect("an answer");
            if message["id"] == id && message.get("method").is_none() {
                return message;
            }
            self.told.push(message);
        }
    }

    fn ask(&mut self, method: &str, parameters: Value) -> Value {
        let answer = self.answer(method, parameters);
        assert!(answer.get("error").is_none(), "{answer}");
        answer["result"].clone()
    }

    fn uri(&self, path: &str) -> String {
        format!("file://{}", self.app.root().canonicalize().unwrap().join(path).display())
    }

    fn open(&mut self, path: &str) -> String {
        let text = self.app.read(path);
        self.open_with(path, &text);
        text
    }

    fn open_with(&mut self, path: &str, text: &str) {
        let uri = self.uri(path);
        self.tell(
            "textDocument/didOpen",
            json!({ "textDocument": { "uri": uri, "languageId": "xml", "version": 1, "text": text } }),
        );
    }

    fn replace(&mut self, path: &str, version: i64, text: &str) {
        let uri = self.uri(path);
        self.tell(
            "textDocument/didChange",
            json!({ "textDocument": { "uri": uri, "version": version }, "contentChanges": [{ "text": text }] }),
        );
    }

    /// Returns what is told of a document next.
    fn diagnostics(&mut self, path: &str) -> Vec<Value> {
        let uri = self.uri(path);
        let is_it = |message: &Value| {
            message["method"] == "textDocument/publishDiagnostics" && message["params"]["uri"] == uri.as_str()
        };
        let found = match self.told.iter().position(is_it) {
            Some(at) => self.told.remove(at),
            None => loop {
                let message = self.output.recv_timeout(PATIENCE).expect("what is found");
                if is_it(&message) {
                    break message;
                }
                self.told.push(message);
            },
        };
        found["params"]["diagnostics"].as_array().unwrap().clone()
    }

    fn at(&self, path: &str, line: usize, character: usize) -> Value {
        json!({ "textDocument": { "uri": self.uri(path) }, "position": { "line": line, "character": character } })
    }

    fn of(&self, path: &str) -> Value {
        json!({ "textDocument": { "uri": self.uri(path) } })
    }

    fn end(mut self) {
        assert_eq!(self.answer("shutdown", Value::Null)["result"], Value::Null);
        self.tell("exit", Value::Null);
        drop(self.input.take());
        assert!(self.child.wait().unwrap().success());
    }
}

impl Drop for Editor<'_> {
    fn drop(&mut self) {
        drop(self.input.take());
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Returns where a text stands, as line and column.
fn position(text: &str, part: &str) -> (usize, usize) {
    let at = text.find(part).unwrap_or_else(|| panic!("{part}"));
    let line = text[..at].matches('\n').count();
    (line, at - text[..at].rfind('\n').map_or(0, |end| end + 1))
}

/// Makes the changes of an edit, as an editor does.
fn apply(edit: &Value) {
    for document in edit["documentChanges"].as_array().unwrap() {
        if document["kind"] == "create" {
            continue;
        }
        let path = document["textDocument"]["uri"].as_str().unwrap().strip_prefix("file://").unwrap().to_owned();
        let mut text = std::fs::read_to_string(&path).unwrap_or_default();
        let offset = |text: &str, at: &Value| {
            let (line, column) = (at["line"].as_u64().unwrap() as usize, at["character"].as_u64().unwrap() as usize);
            text.split_inclusive('\n').take(line).map(str::len).sum::<usize>() + column
        };
        let mut edits: Vec<(usize, usize, String)> = document["edits"]
            .as_array()
            .unwrap()
            .iter()
            .map(|edit| {
                let range = &edit["range"];
                (
                    offset(&text, &range["start"]),
                    offset(&text, &range["end"]),
                    edit["newText"].as_str().unwrap().to_owned(),
                )
            })
            .collect();
        edits.sort();
        for (start, end, new) in edits.into_iter().rev() {
            text.replace_range(start..end, &new);
        }
        std::fs::write(&path, text).unwrap();
    }
}

#[test]
fn what_is_typed_is_judged_before_it_is_saved() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    let text = editor.open(MANIFEST);
    let found = editor.diagnostics(MANIFEST);
    let camera =
        found.iter().find(|one| one["message"].as_str().unwrap().starts_with("CAMERA is not declared")).unwrap();
    assert_eq!(
        (&camera["code"], &camera["severity"], &camera["source"]),
        (&json!("permission-missing"), &json!(1), &json!("elvask"))
    );
    let why = &camera["relatedInformation"][camera["relatedInformation"].as_array().unwrap().len() - 1];
    assert!(why["location"]["uri"].as_str().unwrap().ends_with("tern_camera/elvask-sheet.toml"), "{why}");
    assert_eq!(why["message"], "tern_camera needs it: Shows the viewfinder.");
    let (line, column) = position(&text, "POST_NOTIFICATION\"");
    let slip = found.iter().find(|one| one["code"] == "permission-unknown").unwrap();
    assert_eq!(slip["range"]["start"]["line"], line);
    assert!(slip["range"]["start"]["character"].as_u64().unwrap() as usize <= column);
    // One letter is typed, and nothing is saved.
    let uri = editor.uri(MANIFEST);
    let end = column + "POST_NOTIFICATION".len();
    let here = json!({ "line": line, "character": end });
    editor.tell("textDocument/didChange", json!({ "textDocument": { "uri": uri, "version": 2 }, "contentChanges": [{ "range": { "start": here, "end": here }, "text": "S" }] }));
    let found = editor.diagnostics(MANIFEST);
    assert!(found.iter().all(|one| one["code"] != "permission-unknown"), "{found:?}");
    assert!(app.read(MANIFEST) == text, "the disk is as it was");
    editor.end();
}

#[test]
fn a_remedy_is_one_change_of_all_files_that_it_touches() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    editor.open(MANIFEST);
    editor.diagnostics(MANIFEST);
    let range = json!({ "start": { "line": 0, "character": 0 }, "end": { "line": 0, "character": 1 } });
    let mut asked = editor.of(MANIFEST);
    asked["range"] = range;
    asked["context"] = json!({ "diagnostics": [] });
    let actions = editor.ask("textDocument/codeAction", asked);
    let camera = actions
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["title"].as_str().unwrap().contains("CAMERA"))
        .unwrap()
        .clone();
    assert_eq!(camera["kind"], "quickfix");
    assert_eq!(camera["edit"]["documentChanges"][0]["textDocument"]["version"], 1);
    apply(&camera["edit"]);
    assert!(app.read(MANIFEST).contains("<uses-permission android:name=\"android.permission.CAMERA\" />"));
    let report = app.run(&["check", "--format", "json"]).json();
    let left = report["findings"].as_array().unwrap();
    assert!(
        left.iter().all(|one| one["subject"] != "android.permission.CAMERA" || one["rule"] != "permission-missing")
    );
    editor.end();
}

#[test]
fn a_word_is_explained_with_who_needs_it_and_leads_to_the_evidence_and_back() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    let text = editor.open(MANIFEST);
    let (line, column) = position(&text, "android.permission.READ_CALENDAR");
    let hover = editor.ask("textDocument/hover", editor.at(MANIFEST, line, column + 25));
    let said = hover["contents"]["value"].as_str().unwrap();
    for part in [
        "**android.permission.READ\\_CALENDAR**",
        "Granted by a prompt, in the group CALENDAR",
        "- dunlin\\_alerts",
        "elvask-sheet.toml:19",
    ] {
        assert!(said.contains(part), "{part}: {said}");
    }
    let there = editor.ask("textDocument/definition", editor.at(MANIFEST, line, column + 25));
    let uri = there[0]["uri"].as_str().unwrap();
    assert!(uri.ends_with("node_modules/dunlin_alerts/elvask-sheet.toml"), "{there}");
    assert_eq!(there[0]["range"]["start"]["line"], 18);
    // Back from the line of the sheet to what is declared for it.
    let sheet = "node_modules/dunlin_alerts/elvask-sheet.toml";
    editor.open(sheet);
    let back = editor.ask("textDocument/references", editor.at(sheet, 18, 3));
    let places: Vec<(&str, u64)> = back
        .as_array()
        .unwrap()
        .iter()
        .map(|one| {
            (one["uri"].as_str().unwrap().rsplit('/').next().unwrap(), one["range"]["start"]["line"].as_u64().unwrap())
        })
        .collect();
    assert!(places.contains(&("AndroidManifest.xml", line as u64)), "{places:?}");
    assert!(places.iter().any(|(file, _)| *file == "Info.plist"), "{places:?}");
    editor.end();
}

#[test]
fn a_document_has_its_contents_and_who_needs_each() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    editor.open(MANIFEST);
    let symbols = editor.ask("textDocument/documentSymbol", editor.of(MANIFEST));
    let permissions = symbols.as_array().unwrap().iter().find(|one| one["name"] == "Permissions").unwrap();
    assert!(
        permissions["children"].as_array().unwrap().iter().any(|one| one["name"] == "android.permission.READ_CALENDAR")
    );
    let lenses = editor.ask("textDocument/codeLens", editor.of(MANIFEST));
    let lens = lenses
        .as_array()
        .unwrap()
        .iter()
        .find(|one| one["command"]["title"] == "needed by dunlin_alerts")
        .unwrap()
        .clone();
    editor.ask(
        "workspace/executeCommand",
        json!({ "command": lens["command"]["command"], "arguments": lens["command"]["arguments"] }),
    );
    let shown = editor.told.iter().find(|one| one["method"] == "window/showMessage").unwrap();
    assert!(shown["params"]["message"].as_str().unwrap().contains("elvask-sheet.toml:"), "{shown}");
    editor.end();
}

#[test]
fn what_may_stand_at_a_place_is_offered_and_what_is_lacking_first() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    let offered = |editor: &mut Editor<'_>, path: &str, marked: &str| {
        let text = marked.replacen('|', "", 1);
        editor.open_with(path, &text);
        let (line, column) = position(marked, "|");
        let list = editor.ask("textDocument/completion", editor.at(path, line, column));
        list["items"].as_array().cloned().unwrap_or_default()
    };
    let labels =
        |items: &[Value]| items.iter().map(|one| one["label"].as_str().unwrap().to_owned()).collect::<Vec<_>>();
    let manifest = "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <uses-permission android:name=\"android.permission.|\" />\n    <application />\n</manifest>\n";
    let permissions = offered(&mut editor, MANIFEST, manifest);
    let camera = permissions.iter().position(|one| one["label"] == "android.permission.CAMERA").unwrap();
    assert!(
        permissions[camera]["detail"].as_str().unwrap().starts_with("needed by tern_camera"),
        "{}",
        permissions[camera]
    );
    let vibrate = permissions.iter().position(|one| one["label"] == "android.permission.VIBRATE").unwrap();
    assert!(camera < vibrate, "what is lacking comes first");
    assert_eq!(permissions[camera]["textEdit"]["range"]["start"]["character"], 35, "the whole name is replaced");
    let inside =
        |marked: &str| manifest.replace("<application />", marked).replace("permission.|", "permission.VIBRATE");
    for (path, marked, word) in [
        (MANIFEST, inside("<application><activity android:exp|></activity></application>"), "android:exported"),
        (MANIFEST, inside("<application><activity android:launchMode=\"|\" /></application>"), "singleTop"),
        (MANIFEST, inside("<application><|</application>"), "activity"),
        (
            MANIFEST,
            inside(
                "<application><activity><intent-filter><action android:name=\"|\" /></intent-filter></activity></application>",
            ),
            "android.intent.action.SEND",
        ),
        (PLIST, "<plist><dict><key>NSCam|</key></dict></plist>".to_owned(), "NSCameraUsageDescription"),
        (
            PLIST,
            "<plist><dict><key>UIBackgroundModes</key><array><string>|</string></array></dict></plist>".to_owned(),
            "remote-notification",
        ),
        ("ios/Marram/Marram.entitlements", "<plist><dict><key>aps|</key></dict></plist>".to_owned(), "aps-environment"),
        ("elvask/sheets/x.toml", "sheet = 1\n[[requires]]\ncapability = \"cam|\"\n".to_owned(), "camera"),
        ("elvask/sheets/x.toml", "sheet = 1\n[[requires]]\nandroid.per|\n".to_owned(), "android.permission"),
        ("elvask.toml", "elvask = 1\n[[waivers]]\nrule = \"purpose-|\"\n".to_owned(), "purpose-vague"),
        ("elvask.toml", "elvask = 1\n[links]\nho|\n".to_owned(), "hosts"),
        ("elvask.toml", "elvask = 1\n[purposes]\n|\n".to_owned(), "camera"),
        ("site/.well-known/apple-app-site-association", "{ \"applinks\": { \"|\" } }".to_owned(), "details"),
        ("config.xml", "<widget><preference name=\"|\" /></widget>".to_owned(), "Orientation"),
    ] {
        let items = labels(&offered(&mut editor, path, &marked));
        assert!(items.iter().any(|item| item.eq_ignore_ascii_case(word)), "{path} {marked}: {items:?}");
    }
    editor.end();
}

#[test]
fn other_documents_of_the_app_are_judged_too_and_what_is_mended_is_taken_back() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    editor.open(MANIFEST);
    assert!(!editor.diagnostics(PLIST).is_empty(), "of a file that is not open");
    let list = app.read(PLIST);
    let slip = "NSSpeechRecognitionUsageDescripton";
    assert!(list.contains(slip));
    editor.open(PLIST);
    editor.diagnostics(PLIST);
    editor.replace(PLIST, 2, &list.replace(slip, "NSSpeechRecognitionUsageDescription"));
    let found = editor.diagnostics(PLIST);
    assert!(found.iter().all(|one| !one["message"].as_str().unwrap().contains(slip)), "{found:?}");
    // A broken document is told as such, and mending it brings the rest back.
    editor.replace(PLIST, 3, "<plist><dict><key>");
    let found = editor.diagnostics(PLIST);
    assert!(found.iter().any(|one| one["code"] == "file-unreadable"), "{found:?}");
    editor.replace(PLIST, 4, &list);
    assert!(editor.diagnostics(PLIST).iter().any(|one| one["message"].as_str().unwrap().contains(slip)));
    // What changes on the disk is seen as well.
    app.write("elvask.toml", "elvask = 1\n[purposes]\ncamra = 'x'\n");
    let uri = editor.uri("elvask.toml");
    editor.tell("workspace/didChangeWatchedFiles", json!({ "changes": [{ "uri": uri, "type": 2 }] }));
    let found = editor.diagnostics("elvask.toml");
    assert!(found.iter().any(|one| one["code"] == "config-invalid"), "{found:?}");
    editor.end();
}

#[test]
fn sheets_the_owners_file_and_the_websites_are_judged_while_they_are_written() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    for (path, text, rule) in [
        ("elvask.toml", "elvask = 1\n[purposes]\ncamra = 'x'\n", "config-invalid"),
        (
            "elvask/sheets/plover_dialer.toml",
            "sheet = 1\nplugin = 'plover_dialer'\n[[requires]]\ncapabilty = 'camera'\n",
            "sheet-invalid",
        ),
    ] {
        if app.path(path).exists() {
            editor.open(path);
            editor.diagnostics(path);
            editor.replace(path, 2, text);
        } else {
            editor.open_with(path, text);
        }
        let found = editor.diagnostics(path);
        assert!(found.iter().any(|one| one["code"] == rule), "{path}: {found:?}");
        assert!(!app.path(path).exists() || app.read(path) != text, "nothing is saved");
    }
    let site = "site/.well-known/assetlinks.json";
    let before = app.read(site);
    let mut editor = Editor::whole(&app);
    editor.open(site);
    editor.diagnostics(site);
    editor.replace(site, 2, &before.replace("example.marram.fieldlog", "example.marram.other"));
    let found = editor.diagnostics(site);
    let lists_another = |one: &Value| one["message"].as_str().unwrap().contains("the file lists example.marram.other");
    assert!(found.iter().any(lists_another), "{found:?}");
    editor.end();
}

#[test]
fn a_sheet_in_packages_that_apps_share_is_of_the_app_that_has_them() {
    let app = App::demo("npm");
    let sheet = "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\n";
    app.write("shared/node_modules/tern_camera/package.json", "{\"name\":\"tern_camera\",\"version\":\"2.1.0\"}");
    app.write("shared/node_modules/tern_camera/elvask-sheet.toml", sheet);
    app.write("shared/log/package.json", "{ \"dependencies\": { \"tern_camera\": \"^2.1.0\" } }\n");
    app.write("shared/log/android/app/build.gradle", "plugins { id 'com.android.application' }\n");
    let manifest = "shared/log/android/app/src/main/AndroidManifest.xml";
    app.write(
        manifest,
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n",
    );
    let mut editor = Editor::whole(&app);
    editor.open(manifest);
    let lacks =
        |found: &[Value], name: &str| found.iter().any(|one| one["message"].as_str().unwrap().starts_with(name));
    assert!(lacks(&editor.diagnostics(manifest), "CAMERA"));
    editor.open_with("shared/node_modules/tern_camera/elvask-sheet.toml", &sheet.replace("camera", "microphone"));
    let found = editor.diagnostics(manifest);
    assert!(lacks(&found, "RECORD_AUDIO") && !lacks(&found, "CAMERA"), "{found:?}");
    editor.end();
}

#[test]
fn nothing_is_read_again_that_did_not_change() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    let text = editor.open(MANIFEST);
    editor.diagnostics(MANIFEST);
    let before = editor.ask("elvask/filesRead", Value::Null);
    assert!(before.as_u64().unwrap() > 5, "{before}");
    for version in 2..6 {
        editor.replace(MANIFEST, version, &format!("{text}{}", " ".repeat(version as usize)));
        editor.diagnostics(MANIFEST);
    }
    assert_eq!(editor.ask("elvask/filesRead", Value::Null), before);
    editor.end();
}

#[test]
fn odd_requests_and_broken_positions_end_nothing() {
    let app = App::demo("npm");
    let mut editor = Editor::whole(&app);
    editor.open(MANIFEST);
    editor.diagnostics(MANIFEST);
    let far = json!({ "line": 4_000_000_000_u64, "character": u64::MAX });
    let uri = editor.uri(MANIFEST);
    for method in ["hover", "completion", "definition", "references"] {
        for position in [far.clone(), json!({ "line": -1, "character": "x" }), Value::Null] {
            let answer = editor.answer(
                &format!("textDocument/{method}"),
                json!({ "textDocument": { "uri": uri }, "position": position }),
            );
            assert!(answer.get("error").is_none(), "{answer}");
        }
        editor.answer(&format!("textDocument/{method}"), json!([1, 2]));
        editor.answer(
            &format!("textDocument/{method}"),
            json!({ "textDocument": { "uri": "untitled:1" }, "position": far }),
        );
    }
    assert_eq!(editor.answer("textDocument/unheardOf", json!({}))["error"]["code"], -32601);
    // A fault in one request is its answer. Builds that people get have no such request.
    let answer = editor.answer("elvask/testPanic", json!({}));
    assert!(answer.get("error").is_some(), "{answer}");
    editor.tell(
        "textDocument/didChange",
        json!({ "textDocument": { "uri": uri, "version": 1 }, "contentChanges": [{ "text": "late" }] }),
    );
    editor.tell("textDocument/didChange", json!({ "contentChanges": 7 }));
    editor.tell("$/setTrace", json!({ "value": "off" }));
    let symbols = editor.ask("textDocument/documentSymbol", json!({ "textDocument": { "uri": uri } }));
    assert!(!symbols.as_array().unwrap().is_empty(), "the text is what it was");
    editor.end();
}

#[test]
fn a_document_of_ten_megabytes_does_no_harm() {
    let app = App::bare();
    let mut editor = Editor::whole(&app);
    let filler = "        <meta-data android:name=\"example.k\" android:value=\"\u{1d11e}\" />\n".repeat(10_000);
    let notes = format!("    <!-- {} -->\n", "what nobody reads \u{1d11e}\n".repeat(450_000));
    let text = format!(
        "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application>\n{notes}{filler}    </application>\n</manifest>\n"
    );
    assert!(text.len() > 10_000_000, "{}", text.len());
    editor.open_with(MANIFEST, &text);
    assert!(!editor.diagnostics(MANIFEST).is_empty());
    let uri = editor.uri(MANIFEST);
    let here = json!({ "line": 1, "character": 4 });
    let typed = "<uses-permission android:name=\"android.permission.CAMERA\" />\n    ";
    editor.tell("textDocument/didChange", json!({ "textDocument": { "uri": uri, "version": 2 }, "contentChanges": [{ "range": { "start": here, "end": here }, "text": typed }] }));
    let found = editor.diagnostics(MANIFEST);
    assert!(found.iter().all(|one| one["code"] != "permission-missing"), "{}", found.len());
    editor.end();
}

#[test]
fn columns_are_counted_in_what_the_editor_asks_for() {
    let app = App::bare();
    let line = "    <application android:label=\"\u{1d11e}\"><activity android:name=\".\u{1d11e}\" android:exportd=\"true\" /><uses-permission android:name=\"android.permission.CAMRA\" /></application>\n";
    app.write(
        MANIFEST,
        format!("<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n{line}</manifest>\n"),
    );
    let place = |capabilities: Value| {
        let mut editor = Editor::start(&app, capabilities);
        editor.open(MANIFEST);
        let found = editor.diagnostics(MANIFEST);
        let one = found.iter().find(|one| {
            one["range"]["start"]["line"] == 1 && one["range"]["start"]["character"].as_u64().unwrap() > 40
        });
        let at = one.unwrap_or_else(|| panic!("{found:?}"))["range"]["start"]["character"].as_u64().unwrap() as usize;
        editor.end();
        at
    };
    let (utf16, utf8) = (place(json!({})), place(json!({ "general": { "positionEncodings": ["utf-8", "utf-16"] } })));
    assert_eq!(utf8 - utf16, 4, "two letters of four bytes and two halves each stand before it");
}
