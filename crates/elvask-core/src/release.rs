//! What a release goes through, in the order in which it would be stopped: the build and its signature, the upload, the review, the devices.

use elvask_needs::kinds::android::level::stated;
use elvask_needs::requirement::TARGET_LEVEL;
use elvask_platform::{Level, Platform};
use elvask_project::appfiles::{AndroidApp, IosApp};

use crate::account::Account;
use crate::context::Context;
use crate::finding::Finding;
use crate::judged::judged;

/// Who stops a release.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Stage {
    /// It is not built, or not signed.
    Build,
    /// The store's machines refuse it.
    Upload,
    /// A person at the store refuses it, or asks.
    Review,
    /// It ships, and does not do on devices what it should.
    Device,
}

impl Stage {
    /// All of them, in their order.
    pub const ALL: [Stage; 4] = [Stage::Build, Stage::Upload, Stage::Review, Stage::Device];

    /// Returns the word for it, as in JSON.
    #[must_use]
    pub fn id(self) -> &'static str {
        match self {
            Stage::Build => "build",
            Stage::Upload => "upload",
            Stage::Review => "review",
            Stage::Device => "device",
        }
    }

    /// Returns what heads its part of the page.
    #[must_use]
    pub fn title(self) -> &'static str {
        match self {
            Stage::Build => "The build and its signature",
            Stage::Upload => "The upload",
            Stage::Review => "The review",
            Stage::Device => "On devices",
        }
    }
}

/// One thing that a person makes sure of before a release.
pub struct Point {
    /// Who stops a release that is not right there.
    pub stage: Stage,
    /// The platform; `None` for both.
    pub platform: Option<Platform>,
    /// What is right when all is well, in a few words.
    pub title: &'static str,
    /// The rules that look at it.
    pub rules: &'static [&'static str],
    /// Says whether it concerns the app, and whether it could be looked at.
    look: fn(&Context<'_>) -> Looked,
}

/// Whether a point was looked at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Looked {
    /// It was.
    Yes,
    /// It was not, for this reason.
    No(String),
    /// The app has nothing of the kind.
    Nothing,
}

/// A point that concerns an app.
#[derive(Clone)]
pub struct Verdict {
    /// The point.
    pub point: &'static Point,
    /// Why it could not be looked at; `None` where it was.
    pub not: Option<String>,
}

/// A release, and what a person makes sure of before it.
#[derive(Debug, Clone)]
pub struct Release {
    /// The app's id, where it is known.
    pub id: Option<String>,
    /// Its versions, each with its build where that is known; one where all platforms and variants have the same.
    pub versions: Vec<(String, Option<String>)>,
    /// The points that concern the app, in their order.
    pub points: Vec<Verdict>,
}

impl Release {
    /// Gathers what there is to say of a release of the app, given what was found.
    #[must_use]
    pub fn of(context: &Context<'_>, findings: &[Finding]) -> Self {
        let app = context.app;
        let android = app.android.as_ref().and_then(|android| AndroidApp::judged(android).next());
        let mut id = android.and_then(|variant| variant.id.value.clone());
        let mut versions: Vec<(String, Option<String>)> = Vec::new();
        let mut add = |version: Option<String>, build: Option<String>| {
            let Some(version) = version else { return };
            let fits = |other: &Option<String>| *other == build || other.is_none() || build.is_none();
            match versions.iter_mut().find(|(known, other)| *known == version && fits(other)) {
                Some((_, known)) => *known = known.take().or(build),
                None => versions.push((version, build)),
            }
        };
        if let Some(variant) = android {
            add(variant.version_name.value.clone(), variant.version_code.value.map(|code| code.to_string()));
        }
        if let Some(ios) = &app.ios {
            id = id.or_else(|| ios.id.value.clone());
            add(
                context.listed_or("CFBundleShortVersionString", &ios.version).0,
                context.listed_or("CFBundleVersion", &ios.build).0,
            );
        }
        Release { id, versions, points: verdicts(context, findings) }
    }
}

impl std::fmt::Debug for Verdict {
    fn fmt(&self, out: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(out, "{}: {:?}", self.point.title, self.not)
    }
}

impl Verdict {
    /// Goes through the findings that belong to the point.
    pub fn findings<'f>(&self, all: &'f [Finding]) -> impl Iterator<Item = &'f Finding> {
        all.iter().filter(|finding| std::ptr::eq(point_of(finding.rule.id), self.point))
    }
}

