//! Asking a person on a terminal.

use std::io::{BufRead as _, IsTerminal as _, Write as _};

/// Says whether there is a person to ask.
pub(crate) fn can_ask() -> bool {
    std::io::stdin().is_terminal() && std::io::stderr().is_terminal()
}

/// Asks for a line of text; an empty line, or the end of the input, is not an answer.
pub(crate) fn ask(question: &str) -> Option<String> {
    let mut stderr = std::io::stderr().lock();
    let _ = write!(stderr, "{question} ").and_then(|()| stderr.flush());
    let mut line = String::new();
    std::io::stdin().lock().read_line(&mut line).ok()?;
    let line = line.trim();
    (!line.is_empty()).then(|| line.to_owned())
}

/// Asks a question to which only `y` or `yes` means yes.
pub(crate) fn confirm(question: &str) -> bool {
    ask(&format!("{question} [y/N]")).is_some_and(|answer| matches!(answer.to_lowercase().as_str(), "y" | "yes"))
}
