//! The build files of a package: the lowest levels that it runs on, and which manifest its build takes.

use std::collections::HashMap;
use std::path::{Component, Path, PathBuf};

use elvask_platform::{Strength, Version};
use regex_lite::Regex;

use super::Learned;
use super::gather::Found;
use super::shown::Shown;
use crate::pattern::{Pattern, first_in_lines};
use crate::requirement::{Citation, EvidenceKind, MIN_LEVEL, MIN_VERSION, Need, When};

/// The most statements of a lowest level that are looked at in one script: each may go through all of it. Packages write a handful.
const MAX_STATEMENTS: usize = 64;

/// The deepest chain of names that is followed.
const MAX_STEPS: usize = 12;

static LOWEST_LEVEL: Pattern = Pattern::new(
    r"(?m)(?:^|[{;\s])(?:minSdkVersion|minSdk)\b[ \t]*(?:=[ \t]*|\([ \t]*|[ \t])([^:\s][^\n]*)$",
    &["minSdk"],
);
static NAMESPACE: Pattern = Pattern::new(r#"(?m)^[ \t]*namespace[ \t=(]*["']([A-Za-z0-9_.]+)["']"#, &["namespace"]);
static MANIFEST: Pattern =
    Pattern::new(r#"manifest\.srcFile[ \t=(]*(?:file\()?["']([^"'$]+)["']"#, &["manifest.srcFile"]);
static MODULE: Pattern = Pattern::new(r#"(?m)^[^/\n]*\bproject\([^)'"\n]*['"]:([^'"\n]+)['"]"#, &["project("]);
static ARTIFACT: Pattern = Pattern::new(
    r#"\b(?:implementation|api)[ \t(]+(?:platform\()?['"]([\w.-]+:[\w.-]+)[:'"]"#,
    &["implementation", "api"],
);
static POD_VERSION: [Pattern; 3] = [
    Pattern::new(r"(?m)^[^#\n]*\.ios\.deployment_target[ \t]*=[ \t]*([^\n#]+)", &[".ios.deployment_target"]),
    Pattern::new(
        r"(?m)^[^#\n]*\.platforms?[ \t]*=[^\n#]*?(?:ios:|:ios[ \t]*=>|:ios[ \t]*,)[ \t]*([^\n#,}]+)",
        &[".platform"],
    ),
    Pattern::new(r"(?m)^[ \t]*(?:ios:|:ios[ \t]*=>)[ \t]*([^\n#,}]+)", &["ios:", ":ios"]),
];
static SWIFT_VERSION: Pattern = Pattern::new(r#"\.iOS\([ \t]*(?:\.v([0-9_]+)|"([0-9.]+)")"#, &[".iOS("]);

fn cited(text: &str, shown: &str, at: usize) -> Citation {
    Citation::in_text(EvidenceKind::Build, shown, text, at)
}

fn learned(name: &str, need: Need, strength: Strength, citation: Citation) -> Learned {
    let (one_of, when, citations) = (None, When::default(), vec![citation.into()]);
    Learned { name: name.to_owned(), need, strength, one_of, when, brought: false, shown: Shown::default(), citations }
}

/// A level that a script states.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Stated {
    level: u32,
    /// Whether the app may put another one in its place.
    replaceable: bool,
}

/// What the scripts of a package refer to outside of themselves.
#[derive(Debug, Default)]
pub(super) struct Around<'t> {
    /// The texts of its `gradle.properties`.
    pub(super) properties: Vec<&'t str>,
    /// Its `package.json`.
    pub(super) package_json: Option<serde_json::Value>,
}

/// Reads the lowest level in a Gradle script.
pub(super) fn read_gradle(text: &str, shown: &str, around: &Around<'_>, found: &mut Found) {
    let plain = without_comments(text);
    let mut told = false;
    // What is written twice comes to the same both times.
    let mut known: HashMap<&str, Option<Stated>> = HashMap::new();
    for captured in LOWEST_LEVEL.captures_on_lines(&plain).take(MAX_STATEMENTS) {
        let (Some(whole), Some(expression)) = (captured.get(0), captured.get(1)) else { continue };
        let at = whole.start() + whole.as_str().find("minSdk").unwrap_or(0);
        let written = expression.as_str().trim().trim_end_matches([';', '}', ' ']).trim_end();
        let written = if whole.as_str().contains("minSdkVersion(") || whole.as_str().contains("minSdk(") {
            written.strip_suffix(')').unwrap_or(written)
        } else {
            written
        };
        told = true;
        let level = || (Script { text: &plain, around }).level(written, 0);
        match *known.entry(written).or_insert_with(level) {
            Some(stated) => {
                let strength = if stated.replaceable { Strength::Likely } else { Strength::Certain };
                let citation = cited(text, shown, at);
                found.add(learned(MIN_LEVEL, Need::Level(stated.level), strength, citation));
            }
            None => found.limit(format!("{shown}: the lowest level is {written}, which only running the build tells")),
        }
    }
    let builds = plain.contains("com.android.library") || plain.contains("android {");
    let is_module = shown.rsplit('/').next().is_some_and(|name| name.starts_with("build.gradle"));
    if !told && builds && is_module {
        found.limit(format!("{shown}: no lowest level is stated; a Gradle plugin from elsewhere may set one"));
    }
}

/// Replaces comments by space, so that places stay.
fn without_comments(text: &str) -> String {
    let style = super::lexer::Style { single_quotes: true, ..super::lexer::Style::default() };
    let mut plain = String::with_capacity(text.len());
    for comment in super::lexer::stretches(text, style).comments() {
        plain.push_str(text.get(plain.len()..comment.start).unwrap_or_default());
        let comment = text.get(plain.len()..comment.end).unwrap_or_default();
        plain.extend(comment.bytes().map(|byte| if byte == b'\n' { '\n' } else { ' ' }));
    }
    plain.push_str(text.get(plain.len()..).unwrap_or_default());
    plain
}

struct Script<'t> {
    text: &'t str,
    around: &'t Around<'t>,
}

impl Script<'_> {
    /// Works an expression out, as far as that can be done without running the build.
    fn level(&self, expression: &str, steps: usize) -> Option<Stated> {
        if steps > MAX_STEPS {
            return None;
        }
        let text = strip_brackets(expression.trim().trim_end_matches([',', ';']).trim());
        let again = |text: &str| self.level(text, steps + 1);
        let replaceable = |stated: Stated| Stated { replaceable: true, ..stated };
        let number = text.trim_matches(['"', '\'']).parse().ok();
        if let Some(level) = number {
            return Some(Stated { level, replaceable: false });
        }
        for ending in
            [".toInteger()", ".toInt()", ".intValue()", " as Integer", " as int", " as Int", ".toString()", ".get()"]
        {
            if let Some(inner) = text.strip_suffix(ending) {
                return again(inner);
            }
        }
        if let Some((condition, rest)) = split_outside(text, '?').filter(|(_, rest)| !rest.starts_with([':', '.'])) {
            let (one, other) = split_outside(rest, ':')?;
            // What the app's own build may set comes first, and what is left without it is the package's own level.
            let asks = ["has", "contains", "exists", "!= null", "getExt"].iter().any(|word| condition.contains(word));
            if asks {
                return again(other).or_else(|| again(one)).map(replaceable);
            }
            let (one, other) = (again(one)?, again(other)?);
            return Some(replaceable(if one.level < other.level { one } else { other }));
        }
        if let Some((first, fallback)) = text.split_once("?:") {
            return again(fallback).or_else(|| again(first)).map(replaceable);
        }
        if let Some((called, arguments)) = call(text) {
            let arguments: Vec<&str> = split_all(arguments);
            let name = called.rsplit('.').next().unwrap_or(called);
            return match (name, arguments.as_slice()) {
                ("parseInt" | "valueOf" | "Integer", [value]) => again(value),
                ("max", [one, other]) => {
                    let (one, other) = (again(one), again(other));
                    [one, other].into_iter().flatten().max_by_key(|stated| stated.level)
                }
                (_, [_, fallback, ..]) => again(fallback).map(replaceable),
                (_, [key]) => self.property(key).or_else(|| self.entry(key, steps)).map(replaceable),
                _ => None,
            };
        }
        if let Some((owner, key)) = text.strip_suffix(']').and_then(|text| text.split_once('[')) {
            return self
                .in_package_json(owner, &[key])
                .or_else(|| self.property(key))
                .or_else(|| self.entry(key, steps));
        }
        let is_path = text.chars().all(|letter| letter.is_alphanumeric() || matches!(letter, '_' | '.'));
        if text.is_empty() || !is_path {
            return None;
        }
        let mut names: Vec<&str> = text.split('.').collect();
        let last = names.pop()?;
        let owner = names.first().copied().unwrap_or_default();
        let inner: Vec<_> = names.iter().skip(1).copied().chain([last]).collect();
        self.in_package_json(owner, &inner)
            .or_else(|| self.assigned(last, steps))
            .or_else(|| self.entry(last, steps))
            .or_else(|| self.property(last))
    }

    /// Looks a variable up: `def NAME = …`, `ext.NAME = …`, `val NAME = …`.
    fn assigned(&self, name: &str, steps: usize) -> Option<Stated> {
        let found = first_in_lines(name, &["="], self.text, |name| {
            format!(r"^[ \t]*(?:def |val |var |final |int |Integer |ext\.|static )*{name}[ \t]*=[ \t]*([^=].*)$")
        })?;
        self.level(found, steps + 1)
    }

    /// Looks an entry of a map up: `NAME: 21`, `"NAME": 21`, `"NAME" to 21`.
    fn entry(&self, name: &str, steps: usize) -> Option<Stated> {
        let name = name.trim_matches(['"', '\'']);
        if !name.chars().all(|letter| letter.is_alphanumeric() || letter == '_') || name.is_empty() {
            return None;
        }
        let found = first_in_lines(name, &[":", "to"], self.text, |name| {
            format!(r#"["']?\b{name}["']?[ \t]*(?::|to\b)[ \t]*([^,\]]+)"#)
        })?;
        self.level(found, steps + 1)
    }

    /// Looks a key up in `gradle.properties`, where packages put a prefix of their own before it.
    fn property(&self, key: &str) -> Option<Stated> {
        let key = key.trim().trim_matches(['"', '\'']);
        // Text that is put together keeps its last part: "Name_" + name, "Name_${name}".
        let key = key.rsplit(['}', '+', '"', '\'']).find(|part| !part.trim().is_empty())?.trim();
        let lines = self.around.properties.iter().flat_map(|text| text.lines());
        let mut pairs = lines.filter_map(|line| line.split_once('=')).map(|(name, value)| (name.trim(), value.trim()));
        let fits =
            |name: &str| name == key || name.strip_suffix(key).is_some_and(|prefix| prefix.ends_with(['_', '.']));
        let (_, value) = pairs.find(|(name, _)| fits(name))?;
        Some(Stated { level: value.parse().ok()?, replaceable: false })
    }

    /// Looks a path up in `package.json`, where a variable holds what was read of it.
    fn in_package_json(&self, owner: &str, path: &[&str]) -> Option<Stated> {
        let owner = owner.trim();
        let json = self.around.package_json.as_ref()?;
        if owner.is_empty() {
            return None;
        }
        first_in_lines(owner, &["JsonSlurper", "package.json"], self.text, |owner| {
            format!(r"(\b{owner})[ \t]*=.*(?:JsonSlurper|package\.json)")
        })?;
        let mut value = json;
        for step in path.iter().flat_map(|step| step.split(['[', ']'])) {
            let step = step.trim().trim_matches(['"', '\'']);
            if !step.is_empty() {
                value = value.get(step)?;
            }
        }
        let level = value.as_u64().map(|level| level.to_string()).or_else(|| value.as_str().map(str::to_owned))?;
        Some(Stated { level: level.parse().ok()?, replaceable: false })
    }
}

fn strip_brackets(text: &str) -> &str {
    let inner = text.strip_prefix('(').and_then(|text| text.strip_suffix(')'));
    match inner {
        Some(inner) if depth_never_ends(inner) => inner.trim(),
        _ => text,
    }
}

/// Says whether no bracket closes that was not opened inside.
fn depth_never_ends(text: &str) -> bool {
    let mut depth = 0;
    text.chars().all(|letter| {
        depth += match letter {
            '(' => 1,
            ')' => -1,
            _ => 0,
        };
        depth >= 0
    })
}

/// Splits at the first such sign outside of brackets and quotes.
fn split_outside(text: &str, sign: char) -> Option<(&str, &str)> {
    let (mut depth, mut quoted) = (0, None);
    for (at, letter) in text.char_indices() {
        match (letter, quoted) {
            ('"' | '\'', None) => quoted = Some(letter),
            (letter, Some(open)) if letter == open => quoted = None,
            (_, Some(_)) => {}
            ('(' | '[', None) => depth += 1,
            (')' | ']', None) => depth -= 1,
            (letter, None) if letter == sign && depth == 0 => {
                return Some((text.get(..at)?.trim(), text.get(at + letter.len_utf8()..)?.trim()));
            }
            _ => {}
        }
    }
    None
}

fn split_all(text: &str) -> Vec<&str> {
    let mut out = Vec::new();
    let mut rest = text;
    while let Some((one, others)) = split_outside(rest, ',') {
        out.push(one);
        rest = others;
    }
    out.push(rest.trim());
    out.retain(|part| !part.is_empty());
    out
}

/// Splits a call into its name and its arguments.
fn call(text: &str) -> Option<(&str, &str)> {
    let (name, rest) = text.split_once('(')?;
    let inside = rest.strip_suffix(')').filter(|inside| depth_never_ends(inside))?;
    let plain = !name.is_empty() && name.chars().all(|letter| letter.is_alphanumeric() || matches!(letter, '_' | '.'));
    plain.then_some((name, inside))
}

/// Returns the namespace that a Gradle script states.
pub(super) fn namespace(text: &str) -> Option<String> {
    Some(NAMESPACE.captures_on_lines(text).next()?.get(1)?.as_str().to_owned())
}

/// Returns the manifests that a script names in place of the usual one, in the branch that today's tools take; none where it
/// names none.
pub(super) fn named_manifests(text: &str, folder: &Path) -> Vec<PathBuf> {
    if !text.contains("manifest.srcFile") {
        return Vec::new();
    }
    let plain = without_comments(text);
    let mut all = Vec::new();
    for captured in MANIFEST.captures_iter(&plain) {
        let (Some(whole), Some(path)) = (captured.get(0), captured.get(1)) else { continue };
        let path = Path::new(path.as_str());
        // A path that leads out of the package is not followed.
        if path.components().any(|part| !matches!(part, Component::Normal(_) | Component::CurDir)) {
            continue;
        }
        all.push((folder.join(path), branch(plain.get(..whole.start()).unwrap_or_default())));
    }
    all.iter().filter(|(_, branch)| *branch != Branch::Old).map(|(path, _)| path.clone()).collect()
}

/// In which branch of a script something stands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Branch {
    /// In none, or in that of today's tools.
    Taken,
    /// In that of older tools.
    Old,
}

