//! `service-id-unregistered`: the app names itself to a service by another id than the service knows it by.

use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::rules::support::accounts::account;
use crate::rules::support::identity::differs_at;

/// See the module.
pub struct ServiceIdUnregistered;

static ABOUT: About = About {
    id: "service-id-unregistered",
    level: Level::Error,
    platform: None,
    summary: "Reports an id by which the app names itself to a service, and which is not the registered one, as elvask/account.toml states it.",
    effect: "The service refuses the app, or counts what it does for another one.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210078\" />\n\"example.knot.APP_ID\" = \"knot-48210077\"      # elvask/account.toml, [android.service-ids]",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "A person writes the registered id.",
    source: "docs/account.md",
};

impl Rule for ServiceIdUnregistered {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.holds_accounts()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((account, file)) = account(context) else { return };
        for (platform, name, registered) in &account.service_ids {
            for (here, place) in stated(context, *platform, &name.text) {
                // What only the build knows is not compared.
                if here == registered.text || here.contains('$') || out.iter().any(|known| known.place == place) {
                    continue;
                }
                let case = differs_at(&here, &registered.text).map(|differs| format!(": {differs}"));
                let message = format!(
                    "{} is {here}, and {} is registered{}",
                    name.text,
                    registered.text,
                    case.unwrap_or_default()
                );
                let steps = format!("Write {} here, or correct it in {}.", registered.text, account.name());
                let mut finding = Finding::new(&ABOUT, name.text.clone(), place, message)
                    .related(Place { file, span: registered.span }, "registered here")
                    .mend(Remedy::Manual(steps));
                finding.platform = Some(*platform);
                out.push(finding);
            }
        }
    }
}

/// Returns the values that the app states under a name: of meta-data, or of a key at the top of the property list.
fn stated(context: &Context<'_>, platform: Platform, name: &str) -> Vec<(String, Place)> {
    match platform {
        Platform::Android => {
            let named = context.variants.iter().flat_map(elvask_project::surface::Effective::meta_data);
            let named = named.filter(|one| one.value("name") == Some(name));
            named.filter_map(|one| one.attribute("value")).map(|one| (one.value.to_string(), one.place)).collect()
        }
        Platform::Ios => {
            let Some(plist) = context.plist else { return Vec::new() };
            let entries = plist.entries().filter(|entry| entry.key == name);
            let text =
                |value: &str| plist.resolved(value).map_or_else(|| value.to_owned(), std::borrow::Cow::into_owned);
            entries.filter_map(|entry| Some((text(entry.value.as_str()?), plist.value_place(entry)))).collect()
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "service-id-unregistered";

    fn android(value: &str) -> Vec<String> {
        let meta = format!(
            "<application><meta-data android:name=\"example.knot.APP_ID\" android:value=\"{value}\" /></application>"
        );
        let account = "account = 1\n[android.service-ids]\n\"example.knot.APP_ID\" = 'knot-48210077'\n";
        let mut app = Fixture::android(&meta).file("elvask/account.toml", account);
        app.settings.accounts = true;
        app.findings(ID).into_iter().map(|finding| finding.message).collect()
    }

    #[test]
    fn an_id_that_the_service_does_not_know_is_told() {
        assert_eq!(android("knot-48210078"), ["example.knot.APP_ID is knot-48210078, and knot-48210077 is registered"]);
        assert!(android("knot-48210077").is_empty());
        assert!(android("${knotId}").is_empty(), "only the build knows it");
    }

    #[test]
    fn keys_of_the_property_list_count_too() {
        let mut app = Fixture::ios("    <key>ExampleKnotAppId</key>\n    <string>Knot-1</string>\n")
            .file("elvask/account.toml", "account = 1\n[ios.service-ids]\nExampleKnotAppId = 'knot-1'\n");
        app.settings.accounts = true;
        assert_eq!(
            app.findings(ID)[0].message,
            "ExampleKnotAppId is Knot-1, and knot-1 is registered: letter 1 is `K` here and `k` there"
        );
    }
}
