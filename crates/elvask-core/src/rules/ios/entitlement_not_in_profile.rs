//! `entitlement-not-in-profile`: the provisioning profile does not grant an entitlement that the app asks for.

use elvask_markup::plist::{Entry, Value, ValueKind};
use elvask_needs::remedy::Remedy;
use elvask_platform::{Platform, ios};
use elvask_project::source::Place;

use crate::account::Profile;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::{judged_profiles, resolved, steps_for_profile};

/// See the module.
pub struct EntitlementNotInProfile;

static ABOUT: About = About {
    id: "entitlement-not-in-profile",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an entitlement, or a value of one, that a provisioning profile named in elvask/account.toml does not grant.",
    effect: "Signing fails, or the device refuses to install the app.",
    wrong: "<key>com.apple.developer.siri</key>\n<true/>\n(a profile whose entitlements have no com.apple.developer.siri)",
    right: "(the capability turned on for the app id, and the profile regenerated)",
    remedy: "A person turns the capability on for the app id in the developer account, regenerates the profile and puts it in the place of the old one.",
    source: "TN3125: Inside Code Signing: Provisioning Profiles",
};

/// What signing puts in by itself.
const BY_SIGNING: [&str; 3] = ["application-identifier", "com.apple.developer.team-identifier", "get-task-allow"];

impl Rule for EntitlementNotInProfile {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(ios) = &context.app.ios else { return };
        for judged in judged_profiles(context) {
            let Some((file, list)) = judged.signed.entitlements(context, &ios.configuration) else { continue };
            // A profile of another app grants this one nothing at all, which is told once.
            if !judged.is_for_app {
                continue;
            }
            for entry in list.entries() {
                let known = ios::entitlement(&entry.key).is_some() || entry.key.starts_with("com.apple.developer.");
                // What says no asks for nothing.
                let asked =
                    known && !BY_SIGNING.contains(&entry.key.as_str()) && entry.value.kind != ValueKind::Bool(false);
                if !asked {
                    continue;
                }
                let id = judged.signed.id.value.as_deref();
                for (span, lacking) in lacking(judged.profile, entry, id) {
                    let what = match &lacking {
                        Some(value) => format!("\"{value}\" of the entitlement {}", entry.key),
                        None => format!("the entitlement {}", entry.key),
                    };
                    let message = format!("{what} is not granted by the profile {}", judged.shown());
                    out.push(
                        Finding::new(&ABOUT, entry.key.clone(), Place { file, span }, message)
                            .level(if judged.is_named_for_it { Level::Error } else { Level::Warning })
                            .related(judged.place, "the profile is named here")
                            .mend(Remedy::Manual(steps_for_profile(&judged, &entry.key, lacking.as_deref()))),
                    );
                }
            }
        }
    }
}