fn branch(before: &str) -> Branch {
    // The innermost branch that is still open.
    let mut depth = 0;
    for (at, letter) in before.char_indices().rev() {
        match letter {
            '}' => depth += 1,
            '{' if depth > 0 => depth -= 1,
            '{' => {
                let head = before.get(..at).unwrap_or_default().trim_end();
                let line = head.rsplit('\n').next().unwrap_or_default().trim();
                let is_else = line.ends_with("else");
                let condition = if is_else {
                    let opened = head.rfind("if (").or_else(|| head.rfind("if("));
                    opened.and_then(|at| head.get(at..)).and_then(|rest| rest.split('{').next()).unwrap_or_default()
                } else {
                    line
                };
                if !condition.contains("if") {
                    continue;
                }
                let for_old = condition.contains('<') || condition.contains("if (!") || condition.contains("if(!");
                return if for_old != is_else { Branch::Old } else { Branch::Taken };
            }
            _ => {}
        }
    }
    Branch::Taken
}

/// Returns the modules of the same build that a Gradle script depends on: `tern_camera` of `project(':tern_camera')`.
pub(super) fn modules(text: &str) -> Vec<String> {
    if !text.contains("project(") {
        return Vec::new();
    }
    let plain = without_comments(text);
    MODULE.captures_on_lines(&plain).filter_map(|found| Some(found.get(1)?.as_str().to_owned())).collect()
}

