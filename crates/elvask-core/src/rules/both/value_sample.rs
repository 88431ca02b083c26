//! `value-sample`: a value is one that a plugin gives out for trials.

use std::collections::{BTreeSet, HashMap};

use elvask_markup::plist::Value;
use elvask_needs::kinds;
use elvask_needs::remedy::Remedy;
use elvask_needs::sheet::Asked;
use elvask_needs::template::{answers_in, fill_in};
use elvask_platform::Platform;
use elvask_project::appfiles::AndroidApp;
use elvask_project::source::Place;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::needs::Requirement;
use crate::rules::Rule;

/// See the module.
pub struct ValueSample;

static ABOUT: About = About {
    id: "value-sample",
    level: Level::Warning,
    platform: None,
    summary: "Reports a value that the plugin's sheet names as a sample. With `--release` it is an error.",
    effect: "Fine during development; in a release it earns nothing or is blocked.",
    wrong: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-00000000\" />",
    right: "<meta-data android:name=\"example.knot.APP_ID\" android:value=\"knot-48210077\" />",
    remedy: "`fill` writes the real value, once the owner has given it.",
    source: "docs/sheets.md",
};

impl Rule for ValueSample {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check(&self, context: &Context<'_>, out: &mut Vec<Finding>) {
        let release = context.settings.release;
        for declared in super::declared_values(context) {
            let sample = declared.answers().into_iter().find(|(key, value)| {
                declared.asked(context, key).is_some_and(|asked| asked.samples.iter().any(|sample| sample == value))
            });
            let Some((key, value)) = sample else { continue };
            let better =
                context.answers.get(declared.requirement.plugin, &key).is_some_and(|answer| answer.value != value);
            let remedy = match (better, release) {
                (true, _) | (false, true) => declared.rewrite_without(context, &key),
                (false, false) => Remedy::Manual("Put the real value in before the release.".to_owned()),
            };
            let message = format!("`{}` has a sample value: {value}", declared.requirement.name);
            let mut finding = Finding::new(&ABOUT, declared.requirement.name.clone(), declared.place, message)
                .needed_by(context.app, [declared.requirement])
                .mend(remedy);
            finding.platform = Some(declared.requirement.platform);
            if release {
                finding.level = Level::Error;
            }
            out.push(finding);
        }
        let known: Vec<Place> = out.iter().map(|finding| finding.place).collect();
        elsewhere(context, &known, out);
        for (plugin, key, answer) in context.answers.all().filter(|(_, _, answer)| !answer.declared) {
            let found = context.app.plugins.get(plugin);
            let sheet = found.and_then(|plugin| plugin.sheet.as_ref());
            let sample = sheet
                .and_then(|sheet| sheet.sheet.answer(key))
                .is_some_and(|asked| asked.samples.contains(&answer.value));
            let (Some(place), Some(found), true) = (answer.place, found, sample) else { continue };
            let message = format!("the answer `{key}` for {} is a sample value: {}", found.name, answer.value);
            let finding = Finding::new(&ABOUT, format!("{}.{key}", found.name), place, message)
                .level(if release { Level::Error } else { Level::Warning })
                .mend(Remedy::Manual("Put the real value in before the release.".to_owned()));
            out.push(finding);
        }
    }
}

