//! Lines of build files, keep rules and pod files.

use elvask_markup::Span;
use elvask_platform::List;
use elvask_platform::Version;

use super::{Piece, placeholder};
use crate::pattern::{Found, Pattern};
use crate::requirement::{
    COMPILE_LEVEL, GradleFile, GradleLine, KEEP_DIRECTIVES, MIN_LEVEL, MIN_VERSION, Need, TARGET_LEVEL,
};

/// Reads the lines of a build file.
pub(super) fn pieces(text: &str) -> Vec<Piece> {
    let mut out = Vec::new();
    let mut start = 0;
    let mut comment: Option<String> = None;
    let mut blocks: Vec<String> = Vec::new();
    let mut left = Vec::new();
    for line in text.split_inclusive('\n') {
        let at = start + line.len() - line.trim_start().len();
        start += line.len();
        let content = line.trim();
        if content.is_empty() {
            comment = None;
            continue;
        }
        if let Some(said) = content.strip_prefix("//").or_else(|| content.strip_prefix('#')) {
            comment = Some(said.trim().to_owned());
            continue;
        }
        let (content, behind) = match content.split_once(" //") {
            Some((content, behind)) => (content.trim(), Some(behind.trim().to_owned())),
            None => (content, None),
        };
        let span = Span::new(at, at + content.len());
        let found = of_line(content, &blocks, span);
        // Brackets and blocks hold what is placed; another line is left, and said to be.
        let usual = List::GradlePluginUsual.words().any(|id| content.contains(id));
        if found.is_empty() && !usual && !content.ends_with(['{', '}']) && !content.starts_with(['}', ')', '.']) {
            left.push(Piece::unknown("this line of a build file is none of those that are placed", span));
        }
        for mut piece in found {
            piece.comment = behind.clone().or_else(|| comment.clone());
            out.push(piece);
        }
        for letter in content.chars() {
            match letter {
                '{' => blocks.push(content.split(['{', '(', ' ']).next().unwrap_or_default().to_owned()),
                '}' => {
                    blocks.pop();
                }
                _ => {}
            }
        }
    }
    // Where nothing is placed it is not a build file.
    if !out.is_empty() {
        out.extend(left);
        out.sort_by_key(|piece| piece.span.start);
    }
    out
}

// The forms of lines.
static LEVEL: Pattern = Pattern::new(
    r"^(minSdkVersion|minSdk|compileSdkVersion|compileSdk|targetSdkVersion|targetSdk)\b[ =(]*([0-9]{2})\b",
    &["Sdk"],
);
static PROPERTY: Pattern =
    Pattern::new(r"^(?:ext\.)?(minSdkVersion|compileSdkVersion|targetSdkVersion) *= *([0-9]{2})\b", &["SdkVersion"]);