/// All points, in the order in which a release is stopped. The last one takes what no other names.
pub static POINTS: &[Point] = &[
    Point {
        stage: Stage::Build,
        platform: None,
        title: "all files and packages could be read",
        rules: &["file-unreadable", "sheet-invalid", "config-invalid", "not-judged", "sheet-outdated"],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Build,
        platform: None,
        title: "what the build needs is there",
        rules: &[
            "merge-conflict",
            "gradle-missing",
            "resource-missing",
            "icon-missing",
            "file-missing",
            "level-too-low",
            "min-version-too-low",
            "build-setting",
            "requirement-conflict",
            "provider-form",
            "attribute-idle",
            "built-differs",
        ],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Build,
        platform: Some(Platform::Android),
        title: "signed with a key of its own",
        rules: &["release-debug-signed", "fingerprint-unregistered"],
        look: |context| {
            let Some(android) = &context.app.android else { return Looked::Nothing };
            let release = || {
                let types = android.modules.first().map(|module| module.build_types.as_slice()).unwrap_or_default();
                types.iter().any(|one| one.name == "release" && one.signing.is_some())
            };
            if release() { Looked::Yes } else { Looked::No("the build files do not say plainly with which".to_owned()) }
        },
    },
    Point {
        stage: Stage::Build,
        platform: Some(Platform::Ios),
        title: "entitlements, profiles and certificates agree",
        rules: &[
            "entitlement-unwired",
            "entitlement-differs",
            "entitlement-value",
            "group-unshared",
            "entitlement-not-in-profile",
            "entitlement-unregistered",
            "profile-unfit",
            "certificate-unfit",
        ],
        look: |context| match (&context.app.ios, context.surface.entitlements()) {
            (None, _) => Looked::Nothing,
            (Some(_), None) if context.app.account.file.is_none() => Looked::Nothing,
            _ => registered(context, "no profile is named", |account| !account.profiles.is_empty()),
        },
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Android),
        title: "neither debuggable nor for trials alone",
        rules: &["debuggable-release", "test-only-release"],
        look: |context| of(context, Platform::Android),
    },
    Point {
        stage: Stage::Upload,
        platform: None,
        title: "version and build are higher than the last ones",
        rules: &["version-not-raised"],
        look: |context| {
            let by_account = context.app.account.all_apps().any(|app| app.highest_build.is_some());
            let mut variants = context.app.android.iter().flat_map(AndroidApp::judged);
            let android = variants.all(|variant| variant.version_code.value.is_some());
            let build = |ios: &IosApp| context.listed_or("CFBundleVersion", &ios.build).0;
            let ios = context.app.ios.as_ref().is_none_or(|ios| build(ios).is_some());
            let why = if !by_account && context.settings.last.is_none() {
                "no tag of the repository, no highest-build in elvask/account.toml and no --last says what they were"
            } else if !(android && ios) {
                "only the build knows the new one"
            } else {
                return Looked::Yes;
            };
            Looked::No(why.to_owned())
        },
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Android),
        title: "the target level is what the store accepts",
        rules: &["target-level-old"],
        look: |context| {
            let Some(android) = &context.app.android else { return Looked::Nothing };
            let known = stated(android, TARGET_LEVEL).is_some_and(|said| said.value.is_some());
            if known { Looked::Yes } else { Looked::No("only the build knows it".to_owned()) }
        },
    },
    Point {
        stage: Stage::Upload,
        platform: None,
        title: "ids are well-formed, and the same in all files",
        rules: &[
            "identity-form",
            "identity-case",
            "identity-mismatch",
            "file-mismatch",
            "app-differs",
            "preference-value",
        ],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Upload,
        platform: None,
        title: "ids and products are those that are registered",
        rules: &["app-unregistered", "service-id-unregistered", "product-unregistered"],
        look: |context| registered(context, "", |_| true),
    },
    Point {
        stage: Stage::Upload,
        platform: None,
        title: "icons have their sizes",
        rules: &["icon-size"],
        look: |context| match context.app.icons.unseen.first() {
            Some((platform, why)) => Looked::No(format!("{}: {why}", platform.title())),
            None => Looked::Yes,
        },
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Ios),
        title: "each purpose is there, in each language",
        rules: &["purpose-missing", "purpose-empty", "purpose-unknown", "purpose-superseded", "purpose-untranslated"],
        look: |context| of(context, Platform::Ios),
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Ios),
        title: "privacy manifest and reasons are complete",
        rules: &["privacy-reason-missing", "privacy-manifest"],
        look: |context| of(context, Platform::Ios),
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Android),
        title: "the manifest is one that stores and devices accept",
        rules: &["exported-unstated", "filter-form", "query-form", "service-type-missing", "component-misplaced"],
        look: |context| of(context, Platform::Android),
    },
    Point {
        stage: Stage::Upload,
        platform: Some(Platform::Ios),
        title: "the property list is one that the store accepts",
        rules: &["plist-type", "plist-duplicate", "plist-value", "plist-companion", "background-mode-unknown"],
        look: |context| of(context, Platform::Ios),
    },
    Point {
        stage: Stage::Review,
        platform: Some(Platform::Ios),
        title: "each purpose says what this app does",
        rules: &["purpose-placeholder", "purpose-vague"],
        look: |context| of(context, Platform::Ios),
    },
    Point {
        stage: Stage::Review,
        platform: None,
        title: "nothing is asked for that nothing needs",
        rules: &["declared-unneeded", "background-mode-unneeded", "permission-wider", "permission-brought"],
        look: |context| match context.app.not_installed.len() {
            0 => Looked::Yes,
            _ => Looked::No("some packages are not installed, so what they need is not known".to_owned()),
        },
    },
    Point {
        stage: Stage::Review,
        platform: Some(Platform::Android),
        title: "no permission wants a form filled in at the store",
        rules: &["permission-store-review", "query-broad"],
        look: |context| of(context, Platform::Android),
    },
    Point {
        stage: Stage::Review,
        platform: None,
        title: "connections are protected",
        rules: &["transport-open"],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Review,
        platform: None,
        title: "what was accepted still holds",
        rules: &["waiver-stale"],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Device,
        platform: None,
        title: "ids and keys are your own, no samples",
        rules: &[
            "value-sample",
            "value-placeholder",
            "value-form",
            "value-differs",
            "answer-missing",
            "store-file-unnamed",
        ],
        look: |_| Looked::Yes,
    },
    Point {
        stage: Stage::Device,
        platform: Some(Platform::Ios),
        title: "push is that of the store",
        rules: &["push-development"],
        look: |context| {
            let pushes =
                context.surface.entitlements().is_some_and(|(_, list)| list.entry("aps-environment").is_some());
            if pushes { Looked::Yes } else { Looked::Nothing }
        },
    },
    Point {
        stage: Stage::Device,
        platform: None,
        title: "links reach the app, from everywhere",
        rules: &[
            "domain-developer-mode",
            "link-local-host",
            "link-one-sided",
            "association-missing",
            "association-mismatch",
            "domain-missing",
            "domain-form",
            "filter-missing",
            "filter-incomplete",
            "filter-mixed-data",
            "filter-overlap",
            "filter-autoverify",
            "url-scheme-missing",
            "url-scheme-form",
            "url-scheme-reserved",
            "launch-mode",
        ],
        look: |context| {
            let links = context.links();
            let android = links.android.iter().any(|(_, links)| links.link_filters().next().is_some());
            let ios = links.ios.as_ref().is_some_and(|ios| !(ios.schemes.is_empty() && ios.domains.is_empty()));
            if !android && !ios { Looked::Nothing } else { Looked::Yes }
        },
    },
    Point {
        stage: Stage::Device,
        platform: None,
        title: "the places that the app asks can be reached",
        rules: &["cleartext-blocked", "access-missing", "access-open"],
        look: |context| match context.app.config.network {
            Some(_) => Looked::Yes,
            None => Looked::No("elvask.toml has no [network] that names them".to_owned()),
        },
    },
    Point {
        stage: Stage::Device,
        platform: None,
        title: "what plugins need is declared",
        rules: &[],
        look: |context| match context.app.not_installed.len() {
            0 => Looked::Yes,
            1 => Looked::No("a package is not installed".to_owned()),
            more => Looked::No(format!("{more} packages are not installed")),
        },
    },
];

