//! `elvask demo`.

use elvask_record::{DemoRecord, FORMAT, StepRecord};
use std::ffi::OsString;
use std::fs;
use std::path::{Path, PathBuf};
use std::process::Command;

use super::{Done, Outcome, typed};
use crate::options::{Demo, DemoLayout, Format, Options};
use crate::output::{Failure, Output};
use crate::render::style::{GOOD, HEADING, NOTE, paint};
use crate::render::{width, wrap};

/// The sample apps: paths below `demo/` and what the files hold.
const FILES: &[(&str, &[u8])] = include!(concat!(env!("OUT_DIR"), "/demo.rs"));

/// What the owner of the sample app would say, were they asked.
const GIVEN: [&str; 3] = [
    "--purpose=camera=Photographs the ring on a bird's leg.",
    "--answer=knot_banner.app_id=knot-48210077",
    "--answer=knot_banner.ios_app_id=knot-48210078",
];

/// What the owner of one of the smaller apps would say.
const GIVEN_SMALL: [&str; 1] = ["--purpose=camera=Photographs the ring on a bird's leg."];

/// One step of the walk.
struct Step {
    words: &'static [&'static str],
    given: bool,
    told: &'static str,
    shows: &'static str,
}

const STEPS: [Step; 8] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Ten plugins have been added to Marram, a field notebook for people who ring birds on a salt marsh, with lines copied from the plugins' pages. First, what the app declares by now, and which plugins need it.",
        shows: "What is red is in the file, but the platform does not look there.",
    },
    Step {
        words: &["check", "-q"],
        given: false,
        told: "Now what is missing or wrong, on one line each.",
        shows: "The exit code is 1: something is found that breaks on a device, in the build or in review.",
    },
    Step {
        words: &["check", "--only", "value-placeholder"],
        given: false,
        told: "One of the rules closer: the place, the lines that `elvask fill` writes, who needs it, and what happens if it stays. `elvask check` shows all findings so.",
        shows: "",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "elvask.toml names four links with what each must open. Which of them do, with the website in the folder site?",
        shows: "Two filters were folded into one, a category is missing, a host is on one platform only, and the website names another certificate.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now everything that can be mended is mended. Three values only the owner can give; the rest comes from the sheets and elvask.toml. Nothing else changes: comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for such values and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0. What is waived is in elvask.toml, with its reason.",
    },
    Step {
        words: &["compare", "elvask/survey-2.3.0.json"],
        given: false,
        told: "What does whoever has 2.3.0 notice of the update? The survey of that release was kept.",
        shows: "",
    },
    Step { words: &["link", "test"], given: false, told: "And the links.", shows: "" },
];

pub(crate) fn run(options: &Demo, all: &Options, output: &Output) -> Done {
    if options.release {
        // Said before anything is unpacked.
        options.layout.release_walk()?;
    }
    let folder = unpack(options)?;
    let human = options.format == Format::Human;
    if options.unpack {
        if human {
            output.result(&format!("The sample app is in {}\n", typed(&folder)));
        } else {
            output.json(&DemoRecord { format: FORMAT, folder: folder.display().to_string(), steps: Vec::new() });
        }
        return Ok(Outcome::Clean);
    }
    let program = std::env::current_exe()
        .map_err(|error| Failure::new(format!("this program cannot be found again: {error}")))?;
    let (walk, given) = if options.release { options.layout.release_walk()? } else { options.layout.walk() };
    let mut steps = Vec::new();
    let mut last = Outcome::CouldNotRun;
    for (at, step) in walk.iter().enumerate() {
        if human {
            announce((at, walk.len()), step, given, &folder, output);
        }
        let given = if step.given { given } else { &[] };
        let done = perform(&program, step, given, &folder, all, human, output)?;
        if human {
            let shows = wrap(step.shows, width().min(100), 0);
            let shows = if step.shows.is_empty() { String::new() } else { format!("{}\n\n", shows.trim_end()) };
            output.result(&format!("\n{shows}"));
        }
        last = match done.exit {
            0 => Outcome::Clean,
            1 => Outcome::Found,
            _ => Outcome::CouldNotRun,
        };
        steps.push(done);
    }
    if human {
        let text = format!(
            "{}\nThe app is in {}. Try things there:\n  cd {}\n{}",
            paint(GOOD, "That was the main job."),
            typed(&folder),
            typed(&folder),
            options.layout.more()
        );
        output.result(&text);
    } else {
        output.json(&DemoRecord { format: FORMAT, folder: folder.display().to_string(), steps });
    }
    Ok(last)
}

