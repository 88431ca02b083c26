//! `query-broad`: the app asks to see all other apps.

use elvask_needs::remedy::Remedy;
use elvask_platform::Behaviour;
use elvask_platform::{Kind, Platform};

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

const QUERY_ALL: &str = "android.permission.QUERY_ALL_PACKAGES";

/// See the module.
pub struct QueryBroad;

static ABOUT: About = About {
    id: "query-broad",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports the permission to see all other apps where no plugin needs it.",
    effect: "The store rejects it unless the app's core purpose needs it.",
    wrong: "<uses-permission android:name=\"android.permission.QUERY_ALL_PACKAGES\" />",
    right: "<queries>\n    <intent>…</intent>\n</queries>",
    remedy: "A person removes the permission; `fill` then adds the queries that the plugins need.",
    source: "Use of the broad package (app) visibility permission",
};

impl Rule for QueryBroad {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        if context.levels.target < Behaviour::PackageVisibility.since()
            || context.needs.group(Kind::Permission, QUERY_ALL).is_some()
        {
            return;
        }
        let asked = context.variants.iter().find_map(|variant| Some((variant, variant.permission(QUERY_ALL)?)));
        if let Some((variant, permission)) = asked {
            let element = variant.merged.at(permission.element);
            let place = element.attribute("name").map_or(element.place, |attribute| attribute.place);
            let queries = context.needs.groups(Kind::Query).count();
            let instead = match queries {
                0 => "no plugin asks about other apps".to_owned(),
                1 => "one entry of <queries> is all that the plugins need".to_owned(),
                more => format!("{more} entries of <queries> are all that the plugins need"),
            };
            let message = format!("the app asks to see all other apps; {instead}");
            let steps = "Remove the permission, then let `elvask fill` add the queries.";
            out.push(Finding::new(&ABOUT, QUERY_ALL, place, message).mend(Remedy::Manual(steps.to_owned())));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-broad";

    #[test]
    fn seeing_everything_is_reported_unless_a_plugin_needs_it() {
        let app = Fixture::android("    <uses-permission android:name=\"android.permission.QUERY_ALL_PACKAGES\"/>\n")
            .needs("plover_dialer", "capability = 'open-phone'");
        assert_eq!(app.found(ID), ["warning android.permission.QUERY_ALL_PACKAGES 2:36"]);
        app.is_left_alone();
        let needed = app.needs("p", "android.permission = 'android.permission.QUERY_ALL_PACKAGES'");
        assert!(needed.found(ID).is_empty());
    }
}
