//! Telling code from comments and strings in Swift, Objective-C, Kotlin and Java, and code that is compiled only under a
//! condition.

use elvask_platform::List;

/// What a stretch of a source is, apart from plain code.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Stretch {
    Comment,
    Text,
}

/// The stretches of a source that are no plain code, in order, with their bytes.
#[derive(Debug, Default)]
pub(crate) struct Stretches(Vec<(usize, usize, Stretch)>);

impl Stretches {
    /// Returns what stands at a byte; `None` for plain code.
    pub(crate) fn at(&self, at: usize) -> Option<Stretch> {
        let next = self.0.partition_point(|(start, _, _)| *start <= at);
        let (_, end, kind) = self.0.get(next.checked_sub(1)?)?;
        (at < *end).then_some(*kind)
    }

    /// Returns the bytes of the comments.
    pub(crate) fn comments(&self) -> impl Iterator<Item = std::ops::Range<usize>> {
        self.0.iter().filter(|(_, _, kind)| *kind == Stretch::Comment).map(|(start, end, _)| *start..*end)
    }
}

/// How a language writes comments and strings.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Style {
    /// Comments may hold comments, as in Swift and Kotlin.
    pub(crate) nests: bool,
    /// Text stands in single quotes too, as in Gradle scripts.
    pub(crate) single_quotes: bool,
    /// Text stands between grave accents too, over several lines, as in scripts.
    pub(crate) templates: bool,
}

/// Finds the comments and strings of a source.
pub(crate) fn stretches(text: &str, style: Style) -> Stretches {
    let bytes = text.as_bytes();
    let get = |at: usize| bytes.get(at).copied().unwrap_or(0);
    let starts = |at: usize, what: &[u8]| bytes.get(at..at + what.len()) == Some(what);
    let mut out = Vec::new();
    let mut at = 0;
    while let Some(sign) = next_sign(bytes, at, style) {
        // A sharp before a quote is told by the quote.
        let sharp = get(sign) == b'"' && sign > at && get(sign - 1) == b'#';
        at = if sharp { sign - 1 } else { sign };
        let start = at;
        match get(at) {
            b'/' if get(at + 1) == b'/' => {
                at = find(bytes, at, b"\n").unwrap_or(bytes.len());
                out.push((start, at, Stretch::Comment));
            }
            b'/' if get(at + 1) == b'*' => {
                let mut depth = 1;
                at += 2;
                while depth > 0 {
                    at = memchr::memchr2(b'*', b'/', bytes.get(at..).unwrap_or_default())
                        .map_or(bytes.len(), |sign| at + sign);
                    if at == bytes.len() {
                        break;
                    }
                    if starts(at, b"*/") {
                        depth -= 1;
                        at += 2;
                    } else if style.nests && starts(at, b"/*") {
                        depth += 1;
                        at += 2;
                    } else {
                        at += 1;
                    }
                }
                out.push((start, at.min(bytes.len()), Stretch::Comment));
            }
            b'"' if starts(at, b"\"\"\"") => {
                at = find(bytes, at + 3, b"\"\"\"").map_or(bytes.len(), |end| end + 3);
                out.push((start, at, Stretch::Text));
            }
            b'#' if get(at + 1) == b'"' => {
                at = find(bytes, at + 2, b"\"#").map_or(bytes.len(), |end| end + 2);
                out.push((start, at, Stretch::Text));
            }
            b'`' if style.templates => {
                at += 1;
                while at < bytes.len() && get(at) != b'`' {
                    at += if get(at) == b'\\' { 2 } else { 1 };
                }
                at = (at + 1).min(bytes.len());
                out.push((start, at, Stretch::Text));
            }
            quote @ (b'"' | b'\'') if quote == b'"' || style.single_quotes => {
                at += 1;
                while at < bytes.len() && get(at) != quote && get(at) != b'\n' {
                    at += if get(at) == b'\\' { 2 } else { 1 };
                }
                at = (at + 1).min(bytes.len());
                out.push((start, at, Stretch::Text));
            }
            b'\'' => {
                // A letter in quotes is short; a lone quote is none.
                let end = (at + 2..at + 9).find(|end| get(*end) == b'\'' && get(*end - 1) != b'\\');
                at = end
                    .filter(|end| !bytes.get(at..*end).unwrap_or_default().contains(&b'\n'))
                    .map_or(at + 1, |end| end + 1);
            }
            _ => at += 1,
        }
    }
    Stretches(out)
}

