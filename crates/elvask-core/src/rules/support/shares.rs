//! Content that other apps share with this one, on iOS: the extension that takes it.

use elvask_link::AppLinks;
use elvask_markup::plist::{Entry, PropertyList, Value};
use elvask_project::appfiles::Extension;
use elvask_project::source::FileId;

use crate::context::Context;
pub(in crate::rules) use crate::network::{entry, is_true};

/// The point at which the system looks for extensions of its share menu.
pub(in crate::rules) const SHARE_POINT: &str = "com.apple.share-services";
/// The entitlement that names the groups in which an app and its extensions share files.
pub(in crate::rules) const APP_GROUPS: &str = "com.apple.security.application-groups";

/// A share extension, with the lists that could be read.
pub(in crate::rules) struct ShareExtension<'c> {
    /// The extension.
    pub(in crate::rules) extension: &'c Extension,
    /// Its property list.
    pub(in crate::rules) file: FileId,
    /// What that says.
    pub(in crate::rules) list: PropertyList,
    /// The groups of its entitlements.
    pub(in crate::rules) groups: Vec<String>,
}

impl ShareExtension<'_> {
    /// Returns what the list says of the extension.
    pub(in crate::rules) fn about(&self) -> &[Entry] {
        self.list.entry("NSExtension").and_then(|entry| entry.value.as_dict()).unwrap_or_default()
    }
}

/// Returns the share extensions that the app embeds.
pub(in crate::rules) fn share_extensions<'c>(context: &'c Context<'_>) -> Vec<ShareExtension<'c>> {
    let extensions = context.app.ios.iter().flat_map(|ios| &ios.extensions);
    let read = |file: FileId| PropertyList::parse(context.sources.file(file).text.clone()).ok();
    extensions
        .filter_map(|extension| {
            let file = extension.plist?;
            let list = read(file)?;
            let about = list.entry("NSExtension")?.value.as_dict()?;
            let point = entry(about, "NSExtensionPointIdentifier")?.value.as_str()?;
            (point == SHARE_POINT).then_some(())?;
            let configuration = &context.app.ios.as_ref()?.configuration;
            let signed =
                extension.entitlements.iter().find(|one| one.configuration == *configuration).and_then(|one| one.file);
            let groups = signed.and_then(read).map(|list| groups_of(&list)).unwrap_or_default();
            Some(ShareExtension { extension, file, list, groups })
        })
        .collect()
}

/// Returns the groups that entitlements name.
pub(in crate::rules) fn groups_of(list: &PropertyList) -> Vec<String> {
    let values = list.entry(APP_GROUPS).and_then(|entry| entry.value.as_array()).unwrap_or_default();
    values.iter().filter_map(Value::as_str).map(str::to_owned).collect()
}

/// Returns where the app takes shared content on Android, with the types.
pub(in crate::rules) fn shared_on_android(links: &AppLinks) -> Option<(elvask_project::source::Place, Vec<String>)> {
    let android = links.first_android()?;
    let is_share = |filter: &&elvask_project::filters::FilterSpec| {
        filter.has_action("android.intent.action.SEND") || filter.has_action("android.intent.action.SEND_MULTIPLE")
    };
    let mut found = None;
    let mut types: Vec<String> = Vec::new();
    for entry in &android.entries {
        for filter in entry.filters.iter().filter(is_share) {
            found.get_or_insert(filter.place.unwrap_or(entry.place));
            types.extend(
                filter.values("mimeType").map(str::to_owned).filter(|one| !types.contains(one)).collect::<Vec<_>>(),
            );
        }
    }
    Some((found?, types))
}

/// Returns the keys of an activation rule for types of content.
pub(in crate::rules) fn activation_keys(types: &[String]) -> Vec<&'static str> {
    let mut keys = Vec::new();
    for one in types {
        let key = match one.split('/').next().unwrap_or_default() {
            "text" => "NSExtensionActivationSupportsText",
            "image" => "NSExtensionActivationSupportsImageWithMaxCount",
            "video" => "NSExtensionActivationSupportsMovieWithMaxCount",
            _ => "NSExtensionActivationSupportsFileWithMaxCount",
        };
        if !keys.contains(&key) {
            keys.push(key);
        }
    }
    keys
}
