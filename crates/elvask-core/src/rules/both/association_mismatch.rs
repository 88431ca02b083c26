//! `association-mismatch`: an association file of the website's folder does not fit the app.

use elvask_link::association::apple::{AppleAssociation, Decision};
use elvask_link::association::{Document, Served};
use elvask_link::device::newest_version;
use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_platform::Confidence;
use elvask_project::source::{FileId, Place};

use super::association_missing::wanted;
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::links::write_association;

/// See the module.
pub struct AssociationMismatch;

static ABOUT: About = About {
    id: "association-mismatch",
    level: Level::Error,
    platform: None,
    summary: "Reports an association file in the website's folder that does not name the app, its certificate or its routes, that devices cannot read, or with a rule that never acts.",
    effect: "The host is not verified, or some of its links open the browser.",
    wrong: "\"package_name\": \"example.marram.fieldlog\",\n\"sha256_cert_fingerprints\": [\"(of another certificate)\"]",
    right: "\"package_name\": \"example.marram.fieldlog\",\n\"sha256_cert_fingerprints\": [\"(of another certificate)\", \"(of the app's certificate)\"]",
    remedy: "`fill` and `elvask link files` add the app, its fingerprints and its routes, and leave the entries of other apps. A file that cannot be read is left to a person.",
    source: "Verify app links; Supporting associated domains",
};

impl Rule for AssociationMismatch {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(site) = &context.app.site else { return };
        let texts = site.with(context.sources);
        for (document, host) in wanted(context) {
            let Some(file) = site.file(&host, document) else { continue };
            let source = context.sources.file(file);
            if source.absent && source.text.is_empty() {
                continue;
            }
            let wrong = match document {
                Document::AssetLinks => android(context, &host, &texts),
                Document::AppleAssociation => apple(context, &host, &texts),
            };
            if document == Document::AppleAssociation {
                let idle = idle_rules(context, &source.text, file);
                let is_new =
                    |one: &Finding| !out.iter().any(|known| known.rule.id == ABOUT.id && known.place == one.place);
                let fresh: Vec<Finding> = idle.into_iter().filter(is_new).collect();
                out.extend(fresh);
            }
            let Some((message, near, sure)) = wrong else { continue };
            let message = message.strip_prefix(&format!("{}: ", source.shown)).map(str::to_owned).unwrap_or(message);
            // Where the words stand that are wrong; else at the start.
            let start = near.and_then(|near| Some((source.text.find(&near)?, near.len())));
            let span = start
                .map_or(Span::new(0, source.text.len().min(1)), |(start, length)| Span::new(start, start + length));
            let place = Place { file, span };
            if out.iter().any(|known| known.rule.id == ABOUT.id && known.place == place) {
                continue;
            }
            let remedy =
                write_association(context, context.links(), &host, document).unwrap_or(Remedy::Manual(String::new()));
            let mut finding = Finding::new(&ABOUT, host, place, message).level(sure.caps(ABOUT.level)).mend(remedy);
            finding.platform = Some(document.platform());
            out.push(finding);
        }
    }
}

/// What is wrong, what of the file says so, and how sure it is that it does harm.
type Wrong = Option<(String, Option<String>, Confidence)>;

fn android(context: &Context<'_>, host: &str, site: &dyn elvask_link::association::Website) -> Wrong {
    let variants = &context.links().android;
    let failed = variants.iter().find_map(|(_, links)| Some((links, links.verified_by(host, site).err()?)));
    let (links, why) = failed?;
    // The fingerprint of another certificate is what one looks for first.
    let text = match site.ask(host, Document::AssetLinks) {
        Served::File(answer) => String::from_utf8_lossy(&answer.body).into_owned(),
        _ => String::new(),
    };
    let listed = elvask_link::association::android::AssetLinks::parse(&text).unwrap_or_default();
    let mine = listed.statements.iter().find(|one| Some(one.package.as_str()) == links.id.as_deref());
    let near = mine.map(|one| one.fingerprints.first().cloned().unwrap_or_else(|| one.package.clone()));
    Some((why.why, near, why.sure))
}

fn apple(context: &Context<'_>, host: &str, site: &dyn elvask_link::association::Website) -> Wrong {
    let links = context.links().ios.as_ref()?;
    let id = links.id()?;
    let text = match site.ask(host, Document::AppleAssociation) {
        Served::File(answer) => answer.text(Document::AppleAssociation).map(str::to_owned),
        Served::Absent { .. } => return None,
        Served::Failed { reason, .. } => Err(reason),
    };
    let file = match text.and_then(|text| AppleAssociation::parse(&text)) {
        Ok(file) => file,
        Err(why) => return Some((why, None, Confidence::High)),
    };
    let wanted = id.whole().unwrap_or_else(|| format!("TEAM.{}", id.bundle));
    if !file.details.iter().flat_map(|detail| &detail.apps).any(|app| id.is(app)) {
        let other = file.details.iter().flat_map(|detail| &detail.apps).find(|app| app.ends_with(id.bundle)).cloned();
        return Some((format!("the file does not list {wanted}"), other, Confidence::High));
    }
    for route in context.app.config.links.routes.iter().filter(|route| route.is_for(host)) {
        let Some(link) = route.on_host(host) else { continue };
        match (file.decide(&id, &link.uri(), &newest_version()), route.stays_on_the_web()) {
            (Decision::Opens { rule }, true) => {
                return Some((
                    format!("the rule {rule} opens the app for {}, which is meant to stay in the browser", route.path),
                    None,
                    Confidence::High,
                ));
            }
            (Decision::Excluded { rule }, false) => {
                return Some((format!("the rule {rule} keeps {} in the browser", route.path), None, Confidence::High));
            }
            (Decision::NoRule { .. }, false) if context.links().is_let_through_elsewhere(route, host, site) => {}
            (Decision::NoRule { .. }, false) => {
                return Some((format!("no rule lets {} through", route.path), None, Confidence::High));
            }
            _ => {}
        }
    }
    None
}