/// What comes before an upload, where the app is the one of [`STEPS`].
const STEPS_RELEASE: [Step; 4] = [
    Step {
        words: &["check", "--release", "--last", "2.3.0+30"],
        given: false,
        told: "Marram 2.4.0 is to be released, and the stores have 2.3.0 with the build 30. What would stop it, in the order in which it would be stopped?",
        shows: "The exit code is 1. What could not be looked at is said, and never called right.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "All that can be mended is mended, with three values that only the owner can give.",
        shows: "",
    },
    Step {
        words: &["check", "--release", "--last", "2.3.0+30"],
        given: false,
        told: "And the page again.",
        shows: "The exit code is 0.",
    },
    Step {
        words: &["compare", "elvask/survey-2.3.0.json"],
        given: false,
        told: "What does whoever has 2.3.0 notice of the update? The survey of that release was kept.",
        shows: "",
    },
];

/// The walk over an app whose platform files are made of one document.
const STEPS_SMALL: [Step; 6] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Three plugins have been added to Marram, a field notebook for people who ring birds on a salt marsh. Its platform folders are made by the layout's tools, from one document that a person writes, and nothing has been made yet. What the app declares is in that document all the same, and in what its plugins put in.",
        shows: "Each line has its place in the document, or in the plugin that adds it.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "What is missing or wrong, judged on the manifest and the property list as the tools would make them.",
        shows: "The lines that mend it are those of the document: generated files are never written.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "One link is named in elvask.toml with what it must open.",
        shows: "The app has no scheme yet.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now all that can be mended is mended, in the document. Comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for what only the owner can say, and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0. The tools make the platform folders of the document when the app is built.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "And the link.",
        shows: "It opens the app on both platforms.",
    },
];

/// What the owner of the app for Android alone would say.
const GIVEN_GRADLE: [&str; 1] = ["--answer=example.knot:banner.app_id=knot-48210077"];

/// The walk over the app for Android alone.
const STEPS_GRADLE: [Step; 6] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Marram for Android only: Kotlin scripts, a version catalog, two flavors, and three libraries that the catalog names. What they require is in sheets of the app's own, under elvask/sheets.",
        shows: "What the build states is shown beside what the manifest declares.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "What is missing or wrong, judged on the release variant of each flavor.",
        shows: "A Gradle plugin goes into the app's script by the name that the catalog has for it, a repository into the settings.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "One link is named in elvask.toml with what it must open.",
        shows: "No activity takes it yet.",
    },
    Step {
        words: &["fill"],
        given: true,
        told: "Now all that can be mended is mended, in the scripts and in the manifest. Comments, order and indentation stay.",
        shows: "On a terminal, `elvask fill` asks for what only the owner can say, and shows the diff before it writes.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "And the check again.",
        shows: "The exit code is 0, and the last line says what was looked at: there is no iOS side.",
    },
    Step {
        words: &["link", "test"],
        given: false,
        told: "And the link.",
        shows: "It opens the app, whichever flavor is installed.",
    },
];

/// The walk over the app for iOS alone.
const STEPS_XCODE: [Step; 4] = [
    Step {
        words: &["survey"],
        given: false,
        told: "Marram for iOS only: it pushes, takes payments and sells a season of the log. First, what it declares.",
        shows: "Entitlements are those of the configuration that ships.",
    },
    Step {
        words: &["check"],
        given: false,
        told: "What the app's own files say is wrong.",
        shows: "All of it may be right, and push and payments still fail: what is registered in the account, and the profile that signs, must agree.",
    },
    Step {
        words: &["account", "check"],
        given: false,
        told: "elvask/account.toml says what is registered, and where the profile and the certificate are. Does the app agree with them?",
        shows: "An id with another capital, a profile that lacks an entitlement, a merchant that is another one, a product that the store does not have, and a release without what the debug build has: each is found days later otherwise, as a push that never comes or a payment sheet that stays empty.",
    },
    Step {
        words: &["account", "draft", "--dry-run"],
        given: false,
        told: "For an app without such a file, this is what its account would have to say.",
        shows: "Compared with the account, line by line, it becomes elvask/account.toml.",
    },
];

