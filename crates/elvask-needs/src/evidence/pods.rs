//! The descriptions of a package's pods: which of its files an app compiles that has the package.
//!
//! Source: "Podspec Syntax Reference" of CocoaPods: without `default_subspecs` all parts are taken, test specifications are not,
//! and a pattern that names a folder takes the files right in it.

use crate::pattern::Pattern;
use serde::{Deserialize, Serialize};

/// What a package's builds make and depend on.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(default)]
pub struct Pods {
    /// The pods that its descriptions make.
    pub names: Vec<String>,
    /// The pods, and the modules of the build (`:module`), that it depends on.
    pub depends: Vec<String>,
}

/// Whether an app that has the package compiles a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) enum Taken {
    /// It does.
    Always,
    /// It does where it names this part or pod.
    Chosen(String),
    /// It does not.
    Never,
}

/// A part of a pod: the pod itself, or a subspec.
#[derive(Debug, Default)]
struct Section {
    /// `Part`, or `Part/Inner`; empty for the pod itself.
    name: String,
    files: Vec<String>,
    excluded: Vec<String>,
    depends: Vec<String>,
    /// A test or an example beside the pod.
    beside: bool,
}

/// The description of one pod.
#[derive(Debug)]
struct Description {
    name: String,
    /// Its folder, from the package's, with a slash at the end; empty for the package's own folder.
    folder: String,
    /// How many folders that is.
    depth: usize,
    sections: Vec<Section>,
    default: Option<Vec<String>>,
}

/// The descriptions of a package's pods.
#[derive(Debug, Default)]
pub(super) struct Descriptions(Vec<Description>);

static VARIABLE: Pattern = Pattern::new(r"do\s*\|\s*(\w+)\s*\|", &["|"]);

/// The words of statements that are read.
const WORDS: [&str; 12] = [
    "source_files",
    "exclude_files",
    "default_subspec",
    "default_subspecs",
    "dependency",
    "vendored_framework",
    "vendored_frameworks",
    "vendored_library",
    "vendored_libraries",
    "subspec",
    "test_spec",
    "app_spec",
];

/// What stands before them for one platform alone.
const PLATFORMS: [&str; 6] = ["ios", "osx", "macos", "tvos", "watchos", "visionos"];

/// The start of a statement: `spec.ios.source_files`.
#[derive(Debug, PartialEq, Eq)]
struct Statement<'t> {
    variable: &'t str,
    platform: Option<&'t str>,
    word: &'static str,
    /// The byte behind it.
    end: usize,
}

/// Finds the starts of statements.
fn statements(text: &str) -> impl Iterator<Item = Statement<'_>> {
    let is_word = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_';
    let word_at = move |at: usize| -> &str {
        let rest = text.get(at..).unwrap_or_default();
        let end = rest.bytes().position(|byte| !is_word(byte)).unwrap_or(rest.len());
        rest.get(..end).unwrap_or_default()
    };
    let known = |word: &str| WORDS.into_iter().find(|known| *known == word);
    let mut from = 0;
    memchr::memchr_iter(b'.', text.as_bytes()).filter_map(move |dot| {
        let before = text.get(from..dot)?;
        let start = before.bytes().rposition(|byte| !is_word(byte)).map_or(0, |last| last + 1);
        let variable = before.get(start..).filter(|variable| !variable.is_empty())?;
        let first = word_at(dot + 1);
        let behind = dot + 1 + first.len();
        let of_platform = || {
            let platform = PLATFORMS.into_iter().find(|known| *known == first)?;
            let word = known(text.get(behind..)?.strip_prefix('.').map(|_| word_at(behind + 1))?)?;
            Some((Some(platform), word, behind + 1 + word.len()))
        };
        let (platform, word, end) = of_platform().or_else(|| Some((None, known(first)?, behind)))?;
        from = end;
        Some(Statement { variable, platform, word, end })
    })
}

/// Takes comments off, which start with `#` outside of texts.
pub(crate) fn without_comments(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.lines() {
        // Most lines hold no such sign at all.
        let comment = || {
            let mut quote = None;
            line.bytes().position(|byte| {
                match (quote, byte) {
                    (None, b'"' | b'\'') => quote = Some(byte),
                    (Some(open), byte) if open == byte => quote = None,
                    _ => {}
                }
                quote.is_none() && byte == b'#'
            })
        };
        let end = memchr::memchr(b'#', line.as_bytes()).and_then(|_| comment()).unwrap_or(line.len());
        out.push_str(line.get(..end).unwrap_or_default());
        out.push('\n');
    }
    out
}