/// Looks for samples wherever else a value can stand: in a scheme, an entitlement, an attribute, a placeholder of the build.
fn elsewhere(context: &Context<'_>, known: &[Place], out: &mut Vec<Finding>) {
    let samples = samples(context);
    if samples.is_empty() {
        return;
    }
    let mut of_text: HashMap<&str, &Samples<'_>> = HashMap::new();
    for (text, sample) in samples.iter().flat_map(|sample| sample.texts.iter().map(move |text| (text, sample))) {
        of_text.entry(text.as_str()).or_insert(sample);
    }
    let lengths: BTreeSet<usize> = of_text.keys().map(|text| text.len()).collect();
    let mut told: Vec<Place> = known.to_vec();
    each_declared_text(context, |text, place, platform| {
        // Most are not as long as any sample, and need no look-up.
        let sample = if lengths.contains(&text.len()) { of_text.get(text) } else { None };
        let Some(sample) = sample.filter(|_| !told.contains(&place)) else { return };
        told.push(place);
        let message = format!("`{text}` is a sample value that {} publishes for tests", sample.plugin);
        let mut finding = Finding::new(&ABOUT, sample.subject.clone(), place, message)
            .level(if context.settings.release { Level::Error } else { Level::Warning })
            .needed_by(context.app, sample.requirement)
            .mend(Remedy::Manual("Put the real value in before the release.".to_owned()));
        finding.platform = Some(platform);
        out.push(finding);
    });
}

/// The texts in which the samples for one answer can stand.
struct Samples<'c> {
    plugin: &'c str,
    subject: String,
    requirement: Option<&'c Requirement>,
    /// The samples, and the texts of requirements with each sample put in.
    texts: Vec<String>,
}

fn samples<'c>(context: &'c Context<'_>) -> Vec<Samples<'c>> {
    let mut out = Vec::new();
    for (at, plugin) in context.app.plugins.iter().enumerate() {
        let Some(sheet) = &plugin.sheet else { continue };
        for asked in sheet.sheet.answers.iter().filter(|asked| !asked.samples.is_empty()) {
            let key = asked.key.text.as_str();
            let subject = format!("{}.{key}", plugin.name);
            let plain = asked.samples.clone();
            out.push(Samples { plugin: &plugin.name, subject, requirement: None, texts: plain });
            // Names have their answers in already: the sheet has them as they were asked for.
            let of_plugin = context.needs.all().iter().filter(|one| one.plugin == at);
            for requirement in of_plugin {
                let texts = kinds::spec(requirement.kind()).texts(&requirement.need);
                let open = texts.into_iter().filter(|text| answers_in(text).contains(&key));
                let put = |text: &str, sample: &String| {
                    fill_in(text, &|wanted| match wanted == key {
                        true => Some(sample.clone()),
                        false => context.answers.get(at, wanted).map(|answer| answer.value.clone()),
                    })
                };
                let texts: Vec<String> = open
                    .flat_map(|text| asked.samples.iter().filter_map(move |sample| put(text, sample).ok()))
                    .collect();
                let subject = requirement.name.clone();
                out.push(Samples { plugin: &plugin.name, subject, requirement: Some(requirement), texts });
            }
            let named = sheet.sheet.requires.iter().filter_map(|required| match &required.asked {
                Asked::Need { name, .. } if answers_in(name).contains(&key) => Some(name),
                _ => None,
            });
            for name in named {
                let put = |sample: &String| {
                    fill_in(name, &|wanted| match wanted == key {
                        true => Some(sample.clone()),
                        false => context.answers.get(at, wanted).map(|answer| answer.value.clone()),
                    })
                };
                let texts = asked.samples.iter().filter_map(|sample| put(sample).ok()).collect();
                out.push(Samples { plugin: &plugin.name, subject: name.clone(), requirement: None, texts });
            }
        }
    }
    out.retain(|samples| !samples.texts.is_empty());
    out
}

