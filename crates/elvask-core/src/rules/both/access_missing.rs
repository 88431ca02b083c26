//! `access-missing`: the owner says that a hybrid app connects to a place, and its config.xml does not let it.

use elvask_markup::xml::Element;
use elvask_markup::xml::plan::{self, Fragment, Slot};
use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::access::{covers, stated};

/// See the module.
pub struct AccessMissing;

static ABOUT: About = About {
    id: "access-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports a place that elvask.toml names under `[network]` and that config.xml does not let a hybrid app reach.",
    effect: "The web view drops the request, or opens the page in the browser.",
    wrong: "[network]                       # elvask.toml\nhosts = [\"api.marram.example\"]\n\n<access origin=\"https://marram.example\" />   (and no other)",
    right: "<access origin=\"https://api.marram.example\" />",
    remedy: "`fill` adds the element to config.xml.",
    source: "The allow list of config.xml",
};

impl Rule for AccessMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let (Some(widget), Some(network)) = (&context.app.widget, &context.app.config.network) else { return };
        let hosts = network.hosts.iter().map(|host| format!("https://{}", host.text));
        let open = network.cleartext.iter().map(|one| {
            let star = if one.subdomains { "*." } else { "" };
            format!("http://{star}{}", one.host.text)
        });
        let mut wanted: Vec<(&str, &str, String)> = Vec::new();
        wanted.extend(hosts.chain(open).map(|place| ("access", "origin", place)));
        wanted.extend(network.navigation.iter().map(|one| ("allow-navigation", "href", one.text.clone())));
        wanted.extend(network.intents.iter().map(|one| ("allow-intent", "href", one.text.clone())));
        let Ok(document) = context.sources.file(widget.file).xml() else { return };
        let listed = stated(widget.file, document);
        for (element, attribute, place) in wanted {
            let is_let = listed.iter().any(|one| {
                // What may be shown may be asked for, too.
                let same = one.element == element || element == "access" && one.element == "allow-navigation";
                same && covers(one, &place)
            });
            if is_let {
                continue;
            }
            let root = document.root();
            let last = root.children().rfind(|child| child.name() == element);
            let slot = last.or_else(|| before_platforms(root)).map_or(Slot::Last, |one| Slot::After(one.node()));
            let edits = plan::insert(root, slot, &[Fragment::new(element).with(attribute, place.clone())]);
            let at = Place { file: widget.file, span: last.unwrap_or(root).name_span() };
            let message = format!("no {element} lets the app reach {place}, which elvask.toml names");
            let remedy = Remedy::edit(format!("add {element} {place}"), widget.file, edits);
            out.push(Finding::new(&ABOUT, place, at, message).mend(remedy));
        }
    }
}

/// Returns the last element in front of those that are for one platform.
fn before_platforms(root: Element<'_>) -> Option<Element<'_>> {
    root.children().take_while(|child| child.name() != "platform").last()
}

#[cfg(test)]
mod tests {
    use crate::fill::fill;
    use crate::testing::Fixture;

    const ID: &str = "access-missing";

    fn app(inside: &str, network: &str) -> Fixture {
        let text = format!(
            "<widget id=\"example.marram.fieldlog\" version=\"1.0.0\">\n    <name>Marram</name>\n{inside}    <platform name=\"android\" />\n</widget>\n"
        );
        Fixture::default().file("config.xml", &text).toml(&format!("[network]\n{network}"))
    }

    #[test]
    fn each_place_is_in_its_list() {
        let api = "hosts = ['api.marram.example']";
        assert_eq!(app("", api).found(ID), ["error https://api.marram.example 1:2"]);
        for origin in ["*", "https://api.marram.example", "https://*.marram.example", "*://*.marram.example/*"] {
            let access = format!("    <access origin=\"{origin}\" />\n");
            assert!(app(&access, api).found(ID).is_empty(), "{origin}");
        }
        for origin in ["http://api.marram.example", "https://marram.example", "https://api.marram.example.evil.example"]
        {
            let access = format!("    <access origin=\"{origin}\" />\n");
            assert_eq!(app(&access, api).found(ID).len(), 1, "{origin}");
        }
        let wide = "    <access origin=\"https://marram.example\" subdomains=\"true\" />\n";
        assert!(app(wide, api).found(ID).is_empty());
        assert_eq!(
            app("    <allow-intent href=\"tel:*\" />\n", "intents = ['tel:*', 'sms:*']").found(ID),
            ["error sms:* 3:6"]
        );
    }

    #[test]
    fn what_is_missing_is_written_before_the_platforms() {
        let app = app("", "hosts = ['api.marram.example']\nnavigation = ['https://pay.avocet.example/*']");
        let filled = fill(&app.load(), &app.settings).unwrap();
        let text = filled.sources.file(filled.changed[0]).text.to_string();
        let at = |part: &str| text.find(part).unwrap_or_else(|| panic!("{part}: {text}"));
        let order = [
            at("<name>"),
            at("<access origin=\"https://api.marram.example\" />")
                .min(at("<allow-navigation href=\"https://pay.avocet.example/*\" />")),
            at("<platform"),
        ];
        assert!(order.is_sorted(), "{text}");
    }
}
