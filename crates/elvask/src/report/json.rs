//! Reports for programs.

use elvask_record::{AllChecksRecord, AppCheckRecord, CheckRecord, FORMAT};

use super::{Checked, Reporter};
use crate::output::Output;

/// One document: the check of the app, or the checks of all apps of a repository.
#[derive(Default)]
pub(crate) struct Json {
    single: Option<CheckRecord>,
    apps: Vec<AppCheckRecord>,
}

impl Reporter for Json {
    fn app(&mut self, checked: &Checked<'_>, _: &Output) {
        let check =
            CheckRecord::of(checked.app, &checked.app.sources, checked.report, checked.left_out, checked.waived);
        match checked.path {
            Some(path) => self.apps.push(AppCheckRecord { path: path.to_owned(), check }),
            None => self.single = Some(check),
        }
    }

    fn end(&mut self, output: &Output) {
        match self.single.take() {
            Some(check) => output.json(&check),
            None => output.json(&AllChecksRecord { format: FORMAT, apps: std::mem::take(&mut self.apps) }),
        }
    }
}
