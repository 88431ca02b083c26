//! `entitlement-missing`: a plugin needs an entitlement that the app is not signed with.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_use_seen;
use crate::rules::support::missing::found;

/// See the module.
pub struct EntitlementMissing;

static ABOUT: About = About {
    id: "entitlement-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlement that a plugin needs and the entitlements of the app target do not contain.",
    effect: "The call fails on the device, often with nothing but a line in the log.",
    wrong: "<dict>\n</dict>",
    right: "<dict>\n    <key>aps-environment</key>\n    <string>development</string>\n</dict>",
    remedy: "`fill` adds the key. Where the target has no entitlements file, it makes one and names it in every configuration. Where only the notes of a plugin ask for it and no use is seen, it does so only with `--only`: one that is not wanted breaks signing. The capability must also be on for the app's id in the developer account.",
    source: "Entitlements",
};

impl Rule for EntitlementMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        for (finding, together) in found(context, Kind::Entitlement, &ABOUT) {
            out.push(finding.only_if_named(!is_use_seen(&together.requirements)));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-missing";

    const PROJECT: &str = "{ objects = {\n P = { isa = PBXProject; targets = (T); buildConfigurationList = L; mainGroup = G; };\n G = { isa = PBXGroup; children = (); sourceTree = \"<group>\"; };\n T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; };\n L = { isa = XCConfigurationList; buildConfigurations = (C, D); };\n C = { isa = XCBuildConfiguration; name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; }; };\n D = { isa = XCBuildConfiguration; name = Debug; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; }; }; }; rootObject = P; }";
    const NEED: &str = "ios.entitlement = { key = 'aps-environment', value = 'development' }";

    #[test]
    fn a_file_is_made_and_named_in_every_configuration() {
        let app = Fixture::ios("").file("ios/Marram.xcodeproj/project.pbxproj", PROJECT).needs("dunlin_alerts", NEED);
        assert_eq!(app.findings(ID).len(), 1);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = |ending: &str| {
            let file = filled.changed.iter().find(|file| filled.sources.file(**file).shown.ends_with(ending)).unwrap();
            filled.sources.file(*file).text.to_string()
        };
        assert_eq!(
            text("Marram/Marram.entitlements"),
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!DOCTYPE plist PUBLIC \"-//Apple//DTD PLIST 1.0//EN\" \"http://www.apple.com/DTDs/PropertyList-1.0.dtd\">\n<plist version=\"1.0\">\n<dict>\n    <key>aps-environment</key>\n    <string>development</string>\n</dict>\n</plist>\n"
        );
        assert_eq!(text("project.pbxproj").matches("CODE_SIGN_ENTITLEMENTS = Marram/Marram.entitlements;").count(), 2);
        assert!(filled.left.findings.iter().all(|finding| finding.rule.id != ID), "{:?}", filled.left.findings);
    }

    #[test]
    fn an_entitlement_joins_the_others() {
        let project =
            PROJECT.replace("INFOPLIST_FILE = ", "CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; INFOPLIST_FILE = ");
        let list = |inside: &str| format!("<plist version=\"1.0\">\n<dict>\n{inside}</dict>\n</plist>\n");
        let health = "    <key>com.apple.developer.healthkit</key>\n    <true/>\n";
        let app = Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", &project)
            .file("ios/Marram/App.entitlements", &list(health))
            .needs("dunlin_alerts", NEED);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(
            text.as_ref(),
            list(&format!("{health}    <key>aps-environment</key>\n    <string>development</string>\n"))
        );
        let there = Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", &project)
            .file(
                "ios/Marram/App.entitlements",
                &list("    <key>aps-environment</key>\n    <string>production</string>\n"),
            )
            .needs("dunlin_alerts", NEED);
        assert!(there.found(ID).is_empty() && there.found("entitlement-value").is_empty());
    }
}
