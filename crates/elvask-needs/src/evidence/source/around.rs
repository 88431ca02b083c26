//! What stands around a place in code: the call whose argument it is, the function that it is in, and whether the file
//! declares a function of a name itself.

use std::sync::OnceLock;

use elvask_platform::List;
use elvask_platform::hash::QuickMap;
use memchr::memmem::Finder;

/// How far back the call around an argument is looked for, in bytes.
const MAX_CALL: usize = 600;

/// How many lines back the function around a place is looked for.
const MAX_LINES: usize = 160;

pub(super) fn is_name(letter: u8) -> bool {
    letter.is_ascii_alphanumeric() || letter == b'_' || letter >= 0x80
}

/// What a call does with the name of a permission.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Asking {
    /// It looks whether it is granted, or declared.
    Checks,
    /// It asks the person for it.
    Requests,
}

/// Judges the name of a function that takes the name of a permission.
pub(crate) fn asking(function: &str) -> Option<Asking> {
    let lower = function.to_lowercase();
    let any = |words: &[&str]| words.iter().any(|word| lower.contains(word));
    if any(&["request", "askfor", "ask_for"]) || lower == "ask" {
        Some(Asking::Requests)
    } else if any(&["check", "granted", "contains", "declared", "equals", "indexof", "rationale", "status"])
        || lower.starts_with("has")
        || lower.starts_with("can")
        || lower.starts_with("is")
        || lower == "revoke"
    {
        Some(Asking::Checks)
    } else {
        None
    }
}

/// Goes outwards through the calls around a place, innermost first, by their functions' names.
pub(crate) fn calls_around(text: &str, at: usize) -> Vec<&str> {
    let bytes = text.as_bytes();
    let mut out = Vec::new();
    let mut depth = 0_i32;
    let mut here = at;
    let least = at.saturating_sub(MAX_CALL);
    while here > least {
        here -= 1;
        match bytes.get(here) {
            Some(b')' | b']') => depth += 1,
            Some(b'[') => depth -= i32::from(depth > 0),
            Some(b'(') if depth > 0 => depth -= 1,
            Some(b'(') => {
                let name = name_before(text, here);
                if !name.is_empty() && !List::CallGathering.has(name) {
                    out.push(name);
                }
            }
            Some(b';') if depth == 0 => break,
            // The braces of an array are part of the call, those of a block are not.
            Some(b'{') if depth == 0 => {
                let before = text.get(..here).unwrap_or_default().trim_end();
                if !before.ends_with([']', '(', ',', '=', '>']) {
                    break;
                }
            }
            _ => {}
        }
    }
    out
}

/// Returns the name that ends before a byte, space and type arguments skipped.
pub(crate) fn name_before(text: &str, at: usize) -> &str {
    let before = text.get(..at).unwrap_or_default().trim_end();
    let before = match before.strip_suffix('>') {
        Some(inner) => inner.rfind('<').and_then(|open| inner.get(..open)).unwrap_or(before),
        None => before,
    };
    let start = before.bytes().rposition(|byte| !is_name(byte)).map_or(0, |last| last + 1);
    before.get(start..).unwrap_or_default()
}

/// What lines of a file declare, each by the byte that it starts at: places near each other are in the same function.
pub(super) type Declared<'t> = QuickMap<usize, Option<&'t str>>;

/// Returns the name of the function that a place is in, by the nearest line above that starts one, and whether scripts call it
/// by that name: it is handed to them by a macro, a builder or an annotation. What whole lines declare is kept in `known`.
pub(super) fn function_around<'t>(text: &'t str, at: usize, known: &mut Declared<'t>) -> Option<(&'t str, bool)> {
    let before = text.get(..at)?;
    let mut lines = lines_upwards(before).take(MAX_LINES);
    let mut declared = |(start, line): (usize, &'t str)| {
        // The line of the place itself ends there.
        let name = if start + line.len() == at {
            declared_in(line)
        } else {
            *known.entry(start).or_insert_with(|| declared_in(line))
        };
        Some((line, name?))
    };
    let (line, name) = lines.find_map(&mut declared)?;
    let handed = ["METHOD(", "Function(\""].iter().any(|opening| line.contains(opening));
    let annotated = || {
        let mut above = lines.map(|(_, line)| line).take_while(|line| !line.trim().is_empty()).take(3);
        line.contains("@objc") || above.any(|line| line.trim().starts_with('@') && line.contains("Method"))
    };
    Some((name, handed || annotated()))
}

/// Goes through the lines of a text, the last one first, each with the byte that it starts at.
fn lines_upwards(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut rest = (!text.is_empty()).then(|| text.strip_suffix('\n').unwrap_or(text));
    std::iter::from_fn(move || {
        let all = rest?;
        let (above, start) = match memchr::memrchr(b'\n', all.as_bytes()) {
            Some(at) => (all.get(..at), at + 1),
            None => (None, 0),
        };
        rest = above;
        let line = all.get(start..)?;
        Some((start, line.strip_suffix('\r').unwrap_or(line)))
    })
}

