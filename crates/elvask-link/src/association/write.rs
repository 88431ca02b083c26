//! Writing the two files: new ones, or into files that are there already, which keep every other byte.

use elvask_platform::Version;
use jsonc_parser::ParseOptions;
use jsonc_parser::cst::{CstArray, CstInputValue, CstObject, CstRootNode};

use super::Document;
use super::android::{AssetLinks, HANDLE_ALL_URLS, is_fingerprint};
use super::apple::{AppId, AppleAssociation, Decision};
use crate::route::Route;
use crate::url::Link;

/// What the files are to say of an app.
#[derive(Debug, Clone, Copy)]
pub struct Files<'f> {
    /// The application id on Android.
    pub package: Option<&'f str>,
    /// SHA-256 of the certificates that sign it.
    pub fingerprints: &'f [String],
    /// The team that signs on iOS.
    pub team: Option<&'f str>,
    /// The bundle id.
    pub bundle: Option<&'f str>,
    /// The lowest version of iOS that the app runs on.
    pub min_version: Option<Version>,
    /// The routes, in their order.
    pub routes: &'f [Route],
}

/// A file as it is to be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Written {
    /// The whole text.
    pub text: String,
    /// What a person should look at, in sentences without a full stop.
    pub notes: Vec<String>,
}

/// Why a file cannot be written.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum WriteProblem {
    /// No certificate is known.
    #[error(
        "which certificates sign the app is not known: add `fingerprints = [\"…\"]` to [links] in elvask.toml; `elvask fingerprint KEYSTORE` prints the line"
    )]
    NoFingerprint,
    /// No application id is known.
    #[error("the application id is not known: add `android-id = \"…\"` to [app] in elvask.toml")]
    NoPackage,
    /// No team is known.
    #[error(
        "the team that signs the app is not known: add `ios-team = \"…\"` to [app] in elvask.toml; the developer account shows it under Membership"
    )]
    NoTeam,
    /// No bundle id is known.
    #[error("the bundle id is not known: add `ios-id = \"…\"` to [app] in elvask.toml")]
    NoBundle,
    /// The team's id has another form.
    #[error("`{0}` is not a team id: it is ten capitals and digits")]
    BadTeam(String),
    /// What stands there cannot be read.
    #[error("the file that is there cannot be added to: {0}")]
    Unreadable(String),
    /// What stands there works against it.
    #[error("{0}")]
    InTheWay(String),
}

/// Plans a file: `existing` is what stands there now. Where all is well already, the text comes back as it is.
///
/// # Errors
/// Why it cannot be written.
pub fn plan(document: Document, existing: Option<&str>, wanted: &Files<'_>) -> Result<Written, WriteProblem> {
    match document {
        Document::AssetLinks => asset_links(existing, wanted),
        Document::AppleAssociation => apple(existing, wanted),
    }
}

fn text(value: &str) -> CstInputValue {
    CstInputValue::String(value.to_owned())
}

fn object(entries: Vec<(&str, CstInputValue)>) -> CstInputValue {
    CstInputValue::Object(entries.into_iter().map(|(key, value)| (key.to_owned(), value)).collect())
}

/// Parses a text for editing. It has been read by the strict reader before.
fn open(source: &str) -> Result<CstRootNode, WriteProblem> {
    CstRootNode::parse(source, &ParseOptions::default()).map_err(|error| WriteProblem::Unreadable(error.to_string()))
}

/// Starts a new text.
fn fresh(empty: &str) -> Result<CstRootNode, WriteProblem> {
    open(&format!("{empty}\n"))
}

