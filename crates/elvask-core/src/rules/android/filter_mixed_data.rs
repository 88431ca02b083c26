//! `filter-mixed-data`: two filters are folded into one, so that their data are pooled.

use std::collections::HashMap;

use elvask_platform::Platform;
use elvask_project::filters::{DataSpec, is_web_scheme};
use elvask_project::surface::ManifestView;

use crate::context::Context;
use crate::finding::{About, Finding, Level};
use crate::rules::Rule;
use crate::rules::support::filters::{WrittenFilter, filters, part, tag};
use crate::rules::support::manifest_edit;

/// See the module.
pub struct FilterMixedData;

static ABOUT: About = About {
    id: "filter-mixed-data",
    level: Level::Warning,
    platform: Some(Platform::Android),
    summary: "Reports a filter whose `<data>` elements mean different links: the platform pools them.",
    effect: "Web links are not verified and open the browser; own schemes want the same host.",
    wrong: "<intent-filter android:autoVerify=\"true\">\n    …\n    <data android:scheme=\"https\" android:host=\"marram.example\" />\n    <data android:scheme=\"marram\" />\n</intent-filter>",
    right: "<intent-filter android:autoVerify=\"true\">\n    …\n    <data android:scheme=\"https\" android:host=\"marram.example\" />\n</intent-filter>\n<intent-filter>\n    …\n    <data android:scheme=\"marram\" />\n</intent-filter>",
    remedy: "`fill` parts the filter in two or more, each with the actions and categories of the first.",
    source: "`<data>`",
};

impl Rule for FilterMixedData {
    fn about(&self) -> &'static About {
        &ABOUT
    }

    fn check_manifest(&self, _context: &Context<'_>, manifest: &ManifestView<'_>, out: &mut Vec<Finding>) {
        for filter in filters(manifest).iter().filter(|filter| filter.is_link() && !filter.has_hidden_scheme()) {
            if let Some(found) = own_scheme(manifest, filter).or_else(|| pooled(manifest, filter)) {
                out.push(found);
            }
        }
    }
}

/// Looks for a scheme of the app's own beside those of the web.
fn own_scheme(manifest: &ManifestView<'_>, filter: &WrittenFilter<'_, '_>) -> Option<Finding> {
    let spec = &filter.spec;
    let is_own = |data: &DataSpec| data.value("scheme").is_some_and(|scheme| !is_web_scheme(scheme));
    let own: Vec<usize> = (0..spec.data.len()).filter(|at| spec.data.get(*at).is_some_and(is_own)).collect();
    if !spec.is_web() || own.is_empty() {
        return None;
    }
    let rest: Vec<usize> = (0..spec.data.len()).filter(|at| !own.contains(at)).collect();
    let schemes: Vec<_> = spec.schemes().into_iter().filter(|scheme| !is_web_scheme(scheme)).collect();
    let schemes = schemes.join(", ");
    let bound = own.iter().filter_map(|at| spec.data.get(*at)).all(|data| data.value("host").is_none())
        && !spec.hosts().is_empty();
    let held = match bound {
        true => format!(", and links of {schemes}: are taken only with the host {}", spec.hosts().join(" or ")),
        false => String::new(),
    };
    let unverified =
        if spec.auto_verify { "keeps its web links from being verified" } else { "is pooled with its web links" };
    let message = format!("the scheme {schemes} in a filter of {} {unverified}{held}", filter.owner());
    // What names no scheme holds for both.
    let lone = |at: &usize| spec.data.get(*at).is_some_and(|data| data.value("scheme").is_none());
    let shared: Vec<usize> = rest.iter().copied().filter(lone).collect();
    let own: Vec<usize> = own.into_iter().chain(shared).collect();
    let remedy =
        manifest_edit(format!("give {schemes} a filter of its own"), manifest, part(manifest, filter, &[rest, own]));
    let level = if spec.auto_verify || bound { Level::Error } else { Level::Warning };
    Some(Finding::new(&ABOUT, filter.subject(), tag(manifest, filter), message).level(level).mend(remedy))
}

/// Looks for links that no element names and that the pool takes all the same.
fn pooled(manifest: &ManifestView<'_>, filter: &WrittenFilter<'_, '_>) -> Option<Finding> {
    let spec = &filter.spec;
    // Where an element lacks its scheme or host, pooling is what its writer counts on.
    let written: Vec<_> = spec.data.iter().map(whole).collect::<Option<Vec<_>>>()?;
    let pathless = written.iter().filter(|(_, _, paths)| paths.is_empty()).count();
    let all_paths: Vec<&(String, String)> = written.iter().flat_map(|(_, _, paths)| paths).collect();
    let mut named: HashMap<(&str, &str), Vec<&Paths>> = HashMap::new();
    for (scheme, host, paths) in &written {
        named.entry((scheme, host)).or_default().push(paths);
    }
    let free = |own: &[&Paths]| own.iter().any(|paths| paths.is_empty());
    let unnamed = |own: &[&Paths]| {
        all_paths.iter().find(|path| !own.iter().any(|own| own.is_empty() || own.contains(path))).copied()
    };
    if pathless > 0 && !all_paths.is_empty() {
        // A path anywhere in the filter takes the freedom of hosts that name none.
        let narrowed = written.iter().find_map(|(scheme, host, _)| {
            let own = named.get(&(*scheme, *host)).map(Vec::as_slice).unwrap_or_default();
            (free(own) && unnamed(own).is_none()).then_some(host)
        });
        if let Some(host) = narrowed {
            let message = format!(
                "a filter of {} names {host} without a path, and the paths of its other data apply to it too",
                filter.owner()
            );
            return Some(finding(manifest, filter, message, &written));
        }
    }
    let hosts = spec.hosts();
    let pairs = spec.schemes().into_iter().flat_map(|scheme| hosts.iter().map(move |host| (scheme, *host)));
    let unmeant = pairs.into_iter().find_map(|(scheme, host)| match named.get(&(scheme, host)) {
        None => Some(format!("{scheme}://{host}")),
        Some(own) => unnamed(own).map(|(_, path)| format!("{scheme}://{host}{path}")),
    });
    let message = format!(
        "a filter of {} takes {} as well, which no <data> names: all data of a filter are pooled",
        filter.owner(),
        unmeant?
    );
    Some(finding(manifest, filter, message, &written))
}