/// Returns how far a statement goes on: to the end of its line, or of the lines that its brackets, a comma or a sign at the
/// end of a line make it run over.
pub(crate) fn statement_end(text: &str, from: usize) -> usize {
    let mut depth = 0_i32;
    let mut last = ' ';
    for (at, letter) in text.get(from..).unwrap_or_default().char_indices() {
        match letter {
            '[' | '(' | '{' => depth += 1,
            ']' | ')' | '}' => depth -= 1,
            '\n' if depth <= 0 && !matches!(last, ',' | '+' | '\\' | '=' | '|') => return from + at,
            _ => {}
        }
        if !letter.is_whitespace() {
            last = letter;
        }
    }
    text.len()
}

/// Returns the texts in a stretch of a script, each between two quotes of one kind on one line.
pub(crate) fn texts(stretch: &str) -> Vec<String> {
    let mut found = Vec::new();
    let mut rest = stretch;
    while let Some((open, inside)) = rest.find(['"', '\'']).and_then(|at| rest.split_at_checked(at + 1)) {
        let quote = open.as_bytes().last().copied().unwrap_or_default();
        let end = memchr::memchr2(quote, b'\n', inside.as_bytes());
        rest = match end
            .filter(|end| inside.as_bytes().get(*end) == Some(&quote))
            .and_then(|end| inside.split_at_checked(end))
        {
            Some((text, behind)) => {
                found.push(text.to_owned());
                behind.get(1..).unwrap_or_default()
            }
            // One that no other one closes is a letter like any.
            None => inside,
        };
    }
    found
}

impl Descriptions {
    /// Reads the description in the file `shown`, and notes what it makes, depends on and brings along.
    pub(super) fn read(&mut self, text: &str, shown: &str, pods: &mut Pods, binaries: &mut Vec<String>) {
        let (folder, file) = shown.rsplit_once('/').map_or(("", shown), |(folder, file)| (folder, file));
        let name = file.strip_suffix(".podspec").unwrap_or(file).to_owned();
        let folder = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        let plain = without_comments(text);
        let mut sections = vec![Section::default()];
        // The variables of the blocks, with the section that each stands for at that place.
        let mut bound: Vec<(String, usize)> = Vec::new();
        let mut default = None;
        for Statement { variable, platform, word, end: start } in statements(&plain) {
            if platform.is_some_and(|platform| platform != "ios") {
                continue;
            }
            let end = statement_end(&plain, start);
            let stretch = plain.get(start..end).unwrap_or_default();
            let section = bound.iter().rfind(|(name, _)| name == variable).map_or(0, |(_, at)| *at);
            match word {
                "subspec" | "test_spec" | "app_spec" => {
                    let inner = texts(stretch).into_iter().next().unwrap_or_default();
                    let around = sections.get(section).map(|one| one.name.as_str()).unwrap_or_default();
                    let name = if around.is_empty() { inner } else { format!("{around}/{inner}") };
                    let beside = word != "subspec" || sections.get(section).is_some_and(|one| one.beside);
                    sections.push(Section { name, beside, ..Section::default() });
                    if let Some(variable) = VARIABLE.captures(stretch).and_then(|found| found.get(1)) {
                        bound.push((variable.as_str().to_owned(), sections.len() - 1));
                    }
                }
                "default_subspec" | "default_subspecs" => default = Some(texts(stretch)),
                "dependency" => {
                    let Some(on) = texts(stretch).into_iter().next() else { continue };
                    let pod = on.split('/').next().unwrap_or(&on).to_owned();
                    if pod == name {
                        if let (Some(section), Some((_, part))) = (sections.get_mut(section), on.split_once('/')) {
                            section.depends.push(part.to_owned());
                        }
                    } else if !pods.depends.contains(&pod) {
                        pods.depends.push(pod);
                    }
                }
                "source_files" | "exclude_files" => {
                    let Some(section) = sections.get_mut(section) else { continue };
                    let list = if word == "source_files" { &mut section.files } else { &mut section.excluded };
                    list.extend(texts(stretch).into_iter().map(|pattern| as_pattern(&pattern)));
                }
                _ => {
                    for path in texts(stretch).iter().filter(|path| path.contains('.')) {
                        let last = path.rsplit('/').next().unwrap_or(path).to_owned();
                        if !last.contains('*') && !binaries.contains(&last) {
                            binaries.push(last);
                        }
                    }
                }
            }
        }
        if !pods.names.contains(&name) {
            pods.names.push(name.clone());
        }
        let depth = folder.matches('/').count();
        self.0.push(Description { name, folder, depth, sections, default });
    }

