//! The first `elvask.toml` of an app: what it declares already, so that from then on its intent stands in one file.

use std::collections::BTreeMap;

use elvask_needs::template::is_unfilled_purpose;
use elvask_platform::capability::{CapabilityNeed, capabilities_with};
use elvask_platform::{Kind, Level, Platform};
use elvask_project::files::{Files, Overlay};
use elvask_project::layout::FILE_NAME;
use elvask_project::surface::PlistView;

use crate::app::{App, Choice};
use crate::check::{Report, check};
use crate::context::Context;
use crate::needs::Settings;

/// What the owner has said beside what the app declares.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Given {
    /// Purposes by key.
    pub purposes: Vec<(String, String)>,
    /// Answers by plugin and key.
    pub answers: Vec<(String, String, String)>,
    /// The team that signs the app.
    pub team: Option<String>,
    /// Hosts whose links are to open the app.
    pub hosts: Vec<String>,
}

/// A first `elvask.toml` that makes no check worse.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Draft {
    /// The text.
    pub text: String,
    /// What was left out of it: a check would find more with it. Each is a key with its value.
    pub left_out: Vec<String>,
}

/// Returns the text of `elvask.toml` for an app as it is.
#[must_use]
pub fn config(context: &Context<'_>) -> String {
    config_with(context, &Given::default())
}

/// Leaves out of a first `elvask.toml` what makes a check find more than without the file: what is stated is held against the app from then on, and
/// what it declares on one side alone may be meant so.
#[must_use]
pub fn harmless(app: &App, files: &dyn Files, choice: &Choice, settings: &Settings, text: &str) -> Draft {
    let path = app.root.join(FILE_NAME);
    let before = known(&check(app, settings));
    let worse = |text: &str| {
        let files = Overlay::new(files, BTreeMap::from([(path.clone(), text.as_bytes().to_vec())]));
        let Ok(again) = app.load_again(&files, choice, std::slice::from_ref(&path)) else { return usize::MAX };
        let after = known(&check(&again, settings));
        let is_new = |(what, level): &(&What, &Level)| before.get(*what).is_none_or(|known| known < *level);
        after.iter().filter(is_new).count()
    };
    let mut draft = Draft { text: text.to_owned(), left_out: Vec::new() };
    let mut least = worse(&draft.text);
    for (line, item) in statements(text) {
        if least == 0 {
            break;
        }
        let shorter = without(&draft.text, &line, item.as_deref());
        let now = worse(&shorter);
        if now < least {
            least = now;
            draft.text = shorter;
            let key = line.split(" = ").next().unwrap_or_default();
            draft.left_out.push(item.map_or_else(|| line.clone(), |item| format!("{key} = {item}")));
        }
    }
    draft
}

/// What tells a finding from others, whatever its level.
type What = (&'static str, String, Option<Platform>);

/// Returns what a check finds, each with its level.
fn known(report: &Report) -> BTreeMap<What, Level> {
    let mut all = BTreeMap::new();
    for finding in report.findings.iter().filter(|finding| finding.counts()) {
        let what = (finding.rule.id, finding.subject.clone(), finding.platform);
        let level = all.entry(what).or_insert(finding.level);
        *level = finding.level.max(*level);
    }
    all
}

/// Returns the lines that state something, those of a list with each of its values.
fn statements(text: &str) -> Vec<(String, Option<String>)> {
    let mut out = Vec::new();
    for line in text.lines().filter(|line| !line.starts_with('#') && !line.starts_with("elvask =")) {
        let Some((_, said)) = line.split_once(" = ") else { continue };
        match said.strip_prefix('[').and_then(|inner| inner.strip_suffix(']')) {
            Some(inner) => out.extend(inner.split(", ").map(|item| (line.to_owned(), Some(item.to_owned())))),
            None => out.push((line.to_owned(), None)),
        }
    }
    out
}

/// Returns a text in which a line, or one value of its list, is a comment.
fn without(text: &str, line: &str, item: Option<&str>) -> String {
    let key = line.split(" = ").next().unwrap_or_default();
    let mut out = String::with_capacity(text.len() + 80);
    for one in text.lines() {
        let same = match item {
            // Other values of the list may be gone already.
            Some(_) => one.starts_with(&format!("{key} = [")),
            None => one == line,
        };
        let (true, said) = (same, item) else {
            out.push_str(&format!("{one}\n"));
            continue;
        };
        let Some(item) = said else {
            out.push_str(&format!("# {one}   # `elvask check` would find more with it\n"));
            continue;
        };
        let inner = one.split_once('[').and_then(|(_, rest)| rest.strip_suffix(']')).unwrap_or_default();
        let rest: Vec<&str> = inner.split(", ").filter(|known| *known != item).collect();
        if rest.len() == inner.split(", ").count() {
            out.push_str(&format!("{one}\n"));
            continue;
        }
        out.push_str(&format!("# {key}: {item}   # `elvask check` would find more with it\n"));
        if !rest.is_empty() {
            out.push_str(&format!("{key} = [{}]\n", rest.join(", ")));
        }
    }
    out
}

/// Returns the text of `elvask.toml` for an app as it is, with what its owner has said.
#[must_use]
pub fn config_with(context: &Context<'_>, given: &Given) -> String {
    let app = context.app;
    let mut out = format!(
        "# {FILE_NAME}: what this app means to declare. `elvask check` holds the manifests and property lists against it, and\n# `elvask fill` writes what is missing. Written by `elvask init` from what the app declares; take out what you did not mean.\nelvask = 1\n"
    );
    identity(app, context, given, &mut out);
    purposes(context, given, &mut out);
    answers(context, given, &mut out);
    links(context, given, &mut out);
    out.push_str(
        "\n# Findings that you accept on purpose go here, each with its reason:\n# [[waivers]]\n# rule = \"permission-store-review\"\n# subject = \"android.permission.CAMERA\"\n# reason = \"Agreed with the reviewers.\"\n",
    );
    out
}

fn text(value: &str) -> String {
    serde_json::to_string(value).unwrap_or_default()
}

/// Returns a key as TOML writes it: bare where it can be.
fn key(name: &str) -> String {
    let bare =
        !name.is_empty() && name.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '_' | '-'));
    if bare { name.to_owned() } else { text(name) }
}

