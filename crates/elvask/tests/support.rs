//! Runs the built program on files in a temporary folder.

use std::fs;
use std::io::{Read as _, Write as _};
use std::net::TcpStream;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Duration;

use serde_json::Value;
use tempfile::TempDir;

/// What the program said and how it ended.
pub(crate) struct Ran {
    pub out: String,
    pub err: String,
    pub code: i32,
}

impl Ran {
    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}\n{}\n{}", self.out, self.err))
    }
}

/// A folder with an app.
pub(crate) struct App {
    folder: TempDir,
}

pub(crate) const GIVEN: [&str; 6] = [
    "--purpose",
    "camera=Photographs the ring on a bird's leg.",
    "--answer",
    "knot_banner.app_id=knot-48210077",
    "--answer",
    "knot_banner.ios_app_id=knot-48210078",
];

pub(crate) const MANIFEST: &str = "android/app/src/main/AndroidManifest.xml";

impl App {
    /// The sample app.
    pub(crate) fn demo(layout: &str) -> App {
        let app = App { folder: tempfile::tempdir().unwrap() };
        let into = app.root().display().to_string();
        let ran = elvask(app.root(), &["demo", "--unpack", "--layout", layout, "--into", &into]);
        assert_eq!(ran.code, 0, "{}", ran.err);
        app
    }

    /// An app of the layout `npm` with the plugin `tern_camera`, which needs the camera, and these files.
    pub(crate) fn with(files: &[(&str, &str)]) -> App {
        let app = App { folder: tempfile::tempdir().unwrap() };
        app.write("package.json", "{\n  \"dependencies\": { \"tern_camera\": \"^2.1.0\" }\n}\n");
        app.write("node_modules/tern_camera/package.json", "{\"name\":\"tern_camera\",\"version\":\"2.1.0\"}");
        let sheet = "sheet = 1\n\n[[requires]]\ncapability = \"camera\"\n";
        app.write("node_modules/tern_camera/elvask-sheet.toml", sheet);
        app.write("android/app/build.gradle", "plugins { id 'com.android.application' }\n");
        for (path, text) in files {
            app.write(path, text);
        }
        app
    }

    /// The same with a manifest and a property list that declare nothing.
    pub(crate) fn bare() -> App {
        App::with(&[
            (
                MANIFEST,
                "<manifest xmlns:android=\"http://schemas.android.com/apk/res/android\">\n    <application />\n</manifest>\n",
            ),
            (
                "ios/Marram/Info.plist",
                "<plist version=\"1.0\">\n<dict>\n\t<key>CFBundleName</key>\n\t<string>Marram</string>\n\t<key>LSRequiresIPhoneOS</key>\n\t<true/>\n</dict>\n</plist>\n",
            ),
        ])
    }

    pub(crate) fn root(&self) -> &Path {
        self.folder.path()
    }

    pub(crate) fn path(&self, path: &str) -> PathBuf {
        self.root().join(path)
    }

    pub(crate) fn write(&self, path: &str, text: impl AsRef<[u8]>) {
        let path = self.path(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, text).unwrap();
    }

    pub(crate) fn read(&self, path: &str) -> String {
        fs::read_to_string(self.path(path)).unwrap()
    }

    /// Runs the program in the app's folder.
    pub(crate) fn run(&self, words: &[&str]) -> Ran {
        elvask(self.root(), words)
    }

    /// Runs the program in the app's folder, with these variables in its environment.
    pub(crate) fn run_with(&self, variables: &[(&str, &str)], words: &[&str]) -> Ran {
        elvask_with(self.root(), variables, words)
    }

    /// Makes a repository of the app, with all of it in one commit.
    pub(crate) fn commit(&self) {
        for words in [&["init", "-q"][..], &["add", "-A"], &["commit", "-q", "-m", "The release"]] {
            let names = ["-c", "user.name=Log", "-c", "user.email=log@marram.example", "-c", "init.defaultBranch=main"];
            let done = Command::new("git").args(names).args(words).current_dir(self.root()).output().unwrap();
            assert!(done.status.success(), "{words:?}: {}", String::from_utf8_lossy(&done.stderr));
        }
    }

