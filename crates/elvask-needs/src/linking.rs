//! What the app's own build files say of its packages: which of them are linked, which parts are taken, and which one is the
//! runtime.

use std::path::{Path, PathBuf};

use elvask_platform::Platform;
use elvask_project::files::{FileKind, Files, shown};
use elvask_project::source::read_text;

use crate::evidence::pods::{statement_end, texts, without_comments};
use crate::pattern::Pattern;

/// The largest build file that is read, in bytes.
const MAX_FILE: usize = 1024 * 1024;

/// A pod that the app's Podfile names.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Pod {
    name: String,
    /// The parts behind the name and under `subspecs`.
    parts: Vec<String>,
    /// Whether it is for development builds alone.
    for_development: bool,
}

/// What the app's own build files say.
#[derive(Debug, Clone, Default)]
pub struct Linking {
    pods: Vec<Pod>,
    /// Words in the lists that the Podfile hands to functions: `['Camera', 'Contacts']`.
    chosen: Vec<String>,
    /// The packages whose scripts are loaded, each with the file that does so.
    loads: Vec<(String, String)>,
    /// What is switched off for a platform, with the file that does so.
    off: Vec<(String, Platform, String)>,
    /// Modules of the Gradle build that only the debug build takes.
    debug_modules: Vec<String>,
    /// The text of the Podfile, in which compile conditions may be set.
    podfile: String,
    /// The name of the Podfile, from the app.
    podfile_shown: String,
}

