//! The first `elvask.toml` of an app: what it declares already, so that from then on its intent stands in one file.

use elvask_needs::template::is_unfilled_purpose;
use elvask_platform::Kind;
use elvask_platform::capability::capabilities_with;
use elvask_project::layout::FILE_NAME;
use elvask_project::surface::PlistView;

use crate::app::App;
use crate::context::Context;

/// Returns the text of `elvask.toml` for an app as it is.
#[must_use]
pub fn config(context: &Context<'_>) -> String {
    let app = context.app;
    let mut out = format!(
        "# {FILE_NAME}: what this app means to declare. `elvask check` holds the manifests and property lists against it, and\n# `elvask fill` writes what is missing. Written by `elvask init` from what the app declares; take out what you did not mean.\nelvask = 1\n"
    );
    identity(app, context, &mut out);
    purposes(context, &mut out);
    answers(context, &mut out);
    links(context, &mut out);
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

fn identity(app: &App, context: &Context<'_>, out: &mut String) {
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
        ("ios-team", team.filter(|team| !team.is_empty())),
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
        let (older, now): (Vec<_>, Vec<_>) = wanted.partition(|need| need.ios_below.is_some());
        matches!(now.as_slice(), [one] if one.name == usage || older.iter().any(|older| older.name == usage))
    });
    alone.map_or_else(|| usage.to_owned(), |capability| capability.name.to_owned())
}

fn purposes(context: &Context<'_>, out: &mut String) {
    let Some(plist) = context.plist else { return };
    let mut lines: Vec<(String, String)> = Vec::new();
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

fn answers(context: &Context<'_>, out: &mut String) {
    for (at, plugin) in context.app.plugins.iter().enumerate() {
        let known: Vec<_> = context
            .answers
            .all()
            .filter(|(of, _, answer)| *of == at && answer.declared)
            .map(|(_, key, answer)| (key, answer))
            .collect();
        if known.is_empty() {
            continue;
        }
        out.push_str(&format!(
            "\n# Values that {} asks for, as the app declares them.\n[plugins.{}.answers]\n",
            plugin.name,
            key(&plugin.name)
        ));
        for (name, answer) in known {
            out.push_str(&format!("{} = {}\n", key(name), text(&answer.value)));
        }
    }
}

fn links(context: &Context<'_>, out: &mut String) {
    let (mut hosts, mut schemes) = (Vec::new(), Vec::new());
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
