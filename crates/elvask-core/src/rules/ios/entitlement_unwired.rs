//! `entitlement-unwired`: there is an entitlements file, and the target is not signed with it.

use elvask_markup::plist::{PropertyList, plan};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::files::shown;
use elvask_project::source::Place;
use elvask_project::xcode::wire_entitlements;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct EntitlementUnwired;

static ABOUT: About = About {
    id: "entitlement-unwired",
    level: Level::Warning,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlements file beside the property list that no configuration of the target names.",
    effect: "The app is signed without any of what is in it.",
    wrong: "(Marram.entitlements, and no CODE_SIGN_ENTITLEMENTS)",
    right: "CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;",
    remedy: "`fill --only entitlement-unwired` names the file in every configuration. What is in it must be on for the app's id in the developer account.",
    source: "Build settings reference: Code Signing Entitlements",
};

impl Rule for EntitlementUnwired {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(file) = context.app.ios.as_ref().and_then(|ios| ios.entitlements_unwired) else { return };
        let Some((project, target)) = context.surface.target() else { return };
        // Once the setting is there, the file is.
        if context.surface.settings().is_some_and(|settings| settings.value("CODE_SIGN_ENTITLEMENTS").is_some()) {
            return;
        }
        let source = context.sources.file(file);
        let Ok(list) = PropertyList::parse(source.text.clone()) else { return };
        let keys: Vec<&str> = list.entries().iter().map(|entry| entry.key.as_str()).collect();
        let Some((first, rest)) = keys.split_first() else { return };
        let path = shown(&source.path, &project.folder);
        let name = path.rsplit('/').next().unwrap_or(&path);
        let more = if rest.is_empty() { String::new() } else { format!(" and {} more", rest.len()) };
        let message = format!("{name} declares {first}{more}, and no configuration of {} names it", target.name);
        let text = &context.sources.file(project.file).text;
        let wiring = wire_entitlements(project, text, target, &path);
        let title = format!("name {path} in every configuration of {}", target.name);
        let place = Place { file, span: plan::start_tag(&list, list.root()) };
        out.push(Finding::new(&ABOUT, name, place, message).only_if_named(true).mend(Remedy::edit(
            title,
            project.file,
            wiring,
        )));
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-unwired";

    fn list(inside: &str) -> String {
        format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n")
    }

    const PUSH: &str = "    <key>aps-environment</key>\n    <string>development</string>\n";

    #[test]
    fn a_file_that_no_configuration_names_is_told_and_named() {
        let app = Fixture::ios("").file("ios/Marram/Marram.entitlements", &list(PUSH));
        assert_eq!(app.found(ID), ["warning Marram.entitlements 2:1"]);
        assert_eq!(
            app.findings(ID)[0].message,
            "Marram.entitlements declares aps-environment, and no configuration of Marram names it"
        );
        app.is_left_alone();
        let mut named = app.clone();
        named.settings.only = vec![ID.to_owned()];
        let filled = crate::fill::fill(&named.load(), &named.settings).unwrap();
        let project = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(project.matches("CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;").count(), 2, "{project}");
        assert!(filled.left.findings.iter().all(|one| one.rule.id != ID));
    }

    #[test]
    fn what_is_named_or_says_nothing_is_left() {
        assert!(Fixture::ios("").domains(&["applinks:marram.example"]).found(ID).is_empty());
        assert!(Fixture::ios("").file("ios/Marram/Marram.entitlements", &list("")).found(ID).is_empty());
        let two = Fixture::ios("")
            .file("ios/Marram/Marram.entitlements", &list(PUSH))
            .file("ios/Marram/Other.entitlements", &list(PUSH));
        assert!(two.found(ID).is_empty(), "which one is meant is not known");
    }
}
