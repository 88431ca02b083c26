//! `association-missing`: the website's folder lacks the file that vouches for the app.

use elvask_link::association::{Document, is_plain_host, looked_up_at};
use elvask_needs::remedy::Remedy;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::links::write_association;

/// See the module.
pub struct AssociationMissing;

static ABOUT: About = About {
    id: "association-missing",
    level: Level::Error,
    platform: None,
    summary: "Reports a host of the app's links for which the website's folder, which `site` in elvask.toml names, has no association file.",
    effect: "The host is not verified: its links open the browser (Android: from level 31).",
    wrong: "site/.well-known/assetlinks.json\n(no site/.well-known/apple-app-site-association)",
    right: "site/.well-known/assetlinks.json\nsite/.well-known/apple-app-site-association",
    remedy: "`fill` and `elvask link files` write the file with what elvask.toml says of team, fingerprints and routes. It must then be put on the web.",
    source: "Verify app links; Supporting associated domains",
};

impl Rule for AssociationMissing {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(site) = &context.app.site else { return };
        for (document, host) in wanted(context) {
            let Some(file) = site.file(&host, document) else { continue };
            let source = context.sources.file(file);
            if !source.absent || !source.text.is_empty() {
                continue;
            }
            let place = context.app.config.links.site.as_ref().zip(context.app.config_file);
            let place = place
                .map(|(site, file)| Place { file, span: site.span })
                .unwrap_or(Place { file, span: elvask_markup::Span::at(0) });
            let message = format!("the website of {host} has no {}, so it does not vouch for the app", source.shown);
            let remedy =
                write_association(context, context.links(), &host, document).unwrap_or(Remedy::Manual(String::new()));
            let mut finding = Finding::new(&ABOUT, host, place, message).mend(remedy);
            finding.platform = Some(document.platform());
            if !out.iter().any(|known: &Finding| known.rule.id == ABOUT.id && known.message == finding.message) {
                out.push(finding);
            }
        }
    }
}

/// Returns the files that the app's links want, by host.
pub(super) fn wanted(context: &Context<'_>) -> Vec<(Document, String)> {
    let links = context.links();
    let android = links.android_hosts().into_iter().map(|host| (Document::AssetLinks, host));
    let ios = links.ios_hosts().map(|host| (Document::AppleAssociation, host));
    let mut out: Vec<(Document, String)> = Vec::new();
    for (document, host) in android.chain(ios) {
        let host = looked_up_at(host).to_ascii_lowercase();
        if is_plain_host(&host) && !out.contains(&(document, host.clone())) {
            out.push((document, host));
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "association-missing";

    #[test]
    fn the_file_is_written_from_what_is_known() {
        let toml = "[app]\nios-team = 'A1B2C3D4E5'\n[links]\nsite = 'site'\n[[links.routes]]\npath = '/site/{site:int}'\nopens = 'Site page'";
        let app = Fixture::ios("").domains(&["applinks:marram.example"]).file("site/index.html", "<p>").toml(toml);
        assert_eq!(app.found(ID), ["error marram.example 5:8"]);
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let written = &filled.sources.file(filled.changed[0]).text;
        assert!(written.contains("A1B2C3D4E5.example.marram.fieldlog") && written.contains("/site/?*"), "{written}");
        assert!(filled.left.findings.iter().all(|one| one.rule.id != ID));
        let without = Fixture::ios("").domains(&["applinks:marram.example"]).toml("[links]\nsite = 'site'");
        assert_eq!(without.findings(ID)[0].remedy.kind(), "manual", "the team is not known");
    }
}
