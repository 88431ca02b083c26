//! The app held against what is registered in the developer accounts: which findings that is, what a person does, what was looked at.

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use elvask_markup::plist::Value;
use elvask_needs::remedy::Remedy;
use elvask_platform::Platform;
use elvask_project::appfiles::IosApp;
use elvask_project::source::Place;
use elvask_project::surface::Surface;
use elvask_project::tomldoc::Text;

use crate::account::{
    ACCOUNT_FILE, Account, AndroidStatement, AppStatement, Given, GivenStatement, IosStatement, Product,
    ProductStatement, Registered, Statement, covers, is_handed_out,
};
use crate::app::App;
use crate::context::Context;
use crate::finding::Finding;

/// The rules that hold the app against its accounts, in the order in which a person does what they ask for.
const RULES: [&str; 15] = [
    "entitlement-differs",
    "group-unshared",
    "app-unregistered",
    "identity-mismatch",
    "identity-case",
    "entitlement-unregistered",
    "certificate-unfit",
    "profile-unfit",
    "entitlement-not-in-profile",
    "product-unregistered",
    "store-file-unnamed",
    "service-id-unregistered",
    "fingerprint-unregistered",
    "file-mismatch",
    "version-not-raised",
];

/// Says whether a finding comes of what is registered.
#[must_use]
pub fn concerns(app: &App, finding: &Finding) -> bool {
    let of_file = |place: Place| Some(place.file) == app.account.file;
    let named = of_file(finding.place) || finding.related.as_ref().is_some_and(|(place, _)| of_file(*place));
    // Ids are compared with more than the account. The rest must agree for what is registered to serve.
    let of_ids = matches!(finding.rule.id, "identity-case" | "identity-mismatch");
    RULES.contains(&finding.rule.id) && (named || !of_ids)
}

/// Returns what a person does about findings, in the order in which it is done, each thing once.
#[must_use]
pub fn steps(findings: &[Finding]) -> Vec<String> {
    let mut of_rules: Vec<_> = findings
        .iter()
        .filter(|finding| finding.counts())
        .filter_map(|finding| Some((RULES.iter().position(|rule| *rule == finding.rule.id)?, finding)))
        .collect();
    of_rules.sort_by_key(|(rank, _)| *rank);
    let mut out: Vec<String> = Vec::new();
    for (_, finding) in of_rules {
        let step = match &finding.remedy {
            Remedy::Manual(steps) => steps.clone(),
            other => other.title().to_owned(),
        };
        if !out.contains(&step) {
            out.push(step);
        }
    }
    out
}

/// What was held against the app, and what was not.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Held {
    /// What was, in a few words each.
    pub against: Vec<String>,
    /// What was not, and why, in a few words each.
    pub not: Vec<String>,
}

/// Says what of `account.toml` was held against the app.
#[must_use]
pub fn held(app: &App) -> Held {
    let account = &app.account;
    let mut held = Held::default();
    let some = |count: usize, one: &str| match count {
        1 => format!("1 {one}"),
        _ => format!("{count} {one}s"),
    };
    let mut apps = |platform: &str, there: bool, known: bool, apps: &Option<Vec<Registered>>| match apps {
        _ if !there => {}
        Some(_) if !known => held.not.push(format!("app ids on {platform} (only the build tells the app's)")),
        Some(apps) => held.against.push(format!("{} on {platform}", some(apps.len(), "app id"))),
        None => held.not.push(format!("app ids on {platform} (not stated)")),
    };
    let ios_id = app.ios.as_ref().and_then(|ios| ios.id.value.as_deref());
    let android_ids =
        app.android.iter().flat_map(elvask_project::appfiles::AndroidApp::judged).filter(|one| one.id.value.is_some());
    apps("iOS", app.ios.is_some(), ios_id.is_some(), &account.ios_apps);
    apps("Android", app.android.is_some(), android_ids.count() > 0, &account.android_apps);
    let Some(ios) = &app.ios else { return held };
    let surface = Surface::read(app, &app.sources);
    let signs = surface.settings().and_then(|settings| settings.value("DEVELOPMENT_TEAM")?.value);
    match &account.team {
        Some(_) if signs.is_none_or(|team| team.is_empty()) => {
            held.not.push("the team (the project does not say which one signs)".to_owned());
        }
        Some(team) => held.against.push(format!("the team {}", team.text)),
        None => held.not.push("the team (not stated)".to_owned()),
    }
    for (what, key, ids) in [
        ("merchant id", "com.apple.developer.in-app-payments", &account.merchants),
        ("app group", "com.apple.security.application-groups", &account.groups),
    ] {
        let list =
            surface.entitlements().and_then(|(_, list)| list.entry(key)).and_then(|entry| entry.value.as_array());
        let made = list.unwrap_or_default().iter().filter_map(Value::as_str).filter(|value| value.contains('$'));
        held.not.extend(made.map(|value| format!("{value} (only the build tells this {what})")));
        match ids {
            Some(ids) => held.against.push(some(ids.len(), what)),
            None => held.not.push(format!("{what}s (not stated)")),
        }
    }
    let covered = |one: &Registered| ios_id.is_some_and(|id| covers(&one.id.text, id));
    if ios_id.is_some() && account.ios_apps.as_ref().is_some_and(|apps| !apps.is_empty() && !apps.iter().any(covered)) {
        held.not.push("capabilities (the app's id is none of those that are registered)".to_owned());
    }
    let without = account.ios_apps.iter().flatten().filter(|one| one.capabilities.is_none());
    held.not.extend(without.map(|one| format!("the capabilities of {} (not stated)", one.id.text)));
    match &account.products {
        Some(products) if account.store_files.is_empty() => {
            held.not.push(format!("{} (the app has no StoreKit file)", some(products.len(), "product")));
        }
        Some(products) => held.against.push(some(products.len(), "product")),
        None => held.not.push("products (not stated)".to_owned()),
    }
    handed_out(account, ios, &mut held);
    held
}