/// Tells of rules that never act. Where one file serves several hosts, once.
fn idle_rules(context: &Context<'_>, text: &str, file: FileId) -> Vec<Finding> {
    let id = context.links().ios.as_ref().and_then(elvask_link::ios::IosLinks::id);
    let (Some(id), Ok(read)) = (id, AppleAssociation::parse(text)) else { return Vec::new() };
    let mut out: Vec<Finding> = Vec::new();
    for idle in read.idle_rules(&id) {
        // The later of two that are written alike is the one that never acts.
        let written = format!("\"{}\"", idle.path);
        let start = text.rfind(&written).unwrap_or_default();
        let span = Span::new(start, (start + written.len()).min(text.len()));
        let effect = if idle.exclude {
            "Links that were to stay in the browser open the app."
        } else {
            "Links that were to open the app stay in the browser."
        };
        let steps = "Put the narrower rule before the wider one: the first that fits decides.";
        let mut finding = Finding::new(&ABOUT, idle.path.clone(), Place { file, span }, idle.message())
            .level(Level::Warning)
            .effect(effect)
            .mend(Remedy::Manual(steps.to_owned()));
        finding.platform = Some(elvask_platform::Platform::Ios);
        out.push(finding);
    }
    out
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "association-mismatch";

    fn links(print: &str) -> String {
        format!(
            "[\n  {{\n    \"relation\": [\"delegate_permission/common.handle_all_urls\"],\n    \"target\": {{\n      \"namespace\": \"android_app\",\n      \"package_name\": \"example.marram.fieldlog\",\n      \"sha256_cert_fingerprints\": [\"{print}\"]\n    }}\n  }}\n]\n"
        )
    }

    #[test]
    fn the_fingerprint_of_another_certificate_is_told_and_the_right_one_added() {
        let print = |pair: &str| vec![pair; 32].join(":");
        let filter = "            <intent-filter android:autoVerify=\"true\">\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data android:scheme=\"https\" android:host=\"marram.example\"/>\n            </intent-filter>\n";
        let app = Fixture::android(&activity(filter))
            .file("site/.well-known/assetlinks.json", &links(&print("CD")))
            .toml(&format!("[links]\nsite = 'site'\nfingerprints = ['{}']", print("AB")));
        assert_eq!(app.found(ID), ["error marram.example 7:37"]);
        // In small letters it is the app's own: whether all devices mind is not sure.
        let app = app.file("site/.well-known/assetlinks.json", &links(&print("ab")));
        assert_eq!(app.found(ID), ["warning marram.example 7:37"]);
        let app = app.file("site/.well-known/assetlinks.json", &links(&print("CD")));
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        let text = &filled.sources.file(filled.changed[0]).text;
        assert!(text.contains(&print("AB")) && text.contains(&print("CD")), "{text}");
        assert!(filled.left.findings.iter().all(|one| one.rule.id != ID));
    }

    #[test]
    fn a_rule_that_never_acts_is_told() {
        let app = |rules: &str| {
            let there = format!(
                "{{\"applinks\":{{\"details\":[{{\"appIDs\":[\"A1B2C3D4E5.example.marram.fieldlog\"],\n\"components\":[{rules}]}}]}}}}"
            );
            Fixture::ios("")
                .domains(&["applinks:marram.example"])
                .file("site/.well-known/apple-app-site-association", &there)
                .toml("[app]\nios-team = 'A1B2C3D4E5'\n[links]\nsite = 'site'")
        };
        let wrong = app("{\"/\":\"/ring/*\"},{\"/\":\"/ring/press\",\"exclude\":true}");
        assert_eq!(wrong.found(ID), ["warning /ring/press 2:36"]);
        assert!(app("{\"/\":\"/ring/press\",\"exclude\":true},{\"/\":\"/ring/*\"}").found(ID).is_empty());
    }

    #[test]
    fn a_route_that_is_not_let_through_gets_its_rule() {
        let there = r#"{"applinks":{"details":[{"appIDs":["A1B2C3D4E5.example.marram.fieldlog"],"components":[{"/":"/ring/*"}]}]}}"#;
        let toml = "[app]\nios-team = 'A1B2C3D4E5'\n[links]\nsite = 'site'\n[[links.routes]]\npath = '/site/{site:int}'\nopens = 'Site page'";
        let app = Fixture::ios("")
            .domains(&["applinks:marram.example"])
            .file("site/.well-known/apple-app-site-association", there)
            .toml(toml);
        assert!(
            app.findings(ID)[0].message.contains("no rule lets /site/{site:int} through"),
            "{:?}",
            app.findings(ID)
        );
        let filled = crate::fill::fill(&app.load(), &app.settings).unwrap();
        assert!(filled.sources.file(filled.changed[0]).text.contains("/site/?*"));
        let other = Fixture::ios("")
            .domains(&["applinks:marram.example"])
            .file("site/.well-known/apple-app-site-association", &there.replace("A1B2", "ZZZZ"))
            .toml(toml);
        assert!(other.findings(ID)[0].message.contains("does not list A1B2C3D4E5.example.marram.fieldlog"));
    }
}
