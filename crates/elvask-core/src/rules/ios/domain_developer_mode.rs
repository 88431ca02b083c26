//! `domain-developer-mode`: a domain is looked up in a way that counts for developers alone.

use elvask_link::ios::{DOMAINS, Domain};
use elvask_markup::plist::Value;
use elvask_markup::plist::plan::{self, NewValue};
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct DomainDeveloperMode;

static ABOUT: About = About {
    id: "domain-developer-mode",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an associated domain that has `?mode=developer` in the entitlements of a release, and no entry without it.",
    effect: "Builds from the store ignore the entry: links of the host open the browser.",
    wrong: "<string>applinks:marram.example?mode=developer</string>",
    right: "<string>applinks:marram.example</string>",
    remedy: "`fill` adds an entry without the mode and leaves the other one, which does no harm beside it.",
    source: "Associated Domains Entitlement",
};

impl Rule for DomainDeveloperMode {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some((file, list)) = context.surface.entitlements() else { return };
        let Some(entry) = list.entry(DOMAINS) else { return };
        let values = entry.value.as_array().unwrap_or_default();
        let read = |value: &Value| Domain::read(value.as_str()?, Place { file, span: value.span });
        let domains: Vec<Domain> = values.iter().filter_map(read).collect();
        for domain in domains.iter().filter(|domain| domain.mode.as_deref() == Some("developer")) {
            let usual = domains.iter().any(|other| {
                other.is_for_people()
                    && other.service == domain.service
                    && other.host.eq_ignore_ascii_case(&domain.host)
            });
            if usual {
                continue;
            }
            let bare = domain.written.split('?').next().unwrap_or_default().to_owned();
            let message = format!(
                "`{}` works in development builds only, and there is no entry without the mode",
                domain.written
            );
            let edits = plan::append(list, &entry.value, &[NewValue::String(bare.clone())]);
            out.push(Finding::new(&ABOUT, bare.clone(), domain.place, message).mend(Remedy::edit(
                format!("add {bare}"),
                file,
                edits,
            )));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "domain-developer-mode";

    #[test]
    fn a_release_names_the_domain_without_a_mode() {
        let app = Fixture::ios("").domains(&["applinks:marram.example?mode=developer"]);
        assert_eq!(app.found(ID).len(), 1);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert!(
            text.contains("<string>applinks:marram.example</string>") && text.contains("?mode=developer"),
            "{text}"
        );
        let both = Fixture::ios("").domains(&["applinks:marram.example?mode=developer", "applinks:marram.example"]);
        assert!(both.found(ID).is_empty());
    }
}