fn asset_links(existing: Option<&str>, wanted: &Files<'_>) -> Result<Written, WriteProblem> {
    let package = wanted.package.ok_or(WriteProblem::NoPackage)?;
    if wanted.fingerprints.is_empty() {
        return Err(WriteProblem::NoFingerprint);
    }
    let prints = || CstInputValue::Array(wanted.fingerprints.iter().map(|print| text(print)).collect());
    let statement = || {
        object(vec![
            ("relation", CstInputValue::Array(vec![text(HANDLE_ALL_URLS)])),
            (
                "target",
                object(vec![
                    ("namespace", text("android_app")),
                    ("package_name", text(package)),
                    ("sha256_cert_fingerprints", prints()),
                ]),
            ),
        ])
    };
    let source =
        existing.map(|existing| existing.trim_start_matches('\u{FEFF}')).filter(|existing| !existing.trim().is_empty());
    let Some(source) = source else {
        let root = fresh("[]")?;
        if let Some(list) = root.array_value() {
            list.append(statement());
            list.ensure_multiline();
        }
        return Ok(Written { text: root.to_string(), notes: Vec::new() });
    };
    // A single statement in the place of the array is put into one; anything else that cannot be read is a person's.
    let value: serde_json::Value =
        serde_json::from_str(source).map_err(|error| WriteProblem::Unreadable(error.to_string()))?;
    let wrapped = value.is_object().then(|| {
        format!("[\n{}\n]\n", source.trim().lines().map(|line| format!("  {line}")).collect::<Vec<_>>().join("\n"))
    });
    let source = wrapped.as_deref().unwrap_or(source);
    AssetLinks::parse(source).map_err(WriteProblem::Unreadable)?;
    let root = open(source)?;
    let list = root.array_value().ok_or_else(|| WriteProblem::Unreadable("the file is not an array".to_owned()))?;
    let mut notes = Vec::new();
    let mine = list.elements().into_iter().filter_map(|one| one.as_object()).find(|one| {
        let is_mine = string(&one.object_value("target"), "package_name").as_deref() == Some(package);
        is_mine
            && one
                .array_value("relation")
                .is_some_and(|list| strings(&list).iter().any(|relation| relation == HANDLE_ALL_URLS))
    });
    match mine.and_then(|one| one.object_value("target")) {
        None => {
            list.append(statement());
        }
        Some(target) => {
            let listed = target.array_value_or_set("sha256_cert_fingerprints");
            let folded = |text: &str| text.to_ascii_uppercase();
            for element in listed.elements() {
                let Some(literal) = element.as_string_lit() else { continue };
                let Ok(written) = literal.decoded_value() else { continue };
                // One in small letters is the same certificate in a form that does not count.
                if !is_fingerprint(&written) && wanted.fingerprints.contains(&folded(&written)) {
                    literal.set_raw_value(format!("\"{}\"", folded(&written)));
                } else if !wanted.fingerprints.contains(&written) {
                    notes.push(format!(
                        "{} is also there, and elvask.toml does not name it; remove it if no build is signed with it",
                        shorten(&written)
                    ));
                }
            }
            let there = strings(&listed);
            for print in wanted.fingerprints.iter().filter(|print| !there.contains(print)) {
                listed.append(text(print));
            }
        }
    }
    Ok(Written { text: root.to_string(), notes })
}

fn shorten(print: &str) -> String {
    format!("{}…", print.chars().take(14).collect::<String>())
}

fn string(object: &Option<CstObject>, key: &str) -> Option<String> {
    object.as_ref()?.get(key)?.value()?.as_string_lit()?.decoded_value().ok()
}

fn strings(list: &CstArray) -> Vec<String> {
    list.elements().into_iter().filter_map(|one| one.as_string_lit()?.decoded_value().ok()).collect()
}

/// Returns the rule for a route.
fn rule(route: &Route) -> CstInputValue {
    let mut entries = vec![("/", text(&route.component()))];
    if route.stays_on_the_web() {
        entries.push(("exclude", CstInputValue::Bool(true)));
        entries.push(("comment", text("stays in the browser")));
    } else {
        entries.push(("comment", text(&route.opens)));
    }
    object(entries)
}