/// Returns what a profile does not grant of an entitlement: the whole of it, or single values, each with its place.
fn lacking(profile: &Profile, entry: &Entry, id: Option<&str>) -> Vec<(elvask_markup::Span, Option<String>)> {
    let Some(granted) = profile.granted(&entry.key).filter(|granted| granted.kind != ValueKind::Bool(false)) else {
        return vec![(entry.key_span, None)];
    };
    // Signing writes the one that the profile grants.
    if entry.key == "aps-environment" {
        return Vec::new();
    }
    let granted: Vec<&str> = match &granted.kind {
        ValueKind::String(one) => vec![one.as_str()],
        ValueKind::Array(all) => all.iter().filter_map(Value::as_str).collect(),
        _ => return Vec::new(),
    };
    let values = entry.value.as_array().unwrap_or(std::slice::from_ref(&entry.value));
    let mut out = Vec::new();
    for value in values {
        let Some(text) = value.as_str().and_then(|text| resolved(text, profile, id)) else { continue };
        // A domain is granted with all others.
        if !granted.iter().any(|granted| crate::account::covers(granted, &text)) {
            out.push((value.span, Some(text)));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "entitlement-not-in-profile";
    const PROFILE: &str = "[[ios.profiles]]\nfile = \"store.mobileprovision\"\nconfiguration = \"Release\"\n";

    #[test]
    fn what_the_profile_grants_is_right_and_the_rest_is_told() {
        let list = "<key>com.apple.developer.associated-domains</key>\n<array>\n<string>applinks:marram.example</string>\n</array>\n<key>com.apple.developer.siri</key>\n<true/>\n<key>com.apple.security.application-groups</key>\n<array>\n<string>group.example.marram</string>\n<string>group.example.other</string>\n<string>group.$(WHO)</string>\n</array>\n<key>keychain-access-groups</key>\n<array>\n<string>$(AppIdentifierPrefix)example.marram</string>\n</array>\n<key>com.apple.developer.nfc.readersession.formats</key>\n<false/>\n";
        let app = Fixture::registered(list, PROFILE);
        assert_eq!(
            app.found(ID),
            ["error com.apple.developer.siri 7:1", "error com.apple.security.application-groups 12:1"]
        );
        let found = app.findings(ID);
        assert_eq!(
            found[0].message,
            "the entitlement com.apple.developer.siri is not granted by the profile Marram Store (store.mobileprovision)"
        );
        assert!(found[1].message.starts_with("\"group.example.other\" of the entitlement"), "{}", found[1].message);
        app.is_left_alone();
    }

    #[test]
    fn an_extension_is_held_against_its_own_profile() {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T, E); buildConfigurationList = L; };
  T = { isa = PBXNativeTarget; name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; dependencies = (D); buildPhases = (B); };
  D = { isa = PBXTargetDependency; target = E; }; B = { isa = PBXCopyFilesBuildPhase; dstSubfolderSpec = 13; files = (F); }; F = { isa = PBXBuildFile; fileRef = R; }; R = { isa = PBXFileReference; path = Share.appex; };
  E = { isa = PBXNativeTarget; name = Share; productType = \"com.apple.product-type.app-extension\"; productReference = R; buildConfigurationList = M; };
  L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog; }; };
  M = { buildConfigurations = (N); }; N = { name = Release; buildSettings = { INFOPLIST_FILE = Share/Info.plist; PRODUCT_BUNDLE_IDENTIFIER = example.marram.fieldlog.share; CODE_SIGN_ENTITLEMENTS = Share/Share.entitlements; }; }; }; rootObject = P; }";
        let list =
            "<plist version=\"1.0\">\n<dict>\n<key>com.apple.developer.weatherkit</key>\n<true/>\n</dict>\n</plist>\n";
        let with = |account: &str| {
            Fixture::registered("", account)
                .without("ios/Marram.xcodeproj/project.pbxproj")
                .file("ios/Marram.xcodeproj/project.pbxproj", project)
                .file("ios/Share/Info.plist", "<plist version=\"1.0\">\n<dict/>\n</plist>\n")
                .file("ios/Share/Share.entitlements", list)
        };
        let own =
            "[[ios.profiles]]\nfile = 'development.mobileprovision'\nconfiguration = 'Release'\ntarget = 'Share'\n";
        assert_eq!(with(own).found(ID), ["error com.apple.developer.weatherkit 3:1"]);
        // That of the app is for another id, which `profile-unfit` tells.
        let apps = own.replace("development", "store");
        assert!(with(&apps).found(ID).is_empty());
        assert_eq!(
            with(&apps).findings("profile-unfit")[0].message,
            "the profile Marram Store (store.mobileprovision) is for the app id example.marram.fieldlog, and the target Share is example.marram.fieldlog.share"
        );
        assert!(with(&own.replace("target = 'Share'\n", "")).found(ID).is_empty(), "the app has no entitlements");
    }

    #[test]
    fn a_profile_of_another_configuration_is_not_held_against_it() {
        let list = "<key>com.apple.developer.siri</key>\n<true/>\n";
        assert!(Fixture::registered(list, &PROFILE.replace("Release", "Debug")).found(ID).is_empty());
        let open = PROFILE.replace("configuration = \"Release\"\n", "");
        assert_eq!(Fixture::registered(list, &open).found(ID), ["warning com.apple.developer.siri 3:1"]);
        assert!(Fixture::registered(list, &format!("{PROFILE}target = \"Share\"\n")).found(ID).is_empty());
    }
}
