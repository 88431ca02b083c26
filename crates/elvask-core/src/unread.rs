//! What is not said while a file cannot be read: that something is missing which the file may hold.

use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::Finding;

/// The parts of an app that cannot be read.
#[derive(Debug, Clone, Copy, Default)]
struct Unread {
    /// A manifest or a Gradle file.
    android: bool,
    /// The project or the property list.
    ios: bool,
    /// The entitlements.
    entitlements: bool,
    /// A privacy manifest.
    privacy: bool,
}

/// Takes findings out that say that something is missing where a file that may hold it cannot be read.
pub(crate) fn drop_what_depends(context: &Context<'_>, findings: &mut Vec<Finding>) {
    let mut unread = Unread::default();
    let faults = context.app.faults.iter().chain(&context.surface.faults);
    let mut any = false;
    for fault in faults {
        any = true;
        let ends = |end: &str| fault.file.ends_with(end);
        unread.entitlements |= ends(".entitlements");
        unread.privacy |= ends(".xcprivacy");
        unread.ios |= ends(".pbxproj") || ends(".plist") || ends(".xcconfig");
        unread.android |= ends("AndroidManifest.xml") || ends(".gradle") || ends(".gradle.kts");
    }
    if any {
        findings.retain(|finding| !depends(unread, finding));
    }
}

fn depends(unread: Unread, finding: &Finding) -> bool {
    let id = finding.rule.id;
    let missing = id.ends_with("-missing") || matches!(id, "link-one-sided" | "build-setting" | "min-version-too-low");
    let of_entitlements = missing
        && (id.starts_with("entitlement-") || id.starts_with("domain-") || id == "link-one-sided")
        || id.starts_with("association-");
    match finding.platform {
        // Whether there still is something to waive is not known.
        _ if id == "waiver-stale" => true,
        Some(Platform::Android) => unread.android && missing,
        Some(Platform::Ios) => {
            unread.ios && missing
                || unread.entitlements && of_entitlements
                || unread.privacy && id == "privacy-reason-missing"
        }
        None => (unread.ios || unread.entitlements) && id.starts_with("association-"),
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    #[test]
    fn nothing_is_called_missing_that_a_broken_file_may_hold() {
        let broken = "<plist version=\"1.0\">\n<dict>\n    <key>aps-environment</key>\n</plist>\n";
        let app = Fixture::ios("    <key>A</key>\n    <true/>\n")
            .domains(&[])
            .needs("sanderling_inbox", "ios.entitlement = { key = 'aps-environment', value = 'development' }");
        assert_eq!(app.found("entitlement-missing").len(), 1);
        let app = app.without("ios/Marram/App.entitlements").file("ios/Marram/App.entitlements", broken);
        assert_eq!(app.found("entitlement-missing"), [""; 0]);
        assert_eq!(app.found("file-unreadable").len(), 1);
    }
}