fn apple(existing: Option<&str>, wanted: &Files<'_>) -> Result<Written, WriteProblem> {
    let team = wanted.team.ok_or(WriteProblem::NoTeam)?;
    if !super::apple::is_prefix(team) {
        return Err(WriteProblem::BadTeam(team.to_owned()));
    }
    let bundle = wanted.bundle.ok_or(WriteProblem::NoBundle)?;
    let id = format!("{team}.{bundle}");
    // Systems before 13 read other keys; they are written where the app still runs there.
    let old = wanted.min_version.is_some_and(|version| version < Version::new(13, 0));
    let entry = || {
        let mut entries = vec![("appIDs", CstInputValue::Array(vec![text(&id)]))];
        if old {
            entries.push(("appID", text(&id)));
            let path = |route: &Route| {
                text(&format!("{}{}", if route.stays_on_the_web() { "NOT " } else { "" }, route.component()))
            };
            let paths: Vec<_> = wanted.routes.iter().map(path).collect();
            entries.push(("paths", CstInputValue::Array(if paths.is_empty() { vec![text("*")] } else { paths })));
        }
        let rules: Vec<_> = wanted.routes.iter().map(rule).collect();
        let all = || vec![object(vec![("/", text("*")), ("comment", text("every page"))])];
        entries.push(("components", CstInputValue::Array(if rules.is_empty() { all() } else { rules })));
        object(entries)
    };
    let source = existing.filter(|existing| !existing.trim().is_empty());
    let (root, read) = match source {
        None => (fresh("{}")?, AppleAssociation::default()),
        Some(source) => {
            let read = AppleAssociation::parse(source).map_err(WriteProblem::Unreadable)?;
            (open(source)?, read)
        }
    };
    let top = root.object_value().ok_or_else(|| WriteProblem::Unreadable("the file is not an object".to_owned()))?;
    let links = top.object_value_or_set("applinks");
    if old && links.get("apps").is_none() {
        links.insert(0, "apps", CstInputValue::Array(Vec::new()));
    }
    let details = match links.get("details") {
        None => links.array_value_or_set("details"),
        Some(found) => found.array_value().ok_or_else(|| {
            WriteProblem::Unreadable(
                "\"details\" is an object, as in the first form of the file; make it an array first".to_owned(),
            )
        })?,
    };
    let apps = |one: &CstObject| {
        let mut apps = one.array_value("appIDs").map(|list| strings(&list)).unwrap_or_default();
        apps.extend(string(&Some(one.clone()), "appID"));
        apps
    };
    let entries: Vec<CstObject> = details.elements().into_iter().filter_map(|one| one.as_object()).collect();
    let mine = entries.iter().position(|one| apps(one).contains(&id));
    match mine {
        None => {
            details.append(entry());
        }
        Some(at) => {
            let Some(one) = entries.get(at) else {
                return Err(WriteProblem::Unreadable("an entry is gone".to_owned()));
            };
            if apps(one).iter().all(|app| *app == id) {
                add_rules((one, at), read, &id, wanted.routes);
            } else if wanted.routes.iter().any(|route| !decides(&read, &id, route)) {
                // What several apps share is left as it is: an entry of the app's own goes before it.
                details.insert(at, entry());
            }
        }
    }
    let text = root.to_string();
    let written = AppleAssociation::parse(&text).ok();
    let is_lost = |route: &&Route| !written.as_ref().is_some_and(|written| decides(written, &id, route));
    if let Some(route) = wanted.routes.iter().find(is_lost) {
        return Err(WriteProblem::InTheWay(format!(
            "an earlier rule decides otherwise about {}; remove that rule, or move it behind this one",
            route.component()
        )));
    }
    Ok(Written { text, notes: Vec::new() })
}

/// Adds the rules that an entry lacks, to the text and to what was `read` of it: exclusions before all others, the rest behind them.
fn add_rules((entry, at): (&CstObject, usize), mut read: AppleAssociation, id: &str, routes: &[Route]) {
    for route in routes {
        if decides(&read, id, route) {
            continue;
        }
        let (rules, exclude) = (entry.array_value_or_set("components"), route.stays_on_the_web());
        if exclude {
            rules.insert(0, rule(route));
        } else {
            rules.append(rule(route));
        }
        read.add_rule(at, route.component(), exclude);
    }
}

