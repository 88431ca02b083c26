//! Declaring what a person names: as if a plugin of theirs required it, so that everything goes where it would for a plugin,
//! on both platforms.

use std::sync::Arc;

use elvask_needs::sheet::Sheet;
use elvask_platform::{Kind, Platform, android, capability, ios};

use crate::app::{App, Plugin, PluginSheet, SheetOrigin};

/// The name under which a person's own wishes are required.
pub const OWNER: &str = "you";

/// What a person names.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Naming {
    /// Whatever the word is found to be.
    Anything,
    /// A capability.
    Capability,
    /// A permission, with or without the platform's prefix.
    Permission,
    /// A key of `Info.plist`.
    Key,
    /// A scheme that opens the app.
    Scheme,
    /// A scheme that the app asks about.
    QueryScheme,
    /// A host whose links open the app.
    Host,
    /// Links that open the app: `https://marram.example/site/*` or `marram://site/*`.
    Link,
    /// A package that the app wants to see.
    Package,
    /// An entitlement.
    Entitlement,
    /// A background mode.
    BackgroundMode,
    /// A feature of the device.
    Feature,
}

/// Returns the entries of a sheet that state what a person names; `value` goes with what [takes one](takes_value), as TOML, and `on` is the activity that
/// links open, where that is not the one of the launcher.
///
/// # Errors
/// A sentence about what is not known, or about a value that is none.
// In one piece: one arm for each word of the command, so that all of them can be compared.
pub fn entries(naming: Naming, word: &str, value: Option<&str>, on: Option<&str>) -> Result<Vec<String>, String> {
    if let Some(value) = value {
        check_value(word, value)?;
    }
    let text = |text: &str| serde_json::to_string(text).unwrap_or_default();
    let one = |line: String| Ok(vec![line]);
    let full = if word.contains('.') { word.to_owned() } else { format!("{}{word}", android::PERMISSION_PREFIX) };
    let given = value.map(|value| format!(", value = {value}")).unwrap_or_default();
    match naming {
        Naming::Anything => {
            if capability::capability(word).is_some() {
                entries(Naming::Capability, word, value, on)
            } else if android::permission(&full).is_some() {
                entries(Naming::Permission, word, value, on)
            } else if ios::usage_key(word).is_some() || ios::plist_key(word).is_some() {
                entries(Naming::Key, word, value, on)
            } else if ios::entitlement(word).is_some() {
                entries(Naming::Entitlement, word, value, on)
            } else if word.starts_with("android.hardware.") || word.starts_with("android.software.") {
                entries(Naming::Feature, word, value, on)
            } else {
                Err(unknown(word))
            }
        }
        Naming::Capability => {
            let Some(known) = capability::capability(word) else { return Err(unknown(word)) };
            let mut all = vec![format!("capability = {}", text(word))];
            if let (Some(_), Some(open)) = (value, open_entitlement(known)) {
                all.push(format!("ios.entitlement = {{ key = {}{given} }}", text(open)));
            }
            Ok(all)
        }
        Naming::Permission => match android::permission(&full) {
            Some(known) => one(format!("android.permission = {}", text(known.name))),
            // Other apps and libraries have permissions of their own.
            None if word.contains('.') && !word.starts_with(android::PERMISSION_PREFIX) => {
                one(format!("android.permission = {}", text(word)))
            }
            None => {
                let near = android::nearest_permission(&full);
                let hint = near.map_or_else(String::new, |known| format!("; did you mean {}?", known.name));
                Err(format!("{word}: the platform has no such permission{hint}"))
            }
        },
        Naming::Key => match ios::usage_key(word) {
            Some(_) => one(format!("ios.usage = {}", text(word))),
            None => match value {
                Some(value) => one(format!("ios.plist = {{ key = {}, value = {value} }}", text(word))),
                None => Err(format!("{word}: a key needs its value, such as --value true or --value '\"text\"'")),
            },
        },
        Naming::Scheme => {
            let scheme = word.trim_end_matches("://").trim_end_matches(':').to_ascii_lowercase();
            let mut letters = scheme.chars();
            let good = letters.next().is_some_and(|first| first.is_ascii_lowercase())
                && letters.all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '+' | '-' | '.'));
            if !good {
                return Err(format!("{word}: this is not a URL scheme; write one such as marram"));
            }
            if let Some(kept) = ios::reserved_scheme(&scheme) {
                return Err(format!(
                    "{word}: the system keeps this scheme for itself and opens {kept}; for links of the web: elvask declare link https://HOST/*"
                ));
            }
            Ok(vec![filter(on, &scheme, None, None), format!("ios.url-scheme = {}", text(&scheme))])
        }
        Naming::Link => link(word, on),
        Naming::Package => {
            let plain = word.contains('.')
                && word.chars().all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '_'));
            if !plain {
                return Err(format!("{word}: this is not an application id; write one such as example.tides.app"));
            }
            one(format!("android.query = {{ package = {} }}", text(word)))
        }
        Naming::QueryScheme => Ok(vec![
            format!("android.query = {{ action = \"android.intent.action.VIEW\", scheme = {} }}", text(word)),
            format!("ios.query-scheme = {}", text(word)),
        ]),
        Naming::Host => {
            let host = plain_host(word.trim_start_matches("https://").trim_end_matches('/'))?;
            Ok(vec![
                filter(on, "https", Some(&host), None),
                format!("ios.domain = {}", text(&format!("applinks:{host}"))),
            ])
        }
        Naming::Entitlement => match ios::entitlement(word) {
            Some(known) => {
                let usual = match (known.key, known.value_type) {
                    ("aps-environment", _) => ", value = \"development\"",
                    (_, "bool") => ", value = true",
                    _ => "",
                };
                let given = if given.is_empty() { usual.to_owned() } else { given };
                one(format!("ios.entitlement = {{ key = {}{given} }}", text(word)))
            }
            None => {
                let near = elvask_platform::names::nearest(word, ios::entitlements().iter().map(|known| known.key));
                let hint = near.map_or_else(String::new, |meant| format!("; did you mean {meant}?"));
                Err(format!("{word}: the platform has no such entitlement{hint}"))
            }
        },
        Naming::BackgroundMode => one(format!("ios.background-mode = {}", text(word))),
        Naming::Feature => one(format!("android.feature = {}", text(word))),
    }
}

