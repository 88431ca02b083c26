//! `filter-form`: a value of a filter's `<data>` is written so that it matches nothing, or not what it looks like.

use elvask_link::pattern::{Pattern, PatternKind};
use elvask_markup::Edit;
use elvask_markup::xml::plan;
use elvask_needs::remedy::Remedy;
use elvask_platform::{Behaviour, Platform};
use elvask_project::filters::is_web_scheme;
use elvask_project::source::Place;
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::filters::{WrittenFilter, bare_attributes, filters};
use crate::rules::support::{manifest_edit, set_android};

/// See the module.
pub struct FilterForm;

static ABOUT: About = About {
    id: "filter-form",
    level: Level::Error,
    platform: Some(Platform::Android),
    summary: "Reports a scheme, host, port, path or type in a filter that is written so that it matches nothing, or other links than it seems to.",
    effect: "The links open the browser or nothing, or the app gets links it does not expect.",
    wrong: "<data android:scheme=\"https://\" android:host=\"marram.example\" android:path=\"/site/*\" />",
    right: "<data android:scheme=\"https\" android:host=\"marram.example\" android:pathPrefix=\"/site/\" />",
    remedy: "`fill` writes what is meant where that is plain: the scheme without its colon, the host in small letters, a prefix for a path with a star at its end. The rest is left to a person.",
    source: "`<data>`",
};

/// What is wrong with a value, and what mends it.
struct Fault {
    message: String,
    level: Level,
    /// The attributes that take the place of this one, none where a person must decide.
    instead: Option<Vec<(&'static str, String)>>,
    steps: &'static str,
}

impl Rule for FilterForm {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for filter in filters(manifest) {
            for (data, element) in filter.spec.data.iter().zip(&filter.data) {
                for (name, attribute) in bare_attributes(*element) {
                    let message = format!("`{name}` has no `android:` prefix, so it is not read");
                    let edits = vec![Edit::insert(attribute.name.start, format!("{}:", manifest.prefix()))];
                    let place = manifest.at(attribute.span);
                    out.push(Finding::new(&ABOUT, filter.subject(), place, message).mend(manifest_edit(
                        format!("write android:{name}"),
                        manifest,
                        edits,
                    )));
                }
                for (name, value, place) in &data.attributes {
                    // What the build puts in cannot be judged by its text.
                    if WrittenFilter::is_put_in(value) {
                        continue;
                    }
                    let fault = judge(context, &filter, data, name, value);
                    out.extend(fault.map(|fault| finding(manifest, &filter, *element, (name, *place), fault)));
                }
            }
            out.extend(groups(context, manifest, &filter));
        }
    }
}

/// Returns the change with which devices began to read a part of a path.
fn newer(attribute: &str) -> Behaviour {
    if attribute == "pathSuffix" { Behaviour::PathSuffix } else { Behaviour::PathAdvancedPattern }
}

/// Tells of groups that devices of the app do not know: most apps run on some, so it is a note.
fn groups(context: &Context<'_>, manifest: &ManifestView<'_>, filter: &WrittenFilter<'_, '_>) -> Option<Finding> {
    let group = filter.element.child("uri-relative-filter-group")?;
    let since = Behaviour::FilterGroups.since();
    let min = context.levels.min.filter(|min| *min < since)?;
    let message =
        format!("<uri-relative-filter-group> is read from level {since} on, and the app runs from level {min}");
    let steps = "Let the app handle links that the groups keep out, as older devices open it for them.";
    Some(
        Finding::new(&ABOUT, filter.subject(), manifest.tag(group), message)
            .level(Level::Note)
            .effect("Older devices open the app for every path of the host.")
            .mend(Remedy::Manual(steps.to_owned())),
    )
}