static COORDINATE: Pattern = Pattern::new(
    r#"^(implementation|api|compileOnly|runtimeOnly|coreLibraryDesugaring|annotationProcessor|kapt|ksp|debugImplementation|classpath|compile)[ (]+(?:platform\()? *["']([A-Za-z0-9_.-]+):([A-Za-z0-9_.-]+)(?::([^"']+))?["']"#,
    &[":"],
);
static PLATFORM: Pattern = Pattern::new(r#"^platform +:ios *, *["']([0-9.]+)["']"#, &["platform"]);
static TARGET: Pattern = Pattern::new(r"^IPHONEOS_DEPLOYMENT_TARGET *= *([0-9.]+)", &["IPHONEOS_DEPLOYMENT_TARGET"]);
static APPLY: Pattern = Pattern::new(r#"^apply[ (]+plugin *[:=] *["']([A-Za-z0-9_.-]+)["']"#, &["apply"]);
static ID: Pattern =
    Pattern::new(r#"^id *\(? *["']([A-Za-z0-9_.-]+)["'] *\)?(?: +version +["']([^"']+)["'])?"#, &["id"]);
static ADDRESS: Pattern = Pattern::new(r#"(?:url|uri|maven)\b[ =({:]*(?:uri\()?["'](https?://[^"']+)["']"#, &["://"]);

// In one piece: one branch for each form of a line, of which the first that fits counts.
fn of_line(line: &str, blocks: &[String], span: Span) -> Vec<Piece> {
    let inside = |name: &str| blocks.iter().any(|block| block == name) || line.starts_with(&format!("{name} {{"));
    let get =
        |captured: &Found<'_>, at: usize| captured.get(at).map(|text| text.as_str().to_owned()).unwrap_or_default();
    let gradle = |name: String, file, line| vec![Piece::new(name, Need::Gradle { file, line }, span)];
    let first = line.split([' ', ',']).next().unwrap_or_default();
    if KEEP_DIRECTIVES.contains(&first) || List::KeepOtherWord.has(first) {
        // A rule may open a block; what it holds belongs to it, and the first line alone is taken where it is whole.
        let rule = line.trim_end_matches('{').trim();
        let whole = line.matches('{').count() == line.matches('}').count();
        if whole && placeholder(rule).is_none() || line.contains("{ *; }") {
            return gradle(line.to_owned(), GradleFile::App, GradleLine::KeepRule);
        }
        return Vec::new();
    }
    if let Some(captured) = LEVEL.captures(line) {
        let name = match get(&captured, 1).as_str() {
            "minSdkVersion" | "minSdk" => MIN_LEVEL,
            "compileSdkVersion" | "compileSdk" => COMPILE_LEVEL,
            _ => TARGET_LEVEL,
        };
        return get(&captured, 2)
            .parse()
            .map(|level| vec![Piece::new(name, Need::Level(level), span)])
            .unwrap_or_default();
    }
    if let Some(captured) = PROPERTY.captures(line) {
        let name = match get(&captured, 1).as_str() {
            "minSdkVersion" => MIN_LEVEL,
            "compileSdkVersion" => COMPILE_LEVEL,
            _ => TARGET_LEVEL,
        };
        return get(&captured, 2)
            .parse()
            .map(|level| vec![Piece::new(name, Need::Level(level), span)])
            .unwrap_or_default();
    }
    if let Some(captured) = PLATFORM.captures(line).or_else(|| TARGET.captures(line)) {
        let version = Version::parse(&get(&captured, 1));
        return version
            .map(|version| vec![Piece::new(MIN_VERSION, Need::MinVersion(version), span)])
            .unwrap_or_default();
    }
    if let Some(captured) = APPLY.captures(line) {
        let id = get(&captured, 1);
        return if List::GradlePluginUsual.has(&id) {
            Vec::new()
        } else {
            gradle(id, GradleFile::App, GradleLine::Plugin { version: None })
        };
    }
    if let Some(captured) = ID.captures(line) {
        let id = get(&captured, 1);
        if List::GradlePluginUsual.has(&id) {
            return Vec::new();
        }
        let version = captured.get(2).map(|text| text.as_str().to_owned()).filter(|version| !is_open(version));
        let file = match line.contains("apply false") {
            true if inside("pluginManagement") => GradleFile::Settings,
            true => GradleFile::Root,
            false => GradleFile::App,
        };
        return gradle(id, file, GradleLine::Plugin { version });
    }
    if let Some(captured) = COORDINATE.captures(line) {
        let configuration = get(&captured, 1);
        let file = if configuration == "classpath" { GradleFile::Root } else { GradleFile::App };
        let configuration = if configuration == "compile" { "implementation".to_owned() } else { configuration };
        let version = captured.get(4).map(|text| text.as_str().to_owned()).filter(|version| !is_open(version));
        let name = format!("{}:{}", get(&captured, 2), get(&captured, 3));
        return gradle(name, file, GradleLine::Dependency { configuration, version });
    }
    if (inside("repositories") || line.starts_with("maven"))
        && let Some(captured) = ADDRESS.captures(line)
    {
        return match inside("buildscript") || inside("pluginManagement") {
            true => gradle(get(&captured, 1), GradleFile::Settings, GradleLine::PluginRepository),
            false => gradle(get(&captured, 1), GradleFile::Root, GradleLine::Repository),
        };
    }
    Vec::new()
}

/// Says whether a version is left to the reader.
fn is_open(version: &str) -> bool {
    !version.starts_with(|first: char| first.is_ascii_digit()) || version.contains(['$', 'x', '<', '+'])
}

#[cfg(test)]
mod tests {
    use super::super::tests::short;

    #[test]
    fn build_lines_are_read() {
        assert_eq!(
            short("android {\n  defaultConfig {\n    minSdkVersion 23 // or higher\n  }\n}", "gradle"),
            ["level minSdkVersion = 23"]
        );
        assert_eq!(
            short("minSdk = 24\ncompileSdk = 35", "kotlin"),
            ["level minSdkVersion = 24", "level compileSdkVersion = 35"]
        );
        assert_eq!(
            short(
                "dependencies {\n  implementation 'example.knot:ads:5.1.0'\n  implementation project(':app')\n  coreLibraryDesugaring(\"example.desugar:libs:2.0.4\")\n}",
                ""
            ),
            [
                "gradle example.knot:ads = 5.1.0",
                "? this line of a build file is none of those that are placed",
                "gradle example.desugar:libs = 2.0.4"
            ]
        );
        assert_eq!(
            short("apply plugin: 'com.android.application'\napply plugin: 'example.knot.services'", "groovy"),
            ["gradle example.knot.services"]
        );
        assert_eq!(
            short("plugins {\n  id(\"example.knot.services\") version \"4.4.2\" apply false\n}", "kotlin"),
            ["gradle example.knot.services = 4.4.2"]
        );
        assert_eq!(
            short(
                "allprojects {\n  repositories {\n    maven { url 'https://maven.knot.example/releases' }\n  }\n}",
                ""
            ),
            ["gradle https://maven.knot.example/releases"]
        );
        assert_eq!(
            short("-keep class example.knot.** { *; }", "proguard"),
            ["gradle -keep class example.knot.** { *; }"]
        );
        assert_eq!(short("platform :ios, '13.0'", "ruby"), ["min-version iOS = 13.0"]);
    }
}