impl DemoLayout {
    /// Returns what else there is to try.
    fn more(self) -> &'static str {
        match self {
            DemoLayout::Npm | DemoLayout::Pubspec => {
                "  elvask why bluetooth\n  elvask link try https://marram.example/site/42 --site site\n  elvask sheet show curlew_dictation   (it has no sheet: its own files tell)\n"
            }
            DemoLayout::Gradle => {
                "  elvask survey --variants\n  elvask why camera\n  elvask withdraw scheme marram --dry-run\n"
            }
            DemoLayout::Xcode => {
                "  elvask account check --configuration Debug\n  elvask account check --release\n  elvask explain entitlement-not-in-profile\n"
            }
            DemoLayout::Widget | DemoLayout::Appjson => {
                "  elvask why camera\n  elvask declare bluetooth --purpose bluetooth=\"Reads the scale.\"\n  elvask withdraw scheme marram --dry-run\n"
            }
        }
    }

    /// Returns what comes before a release of the app, and what its owner would say.
    fn release_walk(self) -> Result<(&'static [Step], &'static [&'static str]), Failure> {
        match self {
            DemoLayout::Npm | DemoLayout::Pubspec => Ok((&STEPS_RELEASE, &GIVEN)),
            _ => {
                let failure = Failure::new("--release: this sample app is not walked to its release");
                Err(failure.hint("`elvask demo --release` and `elvask demo --release --layout pubspec` are"))
            }
        }
    }

    /// Returns the walk over the app, and what its owner would say.
    fn walk(self) -> (&'static [Step], &'static [&'static str]) {
        match self {
            DemoLayout::Npm | DemoLayout::Pubspec => (&STEPS, &GIVEN),
            DemoLayout::Gradle => (&STEPS_GRADLE, &GIVEN_GRADLE),
            DemoLayout::Xcode => (&STEPS_XCODE, &[]),
            DemoLayout::Widget | DemoLayout::Appjson => (&STEPS_SMALL, &GIVEN_SMALL),
        }
    }
}

fn announce((at, of): (usize, usize), step: &Step, given: &[&str], folder: &Path, output: &Output) {
    let number = format!("{} of {of}", at + 1);
    let told = wrap(&format!("{number}: {}", step.told), width().min(100), 0);
    let told = told.replacen(&number, &paint(HEADING, &number), 1);
    let words: Vec<String> = words_in(step, folder).iter().map(|word| typed(Path::new(word))).collect();
    let mut command = format!("elvask {} {}", words.join(" "), typed(folder));
    if step.given {
        for given in given {
            let (option, value) = given.split_once('=').unwrap_or((given, ""));
            let (name, text) = value.split_once('=').unwrap_or((value, ""));
            let value = if text.contains(' ') { format!("{name}=\"{text}\"") } else { value.to_owned() };
            command.push_str(&format!(" \\\n      {option} {value}"));
        }
    }
    output.result(&format!("{told}\n  {}\n\n", paint(NOTE, &format!("$ {command}"))));
}

/// Returns the words of a step; a file of the app is named by its folder.
fn words_in(step: &Step, folder: &Path) -> Vec<OsString> {
    let word = |word: &&str| if word.starts_with("elvask/") { folder.join(word).into() } else { word.into() };
    step.words.iter().map(word).collect()
}

/// Runs one command on the app, as a person would.
fn perform(
    program: &Path,
    step: &Step,
    given: &[&str],
    folder: &Path,
    all: &Options,
    human: bool,
    output: &Output,
) -> Result<StepRecord, Failure> {
    let mut command = Command::new(program);
    command.args(words_in(step, folder)).arg(folder);
    if step.given {
        // There is nobody to ask: the values are given.
        command.args(given).arg("--yes");
    }
    if all.voice.quiet {
        command.arg("--quiet");
    }
    if human {
        command.args(["--color", output.color_word()]);
    } else {
        command.args(["--format", "json"]);
    }
    let failed = |error| Failure::new(format!("{} cannot be run: {error}", program.display()));
    let words = |command: &Command| {
        let mut words = vec!["elvask".to_owned()];
        words.extend(command.get_args().map(|word| word.to_string_lossy().into_owned()));
        words
    };
    if human {
        let status = command.status().map_err(failed)?;
        let output = serde_json::Value::Null;
        return Ok(StepRecord { command: words(&command), exit: status.code().unwrap_or(2), output });
    }
    let ran = command.output().map_err(failed)?;
    let read = serde_json::from_slice(&ran.stdout).unwrap_or_default();
    Ok(StepRecord { command: words(&command), exit: ran.status.code().unwrap_or(2), output: read })
}

/// Unpacks one of the apps and returns its folder.
fn unpack(options: &Demo) -> Result<PathBuf, Failure> {
    let folder = match &options.into {
        Some(folder) => folder.clone(),
        None => fresh_folder()?,
    };
    let failed = |path: &Path, error: std::io::Error| Failure::new(format!("{}: {error}", path.display()));
    fs::create_dir_all(&folder).map_err(|error| failed(&folder, error))?;
    let folder = fs::canonicalize(&folder).map_err(|error| failed(&folder, error))?;
    let mut inside = fs::read_dir(&folder).map_err(|error| failed(&folder, error))?;
    if inside.next().is_some() {
        let failure = Failure::new(format!("{}: the folder is not empty; nothing is unpacked", folder.display()));
        return Err(failure.hint("name a folder that is empty or not there yet"));
    }
    for (name, bytes) in contents(options.layout) {
        let path = folder.join(&name);
        if let Some(parent) = path.parent() {
            fs::create_dir_all(parent).map_err(|error| failed(parent, error))?;
        }
        fs::write(&path, bytes).map_err(|error| failed(&path, error))?;
    }
    Ok(folder)
}

fn fresh_folder() -> Result<PathBuf, Failure> {
    let base = std::env::temp_dir();
    for number in 0..1000 {
        let folder = base.join(format!("elvask-demo-{}-{number}", std::process::id()));
        match fs::create_dir(&folder) {
            Ok(()) => return Ok(folder),
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(Failure::new(format!("{}: {error}", folder.display()))),
        }
    }
    Err(Failure::new(format!("{}: no new folder can be made", base.display())))
}

/// Returns the files of an app. What the packages have in common in both layouts is stored once, under `plugins/`.
fn contents(layout: DemoLayout) -> Vec<(String, &'static [u8])> {
    let (own, marker) = match layout {
        DemoLayout::Npm => ("npm/", "package.json"),
        DemoLayout::Pubspec => ("pubspec/", "pubspec.yaml"),
        // The smaller ones hold their packages whole.
        DemoLayout::Widget => ("widget/", ""),
        DemoLayout::Appjson => ("appjson/", ""),
        DemoLayout::Gradle => ("gradle/", ""),
        DemoLayout::Xcode => ("xcode/", ""),
    };
    let mut files = Vec::new();
    for (name, bytes) in FILES {
        // The website is the same whatever the app is made with.
        if name.starts_with("site/") && !marker.is_empty() {
            files.push(((*name).to_owned(), *bytes));
        }
        let Some(name) = name.strip_prefix(own) else { continue };
        // Git would heed a file of that name here in the project, and leave the packages out.
        files.push((name.replace("dot-gitignore", ".gitignore"), *bytes));
        let package = name.strip_suffix(marker).filter(|package| !package.is_empty() && !marker.is_empty());
        let Some(package) = package else { continue };
        let folder = package.trim_end_matches('/').rsplit('/').next().unwrap_or_default();
        let plugin = folder.split('-').next().unwrap_or(folder);
        let shared = format!("plugins/{plugin}/");
        files.extend(
            FILES
                .iter()
                .filter_map(|(name, bytes)| Some((format!("{package}{}", name.strip_prefix(&shared)?), *bytes))),
        );
    }
    files
}