/// Says which profiles and certificates were held against the app.
fn handed_out(account: &Account, ios: &IosApp, held: &mut Held) {
    for profile in &account.profiles {
        let there = |target: &str| ios.extensions.iter().any(|one| one.name == target);
        let other_target =
            profile.target.as_ref().filter(|target| Some(&target.text) != ios.target.as_ref() && !there(&target.text));
        let other = profile.used.as_ref().filter(|used| used.text != ios.configuration);
        match (other_target, other) {
            (Some(target), _) => held.not.push(format!(
                "{} (it is for the target {}, which is not part of the app)",
                profile.path.text, target.text
            )),
            (None, Some(used)) => {
                held.not.push(format!(
                    "{} (it is for {}; {} was looked at)",
                    profile.path.text, used.text, ios.configuration
                ));
            }
            // Why it is not, a finding says.
            _ if profile.says.is_err() => held.not.push(format!("{} (it cannot be read)", profile.path.text)),
            _ => held.against.push(profile.path.text.clone()),
        }
    }
    for certificate in &account.certificates {
        match &certificate.says {
            Ok(_) => held.against.push(certificate.path.text.clone()),
            Err(why) if certificate.locked => held.not.push(format!("{} (it {why})", certificate.path.text)),
            Err(_) => held.not.push(format!("{} (it cannot be read)", certificate.path.text)),
        }
    }
}

/// Returns the text of `account.toml` for an app as it is: what it wants to be registered.
#[must_use]
pub fn draft(context: &Context<'_>) -> String {
    let mut out = format!(
        "# {ACCOUNT_FILE}: what is registered in the developer accounts. `elvask account check` holds the app against it. Written by\n# `elvask account draft` from what the app says: compare each line with the accounts, and correct what differs.\n"
    );
    out.push_str(&wanted(context).to_toml());
    if let Some(ios) = &context.app.ios {
        let configuration = serde_json::to_string(&ios.configuration).unwrap_or_default();
        out.push_str(&format!(
            "\n# The profiles that sign the app, by their paths from its folder:\n# [[ios.profiles]]\n# file = \"profiles/store.mobileprovision\"\n# configuration = {configuration}\n",
        ));
        out.push_str(
            "\n# Certificates of services; `for` is \"push\" or \"wallet\". Never the private key:\n# [[ios.certificates]]\n# file = \"certificates/push.cer\"\n# for = \"push\"\n",
        );
    }
    out
}

