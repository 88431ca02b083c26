//! What the stand-in for the accounts answers to a request.

use elvask_core::account::{
    AndroidStatement, AppStatement, GivenStatement, IosStatement, ProductStatement, Statement, fits,
};
use percent_encoding::percent_decode_str;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

use super::store::{Store, StoreError};

/// The longest id, in bytes.
const MAX_ID: usize = 200;

/// What can be registered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Thing {
    Team,
    Merchant,
    Group,
    IosServiceId,
    AndroidServiceId,
    IosApp,
    AndroidApp,
    Profile,
    Certificate,
    Product,
}

const THINGS: [(&str, Thing); 10] = [
    ("teams", Thing::Team),
    ("merchants", Thing::Merchant),
    ("app-groups", Thing::Group),
    ("ios-service-ids", Thing::IosServiceId),
    ("android-service-ids", Thing::AndroidServiceId),
    ("ios-apps", Thing::IosApp),
    ("android-apps", Thing::AndroidApp),
    ("profiles", Thing::Profile),
    ("certificates", Thing::Certificate),
    ("products", Thing::Product),
];

/// What is said of something that has nothing but an id.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Bare {}

/// What is said of an id of a service.
#[derive(Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct ServiceId {
    value: String,
}

/// An answer: the status and the JSON.
pub(super) type Answered = (u16, Value);

/// Why a request is refused: the status and a sentence.
struct Refused(u16, String);

impl From<StoreError> for Refused {
    fn from(error: StoreError) -> Self {
        let status = match error {
            StoreError::Full => 507,
            StoreError::Failed(_) => 500,
        };
        Refused(status, error.to_string())
    }
}

/// Answers a request for a path, which starts with a slash.
pub(super) fn answer(store: &Store, method: &str, path: &str, body: &[u8]) -> Answered {
    match answer_to(store, method, path, body) {
        Ok(answered) => answered,
        Err(Refused(status, why)) => (status, json!({ "error": why })),
    }
}

fn answer_to(store: &Store, method: &str, path: &str, body: &[u8]) -> Result<Answered, Refused> {
    let decoded = |part: &str| percent_decode_str(part).decode_utf8().map(std::borrow::Cow::into_owned);
    let parts = path.trim_start_matches('/').split('/').map(decoded).collect::<Result<Vec<_>, _>>();
    let parts = parts.map_err(|_| Refused(400, "the path is not UTF-8".to_owned()))?;
    let parts: Vec<&str> = parts.iter().map(String::as_str).collect();
    let unknown = || Refused(404, "there is no such path".to_owned());
    let refused = || Refused(405, format!("{method} is not for this path"));
    match (method, parts.as_slice()) {
        ("GET", ["v1", "account"]) => Ok((200, to_json(&statement(store)?))),
        (_, ["v1", "account"]) => Err(refused()),
        (_, ["v1", kind]) => {
            let (kind, thing) = known(kind).ok_or_else(unknown)?;
            if method != "GET" {
                return Err(refused());
            }
            let all = store.list(kind)?.into_iter().map(|(id, text)| shown(thing, &id, &text));
            Ok((200, json!({ kind: all.collect::<Vec<_>>() })))
        }
        (_, ["v1", kind, id]) => {
            let (kind, thing) = known(kind).ok_or_else(unknown)?;
            let absent = || Refused(404, format!("{id} is not registered"));
            match method {
                "GET" => store.get(kind, id)?.map(|text| (200, shown(thing, id, &text))).ok_or_else(absent),
                "PUT" => {
                    is_id(id)?;
                    let teams = if thing == Thing::Team { store.list(kind)? } else { Vec::new() };
                    if let Some((other, _)) = teams.iter().find(|(other, _)| other != id) {
                        return Err(Refused(
                            409,
                            format!("the account is of the team {other}; withdraw that one first"),
                        ));
                    }
                    let text = stated(thing, id, body)?;
                    let status = if store.put(kind, id, &text)? { 201 } else { 200 };
                    Ok((status, shown(thing, id, &text)))
                }
                "DELETE" if store.remove(kind, id)? => Ok((200, json!({ "withdrawn": id }))),
                "DELETE" => Err(absent()),
                _ => Err(refused()),
            }
        }
        (_, ["v1", "ios-apps", app, "capabilities", name]) => {
            let text = store.get("ios-apps", app)?.ok_or_else(|| Refused(404, format!("{app} is not registered")))?;
            let mut registered: AppStatement = serde_json::from_str(&text).unwrap_or_default();
            let on = registered.capabilities.get_or_insert_default();
            let was_on = on.iter().any(|one| one == name);
            let status = match method {
                "PUT" if was_on => 200,
                "PUT" => {
                    is_id(name)?;
                    on.push((*name).to_owned());
                    201
                }
                "DELETE" if was_on => {
                    on.retain(|one| one != name);
                    200
                }
                "DELETE" => return Err(Refused(404, format!("{name} is not turned on for {app}"))),
                _ => return Err(refused()),
            };
            let text = to_json(&registered).to_string();
            store.put("ios-apps", app, &text)?;
            Ok((status, shown(Thing::IosApp, app, &text)))
        }
        _ => Err(unknown()),
    }
}