static POD: Pattern = Pattern::new(r#"(?m)^[ \t]*pod[ \t(]+['"]([^'"\n]+)['"]"#, &["pod"]);
static LOADED: Pattern = Pattern::new(
    r#"node_modules/((?:@[\w.-]+/)?[\w.-]+)/|(?:resolve|require)\w*[\s(]*['"]((?:@[\w.-]+/)?[\w.-]+)/"#,
    &["node_modules/", "resolve", "require"],
);
static DEBUG_MODULE: Pattern = Pattern::new(
    r#"(?m)^[ \t]*debug(?:Implementation|Api)[^\n]*project\([^'"\n]*['"]:([^'"\n]+)['"]"#,
    &["debugImplementation", "debugApi"],
);
static LIST: Pattern = Pattern::new(r"\w+[ \t]*\(?[ \t]*\[([^\]]*)\]", &["["]);

/// Reads the build files of the app at `root`.
pub fn read(files: &dyn Files, root: &Path) -> Linking {
    let mut linking = Linking::default();
    for folder in ["ios", "ios/App", "", "platforms/ios"] {
        let path = if folder.is_empty() { root.join("Podfile") } else { root.join(folder).join("Podfile") };
        if let Some(text) = text_of(files, &path) {
            linking.podfile(&text, &shown(&path, root));
            break;
        }
    }
    for folder in [root.to_owned(), root.join("android"), root.join("android/app"), root.join("app")] {
        for path in scripts_in(files, &folder) {
            if let Some(text) = text_of(files, &path) {
                linking.gradle(&text, &shown(&path, root));
            }
        }
    }
    for (name, kind) in files.list(root) {
        let stem = name.rsplit_once('.').map_or("", |(stem, _)| stem);
        let script = ["js", "cjs", "mjs", "ts"].iter().any(|ending| name.ends_with(&format!(".{ending}")));
        if kind == FileKind::File && script && stem.ends_with(".config") {
            let path = root.join(&name);
            if let Some(text) = text_of(files, &path) {
                linking.linker(&text, &name);
            }
        }
    }
    linking
}

fn text_of(files: &dyn Files, path: &Path) -> Option<String> {
    if !files.is_file(path) {
        return None;
    }
    read_text(files, path).ok().filter(|text| text.len() <= MAX_FILE)
}

fn scripts_in(files: &dyn Files, folder: &Path) -> Vec<PathBuf> {
    let gradle = |name: &str| name.ends_with(".gradle") || name.ends_with(".gradle.kts");
    let found = files.list(folder).into_iter().filter(|(name, kind)| *kind == FileKind::File && gradle(name));
    found.map(|(name, _)| folder.join(name)).collect()
}

impl Linking {
    fn podfile(&mut self, text: &str, shown: &str) {
        let plain = without_comments(text);
        for found in POD.captures_iter(&plain) {
            let (Some(whole), Some(name)) = (found.get(0), found.get(1)) else { continue };
            let rest = plain.get(whole.end()..statement_end(&plain, whole.end())).unwrap_or_default();
            let (pod, part) =
                name.as_str().split_once('/').map_or((name.as_str(), None), |(pod, part)| (pod, Some(part)));
            let mut parts: Vec<String> = part.map(str::to_owned).into_iter().collect();
            if let Some((_, list)) = rest.split_once("subspecs") {
                parts.extend(texts(list.split(']').next().unwrap_or_default()));
            }
            let configurations = rest.split_once("configuration").map(|(_, list)| list);
            let for_development =
                configurations.is_some_and(|list| list.contains("Debug") && !list.contains("Release"));
            self.pods.push(Pod { name: pod.to_owned(), parts, for_development });
        }
        for found in LIST.captures_iter(&plain) {
            self.chosen.extend(texts(found.get(1).map_or("", |list| list.as_str())));
        }
        self.load(&plain, shown);
        self.podfile = plain;
        self.podfile_shown = shown.to_owned();
    }

    fn gradle(&mut self, text: &str, shown: &str) {
        let lines = text.lines().filter(|line| !line.trim_start().starts_with("//"));
        let plain: String = lines.collect::<Vec<_>>().join("\n");
        self.debug_modules
            .extend(DEBUG_MODULE.captures_iter(&plain).filter_map(|found| Some(found.get(1)?.as_str().to_owned())));
        self.load(&plain, shown);
    }

    /// Notes the packages whose scripts a build file loads. A line that merely says where a package lies loads nothing.
    fn load(&mut self, plain: &str, shown: &str) {
        let places = |line: &&str| {
            let start = line.trim_start();
            ["pod ", "pod(", "include ", "include("].iter().any(|word| start.starts_with(word))
                || line.contains("projectDir")
        };
        let lines: Vec<_> = plain.lines().filter(|line| !places(line)).collect();
        for found in LOADED.captures_iter(&lines.join("\n")) {
            let Some(name) = (1..=2).find_map(|at| found.get(at)) else { continue };
            let name = name.as_str().to_owned();
            if !self.loads.iter().any(|(known, file)| *known == name && file == shown) {
                self.loads.push((name, shown.to_owned()));
            }
        }
    }

    /// Reads a file of settings that may switch packages off for a platform: `'name': { platforms: { ios: null } }`.
    fn linker(&mut self, text: &str, shown: &str) {
        let Some(at) = text.find("dependencies") else { return };
        let rest = text.get(at..).unwrap_or_default();
        let mut offset = 0;
        while let Some(found) = rest.get(offset..).and_then(|rest| rest.find("platforms")) {
            let here = offset + found;
            offset = here + "platforms".len();
            let before = rest.get(..here).unwrap_or_default().trim_end_matches(|letter: char| letter != '{');
            let Some(head) = before.strip_suffix('{').map(|head| head.trim_end().trim_end_matches(':').trim_end())
            else {
                continue;
            };
            let name = match head.chars().next_back() {
                Some(quote @ ('\'' | '"')) => head.trim_end_matches(quote).rsplit(quote).next().unwrap_or_default(),
                _ => head.rsplit(|letter: char| !letter.is_alphanumeric() && letter != '_').next().unwrap_or_default(),
            };
            let body = rest.get(offset..).unwrap_or_default();
            let body = body.split('}').next().unwrap_or_default();
            for (platform, word) in [(Platform::Ios, "ios"), (Platform::Android, "android")] {
                let value = body.split_once(word).map(|(_, value)| value.trim_start_matches(['\'', '"', ' ', ':']));
                if value.is_some_and(|value| value.starts_with("null") || value.starts_with("false")) {
                    self.off.push((name.to_owned(), platform, shown.to_owned()));
                }
            }
        }
    }

    /// Returns the file that switches a package off for a platform.
    pub fn switched_off(&self, package: &str, platform: Platform) -> Option<&str> {
        let of = |off: &&(String, Platform, String)| off.0 == package && off.1 == platform;
        self.off.iter().find(of).map(|(_, _, file)| file.as_str())
    }

    /// Says whether only the debug build takes a package, by the names of its pods and of its module.
    pub fn is_for_development(&self, package: &str, pods: &[String], platform: Platform) -> bool {
        match platform {
            Platform::Ios => {
                let named: Vec<_> = self.pods.iter().filter(|pod| pods.contains(&pod.name)).collect();
                !named.is_empty() && named.iter().all(|pod| pod.for_development)
            }
            Platform::Android => self.debug_modules.contains(&module_name(package)),
        }
    }

    /// Returns the file that takes a part of a package: by the name of the pod or of its part, or as a word in a list that the
    /// Podfile hands to a function.
    pub(crate) fn takes(&self, pods: &[String], part: &str) -> Option<&str> {
        let last = part.rsplit('/').next().unwrap_or(part);
        let named = self.pods.iter().any(|pod| {
            pod.name == part || pods.contains(&pod.name) && pod.parts.iter().any(|one| one == part || one == last)
        });
        let inner = last.rsplit(['-', '_']).next().unwrap_or(last);
        let chosen = self.chosen.iter().any(|word| word == part || word == last || word == inner);
        (named || chosen).then_some(self.podfile_shown.as_str())
    }

    /// Says whether the Podfile's lists hold a word.
    pub(crate) fn lists(&self, word: &str) -> Option<&str> {
        self.chosen.iter().any(|known| known == word).then_some(self.podfile_shown.as_str())
    }

    /// Returns the file that sets a compile condition, of which some word stands in the Podfile or in `project`, the text of the
    /// Xcode project.
    pub(crate) fn sets(&self, condition: &str, project: Option<(&str, &str)>) -> Option<String> {
        let words = condition.split(|letter: char| !letter.is_alphanumeric() && letter != '_').filter(|word| {
            word.len() > 3 && *word != "defined" && !word.starts_with(|first: char| first.is_ascii_digit())
        });
        let texts = [(self.podfile.as_str(), self.podfile_shown.as_str())].into_iter().chain(project);
        let holds = |text: &str, word: &str| {
            text.match_indices(word).any(|(at, _)| {
                let name = |letter: char| letter.is_alphanumeric() || letter == '_';
                !text.get(..at).is_some_and(|before| before.ends_with(name))
                    && !text.get(at + word.len()..).is_some_and(|after| after.starts_with(name))
            })
        };
        let words: Vec<_> = words.collect();
        texts
            .into_iter()
            .find(|(text, _)| words.iter().any(|word| holds(text, word)))
            .map(|(_, shown)| shown.to_owned())
    }

    /// Returns the files that load scripts of a package.
    pub(crate) fn loads(&self, package: &str) -> impl Iterator<Item = &str> {
        self.loads.iter().filter(move |(name, _)| name == package).map(|(_, file)| file.as_str())
    }
}

/// Returns the name of a package's module in a Gradle build: `@tern/camera` is `tern-camera`, as `_` may stand for the slash.
pub(crate) fn module_name(package: &str) -> String {
    package.trim_start_matches('@').replace('/', "-")
}

#[cfg(test)]
mod tests {
    use super::*;
    use elvask_project::files::Memory;

    fn linking(files: &[(&str, &str)]) -> Linking {
        read(&Memory::app(files.iter().copied()), Path::new("/app"))
    }

    #[test]
    fn a_podfile_takes_parts_and_loads_scripts() {
        let podfile = "require_relative '../node_modules/rail/scripts/pods'\nplatform :ios, '15.1'\nsetup_rings(['Camera', # all\n  'Contacts'])\ntarget 'Marram' do\n  pod 'Stint/Ring', :path => '../node_modules/stint'\n  pod 'Ruff', :subspecs => ['One'], :path => '../node_modules/ruff'\n  pod 'Dev', :configurations => ['Debug']\n  # pod 'Stint/Old'\nend\n";
        let found = linking(&[("ios/Podfile", podfile)]);
        assert_eq!(found.loads("rail").collect::<Vec<_>>(), ["ios/Podfile"]);
        assert_eq!(found.loads("stint").count(), 0, "it only says where that lies");
        assert!(found.takes(&["Stint".to_owned()], "Ring").is_some());
        assert!(found.takes(&["Stint".to_owned()], "Old").is_none());
        assert!(found.takes(&["Ruff".to_owned()], "One").is_some());
        assert!(found.takes(&[], "Rail-Contacts").is_some(), "the list names the last part of it");
        assert!(found.is_for_development("dev", &["Dev".to_owned()], Platform::Ios));
    }

    #[test]
    fn settings_of_the_linker_switch_packages_off() {
        let config = "module.exports = {\n  dependencies: {\n    'tern_camera': { platforms: { ios: null } },\n    stint: {\n      platforms: {\n        android: null,\n      },\n    },\n  },\n};\n";
        let found = linking(&[("linker.config.js", config)]);
        assert_eq!(found.switched_off("tern_camera", Platform::Ios), Some("linker.config.js"));
        assert_eq!(found.switched_off("tern_camera", Platform::Android), None);
        assert!(found.switched_off("stint", Platform::Android).is_some());
    }

    #[test]
    fn gradle_files_load_scripts_in_several_forms() {
        let settings = "pluginManagement { includeBuild(\"../node_modules/@rail/gradle-plugin\") }\ninclude ':stint'\nproject(':stint').projectDir = new File(rootProject.projectDir, '../node_modules/stint/android')\napply from: \"../node_modules/rail/native.gradle\"\n";
        let app = "dependencies {\n  debugImplementation project(':ruff-dev')\n  implementation project(':stint')\n}\n";
        let found = linking(&[("android/settings.gradle", settings), ("android/app/build.gradle", app)]);
        assert_eq!(found.loads("rail").count(), 1);
        assert_eq!(found.loads("stint").count(), 0);
        assert!(found.is_for_development("@ruff/dev", &[], Platform::Android));
    }

    #[test]
    fn conditions_are_set_by_their_words() {
        let found = linking(&[("ios/Podfile", "config.build_settings['DEFS'] << 'RING_CAMERA=1'\n")]);
        assert!(found.sets("RING_CAMERA", None).is_some());
        assert!(found.sets("RING_CONTACTS", None).is_none());
        assert!(found.sets("defined(RING_SOUND)", Some(("A = RING_SOUND;", "p"))).is_some());
    }
}