/// Returns what an app wants to be registered, as its files say it.
fn wanted(context: &Context<'_>) -> Statement {
    let mut out = Statement { account: 1, ..Statement::default() };
    if let Some(ios) = &context.app.ios {
        let setting = context.surface.settings().and_then(|settings| settings.value("DEVELOPMENT_TEAM")?.value);
        let team = context.app.config.identity.ios_team.as_ref().map(|team| team.text.clone()).or(setting);
        let entries = context.surface.entitlements().map(|(_, list)| list.entries()).unwrap_or_default();
        let texts = |key: &str| -> Vec<String> {
            let values = entries.iter().find(|entry| entry.key == key).and_then(|entry| entry.value.as_array());
            let values = values.unwrap_or_default().iter().filter_map(Value::as_str);
            values.filter(|value| !value.contains('$')).map(str::to_owned).collect()
        };
        let apps = ios.id.value.as_ref().map(|id| {
            let mut capabilities: Vec<String> = Vec::new();
            for entry in entries.iter().filter(|entry| entry.key != "keychain-access-groups") {
                let known = elvask_platform::ios::entitlement(&entry.key).map(|known| known.capability);
                let title = known.filter(|title| !title.is_empty()).unwrap_or(&entry.key).to_owned();
                if !capabilities.contains(&title) {
                    capabilities.push(title);
                }
            }
            vec![AppStatement { id: id.clone(), capabilities: Some(capabilities), ..AppStatement::default() }]
        });
        out.ios = Some(IosStatement {
            team: team.filter(|team| !team.is_empty()),
            merchants: Some(texts("com.apple.developer.in-app-payments")),
            app_groups: Some(texts("com.apple.security.application-groups")),
            apps,
            ..IosStatement::default()
        });
    }
    if let Some(android) = &context.app.android {
        let mut ids: Vec<&str> = android.judged().filter_map(|one| one.id.value.as_deref()).collect();
        ids.dedup();
        let prints = &context.app.config.links.fingerprints;
        let prints: Vec<String> = prints.iter().map(|print| print.text.clone()).collect();
        let fingerprints = Some(prints).filter(|prints| !prints.is_empty());
        let app = |id: &str| AppStatement {
            id: id.to_owned(),
            fingerprints: fingerprints.clone(),
            ..AppStatement::default()
        };
        let apps = Some(ids.into_iter().map(app).collect::<Vec<_>>()).filter(|apps| !apps.is_empty());
        out.android = Some(AndroidStatement { apps, ..AndroidStatement::default() });
    }
    out
}

/// Returns what `account.toml` states, with the files that it names.
///
/// # Errors
/// A file that it names cannot be handed on.
pub fn stated(app: &App) -> Result<Statement, String> {
    let account = &app.account;
    let texts = |all: &[Text]| all.iter().map(|one| one.text.clone()).collect::<Vec<_>>();
    let optional = |one: &Option<Text>| one.as_ref().map(|one| one.text.clone());
    let apps = |apps: &Option<Vec<Registered>>| {
        let app = |one: &Registered| AppStatement {
            id: one.id.text.clone(),
            capabilities: one.capabilities.as_deref().map(texts),
            fingerprints: one.fingerprints.as_deref().map(texts),
            highest_build: optional(&one.highest_build),
        };
        apps.as_ref().map(|apps| apps.iter().map(app).collect::<Vec<_>>())
    };
    let ids = |platform: Platform| {
        let of = account.service_ids.iter().filter(move |(of, _, _)| *of == platform);
        of.map(|(_, name, value)| (name.text.clone(), value.text.clone())).collect()
    };
    let ios = IosStatement {
        team: optional(&account.team),
        merchants: account.merchants.as_deref().map(texts),
        app_groups: account.groups.as_deref().map(texts),
        service_ids: ids(Platform::Ios),
        apps: apps(&account.ios_apps),
        profiles: account.profiles.iter().map(|one| handed_on(one, true)).collect::<Result<_, _>>()?,
        certificates: account.certificates.iter().map(|one| handed_on(one, false)).collect::<Result<_, _>>()?,
    };
    let android = AndroidStatement { service_ids: ids(Platform::Android), apps: apps(&account.android_apps) };
    let products = account.products.as_ref().map(|products| {
        let product = |one: &Product| ProductStatement {
            id: one.id.text.clone(),
            kind: optional(&one.kind),
            state: optional(&one.state),
        };
        products.iter().map(product).collect()
    });
    Ok(Statement { account: 1, ios: Some(ios), android: Some(android), products })
}

/// Returns a file that an account handed out, with what is in it.
fn handed_on<T>(given: &Given<T>, profile: bool) -> Result<GivenStatement, String> {
    let path = &given.path.text;
    let bytes = given.bytes.as_deref().unwrap_or_default();
    if let Err(why) = is_handed_out(bytes, profile) {
        return Err(format!("{path} {why}"));
    }
    let used = given.used.as_ref().map(|used| used.text.clone());
    let (used, configuration) = if profile { (None, used) } else { (used, None) };
    let target = given.target.as_ref().map(|target| target.text.clone());
    Ok(GivenStatement { file: path.clone(), used, configuration, target, content: Some(STANDARD.encode(bytes)) })
}