/// Returns a line without the space around it; the space of other alphabets, which is dear to tell, is hardly ever there.
fn trimmed(line: &str) -> &str {
    let plain = line.trim_ascii();
    let other = |byte: Option<&u8>| byte.is_some_and(|byte| !byte.is_ascii() || *byte == b'\x0B');
    if other(plain.as_bytes().first()) || other(plain.as_bytes().last()) { line.trim() } else { plain }
}

/// Returns the name of the function that a line declares to the language or to scripts.
fn declared_in(line: &str) -> Option<&str> {
    // Each line above a place is looked at, and most hold none of these.
    static SIGNS: OnceLock<[Finder<'static>; 3]> = OnceLock::new();
    let [function, fun, func] = SIGNS.get_or_init(|| ["fun", "fun ", "func "].map(Finder::new));
    let may_be_function = function.find(line.as_bytes()).is_some();
    let may_be_called = memchr::memchr(b'(', line.as_bytes()).is_some();
    if !may_be_function && !may_be_called {
        return None;
    }
    let plain = trimmed(line);
    let word = |rest: &'_ str| -> usize { rest.bytes().position(|byte| !is_name(byte)).unwrap_or(rest.len()) };
    for keyword in [fun, func].into_iter().filter(|_| may_be_function) {
        let starts = keyword.find(plain.as_bytes());
        if let Some(at) = starts.filter(|at| *at == 0 || plain.as_bytes().get(at - 1) == Some(&b' ')) {
            let rest = plain.get(at + keyword.needle().len()..)?.trim_start();
            return rest.get(..word(rest)).filter(|name| !name.is_empty());
        }
    }
    if !may_be_called {
        return None;
    }
    // Macros and builders that hand a method to scripts name it in their brackets.
    let (mut macros, mut builders) = (None, None);
    for at in memchr::memchr_iter(b'(', plain.as_bytes()) {
        let Some((before, inside)) = plain.split_at_checked(at) else { continue };
        match before.as_bytes().last() {
            Some(b'D') if macros.is_none() && before.ends_with("METHOD") => macros = inside.get(1..),
            Some(b'n') if builders.is_none() && before.ends_with("Function") => builders = inside.strip_prefix("(\""),
            _ => {}
        }
    }
    if let Some(rest) = macros.or(builders) {
        let rest = rest.trim_start();
        return rest.get(..word(rest)).filter(|name| !name.is_empty());
    }
    if let Some(rest) = plain.strip_prefix('-').or_else(|| plain.strip_prefix('+')).map(str::trim_start)
        && let Some((_, rest)) = rest.strip_prefix('(').and_then(|rest| rest.split_once(')'))
    {
        let rest = rest.trim_start();
        return rest.get(..word(rest)).filter(|name| !name.is_empty());
    }
    let member = ["public ", "private ", "protected ", "static ", "final ", "void "];
    let may_be_member = plain.starts_with(['p', 's', 'f', 'v']) && !plain.ends_with(';');
    if may_be_member && member.iter().any(|start| plain.starts_with(start)) {
        let open = plain.find('(')?;
        let name = name_before(plain, open);
        let assigned = plain.get(..open)?.contains('=');
        return Some(name).filter(|name| !name.is_empty() && !assigned);
    }
    None
}

/// Says whether a name at a place is the declaration of a function and not its call.
pub(super) fn is_declaration(text: &str, start: usize, end: usize) -> bool {
    let line = text.get(..start).and_then(|before| before.rsplit('\n').next()).unwrap_or_default().trim_start();
    let plain = line.trim_end();
    let behind = text.get(end..).unwrap_or_default().trim_start();
    if plain.ends_with("fun") || plain.ends_with("func") || plain.ends_with("METHOD(") || plain.ends_with("Function(\"")
    {
        return true;
    }
    if (plain.starts_with("- (") || plain.starts_with("-(") || plain.starts_with("+ (")) && plain.ends_with(')') {
        return true;
    }
    // A type before the name, and a bracket behind it.
    let type_before = plain.ends_with(|last: char| last.is_alphanumeric() || matches!(last, '>' | ']'));
    let last = plain.rsplit(|sign: char| !sign.is_alphanumeric()).next().unwrap_or_default();
    let keyword =
        ["return", "new", "else", "await", "try", "throw", "in", "case", "do", "when", "is", "as", "and", "or"];
    behind.starts_with('(') && type_before && !keyword.contains(&last) && !plain.contains(['=', '('])
}

/// Says whether a text declares a function of a name itself.
pub(super) fn declares(text: &str, name: &str) -> bool {
    memchr::memmem::find_iter(text.as_bytes(), name).any(|at| {
        let whole = !at.checked_sub(1).and_then(|at| text.as_bytes().get(at)).is_some_and(|byte| is_name(*byte))
            && !text.as_bytes().get(at + name.len()).is_some_and(|byte| is_name(*byte));
        whole && is_declaration(text, at, at + name.len())
    })
}

/// Says whether a call has no receiver, or the object that the code itself is part of.
pub(super) fn is_own_call(text: &str, start: usize) -> bool {
    let before = text.get(..start).unwrap_or_default();
    ["this.", "self.", "[self "].iter().any(|own| before.ends_with(own))
        || !before.ends_with(['.', '?', '!', ':']) && !before.ends_with("] ") && !is_message(before)
}

/// Says whether what stands before a name is the receiver of a message: `[manager `.
fn is_message(before: &str) -> bool {
    let Some(rest) = before.strip_suffix(' ') else { return false };
    let start = rest.bytes().rposition(|byte| !is_name(byte)).map_or(0, |last| last + 1);
    rest.get(..start).is_some_and(|before| before.ends_with('[') || before.ends_with('.'))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_call_around_a_name_is_found() {
        let calls = |text: &str| calls_around(text, text.find("NAME").unwrap()).join(" ");
        assert_eq!(calls("x(a, checkSelfPermission(context, NAME) == GRANTED"), "checkSelfPermission x");
        assert_eq!(calls("requestPermissions(this, new String[] { A, NAME }, 1)"), "requestPermissions");
        assert_eq!(calls("requestPermissions(arrayOf(NAME))"), "requestPermissions");
        assert_eq!(calls("f(a); String p = NAME"), "");
        assert_eq!(calls("void run(int a) {\n  use(NAME)"), "use");
    }

    #[test]
    fn what_a_file_declares_itself_is_no_call_of_the_platform() {
        assert!(declares("public void vibrate(int length) {", "vibrate"));
        assert!(declares("  fun startScan(filter: Filter) {", "startScan"));
        assert!(declares("- (void)startUpdatingLocation {", "startUpdatingLocation"));
        assert!(!declares("return vibrate(1)", "vibrate"));
        assert!(!declares("vibrator.vibrate(1)", "vibrate"));
        assert!(is_own_call("{ vibrate(1)", 2));
        assert!(!is_own_call("vibrator.vibrate(1)", 9));
        assert!(!is_own_call("[manager startUpdatingLocation]", 9));
        assert!(is_own_call("[self startUpdatingLocation]", 6));
    }

    #[test]
    fn lines_are_gone_through_upwards() {
        for text in ["", "\n", "a", "a\n", "\na", "a\r\n\r\n b\n\n", "é\nö", "a\n\n\nb\r\n"] {
            assert!(lines_upwards(text).map(|(_, line)| line).eq(text.lines().rev()), "{text:?}");
            assert!(lines_upwards(text).all(|(start, line)| text.split_at(start).1.starts_with(line)), "{text:?}");
        }
    }

    #[test]
    fn the_function_around_a_place_is_found() {
        let around = |text: &str| {
            function_around(text, text.len(), &mut Declared::default())
                .map(|(name, by_name)| (name.to_owned(), by_name))
        };
        let name = |text: &str| around(text).unwrap_or_default().0;
        assert_eq!(name("  fun scan(a: Int) {\n    x."), "scan");
        assert_eq!(name("  @objc func getPhoto(_ call: Call) {\n"), "getPhoto");
        assert_eq!(name("EXPORT_METHOD(listen:(NSString *)a\n  b"), "listen");
        assert_eq!(name("  AsyncFunction(\"ring\") { ->\n"), "ring");
        assert_eq!(name("- (void)locate:(id)sender {\n"), "locate");
        assert_eq!(name("  public static void ring(Call call) {\n"), "ring");
        let by_name = |text: &str| around(text).unwrap_or_default().1;
        assert!(by_name("  @PluginMethod\n  public void ring(Call call) {\n"));
        assert!(by_name("  AsyncFunction(\"ring\") { ->\n"));
        assert!(!by_name("  private void ring(Call call) {\n"));
        // What is known of lines changes nothing, wherever in a line a place is.
        let text = "@PluginMethod\npublic void ring(Call call) {\r\n  use(fun a(), b)\n}\n\nfun scan(a: Int) {\n  x; fun y() { z }\n";
        let mut known = Declared::default();
        for at in (0..=text.len()).chain((0..=text.len()).rev()) {
            let alone = function_around(text, at, &mut Declared::default());
            assert_eq!(function_around(text, at, &mut known), alone, "{at}");
        }
    }
}
