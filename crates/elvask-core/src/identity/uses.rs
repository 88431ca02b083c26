//! What hangs on an app's id beside the places that say it.

use elvask_markup::Span;
use elvask_markup::plist::Value;
use elvask_platform::Platform;
use elvask_platform::services::service_files;
use elvask_project::source::{FileId, Place};

use super::Left;
use crate::account::ACCOUNT_FILE;
use crate::context::Context;

/// Returns what a person does where an app's id becomes another one.
pub(super) fn uses_of_id(context: &Context<'_>, platform: Platform, from: &str, to: &str) -> Vec<Left> {
    let mut out = Vec::new();
    let stores = format!(
        "{}: {to} is another app to devices and stores than {from}: it is installed beside it, and takes none of its data",
        platform.title()
    );
    out.push(Left { place: None, why: stores });
    files(context, platform, from, to, &mut out);
    accounts(context, platform, from, to, &mut out);
    if platform == Platform::Ios
        && let Some((file, list)) = context.surface.entitlements()
    {
        let mut open: Vec<&Value> = vec![list.root()];
        while let Some(value) = open.pop() {
            if let Some(text) = value.as_str().filter(|text| text.contains(from)) {
                let why =
                    format!("{text} is a name of its own in the account, and stays unless you register another one");
                out.push(Left { place: Some(Place { file, span: value.span }), why });
            }
            open.extend(value.as_array().unwrap_or_default());
            open.extend(value.as_dict().unwrap_or_default().iter().map(|entry| &entry.value));
        }
    }
    let config = &context.app.config;
    if config.links.site.is_some() || !config.links.routes.is_empty() {
        let why =
            format!("the association files of the websites name {from}: `elvask link files` writes them for {to}");
        out.push(Left { place: None, why });
    }
    out
}

/// The files of services that name the app.
fn files(context: &Context<'_>, platform: Platform, from: &str, to: &str, out: &mut Vec<Left>) {
    let named = |file: FileId| -> Option<Place> {
        let text = &context.sources.file(file).text;
        let at = text
            .find(&format!("\"{from}\""))
            .map(|at| at + 1)
            .or_else(|| text.find(&format!(">{from}<")).map(|at| at + 1))?;
        Some(Place { file, span: Span::new(at, at + from.len()) })
    };
    for required in context.app.required.iter().filter(|required| required.platform == platform) {
        let variants = required.variants.iter().filter_map(|one| one.file);
        let mut places: Vec<Place> = required.file.into_iter().chain(variants).filter_map(named).collect();
        places.dedup();
        let name = required.path.rsplit('/').next().unwrap_or_default();
        let of_service = service_files().any(|known| known.path.rsplit('/').next() == Some(name));
        let from_whom = if of_service { "the service's console" } else { "the plugin's maker" };
        for place in places {
            let why = format!("{name} is for {from}: get the one for {to} from {from_whom}");
            out.push(Left { place: Some(place), why });
        }
    }
}

/// What the accounts have, as `account.toml` states it.
fn accounts(context: &Context<'_>, platform: Platform, from: &str, to: &str, out: &mut Vec<Left>) {
    let account = &context.app.account;
    let Some(file) = account.file else { return };
    let at = |span: Span| Some(Place { file, span });
    for app in account.apps(platform).unwrap_or_default().iter().filter(|app| app.id.text == from) {
        let why = format!("register {to} in the developer account, and write it into {ACCOUNT_FILE}");
        out.push(Left { place: at(app.id.span), why });
    }
    if platform == Platform::Android {
        return;
    }
    for given in &account.profiles {
        if given.says.as_ref().is_ok_and(|profile| profile.app_id() == Some(from)) {
            let why = format!("the profile is for {from}: make one for {to}");
            out.push(Left { place: at(given.path.span), why });
        }
    }
    for given in &account.certificates {
        if given.says.as_ref().is_ok_and(|certificate| certificate.user_id.as_deref() == Some(from)) {
            let why =
                format!("the certificate is for {from}: request one for {to} with `elvask account request --for push`");
            out.push(Left { place: at(given.path.span), why });
        }
    }
}
