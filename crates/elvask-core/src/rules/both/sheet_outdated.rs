//! `sheet-outdated`: the installed version of a plugin is outside the range that its sheet speaks about.

use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::is_outdated;
use crate::rules::Rule;

/// See the module.
pub struct SheetOutdated;

static ABOUT: About = About {
    id: "sheet-outdated",
    level: Level::Warning,
    platform: None,
    summary: "Reports a sheet that does not speak about the installed version of its plugin.",
    effect: "The installed version may require something else; the sheet counts as likely.",
    wrong: "versions = \">=2.0.0, <3.0.0\"   # installed: 3.1.0",
    right: "versions = \">=2.0.0, <4.0.0\"",
    remedy: "A person reads the plugin's notes about the new version and brings the sheet up to date.",
    source: "docs/sheets.md",
};

impl Rule for SheetOutdated {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for plugin in &context.app.plugins {
            let Some(found) = plugin.sheet.as_ref().filter(|found| is_outdated(plugin, &found.sheet)) else { continue };
            let Some((_, range)) = &found.sheet.versions else { continue };
            let installed = plugin.version.as_deref().unwrap_or_default();
            let message =
                format!("{} {installed} is installed, and the sheet speaks about {}", plugin.name, range.text);
            let steps =
                format!("Compare the sheet with the notes of {} {installed}, then widen `versions`.", plugin.name);
            let place = Place { file: found.file, span: range.span };
            out.push(Finding::new(&ABOUT, plugin.name.clone(), place, message).mend(Remedy::Manual(steps)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn an_outdated_sheet_makes_its_needs_likely() {
        let app = |range: &str| {
            let sheet = format!("versions = '{range}'\n[[requires]]\ncapability = 'camera'");
            Fixture::android("    <application/>\n").plugin("tern_camera", &sheet)
        };
        assert_eq!(app("<2.0.0").found("sheet-outdated"), ["warning tern_camera 2:12"]);
        assert_eq!(app("<2.0.0").found("permission-missing"), ["warning android.permission.CAMERA 1:1"]);
        assert!(app(">=2.0.0, <4.0.0").found("sheet-outdated").is_empty());
    }
}