/// Returns the entry for a filter of links.
fn filter(on: Option<&str>, scheme: &str, host: Option<&str>, path: Option<(&str, String)>) -> String {
    let text = |text: &str| serde_json::to_string(text).unwrap_or_default();
    let mut fields = Vec::new();
    fields.extend(on.map(|class| format!("on = {}", text(class))));
    fields.push("action = \"android.intent.action.VIEW\"".to_owned());
    fields.push("category = [\"android.intent.category.DEFAULT\", \"android.intent.category.BROWSABLE\"]".to_owned());
    fields.push(format!("scheme = {}", text(scheme)));
    fields.extend(host.map(|host| format!("host = {}", text(host))));
    fields.extend(path.map(|(key, path)| format!("{key} = {}", text(&path))));
    format!("android.filter = {{ {} }}", fields.join(", "))
}

/// Returns a host in the form in which it is looked up.
fn plain_host(word: &str) -> Result<String, String> {
    let (wild, name) = word.strip_prefix("*.").map_or(("", word), |name| ("*.", name));
    let ascii = idna::domain_to_ascii(name).unwrap_or_default();
    let letters = |letter: char| letter.is_ascii_alphanumeric() || matches!(letter, '.' | '-');
    if !ascii.contains('.') || !ascii.chars().all(letters) || ascii.starts_with('.') || ascii.ends_with('.') {
        return Err(format!(
            "{word}: this is not a host; write one such as marram.example, or *.marram.example for all below it"
        ));
    }
    Ok(format!("{wild}{ascii}"))
}