/// Returns the artifacts of repositories that a Gradle script depends on, by group and name.
pub(super) fn artifacts(text: &str) -> Vec<String> {
    if !ARTIFACT.may_match(text) {
        return Vec::new();
    }
    let plain = without_comments(text);
    ARTIFACT.captures_on_lines(&plain).filter_map(|found| Some(found.get(1)?.as_str().to_owned())).collect()
}

/// Says whether a source file in Kotlin or Java is part of what ships: not in a source set of tests, or of a build type that
/// is like the one for debugging.
pub(super) fn ships(shown: &str, scripts: &[(&super::walk::PackageFile, String)]) -> bool {
    let mut parts = shown.split('/');
    let set = loop {
        match parts.next() {
            Some("src") => break parts.next(),
            Some(_) => {}
            None => break None,
        }
    };
    let Some(set) = set.filter(|_| parts.next().is_some_and(|next| matches!(next, "java" | "kotlin"))) else {
        return true;
    };
    let lower = set.to_lowercase();
    if matches!(set, "main" | "release") {
        return true;
    }
    if lower.ends_with("debug") || ["debug", "test", "androidtest", "mock"].iter().any(|start| lower.starts_with(start))
    {
        return false;
    }
    let quoted: String = set.chars().filter(|letter| letter.is_alphanumeric() || *letter == '_').collect();
    let like_debug = |name: &str| {
        format!(
            r"\b{name}\b['\x22)]*\s*\{{[^}}]*(?:debuggable\s*=?\s*\(?true|initWith[\s(]*(?:buildTypes\.)?(?:getByName\(.)?debug)"
        )
    };
    let is_like_debug = |text: &str| {
        let may_be = text.contains(&quoted) && (text.contains("debuggable") || text.contains("initWith"));
        may_be && Regex::new(&like_debug(&quoted)).is_ok_and(|form| form.is_match(text))
    };
    !scripts.iter().any(|(_, text)| is_like_debug(text))
}