/// Goes through the texts of the app's own platform files in which a value can stand, with their places.
fn each_declared_text(context: &Context<'_>, mut look: impl FnMut(&str, Place, Platform)) {
    for manifest in &context.manifests {
        for element in manifest.document.elements() {
            for attribute in element.attributes() {
                look(&element.value_of(attribute), manifest.at(attribute.value), Platform::Android);
            }
        }
    }
    let judged = context.app.android.iter().flat_map(AndroidApp::judged);
    for (_, stated) in judged.flat_map(|variant| &variant.placeholders) {
        if let (Some(value), Some(place)) = (&stated.value, stated.place) {
            look(value, place, Platform::Android);
        }
    }
    let lists = context.plist.map(|plist| (plist.file, plist.list));
    for (file, list) in lists.into_iter().chain(context.surface.entitlements()) {
        let mut open: Vec<&Value> = vec![list.root()];
        while let Some(value) = open.pop() {
            if let Some(text) = value.as_str() {
                look(text, Place { file, span: value.span }, Platform::Ios);
            }
            open.extend(value.as_array().unwrap_or_default());
            open.extend(value.as_dict().unwrap_or_default().iter().map(|entry| &entry.value));
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::testing::Fixture;

    const ID: &str = "value-sample";
    const SHEET: &str = "[[requires]]\nios.plist = { key = 'ExampleKnotAppId', value = '{app_id}' }\n[answers.app_id]\npattern = 'knot-[0-9]{8}'\nsamples = ['knot-00000000']";

    fn entry(value: &str) -> String {
        format!("    <key>ExampleKnotAppId</key>\n    <string>{value}</string>\n")
    }

    #[test]
    fn a_sample_is_fine_until_the_release() {
        let mut app = Fixture::ios(&entry("knot-00000000")).plugin("knot_banner", SHEET);
        assert_eq!(app.found(ID), ["warning ExampleKnotAppId 4:5"]);
        app.is_left_alone();
        app.settings.release = true;
        assert_eq!(app.found(ID), ["error ExampleKnotAppId 4:5"]);
        assert_eq!(app.findings(ID)[0].remedy.kind(), "answer");
        assert!(Fixture::ios(&entry("knot-48210077")).plugin("knot_banner", SHEET).found(ID).is_empty());
    }

    #[test]
    fn a_sample_counts_wherever_a_value_can_stand() {
        let sheet = "[[requires]]\nandroid.meta-data = { name = 'example.knot.APP_ID', value = '{app_id}' }\n[[requires]]\nios.url-scheme = 'k{app_id}'\n[[requires]]\nios.entitlement = { key = 'com.apple.developer.in-app-payments', value = ['merchant.{app_id}'] }\n[answers.app_id]\npattern = '[a-z0-9-]+'\nsamples = ['knot-00000000']";
        let types = "    <key>CFBundleURLTypes</key>\n    <array>\n        <dict>\n            <key>CFBundleURLSchemes</key>\n            <array>\n                <string>kknot-00000000</string>\n            </array>\n        </dict>\n    </array>\n";
        let manifest = "    <application>\n        <meta-data android:name=\"example.knot.APP_ID\" android:value=\"${knot_id}\"/>\n    </application>\n";
        let build = "android {\n    namespace 'example.marram.fieldlog'\n    defaultConfig {\n        minSdk 24\n        targetSdk 35\n        manifestPlaceholders = [knot_id: 'knot-00000000']\n    }\n}\n";
        let list = "<plist version=\"1.0\">\n<dict>\n    <key>com.apple.developer.in-app-payments</key>\n    <array>\n        <string>merchant.knot-00000000</string>\n    </array>\n</dict>\n</plist>\n";
        let app = Fixture::ios(types).manifest(manifest).build(build).domains(&[]).plugin("knot_banner", sheet);
        let mut app = app.without("ios/Marram/App.entitlements").file("ios/Marram/App.entitlements", list);
        let found = app.findings(ID);
        let mut places: Vec<_> = found.iter().map(|one| one.message.split('`').nth(1).unwrap().to_owned()).collect();
        places.sort();
        assert_eq!(places, ["kknot-00000000", "knot-00000000", "merchant.knot-00000000"], "{found:#?}");
        app.is_left_alone();
        app.settings.release = true;
        assert!(app.findings(ID).iter().all(|one| one.level == crate::finding::Level::Error));
    }

    #[test]
    fn a_real_answer_takes_its_place() {
        let app = Fixture::ios(&entry("knot-00000000")).plugin("knot_banner", SHEET);
        app.toml("[plugins.knot_banner.answers]\napp_id = 'knot-48210077'").mends_plist(ID, &entry("knot-48210077"));
    }
}
