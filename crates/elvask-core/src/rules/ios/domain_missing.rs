//! `domain-missing`: a plugin needs an associated domain that the app does not claim.

use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::is_told_as_badly;
use crate::rules::support::links::{Sides, add_domain, sides};
use crate::rules::support::missing::missing;

/// See the module.
pub struct DomainMissing;

static ABOUT: About = About {
    id: "domain-missing",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an associated domain that a plugin or elvask.toml needs and the entitlements do not name.",
    effect: "Links of the domain open the browser, and its passwords are not offered.",
    wrong: "<key>com.apple.developer.associated-domains</key>\n<array>\n</array>",
    right: "<key>com.apple.developer.associated-domains</key>\n<array>\n    <string>applinks:marram.example</string>\n</array>",
    remedy: "`fill` adds the domain, and the entitlement and its file where there are none. The site must serve the association file.",
    source: "Associated Domains Entitlement",
};

impl Rule for DomainMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        missing(context, Kind::Domain, &ABOUT, out);
        // What elvask.toml names and neither platform declares; what one of them does is told by `link-one-sided`.
        let unclaimed = |one: &&Sides| one.is_host && one.android.is_none() && one.ios.is_none();
        for one in sides(context, context.links()).iter().filter(unclaimed) {
            let domain = format!("applinks:{}", one.name);
            if is_told_as_badly(context.needs.of(Kind::Domain, &domain), ABOUT.level) {
                continue;
            }
            let (Some(named), Some((place, remedy))) = (one.named, add_domain(context, &domain)) else { continue };
            let message = format!("the entitlements lack `{domain}`, and elvask.toml names the host");
            out.push(Finding::new(&ABOUT, domain, place, message).related(named, "named here").mend(remedy));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "domain-missing";

    #[test]
    fn a_domain_joins_the_list() {
        let project = "{ objects = { P = { isa = PBXProject; targets = (T); buildConfigurationList = L; }; T = { name = Marram; productType = \"com.apple.product-type.application\"; buildConfigurationList = L; }; L = { buildConfigurations = (C); }; C = { name = Release; buildSettings = { INFOPLIST_FILE = Marram/Info.plist; CODE_SIGN_ENTITLEMENTS = Marram/App.entitlements; }; }; }; rootObject = P; }";
        let list = |domains: &str| {
            format!(
                "<plist version=\"1.0\">\n<dict>\n    <key>com.apple.developer.associated-domains</key>\n    <array>\n{domains}    </array>\n</dict>\n</plist>\n"
            )
        };
        let one = "        <string>applinks:log.marram.example</string>\n";
        let app = Fixture::ios("")
            .file("ios/Marram.xcodeproj/project.pbxproj", project)
            .file("ios/Marram/App.entitlements", &list(one))
            .toml("[links]\nhosts = ['marram.example']")
            .needs("turnstone_links", "ios.domain = 'applinks:{host}'");
        assert_eq!(app.found(ID), ["error applinks:marram.example 4:5"]);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert_eq!(text.as_ref(), list(&format!("{one}        <string>applinks:marram.example</string>\n")));
    }
}
