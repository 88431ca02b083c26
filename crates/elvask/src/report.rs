//! The forms in which `check` reports: each in a file of its own, and in the list of [`FORMS`].

mod human;
mod json;

use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use elvask_core::app::App;
use elvask_core::check::Report;

use crate::output::Output;

/// An app that has been checked.
pub(crate) struct Checked<'a> {
    /// Its folder as people would type it, where every app of a repository is looked at.
    pub(crate) path: Option<&'a str>,
    pub(crate) app: &'a App,
    /// What was found and is to be shown.
    pub(crate) report: &'a Report,
    /// How many findings are left out because others were asked for.
    pub(crate) left_out: usize,
    /// Whether waived findings are listed too.
    pub(crate) waived: bool,
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
pub(crate) static FORMS: [Form; 2] = [
    Form { name: "human", about: "For people", reporter: || Box::<human::Human>::default() },
    Form { name: "json", about: "For programs", reporter: || Box::<json::Json>::default() },
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
