//! The styles in use. Where there is no colour anywhere they are left out; where it is on one of the two streams alone they are taken out for
//! the other.

use std::sync::OnceLock;
use std::sync::atomic::{AtomicBool, Ordering};

use anstyle::{AnsiColor, Style};

pub(crate) const ERROR: Style = AnsiColor::BrightRed.on_default().bold();
pub(crate) const WARNING: Style = AnsiColor::Yellow.on_default();
pub(crate) const NOTE: Style = AnsiColor::BrightBlue.on_default().bold();
pub(crate) const NOTICE: Style = AnsiColor::Cyan.on_default();
pub(crate) const GOOD: Style = AnsiColor::Green.on_default();
pub(crate) const HEADING: Style = Style::new().bold();
pub(crate) const FAINT: Style = Style::new().dimmed();
pub(crate) const ADDED: Style = AnsiColor::Green.on_default();
pub(crate) const REMOVED: Style = AnsiColor::Red.on_default();

/// Returns what turns a style on and off.
pub(crate) fn style(style: Style) -> (String, String) {
    let mut text = (String::new(), String::new());
    put(style, |on, off| text = (on.to_owned(), off.to_owned()));
    text
}

/// Returns a text in a style; nothing where there is none.
pub(crate) fn paint(with: Style, text: &str) -> String {
    if text.is_empty() {
        return String::new();
    }
    let mut out = String::new();
    put(with, |on, off| {
        out.reserve_exact(on.len() + text.len() + off.len());
        out.extend([on, text, off]);
    });
    out
}

/// Adds to a text what is written into it, in a style.
pub(crate) fn paint_into(out: &mut String, with: Style, write: impl FnOnce(&mut String)) {
    put(with, |on, off| {
        out.push_str(on);
        write(out);
        out.push_str(off);
    });
}

/// Whether nothing that is printed has styles.
static NONE: AtomicBool = AtomicBool::new(false);

/// From now on no style is put in: nothing goes where it would be seen.
pub(crate) fn leave_out() {
    NONE.store(true, Ordering::Relaxed);
}

/// Hands out what turns a style on and off; of those that are in use it is worked out once.
fn put(style: Style, take: impl FnOnce(&str, &str)) {
    if NONE.load(Ordering::Relaxed) {
        return take("", "");
    }
    static KNOWN: OnceLock<[(Style, String); 9]> = OnceLock::new();
    // The most used ones first.
    const ALL: [Style; 9] = [FAINT, HEADING, ERROR, WARNING, NOTE, NOTICE, GOOD, ADDED, REMOVED];
    let known = KNOWN.get_or_init(|| ALL.map(|style| (style, style.render().to_string())));
    let off = if style.is_plain() { "" } else { RESET };
    match known.iter().find(|(known, _)| *known == style) {
        Some((_, on)) => take(on, off),
        None => take(&style.render().to_string(), off),
    }
}

/// What turns every style off.
const RESET: &str = "\u{1b}[0m";

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn styles_are_turned_on_and_off() {
        for known in [ERROR, FAINT, HEADING, GOOD.underline(), Style::new()] {
            let (on, off) = (known.render().to_string(), known.render_reset().to_string());
            assert_eq!(style(known), (on.clone(), off.clone()));
            assert_eq!((paint(known, "text"), paint(known, "")), (format!("{on}text{off}"), String::new()));
        }
    }
}