fn known(kind: &str) -> Option<(&'static str, Thing)> {
    THINGS.into_iter().find(|(name, _)| *name == kind)
}

fn is_id(id: &str) -> Result<(), Refused> {
    if id.is_empty() || id.len() > MAX_ID || id.chars().any(char::is_control) {
        return Err(Refused(422, format!("an id has 1 to {MAX_ID} bytes, and no control characters")));
    }
    Ok(())
}

/// Reads what a request says of a thing, and returns it as it is kept.
fn stated(thing: Thing, id: &str, body: &[u8]) -> Result<String, Refused> {
    fn read<T: DeserializeOwned>(body: &[u8]) -> Result<T, Refused> {
        let body = if body.trim_ascii().is_empty() { b"{}" } else { body };
        serde_json::from_slice(body).map_err(|error| Refused(422, format!("the body is not as it must be: {error}")))
    }
    let wrong = |why: &str| Err(Refused(422, why.to_owned()));
    let kept = match thing {
        Thing::Team | Thing::Merchant | Thing::Group => to_json(&read::<Bare>(body)?),
        Thing::IosServiceId | Thing::AndroidServiceId => {
            let one = read::<ServiceId>(body)?;
            is_id(&one.value)?;
            to_json(&one)
        }
        Thing::IosApp | Thing::AndroidApp => {
            let mut app = read::<AppStatement>(body)?;
            app.id.clear();
            match thing {
                Thing::IosApp if app.fingerprints.is_some() => return wrong("`fingerprints` is for apps on Android"),
                Thing::AndroidApp if app.capabilities.is_some() => return wrong("`capabilities` is for apps on iOS"),
                _ => {}
            }
            to_json(&app)
        }
        Thing::Product => {
            let mut product = read::<ProductStatement>(body)?;
            product.id.clear();
            to_json(&product)
        }
        Thing::Profile | Thing::Certificate => {
            let mut given = read::<GivenStatement>(body)?;
            given.file = id.to_owned();
            given.fits(thing == Thing::Profile).map_err(|why| Refused(422, format!("{id} {why}")))?;
            given.file.clear();
            to_json(&given)
        }
    };
    // What would make the whole unreadable is not taken.
    let whole = with(Statement { account: 1, ..Statement::default() }, thing, id, &kept.to_string());
    fits(&whole).map_err(|why| Refused(422, why))?;
    Ok(kept.to_string())
}

/// Returns a thing as it is shown: what is kept of it, with its id.
fn shown(thing: Thing, id: &str, text: &str) -> Value {
    let mut value: Value = serde_json::from_str(text).unwrap_or_default();
    let key = match thing {
        Thing::Profile | Thing::Certificate => "file",
        _ => "id",
    };
    if let Some(object) = value.as_object_mut() {
        object.insert(key.to_owned(), Value::from(id));
    }
    value
}