fn identity(app: &App, context: &Context<'_>, given: &Given, out: &mut String) {
    let android = app.android.as_ref().and_then(|android| android.id.value.clone());
    let ios = app.ios.as_ref().and_then(|ios| ios.id.value.clone());
    let team = context.surface.settings().and_then(|settings| settings.value("DEVELOPMENT_TEAM")?.value);
    let name = context.plist.and_then(|plist| {
        let shown = plist.text("CFBundleDisplayName").or_else(|| plist.text("CFBundleName"))?;
        plist.resolved(shown).map(std::borrow::Cow::into_owned)
    });
    let entries = [
        ("name", name.filter(|name| !name.contains('$'))),
        ("android-id", android),
        ("ios-id", ios),
        ("ios-team", given.team.clone().or(team).filter(|team| !team.is_empty())),
    ];
    let stated: Vec<_> = entries.into_iter().filter_map(|(key, value)| Some((key, value?))).collect();
    if stated.is_empty() {
        return;
    }
    out.push_str("\n# What the app is called, to the platforms and to people.\n[app]\n");
    for (key, value) in stated {
        out.push_str(&format!("{key} = {}\n", text(&value)));
    }
}

/// Returns the name under which a purpose is kept: the capability that wants nothing but it, else the key.
fn purpose_name(usage: &str) -> String {
    let alone = capabilities_with(Kind::Usage, usage).find(|capability| {
        // Older forms of a key stand behind the same capability.
        let wanted = capability.needs().filter(|need| need.kind == Kind::Usage);
        let (older, now): (Vec<&CapabilityNeed>, Vec<_>) = wanted.partition(|need| need.ios_below.is_some());
        matches!(now.as_slice(), [one] if one.name == usage || older.iter().any(|older| older.name == usage))
    });
    alone.map_or_else(|| usage.to_owned(), |capability| capability.name.to_owned())
}

fn purposes(context: &Context<'_>, given: &Given, out: &mut String) {
    let Some(plist) = context.plist else { return };
    let mut lines: Vec<(String, String)> =
        given.purposes.iter().map(|(key, words)| (purpose_name(key), text(words))).collect();
    for entry in plist.purposes() {
        let Some(purpose) = entry.value.as_str() else { continue };
        if elvask_platform::ios::usage_key(&entry.key).is_none() {
            continue;
        }
        let name = purpose_name(&entry.key);
        if lines.iter().any(|(known, _)| *known == name) {
            continue;
        }
        lines.push((name, purpose_line(context, plist, &entry.key, purpose)));
    }
    if lines.is_empty() {
        return;
    }
    out.push_str(
        "\n# What people read when the system asks for access: one text, or one for each language.\n[purposes]\n",
    );
    for (name, value) in lines {
        match value.strip_prefix('#') {
            Some(unworded) => out.push_str(&format!("# {} = {}   # nobody has worded it yet\n", key(&name), unworded)),
            None => out.push_str(&format!("{} = {value}\n", key(&name))),
        }
    }
}