/// Says whether an app has a side, as what is looked at.
fn of(context: &Context<'_>, platform: Platform) -> Looked {
    if context.app.has(platform) { Looked::Yes } else { Looked::Nothing }
}

/// Says whether what is registered is known.
fn registered(context: &Context<'_>, lacks: &str, known: fn(&Account) -> bool) -> Looked {
    let account = &context.app.account;
    match account.file {
        None => Looked::No("there is no elvask/account.toml that says what is registered".to_owned()),
        Some(_) if known(account) => Looked::Yes,
        Some(_) => Looked::No(format!("elvask/account.toml: {lacks}")),
    }
}

/// Returns the point to which the findings of a rule belong.
#[must_use]
pub fn point_of(rule: &str) -> &'static Point {
    let named = POINTS.iter().find(|point| point.rules.contains(&rule));
    // The list is not empty.
    #[expect(clippy::indexing_slicing, reason = "the list is written above and has a last element")]
    named.unwrap_or(&POINTS[POINTS.len() - 1])
}

/// Returns the points that concern an app, in their order. What has findings concerns it in any case.
fn verdicts(context: &Context<'_>, findings: &[Finding]) -> Vec<Verdict> {
    let sides = judged(context);
    let none = sides.iter().all(|side| side.not.is_some());
    let mut out = Vec::new();
    for point in POINTS {
        let found = findings.iter().any(|finding| std::ptr::eq(point_of(finding.rule.id), point));
        let not = match (point.look)(context) {
            Looked::Nothing if !found => continue,
            Looked::No(why) => Some(why),
            // Of a side whose files were not read nothing is right.
            Looked::Yes | Looked::Nothing => sides.iter().find_map(|side| {
                let concerns = point.platform.is_none_or(|platform| platform == side.platform);
                let why = side.not.as_ref().filter(|_| concerns && (none || context.app.has(side.platform)))?;
                Some(format!("{}: {why}", side.platform.title()))
            }),
        };
        out.push(Verdict { point, not });
    }
    out
}