/// Tells of a type that keeps links from matching: a link has none. Without a host of its own, or without web links, a filter may be
/// meant for files that have one.
fn typed_links(filter: &WrittenFilter<'_, '_>, value: &str) -> Option<Fault> {
    let spec = &filter.spec;
    let named = spec.values("host").any(|host| host != "*");
    if !spec.is_link() || !spec.is_web() || !named {
        return None;
    }
    let level = if spec.auto_verify { Level::Error } else { Level::Warning };
    let message = format!(
        "no link to {} matches: the filter wants the type `{value}`, and links have none",
        spec.hosts().join(" or ")
    );
    let steps = "Remove android:mimeType from the filter, or give the type a filter of its own.";
    Some(Fault { message, level, instead: None, steps })
}

fn finding(
    manifest: &ManifestView<'_>,
    filter: &WrittenFilter<'_, '_>,
    element: elvask_markup::xml::Element<'_>,
    (name, place): (&str, Place),
    fault: Fault,
) -> Finding {
    let remedy = match fault.instead {
        Some(instead) => {
            let keeps = instead.iter().any(|(known, _)| *known == name);
            let mut edits: Vec<Edit> = Vec::new();
            let fresh = |local: &str| element.attribute(elvask_project::names::ANDROID, local).is_none();
            let takes_over = instead.iter().position(|(local, _)| !keeps && fresh(local));
            if !keeps && let Some(attribute) = element.attribute(elvask_project::names::ANDROID, name) {
                match takes_over.and_then(|at| instead.get(at)) {
                    // The one that takes its place stands where it stood.
                    Some((local, value)) => {
                        edits.push(Edit::replace(attribute.name, format!("{}:{local}", manifest.prefix())));
                        edits.push(Edit::replace(
                            attribute.value,
                            value.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;"),
                        ));
                    }
                    None => edits.push(plan::remove_attribute(element, attribute)),
                }
            }
            let rest = instead.iter().enumerate().filter(|(at, _)| Some(*at) != takes_over);
            edits.extend(rest.map(|(_, (name, value))| set_android(manifest, element, name, value)));
            let written: Vec<_> = instead.iter().map(|(name, value)| format!("android:{name}=\"{value}\"")).collect();
            let title = if written.is_empty() { format!("remove android:{name}") } else { written.join(" ") };
            manifest_edit(title, manifest, edits).making(&format!("attributes of data at {}", element.open().start))
        }
        None => Remedy::Manual(fault.steps.to_owned()),
    };
    Finding::new(&ABOUT, filter.subject(), place, fault.message).level(fault.level).mend(remedy)
}

// In one piece: one arm for each attribute, in the order of the documentation.
fn judge(
    context: &Context<'_>,
    filter: &WrittenFilter<'_, '_>,
    data: &elvask_project::filters::DataSpec,
    name: &str,
    value: &str,
) -> Option<Fault> {
    let fault = |message: String, instead: Option<Vec<(&'static str, String)>>| {
        Some(Fault { message, level: Level::Error, instead, steps: "Write what is meant, by hand." })
    };
    match name {
        "scheme" => {
            let bare = value.trim_end_matches("://").trim_end_matches(':');
            let plain = bare.to_ascii_lowercase();
            let mut letters = plain.chars();
            let good = letters.next().is_some_and(|first| first.is_ascii_lowercase())
                && letters.all(|letter| letter.is_ascii_alphanumeric() || matches!(letter, '+' | '-' | '.'));
            if bare != value {
                return fault(
                    format!("`{value}` never matches: a scheme is written without its colon"),
                    good.then(|| vec![("scheme", plain)]),
                );
            }
            if plain != value {
                return fault(
                    format!("`{value}` never matches a link in small letters: schemes are compared with case"),
                    good.then(|| vec![("scheme", plain)]),
                );
            }
            if good {
                None
            } else {
                fault(
                    format!(
                        "`{value}` is not a URL scheme: it starts with a letter and goes on with letters, digits, `+`, `-` and `.`"
                    ),
                    None,
                )
            }
        }
        "host" => judge_host(data, value),
        "port" => {
            let number: Option<u16> = value.trim().parse().ok();
            let web = filter.spec.values("scheme").all(is_web_scheme);
            match number {
                None => fault(format!("`{value}` is not a port, and with it the app cannot be installed"), None),
                Some(_) if data.value("host").is_none() => Some(Fault {
                    message: "a port without a host beside it in the same <data> is dropped".to_owned(),
                    level: Level::Warning,
                    instead: None,
                    steps: "Write host and port into one <data>, or remove the port.",
                }),
                Some(80 | 443) if web => fault(
                    format!(
                        "`{value}` is not met by links without a port, though it is the usual one: it must be written in the link"
                    ),
                    Some(Vec::new()),
                ),
                Some(_) => None,
            }
        }
        "path" | "pathPrefix" | "pathPattern" | "pathSuffix" | "pathAdvancedPattern" => {
            judge_path(context, filter, data, name, value)
        }
        "mimeType" => {
            let (kind, kind_name) = value.split_once('/').unwrap_or((value, ""));
            if kind.is_empty() || kind_name.is_empty() {
                return fault(
                    format!(
                        "`{value}` is not a type, and with it the app cannot be installed: a type is written kind/name, kind/* or */*"
                    ),
                    None,
                );
            }
            let plain = value.to_ascii_lowercase();
            if plain == value {
                typed_links(filter, value)
            } else {
                fault(
                    format!(
                        "`{value}` never matches: types are compared with case, and senders write them in small letters"
                    ),
                    Some(vec![("mimeType", plain)]),
                )
            }
        }
        _ => None,
    }
}

