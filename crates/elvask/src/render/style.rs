//! The styles in use. Where there is no colour they are taken out again.

use std::fmt::Write as _;

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
    (style.render().to_string(), style.render_reset().to_string())
}

/// Returns a text in a style.
pub(crate) fn paint(with: Style, text: &str) -> String {
    let mut out = String::with_capacity(text.len() + 16);
    let _ = write!(out, "{}", with.render());
    out.push_str(text);
    let _ = write!(out, "{}", with.render_reset());
    out
}