/// Says whether a file decides about a route as it is meant.
fn decides(file: &AppleAssociation, id: &str, route: &Route) -> bool {
    let Some((team, bundle)) = id.split_once('.') else { return false };
    let Ok(link) = Link::parse(&format!("https://site.example{}", route.example())) else { return false };
    let id = AppId { team: Some(team), bundle };
    let decision = file.decide(&id, &link.uri(), &crate::device::newest_version());
    match decision {
        Decision::Opens { .. } => !route.stays_on_the_web(),
        _ => route.stays_on_the_web(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ID: &str = "example.marram.fieldlog";

    fn routes() -> Vec<Route> {
        vec![Route::parse("/press", "browser").unwrap(), Route::parse("/site/{site:int}", "Site page").unwrap()]
    }

    fn write(document: Document, existing: Option<&str>) -> Result<Written, WriteProblem> {
        let prints = [vec!["AB"; 32].join(":")];
        let routes = routes();
        let wanted = Files {
            package: Some(ID),
            fingerprints: &prints,
            team: Some("A1B2C3D4E5"),
            bundle: Some(ID),
            min_version: None,
            routes: &routes,
        };
        plan(document, existing, &wanted)
    }

    #[test]
    fn a_new_association_holds_the_routes() {
        let written = write(Document::AppleAssociation, None).unwrap();
        assert_eq!(
            written.text,
            "{\n  \"applinks\": {\n    \"details\": [\n      {\n        \"appIDs\": [\"A1B2C3D4E5.example.marram.fieldlog\"],\n        \"components\": [\n          {\n            \"/\": \"/press\",\n            \"exclude\": true,\n            \"comment\": \"stays in the browser\"\n          },\n          {\n            \"/\": \"/site/?*\",\n            \"comment\": \"Site page\"\n          }\n        ]\n      }\n    ]\n  }\n}\n"
        );
        let again = write(Document::AppleAssociation, Some(&written.text)).unwrap();
        assert_eq!(again.text, written.text, "a second time nothing changes");
    }

    #[test]
    fn an_app_joins_the_others_of_a_site() {
        let there = "{\r\n\t\"webcredentials\": { \"apps\": [] },\r\n\t\"applinks\": {\r\n\t\t\"details\": [\r\n\t\t\t{ \"appIDs\": [\"ZZZZZZZZZZ.example.other\"], \"components\": [ { \"/\": \"*\" } ] }\r\n\t\t]\r\n\t}\r\n}\r\n";
        let written = write(Document::AppleAssociation, Some(there)).unwrap().text;
        assert!(written.starts_with(there.split("\r\n\t\t]").next().unwrap()), "{written}");
        assert!(
            written.contains("\"A1B2C3D4E5.example.marram.fieldlog\"") && !written.replace("\r\n", "").contains('\n'),
            "{written}"
        );
        assert_eq!(write(Document::AppleAssociation, Some(&written)).unwrap().text, written);
    }

    #[test]
    fn rules_that_are_there_stay() {
        let there =
            r#"{"applinks":{"details":[{"appIDs":["A1B2C3D4E5.example.marram.fieldlog"],"components":[{"/":"/*"}]}]}}"#;
        let written = write(Document::AppleAssociation, Some(there)).unwrap().text;
        let press = written.find("/press").unwrap();
        assert!(press < written.find("\"/*\"").unwrap(), "what is kept out stands first: {written}");
        let blocked = r#"{"applinks":{"details":[{"appIDs":["A1B2C3D4E5.example.marram.fieldlog"],"components":[{"/":"/site/*","exclude":true}]}]}}"#;
        assert!(matches!(write(Document::AppleAssociation, Some(blocked)), Err(WriteProblem::InTheWay(_))));
    }

    #[test]
    fn a_rule_that_was_added_counts_for_the_routes_behind_it() {
        let there = "{\"applinks\":{\"details\":[{\"appIDs\":[\"A1B2C3D4E5.example.marram.fieldlog\"],\"defaults\":{\"caseSensitive\":false},\"components\":[{\"/\":\"/p*\"}]}]}}";
        let routes = |all: &[(&str, &str)]| -> Vec<Route> {
            all.iter().map(|(path, opens)| Route::parse(path, opens).unwrap()).collect()
        };
        let write = |routes: &[Route]| {
            let (team, bundle) = (Some("A1B2C3D4E5"), Some(ID));
            let wanted = Files { package: None, fingerprints: &[], team, bundle, min_version: None, routes };
            plan(Document::AppleAssociation, Some(there), &wanted)
        };
        let all = [("/ring/{all:rest}", "Rings"), ("/Ring/{ring:int}", "Ring"), ("/press", "browser")];
        let written = write(&routes(&all)).unwrap().text;
        let rules = ["\"/press\"", "\"/p*\"", "\"/ring/?*\""].map(|rule| written.find(rule).unwrap_or(usize::MAX));
        assert!(rules.is_sorted() && rules[2] < usize::MAX, "{written}");
        assert!(!written.contains("/Ring/"), "case does not count there: {written}");
        // What was added keeps out what comes behind it.
        let blocked = write(&routes(&[("/ring/{all:rest}", "browser"), ("/ring/{ring:int}", "Ring")]));
        assert!(matches!(blocked, Err(WriteProblem::InTheWay(_))), "{blocked:?}");
    }

    #[test]
    fn a_shared_entry_is_left_to_the_others() {
        let there = r#"{"applinks":{"details":[{"appIDs":["ZZZZZZZZZZ.example.other","A1B2C3D4E5.example.marram.fieldlog"],"components":[{"/":"/x"}]}]}}"#;
        let written = write(Document::AppleAssociation, Some(there)).unwrap().text;
        assert!(written.contains(r#"{"appIDs":["ZZZZZZZZZZ.example.other","A1B2C3D4E5.example.marram.fieldlog"],"components":[{"/":"/x"}]}"#), "{written}");
    }

    #[test]
    fn statements_of_others_stay() {
        let written = write(Document::AssetLinks, None).unwrap().text;
        assert!(AssetLinks::parse(&written).unwrap().verify(ID, &[]).is_ok(), "{written}");
        let other = r#"[ { "relation": ["delegate_permission/common.handle_all_urls"], "target": { "namespace": "android_app", "package_name": "example.other", "sha256_cert_fingerprints": [] } } ]"#;
        let joined = write(Document::AssetLinks, Some(other)).unwrap().text;
        let links = AssetLinks::parse(&joined).unwrap();
        assert_eq!((links.statements.len(), links.verify(ID, &[]).is_ok()), (2, true), "{joined}");
        assert_eq!(write(Document::AssetLinks, Some(&joined)).unwrap().text, joined);
    }

    #[test]
    fn a_fingerprint_is_added_and_one_in_small_letters_put_right() {
        let print = vec!["AB"; 32].join(":");
        let with = |print: &str| {
            format!(
                r#"[{{"relation":["{HANDLE_ALL_URLS}"],"target":{{"namespace":"android_app","package_name":"{ID}","sha256_cert_fingerprints":["{print}"]}}}}]"#
            )
        };
        assert_eq!(write(Document::AssetLinks, Some(&with(&print.to_lowercase()))).unwrap().text, with(&print));
        let other = vec!["CD"; 32].join(":");
        let written = write(Document::AssetLinks, Some(&with(&other))).unwrap();
        assert!(written.text.contains(&print) && written.text.contains(&other) && written.notes.len() == 1);
        // One statement in the place of the array is put into one.
        let single = with(&print);
        let single = single.trim_matches(['[', ']']);
        assert!(
            AssetLinks::parse(&write(Document::AssetLinks, Some(single)).unwrap().text)
                .unwrap()
                .verify(ID, &[])
                .is_ok()
        );
    }

    #[test]
    fn what_is_not_known_is_asked_for() {
        let wanted = Files {
            package: Some(ID),
            fingerprints: &[],
            team: None,
            bundle: Some(ID),
            min_version: None,
            routes: &[],
        };
        assert_eq!(plan(Document::AssetLinks, None, &wanted), Err(WriteProblem::NoFingerprint));
        assert_eq!(plan(Document::AppleAssociation, None, &wanted), Err(WriteProblem::NoTeam));
        assert!(matches!(write(Document::AppleAssociation, Some("{")), Err(WriteProblem::Unreadable(_))));
    }
}
