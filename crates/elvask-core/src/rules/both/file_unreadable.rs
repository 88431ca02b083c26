//! `file-unreadable`: a file of the app cannot be read or parsed.

use elvask_project::loading::FaultKind;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::report_faults;

/// See the module.
pub struct FileUnreadable;

static ABOUT: About = About {
    id: "file-unreadable",
    level: Level::Error,
    platform: None,
    summary: "Reports a file of the app that cannot be read or parsed, so that what it declares is not known.",
    effect: "The build fails at it too, and nothing that it declares can be checked.",
    wrong: "<manifest>\n    <application>\n</manifest>",
    right: "<manifest>\n    <application>\n    </application>\n</manifest>",
    remedy: "A person corrects the file. `check` and `fill` exit with 2, and nothing is written.",
    source: "Extensible Markup Language (XML) 1.0",
};

impl Rule for FileUnreadable {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        report_faults(
            context,
            FaultKind::File,
            &ABOUT,
            "Correct the file at this place, then run the command again.",
            out,
        );
    }
}

#[cfg(test)]
mod tests {
    use crate::fill::{FillError, fill};
    use crate::testing::{Fixture, MANIFEST, PLIST};

    const ID: &str = "file-unreadable";

    #[test]
    fn an_unclosed_tag_is_named_and_nothing_is_mended() {
        let app = Fixture::android("    <application>\n").needs("tern_camera", "capability = 'camera'");
        assert_eq!(app.found(ID), [format!("error {MANIFEST} 3:1")]);
        let finding = app.findings(ID).remove(0);
        assert_eq!(finding.message, "`</manifest>` closes nothing here: `<application>` is still open");
        assert!(finding.related.is_some());
        assert!(matches!(fill(&app.load(), &app.settings), Err(FillError::Obstacles(_))));
    }

    #[test]
    fn a_list_without_a_dictionary_is_named() {
        let app = Fixture::default().file(PLIST, "<plist version=\"1.0\">\n<array/>\n</plist>\n");
        assert_eq!(app.found(ID), [format!("error {PLIST} 2:1")]);
        assert!(app.findings(ID)[0].message.contains("must be a dictionary"));
    }

    #[test]
    fn a_dependency_file_that_is_no_json_is_named() {
        let app = Fixture::android("").file("elvask.toml", "elvask = 1\n");
        let mut tree = app.tree();
        tree.put("/app/package.json", "{\n  \"dependencies\": {,}\n}");
        let app = crate::app::App::load(&tree, std::path::Path::new("/app"), &[]).unwrap();
        let report = crate::check::check(&app, &crate::needs::Settings::default());
        let finding = report.findings.iter().find(|finding| finding.rule.id == ID).unwrap();
        let at = app.sources.position(finding.place);
        assert_eq!((finding.subject.as_str(), at.line, at.column), ("package.json", 2, 20));
    }
}