/// Finds the next byte with which a comment or a string may start.
fn next_sign(bytes: &[u8], from: usize, style: Style) -> Option<usize> {
    let rest = bytes.get(from..)?;
    let sign = memchr::memchr3(b'/', b'"', b'\'', rest);
    let accent = style.templates.then(|| memchr::memchr(b'`', rest.get(..sign.unwrap_or(rest.len()))?)).flatten();
    Some(from + accent.or(sign)?)
}

fn find(bytes: &[u8], from: usize, what: &[u8]) -> Option<usize> {
    memchr::memmem::find(bytes.get(from..)?, what).map(|at| at + from)
}

/// When code is compiled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Compiled {
    /// In every app.
    Always,
    /// Where the app or a build of the package turns it on.
    Chosen,
    /// In no release of an iOS app.
    Never,
}

/// The lines of a source on which the condition for being compiled changes: the byte from which on it holds, and the
/// innermost condition that the app chooses.
#[derive(Debug, Default)]
pub(crate) struct Conditions(Vec<(usize, Compiled, Option<String>)>);

impl Conditions {
    pub(crate) fn at(&self, at: usize) -> Compiled {
        self.entry(at).map_or(Compiled::Always, |(_, compiled, _)| *compiled)
    }

    /// Returns the condition that the app chooses around a byte.
    pub(crate) fn chosen(&self, at: usize) -> Option<&str> {
        self.entry(at)?.2.as_deref()
    }

    fn entry(&self, at: usize) -> Option<&(usize, Compiled, Option<String>)> {
        let next = self.0.partition_point(|(start, _, _)| *start <= at);
        self.0.get(next.checked_sub(1)?)
    }
}

/// Reads the compile conditions of a source in Swift or Objective-C.
pub(crate) fn conditions(text: &str, stretches: &Stretches) -> Conditions {
    let mut out = Vec::new();
    let mut stack: Vec<(Compiled, &str)> = Vec::new();
    let mut from = 0;
    for sharp in memchr::memchr_iter(b'#', text.as_bytes()) {
        let (before, rest) = text.split_at(sharp);
        let between = before.get(from..).unwrap_or_default();
        let line_end = memchr::memrchr(b'\n', between.as_bytes());
        // One on the line of another one is not the first sign there.
        let is_first = (line_end.is_some() || from == 0)
            && between.get(line_end.map_or(0, |end| end + 1)..).is_some_and(|space| space.trim_start().is_empty());
        from = sharp + 1;
        if !is_first || stretches.at(sharp).is_some() {
            continue;
        }
        let line = rest.split_inclusive('\n').next().unwrap_or_default();
        let behind = sharp + line.len();
        let directive = line.get(1..).unwrap_or_default().trim_start();
        let word = directive.split(|sign: char| !sign.is_ascii_alphabetic()).next().unwrap_or_default();
        let condition = directive.get(word.len()..).unwrap_or_default().trim();
        match word {
            "if" | "ifdef" => stack.push((compiled_if(condition), condition)),
            "ifndef" => stack.push((Compiled::Always, condition)),
            "elif" | "elseif" => {
                stack.pop();
                stack.push((compiled_if(condition), condition));
            }
            "else" => {
                // What a setting of the build decides stays its choice on the other side.
                let other = match stack.pop() {
                    Some((Compiled::Chosen, condition)) => (Compiled::Chosen, condition),
                    _ => (Compiled::Always, ""),
                };
                stack.push(other);
            }
            "endif" => {
                stack.pop();
            }
            _ => continue,
        }
        let any = |wanted: Compiled| stack.iter().rfind(|(compiled, _)| *compiled == wanted);
        let (compiled, condition) = if any(Compiled::Never).is_some() {
            (Compiled::Never, None)
        } else if let Some((compiled, condition)) = any(Compiled::Chosen) {
            (*compiled, Some((*condition).to_owned()))
        } else {
            (Compiled::Always, None)
        };
        out.push((behind, compiled, condition));
    }
    Conditions(out)
}