/// Reads the lowest version of iOS in the description of a pod.
pub(super) fn read_podspec(text: &str, shown: &str, found: &mut Found) {
    for form in &POD_VERSION {
        let Some(captured) = form.captures_on_lines(text).next() else { continue };
        let (Some(whole), Some(written)) = (captured.get(0), captured.get(1)) else { continue };
        let at = whole.start() + whole.as_str().len() - whole.as_str().trim_start().len();
        let written = written.as_str().trim().trim_end_matches([';', '}']).trim();
        let value = version_of(written).or_else(|| {
            let named = written.chars().all(|letter| letter.is_alphanumeric() || letter == '_');
            let assigned = named.then(|| {
                first_in_lines(written, &["="], text, |written| format!(r"^[ \t]*{written}[ \t]*=[ \t]*([^#]+)"))
            });
            version_of(assigned.flatten()?.trim())
        });
        match value {
            Some(version) => {
                let citation = cited(text, shown, at);
                found.add(learned(MIN_VERSION, Need::MinVersion(version), Strength::Certain, citation));
            }
            None => {
                found.limit(format!("{shown}: the lowest version of iOS is {written}, which only running it tells"));
            }
        }
        return;
    }
}

fn version_of(written: &str) -> Option<Version> {
    let plain = written.trim().trim_matches(['"', '\'']);
    plain.starts_with(|first: char| first.is_ascii_digit()).then(|| Version::parse(plain)).flatten()
}

