//! One command described alone.

use clap::Args as _;

use super::{Check, Fill, Options, Survey, Voice, Why};

impl Options {
    /// Describes one command alone, where it is one of those that run dozens of times a day: all commands together have some hundred
    /// options. What is wrong or asked for help is told by the whole description.
    pub(crate) fn of_one(command: &str) -> Option<clap::Command> {
        let command = match command {
            "check" => Check::augment_args(clap::Command::new("check")),
            "fill" => Fill::augment_args(clap::Command::new("fill")),
            "survey" => Survey::augment_args(clap::Command::new("survey")),
            "why" => Why::augment_args(clap::Command::new("why")),
            _ => return None,
        };
        Some(Voice::augment_args(clap::Command::new("elvask")).subcommand(command).subcommand_required(true))
    }
}

#[cfg(test)]
mod tests {
    use clap::{CommandFactory as _, FromArgMatches as _};

    use super::*;
    use crate::options::{Color, Command};

    #[test]
    fn a_command_that_is_described_alone_has_the_same_options() {
        let mut whole = Options::command();
        whole.build();
        for name in ["check", "fill", "survey", "why"] {
            let mut alone = Options::of_one(name).unwrap();
            alone.build();
            let described = |command: &clap::Command| {
                let command = command.find_subcommand(name).unwrap();
                // But for where they are told of.
                let plain = |argument: &clap::Arg| {
                    let text = format!("{argument:?}");
                    let (before, after) = text.split_once("disp_ord: ").unwrap();
                    format!("{before}{}", after.split_once(", ").unwrap().1)
                };
                command.get_arguments().map(plain).collect::<Vec<_>>()
            };
            assert!(described(&whole).len() > 5, "{name}");
            assert_eq!(described(&alone), described(&whole), "{name}");
        }
        assert!(Options::of_one("Check").is_none() && Options::of_one("-q").is_none());
        let words = ["elvask", "check", "--release", "-q", "--color", "never"];
        let read = Options::of_one("check").unwrap().try_get_matches_from(words).unwrap();
        let read = Options::from_arg_matches(&read).unwrap();
        let Command::Check(check) = read.command else { panic!("{read:?}") };
        assert!(check.release && read.voice.quiet && read.voice.color == Color::Never);
    }
}
