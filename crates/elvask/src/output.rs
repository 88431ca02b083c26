//! Where words go: results to standard output, everything else to standard error.

use std::borrow::Cow;
use std::io::{IsTerminal as _, Write as _};

use anstream::{AutoStream, ColorChoice};
use serde::Serialize;

use crate::render::style;

/// Why a command could not run.
#[derive(Debug, Clone)]
pub(crate) struct Failure {
    message: String,
    hint: Option<String>,
}

impl Failure {
    pub(crate) fn new(message: impl Into<String>) -> Self {
        Failure { message: message.into(), hint: None }
    }

    /// Adds what to do about it.
    pub(crate) fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }
}

/// The two streams, with the choices of the command line about them.
pub(crate) struct Output {
    choice: ColorChoice,
    pub(crate) quiet: bool,
    pub(crate) verbose: bool,
}

impl Output {
    pub(crate) fn new(choice: ColorChoice, quiet: bool, verbose: bool) -> Self {
        Output { choice, quiet, verbose }
    }

    /// Puts no style into anything, where neither of the streams of this process would show any.
    pub(crate) fn leave_out_styles(&self) {
        let shown = |terminal| self.choice(terminal) != ColorChoice::Never;
        if !shown(std::io::stdout().is_terminal()) && !shown(std::io::stderr().is_terminal()) {
            style::leave_out();
        }
    }

    /// Returns the word for the choice of colour, for a command that runs another one.
    pub(crate) fn color_word(&self) -> &'static str {
        match self.choice {
            ColorChoice::Never => "never",
            ColorChoice::Auto if !std::io::stdout().is_terminal() => "never",
            ColorChoice::Auto if std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty()) => "never",
            _ => "always",
        }
    }

    /// Says whether a person looks at the results: they go to a terminal, or colour is asked for.
    pub(crate) fn is_looked_at(&self) -> bool {
        std::io::stdout().is_terminal() || self.choice == ColorChoice::Always
    }

    /// Prints a result. A reader that has gone away is not a fault.
    pub(crate) fn result(&self, text: &str) {
        let stdout = std::io::stdout();
        // Taken out of the whole text at once: piece by piece, each line would be a write of its own.
        let choice = match self.choice(stdout.is_terminal()) {
            ColorChoice::Auto => AutoStream::choice(&stdout),
            told => told,
        };
        let plain = match choice {
            ColorChoice::Never => crate::render::plain(text),
            _ => Cow::Borrowed(text),
        };
        let mut stream = AutoStream::always_ansi(stdout.lock());
        let _ = stream.write_all(plain.as_bytes()).and_then(|()| stream.flush());
    }

    /// Prints a result that is a document for another program, as it is.
    pub(crate) fn raw(&self, text: &str) {
        let mut stream = std::io::stdout().lock();
        let _ = stream.write_all(text.as_bytes()).and_then(|()| stream.flush());
    }

    /// Prints a result as JSON.
    pub(crate) fn json(&self, value: &impl Serialize) {
        let text = serde_json::to_string_pretty(value).unwrap_or_default();
        let _ = writeln!(std::io::stdout().lock(), "{}", crate::render::escaped_json(text));
    }

    /// Prints a result as one line of JSON.
    pub(crate) fn json_line(&self, value: &impl Serialize) {
        let text = serde_json::to_string(value).unwrap_or_default();
        let mut stream = std::io::stdout().lock();
        let _ = writeln!(stream, "{}", crate::render::escaped_json(text)).and_then(|()| stream.flush());
    }

    /// Says something that belongs to no result.
    pub(crate) fn say(&self, text: &str) {
        let mut stream = AutoStream::new(std::io::stderr().lock(), self.choice(std::io::stderr().is_terminal()));
        let _ = writeln!(stream, "{text}");
    }

    /// Says what limits the result.
    pub(crate) fn notice(&self, text: &str) {
        if !self.quiet {
            let (on, off) = style(style::NOTICE);
            self.say(&format!("{on}notice:{off} {}", crate::render::clean(text)));
        }
    }

    /// Says what limits every result, the weightiest first: in one line, as it is the same at each command.
    pub(crate) fn limits(&self, limits: &[String]) {
        match limits {
            [first, rest @ ..] if !rest.is_empty() && !self.verbose => {
                let limits = if rest.len() == 1 { "limit" } else { "limits" };
                self.notice(&format!("{first}; and {} more {limits}: -v lists them", rest.len()));
            }
            limits => limits.iter().for_each(|limit| self.notice(limit)),
        }
    }

    /// Says why a command could not run.
    pub(crate) fn failure(&self, failure: &Failure) {
        let (on, off) = style(style::ERROR);
        self.say(&format!("{on}error:{off} {}", crate::render::clean(&failure.message)));
        if let Some(hint) = &failure.hint {
            self.say(&format!("  {}", crate::render::clean(hint)));
        }
    }

    fn choice(&self, terminal: bool) -> ColorChoice {
        match self.choice {
            ColorChoice::Auto if !terminal => ColorChoice::Never,
            ColorChoice::Auto if std::env::var_os("NO_COLOR").is_some_and(|value| !value.is_empty()) => {
                ColorChoice::Never
            }
            ColorChoice::Auto => ColorChoice::Always,
            choice => choice,
        }
    }
}