/// Reads the lowest version of iOS in `Package.swift`.
pub(super) fn read_swift_package(text: &str, shown: &str, found: &mut Found) {
    let Some(captured) = SWIFT_VERSION.captures_on_lines(text).next() else {
        return;
    };
    let Some(whole) = captured.get(0) else { return };
    let before = text.get(..whole.start()).unwrap_or_default();
    if before.rsplit('\n').next().is_some_and(|line| line.trim_start().starts_with("//")) {
        return;
    }
    let written = captured
        .get(1)
        .map(|name| name.as_str().replace('_', "."))
        .or_else(|| Some(captured.get(2)?.as_str().to_owned()));
    if let Some(version) = written.and_then(|written| Version::parse(&written)) {
        let citation = cited(text, shown, whole.start());
        found.add(learned(MIN_VERSION, Need::MinVersion(version), Strength::Certain, citation));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn level(script: &str, properties: &str, json: &str) -> Vec<(u32, Strength)> {
        let mut found = Found::default();
        let around = Around { properties: vec![properties], package_json: serde_json::from_str(json).ok() };
        read_gradle(script, "android/build.gradle", &around, &mut found);
        let evidence = super::super::gather::finish(found);
        let of = |learned: &Learned| match learned.need {
            Need::Level(level) => Some((level, learned.strength)),
            _ => None,
        };
        evidence.requirements.iter().filter_map(of).collect()
    }

    #[test]
    fn levels_are_found_in_the_forms_that_packages_write() {
        use Strength::{Certain, Likely};
        let check = |script: &str, properties: &str, json: &str, wanted: (u32, Strength)| {
            assert_eq!(level(&format!("android {{\n{script}\n}}\n"), properties, json), [wanted], "{script}");
        };
        check("minSdkVersion 21", "", "", (21, Certain));
        check("minSdk = 24", "", "", (24, Certain));
        check("minSdkVersion(23)", "", "", (23, Certain));
        check("minSdkVersion safeExtGet('minSdkVersion', 22)", "", "", (22, Likely));
        check(
            "minSdkVersion rootProject.ext.has('minSdkVersion') ? rootProject.ext.minSdkVersion : 19",
            "",
            "",
            (19, Likely),
        );
        check(
            "minSdkVersion getExtOrIntegerDefault(\"minSdkVersion\")",
            "TernCamera_minSdkVersion=26\n",
            "",
            (26, Likely),
        );
        check(
            "minSdkVersion project.properties['TernCamera_minSdkVersion'].toInteger()",
            "TernCamera_minSdkVersion=25",
            "",
            (25, Certain),
        );
        check("minSdkVersion DEFAULT_MIN\n}\next {\ndef DEFAULT_MIN = 23", "", "", (23, Certain));
        check(
            "minSdkVersion versions.minSdk\n}\ndef versions = [minSdk: 24, compile: 34]\nif (true) {",
            "",
            "",
            (24, Certain),
        );
        check(
            "minSdkVersion packageJson.native.minSdk\n}\ndef packageJson = new groovy.json.JsonSlurper().parse(file('../package.json'))\nif (true) {",
            "",
            r#"{ "native": { "minSdk": 27 } }"#,
            (27, Certain),
        );
        check("minSdkVersion isNewArchitectureEnabled() ? 24 : 21", "", "", (21, Likely));
        check("// minSdkVersion 16\nminSdkVersion 29", "", "", (29, Certain));
        assert_eq!(level("android { minSdkVersion computed.level.now() }", "", ""), []);
    }

    #[test]
    fn a_script_of_thousands_of_statements_is_read_as_far_as_people_write() {
        // Each looks for a name in all of the script, which is another one each time.
        let lines: String = (0..2_000).map(|at| format!("minSdk name{at}\n")).collect();
        let mut found = Found::default();
        read_gradle(
            &format!("android {{\nminSdk 21\n{lines}}}\n"),
            "android/build.gradle",
            &Around::default(),
            &mut found,
        );
        let evidence = super::super::gather::finish(found);
        assert_eq!(evidence.requirements.len(), 1);
        assert!(evidence.limits.len() <= MAX_STATEMENTS, "{}", evidence.limits.len());
    }

    #[test]
    fn versions_are_found_in_pods_and_packages() {
        let version = |text: &str, swift: bool| {
            let mut found = Found::default();
            if swift {
                read_swift_package(text, "p", &mut found);
            } else {
                read_podspec(text, "p", &mut found);
            }
            let evidence = super::super::gather::finish(found);
            evidence
                .requirements
                .first()
                .and_then(|learned| learned.need.value())
                .or_else(|| evidence.limits.first().cloned())
        };
        let pod = |text: &str| version(text, false).unwrap_or_default();
        assert_eq!(pod("  s.platform     = :ios, '13.0'\n"), "13.0");
        assert_eq!(pod("  s.platforms = { :ios => \"13.4\", :osx => '10.14' }\n"), "13.4");
        assert_eq!(pod("  s.platforms = { ios: '15.1' }\n"), "15.1");
        assert_eq!(pod("  spec.ios.deployment_target = '12.0'\n"), "12.0");
        assert_eq!(pod("min = '14.0'\n s.platforms = { :ios => min }\n"), "14.0");
        assert!(pod("  s.platforms = { :ios => min_ios_version_supported }\n").contains("only running it tells"));
        assert_eq!(version("platforms: [.iOS(.v15), .macOS(.v12)]", true).unwrap(), "15.0");
        assert_eq!(version("platforms: [.iOS(\"16.4\")]", true).unwrap(), "16.4");
    }

    #[test]
    fn the_manifest_that_todays_tools_take_is_known() {
        let folder = Path::new("/p/android");
        let named = |text: &str| {
            let paths = named_manifests(text, folder).into_iter();
            paths.map(|path| path.strip_prefix("/p/android").unwrap().display().to_string()).collect::<Vec<_>>()
        };
        assert_eq!(
            named(
                "if (agpVersion >= 8) {\n  sourceSets { main { manifest.srcFile 'src/main/AndroidManifestNew.xml' } }\n}"
            ),
            ["src/main/AndroidManifestNew.xml"]
        );
        let both = "if (agp < 8) {\n  manifest.srcFile 'old/AndroidManifest.xml'\n} else {\n  manifest.srcFile \"new/AndroidManifest.xml\"\n}";
        assert_eq!(named(both), ["new/AndroidManifest.xml"]);
        assert!(named("manifest.srcFile '../../outside.xml'").is_empty());
        assert!(named("apply plugin: 'com.android.library'").is_empty());
    }
}