fn judge_host(data: &elvask_project::filters::DataSpec, value: &str) -> Option<Fault> {
    let fault = |message: String, level: Level, instead: Option<Vec<(&'static str, String)>>| {
        Some(Fault {
            message,
            level,
            instead,
            steps: "Write the host alone, such as marram.example, or *.marram.example for all below it.",
        })
    };
    let rest = value.split_once("://").map_or(value, |(_, rest)| rest);
    let (host, path) = rest.split_once('/').map_or((rest, None), |(host, path)| (host, Some(path)));
    let (host, port) = host.split_once(':').map_or((host, None), |(host, port)| (host, Some(port)));
    if host != value {
        let mut instead = vec![("host", host.to_ascii_lowercase())];
        instead.extend(port.filter(|_| data.value("port").is_none()).map(|port| ("port", port.to_owned())));
        let has_path = data.attributes.iter().any(|(name, _, _)| name.starts_with("path"));
        instead.extend(
            path.filter(|path| !path.is_empty() && !has_path && !path.contains('*'))
                .map(|path| ("pathPrefix", format!("/{path}"))),
        );
        let plain = !host.is_empty() && (path.is_none_or(|path| path.is_empty() || !path.contains('*') && !has_path));
        return fault(
            format!("`{value}` never matches: a host is written without scheme, port and path"),
            Level::Error,
            plain.then_some(instead),
        );
    }
    if value.is_empty() {
        return fault("the host is empty, so it matches no link of the web".to_owned(), Level::Error, None);
    }
    if value.get(1..).is_some_and(|rest| rest.contains('*')) {
        return fault(
            format!("`{value}`: a star counts only at the start of a host; here it matches only itself"),
            Level::Error,
            None,
        );
    }
    if value.starts_with('*') && value.len() > 1 && !value.starts_with("*.") {
        return fault(
            format!(
                "`{value}` takes every host that ends like this, also those of others; `*.` keeps to what lies below"
            ),
            Level::Warning,
            None,
        );
    }
    if !value.is_ascii() {
        let ascii = idna::domain_to_ascii(value).ok();
        return fault(
            format!(
                "`{value}` never matches: browsers pass a host on in the form {}",
                ascii.as_deref().unwrap_or("xn--…")
            ),
            Level::Error,
            ascii.map(|ascii| vec![("host", ascii)]),
        );
    }
    let plain = value.to_ascii_lowercase();
    if plain != value {
        return fault(
            format!(
                "`{value}` has capitals: the documentation says that hosts are compared with case, and links have them in small letters"
            ),
            Level::Warning,
            Some(vec![("host", plain)]),
        );
    }
    None
}

