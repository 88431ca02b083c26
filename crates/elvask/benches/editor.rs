//! How long after a keystroke an editor knows what is found: the built service is spoken to as an editor does.
//!
//! `cargo bench --bench editor` measures the sample app and one with fifty packages that have native code; with `ELVASK_BENCH_APP=FOLDER` the app there too.

use std::fs;
use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::{Value, json};

/// How many keystrokes are measured.
const KEYSTROKES: usize = 300;

/// An editor with one document open.
struct Editor {
    child: Child,
    input: ChildStdin,
    output: BufReader<ChildStdout>,
    uri: String,
    version: i64,
}

impl Editor {
    fn open(app: &Path, document: &Path) -> Editor {
        let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
            .arg("lsp")
            .current_dir(app)
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("the program starts");
        let input = child.stdin.take().expect("it is a pipe");
        let output = BufReader::new(child.stdout.take().expect("it is a pipe"));
        let uri = format!("file://{}", fs::canonicalize(document).expect("the document is there").display());
        let mut editor = Editor { child, input, output, uri: uri.clone(), version: 1 };
        editor.send(&json!({ "jsonrpc": "2.0", "id": 1, "method": "initialize", "params": { "capabilities": {} } }));
        editor.send(&json!({ "jsonrpc": "2.0", "method": "initialized", "params": {} }));
        let text = fs::read_to_string(document).expect("it is text");
        let opened = json!({ "uri": uri, "languageId": "xml", "version": 1, "text": text });
        editor
            .send(&json!({ "jsonrpc": "2.0", "method": "textDocument/didOpen", "params": { "textDocument": opened } }));
        editor.wait();
        editor
    }

    fn send(&mut self, message: &Value) {
        let body = message.to_string();
        write!(self.input, "Content-Length: {}\r\n\r\n{body}", body.len()).expect("it listens");
        self.input.flush().expect("it listens");
    }

    /// Waits for what is found in the version of the document that was sent last.
    fn wait(&mut self) {
        loop {
            let mut length = 0;
            loop {
                let mut line = String::new();
                assert!(self.output.read_line(&mut line).expect("it speaks") > 0, "it ended");
                if line == "\r\n" {
                    break;
                }
                if let Some(number) = line.strip_prefix("Content-Length: ") {
                    length = number.trim().parse().expect("a number");
                }
            }
            let mut body = vec![0; length];
            self.output.read_exact(&mut body).expect("a whole message");
            let message: Value = serde_json::from_slice(&body).expect("JSON");
            let told = &message["params"];
            if told["uri"] == self.uri.as_str() && told["version"] == self.version {
                return;
            }
        }
    }

    /// Types a blank behind the first line, or takes it away again, and returns how long it takes until that is judged.
    fn type_one(&mut self) -> Duration {
        self.version += 1;
        let at = |character: usize| json!({ "line": 1, "character": character });
        let (end, text) = if self.version % 2 == 0 { (0, " ") } else { (1, "") };
        let change = json!({ "range": { "start": at(0), "end": at(end) }, "text": text });
        let document = json!({ "uri": self.uri, "version": self.version });
        let started = Instant::now();
        self.send(&json!({ "jsonrpc": "2.0", "method": "textDocument/didChange", "params": { "textDocument": document, "contentChanges": [change] } }));
        self.wait();
        started.elapsed()
    }
}

impl Drop for Editor {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn measure(name: &str, app: &Path, document: &Path) {
    let mut editor = Editor::open(app, document);
    let mut times: Vec<Duration> = (0..KEYSTROKES).map(|_| editor.type_one()).collect();
    times.sort_unstable();
    let at = |part: usize| times.get(KEYSTROKES * part / 100).copied().unwrap_or_default().as_secs_f64() * 1000.0;
    let line = format!("{name:<40} median {:6.1} ms   95 % within {:6.1} ms", at(50), at(95));
    let _ = writeln!(std::io::stdout(), "{line}");
}

const MANIFEST: &str = "android/app/src/main/AndroidManifest.xml";

/// Adds packages with native code and notes to an app, each of which asks for something.
fn with_packages(app: &Path, count: usize) {
    let path = app.join("package.json");
    let mut listed: Value = serde_json::from_str(&fs::read_to_string(&path).expect("it is there")).expect("JSON");
    for at in 0..count {
        let name = format!("stint-{at}");
        listed["dependencies"][&name] = json!("1.0.0");
        let folder = app.join("node_modules").join(&name);
        let write = |path: &str, text: &str| {
            let path = folder.join(path);
            fs::create_dir_all(path.parent().expect("it has a folder")).expect("it can be made");
            fs::write(path, text).expect("it can be written");
        };
        write("package.json", &format!("{{ \"name\": \"{name}\", \"version\": \"1.0.0\" }}"));
        write("android/build.gradle", "android { compileSdk 36 }\n");
        write(
            "android/src/main/AndroidManifest.xml",
            "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\"><uses-permission android:name=\"android.permission.VIBRATE\" /></manifest>\n",
        );
        let kotlin = "fun look(manager: CameraManager) { manager.openCamera(\"0\", callback, null) }\n".repeat(200);
        write(
            "android/src/main/java/example/Stint.kt",
            &format!("import android.hardware.camera2.CameraManager\n{kotlin}"),
        );
        let swift = "func ask() { AVCaptureDevice.requestAccess(for: .video) { _ in } }\n".repeat(200);
        write("ios/Stint.swift", &format!("import AVFoundation\n{swift}"));
        write(
            "README.md",
            "# Set-up\n\nAdd `<uses-permission android:name=\"android.permission.CAMERA\" />` to the manifest.\n",
        );
    }
    fs::write(path, listed.to_string()).expect("it can be written");
}

fn main() {
    let folder = tempfile::tempdir().expect("a folder for apps");
    let demo = |name: &str| -> PathBuf {
        let into = folder.path().join(name);
        let made = Command::new(env!("CARGO_BIN_EXE_elvask")).args(["demo", "--unpack", "--into"]).arg(&into).output();
        assert!(made.expect("the program starts").status.success());
        into
    };
    let sample = demo("sample");
    measure("the sample app, its manifest", &sample, &sample.join(MANIFEST));
    measure("the sample app, its property list", &sample, &sample.join("ios/Marram/Info.plist"));
    measure("the sample app, elvask.toml", &sample, &sample.join("elvask.toml"));
    let large = demo("large");
    with_packages(&large, 50);
    measure("with fifty native packages, its manifest", &large, &large.join(MANIFEST));
    if let Some(app) = std::env::var_os("ELVASK_BENCH_APP").map(PathBuf::from) {
        measure("the app that was named, its manifest", &app, &app.join(MANIFEST));
    }
}
