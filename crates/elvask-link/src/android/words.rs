//! What a device does with a link, in words.

use elvask_project::filters::{DataSpec, FilterSpec};

use super::{Entry, LaunchMode, short};
use crate::attempt::Delivery;
use crate::filter::Authority;
use crate::pattern::{Pattern, PatternKind, Subject};
use crate::url::{Uri, decode};

/// Says which part of a filter fits a link, for people.
pub(super) fn what_fits(spec: &FilterSpec, uri: &Uri<'_>, level: u32) -> String {
    let mut parts = vec![format!("scheme {}", uri.scheme)];
    if let Some(host) = uri.host().filter(|_| !spec.hosts().is_empty()) {
        let declared = spec.hosts().into_iter().find(|declared| Authority::new(declared, None).takes_host(&host));
        parts.extend(declared.map(|declared| format!("host {declared}")));
        let path = decode(uri.path.unwrap_or_default());
        let fits = |(kind, _, value): &(PatternKind, String, &str)| {
            Pattern::new(*kind, *value).is_ok_and(|pattern| pattern.matches(&Subject { text: &path }))
        };
        parts.extend(paths(spec, level).find(fits).map(|(_, name, value)| format!("{name} {value}")));
    }
    parts.join(", ")
}

/// Goes through the paths of a filter that devices of a level read: their kinds, attributes and values.
pub(super) fn paths(spec: &FilterSpec, level: u32) -> impl Iterator<Item = (PatternKind, String, &str)> {
    let kinds = PatternKind::ALL.into_iter().filter(move |(kind, _)| kind.since() <= level);
    let of = |data: &'_ DataSpec, kind: PatternKind, ending: &str| {
        let name = format!("path{ending}");
        data.value(&name).is_some().then_some((kind, name))
    };
    spec.data.iter().flat_map(move |data| {
        let found: Vec<_> = kinds.clone().filter_map(|(kind, ending)| of(data, kind, ending)).collect();
        found.into_iter().filter_map(|(kind, name)| {
            let value = data.value(&name)?;
            Some((kind, name, value))
        })
    })
}

/// Says how an entry is told of a link, by the state that the app is in.
pub(super) fn delivery(entry: &Entry, level: u32) -> Delivery {
    let name = short(entry.target.as_deref().unwrap_or(&entry.component)).to_owned();
    let closed = format!("{name} is started; onCreate finds the link in getIntent().getData()");
    let again = format!("one more copy of {name} is started; its onCreate finds the link in getIntent().getData()");
    let living = format!(
        "the living {name} is brought to the front; its onNewIntent gets the link, and getIntent() keeps the old one until setIntent is called"
    );
    let (background, foreground) = match LaunchMode::read(entry.launch_mode.as_deref(), level) {
        LaunchMode::Standard => (again.clone(), again),
        LaunchMode::SingleTop => {
            let top = format!("where {name} is on top of its task, {living}; else {again}");
            (top.clone(), top)
        }
        LaunchMode::SingleTask | LaunchMode::SingleInstance | LaunchMode::SingleInstancePerTask => {
            (living.clone(), living)
        }
    };
    Delivery { closed, background, foreground }
}

/// Returns how a chooser shows an entry: by its label, where that is not put in by the build, with the name of its class.
pub(super) fn shown_as(entry: &Entry) -> String {
    let name = short(&entry.component);
    match entry.label.as_deref().filter(|label| !label.starts_with('@') && !label.is_empty()) {
        Some(label) => format!("{label} ({name})"),
        None => name.to_owned(),
    }
}
