//! `query-scheme-form`: an entry of the list of schemes is not a URL scheme.

use std::collections::HashSet;

use elvask_markup::plist::plan::{self, NewValue};
use elvask_needs::kinds::ios::query_scheme::bare;
use elvask_needs::kinds::is_scheme;
use elvask_needs::remedy::Remedy;
use elvask_needs::template::is_reference;
use elvask_platform::{Kind, Platform};
use elvask_project::surface::QUERY_SCHEMES;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;

/// See the module.
pub struct QuerySchemeForm;

static ABOUT: About = About {
    id: "query-scheme-form",
    level: Level::Error,
    platform: Some(Platform::Ios),
    summary: "Reports an entry of `LSApplicationQueriesSchemes` that is more than a scheme, or none.",
    effect: "The entry matches nothing: canOpenURL returns false.",
    wrong: "<string>tel://</string>",
    right: "<string>tel</string>",
    remedy: "`fill` leaves only the scheme of an entry, or removes the entry where the scheme is there already.",
    source: "LSApplicationQueriesSchemes",
};

impl Rule for QuerySchemeForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(plist) = context.plist else { return };
        let schemes = plist.query_schemes();
        let written: HashSet<&str> = schemes.iter().map(|(text, _)| *text).collect();
        let mut before: HashSet<&str> = HashSet::new();
        for (text, value) in &schemes {
            let is_first = before.insert(bare(text));
            if is_scheme(text) || is_reference(text) {
                continue;
            }
            let meant = bare(text);
            let there = !is_first || written.contains(meant);
            let remedy = if !is_scheme(meant) {
                Remedy::Manual("Write only the scheme: a letter, then letters, digits, `+`, `-` and `.`.".to_owned())
            } else if there {
                Remedy::edit(
                    format!("remove it: {meant} is there already"),
                    plist.file,
                    vec![plan::remove_value(plist.list, value)],
                )
            } else {
                let edit = plan::replace(plist.list, value, &NewValue::String(meant.to_owned()));
                Remedy::edit(format!("write only {meant}"), plist.file, vec![edit])
            };
            let message = format!("\"{text}\" in {QUERY_SCHEMES} is not a URL scheme");
            out.push(
                Finding::new(&ABOUT, *text, plist.at(value.span), message)
                    .needed_by(context.app, context.needs.of(Kind::QueryScheme, meant))
                    .mend(remedy),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "query-scheme-form";

    fn list(schemes: &[&str]) -> String {
        let lines: String = schemes.iter().map(|scheme| format!("        <string>{scheme}</string>\n")).collect();
        format!("    <key>LSApplicationQueriesSchemes</key>\n    <array>\n{lines}    </array>\n")
    }

    #[test]
    fn the_scheme_alone_is_left() {
        let app = Fixture::ios(&list(&["mailto://", "tel"])).needs("sanderling_inbox", "capability = 'open-mail'");
        assert_eq!(app.found(ID), ["error mailto:// 5:9"]);
        assert_eq!(app.findings(ID)[0].needed_by[0].plugin, "sanderling_inbox");
        assert!(app.found("query-scheme-missing").is_empty(), "one mistake, one finding");
        app.mends_plist(ID, &list(&["mailto", "tel"]));
        Fixture::ios(&list(&["tel", "tel:"])).mends_plist(ID, &list(&["tel"]));
        assert_eq!(Fixture::ios(&list(&["a b"])).findings(ID)[0].remedy.kind(), "manual");
    }
}