/// The paths of one element: attributes with their values.
type Paths = Vec<(String, String)>;

/// Scheme, host and paths of one element.
type Whole<'s> = (&'s str, &'s str, Paths);

fn whole(data: &DataSpec) -> Option<Whole<'_>> {
    Some((data.value("scheme")?, data.value("host")?, paths(data)))
}

fn finding(
    manifest: &ManifestView<'_>,
    filter: &WrittenFilter<'_, '_>,
    message: String,
    written: &[Whole<'_>],
) -> Finding {
    // One filter for each host with its paths; schemes that have both alike stay together.
    let mut groups: Vec<Vec<usize>> = Vec::new();
    let mut of_host: HashMap<&str, Vec<usize>> = HashMap::new();
    for (at, (scheme, host, paths)) in written.iter().enumerate() {
        let alike = |group: &usize| {
            let mut others = groups.get(*group).into_iter().flatten().filter_map(|at| written.get(*at));
            others.all(|(known, _, own)| own == paths || known == scheme)
        };
        let known = of_host.entry(host).or_default();
        match known.iter().copied().find(alike) {
            Some(group) => groups.get_mut(group).into_iter().for_each(|group| group.push(at)),
            None => {
                known.push(groups.len());
                groups.push(vec![at]);
            }
        }
    }
    let remedy = manifest_edit("part the filter", manifest, part(manifest, filter, &groups));
    Finding::new(&ABOUT, filter.subject(), tag(manifest, filter), message).mend(remedy)
}

fn paths(data: &DataSpec) -> Paths {
    data.attributes
        .iter()
        .filter(|(name, _, _)| name.starts_with("path"))
        .map(|(name, value, _)| (name.clone(), value.clone()))
        .collect()
}

#[cfg(test)]
mod tests {
    use crate::testing::{Fixture, activity};

    const ID: &str = "filter-mixed-data";

    fn filter(attributes: &str, data: &[&str]) -> String {
        let data: String = data.iter().map(|data| format!("                <data {data}/>\n")).collect();
        format!(
            "            <intent-filter{attributes}>\n                <action android:name=\"android.intent.action.VIEW\"/>\n                <category android:name=\"android.intent.category.DEFAULT\"/>\n                <category android:name=\"android.intent.category.BROWSABLE\"/>\n{data}            </intent-filter>\n"
        )
    }

    const WEB: &str = "android:scheme=\"https\" android:host=\"marram.example\" android:pathPrefix=\"/site/\"";
    const OWN: &str = "android:scheme=\"marram\"";
    const VERIFY: &str = " android:autoVerify=\"true\"";

    #[test]
    fn a_scheme_of_the_apps_own_gets_a_filter_of_its_own() {
        let app = Fixture::android(&activity(&filter(VERIFY, &[WEB, OWN])));
        assert_eq!(app.found(ID), ["error android.intent.action.VIEW https,marram 8:13"]);
        app.mends_manifest(ID, &activity(&format!("{}{}", filter(VERIFY, &[WEB]), filter("", &[OWN]))));
    }

    #[test]
    fn hosts_with_paths_of_their_own_are_parted() {
        let one = "android:scheme=\"https\" android:host=\"marram.example\" android:path=\"/a\"";
        let other = "android:scheme=\"https\" android:host=\"log.marram.example\" android:path=\"/b\"";
        let app = Fixture::android(&activity(&filter(VERIFY, &[one, other])));
        assert!(app.findings(ID)[0].message.contains("https://marram.example/b"), "{:?}", app.findings(ID));
        app.mends_manifest(ID, &activity(&format!("{}{}", filter(VERIFY, &[one]), filter(VERIFY, &[other]))));
    }

    #[test]
    fn what_is_meant_to_be_pooled_is_left() {
        let both = [WEB, "android:scheme=\"http\" android:host=\"marram.example\" android:pathPrefix=\"/site/\""];
        assert!(Fixture::android(&activity(&filter(VERIFY, &both))).found(ID).is_empty());
        let split = [
            "android:scheme=\"https\"",
            "android:scheme=\"http\"",
            "android:host=\"marram.example\"",
            "android:host=\"log.marram.example\"",
        ];
        assert!(Fixture::android(&activity(&filter(VERIFY, &split))).found(ID).is_empty());
        let hosts = [
            "android:scheme=\"https\" android:host=\"a.example\"",
            "android:scheme=\"https\" android:host=\"b.example\"",
        ];
        assert!(Fixture::android(&activity(&filter(VERIFY, &hosts))).found(ID).is_empty());
    }

    #[test]
    fn each_part_keeps_the_hosts_and_paths_that_held_for_both() {
        let shared = "android:host=\"marram.example\" android:pathPrefix=\"/site/\"";
        let app = Fixture::android(&activity(&filter(VERIFY, &["android:scheme=\"https\"", OWN, shared])));
        let parted = format!("{}{}", filter(VERIFY, &["android:scheme=\"https\"", shared]), filter("", &[OWN, shared]));
        app.mends_manifest(ID, &activity(&parted));
    }
}