fn compiled_if(condition: &str) -> Compiled {
    let negated = condition.starts_with('!');
    let others = [
        "os(macOS)",
        "os(OSX)",
        "os(watchOS)",
        "os(tvOS)",
        "os(visionOS)",
        "TARGET_OS_OSX",
        "TARGET_OS_WATCH",
        "TARGET_OS_TV",
    ];
    let ours = ["os(iOS)", "TARGET_OS_IOS", "TARGET_OS_IPHONE"].iter().any(|word| condition.contains(word));
    let elsewhere = others.iter().any(|word| condition.contains(word));
    // Code for debugging alone ships in no release.
    let off = matches!(condition, "0" | "false" | "DEBUG");
    if off || elsewhere && !ours && !negated || negated && !elsewhere && ours {
        Compiled::Never
    } else if negated || condition == "1" || List::AppleCondition.words().any(|word| condition.contains(word)) {
        Compiled::Always
    } else {
        Compiled::Chosen
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn code(text: &str, nests: bool) -> String {
        let found = stretches(text, Style { nests, ..Style::default() });
        let plain = |(at, letter): (usize, char)| match found.at(at) {
            None => letter,
            Some(Stretch::Comment) => '~',
            Some(Stretch::Text) => '"',
        };
        text.char_indices().map(plain).collect()
    }

    #[test]
    fn comments_and_strings_are_told_from_code() {
        assert_eq!(code("a // b\nc", true), "a ~~~~\nc");
        assert_eq!(code("a /* b */ c", true), "a ~~~~~~~ c");
        assert_eq!(code("let a = 1 /* b /* c */ d */ e", true), "let a = 1 ~~~~~~~~~~~~~~~~~ e");
        assert_eq!(code("int a; /* b /* c */ d(); /* e */", false), "int a; ~~~~~~~~~~~~ d(); ~~~~~~~");
        assert_eq!(code("f(\"a // b\") // c", true), "f(\"\"\"\"\"\"\"\") ~~~~");
        assert_eq!(code("\"\"\"a \"b\" c\"\"\" d", true), "\"\"\"\"\"\"\"\"\"\"\"\"\" d");
        assert_eq!(code("f('\"') + a // b", true), "f('\"') + a ~~~~");
        assert_eq!(code("\"a\\\"b\" c", true), "\"\"\"\"\"\" c");
    }

    #[test]
    fn what_starts_where_another_ends_is_told() {
        assert_eq!(code("#\"a\"#\"b\" c", true), "\"\"\"\"\"\"\"\" c");
        assert_eq!(code("a #\"\"\"# b\"#c", true), "a \"\"\"\"\" b\"\"\"");
        assert_eq!(code("/**/\"#\" /* * / */ c", true), "~~~~\"\"\" ~~~~~~~~~ c");
        assert_eq!(code("/* a", true), "~~~~");
        assert_eq!(code("/*/", true), "~~~");
        assert_eq!(code("a / b # c ' d", true), "a / b # c ' d");
        let script = |text| stretches(text, Style { templates: true, single_quotes: true, ..Style::default() }).0;
        assert_eq!(
            script("a `b \"c` 'd`' // `"),
            [(2, 8, Stretch::Text), (9, 13, Stretch::Text), (14, 18, Stretch::Comment)]
        );
    }

    #[test]
    fn conditions_say_what_is_compiled() {
        let at = |text: &str, word: &str| {
            let found = stretches(text, Style::default());
            conditions(text, &found).at(text.find(word).unwrap())
        };
        assert_eq!(at("#if PERMISSION_CAMERA\nx\n#endif", "x"), Compiled::Chosen);
        assert_eq!(at("#if os(macOS)\na\n#else\nx\n#endif", "x"), Compiled::Always);
        assert_eq!(at("#if os(macOS)\nx\n#else\na\n#endif", "x"), Compiled::Never);
        assert_eq!(at("#if canImport(A)\nx\n#endif", "x"), Compiled::Always);
        assert_eq!(at("#if 0\na\n#endif\nx", "x"), Compiled::Always);
        assert_eq!(at("#if 0\nx\n#endif", "x"), Compiled::Never);
        assert_eq!(at("#if DEBUG\nx\n#endif", "x"), Compiled::Never);
        assert_eq!(at("#if DEBUG\na\n#else\nx\n#endif", "x"), Compiled::Always);
        assert_eq!(at("/*\n#if 0\n*/\nx", "x"), Compiled::Always);
        assert_eq!(at("#\n # if 0\nx", "x"), Compiled::Never);
        assert_eq!(at("a # if 0\nx", "x"), Compiled::Always);
        assert_eq!(at("## if 0\nx", "x"), Compiled::Always);
    }
}
