//! The forms in which `check` reports: each in a file of its own, and in the list of [`FORMS`].

mod annotations;
pub(crate) mod human;
mod json;
mod junit;
mod markdown;
mod release;
mod sarif;

use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use elvask_core::app::App;
use elvask_core::check::Report;
use elvask_core::finding::{Finding, Level};
use elvask_project::source::Sources;

use crate::output::Output;

/// An app that has been checked.
pub(crate) struct Checked<'a> {
    /// Its folder as people would type it, where every app of a repository is looked at.
    pub(crate) path: Option<&'a str>,
    /// Its folder from the current one, with forward slashes and one at the end; empty where they are the same. Tools that mark places in
    /// files are run where the command is.
    pub(crate) prefix: &'a str,
    pub(crate) app: &'a App,
    /// What was found and is to be shown.
    pub(crate) report: &'a Report,
    /// How many findings are left out because others were asked for.
    pub(crate) left_out: usize,
    /// Whether waived findings are listed too.
    pub(crate) waived: bool,
    /// The day that it was held against.
    pub(crate) day: Option<&'a str>,
    /// Which findings make the check fail.
    pub(crate) failing: &'a Failing,
}

impl Checked<'_> {
    /// Says whether a finding makes the check fail.
    pub(crate) fn fails(&self, finding: &Finding) -> bool {
        self.failing.by(finding)
    }
}

/// Which findings make a check fail: those from a level on, and those of some rules whatever their level; those of others never.
#[derive(Debug, Clone)]
pub(crate) struct Failing {
    /// From this level on.
    pub(crate) from: Level,
    /// Rules and families of which everything does.
    pub(crate) denied: Vec<String>,
    /// Rules and families of which nothing does.
    pub(crate) allowed: Vec<String>,
}

impl Failing {
    /// Says whether a finding makes the check fail.
    pub(crate) fn by(&self, finding: &Finding) -> bool {
        let named = |words: &[String]| words.iter().any(|word| is_of(finding.rule.id, word));
        let denied = named(&self.denied) || finding.level >= self.from && !named(&self.allowed);
        finding.counts() && denied
    }
}

/// Says whether a word names a rule or its family: the words that its id starts with.
pub(crate) fn is_of(rule: &str, word: &str) -> bool {
    rule.strip_prefix(word).is_some_and(|rest| rest.is_empty() || rest.starts_with('-'))
}

/// Says whether a word names a rule or a family of rules.
pub(crate) fn is_rule_or_family(word: &str) -> bool {
    !word.is_empty() && elvask_core::rules::RULES.iter().any(|rule| is_of(rule.about().id, word))
}

/// Returns a path of the app as it is typed where the command is run.
fn path_of(prefix: &str, shown: &str) -> String {
    let mut folders: Vec<&str> = prefix.split('/').filter(|part| !part.is_empty()).collect();
    let mut rest = shown;
    while let Some(above) = rest.strip_prefix("../") {
        match folders.last() {
            Some(&"..") | None => break,
            Some(_) => drop(folders.pop()),
        }
        rest = above;
    }
    let root = if prefix.starts_with('/') { "/" } else { "" };
    let inside = if folders.is_empty() { String::new() } else { format!("{}/", folders.join("/")) };
    format!("{root}{inside}{rest}")
}

/// Returns what a finding is told apart by from one check to the next: lines move, these words do not.
pub(crate) fn identity(sources: &Sources, finding: &Finding) -> String {
    let platform = finding.platform.map_or("", elvask_core::Platform::id);
    format!("{}|{platform}|{}|{}", finding.rule.id, finding.subject, sources.file(finding.place.file).shown)
}

/// Reports checks in one form.
pub(crate) trait Reporter {
    /// Takes in one app, and prints what can be printed of it by itself.
    fn app(&mut self, checked: &Checked<'_>, output: &Output);

    /// Prints what is left to be said behind the last app.
    fn end(&mut self, output: &Output);
}

/// A form of reports.
pub(crate) struct Form {
    name: &'static str,
    about: &'static str,
    /// Makes what reports in it.
    pub(crate) reporter: fn() -> Box<dyn Reporter>,
}

/// All forms. The first is the usual one.
pub(crate) static FORMS: [Form; 6] = [
    Form { name: "human", about: "For people", reporter: || Box::<human::Human>::default() },
    Form { name: "json", about: "For programs", reporter: || Box::<json::Json>::default() },
    Form {
        name: "sarif",
        about: "SARIF 2.1.0, for tools that gather findings",
        reporter: || Box::<sarif::Sarif>::default(),
    },
    Form { name: "junit", about: "XML as test runners write it", reporter: || Box::<junit::Junit>::default() },
    Form {
        name: "annotations",
        about: "Lines by which a hosted build marks places in files",
        reporter: || Box::<annotations::Annotations>::default(),
    },
    Form { name: "markdown", about: "A summary in Markdown", reporter: || Box::<markdown::Markdown>::default() },
];

/// Returns what reads the name of a form on the command line.
pub(crate) fn parser() -> impl TypedValueParser<Value = &'static Form> {
    let names = FORMS.iter().map(|form| PossibleValue::new(form.name).help(form.about));
    PossibleValuesParser::new(names).try_map(|name| FORMS.iter().find(|form| form.name == name).ok_or("no such form"))
}

impl std::fmt::Debug for Form {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        out.write_str(self.name)
    }
}

#[cfg(test)]
mod tests {
    use super::{is_of, path_of};

    #[test]
    fn families_are_whole_words() {
        assert!(is_of("permission-missing", "permission") && is_of("query-scheme-form", "query-scheme"));
        assert!(!is_of("permission-missing", "perm") && is_of("permission-missing", "permission-missing"));
    }

    #[test]
    fn paths_are_those_of_the_current_folder() {
        assert_eq!(path_of("", "ios/Info.plist"), "ios/Info.plist");
        assert_eq!(path_of("apps/log/", "ios/Info.plist"), "apps/log/ios/Info.plist");
        assert_eq!(path_of("apps/log/", "../../node_modules/a"), "node_modules/a");
        assert_eq!(path_of("../log/", "../../a"), "../../a");
        assert_eq!(path_of("/w/log/", "../a"), "/w/a");
    }
}