/// Returns how bad the worst of some findings is; waived ones do not count.
pub fn worst<'f>(findings: impl Iterator<Item = &'f Finding>) -> Option<Level> {
    findings.filter(|finding| finding.counts()).map(|finding| finding.level).max()
}

#[cfg(test)]
mod tests {
    use super::{POINTS, Stage, Verdict, point_of};
    use crate::check::{Report, check};
    use crate::rules;
    use crate::testing::Fixture;

    #[test]
    fn each_point_names_rules_that_there_are_and_none_twice() {
        let mut seen = std::collections::BTreeSet::new();
        for point in POINTS {
            for rule in point.rules {
                assert!(rules::find(rule).is_some(), "{rule}: there is no such rule");
                assert!(seen.insert(*rule), "{rule}: two points name it");
            }
        }
        let stages: Vec<Stage> = POINTS.iter().map(|point| point.stage).collect();
        assert!(stages.is_sorted(), "points stand in the order in which a release is stopped");
    }

    fn points(report: &Report) -> &[Verdict] {
        &report.release.as_ref().expect("it is about a release").points
    }

    #[test]
    fn what_was_not_looked_at_is_never_called_right() {
        let mut app = Fixture::android("    <application android:debuggable=\"true\" />\n");
        app.settings.release = true;
        let report = check(&app.load(), &app.settings);
        let verdict = |rule: &str| {
            let point = point_of(rule);
            points(&report).iter().find(|verdict| std::ptr::eq(verdict.point, point)).expect("it concerns the app")
        };
        assert!(verdict("app-unregistered").not.as_ref().is_some_and(|why| why.contains("account.toml")));
        assert!(verdict("version-not-raised").not.is_some());
        let debuggable = verdict("debuggable-release");
        assert_eq!((debuggable.not.clone(), debuggable.findings(&report.findings).count()), (None, 1));
        assert!(points(&report).iter().all(|one| one.point.platform != Some(elvask_platform::Platform::Ios)));
        let mut broken = Fixture::android("    <application>\n");
        broken.settings.release = true;
        let report = check(&broken.load(), &broken.settings);
        assert!(points(&report).iter().all(|one| one.not.is_some()), "a manifest that cannot be read says nothing");
        app.settings.release = false;
        assert!(check(&app.load(), &app.settings).release.is_none());
    }
}
