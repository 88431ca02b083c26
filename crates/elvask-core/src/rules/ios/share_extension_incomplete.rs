//! `share-extension-incomplete`: a share extension lacks a part without which it is not offered, refused, or cannot hand over what it gets.

use elvask_markup::Span;
use elvask_markup::plist::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::shares::{entry, groups_of, share_extensions};

/// See the module.
pub struct ShareExtensionIncomplete;

static ABOUT: About = About {
    id: "share-extension-incomplete",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports a share extension without an activation rule, an entry point, or an app group that the app has too.",
    effect: "Sharing to the app fails, or the upload is rejected.",
    wrong: "<key>NSExtensionActivationRule</key>\n<string>TRUEPREDICATE</string>",
    right: "<key>NSExtensionActivationRule</key>\n<dict>\n    <key>NSExtensionActivationSupportsText</key>\n    <true/>\n</dict>",
    remedy: "Left to a person, with the lines: only they know what the extension takes and which group it writes to.",
    source: "App Extension Programming Guide: Share",
};

impl Rule for ShareExtensionIncomplete {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let held = context.surface.entitlements().map(|(_, list)| groups_of(list)).unwrap_or_default();
        for one in share_extensions(context) {
            let name = one.extension.name.as_str();
            let about = one.about();
            let at = one.list.entry("NSExtension").map_or(Span::at(0), |entry| entry.key_span);
            let mut found = |span: Span, message: String, steps: &str| {
                out.push(
                    Finding::new(&ABOUT, name, Place { file: one.file, span }, message)
                        .mend(Remedy::Manual(steps.to_owned())),
                );
            };
            let attributes =
                entry(about, "NSExtensionAttributes").and_then(|entry| entry.value.as_dict()).unwrap_or_default();
            let rule = "Add under NSExtensionAttributes:\n<key>NSExtensionActivationRule</key>\n<dict>\n    <key>NSExtensionActivationSupportsText</key>\n    <true/>\n</dict>";
            match entry(attributes, "NSExtensionActivationRule") {
                None => found(
                    at,
                    format!("the share extension {name} has no activation rule, so it is never offered"),
                    rule,
                ),
                Some(entry) if entry.value.as_str().is_some_and(|text| text.trim() == "TRUEPREDICATE") => {
                    found(
                        plan::start_tag(&one.list, &entry.value),
                        format!(
                            "the activation rule of {name} is TRUEPREDICATE, which is for trying out: review refuses it"
                        ),
                        rule,
                    );
                }
                Some(entry) if entry.value.as_dict().is_some_and(<[_]>::is_empty) => {
                    found(
                        entry.key_span,
                        format!("the activation rule of {name} is empty, so it is never offered"),
                        rule,
                    );
                }
                Some(_) => {}
            }
            let starts = ["NSExtensionPrincipalClass", "NSExtensionMainStoryboard"];
            if !starts.iter().any(|key| entry(about, key).is_some()) {
                let steps = "Add under NSExtension: <key>NSExtensionMainStoryboard</key> with the storyboard's name, or <key>NSExtensionPrincipalClass</key> with the class, such as $(PRODUCT_MODULE_NAME).ShareViewController.";
                found(
                    at,
                    format!("{name} names neither a storyboard nor a class, so there is nothing to start"),
                    steps,
                );
            }
            if !one.groups.iter().any(|group| held.contains(group)) {
                let theirs = if one.groups.is_empty() {
                    "has no app group".to_owned()
                } else {
                    format!("holds {}", one.groups.join(", "))
                };
                let ours = if held.is_empty() { "none".to_owned() } else { held.join(", ") };
                let steps = "Give both targets the capability App Groups with the same group: com.apple.security.application-groups in the entitlements of both, registered in the developer account.";
                found(at, format!("{name} {theirs}, and the app {ours}: what is shared cannot be handed over"), steps);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "share-extension-incomplete";

    fn app(extension: &str, group: &str) -> Fixture {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T, E); buildConfigurationList = L; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; dependencies = (D); buildPhases = (B); };
  D = { isa = PBXTargetDependency; target = E; }; B = { isa = PBXCopyFilesBuildPhase; dstSubfolderSpec = 13; files = (F); }; F = { isa = PBXBuildFile; fileRef = R; }; R = { isa = PBXFileReference; path = Share.appex; };
  E = { isa = PBXNativeTarget; name = Share; productType = \"com.apple.product-type.app-extension\"; productReference = R; buildConfigurationList = M; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; }; };
  M = { buildConfigurations = (N); }; N = { name = Release; buildSettings = { INFOPLIST_FILE = Share/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog.share; CODE_SIGN_ENTITLEMENTS = Share/Share.entitlements; }; }; }; rootObject = P; }";
        let groups = |group: &str| {
            format!(
                "<plist version=\"1.0\"><dict><key>com.apple.security.application-groups</key><array><string>{group}</string></array></dict></plist>"
            )
        };
        Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", project)
            .file("ios/Marram/App.entitlements", &groups("group.example.marram.fieldlog"))
            .file("ios/Share/Share.entitlements", &groups(group))
            .file("ios/Share/Info.plist", &format!("<plist version=\"1.0\">\n<dict>\n<key>NSExtension</key>\n<dict>\n<key>NSExtensionPointIdentifier</key><string>com.apple.share-services</string>\n{extension}</dict>\n</dict>\n</plist>\n"))
    }

    const WHOLE: &str = "<key>NSExtensionMainStoryboard</key><string>Share</string><key>NSExtensionAttributes</key><dict><key>NSExtensionActivationRule</key><dict><key>NSExtensionActivationSupportsText</key><true/></dict></dict>\n";

    #[test]
    fn a_whole_extension_is_left() {
        assert!(
            app(WHOLE, "group.example.marram.fieldlog").found(ID).is_empty(),
            "{:?}",
            app(WHOLE, "group.example.marram.fieldlog").found(ID)
        );
    }

    #[test]
    fn each_lack_is_told() {
        let found = |extension: &str, group: &str| {
            app(extension, group).findings(ID).iter().map(|one| one.message.clone()).collect::<Vec<_>>()
        };
        assert_eq!(
            found("", "group.example.marram.fieldlog").len(),
            2,
            "{:?}",
            found("", "group.example.marram.fieldlog")
        );
        let other = found(WHOLE, "group.example.other");
        assert!(other.len() == 1 && other[0].contains("group.example.other"), "{other:?}");
        let trial = WHOLE.replace(
            "<dict><key>NSExtensionActivationSupportsText</key><true/></dict>",
            "<string>TRUEPREDICATE</string>",
        );
        assert!(found(&trial, "group.example.marram.fieldlog")[0].contains("TRUEPREDICATE"));
    }
}