    /// Says whether an app compiles a file of the package.
    pub(super) fn takes(&self, shown: &str) -> Taken {
        // The linker takes the uppermost description; those deeper down are pods that an app names.
        let Some(least) = self.0.iter().map(|description| description.depth).min() else { return Taken::Always };
        let mut chosen = None;
        for description in &self.0 {
            let Some(inside) = shown.strip_prefix(&description.folder) else { continue };
            let nested = description.depth > least;
            match description.takes(inside) {
                Taken::Always if nested => chosen = chosen.or(Some(description.name.clone())),
                Taken::Chosen(_) if nested => chosen = chosen.or(Some(description.name.clone())),
                Taken::Always => return Taken::Always,
                Taken::Chosen(part) => chosen = chosen.or(Some(part)),
                Taken::Never => {}
            }
        }
        chosen.map_or(Taken::Never, Taken::Chosen)
    }
}

impl Description {
    fn takes(&self, inside: &str) -> Taken {
        // What only running the description tells is taken for the whole package.
        if self.sections.iter().filter(|section| !section.beside).all(|section| section.files.is_empty()) {
            return Taken::Always;
        }
        let inherited: Vec<&String> =
            self.sections.first().map(|own| own.excluded.iter().collect()).unwrap_or_default();
        let mut chosen = None;
        for section in self.sections.iter().filter(|section| !section.beside) {
            let named = section.files.iter().any(|pattern| fits(pattern, inside));
            let excluded =
                section.excluded.iter().chain(inherited.iter().copied()).any(|pattern| fits(pattern, inside));
            if !named || excluded {
                continue;
            }
            if self.is_default(&section.name) {
                return Taken::Always;
            }
            chosen = chosen.or(Some(section.name.clone()));
        }
        chosen.map_or(Taken::Never, Taken::Chosen)
    }

    fn is_default(&self, name: &str) -> bool {
        let Some(default) = &self.default else { return true };
        let within = |one: &str| name.is_empty() || name == one || name.starts_with(&format!("{one}/"));
        let mut wanted: Vec<&str> = default.iter().map(String::as_str).collect();
        let mut at = 0;
        while let Some(one) = wanted.get(at).copied() {
            let of = |section: &&Section| section.name == one || section.name.starts_with(&format!("{one}/"));
            let more = self.sections.iter().filter(of).flat_map(|section| &section.depends).map(String::as_str);
            let new: Vec<_> = more.filter(|more| !wanted.contains(more)).collect();
            wanted.extend(new);
            at += 1;
        }
        wanted.iter().any(|one| within(one))
    }
}

/// Puts a star where only running the description tells what stands there.
fn as_pattern(written: &str) -> String {
    let mut out = String::with_capacity(written.len());
    let mut rest = written.trim_start_matches("./");
    while let Some((before, after)) = rest.split_once("#{") {
        out.push_str(before);
        out.push('*');
        rest = after.split_once('}').map_or("", |(_, rest)| rest);
    }
    out.push_str(rest);
    out
}