    /// Returns all files with their bytes.
    pub(crate) fn snapshot(&self) -> Vec<(PathBuf, Vec<u8>)> {
        let mut files = Vec::new();
        let mut folders = vec![self.root().to_owned()];
        while let Some(folder) = folders.pop() {
            for entry in fs::read_dir(folder).unwrap() {
                let path = entry.unwrap().path();
                if path.is_dir() {
                    folders.push(path);
                } else {
                    files.push((path.clone(), fs::read(path).unwrap()));
                }
            }
        }
        files.sort();
        files
    }

    /// Runs the check and returns its findings as `level rule subject file:line`.
    pub(crate) fn findings(&self) -> Vec<String> {
        let ran = self.run(&["check", "--format", "json"]);
        let record = ran.json();
        let text = |finding: &Value, key: &str| finding[key].as_str().unwrap_or("-").to_owned();
        let line = |finding: &Value| {
            let file = text(finding, "file");
            let file = file.rsplit('/').next().unwrap_or(&file).to_owned();
            format!(
                "{} {} {} {file}:{}",
                text(finding, "level"),
                text(finding, "rule"),
                text(finding, "subject"),
                finding["line"]
            )
        };
        record["findings"].as_array().unwrap().iter().map(line).collect()
    }
}

/// Runs the program in a folder, with nothing on standard input.
pub(crate) fn elvask(folder: &Path, words: &[&str]) -> Ran {
    elvask_with(folder, &[], words)
}

/// Runs the program in a folder, with these variables in its environment.
fn elvask_with(folder: &Path, variables: &[(&str, &str)], words: &[&str]) -> Ran {
    let done = Command::new(env!("CARGO_BIN_EXE_elvask"))
        .args(words)
        .current_dir(folder)
        .env_remove("NO_COLOR")
        .env("ELVASK_CACHE_DIR", "")
        .env_remove("CLICOLOR_FORCE")
        .env_remove("COLUMNS")
        .env_remove("ELVASK_ACCOUNT_TOKEN")
        .envs(variables.iter().copied())
        .stdin(Stdio::null())
        .output()
        .unwrap();
    Ran {
        out: String::from_utf8(done.stdout).unwrap(),
        err: String::from_utf8(done.stderr).unwrap(),
        code: done.status.code().unwrap(),
    }
}

/// Says whether pinned files are to be written anew, which a machine that judges the code must never do.
pub(crate) fn is_asked_to_write(variable: &str) -> bool {
    let asked = std::env::var_os(variable).is_some();
    assert!(!asked || std::env::var_os("CI").is_none(), "{variable} is set, and CI is too: nothing would be compared");
    asked
}

/// A server that ends with its test.
pub(crate) struct Server {
    child: std::process::Child,
    /// Host and port.
    pub(crate) address: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        self.kill();
    }
}

impl Server {
    /// Starts a command that serves, in a folder, and waits for the address that it prints.
    pub(crate) fn of(words: &[&str], folder: &Path) -> Server {
        let mut child = Command::new(env!("CARGO_BIN_EXE_elvask"))
            .args(words)
            .current_dir(folder)
            .env_remove("ELVASK_ACCOUNT_TOKEN")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let mut said = String::new();
        let mut out = child.stdout.take().unwrap();
        let mut byte = [0];
        while out.read(&mut byte).unwrap() == 1 && byte[0] != b'\n' {
            said.push(char::from(byte[0]));
        }
        Server { child, address: said.trim_start_matches("http://").to_owned() }
    }

    /// Returns the number of its process.
    pub(crate) fn id(&self) -> u32 {
        self.child.id()
    }

    /// Ends it as the power does.
    pub(crate) fn kill(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }

    /// Sends a request as it is, and returns the whole answer.
    pub(crate) fn ask(&self, request: &[u8]) -> String {
        let mut answer = String::new();
        let Ok(mut stream) = TcpStream::connect(&self.address) else { return answer };
        stream.set_read_timeout(Some(Duration::from_secs(20))).unwrap();
        let _ = stream.write_all(request);
        let _ = stream.read_to_string(&mut answer);
        answer
    }
}
