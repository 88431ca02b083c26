//! `sheet-invalid`: a sheet is not as it must be.

use elvask_project::loading::FaultKind;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::report_faults;

/// See the module.
pub struct SheetInvalid;

static ABOUT: About = About {
    id: "sheet-invalid",
    level: Level::Error,
    platform: None,
    summary: "Reports what is wrong in a sheet: an unknown key, a value of a wrong type, a name that no platform has.",
    effect: "What the plugin requires is not known, so a clean check would mean nothing.",
    wrong: "[[requires]]\ncapability = \"camra\"",
    right: "[[requires]]\ncapability = \"camera\"",
    remedy: "Correct the sheet; for one inside a package, put a corrected copy into `elvask/sheets/`, which wins over it. `check` and `fill` exit with 2, and nothing is written.",
    source: "docs/sheets.md",
};

impl Rule for SheetInvalid {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let steps = "Correct the sheet. If it came with a package, copy it into elvask/sheets/ and correct it there: the app's own sheet wins.";
        report_faults(context, FaultKind::Sheet, &ABOUT, steps, out);
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "sheet-invalid";

    #[test]
    fn a_mistake_in_a_sheet_has_its_place_and_another_sheet_wins_over_it() {
        let app = Fixture::android("    <application/>\n").needs("tern_camera", "capability = 'camra'");
        assert_eq!(app.found(ID), ["error node_modules/tern_camera/elvask-sheet.toml 3:14"]);
        assert!(app.findings(ID)[0].message.contains("did you mean `camera`?"));
        let own = app.file(
            "elvask/sheets/any-name.toml",
            "sheet = 1\nplugin = 'tern_camera'\n[[requires]]\ncapability = 'vibrate'\n",
        );
        assert!(own.found(ID).is_empty());
        assert_eq!(own.found("permission-missing"), ["error android.permission.VIBRATE 1:1"]);
    }
}
