//! `elvask lsp`.

use clap::Args;

/// `elvask lsp`.
#[derive(Debug, Args)]
#[command(after_help = "\
Examples:
  elvask lsp             an editor starts it and speaks to it over standard input and output

docs/editors.md of the project has the lines for common editors.")]
pub(crate) struct Lsp {
    /// Speak over standard input and output; it is the only way, and editors like to say so.
    #[arg(long)]
    pub(crate) stdio: bool,
}
