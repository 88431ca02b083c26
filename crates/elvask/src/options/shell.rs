//! `elvask completions` and `elvask man`.

use std::path::PathBuf;

use clap::{Args, ValueEnum};

/// `elvask completions`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  source <(elvask completions bash)              in ~/.bashrc
  source <(elvask completions zsh)               in ~/.zshrc, behind compinit
  elvask completions fish | source               in ~/.config/fish/config.fish
  elvask completions powershell | Out-String | Invoke-Expression

Commands, options, rules, permissions and the plugins of the app around you are completed. What is printed asks this program for
the words, so it is best made anew at each start of the shell.")]
pub(crate) struct Completions {
    /// The shell.
    #[arg(value_name = "SHELL")]
    pub(crate) shell: Shell,
}

/// A shell.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Shell {
    /// Bash.
    Bash,
    /// Zsh.
    Zsh,
    /// Fish.
    Fish,
    /// PowerShell.
    Powershell,
    /// Elvish.
    Elvish,
}

/// `elvask man`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask man check | man -l -            the page of one command
  elvask man link try | man -l -
  elvask man --output ~/.local/share/man/man1    all pages into a folder")]
pub(crate) struct Man {
    /// The command; the page of the whole program without.
    #[arg(value_name = "COMMAND")]
    pub(crate) command: Vec<String>,
    /// Write the pages of all commands into this folder.
    #[arg(short, long, value_name = "DIR", conflicts_with = "command")]
    pub(crate) output: Option<PathBuf>,
}