fn fits(pattern: &str, path: &str) -> bool {
    let folder = pattern.trim_end_matches('/');
    let plain = !pattern.contains(['*', '{', '?', '[']);
    let inside = path.strip_prefix(folder).and_then(|rest| rest.strip_prefix('/'));
    if plain {
        return path == pattern || inside.is_some_and(|rest| !rest.contains('/'));
    }
    fast_glob::glob_match(pattern, path) || inside.is_some_and(|rest| !rest.contains('/'))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pattern::{Found, Part};
    use crate::shuffled;

    #[test]
    fn texts_are_found_as_a_pattern_finds_them() {
        static TEXT: Pattern = Pattern::new(r#""([^"\n]*)"|'([^'\n]*)'"#, &[]);
        let by_pattern = |text: &str| {
            let of = |found: Found<'_>| Some(found.get(1).or_else(|| found.get(2))?.as_str().to_owned());
            TEXT.captures_iter(text).filter_map(of).collect::<Vec<_>>()
        };
        let signs = ['"', '\'', 'a', '\n', 'é'];
        for length in 0..=7 {
            for number in 0..signs.len().pow(length) {
                let text: String = (0..length).map(|at| signs[number / signs.len().pow(at) % signs.len()]).collect();
                assert_eq!(texts(&text), by_pattern(&text), "{text:?}");
            }
        }
    }

    #[test]
    fn statements_are_found_as_a_pattern_finds_them() {
        static STATEMENT: Pattern = Pattern::new(
            r"(\w+)\.(?:(ios|osx|macos|tvos|watchos|visionos)\.)?(source_files|exclude_files|default_subspecs?|dependency|vendored_frameworks?|vendored_librar(?:y|ies)|subspec|test_spec|app_spec)\b",
            &[],
        );
        let by_pattern = |text: &str| {
            let of = |found: Found<'_>| {
                let part = |at: usize| found.get(at).map(|part| part.as_str().to_owned());
                (part(1), part(2), part(3), found.get(0).map(Part::end))
            };
            STATEMENT.captures_iter(text).map(of).collect::<Vec<_>>()
        };
        let parts = [".", "s", " ", "\u{e9}", "_", "ios", "osx", "\n", ".", "."];
        let parts: Vec<&str> = parts.into_iter().chain(WORDS).chain([".", ".", "."]).collect();
        let mut text = shuffled::texts(&parts, "");
        let mut matches = 0;
        for _ in 0..20_000 {
            let text = text(12);
            let found: Vec<_> = statements(&text)
                .map(|one| {
                    let of = |text: &str| Some(text.to_owned());
                    (of(one.variable), one.platform.and_then(of), of(one.word), Some(one.end))
                })
                .collect();
            assert_eq!(found, by_pattern(&text), "{text:?}");
            matches += found.len();
        }
        assert!(matches > 5000, "{matches}");
    }

    fn taken(descriptions: &[(&str, &str)], file: &str) -> Taken {
        let mut all = Descriptions::default();
        for (shown, text) in descriptions {
            all.read(text, shown, &mut Pods::default(), &mut Vec::new());
        }
        all.takes(file)
    }

    #[test]
    fn files_are_taken_by_pattern() {
        let all = "Pod::Spec.new do |s|\n  s.source_files = \"ios/**/*.{h,m,swift}\" # all\n  s.exclude_files = 'ios/Old/**'\nend\n";
        assert_eq!(taken(&[("a.podspec", all)], "ios/A.swift"), Taken::Always);
        assert_eq!(taken(&[("a.podspec", all)], "ios/In/A.m"), Taken::Always);
        assert_eq!(taken(&[("a.podspec", all)], "ios/Old/A.m"), Taken::Never);
        assert_eq!(taken(&[("a.podspec", all)], "extra/A.m"), Taken::Never);
        assert_eq!(taken(&[("ios/a.podspec", "s.source_files = 'Classes'")], "ios/Classes/A.m"), Taken::Always);
        assert_eq!(taken(&[("ios/a.podspec", "s.source_files = 'Classes'")], "ios/Other/A.m"), Taken::Never);
        assert_eq!(taken(&[("a.podspec", "s.source_files = files_of(s)")], "ios/A.m"), Taken::Always, "not known");
        assert_eq!(taken(&[], "ios/A.m"), Taken::Always);
    }

    #[test]
    fn parts_that_are_no_default_are_chosen() {
        let parts = "Pod::Spec.new do |s|\n  s.default_subspecs = 'Core'\n  s.subspec 'Core' do |ss|\n    ss.source_files = 'ios/Core/*.m'\n    ss.dependency 'a/Base'\n  end\n  s.subspec 'Base' do |ss|\n    ss.source_files = 'ios/Base/*.m'\n  end\n  s.subspec 'Camera' do |ss|\n    ss.source_files = ['ios/Camera/*.m',\n      'ios/Lens/*.m']\n  end\n  s.test_spec 'T' do |t|\n    t.source_files = 'ios/T/*.m'\n  end\nend\n";
        assert_eq!(taken(&[("a.podspec", parts)], "ios/Core/A.m"), Taken::Always);
        assert_eq!(taken(&[("a.podspec", parts)], "ios/Base/A.m"), Taken::Always, "the default part depends on it");
        assert_eq!(taken(&[("a.podspec", parts)], "ios/Lens/A.m"), Taken::Chosen("Camera".to_owned()));
        assert_eq!(taken(&[("a.podspec", parts)], "ios/T/A.m"), Taken::Never);
        let all = parts.replace("  s.default_subspecs = 'Core'\n", "");
        assert_eq!(taken(&[("a.podspec", &all)], "ios/Lens/A.m"), Taken::Always);
    }

    #[test]
    fn descriptions_deeper_down_are_pods_of_their_own() {
        let own = ("rail.podspec", "s.source_files = 'ios/*.m'");
        let inner = ("ios/Camera/Rail-Camera.podspec", "s.source_files = '*.m'");
        assert_eq!(taken(&[own, inner], "ios/A.m"), Taken::Always);
        assert_eq!(taken(&[own, inner], "ios/Camera/A.m"), Taken::Chosen("Rail-Camera".to_owned()));
    }
}