// In one piece: the mistakes of paths exclude one another, and the first that holds is told.
fn judge_path(
    context: &Context<'_>,
    filter: &WrittenFilter<'_, '_>,
    data: &elvask_project::filters::DataSpec,
    name: &str,
    value: &str,
) -> Option<Fault> {
    let own: &'static str = match name {
        "path" => "path",
        "pathPrefix" => "pathPrefix",
        "pathPattern" => "pathPattern",
        "pathSuffix" => "pathSuffix",
        _ => "pathAdvancedPattern",
    };
    let fault = |message: String, level: Level, instead: Option<Vec<(&'static str, String)>>| {
        Some(Fault {
            message,
            level,
            instead,
            steps: "Write what is meant, by hand: path for a whole path, pathPrefix for its start, pathPattern with .* for wildcards.",
        })
    };
    let error = |message: String, instead: Option<Vec<(&'static str, String)>>| fault(message, Level::Error, instead);
    if value.contains(['?', '#']) && matches!(name, "path" | "pathPrefix") {
        return error(format!("`{value}` never matches: query and fragment are not part of the path"), None);
    }
    let starts = value.starts_with('/') || (own.ends_with("Pattern") && value.starts_with(['.', '[']));
    if !starts && name != "pathSuffix" {
        let instead = (!value.is_empty() && !value.starts_with('*')).then(|| vec![(own, format!("/{value}"))]);
        return error(format!("`{value}` never matches: the path of a link starts with /"), instead);
    }
    if matches!(name, "path" | "pathPrefix" | "pathSuffix") && value.contains('*') {
        let start = value.strip_suffix(".*").or_else(|| value.strip_suffix('*')).filter(|start| !start.contains('*'));
        let free = data.value("pathPrefix").is_none() || name == "pathPrefix";
        let instead =
            start.filter(|_| free && name != "pathSuffix").map(|start| vec![("pathPrefix", start.to_owned())]);
        return error(format!("`{value}` matches only that text: `{name}` knows no wildcards"), instead);
    }
    if name == "pathPattern" && value.contains("/*") {
        return error(
            format!(
                "`{value}` does not mean what it looks like: a bare star repeats the slash before it; `.*` is any text"
            ),
            Some(vec![("pathPattern", value.replace("/*", "/.*"))]),
        );
    }
    if name == "pathAdvancedPattern" {
        if let Err(reason) = Pattern::new(PatternKind::Advanced, value) {
            return error(format!("`{value}` is refused, and with it the app cannot be installed: {reason}"), None);
        }
        if value.split(".*").nth(1).is_some_and(|rest| !rest.is_empty()) {
            return error(
                format!(
                    "`{value}` never matches: `.*` takes all that is left, and nothing is given back for what follows it"
                ),
                None,
            );
        }
    }
    if matches!(name, "pathSuffix" | "pathAdvancedPattern") {
        let since = newer(name).since();
        let old = context.levels.min.filter(|min| *min < since);
        let only = !filter
            .spec
            .data
            .iter()
            .flat_map(|data| &data.attributes)
            .any(|(name, _, _)| matches!(name.as_str(), "path" | "pathPrefix" | "pathPattern"));
        if let Some(min) = old.filter(|_| only) {
            return fault(
                format!(
                    "`{name}` is read from level {since} on; devices from {min} to {} leave it out, so there the filter takes every path of its hosts",
                    since - 1
                ),
                Level::Warning,
                None,
            );
        }
    }
    if filter.spec.values("host").next().is_none() {
        return fault(format!("`{name}` is not looked at: the filter names no host"), Level::Warning, None);
    }
    None
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "filter-form";

    fn app(data: &str) -> Fixture {
        Fixture::android(&with(data))
    }

    fn with(data: &str) -> String {
        activity(&format!(
            "            <intent-filter android:autoVerify=\"true\">\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n                <data {data}/>\n            </intent-filter>\n"
        ))
    }

    #[test]
    fn groups_that_older_devices_do_not_read_are_a_note() {
        let host = "android:scheme=\"https\" android:host=\"marram.example\"";
        let group = with(host).replace(
            &format!("<data {host}/>\n"),
            &format!("<data {host}/>\n                <uri-relative-filter-group>\n                    <data android:path=\"/ring\"/>\n                </uri-relative-filter-group>\n"),
        );
        let app = Fixture::android(&group);
        assert_eq!(app.found(ID), ["note android.intent.action.VIEW https 13:17"]);
        app.is_left_alone();
        assert!(app.levels(35, 35).found(ID).is_empty());
    }

    fn mends(wrong: &str, right: &str) {
        let fixture = app(wrong);
        assert_eq!(fixture.found(ID).len(), 1, "{wrong}: {:?}", fixture.found(ID));
        fixture.mends_manifest(ID, &with(right));
    }

    #[test]
    fn plain_slips_are_put_right() {
        let host = "android:host=\"marram.example\"";
        mends(&format!("android:scheme=\"https://\" {host}"), &format!("android:scheme=\"https\" {host}"));
        mends(&format!("android:scheme=\"HTTPS\" {host}"), &format!("android:scheme=\"https\" {host}"));
        mends(
            "android:scheme=\"https\" android:host=\"https://marram.example\"",
            &format!("android:scheme=\"https\" {host}"),
        );
        mends("android:scheme=\"https\" android:host=\"Marram.example\"", &format!("android:scheme=\"https\" {host}"));
        mends(
            "android:scheme=\"https\" android:host=\"grønland.example\"",
            "android:scheme=\"https\" android:host=\"xn--grnland-r1a.example\"",
        );
        let web = format!("android:scheme=\"https\" {host}");
        mends(&format!("{web} android:port=\"443\""), &web);
        mends(&format!("{web} android:path=\"/site/*\""), &format!("{web} android:pathPrefix=\"/site/\""));
        mends(&format!("{web} android:pathPrefix=\"site\""), &format!("{web} android:pathPrefix=\"/site\""));
        mends(&format!("{web} android:pathPattern=\"/site/*\""), &format!("{web} android:pathPattern=\"/site/.*\""));
    }

    #[test]
    fn what_only_a_person_can_put_right_is_told() {
        let web = "android:scheme=\"https\" android:host=\"marram.example\"";
        for (data, words) in [
            ("android:scheme=\"https\" android:host=\"marram.*\"".to_owned(), "matches only itself"),
            (format!("{web} android:path=\"/site?x=1\""), "not part of the path"),
            (format!("{web} android:pathAdvancedPattern=\"/[a\""), "refused"),
            (format!("{web} android:pathAdvancedPattern=\"/.*\\\\.pdf\""), "never matches"),
            (format!("{web} android:pathSuffix=\".pdf\""), "from 24 to 30"),
            (format!("{web} android:mimeType=\"text\""), "is not a type"),
            (format!("{web} android:mimeType=\"text/plain\""), "links have none"),
        ] {
            let found = app(&data).findings(ID);
            assert!(found.len() == 1 && found[0].message.contains(words), "{data}: {found:?}");
        }
    }

    #[test]
    fn what_the_build_puts_in_is_not_judged() {
        let app = app("android:scheme=\"https\" android:host=\"${host}\" android:pathPrefix=\"@string/Start\"");
        assert!(app.found(ID).is_empty(), "{:?}", app.found(ID));
    }

    #[test]
    fn an_attribute_without_its_prefix_gets_it() {
        let host = "android:host=\"marram.example\"";
        let fixture = app(&format!("scheme=\"https\" {host}"));
        assert_eq!(fixture.found(ID).len(), 1);
        fixture.mends_manifest(ID, &with(&format!("android:scheme=\"https\" {host}")));
    }
}
