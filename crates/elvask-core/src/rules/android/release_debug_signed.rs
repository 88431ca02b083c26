//! `release-debug-signed`: the release is signed with the key that is for debugging.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;

/// See the module.
pub struct ReleaseDebugSigned;

static ABOUT: About = About {
    id: "release-debug-signed",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a release build type that is signed with the key for debugging, where the check is for what ships (--release).",
    effect: "The store refuses the upload, and what is installed from it can never be updated by what the real key signs.",
    wrong: "release {\n    signingConfig = signingConfigs.getByName(\"debug\")\n}",
    right: "release {\n    signingConfig = signingConfigs.getByName(\"release\")\n}",
    remedy: "A person makes the key of the release, names its store in a signing configuration and that in the build type.",
    source: "Sign your app",
};

impl Rule for ReleaseDebugSigned {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        // Until it ships, that is how one tries a release build out.
        settings.release
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(module) = context.app.android.as_ref().and_then(|android| android.modules.first()) else { return };
        let release = module.build_types.iter().find(|one| one.name == "release");
        let Some((_, place)) = release.and_then(|release| release.signing.clone()).filter(|(name, _)| name == "debug")
        else {
            return;
        };
        let steps = "Make the key of the release (`keytool -genkeypair`), state its store under `signingConfigs`, and name that configuration here.";
        out.push(
            Finding::new(&ABOUT, "signingConfig", place, "the release is signed with the key for debugging")
                .mend(Remedy::Manual(steps.to_owned())),
        );
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "release-debug-signed";

    fn found(types: &str, release: bool) -> Vec<String> {
        let build = format!(
            "plugins {{ id 'com.android.application' }}\nandroid {{\n  namespace 'example.marram'\n  signingConfigs {{ release {{ }} }}\n  buildTypes {{\n{types}\n  }}\n}}\n"
        );
        let mut app = Fixture::android("").build(&build);
        app.settings.release = release;
        app.found(ID)
    }

    #[test]
    fn the_key_for_debugging_is_told_when_the_app_ships() {
        let debug = "    release { signingConfig signingConfigs.debug }";
        assert_eq!(found(debug, true), ["error signingConfig 6:15"]);
        assert!(found(debug, false).is_empty(), "that is how a release build is tried out");
        assert_eq!(found("    release {\n signingConfig = signingConfigs.getByName(\"debug\")\n }", true).len(), 1);
        assert!(found("    release { signingConfig signingConfigs.release }", true).is_empty());
        assert!(found("    debug { signingConfig signingConfigs.debug }", true).is_empty());
        let later = "    release {\n signingConfig signingConfigs.debug\n signingConfig signingConfigs.release\n }";
        assert!(found(later, true).is_empty(), "the last one counts");
        let chosen = "    release {\n if (keys.exists()) {\n signingConfig signingConfigs.release\n } else {\n signingConfig signingConfigs.debug\n }\n }";
        assert!(found(chosen, true).is_empty(), "what is chosen while it builds is not known");
    }
}