/// Adds a thing to what is registered.
fn with(mut all: Statement, thing: Thing, id: &str, text: &str) -> Statement {
    let value = shown(thing, id, text);
    let ios = all.ios.get_or_insert_default();
    let android = all.android.get_or_insert_default();
    fn of<T: DeserializeOwned + Default>(value: Value) -> T {
        serde_json::from_value(value).unwrap_or_default()
    }
    let id = id.to_owned();
    let value_of_id = |value: &Value| value.get("value").and_then(Value::as_str).unwrap_or_default().to_owned();
    match thing {
        Thing::Team => ios.team = Some(id),
        Thing::Merchant => ios.merchants.get_or_insert_default().push(id),
        Thing::Group => ios.app_groups.get_or_insert_default().push(id),
        Thing::IosServiceId => {
            ios.service_ids.insert(id, value_of_id(&value));
        }
        Thing::AndroidServiceId => {
            android.service_ids.insert(id, value_of_id(&value));
        }
        Thing::IosApp => {
            let mut app = of::<AppStatement>(value);
            app.capabilities.get_or_insert_default();
            ios.apps.get_or_insert_default().push(app);
        }
        Thing::AndroidApp => android.apps.get_or_insert_default().push(of(value)),
        Thing::Profile => ios.profiles.push(of(value)),
        Thing::Certificate => ios.certificates.push(of(value)),
        Thing::Product => all.products.get_or_insert_default().push(of(value)),
    }
    all
}

/// Returns all that is registered. The stand-in is the whole account: what it has not is not registered.
fn statement(store: &Store) -> Result<Statement, Refused> {
    let mut all = Statement {
        account: 1,
        ios: Some(IosStatement {
            merchants: Some(Vec::new()),
            app_groups: Some(Vec::new()),
            apps: Some(Vec::new()),
            ..IosStatement::default()
        }),
        android: Some(AndroidStatement { apps: Some(Vec::new()), ..AndroidStatement::default() }),
        products: Some(Vec::new()),
    };
    for (kind, thing) in THINGS {
        for (id, text) in store.list(kind)? {
            all = with(all, thing, &id, &text);
        }
    }
    Ok(all)
}

/// Registers all of a statement.
pub(super) fn register(store: &Store, all: &Statement) -> Result<usize, String> {
    let ios = all.ios.clone().unwrap_or_default();
    let android = all.android.clone().unwrap_or_default();
    let mut things: Vec<(&str, String, Value)> = Vec::new();
    let mut bare = |kind: &'static str, ids: Vec<String>| {
        things.extend(ids.into_iter().map(|id| (kind, id, json!({}))));
    };
    bare("teams", ios.team.into_iter().collect());
    bare("merchants", ios.merchants.unwrap_or_default());
    bare("app-groups", ios.app_groups.unwrap_or_default());
    for (kind, ids) in [("ios-service-ids", ios.service_ids), ("android-service-ids", android.service_ids)] {
        things.extend(ids.into_iter().map(|(id, value)| (kind, id, json!({ "value": value }))));
    }
    for (kind, apps) in [("ios-apps", ios.apps), ("android-apps", android.apps)] {
        things.extend(apps.unwrap_or_default().into_iter().map(|app| (kind, app.id.clone(), to_json(&app))));
    }
    for (kind, files) in [("profiles", ios.profiles), ("certificates", ios.certificates)] {
        things.extend(files.into_iter().map(|given| (kind, given.file.clone(), to_json(&given))));
    }
    let products = all.products.clone().unwrap_or_default();
    things.extend(products.into_iter().map(|one| ("products", one.id.clone(), to_json(&one))));
    for (kind, id, value) in &things {
        let Some((kind, thing)) = known(kind) else { continue };
        let kept = stated(thing, id, value.to_string().as_bytes()).map_err(|refused| refused.1)?;
        store.put(kind, id, &kept).map_err(|error| error.to_string())?;
    }
    Ok(things.len())
}

fn to_json(value: &impl Serialize) -> Value {
    serde_json::to_value(value).unwrap_or_default()
}