fn purpose_line(context: &Context<'_>, plist: PlistView<'_>, usage: &str, purpose: &str) -> String {
    if is_unfilled_purpose(purpose) || purpose.contains("$(") {
        return format!("#{}", text(purpose));
    }
    let texts = context.app.ios.iter().flat_map(|ios| &ios.texts).filter(|one| one.key == usage);
    let mut languages: Vec<(String, String)> = texts.map(|one| (one.language.clone(), one.text.clone())).collect();
    languages.sort();
    languages.dedup_by(|one, other| one.0 == other.0);
    if languages.is_empty() {
        return text(purpose);
    }
    let stated = plist.text("CFBundleDevelopmentRegion").filter(|text| !text.contains('$'));
    let own = stated.or(context.app.ios.as_ref().and_then(|ios| ios.language.as_deref())).unwrap_or("en").to_owned();
    if !languages.iter().any(|(language, _)| *language == own) {
        languages.insert(0, (own, purpose.to_owned()));
    }
    let texts: Vec<_> =
        languages.iter().map(|(language, words)| format!("{} = {}", key(language), text(words))).collect();
    format!("{{ {} }}", texts.join(", "))
}

fn answers(context: &Context<'_>, given: &Given, out: &mut String) {
    for (at, plugin) in context.app.plugins.iter().enumerate() {
        let known: Vec<(String, String)> = context
            .answers
            .all()
            .filter(|(of, _, answer)| *of == at && answer.declared)
            .map(|(_, key, answer)| (key.to_owned(), answer.value.clone()))
            .collect();
        let said = given.answers.iter().filter(|(name, ..)| *name == plugin.name);
        let mut all: Vec<(String, String)> = said.map(|(_, key, value)| (key.clone(), value.clone())).collect();
        all.extend(
            known
                .into_iter()
                .filter(|(key, _)| !given.answers.iter().any(|(name, said, _)| *name == plugin.name && said == key)),
        );
        if all.is_empty() {
            continue;
        }
        out.push_str(&format!("\n# Values that {} asks for.\n[plugins.{}.answers]\n", plugin.name, key(&plugin.name)));
        for (name, value) in all {
            out.push_str(&format!("{} = {}\n", key(&name), text(&value)));
        }
    }
}

fn links(context: &Context<'_>, given: &Given, out: &mut String) {
    let (mut hosts, mut schemes) = (given.hosts.clone(), Vec::new());
    for variant in &context.variants {
        for component in variant.components() {
            for filter in variant.merged.children(component).filter(|one| one.name == "intent-filter") {
                let browsable = variant.merged.children(filter).any(|one| {
                    one.name == "category" && one.value("name") == Some("android.intent.category.BROWSABLE")
                });
                if !browsable || component.input != 0 && !variant.is_launcher(component) {
                    continue;
                }
                let data = || variant.merged.children(filter).filter(|one| one.name == "data");
                let web = data().any(|one| matches!(one.value("scheme"), Some("http" | "https")));
                hosts.extend(data().filter(|_| web).filter_map(|one| one.value("host")).map(str::to_owned));
                schemes.extend(
                    data()
                        .filter_map(|one| one.value("scheme"))
                        .filter(|one| !matches!(*one, "http" | "https"))
                        .map(str::to_owned),
                );
            }
        }
    }
    if let Some(plist) = context.plist {
        let types = plist.entry("CFBundleURLTypes").and_then(|entry| entry.value.as_array()).unwrap_or_default();
        let fields = types.iter().flat_map(|one| one.as_dict().unwrap_or_default());
        let listed = fields
            .filter(|field| field.key == "CFBundleURLSchemes")
            .flat_map(|field| field.value.as_array().unwrap_or_default());
        schemes.extend(listed.filter_map(|value| value.as_str()).map(str::to_owned));
    }
    if let Some((_, list)) = context.surface.entitlements() {
        let domains = list.entry("com.apple.developer.associated-domains").and_then(|entry| entry.value.as_array());
        for domain in domains.unwrap_or_default().iter().filter_map(|value| value.as_str()) {
            let host = domain.strip_prefix("applinks:").map(|host| host.split('?').next().unwrap_or(host));
            hosts.extend(host.map(str::to_owned));
        }
    }
    for names in [&mut hosts, &mut schemes] {
        names.retain(|name| !name.contains(['$', '{']) && !name.is_empty());
        let mut seen = Vec::new();
        names.retain(|name| {
            let new = !seen.contains(name);
            seen.push(name.clone());
            new
        });
    }
    if hosts.is_empty() && schemes.is_empty() {
        return;
    }
    out.push_str("\n# Links that open the app.\n[links]\n");
    let list = |names: &[String]| names.iter().map(|name| text(name)).collect::<Vec<_>>().join(", ");
    if !hosts.is_empty() {
        out.push_str(&format!("hosts = [{}]\n", list(&hosts)));
    }
    if !schemes.is_empty() {
        out.push_str(&format!("schemes = [{}]\n", list(&schemes)));
    }
}