/// Returns the entries for links as people write them, with a star for what may vary.
fn link(word: &str, on: Option<&str>) -> Result<Vec<String>, String> {
    let text = |text: &str| serde_json::to_string(text).unwrap_or_default();
    let wrong =
        |why: &str| Err(format!("{word}: {why}; write links such as https://marram.example/site/* or marram://site/*"));
    let Some((scheme, rest)) = word.split_once("://") else { return wrong("this names no scheme") };
    let scheme = scheme.to_ascii_lowercase();
    if rest.contains(['?', '#', ' ']) {
        return wrong("neither platform's declaration holds a query, a fragment or a blank");
    }
    let (host, path) = rest.split_once('/').map_or((rest, None), |(host, path)| (host, Some(format!("/{path}"))));
    let path = path.filter(|path| path != "/*" && !path.is_empty()).map(|path| match path.strip_suffix('*') {
        Some(start) if !start.contains('*') => ("path-prefix", start.to_owned()),
        None if !path.contains('*') => ("path", path),
        _ => ("path-pattern", path.replace('*', ".*")),
    });
    if matches!(scheme.as_str(), "http" | "https") {
        let host = plain_host(host)?;
        return Ok(vec![
            filter(on, &scheme, Some(&host), path),
            format!("ios.domain = {}", text(&format!("applinks:{host}"))),
        ]);
    }
    if ios::reserved_scheme(&scheme).is_some() {
        return entries(Naming::Scheme, &scheme, None, on);
    }
    let host = Some(host).filter(|host| !host.is_empty() && *host != "*");
    if host.is_none() && path.is_some() {
        return wrong("without a host, paths are not looked at");
    }
    let mut both = entries(Naming::Scheme, &scheme, None, on)?;
    if let Some(first) = both.first_mut() {
        *first = filter(on, &scheme, host, path);
    }
    Ok(both)
}

/// Returns the entitlement of a capability of which only the owner knows the value: group ids, merchant ids.
fn open_entitlement(capability: capability::Capability) -> Option<&'static str> {
    let mut open = capability.needs().filter(|need| need.kind == Kind::Entitlement && need.value.is_empty());
    open.next().map(|need| need.name)
}

/// Says whether a value may be given to what a person names.
#[must_use]
pub fn takes_value(naming: Naming, word: &str) -> bool {
    match naming {
        Naming::Anything => match capability::capability(word) {
            Some(known) => open_entitlement(known).is_some(),
            None => ios::plist_key(word).is_some() || ios::entitlement(word).is_some(),
        },
        Naming::Capability => capability::capability(word).is_some_and(|known| open_entitlement(known).is_some()),
        Naming::Key => ios::usage_key(word).is_none(),
        Naming::Entitlement => true,
        _ => false,
    }
}

fn unknown(word: &str) -> String {
    let names = || capability::capabilities().map(|known| known.name);
    let longer: Vec<&str> = names().filter(|name| name.split('-').any(|part| part == word)).collect();
    let near = elvask_platform::names::nearest(word, names());
    let hint = match near {
        _ if !longer.is_empty() => format!("did you mean {}?", longer.join(" or ")),
        Some(meant) => format!("did you mean {meant}?"),
        None => "say what it is: `elvask declare scheme NAME`, `host`, `entitlement`, `key`, `permission`".to_owned(),
    };
    format!("{word}: this is not a capability, permission, key or entitlement that is known; {hint}")
}

/// Refuses a value that is not one value as TOML writes it.
fn check_value(word: &str, value: &str) -> Result<(), String> {
    let table: Result<toml_edit::DocumentMut, _> = format!("value = {value}").parse();
    match table {
        Ok(table) if table.len() == 1 => Ok(()),
        _ => Err(format!(
            "{word}: --value {value}: this is not a value; write true, 3, '\"text\"' or '[\"a\", \"b\"]', with the quotes"
        )),
    }
}

/// Returns the app with a plugin more, which requires what a person has named.
///
/// # Errors
/// What is wrong with the entries, in a sentence.
pub fn with_wishes(app: &App, entries: &[String], origin: SheetOrigin) -> Result<App, String> {
    let mut text = format!("sheet = 1\nplugin = \"{OWNER}\"\n");
    for entry in entries {
        text.push_str(&format!("[[requires]]\n{entry}\n"));
    }
    let asked: std::collections::BTreeSet<&str> = entries
        .iter()
        .flat_map(|entry| elvask_needs::template::answers_in(entry))
        .filter(|key| !matches!(*key, "android_id" | "ios_id" | "ios_team" | "scheme" | "host"))
        .collect();
    for key in asked {
        text.push_str(&format!("[answers.{key}]\n"));
    }
    let (sheet, problems) = Sheet::parse(&text, None);
    if let Some(problem) = problems.first() {
        return Err(problem.message.clone());
    }
    let mut app = app.clone();
    let path = app.root.join("(command line)");
    let file = app.files.sources.add(&path, text);
    app.plugins.push(Plugin {
        name: OWNER.to_owned(),
        version: None,
        root: None,
        platforms: vec![Platform::Android, Platform::Ios],
        dependency: None,
        sheet: Some(PluginSheet { sheet: Arc::new(sheet), file, origin }),
        own: true,
        ..Plugin::default()
    });
    Ok(app)
}
