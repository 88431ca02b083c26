//! `built-differs`: what was built declares other things than the sources say.

use std::collections::BTreeMap;

use elvask_markup::Span;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Kind, Platform};
use elvask_project::source::Place;

use crate::compare::{Fact, facts_of, meaning_of_new};
use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Settings;
use crate::rules::Rule;
use crate::survey::survey;

/// See the module.
pub struct BuiltDiffers;

static ABOUT: About = About {
    id: "built-differs",
    level: Level::Warning,
    platform: None,
    summary: "Reports what a built app (`--built`) declares and its sources do not, and what they declare and it does not.",
    effect: "People get another app than the one that was looked at.",
    wrong: "uses-permission: name='android.permission.READ_PHONE_STATE'   (and no manifest that was read has it)",
    right: "<uses-permission android:name=\"android.permission.READ_PHONE_STATE\" tools:node=\"remove\" />",
    remedy: "A person finds out which library brings it, and removes it by a merge marker, or builds once more.",
    source: "Manage manifest files",
};

/// The kinds that are held against each other, and how bad it is that one is there or not there.
const KINDS: [(&str, Level); 12] = [
    (Kind::Permission.id(), Level::Warning),
    (Kind::Usage.id(), Level::Warning),
    (Kind::Entitlement.id(), Level::Warning),
    (Kind::Domain.id(), Level::Warning),
    (Kind::UrlScheme.id(), Level::Warning),
    (Kind::BackgroundMode.id(), Level::Warning),
    (Kind::Feature.id(), Level::Note),
    (Kind::Query.id(), Level::Note),
    (Kind::QueryScheme.id(), Level::Note),
    (Kind::Component.id(), Level::Note),
    ("identity", Level::Warning),
    ("level", Level::Warning),
];

/// The kinds of which the value counts too.
const VALUES: [&str; 3] = ["identity", "level", "usage"];

impl Rule for BuiltDiffers {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn is_asked(&self, settings: &Settings) -> bool {
        settings.built.is_some()
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let Some(sourced) = context.settings.built.as_ref() else { return };
        signed(context, &sourced.fingerprints, out);
        let Some(facts) = &sourced.facts else { return };
        let survey = survey(context);
        let ships = facts_of(&survey);
        let level = |fact: &Fact| KINDS.iter().find(|(kind, _)| *kind == fact.kind).map(|(_, level)| *level);
        let key = |fact: &Fact| (fact.platform, fact.kind.clone(), fact.name.clone());
        let said: BTreeMap<_, &Fact> = facts.iter().map(|fact| (key(fact), fact)).collect();
        for (fact, declaration) in ships.iter().zip(&survey.declarations) {
            let Some(level) = level(fact) else { continue };
            let (what, place) = (format!("{} {}", fact.kind, fact.name), declaration.place);
            let told = match said.get(&key(fact)) {
                None => Some((level, new(context, fact), meaning_of_new(fact))),
                Some(known) if VALUES.contains(&fact.kind.as_str()) && known.value != fact.value => {
                    let value = |fact: &Fact| fact.value.clone().unwrap_or_else(|| "nothing".to_owned());
                    let message =
                        format!("{what} is {} in what was built, and {} in the sources", value(fact), value(known));
                    Some((level, message, String::new()))
                }
                Some(_) => None,
            };
            let Some((level, message, meaning)) = told else { continue };
            // Libraries of the platform have a permission of their own in each app.
            let own = context.app.android.as_ref().and_then(|android| android.id.value.clone());
            let level =
                if own.is_some_and(|id| fact.name.starts_with(&format!("{id}."))) { Level::Note } else { level };
            let mut finding = finding(fact, place, message, !said.contains_key(&key(fact))).level(level);
            if !meaning.is_empty() {
                finding = finding.effect(&meaning);
            }
            out.push(finding);
        }
        let there: std::collections::BTreeSet<_> = ships.iter().map(key).collect();
        for fact in facts.iter().filter(|fact| context.app.has(fact.platform) && !there.contains(&key(fact))) {
            let Some(level) = level(fact) else { continue };
            // What only the build knows is not said in the sources as it is in what was built.
            let Some(place) = root(context, fact.platform).filter(|_| fact.kind != "identity" && fact.kind != "level")
            else {
                continue;
            };
            // Without a signature that can be read nothing is known of them.
            let of_signature = [Kind::Entitlement.id(), Kind::Domain.id()].contains(&fact.kind.as_str());
            if of_signature && context.surface.entitlements().is_none() {
                continue;
            }
            let message = format!("{} {} is in the sources, and not in what was built", fact.kind, fact.name);
            out.push(
                finding(fact, place, message, false).level(level).effect("What needs it fails in the app that ships."),
            );
        }
    }
}

fn finding(fact: &Fact, place: Place, message: String, is_new: bool) -> Finding {
    let steps = match (is_new, fact.platform) {
        (false, _) => "Build once more from these sources.",
        (true, Platform::Android) => {
            "Look for the library that brings it: the build's report of the merge names it. A merge marker removes what is not wanted: tools:node=\"remove\"."
        }
        (true, Platform::Ios) => "Look for the step of the build that puts it in.",
    };
    let mut finding = Finding::new(&ABOUT, fact.name.clone(), place, message).mend(Remedy::Manual(steps.to_owned()));
    finding.platform = Some(fact.platform);
    finding
}

/// Says where something comes from that no source has.
fn new(context: &Context<'_>, fact: &Fact) -> String {
    let what = format!("{} {}", fact.kind, fact.name);
    match fact.platform {
        Platform::Android if context.app.not_installed().is_empty() => format!(
            "{what} ships, and neither the app nor a package that was looked into has it: a library that the build fetches brings it, or it was built of other sources"
        ),
        Platform::Android => format!(
            "{what} ships, and the app does not have it: a package that is not installed here brings it, or a library that the build fetches"
        ),
        Platform::Ios => format!("{what} ships, and the sources do not have it: the build puts it in"),
    }
}

/// Returns the start of the manifest or the property list.
fn root(context: &Context<'_>, platform: Platform) -> Option<Place> {
    match platform {
        Platform::Android => context.manifest.as_deref().map(|manifest| manifest.tag(manifest.root)),
        Platform::Ios => context.plist.map(|plist| plist.root_tag()),
    }
}

/// Holds the certificates that signed it against those that the owner names.
fn signed(context: &Context<'_>, fingerprints: &[String], out: &mut Vec<Finding>) {
    let named = &context.app.config.links.fingerprints;
    let file = context.app.android.as_ref().and_then(|android| android.manifest);
    let (Some(first), Some(file)) = (fingerprints.first(), file) else { return };
    if named.is_empty() || named.iter().any(|one| fingerprints.contains(&one.text)) {
        return;
    }
    let message = format!("it is signed with {first}, which elvask.toml does not name under [links] fingerprints");
    // A store may sign once more with a key of its own.
    let steps = "Name the certificate, or sign with the other key. Where the store signs what it hands out, the fingerprint of its key is the one that counts.";
    let mut finding = Finding::new(&ABOUT, "certificate", Place { file, span: Span::at(0) }, message)
        .level(Level::Note)
        .effect("Devices that get this file verify no link of the app's hosts.")
        .mend(Remedy::Manual(steps.to_owned()));
    finding.platform = Some(Platform::Android);
    out.push(finding);
}
